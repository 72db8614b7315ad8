//! What is known of an open file, and acts on names that the standard library does otherwise.

use std::ffi::OsStr;
use std::fs::File;
use std::io;
use std::mem::{size_of, zeroed};
use std::os::windows::ffi::OsStrExt;
use std::os::windows::io::{AsRawHandle, FromRawHandle, OwnedHandle};
use std::path::Path;
use std::ptr::{null, null_mut};

use windows_sys::Wdk::Foundation::OBJECT_ATTRIBUTES;
use windows_sys::Wdk::Storage::FileSystem::{
    FILE_DIRECTORY_FILE, FILE_OPEN, FILE_OPEN_FOR_BACKUP_INTENT, FILE_OPEN_REPARSE_POINT, FILE_SYNCHRONOUS_IO_NONALERT,
    NtCreateFile,
};
use windows_sys::Win32::Foundation::{
    ERROR_ALREADY_EXISTS, ERROR_LOCK_VIOLATION, HANDLE, RtlNtStatusToDosError, UNICODE_STRING,
};
use windows_sys::Win32::Storage::FileSystem::{
    BY_HANDLE_FILE_INFORMATION, DELETE, FILE_ALLOCATION_INFO, FILE_ATTRIBUTE_TAG_INFO, FILE_BASIC_INFO,
    FILE_DISPOSITION_INFO, FILE_INFO_BY_HANDLE_CLASS, FILE_LIST_DIRECTORY, FILE_READ_ATTRIBUTES, FILE_STANDARD_INFO,
    FILE_TRAVERSE, FILE_WRITE_ATTRIBUTES, FileAllocationInfo, FileAttributeTagInfo, FileBasicInfo, FileDispositionInfo,
    FileStandardInfo, FlushFileBuffers, GetFileInformationByHandle, GetFileInformationByHandleEx, LockFile,
    MOVEFILE_REPLACE_EXISTING, MOVEFILE_WRITE_THROUGH, MoveFileExW, SYNCHRONIZE, SetFileInformationByHandle,
    UnlockFile,
};
use windows_sys::Win32::System::IO::IO_STATUS_BLOCK;
use windows_sys::Win32::System::Threading::CreateEventW;

use crate::text::wide;

/// What the system knows of an open file or folder.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Facts {
    /// `FILE_ATTRIBUTE_…` bits.
    pub attributes: u32,
    /// What kind of reparse point it is; 0 where it is none.
    pub reparse_tag: u32,
    /// Whether it is a folder.
    pub is_folder: bool,
    /// Bytes.
    pub size: u64,
    /// Bytes that it takes on the drive.
    pub allocated: u64,
    /// Names that lead to it.
    pub names: u32,
    /// Serial number of its volume.
    pub volume: u32,
    /// Its number on that volume.
    pub id: u64,
    /// Time of the last change of its bytes, in units of 100 ns since 1601.
    pub modified: i64,
    /// Time of the last change of anything about it, in the same units; 0 where the file system keeps none.
    pub changed: i64,
}

fn handle(file: &File) -> HANDLE {
    file.as_raw_handle().cast()
}

/// Reads one kind of information of an open file.
fn information<T>(file: &File, class: FILE_INFO_BY_HANDLE_CLASS) -> io::Result<T> {
    // SAFETY: all that is asked for here are structures of plain numbers, for which zeros are a value.
    let mut out: T = unsafe { zeroed() };
    let size = u32::try_from(size_of::<T>()).map_err(io::Error::other)?;
    // SAFETY: the handle is open as long as `file` is, and `out` is as large as is said.
    let done = unsafe { GetFileInformationByHandleEx(handle(file), class, (&raw mut out).cast(), size) };
    if done == 0 { Err(io::Error::last_os_error()) } else { Ok(out) }
}

/// Looks at an open file or folder.
///
/// # Errors
/// What the system says.
pub fn facts(file: &File) -> io::Result<Facts> {
    // SAFETY: a structure of plain numbers, for which zeros are a value.
    let mut by_handle: BY_HANDLE_FILE_INFORMATION = unsafe { zeroed() };
    // SAFETY: the handle is open as long as `file` is.
    if unsafe { GetFileInformationByHandle(handle(file), &raw mut by_handle) } == 0 {
        return Err(io::Error::last_os_error());
    }
    let basic: FILE_BASIC_INFO = information(file, FileBasicInfo)?;
    let standard: FILE_STANDARD_INFO = information(file, FileStandardInfo)?;
    let tag = information::<FILE_ATTRIBUTE_TAG_INFO>(file, FileAttributeTagInfo).map_or(0, |tag| tag.ReparseTag);
    let count = |number: i64| u64::try_from(number).unwrap_or(0);
    Ok(Facts {
        attributes: basic.FileAttributes,
        reparse_tag: tag,
        is_folder: standard.Directory,
        size: count(standard.EndOfFile),
        allocated: count(standard.AllocationSize),
        names: standard.NumberOfLinks,
        volume: by_handle.dwVolumeSerialNumber,
        id: u64::from(by_handle.nFileIndexHigh) << 32 | u64::from(by_handle.nFileIndexLow),
        modified: basic.LastWriteTime,
        changed: basic.ChangeTime,
    })
}

/// Gives a file or folder another name on the same volume, and comes back when that is written through. What is there already is only
/// replaced if `replace` says so.
///
/// # Errors
/// What the system says.
pub fn move_file(from: &Path, to: &Path, replace: bool) -> io::Result<()> {
    let (from, to) = (wide(from), wide(to));
    let how = MOVEFILE_WRITE_THROUGH | if replace { MOVEFILE_REPLACE_EXISTING } else { 0 };
    // SAFETY: both texts end with a zero and live until the call is over.
    if unsafe { MoveFileExW(from.as_ptr(), to.as_ptr(), how) } == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

/// Makes what was written into an open file or folder durable; a folder must be open for writing.
///
/// # Errors
/// What the system says.
pub fn flush(file: &File) -> io::Result<()> {
    // SAFETY: the handle is open as long as `file` is.
    if unsafe { FlushFileBuffers(handle(file)) } == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

/// Takes room for a file, whose length stays as it is.
///
/// # Errors
/// What the system says.
pub fn take_room(file: &File, bytes: u64) -> io::Result<()> {
    let size = i64::try_from(bytes).map_err(io::Error::other)?;
    set(file, FileAllocationInfo, &FILE_ALLOCATION_INFO { AllocationSize: size })
}

/// Sets the attributes of an open file or folder, and leaves its times as they are.
///
/// # Errors
/// What the system says.
pub fn set_attributes(file: &File, attributes: u32) -> io::Result<()> {
    /// `FILE_ATTRIBUTE_NORMAL`: none of the others; 0 would mean that they stay.
    const NONE: u32 = 0x80;
    let attributes = if attributes == 0 { NONE } else { attributes };
    let wish = FILE_BASIC_INFO {
        CreationTime: 0,
        LastAccessTime: 0,
        LastWriteTime: 0,
        ChangeTime: 0,
        FileAttributes: attributes,
    };
    set(file, FileBasicInfo, &wish)
}

fn set<T>(file: &File, class: FILE_INFO_BY_HANDLE_CLASS, wish: &T) -> io::Result<()> {
    let size = u32::try_from(size_of::<T>()).map_err(io::Error::other)?;
    // SAFETY: the handle is open as long as `file` is, and `wish` is as large as is said.
    let done = unsafe { SetFileInformationByHandle(handle(file), class, (&raw const *wish).cast(), size) };
    if done == 0 { Err(io::Error::last_os_error()) } else { Ok(()) }
}

/// What a name in an open folder is opened for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wish {
    /// To look at it.
    Look,
    /// To go on from it: it must be a folder.
    Enter,
    /// To remove it.
    Remove,
}

/// Opens a name in an open folder, in this very folder wherever its path leads by now; a link is opened itself.
///
/// # Errors
/// What the system says.
pub fn open_in(folder: &File, name: &OsStr, wish: Wish) -> io::Result<File> {
    let mut name: Vec<u16> = name.encode_wide().collect();
    let length = u16::try_from(name.len() * 2).map_err(|_| io::Error::from(io::ErrorKind::InvalidFilename))?;
    let text = UNICODE_STRING { Length: length, MaximumLength: length, Buffer: name.as_mut_ptr() };
    let (access, more) = match wish {
        Wish::Look => (FILE_READ_ATTRIBUTES, 0),
        Wish::Enter => {
            (FILE_READ_ATTRIBUTES | FILE_WRITE_ATTRIBUTES | FILE_LIST_DIRECTORY | FILE_TRAVERSE, FILE_DIRECTORY_FILE)
        }
        Wish::Remove => (DELETE | FILE_READ_ATTRIBUTES | FILE_WRITE_ATTRIBUTES, 0),
    };
    let what = OBJECT_ATTRIBUTES {
        Length: u32::try_from(size_of::<OBJECT_ATTRIBUTES>()).map_err(io::Error::other)?,
        RootDirectory: handle(folder),
        ObjectName: &raw const text,
        // OBJ_CASE_INSENSITIVE, as every other way to open a name has it.
        Attributes: 0x40,
        SecurityDescriptor: null(),
        SecurityQualityOfService: null(),
    };
    // SAFETY: a structure of plain numbers, for which zeros are a value.
    let mut status: IO_STATUS_BLOCK = unsafe { zeroed() };
    let mut opened: HANDLE = null_mut();
    let how = FILE_OPEN_REPARSE_POINT | FILE_OPEN_FOR_BACKUP_INTENT | FILE_SYNCHRONOUS_IO_NONALERT | more;
    // SAFETY: the folder is open, the name lives until the call is over, and so do the places that are written into.
    let said = unsafe {
        NtCreateFile(
            &raw mut opened,
            access | SYNCHRONIZE,
            &raw const what,
            &raw mut status,
            null(),
            0,
            7,
            FILE_OPEN,
            how,
            null(),
            0,
        )
    };
    if said < 0 {
        // SAFETY: it takes a number and gives one.
        let code = unsafe { RtlNtStatusToDosError(said) };
        return Err(io::Error::from_raw_os_error(code.cast_signed()));
    }
    // SAFETY: the handle was made just now and is nobody else's.
    Ok(File::from(unsafe { OwnedHandle::from_raw_handle(opened.cast()) }))
}

/// Removes what was opened with [`Wish::Remove`]: the name goes when the last handle of it is closed, this one too.
///
/// # Errors
/// What the system says, as of a folder that is not empty.
pub fn remove(opened: &File) -> io::Result<()> {
    set(opened, FileDispositionInfo, &FILE_DISPOSITION_INFO { DeleteFile: true })
}

/// Whether another handle holds a lock of the given bytes of a file.
#[must_use]
pub fn is_range_locked(file: &File, from: u64, length: u64) -> bool {
    let low = |number: u64| u32::try_from(number & 0xffff_ffff).unwrap_or_default();
    let high = |number: u64| u32::try_from(number >> 32).unwrap_or_default();
    // SAFETY: the handle is open as long as `file` is.
    let taken = unsafe { LockFile(handle(file), low(from), high(from), low(length), high(length)) };
    if taken == 0 {
        return io::Error::last_os_error().raw_os_error() == Some(ERROR_LOCK_VIOLATION.cast_signed());
    }
    // SAFETY: as above; the bytes were locked just now.
    unsafe { UnlockFile(handle(file), low(from), high(from), low(length), high(length)) };
    false
}

/// A name that one program of this machine has at a time, until it ends or lets this go.
#[derive(Debug)]
pub struct Claim {
    _event: OwnedHandle,
}

/// Takes a name for this program alone; `None` if another has it.
///
/// # Errors
/// What the system says.
pub fn claim(name: &str) -> io::Result<Option<Claim>> {
    let name = wide(format!("Global\\{name}"));
    // SAFETY: the text ends with a zero.
    let event = unsafe { CreateEventW(null(), 1, 0, name.as_ptr()) };
    let error = io::Error::last_os_error();
    if event.is_null() {
        return Err(error);
    }
    // SAFETY: the handle was made just now and is nobody else's.
    let event = unsafe { OwnedHandle::from_raw_handle(event.cast()) };
    let taken = error.raw_os_error() == Some(ERROR_ALREADY_EXISTS.cast_signed());
    Ok((!taken).then_some(Claim { _event: event }))
}
