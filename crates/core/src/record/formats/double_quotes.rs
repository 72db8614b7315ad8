//! Text between double quotes in which a backslash escapes.

/// The text as it stands between double quotes where a backslash escapes; `by_number` gives what has no escape of its own and needs one.
pub(super) fn escaped_in_double_quotes(new: &str, by_number: impl Fn(char) -> Option<String>) -> String {
    let mut out = String::with_capacity(new.len() + 2);
    for c in new.chars() {
        match c {
            '"' => out.push_str("\\\""),
            '\\' => out.push_str("\\\\"),
            '\n' => out.push_str("\\n"),
            '\r' => out.push_str("\\r"),
            '\t' => out.push_str("\\t"),
            c => match by_number(c) {
                Some(escape) => out.push_str(&escape),
                None => out.push(c),
            },
        }
    }
    out
}
