//! Suggestions against an exact search over all choices, on made-up surveys.

use super::*;
use crate::survey::made_up::{Numbers, drive, game, survey_of};

/// Three drives, the games of the first one, and two elsewhere.
fn case(numbers: &mut Numbers) -> Survey {
    let count = 2 + numbers.below(7);
    let mut games: Vec<Game> = (0..count)
        .map(|n| {
            let days = [Some(3), Some(90), Some(400), None][numbers.below(4) as usize];
            let mut game = game(&format!("g{n}"), "full", 1 + numbers.below(30), days);
            if numbers.below(7) == 0 {
                game.found.sealed = Some("it checks where it lies".into());
            }
            if numbers.below(5) == 0 {
                game.size.links = 2;
            }
            game
        })
        .collect();
    games.push(game("x", "other", 5, Some(1)));
    games.push(game("y", "stick", 3, None));
    let used: u64 =
        games.iter().filter(|game| game.drive.as_deref() == Some("full")).map(|g| g.size.on_disk.count()).sum();
    let mut stick = drive("stick", 3 + numbers.below(40), 3, 0);
    stick.drive.kind = DriveKind::Usb;
    stick.drive.abilities.links = false;
    survey_of(vec![drive("full", used + 4, used, 2), drive("other", 9 + numbers.below(60), 5, 4), stick], games)
}

/// The best cost of any choice of games with any places for them.
fn brute(survey: &Survey, wanted: u64) -> Option<Cost> {
    let games: Vec<&Game> = on(survey, "full").into_iter().filter(|game| game.found.sealed.is_none()).collect();
    let mut best: Option<Cost> = None;
    for choice in 0..3_usize.pow(games.len() as u32) {
        let place = |n: usize| choice / 3_usize.pow(n as u32) % 3;
        let mut free: Vec<i64> = survey
            .drives
            .iter()
            .map(|state| (state.drive.capacity.count() - state.used.count() - state.drive.reserve.count()) as i64)
            .collect();
        let (mut many, mut used, mut sum) = (0, 0, 0);
        for (n, game) in games.iter().enumerate().filter(|(n, _)| place(*n) > 0) {
            let bytes = game.size.on_disk.count();
            let holds = place(n) == 1 || game.size.links == 0;
            free[place(n)] -= if holds { bytes as i64 } else { 1 << 40 };
            many += 1;
            used += u32::from(usage(game, survey.made));
            sum += bytes;
        }
        if sum >= wanted && free[1..].iter().all(|free| *free >= 0) {
            let cost = (many, used, sum - wanted);
            best = Some(best.map_or(cost, |best| best.min(cost)));
        }
    }
    best
}

#[test]
fn room_is_made_with_the_fewest_and_least_played_games_and_as_little_above_as_can_be() {
    let mut numbers = Numbers(77_123_456_789);
    let mut found = [0, 0];
    for _ in 0..400 {
        let survey = case(&mut numbers);
        let wanted = 1 + numbers.below(50);
        let suggestion = suggest(&survey, &Aim::Free { drive: "full".into(), bytes: Bytes::new(wanted) });
        let games: Vec<&Game> = suggestion.lines.iter().map(|line| survey.game(&line.game).unwrap()).collect();
        let sum: u64 = games.iter().map(|game| game.size.on_disk.count()).sum();
        assert!(games.iter().all(|game| game.found.sealed.is_none() && game.drive.as_deref() == Some("full")));
        // What is suggested fits where it is to go.
        let loads = crate::plan::projected(&survey, &suggestion.draft());
        assert!(loads.iter().all(|load| load.lacks().is_none()), "{suggestion:?}");
        if let Some(best) = brute(&survey, wanted) {
            let used = games.iter().map(|game| u32::from(usage(game, survey.made))).sum();
            assert_eq!((games.len(), used, sum - wanted), best, "{suggestion:?}");
            assert_eq!(suggestion.misses, []);
        } else {
            let lacks = |miss: &Miss| matches!(miss, Miss::StillLacks { bytes, .. } if bytes.count() == wanted - sum);
            assert!(suggestion.misses.iter().any(lacks), "{suggestion:?}");
        }
        found[usize::from(suggestion.misses.is_empty())] += 1;
    }
    assert!(found[0] > 50 && found[1] > 50, "{found:?}");
}

#[test]
fn a_drive_is_emptied_but_for_what_cannot_leave() {
    let mut survey = survey_of(
        vec![drive("full", 100, 60, 0), drive("other", 60, 0, 10), drive("small", 20, 0, 0)],
        vec![game("a", "full", 30, None), game("b", "full", 18, None), game("c", "full", 12, Some(1))],
    );
    let places = |survey: &Survey| {
        let suggestion = suggest(survey, &Aim::Empty { drive: "full".into() });
        let lines: Vec<(String, String)> = suggestion.lines.iter().map(|l| (l.title.clone(), l.to.clone())).collect();
        (lines, suggestion.misses)
    };
    let (lines, misses) = places(&survey);
    assert_eq!((lines.len(), misses), (3, vec![]));
    survey.games[0].found.sealed = Some("no".into());
    survey.games[1].size.on_disk = Bytes::new(70);
    let (lines, misses) = places(&survey);
    assert_eq!(lines, [("Game c".to_string(), "other".to_string())]);
    assert_eq!(misses, [Miss::Fixed { title: "Game a".into() }, Miss::NoPlace { title: "Game b".into() }]);
}

#[test]
fn what_was_played_last_comes_to_the_drive_and_the_least_played_leaves_for_it() {
    let survey = survey_of(
        vec![drive("fast", 100, 90, 0), drive("slow", 500, 70, 0)],
        vec![
            game("old", "fast", 60, Some(900)),
            game("new", "fast", 30, Some(2)),
            game("daily", "slow", 40, Some(0)),
            game("weekly", "slow", 25, Some(7)),
            game("never", "slow", 5, None),
        ],
    );
    let suggestion = suggest(&survey, &Aim::Played { drive: "fast".into() });
    let lines: Vec<(&str, &str)> = suggestion.lines.iter().map(|l| (l.title.as_str(), l.to.as_str())).collect();
    assert_eq!(lines, [("Game old", "slow"), ("Game daily", "fast"), ("Game weekly", "fast")]);
    let loads = crate::plan::projected(&survey, &suggestion.draft());
    assert!(loads.iter().all(|load| load.lacks().is_none()));
}

#[test]
fn a_drive_above_its_reserve_takes_what_is_played_only_once_enough_has_left() {
    for (reserve, comes) in [(0, true), (20, true), (75, false)] {
        let survey = survey_of(
            vec![drive("fast", 100, 90, reserve), drive("slow", 500, 30, 0)],
            vec![game("old", "fast", 60, Some(900)), game("daily", "slow", 30, Some(0))],
        );
        let suggestion = suggest(&survey, &Aim::Played { drive: "fast".into() });
        assert_eq!(suggestion.lines.iter().any(|line| line.to == "fast"), comes, "{reserve}: {suggestion:?}");
        let loads = crate::plan::projected(&survey, &suggestion.draft());
        assert!(loads.iter().all(|load| load.lacks().is_none()), "{reserve}: {loads:?}");
    }
}

#[test]
fn a_drive_that_is_too_full_gets_its_reserve_back_and_a_drive_that_is_not_there_is_said() {
    let survey = survey_of(
        vec![drive("full", 100, 99, 20), drive("other", 60, 0, 10)],
        vec![game("a", "full", 30, None), game("b", "full", 21, None)],
    );
    let suggestion = suggest(&survey, &Aim::KeepReserves);
    assert_eq!(suggestion.lines.len(), 1);
    assert_eq!(suggestion.lines[0].title, "Game b", "19 bytes are lacking, and b is the nearest above");
    let none = suggest(&survey, &Aim::Empty { drive: "gone".into() });
    assert_eq!(none.misses, [Miss::NoDrive { drive: "gone".into() }]);
}
