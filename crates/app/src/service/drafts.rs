//! Drafts as files: read, fitted to what is there, written.

use std::io::Write;
use std::path::{Path, PathBuf};

use deft_barge_core::item::Policy;
use deft_barge_core::plan::{Draft, DraftFile, Misfit, WhatIf};
use deft_barge_core::site::{Site, read_text};
use deft_barge_core::survey::Survey;
use jiff::Timestamp;

use crate::present::{Fault, Kind, path as shown, words};

/// Where a draft of this name is kept.
pub fn place(site: &Site, name: &str) -> PathBuf {
    site.places.config.join("deft-barge/drafts").join(format!("{name}.toml"))
}

/// The file that a word means: a path, or the name of a draft that is kept.
pub fn found(site: &Site, word: &Path) -> PathBuf {
    let kept = word.to_str().filter(|name| !name.contains('/')).map(|name| place(site, name));
    kept.filter(|kept| !word.exists() && kept.exists()).unwrap_or_else(|| word.into())
}

/// Keeps a draft under a name; one that is there is not overwritten.
pub fn keep(site: &Site, name: &str, file: &DraftFile) -> Result<PathBuf, Fault> {
    let path = place(site, name);
    let folder = path.parent().unwrap_or(&path);
    std::fs::create_dir_all(folder)
        .map_err(|error| Fault::new(Kind::Failed, format!("Couldn't make {}: {error}.", shown(folder)), ""))?;
    write(&path, &file.text())?;
    Ok(path)
}

/// A draft that is kept under a name.
#[derive(Clone, Debug, PartialEq)]
pub struct KeptDraft {
    pub name: String,
    /// When it was saved.
    pub saved: Option<Timestamp>,
    /// What it says; `None` where it cannot be read.
    pub file: Option<DraftFile>,
}

/// The drafts that are kept, the newest first.
pub fn kept(site: &Site) -> Vec<KeptDraft> {
    let folder = place(site, "any");
    let entries = std::fs::read_dir(folder.parent().unwrap_or(&folder)).into_iter().flatten().flatten();
    let one = |entry: std::fs::DirEntry| {
        let name = entry.file_name().to_str()?.strip_suffix(".toml").filter(|name| !name.starts_with('.'))?.to_string();
        let saved = entry.metadata().and_then(|meta| meta.modified()).ok();
        let saved = saved.and_then(|saved| Timestamp::try_from(saved).ok());
        Some(KeptDraft { name, saved, file: read(&entry.path()).ok() })
    };
    let mut all: Vec<KeptDraft> = entries.filter_map(one).collect();
    all.sort_by(|a, b| b.saved.cmp(&a.saved).then_with(|| a.name.cmp(&b.name)));
    all
}

/// Reads a draft's file.
pub fn read(path: &Path) -> Result<DraftFile, Fault> {
    let text = read_text(path).map_err(|error| {
        Fault::usage(format!("Couldn't read {}: {error}.", shown(path)), "Check that the file exists.")
    })?;
    DraftFile::parse(&text).map_err(|error| {
        let sentence = format!("Couldn't use {}: {error}", shown(path));
        Fault::usage(sentence, "The format is in docs/formats.md; `plan --save FILE` writes one.")
    })
}

/// What has changed since a draft was written.
pub fn misfit(path: &Path, misfits: &[Misfit]) -> Fault {
    let lines: Vec<String> = misfits.iter().map(|misfit| format!("\n  {}", words::misfit(misfit))).collect();
    let sentence = format!("{} no longer matches this PC:{}", shown(path), lines.concat());
    Fault::new(Kind::Refused, sentence, "Nothing changed. Correct the draft, or make a new one.")
}

/// Adds drives that are not there yet.
pub fn add(drives: &[WhatIf], site: &mut Site, survey: &mut Survey) {
    for drive in drives {
        drive.add_to(site, survey);
    }
}

/// Writes a draft; a file that is there is not overwritten.
pub fn save(path: &Path, survey: &Survey, draft: &Draft, policy: Policy, what_if: Vec<WhatIf>) -> Result<(), Fault> {
    write(path, &DraftFile::of(survey, draft, policy, what_if).text())
}

fn write(path: &Path, text: &str) -> Result<(), Fault> {
    let made = std::fs::File::create_new(path).and_then(|mut file| file.write_all(text.as_bytes()));
    made.map_err(|error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Fault::usage(format!("{} exists already.", shown(path)), "Choose another name, or move that file away.")
        }
        _ => Fault::new(Kind::Failed, format!("Couldn't write {}: {error}.", shown(path)), ""),
    })
}
