use super::super::formats::scan;
use super::*;
use crate::record::formats::Format;

fn tree(text: &str) -> Tree {
    let mut builder = Builder::default();
    assert_eq!(scan(text, Format::Json, &mut builder), Ok(()));
    builder.done()
}

#[test]
fn an_edit_that_changes_another_node_is_seen_in_both_ways_of_looking() {
    let old = "{\"a\":\"x\",\"b\":\"y\",\"c\":[1]}";
    let span = 5..8;
    for (new, same) in [
        ("{\"a\":\"long\",\"b\":\"y\",\"c\":[1]}", true),
        ("{\"a\":\"long\",\"b\":707,\"c\":[1]}", false),
        ("{\"a\":\"long\",\"b\":\"y\",\"c\":{}} ", false),
        ("{\"a\":\"long\",\"bb\":\"\",\"c\":[1]}", false),
        ("{\"a\":\"long\",\"b\":\"y\",\"c\":1  }", false),
    ] {
        let edit = TreeEdit { spans: std::slice::from_ref(&span), length: 6, node: 1 };
        let before = tree(old);
        assert_eq!(before.same_after(&tree(new), edit), same, "{new}");
        let mut like = Builder::like(&before, edit);
        assert_eq!(scan(new, Format::Json, &mut like), Ok(()));
        assert_eq!(like.edited().is_some(), same, "{new}");
    }
}
