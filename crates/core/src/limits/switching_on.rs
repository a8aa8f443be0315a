//! What happens in the first moments: the peak of an adapter that is switched on cold, and ports
//! that settle anew what they give when something else is plugged in.

use super::bound::{Bound, Measure};
use super::code::{Code, Unstated};
use super::fact::{Fact, Words, said, standing};
use super::gauge::{Gauge, When};
use super::verdict::Status;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::{Moment, Network, Reading};
use crate::site::plan::{
    Arrangement, Converter, ConverterKind, Feed, Plan, Port, PortVoltage, SourceKind,
};
use crate::site::sum::Term;
use std::collections::HashMap;
use std::f64::consts::SQRT_2;

/// The peak of an adapter that is switched on cold, A, for about a millisecond: what its maker's
/// sheet usually says.
const INRUSH_A: (f64, f64) = (20.0, 60.0);
/// For how long a port gives nothing while it settles anew, ms.
const SETTLES_MS: f64 = 2000.0;

/// The peak current that an outlet for alternating current gives, A: that of the most volt-amperes
/// that it states.
fn peak_a(port: &Port) -> Option<f64> {
    let PortVoltage::Alternating { ac_v, .. } = &port.voltage else {
        return None;
    };
    let limit = port.limit.as_ref()?;
    let watts = limit
        .overload
        .iter()
        .filter_map(|it| it.up_to_w.as_ref())
        .chain(limit.continuous_w.as_ref());
    let amps = limit
        .overload
        .iter()
        .filter_map(|it| it.up_to_a.as_ref())
        .chain(limit.continuous_a.as_ref());
    let by_watts = watts.map(|it| it.get() / ac_v.get());
    by_watts
        .chain(amps.map(Figure::get))
        .reduce(f64::max)
        .map(|it| it * SQRT_2)
}

/// Whether the peak of an adapter that is switched on cold is carried by an outlet that is no
/// mains.
pub(super) fn inrush<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    (item, port): (&'a str, &'a Port),
    name: Name<'a>,
) -> Option<Fact<'a>> {
    let adapter = plan
        .converter(feed.to.item.as_str())
        .filter(|it| it.kind == ConverterKind::AcAdapter)?;
    if plan
        .source(item)
        .is_some_and(|it| it.kind == SourceKind::Mains)
    {
        return None;
    }
    let gives = peak_a(port)?;
    let stated = adapter.input.inrush_a.as_ref().map(Figure::get);
    let (least, most) = stated.map_or(INRUSH_A, |it| (it, it));
    let from = Name(plan.label(item));
    let status = if gives >= most {
        Status::Holds
    } else {
        Status::Unproven
    };
    let peak = if stated.is_some() {
        amount(most, "A").to_string()
    } else {
        format!("{} to {}", amount(least, ""), amount(most, "A"))
    };
    let message = if status == Status::Holds {
        said!(
            "Holds: {name} may take {peak} for a millisecond when it is switched on cold, and \
            {from} gives {}.",
            amount(gives, "A")
        )
    } else {
        said!(
            "Inrush not tried: {name} takes {peak} for a millisecond when it is switched on cold, \
            and {from} gives {} at the peak; it may shut down. The surge test on the bench settles \
            it.",
            amount(gives, "A")
        )
    };
    Some(Fact {
        code: Code::Inrush,
        place: feed.to.name(),
        status,
        value: most,
        limit: gives,
        unit: "A",
        message,
        brief: said!("inrush of {name} not tried"),
        rule: "the peak of an adapter that is switched on cold against √2 times the most current \
            that the outlet states",
        formula: "t1",
        terms: vec![Term::computed("inrush", most, "A")],
        caution: None,
        moment: Moment::Running,
        unstated: (status == Status::Unproven && stated.is_none()).then_some(Unstated::Inrush),
    })
}

/// The peak over the RMS of what an adapter takes while it runs: with a corrected power factor, and
/// without.
const CREST: (f64, f64) = (1.5, 3.0);
/// From this power factor on it is corrected.
const CORRECTED: f64 = 0.9;
/// The power factor of an adapter without correction, at worst.
const UNCORRECTED: f64 = 0.5;

/// By what the amperes of an adapter as they are computed are to be multiplied for its peak, and
/// whether that is supposed.
///
/// Where nobody states a power factor the computed amperes are those of 1, and an adapter without
/// correction takes twice that.
fn crest(adapter: &Converter) -> (f64, bool) {
    let input = &adapter.input;
    match (
        input.crest.as_ref().map(Figure::get),
        input.power_factor.as_ref().map(Figure::get),
    ) {
        (Some(crest), Some(_)) => (crest, false),
        (Some(crest), None) => (crest / UNCORRECTED, true),
        (None, Some(factor)) if factor >= CORRECTED => (CREST.0, false),
        (None, Some(_)) => (CREST.1, true),
        (None, None) => (CREST.1 / UNCORRECTED, true),
    }
}

/// An outlet that is no mains with the adapters on it.
struct Outlet<'a> {
    item: &'a str,
    port: &'a Port,
    adapters: Vec<(Reading, f64)>,
    supposed: bool,
}

/// The peaks that the adapters on each outlet that is no mains take together while they run:
/// rectifiers all charge at the peak of the same wave.
pub(super) fn peaks(
    plan: &Plan,
    arrangement: &Arrangement,
    network: &Network,
    nodes: &HashMap<usize, usize>,
) -> Vec<Gauge> {
    let mut outlets: Vec<Outlet<'_>> = Vec::new();
    for (index, feed) in arrangement.feeds.iter().enumerate() {
        let adapter = plan
            .converter(feed.to.item.as_str())
            .filter(|it| it.kind == ConverterKind::AcAdapter);
        let (Some(adapter), Some(node)) = (adapter, nodes.get(&index)) else {
            continue;
        };
        let Some((item, port)) = standing(plan, arrangement, feed) else {
            continue;
        };
        if plan
            .source(item)
            .is_some_and(|it| it.kind == SourceKind::Mains)
        {
            continue;
        }
        let (factor, supposed) = crest(adapter);
        let reading = (Reading::FeedAmps(*node), factor);
        match outlets
            .iter_mut()
            .find(|it| it.item == item && it.port.id == port.id)
        {
            Some(outlet) => {
                outlet.adapters.push(reading);
                outlet.supposed |= supposed;
            }
            None => outlets.push(Outlet {
                item,
                port,
                adapters: vec![reading],
                supposed,
            }),
        }
    }
    let gauge = |Outlet {
                     item,
                     port,
                     adapters,
                     supposed,
                 }: Outlet<'_>| {
        let outlet = Reading::PortAmps(network.port_index(item, port.id.as_str())?);
        let bound = Bound::Crest {
            gives: peak_a(port)?,
            supposed,
        };
        let place = format!("{item}/{}", port.id);
        let gauge = Gauge::new(Code::Crest, &place, plan.label(item), "A", outlet, bound);
        Some(Gauge {
            measure: Measure::Peak { outlet, adapters },
            when: When::Lasting,
            ..gauge
        })
    };
    outlets.into_iter().filter_map(gauge).collect()
}

/// Ports that share what they give and settle it anew when something is plugged in: what hangs on
/// the others is without a feed for a second or two.
pub(super) fn settling<'a>(plan: &'a Plan, arrangement: &'a Arrangement) -> Vec<Fact<'a>> {
    let sources = plan
        .kit
        .sources
        .iter()
        .map(|it| (it.id.as_str(), &it.ports, &it.groups));
    let converters = plan
        .kit
        .converters
        .iter()
        .map(|it| (it.id.as_str(), &it.outputs, &it.groups));
    let mut list = Vec::new();
    for (item, ports, groups) in sources.chain(converters) {
        for group in groups.iter().filter(|it| it.settles_anew != Some(false)) {
            let shares = |feed: &&Feed| {
                let port = ports.iter().find(|it| it.id == feed.from.port);
                let own = port.filter(|it| it.group.as_ref() == Some(&group.id));
                feed.from.item.as_str() == item
                    && own.is_some_and(|it| matches!(it.voltage, PortVoltage::Offers { .. }))
            };
            let feeds: Vec<&Feed> = arrangement.feeds.iter().filter(shares).collect();
            let at_risk = |feed: &&&Feed| {
                let devices = plan.kit.devices.iter().filter(|it| {
                    let chain = arrangement.chain(it.id.as_str());
                    chain
                        .iter()
                        .any(|index| arrangement.feeds[*index].to == feed.to)
                });
                let mut short = devices.filter(|it| {
                    it.ride_through_ms
                        .as_ref()
                        .is_none_or(|it| it.get() < SETTLES_MS)
                });
                short.next().is_some()
            };
            if feeds.len() < 2 || !feeds.iter().any(|it| at_risk(&it)) {
                continue;
            }
            let name = Name(plan.label(item));
            let sure = group.settles_anew == Some(true);
            list.push(Fact {
                code: Code::Settling,
                place: format!("{item}/{}", group.id),
                status: if sure {
                    Status::Tight
                } else {
                    Status::Unproven
                },
                value: SETTLES_MS,
                limit: 0.0,
                unit: "ms",
                message: said!(
                    "{}: the outlets of {name} that share {} {} anew what each gives when \
                    something is plugged in or out, and what hangs on the others is without a feed \
                    for a second or two.{}",
                    if sure { "Tight" } else { "Not tried" },
                    Name(group.id.as_str()),
                    if sure { "settle" } else { "may settle" },
                    if sure {
                        ""
                    } else {
                        " Plug one in while the others run, and look."
                    }
                ),
                brief: said!("outlets of {name} may reset each other"),
                rule: "outlets that share a limit and offer several voltages settle anew what they \
                    give, for about two seconds",
                formula: "t1",
                terms: Vec::new(),
                caution: None,
                moment: Moment::Running,
                unstated: (!sure).then_some(Unstated::Settling),
            });
        }
    }
    list
}
