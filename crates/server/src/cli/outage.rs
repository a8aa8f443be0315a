//! What to drop, in which order to start, and how to fill up again.

use super::common::{Stop, print};
use super::common::{clocked, said};
use super::simulate::outage;
use ash_pond_core::time::outage::{shed_board, starts};
use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct ShedArgs {
    /// A plan file
    plan: PathBuf,
    /// The arrangement, by its id
    #[arg(long, value_name = "ID")]
    arrangement: String,
    /// The outage, by its id
    #[arg(long, value_name = "ID")]
    outage: String,
    /// Devices whose dropping together is looked at, by their ids
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    drop: Vec<String>,
    /// The charge of its own store below which a device is dropped, 0 to 1 [default: at the start]
    #[arg(long, value_name = "SOC")]
    below: Option<f64>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn shed(args: &ShedArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let way = super::common::arrangement(&plan, &args.arrangement, "--arrangement")?;
    let outage = outage(&plan, &args.outage)?;
    if let Some(soc) = args.below.filter(|it| !(0.0..=1.0).contains(it)) {
        return Err(Stop::Input(format!(
            "--below: is {soc}; a charge lies between 0 and 1"
        )));
    }
    let board = shed_board(&plan, way, outage, &args.drop, args.below)
        .map_err(|it| Stop::Input(format!("--drop: {it}")))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&board)? + "\n"));
    }
    let mut text = String::new();
    for it in board.set.iter().chain(&board.each) {
        let _ = writeln!(text, "{}", it.sentence);
    }
    text += "\nThe best order, by what matters most:\n";
    for it in &board.best {
        let _ = writeln!(
            text,
            "{:<60}  on until {}",
            said(&it.rule),
            clocked(it.hours)
        );
    }
    print(&text)
}

#[derive(Debug, clap::Args)]
pub(super) struct StartsArgs {
    /// A plan file
    plan: PathBuf,
    /// The arrangement, by its id
    #[arg(long, value_name = "ID")]
    arrangement: String,
    /// The outage, by its id; the first of the plan where left out
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// Charge of a source after the return, as id=0.3
    #[arg(long, value_name = "ID=SOC")]
    soc: Vec<String>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn start_order(args: &StartsArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let way = super::common::arrangement(&plan, &args.arrangement, "--arrangement")?;
    let outage = picked(&plan, args.outage.as_deref())?;
    let charge: BTreeMap<String, f64> = args
        .soc
        .iter()
        .map(|it| named_soc(it))
        .collect::<Result<_, _>>()?;
    let found = starts(&plan, way, outage, &charge);
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n", found.sentence);
    for it in &found.turns {
        let near = it.tightest.as_ref().map_or_else(String::new, said);
        let _ = writeln!(
            text,
            "{:>8}  {:<26}  {near}",
            clocked(it.at_s / 3600.0),
            plan.label(&it.device)
        );
    }
    for it in &found.hands {
        let _ = writeln!(text, "{:>8}  {}", "by hand", said(&it.sentence));
    }
    print(&text)
}

/// A charge as `id=0.3`.
fn named_soc(text: &str) -> Result<(String, f64), Stop> {
    let wrong = || {
        Stop::Input(format!(
            "--soc: \"{text}\" is not a source and a charge from 0 to 1, such as bank=0.3"
        ))
    };
    let (id, soc) = text.split_once('=').ok_or_else(wrong)?;
    let soc: f64 = soc
        .parse()
        .ok()
        .filter(|it| (0.0..=1.0).contains(it))
        .ok_or_else(wrong)?;
    Ok((id.to_owned(), soc))
}

fn picked<'a>(
    plan: &'a ash_pond_core::site::plan::Plan,
    id: Option<&str>,
) -> Result<&'a ash_pond_core::site::plan::Outage, Stop> {
    match id {
        Some(id) => outage(plan, id),
        None => plan
            .outages
            .first()
            .ok_or_else(|| Stop::Input("--outage: the plan has none; describe one first".into())),
    }
}
