//! Volumes: where they are mounted, what they are, and how full.

use std::ffi::OsString;
use std::fs::File;
use std::io;
use std::os::windows::io::{AsRawHandle, FromRawHandle};
use std::path::{Path, PathBuf};
use std::ptr::{null, null_mut};

use windows_sys::Win32::Foundation::{ERROR_MORE_DATA, ERROR_NO_MORE_FILES, INVALID_HANDLE_VALUE};
use windows_sys::Win32::Storage::FileSystem::{
    CreateFileW, FILE_SHARE_READ, FILE_SHARE_WRITE, FindFirstVolumeW, FindNextVolumeW, FindVolumeClose,
    GetDiskFreeSpaceExW, GetDriveTypeW, GetLogicalDrives, GetVolumeInformationW, GetVolumePathNamesForVolumeNameW,
    OPEN_EXISTING,
};

use windows_sys::Win32::System::IO::DeviceIoControl;
use windows_sys::Win32::System::Ioctl::{
    IOCTL_STORAGE_QUERY_PROPERTY, PropertyStandardQuery, STORAGE_PROPERTY_QUERY, StorageDeviceProperty,
    StorageDeviceSeekPenaltyProperty,
};

use crate::text::{read, read_all, wide, wide_folder};

/// The longest name of a volume, of a file system, and of a part of a path (the documents of `GetVolumeInformationW`).
const LONGEST: usize = 261;

/// What kind of drive the system says that it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum DriveType {
    /// A medium that is taken out: a stick, a card.
    Removable,
    /// A disk that stays.
    Fixed,
    /// A share of another machine.
    Network,
    /// A disc.
    Disc,
    /// Memory.
    Memory,
    /// It does not say, or there is nothing.
    Unknown,
}

/// What a volume is.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Volume {
    /// The name that a person gave it; empty where none did.
    pub label: OsString,
    /// Its serial number, which it got when it was formatted.
    pub serial: u32,
    /// Name of its file system.
    pub file_system: String,
    /// `FILE_…` bits of what its file system can do.
    pub flags: u32,
}

/// How full a volume is, in bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Room {
    /// In all.
    pub capacity: u64,
    /// Free for everybody together.
    pub free: u64,
    /// Free for this user, who may have a quota.
    pub for_user: u64,
}

/// The top folders of all drives that have a letter.
#[must_use]
pub fn mount_points() -> Vec<PathBuf> {
    // SAFETY: it takes nothing and gives a number.
    let letters = unsafe { GetLogicalDrives() };
    let with = |n: u8| letters >> n & 1 == 1;
    (0..26).filter(|n| with(*n)).map(|n| PathBuf::from(format!("{}:\\", char::from(b'A' + n)))).collect()
}

/// The volumes of this machine by their own names, each with the folders where it is mounted: letters and others.
///
/// # Errors
/// What the system says.
pub fn volumes() -> io::Result<Vec<(OsString, Vec<PathBuf>)>> {
    let mut name = [0_u16; LONGEST];
    let length = u32::try_from(name.len()).map_err(io::Error::other)?;
    // SAFETY: `name` is as long as is said.
    let search = unsafe { FindFirstVolumeW(name.as_mut_ptr(), length) };
    if search == INVALID_HANDLE_VALUE {
        return Err(io::Error::last_os_error());
    }
    let mut all = Vec::new();
    let ended = loop {
        let volume = read(&name);
        let points = points_of(&volume).unwrap_or_default();
        all.push((volume, points));
        // SAFETY: the search is open, and `name` is as long as is said.
        if unsafe { FindNextVolumeW(search, name.as_mut_ptr(), length) } == 0 {
            break io::Error::last_os_error();
        }
    };
    // SAFETY: the search is open and not used again.
    unsafe { FindVolumeClose(search) };
    let over = ended.raw_os_error() == Some(ERROR_NO_MORE_FILES.cast_signed());
    if over { Ok(all) } else { Err(ended) }
}

fn points_of(volume: &OsString) -> io::Result<Vec<PathBuf>> {
    let volume = wide(volume);
    let mut names = vec![0_u16; LONGEST];
    loop {
        let (room, mut wanted) = (u32::try_from(names.len()).map_err(io::Error::other)?, 0);
        // SAFETY: the name ends with a zero, `names` is as long as is said, and `wanted` lives.
        let done =
            unsafe { GetVolumePathNamesForVolumeNameW(volume.as_ptr(), names.as_mut_ptr(), room, &raw mut wanted) };
        if done != 0 {
            return Ok(read_all(&names).into_iter().map(PathBuf::from).collect());
        }
        let error = io::Error::last_os_error();
        if error.raw_os_error() != Some(ERROR_MORE_DATA.cast_signed()) || wanted <= room {
            return Err(error);
        }
        names.resize(wanted as usize, 0);
    }
}

/// What the system says of the drive at a top folder.
#[must_use]
pub fn drive_type(top: &Path) -> DriveType {
    let top = wide_folder(top);
    // SAFETY: the text ends with a zero.
    match unsafe { GetDriveTypeW(top.as_ptr()) } {
        2 => DriveType::Removable,
        3 => DriveType::Fixed,
        4 => DriveType::Network,
        5 => DriveType::Disc,
        6 => DriveType::Memory,
        _ => DriveType::Unknown,
    }
}

/// What is mounted at a top folder.
///
/// # Errors
/// What the system says, as of a drive without a medium.
pub fn volume_at(top: &Path) -> io::Result<Volume> {
    let top = wide_folder(top);
    let (mut label, mut file_system) = ([0_u16; LONGEST], [0_u16; LONGEST]);
    let length = u32::try_from(LONGEST).map_err(io::Error::other)?;
    let (mut serial, mut flags) = (0, 0);
    // SAFETY: the name ends with a zero, and what is written into is as long as is said.
    let done = unsafe {
        GetVolumeInformationW(
            top.as_ptr(),
            label.as_mut_ptr(),
            length,
            &raw mut serial,
            null_mut(),
            &raw mut flags,
            file_system.as_mut_ptr(),
            length,
        )
    };
    if done == 0 {
        return Err(io::Error::last_os_error());
    }
    let file_system = read(&file_system).to_string_lossy().into_owned();
    Ok(Volume { label: read(&label), serial, file_system, flags })
}

/// How full the drive of a folder is.
///
/// # Errors
/// What the system says.
pub fn room_at(folder: &Path) -> io::Result<Room> {
    let folder = wide_folder(folder);
    let mut room = Room { capacity: 0, free: 0, for_user: 0 };
    // SAFETY: the text ends with a zero, and the three numbers live.
    let done = unsafe {
        GetDiskFreeSpaceExW(folder.as_ptr(), &raw mut room.for_user, &raw mut room.capacity, &raw mut room.free)
    };
    if done == 0 { Err(io::Error::last_os_error()) } else { Ok(room) }
}

/// What is known of the device that a volume is on.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Device {
    /// The number of the bus that it is on (`STORAGE_BUS_TYPE`), where that is said.
    pub bus: Option<i32>,
    /// Whether it loses time when it goes from one place to another, as what rotates does, where that is said.
    pub seeks: Option<bool>,
}

/// Asks for the device of a volume, by its top folder or its own name. Nothing is opened but what everybody may ask.
///
/// # Errors
/// What the system says.
pub fn device_of(volume: &Path) -> io::Result<Device> {
    let text = volume.as_os_str().to_string_lossy();
    let name = text.trim_end_matches('\\');
    let name = if name.starts_with(r"\\") { name.to_string() } else { format!(r"\\.\{name}") };
    let name = wide(name);
    // SAFETY: the name ends with a zero, and nothing else is given.
    let device = unsafe {
        CreateFileW(name.as_ptr(), 0, FILE_SHARE_READ | FILE_SHARE_WRITE, null(), OPEN_EXISTING, 0, null_mut())
    };
    if device == INVALID_HANDLE_VALUE {
        return Err(io::Error::last_os_error());
    }
    // SAFETY: it is open, and nobody else's.
    let device = unsafe { File::from_raw_handle(device) };
    // The bus stands 28 bytes behind the head of the one, and the yes or no 8 bytes behind that of the other.
    let bus = property(&device, StorageDeviceProperty, 28).map(i32::from_le_bytes);
    let seeks = property(&device, StorageDeviceSeekPenaltyProperty, 8).map(|answer: [u8; 1]| answer != [0]);
    Ok(Device { bus, seeks })
}

/// Some bytes of what a device says of itself; `None` where it says less.
fn property<const N: usize>(device: &File, which: i32, at: usize) -> Option<[u8; N]> {
    let query =
        STORAGE_PROPERTY_QUERY { PropertyId: which, QueryType: PropertyStandardQuery, AdditionalParameters: [0] };
    let (mut answer, mut length) = ([0_u64; 128], 0_u32);
    let (asked, room) = (u32::try_from(size_of_val(&query)).ok()?, u32::try_from(size_of_val(&answer)).ok()?);
    // SAFETY: the device is open; the question and the room for the answer live and are as large as is said.
    let done = unsafe {
        DeviceIoControl(
            device.as_raw_handle(),
            IOCTL_STORAGE_QUERY_PROPERTY,
            (&raw const query).cast(),
            asked,
            answer.as_mut_ptr().cast(),
            room,
            &raw mut length,
            null_mut(),
        )
    };
    let bytes: Vec<u8> = answer.iter().flat_map(|word| word.to_le_bytes()).take(length as usize).collect();
    (done != 0).then(|| bytes.get(at..at + N)?.try_into().ok()).flatten()
}
