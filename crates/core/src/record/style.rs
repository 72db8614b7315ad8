//! How the texts, numbers and keys of each format are written, and what follows from it.

/// How the text of a leaf or key is written.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Style {
    /// It cannot be rewritten and says nothing: an alias, a value that is not there.
    Fixed,
    /// A name that only the reader gives, with no bytes of its own: it is the static text of this number.
    Given(u8),
    JsonText,
    /// In single quotes.
    JsonSingle,
    /// A key without quotes.
    JsonName,
    JsonNumber,
    JsonWord,
    YamlPlain,
    YamlSingle,
    YamlDouble,
    YamlBlock,
    TomlBasic,
    TomlLiteral,
    TomlLongBasic,
    TomlLongLiteral,
    TomlBare,
    TomlBareKey,
    IniBare,
    IniQuoted,
    Desktop,
    ShellDouble,
    ShellSingle,
    ShellBare,
    XmlAttribute(u8),
    XmlText,
    XmlCdata,
    XmlName,
    XmlAttributeName,
    /// In text of a registry.
    Hive(Hive),
    Line,
    NestedQuoted,
    NestedRaw,
    NestedBare,
    NestedWord,
    NestedName,
    TableQuoted,
    /// Between separators of this kind.
    TableBare(u8),
    /// In the heading; whether in quotes.
    TableName(bool),
    /// In a format of bytes.
    Packed(Packed),
}

/// How a text or number is written in text of a registry.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Hive {
    Text,
    Export,
    /// One text of several.
    Part,
    Hex,
    HexPart,
    Number,
    /// The name of a section.
    Path,
    ExportPath,
}

/// How a text, number or word is written in a format of bytes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Packed {
    MessageText,
    MessageNumber,
    MessageWord,
    CborText,
    CborNumber,
    CborWord,
    BencodeText,
    BencodeKey,
    BencodeNumber,
    BsonText,
    BsonKey,
    BsonInt32,
    BsonInt64,
    BsonDouble,
    BsonWord,
    ProtobufText,
    ProtobufNumber,
    ProtobufField,
    ListText,
    ListKey,
    ListNumber,
    ListWord,
    Shell(Shell),
}

/// How a text is written in a shell link: in the code page, or in UTF-16.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Shell {
    /// The items from the desktop down to a file.
    Items,
    Text,
    TextWide,
    /// Behind the number of its characters.
    Counted,
    CountedWide,
    /// In a field of a fixed size, with zeros behind it.
    Field,
    FieldWide,
}

impl Packed {
    /// Whether it is true, false, or something else that is no text and no number.
    pub fn is_word(self) -> bool {
        matches!(self, Self::MessageWord | Self::CborWord | Self::BsonWord | Self::ListWord)
    }

    /// Whether it is a text that a launcher wrote.
    pub fn is_text(self) -> bool {
        !self.is_word() && !self.is_number() && self != Self::ProtobufField
    }

    /// Whether it is a number.
    pub fn is_number(self) -> bool {
        matches!(
            self,
            Self::MessageNumber
                | Self::CborNumber
                | Self::BencodeNumber
                | Self::BsonInt32
                | Self::BsonInt64
                | Self::BsonDouble
                | Self::ProtobufNumber
                | Self::ListNumber
        )
    }
}

impl Style {
    /// Whether a key of this style is given by its format, and nothing that a launcher chose.
    pub fn is_given_key(self) -> bool {
        matches!(
            self,
            Self::Given(_)
                | Self::XmlName
                | Self::XmlAttributeName
                | Self::TableName(_)
                | Self::Packed(Packed::ProtobufField)
        )
    }

    /// Whether a value of this style is neither a text nor a number.
    pub fn is_word(self) -> bool {
        match self {
            Self::Fixed | Self::Given(_) | Self::JsonWord => true,
            Self::Packed(packed) => packed.is_word(),
            _ => false,
        }
    }
}

/// The names that readers give: [`Style::Given`] holds a number of this list.
pub(crate) const GIVEN: [&str; 20] = [
    "",
    "#text",
    "?",
    "*",
    "@",
    // Of shell links.
    "items",
    "base_path",
    "path_suffix",
    "base_path_unicode",
    "path_suffix_unicode",
    "name",
    "relative_path",
    "working_dir",
    "arguments",
    "icon_location",
    "target_variable",
    "target_variable_unicode",
    "icon_variable",
    "icon_variable_unicode",
    "more",
];
