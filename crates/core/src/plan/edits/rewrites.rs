//! The edits that repoint a game.

use std::cmp::Reverse;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::launcher::{FoundGame, FoundLauncher, Libraries, Record, base_in, base_of};
use crate::platform::Look;
use crate::record::{
    Bases, Edit, Following, Format, Letters, PartFit, Place, Rewrite, Shape, Side, Source, Spelling, SpellingError,
    Step, Total, Values, find_parts, numbered, write_part,
};
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

/// Why a game's records cannot be repointed.
#[derive(Debug)]
pub(crate) enum Unchangeable {
    /// A drive letter is missing; one that is free.
    NoLetter { prefix: PathBuf, path: PathBuf, free: Option<char> },
    /// Anything else, in a sentence.
    Because(String),
}

impl Unchangeable {
    /// The same as a sentence, where no letter can be made.
    pub fn why(self) -> String {
        match self {
            Self::NoLetter { path, .. } => format!("no drive letter points to {}", path.display()),
            Self::Because(why) => why,
        }
    }
}

impl From<String> for Unchangeable {
    fn from(why: String) -> Self {
        Self::Because(why)
    }
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
        let mut rewrites: Vec<Rewrite> = Vec::new();
        // A word that stands twice in a text changes with the first, and a place that two records speak of changes once.
        let mut words: HashMap<(PathBuf, String), Vec<usize>> = HashMap::new();
        let game = self.game;
        for record in &game.records {
            // What does not say what it should is a finding of its own, and stays.
            if !record.sound {
                continue;
            }
            let new_file = if record.in_entry && travels { list_file.clone() } else { self.carried(&record.file) };
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
        inner_first(&mut edits);
        rewrites.sort_by_key(inner);
        if leaves {
            return Ok(edits.into_iter().chain(self.follow(rewrites)?).collect());
        }
        if travels && games.file.names("id") {
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
            edits.push(Edit::Relocate { from, to: list_file, format, rewrites });
        } else if travels {
            let list = games.list.clone().ok_or_else(|| "entries travel only between lists".to_string())?;
            let format =
                self.game.entry.shape.format().ok_or_else(|| "entries of a database do not travel".to_string())?;
            let total = self.found.profile.libraries.as_ref().and_then(|libraries| libraries.total.clone());
            let amount = self.game.claim.map_or(0, |claim| claim.count() as i64);
            edits.push(Edit::Travel {
                from: self.game.entry.file.clone(),
                to: list_file,
                format,
                list,
                id_at: self.game.entry.id_at.clone(),
                id: self.game.id.clone(),
                rewrites,
                totals: total.into_iter().map(|location| Total { location, amount }).collect(),
            });
        }
        edits.extend(self.follow(Vec::new())?);
        Ok(edits)
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
            bytes: self.game.claim.map_or(0, |claim| claim.count() as i64),
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

    /// What a record is to say; `None` if it says that already.
    fn new_text(&mut self, record: &Record, new_file: &Path) -> Result<Option<String>, Unchangeable> {
        let values = match &record.tail {
            Some(tail) => self.new.clone().with("tail", tail),
            None => self.new.clone(),
        };
        let says = record.meaning.fill(&values).map_err(|e| e.to_string())?;
        let new = if record.meaning.base().is_some() {
            self.spelled(record, new_file, Path::new(&says))?
        } else {
            let before = record.meaning.fill(&self.old).unwrap_or_default();
            // A name in letters of another case that stays the same name stays as it is.
            if before == says { record.text.clone() } else { says }
        };
        Ok((new != record.text).then_some(new))
    }

    fn rewrite(&mut self, record: &Record, new_file: &Path) -> Result<Option<Rewrite>, Unchangeable> {
        let (old, new) = if let Some((whole, start)) = &record.whole {
            // All that changes in one text changes at once, with the first of its parts.
            let game = self.game;
            let in_file = self.texts.get(&(record.file.as_path(), record.location.as_str()));
            let there = in_file.into_iter().flatten().map(|n| &game.records[*n]);
            let mut parts: Vec<&Record> = there.filter(|other| is_leaf_of(other, record)).collect();
            parts.sort_by_key(|part| part.whole.as_ref().map(|(_, start)| *start));
            parts.dedup_by_key(|part| part.whole.as_ref().map(|(_, start)| *start));
            let is_first = parts.first().is_none_or(|first| first.whole.as_ref().map(|(_, at)| at) == Some(start));
            if !is_first {
                return Ok(None);
            }
            let mut after = whole.clone();
            for part in parts.iter().rev() {
                let Some((_, at)) = &part.whole else { continue };
                // This one may have another tail than the survey's.
                let part = if at == start { record } else { part };
                if let Some(new) = self.new_text(part, new_file)? {
                    after.replace_range(*at..at + part.text.len(), &new);
                }
            }
            if after == *whole {
                return Ok(None);
            }
            (whole.clone(), after)
        } else {
            let Some(new) = self.new_text(record, new_file)? else { return Ok(None) };
            (record.text.clone(), new)
        };
        Ok(Some(Rewrite {
            location: record.location.clone(),
            inside: record.inside.clone(),
            side: record.side,
            within: record.within,
            old,
            new,
            written: [record.written.clone(), None],
        }))
    }

    /// Writes a path as the record spells it; makes a drive letter if one is missing and may be made.
    fn spelled(&mut self, record: &Record, new_file: &Path, path: &Path) -> Result<String, Unchangeable> {
        let because = |why: &dyn std::fmt::Display| Unchangeable::Because(format!("{}: {why}", record.file.display()));
        let format = record.inside.last().map_or(record.shape.format(), |hop| Some(hop.format));
        let parts = find_parts(&record.text, record.within, format, &|_| PartFit::There);
        let part = parts.into_iter().next().ok_or_else(|| because(&"its path can't be found again"))?;
        let old_bases = base_of(&self.bases, record.relative_to.as_ref(), &record.file, &self.old);
        let (spelling, _) = Spelling::read(&part.text, &old_bases).map_err(|e| because(&e))?;
        // A letter may have to be made in each layer.
        for _ in 0..=self.bases.letters.len() {
            // In whatever file it is to stand, it is written as the one it stands in has it.
            let seen = self.bases.seen_from(&record.file).into_owned();
            let bases = base_in(&seen, record.relative_to.as_ref(), new_file, &self.new);
            match spelling.write(path, &bases) {
                Ok(written) => {
                    let part = write_part(&record.text, &part, &written.0, record.within, format);
                    return part.ok_or_else(|| because(&format!("{} can't be written there", written.0)));
                }
                Err(SpellingError::NoLetter { path, prefix }) => self.make_letter(path, prefix)?,
                Err(error) => return Err(because(&error)),
            }
        }
        Err(because(&"no drive letter points to it"))
    }

    fn make_letter(&mut self, path: PathBuf, prefix: PathBuf) -> Result<(), Unchangeable> {
        let layer = self.bases.letters.iter_mut().find(|layer| layer.prefix() == prefix);
        let free = layer.as_ref().and_then(|layer| layer.free());
        match (layer, free, self.target.letters) {
            (Some(layer), Some((letter, link)), MakeLetters::Yes) => {
                *layer = layer.with(letter, self.target.root);
                self.made.push(Edit::Link { link, old: None, new: Some(self.target.root.into()) });
                Ok(())
            }
            (_, free, _) => Err(Unchangeable::NoLetter { prefix, path, free: free.map(|(letter, _)| letter) }),
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
    let edit = Edit::Register {
        file,
        format,
        list,
        entry,
        path: None,
        made,
        listed: true,
        library: Some(library.into()),
        id: None,
    };
    Ok((!list_file.look_exists()).then_some(edit))
}

/// The number that a new library gets: the next one after those that are listed, and after those that earlier items of its haul make known;
/// and what that makes of the names that differ by such a number.
fn next_number(
    found: &FoundLauncher,
    (file, source): (&Path, &Source),
    library: &Path,
    earlier: &[Edit],
) -> Result<(u64, String), String> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries")?;
    let by_field = libraries.id.as_deref().filter(|id| *id != "key");
    let called = |place: &Place| match (by_field, place.0.last()) {
        (Some(id), _) => source.below(place, id),
        (None, Some(Step::Name(name))) => Some(name.clone()),
        // Among other things the place of a new one is not the next after the last of them.
        (None, Some(Step::Index(nth))) if libraries.entries.is_none() => Some(nth.to_string()),
        (None, _) => None,
    };
    let entries = libraries.entries_in(source).map_err(|e| e.to_string())?;
    let names: Option<Vec<String>> = entries.iter().map(called).collect();
    let names = names.unwrap_or_default();
    let parts: Option<Vec<(&str, u64, &str)>> = names.iter().map(|name| numbered(name)).collect();
    let alike =
        |parts: &Vec<(&str, u64, &str)>| parts.windows(2).all(|two| (two[0].0, two[0].2) == (two[1].0, two[1].2));
    let numbers = parts.filter(|parts| !parts.is_empty() && alike(parts));
    let numbers = numbers.ok_or("its libraries aren't numbered in a row, so a new one can't get the next number")?;
    let (before_it, behind_it) = (numbers[0].0, numbers[0].2);
    let mut before: Vec<&Path> = Vec::new();
    for edit in earlier {
        if let Edit::Register { file: other, library: Some(other_library), listed: false, .. } = edit
            && other == file
            && !before.contains(&other_library.as_path())
        {
            before.push(other_library);
        }
    }
    let nth = before.iter().position(|known| *known == library).unwrap_or(before.len());
    let last = numbers.iter().map(|(_, number, _)| *number).max().unwrap_or_default();
    let next = last + 1 + nth as u64;
    Ok((next, format!("{before_it}{next}{behind_it}")))
}

/// A library as the list spells the last one of which it says the place; in a list that says none, plainly.
fn written_like_others(
    libraries: &Libraries,
    source: &Source,
    library: &Path,
    bases: &Bases,
) -> Result<String, Unchangeable> {
    let entries = libraries.entries_in(source).map_err(|e| e.to_string())?;
    let said = entries.into_iter().rev();
    let mut said = said.filter_map(|entry| Spelling::read(&source.below(&entry, &libraries.path)?, bases).ok());
    let Some((spelling, _)) = said.next() else {
        let plain = library.to_str().map(str::to_string);
        return Ok(plain.ok_or_else(|| format!("{} is not text", library.display()))?);
    };
    match spelling.write(library, bases) {
        Ok(written) => Ok(written.0),
        Err(SpellingError::NoLetter { path, prefix }) => {
            let free = bases.letters.iter().find(|layer| layer.prefix() == prefix).and_then(Letters::free);
            Err(Unchangeable::NoLetter { prefix, path, free: free.map(|(letter, _)| letter) })
        }
        Err(error) => Err(error.to_string().into()),
    }
}

/// The edit that lists a new library, and makes its own file.
pub(crate) fn register(
    site: &Site,
    found: &FoundLauncher,
    bases: &Bases,
    (library, list_file): (&Path, &Path),
    earlier: &[Edit],
) -> Result<Edit, Unchangeable> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries".to_string())?;
    let (file, source, shape) = libraries_file(site, found)?;
    // A row of a database is said as a JSON object.
    let format = match shape {
        Shape::Sqlite => Format::Json,
        _ => shape.format().ok_or("a link lists no libraries".to_string())?,
    };
    stands_alone(&source, &source.find_one(&libraries.list).map_err(|e| e.to_string())?, &file)?;
    let entry = libraries.new_entry.as_ref().ok_or("the profile has no entry for a new library".to_string())?;
    let mut entry = entry.clone();
    if entry.contains("{nr}") {
        let (next, _) = next_number(found, (&file, &source), library, earlier)?;
        entry = entry.replace("{nr}", &next.to_string());
    }
    let bases = bases.seen_from(&file);
    let written = written_like_others(libraries, &source, library, &bases)?;
    let plain = library.to_string_lossy();
    // An entry may have a part of the spelling itself, and its own quotes: it has to say what the others would, or lead there.
    let texts = [written.as_str(), &plain];
    let ways = texts.iter().flat_map(|text| quoted_ways(format, text).into_iter().map(|way| (*text, way)));
    let says = |entry: &str| -> Option<String> {
        let value = match &source {
            Source::Text(document) => {
                let list = document.find_one(&libraries.list).ok()?;
                document.read_entry(&list, entry).ok()?.1
            }
            Source::Tables(_) => serde_json::from_str(entry).ok()?,
            Source::Link(_) => return None,
        };
        let place = crate::record::find_in(&value, &libraries.path).ok()?.into_iter().next()?;
        place.of(&value)?.as_str().map(str::to_string)
    };
    let leads = |text: &str| Spelling::read(text, &bases).is_ok_and(|(_, path)| path == library);
    let mut fitting = ways.filter_map(|(text, way)| {
        let entry = entry.replace("{library}", &way);
        let says = says(&entry)?;
        (says == text || leads(&says)).then_some((says != written, entry))
    });
    let exact = fitting.clone().find(|(other, _)| !other).or_else(|| fitting.next());
    let (_, entry) =
        exact.ok_or_else(|| format!("{} can't be listed as a library in {}", library.display(), file.display()))?;
    let made = libraries.new_file.as_ref().map(|text| (list_file.to_path_buf(), text.clone()));
    let (list, path) = (libraries.list.clone(), Some(libraries.path.clone()));
    let id = libraries.id.clone().filter(|id| id != "key");
    Ok(Edit::Register { file, format, list, entry, path, made, listed: false, library: Some(library.into()), id })
}

/// Refuses what would change a list within a text: only what its entries say is changed there.
fn stands_alone(source: &Source, place: &Place, file: &Path) -> Result<(), String> {
    match source.split(place) {
        None => Ok(()),
        Some((text, _)) => {
            Err(format!("{}: the list is part of the text at {text}, and entries of it stay in it", file.display()))
        }
    }
}

/// The file that lists a launcher's libraries.
fn libraries_file(site: &Site, found: &FoundLauncher) -> Result<(PathBuf, Source, Shape), String> {
    let libraries = found.profile.libraries.as_ref().ok_or("this launcher has no libraries")?;
    let file = PathBuf::from(libraries.file.fill(&found.values(site)).map_err(|e| e.to_string())?);
    let shape = libraries.shape.unwrap_or_else(|| Shape::of_name(&file));
    let source = Source::read(&file, shape).map_err(|e| e.to_string())?;
    Ok((file, source, shape))
}

/// The ways in which a text may stand in an entry of a format, the likeliest first: what is around it decides.
fn quoted_ways(format: Format, text: &str) -> Vec<String> {
    let mut ways = vec![quoted_in(format, text), text.to_string(), text.replace('\'', "''")];
    if format == Format::PropertyList {
        ways.insert(0, text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;"));
    }
    // What stands in quotes of a table has them twice.
    ways.push(format!("\"{}\"", text.replace('"', "\"\"")));
    ways.push(quoted_in(Format::Json, text));
    // What stands without quotes may need them.
    ways.push(format!("\"{}\"", quoted_in(Format::Json, text)));
    ways.dedup();
    ways
}

/// A path as it stands between quotes in a format.
pub(crate) fn quoted_in(format: Format, path: &str) -> String {
    if format == Format::Xml {
        path.replace('&', "&amp;").replace('<', "&lt;").replace('"', "&quot;").replace('\'', "&apos;")
    } else if !matches!(format, Format::Json | Format::Jsonc | Format::JsonLines | Format::Toml | Format::Yaml) {
        path.to_string()
    } else {
        let path = serde_json::Value::String(path.into()).to_string();
        path[1..path.len() - 1].to_string()
    }
}
