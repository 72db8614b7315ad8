//! Any sequence of hauls, adoptions, re-anchorings, settings aside and returns leaves every game playable and every byte there.

use std::collections::BTreeMap;
use std::fs;
use std::path::{Path, PathBuf};

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::{HaulRow, History, Journal, LogLine};
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan, plan};
use deft_barge_core::survey::{GameId, Survey, survey};
use deft_barge_harbor::launchers::{Launcher, saves_of};
use deft_barge_harbor::quillgate::Judgement;
use deft_barge_harbor::world::STRAY;

use crate::around::files;
use crate::house::House;

const PLAYED: [(Launcher, &str); 7] = [
    (Launcher::Quillgate, "quillgate/qg-0107"),
    (Launcher::Quillgate, "quillgate/qg-0095"),
    (Launcher::Ninepin, "ninepin/np-03"),
    (Launcher::ParlourLamp, "parlour-lamp/tidewright"),
    (Launcher::FathomRow, "fathom-row/fr-34"),
    (Launcher::Tolliver, "tolliver/tv-11"),
    (Launcher::Wickerbox, "wickerbox/wb-01"),
];
const DATA: [&str; 2] = ["data/parlour-lamp/pale-signal/mods", "data/quillgate/qg-0112/saves"];

/// Numbers from a seed: `SplitMix64` (Steele, Lea, Flood, 2014).
struct Numbers(u64);

impl Numbers {
    fn below(&mut self, most: usize) -> usize {
        self.0 = self.0.wrapping_add(0x9e37_79b9_7f4a_7c15);
        let mut z = self.0;
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) % most as u64) as usize
    }

    fn one_of<T: Copy>(&mut self, all: &[T]) -> T {
        all[self.below(all.len())]
    }
}

type Bytes = BTreeMap<PathBuf, Vec<u8>>;

struct Sailing {
    house: House,
    games: BTreeMap<String, Bytes>,
    data: BTreeMap<&'static str, Bytes>,
    stray: Bytes,
    log: Vec<String>,
}

fn bytes(folder: &Path) -> Bytes {
    // A launcher's own file in a game says where it is: that changes.
    let all = files(folder).into_iter().filter(|(path, _)| !path.ends_with("tolliver.ini"));
    all.map(|(path, (_, bytes))| (path, bytes)).collect()
}

impl Sailing {
    fn begin() -> Self {
        let house = House::new();
        house.site().remember_drives().unwrap();
        let stray = bytes(&crate::adopting::stray(&house));
        let mut sailing = Self { house, games: BTreeMap::new(), data: BTreeMap::new(), stray, log: Vec::new() };
        let survey = sailing.survey();
        for (_, id) in PLAYED {
            sailing.games.insert(id.into(), bytes(&survey.game(&GameId(id.into())).unwrap().found.install));
        }
        for id in DATA {
            sailing.data.insert(id, bytes(&survey.data(&GameId(id.into())).unwrap().place));
        }
        sailing
    }

    fn survey(&self) -> Survey {
        let site = self.house.site();
        survey(&site, History::of(&site).unwrap().held(&site), &|_| {})
    }

    /// Hauls a plan if nothing stands in its way.
    fn haul(&mut self, what: String, plan: &Plan) {
        if plan.blocked() || plan.items.is_empty() {
            return self.log.push(format!("{what}: refused, {:?}", plan.findings.first().map(|f| &f.kind)));
        }
        let site = self.house.site();
        let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
        let result = Haul::begin(&site, &journal, plan).and_then(|mut haul| haul.run(&|_| {}, &Control::default()));
        self.log.push(format!("{what}: {}", result.as_ref().map_or_else(ToString::to_string, |_| "done".into())));
        if let (Err(_), Some(row)) = (&result, journal.hauls().unwrap().into_iter().find(HaulRow::unfinished)) {
            undo_haul(&site, &journal, row.id, &|_| {}, &Control::default()).unwrap();
        }
    }

    fn send(&mut self, numbers: &mut Numbers, id: &str) {
        let to = numbers.one_of(&["swift", "cellar", "pocket", "newhold"]);
        let policy = numbers.one_of(&[Policy::Hold, Policy::Release]);
        let survey = self.survey();
        let mut draft = Draft { letters: MakeLetters::Yes, ..Draft::default() };
        draft.send(GameId(id.into()), Destination::Drive(to.into()));
        let plan = plan(&self.house.site(), &survey, &draft, policy);
        self.haul(format!("{id} to {to}, {policy:?}"), &plan);
    }

    fn step(&mut self, numbers: &mut Numbers) {
        match numbers.below(10) {
            0..=3 => {
                let (_, id) = numbers.one_of(&PLAYED);
                self.send(numbers, id);
            }
            4 => {
                let id = numbers.one_of(&DATA);
                self.send(numbers, id);
            }
            5 => {
                let site = self.house.site();
                let to = numbers.one_of(&[None, Some("newhold"), Some("swift")]);
                let found = site.drives.iter().map(|drive| drive.root.join("quillgate").join(STRAY.folder));
                if let Some(path) = found.into_iter().find(|path| path.is_dir()) {
                    let wish = deft_barge_core::plan::Import {
                        path,
                        launcher: "quillgate".into(),
                        id: STRAY.id.into(),
                        title: None,
                        program: None,
                        to: to.map(str::to_string),
                    };
                    let plan = crate::adopting::planned(&self.house, &wish);
                    self.haul(format!("adopt, to {to:?}"), &plan);
                }
            }
            6 => {
                let name = numbers.one_of(&["swift", "cellar", "pocket", "newhold"]);
                let site = self.house.site();
                let root = site.find_drive(name).unwrap().root.clone();
                let from = root.strip_prefix(self.house.folder()).unwrap().to_str().unwrap().to_string();
                let to = format!("mnt{}/{name}{}", numbers.below(1000), numbers.below(1000));
                let (old, new) = crate::anchors::mount_elsewhere(&self.house, &from, &to);
                let plan = crate::anchors::planned(&self.house, &old, &new);
                self.haul(format!("{name} from {from} to {to}"), &plan);
            }
            _ => {
                let site = self.house.site();
                let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
                let hauls = journal.hauls().unwrap();
                // A drive that was re-anchored stays where it is: it lies there now.
                let may = |row: &&HaulRow| {
                    row.returns.is_none() && row.items.iter().all(|item| !item.planned.game.0.starts_with("anchor/"))
                };
                let may: Vec<_> = hauls.iter().filter(may).collect();
                if let Some(row) = (!may.is_empty()).then(|| may[numbers.below(may.len())]) {
                    let result = undo_haul(&site, &journal, row.id, &|_| {}, &Control::default());
                    self.log.push(format!("return {}: {:?}", row.id, result.map_err(|e| e.to_string())));
                    let open = journal.hauls().unwrap().into_iter().find(HaulRow::unfinished);
                    assert!(open.is_none(), "{:#?}", self.log);
                }
            }
        }
    }

    /// What a start reads of the log says the same as all of it.
    fn check_log(&self) {
        let site = self.house.site();
        let (all, recent) = (History::of(&site).unwrap(), History::recent(&site).unwrap());
        let paths = |history: &History| history.held(&site).into_iter().map(|held| held.path).collect::<Vec<_>>();
        assert_eq!(paths(&all), paths(&recent), "{:#?}", self.log);
        assert_eq!(all.lines, recent.lines);
        for (haul, line) in all.hauls.iter().zip(&all.lines) {
            let mut line = line.clone();
            line.proved = None;
            assert_eq!(line, LogLine::from(haul));
            // Beside the newest ones, all that anything is still to be done about are read whole.
            let rests = haul.items.iter().all(|item| item.stage.at_rest() && !item.holds_originals());
            assert!(rests || recent.haul(haul.id).is_some(), "{}: {:#?}", haul.id, self.log);
        }
    }

    /// Every game is where its launcher looks, with every byte; so is user data; and the stray is one or a game.
    fn check(&self) {
        let survey = self.survey();
        self.check_log();
        for (launcher, id) in PLAYED {
            let name = id.split_once('/').unwrap().1;
            let judged = launcher.judge(&launcher.home(&self.house.home()), name);
            assert!(judged.as_ref().is_ok_and(Judgement::content), "{id}: {judged:?}\n{:#?}", self.log);
            let game = survey.game(&GameId(id.into())).unwrap_or_else(|| panic!("{id} is gone\n{:#?}", self.log));
            assert!(bytes(&game.found.install) == self.games[id], "{id}\n{:#?}", self.log);
        }
        for id in DATA {
            let data = survey.data(&GameId(id.into())).unwrap_or_else(|| panic!("{id} is gone\n{:#?}", self.log));
            assert!(bytes(&data.path) == self.data[id], "{id}\n{:#?}", self.log);
        }
        assert_eq!(saves_of(&self.house.home(), "orchard").unwrap(), ["bells.sav"], "{:#?}", self.log);
        let adopted = survey.game(&GameId(format!("quillgate/{}", STRAY.id)));
        let drives = self.house.site().drives;
        let strays = drives.iter().map(|drive| drive.root.join("quillgate").join(STRAY.folder));
        let mut places = adopted.map(|game| game.found.install.clone()).into_iter().chain(strays);
        assert!(places.any(|place| place.is_dir() && bytes(&place) == self.stray), "{:#?}", self.log);
    }
}

#[test]
fn any_sequence_of_acts_leaves_every_game_playable_and_every_byte_there() {
    let mut done = 0;
    for seed in 1..=6 {
        let mut numbers = Numbers(seed);
        let mut sailing = Sailing::begin();
        for _ in 0..14 {
            sailing.step(&mut numbers);
            sailing.check();
        }
        done += sailing.log.iter().filter(|line| line.ends_with("done") || line.contains("Ok(")).count();
        fs::remove_dir_all(sailing.house.folder()).unwrap();
    }
    assert!(done > 30, "{done} of 84 acts were done: too few to say anything");
}
