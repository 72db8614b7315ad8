use super::*;
use crate::record::Side;
use std::fs;

const SOUND: &str = r#"format = 1
id = "quay"
name = "Quay"
home = ["{config}/quay"]
[libraries]
file = "{home}/l.json"
list = "$"
path = "$.at"
[games]
file = "{library}/g.json"
list = "$.g"
install = "{library}/{folder}"
[[games.records]]
selector = "$.folder"
meaning = "{folder}"
"#;

#[test]
fn a_sound_profile_is_read() {
    let profile = Profile::parse(SOUND, Path::new("p")).unwrap();
    assert_eq!(profile.libraries.unwrap().default, DefaultLibrary::First);
    assert_eq!(profile.games.records[0].on, Side::Value);
}

#[test]
fn a_broken_profile_is_refused_with_line_and_fault() {
    for (from, to, part) in [
        ("format = 1", "format = 2", "format 2"),
        ("\"$.at\"", "\"$.[at\"", "line 8"),
        ("path =", "pfad =", "line 8"),
        ("id = \"quay\"", "id = \"../quay\"", "letters"),
        ("meaning = \"{folder}\"", "meaning = \"{size}\"", "no record"),
        ("list = \"$.g\"", "entries = \"$.g\"\nlist = \"$.g\"", "either list or entries"),
        ("file = \"{library}/g.json\"", "file = \"{library}/g\"\nas = \"jsno\"", "isn't a format"),
        ("{library}/{folder}", "{library/{", "line 12"),
        ("name = \"Quay\"", "name = Quay", "line 3"),
    ] {
        let text = SOUND.replacen(from, to, 1);
        let error = Profile::parse(&text, Path::new("p.toml")).unwrap_err().to_string();
        assert!(error.contains(part) && error.contains("p.toml"), "{error}");
    }
}

#[test]
fn content_lists_that_nothing_could_be_read_by_are_refused() {
    let parse = |contents: &str| {
        let text = format!("{SOUND}[contents]\nfile = \"{{home}}/c\"\nalgorithm = \"md5\"\n{contents}");
        Profile::parse(&text, Path::new("p.toml")).map_err(|error| error.to_string())
    };
    for sound in [
        "columns = [\"hash\", \"path\"]",
        "columns = [\"other\", \"path\", \"size\", \"hash\"]",
        "list = \"$\"\npath = \"$.p\"\nhash = \"$.h\"",
    ] {
        assert!(parse(sound).is_ok(), "{sound}: {:?}", parse(sound).err());
    }
    for (broken, part) in [
        ("", "either list or columns"),
        ("columns = [\"hash\"]", "hash and path once"),
        ("columns = [\"hash\", \"path\", \"path\"]", "hash and path once"),
        ("columns = [\"hash\", \"path\"]\nlist = \"$\"", "both"),
        ("columns = [\"hash\", \"path\"]\npiece = 4096", "both"),
    ] {
        let error = parse(broken).unwrap_err();
        assert!(error.contains(part) && error.contains("[contents]"), "{broken}: {error}");
    }
}

#[test]
fn entries_in_those_of_libraries_are_of_one_file_and_one_part() {
    let holds = "[[libraries.holds]]\nselector = \"$.g\"\nsays = \"entries\"\nid = \"$.id\"\n";
    let held = SOUND
        .replace("{library}/g.json", "{home}/l.json")
        .replace("list = \"$.g\"", "entries = \"$[*].g[*]\"")
        .replace("[games]", &format!("{holds}[games]"));
    assert!(Profile::parse(&held, Path::new("p")).unwrap().holds_entries());
    for (from, to, part) in [
        ("file = \"{home}/l.json\"\nentries", "file = \"{home}/m.json\"\nentries", "are in its file"),
        ("entries = \"$[*]", "as = \"xml\"\nentries = \"$[*]", "are in its file"),
        ("entries = \"$[*].g[*]\"", "list = \"$\"\ntravels = true", "leave out games.travels"),
        ("entries = \"$[*].g[*]\"", "list = \"$\"", "games.entries"),
        (holds, &format!("{holds}{holds}"), "one part"),
    ] {
        assert!(held.contains(from), "{held}");
        let error = Profile::parse(&held.replacen(from, to, 1), Path::new("p.toml")).unwrap_err().to_string();
        assert!(error.contains(part), "{error}");
    }
}

#[test]
fn one_broken_profile_leaves_the_others() {
    let folder = tempfile::tempdir().unwrap();
    fs::write(folder.path().join("a.toml"), "format = ").unwrap();
    fs::write(folder.path().join("b.toml"), SOUND).unwrap();
    fs::write(folder.path().join("c.toml"), SOUND).unwrap();
    fs::write(folder.path().join("notes.txt"), "x").unwrap();
    let (profiles, errors) = load_profiles(folder.path());
    assert_eq!((profiles.len(), errors.len()), (1, 2));
    assert!(load_profiles(Path::new("/nowhere/at/all")).1.is_empty());
}
