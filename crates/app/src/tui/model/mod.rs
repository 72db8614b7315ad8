//! What each part of the interface shows and can be asked, as values; how it changes is beside the state.

mod act;
mod chooser;
mod layout;
mod log_rows;
mod over;
mod proofs;
mod question;
mod record_rows;
mod running;
mod screens;
mod sheet;
mod typing;
mod work;

pub use act::{Act, Errand, Event, Leaving, LongTask, Picture};
pub use chooser::{Choice, Chooser, Letters, Of, Offer};
pub use layout::{Coming, Filter, Scale, Sort};
pub use log_rows::{LogRow, LogScreen};
pub use over::{Look, Over};
pub use proofs::{Proofs, Standing, TreeRow};
pub use question::{Answer, Question};
pub use record_rows::{RecordRow, RecordsScreen};
pub use running::{At, Running, RunningItem, Said};
pub use screens::{CleanupScreen, Drafted, DrivesScreen, FirstLook, HaulScreen};
pub use sheet::{ESC, Sheet, Then, Tone};
pub use typing::{Typed, Typing};
pub use work::Work;
