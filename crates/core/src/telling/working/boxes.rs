//! Workings of converters and junctions.

use super::ends;
use super::sum::{Sums, current, dark, law_terms, loss_part, sum};
use crate::site::plan::device::power_factor;
use crate::site::plan::{Converter, Feed};
use crate::site::sum::{Term, Working};

pub(super) fn converter(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (item, flow): (&Converter, _) = (sums.plan.converter(id)?, sums.flow.converters.get(id)?);
    let out = || {
        Term::see(
            "output",
            flow.output_w,
            "W",
            format!("converters.{id}.output_w"),
        )
    };
    let input = || {
        Term::see(
            "input",
            flow.input_w,
            "W",
            format!("converters.{id}.input_w"),
        )
    };
    let law = item.loss.as_ref();
    match field {
        "input_v" => ends::feed(sums, id, "far_v"),
        "output_w" => {
            let fed = sums
                .arrangement
                .feeds
                .iter()
                .filter(|it| it.from.item.as_str() == id);
            let terms = fed.filter_map(|it| {
                let port = format!("{id}/{}", it.from.port);
                let watts = sums.flow.ports.get(&port)?.watts;
                Some(Term::see(
                    format!("out of {}", it.from.port),
                    watts,
                    "W",
                    format!("ports.{port}.watts"),
                ))
            });
            let mut terms: Vec<Term> = terms.collect();
            terms.dedup();
            Some(sum(
                "output of a converter",
                "the sum over its ports, the cables behind them included",
                terms,
                Term::computed("output", flow.output_w, "W"),
            ))
        }
        "input_w" => {
            let [idle, proportional, quadratic] = law_terms(law);
            if flow.input_w == 0.0 {
                return Some(dark(
                    "input of a converter",
                    Term::computed("input", flow.input_w, "W"),
                ));
            }
            let words = "idle + (1 + lost per watt) × output + lost per squared watt × output²";
            Some(Working::of(
                "input of a converter",
                words,
                "t2 + (1 + t3) * t1 + t4 * t1 ^ 2",
                vec![out(), idle, proportional, quadratic],
                Term::computed("input", flow.input_w, "W"),
            ))
        }
        "input_a" => {
            let volts = Term::see(
                "volts at its input",
                flow.input_v,
                "V",
                format!("converters.{id}.input_v"),
            );
            debug_assert!(power_factor(item.input.power_factor.as_ref()) > 0.0);
            Some(current(
                flow.input_a,
                input(),
                volts,
                Term::figure_or("power factor", item.input.power_factor.as_ref(), 1.0),
            ))
        }
        "loss_w" => Some(Working::of(
            "lost in a converter",
            "input − output",
            "t1 - t2",
            vec![input(), out()],
            Term::computed("lost", flow.loss_w, "W"),
        )),
        "loss_idle_w" => loss_part(law, out(), field, flow.loss_idle_w),
        "loss_proportional_w" => loss_part(law, out(), field, flow.loss_proportional_w),
        "loss_quadratic_w" => loss_part(law, out(), field, flow.loss_quadratic_w),
        "efficiency" => Some(Working::of(
            "efficiency at this load",
            "output ÷ input",
            "t1 / t2",
            vec![out(), input()],
            Term::computed("efficiency", flow.efficiency?, ""),
        )),
        _ => None,
    }
}

pub(super) fn junction(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let flow = sums.flow.junctions.get(id)?;
    let leaving: Vec<&Feed> = sums
        .arrangement
        .feeds
        .iter()
        .filter(|it| it.from.item.as_str() == id)
        .collect();
    let each = |of: &dyn Fn(&crate::network::FeedFlow) -> f64,
                field: &str,
                unit: &'static str|
     -> Vec<Term> {
        let terms = leaving.iter().filter_map(|it| {
            let to = it.to.to_string();
            let name = format!("to {}", sums.plan.label(it.to.item.as_str()));
            Some(Term::see(
                name,
                of(sums.flow.feeds.get(&to)?),
                unit,
                format!("feeds.{to}.{field}"),
            ))
        });
        terms.collect()
    };
    match field {
        "volts" => ends::feed(sums, id, "far_v"),
        "amps" => {
            let terms = each(&|it| it.amps, "amps", "A");
            Some(sum(
                "current into a junction",
                "the sum of the currents that leave it",
                terms,
                Term::computed("amperes", flow.amps, "A"),
            ))
        }
        "watts" => {
            let ports = sums
                .flow
                .ports
                .iter()
                .filter(|(name, _)| name.split('/').next() == Some(id));
            let terms = ports.map(|(name, it)| {
                Term::see(
                    format!("out of {name}"),
                    it.watts,
                    "W",
                    format!("ports.{name}.watts"),
                )
            });
            Some(sum(
                "power through a junction",
                "the sum of what leaves it",
                terms.collect(),
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        _ => None,
    }
}
