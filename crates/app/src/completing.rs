//! The names that completions offer.

use deft_barge_core::site::read_text;
use deft_barge_core::survey::{NAMES, Names};

/// The names that completions offer, as the last survey of this machine has seen them; none where there was none.
pub fn names() -> Names {
    let places = crate::surroundings::places().ok();
    let path = places.map(|places| places.state.join("deft-barge").join(NAMES));
    Names::read(&path.and_then(|path| read_text(&path).ok()).unwrap_or_default())
}
