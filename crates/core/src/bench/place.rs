//! Where the meter of a test stood: at a store's terminals, or behind one of its ports, and what
//! came out there took from the store.

use super::case::Case;
use super::meter::Known;
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::quantity::Quantity;
use crate::network::Law;
use crate::site::plan::device::Current;
use crate::site::plan::{LossLaw, Port, Source};

/// The word for a store's own terminals.
const TERMINALS: &str = "terminals";

/// Where a meter stood.
#[derive(Debug, Clone, Copy)]
pub(super) enum Place<'a> {
    /// At the terminals of the store.
    Terminals,
    /// Behind a port.
    Port(&'a Port),
}

impl<'a> Place<'a> {
    /// The place that a test names.
    ///
    /// # Errors
    /// Where the store has no port of that name.
    pub(super) fn of(case: &Case<'a>) -> Result<Self, FieldError> {
        let Some(named) = case.test.place.as_deref().filter(|it| *it != TERMINALS) else {
            return Ok(Self::Terminals);
        };
        let source = case.plan.source(&case.test.of.id);
        if let Some(port) = source.and_then(|it| port(it, named)) {
            return Ok(Self::Port(port));
        }
        let ports = source.map_or_else(Vec::new, |it| {
            it.ports.iter().map(|it| it.id.as_str()).collect()
        });
        let known = std::iter::once(TERMINALS)
            .chain(ports)
            .collect::<Vec<_>>()
            .join(", ");
        Err(FieldError::of(
            "place",
            format!(
                "is \"{named}\", which \"{}\" does not have; write one of {known}",
                case.test.of.id
            ),
        ))
    }

    /// Whether watt-hours are counted there: where the test says so, and always on alternating
    /// current, where volts times amperes are no watts.
    pub(super) fn is_counted(self, counted: Option<bool>) -> bool {
        counted == Some(true) || matches!(self, Self::Port(it) if it.current == Current::Ac)
    }

    /// In words, as in "at its terminals".
    pub(super) fn words(self) -> String {
        match self {
            Self::Terminals => "at its terminals".to_owned(),
            Self::Port(it) => format!("behind {}", it.label.as_deref().unwrap_or(it.id.as_str())),
        }
    }
}

/// A port of a source by its id.
pub(super) fn port<'a>(source: &'a Source, id: &str) -> Option<&'a Port> {
    source.ports.iter().find(|it| it.id.as_str() == id)
}

/// A law of loss with what each part of it may be off: half-widths of 95 % intervals.
#[derive(Debug, Clone, Copy)]
pub(super) struct Through {
    pub(super) law: Law,
    /// Of idle draw in W, of what goes with the load, and of what goes with its square in 1/W.
    pub(super) half: [f64; 3],
}

impl Through {
    /// The law of a port; nothing is lost where it has none.
    pub(super) fn of(law: Option<&LossLaw>) -> Self {
        fn half<Q: Quantity>(it: Option<&Figure<Q>>) -> f64 {
            it.map_or(0.0, Figure::half_width)
        }
        let figures = law.map(|it| {
            [
                half(it.idle_w.as_ref()),
                half(it.proportional.as_ref()),
                half(it.quadratic_per_w.as_ref()),
            ]
        });
        Self {
            law: Law::of(law),
            half: figures.unwrap_or_default(),
        }
    }

    /// What came out, W, of so many that went in: x from x + idle + p·x + q·x² = what went in, with
    /// what the law may be off.
    pub(super) fn out_w(self, input: Known) -> Known {
        let Law {
            idle_w,
            proportional,
            quadratic_per_w,
        } = self.law;
        let (left, by_load) = (input.value - idle_w, 1.0 + proportional);
        let out = if quadratic_per_w > 0.0 {
            ((by_load * by_load + 4.0 * quadratic_per_w * left)
                .max(0.0)
                .sqrt()
                - by_load)
                / (2.0 * quadratic_per_w)
        } else {
            left / by_load
        };
        let slope = (by_load + 2.0 * quadratic_per_w * out).max(1e-9);
        let by_law = self.half[0]
            .hypot(self.half[1] * out)
            .hypot(self.half[2] * out * out);
        Known {
            value: out,
            plus_minus: by_law.hypot(input.plus_minus) / slope,
        }
    }

    /// The same law, known to be so.
    pub(super) fn for_sure(self) -> Self {
        Self {
            half: [0.0; 3],
            ..self
        }
    }

    /// What the store gave, Wh, for `out` that came out over stretches of so many hours at so many
    /// watts each: what is lost in each comes on top, with what the law may be off.
    pub(super) fn store_wh(self, stretches: &[(f64, f64)], out: Known) -> Known {
        let sums = stretches.iter().fold([0.0; 3], |sum, (hours, watts)| {
            [
                sum[0] + hours,
                sum[1] + hours * watts,
                sum[2] + hours * watts * watts,
            ]
        });
        let Law {
            idle_w,
            proportional,
            quadratic_per_w,
        } = self.law;
        let lost = idle_w * sums[0] + proportional * sums[1] + quadratic_per_w * sums[2];
        let watts = if sums[0] > 0.0 {
            sums[1] / sums[0]
        } else {
            0.0
        };
        let slope = 1.0 + proportional + 2.0 * quadratic_per_w * watts;
        let by_law = (0..3).fold(0.0_f64, |sum, at| sum.hypot(self.half[at] * sums[at]));
        Known {
            value: out.value + lost,
            plus_minus: by_law.hypot(slope * out.plus_minus),
        }
    }
}
