//! The clock: the machine's, moved by as much as a trial of the program says.
//!
//! A campaign sets it back and forth while the program runs, without touching the machine's:
//! `ASH_POND_CLOCK_SHIFT` names a file with whole seconds in it, which is read whenever somebody
//! asks what time it is. Without it the machine's clock counts.

use jiff::{SignedDuration, Timestamp};
use std::path::PathBuf;
use std::sync::LazyLock;

static SHIFTED_BY: LazyLock<Option<PathBuf>> =
    LazyLock::new(|| std::env::var_os("ASH_POND_CLOCK_SHIFT").map(PathBuf::from));

/// What time it is.
pub(crate) fn now() -> Timestamp {
    let machine = Timestamp::now();
    let Some(file) = SHIFTED_BY.as_ref() else {
        return machine;
    };
    let seconds: i64 = std::fs::read_to_string(file)
        .ok()
        .and_then(|it| it.trim().parse().ok())
        .unwrap_or_default();
    machine
        .checked_add(SignedDuration::from_secs(seconds))
        .unwrap_or(machine)
}
