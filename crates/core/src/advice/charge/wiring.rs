//! An arrangement made ready to be charged by.

use super::told::RechargeAsk;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, FromJson as _, Path};
use crate::ground::say::Sentence;
use crate::limits::{Finding, Status, findings};
use crate::site::plan::arrangement::Target;
use crate::site::plan::device::Current;
use crate::site::plan::outage::{EngineRun, LocalTime, MainsSpan, MainsState};
use crate::site::plan::source::{InputKind, InputMode};
use crate::site::plan::{Arrangement, Feed, From, Id, Outage, Plan, Source, SourceKind};
use crate::time::outage::LONGEST_S;
use serde_json::json;

/// When it is taken to begin where no outage says so: the equinox, in the morning.
const BEGINS: jiff::civil::DateTime = jiff::civil::date(2026, 3, 20).at(8, 0, 0, 0);
/// Voltage of a mains of which nobody says more, V.
const MAINS_V: f64 = 230.0;

/// A copy of the plan with everything set as it is asked, and the outage that is marched.
pub(super) struct Ready {
    pub(super) plan: Plan,
    pub(super) way: Arrangement,
    pub(super) outage: Outage,
    /// The charge at which the store that is filled is spared, 0 to 1, which it is not while it is
    /// filled.
    pub(super) floor: f64,
    /// Whether the date is that of an outage, and not one that is taken.
    pub(super) dated: bool,
}

impl Ready {
    pub(super) fn of(
        plan: &Plan,
        way: &Arrangement,
        outage: Option<&Outage>,
        ask: &RechargeAsk,
    ) -> Result<Self, FieldError> {
        let within = |field, value: f64, most: f64| {
            if (0.0..=most).contains(&value) {
                return Ok(());
            }
            Err(FieldError::of(
                field,
                format!("is {value}; it lies between 0 and {most}"),
            ))
        };
        within("from", ask.from_soc, 1.0)?;
        ask.levels
            .iter()
            .try_for_each(|it| within("to", *it, 1.0))?;
        within("tilt", ask.tilt_deg, 90.0)?;
        let known = plan.source(&ask.source).filter(|it| it.battery.is_some());
        if known.is_none() {
            let why = format!(
                "is \"{}\", which is no source with a battery; name one that has one",
                ask.source
            );
            return Err(FieldError::of("source", why));
        }
        let floor = known
            .and_then(|it| it.battery.as_ref())
            .map_or(0.0, crate::site::plan::Battery::floor);
        let (mut plan, mut way) = (plan.clone(), way.clone());
        // It is charged from wherever it stands, below its floor as well; what hangs on it goes on.
        if let Some(battery) = source_mut(&mut plan, &ask.source).and_then(|it| it.battery.as_mut())
        {
            battery.floor_soc = Some(Figure::assumed(0.0));
        }
        let passes = plan.source(&ask.source).is_some_and(|it| it.line.is_some());
        if passes && ask.mains {
            plug_in(&mut plan, &mut way, &ask.source);
        }
        for (place, mode) in &ask.modes {
            set(&mut plan, &mut way, place, mode)?;
        }
        let dated = outage.is_some();
        let outage = marched(&plan, &way, outage, ask);
        Ok(Self {
            plan,
            way,
            outage,
            floor,
            dated,
        })
    }
}

fn source_mut<'a>(plan: &'a mut Plan, id: &str) -> Option<&'a mut Source> {
    plan.kit.sources.iter_mut().find(|it| it.id.as_str() == id)
}

/// What passes the mains on stands plugged into it.
fn plug_in(plan: &mut Plan, way: &mut Arrangement, source: &str) {
    let Some(found) = plan.source(source) else {
        return;
    };
    let Some(input) = found.inputs.iter().find(|it| it.kind == InputKind::Mains) else {
        return;
    };
    let to = Target {
        item: found.id.clone(),
        input: Some(input.id.clone()),
    };
    if way.feeds.iter().any(|it| it.to == to) {
        return;
    }
    if let Some(from) = the_wall(plan) {
        way.feeds.push(Feed::bare(from, to));
    }
}

/// A port of the mains: the site's, or one that is added where nobody wrote it down.
pub(super) fn the_wall(plan: &mut Plan) -> Option<From> {
    let known = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.kind == SourceKind::Mains);
    let port = known
        .flat_map(|it| it.ports.iter().map(move |port| (it, port)))
        .find(|it| it.1.current == Current::Ac);
    if let Some((source, port)) = port {
        return Some(From {
            item: source.id.clone(),
            port: port.id.clone(),
        });
    }
    let free = |id: &String| {
        plan.source(id).is_none() && plan.converter(id).is_none() && plan.device(id).is_none()
    };
    let id = std::iter::once("wall".to_owned())
        .chain((2..1000).map(|it| format!("wall-{it}")))
        .find(free)?;
    let volts = plan
        .site
        .mains
        .as_ref()
        .map_or(MAINS_V, |it| it.voltage_v.get());
    let wall = json!({"id": id, "label": "The wall", "kind": "mains",
        "ports": [{"id": "socket", "current": "ac", "voltage": {"ac_v": volts}}]});
    let wall = Source::from_json(&wall, &Path::Root).ok()?;
    let from = From {
        item: wall.id.clone(),
        port: wall.ports.first()?.id.clone(),
    };
    plan.kit.sources.push(wall);
    Some(from)
}

/// Sets an input to one of its modes, or a vehicle to idling or to speed.
fn set(plan: &mut Plan, way: &mut Arrangement, place: &str, mode: &str) -> Result<(), FieldError> {
    let refuse = |why: String| Err(FieldError::of("mode", why));
    let Some((item, input)) = place.split_once('/') else {
        let Some(alternator) = source_mut(plan, place).and_then(|it| it.alternator.as_mut()) else {
            return refuse(format!(
                "names \"{place}\", which is no vehicle with an alternator; name one, or an input \
                as \"station/wall\""
            ));
        };
        return match (mode, alternator.full_a.clone()) {
            ("idle", _) => Ok(()),
            ("full", Some(amps)) => {
                alternator.idle_a = amps;
                Ok(())
            }
            ("full", None) => refuse(format!(
                "is \"full\", and nobody says what {place} gives at speed; give full_a"
            )),
            _ => refuse(format!(
                "is \"{mode}\"; a vehicle stands at \"idle\" or \"full\""
            )),
        };
    };
    let found = plan
        .source(item)
        .and_then(|it| it.inputs.iter().find(|it| it.id.as_str() == input));
    let Some(found) = found else {
        return refuse(format!(
            "names \"{place}\", and no source has such an input"
        ));
    };
    let Some(known) = found.modes.iter().find(|it| it.id.as_str() == mode) else {
        let known: Vec<&str> = found.modes.iter().map(|it| it.id.as_str()).collect();
        let has = if known.is_empty() {
            "has none".to_owned()
        } else {
            format!("has {}", known.join(", "))
        };
        return refuse(format!("is \"{mode}\"; {place} {has}"));
    };
    let mode: InputMode = known.clone();
    for feed in way.feeds.iter_mut().filter(|it| it.to.name() == place) {
        feed.mode = Some(mode.id.clone());
    }
    // What is tried without a feed of its own is set so as well.
    let inputs = source_mut(plan, item).map(|it| &mut it.inputs);
    if let Some(it) = inputs.and_then(|it| it.iter_mut().find(|it| it.id.as_str() == input)) {
        it.max_w = Some(mode.max_w);
    }
    Ok(())
}

/// The outage that is marched: nothing happens in it but that the store fills.
pub(super) fn marched(
    plan: &Plan,
    way: &Arrangement,
    of: Option<&Outage>,
    ask: &RechargeAsk,
) -> Outage {
    let hours = LONGEST_S / 3600.0;
    let whole = |state| MainsSpan {
        from_h: Figure::assumed(0.0),
        to_h: Figure::assumed(hours),
        state,
    };
    let drives = plan
        .kit
        .sources
        .iter()
        .filter(|it| it.kind == SourceKind::Vehicle && it.runs());
    let drives = drives.filter(|it| roots(way, &ask.source).any(|root| root == it.id.as_str()));
    let run = |it: &Source| EngineRun {
        source: it.id.clone(),
        from_h: Figure::assumed(0.0),
        to_h: Figure::assumed(hours),
    };
    let mut initial_soc = of.map_or_else(Default::default, |it| it.initial_soc.clone());
    initial_soc.insert(ask.source.clone(), Figure::assumed(ask.from_soc));
    Outage {
        id: Id::own("recharge"),
        label: "Filling up".to_owned(),
        start: of.map_or_else(|| LocalTime::at(BEGINS), |it| it.start.clone()),
        hours: Figure::assumed(hours),
        ambient_c: of.and_then(|it| it.ambient_c.clone()),
        initial_soc,
        mains: if ask.mains {
            vec![whole(MainsState::On)]
        } else {
            Vec::new()
        },
        charging: Vec::new(),
        carried: Vec::new(),
        runs: drives.map(run).collect(),
        rules: Vec::new(),
        use_everything: of.and_then(|it| it.use_everything),
    }
}

/// The source at which the chain of a feed begins.
pub(super) fn root(way: &Arrangement, feed: usize) -> &str {
    let mut at = feed;
    for _ in 0..way.feeds.len() {
        let item = way.feeds[at].from.item.as_str();
        match way
            .feeds
            .iter()
            .position(|it| it.to.item.as_str() == item && it.to.input.is_none())
        {
            Some(above) => at = above,
            None => return item,
        }
    }
    way.feeds[at].from.item.as_str()
}

/// The sources from which a store is charged.
fn roots<'a>(way: &'a Arrangement, source: &str) -> impl Iterator<Item = &'a str> {
    let into = |it: &Feed| it.to.item.as_str() == source && it.to.input.is_some();
    let list: Vec<usize> = (0..way.feeds.len())
        .filter(|it| into(&way.feeds[*it]))
        .collect();
    list.into_iter().map(|it| root(way, it))
}

/// The items of a chain from its source to a feed, the last first left out: "van", "step-up".
pub(super) fn chain(way: &Arrangement, feed: usize) -> Vec<String> {
    let (mut at, mut items) = (feed, Vec::new());
    for _ in 0..way.feeds.len() {
        let item = way.feeds[at].from.item.as_str();
        items.push(item.to_owned());
        match way
            .feeds
            .iter()
            .position(|it| it.to.item.as_str() == item && it.to.input.is_none())
        {
            Some(above) => at = above,
            None => break,
        }
    }
    items.reverse();
    items
}

/// What trips on the way into the inputs of a store.
pub(super) fn trips(plan: &Plan, way: &Arrangement, source: &str) -> Vec<Sentence> {
    let mut said: Vec<Sentence> = Vec::new();
    for it in findings(plan, way)
        .iter()
        .filter(|it| it.status == Status::Trips && is_on_way(plan, way, source, it))
    {
        if !said.contains(&it.message) {
            said.push(it.message.clone());
        }
    }
    said
}

fn is_on_way(plan: &Plan, way: &Arrangement, source: &str, finding: &Finding) -> bool {
    let into = |it: &Feed| it.to.item.as_str() == source && it.to.input.is_some();
    let mut feeds: Vec<usize> = (0..way.feeds.len())
        .filter(|it| into(&way.feeds[*it]))
        .collect();
    let mut next = 0;
    while next < feeds.len() {
        let item = way.feeds[feeds[next]].from.item.as_str();
        let above = way
            .feeds
            .iter()
            .position(|it| it.to.item.as_str() == item && it.to.input.is_none());
        feeds.extend(above.filter(|it| !feeds.contains(it)));
        next += 1;
    }
    plan.is_on_way(way, &feeds, &finding.place)
}
