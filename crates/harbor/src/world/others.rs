//! What the other launchers keep in the demo: Ninepin, Parlour Lamp, Fathom Row, Tolliver, and a game of none.

use std::fs;
use std::path::{Path, PathBuf};

use rusqlite::{Connection, params};
use serde_json::json;

use super::bytes::text;
use super::games::{Build, plain, small, write as write_game};
use super::{Result, Scale, WorldError, failed, link};
use crate::launchers::pieces;
use crate::system::{Berth, CONFIG, DATA, DESKTOP_ENTRIES, lettered, make_letters, start_of, write_berths, written};

/// The profiles of these launchers, by file name.
pub(super) const PROFILES: [(&str, &str); 6] = [
    ("wickerbox.toml", include_str!("wickerbox.toml")),
    ("ninepin.toml", include_str!("ninepin.toml")),
    ("parlour-lamp.toml", include_str!("parlour-lamp.toml")),
    ("fathom-row.toml", include_str!("fathom-row.toml")),
    ("tolliver.toml", include_str!("tolliver.toml")),
    ("entries.toml", include_str!("entries.toml")),
];

const NINEPIN: [Build; 2] = [
    small(plain("np-03", "Hexwood Couriers", "hexwood", "cellar", "2026-03-02T21:15:00Z")),
    small(plain("np-08", "Underhill Threshers", "Underhill Threshers", "swift", "2026-04-19T09:00:00Z")),
];
const PARLOUR: [Build; 2] = [
    small(plain("pale-signal", "Pale Signal", "pale-signal", "swift", "2026-05-30T23:10:00Z")),
    small(plain("tidewright", "Tidewright", "Tidewright", "cellar", "2025-10-08T18:00:00Z")),
];
const FATHOM: [Build; 2] = [
    small(plain("fr-21", "The Quiet Foundry", "quiet foundry", "cellar", "2026-01-14T20:00:00Z")),
    small(plain("fr-34", "Ministry of Small Weather", "small-weather", "swift", "2026-06-10T07:30:00Z")),
];
const TOLLIVER: [Build; 2] = [
    small(plain("tv-11", "Gull Parliament", "gull-parliament", "swift", "2026-05-01T16:20:00Z")),
    Build {
        sealed: Some("its licence is bound to this folder"),
        ..small(plain("tv-12", "Nine Tin Lanterns", "nine-tin", "pocket", "2025-09-09T11:00:00Z"))
    },
];
const LOOSE: Build = small(plain("paper-estuary", "Paper Estuary", "paper-estuary", "swift", ""));

/// How many games these are.
pub(super) const COUNT: usize = 9;

/// Bytes of a piece of Parlour Lamp's lists.
const PIECE: usize = 262_144;

struct Writing<'a> {
    drives: &'a Path,
    home: &'a Path,
    seed: u64,
    scale: Scale,
    report: &'a dyn Fn(usize),
    done: usize,
}

pub(super) fn write(drives: &Path, home: &Path, seed: u64, scale: Scale, report: &dyn Fn(usize)) -> Result<()> {
    let mut writing = Writing { drives, home, seed, scale, report, done: 0 };
    writing.ninepin()?;
    writing.parlour_lamp()?;
    writing.fathom_row()?;
    writing.tolliver()?;
    writing.loose()
}

impl Writing<'_> {
    /// Writes a game's files; gives its folder, its files and their bytes.
    fn game(&mut self, build: &Build, folder: &str) -> Result<(PathBuf, Vec<String>, u64)> {
        (self.report)(self.done);
        self.done += 1;
        let install = self.drives.join(build.drive).join(folder).join(build.folder);
        let parts = write_game(build, &install, self.seed, self.scale)?;
        let bytes = parts.iter().map(|part| part.size).sum();
        Ok((install, parts.into_iter().map(|part| part.path).collect(), bytes))
    }

    fn ninepin(&mut self) -> Result<()> {
        let own = self.home.join(CONFIG).join("ninepin");
        let letters = [("cellar", 'D', "d"), ("swift", 'E', "e")];
        let drives = letters.map(|(drive, _, low)| (low, self.drives.join(drive)));
        make_letters(&own.join("layer"), &drives).map_err(failed(&own))?;
        let mut lanes = String::from("# Ninepin's lanes. Do not edit while it runs.\r\n");
        let mut starts = String::from("# path of the program: what is known of it\n");
        for build in &NINEPIN {
            let (_, _, bytes) = self.game(build, "ninepin")?;
            let letter = letters.iter().find(|(drive, ..)| *drive == build.drive).map_or('C', |(_, letter, _)| *letter);
            let top = lettered(letter, &self.drives.join(build.drive));
            let base = top.replace('\\', "/");
            lanes.push_str(&format!(
                "\r\n[lanes.{}]\r\nname = \"{}\"\r\nbase = \"{base}/ninepin/\" # where its room is\r\nroom = '{}'\r\nbytes = {bytes}\r\nran = \"{}\"\r\n",
                build.id, build.title, build.folder, build.last
            ));
            let program = start_of(&Path::new("ninepin").join(build.folder)).to_string_lossy().replace('/', "\\");
            let program = format!("{top}\\{program}");
            starts.push_str(&format!("'{program}': {{lane: {}, runs: 12}}\n", build.id));
        }
        text(&own.join("lanes.toml"), &lanes)?;
        text(&own.join("starts.yaml"), &starts)
    }

    fn parlour_lamp(&mut self) -> Result<()> {
        let own = self.home.join(DATA).join("parlour-lamp");
        let file = own.join("lamp.db");
        fs::create_dir_all(&own).map_err(failed(&own))?;
        let fault =
            |error: rusqlite::Error| WorldError::Write { path: file.clone(), source: std::io::Error::other(error) };
        let db = Connection::open(&file).map_err(fault)?;
        db.execute_batch(
            "create table lit(key text primary key, title text not null, path text not null, bytes integer not null,
               version text not null, seen integer, extra text not null);
             create table words(word text, says text); insert into words values('written by', 'Parlour Lamp 11');",
        )
        .map_err(fault)?;
        for build in &PARLOUR {
            let (install, files, bytes) = self.game(build, "lamp")?;
            let extra = json!({ "folder": install, "program": start_of(&install), "tags": ["played"] });
            let seen = build.last.parse::<jiff::Timestamp>().map_or(0, jiff::Timestamp::as_second);
            let path = install.to_string_lossy();
            db.execute(
                "insert into lit values(?1, ?2, ?3, ?4, '1.0.7', ?5, ?6)",
                params![build.id, build.title, path, bytes as i64, seen, extra.to_string()],
            )
            .map_err(fault)?;
            let mut items = Vec::new();
            for path in files {
                let at = install.join(&path);
                let bytes = fs::read(&at).map_err(failed(&at))?;
                items.push(json!({ "path": path, "size": bytes.len(), "pieces": pieces(&bytes, PIECE) }));
            }
            let list = json!({ "key": build.id, "title": build.title, "piece": PIECE, "files": items });
            text(&own.join("lists").join(format!("{}.json", build.id)), &(list.to_string() + "\n"))?;
        }
        Ok(())
    }

    fn fathom_row(&mut self) -> Result<()> {
        let own = self.home.join(CONFIG).join("fathom-row");
        fs::create_dir_all(&own).map_err(failed(&own))?;
        make_letters(&own.join("layer"), &[("z", "/".into())]).map_err(failed(&own))?;
        let mut berths = Vec::new();
        for build in &FATHOM {
            let (install, _, bytes) = self.game(build, "fathom")?;
            berths.push(Berth {
                code: build.id.into(),
                title: build.title.into(),
                folder: written(&install),
                program: written(&start_of(&install)),
                bytes,
            });
        }
        write_berths(self.home, &berths).map_err(failed(&own))
    }

    fn tolliver(&mut self) -> Result<()> {
        let place = |drive: &str| written(&self.drives.join(drive).join("tolliver"));
        let (fast, stick) = (place("swift"), place("pocket"));
        let mut shelf = format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!-- Tolliver's shelf -->\n<tolliver version=\"2\" new-titles=\"{fast}\">\n  <place at=\"{fast}\" caption=\"Front\"/>\n  <place at=\"{stick}\" caption=\"Stick\"/>\n"
        );
        for build in &TOLLIVER {
            let (install, _, bytes) = self.game(build, "tolliver")?;
            let at = written(&install);
            let bound = build.sealed.map(|why| format!(" bound=\"{why}\"")).unwrap_or_default();
            shelf.push_str(&format!(
                "  <title id=\"{}\" name=\"{}\" at=\"{at}\" bytes=\"{bytes}\" ran=\"{}\"{bound}/>\n",
                build.id, build.title, build.last
            ));
            let own = format!(
                "; written by Tolliver\r\n[title]\r\nid = {}\r\nfolder = {at}\r\nprogram = {}\r\nlanguage = en\r\n",
                build.id,
                written(&start_of(&install))
            );
            text(&install.join("tolliver.ini"), &own)?;
        }
        text(&self.home.join(CONFIG).join("tolliver").join("shelf.xml"), &(shelf + "</tolliver>\n"))
    }

    fn loose(&mut self) -> Result<()> {
        let (install, ..) = self.game(&LOOSE, "games")?;
        let at = written(&install);
        let program = written(&start_of(&install));
        let entry = format!(
            "[Desktop Entry]\nType=Application\nName={}\nCategories=Game;\nExec={program} --window %U\nPath={at}\nIcon={at}/data/pack00.bin\n",
            LOOSE.title
        );
        if DESKTOP_ENTRIES {
            text(&self.home.join(DATA).join("applications/paper-estuary.desktop"), &entry)?;
        }
        let saves = self.drives.join("cellar/saves/paper-estuary");
        text(&saves.join("first.save"), "turn 12\n")?;
        link(&saves, &self.home.join(DATA).join("paper-estuary"))
    }
}
