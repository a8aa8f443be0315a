//! What runs what: each device alone on each port, straight or through the converters that it needs.

use super::board::{Bare, Board, RatingUse, Tried, tried};
use super::together::{Together, together};
use super::{LOOKED_H, Refused, outage_of, plain};
use crate::limits::{Code, Status};
use crate::plan::{Arrangement, Converter, ConverterKind, From, Id, Outage, Plan, Port, Source, SourceKind};
use crate::say::{Name, Sentence};
use crate::work;
use rayon::prelude::*;
use serde::Serialize;

/// Cells that are told at most.
pub const MOST_CELLS: usize = 20_000;
/// Length of the leads that are proposed where nobody says another, m.
pub(super) const LENGTH_M: f64 = 2.0;

/// What is asked.
#[derive(Debug, Clone, PartialEq)]
pub struct RunsAsk {
    /// Devices by id; all of them where empty.
    pub devices: Vec<String>,
    /// Ports as `source/port`, or a source for all of its own; all of them where empty.
    pub ports: Vec<String>,
    /// Devices that are judged together on each port, by id; the rows where left out, none where empty.
    pub together: Option<Vec<String>>,
    /// The outage in which hours are looked for, by id; one in which nothing comes where left out.
    pub outage: Option<String>,
    /// Length of each lead that is proposed, m; above 0, at most 500.
    pub length_m: f64,
}

impl Default for RunsAsk {
    fn default() -> Self {
        Self { devices: Vec::new(), ports: Vec::new(), together: None, outage: None, length_m: LENGTH_M }
    }
}

/// What runs what.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Runs {
    /// The ports, and the inverters behind them.
    pub ports: Vec<Column>,
    /// The devices, by id.
    pub devices: Vec<String>,
    /// One list for each device, with one cell for each port.
    pub cells: Vec<Vec<RunCell>>,
    /// The devices that were ticked, on each port together.
    pub together: Vec<Together>,
    /// What it comes to, in a sentence.
    pub sentence: Sentence,
}

/// A port of a source, and the inverter behind it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(rename = "RunsPort"))]
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
    /// It as an arrangement, with the leads and fuses that it was judged with; none where the labels refuse it.
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
        let told = worst.as_ref().map(|it| (it.code, it.place.clone(), it.value, it.limit, it.unit));
        let told = told.or_else(|| rating.as_ref().map(|it| (it.code, it.place.clone(), it.value, it.limit, it.unit)));
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

fn from(item: &Id, port: &Port) -> From {
    From { item: item.clone(), port: port.id.clone() }
}

impl Place<'_> {
    /// The way from the source to where something is plugged in.
    fn path(&self) -> Vec<From> {
        let first = from(&self.source.id, self.port);
        std::iter::once(first).chain(self.behind.map(|(it, out)| from(&it.id, out))).collect()
    }

    pub(super) fn told(&self) -> Column {
        let port = self.port.label.as_deref().unwrap_or(self.port.id.as_str());
        let through = self.behind.map_or_else(String::new, |it| format!(", behind {}", it.0.label));
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

/// The ports at which devices can be run in an outage, and inverters behind those that can feed one.
pub(super) fn places(plan: &Plan) -> Vec<Place<'_>> {
    let gives = |it: &&Source| !matches!(it.kind, SourceKind::Mains | SourceKind::Panel);
    let ports = plan.kit.sources.iter().filter(gives).flat_map(|it| it.ports.iter().map(move |port| (it, port)));
    let inverters: Vec<&Converter> =
        plan.kit.converters.iter().filter(|it| it.kind == ConverterKind::Inverter).collect();
    let mut list = Vec::new();
    for (source, port) in ports {
        list.push(Place { source, port, behind: None });
        for inverter in &inverters {
            let none = Arrangement::of_feeds(Vec::new());
            if crate::fits::refused(plan, &none, &[from(&source.id, port)], inverter.id.as_str()).is_none() {
                list.extend(inverter.outputs.iter().map(|out| Place { source, port, behind: Some((inverter, out)) }));
            }
        }
    }
    list
}

/// Which port runs which device: each alone on each port of each source that gives anything in an outage, and behind each
/// inverter; and those that are ticked on each of them together. A cell takes the fewest converters with which it holds, and of
/// those that are alike the thriftiest.
///
/// # Errors
/// Names the field that cannot be, and tells where there are more cells than [`MOST_CELLS`].
pub fn runs(plan: &Plan, ask: &RunsAsk) -> Result<Runs, Refused> {
    let devices = devices_of(plan, &ask.devices)?;
    let ticked = ask.together.as_ref().map_or_else(|| Ok(devices.clone()), |it| some_devices(plan, it))?;
    let places: Vec<Place<'_>> = places(plan).into_iter().filter(|it| is_asked(it, &ask.ports)).collect();
    if let Some(unknown) = ask.ports.iter().find(|it| !places.iter().any(|place| is_called(place, it))) {
        let why = format!(
            "names \"{unknown}\", which is no port that gives anything in an outage; name one as \"station/outlet\""
        );
        return Err(Refused::of("ports", why));
    }
    if !(ask.length_m > 0.0 && ask.length_m <= 500.0) {
        return Err(Refused::of(
            "length_m",
            format!("is {}; a lead is longer than 0 and at most 500 m long", ask.length_m),
        ));
    }
    if devices.len().max(ticked.len()) * places.len() > MOST_CELLS {
        let why =
            format!("are {} on {} ports, more than {MOST_CELLS} cells; name some of them", devices.len(), places.len());
        return Err(Refused::of("devices", why));
    }
    let outage = match &ask.outage {
        Some(id) => outage_of(plan, id)?.clone(),
        None => plain(LOOKED_H),
    };
    let all: Vec<&str> =
        devices.iter().copied().chain(ticked.iter().copied().filter(|it| !devices.contains(it))).collect();
    let job = work::current();
    let one = |(device, place): (usize, usize)| {
        work::carried(job.as_ref(), || cell(plan, &places[place], all[device], &[], ask.length_m))
    };
    let pairs: Vec<(usize, usize)> =
        (0..all.len()).flat_map(|it| (0..places.len()).map(move |place| (it, place))).collect();
    let flat: Vec<RunCell> = pairs.into_par_iter().map(one).collect();
    let rows: Vec<Vec<RunCell>> = flat.chunks(places.len().max(1)).map(<[_]>::to_vec).collect();
    let together =
        if ticked.is_empty() { Vec::new() } else { foot(plan, &places, (&all, &rows), &ticked, &outage, ask.length_m) };
    let cells: Vec<Vec<RunCell>> = rows.into_iter().take(devices.len()).collect();
    let ports: Vec<Column> = places.iter().map(Place::told).collect();
    Ok(Runs {
        sentence: sentence(plan, &ports, &devices, &cells),
        ports,
        devices: devices.iter().map(|it| (*it).to_owned()).collect(),
        cells,
        together,
    })
}

fn foot(
    plan: &Plan,
    places: &[Place<'_>],
    (all, rows): (&[&str], &[Vec<RunCell>]),
    ticked: &[&str],
    outage: &Outage,
    length_m: f64,
) -> Vec<Together> {
    let job = work::current();
    let one = |column: usize| {
        let cells: Vec<(&str, &RunCell)> = ticked
            .iter()
            .filter_map(|id| Some((*id, rows.get(all.iter().position(|it| it == id)?)?.get(column)?)))
            .collect();
        work::carried(job.as_ref(), || together(plan, &places[column], &cells, outage, length_m))
    };
    (0..places.len()).into_par_iter().map(one).collect()
}

fn devices_of<'a>(plan: &'a Plan, asked: &[String]) -> Result<Vec<&'a str>, Refused> {
    if asked.is_empty() {
        return Ok(plan.kit.devices.iter().map(|it| it.id.as_str()).collect());
    }
    some_devices(plan, asked)
}

/// Devices by their ids, each once.
pub(super) fn some_devices<'a>(plan: &'a Plan, asked: &[String]) -> Result<Vec<&'a str>, Refused> {
    let mut list: Vec<&str> = Vec::new();
    for id in asked {
        let found = plan.device(id);
        let found = found
            .ok_or_else(|| Refused::of("devices", format!("names \"{id}\", and the plan has no device of that id")))?;
        if !list.contains(&found.id.as_str()) {
            list.push(found.id.as_str());
        }
    }
    Ok(list)
}

fn is_called(place: &Place<'_>, name: &str) -> bool {
    match name.split_once('/') {
        Some((item, port)) => place.source.id.as_str() == item && place.port.id.as_str() == port,
        None => place.source.id.as_str() == name,
    }
}

fn is_asked(place: &Place<'_>, ports: &[String]) -> bool {
    ports.is_empty() || ports.iter().any(|it| is_called(place, it))
}

/// How many converters stand in between at most.
const MOST_STAGES: usize = 2;

/// The best of some paths of as many converters, with its leads, and what it draws, W. Of all that might be the best as they
/// stand without leads, those are given leads that nothing which has them already betters.
fn best_of(plan: &Plan, mut bare: Vec<(Vec<String>, Bare)>, length_m: f64) -> Option<(f64, RunCell)> {
    bare.sort_by(|a, b| a.1.status.cmp(&b.1.status).then(a.1.drawn_w.total_cmp(&b.1.drawn_w)));
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
pub(super) fn cell(plan: &Plan, place: &Place<'_>, device: &str, taken: &[String], length_m: f64) -> RunCell {
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
                    let via = way[path.len()..].iter().map(|it| it.item.to_string()).collect();
                    found.push((via, *bare));
                }
                // What is said of the port itself helps; that some converter does not fit either does not.
                Some(Tried::Refused(why)) if stages == 0 => refused = Some(why),
                _ => {}
            }
        }
        // What cannot be better than what takes fewer is not laid at all.
        let worth = |it: &(Vec<String>, Bare)| best.as_ref().is_none_or(|now| it.1.status < now.status);
        found.retain(worth);
        if let Some((_, it)) = best_of(plan, found, length_m)
            && best.as_ref().is_none_or(|now| it.status < now.status)
        {
            best = Some(it);
        }
        let enough = if stages == 0 { Status::Tight } else { Status::Unproven };
        if best.as_ref().is_some_and(|it| it.status <= enough) || stages == MOST_STAGES {
            break;
        }
        ways = longer(plan, taken, &path, &ways);
    }
    match best {
        Some(cell) => cell,
        None => RunCell::refused(plan, device, refused.as_deref().unwrap_or("cannot be plugged in")),
    }
}

/// Each way of the fewest stages with which a device does not trip on a port, alone.
pub(super) fn ways_of(plan: &Plan, place: &Place<'_>, device: &str, length_m: f64) -> Vec<RunCell> {
    let path = place.path();
    let label = format!("{} on {}", plan.label(device), place.told().label);
    let mut ways: Vec<Vec<From>> = vec![path.clone()];
    let mut all: Vec<RunCell> = Vec::new();
    for stages in 0..=MOST_STAGES {
        let judged = ways.iter().filter_map(|way| match tried(plan, way, device, &label)? {
            Tried::Bare(bare) => {
                let via = way[path.len()..].iter().map(|it| it.item.to_string()).collect();
                Some(RunCell::judged(bare.with_leads(plan, length_m), via)).filter(RunCell::may_run)
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
            let made_for_it =
                !matches!(it.kind, ConverterKind::Junction | ConverterKind::Charger | ConverterKind::Inverter);
            made_for_it
                && !taken.iter().any(|id| id == it.id.as_str())
                && way.iter().all(|from| from.item != it.id)
                && way.last().is_some_and(|end| {
                    crate::fits::refused(plan, &none, std::slice::from_ref(end), it.id.as_str()).is_none()
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

/// "Of 12 devices, each alone, 7 hold on House bank, studs (1 more is open), and 3 hold on Station, outlet. Nothing here runs Hooter."
fn sentence(plan: &Plan, ports: &[Column], devices: &[&str], cells: &[Vec<RunCell>]) -> Sentence {
    if devices.is_empty() || ports.is_empty() {
        return "There is nothing to compare yet: it takes a device and a source with a port.".into();
    }
    let count = |column: usize, of: fn(&RunCell) -> bool| cells.iter().filter(|row| of(&row[column])).count();
    let proven = |it: usize| count(it, |cell| cell.runs() && cell.status < Status::Unproven);
    let open = |it: usize| count(it, |cell| cell.runs() && cell.status == Status::Unproven);
    let told = |it: usize| {
        let more = match open(it) {
            0 => String::new(),
            1 => " (1 more is open)".to_owned(),
            number => format!(" ({number} more are open)"),
        };
        let hold = if proven(it) == 1 { "holds" } else { "hold" };
        format!("{} {hold} on {}{more}", proven(it), Name(&ports[it].label))
    };
    let mut order: Vec<usize> = (0..ports.len()).collect();
    order.sort_by_key(|it| (std::cmp::Reverse((proven(*it), open(*it))), ports[*it].behind.len(), *it));
    let first = order[0];
    let all = if devices.len() == 1 { "device" } else { "devices" };
    let mut said = format!("Of {} {all}, each alone, {}", devices.len(), told(first));
    let other = order.iter().find(|it| ports[**it].item != ports[first].item && proven(**it) + open(**it) > 0);
    if let Some(other) = other {
        said += &format!(", and {}", told(*other));
    }
    let mut dark = devices.iter().zip(cells).filter(|it| !it.1.iter().any(RunCell::runs)).map(|it| *it.0);
    if let Some(one) = dark.next() {
        let others = match dark.count() {
            0 => String::new(),
            more => format!(" and {more} more"),
        };
        said += &format!(". Nothing here runs {}{others}", Name(plan.label(one)));
    }
    format!("{said}.").into()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What is left out of a cell without giving it leads could not have been the best.
    #[test]
    fn leads_make_nothing_better_and_draw_no_less() {
        let plan = Plan::parse(include_str!("../../../../demo/hollin-lock.plan.json")).unwrap();
        let mut seen = 0;
        for place in places(&plan) {
            let path = place.path();
            let longer = longer(&plan, &[], &path, std::slice::from_ref(&path));
            for device in &plan.kit.devices {
                for way in std::iter::once(&path).chain(&longer) {
                    let Some(Tried::Bare(bare)) = tried(&plan, way, device.id.as_str(), "") else { continue };
                    let (status, drawn_w) = (bare.status, bare.drawn_w);
                    let board = bare.with_leads(&plan, LENGTH_M);
                    assert!(board.status >= status, "{device:?} on {way:?}: {} {status:?}", board.message.plain());
                    assert!(board.drawn_w(&plan) >= drawn_w - 1e-9, "{device:?} on {way:?}");
                    seen += 1;
                }
            }
        }
        assert!(seen > 100, "{seen}");
    }
}
