//! One device on one port, alone, with the converters that it takes in between.

use super::board::{Bare, Board, RatingUse, Tried, tried};
use crate::ground::say::{Name, Sentence};
use crate::limits::{Code, Status};
use crate::site::plan::{
    Arrangement, Converter, ConverterKind, From, Id, Plan, Port, Source, SourceKind,
};
use serde::Serialize;

/// A port of a source, and the inverter behind it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(rename = "RunsPort")
)]
pub struct Column {
    /// The source.
    pub item: String,
    /// Its port.
    pub port: String,
    /// The inverter behind it; none for the port itself.
    pub behind: Vec<String>,
    /// It in words.
    pub label: String,
    /// When it gives anything at all, where that is not always.
    pub only: Option<Sentence>,
}

/// One device on one port, alone.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct RunCell {
    /// The worst verdict at any moment and charge, and while it is charged.
    pub status: Status,
    /// What decides: the worst finding, or the rating with the least room where all is well.
    pub code: Option<Code>,
    /// Where that is: an item, a feed or `item/port`.
    #[serde(rename = "where")]
    pub place: String,
    /// The value that decides.
    pub value: Option<f64>,
    /// The limit that it is judged against.
    pub limit: Option<f64>,
    /// The unit of both.
    pub unit: &'static str,
    /// Whether it is open only because nobody stated something.
    pub unstated: bool,
    /// The rating with the least room, whatever decides.
    pub rating: Option<RatingUse>,
    /// The converters that it takes in between, from the port on, by id.
    pub via: Vec<String>,
    /// Why the labels refuse it, where they do: nothing was put together then.
    pub refused: Option<Sentence>,
    /// The verdict in three or four words; empty where it holds.
    pub brief: Sentence,
    /// The verdict in a sentence.
    pub message: Sentence,
    /// It as an arrangement, with the leads and fuses that it was judged with; none where the
    /// labels refuse it.
    pub arrangement: Option<Arrangement>,
    /// Whether it trips alone only in ways that more load on the same port mends.
    #[serde(skip)]
    pub(super) wants_load: bool,
}

impl RunCell {
    fn refused(plan: &Plan, device: &str, why: &str) -> Self {
        Self {
            status: Status::Trips,
            code: None,
            place: device.to_owned(),
            value: None,
            limit: None,
            unit: "",
            unstated: false,
            rating: None,
            via: Vec::new(),
            refused: Some(why.to_owned().into()),
            brief: "does not fit".into(),
            message: format!("{}: {why}.", Name(plan.label(device))).into(),
            arrangement: None,
            wants_load: false,
        }
    }

    fn judged(board: Board, via: Vec<String>) -> Self {
        let (worst, rating) = (board.worst, board.rating);
        let told = worst
            .as_ref()
            .map(|it| (it.code, it.place.clone(), it.value, it.limit, it.unit));
        let told = told.or_else(|| {
            rating
                .as_ref()
                .map(|it| (it.code, it.place.clone(), it.value, it.limit, it.unit))
        });
        Self {
            status: board.status,
            code: told.as_ref().map(|it| it.0),
            value: told.as_ref().map(|it| it.2),
            limit: told.as_ref().map(|it| it.3),
            unit: told.as_ref().map_or("", |it| it.4),
            place: told.map(|it| it.1).unwrap_or_default(),
            unstated: worst.is_some_and(|it| it.unstated),
            rating,
            via,
            refused: None,
            brief: board.brief,
            message: board.message,
            arrangement: Some(board.arrangement),
            wants_load: board.wants_load,
        }
    }

    /// Whether the device can be run so beside others, if not alone.
    pub(super) fn may_run(&self) -> bool {
        self.runs() || self.wants_load
    }

    /// Whether the device can be run so at all.
    pub fn runs(&self) -> bool {
        self.refused.is_none() && self.status < Status::Trips
    }
}

/// A column with what it is made of.
#[derive(Debug, Clone, Copy)]
pub(super) struct Place<'a> {
    pub(super) source: &'a Source,
    pub(super) port: &'a Port,
    pub(super) behind: Option<(&'a Converter, &'a Port)>,
}

pub(super) fn from(item: &Id, port: &Port) -> From {
    From {
        item: item.clone(),
        port: port.id.clone(),
    }
}

impl Place<'_> {
    /// The way from the source to where something is plugged in.
    fn path(&self) -> Vec<From> {
        let first = from(&self.source.id, self.port);
        std::iter::once(first)
            .chain(self.behind.map(|(it, out)| from(&it.id, out)))
            .collect()
    }

    pub(super) fn told(&self) -> Column {
        let port = self.port.label.as_deref().unwrap_or(self.port.id.as_str());
        let through = self
            .behind
            .map_or_else(String::new, |it| format!(", behind {}", it.0.label));
        let engine = self.source.runs() && self.source.battery.is_none();
        Column {
            item: self.source.id.to_string(),
            port: self.port.id.to_string(),
            behind: self.behind.iter().map(|it| it.0.id.to_string()).collect(),
            label: format!("{}, {port}{through}", self.source.label),
            only: engine.then(|| "only while its engine runs".into()),
        }
    }
}

/// The ports at which devices can be run in an outage, and inverters behind those that can feed
/// one.
pub(super) fn places(plan: &Plan) -> Vec<Place<'_>> {
    let gives = |it: &&Source| !matches!(it.kind, SourceKind::Mains | SourceKind::Panel);
    let ports = plan
        .kit
        .sources
        .iter()
        .filter(gives)
        .flat_map(|it| it.ports.iter().map(move |port| (it, port)));
    let inverters: Vec<&Converter> = plan
        .kit
        .converters
        .iter()
        .filter(|it| it.kind == ConverterKind::Inverter)
        .collect();
    let mut list = Vec::new();
    for (source, port) in ports {
        list.push(Place {
            source,
            port,
            behind: None,
        });
        for inverter in &inverters {
            let none = Arrangement::of_feeds(Vec::new());
            if crate::advice::fits::refused(
                plan,
                &none,
                &[from(&source.id, port)],
                inverter.id.as_str(),
            )
            .is_none()
            {
                list.extend(inverter.outputs.iter().map(|out| Place {
                    source,
                    port,
                    behind: Some((inverter, out)),
                }));
            }
        }
    }
    list
}

/// How many converters stand in between at most.
const MOST_STAGES: usize = 2;

/// The best of some paths of as many converters, with its leads, and what it draws, W. Of all that
/// might be the best as they stand without leads, those are given leads that nothing which has them
/// already betters.
fn best_of(
    plan: &Plan,
    mut bare: Vec<(Vec<String>, Bare)>,
    length_m: f64,
) -> Option<(f64, RunCell)> {
    bare.sort_by(|a, b| {
        a.1.status
            .cmp(&b.1.status)
            .then(a.1.drawn_w.total_cmp(&b.1.drawn_w))
    });
    let mut best: Option<(f64, RunCell)> = None;
    for (via, it) in bare {
        let beaten = |(least, now): &(f64, RunCell)| {
            now.status < it.status || now.status == it.status && *least <= it.drawn_w + 1e-9
        };
        if best.as_ref().is_some_and(beaten) {
            continue;
        }
        let board = it.with_leads(plan, length_m);
        let watts = board.drawn_w(plan);
        let better = best.as_ref().is_none_or(|(least, now)| {
            board.status < now.status || board.status == now.status && watts < *least - 1e-9
        });
        if better {
            best = Some((watts, RunCell::judged(board, via)));
        }
    }
    best
}

/// One device on one port, without converters that are taken elsewhere.
pub(super) fn cell(
    plan: &Plan,
    place: &Place<'_>,
    device: &str,
    taken: &[String],
    length_m: f64,
) -> RunCell {
    let column = place.told();
    let label = format!("{} on {}", plan.label(device), column.label);
    let path = place.path();
    let mut best: Option<RunCell> = None;
    let mut refused: Option<String> = None;
    let mut ways: Vec<Vec<From>> = vec![path.clone()];
    for stages in 0..=MOST_STAGES {
        let mut found: Vec<(Vec<String>, Bare)> = Vec::new();
        for way in &ways {
            match tried(plan, way, device, &label) {
                Some(Tried::Bare(bare)) => {
                    let via = way[path.len()..]
                        .iter()
                        .map(|it| it.item.to_string())
                        .collect();
                    found.push((via, *bare));
                }
                // What is said of the port itself helps; that some converter does not fit either
                // does not.
                Some(Tried::Refused(why)) if stages == 0 => refused = Some(why),
                _ => {}
            }
        }
        // What cannot be better than what takes fewer is not laid at all.
        let worth =
            |it: &(Vec<String>, Bare)| best.as_ref().is_none_or(|now| it.1.status < now.status);
        found.retain(worth);
        if let Some((_, it)) = best_of(plan, found, length_m)
            && best.as_ref().is_none_or(|now| it.status < now.status)
        {
            best = Some(it);
        }
        let enough = if stages == 0 {
            Status::Tight
        } else {
            Status::Unproven
        };
        if best.as_ref().is_some_and(|it| it.status <= enough) || stages == MOST_STAGES {
            break;
        }
        ways = longer(plan, taken, &path, &ways);
    }
    match best {
        Some(cell) => cell,
        None => RunCell::refused(
            plan,
            device,
            refused.as_deref().unwrap_or("cannot be plugged in"),
        ),
    }
}

/// Each way of the fewest stages with which a device does not trip on a port, alone.
pub(super) fn ways_of(plan: &Plan, place: &Place<'_>, device: &str, length_m: f64) -> Vec<RunCell> {
    let path = place.path();
    let label = format!("{} on {}", plan.label(device), place.told().label);
    let mut ways: Vec<Vec<From>> = vec![path.clone()];
    let mut all: Vec<RunCell> = Vec::new();
    for stages in 0..=MOST_STAGES {
        let judged = ways
            .iter()
            .filter_map(|way| match tried(plan, way, device, &label)? {
                Tried::Bare(bare) => {
                    let via = way[path.len()..]
                        .iter()
                        .map(|it| it.item.to_string())
                        .collect();
                    Some(RunCell::judged(bare.with_leads(plan, length_m), via))
                        .filter(RunCell::may_run)
                }
                Tried::Refused(_) => None,
            });
        all.extend(judged);
        // What only runs beside others does not keep from looking further.
        if all.iter().any(RunCell::runs) || stages == MOST_STAGES {
            break;
        }
        ways = longer(plan, &[], &path, &ways);
    }
    all
}

/// Each way with one more converter at its end, where the labels let it follow.
fn longer(plan: &Plan, taken: &[String], start: &[From], ways: &[Vec<From>]) -> Vec<Vec<From>> {
    let none = Arrangement::of_feeds(Vec::new());
    let mut list = Vec::new();
    for way in ways {
        let fits = |it: &&Converter| {
            let made_for_it = !matches!(
                it.kind,
                ConverterKind::Junction | ConverterKind::Charger | ConverterKind::Inverter
            );
            made_for_it
                && !taken.iter().any(|id| id == it.id.as_str())
                && way.iter().all(|from| from.item != it.id)
                && way.last().is_some_and(|end| {
                    crate::advice::fits::refused(
                        plan,
                        &none,
                        std::slice::from_ref(end),
                        it.id.as_str(),
                    )
                    .is_none()
                })
        };
        // Two stages in a row only behind what is one already.
        if way.len() - start.len() >= MOST_STAGES {
            continue;
        }
        for converter in plan.kit.converters.iter().filter(fits) {
            list.extend(converter.outputs.iter().map(|out| {
                let mut more = way.clone();
                more.push(from(&converter.id, out));
                more
            }));
        }
    }
    list
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::advice::shelf::runs::LENGTH_M;

    /// What is left out of a cell without giving it leads could not have been the best.
    #[test]
    fn leads_make_nothing_better_and_draw_no_less() {
        let plan = Plan::parse(include_str!("../../../../../demo/hollin-lock.plan.json")).unwrap();
        let mut seen = 0;
        for place in places(&plan) {
            let path = place.path();
            let longer = longer(&plan, &[], &path, std::slice::from_ref(&path));
            for device in &plan.kit.devices {
                for way in std::iter::once(&path).chain(&longer) {
                    let Some(Tried::Bare(bare)) = tried(&plan, way, device.id.as_str(), "") else {
                        continue;
                    };
                    let (status, drawn_w) = (bare.status, bare.drawn_w);
                    let board = bare.with_leads(&plan, LENGTH_M);
                    assert!(
                        board.status >= status,
                        "{device:?} on {way:?}: {} {status:?}",
                        board.message.plain()
                    );
                    assert!(
                        board.drawn_w(&plan) >= drawn_w - 1e-9,
                        "{device:?} on {way:?}"
                    );
                    seen += 1;
                }
            }
        }
        assert!(seen > 100, "{seen}");
    }
}
