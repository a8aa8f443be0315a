//! A test as it is entered and kept, and what comes of it.

use super::capture::{Capture, capture};
use super::fit::{LossFit, Pair, fit};
use super::log::{Holds, read_log};
use super::meter::{Instrument, Known, student};
use super::profile::{Profile, profile};
use super::protocol::Protocol;
use crate::limits::{Amount, amount};
use crate::network::{area, conductor_ohms};
use crate::plan::{Material, Plan};
use serde::{Deserialize, Serialize};
use serde_json::{Value, json};

/// What is tested.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Subject {
    /// The element's kind: device, source, converter or arrangement.
    pub kind: String,
    /// Its id.
    pub id: String,
    /// The port of a source, or what the lead of an arrangement leads to.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub part: Option<String>,
}

/// A row of readings, in the order of the protocol's columns.
#[derive(Debug, Clone, PartialEq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Row {
    /// The readings; null where one was left out.
    pub values: Vec<Option<f64>>,
    /// Why the row does not count; it is kept.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub struck: Option<String>,
}

/// A test.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(deny_unknown_fields)]
pub struct Test {
    /// Which test it is, by its word.
    pub protocol: String,
    /// What is tested.
    pub of: Subject,
    /// The meter of each column, in the order of the protocol's columns.
    #[serde(default)]
    pub meters: Vec<Instrument>,
    /// The rows.
    #[serde(default)]
    pub rows: Vec<Row>,
    /// The file of a logger or a scope, as it came.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub file: Option<String>,
    /// Conditions, in words: temperature, place, what hung on it.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    pub note: String,
}

/// A column of readings.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Reading {
    /// What is read.
    pub name: &'static str,
    /// Its unit.
    pub unit: &'static str,
    /// How many digits behind the point are worth writing down.
    pub digits: u8,
}

/// A figure that a test gives.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Given {
    /// The figure in words.
    pub name: String,
    /// Its unit.
    pub unit: String,
    /// What was measured.
    pub value: f64,
    /// Half-width of its 95 % interval.
    pub plus_minus: f64,
    /// What the plan computes with now; none where it states nothing.
    pub now: Option<f64>,
    /// The test that the plan's figure comes from, where it comes from one.
    pub now_test: Option<String>,
    /// Where it stands in its element, as a JSON pointer.
    pub pointer: String,
}

/// A row that is out of line.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Question {
    /// The row, counted from 0.
    pub row: usize,
    /// What is asked about it.
    pub sentence: String,
}

/// A point of a test's plot.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Plotted {
    /// The row that it comes from, counted from 0.
    pub row: usize,
    /// Along.
    pub x: Known,
    /// Up.
    pub y: Known,
}

/// What comes of a test.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Outcome {
    /// The answer in words; what is missing where there is none yet.
    pub sentence: String,
    /// The figures that it gives.
    pub figures: Vec<Given>,
    /// What is asked about rows.
    pub questions: Vec<Question>,
    /// Points of a plot.
    pub points: Vec<Plotted>,
    /// The law through them, of an efficiency test.
    pub fit: Option<LossFit>,
    /// What a capture shows.
    pub capture: Option<Capture>,
    /// The phases in a log.
    pub profile: Option<Profile>,
}

impl Outcome {
    fn missing(sentence: impl Into<String>) -> Self {
        Self {
            sentence: sentence.into(),
            figures: Vec::new(),
            questions: Vec::new(),
            points: Vec::new(),
            fit: None,
            capture: None,
            profile: None,
        }
    }
}

/// The columns of a protocol; none where it is read from a file.
pub const fn readings(protocol: Protocol) -> &'static [Reading] {
    const fn of(name: &'static str, unit: &'static str, digits: u8) -> Reading {
        Reading { name, unit, digits }
    }
    const IDLE: [Reading; 2] = [of("volts in", "V", 2), of("amperes in", "A", 3)];
    const EFFICIENCY: [Reading; 4] =
        [of("volts in", "V", 2), of("amperes in", "A", 2), of("volts out", "V", 2), of("amperes out", "A", 2)];
    const FAR_END: [Reading; 3] =
        [of("volts at the near end", "V", 2), of("volts at the far end", "V", 2), of("amperes", "A", 2)];
    match protocol {
        Protocol::Idle => &IDLE,
        Protocol::Efficiency => &EFFICIENCY,
        Protocol::FarEnd => &FAR_END,
        _ => &[],
    }
}

/// What comes of a test of this plan; `id` is the test's own, by which figures name it.
///
/// # Errors
/// Where the test names something that is not there, or a protocol that is not carried out here; names the field.
pub fn outcome(plan: &Plan, test: &Test) -> Result<Outcome, (&'static str, String)> {
    let protocol = Protocol::ALL.iter().copied().find(|it| it.word() == test.protocol);
    let protocol = protocol.ok_or(("protocol", format!("is \"{}\"; there is no such test", test.protocol)))?;
    let element = element(plan, &test.of)?;
    for (index, row) in test.rows.iter().enumerate() {
        if row.values.iter().flatten().any(|it| !it.is_finite() || it.abs() > 1e6) {
            return Err(("rows", format!("row {} holds a number that no meter shows", index + 1)));
        }
    }
    match protocol {
        Protocol::Idle => idle(test, &element),
        Protocol::Efficiency => Ok(efficiency(test, &element)),
        Protocol::FarEnd => far_end(plan, test, &element),
        Protocol::Profile => phases(test, &element),
        Protocol::Switchover => switchover(plan, test, &element),
        other => Err(("protocol", format!("is \"{}\", which is not carried out here yet", other.word()))),
    }
}

/// An element as JSON, and where in it the tested part stands.
struct Element {
    body: Value,
    /// JSON pointer of the port or the feed; empty for the element itself.
    at: String,
}

impl Element {
    /// The figure at a place: its value, and the test that it comes from.
    fn now(&self, pointer: &str) -> (Option<f64>, Option<String>) {
        let Some(found) = self.body.pointer(pointer) else { return (None, None) };
        let value = found.as_f64().or_else(|| found["value"].as_f64());
        (value, found["test"].as_str().map(str::to_owned))
    }

    fn given(&self, name: &str, unit: &str, pointer: String, known: Known) -> Given {
        let (now, now_test) = self.now(&pointer);
        let (name, unit) = (name.to_owned(), unit.to_owned());
        Given { name, unit, value: known.value, plus_minus: known.plus_minus, now, now_test, pointer }
    }
}

fn element(plan: &Plan, of: &Subject) -> Result<Element, (&'static str, String)> {
    let missing = || ("of", format!("names the {} \"{}\", which is not there", of.kind, of.id));
    let body = match of.kind.as_str() {
        "device" => plan.device(&of.id).map(serde_json::to_value),
        "source" => plan.source(&of.id).map(serde_json::to_value),
        "converter" => plan.converter(&of.id).map(serde_json::to_value),
        "arrangement" => plan.arrangement(&of.id).map(serde_json::to_value),
        _ => None,
    };
    let body = body.and_then(Result::ok).ok_or_else(missing)?;
    let at = match (of.kind.as_str(), &of.part) {
        (_, None) => String::new(),
        (kind, Some(part)) => {
            let (list, key) = if kind == "arrangement" { ("feeds", "to") } else { ("ports", "id") };
            let index = body[list].as_array().and_then(|it| it.iter().position(|it| it[key] == **part));
            let index = index.ok_or_else(|| ("of", format!("names \"{part}\", which \"{}\" does not have", of.id)))?;
            format!("/{list}/{index}")
        }
    };
    Ok(Element { body, at })
}

/// The rows that count, with their places, each reading with what its meter may be off; those with gaps are left out.
fn counted(test: &Test, columns: usize) -> Vec<(usize, Vec<Known>)> {
    let meter = |index: usize| test.meters.get(index).copied().unwrap_or_default();
    let rows = test.rows.iter().enumerate().filter(|it| it.1.struck.is_none());
    rows.filter_map(|(place, row)| {
        let read = |index: usize| Some(meter(index).read((*row.values.get(index)?)?));
        Some((place, (0..columns).map(read).collect::<Option<Vec<_>>>()?))
    })
    .collect()
}

/// The mean of readings of one thing: what the meter may be off does not shrink with their number, their scatter does.
fn mean(of: &[Known]) -> Known {
    let n = of.len() as f64;
    let value = of.iter().map(|it| it.value).sum::<f64>() / n;
    let own = of.iter().map(|it| it.plus_minus).sum::<f64>() / n;
    if of.len() < 2 {
        return Known { value, plus_minus: own };
    }
    let spread = (of.iter().map(|it| (it.value - value).powi(2)).sum::<f64>() / (n - 1.0)).sqrt();
    Known { value, plus_minus: own.hypot(student(of.len() - 1) * spread / n.sqrt()) }
}

/// Rows further from the others' mean than three times what those scatter.
fn odd_rows(of: &[(usize, Known)]) -> Vec<Question> {
    if of.len() < 4 {
        return Vec::new();
    }
    let odd = |index: usize| {
        let others: Vec<f64> = of.iter().enumerate().filter(|it| it.0 != index).map(|it| it.1.1.value).collect();
        let mean = others.iter().sum::<f64>() / others.len() as f64;
        let spread = (others.iter().map(|it| (it - mean).powi(2)).sum::<f64>() / (others.len() - 1) as f64).sqrt();
        let (place, read) = of[index];
        let far = (read.value - mean).abs();
        (far > (3.0 * spread).max(read.plus_minus)).then(|| Question {
            row: place,
            sentence: format!(
                "{} here, {} in the other rows: is it right?",
                Amount(read.value, "W"),
                Amount(mean, "W")
            ),
        })
    };
    (0..of.len()).filter_map(odd).collect()
}

fn idle(test: &Test, element: &Element) -> Result<Outcome, (&'static str, String)> {
    let rows = counted(test, 2);
    if rows.is_empty() {
        return Ok(Outcome::missing(
            "Read volts and amperes at the input, with nothing on the output, three times over a minute.",
        ));
    }
    let watts: Vec<(usize, Known)> = rows.iter().map(|(place, it)| (*place, it[0].times(it[1]))).collect();
    let only: Vec<Known> = watts.iter().map(|it| it.1).collect();
    let found = mean(&only);
    if found.value < 0.0 {
        return Err((
            "rows",
            "the power comes out below zero; turn the ammeter's leads round, or drop the sign".into(),
        ));
    }
    let points =
        watts.iter().enumerate().map(|(n, (row, y))| Plotted { row: *row, x: Known::sure((n + 1) as f64), y: *y });
    Ok(Outcome {
        sentence: format!(
            "Idle {} ± {}: {} a day.",
            Amount(found.value, "W"),
            Amount(found.plus_minus, "W"),
            Amount(found.value * 24.0, "Wh")
        ),
        figures: vec![element.given("idle draw", "W", format!("{}/loss/idle_w", element.at), found)],
        questions: odd_rows(&watts),
        points: points.collect(),
        ..Outcome::missing("")
    })
}

fn efficiency(test: &Test, element: &Element) -> Outcome {
    let rows = counted(test, 4);
    let pairs: Vec<Pair> =
        rows.iter().map(|it| Pair { input: it.1[0].times(it.1[1]), out: it.1[2].times(it.1[3]) }).collect();
    let plotted =
        |(row, pair): (&(usize, Vec<Known>), &Pair)| Plotted { row: row.0, x: pair.out, y: pair.input.minus(pair.out) };
    let points: Vec<Plotted> = rows.iter().zip(&pairs).map(plotted).collect();
    let law = match fit(&pairs) {
        Ok(law) => law,
        Err(why) => {
            let sentence = format!("No law yet: {why}.");
            return Outcome { points, ..Outcome::missing(sentence) };
        }
    };
    let half = law.plus_minus.unwrap_or([0.0; 3]);
    let give = |name, unit, key: &str, index: usize, value: f64| {
        element.given(name, unit, format!("{}/loss/{key}", element.at), Known { value, plus_minus: half[index] })
    };
    let figures = vec![
        give("idle draw", "W", "idle_w", 0, law.idle_w),
        give("lost per watt", "", "proportional", 1, law.proportional),
        give("lost per squared watt", "1/W", "quadratic_per_w", 2, law.quadratic_per_w),
    ];
    let questions = law.out_of_line.iter().map(|it| {
        let off = law.residuals_w[*it];
        let way = if off > 0.0 { "above" } else { "below" };
        Question {
            row: rows[*it].0,
            sentence: format!("lies {} {way} the law of the other rows: is it right?", Amount(off.abs(), "W")),
        }
    });
    Outcome {
        sentence: law.sentence.clone(),
        questions: questions.collect(),
        figures,
        points,
        fit: Some(law),
        ..Outcome::missing("")
    }
}

fn far_end(plan: &Plan, test: &Test, element: &Element) -> Result<Outcome, (&'static str, String)> {
    let Some(feed) = plan
        .arrangement(&test.of.id)
        .and_then(|way| way.feeds.iter().find(|it| Some(it.to.to_string()) == test.of.part))
    else {
        return Err(("of", "names no lead; give an arrangement, and in part what the lead leads to".into()));
    };
    let rows = counted(test, 3);
    let rows: Vec<_> = rows.into_iter().filter(|it| it.1[2].value.abs() > 1e-6).collect();
    if rows.is_empty() {
        return Ok(Outcome::missing("Read volts at both ends and the amperes while the device is at its busiest."));
    }
    let ohms: Vec<Known> = rows.iter().map(|it| it.1[0].minus(it.1[1]).over(it.1[2])).collect();
    let whole = mean(&ohms);
    let cable = feed.cable.as_ref();
    let metal = cable.and_then(|it| it.material).unwrap_or(Material::Copper);
    let length = cable.map_or(0.0, |it| it.length_m.get());
    let conductors = cable.and_then(area).map_or(0.0, |it| conductor_ohms(metal, length, it.0, plan.site.ambient()).0);
    let contacts = Known { value: (whole.value - conductors).max(0.0), ..whole };
    let points = rows.iter().map(|it| Plotted { row: it.0, x: it.1[2], y: it.1[0].minus(it.1[1]) });
    let mut sentence = format!(
        "The lead has {} ± {}; its conductors make {}, its contacts {}.",
        amount(whole.value, "Ω"),
        amount(whole.plus_minus, "Ω"),
        amount(conductors, "Ω"),
        amount(contacts.value, "Ω")
    );
    if whole.value + whole.plus_minus < conductors {
        sentence +=
            " It is less than its conductors alone would have: look whether it is as long and as thin as stated.";
    }
    Ok(Outcome {
        sentence,
        figures: vec![element.given("contacts", "Ω", format!("{}/cable/contact_ohm", element.at), contacts)],
        points: points.collect(),
        ..Outcome::missing("")
    })
}

fn phases(test: &Test, element: &Element) -> Result<Outcome, (&'static str, String)> {
    let Some(text) = &test.file else {
        return Ok(Outcome::missing("Give a logger's file with time_s and watts, or with volts and amps."));
    };
    let log = read_log(text).map_err(|wrong| ("file", wrong.to_string()))?;
    let found = profile(&log).map_err(|why| ("file", why))?;
    let own = element.body["phases"].as_array().cloned().unwrap_or_default();
    let figures = found.phases.iter().enumerate().filter_map(|(index, it)| {
        // The same phase of the device: the first start to the first start, and so on.
        let nth = found.phases[..index].iter().filter(|other| other.when == it.when).count();
        let place = own.iter().enumerate().filter(|(_, phase)| phase["when"] == it.when).nth(nth)?.0;
        let known = Known { value: it.watts, plus_minus: (2.0 * found.noise_w / 10.0).max(0.01 * it.watts) };
        Some(element.given(it.when, "W", format!("/phases/{place}/watts"), known))
    });
    let said: Vec<String> = found
        .phases
        .iter()
        .map(|it| {
            let long = it.seconds.map(|it| format!(" for {}", Amount(it, "s")));
            let long = long.or_else(|| it.share.map(|it| format!(" for {} of the time", crate::limits::percent(it))));
            format!("{} {}{}", it.when, Amount(it.watts, "W"), long.unwrap_or_default())
        })
        .collect();
    let mut sentence = said.join("; ");
    if let Some(first) = sentence.get(..1).map(str::to_uppercase) {
        sentence.replace_range(..1, &first);
    }
    Ok(Outcome { sentence: sentence + ".", figures: figures.collect(), profile: Some(found), ..Outcome::missing("") })
}

fn switchover(plan: &Plan, test: &Test, element: &Element) -> Result<Outcome, (&'static str, String)> {
    let Some(text) = &test.file else {
        return Ok(Outcome::missing("Give a scope's file with time_s and volts, the switch about in its middle."));
    };
    let log = read_log(text).map_err(|wrong| ("file", wrong.to_string()))?;
    let (Some(time), Some(volts)) = (log.of(Holds::Time), log.of(Holds::Volts)) else {
        return Err(("file", "needs a column of times and one of volts; name them time_s and volts".into()));
    };
    let samples: Vec<_> =
        time.iter().copied().zip(volts.iter().copied()).filter(|it| it.0.is_finite() && it.1.is_finite()).collect();
    let nominal = plan.site.mains.as_ref().map_or(230.0, |it| it.voltage_v.get());
    let is_high = samples.iter().any(|it| it.1.abs() > nominal / 2.0);
    let found = capture(&samples, is_high.then_some(nominal), None).map_err(|why| ("file", why))?;
    let dead = found.dead_ms.unwrap_or(0.0);
    let sentence = match found.dead_ms {
        Some(dead) => format!(
            "Dead for {}, disturbed {}; {} before, {} after.",
            Amount(dead, "ms"),
            found.disturbed_ms.map_or_else(|| "to the end".into(), |it| format!("for {}", Amount(it, "ms"))),
            found.waveform_before.unwrap_or("unknown"),
            found.waveform_after.unwrap_or("unknown")
        ),
        None => format!("Down to {}.", Amount(found.lowest_v.unwrap_or(0.0), "V")),
    };
    let has_line = element.body.pointer("/line").is_some();
    let known = Known { value: dead, plus_minus: 1.0 };
    let figures = (has_line && found.dead_ms.is_some())
        .then(|| element.given("transfer time", "ms", "/line/transfer_ms".into(), known));
    Ok(Outcome { sentence, figures: figures.into_iter().collect(), capture: Some(found), ..Outcome::missing("") })
}

/// The tested element with the figures of a test in it, each marked as measured and with the test's id.
///
/// # Errors
/// Where the test does not give a figure yet.
pub fn with_figures(plan: &Plan, test: &Test, id: &str) -> Result<Value, (&'static str, String)> {
    let given = outcome(plan, test)?;
    if given.figures.is_empty() {
        return Err(("rows", format!("give no figure to use yet: {}", given.sentence)));
    }
    let mut body = element(plan, &test.of)?.body;
    for it in &given.figures {
        let figure = json!({"value": it.value, "plus_minus": it.plus_minus, "basis": "measured", "test": id});
        put(&mut body, &it.pointer, figure);
    }
    Ok(body)
}

/// The same element with what a test replaced put back: pairs of a pointer and what stood there, null for nothing.
pub fn put_back(body: &mut Value, replaced: &[(String, Value)]) {
    for (pointer, value) in replaced {
        put(body, pointer, value.clone());
    }
}

/// What stands at the places that a test's figures go to: null for nothing.
pub fn replaced(plan: &Plan, test: &Test) -> Result<Vec<(String, Value)>, (&'static str, String)> {
    let given = outcome(plan, test)?;
    let body = element(plan, &test.of)?.body;
    Ok(given
        .figures
        .iter()
        .map(|it| (it.pointer.clone(), body.pointer(&it.pointer).cloned().unwrap_or_default()))
        .collect())
}

/// Writes a value at a JSON pointer, making the objects on its way; null takes it away.
fn put(body: &mut Value, pointer: &str, value: Value) {
    let Some((parent, key)) = pointer.rsplit_once('/') else { return };
    let mut at = body;
    for part in parent.split('/').skip(1) {
        let next = match part.parse::<usize>() {
            Ok(index) if at.is_array() => at.get_mut(index),
            _ => {
                if !at.is_object() {
                    return;
                }
                at.as_object_mut().map(|it| it.entry(part.to_owned()).or_insert_with(|| json!({})))
            }
        };
        match next {
            Some(found) => at = found,
            None => return,
        }
    }
    if let Some(fields) = at.as_object_mut() {
        if value.is_null() {
            fields.remove(key);
        } else {
            fields.insert(key.to_owned(), value);
        }
    }
}
