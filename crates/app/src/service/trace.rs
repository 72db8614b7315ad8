//! Commands about records that no profile describes, and about profiles: trace, profile check.

use std::path::{Path, PathBuf, absolute};

use deft_barge_core::launcher::{
    ListCheck, ListFaultKind, Profile, ProfileCheck, ProfileError, check_profile, load_profiles,
};
use deft_barge_core::learn::{Rehearsal, rehearse};
use deft_barge_core::site::{Site, is_there, read_text};
use deft_barge_core::trace::{Find, Trace, TracePhase, usual_places};

use super::progress::Passing;
use super::sink::Sink;
use crate::present::{Fault, Kind, count, learning as said, line, path as shown, places, to_json, words};
use crate::request::{ProfileAct, Traced};

/// Traces a path, showing how far it is where that takes long.
pub fn traced(site: &Site, path: &Path, places: &[PathBuf], sink: &Sink) -> Result<Trace, Fault> {
    let whole =
        |path: &Path| absolute(path).map_err(|e| Fault::usage(format!("Couldn't find {}: {e}.", path.display()), ""));
    let path = whole(path)?;
    if path.file_name().is_none() {
        return Err(Fault::usage(format!("{} is the top folder.", path.display()), "Name the folder of a game."));
    }
    let places = match places {
        [] => usual_places(site, &path),
        some => some.iter().map(|place| whole(place)).collect::<Result<_, _>>()?,
    };
    if let Some(gone) = places.iter().find(|place| !is_there(place)) {
        return Err(Fault::usage(format!("{} doesn't exist.", gone.display()), ""));
    }
    let passing = Passing::new(sink);
    Ok(deft_barge_core::trace::trace(site, &path, &places, &|phase| looked(&passing, phase)))
}

/// How far a trace is, where it takes longer than half a second.
pub(crate) fn looked(passing: &Passing, phase: TracePhase) {
    passing.show(|| format!("looked at {} of {} files", count(phase.files as u64), count(phase.all as u64)));
}

/// `trace`
pub fn trace(site: &Site, wish: &Traced, sink: &Sink) -> Result<u8, Fault> {
    let trace = traced(site, &wish.path, &wish.places, sink)?;
    if trace.finds.is_empty() && trace.gone {
        let sentence = format!("{} doesn't exist, and no searched file mentions it.", shown(&trace.path));
        return Err(Fault::usage(sentence, "Check the spelling, or name the folders to search with --in."));
    }
    if sink.is_json() {
        sink.document("trace", to_json(&trace)?)?;
    } else {
        sink.say(&trace_text(&trace))?;
    }
    Ok(0)
}

fn trace_text(trace: &Trace) -> String {
    let mut out = Vec::new();
    let mut file: Option<&Path> = None;
    let width = trace.finds.len().to_string().len();
    for (n, find) in trace.finds.iter().enumerate() {
        let record = &find.record;
        if file != Some(&record.file) {
            out.push(format!("{}   {}", shown(&record.file), record.shape));
            file = Some(&record.file);
        }
        out.push(find_text(n + 1, width, find));
    }
    let rewritable = trace.sure().count();
    out.push(format!(
        "{}Found {}; {} can be rewritten. Looked at {} in {}",
        if out.is_empty() { "" } else { "\n" },
        words::several(trace.finds.len(), "place"),
        count(rewritable as u64),
        words::several(trace.files, "file"),
        trace.places.iter().map(|place| shown(place)).collect::<Vec<_>>().join(", ")
    ));
    for followed in &trace.followed {
        out.push(format!("followed the link {} to {}", shown(&followed.link), shown(&followed.target)));
    }
    for problem in &trace.problems {
        out.push(format!("problem   {}: {}", shown(&problem.file), line(&problem.what)));
    }
    out.join("\n")
}

/// A find behind its number, by which a haul leaves it out or takes it.
fn find_text(number: usize, width: usize, find: &Find) -> String {
    let record = &find.record;
    let at = find.line.map(|n| format!("line {n}  ")).unwrap_or_default();
    let mut place = line(&record.location);
    for hop in &record.inside {
        place.push_str(&format!(" > {}", line(&hop.location)));
    }
    let key = match record.side {
        deft_barge_core::record::Side::Key => " (key)",
        deft_barge_core::record::Side::Value => "",
    };
    let spelling = if record.spelling.is_empty() { String::new() } else { format!(", {}", record.spelling) };
    let indent = " ".repeat(width + 4);
    format!(
        "  {number:>width$}  {at}{place}{key}\n{indent}{}\n{indent}{}, {}{spelling}",
        line(&record.text),
        record.meaning,
        places::sure(find.sure)
    )
}

/// `profile`
pub fn profile(site: &Site, act: &ProfileAct, sink: &Sink) -> Result<u8, Fault> {
    match act {
        ProfileAct::Check { profile, rehearse } => check(site, profile.as_deref(), *rehearse, sink),
    }
}

fn check(site: &Site, wanted: Option<&str>, with_rehearsal: bool, sink: &Sink) -> Result<u8, Fault> {
    let as_file = wanted.map(PathBuf::from).filter(|path| path.symlink_metadata().is_ok() && !path.is_dir());
    let profiles = if let Some(file) = as_file {
        let text = read_text(&file)
            .map_err(|error| Fault::usage(format!("Couldn't read {}: {error}.", file.display()), ""))?;
        vec![Profile::parse(&text, &file).map_err(|error| Fault::new(Kind::Usage, format!("{error}."), CORRECT_IT))?]
    } else {
        let (profiles, errors) = load_profiles(&site.profile_folder());
        let wanted_ones: Vec<Profile> =
            profiles.into_iter().filter(|profile| wanted.is_none_or(|id| profile.id == id)).collect();
        // A profile that isn't sound has no id: its file's name says which it is, and if none does, any of them may be meant.
        let named =
            |error: &&ProfileError| wanted.is_none_or(|id| error.file().file_stem().is_some_and(|stem| stem == id));
        let broken = errors.iter().find(named).or(errors.first().filter(|_| wanted_ones.is_empty()));
        if let Some(error) = broken.filter(|_| wanted.is_none() || wanted_ones.is_empty()) {
            return Err(Fault::new(Kind::Usage, format!("{error}."), CORRECT_IT));
        }
        wanted_ones
    };
    if profiles.is_empty() {
        let sentence =
            wanted.map_or_else(|| "No profiles yet.".into(), |name| format!("No profile is called {name:?}."));
        return Err(Fault::usage(sentence, "Name a profile's file or its id."));
    }
    let checks: Vec<ProfileCheck> = profiles.iter().map(|profile| check_profile(site, profile)).collect();
    let rehearsals: Vec<Rehearsal> =
        if with_rehearsal { profiles.iter().map(|profile| rehearse(site, profile)).collect() } else { Vec::new() };
    let failed = |rehearsal: &Rehearsal| rehearsal.doubt.is_some();
    let sound = checks.iter().all(ProfileCheck::sound) && !rehearsals.iter().any(failed);
    if sink.is_json() {
        let mut all = Vec::new();
        for (n, check) in checks.iter().enumerate() {
            let mut value = to_json(check)?;
            value["sound"] = (check.sound() && !rehearsals.get(n).is_some_and(failed)).into();
            value["rehearsal"] = to_json(&rehearsals.get(n))?;
            all.push(value);
        }
        sink.document("profile-check", serde_json::json!({ "profiles": all, "sound": sound }))?;
    } else {
        let told = checks.iter().enumerate().map(|(n, check)| {
            let rehearsal = rehearsals.get(n).filter(|_| check.home.is_some());
            let rehearsal = rehearsal.map(|rehearsal| format!("\n  {}", said::rehearsal(rehearsal)));
            check_text(check) + &rehearsal.unwrap_or_default()
        });
        sink.say(&told.collect::<Vec<_>>().join("\n\n"))?;
    }
    Ok(if sound { 0 } else { 4 })
}

/// What to do about a profile that can't be read.
const CORRECT_IT: &str = "Correct the file, then check again.";

/// So many titles, and how many more.
fn some_titles(titles: &[String]) -> String {
    const SHOWN: usize = 5;
    let shown: Vec<String> = titles.iter().take(SHOWN).map(|title| line(title)).collect();
    let more = titles.len().saturating_sub(SHOWN);
    if more > 0 { format!("{} and {more} more", shown.join(", ")) } else { shown.join(", ") }
}

fn lists_text(lists: &ListCheck) -> Vec<String> {
    let mut out = Vec::new();
    let without =
        if lists.without.is_empty() { String::new() } else { format!(", none for {}", some_titles(&lists.without)) };
    let tried = words::several(lists.files, "file");
    out.push(format!("  content lists agree with {} ({tried} read){without}", words::several(lists.agree, "game")));
    for fault in &lists.faults {
        let what = match &fault.what {
            ListFaultKind::Unreadable(why) => line(why),
            ListFaultKind::Empty => "the content list is empty".into(),
            ListFaultKind::NoneAgrees { list, file } => {
                format!("no file tried agrees with {}, not even {}", shown(list), shown(file))
            }
        };
        out.push(format!("      {}: {what}", line(&fault.title)));
    }
    out
}

fn check_text(check: &ProfileCheck) -> String {
    let Some(home) = &check.home else {
        return format!("{}: none of its folders is on this machine", line(&check.name));
    };
    let verdict = if check.sound() { "OK" } else { "WRONG" };
    let mut out = vec![format!(
        "{}: {verdict}   {}, {}   {}",
        line(&check.name),
        words::several(check.libraries, "library"),
        words::several(check.games.len(), "game"),
        shown(home)
    )];
    for one in &check.lines {
        let missing = if one.missing > 0 { format!(", missing in {}", one.missing) } else { String::new() };
        out.push(format!("  found in {:>3}{missing}   {}   means {}", one.matched, line(&one.what), one.meaning));
        if !one.missing_in.is_empty() {
            out.push(format!("      missing in {}", some_titles(&one.missing_in)));
        }
        if let Some(why) = &one.why {
            out.push(format!("      nowhere: {}", line(why)));
        }
        for mismatch in &one.mismatches {
            out.push(format!(
                "      {}: {} {} says {}",
                line(&mismatch.title),
                shown(&mismatch.file),
                line(&mismatch.location),
                line(&mismatch.says)
            ));
        }
    }
    out.extend(check.lists.iter().flat_map(lists_text));
    if !check.unlisted.is_empty() {
        let folders = words::several(check.unlisted.len(), "folder");
        out.push(format!("  not listed: {folders} beside its games"));
        out.extend(check.unlisted.iter().map(|folder| format!("      {}", shown(folder))));
    }
    out.extend(check.drift.iter().map(|drift| format!("  changed   {}", words::changed(&check.name, drift))));
    for problem in &check.problems {
        let at = problem.line.map(|n| format!(" line {n}")).unwrap_or_default();
        out.push(format!("  problem   {}{at}: {}", shown(&problem.file), line(&problem.what)));
    }
    out.join("\n")
}
