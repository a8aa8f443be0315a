//! Every limit of an arrangement, and how to read its value from a state.

use super::finding::Code;
use super::verdict::{Lasts, Levels, Status, Verdict, judge};
use crate::figure::Figure;
use crate::network::{Charge, Moment, Network, Reading, Solver, moments};
use crate::plan::device::Current;
use crate::plan::{Arrangement, Limit, Plan, Port};
use crate::quantity::Quantity;
use serde::Serialize;

/// A drop of more than this share of the voltage is tight, by a planning rule.
pub(super) const DROP_TIGHT: f64 = 0.03;
/// A drop of more than this share of the voltage is too much, by a planning rule.
pub(super) const DROP_TOO_MUCH: f64 = 0.10;
/// Nearer than this share of a window's edge is tight.
const NEAR_EDGE: f64 = 0.02;

/// What is read from a state.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Measure {
    /// A value of one place.
    One(Reading),
    /// The sum of a value over several ports.
    Sum(Vec<Reading>),
}

/// How a value is judged.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Bound {
    /// At most, with time.
    Levels(Levels),
    /// Between two voltages; either may be open.
    Window { low: Option<f64>, high: Option<f64> },
    /// A share of the voltage, by the planning rule.
    Drop,
    /// Power for being on, against what it carries.
    Idle { carried: Reading },
    /// No stable state.
    Stands,
}

/// One limit at one place.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Gauge {
    pub(super) code: Code,
    /// The item, feed or `item/port` that it is at.
    pub(super) place: String,
    /// What the place is called.
    pub(super) name: String,
    pub(super) unit: &'static str,
    pub(super) measure: Measure,
    pub(super) bound: Bound,
}

impl Gauge {
    /// The value in a solved state; `None` where the place is dark.
    pub(super) fn value(&self, solver: &Solver<'_>) -> Option<f64> {
        match &self.measure {
            Measure::One(reading) => solver.read(*reading),
            Measure::Sum(readings) => readings.iter().map(|it| solver.read(*it)).sum(),
        }
    }

    /// The verdict on a value, and the limit that it was judged against.
    pub(super) fn judge(&self, value: f64, lasts: Lasts, tight_from: f64, solver: &Solver<'_>) -> (Verdict, f64) {
        let plain = |status, limit| (Verdict { status, allowed_s: None }, limit);
        match &self.bound {
            Bound::Levels(levels) => (judge(value, lasts, levels, tight_from), levels.continuous),
            Bound::Drop if value > DROP_TOO_MUCH => plain(Status::Trips, DROP_TOO_MUCH),
            Bound::Drop if value > DROP_TIGHT => plain(Status::Tight, DROP_TOO_MUCH),
            Bound::Drop => plain(Status::Holds, DROP_TIGHT),
            Bound::Idle { carried } => {
                let carried = solver.read(*carried).unwrap_or(0.0);
                plain(if value > carried { Status::Tight } else { Status::Holds }, carried)
            }
            Bound::Stands => plain(if value > 0.0 { Status::Trips } else { Status::Holds }, 0.0),
            Bound::Window { low, high } => {
                let edges = [low.map(|it| (value - it, it)), high.map(|it| (it - value, it))];
                let nearest = edges.into_iter().flatten().min_by(|a, b| a.0.total_cmp(&b.0));
                let Some((margin, edge)) = nearest else { return plain(Status::Holds, value) };
                let status = match margin {
                    _ if margin < -1e-9 * edge => Status::Trips,
                    _ if margin < NEAR_EDGE * edge => Status::Tight,
                    _ => Status::Holds,
                };
                plain(status, edge)
            }
        }
    }

    /// How far the value is on the good side of the limit, in the unit.
    pub(super) fn margin(&self, value: f64, limit: f64) -> f64 {
        match self.bound {
            Bound::Window { low, .. } if low == Some(limit) => value - limit,
            Bound::Stands => 0.0,
            _ => limit - value,
        }
    }
}

/// Every limit of a compiled arrangement.
pub(super) fn gauges(plan: &Plan, arrangement: &Arrangement, network: &Network) -> Vec<Gauge> {
    let mut list = Vec::new();
    ports(plan, network, &mut list);
    for source in &plan.kit.sources {
        let (Some(index), Some(battery)) = (network.source_index(source.id.as_str()), &source.battery) else {
            continue;
        };
        if let Some(continuous) = &battery.max_discharge_a {
            let overload = battery.peak.iter().map(|it| (it.up_to_a.get(), it.for_s.as_ref().map(Figure::get)));
            list.push(Gauge {
                code: Code::BatteryCurrent,
                place: source.id.to_string(),
                name: source.label.clone(),
                unit: "A",
                measure: Measure::One(Reading::SourceAmps(index)),
                bound: Bound::Levels(Levels { continuous: continuous.get(), overload: overload.collect() }),
            });
        }
    }
    for (node, feed) in network.feeds().map(|(node, feed)| (node, &arrangement.feeds[feed])) {
        let place = feed.to.to_string();
        let name = plan.label(feed.to.item.as_str()).to_owned();
        let push = |list: &mut Vec<Gauge>, code, unit, reading, bound| {
            let measure = Measure::One(reading);
            list.push(Gauge { code, place: place.clone(), name: name.clone(), unit, measure, bound });
        };
        push(&mut list, Code::Collapse, "", Reading::Broken(node), Bound::Stands);
        if let Some(fuse) = &feed.fuse {
            let levels = Levels { continuous: fuse.rating_a.get(), overload: Vec::new() };
            push(&mut list, Code::FuseSize, "A", Reading::FeedAmps(node), Bound::Levels(levels));
        }
        if feed.cable.is_some() {
            push(&mut list, Code::VoltageDrop, "of the voltage", Reading::DropShare(node), Bound::Drop);
        }
        let edge = |it: &Option<Figure<crate::quantity::Volts>>| it.as_ref().map(Figure::get);
        if let Some(device) = plan.device(feed.to.item.as_str()) {
            let bound = Bound::Window { low: edge(&device.input.min_v), high: edge(&device.input.max_v) };
            push(&mut list, Code::DeviceVoltage, "V", Reading::FarVolts(node), bound);
        }
        if let Some(converter) = plan.converter(feed.to.item.as_str()) {
            let input = &converter.input;
            let lows = [edge(&input.min_v), edge(&input.cut_out_v)];
            let low = lows.into_iter().flatten().reduce(f64::max);
            push(
                &mut list,
                Code::ConverterVoltage,
                "V",
                Reading::FarVolts(node),
                Bound::Window { low, high: edge(&input.max_v) },
            );
            if let Some(most) = &input.max_a {
                let levels = Levels { continuous: most.get(), overload: Vec::new() };
                push(&mut list, Code::ConverterInputCurrent, "A", Reading::FeedAmps(node), Bound::Levels(levels));
            }
            if converter.loss.is_some() {
                let bound = Bound::Idle { carried: Reading::StageOut(node) };
                push(&mut list, Code::IdleDraw, "W", Reading::StageIdle(node), bound);
            }
        }
    }
    list
}

/// The limits of ports and groups in use, and what their ports cost to be on.
fn ports(plan: &Plan, network: &Network, list: &mut Vec<Gauge>) {
    let sources = plan.kit.sources.iter().map(|it| (it.id.as_str(), &it.label, &it.ports, &it.groups, Code::PortLimit));
    let converters = plan
        .kit
        .converters
        .iter()
        .map(|it| (it.id.as_str(), &it.label, &it.outputs, &it.groups, Code::ConverterOutputLimit));
    for (item, label, ports, groups, code) in sources.chain(converters) {
        let used: Vec<(usize, &Port)> =
            ports.iter().filter_map(|port| Some((network.port_index(item, port.id.as_str())?, port))).collect();
        for (index, port) in &used {
            let place = format!("{item}/{}", port.id);
            let name = if ports.len() == 1 {
                label.clone()
            } else {
                format!("{label}, {}", port.label.as_deref().unwrap_or(port.id.as_str()))
            };
            for (unit, levels) in levels(port.limit.as_ref()) {
                let measure = Measure::One(port_reading(*index, port, unit));
                let unit = if unit == "W" && port.current == Current::Ac { "VA" } else { unit };
                list.push(Gauge {
                    code,
                    place: place.clone(),
                    name: name.clone(),
                    unit,
                    measure,
                    bound: Bound::Levels(levels),
                });
            }
            if port.loss.is_some() {
                let bound = Bound::Idle { carried: Reading::PortWatts(*index) };
                let measure = Measure::One(Reading::PortIdle(*index));
                list.push(Gauge { code: Code::IdleDraw, place, name, unit: "W", measure, bound });
            }
        }
        for group in groups {
            let members: Vec<_> = used.iter().filter(|(_, port)| port.group.as_ref() == Some(&group.id)).collect();
            if members.is_empty() {
                continue;
            }
            for (unit, levels) in levels(Some(&group.limit)) {
                let measure =
                    Measure::Sum(members.iter().map(|(index, port)| port_reading(*index, port, unit)).collect());
                list.push(Gauge {
                    code: Code::GroupLimit,
                    place: format!("{item}/{}", group.id),
                    name: format!("{label}, {} ports together", group.id),
                    unit,
                    measure,
                    bound: Bound::Levels(levels),
                });
            }
        }
    }
}

/// An AC limit in watts counts volt-amperes, which is what the converter behind it carries.
fn port_reading(index: usize, port: &Port, unit: &str) -> Reading {
    match (unit, port.current) {
        ("A", _) => Reading::PortAmps(index),
        (_, Current::Ac) => Reading::PortVoltAmps(index),
        (_, Current::Dc) => Reading::PortWatts(index),
    }
}

/// A limit as levels in amperes and in watts.
fn levels(limit: Option<&Limit>) -> impl Iterator<Item = (&'static str, Levels)> {
    fn of<Q: Quantity, R: Quantity>(
        continuous: Option<&Figure<Q>>,
        overload: impl Iterator<Item = (Option<f64>, Option<Figure<R>>)>,
    ) -> Option<Levels> {
        let overload = overload.filter_map(|(level, seconds)| Some((level?, seconds.map(|it| it.get())))).collect();
        continuous.map(|it| Levels { continuous: it.get(), overload })
    }
    let amps = limit.and_then(|it| {
        of(it.continuous_a.as_ref(), it.overload.iter().map(|o| (o.up_to_a.as_ref().map(Figure::get), o.for_s.clone())))
    });
    let watts = limit.and_then(|it| {
        of(it.continuous_w.as_ref(), it.overload.iter().map(|o| (o.up_to_w.as_ref().map(Figure::get), o.for_s.clone())))
    });
    [("A", amps), ("W", watts)].into_iter().filter_map(|(unit, levels)| Some((unit, levels?)))
}

/// A gauge board: one limit with the tide marks that the moments leave on it, at one charge.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Board {
    /// The code of the finding that this limit makes.
    pub code: Code,
    /// The item or `item/port` that it is at.
    #[serde(rename = "where")]
    pub place: String,
    /// What the place is called.
    pub name: String,
    /// The unit of all its values.
    pub unit: String,
    /// The continuous limit.
    pub limit: f64,
    /// Levels carried for a while: up to, and for how many seconds where that is known.
    pub overload: Vec<Carried>,
    /// The value at each moment.
    pub marks: Vec<Mark>,
    /// The worst verdict over its marks.
    pub status: Status,
}

/// A level carried for a while.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Carried {
    /// Up to this value.
    pub up_to: f64,
    /// For this long, s; none where nobody knows.
    pub for_s: Option<f64>,
}

/// A tide mark.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Mark {
    /// The moment.
    pub moment: String,
    /// The value at that moment.
    pub value: f64,
    /// The verdict on it.
    pub status: Status,
}

/// The gauge boards of an arrangement at one charge: its limits in amperes and watts.
pub fn boards(plan: &Plan, arrangement: &Arrangement, charge: &Charge) -> Vec<Board> {
    let network = Network::build(plan, arrangement, plan.site.ambient());
    let gauges = gauges(plan, arrangement, &network);
    let levels = |it: &Gauge| match &it.bound {
        Bound::Levels(levels) => Some(levels.clone()),
        _ => None,
    };
    let mut solver = Solver::new(&network);
    let open_v = network.open_volts(charge);
    let boards = gauges.iter().filter_map(|it| Some((it, levels(it)?)));
    let mut boards: Vec<(&Gauge, Board)> = boards
        .map(|(gauge, levels)| {
            let board = Board {
                code: gauge.code,
                place: gauge.place.clone(),
                name: gauge.name.clone(),
                unit: gauge.unit.to_owned(),
                limit: levels.continuous,
                overload: levels.overload.iter().map(|it| Carried { up_to: it.0, for_s: it.1 }).collect(),
                marks: Vec::new(),
                status: Status::Holds,
            };
            (gauge, board)
        })
        .collect();
    for moment in moments(plan, arrangement) {
        solver.solve(&network.loads(plan, |device| moment.load_of(device)), &open_v);
        let lasts = lasts(&moment, plan, arrangement);
        for (gauge, board) in &mut boards {
            let Some(value) = gauge.value(&solver) else { continue };
            let status = gauge.judge(value, lasts, plan.site.tight_from(), &solver).0.status;
            board.status = board.status.max(status);
            board.marks.push(Mark { moment: moment.to_string(), value, status });
        }
    }
    boards.into_iter().map(|(_, board)| board).collect()
}

/// How long a moment lasts.
pub(super) fn lasts(moment: &Moment, plan: &Plan, arrangement: &Arrangement) -> Lasts {
    match (moment, moment.seconds(plan, arrangement)) {
        (Moment::Running | Moment::Busy, _) => Lasts::ForEver,
        (_, Some(seconds)) => Lasts::Seconds(seconds),
        (_, None) => Lasts::Unknown,
    }
}
