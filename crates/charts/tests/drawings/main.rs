//! Drawings are parsed and measured: nothing outside the page, blocks as wide as their bytes, no text over another, the same bytes
//! for the same values; of a usual world, of the smallest one, and of one with twelve drives, 2 000 games and long names.
#![expect(clippy::unwrap_used, reason = "tests build worlds by hand")]

use deft_barge_charts::{Drawing, drives, games, history, loads, order};
use deft_barge_core::bytes::Bytes;
use deft_barge_core::haul::{Control, Haul, release_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Destination, Draft, Plan, plan};
use deft_barge_core::site::Site;
use deft_barge_core::survey::{Survey, survey};
use deft_barge_harbor::world::{Scale, make};
use jiff::Timestamp;
mod passages;

use std::collections::BTreeMap;

struct World {
    _folder: tempfile::TempDir,
    site: Site,
}

impl World {
    fn new() -> Self {
        let folder = tempfile::tempdir().unwrap();
        make(&folder.path().join("w"), 7, Scale::SMALL).unwrap();
        let site = Site::of_world(&folder.path().join("w")).unwrap();
        Self { _folder: folder, site }
    }

    fn survey(&self) -> Survey {
        let history = History::of(&self.site).unwrap();
        let mut survey = survey(&self.site, history.held(&self.site), &|_| {});
        survey.made = Timestamp::UNIX_EPOCH;
        survey
    }

    fn plan(&self, survey: &Survey, games: &[&str], to: &str) -> Plan {
        let mut draft = Draft::default();
        for game in games {
            draft.send(survey.find_games(game)[0].id.clone(), Destination::Drive(to.into()));
        }
        let mut plan = plan(&self.site, survey, &draft, Policy::Hold);
        plan.made = Timestamp::UNIX_EPOCH;
        plan
    }
}

/// The survey with twelve drives and 2 000 games, with names that are too long, in other scripts, or hostile.
fn extreme(survey: &Survey) -> Survey {
    let mut survey = survey.clone();
    let drive = survey.drives[0].clone();
    survey.drives = (0..12)
        .map(|n: u8| {
            let mut drive = drive.clone();
            drive.drive.name = format!("a drive of number {n} with a long name");
            drive.drive.tag = (n < 9).then_some(n + 1);
            drive.drive.capacity = Bytes::new(3_000_000_000 << (n / 2));
            drive
        })
        .collect();
    let games = survey.games.clone();
    survey.games = (0..2000_usize)
        .map(|n| {
            let mut game = games[n % games.len()].clone();
            game.id.0 = format!("{}-{n}", game.id.0);
            game.drive = Some(survey.drives[n % 12].drive.name.clone());
            game.size.on_disk = Bytes::new(1_000_000 + (n as u64 % 97) * 40_000);
            game.found.title = match n % 3 {
                0 => format!(
                    "{n} {}",
                    "a title of eighty letters that says everything about the game and even a bit more"
                ),
                1 => format!("{n} 日の出の砂丘レース"),
                _ => format!("{n} <&\"\u{1b}\u{202e}> & co."),
            };
            game
        })
        .collect();
    for drive in &mut survey.drives {
        let on_it = survey.games.iter().filter(|game| game.drive.as_ref() == Some(&drive.drive.name));
        drive.games = on_it.map(|game| game.size.on_disk).sum();
        drive.used = drive.games.plus(Bytes::new(50_000_000));
        drive.free = drive.drive.capacity.less(drive.used);
    }
    survey
}

/// What a text covers: left, upper, right and lower edge.
type Edges = (f64, f64, f64, f64);

fn number(node: roxmltree::Node<'_, '_>, name: &str) -> f64 {
    node.attribute(name).and_then(|value| value.parse().ok()).unwrap_or(0.0)
}

/// The texts of a drawing, and what they cover as a program measures them that lays text out by the font itself.
fn texts(drawing: &Drawing) -> Vec<(String, Edges)> {
    let mut fonts = usvg::fontdb::Database::new();
    fonts.load_font_data(dejavu::sans::regular().to_vec());
    fonts.load_font_data(dejavu::sans::bold().to_vec());
    let options = usvg::Options { fontdb: std::sync::Arc::new(fonts), ..usvg::Options::default() };
    let tree = usvg::Tree::from_str(&drawing.svg, &options).unwrap();
    let mut out = Vec::new();
    let mut waiting: Vec<&usvg::Group> = vec![tree.root()];
    while let Some(group) = waiting.pop() {
        for node in group.children() {
            match node {
                usvg::Node::Group(group) => waiting.push(group),
                usvg::Node::Text(text) => {
                    let said = text.chunks().iter().map(usvg::TextChunk::text).collect::<String>();
                    let r = text.abs_bounding_box();
                    let edges = [r.left(), r.top(), r.right(), r.bottom()].map(f64::from);
                    out.push((said.trim().to_string(), (edges[0], edges[1], edges[2], edges[3])));
                }
                _ => {}
            }
        }
    }
    out
}

/// Checks a drawing and gives its texts.
fn sound(drawing: &Drawing) -> Vec<String> {
    let document = roxmltree::Document::parse(&drawing.svg).unwrap();
    let (width, height) = (f64::from(drawing.width), f64::from(drawing.height));
    let inside = |x: f64, y: f64| (0.0..=width).contains(&x) && (0.0..=height).contains(&y);
    let texts = texts(drawing);
    for (text, edges) in &texts {
        assert!(inside(edges.0, edges.1) && inside(edges.2, edges.3), "{text} {edges:?}");
    }
    for node in document.descendants() {
        match node.tag_name().name() {
            "rect" => {
                let (x, y) = (number(node, "x"), number(node, "y"));
                assert!(inside(x, y) && inside(x + number(node, "width"), y + number(node, "height")), "{node:?}");
            }
            "polyline" | "polygon" => {
                let points = node.attribute("points").unwrap_or_default();
                for point in points.split_whitespace() {
                    let (x, y) = point.split_once(',').unwrap();
                    assert!(inside(x.parse().unwrap(), y.parse().unwrap()), "{node:?}");
                }
            }
            "line" => assert!(
                inside(number(node, "x1"), number(node, "y1")) && inside(number(node, "x2"), number(node, "y2")),
                "{node:?}"
            ),
            _ => {}
        }
    }
    for (n, (one, a)) in texts.iter().enumerate() {
        for (other, b) in &texts[n + 1..] {
            let over = a.0 < b.2 && b.0 < a.2 && a.1 + 2.0 < b.3 && b.1 + 2.0 < a.3;
            assert!(!over, "{}: {one:?} {a:?} lies over {other:?} {b:?}", drawing.title);
        }
    }
    assert!(drawing.pdf().unwrap().starts_with(b"%PDF"));
    // For whoever wants to look at them.
    if let Some(folder) = std::env::var_os("DEFT_BARGE_DRAWINGS") {
        let name: String = drawing.title.chars().filter(|c| c.is_alphanumeric()).take(40).collect();
        let path = std::path::Path::new(&folder).join(format!("{name}-{}.svg", drawing.height));
        std::fs::write(path, &drawing.svg).unwrap();
    }
    texts.into_iter().map(|(text, _)| text).collect()
}

#[test]
fn every_drawing_of_a_usual_world_is_sound_and_says_what_it_is_of() {
    let world = World::new();
    let survey = world.survey();
    let plan = world.plan(&survey, &["Saltflat", "Orchard", "Night Ferry"], "newhold");
    let said = sound(&drives(&survey, Some(&plan)));
    // Times are those of the clock on the wall, with its zone.
    let begun = jiff::Timestamp::UNIX_EPOCH.to_zoned(jiff::tz::TimeZone::system());
    let begun = begun.strftime("%Y-%m-%d %H:%M %Z").to_string();
    for word in ["1 swift", "after this haul", "Saltflat Rally", "swift > newhold", "kept originals", &begun] {
        assert!(said.iter().any(|text| text.contains(word)), "{word}: {said:?}");
    }
    assert!(sound(&drives(&survey, None)).iter().all(|text| text != "after this haul"));
    let said = sound(&loads(&plan));
    assert!(
        said.iter().any(|text| text == "newhold") && said.iter().any(|text| text.starts_with("at most")),
        "{said:?}"
    );
    let said = sound(&order(&plan));
    assert!(said.iter().any(|text| text == "cellar > newhold"), "{said:?}");
    let said = sound(&games(&survey, "swift").unwrap());
    assert!(said.iter().any(|text| text == "Quillgate") && said.iter().any(|text| text == "free"), "{said:?}");
    assert!(games(&survey, "nowhere").is_none());
}

#[test]
fn the_smallest_and_the_largest_worlds_are_sound_too() {
    let world = World::new();
    let survey = world.survey();
    let mut one = survey.clone();
    one.drives.truncate(1);
    (one.games, one.held, one.user_data, one.launchers) = (Vec::new(), Vec::new(), Vec::new(), Vec::new());
    sound(&drives(&one, None));
    sound(&games(&one, "swift").unwrap());
    let nothing = world.plan(&survey, &[], "newhold");
    sound(&drives(&survey, Some(&nothing)));
    sound(&loads(&nothing));
    sound(&order(&nothing));
    assert!(sound(&history(&[], &BTreeMap::new(), Timestamp::UNIX_EPOCH)).contains(&"No hauls yet.".to_string()));
    let huge = extreme(&survey);
    sound(&drives(&huge, None));
    for drive in &huge.drives {
        sound(&games(&huge, &drive.drive.name).unwrap());
    }
    let mut plan = world.plan(&survey, &["Saltflat", "Orchard"], "newhold");
    let item = plan.items[0].clone();
    plan.items = (0..300)
        .map(|n| deft_barge_core::item::PlannedItem { title: format!("{n} {}", "long ".repeat(30)), ..item.clone() })
        .collect();
    sound(&drives(&survey, Some(&plan)));
    sound(&order(&plan));
}

#[test]
fn blocks_are_as_wide_as_their_bytes_and_their_sum_is_what_is_in_use() {
    let world = World::new();
    let survey = world.survey();
    let drawing = drives(&survey, None);
    let document = roxmltree::Document::parse(&drawing.svg).unwrap();
    for (n, state) in survey.drives.iter().enumerate() {
        let top = 104.0 + n as f64 * 76.0;
        let rects: Vec<_> = document
            .descendants()
            .filter(|node| node.tag_name().name() == "rect" && (number(*node, "y") - top).abs() < 0.1)
            .collect();
        // The bar's own frame is drawn last.
        let bar = number(*rects.last().unwrap(), "width");
        let filled: f64 = rects
            .iter()
            .filter(|node| node.attribute("stroke") == Some("none"))
            .map(|node| number(*node, "width"))
            .sum();
        let wanted = state.used.part_of(state.drive.capacity) * bar;
        assert!((filled - wanted).abs() <= 1.0, "{}: {filled} of {wanted}", state.drive.name);
    }
}

#[test]
fn the_history_adds_up_what_was_hauled_freed_and_held() {
    let world = World::new();
    for game in ["Saltflat", "Pale Signal"] {
        let survey = world.survey();
        let plan = world.plan(&survey, &[game], "newhold");
        let (journal, _) = Journal::open(&world.site).unwrap().recover().unwrap();
        let mut haul = Haul::begin(&world.site, &journal, &plan).unwrap();
        haul.run(&|_| {}, &Control::default()).unwrap();
        let id = haul.id();
        if game == "Pale Signal" {
            release_haul(&world.site, &journal, id, &|_| {}, &Control::default()).unwrap();
        }
    }
    let told = History::of(&world.site).unwrap();
    let released = History::released(&world.site).unwrap();
    assert_eq!(released.len(), 1);
    let now = Timestamp::now();
    let drawing = history(&told.lines, &released, now);
    let said = sound(&drawing);
    assert!(said.iter().any(|text| text == &now.strftime("%Y-%m").to_string()), "{said:?}");
    let moved: Bytes = told.hauls.iter().flat_map(|haul| &haul.items).map(|item| item.planned.size.on_disk).sum();
    assert!(said.contains(&moved.to_string()), "the axis ends with what was hauled in all: {said:?}");
    // Two years on there are 24 months, and the newest has none of it but what is held.
    let later = now.saturating_add(jiff::SignedDuration::from_hours(24 * 800)).unwrap();
    let said = sound(&history(&told.lines, &released, later));
    assert!(said.iter().filter(|text| text.len() == 7 && text.as_bytes()[4] == b'-').count() >= 8, "{said:?}");
}

#[test]
fn the_same_values_give_the_same_bytes() {
    let world = World::new();
    let survey = world.survey();
    let plan = world.plan(&survey, &["Saltflat", "Night Ferry"], "newhold");
    for draw in [&|| drives(&survey, Some(&plan)) as Drawing, &|| loads(&plan), &|| order(&plan), &|| {
        games(&survey, "swift").unwrap()
    }] as [&dyn Fn() -> Drawing; 4]
    {
        let (one, other) = (draw(), draw());
        assert_eq!(one, other);
        assert_eq!(one.pdf().unwrap(), other.pdf().unwrap());
    }
}
