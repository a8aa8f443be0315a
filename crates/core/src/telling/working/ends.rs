//! Workings of devices and of the leads to them.

use super::sum::{Sums, current, dark, feed_into, find_port};
use crate::ground::figure::Figure;
use crate::network::on_stepped_wave;
use crate::site::plan::{Device, Draw, Feed, Phase, PhaseKind, PortVoltage};
use crate::site::sum::{Term, Working};
use crate::site::wire::{area, lead};

/// Which phases of a device make what it draws.
enum Part {
    /// The highest of a kind.
    Highest(PhaseKind),
    /// Running and busy by their shares of the time.
    Average,
}

/// What a device does at the moment that is explained, as [`crate::network::Moment::loads`] has it.
fn flow_moment(sums: &Sums<'_>, device: &Device) -> Part {
    let has = |kind: PhaseKind| device.highest(kind).is_some();
    let id = device.id.as_str();
    let moment = sums.flow.moment.as_str();
    let starts = moment == format!("starting {id}")
        || moment == "all-starting" && sums.arrangement.start_of(id).is_none();
    let kind = if ["running", "charging", "cranking"].contains(&moment) {
        return Part::Average;
    } else if starts && has(PhaseKind::Starting) {
        PhaseKind::Starting
    } else if moment == format!("stopping {id}") && has(PhaseKind::Stopping) {
        PhaseKind::Stopping
    } else if has(PhaseKind::Busy) {
        PhaseKind::Busy
    } else {
        PhaseKind::Running
    };
    Part::Highest(kind)
}

/// A share that is nearer to all of it is all of it.
const GETS_ALL: f64 = 1e-9;

/// The share of the time that a phase is busy, 0 to 1.
fn busy_of(phase: &Phase) -> f64 {
    phase.share.as_ref().map_or(0.0, Figure::get)
}

/// What a phase draws at some volts over what is stated of it.
fn law_at(device: &Device, phase: &Phase, volts: f64) -> f64 {
    let over = volts / phase.at_v.as_ref().unwrap_or(&device.input.rated_v).get();
    match phase.draw.unwrap_or(device.draw()) {
        Draw::Power => 1.0,
        Draw::Current => over,
        Draw::Resistance => over * over,
    }
}

pub(super) fn device(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (device, flow) = (sums.plan.device(id)?, sums.flow.devices.get(id)?);
    let volts = || {
        Term::see(
            "volts at its input",
            flow.input_v,
            "V",
            format!("devices.{id}.input_v"),
        )
    };
    match field {
        "input_v" => {
            let mut working = feed(sums, id, "far_v")?;
            working.result.name = "volts at its input".into();
            Some(working)
        }
        "watts" => {
            let result = Term::computed("watts", flow.watts, "W");
            if flow.input_v <= 0.0 {
                return Some(dark("what the device draws", result));
            }
            let moment = flow_moment(sums, device);
            let on_average = matches!(moment, Part::Average);
            let phases: Vec<&Phase> = match moment {
                Part::Highest(kind) => device.highest(kind).into_iter().collect(),
                Part::Average => {
                    let running = device.phases_of(PhaseKind::Running).take(1);
                    running.chain(device.phases_of(PhaseKind::Busy)).collect()
                }
            };
            let (mut terms, mut parts, mut words) = (Vec::new(), Vec::new(), Vec::new());
            let mut shares: Vec<String> = Vec::new();
            let term = |it: Term, terms: &mut Vec<Term>| {
                terms.push(it);
                format!("t{}", terms.len())
            };
            let busy: Vec<Option<String>> = phases
                .iter()
                .map(|it| {
                    let share = it
                        .share
                        .as_ref()
                        .filter(|_| on_average && it.when == PhaseKind::Busy)?;
                    let name = term(Term::figure("share of the time busy", share), &mut terms);
                    shares.push(name.clone());
                    Some(name)
                })
                .collect();
            let busy_share: f64 = phases
                .iter()
                .zip(&busy)
                .filter(|it| it.1.is_some())
                .map(|it| busy_of(it.0))
                .sum();
            // What it would take of itself.
            let mut asked = 0.0;
            for (phase, share) in phases.iter().zip(busy) {
                if on_average && phase.when == PhaseKind::Busy && share.is_none() {
                    continue;
                }
                let called = phase.label.as_deref().unwrap_or(phase.when.word());
                let watts = term(
                    Term::figure(format!("watts {called}"), &phase.watts),
                    &mut terms,
                );
                // The law is the phase's own where it states one.
                let (formula, law) = match phase.draw.unwrap_or(device.draw()) {
                    Draw::Power => (watts, "the same at any voltage"),
                    draw => {
                        let stated = phase.at_v.as_ref().unwrap_or(&device.input.rated_v);
                        let at = term(
                            Term::figure(format!("watts {called} are stated at"), stated),
                            &mut terms,
                        );
                        let now = term(volts(), &mut terms);
                        if draw == Draw::Current {
                            (
                                format!("{watts} * {now} / {at}"),
                                "watts × volts ÷ stated volts: the same current at any voltage",
                            )
                        } else {
                            (
                                format!("{watts} * ({now} / {at}) ^ 2"),
                                "watts × (volts ÷ stated volts)²: a heating element",
                            )
                        }
                    }
                };
                words.push(format!("{called}: {law}"));
                let part = match share {
                    Some(_) => busy_of(phase),
                    None => (1.0 - busy_share).max(0.0),
                };
                asked += part * phase.watts.get() * law_at(device, phase, flow.input_v);
                parts.push(match share {
                    Some(share) => format!("{share} * {formula}"),
                    None if shares.is_empty() => formula,
                    None => format!("max(0, 1 - {}) * {formula}", shares.join(" - ")),
                });
            }
            let mut formula = if parts.is_empty() {
                "0".into()
            } else {
                parts.join(" + ")
            };
            let mut words = words.join("; ");
            if !shares.is_empty() {
                words = format!("(1 − busy share) × running + busy share × busy; {words}");
            }
            if let Some(quantity) = &device.quantity {
                let many = term(Term::figure("how many alike", quantity), &mut terms);
                formula = format!("({formula}) * {many}");
                words += "; times how many";
                asked *= quantity.get();
            }
            if let Some(factor) = on_stepped_wave(sums.plan, sums.arrangement, device) {
                let more = term(
                    Term::figure("on a stepped wave over on a sine", factor),
                    &mut terms,
                );
                formula = format!("({formula}) * {more}");
                words += "; times what a stepped wave makes of it";
                asked *= factor.get();
            }
            if device.filling().is_some() && flow.watts < asked * (1.0 - GETS_ALL) {
                let gets = term(
                    Term::computed("share of that which it gets", flow.watts / asked, ""),
                    &mut terms,
                );
                formula = format!("({formula}) * {gets}");
                words += "; what it hangs on gives no more, and divides it";
            }
            Some(Working::of(
                "what the device draws",
                words,
                formula,
                terms,
                result,
            ))
        }
        "amps" => {
            let watts = Term::see("watts", flow.watts, "W", format!("devices.{id}.watts"));
            // A phase may have a power factor of its own, as a motor that starts.
            let own = match flow_moment(sums, device) {
                Part::Highest(kind) => device.highest(kind).and_then(|it| it.power_factor.as_ref()),
                Part::Average => device
                    .phases_of(PhaseKind::Running)
                    .next()
                    .and_then(|it| it.power_factor.as_ref()),
            };
            let factor = own.or(device.input.power_factor.as_ref());
            Some(current(
                flow.amps,
                watts,
                volts(),
                Term::figure_or("power factor", factor, 1.0),
            ))
        }
        _ => None,
    }
}

pub(super) fn feed(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (feed, flow) = (feed_into(sums, id)?, sums.flow.feeds.get(id)?);
    let name = sums.plan.label(feed.to.item.as_str());
    let ambient = sums.plan.site.ambient();
    let met = lead(feed.cable.as_ref(), ambient);
    let ohms = met.at(flow.amps);
    let amps = || Term::see("current", flow.amps, "A", format!("feeds.{id}.amps"));
    let near = || {
        Term::see(
            "volts at the near end",
            flow.near_v,
            "V",
            format!("feeds.{id}.near_v"),
        )
    };
    let drop = || {
        Term::see(
            "volts lost in the lead",
            flow.drop_v,
            "V",
            format!("feeds.{id}.drop_v"),
        )
    };
    let resistance = || {
        Term::see(
            "resistance of the lead, both ways",
            ohms,
            "Ω",
            format!("feeds.{id}.ohms"),
        )
    };
    let result =
        |value, unit| Term::computed(format!("{field} of the lead to {name}"), value, unit);
    match field {
        "ohms" => {
            let (mut terms, mut formula) = (Vec::new(), String::from("0"));
            if let Some(cable) = &feed.cable {
                let material = cable
                    .material
                    .unwrap_or(crate::site::plan::Material::Copper);
                terms.push(Term::figure("length one way", &cable.length_m));
                if let Some(area) = &cable.area_mm2 {
                    terms.push(Term::figure("cross-section", area));
                } else if let (Some(gauge), Some(area)) = (&cable.awg, area(cable)) {
                    let note = format!("of wire gauge {}", gauge.get());
                    terms.push(Term {
                        value: area.0,
                        unit: "mm²",
                        plus_minus: None,
                        note: Some(note),
                        ..Term::figure("cross-section", gauge)
                    });
                }
                if let Some(pairs) = &cable.pairs {
                    terms.push(Term::figure("pairs that feed together", pairs));
                    terms.push(Term::computed(
                        "a metre of one pair, there and back, at 20 °C",
                        0.25,
                        "Ω/m",
                    ));
                    formula = "t1 * t3 * (1 + t4 * (t5 - 20)) / t2 + t6".into();
                } else {
                    let sized = terms.len() == 2;
                    formula = if sized {
                        "2 * t1 * t3 * (1 + t4 * (t5 - 20)) / t2 + t6"
                    } else {
                        "t5"
                    }
                    .into();
                    terms.push(Term::computed(
                        format!("resistivity of {} at 20 °C", material.word()),
                        material.resistivity(),
                        "Ω·mm²/m",
                    ));
                }
                terms.push(Term::computed(
                    "temperature coefficient",
                    material.per_kelvin(),
                    "1/K",
                ));
                let air =
                    Term::figure_or("temperature", sums.plan.site.ambient_c.as_ref(), ambient.0);
                let strand = cable
                    .strand
                    .filter(|_| cable.pairs.is_none() && met.up_to_a > 0.0);
                terms.push(match strand {
                    None => air,
                    Some(_) => {
                        let warm =
                            ambient.0 + 40.0 * (flow.amps.min(met.up_to_a) / met.up_to_a).powi(2);
                        Term::computed("temperature of the conductors at this current", warm, "°C")
                    }
                });
                terms.push(Term::figure_or(
                    "contacts together",
                    cable.contact_ohm.as_ref(),
                    0.0,
                ));
                if let Some(strand) = strand {
                    formula = "2 * t1 * t3 * t7 * (1 + t4 * (t5 - 20)) / t2 + t6".into();
                    terms.push(Term::computed(
                        format!("{} conductors", strand.word()),
                        strand.factor(),
                        "",
                    ));
                }
            }
            let words = "2 × length × resistivity × (1 + temperature coefficient × (temperature − \
                20)) ÷ cross-section + contacts; what conductors are made up of, and how warm \
                their current makes them, where that is stated";
            Some(Working::of(
                "resistance of a lead",
                words,
                formula,
                terms,
                Term::computed("resistance", ohms, "Ω"),
            ))
        }
        "near_v" => {
            let from = &feed.from;
            let port = find_port(sums, from.item.as_str(), from.port.as_str())?;
            // Only a port that follows has the volts of what stands behind it.
            let upstream = if !matches!(port.voltage, PortVoltage::Follows { .. }) {
                port_voltage(sums, feed)?
            } else if let Some(source) = sums
                .flow
                .sources
                .get(from.item.as_str())
                .and_then(|it| it.terminal_v)
            {
                Term::see(
                    "volts at the terminals",
                    source,
                    "V",
                    format!("sources.{}.terminal_v", from.item),
                )
            } else if let Some(junction) = sums.flow.junctions.get(from.item.as_str()) {
                Term::see(
                    "volts at the junction",
                    junction.volts,
                    "V",
                    format!("junctions.{}.volts", from.item),
                )
            } else {
                port_voltage(sums, feed)?
            };
            let words = "the voltage of the port that the lead leaves";
            Some(Working::of(
                "volts at the near end",
                words,
                "t1",
                vec![upstream],
                result(flow.near_v, "V"),
            ))
        }
        "far_v" if flow.far_v <= 0.0 && flow.near_v > 0.0 => Some(Working::of(
            "volts at the far end",
            "nothing: more is drawn than can arrive over this lead, and the voltage breaks down",
            "0",
            Vec::new(),
            result(flow.far_v, "V"),
        )),
        "far_v" => Some(Working::of(
            "volts at the far end",
            "near end − current × resistance",
            "t1 - t2 * t3",
            vec![near(), amps(), resistance()],
            result(flow.far_v, "V"),
        )),
        "drop_v" => Some(Working::of(
            "volts lost in a lead",
            "current × resistance",
            "t1 * t2",
            vec![amps(), resistance()],
            result(flow.drop_v, "V"),
        )),
        "drop_share" if flow.near_v <= 0.0 => Some(dark(
            "share of the voltage lost",
            result(flow.drop_share, ""),
        )),
        "drop_share" => Some(Working::of(
            "share of the voltage lost",
            "volts lost ÷ volts at the near end",
            "t1 / t2",
            vec![drop(), near()],
            result(flow.drop_share, ""),
        )),
        "loss_w" => Some(Working::of(
            "power lost in a lead",
            "current² × resistance",
            "t1 ^ 2 * t2",
            vec![amps(), resistance()],
            result(flow.loss_w, "W"),
        )),
        _ => None,
    }
}

/// The fixed voltage of the port that a feed leaves.
fn port_voltage(sums: &Sums<'_>, feed: &Feed) -> Option<Term> {
    let port = find_port(sums, feed.from.item.as_str(), feed.from.port.as_str())?;
    let label = format!(
        "voltage of {}, {}",
        sums.plan.label(feed.from.item.as_str()),
        feed.from.port
    );
    Some(match &port.voltage {
        PortVoltage::Regulated { regulated_v } => Term::figure(label, regulated_v),
        PortVoltage::Alternating { ac_v, .. } => Term::figure(label, ac_v),
        PortVoltage::Offers { .. } => Term::computed(
            label,
            port.voltage
                .standing(feed.voltage_v.as_ref().map(Figure::get))?,
            "V",
        ),
        PortVoltage::Follows { .. } => {
            let flow = sums.flow.converters.get(feed.from.item.as_str())?;
            Term::see(
                label,
                flow.input_v,
                "V",
                format!("converters.{}.input_v", feed.from.item),
            )
        }
    })
}
