//! What runs what: each device alone on each port, straight or through the converters that it
//! needs.

use super::cell::{Column, Place, RunCell, cell, places};
use super::together::{Together, together};
use super::{LOOKED_H, outage_of, plain};
use crate::ground::json::FieldError;
use crate::ground::say::{Name, Sentence};
use crate::ground::work;
use crate::limits::Status;
use crate::site::plan::{Outage, Plan};
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
    /// Devices that are judged together on each port, by id; the rows where left out, none where
    /// empty.
    pub together: Option<Vec<String>>,
    /// The outage in which hours are looked for, by id; one in which nothing comes where left out.
    pub outage: Option<String>,
    /// Length of each lead that is proposed, m; above 0, at most 500.
    pub length_m: f64,
}

impl Default for RunsAsk {
    fn default() -> Self {
        Self {
            devices: Vec::new(),
            ports: Vec::new(),
            together: None,
            outage: None,
            length_m: LENGTH_M,
        }
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

/// Which port runs which device: each alone on each port of each source that gives anything in an
/// outage, and behind each inverter; and those that are ticked on each of them together. A cell
/// takes the fewest converters with which it holds, and of those that are alike the thriftiest.
///
/// # Errors
/// Names the field that cannot be, and tells where there are more cells than [`MOST_CELLS`].
pub fn runs(plan: &Plan, ask: &RunsAsk) -> Result<Runs, FieldError> {
    let devices = devices_of(plan, &ask.devices)?;
    let ticked = ask
        .together
        .as_ref()
        .map_or_else(|| Ok(devices.clone()), |it| some_devices(plan, it))?;
    let places: Vec<Place<'_>> = places(plan)
        .into_iter()
        .filter(|it| is_asked(it, &ask.ports))
        .collect();
    if let Some(unknown) = ask
        .ports
        .iter()
        .find(|it| !places.iter().any(|place| is_called(place, it)))
    {
        let why = format!(
            "names \"{unknown}\", which is no port that gives anything in an outage; name one \
            as \"station/outlet\""
        );
        return Err(FieldError::of("ports", why));
    }
    if !(ask.length_m > 0.0 && ask.length_m <= 500.0) {
        return Err(FieldError::of(
            "length_m",
            format!(
                "is {}; a lead is longer than 0 and at most 500 m long",
                ask.length_m
            ),
        ));
    }
    if devices.len().max(ticked.len()) * places.len() > MOST_CELLS {
        let why = format!(
            "are {} on {} ports, more than {MOST_CELLS} cells; name some of them",
            devices.len(),
            places.len()
        );
        return Err(FieldError::of("devices", why));
    }
    let outage = match &ask.outage {
        Some(id) => outage_of(plan, id)?.clone(),
        None => plain(LOOKED_H),
    };
    let all: Vec<&str> = devices
        .iter()
        .copied()
        .chain(ticked.iter().copied().filter(|it| !devices.contains(it)))
        .collect();
    let job = work::current();
    let one = |(device, place): (usize, usize)| {
        work::carried(job.as_ref(), || {
            cell(plan, &places[place], all[device], &[], ask.length_m)
        })
    };
    let pairs: Vec<(usize, usize)> = (0..all.len())
        .flat_map(|it| (0..places.len()).map(move |place| (it, place)))
        .collect();
    let flat: Vec<RunCell> = pairs.into_par_iter().map(one).collect();
    let rows: Vec<Vec<RunCell>> = flat
        .chunks(places.len().max(1))
        .map(<[_]>::to_vec)
        .collect();
    let together = if ticked.is_empty() {
        Vec::new()
    } else {
        foot(plan, &places, (&all, &rows), &ticked, &outage, ask.length_m)
    };
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
            .filter_map(|id| {
                Some((
                    *id,
                    rows.get(all.iter().position(|it| it == id)?)?.get(column)?,
                ))
            })
            .collect();
        work::carried(job.as_ref(), || {
            together(plan, &places[column], &cells, outage, length_m)
        })
    };
    (0..places.len()).into_par_iter().map(one).collect()
}

fn devices_of<'a>(plan: &'a Plan, asked: &[String]) -> Result<Vec<&'a str>, FieldError> {
    if asked.is_empty() {
        return Ok(plan.kit.devices.iter().map(|it| it.id.as_str()).collect());
    }
    some_devices(plan, asked)
}

/// Devices by their ids, each once.
pub(super) fn some_devices<'a>(
    plan: &'a Plan,
    asked: &[String],
) -> Result<Vec<&'a str>, FieldError> {
    let mut list: Vec<&str> = Vec::new();
    for id in asked {
        let found = plan.device(id);
        let found = found.ok_or_else(|| {
            FieldError::of(
                "devices",
                format!("names \"{id}\", and the plan has no device of that id"),
            )
        })?;
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

/// "Of 12 devices, each alone, 7 hold on House bank, studs (1 more is open), and 3 hold on Station,
/// outlet. Nothing here runs Hooter."
fn sentence(plan: &Plan, ports: &[Column], devices: &[&str], cells: &[Vec<RunCell>]) -> Sentence {
    if devices.is_empty() || ports.is_empty() {
        return "There is nothing to compare yet: it takes a device and a source with a port."
            .into();
    }
    let count = |column: usize, of: fn(&RunCell) -> bool| {
        cells.iter().filter(|row| of(&row[column])).count()
    };
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
    order.sort_by_key(|it| {
        (
            std::cmp::Reverse((proven(*it), open(*it))),
            ports[*it].behind.len(),
            *it,
        )
    });
    let first = order[0];
    let all = if devices.len() == 1 {
        "device"
    } else {
        "devices"
    };
    let mut said = format!("Of {} {all}, each alone, {}", devices.len(), told(first));
    let other = order
        .iter()
        .find(|it| ports[**it].item != ports[first].item && proven(**it) + open(**it) > 0);
    if let Some(other) = other {
        said += &format!(", and {}", told(*other));
    }
    let mut dark = devices
        .iter()
        .zip(cells)
        .filter(|it| !it.1.iter().any(RunCell::runs))
        .map(|it| *it.0);
    if let Some(one) = dark.next() {
        let others = match dark.count() {
            0 => String::new(),
            more => format!(" and {more} more"),
        };
        said += &format!(". Nothing here runs {}{others}", Name(plan.label(one)));
    }
    format!("{said}.").into()
}
