//! What it comes to, in sentences.

use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::quantity::Ohms;
use crate::ground::say::{Name, Sentence, amount, from_charge};
use crate::ground::work::both;
use crate::limits::{
    Board, Break, Code, DeviceVerdict, Finding, Status, Study, WeakestLink, Window,
    assumed_contacts,
};
use crate::network::{
    Charge, Evaluation, Moment, Network, Reading, Solver, evaluate, fed, moments,
};
use crate::network::{charging_volts, engine_volts};
use crate::site::parts::{Parts, parts};
use crate::site::plan::{Arrangement, Plan};
use crate::time::day::{BeingOn, Fillings, Lasting, Usage, Use, fillings};
use serde::Serialize;
use std::collections::BTreeMap;

/// One way to run the site, with everything that a person asks of it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Way {
    /// The arrangement's id.
    pub id: String,
    /// What it is called.
    pub label: String,
    /// The moments that can be looked at.
    pub moments: Vec<String>,
    /// What flows at the moment.
    pub flow: Evaluation,
    /// A day of use at the charge.
    pub day: Usage,
    /// What each converter and outlet costs for being on, as it is switched and as it could be; the
    /// most first.
    pub being_on: Vec<BeingOn>,
    /// What is charged, how often its store fills it, and when it is done.
    pub fillings: Vec<Fillings>,
    /// How long each store carries it.
    pub lasting: BTreeMap<String, Lasting>,
    /// The shortest of these, h; none where nothing is drawn.
    pub to_floor_h: Option<f64>,
    /// Whether each device keeps its voltage.
    pub devices: Vec<DeviceVerdict>,
    /// Its limits in amperes and watts, with the marks of all moments at the charge.
    pub boards: Vec<Board>,
    /// The voltages that its devices and converters take, with the marks of all moments at the
    /// charge.
    pub windows: Vec<Window>,
    /// Where the first of them is broken as all stores run down together.
    pub breaks: Option<Break>,
    /// The limit with the least room at any moment and charge.
    pub tightest: Option<WeakestLink>,
    /// The findings that are not well, worst first.
    pub findings: Vec<Finding>,
    /// What it is made of.
    pub parts: Parts,
    /// Devices that go dark with something on their way that trips, whatever their own voltage:
    /// what trips, in a sentence.
    pub trips_with: BTreeMap<String, Sentence>,
    /// Names of the devices that others of the ways asked for feed and this one does not, in the
    /// order of the kit: what it draws, costs and how long it lasts is not to be set against
    /// theirs.
    pub unfed: Vec<String>,
    /// What the contacts of a lead would have together, by each feed that has no lead.
    pub contacts: BTreeMap<String, Figure<Ohms>>,
    /// The verdict in a word.
    pub status: Status,
    /// The one-line answer.
    pub line: Sentence,
}

/// Ways side by side.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Answer {
    /// The ways, in the order asked.
    pub ways: Vec<Way>,
    /// The sentence that names the difference.
    pub headline: Sentence,
    /// The sentence that says what decides.
    pub decides: Option<Sentence>,
}

/// Compares arrangements at a moment and a charge.
///
/// # Errors
/// Where the moment names a device or a phase that none of them has.
pub fn answer(
    plan: &Plan,
    arrangements: &[&Arrangement],
    moment: &Moment,
    charge: &Charge,
) -> Result<Answer, FieldError> {
    let mut ways = arrangements
        .iter()
        .map(|it| way(plan, it, moment, charge))
        .collect::<Result<Vec<_>, _>>()?;
    let carried = |way: &Arrangement| {
        fed(plan, way)
            .map(|it| it.id.to_string())
            .collect::<Vec<_>>()
    };
    let all: Vec<Vec<String>> = arrangements.iter().map(|it| carried(it)).collect();
    for (way, has) in ways.iter_mut().zip(&all) {
        let known = plan
            .kit
            .devices
            .iter()
            .filter(|it| all.iter().any(|list| list.contains(&it.id.to_string())));
        way.unfed = known
            .filter(|it| !has.contains(&it.id.to_string()))
            .map(|it| it.label.clone())
            .collect();
        if !way.unfed.is_empty() {
            way.line = format!(
                "{} · does not feed {}",
                way.line.marked(),
                listed(&way.unfed)
            )
            .into();
        } else if has.is_empty() {
            way.line = format!("{} · feeds no device", way.label).into();
        }
    }
    let headline = headline(&ways);
    let decides = decides(plan, arrangements, &ways);
    Ok(Answer {
        ways,
        headline: headline.into(),
        decides: decides.map(Into::into),
    })
}

fn way(
    plan: &Plan,
    arrangement: &Arrangement,
    moment: &Moment,
    charge: &Charge,
) -> Result<Way, FieldError> {
    let flow = evaluate(plan, arrangement, moment, charge)?;
    let study = Study::of(plan, arrangement);
    let usual = Use::day(plan, arrangement, study.network());
    let day = usual.usage(charge);
    // None of these hangs on another.
    let ((mut found, breaks), ((lasting, devices), being_on)) = both(
        || both(|| study.findings(None), || study.first_break()),
        || {
            both(
                || (usual.lasting(charge), study.device_verdicts(charge)),
                || usual.being_on(charge, &day),
            )
        },
    );
    let to_floor_h = lasting
        .values()
        .filter_map(|it| it.to_floor_h)
        .reduce(f64::min);
    found.retain(|it| it.status > Status::Holds);
    let status = found.first().map_or(Status::Holds, |it| it.status);
    let line = line(plan, arrangement, &lasting, charge, found.first());
    let trips_with = trips_with(plan, arrangement, &found);
    let leadless = arrangement.feeds.iter().filter(|it| it.cable.is_none());
    Ok(Way {
        id: arrangement.id.to_string(),
        label: arrangement.label.clone(),
        moments: told_moments(plan, arrangement),
        day,
        being_on,
        fillings: fillings(plan, arrangement, charge),
        to_floor_h,
        lasting,
        devices,
        boards: study.boards(charge),
        windows: study.windows(charge),
        breaks,
        tightest: study.tightest(),
        findings: found,
        parts: parts(plan, arrangement),
        trips_with,
        unfed: Vec::new(),
        contacts: leadless
            .map(|it| (it.to.name(), assumed_contacts(plan, it)))
            .collect(),
        status,
        line: line.into(),
        flow,
    })
}

/// Every moment that can be looked at: charging too, where something that can be filled is in use,
/// and the engine of a vehicle.
fn told_moments(plan: &Plan, arrangement: &Arrangement) -> Vec<String> {
    let used = |id: &str| {
        arrangement
            .feeds
            .iter()
            .any(|it| it.from.item.as_str() == id)
    };
    let filled = plan
        .kit
        .sources
        .iter()
        .any(|it| used(it.id.as_str()) && charging_volts(plan, it).is_some());
    let engine = plan
        .kit
        .sources
        .iter()
        .any(|it| used(it.id.as_str()) && engine_volts(it).is_some());
    let engine = [Moment::EngineRunning, Moment::Cranking]
        .into_iter()
        .filter(|_| engine);
    let all = moments(plan, arrangement)
        .into_iter()
        .chain(filled.then_some(Moment::Charging))
        .chain(engine);
    all.map(|it| it.to_string()).collect()
}

/// Which devices go dark with what trips on their way: a port, a group, a battery, a converter or a
/// fuse.
fn trips_with(
    plan: &Plan,
    arrangement: &Arrangement,
    found: &[Finding],
) -> BTreeMap<String, Sentence> {
    let opens = |it: &&Finding| {
        let by_current = matches!(
            it.code,
            Code::PortLimit
                | Code::GroupLimit
                | Code::BatteryCurrent
                | Code::ConverterOutputLimit
                | Code::CableAmpacity
        );
        by_current && it.status == Status::Trips
    };
    let tripping: Vec<&Finding> = found.iter().filter(opens).collect();
    let with = fed(plan, arrangement).filter_map(|device| {
        let chain = arrangement.chain(device.id.as_str());
        let trips = tripping
            .iter()
            .find(|it| plan.is_on_way(arrangement, &chain, &it.place))?;
        Some((device.id.to_string(), trips.message.clone()))
    });
    with.collect()
}

/// "Direct DC · 127 h to the floor from full · Weir camera resets": the way, how long and from
/// which charge, what is worst.
fn line(
    plan: &Plan,
    arrangement: &Arrangement,
    lasting: &BTreeMap<String, Lasting>,
    charge: &Charge,
    worst: Option<&Finding>,
) -> String {
    let first = lasting
        .iter()
        .filter_map(|(id, it)| Some((id, it.to_floor_h?)))
        .min_by(|a, b| a.1.total_cmp(&b.1));
    let hours = match first {
        None if lasting.is_empty() => "no store in use".into(),
        None => "no store runs down".into(),
        Some((id, hours)) => {
            let of = if lasting.len() == 1 {
                String::new()
            } else {
                format!(" of {}", plan.label(id))
            };
            format!(
                "{} to the floor{of} {}",
                amount(hours, "h"),
                from_charge(charge.of(id))
            )
        }
    };
    let verdict = worst.map_or_else(|| "all holds".into(), |it| it.brief.clone());
    format!("{} · {hours} · {verdict}", arrangement.label)
}

/// "One, Two and Three".
pub(crate) fn listed(names: &[String]) -> String {
    if names.is_empty() {
        return "nothing".into();
    }
    crate::ground::say::listed(
        &names
            .iter()
            .map(|it| Name(it).to_string())
            .collect::<Vec<_>>(),
    )
}

/// "A draws 6.4 W; b 16.9 W, and 8.3 of them only because things are switched on."
fn headline(ways: &[Way]) -> String {
    let drawn = |way: &Way| tenths(way.flow.totals.drawn_w);
    let idle = |way: &Way| {
        let idle = way.flow.totals.idle_w;
        if idle < 0.05 {
            return String::new();
        }
        let switched = way.parts.converters
            + way
                .flow
                .ports
                .values()
                .filter(|it| it.loss_idle_w > 0.0)
                .count();
        let it_is = if switched > 1 { "things are" } else { "it is" };
        format!(
            ", and {} of them only because {it_is} switched on",
            tenths(idle)
        )
    };
    let Some((first, others)) = ways.split_first() else {
        return "No arrangement is chosen.".into();
    };
    let mut sentence = format!("{} draws {} W{}", first.label, drawn(first), idle(first));
    for way in others {
        sentence += &format!("; {} {} W{}", Name(&way.label), drawn(way), idle(way));
    }
    sentence += ".";
    for way in ways.iter().filter(|it| !it.unfed.is_empty()) {
        sentence += &format!(
            " {} does not feed {}: its watts and hours are not those of the same devices.",
            way.label,
            listed(&way.unfed)
        );
    }
    sentence
}

/// Watts with one digit behind the point below 100.
fn tenths(watts: f64) -> String {
    // An empty sum of floats is −0; adding 0 makes it 0.
    let watts = watts + 0.0;
    if watts < 99.95 {
        format!("{watts:.1}")
    } else {
        amount(watts, "").to_string()
    }
}

/// What decides: the longest lead of the thriftiest way, and what the other costs a day.
fn decides(plan: &Plan, arrangements: &[&Arrangement], ways: &[Way]) -> Option<String> {
    // What leaves a device unfed draws less for that alone, and is not cheaper.
    let whole = || (0..ways.len()).filter(|it| ways[*it].unfed.is_empty());
    let best = whole().min_by(|&a, &b| ways[a].day.drawn_wh.total_cmp(&ways[b].day.drawn_wh))?;
    let mut sentences = Vec::new();
    if let Some(worst) =
        whole().max_by(|&a, &b| ways[a].day.drawn_wh.total_cmp(&ways[b].day.drawn_wh))
        && worst != best
    {
        let more = ways[worst].day.drawn_wh - ways[best].day.drawn_wh;
        sentences.push(format!(
            "{} costs {} more a day.",
            ways[worst].label,
            amount(more, "Wh")
        ));
    }
    if let [only] = &ways[best].devices[..]
        && let Some(length) = longest_lead(plan, arrangements[best], &only.device)
    {
        let name = plan.label(&only.device);
        sentences.push(format!(
            "{}: a lead of over {} would reset {name} at the floor.",
            ways[best].label,
            amount(length.floor(), "m")
        ));
    } else {
        sentences.extend(goes(plan, &ways[best].day));
    }
    (!sentences.is_empty()).then(|| sentences.join(" "))
}

/// Where a day's energy goes: what takes the largest part of it, of whatever kind that is, and
/// "most" only over half.
fn goes(plan: &Plan, day: &Usage) -> Option<String> {
    let devices = day
        .devices
        .iter()
        .map(|(id, wh)| (format!("goes to {}", Name(plan.label(id))), *wh));
    let boxes = day.converters.iter().map(|(id, loss)| {
        (
            format!("is lost in {}", Name(plan.label(id))),
            loss.total_wh(),
        )
    });
    let port = |id: &str| {
        let (source, port) = id.split_once('/')?;
        let found = plan
            .source(source)?
            .ports
            .iter()
            .find(|it| it.id.as_str() == port)?;
        Some(format!(
            "{}, {}",
            Name(plan.label(source)),
            Name(found.label.as_deref().unwrap_or(port))
        ))
    };
    let ports = day
        .ports
        .iter()
        .filter_map(|(id, loss)| Some((format!("is lost in {}", port(id)?), loss.total_wh())));
    let leads = day.leads.iter().map(|(to, wh)| {
        (
            format!("is lost in the lead to {}", Name(plan.label(to))),
            *wh,
        )
    });
    let charging = (
        String::from("goes into the stores that it charges"),
        day.charging_wh,
    );
    let all = devices
        .chain(boxes)
        .chain(ports)
        .chain(leads)
        .chain([charging]);
    let mut parts: Vec<(String, f64)> = all.filter(|it| it.1 > 0.0).collect();
    parts.sort_by(|a, b| b.1.total_cmp(&a.1));
    let (what, wh) = parts.first()?;
    let share = if *wh > 0.5 * day.drawn_wh {
        "Most"
    } else {
        "The largest part"
    };
    let mut sentence = format!(
        "{share} {what}: {} of {} a day",
        amount(*wh, "Wh"),
        amount(day.drawn_wh, "Wh")
    );
    // Then the largest of the other kind: a loss beside a device, or a device beside a loss.
    let is_loss = |it: &str| it.starts_with("is lost");
    if let Some((what, wh)) = parts
        .iter()
        .skip(1)
        .find(|it| is_loss(&it.0) != is_loss(what))
    {
        sentence += &format!("; {} {what}", amount(*wh, "Wh"));
    }
    Some(sentence + ".")
}

/// The longest lead into a device, m, with which it keeps its least voltage at every moment
/// and floor charge, its other leads as they are; `None` without a lead, without a least
/// voltage, or where no length does. Found by bisection to a centimetre, up to 10 km.
pub fn longest_lead(plan: &Plan, arrangement: &Arrangement, device: &str) -> Option<f64> {
    let low = plan.device(device)?.input.min_v.as_ref()?.get();
    let index = arrangement
        .feeds
        .iter()
        .position(|it| it.to.item.as_str() == device && it.to.input.is_none())?;
    arrangement.feeds[index].cable.as_ref()?;
    let all = moments(plan, arrangement);
    let floor = Charge::floor(plan);
    let mut trial = arrangement.clone();
    let mut holds = |length: f64| {
        if let Some(cable) = &mut trial.feeds[index].cable {
            cable.length_m.value = crate::ground::quantity::Metres(length);
        }
        let network = Network::build(plan, &trial, plan.site.ambient());
        let open_v = network.open_volts(&floor);
        let mut solver = Solver::new(&network);
        let node = network
            .feeds()
            .find(|(_, feed)| *feed == index)
            .map(|(node, _)| node);
        all.iter().all(|moment| {
            solver.solve(&moment.loads(plan, arrangement, &network), &open_v);
            node.and_then(|it| solver.read(Reading::FarVolts(it)))
                .is_some_and(|volts| volts >= low)
        })
    };
    let (mut good, mut bad) = (0.0, 10_000.0);
    if !holds(good) || holds(bad) {
        return None;
    }
    while bad - good > 0.01 {
        let middle = f64::midpoint(good, bad);
        if holds(middle) {
            good = middle;
        } else {
            bad = middle;
        }
    }
    Some(good)
}
