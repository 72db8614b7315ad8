//! Every sentence about a finding, a stage or a difference: what, why, what now.

use std::collections::BTreeSet;
use std::path::PathBuf;
use std::time::Duration;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::item::{
    Finding, FindingKind, Left, Limit, PlannedItem, Policy, PreviewKind, Proof, Residue, Severity, Stage, StageKind,
    Strategy, WhyLeft,
};
use deft_barge_core::journal::EventKind;
use deft_barge_core::journal::{HaulRow, ItemLine, ItemRow, LogLine};
use deft_barge_core::launcher::{DataKind, Drift, LearnedFrom, PlaceFault, Staying, WhyStaying};
use deft_barge_core::plan::{Basis, DraftFile, ItemTime, Load, Misfit, Miss, Plan, Slowest, Span, Why};
use deft_barge_core::platform::DriveKind;
use deft_barge_core::site::{DriveSpeed, Process, Sight};
use deft_barge_core::survey::{CleanupAct, FindKind, Fit};
use deft_barge_core::survey::{Scope, Way};
use jiff::Timestamp;
use jiff::tz::TimeZone;
use serde_json::{Value, json};

use super::text::{count, visible};

pub fn severity(weight: Severity) -> &'static str {
    match weight {
        Severity::Blocker => "blocker",
        Severity::Warning => "warning",
        Severity::Note => "note",
    }
}

/// A finding in a sentence, headed by its weight.
pub fn finding(finding: &Finding) -> String {
    format!("{:8} {}", severity(finding.severity), finding_sentence(finding))
}

/// A finding in a sentence.
pub fn finding_sentence(finding: &Finding) -> String {
    let about = finding.title.as_ref().map_or_else(String::new, |title| format!("{title}: "));
    visible(&format!("{about}{}", kind_sentence(&finding.kind)))
}

/// How a game would fit on a drive.
pub fn fit(fit: Fit, title: &str, file_system: &str) -> String {
    match fit {
        Fit::Room(left) => format!("room for {title}, {left} left"),
        Fit::Lacks(bytes) => format!("needs {bytes} more for {title}"),
        Fit::Links(links) => format!("{file_system} can't hold the {} of {title}", several(links, "link")),
        Fit::ReadOnly => format!("read-only: {title} can't go here"),
    }
}

/// A finding as JSON, with its sentence.
pub fn finding_json(finding: &Finding) -> Value {
    let mut value = serde_json::to_value(finding).unwrap_or_else(|_| json!({}));
    value["text"] = finding_sentence(finding).into();
    value["clearing"] = serde_json::to_value(finding.kind.clearing()).unwrap_or_default();
    value
}

fn records_of(launcher: &str) -> String {
    if launcher.is_empty() { "its records".into() } else { format!("{launcher}'s records") }
}

/// Something that a removal has left, and why.
pub fn left(left: &Left) -> String {
    let why = match left.why {
        WhyLeft::Changed => "changed since it was verified",
        WhyLeft::Unknown => "not part of what was verified",
        WhyLeft::CopyChanged => "its copy has changed since; this is the older version",
        WhyLeft::OriginalGone => "its original is gone; this may be the last copy",
        WhyLeft::NotPermitted => "the system doesn't allow removing it",
        WhyLeft::ReadOnly => "its drive is read-only",
        WhyLeft::DriveAway => "its drive isn't connected",
    };
    let path = if left.path.as_os_str().is_empty() { ".".into() } else { left.path.display().to_string() };
    visible(&format!("{path} ({}; {why})", left.bytes))
}

/// What a plan deletes as soon as it is verified: bytes and titles, the first three of many; `None` if all originals are kept.
pub fn deletes(plan: &Plan) -> Option<(Bytes, String)> {
    let goes = |item: &&PlannedItem| {
        matches!(item.mode, Strategy::Copy | Strategy::Duplicate | Strategy::Quarantine) && plan.deletes(item)
    };
    let items: Vec<&PlannedItem> = plan.items.iter().filter(goes).collect();
    if items.is_empty() {
        return None;
    }
    let mut titles: Vec<String> = items.iter().take(3).map(|item| visible(&item.title)).collect();
    if items.len() > 3 {
        titles.push(format!("and {} more", items.len() - 3));
    }
    Some((items.iter().map(|item| item.size.on_disk).sum(), titles.join(", ")))
}

/// What a person can do after a refusal to remove or to go back: one command that leads on.
pub fn what_leads_on(findings: &[Finding], haul: HaulId) -> String {
    let any = |is: &dyn Fn(&FindingKind) -> bool| findings.iter().any(|finding| is(&finding.kind));
    if any(&|kind| matches!(kind, FindingKind::DriveAway { .. } | FindingKind::AnotherDrive { .. })) {
        return format!(
            "If that drive is lost: deft-barge undo {haul} --leave goes back to kept originals without it and leaves what is on it as it is; deft-barge resume goes on with a finished copy."
        );
    }
    if any(&|kind| matches!(kind, FindingKind::CopyNotWhole { .. } | FindingKind::ProofFailed { .. })) {
        return format!(
            "See what differs with: deft-barge verify {haul}. Go back with: deft-barge undo {haul}. Or repair damaged files with: deft-barge audit GAME --repair"
        );
    }
    if any(&|kind| matches!(kind, FindingKind::RecordsElsewhere { .. })) {
        return format!(
            "Update the records again with: deft-barge resume {haul}, or go back with: deft-barge undo {haul}"
        );
    }
    if any(&|kind| {
        matches!(
            kind,
            FindingKind::LauncherRunning { .. } | FindingKind::InUse { .. } | FindingKind::DatabaseHeld { .. }
        )
    }) {
        return "Close it, then try again.".into();
    }
    format!("To end the haul with everything left as it is: deft-barge undo {haul} --leave")
}

/// What can be done now with a haul that is unfinished or keeps originals; nothing of one that is over.
pub fn what_now(haul: &HaulRow, away: &[String]) -> Option<String> {
    let (id, open, held) = (haul.id, haul.unfinished(), haul.items.iter().any(ItemRow::holds_originals));
    if !open && !held {
        return None;
    }
    if !away.is_empty() {
        let verb = if away.len() == 1 { "isn't" } else { "aren't" };
        return Some(format!(
            "{} {verb} connected. Connect it, then try again; if it is lost: deft-barge undo {id} --leave",
            visible(&away.join(" and "))
        ));
    }
    let undo = haul.returns.is_none().then(|| format!("undo it with: deft-barge undo {id}"));
    let first = if open {
        "resume with: deft-barge resume".to_string()
    } else {
        format!("delete the originals with: deft-barge release {id}")
    };
    Some([Some(first), undo].into_iter().flatten().collect::<Vec<_>>().join(", or "))
}

fn process(process: &Process) -> String {
    format!("{} (process {})", process.name, process.pid)
}

/// What stays as it is, by name.
fn files_stay(staying: &Staying) -> String {
    /// Files that are named; a trace names all.
    const MOST: usize = 5;
    let n = staying.files.len() as u64;
    let named: Vec<String> = staying.files.iter().take(MOST).map(|file| file.display().to_string()).collect();
    let more = n.saturating_sub(MOST as u64);
    let names = if more > 0 {
        format!("{} and {} more (deft-barge trace lists them)", named.join(", "), count(more))
    } else {
        named.join(", ")
    };
    let (one, many, what) = match staying.why {
        WhyStaying::NameOnly => ("file contains", "files contain", "only the folder's name"),
        WhyStaying::Unreadable => ("file contains", "files contain", "the path in a way that can't be rewritten"),
        WhyStaying::Checksum => ("file holds", "files hold", "a checksum of the path or of a record file"),
        WhyStaying::Log => ("log contains", "logs contain", "the old path"),
        WhyStaying::Backup => ("backup contains", "backups contain", "the old path"),
        WhyStaying::Cache => ("cache file contains", "cache files contain", "the old path"),
        WhyStaying::Chosen => ("file contains", "files contain", "a place that you chose to leave"),
    };
    let stays = match (staying.why, n) {
        (WhyStaying::Checksum, _) => "that will be wrong",
        (_, 1) => "and stays as it is",
        _ => "and stay as they are",
    };
    let now = match staying.why {
        WhyStaying::Checksum => {
            " If the launcher refuses its files afterwards, undo the haul and move the game with the launcher."
        }
        WhyStaying::NameOnly | WhyStaying::Unreadable => {
            " If the launcher doesn't find the game afterwards, look there."
        }
        _ => "",
    };
    format!("{} {} {what} {stays}: {names}.{now}", count(n), if n == 1 { one } else { many })
}

#[expect(clippy::too_many_lines, reason = "a flat match, one sentence a finding")]
fn kind_sentence(kind: &FindingKind) -> String {
    match kind {
        FindingKind::NoRoom { drive, lacks, reserve } if reserve.count() == 0 => {
            format!("{drive} needs {lacks} more. Make room there.")
        }
        FindingKind::NoRoom { drive, lacks, reserve } => {
            format!(
                "{drive} needs {lacks} more, beyond its {reserve} reserve, in any order. Take a game off the haul, or make room there."
            )
        }
        FindingKind::NoOrder { drive, lacks, item, done } => {
            let then = match done {
                0 => "already at the first copy".into(),
                1 => "after one copy".into(),
                n => format!("after {n} copies"),
            };
            format!("no order fits everything: {drive} needs {lacks} more for {item}, {then}.")
        }
        FindingKind::MoreRoom { drive, bytes } => format!("everything would fit with {bytes} more on {drive}."),
        FindingKind::WithoutItem { item } => format!("the others would fit without {item}."),
        FindingKind::MustRelease { drive, bytes } => format!(
            "its originals ({bytes}) must be deleted as soon as its copy is proved: a later game needs their room on {drive}."
        ),
        FindingKind::NotTried => {
            "no game can be tried first: this is the only one, or each needs the others' room.".into()
        }
        FindingKind::WaitsOn { drive, bytes } => {
            format!("it waits on {drive} while others change places, so its {bytes} are copied twice.")
        }
        FindingKind::LauncherRunning { launcher, process: p } => format!(
            "{launcher} is running (process {}). It would overwrite the updated records when it closes. Close it; this line disappears.",
            p.pid
        ),
        FindingKind::InUse { process: p } => {
            let what = match &p.why {
                Sight::Uses(path) | Sight::InLayer(path) => path.display().to_string(),
                Sight::Named => "its files".into(),
            };
            format!("{} is using {what}. Close it; this line disappears.", process(p))
        }
        FindingKind::NotAllVisible { count: n } => {
            format!("can't inspect {} of other users. Make sure no one else is playing.", several(*n, "process"))
        }
        FindingKind::RecordUnsound { file, location, says } => format!(
            "the record {location} in {} contains {says:?}, which isn't where the game is. Repair it in the launcher first.",
            file.display()
        ),
        FindingKind::RecordsUnchangeable { why } => format!("its records can't be updated: {why}."),
        FindingKind::TargetThere { path } => {
            format!("{} exists already. Move it away first; nothing is overwritten.", path.display())
        }
        FindingKind::NotWritable { path } => {
            format!("can't write {}. Check its permissions, and whether its drive is read-only.", path.display())
        }
        FindingKind::SeveralNames { path, names } => {
            let others = several(usize::try_from(names - 1).unwrap_or(usize::MAX), "other hard link");
            format!("{} has {others}, which will still contain the old path.", path.display())
        }
        FindingKind::TargetInside { path } => {
            format!("{} is inside the game itself. Choose another place.", path.display())
        }
        FindingKind::AlreadyThere { path } => format!("it is already in {}.", path.display()),
        FindingKind::BadPlace { path, fault } => {
            format!("{} can't be its folder: {}. Nothing in it is touched.", path.display(), place_fault(fault))
        }
        FindingKind::Sealed { reason } if reason.is_empty() => "its launcher doesn't let it be moved.".into(),
        FindingKind::Sealed { reason } => format!("it is locked: {reason}."),
        FindingKind::SourceUnreadable { what } => format!("couldn't read all of its folder: {what}."),
        FindingKind::CannotHold { path, limit, count: n } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!("the drive can't store {path}{more}: {}. Choose another drive.", limit_words(*limit))
        }
        FindingKind::LinksNeeded { path, count: n, bytes } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!(
                "the drive can't store links such as {path}{more}. Copy the files they point to instead ({bytes}; --copy-links, or in the Haul view), or choose another drive."
            )
        }
        FindingKind::LinksCopied { count: n, bytes } => {
            let what = if *n == 1 { "a copy replaces a link" } else { "copies replace links" };
            format!(
                "{what} ({}, {bytes}), since the drive can't store links. An undo restores the links while originals are kept, and the copies after a release.",
                count(*n as u64)
            )
        }
        FindingKind::SharesFolder { with, path } => format!(
            "the folder of {with}, {}, is inside its folder and would move with it. Move that one first, or leave both.",
            path.display()
        ),
        FindingKind::SettingGoes { with, file } => format!(
            "the setting that points to it, {}, moves with {with} in the same haul. Move one of them first, in a haul of its own, or leave a link at the old place.",
            file.display()
        ),
        FindingKind::AlsoKnown { as_title, launcher } => format!(
            "{launcher} lists the same folder as {as_title}, and will still look in the old place. Change it there, or accept."
        ),
        FindingKind::TimeAhead { path, count: n } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!(
                "{path}{more} has a time in the future. A clock is or was wrong; files are compared by their bytes anyway."
            )
        }
        FindingKind::Removable { drive } => {
            format!("{drive} can be unplugged; while it is, the launcher won't find the game.")
        }
        FindingKind::Slower { drive, reads, read } => format!(
            "{drive} reads {}/s, its drive now {}/s; the game will load more slowly.",
            Bytes::new(*reads),
            Bytes::new(*read)
        ),
        FindingKind::NoStateRoom { path, lacks } => {
            format!(
                "the journal's folder, {}, needs {lacks} more for the list of files. Make room there.",
                path.display()
            )
        }
        FindingKind::StillHeld { haul, bytes } => {
            format!("haul {haul} still keeps {bytes} of its originals. Delete them with: deft-barge release {haul}")
        }
        FindingKind::NotThereYet { drive } => {
            format!(
                "you don't have {drive} yet; this is what would happen. Save the draft, and open it when the drive is plugged in."
            )
        }
        FindingKind::NoDestination { what } => format!("no drive or library is called {what}."),
        FindingKind::NoLibrary { launcher, drive } => {
            format!(
                "{launcher} has no library on {drive}, and its profile doesn't say how to make one. Make one in the launcher."
            )
        }
        FindingKind::HaulUnfinished { haul } => format!("haul {haul} is unfinished. Resume or undo it first."),
        FindingKind::LinkLeadsOut { path, count: n } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!(
                "the link {path}{more} points out of the game by a relative path, and will point elsewhere from the new place."
            )
        }
        FindingKind::NicetyLost { what } => format!("{what} on that drive."),
        FindingKind::AbilitiesUnknown { drive, file_system } => {
            format!(
                "what {drive} ({file_system}) can store is unknown. If something doesn't fit, the copy stops and nothing changes."
            )
        }
        FindingKind::UpdateWaiting { update } => {
            format!(
                "an update is half downloaded ({} of {}). Finish it in the launcher first, or accept.",
                update.have, update.want
            )
        }
        FindingKind::ClaimFar { claim, size } => {
            format!("its launcher reports {claim}, but the files are {size}. All of them move.")
        }
        FindingKind::NoContentList { launcher } => {
            format!(
                "{launcher} has no list of its files, so downloads can't be predicted; the copy is verified anyway."
            )
        }
        FindingKind::NoLetter { prefix, path, free } => {
            let way = match free {
                Some(letter) => format!(
                    "Make one (--make-letters, or in the Haul view; {}: is free), or choose another drive.",
                    letter.to_ascii_uppercase()
                ),
                None => "All letters are taken; choose another drive.".into(),
            };
            format!(
                "a record uses a drive letter, and none in {} points to {}. {way}",
                prefix.display(),
                path.display()
            )
        }
        FindingKind::LetterMade { letter, link } => {
            format!("the drive letter {letter}: will be made, as the link {}.", link.display())
        }
        FindingKind::DatabaseHeld { path } => {
            format!("another program has {} open. Close it; this line disappears.", path.display())
        }
        FindingKind::FilesStay(staying) => files_stay(staying),
        FindingKind::PlacesMissed { places, files } => {
            format!(
                "{} to the old folder in {}, and no record of its launcher covers that. It will point to nothing once the originals are deleted.",
                plural(*places, "place points", "places point"),
                some_files(files)
            )
        }
        FindingKind::LauncherChanged { launcher, drift } => {
            format!("{} Learn it again: deft-barge learn, or in Records.", changed(launcher, drift))
        }
        FindingKind::DataByLink { path } => {
            format!("a link at {} will point to it. Most programs follow links.", path.display())
        }
        FindingKind::DataBySetting { file, asks_again } => format!(
            "the game's own setting in {} will point to the new folder.{}",
            file.display(),
            if *asks_again { " The game may ask once for what it last had open." } else { "" }
        ),
        FindingKind::DataByDirectory { path } => format!(
            "{} is a user directory of the desktop: everything in it moves, and all programs that use it follow.",
            path.display()
        ),
        FindingKind::DataByName { path } => {
            format!("{} is the game's only by its name. Look inside first.", path.display())
        }
        FindingKind::DataStays { what, path, bytes } => {
            let what = what.rsplit_once(": ").map_or(what.as_str(), |(_, kind)| kind);
            format!("its {what} ({bytes}) stay in {}. You can send them along.", path.display())
        }
        FindingKind::NoWay { way } => format!("it can't move {}. Choose another way.", way_words(*way)),
        FindingKind::NoLinkThere { path } => {
            format!("can't leave a link at {}: that file system can't store links.", path.display())
        }
        FindingKind::LinkLeft { path } => format!("a link stays at {} and points to the new place.", path.display()),
        FindingKind::ShortcutStays { path } => {
            format!("the shortcut {} can't be changed from here, and will point to the old place.", path.display())
        }
        FindingKind::LetGoForGood { path } => {
            format!("what was in {} was quarantined and deleted; no copy is known to restore it from.", path.display())
        }
        FindingKind::OnlyCopy { path } => format!(
            "{} is the only known copy of these files. It is quarantined now; releasing it deletes them for good.",
            path.display()
        ),
        FindingKind::ComparedWith { path } => {
            format!(
                "every file is verified against {}, which stays; only files that are the same are deleted.",
                path.display()
            )
        }
        FindingKind::NotLookedInto { what } => format!("couldn't look into {what}, which may contain the old path."),
        FindingKind::NothingTells { path } => format!(
            "no record points to {}: nothing would tell a launcher where it is. Look for records elsewhere with deft-barge trace FOLDER --in PLACE, or move it as a loose folder (--loose).",
            path.display()
        ),
        FindingKind::LooseFolder { path } => {
            format!("no record points to {}; it moves as a loose folder.", path.display())
        }
        FindingKind::NothingLeadsThere { path } => format!("no record points below {}.", path.display()),
        FindingKind::Incomplete { files: n, bytes } => format!(
            "{} of its content list {} missing or another size: the launcher will download {bytes}.",
            several(*n, "file"),
            if *n == 1 { "is" } else { "are" }
        ),
        FindingKind::NewLibrary { launcher, path } => format!("{launcher} gets a new library in {}.", path.display()),
        FindingKind::DriveAway { drive, path } => {
            format!("{drive} isn't connected, so {} can't be checked. Connect it and try again.", path.display())
        }
        FindingKind::AnotherDrive { drive, path } => {
            format!("another drive is where {drive} was, at {}. Connect {drive} and try again.", path.display())
        }
        FindingKind::SameFolder { path, other } => format!(
            "{} and {} are the same folder, or one is inside the other. Deleting one would delete both.",
            path.display(),
            other.display()
        ),
        FindingKind::CopyNotWhole { path, count: 1 } => {
            format!(
                "the copy isn't complete: {} is missing or damaged. Nothing else holds those bytes.",
                path.display()
            )
        }
        FindingKind::CopyNotWhole { path, count } => {
            format!("the copy isn't complete: {} and {} more files are missing or damaged.", path.display(), count - 1)
        }
        FindingKind::ProofFailed { count } => {
            format!("the newest proof found {}. Check again with: deft-barge verify", several(*count, "difference"))
        }
        FindingKind::RecordsElsewhere { launcher, path: Some(path), copy } => {
            format!("{} point to {}, not to {}.", records_of(launcher), path.display(), copy.display())
        }
        FindingKind::RecordsElsewhere { launcher, path: None, copy } => {
            format!("{} no longer point to {}.", records_of(launcher), copy.display())
        }
        FindingKind::StillListed { launcher, as_title, path } => {
            format!(
                "{launcher} lists {} as {as_title}. Remove it there, or move it with that launcher.",
                path.display()
            )
        }
        FindingKind::TakenByAnother { path } => {
            format!("another Deft Barge is working with {}. Wait until it ends.", path.display())
        }
        FindingKind::ReadOnlyDrive { path } => {
            format!("the drive of {} is read-only. Make it writable and try again.", path.display())
        }
        FindingKind::NothingToUpdate { launcher } => {
            format!("{launcher} no longer lists it. The files go back; there are no records to update.")
        }
        FindingKind::NewerInCopy { path, count } => format!(
            "{} in the copy {} changed since the haul: {path}. An undo leaves {} beside the copy's place. To take {} along, release first, then undo.",
            several(*count, "file"),
            if *count == 1 { "has" } else { "have" },
            if *count == 1 { "it" } else { "them" },
            if *count == 1 { "it" } else { "them" },
        ),
    }
}

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

/// A count and its noun, in the form that the count wants: "1 game", "2 libraries".
pub fn several(number: impl TryInto<u64>, noun: &str) -> String {
    let number = number.try_into().unwrap_or(u64::MAX);
    let ending = |from: &str| noun.strip_suffix(from);
    let noun = match (number, ending("y")) {
        (1, _) => noun.to_string(),
        // "day" keeps its y.
        (_, Some(stem)) if !stem.ends_with(['a', 'e', 'i', 'o', 'u']) => format!("{stem}ies"),
        _ if noun.ends_with(['s', 'x']) || noun.ends_with("ch") => format!("{noun}es"),
        _ => format!("{noun}s"),
    };
    format!("{} {noun}", count(number))
}

/// A count and what is said of it, where a noun alone will not do: "1 line is", "2 lines are".
pub fn plural(n: usize, one: &str, many: &str) -> String {
    format!("{} {}", count(n as u64), if n == 1 { one } else { many })
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

/// Where something lies that is on none of the drives: in a declared world that is the home.
pub const NO_DRIVE: &str = "home";

/// What user data is.
pub fn data_kind(kind: DataKind) -> &'static str {
    match kind {
        DataKind::Saves => "saves",
        DataKind::Mods => "mods",
        DataKind::Screenshots => "screenshots",
        DataKind::Content => "custom content",
        DataKind::Directory => "a user directory",
    }
}

/// Where a desktop entry stands.
pub fn scope(scope: Scope) -> &'static str {
    match scope {
        Scope::Menu => "in your menu",
        Scope::System => "in everyone's menu",
        Scope::Desktop => "on the desktop",
        Scope::Autostart => "starts when you log in",
    }
}

/// How user data moves.
pub fn way_words(way: Way) -> &'static str {
    match way {
        Way::Link => "behind a link",
        Way::Setting => "by the game's own setting",
        Way::Directory => "by the user directory of the desktop",
    }
}

/// Why a place cannot be an install folder, or user data.
pub fn place_fault(fault: &PlaceFault) -> String {
    match fault {
        PlaceFault::GoesUp => "its path goes up through ..".into(),
        PlaceFault::TooHigh => "it is a drive's top folder, your home, a library, or a folder above one of them".into(),
        PlaceFault::LeadsOut(to) => format!("a link on its path points to {}", to.display()),
        PlaceFault::OutsideLibrary => "it is not in the library that lists it".into(),
        PlaceFault::Missing => "the folder doesn't exist".into(),
        PlaceFault::Elsewhere(drive, new) => {
            format!("its drive {drive} is at {} now: remap it", new.display())
        }
        PlaceFault::Away(drive) => format!("it is offline: {drive} isn't connected"),
        PlaceFault::Silent(point) => format!("the drive at {} doesn't answer", point.display()),
        PlaceFault::NotAFolder => "it is not a folder".into(),
        PlaceFault::Loop => "its links point in a circle".into(),
        PlaceFault::System => "it belongs to the system".into(),
        PlaceFault::Ours => "Deft Barge keeps its settings and journal there".into(),
        PlaceFault::Launcher => "it is the launcher's own folder".into(),
        PlaceFault::Game(path) => format!("it contains the game in {}, or is inside it", path.display()),
    }
}

fn limit_words(limit: Limit) -> &'static str {
    match limit {
        Limit::Link => "it can't store links",
        Limit::Name => "the name has characters it can't store",
        Limit::Size => "the file is too large for its file system",
        Limit::Case => "another name differs only in upper and lower case",
        Limit::Kind => "it is a pipe, socket or device",
        Limit::Path => "its path would be longer than the 4,095 bytes a program can open",
    }
}

pub fn preview_kind(kind: PreviewKind) -> &'static str {
    match kind {
        PreviewKind::Replaced => "is rewritten",
        PreviewKind::Leaves => "the entry is removed",
        PreviewKind::Arrives => "the entry is added",
        PreviewKind::LibraryKnown => "the library is listed",
        PreviewKind::FileMade => "the file is made",
        PreviewKind::LinkMade => "the link is made",
        PreviewKind::FileGoes => "the file is removed",
        PreviewKind::LinkGoes => "the link is removed",
    }
}

pub fn mode(mode: Strategy) -> &'static str {
    match mode {
        Strategy::Copy => "copy, verify, update records, prove; keep the originals",
        Strategy::Rename => "rename, update records, prove",
        Strategy::Records => "records only",
        Strategy::Import => "stays in place; update records, prove",
        Strategy::Duplicate => "verify against the installed game; keep until released",
        Strategy::Quarantine => "quarantine; keep until released",
        Strategy::TakeBack => "verify the originals, update records, prove, delete the copy",
    }
}

pub fn drive_kind(kind: DriveKind) -> &'static str {
    match kind {
        DriveKind::Nvme => "nvme",
        DriveKind::Ssd => "ssd",
        DriveKind::Disk => "disk",
        DriveKind::Usb => "usb",
        DriveKind::Network => "network",
        DriveKind::Memory => "memory",
        DriveKind::Image => "image",
        DriveKind::Unknown => "drive",
    }
}

/// What is done with an item, and what it waits for.
pub fn way(item: &PlannedItem, items: &[PlannedItem]) -> String {
    let way = match (item.mode, item.policy) {
        (Strategy::Copy, Policy::Release) => "copy, verify, update records, prove, delete the originals at once",
        (mode, _) => self::mode(mode),
    };
    let waits = item.after.last().and_then(|k| items.get(*k));
    waits.map_or_else(|| way.to_string(), |other| format!("{way}; when {} is off {}", other.title, item.to_drive))
}

/// What happens from a stage on, as a part of a sentence about an item.
pub fn stage(stage: StageKind) -> &'static str {
    match stage {
        StageKind::Planned => "planned",
        StageKind::Copying => "is being copied and verified",
        StageKind::Verified => "every byte was read back and verified",
        StageKind::Placed => "the copy is in place",
        StageKind::Linked => "a link at the new place points to the old one",
        StageKind::Renaming => "is being renamed",
        StageKind::UpdatingRecords => "updating records",
        StageKind::RecordsUpdated => "all records point to the new place",
        StageKind::Proved => "proved; the originals are kept",
        StageKind::Releasing => "deleting the old copy",
        StageKind::Released => "the old copy is deleted",
        StageKind::Cancelling => "removing what was copied",
        StageKind::Cancelled => "cancelled; everything is as it was",
        StageKind::Undone => "undone",
    }
}

/// A stage in one or two words.
pub fn stage_word(stage: &Stage) -> &'static str {
    stage_kind_word(stage.kind())
}

/// A kind of stage in one or two words.
pub fn stage_kind_word(kind: StageKind) -> &'static str {
    match kind {
        StageKind::Planned => "planned",
        StageKind::Copying => "copying",
        StageKind::Verified => "verified",
        StageKind::Renaming => "renaming",
        StageKind::Linked => "linked",
        StageKind::Placed => "in place",
        StageKind::UpdatingRecords => "updating records",
        StageKind::RecordsUpdated => "records updated",
        StageKind::Proved => "proved",
        StageKind::Releasing => "releasing",
        StageKind::Released => "released",
        StageKind::Cancelling => "cancelling",
        StageKind::Cancelled => "cancelled",
        StageKind::Undone => "undone",
    }
}

/// What a line of the log tells of, in a word or two.
pub fn event_word(kind: EventKind) -> &'static str {
    match kind {
        EventKind::Begun => "started",
        EventKind::Failed => "failed",
        EventKind::Proved => "proved",
        EventKind::Released => "released",
        EventKind::Undone => "undone",
        EventKind::Cancelled => "cancelled",
        EventKind::Unlisted => "not listed any more",
        EventKind::UpdatedAgain => "records updated again",
        EventKind::Left => "left",
        EventKind::Taken => "repaired from",
        EventKind::Launched => "launched",
        EventKind::Repaired => "repaired",
        EventKind::Unknown => "unknown",
    }
}

/// How a haul stands, in a few words.
pub fn haul_state(haul: &LogLine) -> String {
    let all = |test: &dyn Fn(&Stage) -> bool| haul.items.iter().all(|item| test(&item.stage));
    if haul.unfinished() {
        return "unfinished".into();
    }
    if all(&|s| matches!(s, Stage::Undone)) {
        return "undone".into();
    }
    if all(&|s| matches!(s, Stage::Cancelled)) {
        return "cancelled".into();
    }
    if haul.items.iter().any(ItemLine::holds_originals) {
        return "originals kept".into();
    }
    let released = all(&|s| matches!(s, Stage::Released { .. })) && haul.returns.is_none();
    if released { "released".into() } else { "done".into() }
}

/// The totals of a proof in one line.
pub fn proof(proof: &Proof) -> String {
    let download = proof.to_download.map_or("not known".to_string(), |bytes| bytes.to_string());
    let updated = if proof.updated > 0 { format!(", updated since {}", count(proof.updated)) } else { String::new() };
    format!(
        "differ {}, missing {}, extra {}, to download {download}{updated}   ({}, {}{})",
        count(proof.differ),
        count(proof.missing),
        count(proof.extra),
        several(proof.files, "file"),
        proof.bytes,
        if proof.read { ", every byte read back" } else { ", by names and sizes" }
    )
}

/// What happens once the games of a haul are through.
pub const SEARCHING: &str = "Searching for places that still point to the old folders";

/// What still points to the old folder.
pub fn residue(residue: &Residue) -> String {
    if residue.places == 0 {
        return "0 places still point to the old folder".into();
    }
    let points = plural(residue.places as usize, "place still points", "places still point");
    let leads_on = if residue.led_on { ", where a link continues" } else { "" };
    format!("{points} to the old folder{leads_on}: {}", some_files(&residue.files))
}

/// What mentions the old folder and was left, a sentence each; none where there is nothing of that.
pub fn mentions(residue: &Residue) -> Vec<String> {
    let mut all = Vec::new();
    if !residue.left.is_empty() {
        let files = plural(residue.left.len(), "file mentions it and was", "files mention it and were");
        all.push(format!(
            "{files} left on purpose (logs, backups, caches, a name alone): {}",
            some_files(&residue.left)
        ));
    }
    if !residue.unclear.is_empty() {
        let files = plural(residue.unclear.len(), "file mentions it", "files mention it");
        all.push(format!(
            "{files} in a format that can't be read here: {}. Launch the game once to see whether it matters",
            some_files(&residue.unclear)
        ));
    }
    all
}

/// The first files by their paths, and how many more there are.
fn some_files(files: &[PathBuf]) -> String {
    let some: Vec<String> = files.iter().take(3).map(|file| super::path(file)).collect();
    match files.len().saturating_sub(some.len()) {
        0 => some.join(", "),
        more => format!("{} and {}", some.join(", "), plural(more, "more file", "more files")),
    }
}

/// A time as people say it.
pub fn about(time: Duration) -> String {
    let seconds = time.as_secs();
    match seconds {
        0..=1 => "about a second".into(),
        2..=89 => format!("about {seconds} s"),
        90..=5399 => format!("about {} min", (seconds + 30) / 60),
        _ => format!("about {} h {} min", seconds / 3600, seconds % 3600 / 60),
    }
}

/// A range of times as people say it.
pub fn span(span: Span) -> String {
    let (low, high) = (about(span.low), about(span.high));
    if low == high {
        return low;
    }
    format!("{low} to {}", high.trim_start_matches("about "))
}

/// How long an item takes, why, and how that is known.
pub fn item_time(time: &ItemTime) -> String {
    let named = |drive: &str| if drive.is_empty() { NO_DRIVE.to_string() } else { drive.to_string() };
    let rate = |rate: f64| format!("{}/s", Bytes::new(rate as u64));
    let why = match &time.slowest {
        Some(Slowest::Reads { drive, bytes_per_second }) => {
            format!(": {} reads {}", named(drive), rate(*bytes_per_second))
        }
        Some(Slowest::Writes { drive, bytes_per_second }) => {
            format!(": {} writes {}", named(drive), rate(*bytes_per_second))
        }
        Some(Slowest::Files { drive }) => format!(": many small files on {}", named(drive)),
        None => String::new(),
    };
    let basis = match time.basis {
        Basis::Hauls => "from past hauls",
        Basis::Probe => "as probed",
        Basis::Part => "from one of the drives",
        Basis::Kind => "a guess from the kinds of drives; probe them to know more",
    };
    format!("{}{} ({basis})", span(time.span), visible(&why))
}

/// How a drive's load changes.
pub fn load(load: &Load) -> String {
    let percent = |bytes: Bytes| bytes.part_of(load.capacity) * 100.0;
    format!(
        "load      {} now {:>3.0}%, at most {:>3.0}%, {:>3.0}% once the originals are released",
        super::text::pad(&super::text::line(&load.drive), 12),
        percent(load.now),
        percent(load.peak),
        percent(load.after)
    )
}

/// A moment as the clock on the wall has it.
pub fn moment(at: Timestamp) -> String {
    at.to_zoned(TimeZone::system()).strftime("%Y-%m-%d %H:%M").to_string()
}

/// Whether a drive may be measured.
pub fn probe_question(drive: &str) -> String {
    let drive = super::text::line(drive);
    format!("Measure {drive}? That writes up to 256 MB to it and deletes them again; it takes up to ten seconds.")
}

/// What a probe has measured.
pub fn pace(drive: &str, pace: &DriveSpeed) -> String {
    let rate = |rate: f64| Bytes::new(rate as u64);
    format!(
        "{} reads {}/s and writes {}/s; each small file takes {:.1} ms",
        super::text::line(drive),
        rate(pace.read),
        rate(pace.write),
        pace.per_file * 1000.0
    )
}

/// What a draft that is kept would do, and the day it was saved.
pub fn kept_draft(file: &DraftFile, saved: Option<Timestamp>) -> String {
    let drives: BTreeSet<&str> = file.items.iter().filter_map(|item| item.to.as_deref()).collect();
    let to = match drives.iter().collect::<Vec<_>>().as_slice() {
        [] => String::new(),
        [one] => format!(" to {one}"),
        [one, other] => format!(" to {one} and {other}"),
        more => format!(" to {} drives", more.len()),
    };
    let day = saved.map(|saved| saved.to_zoned(TimeZone::system()).strftime("   %-d %b %Y").to_string());
    visible(&format!("{}{to}{}", several(file.items.len(), "game"), day.unwrap_or_default()))
}

/// Why a line stands in a suggestion.
pub fn why(why: &Why, now: Timestamp) -> String {
    let days = |at: Timestamp| match now.duration_since(at).as_secs() / 86_400 {
        days if days <= 0 => "today".to_string(),
        1 => "a day ago".into(),
        days => format!("{} days ago", count(days as u64)),
    };
    match why {
        Why::MakesRoom { drive, bytes } => format!("frees {bytes} on {drive}"),
        Why::LastPlayed { at: Some(at) } => format!("last played {}", days(*at)),
        Why::LastPlayed { at: None } => "last played: unknown".into(),
        Why::PlayedMost { at } => format!("played {}", days(*at)),
        Why::OnlyPlace => "the only drive with room".into(),
    }
}

/// What a suggestion leaves undone.
pub fn miss(miss: &Miss) -> String {
    visible(&match miss {
        Miss::Fixed { title } => format!("{title} can't be moved."),
        Miss::NoPlace { title } => format!("{title}: no other drive has room for it."),
        Miss::StillLacks { drive, bytes } => {
            format!("{drive} still needs {bytes}: no more of its games fit elsewhere.")
        }
        Miss::NoDrive { drive } => format!("No drive is called {drive}."),
    })
}

/// What has changed since a draft was written.
pub fn misfit(misfit: &Misfit) -> String {
    match misfit {
        Misfit::GameGone { title, .. } => format!("{title} isn't installed any more"),
        Misfit::Moved { title, was, now } => {
            format!("{title} was in {} and is in {} now", was.display(), now.display())
        }
        Misfit::DriveGone { title, drive } => format!("{title}: no drive is called {drive}"),
        Misfit::LibraryGone { title, library } => format!("{title}: the library {} is gone", library.display()),
        Misfit::NoPlace { title } => format!("{title}: no destination"),
    }
}

/// What an item waits for before its records change.
pub fn waiting(title: &str, findings: &[Finding]) -> String {
    let what: Vec<String> = findings.iter().map(finding_sentence).collect();
    format!("{}: waiting until this ends: {}", super::text::line(title), what.join(" "))
}

/// That a drive does not answer.
pub fn hung(title: &str, path: &std::path::Path, seconds: u64) -> String {
    format!(
        "{}: the drive hasn't answered for {seconds} s ({}); wait, or pause the haul",
        super::text::line(title),
        super::text::path(path)
    )
}

/// What a launcher was learned from and how sure that is; how much was asked, if anything was.
pub fn learned_from(learned: &LearnedFrom) -> (String, Option<String>) {
    let proved = format!(
        "from {}: {} rehearsed, {} covered",
        several(learned.games, "game"),
        plural(learned.moves, "move", "moves"),
        several(learned.places, "place"),
    );
    let asked = (learned.asked > 0).then(|| format!("{} asked", plural(learned.asked, "thing was", "things were")));
    (proved, asked)
}

/// How a launcher's files differ from what was learned of them, in a sentence.
pub fn changed(launcher: &str, drift: &Drift) -> String {
    let (name, file) = (super::text::line(launcher), super::text::path(&drift.file));
    let some = |names: &[String]| {
        let shown: Vec<String> = names.iter().take(3).map(|name| super::text::line(name)).collect();
        let more = if names.len() > 3 { format!(" and {} more", names.len() - 3) } else { String::new() };
        format!("{}{more}", shown.join(", "))
    };
    match (drift.lost, drift.gone.as_slice(), drift.new.as_slice()) {
        (Some(games), ..) => {
            let known = several(games, "game");
            format!(
                "{name} was learned from {known}, and none of them is found any more: {file} has another format now."
            )
        }
        (None, gone, []) => format!("{name} has changed: the entries in {file} no longer contain {}.", some(gone)),
        (None, [], new) => format!("{name} has changed: every entry in {file} now contains {}.", some(new)),
        (None, gone, new) => {
            format!("{name} has changed: the entries in {file} contain {} instead of {}.", some(new), some(gone))
        }
    }
}

/// That an item's copy is there.
pub fn arrives(title: &str, drive: &str) -> String {
    format!("{title} is on {drive}, proved")
}

/// That an item's originals are deleted within the haul.
pub fn originals_go(title: &str) -> String {
    format!("{title}'s originals are deleted")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nouns_take_the_form_that_their_count_wants() {
        let said =
            [(0, "game"), (1, "game"), (2, "library"), (1, "library"), (12_345, "box"), (3, "day"), (2, "patch")];
        let said = said.map(|(number, noun)| several(number, noun));
        assert_eq!(said, ["0 games", "1 game", "2 libraries", "1 library", "12,345 boxes", "3 days", "2 patches"]);
        assert_eq!(plural(1, "line is", "lines are"), "1 line is");
    }
}
