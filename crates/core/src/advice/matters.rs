//! What to measure next: the figures that nobody measured, by how much hangs on them.
//!
//! Each figure is moved up and down by its ±, everything that uses it is computed again, and what
//! that does to a day's watt-hours and to the worst finding is told. Where a figure states no ±, it
//! gets the one that its basis deserves (`figures`).

use crate::ground::figure::Basis;
use crate::ground::say::{Amount, Sentence, amount, percent};
use crate::ground::work;
use crate::limits::{Code, Finding, Judged, Kept, Status, Study, findings};
use crate::network::Charge;
use crate::site::figures::{Drawing, FigureAt, Found, Moving, figures};
use crate::site::plan::{Arrangement, Plan};
use crate::time::day::{Felt, Parts};
use serde::Serialize;
use std::panic::resume_unwind;

/// What is told at most.
const MOST: usize = 12;
/// Less of a day than this is not told, as a share.
const LEAST_SHARE: f64 = 0.002;

/// The figures on which most hangs.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Matters {
    /// All of it in a sentence.
    pub headline: Sentence,
    /// The figures, those on which most hangs first.
    pub figures: Vec<Matter>,
    /// How many figures nobody measured.
    pub unmeasured: usize,
}

/// A figure that nobody measured, and what hangs on it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Matter {
    /// The figure.
    #[serde(flatten)]
    pub figure: FigureAt,
    /// Whether that ± is its own, or what its basis deserves.
    pub stated: bool,
    /// What it does to a day at most, Wh.
    pub day_wh: f64,
    /// The same as a share of that day.
    pub day_share: f64,
    /// What it does to the worst finding's margin at most, as a share of the limit.
    pub margin_share: f64,
    /// The verdict that it turns, where it does.
    pub turns: Option<Turn>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

impl Matter {
    /// What it is sorted by: a verdict that gets worse counts as a whole limit, one that gets
    /// better as a quarter of it, and a share of the day as three times as much of a limit.
    pub fn weight(&self) -> f64 {
        let turn = self
            .turns
            .as_ref()
            .map_or(0.0, |it| if it.to > it.from { 1.0 } else { 0.25 });
        turn + self.margin_share.min(1.0) + 3.0 * self.day_share
    }
}

/// A worst verdict that a figure turns.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[cfg_attr(feature = "schema", schemars(rename = "FigureTurn"))]
pub struct Turn {
    /// The arrangement.
    pub arrangement: String,
    /// Its worst verdict now.
    pub from: Status,
    /// Its worst verdict with the figure moved.
    pub to: Status,
    /// What the worst finding is about then.
    pub code: Code,
    /// Where that is.
    #[serde(rename = "where")]
    pub place: String,
}

/// One arrangement as it is.
struct Base<'a> {
    arrangement: &'a Arrangement,
    worst: Option<Finding>,
    parts: &'a Parts,
    /// What is seen of all of it.
    all: Kept<'a>,
    /// What is seen of each island, and the worst verdict on all the others.
    islands: Vec<(Kept<'a>, Option<Status>)>,
}

/// An arrangement and its islands, compiled.
struct Studies<'a> {
    parts: Parts,
    islands: Vec<Arrangement>,
    of: &'a Arrangement,
}

impl<'a> Studies<'a> {
    fn of(plan: &Plan, of: &'a Arrangement) -> Self {
        let parts = Parts::of(plan, of, &Charge::full());
        let islands = parts.islands.iter().map(|it| of.island(it)).collect();
        Self { parts, islands, of }
    }

    /// All of it first, then each island.
    fn studied(&'a self, plan: &'a Plan) -> Vec<Study<'a>> {
        let islands = self.islands.iter();
        let islands = islands.map(|it| Study::of_island(plan, it, self.of));
        std::iter::once(Study::of(plan, self.of))
            .chain(islands)
            .collect()
    }
}

/// The figures of a plan on which most hangs, at full charge.
pub fn matters(plan: &Plan) -> Matters {
    let (mut figures, unmeasured) = counted(plan);
    figures.truncate(MOST);
    Matters {
        headline: headline(&figures, unmeasured, plan).into(),
        figures,
        unmeasured,
    }
}

/// Every figure that nobody measured and on which something hangs, that on which most hangs first.
pub(crate) fn weighed(plan: &Plan) -> Vec<Matter> {
    counted(plan).0
}

/// The same, and how many nobody measured.
fn counted(plan: &Plan) -> (Vec<Matter>, usize) {
    let ways: Vec<Studies<'_>> = plan
        .arrangements
        .iter()
        .map(|it| Studies::of(plan, it))
        .collect();
    let studies = studied(plan, &ways);
    let bases = bases(&ways, &studies);
    let text = serde_json::to_value(plan).unwrap_or_default();
    let mut found = figures(&text);
    found.retain(|it| it.basis != Basis::Measured);
    let mut figures = all_moved(&Drawing::of(plan.clone(), &found), &bases, &found);
    figures.sort_by(|a, b| b.weight().total_cmp(&a.weight()));
    (figures, found.len())
}

fn studied<'a>(plan: &'a Plan, ways: &'a [Studies<'a>]) -> Vec<Vec<Study<'a>>> {
    ways.iter().map(|it| it.studied(plan)).collect()
}

fn bases<'a>(ways: &'a [Studies<'a>], studies: &'a [Vec<Study<'a>>]) -> Vec<Base<'a>> {
    let both = ways.iter().zip(studies);
    both.filter_map(|it| Base::of(&it.0.parts, it.1)).collect()
}

/// Every figure moved, on all cores. The threads end with it, and give back what hundreds of plans
/// took: the server that has answered is to idle as small as before.
fn all_moved(drawing: &Drawing, bases: &[Base<'_>], found: &[Found]) -> Vec<Matter> {
    let cores = std::thread::available_parallelism().map_or(1, std::num::NonZero::get);
    let part = found.len().div_ceil(cores).max(1);
    let job = work::current();
    let job = job.as_ref();
    let all = |chunk: &[Found]| {
        let mut moving = drawing.moving(chunk);
        let numbered = chunk.iter().enumerate();
        numbered
            .filter_map(|it| moved(&mut moving, bases, it))
            .collect::<Vec<_>>()
    };
    std::thread::scope(|scope| {
        let started: Vec<_> = found
            .chunks(part)
            .map(|chunk| scope.spawn(move || work::carried(job, || all(chunk))))
            .collect();
        started
            .into_iter()
            .flat_map(|it| it.join().unwrap_or_else(|thrown| resume_unwind(thrown)))
            .collect()
    })
}

impl<'a> Base<'a> {
    fn of(parts: &'a Parts, studies: &'a [Study<'a>]) -> Option<Self> {
        let (whole, islands) = studies.split_first()?;
        let all = Kept::of(whole);
        let found = whole.findings(Some(&all)).into_iter();
        // No figure turns what merely nobody stated.
        let worst = found.into_iter().find(|it| it.unstated.is_none());
        let kept: Vec<Kept<'_>> = islands.iter().map(Kept::of).collect();
        let each = islands.iter().zip(&kept);
        let each: Vec<_> = each.map(|it| worst_of(&it.0.judged(Some(it.1)))).collect();
        let others = |at: usize| {
            let others = each.iter().enumerate().filter(move |it| it.0 != at);
            others.filter_map(|it| *it.1).max()
        };
        let kept = kept.into_iter().enumerate();
        Some(Self {
            arrangement: whole.way,
            worst,
            parts,
            islands: kept.map(|(at, it)| (it, others(at))).collect(),
            all,
        })
    }
}

/// The worst of what was looked at.
fn worst_of(judged: &[Judged]) -> Option<Status> {
    let stated = judged.iter().filter(|it| it.unstated.is_none());
    stated.map(|it| it.status).max()
}

/// The worst finding of an arrangement. No figure turns what merely nobody stated.
fn first(plan: &Plan, arrangement: &Arrangement) -> Option<Finding> {
    findings(plan, arrangement)
        .into_iter()
        .find(|it| it.unstated.is_none())
}

/// What a figure, which stands at that place among those that are moved, does when it is moved by
/// its ±; none where nothing hangs on it.
fn moved(
    moving: &mut Moving,
    bases: &[Base<'_>],
    (place, figure): (usize, &Found),
) -> Option<Matter> {
    let concerned: Vec<&Base<'_>> = bases
        .iter()
        .filter(|it| figure.is_part_of(it.arrangement))
        .collect();
    if concerned.is_empty() || figure.plus_minus <= 0.0 {
        return None;
    }
    let (mut day_wh, mut day_share, mut margin_share): (f64, f64, f64) = (0.0, 0.0, 0.0);
    let mut turns: Option<Turn> = None;
    for side in [
        figure.value + figure.plus_minus,
        figure.value - figure.plus_minus,
    ] {
        let Some(plan) = moving.at(place, side) else {
            continue;
        };
        for base in &concerned {
            let Some(way) = plan.arrangement(base.arrangement.id.as_str()) else {
                continue;
            };
            let felt = base.parts.felt(plan, base.arrangement, figure);
            if felt == Felt::Nowhere {
                continue;
            }
            let part = base.parts.part(way, felt);
            let (study, known, elsewhere) = match felt {
                Felt::Island(at) => {
                    let (known, elsewhere) = &base.islands[at];
                    (Study::of_island(plan, &part, way), known, *elsewhere)
                }
                _ => (Study::of(plan, &part), &base.all, None),
            };
            let moved = (plan, &*part, study.network());
            let change = base.parts.changes_wh(moved, felt, &Charge::full()).abs();
            if change > day_wh {
                day_wh = change;
                let whole_wh = base.parts.drawn_wh;
                day_share = if whole_wh > 0.0 {
                    change / whole_wh
                } else {
                    1.0
                };
            }
            let now = study.judged(Some(known));
            let worst = worst_of(&now).max(elsewhere);
            let (Some(was), Some(worst)) = (&base.worst, worst) else {
                continue;
            };
            let shift = alike(&now, was).map_or(0.0, |it| {
                (it.margin - was.margin).abs() / was.limit.abs().max(1e-9)
            });
            margin_share = margin_share.max(shift);
            let turned = worst != was.status && turns.as_ref().is_none_or(|it| worst > it.to);
            // Which of several is told is the order of the findings.
            if turned && let Some(worst) = first(plan, way) {
                turns = Some(Turn {
                    arrangement: way.id.to_string(),
                    from: was.status,
                    to: worst.status,
                    code: worst.code,
                    place: worst.place.clone(),
                });
            }
        }
    }
    if turns.is_none() && day_share < LEAST_SHARE && margin_share < LEAST_SHARE {
        return None;
    }
    let way = |id: &str| {
        bases
            .iter()
            .find(|it| it.arrangement.id.as_str() == id)
            .map_or("", |it| &it.arrangement.label)
    };
    let sentence = sentence(
        figure,
        day_wh,
        day_share,
        margin_share,
        turns.as_ref().map(|it| (it, way(&it.arrangement))),
    );
    Some(Matter {
        figure: figure.told(),
        stated: figure.stated,
        day_wh,
        day_share,
        margin_share,
        turns,
        sentence: sentence.into(),
    })
}

/// The verdict that a finding has now; the worst where there are several of that kind at its place.
fn alike<'a>(now: &'a [Judged], was: &Finding) -> Option<&'a Judged> {
    let same = now
        .iter()
        .filter(|it| it.code == was.code && it.place == was.place && it.unit == was.unit);
    same.reduce(|worst, it| if it.status > worst.status { it } else { worst })
}

fn sentence(
    figure: &Found,
    day_wh: f64,
    day_share: f64,
    margin: f64,
    turn: Option<(&Turn, &str)>,
) -> String {
    let width = if figure.unit.is_empty() {
        percent(figure.plus_minus)
    } else {
        amount(figure.plus_minus, figure.unit)
    };
    let mut parts = Vec::new();
    if let Some((turn, way)) = turn {
        parts.push(format!(
            "turns “{}” into “{}” in {way}",
            turn.from.word(),
            turn.to.word()
        ));
    }
    if day_share >= LEAST_SHARE {
        parts.push(format!(
            "moves a day by {}, {} of it",
            Amount(day_wh, "Wh"),
            percent(day_share)
        ));
    }
    if turn.is_none() && margin >= LEAST_SHARE {
        parts.push(format!(
            "moves the worst margin by {} of its limit",
            percent(margin)
        ));
    }
    format!("± {width} {}.", parts.join(" and "))
}

fn headline(figures: &[Matter], unmeasured: usize, plan: &Plan) -> String {
    if plan.arrangements.is_empty() {
        return "Nothing is connected yet, so nothing hangs on any figure. Build a chain first."
            .into();
    }
    match figures.first() {
        None => "Nothing that nobody measured matters.".into(),
        Some(it) => {
            format!(
                "Of {unmeasured} figures that nobody measured, measure this one next: {}, {}.",
                it.figure.label, it.figure.name
            )
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::time::day::day;

    #[test]
    fn what_is_judged_without_words_is_what_the_findings_say() {
        let plan = Plan::parse(include_str!("../../../../demo/hollin-lock.plan.json")).unwrap();
        let text = serde_json::to_value(&plan).unwrap();
        let ways: Vec<Studies<'_>> = plan
            .arrangements
            .iter()
            .map(|it| Studies::of(&plan, it))
            .collect();
        let studies = studied(&plan, &ways);
        let bases = bases(&ways, &studies);
        let mut compared = 0;
        let found = figures(&text);
        let drawing = Drawing::of(plan.clone(), &found);
        for (place, figure) in found.iter().enumerate().step_by(3) {
            let Some(moved) = drawing.moved(place, figure.value * 1.4) else {
                continue;
            };
            for base in bases.iter().filter(|it| figure.is_part_of(it.arrangement)) {
                let way = moved.arrangement(base.arrangement.id.as_str()).unwrap();
                let study = Study::of(&moved, way);
                // What was kept of the plan as it is changes nothing.
                let (told, judged) = (findings(&moved, way), study.judged(Some(&base.all)));
                assert_eq!(judged, study.judged(None), "{} {}", figure.id, figure.path);
                let worst = told
                    .iter()
                    .find(|it| it.unstated.is_none())
                    .map(|it| it.status);
                let max = judged
                    .iter()
                    .filter(|it| it.unstated.is_none())
                    .map(|it| it.status)
                    .max();
                assert_eq!(worst, max, "{} {}", figure.id, figure.path);
                let was = base.worst.as_ref().unwrap();
                let same = told
                    .iter()
                    .find(|it| it.code == was.code && it.place == was.place && it.unit == was.unit);
                let margin = alike(&judged, was).map(|it| (it.status, it.margin.to_bits()));
                assert_eq!(
                    margin,
                    same.map(|it| (it.status, it.margin.to_bits())),
                    "{} {}",
                    figure.id,
                    figure.path
                );
                compared += 1;
            }
        }
        assert!(compared > 150, "{compared}");
    }

    fn sites() -> [Plan; 2] {
        [
            include_str!("../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../demo/weir-hut.plan.json"),
        ]
        .map(|it| Plan::parse(it).unwrap())
    }

    #[test]
    fn the_islands_of_an_arrangement_say_together_what_it_says() {
        let mut several = 0;
        for plan in sites() {
            for way in plan
                .arrangements
                .iter()
                .filter(|it| it.starts_on.is_empty())
            {
                let told = |all: Vec<Judged>| {
                    let mut told: Vec<String> = all.iter().map(|it| format!("{it:?}")).collect();
                    told.sort();
                    told
                };
                let islands = way.islands();
                several += usize::from(islands.len() > 1);
                let parts: Vec<Arrangement> = islands.iter().map(|it| way.island(it)).collect();
                let each = parts
                    .iter()
                    .flat_map(|it| Study::of_island(&plan, it, way).judged(None));
                assert_eq!(
                    told(each.collect()),
                    told(Study::of(&plan, way).judged(None)),
                    "{}",
                    way.id
                );
                let days = parts
                    .iter()
                    .map(|it| day(&plan, it, &Charge::full()).drawn_wh);
                let whole = day(&plan, way, &Charge::full()).drawn_wh;
                assert!((days.sum::<f64>() - whole).abs() < 1e-6 * whole.max(1.0));
            }
        }
        assert!(several > 1, "{several}");
    }

    #[test]
    fn a_figure_of_an_island_matters_as_in_the_whole() {
        for plan in sites() {
            let text = serde_json::to_value(&plan).unwrap();
            let mut found = figures(&text);
            found.retain(|it| it.basis != Basis::Measured);
            let drawing = Drawing::of(plan.clone(), &found);
            let with = |islands: bool| {
                let mut ways: Vec<Studies<'_>> = plan
                    .arrangements
                    .iter()
                    .map(|it| Studies::of(&plan, it))
                    .collect();
                for it in ways.iter_mut().filter(|_| !islands) {
                    it.islands.clear();
                    it.parts.islands.clear();
                }
                let studies = studied(&plan, &ways);
                let bases = bases(&ways, &studies);
                all_moved(&drawing, &bases, &found)
            };
            let (parts, whole) = (with(true), with(false));
            assert!(whole.len() > 20, "{}", whole.len());
            assert_eq!(parts.len(), whole.len());
            for (one, other) in parts.iter().zip(&whole) {
                // A sum of days is rounded otherwise than a day.
                assert_eq!((&one.figure, &one.turns), (&other.figure, &other.turns));
                let near = |a: f64, b: f64| (a - b).abs() < 1e-6 * b.abs().max(1.0);
                assert!(near(one.day_wh, other.day_wh), "{one:?} {other:?}");
                assert!(
                    near(one.margin_share, other.margin_share),
                    "{one:?} {other:?}"
                );
            }
        }
    }
}
