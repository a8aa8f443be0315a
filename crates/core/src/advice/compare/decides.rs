//! What decides: the figures that would make another arrangement the thriftiest if they were wrong,
//! and by how much they would have to be.

use super::same_devices;
use crate::bench::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::{Amount, Name, Sentence, percent};
use crate::network::{Charge, Network};
use crate::site::figures::{Drawing, FigureAt, Found, Moving, figures};
use crate::site::plan::{Arrangement, Plan};
use crate::time::day::{Felt, Parts};
use serde::Serialize;

/// How many figures are told.
const MOST: usize = 3;
/// How many are looked at closely, those first that a straight line says matter most.
const CLOSELY: usize = 10;
/// Halvings of the span in which the winner changes.
const HALVINGS: usize = 18;
/// A figure that had to be wrong by more than this many times its own size decides nothing.
const FARTHEST: f64 = 9.0;
/// What decides which arrangement draws least in a day.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Decides {
    /// All of it in a sentence.
    pub sentence: Sentence,
    /// The arrangement that draws least; none where two draw the same.
    pub winner: Option<String>,
    /// What it draws less than the next one, Wh a day.
    pub less_wh: f64,
    /// The figures that would change that, the likeliest to be that wrong first, and after them
    /// those whose ± moves the difference most; three.
    pub figures: Vec<Decider>,
}

/// A figure that would make another arrangement the thriftiest.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Decider {
    /// The figure.
    #[serde(flatten)]
    pub figure: FigureAt,
    /// By how much its ± moves the difference, Wh a day.
    pub moves_wh: f64,
    /// The value at which another arrangement draws least; none where no value of it does that.
    pub at: Option<f64>,
    /// How far off that is, as a multiple of its ±.
    pub times: Option<f64>,
    /// Which arrangement draws least beyond.
    pub then: Option<String>,
    /// The test that gives the figure; none for what is read off with the eyes or a tape.
    pub test: Option<Protocol>,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// The figures that would change which of `ways` draws least in a day at `charge`.
///
/// For each figure the nearest value is found at which another way draws less, everything else as
/// it is, by bisection on the whole network. They are ranked by how many of their own ± that is
/// away.
///
/// # Errors
/// Where the arrangements do not carry the same devices, or there are fewer than two.
pub fn decides(plan: &Plan, ways: &[&Arrangement], charge: &Charge) -> Result<Decides, FieldError> {
    same_devices(plan, ways)?;
    let parts: Vec<Parts> = ways.iter().map(|it| Parts::of(plan, it, charge)).collect();
    let drawn: Vec<f64> = parts.iter().map(|it| it.drawn_wh).collect();
    let first = least(&drawn, None).unwrap_or(0);
    let second = least(&drawn, Some(first)).unwrap_or(0);
    let less_wh = drawn[second] - drawn[first];
    if less_wh <= 1e-9 * drawn[second].abs().max(1e-9) {
        let sentence = "They draw the same in a day: nothing decides between them there.".into();
        return Ok(Decides {
            sentence,
            winner: None,
            less_wh: 0.0,
            figures: Vec::new(),
        });
    }
    let text = serde_json::to_value(plan).unwrap_or_default();
    let all = figures(&text);
    let mut race = Race {
        moving: Drawing::of(plan.clone(), &all).moving(&all),
        ways,
        parts,
        charge,
        first,
        less_wh,
    };
    let mut close: Vec<Leaning> = all
        .into_iter()
        .enumerate()
        .filter(|(_, it)| {
            it.plus_minus > 0.0 && it.changes_energy() && ways.iter().any(|way| it.is_part_of(way))
        })
        .filter_map(|(place, it)| race.leaning(place, it))
        .collect();
    close.sort_by(|a, b| b.moves_wh.abs().total_cmp(&a.moves_wh.abs()));
    close.truncate(CLOSELY);
    let mut found: Vec<Decider> = close.iter().map(|it| race.decider(it)).collect();
    let far = |it: &Decider| it.times.unwrap_or(f64::INFINITY);
    // Equally far are those that no value of changes anything: they stay in the order of what they
    // move.
    found.sort_by(|a, b| far(a).total_cmp(&far(b)));
    found.truncate(MOST);
    let winner = ways[first];
    let lead = format!(
        "{} draws {} less a day than {}",
        winner.label,
        Amount(less_wh, "Wh"),
        Name(&ways[second].label)
    );
    let sentence = match found.first().filter(|it| it.at.is_some()) {
        Some(it) => format!(
            "{lead}. It hangs on {}, {}: {}",
            Name(&it.figure.label),
            it.figure.name,
            it.sentence
        ),
        None => format!("{lead}, and no single figure changes that."),
    };
    Ok(Decides {
        sentence: sentence.into(),
        winner: Some(winner.id.to_string()),
        less_wh,
        figures: found,
    })
}

fn least(drawn: &[f64], without: Option<usize>) -> Option<usize> {
    (0..drawn.len())
        .filter(|it| Some(*it) != without)
        .min_by(|a, b| drawn[*a].total_cmp(&drawn[*b]))
}

/// The ways as they stand.
struct Race<'a> {
    moving: Moving,
    ways: &'a [&'a Arrangement],
    parts: Vec<Parts>,
    charge: &'a Charge,
    first: usize,
    less_wh: f64,
}

impl Race<'_> {
    /// What the winner draws less than the best other one with a figure at another value, and which
    /// that is; `None` where the plan does not take the value, or something collapses.
    fn ahead(&mut self, place: usize, figure: &Found, value: f64) -> Option<(f64, usize)> {
        let plan = self.moving.at(place, value)?;
        let each = self.ways.iter().zip(&self.parts);
        let drawn: Option<Vec<f64>> = each
            .map(|(it, parts)| {
                let moved = plan.arrangement(it.id.as_str())?;
                let felt = parts.felt(plan, it, figure);
                if felt == Felt::Nowhere {
                    return Some(parts.drawn_wh);
                }
                let part = parts.part(moved, felt);
                let network = Network::build(plan, &part, plan.site.ambient());
                let change = parts.changes_wh((plan, &part, &network), felt, self.charge);
                let drawn = parts.drawn_wh + change;
                drawn.is_finite().then_some(drawn)
            })
            .collect();
        let drawn = drawn?;
        let other = least(&drawn, Some(self.first))?;
        Some((drawn[other] - drawn[self.first], other))
    }

    /// What a figure's ± does to the lead of the winner; `None` where it does nothing, or the plan
    /// takes neither side.
    fn leaning(&mut self, place: usize, figure: Found) -> Option<Leaning> {
        let mut side_of = |side: f64| {
            let value = figure.value + side * figure.plus_minus;
            Some((side, self.ahead(place, &figure, value)?.0))
        };
        let (side, ahead) = side_of(1.0).or_else(|| side_of(-1.0))?;
        let moves_wh = (ahead - self.less_wh) * side;
        (moves_wh.abs() > 1e-6 * self.less_wh).then_some(Leaning {
            place,
            figure,
            moves_wh,
        })
    }

    /// The nearest value at which another way draws least, and which one does there.
    fn turning(&mut self, leaning: &Leaning) -> Option<(f64, usize)> {
        let figure = &leaning.figure;
        let times = self.less_wh / leaning.moves_wh.abs();
        let reach = -leaning.moves_wh.signum() * times * figure.plus_minus;
        let mut good = figure.value;
        let mut bad = None;
        for share in [0.5, 0.9, 1.1, 1.5, 2.5, 5.0] {
            // A figure that had to fall below nothing is tried at nothing.
            let far = figure.value + reach * share;
            let value = if far < 0.0 && figure.value >= 0.0 {
                0.0
            } else {
                far
            };
            if (value - figure.value).abs() > FARTHEST * figure.value.abs() {
                break;
            }
            match self.ahead(leaning.place, figure, value) {
                Some((ahead, other)) if ahead < 0.0 => {
                    bad = Some((value, other));
                    break;
                }
                Some(_) if value != 0.0 => good = value,
                _ => break,
            }
        }
        let (mut bad, mut other) = bad?;
        for _ in 0..HALVINGS {
            let middle = f64::midpoint(good, bad);
            match self.ahead(leaning.place, figure, middle) {
                Some((ahead, at)) if ahead < 0.0 => (bad, other) = (middle, at),
                Some(_) => good = middle,
                None => return None,
            }
        }
        Some((bad, other))
    }

    fn decider(&mut self, leaning: &Leaning) -> Decider {
        let figure = &leaning.figure;
        let turning = self.turning(leaning);
        let of = |it: f64| {
            if figure.unit.is_empty() {
                percent(it)
            } else {
                Amount(it, figure.unit)
            }
        };
        let (now, basis) = (of(figure.value), figure.basis.word());
        let sentence = match turning {
            Some((at, other)) => {
                let direction = if at > figure.value { "above" } else { "below" };
                let off = (at - figure.value).abs() / figure.value.abs();
                let far = if off.is_finite() {
                    format!(", {} off,", percent(off))
                } else {
                    String::new()
                };
                let then = Name(&self.ways[other].label);
                format!(
                    "{now} now ({basis}); {direction} {}{far} {then} draws less.",
                    of(at)
                )
            }
            None => format!(
                "{now} now ({basis}); its ± of {} moves the difference by {}, and no value of it \
                changes who draws less.",
                of(figure.plus_minus),
                Amount(leaning.moves_wh.abs(), "Wh")
            ),
        };
        Decider {
            figure: figure.told(),
            moves_wh: leaning.moves_wh.abs(),
            at: turning.map(|it| it.0),
            times: turning.map(|it| (it.0 - figure.value).abs() / figure.plus_minus),
            then: turning.map(|it| self.ways[it.1].id.to_string()),
            test: Protocol::of(figure.kind, &figure.path),
            sentence: sentence.into(),
        }
    }
}

/// A figure with what its ± adds to the lead of the winner, Wh a day.
struct Leaning {
    /// Its place among all figures.
    place: usize,
    figure: Found,
    moves_wh: f64,
}
