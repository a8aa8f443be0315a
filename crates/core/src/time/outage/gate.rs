//! Switches on their way through an outage: what is on only at its hours or with its load, and what
//! is charged.

use super::march::March;
use super::result::SwitchRun;
use super::schedule::{Habit, within};
use super::setting::Order;
use super::state::Mode;
use crate::network::{Gate, Switched};
use crate::site::plan::AfterLoss;

/// A filling of which no more than this share is left is done.
const DONE: f64 = 1e-6;
/// Stretches of a switch that are written down at most.
const MOST_STRETCHES: usize = 20_000;

impl March<'_> {
    /// Whether a device should be on now: by its schedule, or until its filling is done.
    pub(super) fn wants(&mut self, index: usize) -> bool {
        if self.t >= self.going[index].schedule.1 - 1e-6 {
            let before_s = if self.t <= 0.0 {
                self.filled_before(index)
            } else {
                0.0
            };
            let run = &self.setting.devices[index];
            let clock = &self.setting.clock;
            let ((from, to), t) = (run.there, self.t + 1e-6);
            if t < from || t >= to {
                // It hangs somewhere else, or not yet anywhere.
                self.going[index].schedule = (false, if t < from { from } else { f64::INFINITY });
                return false;
            }
            let (wants, next) = match (run.habit, run.habit.filling_at(self.t, clock)) {
                (Habit::Charge { wh, long, .. }, Some((begun, next))) => {
                    let turning = &mut self.turning;
                    if begun > turning.begun[index] {
                        let goes_on = run.before.filter(|it| turning.begun[*it] >= begun);
                        // What began before the start, or where it hung before, has been going on.
                        turning.fill[index] = goes_on.map_or_else(
                            || (wh * (1.0 - before_s / long)).max(0.0),
                            |it| turning.fill[it],
                        );
                        turning.begun[index] = begun;
                    }
                    (turning.fill[index] > DONE * wh, next)
                }
                (habit, _) => habit.at(self.t, clock),
            };
            self.going[index].schedule = (wants, next.min(to));
        }
        self.going[index].schedule.0
    }

    /// Whether a device hangs where it does at all now.
    pub(super) fn is_there(&self, index: usize) -> bool {
        let (from, to) = self.setting.devices[index].there;
        from <= self.t + 1e-6 && self.t + 1e-6 < to
    }

    /// For how long the filling at hand at the start has been going on, s: since it was begun,
    /// while no clock before it kept it off.
    fn filled_before(&self, index: usize) -> f64 {
        let (run, clock) = (&self.setting.devices[index], &self.setting.clock);
        let Some((begun, _)) = run
            .habit
            .filling_at(0.0, clock)
            .filter(|it| it.0.is_finite())
        else {
            return 0.0;
        };
        let above = self
            .setting
            .gates
            .above_device(index)
            .iter()
            .map(|it| &self.setting.gates.list[*it]);
        let clocks: Vec<&Gate> = above.filter(|it| it.hours.is_some()).collect();
        let (mut at, mut gone) = (begun, 0.0);
        while at < -1e-6 {
            let of_day = clock.of_day(at + 1e-6);
            let hours = clocks.iter().filter_map(|it| it.hours.as_ref()).flatten();
            let edge = hours
                .map(|it| within(of_day, it.0 * 3600.0, it.1 * 3600.0).1)
                .fold(f64::INFINITY, f64::min);
            let long = edge.max(1.0).min(-at);
            if clocks.iter().all(|it| it.may_be_open(of_day / 3600.0)) {
                gone += long;
            }
            at += long;
        }
        gone
    }

    /// When the filling of a device is done at what flows now, s; never where nothing is filled.
    pub(super) fn filled_at(&self, index: usize, watts: f64) -> f64 {
        let left = self.turning.fill[index];
        let fills = left > 0.0 && watts > 0.0 && self.going[index].mode.is_up();
        if fills {
            self.t + left / watts * 3600.0
        } else {
            f64::INFINITY
        }
    }

    /// Counts what has flowed into a device, Wh.
    pub(super) fn fill(&mut self, index: usize, wh: f64) {
        let Habit::Charge { wh: whole, .. } = self.setting.devices[index].habit else {
            return;
        };
        let left = &mut self.turning.fill[index];
        if *left > 0.0 && self.going[index].mode.is_up() {
            *left = (*left - wh).max(0.0);
            if *left <= DONE * whole {
                self.going[index].schedule.1 = f64::NEG_INFINITY;
            }
        }
    }

    /// Whether a device would be on if what is switched before it were: it should be, and neither a
    /// rule, a person nor a loss for good keeps it off.
    fn calls(&mut self, index: usize) -> bool {
        let by_itself = matches!(
            self.setting.devices[index].after,
            Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. })
        );
        self.wants(index)
            && match self.going[index].mode {
                Mode::On | Mode::Starting(..) | Mode::Waiting(_) => true,
                Mode::Off | Mode::Shut | Mode::Held | Mode::Queued => {
                    !self.is_held(index) && self.waits_for_turn(index).is_none()
                }
                Mode::Dark => by_itself || self.going[index].by_hand,
                Mode::Low => by_itself,
                Mode::Shed => !self.is_dropped(index) && self.was_dropped(index),
                Mode::Latched | Mode::Inspect => false,
            }
    }

    /// Whether somebody dropped a device and has switched it on again.
    pub(super) fn was_dropped(&self, index: usize) -> bool {
        let ended = |it: &Order| {
            matches!(it, Order::DropAt { device, until,
            .. } if *device == index && self.t >= *until - 1e-6)
        };
        self.setting.orders.iter().any(ended)
    }

    /// Whether a rule or somebody drops a device now.
    pub(super) fn is_dropped(&self, index: usize) -> bool {
        self.setting.orders.iter().any(|it| match it {
            Order::DropAt { device, at, until } => {
                *device == index && self.t >= *at - 1e-6 && self.t < *until - 1e-6
            }
            Order::Shed {
                device,
                store,
                below,
            } => *device == index && self.soc[*store] <= *below + 1e-9,
            _ => false,
        })
    }

    /// Opens and shuts what is switched, and gives when the clock changes that next, s.
    pub(super) fn turn(&mut self, begins: bool) -> f64 {
        let setting = self.setting;
        if setting.gates.is_empty() {
            return f64::INFINITY;
        }
        let of_day = setting.clock.of_day(self.t + 1e-6);
        let hours = setting
            .gates
            .list
            .iter()
            .filter_map(|it| it.hours.as_ref())
            .flatten();
        let edges = hours.map(|it| self.t + 1e-6 + within(of_day, it.0 * 3600.0, it.1 * 3600.0).1);
        let next = edges.fold(setting.clock.next_change(self.t), f64::min);
        let calls: Vec<bool> = (0..self.going.len()).map(|it| self.calls(it)).collect();
        let takes = |node: usize| {
            let store = setting.inputs.iter().find(|it| it.0 == node).map(|it| it.1);
            store.is_some_and(|it| !setting.stores[it].too_cold && !self.full[it])
        };
        let mut open = setting.gates.open(of_day / 3600.0, |it| calls[it], takes);
        for (open, gate) in open.iter_mut().zip(&setting.gates.list) {
            *open = *open && gate.is_there(self.t);
        }
        if open != self.turning.open || begins {
            for (index, gate) in setting.gates.list.iter().enumerate() {
                self.turned(index, gate, open[index], begins);
            }
            self.turning.open = open;
            self.dirty = true;
        }
        next
    }

    /// Writes down that a gate is opened or shut; a converter that is switched on takes its time.
    fn turned(&mut self, index: usize, gate: &Gate, open: bool, begins: bool) {
        if begins {
            self.turning.open[index] = open;
            return;
        }
        let was = self.turning.open[index];
        if was == open {
            return;
        }
        let told = self.fineness.told;
        let run = &mut self.turning.runs[index];
        run.turns += 1;
        if open {
            self.turning.since[index] = self.t;
            if let Switched::Stage { stage, .. } = gate.switched
                && self.setting.stages[stage].start_s > 0.0
            {
                self.stage_ready[stage] = self.t + self.setting.stages[stage].start_s;
                self.turning.waking[stage] = true;
            }
        } else {
            run.close(self.turning.since[index], self.t, told);
        }
    }

    /// Which feeds are off because something above them is switched off, and what stands by.
    pub(super) fn shut(&mut self, ports_dark: &[bool]) {
        let (network, gates) = (&self.setting.network, &self.setting.gates);
        for node in 0..self.turning.shut.len() {
            let above = network.port_converter(network.port_of(node));
            let wakes = |it: usize| self.turning.waking[it] && self.stage_ready[it] > self.t + 1e-6;
            self.turning.shut[node] = gates.is_shut(node, &self.turning.open)
                || above
                    .is_some_and(|it| wakes(it) || self.turning.shut[self.setting.stages[it].node]);
            self.feeds_off[node] = self.turning.dark[node] || self.turning.shut[node];
        }
        let turning = &mut self.turning;
        let feeds_off = &self.feeds_off;
        let is_fed = |gate: &Gate| match gate.switched {
            Switched::Stage { node, .. } => !feeds_off[node],
            Switched::Port(port) => !ports_dark[port],
        };
        gates.standby(&turning.open, is_fed, &mut turning.standby);
        for gate in gates.list.iter().filter(|it| !it.is_there(self.t)) {
            match gate.switched {
                Switched::Stage { stage, .. } => turning.standby.stages[stage] = Some(0.0),
                Switched::Port(port) => turning.standby.ports[port] = Some(0.0),
            }
        }
        let of = |all: &[Option<f64>]| all.iter().flatten().any(|it| *it > 0.0);
        turning.stands_by = of(&turning.standby.stages) || of(&turning.standby.ports);
        for (gate, open) in gates.list.iter().zip(&turning.open) {
            if let (Switched::Port(port), false) = (gate.switched, *open) {
                self.ports_off[port] = true;
            }
        }
    }

    /// How each switch fared, by its place.
    pub(super) fn switches(&mut self) -> Vec<(String, SwitchRun)> {
        let told = self.fineness.told;
        let turning = &mut self.turning;
        let runs = self
            .setting
            .gates
            .list
            .iter()
            .zip(std::mem::take(&mut turning.runs))
            .enumerate();
        let ended = runs.map(|(index, (gate, mut run))| {
            if turning.open[index] {
                run.close(turning.since[index], self.t, told);
            }
            run.by_hand = gate.by_hand;
            (gate.place.clone(), run)
        });
        ended.collect()
    }
}

impl SwitchRun {
    /// Ends a stretch in which it was on, from and to in s.
    fn close(&mut self, from: f64, to: f64, told: bool) {
        self.on_h += (to - from) / 3600.0;
        if told && self.spans.len() < MOST_STRETCHES {
            self.spans.push([from / 3600.0, to / 3600.0]);
        }
    }
}
