//! How long a haul says it will take, on drives whose rate is known.

use std::fs;
use std::io;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};

use deft_barge_core::bytes::HaulId;
use deft_barge_core::disk::{Act, Gate};
use deft_barge_core::haul::{Control, Haul, HaulEvent, undo_haul};
use deft_barge_core::item::Policy;
use deft_barge_core::journal::{History, Journal};
use deft_barge_core::plan::{Basis, plan};
use deft_barge_core::survey::survey;

use crate::port::{Port, to_newhold};

/// A drive that writes or reads so many bytes per second.
#[derive(Debug)]
struct Slow {
    drive: std::path::PathBuf,
    rate: f64,
    free_at: Mutex<Option<Instant>>,
}

impl Gate for Slow {
    fn before(&self, act: &Act<'_>) -> io::Result<()> {
        let bytes = match *act {
            Act::Write { len, .. } | Act::Read { len, .. } => len as f64,
            _ => return Ok(()),
        };
        if !act.path().starts_with(&self.drive) {
            return Ok(());
        }
        let until = {
            let mut free_at = self.free_at.lock().unwrap_or_else(PoisonError::into_inner);
            let now = Instant::now();
            let until = free_at.map_or(now, |at| at.max(now)) + Duration::from_secs_f64(bytes / self.rate);
            *free_at = Some(until);
            until
        };
        std::thread::sleep(until.saturating_duration_since(Instant::now()));
        Ok(())
    }
}

#[test]
fn what_is_left_is_told_while_it_is_copied_and_the_next_haul_is_reckoned_by_this_one() {
    let port = Port::new();
    let bytes: Vec<u8> = (0..24_000_000_u32).map(|n| (n / 3 % 251) as u8).collect();
    port.write("drives/swift/quillgate/regatta/data/large", &bytes);
    drop(bytes);
    let text = fs::read_to_string(port.at("world.toml")).unwrap();
    port.write("world.toml", text.replace("capacity = 40000000", "capacity = 90000000").as_bytes());
    let mut site = port.site();
    let plan_now = plan_of(&port);
    assert_eq!(plan_now.timing.items[0].basis, Basis::Kind);
    let gate = Slow { drive: port.at("drives/newhold"), rate: 8e6, free_at: Mutex::default() };
    site.disk = site.disk.and_gate(Arc::new(gate));
    let (journal, _) = Journal::open(&site).unwrap().recover().unwrap();
    let (begun, told) = (Instant::now(), Mutex::new(Vec::new()));
    let report = |event: HaulEvent| {
        if let HaulEvent::Progress(progress) = event
            && let Some(left) = progress.left
        {
            let done = progress.copy.done.plus(progress.compare.done).count() as f64;
            let all = progress.copy.all.plus(progress.compare.all).count() as f64;
            told.lock().unwrap().push((done / all, begun.elapsed() + left));
        }
    };
    Haul::begin(&site, &journal, &plan_now).unwrap().run(&report, &Control::default()).unwrap();
    let took = begun.elapsed().as_secs_f64();
    let told = told.into_inner().unwrap();
    let later: Vec<_> = told.iter().filter(|(done, _)| *done >= 0.1).collect();
    assert!(later.len() > 10, "{told:?}");
    // How near that is, a unit test of the reckoning says, whose clock no other work on this machine disturbs.
    for (done, whole) in later {
        assert!(whole.as_secs_f64() < took * 10.0, "at {done:.2} it said {whole:?} in all, and it took {took:.1} s");
    }
    undo_haul(&site, &journal, HaulId(1), &|_| {}, &Control::default()).unwrap();
    drop(journal);
    let time = plan_of(&port).timing.items[0].clone();
    assert_eq!(time.basis, Basis::Hauls);
    let (low, high) = (time.span.low.as_secs_f64(), time.span.high.as_secs_f64());
    assert!(low < took && took / 2.0 < high, "{low:.1} to {high:.1}, and it took {took:.1} s");
}

fn plan_of(port: &Port) -> deft_barge_core::plan::Plan {
    let site = port.site();
    let history = History::of(&site).unwrap();
    let mut survey = survey(&site, history.held(&site), &|_| {});
    survey.speeds = history.speeds;
    let mut draft = deft_barge_core::plan::Draft::default();
    draft.send(survey.games.iter().find(|game| game.found.id == "g1").unwrap().id.clone(), to_newhold());
    plan(&site, &survey, &draft, Policy::Hold)
}
