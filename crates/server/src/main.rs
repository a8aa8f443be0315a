//! The `ash-pond` binary.

use std::process::ExitCode;

fn main() -> ExitCode {
    ash_pond::cli::run()
}
