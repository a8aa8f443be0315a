//! The file of a watch, row by row: what meters showed, and what people did.

use super::plugged::{can_plug, outlet, plugged};
use super::seen::{Act, Acted, Reading, Seen};
use crate::ground::json::FieldError;
use crate::site::plan::{Arrangement, Outage, Plan};

/// Readings that are taken at most: two days of one each second.
pub const MOST_ROWS: usize = 200_000;

/// Reads the file of a watch: `time_s,source,volts,amps,watts,percent,action,item`, in any order of
/// columns, blanks allowed. An action is `drop`, `restore`, `over` (to the outlet in `source`, as
/// `item/port`), `lost`, `mains_back`, `mains_gone`, `charge` (of the source, with watts) or
/// `note`.
///
/// # Errors
/// Names the row, the column, and what is wrong: a time that goes back or lies beyond the outage, a
/// value that cannot be, a source or device that has no part in the arrangement.
///
/// ```
/// use ash_pond_core::{site::plan::Plan, keeping::watch::read_seen};
/// let case: serde_json::Value = serde_json::from_str(
///     include_str!("../../../tests/cases/watch/a-voltmeter-once-an-hour-01.json")).unwrap();
/// let plan = Plan::from_value(&case["plan"]).unwrap();
/// let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
/// let seen = read_seen("time_s,source,volts\n0,old,12.6\n3600,old,12.5\n", &plan, way, outage).unwrap();
/// assert_eq!(seen.readings[1].volts, Some(12.5));
/// let error = read_seen("time_s,source,volts\n0,oven,12.6\n", &plan, way, outage).unwrap_err();
/// assert!(error.to_string().contains("row 1"), "{error}");
/// ```
pub fn read_seen(
    text: &str,
    plan: &Plan,
    way: &Arrangement,
    outage: &Outage,
) -> Result<Seen, FieldError> {
    const COLUMNS: [&str; 8] = [
        "time_s", "source", "volts", "amps", "watts", "percent", "action", "item",
    ];
    let mut reader = csv::ReaderBuilder::new()
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let head = reader
        .headers()
        .map_err(|error| FieldError::new("readings", error.to_string()))?
        .clone();
    for name in &head {
        if !COLUMNS.contains(&name.trim_start_matches('\u{feff}')) {
            let why = format!("has a column \"{name}\"; use {}", COLUMNS.join(", "));
            return Err(FieldError::new("readings", why));
        }
    }
    let place = |name: &str| {
        head.iter()
            .position(|it| it.trim_start_matches('\u{feff}') == name)
    };
    if place("time_s").is_none() {
        return Err(FieldError::new(
            "readings",
            "has no column time_s: seconds since the outage began",
        ));
    }
    let mut seen = Seen::default();
    let mut before = 0.0;
    // Where everything hangs now, and everything that ever hung somewhere.
    let (mut now, mut ever) = (way.clone(), way.clone());
    for (index, row) in reader.records().enumerate() {
        let number = index + 1;
        if number > MOST_ROWS {
            return Err(FieldError::new(
                "readings",
                format!("has more than {MOST_ROWS} rows; thin it out"),
            ));
        }
        let row =
            row.map_err(|error| FieldError::new("readings", format!("row {number}: {error}")))?;
        let cells = Cells {
            row: &row,
            number,
            place: &place,
        };
        let at_s = cells.number("time_s", 0.0..=outage.hours.get() * 3600.0)?;
        let at_s = at_s.ok_or_else(|| cells.wrong("time_s", "is empty; say when, in seconds"))?;
        if at_s < before {
            return Err(cells.wrong("time_s", "goes back; put the rows in order"));
        }
        before = at_s;
        let source = cells.text("source").to_owned();
        if let Some(act) = cells.act(plan, &now, &source)? {
            if matches!(act, Act::Over(..)) {
                now = plugged(
                    plan,
                    &now,
                    &[Acted {
                        at_s,
                        act: act.clone(),
                    }],
                );
                ever.feeds.extend(now.feeds.iter().cloned());
            }
            seen.acted.push(Acted { at_s, act });
            continue;
        }
        let reading = Reading {
            at_s,
            volts: cells.number("volts", 0.0..=2000.0)?,
            amps: cells.number("amps", -1000.0..=1000.0)?,
            watts: cells.number("watts", 0.0..=1e6)?,
            percent: cells.number("percent", 0.0..=100.0)?,
            source,
        };
        if reading.volts.is_none()
            && reading.amps.is_none()
            && reading.watts.is_none()
            && reading.percent.is_none()
        {
            continue;
        }
        cells.store(plan, &ever, &reading.source)?;
        seen.readings.push(reading);
    }
    Ok(seen)
}

/// One row.
struct Cells<'a> {
    row: &'a csv::StringRecord,
    number: usize,
    place: &'a dyn Fn(&str) -> Option<usize>,
}

impl Cells<'_> {
    fn wrong(&self, column: &str, why: &str) -> FieldError {
        FieldError::new("readings", format!("row {}, {column}: {why}", self.number))
    }

    fn text(&self, column: &str) -> &str {
        (self.place)(column)
            .and_then(|it| self.row.get(it))
            .unwrap_or_default()
    }

    fn number(
        &self,
        column: &str,
        range: std::ops::RangeInclusive<f64>,
    ) -> Result<Option<f64>, FieldError> {
        let text = self.text(column);
        if text.is_empty() {
            return Ok(None);
        }
        let value: Option<f64> = text.parse().ok();
        let value = value.ok_or_else(|| self.wrong(column, &format!("\"{text}\" is no number")))?;
        if range.contains(&value) {
            return Ok(Some(value));
        }
        let (low, high) = range.into_inner();
        Err(self.wrong(
            column,
            &format!("is {value}, which cannot be; it lies between {low} and {high}"),
        ))
    }

    fn store(&self, plan: &Plan, way: &Arrangement, id: &str) -> Result<(), FieldError> {
        let used = way
            .feeds
            .iter()
            .any(|it| it.from.item.as_str() == id || it.to.item.as_str() == id);
        let stores = plan
            .kit
            .sources
            .iter()
            .filter(|it| it.battery.is_some())
            .map(|it| it.id.as_str());
        let known: Vec<&str> = stores
            .filter(|id| {
                way.feeds
                    .iter()
                    .any(|it| it.from.item.as_str() == *id || it.to.item.as_str() == *id)
            })
            .collect();
        if used && known.contains(&id) {
            return Ok(());
        }
        Err(self.wrong(
            "source",
            &format!(
                "\"{id}\" is no store of this arrangement; there are {}",
                known.join(", ")
            ),
        ))
    }

    fn act(&self, plan: &Plan, way: &Arrangement, source: &str) -> Result<Option<Act>, FieldError> {
        let item = self.text("item");
        let device = || -> Result<String, FieldError> {
            let fed = way.feeds.iter().any(|it| it.to.item.as_str() == item);
            let known = plan.device(item).is_some() && fed;
            known.then(|| item.to_owned()).ok_or_else(|| {
                self.wrong(
                    "item",
                    &format!("\"{item}\" is no device of this arrangement"),
                )
            })
        };
        Ok(Some(match self.text("action") {
            "" => return Ok(None),
            "drop" => Act::Drop(device()?),
            "restore" => Act::Restore(device()?),
            "lost" => Act::Lost(device()?),
            "over" => {
                let id = device()?;
                let port = outlet(source).ok_or_else(|| {
                    self.wrong(
                        "source",
                        "names no outlet; write it as item/port, such as station/usb",
                    )
                })?;
                can_plug(plan, way, &id, &port)
                    .map_err(|why| self.wrong("source", &format!("\"{source}\" {why}")))?;
                Act::Over(id, port)
            }
            "mains_back" => Act::MainsBack,
            "mains_gone" => Act::MainsGone,
            "charge" => {
                let of = if source.is_empty() { item } else { source };
                self.store(plan, way, of)?;
                Act::Charge(
                    of.to_owned(),
                    self.number("watts", 0.0..=1e6)?.unwrap_or_default(),
                )
            }
            "note" => Act::Note(item.to_owned()),
            other => {
                let why = format!(
                    "is \"{other}\"; use drop, restore, over, lost, mains_back, mains_gone, charge \
                    or note"
                );
                return Err(self.wrong("action", &why));
            }
        }))
    }
}
