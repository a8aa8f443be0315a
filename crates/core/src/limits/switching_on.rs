//! What happens in the first moments: the peak of an adapter that is switched on cold, and ports that settle anew what they
//! give when something else is plugged in.

use super::facts::Fact;
use super::finding::{Code, Unstated};
use super::verdict::Status;
use super::words::amount;
use crate::figure::Figure;
use crate::network::Moment;
use crate::plan::{Arrangement, ConverterKind, Feed, Plan, Port, PortVoltage, SourceKind};
use crate::say::Name;
use crate::working::Term;
use std::f64::consts::SQRT_2;

/// The peak of an adapter that is switched on cold, A, for about a millisecond: what its maker's sheet usually says.
const INRUSH_A: (f64, f64) = (20.0, 60.0);
/// For how long a port gives nothing while it settles anew, ms.
const SETTLES_MS: f64 = 2000.0;

/// The peak current that an outlet for alternating current gives, A: that of the most volt-amperes that it states.
fn peak_a(port: &Port) -> Option<f64> {
    let PortVoltage::Alternating { ac_v, .. } = &port.voltage else { return None };
    let limit = port.limit.as_ref()?;
    let watts = limit.overload.iter().filter_map(|it| it.up_to_w.as_ref()).chain(limit.continuous_w.as_ref());
    let amps = limit.overload.iter().filter_map(|it| it.up_to_a.as_ref()).chain(limit.continuous_a.as_ref());
    let by_watts = watts.map(|it| it.get() / ac_v.get());
    by_watts.chain(amps.map(Figure::get)).reduce(f64::max).map(|it| it * SQRT_2)
}

/// Whether the peak of an adapter that is switched on cold is carried by an outlet that is no mains.
pub(super) fn inrush(plan: &Plan, feed: &Feed, (item, port): (&str, &Port), name: Name<'_>) -> Option<Fact> {
    let adapter = plan.converter(feed.to.item.as_str()).filter(|it| it.kind == ConverterKind::AcAdapter)?;
    if plan.source(item).is_some_and(|it| it.kind == SourceKind::Mains) {
        return None;
    }
    let gives = peak_a(port)?;
    let stated = adapter.input.inrush_a.as_ref().map(Figure::get);
    let (least, most) = stated.map_or(INRUSH_A, |it| (it, it));
    let from = Name(plan.label(item));
    let status = if gives >= most { Status::Holds } else { Status::Unproven };
    let peak = if stated.is_some() {
        amount(most, "A").to_string()
    } else {
        format!("{} to {}", amount(least, ""), amount(most, "A"))
    };
    let message = if status == Status::Holds {
        format!(
            "Holds: {name} may take {peak} for a millisecond when it is switched on cold, and {from} gives {}.",
            amount(gives, "A")
        )
    } else {
        format!(
            "Inrush not tried: {name} takes {peak} for a millisecond when it is switched on cold, and {from} gives {} at the peak; it may shut down. The surge test on the bench settles it.",
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
        brief: format!("inrush of {name} not tried"),
        rule: "the peak of an adapter that is switched on cold against √2 times the most current that the outlet states",
        formula: "t1",
        terms: vec![Term::computed("inrush", most, "A")],
        caution: None,
        moment: Moment::Running,
        unstated: (status == Status::Unproven && stated.is_none()).then_some(Unstated::Inrush),
    })
}

/// Ports that share what they give and settle it anew when something is plugged in: what hangs on the others is without a
/// feed for a second or two.
pub(super) fn settling(plan: &Plan, arrangement: &Arrangement) -> Vec<Fact> {
    let sources = plan.kit.sources.iter().map(|it| (it.id.as_str(), &it.ports, &it.groups));
    let converters = plan.kit.converters.iter().map(|it| (it.id.as_str(), &it.outputs, &it.groups));
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
                    chain.iter().any(|index| arrangement.feeds[*index].to == feed.to)
                });
                let mut short = devices.filter(|it| it.ride_through_ms.as_ref().is_none_or(|it| it.get() < SETTLES_MS));
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
                status: if sure { Status::Tight } else { Status::Unproven },
                value: SETTLES_MS,
                limit: 0.0,
                unit: "ms",
                message: format!(
                    "{}: the outlets of {name} that share {} {} anew what each gives when something is plugged in or out, and what hangs on the others is without a feed for a second or two.{}",
                    if sure { "Tight" } else { "Not tried" },
                    Name(group.id.as_str()),
                    if sure { "settle" } else { "may settle" },
                    if sure { "" } else { " Plug one in while the others run, and look." }
                ),
                brief: format!("outlets of {name} may reset each other"),
                rule: "outlets that share a limit and offer several voltages settle anew what they give, for about two seconds",
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
