//! Several games in one plan.

use super::*;

#[test]
fn several_games_share_one_new_library() {
    let world = World::new();
    let plan = world.plan(&[SALTFLAT, ORCHARD, MOSS], "newhold");
    assert!(!plan.blocked(), "{:?}", plan.findings);
    assert_eq!(plan.items.len(), 3);
    let new = plan.findings.iter().filter(|f| matches!(f.kind, FindingKind::NewLibrary { .. })).count();
    assert_eq!(new, 1);
    assert_eq!(plan.bytes(), plan.items.iter().map(|item| item.size.on_disk).sum());
}

#[test]
fn projected_loads_add_up_and_a_game_sent_home_changes_nothing() {
    let world = World::new();
    let survey: Survey = survey(&world.site(), Vec::new(), &|_| {});
    let still = projected(&survey, &Draft::default());
    assert!(still.iter().all(|load| load.now == load.after && load.peak == load.now && load.lacks().is_none()));
    assert_eq!(projected(&survey, &draft(&[SALTFLAT], &Destination::Drive("swift".into()))), still);
    let sent = projected(&survey, &draft(&[SALTFLAT, ORCHARD], &Destination::Drive("newhold".into())));
    let bytes: Bytes =
        [SALTFLAT, ORCHARD].iter().map(|id| survey.game(&GameId((*id).into())).unwrap().size.on_disk).sum();
    let of = |name: &str| sent.iter().find(|load| load.drive == name).unwrap();
    assert_eq!(of("swift").after, of("swift").now.less(bytes));
    assert_eq!(of("swift").peak, of("swift").now, "originals stay until they are released");
    assert_eq!(
        (of("newhold").peak, of("newhold").after),
        (of("newhold").now.plus(bytes), of("newhold").now.plus(bytes))
    );
}

#[test]
fn a_game_is_sent_to_one_place_at_a_time() {
    let mut draft = Draft::default();
    let id = GameId(SALTFLAT.into());
    draft.send(id.clone(), Destination::Drive("cellar".into()));
    draft.send(id.clone(), Destination::Drive("newhold".into()));
    assert_eq!(draft.items.len(), 1);
    assert_eq!(draft.destination(&id), Some(&Destination::Drive("newhold".into())));
    draft.keep(&id);
    assert_eq!(draft, Draft::default());
}
