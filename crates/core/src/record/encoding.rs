//! How a record file's text is held in bytes: UTF-8, UTF-16 and UTF-32, each with or without a byte-order mark, windows-1252, or another code page.
//!
//! Law: what is read and written back is the same bytes; what cannot be is not read at all. Without a mark the bytes decide.

use encoding_rs::WINDOWS_1252;

use super::code_page::CodePage;

const MARK: &[u8] = b"\xef\xbb\xbf";

/// The encoding of a text file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub enum Encoding {
    /// UTF-8.
    #[default]
    Utf8,
    /// UTF-8 behind a byte-order mark.
    Utf8Marked,
    /// UTF-16, low byte first, behind its mark.
    Utf16Le,
    /// UTF-16, high byte first, behind its mark.
    Utf16Be,
    /// UTF-16, low byte first, without a mark.
    Utf16LeBare,
    /// UTF-16, high byte first, without a mark.
    Utf16BeBare,
    /// UTF-32, low byte first, behind its mark.
    Utf32Le,
    /// UTF-32, high byte first, behind its mark.
    Utf32Be,
    /// UTF-32, low byte first, without a mark.
    Utf32LeBare,
    /// UTF-32, high byte first, without a mark.
    Utf32BeBare,
    /// One byte a character, as windows-1252 has them (WHATWG Encoding Standard). Text in another code page that has ASCII is kept byte
    /// for byte, too: what is not ASCII in it is never written anew.
    Windows1252,
    /// Another code page, which the file declares or its bytes tell.
    Other(CodePage),
    /// No text: every byte stands for the character of its number.
    Bytes,
}

/// The first byte that is not text in the encoding that the file begins with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NotText {
    /// How many bytes are good.
    pub valid: usize,
}

/// Bytes of a text without a mark from which on its zeros tell that it is wide.
const FEWEST: usize = 8;

impl Encoding {
    /// All of them.
    #[cfg(test)]
    pub(crate) const ALL: [Self; 11] = [
        Self::Utf8,
        Self::Utf8Marked,
        Self::Utf16Le,
        Self::Utf16Be,
        Self::Utf16LeBare,
        Self::Utf16BeBare,
        Self::Utf32Le,
        Self::Utf32Be,
        Self::Utf32LeBare,
        Self::Utf32BeBare,
        Self::Windows1252,
    ];

    /// The bytes behind the mark.
    fn unmarked(self, bytes: &[u8]) -> &[u8] {
        bytes.strip_prefix(self.mark()).unwrap_or(bytes)
    }

    fn mark(self) -> &'static [u8] {
        match self {
            Self::Utf8Marked => MARK,
            Self::Utf16Le => b"\xff\xfe",
            Self::Utf16Be => b"\xfe\xff",
            Self::Utf32Le => b"\xff\xfe\0\0",
            Self::Utf32Be => b"\0\0\xfe\xff",
            _ => b"",
        }
    }

    /// Bytes of the unit of a wide encoding, and whether the low one is first.
    fn unit(self) -> Option<(usize, bool)> {
        match self {
            Self::Utf16Le | Self::Utf16LeBare => Some((2, true)),
            Self::Utf16Be | Self::Utf16BeBare => Some((2, false)),
            Self::Utf32Le | Self::Utf32LeBare => Some((4, true)),
            Self::Utf32Be | Self::Utf32BeBare => Some((4, false)),
            Self::Utf8 | Self::Utf8Marked | Self::Windows1252 | Self::Other(_) | Self::Bytes => None,
        }
    }

    /// Whether bytes are text of two or four bytes a character.
    pub fn is_wide(bytes: &[u8]) -> bool {
        Self::of(bytes).unit().is_some()
    }

    /// The encoding that bytes seem to be in.
    fn of(bytes: &[u8]) -> Self {
        // Four bytes begin as the mark of two does.
        let marked = [Self::Utf32Le, Self::Utf32Be, Self::Utf16Le, Self::Utf16Be, Self::Utf8Marked];
        let read = |encoding: Self| encoding.unit().is_none() || encoding.decoded(encoding.unmarked(bytes)).is_ok();
        let marked = marked.into_iter().filter(|encoding| bytes.starts_with(encoding.mark()));
        let mut marked = marked.collect::<Vec<_>>();
        // Text in UTF-16 that begins with a zero is read as that.
        if marked.len() > 1 {
            marked.retain(|encoding| read(*encoding));
        }
        if let Some(encoding) = marked.first() {
            return *encoding;
        }
        let bare = [Self::Utf32LeBare, Self::Utf32BeBare, Self::Utf16LeBare, Self::Utf16BeBare];
        if bytes.len() >= FEWEST
            && bytes.contains(&0)
            && let Some(encoding) = bare.into_iter().find(|encoding| encoding.is_evident(bytes))
        {
            return encoding;
        }
        Self::Utf8
    }

    /// Whether bytes read as text in this wide encoding, with no control characters and mostly ASCII: nothing else does.
    fn is_evident(self, bytes: &[u8]) -> bool {
        /// Bytes that are looked at.
        const LOOKED_AT: usize = 65_536;
        let Some((width, _)) = self.unit() else { return false };
        let start = bytes.get(..LOOKED_AT).unwrap_or(bytes);
        let whole = start.len() == bytes.len();
        // A pair may be cut in two at the end of what is looked at.
        let cuts = if whole { vec![0] } else { vec![start.len() % width, start.len() % width + 2] };
        let read = cuts.into_iter().find_map(|cut| self.decoded(start.get(..start.len().saturating_sub(cut))?).ok());
        let Some(text) = read else { return false };
        let control = |c: char| c.is_control() && !matches!(c, '\t' | '\n' | '\r' | '\u{c}');
        let ascii = text.chars().filter(char::is_ascii).count();
        !text.is_empty() && !text.contains(control) && ascii * 2 >= text.chars().count()
    }

    /// Text of bytes behind the mark.
    fn decoded(self, bytes: &[u8]) -> Result<String, NotText> {
        let Some((width, low_first)) = self.unit() else {
            return match self {
                Self::Windows1252 => Ok(WINDOWS_1252.decode_without_bom_handling(bytes).0.into_owned()),
                Self::Other(page) => page.decoded(bytes).ok_or(NotText { valid: 0 }),
                _ => std::str::from_utf8(bytes).map(str::to_string).map_err(|e| NotText { valid: e.valid_up_to() }),
            };
        };
        if !bytes.len().is_multiple_of(width) {
            return Err(NotText { valid: bytes.len() - 1 });
        }
        let mut text = String::with_capacity(bytes.len() / width);
        if width == 2 {
            let (pairs, _) = bytes.as_chunks::<2>();
            let unit = |pair: &[u8; 2]| if low_first { u16::from_le_bytes(*pair) } else { u16::from_be_bytes(*pair) };
            for c in char::decode_utf16(pairs.iter().map(unit)) {
                text.push(c.map_err(|_| NotText { valid: text.len() })?);
            }
        } else {
            for four in bytes.as_chunks::<4>().0 {
                let code = if low_first { u32::from_le_bytes(*four) } else { u32::from_be_bytes(*four) };
                text.push(char::from_u32(code).ok_or(NotText { valid: text.len() })?);
            }
        }
        Ok(text)
    }

    /// Reads bytes as text, without the mark.
    ///
    /// # Errors
    /// `NotText` with the first byte that is none.
    pub fn read(mut bytes: Vec<u8>) -> Result<(Self, String), NotText> {
        let encoding = Self::of(&bytes);
        if encoding != Self::Utf8 {
            return encoding.decoded(encoding.unmarked(&bytes)).map(|text| (encoding, text));
        }
        match String::from_utf8(bytes) {
            // What is ASCII so far is written in the page that it declares.
            Ok(text) => match CodePage::declared_by(&text).filter(|_| text.is_ascii()) {
                Some(page) => Ok((Self::of_page(page), text)),
                None => Ok((Self::Utf8, text)),
            },
            Err(error) => {
                let valid = error.utf8_error().valid_up_to();
                bytes = error.into_bytes();
                // So begin the maps and lists of MessagePack and CBOR (RFC 8949), and hardly a text.
                let packed = matches!(bytes.first(), Some(0x80..=0xbf));
                if let Some((page, text)) = CodePage::read(&bytes).filter(|_| !packed) {
                    return Ok((Self::Other(page), text));
                }
                let text = Self::Windows1252.decoded(&bytes)?;
                if !packed && is_of_words(&text) { Ok((Self::Windows1252, text)) } else { Err(NotText { valid }) }
            }
        }
    }

    /// Reads bytes whose text was in a code page before it was changed: what is ASCII by now, or tells no encoding any more, is read in it.
    ///
    /// # Errors
    /// As [`Encoding::read`].
    pub(crate) fn read_after(bytes: Vec<u8>, former: Option<Self>) -> Result<(Self, String), NotText> {
        match former {
            Some(page) if Self::may_be_page(&bytes) => match page.decoded(&bytes) {
                Ok(text) => Ok((page, text)),
                Err(_) => Self::read(bytes),
            },
            _ => Self::read(bytes),
        }
    }

    /// Whether bytes may be text in a code page: they are ASCII, or none of Unicode.
    pub(crate) fn may_be_page(bytes: &[u8]) -> bool {
        bytes.is_ascii() || (std::str::from_utf8(bytes).is_err() && Self::of(bytes) == Self::Utf8)
    }

    /// Whether it is a code page of before Unicode.
    pub(crate) fn is_page(self) -> bool {
        matches!(self, Self::Windows1252 | Self::Other(_))
    }

    /// The label of a code page in the WHATWG Encoding Standard.
    pub(crate) fn label(self) -> Option<&'static str> {
        match self {
            Self::Windows1252 => Some(WINDOWS_1252.name()),
            Self::Other(page) => Some(page.name()),
            _ => None,
        }
    }

    /// The code page that a label of that standard names.
    pub(crate) fn of_label(label: &[u8]) -> Option<Self> {
        CodePage::of_label(label).map(Self::of_page)
    }

    fn of_page(page: CodePage) -> Self {
        if page.name() == WINDOWS_1252.name() { Self::Windows1252 } else { Self::Other(page) }
    }

    /// Whether a document in XML says by name that it is in this page, of one byte a character, and the page has all of a text: then its
    /// readers read the text so.
    pub(crate) fn is_declared_for(self, document: &str, text: &str) -> bool {
        let page = match self {
            Self::Windows1252 => CodePage::of_label(b"windows-1252"),
            Self::Other(page) => Some(page),
            _ => None,
        };
        page.is_some_and(|page| page.is_declared_in_xml(document) && page.encoded(text).is_some())
    }

    /// Writes text in this encoding, given in pieces that follow one another.
    pub fn write(self, pieces: &[&str]) -> Vec<u8> {
        let length: usize = pieces.iter().map(|piece| piece.len()).sum();
        let mut out = Vec::with_capacity(length + MARK.len());
        out.extend_from_slice(self.mark());
        for piece in pieces {
            if let Self::Other(page) = self {
                // What it has no sign for was refused before.
                out.extend(page.encoded(piece).unwrap_or_default());
                continue;
            }
            match self.unit() {
                None if self == Self::Windows1252 => out.extend_from_slice(&WINDOWS_1252.encode(piece).0),
                None if self == Self::Bytes => out.extend(bytes_of(piece)),
                None => out.extend_from_slice(piece.as_bytes()),
                Some((2, low_first)) => {
                    let bytes = |unit: u16| if low_first { unit.to_le_bytes() } else { unit.to_be_bytes() };
                    out.extend(piece.encode_utf16().flat_map(bytes));
                }
                Some((_, low_first)) => {
                    let bytes = |c: char| {
                        let code = u32::from(c);
                        if low_first { code.to_le_bytes() } else { code.to_be_bytes() }
                    };
                    out.extend(piece.chars().flat_map(bytes));
                }
            }
        }
        out
    }
}

/// Bytes as text: one character each.
pub(crate) fn text_of(bytes: &[u8]) -> String {
    bytes.iter().map(|byte| char::from(*byte)).collect()
}

/// The bytes that a text stands for. What is beyond one byte stands for none.
pub(crate) fn bytes_of(text: &str) -> Vec<u8> {
    text.chars().filter_map(|c| u8::try_from(u32::from(c)).ok()).collect()
}

/// Whether what is not ASCII in a text of one byte a character stands in words, as letters do, or is a sign of print: in what is no text
/// the same bytes stand anywhere.
fn is_of_words(text: &str) -> bool {
    const PRINT: &str = "\u{a0}\u{201a}\u{201e}\u{2026}\u{2018}\u{2019}\u{201c}\u{201d}\u{2013}\u{2014}\u{2122}\u{a7}\u{a9}\u{ab}\u{ae}\u{b0}\u{bb}";
    let is_letter = |c: char| {
        c.is_ascii_alphabetic() || (c.is_alphabetic() && !matches!(c, '\u{aa}' | '\u{b5}' | '\u{ba}' | '\u{192}'))
    };
    let (mut before, mut words) = (None, 0);
    let mut chars = text.chars().peekable();
    while let Some(c) = chars.next() {
        if c.is_control() && !matches!(c, '\t' | '\n' | '\r' | '\u{c}' | '\u{1b}') {
            return false;
        }
        if !c.is_ascii() && !PRINT.contains(c) {
            let in_word = before.is_some_and(is_letter) || chars.peek().is_some_and(|next| is_letter(*next));
            if !is_letter(c) || !in_word {
                return false;
            }
            words += 1;
        }
        before = Some(c);
    }
    words > 0
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_read_is_written_as_the_same_bytes(bytes in any::<Vec<u8>>(), wide in 0..5_usize) {
            let marks = [&b""[..], b"\xff\xfe", b"\xfe\xff", b"\xff\xfe\0\0", b"\0\0\xfe\xff"];
            let bytes = [marks[wide], &bytes].concat();
            if let Ok((encoding, text)) = Encoding::read(bytes.clone()) {
                prop_assert_eq!(encoding.write(&[&text]), bytes);
            }
        }

        #[test]
        fn all_text_is_held_by_all_encodings(text in "\\PC*") {
            for encoding in [Encoding::Utf8, Encoding::Utf8Marked, Encoding::Utf16Le, Encoding::Utf16Be, Encoding::Utf32Le, Encoding::Utf32Be] {
                if encoding == Encoding::Utf8 && text.starts_with('\u{feff}') { continue; }
                prop_assert_eq!(Encoding::read(encoding.write(&[&text])).unwrap(), (encoding, text.clone()));
            }
        }
    }

    #[test]
    fn what_has_no_mark_is_told_by_its_bytes() {
        for text in ["[a]\npath=/g/Fen\n", "path = \"Z:\\G\\Öd & Fen\"\r\n", "<a b='/g/Föhn'>\t1</a>"] {
            for encoding in Encoding::ALL {
                let bytes = encoding.write(&[text]);
                let plain = text.is_ascii() && encoding == Encoding::Windows1252;
                let wanted = if plain { Encoding::Utf8 } else { encoding };
                assert_eq!(Encoding::read(bytes), Ok((wanted, text.to_string())), "{encoding:?}");
            }
        }
        // What holds numbers is no text, and text of one byte is not wide because it is long and even.
        for bytes in [
            &b"\0\0\0\x01\0\0\0\x02/g/Fen\0\0"[..],
            b"a\0b\0\x01\0\x02\0c\0",
            b"/g/F\xe9n\x01",
            b"\x82\xa7install\xd9A/g/Fen\xa7command",
            b"\xa7dpathx+/g/Fenciso\xf5dmore",
            b"\x81\xa4path\xd9+/g/Fen",
            b"\xa1dpathx+/g/Fen",
            b"\xa4path\xabelsewhere!!",
        ] {
            let read = Encoding::read(bytes.to_vec());
            assert!(
                read.as_ref().is_err() || read.as_ref().is_ok_and(|(encoding, _)| *encoding == Encoding::Utf8),
                "{read:?}"
            );
        }
        assert_eq!(Encoding::read("日本語の長い文章です".into()).unwrap().0, Encoding::Utf8);
    }

    #[test]
    fn half_characters_are_no_text() {
        assert!(Encoding::read(b"a\xff\x01".to_vec()).is_err_and(|e| e.valid == 1));
        assert!(Encoding::read(b"\xff\xfea".to_vec()).is_err());
        assert!(Encoding::read(b"\xff\xfe\x3d\xd8a\0".to_vec()).is_err(), "half of a pair");
    }
}
