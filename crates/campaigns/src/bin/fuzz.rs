//! Odd inputs by the million, as a command: it prints a table of what was tried and what went
//! wrong.

use anyhow::{Result, bail};
use ash_pond_campaigns::fuzz::{Fuzz, run};
use clap::Parser;

#[derive(Debug, Parser)]
struct Args {
    /// Inputs of all kinds together
    #[arg(long, default_value_t = 10_000_000)]
    inputs: u64,
    /// Threads
    #[arg(long, default_value_t = 2)]
    threads: u64,
    /// What chance begins with
    #[arg(long, default_value_t = 1)]
    seed: u64,
}

fn main() -> Result<()> {
    let args = Args::parse();
    let table = run(Fuzz {
        inputs: args.inputs,
        threads: args.threads.max(1),
        seed: args.seed,
    })?;
    println!("{table}");
    if table.lost() > 0 {
        bail!("{} went wrong", table.lost());
    }
    Ok(())
}
