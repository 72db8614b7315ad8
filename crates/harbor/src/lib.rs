//! The harbor: a made-up world to try Deft Barge in, and stand-in launchers that judge a move.
//!
//! Law: the stand-ins read their own files with their own code and never use core: they are the
//! independent judge of whether a move worked. Everything here is invented. Start at [`world::make`].

pub mod launchers;
pub mod quillgate;
pub mod system;
pub mod world;
