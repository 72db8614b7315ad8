//! What the other launchers keep in the demo: Ninepin, Parlour Lamp, Fathom Row, Tolliver, and a game of none.

use std::fs;
use std::os::unix::fs::symlink;
use std::path::{Path, PathBuf};

use rusqlite::{Connection, params};
use serde_json::json;

use super::bytes::text;
use super::games::{Build, START, plain, small, write as write_game};
use super::{Result, Scale, WorldError, failed};
use crate::launchers::pieces;

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

fn link(target: &Path, at: &Path) -> Result<()> {
    fs::create_dir_all(at.parent().unwrap_or(at)).map_err(failed(at))?;
    symlink(target, at).map_err(failed(at))
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
        let own = self.home.join(".config/ninepin");
        let letters = [("cellar", 'D'), ("swift", 'E')];
        fs::create_dir_all(own.join("layer/drive_c")).map_err(failed(&own))?;
        link(Path::new("../drive_c"), &own.join("layer/dosdevices/c:"))?;
        for (drive, letter) in letters {
            link(&self.drives.join(drive), &own.join(format!("layer/dosdevices/{}:", letter.to_ascii_lowercase())))?;
        }
        let mut lanes = String::from("# Ninepin's lanes. Do not edit while it runs.\r\n");
        let mut starts = String::from("# path of the program: what is known of it\n");
        for build in &NINEPIN {
            let (_, _, bytes) = self.game(build, "ninepin")?;
            let letter = letters.iter().find(|(drive, _)| *drive == build.drive).map_or('C', |(_, letter)| *letter);
            lanes.push_str(&format!(
                "\r\n[lanes.{}]\r\nname = \"{}\"\r\nbase = \"{letter}:/ninepin/\" # where its room is\r\nroom = '{}'\r\nbytes = {bytes}\r\nran = \"{}\"\r\n",
                build.id, build.title, build.folder, build.last
            ));
            let program = format!("{letter}:\\ninepin\\{}\\bin\\start", build.folder);
            starts.push_str(&format!("'{program}': {{lane: {}, runs: 12}}\n", build.id));
        }
        text(&own.join("lanes.toml"), &lanes)?;
        text(&own.join("starts.yaml"), &starts)
    }

    fn parlour_lamp(&mut self) -> Result<()> {
        let own = self.home.join(".local/share/parlour-lamp");
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
            let extra = json!({ "folder": install, "program": install.join(START), "tags": ["played"] });
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
        let layer = self.home.join(".config/fathom-row/layer");
        fs::create_dir_all(layer.join("drive_c")).map_err(failed(&layer))?;
        link(Path::new("../drive_c"), &layer.join("dosdevices/c:"))?;
        link(Path::new("/"), &layer.join("dosdevices/z:"))?;
        let mut hive = String::from(
            "WINE REGISTRY Version 2\n;; All keys relative to \\\\User\\\\S-1-5-21-0-0-0-1000\n\n#arch=win64\n",
        );
        hive.push_str("\n[Software\\\\Drift \\x26 Daughters] 1767000000\n#time=1dc2a3b4c5d6e70\n@=\"Undertow Bay\"\n\"Rows\"=dword:00000002\n");
        for build in &FATHOM {
            let (install, _, bytes) = self.game(build, "fathom")?;
            let path = format!("Z:{}", install.to_string_lossy()).replace('/', "\\\\");
            hive.push_str(&format!(
                "\n[Software\\\\Drift \\x26 Daughters\\\\Undertow\\\\{}] 1767000001\n#time=1dc2a3b4c5d6e71\n\"Code\"=\"{0}\"\n\"Title\"=\"{}\"\n\"Berth\"=\"{path}\"\n\"Program\"=str(2):\"{path}\\\\bin\\\\start\"\n\"Bytes\"=dword:{bytes:08x}\n",
                build.id, build.title
            ));
        }
        text(&layer.join("user.reg"), &hive)
    }

    fn tolliver(&mut self) -> Result<()> {
        let place = |drive: &str| self.drives.join(drive).join("tolliver").to_string_lossy().into_owned();
        let (fast, stick) = (place("swift"), place("pocket"));
        let mut shelf = format!(
            "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n<!-- Tolliver's shelf -->\n<tolliver version=\"2\" new-titles=\"{fast}\">\n  <place at=\"{fast}\" caption=\"Front\"/>\n  <place at=\"{stick}\" caption=\"Stick\"/>\n"
        );
        for build in &TOLLIVER {
            let (install, _, bytes) = self.game(build, "tolliver")?;
            let at = install.to_string_lossy();
            let bound = build.sealed.map(|why| format!(" bound=\"{why}\"")).unwrap_or_default();
            shelf.push_str(&format!(
                "  <title id=\"{}\" name=\"{}\" at=\"{at}\" bytes=\"{bytes}\" ran=\"{}\"{bound}/>\n",
                build.id, build.title, build.last
            ));
            let own = format!(
                "; written by Tolliver\r\n[title]\r\nid = {}\r\nfolder = {at}\r\nprogram = {at}/{START}\r\nlanguage = en\r\n",
                build.id
            );
            text(&install.join("tolliver.ini"), &own)?;
        }
        text(&self.home.join(".config/tolliver/shelf.xml"), &(shelf + "</tolliver>\n"))
    }

    fn loose(&mut self) -> Result<()> {
        let (install, ..) = self.game(&LOOSE, "games")?;
        let at = install.to_string_lossy();
        let entry = format!(
            "[Desktop Entry]\nType=Application\nName={}\nCategories=Game;\nExec={at}/{START} --window %U\nPath={at}\nIcon={at}/data/pack00.bin\n",
            LOOSE.title
        );
        text(&self.home.join(".local/share/applications/paper-estuary.desktop"), &entry)?;
        let saves = self.drives.join("cellar/saves/paper-estuary");
        text(&saves.join("first.save"), "turn 12\n")?;
        link(&saves, &self.home.join(".local/share/paper-estuary"))
    }
}
