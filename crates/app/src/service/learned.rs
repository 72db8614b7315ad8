//! What was learned of a launcher: said, asked about, and saved as its profile.

use std::fs;
use std::io::{self, Write};
use std::path::{Path, PathBuf};

use deft_barge_core::launcher::Profile;
use deft_barge_core::learn::LearnedLauncher;
use deft_barge_core::site::Site;

use super::sink::Sink;
use crate::present::{Fault, Kind, learning as said, path as shown, words};

/// What is said of a launcher.
pub(super) fn told(site: &Site, launcher: &LearnedLauncher) -> String {
    let mut out = said::launcher(site, launcher);
    match &launcher.doubt {
        Some(doubt) => out.push(format!("  not learned: {}.", said::doubt(doubt))),
        None => out.push(format!("  {}.", said::proof(launcher))),
    }
    if !launcher.left.is_empty() {
        let files = words::plural(launcher.left.len(), "file stays", "files stay");
        out.push(format!("  {files} as they are (logs, backups, caches):"));
        out.extend(launcher.left.iter().map(|file| format!("    {}", shown(file))));
    }
    out.join("\n")
}

/// Settles what isn't sure and saves the profile; `None` if a question stays open.
pub(super) fn settle(
    site: &Site,
    launcher: &mut LearnedLauncher,
    yes: bool,
    sink: &Sink,
) -> Result<Option<PathBuf>, Fault> {
    while let Some(question) = launcher.questions.first().cloned() {
        let answer = if yes {
            if !sink.is_json() {
                sink.say(&format!("  {}.", said::taken(&question)))?;
            }
            0
        } else if sink.can_pick() {
            sink.pick(&said::question(&launcher.name, &question), question.candidates.len())?
        } else {
            if !sink.is_json() {
                sink.say(&said::question(&launcher.name, &question))?;
                sink.say("  not saved: answer in a terminal, or accept the likeliest answers with --yes.")?;
            }
            return Ok(None);
        };
        launcher.answer(0, answer);
        if let Some(doubt) = &launcher.doubt {
            if !sink.is_json() {
                sink.say(&format!("  not learned: {}.", said::doubt(doubt)))?;
            }
            return Ok(None);
        }
    }
    let folder = site.profile_folder();
    let earlier = if launcher.again { file_of_profile(&folder, &launcher.id) } else { None };
    let file = earlier.clone().unwrap_or_else(|| folder.join(format!("{}.toml", launcher.id)));
    if earlier.is_none() && file.exists() {
        let sentence = format!("{} exists already and is another launcher's profile.", shown(&file));
        return Err(Fault::new(Kind::Failed, sentence, "Rename it, then learn again."));
    }
    // What is there stays until the new one is written whole.
    let new = file.with_extension("toml.new");
    write(&new, &launcher.profile)?;
    let kept = earlier.as_deref().map(set_aside).transpose()?;
    rename(&new, &file)?;
    if !sink.is_json() {
        let kept =
            kept.map_or_else(String::new, |kept| format!("; what was learned before is kept in {}", shown(&kept)));
        sink.say(&format!("  saved as {}{kept}", shown(&file)))?;
    }
    Ok(Some(file))
}

/// The file of the profile of this id.
fn file_of_profile(folder: &Path, id: &str) -> Option<PathBuf> {
    let files = fs::read_dir(folder).ok()?.flatten().map(|entry| entry.path());
    let mut files = files.filter(|file| file.extension().is_some_and(|end| end == "toml"));
    files.find(|file| {
        let profile = fs::read_to_string(file).ok().and_then(|text| Profile::parse(&text, file).ok());
        profile.is_some_and(|profile| profile.id == id)
    })
}

/// Renames an earlier profile, so that it is no profile any more and still there, under a name that nothing has.
fn set_aside(file: &Path) -> Result<PathBuf, Fault> {
    let names = (1..).map(|n| if n == 1 { "toml.before".to_string() } else { format!("toml.before-{n}") });
    let mut free = names.map(|end| file.with_extension(end)).filter(|path| !path.exists());
    let kept = free.next().unwrap_or_else(|| file.with_extension("toml.before"));
    rename(file, &kept)?;
    Ok(kept)
}

fn rename(from: &Path, to: &Path) -> Result<(), Fault> {
    let failed = |error: io::Error| Fault::new(Kind::Failed, format!("Couldn't rename {}: {error}.", shown(from)), "");
    fs::rename(from, to).map_err(failed)
}

fn write(file: &Path, text: &str) -> Result<(), Fault> {
    let failed = |error: io::Error| Fault::new(Kind::Failed, format!("Couldn't write {}: {error}.", shown(file)), "");
    if let Some(folder) = file.parent() {
        fs::create_dir_all(folder).map_err(failed)?;
    }
    let made =
        fs::File::create(file).and_then(|mut made| made.write_all(text.as_bytes()).and_then(|()| made.sync_all()));
    made.map_err(failed)
}
