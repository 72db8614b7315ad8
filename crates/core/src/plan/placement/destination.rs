//! A placement: where an item of a draft would lie, how it gets there, and what stands in its way.
//!
//! Law: looking for a place writes nothing. Start at [`Placing::placement`].

use crate::bytes::whole;
use std::collections::{HashMap, HashSet};
use std::path::{Path, PathBuf};

use super::fit::DriveFit;
use super::loads::drive_of;
use crate::bytes::Bytes;
use crate::checksums::{Size, walk_each};
use crate::item::{Displaced, Finding, FindingKind, Limit, Links, Nicety, PlannedItem, Strategy};
use crate::launcher::Origin;
use crate::launcher::{ContentList, FoundLauncher};
use crate::plan::drafts::Destination;
use crate::platform;
use crate::platform::Look;
use crate::platform::{Drive, DriveKind};
use crate::record::{Edit, Values};
use crate::site::{Site, real_path};
use crate::survey::{DataSource, Game, Lookup, Survey, UserData, Way};

/// Where an item would lie, before its turn and its edits are known.
#[derive(Clone, Debug)]
pub(crate) struct Placement<'a> {
    pub(crate) game: &'a Game,
    pub(crate) found: &'a FoundLauncher,
    pub(crate) drive: &'a Drive,
    pub(crate) library: PathBuf,
    pub(crate) new_library: bool,
    pub(crate) install: PathBuf,
    pub(crate) mode: Strategy,
    pub(crate) size: Size,
    /// Bytes that it needs there.
    pub(crate) need: Bytes,
    pub(crate) links: Links,
    /// Where the originals step aside for a link.
    pub(crate) aside: Option<Displaced>,
}

/// Folders for games by launcher and drive; `None` where there is none.
pub(crate) type KnownPlaces = HashMap<(String, String), Option<PathBuf>>;

/// Finds places for games.
pub(crate) struct Placing<'a, 'f> {
    pub(crate) site: &'a Site,
    pub(crate) survey: &'a Survey,
    pub(crate) lookup: &'a Lookup<'a>,
    /// Where a launcher without libraries keeps its games on a drive, once it was looked for.
    pub(crate) places: &'f mut KnownPlaces,
    pub(crate) found: &'a FoundLauncher,
    pub(crate) game: &'a Game,
    pub(crate) findings: &'f mut Vec<Finding>,
    pub(crate) links: Links,
}

impl<'a> Placing<'a, '_> {
    fn say(&mut self, kind: FindingKind) {
        self.findings.push(Finding::about(&self.game.id, &self.game.found.title, kind));
    }

    /// Finds where the item would lie and how it would get there. `taken` are the places of the items before it.
    pub(crate) fn placement(&mut self, to: &Destination, taken: &HashSet<PathBuf>) -> Option<Placement<'a>> {
        let game = &self.game.found;
        if let Some(fault) = &game.fault {
            self.say(FindingKind::BadPlace { path: game.install.clone(), fault: fault.clone() });
            return None;
        }
        let Some(drive) = drive_of(self.survey, to).and_then(|name| self.site.find_drive(&name)) else {
            let what = match to {
                Destination::Drive(name) => name.clone(),
                Destination::Library(path) => path.display().to_string(),
            };
            self.say(FindingKind::NoDestination { what });
            return None;
        };
        let (library, new_library) = self.library(to, drive)?;
        let install = self.install_in(&library);
        if install == game.install {
            self.say(FindingKind::AlreadyThere { path: install });
            return None;
        }
        self.game_findings();
        self.data_left(&drive.name);
        let mode = self.mode(&install, drive);
        let (size, need, links) = self.source_findings(&game.install, &install, drive, mode)?;
        self.target_findings(&install, drive, taken);
        let (game, found) = (self.game, self.found);
        Some(Placement { game, found, drive, library, new_library, install, mode, size, need, links, aside: None })
    }

    /// Where the game lies in a library: as the profile's template says, where it can be filled, else as deep in it as in the one it lies
    /// in now.
    fn install_in(&self, library: &Path) -> PathBuf {
        let game = &self.game.found;
        let above = game.library.as_ref().or(game.root.as_ref());
        let below = above.and_then(|library| game.install.strip_prefix(library).ok());
        let below = below.filter(|below| below.file_name().and_then(|name| name.to_str()) == Some(&game.folder));
        let plain = library.join(below.unwrap_or(Path::new(&game.folder)));
        let template = &self.found.profile.games.install;
        if !template.names("library") {
            return plain;
        }
        let values = self.found.values(self.site).with("id", &game.id).with("folder", &game.folder);
        let values = values.with("library", library.to_string_lossy()).with("parent", library.to_string_lossy());
        match template.fill(&values).map(PathBuf::from) {
            // Where the template does not say where it lies now, it says nothing of where it would.
            Ok(install) if install.is_absolute() && self.lies_by_template(template, &values) => install,
            Ok(_) | Err(_) => plain,
        }
    }

    /// Whether the game lies now where the template has it.
    fn lies_by_template(&self, template: &crate::record::Meaning, values: &Values) -> bool {
        let game = &self.game.found;
        let Some(library) = &game.library else { return false };
        let here = values.clone().with("library", library.to_string_lossy());
        template.fill(&here).is_ok_and(|install| Path::new(&install) == game.install)
    }

    /// Where its originals step aside, if a link is to stand at the old place; says what that means.
    pub(crate) fn aside(&mut self, way: Option<Way>) -> Option<Displaced> {
        let survey = self.survey;
        let data = survey.data(&self.game.id);
        let way = way.or_else(|| data.and_then(|data| data.ways.first().copied()))?;
        if let Some(data) = data {
            self.way_finding(data, way);
            if way != Way::Link || data.link.is_some() {
                return None;
            }
        } else if way != Way::Link {
            self.say(FindingKind::NoWay { way });
            return None;
        }
        let old = data.map_or(&self.game.found.install, |data| &data.path);
        let holds = self.site.drive_of(old).is_none_or(|drive| drive.abilities.links && drive.abilities.known);
        let aside = Displaced::of(old);
        if !holds {
            let path = old.clone();
            self.say(FindingKind::NoLinkThere { path });
            return None;
        }
        if aside.held.look_own_meta().is_ok() {
            self.say(FindingKind::TargetThere { path: aside.held.clone() });
        }
        if data.is_none() {
            self.say(FindingKind::LinkLeft { path: old.clone() });
        }
        Some(aside)
    }

    /// What moving user data in this way means.
    fn way_finding(&mut self, data: &UserData, way: Way) {
        if !data.ways.contains(&way) {
            return self.say(FindingKind::NoWay { way });
        }
        let path = data.path.clone();
        match (way, data.setting.clone()) {
            (Way::Link, _) => self.say(FindingKind::DataByLink { path }),
            (Way::Setting, Some(file)) => {
                self.say(FindingKind::DataBySetting { file, asks_again: data.asks_again });
            }
            (Way::Directory, _) => self.say(FindingKind::DataByDirectory { path }),
            (Way::Setting, None) => {}
        }
        if data.source == DataSource::Name {
            self.say(FindingKind::DataByName { path: data.path.clone() });
        }
    }

    /// What of the game lies elsewhere and stays there.
    fn data_left(&mut self, to: &str) {
        let lookup = self.lookup;
        for data in lookup.data_of(&self.game.id) {
            if data.fault.is_none() && data.drive.as_deref() != Some(to) {
                let (path, bytes) = (data.place.clone(), data.size.on_disk);
                self.say(FindingKind::DataStays { what: data.title.clone(), path, bytes });
            }
        }
        for shortcut in lookup.shortcuts_to(&self.game.id).iter().filter(|shortcut| !shortcut.writable) {
            self.say(FindingKind::ShortcutStays { path: shortcut.file.clone() });
        }
    }

    /// The library it goes into, and whether that has to be made.
    fn library(&mut self, to: &Destination, drive: &Drive) -> Option<(PathBuf, bool)> {
        if let Destination::Library(path) = to {
            return Some((path.clone(), false));
        }
        if self.found.profile.libraries.is_none() {
            let known = (self.found.profile.id.clone(), drive.name.clone());
            let (found, site) = (self.found, self.site);
            let place = match &self.game.found.root {
                Some(root) => found.root_on(site, drive, root),
                None => self.places.entry(known).or_insert_with(|| found.place_on(site, drive)).clone(),
            };
            if place.is_none() {
                let launcher = self.found.profile.name.clone();
                self.say(FindingKind::NoLibrary { launcher, drive: drive.name.clone() });
            }
            return Some((place?, false));
        }
        let known = self.survey.launcher(&self.game.launcher)?;
        let mut there = known.libraries.iter().filter(|l| l.present && l.drive.as_ref() == Some(&drive.name));
        if let Some(library) = there.next() {
            return Some((library.path.clone(), false));
        }
        let new = self
            .found
            .new_library(self.site, drive)
            .filter(|_| self.found.profile.libraries.as_ref().is_some_and(|l| l.new_entry.is_some()));
        if new.is_none() {
            let launcher = self.found.profile.name.clone();
            self.say(FindingKind::NoLibrary { launcher, drive: drive.name.clone() });
        }
        Some((new?, true))
    }

    fn mode(&self, install: &Path, drive: &Drive) -> Strategy {
        let from = real_path(&self.game.found.install);
        let to = real_path(install);
        let same_mount = self.site.mount_of(&from) == self.site.mount_of(&to);
        let device = |path: &Path| path.ancestors().find_map(|p| p.look_meta().ok()).map(|meta| meta.device);
        let same = same_mount && (drive.declared || device(&from) == device(&to));
        if same { Strategy::Rename } else { Strategy::Copy }
    }

    fn game_findings(&mut self) {
        let game = &self.game.found;
        // A library, or a whole launcher, is carried with all that is in it.
        let carried = self.found.profile.origin == Origin::Pack;
        let lookup = self.lookup;
        let inside = lookup.games_in(&game.install).filter(|_| !carried);
        for other in inside.filter(|other| other.id != self.game.id && other.fault().is_none()) {
            let title = other.found.title.clone();
            if other.found.install != game.install {
                self.say(FindingKind::SharesFolder { with: title, path: other.found.install.clone() });
            } else if self.found.profile.origin != Origin::Traced {
                let launcher = self.survey.launcher(&other.launcher).map(|launcher| launcher.name.clone());
                self.say(FindingKind::AlsoKnown { as_title: title, launcher: launcher.unwrap_or_default() });
            }
        }
        for held in lookup.held_of(&self.game.id) {
            self.say(FindingKind::StillHeld { haul: held.haul, bytes: held.bytes });
        }
        if let Some(reason) = &game.sealed {
            self.say(FindingKind::Sealed { reason: reason.clone() });
        }
        for record in game.records.iter().filter(|record| !record.sound) {
            let says = record.text.clone();
            self.say(FindingKind::RecordUnsound { file: record.file.clone(), location: record.location.clone(), says });
        }
        for staying in &game.staying {
            self.say(FindingKind::FilesStay(staying.clone()));
        }
        if let Some(update) = game.update {
            self.say(FindingKind::UpdateWaiting { update });
        }
        if let (true, Some(claim)) = (self.game.claim_is_far(), game.claim) {
            self.say(FindingKind::ClaimFar { claim, size: self.game.size.apparent });
        }
        let values = self.found.values_of(self.site, &game.id, &game.install);
        if matches!(self.found.profile.origin, Origin::UserData | Origin::Pack) {
            return;
        }
        match ContentList::read(&self.found.profile, &values) {
            Ok(Some(_)) => {}
            Ok(None) => self.say(FindingKind::NoContentList { launcher: self.found.profile.name.clone() }),
            Err(error) => self.say(FindingKind::RecordsUnchangeable { why: error.to_string() }),
        }
    }

    /// What the game's own files say, and what the target's file system says to them.
    fn source_findings(
        &mut self,
        from: &Path,
        to: &Path,
        drive: &Drive,
        mode: Strategy,
    ) -> Option<(Size, Bytes, Links)> {
        let source = self.site.drive_of(from).map_or("", |d| d.file_system.as_str());
        let mut fit = DriveFit::new(&drive.abilities, source, from, to);
        let walked = walk_each(&self.site.disk, from, &mut |found| {
            fit.take(found);
            Ok::<(), std::io::Error>(())
        });
        if let Err(error) = walked {
            self.say(FindingKind::SourceUnreadable { what: error.to_string() });
            return None;
        }
        if let Some((path, count)) = fit.ahead.take() {
            self.say(FindingKind::TimeAhead { path, count });
        }
        let renamed = mode == Strategy::Rename;
        for (limit, path, count) in fit.unfit.into_iter().filter(|(limit, ..)| !renamed || *limit == Limit::Path) {
            self.say(FindingKind::CannotHold { path, limit, count });
        }
        if renamed {
            return Some((fit.size, Bytes::ZERO, Links::Keep));
        }
        let mut links = Links::Keep;
        if let Some((path, count)) = fit.linked.take() {
            let bytes = fit.linked_bytes;
            links = self.links;
            match links {
                Links::Copies => self.say(FindingKind::LinksCopied { count, bytes }),
                Links::Keep => self.say(FindingKind::LinksNeeded { path, count, bytes }),
            }
        }
        if !drive.abilities.known {
            let file_system = drive.file_system.clone();
            self.say(FindingKind::AbilitiesUnknown { drive: drive.name.clone(), file_system });
        }
        if fit.again && !drive.abilities.hard_links {
            self.say(FindingKind::NicetyLost { what: Nicety::Names });
        }
        if fit.attributes {
            self.say(FindingKind::NicetyLost { what: Nicety::Attributes });
        }
        // Where copies stand instead of links, nothing leads anywhere any more.
        if let Some((path, count)) = fit.leads_out
            && links == Links::Keep
        {
            self.say(FindingKind::LinkLeadsOut { path, count });
        }
        let copies = if links == Links::Copies { fit.linked_bytes } else { Bytes::ZERO };
        Some((fit.size, fit.need.plus(copies), links))
    }

    fn target_findings(&mut self, install: &Path, drive: &Drive, taken: &HashSet<PathBuf>) {
        if matches!(drive.kind, DriveKind::Usb | DriveKind::Network) {
            self.say(FindingKind::Removable { drive: drive.name.clone() });
        }
        if let Some(from) = &self.game.drive {
            let speeds = &self.survey.speeds;
            let (here, there) = (speeds.pace(self.site, from).read, speeds.pace(self.site, &drive.name).read);
            if there < here * 0.7 {
                let (drive, reads, read) = (drive.name.clone(), whole(there), whole(here));
                self.say(FindingKind::Slower { drive, reads, read });
            }
        }
        if drive.absent {
            return self.say(FindingKind::NotThereYet { drive: drive.name.clone() });
        }
        if install.look_own_meta().is_ok() || taken.contains(install) {
            let kept = self.survey.held.iter().find(|held| real_path(&held.path) == real_path(install));
            self.say(match kept {
                Some(held) => FindingKind::KeptThere { path: install.into(), haul: held.haul },
                None => FindingKind::TargetThere { path: install.into() },
            });
        }
        let (from, to) = (real_path(&self.game.found.install), real_path(install));
        if to.starts_with(&from) || from.starts_with(&to) {
            self.say(FindingKind::TargetInside { path: install.into() });
        }
        let there = install.ancestors().skip(1).find(|path| path.look_own_meta().is_ok());
        let writable = there.is_some_and(writable_folder) && !drive.read_only;
        // Another drive that is mounted over the way there, or one that is gone, is not where it was to go.
        let on_drive = there.and_then(|path| self.site.drive_of(path)).is_some_and(|d| d.name == drive.name);
        if !writable || !on_drive {
            let path = there.unwrap_or(install).to_path_buf();
            self.say(unwritable(path));
        }
    }
}

/// The record files of an item that cannot be changed.
pub(crate) fn writable_findings(site: &Site, item: &PlannedItem) -> Vec<Finding> {
    let mut findings = Vec::new();
    for file in item.record_files() {
        // What lies in the item is changed in the copy, and a link where it stands.
        if file.starts_with(&item.to) && item.mode != Strategy::Records {
            continue;
        }
        if platform::is_in_registry(file) {
            if !accessible(file) {
                findings.push(Finding::about(&item.game, &item.title, unwritable(file.into())));
            }
            continue;
        }
        let is_link = item.edits.iter().any(|edit| matches!(edit, Edit::Link { link, .. } if link == file));
        let real = if is_link { file.to_path_buf() } else { real_path(file) };
        let folder = real.ancestors().skip(1).find(|path| path.look_is_dir());
        let read_only = site.drive_of(&real).is_some_and(|drive| drive.read_only);
        let file_closed = !is_link && real.look_exists() && !accessible(&real);
        if read_only || file_closed || !folder.is_some_and(writable_folder) {
            findings.push(Finding::about(&item.game, &item.title, unwritable(file.into())));
        }
        // A database is changed in place, and a link is none of its target's names.
        let in_place = |edit: &Edit| {
            let written = matches!(edit, Edit::Replace { format: None, .. } | Edit::Link { .. });
            written && edit.files().contains(&file)
        };
        if let Ok(meta) = real.look_own_meta()
            && (meta.is_file() && meta.names > 1 && !item.edits.iter().any(in_place))
        {
            let kind = FindingKind::SeveralNames { path: file.into(), names: meta.names };
            findings.push(Finding::about(&item.game, &item.title, kind));
        }
    }
    findings
}

/// Why what cannot be written cannot be.
fn unwritable(path: PathBuf) -> FindingKind {
    if platform::administrator_writes(&path) {
        FindingKind::AdministratorWrites { path }
    } else {
        FindingKind::NotWritable { path }
    }
}

fn accessible(path: &Path) -> bool {
    platform::is_writable(path)
}

fn writable_folder(path: &Path) -> bool {
    path.look_is_dir() && accessible(path)
}
