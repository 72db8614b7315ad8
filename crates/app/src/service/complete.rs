//! What a field is filled up with: paths as they are on this machine.

use std::fs;
use std::path::{Path, PathBuf};

/// What a field holds.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wanted {
    /// A folder, or a file in one.
    Path,
    /// Two paths, each of which is filled up.
    Paths,
}

/// Names that are shown at most.
const MOST: usize = 8;

/// A text that was filled up as far as it is sure, and what it may go on with where that is not sure.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Completed {
    pub text: String,
    pub more: Vec<String>,
}

/// Fills up what was typed.
pub fn complete(home: &Path, wanted: Wanted, text: &str) -> Completed {
    match wanted {
        Wanted::Path => of_path(home, text),
        Wanted::Paths => of_paths(home, text),
    }
}

/// Where the last of several words begins: behind the last blank, or within quotes behind the one that opens them.
fn last_word(text: &str) -> usize {
    let quote = ['"', '\''].into_iter().filter(|sign| text.matches(*sign).count() % 2 == 1);
    let open = quote.filter_map(|sign| text.rfind(sign)).max();
    open.or_else(|| text.rfind(' ')).map_or(0, |at| at + 1)
}

/// The last of several paths.
fn of_paths(home: &Path, text: &str) -> Completed {
    let at = last_word(text);
    let own = of_path(home, &text[at..]);
    // What holds a blank is one path only within quotes.
    let quote = if own.text.contains(' ') && !text[..at].ends_with(['"', '\'']) { "\"" } else { "" };
    Completed { text: format!("{}{quote}{}", &text[..at], own.text), ..own }
}

fn of_path(home: &Path, text: &str) -> Completed {
    let (above, begun) = text.rfind('/').map_or(("", text), |at| text.split_at(at + 1));
    let folder = match above.strip_prefix("~/") {
        Some(rest) => home.join(rest),
        None if above.is_empty() => PathBuf::from("."),
        None => PathBuf::from(above),
    };
    let shown = |(name, is_folder): (String, bool)| if is_folder { name + "/" } else { name };
    // What is hidden is meant only by who begins so.
    let names = names_in(&folder).into_iter().filter(|(name, _)| !name.starts_with('.') || begun.starts_with('.'));
    filled(above, begun, names.map(shown).collect())
}

/// Names in a folder, sorted, and whether each is a folder.
fn names_in(folder: &Path) -> Vec<(String, bool)> {
    let entries = fs::read_dir(folder).into_iter().flatten().flatten();
    let name = |entry: fs::DirEntry| Some((entry.file_name().into_string().ok()?, entry.path().is_dir()));
    let mut all: Vec<(String, bool)> = entries.filter_map(name).collect();
    all.sort();
    all
}

/// The names that begin so: as much as all of them have in common, and the names where they are several.
fn filled(above: &str, begun: &str, names: Vec<String>) -> Completed {
    let mut fit: Vec<String> = names.into_iter().filter(|name| name.starts_with(begun)).collect();
    let Some(first) = fit.first() else { return Completed { text: format!("{above}{begun}"), more: Vec::new() } };
    let common = fit.iter().fold(first.as_str(), |common, name| {
        let end = common.char_indices().zip(name.chars()).find(|((_, one), other)| one != other);
        let end = end.map_or(common.len().min(name.len()), |((at, _), _)| at);
        &common[..end]
    });
    let text = format!("{above}{common}");
    if fit.len() == 1 {
        fit.clear();
    }
    let over = fit.len().saturating_sub(MOST);
    fit.truncate(MOST);
    if over > 0 {
        fit.push(format!("and {over} more"));
    }
    Completed { text, more: fit }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn done(text: &str, more: &[&str]) -> Completed {
        Completed { text: text.into(), more: more.iter().map(ToString::to_string).collect() }
    }

    #[test]
    fn paths_are_filled_up_as_far_as_they_are_sure() {
        let folder = tempfile::tempdir().expect("a folder");
        let top = folder.path();
        for name in ["games/Fen", "games/Fen Two", "games/Öd", "games/Ökel", "games/.kept", "other"] {
            fs::create_dir_all(top.join(name)).expect("a folder");
        }
        fs::write(top.join("games/list.json"), "").expect("a file");
        let path = |text: &str| of_path(top, text);
        assert_eq!(path("~/g"), done("~/games/", &[]));
        assert_eq!(path("~/games/F"), done("~/games/Fen", &["Fen/", "Fen Two/"]));
        assert_eq!(path("~/games/Fen T"), done("~/games/Fen Two/", &[]));
        assert_eq!(path("~/games/l"), done("~/games/list.json", &[]));
        assert_eq!(path("~/games/Ö"), done("~/games/Ö", &["Öd/", "Ökel/"]));
        assert_eq!(path("~/games/."), done("~/games/.kept/", &[]));
        assert_eq!(path("~/games/q"), done("~/games/q", &[]));
        assert_eq!(path("/no/such/f"), done("/no/such/f", &[]));
        let whole = format!("{}/o", top.display());
        assert_eq!(path(&whole), done(&format!("{whole}ther/"), &[]));
    }

    #[test]
    fn of_two_paths_the_last_one_is_filled_up() {
        assert_eq!(last_word("/old /ne"), 5);
        assert_eq!(last_word("\"/old disk\" \"/new di"), 13);
        assert_eq!(last_word("/ol"), 0);
        let folder = tempfile::tempdir().expect("a folder");
        fs::create_dir(folder.path().join("old disk")).expect("a folder");
        let two = |text: &str| of_paths(folder.path(), text).text;
        assert_eq!(two("/a ~/o"), "/a \"~/old disk/");
        assert_eq!(two("/a \"~/old d"), "/a \"~/old disk/");
    }

    #[test]
    fn of_many_names_some_are_shown() {
        let names: Vec<String> = (10..30).map(|n| format!("n{n}")).collect();
        let all = filled("", "", names);
        assert_eq!((all.text.as_str(), all.more.len(), all.more[8].as_str()), ("n", 9, "and 12 more"));
    }
}
