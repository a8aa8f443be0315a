//! Gauge boards: the limits in amperes and watts with the tide marks of every moment.

use super::code::Code;
use super::gauge::Gauge;
use super::study::Study;
use super::verdict::Status;
use crate::network::{Charge, Solver};
use crate::site::plan::{Arrangement, Plan};
use serde::Serialize;

/// A gauge board: one limit with the tide marks that the moments leave on it, at one charge.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Board {
    /// The code of the finding that this limit makes.
    pub code: Code,
    /// The item or `item/port` that it is at.
    #[serde(rename = "where")]
    pub place: String,
    /// What the place is called.
    pub name: String,
    /// The unit of all its values.
    pub unit: String,
    /// The continuous limit.
    pub limit: f64,
    /// Levels carried for a while: up to, and for how many seconds where that is known.
    pub overload: Vec<Carried>,
    /// The value at each moment.
    pub marks: Vec<Mark>,
    /// The worst verdict over its marks.
    pub status: Status,
}

/// A level carried for a while.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Carried {
    /// Up to this value.
    pub up_to: f64,
    /// For this long, s; none where nobody knows.
    pub for_s: Option<f64>,
}

/// A tide mark.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Mark {
    /// The moment.
    pub moment: String,
    /// The value at that moment.
    pub value: f64,
    /// The verdict on it.
    pub status: Status,
}

/// The gauge boards of an arrangement at one charge: its limits in amperes and watts.
pub fn boards(plan: &Plan, arrangement: &Arrangement, charge: &Charge) -> Vec<Board> {
    Study::of(plan, arrangement).boards(charge)
}

impl Study<'_> {
    /// See [`boards`].
    pub(crate) fn boards(&self, charge: &Charge) -> Vec<Board> {
        let network = self.network();
        let mut solver = Solver::new(network);
        let open_v = network.open_volts(charge);
        // What a lead and its contacts carry is told as a finding; a staff at every lead would hide
        // those that matter.
        let boards = self
            .gauges
            .iter()
            .filter(|it| !matches!(it.code, Code::CableAmpacity | Code::Contacts));
        let boards = boards.filter_map(|it| Some((it, it.bound.levels()?)));
        let mut boards: Vec<(&Gauge, Board)> = boards
            .map(|(gauge, levels)| {
                let board = Board {
                    code: gauge.code,
                    place: gauge.place.clone(),
                    name: gauge.name.clone(),
                    unit: gauge.unit.to_owned(),
                    limit: levels.continuous,
                    overload: levels
                        .overload
                        .iter()
                        .map(|it| Carried {
                            up_to: it.0,
                            for_s: it.1,
                        })
                        .collect(),
                    marks: Vec::new(),
                    status: Status::Holds,
                };
                (gauge, board)
            })
            .collect();
        for moment in &self.moments {
            solver.solve(&self.loads(moment), &open_v);
            let lasts = self.lasts(moment);
            for (gauge, board) in &mut boards {
                let Some(value) = gauge.value(&solver).filter(|_| gauge.when.is(moment)) else {
                    continue;
                };
                let status = gauge
                    .judge(value, lasts, self.plan.site.tight_from(), &solver)
                    .0
                    .status;
                board.status = board.status.max(status);
                board.marks.push(Mark {
                    moment: moment.to_string(),
                    value,
                    status,
                });
            }
        }
        boards.into_iter().map(|(_, board)| board).collect()
    }
}
