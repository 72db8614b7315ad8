//! The edits that repoint a game.

mod texts;

use crate::bytes::signed;
use crate::record::Registering;
use std::cmp::Reverse;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use super::register::{libraries_file, next_number, register, stands_alone, written_like_others};
use super::unchangeable::Unchangeable;
use crate::launcher::{FoundGame, FoundLauncher, Record};
use crate::platform::Look;
use crate::record::{Bases, Edit, Following, Format, Place, Rewrite, Shape, Side, Source, Spelling, Total, Values};
use crate::site::Site;

/// Where a game goes, in the words of its launcher.
pub(crate) struct Target<'a> {
    pub install: &'a Path,
    pub library: Option<&'a Path>,
    pub new_library: bool,
    /// The top of the drive it goes to: where a new drive letter would lead.
    pub root: &'a Path,
    /// Whether a drive letter may be made where none leads there.
    pub letters: MakeLetters,
}

/// Whether drive letters of compatibility layers are made where a spelling needs one.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum MakeLetters {
    /// They are made, as links that a return takes away again.
    Yes,
    /// A haul that needs one is stopped.
    #[default]
    No,
}

/// The edits of a game, and the drive letters that they make.
pub(crate) struct Repointing {
    pub edits: Vec<Edit>,
    pub letters: Vec<(PathBuf, char)>,
}

struct Writing<'a> {
    site: &'a Site,
    found: &'a FoundLauncher,
    game: &'a FoundGame,
    target: &'a Target<'a>,
    old: Values,
    new: Values,
    bases: Bases,
    /// Links that items of this haul make before.
    made: Vec<Edit>,
    /// What items of this haul make before that later ones rely on.
    earlier: &'a [Edit],
    /// Records that are parts of texts, by file and place.
    texts: HashMap<(&'a Path, &'a str), Vec<usize>>,
}

/// What the names in templates stand for, of a game in this place.
fn placed(
    site: &Site,
    found: &FoundLauncher,
    id: &str,
    install: &Path,
    library: Option<&Path>,
    folder: &str,
) -> Result<Values, String> {
    let text = |path: &Path| path.to_str().map(str::to_string).ok_or(format!("{} is not text", path.display()));
    let values = found
        .values(site)
        .with("id", id)
        .with("folder", folder)
        .with("install", text(install)?)
        .with("parent", text(install.parent().unwrap_or(Path::new("/")))?);
    let Some(library) = library else { return Ok(values) };
    let id = found.libraries.iter().find(|known| known.path == library).and_then(|known| known.id.as_deref());
    let values = values.with("library", text(library)?);
    Ok(match id {
        Some(id) => values.with("library-id", id),
        None => values,
    })
}

/// The same with what games call a library that is new: the number that it gets.
fn named_anew(
    site: &Site,
    found: &FoundLauncher,
    target: &Target<'_>,
    values: Values,
    earlier: &[Edit],
) -> Result<Values, String> {
    let (Some(library), Some(libraries)) = (target.library, &found.profile.libraries) else { return Ok(values) };
    if !target.new_library || libraries.id.is_none() {
        return Ok(values);
    }
    let (file, source, _) = libraries_file(site, found)?;
    Ok(values.with("library-id", next_number(found, (&file, &source), library, earlier)?.1))
}

/// Makes the edits that repoint `game` to `target`. `earlier` are those of the haul's items before it.
pub(crate) fn edits(
    site: &Site,
    found: &FoundLauncher,
    game: &FoundGame,
    target: &Target<'_>,
    earlier: &[Edit],
) -> Result<Repointing, Unchangeable> {
    let folder = target.install.file_name().and_then(|name| name.to_str()).unwrap_or(&game.folder);
    let mut bases = found.bases(site);
    for edit in earlier {
        know_letter(&mut bases, edit);
    }
    // Where the launcher lists no libraries, as much of the way to the game is below the folder that its entry says as before.
    let root = game.root.as_deref().filter(|_| game.library.is_none());
    let below = root.and_then(|root| game.install.strip_prefix(root).ok()).map_or(0, |way| way.components().count());
    let new_root = root.and_then(|_| target.install.ancestors().nth(below));
    let library = target.library.filter(|_| root.is_none()).or(new_root);
    let new = placed(site, found, &game.id, target.install, library, folder)?;
    let mut writing = Writing {
        site,
        found,
        game,
        target,
        old: placed(site, found, &game.id, &game.install, game.library.as_deref().or(root), &game.folder)?,
        new: named_anew(site, found, target, new, earlier)?,
        bases,
        made: Vec::new(),
        earlier,
        texts: texts_of(game),
    };
    let mut edits = writing.all()?;
    let letters = writing.made.iter().filter_map(|edit| match edit {
        Edit::Link { link, .. } => Some((link.clone(), link.file_name()?.to_str()?.chars().next()?)),
        _ => None,
    });
    let letters = letters.collect();
    edits.splice(0..0, writing.made);
    Ok(Repointing { edits, letters })
}

/// The changes that make a game's entry one of another game: it lies at `target`, has this id, and starts with this program.
pub(crate) fn entry_rewrites(
    site: &Site,
    found: &FoundLauncher,
    example: &FoundGame,
    target: &Target<'_>,
    id: &str,
    program: Option<&str>,
) -> Result<Vec<Rewrite>, String> {
    let folder = target.install.file_name().and_then(|name| name.to_str()).unwrap_or_default();
    let mut writing = Writing {
        site,
        found,
        game: example,
        target,
        old: placed(site, found, &example.id, &example.install, example.library.as_deref(), &example.folder)?,
        new: named_anew(site, found, target, placed(site, found, id, target.install, target.library, folder)?, &[])?,
        bases: found.bases(site),
        made: Vec::new(),
        earlier: &[],
        texts: texts_of(example),
    };
    let mut rewrites = Vec::new();
    for record in example.records.iter().filter(|record| record.in_entry && record.sound) {
        let mut record = record.clone();
        // What leads to the example's program leads to this one's.
        if let (Some(program), true) = (program, record.tail.is_some() && record.tail == example.program) {
            record.tail = Some(program.into());
        }
        let file = example.entry.file.clone();
        let rewrite = writing.rewrite(&record, &file).map_err(Unchangeable::why)?;
        rewrites.extend(rewrite);
    }
    Ok(rewrites)
}

/// Adds a drive letter that an edit makes.
fn know_letter(bases: &mut Bases, edit: &Edit) {
    if let Edit::Link { link, new: Some(target), .. } = edit
        && let (Some(folder), Some(name)) = (link.parent(), link.file_name().and_then(|name| name.to_str()))
        && let Some(letter) = name.strip_suffix(':').and_then(|name| name.chars().next())
    {
        for layer in &mut bases.letters {
            if folder == layer.prefix().join("dosdevices") && layer.leads_to(letter).is_none() {
                *layer = layer.with(letter, target);
            }
        }
    }
}

impl Writing<'_> {
    fn all(&mut self) -> Result<Vec<Edit>, Unchangeable> {
        let mut edits = Vec::new();
        let games = &self.found.profile.games;
        // An entry in a file per game, or in one file for all, stays where it is.
        let list_file = match games.file.fill(&self.new) {
            Ok(file) if games.travels => PathBuf::from(file),
            _ => self.game.entry.file.clone(),
        };
        if let Some(library) = self.target.library {
            edits.extend(self.make_known(library, &list_file)?);
        }
        let travels = self.game.entry.travels && list_file != self.game.entry.file;
        // An entry that stands in its library's goes on to the other library's.
        let leaves = self.found.profile.holds_entries() && self.game.library.as_deref() != self.target.library;
        let goes = travels || leaves;
        let entry = Place::read(&self.game.entry.location).unwrap_or_default();
        if goes {
            let source = Source::read(&self.game.entry.file, self.game.entry.shape).map_err(|e| e.to_string())?;
            stands_alone(&source, &entry, &self.game.entry.file)?;
        }
        let mut rewrites = self.of_records(goes, travels.then_some(&list_file), &mut edits)?;
        inner_first(&mut edits);
        rewrites.sort_by_key(inner);
        if leaves {
            return Ok(edits.into_iter().chain(self.follow(rewrites)?).collect());
        }
        if travels {
            edits.push(self.take_along(list_file, rewrites)?);
        }
        edits.extend(self.follow(Vec::new())?);
        Ok(edits)
    }

    /// What each record will say: an edit where it stays, a part of the entry's own edit where that goes.
    fn of_records(
        &mut self,
        goes: bool,
        list_file: Option<&PathBuf>,
        edits: &mut Vec<Edit>,
    ) -> Result<Vec<Rewrite>, Unchangeable> {
        let mut rewrites: Vec<Rewrite> = Vec::new();
        // A word that stands twice in a text changes with the first, and a place that two records speak of changes once.
        let mut words: HashMap<(PathBuf, String), Vec<usize>> = HashMap::new();
        let game = self.game;
        for record in &game.records {
            // What does not say what it should is a finding of its own, and stays.
            if !record.sound {
                continue;
            }
            let new_file = match list_file {
                Some(file) if record.in_entry => file.clone(),
                _ => self.carried(&record.file),
            };
            let Some(mut rewrite) = self.rewrite(record, &new_file)? else { continue };
            if record.in_entry && goes {
                let here = words.entry((record.file.clone(), record.location.clone())).or_default();
                if !here.iter().any(|n| rewrites[*n] == rewrite) {
                    here.push(rewrites.len());
                    rewrites.push(rewrite);
                }
                continue;
            }
            if record.in_entry {
                rewrite.location = format!("{}{}", self.game.entry.location, rewrite.location.trim_start_matches('$'));
            }
            let key = (record.file.clone(), rewrite.location.clone());
            let edit = self.edit(record, rewrite);
            let here = words.entry(key).or_default();
            if !here.iter().any(|n| edits[*n] == edit) {
                here.push(edits.len());
                edits.push(edit);
            }
        }
        Ok(rewrites)
    }

    /// Takes the entry from the list of its library to that of the new one.
    fn take_along(&self, list_file: PathBuf, rewrites: Vec<Rewrite>) -> Result<Edit, Unchangeable> {
        if self.found.profile.games.file.names("id") {
            let format = self
                .game
                .entry
                .shape
                .format()
                .ok_or_else(|| "a database does not go from library to library".to_string())?;
            let at = |rewrite: Rewrite| {
                let location = format!("{}{}", self.game.entry.location, rewrite.location.trim_start_matches('$'));
                Rewrite { location, ..rewrite }
            };
            let (from, rewrites) = (self.game.entry.file.clone(), rewrites.into_iter().map(at).collect());
            return Ok(Edit::Relocate { from, to: list_file, format, rewrites });
        }
        let list =
            self.found.profile.games.list.clone().ok_or_else(|| "entries travel only between lists".to_string())?;
        let format = self.game.entry.shape.format().ok_or_else(|| "entries of a database do not travel".to_string())?;
        let total = self.found.profile.libraries.as_ref().and_then(|libraries| libraries.total.clone());
        let amount = self.game.claim.map_or(0, |claim| signed(claim.count()));
        Ok(Edit::Travel {
            from: self.game.entry.file.clone(),
            to: list_file,
            format,
            list,
            id_at: self.game.entry.id_at.clone(),
            id: self.game.id.clone(),
            rewrites,
            totals: total.into_iter().map(|location| Total { location, amount }).collect(),
        })
    }

    /// What the library needs; a letter is made if its list says libraries by their letters and none leads there.
    fn make_known(&mut self, library: &Path, list_file: &Path) -> Result<Option<Edit>, Unchangeable> {
        let known = |writing: &Self| {
            let Target { new_library, .. } = *writing.target;
            make_known(writing.site, writing.found, &writing.bases, (library, list_file, new_library), writing.earlier)
        };
        // A letter may have to be made in each layer.
        for _ in 0..self.bases.letters.len() {
            match known(self) {
                Err(Unchangeable::NoLetter { path, prefix, .. }) => self.make_letter(path, prefix)?,
                other => return other,
            }
        }
        known(self)
    }

    /// What the list of libraries says of the game goes from one entry to the other; these are the changes of the game's own in it.
    fn follow(&self, rewrites: Vec<Rewrite>) -> Result<Option<Edit>, Unchangeable> {
        let Some(libraries) = self.found.profile.libraries.as_ref().filter(|libraries| !libraries.holds.is_empty())
        else {
            return Ok(None);
        };
        let (Some(from), Some(to)) = (&self.game.library, self.target.library) else {
            let why = format!("{}: the game lies in no library that it lists", self.found.profile.name);
            return Err(Unchangeable::Because(why));
        };
        if from == to {
            return Ok(None);
        }
        let (file, source, shape) = libraries_file(self.site, self.found)?;
        // Of a row of a database only numbers are known to follow a game.
        let numbers_alone = libraries.holds.iter().all(|part| !part.says.names_games());
        let format = match shape.format() {
            Some(format) => format,
            None if numbers_alone => Format::Json,
            None => return Err("libraries listed in a database can't be changed".to_string().into()),
        };
        stands_alone(&source, &source.find_one(&libraries.list).map_err(|e| e.to_string())?, &file)?;
        let said = |library: &Path| {
            let says = |entry: &Place| source.below(entry, &libraries.path);
            let bases = self.bases.seen_from(&file);
            let leads = |text: &String| Spelling::read(text, &bases).is_ok_and(|(_, path)| path == library);
            libraries.entries_in(&source).ok()?.iter().filter_map(says).find(leads)
        };
        let unknown = |library: &Path| format!("{} is not listed in {}", library.display(), file.display());
        let id = match &libraries.named_by {
            None => self.game.id.clone(),
            Some(selector) => {
                let entry = &self.game.entry;
                let source = Source::read(&entry.file, entry.shape).map_err(|e| e.to_string())?;
                let place = Place::read(&entry.location).unwrap_or_default();
                source
                    .below(&place, selector)
                    .ok_or_else(|| format!("{} does not say what names the game", entry.file.display()))?
            }
        };
        Ok(Some(Edit::Follow(Following {
            format,
            list: libraries.list.clone(),
            path: libraries.path.clone(),
            from: said(from).ok_or_else(|| unknown(from))?,
            // One that this haul makes known is written as it is here.
            to: match said(to) {
                Some(says) => says,
                None => written_like_others(libraries, &source, to, &self.bases.seen_from(&file))?,
            },
            id,
            bytes: self.game.claim.map_or(0, |claim| signed(claim.count())),
            parts: libraries.holds.clone(),
            rewrites,
            file,
        })))
    }

    /// A record within the item is rewritten in the copy.
    fn carried(&self, file: &Path) -> PathBuf {
        match file.strip_prefix(&self.game.install) {
            Ok(rest) => self.target.install.join(rest),
            Err(_) => file.into(),
        }
    }

    fn edit(&self, record: &Record, mut rewrite: Rewrite) -> Edit {
        let file = self.carried(&record.file);
        // What stands in a document within a text is written with that text.
        if let Some((text, hops)) = &record.through {
            rewrite.location = text.to_string();
            rewrite.inside.splice(0..0, hops.iter().cloned());
        }
        match record.shape {
            Shape::Link => Edit::Link { link: file, old: Some(rewrite.old.into()), new: Some(rewrite.new.into()) },
            shape => Edit::Replace { file, format: shape.format(), rewrite },
        }
    }
}

/// Records that are parts of texts, by file and place.
fn texts_of(game: &FoundGame) -> HashMap<(&Path, &str), Vec<usize>> {
    let mut texts: HashMap<(&Path, &str), Vec<usize>> = HashMap::new();
    for (n, record) in game.records.iter().enumerate().filter(|(_, record)| record.sound && record.whole.is_some()) {
        texts.entry((&record.file, &record.location)).or_default().push(n);
    }
    texts
}

/// Whether two records stand in one text.
fn is_leaf_of(one: &Record, other: &Record) -> bool {
    (one.side, one.in_entry, one.within) == (other.side, other.in_entry, other.within)
        && one.location == other.location
        && one.file == other.file
        && one.inside == other.inside
}

/// A key is renamed after all that is found by way of it, and the deepest key first.
fn inner(rewrite: &Rewrite) -> (bool, Reverse<usize>) {
    let is_key = rewrite.side == Side::Key && rewrite.inside.is_empty();
    let depth = Place::read(&rewrite.location).map_or(0, |place| place.0.len());
    (is_key, Reverse(if is_key { depth } else { 0 }))
}

/// Puts the edits of each file in an order in which each finds its place; the files stay in theirs.
fn inner_first(edits: &mut [Edit]) {
    let mut files: Vec<PathBuf> = Vec::new();
    for edit in edits.iter() {
        for file in edit.files() {
            if !files.iter().any(|known| known == file) {
                files.push(file.into());
            }
        }
    }
    let at = |edit: &Edit| edit.files().first().and_then(|file| files.iter().position(|known| known == file));
    edits.sort_by_cached_key(|edit| {
        let rank = if let Edit::Replace { rewrite, .. } = edit { inner(rewrite) } else { (false, Reverse(0)) };
        (at(edit), rank)
    });
}

/// What a library needs before a game can be listed in it: that its launcher knows it, and that it has its own file, which one without games
/// may lack.
pub(crate) fn make_known(
    site: &Site,
    found: &FoundLauncher,
    bases: &Bases,
    (library, list_file, is_new): (&Path, &Path, bool),
    earlier: &[Edit],
) -> Result<Option<Edit>, Unchangeable> {
    if is_new {
        return register(site, found, bases, (library, list_file), earlier).map(Some);
    }
    let games = &found.profile.games;
    let text = found.profile.libraries.as_ref().and_then(|libraries| libraries.new_file.clone());
    let shape = games.shape.unwrap_or_else(|| Shape::of_name(list_file));
    let own = games.file.names("library") && !games.file.names("id");
    let (Some(text), Some(format), true) = (text, shape.format(), own) else { return Ok(None) };
    let made = Some((list_file.to_path_buf(), text));
    let (file, list, entry) = (list_file.to_path_buf(), "$".to_string(), String::new());
    let edit = Edit::Register(Registering {
        file,
        format,
        list,
        entry,
        path: None,
        made,
        listed: true,
        library: Some(library.into()),
        id: None,
    });
    Ok((!list_file.look_exists()).then_some(edit))
}
