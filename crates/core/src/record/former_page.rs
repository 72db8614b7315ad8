//! The code page that a text was in before it was changed.
//!
//! Law: only letters that the text had are written in it, for of the others nobody knows what their bytes are.

use std::collections::BTreeSet;

use super::encoding::Encoding;

/// The code page that a text was in before it was changed, with letters that it had: these can be written again, also where
/// nothing in the file tells the page any more.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FormerPage {
    pub(crate) page: Encoding,
    /// Each once, in order.
    pub(crate) letters: String,
}

impl FormerPage {
    /// That of a text; `None` of one in Unicode.
    pub(crate) fn of_text(page: Encoding, text: &str) -> Option<Self> {
        let letters: BTreeSet<char> = text.chars().filter(|c| !c.is_ascii()).collect();
        page.is_page().then(|| Self { page, letters: letters.into_iter().collect() })
    }

    /// That of bytes.
    pub(crate) fn of_bytes(bytes: &[u8]) -> Option<Self> {
        if std::str::from_utf8(bytes).is_ok() {
            return None;
        }
        let (page, text) = Encoding::read(bytes.to_vec()).ok()?;
        Self::of_text(page, &text)
    }
}
