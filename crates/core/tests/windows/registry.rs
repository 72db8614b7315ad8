//! A launcher of which nothing is known but what it keeps in the registry: learned from its games, and moved by what was learned.

use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::learn;
use deft_barge_core::plan::{Destination, Draft, plan as plan_of};
use deft_barge_core::site::{Site, real_path};
use deft_barge_core::survey::survey;
use deft_barge_core::trace::{trace, usual_places};
use deft_barge_windows::{Hive, Key, Value, delete_key, read_below, set_value};

const GAMES: [&str; 3] = ["Fen", "Moor & Two", "Öd"];

struct Kept(String);

impl Drop for Kept {
    fn drop(&mut self) {
        for key in self.all().iter().rev() {
            let below = key.below.to_string_lossy();
            let path = if below.is_empty() { self.0.clone() } else { format!("{}\\{below}", self.0) };
            let _ = delete_key(Hive::User, path.as_ref());
        }
    }
}

impl Kept {
    fn all(&self) -> Vec<Key> {
        read_below(Hive::User, self.0.as_ref()).unwrap_or_default()
    }

    fn set(&self, below: &str, name: &str, kind: u32, text: &str) {
        let data = match kind {
            4 => text.parse::<u32>().unwrap().to_le_bytes().to_vec(),
            _ => text.encode_utf16().chain([0]).flat_map(u16::to_le_bytes).collect(),
        };
        let key = format!("{}{below}", self.0);
        set_value(Hive::User, key.as_ref(), &Value { name: name.into(), kind, data }).unwrap();
    }
}

#[test]
fn what_a_launcher_keeps_in_the_registry_is_learned_and_moved_and_comes_back() {
    let folder = tempfile::tempdir().unwrap();
    let top = real_path(folder.path());
    let kept = Kept(format!("Software\\Skua {}", top.file_name().unwrap().to_string_lossy()));
    let mut text = String::from("format = 1\nseed = 1\nhome = \"home\"\n");
    for (nth, drive) in ["swift", "newhold"].into_iter().enumerate() {
        let tag = nth + 1;
        text.push_str(&format!(
            "[[drives]]\ntag = {tag}\nname = \"{drive}\"\nroot = \"drives/{drive}\"\ncapacity = 900000000\nkind = \"ssd\"\nfile-system = \"ntfs\"\n"
        ));
        fs::create_dir_all(top.join("drives").join(drive)).unwrap();
    }
    fs::create_dir_all(top.join("home")).unwrap();
    fs::write(top.join("world.toml"), text).unwrap();
    let place = |drive: &str, game: &str| top.join("drives").join(drive).join("skua").join(game);
    kept.set("", "Version", 1, "4.1");
    for (n, game) in GAMES.into_iter().enumerate() {
        let at = place("swift", game);
        fs::create_dir_all(at.join("bin")).unwrap();
        fs::write(at.join("bin").join("go.exe"), format!("MZ {n}")).unwrap();
        fs::write(at.join("data.pak"), vec![n as u8; 200_000 + n]).unwrap();
        let below = format!("\\Games\\{}", 1000 + n);
        kept.set(&below, "Title", 1, game);
        kept.set(&below, "Path", 1, at.to_str().unwrap());
        kept.set(&below, "Start", 2, &format!("\"{}\" -w", at.join("bin").join("go.exe").to_str().unwrap()));
        kept.set(&below, "Bytes", 4, &(200_004 + n).to_string());
    }
    let before = kept.all();
    let site = Site::of_world(&top).unwrap();

    let game = place("swift", GAMES[1]);
    let found = trace(&site, &game, &usual_places(&site, &game), &|_| {});
    assert!(found.finds.iter().any(|find| find.record.text.contains("Moor & Two")), "{:?}", found.finds);

    let learned = learn(&site, &[], &[], &|_| {}).launchers;
    let [launcher] = learned.as_slice() else { panic!("{learned:?}") };
    assert_eq!((&launcher.doubt, launcher.games.len()), (&None, GAMES.len()), "{}", launcher.profile);
    assert!(launcher.profile.contains("{registry}/HKEY_CURRENT_USER/Software/Skua"), "{}", launcher.profile);
    fs::create_dir_all(site.profile_folder()).unwrap();
    fs::write(site.profile_folder().join("skua.toml"), &launcher.profile).unwrap();
    let found = survey(&site, Vec::new(), &|_| {});
    let mut draft = Draft::default();
    for one in found.games.iter().filter(|one| one.found.install == game) {
        draft.send(one.id.clone(), Destination::Drive("newhold".into()));
    }
    let plan = plan_of(&site, &found, &draft, Policy::Hold);
    assert!(!plan.blocked() && plan.items.len() == 1, "{:?}", plan.findings);
    let journal = Journal::open(&site).unwrap().recover().unwrap().0;
    let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
    let id = haul.id();
    let end = haul.run(&|_| {}, &Control::default()).unwrap();
    assert!(!end.differs(), "{end:?}");
    let said = |keys: &[Key]| -> Vec<String> {
        let text = |value: &Value| {
            let units: Vec<u16> =
                value.data.chunks(2).map(|pair| u16::from_le_bytes([pair[0], *pair.get(1).unwrap_or(&0)])).collect();
            String::from_utf16_lossy(&units)
        };
        keys.iter()
            .flat_map(|key| {
                key.values.iter().map(move |value| format!("{:?} {:?} {}", key.below, value.name, text(value)))
            })
            .collect()
    };
    let (old, new) = (game.to_str().unwrap(), place("newhold", GAMES[1]));
    let moved: Vec<String> = said(&before).iter().map(|line| line.replace(old, new.to_str().unwrap())).collect();
    assert_eq!(said(&kept.all()), moved);
    assert!(Path::new(&new).join("data.pak").exists());
    undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
    assert_eq!(kept.all(), before);
    assert!(!PathBuf::from(&new).exists());
}
