//! Further streams of a file, which stand beside its bytes under names of their own.

use std::ffi::OsString;
use std::fs::File;
use std::io;
use std::mem::zeroed;
use std::os::windows::io::AsRawHandle;
use std::path::{Path, PathBuf};

use windows_sys::Win32::Foundation::{
    ERROR_CALL_NOT_IMPLEMENTED, ERROR_HANDLE_EOF, ERROR_INVALID_FUNCTION, ERROR_INVALID_PARAMETER, ERROR_NOT_SUPPORTED,
    INVALID_HANDLE_VALUE,
};
use windows_sys::Win32::Storage::FileSystem::{
    FindClose, FindFirstStreamW, FindNextStreamW, FindStreamInfoStandard, GetFinalPathNameByHandleW,
    WIN32_FIND_STREAM_DATA,
};

use crate::text::{read, wide};

/// The names and sizes of a file's further streams; none where its file system has no such thing.
///
/// # Errors
/// What the system says.
pub fn streams_of(file: &Path) -> io::Result<Vec<(OsString, u64)>> {
    let name = wide(file);
    // SAFETY: a structure of plain numbers, for which zeros are a value.
    let mut found: WIN32_FIND_STREAM_DATA = unsafe { zeroed() };
    // SAFETY: the name ends with a zero, and there is room for what is found.
    let search = unsafe { FindFirstStreamW(name.as_ptr(), FindStreamInfoStandard, (&raw mut found).cast(), 0) };
    if search == INVALID_HANDLE_VALUE {
        let error = io::Error::last_os_error();
        let number = error.raw_os_error().map(i32::cast_unsigned);
        // None, a folder without any, and file systems that know none.
        let none = [
            ERROR_HANDLE_EOF,
            ERROR_INVALID_PARAMETER,
            ERROR_CALL_NOT_IMPLEMENTED,
            ERROR_NOT_SUPPORTED,
            ERROR_INVALID_FUNCTION,
        ];
        return if number.is_some_and(|number| none.contains(&number)) { Ok(Vec::new()) } else { Err(error) };
    }
    let mut all = Vec::new();
    let ended = loop {
        let name = read(&found.cStreamName);
        let text = name.to_string_lossy();
        let own = text.strip_prefix(':').and_then(|text| text.strip_suffix(":$DATA")).filter(|name| !name.is_empty());
        all.extend(own.map(|own| (OsString::from(own), found.StreamSize.cast_unsigned())));
        // SAFETY: the search is open, and there is room for what is found.
        if unsafe { FindNextStreamW(search, (&raw mut found).cast()) } == 0 {
            break io::Error::last_os_error();
        }
    };
    // SAFETY: the search is open and not used again.
    unsafe { FindClose(search) };
    if ended.raw_os_error() == Some(ERROR_HANDLE_EOF.cast_signed()) { Ok(all) } else { Err(ended) }
}

/// The path of an open file, to be taken literally.
///
/// # Errors
/// What the system says.
pub fn path_of(file: &File) -> io::Result<PathBuf> {
    let mut name = vec![0_u16; 32_768];
    let room = u32::try_from(name.len()).map_err(io::Error::other)?;
    // SAFETY: the file is open, and `name` is as long as is said.
    let length = unsafe { GetFinalPathNameByHandleW(file.as_raw_handle(), name.as_mut_ptr(), room, 0) };
    if length == 0 || length > room { Err(io::Error::last_os_error()) } else { Ok(PathBuf::from(read(&name))) }
}
