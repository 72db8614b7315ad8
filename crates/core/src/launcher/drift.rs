//! Drift: whether a learned launcher's files are still what they were when it was learned. Start at [`FoundLauncher::drift`].

use std::path::{Path, PathBuf};

use serde_json::Value;

use super::found::FoundLauncher;
use super::shape::{Drift, EntryShape};
use crate::platform::Look;
use crate::record::{Bases, Side, Source, Spelling};

impl FoundLauncher {
    /// What its games' entries say, to be kept with its profile; `before` is what was kept before.
    pub(crate) fn shape_of_games(&self, before: Option<&EntryShape>) -> Option<EntryShape> {
        self.shapes.games.1.kept(before)
    }

    /// What its libraries' entries say, to be kept with its profile.
    pub(crate) fn shape_of_libraries(&self, before: Option<&EntryShape>) -> Option<EntryShape> {
        self.shapes.libraries.1.kept(before)
    }

    /// How its files differ from what it was learned from; `None` if they do not, or if it was not learned.
    pub fn drift(&self) -> Option<Drift> {
        let learned = self.profile.learned.as_ref()?;
        if let Some(file) = &self.led_nowhere {
            let drift = Drift { file: file.clone(), gone: Vec::new(), new: Vec::new(), lost: Some(learned.games) };
            return self.games.is_empty().then_some(drift);
        }
        let parts = [(&learned.entry, &self.shapes.games), (&learned.library, &self.shapes.libraries)];
        let mut changed = parts.into_iter().filter_map(|(kept, (file, now))| {
            let (gone, new) = kept.as_ref()?.changed(now);
            let any = !gone.is_empty() || !new.is_empty();
            any.then(|| Drift { file: file.clone(), gone, new, lost: None })
        });
        changed.next()
    }
}

/// Whether a file leads to a folder that is neither around it nor above the person's, or says what is `named` as a game's folder.
pub(super) fn leads_somewhere(source: &Source, file: &Path, bases: &Bases, named: &dyn Fn(&str) -> bool) -> bool {
    let bases = bases.seen_from(file);
    let home = bases.home.as_deref();
    let outside = |path: &PathBuf| {
        path.is_absolute()
            && path.parent().is_some()
            && !file.starts_with(path)
            && !home.is_some_and(|home| home.starts_with(path))
    };
    let leads = |text: &str| {
        if !text.contains(['/', '\\']) {
            return !text.is_empty() && named(text);
        }
        let path = Spelling::read(text, &bases).map(|(_, path)| path).ok();
        path.filter(outside).is_some_and(|path| path.look_is_dir())
    };
    let mut found = false;
    match source {
        Source::Text(document) => {
            document.leaves(&mut |leaf| found = found || (leaf.side == Side::Value && leads(&leaf.text)));
        }
        Source::Tables(tables) => found = any_text(tables.cells(), &leads),
        Source::Link(_) => {}
    }
    found
}

fn any_text(value: &Value, is: &dyn Fn(&str) -> bool) -> bool {
    match value {
        Value::String(text) => is(text),
        Value::Array(elements) => elements.iter().any(|element| any_text(element, is)),
        Value::Object(members) => members.values().any(|member| any_text(member, is)),
        _ => false,
    }
}
