//! A new profile, guided: a game's folder is traced, what was found is seen, the launcher is named, and the profile is written
//! and checked.

use std::path::PathBuf;

use deft_barge_core::launcher::{Profile, check_profile};
use deft_barge_core::site::Site;
use deft_barge_core::trace::{Sure, Trace, draft_profile};
use ratatui::crossterm::event::KeyCode;

use super::sheet::{Sheet, Then, Tone};
use super::state::{Act, State};
use super::typing::Typed;
use crate::acts;
use crate::fault::{Fault, Kind};
use crate::show::{count, line, path as shown};

/// A profile that is being made.
#[derive(Clone, Debug)]
pub struct Guide {
    pub trace: Trace,
    /// The file it was written to, and what the check says of it.
    pub written: Option<(PathBuf, Vec<String>)>,
}

/// Writes the profile that a trace gives, under a name, and checks it.
///
/// # Errors
/// If no list of games was found, if a file of that name is there, or what was drafted cannot be read.
pub fn write_profile(site: &Site, trace: Trace, name: &str) -> Result<Guide, Fault> {
    let id: String = name.to_lowercase().chars().map(|c| if c.is_alphanumeric() { c } else { '-' }).collect();
    let drafted = draft_profile(site, &trace);
    let named = |text: &str| match text.split_once(" = ") {
        Some(("id", _)) => format!("id = {id:?}"),
        Some(("name", _)) => format!("name = {name:?}"),
        _ => text.to_string(),
    };
    // The head of a profile, before its first table, says whose it is.
    let (mut out, mut head) = (Vec::new(), true);
    for text in drafted.lines() {
        head &= !text.starts_with('[');
        out.push(if head { named(text) } else { text.to_string() });
    }
    let text = out.join("\n") + "\n";
    let path = site.profile_folder().join(format!("{id}.toml"));
    let profile = Profile::parse(&text, &path).map_err(|error| {
        let sentence = format!("No profile can be made of this trace yet: {error}.");
        Fault::new(
            Kind::Refused,
            sentence,
            "Install a second game with the launcher, or write the profile by hand: docs/formats.md.",
        )
    })?;
    let failed = |error: std::io::Error| match error.kind() {
        std::io::ErrorKind::AlreadyExists => {
            Fault::usage(format!("A profile {id} is there already: {}.", shown(&path)), "Choose another name.")
        }
        _ => Fault::new(Kind::Failed, format!("{} cannot be written: {error}.", shown(&path)), ""),
    };
    std::fs::create_dir_all(site.profile_folder()).map_err(failed)?;
    let mut file = std::fs::File::create_new(&path).map_err(failed)?;
    std::io::Write::write_all(&mut file, text.as_bytes()).map_err(failed)?;
    let check = check_profile(site, &profile);
    let told = acts::check_text(&check).split('\n').map(String::from).collect();
    Ok(Guide { trace, written: Some((path, told)) })
}

impl State {
    /// Begins a new profile with a trace.
    pub(super) fn trace_for_profile(&mut self, path: PathBuf) -> Vec<Act> {
        self.tasks += 1;
        let title = format!("Looking for every place where {} is written down", path.display());
        self.sheet = Some(Sheet { task: Some(self.tasks), ..Sheet::new(title) });
        vec![Act::Trace(self.tasks, path)]
    }

    /// Shows what was traced; Enter goes on.
    pub(super) fn traced(&mut self, id: u64, trace: Result<Trace, Fault>) {
        let Some(sheet) = self.sheet.as_mut().filter(|sheet| sheet.task == Some(id)) else { return };
        (sheet.task, sheet.passing) = (None, String::new());
        let trace = match trace {
            Ok(trace) => trace,
            Err(fault) => {
                sheet.lines.push((Tone::Danger, fault.text()));
                return;
            }
        };
        let sure = trace.sure().count();
        sheet.title = format!("A new profile, from {}", trace.path.display());
        let head =
            format!("{} places say this path; {sure} of them can be rewritten.", count(trace.finds.len() as u64));
        sheet.lines = vec![(Tone::Strong, head), (Tone::Text, String::new())];
        let mut file = None;
        for find in &trace.finds {
            if file != Some(&find.record.file) {
                sheet.lines.push((Tone::Text, shown(&find.record.file)));
                file = Some(&find.record.file);
            }
            let how = match find.sure {
                Sure::Certain => "certain",
                Sure::Likely => "likely",
                Sure::NameOnly => "the name alone",
                Sure::Unreadable => "cannot be rewritten",
            };
            let what = format!("  {:20} {} = {}", how, line(&find.record.location), line(&find.record.text));
            sheet.lines.push((if find.sure <= Sure::Likely { Tone::Text } else { Tone::Dim }, what));
        }
        if sure == 0 {
            sheet.lines.push((Tone::Danger, "Nothing was found that a profile could be made of.".into()));
            return;
        }
        sheet.then = Some((KeyCode::Enter, "names the launcher", Then::Guide));
        self.guide = Some(Guide { trace, written: None });
    }

    /// Goes on after what was shown: to the name, and after the check to the launcher's games.
    pub(super) fn go_on_guiding(&mut self) -> Vec<Act> {
        match &self.guide {
            Some(Guide { written: None, .. }) => self.type_in(Typed::ProfileName, ""),
            Some(_) => {
                self.guide = None;
                return vec![Act::Survey];
            }
            None => {}
        }
        Vec::new()
    }

    pub(super) fn name_profile(&mut self, name: &str) -> Vec<Act> {
        if !name.chars().any(char::is_alphanumeric) {
            self.message = Some("A name with a letter or a figure is wanted.".into());
            return Vec::new();
        }
        vec![Act::Draft(name.into())]
    }

    /// Shows what the check says of a profile that was written.
    pub(super) fn drafted(&mut self, guide: Result<Guide, Fault>) -> Vec<Act> {
        match guide {
            Ok(guide) => {
                let (path, told) = guide.written.clone().unwrap_or_default();
                let mut sheet = Sheet::new(format!("Written to {}", path.display()));
                sheet.lines = told.into_iter().map(|text| (Tone::Text, text)).collect();
                let then =
                    "Its games are in the Drives view from now on. Read the profile, and mend what the check says.";
                sheet.lines.extend([(Tone::Text, String::new()), (Tone::Strong, then.into())]);
                sheet.then = Some((KeyCode::Enter, "shows its games", Then::Guide));
                self.sheet = Some(sheet);
                self.guide = Some(guide);
                vec![Act::Survey]
            }
            Err(fault) => {
                let mut sheet = Sheet::new("No profile was written");
                sheet.lines = fault.text().split('\n').map(|text| (Tone::Danger, text.to_string())).collect();
                self.sheet = Some(sheet);
                Vec::new()
            }
        }
    }
}
