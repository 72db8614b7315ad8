//! `export`: lists that other programs read. Format: `docs/formats.md`, "Exports".

use std::path::{Path, PathBuf};

use deft_barge_core::audit::{AuditPhase, kept_checksums, sha256_sums};
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use serde_json::json;

use super::chart::{free_in_home, write_out};
use super::cleanup::found;
use super::progress::Passing;
use super::sink::Sink;
use super::tables;
use super::tables::Table;
use super::wish::{find_game, plan_wish, survey_site};
use crate::present::{Fault, line, path as shown, shell_word, words};
use crate::request::{ExportWhat, Out, Pace};

/// `export`
pub fn export(site: &Site, what: &ExportWhat, sink: &Sink) -> Result<u8, Fault> {
    let (table, out) = match what {
        ExportWhat::Checksums { game, out } => return checksums(site, game, out, sink),
        ExportWhat::Games { out } => (of_survey(site, out, tables::games, sink)?, out),
        ExportWhat::Drives { out } => (of_survey(site, out, tables::drives, sink)?, out),
        ExportWhat::Libraries { out } => (of_survey(site, out, tables::libraries, sink)?, out),
        ExportWhat::Data { out } => (of_survey(site, out, tables::data, sink)?, out),
        ExportWhat::Records { out } => (of_survey(site, out, tables::records, sink)?, out),
        ExportWhat::Cleanup { out } => {
            (of_survey(site, out, |survey| tables::finds(&found(site, survey, sink)), sink)?, out)
        }
        ExportWhat::Plan { wish, out } => {
            ending(&out.out)?;
            let (mut survey, fault) = survey_site(site, sink);
            if let Some(fault) = fault {
                return Err(fault);
            }
            (tables::items(&plan_wish(site, &mut survey, wish, sink)?), out)
        }
        ExportWhat::Proofs { out } => (ending(&out.out).and_then(|_| Ok(tables::proofs(&History::of(site)?)))?, out),
        ExportWhat::Log { out } => (ending(&out.out).and_then(|_| Ok(tables::log(&History::of(site)?)))?, out),
    };
    put(&table, out)?;
    told(&table, out, sink)
}

/// A table of what there is now; what cannot be written is said before anything is looked at. A journal that cannot be read keeps
/// nobody from it.
fn of_survey(site: &Site, out: &Out, table: impl Fn(&Survey) -> Table, sink: &Sink) -> Result<Table, Fault> {
    ending(&out.out)?;
    Ok(table(&survey_site(site, sink).0))
}

/// Writes a table as its file's ending says.
fn put(table: &Table, out: &Out) -> Result<(), Fault> {
    let bytes = match ending(&out.out)? {
        Ending::Csv => table.csv()?,
        Ending::Json => table.json(),
    };
    write_out(out, &bytes)
}

/// Writes a table as CSV into the home folder, under a name that is not there yet; gives the file and the number of its rows.
pub fn put_table_in_home(site: &Site, table: &Table) -> Result<(PathBuf, usize), Fault> {
    let out = free_in_home(site, table.kind, "csv")?;
    put(table, &Out { out: out.clone(), overwrite: false })?;
    Ok((out, table.rows.len()))
}

fn told(table: &Table, out: &Out, sink: &Sink) -> Result<u8, Fault> {
    let rows = table.rows.len();
    if sink.is_json() {
        sink.document("export", json!({ "what": table.kind, "rows": rows, "file": out.out }))?;
    } else {
        sink.say(&format!("{} in {}.", words::plural(rows, "line is", "lines are"), shown(&out.out)))?;
    }
    Ok(0)
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Ending {
    Csv,
    Json,
}

fn is_ending(path: &Path, ending: &str) -> bool {
    path.extension().is_some_and(|own| own.to_string_lossy().eq_ignore_ascii_case(ending))
}

fn ending(path: &Path) -> Result<Ending, Fault> {
    match (is_ending(path, "csv"), is_ending(path, "json")) {
        (true, _) => Ok(Ending::Csv),
        (_, true) => Ok(Ending::Json),
        _ => Err(Fault::usage(
            format!("{} has no ending that says its format.", shown(path)),
            "End its name with .csv or .json.",
        )),
    }
}

fn checksums(site: &Site, word: &str, out: &Out, sink: &Sink) -> Result<u8, Fault> {
    let sha256 = is_ending(&out.out, "sha256");
    if !sha256 && !is_ending(&out.out, "b3") {
        let sentence = format!("{} has no ending that says which checksums.", shown(&out.out));
        return Err(Fault::usage(sentence, "End its name with .b3 or .sha256."));
    }
    let (survey, _) = survey_site(site, sink);
    let game = find_game(&survey, word)?;
    let (title, folder) = (line(&game.found.title), &game.found.install);
    let (journal, _) = Journal::open(site)?.recover()?;
    let kept = kept_checksums(site, &journal, &game.id, folder)?.ok_or_else(|| {
        let now = format!("Keep some with: deft-barge audit --keep {}", shell_word(&game.id.0));
        Fault::usage(format!("No checksums of {title} yet."), now)
    })?;
    let (text, differ) = if sha256 {
        let stop = sink.stop(Pace::default())?;
        let passing = Passing::new(sink);
        let report = |phase: AuditPhase| passing.show(|| format!("{title}: read {} of {}", phase.read, phase.all));
        let sums = sha256_sums(&site.disk, &kept, folder, &report, &stop)?;
        (sums.text, sums.differ)
    } else {
        (kept.checksums(), Vec::new())
    };
    let lines = text.lines().count();
    write_out(out, text.as_bytes())?;
    let program = if sha256 { "sha256sum" } else { "b3sum" };
    if sink.is_json() {
        sink.document("export", json!({ "what": "checksums", "rows": lines, "differ": differ, "file": out.out }))?;
    } else {
        sink.say(&format!("{} in {}.", words::plural(lines, "checksum is", "checksums are"), shown(&out.out)))?;
        for path in &differ {
            sink.say(&format!("  left out  {} (it has changed since)", shown(path)))?;
        }
        sink.say(&format!("Check them in {} with: {program} -c FILE", shown(folder)))?;
    }
    Ok(if differ.is_empty() { 0 } else { 4 })
}
