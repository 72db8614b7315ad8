//! Every sentence about a finding, a stage or a difference: what, why, what now.

use std::time::Duration;

use deft_barge_core::haul::{HaulRow, Proof, Stage};
use deft_barge_core::launcher::PlaceFault;
use deft_barge_core::plan::{Finding, FindingKind, Limit, Mode, PreviewKind, Weight};
use deft_barge_core::site::{DriveKind, Process, Sight};
use serde_json::{Value, json};

use crate::show::{count, visible};

pub fn weight(weight: Weight) -> &'static str {
    match weight {
        Weight::Stop => "stop",
        Weight::Caution => "caution",
        Weight::Note => "note",
    }
}

/// A finding in a sentence, headed by its weight.
pub fn finding(finding: &Finding) -> String {
    format!("{:8} {}", weight(finding.weight), finding_sentence(finding))
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
    value
}

fn process(process: &Process) -> String {
    format!("{} (process {})", process.name, process.pid)
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
        FindingKind::NoOrder { drive, lacks, lot, done } => {
            let then = match done {
                0 => "already at the first copy".into(),
                1 => "after one copy".into(),
                n => format!("after {n} copies"),
            };
            format!("no order makes room for all of it: {drive} lacks {lacks} for {lot}, {then}.")
        }
        FindingKind::MoreRoom { drive, bytes } => format!("with {bytes} more room on {drive} all of it would fit."),
        FindingKind::WithoutLot { lot } => format!("without {lot} the others would fit."),
        FindingKind::MustRelease { drive, bytes } => format!(
            "its originals ({bytes}) have to be let go as soon as their copy is proved: their room on {drive} is needed for what comes after."
        ),
        FindingKind::WaitsOn { drive, bytes } => {
            format!("it has to wait on {drive} while others change places, so its {bytes} are copied twice.")
        }
        FindingKind::LauncherRunning { launcher, process: p } => format!(
            "{launcher} is running (process {}). It writes its records when it closes, and would undo this haul's. Close it; this line goes away by itself.",
            p.pid
        ),
        FindingKind::InUse { process: p } => {
            let what = match &p.why {
                Sight::Uses(path) => path.display().to_string(),
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
                "the drive has no links, and {path}{more} is one. Let copies of the files they lead to stand there ({bytes}: --copy-links, or K in the Haul view), or choose another drive."
            )
        }
        FindingKind::LinksCopied { count: n, bytes } => {
            let what = if *n == 1 { "a copy stands where a link was" } else { "copies stand where links were" };
            format!(
                "{what} ({}, {bytes}), since the drive has none. A return brings the links back while the originals are held; after the release it brings back the copies.",
                count(*n as u64)
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
                    "Let one be made (--make-letters, or L in the interface; {}: is free), or choose another drive.",
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
        FindingKind::RecordsUnsure { count: n } => format!(
            "{} {} the folder's name alone or cannot be rewritten, and will stay. Look with: deft-barge trace.",
            count(*n as u64),
            if *n == 1 { "place says" } else { "places say" }
        ),
        FindingKind::NewLibrary { launcher, path } => format!("{launcher} gets a new library in {}.", path.display()),
    }
}

pub fn place_fault(fault: &PlaceFault) -> String {
    match fault {
        PlaceFault::GoesUp => "the way goes up through ..".into(),
        PlaceFault::TooHigh => "it is a drive's root, the home, a library, or a folder above one of them".into(),
        PlaceFault::LeadsOut(to) => format!("a link on the way leads to {}", to.display()),
        PlaceFault::OutsideLibrary => "it is not in the library that lists it".into(),
        PlaceFault::Missing => "nothing is there".into(),
        PlaceFault::NotAFolder => "it is not a folder".into(),
    }
}

fn limit_words(limit: Limit) -> &'static str {
    match limit {
        Limit::Link => "it has no links",
        Limit::Name => "the name holds characters that it cannot",
        Limit::Size => "the file is larger than its file system allows",
        Limit::Case => "another name differs from it in case only",
        Limit::Kind => "it is no file, folder or link",
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
    }
}

pub fn mode(mode: Mode) -> &'static str {
    match mode {
        Mode::Copy => "copy, compare, repoint, prove, hold",
        Mode::Rename => "rename, repoint, prove",
        Mode::Records => "records alone",
        Mode::TakeBack => "compare, repoint, prove, let the copy go",
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

/// What has happened when a lot reaches a stage.
pub fn stage(word: &str) -> &str {
    match word {
        "copying" => "is being copied, and compared behind that",
        "compared" => "every block was read back and is the same",
        "placed" => "the whole copy is in its place",
        "linked" => "a link bridges the new place to the old one",
        "renaming" => "is being renamed",
        "repointing" => "record files are being replaced",
        "repointed" => "all records lead to the new place",
        "proved" => "the proof is made; the originals are held",
        "releasing" => "originals are being let go",
        "released" => "nothing is held any more",
        "giving-up" => "what was made is being removed",
        "given-up" => "all is as it was",
        other => other,
    }
}

/// How a haul stands, in a few words.
pub fn haul_state(haul: &HaulRow) -> String {
    let all = |test: &dyn Fn(&Stage) -> bool| haul.lots.iter().all(|lot| test(&lot.stage));
    if haul.unfinished() {
        return "under way".into();
    }
    if all(&|s| matches!(s, Stage::Returned)) {
        return "returned".into();
    }
    if all(&|s| matches!(s, Stage::GivenUp)) {
        return "given up".into();
    }
    if haul.lots.iter().any(deft_barge_core::haul::LotRow::holds_originals) {
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
        "differ {}, missing {}, extra {}, to download {download}{updated}   ({} files, {}{})",
        count(proof.differ),
        count(proof.missing),
        count(proof.extra),
        count(proof.files),
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

/// What a lot waits for before its records change.
pub fn waiting(title: &str, findings: &[Finding]) -> String {
    let what: Vec<String> = findings.iter().map(finding_sentence).collect();
    format!("{}: waits until that has ended: {}", crate::show::line(title), what.join(" "))
}

/// That a drive does not answer.
pub fn hung(title: &str, path: &std::path::Path, seconds: u64) -> String {
    format!(
        "{}: the drive has not answered for {seconds} s about {}; it may come back, and the haul can be paused",
        crate::show::line(title),
        crate::show::path(path)
    )
}
