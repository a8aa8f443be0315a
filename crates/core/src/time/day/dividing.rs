//! When things are filled behind a budget that divides: what each gets hangs on what else takes
//! then, so they are filled together, one state after the other, and each is done when its energy
//! has flowed.

use super::windows::{Windows, while_on};
use crate::network::{Charge, Gates, Load, Network, Solver};
use crate::site::plan::device::Filling;
use crate::site::plan::{Arrangement, Device};

/// A rest below this share of a filling is none.
const DONE: f64 = 1e-9;
/// Days in which nothing at all flows into anything: no other day lets it in.
const IDLE_DAYS: i32 = 2;

/// When each device of an arrangement is on in a day, in the order of [`Network::loads`].
///
/// What yields to a budget takes what it gets in each state, with what comes and goes by itself at
/// its mean, the stores full and their own inputs taking; everything else is on by its cycle and by
/// the clocks before it.
pub(super) fn windows(
    arrangement: &Arrangement,
    network: &Network,
    gates: &Gates,
    devices: &[&Device],
) -> Vec<Windows> {
    let alone = |(place, it): (usize, &&Device)| Windows::of(it, gates, gates.above_device(place));
    let mut windows: Vec<Windows> = devices.iter().enumerate().map(alone).collect();
    let yielding = network.yielding_devices();
    let filled: Vec<(usize, Filling)> = yielding
        .into_iter()
        .filter_map(|it| Some((it, devices.get(it)?.filling()?)))
        .collect();
    if filled.is_empty() {
        return windows;
    }
    let mut together = Together::of(arrangement, network, gates, devices, &windows, &filled);
    together.carry_on();
    for turn in together.kept {
        // What got all it would take is on as it is alone, to the last bit.
        if turn.is_less {
            windows[turn.device] =
                Windows::filled(&turn.parts, turn.filling.every_days, turn.done_h);
        }
    }
    windows
}

/// One filling, from its hour on.
#[derive(Debug, Clone)]
struct Turn {
    device: usize,
    filling: Filling,
    left_wh: f64,
    /// The day it began on; what began on the first one is told.
    day: i32,
    /// From and to, hours of a day, and the watts it got.
    parts: Vec<(f64, f64, f64)>,
    /// Whether it ever got less than it would take.
    is_less: bool,
    /// Hours since the midnight before it began.
    done_h: Option<f64>,
}

/// Everything that is filled together.
struct Together<'a> {
    network: &'a Network,
    gates: &'a Gates,
    filled: &'a [(usize, Filling)],
    /// Times of day at which something changes by itself, h.
    edges: Vec<f64>,
    /// What else draws between two of them, with what is on then.
    others: Vec<(Vec<Load>, Vec<bool>)>,
    under_way: Vec<Turn>,
    /// Those that began on the first day, as far as they came.
    kept: Vec<Turn>,
}

impl<'a> Together<'a> {
    fn of(
        arrangement: &Arrangement,
        network: &'a Network,
        gates: &'a Gates,
        devices: &[&Device],
        windows: &[Windows],
        filled: &'a [(usize, Filling)],
    ) -> Self {
        let is_filled = |place: usize| filled.iter().any(|it| it.0 == place);
        let mut edges = vec![0.0, 24.0];
        edges.extend(
            windows
                .iter()
                .enumerate()
                .filter(|it| !is_filled(it.0))
                .flat_map(|it| it.1.edges()),
        );
        edges.extend(
            gates
                .list
                .iter()
                .filter_map(|it| it.hours.as_ref())
                .flatten()
                .flat_map(|it| [it.0, it.1]),
        );
        edges.extend(filled.iter().map(|it| it.1.from_h));
        edges.sort_by(f64::total_cmp);
        edges.dedup();
        let between = |pair: &[f64]| {
            let middle = f64::midpoint(pair[0], pair[1]);
            let own = devices
                .iter()
                .zip(windows)
                .enumerate()
                .map(|(place, (device, windows))| {
                    let share = if is_filled(place) {
                        0.0
                    } else {
                        windows.share_at(middle)
                    };
                    let starts_here = arrangement.start_of(device.id.as_str()).is_none();
                    let wave = if device.filling().is_some() {
                        1.0
                    } else {
                        network.wave_factor(place)
                    };
                    (
                        while_on(device, windows, middle, starts_here).times(wave * share),
                        share > 0.0,
                    )
                });
            own.unzip()
        };
        let others = edges.windows(2).map(between).collect();
        Self {
            network,
            gates,
            filled,
            edges,
            others,
            under_way: Vec::new(),
            kept: Vec::new(),
        }
    }

    /// Goes on from the day before, on which what is filled every day was begun too, until all that
    /// began on the first day is done, or over.
    fn carry_on(&mut self) {
        let last = self
            .filled
            .iter()
            .map(|it| i32::from(it.1.every_days))
            .max()
            .unwrap_or(1);
        let open_v = self.network.open_volts(&Charge::full());
        let mut solver = Solver::new(self.network);
        let mut idle = 0;
        for day in -1..=last {
            let mut flowed = false;
            for index in 0..self.others.len() {
                self.begin(day, self.edges[index]);
                flowed |= self.between(day, index, &mut solver, &open_v);
            }
            idle = if flowed { 0 } else { idle + 1 };
            let is_over = day > 0 && self.under_way.iter().all(|it| it.day != 0);
            if is_over || day > 0 && idle >= IDLE_DAYS {
                break;
            }
        }
        self.kept
            .extend(self.under_way.drain(..).filter(|it| it.day == 0));
    }

    /// Begins what is filled at this time of this day; what was under way of it till then is over.
    fn begin(&mut self, day: i32, hour: f64) {
        for (device, filling) in self.filled {
            let every = i32::from(filling.every_days);
            let begins = (filling.from_h - hour).abs() < 1e-12
                && if day < 0 {
                    every == 1
                } else {
                    day % every == 0
                };
            if !begins {
                continue;
            }
            if let Some(place) = self.under_way.iter().position(|it| it.device == *device) {
                let over = self.under_way.swap_remove(place);
                self.kept.extend((over.day == 0).then_some(over));
            }
            let (device, filling, left_wh) = (*device, *filling, filling.wh);
            let (parts, is_less, done_h) = (Vec::new(), false, None);
            self.under_way.push(Turn {
                device,
                filling,
                left_wh,
                day,
                parts,
                is_less,
                done_h,
            });
        }
    }

    /// Fills between two times of a day: whether anything flowed.
    fn between(&mut self, day: i32, index: usize, solver: &mut Solver<'_>, open_v: &[f64]) -> bool {
        let (mut at, to) = (self.edges[index], self.edges[index + 1]);
        let middle = f64::midpoint(at, to);
        let gates = self.gates;
        let is_open = |device: usize| {
            gates
                .above_device(device)
                .iter()
                .all(|it| gates.list[*it].may_be_open(middle))
        };
        let mut flowed = false;
        while at < to && self.under_way.iter().any(|it| is_open(it.device)) {
            let (mut loads, mut on) = self.others[index].clone();
            for turn in self.under_way.iter().filter(|it| is_open(it.device)) {
                loads[turn.device].watts = turn.filling.watts;
                on[turn.device] = true;
            }
            if !gates.is_empty() {
                let takes = |node: usize| solver.is_taking(node);
                let open = gates.open(middle, |it| on[it], takes);
                gates.apply(solver, &open);
            }
            solver.solve(&loads, open_v);
            let gets = |it: &Turn| {
                if is_open(it.device) {
                    solver.share_of(it.device) * it.filling.watts
                } else {
                    0.0
                }
            };
            let soonest = self
                .under_way
                .iter()
                .map(|it| it.left_wh / gets(it))
                .filter(|it| it.is_finite());
            let long = soonest.fold(to - at, f64::min);
            let until = if long >= to - at { to } else { at + long };
            for turn in self.under_way.iter_mut().filter(|it| is_open(it.device)) {
                let watts = gets(turn);
                turn.is_less |= watts < turn.filling.watts;
                if watts > 0.0 {
                    flowed = true;
                    turn.parts.push((at, until, watts));
                    turn.left_wh -= watts * long;
                    if turn.left_wh <= DONE * turn.filling.wh {
                        turn.done_h = Some(24.0 * f64::from(day - turn.day) + until);
                    }
                }
            }
            let (done, left) = self.under_way.drain(..).partition(|it| it.done_h.is_some());
            self.under_way = left;
            self.kept
                .extend(Vec::into_iter(done).filter(|it: &Turn| it.day == 0));
            at = until;
        }
        flowed
    }
}
