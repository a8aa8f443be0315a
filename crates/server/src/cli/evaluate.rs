//! `evaluate`: what flows in one arrangement at one moment.

use super::common::percent;
use super::common::{Stop, arrangement, charge, plan, print};
use ash_pond_core::limits::{Finding, Status, findings};
use ash_pond_core::network::{Evaluation, evaluate};
use ash_pond_core::site::plan::Plan;
use serde::Serialize;
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// The plan file
    plan: PathBuf,
    /// The arrangement, by id
    #[arg(long, value_name = "ID")]
    arrangement: String,
    /// running, busy, all-starting, or starting or stopping with a device's id
    #[arg(long, value_name = "MOMENT", default_value = "running")]
    moment: String,
    /// State of charge of a source, 0 to 1; full where left out; may be given several times
    #[arg(long, value_name = "SOURCE=SHARE")]
    soc: Vec<String>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

/// What `evaluate --json` prints.
#[derive(Serialize)]
struct Printed<'a> {
    #[serde(flatten)]
    flow: &'a Evaluation,
    findings: &'a [Finding],
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = plan(&args.plan)?;
    let way = arrangement(&plan, &args.arrangement, "--arrangement")?;
    let moment = args.moment.parse().map_err(|it| Stop::option(&it))?;
    let charge = charge(&plan, &args.soc)?;
    let flow = evaluate(&plan, way, &moment, &charge).map_err(|it| Stop::option(&it))?;
    let findings = findings(&plan, way);
    if args.json {
        let printed = serde_json::to_string_pretty(&Printed {
            flow: &flow,
            findings: &findings,
        })?;
        return print(&(printed + "\n"));
    }
    print(&table(&plan, &flow, &findings))
}

fn table(plan: &Plan, flow: &Evaluation, findings: &[Finding]) -> String {
    let mut text = String::new();
    // Writing to a string cannot fail.
    let mut line = |parts: std::fmt::Arguments<'_>| {
        let _ = writeln!(text, "{parts}");
    };
    line(format_args!(
        "{} · {}",
        plan.arrangement(&flow.arrangement)
            .map_or("", |it| it.label.as_str()),
        flow.moment
    ));
    line(format_args!(
        "\n{:<34}{:>9}{:>10}{:>10}",
        "device", "V", "W", "A"
    ));
    for (id, it) in &flow.devices {
        line(format_args!(
            "{:<34}{:>9.2}{:>10.2}{:>10.3}",
            plan.label(id),
            it.input_v,
            it.watts,
            it.amps
        ));
    }
    if !flow.converters.is_empty() {
        line(format_args!(
            "\n{:<34}{:>9}{:>10}{:>10}{:>9}{:>12}",
            "converter", "V in", "W in", "W out", "idle", "efficiency"
        ));
        for (id, it) in &flow.converters {
            let efficiency = it.efficiency.map_or_else(|| "–".into(), percent);
            line(format_args!(
                "{:<34}{:>9.2}{:>10.2}{:>10.2}{:>9.2}{:>12}",
                plan.label(id),
                it.input_v,
                it.input_w,
                it.output_w,
                it.loss_idle_w,
                efficiency
            ));
        }
    }
    line(format_args!(
        "\n{:<34}{:>9}{:>10}{:>10}{:>9}",
        "lead to", "near V", "far V", "A", "W lost"
    ));
    for (to, it) in &flow.feeds {
        line(format_args!(
            "{:<34}{:>9.2}{:>10.2}{:>10.3}{:>9.3}",
            plan.label(to),
            it.near_v,
            it.far_v,
            it.amps,
            it.loss_w
        ));
    }
    let totals = &flow.totals;
    let efficiency = totals.efficiency.map_or_else(|| "–".into(), percent);
    line(format_args!(
        "\ndrawn {:.2} W, delivered {:.2} W ({efficiency}), lost {:.2} W of which {:.2} only \
        because things are on",
        totals.drawn_w, totals.delivered_w, totals.lost_w, totals.idle_w
    ));
    for it in &flow.collapses {
        line(format_args!(
            "collapse: the way to {} cannot carry {:.0} W, at most {:.0} W",
            plan.label(&it.at),
            it.wanted_w,
            it.most_w
        ));
    }
    for it in findings.iter().filter(|it| it.status > Status::Holds) {
        line(format_args!("{:<9} {}", it.status.word(), it.message));
    }
    text
}
