//! How a store gets full again, and what fills what.

use super::common::{Stop, print};
use super::common::{amount, clocked, percent};
use ash_pond_core::advice::charge::{FillCell, ReachedLevel, RechargeAsk, fills, recharge};
use ash_pond_core::site::plan::{Arrangement, Plan};
use ash_pond_core::time::outage::Sky;
use std::fmt::Write;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct RechargeArgs {
    /// A plan file
    plan: PathBuf,
    /// The arrangement whose wiring fills it, by its id
    #[arg(long, value_name = "ID")]
    arrangement: String,
    /// The source that is filled, by its id [default: the only one that the arrangement fills]
    #[arg(long, value_name = "ID")]
    source: Option<String>,
    /// The outage whose date and temperature it is done at [default: the site's temperature, at the
    /// equinox]
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
    /// Charge at the beginning, 0 to 1
    #[arg(long, value_name = "SOC", default_value_t = 0.1)]
    from: f64,
    /// Charges whose hours are wanted, 0 to 1
    #[arg(long, value_name = "SOCS", value_delimiter = ',', default_values_t = [0.5, 0.8, 1.0])]
    to: Vec<f64>,
    /// How an input, or a vehicle, is set: station/wall=quiet, van=full
    #[arg(long, value_name = "PLACE=MODE")]
    mode: Vec<String>,
    /// Without the mains
    #[arg(long)]
    no_mains: bool,
    /// Under a clear sky; an overcast one is taken otherwise
    #[arg(long)]
    clear: bool,
    /// Tilt of panels from level, degrees
    #[arg(long, value_name = "DEG", default_value_t = 50.0)]
    tilt: f64,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

/// The store that is meant where nobody says which: the only one that is filled, or the only one
/// that there is.
fn only(plan: &Plan, way: &Arrangement) -> Result<String, Stop> {
    let mut filled: Vec<&str> = way
        .feeds
        .iter()
        .filter(|it| it.to.input.is_some())
        .map(|it| it.to.item.as_str())
        .collect();
    filled.sort_unstable();
    filled.dedup();
    let stores: Vec<&str> = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.battery.is_some())
        .map(|it| it.id.as_str())
        .collect();
    match (filled.as_slice(), stores.as_slice()) {
        ([one], _) | ([], [one]) => Ok((*one).to_owned()),
        _ => Err(Stop::Input(format!(
            "--source: say which one is filled: {}",
            stores.join(", ")
        ))),
    }
}

pub(super) fn refill(args: &RechargeArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let way = super::common::arrangement(&plan, &args.arrangement, "--arrangement")?;
    let outage = args
        .outage
        .as_deref()
        .map(|it| super::simulate::outage(&plan, it))
        .transpose()?;
    let source = args.source.clone().map_or_else(|| only(&plan, way), Ok)?;
    let mut ask = RechargeAsk::of(&source);
    for text in &args.mode {
        let Some((place, mode)) = text.split_once('=') else {
            return Err(Stop::Input(format!(
                "--mode: is \"{text}\"; write it as station/wall=quiet or van=full"
            )));
        };
        ask.modes.insert(place.to_owned(), mode.to_owned());
    }
    ask.from_soc = args.from;
    ask.levels.clone_from(&args.to);
    ask.mains = !args.no_mains;
    ask.sky = if args.clear { Sky::Clear } else { Sky::Usual };
    ask.tilt_deg = args.tilt;
    let told = recharge(&plan, way, outage, &ask).map_err(|it| Stop::option(&it))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&told)? + "\n"));
    }
    let mut text = format!("{}\n", told.sentence);
    levels(&mut text, &told.levels);
    for it in &told.ways {
        let _ = writeln!(
            text,
            "{:<24}  {:>9}  {}: {}",
            it.input,
            amount(it.watts, "W"),
            it.label,
            it.limited_by
        );
        for later in it.limits.iter().skip(1) {
            let at = percent(later.soc);
            let _ = writeln!(
                text,
                "{:<24}  {:>9}  from {at} on: {}",
                "",
                amount(later.watts, "W"),
                later.limited_by
            );
        }
    }
    for it in &told.engines {
        let _ = writeln!(text, "{}", it.sentence);
    }
    for it in &told.spans {
        let _ = writeln!(text, "  {}", it.sentence);
    }
    for it in told.trips.iter().chain(&told.opened) {
        let _ = writeln!(text, "{it}");
    }
    for it in &told.not_wired {
        let _ = writeln!(text, "{}", it.sentence);
        levels(&mut text, &it.levels);
    }
    print(&text)
}

fn levels(text: &mut String, levels: &[ReachedLevel]) {
    for level in levels {
        let when = level.after_h.map_or_else(|| "never".to_owned(), clocked);
        let at = level
            .at
            .as_ref()
            .map_or_else(String::new, |it| format!("  {it}"));
        let cost = level
            .cost
            .map_or_else(String::new, |it| format!("  {it:.2}"));
        let fuel = level
            .fuel_l
            .map_or_else(String::new, |it| format!("  {}", amount(it, "l")));
        let taken = amount(level.taken_wh, "Wh");
        let _ = writeln!(
            text,
            "  {:>6}  {when:>12}  {taken:>9}{cost}{fuel}{at}",
            percent(level.soc)
        );
    }
}

#[derive(Debug, clap::Args)]
pub(super) struct FillsArgs {
    /// A plan file
    plan: PathBuf,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn matrix(args: &FillsArgs) -> Result<(), Stop> {
    let plan = super::common::plan(&args.plan)?;
    let found = fills(&plan).map_err(|it| Stop::Input(it.to_string()))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    if found.inputs.is_empty() {
        return print("No source has a charging input; give one its inputs.\n");
    }
    let mut text = String::new();
    for (at, input) in found.inputs.iter().enumerate() {
        let _ = writeln!(text, "Into {input}:");
        let mut rows: Vec<(&str, &FillCell)> = found
            .froms
            .iter()
            .zip(&found.cells)
            .filter_map(|(from, row)| Some((&*from.label, row[at].as_ref()?)))
            .collect();
        rows.sort_by(|a, b| b.1.watts.total_cmp(&a.1.watts));
        for (label, it) in rows {
            let hours = it
                .after_h
                .full
                .map_or_else(String::new, |it| format!("  full in {}", clocked(it)));
            let _ = writeln!(
                text,
                "  {:>9}  {label}: {}{hours}",
                amount(it.watts, "W"),
                it.limited_by
            );
        }
    }
    print(&text)
}
