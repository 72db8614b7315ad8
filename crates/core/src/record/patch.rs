//! What a record file held before, said by what it holds since: only the bytes that were changed are kept, and none of the rest.
//!
//! Law: a patch gives the very bytes again, or nothing. Start at [`Patch::between`].

use std::collections::HashMap;

use super::encoding::Encoding;
use super::former_page::FormerPage;

/// Bytes that have to agree to be taken for the same.
const ALIKE: usize = 16;

/// Places of a text that begins alike that are looked at.
const TRIES: usize = 8;

#[derive(Clone, Debug, PartialEq, Eq)]
enum Piece {
    /// So many bytes of what is there since, from a place on.
    Same { from: usize, length: usize },
    /// Bytes that are not there any more.
    Gone(Vec<u8>),
}

/// How the bytes before are made of those since.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Patch {
    size: u64,
    hash: blake3::Hash,
    pieces: Vec<Piece>,
    /// The code page of the bytes before, if they are text in one, with the letters of it that are gone.
    page: Option<FormerPage>,
}

impl Patch {
    /// The patch that makes `before` of `since`.
    #[expect(
        clippy::indexing_slicing,
        reason = "what is open, found and followed ends where the texts do, which unit tests try at random"
    )]
    pub fn between(since: &[u8], before: &[u8]) -> Self {
        let mut starts: HashMap<&[u8], Vec<usize>> = HashMap::new();
        for (n, block) in since.chunks_exact(ALIKE).enumerate() {
            let places = starts.entry(block).or_default();
            if places.len() < TRIES {
                places.push(n * ALIKE);
            }
        }
        let mut pieces = Vec::new();
        // What was passed and not found yet begins here; so far `since` was followed to there.
        let (mut open, mut at, mut followed) = (0, 0, 0);
        while at < before.len() {
            let going_on = if at == open { alike(&since[followed..], &before[at..]) } else { 0 };
            let best = if going_on > 0 {
                Some((followed, at, going_on))
            } else {
                let block = before.get(at..at + ALIKE).and_then(|block| starts.get(block));
                let matches = block.into_iter().flatten().map(|from| {
                    // It may have begun before the block did.
                    let back = alike_back(&since[..*from], &before[open..at]);
                    let length = back + alike(&since[*from..], &before[at..]);
                    (from - back, at - back, length)
                });
                matches.max_by_key(|(.., length)| *length)
            };
            match best {
                Some((from, begins, length)) => {
                    if begins > open {
                        pieces.push(Piece::Gone(before[open..begins].to_vec()));
                    }
                    pieces.push(Piece::Same { from, length });
                    (at, open, followed) = (begins + length, begins + length, from + length);
                }
                None => at += 1,
            }
        }
        if open < before.len() {
            pieces.push(Piece::Gone(before[open..].to_vec()));
        }
        let mut page = FormerPage::of_bytes(before);
        if let Some(former) = &mut page {
            let left =
                Encoding::read_after(since.to_vec(), Some(former.page)).map(|(_, text)| text).unwrap_or_default();
            former.letters.retain(|c| !left.contains(c));
        }
        Self { size: before.len() as u64, hash: blake3::hash(before), pieces, page }
    }

    /// The code page of the bytes before, with the letters of it that are gone.
    pub(crate) fn page(&self) -> Option<&FormerPage> {
        self.page.as_ref()
    }

    /// Number and hash of the bytes that it makes.
    pub fn known(&self) -> (u64, blake3::Hash) {
        (self.size, self.hash)
    }

    /// The bytes before; `None` if these are not the bytes since.
    pub fn apply(&self, since: &[u8]) -> Option<Vec<u8>> {
        let mut before = Vec::new();
        for piece in &self.pieces {
            match piece {
                Piece::Same { from, length } => {
                    before.extend_from_slice(since.get(*from..from.checked_add(*length)?)?);
                }
                Piece::Gone(bytes) => before.extend_from_slice(bytes),
            }
        }
        (before.len() as u64 == self.size && blake3::hash(&before) == self.hash).then_some(before)
    }

    /// As bytes: size and hash, then each piece: `s`, place and length, or `g`, length and bytes; at last the code page, if there is one:
    /// `p`, length and label, length and letters in UTF-8. Numbers take eight bytes, the lowest first.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = [&self.size.to_le_bytes()[..], self.hash.as_bytes()].concat();
        for piece in &self.pieces {
            match piece {
                Piece::Same { from, length } => {
                    out.push(b's');
                    out.extend([*from, *length].iter().flat_map(|n| (*n as u64).to_le_bytes()));
                }
                Piece::Gone(bytes) => {
                    out.push(b'g');
                    out.extend((bytes.len() as u64).to_le_bytes());
                    out.extend(bytes);
                }
            }
        }
        if let Some((label, former)) = self.page.as_ref().and_then(|former| Some((former.page.label()?, former))) {
            out.push(b'p');
            for text in [label, &former.letters] {
                out.extend((text.len() as u64).to_le_bytes());
                out.extend(text.as_bytes());
            }
        }
        out
    }

    /// Reads what [`Patch::to_bytes`] gave; `None` if it is not that.
    pub fn of_bytes(bytes: &[u8]) -> Option<Self> {
        let (size, rest) = bytes.split_first_chunk()?;
        let (hash, mut rest) = rest.split_first_chunk::<32>()?;
        let mut pieces = Vec::new();
        let mut page = None;
        while let Some((kind, after)) = rest.split_first() {
            rest = after;
            match kind {
                b'p' if page.is_none() => {
                    let (label, letters) = (block(&mut rest)?, block(&mut rest)?);
                    let letters = std::str::from_utf8(letters).ok()?.to_string();
                    page = Some(FormerPage { page: Encoding::of_label(label)?, letters });
                }
                b's' => pieces.push(Piece::Same { from: number(&mut rest)?, length: number(&mut rest)? }),
                b'g' => pieces.push(Piece::Gone(block(&mut rest)?.to_vec())),
                _ => return None,
            }
        }
        Some(Self { size: u64::from_le_bytes(*size), hash: blake3::Hash::from_bytes(*hash), pieces, page })
    }
}

/// The number that bytes begin with, which it takes from them.
fn number(rest: &mut &[u8]) -> Option<usize> {
    let (number, after) = rest.split_first_chunk()?;
    *rest = after;
    usize::try_from(u64::from_le_bytes(*number)).ok()
}

/// The block that bytes begin with behind its length, which it takes from them.
fn block<'b>(rest: &mut &'b [u8]) -> Option<&'b [u8]> {
    let length = number(rest)?;
    let (block, after) = rest.split_at_checked(length)?;
    *rest = after;
    Some(block)
}

fn alike(one: &[u8], other: &[u8]) -> usize {
    one.iter().zip(other).take_while(|(one, other)| one == other).count()
}

fn alike_back(one: &[u8], other: &[u8]) -> usize {
    one.iter().rev().zip(other.iter().rev()).take_while(|(one, other)| one == other).count()
}

#[cfg(test)]
mod tests {
    use proptest::prelude::*;

    use super::*;

    fn entry(n: usize, at: &str) -> String {
        format!("    {{\"id\": \"{n}\", \"secret\": \"token-{n}-{}\", \"at\": \"{at}/{n}\"}}", n * 7919)
    }

    #[test]
    fn it_keeps_what_was_changed_and_nothing_of_the_rest() {
        let list = |entries: &[String], total: u32| {
            format!(
                "{{\n  \"total\": {total},\n  \"account\": \"5417-secret-of-the-account\",\n  \"list\": [\n{}\n  ]\n}}\n",
                entries.join(",\n")
            )
        };
        let all: Vec<String> = (0..200).map(|n| entry(n, "/old")).collect();
        let mut rest = all.clone();
        rest.remove(120);
        let mut moved = all.clone();
        moved[60] = entry(60, "/new/place");
        for since in [list(&rest, 199), list(&moved, 200), String::new()] {
            let before = list(&all, 200);
            let patch = Patch::between(since.as_bytes(), before.as_bytes());
            assert_eq!(patch.apply(since.as_bytes()).as_deref(), Some(before.as_bytes()));
            assert_eq!(Patch::of_bytes(&patch.to_bytes()), Some(patch.clone()));
            if !since.is_empty() {
                let kept = String::from_utf8_lossy(&patch.to_bytes()).into_owned();
                assert!(!kept.contains("account") && !kept.contains("token-7-") && kept.len() < 400, "{kept}");
                assert_eq!(patch.apply(&since.as_bytes()[1..]), None, "not of other bytes");
            }
        }
    }

    proptest! {
        #[test]
        fn any_bytes_come_back_from_any_other(
            since in proptest::collection::vec(0_u8..4, 0..300),
            cuts in proptest::collection::vec((0_usize..300, 0_usize..40, proptest::collection::vec(any::<u8>(), 0..20)), 0..6),
        ) {
            let mut before = since.clone();
            for (at, length, new) in cuts {
                let at = at.min(before.len());
                let end = (at + length).min(before.len());
                before.splice(at..end, new);
            }
            let patch = Patch::between(&since, &before);
            prop_assert_eq!(patch.apply(&since), Some(before));
            prop_assert_eq!(Patch::of_bytes(&patch.to_bytes()), Some(patch));
        }

        #[test]
        fn bytes_that_are_no_patch_are_refused_or_give_nothing(bytes in proptest::collection::vec(any::<u8>(), 0..200)) {
            if let Some(patch) = Patch::of_bytes(&bytes) {
                prop_assert!(patch.apply(b"since").is_none());
            }
        }
    }
}
