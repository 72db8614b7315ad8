//! The list of mounts as Linux writes it (proc(5)); its text is read the same wherever the program runs.

use std::path::PathBuf;

use super::contract::Mount;
use super::system::name_of;

/// Reads the lines of a mountinfo file; lines that are none are left out.
pub fn parse_mountinfo(bytes: &[u8]) -> Vec<Mount> {
    bytes.split(|b| *b == b'\n').filter_map(parse_line).collect()
}

fn parse_line(line: &[u8]) -> Option<Mount> {
    let fields: Vec<&[u8]> = line.split(|b| *b == b' ').collect();
    let dash = fields.iter().position(|f| *f == b"-")?;
    let text = |n: usize| std::str::from_utf8(fields.get(n)?).ok();
    let (major, minor) = text(2)?.split_once(':')?;
    let read_only = |options: &str| options.split(',').any(|o| o == "ro");
    Some(Mount {
        id: text(0)?.parse().ok()?,
        root: PathBuf::from(name_of(unescape(fields.get(3)?))),
        device: (major.parse().ok()?, minor.parse().ok()?),
        point: PathBuf::from(name_of(unescape(fields.get(4)?))),
        file_system: text(dash + 1)?.to_string(),
        source: name_of(unescape(fields.get(dash + 2)?)),
        read_only: read_only(text(5)?) || text(dash + 3).is_some_and(read_only),
    })
}

/// Turns the octal escapes of mountinfo (blank, tab, line end, backslash) back into bytes.
fn unescape(field: &[u8]) -> Vec<u8> {
    let mut out = Vec::with_capacity(field.len());
    let mut at = 0;
    while at < field.len() {
        let digits = field.get(at + 1..at + 4);
        let octal = digits.filter(|d| field[at] == b'\\' && d.iter().all(|b| (b'0'..=b'7').contains(b)));
        if let Some(digits) = octal {
            out.push(digits.iter().fold(0_u8, |sum, b| sum.wrapping_mul(8).wrapping_add(b - b'0')));
            at += 4;
        } else {
            out.push(field[at]);
            at += 1;
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn escapes_of_mountinfo_become_bytes() {
        assert_eq!(unescape(b"a\\040b\\134c\\9"), b"a b\\c\\9");
        assert_eq!(unescape(b"\\377x\\04"), b"\xffx\\04");
    }
}
