use super::*;

/// Texts with two libraries, their format, the list, and a new one.
const TEXTS: [(&str, Format, &str, &str); 33] = [
    ("{\"all\": [{\"at\": \"/a\"}, {\"at\": \"/b\"}]}", Format::Json, "$.all", "{\"at\": \"/n\"}"),
    ("{\n  \"all\": [\n    {\"at\": \"/a\"}\n  ]\n}\n", Format::Json, "$.all", "{\"at\": \"/n\"}"),
    ("{\"all\": {\"0\": {\"at\": \"/a\"}}}", Format::Json, "$.all", "\"1\": {\"at\": \"/n\"}"),
    ("<r>\n  <l at=\"/a\"/>\n  <l at=\"/b\"/>\n</r>\n", Format::Xml, "$.r.l", "<l at=\"/n\"/>"),
    ("all {\n  0 {\n    at = \"/a\";\n  }\n}\n", Format::Nested, "$.all", "1 {\n    at = \"/n\";\n  }"),
    (
        "all {\n  0 { at = \"/a\"; } # one\n  1 { at = \"/b\"; } # two\n}\n",
        Format::Nested,
        "$.all",
        "2 { at = \"/n\"; }",
    ),
    (
        "\"all\"\n{\n\t\"0\"\n\t{\n\t\t\"at\" \"/a\"\n\t}\n}\n",
        Format::Nested,
        "$.all",
        "\"1\"\n\t{\n\t\t\"at\" \"/n\"\n\t}",
    ),
    ("v: 1\nall:\n  - at: /a\n    n: 1\n  - at: /b\n    n: 2\nz: 3\n", Format::Yaml, "$.all", "at: /n\n    n: 3"),
    (
        "v = 1\n\n[[l]]\nat = \"/a\"\n\n[[l]]\nat = \"/b\"\nn = 2\n\n[z]\nx = 1\n",
        Format::Toml,
        "$.l",
        "[[l]]\nat = \"/n\"",
    ),
    ("[[a.l]]\nat = \"/a\"\n[a.l.in]\nx = 1\n# why\n[z]\nx = 1\n", Format::Toml, "$.a.l", "[[a.l]]\nat = \"/n\""),
    ("v = 1\nall = [\"/a\"]\n", Format::Toml, "$.all", "\"/n\""),
    ("all = [\n  \"/a\",\n  \"/b\", # two\n]\n", Format::Toml, "$.all", "\"/n\""),
    ("all = [{at = \"/a\"}, {at = \"/b\"}]\n", Format::Toml, "$.all", "{at = \"/n\"}"),
    ("[all]\n0 = \"/a\"\n1 = \"/b\"\n\n[z]\nx = 1\n", Format::Toml, "$.all", "2 = \"/n\""),
    ("[all]\n0=/a\n1=/b\n\n[z]\nx=1\n", Format::Ini, "$.all", "2=/n"),
    ("x=0\n[all]\nl0 = /a\n", Format::Ini, "$.all", "l1 = /n"),
    ("[l 1]\nat=/a\n\n# two\n[l 2]\nat=/b\n", Format::Ini, "$", "[l 3]\nat=/n"),
    ("x=1\n[o]\ny = 2\n[l0]\nat = /a\n", Format::Ini, "$", "[l1]\nat = /n"),
    ("[l1]\nat=/a\n; the end\n", Format::Ini, "$", "[l2]\nat=/n"),
    (
        "WINE REGISTRY Version 2\n\n[S\\\\1] 17\n#time=1\n\"at\"=\"/a\"\n\n[S\\\\2] 17\n\"at\"=\"/b\"\n\n",
        Format::Hive,
        "$",
        "[S\\\\3] 17\n\"at\"=\"/n\"",
    ),
    ("all:\n- at: '/a'\n# why\n- at: '/b'\n", Format::Yaml, "$.all", "at: '/n'"),
    ("all:\n  - /a\n  - /b\n", Format::Yaml, "$.all", "/n"),
    ("all:\n  0:\n    at: /a\n  1:\n    at: /b\n", Format::Yaml, "$.all", "2:\n    at: /n"),
    ("/a\n/b\n", Format::Lines, "$", "/n"),
    ("/a", Format::Lines, "$", "/n"),
    ("# where\n/a\n", Format::Lines, "$", "/n"),
    ("nr,at\n1,/a\n2,/b\n", Format::Table, "$", "3,/n"),
    ("nr;at;why\n\"1\";\"/a\";", Format::Table, "$", "\"2\";\"/n\";"),
    ("nr\tat\twhy\n1\t/a\t\n# two\n2\t/b\t\n", Format::Table, "$", "3\t/n\t"),
    ("1|/a\n2|/b\n3|/c\n", Format::Table, "$", "4|/n"),
    (
        "<plist version=\"1.0\">\n<dict>\n  <key>all</key>\n  <array>\n    <string>/a</string>\n    <string/>\n  </array>\n</dict>\n</plist>\n",
        Format::PropertyList,
        "$.all",
        "<string>/n</string>",
    ),
    (
        "<plist><dict><key>all</key><array><dict><key>at</key><string>/a</string></dict></array></dict></plist>",
        Format::PropertyList,
        "$.all",
        "<dict><key>at</key><string>/n</string></dict>",
    ),
    (
        "<plist>\n<dict>\n\t<key>1</key>\n\t<string>/a</string>\n\t<key>2</key>\n\t<string><![CDATA[/b]]></string>\n</dict>\n</plist>\n",
        Format::PropertyList,
        "$",
        "<key>3</key>\n\t<string>/n</string>",
    ),
];

#[test]
fn an_entry_that_comes_and_goes_leaves_every_other_byte_as_it_is() {
    for (text, format, list, entry) in TEXTS {
        for end in ["\n", "\r\n"].into_iter().take(if text.contains('\n') { 2 } else { 1 }) {
            let (text, entry) = (text.replace('\n', end), entry.replace('\n', end));
            let document = Document::parse(text.clone().into_bytes(), format).unwrap();
            let at = document.find_one(list).unwrap();
            let bytes = document.append(&at, None, &entry).unwrap_or_else(|why| panic!("{text:?}: {why}"));
            let now = Document::parse(bytes, format).unwrap();
            let (before, after) = (document.children(&at).unwrap(), now.children(&at).unwrap());
            assert_eq!(after.len(), before.len() + 1, "{text:?}");
            let same = |place: &Place| place.of(document.value()) == place.of(now.value());
            assert!(before.iter().all(same), "{text:?}");
            assert!(now.text().contains("/n"), "{text:?}");
            for line in text.lines() {
                let line = line.strip_suffix("</array></dict></plist>").unwrap_or(line);
                assert!(
                    now.text().contains(line.trim_end_matches([',', ']', '}'])),
                    "{text:?}: {line:?} is gone from {:?}",
                    now.text()
                );
            }
            assert_eq!(
                now.text().matches("\r\n").count(),
                now.text().matches('\n').count() * (end.len() - 1),
                "{:?}",
                now.text()
            );
            let back = now.remove(&at, before.len()).unwrap_or_else(|why| panic!("{:?}: {why}", now.text()));
            assert_eq!(String::from_utf8(back).unwrap(), text);
        }
    }
}

#[test]
fn the_last_entry_of_a_list_of_yaml_leaves_brackets_and_comes_back_on_lines_of_its_own() {
    for text in [
        "a:\n  - n: 1\n    g:\n    - x: 1\n      y: 2\n    z: 1\n  - n: 2\n    g:\n    - x: 3\n      y: 4\n    z: 2\n",
        "a:\n  - n: 1\n    g:\n      - one\n  - n: 2\n    g:\n      - two\nend: 1\n",
        "a:\n  - n: 1\n    g:\n      k1:\n        x: 1\n  - n: 2\n    g:\n      k2:\n        x: 2\n",
        "a:\n  - {n: 1, g: [one]}\n  - {n: 2, g: [two]}\n",
    ] {
        for text in [text.to_string(), text.replace('\n', "\r\n")] {
            let document = Document::parse(text.clone().into_bytes(), Format::Yaml).unwrap();
            let [from, to] = [0, 1].map(|n| Place::read(&format!("$['a'][{n}]['g']")).unwrap());
            let both = document.append_like(&to, (&from, 0)).unwrap_or_else(|why| panic!("{text:?}: {why}"));
            let both = Document::parse(both, Format::Yaml).unwrap();
            let moved = Document::parse(both.remove(&from, 0).unwrap(), Format::Yaml).unwrap();
            assert_eq!(moved.children(&from).unwrap().len(), 0, "{}", moved.text());
            assert_eq!(moved.children(&to).unwrap().len(), 2, "{}", moved.text());
            let both = Document::parse(moved.append_like(&from, (&to, 1)).unwrap(), Format::Yaml).unwrap();
            assert_eq!(String::from_utf8(both.remove(&to, 1).unwrap()).unwrap(), text);
        }
    }
}

#[test]
fn an_element_comes_into_one_that_has_none_of_its_name_and_goes_again() {
    for (to, says) in [
        ("<l at=\"/b\"/>", "<l at=\"/b\">\n    <g n=\"1\"/>\n  </l>"),
        ("<l at='/>/b' />", "<l at='/>/b'>\n    <g n=\"1\"/>\n  </l>"),
        ("<l at=\"/b\"></l>", "<l at=\"/b\">\n    <g n=\"1\"/>\n  </l>"),
        ("<l at=\"/b\">\n  </l>", "<l at=\"/b\">\n    <g n=\"1\"/>\n  </l>"),
        ("<l>\n    <at>/b</at>\n  </l>", "<l>\n    <at>/b</at>\n    <g n=\"1\"/>\n  </l>"),
        ("<l><at>/b</at></l>", "<l><at>/b</at>\n    <g n=\"1\"/></l>"),
    ] {
        for end in ["\n", "\r\n"] {
            let text = format!("<r>\n  <l at=\"/a\">\n    <g n=\"1\"/>\n    <g n=\"2\"/>\n  </l>\n  {to}\n</r>\n");
            let document = Document::parse(text.replace('\n', end).into_bytes(), Format::Xml).unwrap();
            let [from, at] = ["$['r']['l'][0]['g']", "$['r']['l'][1]['g']"].map(|at| Place::read(at).unwrap());
            let now = document.append_like(&at, (&from, 0)).unwrap_or_else(|why| panic!("{text}: {why}"));
            let now = Document::parse(now, Format::Xml).unwrap();
            assert_eq!(now.text(), text.replace(to, says).replace('\n', end));
            let back = Document::parse(now.remove(&at, 0).unwrap(), Format::Xml).unwrap();
            assert_eq!(back.value(), document.value(), "{}", back.text());
            assert_eq!(back.text().contains("\r\n"), end == "\r\n");
        }
    }
}

#[test]
fn an_entry_that_leaves_from_anywhere_leaves_the_others_and_what_stands_between_them() {
    for (text, format, list, _) in TEXTS {
        let document = Document::parse(text.as_bytes().to_vec(), format).unwrap();
        let at = document.find_one(list).unwrap();
        let children = document.children(&at).unwrap();
        for nth in 0..children.len() {
            // What has no other entry may be refused; what is made has to be right.
            let Ok(bytes) = document.remove(&at, nth) else {
                assert_eq!(children.len(), 1, "{text:?}: {nth}");
                continue;
            };
            let now = Document::parse(bytes, format).unwrap();
            assert_eq!(
                now.children(&at).map_or(0, |all| all.len()),
                children.len() - 1,
                "{text:?}: {:?} {}",
                now.text(),
                now.value()
            );
            // Among plain lines a comment is a line like the others.
            for word in ["# why", "z: 3"] {
                assert_eq!(now.text().contains(word), text.contains(word), "{text:?}: {:?}", now.text());
            }
        }
    }
}
