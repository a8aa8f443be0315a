//! Stores in the cold and in rooms: whether they freeze, what they give, whether they may be
//! charged, what gas they give off.

use super::code::{Code, Unstated};
use super::fact::{Fact, Words, said};
use super::verdict::Status;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount, percent};
use crate::network::{Moment, coldest};
use crate::site::battery::{LITHIUM_GIVES_FROM_C, freezes_below};
use crate::site::chemistry;
use crate::site::plan::{Arrangement, Battery, Plan, Source};
use crate::site::sum::Term;

/// Gas while it is charged, A for each Ah: vented and sealed lead (IEC 62485-2, boost charge).
const GAS_A_PER_AH: (f64, f64) = (0.020, 0.008);
/// m³/h of air for each cell and ampere of gas (IEC 62485-2: Q = 0.05·n·I).
const AIR_M3: f64 = 0.05;
/// How often an hour the air of a closed room changes by itself.
const CHANGES_PER_H: f64 = 0.4;
/// cm² of opening, below and above, for each m³/h (IEC 62485-2: A = 28·Q).
const OPENING_CM2: f64 = 28.0;

/// What is to be said of the stores that an arrangement uses.
pub(super) fn stores<'a>(plan: &'a Plan, arrangement: &'a Arrangement) -> Vec<Fact<'a>> {
    let used = |it: &&Source| {
        arrangement
            .feeds
            .iter()
            .any(|feed| feed.from.item == it.id || feed.to.item == it.id)
    };
    let mut list = Vec::new();
    for source in plan.kit.sources.iter().filter(used) {
        let Some(battery) = &source.battery else {
            continue;
        };
        list.extend(cold(plan, source, battery));
        list.extend(charged_from_elsewhere(plan, source, battery));
        list.extend(hydrogen(source, battery));
    }
    list
}

fn cold<'a>(plan: &'a Plan, source: &'a Source, battery: &'a Battery) -> Option<Fact<'a>> {
    let chemistry = chemistry::find(&battery.chemistry)?;
    let (celsius, outage) = coldest(plan);
    let name = Name(&source.label);
    let when = outage.map_or_else(String::new, |it| format!(" in “{}”", Name(it)));
    let at = amount(celsius, "°C");
    let fact = |status, value, limit, unit, message: Words<'a>, brief: Words<'a>| Fact {
        code: Code::ColdStore,
        place: source.id.to_string(),
        status,
        value,
        limit,
        unit,
        message,
        brief,
        rule: "the charge at which the acid of a lead battery freezes at the coldest temperature \
            against the charge down to which it is used; lithium gives nothing below −20 °C",
        formula: "t1",
        terms: vec![Term::computed("coldest temperature", celsius, "°C")]
            .into_iter()
            .filter(|_| unit == "°C")
            .collect(),
        caution: (status == Status::Trips).then_some(
            "A battery that froze may have cracked: never charge it before it is thawed and looked \
            at; acid burns.",
        ),
        moment: Moment::Running,
        unstated: None,
    };
    if !chemistry.is_lead() {
        if celsius >= LITHIUM_GIVES_FROM_C {
            return None;
        }
        let message = said!(
            "Too cold: {name} stands at {at}{when}; a lithium battery gives nothing below {} that \
            its maker stands for. Keep it warm.",
            amount(LITHIUM_GIVES_FROM_C, "°C")
        );
        let fact = fact(
            Status::Trips,
            celsius,
            LITHIUM_GIVES_FROM_C,
            "°C",
            message,
            said!("{name} too cold"),
        );
        return Some(Fact {
            caution: None,
            ..fact
        });
    }
    let (below, floor) = (freezes_below(chemistry, celsius), battery.floor());
    if below <= 0.0 {
        return None;
    }
    let everything = plan
        .outages
        .iter()
        .any(|it| it.use_everything == Some(true));
    let used_to = if everything { 0.0 } else { floor };
    let status = if used_to < below {
        Status::Trips
    } else {
        Status::Holds
    };
    let message = if status == Status::Trips {
        said!(
            "Freezes: at {at}{when} the acid of {name} freezes below {} charge, and it is used \
            down to {}. Stop earlier, or keep it warm.",
            percent(below),
            percent(used_to)
        )
    } else {
        said!(
            "Holds: at {at}{when} the acid of {name} freezes below {} charge, and it is used down \
            to {}.",
            percent(below),
            percent(used_to)
        )
    };
    Some(fact(
        status,
        used_to,
        below,
        "",
        message,
        said!("{name} freezes"),
    ))
}

/// Charging that an outage brings from elsewhere while the store is too cold for it.
fn charged_from_elsewhere<'a>(
    plan: &'a Plan,
    source: &'a Source,
    battery: &'a Battery,
) -> Option<Fact<'a>> {
    let chemistry = chemistry::find(&battery.chemistry)?;
    let least = chemistry.charge_min_c;
    let charged = plan
        .outages
        .iter()
        .filter(|it| it.charging.iter().any(|it| it.source == source.id));
    let cold = charged.map(|it| {
        (
            it.ambient_c
                .as_ref()
                .map_or(plan.site.ambient().0, Figure::get),
            it,
        )
    });
    let (celsius, outage) = cold
        .min_by(|a, b| a.0.total_cmp(&b.0))
        .filter(|it| it.0 < least)?;
    let name = Name(&source.label);
    Some(Fact {
        code: Code::ColdCharge,
        place: source.id.to_string(),
        status: Status::Trips,
        value: celsius,
        limit: least,
        unit: "°C",
        message: said!(
            "Too cold to charge in “{}”: {}, and {name} may be charged from {}. Nothing of it is \
            counted; keep it warm, or charge before.",
            Name(&outage.label),
            amount(celsius, "°C"),
            amount(least, "°C")
        ),
        brief: said!("{name} too cold to charge"),
        rule: "the temperature of an outage that charges a store against the least at which its \
            chemistry may be charged",
        formula: "t1",
        terms: Vec::new(),
        caution: Some(super::words::COLD_CHARGE),
        moment: Moment::Running,
        unstated: None,
    })
}

/// Gas of a lead battery in a room: Q = 0.05·n·I·C/1000 m³/h with I in mA for each Ah.
fn hydrogen<'a>(source: &'a Source, battery: &'a Battery) -> Option<Fact<'a>> {
    let chemistry = chemistry::find(&battery.chemistry).filter(|it| it.is_lead())?;
    let (cells, capacity) = (
        battery.cells.as_ref()?.get(),
        battery.capacity_ah.as_ref()?.get(),
    );
    let vented = chemistry.id == "flooded";
    let per_ah = if vented {
        GAS_A_PER_AH.0
    } else {
        GAS_A_PER_AH.1
    };
    let air = AIR_M3 * cells * per_ah * capacity;
    let name = Name(&source.label);
    let needs = format!(
        "{} an hour of fresh air while it is charged",
        amount(air, "m³")
    );
    let openings = format!(
        "openings of {} low and high, to the outside",
        amount(OPENING_CM2 * air, "cm²")
    );
    let room = source.room_m3.as_ref().map(Figure::get);
    let (status, unstated, message) = match (source.indoors, room) {
        (Some(false), _) => return None,
        (Some(true), Some(room)) if room * CHANGES_PER_H >= air => (
            Status::Holds,
            None,
            said!(
                "Holds: {name} needs {needs}, and a room of {} has that by itself.",
                amount(room, "m³")
            ),
        ),
        (Some(true), Some(room)) => (
            Status::Trips,
            None,
            said!(
                "Gas: {name} needs {needs}, and a closed room of {} has less; {openings}. No flame \
                and no switch above it.",
                amount(room, "m³")
            ),
        ),
        (Some(true), None) => (
            Status::Unproven,
            Some(Unstated::Room),
            said!(
                "Gas: {name} needs {needs}, and nobody stated how large its room is; {openings}, \
                are enough for any."
            ),
        ),
        (None, _) => (
            Status::Unproven,
            Some(Unstated::Room),
            said!(
                "Gas: {name} needs {needs}, and nobody stated whether it stands indoors; there it \
                takes {openings}."
            ),
        ),
    };
    Some(Fact {
        code: Code::Hydrogen,
        place: source.id.to_string(),
        status,
        value: air,
        limit: room.map_or(0.0, |it| it * CHANGES_PER_H),
        unit: "m³/h",
        message,
        brief: said!("gas of {name}"),
        rule: "0.05 × cells × gas current in A for each Ah × Ah, in m³/h (IEC 62485-2; 20 mA \
            vented, 8 mA sealed), against the air of the room, changed 0.4 times an hour",
        formula: "0.05 * t1 * t2 * t3",
        terms: vec![
            Term::computed("cells", cells, ""),
            Term::computed("gas current for each Ah", per_ah, "A"),
            Term::computed("capacity", capacity, "Ah"),
        ],
        caution: (status != Status::Holds).then_some(
            "Charging a lead battery gives off hydrogen, which explodes: air, no flame, \
                no spark near it.",
        ),
        moment: Moment::Running,
        unstated,
    })
}
