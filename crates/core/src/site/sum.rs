//! The sum behind a number, as data: a formula and its terms, each with where it comes from.

use super::plan::{FigurePlace, Plan};
use crate::ground::figure::{Basis, Figure};
use crate::ground::json::Which;
use crate::ground::quantity::Quantity;
use crate::ground::say::Sentence;
use serde::Serialize;
use std::borrow::Cow;

/// How a number comes about.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Working {
    /// What the formula is called.
    pub name: Cow<'static, str>,
    /// The formula in words.
    pub words: Sentence,
    /// The formula to be computed: t1, t2 … are the terms in their order, with `+ - * / ^`,
    /// brackets, `min()` and `max()`.
    pub formula: String,
    /// What is put in.
    pub terms: Vec<Term>,
    /// What comes out.
    pub result: Term,
    /// What would make it surer.
    pub surer: Option<Sentence>,
}

/// One number of a working.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Term {
    /// What it is.
    pub name: Cow<'static, str>,
    /// The number.
    pub value: f64,
    /// Its unit, empty for a plain number.
    pub unit: &'static str,
    /// Where it comes from; none where it is computed.
    pub basis: Option<Basis>,
    /// Half-width of its 95 % interval, where it is known.
    pub plus_minus: Option<f64>,
    /// The remark that goes with it.
    pub note: Option<String>,
    /// The key of its own working, where it has one.
    pub see: Option<String>,
    /// The test of the bench that it was measured by, where the plan names one.
    pub test: Option<String>,
    /// Where it stands in the plan, where it is a figure of it.
    pub at: Option<FigurePlace>,
    /// Which figure it is, until its place is known.
    #[serde(skip)]
    pub(crate) which: Option<Which>,
}

impl Term {
    /// A number that was computed.
    pub fn computed(name: impl Into<Cow<'static, str>>, value: f64, unit: &'static str) -> Self {
        Self {
            name: name.into(),
            value,
            unit,
            basis: None,
            plus_minus: None,
            note: None,
            see: None,
            test: None,
            at: None,
            which: None,
        }
    }

    /// A computed number with a working of its own.
    pub(crate) fn see(
        name: impl Into<Cow<'static, str>>,
        value: f64,
        unit: &'static str,
        key: String,
    ) -> Self {
        Self {
            see: Some(key),
            ..Self::computed(name, value, unit)
        }
    }

    /// A figure of the plan.
    pub(crate) fn figure<Q: Quantity>(
        name: impl Into<Cow<'static, str>>,
        figure: &Figure<Q>,
    ) -> Self {
        Self {
            basis: Some(figure.basis),
            test: figure.test.clone(),
            plus_minus: figure.plus_minus,
            note: figure.note.clone(),
            which: Some(Which::of(figure)),
            ..Self::computed(name, figure.get(), Q::UNIT)
        }
    }

    /// A figure of the plan, or the value that stands where it is silent.
    pub(crate) fn figure_or<Q: Quantity>(
        name: impl Into<Cow<'static, str>>,
        figure: Option<&Figure<Q>>,
        silent: f64,
    ) -> Self {
        match figure {
            None => Self {
                basis: Some(Basis::Assumed),
                ..Self::computed(name, silent, Q::UNIT)
            },
            Some(it) => Self::figure(name, it),
        }
    }
}

impl Working {
    /// A working, with what would make it surer found from its terms.
    pub fn of(
        name: impl Into<Cow<'static, str>>,
        words: impl Into<Sentence>,
        formula: impl Into<String>,
        terms: Vec<Term>,
        result: Term,
    ) -> Self {
        let weakest = terms
            .iter()
            .filter(|it| it.value != 0.0 && it.unit != "°C")
            .filter_map(|it| Some((it.basis?, it)));
        let weakest = weakest
            .filter(|(basis, _)| *basis < Basis::Measured)
            .min_by_key(|(basis, _)| *basis);
        let surer = weakest.map(|(basis, term)| match basis {
            Basis::Assumed => format!(
                "{}: assumed. Measure it, or look for its datasheet.",
                term.name
            ),
            Basis::Label => format!("{}: from a label. Measure it on the bench.", term.name),
            _ => format!("{}: from a datasheet. Measure it here.", term.name),
        });
        Self {
            name: name.into(),
            words: words.into(),
            formula: formula.into(),
            terms,
            result,
            surer: surer.map(Into::into),
        }
    }
}

/// Says of each term of some workings that is a figure of the plan where that stands. Until then a
/// term only knows which figure it is: what makes it has that in hand, and not the way to it.
pub(crate) fn place<'a>(plan: &Plan, workings: impl IntoIterator<Item = &'a mut Working>) {
    let mut terms: Vec<&mut Term> = workings.into_iter().flat_map(|it| &mut it.terms).collect();
    terms.retain(|it| it.which.is_some());
    let places = plan.places(&terms.iter().filter_map(|it| it.which).collect());
    for term in terms {
        term.at = term.which.take().and_then(|it| places.get(&it).cloned());
    }
}
