//! Idle draw by charge drop: how far a store's display falls in hours with nothing on a port or a
//! converter, or with a load of so many watts.
//!
//! With a load the store gives what the load takes and what is lost on the way. Runs at two loads
//! tell the idle draw and what goes with the load apart; a run at one tells the one of the two that
//! it knows better than the plan does, the other taken as the plan has it. Before a converter
//! stands what the plan wires between it and the store: its port, its leads, other converters; what
//! they lose by the plan, with what that may be off, is taken off first.

use super::super::case::{Case, mean};
use super::super::guide::{BATTERY, Guide, Target, columns, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::{Given, Outcome, Plot, Told};
use super::super::place::{Through, port};
use super::super::protocol::Protocol;
use super::charge_drop::Run;
use super::idle::share_of_store;
use crate::ground::json::FieldError;
use crate::ground::say::{Amount, Name};
use crate::site::battery::nominal_v;
use crate::site::plan::{Arrangement, Battery, Plan, Source};
use crate::site::wire::resistance;

/// What a lead is at where nobody says its volts, V.
const USUAL_V: f64 = 12.0;
/// Loads that lie closer together than this share of the largest are one load.
const ALIKE: f64 = 0.2;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::IdleByDrop,
        title: "Idle draw, by charge drop",
        answers: "What a port or a converter takes for being on, where no meter can be put between \
            it and its battery: the display's own fall over a night. With a known load on it, what \
            it loses with its load too.",
        subjects: &[Target::Port, Target::Converter],
        needs: &["the store's own display", "a clock", "eight hours or more"],
        minutes: 10,
        cautions: &[BATTERY],
        disconnect: "Every load but one whose watts are known, and every charger. Other ports are \
            off; turn a mode that saves energy off too.",
        meters: vec![meter("%", "in", false)],
        steps: vec![
            step("Charge to full, and let it rest for an hour with everything off."),
            step(
                "Switch the port on, and the converter on it where that is tested, with nothing \
                behind it. Write down the per cent and the time.",
            ),
            wait("Leave it alone for eight hours.", 28_800),
            step(
                "Write down the per cent again: start, end, hours and the watts on it (0 for \
                nothing) make one row.",
            ),
            step(
                "Once more with a steady load of known watts, where its efficiency is asked too: \
                until it is empty, if you like.",
            ),
        ],
        invalid: &[
            "It was charged, or sun fell on its panel, in between.",
            "The port turned itself off: see whether it is still on at the end.",
            "It came from different states: always start at full.",
        ],
        stop: "The display falls below the floor.",
        readings: columns(&[
            ("at the start", "%", 0),
            ("at the end", "%", 0),
            ("hours", "h", 2),
            ("on it", "W", 1),
        ]),
        file: None,
    }
}

/// What the drop of a store's display is taken off on its way to what is tested.
#[derive(Debug, Clone, Copy)]
enum Leg {
    /// A port or a converter.
    Law(Through),
    /// A lead of so many Ω at so many volts.
    Lead { ohms: f64, volts: f64 },
}

impl Leg {
    fn out_w(self, input: Known) -> Known {
        match self {
            Self::Law(through) => through.out_w(input),
            Self::Lead { ohms, volts } => {
                let lost = ohms * (input.value / volts).powi(2);
                Known {
                    value: input.value - lost,
                    ..input
                }
            }
        }
    }

    /// The same with each part of its law once as much larger as it may be off.
    fn moved(self) -> Vec<Self> {
        let Self::Law(through) = self else {
            return Vec::new();
        };
        let part = |it: usize| {
            let mut moved = through.for_sure();
            match it {
                0 => moved.law.idle_w += through.half[0],
                1 => moved.law.proportional += through.half[1],
                _ => moved.law.quadratic_per_w += through.half[2],
            }
            Self::Law(moved)
        };
        (0..3)
            .filter(|it| through.half[*it] > 0.0)
            .map(part)
            .collect()
    }

    fn for_sure(self) -> Self {
        match self {
            Self::Law(through) => Self::Law(through.for_sure()),
            lead @ Self::Lead { .. } => lead,
        }
    }
}

/// The store whose display is read, and what stands between it and what is tested.
struct Chain<'a> {
    battery: &'a Battery,
    legs: Vec<Leg>,
    /// Where a converter gets it, in words: "Station, 12 V socket"; none for a port.
    from: Option<String>,
}

impl<'a> Chain<'a> {
    fn of(case: &'a Case<'a>) -> Result<Self, FieldError> {
        let id = case.test.of.id.as_str();
        if case.plan.converter(id).is_none() {
            return Ok(Self {
                battery: case.battery()?,
                legs: Vec::new(),
                from: None,
            });
        }
        let found = case
            .plan
            .arrangements
            .iter()
            .find_map(|way| Self::to(case.plan, way, id));
        found.ok_or_else(|| {
            FieldError::of(
                "of",
                format!(
                    "\"{id}\" hangs on no store in any arrangement; wire it to the one \
                whose display you read"
                ),
            )
        })
    }

    /// The chain of a converter in an arrangement; none where no store is at its beginning.
    fn to(plan: &'a Plan, way: &Arrangement, converter: &str) -> Option<Self> {
        let mut feeds: Vec<usize> = way.chain(converter);
        feeds.reverse();
        let root = &way.feeds[*feeds.first()?];
        let source: &Source = plan.source(root.from.item.as_str())?;
        let battery = source.battery.as_ref()?;
        let mut legs = Vec::new();
        for feed in feeds.iter().map(|it| &way.feeds[*it]) {
            let port = plan.port(&feed.from);
            legs.extend(
                port.and_then(|it| it.loss.as_ref())
                    .map(|it| Leg::Law(Through::of(Some(it)))),
            );
            let stated = port.and_then(|it| {
                it.voltage.standing(
                    feed.voltage_v
                        .as_ref()
                        .map(crate::ground::figure::Figure::get),
                )
            });
            let volts = stated.or_else(|| nominal_v(battery)).unwrap_or(USUAL_V);
            let ohms = resistance(feed.cable.as_ref(), plan.site.ambient()).0;
            if ohms > 0.0 {
                legs.push(Leg::Lead { ohms, volts });
            }
            let between = plan
                .converter(feed.to.item.as_str())
                .filter(|it| it.id.as_str() != converter);
            legs.extend(
                between
                    .and_then(|it| it.loss.as_ref())
                    .map(|it| Leg::Law(Through::of(Some(it)))),
            );
        }
        let port = plan
            .port(&root.from)
            .map_or("", |it| it.label.as_deref().unwrap_or(it.id.as_str()));
        Some(Self {
            battery,
            legs,
            from: Some(format!("{}, {}", Name(&source.label), Name(port))),
        })
    }

    /// Where it was measured, in words behind a figure.
    fn on(&self) -> String {
        self.from
            .as_ref()
            .map_or_else(String::new, |it| format!(" on {it}"))
    }

    /// What was taken, in words behind its watts.
    fn taken(&self) -> String {
        self.from.as_ref().map_or_else(
            || "taken from the store".to_owned(),
            |it| format!("into it from {it}"),
        )
    }

    /// A run as it arrives at what is tested.
    fn behind(&self, run: &Run) -> Run {
        let watts = self
            .legs
            .iter()
            .fold(run.watts, |watts, leg| leg.out_w(watts));
        let by_display = self
            .legs
            .iter()
            .fold(run.by_display, |watts, leg| leg.for_sure().out_w(watts));
        Run {
            watts,
            by_display,
            ..*run
        }
    }
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let chain = Chain::of(case)?;
    let battery = chain.battery;
    let rows = case.rows(3);
    if rows.is_empty() {
        return Ok(Outcome::says(
            "Write down the per cent at the start and at the end, and the hours between.",
        ));
    }
    let taken: Vec<Run> = rows
        .iter()
        .map(|(row, it)| Run::of(*row, battery, &it[..3]))
        .collect::<Result<_, _>>()?;
    let runs: Vec<Run> = taken.iter().map(|it| chain.behind(it)).collect();
    let plot = Plot::of(("run", "h"), ("taken", "W"))
        .with(runs.iter().map(|it| (it.row, it.hours, it.watts)));
    let loads = loads(case, &runs)?;
    if loads.iter().any(|it| it.value > 0.0) {
        return Ok(Outcome {
            plot: Some(plot),
            ..with_loads(case, &chain, (&taken, &runs), &loads)
        });
    }
    let watts: Vec<_> = runs.iter().map(|it| it.watts).collect();
    let found = mean(&watts);
    let share = share_of_store(case, found.value);
    let mut sentence = format!(
        "Idle {}{}: {} a day{share}.",
        found.words("W"),
        chain.on(),
        Amount(found.value * 24.0, "Wh")
    );
    if found.plus_minus > 0.3 * found.value.abs() {
        sentence += " The display is too coarse for that: run for longer.";
    }
    let figures = (found.value > 0.0).then(|| case.given("idle draw", "W", "/loss/idle_w", found));
    Ok(Outcome {
        sentence: sentence.into(),
        figures: figures.into_iter().collect(),
        plot: Some(plot),
        ..Outcome::says("")
    })
}

/// What hung on the port in each run; nothing where it was left out.
fn loads(case: &Case<'_>, runs: &[Run]) -> Result<Vec<Known>, FieldError> {
    let load = |run: &Run| {
        let watts = case.test.rows[run.row]
            .values
            .get(3)
            .copied()
            .flatten()
            .unwrap_or(0.0);
        match watts {
            it if it < 0.0 => Err(FieldError::of(
                "rows",
                format!("row {}: what hangs on it is 0 W or more", run.row + 1),
            )),
            it if it > 0.0 => Ok(case.meter(3).read(it)),
            _ => Ok(Known::sure(0.0)),
        }
    };
    runs.iter().map(load).collect()
}

/// A part of a port's law that runs tell: its name, its unit, where it stands, what was found, and
/// what the plan's own may be off.
struct Part {
    name: &'static str,
    unit: &'static str,
    below: &'static str,
    found: Known,
    planned: f64,
}

impl Part {
    fn idle(found: Known, planned: f64) -> Self {
        Self {
            name: "idle draw",
            unit: "W",
            below: "/loss/idle_w",
            found,
            planned,
        }
    }

    fn proportional(found: Known, planned: f64) -> Self {
        Self {
            name: "lost per watt",
            unit: "",
            below: "/loss/proportional",
            found,
            planned,
        }
    }

    /// Whether it is known better by the runs than by the plan.
    fn is_news(&self) -> bool {
        let within = self.unit == "W" || self.found.value < 1.0;
        within
            && self.found.value >= 0.0
            && (self.planned <= 0.0 || self.found.plus_minus < self.planned)
    }

    fn given(&self, case: &Case<'_>) -> Given {
        case.given(self.name, self.unit, self.below, self.found)
    }

    fn words(&self) -> String {
        match self.unit {
            "W" => format!("idle {}", self.found.words("W")),
            _ => format!("{} of the load", self.found.scaled(100.0).words("%")),
        }
    }
}

fn with_loads(
    case: &Case<'_>,
    chain: &Chain<'_>,
    (taken, runs): (&[Run], &[Run]),
    loads: &[Known],
) -> Outcome {
    let of = &case.test.of;
    let port = case
        .plan
        .source(&of.id)
        .zip(of.part.as_deref())
        .and_then(|(source, part)| port(source, part));
    let own = || case.plan.converter(&of.id).and_then(|it| it.loss.as_ref());
    let through = Through::of(port.and_then(|it| it.loss.as_ref()).or_else(own));
    let (law, half) = (through.law, through.half);
    let into = mean(&runs.iter().map(|it| it.watts).collect::<Vec<_>>());
    let most = loads.iter().map(|it| it.value).fold(0.0, f64::max);
    let least = loads
        .iter()
        .map(|it| it.value)
        .fold(f64::INFINITY, f64::min);
    // What is lost beside the part that goes with the square, which no display tells.
    let square = |load: &Known| Known {
        value: law.quadratic_per_w * load.value * load.value,
        plus_minus: half[2] * load.value * load.value,
    };
    let lost: Vec<Known> = runs
        .iter()
        .zip(loads)
        .map(|(run, load)| run.watts.minus(*load).minus(square(load)))
        .collect();
    let told: Vec<Told> = runs
        .iter()
        .zip(loads)
        .filter(|it| it.1.value > 0.0 && it.0.watts.value > 0.0)
        .map(|(run, load)| {
            let share = load.over(run.watts).scaled(100.0);
            Told::of(
                format!("efficiency at {}", Amount(load.value, "W")),
                "%",
                share,
            )
        })
        .collect();
    if let Some((run, load)) = runs
        .iter()
        .zip(loads)
        .find(|it| it.0.watts.value + it.0.watts.plus_minus < it.1.value)
    {
        return Outcome::says(format!(
            "{} on it, but only {} {}: the store holds more than the plan says, or the load took \
            less.",
            Amount(load.value, "W"),
            Amount(run.watts.value, "W"),
            chain.taken()
        ));
    }
    let parts = if most - least > ALIKE * most {
        let square = |load: f64| law.quadratic_per_w * load * load;
        apart(chain, taken, loads, square).map_or_else(Vec::new, |(idle, per_watt)| {
            vec![
                Part::idle(idle, half[0]),
                Part::proportional(per_watt, half[1]),
            ]
        })
    } else {
        let (load, lost) = (mean(loads), mean(&lost));
        let by_load = Known {
            value: law.proportional,
            plus_minus: half[1],
        }
        .times(load);
        let idle = lost.minus(by_load);
        let per_watt = lost
            .minus(Known {
                value: law.idle_w,
                plus_minus: half[0],
            })
            .over(load);
        let parts = [
            Part::idle(idle, half[0]),
            Part::proportional(per_watt, half[1]),
        ];
        // The one that the run knows best against what the plan knows of it.
        let gain = |it: &Part| {
            if it.planned > 0.0 {
                it.found.plus_minus / it.planned
            } else {
                it.found.plus_minus
            }
        };
        parts
            .into_iter()
            .filter(Part::is_news)
            .min_by(|a, b| gain(a).total_cmp(&gain(b)))
            .into_iter()
            .collect()
    };
    let news: Vec<&Part> = parts.iter().filter(|it| it.is_news()).collect();
    let said: Vec<String> = news.iter().map(|it| it.words()).collect();
    let said_of = match runs {
        [_] => format!(
            "{} {} for {}",
            into.words("W"),
            chain.taken(),
            Amount(most, "W")
        ),
        _ => format!(
            "{} runs up to {}{}",
            runs.len(),
            Amount(most, "W"),
            chain.on()
        ),
    };
    let sentence = match &said[..] {
        [] => format!(
            "{said_of}: that tells no part of its loss better than the plan knows it. Run for \
            longer, or at another load too."
        ),
        said => format!("{said_of}: {}.", said.join("; ")),
    };
    Outcome {
        told,
        figures: news.iter().map(|it| it.given(case)).collect(),
        ..Outcome::says(sentence)
    }
}

/// Idle draw, W, and what is lost per watt, by a straight line through what was lost at each load.
/// What the store really holds is common to all runs, and so is what the load's meter is off and
/// what is lost before a converter: none of these shrinks with their number. None below zero.
fn apart(
    chain: &Chain<'_>,
    runs: &[Run],
    loads: &[Known],
    square: impl Fn(f64) -> f64,
) -> Option<(Known, Known)> {
    let arrived: Vec<Known> = runs
        .iter()
        .map(|it| {
            chain
                .legs
                .iter()
                .fold(it.by_display, |w, leg| leg.for_sure().out_w(w))
        })
        .collect();
    let weights: Vec<f64> = arrived
        .iter()
        .map(|it| 1.0 / it.plus_minus.powi(2).max(1e-12))
        .collect();
    let line = |legs: &[Leg], times: f64, meter: f64| {
        let points = runs
            .iter()
            .zip(loads)
            .zip(&weights)
            .map(|((run, load), weight)| {
                let (taken, load) = (Known::sure(run.watts.value * times), load.value * meter);
                let arrived = legs.iter().fold(taken, |watts, leg| leg.out_w(watts)).value;
                (*weight, load, arrived - load - square(load))
            });
        Line::through(points)
    };
    let plain = line(&chain.legs, 1.0, 1.0)?;
    let share = |it: &Known| {
        if it.value > 0.0 {
            it.plus_minus / it.value
        } else {
            0.0
        }
    };
    let store = runs.iter().map(Run::store_share).fold(0.0, f64::max);
    let meter = loads.iter().map(share).fold(0.0, f64::max);
    let mut moved = vec![
        line(&chain.legs, 1.0 + store, 1.0)?,
        line(&chain.legs, 1.0, 1.0 + meter)?,
    ];
    for (place, leg) in chain.legs.iter().enumerate() {
        for it in leg.moved() {
            let mut legs = chain.legs.clone();
            legs[place] = it;
            moved.push(line(&legs, 1.0, 1.0)?);
        }
    }
    let half = |of: fn(&Line) -> f64, own: f64| {
        moved
            .iter()
            .fold(own, |sum, it| sum.hypot(of(it) - of(&plain)))
    };
    let (idle_half, slope_half) = (
        half(|it| it.idle, plain.idle_half),
        half(|it| it.slope, plain.slope_half),
    );
    let (idle, slope) = plain.not_below_nothing();
    Some((
        Known {
            value: idle,
            plus_minus: idle_half,
        },
        Known {
            value: slope,
            plus_minus: slope_half,
        },
    ))
}

/// A straight line through points, weighed.
struct Line {
    idle: f64,
    slope: f64,
    /// Half-widths by the scatter of the points alone.
    idle_half: f64,
    slope_half: f64,
    sums: [f64; 5],
}

impl Line {
    /// Through points of a weight, a load and what was lost at it; none where all lie at one load.
    fn through(points: impl Iterator<Item = (f64, f64, f64)>) -> Option<Self> {
        let sums = points.fold([0.0; 5], |sum, (w, x, y)| {
            [
                sum[0] + w,
                sum[1] + w * x,
                sum[2] + w * x * x,
                sum[3] + w * y,
                sum[4] + w * x * y,
            ]
        });
        let [w, x, xx, y, xy] = sums;
        let size = w * xx - x * x;
        (size > 1e-9 * w * xx).then(|| Self {
            idle: (xx * y - x * xy) / size,
            slope: (w * xy - x * y) / size,
            idle_half: (xx / size).sqrt(),
            slope_half: (w / size).sqrt(),
            sums,
        })
    }

    /// Idle draw and slope of the best line of which neither is below nothing.
    fn not_below_nothing(&self) -> (f64, f64) {
        let [w, _, xx, y, xy] = self.sums;
        match () {
            () if self.slope < 0.0 => ((y / w).max(0.0), 0.0),
            () if self.idle < 0.0 => (0.0, (xy / xx).max(0.0)),
            () => (self.idle, self.slope),
        }
    }
}
