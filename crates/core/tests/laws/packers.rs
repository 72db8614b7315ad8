//! Writers of formats of bytes, as made-up launchers have them: plain values in, the bytes that their libraries would write out.

use serde_json::Value;

/// The endings of files that are written so.
pub const PACKED: [&str; 5] = ["msgpack", "cbor", "bson", "torrent", "pb"];

/// A value in the format of an ending; an object at the top for those that need one.
pub fn packed(end: &str, value: &Value) -> Vec<u8> {
    let mut out = Vec::new();
    match end {
        "msgpack" => message_pack(value, &mut out),
        "cbor" => cbor(value, &mut out),
        "bson" => bson(value, &mut out),
        "torrent" => bencode(value, &mut out),
        _ => protobuf(value, &mut out),
    }
    out
}

fn message_pack(value: &Value, out: &mut Vec<u8>) {
    let head = |out: &mut Vec<u8>, fix: (usize, u8), wide: &[(u8, usize)], n: usize| {
        if n < fix.0 {
            out.push(fix.1 | n as u8);
            return;
        }
        let (code, width) = wide.iter().find(|(_, width)| n < 1 << (8 * width)).unwrap();
        out.push(*code);
        out.extend(&(n as u64).to_be_bytes()[8 - width..]);
    };
    match value {
        Value::Null => out.push(0xc0),
        Value::Bool(yes) => out.push(if *yes { 0xc3 } else { 0xc2 }),
        Value::Number(n) => {
            head(out, (128, 0), &[(0xcc, 1), (0xcd, 2), (0xce, 4), (0xcf, 7)], n.as_u64().unwrap() as usize);
        }
        Value::String(text) => {
            head(out, (32, 0xa0), &[(0xd9, 1), (0xda, 2), (0xdb, 4)], text.len());
            out.extend(text.as_bytes());
        }
        Value::Array(all) => {
            head(out, (16, 0x90), &[(0xdc, 2), (0xdd, 4)], all.len());
            for value in all {
                message_pack(value, out);
            }
        }
        Value::Object(all) => {
            head(out, (16, 0x80), &[(0xde, 2), (0xdf, 4)], all.len());
            for (key, value) in all {
                message_pack(&key.as_str().into(), out);
                message_pack(value, out);
            }
        }
    }
}

fn cbor(value: &Value, out: &mut Vec<u8>) {
    let head = |out: &mut Vec<u8>, major: u8, n: u64| {
        let (info, width) = match n {
            0..=23 => (n as u8, 0),
            24..=0xff => (24, 1),
            0x100..=0xffff => (25, 2),
            0x1_0000..=0xffff_ffff => (26, 4),
            _ => (27, 8),
        };
        out.push(major << 5 | info);
        out.extend(&n.to_be_bytes()[8 - width..]);
    };
    match value {
        Value::Null => out.push(0xf6),
        Value::Bool(yes) => out.push(if *yes { 0xf5 } else { 0xf4 }),
        Value::Number(n) => head(out, 0, n.as_u64().unwrap()),
        Value::String(text) => {
            head(out, 3, text.len() as u64);
            out.extend(text.as_bytes());
        }
        Value::Array(all) => {
            head(out, 4, all.len() as u64);
            for value in all {
                cbor(value, out);
            }
        }
        Value::Object(all) => {
            head(out, 5, all.len() as u64);
            for (key, value) in all {
                cbor(&key.as_str().into(), out);
                cbor(value, out);
            }
        }
    }
}

fn bson(value: &Value, out: &mut Vec<u8>) {
    let members: Vec<(String, &Value)> = match value {
        Value::Array(all) => all.iter().enumerate().map(|(n, value)| (n.to_string(), value)).collect(),
        all => all.as_object().unwrap().iter().map(|(key, value)| (key.clone(), value)).collect(),
    };
    let mut body = Vec::new();
    for (key, value) in members {
        let mut own = Vec::new();
        let kind = match value {
            Value::Null => 0x0a,
            Value::Bool(yes) => {
                own.push(u8::from(*yes));
                0x08
            }
            Value::Number(n) => {
                own.extend(n.as_i64().unwrap().to_le_bytes());
                0x12
            }
            Value::String(text) => {
                own.extend((text.len() as u32 + 1).to_le_bytes());
                own.extend([text.as_bytes(), &[0]].concat());
                0x02
            }
            Value::Array(_) | Value::Object(_) => {
                bson(value, &mut own);
                if value.is_array() { 0x04 } else { 0x03 }
            }
        };
        body.push(kind);
        body.extend([key.as_bytes(), &[0], &own].concat());
    }
    out.extend((body.len() as u32 + 5).to_le_bytes());
    out.extend([&body[..], &[0]].concat());
}

fn bencode(value: &Value, out: &mut Vec<u8>) {
    match value {
        Value::String(text) => out.extend(format!("{}:{text}", text.len()).as_bytes()),
        Value::Number(n) => out.extend(format!("i{n}e").as_bytes()),
        Value::Array(all) => {
            out.push(b'l');
            for value in all {
                bencode(value, out);
            }
            out.push(b'e');
        }
        Value::Object(all) => {
            out.push(b'd');
            let mut keys: Vec<&String> = all.keys().collect();
            keys.sort();
            for key in keys {
                bencode(&key.as_str().into(), out);
                bencode(&all[key], out);
            }
            out.push(b'e');
        }
        _ => out.extend(b"0:"),
    }
}

/// Fields are numbered as the members of an object stand in it; an object that is keyed is a list of key and value.
fn protobuf(value: &Value, out: &mut Vec<u8>) {
    let varint = |out: &mut Vec<u8>, mut n: u64| {
        while n >= 128 {
            out.push(n as u8 | 128);
            n >>= 7;
        }
        out.push(n as u8);
    };
    let field = |number: usize, value: &Value, out: &mut Vec<u8>| {
        let counted = |bytes: &[u8], out: &mut Vec<u8>| {
            varint(out, (number as u64) << 3 | 2);
            varint(out, bytes.len() as u64);
            out.extend(bytes);
        };
        match value {
            Value::Number(n) if n.as_u64() != Some(0) => {
                varint(out, (number as u64) << 3);
                varint(out, n.as_u64().unwrap());
            }
            Value::String(text) if !text.is_empty() => counted(text.as_bytes(), out),
            Value::Object(_) => {
                let mut inner = Vec::new();
                protobuf(value, &mut inner);
                counted(&inner, out);
            }
            _ => {}
        }
    };
    for (n, value) in value.as_object().unwrap().values().enumerate() {
        match value {
            Value::Array(all) => all.iter().for_each(|value| field(n + 1, value, out)),
            value => field(n + 1, value, out),
        }
    }
}
