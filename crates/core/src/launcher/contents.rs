//! A launcher's own list of a game's files: the measure of what it would download.

use crate::bytes::index;
use std::io;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};
use sha1::Digest as _;
use thiserror::Error;

use super::checksum_lines::{ChecksumLine, is_checksum_remark, read_checksum_line};
use super::found::FoundLauncher;
use super::profile::{Algorithm, Contents, Profile};
use super::reading::files_of;
use crate::disk::Disk;
use crate::record::{DocumentError, EditError, Format, MeaningError, Place, Shape, Side, Source, Values, joined};
use crate::site::Site;

/// A kind of hash that a content list may hold.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum DigestKind {
    /// MD5, 16 bytes.
    Md5,
    /// SHA-1, 20 bytes.
    Sha1,
    /// SHA-256, 32 bytes.
    Sha256,
    /// BLAKE3, 32 bytes.
    Blake3,
    /// CRC-32 with the polynomial of ISO 3309, 4 bytes, the highest first.
    Crc32,
    /// SHA-256 of each piece of so many bytes, one after the other; the last piece may be shorter.
    Sha256Pieces(u64),
}

/// A hash that is being computed.
#[derive(Clone, Debug)]
pub enum Digest {
    /// MD5.
    Md5(md5::Md5),
    /// SHA-1.
    Sha1(sha1::Sha1),
    /// SHA-256.
    Sha256(sha2::Sha256),
    /// BLAKE3.
    Blake3(Box<blake3::Hasher>),
    /// CRC-32.
    Crc32(crc32fast::Hasher),
    /// SHA-256 of each piece.
    Pieces {
        /// Bytes of a piece.
        size: u64,
        /// Bytes that the open piece has.
        taken: u64,
        /// The open piece.
        open: sha2::Sha256,
        /// Hashes of the pieces that are done.
        done: Vec<u8>,
    },
}

impl Digest {
    /// Begins a hash.
    pub fn new(kind: DigestKind) -> Self {
        match kind {
            DigestKind::Md5 => Self::Md5(md5::Md5::new()),
            DigestKind::Sha1 => Self::Sha1(sha1::Sha1::new()),
            DigestKind::Sha256 => Self::Sha256(sha2::Sha256::new()),
            DigestKind::Blake3 => Self::Blake3(Box::default()),
            DigestKind::Crc32 => Self::Crc32(crc32fast::Hasher::new()),
            DigestKind::Sha256Pieces(size) => {
                Self::Pieces { size: size.max(1), taken: 0, open: sha2::Sha256::new(), done: Vec::new() }
            }
        }
    }

    /// Takes the next bytes.
    pub fn take(&mut self, bytes: &[u8]) {
        match self {
            Self::Md5(hash) => hash.update(bytes),
            Self::Sha1(hash) => hash.update(bytes),
            Self::Sha256(hash) => hash.update(bytes),
            Self::Blake3(hash) => drop(hash.update(bytes)),
            Self::Crc32(hash) => hash.update(bytes),
            Self::Pieces { size, taken, open, done } => {
                let mut rest = bytes;
                while !rest.is_empty() {
                    let count = rest.len().min(index(*size - *taken));
                    open.update(&rest[..count]);
                    *taken += count as u64;
                    rest = &rest[count..];
                    if *taken == *size {
                        done.extend(std::mem::take(open).finalize());
                        *taken = 0;
                    }
                }
            }
        }
    }

    /// Gives the hash.
    pub fn end(self) -> Vec<u8> {
        match self {
            Self::Md5(hash) => hash.finalize().to_vec(),
            Self::Sha1(hash) => hash.finalize().to_vec(),
            Self::Sha256(hash) => hash.finalize().to_vec(),
            Self::Blake3(hash) => hash.finalize().as_bytes().to_vec(),
            Self::Crc32(hash) => hash.finalize().to_be_bytes().to_vec(),
            Self::Pieces { taken, open, mut done, .. } => {
                if taken > 0 {
                    done.extend(open.finalize());
                }
                done
            }
        }
    }
}

/// One file of a content list.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ListedFile {
    /// Below the install folder.
    pub path: PathBuf,
    /// Bytes; `None` in a list that says none.
    pub size: Option<u64>,
    /// The hash.
    pub hash: Vec<u8>,
}

impl ListedFile {
    /// Whether a file of this length may be the listed one.
    pub fn may_have(&self, length: u64) -> bool {
        self.size.is_none_or(|size| size == length)
    }

    /// Bytes that its launcher would download if it is not what is listed: those that the list says, else the length of what is there,
    /// and never none.
    pub fn bytes(&self, length: Option<u64>) -> u64 {
        self.size.unwrap_or_else(|| length.unwrap_or(0).max(1))
    }

    /// Whether a file holds the listed bytes, by their hash.
    ///
    /// # Errors
    /// If the file can't be opened or read.
    pub fn has_bytes_of(&self, disk: &Disk, at: &Path, kind: DigestKind) -> io::Result<bool> {
        const BLOCK: usize = 1 << 20;
        let file = disk.open_read(at)?;
        let mut digest = Digest::new(kind);
        let mut buffer = vec![0; BLOCK];
        let mut offset = 0;
        loop {
            let count = disk.read_at(&file, &mut buffer, offset)?;
            digest.take(&buffer[..count]);
            offset += count as u64;
            if count < buffer.len() {
                return Ok(digest.end() == self.hash);
            }
        }
    }
}

/// A launcher's list of what a game consists of.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct ContentList {
    /// Where it was read.
    pub file: PathBuf,
    /// Which hash it holds.
    pub kind: DigestKind,
    /// The game's title, where the list says it.
    pub title: Option<String>,
    /// The program that starts it, below the install folder, where the list says it.
    pub program: Option<String>,
    /// Its files.
    pub listed_files: Vec<ListedFile>,
}

/// Why a content list was not read.
#[derive(Debug, Error)]
pub enum ContentsError {
    /// The file can't be read, is none of its format, or has no list where the profile says.
    #[error(transparent)]
    Records(#[from] EditError),
    /// An entry lacks something or leads out of the game.
    #[error("{file}, line {line}: {what}")]
    Entry {
        /// The file.
        file: PathBuf,
        /// Line, from 1.
        line: usize,
        /// The fault.
        what: &'static str,
    },
    /// The profile's template for the file cannot be filled.
    #[error("{0}")]
    Meaning(MeaningError),
}

impl ContentList {
    /// Reads the content list of a game; `None` if its launcher's profile knows no such lists or the file doesn't exist.
    ///
    /// `values` must say `home`, `library` and `id` where the profile's template asks for them.
    ///
    /// # Errors
    /// [`ContentsError`] of a list that is there and can't be read; of one that isn't there nothing is given.
    pub fn read(profile: &Profile, values: &Values) -> Result<Option<Self>, ContentsError> {
        let Some(contents) = &profile.contents else { return Ok(None) };
        let file = PathBuf::from(contents.file.fill(values).map_err(ContentsError::Meaning)?);
        let below =
            contents.below.as_ref().map(|below| below.fill(values)).transpose().map_err(ContentsError::Meaning)?;
        Self::read_file(contents, &file, below.as_deref())
    }

    /// Reads a content list; `None` if the file doesn't exist.
    pub(crate) fn read_file(
        contents: &Contents,
        file: &Path,
        below: Option<&str>,
    ) -> Result<Option<Self>, ContentsError> {
        let file = file.to_path_buf();
        let json_error = |source| EditError::Document { file: file.clone(), source };
        let lines = (!contents.columns.is_empty()).then_some(Shape::Text(Format::Lines));
        let json = match Source::read(&file, lines.or(contents.shape).unwrap_or_else(|| Shape::of_name(&file))) {
            Ok(source) => source,
            Err(EditError::Read { source, .. }) if source.kind() == io::ErrorKind::NotFound => return Ok(None),
            Err(error) => return Err(error.into()),
        };
        let kind = contents.kind();
        if lines.is_some() {
            let listed_files = of_lines(&json, &file, contents, below)?;
            return Ok(Some(Self { file, kind, title: None, program: None, listed_files }));
        }
        let list = json.find_one(&contents.list).map_err(json_error)?;
        let entries = json.children(&list).unwrap_or_default();
        // One walk of the whole document per field; a lookup per entry would read the selector each time.
        let column = |selector: &str| column(&json, &contents.list, selector);
        let paths = if contents.on == Side::Key {
            entries.iter().filter_map(|entry| json.leaf(entry, Side::Key)).collect()
        } else {
            column(&contents.path).map_err(json_error)?
        };
        let sizes = contents.size.as_deref().map(column).transpose().map_err(json_error)?;
        let hashes = if contents.piece.is_some() {
            // Each entry has a hash per piece; an empty file has none.
            let pieces = |entry: &Place| -> Result<String, DocumentError> {
                let found = json.find(&joined(entry, &contents.hash))?;
                Ok(found.iter().filter_map(|place| json.leaf(place, Side::Value)).collect())
            };
            entries.iter().map(pieces).collect::<Result<_, _>>().map_err(json_error)?
        } else {
            column(&contents.hash).map_err(json_error)?
        };
        let line = |place: &Place| json.line(place).unwrap_or_default();
        let fault = |place: &Place, what| ContentsError::Entry { file: file.clone(), line: line(place), what };
        let sized = sizes.as_ref().is_none_or(|sizes| sizes.len() == entries.len());
        if [paths.len(), hashes.len()] != [entries.len(); 2] || !sized {
            return Err(fault(&list, "an entry of the list lacks its path, size or hash"));
        }
        let mut listed_files = Vec::with_capacity(entries.len());
        let backslashes = with_backslashes(paths.iter().map(String::as_str));
        for (n, entry) in entries.iter().enumerate() {
            let path = path_below(&paths[n], backslashes, below);
            let path = path.ok_or_else(|| fault(entry, "the path leads out of the game"))?;
            let size = sizes.as_ref().map(|sizes| sizes[n].parse()).transpose();
            let size = size.map_err(|_| fault(entry, "the size is no whole number"))?;
            let hash = from_hex(&hashes[n]).ok_or_else(|| fault(entry, "the hash is not hexadecimal"))?;
            listed_files.push(ListedFile { path, size, hash });
        }
        let says = |selector: &Option<String>| json.below(&Place::default(), selector.as_ref()?);
        let (title, program) = (says(&contents.title), says(&contents.program));
        Ok(Some(Self { file, kind, title, program, listed_files }))
    }

    /// The entry for a path below the install folder.
    pub fn listed(&self, path: &Path) -> Option<&ListedFile> {
        self.listed_files.iter().find(|listed| listed.path == path)
    }
}

impl Contents {
    /// The kind of hash that the lists hold.
    pub(crate) fn kind(&self) -> DigestKind {
        match (self.algorithm, self.piece) {
            (Algorithm::Md5, _) => DigestKind::Md5,
            (Algorithm::Sha1, _) => DigestKind::Sha1,
            (Algorithm::Blake3, _) => DigestKind::Blake3,
            (Algorithm::Crc32, _) => DigestKind::Crc32,
            (Algorithm::Sha256, None) => DigestKind::Sha256,
            (Algorithm::Sha256, Some(piece)) => DigestKind::Sha256Pieces(piece),
        }
    }
}

/// The files that checksum lines list.
fn of_lines(
    source: &Source,
    file: &Path,
    contents: &Contents,
    below: Option<&str>,
) -> Result<Vec<ListedFile>, ContentsError> {
    let lines = source.children(&Place::default()).unwrap_or_default();
    let texts: Vec<String> = lines.iter().map(|line| source.leaf(line, Side::Value).unwrap_or_default()).collect();
    let fault = |n: usize, what| ContentsError::Entry { file: file.into(), line: n + 1, what };
    let mut read = Vec::new();
    let said = texts.iter().enumerate().filter(|(_, text)| !is_checksum_remark(text));
    let is_long = said.clone().nth(1).is_some();
    for (nth, (n, text)) in said.enumerate() {
        let line = read_checksum_line(text, &contents.columns);
        // The first may be a heading.
        if nth == 0 && is_long && line.as_ref().is_none_or(|line| from_hex(line.hash).is_none()) {
            continue;
        }
        read.push((n, line.ok_or_else(|| fault(n, "the line has no hash and path"))?));
    }
    let backslashes = with_backslashes(read.iter().map(|(_, line)| line.path.as_ref()));
    let one = |(n, line): &(usize, ChecksumLine<'_>)| {
        let path = path_below(&line.path, backslashes, below);
        let path = path.ok_or_else(|| fault(*n, "the path leads out of the game"))?;
        let size = line.size.map(str::parse).transpose().map_err(|_| fault(*n, "the size is no whole number"))?;
        let hash = from_hex(line.hash).ok_or_else(|| fault(*n, "the hash is not hexadecimal"))?;
        Ok(ListedFile { path, size, hash })
    };
    read.iter().map(one).collect()
}

/// Whether the paths of a list have backslashes between their folders.
pub(crate) fn with_backslashes<'a>(paths: impl Iterator<Item = &'a str>) -> bool {
    let mut some = false;
    for path in paths {
        if path.contains('/') {
            return false;
        }
        some |= path.contains('\\');
    }
    some
}

fn path_below(text: &str, backslashes: bool, below: Option<&str>) -> Option<PathBuf> {
    let path = path_of(text, backslashes)?;
    let Some(below) = below else { return Some(path) };
    let rest = path.strip_prefix(below).ok()?;
    (!rest.as_os_str().is_empty()).then(|| rest.to_path_buf())
}

/// The path below the install folder that a list says; `None` if it leads out of it.
pub(crate) fn path_of(text: &str, backslashes: bool) -> Option<PathBuf> {
    let text = if backslashes { text.replace('\\', "/") } else { text.to_string() };
    // Whether it begins with the sign of the game's own folder or not is a matter of taste.
    let path: PathBuf = Path::new(&text).components().filter(|part| *part != Component::CurDir).collect();
    let sound = !path.as_os_str().is_empty() && path.components().all(|part| matches!(part, Component::Normal(_)));
    sound.then_some(path)
}

/// The texts that `selector` finds below each entry of a list, in order.
fn column(json: &Source, list: &str, selector: &str) -> Result<Vec<String>, DocumentError> {
    let whole = format!("{list}[*]{}", selector.strip_prefix('$').unwrap_or(selector));
    let places = json.find(&whole)?;
    Ok(places.iter().filter_map(|place| json.leaf(place, Side::Value)).collect())
}

/// The games that a launcher has content lists of: the launcher's id, and the library that the list lies in, or nothing.
pub fn content_ids(site: &Site, found: &FoundLauncher) -> Vec<(String, String)> {
    let Some(contents) = &found.profile.contents else { return Vec::new() };
    let text = |path: &Path| path.to_string_lossy().into_owned();
    let mut libraries: Vec<String> = vec![String::new()];
    if contents.file.names("library") {
        libraries = found.libraries.iter().map(|library| text(&library.path)).collect();
    }
    let ids = libraries.iter().flat_map(|library| {
        let values = found.values(site).with("library", library);
        let files = files_of(&contents.file, &values);
        files.into_iter().filter_map(|(_, values)| Some((values.of("id")?.to_string(), library.clone())))
    });
    ids.collect()
}

pub(crate) fn from_hex(text: &str) -> Option<Vec<u8>> {
    let digits = text.as_bytes();
    if !digits.len().is_multiple_of(2) || !text.is_ascii() {
        return None;
    }
    (0..digits.len()).step_by(2).map(|n| u8::from_str_radix(&text[n..n + 2], 16).ok()).collect()
}
