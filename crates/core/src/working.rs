//! The sum behind every number: formula in words, terms with value, unit and basis, result.

use crate::day::DayUse;
use crate::figure::{Basis, Figure};
use crate::network::{Evaluation, area, resistance};
use crate::plan::device::power_factor;
use crate::plan::{Arrangement, Converter, Feed, PhaseKind, Plan, Port};
use crate::quantity::Quantity;
use serde::Serialize;

/// How a number comes about.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Working {
    /// What the formula is called.
    pub name: String,
    /// The formula in words.
    pub words: String,
    /// What is put in.
    pub terms: Vec<Term>,
    /// What comes out.
    pub result: Term,
    /// What would make it surer.
    pub surer: Option<String>,
}

/// One number of a working.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Term {
    /// What it is.
    pub name: String,
    /// The number.
    pub value: f64,
    /// Its unit, empty for a plain number.
    pub unit: String,
    /// Where it comes from; none where it is computed.
    pub basis: Option<Basis>,
    /// Half-width of its 95 % interval, where it is known.
    pub plus_minus: Option<f64>,
    /// The remark that goes with it.
    pub note: Option<String>,
    /// The key of its own working, where it has one.
    pub see: Option<String>,
}

impl Term {
    /// A number that was computed.
    pub fn computed(name: &str, value: f64, unit: &str) -> Self {
        let (name, unit) = (name.to_owned(), unit.to_owned());
        Self { name, value, unit, basis: None, plus_minus: None, note: None, see: None }
    }

    /// A computed number with a working of its own.
    fn see(name: &str, value: f64, unit: &str, key: String) -> Self {
        Self { see: Some(key), ..Self::computed(name, value, unit) }
    }

    /// A figure of the plan.
    fn figure<Q: Quantity>(name: &str, figure: &Figure<Q>) -> Self {
        Self {
            basis: Some(figure.basis),
            plus_minus: figure.plus_minus,
            note: figure.note.clone(),
            ..Self::computed(name, figure.get(), Q::UNIT)
        }
    }

    /// A figure of the plan, or the value that stands where it is silent.
    fn figure_or<Q: Quantity>(name: &str, figure: Option<&Figure<Q>>, silent: f64) -> Self {
        figure.map_or_else(
            || Self { basis: Some(Basis::Assumed), ..Self::computed(name, silent, Q::UNIT) },
            |it| Self::figure(name, it),
        )
    }
}

impl Working {
    /// A working, with what would make it surer found from its terms.
    pub fn of(name: &str, words: &str, terms: Vec<Term>, result: Term) -> Self {
        let weakest =
            terms.iter().filter(|it| it.value != 0.0 && it.unit != "°C").filter_map(|it| Some((it.basis?, it)));
        let weakest = weakest.filter(|(basis, _)| *basis < Basis::Measured).min_by_key(|(basis, _)| *basis);
        let surer = weakest.map(|(basis, term)| match basis {
            Basis::Assumed => format!("{}: assumed. Measure it, or look for its datasheet.", term.name),
            Basis::Label => format!("{}: from a label. Measure it on the bench.", term.name),
            _ => format!("{}: from a datasheet. Measure it here.", term.name),
        });
        Self { name: name.to_owned(), words: words.to_owned(), terms, result, surer }
    }
}

/// Everything that workings are made from.
#[derive(Debug, Clone, Copy)]
pub struct Sums<'a> {
    /// The plan.
    pub plan: &'a Plan,
    /// The arrangement.
    pub arrangement: &'a Arrangement,
    /// What flows at the moment that is explained.
    pub flow: &'a Evaluation,
    /// The day's use.
    pub day: &'a DayUse,
}

/// The working of one number of an evaluation, by its key, such as `feeds.gate-camera.far_v`,
/// `ports.station/outlet.watts`, `totals.drawn_w` or `day.drawn_wh`; `None` for an unknown key.
pub fn working(sums: &Sums<'_>, key: &str) -> Option<Working> {
    let (kind, rest) = key.split_once('.')?;
    if kind == "totals" {
        return totals(sums, rest);
    }
    if kind == "day" {
        return day(sums, rest);
    }
    let (id, field) = rest.rsplit_once('.')?;
    match kind {
        "devices" => device(sums, id, field),
        "feeds" => feed(sums, id, field),
        "converters" => converter(sums, id, field),
        "junctions" => junction(sums, id, field),
        "ports" => port(sums, id, field),
        "sources" => source(sums, id, field),
        _ => None,
    }
}

fn feed_into<'a>(sums: &Sums<'a>, to: &str) -> Option<&'a Feed> {
    sums.arrangement.feeds.iter().find(|it| it.to.to_string() == to)
}

fn device(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
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
                    &format!("watts {}", phase.label.as_deref().unwrap_or(phase.when.word())),
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

fn current(amps: f64, watts: Term, volts: Term, factor: Term) -> Working {
    let words = "watts ÷ (volts × power factor)";
    Working::of("current", words, vec![watts, volts, factor], Term::computed("amperes", amps, "A"))
}

fn feed(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (feed, flow) = (feed_into(sums, id)?, sums.flow.feeds.get(id)?);
    let name = sums.plan.label(feed.to.item.as_str());
    let ambient = sums.plan.site.ambient();
    let ohms = resistance(feed.cable.as_ref(), ambient).0;
    let amps = || Term::see("current", flow.amps, "A", format!("feeds.{id}.amps"));
    let near = || Term::see("volts at the near end", flow.near_v, "V", format!("feeds.{id}.near_v"));
    let drop = || Term::see("volts lost in the lead", flow.drop_v, "V", format!("feeds.{id}.drop_v"));
    let resistance = || Term::see("resistance of the lead, both ways", ohms, "Ω", format!("feeds.{id}.ohms"));
    let result = |value, unit| Term::computed(&format!("{field} of the lead to {name}"), value, unit);
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
                    &format!("resistivity of {} at 20 °C", material.word()),
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
            if sums.flow.devices.contains_key(item) {
                return device(sums, item, "amps");
            }
            if sums.flow.converters.contains_key(item) {
                return converter(sums, item, "input_a");
            }
            junction(sums, item, "amps")
        }
        _ => None,
    }
}

/// The fixed voltage of the port that a feed leaves.
fn port_voltage(sums: &Sums<'_>, feed: &Feed) -> Option<Term> {
    let port = find_port(sums, feed.from.item.as_str(), feed.from.port.as_str())?;
    let label = format!("voltage of {}, {}", sums.plan.label(feed.from.item.as_str()), feed.from.port);
    Some(match &port.voltage {
        crate::plan::PortVoltage::Regulated { regulated_v } => Term::figure(&label, regulated_v),
        crate::plan::PortVoltage::Alternating { ac_v, .. } => Term::figure(&label, ac_v),
        crate::plan::PortVoltage::Offers { .. } => {
            Term::computed(&label, port.voltage.standing(feed.voltage_v.as_ref().map(Figure::get))?, "V")
        }
        crate::plan::PortVoltage::Follows { .. } => {
            let flow = sums.flow.converters.get(feed.from.item.as_str())?;
            Term::see(&label, flow.input_v, "V", format!("converters.{}.input_v", feed.from.item))
        }
    })
}

fn find_port<'a>(sums: &Sums<'a>, item: &str, port: &str) -> Option<&'a Port> {
    let of_source = sums.plan.source(item).map(|it| &it.ports);
    let ports = of_source.or_else(|| sums.plan.converter(item).map(|it| &it.outputs))?;
    ports.iter().find(|it| it.id.as_str() == port)
}

fn law_terms(law: Option<&crate::plan::LossLaw>) -> [Term; 3] {
    [
        Term::figure_or("drawn at no load", law.and_then(|it| it.idle_w.as_ref()), 0.0),
        Term::figure_or("lost per watt", law.and_then(|it| it.proportional.as_ref()), 0.0),
        Term::figure_or("lost per squared watt", law.and_then(|it| it.quadratic_per_w.as_ref()), 0.0),
    ]
}

/// The parts of a loss that share one form: of a converter or of a port.
fn loss_part(law: Option<&crate::plan::LossLaw>, out: Term, field: &str, value: f64) -> Option<Working> {
    let [idle, proportional, quadratic] = law_terms(law);
    let result = Term::computed("lost", value, "W");
    match field {
        "loss_idle_w" => {
            Some(Working::of("lost by being switched on", "drawn at no load, whatever is carried", vec![idle], result))
        }
        "loss_proportional_w" => {
            Some(Working::of("lost with the load", "lost per watt × output", vec![proportional, out], result))
        }
        "loss_quadratic_w" => Some(Working::of(
            "lost with the square of the load",
            "lost per squared watt × output²",
            vec![quadratic, out],
            result,
        )),
        _ => None,
    }
}

fn converter(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (item, flow): (&Converter, _) = (sums.plan.converter(id)?, sums.flow.converters.get(id)?);
    let out = || Term::see("output", flow.output_w, "W", format!("converters.{id}.output_w"));
    let input = || Term::see("input", flow.input_w, "W", format!("converters.{id}.input_w"));
    let law = item.loss.as_ref();
    match field {
        "input_v" => feed(sums, id, "far_v"),
        "output_w" => {
            let fed = sums.arrangement.feeds.iter().filter(|it| it.from.item.as_str() == id);
            let terms = fed.filter_map(|it| {
                let port = format!("{id}/{}", it.from.port);
                let watts = sums.flow.ports.get(&port)?.watts;
                Some(Term::see(&format!("out of {}", it.from.port), watts, "W", format!("ports.{port}.watts")))
            });
            let mut terms: Vec<Term> = terms.collect();
            terms.dedup();
            Some(Working::of(
                "output of a converter",
                "the sum over its ports, the cables behind them included",
                terms,
                Term::computed("output", flow.output_w, "W"),
            ))
        }
        "input_w" => {
            let [idle, proportional, quadratic] = law_terms(law);
            let words = "idle + (1 + lost per watt) × output + lost per squared watt × output²";
            Some(Working::of(
                "input of a converter",
                words,
                vec![out(), idle, proportional, quadratic],
                Term::computed("input", flow.input_w, "W"),
            ))
        }
        "input_a" => {
            let volts = Term::see("volts at its input", flow.input_v, "V", format!("converters.{id}.input_v"));
            debug_assert!(power_factor(item.input.power_factor.as_ref()) > 0.0);
            Some(current(
                flow.input_a,
                input(),
                volts,
                Term::figure_or("power factor", item.input.power_factor.as_ref(), 1.0),
            ))
        }
        "loss_w" => Some(Working::of(
            "lost in a converter",
            "input − output",
            vec![input(), out()],
            Term::computed("lost", flow.loss_w, "W"),
        )),
        "loss_idle_w" => loss_part(law, out(), field, flow.loss_idle_w),
        "loss_proportional_w" => loss_part(law, out(), field, flow.loss_proportional_w),
        "loss_quadratic_w" => loss_part(law, out(), field, flow.loss_quadratic_w),
        "efficiency" => Some(Working::of(
            "efficiency at this load",
            "output ÷ input",
            vec![out(), input()],
            Term::computed("efficiency", flow.efficiency?, ""),
        )),
        _ => None,
    }
}

fn junction(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let flow = sums.flow.junctions.get(id)?;
    let leaving: Vec<&Feed> = sums.arrangement.feeds.iter().filter(|it| it.from.item.as_str() == id).collect();
    let each = |of: &dyn Fn(&crate::network::FeedFlow) -> f64, field: &str, unit: &str| -> Vec<Term> {
        let terms = leaving.iter().filter_map(|it| {
            let to = it.to.to_string();
            let name = format!("to {}", sums.plan.label(it.to.item.as_str()));
            Some(Term::see(&name, of(sums.flow.feeds.get(&to)?), unit, format!("feeds.{to}.{field}")))
        });
        terms.collect()
    };
    match field {
        "volts" => feed(sums, id, "far_v"),
        "amps" => {
            let terms = each(&|it| it.amps, "amps", "A");
            Some(Working::of(
                "current into a junction",
                "the sum of the currents that leave it",
                terms,
                Term::computed("amperes", flow.amps, "A"),
            ))
        }
        "watts" => {
            let ports = sums.flow.ports.iter().filter(|(name, _)| name.split('/').next() == Some(id));
            let terms = ports
                .map(|(name, it)| Term::see(&format!("out of {name}"), it.watts, "W", format!("ports.{name}.watts")));
            Some(Working::of(
                "power through a junction",
                "the sum of what leaves it",
                terms.collect(),
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        _ => None,
    }
}

fn port(sums: &Sums<'_>, name: &str, field: &str) -> Option<Working> {
    let flow = sums.flow.ports.get(name)?;
    let (item, id) = name.split_once('/')?;
    let law = find_port(sums, item, id)?.loss.as_ref();
    let leaving =
        sums.arrangement.feeds.iter().filter(|it| it.from.item.as_str() == item && it.from.port.as_str() == id);
    let out = || Term::see("output", flow.watts, "W", format!("ports.{name}.watts"));
    match field {
        "watts" => {
            let mut terms = Vec::new();
            for it in leaving {
                let (to, item) = (it.to.to_string(), it.to.item.as_str());
                let label = sums.plan.label(item);
                if let Some(flow) = sums.flow.devices.get(item) {
                    terms.push(Term::see(&format!("{label} draws"), flow.watts, "W", format!("devices.{item}.watts")));
                } else if let Some(flow) = sums.flow.converters.get(item) {
                    terms.push(Term::see(
                        &format!("{label} takes"),
                        flow.input_w,
                        "W",
                        format!("converters.{item}.input_w"),
                    ));
                } else if let Some(flow) = sums.flow.junctions.get(item) {
                    terms.push(Term::see(
                        &format!("{label} passes on"),
                        flow.watts,
                        "W",
                        format!("junctions.{item}.watts"),
                    ));
                }
                let loss = sums.flow.feeds.get(&to)?.loss_w;
                terms.push(Term::see(&format!("lost in the lead to {label}"), loss, "W", format!("feeds.{to}.loss_w")));
            }
            Some(Working::of(
                "output of a port",
                "what its feeds take, with what their leads lose",
                terms,
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        "amps" => {
            let terms = leaving.filter_map(|it| {
                let to = it.to.to_string();
                let name = format!("to {}", sums.plan.label(it.to.item.as_str()));
                Some(Term::see(&name, sums.flow.feeds.get(&to)?.amps, "A", format!("feeds.{to}.amps")))
            });
            Some(Working::of(
                "current of a port",
                "the sum of the currents of its feeds",
                terms.collect(),
                Term::computed("amperes", flow.amps, "A"),
            ))
        }
        "loss_idle_w" => loss_part(law, out(), field, flow.loss_idle_w),
        "loss_proportional_w" => loss_part(law, out(), field, flow.loss_proportional_w),
        "loss_quadratic_w" => loss_part(law, out(), field, flow.loss_quadratic_w),
        _ => None,
    }
}

fn source(sums: &Sums<'_>, id: &str, field: &str) -> Option<Working> {
    let (item, flow) = (sums.plan.source(id)?, sums.flow.sources.get(id)?);
    let battery = item.battery.as_ref();
    let amps = || flow.amps.map(|it| Term::see("current", it, "A", format!("sources.{id}.amps")));
    let internal = || Term::figure_or("internal resistance", battery.and_then(|it| it.internal_ohm.as_ref()), 0.0);
    match field {
        "watts" => {
            let mut terms = Vec::new();
            for (name, it) in sums.flow.ports.iter().filter(|(name, _)| name.split('/').next() == Some(id)) {
                terms.push(Term::see(&format!("out of {name}"), it.watts, "W", format!("ports.{name}.watts")));
                for (what, field, lost) in [
                    ("is on", "loss_idle_w", it.loss_idle_w),
                    ("loses with the load", "loss_proportional_w", it.loss_proportional_w),
                    ("loses with its square", "loss_quadratic_w", it.loss_quadratic_w),
                ] {
                    if lost != 0.0 {
                        terms.push(Term::see(&format!("{name} {what}"), lost, "W", format!("ports.{name}.{field}")));
                    }
                }
            }
            Some(Working::of(
                "drawn from a source",
                "what its ports give out and what they lose on the way",
                terms,
                Term::computed("watts", flow.watts, "W"),
            ))
        }
        "amps" => {
            let watts = Term::see("watts", flow.watts, "W", format!("sources.{id}.watts"));
            let volts = Term::see("volts at the terminals", flow.terminal_v?, "V", format!("sources.{id}.terminal_v"));
            Some(current(flow.amps?, watts, volts, Term::computed("power factor", 1.0, "")))
        }
        "terminal_v" => {
            let chemistry = crate::chemistry::find(&battery?.chemistry)?;
            let soc = sums.flow.soc.get(id).copied()?;
            let cells = battery?.cells.as_ref()?;
            let mut curve =
                Term::computed(&format!("resting volts of a cell, {}", chemistry.label), chemistry.cell_v(soc), "V");
            curve.note = Some("the chemistry's curve, linear between its points".into());
            let terms = vec![
                Term::computed("state of charge", soc, ""),
                curve,
                Term::figure("cells in series", cells),
                amps()?,
                internal(),
            ];
            let words = "resting volts of a cell × cells − current × internal resistance";
            Some(Working::of("volts at the terminals", words, terms, Term::computed("volts", flow.terminal_v?, "V")))
        }
        "internal_loss_w" => {
            let terms = vec![amps()?, internal()];
            Some(Working::of(
                "lost inside the battery",
                "current² × internal resistance",
                terms,
                Term::computed("lost", flow.internal_loss_w, "W"),
            ))
        }
        _ => None,
    }
}

fn totals(sums: &Sums<'_>, field: &str) -> Option<Working> {
    let totals = &sums.flow.totals;
    let see = |name: &str, value: f64, key: &str| Term::see(name, value, "W", format!("totals.{key}"));
    let drawn = || see("drawn", totals.drawn_w, "drawn_w");
    let delivered = || see("delivered", totals.delivered_w, "delivered_w");
    let sum = |name: &str, words: &str, terms: Vec<Term>, value: f64| {
        Some(Working::of(name, words, terms, Term::computed(name, value, "W")))
    };
    match field {
        "drawn_w" => {
            let terms = sums.flow.sources.iter().map(|(id, it)| {
                Term::see(&format!("from {}", sums.plan.label(id)), it.watts, "W", format!("sources.{id}.watts"))
            });
            sum("drawn", "the sum over the sources", terms.collect(), totals.drawn_w)
        }
        "delivered_w" => {
            let terms = sums
                .flow
                .devices
                .iter()
                .map(|(id, it)| Term::see(sums.plan.label(id), it.watts, "W", format!("devices.{id}.watts")));
            sum("delivered", "the sum over the devices", terms.collect(), totals.delivered_w)
        }
        "lost_w" => sum(
            "lost",
            "drawn − delivered − into charging inputs",
            vec![drawn(), delivered(), Term::computed("into charging inputs", totals.charging_w, "W")],
            totals.lost_w,
        ),
        "cables_w" => {
            let terms = sums
                .flow
                .feeds
                .iter()
                .map(|(to, it)| Term::see(&format!("lead to {to}"), it.loss_w, "W", format!("feeds.{to}.loss_w")));
            sum("lost in leads", "the sum over the feeds", terms.collect(), totals.cables_w)
        }
        "idle_w" => {
            let converters = sums.flow.converters.iter().map(|(id, it)| {
                Term::see(sums.plan.label(id), it.loss_idle_w, "W", format!("converters.{id}.loss_idle_w"))
            });
            let ports = sums.flow.ports.iter().filter(|(_, it)| it.loss_idle_w != 0.0);
            let ports =
                ports.map(|(name, it)| Term::see(name, it.loss_idle_w, "W", format!("ports.{name}.loss_idle_w")));
            sum(
                "only because things are on",
                "the sum over converters and ports",
                converters.chain(ports).collect(),
                totals.idle_w,
            )
        }
        "efficiency" => {
            let terms = vec![delivered(), drawn()];
            Some(Working::of(
                "efficiency",
                "delivered ÷ drawn",
                terms,
                Term::computed("efficiency", totals.efficiency?, ""),
            ))
        }
        _ => None,
    }
}

fn day(sums: &Sums<'_>, field: &str) -> Option<Working> {
    let day = sums.day;
    let term = |name: &str, value: f64, key: &str| Term::see(name, value, "Wh", format!("day.{key}"));
    let parts = || {
        vec![
            term("arriving at devices", day.delivered_wh, "delivered_wh"),
            Term::computed("only because things are on", day.idle_wh, "Wh"),
            Term::computed("lost in converters with the load", day.conversion_wh, "Wh"),
            Term::computed("lost in leads", day.cables_wh, "Wh"),
        ]
    };
    match field {
        "drawn_wh" => {
            let words = "every state of the day on the real network, times its hours: daily hours, thermostats on and off, starts at each coming-on";
            Some(Working::of("drawn in a day", words, parts(), Term::computed("a day", day.drawn_wh, "Wh")))
        }
        "delivered_wh" => {
            let devices = day.devices.iter().map(|(id, wh)| Term::computed(sums.plan.label(id), *wh, "Wh"));
            Some(Working::of(
                "arriving at devices in a day",
                "the sum over the devices",
                devices.collect(),
                Term::computed("a day", day.delivered_wh, "Wh"),
            ))
        }
        _ => None,
    }
}
