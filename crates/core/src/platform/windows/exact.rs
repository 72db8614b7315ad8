//! Paths that Windows would read otherwise than they are written.
//!
//! Law: a name that a folder holds leads to what bears it, and to nothing else. Of a usual path, names lose the dots and blanks at their end,
//! and names of devices lead to those ("Naming Files, Paths, and Namespaces" in Microsoft's documentation of Win32); one behind `\\?\` is
//! taken to the letter. Such paths go to calls of the system only: what is shown and kept is as people write it.

use std::borrow::Cow;
use std::ffi::{OsStr, OsString};
use std::path::{Component, Path, PathBuf, Prefix};

/// Names that lead to devices, with or without an ending.
const DEVICES: [&str; 6] = ["con", "prn", "aux", "nul", "conin$", "conout$"];
/// Those that do with a digit behind them.
const NUMBERED: [&str; 2] = ["com", "lpt"];

/// Whether a usual path with this name in it leads elsewhere.
fn is_read_otherwise(name: &OsStr) -> bool {
    let text = name.to_string_lossy();
    if text.ends_with(['.', ' ']) {
        return true;
    }
    let stem = text.split(['.', ':']).next().unwrap_or_default().trim_end_matches(' ').to_lowercase();
    let is_number =
        |rest: &str| matches!(rest, "¹" | "²" | "³") || rest.len() == 1 && rest.ends_with(|c: char| c.is_ascii_digit());
    DEVICES.contains(&stem.as_str()) || NUMBERED.iter().any(|device| stem.strip_prefix(device).is_some_and(is_number))
}

/// The path to give to the system, so that it is taken to the letter.
pub(crate) fn exact(path: &Path) -> Cow<'_, Path> {
    let mut parts = path.components();
    let (Some(Component::Prefix(prefix)), Some(Component::RootDir)) = (parts.next(), parts.next()) else {
        return path.into();
    };
    let mut top = OsString::from(r"\\?\");
    match prefix.kind() {
        Prefix::Disk(letter) => top.push(format!("{}:\\", char::from(letter))),
        Prefix::UNC(server, share) => {
            [OsStr::new(r"UNC\"), server, OsStr::new(r"\"), share, OsStr::new(r"\")]
                .into_iter()
                .for_each(|part| top.push(part));
        }
        _ => return path.into(),
    }
    let names: Option<Vec<&OsStr>> =
        parts.map(|part| if let Component::Normal(name) = part { Some(name) } else { None }).collect();
    // A step upwards is none there.
    let Some(names) = names.filter(|names| names.iter().any(|name| is_read_otherwise(name))) else {
        return path.into();
    };
    let mut exact = PathBuf::from(top);
    exact.extend(names);
    exact.into()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_what_would_be_read_otherwise_is_taken_to_the_letter() {
        for (path, wanted) in [
            (r"C:\games\readme.", r"\\?\C:\games\readme."),
            ("D:/a /b", r"\\?\D:\a \b"),
            (r"D:\Aux\b", r"\\?\D:\Aux\b"),
            (r"D:\a\con.txt", r"\\?\D:\a\con.txt"),
            (r"D:\a\lpt1 .x", r"\\?\D:\a\lpt1 .x"),
            (r"D:\a\...", r"\\?\D:\a\..."),
            (r"\\server\share\nul", r"\\?\UNC\server\share\nul"),
        ] {
            assert_eq!(exact(Path::new(path)).as_os_str(), wanted, "{path}");
        }
        for path in [
            r"C:\games\read.me",
            r"C:\games\.",
            r"C:\games\.hidden",
            r"C:\console\auxiliary\com10\com",
            r"C:\a\..\aux",
            r"C:aux",
            r"aux",
            r"\\?\C:\aux",
            r"\\.\NUL",
            r"C:\",
        ] {
            assert_eq!(exact(Path::new(path)).as_os_str(), path);
        }
    }
}
