//! What a trace found.

use crate::launcher::{Problem, Record};
use crate::record::{Hop, Letters, Side, Within};
use serde::Serialize;
use std::cmp::Reverse;
use std::collections::BTreeMap;
use std::path::{Path, PathBuf};

/// How sure it is that a find is a record of the path.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum Sure {
    /// It leads to the path and to nothing else.
    Certain,
    /// It leads there if it is relative to the folder of its own file, or goes with a record beside it.
    Likely,
    /// It says the folder's name alone.
    NameOnly,
    /// The name stands in a file that is not read as text, or that counts the bytes of what it says: it cannot be rewritten.
    Unreadable,
    /// It is a checksum of the path, or of a file that says it, and would be wrong afterwards.
    Checksum,
    /// It stands in a log, which says what was.
    Log,
    /// It stands in a backup of another file.
    Backup,
    /// It stands in a cache, which is made anew.
    Cache,
    /// A person leaves it as it is.
    Chosen,
}

/// Why a find cannot be left out or taken.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ChoiceFault {
    /// There is no find of this number.
    NoSuch(usize),
    /// Nothing could be written there.
    CannotBeRewritten(usize),
}

/// A place where the path is written down.
#[derive(Clone, Debug, Serialize)]
pub struct Find {
    /// The record, as a survey would have it.
    #[serde(flatten)]
    pub record: Record,
    /// Line, from 1, where there are lines.
    pub line: Option<usize>,
    /// How sure.
    pub sure: Sure,
    /// Of a folder several steps above, and of a way down from one: how many steps that is above the path.
    #[serde(skip)]
    pub up: Option<usize>,
}

/// Where a find stands: what was chosen means it by this, whatever number it has in another search.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct FindPlace {
    file: PathBuf,
    location: String,
    inside: Vec<Hop>,
    side: Side,
    within: Within,
}

impl Find {
    /// Where it stands.
    pub fn place(&self) -> FindPlace {
        let Record { file, location, inside, side, within, .. } = &self.record;
        FindPlace {
            file: file.clone(),
            location: location.clone(),
            inside: inside.clone(),
            side: *side,
            within: *within,
        }
    }

    /// Whether it would be rewritten.
    pub fn is_taken(&self) -> bool {
        matches!(self.sure, Sure::Certain | Sure::Likely)
    }

    /// Whether it could be rewritten. What says the name alone says it after the move as well.
    pub fn may_be_taken(&self) -> bool {
        !matches!(self.sure, Sure::Unreadable | Sure::Checksum | Sure::NameOnly)
    }
}

/// Has all ways down that would be rewritten start at one folder, that from which most do: no more than one goes with a game. The others are
/// named as what cannot be rewritten.
pub(crate) fn from_one_root(finds: &mut [Find]) {
    let mut starts: BTreeMap<usize, usize> = BTreeMap::new();
    for up in finds.iter().filter(|find| find.is_taken()).filter_map(|find| find.up) {
        *starts.entry(up).or_default() += 1;
    }
    let Some((chosen, _)) = starts.into_iter().max_by_key(|(up, count)| (*count, Reverse(*up))) else { return };
    let others = finds.iter_mut().filter(|find| find.is_taken() && find.up.is_some_and(|up| up != chosen));
    others.for_each(|find| find.sure = Sure::Unreadable);
}

/// A folder that is searched for.
#[derive(Clone, Copy, Debug)]
pub(crate) struct WantedFolder<'a> {
    /// The path that is looked for.
    pub path: &'a Path,
    /// Where what lay there lies now, if it lies elsewhere.
    pub now: Option<&'a Path>,
}

/// A link that was followed out of the places that were searched.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Followed {
    /// The link.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub link: PathBuf,
    /// The file or folder that it leads to.
    #[serde(serialize_with = "crate::platform::shown_path")]
    pub target: PathBuf,
}

/// What a trace found.
#[derive(Clone, Debug, Serialize)]
pub struct Trace {
    /// The path that was looked for.
    pub path: PathBuf,
    /// Where the path is written down, by file and place.
    pub finds: Vec<Find>,
    /// The folders that were looked in.
    pub places: Vec<PathBuf>,
    /// Files that were looked at.
    pub files: usize,
    /// What could not be read.
    pub problems: Vec<Problem>,
    /// Links that were followed.
    pub followed: Vec<Followed>,
    /// Whether nothing is at that path; of a drive that does not answer nobody knows.
    #[serde(skip)]
    pub gone: bool,
    /// The compatibility layers that were met.
    #[serde(skip)]
    pub layers: Vec<Letters>,
}

/// How far a trace is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct TracePhase {
    /// Files looked at.
    pub files: usize,
    /// Files in all; 0 while they are gathered.
    pub all: usize,
}

pub(crate) fn problem(file: &Path, what: &dyn ToString) -> Problem {
    Problem { file: file.into(), line: None, what: what.to_string() }
}

impl Trace {
    /// The finds that a repoint can rewrite.
    pub fn sure(&self) -> impl Iterator<Item = &Find> {
        self.finds.iter().filter(|find| find.is_taken())
    }

    /// Leaves out finds that would be rewritten, and takes in those that would be left, by their numbers from 1.
    ///
    /// # Errors
    /// [`ChoiceFault`] of the first number that cannot be followed; nothing is changed then.
    pub fn choose(&mut self, leave: &[usize], take: &[usize]) -> Result<(), ChoiceFault> {
        let mut chosen = self.finds.clone();
        for (number, sure) in leave.iter().map(|n| (*n, Sure::Chosen)).chain(take.iter().map(|n| (*n, Sure::Certain))) {
            let find = number.checked_sub(1).and_then(|at| chosen.get_mut(at)).ok_or(ChoiceFault::NoSuch(number))?;
            if sure == Sure::Certain && !find.may_be_taken() {
                return Err(ChoiceFault::CannotBeRewritten(number));
            }
            find.sure = sure;
        }
        self.finds = chosen;
        Ok(())
    }

    /// The other way round what stands at these places: what would be rewritten is left, and what would be left is rewritten, if
    /// it can be. A place where nothing stands any more is passed over.
    pub fn choose_otherwise(&mut self, places: &[FindPlace]) {
        for find in self.finds.iter_mut().filter(|find| places.contains(&find.place())) {
            find.sure = match find.sure {
                Sure::Certain | Sure::Likely => Sure::Chosen,
                _ if find.may_be_taken() => Sure::Certain,
                other => other,
            };
        }
    }
}
