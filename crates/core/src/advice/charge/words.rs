//! What holds an input down, in words.

use super::told::{LimitKind, Recharged, WayIn, WayLimit, hours, name};
use super::wiring::{chain, root};
use crate::ground::figure::Figure;
use crate::ground::say::{Amount, Name, Sentence, amount, percent};
use crate::network::{ALTERNATOR, Binds};
use crate::site::battery::held_until;
use crate::site::chemistry;
use crate::site::plan::{Arrangement, Battery, Feed, Limit, Outage, Plan, Source, SourceKind};
use crate::time::outage::{ByInput, Held, Hold};

/// Light below which the sun is down, as a share of full light.
const DARK: f64 = 5e-4;
/// Until then each turn is told, h; later on only what was not there before: the sun does the same
/// each day.
const FIRST_DAY_H: f64 = 24.0;

/// What is wired into one input, told.
pub(super) fn way_in(plan: &Plan, way: &Arrangement, input: &ByInput) -> WayIn {
    let feed = &way.feeds[input.feed];
    let said = Said {
        plan,
        way,
        index: input.feed,
        feed,
    };
    let mut limits: Vec<WayLimit> = Vec::new();
    for it in input.held.iter().map(|it| said.limit(it)) {
        if it.at_h < FIRST_DAY_H || limits.iter().all(|before| before.kind != it.kind) {
            limits.push(it);
        }
    }
    let first = input.held.first();
    let at_first = |of: fn(&Held) -> f64| first.map_or(0.0, of);
    let volts = at_first(|it| it.volts);
    let takes = said.input();
    let bands = takes
        .map(|it| &it.bands)
        .into_iter()
        .flatten()
        .map(|it| it.from_v.get());
    let chain = chain(way, input.feed);
    WayIn {
        input: feed.to.name(),
        label: chain
            .iter()
            .map(|it| plan.label(it))
            .collect::<Vec<_>>()
            .join(" → "),
        chain,
        watts: at_first(|it| it.watts),
        amps: at_first(|it| it.amps),
        volts,
        band: bands.filter(|it| *it <= volts).reduce(f64::max),
        mode: feed.mode.as_ref().map(ToString::to_string),
        limited_by: limits
            .first()
            .map(|it| it.limited_by.clone())
            .unwrap_or_default(),
        limits,
        input_wh: input.wh[0],
        taken_wh: input.wh[1],
    }
}

/// What a charger does at the volts that it holds, in words.
pub(super) fn holding(plan: &Plan, charger: &str, volts: f64, battery: Option<&Battery>) -> String {
    let (name, held) = (Name(plan.label(charger)), amount(volts, "V"));
    let until = battery.map(|it| held_until(it, volts));
    match until.filter(|it| it.is_finite()) {
        Some(soc) => {
            let soc = percent(soc);
            format!("{name} holds {held}, and its cells rest at that from {soc} on")
        }
        None => format!("{name} holds {held}: the nearer the cells come to that the less flows"),
    }
}

struct Said<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    index: usize,
    feed: &'a Feed,
}

impl<'a> Said<'a> {
    fn source(&self) -> Option<&'a Source> {
        self.plan.source(self.feed.to.item.as_str())
    }

    fn input(&self) -> Option<&'a crate::site::plan::source::SourceInput> {
        self.source()?
            .inputs
            .iter()
            .find(|it| Some(&it.id) == self.feed.to.input.as_ref())
    }

    fn limit(&self, held: &Held) -> WayLimit {
        let (kind, words) = self.hold(&held.by);
        WayLimit {
            at_h: held.at_h,
            soc: held.soc,
            watts: held.watts,
            kind,
            limited_by: words.into(),
        }
    }

    fn hold(&self, hold: &Hold) -> (LimitKind, String) {
        let plan = self.plan;
        match hold {
            Hold::Dark(None) => (LimitKind::Dark, "nothing comes".to_owned()),
            Hold::Dark(Some(why)) => (LimitKind::Dark, format!("nothing comes: {why}")),
            Hold::Cold => (LimitKind::Cold, "it is too cold to be charged".to_owned()),
            Hold::Taper => (
                LimitKind::Taper,
                "it takes the less the fuller it is".to_owned(),
            ),
            Hold::Store(watts) => (LimitKind::Store, self.store(*watts)),
            Hold::Volts(charger, volts) => {
                let battery = self.source().and_then(|it| it.battery.as_ref());
                (LimitKind::Charger, holding(plan, charger, *volts, battery))
            }
            Hold::Shade => (
                LimitKind::Shade,
                format!(
                    "{} stands in the shade",
                    name(plan, root(self.way, self.index))
                ),
            ),
            Hold::Light(share) if *share < DARK => (LimitKind::Light, "the sun is down".to_owned()),
            Hold::Light(share) => (
                LimitKind::Light,
                format!("the sun: {} of full light", percent(*share)),
            ),
            Hold::Heat(converter, gives) => (LimitKind::Heat, warm(plan, converter, *gives)),
            Hold::Port(place) => self.port(place),
            Hold::Input(binds) => {
                let input = self.feed.to.input.as_ref().map_or("", |it| it.as_str());
                self.binds(*binds, input, plan)
            }
        }
    }

    fn store(&self, watts: f64) -> String {
        let battery = self.source().and_then(|it| it.battery.as_ref());
        match battery
            .and_then(|it| it.max_charge_a.as_ref())
            .filter(|_| battery.is_some_and(|it| it.cells.is_some()))
        {
            Some(amps) if !battery.is_some_and(crate::site::plan::Battery::is_full_model) => {
                format!("what it may be charged with: {}", amount(amps.get(), "A"))
            }
            _ => format!("what its cells take: {}", amount(watts, "W")),
        }
    }

    fn binds(&self, binds: Binds, input: &str, plan: &Plan) -> (LimitKind, String) {
        let from = |watts_or_amps: Amount<'_>, from_v: f64| {
            format!(
                "its {} input: {watts_or_amps} from {}",
                Name(input),
                amount(from_v, "V")
            )
        };
        match binds {
            Binds::LowVolts { volts, least } => {
                let (volts, least) = (amount(volts, "V"), amount(least, "V"));
                (
                    LimitKind::Voltage,
                    format!(
                        "{volts} arrive, and its {} input takes nothing below {least}",
                        Name(input)
                    ),
                )
            }
            Binds::Band { from_v, amps } => (LimitKind::Band, from(amount(amps, "A"), from_v)),
            Binds::BandWatts { from_v, watts } => {
                (LimitKind::Band, from(amount(watts, "W"), from_v))
            }
            Binds::Amps(amps) => (
                LimitKind::Input,
                format!("its {} input: {}", Name(input), amount(amps, "A")),
            ),
            Binds::Watts(watts) => match (&self.feed.mode, self.input()) {
                (Some(mode), Some(known)) => {
                    let label = known
                        .modes
                        .iter()
                        .find(|it| it.id == *mode)
                        .map_or(mode.as_str(), |it| it.label.as_str());
                    let watts = amount(watts, "W");
                    (
                        LimitKind::Mode,
                        format!(
                            "its {} input, set to “{}”: {watts}",
                            Name(input),
                            Name(label)
                        ),
                    )
                }
                _ => (
                    LimitKind::Input,
                    format!("its {} input: {}", Name(input), amount(watts, "W")),
                ),
            },
            Binds::Panel(watts) => {
                let panel = name(plan, root(self.way, self.index));
                (
                    LimitKind::Panel,
                    format!("{panel}: {} in full light", amount(watts, "W")),
                )
            }
            Binds::Lead { near_v, far_v } => {
                let (near, far) = (amount(near_v, "V"), amount(far_v, "V"));
                (
                    LimitKind::Lead,
                    format!("the lead: of {near} at its beginning {far} arrive"),
                )
            }
            Binds::Unstated => (
                LimitKind::Unstated,
                format!(
                    "its {} input states no limit: find out what it takes",
                    Name(input)
                ),
            ),
        }
    }

    /// A port, a group or an alternator that gives no more.
    fn port(&self, place: &str) -> (LimitKind, String) {
        let plan = self.plan;
        let (item, part) = place.split_once('/').unwrap_or((place, ""));
        if part == ALTERNATOR {
            let rated = plan
                .source(item)
                .and_then(|it| it.alternator.as_ref())
                .map_or(0.0, |it| it.idle_a.get());
            let share = plan.site.alternator_share();
            let (may, rated) = (amount(rated * share, "A"), amount(rated, "A"));
            return (
                LimitKind::Alternator,
                format!(
                    "{may} of the {rated} that the alternator of {} gives",
                    name(plan, item)
                ),
            );
        }
        let ports = plan.source(item).map(|it| (&it.ports, &it.groups));
        let ports = ports.or_else(|| plan.converter(item).map(|it| (&it.outputs, &it.groups)));
        let port = ports.and_then(|it| it.0.iter().find(|it| it.id.as_str() == part));
        let group = || ports.and_then(|it| it.1.iter().find(|it| it.id.as_str() == part));
        let limit: Option<&Limit> = port
            .and_then(|it| it.limit.as_ref())
            .or_else(|| group().map(|it| &it.limit));
        let most = limit.and_then(|it| {
            let amps = it.continuous_a.as_ref().map(|it| amount(it.get(), "A"));
            amps.or_else(|| it.continuous_w.as_ref().map(|it| amount(it.get(), "W")))
        });
        let called = port.and_then(|it| it.label.as_deref()).unwrap_or(part);
        let most = most.map_or_else(String::new, |it| format!(": {it}"));
        (
            LimitKind::Port,
            format!("{}, {}{most}", name(plan, item), Name(called)),
        )
    }
}

/// A converter that is as warm as it bears, and gives so many watts on.
pub(super) fn warm(plan: &Plan, converter: &str, gives_w: f64) -> String {
    let thermal = plan
        .converter(converter)
        .and_then(|it| it.thermal.as_ref()?.max_case_c.as_ref());
    let case = thermal.map_or_else(String::new, |it| format!(" of {}", amount(it.get(), "°C")));
    format!(
        "{} is as warm as its case bears{case}: {}",
        name(plan, converter),
        amount(gives_w, "W")
    )
}

/// All of it in a sentence.
pub(super) fn sentence(
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
    told: &Recharged,
) -> Sentence {
    let store = name(plan, &told.source);
    if told.from >= told.levels.last().map_or(1.0, |it| it.soc) - 1e-9 {
        return format!(
            "{store} is at {}; it is as full as was asked.",
            percent(told.from)
        )
        .into();
    }
    if told.ways.is_empty() {
        return format!(
            "Nothing is wired into {store} in “{}”: it does not fill by itself.",
            Name(&way.label)
        )
        .into();
    }
    let battery = plan.source(&told.source).and_then(|it| it.battery.as_ref());
    let chemistry = battery.and_then(|it| chemistry::find(&it.chemistry));
    let celsius = outage
        .ambient_c
        .as_ref()
        .map_or(plan.site.ambient().0, Figure::get);
    if let Some(chemistry) = chemistry.filter(|it| celsius < it.charge_min_c) {
        let (now, least) = (amount(celsius, "°C"), amount(chemistry.charge_min_c, "°C"));
        return format!(
            "At {now} {store} must not be charged: {} needs {least}. Warm it first.",
            Name(&chemistry.label)
        )
        .into();
    }
    let by: Vec<String> = told
        .ways
        .iter()
        .map(|it| Name(&it.label).to_string())
        .collect();
    let by = by.join(" and ");
    let reached: Vec<String> = told
        .levels
        .iter()
        .filter(|it| it.soc > told.from + 1e-9)
        .filter_map(|it| Some(format!("{} in {}", level(it.soc), hours(it.after_h?))))
        .collect();
    // The one that brings most, and what holds that once anything comes: a panel at dawn and a
    // generator in its quiet time begin with next to nothing.
    let most = |it: &WayIn| it.limits.iter().map(|it| it.watts).fold(it.watts, f64::max);
    let strongest = told.ways.iter().max_by(|a, b| most(a).total_cmp(&most(b)));
    let limit = strongest
        .map(|it| {
            let first = it.limits.iter().find(|it| it.watts > 0.0);
            let first = first.map_or(&it.limited_by, |it| &it.limited_by);
            first.marked().to_owned()
        })
        .unwrap_or_default();
    let needs_place = plan.site.place.is_none()
        && told.ways.iter().any(|it| {
            it.chain
                .first()
                .and_then(|it| plan.source(it))
                .is_some_and(|it| it.kind == SourceKind::Panel)
        });
    if needs_place && reached.is_empty() {
        return "Nobody said where the site is, so the sun is not known: give its latitude."
            .to_owned()
            .into();
    }
    let from = percent(told.from);
    if reached.is_empty() {
        let top = told.curve.iter().map(|it| it[1]).fold(told.from, f64::max);
        let last = strongest
            .and_then(|it| it.limits.last())
            .map_or(limit, |it| it.limited_by.marked().to_owned());
        let rises = if top > told.from + 0.005 {
            format!("rises from {from} to {} and no further", percent(top))
        } else {
            format!("does not rise from {from}")
        };
        return format!("From {by}: {store} {rises}. What holds it is {last}.").into();
    }
    let never = told.levels.iter().find(|it| it.after_h.is_none());
    let never = never.map_or_else(String::new, |it| {
        format!(" It never gets to {}.", level(it.soc))
    });
    format!(
        "From {by}: {store} goes from {from} to {}. What holds it first is {limit}.{never}",
        reached.join(", ")
    )
    .into()
}

fn level(soc: f64) -> String {
    if soc >= 1.0 - 1e-9 {
        "full".to_owned()
    } else {
        percent(soc).to_string()
    }
}
