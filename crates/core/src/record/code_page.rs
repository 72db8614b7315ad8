//! Code pages beside windows-1252: text of before Unicode, by what the file declares or by what its bytes can only be.
//!
//! Law: the same bytes come back, or it is not read so.

use chardetng::{EncodingDetector, Iso2022JpDetection, Utf8Detection};
use encoding_rs::Encoding;

/// A code page of the WHATWG Encoding Standard.
#[derive(Clone, Copy, PartialEq, Eq)]
pub struct CodePage(&'static Encoding);

impl std::fmt::Debug for CodePage {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.0.name())
    }
}

/// Those in which names are looked for.
pub(crate) const CODE_PAGES: [CodePage; 16] = [
    CodePage(encoding_rs::WINDOWS_1250),
    CodePage(encoding_rs::WINDOWS_1251),
    CodePage(encoding_rs::WINDOWS_1253),
    CodePage(encoding_rs::WINDOWS_1254),
    CodePage(encoding_rs::WINDOWS_1255),
    CodePage(encoding_rs::WINDOWS_1256),
    CodePage(encoding_rs::WINDOWS_1257),
    CodePage(encoding_rs::WINDOWS_874),
    CodePage(encoding_rs::ISO_8859_2),
    CodePage(encoding_rs::ISO_8859_5),
    CodePage(encoding_rs::KOI8_R),
    CodePage(encoding_rs::SHIFT_JIS),
    CodePage(encoding_rs::EUC_JP),
    CodePage(encoding_rs::GBK),
    CodePage(encoding_rs::BIG5),
    CodePage(encoding_rs::EUC_KR),
];

/// Bytes at the start of a file in which it may declare its code page.
const HEAD: usize = 1024;

/// Bytes from which a code page is told.
const LOOKED_AT: usize = 65_536;

impl CodePage {
    /// The code page of bytes that are no UTF-8, and their text; `None` where neither the file says it nor its bytes can only be that.
    pub(crate) fn read(bytes: &[u8]) -> Option<(Self, String)> {
        match declared(bytes) {
            Some(page) if page == encoding_rs::WINDOWS_1252 => None,
            Some(page) if page.is_ascii_compatible() && page != encoding_rs::UTF_8 => {
                Some((Self(page), Self(page).decoded(bytes)?))
            }
            _ => {
                let page = evident(bytes)?;
                let text = page.decoded(bytes)?;
                page.is_sure(bytes, &text).then_some((page, text))
            }
        }
    }

    pub(crate) fn name(self) -> &'static str {
        self.0.name()
    }

    /// The code page that a label names, if it has ASCII in it.
    pub(crate) fn of_label(label: &[u8]) -> Option<Self> {
        Self::with_ascii(Encoding::for_label(label)?)
    }

    /// A page that has ASCII in it and is none of Unicode.
    fn with_ascii(page: &'static Encoding) -> Option<Self> {
        (page.is_ascii_compatible() && page != encoding_rs::UTF_8).then_some(Self(page))
    }

    /// The page that a text declares, if it is none of Unicode.
    pub(crate) fn declared_by(text: &str) -> Option<Self> {
        Self::with_ascii(declared(text.as_bytes())?)
    }

    /// Whether a document in XML declares this page by its very name. Other names may mean a part of it.
    pub(crate) fn is_declared_in_xml(self, text: &str) -> bool {
        let head =
            text.strip_prefix("<?xml").and_then(|rest| rest.split_once("?>")).map(|(head, _)| head.to_lowercase());
        let label = head.as_deref().and_then(|head| behind(head, "encoding="));
        self.0.is_single_byte() && label.is_some_and(|label| label.eq_ignore_ascii_case(self.name()))
    }

    /// The text of bytes, if the same bytes can be made of it.
    pub(crate) fn decoded(self, bytes: &[u8]) -> Option<String> {
        let text = self.0.decode_without_bom_handling_and_without_replacement(bytes)?;
        let is_text = !text.contains(|c: char| c.is_control() && !matches!(c, '\t' | '\n' | '\r' | '\u{c}'));
        (is_text && self.encoded(&text).as_deref() == Some(bytes)).then(|| text.into_owned())
    }

    /// A text in bytes, if it has all of its signs.
    pub(crate) fn encoded(self, text: &str) -> Option<Vec<u8>> {
        let (bytes, _, lacks) = self.0.encode(text);
        (!lacks).then(|| bytes.into_owned())
    }

    /// Whether what was told from bytes is beyond doubt: several letters of another script than the Latin one, most of what is not
    /// ASCII, in words of their own; of signs of two bytes most with none of ASCII in them, for such a one may as well be two.
    fn is_sure(self, bytes: &[u8], text: &str) -> bool {
        /// Letters that hardly stand together by chance.
        const FEWEST: usize = 4;
        let beyond = text.chars().filter(|c| !c.is_ascii()).count();
        let high = bytes.iter().filter(|byte| !byte.is_ascii()).count();
        let is_other = |c: char| !c.is_ascii() && c.is_alphabetic();
        let letters = text.chars().filter(|c| is_other(*c)).count();
        let mixed = |(one, other): (char, char)| {
            (is_other(one) && other.is_ascii_alphabetic()) || (one.is_ascii_alphabetic() && is_other(other))
        };
        let in_two_bytes = self.0.is_single_byte() || high * 2 >= beyond * 3;
        letters >= FEWEST && letters * 2 >= beyond && in_two_bytes && !text.chars().zip(text.chars().skip(1)).any(mixed)
    }
}

/// The code page that a file declares as XML, HTML, or editors do.
fn declared(bytes: &[u8]) -> Option<&'static Encoding> {
    let head: String = bytes.iter().take(HEAD).map(|byte| char::from(*byte)).collect::<String>().to_lowercase();
    let is_xml = head.starts_with("<?xml");
    let lines = || head.lines().take(2).flat_map(|line| ["coding:", "coding="].map(|sign| behind(line, sign)));
    let label = if is_xml {
        behind(head.split("?>").next()?, "encoding=")
    } else {
        behind(&head, "charset=").or_else(|| lines().flatten().next())
    }?;
    Encoding::for_label(label.as_bytes())
}

/// The word behind a sign, without quotes.
fn behind<'t>(text: &'t str, sign: &str) -> Option<&'t str> {
    let (_, rest) = text.split_once(sign)?;
    let rest = rest.trim_start_matches([' ', '"', '\'']);
    let end = rest.find(|c: char| !(c.is_ascii_alphanumeric() || matches!(c, '-' | '_' | ':'))).unwrap_or(rest.len());
    Some(&rest[..end]).filter(|label| !label.is_empty())
}

/// The code page that bytes seem to be in, if it is not one of the Latin script.
fn evident(bytes: &[u8]) -> Option<CodePage> {
    let start = bytes.get(..LOOKED_AT).unwrap_or(bytes);
    let mut detector = EncodingDetector::new(Iso2022JpDetection::Deny);
    // A sign may be cut in two at the end of what is looked at.
    detector.feed(start, start.len() == bytes.len());
    let page = detector.guess(None, Utf8Detection::Deny);
    let latin = [
        encoding_rs::WINDOWS_1250,
        encoding_rs::WINDOWS_1252,
        encoding_rs::WINDOWS_1254,
        encoding_rs::WINDOWS_1257,
        encoding_rs::WINDOWS_1258,
        encoding_rs::ISO_8859_2,
        encoding_rs::ISO_8859_4,
    ];
    (!latin.contains(&page) && page.is_ascii_compatible() && page != encoding_rs::UTF_8).then_some(CodePage(page))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_code_page_is_read_where_it_is_declared_or_can_be_no_other() {
        let texts = [
            ("windows-1251", "[игры]\nпуть=/g/Долгая дорога/Мир\nимя=Мир и война\n"),
            ("koi8-r", "[игры]\nпуть=/g/Долгая дорога/Мир\nимя=Мир и война\n"),
            ("windows-1253", "όνομα=Ο μεγάλος δρόμος\nat=/g/Μικρός κόσμος\n"),
            ("shift_jis", "名前=長い道の記憶、その二\nat=/g/海の記憶\n"),
            ("gbk", "名称=漫长的道路与记忆\nat=/g/海的记忆\n"),
            ("euc-kr", "이름=긴 길의 기억\nat=/g/바다의 기억\n"),
        ];
        for (label, text) in texts {
            let page = CodePage(Encoding::for_label(label.as_bytes()).unwrap());
            let bytes = page.encoded(text).unwrap();
            // Of two that differ in no sign of a text either will do.
            let read = CodePage::read(&bytes).map(|(_, text)| text);
            assert_eq!(read.as_deref(), Some(text), "{label}");
        }
        for label in ["windows-1250", "iso-8859-2", "windows-1251", "iso-8859-5", "shift_jis"] {
            let page = CodePage(Encoding::for_label(label.as_bytes()).unwrap());
            let word = if label.contains("jis") {
                "海"
            } else if label.ends_with('1') || label.ends_with('5') {
                "Ж"
            } else {
                "Kůň"
            };
            let text = format!("<?xml version='1.0' encoding='{label}'?>\n<a at=\"/g/{word}\"/>\n");
            assert_eq!(CodePage::read(&page.encoded(&text).unwrap()), Some((page, text)), "{label}");
        }
    }

    #[test]
    fn text_of_the_west_and_what_is_no_text_are_none_of_them() {
        for text in [
            "[a]\nat=/g/Öd\n",
            "at=/g/Öd & Söhne\nname=Große Räume für alle\n",
            "at=/g/Déjà vu\nnom=L'été où il fût là\n",
            "camino=/g/El niño\nnombre=¿Qué pasó mañana?\n",
            "/g/Öd\n/g/Öd\n/g/Öd\n/g/Öd\n",
            "é\n",
            "/g/Ä Ö Ü/x\n",
            "/g/à\nnom=à\nou=à\noù=ç a é è\n",
            "charset=latin1\nname=÷ø¥õðÿ ÷ø¥õð\n",
        ] {
            let (bytes, _, lacks) = encoding_rs::WINDOWS_1252.encode(text);
            assert!(!lacks);
            assert_eq!(CodePage::read(&bytes), None, "{text}");
        }
        let packed: [&[u8]; 4] =
            [b"\x82\xa7install\xd9A/g/Fen\xa7command", b"/g/F\xe9n\x01", b"a\xff\x01", b"\xa4path\xabelsewhere!!"];
        for bytes in packed {
            assert_eq!(CodePage::read(bytes), None, "{bytes:?}");
        }
    }
}
