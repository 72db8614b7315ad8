//! The formats that are read.

use std::path::Path;

use serde::{Deserialize, Serialize};

/// The formats of text files that are read and edited.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize, Deserialize)]
#[serde(rename_all = "kebab-case")]
pub enum Format {
    /// JSON (RFC 8259).
    Json,
    /// JSON with comments, commas behind the last entry, keys without quotes and texts in single ones (JSON5).
    Jsonc,
    /// JSON documents one after the other, usually one on each line: a list of them.
    JsonLines,
    /// YAML 1.2. Several documents are a list.
    Yaml,
    /// TOML 1.1.
    Toml,
    /// Sections with keys; what stands before the first section is in the section without a name.
    Ini,
    /// Desktop entries of the desktop's standard.
    Desktop,
    /// Assignments of a shell: the user directories of the desktop.
    UserDirs,
    /// XML 1.0: elements are lists by name, attributes members with `@`, text is `#text`.
    Xml,
    /// The registry of a Windows compatibility layer as text, or an export of one.
    Hive,
    /// A list of lines.
    Lines,
    /// Names and values, blocks in braces and lists in brackets, in the dialect that the text itself shows.
    Nested,
    /// XML in which values stand behind their keys.
    PropertyList,
    /// Rows of values between separators, with a heading or without one.
    Table,
    /// MessagePack; several values one after the other are a list.
    MessagePack,
    /// CBOR (RFC 8949); several values one after the other are a list.
    Cbor,
    /// Bencode.
    Bencode,
    /// BSON 1.1.
    Bson,
    /// Protocol buffers as they are on the wire: fields have their numbers for names.
    Protobuf,
    /// Binary property lists.
    BinaryPropertyList,
    /// Shell links ([MS-SHLLINK]): the shortcuts of a Windows desktop.
    ShellLink,
}

impl Format {
    /// All of them.
    pub const ALL: [Self; 21] = [
        Self::Json,
        Self::Jsonc,
        Self::JsonLines,
        Self::Yaml,
        Self::Toml,
        Self::Ini,
        Self::Desktop,
        Self::UserDirs,
        Self::Xml,
        Self::Hive,
        Self::Lines,
        Self::Nested,
        Self::MessagePack,
        Self::Cbor,
        Self::Bencode,
        Self::Bson,
        Self::Protobuf,
        Self::PropertyList,
        Self::Table,
        Self::BinaryPropertyList,
        Self::ShellLink,
    ];

    /// Those of bytes, of which none is text.
    pub const PACKED: [Self; 7] = [
        Self::ShellLink,
        Self::BinaryPropertyList,
        Self::MessagePack,
        Self::Cbor,
        Self::Bencode,
        Self::Bson,
        Self::Protobuf,
    ];

    /// Whether it is one of bytes.
    pub fn is_packed(self) -> bool {
        Self::PACKED.contains(&self)
    }

    /// Whether its standard has it be Unicode, whatever words in it name (RFC 8259, YAML 1.2, TOML 1.1, Desktop Entry Specification).
    pub(crate) fn is_unicode(self) -> bool {
        matches!(self, Self::Json | Self::Jsonc | Self::JsonLines | Self::Yaml | Self::Toml | Self::Desktop)
    }

    /// The format that a file's name stands for; lines, where it stands for none.
    pub fn of_name(file: &Path) -> Self {
        let name = file.file_name().unwrap_or_default().to_string_lossy().to_ascii_lowercase();
        match name.rsplit_once('.').map_or("", |(_, end)| end) {
            "json" => Self::Json,
            "jsonc" | "json5" => Self::Jsonc,
            "jsonl" | "ndjson" => Self::JsonLines,
            "yaml" | "yml" => Self::Yaml,
            "toml" => Self::Toml,
            "ini" | "cfg" | "conf" => Self::Ini,
            "desktop" | "directory" => Self::Desktop,
            "dirs" => Self::UserDirs,
            "xml" => Self::Xml,
            "reg" => Self::Hive,
            "msgpack" | "mpk" => Self::MessagePack,
            "csv" | "tsv" | "tab" => Self::Table,
            "plist" => Self::PropertyList,
            "cbor" => Self::Cbor,
            "bson" => Self::Bson,
            "lnk" => Self::ShellLink,
            _ => Self::Lines,
        }
    }

    /// Whether the beginning of a text has a block in braces, with a name before it.
    pub(crate) fn looks_nested(begun: &str) -> bool {
        let opens = |line: &str| {
            let line = line.trim();
            line == "{" || line.ends_with(" {") || line.ends_with("={") || line.contains(" { ") || line.contains("\t{")
        };
        !begun.starts_with(['[', '<']) && begun.lines().any(opens)
    }
}
