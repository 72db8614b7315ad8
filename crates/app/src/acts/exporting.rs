//! `export`: lists that other programs read. Format: `docs/formats.md`, "Exports".

use std::path::Path;

use deft_barge_core::audit::{AuditPhase, kept_tally, sha256_sums};
use deft_barge_core::haul::{HaulRow, History, Journal, LotRow};
use deft_barge_core::plan::Plan;
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use serde_json::{Value, json};

use super::charting::write_out;
use super::{find_game, plan_wish, stop_on_signals, survey_site};
use crate::arguments::{ExportWhat, Out, Pace};
use crate::fault::{Fault, Kind};
use crate::progress::Passing;
use crate::show::{line, path as shown, say, say_json};
use crate::wording::plural;

/// A table: the names of its columns, and its rows.
struct Table {
    kind: &'static str,
    columns: &'static [&'static str],
    rows: Vec<Vec<Value>>,
}

/// `export`
pub fn export(site: &Site, what: &ExportWhat, json: bool) -> Result<u8, Fault> {
    let (table, out) = match what {
        ExportWhat::Checksums { game, out } => return checksums(site, game, out, json),
        ExportWhat::Games { out } => (ending(&out.out).map(|_| games(&survey_site(site).0))?, out),
        ExportWhat::Plan { wish, out } => {
            ending(&out.out)?;
            let (mut survey, fault) = survey_site(site);
            if let Some(fault) = fault {
                return Err(fault);
            }
            (lots_of(&plan_wish(site, &mut survey, wish)?), out)
        }
        ExportWhat::Proofs { out } => (ending(&out.out).and_then(|_| Ok(proofs(&History::of(site)?)))?, out),
        ExportWhat::Log { out } => (ending(&out.out).and_then(|_| Ok(log(&History::of(site)?)))?, out),
    };
    let bytes = match ending(&out.out)? {
        Ending::Csv => csv_of(&table)?,
        Ending::Json => json_of(&table),
    };
    write_out(out, &bytes)?;
    told(&table, out, json)
}

fn told(table: &Table, out: &Out, json: bool) -> Result<u8, Fault> {
    let rows = table.rows.len();
    if json {
        say_json("export", json!({ "what": table.kind, "rows": rows, "file": out.out }))?;
    } else {
        say(&format!("{} in {}.", plural(rows, "line is", "lines are"), shown(&out.out)))?;
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
            format!("{} does not say what it should be.", shown(path)),
            "Let its name end with .csv or .json.",
        )),
    }
}

/// Comma-separated values as RFC 4180 has them.
fn csv_of(table: &Table) -> Result<Vec<u8>, Fault> {
    let failed = |error: csv::Error| Fault::new(Kind::Failed, format!("The table cannot be written: {error}."), "");
    let mut writer = csv::WriterBuilder::new().terminator(csv::Terminator::CRLF).from_writer(Vec::new());
    writer.write_record(table.columns).map_err(failed)?;
    for row in &table.rows {
        let cells = row.iter().map(|value| match value {
            Value::Null => String::new(),
            Value::String(text) => text.clone(),
            other => other.to_string(),
        });
        writer.write_record(cells).map_err(failed)?;
    }
    writer.into_inner().map_err(|error| Fault::new(Kind::Failed, format!("The table cannot be written: {error}."), ""))
}

fn json_of(table: &Table) -> Vec<u8> {
    let rows: Vec<Value> = table
        .rows
        .iter()
        .map(|row| {
            let fields = table.columns.iter().zip(row).map(|(name, value)| ((*name).to_string(), value.clone()));
            Value::Object(fields.collect())
        })
        .collect();
    let mut text =
        serde_json::to_string_pretty(&json!({ "format": 1, "kind": table.kind, "rows": rows })).unwrap_or_default();
    text.push('\n');
    text.into_bytes()
}

fn games(survey: &Survey) -> Table {
    let row = |game: &deft_barge_core::survey::Game| {
        let launcher = survey.launcher(&game.launcher).map(|launcher| launcher.name.clone());
        vec![
            json!(game.id),
            json!(game.found.title),
            json!(launcher),
            json!(game.drive),
            json!(game.found.install.to_string_lossy()),
            json!(game.size.on_disk.count()),
            json!(game.size.apparent.count()),
            json!(game.size.files),
            json!(game.found.claim.map(deft_barge_core::bytes::Bytes::count)),
            json!(game.found.last_run),
            json!(game.update().is_some()),
            json!(game.found.sealed),
            json!(game.fault().map(crate::wording::place_fault)),
        ]
    };
    Table {
        kind: "games",
        columns: &[
            "id",
            "title",
            "launcher",
            "drive",
            "install",
            "on_disk",
            "apparent",
            "files",
            "claim",
            "last_run",
            "update_waits",
            "sealed",
            "fault",
        ],
        rows: survey.games.iter().map(row).collect(),
    }
}

fn lots_of(plan: &Plan) -> Table {
    let row = |(n, lot): (usize, &deft_barge_core::plan::PlannedLot)| {
        let time = plan.timing.lots.get(n);
        vec![
            json!(n + 1),
            json!(lot.title),
            json!(lot.launcher_name),
            json!(lot.from_drive),
            json!(lot.to_drive),
            json!(lot.source().to_string_lossy()),
            json!(lot.to.to_string_lossy()),
            json!(lot.size.on_disk.count()),
            json!(lot.size.files),
            json!(lot.previews.len()),
            json!(time.map(|time| time.span.low.as_secs_f64())),
            json!(time.map(|time| time.span.high.as_secs_f64())),
        ]
    };
    Table {
        kind: "plan",
        columns: &[
            "nth",
            "title",
            "launcher",
            "from_drive",
            "to_drive",
            "from",
            "to",
            "on_disk",
            "files",
            "changes",
            "seconds_at_least",
            "seconds_at_most",
        ],
        rows: plan.lots.iter().enumerate().map(row).collect(),
    }
}

fn all_lots(history: &History) -> impl Iterator<Item = (&HaulRow, &LotRow)> {
    history.hauls.iter().flat_map(|haul| haul.lots.iter().map(move |lot| (haul, lot)))
}

fn proofs(history: &History) -> Table {
    let row = |(haul, lot): (&HaulRow, &LotRow)| {
        let proof = lot.proof.as_ref()?;
        Some(vec![
            json!(haul.id),
            json!(lot.planned.title),
            json!(proof.install.to_string_lossy()),
            json!(proof.holds()),
            json!(proof.files),
            json!(proof.bytes.count()),
            json!(proof.differ),
            json!(proof.missing),
            json!(proof.extra),
            json!(proof.to_download.map(deft_barge_core::bytes::Bytes::count)),
            json!(proof.read),
            json!(proof.records_lead_here),
        ])
    };
    Table {
        kind: "proofs",
        columns: &[
            "haul",
            "title",
            "install",
            "holds",
            "files",
            "bytes",
            "differ",
            "missing",
            "extra",
            "to_download",
            "every_byte_read",
            "records_lead_here",
        ],
        rows: all_lots(history).filter_map(row).collect(),
    }
}

fn log(history: &History) -> Table {
    let row = |(haul, lot): (&HaulRow, &LotRow)| {
        vec![
            json!(haul.id),
            json!(haul.made),
            json!(haul.returns),
            json!(lot.planned.title),
            json!(lot.planned.from_drive),
            json!(lot.planned.to_drive),
            json!(lot.planned.origin().to_string_lossy()),
            json!(lot.planned.place().to_string_lossy()),
            json!(lot.planned.size.on_disk.count()),
            json!(lot.planned.size.files),
            json!(lot.stage.word()),
            json!(lot.holds_originals()),
            json!(lot.error),
        ]
    };
    Table {
        kind: "log",
        columns: &[
            "haul",
            "made",
            "returns",
            "title",
            "from_drive",
            "to_drive",
            "from",
            "to",
            "on_disk",
            "files",
            "stage",
            "holds_originals",
            "error",
        ],
        rows: all_lots(history).map(row).collect(),
    }
}

fn checksums(site: &Site, word: &str, out: &Out, json: bool) -> Result<u8, Fault> {
    let sha256 = is_ending(&out.out, "sha256");
    if !sha256 && !is_ending(&out.out, "b3") {
        let sentence = format!("{} does not say which checksums.", shown(&out.out));
        return Err(Fault::usage(sentence, "Let its name end with .b3 or .sha256."));
    }
    let (survey, _) = survey_site(site);
    let game = find_game(&survey, word)?;
    let (title, folder) = (line(&game.found.title), &game.found.install);
    let (journal, _) = Journal::open(site)?.recover()?;
    let kept = kept_tally(site, &journal, &game.id, folder)?.ok_or_else(|| {
        let now = format!("Take one with: deft-barge audit --keep {}", line(&game.id.0));
        Fault::usage(format!("No tally is kept of {title}."), now)
    })?;
    let (text, differ) = if sha256 {
        let stop = stop_on_signals(Pace::default())?;
        let passing = Passing::new();
        let report = |phase: AuditPhase| passing.show(|| format!("{title}: read {} of {}", phase.read, phase.all));
        let sums = sha256_sums(&site.disk, &kept, folder, &report, &stop)?;
        (sums.text, sums.differ)
    } else {
        (kept.checksums(), Vec::new())
    };
    let lines = text.lines().count();
    write_out(out, text.as_bytes())?;
    let program = if sha256 { "sha256sum" } else { "b3sum" };
    if json {
        say_json("export", json!({ "what": "checksums", "rows": lines, "differ": differ, "file": out.out }))?;
    } else {
        say(&format!("{} in {}.", plural(lines, "checksum is", "checksums are"), shown(&out.out)))?;
        for path in &differ {
            say(&format!("  left out  {} (it is not what was kept)", shown(path)))?;
        }
        say(&format!("From within {}: {program} -c FILE", shown(folder)))?;
    }
    Ok(if differ.is_empty() { 0 } else { 4 })
}
