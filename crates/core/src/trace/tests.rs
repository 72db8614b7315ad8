#[test]
fn rows_with_a_document_in_them_are_rows_and_nested_text_with_tabs_is_none() {
    let folder = tempfile::tempdir().unwrap();
    let first = |name: &str, text: &str| {
        let file = folder.path().join(name);
        std::fs::write(&file, text).unwrap();
        super::formats::shapes(&file).first().map(ToString::to_string).unwrap()
    };
    let rows = "code\tat\tmore\nk1\t/a/b c\t{\"v\":1,\"in\":\"/a/b c\"}\nk2\t/a/d\t{\"v\":1,\"in\":\"/a/d\"}\n";
    assert_eq!(first("rows.txt", rows), "table");
    for nested in [
        "version\t\t2\nname\t\t\"Kite\"\nseat\t\t\"/a\"\ngames\t{\n\tfen\t{\n\t\tat\t\"/a/Fen\"\n\t}\n}\n",
        "games\t\t{\n\t\"at\"\t\t\"/a/Fen\"\n}\n",
        "a { b = 1, c = 2 }\nd { b = 1, c = 2 }\n",
    ] {
        assert_eq!(first("nested.txt", nested), "nested", "{nested}");
    }
}
