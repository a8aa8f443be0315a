//! What an import would do, before it does it.

use super::cells::{self, Unread};
use super::columns::{self, Column, Table, columns};
use super::sheet::{Row, plain, rows};
use super::write::elements;
use crate::ground::json::FieldError;
use crate::ground::say::Sentence;
use crate::site::entry::{DecimalMark, Target};
use crate::site::fields;
use crate::site::plan::Plan;
use serde::Serialize;
use serde_json::{Map, Value, json};

/// More rows than this are not read at once.
const MOST_ROWS: usize = 5000;

/// What an import would do.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Preview {
    /// All of it in a sentence.
    pub headline: String,
    /// What would be added.
    pub added: Vec<Touched>,
    /// What would be changed.
    pub changed: Vec<Touched>,
    /// How much is there already, just so.
    pub same: usize,
    /// What could not be read; it would be left out.
    pub problems: Vec<Unreadable>,
    /// The changes themselves, to be made as one step after a yes.
    pub changes: Vec<Landing>,
}

/// An element that would be added or changed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Touched {
    /// Its kind.
    pub kind: String,
    /// Its id.
    pub id: String,
    /// What happens, in words.
    pub words: Sentence,
    /// The line that it was read from, from 1; none from a plan.
    pub row: Option<usize>,
}

/// Something that could not be read.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Unreadable {
    /// The line, from 1; none where it is about the whole.
    pub row: Option<usize>,
    /// The column, by its header, or the field of a plan; none where it is about the row.
    pub column: Option<String>,
    /// What is wrong.
    pub message: String,
    /// What to do.
    pub remedy: String,
}

/// A change that an import makes.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Landing {
    /// The element's kind.
    pub kind: String,
    /// Its id.
    pub id: String,
    /// Its body.
    pub body: Value,
}

/// Reads what would be imported: a plan file, or a table. `table` says which; without it the header
/// tells.
///
/// A cell that is empty changes nothing, a `-` takes out what is there. An element is known by its
/// id, or by its name where the table has no ids.
pub fn preview(plan: &Plan, text: &str, table: Option<Table>, decimal: DecimalMark) -> Preview {
    let mut import = Import {
        plan,
        touched: Vec::new(),
        problems: Vec::new(),
        same: 0,
    };
    if text.trim_start().starts_with('{') {
        import.whole(text);
    } else {
        import.sheet(text, table, decimal);
    }
    import.settle();
    import.told()
}

/// An element on its way in.
struct Coming {
    kind: &'static str,
    id: String,
    row: Option<usize>,
    before: Option<Value>,
    body: Value,
}

struct Import<'a> {
    plan: &'a Plan,
    touched: Vec<Coming>,
    problems: Vec<Unreadable>,
    same: usize,
}

/// What stands in a plan by kind, and the path of its list.
const LISTS: [(&str, &str); 5] = [
    ("device", "/kit/devices"),
    ("source", "/kit/sources"),
    ("converter", "/kit/converters"),
    ("arrangement", "/arrangements"),
    ("outage", "/outages"),
];

impl Import<'_> {
    fn problem(
        &mut self,
        row: Option<usize>,
        column: Option<&str>,
        message: impl Into<String>,
        remedy: impl Into<String>,
    ) {
        let (message, remedy) = (message.into(), remedy.into());
        self.problems.push(Unreadable {
            row,
            column: column.map(str::to_owned),
            message,
            remedy,
        });
    }

    /// A plan file: what it has is added or changed, what it has not is left alone.
    fn whole(&mut self, text: &str) {
        let other = match Plan::parse(text) {
            Ok(it) => it,
            Err(FieldError { path, message }) => {
                let (why, remedy) = message
                    .split_once("; ")
                    .unwrap_or((&message, "mend the file and try again"));
                return self.problem(None, Some(&path), why, remedy);
            }
        };
        let (ours, theirs) = (to_json(self.plan), to_json(&other));
        for (kind, at) in LISTS {
            let list = |plan: &Value| {
                plan.pointer(at)
                    .and_then(Value::as_array)
                    .cloned()
                    .unwrap_or_default()
            };
            let known = list(&ours);
            for body in list(&theirs) {
                let id = body["id"].as_str().unwrap_or_default().to_owned();
                let before = known.iter().find(|it| it["id"] == body["id"]).cloned();
                self.comes(Coming {
                    kind,
                    id,
                    row: None,
                    before,
                    body,
                });
            }
        }
    }

    fn comes(&mut self, coming: Coming) {
        if coming.before.as_ref() == Some(&coming.body) {
            self.same += 1;
        } else {
            self.touched.push(coming);
        }
    }

    fn sheet(&mut self, text: &str, table: Option<Table>, decimal: DecimalMark) {
        let found = match rows(text) {
            Ok(it) => it,
            Err(why) => {
                return self.problem(None, None, why, "look for a quote that is never closed");
            }
        };
        let Some(first) = found.first() else {
            return self.problem(
                None,
                None,
                "nothing is there to import",
                "paste rows, or choose a file",
            );
        };
        if found.len() > MOST_ROWS {
            let why = format!("it has {} rows", found.len());
            return self.problem(
                None,
                None,
                why,
                format!("import at most {MOST_ROWS} at once"),
            );
        }
        let headers: Vec<String> = first.cells.iter().map(|it| plain(it)).collect();
        let table = table.unwrap_or_else(|| told_by(&headers));
        let known = |header: &String| columns(table).iter().find(|it| it.is(header));
        let named = headers.iter().filter(|it| known(it).is_some()).count();
        // Rows without a header: a name, watts and volts, as people keep them.
        if named == 0 && table == Table::Devices && (2..=3).contains(&headers.len()) {
            let guess: Vec<_> = ["label", "running", "rated_v"]
                .iter()
                .take(headers.len())
                .map(|name| {
                    (
                        columns(table).iter().find(|it| it.name == *name),
                        (*name).to_owned(),
                    )
                })
                .collect();
            return self.elements(table, &guess, &found, decimal);
        }
        if named == 0 {
            let names: Vec<_> = columns(table)
                .iter()
                .filter(|it| it.written)
                .take(8)
                .map(|it| it.name)
                .collect();
            let remedy = format!("name the columns in the first row: {} …", names.join(", "));
            return self.problem(
                Some(first.line),
                None,
                "none of the columns has a name that is known here",
                remedy,
            );
        }
        let mut heads = Vec::new();
        for (header, shown) in headers.iter().zip(&first.cells) {
            let column = known(header);
            if column.is_none() && !header.is_empty() {
                let remedy =
                    "rename it as in the documented header, or leave it; its cells are not read";
                self.problem(
                    Some(first.line),
                    Some(shown),
                    "no column has this name",
                    remedy,
                );
            }
            heads.push((column, shown.clone()));
        }
        self.elements(table, &heads, &found[1..], decimal);
    }

    /// Rows into elements: a row with another id or name begins one, a row without or with the same
    /// goes on.
    fn elements(
        &mut self,
        table: Table,
        heads: &[(Option<&'static Column>, String)],
        rows: &[Row],
        decimal: DecimalMark,
    ) {
        let known = elements(self.plan, table);
        let mut taken: Vec<String> = ids(self.plan);
        let mut at: Option<Coming> = None;
        let mut broken = false;
        for row in rows {
            let cell = |name: &str| {
                let place = heads
                    .iter()
                    .position(|it| it.0.is_some_and(|it| it.name == name))?;
                row.cells
                    .get(place)
                    .map(|it| it.trim())
                    .filter(|it| !it.is_empty())
            };
            let (id, label) = (cell("id"), cell("label"));
            let goes_on = table.rows_of().is_some()
                && at.as_ref().is_some_and(|it| {
                    id.is_none_or(|id| id == it.id)
                        && (id.is_some() || label.is_none_or(|label| it.body["label"] == label))
                });
            if !goes_on {
                if let Some(done) = at.take().filter(|_| !broken) {
                    self.comes(done);
                }
                broken = false;
                if id.is_none() && label.is_none() {
                    self.problem(
                        Some(row.line),
                        Some("label"),
                        "has no name",
                        "give it a name or an id",
                    );
                    continue;
                }
                let before = match id {
                    Some(id) => known.iter().find(|it| it["id"] == id),
                    None => known
                        .iter()
                        .find(|it| it["label"] == label.unwrap_or_default()),
                };
                let own = before
                    .and_then(|it| it["id"].as_str())
                    .or(id)
                    .map(str::to_owned);
                let id = own.unwrap_or_else(|| free_id(label.unwrap_or_default(), &taken));
                if self
                    .touched
                    .iter()
                    .any(|it| it.kind == table.kind() && it.id == id)
                {
                    let remedy = "keep one of the two rows, or give the other another id";
                    self.problem(
                        Some(row.line),
                        None,
                        format!("\"{id}\" stands in the table twice"),
                        remedy,
                    );
                    continue;
                }
                taken.push(id.clone());
                let body = before
                    .cloned()
                    .unwrap_or_else(|| fresh(table, &id, label.unwrap_or(&id)));
                at = Some(Coming {
                    kind: table.kind(),
                    id,
                    row: Some(row.line),
                    before: before.cloned(),
                    body,
                });
            }
            if let Some(coming) = at.as_mut()
                && let Err((column, unread)) = fill(table, heads, row, &mut coming.body, decimal)
            {
                broken = true;
                self.problem(Some(row.line), Some(&column), unread.message, unread.remedy);
            }
        }
        if let Some(done) = at.filter(|_| !broken) {
            self.comes(done);
        }
    }

    /// Leaves out what the plan would refuse, until it would refuse nothing.
    fn settle(&mut self) {
        loop {
            let merged = self.merged();
            let Err(FieldError { path, message }) = Plan::from_value(&merged) else {
                return;
            };
            let blamed = self.touched.iter().position(|it| {
                let Some((_, at)) = LISTS.iter().find(|(kind, _)| *kind == it.kind) else {
                    return false;
                };
                let list = merged.pointer(at).and_then(Value::as_array);
                let index =
                    list.and_then(|list| list.iter().position(|known| known["id"] == it.id));
                let own = at.trim_start_matches('/').replace('/', ".");
                index.is_some_and(|index| path.starts_with(&format!("{own}[{index}]")))
            });
            let (why, remedy) = message
                .split_once("; ")
                .unwrap_or((&message, "mend it and try again"));
            let (why, remedy) = (why.to_owned(), remedy.to_owned());
            let Some(blamed) = blamed else {
                // What is there already would be broken by it: nothing of it can land.
                self.touched.clear();
                return self.problem(None, Some(&path), why, remedy);
            };
            let out = self.touched.remove(blamed);
            let inside = path.split_once("].").map_or(path.as_str(), |it| it.1);
            let column = column_of(out.kind, inside);
            self.problem(out.row, Some(&column), why, remedy);
        }
    }

    fn merged(&self) -> Value {
        let mut merged = to_json(self.plan);
        for coming in &self.touched {
            let Some((_, at)) = LISTS.iter().find(|(kind, _)| *kind == coming.kind) else {
                continue;
            };
            let Some(Value::Array(list)) = merged.pointer_mut(at) else {
                continue;
            };
            match list.iter_mut().find(|it| it["id"] == coming.id) {
                Some(known) => *known = coming.body.clone(),
                None => list.push(coming.body.clone()),
            }
        }
        merged
    }

    fn told(self) -> Preview {
        let touched = |it: &Coming| Touched {
            kind: it.kind.to_owned(),
            id: it.id.clone(),
            words: fields::change(it.kind, &it.id, it.before.as_ref(), Some(&it.body)),
            row: it.row,
        };
        let (changed, added): (Vec<_>, Vec<_>) =
            self.touched.iter().partition(|it| it.before.is_some());
        let (added, changed): (Vec<_>, Vec<_>) = (
            added.into_iter().map(touched).collect(),
            changed.into_iter().map(touched).collect(),
        );
        let headline = headline(added.len(), changed.len(), self.same, self.problems.len());
        let landing = |it: Coming| Landing {
            kind: it.kind.to_owned(),
            id: it.id,
            body: it.body,
        };
        let changes = self.touched.into_iter().map(landing).collect();
        Preview {
            headline,
            added,
            changed,
            same: self.same,
            problems: self.problems,
            changes,
        }
    }
}

/// "Adds 3, changes 1; 2 are there just so; 1 could not be read."
fn headline(added: usize, changed: usize, same: usize, problems: usize) -> String {
    let does = match (added, changed) {
        (0, 0) => "Changes nothing".to_owned(),
        (_, 0) => format!("Adds {added}"),
        (0, _) => format!("Changes {changed}"),
        _ => format!("Adds {added}, changes {changed}"),
    };
    let same = if same > 0 {
        format!("; {same} there already, just so")
    } else {
        String::new()
    };
    let unread = if problems > 0 {
        format!("; {problems} could not be read")
    } else {
        String::new()
    };
    format!("{does}{same}{unread}.")
}

fn to_json(plan: &Plan) -> Value {
    serde_json::to_value(plan).unwrap_or_default()
}

fn told_by(headers: &[String]) -> Table {
    let has = |names: &[&str]| headers.iter().any(|it| names.contains(&it.as_str()));
    if has(&[
        "chemistry",
        "port",
        "port_volts",
        "capacity_ah",
        "energy_wh",
    ]) {
        Table::Sources
    } else if has(&[
        "output",
        "output_volts",
        "cut_out_v",
        "input_current",
        "idle_w",
    ]) {
        Table::Converters
    } else {
        Table::Devices
    }
}

/// Every id of the kit; they share one set.
fn ids(plan: &Plan) -> Vec<String> {
    let kit = &plan.kit;
    let devices = kit.devices.iter().map(|it| it.id.to_string());
    let sources = kit.sources.iter().map(|it| it.id.to_string());
    devices
        .chain(sources)
        .chain(kit.converters.iter().map(|it| it.id.to_string()))
        .collect()
}

/// An id made from a name that is not taken.
fn free_id(label: &str, taken: &[String]) -> String {
    let base: String = plain(label).replace('_', "-").chars().take(48).collect();
    let base = if base.is_empty() {
        "item".to_owned()
    } else {
        base
    };
    let numbered = (2..).map(|number| format!("{base}-{number}"));
    std::iter::once(base.clone())
        .chain(numbered)
        .find(|it| !taken.contains(it))
        .unwrap_or(base)
}

/// An element with nothing but its name; what it still needs is asked for by the plan's own check.
fn fresh(table: Table, id: &str, label: &str) -> Value {
    match table {
        Table::Devices => {
            json!({"id": id, "label": label, "input": {"current": "dc"}, "phases": []})
        }
        Table::Sources => json!({"id": id, "label": label, "ports": []}),
        Table::Converters => {
            json!({"id": id, "label": label, "input": {"current": "dc"}, "outputs": []})
        }
    }
}

/// Reads the cells of a row into an element and, where it has one, its outlet. The volts come
/// first, as amperes need them. A cell that says what is there already leaves it as it is, with its
/// notes.
fn fill(
    table: Table,
    heads: &[(Option<&'static Column>, String)],
    row: &Row,
    body: &mut Value,
    decimal: DecimalMark,
) -> Result<(), (String, Unread)> {
    let mut cells: Vec<(&Column, &String, &str)> = heads
        .iter()
        .zip(&row.cells)
        .filter_map(|((column, header), cell)| Some(((*column)?, header, cell.trim())))
        .filter(|it| !it.2.is_empty() && (it.0.name != "id" || it.0.outlet))
        .collect();
    // Amperes need the volts, and watt-hours a day what stands beside them.
    cells.sort_by_key(|it| match it.0.name {
        "rated_v" => 0,
        "wh_a_day" => 2,
        _ => 1,
    });
    let mut outlet = outlet_of(table, &cells, body);
    for (column, header, cell) in cells.iter().copied() {
        if column.name == "wh_a_day" && cell != "-" {
            of_a_day(&cells, cell, body, decimal).map_err(|unread| (header.clone(), unread))?;
            continue;
        }
        let into = if column.outlet {
            outlet.as_mut().map(|it| &mut it.1)
        } else {
            Some(&mut *body)
        };
        let Some(into) = into else { continue };
        let before = column.write(into);
        if before == cell {
            continue;
        }
        let mut after = into.clone();
        column
            .read(cell, &mut after, decimal)
            .map_err(|unread| (header.clone(), unread))?;
        // Another way of writing the same leaves the notes of the figure where they are.
        if !column.written || column.write(&after) != before {
            *into = after;
        }
    }
    let (Some(list), Some((place, mut made))) = (table.rows_of(), outlet) else {
        return Ok(());
    };
    if made.get("current").is_none() {
        made["current"] = json!(if made["voltage"].get("ac_v").is_some() {
            "ac"
        } else {
            "dc"
        });
    }
    if let Value::Array(outlets) = &mut body[list] {
        match place.and_then(|it| outlets.get_mut(it)) {
            Some(known) => *known = made,
            None => outlets.push(made),
        }
    }
    Ok(())
}

/// What watt-hours a day say beside the rest of a row: its running watts where nothing else says
/// them, within its hours where it has some; the hours where it says watts alone; and where it says
/// both, they must be the same.
fn of_a_day(
    cells: &[(&Column, &String, &str)],
    cell: &str,
    body: &mut Value,
    decimal: DecimalMark,
) -> Result<(), Unread> {
    let cycle = cells.iter().find(|it| it.0.name == "cycle").map(|it| it.2);
    let hours = cycle.and_then(|it| cells::hours_a_day(it, decimal));
    if !cells
        .iter()
        .any(|it| matches!(it.0.name, "running" | "amps"))
    {
        let span = hours.map_or_else(
            || "day".to_owned(),
            |it| format!("{} h", cells::plain_number(it)),
        );
        let span = if decimal == DecimalMark::Comma {
            span.replace('.', ",")
        } else {
            span
        };
        let told = if hours.is_some() {
            format!("{cell} Wh in {span}")
        } else {
            format!("{cell} Wh/{span}")
        };
        return columns::running(body, &told, decimal);
    }
    let said = number(&cells::read_figure(cell, Target::WattHours, None, decimal)?);
    let running = body["phases"]
        .as_array()
        .into_iter()
        .flatten()
        .find(|it| it["when"] == "running");
    let watts = running.map_or(0.0, |it| number(&it["watts"]));
    match (cycle, hours) {
        (Some(_), Some(hours))
            if (said - watts * hours).abs() > ROUNDED * said.max(watts * hours) =>
        {
            let comes = cells::plain_number(watts * hours);
            Err(Unread::new(
                format!("“{cell}” Wh a day are not what {watts} W make in {hours} h, {comes} Wh"),
                "correct one of the three, or leave this column out",
            ))
        }
        (Some(_), _) => Ok(()),
        (None, _) if watts <= 0.0 => Ok(()),
        // What is only rounded up to the whole day is the whole day.
        (None, _) => {
            let hours = said / watts;
            let hours = if hours > 24.0 && hours <= 24.0 * (1.0 + ROUNDED) {
                24.0
            } else {
                hours
            };
            body["cycle"] = cells::of_hours(hours)?;
            Ok(())
        }
    }
}

/// How far a sum in a table may be off for having been rounded.
const ROUNDED: f64 = 0.05;

fn number(figure: &Value) -> f64 {
    figure
        .as_f64()
        .or_else(|| figure["value"].as_f64())
        .unwrap_or_default()
}

/// The outlet that a row is about: its place among those that are there, and its body.
fn outlet_of(
    table: Table,
    cells: &[(&Column, &String, &str)],
    body: &Value,
) -> Option<(Option<usize>, Value)> {
    let list = body[table.rows_of()?].as_array()?;
    let about = cells.iter().any(|it| it.0.outlet);
    let id = cells
        .iter()
        .find(|it| it.0.outlet && it.0.path == "id")
        .map(|it| it.2);
    let place = id.and_then(|id| list.iter().position(|it| it["id"] == id));
    let fresh = || {
        let mut map = Map::new();
        map.insert("id".into(), json!(format!("out-{}", list.len() + 1)));
        Value::Object(map)
    };
    about.then(|| (place, place.map_or_else(fresh, |it| list[it].clone())))
}

/// The column of a field that the plan refuses, or the field itself.
fn column_of(kind: &str, field: &str) -> String {
    let table = Table::ALL.iter().copied().find(|it| it.kind() == kind);
    let found = table.and_then(|table| {
        let outlet = table
            .rows_of()
            .is_some_and(|list| field.starts_with(&format!("{list}[")));
        let inside = if outlet {
            field.split_once("].").map_or(field, |it| it.1)
        } else {
            field
        };
        let of = |it: &&Column| {
            it.outlet == outlet
                && (inside == it.path || inside.starts_with(&format!("{}.", it.path)))
        };
        columns(table).iter().find(of)
    });
    found.map_or_else(|| field.to_owned(), |it| it.name.to_owned())
}
