//! `watch`: an outage that happened or is happening, estimated by what was read of it.

use super::common::{Stop, amount, percent, print};
use ash_pond_core::ground::say::{Measured, Sentence};
use ash_pond_core::keeping::watch::{Estimate, Range, Start, estimate, read_past};
use ash_pond_core::site::plan::Plan;
use serde_json::json;
use std::collections::BTreeMap;
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
    /// What was seen: CSV with time_s,source,volts,amps,watts,percent,action,item, blanks allowed;
    /// or the file of a logger at a store
    #[arg(long, value_name = "FILE")]
    replay: PathBuf,
    /// The store that a logger stood at, by its id
    #[arg(long, value_name = "ID")]
    store: Option<String>,
    /// Hours since the outage began at which it is told, such as 0,2,6 [default: at the last
    /// reading]
    #[arg(long, value_name = "H,H,…", value_delimiter = ',')]
    at: Vec<f64>,
    /// Charge at the start, 0 to 1, such as bank=0.96±0.04; can be given again
    #[arg(long, value_name = "ID=CHARGE±")]
    soc: Vec<String>,
    /// The seed of the runs
    #[arg(long, value_name = "S", default_value_t = 1)]
    seed: u64,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

/// Charge at the start where nobody says how well it is known, ±.
const PLUS_MINUS: f64 = 0.05;

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let way = super::common::arrangement(&plan, &args.arrangement, "--arrangement")?;
    let outage = super::simulate::outage(&plan, &args.outage)?;
    let text = std::fs::read_to_string(&args.replay)
        .map_err(|error| Stop::Input(format!("{}: {error}", args.replay.display())))?;
    let mut seen = read_past(&text, &plan, way, outage, args.store.as_deref())
        .map_err(|error| Stop::Input(format!("{}: {error}", args.replay.display())))?;
    seen.starts = starts(&plan, &args.soc)?;
    let last = seen.readings.last().map_or(0.0, |it| it.at_s / 3600.0);
    let moments = if args.at.is_empty() {
        vec![last]
    } else {
        args.at.clone()
    };
    let mut told = Vec::new();
    for at_h in moments {
        let found = estimate(&plan, way, outage, &seen, at_h, args.seed);
        told.push(found.map_err(|it| Stop::option(&it))?);
    }
    if args.json {
        return print(&(serde_json::to_string_pretty(&json!({ "at": told }))? + "\n"));
    }
    let text: Vec<String> = told.iter().map(|it| words(&plan, it)).collect();
    print(&text.join("\n"))
}

/// `bank=0.96±0.04`, `bank=96%`, `bank=0.96+-0.04`.
fn starts(plan: &Plan, texts: &[String]) -> Result<BTreeMap<String, Start>, Stop> {
    let mut starts = BTreeMap::new();
    for text in texts {
        let wrong = |why: &str| {
            Stop::Input(format!(
                "--soc: \"{text}\" {why}; write it as bank=0.96±0.04"
            ))
        };
        let (id, charge) = text
            .split_once('=')
            .ok_or_else(|| wrong("names no source"))?;
        if plan.source(id).is_none_or(|it| it.battery.is_none()) {
            return Err(wrong("names no store of the plan"));
        }
        let (soc, half) = charge
            .split_once('±')
            .or_else(|| charge.split_once("+-"))
            .unwrap_or((charge, ""));
        let share = |text: &str| -> Option<f64> {
            let number = text
                .trim()
                .strip_suffix('%')
                .map(|it| it.trim().parse::<f64>().map(|it| it / 100.0));
            number.unwrap_or_else(|| text.trim().parse()).ok()
        };
        let soc = share(soc)
            .filter(|it| (0.0..=1.0).contains(it))
            .ok_or_else(|| wrong("is no charge of 0 to 1"))?;
        let half = if half.trim().is_empty() {
            Some(PLUS_MINUS)
        } else {
            share(half)
        };
        let half = half
            .filter(|it| (0.0..=1.0).contains(it))
            .ok_or_else(|| wrong("has a ± that is none"))?;
        starts.insert(
            id.to_owned(),
            Start {
                soc,
                plus_minus: half,
            },
        );
    }
    Ok(starts)
}

fn words(plan: &Plan, it: &Estimate) -> String {
    let range = |it: &Range| {
        format!(
            "{}, {} to {}",
            amount(it.p50, "h"),
            amount(it.p5, "h"),
            amount(it.p95, "h")
        )
    };
    let mut text = format!(
        "At {}: the first is lost at {}\n",
        amount(it.at_h, "h"),
        range(&it.first_lost_h)
    );
    for (id, one) in &it.devices {
        let _ = writeln!(
            text,
            "  {:<24}  until {}; lasts it in {}",
            plan.label(id),
            range(&one.until_h),
            percent(one.chance_of_outage)
        );
    }
    for (id, one) in &it.sources {
        let soc = &one.soc;
        let _ = writeln!(
            text,
            "  {:<24}  at {}, {} to {}",
            plan.label(id),
            percent(soc.p50),
            percent(soc.p5),
            percent(soc.p95)
        );
    }
    if let Some(next) = &it.next {
        let cause: Vec<_> = next
            .cause
            .iter()
            .filter(|it| !it.is_empty())
            .map(|it| it.plain().into_owned())
            .collect();
        let _ = writeln!(
            text,
            "  next: {} ({}) at {}: {}",
            next.what,
            next.item,
            amount(next.at_h, "h"),
            cause.join(" ← ")
        );
    }
    for drop in it.drops.iter().filter(|it| it.wins_h > 0.05) {
        let (device, winner) = (plan.label(&drop.device), plan.label(&drop.winner));
        let _ = writeln!(
            text,
            "  {device} off: {winner} lasts {} longer",
            amount(drop.wins_h, "h")
        );
    }
    for learned in &it.learned {
        let figure = &learned.figure;
        let [[to, half], [from, before]] = [learned.to, learned.from];
        let said = |value: f64, half: f64| {
            Sentence::from(Measured(value, half, figure.unit).to_string())
                .plain()
                .into_owned()
        };
        let (now, was) = (said(to, half), said(from, before));
        let _ = writeln!(
            text,
            "  learned: {}, {}: {now} (was {was})",
            figure.label, figure.name
        );
    }
    for doubt in &it.doubts {
        let _ = writeln!(text, "  doubtful: {}", doubt.sentence.plain());
    }
    text
}
