//! Workings of ports, sources and charging inputs.

use super::ends;
use super::sum::{Sums, current, find_port, loss_part, sum};
use crate::ground::figure::Figure;
use crate::ground::say::{amount, percent};
use crate::site::battery::{empty_factor, internal_ohm};
use crate::site::sum::{Term, Working};

pub(super) fn port(sums: &Sums<'_>, name: &str, field: &str) -> Option<Working> {
    let flow = sums.flow.ports.get(name)?;
    let (item, id) = name.split_once('/')?;
    let law = find_port(sums, item, id)?.loss.as_ref();
    let leaving = sums
        .arrangement
        .feeds
        .iter()
        .filter(|it| it.from.item.as_str() == item && it.from.port.as_str() == id);
    let out = || Term::see("output", flow.watts, "W", format!("ports.{name}.watts"));
    match field {
        "watts" => {
            let mut terms = Vec::new();
            for it in leaving {
                let (to, item) = (it.to.to_string(), it.to.item.as_str());
                let label = sums.plan.label(item);
                if let Some(flow) = sums.flow.devices.get(item) {
                    terms.push(Term::see(
                        format!("{label} draws"),
                        flow.watts,
                        "W",
                        format!("devices.{item}.watts"),
                    ));
                } else if let Some(flow) = sums.flow.converters.get(item) {
                    terms.push(Term::see(
                        format!("{label} takes"),
                        flow.input_w,
                        "W",
                        format!("converters.{item}.input_w"),
                    ));
                } else if let Some(flow) = sums.flow.junctions.get(item) {
                    terms.push(Term::see(
                        format!("{label} passes on"),
                        flow.watts,
                        "W",
                        format!("junctions.{item}.watts"),
                    ));
                } else if let Some(flow) = sums.flow.inputs.get(&to) {
                    terms.push(Term::see(
                        format!("into {to}"),
                        flow.watts,
                        "W",
                        format!("inputs.{to}.watts"),
                    ));
                }
                let loss = sums.flow.feeds.get(&to)?.loss_w;
                terms.push(Term::see(
                    format!("lost in the lead to {label}"),
                    loss,
                    "W",
                    format!("feeds.{to}.loss_w"),
                ));
            }
            Some(sum(
                "output of a port",
                "what its feeds take, with what their leads lose",
                terms,
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        "amps" => {
            let terms = leaving.filter_map(|it| {
                let to = it.to.to_string();
                let name = format!("to {}", sums.plan.label(it.to.item.as_str()));
                Some(Term::see(
                    name,
                    sums.flow.feeds.get(&to)?.amps,
                    "A",
                    format!("feeds.{to}.amps"),
                ))
            });
            Some(sum(
                "current of a port",
                "the sum of the currents of its feeds",
                terms.collect(),
                Term::computed("amperes", flow.amps, "A"),
            ))
        }
        "loss_idle_w" => loss_part(law, out(), field, flow.loss_idle_w),
        "loss_proportional_w" => loss_part(law, out(), field, flow.loss_proportional_w),
        "loss_quadratic_w" => loss_part(law, out(), field, flow.loss_quadratic_w),
        _ => None,
    }
}

pub(super) fn source(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (item, flow) = (sums.plan.source(id)?, sums.flow.sources.get(id)?);
    let battery = item.battery.as_ref();
    let amps = || {
        flow.amps
            .map(|it| Term::see("current", it, "A", format!("sources.{id}.amps")))
    };
    let internal = || {
        let stated = Term::figure_or(
            "internal resistance",
            battery.and_then(|it| it.internal_ohm.as_ref()),
            0.0,
        );
        let Some(battery) = battery.filter(|it| it.is_full_model()) else {
            return stated;
        };
        let celsius = sums.plan.site.ambient().0;
        let soc = sums.flow.soc.get(id).copied().unwrap_or(1.0);
        let empty = crate::site::chemistry::find(&battery.chemistry)
            .map_or(1.0, |it| empty_factor(it, soc));
        let note = format!("at {} and {} charge", amount(celsius, "°C"), percent(soc));
        let ohms = internal_ohm(battery, celsius) * empty;
        Term {
            value: ohms,
            note: Some(note),
            ..stated
        }
    };
    match field {
        "watts" => {
            let mut terms = Vec::new();
            for (name, it) in sums
                .flow
                .ports
                .iter()
                .filter(|(name, _)| name.split('/').next() == Some(id))
            {
                terms.push(Term::see(
                    format!("out of {name}"),
                    it.watts,
                    "W",
                    format!("ports.{name}.watts"),
                ));
                for (what, field, lost) in [
                    ("is on", "loss_idle_w", it.loss_idle_w),
                    (
                        "loses with the load",
                        "loss_proportional_w",
                        it.loss_proportional_w,
                    ),
                    (
                        "loses with its square",
                        "loss_quadratic_w",
                        it.loss_quadratic_w,
                    ),
                ] {
                    if lost != 0.0 {
                        terms.push(Term::see(
                            format!("{name} {what}"),
                            lost,
                            "W",
                            format!("ports.{name}.{field}"),
                        ));
                    }
                }
            }
            Some(sum(
                "drawn from a source",
                "what its ports give out and what they lose on the way",
                terms,
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        "amps" => {
            let watts = Term::see("watts", flow.watts, "W", format!("sources.{id}.watts"));
            let volts = Term::see(
                "volts at the terminals",
                flow.terminal_v?,
                "V",
                format!("sources.{id}.terminal_v"),
            );
            Some(current(
                flow.amps?,
                watts,
                volts,
                Term::computed("power factor", 1.0, ""),
            ))
        }
        "terminal_v" => {
            let chemistry = crate::site::chemistry::find(&battery?.chemistry)?;
            let soc = sums.flow.soc.get(id).copied()?;
            let cells = battery?.cells.as_ref()?;
            let mut curve = Term::computed(
                format!("resting volts of a cell, {}", chemistry.label),
                chemistry.cell_v(soc),
                "V",
            );
            curve.note = Some("the chemistry's curve, linear between its points".into());
            let terms = vec![
                Term::computed("state of charge", soc, ""),
                curve,
                Term::figure("cells in series", cells),
                amps()?,
                internal(),
            ];
            let words = "resting volts of a cell × cells − current × internal resistance";
            Some(Working::of(
                "volts at the terminals",
                words,
                "t2 * t3 - t4 * t5",
                terms,
                Term::computed("volts", flow.terminal_v?, "V"),
            ))
        }
        "internal_loss_w" => {
            let terms = vec![amps()?, internal()];
            Some(Working::of(
                "lost inside the battery",
                "current² × internal resistance",
                "t1 ^ 2 * t2",
                terms,
                Term::computed("lost", flow.internal_loss_w, "W"),
            ))
        }
        "charged_w" => {
            let inputs = sums
                .flow
                .inputs
                .iter()
                .filter(|(name, _)| name.split('/').next() == Some(id));
            let terms = inputs.map(|(name, it)| {
                Term::see(
                    format!("through {name}"),
                    it.stored_w,
                    "W",
                    format!("inputs.{name}.stored_w"),
                )
            });
            let words = "the sum over its charging inputs, behind their losses; none is in use \
                where no term is told";
            let result = Term::computed("watts", flow.charged_w, "W");
            Some(sum(
                "stored at the same time",
                words,
                terms.collect(),
                result,
            ))
        }
        _ => None,
    }
}

pub(super) fn input(sums: &Sums<'_>, name: &str, field: &str) -> Option<Working> {
    let flow = sums.flow.inputs.get(name)?;
    let (id, input) = name.split_once('/')?;
    let source = sums.plan.source(id)?;
    let input = source.inputs.iter().find(|it| it.id.as_str() == input)?;
    let watts = || {
        Term::see(
            "into the input",
            flow.watts,
            "W",
            format!("inputs.{name}.watts"),
        )
    };
    let volts = || {
        Term::see(
            "volts at the input",
            flow.input_v,
            "V",
            format!("inputs.{name}.input_v"),
        )
    };
    match field {
        "input_v" => ends::feed(sums, name, "far_v"),
        "watts" => {
            let terms = vec![
                volts(),
                Term::see("current", flow.amps, "A", format!("inputs.{name}.amps")),
            ];
            let words = "volts × current";
            Some(Working::of(
                "into a charging input",
                words,
                "t1 * t2",
                terms,
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        "amps" => {
            let result = Term::computed("amperes", flow.amps, "A");
            if flow.amps == 0.0 {
                let words =
                    "nothing: its voltage is below what it charges from, or it states no limit";
                return Some(Working::of(
                    "current into a charging input",
                    words,
                    "0",
                    vec![volts()],
                    result,
                ));
            }
            let mut terms = vec![volts()];
            let bands = input
                .bands
                .iter()
                .filter(|it| Some(it.from_v.get()) == flow.band_from_v);
            terms.extend(
                bands.map(|it| Term::figure(format!("most from {} V", it.from_v.get()), &it.max_a)),
            );
            terms.extend(
                input
                    .max_a
                    .as_ref()
                    .map(|it| Term::figure("most at any voltage", it)),
            );
            let mut least = super::sum::all(2..=terms.len());
            // What a panel gives at most bounds it where the input itself would take more.
            let own_w = input.max_w.as_ref();
            let feed = super::sum::feed_into(sums, name)?;
            let panel = sums
                .plan
                .source(feed.from.item.as_str())
                .filter(|it| it.kind == crate::site::plan::SourceKind::Panel);
            let gives = panel.and_then(|_| {
                sums.plan
                    .port(&feed.from)?
                    .limit
                    .as_ref()?
                    .continuous_w
                    .as_ref()
            });
            let most_w = gives
                .map(Figure::get)
                .filter(|it| own_w.is_none_or(|own| *it < own.get()));
            let power = most_w.map(|it| Term::computed("most that the panel gives", it, "W"));
            if let Some(power) = power.or_else(|| own_w.map(|it| Term::figure("most power", it))) {
                terms.push(power);
                least.push(format!("t{} / t1", terms.len()));
            }
            let formula = if least.len() == 1 {
                least.remove(0)
            } else {
                format!("min({})", least.join(", "))
            };
            let words = "the least of what its band, its own limit and its power allow at this \
                voltage, and of what a panel gives";
            Some(Working::of(
                "current into a charging input",
                words,
                formula,
                terms,
                result,
            ))
        }
        "band_from_v" => {
            let bands = input
                .bands
                .iter()
                .map(|it| Term::figure(format!("up to {} A from", it.max_a.get()), &it.from_v));
            let terms: Vec<Term> = std::iter::once(volts()).chain(bands).collect();
            let reached = terms
                .iter()
                .rposition(|it| Some(it.value) == flow.band_from_v)
                .unwrap_or(0);
            let formula = format!("t{}", reached + 1);
            let words = "the highest band whose voltage is reached";
            Some(Working::of(
                "band of a charging input",
                words,
                formula,
                terms,
                Term::computed("from", flow.band_from_v?, "V"),
            ))
        }
        "stored_w" => {
            let chemistry = source
                .battery
                .as_ref()
                .and_then(|it| crate::site::chemistry::find(&it.chemistry));
            let share = chemistry.map_or(1.0, |it| it.charge_efficiency);
            let terms = vec![
                watts(),
                Term::figure_or("efficiency of the input", input.efficiency.as_ref(), 1.0),
                Term::computed("stored over charged, of the chemistry", share, ""),
            ];
            let words = "into the input × its efficiency × the chemistry's";
            Some(Working::of(
                "what reaches the store",
                words,
                "t1 * t2 * t3",
                terms,
                Term::computed("watts", flow.stored_w, "W"),
            ))
        }
        _ => None,
    }
}
