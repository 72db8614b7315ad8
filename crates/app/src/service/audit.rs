//! `audit` and `start`: what became of games since, and whether they come up.

use std::path::{Path, PathBuf};
use std::time::Duration;

use deft_barge_core::audit::{
    Audit, AuditPhase, Fate, KeptChecksums, Repaired, audit as audit_game, keep, kept_checksums, mend, other_copies,
};
use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::haul::{Control, HaulError, StartError, command_of, start_game};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::site::{Sight, Site};
use deft_barge_core::survey::{Game, Survey};
use serde_json::{Value, json};

use super::chart::write_out;
use super::progress::Passing;
use super::sink::Sink;
use super::wish::{find_game, survey_site};
use crate::present::{Fault, Kind, count, line, path as shown, shell_word, to_json, words};
use crate::request::{Auditing, Out, Pace};

/// `audit`
pub fn audit(site: &Site, wish: &Auditing, sink: &Sink) -> Result<u8, Fault> {
    let (survey, _) = survey_site(site, sink);
    let (journal, _) = Journal::open(site)?.recover()?;
    let games = meant(site, &survey, &wish.what)?;
    let stop = sink.stop(Pace::default())?;
    let (mut documents, mut sound, mut audited) = (Vec::new(), true, 0);
    for game in games {
        let (title, folder) = (line(&game.found.title), game.found.install.clone());
        let passing = Passing::new(sink);
        let report = |phase: AuditPhase| passing.show(|| format!("{title}: read {} of {}", phase.read, phase.all));
        if wish.keep {
            let kept = keep(site, &game.id, &folder, &report, &stop).map_err(|error| not_kept(&title, error))?;
            drop(passing);
            audited += 1;
            documents.push(say_kept(game, &kept, sink)?);
            continue;
        }
        let Some(kept) = kept_checksums(site, &journal, &game.id, &folder)? else {
            documents.push(json!({ "game": game.id, "title": game.found.title, "kept": null }));
            if !sink.is_json() && !wish.what.is_empty() {
                let game = shell_word(&game.id.0);
                sink.say(&format!("{title}   no checksums yet; keep some with: deft-barge audit --keep {game}"))?;
            }
            continue;
        };
        audited += 1;
        let mut found = audit_game(&site.disk, &kept, &folder, &report, &stop)?;
        let mut mended = Vec::new();
        if wish.repair && !found.sound() {
            (mended, found) = repaired(site, &survey, game, &kept, found, wish, (&stop, sink))?;
            for mended in mended.iter().filter(|mended| mended.from.is_some()) {
                let said = format!("{}: {}", game.found.title, mended.path.display());
                journal.say(HaulId(0), None, deft_barge_core::journal::EventKind::Repaired, &said)?;
            }
        }
        drop(passing);
        sound &= found.sound();
        documents.push(document(game, &kept, &found, &mended)?);
        if !sink.is_json() {
            print(&title, &kept, &found, &mended, sink)?;
        }
    }
    if sink.is_json() {
        sink.document("audit", json!({ "sound": sound, "games": documents }))?;
    } else if audited == 0 && wish.what.is_empty() {
        sink.say("No checksums yet. Keep a game's with: deft-barge audit --keep GAME")?;
    }
    Ok(if sound { 0 } else { 4 })
}

fn not_kept(title: &str, error: HaulError) -> Fault {
    let why = Fault::from(error);
    Fault::new(Kind::Failed, format!("Couldn't keep checksums of {title}. {}", why.sentence), "Older ones stay.")
}

/// Says that a game's checksums were kept, and gives its part of the document.
fn say_kept(game: &Game, kept: &KeptChecksums, sink: &Sink) -> Result<Value, Fault> {
    if !sink.is_json() {
        let files = words::several(kept.lines.len(), "file");
        sink.say(&format!("{}   checksums of {files} kept", line(&game.found.title)))?;
    }
    Ok(json!({ "game": game.id, "title": game.found.title, "kept": kept.made, "files": kept.lines.len() }))
}

/// Brings what is damaged from other copies, notes that in the log, and looks once more.
fn repaired(
    site: &Site,
    survey: &Survey,
    game: &Game,
    kept: &KeptChecksums,
    found: Audit,
    wish: &Auditing,
    (stop, sink): (&Control, &Sink),
) -> Result<(Vec<Repaired>, Audit), Fault> {
    if survey.launcher(&game.launcher).is_some_and(|launcher| !launcher.running.is_empty()) {
        let sentence = format!("The launcher of {} is running.", game.found.title);
        return Err(Fault::new(Kind::Refused, sentence, "Close it, then repair."));
    }
    let mut copies: Vec<std::path::PathBuf> = Vec::new();
    for from in &wish.from {
        copies.push(std::path::absolute(from).unwrap_or_else(|_| from.clone()));
    }
    let leftovers = super::cleanup::found(site, survey, sink).into_iter().filter_map(|find| match &find.what {
        deft_barge_core::survey::FindKind::OldCopy { of, .. } if *of == game.id => Some(find.path),
        _ => None,
    });
    copies.extend(leftovers);
    let copies = other_copies(survey, &History::of(site)?, &game.id, &copies);
    let folder = &game.found.install;
    let mended = mend(site, kept, folder, &found.findings, &copies, stop)?;
    let again = audit_game(&site.disk, kept, folder, &|_| {}, stop)?;
    Ok((mended, again))
}

/// The games that words mean: games, or drives with all their games; all that can be audited without words.
fn meant<'a>(site: &Site, survey: &'a Survey, words: &[String]) -> Result<Vec<&'a Game>, Fault> {
    let sound = |game: &&Game| game.fault().is_none();
    if words.is_empty() {
        return Ok(survey.games.iter().filter(sound).collect());
    }
    let mut games: Vec<&Game> = Vec::new();
    for word in words {
        if let Some(drive) = site.find_drive(word) {
            let on_it = |game: &&Game| game.drive.as_ref() == Some(&drive.name);
            games.extend(survey.games.iter().filter(sound).filter(on_it));
            continue;
        }
        let game = find_game(survey, word)?;
        if let Some(fault) = game.fault() {
            let sentence = format!("Couldn't audit {}: {}.", game.found.title, words::place_fault(fault));
            return Err(Fault::new(Kind::Refused, sentence, ""));
        }
        games.push(game);
    }
    Ok(games)
}

fn document(game: &Game, kept: &KeptChecksums, found: &Audit, mended: &[Repaired]) -> Result<Value, Fault> {
    let mut value = to_json(found)?;
    value["game"] = to_json(&game.id)?;
    value["title"] = game.found.title.clone().into();
    value["kept"] = to_json(&kept.made)?;
    value["origin"] = to_json(&kept.origin)?;
    value["sound"] = found.sound().into();
    value["repaired"] = to_json(&mended)?;
    Ok(value)
}

fn fate(fate: Fate) -> &'static str {
    match fate {
        Fate::Damaged => "damaged",
        Fate::Missing => "missing",
        Fate::Changed => "written since",
        Fate::New => "new",
    }
}

fn print(title: &str, kept: &KeptChecksums, found: &Audit, mended: &[Repaired], sink: &Sink) -> Result<(), Fault> {
    sink.say(&format!(
        "{title}   same {}, damaged {}, missing {}, written since {}, new {}   ({}, kept {})",
        count(found.same),
        count(found.count(Fate::Damaged)),
        count(found.count(Fate::Missing)),
        count(found.count(Fate::Changed)),
        count(found.count(Fate::New)),
        found.bytes,
        words::moment(kept.made)
    ))?;
    for mended in mended {
        match &mended.from {
            Some(from) => sink.say(&format!("  repaired {} from {}", shown(&mended.path), shown(from)))?,
            None => {
                sink.say(&format!("  lost    {}: no other copy has the bytes that were kept", shown(&mended.path)))?;
            }
        }
    }
    for finding in found.findings.iter().take(20) {
        let why = finding.why.as_ref().map_or_else(String::new, |why| format!(" ({})", line(why)));
        sink.say(&format!("  {:14}{}{why}", fate(finding.fate), shown(&finding.path)))?;
    }
    if found.findings.len() > 20 {
        sink.say(&format!("  and {} more; all of them with --json", count(found.findings.len() as u64 - 20)))?;
    }
    Ok(())
}

/// `start`
pub fn launch(site: &Site, word: &str, program: Option<&str>, wait: u64, sink: &Sink) -> Result<u8, Fault> {
    let (survey, _) = survey_site(site, sink);
    let game = find_game(&survey, word)?;
    let (journal, _) = Journal::open(site)?.recover()?;
    let failed = |error: StartError| Fault::of_start(&game.found.title, &error);
    let command = command_of(site, &survey, game, program).map_err(failed)?;
    let stop = sink.stop(Pace::default())?;
    let started = start_game(site, &journal, game, &command, Duration::from_secs(wait), &stop).map_err(failed)?;
    if sink.is_json() {
        sink.document(
            "launch",
            json!({ "game": game.id, "command": started.command, "process": to_json(&started.process)? }),
        )?;
    } else {
        sink.say(&format!("started   {}", line(&started.command.join(" "))))?;
        match &started.process {
            Some(process) => {
                let from = match &process.why {
                    Sight::Uses(path) | Sight::InLayer(path) => shown(path),
                    Sight::Named => String::new(),
                };
                sink.say(&format!("came up   {} (process {}) from {from}", line(&process.name), process.pid))?;
            }
            None => sink.say(&format!("No process from {} appeared within {wait} s.", shown(&game.found.install)))?,
        }
    }
    Ok(if started.process.is_some() { 0 } else { 4 })
}

/// Writes the checksums of a haul's items, or of one of them, to a file; of several items to a file each, named after their games.
/// Gives the files and the number of their lines. A file that is there is not overwritten.
pub fn export_checksums(
    site: &Site,
    haul: HaulId,
    only: Option<ItemId>,
    path: &Path,
) -> Result<Vec<(PathBuf, usize)>, Fault> {
    let (journal, _) = Journal::open(site)?.recover()?;
    let row = journal.haul(haul)?.ok_or_else(|| Fault::usage(format!("No haul has the number {haul}."), ""))?;
    let items: Vec<_> = row.items.iter().filter(|item| only.is_none_or(|only| item.id == only)).collect();
    let mut written = Vec::new();
    for item in &items {
        let Some(kept) = kept_checksums(site, &journal, &item.planned.game, item.planned.place())? else { continue };
        let file = if items.len() == 1 { path.into() } else { beside(path, &item.planned.title) };
        let text = kept.checksums();
        write_out(&Out { out: file.clone(), overwrite: false }, text.as_bytes())?;
        written.push((file, text.lines().count()));
    }
    if written.is_empty() {
        return Err(Fault::usage("No checksums of that.", "Only what was copied and verified has checksums."));
    }
    Ok(written)
}

/// The name of a file with a title in it, before its ending.
fn beside(path: &Path, title: &str) -> PathBuf {
    let plain: String = title.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let stem = path.file_stem().unwrap_or_default().to_string_lossy();
    let ending = path.extension().map_or_else(String::new, |ending| format!(".{}", ending.to_string_lossy()));
    path.with_file_name(format!("{stem}-{}{ending}", plain.to_lowercase()))
}
