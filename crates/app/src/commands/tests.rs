use super::*;

#[test]
fn no_key_means_two_things_in_one_view_and_every_deed_has_a_name_of_its_own() {
    let map = KeyMap::default();
    assert_eq!(map.clash(), None);
    for (n, command) in COMMANDS.iter().enumerate() {
        assert_eq!(map.keys[n].len(), command.keys.len(), "{}: a key cannot be read", command.name);
        assert!(COMMANDS[n + 1..].iter().all(|other| other.name != command.name), "{}", command.name);
        assert!(map.keys[n].iter().all(|key| !key.is_digit()), "{}", command.name);
    }
}

/// Commands of different views that do the same thing with what is shown there: only these share a key.
const SAME: [&[&str]; 13] = [
    &["review", "files", "look-closer", "open-proof", "unfold"],
    &["next-drive", "next-change", "next-item"],
    &["previous-drive", "previous-change", "previous-item"],
    &["play", "play-proved"],
    &["audit", "verify", "audit-haul"],
    &["release", "release-proved", "release-haul", "release-copy"],
    &["undo", "undo-proved", "undo-haul"],
    &["repair", "repair-copy"],
    &["save-draft", "export", "export-haul"],
    &["check-pack", "check-profiles"],
    &["what-if", "new-library"],
    &["remap", "remap-drive"],
    &["trace", "trace-find"],
];

#[test]
fn a_key_means_the_same_in_all_views_or_nothing() {
    for (n, one) in COMMANDS.iter().enumerate() {
        for other in &COMMANDS[n + 1..] {
            let shared: Vec<&&str> = one.keys.iter().filter(|key| other.keys.contains(key)).collect();
            let same = SAME.iter().any(|names| names.contains(&one.name) && names.contains(&other.name));
            assert!(shared.is_empty() || same, "{shared:?} are {} and {}", one.name, other.name);
            // And what is the same has the same first key, so that it is learned once.
            assert!(!same || one.keys.first() == other.keys.first(), "{} and {}", one.name, other.name);
        }
    }
}

#[test]
fn a_digit_is_a_drive_and_nothing_else() {
    let press = |c| KeyEvent::new(KeyCode::Char(c), KeyModifiers::NONE);
    let mut map = KeyMap::default();
    for view in View::ALL {
        assert_eq!(map.wish(press('4'), view), Some(Wish::Send(4)));
    }
    assert_eq!(map.set("mark", &["4".into()]), Err("\"4\" is a drive's number".into()));
}

#[test]
fn keys_are_given_anew_and_a_clash_is_found() {
    let mut map = KeyMap::default();
    map.set("mark", &["M".into(), "ctrl-k".into()]).expect("keys");
    assert_eq!(
        map.clash().map(|(key, one, other)| (key.to_string(), one, other)),
        Some(("M".into(), "mark", "make-room"))
    );
    map.set("make-room", &[]).expect("no keys");
    assert_eq!(map.clash(), None);
    let press = KeyEvent::new(KeyCode::Char('k'), KeyModifiers::CONTROL);
    assert_eq!(map.wish(press, View::Drives), Some(Wish::Mark));
    assert!(map.set("dance", &[]).is_err() && map.set("mark", &["hyper-x".into()]).is_err());
}

#[test]
fn keys_are_written_as_they_are_read() {
    for name in ["x", "X", "ctrl-x", "space", "page-down", "f5", "enter", "?"] {
        assert_eq!(Press::read(name).map(|key| key.to_string()), Some(name.into()));
    }
    assert_eq!(Press::read("f13"), None);
}
