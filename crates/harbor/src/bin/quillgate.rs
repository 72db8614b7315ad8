//! The stand-in launcher Quillgate as a program of its own.

fn main() -> std::process::ExitCode {
    deft_barge_harbor::quillgate::main(std::env::args_os())
}
