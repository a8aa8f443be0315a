//! Tables out.

use super::columns::{Column, Table, columns};
use crate::site::plan::Plan;
use serde_json::Value;
use std::borrow::Cow;

/// A table of a plan's kit as CSV: commas, a header, a line for each element or outlet.
///
/// What a table has no column for (inputs, groups, links, notes of figures) stays in the plan file
/// alone.
///
/// ```
/// use ash_pond_core::{site::exchange::{Table, table}, site::plan::Plan};
/// let plan = Plan::parse(include_str!("../../../../../demo/hollin-lock.plan.json")).unwrap();
/// let devices = table(&plan, Table::Devices);
/// assert!(devices.starts_with("id,label,role,"));
/// assert_eq!(devices.lines().count(), plan.kit.devices.len() + 1);
/// ```
pub fn table(plan: &Plan, table: Table) -> String {
    let mut writer = csv::WriterBuilder::new().from_writer(Vec::new());
    let written: Vec<&Column> = columns(table).iter().filter(|it| it.written).collect();
    let mut lines: Vec<Vec<String>> = vec![written.iter().map(|it| it.name.to_owned()).collect()];
    for element in elements(plan, table) {
        let outlets = table
            .rows_of()
            .and_then(|it| element[it].as_array().cloned())
            .unwrap_or_default();
        for row in 0..outlets.len().max(1) {
            let cell = |column: &&Column| match (column.outlet, row) {
                (true, _) => outlets
                    .get(row)
                    .map_or_else(String::new, |it| column.write(it)),
                (false, 0) => column.write(&element),
                // The id alone tells to what an outlet belongs.
                (false, _) if column.name == "id" => column.write(&element),
                (false, _) => String::new(),
            };
            lines.push(written.iter().map(cell).collect());
        }
    }
    // Writing into memory does not fail, and cells are text.
    let done = lines
        .iter()
        .try_for_each(|it| writer.write_record(it.iter().map(|it| harmless(it).into_owned())))
        .ok()
        .and_then(|()| writer.into_inner().ok());
    done.and_then(|it| String::from_utf8(it).ok())
        .unwrap_or_default()
}

/// A cell as a spreadsheet takes it for text: one that would begin a formula has an apostrophe
/// before it. Numbers stay.
///
/// ```
/// use ash_pond_core::site::exchange::{harmless, meant};
/// assert_eq!(harmless("=HYPERLINK(1)"), "'=HYPERLINK(1)");
/// assert_eq!(harmless("-5.2"), "-5.2");
/// for cell in ["=1", "'=1", "-gate", "'90 lamp", "plain", "@", "''+"] {
///     assert_eq!(meant(&harmless(cell)), cell);
/// }
/// ```
pub fn harmless(cell: &str) -> Cow<'_, str> {
    let is_number = cell.parse::<f64>().is_ok_and(f64::is_finite);
    if begins(cell) && !is_number {
        Cow::Owned(format!("'{cell}"))
    } else {
        Cow::Borrowed(cell)
    }
}

/// What a cell means that was made harmless: without its apostrophe.
pub fn meant(cell: &str) -> &str {
    cell.strip_prefix('\'')
        .filter(|it| begins(it))
        .unwrap_or(cell)
}

/// Whether a cell begins a formula, behind any apostrophes.
fn begins(cell: &str) -> bool {
    cell.trim_start_matches('\'')
        .starts_with(['=', '+', '-', '@', '\t', '\r'])
}

/// The elements of a table as JSON, in the order of the plan.
pub(super) fn elements(plan: &Plan, table: Table) -> Vec<Value> {
    let kit = &plan.kit;
    let list = match table {
        Table::Devices => serde_json::to_value(&kit.devices),
        Table::Sources => serde_json::to_value(&kit.sources),
        Table::Converters => serde_json::to_value(&kit.converters),
    };
    match list {
        Ok(Value::Array(list)) => list,
        _ => Vec::new(),
    }
}
