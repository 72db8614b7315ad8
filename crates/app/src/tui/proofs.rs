//! What the Proof view knows: a haul's items with their proofs, the tree of one item's files, and the file looked at closer.

use crate::tui::model::{Act, Proofs, Standing, TreeRow, Typed};
use std::collections::{BTreeMap, HashMap, HashSet};
use std::path::{Path, PathBuf};

use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::haul::{Closer, ListedEntry};
use deft_barge_core::item::{Difference, DifferenceKind, Proof};
use deft_barge_core::journal::{HaulRow, ItemRow};

use super::state::State;
use crate::commands::View;
use crate::present::Fault;

impl State {
    /// Items of a haul that have a proof.
    pub fn items_proved(&self) -> Vec<&ItemRow> {
        let haul = self.proofs.haul.and_then(|id| self.history.haul(id));
        haul.iter().flat_map(|haul| &haul.items).filter(|item| item.proof.is_some()).collect()
    }

    /// The item that is looked at.
    pub fn item_proved(&self) -> Option<&ItemRow> {
        self.items_proved().get(self.proofs.item).copied()
    }

    /// The newest proof of the item that is looked at.
    pub fn proof_here(&self) -> Option<&Proof> {
        let item = self.item_proved()?;
        self.proofs.fresh.get(item.planned.place()).or(item.proof.as_ref())
    }

    /// Chooses the newest haul with a proof where none is chosen, and asks for the tree where it is not there.
    pub(crate) fn relist_proofs(&mut self) -> Vec<Act> {
        let proved = |haul: &&HaulRow| haul.items.iter().any(|item| item.proof.is_some());
        let known = self.proofs.haul.is_some_and(|id| self.history.haul(id).is_some());
        if !(self.proofs.chosen && known) {
            let newest = self.history.hauls.iter().find(proved).map(|haul| haul.id);
            if newest != self.proofs.haul {
                self.proofs = Proofs { haul: newest, ..Proofs::default() };
            }
        }
        let count = self.items_proved().len();
        self.proofs.item = self.proofs.item.min(count.saturating_sub(1));
        self.look_at_tree()
    }

    fn look_at_tree(&mut self) -> Vec<Act> {
        let Some(item) = self.item_proved() else { return Vec::new() };
        let there = self.proofs.files.as_ref().is_some_and(|(id, _)| *id == item.id);
        if there || self.view != View::Proof {
            return Vec::new();
        }
        vec![Act::Tree(item.id)]
    }

    /// Looks at a haul in the Proof view.
    pub(crate) fn show_proof_of(&mut self, id: HaulId) -> Vec<Act> {
        if self.history.haul(id).is_none_or(|haul| haul.items.iter().all(|item| item.proof.is_none())) {
            self.over.message = Some("Nothing on this haul has a proof yet.".into());
            return Vec::new();
        }
        if self.proofs.haul != Some(id) {
            self.proofs = Proofs { haul: Some(id), ..Proofs::default() };
        }
        self.proofs.chosen = true;
        self.show(View::Proof)
    }

    pub(crate) fn step_item(&mut self, next: bool) -> Vec<Act> {
        let count = self.items_proved().len();
        if count == 0 {
            return Vec::new();
        }
        let item = if next { (self.proofs.item + 1) % count } else { (self.proofs.item + count - 1) % count };
        let Proofs { haul, chosen, fresh, .. } = std::mem::take(&mut self.proofs);
        self.proofs = Proofs { haul, chosen, item, fresh, ..Proofs::default() };
        self.look_at_tree()
    }

    pub(crate) fn tree_came(&mut self, item: ItemId, files: Result<Vec<ListedEntry>, Fault>) {
        match files {
            Ok(files) => self.proofs.files = Some((item, files)),
            Err(fault) => self.proofs.fault = Some(fault.text()),
        }
        self.retree();
    }

    pub(crate) fn proved(&mut self, haul: HaulId, proofs: Vec<(String, Proof)>) {
        for (_, proof) in proofs {
            self.proofs.fresh.insert(proof.install.clone(), proof);
        }
        if self.proofs.haul == Some(haul) {
            self.retree();
        }
        self.over.message = Some("Every byte was read again.".into());
    }

    /// Works out the lines of the tree: folders that are open, and what the proof says of each file.
    fn retree(&mut self) {
        let here = self.proofs.rows.get(self.proofs.cursor).map(|row| row.path.clone());
        let differences = self.proof_here().map_or(Vec::new(), |proof| proof.differences.clone());
        let Some((_, files)) = &self.proofs.files else { return };
        self.proofs.rows = tree(files, &differences, &self.proofs.open);
        let at = here.and_then(|here| self.proofs.rows.iter().position(|row| row.path == here));
        self.proofs.cursor = at.unwrap_or(self.proofs.cursor).min(self.proofs.rows.len().saturating_sub(1));
    }

    pub(crate) fn step_tree(&mut self, by: isize) {
        let last = self.proofs.rows.len().saturating_sub(1) as isize;
        self.proofs.cursor = (self.proofs.cursor as isize).saturating_add(by).clamp(0, last) as usize;
    }

    /// Goes to the next file that is not the same, or the one before, whatever folder it lies in.
    pub(crate) fn step_difference(&mut self, next: bool) {
        let differences = self.proof_here().map_or(Vec::new(), |proof| proof.differences.clone());
        let mut paths: Vec<PathBuf> = differences.into_iter().map(|difference| difference.path.into()).collect();
        paths.sort();
        paths.dedup();
        let here = self.proofs.rows.get(self.proofs.cursor).map(|row| row.path.clone()).unwrap_or_default();
        let to = if next {
            paths.iter().find(|path| **path > here).or(paths.first())
        } else {
            paths.iter().rev().find(|path| **path < here).or(paths.last())
        };
        let Some(to) = to else {
            self.over.message = Some("Nothing differs, is missing or is new.".into());
            return;
        };
        self.proofs
            .open
            .extend(to.ancestors().skip(1).filter(|above| !above.as_os_str().is_empty()).map(Path::to_path_buf));
        self.retree();
        match self.proofs.rows.iter().position(|row| row.path == *to) {
            Some(at) => self.proofs.cursor = at,
            None => self.over.message = Some(format!("{} isn't in the list.", crate::present::path(to))),
        }
    }

    /// Opens or shuts a folder, or looks closer at a file.
    pub(crate) fn open_tree(&mut self) -> Vec<Act> {
        let Some(row) = self.proofs.rows.get(self.proofs.cursor).cloned() else { return Vec::new() };
        if row.folder {
            if !self.proofs.open.remove(&row.path) {
                self.proofs.open.insert(row.path);
            }
            self.retree();
            return Vec::new();
        }
        let Some(item) = self.item_proved() else { return Vec::new() };
        let act = Act::Closer(item.id, row.path.clone());
        self.proofs.closer = None;
        self.proofs.looking = Some(row.path);
        vec![act]
    }

    pub(crate) fn fold_tree(&mut self, open: bool) -> Vec<Act> {
        let Some(row) = self.proofs.rows.get(self.proofs.cursor).cloned() else { return Vec::new() };
        if row.folder && row.open != open {
            return self.open_tree();
        }
        if !open && let Some(parent) = row.path.parent() {
            let at = self.proofs.rows.iter().position(|other| other.path == parent);
            self.proofs.cursor = at.unwrap_or(self.proofs.cursor);
        } else if open && !row.folder {
            return self.open_tree();
        }
        Vec::new()
    }

    pub(crate) fn closer_came(&mut self, item: ItemId, path: PathBuf, closer: Result<Closer, Fault>) {
        let is_it =
            self.item_proved().is_some_and(|here| here.id == item) && self.proofs.looking.as_ref() == Some(&path);
        if !is_it {
            return;
        }
        self.proofs.looking = None;
        match closer {
            Ok(closer) => self.proofs.closer = Some(closer),
            Err(fault) => self.over.message = Some(fault.sentence),
        }
    }

    /// Asks which file checksums are to be written to.
    pub(crate) fn ask_for_file(&mut self) {
        let (haul, item) = if self.view == View::Proof {
            (self.proofs.haul, self.item_proved().map(|item| (item.id, item.planned.title.clone())))
        } else {
            (self.haul_here().map(|haul| haul.id), None)
        };
        let Some(haul) = haul else {
            self.over.message = Some("No haul here has checksums.".into());
            return;
        };
        let name = item.as_ref().map_or(format!("haul-{haul}"), |(_, title)| {
            title.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect()
        });
        self.type_in(Typed::ExportTo(haul, item.map(|(id, _)| id)), format!("~/{name}.b3"));
    }
}

/// Lines of a tree in the order of a walk: what lies in folders that are not open is left out, and counted.
fn tree(files: &[ListedEntry], differences: &[Difference], open: &HashSet<PathBuf>) -> Vec<TreeRow> {
    let mut standings: HashMap<&str, Standing> = HashMap::new();
    let mut extra = Vec::new();
    for difference in differences {
        let standing = match difference.kind {
            DifferenceKind::Differs | DifferenceKind::Beside => Standing::Differs,
            DifferenceKind::Missing => Standing::Missing,
            DifferenceKind::WouldDownload => Standing::WouldDownload,
            DifferenceKind::Extra => {
                extra.push(ListedEntry {
                    path: difference.path.clone().into(),
                    size: 0,
                    folder: false,
                    compared: false,
                });
                Standing::Extra
            }
        };
        standings.insert(&difference.path, standing);
    }
    let standing = |file: &ListedEntry| {
        let text = file.path.to_string_lossy();
        let own = if file.compared || file.folder { Standing::Same } else { Standing::NotCompared };
        standings.get(text.as_ref()).copied().unwrap_or(own)
    };
    // What a folder holds, itself and everything below it.
    let mut sums: BTreeMap<&Path, (u64, u64, u64)> = BTreeMap::new();
    for file in files.iter().chain(&extra).filter(|file| !file.folder) {
        let bad = u64::from(!matches!(standing(file), Standing::Same | Standing::Extra | Standing::NotCompared));
        for above in file.path.ancestors().skip(1) {
            let sum = sums.entry(above).or_default();
            *sum = (sum.0 + file.size, sum.1 + 1, sum.2 + bad);
        }
    }
    let root = Path::new("");
    let is_shown = |path: &Path| path.ancestors().skip(1).all(|above| above == root || open.contains(above));
    let row = |file: &ListedEntry| {
        let (size, count, bad) =
            if file.folder { sums.get(file.path.as_path()).copied().unwrap_or_default() } else { (file.size, 0, 0) };
        let own = standing(file);
        let bad = if file.folder { bad } else { u64::from(!matches!(own, Standing::Same | Standing::Extra)) };
        TreeRow {
            depth: file.path.components().count().saturating_sub(1),
            folder: file.folder,
            open: file.folder && open.contains(&file.path),
            size,
            files: count,
            bad,
            standing: if file.folder && bad > 0 { Standing::Differs } else { own },
            path: file.path.clone(),
        }
    };
    // The item's own folder is no line; what lies in it stands at the left.
    let lines = files.iter().chain(&extra).filter(|file| file.path != root && is_shown(&file.path));
    let mut rows: Vec<TreeRow> = lines.map(row).collect();
    rows.sort_by(|a, b| a.path.components().cmp(b.path.components()));
    rows
}

#[cfg(test)]
mod tests {
    use super::*;

    fn file(path: &str, folder: bool) -> ListedEntry {
        ListedEntry { path: path.into(), size: if folder { 0 } else { 10 }, folder, compared: true }
    }

    #[test]
    fn a_tree_shows_open_folders_and_counts_what_is_wrong_in_shut_ones() {
        let files =
            [file("", true), file("data", true), file("data/a", false), file("data/b", false), file("start", false)];
        let differences = [("data/b", DifferenceKind::Differs), ("log.txt", DifferenceKind::Extra)]
            .map(|(path, kind)| Difference::new(path, kind));
        let shut = tree(&files, &differences, &HashSet::new());
        let shown: Vec<_> = shut.iter().map(|row| (row.path.to_str().expect("text"), row.bad, row.standing)).collect();
        assert_eq!(
            shown,
            [("data", 1, Standing::Differs), ("log.txt", 0, Standing::Extra), ("start", 0, Standing::Same)]
        );
        assert_eq!((shut[0].size, shut[0].files), (20, 2));
        let open = tree(&files, &differences, &HashSet::from(["data".into()]));
        assert_eq!(open.len(), 5);
        assert_eq!((open[2].depth, open[2].standing), (1, Standing::Differs));
    }
}
