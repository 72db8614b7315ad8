//! The formats: each a scanner that adds nodes, and how text is read from and written in its styles.
//!
//! Law: a scanner never follows what a file refers to (aliases, entities, includes), and is linear in
//! the size of the text. Decoding and encoding know nothing of the document around.

mod double_quotes;
mod escapes;
mod format;
mod hive;
mod ini;
mod json;
mod nested;
mod packed;
mod property_list;
mod table;
mod toml;
mod xml;
mod yaml;

pub use format::Format;
pub(crate) use json::quoted as json_quoted;
pub(crate) use packed::{length_as, table_as};
pub(crate) use packed::{packed_format_of, packed_is_like_text, packed_may_begin};

use std::borrow::Cow;

use serde_json::Value;

use super::place::Side;
use super::tree::{Builder, Fault, GIVEN, Hive, Style};

/// Adds the nodes of a text, the root first.
pub(crate) fn scan(text: &str, format: Format, out: &mut Builder<'_>) -> Result<(), Fault> {
    match format {
        Format::Json => json::scan(text, json::Extras::None, out),
        Format::JsonLines => json::scan_lines(text, out),
        Format::Jsonc => json::scan(text, json::Extras::CommentsAndCommas, out),
        Format::Yaml => yaml::scan(text, out),
        Format::Toml => toml::scan(text, out),
        Format::Ini => {
            ini::scan(text, ini::Dialect::Ini, out);
            Ok(())
        }
        Format::Desktop => {
            ini::scan(text, ini::Dialect::Desktop, out);
            Ok(())
        }
        Format::UserDirs => {
            ini::scan_assignments(text, out);
            Ok(())
        }
        Format::Xml => xml::scan(text, out),
        Format::Hive => hive::scan(text, out),
        Format::Lines => {
            ini::scan_lines(text, out);
            Ok(())
        }
        Format::Nested => nested::scan(text, out),
        Format::PropertyList => property_list::scan(text, out),
        Format::Table => table::scan(text, out),
        Format::MessagePack
        | Format::Cbor
        | Format::Bencode
        | Format::Bson
        | Format::Protobuf
        | Format::BinaryPropertyList
        | Format::ShellLink => packed::scan(text, format, out),
    }
}

/// The text that is written as `raw`.
pub(crate) fn decode(style: Style, raw: &str) -> Cow<'_, str> {
    match style {
        Style::Given(n) => Cow::Borrowed(GIVEN.get(usize::from(n)).copied().unwrap_or_default()),
        Style::JsonText | Style::JsonSingle | Style::JsonName | Style::JsonNumber | Style::JsonWord => {
            json::decode(style, raw)
        }
        Style::YamlPlain | Style::YamlSingle | Style::YamlDouble | Style::YamlBlock => yaml::decode(style, raw),
        Style::TomlBasic
        | Style::TomlLiteral
        | Style::TomlLongBasic
        | Style::TomlLongLiteral
        | Style::TomlBare
        | Style::TomlBareKey => toml::decode(style, raw),
        Style::Fixed | Style::IniBare | Style::Line => Cow::Borrowed(raw),
        Style::IniQuoted | Style::Desktop | Style::ShellDouble | Style::ShellSingle | Style::ShellBare => {
            ini::decode(style, raw)
        }
        Style::XmlAttribute(_) | Style::XmlText | Style::XmlCdata | Style::XmlName | Style::XmlAttributeName => {
            xml::decode(style, raw)
        }
        Style::Hive(style) => hive::decode(style, raw),
        Style::NestedQuoted | Style::NestedRaw | Style::NestedBare | Style::NestedWord | Style::NestedName => {
            nested::decode(style, raw)
        }
        Style::Packed(packed) => packed::decode(packed, raw),
        Style::TableQuoted | Style::TableBare(_) | Style::TableName(_) => table::decode(style, raw),
    }
}

/// Whether `raw` may be what says `text`; a quick look that is never wrong when it says no.
pub(crate) fn may_say(style: Style, raw: &str, text: &str) -> bool {
    style != Style::Hive(Hive::Path) || hive::may_say(raw, text)
}

/// How `new` is written where `raw` stands, with the habits of `raw`; `None` if that style cannot hold it.
pub(crate) fn encode(style: Style, side: Side, new: &str, raw: &str) -> Option<String> {
    let plain = plain(style, side, new, raw)?;
    Some(escapes::carried_over(style, raw, &plain).unwrap_or(plain))
}

/// How `new` is written with no escapes but those that are needed.
fn plain(style: Style, side: Side, new: &str, raw: &str) -> Option<String> {
    match style {
        Style::Fixed | Style::Given(_) | Style::JsonWord | Style::XmlName | Style::XmlAttributeName => None,
        Style::JsonText | Style::JsonSingle | Style::JsonName | Style::JsonNumber => json::encode(style, new, raw),
        Style::YamlPlain | Style::YamlSingle | Style::YamlDouble | Style::YamlBlock => {
            yaml::encode(style, side, new, raw)
        }
        Style::TomlBasic
        | Style::TomlLiteral
        | Style::TomlLongBasic
        | Style::TomlLongLiteral
        | Style::TomlBare
        | Style::TomlBareKey => toml::encode(style, new, raw),
        Style::IniBare
        | Style::IniQuoted
        | Style::Desktop
        | Style::ShellDouble
        | Style::ShellSingle
        | Style::ShellBare
        | Style::Line => ini::encode(style, side, new),
        Style::XmlAttribute(_) | Style::XmlText | Style::XmlCdata => xml::encode(style, new),
        Style::Hive(style) => hive::encode(style, new, raw),
        Style::NestedQuoted | Style::NestedRaw | Style::NestedBare | Style::NestedWord | Style::NestedName => {
            nested::encode(style, new, raw)
        }
        Style::Packed(packed) => packed::encode(packed, new, raw),
        Style::TableQuoted | Style::TableBare(_) | Style::TableName(_) => table::encode(style, new),
    }
}

/// The plain value of a leaf.
pub(crate) fn value(style: Style, raw: &str) -> Value {
    match style {
        Style::JsonNumber | Style::JsonWord => serde_json::from_str(raw).unwrap_or(Value::Null),
        Style::YamlPlain => yaml::plain_value(&decode(style, raw)),
        Style::TomlBare => serde_json::from_str(raw).unwrap_or_else(|_| Value::String(raw.into())),
        Style::Hive(Hive::Number) => serde_json::from_str(&decode(style, raw)).unwrap_or(Value::Null),
        Style::Fixed => Value::Null,
        Style::Packed(packed) => packed::value(packed, raw),
        _ => Value::String(decode(style, raw).into_owned()),
    }
}
