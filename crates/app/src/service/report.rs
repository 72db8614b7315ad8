//! `report`: what a haul was, as text, or as PDF with drawings.

use std::path::{Path, PathBuf};
use std::time::Duration;

use deft_barge_charts::{Drawing, Weight, book, games, history as months, rate, text_pages, timeline};
use deft_barge_core::bytes::{Bytes, HaulId, ItemId};
use deft_barge_core::item::StageKind;
use deft_barge_core::item::{Preview, PreviewKind, Stage, Strategy};
use deft_barge_core::journal::{Came, Event, HaulRow, History, ItemRow, Telemetry};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::json;

use super::chart::{free_in_home, one_haul, write_out};
use super::sink::Sink;
use super::wish::survey_site;
use crate::present::{Fault, Kind, line, path as shown, words};
use crate::request::Out;

/// `report`
pub fn report(site: &Site, haul: Option<i64>, out: Option<&Path>, overwrite: bool, sink: &Sink) -> Result<u8, Fault> {
    let (row, events) = one_haul(site, haul)?;
    let passage = Telemetry::of(site, row.id)?;
    let lines = lines(&row, &events, &passage);
    let text: String = lines.iter().map(|(weight, text)| as_text(*weight, text)).collect();
    let text = text.trim_start().to_string();
    let Some(path) = out else {
        if sink.is_json() {
            return sink.document("report", json!({ "haul": row.id, "text": text })).map(|()| 0);
        }
        return sink.say(text.trim_end()).map(|()| 0);
    };
    let out = Out { out: path.into(), overwrite };
    let ending = path.extension().map(|ending| ending.to_string_lossy().to_lowercase());
    let bytes = match ending.as_deref() {
        Some("txt") => text.into_bytes(),
        Some("pdf") => as_pdf(site, &survey_site(site, sink).0, &row, &passage, &lines)?,
        _ => {
            let sentence = format!("{} has no ending that says its format.", shown(path));
            return Err(Fault::usage(sentence, "End its name with .txt or .pdf."));
        }
    };
    write_out(&out, &bytes)?;
    if sink.is_json() {
        sink.document("report", json!({ "haul": row.id, "file": path }))?;
    } else {
        sink.say(&format!("The report of haul {} is in {}.", row.id, shown(path)))?;
    }
    Ok(0)
}

fn as_pdf(
    site: &Site,
    survey: &Survey,
    row: &HaulRow,
    passage: &Telemetry,
    lines: &[(Weight, String)],
) -> Result<Vec<u8>, Fault> {
    let mut pages = text_pages(&title(row), row.made, lines.get(1..).unwrap_or_default());
    pages.extend(drawings(site, survey, row, passage)?);
    book(&pages).map_err(|error| Fault::new(Kind::Failed, format!("Couldn't make the PDF: {error}."), ""))
}

/// Writes the report of a haul as PDF into the home folder, under a name that is not there yet; gives the file.
pub fn put_report_in_home(site: &Site, survey: &Survey, haul: HaulId) -> Result<PathBuf, Fault> {
    let (row, events) = one_haul(site, Some(haul.0))?;
    let passage = Telemetry::of(site, haul)?;
    let bytes = as_pdf(site, survey, &row, &passage, &lines(&row, &events, &passage))?;
    let out = free_in_home(site, &format!("haul {haul} report"), "pdf")?;
    write_out(&Out { out: out.clone(), overwrite: false }, &bytes)?;
    Ok(out)
}

fn title(row: &HaulRow) -> String {
    format!("Haul {}: {}", row.id, words::haul_state(&row.into()))
}

fn as_text(weight: Weight, text: &str) -> String {
    match weight {
        Weight::Heading => format!("\n{text}\n"),
        Weight::Text => format!("{text}\n"),
        Weight::Displaced => format!("    {text}\n"),
    }
}

/// How the haul went, what lies now on each drive that it went to, and the months.
fn drawings(site: &Site, survey: &Survey, row: &HaulRow, passage: &Telemetry) -> Result<Vec<Drawing>, Fault> {
    let mut drives: Vec<&str> = row.items.iter().map(|item| item.planned.to_drive.as_str()).collect();
    drives.sort_unstable();
    drives.dedup();
    let mut all = Vec::new();
    // Of records alone and of older journals nothing is known that could be drawn.
    if !passage.marks.is_empty() {
        all.push(timeline(row, passage));
    }
    if !passage.pulses.is_empty() {
        all.push(rate(row, passage));
    }
    all.extend(drives.into_iter().filter_map(|drive| games(survey, drive)));
    all.push(months(&History::recent(site)?.lines, &History::released(site)?, survey.made));
    Ok(all)
}

fn date(at: Timestamp) -> String {
    at.to_zoned(TimeZone::system()).strftime("%Y-%m-%d %H:%M:%S %Z").to_string()
}

/// The lines of a report, in their order.
fn lines(row: &HaulRow, events: &[Event], passage: &Telemetry) -> Vec<(Weight, String)> {
    let mut out = vec![(Weight::Heading, title(row)), (Weight::Text, format!("begun       {}", date(row.made)))];
    if let Some(last) = events.iter().map(|event| event.at).max() {
        out.push((Weight::Text, format!("last step   {}", date(last))));
    }
    if let Some(of) = row.returns {
        out.push((Weight::Text, format!("undoes      haul {of}")));
    }
    let bytes: Bytes = row.items.iter().map(|item| item.planned.size.on_disk).sum();
    let files: u64 = row.items.iter().map(|item| item.planned.size.files).sum();
    let items = words::several(row.items.len(), "item");
    out.push((Weight::Text, format!("what        {items}, {bytes}, {}", words::several(files, "file"))));
    let held: Bytes =
        row.items.iter().filter(|item| item.holds_originals()).map(|item| item.planned.size.on_disk).sum();
    if held > Bytes::ZERO {
        out.push((Weight::Text, format!("kept        {held} of originals, until you release them")));
    }
    for item in &row.items {
        out.extend(item_lines(item, passage));
    }
    out.push((Weight::Heading, "What happened".into()));
    for event in events.iter().rev() {
        out.push((
            Weight::Text,
            line(format!("{}   {} {}", date(event.at), words::event_word(event.word), event.detail).trim_end()),
        ));
    }
    out
}

fn item_lines(item: &ItemRow, passage: &Telemetry) -> Vec<(Weight, String)> {
    let planned = &item.planned;
    let mut out = vec![(Weight::Heading, line(&planned.title))];
    let mut say = |label: &str, text: String| out.push((Weight::Text, format!("{label:11} {text}")));
    let from = planned.from_drive.as_deref().unwrap_or(words::NO_DRIVE);
    if planned.mode == Strategy::Records {
        say("what", words::mode(planned.mode).into());
    } else {
        say("from", format!("{}   {}", line(from), shown(planned.origin())));
        say("to", format!("{}   {}", line(&planned.to_drive), shown(planned.place())));
        say("size", format!("{} on disk, {}", planned.size.on_disk, words::several(planned.size.files, "file")));
    }
    for (label, text) in times(item.id, passage) {
        say(label, text);
    }
    say("stage", words::stage_word(&item.stage).into());
    if let Stage::Released { left } = item.stage
        && left > 0
    {
        say("left", format!("{} changed since they were verified and stay", words::several(left, "file")));
    }
    if let Some(proof) = &item.proof {
        say("proof", words::proof(proof));
        say("records", (if proof.records_lead_here { "point here" } else { "point ELSEWHERE" }).into());
        if let Some(residue) = &proof.residue {
            say("search", words::residue(residue));
            for text in words::mentions(residue) {
                say("", text);
            }
        }
    }
    if let Some(error) = &item.error {
        say("stopped", line(error));
    }
    for bad in &item.unreadable {
        say("unread", format!("{}, bytes {} to {}", shown(&bad.path), bad.from, bad.to));
    }
    if !planned.previews.is_empty() {
        say("changes", words::several(planned.previews.len(), "record"));
    }
    out.extend(planned.previews.iter().flat_map(preview_lines));
    out
}

/// When an item was begun, copied and proved, and how fast.
fn times(item: ItemId, passage: &Telemetry) -> Vec<(&'static str, String)> {
    let marks = || passage.marks.iter().filter(|mark| mark.item == item);
    let first = |stage: StageKind| marks().find(|mark| mark.came == Came::To(stage)).map(|mark| mark.at);
    let mut out = Vec::new();
    out.extend(first(StageKind::Copying).map(|at| ("begun", date(at))));
    let pulses: Vec<_> = passage.pulses.iter().filter(|pulse| pulse.item == item).collect();
    if let (Some(begun), Some(compared)) = (first(StageKind::Copying), first(StageKind::Verified)) {
        let took = Duration::try_from(compared.duration_since(begun)).unwrap_or_default();
        let copied = pulses.last().map_or(Bytes::ZERO, |pulse| pulse.copied);
        let rate = Bytes::new((copied.count() as f64 / took.as_secs_f64().max(0.001)) as u64);
        // Pauses are in that time too.
        let stops = marks().filter(|mark| !matches!(mark.came, Came::To(_))).count();
        let pauses = if stops > 0 { ", breaks included" } else { "" };
        out.push(("verified", format!("{} after that{pauses}, {rate}/s", words::about(took))));
    }
    if let Some(low) = pulses.iter().filter_map(|pulse| pulse.limit).min() {
        out.push(("limit", format!("{low}/s, at least part of the time")));
    }
    out.extend(first(StageKind::Proved).map(|at| ("proved", date(at))));
    out.extend(first(StageKind::Released).map(|at| ("released", date(at))));
    out
}

fn preview_lines(preview: &Preview) -> Vec<(Weight, String)> {
    let kind = words::preview_kind(preview.kind);
    let mut out = vec![(Weight::Displaced, format!("{} {} {kind}", shown(&preview.file), line(&preview.location)))];
    // A report is shown to others: it holds paths, and nothing else of a launcher's files.
    let whole = matches!(
        preview.kind,
        PreviewKind::Arrives
            | PreviewKind::Leaves
            | PreviewKind::FileMade
            | PreviewKind::FileGoes
            | PreviewKind::LibraryKnown
    );
    for (sign, text) in [("-", &preview.before), ("+", &preview.after)] {
        if whole {
            continue;
        }
        out.extend(text.lines().map(|text| (Weight::Displaced, format!("  {sign} {}", line(text)))));
    }
    out
}
