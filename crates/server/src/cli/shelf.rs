//! What runs what, and the smallest that would do.

use super::{Stop, amount, clocked, print};
use ash_pond_core::limits::Status;
use ash_pond_core::shelf::{Refused, RunCell, Runs, RunsAsk, SmallestAsk, SmallestKind, Together, runs, smallest};
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct RunsArgs {
    /// A plan file
    plan: PathBuf,
    /// Devices, by id [default: all of them]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    devices: Vec<String>,
    /// Ports, as station/outlet, or a source for all of its own [default: all that give anything in an outage]
    #[arg(long, value_name = "PORTS", value_delimiter = ',')]
    ports: Vec<String>,
    /// Devices that are judged together on each port [default: the same devices]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    together: Option<Vec<String>>,
    /// The outage in which hours are looked for [default: two weeks in which nothing comes]
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// Length of each lead that is proposed, m
    #[arg(long, value_name = "M")]
    length: Option<f64>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

#[derive(Debug, clap::Args)]
pub(super) struct SmallestArgs {
    /// A plan file
    plan: PathBuf,
    /// What is made smaller: store, lead, inverter; or longer or later: length, start
    #[arg(long, value_name = "WHAT")]
    what: String,
    /// The store, the converter, the engine, or what a lead leads to, by id
    #[arg(long, value_name = "ID")]
    item: String,
    /// The arrangement, by its id
    #[arg(long, value_name = "ID")]
    arrangement: String,
    /// The outage [default: one in which nothing comes]
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// For how long it must last, h
    #[arg(long, value_name = "H")]
    hours: f64,
    /// Devices that must last, by id [default: those that hang on the item]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    devices: Vec<String>,
    /// The chance with which it must, 0.5 to 0.99 [default: by the figures as they stand]
    #[arg(long, value_name = "SHARE")]
    chance: Option<f64>,
    /// Seed of the draws
    #[arg(long, value_name = "N", default_value_t = 1)]
    seed: u64,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

fn option(refused: &Refused) -> Stop {
    let field = if refused.field == "length_m" { "length" } else { refused.field };
    Stop::Input(format!("--{field}: {}", refused.why))
}

pub(super) fn matrix(args: &RunsArgs) -> Result<(), Stop> {
    let plan = super::plan(&args.plan)?;
    let ask = RunsAsk {
        devices: args.devices.clone(),
        ports: args.ports.clone(),
        together: args.together.clone(),
        outage: args.outage.clone(),
        length_m: args.length.unwrap_or(RunsAsk::default().length_m),
    };
    let found = runs(&plan, &ask).map_err(|it| option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n", found.sentence);
    for (at, port) in found.ports.iter().enumerate() {
        let only = port.only.as_ref().map_or_else(String::new, |it| format!(" ({it})"));
        let _ = writeln!(text, "\nOn {}{only}:", port.label);
        for (device, row) in found.devices.iter().zip(&found.cells) {
            line(&mut text, plan.label(device), &row[at]);
        }
        if let Some(it) = found.together.get(at) {
            foot(&mut text, &found, it);
        }
    }
    print(&text)
}

fn line(text: &mut String, label: &str, cell: &RunCell) {
    let via = if cell.via.is_empty() { String::new() } else { format!(", through {}", cell.via.join(" and ")) };
    let why = match (&cell.refused, cell.value, cell.limit) {
        (Some(why), _, _) => why.to_string(),
        (None, Some(value), Some(limit)) if cell.brief.is_empty() => {
            format!("{} of {}", amount(value, ""), amount(limit, cell.unit))
        }
        _ => cell.brief.to_string(),
    };
    let status = if cell.refused.is_some() { "no" } else { cell.status.word() };
    let _ = writeln!(text, "  {status:<9}{label}: {why}{via}");
}

fn foot(text: &mut String, found: &Runs, it: &Together) {
    if it.devices.len() < 2 {
        return;
    }
    let hours = it.hours.map_or_else(|| format!("{} and longer", amount(it.looked_h, "h")), clocked);
    let carries = it.carries.len();
    if carries == 0 {
        let _ = writeln!(text, "  together: none");
        return;
    }
    let after =
        if it.status == Status::Trips && it.one_after_another < Status::Trips { ", one after another" } else { "" };
    let _ =
        writeln!(text, "  together: {carries} of {}{after}, for {hours}", found.devices.len().max(it.devices.len()));
    for [one, other] in &it.never {
        let _ = writeln!(text, "    never {one} beside {other}");
    }
}

pub(super) fn least(args: &SmallestArgs) -> Result<(), Stop> {
    let plan = super::plan(&args.plan)?;
    let what = SmallestKind::ALL.iter().copied().find(|it| it.word() == args.what).ok_or_else(|| {
        let known: Vec<&str> = SmallestKind::ALL.iter().map(|it| it.word()).collect();
        Stop::Input(format!("--what: is \"{}\"; there are {}", args.what, known.join(", ")))
    })?;
    let ask = SmallestAsk {
        what,
        item: args.item.clone(),
        arrangement: args.arrangement.clone(),
        outage: args.outage.clone(),
        hours: args.hours,
        devices: args.devices.clone(),
        chance: args.chance,
        seed: args.seed,
    };
    let found = smallest(&plan, &ask).map_err(|it| option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    print(&format!("{}\n", found.sentence))
}
