//! Phase profile: what a device draws from start to stop, found in a logger's file.
//!
//! The power is cut into steps of one level each (binary segmentation of a piecewise constant mean,
//! after Scott and Knott 1974, with the noise told from neighbours); levels that come again and
//! again are running and busy, what stands before them is starting, what stands after them
//! stopping.

use super::log::{Holds, Log};
use crate::ground::json::FieldError;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;

/// A phase as a device has it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Found {
    /// starting, running, busy or stopping.
    pub when: Cow<'static, str>,
    /// Mean power, W.
    pub watts: f64,
    /// How long, s; of starting and stopping.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub seconds: Option<f64>,
    /// Share of the time that it is on, 0 to 1; of busy.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub share: Option<f64>,
}

/// A load that comes and goes.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Cycles {
    /// Share of a period that it is on, 0 to 1.
    pub on_fraction: f64,
    /// The period, s.
    pub period_s: f64,
    /// How many whole periods were seen.
    pub seen: usize,
}

/// A profile.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Profile {
    /// The phases, as in a device.
    pub phases: Vec<Found>,
    /// How it comes and goes; none where it does not.
    pub cycle: Option<Cycles>,
    /// Below this it is off, W.
    pub off_below_w: f64,
    /// Noise of the readings, W (one standard deviation).
    pub noise_w: f64,
    /// How sure the phases are, 0 to 1: how far their levels stand apart against the noise, and how
    /// often they were seen.
    pub confidence: f64,
    /// What is odd about the file, in sentences.
    pub remarks: Vec<String>,
    /// Length of what was logged, gaps taken out, s.
    pub seconds: f64,
}

/// A stretch of one level.
#[derive(Debug, Clone, Copy, PartialEq)]
struct Step {
    watts: f64,
    seconds: f64,
}

/// Levels nearer than this share are the same.
const SAME: f64 = 0.1;
/// The noise of a log that shows none, and at most where all that it shows are steps, as shares of
/// its highest level.
const QUIET: f64 = 0.001;
const COARSE: f64 = 0.02;
/// What is below this share of the high level is off.
const OFF: f64 = 0.04;
/// Rows that are cut into steps at most; longer files are averaged first.
const MOST_ROWS: usize = 40_000;

/// Finds the phases in a log with `watts`, or with `volts` and `amps`.
///
/// # Errors
/// Where columns are missing, there are too few rows, or times fall.
pub fn profile(log: &Log) -> Result<Profile, FieldError> {
    let no = |why: String| FieldError::of("file", why);
    let time = log
        .of(Holds::Time)
        .ok_or_else(|| no("has no column of times; name one time_s".to_owned()))?;
    let watts: Vec<f64> = match (
        log.of(Holds::Watts),
        log.of(Holds::Volts),
        log.of(Holds::Amps),
    ) {
        (Some(watts), ..) => watts.to_vec(),
        (None, Some(volts), Some(amps)) => volts.iter().zip(amps).map(|(v, a)| v * a).collect(),
        _ => {
            let why = "has no column of watts, and not both of volts and amps; name them so in \
                    the head";
            return Err(no(why.to_owned()));
        }
    };
    let rows: Vec<(f64, f64)> = time
        .iter()
        .copied()
        .zip(watts)
        .filter(|it| it.0.is_finite() && it.1.is_finite())
        .collect();
    if rows.len() < 10 {
        return Err(no(format!(
            "has {} rows with a time and a power; a profile needs 10 or more",
            rows.len()
        )));
    }
    if let Some(index) = rows.windows(2).position(|it| it[1].0 < it[0].0) {
        return Err(no(format!(
            "times fall at row {} of the numbers; rows must come in the order of time",
            index + 2
        )));
    }
    let mut remarks = Vec::new();
    let step = usual_step(&rows);
    if step <= 0.0 {
        return Err(no("all rows have the same time".to_owned()));
    }
    let gaps = rows
        .windows(2)
        .filter(|it| it[1].0 - it[0].0 > 5.0 * step)
        .count();
    let doubles = rows.windows(2).filter(|it| it[1].0 <= it[0].0).count();
    if gaps > 0 {
        remarks.push(format!("{gaps} gaps; their time is left out"));
    }
    if doubles > 0 {
        remarks.push(format!(
            "{doubles} rows have the time of the row before; they are taken as one with it"
        ));
    }
    let rows = thinned(&rows);
    let step = usual_step(&rows).max(step);
    // Each row stands for the time to the next one, a gap for no more than an ordinary step.
    let held: Vec<Step> = rows
        .iter()
        .enumerate()
        .map(|(index, it)| {
            let to = rows.get(index + 1).map_or(it.0 + step, |next| next.0);
            Step {
                watts: it.1,
                seconds: (to - it.0).min(5.0 * step).max(0.0),
            }
        })
        .collect();
    let noise = noise_of(&held);
    let mut sorted: Vec<f64> = held.iter().map(|it| it.watts).collect();
    sorted.sort_by(f64::total_cmp);
    let high = sorted[(sorted.len() - 1) * 95 / 100];
    let off_below = (OFF * high).max(4.0 * noise.min(high / 10.0)).max(0.05);
    let runs = runs(&held, off_below);
    if runs.is_empty() {
        return Err(no(
            "is never on: nothing in it stands above its noise".to_owned()
        ));
    }
    let parts: Vec<Vec<Step>> = runs
        .iter()
        .map(|it| merged(steps(&held[it.0..it.1], noise), noise))
        .collect();
    let levels = levels(&parts, noise);
    let (phases, apart) = phases(&parts, &levels, noise);
    let cycle = cycle(&held, &runs);
    let seen =
        parts.len() as f64 * phases.iter().filter(|it| it.when == "busy").count().max(1) as f64;
    let confidence =
        (apart / (apart + 4.0)).min(1.0) * (1.0 - 0.5 / (1.0 + seen + levels.busy_times as f64));
    Ok(Profile {
        phases,
        cycle,
        off_below_w: off_below,
        noise_w: noise,
        confidence,
        remarks,
        seconds: held.iter().map(|it| it.seconds).sum(),
    })
}

fn usual_step(rows: &[(f64, f64)]) -> f64 {
    let mut steps: Vec<f64> = rows
        .windows(2)
        .map(|it| it[1].0 - it[0].0)
        .filter(|it| *it > 0.0)
        .collect();
    steps.sort_by(f64::total_cmp);
    steps.get(steps.len() / 2).copied().unwrap_or(0.0)
}

/// A long file averaged over as many rows as leave no more than can be cut into steps at once.
fn thinned(rows: &[(f64, f64)]) -> Vec<(f64, f64)> {
    let over = rows.len().div_ceil(MOST_ROWS);
    if over <= 1 {
        return rows.to_vec();
    }
    rows.chunks(over)
        .map(|it| {
            (
                it[0].0,
                it.iter().map(|it| it.1).sum::<f64>() / it.len() as f64,
            )
        })
        .collect()
}

/// One standard deviation of the noise while it is on, by the median of the differences of
/// neighbours, which steps do not move.
fn noise_of(held: &[Step]) -> f64 {
    let high = held.iter().map(|it| it.watts).fold(0.0, f64::max);
    let apart = |least: f64| {
        let on = held
            .windows(2)
            .filter(|it| it[0].watts.min(it[1].watts) > least);
        let mut apart: Vec<f64> = on.map(|it| (it[1].watts - it[0].watts).abs()).collect();
        apart.sort_by(f64::total_cmp);
        apart
    };
    let while_on = apart(OFF * high);
    let differences = if while_on.len() < 2 {
        apart(f64::NEG_INFINITY)
    } else {
        while_on
    };
    let middle = differences
        .get(differences.len() / 2)
        .copied()
        .unwrap_or(0.0);
    // One that mostly stands still shows the step of its display, or hardly any noise.
    let smallest = differences
        .iter()
        .copied()
        .find(|it| *it > 0.0)
        .unwrap_or(0.0);
    let found = if middle > 0.0 {
        middle
    } else {
        smallest.clamp(QUIET * high, COARSE * high)
    };
    found / (0.6745 * std::f64::consts::SQRT_2)
}

/// From and to of each stretch that is on; blinks of one row are neither on nor off.
fn runs(held: &[Step], off_below: f64) -> Vec<(usize, usize)> {
    let mut runs: Vec<(usize, usize)> = Vec::new();
    let mut from = None;
    for (index, it) in held.iter().enumerate() {
        match (it.watts > off_below, from) {
            (true, None) => from = Some(index),
            (false, Some(start))
                if held
                    .get(index + 1)
                    .is_none_or(|next| next.watts <= off_below) =>
            {
                runs.push((start, index));
                from = None;
            }
            _ => {}
        }
    }
    runs.extend(from.map(|start| (start, held.len())));
    runs.retain(|it| it.1 - it.0 > 1);
    runs
}

/// Cuts a stretch where the means to both sides differ most, for as long as noise cannot explain
/// it.
fn steps(held: &[Step], noise: f64) -> Vec<Step> {
    let (mut sums, mut squares) = (vec![0.0; held.len() + 1], vec![0.0; held.len() + 1]);
    for (index, it) in held.iter().enumerate() {
        sums[index + 1] = sums[index] + it.watts;
        squares[index + 1] = squares[index] + it.watts * it.watts;
    }
    let mean = |from: usize, to: usize| (sums[to] - sums[from]) / (to - from) as f64;
    let spread: f64 = noise.max(0.004 * mean(0, held.len()).abs()).max(1e-6);
    // What a cut has to explain: a chance of one in the number of rows, several times over.
    let enough = spread * spread * 4.0 * (held.len().max(8) as f64).ln() * 1.5;
    let mut cuts = vec![0, held.len()];
    let mut open = vec![(0, held.len())];
    while let Some((from, to)) = open.pop() {
        let cut = (from + 1..to)
            .max_by(|a, b| gain(&sums, from, *a, to).total_cmp(&gain(&sums, from, *b, to)));
        let Some(cut) = cut.filter(|it| gain(&sums, from, *it, to) > enough) else {
            continue;
        };
        cuts.push(cut);
        open.extend([(from, cut), (cut, to)]);
    }
    cuts.sort_unstable();
    cuts.dedup();
    cuts.windows(2)
        .map(|it| Step {
            watts: mean(it[0], it[1]),
            seconds: held[it[0]..it[1]].iter().map(|it| it.seconds).sum(),
        })
        .collect()
}

/// By how much a cut lessens the squares around the means.
fn gain(sums: &[f64], from: usize, cut: usize, to: usize) -> f64 {
    let (n, m) = ((cut - from) as f64, (to - cut) as f64);
    let apart = (sums[cut] - sums[from]) / n - (sums[to] - sums[cut]) / m;
    apart * apart * n * m / (n + m)
}

fn is_same(a: f64, b: f64, noise: f64) -> bool {
    (a - b).abs() <= (SAME * a.abs().max(b.abs())).max(2.0 * noise.min(0.05 * a.abs().max(b.abs())))
}

/// Neighbours of one level as one.
fn merged(steps: Vec<Step>, noise: f64) -> Vec<Step> {
    let mut merged: Vec<Step> = Vec::new();
    for it in steps {
        match merged.last_mut() {
            Some(last) if is_same(last.watts, it.watts, noise) => {
                let seconds = last.seconds + it.seconds;
                last.watts =
                    (last.watts * last.seconds + it.watts * it.seconds) / seconds.max(1e-9);
                last.seconds = seconds;
            }
            _ => merged.push(it),
        }
    }
    merged
}

/// The levels at which a device spends its time.
struct Levels {
    running: f64,
    busy: Option<f64>,
    /// How often it was busy.
    busy_times: usize,
}

/// Running is the level with most of the time; busy is the one above it that comes again, or lasts.
fn levels(parts: &[Vec<Step>], noise: f64) -> Levels {
    let mut groups: Vec<(f64, f64, usize)> = Vec::new();
    // Each run's first step may be a start: it counts where its level comes later too, or where
    // there is nothing else.
    for part in parts {
        let skip = usize::from(part.len() > 1);
        for it in part.iter().skip(skip) {
            match groups
                .iter_mut()
                .find(|group| is_same(group.0, it.watts, noise))
            {
                Some(group) => {
                    let seconds = group.1 + it.seconds;
                    group.0 = (group.0 * group.1 + it.watts * it.seconds) / seconds.max(1e-9);
                    (group.1, group.2) = (seconds, group.2 + 1);
                }
                None => groups.push((it.watts, it.seconds, 1)),
            }
        }
    }
    let all: f64 = groups.iter().map(|it| it.1).sum();
    groups.sort_by(|a, b| b.1.total_cmp(&a.1));
    let first = groups[0];
    let second = groups
        .iter()
        .skip(1)
        .find(|it| it.2 >= 2 && it.1 > 0.02 * all && !is_same(it.0, first.0, noise));
    match second {
        None => Levels {
            running: first.0,
            busy: None,
            busy_times: 0,
        },
        Some(other) => {
            let (low, high) = if first.0 < other.0 {
                (first, *other)
            } else {
                (*other, first)
            };
            Levels {
                running: low.0,
                busy: Some(high.0),
                busy_times: high.2,
            }
        }
    }
}

/// The phases, and how far their levels stand apart in noises.
fn phases(parts: &[Vec<Step>], levels: &Levels, noise: f64) -> (Vec<Found>, f64) {
    let nearest = |watts: f64| -> Option<bool> {
        let busy = levels
            .busy
            .filter(|it| is_same(*it, watts, noise))
            .map(|_| true);
        let running = is_same(levels.running, watts, noise).then_some(false);
        busy.or(running)
    };
    let mut steady = [(0.0, 0.0); 2];
    let mut starts: Vec<Vec<Step>> = Vec::new();
    let mut stops: Vec<Vec<Step>> = Vec::new();
    for part in parts {
        let first = part
            .iter()
            .position(|it| nearest(it.watts) == Some(false))
            .or_else(|| part.iter().position(|it| nearest(it.watts).is_some()));
        let last = part.iter().rposition(|it| nearest(it.watts).is_some());
        let (Some(mut first), Some(last)) = (first, last) else {
            continue;
        };
        // What is busy at once belongs to the busy time, unless a step that is neither comes before
        // it.
        while first > 0 && nearest(part[first - 1].watts).is_some() {
            first -= 1;
        }
        for it in &part[first..=last] {
            // A level between the two goes to the nearer one.
            let is_busy = nearest(it.watts).unwrap_or_else(|| {
                levels
                    .busy
                    .is_some_and(|busy| (busy - it.watts).abs() < (levels.running - it.watts).abs())
            });
            let sum = &mut steady[usize::from(is_busy)];
            (sum.0, sum.1) = (sum.0 + it.watts * it.seconds, sum.1 + it.seconds);
        }
        starts.push(part[..first].to_vec());
        stops.push(part[last + 1..].to_vec());
    }
    let mut found = usual(&starts, "starting");
    let mean = |sum: (f64, f64)| sum.0 / sum.1.max(1e-9);
    found.push(Found {
        when: "running".into(),
        watts: mean(steady[0]),
        seconds: None,
        share: None,
    });
    let mut apart = levels.running / noise.max(1e-9);
    if levels.busy.is_some() && steady[1].1 > 0.0 {
        let share = steady[1].1 / (steady[0].1 + steady[1].1);
        found.push(Found {
            when: "busy".into(),
            watts: mean(steady[1]),
            seconds: None,
            share: Some(share),
        });
        apart = (mean(steady[1]) - mean(steady[0])).abs() / noise.max(1e-9);
    }
    found.extend(usual(&stops, "stopping"));
    (found, apart)
}

/// The steps of the usual start or stop: those of the runs with the commonest number of steps,
/// averaged.
fn usual(all: &[Vec<Step>], when: &'static str) -> Vec<Found> {
    let with = all.iter().filter(|it| !it.is_empty()).count();
    // Fewer than half of the runs have one: it is no habit of the device.
    if with * 2 < all.len() || with == 0 {
        return Vec::new();
    }
    let mut counts: Vec<usize> = all.iter().map(Vec::len).filter(|it| *it > 0).collect();
    counts.sort_unstable();
    let common = counts[counts.len() / 2];
    let same: Vec<&Vec<Step>> = all.iter().filter(|it| it.len() == common).collect();
    let n = same.len().max(1) as f64;
    (0..common)
        .map(|index| Found {
            when: when.into(),
            watts: same.iter().map(|it| it[index].watts).sum::<f64>() / n,
            seconds: Some(same.iter().map(|it| it[index].seconds).sum::<f64>() / n),
            share: None,
        })
        .collect()
}

/// How it comes and goes: the median time from one switching on to the next, and the share of it
/// that is on.
fn cycle(held: &[Step], runs: &[(usize, usize)]) -> Option<Cycles> {
    if runs.len() < 3 {
        return None;
    }
    let at: Vec<f64> = held
        .iter()
        .scan(0.0, |sum, it| {
            let now = *sum;
            *sum += it.seconds;
            Some(now)
        })
        .collect();
    let time = |index: usize| at.get(index).copied().unwrap_or_else(|| at[at.len() - 1]);
    let mut periods: Vec<f64> = runs
        .windows(2)
        .map(|it| time(it[1].0) - time(it[0].0))
        .collect();
    let on: f64 = runs[..runs.len() - 1]
        .iter()
        .map(|it| time(it.1) - time(it.0))
        .sum();
    let all: f64 = periods.iter().sum();
    periods.sort_by(f64::total_cmp);
    Some(Cycles {
        on_fraction: on / all.max(1e-9),
        period_s: periods[periods.len() / 2],
        seen: periods.len(),
    })
}
