//! What one arrangement draws as one of its figures changes, on the real network.

use super::ask::{Ask, Over};
use crate::ground::figure::Figure;
use crate::ground::quantity::Celsius;
use crate::limits::Watch;
use crate::network::{Charge, Gates, Load, Moment, Network, Solver, average, fed};
use crate::site::plan::{Arrangement, Cable, Device, Plan};
use crate::site::wire::{lead as lead_of, per_metre};

/// An arrangement with the figure that changes.
pub(super) struct Curve<'a> {
    plan: &'a Plan,
    charge: &'a Charge,
    network: Network,
    watch: Watch,
    loads: Vec<Load>,
    open_v: Vec<f64>,
    changes: Changes,
    gates: Gates,
}

/// What changes.
enum Changes {
    /// The loads of these devices, each `per_w` of the whole.
    Load(Vec<(usize, Load)>),
    /// The hours a day that these devices are on.
    Hours(Vec<usize>),
    /// The charge of every store.
    Charge,
    /// The length of a lead, by its feed's node.
    Length {
        node: usize,
        cable: Box<Cable>,
        ambient: Celsius,
    },
    /// What a converter or a port draws for being on.
    Idle(String),
    /// Nothing: the figure is not one of this arrangement.
    Nothing,
}

impl<'a> Curve<'a> {
    pub(super) fn of(
        plan: &'a Plan,
        arrangement: &'a Arrangement,
        charge: &'a Charge,
        ask: &Ask<'_>,
    ) -> Self {
        let network = Network::build(plan, arrangement, plan.site.ambient());
        let devices: Vec<&Device> = fed(plan, arrangement).collect();
        let chosen: Vec<usize> = (0..devices.len())
            .filter(|it| ask.device.is_none_or(|id| devices[*it].id.as_str() == id))
            .collect();
        let changes = match ask.over {
            Over::Load => {
                let wave =
                    |(place, load): (usize, Load)| (place, load.times(network.wave_factor(place)));
                Changes::Load(shares(&devices, &chosen).into_iter().map(wave).collect())
            }
            Over::Hours => Changes::Hours(chosen),
            Over::Charge => Changes::Charge,
            Over::Length => {
                length(plan, arrangement, &network, ask.item).unwrap_or(Changes::Nothing)
            }
            Over::Idle => match ask.item {
                Some(id) if network.idle(id).is_some() => Changes::Idle(id.to_owned()),
                _ => Changes::Nothing,
            },
        };
        let watch = Watch::of(plan, arrangement, &network);
        let loads = Moment::Running.loads(plan, arrangement, &network);
        let open_v = network.open_volts(charge);
        let gates = Gates::of(arrangement, &network);
        Self {
            plan,
            charge,
            network,
            watch,
            loads,
            open_v,
            changes,
            gates,
        }
    }

    /// Whether the figure changes anything here.
    pub(super) fn changes(&self) -> bool {
        !matches!(self.changes, Changes::Nothing)
    }

    /// What is drawn at `x`, W, or Wh a day over hours; `None` where something has no stable
    /// voltage.
    pub(super) fn drawn(&mut self, x: f64) -> Option<f64> {
        let on = self.solved(x, |solver, _| solver.is_stable().then(|| solver.drawn_w()))?;
        let Changes::Hours(devices) = &self.changes else {
            return Some(on);
        };
        let mut loads = self.loads.clone();
        for &device in devices {
            loads[device] = loads[device].times(0.0);
        }
        let mut solver = Solver::new(&self.network);
        // What goes with its load is off with these; hours of use have no time of day, so that
        // clocks count as on.
        let open = self
            .gates
            .open_by_load(|it| !devices.contains(&it), |_| true);
        self.gates.apply(&mut solver, &open);
        solver.solve(&loads, &self.open_v);
        Some(on * x + solver.drawn_w() * (24.0 - x))
    }

    /// Whether nothing trips at `x` that lasts.
    pub(super) fn stands(&mut self, x: f64) -> bool {
        self.solved(x, |solver, watch| watch.stands(solver))
    }

    fn solved<T>(&mut self, x: f64, read: impl FnOnce(&Solver<'_>, &Watch) -> T) -> T {
        let (mut loads, mut open_v) = (None, None);
        match &self.changes {
            Changes::Load(shares) => {
                let mut changed = self.loads.clone();
                for (device, per_w) in shares {
                    changed[*device] = per_w.times(x);
                }
                loads = Some(changed);
            }
            Changes::Charge => {
                let stores = self
                    .plan
                    .kit
                    .sources
                    .iter()
                    .filter(|it| it.battery.is_some());
                let charge = stores.fold(self.charge.clone(), |charge, it| {
                    charge.with(it.id.as_str(), x)
                });
                open_v = Some(self.network.open_volts(&charge));
            }
            Changes::Length {
                node,
                cable,
                ambient,
            } => {
                let trial = Cable {
                    length_m: Figure::assumed(x),
                    ..(**cable).clone()
                };
                self.network
                    .set_lead(*node, lead_of(Some(&trial), *ambient));
            }
            Changes::Idle(id) => self.network.set_idle(id, x),
            Changes::Hours(_) | Changes::Nothing => {}
        }
        let mut solver = Solver::new(&self.network);
        solver.solve(
            loads.as_deref().unwrap_or(&self.loads),
            open_v.as_deref().unwrap_or(&self.open_v),
        );
        read(&solver, &self.watch)
    }
}

/// What each chosen device draws for every watt that all of them draw together, at their rated
/// voltages.
fn shares(devices: &[&Device], chosen: &[usize]) -> Vec<(usize, Load)> {
    let watts = |device: &Device| average(device).power(device.input.rated_v.get());
    let all: f64 = chosen.iter().map(|it| watts(devices[*it])).sum();
    let one = |device: &Device| {
        if all > 0.0 {
            return average(device).times(1.0 / all);
        }
        // A device that draws nothing yet grows as a constant power.
        Load {
            watts: 1.0 / chosen.len() as f64,
            ..average(device).times(0.0)
        }
    };
    chosen.iter().map(|it| (*it, one(devices[*it]))).collect()
}

fn length(
    plan: &Plan,
    arrangement: &Arrangement,
    network: &Network,
    to: Option<&str>,
) -> Option<Changes> {
    let index = lead(arrangement, to)?;
    let cable = arrangement.feeds[index].cable.as_ref()?;
    let node = network.feeds().find(|(_, feed)| *feed == index)?.0;
    // A lead of no stated size has no resistance, however long it is.
    per_metre(cable, plan.site.ambient())?;
    Some(Changes::Length {
        node,
        cable: Box::new(cable.clone()),
        ambient: plan.site.ambient(),
    })
}

/// The lead that is made longer: the one to `to`, else the longest.
pub(super) fn lead(arrangement: &Arrangement, to: Option<&str>) -> Option<usize> {
    let metres = |it: &usize| {
        arrangement.feeds[*it]
            .cable
            .as_ref()
            .map_or(0.0, |it| it.length_m.get())
    };
    let with_cable =
        (0..arrangement.feeds.len()).filter(|it| arrangement.feeds[*it].cable.is_some());
    match to {
        Some(to) => with_cable
            .into_iter()
            .find(|it| arrangement.feeds[*it].to.to_string() == to),
        None => with_cable.max_by(|a, b| metres(a).total_cmp(&metres(b)).then(b.cmp(a))),
    }
}
