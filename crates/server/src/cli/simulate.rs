//! `simulate`: an outage marched through in time.

use super::{Stop, print};
use ash_pond_core::limits::{amount, percent};
use ash_pond_core::outage::{Simulation, simulate};
use ash_pond_core::plan::Plan;
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
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = super::plan(&args.plan)?;
    let way = super::arrangement(&plan, &args.arrangement, "--arrangement")?;
    let outage = plan.outages.iter().find(|it| it.id.as_str() == args.outage).ok_or_else(|| {
        let known: Vec<_> = plan.outages.iter().map(|it| it.id.as_str()).collect();
        Stop::Input(format!("--outage: \"{}\" is not in the plan; there are {}", args.outage, known.join(", ")))
    })?;
    if args.series.is_some_and(|it| !(1.0..=86_400.0).contains(&it)) {
        return Err(Stop::Input("--series: must lie between 1 and 86400 s".into()));
    }
    let found = simulate(&plan, way, outage, args.series);
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    print(&table(&plan, &found))
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
        let _ = writeln!(text, "{:<26}  at {:>8}  {drawn:>10}  drawn", plan.label(id), percent(it.end_soc));
    }
    for it in &found.events {
        let _ = writeln!(text, "{:>9}  {} ({})", amount(it.at_h, "h"), it.what, it.item);
    }
    text
}
