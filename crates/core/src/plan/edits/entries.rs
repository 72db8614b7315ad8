//! Entries of a launcher's list that come and go by themselves.

use crate::bytes::signed;
use std::path::{Path, PathBuf};

use super::register::quoted_in;
use super::rewrites::{Target, entry_rewrites};
use crate::launcher::{FoundGame, FoundLauncher};
use crate::record::{
    Document, Edit, Entering, Format, Place, Rewrite, Shape, Side, Source, Step, Total, Values, joined,
};
use crate::site::Site;

/// The edit that takes a game's entry off its launcher's list.
pub(crate) fn leave(found: &FoundLauncher, game: &FoundGame) -> Result<Edit, String> {
    counts_by_itself(found)?;
    let entry = &game.entry;
    let format = entry.shape.format().ok_or("entries of a database are not taken away here")?;
    let list = entry.list.clone().ok_or("its entry is not one of a list")?;
    let source = Source::read(&entry.file, entry.shape).map_err(|e| e.to_string())?;
    let raw = match (&source, Place::read(&entry.location)) {
        (Source::Text(document), Some(place)) => document.raw(&place).map(str::to_string),
        _ => None,
    };
    let entering = Entering {
        file: entry.file.clone(),
        format,
        list,
        id_at: entry.id_at.clone(),
        id: game.id.clone(),
        entry: raw.ok_or("couldn't read its entry")?,
        totals: totals(found, game.claim.map_or(0, |claim| signed(claim.count()))),
    };
    Ok(Edit::Leave(entering))
}

/// Refuses what a launcher does alone: its list of libraries says which games there are.
fn counts_by_itself(found: &FoundLauncher) -> Result<(), String> {
    let counts = found.profile.libraries.as_ref().is_some_and(|libraries| !libraries.holds.is_empty());
    let name = &found.profile.name;
    if counts {
        Err(format!("{name} counts the games of its libraries; add and remove them in {name}"))
    } else {
        Ok(())
    }
}

/// The number of a library's own list that counts the bytes of its games.
pub(crate) fn totals(found: &FoundLauncher, amount: i64) -> Vec<Total> {
    let total = found.profile.libraries.as_ref().and_then(|libraries| libraries.total.clone());
    total.into_iter().map(|location| Total { location, amount }).collect()
}

/// A game that comes into a launcher's list.
pub(crate) struct NewGame<'a> {
    pub(crate) id: &'a str,
    pub(crate) title: &'a str,
    pub(crate) install: &'a Path,
    pub(crate) library: Option<&'a Path>,
    pub(crate) bytes: u64,
    pub(crate) program: Option<&'a str>,
    /// Where its files lie now.
    pub(crate) lies: &'a Path,
}

impl NewGame<'_> {
    pub(crate) fn folder(&self) -> String {
        self.install.file_name().unwrap_or_default().to_string_lossy().into_owned()
    }

    /// What the names in templates stand for.
    pub(crate) fn values(&self, site: &Site, found: &FoundLauncher) -> Values {
        let text = |path: &Path| path.to_string_lossy().into_owned();
        let values = found
            .values(site)
            .with("id", self.id)
            .with("title", self.title)
            .with("folder", self.folder())
            .with("install", text(self.install))
            .with("parent", text(self.install.parent().unwrap_or(Path::new("/"))));
        match self.library {
            Some(library) => values.with("library", text(library)),
            None => values,
        }
    }

    /// A text in which the names of the game's values stand; each value is written by `quote`.
    pub(crate) fn filled(&self, text: &str, quote: impl Fn(&str) -> String) -> String {
        let library = self.library.map(|library| library.to_string_lossy().into_owned()).unwrap_or_default();
        let values = [
            ("{id}", self.id.to_string()),
            ("{title}", self.title.to_string()),
            ("{folder}", self.folder()),
            ("{install}", self.install.to_string_lossy().into_owned()),
            ("{library}", library),
            ("{bytes}", self.bytes.to_string()),
            ("{program}", self.program.unwrap_or_default().to_string()),
        ];
        values.iter().fold(text.to_string(), |text, (name, value)| text.replace(name, &quote(value)))
    }
}

/// The edit that puts a game's entry into its launcher's list: by the profile's template, or like another game's entry.
pub(crate) fn enter(
    site: &Site,
    found: &FoundLauncher,
    new: &NewGame<'_>,
    target: &Target<'_>,
) -> Result<Edit, String> {
    counts_by_itself(found)?;
    let games = &found.profile.games;
    let file = PathBuf::from(games.file.fill(&new.values(site, found)).map_err(|e| e.to_string())?);
    let shape = games.shape.unwrap_or_else(|| Shape::of_name(&file));
    let launcher = &found.profile.name;
    let format = shape.format().filter(|format| matches!(format, Format::Json | Format::Jsonc | Format::Xml));
    let alone = format!("only {launcher} itself can write its records; import it with --guided");
    let (format, list) = format.zip(games.list.clone()).ok_or(alone)?;
    let template = found.profile.adopt.as_ref().and_then(|adopt| adopt.new_entry.as_ref());
    let entry = match template {
        Some(template) => new.filled(template, |value| quoted_in(format, value)),
        None => like_another(site, found, new, target, format)?,
    };
    let entering = Entering {
        file,
        format,
        list,
        id_at: games.id.clone(),
        id: new.id.into(),
        entry,
        totals: totals(found, signed(new.bytes)),
    };
    Ok(Edit::Enter(entering))
}

/// The entry of a game, made from that of another one: its own id, title, place, bytes and program, never run, no update.
fn like_another(
    site: &Site,
    found: &FoundLauncher,
    new: &NewGame<'_>,
    target: &Target<'_>,
    format: Format,
) -> Result<String, String> {
    let near = |game: &&FoundGame| new.library.is_some_and(|library| game.library.as_deref() == Some(library));
    let sound = || found.games.iter().filter(|game| game.fault.is_none() && game.sealed.is_none());
    let example = sound().find(near).or_else(|| sound().next());
    let example = example.ok_or("the launcher has no other game whose entry could be an example")?;
    let source = Source::read(&example.entry.file, example.entry.shape).map_err(|e| e.to_string())?;
    let raw = match (&source, Place::read(&example.entry.location)) {
        (Source::Text(document), Some(place)) => document.raw(&place).map(str::to_string),
        _ => None,
    };
    let raw = raw.ok_or("couldn't read the entry of its example")?;
    let mut entry = Document::parse(raw.into_bytes(), format).map_err(|e| e.to_string())?;
    // An element is found below its own name.
    let root = match (format, entry.value().as_object().and_then(|members| members.keys().next())) {
        (Format::Xml, Some(name)) => Place::default().child(Step::Name(name.clone())),
        _ => Place::default(),
    };
    let games = &found.profile.games;
    let rewrites = entry_rewrites(site, found, example, target, new.id, new.program)?;
    for rewrite in rewrites {
        let rewrite = Rewrite { location: joined(&root, &rewrite.location), ..rewrite };
        if let Some(bytes) = rewrite.made_in(&entry).map_err(|e| e.to_string())? {
            entry = Document::parse(bytes, format).map_err(|e| e.to_string())?;
        }
    }
    let bytes = new.bytes.to_string();
    let said = [
        (&games.id, Some(new.id)),
        (&games.title, Some(new.title)),
        (&games.claim, Some(bytes.as_str())),
        (&games.program, new.program),
    ];
    for (selector, text) in said {
        let (Some(selector), Some(text)) = (selector, text) else { continue };
        entry = with_text(entry, &joined(&root, selector), text)?;
    }
    if let Some(update) = &games.update {
        // As much as it wants: none waits.
        let wants = entry.below(&root, &update.want).ok().flatten();
        if let Some(wants) = wants {
            entry = with_text(entry, &joined(&root, &update.have), &wants)?;
        }
    }
    if let Some(selector) = &games.last_run {
        entry = without(entry, &joined(&root, selector))?;
    }
    Ok(entry.text().to_string())
}

fn with_text(entry: Document, selector: &str, text: &str) -> Result<Document, String> {
    let Some(place) = entry.find(selector).map_err(|e| e.to_string())?.into_iter().next() else { return Ok(entry) };
    if entry.leaf(&place, Side::Value).as_deref() == Some(text) {
        return Ok(entry);
    }
    let bytes = entry.replace(&place, Side::Value, text, None).map_err(|e| e.to_string())?;
    Document::parse(bytes, entry.format()).map_err(|e| e.to_string())
}

/// The entry without a member: it was never run. Where a member cannot be taken away, it says nothing.
fn without(entry: Document, selector: &str) -> Result<Document, String> {
    let Some(place) = entry.find(selector).map_err(|e| e.to_string())?.into_iter().next() else { return Ok(entry) };
    let (_, above) = place.0.split_last().ok_or("an entry is no text")?;
    let above = Place(above.to_vec());
    let nth = entry.children(&above).and_then(|all| all.iter().position(|other| *other == place));
    let removed = nth.and_then(|nth| entry.remove(&above, nth).ok());
    match removed {
        Some(bytes) => Document::parse(bytes, entry.format()).map_err(|e| e.to_string()),
        None => with_text(entry, selector, ""),
    }
}
