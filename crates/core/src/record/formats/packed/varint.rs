//! Numbers of seven bits a byte, the lowest first, the highest bit saying that more follow (Protocol Buffers, "Base 128 Varints").

use crate::record::tree::Fault;

/// Bytes of the longest one.
const LONGEST: usize = 10;

/// A number and where it ends.
pub(super) fn read(bytes: &[u8], at: usize) -> Result<(u64, usize), Fault> {
    let mut sum = 0_u64;
    for n in 0..LONGEST {
        let byte = *bytes.get(at + n).ok_or_else(|| Fault::new(at, "the bytes end in the middle of a number"))?;
        let bits = u64::from(byte & 0x7f);
        if n + 1 == LONGEST && bits > 1 {
            break;
        }
        sum |= bits << (7 * n);
        if byte & 0x80 == 0 {
            return Ok((sum, at + n + 1));
        }
    }
    Err(Fault::new(at, "a number has no end"))
}

/// A number in as many bytes as stood there, if those were more than were needed; else in as few as it takes.
pub(crate) fn width_kept(number: u64, old: &[u8]) -> Vec<u8> {
    let needed = written(read(old, 0).map_or(0, |(number, _)| number)).len();
    let mut new = written(number);
    if old.len() > needed && new.len() < old.len() {
        if let Some(last) = new.last_mut() {
            *last |= 0x80;
        }
        new.resize(old.len() - 1, 0x80);
        new.push(0);
    }
    new
}

fn written(mut number: u64) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(LONGEST);
    while number >= 0x80 {
        bytes.push((number & 0x7f) as u8 | 0x80);
        number >>= 7;
    }
    bytes.push(number.to_le_bytes()[0]);
    bytes
}
