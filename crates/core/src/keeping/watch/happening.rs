//! The outage that is happening, made of one that was planned with; and readings as a person types
//! them.

use super::answer::Estimate;
use super::seen::{Reading, Seen};
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::say::{Amount, Name, Sentence, amount};
use crate::site::battery::nominal_v;
use crate::site::chemistry;
use crate::site::entry::{Around, Target, read};
use crate::site::plan::outage::{LocalTime, MainsSpan, MainsState};
use crate::site::plan::{Battery, Outage, Plan};
use crate::time::outage::clocked;

/// The least time that is looked ahead, h.
const LEAST_H: f64 = 24.0;

/// The outage that begins now, made of one that was planned with: its temperature and its rules are
/// kept. When the mains comes back nobody knows, and charging that was meant to be is none until
/// somebody says that it runs; so neither is counted on.
///
/// ```
/// use ash_pond_core::{time::outage::ready_made, site::plan::outage::LocalTime, keeping::watch::happening};
/// let planned = &ready_made()[0];
/// let now = happening(planned, LocalTime::parse("2026-03-10T08:00").unwrap());
/// assert!(!now.mains_is_on(9.5) && planned.mains_is_on(9.5));
/// ```
pub fn happening(planned: &Outage, start: LocalTime) -> Outage {
    let hours = planned.hours.get().max(LEAST_H);
    let mut now = planned.clone();
    now.start = start;
    now.hours = Figure::assumed(hours);
    now.mains = vec![MainsSpan {
        from_h: Figure::assumed(0.0),
        to_h: Figure::assumed(hours),
        state: MainsState::Out,
    }];
    now.charging.clear();
    now.carried.clear();
    now
}

/// A reading as somebody typed it.
#[derive(Debug, Clone, PartialEq)]
pub struct Entered {
    /// The reading.
    pub reading: Reading,
    /// What is strange about it, in a sentence that ends as a question; none where nothing is.
    pub question: Option<Sentence>,
}

/// Reads what somebody typed of a store: `54 %`, `12.61 V`, `88 W out`, `7.4 A`.
///
/// # Errors
/// Says what is missing or cannot be, and how it is written.
///
/// ```
/// use ash_pond_core::{site::entry::Around, site::plan::Plan, keeping::watch::{Seen, entered}};
/// let plan = Plan::parse(include_str!("../../../../../demo/hollin-lock.plan.json")).unwrap();
/// let typed = |text| entered(&plan, &Seen::default(), "house-bank", text, 60.0, Around::default());
/// assert_eq!(typed("54 %").unwrap().reading.percent, Some(54.0));
/// assert_eq!(typed("12.61V").unwrap().reading.volts, Some(12.61));
/// assert!(typed("54").unwrap_err().message.contains("its unit"));
/// assert!(typed("231 V").unwrap().question.unwrap().plain().contains("House bank"));
/// ```
pub fn entered(
    plan: &Plan,
    seen: &Seen,
    source: &str,
    text: &str,
    at_s: f64,
    around: Around,
) -> Result<Entered, FieldError> {
    let no = |why: String| FieldError::of("reading", why);
    let battery = plan.source(source).and_then(|it| it.battery.as_ref());
    let battery =
        battery.ok_or_else(|| no(format!("is of \"{source}\", which is no store of the plan")))?;
    let plain = text.trim();
    let lower = plain.to_lowercase();
    let plain = lower
        .strip_suffix("out")
        .map_or(plain, |it| &plain[..it.len()])
        .trim();
    let unit = plain
        .trim_end_matches('.')
        .chars()
        .last()
        .unwrap_or(' ')
        .to_ascii_uppercase();
    let (target, most) = match unit {
        '%' => (Target::Share, 1.0),
        'V' => (Target::Volts, 2000.0),
        'A' => (Target::Amps, 1000.0),
        'W' => (Target::Watts, 1e6),
        _ => {
            return Err(no(format!(
                "is \"{text}\" without its unit; write it as 54 %, 12.61 V, 7.4 A or 88 W"
            )));
        }
    };
    let value = read(plain, target, around)
        .map_err(|it| no(it.message))?
        .value;
    if value > most {
        return Err(no(format!(
            "is {}, which no such store shows",
            amount(value, target.unit())
        )));
    }
    let mut reading = Reading {
        at_s,
        source: source.to_owned(),
        ..Reading::default()
    };
    match target {
        Target::Share => reading.percent = Some(value * 100.0),
        Target::Volts => reading.volts = Some(value),
        Target::Amps => reading.amps = Some(value),
        _ => reading.watts = Some(value),
    }
    let question = too_far(plan, battery, &reading).or_else(|| too_fast(seen, battery, &reading));
    Ok(Entered { reading, question })
}

/// Volts that such cells do not have.
fn too_far(plan: &Plan, battery: &Battery, reading: &Reading) -> Option<Sentence> {
    let (volts, cells) = (reading.volts?, battery.cells.as_ref()?.get());
    let chemistry = chemistry::find(&battery.chemistry)?;
    let (low, high) = (
        cells * chemistry.cell_v(0.0) * 0.85,
        cells * chemistry.cell_v(1.0) * 1.25,
    );
    if (low..=high).contains(&volts) {
        return None;
    }
    let name = Name(plan.label(&reading.source));
    Some(
        format!(
            "{name} lies between {} and {}. Is it read of another one?",
            Amount(low, "V"),
            Amount(high, "V")
        )
        .into(),
    )
}

/// A charge that fell or rose faster than what flows.
fn too_fast(seen: &Seen, battery: &Battery, reading: &Reading) -> Option<Sentence> {
    let percent = reading.percent?;
    let own = || {
        seen.readings
            .iter()
            .rev()
            .filter(|it| it.source == reading.source && it.at_s < reading.at_s)
    };
    let last = own().find(|it| it.percent.is_some())?;
    let (before, hours) = (last.percent?, (reading.at_s - last.at_s) / 3600.0);
    let volts = own().find_map(|it| it.volts);
    let stored = match (&battery.energy_wh, &battery.capacity_ah) {
        (Some(energy), _) => energy.get(),
        (None, Some(capacity)) => capacity.get() * volts.or_else(|| nominal_v(battery))?,
        (None, None) => return None,
    };
    // Whole per cents, read twice, are off by one together.
    let moved = (before - percent).abs() - 1.0;
    if moved <= 1.0 || hours < 0.05 {
        return None;
    }
    let would = moved / 100.0 * stored / hours;
    let flows = own().find_map(|it| it.watts.or_else(|| Some(it.amps? * volts?)));
    let told = format!(
        "{} after {} {} ago would be {}",
        amount(percent.round(), "%"),
        amount(before.round(), "%"),
        clocked(hours),
        Amount((before - percent).abs() / 100.0 * stored / hours, "W")
    );
    match flows {
        // Charged from elsewhere it rises.
        Some(flows) if percent > before && flows > 0.0 => Some(
            format!(
                "{told} into it, and {} was read out of it. Is it right?",
                Amount(flows, "W")
            )
            .into(),
        ),
        Some(flows) if percent < before && (would > 1.5 * flows.max(1.0)) => {
            Some(format!("{told}; {} was read. Is it right?", Amount(flows, "W")).into())
        }
        None if percent < before && would > stored => Some(format!("{told}. Is it right?").into()),
        _ => None,
    }
}

/// What of a plan's own outage is not counted on, in sentences.
pub fn not_counted(planned: &Outage) -> Vec<Sentence> {
    let mut said: Vec<Sentence> = Vec::new();
    if !planned.charging.is_empty() {
        said.push(
            "Charging that was planned is not counted until somebody says that it runs.".into(),
        );
    }
    said
}

/// Hours left until something, as a person says it.
pub(super) fn left(it: &Estimate, until_h: f64) -> Sentence {
    clocked((until_h - it.at_h).max(0.0))
}
