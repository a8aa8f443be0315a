//! `simulate`: an outage marched through in time, once or many times.

use super::common::{Stop, print};
use super::common::{amount, clocked, percent};
use ash_pond_core::site::plan::{Outage, Plan};
use ash_pond_core::time::outage::{
    Chances, Handle, MOST_RUNS, Simulation, chances, headline, owner, simulate,
};
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// A plan file
    plan: PathBuf,
    /// The arrangement, by its id
    #[arg(long, value_name = "ID")]
    arrangement: String,
    /// The outage, by its id
    #[arg(long, value_name = "ID")]
    outage: String,
    /// Note the charge of each store every so many seconds
    #[arg(long, value_name = "S")]
    series: Option<f64>,
    /// March so many times over draws from the figures, and tell how sure the answer is
    #[arg(long, value_name = "N")]
    runs: Option<usize>,
    /// The seed of the draws
    #[arg(long, value_name = "S", default_value_t = 1)]
    seed: u64,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let way = super::common::arrangement(&plan, &args.arrangement, "--arrangement")?;
    let outage = outage(&plan, &args.outage)?;
    if args
        .series
        .is_some_and(|it| !(1.0..=86_400.0).contains(&it))
    {
        return Err(Stop::Input(
            "--series: must lie between 1 and 86400 s".into(),
        ));
    }
    if args.runs.is_some_and(|it| !(1..=MOST_RUNS).contains(&it)) {
        return Err(Stop::Input(format!(
            "--runs: must lie between 1 and {MOST_RUNS}"
        )));
    }
    let found = simulate(&plan, way, outage, args.series);
    let drawn = args
        .runs
        .and_then(|runs| chances(&plan, way, outage, runs, args.seed, &Handle::default()));
    if args.json {
        let mut text = serde_json::to_value(&found)?;
        if let Some(drawn) = &drawn {
            text["chances"] = serde_json::to_value(drawn)?;
        }
        return print(&(serde_json::to_string_pretty(&text)? + "\n"));
    }
    let mut text =
        headline(&plan, way, outage, &found, drawn.as_ref()) + "\n\n" + &table(&plan, &found);
    if let Some(drawn) = &drawn {
        text += &sure(&plan, drawn);
    }
    print(&text)
}

/// The outage of that id, or which there are.
pub(super) fn outage<'a>(plan: &'a Plan, id: &str) -> Result<&'a Outage, Stop> {
    plan.outages
        .iter()
        .find(|it| it.id.as_str() == id)
        .ok_or_else(|| {
            let known: Vec<_> = plan.outages.iter().map(|it| it.id.as_str()).collect();
            Stop::Input(format!(
                "--outage: \"{id}\" is not in the plan; there are {}",
                known.join(", ")
            ))
        })
}

fn sure(plan: &Plan, drawn: &Chances) -> String {
    let mut text = format!(
        "\n{} runs over {} figures, seed {}\n",
        drawn.runs, drawn.drawn, drawn.seed
    );
    for (id, it) in &drawn.devices {
        let range = format!("{:.1} to {:.1} h", it.hours.p5, it.hours.p95);
        let _ = writeln!(
            text,
            "{:<26}  {:>8}  {range:<18}  lasts in {}  {}",
            plan.label(id),
            amount(it.hours.p50, "h"),
            percent(it.lasts),
            owner(plan, drawn, id).unwrap_or_default()
        );
    }
    text
}

fn table(plan: &Plan, found: &Simulation) -> String {
    let mut text = String::new();
    for (id, it) in &found.devices {
        let end = match (&it.down_at_h, &it.why) {
            (Some(at), Some(why)) => format!("down at {}, {why}", amount(*at, "h")),
            _ => "lasts".into(),
        };
        let _ = writeln!(
            text,
            "{:<26}  on {:>8}  {:>10}  {end}",
            plan.label(id),
            amount(it.up_h, "h"),
            amount(it.wh, "Wh")
        );
    }
    for (id, it) in &found.sources {
        let drawn = amount(it.drawn_wh, "Wh");
        let _ = writeln!(
            text,
            "{:<26}  at {:>8}  {drawn:>10}  drawn",
            plan.label(id),
            percent(it.end_soc)
        );
    }
    for it in &found.events {
        let cause = if it.cause.is_empty() {
            String::new()
        } else {
            format!(": {}", it.cause.join(" ← "))
        };
        let _ = writeln!(
            text,
            "{:>12}  {} ({}){cause}",
            clocked(it.at_h),
            it.what,
            it.item
        );
    }
    text
}
