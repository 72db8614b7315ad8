//! What written paths may refer to: folders, variables, drive letters.

use std::borrow::Cow;
use std::cmp::Reverse;
use std::path::{Path, PathBuf};

use super::letters::Letters;

/// What written paths may refer to.
#[derive(Clone, Debug, Default)]
pub struct Bases {
    /// What `~`, `$HOME` and `${HOME}` stand for.
    pub home: Option<PathBuf>,
    /// What further variables stand for: `%NAME%`, `$NAME`, `${NAME}`. Of equal names the first counts.
    pub names: Vec<(String, PathBuf)>,
    /// Compatibility layers, in the order in which they are tried.
    pub letters: Vec<Letters>,
    /// What a text that is not absolute is relative to.
    pub relative_to: Option<PathBuf>,
    /// Whether letters of either case are the same in every spelling; behind drive letters they always are.
    pub case_blind: bool,
}

/// The number that the letters of the system itself have, where layers are counted.
const OF_SYSTEM: usize = usize::MAX;

impl Bases {
    /// All that has drive letters: the layers, and behind them the system itself, where it has any.
    pub(super) fn lettered(&self) -> impl Iterator<Item = (usize, Cow<'_, Letters>)> {
        let layers = self.letters.iter().enumerate().map(|(nth, layer)| (nth, Cow::Borrowed(layer)));
        layers.chain(Letters::of_system().map(|own| (OF_SYSTEM, Cow::Owned(own))))
    }

    /// What has this number among all that has drive letters.
    pub(super) fn letters_of(&self, layer: usize) -> Option<Cow<'_, Letters>> {
        if layer == OF_SYSTEM {
            Letters::of_system().map(Cow::Owned)
        } else {
            self.letters.get(layer).map(Cow::Borrowed)
        }
    }

    /// The same, for paths that are relative to a folder.
    #[must_use]
    pub fn relative_to(&self, folder: &Path) -> Self {
        Self { relative_to: Some(folder.into()), ..self.clone() }
    }

    /// The same as a file has them. What lies in a compatibility layer is read in that layer, whatever the letters of others lead to; of
    /// other files the layers beside them come first.
    pub fn seen_from(&self, file: &Path) -> Cow<'_, Self> {
        if self.letters.len() < 2 {
            return Cow::Borrowed(self);
        }
        let is_around = |layer: &Letters| file.starts_with(layer.prefix());
        let is_beside = |layer: &Letters| layer.prefix().parent().is_some_and(|above| file.starts_with(above));
        let mut letters = self.letters.clone();
        let is_in_one = letters.iter().any(is_around);
        if is_in_one {
            letters.retain(is_around);
            letters.sort_by_key(|layer| Reverse(layer.prefix().components().count()));
        } else {
            letters.sort_by_key(|layer| !is_beside(layer));
        }
        if letters == self.letters {
            return Cow::Borrowed(self);
        }
        // Variables of a layer stand for folders in it.
        let nth = |path: &Path| letters.iter().position(|layer| path.starts_with(layer.prefix()));
        let is_anothers =
            |path: &Path| nth(path).is_none() && self.letters.iter().any(|layer| path.starts_with(layer.prefix()));
        let mut names = self.names.clone();
        names.retain(|(_, path)| !is_anothers(path));
        names.sort_by_key(|(_, path)| nth(path));
        Cow::Owned(Self { names, letters, ..self.clone() })
    }
}
