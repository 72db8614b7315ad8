//! What lies around, and what can be done with it.

use super::super::text::count;
use super::several;
use deft_barge_core::bytes::Bytes;
use deft_barge_core::survey::{CleanupAct, FindKind};

/// What lies around, in a word or two.
pub fn lying_word(what: &FindKind) -> &'static str {
    match what {
        FindKind::Unlisted { .. } => "unlisted",
        FindKind::OldCopy { .. } => "old copy",
        FindKind::Duplicate { .. } => "duplicate",
        FindKind::BrokenLink { .. } => "broken link",
        FindKind::DeadEntry { .. } => "dead entry",
        FindKind::OfflineLibrary { .. } => "offline",
        FindKind::HalfMade => "unfinished",
    }
}

/// What lies around, in a sentence without its subject.
pub fn find(what: &FindKind) -> String {
    match what {
        FindKind::Unlisted { fits: Some(fit), .. } => {
            let title = fit.title.as_deref().unwrap_or(&fit.id);
            let missing =
                if fit.missing == Bytes::ZERO { "complete".into() } else { format!("{} missing", fit.missing) };
            format!(
                "an unlisted game: {title} ({}); {} of {} files of the content list, {missing}",
                fit.launcher,
                count(fit.there),
                count(fit.files)
            )
        }
        FindKind::Unlisted { programs, packs, fits: None } => format!(
            "an unlisted folder that looks like a game: {} and {}",
            several(*programs, "program"),
            several(*packs, "large file")
        ),
        FindKind::OldCopy { title, install, haul, alike, files, .. } => {
            let by = haul.map_or_else(String::new, |haul| format!("; haul {haul} moved it"));
            format!(
                "an old copy of {title}, which is installed in {}: {} of {} files have the same size{by}",
                install.display(),
                count(*alike),
                count(*files)
            )
        }
        FindKind::Duplicate { title, install, .. } => {
            format!("the same files as {title} in {}; you can uninstall one of them in its launcher", install.display())
        }
        FindKind::BrokenLink { leads_to, .. } => format!("a link to {}, which doesn't exist", leads_to.display()),
        FindKind::DeadEntry { title, file, .. } => {
            format!("{title} is listed in {}, but its folder is gone", file.display())
        }
        FindKind::OfflineLibrary { launcher } => {
            format!("a library of {launcher} on a drive that isn't connected")
        }
        FindKind::HalfMade => "a copy that an interrupted haul left unfinished".into(),
    }
}

/// What can be done about a find.
pub fn find_act(act: CleanupAct) -> &'static str {
    match act {
        CleanupAct::Import => "import it",
        CleanupAct::Haul => "haul it with --traced",
        CleanupAct::Release => "verify it, then release it",
        CleanupAct::Quarantine => "quarantine it",
        CleanupAct::RemoveLink => "remove the link",
        CleanupAct::Forget => "remove the entry",
        CleanupAct::Remap => "remap its drive",
    }
}

/// What can be done about a find, in a word.
pub fn act_word(act: CleanupAct) -> &'static str {
    match act {
        CleanupAct::Import => "import",
        CleanupAct::Haul => "move",
        CleanupAct::Release => "verify",
        CleanupAct::Quarantine => "quarantine",
        CleanupAct::RemoveLink | CleanupAct::Forget => "remove",
        CleanupAct::Remap => "remap",
    }
}
