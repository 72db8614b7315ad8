//! The one JSON document of a command.

use serde_json::Value;

use super::text::is_unseen;

/// A JSON document as text. Characters that nobody would see stand in it as escapes, which every reader turns back into them.
pub fn json_text(value: &Value) -> String {
    let text = serde_json::to_string_pretty(value).unwrap_or_default();
    if !text.chars().any(|c| is_unseen(c) || matches!(c, '\u{7f}'..='\u{9f}')) {
        return text;
    }
    let mut out = String::with_capacity(text.len());
    for c in text.chars() {
        // They stand in strings alone, and all of them are in the first plane.
        if is_unseen(c) || matches!(c, '\u{7f}'..='\u{9f}') {
            out.push_str(&format!("\\u{:04x}", u32::from(c)));
        } else {
            out.push(c);
        }
    }
    out
}

/// A document: `value` with its format and kind at the front.
pub fn document(kind: &str, value: Value) -> Value {
    let mut document = serde_json::Map::new();
    document.insert("format".into(), 3.into());
    document.insert("kind".into(), kind.into());
    match value {
        Value::Object(fields) => document.extend(fields),
        other => {
            document.insert(kind.into(), other);
        }
    }
    let mut document = Value::Object(document);
    without_contents(&mut document);
    document
}

/// Takes what record files hold beside paths out of a document: a launcher's entry may hold what is nobody else's business.
pub(crate) fn without_contents(value: &mut Value) {
    let kind = |fields: &serde_json::Map<String, Value>, name: &str| {
        fields.get(name).and_then(Value::as_str).map(str::to_string)
    };
    match value {
        Value::Array(all) => all.iter_mut().for_each(without_contents),
        Value::Object(fields) => {
            let (edit, shown) = (kind(fields, "edit"), kind(fields, "kind"));
            let whole_files = edit.as_deref() == Some("made");
            let entries = ["arrives", "leaves", "file-made", "file-goes", "library-known"];
            let place = fields.contains_key("location");
            let whole = place && shown.is_some_and(|kind| entries.contains(&kind.as_str()));
            for (name, value) in fields.iter_mut() {
                let hidden = match name.as_str() {
                    "written" => place,
                    "entry" | "made" => edit.is_some() && !matches!(value, Value::Array(_)),
                    "old" | "new" => whole_files,
                    "before" | "after" => whole,
                    _ => false,
                };
                match value {
                    value if hidden => *value = Value::Null,
                    // The file of a library that is made, and what it holds.
                    Value::Array(made) if name == "made" && edit.is_some() => made.truncate(1),
                    value => without_contents(value),
                }
            }
        }
        _ => {}
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn documents_hold_the_paths_of_records_and_nothing_else_of_their_files() {
        let secret = "token-5417";
        let edits = serde_json::json!([
            {"edit": "enter", "file": "/a", "id": "1", "entry": secret},
            {"edit": "register", "file": "/a", "entry": secret, "made": ["/lib/list.json", secret]},
            {"edit": "made", "file": "/a", "old": null, "new": secret},
            {"edit": "replace", "file": "/a", "location": "$.x", "old": "/o", "new": "/n", "written": [secret, null]},
            {"edit": "travel", "from": "/a", "to": "/b", "rewrites": [{"location": "$.x", "old": "/o", "new": "/n", "written": [secret, secret]}]},
        ]);
        let previews = serde_json::json!([
            {"kind": "arrives", "location": "$.list", "before": "", "after": secret},
            {"kind": "replaced", "location": "$.x", "before": "/o", "after": "/n"},
        ]);
        let mut document = serde_json::json!({"kind": "plan", "items": [{"edits": edits, "previews": previews}], "written": 5, "after": [1]});
        without_contents(&mut document);
        let text = document.to_string();
        assert!(!text.contains(secret), "{text}");
        for kept in ["/lib/list.json", "\"/o\"", "\"/n\"", "\"written\":5", "\"after\":[1]"] {
            assert!(text.contains(kept), "{kept}: {text}");
        }
    }
}
