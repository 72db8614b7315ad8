//! Settings of a game that lead to its user data.

use super::*;

#[test]
fn only_a_game_of_which_that_is_known_is_said_to_ask_again_for_what_it_had_open() {
    let house = House::new();
    let asks = |what: &str, way: Way| {
        let plan = planned(&house, what, "newhold", Some(way));
        let said = plan.findings.iter().filter_map(|finding| match &finding.kind {
            FindingKind::DataBySetting { asks_again, .. } => Some(*asks_again),
            _ => None,
        });
        said.collect::<Vec<_>>()
    };
    assert_eq!(asks("Orchard of Nine Bells: saves", Way::Setting), [true]);
    assert!(asks("Orchard of Nine Bells: saves", Way::Link).is_empty());
    // A profile that says no more than where the setting is.
    let profile = house.home().join(".config/deft-barge/profiles/quillgate.toml");
    let text = fs::read_to_string(&profile).unwrap();
    assert!(text.contains(", asks-again = true"));
    fs::write(profile, text.replace(", asks-again = true", "")).unwrap();
    assert_eq!(asks("Orchard of Nine Bells: saves", Way::Setting), [false]);
}

/// A setting that says where saves lie: its file, what it is relative to in the profile, and whether its text is relative.
struct Said {
    file: &'static str,
    relative_to: Option<&'static str>,
}

impl Said {
    /// The folder that its text is relative to.
    fn base(&self, home: &Path, install: &Path) -> PathBuf {
        match self.relative_to {
            Some("{install}") => install.into(),
            _ => self.file(home, install).parent().unwrap().into(),
        }
    }

    fn file(&self, home: &Path, install: &Path) -> PathBuf {
        match self.file.strip_prefix("{install}/") {
            Some(rest) => install.join(rest),
            None => home.join(self.file.strip_prefix("{user}/").unwrap()),
        }
    }

    /// The folder that a game which reads it would find its saves in.
    fn leads_to(&self, home: &Path, install: &Path) -> PathBuf {
        let text = fs::read_to_string(self.file(home, install)).unwrap();
        let text = text.split_once("saves = \"").unwrap().1.split_once('"').unwrap().0;
        assert!(!text.is_empty());
        assert_eq!(Path::new(text).is_relative(), self.relative_to.is_some(), "{text}");
        let folder = self.base(home, install).join(text);
        folder.canonicalize().unwrap_or_else(|e| panic!("{}: {e}", folder.display()))
    }
}

#[test]
fn a_setting_in_the_games_folder_or_relative_to_it_leads_to_the_saves_whichever_of_the_two_goes() {
    let ways = [
        Said { file: "{install}/own/settings.toml", relative_to: None },
        Said { file: "{install}/own/settings.toml", relative_to: Some("file") },
        Said { file: "{install}/own/settings.toml", relative_to: Some("{install}") },
        Said { file: "{user}/.config/beside/settings.toml", relative_to: Some("{install}") },
    ];
    for said in ways {
        let when = format!("{} relative to {:?}", said.file, said.relative_to);
        let house = House::new();
        let (home, site) = (house.home(), house.site());
        let game = deft_barge_core::survey::GameId("parlour-lamp/tidewright".into());
        let install = surveyed(&house).game(&game).unwrap().found.install.clone();
        let title = surveyed(&house).game(&game).unwrap().found.title.clone();
        // On the drive of the game: the way there is another one from each other drive.
        let saves = install.parent().unwrap().parent().unwrap().join("deep/saves of it");
        fs::create_dir_all(&saves).unwrap();
        fs::write(saves.join("one.sav"), b"a save").unwrap();
        let (file, base) = (said.file(&home, &install), said.base(&home, &install));
        fs::create_dir_all(file.parent().unwrap()).unwrap();
        fs::create_dir_all(&base).unwrap();
        let text = if said.relative_to.is_some() {
            let up: PathBuf = base.strip_prefix(house.folder()).unwrap().iter().map(|_| "..").collect();
            up.join(saves.strip_prefix(house.folder()).unwrap())
        } else {
            saves.clone()
        };
        fs::write(&file, format!("[folders]\nsaves = \"{}\"\n", text.display())).unwrap();
        let profile = site.profile_folder().join("parlour-lamp.toml");
        let relative = said.relative_to.map_or(String::new(), |to| format!(", relative-to = \"{to}\""));
        let more = format!(
            "\n[[user-data]]\nkind = \"saves\"\ngame = \"tidewright\"\nsetting = {{ file = \"{}\", selector = \"$.folders.saves\"{relative} }}\n",
            said.file
        );
        fs::write(&profile, fs::read_to_string(&profile).unwrap() + &more).unwrap();
        assert_eq!(said.leads_to(&home, &install), saves.canonicalize().unwrap(), "{when}");
        let what = format!("{title}: saves");
        let before = house.records();

        // The game goes and its saves stay; and back again, with the originals held and released.
        for released in [false, true] {
            let plan = planned(&house, &title, "newhold", None);
            assert!(!plan.blocked(), "{when}: {:?}", plan.findings);
            let haul = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
            assert_eq!(said.leads_to(&home, &plan.items[0].to), saves, "{when}");
            assert_eq!(data(&surveyed(&house), &what).place, saves, "{when}");
            if released {
                release(&house, haul);
            }
            house.give_back(haul);
            assert_eq!(said.leads_to(&home, &install), saves, "{when}: returned");
            same(&before, &house.records(), &when);
        }

        // The saves go and the game stays, then the game after them; all of it back.
        let plan = planned(&house, &what, "swift", Some(Way::Setting));
        assert!(!plan.blocked(), "{when}: {:?}", plan.findings);
        let there = plan.items[0].to.clone();
        let saves_went = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
        assert_eq!(said.leads_to(&home, &install), there, "{when}");
        release(&house, saves_went);
        let plan = planned(&house, &title, "newhold", None);
        let game_went = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
        assert_eq!(said.leads_to(&home, &plan.items[0].to), there, "{when}");
        house.give_back(game_went);
        assert_eq!(said.leads_to(&home, &install), there, "{when}");
        house.give_back(saves_went);
        assert_eq!(said.leads_to(&home, &install), saves, "{when}");
        same(&before, &house.records(), &when);

        // Both at once by the setting: it is refused with a reason; with a link left at the old place it is not.
        for way in [Way::Setting, Way::Link] {
            let survey = surveyed(&house);
            let mut draft = Draft::default();
            draft.send(game.clone(), Destination::Drive("newhold".into()));
            draft.send_by(data(&survey, &what).id.clone(), Destination::Drive("newhold".into()), Some(way));
            let plan = deft_barge_core::plan::plan(&site, &survey, &draft, Policy::Hold);
            let goes =
                |kind: &FindingKind| matches!(kind, FindingKind::SettingGoes { file: named, .. } if *named == file);
            let told = plan.findings.iter().any(|finding| goes(&finding.kind));
            assert_eq!(
                (plan.blocked(), told),
                (way == Way::Setting, way == Way::Setting),
                "{when}: {:?}",
                plan.findings
            );
            if way == Way::Link {
                let haul = house.haul(&plan, None).unwrap_or_else(|e| panic!("{when}: {e}"));
                let moved = plan.items.iter().find(|item| item.game == game).unwrap().to.clone();
                let lies = plan.items.iter().find(|item| item.game != game).unwrap().to.clone();
                assert_eq!(said.leads_to(&home, &moved), lies, "{when}");
                house.give_back(haul);
                assert_eq!(said.leads_to(&home, &install), saves, "{when}");
            }
        }
    }
}
