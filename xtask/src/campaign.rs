//! The long trials: built as they are shipped, and run.

use anyhow::Result;
use xshell::{Shell, cmd};

/// Odd inputs by the million.
pub(crate) fn fuzz(shell: &Shell, inputs: u64, seed: u64) -> Result<()> {
    let (inputs, seed) = (inputs.to_string(), seed.to_string());
    cmd!(shell, "cargo run --release --package ash-pond-campaigns --bin fuzz -- --inputs {inputs} --seed {seed}")
        .run()?;
    Ok(())
}

/// A server under kills, faults and load.
pub(crate) fn soak(shell: &Shell, minutes: u64, rate: u64, seed: u64) -> Result<()> {
    let (minutes, rate, seed) = (minutes.to_string(), rate.to_string(), seed.to_string());
    cmd!(
        shell,
        "cargo build --release --package ash-pond --package ash-pond-campaigns"
    )
    .run()?;
    cmd!(
        shell,
        "target/release/soak --minutes {minutes} --rate {rate} --seed {seed}"
    )
    .run()?;
    Ok(())
}
