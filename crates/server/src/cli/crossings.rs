//! `crossings`: where two arrangements draw the same.

use super::common::amount;
use super::common::{Stop, arrangement, charge, plan, print};
use ash_pond_core::advice::compare::{Ask, Over, crossings};
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// The plan file
    plan: PathBuf,
    /// Two arrangements of the same devices, by id, with a comma between
    #[arg(long, value_name = "ID,ID", value_delimiter = ',', required = true)]
    arrangements: Vec<String>,
    /// What changes: load, hours, charge, length or idle
    #[arg(long, value_name = "WHAT")]
    over: String,
    /// The device whose load or hours change [default: all of them together]
    #[arg(long, value_name = "ID")]
    device: Option<String>,
    /// The lead by what it leads to, or the converter or SOURCE/PORT that is idle [default: the
    /// longest, the largest]
    #[arg(long, value_name = "ID")]
    item: Option<String>,
    /// From this value
    #[arg(long, value_name = "NUMBER")]
    from: Option<f64>,
    /// To this value
    #[arg(long, value_name = "NUMBER")]
    to: Option<f64>,
    /// State of charge of a source, 0 to 1; full where left out; may be given several times
    #[arg(long, value_name = "SOURCE=SHARE")]
    soc: Vec<String>,
    /// Tell how far the figures' ± move the curves and their crossings
    #[arg(long)]
    band: bool,
    /// Print one JSON object, with the series for a plot
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = plan(&args.plan)?;
    let [one, other] = &args.arrangements[..] else {
        let given = args.arrangements.len();
        return Err(Stop::Input(format!(
            "--arrangements: names {given}; name two, such as a,b"
        )));
    };
    let ways = [
        arrangement(&plan, one, "--arrangements")?,
        arrangement(&plan, other, "--arrangements")?,
    ];
    let over = Over::ALL
        .iter()
        .copied()
        .find(|it| it.word() == args.over)
        .ok_or_else(|| {
            Stop::Input(format!(
                "--over: \"{}\" is not known; use load, hours, charge, length or idle",
                args.over
            ))
        })?;
    let charge = charge(&plan, &args.soc)?;
    let ask = Ask {
        over,
        device: args.device.as_deref(),
        item: args.item.as_deref(),
        from: args.from,
        to: args.to,
        band: args.band,
    };
    let found = crossings(&plan, ways, &charge, &ask).map_err(|it| Stop::option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = String::new();
    let _ = writeln!(text, "{}", found.sentence);
    for it in &found.crossings {
        if let Some(plus_minus) = it.plus_minus {
            let _ = writeln!(
                text,
                "{} ± {}",
                amount(it.at, &found.unit),
                amount(plus_minus, &found.unit)
            );
        }
    }
    let _ = writeln!(
        text,
        "\n{:>14}  {:>14}  {:>14}",
        found.of.chars().take(14).collect::<String>(),
        one,
        other
    );
    let drawn = |value: Option<f64>| {
        value.map_or_else(|| "collapses".into(), |it| amount(it, &found.drawn_unit))
    };
    for point in found.series.iter().step_by(8) {
        let at = amount(point.at, &found.unit);
        let _ = writeln!(
            text,
            "{at:>14}  {:>14}  {:>14}",
            drawn(point.drawn[0]),
            drawn(point.drawn[1])
        );
    }
    print(&text)
}
