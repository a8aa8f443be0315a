//! When a device is on in a day: by its cycle, and by the clocks of what is switched before it.

use crate::network::{Gate, Gates, Load, average, phase_load};
use crate::site::plan::{Cycle, Device, PhaseKind};

/// Hours of a day in which a device is on, each for a share of the days, or of the time.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Windows {
    /// From, to (hours of the day, 0 to 24, in order) and the share, above 0 to 1.
    pieces: Vec<(f64, f64, f64)>,
    /// How long it is on at a time, h; none where it always is, or is filled.
    pub(super) on_hours: Option<f64>,
    /// When a filling is done, hours since the midnight before it begins; none where it never is,
    /// or nothing is filled.
    pub(super) done_h: Option<f64>,
    /// The watts that a filling gets in each piece, where that is less than it would take.
    gets_w: Vec<f64>,
}

impl Windows {
    /// Of a device with some gates above it.
    pub(super) fn of(device: &Device, gates: &Gates, above: &[usize]) -> Self {
        let clocks: Vec<&Gate> = above
            .iter()
            .map(|it| &gates.list[*it])
            .filter(|it| it.hours.is_some())
            .collect();
        let open = |hour: f64| clocks.iter().all(|it| it.may_be_open(hour));
        let mut edges = vec![0.0, 24.0];
        edges.extend(
            clocks
                .iter()
                .filter_map(|it| it.hours.as_ref())
                .flatten()
                .flat_map(|it| [it.0, it.1]),
        );
        match &device.cycle {
            Some(Cycle::Charge { .. }) => Self::filling(device, edges, open),
            Some(Cycle::Hours { from, to }) => {
                let (from, to) = (from.hours(), to.hours());
                edges.extend([from, to]);
                let on = |hour: f64| {
                    if from <= to {
                        from <= hour && hour < to
                    } else {
                        hour >= from || hour < to
                    }
                };
                let pieces = pieces(edges, |hour| if on(hour) && open(hour) { 1.0 } else { 0.0 });
                // As its hours are written, so that nothing is rounded where nothing is switched.
                let whole = if from <= to {
                    to - from
                } else {
                    24.0 - from + to
                };
                let on_hours = if clocks.is_empty() {
                    Some(whole)
                } else {
                    at_a_time(&pieces)
                };
                Self {
                    pieces,
                    on_hours,
                    ..Self::default()
                }
            }
            Some(Cycle::Thermostat {
                on_fraction,
                period_s,
            }) => {
                let share = on_fraction.get();
                let pieces = pieces(edges, |hour| if open(hour) { share } else { 0.0 });
                Self {
                    pieces,
                    on_hours: Some(share * period_s.get() / 3600.0),
                    ..Self::default()
                }
            }
            None | Some(Cycle::Continuous {}) => {
                let pieces = pieces(edges, |hour| if open(hour) { 1.0 } else { 0.0 });
                let on_hours = if clocks.is_empty() {
                    None
                } else {
                    at_a_time(&pieces)
                };
                Self {
                    pieces,
                    on_hours,
                    ..Self::default()
                }
            }
        }
    }

    /// A filling waits for what is shut, and is done when it has had its hours.
    fn filling(device: &Device, edges: Vec<f64>, open: impl Fn(f64) -> bool) -> Self {
        let Some(filling) = device.filling() else {
            return Self::default();
        };
        let mut day = edges.clone();
        day.push(filling.from_h);
        day.sort_by(f64::total_cmp);
        day.dedup();
        let mut parts: Vec<(f64, f64)> = Vec::new();
        let mut left = filling.hours;
        let mut done_h = None;
        for turn in 0..=filling.every_days {
            // What a whole day has not let in, no other will; and what is done needs none.
            if left <= 0.0 || turn > 1 && parts.is_empty() {
                break;
            }
            for pair in day.windows(2) {
                let (from, to) = (
                    24.0 * f64::from(turn) + pair[0],
                    24.0 * f64::from(turn) + pair[1],
                );
                let within = from >= filling.from_h - 1e-12
                    && from < filling.from_h + 24.0 * f64::from(filling.every_days) - 1e-12;
                if within && left > 0.0 && open(f64::midpoint(pair[0], pair[1])) {
                    let long = (to - from).min(left);
                    left = if to - from >= left { 0.0 } else { left - long };
                    parts.push((pair[0], pair[0] + long));
                    if left <= 1e-9 {
                        done_h = Some(from + long);
                    }
                }
            }
        }
        let ends = parts.iter().flat_map(|it| [it.0, it.1]);
        let share = |hour: f64| {
            parts
                .iter()
                .filter(|it| it.0 <= hour && hour < it.1)
                .count() as f64
                / f64::from(filling.every_days)
        };
        let pieces = pieces(edges.into_iter().chain(ends).collect(), share);
        Self {
            pieces,
            done_h,
            ..Self::default()
        }
    }

    /// Of a filling every so many days that got some watts from one hour of a day to another, in
    /// parts that may lie on several days.
    pub(super) fn filled(parts: &[(f64, f64, f64)], every_days: u16, done_h: Option<f64>) -> Self {
        let at = |hour: f64| parts.iter().filter(move |it| it.0 <= hour && hour < it.1);
        let ends = parts.iter().flat_map(|it| [it.0, it.1]).collect();
        let pieces = pieces(ends, |hour| at(hour).count() as f64 / f64::from(every_days));
        let mean =
            |hour: f64| at(hour).map(|it| it.2).sum::<f64>() / at(hour).count().max(1) as f64;
        let gets_w = pieces
            .iter()
            .map(|it| mean(f64::midpoint(it.0, it.1)))
            .collect();
        Self {
            pieces,
            done_h,
            gets_w,
            on_hours: None,
        }
    }

    /// The watts that a filling gets at an hour of the day; none where it gets what it would take.
    pub(super) fn gets_at(&self, hour: f64) -> Option<f64> {
        let place = self
            .pieces
            .iter()
            .position(|it| it.0 <= hour && hour < it.1)?;
        self.gets_w.get(place).copied()
    }

    /// How long one filling takes where it gets less than it would take, h.
    pub(super) fn divided_hours(&self, every_days: u16) -> Option<f64> {
        let whole = || {
            self.pieces
                .iter()
                .map(|it| (it.1 - it.0) * it.2)
                .sum::<f64>()
                * f64::from(every_days)
        };
        (!self.gets_w.is_empty()).then(whole)
    }

    /// Times of day at which something changes, h.
    pub(super) fn edges(&self) -> impl Iterator<Item = f64> {
        self.pieces.iter().flat_map(|it| [it.0, it.1])
    }

    /// Share of the days, or of the time, in which it is on at an hour of the day, 0 to 1.
    pub(super) fn share_at(&self, hour: f64) -> f64 {
        self.pieces
            .iter()
            .find(|it| it.0 <= hour && hour < it.1)
            .map_or(0.0, |it| it.2)
    }

    /// Whether it is on for a share of the days, or of the time, at any hour.
    pub(super) fn is_partial(&self) -> bool {
        self.pieces.iter().any(|it| it.2 < 1.0)
    }
}

/// What a device draws on average while it is on, its starts counted where it starts here; nothing
/// outside its hours.
pub(super) fn while_on(device: &Device, windows: &Windows, hour: f64, starts_here: bool) -> Load {
    let running = average(device);
    let nothing = running.times(0.0);
    if windows.share_at(hour) <= 0.0 {
        return nothing;
    }
    if let Some(filling) = device.filling() {
        // So much flows in all, at whatever voltage, and its starts are part of it.
        return Load {
            watts: windows.gets_at(hour).unwrap_or(filling.watts),
            ..nothing
        };
    }
    let Some(on_hours) = windows.on_hours.filter(|_| starts_here) else {
        return running;
    };
    let mut left = 1.0;
    let mut load = nothing;
    for phase in device.phases_of(PhaseKind::Starting) {
        let seconds = phase
            .seconds
            .as_ref()
            .map_or(0.0, crate::ground::figure::Figure::get);
        let share = (seconds / 3600.0 / on_hours.max(f64::MIN_POSITIVE)).min(left);
        left -= share;
        load = load.plus(phase_load(device, phase).times(share * device.count()));
    }
    load.plus(running.times(left))
}

/// Neighbouring times of a day with the share of each, where there is one.
fn pieces(mut edges: Vec<f64>, share: impl Fn(f64) -> f64) -> Vec<(f64, f64, f64)> {
    edges.sort_by(f64::total_cmp);
    edges.dedup();
    let pairs = edges.windows(2).filter(|it| it[1] > it[0]);
    pairs
        .map(|it| (it[0], it[1], share(f64::midpoint(it[0], it[1]))))
        .filter(|it| it.2 > 0.0)
        .collect()
}

/// How long something is on at a time, h, over midnight too; none where it is on all day, or never.
fn at_a_time(pieces: &[(f64, f64, f64)]) -> Option<f64> {
    let whole: f64 = pieces.iter().map(|it| it.1 - it.0).sum();
    let ends = pieces.iter().filter(|it| {
        let next = if it.1 >= 24.0 { 0.0 } else { it.1 };
        // Ends and beginnings are the same numbers where they meet.
        !pieces.iter().any(|other| (other.0 - next).abs() < 1e-12)
    });
    let runs = ends.count();
    (runs > 0).then(|| whole / runs as f64)
}
