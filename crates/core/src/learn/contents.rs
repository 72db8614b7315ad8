//! Content lists: files that say what a game consists of, found by fitting them to the games' files.
//!
//! Law: a list is one only if its hashes are those of files that are there, for each game that has such a file. Start at [`contents_of`].

use std::borrow::Cow;
use std::collections::{BTreeMap, BTreeSet, HashMap, HashSet};
use std::path::{Path, PathBuf};

use serde_json::Value;

use super::evidence::{Evidence, small_files};
use super::home::Home;
use super::list::{Entry, GameList, is_playable};
use super::pattern::kinds;
use super::records::stands_alone;
use super::roles::Roles;
use crate::launcher::{
    Column, DigestKind, ListedFile, Profile, check_lists, from_hex, is_checksum_remark, path_of, read_checksum_line,
    read_launchers, with_backslashes,
};
use crate::platform::Look;
use crate::record::scalars_of;
use crate::record::step_text;
use crate::record::{Format, Place, Shape, Side, Source, Step};
use crate::site::Site;
use crate::survey::FolderListing;
use crate::trace::{each_leaf, files_naming, leaves, shapes};

/// Games whose lists are looked for.
const GAMES: usize = 5;

/// How deep in a game a list may lie, and the largest file that may be one.
const DEEP: usize = 3;
const LARGEST: u64 = 64 << 20;

/// Files that are hashed for each list at most, and the largest of them.
const HASHED: usize = 3;
const SMALL: u64 = 16 << 20;

/// Sizes of pieces that are tried, as powers of two.
const PIECES: std::ops::RangeInclusive<u32> = 12..=28;

/// How a list is written.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub(super) struct ListForm {
    pub shape: String,
    /// Of checksum lines what stands in them; else empty.
    pub columns: Vec<&'static str>,
    pub list: String,
    pub path: String,
    /// Whether paths begin with the name of the game's folder.
    pub below: bool,
    pub on_key: bool,
    pub size: Option<String>,
    pub hash: String,
    pub algorithm: &'static str,
    /// Bytes of a piece, where each has a hash.
    pub piece: Option<u64>,
}

/// The content lists of a launcher.
#[derive(Clone, Debug)]
pub(super) struct LearnedContents {
    /// Template of the file of a game.
    pub file: String,
    pub form: ListForm,
}

/// Content lists lie with the games, and would stay behind.
pub(super) struct Beside;

/// The content lists that fit the games of a list.
pub(super) fn contents_of(
    site: &Site,
    list: &GameList,
    home: &Home,
    roles: &Roles,
    evidence: &Evidence,
) -> Result<Option<LearnedContents>, Beside> {
    let mut met = HashSet::new();
    let once = list.entries.iter().filter(|entry| met.insert(entry.dir.as_deref()));
    let games: Vec<Game<'_>> = once.filter_map(|entry| Game::of(list, roles, entry)).take(GAMES).collect();
    let mut found: BTreeMap<(String, ListForm), BTreeSet<usize>> = BTreeMap::new();
    let mut beside = BTreeSet::new();
    for (nth, game, file) in candidates(&games, home, evidence) {
        let template = template_of(home, game, &file);
        let lies_beside = !file.starts_with(&home.path) && !file.starts_with(game.dir);
        // What is no one game's file is no list of what one consists of.
        if template.is_none() && !lies_beside {
            continue;
        }
        let forms = forms_of(site, game, &file);
        // What lies with the games and says what one consists of would stay behind.
        if !forms.is_empty() && lies_beside {
            beside.insert(nth);
        }
        for form in forms {
            if let Some(template) = &template {
                found.entry((template.clone(), form)).or_default().insert(nth);
            }
        }
    }
    // One such file among several games may be somebody's own.
    if beside.len() > 1 || (!beside.is_empty() && beside.len() == games.len()) {
        return Err(Beside);
    }
    // What most games have; of a file in two shapes the one that says more.
    let best = found.into_iter().max_by_key(|((_, form), games)| (games.len(), form.size.is_some()));
    // One file that fits one of several games tells nothing of where the others' are.
    let best = best.filter(|(_, with)| with.len() > 1 || games.len() == 1);
    Ok(best.map(|((file, form), _)| LearnedContents { file, form }))
}

/// A game with its files.
struct Game<'a> {
    id: String,
    dir: &'a Path,
    listing: FolderListing,
}

impl<'a> Game<'a> {
    fn of(list: &GameList, roles: &Roles, entry: &'a Entry) -> Option<Self> {
        let dir = entry.dir.as_deref()?;
        Some(Self { id: roles.id_of(list, entry)?, dir, listing: FolderListing::of(dir) })
    }

    /// Names of files by which a list of them is told, those that are longest.
    fn names(&self) -> Vec<String> {
        let mut names: Vec<String> =
            self.listing.iter().filter_map(|(path, _)| Some(path.file_name()?.to_str()?.to_string())).collect();
        names.sort_by_key(|name| std::cmp::Reverse(name.len()));
        names.dedup();
        // The list itself is no file that it lists.
        names.truncate(3);
        names
    }
}

/// Files that may be the content list of a game: those of the launcher and of the game that name files of it.
fn candidates<'a>(games: &'a [Game<'a>], home: &Home, evidence: &Evidence) -> Vec<(usize, &'a Game<'a>, PathBuf)> {
    let above: BTreeSet<&Path> = games.iter().filter_map(|game| game.dir.parent()).collect();
    // Beside the games, and in none, whoever's.
    let mut known: HashMap<PathBuf, bool> = HashMap::new();
    let mut lies_beside = |file: &Path| {
        let Some(above) = above.iter().filter(|above| file.starts_with(above)).max() else { return false };
        let first = file.strip_prefix(above).ok().and_then(|rest| rest.components().next());
        let top = first.map(|first| above.join(first)).unwrap_or_default();
        !*known.entry(top.clone()).or_insert_with(|| top.look_is_dir() && is_playable(&top))
    };
    let mut of_launcher = |file: &&PathBuf| file.starts_with(&home.path) || lies_beside(file);
    let common: Vec<PathBuf> = evidence.gathered.files.iter().filter(&mut of_launcher).cloned().collect();
    let names: Vec<Vec<String>> = games.iter().map(Game::names).collect();
    let words: Vec<&str> = names.iter().flatten().map(String::as_str).collect();
    let naming = files_naming(&words, &common);
    let (mut all, mut at) = (Vec::new(), 0);
    for (nth, game) in games.iter().enumerate() {
        let count = names[nth].len();
        let mut files: Vec<PathBuf> = naming[at..at + count].iter().flatten().cloned().collect();
        at += count;
        let mut own = Vec::new();
        small_files(game.dir, DEEP, &mut own);
        let words: Vec<&str> = names[nth].iter().map(String::as_str).collect();
        files.extend(files_naming(&words, &own).into_iter().flatten());
        files.sort();
        files.dedup();
        let small = |file: &PathBuf| file.look_meta().is_ok_and(|meta| meta.size <= LARGEST);
        all.extend(files.into_iter().filter(small).map(|file| (nth, game, file)));
    }
    all
}

/// The path in a game that a list says, which may begin with the name of the game's folder.
fn said_path(game: &Game<'_>, text: &str, backslashes: bool, below: bool) -> Option<PathBuf> {
    let path = path_of(text, backslashes)?;
    if below { Some(path.strip_prefix(game.dir.file_name()?).ok()?.to_path_buf()) } else { Some(path) }
}

/// The ways in which a file lists what a game consists of.
fn forms_of(site: &Site, game: &Game<'_>, file: &Path) -> Vec<ListForm> {
    let all = forms_where(site, game, file, false);
    if all.is_empty() { forms_where(site, game, file, true) } else { all }
}

fn forms_where(site: &Site, game: &Game<'_>, file: &Path, below: bool) -> Vec<ListForm> {
    let mut all: Vec<ListForm> = shapes(file)
        .into_iter()
        .filter(|shape| !matches!(shape, Shape::Link | Shape::Sqlite | Shape::Text(Format::Lines)))
        .filter_map(|shape| form_in(site, game, file, shape, below))
        .take(1)
        .collect();
    if all.is_empty() {
        all.extend(lines_in(site, game, file, below));
    }
    all
}

/// Whether so many of all are enough: a launcher may have removed or added a file since.
fn nearly(some: usize, all: usize) -> bool {
    some > 1.min(all.saturating_sub(1)) && some * 5 >= all * 4
}

/// A list with an entry for each file.
fn form_in(site: &Site, game: &Game<'_>, file: &Path, shape: Shape, below: bool) -> Option<ListForm> {
    let source = Source::read(file, shape).ok()?;
    let (mut slashes, mut backslashes) = (false, false);
    each_leaf(&source, &mut |_, _, text| {
        slashes |= looks_like_a_path(text) && text.contains('/');
        backslashes |= looks_like_a_path(text) && !text.contains('/');
    });
    let backslashes = backslashes && !slashes;
    // Of all that a large file says, what is kept leads to files of the game.
    let mut texts = Vec::new();
    each_leaf(&source, &mut |place, side, text| {
        if said_path(game, text, backslashes, below).is_some_and(|path| game.listing.size_of(&path).is_some()) {
            texts.push((place.clone(), side, text.to_string()));
        }
    });
    type Kind<'a> = (Vec<bool>, Side, Option<&'a Step>);
    let mut alike: BTreeMap<Kind<'_>, Vec<&(Place, Side, String)>> = BTreeMap::new();
    for text in &texts {
        let last = text.0.0.last().filter(|step| text.1 == Side::Value && matches!(step, Step::Name(_)));
        alike.entry((kinds(&text.0.0), text.1, last)).or_default().push(text);
    }
    let best = alike.into_values().max_by_key(Vec::len)?;
    let places: Vec<&[Step]> = best.iter().map(|text| text.0.0.as_slice()).collect();
    let on_key = best[0].1 == Side::Key;
    let differs = |at: &usize| places.iter().any(|place| place[*at] != places[0][*at]);
    let length = places[0].len();
    // Of one file nothing differs: it is the first of its list.
    let number = |at: &usize| matches!(places[0][*at], Step::Index(_));
    let at = if on_key { length.checked_sub(1)? } else { (0..length).find(differs).or((0..length).find(number))? };
    if (0..length).any(|other| other != at && differs(&other)) {
        return None;
    }
    let list = Place(places[0][..at].to_vec()).to_string();
    let entries = source.children(&source.find_one(&list).ok()?)?;
    if !nearly(best.len(), entries.len()) {
        return None;
    }
    let path = Place(if on_key { Vec::new() } else { places[0][at + 1..].to_vec() }).to_string();
    let mut read = Vec::new();
    for (place, _, text) in &best {
        let value = source.value_at(&Place(place.0[..=at].to_vec()))?;
        read.push((said_path(game, text, backslashes, below)?, fields_of(&value)));
    }
    let size = column(&read, |path, says| says.parse().ok() == game.listing.size_of(path));
    let values = || best.iter().filter_map(|(place, ..)| source.value_at(&Place(place.0[..=at].to_vec())));
    let whole = hash_of(site, game, &read).map(|(hash, algorithm)| (hash, algorithm, None));
    let (hash, algorithm, piece) = whole
        .or_else(|| pieces_of(site, game, &read.iter().map(|(path, _)| path).zip(values()).collect::<Vec<_>>()))?;
    let shape = shape.to_string();
    Some(ListForm { shape, columns: Vec::new(), list, path, below, on_key, size, hash, algorithm, piece })
}

fn looks_like_a_path(text: &str) -> bool {
    text.contains(['/', '\\']) && !text.contains("://")
}

/// The texts and numbers of an entry, those of a short row by their number.
fn fields_of(value: &Value) -> BTreeMap<String, String> {
    match value {
        Value::Array(row) => {
            let cells = row.iter().enumerate().flat_map(|(n, cell)| {
                scalars_of(cell)
                    .into_iter()
                    .map(move |(key, says)| (format!("${}{}", step_text(&Step::Index(n)), &key[1..]), says))
            });
            cells.collect()
        }
        // A list that happens to have one hash may have several elsewhere.
        other => scalars_of(other).into_iter().filter(|(key, _)| !key.ends_with("[0]")).collect(),
    }
}

type Fields = (PathBuf, BTreeMap<String, String>);

/// The field that fits nearly every file.
fn column(read: &[Fields], fits: impl Fn(&Path, &str) -> bool) -> Option<String> {
    let mut count: BTreeMap<&str, usize> = BTreeMap::new();
    for (path, fields) in read {
        for (key, _) in fields.iter().filter(|(_, says)| fits(path, says)) {
            *count.entry(key).or_default() += 1;
        }
    }
    let best = count.into_iter().max_by_key(|(_, fit)| *fit)?;
    // Every entry has to have it, whether it is right there or not.
    let has = read.iter().filter(|(_, fields)| fields.contains_key(best.0)).count();
    (nearly(best.1, read.len()) && has == read.len()).then(|| best.0.to_string())
}

/// The field that holds hashes, and which they are.
fn hash_of(site: &Site, game: &Game<'_>, read: &[Fields]) -> Option<(String, &'static str)> {
    let keys = read.first()?.1.keys();
    let is_hash =
        |key: &&String| read.iter().all(|(_, fields)| fields.get(*key).is_some_and(|says| algorithms(says).is_some()));
    let holds = |key: &String| {
        let pairs: Vec<(&Path, &str)> =
            read.iter().map(|(path, fields)| (path.as_path(), fields[key].as_str())).collect();
        Some((key.clone(), agreeing(site, game, &pairs)?))
    };
    keys.filter(is_hash).find_map(holds)
}

/// The list of hashes that each entry has, one for each piece of its file, and how large the pieces are.
fn pieces_of(
    site: &Site,
    game: &Game<'_>,
    entries: &[(&PathBuf, Cow<'_, Value>)],
) -> Option<(String, &'static str, Option<u64>)> {
    let hashes = |entry: &Value, key: &str| -> Option<Vec<String>> {
        let all = entry.get(key)?.as_array()?.iter().map(|hash| hash.as_str().map(str::to_string));
        all.map(|hash| hash.filter(|hash| hash.len() == 64)).collect()
    };
    let keys = entries.first()?.1.as_object()?.keys();
    for key in keys {
        let listed: Option<Vec<(&PathBuf, u64, Vec<String>)>> = entries
            .iter()
            .map(|(path, entry)| Some((*path, game.listing.size_of(path)?, hashes(entry, key)?)))
            .collect();
        let Some(mut listed) = listed else { continue };
        let fits = |piece: &u64| listed.iter().all(|(_, size, hashes)| size.div_ceil(*piece) == hashes.len() as u64);
        let sizes: Vec<u64> = PIECES.map(|bits| 1 << bits).filter(fits).collect();
        // One of several pieces tells how large they are.
        listed.retain(|(_, size, hashes)| hashes.len() > 1 && *size <= SMALL);
        listed.sort_by_key(|(_, size, _)| *size);
        let agrees = |piece: &u64| {
            let is = |(path, size, hashes): &(&PathBuf, u64, Vec<String>)| {
                let file = from_hex(&hashes.concat()).map(|hash| ListedFile {
                    path: (*path).clone(),
                    size: Some(*size),
                    hash,
                });
                let kind = DigestKind::Sha256Pieces(*piece);
                file.is_some_and(|file| file.has_bytes_of(&site.disk, &game.dir.join(path), kind).unwrap_or(false))
            };
            listed.iter().take(HASHED).any(is)
        };
        if let Some(piece) = sizes.into_iter().find(agrees) {
            let selector = format!("${}[*]", step_text(&Step::Name(key.clone())));
            return Some((selector, "sha256", Some(piece)));
        }
    }
    None
}

/// The algorithms whose hashes have as many digits.
fn algorithms(says: &str) -> Option<&'static [(&'static str, DigestKind)]> {
    if !says.bytes().all(|digit| digit.is_ascii_hexdigit()) {
        return None;
    }
    match says.len() {
        8 => Some(&[("crc32", DigestKind::Crc32)]),
        32 => Some(&[("md5", DigestKind::Md5)]),
        40 => Some(&[("sha1", DigestKind::Sha1)]),
        64 => Some(&[("sha256", DigestKind::Sha256), ("blake3", DigestKind::Blake3)]),
        _ => None,
    }
}

/// The algorithm by which most of some small files have the hashes that are listed.
fn agreeing(site: &Site, game: &Game<'_>, listed: &[(&Path, &str)]) -> Option<&'static str> {
    let mut sized: Vec<(u64, &Path, &str)> =
        listed.iter().filter_map(|(path, hash)| Some((game.listing.size_of(path)?, *path, *hash))).collect();
    // An empty file is the same in all games.
    sized.retain(|(size, ..)| *size > 0 && *size <= SMALL);
    sized.sort();
    sized.truncate(HASHED);
    let all = algorithms(listed.first()?.1)?;
    let agrees = |kind: DigestKind| {
        let is = |(size, path, hash): &&(u64, &Path, &str)| {
            let Some(hash) = from_hex(hash) else { return false };
            let file = ListedFile { path: path.to_path_buf(), size: Some(*size), hash };
            file.has_bytes_of(&site.disk, &game.dir.join(path), kind).unwrap_or(false)
        };
        let agree = sized.iter().filter(is).count();
        agree > 0 && agree * 2 > sized.len()
    };
    all.iter().find(|(_, kind)| agrees(*kind)).map(|(name, _)| *name)
}

/// Orders of columns that are tried.
const ORDERS: [&[(Column, &str)]; 8] = {
    const H: (Column, &str) = (Column::Hash, "hash");
    const P: (Column, &str) = (Column::Path, "path");
    const S: (Column, &str) = (Column::Size, "size");
    [&[H, P], &[P, H], &[H, S, P], &[S, H, P], &[P, S, H], &[P, H, S], &[H, P, S], &[S, P, H]]
};

/// A list of checksum lines.
fn lines_in(site: &Site, game: &Game<'_>, file: &Path, below: bool) -> Option<ListForm> {
    let source = Source::read(file, Shape::Text(Format::Lines)).ok()?;
    let texts: Vec<String> =
        leaves(&source).into_iter().map(|(.., text)| text).filter(|text| !is_checksum_remark(text)).collect();
    let fits = |order: &&&[(Column, &'static str)]| {
        let columns: Vec<Column> = order.iter().map(|(column, _)| *column).collect();
        let is_listed =
            |text: &String| read_checksum_line(text, &columns).is_some_and(|line| algorithms(line.hash).is_some());
        // The first may be a heading.
        let texts = if texts.len() > 1 && !is_listed(&texts[0]) { &texts[1..] } else { &texts };
        if !texts.iter().all(is_listed) {
            return None;
        }
        let lines: Vec<_> = texts.iter().filter_map(|text| read_checksum_line(text, &columns)).collect();
        let backslashes = with_backslashes(lines.iter().map(|line| line.path.as_ref()));
        let mut there: Vec<(PathBuf, &str)> = Vec::new();
        for line in &lines {
            let Some(path) = said_path(game, &line.path, backslashes, below) else { continue };
            let Some(size) = game.listing.size_of(&path) else { continue };
            if line.size.is_none_or(|says| says.parse() == Ok(size)) {
                there.push((path, line.hash));
            }
        }
        if !nearly(there.len(), lines.len()) {
            return None;
        }
        let pairs: Vec<(&Path, &str)> = there.iter().map(|(path, hash)| (path.as_path(), *hash)).collect();
        agreeing(site, game, &pairs)
    };
    let (order, algorithm) = ORDERS.iter().find_map(|order| Some((*order, fits(&order)?)))?;
    Some(ListForm {
        shape: String::new(),
        columns: order.iter().map(|(_, name)| *name).collect(),
        list: String::new(),
        path: String::new(),
        below,
        on_key: false,
        size: None,
        hash: String::new(),
        algorithm,
        piece: None,
    })
}

/// The file of a game's list as a template that tells it from those of other games.
fn template_of(home: &Home, game: &Game<'_>, file: &Path) -> Option<String> {
    let (base, rest) = if let Ok(rest) = file.strip_prefix(game.dir) {
        ("{install}", rest)
    } else {
        ("{home}", file.strip_prefix(&home.path).ok()?)
    };
    let folder = game.dir.file_name()?.to_str()?;
    let mut told = base == "{install}";
    let mut out = base.to_string();
    for part in rest.components() {
        let name = part.as_os_str().to_str()?;
        if name.contains(['{', '}']) {
            return None;
        }
        let word = [(game.id.as_str(), "{id}"), (folder, "{folder}")].into_iter().find_map(|(value, word)| {
            let at = stands_alone(name, value)?;
            Some(format!("{}{word}{}", &name[..at], &name[at + value.len()..]))
        });
        told |= word.is_some();
        out.push('/');
        out.push_str(word.as_deref().unwrap_or(name));
    }
    told.then_some(out)
}

/// Whether the content lists that a profile names agree with the files of every game that has one.
pub(super) fn lists_agree(site: &Site, profile: &str) -> bool {
    let Ok(profile) = Profile::parse(profile, Path::new("learned.toml")) else { return false };
    let found = read_launchers(site, std::slice::from_ref(&profile)).pop();
    let check = found.and_then(|found| check_lists(site, &found));
    check.is_some_and(|check| check.faults.is_empty() && check.agree > 0)
}
