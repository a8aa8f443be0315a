//! The `ash-pond` binary.

use std::process::ExitCode;

/// Findings are many small strings, found on all cores; the system's allocator takes twice as long
/// over them.
#[global_allocator]
static ALLOCATOR: mimalloc::MiMalloc = mimalloc::MiMalloc;

fn main() -> ExitCode {
    ash_pond::cli::run()
}
