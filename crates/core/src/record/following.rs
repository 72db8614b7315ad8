//! What a list of libraries says of the games in each: it goes with a game from one library's entry to another's.
//!
//! Law: all that one file says of a game changes in one step, so that what the file says tells whether it was made. Where only numbers are
//! said, the other records of the game tell it. Start at [`Following::made`].

use super::content::Content;
use super::document::Document;
use super::edit::{EditError, Following, HeldPart, LibrarySays, Mood, Rewrite, changed, in_file};
use super::fault::DocumentError;
use super::formats::Format;
use super::place::{Place, Side, Step};
use super::rewriting::rewritten;

type Made<T> = Result<T, EditError>;

impl Following {
    /// Whether the file itself tells if the change was made.
    pub(super) fn is_told_by_file(&self) -> bool {
        self.parts.iter().any(|part| part.says.names_games())
    }

    fn document(&self, bytes: Vec<u8>) -> Made<Document> {
        Document::parse(bytes, self.format).map_err(in_file(&self.file))
    }

    /// The entry of a library.
    fn entry(&self, document: &Document, says: &str) -> Made<Place> {
        let list = document.find_one(&self.list).map_err(in_file(&self.file))?;
        let is = |entry: &Place| document.below(entry, &self.path).is_ok_and(|text| text.as_deref() == Some(says));
        let entry = document.children(&list).unwrap_or_default().into_iter().find(is);
        entry.ok_or_else(|| changed(&self.file, &format!("{} {says}", self.list)))
    }

    /// A part of an entry. The elements of no games are none, and there all the same.
    fn part(&self, document: &Document, entry: &Place, part: &HeldPart) -> Made<Option<Place>> {
        let at = super::source::joined(entry, &part.selector);
        let found = document.find(&at).map_err(in_file(&self.file))?.into_iter().next();
        let elements = self.format == Format::Xml && part.says.names_games();
        Ok(found.or_else(|| Place::read(&at).filter(|_| elements)))
    }

    /// The game's own element or member in a part that says games, with its number.
    fn game_in(&self, document: &Document, part: &HeldPart, at: &Place) -> Option<(usize, Place)> {
        let is = |place: &Place| match (place.0.last(), &part.id) {
            (Some(Step::Name(name)), _) => *name == self.id,
            (_, None) => document.leaf(place, Side::Value).as_deref() == Some(self.id.as_str()),
            (_, Some(id)) => document.below(place, id).is_ok_and(|text| text.as_deref() == Some(self.id.as_str())),
        };
        document.children(at)?.into_iter().enumerate().find(|(_, place)| is(place))
    }

    /// Whether a library's entry names the game; `None` where no part says games.
    fn names_game(&self, document: &Document, says: &str) -> Made<bool> {
        let entry = self.entry(document, says)?;
        for part in self.parts.iter().filter(|part| part.says.names_games()) {
            if let Some(at) = self.part(document, &entry, part)?
                && self.game_in(document, part, &at).is_some()
            {
                return Ok(true);
            }
        }
        Ok(false)
    }

    /// The numbers of both entries.
    fn numbers(&self, bytes: &[u8]) -> Option<Vec<Option<String>>> {
        let document = self.document(bytes.to_vec()).ok()?;
        let mut numbers = Vec::new();
        for says in [&self.from, &self.to] {
            let entry = self.entry(&document, says).ok();
            numbers.extend(self.parts.iter().map(|part| document.below(entry.as_ref()?, &part.selector).ok()?));
        }
        Some(numbers)
    }

    /// Whether a file that another program may have written since says what it said after the change, or before it.
    pub(super) fn was_made(&self, before: &Content, after: &Content, now: &[u8]) -> Option<bool> {
        let (Content::Bytes(before), Content::Bytes(after)) = (before, after) else { return None };
        let [before, after, now] = [before, after, now].map(|bytes| self.numbers(bytes));
        match (now == before, now == after) {
            (true, false) => Some(false),
            (false, true) => Some(true),
            _ => None,
        }
    }

    /// The bytes of the file with the change made; `None` if it is made already. `open` is whether other records of the game had to change.
    pub(super) fn made(&self, bytes: Vec<u8>, mood: Mood, open: bool) -> Made<Option<Vec<u8>>> {
        let mut document = self.document(bytes)?;
        if self.is_told_by_file() {
            let says = (self.names_game(&document, &self.from)?, self.names_game(&document, &self.to)?);
            match (says, mood) {
                ((true, false), _) => {}
                ((false, true), Mood::Again) => return Ok(None),
                _ => return Err(changed(&self.file, &format!("{} {}", self.list, self.id))),
            }
        } else if mood == Mood::Again && !open {
            return Ok(None);
        }
        let mut own_bytes = self.bytes;
        let games_first = |part: &&HeldPart| !part.says.names_games();
        let mut parts: Vec<&HeldPart> = self.parts.iter().collect();
        parts.sort_by_key(games_first);
        for part in parts {
            let bytes = match part.says {
                LibrarySays::Games | LibrarySays::Entries => self.with_game(&document, part, mood, &mut own_bytes)?,
                LibrarySays::Count => Some(self.with_number(&document, part, 1)?),
                LibrarySays::Bytes => Some(self.with_number(&document, part, own_bytes)?),
            };
            if let Some(bytes) = bytes {
                document = self.document(bytes)?;
            }
        }
        Ok(Some(document.bytes()))
    }

    /// The game named in the other entry, just as it was named in this one; its own entry with what changes on the way.
    fn with_game(&self, document: &Document, part: &HeldPart, mood: Mood, bytes: &mut i64) -> Made<Option<Vec<u8>>> {
        let fault = in_file(&self.file);
        let wrong = |entry: &Place| {
            let place = super::source::joined(entry, &part.selector);
            in_file(&self.file)(DocumentError::WrongKind { place })
        };
        let from = self.entry(document, &self.from)?;
        let Some(here) = self.part(document, &from, part)? else { return Ok(None) };
        let Some((nth, place)) = self.game_in(document, part, &here) else { return Ok(None) };
        if let Some(selector) = &part.bytes {
            // A game of which it says no bytes is in no sum of them.
            let own = document.below(&place, selector).ok().flatten().and_then(|text| text.parse().ok());
            *bytes = own.unwrap_or(0);
        } else if *bytes == 0
            && let Some(own) = document.leaf(&place, Side::Value).and_then(|text| text.parse().ok())
            && matches!(place.0.last(), Some(Step::Name(_)))
        {
            *bytes = own;
        }
        let mut document = self.document(document.bytes())?;
        for rewrite in self.rewrites.iter().filter(|_| part.says == LibrarySays::Entries) {
            let rewrite = Rewrite { location: super::source::joined(&place, &rewrite.location), ..rewrite.clone() };
            if let Some(bytes) = rewritten(&document, &rewrite, mood, &self.file)? {
                document = self.document(bytes)?;
            }
        }
        let to = self.entry(&document, &self.to)?;
        let there = self.part(&document, &to, part)?.ok_or_else(|| wrong(&to))?;
        let arrived = document.append_like(&there, (&here, nth)).map_err(&fault)?;
        let document = self.document(arrived)?;
        Ok(Some(document.remove(&here, nth).map_err(&fault)?))
    }

    fn with_number(&self, document: &Document, part: &HeldPart, by: i64) -> Made<Vec<u8>> {
        let mut document = self.document(document.bytes())?;
        for (says, by) in [(&self.to, by), (&self.from, -by)] {
            let entry = self.entry(&document, says)?;
            let wrong = || changed(&self.file, &super::source::joined(&entry, &part.selector));
            let place = self.part(&document, &entry, part)?.ok_or_else(wrong)?;
            let number = document.leaf(&place, Side::Value).and_then(|text| text.parse::<i64>().ok());
            let new = (number.ok_or_else(wrong)? + by).max(0).to_string();
            let bytes = document.replace(&place, Side::Value, &new, None).map_err(in_file(&self.file))?;
            document = self.document(bytes)?;
        }
        Ok(document.bytes())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::record::{Edit, FileChange, Files};

    const JSON: &str = "{\"libs\": [\n  {\"at\": \"/a\", \"n\": 2, \"sum\": 12, \"has\": {\"x\": 5, \"y\": 7}, \"ids\": [\"x\", \"y\"]},\n  {\"at\": \"/b\", \"n\": 0, \"sum\": 0, \"has\": {}, \"ids\": []}\n]}\n";
    const NESTED: &str = "\"libs\"\n{\n\t\"0\"\n\t{\n\t\t\"at\" \"/a\"\n\t\t\"n\" \"2\"\n\t\t\"has\"\n\t\t{\n\t\t\t\"x\" \"5\"\n\t\t\t\"y\" \"7\"\n\t\t}\n\t}\n\t\"1\"\n\t{\n\t\t\"at\" \"/b\"\n\t\t\"n\" \"0\"\n\t\t\"has\"\n\t\t{\n\t\t}\n\t}\n}\n";
    const BRACES: &str =
        "libs {\n  one { at = \"/a\"; n = 2; has { x = 5; y = 7; } }\n  two { at = \"/b\"; n = 0; has { } }\n}\n";

    fn part(selector: &str, says: LibrarySays) -> HeldPart {
        HeldPart { selector: selector.into(), says, id: None, bytes: None }
    }

    fn following(file: &std::path::Path, format: Format, id: &str, parts: Vec<HeldPart>) -> Edit {
        let (from, to) = ("/a".into(), "/b".into());
        let (list, path) = ("$.libs".into(), "$.at".into());
        let bytes = if id == "x" { 0 } else { 7 };
        Edit::Follow(Following {
            file: file.into(),
            format,
            list,
            path,
            from,
            to,
            id: id.into(),
            bytes,
            parts,
            rewrites: Vec::new(),
        })
    }

    fn made(edits: &[Edit], mood: Mood, known: &[FileChange]) -> Result<Vec<FileChange>, EditError> {
        let mut files = Files::knowing(known);
        files.make(edits, mood)?;
        Ok(files.changes())
    }

    fn write(changes: &[FileChange]) {
        for change in changes {
            let Content::Bytes(bytes) = &change.after else { panic!() };
            std::fs::write(&change.file, bytes).unwrap();
        }
    }

    #[test]
    fn what_libraries_say_of_a_game_goes_with_it_once_and_comes_back_in_any_order() {
        let folder = tempfile::tempdir().unwrap();
        for (name, format, text) in
            [("l.json", Format::Json, JSON), ("l.dat", Format::Nested, NESTED), ("l.cfg", Format::Nested, BRACES)]
        {
            let file = folder.path().join(name);
            std::fs::write(&file, text).unwrap();
            let mut parts = vec![part("$.n", LibrarySays::Count), part("$.has", LibrarySays::Games)];
            if format == Format::Json {
                parts.extend([part("$.sum", LibrarySays::Bytes), part("$.ids", LibrarySays::Games)]);
            }
            let value =
                |file: &std::path::Path| Document::parse(std::fs::read(file).unwrap(), format).unwrap().value().clone();
            let before = value(&file);
            let [x, y] = ["x", "y"].map(|id| following(&file, format, id, parts.clone()));
            write(&made(std::slice::from_ref(&y), Mood::Strict, &[]).unwrap());
            let lib = |value: &serde_json::Value, nth: usize| match &value["libs"] {
                serde_json::Value::Array(all) => all[nth].clone(),
                all => all.as_object().unwrap().values().nth(nth).unwrap().clone(),
            };
            let now = value(&file);
            assert_eq!(lib(&now, 0)["has"].as_object().unwrap().keys().collect::<Vec<_>>(), ["x"], "{name}");
            assert_eq!(lib(&now, 1)["has"]["y"], lib(&before, 0)["has"]["y"], "{name}");
            assert_eq!(lib(&now, 1)["n"].to_string().trim_matches('"'), "1", "{name}");
            if format == Format::Json {
                assert_eq!((&now["libs"][0]["sum"], &now["libs"][1]["sum"]), (&5.into(), &7.into()));
                assert_eq!(now["libs"][1]["ids"], serde_json::json!(["y"]));
            }
            assert!(made(std::slice::from_ref(&y), Mood::Again, &[]).unwrap().is_empty(), "{name}: made already");
            assert!(made(std::slice::from_ref(&y), Mood::Strict, &[]).is_err(), "{name}");
            write(&made(std::slice::from_ref(&x), Mood::Strict, &[]).unwrap());
            // The first that went comes back first.
            write(&made(&[y.turned()], Mood::Strict, &[]).unwrap());
            write(&made(&[x.turned()], Mood::Strict, &[]).unwrap());
            let mut after = value(&file);
            if let Some(ids) = after.pointer_mut("/libs/0/ids").and_then(serde_json::Value::as_array_mut) {
                ids.sort_by_key(ToString::to_string);
            }
            assert_eq!(after, before, "{name}: {}", std::fs::read_to_string(&file).unwrap());
            assert_eq!(std::fs::read_to_string(&file).unwrap().lines().count(), text.lines().count(), "{name}");
        }
    }

    #[test]
    fn a_number_alone_is_changed_once_whatever_was_made_before_a_crash() {
        let folder = tempfile::tempdir().unwrap();
        let (file, games) = (folder.path().join("l.json"), folder.path().join("g.json"));
        let edits = [
            Edit::Replace {
                file: games.clone(),
                format: Some(Format::Json),
                rewrite: Rewrite::of_value("$.x", "/a/x", "/b/x"),
            },
            following(&file, Format::Json, "x", vec![part("$.n", LibrarySays::Count)]),
        ];
        let start = || {
            std::fs::write(&file, JSON).unwrap();
            std::fs::write(&games, "{\"x\": \"/a/x\"}").unwrap();
        };
        let counts = || {
            let value: serde_json::Value = serde_json::from_slice(&std::fs::read(&file).unwrap()).unwrap();
            (value["libs"][0]["n"].clone(), value["libs"][1]["n"].clone())
        };
        start();
        let known = made(&edits, Mood::Strict, &[]).unwrap();
        assert_eq!(known.len(), 2);
        // Either file may be written first, and the other one by its launcher since.
        for nth in [0, 1] {
            start();
            write(&known[nth..=nth]);
            let other = &known[1 - nth].file;
            std::fs::write(other, std::fs::read_to_string(other).unwrap().replace('{', "{ ")).unwrap();
            write(&made(&edits, Mood::Again, &known).unwrap());
            assert_eq!(counts(), (1.into(), 1.into()), "{nth}");
            assert!(made(&edits, Mood::Again, &[]).unwrap().is_empty(), "made already");
        }
        write(&made(&Edit::turned_all(&edits), Mood::Again, &[]).unwrap());
        assert_eq!(counts(), (2.into(), 0.into()));
        assert!(made(&Edit::turned_all(&edits), Mood::Again, &[]).unwrap().is_empty(), "undone already");
    }

    #[test]
    fn a_library_that_is_not_listed_or_does_not_name_the_game_is_refused() {
        let folder = tempfile::tempdir().unwrap();
        let file = folder.path().join("l.json");
        let edit = following(&file, Format::Json, "y", vec![part("$.has", LibrarySays::Games)]);
        for (from, to) in [("/b", "/c"), ("\"y\": 7", "\"z\": 7"), ("\"has\": {}", "\"hat\": {}")] {
            std::fs::write(&file, JSON.replacen(from, to, 1)).unwrap();
            assert!(made(std::slice::from_ref(&edit), Mood::Strict, &[]).is_err(), "{from}");
        }
    }
}
