//! What the errors of the system mean, by the numbers that it has for them ("System Error Codes").

use std::io;

use crate::platform::contract::{RemovalRefused, SystemError, is_one_of};

/// The number that Windows has for it.
pub(crate) fn error_number(error: SystemError) -> i32 {
    match error {
        SystemError::NotPermitted => 5,
        SystemError::ReadOnly => 19,
        SystemError::NotSupported => 50,
        SystemError::Invalid => 87,
        SystemError::NoSpace => 112,
        SystemError::TooLarge => 223,
        SystemError::InputOutput => 1117,
        SystemError::NoDevice => 1167,
        SystemError::Circle => 1921,
    }
}

/// Whether, and why, the system does not let something be removed; `None` of an error that says something else.
pub(crate) fn removal_refused(error: &io::Error) -> Option<RemovalRefused> {
    // Access denied; open in another program, or locked there.
    if is_one_of(error, &[5, 32, 33]) {
        return Some(RemovalRefused::NotPermitted);
    }
    is_one_of(error, &[19]).then_some(RemovalRefused::ReadOnly)
}

/// Whether a drive cannot read just here, and is not gone: bad sectors and bad checksums.
pub(crate) fn is_unreadable_here(error: &io::Error) -> bool {
    // CRC, sector not found, read fault, I/O device, file corrupt, disk corrupt.
    is_one_of(error, &[23, 27, 30, 1117, 1392, 1393])
}

/// Whether what was mounted there does not answer any more.
pub(crate) fn is_dead_mount(error: &io::Error) -> bool {
    // Not ready; network path, name, busy or gone; device gone or not connected; network out of reach.
    is_one_of(error, &[21, 53, 55, 59, 64, 67, 433, 1167, 1231])
}

/// Whether two names cannot be swapped in one step: no file system of Windows can.
pub(crate) fn cannot_exchange(error: &io::Error) -> bool {
    is_one_of(error, &[error_number(SystemError::NotSupported)])
}

/// Whether a folder isn't to be had by its straight way below another one: it isn't there, is no folder, or lies behind a link or a
/// mount.
pub(crate) fn is_not_straight_below(error: &io::Error) -> bool {
    let kinds = [io::ErrorKind::NotFound, io::ErrorKind::NotADirectory, io::ErrorKind::CrossesDevices];
    kinds.contains(&error.kind()) || is_one_of(error, &[error_number(SystemError::Circle)])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::platform::{is_circle, is_invalid};

    #[test]
    fn what_the_system_says_is_told_apart_by_what_it_means() {
        let said = |error: SystemError| io::Error::from(error);
        assert_eq!(said(SystemError::NoSpace).kind(), io::ErrorKind::StorageFull);
        assert_eq!(said(SystemError::NotPermitted).kind(), io::ErrorKind::PermissionDenied);
        assert_eq!(removal_refused(&said(SystemError::NotPermitted)), Some(RemovalRefused::NotPermitted));
        assert_eq!(removal_refused(&said(SystemError::ReadOnly)), Some(RemovalRefused::ReadOnly));
        assert_eq!(removal_refused(&said(SystemError::InputOutput)), None);
        assert!(
            is_unreadable_here(&said(SystemError::InputOutput)) && !is_unreadable_here(&said(SystemError::NoDevice))
        );
        assert!(is_dead_mount(&said(SystemError::NoDevice)) && !is_dead_mount(&said(SystemError::NoSpace)));
        assert!(cannot_exchange(&said(SystemError::NotSupported)) && is_circle(&said(SystemError::Circle)));
        assert!(is_not_straight_below(&said(SystemError::Circle)) && is_invalid(&said(SystemError::Invalid)));
    }
}
