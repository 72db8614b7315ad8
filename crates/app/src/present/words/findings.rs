//! What a check found, in a sentence each.

use super::super::text::{count, visible};
use super::{changed, place_fault, plural, several, some_files, way_words};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::item::{Finding, FindingKind, Limit, Nicety, Severity};
use deft_barge_core::launcher::{Staying, WhyStaying};
use deft_barge_core::site::{Process, Sight};
use deft_barge_core::survey::Fit;
use serde_json::{Value, json};

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

fn process(process: &Process) -> String {
    // The system names nobody for some that hold a file: services, and programs of another person.
    if process.pid == 0 {
        return "another program".into();
    }
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
        FindingKind::KeptThere { path, haul } => {
            format!(
                "haul {haul} keeps {}. Go back to it with: deft-barge undo {haul}; or delete what that haul keeps with: deft-barge release {haul}",
                path.display()
            )
        }
        FindingKind::NotWritable { path } => {
            format!("can't write {}. Check its permissions, and whether its drive is read-only.", path.display())
        }
        FindingKind::AdministratorWrites { path } => {
            let how = "Open a terminal with \"Run as administrator\" and plan again there";
            format!("only an administrator can write {}. {how}; nothing has been written.", path.display())
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
        FindingKind::NicetyLost { what: Nicety::Names } => {
            "files with several names become files of their own on that drive.".into()
        }
        FindingKind::NicetyLost { what: Nicety::Attributes } => {
            "that drive can't keep the attributes and access lists that were set on files and folders.".into()
        }
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
