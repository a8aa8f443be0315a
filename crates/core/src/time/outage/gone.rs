//! What goes off, and the chain of what led to it.

use super::march::March;
use super::result::SHED_BY_RULE;
use super::schedule::within;
use super::setting::Guard;
use super::state::{Gone, Mode, Stop};
use crate::ground::say::{Amount, Name, Sentence, amount};
use crate::site::battery::LITHIUM_GIVES_FROM_C;

/// A converter that cuts out again within this does not settle, s.
const SOON_S: f64 = 120.0;
/// How often it may do that on end before it is left off.
const MOST_CHATTER: u32 = 20;

/// Hours as they are said: `41 h 10 min`, `12 min`, `40 s`.
///
/// ```
/// use ash_pond_core::time::outage::clocked;
/// assert_eq!(clocked(41.175), "41 h 10 min");
/// assert_eq!(clocked(0.2), "12 min");
/// assert_eq!(clocked(0.01), "36 s");
/// ```
pub fn clocked(hours: f64) -> Sentence {
    let minutes = (hours * 60.0 + 1e-6).floor();
    match () {
        () if hours * 3600.0 < 90.0 => Amount((hours * 3600.0).round(), "s").into(),
        () if minutes < 60.0 => Amount(minutes, "min").into(),
        () if minutes % 60.0 < 1.0 => Amount((minutes / 60.0).floor(), "h").into(),
        () => format!(
            "{} {}",
            Amount((minutes / 60.0).floor(), "h"),
            Amount(minutes % 60.0, "min")
        )
        .into(),
    }
}

impl March<'_> {
    /// Why a feed is dark: in a few words, and with what led to it.
    pub(super) fn darkness_of(&self, node: usize) -> (String, Vec<Sentence>) {
        let setting = self.setting;
        let network = &setting.network;
        let mut lines: Vec<Sentence> = Vec::new();
        let mut at = node;
        loop {
            if self.hand_until[at] > self.t + 1e-6 {
                lines.push("a person has to plug it over".into());
                return ("switched by hand".to_owned(), lines);
            }
            if let Some(gone) = &self.fuses[at] {
                lines.extend(gone.cause.iter().cloned());
                return (gone.why.to_owned(), lines);
            }
            let port = network.port_of(at);
            let source = network.port_source(port);
            let gone = self.ports[port]
                .as_ref()
                .or_else(|| source.and_then(|it| self.sources[it].as_ref()));
            if let Some(gone) = gone {
                lines.extend(gone.cause.iter().cloned());
                return (gone.why.to_owned(), lines);
            }
            let Some(stage) = network.port_converter(port) else {
                return ("no feed".to_owned(), lines);
            };
            if let Some(gone) = &self.stages[stage] {
                lines.extend(gone.cause.iter().cloned());
                return (gone.why.to_owned(), lines);
            }
            let label = Name(setting.plan.label(&setting.stages[stage].id));
            if self.is_starting(stage) {
                lines.push(format!("{label} is starting").into());
                return ("converter starting".to_owned(), lines);
            }
            lines.push(format!("{label} lost its input").into());
            at = setting.stages[stage].node;
        }
    }

    /// Voltages and losses on the way from a store to a feed, in words.
    fn fall_to(&self, node: usize) -> Option<Sentence> {
        let network = &self.setting.network;
        let (mut at, mut metres, mut lost_v) = (node, 0.0, 0.0);
        let amps = self.solver.amps_at(node);
        loop {
            let feed = network.feeds().nth(at)?.1;
            metres += self.setting.way.feeds[feed]
                .cable
                .as_ref()
                .map_or(0.0, |it| it.length_m.get());
            lost_v += self.solver.amps_at(at) * self.solver.ohms_at(at);
            let port = network.port_of(at);
            let Some(stage) = network.port_converter(port) else {
                let source = network
                    .port_source(port)
                    .filter(|it| network.has_cells(*it))?;
                let under = self.solver.terminal_volts(source);
                if (self.solver.near_at(at) - under).abs() > 1e-6 {
                    return None;
                }
                let inner = self.solver.source(source).1 * self.solver.inner_ohms(source);
                let label = Name(&self.setting.origins[source].source.label);
                let mut words = format!("{label} at {} open", amount(under + inner, "V"));
                if inner >= 0.05 {
                    words += &format!(", {} lost inside it", amount(inner, "V"));
                }
                if lost_v >= 0.05 {
                    words += &format!(
                        ", {} lost in {} of lead",
                        amount(lost_v, "V"),
                        amount(metres, "m")
                    );
                }
                return Some(
                    format!("{words} at {}{}", amount(amps, "A"), self.while_starting()).into(),
                );
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
            .map(|(_, run)| Name(&run.device.label).to_string())
            .collect();
        match names.as_slice() {
            [] => String::new(),
            [one] => format!(" while {one} started"),
            several => format!(" while {} started", several.join(" and ")),
        }
    }

    /// What emptied a store, in words: the largest part of what was drawn from it, whatever kind it
    /// is of.
    fn what_emptied(&self, store: usize) -> Option<Sentence> {
        let drawn = self.store_runs[store].drawn_wh;
        let place = self.setting.stores[store].place.filter(|_| drawn > 0.0)?;
        let (network, way, plan) = (&self.setting.network, self.setting.way, self.setting.plan);
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
        let mut parts: Vec<(f64, String)> = Vec::new();
        for (run, fared) in self
            .setting
            .devices
            .iter()
            .zip(&self.runs)
            .filter(|it| hangs(it.0.node))
        {
            parts.push((fared.wh, format!("for {}", Name(&run.device.label))));
        }
        for (node, feed) in network.feeds().filter(|it| hangs(it.0)) {
            let name = Name(plan.label(way.feeds[feed].to.item.as_str()));
            let [idle, load, lead] = self.feeds_wh[node];
            parts.push((idle, format!("only because {name} is on")));
            parts.push((load, format!("lost in {name} with its load")));
            parts.push((lead, format!("lost in the lead to {name}")));
        }
        for (port, [idle, load]) in self
            .ports_wh
            .iter()
            .enumerate()
            .filter(|it| network.port_source(it.0) == Some(place))
        {
            let (item, id) = network.port_name(port).split_once('/').unwrap_or_default();
            let found = plan
                .source(item)
                .and_then(|it| it.ports.iter().find(|it| it.id.as_str() == id));
            let name = format!(
                "{}, {}",
                Name(plan.label(item)),
                Name(found.and_then(|it| it.label.as_deref()).unwrap_or(id))
            );
            parts.push((*idle, format!("only because {name} is on")));
            parts.push((*load, format!("lost in {name} with its load")));
        }
        let (wh, words) = parts.into_iter().max_by(|a, b| a.0.total_cmp(&b.0))?;
        let part = if wh > drawn / 2.0 {
            "most of it"
        } else {
            "the largest part"
        };
        let drawn = amount(drawn, "Wh");
        let time = if self.fineness.timed {
            format!(" in {}", clocked(self.t / 3600.0))
        } else {
            String::new()
        };
        Some(format!("{drawn} drawn{time}, {part} {words} ({})", amount(wh, "Wh")).into())
    }

    pub(super) fn happen(&mut self, stop: Stop) {
        let setting = self.setting;
        let told = self.fineness.told;
        match stop {
            Stop::Floor(index) => {
                let store = &setting.stores[index];
                let percent =
                    crate::ground::say::percent(if setting.outage.use_everything == Some(true) {
                        0.0
                    } else {
                        store.floor
                    });
                let mut cause: Vec<Sentence> = Vec::new();
                if told {
                    cause.push(
                        format!("{} at its floor of {percent}", Name(&store.source.label)).into(),
                    );
                    cause.extend(self.what_emptied(index));
                }
                self.store_runs[index]
                    .to_floor_h
                    .get_or_insert(self.t / 3600.0);
                self.drop_store(index, "floor", cause);
            }
            Stop::Restored(index) => {
                let store = &setting.stores[index];
                let charge = crate::ground::say::percent(self.soc[index]);
                let cause = format!("{} is charged to {charge} again", Name(&store.source.label));
                self.event("back on", store.source.id.as_str(), vec![cause.into()]);
                if let Some(place) = store.place {
                    let gone = self.sources[place].take();
                    for port in &store.stay_off {
                        self.ports[*port] = self.ports[*port].take().or_else(|| gone.clone());
                    }
                }
                self.dirty = true;
            }
            Stop::CutOff(index) => {
                let store = &setting.stores[index];
                let mut cause: Vec<Sentence> = Vec::new();
                if let Some(place) = store.place.filter(|_| told) {
                    let (volts, amps) = (
                        self.solver.terminal_volts(place),
                        self.solver.source(place).1,
                    );
                    let inner = amps * self.solver.inner_ohms(place);
                    cause.push(
                        format!(
                            "{} cut off at {}: {} open, {} lost inside it at {}{}",
                            Name(&store.source.label),
                            amount(volts, "V"),
                            amount(volts + inner, "V"),
                            amount(inner, "V"),
                            amount(amps, "A"),
                            self.while_starting()
                        )
                        .into(),
                    );
                    cause.extend(self.what_emptied(index));
                }
                self.store_runs[index]
                    .to_cut_off_h
                    .get_or_insert(self.t / 3600.0);
                self.drop_store(index, "cut-off", cause);
            }
            Stop::TooCold(index) => {
                let store = &setting.stores[index];
                let cause = format!(
                    "{} at {}: a lithium battery gives nothing below {} that its maker stands for",
                    Name(&store.source.label),
                    amount(setting.ambient_c, "°C"),
                    amount(LITHIUM_GIVES_FROM_C, "°C")
                );
                self.drop_store(index, "too-cold", vec![cause.into()]);
            }
            Stop::Low(index) => self.low_since[index] = self.t,
            Stop::CutOut(index) => {
                let stage = &setting.stages[index];
                let mut cause: Vec<Sentence> = Vec::new();
                if told {
                    let label = Name(setting.plan.label(&stage.id));
                    cause.push(
                        format!(
                            "{label} cut out at {}",
                            amount(self.solver.volts_at(stage.node), "V")
                        )
                        .into(),
                    );
                    cause.extend(self.fall_to(stage.node));
                }
                self.event("low-voltage cut-out", &stage.id, cause.clone());
                let stuck = self.chatters(index);
                let gone = Gone::new("low-voltage cut-out", cause);
                self.stages[index] = Some(Gone {
                    comes_back: stage.cut_in_v.is_some() && !stuck,
                    ..gone
                });
                self.dirty = true;
            }
            Stop::CutIn(index) => {
                let stage = &setting.stages[index];
                self.event("cut-in", &stage.id, Vec::new());
                self.stages[index] = None;
                self.stage_ready[index] = if stage.start_s > 0.0 {
                    self.t + stage.start_s
                } else {
                    0.0
                };
                self.dirty = true;
            }
            Stop::BelowMinimum(index) => {
                let run = &setting.devices[index];
                let mut cause: Vec<Sentence> = Vec::new();
                if told {
                    let volts = self.solver.volts_at(run.node);
                    cause.push(
                        format!(
                            "{} of the {} it needs",
                            amount(volts, "V"),
                            amount(run.min_v.unwrap_or(0.0), "V")
                        )
                        .into(),
                    );
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
                    run.why = Some(SHED_BY_RULE.to_owned());
                }
                self.shed(index);
            }
        }
    }

    /// Counts a cut-out that comes soon after the one before; whether the converter does nothing
    /// else any more. A person is told then which figure makes it so, and it is left off.
    fn chatters(&mut self, index: usize) -> bool {
        let (times, last) = &mut self.chatter[index];
        *times = if self.t - *last < SOON_S {
            *times + 1
        } else {
            1
        };
        *last = self.t;
        if *times < MOST_CHATTER {
            return false;
        }
        let label = Name(self.setting.plan.label(&self.setting.stages[index].id));
        let blames = self.blames(&self.setting.stages[index].id);
        self.found.unsettled.get_or_insert_with(|| {
            format!(
                "{label} cuts out and comes back without end, each time as soon as it is loaded: \
                {blames}. From there on it \
                 is taken to stay off."
            )
            .into()
        });
        true
    }

    /// The resistance on the way to an item that takes the largest share of its voltage, in words.
    /// By what it would take of one and the same power, R ÷ V²: where something switches without
    /// end, nothing flows at the time.
    fn blames(&self, item: &str) -> String {
        let (network, plan, way) = (&self.setting.network, self.setting.plan, self.setting.way);
        let mut worst = (0.0, String::from("look at the figures of what feeds it"));
        let mut weigh = |ohms: f64, volts: f64, words: &dyn Fn(String) -> String| {
            let share = ohms / (volts * volts).max(1e-9);
            if share > worst.0 {
                worst = (share, words(amount(ohms, "Ω").to_string()));
            }
        };
        let chain = way.chain(item);
        let mut volts = 0.0;
        if let Some(root) = chain.last().map(|it| way.feeds[*it].from.item.as_str())
            && let Some(source) = network.source_index(root)
        {
            volts = network.open_volts_of(source, 1.0);
            let label = Name(plan.label(root));
            weigh(network.internal_ohm(source), volts, &|ohms| {
                format!(
                    "the internal resistance of {label} is {ohms}; check that figure \
                    (battery.internal_ohm)"
                )
            });
        }
        for feed in chain.iter().rev().map(|it| &way.feeds[*it]) {
            let picked = feed
                .voltage_v
                .as_ref()
                .map(crate::ground::figure::Figure::get);
            // A port that follows has the volts of what stands above it.
            volts = plan
                .port(&feed.from)
                .and_then(|it| it.voltage.standing(picked))
                .unwrap_or(volts);
            let ohms = crate::site::wire::resistance(feed.cable.as_ref(), plan.site.ambient()).0;
            let to = Name(plan.label(feed.to.item.as_str()));
            weigh(ohms, volts, &|ohms| {
                format!("the lead to {to} has {ohms}; check its length, its area and its contacts")
            });
        }
        worst.1
    }

    /// Says that the outage was not followed to its end, and which figure may be to blame.
    pub(super) fn give_up(&mut self) {
        let at = clocked(self.t / 3600.0);
        let mut count: std::collections::BTreeMap<&str, usize> = std::collections::BTreeMap::new();
        for event in &self.found.events {
            *count
                .entry(event.item.split('/').next().unwrap_or_default())
                .or_default() += 1;
        }
        let most = count
            .into_iter()
            .max_by_key(|it| it.1)
            .map(|it| it.0.to_owned());
        let blames = most.and_then(|item| {
            self.setting.way.feed_into(&item)?;
            Some((
                Name(self.setting.plan.label(&item)).to_string(),
                self.blames(&item),
            ))
        });
        let why = blames.map_or_else(
            || {
                "something switches on and off without end; look at thresholds that stand close \
                together"
                    .to_owned()
            },
            |(label, blames)| format!("{label} switches on and off without end: {blames}"),
        );
        self.found.unsettled = Some(format!("Followed to {at} only: {why}.").into());
    }

    fn drop_store(&mut self, index: usize, why: &'static str, cause: Vec<Sentence>) {
        let store = &self.setting.stores[index];
        self.event(why, store.source.id.as_str(), cause.clone());
        if let Some(place) = store.place {
            self.sources[place] = Some(Gone {
                by_charge: true,
                ..Gone::new(why, cause)
            });
        }
        self.dirty = true;
    }

    pub(super) fn sleep(&mut self, index: usize) {
        let sleeper = &self.setting.sleepers[index];
        let name = self.setting.network.port_name(sleeper.port).to_owned();
        let cause = vec![
            format!(
                "{name} turned itself off: under {} for {}",
                amount(sleeper.below_w, "W"),
                clocked(sleeper.after_s / 3600.0)
            )
            .into(),
        ];
        self.event("auto-off", &name, cause.clone());
        self.ports[sleeper.port] = Some(Gone::new("auto-off", cause));
        self.dirty = true;
    }

    pub(super) fn trip(&mut self, index: usize, value: f64, carried: f64) {
        let breaker = &self.setting.breakers[index];
        let after = if carried > 0.0 {
            format!(" after {}", clocked(carried / 3600.0))
        } else {
            String::new()
        };
        let opens = matches!(self.setting.guards[index], Guard::Feed(_));
        let (what, how) = if opens {
            ("fuse", "opened")
        } else {
            ("trip", "tripped")
        };
        let name = Name(&breaker.name);
        let cause = vec![
            format!(
                "{name} {how}{after}: {} over its {}{}",
                amount(value, breaker.unit),
                amount(breaker.levels.continuous, breaker.unit),
                self.while_starting()
            )
            .into(),
        ];
        self.event(what, &breaker.place, cause.clone());
        let gone = Gone::new(what, cause);
        match &self.setting.guards[index] {
            Guard::Ports(ports) => ports
                .iter()
                .for_each(|it| self.ports[*it] = Some(gone.clone())),
            Guard::Stage(stage) => self.stages[*stage] = Some(gone),
            Guard::Source(source) => self.sources[*source] = Some(gone),
            Guard::Feed(node) => self.fuses[*node] = Some(gone),
        }
        self.dirty = true;
    }

    /// Takes a store away that is carried elsewhere, and brings it back.
    fn carry(&mut self, origin: usize, store: usize) {
        const AWAY: &str = "carried away";
        let source = self.setting.origins[origin].source;
        let is_away = self.sources[origin]
            .as_ref()
            .is_some_and(|it| it.why == AWAY);
        match self.setting.away(store, self.t) {
            Some(carried) if !is_away => {
                let to = carried
                    .place
                    .as_deref()
                    .map_or_else(String::new, |it| format!(" to {}", Name(it)));
                let cause = vec![Sentence::from(format!(
                    "{} is carried away{to}",
                    Name(&source.label)
                ))];
                self.event(AWAY, source.id.as_str(), cause.clone());
                self.sources[origin] = Some(Gone::new(AWAY, cause));
                self.dirty = true;
            }
            None if is_away => {
                self.event(
                    "back on",
                    source.id.as_str(),
                    vec![format!("{} is back", Name(&source.label)).into()],
                );
                self.sources[origin] = None;
                self.dirty = true;
            }
            _ => {}
        }
    }

    /// Starts and stops engines by their hours, their quiet times and their fuel; when that changes
    /// next, s.
    pub(super) fn engines(&mut self) -> f64 {
        let setting = self.setting;
        let mut next = f64::INFINITY;
        for (index, origin) in setting.origins.iter().enumerate() {
            let has_runs = !origin.runs.is_empty();
            if let Some(store) = origin
                .store
                .filter(|it| !setting.stores[*it].away.is_empty())
            {
                self.carry(index, store);
            }
            // A vehicle whose engine runs gives from its alternator, however empty its battery is.
            if setting.drives(index, self.t)
                && self.sources[index].as_ref().is_some_and(|it| it.by_charge)
            {
                self.sources[index] = None;
                self.dirty = true;
            }
            // One whose engine stands gives from its battery.
            if origin.engine.is_none() && !has_runs || origin.store.is_some() {
                continue;
            }
            let at = self.t + 1e-6;
            let mut why: Option<(&'static str, String)> = None;
            if has_runs && !origin.runs.iter().any(|it| it.0 <= at && at < it.1) {
                why = Some((
                    "generator off",
                    format!("{} is not running", Name(&origin.source.label)),
                ));
            }
            if let Some(engine) = origin.engine {
                for quiet in &engine.quiet {
                    let (from, to) = (quiet.from.hours() * 3600.0, quiet.to.hours() * 3600.0);
                    let (is_quiet, until) = within(setting.clock.of_day(at), from, to);
                    next = next.min(at + until).min(setting.clock.next_change(self.t));
                    if is_quiet {
                        why = Some((
                            "quiet time",
                            format!("{} has to be quiet", Name(&origin.source.label)),
                        ));
                    }
                }
                if self.fuel_l[index] <= 1e-6 {
                    why = Some((
                        "out of fuel",
                        format!("{} is out of fuel", Name(&origin.source.label)),
                    ));
                }
            }
            let now = self.sources[index].as_ref().map(|it| it.why);
            if now == why.as_ref().map(|it| it.0) {
                continue;
            }
            if let Some(("out of fuel", cause)) = &why {
                self.event(
                    "out of fuel",
                    origin.source.id.as_str(),
                    vec![Sentence::from(cause.clone())],
                );
            }
            self.sources[index] =
                why.map(|(why, cause)| Gone::new(why, vec![Sentence::from(cause)]));
            self.dirty = true;
        }
        next
    }
}
