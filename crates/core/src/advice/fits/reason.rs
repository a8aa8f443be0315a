//! Why something does not fit, told from its labels, before anything is computed.

use crate::ground::figure::Figure;
use crate::ground::quantity::Volts;
use crate::ground::say::amount;
use crate::site::plan::device::Current;
use crate::site::plan::{Arrangement, From, Plan, PortVoltage, Waveform};

/// What an item takes.
struct Takes<'a> {
    current: Current,
    low: Option<f64>,
    high: Option<f64>,
    needs_sine: bool,
    name: &'a str,
}

fn takes<'a>(plan: &'a Plan, item: &'a str) -> Option<Takes<'a>> {
    let raw = |it: &Option<Figure<Volts>>| it.as_ref().map(Figure::get);
    let name = plan.label(item);
    if let Some(device) = plan.device(item) {
        let it = &device.input;
        let (low, high) = (raw(&it.min_v), raw(&it.max_v));
        return Some(Takes {
            current: it.current,
            low,
            high,
            needs_sine: it.needs_sine == Some(true),
            name,
        });
    }
    let it = &plan.converter(item)?.input;
    let (low, high) = (raw(&it.min_v), raw(&it.max_v));
    Some(Takes {
        current: it.current,
        low,
        high,
        needs_sine: it.needs_sine == Some(true),
        name,
    })
}

/// The voltage that an item is rated for, V: the middle of its window where it states nothing else.
pub(super) fn wanted_v(plan: &Plan, item: &str) -> Option<f64> {
    if let Some(device) = plan.device(item) {
        return Some(device.input.rated_v.get());
    }
    let input = &plan.converter(item)?.input;
    let (low, high) = (
        input.min_v.as_ref().map(Figure::get),
        input.max_v.as_ref().map(Figure::get),
    );
    low.zip(high)
        .map(|(low, high)| f64::midpoint(low, high))
        .or(low)
        .or(high)
}

/// "output 19 V; Gate camera takes 10.8 to 14 V"; none where the labels go together, or say too
/// little.
pub(crate) fn by_label(plan: &Plan, from: &From, to: &str) -> Option<String> {
    let port = plan.port(from)?;
    let takes = takes(plan, to)?;
    let word = |it: Current| if it == Current::Ac { "AC" } else { "DC" };
    let is_junction = plan
        .converter(to)
        .is_some_and(|it| it.kind == crate::site::plan::ConverterKind::Junction);
    // A junction passes on whatever it gets, and what follows a junction is what came into it.
    if port.current != takes.current
        && !is_junction
        && !matches!(port.voltage, PortVoltage::Follows { .. })
    {
        return Some(format!(
            "gives {}; {} takes {}",
            word(port.current),
            takes.name,
            word(takes.current)
        ));
    }
    if matches!(port.voltage, PortVoltage::Follows { .. })
        && plan.source(from.item.as_str()).is_some()
        && takes.current == Current::Ac
    {
        return Some(format!("gives DC; {} takes AC", takes.name));
    }
    if let PortVoltage::Alternating {
        waveform: Some(Waveform::Stepped),
        ..
    } = port.voltage
        && takes.needs_sine
    {
        return Some(format!("gives a stepped wave; {} needs a sine", takes.name));
    }
    let window = || match (takes.low, takes.high) {
        (Some(low), Some(high)) => format!("{} to {}", amount(low, ""), amount(high, "V")),
        (Some(low), None) => format!("at least {}", amount(low, "V")),
        (None, Some(high)) => format!("at most {}", amount(high, "V")),
        (None, None) => String::new(),
    };
    let out = |volts: f64| {
        takes.low.is_some_and(|low| volts < low) || takes.high.is_some_and(|high| volts > high)
    };
    match &port.voltage {
        PortVoltage::Follows { .. } => None,
        PortVoltage::Offers { offers_v } if !asks_at(plan, from, to) => {
            let least = offers_v
                .iter()
                .map(Figure::get)
                .fold(f64::INFINITY, f64::min);
            out(least).then(|| {
                let offered: Vec<String> = offers_v
                    .iter()
                    .map(|it| amount(it.get(), "").to_string())
                    .collect();
                format!(
                    "offers {} V to what asks for it, and {} over a plain lead; {} takes {}",
                    offered.join(", "),
                    amount(least, "V"),
                    takes.name,
                    window()
                )
            })
        }
        PortVoltage::Offers { offers_v } => offers_v.iter().all(|it| out(it.get())).then(|| {
            let offered: Vec<String> = offers_v
                .iter()
                .map(|it| amount(it.get(), "").to_string())
                .collect();
            format!(
                "offers {} V; {} takes {}",
                offered.join(", "),
                takes.name,
                window()
            )
        }),
        other => other.standing(None).filter(|it| out(*it)).map(|volts| {
            format!(
                "output {}; {} takes {}",
                amount(volts, "V"),
                takes.name,
                window()
            )
        }),
    }
}

/// Whether what is at the far end asks for one of several voltages.
fn asks_at(plan: &Plan, from: &From, to: &str) -> bool {
    let Ok(item) = crate::site::plan::Id::new(to) else {
        return false;
    };
    let to = crate::site::plan::arrangement::Target { item, input: None };
    crate::limits::asks(plan, &crate::site::plan::Feed::bare(from.clone(), to))
}

/// "gives DC; Weir camera takes AC", where a port that follows another one passes on what its item
/// cannot take; what comes out of a junction is what came into it.
pub(super) fn by_kind(plan: &Plan, way: &Arrangement, from: &From, to: &str) -> Option<String> {
    let takes = takes(plan, to)?;
    let is_junction = plan
        .converter(to)
        .is_some_and(|it| it.kind == crate::site::plan::ConverterKind::Junction);
    let gives = current(plan, way, from)?;
    let word = |it: Current| if it == Current::Ac { "AC" } else { "DC" };
    (gives != takes.current && !is_junction).then(|| {
        format!(
            "gives {}; {} takes {}",
            word(gives),
            takes.name,
            word(takes.current)
        )
    })
}

/// What really stands at a port: its own kind of current, or through junctions that of the port
/// before.
fn current(plan: &Plan, way: &Arrangement, from: &From) -> Option<Current> {
    let port = plan.port(from)?;
    let follows = matches!(port.voltage, PortVoltage::Follows { .. })
        && plan.source(from.item.as_str()).is_none();
    match way.feed_into(from.item.as_str()).filter(|_| follows) {
        Some(feed) => current(plan, way, &feed.from),
        None => Some(port.current),
    }
}
