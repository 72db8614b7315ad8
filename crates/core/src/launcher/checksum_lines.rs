//! Lines of hashes and paths: what checksum programs write, and launchers keep as content lists.

use serde::{Deserialize, Serialize};

/// What stands in a column of such a line.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Column {
    /// The hash, in hexadecimal digits.
    Hash,
    /// The path: whatever the columns before and behind it leave, blanks and all.
    Path,
    /// Bytes of the file.
    Size,
    /// Something else.
    Other,
}

/// A line that was read.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ChecksumLine<'a> {
    /// The path, as it is written.
    pub path: std::borrow::Cow<'a, str>,
    /// The hash.
    pub hash: &'a str,
    /// Bytes, if a column says them.
    pub size: Option<&'a str>,
}

/// Signs between columns.
const BETWEEN: [char; 5] = [' ', '\t', ',', ';', '|'];

/// Reads a line with these columns, or with a name of the hash before the path in brackets; `None` where it is none.
pub fn read_checksum_line<'a>(line: &'a str, columns: &[Column]) -> Option<ChecksumLine<'a>> {
    // A sign before the hash says that line ends and backslashes in the path are escaped.
    let (escaped, line) = match line.strip_prefix('\\') {
        Some(rest) => (true, rest),
        None => (false, line),
    };
    let line = line.trim_end_matches(['\r', '\n']);
    let (path, hash, size) =
        by_name(line).map(|(path, hash)| (path, hash, None)).or_else(|| by_columns(line, columns))?;
    let path = if escaped { path.replace("\\n", "\n").replace("\\\\", "\\").into() } else { path.into() };
    (!hash.is_empty()).then_some(ChecksumLine { path, hash, size })
}

/// Whether a line says nothing of a file.
pub fn is_checksum_remark(line: &str) -> bool {
    let line = line.trim();
    line.is_empty() || ["#", ";", "//"].iter().any(|sign| line.starts_with(sign))
}

/// `NAME (path) = hash`.
fn by_name(line: &str) -> Option<(&str, &str)> {
    let (name, rest) = line.split_once(" (")?;
    let (path, hash) = rest.rsplit_once(") = ")?;
    let is_name = !name.is_empty() && name.chars().all(|c| c.is_ascii_alphanumeric() || "-_/".contains(c));
    let hex = |hash: &str| !hash.is_empty() && hash.chars().all(|c| c.is_ascii_hexdigit());
    (is_name && !path.is_empty() && hex(hash.trim())).then(|| (path, hash.trim()))
}

fn by_columns<'a>(line: &'a str, columns: &[Column]) -> Option<(&'a str, &'a str, Option<&'a str>)> {
    let at = columns.iter().position(|column| *column == Column::Path)?;
    let mut rest = line.trim_start_matches(BETWEEN);
    let (mut hash, mut size) = ("", None);
    let mut keep = |column: &Column, text: &'a str| match column {
        Column::Hash => hash = text,
        Column::Size => size = Some(text),
        Column::Path | Column::Other => {}
    };
    for column in &columns[..at] {
        let end = rest.find(BETWEEN)?;
        keep(column, unquoted(&rest[..end]));
        rest = rest[end..].trim_start_matches(BETWEEN);
    }
    for column in columns[at + 1..].iter().rev() {
        let whole = rest.trim_end_matches(BETWEEN);
        let start = whole.rfind(BETWEEN)?;
        keep(column, unquoted(&whole[start + 1..]));
        rest = &whole[..start];
    }
    let path = if at + 1 < columns.len() { rest.trim_end_matches(BETWEEN) } else { rest };
    let path = unquoted(path.strip_prefix('*').filter(|_| at > 0).unwrap_or(path));
    (!path.is_empty()).then_some((path, hash, size))
}

fn unquoted(text: &str) -> &str {
    text.strip_prefix('"').and_then(|text| text.strip_suffix('"')).unwrap_or(text)
}

#[cfg(test)]
mod tests {
    use super::*;
    use Column::{Hash, Path, Size};

    #[test]
    fn lines_of_all_kinds_are_read() {
        for (line, columns, path, hash, size) in [
            ("00ff  data/all.pak", &[Hash, Path][..], "data/all.pak", "00ff", None),
            ("00ff *data/a b.pak\r", &[Hash, Path], "data/a b.pak", "00ff", None),
            ("\\00ff  data/a\\\\b\\nc", &[Hash, Path], "data/a\\b\nc", "00ff", None),
            ("MD5 (data/a (1).pak) = 00ff", &[Hash, Path], "data/a (1).pak", "00ff", None),
            ("SHA2-256 (a) = 00FF", &[Hash, Path], "a", "00FF", None),
            ("data/a b.pak 00ff", &[Path, Hash], "data/a b.pak", "00ff", None),
            ("00ff 12 data/7 b.pak", &[Hash, Size, Path], "data/7 b.pak", "00ff", Some("12")),
            ("12,00ff,\"data/b, c.pak\"", &[Size, Hash, Path], "data/b, c.pak", "00ff", Some("12")),
            ("data/x;12;00ff", &[Path, Size, Hash], "data/x", "00ff", Some("12")),
            ("\"data/x y\" | 12 | 00ff", &[Path, Size, Hash], "data/x y", "00ff", Some("12")),
        ] {
            let read = read_checksum_line(line, columns).unwrap_or_else(|| panic!("{line}"));
            assert_eq!((read.path.as_ref(), read.hash, read.size), (path, hash, size), "{line}");
        }
        for line in ["MD5 () = 00ff", "\\05 () = 00f"] {
            let read = read_checksum_line(line, &[Hash, Path]);
            assert!(read.is_none_or(|read| !read.path.is_empty()), "{line:?}");
        }
        for line in ["", "00ff", "00ff  "] {
            assert_eq!(read_checksum_line(line, &[Hash, Path]), None, "{line:?}");
        }
        assert!(["", "  ", "# made by hand", "; x", "// y"].into_iter().all(is_checksum_remark));
    }
}
