//! Switchover captures: how long an outlet is dead, how long disturbed, how far it swings over, and
//! what wave it gives.
//!
//! Works on what any scope or logger writes: times and volts, evenly spaced or not, with noise, an
//! offset, a clipped top, or samples missing. Definitions as in `docs/bench-methods.md`.

use crate::ground::json::FieldError;
use serde::{Deserialize, Serialize};
use std::borrow::Cow;
use std::f64::consts::{SQRT_2, TAU};

/// One sample: time, s, and volts.
pub type Sample = (f64, f64);

/// More than this no probe on a supply reads, V; and no clock says, s.
const MOST_V: f64 = 1e6;
const MOST_S: f64 = 1e12;
/// Below this share of the nominal peak nothing is there.
const DEAD: f64 = 0.1;
/// A stretch has to last this long to be more than a zero crossing, s.
const DEAD_S: f64 = 0.002;
/// A departure from the first cycles' sine of more than this share of the peak is a disturbance.
const DEPARTS: f64 = 0.15;
/// A cycle whose RMS lies within this share of nominal is well again.
const WELL: f64 = 0.1;
/// Of the wave's RMS, what is not its fundamental; a sine has less, a stepped wave more.
const STEPPED: f64 = 0.18;
/// Cycles that the sine before is fitted to.
const FIRST: f64 = 2.0;
/// Cycles over which an overshoot is looked for.
const AFTER: f64 = 3.0;
/// Cycles over which the settled peak is taken.
const LAST: usize = 5;
/// Noise that is left in a smoothed DC capture, as a share of nominal.
const CALM: f64 = 0.0025;
/// Samples that are smoothed over at most.
const MOST_SMOOTHED: usize = 15;

/// What a capture shows.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Capture {
    /// `ac` or `dc`, told from the data.
    pub current: Cow<'static, str>,
    /// When it begins, s on the file's own clock.
    pub begin_s: f64,
    /// Frequency before, Hz; AC alone.
    pub frequency_hz: Option<f64>,
    /// Nominal voltage that it was judged by, V RMS or DC: as given, else as before the
    /// disturbance.
    pub nominal_v: f64,
    /// The longest stretch below a tenth of the nominal peak, ms; 0 where there is none; AC alone.
    pub dead_ms: Option<f64>,
    /// Where that stretch begins, s on the file's own clock; AC alone.
    pub dead_from_s: Option<f64>,
    /// Where the sine of the first cycles is first departed from, s on the file's own clock; AC
    /// alone.
    pub disturbed_from_s: Option<f64>,
    /// From the first departure from the sine of the first cycles until each cycle's RMS stays
    /// within a tenth of nominal, ms; 0 where nothing departs, none where it does not come back
    /// within the capture; AC alone.
    pub disturbed_ms: Option<f64>,
    /// The highest swing in the three cycles after the dead stretch over the settled peak, %; AC
    /// alone.
    pub overshoot_percent: Option<f64>,
    /// `sine` or `stepped`, before the disturbance; AC alone.
    pub waveform_before: Option<Cow<'static, str>>,
    /// `sine` or `stepped`, at the end; AC alone.
    pub waveform_after: Option<Cow<'static, str>>,
    /// Lowest voltage, noise taken out, V; DC alone.
    pub lowest_v: Option<f64>,
    /// The longest stretch below the minimum, ms; DC alone, where a minimum is given.
    pub below_ms: Option<f64>,
    /// What is odd about the capture, in sentences.
    pub remarks: Vec<String>,
}

/// Reads a capture. `nominal_v` is RMS for AC; `minimum_v` is what a DC device needs.
///
/// # Errors
/// Where there are too few samples, or times do not rise.
pub fn capture(
    samples: &[Sample],
    nominal_v: Option<f64>,
    minimum_v: Option<f64>,
) -> Result<Capture, FieldError> {
    let no = |why: String| FieldError::of("file", why);
    if samples.len() < 20 {
        return Err(no(format!(
            "has {} samples; a capture needs 20 or more",
            samples.len()
        )));
    }
    if let Some(index) = samples.windows(2).position(|it| it[1].0 < it[0].0) {
        return Err(no(format!(
            "times fall at row {}; rows must come in the order of time",
            index + 2
        )));
    }
    if samples
        .iter()
        .any(|it| !it.0.is_finite() || !it.1.is_finite())
    {
        return Err(no("holds something that is no number".to_owned()));
    }
    if let Some(it) = samples
        .iter()
        .find(|it| it.1.abs() > MOST_V || it.0.abs() > MOST_S)
    {
        return Err(no(format!(
            "holds {} V at {} s, which no probe on a supply reads; is it the right column?",
            it.1, it.0
        )));
    }
    let mut remarks = Vec::new();
    let step = median(samples.windows(2).map(|it| it[1].0 - it[0].0).collect());
    if step <= 0.0 {
        return Err(no("all samples have the same time".to_owned()));
    }
    let gaps = samples
        .windows(2)
        .filter(|it| it[1].0 - it[0].0 > 3.5 * step)
        .count();
    if gaps > 0 {
        remarks.push(format!(
            "samples are missing in {gaps} places; what happened there is not known"
        ));
    }
    if alternates(samples) {
        Ok(alternating(samples, nominal_v, step, remarks))
    } else {
        Ok(direct(samples, nominal_v, minimum_v, remarks))
    }
}

/// Whether it swings to both sides for most of the time.
fn alternates(samples: &[Sample]) -> bool {
    let mut sizes: Vec<f64> = samples.iter().map(|it| it.1.abs()).collect();
    let high = quantile(&mut sizes, 90);
    let below = samples.iter().filter(|it| it.1 < -0.3 * high).count();
    let above = samples.iter().filter(|it| it.1 > 0.3 * high).count();
    let all = samples.len();
    below * 8 > all && above * 8 > all
}

fn median(mut values: Vec<f64>) -> f64 {
    quantile(&mut values, 50)
}

/// The value below which so many of a hundred lie.
fn quantile(values: &mut [f64], percent: usize) -> f64 {
    if values.is_empty() {
        return 0.0;
    }
    values.sort_by(f64::total_cmp);
    values[(values.len() - 1) * percent / 100]
}

fn alternating(
    samples: &[Sample],
    nominal_v: Option<f64>,
    step: f64,
    mut remarks: Vec<String>,
) -> Capture {
    let start = samples[0].0;
    let period = period(samples).unwrap_or(0.02);
    let before: Vec<Sample> = samples
        .iter()
        .copied()
        .take_while(|it| it.0 - start <= FIRST * period)
        .collect();
    let sine = Sine::through(&before, 1.0 / period);
    let nominal_rms = nominal_v.unwrap_or(sine.amplitude() / SQRT_2);
    let peak = nominal_rms * SQRT_2;
    let offset = sine.offset;
    if offset.abs() > 0.03 * peak {
        remarks.push(format!(
            "the wave stands {offset:.1} V beside zero; that was taken out"
        ));
    }
    let level: Vec<Sample> = samples.iter().map(|it| (it.0, it.1 - offset)).collect();
    let period = 1.0 / sine.frequency;
    let dead = longest_below(&level, DEAD * peak, 3.5 * step).filter(|it| it.1 - it.0 > DEAD_S);
    let departs = level
        .iter()
        .find(|it| (it.1 - sine.at(it.0) + offset).abs() > DEPARTS * peak.max(sine.amplitude()));
    let disturbed_ms = match departs {
        None => Some(0.0),
        Some(first) => well_from(&level, first.0, period, nominal_rms)
            .map(|well| (well - first.0).max(0.0) * 1000.0),
    };
    let end = level[level.len() - 1].0;
    let settled = settled_peak(&level, end, period);
    let from = dead.map(|it| it.1).or_else(|| departs.map(|it| it.0));
    let overshoot_percent = from.zip(settled).and_then(|(from, settled)| {
        let after = level
            .iter()
            .filter(|it| it.0 >= from && it.0 <= from + AFTER * period);
        let highest = after.map(|it| it.1.abs()).fold(0.0, f64::max);
        (settled > 0.0).then(|| (highest / settled - 1.0) * 100.0)
    });
    let clean = departs.map_or(end, |it| it.0 - period / 20.0);
    let first = whole_cycles(&level, start, clean.min(start + FIRST * period), period);
    let last = whole_cycles(&level, (end - LAST as f64 * period).max(start), end, period);
    Capture {
        current: "ac".into(),
        begin_s: start,
        frequency_hz: Some(sine.frequency),
        nominal_v: nominal_rms,
        dead_ms: Some(dead.map_or(0.0, |it| (it.1 - it.0) * 1000.0)),
        dead_from_s: dead.map(|it| it.0),
        disturbed_from_s: departs.map(|it| it.0),
        disturbed_ms,
        overshoot_percent,
        waveform_before: first
            .and_then(|it| waveform(it, sine.frequency))
            .map(Cow::Borrowed),
        waveform_after: last
            .and_then(|it| waveform(it, sine.frequency))
            .map(Cow::Borrowed),
        lowest_v: None,
        below_ms: None,
        remarks,
    }
}

/// The period of the first part, s, from rising crossings with a hysteresis that noise does not get
/// over.
fn period(samples: &[Sample]) -> Option<f64> {
    let mut sizes: Vec<f64> = samples.iter().map(|it| it.1.abs()).collect();
    let high = quantile(&mut sizes, 90);
    let middle = samples.iter().map(|it| it.1).sum::<f64>() / samples.len() as f64;
    let mut rising = Vec::new();
    let mut was_low = false;
    for pair in samples.windows(2) {
        if pair[0].1 < middle - 0.3 * high {
            was_low = true;
        }
        if was_low && pair[0].1 <= middle && pair[1].1 > middle {
            let share = (middle - pair[0].1) / (pair[1].1 - pair[0].1);
            rising.push(pair[0].0 + share * (pair[1].0 - pair[0].0));
            was_low = false;
        }
    }
    let apart: Vec<f64> = rising.windows(2).map(|it| it[1] - it[0]).collect();
    (!apart.is_empty())
        .then(|| median(apart))
        .filter(|it| *it > 0.0)
}

/// a·cos + b·sin + offset at a frequency.
struct Sine {
    frequency: f64,
    cosine: f64,
    sine: f64,
    offset: f64,
}

impl Sine {
    /// The least squares sine through samples, its frequency sought within 4 % of a first guess.
    fn through(samples: &[Sample], guess: f64) -> Self {
        let (mut low, mut high) = (guess * 0.96, guess * 1.04);
        let squares = |frequency: f64| {
            let it = Self::at_frequency(samples, frequency);
            samples
                .iter()
                .map(|sample| (sample.1 - it.at(sample.0)).powi(2))
                .sum::<f64>()
        };
        for _ in 0..40 {
            let (a, b) = (low + (high - low) / 3.0, high - (high - low) / 3.0);
            if squares(a) < squares(b) {
                high = b;
            } else {
                low = a;
            }
        }
        Self::at_frequency(samples, f64::midpoint(low, high))
    }

    fn at_frequency(samples: &[Sample], frequency: f64) -> Self {
        // Normal equations of three unknowns, by Cramer's rule.
        let mut m = [[0.0_f64; 4]; 3];
        for (time, volts) in samples {
            let row = [
                (TAU * frequency * time).cos(),
                (TAU * frequency * time).sin(),
                1.0,
            ];
            for i in 0..3 {
                for j in 0..3 {
                    m[i][j] += row[i] * row[j];
                }
                m[i][3] += row[i] * volts;
            }
        }
        let det = |a: usize, b: usize, c: usize| {
            let col = [a, b, c];
            let g = |r: usize, k: usize| m[r][col[k]];
            g(0, 0) * (g(1, 1) * g(2, 2) - g(1, 2) * g(2, 1))
                - g(0, 1) * (g(1, 0) * g(2, 2) - g(1, 2) * g(2, 0))
                + g(0, 2) * (g(1, 0) * g(2, 1) - g(1, 1) * g(2, 0))
        };
        let whole = det(0, 1, 2);
        let part = |value: f64| {
            if whole.abs() > 1e-12 {
                value / whole
            } else {
                0.0
            }
        };
        Self {
            frequency,
            cosine: part(det(3, 1, 2)),
            sine: part(det(0, 3, 2)),
            offset: part(det(0, 1, 3)),
        }
    }

    fn at(&self, time: f64) -> f64 {
        let angle = TAU * self.frequency * time;
        self.cosine * angle.cos() + self.sine * angle.sin() + self.offset
    }

    fn amplitude(&self) -> f64 {
        self.cosine.hypot(self.sine)
    }
}

/// The longest stretch in which |v| stays below a level: from and to, s, between samples by
/// straight lines. Where samples are missing for longer than `gap`, a stretch ends, as nobody saw
/// what came between.
fn longest_below(samples: &[Sample], level: f64, gap: f64) -> Option<(f64, f64)> {
    let cross = |a: Sample, b: Sample| {
        let (a_size, b_size) = (a.1.abs(), b.1.abs());
        if (a_size - b_size).abs() < 1e-12 {
            b.0
        } else {
            a.0 + (level - a_size) / (b_size - a_size) * (b.0 - a.0)
        }
    };
    let mut longest: Option<(f64, f64)> = None;
    let mut from: Option<f64> = None;
    let mut end = |from: Option<f64>, to: f64| {
        if let Some(from) = from
            && longest.is_none_or(|it| to - from > it.1 - it.0)
        {
            longest = Some((from, to));
        }
    };
    for (index, it) in samples.iter().enumerate() {
        let inside = it.1.abs() < level;
        let before = index.checked_sub(1).map(|it| samples[it]);
        let is_gap = before.is_some_and(|before| it.0 - before.0 > gap);
        match (inside, from, before) {
            (true, None, Some(before)) if !is_gap => from = Some(cross(before, *it)),
            (true, None, _) => from = Some(it.0),
            (true, Some(_), Some(before)) if is_gap => {
                end(from, before.0);
                from = Some(it.0);
            }
            (false, Some(_), Some(before)) => {
                end(from, if is_gap { before.0 } else { cross(before, *it) });
                from = None;
            }
            _ => {}
        }
    }
    end(from, samples[samples.len() - 1].0);
    longest
}

/// The first time from `start` on after which every whole cycle's RMS stays within a tenth of
/// nominal.
fn well_from(samples: &[Sample], start: f64, period: f64, nominal_rms: f64) -> Option<f64> {
    // Sums of v² over time, so that any cycle is a difference.
    let mut sums = vec![0.0; samples.len()];
    for index in 1..samples.len() {
        let (a, b) = (samples[index - 1], samples[index]);
        sums[index] = sums[index - 1] + f64::midpoint(a.1 * a.1, b.1 * b.1) * (b.0 - a.0);
    }
    let end = samples[samples.len() - 1].0;
    let sum_to = |time: f64| {
        let index = samples
            .partition_point(|it| it.0 < time)
            .clamp(1, samples.len() - 1);
        let (a, b) = (samples[index - 1].0, samples[index].0);
        let share = if b > a {
            ((time - a) / (b - a)).clamp(0.0, 1.0)
        } else {
            0.0
        };
        sums[index - 1] + share * (sums[index] - sums[index - 1])
    };
    let mut well = None;
    for it in samples
        .iter()
        .rev()
        .filter(|it| it.0 >= start && it.0 + period <= end + period * 1e-6)
    {
        let rms = ((sum_to(it.0 + period) - sum_to(it.0)) / period)
            .max(0.0)
            .sqrt();
        if (rms - nominal_rms).abs() > WELL * nominal_rms {
            break;
        }
        well = Some(it.0);
    }
    well
}

/// The median of the highest swing in each of the last five cycles.
fn settled_peak(samples: &[Sample], end: f64, period: f64) -> Option<f64> {
    let peaks: Vec<f64> = (0..LAST)
        .filter_map(|back| {
            let to = end - back as f64 * period;
            let cycle = samples.iter().filter(|it| it.0 > to - period && it.0 <= to);
            cycle.map(|it| it.1.abs()).reduce(f64::max)
        })
        .collect();
    (!peaks.is_empty()).then(|| median(peaks))
}

/// As many whole cycles as fit between two times; none where not even one does.
fn whole_cycles(samples: &[Sample], from: f64, to: f64, period: f64) -> Option<&[Sample]> {
    let cycles = ((to - from) / period + 1e-6).floor();
    if cycles < 1.0 {
        return None;
    }
    let first = samples.partition_point(|it| it.0 < from);
    let last = samples.partition_point(|it| it.0 < from + cycles * period);
    (last - first > 8).then(|| &samples[first..last])
}

/// A sine, or a stepped wave, by what of its RMS is not its fundamental.
fn waveform(samples: &[Sample], frequency: f64) -> Option<&'static str> {
    let sine = Sine::through(samples, frequency);
    let square = |it: &dyn Fn(&Sample) -> f64| samples.iter().map(|s| it(s).powi(2)).sum::<f64>();
    let (all, rest) = (
        square(&|it| it.1 - sine.offset),
        square(&|it| it.1 - sine.at(it.0)),
    );
    (all > 0.0).then(|| {
        if (rest / all).sqrt() > STEPPED {
            "stepped"
        } else {
            "sine"
        }
    })
}

fn direct(
    samples: &[Sample],
    nominal_v: Option<f64>,
    minimum_v: Option<f64>,
    remarks: Vec<String>,
) -> Capture {
    let nominal = nominal_v.unwrap_or_else(|| median(samples.iter().map(|it| it.1).collect()));
    // Noise from neighbours: a half of the variance of their differences, by its median, which no
    // dip moves.
    let steps: Vec<f64> = samples
        .windows(2)
        .map(|it| (it[1].1 - it[0].1).abs())
        .collect();
    let noise = median(steps) / (0.6745 * SQRT_2);
    let wanted = (noise / (CALM * nominal.abs().max(1e-9))).powi(2);
    let over = (1..=MOST_SMOOTHED)
        .step_by(2)
        .find(|it| *it as f64 >= wanted)
        .unwrap_or(MOST_SMOOTHED);
    let calm: Vec<Sample> = (0..samples.len())
        .map(|index| {
            let (from, to) = (
                index.saturating_sub(over / 2),
                (index + over / 2 + 1).min(samples.len()),
            );
            let part = &samples[from..to];
            (
                samples[index].0,
                part.iter().map(|it| it.1).sum::<f64>() / part.len() as f64,
            )
        })
        .collect();
    let lowest = calm.iter().map(|it| it.1).fold(f64::INFINITY, f64::min);
    let below = minimum_v.map(|minimum| longest_under(&calm, minimum));
    Capture {
        current: "dc".into(),
        begin_s: samples[0].0,
        frequency_hz: None,
        nominal_v: nominal,
        dead_ms: None,
        dead_from_s: None,
        disturbed_from_s: None,
        disturbed_ms: None,
        overshoot_percent: None,
        waveform_before: None,
        waveform_after: None,
        lowest_v: Some(lowest),
        below_ms: below.map(|it| it * 1000.0),
        remarks,
    }
}

/// The longest stretch under a level, s, between samples by straight lines.
fn longest_under(samples: &[Sample], level: f64) -> f64 {
    let (mut longest, mut from): (f64, Option<f64>) = (0.0, None);
    for (index, it) in samples.iter().enumerate() {
        let before = index.checked_sub(1).map(|it| samples[it]);
        let cross = |a: Sample| {
            if (a.1 - it.1).abs() < 1e-12 {
                it.0
            } else {
                a.0 + (a.1 - level) / (a.1 - it.1) * (it.0 - a.0)
            }
        };
        match (it.1 < level, from) {
            (true, None) => from = Some(before.map_or(it.0, cross)),
            (false, Some(start)) => {
                longest = longest.max(before.map_or(it.0, cross) - start);
                from = None;
            }
            _ => {}
        }
    }
    from.map_or(longest, |start| {
        longest.max(samples[samples.len() - 1].0 - start)
    })
}
