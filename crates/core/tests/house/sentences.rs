//! All that the program says to people, in one list, so that one person can read it through: `docs/sentences.md`.
//!
//! The list is made of the texts in the sources; a test keeps it true. `DEFT_BARGE_WRITE_SENTENCES=1` updates it.

use std::fs;
use std::path::{Path, PathBuf};
use std::str::FromStr;

use proc_macro2::{Delimiter, Group, TokenStream, TokenTree};

/// Where texts for people are, in the order in which they are listed: what is said where first.
const PLACES: [&str; 8] = [
    "crates/app/src/present",
    "crates/app/src/commands.rs",
    "crates/app/src/tui",
    "crates/app/src/service",
    "crates/app/src/cli",
    "crates/app/src/request.rs",
    "crates/charts/src",
    "crates/core/src",
];

const HEAD: &str = "# Sentences\n\nAll texts of the program that have more than a word, by the file they stand in, so that they can be read in one go. Braces stand for \
what is filled in. A test keeps this list true:\n`DEFT_BARGE_WRITE_SENTENCES=1 cargo test -p deft-barge-core --test house sentences` updates it.\n";

/// The texts of a file, each once.
fn texts(source: &str) -> Vec<String> {
    let tokens = TokenStream::from_str(source).unwrap();
    let mut all = Vec::new();
    collect(tokens, &mut all);
    let mut met = std::collections::HashSet::new();
    all.retain(|text| is_said(text) && met.insert(text.clone()));
    all
}

fn collect(tokens: TokenStream, all: &mut Vec<String>) {
    let mut tokens = tokens.into_iter().peekable();
    let mut skip = false;
    while let Some(token) = tokens.next() {
        match token {
            TokenTree::Punct(sign) if sign.as_char() == '#' => {
                if matches!(tokens.peek(), Some(TokenTree::Punct(_))) {
                    tokens.next();
                }
                if let Some(TokenTree::Group(attribute)) = tokens.next_if(|next| matches!(next, TokenTree::Group(_))) {
                    skip = skip || is_of_tests(&attribute);
                    attribute_texts(&attribute, all);
                }
            }
            // What is only for tests: up to the end of its braces.
            TokenTree::Group(group) if skip && group.delimiter() == Delimiter::Brace => skip = false,
            TokenTree::Group(group) if !skip => collect(group.stream(), all),
            TokenTree::Literal(literal) if !skip => all.extend(text_of(&literal.to_string())),
            _ => {}
        }
    }
}

fn is_of_tests(attribute: &Group) -> bool {
    attribute.stream().to_string().replace(' ', "") == "cfg(test)"
}

/// What an error says. Other attributes say nothing to people; what stands above a command is told by its manual.
fn attribute_texts(attribute: &Group, all: &mut Vec<String>) {
    let mut inside = attribute.stream().into_iter();
    let is_error = matches!(inside.next(), Some(TokenTree::Ident(name)) if name == "error");
    if let Some(TokenTree::Group(group)) = inside.next().filter(|_| is_error) {
        collect(group.stream(), all);
    }
}

/// The text of a literal, if it is one.
fn text_of(literal: &str) -> Option<String> {
    if let Some(raw) = literal.strip_prefix('r') {
        let raw = raw.trim_matches('#');
        return raw.strip_prefix('"')?.strip_suffix('"').map(str::to_string);
    }
    let inner = literal.strip_prefix('"')?.strip_suffix('"')?;
    // A backslash at the end of a line leaves out the line's end and the blanks behind it.
    let mut out = String::new();
    let mut chars = inner.chars().peekable();
    while let Some(c) = chars.next() {
        match (c, chars.peek()) {
            ('\\', Some('\n')) => while chars.next_if(|c| c.is_whitespace()).is_some() {},
            ('\\', Some('n')) => {
                chars.next();
                out.push_str(" / ");
            }
            ('\\', Some('"' | '\\' | '\'')) => out.extend(chars.next()),
            _ => out.push(c),
        }
    }
    Some(out)
}

/// Whether a text is something that is said: some words, and no statement of a database, no drawing, no selector.
fn is_said(text: &str) -> bool {
    let word =
        |part: &&str| part.chars().filter(|c| c.is_alphabetic()).count() > 1 && !part.contains(['<', '=', '$', '@']);
    let first = text.split_whitespace().next().unwrap_or_default();
    let is_statement = first.len() > 3 && first.chars().all(char::is_uppercase);
    let statements = ["select", "insert", "update", "delete", "create", "pragma", "alter", "drop", "with recursive"];
    let is_statement = is_statement
        || statements.iter().any(|word| {
            text.trim_start().to_lowercase().starts_with(&format!("{word} "))
                && text.to_lowercase().contains([' ', '('])
                && sql_like(text)
        });
    text.split_whitespace().filter(word).count() > 1 && !is_statement && !text.trim_start().starts_with('<')
}

fn sql_like(text: &str) -> bool {
    let low = text.to_lowercase();
    [" from ", " into ", " set ", "table ", "index ", "pragma "].iter().any(|word| low.contains(word))
        && !text.contains("{title}")
        && !text.ends_with('.')
}

fn sources(at: &Path) -> Vec<PathBuf> {
    if at.is_file() {
        return vec![at.into()];
    }
    let mut all: Vec<PathBuf> = fs::read_dir(at).unwrap().map(|entry| entry.unwrap().path()).collect();
    all.sort();
    all.into_iter()
        .filter(|path| !path.ends_with("tests"))
        .flat_map(|path| if path.is_dir() { sources(&path) } else { vec![path] })
        .filter(|path| is_source(path))
        .collect()
}

fn is_source(path: &Path) -> bool {
    path.extension().is_some_and(|end| end == "rs") && path.file_stem().is_some_and(|name| name != "tests")
}

/// The whole list.
fn list(root: &Path) -> String {
    let mut out = HEAD.to_string();
    for place in PLACES {
        for file in sources(&root.join(place)) {
            let texts = texts(&fs::read_to_string(&file).unwrap());
            if texts.is_empty() {
                continue;
            }
            let name = file.strip_prefix(root).unwrap().display().to_string();
            out.push_str(&format!("\n## {name}\n\n"));
            for text in texts {
                out.push_str(&format!("- {}\n", text.split_whitespace().collect::<Vec<_>>().join(" ")));
            }
        }
    }
    out
}

#[test]
fn all_sentences_are_listed_for_a_person_to_read() {
    let root = Path::new(env!("CARGO_MANIFEST_DIR")).join("../..").canonicalize().unwrap();
    let (file, wanted) = (root.join("docs/sentences.md"), list(&root));
    if std::env::var_os("DEFT_BARGE_WRITE_SENTENCES").is_some() {
        fs::write(&file, &wanted).unwrap();
    }
    let now = fs::read_to_string(&file).unwrap_or_default();
    let differs = wanted.lines().zip(now.lines().chain(std::iter::repeat(""))).find(|(wanted, now)| wanted != now);
    assert!(now == wanted, "docs/sentences.md is not what the sources say (update it as its head says): {differs:?}");
}

#[test]
fn what_is_said_is_told_from_what_is_not() {
    let source = r##"
        //! Not this one.
        #[error("cannot be read: {what}")]
        #[cfg(test)]
        mod tests { const X: &str = "not this either"; }
        const A: &str = "it is \"so\" \
            indeed";
        const B: &str = "SELECT a FROM b";
        const C: &str = "word";
        fn f() { x("two lines\nof it", r#"raw it is"#, "<svg width='1' height='2'>"); }
    "##;
    assert_eq!(texts(source), ["cannot be read: {what}", "it is \"so\" indeed", "two lines / of it", "raw it is"]);
}
