//! The folders of a person, as the system knows them; what it does not say is told by the variables of the environment.

use std::ffi::OsString;
use std::path::{Path, PathBuf};

use deft_barge_windows::{KnownFolder, known_folder};

use crate::platform::contract::PersonFolders;

/// What says where a person's home is.
pub const HOME: &str = "USERPROFILE";

/// Where settings are in a home where nothing else is said.
pub(crate) fn usual_config(home: &Path) -> PathBuf {
    home.join("AppData").join("Roaming")
}

/// Where data is in a home where nothing else is said.
pub(crate) fn usual_data(home: &Path) -> PathBuf {
    home.join("AppData").join("Local")
}

/// Where state is in a home where nothing else is said: with the data, since neither goes to another machine.
pub(crate) fn usual_state(home: &Path) -> PathBuf {
    usual_data(home)
}

/// The person's folders. `None` without a home.
pub fn folders_of_person(said: &dyn Fn(&str) -> Option<OsString>) -> Option<PersonFolders> {
    let by_name = |name: &str| said(name).map(PathBuf::from).filter(|path| path.is_absolute());
    let folder = |known: KnownFolder, name: &str| known_folder(known).or_else(|| by_name(name));
    let home = folder(KnownFolder::Profile, HOME)?;
    let data = folder(KnownFolder::LocalAppData, "LOCALAPPDATA").unwrap_or_else(|| usual_data(&home));
    Some(PersonFolders {
        config: folder(KnownFolder::RoamingAppData, "APPDATA").unwrap_or_else(|| usual_config(&home)),
        state: data.clone(),
        data,
        home,
    })
}

/// The names of the folders of documents and of the desktop among a person's own directories.
pub(crate) const DOCUMENTS: &str = "Personal";
pub(crate) const DESKTOP: &str = "Desktop";

/// The key in which the system keeps a person's directories.
const DIRECTORIES: &str = r"HKEY_CURRENT_USER\Software\Microsoft\Windows\CurrentVersion\Explorer\User Shell Folders";

/// Where it is written which directories a person has, and the section in it. Of a declared world nothing says that: the registry is the
/// person's own.
pub(crate) fn user_directories_in(_config: &Path, declared: bool) -> Option<(PathBuf, Option<&'static str>)> {
    let top = Path::new(super::registry::REGISTRY.filter(|_| !declared)?);
    Some((top.join(DIRECTORIES), Some(DIRECTORIES)))
}

/// What variables of written paths stand for on this system ("Recognized Environment Variables"), whatever the environment says.
pub(crate) fn own_names(person: &PersonFolders) -> Vec<(String, PathBuf)> {
    let known = [
        ("ProgramFiles", KnownFolder::ProgramFiles),
        ("ProgramW6432", KnownFolder::ProgramFiles),
        ("ProgramFiles(x86)", KnownFolder::ProgramFilesX86),
        ("ProgramData", KnownFolder::ProgramData),
        ("ALLUSERSPROFILE", KnownFolder::ProgramData),
        ("PUBLIC", KnownFolder::Public),
        ("SystemRoot", KnownFolder::Windows),
        ("windir", KnownFolder::Windows),
    ];
    let of_person = [("LOCALAPPDATA", &person.data), ("APPDATA", &person.config), ("USERPROFILE", &person.home)];
    let of_person = of_person.into_iter().map(|(name, path)| (name.to_string(), path.clone()));
    let of_system = known.into_iter().filter_map(|(name, folder)| Some((name.to_string(), known_folder(folder)?)));
    let mut all: Vec<(String, PathBuf)> = of_person.chain(of_system).collect();
    let drive = known_folder(KnownFolder::Windows).and_then(|path| path.ancestors().last().map(Path::to_path_buf));
    all.extend(drive.map(|drive| ("SystemDrive".to_string(), drive)));
    all
}

/// Where a person's start menu is, and what starts with the person.
pub(crate) fn menus_of_person(config: &Path, _data: &Path) -> [PathBuf; 2] {
    let menu =
        ["Microsoft", "Windows", "Start Menu", "Programs"].iter().fold(config.to_path_buf(), |at, name| at.join(name));
    let startup = menu.join("Startup");
    [menu, startup]
}

/// The menus and the desktop of all people of this machine.
pub(crate) fn menus_of_all() -> Vec<PathBuf> {
    [KnownFolder::CommonPrograms, KnownFolder::PublicDesktop].into_iter().filter_map(known_folder).collect()
}
