//! Charging inputs: what they take, and how long that is.

use super::facts::InputFacts;
use crate::ground::figure::Figure;
use crate::ground::say::{amount, percent};
use crate::site::chemistry::{self, Chemistry};
use crate::site::plan::source::{InputKind, SourceInput};
use crate::site::plan::{Plan, Source};

/// Charge above which a lithium battery takes less and less; a tenth when full.
const LITHIUM_TAPER: f64 = 0.95;
/// The same for lead.
const LEAD_TAPER: f64 = 0.80;

/// How long an input takes: at full acceptance to the chemistry's bend, then falling evenly to a
/// tenth when full. With P falling from P₀ to P₀/10 over the last share s, that share takes s·E/P₀
/// · ln 10/0.9.
pub(super) fn input(
    plan: &Plan,
    source: &Source,
    input: &SourceInput,
    nominal_wh: Option<f64>,
) -> InputFacts {
    let chemistry: Option<&Chemistry> = source
        .battery
        .as_ref()
        .and_then(|it| chemistry::find(&it.chemistry));
    let stored_share = input.efficiency.as_ref().map_or(1.0, Figure::get)
        * chemistry.map_or(1.0, |it| it.charge_efficiency);
    let by_band = input
        .bands
        .iter()
        .map(|it| it.from_v.get() * it.max_a.get())
        .reduce(f64::max);
    let most = [input.max_w.as_ref().map(Figure::get), by_band];
    let most_w = input
        .max_w
        .as_ref()
        .map(Figure::get)
        .or_else(|| most.into_iter().flatten().reduce(f64::min));
    let bend = match source.battery.as_ref().map(|it| it.chemistry.as_str()) {
        Some("agm" | "flooded") => LEAD_TAPER,
        _ => LITHIUM_TAPER,
    };
    let hour_share = most_w
        .zip(nominal_wh)
        .map(|(watts, wh)| watts * stored_share / wh)
        .filter(|it| *it > 0.0);
    InputFacts {
        input: input.id.to_string(),
        takes: takes(plan, input, chemistry).into(),
        unknown: unknown(input, most_w).into_iter().map(Into::into).collect(),
        most_w,
        stored_share,
        to_80_h: hour_share.map(|it| 0.6 / it),
        to_full_h: hour_share.map(|it| bend / it + (1.0 - bend) / it * 10.0_f64.ln() / 0.9),
    }
}

/// "11 to 30 V, 8 A from 11 V, 10 A from 20 V; 88 % of it arrives; not below 0 °C"
fn takes(plan: &Plan, input: &SourceInput, chemistry: Option<&Chemistry>) -> String {
    let raw = |it: Option<&Figure<crate::ground::quantity::Volts>>| it.map(Figure::get);
    let volts = match (raw(input.min_v.as_ref()), raw(input.max_v.as_ref())) {
        (Some(low), Some(high)) => vec![format!("{} to {}", amount(low, ""), amount(high, "V"))],
        (None, Some(high)) => vec![format!("up to {}", amount(high, "V"))],
        (Some(low), None) => vec![format!("from {}", amount(low, "V"))],
        (None, None) if input.kind == InputKind::Mains => vec!["the mains".to_owned()],
        (None, None) => Vec::new(),
    };
    let bands = input.bands.iter().map(|it| {
        format!(
            "{} from {}",
            amount(it.max_a.get(), "A"),
            amount(it.from_v.get(), "V")
        )
    });
    let amps = input
        .max_a
        .as_ref()
        .map(|it| format!("up to {}", amount(it.get(), "A")));
    let taken: Vec<String> = volts.into_iter().chain(amps).chain(bands).collect();
    let mut words = vec![taken.join(", ")];
    words.extend(
        input
            .efficiency
            .as_ref()
            .map(|it| format!("{} of it arrives", percent(it.get()))),
    );
    words.extend(
        chemistry
            .filter(|it| plan.site.ambient().0 < it.charge_min_c + 5.0)
            .map(|it| {
                format!(
                    "not below {}: cold charging ruins it",
                    amount(it.charge_min_c, "°C")
                )
            }),
    );
    words.retain(|it| !it.is_empty());
    words.join("; ")
}

fn unknown(input: &SourceInput, most_w: Option<f64>) -> Vec<String> {
    let mut unknown = Vec::new();
    if most_w.is_none() {
        unknown.push("the most that it takes".to_owned());
    }
    if input.kind == InputKind::Dc && input.max_v.is_none() {
        unknown.push("the volts that it bears".to_owned());
    }
    if input.efficiency.is_none() {
        unknown.push("what of it arrives".to_owned());
    }
    unknown
}
