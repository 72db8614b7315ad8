//! What lies around the games of the demo: user data, shortcuts, links, and what somebody left lying about.

use std::path::Path;

use serde_json::{Value, json};

use super::bytes::{file, text};
use super::games::{Build, GAMES, plain, small, write as write_game};
use super::quillgate::pretty;
use super::{MEGABYTE, Result, Scale, link};
use crate::system::{CONFIG, DATA, DESKTOP_ENTRIES, START, start_of, written};

/// A game of Quillgate's that no ledger names: its content list is there, and so are its files.
pub const STRAY: Build = small(plain("qg-0171", "Harbour of Small Hours", "small-hours", "cellar", ""));

/// The game of which an old copy lies about.
pub const LEFT: &str = "qg-0140";

pub(super) fn write(drives: &Path, home: &Path, seed: u64, scale: Scale) -> Result<()> {
    user_data(home, seed, scale)?;
    if DESKTOP_ENTRIES {
        shortcuts(drives, home)?;
    }
    let regatta = drives.join("cellar/quillgate/glasswing");
    link(&regatta, &home.join("regatta"))?;
    link(Path::new("../../drives/swift/quillgate/saltflat-rally/data"), &home.join("Documents/rally-files"))?;
    link(&drives.join("cellar/saves/old-harbour"), &home.join(DATA).join("old-harbour"))?;
    // A ledger lost it; the files and the content list stayed.
    let install = drives.join("cellar/quillgate").join(STRAY.folder);
    let parts = write_game(&STRAY, &install, seed, scale)?;
    let parts: Vec<Value> = parts.iter().map(|p| json!({ "path": p.path, "size": p.size, "sha1": p.sha1 })).collect();
    let contents = json!({ "title": STRAY.id, "name": STRAY.title, "start": START, "parts": parts });
    text(&home.join(CONFIG).join("quillgate").join("contents").join(format!("{}.json", STRAY.id)), &pretty(&contents))?;
    portable(drives, home, seed, scale)?;
    // Somebody moved a game by hand and never let go of the old copy.
    if let Some(left) = GAMES.iter().find(|game| game.id == LEFT) {
        write_game(left, &drives.join("pocket/old games").join(left.folder), seed, scale)?;
    }
    Ok(())
}

/// The game of the portable launcher.
const CARRIED: Build = small(plain("wb-01", "Tern Island", "tern-island", "pocket", ""));

/// A launcher that lies on the stick with all that it knows.
fn portable(drives: &Path, home: &Path, seed: u64, scale: Scale) -> Result<()> {
    let own = drives.join("pocket/wickerbox");
    let install = own.join("games").join(CARRIED.folder);
    let parts = write_game(&CARRIED, &install, seed, scale)?;
    let bytes: u64 = parts.iter().map(|part| part.size).sum();
    let title = json!({
        "id": CARRIED.id,
        "name": CARRIED.title,
        "folder": format!("games/{}", CARRIED.folder),
        "program": start_of(&install),
        "bytes": bytes,
    });
    text(&own.join("box.json"), &pretty(&json!({ "box": 1, "titles": [title] })))?;
    text(&own.join("runtime/weave.dat"), "over, under\n")?;
    text(&own.join("setup/weave-player.run"), "#!/bin/sh\necho installs the weave player\n")?;
    link(&own, &home.join(DATA).join("wickerbox"))
}

fn user_data(home: &Path, seed: u64, scale: Scale) -> Result<()> {
    let data = home.join(DATA);
    text(
        &home.join(CONFIG).join("user-dirs.dirs"),
        "# Written by xdg-user-dirs-update\nXDG_DESKTOP_DIR=\"$HOME/Desktop\"\nXDG_DOCUMENTS_DIR=\"$HOME/Documents\"\n",
    )?;
    // In the documents, as many games do.
    let rally = home.join("Documents/My Games/Saltflat Rally");
    text(&rally.join("career.sav"), "stage 14, 2 of 5 tyres left\n")?;
    file(&rally.join("replays/ghost.bin"), seed ^ 0xb, scale.of(2 * MEGABYTE))?;
    // Where the game's own setting says.
    let saves = data.join("orchard-saves");
    text(&saves.join("bells.sav"), "nine bells, eight rung\n")?;
    let settings = format!(
        "# Orchard of Nine Bells\n[sound]\nbells = 9\n\n[folders]\nsaves = {} # absolute\n",
        Value::from(written(&saves))
    );
    text(&home.join(CONFIG).join("orchard").join("settings.toml"), &settings)?;
    // Larger than the game itself.
    file(&data.join("pale-signal/mods/choir.pak"), seed ^ 0xc, scale.of(9 * MEGABYTE))?;
    file(&data.join("pale-signal/mods/static/noise.pak"), seed ^ 0xd, scale.of(5 * MEGABYTE)).map(drop)
}

fn shortcuts(drives: &Path, home: &Path) -> Result<()> {
    let entry = |name: &str, exec: &str, path: &Path| {
        format!(
            "[Desktop Entry]\nType=Application\nName={name}\nExec={exec}\nPath={}\nIcon={}/data/pack00.bin\n",
            path.display(),
            path.display()
        )
    };
    let rally = drives.join("swift/quillgate/saltflat-rally");
    let exec = format!("\"{}/{START}\" --window", rally.display());
    text(&home.join("Desktop/Saltflat Rally.desktop"), &entry("Saltflat Rally", &exec, &rally))?;
    let weather = drives.join("swift/fathom/small-weather");
    let exec = format!("env TURNS=3 {}/{START} --quiet", weather.display());
    text(&home.join(CONFIG).join("autostart/small-weather.desktop"), &entry("Small Weather", &exec, &weather))
}
