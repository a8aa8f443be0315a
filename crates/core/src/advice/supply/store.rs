//! From the label of a store to what is usable of it.

use super::facts::{StoreStep, Stored};
use crate::ground::figure::Figure;
use crate::ground::say::{amount, percent};
use crate::network::Charge;
use crate::site::chemistry::{self, Chemistry};
use crate::site::plan::{Battery, Plan, Source};
use crate::time::day::{Lasting, lasting};

/// From the label to what is usable: the discharge curve instead of the nominal voltage, the cold,
/// what is spared, the rate of the heaviest use, and what gives up before the floor in it.
pub(super) fn stored(plan: &Plan, source: &Source, battery: &Battery) -> Option<Stored> {
    let chemistry = chemistry::find(&battery.chemistry)?;
    let celsius = plan.site.ambient().0;
    let (floor, cold) = (battery.floor(), chemistry.capacity_share(celsius));
    let mut steps = Vec::new();
    let mut step = |name: &str, wh: f64, words: String| {
        steps.push(StoreStep {
            name: name.into(),
            wh,
            words: words.into(),
        });
    };
    let cold_words = format!(
        "{} of its capacity at {}",
        percent(cold),
        amount(celsius, "°C")
    );
    let kept_words = format!("{} is kept, to spare it", percent(floor));
    let (nominal_wh, basis, usable_wh) =
        match (&battery.cells, &battery.capacity_ah, &battery.energy_wh) {
            (Some(cells), Some(capacity), _) => {
                let volts = |soc: f64| chemistry.cell_v(soc) * cells.get();
                let nominal_v = chemistry.cell_nominal_v * cells.get();
                let nominal = capacity.get() * nominal_v;
                let (whole, above) = (mean(&volts, 0.0, 1.0), mean(&volts, floor, 1.0));
                let curve = capacity.get() * whole;
                let curve_words = format!(
                    "{} on average, and not {}",
                    amount(whole, "V"),
                    amount(nominal_v, "V")
                );
                step("discharge curve", curve - nominal, curve_words);
                step("temperature", curve * (cold - 1.0), cold_words);
                let usable = capacity.get() * cold * (1.0 - floor) * above;
                step("floor", usable - curve * cold, kept_words);
                (nominal, capacity.basis, usable)
            }
            (_, _, Some(energy)) => {
                let nominal = energy.get();
                step("temperature", nominal * (cold - 1.0), cold_words);
                step("floor", -nominal * cold * floor, kept_words);
                (nominal, energy.basis, nominal * cold * (1.0 - floor))
            }
            _ => return None,
        };
    let mut usable_wh = usable_wh;
    let volts = |soc: f64| {
        battery
            .cells
            .as_ref()
            .map(|it| chemistry.cell_v(soc) * it.get())
    };
    let used = heaviest(plan, source);
    let (rate, words) = used
        .as_ref()
        .map_or_else(not_used, |it| rate(battery, chemistry, &it.lasting, &volts));
    step("rate", usable_wh * (rate - 1.0), words);
    usable_wh *= rate;
    let (kept, words) = used
        .as_ref()
        .map_or_else(not_used, |it| gives_up(it, floor, &volts));
    step("gives up first", usable_wh * (kept - 1.0), words);
    usable_wh *= kept;
    let used_in = used.map(|it| it.arrangement);
    Some(Stored {
        nominal_wh,
        basis,
        steps,
        usable_wh,
        used_in,
        share: usable_wh / nominal_wh,
    })
}

/// The use of a store in the arrangement that draws most from it.
struct Use {
    arrangement: String,
    label: String,
    lasting: Lasting,
}

fn heaviest(plan: &Plan, source: &Source) -> Option<Use> {
    let using = plan
        .arrangements
        .iter()
        .filter(|it| it.feeds.iter().any(|feed| feed.from.item == source.id));
    let uses = using.filter_map(|it| {
        let lasting = lasting(plan, it, &Charge::full()).remove(source.id.as_str())?;
        Some(Use {
            arrangement: it.id.to_string(),
            label: it.label.clone(),
            lasting,
        })
    });
    uses.filter(|it| it.lasting.average_w > 0.0)
        .max_by(|a, b| a.lasting.average_w.total_cmp(&b.lasting.average_w))
}

fn not_used() -> (f64, String) {
    (1.0, "nothing hangs on it yet".into())
}

/// What the rate leaves: (I_rated/I)^(k−1) above the rated current (Peukert 1897), all of it below.
fn rate(
    battery: &Battery,
    chemistry: &Chemistry,
    lasting: &Lasting,
    volts: &dyn Fn(f64) -> Option<f64>,
) -> (f64, String) {
    let Some((capacity, volts)) = battery
        .capacity_ah
        .as_ref()
        .map(Figure::get)
        .zip(volts(0.5))
    else {
        return (
            1.0,
            "its label is by the watt-hour; a rate is not told".into(),
        );
    };
    let rated_a = capacity
        / battery
            .rated_hours
            .as_ref()
            .map_or(chemistry.rated_hours, Figure::get);
    let amps = lasting.average_w / volts;
    let (draws, rated) = (amount(amps, "A"), amount(rated_a, "A"));
    if amps <= rated_a {
        return (
            1.0,
            format!("{draws} on average, within the {rated} that it is rated at"),
        );
    }
    let left = (rated_a / amps).powf(chemistry.peukert - 1.0);
    (
        left,
        format!("{draws} on average, above the {rated} that it is rated at"),
    )
}

/// What is left where something quits above the floor.
fn gives_up(used: &Use, floor: f64, volts: &dyn Fn(f64) -> Option<f64>) -> (f64, String) {
    let Lasting {
        cut_off_soc: quits,
        cut_off_by: what,
        ..
    } = &used.lasting;
    let way = &used.label;
    if *quits <= floor {
        return (1.0, format!("nothing before the floor, in “{way}”"));
    }
    let energy =
        |from: f64, to: f64| (to - from) * mean(&|soc| volts(soc).unwrap_or(1.0), from, to);
    let left = energy(*quits, 1.0) / energy(floor, 1.0).max(f64::MIN_POSITIVE);
    (
        left.clamp(0.0, 1.0),
        format!("{what} at {} when busy, in “{way}”", percent(*quits)),
    )
}

/// The mean of a curve by Simpson's rule in steps so fine that its corners do not matter.
fn mean(of: &dyn Fn(f64) -> f64, from: f64, to: f64) -> f64 {
    const STEPS: u32 = 1000;
    if to - from < 1e-9 {
        return of(from);
    }
    let at = |step: u32| of(from + (to - from) * f64::from(step) / f64::from(STEPS));
    let sum: f64 = (0..=STEPS)
        .map(|it| {
            at(it)
                * if it == 0 || it == STEPS {
                    1.0
                } else if it % 2 == 1 {
                    4.0
                } else {
                    2.0
                }
        })
        .sum();
    sum / (3.0 * f64::from(STEPS))
}
