//! The state of a network as named values: the shape of `evaluate`.

use super::Charge;
use super::build::{End, Network};
use super::collapse::{self, Collapse};
use super::moment::Moment;
use super::solve::Solver;
use crate::ground::json::FieldError;
use crate::site::plan::{Arrangement, Plan};
use serde::Serialize;
use std::collections::BTreeMap;

/// What flows at one moment, in an arrangement, at a charge.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Evaluation {
    /// The arrangement's id.
    pub arrangement: String,
    /// The moment's name, such as `starting heater`.
    pub moment: String,
    /// How long the moment lasts, s; none where it is for ever or nobody knows.
    pub seconds: Option<f64>,
    /// State of charge of each store in use, 0 to 1.
    pub soc: BTreeMap<String, f64>,
    /// By device.
    pub devices: BTreeMap<String, DeviceFlow>,
    /// By converter, junctions apart.
    pub converters: BTreeMap<String, ConverterFlow>,
    /// By junction.
    pub junctions: BTreeMap<String, JunctionFlow>,
    /// By what the feed leads to.
    pub feeds: BTreeMap<String, FeedFlow>,
    /// By `item/port`.
    pub ports: BTreeMap<String, PortFlow>,
    /// By source.
    pub sources: BTreeMap<String, SourceFlow>,
    /// By charging input in use, as `source/input`.
    pub inputs: BTreeMap<String, InputFlow>,
    /// The whole arrangement.
    pub totals: Totals,
    /// Leads that cannot carry their load at any voltage; what hangs on them is dark.
    pub collapses: Vec<Collapse>,
}

/// A device at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeviceFlow {
    /// Voltage at its input, V.
    pub input_v: f64,
    /// What it draws, W.
    pub watts: f64,
    /// Its current, A.
    pub amps: f64,
}

/// A converter at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct ConverterFlow {
    /// Voltage at its input, V.
    pub input_v: f64,
    /// Taken in, W.
    pub input_w: f64,
    /// Given out, the cables of its feeds included, W.
    pub output_w: f64,
    /// Its input current, A.
    pub input_a: f64,
    /// Lost in it, W.
    pub loss_w: f64,
    /// Of the loss: because it is switched on, W.
    pub loss_idle_w: f64,
    /// Of the loss: in proportion to its output, W.
    pub loss_proportional_w: f64,
    /// Of the loss: with the square of its output, W.
    pub loss_quadratic_w: f64,
    /// Given out over taken in, 0 to 1; none where nothing is taken in.
    pub efficiency: Option<f64>,
}

/// A junction at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct JunctionFlow {
    /// Its voltage, V.
    pub volts: f64,
    /// Passed on, W.
    pub watts: f64,
    /// Passed on, A.
    pub amps: f64,
}

/// A feed at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FeedFlow {
    /// Its current, A.
    pub amps: f64,
    /// Voltage at its near end, V.
    pub near_v: f64,
    /// Voltage at its far end, V; 0 where it collapsed or is dark.
    pub far_v: f64,
    /// Lost on the way, V.
    pub drop_v: f64,
    /// Lost on the way, as a share of the near voltage.
    pub drop_share: f64,
    /// Lost on the way, W.
    pub loss_w: f64,
}

/// A port at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PortFlow {
    /// Given out, W.
    pub watts: f64,
    /// Given out, A.
    pub amps: f64,
    /// Lost between the store and the port: because it is switched on, W.
    pub loss_idle_w: f64,
    /// Lost between the store and the port: in proportion to its output, W.
    pub loss_proportional_w: f64,
    /// Lost between the store and the port: with the square of its output, W.
    pub loss_quadratic_w: f64,
}

/// A source at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct SourceFlow {
    /// Drawn from its store, at its terminals, W.
    pub watts: f64,
    /// Drawn from its terminals, A; none for a store of energy.
    pub amps: Option<f64>,
    /// Voltage at its terminals, V; none for a store of energy.
    pub terminal_v: Option<f64>,
    /// Lost in its own resistance, W.
    pub internal_loss_w: f64,
    /// Stored through its inputs at the same time, behind their losses, W.
    pub charged_w: f64,
}

/// A charging input at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct InputFlow {
    /// Voltage at it, V.
    pub input_v: f64,
    /// What it takes, W.
    pub watts: f64,
    /// Its current, A.
    pub amps: f64,
    /// What of it reaches the store: behind the input's efficiency and the chemistry's, W.
    pub stored_w: f64,
    /// The voltage from which its band applies, V; none where it has no bands, or takes nothing.
    pub band_from_v: Option<f64>,
}

/// A whole arrangement at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Totals {
    /// Arriving at devices, W.
    pub delivered_w: f64,
    /// Arriving at charging inputs, W.
    pub charging_w: f64,
    /// Drawn from the stores at their terminals, W.
    pub drawn_w: f64,
    /// Lost between the two, W.
    pub lost_w: f64,
    /// Of the loss: only because things are switched on, W.
    pub idle_w: f64,
    /// Of the loss: in leads and contacts, W.
    pub cables_w: f64,
    /// Delivered and charging over drawn, 0 to 1; none where nothing is drawn.
    pub efficiency: Option<f64>,
}

/// What flows in `arrangement` at `moment` and `charge`, at the site's temperature.
///
/// # Errors
/// Where the moment names a device that the arrangement does not feed, or a phase it does not have.
///
/// ```
/// use ash_pond_core::{network::{Charge, Moment, evaluate}, site::plan::Plan};
/// let plan = Plan::parse(include_str!("../../../../demo/hollin-lock.plan.json")).unwrap();
/// let way = plan.arrangement("camera-direct").unwrap();
/// assert!(evaluate(&plan, way, &Moment::Running, &Charge::full()).is_ok());
/// let refused = evaluate(&plan, way, &Moment::Starting("hooter".into()), &Charge::full());
/// assert!(refused.unwrap_err().message.contains("does not feed"));
/// ```
pub fn evaluate(
    plan: &Plan,
    arrangement: &Arrangement,
    moment: &Moment,
    charge: &Charge,
) -> Result<Evaluation, FieldError> {
    known(plan, arrangement, moment)?;
    // A device that starts on another arrangement does so there.
    let arrangement = moment.place(plan, arrangement);
    let ambient = plan.site.ambient();
    let network = Network::build(plan, arrangement, ambient);
    let loads = moment.loads(plan, arrangement, &network);
    let (network, open_v) = match moment {
        Moment::Charging => network.charging(plan, charge),
        Moment::EngineRunning => network.with_engines(plan, charge, super::engine_volts),
        Moment::Cranking => network.with_engines(plan, charge, super::cranking_volts),
        _ => {
            let open_v = network.open_volts(charge);
            (network, open_v)
        }
    };
    let mut solver = Solver::new(&network);
    solver.solve(&loads, &open_v);
    let collapses = collapse::describe(arrangement, ambient, &solver, &network, (&loads, &open_v));
    Ok(named(
        plan,
        arrangement,
        moment,
        charge,
        &solver,
        &network,
        collapses,
    ))
}

fn known(plan: &Plan, arrangement: &Arrangement, moment: &Moment) -> Result<(), FieldError> {
    use crate::site::plan::PhaseKind;
    let (id, kind) = match moment {
        Moment::Starting(id) => (id, PhaseKind::Starting),
        Moment::Stopping(id) => (id, PhaseKind::Stopping),
        _ => return Ok(()),
    };
    let device = crate::site::plan::fed(plan, arrangement).find(|it| it.id.as_str() == id);
    let device = device.ok_or_else(|| {
        let of = &arrangement.id;
        let why =
            format!("names the device \"{id}\", which the arrangement \"{of}\" does not feed");
        FieldError::of("moment", why)
    })?;
    match device.highest(kind) {
        Some(_) => Ok(()),
        None => Err(FieldError::of(
            "moment",
            format!(
                "names the {} phase of \"{id}\", which has none",
                kind.word()
            ),
        )),
    }
}

/// The charge of each store in use.
pub fn named_charge(network: &Network, charge: &Charge, plan: &Plan) -> BTreeMap<String, f64> {
    let stored = |id: &str| plan.source(id).is_some_and(|it| it.battery.is_some());
    let stores = network.sources.iter().filter(|it| stored(&it.id));
    stores
        .map(|it| (it.id.clone(), charge.of(&it.id)))
        .collect()
}

fn named(
    plan: &Plan,
    arrangement: &Arrangement,
    moment: &Moment,
    charge: &Charge,
    solver: &Solver<'_>,
    network: &Network,
    collapses: Vec<Collapse>,
) -> Evaluation {
    let state = &solver.state;
    let mut evaluation = Evaluation {
        arrangement: arrangement.id.to_string(),
        moment: moment.to_string(),
        seconds: moment.seconds(plan, arrangement),
        soc: named_charge(network, charge, plan),
        devices: BTreeMap::new(),
        converters: BTreeMap::new(),
        junctions: BTreeMap::new(),
        feeds: BTreeMap::new(),
        ports: BTreeMap::new(),
        sources: BTreeMap::new(),
        inputs: BTreeMap::new(),
        totals: Totals {
            delivered_w: 0.0,
            charging_w: 0.0,
            drawn_w: solver.drawn_w(),
            lost_w: 0.0,
            idle_w: 0.0,
            cables_w: 0.0,
            efficiency: None,
        },
        collapses,
    };
    let totals = &mut evaluation.totals;
    let mut dark = vec![false; network.converters.len()];
    for (index, node) in network.nodes.iter().enumerate() {
        let (volts, amps, watts) = (state.volts[index], state.amps[index], state.watts[index]);
        let drop_v = amps * state.ohms[index];
        // What begins at something dark that passes its own voltage on begins at nothing.
        let from = &network.ports[node.port];
        let near_v = if from.follows && from.converter.is_some_and(|it| dark[it]) {
            0.0
        } else {
            state.near[index]
        };
        if let End::Converter(stage) = node.end {
            dark[stage] = !state.alive[index];
        }
        let drop_share = if near_v > 0.0 { drop_v / near_v } else { 0.0 };
        let feed = FeedFlow {
            amps,
            near_v,
            far_v: volts,
            drop_v,
            drop_share,
            loss_w: amps * drop_v,
        };
        totals.cables_w += feed.loss_w;
        evaluation
            .feeds
            .insert(arrangement.feeds[node.feed].to.to_string(), feed);
        match &node.end {
            End::Device(device) => {
                totals.delivered_w += watts;
                let id = network.devices[*device].id.clone();
                evaluation.devices.insert(
                    id,
                    DeviceFlow {
                        input_v: volts,
                        watts,
                        amps,
                    },
                );
            }
            End::Input(input) => {
                totals.charging_w += watts;
                let flow = InputFlow {
                    input_v: volts,
                    watts,
                    amps,
                    stored_w: watts * input.stored_share,
                    band_from_v: input
                        .bands
                        .iter()
                        .rev()
                        .find(|it| volts >= it.0 && amps > 0.0)
                        .map(|it| it.0),
                };
                evaluation
                    .inputs
                    .insert(arrangement.feeds[node.feed].to.to_string(), flow);
            }
            End::Converter(stage) => {
                let (out, stage) = (state.stage_out[*stage], &network.converters[*stage]);
                if stage.junction {
                    evaluation
                        .junctions
                        .insert(stage.id.clone(), JunctionFlow { volts, watts, amps });
                    continue;
                }
                let alive = if state.alive[index] { 1.0 } else { 0.0 };
                let [idle, proportional, quadratic] = stage.law.split(out).map(|it| it * alive);
                totals.idle_w += idle;
                let flow = ConverterFlow {
                    input_v: volts,
                    input_w: watts,
                    output_w: out,
                    input_a: amps,
                    loss_w: watts - out,
                    loss_idle_w: idle,
                    loss_proportional_w: proportional,
                    loss_quadratic_w: quadratic,
                    efficiency: (watts > 0.0).then(|| out / watts),
                };
                evaluation.converters.insert(stage.id.clone(), flow);
            }
        }
    }
    for (index, (port, (watts, amps))) in network.ports.iter().zip(&state.port_out).enumerate() {
        let [idle, proportional, quadratic] = solver.port_loss(index);
        totals.idle_w += idle;
        let flow = PortFlow {
            watts: *watts,
            amps: *amps,
            loss_idle_w: idle,
            loss_proportional_w: proportional,
            loss_quadratic_w: quadratic,
        };
        evaluation.ports.insert(port.name.clone(), flow);
    }
    for (index, source) in network.sources.iter().enumerate() {
        let (terminal_v, amps) = state.terminals[index];
        let cells = source.cells.as_ref();
        let flow = SourceFlow {
            watts: state.drawn[index],
            amps: cells.map(|_| amps),
            terminal_v: cells.map(|_| terminal_v),
            internal_loss_w: state.inner[index] * amps * amps,
            charged_w: solver.charged_w(&source.id),
        };
        evaluation.sources.insert(source.id.clone(), flow);
    }
    let arriving = totals.delivered_w + totals.charging_w;
    totals.lost_w = totals.drawn_w - arriving;
    totals.efficiency = (totals.drawn_w > 0.0).then(|| arriving / totals.drawn_w);
    evaluation
}
