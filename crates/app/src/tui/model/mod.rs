//! What each part of the interface shows and can be asked, as values; how it changes is beside the state.

mod act;
mod chooser;
mod layout;
mod ledger;
mod over;
mod proofs;
mod question;
mod registry;
mod running;
mod screens;
mod sheet;
mod typing;
mod work;

pub use act::{Act, Errand, Event, Leaving, LongTask, Picture};
pub use chooser::{Choice, Chooser, Letters, Of, Offer};
pub use layout::{Coming, Filter, Scale, Sort};
pub use ledger::{Ledger, LogRow};
pub use over::{Look, Over};
pub use proofs::{Proofs, Standing, TreeRow};
pub use question::{Answer, Question};
pub use registry::{RecordRow, Registry};
pub use running::{At, Lane, Running, Said};
pub use screens::{CleanupScreen, Drafted, DrivesScreen, FirstLook, HaulScreen};
pub use sheet::{ESC, Sheet, Then, Tone};
pub use typing::{Typed, Typing};
pub use work::Work;
