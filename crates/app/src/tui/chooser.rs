//! A list that letters narrow down: all acts by their words, or all games by their titles.

use crate::tui::model::{Act, Choice, Chooser, Errand, Letters, Of, Offer};
use std::path::PathBuf;

use deft_barge_core::plan::Destination;
use deft_barge_core::platform::CAN_STOP;
use deft_barge_core::trace::{Find, FindPlace};

use ratatui::crossterm::event::{Event as Input, KeyCode, KeyEvent, KeyModifiers};
use tui_input::backend::crossterm::EventHandler;

use super::state::State;
use crate::commands::{COMMANDS, View, Where, Wish};
use crate::present::{path as shown, places, words};
use crate::service::drafts::KeptDraft;

/// Acts that are kept as done lately.
const RECENT: usize = 6;

impl State {
    /// Lists what fits the letters.
    pub(crate) fn choices(&mut self) {
        let Some(mut chooser) = self.over.chooser.take() else { return };
        let mut letters = Letters::new(chooser.input.value());
        let is_empty = chooser.input.value().trim().is_empty();
        let mut offers: Vec<(usize, Offer)> = match chooser.of {
            Of::Acts => self.acts(&mut letters, is_empty),
            Of::Games => self.games(&mut letters),
            Of::Drives => self.drives(&mut letters),
            Of::Drafts => self.drafts(&mut letters),
            Of::Places => self.places(&mut letters),
        };
        offers.sort_by_key(|(rank, _)| *rank);
        chooser.offers = offers.into_iter().map(|(_, offer)| offer).collect();
        chooser.cursor = chooser.cursor.min(chooser.offers.len().saturating_sub(1));
        self.over.chooser = Some(chooser);
    }

    fn acts(&self, letters: &mut Letters, is_empty: bool) -> Vec<(usize, Offer)> {
        let mut all = Vec::new();
        let here = self.game_here().map(|game| game.found.title.clone());
        for drive in self.survey.iter().flat_map(|survey| &survey.drives) {
            let Some(title) = &here else { continue };
            let what = if self.drives.layout.marks.is_empty() { title.clone() } else { "the marked games".into() };
            let text = format!("send {what} to {}", drive.drive.name);
            let (digit, choice) = match drive.drive.tag {
                Some(tag) => (tag.to_string(), Choice::Act(Some(View::Drives), Wish::Send(tag))),
                None => (String::new(), Choice::Drive(drive.drive.name.clone())),
            };
            all.push((text, digit, choice, true));
        }
        for library in self.other_libraries() {
            let title = here.clone().unwrap_or_default();
            let text = format!("send {title} into the library {}", library.display());
            all.push((text, String::new(), Choice::Library(library), false));
        }
        for (n, command) in COMMANDS.iter().enumerate() {
            let (view, is_own) = match command.place {
                Where::Everywhere => (None, false),
                Where::In(view) => (Some(view), view == self.view),
            };
            if command.wish == Wish::Suspend && !CAN_STOP {
                continue;
            }
            // Moving a cursor is no act.
            if matches!(
                command.wish,
                Wish::Down
                    | Wish::Up
                    | Wish::Left
                    | Wish::Right
                    | Wish::Palette
                    | Wish::PageDown
                    | Wish::PageUp
                    | Wish::First
                    | Wish::Last
            ) {
                continue;
            }
            let place = view.map_or("", View::name);
            let keys = self.look.keys.names(n);
            let aside = if place.is_empty() { keys } else { format!("{place}   {keys}") };
            all.push((command.words.to_string(), aside, Choice::Act(view, command.wish), is_own));
        }
        let ranked = |(n, (text, aside, choice, is_own)): (usize, (String, String, Choice, bool))| {
            let rank = letters.rank(&format!("{text} {aside}"))?;
            // What was done lately stands first, then what the view one is in offers; the table's order decides what is alike.
            let done = self.over.recent.iter().position(|recent| *recent == choice).unwrap_or(RECENT);
            let rank = if is_empty { done } else { rank * 10 };
            Some((rank * 10_000 + usize::from(!is_own) * 5_000 + n, Offer { text, aside, choice }))
        };
        all.into_iter().enumerate().filter_map(ranked).collect()
    }

    /// The libraries of the launcher of the game under the cursor, but for the one that it is in.
    fn other_libraries(&self) -> Vec<PathBuf> {
        let (Some(survey), Some(game)) = (&self.survey, self.game_here()) else { return Vec::new() };
        let launcher = survey.launcher(&game.launcher);
        let libraries = launcher.iter().flat_map(|launcher| &launcher.libraries).filter(|library| library.present);
        libraries.map(|library| library.path.clone()).filter(|path| Some(path) != game.found.library.as_ref()).collect()
    }

    fn drives(&self, letters: &mut Letters) -> Vec<(usize, Offer)> {
        let offer = |state: &deft_barge_core::survey::DriveState| {
            let rank = letters.rank(&state.drive.name)?;
            let digit = state.drive.tag.map(|tag| tag.to_string()).unwrap_or_default();
            let aside = format!("{} free   {digit:1}", state.free);
            Some((
                rank,
                Offer { text: state.drive.name.clone(), aside, choice: Choice::Drive(state.drive.name.clone()) },
            ))
        };
        self.survey.iter().flat_map(|survey| &survey.drives).filter_map(offer).collect()
    }

    /// Offers the drafts that are kept, if their list is open still.
    pub(crate) fn choose_draft(&mut self, kept: Vec<KeptDraft>) {
        if self.over.chooser.as_ref().is_none_or(|chooser| chooser.of != Of::Drafts) {
            return;
        }
        if kept.is_empty() {
            let keys = self.look.keys.name(Wish::SaveDraft, View::Drives);
            self.over.message = Some(format!("No draft has been saved yet; {keys} saves the one on screen."));
            self.over.chooser = None;
            return;
        }
        self.over.drafts = Some(kept);
        self.choices();
    }

    fn drafts(&self, letters: &mut Letters) -> Vec<(usize, Offer)> {
        let offer = |(nth, draft): (usize, &KeptDraft)| {
            let told = draft.file.as_ref().map(|file| words::kept_draft(file, draft.saved));
            let aside = told.unwrap_or_else(|| "can't be read".into());
            let rank = letters.rank(&draft.name)? * 1000 + nth;
            Some((rank, Offer { text: draft.name.clone(), aside, choice: Choice::Draft(draft.name.clone()) }))
        };
        self.over.drafts.iter().flatten().enumerate().filter_map(offer).collect()
    }

    /// The places that a trace found, in its order.
    fn places(&self, letters: &mut Letters) -> Vec<(usize, Offer)> {
        let otherwise = self.otherwise();
        let offer = |(nth, find): (usize, &Find)| {
            let record = &find.record;
            let file = record.file.file_name().map(|name| name.to_string_lossy().into_owned()).unwrap_or_default();
            let line = find.line.map(|line| format!(" line {line}")).unwrap_or_default();
            let text = format!("{file}{line}  {}", record.text);
            letters.rank(&format!("{} {}", shown(&record.file), record.text))?;
            let aside = places::place_found(find, otherwise.contains(&find.place())).to_string();
            Some((nth, Offer { text, aside, choice: Choice::Place(find.place()) }))
        };
        self.haul.places.iter().enumerate().filter_map(offer).collect()
    }

    /// Lists the places that a trace found for the plan.
    pub(crate) fn choose_places(&mut self) {
        if self.haul.places.is_empty() {
            self.over.message = Some("No trace found places for this haul: nothing to choose.".into());
        } else {
            self.over.chooser = Some(Chooser::places());
        }
    }

    /// The places that a person has otherwise than the trace.
    fn otherwise(&self) -> &[FindPlace] {
        match &self.haul.act {
            Some((Errand::Traced(_, _, otherwise), _)) => otherwise,
            _ => &[],
        }
    }

    /// Has a place rewritten that was to be left, or left.
    fn turn_place(&mut self, place: FindPlace) {
        let find = self.haul.places.iter().find(|find| find.place() == place);
        if !find.is_some_and(Find::may_be_taken) {
            self.over.message = Some("That place can't be rewritten.".into());
            return;
        }
        let Some((Errand::Traced(_, _, otherwise), _)) = &mut self.haul.act else { return };
        match otherwise.iter().position(|other| *other == place) {
            Some(at) => drop(otherwise.remove(at)),
            None => otherwise.push(place),
        }
        // What was planned isn't what is asked for any more.
        self.haul.plan = None;
        self.haul.accepted = false;
    }

    /// What a list that was closed leaves to be done.
    pub(crate) fn closed(&mut self, of: Of) -> Vec<Act> {
        if of == Of::Places && self.haul.plan.is_none() { self.show(View::Haul) } else { Vec::new() }
    }

    fn games(&self, letters: &mut Letters) -> Vec<(usize, Offer)> {
        let Some(survey) = &self.survey else { return Vec::new() };
        let offer = |game: &deft_barge_core::survey::Game| {
            let rank = letters.rank(&game.found.title)?;
            let drive = game.drive.as_deref().unwrap_or("offline");
            let aside = format!("{drive}   {:>9}", game.size.on_disk.to_string());
            Some((rank, Offer { text: game.found.title.clone(), aside, choice: Choice::Game(game.id.clone()) }))
        };
        survey.games.iter().filter_map(offer).collect()
    }

    pub(crate) fn choose_on(&mut self, mut chooser: Chooser, key: KeyEvent) -> Vec<Act> {
        let last = chooser.offers.len().saturating_sub(1);
        let ctrl = key.modifiers.contains(KeyModifiers::CONTROL);
        match key.code {
            KeyCode::Esc => return self.closed(chooser.of),
            KeyCode::Enter => {
                return self.choose(chooser);
            }
            KeyCode::Down | KeyCode::Tab => chooser.cursor = (chooser.cursor + 1).min(last),
            KeyCode::Up | KeyCode::BackTab => chooser.cursor = chooser.cursor.saturating_sub(1),
            KeyCode::PageDown => chooser.cursor = (chooser.cursor + 10).min(last),
            KeyCode::PageUp => chooser.cursor = chooser.cursor.saturating_sub(10),
            KeyCode::Char('n') if ctrl => chooser.cursor = (chooser.cursor + 1).min(last),
            KeyCode::Char('p') if ctrl => chooser.cursor = chooser.cursor.saturating_sub(1),
            _ => {
                let changed = chooser.input.handle_event(&Input::Key(key));
                if changed.is_some_and(|changed| changed.value) {
                    chooser.cursor = 0;
                }
            }
        }
        self.over.chooser = Some(chooser);
        self.choices();
        Vec::new()
    }

    /// Does what is chosen under the cursor; a list of places stays open.
    pub(crate) fn choose(&mut self, chooser: Chooser) -> Vec<Act> {
        let choice = chooser.offers.get(chooser.cursor).map(|offer| offer.choice.clone());
        if chooser.of == Of::Places {
            self.over.chooser = Some(chooser);
        }
        let acts = choice.map_or_else(Vec::new, |choice| self.chosen(choice));
        self.choices();
        acts
    }

    fn chosen(&mut self, choice: Choice) -> Vec<Act> {
        match choice {
            Choice::Place(place) => {
                self.turn_place(place);
                Vec::new()
            }
            Choice::Game(id) => {
                if !matches!(self.view, View::Drives) {
                    self.view = View::Drives;
                }
                self.go_to(&id);
                Vec::new()
            }
            Choice::Drive(name) => self.on_drive(name),
            Choice::Draft(name) => vec![Act::Open(name)],
            Choice::Library(path) => {
                if let Some(id) = self.game_here().map(|game| game.id.clone()) {
                    self.drafted.draft.send(id, Destination::Library(path));
                    self.redraft();
                    return self.show(View::Drives);
                }
                Vec::new()
            }
            Choice::Act(view, wish) => {
                let done = Choice::Act(view, wish);
                self.over.recent.retain(|recent| *recent != done);
                self.over.recent.insert(0, done);
                self.over.recent.truncate(RECENT);
                let mut acts = view.filter(|view| *view != self.view).map_or_else(Vec::new, |view| self.show(view));
                acts.extend(self.wished(wish));
                acts
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use crate::tui::model::Letters;

    #[test]
    fn every_word_has_to_fit_and_beginnings_fit_best() {
        let rank = |letters: &str, text: &str| Letters::new(letters).rank(text);
        assert!(rank("rally", "Saltflat Rally") < rank("ally", "Saltflat Rally"));
        assert!(rank("salt rally", "Saltflat Rally").is_some());
        assert!(rank("sfr", "Saltflat Rally").is_some(), "letters with gaps");
        assert!(rank("rally", "Saltflat Rally") < rank("rally", "Rapid Alley Yards"), "what stands together is better");
        assert!(rank("öland", "Öland").is_some() && rank("oland", "Öland").is_some());
        assert_eq!(rank("salt rallye", "Saltflat Rally"), None);
        assert!(rank("", "anything").is_some());
    }
}
