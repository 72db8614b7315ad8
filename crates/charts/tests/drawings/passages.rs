//! Drawings of how a haul went: of one that was really made, and of stories with pauses, ends, errors, limits and very many items.

use std::time::Duration;

use deft_barge_charts::{rate, timeline};
use deft_barge_core::bytes::{Bytes, ItemId};
use deft_barge_core::haul::{Haul, release_haul};
use deft_barge_core::item::StageKind;
use deft_barge_core::journal::{Came, HaulRow, History, Journal, Mark, Sample, Telemetry};
use jiff::{SignedDuration, Timestamp};

use super::{World, number, sound};
use deft_barge_core::haul::Control;

/// A haul that was really made, of these games.
fn hauled(world: &World, games: &[&str]) -> HaulRow {
    let plan = world.plan(&world.survey(), games, "newhold");
    let (journal, _) = Journal::open(&world.site).unwrap().recover().unwrap();
    let mut haul = Haul::begin(&world.site, &journal, &plan).unwrap();
    haul.run(&|_| {}, &Control::default()).unwrap();
    release_haul(&world.site, &journal, haul.id(), &|_| {}, &Control::default()).unwrap();
    journal.haul(haul.id()).unwrap().unwrap()
}

/// A story: what is told of items, by seconds since the haul's beginning.
struct Story {
    begun: Timestamp,
    passage: Telemetry,
}

impl Story {
    fn of(begun: Timestamp) -> Self {
        Self { begun, passage: Telemetry::default() }
    }

    fn at(&self, seconds: f64) -> Timestamp {
        self.begun.saturating_add(SignedDuration::from_secs_f64(seconds)).unwrap()
    }

    fn marks(&mut self, item: i64, marks: &[(f64, Came)]) {
        for (seconds, came) in marks {
            let at = self.at(*seconds);
            self.passage.marks.push(Mark { item: ItemId(item), at, came: *came });
        }
    }

    /// Pulses each second between two, from some megabytes copied to some more.
    fn pulses(&mut self, item: i64, (from, to): (u32, u32), (first, last): (u64, u64), limit: Option<u64>) {
        for second in from..=to {
            let part = f64::from(second - from) / f64::from((to - from).max(1));
            let copied = Bytes::new(((first as f64 + (last - first) as f64 * part) * 1e6) as u64);
            self.passage.pulses.push(Sample {
                item: ItemId(item),
                at: self.at(second.into()),
                copied,
                compared: Bytes::new(copied.count() / 2),
                limit: limit.map(|limit| Bytes::new(limit * 1_000_000)),
                unreadable: Bytes::ZERO,
                repaired: 0,
            });
        }
    }
}

#[test]
fn a_haul_that_was_made_is_drawn_as_it_went() {
    let world = World::new();
    let haul = hauled(&world, &["Saltflat", "Pale Signal"]);
    let passage = Telemetry::of(&world.site, haul.id).unwrap();
    assert_eq!(passage.forecast.len(), 2);
    let said = sound(&timeline(&haul, &passage));
    for word in
        ["Saltflat Rally", "Pale Signal", "swift > newhold", "forecast", "records updated", "proved", "released"]
    {
        assert!(said.iter().any(|text| text == word), "{word}: {said:?}");
    }
    let drawing = rate(&haul, &passage);
    let said = sound(&drawing);
    let of = |item: &ItemId| passage.pulses.iter().filter(|p| p.item == *item).map(|p| p.copied).max().unwrap();
    let copied: Bytes = haul.items.iter().map(|item| of(&item.id)).sum();
    assert!(said.iter().any(|text| text.starts_with(&format!("{copied} copied in "))), "{said:?}");
    // Both items were read to their ends.
    let apparent: Bytes = haul.items.iter().map(|item| item.planned.size.apparent).sum();
    assert!(copied.count() as f64 > apparent.count() as f64 * 0.99, "{copied} of {apparent}");
    assert_eq!(drawing, rate(&haul, &passage), "the same bytes");
    assert_eq!(History::recent(&world.site).unwrap().lines.len(), 1);
}

/// The widths of what is filled in the row of the first item.
fn filled(svg: &str, upper: f64) -> Vec<(String, f64)> {
    let document = roxmltree::Document::parse(svg).unwrap();
    let nodes = document.descendants().filter(|node| node.tag_name().name() == "rect");
    let own = nodes.filter(|node| (number(*node, "y") - upper).abs() < 0.1 && node.attribute("stroke") == Some("none"));
    own.map(|node| (node.attribute("fill").unwrap_or_default().to_string(), number(node, "width"))).collect()
}

#[test]
fn phases_are_as_wide_as_they_were_long_and_breaks_are_cut_out() {
    let world = World::new();
    let haul = hauled(&world, &["Pale Signal"]);
    let item = haul.items[0].id.0;
    let mut story = Story::of(haul.made);
    // 20 s of copying, killed, on the next day 20 s more of which 10 s were comparing alone, then the rest.
    story.marks(item, &[(0.0, Came::To(StageKind::Copying))]);
    story.pulses(item, (0, 20), (0, 100), None);
    story.marks(item, &[(86_400.0, Came::Resumed)]);
    story.pulses(item, (86_400, 86_410), (100, 200), Some(12));
    story.pulses(item, (86_411, 86_420), (200, 200), Some(12));
    let rest = [
        (86_420.0, Came::To(StageKind::Verified)),
        (86_425.0, Came::To(StageKind::Placed)),
        (86_430.0, Came::To(StageKind::RecordsUpdated)),
        (86_440.0, Came::To(StageKind::Proved)),
    ];
    story.marks(item, &rest);
    let (limits, pauses) = (&mut story.passage.pulses, &mut story.passage.marks);
    limits[15].unreadable = Bytes::new(4096);
    limits[16].repaired = 1;
    assert!(pauses.iter().all(|mark| mark.came != Came::Paused));
    let drawing = timeline(&haul, &story.passage);
    let said = sound(&drawing);
    assert!(said.contains(&"23 h 59 min later".to_string()), "{said:?}");
    let widths = filled(&drawing.svg, 159.0);
    let scale = (700.0 - 26.0) / 60.0;
    let wanted = [20.0, 10.0, 5.0, 5.0, 10.0];
    // Comparing alone is hatched, and so is not among these.
    assert_eq!(widths.len(), wanted.len(), "{widths:?}");
    for ((_, width), seconds) in widths.iter().zip(wanted) {
        assert!((width - seconds * scale).abs() < 1.5, "{widths:?}, {scale}");
    }
    let said = sound(&rate(&haul, &story.passage));
    for word in ["limit", "unreadable", "differed, copied again", "23 h 59 min later"] {
        assert!(said.iter().any(|text| text == word), "{word}: {said:?}");
    }
    assert!(said.iter().any(|text| text == "200.0 MB copied in 40 s, 5.0 MB/s on average"), "{said:?}");
    assert!(said.iter().any(|text| text == "20.0 MB/s"), "the axis ends with a round figure: {said:?}");
}

#[test]
fn a_pause_a_stop_and_what_is_not_known_are_drawn_too() {
    let world = World::new();
    let mut haul = hauled(&world, &["Pale Signal"]);
    let nothing = Telemetry::default();
    assert!(sound(&timeline(&haul, &nothing)).contains(&"The journal doesn't say when its items arrived.".into()));
    assert!(sound(&rate(&haul, &nothing)).contains(&"The journal doesn't say how fast it was.".into()));
    let item = haul.items[0].id.0;
    let mut story = Story::of(haul.made);
    let marks = [
        (0.0, Came::To(StageKind::Copying)),
        (3.0, Came::Paused),
        (9.0, Came::Resumed),
        (12.0, Came::Stopped),
        (13.0, Came::To(StageKind::Cancelling)),
        (14.0, Came::To(StageKind::Cancelled)),
    ];
    story.marks(item, &marks);
    let said = sound(&timeline(&haul, &story.passage));
    for word in ["stopped", "paused", "cancelled"] {
        assert!(said.iter().any(|text| text == word), "{word}: {said:?}");
    }
    // Three hundred items with long titles, in a haul that was broken off twenty times; and a forecast of hours.
    let one = haul.items[0].clone();
    for n in 0..300 {
        let mut item = one.clone();
        item.id = ItemId(item.id.0 + n);
        item.planned.title =
            format!("{n} a title of eighty letters that says everything about the game and even a bit more");
        item.planned.from_drive = Some(format!("a drive of number {} with a long name", n % 7));
        let begun = n as f64 * 40.0 + (n / 15) as f64 * 50_000.0;
        story.marks(
            item.id.0,
            &[
                (begun, Came::To(StageKind::Copying)),
                (begun + 30.0, Came::To(StageKind::Verified)),
                (begun + 31.0, Came::To(StageKind::Placed)),
                (begun + 32.0, Came::To(StageKind::Proved)),
            ],
        );
        story.pulses(item.id.0, (begun as u32, begun as u32 + 30), (0, 900), None);
        story.passage.forecast.insert(item.id, (Duration::ZERO, Duration::from_secs(7000)));
        haul.items.push(item);
    }
    let said = sound(&timeline(&haul, &story.passage));
    assert!(said.contains(&"and 241 more".to_string()), "{said:?}");
    sound(&rate(&haul, &story.passage));
}
