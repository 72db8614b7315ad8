//! Traces of what the program does, for whoever looks for a fault: into a file, and never onto the screen. Only where
//! `DEFT_BARGE_LOG` asks for it.

use std::fs::{self, File};
use std::sync::Mutex;

use deft_barge_core::site::Site;
use tracing_subscriber::EnvFilter;
use tracing_subscriber::filter::LevelFilter;

use crate::present::{Fault, Kind, path as shown};

/// The environment variable that says what is traced: a level, or levels by modules, as `deft_barge_core::haul=debug,info`.
const ASKED: &str = "DEFT_BARGE_LOG";

/// Its name in the state folder.
const FILE: &str = "diagnostics.log";

/// Bytes of the file from which on the next start begins a new one, and keeps this one as `diagnostics.log.1`.
const MOST: u64 = 20_000_000;

/// Begins to write traces into `diagnostics.log` of the state folder, if the environment asks for it.
///
/// # Errors
/// A usage fault if what is asked for is no filter; a failure if the file cannot be written.
pub fn begin(site: &Site) -> Result<(), Fault> {
    let Some(asked) = std::env::var_os(ASKED).filter(|asked| !asked.is_empty()) else { return Ok(()) };
    let asked = asked.to_string_lossy();
    let wrong = |why: &str| {
        let sentence = format!("{ASKED} is {asked:?}, which says no levels: {why}.");
        Fault::usage(sentence, "Such as: debug, or deft_barge_core::haul=trace,info")
    };
    // A filter takes any other word for the name of a module.
    let mut alone = asked.split(',').map(str::trim).filter(|part| !part.contains('='));
    if let Some(word) = alone.find(|word| word.parse::<LevelFilter>().is_err() && !word.starts_with("deft_barge")) {
        return Err(wrong(&format!("{word:?} is neither a level nor a part of this program")));
    }
    let filter = EnvFilter::try_new(asked.as_ref()).map_err(|error| wrong(&error.to_string()))?;
    let file = site.state_folder().join(FILE);
    let opened = open(site, &file).map_err(|error| {
        Fault::new(Kind::Failed, format!("Couldn't write {}: {error}.", shown(&file)), format!("Or unset {ASKED}."))
    })?;
    let subscriber =
        tracing_subscriber::fmt().with_env_filter(filter).with_ansi(false).with_writer(Mutex::new(opened)).finish();
    #[expect(
        clippy::let_underscore_must_use,
        reason = "there is one already only where a test of this program has begun one"
    )]
    let _ = tracing::subscriber::set_global_default(subscriber);
    tracing::info!(version = env!("CARGO_PKG_VERSION"), words = ?std::env::args_os().skip(1).collect::<Vec<_>>(), "begun");
    Ok(())
}

fn open(site: &Site, file: &std::path::Path) -> std::io::Result<File> {
    if fs::metadata(file).is_ok_and(|meta| meta.len() > MOST) {
        fs::rename(file, file.with_extension("log.1"))?;
    }
    site.open_state(FILE, true)
}
