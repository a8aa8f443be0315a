//! Every limit of an arrangement, and where its value is read.

use super::bound::{After, Bound, HoldUp, Measure};
use super::cabling::{class, class_w};
use super::code::Code;
use super::gauge::{Gauge, When};
use super::heat::lead_tau;
use super::joints::Joints;
use super::plugs::{rated, sound_contacts};
use super::vehicle::least_w;
use super::verdict::Levels;
use crate::ground::figure::Figure;
use crate::ground::quantity::{Quantity, Volts};
use crate::network::{Network, Reading};
use crate::site::plan::device::{AfterLoss, Current};
use crate::site::plan::source::LineMode;
use crate::site::plan::{
    Arrangement, Converter, Device, Feed, Limit, Plan, Port, Source, SourceKind,
};
use crate::site::wire::{PAIR_MM2, ampacity, area};
use std::collections::HashMap;

/// Every limit of a compiled arrangement.
pub(super) fn gauges(plan: &Plan, arrangement: &Arrangement, network: &Network) -> Vec<Gauge> {
    // Some ten of each feed.
    let mut list = Vec::with_capacity(16 * arrangement.feeds.len());
    ports(plan, network, &mut list);
    for source in &plan.kit.sources {
        if let Some(index) = network.source_index(source.id.as_str()) {
            store(plan, source, index, network, &mut list);
        }
    }
    let nodes: HashMap<usize, usize> = network.feeds().map(|(node, feed)| (feed, node)).collect();
    list.extend(super::switching_on::peaks(
        plan,
        arrangement,
        network,
        &nodes,
    ));
    for (index, feed) in arrangement.feeds.iter().enumerate() {
        let Some(&node) = nodes.get(&index) else {
            continue;
        };
        lead(plan, feed, node, &mut list);
        if let Some(device) = plan.device(feed.to.item.as_str()) {
            let input = &device.input;
            let bound = Bound::Window {
                low: edge(input.min_v.as_ref()),
                high: edge(input.max_v.as_ref()),
                low_for_s: 0.0,
            };
            let place = feed.to.name();
            list.push(Gauge::new(
                Code::DeviceVoltage,
                &place,
                &device.label,
                "V",
                Reading::FarVolts(node),
                bound,
            ));
            list.extend(ride_through(plan, arrangement, device, &nodes));
            list.extend(plugged_over(arrangement, device));
        }
        if let Some(it) = plan.converter(feed.to.item.as_str()) {
            converter(feed, it, node, &mut list);
        }
        if feed.to.input.is_some() {
            list.extend(charge_input(plan, feed, node));
        }
    }
    list
}

fn edge(volts: Option<&Figure<Volts>>) -> Option<f64> {
    volts.map(Figure::get)
}

/// What a source's store and alternator bear.
fn store(plan: &Plan, source: &Source, index: usize, network: &Network, list: &mut Vec<Gauge>) {
    let (place, name) = (source.id.as_str(), source.label.as_str());
    let cells = source.battery.as_ref().is_some_and(|it| it.cells.is_some());
    if let Some((battery, continuous)) = source
        .battery
        .as_ref()
        .and_then(|it| Some((it, it.max_discharge_a.as_ref()?)))
        && cells
    {
        let overload = battery
            .peak
            .iter()
            .map(|it| (it.up_to_a.get(), it.for_s.as_ref().map(Figure::get)));
        let levels = Levels {
            continuous: continuous.get(),
            overload: overload.collect(),
        };
        let reading = Reading::SourceAmps(index);
        let gauge = Gauge::new(
            Code::BatteryCurrent,
            place,
            name,
            "A",
            reading,
            Bound::Levels(levels),
        );
        list.push(Gauge {
            other: Some((Reading::SourceWatts(index), "W")),
            ..gauge
        });
    }
    if let Some(alternator) = source
        .alternator
        .as_ref()
        .filter(|_| source.kind == SourceKind::Vehicle)
    {
        let share = plan.site.alternator_share();
        let bound = Bound::Alternator {
            idle: alternator.idle_a.get() * share,
            full: alternator.full_a.as_ref().map(|it| it.get() * share),
        };
        let used = source
            .ports
            .iter()
            .filter_map(|port| network.port_index(place, port.id.as_str()));
        let measure = if cells {
            Measure::One(Reading::SourceAmps(index))
        } else {
            Measure::Sum(used.map(Reading::PortAmps).collect())
        };
        let base = Gauge::new(
            Code::AlternatorShare,
            place,
            name,
            "A",
            Reading::SourceAmps(index),
            bound,
        );
        list.push(Gauge { measure, ..base });
    }
}

/// What a lead and its fuse bear.
fn lead(plan: &Plan, feed: &Feed, node: usize, list: &mut Vec<Gauge>) {
    let place = feed.to.name();
    let name = plan.label(feed.to.item.as_str());
    let push = |list: &mut Vec<Gauge>, code, unit, reading, bound| {
        let other = (unit == "A").then_some((Reading::FeedWatts(node), "W"));
        list.push(Gauge {
            other,
            ..Gauge::new(code, &place, name, unit, reading, bound)
        });
    };
    push(
        list,
        Code::Collapse,
        "",
        Reading::Broken(node),
        Bound::Stands,
    );
    if let Some(fuse) = &feed.fuse {
        let tight_from = 1.0 / plan.site.fuse_factor().max(1.0);
        let bound = Bound::Fuse {
            rating: fuse.rating_a.get(),
            tight_from,
        };
        push(list, Code::FuseSize, "A", Reading::FeedAmps(node), bound);
    }
    if let Some(fuse) = &feed.fuse_far {
        let tight_from = 1.0 / plan.site.fuse_factor().max(1.0);
        let bound = Bound::Fuse {
            rating: fuse.rating_a.get(),
            tight_from,
        };
        push(list, Code::FuseSize, "A", Reading::FeedAmps(node), bound);
    }
    contacts(plan, feed, node, list);
    let Some(cable) = &feed.cable else { return };
    push(
        list,
        Code::VoltageDrop,
        "of the voltage",
        Reading::DropShare(node),
        Bound::Drop,
    );
    if let Some(limit) = ampacity(cable, plan.site.ambient()) {
        let area = area(cable).map_or(PAIR_MM2, |it| it.0);
        let bound = Bound::Lead {
            limit,
            tight_from: plan.site.tight_from(),
            tau_s: lead_tau(area),
        };
        push(
            list,
            Code::CableAmpacity,
            "A",
            Reading::FeedAmps(node),
            bound,
        );
    }
    if let Some(ohms) = cable
        .contact_ohm
        .as_ref()
        .map(Figure::get)
        .filter(|it| *it > 0.0)
    {
        let (sound, count) = sound_contacts(plan, feed);
        let joints = Joints::of(ohms, sound, count);
        let (sure, most) = (joints.sure_a, joints.most_a);
        let tight_from = plan.site.tight_from();
        let bound = Bound::Joints {
            ohms,
            sound_ohms: sound,
            sure,
            most,
            tight_from,
            tau_s: CONTACT_TAU_S,
        };
        push(list, Code::Contacts, "A", Reading::FeedAmps(node), bound);
    }
}

/// The time constant with which a plug warms, s.
const CONTACT_TAU_S: f64 = 60.0;

/// What the plugs at the ends of a feed carry for long, the weaker one; and what the class of a
/// data port gives.
fn contacts(plan: &Plan, feed: &Feed, node: usize, list: &mut Vec<Gauge>) {
    let Some(port) = plan.port(&feed.from) else {
        return;
    };
    let item = feed.to.item.as_str();
    let far = plan.device(item).map(|it| it.input.connector.as_deref());
    let far = far
        .or_else(|| plan.converter(item).map(|it| it.input.connector.as_deref()))
        .flatten();
    let volts = port
        .voltage
        .standing(feed.voltage_v.as_ref().map(Figure::get))
        .unwrap_or(12.0);
    let marked = feed.cable.as_ref().and_then(|it| it.marked);
    let ends = [port.connector.as_deref(), far].into_iter().flatten();
    let weakest = ends
        .filter_map(|it| rated(it, volts, marked))
        .min_by(|a, b| a.sure.total_cmp(&b.sure));
    let (place, label) = (feed.to.name(), plan.label(item));
    if let Some(weakest) = weakest {
        let bound = Bound::Contact {
            called: weakest.called,
            sure: weakest.sure,
            most: weakest.most,
            tight_from: plan.site.tight_from(),
            tau_s: CONTACT_TAU_S,
        };
        list.push(Gauge::new(
            Code::ConnectorRating,
            &place,
            label,
            "A",
            Reading::FeedAmps(node),
            bound,
        ));
    }
    if let Some(class) = class(port.connector.as_deref()) {
        let levels = Levels {
            continuous: class_w(class),
            overload: Vec::new(),
        };
        let gauge = Gauge::new(
            Code::DataCable,
            &place,
            label,
            "W",
            Reading::FeedWatts(node),
            Bound::Levels(levels),
        );
        list.push(gauge);
    }
}

/// What a converter's input bears, and what it costs to be on.
fn converter(feed: &Feed, converter: &Converter, node: usize, list: &mut Vec<Gauge>) {
    let (place, name, input) = (feed.to.name(), converter.label.as_str(), &converter.input);
    let lows = [edge(input.min_v.as_ref()), edge(input.cut_out_v.as_ref())];
    let low_for_s = input.cut_out_delay_s.as_ref().map_or(0.0, Figure::get);
    let low = lows.into_iter().flatten().reduce(f64::max);
    let bound = Bound::Window {
        low,
        high: edge(input.max_v.as_ref()),
        low_for_s,
    };
    list.push(Gauge::new(
        Code::ConverterVoltage,
        &place,
        name,
        "V",
        Reading::FarVolts(node),
        bound,
    ));
    if let Some(most) = &input.max_a {
        let levels = Levels {
            continuous: most.get(),
            overload: Vec::new(),
        };
        let (code, reading) = (Code::ConverterInputCurrent, Reading::FeedAmps(node));
        let gauge = Gauge::new(code, &place, name, "A", reading, Bound::Levels(levels));
        list.push(Gauge {
            other: Some((Reading::FeedWatts(node), "W")),
            ..gauge
        });
    }
    if converter.loss.is_some() {
        let bound = Bound::Idle {
            carried: Reading::StageOut(node),
        };
        list.push(Gauge::new(
            Code::IdleDraw,
            &place,
            name,
            "W",
            Reading::StageIdle(node),
            bound,
        ));
    }
}

/// What a charging input takes at the voltage that arrives.
fn charge_input(plan: &Plan, feed: &Feed, node: usize) -> Option<Gauge> {
    let source = plan.source(feed.to.item.as_str())?;
    let input = source
        .inputs
        .iter()
        .find(|it| Some(&it.id) == feed.to.input.as_ref())?;
    let mut bands: Vec<_> = input
        .bands
        .iter()
        .map(|it| (it.from_v.get(), it.max_a.get()))
        .collect();
    bands.sort_by(|a, b| a.0.total_cmp(&b.0));
    let bound = Bound::Charging {
        near: Reading::NearVolts(node),
        min: edge(input.min_v.as_ref()).unwrap_or(0.0),
        max: edge(input.max_v.as_ref()),
        bands,
    };
    let place = feed.to.name();
    let name = format!("{}, {} input", source.label, input.id);
    Some(Gauge::new(
        Code::ChargeInput,
        &place,
        &name,
        "V",
        Reading::FarVolts(node),
        bound,
    ))
}

/// The gap at a device when its source takes over from the mains, or is plugged over by hand.
fn ride_through(
    plan: &Plan,
    arrangement: &Arrangement,
    device: &Device,
    nodes: &HashMap<usize, usize>,
) -> Option<Gauge> {
    let chain = arrangement.chain(device.id.as_str());
    let root = &arrangement.feeds[*chain.last()?];
    let hand = chain
        .iter()
        .filter_map(|it| arrangement.feeds[*it].hand_switchover_minutes.as_ref());
    let hand = hand.map(|it| it.get() * 60_000.0).reduce(f64::max);
    let line = plan.source(root.from.item.as_str())?.line.as_ref();
    let automatic = line.and_then(|it| match it.mode {
        LineMode::Online | LineMode::Float => Some(0.0),
        LineMode::Standby | LineMode::LineInteractive => it.transfer_ms.as_ref().map(Figure::get),
    });
    let gap_ms = hand.or(automatic)?;
    let stages = chain.iter().filter_map(|feed| {
        let hold_up = plan
            .converter(arrangement.feeds[*feed].to.item.as_str())?
            .hold_up
            .as_ref()?;
        Some(HoldUp {
            node: *nodes.get(feed)?,
            ms: hold_up.ms.get(),
            at_w: hold_up.at_w.get(),
        })
    });
    Some(gap(device, gap_ms, stages.collect()))
}

/// The gap at a device that starts on another arrangement, while it is plugged over to this one.
fn plugged_over(arrangement: &Arrangement, device: &Device) -> Option<Gauge> {
    let gap_s = arrangement.start_of(device.id.as_str())?.gap_s.as_ref()?;
    Some(gap(device, gap_s.get() * 1000.0, Vec::new()))
}

fn gap(device: &Device, gap_ms: f64, stages: Vec<HoldUp>) -> Gauge {
    let bound = Bound::Gap {
        survives: device.ride_through_ms.as_ref().map(Figure::get),
        after: after(device),
        deadline_ms: device
            .deadline
            .as_ref()
            .map(|it| it.minutes.get() * 60_000.0),
    };
    let place = device.id.as_str();
    Gauge {
        measure: Measure::Gap { gap_ms, stages },
        when: When::Lasting,
        ..Gauge::new(
            Code::RideThrough,
            place,
            &device.label,
            "ms",
            Reading::FarVolts(0),
            bound,
        )
    }
}

/// What a device does after a gap that it does not survive.
pub(super) fn after(device: &Device) -> After {
    match &device.after_loss {
        Some(AfterLoss::Resumes {}) => After::Resumes,
        Some(AfterLoss::Restarts { seconds }) => After::Restarts {
            seconds: seconds.as_ref().map(Figure::get),
        },
        Some(AfterLoss::Latches {}) => After::Latches,
        None => After::Unknown,
    }
}

/// The limits of ports and groups in use, what their ports cost to be on, and when they turn
/// themselves off.
fn ports(plan: &Plan, network: &Network, list: &mut Vec<Gauge>) {
    let sources = plan.kit.sources.iter().map(|it| {
        (
            it.id.as_str(),
            &it.label,
            &it.ports,
            &it.groups,
            Code::PortLimit,
        )
    });
    let converters = plan.kit.converters.iter().map(|it| {
        (
            it.id.as_str(),
            &it.label,
            &it.outputs,
            &it.groups,
            Code::ConverterOutputLimit,
        )
    });
    for (item, label, ports, groups, code) in sources.chain(converters) {
        let used: Vec<(usize, &Port)> = ports
            .iter()
            .filter_map(|port| Some((network.port_index(item, port.id.as_str())?, port)))
            .collect();
        for (index, port) in &used {
            let place = format!("{item}/{}", port.id);
            let name = if ports.len() == 1 {
                label.clone()
            } else {
                format!(
                    "{label}, {}",
                    port.label.as_deref().unwrap_or(port.id.as_str())
                )
            };
            // What an input takes of a panel is what that gives: no limit that anything comes close
            // to.
            let panel = plan
                .source(item)
                .is_some_and(|it| it.kind == SourceKind::Panel)
                && network.only_fills(*index);
            for (unit, levels) in levels(port.limit.as_ref().filter(|_| !panel)) {
                let reading = port_reading(*index, port, unit);
                let unit = if unit == "W" && port.current == Current::Ac {
                    "VA"
                } else {
                    unit
                };
                let gauge = Gauge::new(code, &place, &name, unit, reading, Bound::Levels(levels));
                let other = match unit {
                    "A" => (Reading::PortWatts(*index), "W"),
                    _ => (Reading::PortAmps(*index), "A"),
                };
                list.push(Gauge {
                    other: Some(other),
                    ..gauge
                });
            }
            if port.loss.is_some() {
                let bound = Bound::Idle {
                    carried: Reading::PortWatts(*index),
                };
                list.push(Gauge::new(
                    Code::IdleDraw,
                    &place,
                    &name,
                    "W",
                    Reading::PortIdle(*index),
                    bound,
                ));
            }
            if let Some(least) = plan.source(item).and_then(|it| least_w(it, port)) {
                let bound = Bound::LeastLoad { least };
                let gauge = Gauge::new(
                    Code::LeastLoad,
                    &place,
                    &name,
                    "W",
                    Reading::PortWatts(*index),
                    bound,
                );
                list.push(Gauge {
                    when: When::Running,
                    ..gauge
                });
            }
            if let Some(it) = &port.auto_off {
                let bound = Bound::Least {
                    below: it.below_w.get(),
                    after_s: it.after_s.get(),
                };
                let gauge = Gauge::new(
                    Code::AutoOff,
                    &place,
                    &name,
                    "W",
                    Reading::PortWatts(*index),
                    bound,
                );
                list.push(Gauge {
                    when: When::Running,
                    ..gauge
                });
            }
        }
        for group in groups {
            let members: Vec<_> = used
                .iter()
                .filter(|(_, port)| port.group.as_ref() == Some(&group.id))
                .collect();
            let Some((first, port)) = members.first() else {
                continue;
            };
            for (unit, levels) in levels(Some(&group.limit)) {
                let readings = members
                    .iter()
                    .map(|(index, port)| port_reading(*index, port, unit))
                    .collect();
                let (place, name) = (
                    format!("{item}/{}", group.id),
                    format!("{label}, {} ports together", group.id),
                );
                let reading = port_reading(*first, port, unit);
                let gauge = Gauge::new(
                    Code::GroupLimit,
                    &place,
                    &name,
                    unit,
                    reading,
                    Bound::Levels(levels),
                );
                list.push(Gauge {
                    measure: Measure::Sum(readings),
                    ..gauge
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
        let overload = overload
            .filter_map(|(level, seconds)| Some((level?, seconds.map(|it| it.get()))))
            .collect();
        continuous.map(|it| Levels {
            continuous: it.get(),
            overload,
        })
    }
    let amps = limit.and_then(|it| {
        of(
            it.continuous_a.as_ref(),
            it.overload
                .iter()
                .map(|o| (o.up_to_a.as_ref().map(Figure::get), o.for_s.clone())),
        )
    });
    let watts = limit.and_then(|it| {
        of(
            it.continuous_w.as_ref(),
            it.overload
                .iter()
                .map(|o| (o.up_to_w.as_ref().map(Figure::get), o.for_s.clone())),
        )
    });
    [("A", amps), ("W", watts)]
        .into_iter()
        .filter_map(|(unit, levels)| Some((unit, levels?)))
}
