//! Windows: the voltages that devices and converters take, with the tide marks of every moment, and
//! the charge at which the first of them is broken.

use super::board::Mark;
use super::bound::Bound;
use super::code::Code;
use super::gauge::Gauge;
use super::study::Study;
use super::verdict::Status;
use super::words::when;
use crate::ground::say::{Amount, Sentence, percent};
use crate::network::{Charge, Load, Moment, Solver};
use crate::site::plan::{Arrangement, Plan};
use serde::Serialize;

/// Steps in which the charge is looked through before it is refined.
const STEPS: u32 = 50;
/// Halvings after that.
const HALVINGS: u32 = 20;

/// A window with the voltages that the moments leave in it, at one charge.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Window {
    /// Device or converter voltage.
    pub code: Code,
    /// The device or converter.
    #[serde(rename = "where")]
    pub place: String,
    /// What it is called.
    pub name: String,
    /// The least that it takes, V.
    pub low: Option<f64>,
    /// The most that it takes, V.
    pub high: Option<f64>,
    /// Volts at each moment.
    pub marks: Vec<Mark>,
    /// The worst verdict over its marks.
    pub status: Status,
}

/// Where the first window is broken as the stores run down.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Break {
    /// The charge of all stores below which it is, 0 to 1; 1 where it is broken when full already.
    pub soc: f64,
    /// The device or converter.
    #[serde(rename = "where")]
    pub place: String,
    /// What it is called.
    pub name: String,
    /// The moment.
    pub moment: String,
    /// In a sentence.
    pub sentence: Sentence,
}

/// An arrangement with its windows, ready to be asked.
struct Windows<'a> {
    study: &'a Study<'a>,
    gauges: Vec<&'a Gauge>,
    /// What is drawn at each of its moments.
    loads: Vec<Vec<Load>>,
}

impl<'a> Windows<'a> {
    fn of(study: &'a Study<'a>) -> Self {
        let is_window =
            |it: &&Gauge| matches!(it.code, Code::DeviceVoltage | Code::ConverterVoltage);
        Self {
            study,
            gauges: study.gauges.iter().filter(is_window).collect(),
            loads: study.moments.iter().map(|it| study.loads(it)).collect(),
        }
    }

    /// Calls `seen` with every window's volts and verdict at every moment; a dark place stands at 0
    /// V and trips.
    fn each(&self, charge: &Charge, mut seen: impl FnMut(usize, &Moment, f64, Status)) {
        let tight_from = self.study.plan.site.tight_from();
        let open_v = self.study.network().open_volts(charge);
        let mut solver = Solver::new(self.study.network());
        for (moment, loads) in self.study.moments.iter().zip(&self.loads) {
            solver.solve(loads, &open_v);
            let lasts = self.study.lasts(moment);
            for (index, gauge) in self
                .gauges
                .iter()
                .enumerate()
                .filter(|(_, it)| it.when.is(moment))
            {
                match gauge.value(&solver) {
                    Some(volts) => {
                        let status = gauge.judge(volts, lasts, tight_from, &solver).0.status;
                        seen(index, moment, volts, status);
                    }
                    None => seen(index, moment, 0.0, Status::Trips),
                }
            }
        }
    }

    /// The window that is furthest beyond at a charge of all stores.
    fn broken(&self, soc: f64) -> Option<(usize, Moment)> {
        let mut worst: Option<(f64, usize, Moment)> = None;
        self.each(&Charge::uniform(soc), |index, moment, volts, status| {
            let Bound::Window { low, high, .. } = self.gauges[index].bound else {
                return;
            };
            let beyond = low
                .map_or(0.0, |it| (it - volts) / it)
                .max(high.map_or(0.0, |it| (volts - it) / it));
            if status == Status::Trips && worst.as_ref().is_none_or(|it| beyond > it.0) {
                worst = Some((beyond, index, moment.clone()));
            }
        });
        worst.map(|it| (it.1, it.2))
    }
}

/// Every window of an arrangement with its marks at one charge.
pub fn windows(plan: &Plan, way: &Arrangement, charge: &Charge) -> Vec<Window> {
    Study::of(plan, way).windows(charge)
}

/// See [`windows`].
fn windows_of(study: &Study<'_>, charge: &Charge) -> Vec<Window> {
    let all = Windows::of(study);
    let mut list: Vec<Window> = all
        .gauges
        .iter()
        .map(|it| {
            let (low, high) = match it.bound {
                Bound::Window { low, high, .. } => (low, high),
                _ => (None, None),
            };
            let (place, name) = (it.place.clone(), it.name.clone());
            Window {
                code: it.code,
                place,
                name,
                low,
                high,
                marks: Vec::new(),
                status: Status::Holds,
            }
        })
        .collect();
    all.each(charge, |index, moment, value, status| {
        let window = &mut list[index];
        window.status = window.status.max(status);
        window.marks.push(Mark {
            moment: moment.to_string(),
            value,
            status,
        });
    });
    list.retain(|it| it.low.is_some() || it.high.is_some());
    list
}

/// The charge at which the first window is broken at any moment, as all stores run down together
/// from full; `None` where none is, even when they are empty. Looked for in steps of a fiftieth,
/// and then by bisection.
pub fn first_break(plan: &Plan, way: &Arrangement) -> Option<Break> {
    Study::of(plan, way).first_break()
}

impl Study<'_> {
    /// See [`windows`].
    pub(crate) fn windows(&self, charge: &Charge) -> Vec<Window> {
        windows_of(self, charge)
    }

    /// See [`first_break`].
    pub(crate) fn first_break(&self) -> Option<Break> {
        first_break_of(self)
    }
}

fn first_break_of(study: &Study<'_>) -> Option<Break> {
    let all = Windows::of(study);
    let soc = |step: u32| f64::from(STEPS - step) / f64::from(STEPS);
    let step = (0..=STEPS).find(|it| all.broken(soc(*it)).is_some())?;
    let (mut good, mut bad) = (soc(step.saturating_sub(1)), soc(step));
    if step == 0 {
        good = 1.0;
    } else {
        for _ in 0..HALVINGS {
            let middle = f64::midpoint(good, bad);
            if all.broken(middle).is_some() {
                bad = middle;
            } else {
                good = middle;
            }
        }
    }
    let (index, moment) = all.broken(bad)?;
    let gauge = all.gauges[index];
    let at = if step == 0 {
        "Full already".to_owned()
    } else {
        format!("Below {} charge", percent(bad))
    };
    let mut solver = Solver::new(study.network());
    let open_v = study.network().open_volts(&Charge::uniform(bad));
    solver.solve(&study.loads(&moment), &open_v);
    let volts = gauge.value(&solver).unwrap_or(0.0);
    Some(Break {
        soc: if step == 0 { 1.0 } else { good },
        place: gauge.place.clone(),
        name: gauge.name.clone(),
        sentence: format!(
            "{at} {} leaves its window: {} {}.",
            gauge.name,
            Amount(volts, "V"),
            when(study.plan, &moment)
        )
        .into(),
        moment: moment.to_string(),
    })
}
