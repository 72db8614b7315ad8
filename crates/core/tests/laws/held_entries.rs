//! Launchers whose list of libraries holds the entries of the games that lie in each: learned, moved by, undone.

use std::fs;
use std::path::PathBuf;

use deft_barge_core::haul::{Control, Haul, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::Journal;
use deft_barge_core::learn::{LearnedLauncher, learn};
use deft_barge_core::plan::{Destination, Draft, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::survey;

use crate::port::{declare, folder_in_memory};

/// How such a launcher writes.
#[derive(Clone, Copy, Debug)]
struct Way {
    format: &'static str,
    /// Whether entries say the whole path.
    whole: bool,
    /// Whether a library says how many games and bytes it has.
    counts: bool,
}

/// Code, folder, title.
const GAMES: [(&str, &str, &str); 6] = [
    ("k-11", "Fen", "Fen"),
    ("k-12", "moor-two", "Moor Two: Return"),
    ("k-13", "Öd land", "Öd & Co"),
    ("k-14", "Fen Two", "Fen Two"),
    ("k-15", "tarn", "Tarn"),
    ("k-16", "Gull Parade", "Gull <Parade>"),
];

/// The games of each library in the order in which they came.
type Order = [Vec<usize>; 3];

struct World {
    top: PathBuf,
    _folder: tempfile::TempDir,
    way: Way,
}

impl World {
    fn new(way: Way, order: &Order) -> Self {
        let folder = folder_in_memory();
        let top = folder.path().canonicalize().unwrap();
        declare(&top, &["swift", "newhold"]);
        let world = Self { top, _folder: folder, way };
        for (library, games) in world.libraries().iter().zip(order) {
            fs::create_dir_all(library).unwrap();
            for n in games {
                let at = library.join(GAMES[*n].1);
                fs::create_dir_all(at.join("bin")).unwrap();
                fs::write(at.join("bin/go"), format!("#!/bin/sh\n# {n}\n")).unwrap();
                fs::write(at.join("data.pak"), vec![*n as u8; 9000 + n]).unwrap();
            }
        }
        fs::create_dir_all(world.file().parent().unwrap()).unwrap();
        fs::write(world.file(), world.text(order)).unwrap();
        world
    }

    fn file(&self) -> PathBuf {
        let end = match self.way.format {
            "json" | "keyed" => "json",
            "nested" => "conf",
            other => other,
        };
        self.top.join("home/.local/share/petrel").join(format!("all.{end}"))
    }

    fn libraries(&self) -> [PathBuf; 3] {
        ["swift/games", "swift/more", "newhold/games"].map(|path| self.top.join("drives").join(path))
    }

    /// A library as a dictionary of a property list.
    fn dictionary(&self, path: &str, games: &[usize], (sum, count): (usize, usize)) -> String {
        let size = |n: &usize| Self::size(*n);
        let place = |n: usize| if self.way.whole { format!("{path}/{}", GAMES[n].1) } else { GAMES[n].1.to_string() };
        let game = |n: &usize| {
            let (code, _, title) = GAMES[*n];
            let title = title.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
            format!(
                "\n        <dict>\n          <key>code</key><string>{code}</string>\n          \
                 <key>title</key><string>{title}</string>\n          <key>at</key><string>{}</string>\n          \
                 <key>size</key><integer>{}</integer>\n        </dict>",
                place(*n),
                size(n)
            )
        };
        let all: String = games.iter().map(game).collect();
        let counts = if self.way.counts {
            format!(
                "\n      <key>bytes</key><integer>{sum}</integer>\n      <key>count</key><integer>{count}</integer>"
            )
        } else {
            String::new()
        };
        format!(
            "\n    <dict>\n      <key>path</key><string>{path}</string>{counts}\n      \
             <key>games</key>\n      <array>{all}\n      </array>\n    </dict>"
        )
    }

    fn size(n: usize) -> usize {
        9000 + n + format!("#!/bin/sh\n# {n}\n").len()
    }

    fn text(&self, order: &Order) -> String {
        let way = self.way;
        let size = |n: &usize| Self::size(*n);
        let paths = self.libraries().map(|path| path.to_str().unwrap().to_string());
        let library = |nth: usize| {
            let games = &order[nth];
            let (path, sum, count) = (&paths[nth], games.iter().map(size).sum::<usize>(), games.len());
            let place = |n: usize| if way.whole { format!("{path}/{}", GAMES[n].1) } else { GAMES[n].1.to_string() };
            match way.format {
                "json" | "keyed" => {
                    let game = |n: &usize| {
                        let (code, _, title) = GAMES[*n];
                        let says = format!("\"title\": \"{title}\", \"at\": \"{}\", \"size\": {}", place(*n), size(n));
                        let (open, key) = if way.format == "keyed" {
                            (format!("\"{code}\": {{ "), String::new())
                        } else {
                            ("{ ".to_string(), format!("\"code\": \"{code}\", "))
                        };
                        format!("\n      {open}{key}{says} }}")
                    };
                    let all: Vec<String> = games.iter().map(game).collect();
                    let counts = if way.counts {
                        format!("\n    \"bytes\": {sum},\n    \"count\": {count},")
                    } else {
                        String::new()
                    };
                    let (open, close) = if way.format == "keyed" { ("{", "}") } else { ("[", "]") };
                    let behind = if all.is_empty() { "" } else { "\n    " };
                    format!(
                        "\n  {{\n    \"path\": \"{path}\",{counts}\n    \"games\": {open}{}{behind}{close}\n  }}",
                        all.join(",")
                    )
                }
                "xml" => {
                    let game = |n: &usize| {
                        let (code, _, title) = GAMES[*n];
                        let title = title.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;");
                        format!(
                            "\n    <game code=\"{code}\" size=\"{}\" title=\"{title}\">\n      <at>{}</at>\n    </game>",
                            size(n),
                            place(*n)
                        )
                    };
                    let all: String = games.iter().map(game).collect();
                    let counts = if way.counts { format!(" bytes=\"{sum}\" count=\"{count}\"") } else { String::new() };
                    format!("\n  <library path=\"{path}\"{counts}>{all}\n  </library>")
                }
                "plist" => self.dictionary(path, games, (sum, count)),
                "yaml" => {
                    let game = |n: &usize| {
                        let (code, _, title) = GAMES[*n];
                        format!(
                            "\n    - code: {code}\n      title: '{title}'\n      at: '{}'\n      size: {}",
                            place(*n),
                            size(n)
                        )
                    };
                    let all: String = games.iter().map(game).collect();
                    let counts =
                        if way.counts { format!("\n    bytes: {sum}\n    count: {count}") } else { String::new() };
                    format!("\n  - path: {path}{counts}\n    games:{all}")
                }
                _ => {
                    let game = |n: &usize| {
                        let (code, _, title) = GAMES[*n];
                        format!(
                            "\n      {code} {{\n        title = \"{title}\"\n        at = \"{}\"\n        size = {}\n      }}",
                            place(*n),
                            size(n)
                        )
                    };
                    let all: String = games.iter().map(game).collect();
                    let counts =
                        if way.counts { format!("\n    bytes = {sum}\n    count = {count}") } else { String::new() };
                    format!("\n  {nth} {{\n    path = \"{path}\"{counts}\n    games {{{all}\n    }}\n  }}")
                }
            }
        };
        let all: Vec<String> = (0..3).map(library).collect();
        match way.format {
            "json" | "keyed" => format!("{{\"v\": 2, \"libraries\": [{}\n]}}\n", all.join(",")),
            "xml" => format!("<all v=\"2\">{}\n</all>\n", all.concat()),
            "plist" => format!(
                "<plist version=\"1.0\">\n<dict>\n  <key>v</key><integer>2</integer>\n  <key>libraries</key>\n  \
                 <array>{}\n  </array>\n</dict>\n</plist>\n",
                all.concat()
            ),
            "yaml" => format!("v: 2\nlibraries:{}\n", all.concat()),
            _ => format!("v = 2\nlibraries {{{}\n}}\n", all.concat()),
        }
    }

    fn judge(&self, order: &Order) -> Result<(), String> {
        // Where lines end is the writer's own affair.
        let plain = |text: &str| {
            text.split_whitespace().collect::<Vec<_>>().join(" ").replace("> <", "><").replace("{ }", "{}")
        };
        let (now, wanted) = (fs::read_to_string(self.file()).unwrap(), self.text(order));
        if plain(&now) == plain(&wanted) { Ok(()) } else { Err(format!("{now}\nnot\n{wanted}")) }
    }

    fn learned(&self) -> LearnedLauncher {
        let mut learned = learn(&Site::of_world(&self.top).unwrap(), &[], &[], &|_| {}).launchers;
        assert_eq!(learned.len(), 1, "{:?}: {learned:?}", self.way);
        learned.remove(0)
    }
}

fn ways() -> Vec<Way> {
    let formats = ["json", "keyed", "xml", "yaml", "nested", "plist"];
    let ways = formats
        .into_iter()
        .flat_map(|format| (0..4_u8).map(move |n| Way { format, whole: n & 1 != 0, counts: n & 2 != 0 }));
    ways.collect()
}

/// Where all games are, also where one library has none yet; a list of YAML with nothing in it has another form.
fn orders(way: Way) -> Vec<Order> {
    let full = [vec![0, 1, 2], vec![3, 4], vec![5]];
    let empty = [vec![0, 1, 2, 4], vec![3, 5], vec![]];
    if way.format == "yaml" { vec![full] } else { vec![full, empty] }
}

#[test]
fn entries_in_those_of_libraries_go_with_their_games_and_come_back() {
    for (way, mut order) in ways().into_iter().flat_map(|way| orders(way).into_iter().map(move |order| (way, order))) {
        let world = World::new(way, &order);
        let launcher = world.learned();
        assert_eq!(launcher.doubt, None, "{way:?} {order:?}\n{}", launcher.profile);
        assert!(launcher.profile.contains("says = \"entries\""), "{way:?}\n{}", launcher.profile);
        let site = Site::of_world(&world.top).unwrap();
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        // One, then two at once from one library, whose later entries stand elsewhere when they go.
        for (round, games) in [vec![0], vec![1, 2], vec![3]].into_iter().enumerate() {
            let found = survey(&site, Vec::new(), &|_| {});
            assert_eq!(found.games.len(), GAMES.len(), "{way:?}\n{}", launcher.profile);
            let (before, text) = (order.clone(), fs::read(world.file()).unwrap());
            let mut draft = Draft::default();
            for n in &games {
                let from = order.iter().position(|all| all.contains(n)).unwrap();
                let old = world.libraries()[from].join(GAMES[*n].1);
                let game = found.games.iter().find(|game| game.found.install == old);
                let game = game.unwrap_or_else(|| panic!("{way:?} {}: {:?}", old.display(), found.games));
                assert_eq!(game.found.library.as_deref(), Some(world.libraries()[from].as_path()), "{way:?}");
                draft.send(game.id.clone(), Destination::Drive("newhold".into()));
                order[from].retain(|one| one != n);
                order[2].push(*n);
            }
            let plan = plan(&site, &found, &draft, Policy::Hold);
            assert!(!plan.blocked(), "{way:?}: {:?}\n{}", plan.findings, launcher.profile);
            let mut haul = Haul::begin(&site, &journal, &plan).unwrap();
            let id = haul.id();
            haul.run(&|_| {}, &Control::default()).unwrap();
            world.judge(&order).unwrap_or_else(|why| panic!("{way:?}\n{}\n{why}", launcher.profile));
            if round < 2 {
                undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
                order = before;
                assert_eq!(fs::read(world.file()).unwrap(), text, "{way:?}, undone");
            }
        }
    }
}

/// What another program wrote into the file since a haul stays when the haul is undone.
#[test]
fn what_was_written_into_the_list_since_stays_when_an_entry_comes_back() {
    for way in ways().into_iter().filter(|way| way.counts) {
        let mut order = orders(way).remove(0);
        let world = World::new(way, &order);
        let launcher = world.learned();
        let site = Site::of_world(&world.top).unwrap();
        fs::create_dir_all(site.profile_folder()).unwrap();
        fs::write(site.profile_folder().join("petrel.toml"), &launcher.profile).unwrap();
        let journal = Journal::open(&site).unwrap().recover().unwrap().0;
        let found = survey(&site, Vec::new(), &|_| {});
        let game = found.games.iter().find(|game| game.found.install.ends_with("Fen")).unwrap();
        let mut draft = Draft::default();
        draft.send(game.id.clone(), Destination::Drive("newhold".into()));
        let mut haul = Haul::begin(&site, &journal, &plan(&site, &found, &draft, Policy::Hold)).unwrap();
        let id = haul.id();
        haul.run(&|_| {}, &Control::default()).unwrap();
        let now = fs::read_to_string(world.file()).unwrap();
        assert!(now.contains("Tarn"));
        fs::write(world.file(), now.replace("Tarn", "Tarn Again")).unwrap();
        undo_haul(&site, &journal, id, &|_| {}, &Control::default()).unwrap();
        order[0] = vec![1, 2, 0];
        let text = fs::read_to_string(world.file()).unwrap();
        assert!(text.contains("Tarn Again"), "{way:?}\n{text}");
        fs::write(world.file(), text.replace("Tarn Again", "Tarn")).unwrap();
        world.judge(&order).unwrap_or_else(|why| panic!("{way:?}\n{why}"));
    }
}
