//! What can be told of an arrangement without solving it: kinds of current, plugs, polarity,
//! waves, fuses, a panel's open voltage in the cold, charging in the cold.

use super::code::Code;
use super::fact::{Fact, Words, said, standing};
use super::plugs::{Fit, Poles, fit, poles, settled};
use super::study::Study;
use super::verdict::Status;
use super::words::{CHECK_POLARITY, COLD_CHARGE, PANEL, SHORT_CIRCUIT};
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::{ChargingVolts, Moment, charging_volts, coldest};
use crate::site::chemistry::{self, Chemistry};
use crate::site::plan::device::Current;
use crate::site::plan::source::InputKind;
use crate::site::plan::{
    Arrangement, ConverterKind, Feed, Fuse, Plan, Port, PortVoltage, Source, Waveform,
};
use crate::site::sum::Term;
use crate::site::wire::ampacity;

/// Nearer than this share below a largest voltage is tight.
const NEAR_EDGE: f64 = 0.02;
/// Change of a panel's open voltage per kelvin where the plan states none; usual for silicon.
const OPEN_PER_K: f64 = -0.003;
/// The temperature at which a panel's label is stated, °C (IEC 61215).
const PANEL_RATED_C: f64 = 25.0;

/// What stands at the far end of a feed, as far as plugs and voltages go.
struct FarEnd<'a> {
    name: &'a str,
    current: Current,
    min_v: Option<f64>,
    max_v: Option<f64>,
    connector: Option<&'a str>,
    polarity: Option<&'a str>,
    needs_sine: bool,
    code: Code,
}

impl<'a> FarEnd<'a> {
    fn of(plan: &'a Plan, feed: &'a Feed) -> Option<Self> {
        let item = feed.to.item.as_str();
        let volts =
            |it: &Option<Figure<crate::ground::quantity::Volts>>| it.as_ref().map(Figure::get);
        if let Some(id) = &feed.to.input {
            let source = plan.source(item)?;
            let input = source.inputs.iter().find(|it| it.id == *id)?;
            let current = if input.kind == InputKind::Mains {
                Current::Ac
            } else {
                Current::Dc
            };
            let connector = input.connector.as_deref();
            let (name, max_v) = (source.label.as_str(), volts(&input.max_v));
            return Some(Self {
                name,
                current,
                min_v: None,
                max_v,
                connector,
                polarity: None,
                needs_sine: false,
                code: Code::ChargeInput,
            });
        }
        if let Some(it) = plan.device(item) {
            let input = &it.input;
            return Some(Self {
                name: &it.label,
                current: input.current,
                min_v: volts(&input.min_v),
                max_v: volts(&input.max_v),
                connector: input.connector.as_deref(),
                polarity: input.polarity.as_deref(),
                needs_sine: input.needs_sine == Some(true),
                code: Code::DeviceVoltage,
            });
        }
        let it = plan.converter(item)?;
        let input = &it.input;
        Some(Self {
            name: &it.label,
            current: input.current,
            min_v: volts(&input.cut_out_v).or_else(|| volts(&input.min_v)),
            max_v: volts(&input.max_v),
            connector: input.connector.as_deref(),
            polarity: input.polarity.as_deref(),
            needs_sine: input.needs_sine == Some(true),
            code: Code::ConverterVoltage,
        })
    }
}

/// Everything that can be told without solving.
pub(super) fn facts<'a>(study: &'a Study<'_>) -> Vec<Fact<'a>> {
    let (plan, arrangement) = (study.plan, study.way);
    // Some five of each feed.
    let mut list = Vec::with_capacity(8 * arrangement.feeds.len());
    let used = |it: &&Source| arrangement.feeds.iter().any(|feed| feed.from.item == it.id);
    list.extend(
        plan.kit
            .sources
            .iter()
            .filter(used)
            .flat_map(|it| super::breaking::strings(plan, it)),
    );
    list.extend(super::earth::earthing(plan, arrangement));
    list.extend(super::climate::stores(plan, arrangement));
    list.extend(super::switching_on::settling(plan, arrangement));
    list.extend(super::slower::slower(study));
    list.extend(super::switched::switched(study));
    list.extend(super::warmth::heat(study));
    for feed in &arrangement.feeds {
        let (Some(port), Some(end)) = (plan.port(&feed.from), FarEnd::of(plan, feed)) else {
            continue;
        };
        let from = Name(plan.label(feed.from.item.as_str()));
        let root = standing(plan, arrangement, feed);
        list.push(current_kind(feed, port, from, &end));
        list.extend(root.and_then(|root| waveform(plan, feed, root, &end)));
        list.extend(connector(feed, port, from, &end));
        let poles = super::plugs::polarity_at(plan, arrangement, &feed.from);
        list.extend(polarity(plan, feed, (port, poles), from, &end));
        list.extend(fuses(plan, arrangement, feed, Name(end.name)));
        list.extend(root.and_then(|(item, _)| panel(plan, feed, item, &end)));
        list.extend(cold_charge(plan, feed));
        list.extend(super::charger::volts(plan, feed));
        list.extend(root.and_then(|(item, port)| charging(plan, feed, (item, port), &end)));
        list.extend(asked(plan, feed, port, from, &end));
        let window = (Name(end.name), end.min_v, end.max_v, end.code);
        list.extend(
            root.into_iter()
                .flat_map(|it| super::vehicle::engine(plan, feed, it, window)),
        );
        let ends = (port.connector.as_deref(), end.connector);
        list.extend(super::cabling::leads(plan, feed, Name(end.name), ends));
        list.extend(
            root.and_then(|it| super::switching_on::inrush(plan, feed, it, Name(end.name))),
        );
    }
    list
}

fn current_kind<'a>(feed: &'a Feed, port: &'a Port, from: Name<'a>, end: &FarEnd<'a>) -> Fact<'a> {
    let fits = port.current == end.current;
    let (name, out, takes) = (Name(end.name), upper(port.current), upper(end.current));
    Fact {
        code: Code::CurrentKind,
        place: feed.to.name(),
        status: if fits { Status::Holds } else { Status::Trips },
        value: 0.0,
        limit: 0.0,
        unit: "",
        message: if fits {
            said!("Holds: {name} takes {takes}, and {from} gives it.")
        } else {
            said!(
                "Wrong current: {from} gives {out}, {name} takes {takes}; a converter belongs \
                between them."
            )
        },
        brief: said!("{out} into {name}"),
        rule: "the kind of current of the port against that of the input",
        formula: "t1",
        terms: Vec::new(),
        caution: (!fits).then_some(CHECK_POLARITY),
        moment: Moment::Running,
        unstated: None,
    }
}

fn upper(current: Current) -> &'static str {
    match current {
        Current::Ac => "AC",
        Current::Dc => "DC",
    }
}

fn waveform<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    (item, port): (&'a str, &'a Port),
    end: &FarEnd<'a>,
) -> Option<Fact<'a>> {
    let PortVoltage::Alternating { waveform, .. } = &port.voltage else {
        return None;
    };
    if !end.needs_sine {
        return None;
    }
    let stepped = *waveform == Some(Waveform::Stepped);
    let name = Name(end.name);
    let (status, unstated, message) = super::earth::wave(plan, item, port, name);
    Some(Fact {
        code: Code::Waveform,
        place: feed.to.name(),
        status: if stepped { Status::Trips } else { status },
        value: 0.0,
        limit: 0.0,
        unit: "",
        message: if stepped {
            said!(
                "Wrong wave: {name} needs a sine and gets a stepped wave; it may hum, run hot, \
                refuse or fail. Feed it from a sine."
            )
        } else {
            message
        },
        brief: said!("{name} needs a sine"),
        rule: "what needs a sine against the wave that the outlet gives",
        formula: "t1",
        terms: Vec::new(),
        caution: None,
        moment: Moment::Running,
        unstated: unstated.filter(|_| !stepped),
    })
}

fn connector<'a>(
    feed: &'a Feed,
    port: &'a Port,
    from: Name<'a>,
    end: &FarEnd<'a>,
) -> Option<Fact<'a>> {
    let (one, other) = (port.connector.as_deref()?, end.connector?);
    let fit = fit(one, other);
    let name = Name(end.name);
    Some(Fact {
        code: Code::Connector,
        place: feed.to.name(),
        status: if fit == Fit::Fits {
            Status::Holds
        } else {
            Status::Unproven
        },
        value: 0.0,
        limit: 0.0,
        unit: "",
        message: match fit {
            Fit::Fits => said!("Holds: {one} of {from} and {other} of {name} go together."),
            Fit::Differs => said!(
                "Plugs differ: {from} has {one}, {name} has {other}; it takes a lead with both \
                ends, checked with a meter."
            ),
            Fit::LooksAlike => said!(
                "Plugs look alike: {from} has {one}, {name} has {other}; they seem to fit and make \
                poor contact or none. Use a lead with the right ends."
            ),
        },
        brief: said!("plug of {name} differs"),
        rule: "the connectors as they are written; ends that are wired by hand fit any lead",
        formula: "t1",
        terms: Vec::new(),
        caution: (fit != Fit::Fits).then_some(CHECK_POLARITY),
        moment: Moment::Running,
        unstated: None,
    })
}

fn polarity<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    (port, port_poles): (&'a Port, Option<String>),
    from: Name<'a>,
    end: &FarEnd<'a>,
) -> Option<Fact<'a>> {
    let junction = plan
        .converter(feed.to.item.as_str())
        .is_some_and(|it| it.kind == ConverterKind::Junction);
    if junction && end.polarity.is_none() {
        return None;
    }
    let dc = port.current == Current::Dc && end.current == Current::Dc;
    let silent = port_poles.is_none() && end.polarity.is_none();
    let poles = poles(port_poles.as_deref(), end.polarity);
    // Two that contradict each other do so whatever their plugs are.
    if !dc
        || poles != Poles::Contradict
            && (settled(port.connector.as_deref()) || settled(end.connector))
    {
        return None;
    }
    if feed.to.input.is_some() || silent && (port.connector.is_none() || end.connector.is_none()) {
        // A plan that says nothing of plugs at all asks for no advice on them.
        return None;
    }
    let name = Name(end.name);
    let one = port_poles.unwrap_or_else(|| "not stated".to_owned());
    let other = end.polarity.unwrap_or("not stated");
    Some(Fact {
        code: Code::Polarity,
        place: feed.to.name(),
        status: match poles {
            Poles::Agree => Status::Holds,
            Poles::Contradict => Status::Trips,
            Poles::Unknown => Status::Unproven,
        },
        value: 0.0,
        limit: 0.0,
        unit: "",
        message: match poles {
            Poles::Agree => said!("Holds: {from} is {one}, {name} is {other}."),
            Poles::Contradict => {
                said!(
                    "Wrong polarity: {from} is {one}, {name} is {other}; cross the conductors in \
                    the lead, and check with a meter. Where one pole is the chassis or earth, as \
                    in vehicles, crossing it is a short circuit."
                )
            }
            Poles::Unknown => said!(
                "Polarity unverified: {from} is {one}, {name} is {other}; verify with a meter at \
                every joint before it is plugged in."
            ),
        },
        brief: said!(
            "polarity of {name} {}",
            if poles == Poles::Contradict {
                "wrong"
            } else {
                "unverified"
            }
        ),
        rule: "the polarity that both ends state",
        formula: "t1",
        terms: Vec::new(),
        caution: (poles != Poles::Agree).then_some(CHECK_POLARITY),
        moment: Moment::Running,
        unstated: None,
    })
}

/// Whether a feed has the fuse that it needs, and whether its fuse protects its lead.
fn fuses<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    feed: &'a Feed,
    name: Name<'a>,
) -> Vec<Fact<'a>> {
    let mut list = Vec::new();
    let carries = feed
        .cable
        .as_ref()
        .and_then(|it| ampacity(it, plan.site.ambient()));
    if let (Some(fuse), Some(carries)) = (&feed.fuse, carries)
        && fuse.rating_a.get() > carries * (1.0 + 1e-9)
    {
        list.push(too_large(feed, name, fuse, "the fuse of", carries));
    }
    if let (Some(fuse), Some(carries)) = (&feed.fuse_far, carries)
        && fuse.rating_a.get() > carries * (1.0 + 1e-9)
    {
        let end = "the fuse at the far end of the lead to";
        list.push(too_large(feed, name, fuse, end, carries));
    }
    list.extend(super::guard::missing(plan, arrangement, feed, name));
    list.extend(super::guard::missing_far(plan, feed, name));
    list.extend(super::breaking::ratings(plan, arrangement, feed, name));
    list
}

/// A fuse that its lead does not outlast.
fn too_large<'a>(
    feed: &'a Feed,
    name: Name<'a>,
    fuse: &'a Fuse,
    called: &'a str,
    carries: f64,
) -> Fact<'a> {
    let rating = amount(fuse.rating_a.get(), "A");
    Fact {
        code: Code::FuseSize,
        place: feed.to.name(),
        status: Status::Trips,
        value: fuse.rating_a.get(),
        limit: carries,
        unit: "A",
        message: said!(
            "Too large: {called} {name} is {rating}, and its lead is planned for {}; the lead may \
            overheat before the fuse opens.",
            amount(carries, "A")
        ),
        brief: said!("fuse of {name} too large"),
        rule: "a fuse is no larger than what its lead is planned for; local codes rule",
        formula: "t1",
        terms: vec![
            Term::figure("fuse", &fuse.rating_a),
            Term::computed("planned for the lead", carries, "A"),
        ],
        caution: Some(SHORT_CIRCUIT),
        moment: Moment::Running,
        unstated: None,
    }
}

/// Direct current above this can kill, V (the limit of extra-low voltage without ripple, IEC
/// 60364-4-41).
const DANGEROUS_V: f64 = 60.0;

/// So much colder than its mean a site has seen it, K, where nobody stated it.
const RECORD_UNDER_MEAN: f64 = 25.0;

/// The coldest that a panel will see, °C: what the site has seen, else 25 K under its mean, or an
/// outage that is colder.
fn record_low(plan: &Plan) -> (f64, Option<&str>) {
    let site = &plan.site;
    let record = site
        .record_low_c
        .as_ref()
        .map_or(site.ambient().0 - RECORD_UNDER_MEAN, Figure::get);
    let (celsius, outage) = coldest(plan);
    if record <= celsius {
        (record, None)
    } else {
        (celsius, outage)
    }
}

/// A panel's open-circuit voltage in the cold against what is fed straight from it:
/// V_oc(T) = V_oc·(1 + β·(T − 25 °C)) (IEC 60891).
fn panel<'a>(plan: &'a Plan, feed: &'a Feed, item: &'a str, end: &FarEnd<'a>) -> Option<Fact<'a>> {
    let source = plan.source(item)?;
    let (panel, max_v) = (source.panel.as_ref()?, end.max_v?);
    let (celsius, outage) = record_low(plan);
    let per_k = panel.open_v_per_k.as_ref().map_or(OPEN_PER_K, Figure::get);
    let open_v = panel.string_open_v() * (1.0 + per_k * (celsius - PANEL_RATED_C));
    let status = match () {
        () if open_v > max_v => Status::Trips,
        () if open_v > max_v * (1.0 - NEAR_EDGE) => Status::Tight,
        () => Status::Holds,
    };
    let name = Name(end.name);
    let when = outage.map_or_else(String::new, |it| format!(", as in “{}”", Name(it)));
    let volts = format!(
        "{} open has {} at {}{when}",
        Name(&source.label),
        amount(open_v, "V"),
        amount(celsius, "°C")
    );
    let most = amount(max_v, "V");
    Some(Fact {
        code: end.code,
        place: feed.to.name(),
        status,
        value: open_v,
        limit: max_v,
        unit: "V",
        message: match status {
            Status::Trips => said!("May destroy {name}: {volts}, and it takes {most} at most."),
            Status::Tight => said!("Tight: {volts}; {name} takes {most} at most."),
            _ => said!("Holds: {volts}; {name} takes {most}."),
        },
        brief: said!("{} too high for {name} in the cold", Name(&source.label)),
        rule: "open-circuit voltage × (1 + change per kelvin × (temperature − 25)); it is highest \
            in the cold, with no load",
        formula: "t1 * t4 * (1 + t2 * (t3 - 25))",
        terms: vec![
            Term::figure("open-circuit voltage at 25 °C", &panel.open_v),
            Term::figure_or("change per kelvin", panel.open_v_per_k.as_ref(), OPEN_PER_K),
            Term::computed("coldest temperature", celsius, "°C"),
            Term::figure_or("panels in a string", panel.in_series.as_ref(), 1.0),
        ],
        caution: (status != Status::Holds || open_v > DANGEROUS_V).then_some(PANEL),
        moment: Moment::Running,
        unstated: None,
    })
}

fn cold_charge<'a>(plan: &'a Plan, feed: &'a Feed) -> Option<Fact<'a>> {
    feed.to.input.as_ref()?;
    let source: &Source = plan.source(feed.to.item.as_str())?;
    let chemistry = chemistry::find(&source.battery.as_ref()?.chemistry)?;
    let least = chemistry.charge_min_c;
    let here = plan.site.ambient().0;
    let (celsius, outage) = coldest(plan);
    let name = Name(&source.label);
    let (status, message) = match outage {
        _ if here < least => (
            Status::Trips,
            said!(
                "Too cold to charge: {name} stands at {} and may be charged from {}.",
                amount(here, "°C"),
                amount(least, "°C")
            ),
        ),
        Some(outage) if celsius < least => (
            Status::Trips,
            said!(
                "Too cold to charge in “{}”: {}, and {name} may be charged from {}. Keep it warm, \
                or charge before.",
                Name(outage),
                amount(celsius, "°C"),
                amount(least, "°C")
            ),
        ),
        _ => (
            Status::Holds,
            said!(
                "Holds: {name} may be charged from {}; the coldest here is {}.",
                amount(least, "°C"),
                amount(celsius, "°C")
            ),
        ),
    };
    Some(Fact {
        code: Code::ColdCharge,
        place: feed.to.name(),
        status,
        value: celsius,
        limit: least,
        unit: "°C",
        message,
        brief: said!("{name} too cold to charge"),
        rule: "the coldest temperature against the least at which this chemistry may be charged",
        formula: "t1",
        terms: Vec::new(),
        caution: (status != Status::Holds).then_some(COLD_CHARGE),
        moment: Moment::Running,
        unstated: None,
    })
}

/// What hangs on the terminals of a store stands at its charging voltage while that is filled, and
/// sees all of it where it draws nothing.
fn charging<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    (item, port): (&'a str, &'a Port),
    end: &FarEnd<'a>,
) -> Option<Fact<'a>> {
    let (source, max_v) = (plan.source(item)?, end.max_v?);
    if !matches!(port.voltage, PortVoltage::Follows { .. }) || end.current != Current::Dc {
        return None;
    }
    let ChargingVolts {
        volts,
        equalise_v,
        celsius,
    } = charging_volts(plan, source)?;
    let bears = |volts: f64| match () {
        () if volts > max_v * (1.0 + 1e-9) => Status::Trips,
        () if volts > max_v * (1.0 - NEAR_EDGE) => Status::Tight,
        () => Status::Holds,
    };
    // Equalising is told where charging alone would be well.
    let equalised =
        equalise_v.filter(|it| bears(volts) < Status::Trips && bears(*it) == Status::Trips);
    let (value, doing) = equalised.map_or((volts, "charged"), |it| (it, "equalised"));
    let status = bears(value);
    let (name, store) = (Name(end.name), Name(&source.label));
    let cold = chemistry::find(&source.battery.as_ref()?.chemistry).is_some_and(Chemistry::is_lead)
        && celsius < 25.0;
    let cold = if cold {
        format!(" at {}", amount(celsius, "°C"))
    } else {
        String::new()
    };
    let (stands, most) = (amount(value, "V"), amount(max_v, "V"));
    Some(Fact {
        code: end.code,
        place: feed.to.name(),
        status,
        value,
        limit: max_v,
        unit: "V",
        message: match status {
            Status::Trips => said!(
                "May destroy {name}: {stands} at its input while {store} is {doing}{cold}; it \
                takes {most} at most. Unplug it \
                 meanwhile, or put a regulator between them."
            ),
            Status::Tight => {
                said!(
                    "Tight: {name} gets {stands} while {store} is {doing}{cold}; it takes {most} \
                    at most."
                )
            }
            _ => said!(
                "Holds: {name} gets {stands} while {store} is {doing}{cold}; it takes {most}."
            ),
        },
        brief: match status {
            Status::Trips => said!("{name} may be destroyed while {store} is {doing}"),
            status => said!("{name} {} while {store} is {doing}", status.word()),
        },
        rule: "volts of a cell while it is charged × cells, for lead 4 mV a cell more for each \
            kelvin below 25 °C, against the most that the input takes, with nothing drawn",
        formula: "t1",
        terms: vec![Term::computed("volts while it is filled", value, "V")],
        caution: (status == Status::Trips).then_some(CHECK_POLARITY),
        moment: Moment::Charging,
        unstated: None,
    })
}

/// Whether something asks for a voltage that is only given to who asks.
pub(crate) fn asks(plan: &Plan, feed: &Feed) -> bool {
    let item = feed.to.item.as_str();
    let negotiates = |connector: Option<&str>| {
        connector.is_some_and(|it| {
            let words = it.to_lowercase().replace(['-', ' '], "");
            words.contains("usbc") || words.contains("usbpd")
        })
    };
    if let Some(id) = &feed.to.input {
        let input = plan
            .source(item)
            .and_then(|it| it.inputs.iter().find(|it| it.id == *id));
        return input.is_some_and(|it| negotiates(it.connector.as_deref()));
    }
    match plan.converter(item) {
        Some(it) => it.kind == ConverterKind::Trigger || negotiates(it.input.connector.as_deref()),
        None => plan
            .device(item)
            .is_some_and(|it| negotiates(it.input.connector.as_deref())),
    }
}

fn asked<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    port: &'a Port,
    from: Name<'a>,
    end: &FarEnd<'a>,
) -> Option<Fact<'a>> {
    let PortVoltage::Offers { offers_v } = &port.voltage else {
        return None;
    };
    let least = offers_v
        .iter()
        .map(Figure::get)
        .fold(f64::INFINITY, f64::min);
    let picked = feed.voltage_v.as_ref().map_or(least, Figure::get);
    if asks(plan, feed) || picked <= least * (1.0 + 1e-9) {
        return None;
    }
    let (name, wanted) = (Name(end.name), amount(picked, "V"));
    Some(Fact {
        code: Code::Connector,
        place: feed.to.name(),
        status: Status::Trips,
        value: least,
        limit: picked,
        unit: "V",
        message: said!(
            "Nobody asks: {from} gives {wanted} only to what asks for it, and {name} does not; \
            over a plain lead it gives {}. \
             Put a trigger between them.",
            amount(least, "V")
        ),
        brief: said!("nothing asks for the voltage of {name}"),
        rule: "an offer of voltages goes through a trigger, or to a device that negotiates by its \
            USB-C plug",
        formula: "t1",
        terms: Vec::new(),
        caution: Some(CHECK_POLARITY),
        moment: Moment::Running,
        unstated: None,
    })
}
