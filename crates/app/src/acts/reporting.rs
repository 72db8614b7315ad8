//! `report`: what a haul was, as text, or as PDF with drawings.

use std::path::Path;
use std::time::Duration;

use deft_barge_charts::{Drawing, Weight, book, cargo, history as months, text_pages};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::haul::{HaulRow, History, LotRow, Stage};
use deft_barge_core::plan::{Mode, Preview};
use deft_barge_core::site::Site;
use jiff::Timestamp;
use serde_json::json;

use super::charting::write_out;
use super::survey_site;
use crate::arguments::Out;
use crate::fault::{Fault, Kind};
use crate::show::{count, line, path as shown, say, say_json};
use crate::wording;

/// `report`
pub fn report(site: &Site, haul: Option<i64>, out: Option<&Path>, overwrite: bool, json: bool) -> Result<u8, Fault> {
    let history = History::of(site)?;
    let found = match haul {
        Some(number) => history.hauls.iter().find(|row| row.id.0 == number),
        None => history.hauls.first(),
    };
    let row = found.ok_or_else(|| {
        let sentence =
            haul.map_or("Nothing was hauled yet.".to_string(), |number| format!("There is no haul {number}."));
        Fault::usage(sentence, "See: deft-barge log")
    })?;
    let lines = lines(&history, row);
    let text: String = lines.iter().map(|(weight, text)| as_text(*weight, text)).collect();
    let text = text.trim_start().to_string();
    let Some(path) = out else {
        if json {
            return say_json("report", json!({ "haul": row.id, "text": text })).map(|()| 0);
        }
        return say(text.trim_end()).map(|()| 0);
    };
    let out = Out { out: path.into(), overwrite };
    let ending = path.extension().map(|ending| ending.to_string_lossy().to_lowercase());
    let bytes = match ending.as_deref() {
        Some("txt") => text.into_bytes(),
        Some("pdf") => {
            let mut pages = text_pages(&title(row), row.made, lines.get(1..).unwrap_or_default());
            pages.extend(drawings(site, &history, row));
            book(&pages).map_err(|error| Fault::new(Kind::Failed, format!("No PDF was made: {error}."), ""))?
        }
        _ => {
            let sentence = format!("{} does not say what it should be.", shown(path));
            return Err(Fault::usage(sentence, "Let its name end with .txt or .pdf."));
        }
    };
    write_out(&out, &bytes)?;
    if json {
        say_json("report", json!({ "haul": row.id, "file": path }))?;
    } else {
        say(&format!("The report of haul {} is in {}.", row.id, shown(path)))?;
    }
    Ok(0)
}

fn title(row: &HaulRow) -> String {
    format!("Haul {}: {}", row.id, wording::haul_state(row))
}

fn as_text(weight: Weight, text: &str) -> String {
    match weight {
        Weight::Heading => format!("\n{text}\n"),
        Weight::Text => format!("{text}\n"),
        Weight::Aside => format!("    {text}\n"),
    }
}

/// What lies now on each drive that the haul went to, and the months.
fn drawings(site: &Site, history: &History, row: &HaulRow) -> Vec<Drawing> {
    let (survey, _) = survey_site(site);
    let mut drives: Vec<&str> = row.lots.iter().map(|lot| lot.planned.to_drive.as_str()).collect();
    drives.sort_unstable();
    drives.dedup();
    let cargo = drives.into_iter().filter_map(|drive| cargo(&survey, drive));
    cargo.chain([months(history, survey.made)]).collect()
}

fn date(at: Timestamp) -> String {
    at.strftime("%Y-%m-%d %H:%M:%S UTC").to_string()
}

/// The lines of a report, in their order.
fn lines(history: &History, row: &HaulRow) -> Vec<(Weight, String)> {
    let mut out = vec![(Weight::Heading, title(row)), (Weight::Text, format!("begun       {}", date(row.made)))];
    let own = || history.events.iter().filter(|event| event.haul == row.id);
    if let Some(last) = own().map(|event| event.at).max() {
        out.push((Weight::Text, format!("last act    {}", date(last))));
    }
    if let Some(of) = row.returns {
        out.push((Weight::Text, format!("returns     haul {of}")));
    }
    let bytes: Bytes = row.lots.iter().map(|lot| lot.planned.size.on_disk).sum();
    let files: u64 = row.lots.iter().map(|lot| lot.planned.size.files).sum();
    let lots = wording::plural(row.lots.len(), "lot", "lots");
    out.push((Weight::Text, format!("what        {lots}, {bytes}, {} files", count(files))));
    let held: Bytes = row.lots.iter().filter(|lot| lot.holds_originals()).map(|lot| lot.planned.size.on_disk).sum();
    if held > Bytes::ZERO {
        out.push((Weight::Text, format!("held        {held} of originals, until they are let go")));
    }
    for lot in &row.lots {
        out.extend(lot_lines(history, row, lot));
    }
    out.push((Weight::Heading, "What happened".into()));
    let mut events: Vec<_> = own().collect();
    events.reverse();
    for event in events {
        out.push((Weight::Text, line(format!("{}   {} {}", date(event.at), event.word, event.detail).trim_end())));
    }
    out
}

fn lot_lines(history: &History, row: &HaulRow, lot: &LotRow) -> Vec<(Weight, String)> {
    let planned = &lot.planned;
    let mut out = vec![(Weight::Heading, line(&planned.title))];
    let mut say = |label: &str, text: String| out.push((Weight::Text, format!("{label:11} {text}")));
    let from = planned.from_drive.as_deref().unwrap_or(wording::NO_DRIVE);
    if planned.mode == Mode::Records {
        say("what", wording::mode(planned.mode).into());
    } else {
        say("from", format!("{}   {}", line(from), shown(planned.origin())));
        say("to", format!("{}   {}", line(&planned.to_drive), shown(planned.place())));
        say("size", format!("{} on disk, {} files", planned.size.on_disk, count(planned.size.files)));
    }
    let proved = history.events.iter().find(|event| event.lot == Some(lot.id) && event.word == "proved");
    let took = proved.and_then(|event| Duration::try_from(event.at.duration_since(row.made)).ok());
    if let Some(took) = took.filter(|_| planned.mode == Mode::Copy) {
        let rate = planned.size.on_disk.count() as f64 / took.as_secs_f64().max(0.001);
        // From the haul's beginning: lots before it are in that time too.
        say(
            "proved",
            format!("{} after the haul began, {}/s on the whole", wording::about(took), Bytes::new(rate as u64)),
        );
    }
    say("stage", lot.stage.word().into());
    if let Stage::Released { left } = lot.stage
        && left > 0
    {
        say("left", format!("{} were not what was compared and stay", wording::plural(left as usize, "file", "files")));
    }
    if let Some(proof) = &lot.proof {
        say("proof", wording::proof(proof));
        say("records", (if proof.records_lead_here { "lead here" } else { "lead ELSEWHERE" }).into());
    }
    if let Some(error) = &lot.error {
        say("stopped", line(error));
    }
    for bad in &lot.unreadable {
        say("unread", format!("{}, bytes {} to {}", shown(&bad.path), bad.from, bad.to));
    }
    if !planned.previews.is_empty() {
        say("changes", wording::plural(planned.previews.len(), "record", "records"));
    }
    out.extend(planned.previews.iter().flat_map(preview_lines));
    out
}

fn preview_lines(preview: &Preview) -> Vec<(Weight, String)> {
    let kind = wording::preview_kind(preview.kind);
    let mut out = vec![(Weight::Aside, format!("{} {} {kind}", shown(&preview.file), line(&preview.location)))];
    for (sign, text) in [("-", &preview.before), ("+", &preview.after)] {
        out.extend(text.lines().map(|text| (Weight::Aside, format!("  {sign} {}", line(text)))));
    }
    out
}
