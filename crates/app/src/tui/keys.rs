//! The key map, as data; the help is made of it.

use deft_barge_core::finds::FindAct;
use ratatui::crossterm::event::{KeyCode, KeyEvent, KeyModifiers};

/// The views that there are so far.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum View {
    Drives,
    Haul,
    Running,
    Finds,
}

/// What a key asks for.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Wish {
    Show(View),
    Next,
    Previous,
    NextDrive,
    PreviousDrive,
    Send(u8),
    Keep,
    Review,
    Accept,
    MakeLetters,
    CopyLinks,
    TryFirst,
    Free,
    Empty,
    Played,
    SaveDraft,
    OpenDraft,
    Start,
    Pause,
    Slower,
    Faster,
    GoOn,
    Cancel,
    LetGo,
    Undo,
    Refresh,
    /// Digits send the user data of the game, or the game again.
    UserData,
    /// User data that is on the haul goes in another of its ways.
    OtherWay,
    /// Start the game and see that it comes up.
    Play,
    /// Do what fits a find.
    Act(FindAct),
    Help,
    Back,
    Quit,
    Suspend,
}

/// Where a key counts.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Where {
    Everywhere,
    In(View),
}

/// A key, where it counts, what it asks for, and that in words; without words it is another key for the same.
#[derive(Debug)]
pub struct Key {
    pub code: KeyCode,
    pub place: Where,
    pub wish: Wish,
    pub words: &'static str,
}

const fn key(code: KeyCode, place: Where, wish: Wish, words: &'static str) -> Key {
    Key { code, place, wish, words }
}

use KeyCode::{BackTab, Char, Down, Enter, Esc, Left, Right, Tab, Up};
use Where::{Everywhere, In};

/// All keys. Digits stand apart: in the Drives view a digit sends the game under the cursor to that drive.
pub const KEYS: &[Key] = &[
    key(Down, Everywhere, Wish::Next, "next game or lot"),
    key(Right, Everywhere, Wish::Next, ""),
    key(Char('j'), Everywhere, Wish::Next, ""),
    key(Up, Everywhere, Wish::Previous, "previous game or lot"),
    key(Left, Everywhere, Wish::Previous, ""),
    key(Char('k'), Everywhere, Wish::Previous, ""),
    key(Tab, In(View::Drives), Wish::NextDrive, "next drive"),
    key(BackTab, In(View::Drives), Wish::PreviousDrive, "previous drive"),
    key(Char('0'), In(View::Drives), Wish::Keep, "leave the game where it is"),
    key(Enter, In(View::Drives), Wish::Review, "look at the haul before it starts"),
    key(Char('F'), In(View::Drives), Wish::Free, "suggest what makes room on this drive"),
    key(Char('E'), In(View::Drives), Wish::Empty, "suggest where everything on this drive can go"),
    key(Char('M'), In(View::Drives), Wish::Played, "suggest what was played last for this drive"),
    key(Char('w'), In(View::Drives), Wish::SaveDraft, "save this haul's draft under a name"),
    key(Char('o'), In(View::Drives), Wish::OpenDraft, "open a saved draft"),
    key(Char('u'), In(View::Drives), Wish::UserData, "let digits send the game's user data, or the game again"),
    key(Char('v'), In(View::Drives), Wish::OtherWay, "send that user data in another way"),
    key(Char('p'), In(View::Drives), Wish::Play, "start this game and see it come up"),
    key(Char('R'), Everywhere, Wish::Refresh, "look at drives and games afresh"),
    key(Char('a'), In(View::Finds), Wish::Act(FindAct::Adopt), "adopt: make it an installed game"),
    key(Char('l'), In(View::Finds), Wish::Act(FindAct::LetGo), "compare it with the copy that stays, and let go of it"),
    key(Char('s'), In(View::Finds), Wish::Act(FindAct::SetAside), "set it aside"),
    key(Char('x'), In(View::Finds), Wish::Act(FindAct::RemoveLink), "take the link away"),
    key(Char('y'), In(View::Finds), Wish::Act(FindAct::Forget), "take the entry off its launcher's list"),
    key(
        Char('n'),
        In(View::Finds),
        Wish::Act(FindAct::Reanchor),
        "re-anchor: lead all records to where the drive is now",
    ),
    key(Char('a'), In(View::Haul), Wish::Accept, "accept the cautions"),
    key(Char('L'), In(View::Haul), Wish::MakeLetters, "let missing drive letters be made, or not"),
    key(Char('t'), In(View::Haul), Wish::TryFirst, "let the smallest game be tried first, or not"),
    key(Char('K'), In(View::Haul), Wish::CopyLinks, "let copies stand where links were, or not"),
    key(Char('S'), In(View::Haul), Wish::Start, "start the haul"),
    key(Char('p'), In(View::Running), Wish::Pause, "pause at the next block"),
    key(Char('-'), In(View::Running), Wish::Slower, "copy slower"),
    key(Char('+'), In(View::Running), Wish::Faster, "copy faster"),
    key(Char('='), In(View::Running), Wish::Faster, ""),
    key(Char('g'), In(View::Running), Wish::GoOn, "go on"),
    key(
        Char('c'),
        In(View::Running),
        Wish::Cancel,
        "cancel: stop and return what was done; or give up what is unfinished",
    ),
    key(Char('l'), In(View::Running), Wish::LetGo, "let go of the held originals"),
    key(Char('u'), In(View::Running), Wish::Undo, "undo: return the haul"),
    key(Char('d'), Everywhere, Wish::Show(View::Drives), "Drives"),
    key(Char('h'), Everywhere, Wish::Show(View::Haul), "Haul"),
    key(Char('r'), Everywhere, Wish::Show(View::Running), "Running"),
    key(Char('f'), Everywhere, Wish::Show(View::Finds), "Finds"),
    key(Char('?'), Everywhere, Wish::Help, "these keys"),
    key(Esc, Everywhere, Wish::Back, "back; the plan is kept"),
    key(Char('q'), Everywhere, Wish::Quit, "leave"),
];

/// What a key asks for in a view.
pub fn wish(event: KeyEvent, view: View) -> Option<Wish> {
    if event.modifiers.contains(KeyModifiers::CONTROL) {
        return match event.code {
            Char('z') => Some(Wish::Suspend),
            // Ctrl-C never kills a haul: leaving asks where something runs.
            Char('c') => Some(Wish::Quit),
            _ => None,
        };
    }
    if event.modifiers.contains(KeyModifiers::ALT) {
        return None;
    }
    let here = |key: &&Key| key.code == event.code && (key.place == Everywhere || key.place == In(view));
    if let Some(key) = KEYS.iter().find(here) {
        return Some(key.wish);
    }
    match (event.code, view) {
        (Char(digit @ '1'..='9'), View::Drives) => Some(Wish::Send(digit as u8 - b'0')),
        _ => None,
    }
}

/// The keys of a view with their words, for its help.
pub fn help(view: View) -> Vec<(String, &'static str)> {
    let mut lines: Vec<(String, &'static str)> = Vec::new();
    if view == View::Drives {
        lines.push(("1 to 9".into(), "send the game under the cursor to that drive"));
    }
    for key in KEYS.iter().filter(|key| key.place == Everywhere || key.place == In(view)) {
        match lines.last_mut() {
            Some(last) if key.words.is_empty() => last.0 = format!("{} {}", last.0, name(key.code)),
            _ => lines.push((name(key.code), key.words)),
        }
    }
    lines
}

/// How a key is written.
pub fn name(code: KeyCode) -> String {
    match code {
        Char(c) => c.to_string(),
        Enter => "enter".into(),
        Esc => "esc".into(),
        Tab => "tab".into(),
        BackTab => "shift-tab".into(),
        Up => "↑".into(),
        Down => "↓".into(),
        Left => "←".into(),
        Right => "→".into(),
        other => format!("{other:?}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_key_means_two_things_in_one_view() {
        for view in [View::Drives, View::Haul, View::Running, View::Finds] {
            let here: Vec<&Key> = KEYS.iter().filter(|k| k.place == Everywhere || k.place == In(view)).collect();
            for (n, key) in here.iter().enumerate() {
                assert!(here[n + 1..].iter().all(|other| other.code != key.code), "{:?} in {view:?}", key.code);
            }
        }
    }

    #[test]
    fn a_digit_is_a_drive_and_nothing_else() {
        let press = |c| KeyEvent::new(Char(c), KeyModifiers::NONE);
        assert_eq!(wish(press('4'), View::Drives), Some(Wish::Send(4)));
        assert_eq!(wish(press('4'), View::Running), None);
    }
}
