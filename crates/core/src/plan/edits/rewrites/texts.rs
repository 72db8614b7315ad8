//! What a record says afterwards, with the drive letter that it may need.

use super::super::unchangeable::Unchangeable;
use super::{MakeLetters, Writing, is_leaf_of};
use crate::launcher::{Record, base_in, base_of};
use crate::record::Edit;
use crate::record::PartFit;
use crate::record::Rewrite;
use crate::record::Spelling;
use crate::record::SpellingError;
use crate::record::find_parts;
use crate::record::write_part;
use std::path::{Path, PathBuf};

impl Writing<'_> {
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

    pub(super) fn rewrite(&mut self, record: &Record, new_file: &Path) -> Result<Option<Rewrite>, Unchangeable> {
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

    pub(super) fn make_letter(&mut self, path: PathBuf, prefix: PathBuf) -> Result<(), Unchangeable> {
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
