//! Names with percent signs and other escapes of addresses.

use std::collections::BTreeSet;

#[derive(Clone, Copy, PartialEq, Eq)]
pub(super) enum Escapes {
    None,
    Percent,
}

impl Escapes {
    pub(super) fn decode(self, name: &str) -> Vec<u8> {
        let bytes = name.as_bytes();
        if self == Self::None {
            return bytes.to_vec();
        }
        let (mut out, mut at) = (Vec::with_capacity(bytes.len()), 0);
        while let Some(byte) = bytes.get(at) {
            let digits = (*byte == b'%').then(|| name.get(at + 1..at + 3)).flatten();
            if let Some(byte) = digits.and_then(|digits| u8::from_str_radix(digits, 16).ok()) {
                out.push(byte);
                at += 3;
            } else {
                out.push(*byte);
                at += 1;
            }
        }
        out
    }
}

/// What a writer of URIs escapes, and how.
#[derive(Debug, Default)]
pub(super) struct PercentHabits {
    pub(super) lower: bool,
    pub(super) escaped: BTreeSet<u8>,
    pub(super) bare: BTreeSet<u8>,
}

/// Percent-encodes a name: everything but what may stand in a path of a URI as it is (RFC 3986, 3.3), and what this writer escapes all
/// the same. Letters beyond ASCII stay as they are where the writer leaves them (RFC 3987).
pub(super) fn percent(name: &[u8], habits: &PercentHabits) -> String {
    let beyond = |bytes: &BTreeSet<u8>| bytes.iter().any(|byte| !byte.is_ascii());
    let bare_letters = beyond(&habits.bare) && !beyond(&habits.escaped);
    let mut out = String::with_capacity(name.len());
    for chunk in name.utf8_chunks() {
        for c in chunk.valid().chars() {
            let mut bytes = [0; 4];
            let bytes = c.encode_utf8(&mut bytes).as_bytes();
            let usual = c.is_ascii_alphanumeric() || "-._~!$&'()*+,;=:@".contains(c);
            let always = |byte: &u8| habits.escaped.contains(byte) && !habits.bare.contains(byte);
            if (usual && !bytes.iter().any(always))
                || (bare_letters && !c.is_ascii() && !c.is_control() && !c.is_whitespace())
            {
                out.push(c);
            } else {
                for byte in bytes {
                    escape(*byte, habits.lower, &mut out);
                }
            }
        }
        for byte in chunk.invalid() {
            escape(*byte, habits.lower, &mut out);
        }
    }
    out
}

fn escape(byte: u8, lower: bool, out: &mut String) {
    out.push_str(&if lower { format!("%{byte:02x}") } else { format!("%{byte:02X}") });
}
