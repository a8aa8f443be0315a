//! `compare`: arrangements side by side.

use super::common::{Stop, arrangement, charge, plan, print};
use super::common::{amount, percent, said};
use ash_pond_core::advice::compare::{Compared, Comparison, compare_used};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::life::can_be_used;
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// The plan file
    plan: PathBuf,
    /// Two arrangements or more of the same devices, by id, with commas between
    #[arg(long, value_name = "ID,ID", value_delimiter = ',', required = true)]
    arrangements: Vec<String>,
    /// Over the hours of this outage, by id, instead of over a day
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// State of charge of a source, 0 to 1; full where left out; may be given several times
    #[arg(long, value_name = "SOURCE=SHARE", conflicts_with = "outage")]
    soc: Vec<String>,
    /// How often the day or the outage comes in a week: tells how many years each store lasts
    #[arg(long, value_name = "N")]
    uses_a_week: Option<f64>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = plan(&args.plan)?;
    let ways = args
        .arrangements
        .iter()
        .map(|id| arrangement(&plan, id, "--arrangements"))
        .collect::<Result<Vec<_>, _>>()?;
    let outage = args.outage.as_deref().map(|id| {
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
    });
    let outage = outage.transpose()?;
    let charge = charge(&plan, &args.soc)?;
    args.uses_a_week
        .map_or(Ok(()), can_be_used)
        .map_err(|it| Stop::option(&it))?;
    let found = compare_used(&plan, &ways, &charge, outage, args.uses_a_week)
        .map_err(|it| Stop::option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    print(&table(&plan, &found))
}

/// One line of the table: what it is, and what it is for each arrangement.
type Line<'a> = (&'a str, Box<dyn Fn(&Compared) -> String + 'a>);

fn table(plan: &Plan, found: &Comparison) -> String {
    let wh = |value: f64| amount(value, "Wh");
    let hours = |value: Option<f64>| value.map_or_else(|| "–".into(), |it| amount(it, "h"));
    let stated =
        |value: Option<f64>, unit: &str| value.map_or_else(|| "–".into(), |it| amount(it, unit));
    let currency = plan
        .site
        .energy_price
        .as_ref()
        .map_or("", |it| it.currency.as_str())
        .to_owned();
    let (money, whole, bought) = (currency.clone(), currency.clone(), currency.clone());
    let in_outage = found.ways.iter().any(|it| it.fared.is_some());
    let lines: Vec<Line<'_>> = vec![
        ("drawn", Box::new(|it| wh(it.usage.drawn_wh))),
        ("  at devices", Box::new(|it| wh(it.usage.delivered_wh))),
        (
            "  into charging inputs",
            Box::new(|it| wh(it.usage.charging_wh)),
        ),
        ("  only for being on", Box::new(|it| wh(it.usage.idle_wh))),
        ("  with the load", Box::new(|it| wh(it.usage.conversion_wh))),
        ("  in leads", Box::new(|it| wh(it.usage.cables_wh))),
        (
            "inside the batteries",
            Box::new(|it| wh(it.usage.internal_wh)),
        ),
        ("on average", Box::new(|it| amount(it.average_w, "W"))),
        (
            "efficiency",
            Box::new(|it| it.efficiency.map_or_else(|| "–".into(), percent)),
        ),
        (
            if in_outage {
                "to the floor"
            } else {
                "to the floor, steady"
            },
            Box::new(move |it| {
                if let Some(fared) = &it.fared {
                    return fared
                        .to_floor_h
                        .map_or_else(|| "never".into(), |it| amount(it, "h"));
                }
                // What has quit before is not carried down to the floor.
                let quits = it
                    .to_cut_off_h
                    .zip(it.to_floor_h)
                    .is_some_and(|(quits, floor)| quits < floor * (1.0 - 1e-9));
                if quits {
                    "quits before".into()
                } else {
                    hours(it.to_floor_h)
                }
            }),
        ),
        (
            if in_outage {
                "used up, it runs"
            } else {
                "until something quits"
            },
            Box::new(move |it| match &it.fared {
                Some(fared) => fared
                    .used_up
                    .as_ref()
                    .map_or_else(|| "all of it".into(), |it| amount(it.at_h, "h")),
                None => hours(it.to_cut_off_h),
            }),
        ),
        (
            if in_outage { "until" } else { "what quits" },
            Box::new(|it| {
                let by = match &it.fared {
                    Some(fared) => fared.used_up.as_ref().map(|it| &it.words),
                    None => it.cut_off_by.as_ref(),
                };
                by.map_or_else(|| "–".into(), said)
            }),
        ),
        (
            "cost of the energy",
            Box::new(move |it| stated(it.energy_cost, &currency)),
        ),
        (
            "boxes, leads, fuses",
            Box::new(|it| {
                format!(
                    "{}, {}, {}",
                    it.parts.converters, it.parts.leads, it.parts.fuses
                )
            }),
        ),
        (
            "price of the boxes",
            Box::new(move |it| stated(it.parts.price, &money)),
        ),
        (
            "weight of the boxes",
            Box::new(move |it| stated(it.parts.weight_kg, "kg")),
        ),
        (
            "price of everything",
            Box::new(move |it| stated(it.parts.all_price, &whole)),
        ),
        (
            "  to be bought",
            Box::new(move |it| stated(it.parts.buy_price, &bought)),
        ),
        (
            "weight of everything",
            Box::new(move |it| stated(it.parts.all_weight_kg, "kg")),
        ),
        ("worst finding", Box::new(|it| it.status.word().into())),
    ];
    let mut text = String::new();
    let _ = writeln!(
        text,
        "Over {}: {} at {}",
        found.span,
        amount(found.hours, "h"),
        amount(found.ambient_c, "°C")
    );
    let worst_of = |id: &str| format!("{} at worst", plan.label(id));
    let names = found
        .ways
        .iter()
        .flat_map(|it| &it.devices)
        .map(|it| worst_of(&it.device).chars().count());
    let first = names.max().unwrap_or(0).max(22);
    let wide = found
        .ways
        .iter()
        .map(|it| it.label.chars().count().max(22))
        .collect::<Vec<_>>();
    let mut row = |name: &str, cells: Vec<String>| {
        let _ = write!(text, "{name:<first$}");
        for (cell, wide) in cells.iter().zip(&wide) {
            let _ = write!(text, "  {cell:>wide$}");
        }
        text.push('\n');
    };
    row("", found.ways.iter().map(|it| it.label.clone()).collect());
    for (name, cell) in &lines {
        row(name, found.ways.iter().map(cell).collect());
    }
    // Ways that meet the same needs may do so by other devices.
    let mut devices: Vec<&String> = Vec::new();
    for it in found.ways.iter().flat_map(|it| &it.devices) {
        if !devices.contains(&&it.device) {
            devices.push(&it.device);
        }
    }
    for device in devices {
        let volts = |it: &Compared| {
            let seen = it.devices.iter().find(|it| it.device == *device);
            seen.map_or_else(
                || "–".into(),
                |it| format!("{} {}", amount(it.lowest_v, "V"), it.status.word()),
            )
        };
        row(&worst_of(device), found.ways.iter().map(volts).collect());
    }
    text.push('\n');
    for it in &found.ways {
        if let Some(tightest) = &it.tightest {
            let _ = writeln!(text, "{}: {}", it.label, tightest.sentence);
        }
    }
    for life in found
        .ways
        .iter()
        .flat_map(|it| it.lives.values().map(move |life| (&it.label, life)))
    {
        let _ = writeln!(text, "{}: {}", life.0, life.1.sentence);
    }
    for it in &found.changes {
        let _ = writeln!(text, "{}", it.sentence);
    }
    for it in &found.best {
        let _ = writeln!(text, "{:<19} {}", it.aspect.word(), it.sentence);
    }
    if in_outage {
        let _ = writeln!(
            text,
            "Watt-hours are what the use takes in these hours, were nothing lost meanwhile; how \
            long it lasts is the outage marched, as by `simulate`."
        );
    }
    let _ = writeln!(
        text,
        "Estimates from the figures entered; check by measuring before anything depends on it."
    );
    text
}
