//! What runs what, and the smallest that would do.

use super::common::{Stop, amount, clocked, print};
use ash_pond_core::advice::shelf::{
    Apart, CandidatesAsk, FindAsk, LeadSize, MOST_OF_A_KIND, RunCell, Runs, RunsAsk, Shelf,
    SmallestAsk, SmallestKind, Together, WinsAsk, candidates, find, runs, smallest, wins,
};
use ash_pond_core::ground::json::FieldError;
use ash_pond_core::limits::Status;
use std::collections::BTreeMap;
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct RunsArgs {
    /// A plan file
    plan: PathBuf,
    /// Devices, by id [default: all of them]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    devices: Vec<String>,
    /// Ports, as station/outlet, or a source for all of its own [default: all that give anything in
    /// an outage]
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

fn option(refused: &FieldError) -> Stop {
    let field = match refused.path.as_str() {
        "length_m" => "length",
        "weight_kg" => "weight",
        "prices" => "price",
        "counts" => "count",
        "leads" => "lead",
        other => other,
    };
    Stop::option(&FieldError::new(field, refused.message.as_str()))
}

pub(super) fn matrix(args: &RunsArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let ask = RunsAsk {
        devices: args.devices.clone(),
        ports: args.ports.clone(),
        // Given empty, nothing is judged together.
        together: args
            .together
            .as_ref()
            .map(|it| it.iter().filter(|id| !id.is_empty()).cloned().collect()),
        outage: args.outage.clone(),
        length_m: args.length.unwrap_or(RunsAsk::default().length_m),
    };
    let found = runs(&plan, &ask).map_err(|it| option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n", found.sentence);
    for (at, port) in found.ports.iter().enumerate() {
        let only = port
            .only
            .as_ref()
            .map_or_else(String::new, |it| format!(" ({it})"));
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
    let via = if cell.via.is_empty() {
        String::new()
    } else {
        format!(", through {}", cell.via.join(" and "))
    };
    let why = match (&cell.refused, cell.value, cell.limit) {
        (Some(why), _, _) => why.to_string(),
        (None, Some(value), Some(limit)) if cell.brief.is_empty() => {
            format!("{} of {}", amount(value, ""), amount(limit, cell.unit))
        }
        (None, None, _) if cell.brief.is_empty() => "no limit is stated".to_owned(),
        _ => cell.brief.to_string(),
    };
    let status = if cell.refused.is_some() {
        "no"
    } else {
        cell.status.word()
    };
    let _ = writeln!(text, "  {status:<9}{label}: {why}{via}");
}

fn foot(text: &mut String, found: &Runs, it: &Together) {
    if it.devices.len() < 2 {
        return;
    }
    let hours = it.hours.map_or_else(
        || format!("{} and longer", amount(it.looked_h, "h")),
        clocked,
    );
    let carries = it.carries.len();
    if carries == 0 {
        let _ = writeln!(text, "  together: none");
        return;
    }
    let after = if it.status == Status::Trips && it.one_after_another < Status::Trips {
        ", one after another"
    } else {
        ""
    };
    let _ = writeln!(
        text,
        "  together: {carries} of {}{after}, for {hours}",
        found.devices.len().max(it.devices.len())
    );
    for [one, other] in &it.never {
        let _ = writeln!(text, "    never {one} beside {other}");
    }
}

pub(super) fn least(args: &SmallestArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let what = SmallestKind::ALL
        .iter()
        .copied()
        .find(|it| it.word() == args.what)
        .ok_or_else(|| {
            let known: Vec<&str> = SmallestKind::ALL.iter().map(|it| it.word()).collect();
            Stop::Input(format!(
                "--what: is \"{}\"; there are {}",
                args.what,
                known.join(", ")
            ))
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

#[derive(Debug, clap::Args)]
pub(super) struct FindArgs {
    /// A plan file
    plan: PathBuf,
    /// Devices that must run, by id
    #[arg(long, value_name = "IDS", value_delimiter = ',', required = true)]
    devices: Vec<String>,
    /// For how long, h
    #[arg(long, value_name = "H")]
    hours: f64,
    /// The outage [default: one in which nothing comes]
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// A day in place of an outage, from midnight to midnight without the mains: 2026-12-21
    #[arg(long, value_name = "DATE", conflicts_with = "outage")]
    day: Option<jiff::civil::Date>,
    /// Money to spend at most
    #[arg(long, value_name = "MONEY")]
    spend: Option<f64>,
    /// Weight of what is bought at most, kg
    #[arg(long, value_name = "KG")]
    weight: Option<f64>,
    /// What may be used: owned, site (what is owned and what is not), kinds (and the ready-made
    /// ones)
    #[arg(long, value_name = "WHAT", default_value = "site")]
    shelf: String,
    /// What a ready-made kind costs: KIND=MONEY
    #[arg(long, value_name = "KIND=MONEY")]
    price: Vec<String>,
    /// Parts that are bought at most
    #[arg(long, value_name = "N")]
    parts: Option<usize>,
    /// How many there may be of a kind or of an item: ITEM=N, or ITEM=any; more than the one that
    /// is there must be bought
    #[arg(long, value_name = "ITEM=N")]
    count: Vec<String>,
    /// A size of lead that may be used, mm², with what a metre of both conductors costs (0: it is
    /// there already): AREA=MONEY, several times [default: the smallest that holds, at no price]
    #[arg(long, value_name = "AREA=MONEY")]
    lead: Vec<String>,
    /// Devices to which no mains may lead, by id: those that stand outside, or in the wet
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    no_mains: Vec<String>,
    /// Actions by hand a day at most: switches what draws for being on with its load
    #[arg(long, value_name = "N", default_value_t = 0.0)]
    by_hand: f64,
    /// Sources that may be used, by id [default: all of them]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    sources: Vec<String>,
    /// Nothing may be left unproven
    #[arg(long)]
    proven: bool,
    /// Tell everything that nothing betters, however long it lasts
    #[arg(long)]
    front: bool,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

fn shelf_of(word: &str) -> Result<Shelf, Stop> {
    Shelf::ALL
        .iter()
        .copied()
        .find(|it| it.word() == word)
        .ok_or_else(|| {
            let known: Vec<&str> = Shelf::ALL.iter().map(|it| it.word()).collect();
            Stop::Input(format!(
                "--shelf: is \"{word}\"; there are {}",
                known.join(", ")
            ))
        })
}

/// `THING=NUMBER`, several times.
fn pairs<T: std::str::FromStr>(
    option: &str,
    given: &[String],
    like: &str,
) -> Result<BTreeMap<String, T>, Stop> {
    let pair = |text: &String| {
        let split = text
            .split_once('=')
            .and_then(|(id, number)| Some((id.to_owned(), number.parse().ok()?)));
        split.ok_or_else(|| Stop::Input(format!("--{option}: is \"{text}\"; write it as {like}")))
    };
    given.iter().map(pair).collect()
}

/// How many of something: a number, or `any`.
struct Many(usize);

impl std::str::FromStr for Many {
    type Err = std::num::ParseIntError;

    fn from_str(text: &str) -> Result<Self, Self::Err> {
        if text == "any" {
            Ok(Self(MOST_OF_A_KIND))
        } else {
            text.parse().map(Self)
        }
    }
}

/// `AREA=MONEY`, several times.
fn sizes(given: &[String]) -> Result<Vec<LeadSize>, Stop> {
    let size = |text: &String| {
        let split = text
            .split_once('=')
            .and_then(|(area, price)| Some((area.parse().ok()?, price.parse().ok()?)));
        let (area_mm2, price_m) = split
            .ok_or_else(|| Stop::Input(format!("--lead: is \"{text}\"; write it as 2.5=1.20")))?;
        Ok(LeadSize { area_mm2, price_m })
    };
    given.iter().map(size).collect()
}

pub(super) fn finder(args: &FindArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let shelf = shelf_of(&args.shelf)?;
    let devices: Vec<&str> = args.devices.iter().map(String::as_str).collect();
    let ask = FindAsk {
        outage: args.outage.clone(),
        day: args.day,
        spend: args.spend,
        weight_kg: args.weight,
        shelf,
        proven_only: args.proven,
        front: args.front,
        prices: pairs("price", &args.price, "inverter-small=60")?,
        parts: args.parts,
        counts: pairs::<Many>("count", &args.count, "steady-12=2 or steady-12=any")?
            .into_iter()
            .map(|(id, many)| (id, many.0))
            .collect(),
        leads: sizes(&args.lead)?,
        no_mains: args.no_mains.clone(),
        by_hand: args.by_hand,
        sources: args.sources.clone(),
        ..FindAsk::of(&devices, args.hours)
    };
    let found = find(&plan, &ask).map_err(|it| option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n", found.sentence);
    for it in &found.front {
        let _ = writeln!(text, "\n{}", it.sentence);
        for feed in &it.arrangement.feeds {
            let lead = feed.cable.as_ref().and_then(|cable| {
                let area = cable.area_mm2.as_ref()?.get();
                Some(format!(
                    ", {} of {}",
                    amount(cable.length_m.get(), "m"),
                    amount(area, "mm²")
                ))
            });
            let fuse = feed
                .fuse
                .as_ref()
                .map(|it| format!(", {} fuse", amount(it.rating_a.get(), "A")));
            let (lead, fuse) = (lead.unwrap_or_default(), fuse.unwrap_or_default());
            let _ = writeln!(
                text,
                "  {}/{} → {}{lead}{fuse}",
                feed.from.item,
                feed.from.port,
                feed.to.name()
            );
        }
    }
    if args.front && !found.bettered.is_empty() {
        text += "\nBettered by these:\n";
        for it in &found.bettered {
            let _ = writeln!(text, "  {}", it.sentence);
        }
    }
    if !found.unpriced.is_empty() {
        let _ = writeln!(
            text,
            "\nLeft out, as nobody states a price: {}.",
            found.unpriced.join(", ")
        );
    }
    print(&text)
}

#[derive(Debug, clap::Args)]
pub(super) struct WinsArgs {
    /// A plan file
    plan: PathBuf,
    /// Devices that must run, by id
    #[arg(long, value_name = "IDS", value_delimiter = ',', required = true)]
    devices: Vec<String>,
    /// The outage [default: one in which nothing comes]
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// The arrangement that is in use, by its id: what changing it wins is told as well
    #[arg(long, value_name = "ID")]
    arrangement: Option<String>,
    /// What may be bought: site (what of its kit is not owned), kinds (and the ready-made ones)
    #[arg(long, value_name = "WHAT", default_value = "site")]
    shelf: String,
    /// What a ready-made kind costs: KIND=MONEY
    #[arg(long, value_name = "KIND=MONEY")]
    price: Vec<String>,
    /// Money to spend at most
    #[arg(long, value_name = "MONEY")]
    spend: Option<f64>,
    /// Weight of what is bought at most, kg
    #[arg(long, value_name = "KG")]
    weight: Option<f64>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn winning(args: &WinsArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let devices: Vec<&str> = args.devices.iter().map(String::as_str).collect();
    let ask = WinsAsk {
        find: FindAsk {
            outage: args.outage.clone(),
            spend: args.spend,
            weight_kg: args.weight,
            shelf: shelf_of(&args.shelf)?,
            prices: pairs("price", &args.price, "inverter-small=60")?,
            ..FindAsk::of(&devices, 1.0)
        },
        arrangement: args.arrangement.clone(),
    };
    let found = wins(&plan, &ask).map_err(|it| option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n", found.sentence);
    for it in &found.changes {
        let _ = writeln!(
            text,
            "  {}: {} more, for nothing",
            it.what,
            clocked(it.won_h)
        );
    }
    for it in &found.purchases {
        let _ = writeln!(text, "  {:<10}{}", it.worth.word(), it.sentence);
    }
    if !found.proven {
        text += "Not all of that is proven: something longer may have been missed.\n";
    }
    print(&text)
}

#[derive(Debug, clap::Args)]
pub(super) struct CandidatesArgs {
    /// A plan file
    plan: PathBuf,
    /// Devices that must run, by id
    #[arg(long, value_name = "IDS", value_delimiter = ',', required = true)]
    devices: Vec<String>,
    /// By what they differ: store (one box or parts, two batteries), inverter
    #[arg(long, value_name = "WHAT", default_value = "store")]
    of: String,
    /// The candidates, by id [default: everything of that sort that may be used]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    items: Vec<String>,
    /// How long one use is, h [default: that of the outage, or a day]
    #[arg(long, value_name = "H")]
    hours: Option<f64>,
    /// The outage [default: one in which nothing comes]
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// How often they are used so in a week [default: only the calendar wears them]
    #[arg(long, value_name = "N")]
    uses_a_week: Option<f64>,
    /// Over how many years money is counted
    #[arg(long, value_name = "N", default_value_t = 10.0)]
    years: f64,
    /// What may be used: owned, site (what is owned and what is not), kinds (and the ready-made
    /// ones)
    #[arg(long, value_name = "WHAT", default_value = "site")]
    shelf: String,
    /// What a ready-made kind costs: KIND=MONEY
    #[arg(long, value_name = "KIND=MONEY")]
    price: Vec<String>,
    /// Devices to which no mains may lead, by id: those that stand outside, or in the wet
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    no_mains: Vec<String>,
    /// Sources that may be used, by id [default: all of them]
    #[arg(long, value_name = "IDS", value_delimiter = ',')]
    sources: Vec<String>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn side_by_side(args: &CandidatesArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let of = Apart::ALL
        .iter()
        .copied()
        .find(|it| it.word() == args.of)
        .ok_or_else(|| {
            let known: Vec<&str> = Apart::ALL.iter().map(|it| it.word()).collect();
            Stop::Input(format!(
                "--of: is \"{}\"; there are {}",
                args.of,
                known.join(", ")
            ))
        })?;
    if let Some(hours) = args.hours.filter(|it| it.is_nan() || *it <= 0.0) {
        return Err(Stop::Input(format!(
            "--hours: is {hours}; one use is longer than nothing"
        )));
    }
    let devices: Vec<&str> = args.devices.iter().map(String::as_str).collect();
    let ask = CandidatesAsk {
        find: FindAsk {
            outage: args.outage.clone(),
            shelf: shelf_of(&args.shelf)?,
            prices: pairs("price", &args.price, "inverter-small=60")?,
            no_mains: args.no_mains.clone(),
            sources: args.sources.clone(),
            ..FindAsk::of(&devices, args.hours.unwrap_or(0.0))
        },
        of,
        items: args.items.clone(),
        uses_a_week: args.uses_a_week,
        years: args.years,
    };
    let found = candidates(&plan, &ask).map_err(|it| option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n", found.sentence);
    let currency = plan.currency();
    for it in &found.candidates {
        let _ = writeln!(text, "\n{}", it.sentence);
        if let (Some(wh), Some(price)) = (it.usable_wh, it.price_per_usable_kwh) {
            let kilos = it
                .usable_wh_per_kg
                .map_or_else(String::new, |it| format!(", {} per kg", amount(it, "Wh")));
            let _ = writeln!(
                text,
                "  {} usable, {} {currency} per kWh of it{kilos}",
                amount(wh, "Wh"),
                amount(price, "")
            );
        }
        for life in &it.lives {
            let _ = writeln!(text, "  {}", life.sentence);
        }
        for part in &it.parts {
            let _ = writeln!(text, "  {}", part.sentence);
        }
        if let Some(grows) = &it.grows {
            let _ = writeln!(text, "  {}", grows.sentence);
        }
    }
    if !found.unpriced.is_empty() {
        let _ = writeln!(
            text,
            "\nLeft out, as nobody states a price: {}.",
            found.unpriced.join(", ")
        );
    }
    if !found.proven {
        text += "Not all of that is proven: something longer may have been missed.\n";
    }
    print(&text)
}
