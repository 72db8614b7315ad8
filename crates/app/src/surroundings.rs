//! The environment, read once, and the site that is made of it.

use std::env;
use std::path::Path;

use deft_barge_core::platform::{HOME, folders_of_person};
use deft_barge_core::site::{Places, Site};

use crate::present::Fault;

/// The person's folders, as the system or the environment has them.
pub fn places() -> Result<Places, Fault> {
    let folders = folders_of_person(&|name: &str| env::var_os(name)).ok_or_else(|| {
        Fault::usage(
            format!("{HOME} is not set, so there is no home folder to look in."),
            "Set it, or name a world with --world.",
        )
    })?;
    Ok(Places { home: folders.home, config: folders.config, data: folders.data, state: folders.state })
}

/// The site to work on: a declared world, or this machine.
pub fn site(world: Option<&Path>) -> Result<Site, Fault> {
    Ok(match world {
        Some(folder) => Site::of_world(folder)?,
        None => Site::of_system(places()?)?,
    })
}
