//! Where two arrangements draw the same.

use super::ask::{Ask, Over};
use super::curve::{Curve, lead};
use super::roots::{Meets, STEPS, meetings};
use crate::ground::json::{FieldError, words};
use crate::ground::say::{Name, Sentence, amount};
use crate::network::{Charge, Network, average, fed};
use crate::site::figures::{Drawing, figures};
use crate::site::plan::{Arrangement, Device, Plan};
use crate::time::day::{hours_a_day, with_their_load};
use serde::Serialize;

words!(
    /// How two arrangements meet.
    Meeting {
        /// The thriftier one changes.
        Crosses = "crosses",
        /// They draw the same, and the thriftier one stays it.
        Touches = "touches",
        /// The thriftier one changes at a step.
        Jumps = "jumps",
    }
);

/// Where two arrangements meet as a figure changes.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Crossings {
    /// What changes.
    pub over: Over,
    /// What exactly changes, in words.
    pub of: String,
    /// The unit of what changes; a share for the charge.
    pub unit: String,
    /// What is compared.
    pub drawn_unit: String,
    /// The two arrangements.
    pub ways: [String; 2],
    /// From here.
    pub from: f64,
    /// To here.
    pub to: f64,
    /// Every meeting in the range, in rising order.
    pub crossings: Vec<Crossing>,
    /// For each arrangement the highest value up to which nothing trips that lasts; none where
    /// something does from the beginning.
    pub carries_to: [Option<f64>; 2],
    /// Points for a plot.
    pub series: Vec<Point>,
    /// Where the site is today; none where the two arrangements differ in it.
    pub today: Option<f64>,
    /// How far the figures' ± move either curve, at some of the points; empty where it was not
    /// asked for.
    pub band: Vec<Band>,
    /// Over hours of use: the same with everything that draws something for being on switched with
    /// its load, where that changes anything.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub with_load: Option<WithLoad>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// Two arrangements over hours of use, on with their load.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct WithLoad {
    /// Every meeting in the range, in rising order.
    pub crossings: Vec<Crossing>,
    /// Points for a plot.
    pub series: Vec<Point>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// How far the figures' ± move the curves at one place.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "CrossingBand"))]
pub struct Band {
    /// The figure that changes.
    pub at: f64,
    /// Half-width of what each arrangement draws there, 95 %: the effects of all figures in
    /// quadrature.
    pub plus_minus: [f64; 2],
}

/// One meeting.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Crossing {
    /// Where.
    pub at: f64,
    /// What both draw there.
    pub drawn: f64,
    /// How they meet.
    pub meeting: Meeting,
    /// The arrangement that draws less below.
    pub below: String,
    /// The arrangement that draws less above.
    pub above: String,
    /// Half-width of where, 95 %, by the figures' ±; none where it was not asked for, or they run
    /// alike.
    pub plus_minus: Option<f64>,
    /// The meeting in a sentence.
    pub sentence: Sentence,
}

/// One point of the two curves.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Point {
    /// The figure that changes.
    pub at: f64,
    /// Drawn by each arrangement; none where a lead has no stable voltage.
    pub drawn: [Option<f64>; 2],
}

/// Where two arrangements draw the same, at a charge, while a figure changes.
///
/// Found on the real network by looking through the range in steps and refining every change of
/// sign and every least difference, so that a crossing is one and a tangent is told as such.
///
/// # Errors
/// Where the figure is none of either arrangement's, or the range is empty; names the parameter and
/// the remedy.
pub fn crossings(
    plan: &Plan,
    ways: [&Arrangement; 2],
    charge: &Charge,
    ask: &Ask<'_>,
) -> Result<Crossings, FieldError> {
    let mut found = meet(plan, ways, charge, ask)?;
    if ask.over == Over::Hours {
        let switched = ways.map(|it| with_their_load(plan, it));
        let other = meet(
            plan,
            [&switched[0], &switched[1]],
            charge,
            &Ask {
                band: false,
                ..*ask
            },
        )?;
        let saved = found
            .series
            .iter()
            .zip(&other.series)
            .flat_map(|(left, on)| {
                let each = left.drawn.iter().zip(on.drawn);
                each.filter_map(|(left, on)| Some((*left)? - on?))
                    .collect::<Vec<_>>()
            });
        if saved.fold(0.0, f64::max) > 0.05 {
            found.with_load = Some(told_with_load(&other, found.today));
        }
    }
    Ok(found)
}

/// "On with their load: …", and what that draws at today's hours.
fn told_with_load(other: &Crossings, today: Option<f64>) -> WithLoad {
    let nearest = |at: f64| {
        let apart = |it: &&Point| (it.at - at).abs();
        other
            .series
            .iter()
            .min_by(|a, b| apart(a).total_cmp(&apart(b)))
    };
    let here = today
        .and_then(nearest)
        .and_then(|it| Some((it.at, it.drawn[0]?, it.drawn[1]?)));
    let mut sentence = format!("On with their load: {}", other.sentence.marked());
    if let Some((_, one, two)) = here {
        sentence += &format!(
            " At today's hours they would draw {} and {}.",
            amount(one, &other.drawn_unit),
            amount(two, &other.drawn_unit)
        );
    }
    WithLoad {
        crossings: other.crossings.clone(),
        series: other.series.clone(),
        sentence: sentence.into(),
    }
}

fn meet(
    plan: &Plan,
    ways: [&Arrangement; 2],
    charge: &Charge,
    ask: &Ask<'_>,
) -> Result<Crossings, FieldError> {
    super::same_devices(plan, &ways)?;
    let chosen = idle_item(plan, ways);
    let ask = &match ask.over {
        Over::Idle if ask.item.is_none() => Ask {
            item: chosen.as_deref(),
            ..*ask
        },
        _ => *ask,
    };
    known(plan, ways, ask)?;
    let (from, to) = range(plan, ways, ask)?;
    let mut curves = ways.map(|it| Curve::of(plan, it, charge, ask));
    if curves.iter().all(|it| !it.changes()) {
        let why = match ask.over {
            Over::Length => {
                "no lead of either arrangement is that one; name a feed with a cable by what it \
                leads to"
            }
            _ => {
                "neither arrangement uses a converter or port that draws for being on; name one \
                that it uses"
            }
        };
        return Err(FieldError::of("item", why.into()));
    }
    let at = |step: usize| from + (to - from) * step as f64 / STEPS as f64;
    let series: Vec<Point> = (0..=STEPS)
        .map(|step| {
            let x = at(step);
            Point {
                at: x,
                drawn: [curves[0].drawn(x), curves[1].drawn(x)],
            }
        })
        .collect();
    let difference = |point: &Point| Some(point.drawn[0]? - point.drawn[1]?);
    let samples: Vec<_> = series.iter().map(|it| (it.at, difference(it))).collect();
    let size = series
        .iter()
        .flat_map(|it| it.drawn)
        .flatten()
        .fold(0.0, f64::max);
    let found = meetings(&samples, size, &mut |x| {
        Some(curves[0].drawn(x)? - curves[1].drawn(x)?)
    });
    let carries_to = [
        carried(&mut curves[0], from, to),
        carried(&mut curves[1], from, to),
    ];
    let words = Words { plan, ways, ask };
    let crossings = found.iter().enumerate().map(|(index, &(x, meets))| {
        // Which is the lower one just beside the meeting, nearer than any other meeting, and where
        // both have a value.
        let before = index.checked_sub(1).map_or(from, |it| found[it].0);
        let after = found.get(index + 1).map_or(to, |it| it.0);
        let mut less = |edge: f64| {
            let mut step = (edge - x).clamp((from - to) / 200.0, (to - from) / 200.0) / 2.0;
            for _ in 0..40 {
                if let (Some(a), Some(b)) = (curves[0].drawn(x + step), curves[1].drawn(x + step)) {
                    return usize::from(a > b);
                }
                step /= 2.0;
            }
            0
        };
        let (below, above) = (less(before), less(after));
        let meeting = match meets {
            Meets::Crosses => Meeting::Crosses,
            Meets::Touches => Meeting::Touches,
            Meets::Jumps => Meeting::Jumps,
        };
        let drawn = curves[below].drawn(x).unwrap_or_default();
        Crossing {
            at: x,
            drawn,
            meeting,
            below: ways[below].id.to_string(),
            above: ways[above].id.to_string(),
            plus_minus: None,
            sentence: words.crossing(x, meeting, below, above).into(),
        }
    });
    let mut crossings: Vec<_> = crossings.collect();
    let band = if ask.band {
        let places: Vec<f64> = series
            .iter()
            .step_by(STEPS / BANDS)
            .map(|it| it.at)
            .collect();
        let mut spread = Spread::of(plan, ways, charge, ask, &places, &crossings);
        for (it, spread) in crossings.iter_mut().zip(spread.split_off(places.len())) {
            let step = (to - from) * 1e-3;
            let mut apart = |x: f64| Some(curves[0].drawn(x)? - curves[1].drawn(x)?);
            let (low, high) = ((it.at - step).max(from), (it.at + step).min(to));
            let slope = apart(low)
                .zip(apart(high))
                .map(|(a, b)| ((b - a) / (high - low)).abs());
            it.plus_minus = slope
                .map(|slope| spread.apart / slope)
                .filter(|it| it.is_finite());
        }
        places
            .iter()
            .zip(spread)
            .map(|(at, it)| Band {
                at: *at,
                plus_minus: it.each,
            })
            .collect()
    } else {
        Vec::new()
    };
    let sentence = words.all(&crossings, &series, carries_to, (from, to));
    Ok(Crossings {
        over: ask.over,
        of: words.of(),
        unit: unit(ask.over).into(),
        drawn_unit: if ask.over == Over::Hours {
            "Wh a day"
        } else {
            "W"
        }
        .into(),
        ways: ways.map(|it| it.id.to_string()),
        from,
        to,
        crossings,
        carries_to,
        series,
        today: today(plan, ways, charge, ask),
        band,
        with_load: None,
        sentence: sentence.into(),
    })
}

/// In how many steps the band is told.
const BANDS: usize = 12;

/// How far the figures' ± move both curves at one place, and their difference.
#[derive(Debug, Clone, Copy, Default)]
struct Spread {
    each: [f64; 2],
    apart: f64,
}

impl Spread {
    /// At `places`, and then at each of `crossings`: the effects of all figures, each moved by its
    /// ± alone, in quadrature (first-order propagation of independent errors, JCGM 100:2008,
    /// 5.1.2).
    fn of(
        plan: &Plan,
        ways: [&Arrangement; 2],
        charge: &Charge,
        ask: &Ask<'_>,
        places: &[f64],
        crossings: &[Crossing],
    ) -> Vec<Self> {
        let at: Vec<f64> = places
            .iter()
            .copied()
            .chain(crossings.iter().map(|it| it.at))
            .collect();
        let drawn = |plan: &Plan| -> Option<Vec<[Option<f64>; 2]>> {
            let mut curves = [ways[0], ways[1]].map(|it| {
                Some(Curve::of(
                    plan,
                    plan.arrangement(it.id.as_str())?,
                    charge,
                    ask,
                ))
            });
            let mut each = |index: usize, x: f64| curves[index].as_mut()?.drawn(x);
            Some(at.iter().map(|x| [each(0, *x), each(1, *x)]).collect())
        };
        let mut spread = vec![Self::default(); at.len()];
        let Some(base) = drawn(plan) else {
            return spread;
        };
        let text = serde_json::to_value(plan).unwrap_or_default();
        let all = figures(&text);
        let mut moving = Drawing::of(plan.clone(), &all).moving(&all);
        let parts = all.iter().enumerate().filter(|(_, it)| {
            it.plus_minus > 0.0 && it.changes_energy() && ways.iter().any(|way| it.is_part_of(way))
        });
        for (place, figure) in parts {
            let sides = [
                figure.value + figure.plus_minus,
                figure.value - figure.plus_minus,
            ];
            let Some(moved) = sides
                .iter()
                .find_map(|side| drawn(moving.at(place, *side)?))
            else {
                continue;
            };
            for ((spread, base), moved) in spread.iter_mut().zip(&base).zip(&moved) {
                let by = |index: usize| Some(moved[index]? - base[index]?);
                let (one, other) = (by(0).unwrap_or(0.0), by(1).unwrap_or(0.0));
                spread.each[0] += one * one;
                spread.each[1] += other * other;
                spread.apart += (one - other) * (one - other);
            }
        }
        for it in &mut spread {
            it.each = it.each.map(f64::sqrt);
            it.apart = it.apart.sqrt();
        }
        spread
    }
}

/// Where the site is today along what changes; none where the arrangements differ in it.
fn today(plan: &Plan, ways: [&Arrangement; 2], charge: &Charge, ask: &Ask<'_>) -> Option<f64> {
    let devices =
        || fed(plan, ways[0]).filter(|it| ask.device.is_none_or(|id| it.id.as_str() == id));
    let watts = |it: &Device| average(it).power(it.input.rated_v.get());
    match ask.over {
        Over::Load => Some(devices().map(watts).sum()),
        Over::Hours => {
            let all: f64 = devices().map(watts).sum();
            let hours = devices().map(|it| watts(it) * hours_a_day(it)).sum::<f64>() / all;
            hours.is_finite().then_some(hours)
        }
        Over::Charge => {
            let fed = |id: &str| ways[0].feeds.iter().any(|it| it.from.item.as_str() == id);
            let store = plan
                .kit
                .sources
                .iter()
                .find(|it| it.battery.is_some() && fed(it.id.as_str()))?;
            Some(charge.of(store.id.as_str()))
        }
        Over::Length => {
            let metres = ways.map(|way| {
                let cable = way.feeds[lead(way, ask.item)?].cable.as_ref()?;
                Some(cable.length_m.get())
            });
            match metres {
                [Some(one), Some(other)] if (one - other).abs() > 1e-9 => None,
                [one, other] => one.or(other),
            }
        }
        Over::Idle => Network::build(plan, ways[0], plan.site.ambient())
            .idle(ask.item?)
            .or_else(|| Network::build(plan, ways[1], plan.site.ambient()).idle(ask.item?)),
    }
}

fn unit(over: Over) -> &'static str {
    match over {
        Over::Load | Over::Idle => "W",
        Over::Hours => "h",
        Over::Charge => "",
        Over::Length => "m",
    }
}

/// The converter or port of either arrangement that draws most for being on.
fn idle_item(plan: &Plan, ways: [&Arrangement; 2]) -> Option<String> {
    let mut most: Option<(f64, String)> = None;
    for feed in ways.iter().flat_map(|it| &it.feeds) {
        let converter = plan
            .converter(feed.to.item.as_str())
            .and_then(|it| it.loss.as_ref());
        let port = plan.port(&feed.from).and_then(|it| it.loss.as_ref());
        let places = [
            (converter, feed.to.item.to_string()),
            (port, format!("{}/{}", feed.from.item, feed.from.port)),
        ];
        for (law, place) in places {
            let Some(idle) = law.and_then(|it| it.idle_w.as_ref()) else {
                continue;
            };
            if most.as_ref().is_none_or(|it| idle.get() > it.0) {
                most = Some((idle.get(), place));
            }
        }
    }
    most.map(|it| it.1)
}

fn known(plan: &Plan, ways: [&Arrangement; 2], ask: &Ask<'_>) -> Result<(), FieldError> {
    let Some(id) = ask.device else { return Ok(()) };
    let fed: Vec<&str> = fed(plan, ways[0]).map(|it| it.id.as_str()).collect();
    if fed.contains(&id) {
        return Ok(());
    }
    Err(FieldError::of(
        "device",
        format!(
            "is \"{id}\"; the devices of these arrangements are {}",
            fed.join(", ")
        ),
    ))
}

/// The range that is looked at, where it is not asked for: wide enough to hold what a person would
/// try.
fn range(plan: &Plan, ways: [&Arrangement; 2], ask: &Ask<'_>) -> Result<(f64, f64), FieldError> {
    let devices = fed(plan, ways[0]).filter(|it| ask.device.is_none_or(|id| it.id.as_str() == id));
    let (low, high) = match ask.over {
        Over::Load => {
            let now: f64 = devices
                .map(|it| average(it).power(it.input.rated_v.get()))
                .sum();
            (0.0, (8.0 * now).max(200.0))
        }
        Over::Hours => (0.0, 24.0),
        Over::Charge => {
            let stores = plan.kit.sources.iter().filter_map(|it| it.battery.as_ref());
            (
                stores
                    .map(crate::site::plan::Battery::floor)
                    .fold(1.0, f64::min),
                1.0,
            )
        }
        Over::Length => {
            let metres = |way: &Arrangement| {
                let cable = way.feeds[lead(way, ask.item)?].cable.as_ref()?;
                Some(cable.length_m.get())
            };
            (
                0.0,
                ways.into_iter().filter_map(metres).fold(5.0, f64::max) * 4.0,
            )
        }
        Over::Idle => {
            let idle = |id: &str| {
                let law = plan.converter(id).and_then(|it| it.loss.as_ref());
                let port = id.split_once('/').and_then(|(source, port)| {
                    plan.source(source)?
                        .ports
                        .iter()
                        .find(|it| it.id.as_str() == port)?
                        .loss
                        .as_ref()
                });
                Some(law.or(port)?.idle_w.as_ref()?.get())
            };
            (0.0, ask.item.and_then(idle).unwrap_or(0.0).max(5.0) * 3.0)
        }
    };
    let (from, to) = (ask.from.unwrap_or(low), ask.to.unwrap_or(high));
    let most = if ask.over == Over::Charge {
        1.0
    } else if ask.over == Over::Hours {
        24.0
    } else {
        1e6
    };
    if !(0.0..=most).contains(&from) {
        return Err(FieldError::of(
            "from",
            format!("is {from}; it lies between 0 and {most}"),
        ));
    }
    if !(from < to && to <= most) {
        return Err(FieldError::of(
            "to",
            format!("is {to}; it lies above {from} and is at most {most}"),
        ));
    }
    Ok((from, to))
}

/// The highest value up to which nothing trips that lasts, by bisection.
fn carried(curve: &mut Curve<'_>, from: f64, to: f64) -> Option<f64> {
    if !curve.stands(from) {
        return None;
    }
    if curve.stands(to) {
        return Some(to);
    }
    let (mut good, mut bad) = (from, to);
    for _ in 0..32 {
        let middle = f64::midpoint(good, bad);
        if curve.stands(middle) {
            good = middle;
        } else {
            bad = middle;
        }
    }
    Some(good)
}

/// What is said of it.
struct Words<'a> {
    plan: &'a Plan,
    ways: [&'a Arrangement; 2],
    ask: &'a Ask<'a>,
}

impl Words<'_> {
    fn of(&self) -> String {
        let device = self.ask.device.map(|it| self.plan.label(it));
        match self.ask.over {
            Over::Load => device.map_or_else(
                || "watts of all devices together".into(),
                |it| format!("watts of {it}"),
            ),
            Over::Hours => device.map_or_else(
                || "hours a day that the devices are on".into(),
                |it| format!("hours a day that {it} is on"),
            ),
            Over::Charge => "charge of the stores".into(),
            Over::Length => self.ask.item.map_or_else(
                || "length of the longest lead of each".into(),
                |it| format!("length of the lead to {}", self.plan.label(it)),
            ),
            Over::Idle => {
                let item = self.ask.item.unwrap_or_default();
                let label = match item.split_once('/') {
                    Some((source, port)) => format!("{}, {port}", self.plan.label(source)),
                    None => self.plan.label(item).to_owned(),
                };
                format!("what {label} draws for being on")
            }
        }
    }

    fn value(&self, x: f64) -> String {
        match self.ask.over {
            Over::Charge => crate::ground::say::percent(x).to_string(),
            over => amount(x, unit(over)).to_string(),
        }
    }

    fn crossing(&self, x: f64, meeting: Meeting, below: usize, above: usize) -> String {
        let (low, high, at) = (
            &self.ways[below].label,
            Name(&self.ways[above].label),
            self.value(x),
        );
        match meeting {
            Meeting::Crosses => format!("Below {at} {} draws less, above it {high}.", Name(low)),
            Meeting::Jumps => format!(
                "Below {at} {} draws less, from there on {high}, at a step.",
                Name(low)
            ),
            Meeting::Touches => format!(
                "At {at} both draw the same, and {} draws less on either side.",
                Name(low)
            ),
        }
    }

    fn all(
        &self,
        crossings: &[Crossing],
        series: &[Point],
        carries_to: [Option<f64>; 2],
        range: (f64, f64),
    ) -> String {
        let (from, to) = (self.value(range.0), self.value(range.1));
        let mut sentence = if crossings.is_empty() {
            self.apart(series, &from, &to)
        } else {
            crossings
                .iter()
                .map(|it| it.sentence.marked())
                .collect::<Vec<_>>()
                .join(" ")
        };
        for (way, carries) in self.ways.iter().zip(carries_to) {
            match carries {
                Some(most) if most < range.1 => {
                    sentence += &format!(" {} carries it up to {}.", way.label, self.value(most));
                }
                None => sentence += &format!(" {} does not carry it at {from} already.", way.label),
                Some(_) => {}
            }
        }
        sentence
    }

    /// Where they do not meet: which draws less, and by how much at least and at most.
    fn apart(&self, series: &[Point], from: &str, to: &str) -> String {
        let known = series
            .iter()
            .filter_map(|it| Some(it.drawn[0]? - it.drawn[1]?));
        let (least, most) = known.fold((f64::INFINITY, 0.0_f64), |(least, most), it| {
            (
                least.min(it.abs()),
                if it.abs() > most.abs() { it } else { most },
            )
        });
        if most == 0.0
            || !least.is_finite()
            || most.abs()
                < 1e-9
                    * series
                        .iter()
                        .flat_map(|it| it.drawn)
                        .flatten()
                        .fold(0.0, f64::max)
        {
            return format!("They draw the same from {from} to {to}.");
        }
        let less = &self.ways[usize::from(most > 0.0)].label;
        let unit = if self.ask.over == Over::Hours {
            "Wh a day"
        } else {
            "W"
        };
        let (least, most) = (amount(least, unit), amount(most.abs(), unit));
        format!(
            "They do not cross between {from} and {to}: {} draws {least} to {most} less \
            throughout.",
            Name(less)
        )
    }
}
