//! The joints of an arrangement, and what a meter must show at each.

use crate::ground::figure::Figure;
use crate::ground::quantity::Volts;
use crate::limits::{Poles, polarity_at, poles};
use crate::network::{Charge, Load, Moment, Network, Reading, Solver};
use crate::site::plan::device::Current;
use crate::site::plan::{Arrangement, Feed, From, Plan, PortVoltage};
use serde::Serialize;

/// How well the charge of a store is taken to be known.
const CHARGE_KNOWN: f64 = 0.1;
/// What a regulated output may be off where its figure states no ±: USB 2.0 and most maker's data.
const REGULATED: f64 = 0.05;
/// What an AC outlet may be off (EN 50160 for the public mains).
const ALTERNATING: f64 = 0.1;
/// What a handheld meter and a battery's curve leave.
const METER: f64 = 0.01;
/// Above this a touch can kill (IEC 61140: 50 V AC; 120 V DC, taken at 60).
const TOUCH_AC: f64 = 50.0;
const TOUCH_DC: f64 = 60.0;

/// A place where a meter is held.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Joint {
    /// Its key: `item/port` at a port, `port>item` at the far end of a feed.
    pub key: String,
    /// Where it is, in words: "the plug into Gate camera".
    pub place: String,
    /// Joints between here and the source.
    pub depth: usize,
    /// AC or DC.
    pub current: Current,
    /// At least, V: everything busy, the charge a tenth lower, the output at its lowest; none where
    /// nothing arrives.
    pub low_v: Option<f64>,
    /// At most, V: nothing drawn, the charge a tenth higher, the output at its highest.
    pub high_v: Option<f64>,
    /// While everything runs, V.
    pub running_v: Option<f64>,
    /// The connector, in words, where it is stated.
    pub connector: Option<String>,
    /// Which contact is positive, in words, where it is stated.
    pub polarity: Option<String>,
    /// What is known of the two sides' polarity where it is not well.
    pub doubt: Option<String>,
    /// What is plugged in here.
    pub feeds: Option<String>,
    /// The least that it takes, V.
    pub takes_low_v: Option<f64>,
    /// The most that it takes, V.
    pub takes_high_v: Option<f64>,
    /// What to look out for.
    pub caution: Option<&'static str>,
}

/// Every joint, each source and what hangs on it in turn: a port before its leads, a lead before
/// what it feeds.
pub(super) fn joints(plan: &Plan, way: &Arrangement, charge: &Charge) -> Vec<Joint> {
    let network = Network::build(plan, way, plan.site.ambient());
    let states = States::of(plan, way, &network, charge);
    let mut round = Round {
        plan,
        way,
        network: &network,
        states,
        list: Vec::new(),
    };
    for source in &plan.kit.sources {
        round.visit(source.id.as_str(), 0, METER);
    }
    round.list
}

/// Volts at the near and at the far end of a feed.
type Ends = (Option<f64>, Option<f64>);
/// Reads one end of one feed out of a state.
type At<'a> = &'a dyn Fn(&[Ends]) -> Option<f64>;

/// Volts at every feed in the states between which a meter reads.
struct States {
    open: Vec<Ends>,
    running: Vec<Ends>,
    busy: Vec<Ends>,
}

impl States {
    fn of(plan: &Plan, way: &Arrangement, network: &Network, charge: &Charge) -> Self {
        let moved = |by: f64| {
            let stores = plan.kit.sources.iter().filter(|it| it.battery.is_some());
            stores.fold(charge.clone(), |moved, it| {
                let soc = charge.of(it.id.as_str());
                moved.with(it.id.as_str(), (soc + by).clamp(0.0, 1.0))
            })
        };
        let at = |loads: &[Load], charge: &Charge| {
            let mut solver = Solver::new(network);
            solver.solve(loads, &network.open_volts(charge));
            let ends = |node| {
                (
                    solver.read(Reading::NearVolts(node)),
                    solver.read(Reading::FarVolts(node)),
                )
            };
            network.feeds().map(|(node, _)| ends(node)).collect()
        };
        let running = Moment::Running.loads(plan, way, network);
        let nothing: Vec<Load> = running.iter().map(|it| it.times(0.0)).collect();
        Self {
            open: at(&nothing, &moved(CHARGE_KNOWN)),
            busy: at(
                &Moment::Busy.loads(plan, way, network),
                &moved(-CHARGE_KNOWN),
            ),
            running: at(&running, charge),
        }
    }
}

struct Round<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    network: &'a Network,
    states: States,
    list: Vec<Joint>,
}

impl Round<'_> {
    /// The joints behind an item; `tolerance` is what the voltage that comes into it may be off.
    fn visit(&mut self, item: &str, depth: usize, tolerance: f64) {
        let way = self.way;
        let mut ports: Vec<&From> = Vec::new();
        for feed in way.feeds.iter().filter(|it| it.from.item.as_str() == item) {
            if !ports.contains(&&feed.from) {
                ports.push(&feed.from);
            }
        }
        for port in ports {
            let own = self.tolerance(port, tolerance);
            let mut is_first = true;
            for (index, feed) in way
                .feeds
                .iter()
                .enumerate()
                .filter(|(_, it)| it.from == *port)
            {
                let Some((place, _)) = self.network.feeds().find(|it| it.1 == index) else {
                    continue;
                };
                if is_first {
                    let joint = self.at_port(port, place, depth, own);
                    self.list.push(joint);
                    is_first = false;
                }
                let joint = self.at_end(feed, place, depth + 1, own);
                self.list.push(joint);
                if feed.to.input.is_none() && self.plan.converter(feed.to.item.as_str()).is_some() {
                    self.visit(feed.to.item.as_str(), depth + 2, own);
                }
            }
        }
    }

    /// What a port may be off, as a share: by its figure's ±, else by what such outlets usually
    /// are.
    fn tolerance(&self, port: &From, before: f64) -> f64 {
        let own = |figure: &Figure<Volts>, usual: f64| {
            figure
                .plus_minus
                .map_or(usual, |it| it / figure.get())
                .max(METER)
        };
        match self.plan.port(port).map(|it| &it.voltage) {
            Some(PortVoltage::Regulated { regulated_v }) => own(regulated_v, REGULATED),
            Some(PortVoltage::Alternating { ac_v, .. }) => own(ac_v, ALTERNATING),
            Some(PortVoltage::Offers { .. }) => REGULATED,
            Some(PortVoltage::Follows { .. }) | None => before,
        }
    }

    fn current(&self, port: &From) -> Current {
        // What follows a junction is what came into it.
        let follows = self
            .plan
            .port(port)
            .is_some_and(|it| matches!(it.voltage, PortVoltage::Follows { .. }));
        match self
            .way
            .feed_into(port.item.as_str())
            .filter(|_| follows && self.plan.source(port.item.as_str()).is_none())
        {
            Some(feed) => self.current(&feed.from),
            None => self.plan.port(port).map_or(Current::Dc, |it| it.current),
        }
    }

    fn at_port(&self, port: &From, place: usize, depth: usize, tolerance: f64) -> Joint {
        let found = self.plan.port(port);
        let name = found
            .and_then(|it| it.label.as_deref())
            .unwrap_or(port.port.as_str());
        let at = |list: &[Ends]| list[place].0;
        Joint {
            key: format!("{}/{}", port.item, port.port),
            place: format!("{}, {name}", self.plan.label(port.item.as_str())),
            connector: found.and_then(|it| it.connector.clone()),
            polarity: polarity_at(self.plan, self.way, port),
            doubt: None,
            feeds: None,
            takes_low_v: None,
            takes_high_v: None,
            ..self.expected(port, &at, depth, tolerance)
        }
    }

    fn at_end(&self, feed: &Feed, place: usize, depth: usize, tolerance: f64) -> Joint {
        let plan = self.plan;
        let item = feed.to.item.as_str();
        let at = |list: &[Ends]| list[place].1;
        let raw = |it: &Option<Figure<Volts>>| it.as_ref().map(Figure::get);
        let name = plan.label(item).to_owned();
        let (connector, polarity, low, high) = if let Some(it) = plan.device(item) {
            let it = &it.input;
            (
                it.connector.clone(),
                it.polarity.clone(),
                raw(&it.min_v),
                raw(&it.max_v),
            )
        } else if let Some(it) = plan.converter(item) {
            let it = &it.input;
            (
                it.connector.clone(),
                it.polarity.clone(),
                raw(&it.min_v),
                raw(&it.max_v),
            )
        } else {
            (None, None, None, None)
        };
        let current = self.current(&feed.from);
        let own = polarity_at(plan, self.way, &feed.from);
        let doubt =
            (current == Current::Dc && (connector.is_some() || polarity.is_some())).then(|| {
                match poles(own.as_deref(), polarity.as_deref()) {
                    Poles::Contradict => Some(format!(
                        "{} gives {}, {name} takes {}: do not plug it in as it is",
                        plan.label(feed.from.item.as_str()),
                        own.as_deref().unwrap_or_default(),
                        polarity.as_deref().unwrap_or_default()
                    )),
                    Poles::Unknown if !crate::limits::settled(connector.as_deref()) => Some(
                        "which contact is plus is not stated on both sides: the meter's sign tells"
                            .into(),
                    ),
                    _ => None,
                }
            });
        Joint {
            key: format!("{}>{}", feed.from.port, feed.to.name()),
            place: format!("the end that goes into {name}"),
            connector,
            polarity,
            doubt: doubt.flatten(),
            feeds: Some(name),
            takes_low_v: low,
            takes_high_v: high,
            ..self.expected(&feed.from, &at, depth, tolerance)
        }
    }

    fn expected(&self, port: &From, at: At<'_>, depth: usize, tolerance: f64) -> Joint {
        let current = self.current(port);
        let (open, running, busy) = (
            at(&self.states.open),
            at(&self.states.running),
            at(&self.states.busy),
        );
        let high_v = open.map(|it| it * (1.0 + tolerance));
        let touch = if current == Current::Ac {
            TOUCH_AC
        } else {
            TOUCH_DC
        };
        let is_battery = self
            .plan
            .source(port.item.as_str())
            .is_some_and(|it| it.battery.as_ref().is_some_and(|it| it.cells.is_some()))
            && self
                .plan
                .port(port)
                .is_some_and(|it| matches!(it.voltage, PortVoltage::Follows { .. }));
        Joint {
            key: String::new(),
            place: String::new(),
            depth,
            current,
            low_v: busy.map(|it| it * (1.0 - tolerance)),
            high_v,
            running_v: running,
            connector: None,
            polarity: None,
            doubt: None,
            feeds: None,
            takes_low_v: None,
            takes_high_v: None,
            caution: if high_v.is_some_and(|it| it > touch) {
                Some(
                    "A voltage that can kill: probes made for it, one hand, dry ground; what is \
                    wired fast is for a licensed electrician.",
                )
            } else if is_battery {
                Some(
                    "A battery gives its whole short-circuit current: one probe at a time, tools \
                    insulated, the fuse in place.",
                )
            } else {
                None
            },
        }
    }
}
