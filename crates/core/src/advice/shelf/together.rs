//! Several devices on one port: judged together while all start at once and one after another, and
//! marched for their hours.

use super::board::{Board, free_id, lasts_h, lay, telling};
use super::cell::{Column, Place, RunCell, cell};
use crate::ground::say::{Name, Sentence};
use crate::limits::Status;
use crate::network::Moment;
use crate::site::plan::{Arrangement, Outage, Plan};
use serde::Serialize;
use std::cell::RefCell;
use std::collections::{BTreeMap, BTreeSet};

/// The devices that were ticked, on one port.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Together {
    /// The port.
    #[serde(flatten)]
    pub port: PortOf,
    /// The devices that were ticked, by id.
    pub devices: Vec<String>,
    /// All of those that it runs alone, judged together: starting at once, and one after another.
    pub status: Status,
    /// The same without the moment at which all start at once.
    pub one_after_another: Status,
    /// What decides, in a sentence.
    pub message: Sentence,
    /// Those that it carries together where they start one after another, the most important first:
    /// all that it runs alone where those do not trip.
    pub carries: Vec<String>,
    /// What is left out, and why.
    pub left_out: Vec<LeftOut>,
    /// Hours until the first of what it carries is lost; none where none is for as long as was
    /// looked.
    pub hours: Option<f64>,
    /// For how long that was looked at, h.
    pub looked_h: f64,
    /// Pairs that it runs alone and never together.
    pub never: Vec<[String; 2]>,
    /// What it carries as an arrangement; none where that is nothing.
    pub arrangement: Option<Arrangement>,
}

/// A port, and what stands behind it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct PortOf {
    /// The source.
    pub item: String,
    /// Its port.
    pub port: String,
    /// The inverter behind it.
    pub behind: Vec<String>,
}

/// A device that is left out.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct LeftOut {
    /// The device.
    pub device: String,
    /// Why.
    pub why: Sentence,
}

/// Puts the cells of a column together.
pub(super) fn together(
    plan: &Plan,
    place: &Place<'_>,
    cells: &[(&str, &RunCell)],
    outage: &Outage,
    length_m: f64,
) -> Together {
    let mut order: Vec<(&str, &RunCell)> =
        cells.iter().copied().filter(|it| it.1.may_run()).collect();
    let rank = |id: &str| {
        plan.device(id)
            .and_then(|it| it.priority.as_ref())
            .map_or(f64::INFINITY, |it| it.get())
    };
    order.sort_by(|a, b| rank(a.0).total_cmp(&rank(b.0)));
    let column = place.told();
    let shelf = Set {
        plan,
        place,
        column: &column,
        length_m,
        others: RefCell::default(),
    };
    let mut left_out: Vec<LeftOut> = cells
        .iter()
        .filter(|it| !it.1.may_run())
        .map(|(id, cell)| LeftOut {
            device: (*id).to_owned(),
            why: cell.message.clone(),
        })
        .collect();
    let whole = (!order.is_empty()).then(|| shelf.judged(&order));
    let (status, one_after_another, message) = whole.as_ref().map_or(
        (
            Status::Trips,
            Status::Trips,
            format!("{} runs none of them.", Name(&column.label)).into(),
        ),
        |(board, after)| (board.status, *after, board.message.clone()),
    );
    let mut never = Vec::new();
    let carried = match whole {
        Some((board, after)) if after < Status::Trips => Some((order.clone(), board.arrangement)),
        Some(_) => {
            never = shelf.never(&order);
            shelf.greedy(&order, &mut left_out)
        }
        None => None,
    };
    let hours = carried.as_ref().and_then(|it| lasts_h(plan, &it.1, outage));
    Together {
        port: PortOf {
            item: column.item.clone(),
            port: column.port.clone(),
            behind: column.behind.clone(),
        },
        devices: cells.iter().map(|it| it.0.to_owned()).collect(),
        status,
        one_after_another,
        message,
        carries: carried
            .iter()
            .flat_map(|it| it.0.iter().map(|it| it.0.to_owned()))
            .collect(),
        left_out,
        hours,
        looked_h: outage.hours.get(),
        never,
        arrangement: carried.map(|it| it.1),
    }
}

struct Set<'a> {
    plan: &'a Plan,
    place: &'a Place<'a>,
    column: &'a Column,
    length_m: f64,
    /// Cells without some converters, by device and those.
    others: RefCell<BTreeMap<(String, Vec<String>), RunCell>>,
}

impl Set<'_> {
    /// Each with converters of its own, where another does as well as the one that is taken; else
    /// they share it.
    fn assigned(&self, cells: &[(&str, &RunCell)]) -> Vec<RunCell> {
        let mut taken: Vec<String> = Vec::new();
        let mut list = Vec::new();
        for (device, alone) in cells {
            let mut own = (*alone).clone();
            if own.via.iter().any(|it| taken.contains(it)) {
                let key = ((*device).to_owned(), taken.clone());
                let known = self.others.borrow().get(&key).cloned();
                let other = known
                    .unwrap_or_else(|| cell(self.plan, self.place, device, &taken, self.length_m));
                self.others.borrow_mut().insert(key, other.clone());
                if other.may_run() && other.status <= own.status {
                    own = other;
                }
            }
            taken.extend(
                own.via
                    .iter()
                    .filter(|it| !taken.contains(it))
                    .cloned()
                    .collect::<Vec<_>>(),
            );
            list.push(own);
        }
        list
    }

    /// The feeds of several cells in one arrangement; a converter that two of them take stands
    /// there once.
    fn way(&self, cells: &[(&str, &RunCell)]) -> Arrangement {
        let mut way = Arrangement::of_feeds(Vec::new());
        let names: Vec<&str> = cells.iter().map(|it| self.plan.label(it.0)).collect();
        way.id = free_id(
            self.plan,
            &format!(
                "{}-{}-runs-{}",
                self.column.item,
                self.column.port,
                cells.len()
            ),
        );
        way.label = match names.as_slice() {
            [one] => format!("{one} on {}", self.column.label),
            [one, rest @ ..] => format!("{one} and {} more on {}", rest.len(), self.column.label),
            [] => self.column.label.clone(),
        };
        let mut there = BTreeSet::new();
        let mut shared = false;
        let own = self.assigned(cells);
        for feed in own
            .iter()
            .filter_map(|it| it.arrangement.as_ref())
            .flat_map(|it| &it.feeds)
        {
            if there.insert(feed.to.name()) {
                way.feeds.push(feed.clone());
            } else {
                shared = true;
            }
        }
        // A lead before what several share carries all of them.
        if shared {
            lay(self.plan, &mut way, self.length_m);
        }
        way
    }

    /// All of them judged, and the worst while they start one after another.
    fn judged(&self, cells: &[(&str, &RunCell)]) -> (Board, Status) {
        let way = self.way(cells);
        let found = telling(self.plan, &way);
        let at_once = Moment::AllStarting.to_string();
        let after = found.iter().map(|it| {
            let elsewhere = it
                .also
                .iter()
                .filter(|it| it.moment != at_once)
                .map(|it| it.status)
                .max();
            if it.moment == at_once {
                elsewhere.unwrap_or(Status::Holds)
            } else {
                it.status
            }
        });
        let after = after.max().unwrap_or(Status::Holds);
        (Board::from(&found, way), after)
    }

    /// Pairs that trip together, even where one starts after the other.
    fn never(&self, cells: &[(&str, &RunCell)]) -> Vec<[String; 2]> {
        let mut list = Vec::new();
        for (at, one) in cells.iter().enumerate() {
            for other in &cells[at + 1..] {
                // What more beside them mends is no pair that never fits.
                let (board, after) = self.judged(&[*one, *other]);
                if after == Status::Trips && !board.wants_load {
                    list.push([one.0.to_owned(), other.0.to_owned()]);
                }
            }
        }
        list
    }

    /// One after the other as they matter, each that does not make it trip.
    fn greedy<'b>(
        &self,
        cells: &[(&'b str, &'b RunCell)],
        left_out: &mut Vec<LeftOut>,
    ) -> Option<(Vec<(&'b str, &'b RunCell)>, Arrangement)> {
        let mut taken: Vec<(&str, &RunCell)> = Vec::new();
        let mut left: Vec<(&str, &RunCell)> = cells.to_vec();
        // What wants more load fits once that is there: those that are left are asked again until
        // none fits any more.
        loop {
            let before = taken.len();
            let mut still = Vec::new();
            for it in left {
                let mut more = taken.clone();
                more.push(it);
                let (board, after) = self.judged(&more);
                if after < Status::Trips {
                    taken = more;
                } else {
                    still.push((it, board.message));
                }
            }
            if taken.len() == before || still.is_empty() {
                left_out.extend(still.into_iter().map(|(it, why)| LeftOut {
                    device: it.0.to_owned(),
                    why,
                }));
                break;
            }
            left = still.into_iter().map(|it| it.0).collect();
        }
        let way = (!taken.is_empty()).then(|| self.way(&taken))?;
        Some((taken, way))
    }
}
