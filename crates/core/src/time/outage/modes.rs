//! What each device is doing, and what makes it do something else.

use super::march::March;
use super::result::Doing;
use super::setting::Order;
use super::state::{Gone, Mode};
use super::switch;
use crate::ground::figure::Figure;
use crate::ground::say::{Amount, Name, Sentence};
use crate::network::Load;
use crate::site::plan::AfterLoss;

/// After so many losses by its own voltage a device is left to a person: it would go on for ever.
const MOST_RESETS: u32 = 50;
/// A device that was below its least voltage comes back where it would get that much more, as a
/// share.
const RESET_SLACK: f64 = 0.005;

/// Numbers that tell states apart are folded into one (the FNV-1a hash).
const BASIS: u64 = 0xcbf2_9ce4_8422_2325;

fn folded(all: u64, one: u64) -> u64 {
    (all ^ one).wrapping_mul(0x0100_0000_01b3)
}

impl March<'_> {
    /// What is on at the start: everything that should be, unless a hand has to plug it over first.
    pub(super) fn begin(&mut self) {
        for index in 0..self.setting.origins.len() {
            let origin = &self.setting.origins[index];
            if origin.needs_mains && !self.mains {
                self.sources[index] = Some(Gone::new(
                    "mains out",
                    vec![Sentence::from("the mains is out".to_owned())],
                ));
            }
        }
        self.engines();
        if !self.mains {
            self.plug_over();
        }
        self.turn(true);
        self.darken();
        for index in 0..self.going.len() {
            let node = self.setting.devices[index].node;
            self.going[index].mode = match self.wants(index) {
                true if self.turning.shut[node] => Mode::Shut,
                true if !self.feeds_off[node] => Mode::On,
                _ => Mode::Off,
            };
        }
        for index in 0..self.going.len() {
            if self.turning.dark[self.setting.devices[index].node] && self.is_there(index) {
                self.lose(index);
            }
            if self.going[index].mode.is_up() && self.is_held(index) {
                self.going[index].mode = Mode::Held;
            }
            self.stretch(index, self.going[index].mode.doing());
        }
        self.refresh();
        if !self.mains {
            // The mains was there up to the start: what hangs on a source that took over sees its
            // gap.
            self.gaps(true);
        }
    }

    /// Feeds that a person plugs over are dark until that is done.
    pub(super) fn plug_over(&mut self) {
        for (node, seconds) in &self.setting.by_hand {
            if *seconds > 0.0 {
                self.hand_until[*node] = self.t + seconds;
                self.dirty = true;
            }
        }
    }

    /// Brings everything to where the clock has it, and gives the time of the next change, s.
    pub(super) fn settle(&mut self) -> f64 {
        let setting = self.setting;
        let mut next = setting.end.min(setting.next_edge(self.t));
        if setting.mains_on(self.t) != self.mains {
            self.mains_changes();
        }
        if setting.has_spells {
            self.refresh();
        }
        next = next.min(self.engines());
        for (node, _) in &setting.by_hand {
            let until = self.hand_until[*node];
            if until > self.t + 1e-6 {
                next = next.min(until);
            } else if until > 0.0 {
                self.hand_until[*node] = 0.0;
                self.dirty = true;
            }
        }
        // One change can lead to another, such as a rule that lets go; it ends after a few rounds.
        for _ in 0..8 {
            next = next.min(self.turn(false)).min(self.wake());
            if self.dirty {
                self.darken();
            }
            let (changed, edge) = self.follow();
            if !changed && !self.dirty {
                return next.min(edge);
            }
            self.refresh();
            let back = self.come_back_from_low();
            // Without rules no device waits for another, so that everyone is where he should be.
            if setting.orders.is_empty() && setting.gates.is_empty() && !back && !self.dirty {
                return next.min(edge);
            }
        }
        let (_, edge) = self.follow();
        self.refresh();
        next.min(edge)
    }

    /// Converters that are ready give their output; when the next one is, s.
    fn wake(&mut self) -> f64 {
        let mut next = f64::INFINITY;
        for (ready, waking) in self.stage_ready.iter_mut().zip(&mut self.turning.waking) {
            if *ready > self.t + 1e-6 {
                next = next.min(*ready);
            } else if *ready > 0.0 {
                *ready = 0.0;
                *waking = false;
                self.dirty = true;
            }
        }
        next
    }

    /// What hangs on what is off is off too.
    pub(super) fn darken(&mut self) {
        let network = &self.setting.network;
        for port in 0..self.ports_off.len() {
            let source = network
                .port_source(port)
                .is_some_and(|it| self.sources[it].is_some());
            self.ports_off[port] = source || self.ports[port].is_some();
        }
        let ports_dark = if self.setting.gates.is_empty() {
            Vec::new()
        } else {
            self.ports_off.clone()
        };
        for node in 0..self.feeds_off.len() {
            let port = network.port_of(node);
            // Feeds stand below what feeds them.
            let above = network.port_converter(port).is_some_and(|it| {
                self.turning.dark[self.setting.stages[it].node] || self.is_starting(it)
            });
            let stage = network
                .converter_at(node)
                .is_some_and(|it| self.stages[it].is_some());
            self.turning.dark[node] = above
                || self.ports_off[port]
                || stage
                || self.fuses[node].is_some()
                || self.hand_until[node] > self.t + 1e-6;
        }
        self.dirty = false;
        if self.setting.gates.is_empty() {
            self.feeds_off.copy_from_slice(&self.turning.dark);
        } else {
            self.shut(&ports_dark);
        }
        let off = self
            .feeds_off
            .iter()
            .chain(&self.ports_off)
            .chain(&self.turning.open);
        self.masks = off.fold(BASIS, |masks, off| folded(masks, u64::from(*off)));
        self.solver
            .switch(&self.feeds_off, &self.ports_off, &self.takes);
        self.solver.stand_by(&self.turning.standby);
        self.refresh();
    }

    /// Loads for the solver.
    fn refresh(&mut self) {
        let mut revision = folded(self.masks, u64::from(self.mains));
        for index in 0..self.going.len() {
            self.loads[index] = self.load_of(index);
            revision = folded(revision, self.going[index].mode.tag());
        }
        self.revision = revision;
        self.still = false;
    }

    fn load_of(&self, index: usize) -> Load {
        let run = &self.setting.devices[index];
        match self.going[index].mode {
            Mode::On => run.running_at(self.t),
            Mode::Starting(phase, _) => run.starting.get(phase).map_or(run.running, |it| it.0),
            _ => Load::default(),
        }
    }

    /// What a device draws where limits are tested.
    pub(super) fn busiest(&self, index: usize) -> Load {
        match self.going[index].mode {
            Mode::On => self.setting.devices[index].busy,
            _ => self.load_of(index),
        }
    }

    /// Whether a converter came back by itself and is starting; one that was switched on wakes.
    pub(super) fn is_starting(&self, stage: usize) -> bool {
        self.stage_ready[stage] > self.t + 1e-6 && !self.turning.waking[stage]
    }

    /// Whether a rule holds a device back while another starts.
    pub(super) fn is_held(&self, index: usize) -> bool {
        self.setting.orders.iter().any(|it| match it {
            Order::Hold { device, starting } => {
                *device == index && matches!(self.going[*starting].mode, Mode::Starting(..))
            }
            _ => false,
        })
    }

    /// Until when a device must wait for its turn, s; none where it need not.
    pub(super) fn waits_for_turn(&self, index: usize) -> Option<f64> {
        self.setting.orders.iter().find_map(|it| match it {
            Order::Stagger { seconds, devices } if devices.contains(&index) => {
                let mut until = self.last_start + seconds;
                // Whoever stands before it in the order, and waits too, goes first.
                let before = devices.iter().take_while(|it| **it != index);
                if before
                    .into_iter()
                    .any(|it| self.going[*it].mode == Mode::Queued)
                {
                    until = until.max(self.t + seconds);
                }
                (until > self.t + 1e-6).then_some(until)
            }
            _ => None,
        })
    }

    /// Brings every device to where its schedule and its feed have it now: whether anything
    /// changed, and when the next change is due, s.
    fn follow(&mut self) -> (bool, f64) {
        let (mut changed, mut next) = (false, f64::INFINITY);
        for index in 0..self.going.len() {
            let run = &self.setting.devices[index];
            if self.stays(index) {
                next = next.min(self.going[index].schedule.1);
                continue;
            }
            let wants = self.wants(index);
            next = next.min(self.going[index].schedule.1);
            let before = self.going[index].mode;
            if !self.is_there(index) {
                // Wherever it hangs now, it is neither up here nor lost.
                self.going[index].mode = Mode::Off;
                self.going[index].off_since = None;
            } else if self.turning.dark[run.node]
                && !matches!(
                    before,
                    Mode::Dark | Mode::Shed | Mode::Latched | Mode::Inspect
                )
            {
                self.lose(index);
            } else if self.turning.shut[run.node] {
                self.stand_shut(index, wants);
            } else {
                self.follow_one(index, wants, &mut next);
            }
            if self.is_there(index) {
                self.watch_deadline(index, wants, &mut next);
            }
            if self.going[index].mode != before {
                changed = true;
                self.stretch(index, self.going[index].mode.doing());
            }
        }
        (changed, next)
    }

    /// Whether a device has settled where its schedule has it, and nothing is due.
    fn stays(&self, index: usize) -> bool {
        let going = &self.going[index];
        let (wants, until) = going.schedule;
        let settled = if wants {
            going.mode == Mode::On
        } else {
            going.mode == Mode::Off
        };
        settled
            && going.off_since.is_none()
            && self.t < until - 1e-6
            && !self.turning.dark[self.setting.devices[index].node]
            && !(wants && self.turning.shut[self.setting.devices[index].node])
            && self.setting.orders.is_empty()
    }

    /// Whoever dropped it has switched it on again, and neither a rule nor somebody else has
    /// dropped it since.
    fn pick_up(&mut self, index: usize) {
        if self.going[index].mode == Mode::Shed
            && self.was_dropped(index)
            && !self.is_dropped(index)
        {
            self.going[index].mode = Mode::Off;
            // It was meant, and is over: when it is lost is told from here on.
            let run = &mut self.runs[index];
            (run.down_at_h, run.why) = (None, None);
            run.cause.clear();
        }
    }

    /// What hangs on something that is switched off is off with it, and neither up nor lost.
    fn stand_shut(&mut self, index: usize, wants: bool) {
        self.pick_up(index);
        let mode = &mut self.going[index].mode;
        if !matches!(
            mode,
            Mode::Dark | Mode::Shed | Mode::Latched | Mode::Inspect
        ) {
            *mode = if wants { Mode::Shut } else { Mode::Off };
        }
    }

    fn follow_one(&mut self, index: usize, wants: bool, next: &mut f64) {
        let run = &self.setting.devices[index];
        self.pick_up(index);
        if self.going[index].mode == Mode::Dark {
            if self.feeds_off[run.node] {
                return;
            }
            self.back(index, wants);
        }
        if let Mode::Waiting(until) = self.going[index].mode {
            if !wants || self.t >= until - 1e-6 {
                self.going[index].mode = Mode::Off;
            } else {
                *next = next.min(until);
            }
        }
        match self.going[index].mode {
            Mode::On | Mode::Starting(..) | Mode::Held | Mode::Queued | Mode::Shut if !wants => {
                self.going[index].mode = Mode::Off;
            }
            Mode::On | Mode::Starting(..) if self.is_held(index) => {
                self.going[index].mode = Mode::Held;
            }
            Mode::Off | Mode::Shut | Mode::Held | Mode::Queued if wants => {
                if self.is_held(index) {
                    self.going[index].mode = Mode::Held;
                } else if let Some(until) = self.waits_for_turn(index) {
                    self.going[index].mode = Mode::Queued;
                    *next = next.min(until);
                } else {
                    self.start(index);
                }
            }
            _ => {}
        }
        while let Mode::Starting(phase, until) = self.going[index].mode {
            if self.t < until - 1e-6 {
                *next = next.min(until);
                break;
            }
            let phases = &self.setting.devices[index].starting;
            self.going[index].mode = phases
                .get(phase + 1)
                .map_or(Mode::On, |it| Mode::Starting(phase + 1, until + it.1));
        }
    }

    fn start(&mut self, index: usize) {
        let phases = &self.setting.devices[index].starting;
        self.going[index].mode = phases
            .first()
            .map_or(Mode::On, |it| Mode::Starting(0, self.t + it.1));
        self.last_start = self.t;
        if std::mem::take(&mut self.going[index].lost) {
            self.runs[index].restarts += 1;
            let id = self.setting.devices[index].device.id.to_string();
            self.event("restart", &id, Vec::new());
        }
    }

    /// A feed is there again: what the device does about it.
    fn back(&mut self, index: usize, wants: bool) {
        let run = &self.setting.devices[index];
        let going = &mut self.going[index];
        let by_hand = std::mem::take(&mut going.by_hand);
        going.mode = match run.after {
            _ if going.missed && run.inspects => Mode::Inspect,
            _ if by_hand => Mode::Off,
            Some(AfterLoss::Resumes {}) => Mode::Off,
            Some(AfterLoss::Restarts { seconds }) if wants => {
                Mode::Waiting(self.t + seconds.as_ref().map_or(0.0, Figure::get))
            }
            Some(AfterLoss::Restarts { .. }) => Mode::Off,
            // Nobody said that it comes back by itself.
            Some(AfterLoss::Latches {}) | None => Mode::Latched,
        };
    }

    /// A device loses its feed.
    pub(super) fn lose(&mut self, index: usize) {
        let (why, cause) = self.darkness_of(self.setting.devices[index].node);
        let by_hand = why == "switched by hand";
        self.going[index].by_hand = by_hand;
        if by_hand {
            // It was meant; it counts as off, not as lost for good.
            self.going[index].mode = Mode::Dark;
            self.runs[index].losses += 1;
            return;
        }
        self.mark_lost(index, &why, cause);
        self.going[index].mode = Mode::Dark;
    }

    pub(super) fn mark_lost(&mut self, index: usize, why: &str, cause: Vec<Sentence>) {
        let at_h = self.t / 3600.0;
        let wants = self.wants(index);
        let run = &mut self.runs[index];
        if wants {
            run.losses += 1;
            self.going[index].lost = true;
        }
        if run.down_at_h.is_none() {
            run.down_at_h = Some(at_h);
            run.why = Some(why.to_owned());
            if self.fineness.told {
                let label = &self.setting.devices[index].device.label;
                run.cause = vec![format!("{label} down at {}", super::gone::clocked(at_h)).into()];
                run.cause.extend(cause);
            }
        }
    }

    /// A device that was below its least voltage comes back by itself where it would get enough
    /// with its load on: whether any did.
    fn come_back_from_low(&mut self) -> bool {
        let mut any = false;
        for index in 0..self.going.len() {
            let run = &self.setting.devices[index];
            let by_itself = matches!(
                run.after,
                Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. })
            );
            let tries =
                self.going[index].mode == Mode::Low && self.going[index].resets < MOST_RESETS;
            if !tries || !by_itself || self.feeds_off[run.node] {
                continue;
            }
            if !self.wants(index) {
                continue;
            }
            let was = self.loads[index];
            let first = run.starting.first().map_or(run.running, |it| it.0);
            let mut enough = true;
            for load in [first, run.running] {
                self.loads[index] = load;
                let soc = self.soc.clone();
                self.solve_at(&soc);
                let least = run.min_v.unwrap_or(0.0) * (1.0 + RESET_SLACK);
                enough &= self.solver.is_lit(run.node) && self.solver.volts_at(run.node) >= least;
            }
            self.loads[index] = was;
            if enough {
                any = true;
                self.back(index, true);
                self.stretch(index, self.going[index].mode.doing());
            }
        }
        any
    }

    pub(super) fn fall_low(&mut self, index: usize) {
        self.going[index].resets += 1;
        self.going[index].mode = Mode::Low;
        self.stretch(index, Doing::Reset);
        self.refresh();
    }

    /// What must not be off for longer than its deadline is watched while it should be on and is
    /// not.
    fn watch_deadline(&mut self, index: usize, wants: bool, next: &mut f64) {
        let run = &self.setting.devices[index];
        let Some(deadline) = run.deadline_s else {
            return;
        };
        let going = &mut self.going[index];
        // Once it is due and unfed its clock runs until it has been fed, whatever its own cycle
        // does meanwhile.
        let fed = going.mode == Mode::Off && !self.feeds_off[run.node];
        if going.mode.is_up() || !wants && (fed || going.off_since.is_none()) {
            going.off_since = None;
            return;
        }
        let since = *going.off_since.get_or_insert(self.t);
        let due = since + deadline;
        if self.t < due - 1e-6 {
            *next = next.min(due);
            return;
        }
        if going.missed {
            return;
        }
        going.missed = true;
        if run.inspects && !matches!(going.mode, Mode::Dark | Mode::Shed) {
            going.mode = Mode::Inspect;
        }
        self.runs[index]
            .deadline_missed_h
            .get_or_insert(self.t / 3600.0);
        let consequence = run
            .device
            .deadline
            .as_ref()
            .and_then(|it| it.consequence.clone());
        let id = run.device.id.to_string();
        self.event(
            "deadline passed",
            &id,
            consequence.into_iter().map(Into::into).collect(),
        );
    }

    pub(super) fn shed(&mut self, index: usize) {
        self.going[index].mode = Mode::Shed;
        self.stretch(index, Doing::Shed);
        self.refresh();
    }

    /// The mains comes or goes.
    fn mains_changes(&mut self) {
        self.mains = !self.mains;
        self.dirty = true;
        // What hangs on a source that passes the mains on sees a gap, at the going and at the
        // return.
        let going = !self.mains;
        for index in 0..self.setting.origins.len() {
            let origin = &self.setting.origins[index];
            let passes = origin
                .store
                .is_some_and(|it| self.setting.stores[it].passes);
            if origin.needs_mains {
                self.sources[index] = going.then(|| {
                    Gone::new(
                        "mains out",
                        vec![Sentence::from("the mains is out".to_owned())],
                    )
                });
            } else if passes
                && !going
                && self.sources[index].as_ref().is_some_and(|it| it.by_charge)
            {
                // It carries its ports again, whatever its charge.
                self.sources[index] = None;
            }
        }
        if going {
            self.plug_over();
        }
        self.darken();
        self.gaps(going);
    }

    /// What the devices that are on make of the gap at the going of the mains or at its return. Who
    /// comes back by itself has a loss that is counted, and starts anew; who does not is lost.
    fn gaps(&mut self, going: bool) {
        let soc = self.soc.clone();
        self.solve_at(&soc);
        let gaps = switch::gaps(self.setting, &self.solver, going);
        for gap in gaps {
            let run = &self.setting.devices[gap.device];
            self.runs[gap.device].unsaid |= gap.is_unsaid(run);
            if self.feeds_off[run.node] || !self.going[gap.device].mode.is_up() || !gap.is_felt(run)
            {
                continue;
            }
            let survives = run.device.ride_through_ms.as_ref().map_or_else(
                || "nobody said what it survives".to_owned(),
                |it| format!("it rides through {}", Amount(it.get().round(), "ms")),
            );
            let cause = vec![
                format!(
                    "{} without a feed for {} at the {}; {survives}",
                    Name(&run.device.label),
                    Amount(gap.ms.round(), "ms"),
                    if going { "switch" } else { "return" },
                )
                .into(),
            ];
            let id = run.device.id.to_string();
            let by_itself = matches!(
                run.after,
                Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. })
            );
            if by_itself {
                self.runs[gap.device].losses += 1;
                self.going[gap.device].lost = true;
            } else {
                self.mark_lost(gap.device, "switchover", cause.clone());
            }
            self.event("switchover", &id, cause);
            let wants = self.wants(gap.device);
            self.back(gap.device, wants);
            self.stretch(gap.device, self.going[gap.device].mode.doing());
        }
        self.refresh();
    }
}
