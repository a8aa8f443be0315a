//! A loss law from nothing but a label: "90 % efficient", "10 W standby", or neither.
//!
//! The rule, for want of a measurement: what a label calls efficiency is the best that the thing
//! ever reaches, and it reaches it at half of its rating, h. A law idle + k·P + q·P² is best where
//! idle = q·P², so
//!
//! - q = idle / h²,
//! - k = (1/η − 1) − 2·idle / h, and not below 0.
//!
//! Where no standby is stated, idle is 1.2 % of the rating on the side of alternating current and
//! 0.5 % of it between direct voltages; where no efficiency is stated, it is that which the kind of
//! thing commonly has. Without a rating all of the loss is proportional. What the label says
//! deserves ± 30 % for its standby and ± 40 % for the loss that goes with the load; what it does
//! not say deserves ± 60 %.

use crate::ground::figure::{Basis, Figure};
use crate::ground::json::FieldError;
use crate::ground::quantity::{PerWatt, Quantity, Share, Watts};
use crate::ground::say::{Habits, Sentence, amount, percent, render};
use crate::site::plan::{ConverterKind, LossLaw};
use serde::Serialize;

/// Half-widths, as shares of the value.
const STATED_IDLE: f64 = 0.3;
const STATED_LOSS: f64 = 0.4;
const GUESSED: f64 = 0.6;

/// What a label says of how a thing converts.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Claim {
    /// The kind of converter; none for an outlet of a source.
    pub kind: Option<ConverterKind>,
    /// Whether it gives alternating current.
    pub alternating: bool,
    /// The most that it gives for ever, W; above 0.
    pub rated_w: Option<f64>,
    /// Stated efficiency, above 0 to 1.
    pub efficiency: Option<f64>,
    /// Stated draw at no load, W.
    pub standby_w: Option<f64>,
}

/// A loss law that stands in until somebody measures.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Claimed {
    /// The law, each figure with its ± and a note.
    pub loss: LossLaw,
    /// The rule with its numbers, in a sentence.
    pub words: Sentence,
}

/// The law of a label.
///
/// # Errors
/// Where the efficiency or the rating is not one.
///
/// ```
/// use ash_pond_core::{site::claim::{Claim, law}, site::plan::ConverterKind};
/// let inverter = Claim {
///     kind: Some(ConverterKind::Inverter),
///     rated_w: Some(300.0),
///     efficiency: Some(0.9),
///     ..Claim::default()
/// };
/// let claimed = law(&inverter).unwrap();
/// let loss = &claimed.loss;
/// let (idle, k) = (loss.idle_w.as_ref().unwrap(), loss.proportional.as_ref().unwrap());
/// let q = loss.quadratic_per_w.as_ref().unwrap();
/// let half = 150.0;
/// let efficiency = half / (idle.get() + (1.0 + k.get()) * half + q.get() * half * half);
/// assert!((efficiency - 0.9).abs() < 1e-9, "at half of its rating it is as efficient as its label says");
/// assert!(law(&Claim { efficiency: Some(1.2), ..inverter }).unwrap_err().message.contains("at most 100 %"));
/// ```
pub fn law(claim: &Claim) -> Result<Claimed, FieldError> {
    if claim.efficiency.is_some_and(|it| !(it > 0.0 && it <= 1.0)) {
        return Err(FieldError::of(
            "",
            "an efficiency is above 0 and at most 100 %".into(),
        ));
    }
    if claim
        .rated_w
        .is_some_and(|it| !(it > 0.0 && it.is_finite()))
    {
        return Err(FieldError::of("", "the rating must be above 0 W".into()));
    }
    if claim
        .standby_w
        .is_some_and(|it| !(it >= 0.0 && it.is_finite()))
    {
        return Err(FieldError::of(
            "",
            "the standby must not be below 0 W".into(),
        ));
    }
    let stated = claim.efficiency.is_some();
    let efficiency = claim.efficiency.unwrap_or_else(|| common(claim));
    let lost = 1.0 / efficiency - 1.0;
    let idle = claim
        .standby_w
        .or_else(|| Some(claim.rated_w? * idle_share(claim)));
    let half = claim.rated_w.map(|it| it / 2.0);
    let (idle_w, loss_basis) = (
        idle.unwrap_or(0.0),
        if stated { Basis::Label } else { Basis::Assumed },
    );
    let (k, q) = match half {
        Some(half) => (
            (lost - 2.0 * idle_w / half).max(0.0),
            idle_w / (half * half),
        ),
        None => (lost, 0.0),
    };
    let said = if stated {
        "its label's"
    } else {
        "for its kind, commonly"
    };
    let best = match claim.rated_w {
        Some(rated) => format!("best at half of its {}", amount(rated, "W")),
        None => "all of it lost with the load, as its rating is not known".into(),
    };
    let idle_words = match (claim.standby_w, claim.rated_w) {
        (Some(it), _) => format!("{} standby by its label", amount(it, "W")),
        (None, Some(rated)) => {
            format!(
                "no standby stated, {} of {} assumed",
                percent(idle_share(claim)),
                amount(rated, "W")
            )
        }
        (None, None) => "no standby stated".into(),
    };
    let loss_words = format!("{said} {}, {best}", percent(efficiency));
    let width = if stated { STATED_LOSS } else { GUESSED };
    let idle_basis = if claim.standby_w.is_some() {
        (STATED_IDLE, Basis::Label)
    } else {
        (GUESSED, Basis::Assumed)
    };
    let loss = LossLaw {
        idle_w: idle.map(|it| figure::<Watts>(it, idle_basis.0, idle_basis.1, &idle_words)),
        proportional: Some(figure::<Share>(k.min(1.0), width, loss_basis, &loss_words)),
        quadratic_per_w: (q > 0.0)
            .then(|| figure::<PerWatt>(q, width.max(idle_basis.0), loss_basis, &loss_words)),
        points: Vec::new(),
    };
    let beyond = half.is_some_and(|half| lost - 2.0 * idle_w / half < 0.0);
    let doubt = if beyond {
        " With that standby it never reaches the efficiency of its label."
    } else {
        ""
    };
    let words = format!("From its label, until it is measured: {idle_words}; {loss_words}.{doubt}");
    Ok(Claimed {
        loss,
        words: words.into(),
    })
}

fn figure<Q: Quantity>(raw: f64, width: f64, basis: Basis, note: &str) -> Figure<Q> {
    let (value, half) = (round(raw), round(raw * width));
    Figure {
        value: Q::of(value),
        plus_minus: Some(half),
        basis,
        note: Some(render(note, &Habits::si()).into_owned()),
        test: None,
    }
}

/// Twelve digits, so that the figure in the plan does not end in the dust of binary fractions.
fn round(value: f64) -> f64 {
    format!("{value:.11e}").parse().unwrap_or(value)
}

/// Efficiency that a kind commonly has at its best.
fn common(claim: &Claim) -> f64 {
    match claim.kind {
        Some(ConverterKind::Inverter | ConverterKind::Charger | ConverterKind::Injector) => 0.88,
        Some(ConverterKind::AcAdapter) => 0.86,
        Some(ConverterKind::Buck | ConverterKind::Boost | ConverterKind::BuckBoost) => 0.92,
        Some(ConverterKind::Trigger | ConverterKind::Junction) => 0.99,
        None if claim.alternating => 0.88,
        None => 0.92,
    }
}

/// Idle power over the rating, where nobody states it.
fn idle_share(claim: &Claim) -> f64 {
    let on_mains = matches!(
        claim.kind,
        Some(ConverterKind::AcAdapter | ConverterKind::Charger | ConverterKind::Injector)
    );
    if claim.alternating || on_mains {
        0.012
    } else {
        0.005
    }
}
