//! `chart`: drawings into files.

use std::fs::{self, File};
use std::io::Write;
use std::path::{Path, PathBuf};

use deft_barge_charts::{Drawing, drives, games, history, loads, order, rate, timeline};
use deft_barge_core::bytes::HaulId;
use deft_barge_core::journal::{Event, HaulRow, History, Telemetry};
use deft_barge_core::plan::Plan;
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use jiff::Timestamp;
use serde_json::json;

use super::naming;
use super::sink::Sink;
use super::wish::{plan_wish, survey_site};
use crate::present::{Fault, Kind, line, path as shown};
use crate::request::{ChartWhat, Out, Wish};

/// `chart`
pub fn chart(site: &Site, what: &ChartWhat, sink: &Sink) -> Result<u8, Fault> {
    let (ChartWhat::Drives { out }
    | ChartWhat::Plan { out, .. }
    | ChartWhat::Loads { out, .. }
    | ChartWhat::Order { out, .. }
    | ChartWhat::Games { out, .. }
    | ChartWhat::Timeline { out, .. }
    | ChartWhat::Rate { out, .. }
    | ChartWhat::History { out }) = what;
    // What cannot be written is said before anything is looked at.
    ending(&out.out)?;
    let drawing = match what {
        ChartWhat::History { .. } => {
            history(&History::recent(site)?.lines, &History::released(site)?, Timestamp::now())
        }
        ChartWhat::Timeline { haul, .. } => {
            let (row, passage) = told(site, *haul)?;
            timeline(&row, &passage)
        }
        ChartWhat::Rate { haul, .. } => {
            let (row, passage) = told(site, *haul)?;
            rate(&row, &passage)
        }
        ChartWhat::Drives { .. } => drives(&survey_site(site, sink).0, None),
        ChartWhat::Games { drive, .. } => {
            let (survey, _) = survey_site(site, sink);
            let found = naming::drive(site, drive)?;
            let unseen = || Fault::usage(format!("Nothing is known of {}.", line(&found.name)), naming::SURVEY);
            games(&survey, &found.name).ok_or_else(unseen)?
        }
        ChartWhat::Plan { wish, .. } => {
            let (survey, plan) = planned(site, wish, sink)?;
            drives(&survey, Some(&plan))
        }
        ChartWhat::Loads { wish, .. } => loads(&planned(site, wish, sink)?.1),
        ChartWhat::Order { wish, .. } => order(&planned(site, wish, sink)?.1),
    };
    put(&drawing, out)?;
    if sink.is_json() {
        sink.document("chart", json!({ "title": drawing.title, "file": out.out }))?;
    } else {
        sink.say(&format!("{} is drawn in {}.", drawing.title, shown(&out.out)))?;
    }
    Ok(0)
}

/// A haul of this number, or the newest one, and how it went.
fn told(site: &Site, haul: Option<i64>) -> Result<(HaulRow, Telemetry), Fault> {
    let (row, _) = one_haul(site, haul)?;
    let passage = Telemetry::of(site, row.id)?;
    Ok((row, passage))
}

/// A haul of this number, or the newest one, and what the log tells of it.
pub(crate) fn one_haul(site: &Site, haul: Option<i64>) -> Result<(HaulRow, Vec<Event>), Fault> {
    let number = match haul {
        Some(number) => Some(HaulId(number)),
        None => History::recent(site)?.lines.first().map(|line| line.id),
    };
    let found = number.map(|number| History::one(site, number)).transpose()?.flatten();
    found.ok_or_else(|| {
        let sentence = haul.map_or("No hauls yet.".to_string(), |number| format!("No haul has the number {number}."));
        Fault::usage(sentence, "See: deft-barge log")
    })
}

fn planned(site: &Site, wish: &Wish, sink: &Sink) -> Result<(Survey, Plan), Fault> {
    let (mut survey, fault) = survey_site(site, sink);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let plan = plan_wish(site, &mut survey, wish, sink)?;
    Ok((survey, plan))
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Ending {
    Svg,
    Pdf,
}

fn ending(path: &Path) -> Result<Ending, Fault> {
    match path.extension().map(|ending| ending.to_string_lossy().to_lowercase()).as_deref() {
        Some("svg") => Ok(Ending::Svg),
        Some("pdf") => Ok(Ending::Pdf),
        _ => Err(Fault::usage(
            format!("{} has no ending that says its format.", shown(path)),
            "End its name with .svg or .pdf.",
        )),
    }
}

/// Writes a drawing as its file's ending says.
fn put(drawing: &Drawing, out: &Out) -> Result<(), Fault> {
    let bytes = match ending(&out.out)? {
        Ending::Svg => drawing.svg.clone().into_bytes(),
        Ending::Pdf => {
            drawing.pdf().map_err(|error| Fault::new(Kind::Failed, format!("Couldn't make the PDF: {error}."), ""))?
        }
    };
    write_out(out, &bytes)
}

/// Writes a file that is wanted; one that is there is not overwritten unless that is told.
pub(crate) fn write_out(out: &Out, bytes: &[u8]) -> Result<(), Fault> {
    let fault = |error: std::io::Error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Fault::usage(format!("{} exists already.", shown(&out.out)), "Choose another name, or add --overwrite.")
        }
        _ => Fault::new(Kind::Failed, format!("Couldn't write {}: {error}.", shown(&out.out)), ""),
    };
    if out.overwrite {
        // Whole or not at all: the old file stays until the new one is there.
        let name = out.out.file_name().unwrap_or_default().to_string_lossy();
        let fresh = out.out.with_file_name(format!(".{name}.new"));
        return fs::write(&fresh, bytes).and_then(|()| fs::rename(&fresh, &out.out)).map_err(fault);
    }
    File::create_new(&out.out).and_then(|mut file| file.write_all(bytes)).map_err(fault)
}

/// Writes a drawing as SVG into the home folder, under a name that says what it is and that is not there yet; gives the file.
pub fn put_in_home(site: &Site, drawing: &Drawing) -> Result<PathBuf, Fault> {
    let out = free_in_home(site, &drawing.title, "svg")?;
    put(drawing, &Out { out: out.clone(), overwrite: false })?;
    Ok(out)
}

/// A file of the home folder that is not there yet, under a name that says what it is.
pub(crate) fn free_in_home(site: &Site, words: &str, ending: &str) -> Result<PathBuf, Fault> {
    let words = words.to_lowercase();
    let words: Vec<&str> = words.split(|c: char| !c.is_alphanumeric()).filter(|word| !word.is_empty()).collect();
    let name = words.join("-");
    for n in 1..1000 {
        let number = if n == 1 { String::new() } else { format!("-{n}") };
        let out = site.places.home.join(format!("deft-barge-{name}{number}.{ending}"));
        if !out.exists() {
            return Ok(out);
        }
    }
    Err(Fault::usage(
        "Your home folder already has a thousand files of that name.",
        "Move some of them away, or use --out.",
    ))
}
