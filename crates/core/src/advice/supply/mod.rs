//! What there is to run things from: what a store really gives, what an outlet costs just to be on,
//! how long a charge takes, and what a converter loses at what it really carries.
//!
//! # Layout
//! - `facts`: what is told
//! - `store`: from a label to what is usable; `outlets`: ports and their limits; `inputs`: charging
//! - `shelf`: converters

mod facts;
mod inputs;
mod outlets;
mod shelf;
mod store;

use crate::advice::needs::needs;
use crate::ground::say::Amount;
use crate::site::plan::{ConverterKind, Plan, Source};
pub use facts::{
    AtLoad, ConverterFacts, CurvePoint, InputFacts, MeasuredPoint, OutputLimit, PortFacts,
    PortLimit, SourceFacts, StoreStep, Stored, Supply,
};
use outlets::Marks;

/// What a plan's sources and converters are good for, at the site's temperature.
pub fn supply(plan: &Plan) -> Supply {
    let marks = Marks::of(plan);
    let sources: Vec<SourceFacts> = plan
        .kit
        .sources
        .iter()
        .map(|it| source(plan, it, &marks))
        .collect();
    let boxes = plan
        .kit
        .converters
        .iter()
        .filter(|it| it.kind != ConverterKind::Junction);
    let converters = boxes.map(|it| shelf::converter(it, &marks)).collect();
    Supply {
        headline: headline(plan, &sources).into(),
        enough: enough(plan, &sources).map(Into::into),
        sources,
        converters,
    }
}

/// A first answer before anything is connected: what is stored over what the devices themselves
/// take. Converters and leads only take from it, so it is an upper bound, and is told as one.
fn enough(plan: &Plan, sources: &[SourceFacts]) -> Option<String> {
    let usable_wh: f64 = sources
        .iter()
        .filter_map(|it| it.stored.as_ref())
        .map(|it| it.usable_wh)
        .sum();
    let day_wh = needs(plan).day_wh;
    if usable_wh <= 0.0 || day_wh <= 0.0 {
        return None;
    }
    let hours = usable_wh / day_wh * 24.0;
    // An upper bound deserves no more than two digits.
    let time = if hours >= 72.0 {
        format!("{:.1} days", hours / 24.0)
    } else {
        format!("{hours:.0} h")
    };
    let stores = if sources.iter().filter(|it| it.stored.is_some()).count() == 1 {
        "the store lasts"
    } else {
        "all stores together last"
    };
    Some(format!(
        "What must stay on takes {} a day at the devices: {stores} {time} at most, before anything \
        is lost on the way.",
        Amount(day_wh, "Wh")
    ))
}

/// "Five stores give 2.6 kWh of the 3.4 kWh on their labels; the dearest outlet takes 230 Wh a day
/// just to be on."
fn headline(plan: &Plan, sources: &[SourceFacts]) -> String {
    let stored: Vec<&Stored> = sources.iter().filter_map(|it| it.stored.as_ref()).collect();
    if stored.is_empty() {
        return "Nothing is entered that stores energy. Add a battery or a power station.".into();
    }
    let energy = |wh: f64| {
        if wh >= 1000.0 {
            Amount(wh / 1000.0, "kWh")
        } else {
            Amount(wh, "Wh")
        }
    };
    let (usable, label): (f64, f64) = stored.iter().fold((0.0, 0.0), |sum, it| {
        (sum.0 + it.usable_wh, sum.1 + it.nominal_wh)
    });
    let stores = if stored.len() == 1 {
        "One store gives".to_owned()
    } else {
        format!("{} stores give", stored.len())
    };
    let ports = sources
        .iter()
        .flat_map(|it| it.ports.iter().map(move |port| (it, port)));
    let dearest = ports
        .filter_map(|(it, port)| Some((it, port, port.idle_day_wh?)))
        .max_by(|a, b| a.2.total_cmp(&b.2));
    let cost = dearest
        .filter(|it| it.2 > 0.0)
        .map_or_else(String::new, |(it, port, wh)| {
            format!(
                "; {}, {} takes {} a day just to be on",
                plan.label(&it.source),
                port.label,
                energy(wh)
            )
        });
    let labels = if stored.len() == 1 {
        "its label"
    } else {
        "their labels"
    };
    format!(
        "{stores} {} of the {} on {labels}{cost}.",
        energy(usable),
        energy(label)
    )
}

fn source(plan: &Plan, source: &Source, marks: &Marks) -> SourceFacts {
    let stored = source
        .battery
        .as_ref()
        .and_then(|it| store::stored(plan, source, it));
    let usable_wh = stored
        .as_ref()
        .map(|it| it.usable_wh)
        .filter(|it| *it > 0.0);
    let nominal_wh = stored.as_ref().map(|it| it.nominal_wh);
    SourceFacts {
        source: source.id.to_string(),
        ports: source
            .ports
            .iter()
            .map(|it| outlets::port(source, it, usable_wh, marks))
            .collect(),
        inputs: source
            .inputs
            .iter()
            .map(|it| inputs::input(plan, source, it, nominal_wh))
            .collect(),
        stored,
    }
}
