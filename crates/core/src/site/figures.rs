//! Every figure of a plan that can be measured, and the plan with one of them at another value.
//!
//! Where a figure states no ±, it gets the one that its basis deserves: 30 % where it is assumed,
//! 20 % from a label, 10 % from a datasheet, 3 % where it was measured. Voltages get a tenth of
//! that, as nobody prints a window that is a third off; lengths a third and areas a sixth, as
//! anybody can see them.

use crate::ground::figure::Basis;
use crate::ground::json::FromJson;
use crate::site::fields::{join, named, unit};
use crate::site::plan::places::Spot;
use crate::site::plan::{Arrangement, Converter, Device, Feed, Plan, Source};
use serde::Serialize;
use serde_json::Value;

/// Fields that change nothing of a day's energy.
const NO_ENERGY: [&str; 13] = [
    "limit",
    "overload",
    "peak",
    "auto_off",
    "hold_up",
    "inputs",
    "deadline",
    "after_loss",
    "line",
    "alternator",
    "groups",
    "fuse",
    "ride_through_ms",
];

/// A figure found in the plan.
#[derive(Debug, Clone)]
pub(crate) struct Found {
    pub(crate) kind: &'static str,
    pub(crate) id: String,
    pub(crate) label: String,
    pub(crate) name: String,
    /// As a JSON pointer from the root of the plan.
    pub(crate) pointer: String,
    /// From the element.
    pub(crate) path: String,
    pub(crate) value: f64,
    pub(crate) unit: &'static str,
    pub(crate) basis: Basis,
    pub(crate) plus_minus: f64,
    pub(crate) stated: bool,
}

/// A figure of a plan as it is told of: whose it is, where it stands and how sure it is.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FigureAt {
    /// The element's kind: device, source, converter or arrangement.
    pub kind: &'static str,
    /// Its id.
    pub id: String,
    /// What it is called.
    pub label: String,
    /// The figure in words, such as "busy" or "12 V socket idle".
    pub name: String,
    /// Where it stands in its element, such as `phases[1].watts`.
    pub path: String,
    /// Its value, in the unit.
    pub value: f64,
    /// The unit.
    pub unit: &'static str,
    /// Where it comes from.
    pub basis: Basis,
    /// Half-width of its 95 % interval, in the unit: its own, or what its basis deserves.
    pub plus_minus: f64,
}

/// Every figure of a plan, as it is told of.
pub fn figures_of(plan: &Plan) -> Vec<FigureAt> {
    serde_json::to_value(plan).map_or_else(
        |_| Vec::new(),
        |text| figures(&text).iter().map(Found::told).collect(),
    )
}

impl Found {
    pub(crate) fn told(&self) -> FigureAt {
        FigureAt {
            kind: self.kind,
            id: self.id.clone(),
            label: self.label.clone(),
            name: self.name.clone(),
            path: self.path.clone(),
            value: self.value,
            unit: self.unit,
            basis: self.basis,
            plus_minus: self.plus_minus,
        }
    }

    /// Whether a day's energy can hang on it.
    pub(crate) fn changes_energy(&self) -> bool {
        !self
            .path
            .split('.')
            .any(|part| NO_ENERGY.contains(&part.split('[').next().unwrap_or(part)))
    }

    /// Whether the element that it belongs to has a part in an arrangement.
    pub(crate) fn is_part_of(&self, way: &Arrangement) -> bool {
        match self.kind {
            "arrangement" => way.id.as_str() == self.id,
            _ => way
                .feeds
                .iter()
                .any(|it| it.from.item.as_str() == self.id || it.to.item.as_str() == self.id),
        }
    }
}

/// A plan whose figures are drawn again and again: each draw is a copy of it with other values in
/// place of some of its figures.
#[derive(Debug)]
pub(crate) struct Drawing {
    plan: Plan,
    /// Of each figure of the plan, on the walk through all of them, which of those that are drawn
    /// it is.
    slots: Vec<Option<usize>>,
}

impl Drawing {
    /// Of a plan, and those of its figures that are drawn.
    pub(crate) fn of(mut plan: Plan, figures: &[Found]) -> Self {
        let mut slots = Vec::new();
        plan.each_figure_mut(&mut |it| {
            it.forget();
            slots.push(None);
        });
        debug_assert_eq!(
            slots.len(),
            plan.numbers_of(std::iter::empty()).1,
            "both walks go to the same figures"
        );
        let of = figures
            .iter()
            .map(|it| (it.kind, it.id.as_str(), it.path.as_str()));
        for (figure, number) in plan.numbers_of(of).0.into_iter().enumerate() {
            debug_assert!(
                number.is_some(),
                "{} {} is no figure",
                figures[figure].id,
                figures[figure].path
            );
            if let Some(slot) = number.and_then(|it| slots.get_mut(it)) {
                *slot = Some(figure);
            }
        }
        Self { plan, slots }
    }

    /// The plan with these values in place of those of the figures; `ready` may change more of it.
    /// None where that makes no plan, such as a window upside down.
    pub(crate) fn drawn(&self, values: &[f64], ready: impl FnOnce(&mut Plan)) -> Option<Plan> {
        self.changed(|figure| values.get(figure).copied(), ready)
    }

    /// The plan, for one of these figures after the other to be moved in it.
    pub(crate) fn moving(&self, figures: &[Found]) -> Moving {
        let mut plan = self.plan.clone();
        plan.kit.converters.iter_mut().for_each(Converter::settle);
        let spot = |it: &Found| plan.spot_of(it.kind, &it.id, &it.path);
        Moving {
            spots: figures.iter().map(spot).collect(),
            plan,
            was: None,
        }
    }

    /// The plan with one of the figures, by its place among them, at another value. None where that
    /// makes no plan.
    #[cfg(test)]
    pub(crate) fn moved(&self, figure: usize, value: f64) -> Option<Plan> {
        self.changed(|it| (it == figure).then_some(value), |_| {})
    }

    fn changed(
        &self,
        value: impl Fn(usize) -> Option<f64>,
        ready: impl FnOnce(&mut Plan),
    ) -> Option<Plan> {
        let mut plan = self.plan.clone();
        let (mut slots, mut is_legal) = (self.slots.iter(), true);
        plan.each_figure_mut(&mut |it| {
            let slot = slots.next().copied().flatten();
            if let Some(value) = slot.and_then(&value) {
                is_legal &= it.set(value);
            }
        });
        ready(&mut plan);
        plan.kit.converters.iter_mut().for_each(Converter::settle);
        (is_legal && plan.check().is_ok()).then_some(plan)
    }
}

/// A checked plan in which one figure after the other is moved: nothing of it is copied but the part
/// in which the figure stands, and nothing else is checked again.
pub(crate) struct Moving {
    plan: Plan,
    /// Where each figure stands.
    spots: Vec<Option<(Spot, usize)>>,
    /// What stands moved now, as it was.
    was: Option<Was>,
}

/// A part of a plan as it was.
enum Was {
    Device(usize, Box<Device>),
    Source(usize, Box<Source>),
    Converter(usize, Box<Converter>),
    Feed(usize, usize, Box<Feed>),
    Arrangement(usize, Box<Arrangement>),
}

impl Moving {
    /// The plan with one of the figures, by its place among them, at another value; whatever was
    /// moved before stands as it was. None where that makes no plan.
    pub(crate) fn at(&mut self, figure: usize, value: f64) -> Option<&Plan> {
        self.put_back();
        let (spot, number) = self.spots.get(figure).copied().flatten()?;
        let plan = &mut self.plan;
        let (was, is_legal) = match spot {
            Spot::Device(at) => {
                let it = &mut plan.kit.devices[at];
                let was = Was::Device(at, Box::new(it.clone()));
                (was, set(it, number, value))
            }
            Spot::Source(at) => {
                let it = &mut plan.kit.sources[at];
                let was = Was::Source(at, Box::new(it.clone()));
                (was, set(it, number, value))
            }
            Spot::Converter(at) => {
                let it = &mut plan.kit.converters[at];
                let was = Was::Converter(at, Box::new(it.clone()));
                let is_legal = set(it, number, value);
                it.settle();
                (was, is_legal)
            }
            Spot::Feed(way, at) => {
                let it = &mut plan.arrangements[way].feeds[at];
                let was = Was::Feed(way, at, Box::new(it.clone()));
                (was, set(it, number, value))
            }
            Spot::Arrangement(at) => {
                let it = &mut plan.arrangements[at];
                let was = Was::Arrangement(at, Box::new(it.clone()));
                (was, set(it, number, value))
            }
        };
        self.was = Some(was);
        (is_legal && self.plan.check_at(spot).is_ok()).then_some(&self.plan)
    }

    fn put_back(&mut self) {
        let plan = &mut self.plan;
        match self.was.take() {
            Some(Was::Device(at, it)) => plan.kit.devices[at] = *it,
            Some(Was::Source(at, it)) => plan.kit.sources[at] = *it,
            Some(Was::Converter(at, it)) => plan.kit.converters[at] = *it,
            Some(Was::Feed(way, at, it)) => plan.arrangements[way].feeds[at] = *it,
            Some(Was::Arrangement(at, it)) => plan.arrangements[at] = *it,
            None => {}
        }
    }
}

/// Sets the figure of that number on the walk through a part; false where the value is not legal.
fn set<T: FromJson>(part: &mut T, number: usize, value: f64) -> bool {
    let (mut at, mut is_legal) = (0, true);
    part.each_figure_mut(&mut |it| {
        if at == number {
            is_legal = it.set(value);
        }
        at += 1;
    });
    is_legal
}

/// Names of fields on which something hangs that can be measured.
fn measurable(key: &str) -> bool {
    const PLAIN: [&str; 11] = [
        "watts",
        "wh",
        "stepped_watts_factor",
        "seconds",
        "share",
        "on_fraction",
        "power_factor",
        "crest",
        "proportional",
        "quadratic_per_w",
        "efficiency",
    ];
    // Some are chosen and not measured.
    const NOT: [&str; 11] = [
        "rated_v",
        "at_v",
        "period_s",
        "time_constant_s",
        "weight_kg",
        "latitude_deg",
        "longitude_deg",
        "voltage_v",
        "restore_soc",
        "tilt_deg",
        "azimuth_deg",
    ];
    PLAIN.contains(&key) || (!NOT.contains(&key) && !unit(key).is_empty() && key.contains('_'))
}

/// Every figure of the kit and of the feeds.
pub(crate) fn figures(plan: &Value) -> Vec<Found> {
    let lists = [
        ("device", "/kit/devices"),
        ("source", "/kit/sources"),
        ("converter", "/kit/converters"),
        ("arrangement", "/arrangements"),
    ];
    let mut found = Vec::new();
    for (kind, at) in lists {
        for (index, element) in plan
            .pointer(at)
            .and_then(Value::as_array)
            .into_iter()
            .flatten()
            .enumerate()
        {
            let text = |key: &str| element[key].as_str().unwrap_or_default().to_owned();
            let pointer = format!("{at}/{index}");
            let (id, label) = (text("id"), text("label"));
            let mut place = Place {
                plan,
                kind,
                id,
                label,
                found: &mut found,
            };
            place.walk(element, &pointer, "", "");
        }
    }
    found
}

struct Place<'a> {
    plan: &'a Value,
    kind: &'static str,
    id: String,
    label: String,
    found: &'a mut Vec<Found>,
}

impl Place<'_> {
    fn walk(&mut self, value: &Value, pointer: &str, path: &str, name: &str) {
        match value {
            Value::Object(fields) => {
                for (key, inner) in fields {
                    // What a law was fitted to is no figure that anything is computed with.
                    if matches!(key.as_str(), "points" | "deadline" | "thermal" | "job") {
                        continue;
                    }
                    let pointer =
                        format!("{pointer}/{}", key.replace('~', "~0").replace('/', "~1"));
                    let path = if path.is_empty() {
                        key.clone()
                    } else {
                        format!("{path}.{key}")
                    };
                    let name = join(name, key);
                    if measurable(key) && self.add(inner, key, &pointer, &path, &name) {
                        continue;
                    }
                    self.walk(inner, &pointer, &path, &name);
                }
            }
            Value::Array(list) => {
                for (index, inner) in list.iter().enumerate() {
                    let own = match inner["to"].as_str() {
                        Some(to) => format!("lead to {}", self.called(to)),
                        // A switch is of what it switches.
                        None if inner["item"].is_string() => self
                            .called(inner["item"].as_str().unwrap_or_default())
                            .to_owned(),
                        None if inner.is_object() => named(inner, index),
                        None => String::new(),
                    };
                    let name = format!("{name} {own}").trim().to_owned();
                    self.walk(
                        inner,
                        &format!("{pointer}/{index}"),
                        &format!("{path}[{index}]"),
                        &name,
                    );
                }
            }
            _ => {}
        }
    }

    /// What an item of the plan is called.
    fn called<'b>(&'b self, id: &'b str) -> &'b str {
        let items = ["/kit/devices", "/kit/converters", "/kit/sources"]
            .iter()
            .filter_map(|it| self.plan.pointer(it));
        let found = items
            .filter_map(Value::as_array)
            .flatten()
            .find(|it| it["id"] == id);
        found.and_then(|it| it["label"].as_str()).unwrap_or(id)
    }

    /// Whether it is a figure, which is kept.
    fn add(&mut self, value: &Value, key: &str, pointer: &str, path: &str, name: &str) -> bool {
        let Some(raw) = value.as_f64().or_else(|| value.get("value")?.as_f64()) else {
            return false;
        };
        let word = value["basis"].as_str().unwrap_or_default();
        let basis = Basis::ALL
            .iter()
            .copied()
            .find(|it| it.word() == word)
            .unwrap_or(Basis::Assumed);
        let own = value["plus_minus"].as_f64();
        let deserved = basis.deserves(unit(key));
        self.found.push(Found {
            kind: self.kind,
            id: self.id.clone(),
            label: self.label.clone(),
            name: name.to_owned(),
            pointer: pointer.to_owned(),
            path: path.to_owned(),
            value: raw,
            unit: unit(key),
            basis,
            plus_minus: own.unwrap_or(raw.abs() * deserved),
            stated: own.is_some(),
        });
        true
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_figure_drawn_in_place_is_the_plan_that_its_text_makes() {
        let mut drawn = 0;
        for text in [
            include_str!("../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../demo/weir-hut.plan.json"),
        ] {
            let plan = Plan::parse(text).unwrap();
            let text = serde_json::to_value(&plan).unwrap();
            let figures = figures(&text);
            let all = Drawing::of(plan.clone(), &figures);
            let mut moving = all.moving(&figures);
            let values: Vec<f64> = figures.iter().map(|it| it.value).collect();
            let forgotten = |mut plan: Plan| {
                plan.each_figure_mut(&mut |it| it.forget());
                plan
            };
            for (at, figure) in figures.iter().enumerate() {
                for value in [figure.value * 1.3 + 0.1, figure.value * 0.7, -1.0] {
                    let mut values = values.clone();
                    values[at] = value;
                    let found = all.drawn(&values, |_| {});
                    let mut whole = text.clone();
                    let place = whole.pointer_mut(&figure.pointer).unwrap();
                    let place = if place.is_object() {
                        place.get_mut("value").unwrap()
                    } else {
                        place
                    };
                    *place = Value::from(value);
                    let read = Plan::from_value(&whole).ok().map(forgotten);
                    assert_eq!(found, read, "{} {} at {value}", figure.id, figure.path);
                    assert_eq!(all.moved(at, value), read);
                    assert_eq!(moving.at(at, value), read.as_ref());
                    drawn += usize::from(found.is_some());
                }
            }
        }
        assert!(drawn > 700, "{drawn}");
    }
}
