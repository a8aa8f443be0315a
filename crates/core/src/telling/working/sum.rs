//! What the workings of all things are made from, and what they share.

use crate::ground::say::Sentence;
use crate::network::Evaluation;
use crate::site::plan::{Arrangement, Feed, LossLaw, Plan, Port};
use crate::site::sum::{Term, Working};
use crate::time::day::Usage;
use std::borrow::Cow;

/// A working whose formula is the sum of its terms.
pub(super) fn sum(
    name: impl Into<Cow<'static, str>>,
    words: impl Into<Sentence>,
    terms: Vec<Term>,
    result: Term,
) -> Working {
    let formula = if terms.is_empty() {
        "0".into()
    } else {
        all(1..=terms.len()).join(" + ")
    };
    Working::of(name, words, formula, terms, result)
}

/// Names of terms by their places, from 1.
pub(super) fn all(places: std::ops::RangeInclusive<usize>) -> Vec<String> {
    places.map(|it| format!("t{it}")).collect()
}

/// Where nothing arrives, nothing is drawn or lost.
pub(super) fn dark(name: impl Into<Cow<'static, str>>, result: Term) -> Working {
    Working::of(
        name,
        "nothing: it is dark, as nothing arrives at it",
        "0",
        Vec::new(),
        result,
    )
}

/// Everything that workings are made from.
#[derive(Debug, Clone, Copy)]
pub struct Sums<'a> {
    /// The plan.
    pub plan: &'a Plan,
    /// The arrangement.
    pub arrangement: &'a Arrangement,
    /// What flows at the moment that is explained.
    pub flow: &'a Evaluation,
    /// The day's use.
    pub day: &'a Usage,
}

pub(super) fn feed_into<'a>(sums: &Sums<'a>, to: &str) -> Option<&'a Feed> {
    sums.arrangement
        .feeds
        .iter()
        .find(|it| it.to.to_string() == to)
}

pub(super) fn current(amps: f64, watts: Term, volts: Term, factor: Term) -> Working {
    let result = Term::computed("amperes", amps, "A");
    if volts.value <= 0.0 {
        return dark("current", result);
    }
    let words = "watts ÷ (volts × power factor)";
    Working::of(
        "current",
        words,
        "t1 / (t2 * t3)",
        vec![watts, volts, factor],
        result,
    )
}

pub(super) fn find_port<'a>(sums: &Sums<'a>, item: &str, port: &str) -> Option<&'a Port> {
    let of_source = sums.plan.source(item).map(|it| &it.ports);
    let ports = of_source.or_else(|| sums.plan.converter(item).map(|it| &it.outputs))?;
    ports.iter().find(|it| it.id.as_str() == port)
}

pub(super) fn law_terms(law: Option<&LossLaw>) -> [Term; 3] {
    [
        Term::figure_or(
            "drawn at no load",
            law.and_then(|it| it.idle_w.as_ref()),
            0.0,
        ),
        Term::figure_or(
            "lost per watt",
            law.and_then(|it| it.proportional.as_ref()),
            0.0,
        ),
        Term::figure_or(
            "lost per squared watt",
            law.and_then(|it| it.quadratic_per_w.as_ref()),
            0.0,
        ),
    ]
}

/// The parts of a loss that share one form: of a converter or of a port.
pub(super) fn loss_part(
    law: Option<&LossLaw>,
    out: Term,
    field: &str,
    value: f64,
) -> Option<Working> {
    let [idle, proportional, quadratic] = law_terms(law);
    let result = Term::computed("lost", value, "W");
    if value == 0.0 && idle.value != 0.0 && field == "loss_idle_w" {
        return Some(dark("lost by being switched on", result));
    }
    match field {
        "loss_idle_w" => Some(Working::of(
            "lost by being switched on",
            "drawn at no load, whatever is carried",
            "t1",
            vec![idle],
            result,
        )),
        "loss_proportional_w" => Some(Working::of(
            "lost with the load",
            "lost per watt × output",
            "t1 * t2",
            vec![proportional, out],
            result,
        )),
        "loss_quadratic_w" => Some(Working::of(
            "lost with the square of the load",
            "lost per squared watt × output²",
            "t1 * t2 ^ 2",
            vec![quadratic, out],
            result,
        )),
        _ => None,
    }
}
