//! The command line: arguments, and what only it does.

mod arguments;
mod demo;
mod manners;

pub use arguments::{Arguments, Command};
pub use demo::demo;
pub use manners::{completions, journal, man, settings};
