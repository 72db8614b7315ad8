//! Python's own modules write documents and read them back after our edits.

use std::io::{BufRead, BufReader, Write};
use std::process::{Child, ChildStdin, ChildStdout, Command, Stdio};

use deft_barge_core::record::{Document, DocumentError, Format, Place, Side, Step};
use proptest::prelude::*;
use proptest::test_runner::{Config, RngAlgorithm, TestRng, TestRunner};
use serde_json::{Value, json};

const SCRIPT: &str = r#"
import base64, csv, json, plistlib, sys, io, configparser, tomllib
import xml.etree.ElementTree as ET
try:
    import yaml
except ImportError:
    yaml = None
try:
    import msgpack, cbor2, bson
except ImportError:
    msgpack = None

def pack(form, value, style):
    if form == "message-pack": return msgpack.packb(value, use_bin_type=True, use_single_float=False)
    if form == "cbor": return cbor2.dumps(value, canonical=style % 2 == 0)
    if form == "binary property list": return plistlib.dumps(value, fmt=plistlib.FMT_BINARY, sort_keys=False)
    return bson.encode(value)

def unpack(form, data):
    if form == "message-pack": return msgpack.unpackb(data, strict_map_key=False)
    if form == "cbor": return cbor2.loads(data)
    if form == "binary property list": return plistlib.loads(data)
    return bson.decode(data)

def all_text(value):
    if isinstance(value, dict): return all(all_text(v) for v in value.values())
    if isinstance(value, list): return all(all_text(v) for v in value)
    return isinstance(value, str)

def make(form, value, style):
    if form == "json":
        return json.dumps(value, indent=[None, 2, "\t"][style % 3], ensure_ascii=style % 2 == 0)
    if form == "yaml":
        return yaml.safe_dump(value, default_flow_style=[None, True, False][style % 3], allow_unicode=style % 2 == 0,
                              default_style=[None, '"', "'"][style // 3 % 3] if all_text(value) else None, width=[40, 1000][style % 2], sort_keys=False)
    if form == "ini":
        out = io.StringIO()
        config = configparser.RawConfigParser(strict=False)
        config.optionxform = str
        config.read_dict(value)
        config.write(out, space_around_delimiters=style % 2 == 0)
        return out.getvalue()
    if form == "property list": return plistlib.dumps(value, sort_keys=style % 2 == 0).decode()
    if form == "table":
        out = io.StringIO()
        rows = csv.DictWriter(out, list(value[0]), delimiter=",;\t"[style % 3], lineterminator=["\r\n", "\n"][style // 3 % 2],
                              quoting=[csv.QUOTE_MINIMAL, csv.QUOTE_ALL][style // 6 % 2])
        rows.writeheader()
        rows.writerows(value)
        return out.getvalue()
    if form == "xml":
        root = ET.Element("r")
        for key, text in value.items():
            node = ET.SubElement(root, "e", {"k": key, "v": text})
            node.text = text
        if style % 2: ET.indent(root)
        return ET.tostring(root, encoding="unicode", short_empty_elements=style % 3 == 0)

def read(form, text):
    if form == "json": return json.loads(text)
    if form == "property list": return plistlib.loads(text.encode())
    if form == "table":
        sign = next(c for c in ",;\t" if c in text.splitlines()[0])
        return list(csv.DictReader(io.StringIO(text, newline=""), delimiter=sign))
    if form == "yaml": return yaml.safe_load(text)
    if form == "toml": return tomllib.loads(text)
    if form == "ini":
        config = configparser.RawConfigParser(strict=False)
        config.optionxform = str
        config.read_string(text)
        return {s: dict(config[s]) for s in config.sections()}
    if form == "xml":
        root = ET.fromstring(text)
        return [[e.get("k"), e.get("v"), e.text or ""] for e in root]

for line in sys.stdin:
    ask = json.loads(line)
    try:
        if ask["op"] == "has": out = {"ok": yaml is not None and msgpack is not None}
        elif ask["op"] == "pack": out = {"ok": base64.b16encode(pack(ask["form"], ask["value"], ask["style"])).decode()}
        elif ask["op"] == "unpack": out = {"ok": unpack(ask["form"], base64.b16decode(ask["bytes"]))}
        elif ask["op"] == "make": out = {"ok": make(ask["form"], ask["value"], ask["style"])}
        else: out = {"ok": read(ask["form"], ask["text"])}
    except Exception as error:
        out = {"error": repr(error)}
    print(json.dumps(out), flush=True)
"#;

struct Python {
    child: Child,
    to: ChildStdin,
    from: BufReader<ChildStdout>,
}

impl Python {
    /// The first Python that has all that is asked for.
    fn start() -> Option<Self> {
        ["python3", "/usr/bin/python3"].into_iter().find_map(|program| {
            let mut command = Command::new(program);
            command.args(["-c", SCRIPT]).stdin(Stdio::piped()).stdout(Stdio::piped());
            let mut child = command.spawn().ok()?;
            let (to, from) = (child.stdin.take()?, BufReader::new(child.stdout.take()?));
            let mut python = Self { child, to, from };
            (python.ask(&json!({"op": "has"})) == Ok(json!(true))).then_some(python)
        })
    }

    fn ask(&mut self, what: &Value) -> Result<Value, String> {
        writeln!(self.to, "{what}").map_err(|e| e.to_string())?;
        let mut line = String::new();
        self.from.read_line(&mut line).map_err(|e| e.to_string())?;
        let mut answer: Value = serde_json::from_str(&line).map_err(|e| e.to_string())?;
        match answer.get("error") {
            Some(error) => Err(error.to_string()),
            None => Ok(answer["ok"].take()),
        }
    }
}

impl Drop for Python {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

fn text() -> impl Strategy<Value = String> {
    prop_oneof![
        2 => "[ -~äß日🚢]{0,16}",
        1 => "(/[a-zA-Z0-9 ._-]{1,8}){1,4}",
        1 => "[A-Z]:(\\\\[a-z 0-9ä]{1,8}){1,3}",
        1 => prop::sample::select(vec!["true", "12", "~", "null", "- a", "a: b", "a #b", "it's \"q\"", "1e3", "yes", "|", "{a}"]).prop_map(str::to_string),
        1 => "[a-z\\n\\t\\\\\"']{1,10}",
    ]
}

fn tree() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![4 => text().prop_map(Value::from), 1 => any::<i32>().prop_map(Value::from), 1 => any::<bool>().prop_map(Value::from)];
    leaf.prop_recursive(3, 20, 4, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Value::from),
            prop::collection::btree_map(text(), inner, 0..4).prop_map(|map| Value::Object(map.into_iter().collect())),
        ]
    })
}

fn texts(document: &Document) -> Vec<(Place, String)> {
    let mut all = Vec::new();
    document.leaves(&mut |leaf| {
        let is_text = leaf.place.of(document.value()).is_some_and(Value::is_string);
        if leaf.side == Side::Value && is_text {
            all.push((leaf.place, leaf.text.into_owned()));
        }
    });
    all
}

fn run(cases: u32, mut test: impl FnMut(Value, u8, usize, String) -> bool) -> (u32, u32) {
    let config = Config { cases, failure_persistence: None, ..Config::default() };
    let mut runner = TestRunner::new_with_rng(config, TestRng::deterministic_rng(RngAlgorithm::ChaCha));
    let made = std::cell::RefCell::new((0, 0, &mut test));
    runner
        .run(&(tree(), any::<u8>(), any::<usize>(), text()), |(value, style, nth, new)| {
            let mut state = made.borrow_mut();
            let ok = (state.2)(value, style, nth, new);
            state.0 += u32::from(ok);
            state.1 += 1;
            Ok(())
        })
        .unwrap();
    let state = made.into_inner();
    (state.0, state.1)
}

#[test]
fn python_reads_every_edited_tree_as_it_was_meant() {
    let Some(mut python) = Python::start() else { return super::missing("python3 with yaml, msgpack, cbor2 and bson") };
    for (form, format) in [("json", Format::Json), ("yaml", Format::Yaml), ("toml", Format::Toml)] {
        let (made, tried) = run(400, |value, style, nth, new| {
            let value = json!({ "top": value, "path": "/mnt/a b" });
            let text = if form == "toml" {
                let Ok(text) = toml::to_string(&value) else { return false };
                text
            } else {
                let made = python.ask(&json!({"op": "make", "form": form, "value": value, "style": style})).unwrap();
                made.as_str().unwrap().to_string()
            };
            let document =
                Document::parse(text.clone().into_bytes(), format).unwrap_or_else(|e| panic!("{form}: {e}\n{text}"));
            assert_eq!(document.value(), &value, "{form}\n{text}");
            let all = texts(&document);
            let (place, _) = all[nth % all.len()].clone();
            let edited = match document.replace(&place, Side::Value, &new, None) {
                Ok(edited) => String::from_utf8(edited).unwrap(),
                Err(DocumentError::CannotHold { .. } | DocumentError::Unfaithful { .. }) => return false,
                Err(error) => panic!("{form} {place}: {error}\n{text}"),
            };
            let mut meant = value;
            *place.of_mut(&mut meant).unwrap() = new.clone().into();
            let read = python.ask(&json!({"op": "read", "form": form, "text": edited}));
            assert_eq!(read, Ok(meant), "{form} {place} {new:?}\n{text}\n{edited}");
            true
        });
        assert!(made * 10 > tried * 9, "{form}: {made} of {tried}");
    }
}

#[test]
fn python_reads_every_edited_file_of_lines_and_elements_as_it_was_meant() {
    let Some(mut python) = Python::start() else { return super::missing("python3 with yaml, msgpack, cbor2 and bson") };
    for (form, format) in [("ini", Format::Ini), ("xml", Format::Xml)] {
        let (made, tried) = run(300, |_, style, nth, new| {
            let words: Vec<String> = (0..4).map(|n| format!("/mnt/{}/x {n}", nth.wrapping_mul(n + 3) % 1000)).collect();
            let value = if form == "ini" {
                json!({"Paths": {"One": words[0], "two words": words[1]}, "Other": {"Q": words[2], "Last": words[3]}})
            } else {
                json!({"One": words[0], "two & words": words[1], "Q": words[2]})
            };
            let made = python.ask(&json!({"op": "make", "form": form, "value": value, "style": style})).unwrap();
            let text = made.as_str().unwrap().to_string();
            let document =
                Document::parse(text.clone().into_bytes(), format).unwrap_or_else(|e| panic!("{form}: {e}\n{text}"));
            let all: Vec<_> = texts(&document).into_iter().filter(|(_, text)| text.starts_with("/mnt")).collect();
            let (place, _) = all[nth % all.len()].clone();
            let edited = match document.replace(&place, Side::Value, &new, None) {
                Ok(edited) => String::from_utf8(edited).unwrap(),
                Err(DocumentError::CannotHold { .. } | DocumentError::Unfaithful { .. }) => return false,
                Err(error) => panic!("{form} {place}: {error}\n{text}"),
            };
            // Its reader knows no quotes: a value in quotes is one with quotes for it.
            if form == "ini" && (new.starts_with('"') || new.is_empty()) {
                return false;
            }
            let before = python.ask(&json!({"op": "read", "form": form, "text": text})).unwrap();
            let mut meant = before.clone();
            let target = if form == "ini" {
                place.of_mut(&mut meant)
            } else {
                let Step::Index(nth) = place.0[2] else { panic!("{place}") };
                let column = usize::from(place.to_string().contains("#text")) + 1;
                meant.get_mut(nth).and_then(|row| row.get_mut(column))
            };
            *target.unwrap() = new.clone().into();
            let read = python.ask(&json!({"op": "read", "form": form, "text": edited}));
            assert_eq!(read, Ok(meant), "{form} {place} {new:?}\n{edited}");
            true
        });
        assert!(made * 2 > tried, "{form}: {made} of {tried}");
    }
}

fn hex(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| format!("{byte:02X}")).collect()
}

fn unhex(text: &str) -> Vec<u8> {
    (0..text.len() / 2).map(|n| u8::from_str_radix(&text[2 * n..2 * n + 2], 16).unwrap()).collect()
}

#[test]
fn python_reads_every_edited_format_of_bytes_as_it_was_meant() {
    let Some(mut python) = Python::start() else { return super::missing("python3 with yaml, msgpack, cbor2 and bson") };
    for (form, format) in [("message-pack", Format::MessagePack), ("cbor", Format::Cbor), ("bson", Format::Bson)] {
        let (made, tried) = run(400, |value, style, nth, new| {
            let value = json!({ "top": value, "path": "/mnt/a b", "share": 0.25, "many": 5_000_000_000_u64 });
            let packed = python.ask(&json!({"op": "pack", "form": form, "value": value, "style": style}));
            // A key with a zero is none in BSON.
            let Ok(packed) = packed else { return false };
            let bytes = unhex(packed.as_str().unwrap());
            let document = Document::parse(bytes.clone(), format).unwrap_or_else(|e| panic!("{form}: {e}\n{value}"));
            assert_eq!(document.value(), &value, "{form}");
            assert_eq!(document.bytes(), bytes, "{form}");
            let all = texts(&document);
            let (place, _) = all[nth % all.len()].clone();
            let edited = document.replace(&place, Side::Value, &new, None).unwrap();
            let mut meant = value.clone();
            *place.of_mut(&mut meant).unwrap() = new.clone().into();
            let read = python.ask(&json!({"op": "unpack", "form": form, "bytes": hex(&edited)}));
            assert_eq!(read, Ok(meant), "{form} {place} {new:?}\n{value}");
            // The very bytes that the library itself would have written.
            let mut meant = value;
            *place.of_mut(&mut meant).unwrap() = new.into();
            let whole = python.ask(&json!({"op": "pack", "form": form, "value": meant, "style": style})).unwrap();
            assert_eq!(hex(&edited), whole.as_str().unwrap(), "{form} {place}");
            true
        });
        assert!(made * 10 > tried * 9, "{form}: {made} of {tried}");
    }
}

#[test]
fn python_reads_every_edited_table_and_property_list_as_it_was_meant() {
    let Some(mut python) = Python::start() else { return super::missing("python3 with yaml, msgpack, cbor2 and bson") };
    for (form, format) in [("table", Format::Table), ("property list", Format::PropertyList)] {
        let (made, tried) = run(400, |_, style, nth, new| {
            let text = |n: usize| {
                let all = ["/mnt/a b/x", "a, b; c", "it's \"so\"", "<ä & 日>", "", "12"];
                all[nth.wrapping_mul(n + 3) % all.len()]
            };
            let row = |n: usize| json!({"id": n.to_string(), "where to": text(n), "said": text(n + 7)});
            let rows: Vec<Value> = (0..4).map(row).collect();
            let value = if form == "table" { json!(rows) } else { json!({"v": "2", "all & more": rows}) };
            let made = python.ask(&json!({"op": "make", "form": form, "value": value, "style": style})).unwrap();
            let made = made.as_str().unwrap();
            let document = Document::parse(made.as_bytes().to_vec(), format).unwrap_or_else(|e| panic!("{e}\n{made}"));
            let read = document.value().to_string().replace("null", "\"\"");
            assert_eq!(serde_json::from_str::<Value>(&read).unwrap(), value, "{form}\n{made}");
            let all = texts(&document);
            let (place, _) = all[nth % all.len()].clone();
            let edited = match document.replace(&place, Side::Value, &new, None) {
                Ok(edited) => String::from_utf8(edited).unwrap(),
                Err(DocumentError::CannotHold { .. } | DocumentError::Unfaithful { .. }) => return false,
                Err(error) => panic!("{form} {place}: {error}\n{made}"),
            };
            let mut meant = value;
            *place.of_mut(&mut meant).unwrap() = new.clone().into();
            let read = python.ask(&json!({"op": "read", "form": form, "text": edited}));
            assert_eq!(read, Ok(meant), "{form} {place} {new:?}\n{made}\n{edited}");
            true
        });
        assert!(made * 10 > tried * 8, "{form}: {made} of {tried}");
    }
}

#[test]
fn python_reads_every_edited_binary_property_list_as_it_was_meant() {
    let Some(mut python) = Python::start() else { return super::missing("python3 with yaml, msgpack, cbor2 and bson") };
    let (form, format) = ("binary property list", Format::BinaryPropertyList);
    let mut shared = 0;
    let (made, tried) = run(600, |value, style, nth, new| {
        let value = json!({ "top": value, "path": "/mnt/a b", "share": 0.25, "many": 5_000_000_000_u64 });
        let packed = python.ask(&json!({"op": "pack", "form": form, "value": value, "style": style})).unwrap();
        let bytes = unhex(packed.as_str().unwrap());
        let document = Document::parse(bytes.clone(), format).unwrap_or_else(|e| panic!("{e}\n{value}"));
        assert_eq!(document.value(), &value);
        assert_eq!(document.bytes(), bytes);
        let all = texts(&document);
        let (place, _) = all[nth % all.len()].clone();
        // What stands there once for two values is not changed for one of them.
        let Ok(edited) = document.replace(&place, Side::Value, &new, None) else {
            shared += 1;
            return true;
        };
        let mut meant = value.clone();
        *place.of_mut(&mut meant).unwrap() = new.clone().into();
        let read = python.ask(&json!({"op": "unpack", "form": form, "bytes": hex(&edited)}));
        assert_eq!(read, Ok(meant), "{place} {new:?}\n{value}");
        true
    });
    assert!(made == tried && shared * 10 < tried, "{made} of {tried}, {shared} shared");
}
