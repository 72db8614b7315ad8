//! Checksums of the path, or of a file that says it: whoever writes the path anew makes them wrong, and a launcher may then refuse what it
//! finds.
//!
//! Law: a checksum that is not kept true is named. Start at [`Checksums`] and [`seals`].

use std::collections::HashSet;
use std::fmt::Write as _;
use std::ops::Range;
use std::path::{Path, PathBuf};

use base64::Engine as _;
use base64::engine::general_purpose::{STANDARD_NO_PAD, URL_SAFE_NO_PAD};

use crate::launcher::{Digest, DigestKind};
use crate::platform::{self, Look};
use crate::record::{Document, Place, Side, Step};

/// Bytes of the largest file whose checksums are computed, and of the largest that may hold one beside it.
const LARGEST: u64 = 64 << 20;
const SMALL: u64 = 4096;

/// Files beside a record file that are looked into.
const BESIDE: usize = 200;

/// Steps from the root of a file to what may be a checksum of it, how many such texts are looked at, and bytes of the longest text of which
/// one may be that of all the rest.
const DEEP: usize = 3;
const MOST: usize = 64;
const SHORT: usize = 1 << 20;

/// What some bytes come to, in the ways in which that is written.
#[derive(Debug, Default)]
pub(super) struct Checksums {
    texts: HashSet<String>,
    raw: Vec<Vec<u8>>,
}

impl Checksums {
    /// Those of a path, as it is, with a separator at its end, and in small letters. Four bytes are the same as others by chance in a file
    /// of many numbers: they are left out.
    pub fn of_path(path: &Path) -> Self {
        let mut all = Self::default();
        let Some(path) = path.to_str() else { return all };
        for text in [path.to_string(), format!("{path}/"), path.to_lowercase()] {
            let long = [DigestKind::Md5, DigestKind::Sha1, DigestKind::Sha256, DigestKind::Blake3];
            all.add(text.as_bytes(), &long);
        }
        all
    }

    fn of(bytes: &[u8]) -> Self {
        let mut all = Self::default();
        let kinds = [DigestKind::Crc32, DigestKind::Md5, DigestKind::Sha1, DigestKind::Sha256, DigestKind::Blake3];
        all.add(bytes, &kinds);
        all
    }

    fn add(&mut self, bytes: &[u8], kinds: &[DigestKind]) {
        for kind in kinds {
            let mut digest = Digest::new(*kind);
            digest.take(bytes);
            let sum = digest.end();
            let hex = sum.iter().fold(String::new(), |mut hex, byte| {
                #[expect(clippy::let_underscore_must_use, reason = "writing into a text does not fail")]
                let _ = write!(hex, "{byte:02x}");
                hex
            });
            if let Ok(four) = <[u8; 4]>::try_from(sum.as_slice()) {
                let number = u32::from_be_bytes(four);
                self.texts.extend([number.to_string(), number.cast_signed().to_string()]);
            } else {
                self.texts.extend([STANDARD_NO_PAD.encode(&sum), URL_SAFE_NO_PAD.encode(&sum)]);
            }
            self.texts.insert(hex);
            self.raw.push(sum);
        }
    }

    /// Whether a text is one of them, also behind the name of how it was computed.
    pub fn says(&self, text: &str) -> bool {
        may_be_a_checksum(text) && {
            let word = word_of(text);
            self.texts.contains(word) || self.texts.contains(&word.to_ascii_lowercase())
        }
    }

    /// Whether bytes hold one of them as it is.
    pub fn are_in(&self, bytes: &[u8]) -> bool {
        self.raw.iter().any(|sum| sum.len() > 4 && bytes.windows(sum.len()).any(|some| some == sum))
    }
}

/// A checksum without what stands around it: `sha256:`, `0x`, signs that fill it up.
fn word_of(text: &str) -> &str {
    let text = text.trim();
    let text = text.rsplit_once(':').map_or(text, |(_, word)| word.trim());
    text.strip_prefix("0x").or_else(|| text.strip_prefix("0X")).unwrap_or(text).trim_end_matches('=')
}

/// Whether a text has the length and the signs of a checksum.
fn may_be_a_checksum(text: &str) -> bool {
    let word = if text.len() > 90 { return false } else { word_of(text) };
    let hex = word.bytes().all(|byte| byte.is_ascii_hexdigit());
    let number = word.strip_prefix('-').unwrap_or(word).bytes().all(|byte| byte.is_ascii_digit());
    let base64 = word.bytes().all(|byte| byte.is_ascii_alphanumeric() || matches!(byte, b'+' | b'/' | b'-' | b'_'));
    match word.len() {
        8 | 32 | 40 | 64 => hex || number,
        6..=11 => number,
        22 | 27 | 43 => base64,
        _ => false,
    }
}

/// The file that holds a checksum of a record file or, in that, of a path; what is only called one is none here.
pub(crate) fn checksum_in(file: &Path, document: &Document, path: &Path) -> Option<PathBuf> {
    let sums = Checksums::of_path(path);
    let mut says = false;
    document.each_leaf(&mut |_, _, _, text| says = says || sums.says(&text));
    if says {
        return Some(file.into());
    }
    let proved = |(at, _, is_proved): (PathBuf, String, bool)| is_proved.then_some(at);
    seals(file, document).into_iter().find_map(proved)
}

/// The files that hold a checksum of a record file, each with that, and whether it is that of the file as it is: itself, or one beside it.
pub(super) fn seals(file: &Path, document: &Document) -> Vec<(PathBuf, String, bool)> {
    let mut found = Vec::new();
    let beside = words_beside(file);
    if !beside.is_empty() && file.look_meta().is_ok_and(|meta| meta.size <= LARGEST) {
        let sums = platform::read(file).map(|bytes| Checksums::of(&bytes)).unwrap_or_default();
        found.extend(beside.into_iter().filter(|(_, word)| sums.says(word)).map(|(at, word)| (at, word, true)));
    }
    if !document.format().is_packed() {
        found.extend(seal_within(document).map(|(word, is_proved)| (file.to_path_buf(), word, is_proved)));
    }
    found
}

/// Words that may be checksums, in the small files beside a file.
fn words_beside(file: &Path) -> Vec<(PathBuf, String)> {
    let small =
        |path: &PathBuf| path != file && path.look_meta().is_ok_and(|meta| meta.is_file() && meta.size <= SMALL);
    let entries = file.parent().and_then(|folder| platform::read_dir(folder).ok()).into_iter().flatten().flatten();
    let mut paths: Vec<PathBuf> = entries.map(|entry| entry.path()).collect();
    // What is called after it comes first.
    let name = file.file_stem().unwrap_or_default().to_string_lossy().into_owned();
    paths.sort_by_key(|path| !path.file_name().is_some_and(|other| other.to_string_lossy().starts_with(&name)));
    let words = paths.into_iter().filter(small).take(BESIDE).flat_map(|path| {
        let text = platform::read(&path).map(|bytes| String::from_utf8_lossy(&bytes).into_owned()).unwrap_or_default();
        let sign =
            |c: char| c.is_whitespace() || matches!(c, '"' | '\'' | ',' | '=' | '<' | '>' | '(' | ')' | '{' | '}');
        let words: Vec<String> = text.split(sign).filter(|word| may_be_a_checksum(word)).map(str::to_string).collect();
        words.into_iter().map(move |word| (path.clone(), word)).collect::<Vec<_>>()
    });
    words.collect()
}

/// A checksum that a document holds of itself, or of a part of it, and whether it is that; it may be called one, of what nobody knows.
fn seal_within(document: &Document) -> Option<(String, bool)> {
    let mut may = Vec::new();
    document.each_leaf(&mut |place, side, span, text| {
        // Of the entries of a list none is the head of the file; in some formats the head is the first of its name.
        let in_head =
            place.0.len() <= DEEP && place.0.iter().all(|step| matches!(step, Step::Name(_) | Step::Index(0)));
        if side == Side::Value && in_head && may.len() < MOST && may_be_a_checksum(&text) {
            may.push((place.clone(), span, text.into_owned()));
        }
    });
    let named = |place: &Place| {
        let keyed = place.0.iter().all(|step| matches!(step, Step::Name(_)));
        keyed && matches!(place.0.last(), Some(Step::Name(name)) if is_called_a_checksum(name))
    };
    let called = may.iter().find(|(place, ..)| named(place)).map(|(.., word)| (word.clone(), false));
    let text = document.text();
    if !may.is_empty() {
        let parts = document.children(&Place::default()).unwrap_or_default();
        let parts = parts
            .into_iter()
            .take(MOST)
            .filter_map(|part| Some((Checksums::of(document.raw(&part)?.as_bytes()), part)));
        let parts: Vec<(Checksums, Place)> = parts.collect();
        let is_of_a_part = |(place, _, word): &&(Place, Range<usize>, String)| {
            parts.iter().any(|(sums, part)| !place.0.starts_with(&part.0) && sums.says(word))
        };
        // All but the checksum itself.
        let is_of_the_rest = |(_, span, word): &&(Place, Range<usize>, String)| {
            let rest = || text[..span.start].to_string() + &text[span.end..];
            text.len() <= SHORT && Checksums::of(rest().as_bytes()).says(word)
        };
        if let Some((.., word)) = may.iter().find(|one| is_of_a_part(one) || is_of_the_rest(one)) {
            return Some((word.clone(), true));
        }
    }
    // The first or the last line may tell of all others, also where it is a remark.
    let lines = [text.split_once('\n'), text.trim_end().rsplit_once('\n').map(|(rest, last)| (last, rest))];
    for (line, rest) in lines.into_iter().flatten().filter(|(line, _)| line.len() <= 200) {
        let words = line.split(|c: char| c.is_whitespace() || matches!(c, '=' | '"' | '>' | '<' | ';' | '#'));
        let mut words = words.filter(|word| may_be_a_checksum(word)).peekable();
        if words.peek().is_some() {
            let sums = [Checksums::of(rest.as_bytes()), Checksums::of(format!("{rest}\n").as_bytes())];
            if let Some(word) = words.find(|word| sums.iter().any(|sums| sums.says(word))) {
                return Some((word.into(), true));
            }
        }
    }
    called
}

/// Whether a key says that what stands there is a checksum of the file.
fn is_called_a_checksum(name: &str) -> bool {
    let letters: String = name.chars().filter(|c| c.is_alphabetic()).collect::<String>().to_lowercase();
    ["checksum", "crc", "hmac", "signature", "digest"].contains(&letters.as_str())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::Format;

    #[test]
    fn checksums_of_a_path_are_known_in_the_ways_in_which_they_are_written() {
        let sums = Checksums::of_path(Path::new("/games/Fen"));
        // `printf %s /games/Fen | md5sum`, and so on.
        for text in [
            "59b24fb09c12a762afb6ac5abe284f59",
            "sha1:03805ea131845830d59f1d5357717175e0506829",
            "0x62904d299f618dc4105ad37b2c683290a0889c65d7c4bdf0b821f13082e3c133",
            "WbJPsJwSp2KvtqxavihPWQ==",
        ] {
            assert!(sums.says(text), "{text}");
            assert!(sums.says(&text.to_uppercase()) || text.ends_with('='), "{text}");
        }
        for text in ["", "/games/Fen", "00000000000000000000000000000000", "12345678"] {
            assert!(!sums.says(text), "{text}");
        }
    }

    #[test]
    fn a_document_that_holds_a_checksum_of_a_part_of_it_is_known() {
        let seal = |text: &str, format| seal_within(&Document::parse(text.as_bytes().to_vec(), format).unwrap());
        let games = r#"[{"at": "/a/Fen"}]"#;
        let sum = crc32fast::hash(games.as_bytes());
        assert!(seal(&format!(r#"{{"crc32": {sum}, "games": {games}}}"#), Format::Json).is_some());
        assert!(seal(&format!(r#"{{"check": {sum}, "games": {games}}}"#), Format::Json).is_some());
        assert!(seal(&format!(r#"{{"build": {}, "games": {games}}}"#, sum ^ 1), Format::Json).is_none());
        let body = "[g1]\nat=/a/Fen\n";
        let line = format!("# {:08x}\n{body}", crc32fast::hash(body.as_bytes()));
        assert!(seal(&line, Format::Ini).is_some());
        assert!(seal(&format!("# 0badcafe\n{body}"), Format::Ini).is_none());
        // What is said of a game is no checksum of the file.
        let of_game = r#"[{"at": "/a/Fen", "checksum": "0badcafe"}]"#;
        assert!(seal(of_game, Format::Json).is_none());
    }
}
