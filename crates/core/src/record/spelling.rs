//! How a path is written: the one bridge between paths on disk, which are bytes, and text in records.
//!
//! Law: what is read in a spelling and written back for the same place is the same text; for another
//! place the habits stay: separators, letters of a compatibility layer, variables, escapes, the slash
//! at the end. Whatever part of the path did not change stays as it was written.

mod percent;

use super::bases::Bases;
use super::letters::SpellingError;
use crate::platform::NameBytes;
use crate::platform::name_of;
use std::path::{Component, Path, PathBuf};

use serde::{Deserialize, Serialize};

use crate::platform::{self, Look};
use crate::site::real_path;
use percent::{Escapes, PercentHabits, percent};

/// A path just as a launcher wrote it, in that launcher's spelling.
#[derive(Clone, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[serde(transparent)]
pub struct WrittenPath(pub String);

#[derive(Clone, Debug, PartialEq, Eq)]
enum Lead {
    /// From the root of all files.
    Root,
    /// A file URI; what stands before its path.
    Uri(String),
    /// A drive letter of the layer with this number; what stands before the letter.
    Letter { before: String, letter: char, layer: usize },
    /// A variable, as it is written, and what it stands for.
    Variable { written: String, base: PathBuf },
    /// Relative to a folder; what stands before the first name.
    Relative(String),
}

#[derive(Clone, Debug, PartialEq, Eq)]
struct Name {
    separator: String,
    written: String,
    bytes: Vec<u8>,
}

/// The habits found in a written path.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Spelling {
    lead: Lead,
    names: Vec<Name>,
    end: String,
    blind: bool,
}

impl Spelling {
    /// Reads a written path: its spelling, and the place on disk, without `.` and doubled slashes; `..` stays.
    ///
    /// # Errors
    /// [`SpellingError`] of a text that is no path, or whose letter or variable leads nowhere or to several places.
    pub fn read(written: &str, bases: &Bases) -> Result<(Self, PathBuf), SpellingError> {
        let not_a_path = || SpellingError::NotAPath(written.into());
        if written.is_empty() || written.contains(['\0', '\n', '\r']) {
            return Err(not_a_path());
        }
        if let Some((lead, body)) = uri(written) {
            if let Some((letter, rest)) = body.strip_prefix('/').and_then(drive_letter) {
                let before = format!("{lead}/");
                return Self::of_letter(written, &before, letter, rest, Escapes::Percent, bases);
            }
            let mut spelling = Self::of_names(Lead::Uri(lead.into()), body, &['/'], Escapes::Percent, bases.case_blind);
            spelling.blind = bases.case_blind;
            let path = spelling.place(Path::new("/"));
            return if body.starts_with('/') && spelling.sound() { Ok((spelling, path)) } else { Err(not_a_path()) };
        }
        // One of another host is no folder whose name begins so.
        if written.get(..5).is_some_and(|scheme| scheme.eq_ignore_ascii_case("file:")) {
            return Err(not_a_path());
        }
        for before in ["\\\\?\\", "//?/", "\\??\\", "\\\\.\\"] {
            if let Some((letter, rest)) = written.strip_prefix(before).and_then(drive_letter) {
                return Self::of_letter(written, before, letter, rest, Escapes::None, bases);
            }
        }
        if let Some((letter, rest)) = drive_letter(written) {
            return Self::of_letter(written, "", letter, rest, Escapes::None, bases);
        }
        if let Some((variable, base, rest)) = variable(written, bases) {
            let separators: &[char] = if variable.starts_with('%') { &['/', '\\'] } else { &['/'] };
            let blind = bases.case_blind || variable.starts_with('%');
            let lead = Lead::Variable { written: variable.into(), base: base.clone() };
            let spelling = Self::of_names(lead, rest, separators, Escapes::None, blind);
            let path = spelling.place(&base);
            return Ok((spelling, path));
        }
        if written.starts_with('/') {
            let spelling = Self::of_names(Lead::Root, written, &['/'], Escapes::None, bases.case_blind);
            let path = spelling.place(Path::new("/"));
            return Ok((spelling, path));
        }
        let Some(base) = &bases.relative_to else { return Err(not_a_path()) };
        let windows = reads_backslashes(bases);
        let separators: &[char] = if windows { &['/', '\\'] } else { &['/'] };
        if windows && written.starts_with('\\') || written.starts_with(['$', '%', '~']) {
            return Err(not_a_path());
        }
        let dots =
            ["./", ".\\"].iter().find(|dots| written.starts_with(**dots) && separators.len() + 1 > dots.len() - 1);
        let lead = dots.map_or("", |dots| &written[..dots.len()]);
        let body = &written[lead.len()..];
        let spelling = Self::of_names(Lead::Relative(lead.into()), body, separators, Escapes::None, bases.case_blind);
        let path = spelling.place(base);
        Ok((spelling, path))
    }

    fn of_letter(
        text: &str,
        before: &str,
        letter: char,
        rest: &str,
        escapes: Escapes,
        bases: &Bases,
    ) -> Result<(Self, PathBuf), SpellingError> {
        let known = bases.lettered().filter_map(|(n, layer)| Some((n, layer.leads_to(letter)?.to_path_buf())));
        let spelled = |layer: usize, target: &Path| {
            let lead = Lead::Letter { before: before.into(), letter, layer };
            let spelling = Self::of_names(lead, rest, &['/', '\\'], escapes, true);
            let path = spelling.place(target);
            (spelling, path)
        };
        let mut all: Vec<_> = known.map(|(layer, target)| spelled(layer, &target)).collect();
        if all.iter().any(|(spelling, _)| !spelling.sound()) {
            return Err(SpellingError::NotAPath(text.into()));
        }
        // Of several layers that know the letter, the one in which the place is there is meant; where it is in two that lead to different
        // places, nobody knows which.
        let there = all.iter().position(|(_, path)| path.look_exists()).unwrap_or(0);
        let meant = all.get(there).map(|(_, path)| real_path(path));
        let mut others = all.iter().skip(there + 1).filter(|(_, path)| path.look_exists());
        if others.any(|(_, path)| Some(real_path(path)) != meant) {
            return Err(SpellingError::Ambiguous { letter: letter.to_ascii_uppercase(), text: text.into() });
        }
        if all.is_empty() {
            return Err(SpellingError::NoSuchLetter { letter: letter.to_ascii_uppercase(), text: text.into() });
        }
        Ok(all.swap_remove(there))
    }

    fn of_names(lead: Lead, body: &str, separators: &[char], escapes: Escapes, blind: bool) -> Self {
        let (mut names, mut at) = (Vec::new(), 0);
        let mut separator = String::new();
        while at < body.len() {
            let rest = &body[at..];
            let gap = rest.len() - rest.trim_start_matches(separators).len();
            separator.push_str(&rest[..gap]);
            let rest = &rest[gap..];
            let name = &rest[..rest.find(separators).unwrap_or(rest.len())];
            at += gap + name.len();
            // A dot says nothing; what parts it from the next name stays with that one.
            if !name.is_empty() && name != "." {
                let separator = std::mem::take(&mut separator);
                names.push(Name { separator, written: name.into(), bytes: escapes.decode(name) });
            } else if name == "." {
                separator.clear();
            }
        }
        Self { lead, names, end: separator, blind }
    }

    /// Whether escapes stand for names that there can be.
    fn sound(&self) -> bool {
        self.names.iter().all(|name| !name.bytes.is_empty() && !name.bytes.contains(&0) && !name.bytes.contains(&b'/'))
    }

    fn place(&self, base: &Path) -> PathBuf {
        let mut path = base.to_path_buf();
        for name in &self.names {
            let exact = path.join(name_of(name.bytes.clone()));
            path = if self.blind && exact.look_own_meta().is_err() {
                alike(&path, &name.bytes).unwrap_or(exact)
            } else {
                exact
            };
        }
        path
    }

    /// Whether it stands in a layer's drive letters.
    pub fn has_letter(&self) -> bool {
        matches!(self.lead, Lead::Letter { .. })
    }

    /// Writes another place in the same spelling.
    ///
    /// # Errors
    /// [`SpellingError::NoLetter`], [`SpellingError::NotBelow`] and [`SpellingError::NotText`] if this spelling cannot say it.
    pub fn write(&self, path: &Path, bases: &Bases) -> Result<WrittenPath, SpellingError> {
        let (lead, names) = self.led(path, bases)?;
        let is_uri = lead.get(..5).is_some_and(|scheme| scheme.eq_ignore_ascii_case("file:"));
        let escapes = if is_uri { Escapes::Percent } else { Escapes::None };
        let windows = matches!(self.lead, Lead::Letter { .. });
        let parts = self.parts_at_backslashes(bases);
        let same = |old: &Name, new: &[u8]| {
            old.bytes == new || (self.blind && lower(&old.bytes).is_some_and(|old| Some(old) == lower(new)))
        };
        let kept = self.names.iter().rev().zip(names.iter().rev()).take_while(|(old, new)| same(old, new)).count();
        let usual = self.usual_separator();
        let mut out = lead;
        for (n, name) in names.iter().enumerate() {
            let left = names.len() - n;
            let old = self.names.iter().rev().nth(left - 1).filter(|_| left <= kept);
            let (separator, written) = if let Some(old) = old {
                (old.separator.as_str(), old.written.clone())
            } else {
                let text = std::str::from_utf8(name).ok().map(str::to_string);
                let fits = |text: &String| {
                    !(parts && text.contains('\\') || windows && text.contains([':', '"', '<', '>', '|', '?', '*']))
                };
                let written = match escapes {
                    Escapes::Percent => Some(percent(name, &self.percent_habits())),
                    Escapes::None => text.filter(fits).filter(|text| !text.contains(['\n', '\r'])),
                };
                (usual.as_str(), written.ok_or_else(|| SpellingError::NotText(path.into()))?)
            };
            let separator = match n {
                // Behind its lead a path begins as it did; a relative one begins with its first name.
                0 if self.is_relative() => "",
                // Two of them behind a scheme alone would begin a host.
                0 if self.is_behind_scheme() => "/",
                0 => self.names.first().map_or(usual.as_str(), |first| first.separator.as_str()),
                _ if separator.is_empty() => usual.as_str(),
                _ => separator,
            };
            out.push_str(separator);
            // A first name that looks like a drive's letter is none.
            let like_letter =
                n == 0 && matches!(self.lead, Lead::Uri(_)) && separator == "/" && drive_letter(&written).is_some();
            out.push_str(&if like_letter { written.replace(':', "%3A") } else { written });
        }
        out.push_str(match &self.lead {
            Lead::Uri(_) if names.is_empty() && self.is_behind_scheme() => "/",
            // The root of all files is below no variable.
            Lead::Variable { .. } if names.is_empty() && out.is_empty() => "/",
            // A letter that was written alone stays so.
            Lead::Letter { .. } if self.names.is_empty() => &self.end,
            Lead::Root | Lead::Uri(_) | Lead::Letter { .. } if names.is_empty() && self.end.is_empty() => &usual,
            _ => &self.end,
        });
        if matches!(&self.lead, Lead::Relative(lead) if lead.is_empty()) && begins_elsewhere(&out) {
            out.insert_str(0, "./");
        }
        // The very folder that it is relative to.
        Ok(WrittenPath(if out.is_empty() { ".".into() } else { out }))
    }

    /// Whether a name with a backslash in it would be read as two.
    fn parts_at_backslashes(&self, bases: &Bases) -> bool {
        match &self.lead {
            Lead::Letter { .. } => true,
            Lead::Variable { written, .. } => written.starts_with('%'),
            Lead::Relative(_) => reads_backslashes(bases),
            Lead::Root | Lead::Uri(_) => false,
        }
    }

    /// Whether its names begin right behind the scheme of an address.
    fn is_behind_scheme(&self) -> bool {
        matches!(&self.lead, Lead::Uri(lead) if lead.ends_with(':'))
    }

    /// Whether it says a place only together with the folder that it is relative to.
    pub fn is_relative(&self) -> bool {
        matches!(self.lead, Lead::Relative(_))
    }

    fn percent_habits(&self) -> PercentHabits {
        let mut habits = PercentHabits::default();
        for name in &self.names {
            let mut rest = name.written.as_bytes();
            while let Some((byte, behind)) = rest.split_first() {
                let digits =
                    if *byte == b'%' { behind.get(..2).and_then(|two| str::from_utf8(two).ok()) } else { None };
                let Some((digits, meant)) = digits.and_then(|two| Some((two, u8::from_str_radix(two, 16).ok()?)))
                else {
                    habits.bare.insert(*byte);
                    rest = behind;
                    continue;
                };
                habits.lower |= digits.contains(|c: char| c.is_ascii_lowercase());
                habits.escaped.insert(meant);
                rest = behind.get(2..).unwrap_or_default();
            }
        }
        habits
    }

    /// What stands before the names, and the names.
    fn led(&self, path: &Path, bases: &Bases) -> Result<(String, Vec<Vec<u8>>), SpellingError> {
        let names = |path: &Path| -> Vec<Vec<u8>> {
            let name = |c: Component<'_>| match c {
                Component::Normal(name) => Some(name.name_bytes().to_vec()),
                Component::ParentDir => Some(b"..".to_vec()),
                _ => None,
            };
            path.components().filter_map(name).collect()
        };
        match &self.lead {
            Lead::Root => Ok((String::new(), names(path))),
            Lead::Uri(lead) => Ok((lead.clone(), names(path))),
            Lead::Letter { before, letter, layer } => {
                let layer =
                    bases.letters_of(*layer).ok_or_else(|| SpellingError::NotAPath(path.display().to_string()))?;
                let (new, below) = layer.letter_for(path, *letter)?;
                // Where other layers may be meant as well, it has to lead there in each.
                let target = layer.leads_to(*letter);
                let mut meant = bases
                    .lettered()
                    .map(|(_, other)| other)
                    .filter(|other| target.is_some() && other.leads_to(*letter) == target);
                if let Some(other) = meant.find(|other| other.leads_to(new) != layer.leads_to(new)) {
                    return Err(SpellingError::NoLetter { path: path.into(), prefix: other.prefix().into() });
                }
                let new = if letter.is_ascii_uppercase() { new.to_ascii_uppercase() } else { new };
                Ok((format!("{before}{new}:"), names(&below)))
            }
            Lead::Variable { written, base } => match below(path, base) {
                Some(below) => Ok((written.clone(), names(&below))),
                // A launcher that takes a variable takes an absolute path as well.
                None if written.starts_with('%') => {
                    let (_, layer) = bases
                        .lettered()
                        .next()
                        .ok_or_else(|| SpellingError::NotBelow { path: path.into(), base: base.clone() })?;
                    let (new, below) = layer.letter_for(path, 'C')?;
                    Ok((format!("{}:", new.to_ascii_uppercase()), names(&below)))
                }
                None => Ok((String::new(), names(path))),
            },
            Lead::Relative(lead) => {
                let base = bases.relative_to.clone().unwrap_or_default();
                match below(path, &base) {
                    Some(below) => Ok((lead.clone(), names(&below))),
                    None if self.names.iter().any(|name| name.bytes == b"..") => {
                        Ok((lead.clone(), names(&from_to(&base, path))))
                    }
                    None => Err(SpellingError::NotBelow { path: path.into(), base }),
                }
            }
        }
    }

    /// The separator that most names stand behind; of equal ones the first.
    fn usual_separator(&self) -> String {
        let behind: Vec<&str> = self.names.iter().map(|n| n.separator.as_str()).filter(|s| !s.is_empty()).collect();
        let count = |one: &str| behind.iter().filter(|other| **other == one).count();
        let most = behind.iter().rev().max_by_key(|one| count(one)).copied();
        let end = Some(self.end.as_str()).filter(|end| !end.is_empty());
        let otherwise = match &self.lead {
            Lead::Letter { before, .. } if !before.contains('/') => "\\",
            Lead::Variable { written, .. } if written.starts_with('%') => "\\",
            _ => "/",
        };
        most.or(end).unwrap_or(otherwise).to_string()
    }

    /// The spelling where there is no older one: absolute, no slash at the end.
    pub fn plain() -> Self {
        Self { lead: Lead::Root, names: Vec::new(), end: String::new(), blind: false }
    }

    /// The habits in a few words, for people: "drive letter, backslashes".
    pub fn describe(&self) -> String {
        let mut words = vec![match &self.lead {
            Lead::Root => "absolute".to_string(),
            Lead::Uri(_) => "file URI".into(),
            Lead::Letter { before, letter, .. } if before.is_empty() => format!("drive letter {letter}:"),
            Lead::Letter { letter, .. } => format!("drive letter {letter}: behind a prefix"),
            Lead::Variable { written, .. } => format!("below {written}"),
            Lead::Relative(_) => "relative".into(),
        }];
        let all: String = self.names.iter().map(|name| name.separator.as_str()).collect();
        if all.contains('\\') {
            words.push(if all.contains('/') { "mixed slashes" } else { "backslashes" }.into());
        }
        if self.names.iter().skip(1).any(|name| name.separator.len() > 1) {
            words.push("doubled slashes".into());
        }
        if !self.end.is_empty() && !self.names.is_empty() {
            words.push("slash at the end".into());
        }
        words.join(", ")
    }
}

/// Parts a file URI (RFC 8089) into what stands before its path, and the path.
fn uri(text: &str) -> Option<(&str, &str)> {
    let scheme = text.get(..5).filter(|scheme| scheme.eq_ignore_ascii_case("file:"))?;
    let rest = &text[scheme.len()..];
    let host = match rest.strip_prefix("//") {
        Some(rest) if rest.starts_with('/') => 2,
        Some(rest) if rest.get(..10).is_some_and(|host| host.eq_ignore_ascii_case("localhost/")) => 2 + 9,
        Some(_) => return None,
        None => 0,
    };
    Some(text.split_at(scheme.len() + host))
}

/// Whether backslashes part the names of a relative path.
fn reads_backslashes(bases: &Bases) -> bool {
    bases.case_blind || bases.lettered().next().is_some()
}

/// Whether a relative path begins as paths of other kinds do.
fn begins_elsewhere(text: &str) -> bool {
    let address = text.get(..5).is_some_and(|scheme| scheme.eq_ignore_ascii_case("file:"));
    address || drive_letter(text).is_some() || text.starts_with(['$', '%', '~'])
}

/// Parts `C:\x` into the letter and what stands behind the colon.
fn drive_letter(text: &str) -> Option<(char, &str)> {
    let letter = text.chars().next().filter(char::is_ascii_alphabetic)?;
    let rest = text[1..].strip_prefix(':')?;
    (rest.is_empty() || rest.starts_with(['/', '\\'])).then_some((letter, rest))
}

/// Parts `$HOME/x` into the variable as written, what it stands for, and the rest.
fn variable<'t>(text: &'t str, bases: &Bases) -> Option<(&'t str, PathBuf, &'t str)> {
    let home = |name: &str| bases.home.clone().filter(|_| name == "HOME");
    let named = |name: &str| {
        let found = bases.names.iter().find(|(known, _)| known.eq_ignore_ascii_case(name));
        found.map(|(_, path)| path.clone())
    };
    let (end, base) = if text.starts_with('~') {
        (1, bases.home.clone()?)
    } else if let Some(rest) = text.strip_prefix("${") {
        let end = rest.find('}')?;
        (end + 3, home(&rest[..end]).or_else(|| named(&rest[..end]))?)
    } else if let Some(rest) = text.strip_prefix('$') {
        let end = rest.find(|c: char| !c.is_ascii_alphanumeric() && c != '_').unwrap_or(rest.len());
        (end + 1, home(&rest[..end]).or_else(|| named(&rest[..end]))?)
    } else {
        let rest = text.strip_prefix('%')?;
        let end = rest.find('%')?;
        (end + 2, named(&rest[..end])?)
    };
    let (variable, rest) = text.split_at(end);
    (rest.is_empty() || rest.starts_with('/') || (variable.starts_with('%') && rest.starts_with('\\')))
        .then_some((variable, base, rest))
}

/// What is left of a path below a folder, as it stands or with links followed.
fn below(path: &Path, folder: &Path) -> Option<PathBuf> {
    let real = || real_path(path).strip_prefix(real_path(folder)).map(Path::to_path_buf).ok();
    path.strip_prefix(folder).map(Path::to_path_buf).ok().or_else(real)
}

/// The way from one folder to a place, through `..`.
fn from_to(folder: &Path, path: &Path) -> PathBuf {
    let (from, to): (Vec<_>, Vec<_>) = (folder.components().collect(), path.components().collect());
    let common = from.iter().zip(&to).take_while(|(a, b)| a == b).count();
    let up = std::iter::repeat_n(Component::ParentDir, from.len() - common);
    up.chain(to.into_iter().skip(common)).collect()
}

fn lower(name: &[u8]) -> Option<String> {
    std::str::from_utf8(name).ok().map(str::to_lowercase)
}

/// The entry of a folder that has this name but for the case of its letters, if just one has.
fn alike(folder: &Path, name: &[u8]) -> Option<PathBuf> {
    let wanted = lower(name)?;
    let entries = platform::read_dir(folder).ok()?.flatten();
    let mut found = entries.filter(|entry| lower(entry.file_name().name_bytes()).as_ref() == Some(&wanted));
    let first = found.next()?.path();
    found.next().is_none().then_some(first)
}

#[cfg(test)]
mod tests;
