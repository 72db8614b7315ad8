//! What a nested text lets on of how its writer writes.

/// Signs that may begin a comment to the end of its line.
pub(super) const COMMENTS: [&str; 4] = ["//", "--", "#", ";"];

/// What a text lets on of how its writer writes.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub(super) struct Dialect {
    /// The sign between a name and its value, where most lines have one.
    pub separator: Option<u8>,
    /// The sign behind a value, where most lines have one.
    pub end: Option<u8>,
    /// Which of [`COMMENTS`] begin a line.
    pub comments: [bool; 4],
    /// Whether a backslash escapes in quotes.
    pub escapes: bool,
}

impl Dialect {
    pub fn of(text: &str) -> Self {
        let (mut equals, mut colons, mut plain) = (0, 0, 0);
        let (mut semicolons, mut commas, mut values) = (0, 0, 0);
        let mut comments = [false; 4];
        for (_, line) in super::super::ini::lines(text) {
            let line = line.trim();
            if let Some(n) = COMMENTS.iter().position(|sign| line.starts_with(sign)) {
                comments.iter_mut().skip(n).take(1).for_each(|seen| *seen = true);
                continue;
            }
            let body = line.trim_end_matches([';', ',']);
            if body.is_empty() || matches!(body, "{" | "}" | "[" | "]" | "(" | ")") {
                continue;
            }
            let opens = line.ends_with(['{', '[', '(']);
            if !opens {
                values += 1;
                semicolons += usize::from(line.ends_with(';'));
                commas += usize::from(line.ends_with(','));
            }
            match separator_of(line) {
                Some(b'=') => equals += 1,
                Some(_) => colons += 1,
                None if !opens => plain += 1,
                None => {}
            }
        }
        let most = |n: usize| n > 0 && n * 2 >= values;
        let separator = match (equals, colons) {
            (n, m) if n >= m && n > 0 && n >= plain => Some(b'='),
            (_, m) if m > 0 && m >= plain => Some(b':'),
            _ => None,
        };
        let end = if most(semicolons) {
            Some(b';')
        } else if most(commas) {
            Some(b',')
        } else {
            None
        };
        Self { separator, end, comments, escapes: escapes(text) }
    }
}

/// The sign behind the first word of a line.
fn separator_of(line: &str) -> Option<u8> {
    let rest = match line.as_bytes().first()? {
        quote @ (b'"' | b'\'') => line[1..].split_once(char::from(*quote)).map(|(_, rest)| rest)?,
        b'[' => line.split_once(']').map(|(_, rest)| rest)?,
        // A name may be of several words.
        _ => line.find(|c: char| !c.is_alphanumeric() && !"_-. \t".contains(c)).map(|at| &line[at..])?,
    };
    match rest.trim_start().as_bytes() {
        [b'=', ..] => Some(b'='),
        [b':', next, ..] if !matches!(next, b'\\' | b'/') => Some(b':'),
        [b':'] => Some(b':'),
        _ => None,
    }
}

/// Whether a backslash escapes in quotes: not where one stands before what no escape has, or a drive letter's path has single ones.
fn escapes(text: &str) -> bool {
    let bytes = text.as_bytes();
    let mut at = 0;
    while let Some(found) = text[at..].find('\\') {
        let here = at + found;
        let drive = matches!(bytes.get(..here), Some([.., letter, b':']) if letter.is_ascii_alphabetic());
        match bytes.get(here + 1) {
            Some(b'\\') => at = here + 2,
            Some(b'"') if !drive => at = here + 2,
            Some(b'\'' | b'n' | b't' | b'r' | b'0' | b'b' | b'f' | b'a' | b'v' | b'/' | b'u' | b'x') if !drive => {
                at = here + 2;
            }
            _ => return false,
        }
    }
    true
}
