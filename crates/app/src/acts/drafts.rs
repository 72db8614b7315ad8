//! Drafts as files: read, fitted to what is there, written.

use std::io::Write;
use std::path::Path;

use deft_barge_core::plan::{Draft, DraftFile, Misfit, Policy, WhatIf};
use deft_barge_core::site::Site;
use deft_barge_core::survey::Survey;

use crate::fault::{Fault, Kind};
use crate::show::path as shown;
use crate::wording;

/// Reads a draft's file.
pub fn read(path: &Path) -> Result<DraftFile, Fault> {
    let text = std::fs::read_to_string(path)
        .map_err(|error| Fault::usage(format!("Cannot read {}: {error}.", shown(path)), "Look whether it is there."))?;
    DraftFile::parse(&text).map_err(|error| {
        let sentence = format!("{} cannot be used: {error}", shown(path));
        Fault::usage(sentence, "The format is in docs/formats.md; `plan --save FILE` writes one.")
    })
}

/// What has changed since a draft was written.
pub fn misfit(path: &Path, misfits: &[Misfit]) -> Fault {
    let lines: Vec<String> = misfits.iter().map(|misfit| format!("\n  {}", wording::misfit(misfit))).collect();
    let sentence = format!("{} does not fit what is there any more:{}", shown(path), lines.concat());
    Fault::new(Kind::Refused, sentence, "Nothing was done. Mend the draft, or make a new one.")
}

/// Adds drives that are not there yet.
pub fn add(drives: &[WhatIf], site: &mut Site, survey: &mut Survey) {
    for drive in drives {
        drive.add_to(site, survey);
    }
}

/// Writes a draft; a file that is there is not overwritten.
pub fn save(path: &Path, survey: &Survey, draft: &Draft, policy: Policy, what_if: Vec<WhatIf>) -> Result<(), Fault> {
    let text = DraftFile::of(survey, draft, policy, what_if).text();
    let made = std::fs::File::create_new(path).and_then(|mut file| file.write_all(text.as_bytes()));
    made.map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Fault::usage(format!("{} is there already.", shown(path)), "Name another file, or move that one away.")
        }
        _ => Fault::new(Kind::Failed, format!("Cannot write {}: {error}.", shown(path)), ""),
    })
}
