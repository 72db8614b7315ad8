//! The folders of a person, as the system knows them ("KNOWNFOLDERID").

use std::path::PathBuf;
use std::ptr::{null_mut, slice_from_raw_parts};

use windows_sys::Win32::System::Com::CoTaskMemFree;
use windows_sys::Win32::UI::Shell::{
    FOLDERID_CommonPrograms, FOLDERID_Desktop, FOLDERID_Documents, FOLDERID_Downloads, FOLDERID_LocalAppData,
    FOLDERID_LocalAppDataLow, FOLDERID_Music, FOLDERID_Pictures, FOLDERID_Profile, FOLDERID_ProgramData,
    FOLDERID_ProgramFiles, FOLDERID_ProgramFilesX86, FOLDERID_Programs, FOLDERID_Public, FOLDERID_PublicDesktop,
    FOLDERID_RoamingAppData, FOLDERID_SavedGames, FOLDERID_Startup, FOLDERID_Videos, FOLDERID_Windows,
    KF_FLAG_DONT_VERIFY, SHGetKnownFolderPath,
};
use windows_sys::core::GUID;

use crate::text::read;

/// A folder that the system knows by a number of its own.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum KnownFolder {
    /// The person's home.
    Profile,
    /// Settings that go with the person from machine to machine.
    RoamingAppData,
    /// Data of programs on this machine.
    LocalAppData,
    /// The same, of programs with few rights.
    LocalAppDataLow,
    /// Documents.
    Documents,
    /// Saved games.
    SavedGames,
    /// Pictures.
    Pictures,
    /// Videos.
    Videos,
    /// Music.
    Music,
    /// Downloads.
    Downloads,
    /// The desktop.
    Desktop,
    /// The start menu.
    Programs,
    /// What starts with the person.
    Startup,
    /// The desktop of everybody.
    PublicDesktop,
    /// The start menu of everybody.
    CommonPrograms,
    /// Data of programs for everybody.
    ProgramData,
    /// What belongs to everybody.
    Public,
    /// Programs.
    ProgramFiles,
    /// Programs of 32 bits.
    ProgramFilesX86,
    /// The system's own.
    Windows,
}

impl KnownFolder {
    fn number(self) -> GUID {
        match self {
            Self::Profile => FOLDERID_Profile,
            Self::RoamingAppData => FOLDERID_RoamingAppData,
            Self::LocalAppData => FOLDERID_LocalAppData,
            Self::LocalAppDataLow => FOLDERID_LocalAppDataLow,
            Self::Documents => FOLDERID_Documents,
            Self::SavedGames => FOLDERID_SavedGames,
            Self::Pictures => FOLDERID_Pictures,
            Self::Videos => FOLDERID_Videos,
            Self::Music => FOLDERID_Music,
            Self::Downloads => FOLDERID_Downloads,
            Self::Desktop => FOLDERID_Desktop,
            Self::Programs => FOLDERID_Programs,
            Self::Startup => FOLDERID_Startup,
            Self::PublicDesktop => FOLDERID_PublicDesktop,
            Self::CommonPrograms => FOLDERID_CommonPrograms,
            Self::ProgramData => FOLDERID_ProgramData,
            Self::Public => FOLDERID_Public,
            Self::ProgramFiles => FOLDERID_ProgramFiles,
            Self::ProgramFilesX86 => FOLDERID_ProgramFilesX86,
            Self::Windows => FOLDERID_Windows,
        }
    }
}

/// Where a folder is; `None` where the system does not say. It need not be there.
#[must_use]
pub fn known_folder(folder: KnownFolder) -> Option<PathBuf> {
    let number = folder.number();
    let mut text = null_mut();
    // SAFETY: the number and the place for the text live until the call is over.
    let code = unsafe {
        SHGetKnownFolderPath(&raw const number, KF_FLAG_DONT_VERIFY.cast_unsigned(), null_mut(), &raw mut text)
    };
    let path = (code == 0 && !text.is_null()).then(|| {
        let mut length = 0;
        // SAFETY: the text ends with a zero, and nothing behind it is looked at.
        while unsafe { text.add(length).read() } != 0 {
            length += 1;
        }
        // SAFETY: so many units of it were looked at just now.
        PathBuf::from(read(unsafe { &*slice_from_raw_parts(text, length) }))
    });
    // SAFETY: the text is the call's, also where it failed, and not used again.
    unsafe { CoTaskMemFree(text.cast_const().cast()) };
    path.filter(|path| path.is_absolute())
}
