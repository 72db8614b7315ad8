//! Every sentence about a finding, a stage or a difference: what, why, what now.

mod cleanup;
mod findings;
mod times;

pub use cleanup::{act_word, find, find_act, lying_word};
pub use findings::{finding, finding_json, finding_sentence, fit, severity};
use std::path::PathBuf;
pub use times::{about, item_time, kept_draft, load, misfit, miss, moment, pace, probe_question, span, why};

use deft_barge_core::bytes::{Bytes, HaulId};
use deft_barge_core::item::{
    Finding, FindingKind, Left, PlannedItem, Policy, PreviewKind, Proof, Residue, Stage, StageKind, Strategy, WhyLeft,
};
use deft_barge_core::journal::EventKind;
use deft_barge_core::journal::{HaulRow, ItemLine, ItemRow, LogLine};
use deft_barge_core::launcher::{DataKind, Drift, LearnedFrom, PlaceFault};
use deft_barge_core::plan::Plan;
use deft_barge_core::platform::DriveKind;
use deft_barge_core::survey::{Scope, Way};

use super::text::{count, line, pad, visible, width};

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

/// From which drive an item goes to which.
pub fn drives_of(item: &PlannedItem) -> String {
    format!("{} > {}", line(item.from_drive.as_deref().unwrap_or(NO_DRIVE)), line(&item.to_drive))
}

/// The same of some items, each as wide as the widest.
pub fn drives_of_each<'a>(items: impl Iterator<Item = &'a PlannedItem>) -> Vec<String> {
    /// Names of drives are people's own; longer ones are cut.
    const WIDEST: usize = 40;
    let ways: Vec<String> = items.map(drives_of).collect();
    let widest = ways.iter().map(|way| width(way)).max().unwrap_or(0).min(WIDEST);
    ways.iter().map(|way| pad(way, widest)).collect()
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
    use deft_barge_core::launcher::Origin;
    use deft_barge_core::survey::GameId;

    #[test]
    fn nouns_take_the_form_that_their_count_wants() {
        let said =
            [(0, "game"), (1, "game"), (2, "library"), (1, "library"), (12_345, "box"), (3, "day"), (2, "patch")];
        let said = said.map(|(number, noun)| several(number, noun));
        assert_eq!(said, ["0 games", "1 game", "2 libraries", "1 library", "12,345 boxes", "3 days", "2 patches"]);
        assert_eq!(plural(1, "line is", "lines are"), "1 line is");
    }

    #[test]
    fn what_stands_behind_the_drives_of_items_stands_in_one_column() {
        let item = |from: Option<&str>, to: &str| PlannedItem {
            from_drive: from.map(str::to_string),
            to_drive: to.into(),
            ..PlannedItem::bare(
                (Origin::Launcher, GameId("q/1".into())),
                "T".into(),
                Strategy::Copy,
                "/a".into(),
                "/b".into(),
            )
        };
        let items = [item(Some("swift"), "newhold"), item(None, "日本"), item(Some(&"long".repeat(20)), "a\u{1b}[2J")];
        let ways = drives_of_each(items.iter());
        assert!(ways.iter().all(|way| width(way) == width(&ways[0])), "{ways:?}");
        assert!(ways[0].starts_with("swift > newhold ") && ways[1].starts_with("home > 日本 "), "{ways:?}");
        assert!(width(&ways[0]) <= 40 && !drives_of(&items[2]).contains('\u{1b}'), "{ways:?}");
    }
}
