//! What files are read as, and how what is written stays as its writer has it.

use super::*;

#[test]
fn faults_are_given_with_line_and_column() {
    for (format, text, line) in [
        (Format::Json, "{\n  \"a\": }", 2),
        (Format::Json, "", 1),
        (Format::Json, "[1,]", 1),
        (Format::Json, "{} {}", 1),
        (Format::Json, "[1, // no\n2]", 1),
        (Format::Yaml, "a: b\nc: [d\n", 3),
        (Format::Toml, "a = 1\na = 2\n", 2),
        (Format::Xml, "<a>\n<b></a>", 2),
        (Format::Xml, "<a/>\n<b/>", 1),
        (Format::Hive, "WINE REGISTRY Version 2\n[k]\n\"a\"=\"x\n", 3),
    ] {
        match Document::parse(text.as_bytes().to_vec(), format) {
            Err(DocumentError::Syntax { line: l, .. }) => assert_eq!(l, line, "{format:?} {text}"),
            other => panic!("{format:?} {text}: {other:?}"),
        }
    }
}

#[test]
fn leaves_are_read_as_their_writers_meant_them() {
    let says = |format: Format, text: &str, place: &str, wanted: &str| {
        let document = parsed(text.as_bytes(), format);
        let place = document.find_one(place).unwrap_or_else(|e| panic!("{format:?} {e}\n{:#}", document.value()));
        assert_eq!(document.leaf(&place, Side::Value).as_deref(), Some(wanted), "{format:?} {place}");
    };
    let ugly = |format: Format, nth: usize| UGLY.iter().filter(|(f, _)| *f == format).nth(nth).unwrap().1;
    says(Format::Yaml, ugly(Format::Yaml, 0), "$.lit", "/one/line\n/two\n");
    says(Format::Yaml, ugly(Format::Yaml, 0), "$.fold", "folded text");
    says(Format::Yaml, ugly(Format::Yaml, 0), "$.multi", "a b");
    says(Format::Yaml, ugly(Format::Yaml, 0), "$.anchor", "/mnt/ä/x");
    says(Format::Yaml, ugly(Format::Yaml, 1), "$[1][1]['/k v']", "e");
    says(Format::Toml, ugly(Format::Toml, 0), "$.list[1].in['b c'][1]", "/j");
    says(Format::Toml, ugly(Format::Toml, 0), "$.games['C:/g/ä'].at", "long text");
    says(Format::Ini, ugly(Format::Ini, 0), "$.Paths.quoted", "C:\\x y");
    says(Format::Ini, ugly(Format::Ini, 0), "$['Ü ber'].dup[1]", "3");
    says(Format::Ini, ugly(Format::Ini, 0), "$[''].free", "standing");
    says(Format::Desktop, ugly(Format::Desktop, 0), "$['Desktop Entry']['Name[de]']", "Blasses Zeichen");
    says(Format::UserDirs, ugly(Format::UserDirs, 0), "$.XDG_MUSIC_DIR", "/mnt/m\"q");
    says(Format::Xml, ugly(Format::Xml, 0), "$.r.g[0]['#text']", "/t<x\n  y");
    says(Format::Xml, ugly(Format::Xml, 0), "$.r.g[1]['#text'][0]", "/c & d");
    says(Format::Xml, ugly(Format::Xml, 0), "$.r['q:g'][0]['@n']", "it's ä");
    let key = "$['Software\\\\Drift & Däughters\\\\Night']";
    says(Format::Hive, "WINE REGISTRY Version 2\n[A\\\\\\xe4z] 1\n\"x\"=\"1\"\n", "$['A\\\\äz'].x", "1");
    says(Format::Hive, ugly(Format::Hive, 0), &format!("{key}.Hex"), "C:\\ä");
    says(Format::Hive, ugly(Format::Hive, 0), &format!("{key}.Many[1]"), "C:\\two");
    says(Format::Hive, ugly(Format::Hive, 0), &format!("{key}.ManyHex[1]"), "bc");
    says(Format::Hive, ugly(Format::Hive, 0), &format!("{key}.Size"), "43981");
    says(Format::Hive, ugly(Format::Hive, 0), &format!("{key}['@']"), "C:\\G\\x");
    says(Format::Hive, ugly(Format::Hive, 0), &format!("{key}['q\"n']"), "🚢\n");
}

/// What a parser that we do not edit with reads; `None` where there is none for the format.
fn second_opinion(bytes: &[u8], format: Format) -> Option<serde_json::Value> {
    let text = String::from_utf8(bytes.to_vec()).unwrap();
    match format {
        Format::Json => Some(serde_json::from_str(&text).unwrap()),
        Format::JsonLines => {
            serde_json::Deserializer::from_str(&text).into_iter::<serde_json::Value>().collect::<Result<_, _>>().ok()
        }
        Format::Jsonc => {
            let value = jsonc_parser::parse_to_ast(
                &text,
                &jsonc_parser::CollectOptions::default(),
                &jsonc_parser::ParseOptions::default(),
            );
            Some(of_ast(value.unwrap().value.as_ref().unwrap()))
        }
        Format::Toml => Some(serde_json::to_value(toml::from_str::<toml::Table>(&text).unwrap()).unwrap()),
        Format::Xml => {
            let options = roxmltree::ParsingOptions { allow_dtd: true, ..Default::default() };
            let document = roxmltree::Document::parse_with_options(&text, options).unwrap();
            let mut all = Vec::new();
            for node in document.descendants().filter(roxmltree::Node::is_element) {
                all.extend(node.attributes().map(|a| a.value().to_string()));
                let is_text = |n: &roxmltree::Node<'_, '_>| n.is_text();
                all.extend(
                    node.children()
                        .filter(is_text)
                        .filter_map(|n| n.text())
                        .map(|t| t.trim_matches([' ', '\t', '\r', '\n']).to_string()),
                );
            }
            Some(all.concat().into())
        }
        _ => None,
    }
}

fn of_ast(ast: &jsonc_parser::ast::Value<'_>) -> serde_json::Value {
    use jsonc_parser::ast::Value as Ast;
    match ast {
        Ast::StringLit(text) => text.value.to_string().into(),
        Ast::NumberLit(number) => serde_json::from_str(number.value).unwrap_or(serde_json::Value::Null),
        Ast::BooleanLit(word) => word.value.into(),
        Ast::NullKeyword(_) => serde_json::Value::Null,
        Ast::Array(all) => all.elements.iter().map(of_ast).collect(),
        Ast::Object(all) => all.properties.iter().map(|p| (p.name.as_str().to_string(), of_ast(&p.value))).collect(),
    }
}

/// The same of a document of ours.
fn our_opinion(document: &Document) -> serde_json::Value {
    match document.format() {
        Format::Xml => {
            let mut all = Vec::new();
            let mut leaves = all_leaves(document);
            // Namespaces are no attributes for the other parser.
            leaves.retain(|(place, ..)| !place.to_string().contains("['@xmlns"));
            // Attributes of an element come before its text, elements in the order of the file.
            leaves.sort_by_key(|(place, ..)| document.written_span(place, Side::Value).unwrap().start);
            all.extend(leaves.iter().map(|(_, _, text)| text.trim_matches([' ', '\t', '\r', '\n']).to_string()));
            all.concat().into()
        }
        _ => document.value().clone(),
    }
}

#[test]
fn the_well_known_parser_of_each_format_reads_every_edit_as_we_do() {
    let mut asked = 0;
    for (format, text) in UGLY {
        let text = text.replace("1_000", "1000").replace("2020-01-01", "7");
        let document = parsed(text.as_bytes(), *format);
        for (place, side, old) in all_leaves(&document) {
            for new in ["/mnt/new drive", "C:\\new", "it's \"so\" & <that>", "ä日🚢", "a\tb", "", "true"] {
                if document.leaf(&place, side).as_deref() != Some(old.as_str()) {
                    continue;
                }
                let Ok(edited) = document.replace(&place, side, new, None) else { continue };
                if let Some(theirs) = second_opinion(&edited, *format) {
                    assert_eq!(theirs, our_opinion(&parsed(&edited, *format)), "{format:?} {place} {new:?}");
                    asked += 1;
                }
            }
        }
    }
    assert!(asked > 250, "{asked}");
}

#[test]
fn pages_of_brackets_are_refused_and_never_followed() {
    let document = Document::parse(b"{\"a\": [1]}".to_vec(), Format::Json).unwrap();
    for selector in [
        format!("${}", "[".repeat(20_000)),
        format!("${}0{}", "[".repeat(1000), "]".repeat(1000)),
        format!("$[?{}@.a{}]", "(".repeat(900), ")".repeat(900)),
        format!("$[?{}@.a{}]", "!(".repeat(900), ")".repeat(900)),
        format!("$.a{}", "['x']".repeat(20_000)),
    ] {
        let said = document.find(&selector).map(|found| found.len());
        assert!(matches!(said, Err(DocumentError::Selector { .. }) | Ok(0)), "{said:?}");
        if let Err(error) = said {
            assert!(error.to_string().len() < 200, "{error}");
        }
    }
    for selector in [r#"$["C:\u"#, r"$['\uD8", r#"$.a[?@.b == "\ud83d\u"#, "$['", r#"$["a\"#] {
        assert!(matches!(document.find(selector), Err(DocumentError::Selector { .. })), "{selector}");
    }
    // What parses them would take twice as long with each.
    for filter in ["[?@.a", "[ ?(@.a", "[1, ?length(@.a", "[?!(@.a"] {
        let said = document.find(&format!("${}", filter.repeat(15)));
        assert!(matches!(said, Err(DocumentError::Selector { .. })), "{filter}: {said:?}");
    }
    // Brackets in a name are letters of it.
    assert_eq!(document.find(&format!("$['{}']", "[".repeat(200))).unwrap().len(), 0);
    assert!(Meaning::try_from("{x}".repeat(20_000)).is_err());
    for format in Format::ALL {
        for (open, close) in
            [("[", "]"), ("{\"a\":", "}"), ("<a>", "</a>"), ("- ", ""), ("a: [", "]"), ("d", "e"), ("l", "e")]
        {
            let text = format!("{}{}", open.repeat(100_000), close.repeat(100_000));
            let _ = Document::parse(text.into_bytes(), format);
        }
    }
}

#[test]
fn a_quote_that_begins_a_value_between_tabulators_is_a_sign_of_it() {
    let text = "id\trun\tnote\n1\t\"/a/Fen/go\" --full\t\"all of it\"\n2\t\"/a/Moor/go\"\t\"open\n";
    let table = parsed(text.as_bytes(), Format::Table);
    let says = |document: &Document, at: &str| document.leaf(&document.find_one(at).unwrap(), Side::Value).unwrap();
    assert_eq!(says(&table, "$[0].run"), "\"/a/Fen/go\" --full");
    assert_eq!(says(&table, "$[0].note"), "all of it");
    assert_eq!((says(&table, "$[1].run").as_str(), says(&table, "$[1].note").as_str()), ("/a/Moor/go", "\"open"));
    let place = table.find_one("$[0].run").unwrap();
    let edited = table.replace(&place, Side::Value, "\"/b/Fen/go\" --full", None).unwrap();
    assert_eq!(String::from_utf8(edited).unwrap(), text.replace("/a/Fen", "/b/Fen"));
    // Between commas a quote that is closed too early is no table's.
    assert!(Document::parse(text.replace('\t', ",").into_bytes(), Format::Table).is_err());
}

#[test]
fn large_lists_and_objects_are_searched_as_small_ones_are() {
    let entry = |n: usize| format!("{{\"id\": \"g{}\", \"deep\": {{\"n\": \"{}\"}}, \"k\": [{n}]}}", n % 40, n % 7);
    let list: Vec<String> = (0..60).map(entry).collect();
    let object: Vec<String> = (0..60).map(|n| format!("\"key {n}\": {}", entry(n))).collect();
    let text = format!("{{\"l\": [{}], \"o\": {{{}}}, \"e\": []}}", list.join(","), object.join(","));
    let document = Document::parse(text.into_bytes(), Format::Json).unwrap();
    for selector in [
        "$.l[?@.id == 'g3'].k",
        "$.l[?@.id == \"g3\"]",
        "$['l'][?@['deep'].n=='6'].k[0]",
        "$.o[?@.id == 'g39'].deep.n",
        "$.o[?@.id == 'nobody']",
        "$.e[?@.id == 'g1']",
        "$.nothing[?@.id == 'g1']",
        "$.l[?@.k == 'g1']",
        "$.l[59].id",
        "$.l[60].id",
        "$.o['key 59'].id",
        "$.o['key 60'].id",
        "$.l[?@.id == 'g3' && @.deep.n == '3'].k",
    ] {
        let found = document.find(selector).unwrap();
        assert_eq!(found, super::selectors::find_in(document.value(), selector).unwrap(), "{selector}");
    }
}

#[test]
fn what_is_any_is_found_and_said_as_in_the_whole_value() {
    let all = [
        (
            Format::Json,
            r#"{"l": [{"id": 1, "k": [7]}, {"id": "b"}, 3], "o": {"x": {"id": 2}, "y": {"k": []}, "x": {"id": 4}}, "e": []}"#,
        ),
        (Format::Xml, r#"<l><g id="1"><k>7</k></g><g id="2"/><o>x</o></l>"#),
        (Format::Yaml, "l:\n- id: 1\n  k: [7]\n- id: b\no:\n  x: {id: 2}\n"),
        (Format::Ini, "[l]\nid=1\nid=2\n[o]\nk=7\n"),
        (Format::Hive, "WINE REGISTRY Version 2\n\n[Software\\\\l] 1\n\"id\"=\"1\"\n\"k\"=dword:00000007\n"),
        (Format::Table, "id\tk\n1\t7\nb\t8\n"),
        (Format::Bencode, "d1:ld2:idi1e1:kli7eee1:oli1ei2eee"),
    ];
    let selectors = [
        "$[*]",
        "$.*",
        "$.l[*]",
        "$.l[*].id",
        "$['l'][*]['k'][0]",
        "$.l[0][*]",
        "$[*][*].id",
        "$[*][*][*]",
        "$.o[*].id",
        "$.o.*['id']",
        "$.e[*]",
        "$.nothing[*]",
        "$.l.g[*]['@id']",
        "$.l[0].g[*].k[*]['#text']",
        "$[*].id",
        "$[1].*",
    ];
    let mut found = 0;
    for (format, text) in all {
        for selector in selectors {
            let document = parsed(text.as_bytes(), format);
            let here = document.find(selector).unwrap();
            let values: Vec<_> = here.iter().map(|place| document.value_at(place).unwrap().into_owned()).collect();
            let whole = parsed(text.as_bytes(), format).value().clone();
            assert_eq!(here, super::selectors::find_in(&whole, selector).unwrap(), "{format:?} {selector}");
            let meant: Vec<_> = here.iter().map(|place| place.of(&whole).unwrap().clone()).collect();
            assert_eq!(values, meant, "{format:?} {selector}");
            found += here.len();
        }
    }
    assert!(found > 60, "{found}");
}

#[test]
fn a_folder_that_is_its_own_base_is_written_as_a_dot_and_never_as_nothing() {
    let bases = Bases { relative_to: Some("/g/Fen".into()), ..Bases::default() };
    for (text, same, below) in [(".", ".", "bin/x"), ("./", "./", "./bin/x"), ("bin", ".", "bin/x")] {
        let (spelling, place) = Spelling::read(text, &bases).unwrap();
        assert_eq!(spelling.write(std::path::Path::new("/g/Fen"), &bases).unwrap().0, same, "{text} at {place:?}");
        assert_eq!(spelling.write(std::path::Path::new("/g/Fen/bin/x"), &bases).unwrap().0, below, "{text}");
    }
}

/// What was escaped stays escaped, the same way, also where a path goes to another drive; and it comes back to the same bytes.
#[test]
fn what_a_writer_escaped_stays_escaped_in_the_same_way() {
    let cases: [(Format, &str, &str, &str); 14] = [
        (
            Format::Json,
            r#"{"at": "/mnt/\u00f6l/B\u00e4r \u0026 Co"}"#,
            "/mnt/größe/Bär & Co",
            r#""/mnt/gr\u00f6\u00dfe/B\u00e4r \u0026 Co""#,
        ),
        (Format::Json, r#"{"at": "/a/\u00C4"}"#, "/ß/Ä/🎲", r#""/\u00DF/\u00C4/\uD83C\uDFB2""#),
        (Format::Json, r#"{"at": "\/a\/\u65e5"}"#, "/b c/日", r#""\/b c\/\u65e5""#),
        (Format::Json, r#"{"at": "/a/\u0046en/Ö"}"#, "/öl/Fen/Ö", r#""/öl/\u0046en/Ö""#),
        (Format::Json, r#"{"at": "/\ud83c\udfb2/x"}"#, "/🎲🎲/y/x", r#""/\ud83c\udfb2\ud83c\udfb2/y/x""#),
        (Format::Yaml, r#"at: "/a/\u00e4 \x41""#, "/ö/ä A", r#""/\u00f6/\u00e4 \x41""#),
        (Format::Yaml, r#"at: "/a\/\xe4""#, "/日\u{f6}/ä", r#""/\u65e5\xf6\/\xe4""#),
        (Format::Yaml, r#"at: "/a/\U0001F3B2""#, "/ä/🎲", r#""/\U000000E4/\U0001F3B2""#),
        (Format::Toml, r#"at = "/a/\u00E4""#, "/ö🎲/ä", r#""/\u00F6\U0001F3B2/\u00E4""#),
        (Format::Xml, "<r at='/a/it&apos;s &#228; &#62;'/>", "/ö/it's ä >", "'/&#246;/it&apos;s &#228; &#62;'"),
        (
            Format::Xml,
            "<r at=\"/a/it&apos;s/&#x00E4;\"/>",
            "/don't/ö/it's/ä",
            "\"/don&apos;t/&#x00F6;/it&apos;s/&#x00E4;\"",
        ),
        (
            Format::Xml,
            "<r><g>/a/&quot;q&quot; &gt; it's</g></r>",
            "/b/\"q\" > it's",
            "<g>/b/&quot;q&quot; &gt; it's</g>",
        ),
        (Format::Xml, "<r><g>/ü/&#xe4;</g></r>", "/ö/ä", "<g>/ö/&#xe4;</g>"),
        (Format::Json, r#"{"at": "/mnt/ö/\u00e4"}"#, "/mnt/ü/ä", r#""/mnt/ü/\u00e4""#),
    ];
    for (format, text, new, wanted) in cases {
        let document = parsed(text.as_bytes(), format);
        let (place, side, old) = all_leaves(&document).into_iter().find(|leaf| leaf.2.starts_with('/')).unwrap();
        let written = document.written(&place, side).unwrap().to_string();
        let bytes = document.replace(&place, side, new, None).unwrap_or_else(|e| panic!("{text}: {e}"));
        let now = String::from_utf8(bytes).unwrap();
        assert!(now.contains(wanted), "{text}: {now} instead of {wanted}");
        let again = parsed(now.as_bytes(), format);
        assert_eq!(again.leaf(&place, side).as_deref(), Some(new), "{now}");
        let back = again.replace(&place, side, &old, Some(&written)).unwrap();
        assert_eq!(String::from_utf8(back).unwrap(), text, "back");
    }
}

#[test]
fn nested_text_is_read_in_the_dialect_that_it_shows() {
    let says = |text: &str, place: &str| {
        let document = parsed(text.as_bytes(), Format::Nested);
        let place = document.find_one(place).unwrap_or_else(|error| panic!("{text}\n{error}"));
        document.leaf(&place, Side::Value).unwrap()
    };
    // Quotes that escape, and quotes that do not.
    assert_eq!(says("\"a\" { \"p\" \"C:\\\\G\\\\x\" }", "$.a.p"), "C:\\G\\x");
    assert_eq!(says("\"a\" { \"p\" \"C:\\G\\x\" }", "$.a.p"), "C:\\G\\x");
    assert_eq!(says("\"a\" { \"p\" \"C:\\G\\\"\n\"q\" \"D:\\new\" }", "$.a.q"), "D:\\new");
    // Bare values: to the end of the line, to the sign that ends values here, or to the next member.
    assert_eq!(says("g {\n p = /g/Fen Two\n q = 1\n}", "$.g.p"), "/g/Fen Two");
    assert_eq!(says("g {\n p = /g/a;b;\n q = 1;\n}", "$.g.p"), "/g/a;b");
    assert_eq!(says("g {\n p /g/Fen Two\n}", "$.g.p"), "/g/Fen Two");
    assert_eq!(says("g { p /g/Fen q /x }", "$.g.q"), "/x");
    assert_eq!(says("g { p = /g/Fen Two; q = /x }", "$.g.p"), "/g/Fen Two");
    assert_eq!(says("g: {\n p: C:\\g\n q: D:/x y\n}", "$.g.q"), "D:/x y");
    assert_eq!(says("install dir = /g/a\nlast run = 2\n", "$['install dir']"), "/g/a");
    // A sign is a comment's where it begins a line somewhere.
    assert_eq!(says("g {\n p = /g/a #1\n}", "$.g.p"), "/g/a #1");
    assert_eq!(says("# c\ng {\n p = /g/a #1\n}", "$.g.p"), "/g/a");
    assert_eq!(says("g {\n p = http://a/b\n}\n// c\n", "$.g.p"), "http://a/b");
    // Names that come again, and labels.
    assert_eq!(says("g { id 1 }\ng { id 2 }\ng { id 3 }", "$.g[2].id"), "3");
    assert_eq!(says("g \"a b\" { id 1 }\ng c {\n id 2\n}", "$.g.c.id"), "2");
    assert_eq!(says("g \"a b\"\n{ id 1 }", "$.g['a b'].id"), "1");
    // Tables of programs.
    assert_eq!(
        says("local t = {\n [\"x y\"] = { at = \"/1\" },\n [3] = \"z\",\n}\nreturn t\n", "$['local t']['x y'].at"),
        "/1"
    );
    assert_eq!(says("{ a = { \"x\", \"y\" }, b = ( { c = 1 }, { c = 2 } ) }", "$.b[1].c"), "2");
    for refused in
        ["[section]\na=b\n", "a { b", "a } b", "a \"b\nc\"", "", "# only\n", "a b\na \"l\" { c d }\n", "<a/>\n{"]
    {
        assert!(Document::parse(refused.as_bytes().to_vec(), Format::Nested).is_err(), "{refused}");
    }
}

#[test]
fn a_value_of_nested_text_gets_no_sign_that_its_reader_may_not_know() {
    let held = |text: &str, new: &str| {
        let document = parsed(text.as_bytes(), Format::Nested);
        let place = document.find_one("$.g.p").unwrap();
        document.replace(&place, Side::Value, new, None).ok().map(|bytes| String::from_utf8(bytes).unwrap())
    };
    assert_eq!(held("g { p /a q 1 }", "/b c"), None);
    assert_eq!(held("g {\n p /a\n}", "/b c"), None);
    assert_eq!(held("g {\n p /a b\n}", "/b c").as_deref(), Some("g {\n p /b c\n}"));
    assert_eq!(held("g {\n p = /a\n}", "/b c").as_deref(), Some("g {\n p = /b c\n}"));
    assert_eq!(held("g {\n p = /a\n}", "/b;c"), None);
    assert_eq!(held("g { p \"/a\" }", "/b \"c\"").as_deref(), Some("g { p \"/b \\\"c\\\"\" }"));
    assert_eq!(held("g { p \"C:\\a\" }", "C:\\b c").as_deref(), Some("g { p \"C:\\b c\" }"));
    assert_eq!(held("g { p \"C:\\a\" }", "C:\\b\""), None);
}

/// A document that is ASCII so far and says its code page gets letters beyond ASCII in that page, where its name leaves no doubt, and else
/// none; in UTF-8 its readers would see others.
#[test]
fn letters_come_into_a_document_in_the_page_that_it_declares_or_not_at_all() {
    let xml =
        |label: &str, at: &str| format!("<?xml version=\"1.0\" encoding=\"{label}\"?>\n<a at=\"{at}\" b=\"x\"/>\n");
    let said = |format: Format, text: &str, at: &str, new: &str| {
        let document = parsed(text.as_bytes(), format);
        assert_eq!(document.bytes(), text.as_bytes());
        document.replace(&document.find_one(at).unwrap(), Side::Value, new, None).ok()
    };
    for (label, new, page) in [
        ("utf-8", "/mnt/Öd", Some("utf-8")),
        ("UTF-8", "/mnt/海", Some("utf-8")),
        ("windows-1252", "/mnt/Öd", Some("windows-1252")),
        ("Windows-1252", "/mnt/Öd – zwei", Some("windows-1252")),
        ("windows-1251", "/mnt/Мир", Some("windows-1251")),
        ("koi8-r", "/mnt/Мир", Some("koi8-r")),
        ("ISO-8859-2", "/mnt/Kůň", Some("iso-8859-2")),
        // The page has no sign for it, or the name may mean less than the page has.
        ("windows-1251", "/mnt/海", None),
        ("windows-1252", "/mnt/Мир", None),
        ("iso-8859-1", "/mnt/Öd", None),
        ("us-ascii", "/mnt/Öd", None),
        ("shift_jis", "/mnt/海", None),
        ("iso-8859-1", "/mnt/plain", Some("utf-8")),
        ("us-ascii", "/mnt/plain", Some("utf-8")),
    ] {
        let now = said(Format::Xml, &xml(label, "/g/Fen"), "$.a['@at']", new);
        let wanted = page.map(|page| {
            let page = encoding_rs::Encoding::for_label(page.as_bytes()).unwrap();
            page.encode(&xml(label, new)).0.into_owned()
        });
        assert_eq!(now, wanted, "{label} {new}");
        // What was written is read again, and goes back.
        let Some(now) = now else { continue };
        let document = parsed(&now, Format::Xml);
        let place = document.find_one("$.a['@at']").unwrap();
        assert_eq!(document.leaf(&place, Side::Value).as_deref(), Some(new), "{label}");
        assert_eq!(document.replace(&place, Side::Value, "/g/Fen", None).unwrap(), xml(label, "/g/Fen").into_bytes());
    }
    // A format that is Unicode is that, whatever it speaks of.
    let json = "{\"type\": \"text/plain; charset=windows-1251\", \"at\": \"/g/Fen\"}";
    assert_eq!(said(Format::Json, json, "$.at", "/mnt/Мир"), Some(json.replace("/g/Fen", "/mnt/Мир").into_bytes()));
    let toml = "# coding: latin1\nat = \"/g/Fen\"\n";
    assert_eq!(said(Format::Toml, toml, "$.at", "/mnt/Öd"), Some(toml.replace("/g/Fen", "/mnt/Öd").into_bytes()));
    // Elsewhere a word that names a page may mean anything: then there are no new letters.
    let ini = "; coding: windows-1251\n[a]\nat=/g/Fen\n";
    assert_eq!(said(Format::Ini, ini, "$.a.at", "/mnt/Мир"), None);
    assert_eq!(said(Format::Ini, ini, "$.a.at", "/mnt/x"), Some(ini.replace("/g/Fen", "/mnt/x").into_bytes()));
}

/// A text without a mark tells its encoding by what it holds. What is left of one that is changed may tell another: then it is not changed.
#[test]
fn nothing_is_written_that_would_be_read_in_another_encoding() {
    let wide = |text: &str| text.encode_utf16().flat_map(u16::to_le_bytes).collect::<Vec<u8>>();
    let changed = |bytes: &[u8], old: &str, new: &str| {
        let document = parsed(bytes, Format::Lines);
        let places = document.children(&Place::default()).unwrap();
        let place = places.iter().find(|place| document.leaf(place, Side::Value).as_deref() == Some(old)).unwrap();
        document.replace(place, Side::Value, new, None).ok()
    };
    let two = wide("/g/Fen\r\n/g/Moor\r\n");
    assert_eq!(changed(&two, "/g/Fen", "/mnt/海"), Some(wide("/mnt/海\r\n/g/Moor\r\n")));
    // Four bytes with two zeros are no wide text to anybody.
    assert_eq!(changed(&wide("/g/Fen\r\n"), "/g/Fen", ""), None);
    // What is left besides is UTF-8 by chance.
    let (mixed, _, _) = encoding_rs::WINDOWS_1251.encode("/g/Долгая дорога и война\nГ–\n");
    assert_eq!(changed(&mixed, "/g/Долгая дорога и война", "/new/Fen"), None);
    let (plain, _, _) = encoding_rs::WINDOWS_1251.encode("/g/Долгая дорога и война\nмир\n");
    let (wanted, _, _) = encoding_rs::WINDOWS_1251.encode("/new/Fen\nмир\n");
    assert_eq!(changed(&plain, "/g/Долгая дорога и война", "/new/Fen"), Some(wanted.into_owned()));
}
