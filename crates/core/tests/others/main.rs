//! Other programs read what we write, and write what we read: Python's parsers, the sqlite3 program, Wine.
//! Where one of them is missing, its tests say so loudly and pass.
#![expect(clippy::too_many_lines, reason = "what a test goes through is read from end to end")]
#![expect(
    clippy::unwrap_used,
    clippy::print_stderr,
    clippy::disallowed_methods,
    clippy::let_underscore_must_use,
    reason = "tests talk to other programs by hand, and say what is missing"
)]

mod python;
mod sqlite;
mod wine;

fn missing(what: &str) {
    eprintln!("!!! {what} is not installed: nothing was proved here; scripts/test installs it !!!");
}
