//! The commands: each reads the site, does its act through core, and prints a document or lines.

use deft_barge_core::site::{Site, real_path};
use deft_barge_core::survey::{Survey, Way};

use super::sink::Sink;
use crate::present::{Fault, line, shell_word, words};
use crate::request::By;

use deft_barge_core::item::{Links, LooseFolders, Policy, Trial};
use deft_barge_core::journal::History;
use deft_barge_core::plan::{Destination, Draft, MakeLetters, Plan};

use deft_barge_core::survey::add_to_survey;
use deft_barge_core::survey::{Game, GameId, Lookup, SurveyPhase};
use deft_barge_core::trace::{ChoiceFault, Trace};

use super::progress::Passing;

use super::{drafts, naming, trace};

use crate::request::Wish;

/// Surveys the site with what the journal knows of kept originals.
///
/// A journal that cannot be read spoils nothing but the list of kept originals; the second value says why.
pub(crate) fn survey_site(site: &Site, sink: &Sink) -> (Survey, Option<Fault>) {
    let (history, fault) = match History::recent(site) {
        Ok(history) => (history, None),
        Err(error) => (History::default(), Some(error.into())),
    };
    let passing = Passing::new(sink);
    let report = |phase: SurveyPhase| passing.show(|| format!("measured {} of {} games", phase.measured, phase.games));
    let mut survey = deft_barge_core::survey::survey(site, history.held(site), &report);
    #[expect(clippy::let_underscore_must_use, reason = "not to know a drive again later is no reason to fail now")]
    let _ = site.remember_drives();
    deft_barge_core::survey::Names::remember(site, &survey);
    survey.speeds = history.speeds;
    (survey, fault)
}

/// The game that a word means.
pub(crate) fn find_game<'a>(survey: &'a Survey, word: &str) -> Result<&'a Game, Fault> {
    let games = games_by(word, &|word| survey.find_games(word));
    one_meant(survey, &games, word)
}

/// The one game that is meant; where there is none, a launcher that changed may be why.
fn one_meant<'a>(survey: &Survey, games: &[&'a Game], word: &str) -> Result<&'a Game, Fault> {
    if games.is_empty() {
        if let Some(folder) = std::path::absolute(word).ok().filter(|folder| folder.is_dir()) {
            let shown = shell_word(&folder.to_string_lossy());
            let hint = format!("It can be moved by itself: deft-barge haul --traced {shown} --to DRIVE");
            return Err(perhaps_changed(survey, Fault::usage(format!("No launcher lists {}.", line(&shown)), hint)));
        }
        return Err(perhaps_changed(survey, naming::no_game(survey, word)));
    }
    meant(games, word)
}

/// The same fault, with what a launcher says in another way than was learned of it.
fn perhaps_changed(survey: &Survey, fault: Fault) -> Fault {
    let changed = survey.launchers.iter().find_map(|launcher| Some((launcher, launcher.drift.as_ref()?)));
    let Some((launcher, drift)) = changed else { return fault };
    let what = format!("{} {}", fault.sentence, words::changed(&launcher.name, drift));
    Fault::usage(what, "Learn that launcher again with: deft-barge learn")
}

/// The games that a word may mean: by their ids and titles, else by the folder that it is a path to from here.
fn games_by<'a>(word: &str, find: &dyn Fn(&str) -> Vec<&'a Game>) -> Vec<&'a Game> {
    let games = find(word);
    let folder = std::path::absolute(word).ok().filter(|folder| games.is_empty() && folder.is_dir());
    folder.and_then(|folder| folder.to_str().map(find)).unwrap_or(games)
}

/// The one game of those that a word may mean.
fn meant<'a>(games: &[&'a Game], word: &str) -> Result<&'a Game, Fault> {
    match games {
        [game] => Ok(game),
        // Two launchers that list one folder mean the same game: the records of both are found, whichever is named.
        [first, rest @ ..] if rest.iter().all(|game| game.found.install == first.found.install) => {
            let titled = |game: &&&Game| game.found.title != game.found.id;
            Ok(games.iter().find(titled).unwrap_or(first))
        }
        many => {
            let titles: Vec<String> = many.iter().map(|game| format!("{} ({})", game.found.title, game.id)).collect();
            Err(Fault::usage(format!("{word:?} could be {}.", titles.join(", ")), "Type more of the title, or the id."))
        }
    }
}

/// The game or user data that a word means.
fn find_haulable<'a>(lookup: &Lookup<'a>, word: &str) -> Result<&'a Game, Fault> {
    let low = word.to_lowercase();
    let games = games_by(word, &|word| lookup.find_games(word));
    let data = lookup.survey.user_data.iter().find(|data| data.id.0 == word || data.title.to_lowercase() == low);
    match data.and_then(|data| lookup.haulable(&data.id, None)) {
        Some(game) if games.is_empty() => Ok(game),
        _ => {
            if let (Some(data), true) = (data, games.is_empty()) {
                let why = data.fault.as_ref().map_or("it can't be moved here".into(), crate::present::place_fault);
                return Err(Fault::usage(format!("{} can't go: {why}.", data.title), "See: deft-barge data list"));
            }
            one_meant(lookup.survey, &games, word)
        }
    }
}

/// Leaves out and takes the places that a person named by their numbers.
fn choose(trace: &mut Trace, wish: &Wish) -> Result<(), Fault> {
    if !(wish.leave.is_empty() && wish.take.is_empty()) && wish.traced.len() > 1 {
        let sentence = "--leave and --take work with one traced folder at a time.";
        return Err(Fault::usage(sentence, "Haul that folder by itself."));
    }
    let see = format!("See the numbers with: deft-barge trace {}", shell_word(&trace.path.to_string_lossy()));
    trace.choose(&wish.leave, &wish.take).map_err(|fault| match fault {
        ChoiceFault::NoSuch(number) => Fault::usage(format!("No place has the number {number}."), see),
        ChoiceFault::CannotBeRewritten(number) => Fault::usage(format!("Place {number} can't be rewritten."), see),
    })
}

/// The plan that a command line wishes for.
pub(crate) fn plan_wish(site: &Site, survey: &mut Survey, wish: &Wish, sink: &Sink) -> Result<Plan, Fault> {
    let mut policy = if wish.release { Policy::Release } else { Policy::Hold };
    let mut what_if = wish.what_if.clone();
    let mut site = site.clone();
    let mut draft = Draft::default();
    if let Some(path) = &wish.from {
        let file = drafts::read(&drafts::found(&site, path))?;
        what_if.extend(file.what_if.clone());
        drafts::add(&what_if, &mut site, survey);
        draft = file.fit(survey).map_err(|misfits| drafts::misfit(path, &misfits))?;
        if file.policy == Policy::Release {
            policy = Policy::Release;
        }
    } else {
        drafts::add(&what_if, &mut site, survey);
    }
    let traced = add_traced(&site, survey, wish, sink)?;
    let survey = &*survey;
    let lookup = Lookup::of(survey);
    for word in &wish.games {
        send_named(&site, survey, &lookup, word, wish, &mut draft)?;
    }
    for id in &traced {
        draft.send(id.clone(), place_of_all(&site, survey, wish)?);
    }
    if wish.make_letters {
        draft.letters = MakeLetters::Yes;
    }
    if wish.copy_links {
        draft.links = Links::Copies;
    }
    if wish.loose {
        draft.loose = LooseFolders::Move;
    }
    if wish.try_first {
        draft.trial = Trial::Waits;
    }
    let plan = deft_barge_core::plan::plan(&site, survey, &draft, policy);
    if let Some(path) = &wish.save {
        drafts::save(path, survey, &draft, policy, what_if)?;
    }
    Ok(plan)
}

/// The folders of `--traced` in the survey, each with the records that a trace finds.
fn add_traced(site: &Site, survey: &mut Survey, wish: &Wish, sink: &Sink) -> Result<Vec<GameId>, Fault> {
    let mut traced = Vec::new();
    for path in &wish.traced {
        let mut trace = trace::traced(site, path, &[], sink)?;
        choose(&mut trace, wish)?;
        // Of a launcher that has changed since it was learned a trace knows more than its profile.
        let changed = |game: &&Game| survey.launcher(&game.launcher).is_some_and(|launcher| launcher.drift.is_some());
        let mut known = survey.games.iter().filter(|game| game.found.install == trace.path);
        if let Some(known) = known.find(|game| !changed(game)) {
            let sentence = format!("{} is {}, which a profile describes.", path.display(), known.found.title);
            return Err(Fault::usage(sentence, "Leave out --traced: a game can be named by its folder."));
        }
        traced.push(add_to_survey(site, survey, &trace));
    }
    Ok(traced)
}

/// Where `--to` says.
fn place_of_all(site: &Site, survey: &Survey, wish: &Wish) -> Result<Destination, Fault> {
    let word = wish
        .to
        .as_ref()
        .ok_or_else(|| Fault::usage("No destination.", "Name a drive with --to, or for one game with GAME=DRIVE."))?;
    destination(site, survey, word)
}

/// Puts the game that a word names on the draft, with its user data where that is asked.
fn send_named(
    site: &Site,
    survey: &Survey,
    lookup: &Lookup,
    word: &str,
    wish: &Wish,
    draft: &mut Draft,
) -> Result<(), Fault> {
    // A title may hold an equals sign: then all of it is the title.
    let parts = word.rsplit_once('=').filter(|_| games_by(word, &|word| lookup.find_games(word)).is_empty());
    let (game, to) = match parts {
        Some((game, drive)) => (game, destination(site, survey, drive)?),
        None => (word, place_of_all(site, survey, wish)?),
    };
    let game = find_haulable(lookup, game)?;
    let is_data = lookup.data(&game.id).is_some();
    let way = if is_data { wish.by.map(self::way) } else { wish.leave_link.then_some(Way::Link) };
    draft.send_by(game.id.clone(), to.clone(), way);
    if wish.with_data {
        let along =
            survey.user_data.iter().filter(|data| data.game.as_ref() == Some(&game.id) && !data.ways.is_empty());
        for data in along {
            let way = wish.by.map(self::way).filter(|way| data.ways.contains(way));
            draft.send_by(data.id.clone(), to.clone(), way);
        }
    }
    Ok(())
}

fn destination(site: &Site, survey: &Survey, word: &str) -> Result<Destination, Fault> {
    if let Some(drive) = naming::find_drive(site, word) {
        return Ok(Destination::Drive(drive.name.clone()));
    }
    if let Some(folder) = naming::folder(word) {
        let real = real_path(&folder);
        let mut libraries = survey.launchers.iter().flat_map(|launcher| &launcher.libraries);
        if let Some(library) = libraries.find(|library| library.path == folder || real_path(&library.path) == real) {
            return Ok(Destination::Library(library.path.clone()));
        }
        if let Some(drive) = site.drive_of(&real).filter(|_| real.exists()) {
            let sentence = format!("{} is no library of a launcher.", line(word));
            let (name, word) = (line(&drive.name), shell_word(&drive.name));
            let hint = format!("It is on {name}. With --to {word} each game goes to its launcher's place there.");
            return Err(Fault::usage(sentence, hint));
        }
    }
    let names = site.drives.iter().map(|drive| drive.name.as_str());
    Err(naming::unknown("drive or library", word, names.collect()))
}

pub(crate) fn way(by: By) -> Way {
    match by {
        By::Link => Way::Link,
        By::Setting => Way::Setting,
        By::Directory => Way::Directory,
    }
}
