//! The environment, read once, and the site that is made of it.

use std::env;
use std::path::{Path, PathBuf};

use deft_barge_core::site::{Places, Site};

use crate::present::Fault;

/// The person's folders, from `HOME` and the `XDG_` variables; relative ones do not count, as their specification says.
pub fn places() -> Result<Places, Fault> {
    let folder = |name: &str| env::var_os(name).map(PathBuf::from).filter(|path| path.is_absolute());
    let home = folder("HOME").ok_or_else(|| {
        Fault::usage("HOME is not set, so there is no home folder to look in.", "Set it, or name a world with --world.")
    })?;
    let usual = Places::usual(&home);
    Ok(Places {
        config: folder("XDG_CONFIG_HOME").unwrap_or(usual.config),
        data: folder("XDG_DATA_HOME").unwrap_or(usual.data),
        state: folder("XDG_STATE_HOME").unwrap_or(usual.state),
        home,
    })
}

/// The site to work on: a declared world, or this machine.
pub fn site(world: Option<&Path>) -> Result<Site, Fault> {
    Ok(match world {
        Some(folder) => Site::of_world(folder)?,
        None => Site::of_system(places()?)?,
    })
}
