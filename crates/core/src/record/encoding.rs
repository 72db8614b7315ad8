//! How a record file's text is held in bytes: UTF-8 with or without a byte-order mark, UTF-16 with one.
//!
//! Law: what is read and written back is the same bytes; what cannot be is not read at all.

use serde::{Deserialize, Serialize};

const MARK: &[u8] = b"\xef\xbb\xbf";

/// The encoding of a text file.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
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
}

/// The first byte that is not text in the encoding that the file begins with.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct NotText {
    /// How many bytes are good.
    pub valid: usize,
}

impl Encoding {
    /// Reads bytes as text, without the mark.
    pub fn read(mut bytes: Vec<u8>) -> Result<(Self, String), NotText> {
        if bytes.starts_with(MARK) {
            bytes.drain(..MARK.len());
            let text = String::from_utf8(bytes).map_err(|e| NotText { valid: e.utf8_error().valid_up_to() })?;
            return Ok((Self::Utf8Marked, text));
        }
        let wide = match bytes.get(..2) {
            Some([0xff, 0xfe]) => Some((Self::Utf16Le, u16::from_le_bytes as fn([u8; 2]) -> u16)),
            Some([0xfe, 0xff]) => Some((Self::Utf16Be, u16::from_be_bytes as fn([u8; 2]) -> u16)),
            _ => None,
        };
        let Some((encoding, unit)) = wide else {
            let text = String::from_utf8(bytes).map_err(|e| NotText { valid: e.utf8_error().valid_up_to() })?;
            return Ok((Self::Utf8, text));
        };
        let pairs = bytes[2..].chunks_exact(2);
        if !pairs.remainder().is_empty() {
            return Err(NotText { valid: bytes.len() - 1 });
        }
        let mut text = String::with_capacity(bytes.len() / 2);
        for c in char::decode_utf16(pairs.map(|pair| unit([pair[0], pair[1]]))) {
            text.push(c.map_err(|_| NotText { valid: text.len() })?);
        }
        Ok((encoding, text))
    }

    /// Writes text in this encoding, given in pieces that follow one another.
    pub fn write(self, pieces: &[&str]) -> Vec<u8> {
        let length: usize = pieces.iter().map(|piece| piece.len()).sum();
        let mut out = Vec::with_capacity(length + MARK.len());
        let wide = |out: &mut Vec<u8>, bytes: fn(u16) -> [u8; 2]| {
            out.extend(bytes(0xfeff));
            for unit in pieces.iter().flat_map(|piece| piece.encode_utf16()) {
                out.extend(bytes(unit));
            }
        };
        match self {
            Self::Utf8 => out.extend_from_slice(pieces.concat().as_bytes()),
            Self::Utf8Marked => {
                out.extend_from_slice(MARK);
                out.extend_from_slice(pieces.concat().as_bytes());
            }
            Self::Utf16Le => wide(&mut out, u16::to_le_bytes),
            Self::Utf16Be => wide(&mut out, u16::to_be_bytes),
        }
        out
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    proptest! {
        #[test]
        fn what_is_read_is_written_as_the_same_bytes(bytes in any::<Vec<u8>>(), wide in 0..3_usize) {
            let bytes = [[&b""[..], b"\xff\xfe", b"\xfe\xff"][wide], &bytes].concat();
            if let Ok((encoding, text)) = Encoding::read(bytes.clone()) {
                prop_assert_eq!(encoding.write(&[&text]), bytes);
            }
        }

        #[test]
        fn all_text_is_held_by_all_encodings(text in "\\PC*") {
            for encoding in [Encoding::Utf8, Encoding::Utf8Marked, Encoding::Utf16Le, Encoding::Utf16Be] {
                if encoding == Encoding::Utf8 && text.starts_with('\u{feff}') { continue; }
                prop_assert_eq!(Encoding::read(encoding.write(&[&text])).unwrap(), (encoding, text.clone()));
            }
        }
    }

    #[test]
    fn half_characters_are_no_text() {
        assert!(Encoding::read(b"a\xff".to_vec()).is_err_and(|e| e.valid == 1));
        assert!(Encoding::read(b"\xff\xfea".to_vec()).is_err());
        assert!(Encoding::read(b"\xff\xfe\x3d\xd8a\0".to_vec()).is_err(), "half of a pair");
    }
}
