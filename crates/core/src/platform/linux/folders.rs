//! The folders of a person, by the XDG base directory specification (0.8).

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use crate::platform::contract::PersonFolders;

/// What says where a person's home is.
pub const HOME: &str = "HOME";

/// Where settings are in a home where nothing else is said.
pub(crate) fn usual_config(home: &Path) -> PathBuf {
    home.join(".config")
}

/// Where data is in a home where nothing else is said.
pub(crate) fn usual_data(home: &Path) -> PathBuf {
    home.join(".local/share")
}

/// Where state is in a home where nothing else is said.
pub(crate) fn usual_state(home: &Path) -> PathBuf {
    home.join(".local/state")
}

/// The person's folders, by the variables of the environment; relative ones do not count, as the specification says. `None` without a home.
pub fn folders_of_person(said: &dyn Fn(&str) -> Option<OsString>) -> Option<PersonFolders> {
    let folder = |name: &str| said(name).map(PathBuf::from).filter(|path| path.is_absolute());
    let home = folder(HOME)?;
    Some(PersonFolders {
        config: folder("XDG_CONFIG_HOME").unwrap_or_else(|| usual_config(&home)),
        data: folder("XDG_DATA_HOME").unwrap_or_else(|| usual_data(&home)),
        state: folder("XDG_STATE_HOME").unwrap_or_else(|| usual_state(&home)),
        home,
    })
}

/// The names of the folders of documents and of the desktop among a person's own directories.
pub(crate) const DOCUMENTS: &str = "XDG_DOCUMENTS_DIR";
pub(crate) const DESKTOP: &str = "XDG_DESKTOP_DIR";

/// Where it is written which directories a person has, and the section in it; `None` where nothing says that.
#[expect(clippy::unnecessary_wraps, reason = "another system may not say it")]
pub(crate) fn user_directories_in(config: &Path, _declared: bool) -> Option<(PathBuf, Option<&'static str>)> {
    Some((config.join("user-dirs.dirs"), None))
}

/// What variables of written paths stand for on this system, whatever the environment says.
pub(crate) fn own_names(_person: &PersonFolders) -> Vec<(String, PathBuf)> {
    Vec::new()
}

/// Where a person's menu is, and what starts with the desktop.
pub(crate) fn menus_of_person(config: &Path, data: &Path) -> [PathBuf; 2] {
    [data.join("applications"), config.join("autostart")]
}

/// The menus of all people of this machine.
pub(crate) fn menus_of_all() -> Vec<PathBuf> {
    let all =
        ["/usr/share/applications", "/usr/local/share/applications", "/var/lib/flatpak/exports/share/applications"];
    all.map(PathBuf::from).to_vec()
}
