//! `chart`: drawings into files.

use std::fs::{self, File};
use std::io::Write;
use std::path::{Path, PathBuf};

use deft_barge_charts::{Drawing, cargo, history, hulls, loads, order};
use deft_barge_core::haul::History;
use deft_barge_core::plan::Plan;
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;
use jiff::Timestamp;
use serde_json::json;

use super::{plan_wish, survey_site};
use crate::arguments::{ChartWhat, Out, Wish};
use crate::fault::{Fault, Kind};
use crate::show::{path as shown, say, say_json};

/// `chart`
pub fn chart(site: &Site, what: &ChartWhat, json: bool) -> Result<u8, Fault> {
    let (ChartWhat::Drives { out }
    | ChartWhat::Plan { out, .. }
    | ChartWhat::Loads { out, .. }
    | ChartWhat::Order { out, .. }
    | ChartWhat::Cargo { out, .. }
    | ChartWhat::History { out }) = what;
    // What cannot be written is said before anything is looked at.
    ending(&out.out)?;
    let drawing = match what {
        ChartWhat::History { .. } => history(&History::of(site)?, Timestamp::now()),
        ChartWhat::Drives { .. } => hulls(&survey_site(site).0, None),
        ChartWhat::Cargo { drive, .. } => {
            let (survey, _) = survey_site(site);
            let name = site.find_drive(drive).map_or_else(|| drive.clone(), |drive| drive.name.clone());
            cargo(&survey, &name).ok_or_else(|| {
                Fault::usage(format!("There is no drive {drive:?}."), "See what there is with: deft-barge survey")
            })?
        }
        ChartWhat::Plan { wish, .. } => {
            let (survey, plan) = planned(site, wish)?;
            hulls(&survey, Some(&plan))
        }
        ChartWhat::Loads { wish, .. } => loads(&planned(site, wish)?.1),
        ChartWhat::Order { wish, .. } => order(&planned(site, wish)?.1),
    };
    put(&drawing, out)?;
    if json {
        say_json("chart", json!({ "title": drawing.title, "file": out.out }))?;
    } else {
        say(&format!("{} is drawn in {}.", drawing.title, shown(&out.out)))?;
    }
    Ok(0)
}

fn planned(site: &Site, wish: &Wish) -> Result<(Survey, Plan), Fault> {
    let (mut survey, fault) = survey_site(site);
    if let Some(fault) = fault {
        return Err(fault);
    }
    let plan = plan_wish(site, &mut survey, wish)?;
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
            format!("{} does not say what it should be.", shown(path)),
            "Let its name end with .svg or .pdf.",
        )),
    }
}

/// Writes a drawing as its file's ending says.
fn put(drawing: &Drawing, out: &Out) -> Result<(), Fault> {
    let bytes = match ending(&out.out)? {
        Ending::Svg => drawing.svg.clone().into_bytes(),
        Ending::Pdf => {
            drawing.pdf().map_err(|error| Fault::new(Kind::Failed, format!("No PDF was made: {error}."), ""))?
        }
    };
    write_out(out, &bytes)
}

/// Writes a file that is wanted; one that is there is not overwritten unless that is told.
pub(super) fn write_out(out: &Out, bytes: &[u8]) -> Result<(), Fault> {
    let fault = |error: std::io::Error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Fault::usage(format!("{} is there already.", shown(&out.out)), "Name another file, or add --overwrite.")
        }
        _ => Fault::new(Kind::Failed, format!("{} cannot be written: {error}.", shown(&out.out)), ""),
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
    let words = drawing.title.split(':').next().unwrap_or_default().to_lowercase();
    let name: String = words.chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    for n in 1..1000 {
        let number = if n == 1 { String::new() } else { format!("-{n}") };
        let out = site.places.home.join(format!("deft-barge-{name}{number}.svg"));
        if !out.exists() {
            put(drawing, &Out { out: out.clone(), overwrite: false })?;
            return Ok(out);
        }
    }
    Err(Fault::usage("A thousand drawings of that name are in the home folder.", "Move some of them away."))
}
