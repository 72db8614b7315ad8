//! What the errors of the system mean, by the numbers that it has for them (errno(3)).

use std::io;

use crate::platform::contract::{RemovalRefused, SystemError, is_one_of};

/// The number that Linux has for it.
pub(crate) fn error_number(error: SystemError) -> i32 {
    match error {
        SystemError::NotPermitted => 1,
        SystemError::InputOutput => 5,
        SystemError::NoDevice => 19,
        SystemError::Invalid => 22,
        SystemError::TooLarge => 27,
        SystemError::NoSpace => 28,
        SystemError::ReadOnly => 30,
        SystemError::Circle => 40,
        SystemError::NotSupported => 95,
    }
}

/// Whether, and why, the system does not let something be removed; `None` of an error that says something else.
pub(crate) fn removal_refused(error: &io::Error) -> Option<RemovalRefused> {
    // EPERM, EACCES; EBUSY of a mount point; EROFS.
    if is_one_of(error, &[1, 13, 16]) {
        return Some(RemovalRefused::NotPermitted);
    }
    is_one_of(error, &[30]).then_some(RemovalRefused::ReadOnly)
}

/// Whether a drive cannot read just here, and is not gone: bad sectors and bad checksums.
pub(crate) fn is_unreadable_here(error: &io::Error) -> bool {
    // EIO, ENODATA (what SCSI calls a medium error), EBADMSG and EUCLEAN (checksums of file systems), EREMOTEIO.
    is_one_of(error, &[5, 61, 74, 117, 121])
}

/// Whether what was mounted there does not answer any more.
pub(crate) fn is_dead_mount(error: &io::Error) -> bool {
    // ENOTCONN, ESTALE, ENODEV, ESHUTDOWN.
    is_one_of(error, &[107, 116, 19, 108])
}

/// Whether a file system cannot swap two names in one step, and has not failed to (rename(2)).
pub(crate) fn cannot_exchange(error: &io::Error) -> bool {
    // EINVAL, ENOSYS, EOPNOTSUPP.
    is_one_of(error, &[22, 38, 95])
}

/// Whether a folder isn't to be had by its straight way below another one: it isn't there, is no folder, or lies behind a link or a
/// mount (openat2(2)).
pub(crate) fn is_not_straight_below(error: &io::Error) -> bool {
    // ENOENT, ENOTDIR, ELOOP, EXDEV.
    is_one_of(error, &[2, 20, 40, 18])
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::platform::{is_circle, is_invalid};

    #[test]
    fn what_the_system_says_is_told_apart_by_what_it_means() {
        use rustix::io::Errno;
        let said = |errno: Errno| io::Error::from(errno);
        assert_eq!(removal_refused(&said(Errno::ACCESS)), Some(RemovalRefused::NotPermitted));
        assert_eq!(removal_refused(&said(Errno::BUSY)), Some(RemovalRefused::NotPermitted));
        assert_eq!(removal_refused(&said(Errno::ROFS)), Some(RemovalRefused::ReadOnly));
        assert_eq!(removal_refused(&said(Errno::IO)), None);
        assert!(is_unreadable_here(&said(Errno::IO)) && is_unreadable_here(&said(Errno::UCLEAN)));
        assert!(!is_unreadable_here(&said(Errno::NODEV)) && is_dead_mount(&said(Errno::NODEV)));
        assert!(is_dead_mount(&said(Errno::STALE)) && !is_dead_mount(&said(Errno::NOENT)));
        assert!(cannot_exchange(&said(Errno::NOSYS)) && !cannot_exchange(&said(Errno::NOSPC)));
        assert!(is_not_straight_below(&said(Errno::LOOP)) && is_not_straight_below(&said(Errno::XDEV)));
        assert!(is_circle(&io::Error::from(SystemError::Circle)) && is_circle(&said(Errno::LOOP)));
        assert!(is_invalid(&said(Errno::INVAL)) && !is_invalid(&io::Error::other("no number")));
        assert_eq!(io::Error::from(SystemError::NoSpace).kind(), io::ErrorKind::StorageFull);
        assert_eq!(io::Error::from(SystemError::ReadOnly).kind(), io::ErrorKind::ReadOnlyFilesystem);
        assert_eq!(io::Error::from(SystemError::TooLarge).kind(), io::ErrorKind::FileTooLarge);
        assert_eq!(io::Error::from(SystemError::NotSupported).kind(), io::ErrorKind::Unsupported);
        assert_eq!(io::Error::from(SystemError::NotPermitted).kind(), io::ErrorKind::PermissionDenied);
    }
}
