//! What lies around the games: user data, shortcuts, links; and the person's own list of user data.

use std::fs;
use std::path::{Path, absolute};

use deft_barge_core::launcher::{DataKind, Problem};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{GameId, ListedData, Survey, UserData, list_file, read_list};
use serde_json::json;

use super::sink::Sink;
use super::wish::{find_game, survey_site};
use crate::present::{Fault, Kind, line, pad, path as shown, to_json, words};
use crate::request::{DataAct, Kind as What};

/// `data`
pub fn data(site: &Site, act: &DataAct, sink: &Sink) -> Result<u8, Fault> {
    match act {
        DataAct::List => list(site, sink),
        DataAct::Add { game, path, kind } => add(site, game, path, *kind, sink),
        DataAct::Forget { path } => forget(site, path, sink),
    }
}

/// `data add`
fn add(site: &Site, game: &str, path: &Path, kind: What, sink: &Sink) -> Result<u8, Fault> {
    let (survey, _) = survey_site(site, sink);
    let game = find_game(&survey, game)?;
    let path = absolute(path).map_err(|e| Fault::usage(format!("Couldn't find {}: {e}.", path.display()), ""))?;
    let kind = match kind {
        What::Saves => DataKind::Saves,
        What::Mods => DataKind::Mods,
        What::Screenshots => DataKind::Screenshots,
        What::Content => DataKind::Content,
    };
    if path.symlink_metadata().is_err() {
        return Err(Fault::usage(
            format!("{} doesn't exist.", path.display()),
            "Name the folder that contains the user data.",
        ));
    }
    let mut listed = listed(site)?;
    listed.retain(|other| other.path != path);
    listed.push(ListedData { game: game.id.clone(), kind, path: path.clone() });
    write(site, &listed)?;
    // What it would be is looked at at once: a folder that cannot be one is said so here.
    let (survey, _) = survey_site(site, sink);
    let seen = survey.user_data.iter().find(|data| data.path == path);
    if sink.is_json() {
        return sink.document("data", json!({ "listed": listed, "seen": seen })).map(|()| 0);
    }
    sink.say(&format!("listed    {} as {} of {}", shown(&path), words::data_kind(kind), line(&game.found.title)))?;
    match seen {
        Some(data) => sink.say(&data_line(&survey, data))?,
        None => {
            sink.say("It is inside a known folder, or contains one; nothing is counted twice.")?;
        }
    }
    Ok(0)
}

/// `data forget`
fn forget(site: &Site, path: &Path, sink: &Sink) -> Result<u8, Fault> {
    let whole = absolute(path).unwrap_or_else(|_| path.to_path_buf());
    let mut listed = listed(site)?;
    let before = listed.len();
    listed.retain(|other| other.path != whole);
    if listed.len() == before {
        let sentence = format!("{} is not on the list.", whole.display());
        return Err(Fault::usage(sentence, "See the list with: deft-barge data list"));
    }
    write(site, &listed)?;
    if sink.is_json() {
        return sink.document("data", json!({ "listed": listed })).map(|()| 0);
    }
    sink.say(&format!("removed {} from the list; the folder stays", shown(&whole)))?;
    Ok(0)
}

fn listed(site: &Site) -> Result<Vec<ListedData>, Fault> {
    read_list(site).map_err(|Problem { file, what, .. }| {
        let sentence = format!("Couldn't read {}: {}.", file.display(), what.trim_end());
        Fault::new(Kind::Failed, sentence, "Correct or remove that file. Nothing changed.")
    })
}

fn write(site: &Site, listed: &[ListedData]) -> Result<(), Fault> {
    let file = list_file(site);
    let failed =
        |error: std::io::Error| Fault::new(Kind::Failed, format!("Couldn't write {}: {error}.", file.display()), "");
    let folder = file.parent().unwrap_or(Path::new("/"));
    fs::create_dir_all(folder).map_err(failed)?;
    let fresh = file.with_extension("toml.new");
    fs::write(&fresh, deft_barge_core::survey::list_text(listed))
        .and_then(|()| fs::rename(&fresh, &file))
        .map_err(failed)
}

fn list(site: &Site, sink: &Sink) -> Result<u8, Fault> {
    let (survey, fault) = survey_site(site, sink);
    if sink.is_json() {
        let mut value = json!({});
        value["user_data"] = to_json(&survey.user_data)?;
        value["shortcuts"] = to_json(&survey.shortcuts)?;
        value["links"] = to_json(&survey.links)?;
        sink.document("data", value)?;
    } else {
        sink.say(&list_text(&survey))?;
    }
    Ok(fault.map_or(0, |fault| fault.code()))
}

fn list_text(survey: &Survey) -> String {
    let mut out: Vec<String> = survey.user_data.iter().map(|data| data_line(survey, data)).collect();
    if out.is_empty() {
        out.push("No user data found. Add a folder with: deft-barge data add GAME FOLDER".into());
    }
    for shortcut in &survey.shortcuts {
        let title = survey.game(&shortcut.game).map_or(shortcut.game.0.as_str(), |game| game.found.title.as_str());
        let stays = if shortcut.writable { "" } else { "   can't be changed here" };
        out.push(format!(
            "shortcut  {} {}   {}{stays}",
            pad(&line(title), 28),
            words::scope(shortcut.scope),
            shown(&shortcut.file)
        ));
    }
    for link in &survey.links {
        let title =
            |id: &Option<GameId>| id.as_ref().and_then(|id| survey.game(id)).map(|game| line(&game.found.title));
        let leaves = title(&link.out_of).map(|title| format!("out of {title}"));
        let title = title(&link.into).or(leaves).unwrap_or_default();
        let dead = if link.alive { "" } else { "   nothing is there" };
        out.push(format!("link      {} {} > {}{dead}", pad(&title, 28), shown(&link.path), shown(&link.leads_to)));
    }
    out.join("\n")
}

/// A line on user data: what, where, how large, whether behind a link, and how it can go.
pub(crate) fn data_line(survey: &Survey, data: &UserData) -> String {
    let game = data.game.as_ref().and_then(|id| survey.game(id));
    let larger = game.is_some_and(|game| data.size.on_disk > game.size.on_disk);
    let larger = if larger { ", larger than the game itself" } else { "" };
    let behind = if data.link.is_some() { format!("   behind the link {}", shown(&data.path)) } else { String::new() };
    let ways: Vec<&str> = data.ways.iter().map(|way| words::way_words(*way)).collect();
    let how = match &data.fault {
        Some(fault) => format!("can't go: {}", words::place_fault(fault)),
        None if ways.is_empty() => "can't go: no way known".into(),
        None => format!("can go {}", ways.join(", or ")),
    };
    format!(
        "data      {} {} {:>10} {:>11}{larger}   {}{behind}   {}",
        pad(&line(&data.title), 36),
        pad(data.drive.as_deref().unwrap_or(words::NO_DRIVE), 10),
        data.size.on_disk,
        words::several(data.size.files, "file"),
        shown(&data.place),
        line(&how)
    )
}
