//! Undo and cancel, and what they had to leave.

use super::super::progress::Shown;
use super::super::sink::Sink;
use super::{ask_unless, newest};
use crate::present::{Fault, line, to_json, words};
use crate::request::{Back, Pace};
use deft_barge_core::bytes::{HaulId, ItemId};
use deft_barge_core::haul::{HaulError, Stuck, cancel_leaving, undo_leaving, undo_plan};
use deft_barge_core::item::{Severity, Stage};
use deft_barge_core::journal::{HaulRow, History, ItemRow, Journal};
use deft_barge_core::site::Site;
use serde_json::json;

/// `return`
pub fn undo(site: &Site, back: &Back, sink: &Sink) -> Result<u8, Fault> {
    let which = &back.which;
    let (journal, _) = Journal::open(site)?.recover()?;
    let fits = |haul: &HaulRow| {
        haul.returns.is_none()
            && haul.items.iter().any(|item| !item.stage.at_rest() || item.stage.records_are_updated())
    };
    let row = match journal.live()?.into_iter().find(HaulRow::unfinished) {
        Some(row) if which.haul.is_none() => row,
        _ => newest(&journal, which, fits, "can be undone")?,
    };
    let stuck = if back.leave { Stuck::IsLeft } else { Stuck::Refuses };
    if back.rest {
        return cancel(site, &journal, &row, stuck, which.yes, sink);
    }
    let row = if back.only.is_empty() { row } else { row.only(&named(&row, &back.only)?) };
    let plan = undo_plan(site, &row);
    if plan.blocked() && !back.leave {
        let hint = words::what_leads_on(&plan.findings, row.id);
        return Err(Fault::refused(plan.findings, hint));
    }
    if !sink.is_json() {
        for finding in plan.findings.iter().filter(|finding| finding.severity == Severity::Warning) {
            sink.say(&words::finding(finding))?;
        }
    }
    let titles: Vec<String> = row.items.iter().map(|item| line(&item.planned.title)).collect();
    ask_unless(which.yes, sink, &format!("Undo haul {} ({})?", row.id, titles.join(", ")))?;
    let stop = sink.stop(Pace::default())?;
    let shown = Shown::new(sink);
    let items: Vec<ItemId> = row.items.iter().map(|item| item.id).collect();
    let result = undo_leaving(site, &journal, row.id, &items, stuck, &|event| shown.event(event), &stop);
    shown.end();
    let back = result.map_err(|error| refused_going_back(error, row.id))?;
    let after = journal.haul(back.unwrap_or(row.id))?;
    if sink.is_json() {
        sink.document("undo", json!({ "undone": row.id, "haul": to_json(&after)? }))?;
        return Ok(0);
    }
    // What was left with a word of its own stays where the haul brought it.
    let now = journal.haul(row.id)?.unwrap_or_else(|| row.clone());
    let undone = |item: &ItemRow| matches!(item.stage, Stage::Undone | Stage::Cancelled);
    let of_these: Vec<&ItemRow> = now.items.iter().filter(|item| items.contains(&item.id)).collect();
    sink.say(&match of_these.iter().filter(|item| undone(item)).count() {
        0 => format!("Couldn't undo haul {}; everything stays where it is.", row.id),
        some if some < of_these.len() => format!("Haul {} is partly undone.", row.id),
        _ => format!("Haul {} is undone.", row.id),
    })?;
    tell_left(site, row.id, sink)?;
    if let Some(back) = after.as_ref().filter(|back| back.id != row.id) {
        tell_left(site, back.id, sink)?;
    }
    for item in of_these {
        let (words, place) =
            if undone(item) { ("is in", item.planned.origin()) } else { ("stays in", item.planned.place()) };
        sink.say(&format!("  {} {words} {}", line(&item.planned.title), crate::present::path(place)))?;
    }
    Ok(0)
}

/// A refusal of an undo, with what leads on from there.
fn refused_going_back(error: HaulError, id: HaulId) -> Fault {
    match error {
        HaulError::Refused(findings) => {
            let hint = words::what_leads_on(&findings, id);
            Fault { sentence: "Stopped; the rest stays.".into(), ..Fault::refused(findings, hint) }
        }
        other => other.into(),
    }
}

/// Names what removals of a haul had to leave.
fn tell_left(site: &Site, id: HaulId, sink: &Sink) -> Result<(), Fault> {
    for (item, left) in History::remains(site, id)? {
        for left in &left {
            sink.say(&format!("  left    {}: {}", line(&item), words::left(left)))?;
        }
    }
    Ok(())
}

/// The items of a haul that these words name.
fn named(row: &HaulRow, words: &[String]) -> Result<Vec<ItemId>, Fault> {
    let mut items = Vec::new();
    for word in words {
        let has = |item: &&ItemRow| item.planned.title.to_lowercase().contains(&word.to_lowercase());
        let found: Vec<ItemId> = row.items.iter().filter(has).map(|item| item.id).collect();
        if found.is_empty() {
            let titles: Vec<String> = row.items.iter().map(|item| line(&item.planned.title)).collect();
            let sentence = format!("Haul {} has no game called {word:?}; it has {}.", row.id, titles.join(", "));
            return Err(Fault::usage(sentence, "See: deft-barge log"));
        }
        items.extend(found);
    }
    Ok(items)
}

/// `return --rest`
fn cancel(site: &Site, journal: &Journal, row: &HaulRow, stuck: Stuck, yes: bool, sink: &Sink) -> Result<u8, Fault> {
    ask_unless(yes, sink, &format!("Cancel the games of haul {} whose records are not updated yet?", row.id))?;
    let stop = sink.stop(Pace::default())?;
    let shown = Shown::new(sink);
    let result = cancel_leaving(site, journal, row.id, stuck, &|event| shown.event(event), &stop);
    shown.end();
    let titles = result.map_err(|error| refused_going_back(error, row.id))?;
    if sink.is_json() {
        sink.document(
            "undo",
            json!({ "undone": row.id, "cancelled": titles, "haul": to_json(&journal.haul(row.id)?)? }),
        )?;
    } else {
        sink.say(&format!("Canceled: {}.", line(&titles.join(", "))))?;
        tell_left(site, row.id, sink)?;
    }
    Ok(0)
}
