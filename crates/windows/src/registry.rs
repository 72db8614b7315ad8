//! The registry: keys, values, and what is written to them; always as programs of 64 bits see it, where what those of 32 bits see stands
//! under a name of its own.

use std::ffi::{OsStr, OsString};
use std::io;
use std::ptr::{null, null_mut};

use windows_sys::Win32::Foundation::{ERROR_MORE_DATA, ERROR_NO_MORE_ITEMS};
use windows_sys::Win32::System::Registry::{
    HKEY, HKEY_CURRENT_USER, HKEY_LOCAL_MACHINE, HKEY_USERS, KEY_READ, KEY_WOW64_64KEY, KEY_WRITE,
    REG_OPTION_NON_VOLATILE, REG_SAM_FLAGS, RegCloseKey, RegCreateKeyExW, RegDeleteKeyExW, RegDeleteValueW,
    RegEnumKeyExW, RegEnumValueW, RegFlushKey, RegOpenKeyExW, RegSetValueExW,
};

use crate::text::{read, wide};

/// Where a key stands.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Hive {
    /// What belongs to the person.
    User,
    /// What belongs to the machine.
    Machine,
    /// What belongs to all people, each under a name of its own.
    Users,
}

/// A value of a key.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Value {
    /// Its name; empty for the one that has none.
    pub name: OsString,
    /// The number of its type.
    pub kind: u32,
    /// Its bytes.
    pub data: Vec<u8>,
}

/// A key with its values.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Key {
    /// Its name below the key that was asked for; empty for that one.
    pub below: OsString,
    /// Its values.
    pub values: Vec<Value>,
}

/// A key of the registry that is open.
struct Open(HKEY);

impl Drop for Open {
    fn drop(&mut self) {
        // SAFETY: it is open and nobody else's.
        unsafe { RegCloseKey(self.0) };
    }
}

/// The units of the longest name of a value, by "Registry Element Size Limits".
const LONGEST_NAME: usize = 16_384;
/// How deep keys are read, and how many bytes in all: our own bounds.
const DEEPEST: usize = 64;
const MOST: usize = 128 << 20;

fn says(code: u32) -> io::Result<()> {
    if code == 0 { Ok(()) } else { Err(io::Error::from_raw_os_error(code.cast_signed())) }
}

impl Hive {
    fn key(self) -> HKEY {
        match self {
            Self::User => HKEY_CURRENT_USER,
            Self::Machine => HKEY_LOCAL_MACHINE,
            Self::Users => HKEY_USERS,
        }
    }
}

fn open(above: HKEY, key: &OsStr, rights: REG_SAM_FLAGS) -> io::Result<Open> {
    let name = wide(key);
    let mut opened = null_mut();
    // SAFETY: the key above is open, the name ends with a zero, and the place for the handle lives.
    says(unsafe { RegOpenKeyExW(above, name.as_ptr(), 0, rights | KEY_WOW64_64KEY, &raw mut opened) })?;
    Ok(Open(opened))
}

/// A key with all keys below it. What may not be read is left out.
///
/// # Errors
/// [`io::ErrorKind::NotFound`], and what else the system says to the key itself; [`io::ErrorKind::FileTooLarge`].
pub fn read_below(hive: Hive, key: &OsStr) -> io::Result<Vec<Key>> {
    let top = open(hive.key(), key, KEY_READ)?;
    let (mut all, mut bytes) = (Vec::new(), 0);
    gather(&top, OsString::new(), 0, &mut all, &mut bytes)?;
    Ok(all)
}

fn gather(key: &Open, below: OsString, depth: usize, all: &mut Vec<Key>, bytes: &mut usize) -> io::Result<()> {
    let values = values_of(key)?;
    *bytes += values.iter().map(|value| value.data.len() + value.name.len()).sum::<usize>() + below.len();
    if *bytes > MOST {
        return Err(io::ErrorKind::FileTooLarge.into());
    }
    all.push(Key { below: below.clone(), values });
    if depth == DEEPEST {
        return Ok(());
    }
    for name in names_below(key)? {
        let Ok(inner) = open(key.0, &name, KEY_READ) else { continue };
        let mut path = below.clone();
        if !path.is_empty() {
            path.push("\\");
        }
        path.push(&name);
        gather(&inner, path, depth + 1, all, bytes)?;
    }
    Ok(())
}

/// The names of the keys right below a key.
///
/// # Errors
/// What the system says.
pub fn subkeys(hive: Hive, key: &OsStr) -> io::Result<Vec<OsString>> {
    names_below(&open(hive.key(), key, KEY_READ)?)
}

fn names_below(key: &Open) -> io::Result<Vec<OsString>> {
    let mut names = Vec::new();
    // A key's own name has at most 255 units.
    let mut name = [0_u16; 256];
    for nth in 0.. {
        let mut length = 256;
        // SAFETY: the key is open, and `name` is as long as is said.
        let code = unsafe {
            RegEnumKeyExW(key.0, nth, name.as_mut_ptr(), &raw mut length, null(), null_mut(), null_mut(), null_mut())
        };
        if code == ERROR_NO_MORE_ITEMS {
            break;
        }
        says(code)?;
        names.push(read(&name[..(length as usize).min(name.len())]));
    }
    Ok(names)
}

fn values_of(key: &Open) -> io::Result<Vec<Value>> {
    let mut values = Vec::new();
    let mut name = vec![0_u16; LONGEST_NAME];
    let mut data = vec![0_u8; 1 << 12];
    let mut nth = 0;
    loop {
        let (mut length, mut size) = (LONGEST_NAME as u32, u32::try_from(data.len()).map_err(io::Error::other)?);
        let mut kind = 0;
        // SAFETY: the key is open; name and data are as long as is said.
        let code = unsafe {
            RegEnumValueW(
                key.0,
                nth,
                name.as_mut_ptr(),
                &raw mut length,
                null(),
                &raw mut kind,
                data.as_mut_ptr(),
                &raw mut size,
            )
        };
        if code == ERROR_NO_MORE_ITEMS {
            return Ok(values);
        }
        if code == ERROR_MORE_DATA {
            if data.len() > MOST {
                return Err(io::ErrorKind::FileTooLarge.into());
            }
            // It may grow while it is read.
            data.resize((data.len() * 2).max(size as usize), 0);
            continue;
        }
        says(code)?;
        let bytes = data.get(..size as usize).unwrap_or(&data).to_vec();
        values.push(Value { name: read(&name[..(length as usize).min(LONGEST_NAME)]), kind, data: bytes });
        nth += 1;
    }
}

/// Makes a key, and those above it, if it is not there.
///
/// # Errors
/// What the system says.
pub fn make_key(hive: Hive, key: &OsStr) -> io::Result<()> {
    made(hive, key).map(drop)
}

fn made(hive: Hive, key: &OsStr) -> io::Result<Open> {
    let name = wide(key);
    let mut opened = null_mut();
    // SAFETY: the name ends with a zero, the place for the handle lives, and nothing else is asked for.
    says(unsafe {
        RegCreateKeyExW(
            hive.key(),
            name.as_ptr(),
            0,
            null(),
            REG_OPTION_NON_VOLATILE,
            KEY_READ | KEY_WRITE | KEY_WOW64_64KEY,
            null(),
            &raw mut opened,
            null_mut(),
        )
    })?;
    Ok(Open(opened))
}

/// Gives a value of a key its bytes; the key is made if it is not there.
///
/// # Errors
/// What the system says.
pub fn set_value(hive: Hive, key: &OsStr, value: &Value) -> io::Result<()> {
    let key = made(hive, key)?;
    let name = wide(&value.name);
    let size = u32::try_from(value.data.len()).map_err(io::Error::other)?;
    let data = if value.data.is_empty() { null() } else { value.data.as_ptr() };
    // SAFETY: the key is open, the name ends with a zero, and there are as many bytes as is said.
    says(unsafe { RegSetValueExW(key.0, name.as_ptr(), 0, value.kind, data, size) })
}

/// Removes a value of a key.
///
/// # Errors
/// What the system says: [`io::ErrorKind::NotFound`] where there is none.
pub fn delete_value(hive: Hive, key: &OsStr, name: &OsStr) -> io::Result<()> {
    let key = open(hive.key(), key, KEY_READ | KEY_WRITE)?;
    let name = wide(name);
    // SAFETY: the key is open, and the name ends with a zero.
    says(unsafe { RegDeleteValueW(key.0, name.as_ptr()) })
}

/// Removes a key that has no keys below it.
///
/// # Errors
/// What the system says.
pub fn delete_key(hive: Hive, key: &OsStr) -> io::Result<()> {
    let name = wide(key);
    // SAFETY: the name ends with a zero.
    says(unsafe { RegDeleteKeyExW(hive.key(), name.as_ptr(), KEY_WOW64_64KEY, 0) })
}

/// Has what was written to a key be on the drive.
///
/// # Errors
/// What the system says.
pub fn flush_key(hive: Hive, key: &OsStr) -> io::Result<()> {
    let key = open(hive.key(), key, KEY_READ)?;
    // SAFETY: the key is open.
    says(unsafe { RegFlushKey(key.0) })
}

/// Whether this program may write to a key.
#[must_use]
pub fn may_write_key(hive: Hive, key: &OsStr) -> bool {
    open(hive.key(), key, KEY_READ | KEY_WRITE).is_ok()
}
