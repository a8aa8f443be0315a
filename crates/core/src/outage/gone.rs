//! What goes off, and the chain of what led to it.

use super::march::{March, Stop};
use super::modes::Mode;
use super::schedule::within;
use super::setting::Guard;
use crate::limits::amount;
use crate::text::inside;

/// Something that is off, and why.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Gone {
    pub(super) why: &'static str,
    /// What led to it, nearest first.
    pub(super) cause: Vec<String>,
    /// Whether it comes back by itself at its cut-in.
    pub(super) comes_back: bool,
    /// Whether it went for want of charge.
    pub(super) by_charge: bool,
}

impl Gone {
    pub(super) fn new(why: &'static str, cause: Vec<String>) -> Self {
        Self { why, cause, comes_back: false, by_charge: false }
    }
}

/// Hours as they are said: `41 h 10 min`, `12 min`, `40 s`.
///
/// ```
/// use ash_pond_core::outage::clocked;
/// assert_eq!(clocked(41.175), "41 h 10 min");
/// assert_eq!(clocked(0.2), "12 min");
/// assert_eq!(clocked(0.01), "36 s");
/// ```
pub fn clocked(hours: f64) -> String {
    let minutes = (hours * 60.0 + 1e-6).floor();
    match () {
        () if hours * 3600.0 < 90.0 => format!("{:.0} s", hours * 3600.0),
        () if minutes < 60.0 => format!("{minutes:.0} min"),
        () if minutes % 60.0 < 1.0 => format!("{:.0} h", (minutes / 60.0).floor()),
        () => format!("{:.0} h {:.0} min", (minutes / 60.0).floor(), minutes % 60.0),
    }
}

impl March<'_> {
    /// Why a feed is dark: in a few words, and with what led to it.
    pub(super) fn darkness_of(&self, node: usize) -> (String, Vec<String>) {
        let setting = self.setting;
        let network = &setting.network;
        let mut lines = Vec::new();
        let mut at = node;
        loop {
            if self.hand_until[at] > self.t + 1e-6 {
                lines.push("a hand has to plug it over".to_owned());
                return ("switched by hand".to_owned(), lines);
            }
            let port = network.port_of(at);
            let source = network.port_source(port);
            let gone = self.ports[port].as_ref().or_else(|| source.and_then(|it| self.sources[it].as_ref()));
            if let Some(gone) = gone {
                lines.extend(gone.cause.iter().cloned());
                return (gone.why.to_owned(), lines);
            }
            let Some(stage) = network.port_converter(port) else { return ("no feed".to_owned(), lines) };
            if let Some(gone) = &self.stages[stage] {
                lines.extend(gone.cause.iter().cloned());
                return (gone.why.to_owned(), lines);
            }
            let label = setting.plan.label(&setting.stages[stage].id);
            if self.stage_ready[stage] > self.t + 1e-6 {
                lines.push(format!("{label} is starting"));
                return ("converter starting".to_owned(), lines);
            }
            lines.push(format!("{label} lost its input"));
            at = setting.stages[stage].node;
        }
    }

    /// Voltages and losses on the way from a store to a feed, in words.
    fn fall_to(&self, node: usize) -> Option<String> {
        let network = &self.setting.network;
        let (mut at, mut metres, mut lost_v) = (node, 0.0, 0.0);
        let amps = self.solver.amps_at(node);
        loop {
            let feed = network.feeds().nth(at)?.1;
            metres += self.setting.way.feeds[feed].cable.as_ref().map_or(0.0, |it| it.length_m.get());
            lost_v += self.solver.amps_at(at) * network.ohms_of(at);
            let port = network.port_of(at);
            let Some(stage) = network.port_converter(port) else {
                let source = network.port_source(port).filter(|it| network.has_cells(*it))?;
                let under = self.solver.terminal_volts(source);
                if (self.solver.near_at(at) - under).abs() > 1e-6 {
                    return None;
                }
                let inner = self.solver.source(source).1 * network.internal_ohm(source);
                let label = inside(&self.setting.origins[source].source.label);
                let mut words = format!("{label} at {} open", amount(under + inner, "V"));
                if inner >= 0.05 {
                    words += &format!(", {} lost inside it", amount(inner, "V"));
                }
                if lost_v >= 0.05 {
                    words += &format!(", {} lost in {} of lead", amount(lost_v, "V"), amount(metres, "m"));
                }
                return Some(format!("{words} at {}{}", amount(amps, "A"), self.while_starting()));
            };
            let above = self.setting.stages[stage].node;
            // Only what follows its input hands a loss of voltage on.
            if (self.solver.near_at(at) - self.solver.volts_at(above)).abs() > 1e-6 {
                return None;
            }
            at = above;
        }
    }

    /// Who is starting, as an ending of a sentence.
    fn while_starting(&self) -> String {
        let starting = self.going.iter().zip(&self.setting.devices);
        let names: Vec<String> = starting
            .filter(|(it, _)| matches!(it.mode, Mode::Starting(..)))
            .map(|(_, run)| inside(&run.device.label))
            .collect();
        match names.as_slice() {
            [] => String::new(),
            [one] => format!(" while the {one} started"),
            several => format!(" while {} started", several.join(" and ")),
        }
    }

    /// What emptied a store, in words.
    fn what_emptied(&self, store: usize) -> Option<String> {
        let drawn = self.store_runs[store].drawn_wh;
        let place = self.setting.stores[store].place?;
        let network = &self.setting.network;
        let hangs = |node: usize| {
            let mut at = node;
            loop {
                let port = network.port_of(at);
                match network.port_converter(port) {
                    Some(stage) => at = self.setting.stages[stage].node,
                    None => return network.port_source(port) == Some(place),
                }
            }
        };
        let fed = self.setting.devices.iter().zip(&self.runs).filter(|(run, _)| hangs(run.node));
        let (most, used) = fed.max_by(|a, b| a.1.wh.total_cmp(&b.1.wh))?;
        (drawn > 0.0).then(|| {
            format!(
                "{} drawn in {}, most of it for the {} ({})",
                amount(drawn, "Wh"),
                clocked(self.t / 3600.0),
                inside(&most.device.label),
                amount(used.wh, "Wh")
            )
        })
    }

    pub(super) fn happen(&mut self, stop: Stop) {
        let setting = self.setting;
        let told = self.fineness.told;
        match stop {
            Stop::Floor(index) => {
                let store = &setting.stores[index];
                let percent =
                    crate::limits::percent(if setting.outage.use_everything == Some(true) { 0.0 } else { store.floor });
                let mut cause = Vec::new();
                if told {
                    cause.push(format!("{} at its floor of {percent}", inside(&store.source.label)));
                    cause.extend(self.what_emptied(index));
                }
                self.store_runs[index].to_floor_h.get_or_insert(self.t / 3600.0);
                self.drop_store(index, "floor", cause);
            }
            Stop::CutOff(index) => {
                let store = &setting.stores[index];
                let mut cause = Vec::new();
                if let Some(place) = store.place.filter(|_| told) {
                    let (volts, amps) = (self.solver.terminal_volts(place), self.solver.source(place).1);
                    let inner = amps * setting.network.internal_ohm(place);
                    cause.push(format!(
                        "{} cut off at {}: {} open, {} lost inside it at {}{}",
                        inside(&store.source.label),
                        amount(volts, "V"),
                        amount(volts + inner, "V"),
                        amount(inner, "V"),
                        amount(amps, "A"),
                        self.while_starting()
                    ));
                    cause.extend(self.what_emptied(index));
                }
                self.store_runs[index].to_cut_off_h.get_or_insert(self.t / 3600.0);
                self.drop_store(index, "cut-off", cause);
            }
            Stop::CutOut(index) => {
                let stage = &setting.stages[index];
                let mut cause = Vec::new();
                if told {
                    let label = inside(setting.plan.label(&stage.id));
                    cause.push(format!("{label} cut out at {}", amount(self.solver.volts_at(stage.node), "V")));
                    cause.extend(self.fall_to(stage.node));
                }
                self.event("low-voltage cut-out", &stage.id, cause.clone());
                let gone = Gone::new("low-voltage cut-out", cause);
                self.stages[index] = Some(Gone { comes_back: stage.cut_in_v.is_some(), ..gone });
                self.dirty = true;
            }
            Stop::CutIn(index) => {
                let stage = &setting.stages[index];
                self.event("cut-in", &stage.id, Vec::new());
                self.stages[index] = None;
                self.stage_ready[index] = if stage.start_s > 0.0 { self.t + stage.start_s } else { 0.0 };
                self.dirty = true;
            }
            Stop::BelowMinimum(index) => {
                let run = &setting.devices[index];
                let mut cause = Vec::new();
                if told {
                    let volts = self.solver.volts_at(run.node);
                    cause.push(format!(
                        "{} of the {} it needs",
                        amount(volts, "V"),
                        amount(run.min_v.unwrap_or(0.0), "V")
                    ));
                    cause.extend(self.fall_to(run.node));
                }
                let id = run.device.id.to_string();
                self.event("input below minimum", &id, cause.clone());
                self.mark_lost(index, "input below minimum", cause);
                self.fall_low(index);
            }
            Stop::Shed(index) => {
                let id = setting.devices[index].device.id.to_string();
                self.event("shed", &id, Vec::new());
                let run = &mut self.runs[index];
                if run.down_at_h.is_none() {
                    run.down_at_h = Some(self.t / 3600.0);
                    run.why = Some("shed by rule".to_owned());
                }
                self.shed(index);
            }
        }
    }

    fn drop_store(&mut self, index: usize, why: &'static str, cause: Vec<String>) {
        let store = &self.setting.stores[index];
        self.event(why, store.source.id.as_str(), cause.clone());
        if let Some(place) = store.place {
            self.sources[place] = Some(Gone { by_charge: true, ..Gone::new(why, cause) });
        }
        self.dirty = true;
    }

    pub(super) fn sleep(&mut self, index: usize) {
        let sleeper = &self.setting.sleepers[index];
        let name = self.setting.network.port_name(sleeper.port).to_owned();
        let cause = vec![format!(
            "{name} turned itself off: under {} for {}",
            amount(sleeper.below_w, "W"),
            clocked(sleeper.after_s / 3600.0)
        )];
        self.event("auto-off", &name, cause.clone());
        self.ports[sleeper.port] = Some(Gone::new("auto-off", cause));
        self.dirty = true;
    }

    pub(super) fn trip(&mut self, index: usize, value: f64, carried: f64) {
        let breaker = &self.setting.breakers[index];
        let after = if carried > 0.0 { format!(" after {}", clocked(carried / 3600.0)) } else { String::new() };
        let cause = vec![format!(
            "{} tripped{after}: {} over its {}{}",
            inside(&breaker.name),
            amount(value, breaker.unit),
            amount(breaker.levels.continuous, breaker.unit),
            self.while_starting()
        )];
        self.event("trip", &breaker.place, cause.clone());
        let gone = Gone::new("trip", cause);
        match &self.setting.guards[index] {
            Guard::Ports(ports) => ports.iter().for_each(|it| self.ports[*it] = Some(gone.clone())),
            Guard::Stage(stage) => self.stages[*stage] = Some(gone),
            Guard::Source(source) => self.sources[*source] = Some(gone),
        }
        self.dirty = true;
    }

    /// Starts and stops engines by their hours, their quiet times and their fuel; when that changes next, s.
    pub(super) fn engines(&mut self) -> f64 {
        let setting = self.setting;
        let mut next = f64::INFINITY;
        for (index, origin) in setting.origins.iter().enumerate() {
            let has_runs = !origin.runs.is_empty();
            if origin.engine.is_none() && !has_runs {
                continue;
            }
            let at = self.t + 1e-6;
            let mut why: Option<(&'static str, String)> = None;
            if has_runs && !origin.runs.iter().any(|it| it.0 <= at && at < it.1) {
                why = Some(("generator off", format!("{} is not running", inside(&origin.source.label))));
            }
            if let Some(engine) = origin.engine {
                for quiet in &engine.quiet {
                    let (from, to) = (quiet.from.hours() * 3600.0, quiet.to.hours() * 3600.0);
                    let (is_quiet, until) = within(setting.clock.of_day(at), from, to);
                    next = next.min(at + until).min(setting.clock.next_change(self.t));
                    if is_quiet {
                        why = Some(("quiet time", format!("{} has to be quiet", inside(&origin.source.label))));
                    }
                }
                if self.fuel_l[index] <= 1e-6 {
                    why = Some(("out of fuel", format!("{} is out of fuel", inside(&origin.source.label))));
                }
            }
            let now = self.sources[index].as_ref().map(|it| it.why);
            if now == why.as_ref().map(|it| it.0) {
                continue;
            }
            if let Some(("out of fuel", cause)) = &why {
                self.event("out of fuel", origin.source.id.as_str(), vec![cause.clone()]);
            }
            self.sources[index] = why.map(|(why, cause)| Gone::new(why, vec![cause]));
            self.dirty = true;
        }
        next
    }
}
