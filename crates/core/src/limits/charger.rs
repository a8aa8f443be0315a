//! What a charger or a panel controller charges at, against what the cells of its battery stand.

use super::code::Code;
use super::fact::{Fact, Words, said};
use super::verdict::Status;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::Moment;
use crate::site::chemistry::{self, Bears};
use crate::site::plan::{ConverterKind, Feed, Plan};
use crate::site::sum::Term;

/// By this share a voltage may lie beyond what cells stand: meters and labels are no better.
const LEEWAY: f64 = 0.005;
const CAUTION: &str = "A battery that is charged at too high a voltage gasses, swells or burns: \
    never leave it alone with a charger that is not made for it.";

/// A charger that is wired into a store: its volts against what is usual for the cells, at 25 °C.
pub(super) fn volts<'a>(plan: &'a Plan, feed: &'a Feed) -> Option<Fact<'a>> {
    feed.to.input.as_ref()?;
    let charger = plan
        .converter(feed.from.item.as_str())
        .filter(|it| it.kind == ConverterKind::Charger)?;
    let source = plan.source(feed.to.item.as_str())?;
    let battery = source.battery.as_ref()?;
    let (bears, cells) = (
        chemistry::bears(&battery.chemistry)?,
        battery.cells.as_ref()?.get(),
    );
    let charges = charger.charges_at()?;
    let (name, store) = (Name(&charger.label), Name(&source.label));
    let figure = |it: Option<&Figure<crate::ground::quantity::Volts>>| it.map(Figure::get);
    let (low, high) = (bears.charge.0 * cells, bears.charge.1 * cells);
    let said = |status, value: f64, limit: f64, message: Words<'a>, brief: Words<'a>| {
        Some(Fact {
            code: Code::ChargeInput,
            place: feed.to.name(),
            status,
            value,
            limit,
            unit: "V",
            message,
            brief,
            rule: "volts of the charger against what the cells stand, at 25 °C; the battery's \
                maker has the last word",
            formula: "t1",
            terms: vec![Term::computed("volts of the charger", value, "V")],
            caution: (status == Status::Trips).then_some(CAUTION),
            moment: Moment::Charging,
            unstated: None,
        })
    };
    if charges > high * (1.0 + LEEWAY) {
        let message = said!(
            "May destroy {store}: {name} charges at {}, and its cells stand {} at most. Take a \
            charger that is made for it.",
            amount(charges, "V"),
            amount(high, "V")
        );
        return said(
            Status::Trips,
            charges,
            high,
            message,
            said!("{name} charges {store} too high"),
        );
    }
    if let Some((volts, most)) = equalising(figure(charger.equalise_v.as_ref()), bears, cells) {
        let message = said!(
            "May destroy {store}: {name} equalises at {}, and its cells stand {} at most. Switch \
            that step off.",
            amount(volts, "V"),
            amount(most, "V")
        );
        return said(
            Status::Trips,
            volts,
            most,
            message,
            said!("{name} equalises {store} too high"),
        );
    }
    let float = figure(charger.float_v.as_ref());
    if let Some(volts) = float.filter(|it| *it > bears.float.1 * cells * (1.0 + LEEWAY)) {
        let most = bears.float.1 * cells;
        let message = said!(
            "Tight: {name} keeps {store} at {} when it is full, and {} are usual at most: it wears \
            while it waits.",
            amount(volts, "V"),
            amount(most, "V")
        );
        return said(
            Status::Tight,
            volts,
            most,
            message,
            said!("{name} keeps {store} too high"),
        );
    }
    if charges < low * (1.0 - LEEWAY) {
        let message = said!(
            "Unproven: {name} charges at {}, and {} to {} are usual for {store}: it may never get \
            full.",
            amount(charges, "V"),
            amount(low, "V"),
            amount(high, "V")
        );
        return said(
            Status::Unproven,
            charges,
            low,
            message,
            said!("{name} may never fill {store}"),
        );
    }
    let message = said!(
        "Holds: {name} charges at {}, and the cells of {store} stand {}.",
        amount(charges, "V"),
        amount(high, "V")
    );
    said(
        Status::Holds,
        charges,
        high,
        message,
        said!("{name} fits {store}"),
    )
}

/// An equalising step that is too high: its volts, and the most that the cells stand.
fn equalising(volts: Option<f64>, bears: Bears, cells: f64) -> Option<(f64, f64)> {
    let most = bears.equalise.unwrap_or(bears.charge.1) * cells;
    volts
        .filter(|it| *it > most * (1.0 + LEEWAY))
        .map(|it| (it, most))
}
