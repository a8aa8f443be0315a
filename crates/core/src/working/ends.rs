//! Workings of devices and of the leads to them.

use super::{Sums, Term, Working, boxes, current, feed_into, find_port, outlets};
use crate::figure::Figure;
use crate::network::{area, resistance};
use crate::plan::{Feed, PhaseKind};

pub(super) fn device(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (device, flow) = (sums.plan.device(id)?, sums.flow.devices.get(id)?);
    let volts = || Term::see("volts at its input", flow.input_v, "V", format!("devices.{id}.input_v"));
    match field {
        "input_v" => {
            let mut working = feed(sums, id, "far_v")?;
            working.result.name = "volts at its input".into();
            Some(working)
        }
        "watts" => {
            let mut terms = Vec::new();
            let starting = sums.flow.moment == format!("starting {id}") || sums.flow.moment == "all-starting";
            let stopping = sums.flow.moment == format!("stopping {id}");
            let busy = sums.flow.moment != "running";
            let kinds: &[PhaseKind] = match () {
                () if starting && device.highest(PhaseKind::Starting).is_some() => &[PhaseKind::Starting],
                () if stopping => &[PhaseKind::Stopping],
                () if busy && device.highest(PhaseKind::Busy).is_some() => &[PhaseKind::Busy],
                () if busy => &[PhaseKind::Running],
                () => &[PhaseKind::Running, PhaseKind::Busy],
            };
            for phase in kinds.iter().flat_map(|kind| device.phases_of(*kind)) {
                terms.push(Term::figure(
                    format!("watts {}", phase.label.as_deref().unwrap_or(phase.when.word())),
                    &phase.watts,
                ));
                if let (Some(share), false) = (&phase.share, busy) {
                    terms.push(Term::figure("share of the time busy", share));
                }
                if phase.draw.unwrap_or(device.draw()) != crate::plan::Draw::Power {
                    terms.push(Term::figure("stated at", phase.at_v.as_ref().unwrap_or(&device.input.rated_v)));
                    terms.push(volts());
                }
            }
            if let Some(quantity) = &device.quantity {
                terms.push(Term::figure("how many alike", quantity));
            }
            let words = match device.draw() {
                crate::plan::Draw::Power => {
                    "(1 − busy share) × running + busy share × busy, the same at any voltage, times how many"
                }
                crate::plan::Draw::Current => {
                    "watts × volts ÷ stated volts, times how many: the same current at any voltage"
                }
                crate::plan::Draw::Resistance => "watts × (volts ÷ stated volts)², times how many: a heating element",
            };
            Some(Working::of("what the device draws", words, terms, Term::computed("watts", flow.watts, "W")))
        }
        "amps" => {
            let watts = Term::see("watts", flow.watts, "W", format!("devices.{id}.watts"));
            Some(current(
                flow.amps,
                watts,
                volts(),
                Term::figure_or("power factor", device.input.power_factor.as_ref(), 1.0),
            ))
        }
        _ => None,
    }
}

pub(super) fn feed(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (feed, flow) = (feed_into(sums, id)?, sums.flow.feeds.get(id)?);
    let name = sums.plan.label(feed.to.item.as_str());
    let ambient = sums.plan.site.ambient();
    let ohms = resistance(feed.cable.as_ref(), ambient).0;
    let amps = || Term::see("current", flow.amps, "A", format!("feeds.{id}.amps"));
    let near = || Term::see("volts at the near end", flow.near_v, "V", format!("feeds.{id}.near_v"));
    let drop = || Term::see("volts lost in the lead", flow.drop_v, "V", format!("feeds.{id}.drop_v"));
    let resistance = || Term::see("resistance of the lead, both ways", ohms, "Ω", format!("feeds.{id}.ohms"));
    let result = |value, unit| Term::computed(format!("{field} of the lead to {name}"), value, unit);
    match field {
        "ohms" => {
            let mut terms = Vec::new();
            if let Some(cable) = &feed.cable {
                let material = cable.material.unwrap_or(crate::plan::Material::Copper);
                terms.push(Term::figure("length one way", &cable.length_m));
                if let Some(area) = &cable.area_mm2 {
                    terms.push(Term::figure("cross-section", area));
                } else if let (Some(gauge), Some(area)) = (&cable.awg, area(cable)) {
                    terms.push(Term::figure("wire gauge", gauge));
                    terms.push(Term::computed("its cross-section", area.0, "mm²"));
                }
                terms.push(Term::computed(
                    format!("resistivity of {} at 20 °C", material.word()),
                    material.resistivity(),
                    "Ω·mm²/m",
                ));
                terms.push(Term::figure_or("temperature", sums.plan.site.ambient_c.as_ref(), ambient.0));
                terms.push(Term::figure_or("contacts together", cable.contact_ohm.as_ref(), 0.0));
            }
            let words = "2 × length × resistivity × (1 + temperature coefficient × (temperature − 20)) ÷ cross-section + contacts";
            Some(Working::of("resistance of a lead", words, terms, Term::computed("resistance", ohms, "Ω")))
        }
        "near_v" => {
            let from = &feed.from;
            let upstream = if let Some(source) = sums.flow.sources.get(from.item.as_str()).and_then(|it| it.terminal_v)
            {
                Term::see("volts at the terminals", source, "V", format!("sources.{}.terminal_v", from.item))
            } else if let Some(junction) = sums.flow.junctions.get(from.item.as_str()) {
                Term::see("volts at the junction", junction.volts, "V", format!("junctions.{}.volts", from.item))
            } else {
                port_voltage(sums, feed)?
            };
            let words = "the voltage of the port that the lead leaves";
            Some(Working::of("volts at the near end", words, vec![upstream], result(flow.near_v, "V")))
        }
        "far_v" => Some(Working::of(
            "volts at the far end",
            "near end − current × resistance",
            vec![near(), amps(), resistance()],
            result(flow.far_v, "V"),
        )),
        "drop_v" => Some(Working::of(
            "volts lost in a lead",
            "current × resistance",
            vec![amps(), resistance()],
            result(flow.drop_v, "V"),
        )),
        "drop_share" => Some(Working::of(
            "share of the voltage lost",
            "volts lost ÷ volts at the near end",
            vec![drop(), near()],
            result(flow.drop_share, ""),
        )),
        "loss_w" => Some(Working::of(
            "power lost in a lead",
            "current² × resistance",
            vec![amps(), resistance()],
            result(flow.loss_w, "W"),
        )),
        "amps" => {
            let item = feed.to.item.as_str();
            if sums.flow.inputs.contains_key(id) {
                return outlets::input(sums, id, "amps");
            }
            if sums.flow.devices.contains_key(item) {
                return device(sums, item, "amps");
            }
            if sums.flow.converters.contains_key(item) {
                return boxes::converter(sums, item, "input_a");
            }
            boxes::junction(sums, item, "amps")
        }
        _ => None,
    }
}

/// The fixed voltage of the port that a feed leaves.
fn port_voltage(sums: &Sums<'_>, feed: &Feed) -> Option<Term> {
    let port = find_port(sums, feed.from.item.as_str(), feed.from.port.as_str())?;
    let label = format!("voltage of {}, {}", sums.plan.label(feed.from.item.as_str()), feed.from.port);
    Some(match &port.voltage {
        crate::plan::PortVoltage::Regulated { regulated_v } => Term::figure(label, regulated_v),
        crate::plan::PortVoltage::Alternating { ac_v, .. } => Term::figure(label, ac_v),
        crate::plan::PortVoltage::Offers { .. } => {
            Term::computed(label, port.voltage.standing(feed.voltage_v.as_ref().map(Figure::get))?, "V")
        }
        crate::plan::PortVoltage::Follows { .. } => {
            let flow = sums.flow.converters.get(feed.from.item.as_str())?;
            Term::see(label, flow.input_v, "V", format!("converters.{}.input_v", feed.from.item))
        }
    })
}
