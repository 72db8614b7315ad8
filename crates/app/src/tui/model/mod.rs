//! What each part of the interface shows and can be asked, as values; how it changes is beside the state.

mod act;
mod chooser;
mod layout;
mod ledger;
mod proofs;
mod question;
mod registry;
mod running;
mod sheet;
mod typing;

pub use act::{Act, Errand, Event, Leaving, LongTask, Picture};
pub use chooser::{Choice, Chooser, Letters, Of, Offer};
pub use layout::{Coming, DraftLayout, Filter, Scale, Sort};
pub use ledger::{Ledger, LogRow};
pub use proofs::{Proofs, Standing, TreeRow};
pub use question::{Answer, Question};
pub use registry::{RecordRow, Registry};
pub use running::{At, Lane, Running, Said};
pub use sheet::{ESC, Sheet, Then, Tone};
pub use typing::{Typed, Typing};
