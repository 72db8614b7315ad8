//! Plans that are not made of a draft: removal, import, remap, a new library.

mod alone;
mod import;
mod library;
mod remap;
mod removal;

pub use alone::plan_made;
pub use import::{Guided, Import, plan_import, plan_staging, watch_import};
pub use library::{LibraryWish, plan_library};
pub use remap::{Anchor, anchors, plan_anchor};
pub use removal::plan_removal;
