//! Names as bytes: UTF-8 where they are text, and else the generalised UTF-8 of the standard library, in which a lone surrogate has
//! three bytes of its own.

use std::ffi::OsString;
use std::os::windows::ffi::OsStringExt;
use std::path::Path;

/// Characters that the system itself refuses in names ("Naming Files, Paths, and Namespaces").
pub(crate) const FORBIDDEN: &str = "\"*/:<>?\\|";

/// Whether names of other cases are the same names on every drive.
pub(crate) const FOLDS_CASE: bool = true;

/// A path that is written with `/`, as this system writes it.
pub(crate) fn with_own_separators(path: String) -> String {
    let mut out = String::with_capacity(path.len());
    for c in path.chars() {
        // The top of a drive has a separator already; two of them begin the name of a share.
        if !"/\\".contains(c) {
            out.push(c);
        } else if out.len() < 2 || !out.ends_with('\\') {
            out.push('\\');
        }
    }
    out
}

/// A path as templates are written, with `/`.
pub(crate) fn in_template(path: &Path) -> String {
    path.to_string_lossy().replace('\\', "/")
}

/// The name that has these bytes. Bytes that no name has give U+FFFD in their place.
pub(crate) fn name_of(bytes: Vec<u8>) -> OsString {
    match String::from_utf8(bytes) {
        Ok(text) => text.into(),
        Err(error) => OsString::from_wide(&units(error.as_bytes())),
    }
}

/// Reads UTF-8 in which surrogates may stand alone.
fn units(bytes: &[u8]) -> Vec<u16> {
    let (mut out, mut rest) = (Vec::with_capacity(bytes.len()), bytes);
    while !rest.is_empty() {
        if let [0xed, second @ 0xa0..=0xbf, third @ 0x80..=0xbf, behind @ ..] = rest {
            out.push(0xd000 | u16::from(second & 0x3f) << 6 | u16::from(third & 0x3f));
            rest = behind;
            continue;
        }
        let valid = match std::str::from_utf8(rest) {
            Ok(text) => text,
            Err(error) => std::str::from_utf8(rest.get(..error.valid_up_to()).unwrap_or_default()).unwrap_or_default(),
        };
        out.extend(valid.encode_utf16());
        rest = rest.get(valid.len()..).unwrap_or_default();
        if valid.is_empty() {
            out.push(0xfffd);
            rest = rest.get(1..).unwrap_or_default();
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::platform::NameBytes;

    #[test]
    fn every_name_comes_back_from_its_bytes() {
        for wide in [
            vec![0x61, 0x62],
            vec![0xd800],
            vec![0x61, 0xdfff, 0x62],
            vec![0xd83d, 0xde00],
            vec![0xde00, 0xd83d],
            vec![0x2028, 0xfeff, 0xffff],
        ] {
            let name = OsString::from_wide(&wide);
            assert_eq!(name_of(name.name_bytes().to_vec()), name, "{wide:x?}");
        }
        assert_eq!(name_of(b"a\xffb".to_vec()), OsString::from("a\u{fffd}b"));
    }
}
