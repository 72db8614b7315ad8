//! Who may do what with a file or folder.

use std::fs::File;
use std::io;
use std::os::windows::io::AsRawHandle;
use std::ptr::null_mut;

use windows_sys::Win32::Foundation::{ERROR_INSUFFICIENT_BUFFER, ERROR_SUCCESS};
use windows_sys::Win32::Security::Authorization::{SE_FILE_OBJECT, SetSecurityInfo};
use windows_sys::Win32::Security::{
    DACL_SECURITY_INFORMATION, GetKernelObjectSecurity, PROTECTED_DACL_SECURITY_INFORMATION,
    UNPROTECTED_DACL_SECURITY_INFORMATION,
};

/// What the system says of who may do what with an open file or folder: a security descriptor that is relative to itself, with nothing in
/// it but the access list.
///
/// # Errors
/// What the system says.
pub fn access_of(file: &File) -> io::Result<Vec<u8>> {
    let mut out = vec![0_u8; 1024];
    loop {
        let (room, mut needed) = (u32::try_from(out.len()).map_err(io::Error::other)?, 0);
        // SAFETY: the handle is open as long as `file` is, and `out` is as long as is said.
        let done = unsafe {
            GetKernelObjectSecurity(
                file.as_raw_handle(),
                DACL_SECURITY_INFORMATION,
                out.as_mut_ptr().cast(),
                room,
                &raw mut needed,
            )
        };
        if done != 0 {
            return Ok(out);
        }
        let error = io::Error::last_os_error();
        if error.raw_os_error() != Some(ERROR_INSUFFICIENT_BUFFER.cast_signed()) || needed <= room {
            return Err(error);
        }
        out.resize(needed as usize, 0);
    }
}

/// Has an open file or folder bear an access list, given as the bytes of an `ACL`; unless it is `alone`, what its folder gives comes behind
/// it. Of a folder, what is in it gets what it gives.
///
/// # Errors
/// What the system says; [`io::ErrorKind::InvalidData`] for bytes that are no such list.
pub fn set_access(file: &File, list: &[u8], alone: bool) -> io::Result<()> {
    let says_its_length = list.get(2..4).is_some_and(|size| size == (list.len() as u16).to_le_bytes());
    if list.len() < 8 || list.len() > usize::from(u16::MAX) || !says_its_length {
        return Err(io::ErrorKind::InvalidData.into());
    }
    // As the system wants it to lie in memory.
    let mut aligned = vec![0_u32; list.len().div_ceil(4)];
    for (to, from) in aligned.iter_mut().zip(list.chunks(4)) {
        let mut four = [0; 4];
        four[..from.len()].copy_from_slice(from);
        *to = u32::from_ne_bytes(four);
    }
    let inherits = if alone { PROTECTED_DACL_SECURITY_INFORMATION } else { UNPROTECTED_DACL_SECURITY_INFORMATION };
    // SAFETY: the handle is open as long as `file` is; `aligned` is as long as the list in it says.
    let said = unsafe {
        SetSecurityInfo(
            file.as_raw_handle(),
            SE_FILE_OBJECT,
            DACL_SECURITY_INFORMATION | inherits,
            null_mut(),
            null_mut(),
            aligned.as_ptr().cast(),
            null_mut(),
        )
    };
    if said == ERROR_SUCCESS { Ok(()) } else { Err(io::Error::from_raw_os_error(said.cast_signed())) }
}
