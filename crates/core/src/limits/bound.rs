//! What is read from a state, and how it is judged.

use super::heat;
use super::verdict::{Lasts, Levels, Status, Verdict, judge};
use crate::network::{Reading, Solver};
use std::f64::consts::SQRT_2;

/// A drop of more than this share of the voltage is tight, by a planning rule.
pub(super) const DROP_TIGHT: f64 = 0.03;
/// A drop of more than this share of the voltage is too much, by a planning rule.
pub(super) const DROP_TOO_MUCH: f64 = 0.10;
/// Nearer than this share of a window's edge is tight.
const NEAR_EDGE: f64 = 0.02;

/// What is read from a state.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Measure {
    /// A value of one place.
    One(Reading),
    /// The sum of a value over several ports.
    Sum(Vec<Reading>),
    /// What is left of a gap of so many ms behind the hold-up of the stages between.
    Gap { gap_ms: f64, stages: Vec<HoldUp> },
    /// The peak at an outlet, A: each adapter's amperes by its peak over RMS, and √2 of what else
    /// it carries.
    Peak {
        outlet: Reading,
        adapters: Vec<(Reading, f64)>,
    },
}

/// The hold-up of a converter: `ms` at `at_w` of output.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct HoldUp {
    /// The feed into it.
    pub(super) node: usize,
    pub(super) ms: f64,
    pub(super) at_w: f64,
}

/// What a device does after a gap that it does not survive.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum After {
    Resumes,
    Restarts { seconds: Option<f64> },
    Latches,
    Unknown,
}

/// How a value is judged.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Bound {
    /// At most, with time.
    Levels(Levels),
    /// At most the rating of a fuse, A, with its times above it.
    Fuse { rating: f64, tight_from: f64 },
    /// At most what is planned for a lead, A, which warms with a time constant in s.
    Lead {
        limit: f64,
        tight_from: f64,
        tau_s: f64,
    },
    /// At most what a plug carries for long: `sure` A whatever its make, `most` A at the best,
    /// warming with a time constant in s.
    Contact {
        called: &'static str,
        sure: f64,
        most: f64,
        tight_from: f64,
        tau_s: f64,
    },
    /// The contacts of a lead, Ω in all and what sound ones of its kind have: at most `sure` A
    /// wherever the rest may be, `most` A where all share it, warming with a time constant in s.
    Joints {
        ohms: f64,
        sound_ohms: f64,
        sure: f64,
        most: f64,
        tight_from: f64,
        tau_s: f64,
    },
    /// At least so many watts, or an engine soots up.
    LeastLoad { least: f64 },
    /// At most the peak that an outlet gives, A, or it is to be tried; `supposed` is whether nobody
    /// stated how peaked the current of an adapter is.
    Crest { gives: f64, supposed: bool },
    /// Between two voltages; either may be open.
    Window {
        low: Option<f64>,
        high: Option<f64>,
        /// For how long it bears less than `low`, s.
        low_for_s: f64,
    },
    /// A share of the voltage, by the planning rule.
    Drop,
    /// Power for being on, against what it carries.
    Idle { carried: Reading },
    /// No stable state.
    Stands,
    /// At least so many watts, or it turns itself off after a while.
    Least { below: f64, after_s: f64 },
    /// The policy's share of an alternator's rating, idling and at full speed, A.
    Alternator { idle: f64, full: Option<f64> },
    /// A charging input: `near` is its feed, its bands rise.
    Charging {
        near: Reading,
        min: f64,
        max: Option<f64>,
        bands: Vec<(f64, f64)>,
    },
    /// A gap in ms against what the device survives, what it does after, and its deadline.
    Gap {
        survives: Option<f64>,
        after: After,
        deadline_ms: Option<f64>,
    },
}

impl Measure {
    /// The value in a solved state; `None` where the place is dark.
    pub(super) fn value(&self, solver: &Solver<'_>) -> Option<f64> {
        match self {
            Self::One(reading) => solver.read(*reading),
            Self::Sum(readings) => readings.iter().map(|it| solver.read(*it)).sum(),
            Self::Peak { outlet, adapters } => {
                let mut rest = solver.read(*outlet)?;
                let mut peak = 0.0;
                for (reading, crest) in adapters {
                    let amps = solver.read(*reading).unwrap_or(0.0);
                    peak += amps * crest;
                    rest -= amps;
                }
                Some(peak + rest.max(0.0) * SQRT_2)
            }
            Self::Gap { gap_ms, stages } => {
                let held = stages.iter().map(|it| {
                    let out = solver.read(Reading::StageOut(it.node))?;
                    Some(
                        it.ms
                            * if out > 0.0 {
                                (it.at_w / out).min(2.0)
                            } else {
                                2.0
                            },
                    )
                });
                Some((gap_ms - held.sum::<Option<f64>>()?).max(0.0))
            }
        }
    }
}

impl Bound {
    /// The verdict on a value, and the limit that it was judged against.
    pub(super) fn judge(
        &self,
        value: f64,
        lasts: Lasts,
        tight_from: f64,
        solver: &Solver<'_>,
    ) -> (Verdict, f64) {
        let plain = |status, limit| {
            (
                Verdict {
                    status,
                    allowed_s: None,
                },
                limit,
            )
        };
        match self {
            Self::Levels(levels) => (judge(value, lasts, levels, tight_from), levels.continuous),
            Self::Fuse { rating, tight_from } => {
                (heat::fuse(value, lasts, *rating, *tight_from), *rating)
            }
            Self::Lead {
                limit,
                tight_from,
                tau_s,
            } => (
                heat::lead(value, lasts, *limit, *tight_from, *tau_s),
                *limit,
            ),
            Self::Contact {
                sure,
                most,
                tight_from,
                tau_s,
                ..
            }
            | Self::Joints {
                sure,
                most,
                tight_from,
                tau_s,
                ..
            } => {
                let verdict = heat::lead(value, lasts, *sure, *tight_from, *tau_s);
                let open = verdict.status == Status::Trips && value <= *most * (1.0 + 1e-9);
                (
                    if open {
                        Verdict {
                            status: Status::Unproven,
                            allowed_s: None,
                        }
                    } else {
                        verdict
                    },
                    *sure,
                )
            }
            Self::LeastLoad { least } => plain(
                if value < *least {
                    Status::Tight
                } else {
                    Status::Holds
                },
                *least,
            ),
            Self::Crest { gives, .. } => plain(
                if value > *gives {
                    Status::Unproven
                } else {
                    Status::Holds
                },
                *gives,
            ),
            Self::Drop if value > DROP_TOO_MUCH => plain(Status::Trips, DROP_TOO_MUCH),
            Self::Drop if value > DROP_TIGHT => plain(Status::Tight, DROP_TOO_MUCH),
            Self::Drop => plain(Status::Holds, DROP_TIGHT),
            Self::Idle { carried } => {
                let carried = solver.read(*carried).unwrap_or(0.0);
                plain(
                    if value > carried {
                        Status::Tight
                    } else {
                        Status::Holds
                    },
                    carried,
                )
            }
            Self::Stands => plain(
                if value > 0.0 {
                    Status::Trips
                } else {
                    Status::Holds
                },
                0.0,
            ),
            Self::Window {
                low,
                high,
                low_for_s,
            } => {
                let (verdict, edge) = window(value, *low, *high);
                let sagged = verdict.status == Status::Trips && *low == Some(edge) && value < edge;
                match lasts {
                    Lasts::Seconds(seconds) if sagged && seconds < *low_for_s => (
                        Verdict {
                            status: Status::Brief,
                            allowed_s: Some(*low_for_s),
                        },
                        edge,
                    ),
                    Lasts::Unknown if sagged && *low_for_s > 0.0 => (
                        Verdict {
                            status: Status::Unproven,
                            allowed_s: Some(*low_for_s),
                        },
                        edge,
                    ),
                    _ => (verdict, edge),
                }
            }
            Self::Least { below, after_s } => {
                let status = match () {
                    () if value < *below => Status::Trips,
                    () if value * tight_from < *below => Status::Tight,
                    () => Status::Holds,
                };
                let allowed_s = (status == Status::Trips).then_some(*after_s);
                (Verdict { status, allowed_s }, *below)
            }
            Self::Alternator { idle, full } => {
                let status = match (lasts, full) {
                    _ if value <= *idle => Status::Holds,
                    (_, Some(full)) if value <= *full => Status::Tight,
                    // The vehicle's battery carries what the alternator does not, for a while.
                    (Lasts::Seconds(_), _) => Status::Brief,
                    (Lasts::Unknown, _) => Status::Unproven,
                    (Lasts::ForEver, _) => Status::Trips,
                };
                let limit = full.filter(|_| value > *idle).unwrap_or(*idle);
                plain(status, limit)
            }
            Self::Charging {
                near,
                min,
                max,
                bands,
            } => {
                let open_v = solver.read(*near).unwrap_or(value).max(value);
                charging(value, open_v, *min, *max, bands)
            }
            Self::Gap {
                survives,
                after,
                deadline_ms,
            } => gap(value, *survives, *after, *deadline_ms, tight_from),
        }
    }

    /// How far the value is on the good side of the limit, in the unit.
    pub(super) fn margin(&self, value: f64, limit: f64) -> f64 {
        match self {
            Self::Stands => 0.0,
            _ if self.above_is_well(limit) => value - limit,
            _ => limit - value,
        }
    }

    /// Whether what is above this limit of it is on the good side.
    pub(super) fn above_is_well(&self, limit: f64) -> bool {
        match self {
            Self::Window { low, .. } => *low == Some(limit),
            Self::Charging { max, .. } => *max != Some(limit),
            Self::Least { .. } | Self::LeastLoad { .. } => true,
            _ => false,
        }
    }

    /// The levels of what switches itself off beyond them: a breaker's own, a fuse's by its rating
    /// and the most time that it may take above it.
    pub(super) fn switches_off(&self) -> Option<Levels> {
        match self {
            Self::Levels(levels) => Some(levels.clone()),
            Self::Fuse { rating, .. } => Some(heat::fuse_levels(*rating)),
            _ => None,
        }
    }

    /// What is carried for ever by what switches off: the first of [`Self::switches_off`], without
    /// the rest.
    pub(super) fn carries_for_ever(&self) -> Option<f64> {
        match self {
            Self::Levels(levels) => Some(levels.continuous),
            Self::Fuse { rating, .. } => Some(*rating),
            _ => None,
        }
    }

    /// The continuous limit and the levels carried for a while, where it is one of amperes or
    /// watts.
    pub(super) fn levels(&self) -> Option<Levels> {
        match self {
            Self::Levels(levels) => Some(levels.clone()),
            Self::Fuse { rating: limit, .. }
            | Self::Lead { limit, .. }
            | Self::Contact { sure: limit, .. }
            | Self::Joints { sure: limit, .. } => Some(Levels {
                continuous: *limit,
                overload: Vec::new(),
            }),
            _ => None,
        }
    }
}

fn window(value: f64, low: Option<f64>, high: Option<f64>) -> (Verdict, f64) {
    let edges = [
        low.map(|it| (value - it, it)),
        high.map(|it| (it - value, it)),
    ];
    let nearest = edges
        .into_iter()
        .flatten()
        .min_by(|a, b| a.0.total_cmp(&b.0));
    let Some((margin, edge)) = nearest else {
        return (
            Verdict {
                status: Status::Holds,
                allowed_s: None,
            },
            value,
        );
    };
    let status = match margin {
        _ if margin < -1e-9 * edge => Status::Trips,
        _ if margin < NEAR_EDGE * edge => Status::Tight,
        _ => Status::Holds,
    };
    (
        Verdict {
            status,
            allowed_s: None,
        },
        edge,
    )
}

/// `volts` under load and `open_v` without, against the window and the bands of an input.
fn charging(
    volts: f64,
    open_v: f64,
    min: f64,
    max: Option<f64>,
    bands: &[(f64, f64)],
) -> (Verdict, f64) {
    let plain = |status, limit| {
        (
            Verdict {
                status,
                allowed_s: None,
            },
            limit,
        )
    };
    if let Some(max) = max.filter(|it| open_v > *it) {
        return plain(Status::Trips, max);
    }
    let first = bands.first().map_or(min, |it| it.0.max(min));
    if volts < first {
        return plain(Status::Trips, first);
    }
    match bands.iter().find(|it| it.0 > volts) {
        // It takes something, but the full current begins higher up.
        Some(next) => plain(Status::Tight, next.0),
        None => match max {
            Some(max) if open_v > max * (1.0 - NEAR_EDGE) => plain(Status::Tight, max),
            _ if first > 0.0 && volts < first * (1.0 + NEAR_EDGE) => plain(Status::Tight, first),
            _ => plain(Status::Holds, max.unwrap_or(first)),
        },
    }
}

/// A gap in ms: ridden through, or what comes after it.
fn gap(
    value: f64,
    survives: Option<f64>,
    after: After,
    deadline_ms: Option<f64>,
    tight_from: f64,
) -> (Verdict, f64) {
    let limit = survives.unwrap_or(0.0);
    let back_s = if let After::Restarts { seconds } = after {
        seconds.unwrap_or(0.0)
    } else {
        0.0
    };
    let status = match (survives, after) {
        _ if value <= 0.0 => Status::Holds,
        (Some(most), _) if value <= most * tight_from => Status::Holds,
        (Some(most), _) if value <= most => Status::Tight,
        _ if deadline_ms.is_some_and(|it| value + back_s * 1000.0 > it) => Status::Trips,
        (Some(_), After::Latches) => Status::Trips,
        (Some(_), After::Unknown) | (None, After::Latches | After::Unknown) => Status::Unproven,
        (_, After::Resumes | After::Restarts { .. }) => Status::Brief,
    };
    (
        Verdict {
            status,
            allowed_s: None,
        },
        limit,
    )
}
