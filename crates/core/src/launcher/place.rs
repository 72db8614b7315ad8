//! Whether the place that a manifest names can be a game's install folder at all.

use std::path::{Component, Path, PathBuf};

use serde::Serialize;

use crate::platform::silent_at;
use crate::platform::{Look, is_in_system};
use crate::site::{Site, real_path};

/// Why a place cannot be an install folder.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
#[serde(rename_all = "kebab-case")]
pub enum PlaceFault {
    /// It goes up through `..`.
    GoesUp,
    /// It is the root of everything, a drive's root, the home or a folder above it, or a library itself.
    TooHigh,
    /// It, or a folder on the way from its library, is a link that leads elsewhere.
    LeadsOut(PathBuf),
    /// It is not below the library that lists it.
    OutsideLibrary,
    /// Nothing is there.
    Missing,
    /// It lies on this drive, which is not there.
    Away(String),
    /// It lies on this drive, which has this path now.
    Elsewhere(String, PathBuf),
    /// It lies on the drive that is mounted here, which does not answer.
    Silent(PathBuf),
    /// It is no folder.
    NotAFolder,
    /// It is a link that leads to itself, over whatever way.
    Loop,
    /// It belongs to the system.
    System,
    /// It is where this program keeps its settings, profiles and journal, or holds that.
    Ours,
    /// It is its launcher's own folder, or holds that.
    Launcher,
    /// It holds this game, or lies in it.
    Game(PathBuf),
}

/// Whether a path, with its links followed, is or lies in a folder of the system that nobody moves or removes.
pub fn is_of_the_system(site: &Site, path: &Path) -> bool {
    // A declared world may lie anywhere; what is in it is its own.
    let in_world = site.world.as_ref().is_some_and(|world| path.starts_with(real_path(world)));
    !in_world && is_in_system(path)
}

/// Finds out what is wrong with an install folder; `None` if nothing is.
pub fn place_fault(site: &Site, install: &Path, library: Option<&Path>) -> Option<PlaceFault> {
    if install.components().any(|c| matches!(c, Component::ParentDir)) {
        return Some(PlaceFault::GoesUp);
    }
    let high = |place: &Path| {
        let places = [&site.places.home, &site.places.config, &site.places.data, &site.places.state];
        place.parent().is_none()
            || places.iter().any(|p| p.starts_with(place))
            || site.drives.iter().flat_map(|d| &d.mounts).any(|mount| mount.starts_with(place))
            || library == Some(place)
    };
    if high(install) || !install.is_absolute() {
        return Some(PlaceFault::TooHigh);
    }
    if let Some(point) = silent_at(install) {
        return Some(PlaceFault::Silent(point));
    }
    if let Some(library) = library {
        if !install.starts_with(library) {
            return Some(PlaceFault::OutsideLibrary);
        }
        // The library itself may be reached through a link; below it the way must be straight.
        let wanted = real_path(library).join(install.strip_prefix(library).unwrap_or(install));
        let real = real_path(install);
        if real != wanted {
            return Some(PlaceFault::LeadsOut(real));
        }
    }
    let real = real_path(install);
    if high(&real) {
        return Some(PlaceFault::TooHigh);
    }
    let ours = [site.places.config.join("deft-barge"), site.state_folder()];
    if ours.iter().map(|own| real_path(own)).any(|own| real.starts_with(&own) || own.starts_with(&real)) {
        return Some(PlaceFault::Ours);
    }
    if is_of_the_system(site, &real) {
        return Some(PlaceFault::System);
    }
    match install.look_own_meta() {
        Err(_) => Some(missing(site, install)),
        Ok(meta) if meta.is_link() => Some(PlaceFault::LeadsOut(real)),
        Ok(meta) if !meta.is_folder() => Some(PlaceFault::NotAFolder),
        Ok(_) => None,
    }
}

/// Why nothing is where a record leads.
fn missing(site: &Site, install: &Path) -> PlaceFault {
    if let Some(name) = site.away_at(install) {
        return PlaceFault::Away(name.into());
    }
    let moved = site.moved_drives().into_iter().find(|moved| install.starts_with(&moved.old));
    moved.map_or(PlaceFault::Missing, |moved| PlaceFault::Elsewhere(moved.name, moved.new))
}

#[cfg(test)]
#[cfg(unix)]
mod tests {
    use super::*;
    use crate::disk::Disk;
    use crate::site::Places;

    #[test]
    fn dangerous_places_are_refused() {
        let folder = tempfile::tempdir().unwrap();
        let top = folder.path().canonicalize().unwrap();
        let library = top.join("home/games");
        std::fs::create_dir_all(library.join("sound/below")).unwrap();
        std::fs::create_dir_all(top.join("elsewhere")).unwrap();
        std::os::unix::fs::symlink(top.join("elsewhere"), library.join("out")).unwrap();
        std::fs::write(library.join("file"), "").unwrap();
        let site = Site {
            drives: Vec::new(),
            places: Places::usual(&top.join("home")),
            processes: "/proc".into(),
            disk: Disk::default(),
            world: None,
            known: Vec::new(),
        };
        let fault = |path: &str| place_fault(&site, &library.join(path), Some(&library));
        assert_eq!(fault("sound"), None);
        assert_eq!(fault("sound/below"), None);
        assert_eq!(fault("/"), Some(PlaceFault::TooHigh));
        assert_eq!(fault("../games/sound"), Some(PlaceFault::GoesUp));
        assert_eq!(fault(""), Some(PlaceFault::TooHigh));
        assert_eq!(fault("out"), Some(PlaceFault::LeadsOut(top.join("elsewhere"))));
        assert_eq!(fault("/usr/share"), Some(PlaceFault::OutsideLibrary));
        assert_eq!(fault("gone"), Some(PlaceFault::Missing));
        assert_eq!(fault("file"), Some(PlaceFault::NotAFolder));
        for own in ["home/.config/deft-barge", "home/.config/deft-barge/profiles", "home/.local/state/deft-barge/x"] {
            assert_eq!(place_fault(&site, &top.join(own), None), Some(PlaceFault::Ours), "{own}");
        }
        for system in
            ["/etc/game", "/boot", "/boot/efi/game", "/dev/shm/game", "/run/user/1000/game", "/proc/1", "/var/log/x"]
        {
            assert_eq!(place_fault(&site, Path::new(system), None), Some(PlaceFault::System), "{system}");
        }
        assert_eq!(place_fault(&site, Path::new("/usr/share/games/x"), None), Some(PlaceFault::Missing));
        assert_eq!(place_fault(&site, Path::new("/run/media/me/stick/x"), None), Some(PlaceFault::Missing));
        assert_eq!(place_fault(&site, &top.join("home"), None), Some(PlaceFault::TooHigh));
        assert_eq!(place_fault(&site, &top, None), Some(PlaceFault::TooHigh));
    }
}
