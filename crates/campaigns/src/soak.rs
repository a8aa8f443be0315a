//! The long trial of a server: killed while everything writes, on a full disk, with a clock that
//! jumps, with connections that are held up, under large bodies, beside hung meters, and asked
//! hundreds of times a second.

mod faults;
mod kills;
mod rate;
mod stage;
mod watched;

pub use stage::Soak;

use crate::table::Table;
use anyhow::Result;
use rand::SeedableRng as _;
use rand::rngs::StdRng;
use stage::Stage;

/// Tries all of it, and tells what was lost.
///
/// # Errors
/// Where the program does not start, or does not come back.
pub async fn run(soak: &Soak) -> Result<Table> {
    let mut table = Table::default();
    let mut stage = Stage {
        soak,
        folder: tempfile::tempdir()?,
        chance: StdRng::seed_from_u64(soak.seed),
    };
    if soak.kills > 0 {
        kills::run(&mut stage, &mut table).await?;
        faults::disk(&mut stage, &mut table).await?;
        faults::held_up(&stage, &mut table).await?;
        watched::run(&stage, &mut table).await?;
    }
    rate::run(&stage, &mut table).await?;
    Ok(table)
}
