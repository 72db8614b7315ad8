//! Every sentence about a finding, a stage or a difference: what, why, what now.

use std::time::Duration;

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::item::{
    Finding, FindingKind, Left, Limit, PlannedItem, Policy, PreviewKind, Proof, Severity, Stage, StageKind, Strategy,
    WhyLeft,
};
use deft_barge_core::journal::EventKind;
use deft_barge_core::journal::{HaulRow, ItemLine, ItemRow, LogLine};
use deft_barge_core::launcher::{DataKind, PlaceFault, Staying, WhyStaying};
use deft_barge_core::plan::{Basis, ItemTime, Load, Misfit, Miss, Plan, Slowest, Span, Why};
use deft_barge_core::platform::DriveKind;
use deft_barge_core::site::{DriveSpeed, Process, Sight};
use deft_barge_core::survey::{CleanupAct, FindKind};
use deft_barge_core::survey::{Scope, Way};
use jiff::Timestamp;
use serde_json::{Value, json};

use super::text::{count, visible};

pub fn severity(weight: Severity) -> &'static str {
    match weight {
        Severity::Blocker => "stop",
        Severity::Warning => "caution",
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
        matches!(item.mode, Strategy::Copy | Strategy::Duplicate | Strategy::Quarantine)
            && (plan.policy == Policy::Release || item.policy == Policy::Release)
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
        "go on with: deft-barge resume".to_string()
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
        WhyStaying::NameOnly => ("file says", "files say", "the folder's name alone"),
        WhyStaying::Unreadable => ("file says", "files say", "it in a way that can't be rewritten"),
        WhyStaying::Log => ("log says", "logs say", "the old folder"),
        WhyStaying::Backup => ("backup says", "backups say", "the old folder"),
        WhyStaying::Cache => ("file of a cache says", "files of caches say", "the old folder"),
    };
    let stays = if n == 1 { "stays as it is" } else { "stay as they are" };
    let now = match staying.why {
        WhyStaying::NameOnly | WhyStaying::Unreadable => {
            " If the launcher doesn't find the game afterwards, look there."
        }
        _ => "",
    };
    format!("{} {} {what} and {stays}: {names}.{now}", count(n), if n == 1 { one } else { many })
}

fn kind_sentence(kind: &FindingKind) -> String {
    match kind {
        FindingKind::NoRoom { drive, lacks, reserve } if reserve.count() == 0 => {
            format!("{drive} lacks {lacks}. Make room there.")
        }
        FindingKind::NoRoom { drive, lacks, reserve } => {
            format!(
                "{drive} lacks {lacks} above its reserve of {reserve}, in whatever order. Take a game off the haul, or make room there."
            )
        }
        FindingKind::NoOrder { drive, lacks, item, done } => {
            let then = match done {
                0 => "already at the first copy".into(),
                1 => "after one copy".into(),
                n => format!("after {n} copies"),
            };
            format!("no order makes room for all of it: {drive} lacks {lacks} for {item}, {then}.")
        }
        FindingKind::MoreRoom { drive, bytes } => format!("with {bytes} more room on {drive} all of it would fit."),
        FindingKind::WithoutItem { item } => format!("without {item} the others would fit."),
        FindingKind::MustRelease { drive, bytes } => format!(
            "its originals ({bytes}) have to be let go as soon as their copy is proved: their room on {drive} is needed for what comes after."
        ),
        FindingKind::NotTried => {
            "no game can be tried before the others: there is but one, or all hang together in their order.".into()
        }
        FindingKind::WaitsOn { drive, bytes } => {
            format!("it has to wait on {drive} while others change places, so its {bytes} are copied twice.")
        }
        FindingKind::LauncherRunning { launcher, process: p } => format!(
            "{launcher} is running (process {}). It writes its records when it closes, and would undo this haul's. Close it; this line goes away by itself.",
            p.pid
        ),
        FindingKind::InUse { process: p } => {
            let what = match &p.why {
                Sight::Uses(path) | Sight::InLayer(path) => path.display().to_string(),
                Sight::Named => "its files".into(),
            };
            format!("{} uses {what}. Close it; this line goes away by itself.", process(p))
        }
        FindingKind::NotAllVisible { count: n } => {
            let processes = if *n == 1 { "one process".to_string() } else { format!("{n} processes") };
            format!("{processes} of other people cannot be looked into. See that nobody else is playing.")
        }
        FindingKind::RecordUnsound { file, location, says } => format!(
            "the record {location} in {} says {says:?}, which does not fit the game's place. Let its launcher mend it first.",
            file.display()
        ),
        FindingKind::RecordsUnchangeable { why } => format!("its records cannot be changed: {why}."),
        FindingKind::TargetThere { path } => {
            format!("{} is there already. Move it away first; nothing is written over.", path.display())
        }
        FindingKind::NotWritable { path } => {
            format!("{} cannot be written. Look at its permissions and whether its drive is read-only.", path.display())
        }
        FindingKind::SeveralNames { path, names } => {
            let others = several(usize::try_from(names - 1).unwrap_or(usize::MAX), "other hard link");
            format!("{} has {others}, which will still say the old place afterwards.", path.display())
        }
        FindingKind::TargetInside { path } => {
            format!("{} lies inside the game itself. Choose another place.", path.display())
        }
        FindingKind::AlreadyThere { path } => format!("it is in {} already.", path.display()),
        FindingKind::BadPlace { path, fault } => {
            format!("{} cannot be its folder: {}. Nothing of it is touched.", path.display(), place_fault(fault))
        }
        FindingKind::Sealed { reason } if reason.is_empty() => "its launcher does not let it be moved.".into(),
        FindingKind::Sealed { reason } => format!("it is sealed: {reason}."),
        FindingKind::SourceUnreadable { what } => format!("its folder cannot be read whole: {what}."),
        FindingKind::CannotHold { path, limit, count: n } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!("the drive cannot hold {path}{more}: {}. Choose another drive.", limit_words(*limit))
        }
        FindingKind::LinksNeeded { path, count: n, bytes } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!(
                "the drive has no links, and {path}{more} is one. Let copies of the files they lead to stand there ({bytes}: --copy-links, or in the Haul view), or choose another drive."
            )
        }
        FindingKind::LinksCopied { count: n, bytes } => {
            let what = if *n == 1 { "a copy stands where a link was" } else { "copies stand where links were" };
            format!(
                "{what} ({}, {bytes}), since the drive has none. A return brings the links back while the originals are held; after the release it brings back the copies.",
                count(*n as u64)
            )
        }
        FindingKind::SharesFolder { with, path } => format!(
            "the folder of {with}, {}, lies in its folder and would be taken along. Move that one first, or leave both.",
            path.display()
        ),
        FindingKind::SettingGoes { with, file } => format!(
            "the setting that says where it is, {}, moves with {with} in the same haul. Move one of them first, in a haul of its own, or leave a link at its old place.",
            file.display()
        ),
        FindingKind::AlsoKnown { as_title, launcher } => format!(
            "{launcher} knows the same folder as {as_title}, and will still look for it in the old place. Change it there, or accept."
        ),
        FindingKind::TimeAhead { path, count: n } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!(
                "{path}{more} was changed at a time that is still to come. A clock is or was wrong; the files are compared by their bytes all the same."
            )
        }
        FindingKind::Removable { drive } => {
            format!("{drive} can be unplugged; its launcher will miss the game while it is.")
        }
        FindingKind::Slower { drive, reads, read } => format!(
            "{drive} reads {}/s where it lies now at {}/s; it will load more slowly.",
            Bytes::new(*reads),
            Bytes::new(*read)
        ),
        FindingKind::NoStateRoom { path, lacks } => {
            format!(
                "the folder of the journal, {}, lacks {lacks} for the list of files. Make room there.",
                path.display()
            )
        }
        FindingKind::StillHeld { haul, bytes } => format!(
            "{bytes} of its originals are still held by haul {haul}. Let go of them with: deft-barge release {haul}, if they are not needed."
        ),
        FindingKind::NotThereYet { drive } => {
            format!(
                "{drive} is not there yet; this is what would be. Save the draft, and open it when the drive is plugged in."
            )
        }
        FindingKind::NoDestination { what } => format!("{what} is no drive or library that is there."),
        FindingKind::NoLibrary { launcher, drive } => {
            format!(
                "{launcher} has no library on {drive}, and its profile does not say how one is made. Make one in the launcher."
            )
        }
        FindingKind::HaulUnfinished { haul } => format!("haul {haul} is not at its end. Resume or return it first."),
        FindingKind::LinkLeadsOut { path, count: n } => {
            let more = if *n > 1 { format!(" and {} more", n - 1) } else { String::new() };
            format!(
                "the link {path}{more} leads out of the game by a relative path, and will lead elsewhere from the new place."
            )
        }
        FindingKind::NicetyLost { what } => format!("{what} on that drive."),
        FindingKind::AbilitiesUnknown { drive, file_system } => {
            format!(
                "it is not known what {drive} ({file_system}) can hold. What it cannot will stop the copy, and change nothing."
            )
        }
        FindingKind::UpdateWaiting { update } => {
            format!("an update is waiting ({} of {}). Let its launcher finish it, or accept.", update.have, update.want)
        }
        FindingKind::ClaimFar { claim, size } => {
            format!("its launcher says {claim}, but the files are {size}. All of it is moved.")
        }
        FindingKind::NoContentList { launcher } => {
            format!(
                "{launcher} keeps no list of its files, so what would be downloaded cannot be told; the copy is compared all the same."
            )
        }
        FindingKind::NoLetter { prefix, path, free } => {
            let way = match free {
                Some(letter) => format!(
                    "Let one be made (--make-letters, or in the Haul view; {}: is free), or choose another drive.",
                    letter.to_ascii_uppercase()
                ),
                None => "All letters are taken; choose another drive.".into(),
            };
            format!(
                "a record is written with a drive letter, and none of {} leads to {}. {way}",
                prefix.display(),
                path.display()
            )
        }
        FindingKind::LetterMade { letter, link } => {
            format!("the drive letter {letter}: will be made, as the link {}.", link.display())
        }
        FindingKind::DatabaseHeld { path } => {
            format!("another program holds {}. Close it; this line goes away by itself.", path.display())
        }
        FindingKind::FilesStay(staying) => files_stay(staying),
        FindingKind::DataByLink { path } => {
            format!("a link in {} will lead to it. Programs follow it, unless they look for links.", path.display())
        }
        FindingKind::DataBySetting { file } => format!(
            "the game's own setting in {} will say the new place. It takes effect at the next start; the last saved game may have to be chosen again.",
            file.display()
        ),
        FindingKind::DataByDirectory { path } => format!(
            "{} is a user directory of the desktop: all programs that use it follow, and all that lies in it goes.",
            path.display()
        ),
        FindingKind::DataByName { path } => {
            format!("that {} belongs to the game is known by its name alone. Look into it first.", path.display())
        }
        FindingKind::DataStays { what, path, bytes } => {
            let what = what.rsplit_once(": ").map_or(what.as_str(), |(_, kind)| kind);
            format!("its {what} ({bytes}) stay in {}. They can be sent along.", path.display())
        }
        FindingKind::NoWay { way } => format!("it cannot go {}. Choose another way.", way_words(*way)),
        FindingKind::NoLinkThere { path } => {
            format!("no link can be left in {}: that file system holds none.", path.display())
        }
        FindingKind::LinkLeft { path } => format!("a link stays in {} and leads to the new place.", path.display()),
        FindingKind::ShortcutStays { path } => {
            format!("the shortcut {} cannot be changed here, and will lead to the old place.", path.display())
        }
        FindingKind::LetGoForGood { path } => format!(
            "what lay in {} was set aside and let go of; no copy of it is known to bring it back from.",
            path.display()
        ),
        FindingKind::OnlyCopy { path } => format!(
            "{} is set aside, and goes for good when it is released: nothing else is known to hold these bytes.",
            path.display()
        ),
        FindingKind::ComparedWith { path } => {
            format!("every file is compared with {}, which stays; only what is the same there may go.", path.display())
        }
        FindingKind::NotLookedInto { what } => format!("could not be looked into, and may say the old place: {what}."),
        FindingKind::NothingLeadsThere { path } => format!("no record leads below {}.", path.display()),
        FindingKind::Incomplete { files: n, bytes } => format!(
            "{} of its content list {} missing or of another size: its launcher will download {bytes}.",
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

/// What lies about, in a word.
pub fn lying_word(what: &FindKind) -> &'static str {
    match what {
        FindKind::Unlisted { .. } => "stray",
        FindKind::OldCopy { .. } => "leftover",
        FindKind::Duplicate { .. } => "duplicate",
        FindKind::BrokenLink { .. } => "broken link",
        FindKind::DeadEntry { .. } => "dead record",
        FindKind::OfflineLibrary { .. } => "away",
        FindKind::HalfMade => "half made",
    }
}

/// What lies about, in a sentence without its subject.
pub fn lying(what: &FindKind) -> String {
    match what {
        FindKind::Unlisted { fits: Some(fit), .. } => {
            let title = fit.title.as_deref().unwrap_or(&fit.id);
            let missing = if fit.missing == Bytes::ZERO {
                "all of it is there".into()
            } else {
                format!("{} of it are missing", fit.missing)
            };
            format!(
                "a stray that fits the content list of {title} ({}): {} of {} files; {missing}",
                fit.launcher,
                count(fit.there),
                count(fit.files)
            )
        }
        FindKind::Unlisted { programs, packs, fits: None } => format!(
            "a stray that looks like a game: {} and {}",
            several(*programs, "program"),
            several(*packs, "large file")
        ),
        FindKind::OldCopy { title, install, haul, alike, files, .. } => {
            let by = haul.map_or_else(String::new, |haul| format!("; haul {haul} moved it"));
            format!(
                "an old copy of {title}, which is in {}: {} of {} files have the same size there{by}",
                install.display(),
                count(*alike),
                count(*files)
            )
        }
        FindKind::Duplicate { title, install, .. } => {
            format!(
                "the same files as {title} in {}; one of them can be uninstalled in its launcher",
                install.display()
            )
        }
        FindKind::BrokenLink { leads_to, .. } => format!("a link to {}, where nothing is", leads_to.display()),
        FindKind::DeadEntry { title, file, .. } => {
            format!("{title} is listed in {}, and is not there", file.display())
        }
        FindKind::OfflineLibrary { launcher } => {
            format!("a library of {launcher} that is not there: its drive may be away")
        }
        FindKind::HalfMade => "something that a haul of ours has left half made".into(),
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

/// What may be done about a find.
pub fn find_act(act: CleanupAct) -> &'static str {
    match act {
        CleanupAct::Import => "adopt it",
        CleanupAct::Haul => "haul it with --traced",
        CleanupAct::Release => "compare it and let go of it",
        CleanupAct::Quarantine => "set it aside",
        CleanupAct::RemoveLink => "take the link away",
        CleanupAct::Forget => "take the entry off the list",
        CleanupAct::Remap => "re-anchor its drive",
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
        Scope::System => "in the menu of all",
        Scope::Desktop => "on the desktop",
        Scope::Autostart => "starts with the desktop",
    }
}

/// How user data goes.
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
        PlaceFault::GoesUp => "the way goes up through ..".into(),
        PlaceFault::TooHigh => "it is a drive's root, the home, a library, or a folder above one of them".into(),
        PlaceFault::LeadsOut(to) => format!("a link on the way leads to {}", to.display()),
        PlaceFault::OutsideLibrary => "it is not in the library that lists it".into(),
        PlaceFault::Missing => "nothing is there".into(),
        PlaceFault::Elsewhere(drive, new) => {
            format!("its drive {drive} is in {} now: re-anchor it", new.display())
        }
        PlaceFault::Away(drive) => format!("it is away: it lies on {drive}, which is not there"),
        PlaceFault::Silent(point) => format!("the drive at {} doesn't answer", point.display()),
        PlaceFault::NotAFolder => "it is not a folder".into(),
        PlaceFault::Loop => "its link leads in a circle".into(),
        PlaceFault::System => "it belongs to the system".into(),
        PlaceFault::Ours => "it is where Deft Barge keeps its settings and its journal".into(),
        PlaceFault::Launcher => "it is the launcher's own folder".into(),
        PlaceFault::Game(path) => format!("it holds the game in {}, or lies in it", path.display()),
    }
}

fn limit_words(limit: Limit) -> &'static str {
    match limit {
        Limit::Link => "it has no links",
        Limit::Name => "the name holds characters that it cannot",
        Limit::Size => "the file is larger than its file system allows",
        Limit::Case => "another name differs from it in case only",
        Limit::Kind => "it is no file, folder or link",
        Limit::Path => "its whole path would be longer than the 4095 bytes that a program can open",
    }
}

pub fn preview_kind(kind: PreviewKind) -> &'static str {
    match kind {
        PreviewKind::Replaced => "is rewritten",
        PreviewKind::Leaves => "the entry leaves",
        PreviewKind::Arrives => "the entry arrives",
        PreviewKind::LibraryKnown => "the library is listed",
        PreviewKind::FileMade => "the file is made",
        PreviewKind::LinkMade => "the link is made",
        PreviewKind::FileGoes => "the file is taken away",
        PreviewKind::LinkGoes => "the link is taken away",
    }
}

pub fn mode(mode: Strategy) -> &'static str {
    match mode {
        Strategy::Copy => "copy, compare, repoint, prove, hold",
        Strategy::Rename => "rename, repoint, prove",
        Strategy::Records => "records alone",
        Strategy::Import => "stays where it is; records, prove",
        Strategy::Duplicate => "compare with the copy that stays, hold",
        Strategy::Quarantine => "set aside, hold",
        Strategy::TakeBack => "compare, repoint, prove, let the copy go",
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
        (Strategy::Copy, Policy::Release) => "copy, compare, repoint, prove, let go of the originals at once",
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
        StageKind::Placed => "the whole copy is in place",
        StageKind::Linked => "a link at the new place leads to the old one",
        StageKind::Renaming => "is being renamed",
        StageKind::UpdatingRecords => "updating records",
        StageKind::RecordsUpdated => "all records point to the new place",
        StageKind::Proved => "proved; the originals are kept",
        StageKind::Releasing => "deleting the originals",
        StageKind::Released => "the originals are deleted",
        StageKind::Cancelling => "removing what was copied",
        StageKind::Cancelled => "cancelled; everything is as it was",
        StageKind::Undone => "undone",
    }
}

/// A stage in one or two words.
pub fn stage_word(stage: &Stage) -> &'static str {
    match stage.kind() {
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
        return "under way".into();
    }
    if all(&|s| matches!(s, Stage::Undone)) {
        return "returned".into();
    }
    if all(&|s| matches!(s, Stage::Cancelled)) {
        return "given up".into();
    }
    if haul.items.iter().any(ItemLine::holds_originals) {
        return "originals held".into();
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
        Basis::Hauls => "by past hauls",
        Basis::Probe => "as probed",
        Basis::Part => "by what is known of one of the drives",
        Basis::Kind => "guessed from the kinds of the drives; a probe tells more",
    };
    format!("{}{} ({basis})", span(time.span), visible(&why))
}

/// How a drive's load changes.
pub fn load(load: &Load) -> String {
    let percent = |bytes: Bytes| bytes.part_of(load.capacity) * 100.0;
    format!(
        "load      {} now {:.0} %, at most {:.0} %, {:.0} % once the originals are released",
        super::text::pad(&super::text::line(&load.drive), 12),
        percent(load.now),
        percent(load.peak),
        percent(load.after)
    )
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

/// Why a line stands in a suggestion.
pub fn why(why: &Why, now: Timestamp) -> String {
    let days = |at: Timestamp| match now.duration_since(at).as_secs() / 86_400 {
        days if days <= 0 => "today".to_string(),
        1 => "a day ago".into(),
        days => format!("{} days ago", count(days as u64)),
    };
    match why {
        Why::MakesRoom { drive, bytes } => format!("gives {bytes} back on {drive}"),
        Why::LastPlayed { at: Some(at) } => format!("last played {}", days(*at)),
        Why::LastPlayed { at: None } => "not known when it was played".into(),
        Why::PlayedMost { at } => format!("played {}", days(*at)),
        Why::OnlyPlace => "the only drive with room for it".into(),
    }
}

/// What a suggestion leaves undone.
pub fn miss(miss: &Miss) -> String {
    visible(&match miss {
        Miss::Fixed { title } => format!("{title} cannot be moved."),
        Miss::NoPlace { title } => format!("{title}: no other drive has room for it and can hold it."),
        Miss::StillLacks { drive, bytes } => format!("{drive} still lacks {bytes}: no more games of it find a place."),
        Miss::NoDrive { drive } => format!("There is no drive {drive}."),
    })
}

/// What has changed since a draft was written.
pub fn misfit(misfit: &Misfit) -> String {
    match misfit {
        Misfit::GameGone { title, .. } => format!("{title} is not installed any more"),
        Misfit::Moved { title, was, now } => {
            format!("{title} lay in {} and lies in {} now", was.display(), now.display())
        }
        Misfit::DriveGone { title, drive } => format!("{title}: there is no drive {drive}"),
        Misfit::LibraryGone { title, library } => format!("{title}: there is no library {}", library.display()),
        Misfit::NoPlace { title } => format!("{title}: it is not said where to"),
    }
}

/// What an item waits for before its records change.
pub fn waiting(title: &str, findings: &[Finding]) -> String {
    let what: Vec<String> = findings.iter().map(finding_sentence).collect();
    format!("{}: waits until that has ended: {}", super::text::line(title), what.join(" "))
}

/// That a drive does not answer.
pub fn hung(title: &str, path: &std::path::Path, seconds: u64) -> String {
    format!(
        "{}: the drive has not answered for {seconds} s about {}; it may come back, and the haul can be paused",
        super::text::line(title),
        super::text::path(path)
    )
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nouns_take_the_form_that_their_count_wants() {
        let said =
            [(0, "game"), (1, "game"), (2, "library"), (1, "library"), (12_345, "box"), (3, "day"), (2, "patch")];
        let said = said.map(|(number, noun)| several(number, noun));
        assert_eq!(
            said,
            ["0 games", "1 game", "2 libraries", "1 library", "12\u{2009}345 boxes", "3 days", "2 patches"]
        );
        assert_eq!(plural(1, "line is", "lines are"), "1 line is");
    }
}
