//! The long trial of a server, as a command: it prints a table of what was tried and what was lost.

use anyhow::{Result, bail};
use ash_pond_campaigns::program::beside;
use ash_pond_campaigns::soak::{Soak, run};
use clap::Parser;
use std::path::PathBuf;
use std::time::Duration;

#[derive(Debug, Parser)]
struct Args {
    /// About how long it takes, minutes
    #[arg(long, default_value_t = 10)]
    minutes: u64,
    /// Kills, and nothing but the requests where it is 0 [default: 20 a minute]
    #[arg(long)]
    kills: Option<u64>,
    /// Requests a second
    #[arg(long, default_value_t = 1000)]
    rate: u64,
    /// Readings that lie there meanwhile
    #[arg(long, default_value_t = 10_000_000)]
    readings: u64,
    /// What chance begins with
    #[arg(long, default_value_t = 1)]
    seed: u64,
    /// The program under trial [default: the one beside this]
    #[arg(long)]
    program: Option<PathBuf>,
}

#[tokio::main]
async fn main() -> Result<()> {
    let args = Args::parse();
    let program = args.program.map_or_else(beside, Ok)?;
    // Half of the time is for kills, about a second and a half each; the other half for being
    // asked.
    let soak = Soak {
        program,
        kills: args.kills.unwrap_or((args.minutes * 20).max(1)),
        asked_for: Duration::from_secs((args.minutes * 20).max(1)),
        rate: args.rate,
        readings: args.readings,
        read_every_s: 1,
        seed: args.seed,
    };
    let table = run(&soak).await?;
    println!("{table}");
    if table.lost() > 0 {
        bail!("{} went wrong", table.lost());
    }
    Ok(())
}
