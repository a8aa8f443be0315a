//! Whether a fuse can break what a short circuit gives it: its rated direct voltage and its
//! breaking capacity.
//!
//! The voltage is the highest at which the store is charged; the current is the open voltage over
//! the resistance of the cells and of the leads above the fuse, without what the battery's
//! electronics might do. What is usual for a type of fuse stands in for what nobody stated (makers'
//! sheets; ISO 8820-3 and -5 for blades and bolts, UL 248-15 for class T). Of a fuse that nobody
//! described, 32 V and 1 kA are taken for granted, and no more.

use super::code::{Code, Unstated};
use super::fact::{Fact, Words, said, standing};
use super::verdict::Status;
use super::words::SHORT_CIRCUIT;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::{Moment, charging_volts};
use crate::site::chemistry;
use crate::site::plan::arrangement::FuseType;
use crate::site::plan::device::Current;
use crate::site::plan::{Arrangement, Battery, Feed, Fuse, Plan, PortVoltage, Source};
use crate::site::sum::Term;
use crate::site::wire::resistance;

/// Resistance of a lithium cell of 100 Ah, Ω: what its maker measures at 1 kHz, without leads or
/// electronics.
const LITHIUM_CELL_OHM: f64 = 0.0005;
/// The same of a lead cell of 100 Ah, Ω, where nobody stated the battery's.
const LEAD_CELL_OHM: f64 = 0.0008;
/// What any fuse for direct current can be taken to break: volts and amperes.
const ANY: (f64, f64) = (32.0, 1000.0);

impl FuseType {
    /// The direct voltage that fuses of this type break, V: what all of them do, and what some do.
    pub fn usual_v(self) -> (f64, f64) {
        match self {
            Self::Blade => (32.0, 32.0),
            Self::BoltDown => (32.0, 58.0),
            Self::Stud => (58.0, 58.0),
            Self::ClassT => (125.0, 125.0),
        }
    }

    /// The current that they break, A: what all of them do, and what some do.
    pub fn usual_a(self) -> (f64, f64) {
        match self {
            Self::Blade => (1000.0, 1000.0),
            Self::BoltDown => (1000.0, 2000.0),
            Self::Stud => (2000.0, 10_000.0),
            Self::ClassT => (20_000.0, 20_000.0),
        }
    }

    /// What it is called.
    pub fn called(self) -> &'static str {
        match self {
            Self::Blade => "a blade fuse",
            Self::BoltDown => "a bolt-down fuse",
            Self::Stud => "a fuse on the stud",
            Self::ClassT => "a fuse of class T",
        }
    }
}

/// What a fuse meets in a short circuit.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Fault {
    /// The highest direct voltage, V.
    pub(super) volts: f64,
    /// The current of a short circuit right behind it, A; none where electronics hold it down.
    pub(super) amps: Option<f64>,
}

/// What a fuse at the near end of a feed meets; none for alternating current.
pub(super) fn at_near(plan: &Plan, arrangement: &Arrangement, feed: &Feed) -> Option<Fault> {
    let (root, port) = standing(plan, arrangement, feed)?;
    if port.current != Current::Dc {
        return None;
    }
    let picked = feed.voltage_v.as_ref().map(Figure::get);
    if let Some(volts) = port.voltage.standing(picked) {
        return Some(Fault { volts, amps: None });
    }
    let source = plan.source(root)?;
    // The feeds above, down to the battery: what hangs on a junction has their leads before it.
    let above = arrangement.chain(feed.from.item.as_str()).into_iter();
    let follows = |it: &usize| {
        plan.port(&arrangement.feeds[*it].from)
            .is_some_and(|it| matches!(it.voltage, PortVoltage::Follows { .. }))
    };
    let leads = above
        .take_while(follows)
        .map(|it| resistance(arrangement.feeds[it].cable.as_ref(), plan.site.ambient()).0);
    Some(of_store(plan, source, leads.sum()))
}

/// What a fuse meets with so many ohms of leads between it and the cells of a store.
pub(super) fn of_store(plan: &Plan, source: &Source, leads_ohm: f64) -> Fault {
    let battery = source.battery.as_ref();
    let open = battery.and_then(|it| {
        Some(chemistry::find(&it.chemistry)?.cell_v(1.0) * it.cells.as_ref()?.get())
    });
    let filled = charging_volts(plan, source).map(|it| it.volts.max(it.equalise_v.unwrap_or(0.0)));
    let volts = filled.into_iter().chain(open).fold(0.0, f64::max);
    let amps = open
        .zip(battery.and_then(cells_ohm))
        .map(|(open, ohms)| open / (ohms + leads_ohm));
    Fault { volts, amps }
}

/// Resistance of the bare cells of a battery, Ω.
fn cells_ohm(battery: &Battery) -> Option<f64> {
    let chemistry = chemistry::find(&battery.chemistry)?;
    let (cells, capacity) = (
        battery.cells.as_ref()?.get(),
        battery.capacity_ah.as_ref()?.get(),
    );
    let usual = |cell: f64| cell * cells * 100.0 / capacity;
    let stated = battery
        .internal_ohm
        .as_ref()
        .map(Figure::get)
        .filter(|it| *it > 0.0);
    Some(if chemistry.is_lead() {
        stated.unwrap_or_else(|| usual(LEAD_CELL_OHM))
    } else {
        usual(LITHIUM_CELL_OHM)
    })
}

/// How a fuse bears a fault: the verdict, and whether it is merely that nobody stated what it can
/// break.
fn bears(fuse: &Fuse, fault: Fault) -> (Status, bool) {
    let one = |value: f64, stated: Option<f64>, usual: Option<(f64, f64)>, any: f64| {
        let (sure, some) = match (stated, usual) {
            (Some(stated), _) => (stated, stated),
            (None, Some(usual)) => usual,
            (None, None) => (any, f64::INFINITY),
        };
        match () {
            () if value <= sure * (1.0 + 1e-9) => Status::Holds,
            () if value <= some * (1.0 + 1e-9) => Status::Unproven,
            () => Status::Trips,
        }
    };
    let volts = one(
        fault.volts,
        fuse.rated_v_dc.as_ref().map(Figure::get),
        fuse.built.map(FuseType::usual_v),
        ANY.0,
    );
    let amps = fault.amps.map_or(Status::Holds, |it| {
        one(
            it,
            fuse.breaks_a.as_ref().map(Figure::get),
            fuse.built.map(FuseType::usual_a),
            ANY.1,
        )
    });
    let worst = volts.max(amps);
    (worst, worst == Status::Unproven)
}

/// A fuse of a rating, A, of the first type in the order of what they cost that breaks a fault; of
/// no stated type where any would do, or none does.
pub(super) fn fitting(rating_a: f64, fault: Option<Fault>) -> Fuse {
    let plain = Fuse::of(rating_a);
    let Some(fault) = fault.filter(|it| bears(&plain, *it).0 > Status::Holds) else {
        return plain;
    };
    let of = |built: &FuseType| Fuse {
        built: Some(*built),
        ..plain.clone()
    };
    FuseType::ALL
        .iter()
        .map(of)
        .find(|it| bears(it, fault).0 == Status::Holds)
        .unwrap_or(plain)
}

/// A fuse of a rating in A for a feed, of a type that breaks what it meets there.
pub(crate) fn fitted_fuse(
    plan: &Plan,
    arrangement: &Arrangement,
    index: usize,
    rating_a: f64,
) -> Fuse {
    fitting(
        rating_a,
        at_near(plan, arrangement, &arrangement.feeds[index]),
    )
}

/// What the fuses of a feed make of the faults that they meet.
pub(super) fn ratings<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    feed: &'a Feed,
    name: Name<'a>,
) -> Vec<Fact<'a>> {
    let near = feed.fuse.as_ref().zip(at_near(plan, arrangement, feed));
    let store = feed
        .to
        .input
        .as_ref()
        .and_then(|_| plan.source(feed.to.item.as_str()));
    let far = feed
        .fuse_far
        .as_ref()
        .zip(store.map(|it| of_store(plan, it, 0.0)));
    let near = near.map(|it| (it, ""));
    let far = far.map(|it| (it, " at the battery's end"));
    near.into_iter()
        .chain(far)
        .map(|((fuse, fault), end)| rating(feed.to.name(), fuse, fault, end, name))
        .collect()
}

/// What one fuse makes of a fault.
fn rating<'a>(
    place: String,
    fuse: &'a Fuse,
    fault: Fault,
    end: &'a str,
    name: Name<'a>,
) -> Fact<'a> {
    let (status, unstated) = bears(fuse, fault);
    let message = Words::of(move || {
        let called = fuse
            .built
            .map_or_else(String::new, |it| format!(", {}", it.called()));
        let meets = match fault.amps {
            Some(amps) => format!(
                "a short circuit can give it {} at {}",
                amount(amps, "A"),
                amount(fault.volts, "V")
            ),
            None => format!("it has {} before it", amount(fault.volts, "V")),
        };
        let better = fitting(fuse.rating_a.get(), Some(fault));
        let better = better.built.map_or_else(
            || " Ask its maker for one that does.".to_owned(),
            |it| format!(" {} does.", it.called().replacen('a', "A", 1)),
        );
        match status {
            Status::Trips => format!(
                "Cannot break it: {meets}, which the fuse of {name}{end}{called} is not made for; it \
                may burst, or the arc may go on.{better}"
            ),
            Status::Unproven => {
                format!(
                    "Not known to break it: {meets}; read on the fuse of {name}{end}{called} what it \
                    breaks.{better}"
                )
            }
            _ => format!("Holds: {meets}, and the fuse of {name}{end}{called} breaks that."),
        }
    });
    let (value, limit, unit) = match fault.amps {
        Some(amps) => {
            let usual = fuse.built.map_or(ANY.1, |it| it.usual_a().0);
            (amps, fuse.breaks_a.as_ref().map_or(usual, Figure::get), "A")
        }
        None => {
            let usual = fuse.built.map_or(ANY.0, |it| it.usual_v().0);
            (
                fault.volts,
                fuse.rated_v_dc.as_ref().map_or(usual, Figure::get),
                "V",
            )
        }
    };
    Fact {
        code: Code::FuseRating,
        place,
        status,
        value,
        limit,
        unit,
        message,
        brief: said!(
            "fuse of {name} {} break it",
            if status == Status::Trips {
                "cannot"
            } else {
                "may not"
            }
        ),
        rule: "open volts over the resistance of cells and leads against what the fuse breaks, and \
            the highest volts of charging against its rated direct voltage",
        formula: "t1",
        terms: vec![Term::computed(
            if unit == "A" {
                "current of a short circuit"
            } else {
                "volts before it"
            },
            value,
            unit,
        )],
        caution: (status != Status::Holds).then_some(SHORT_CIRCUIT),
        moment: Moment::Running,
        unstated: unstated.then_some(Unstated::FuseType),
    }
}

/// What strings side by side need: a fault in one is fed by all the others.
pub(super) fn strings<'a>(plan: &'a Plan, source: &'a Source) -> Vec<Fact<'a>> {
    let name = Name(&source.label);
    let mut list = Vec::new();
    let count = |it: Option<&Figure<crate::ground::quantity::Count>>| it.map_or(1.0, Figure::get);
    if let Some(battery) = source
        .battery
        .as_ref()
        .filter(|it| count(it.strings.as_ref()) >= 2.0)
    {
        let strings = count(battery.strings.as_ref());
        match &battery.string_fuse {
            None => list.push(bare(source, strings, "strings of cells")),
            Some(fuse) => {
                let whole = of_store(plan, source, 0.0);
                let fault = Fault {
                    amps: whole.amps.map(|it| it * (strings - 1.0) / strings),
                    ..whole
                };
                list.push(rating(
                    source.id.to_string(),
                    fuse,
                    fault,
                    "’s strings",
                    name,
                ));
            }
        }
    }
    // Two strings of panels cannot drive more through one than it bears; three can (IEC 62548-1).
    if let Some(panel) = source
        .panel
        .as_ref()
        .filter(|it| count(it.strings.as_ref()) >= 3.0)
    {
        match &panel.string_fuse {
            None => list.push(bare(
                source,
                count(panel.strings.as_ref()),
                "strings of panels",
            )),
            Some(fuse) => {
                let fault = Fault {
                    volts: panel.string_open_v(),
                    amps: None,
                };
                list.push(rating(
                    source.id.to_string(),
                    fuse,
                    fault,
                    "’s strings",
                    name,
                ));
            }
        }
    }
    list
}

fn bare<'a>(source: &'a Source, strings: f64, what: &'a str) -> Fact<'a> {
    let name = Name(&source.label);
    Fact {
        code: Code::FuseMissing,
        place: source.id.to_string(),
        status: Status::Trips,
        value: 0.0,
        limit: 0.0,
        unit: "A",
        message: said!(
            "No fuse: {name} has {} {what} side by side, and a fault in one is fed by all the \
            others; each has a fuse of its own.",
            amount(strings, "")
        ),
        brief: said!("no fuse in the strings of {name}"),
        rule: "strings of cells side by side, and three or more strings of panels, have a fuse \
            each",
        formula: "t1",
        terms: Vec::new(),
        caution: Some(SHORT_CIRCUIT),
        moment: Moment::Running,
        unstated: None,
    }
}
