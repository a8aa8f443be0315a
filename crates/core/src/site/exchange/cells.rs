//! Cells that hold more than a word or a figure: steps, cycles, overloads, voltages.

use crate::ground::figure::Basis;
use crate::site::entry::{Around, DecimalMark, Entry, Target, read};
use serde_json::{Map, Value, json};

/// Why a cell could not be read, and what to write instead.
pub(super) struct Unread {
    pub(super) message: String,
    pub(super) remedy: String,
}

impl Unread {
    pub(super) fn new(message: impl Into<String>, remedy: impl Into<String>) -> Self {
        Self {
            message: message.into(),
            remedy: remedy.into(),
        }
    }

    /// Entries say both in one sentence.
    fn of(said: &str) -> Self {
        match said.split_once(". Write ") {
            Some((why, examples)) => Self::new(why, format!("write {examples}")),
            None => Self::new(said, "write it in another way"),
        }
    }
}

/// A figure as a person types it: `6.2 ± 0.2 m`; a share as a percentage.
pub(super) fn typed(figure: &Value, share: bool) -> String {
    let factor = if share { 100.0 } else { 1.0 };
    let plain = |raw: f64| {
        let text = format!("{:.9e}", raw * factor)
            .parse::<f64>()
            .unwrap_or(raw * factor);
        text.to_string()
    };
    let Some(raw) = figure.as_f64().or_else(|| figure.get("value")?.as_f64()) else {
        return String::new();
    };
    let mut text = plain(raw);
    if let Some(half) = figure.get("plus_minus").and_then(Value::as_f64) {
        text += &format!(" ± {}", plain(half));
    }
    if share {
        text += " %";
    }
    match figure.get("basis").and_then(Value::as_str) {
        Some("measured") => text + " m",
        Some("label") => text + " l",
        Some("datasheet") => text + " d",
        _ => text,
    }
}

/// A figure as the plan keeps it: a bare number where nothing more was said.
fn figure(entry: &Entry) -> Value {
    if entry.plus_minus.is_none() && entry.basis == Basis::Assumed && entry.note.is_none() {
        return json!(entry.value);
    }
    let mut map = Map::new();
    map.insert("value".into(), json!(entry.value));
    if let Some(half) = entry.plus_minus {
        map.insert("plus_minus".into(), json!(half));
    }
    if entry.basis != Basis::Assumed {
        map.insert("basis".into(), json!(entry.basis));
    }
    if let Some(note) = &entry.note {
        map.insert("note".into(), json!(note));
    }
    Value::Object(map)
}

/// Reads a figure.
pub(super) fn read_figure(
    cell: &str,
    target: Target,
    volts: Option<f64>,
    decimal: DecimalMark,
) -> Result<Value, Unread> {
    let around = Around {
        volts,
        decimal,
        ..Around::default()
    };
    read(cell, target, around)
        .map(|it| figure(&it))
        .map_err(|it| Unread::of(&it.message))
}

/// `11 for 40 s; 9 for 20 s`: the phases of a kind.
pub(super) fn steps(phases: &Value, kind: &str) -> String {
    let of_kind = phases
        .as_array()
        .into_iter()
        .flatten()
        .filter(|it| it["when"] == kind);
    let step = |it: &Value| {
        let watts = typed(&it["watts"], false);
        match typed(&it["seconds"], false).as_str() {
            "" => watts,
            seconds => format!("{watts} for {seconds}"),
        }
    };
    of_kind.map(step).collect::<Vec<_>>().join("; ")
}

pub(super) fn read_steps(
    cell: &str,
    kind: &str,
    volts: Option<f64>,
    decimal: DecimalMark,
) -> Result<Vec<Value>, Unread> {
    let step = |part: &str| {
        let (watts, seconds) = part
            .split_once(" for ")
            .map_or((part, None), |(a, b)| (a, Some(b)));
        let mut phase = Map::new();
        phase.insert("when".into(), json!(kind));
        phase.insert(
            "watts".into(),
            read_figure(watts, Target::Watts, volts, decimal)?,
        );
        if let Some(seconds) = seconds {
            phase.insert(
                "seconds".into(),
                read_figure(seconds, Target::Seconds, None, decimal)?,
            );
        }
        Ok(Value::Object(phase))
    };
    cell.split(';')
        .map(str::trim)
        .filter(|it| !it.is_empty())
        .map(step)
        .collect()
}

/// Hours of a day, as seconds of a cycle.
const DAY_S: f64 = 86_400.0;

/// Hours a day that a cell says and nothing else: `8`, `8 h`, `2,5 hours a day`; none where it says
/// something else.
pub(super) fn hours_a_day(cell: &str, decimal: DecimalMark) -> Option<f64> {
    let lower = cell.to_lowercase();
    let ends = [
        "a day", "per day", "/day", "/d", "daily", "hours", "hour", "hrs", "hr", "h",
    ];
    let bare = ends.iter().fold(lower.trim(), |text, end| {
        text.strip_suffix(end).unwrap_or(text).trim_end()
    });
    let plain = read(
        bare,
        Target::Plain,
        Around {
            decimal,
            ..Around::default()
        },
    )
    .ok()?;
    (plain.plus_minus.is_none()
        && bare
            .chars()
            .all(|it| it.is_ascii_digit() || ",.".contains(it)))
    .then_some(plain.value)
}

/// A cycle of so many hours of each day, at whatever time.
pub(super) fn of_hours(hours: f64) -> Result<Value, Unread> {
    if !(hours > 0.0 && hours <= 24.0) {
        let why = format!(
            "{} hours a day are none that a day has",
            plain_number(hours)
        );
        return Err(Unread::new(why, "give more than 0 and at most 24"));
    }
    if hours > 23.99 {
        return Ok(json!({"kind": "continuous"}));
    }
    Ok(json!({"kind": "thermostat", "on_fraction": hours / 24.0, "period_s": DAY_S}))
}

/// A number of which the last digits are those of a division.
pub(super) fn plain_number(value: f64) -> String {
    format!("{value:.6e}")
        .parse::<f64>()
        .unwrap_or(value)
        .to_string()
}

/// What a cycle of so many hours of each day is written as; none where it is another one.
fn in_hours(cycle: &Value) -> Option<String> {
    let share = cycle["on_fraction"]
        .as_f64()
        .filter(|_| cycle["period_s"].as_f64() == Some(DAY_S))?;
    let hours = plain_number(share * 24.0);
    let again = hours.parse::<f64>().ok()? / 24.0;
    ((again - share).abs() < 1e-15).then(|| format!("{hours} h a day"))
}

/// `continuous`, `8 h a day`, `06:30 to 22:00`, `35 % of 1800 s`, `15 from 21:30 every 2 days,
/// miles at 16`.
pub(super) fn cycle(cycle: &Value) -> String {
    match cycle["kind"].as_str() {
        Some("hours") => {
            format!(
                "{} to {}",
                cycle["from"].as_str().unwrap_or_default(),
                cycle["to"].as_str().unwrap_or_default()
            )
        }
        Some("thermostat") => in_hours(cycle).unwrap_or_else(|| {
            format!(
                "{} of {}",
                typed(&cycle["on_fraction"], true),
                typed(&cycle["period_s"], false)
            )
        }),
        Some("charge") => {
            let mut cell = format!(
                "{} from {}",
                typed(&cycle["wh"], false),
                cycle["from"].as_str().unwrap_or_default()
            );
            if !cycle["every_days"].is_null() {
                cell += &format!(" every {} days", typed(&cycle["every_days"], false));
            }
            if let Some(label) = cycle["job"]["label"].as_str() {
                cell += &format!(", {label} at {}", typed(&cycle["job"]["wh"], false));
            }
            cell
        }
        Some(other) => other.to_owned(),
        None => String::new(),
    }
}

/// `15 from 21:30`, `72 from 12:00 every 2 days, fence posts at 6`.
fn read_filling(wh: &str, rest: &str, decimal: DecimalMark) -> Result<Value, Unread> {
    let (when, job) = rest
        .split_once(',')
        .map_or((rest, None), |(when, job)| (when, Some(job)));
    let (from, every) = when
        .split_once(" every ")
        .map_or((when, None), |(from, every)| (from, Some(every)));
    let mut cycle = Map::new();
    cycle.insert("kind".into(), json!("charge"));
    cycle.insert(
        "wh".into(),
        read_figure(wh, Target::WattHours, None, decimal)?,
    );
    cycle.insert("from".into(), json!(from.trim()));
    if let Some(every) = every {
        let days = every
            .trim()
            .trim_end_matches("days")
            .trim_end_matches("day")
            .trim();
        cycle.insert(
            "every_days".into(),
            read_figure(days, Target::Plain, None, decimal)?,
        );
    }
    if let Some((label, wh)) = job.and_then(|it| it.rsplit_once(" at ")) {
        let wh = read_figure(wh, Target::WattHours, None, decimal)?;
        cycle.insert("job".into(), json!({"label": label.trim(), "wh": wh}));
    }
    Ok(Value::Object(cycle))
}

pub(super) fn read_cycle(cell: &str, decimal: DecimalMark) -> Result<Value, Unread> {
    if cell.eq_ignore_ascii_case("continuous") {
        return Ok(json!({"kind": "continuous"}));
    }
    if let Some(hours) = hours_a_day(cell, decimal) {
        return of_hours(hours);
    }
    if let Some((wh, rest)) = cell.split_once(" from ") {
        return read_filling(wh, rest, decimal);
    }
    if let Some((from, to)) = cell.split_once(" to ") {
        return Ok(json!({"kind": "hours", "from": from.trim(), "to": to.trim()}));
    }
    if let Some((share, period)) = cell.split_once(" of ") {
        let on = read_figure(share, Target::Share, None, decimal)?;
        let period = read_figure(period, Target::Seconds, None, decimal)?;
        return Ok(json!({"kind": "thermostat", "on_fraction": on, "period_s": period}));
    }
    Err(Unread::new(
        format!("“{cell}” is no cycle"),
        "write continuous, 8 h a day, 06:30 to 22:00, 35 % of 30 min, or 15 from 21:30",
    ))
}

/// `resumes`, `restarts 50`, `latches`.
pub(super) fn after_loss(after: &Value) -> String {
    let kind = after["kind"].as_str().unwrap_or_default();
    format!("{kind} {}", typed(&after["seconds"], false))
        .trim()
        .to_owned()
}

pub(super) fn read_after_loss(cell: &str, decimal: DecimalMark) -> Result<Value, Unread> {
    let (kind, rest) = cell.split_once(' ').unwrap_or((cell, ""));
    match (kind.to_lowercase().as_str(), rest.trim()) {
        ("resumes", "") => Ok(json!({"kind": "resumes"})),
        ("latches", "") => Ok(json!({"kind": "latches"})),
        ("restarts", "") => Ok(json!({"kind": "restarts"})),
        ("restarts", seconds) => Ok(
            json!({"kind": "restarts", "seconds": read_figure(seconds, Target::Seconds, None,
                decimal)?}),
        ),
        _ => Err(Unread::new(
            format!("“{cell}” is nothing that a device does"),
            "write resumes, restarts 50 s, or latches",
        )),
    }
}

/// `11 A for 3 s; 12 A`, or in watts.
pub(super) fn overload(list: &Value) -> String {
    let level = |it: &Value| {
        let (unit, up_to) = if it.get("up_to_a").is_some() {
            ("A", &it["up_to_a"])
        } else {
            ("W", &it["up_to_w"])
        };
        let text = with_unit(&typed(up_to, false), unit);
        match typed(&it["for_s"], false).as_str() {
            "" => text,
            seconds => format!("{text} for {seconds}"),
        }
    };
    list.as_array()
        .into_iter()
        .flatten()
        .map(level)
        .collect::<Vec<_>>()
        .join("; ")
}

/// The unit stands behind the number and before the letter of its basis: "11 ± 1 A m".
fn with_unit(typed: &str, unit: &str) -> String {
    match typed.rsplit_once(' ') {
        Some((number, letter)) if matches!(letter, "m" | "l" | "d") => {
            format!("{number} {unit} {letter}")
        }
        _ => format!("{typed} {unit}"),
    }
}

pub(super) fn read_overload(cell: &str, decimal: DecimalMark) -> Result<Value, Unread> {
    let level = |part: &str| {
        let (level, seconds) = part
            .split_once(" for ")
            .map_or((part, None), |(a, b)| (a, Some(b)));
        let is_amps = level
            .split_whitespace()
            .any(|it| it == "A" || it.ends_with("0A") || it == "mA");
        let is_watts = level.split_whitespace().any(|it| it == "W" || it == "kW");
        let mut map = Map::new();
        if is_amps && !is_watts {
            map.insert(
                "up_to_a".into(),
                read_figure(level, Target::Amps, None, decimal)?,
            );
        } else if is_watts {
            map.insert(
                "up_to_w".into(),
                read_figure(level, Target::Watts, None, decimal)?,
            );
        } else {
            return Err(Unread::new(
                format!("“{level}” says neither A nor W"),
                "write 11 A for 3 s; 12 A",
            ));
        }
        if let Some(seconds) = seconds {
            map.insert(
                "for_s".into(),
                read_figure(seconds, Target::Seconds, None, decimal)?,
            );
        }
        Ok(Value::Object(map))
    };
    cell.split(';')
        .map(str::trim)
        .filter(|it| !it.is_empty())
        .map(level)
        .collect::<Result<Vec<_>, _>>()
        .map(Value::Array)
}

/// `5000 at 50 %; 3000 at 80 %`: how often a battery bears how deep a discharge.
pub(super) fn wear(list: &Value) -> String {
    let point = |it: &Value| format!("{} at {}", typed(&it[1], false), typed(&it[0], true));
    list.as_array()
        .into_iter()
        .flatten()
        .map(point)
        .collect::<Vec<_>>()
        .join("; ")
}

pub(super) fn read_wear(cell: &str, decimal: DecimalMark) -> Result<Value, Unread> {
    let point = |part: &str| {
        let unread = || {
            Unread::new(
                format!("“{part}” says no cycles at a depth"),
                "write 5000 at 50 %; 3000 at 80 %",
            )
        };
        let (times, depth) = part.split_once(" at ").ok_or_else(unread)?;
        let plain = |it: Value| it.get("value").cloned().unwrap_or(it);
        let depth = plain(read_figure(depth, Target::Share, None, decimal)?);
        Ok(json!([
            depth,
            plain(read_figure(times, Target::Plain, None, decimal)?)
        ]))
    };
    let parts = cell.split(';').map(str::trim).filter(|it| !it.is_empty());
    parts
        .map(point)
        .collect::<Result<Vec<_>, _>>()
        .map(Value::Array)
}

/// `battery`, `13.2`, `230 sine`, `5 / 9 / 20`.
pub(super) fn voltage(voltage: &Value) -> String {
    if voltage.get("follows").is_some() {
        return "battery".into();
    }
    if let Some(volts) = voltage.get("regulated_v") {
        return typed(volts, false);
    }
    if let Some(volts) = voltage.get("ac_v") {
        return format!(
            "{} {}",
            typed(volts, false),
            voltage["waveform"].as_str().unwrap_or("AC")
        );
    }
    let offers = voltage["offers_v"].as_array().into_iter().flatten();
    offers
        .map(|it| typed(it, false))
        .collect::<Vec<_>>()
        .join(" / ")
}

pub(super) fn read_voltage(cell: &str, decimal: DecimalMark) -> Result<Value, Unread> {
    let volts = |text: &str| read_figure(text, Target::Volts, None, decimal);
    if cell.eq_ignore_ascii_case("battery") {
        return Ok(json!({"follows": true}));
    }
    if let Some(ac) = cell.strip_suffix("AC").or_else(|| cell.strip_suffix("ac")) {
        return Ok(json!({"ac_v": volts(ac)?}));
    }
    for wave in ["sine", "stepped"] {
        if let Some(ac) = cell.strip_suffix(wave) {
            return Ok(json!({"ac_v": volts(ac)?, "waveform": wave}));
        }
    }
    if cell.contains('/') {
        let offers = cell
            .split('/')
            .map(|it| volts(it.trim()))
            .collect::<Result<Vec<_>, _>>()?;
        return Ok(json!({"offers_v": offers}));
    }
    Ok(json!({"regulated_v": volts(cell)?}))
}
