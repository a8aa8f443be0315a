//! The columns of each table.

use super::cells::{self, Unread};
use crate::ground::json::words;
use crate::site::entry::{DecimalMark, Target};
use serde_json::{Map, Value, json};

words!(
    /// A table of the kit.
    Table {
        /// One row for each device.
        Devices = "devices",
        /// One row for each outlet of a source; what belongs to the source stands in its first row.
        Sources = "sources",
        /// One row for each output of a converter; what belongs to the converter stands in its
        /// first row.
        Converters = "converters",
    }
);

impl Table {
    /// The kind of its elements.
    pub fn kind(self) -> &'static str {
        match self {
            Self::Devices => "device",
            Self::Sources => "source",
            Self::Converters => "converter",
        }
    }

    /// The list of outlets of an element, which have rows of their own.
    pub(super) fn rows_of(self) -> Option<&'static str> {
        match self {
            Self::Devices => None,
            Self::Sources => Some("ports"),
            Self::Converters => Some("outputs"),
        }
    }
}

/// How a cell is read.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Cell {
    Text,
    Word,
    Flag,
    Figure(Target),
    /// The watts or the share of the phase of a kind.
    Phase(&'static str, &'static str),
    Steps(&'static str),
    /// Running watts from watt-hours a day, and from amperes.
    DayWh,
    Amps,
    Cycle,
    AfterLoss,
    Overload,
    /// Cycles by depth.
    Wear,
    Voltage,
}

/// A column.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Column {
    /// Its header.
    pub name: &'static str,
    /// Other headers that are read as it.
    pub also: &'static [&'static str],
    /// What it holds, for the docs.
    pub holds: &'static str,
    /// Whether it is of an outlet, and not of the element.
    pub(super) outlet: bool,
    /// Where it stands in its element or outlet, parted by points.
    pub(super) path: &'static str,
    pub(super) cell: Cell,
    /// Whether it is written, or only read.
    pub(super) written: bool,
}

const fn of(
    name: &'static str,
    path: &'static str,
    cell: Cell,
    also: &'static [&'static str],
    holds: &'static str,
) -> Column {
    Column {
        name,
        also,
        holds,
        outlet: false,
        path,
        cell,
        written: true,
    }
}

const fn outlet(name: &'static str, path: &'static str, cell: Cell, holds: &'static str) -> Column {
    Column {
        name,
        also: &[],
        holds,
        outlet: true,
        path,
        cell,
        written: true,
    }
}

const fn read_only(column: Column) -> Column {
    Column {
        written: false,
        ..column
    }
}

use Cell::{
    AfterLoss, Amps, Cycle, DayWh, Figure, Flag, Overload, Phase, Steps, Text, Voltage, Wear, Word,
};

const DEVICES: &[Column] = &[
    of(
        "id",
        "id",
        Text,
        &[],
        "the id; made from the name where it is left out",
    ),
    of(
        "label",
        "label",
        Text,
        &["name", "device", "what", "item"],
        "what it is called",
    ),
    of(
        "role",
        "role",
        Text,
        &["use", "purpose"],
        "what it is for; words such as medical show a caution",
    ),
    of(
        "quantity",
        "quantity",
        Figure(Target::Plain),
        &["qty", "count", "number", "how_many"],
        "how many, 1 where left out",
    ),
    of(
        "priority",
        "priority",
        Figure(Target::Plain),
        &["order"],
        "its place in what matters, from 1",
    ),
    of(
        "service",
        "service",
        Text,
        &["need"],
        "the need that it meets, where others meet it too",
    ),
    of("way", "way", Text, &[], "in which way it does"),
    of(
        "current",
        "input.current",
        Word,
        &["ac_dc"],
        "dc or ac; dc where left out",
    ),
    of(
        "rated_v",
        "input.rated_v",
        Figure(Target::Volts),
        &["volts", "voltage", "v", "rated_volts"],
        "rated volts",
    ),
    of(
        "min_v",
        "input.min_v",
        Figure(Target::Volts),
        &["lowest_v", "minimum_volts"],
        "resets below",
    ),
    of(
        "max_v",
        "input.max_v",
        Figure(Target::Volts),
        &["highest_v", "maximum_volts"],
        "bears at most",
    ),
    of("connector", "input.connector", Text, &["plug"], "its plug"),
    of("polarity", "input.polarity", Text, &[], "its polarity"),
    of(
        "needs_sine",
        "input.needs_sine",
        Flag,
        &["sine"],
        "yes or no",
    ),
    of(
        "stepped_watts_factor",
        "input.stepped_watts_factor",
        Figure(Target::Plain),
        &[],
        "watts on a stepped wave over those on a sine",
    ),
    of(
        "takes",
        "input.takes",
        Word,
        &[],
        "what_it_gets, of what is charged and yields",
    ),
    of(
        "power_factor",
        "input.power_factor",
        Figure(Target::Plain),
        &["pf"],
        "0 to 1",
    ),
    of("draw", "draw", Word, &[], "power, current or resistance"),
    of(
        "running",
        "phases",
        Phase("running", "watts"),
        &["watts", "w", "power", "running_w", "running_watts", "load"],
        "watts while running, in any form that a field takes",
    ),
    read_only(of(
        "wh_a_day",
        "phases",
        DayWh,
        &["wh_per_day", "wh_day", "daily_wh"],
        "watt-hours a day: instead of running, or beside it for the hours that the two make",
    )),
    read_only(of(
        "amps",
        "phases",
        Amps,
        &["a", "ampere", "amperes"],
        "instead of running: amperes at the rated volts",
    )),
    of(
        "busy",
        "phases",
        Phase("busy", "watts"),
        &["busy_w", "busy_watts"],
        "watts while busy",
    ),
    of(
        "busy_share",
        "phases",
        Phase("busy", "share"),
        &[],
        "share of the running time that it is busy",
    ),
    of(
        "starting",
        "phases",
        Steps("starting"),
        &["start"],
        "11 for 40 s; 9 for 20 s",
    ),
    of(
        "stopping",
        "phases",
        Steps("stopping"),
        &["stop"],
        "92 for 3 min",
    ),
    of(
        "cycle",
        "cycle",
        Cycle,
        &[
            "hours",
            "h",
            "hours_a_day",
            "hours_per_day",
            "h_per_day",
            "hours_day",
        ],
        "continuous, hours a day (24, 8), 06:30 to 22:00, 35 % of 30 min, or 15 from 21:30 every 2 \
        days",
    ),
    of(
        "ride_through_ms",
        "ride_through_ms",
        Figure(Target::Milliseconds),
        &[],
        "survives a gap of",
    ),
    of(
        "after_loss",
        "after_loss",
        AfterLoss,
        &[],
        "resumes, restarts 50 s, or latches",
    ),
    of(
        "deadline_min",
        "deadline.minutes",
        Figure(Target::Minutes),
        &["harm_after"],
        "harm after",
    ),
    of(
        "consequence",
        "deadline.consequence",
        Text,
        &["harm"],
        "what the harm is",
    ),
    of(
        "owned",
        "owned",
        Flag,
        &[],
        "yes, or no where it would be bought",
    ),
    of(
        "price",
        "price",
        Figure(Target::Plain),
        &[],
        "in the site's currency",
    ),
    of(
        "weight_kg",
        "weight_kg",
        Figure(Target::Plain),
        &["kg", "weight"],
        "kilograms",
    ),
    of(
        "note",
        "note",
        Text,
        &["remark", "remarks", "notes"],
        "a remark",
    ),
];

const SOURCES: &[Column] = &[
    of(
        "id",
        "id",
        Text,
        &[],
        "the id; made from the name where it is left out",
    ),
    of(
        "label",
        "label",
        Text,
        &["name", "source", "what"],
        "what it is called",
    ),
    of(
        "kind",
        "kind",
        Word,
        &["type"],
        "battery, power_station, backup_unit, vehicle, generator, mains or panel",
    ),
    of(
        "chemistry",
        "battery.chemistry",
        Word,
        &[],
        "the id of a chemistry, such as lfp or agm",
    ),
    of(
        "cells",
        "battery.cells",
        Figure(Target::Plain),
        &[],
        "cells in series",
    ),
    of(
        "capacity_ah",
        "battery.capacity_ah",
        Figure(Target::AmpHours),
        &["ah"],
        "rated ampere-hours, with cells",
    ),
    of(
        "energy_wh",
        "battery.energy_wh",
        Figure(Target::WattHours),
        &["wh"],
        "rated watt-hours, without cells",
    ),
    of(
        "rated_hours",
        "battery.rated_hours",
        Figure(Target::Plain),
        &[],
        "hours that the ampere-hours are rated over",
    ),
    of(
        "cycles",
        "battery.cycles",
        Wear,
        &[],
        "5000 at 50 %; 3000 at 80 %, as its maker says",
    ),
    of(
        "life_years",
        "battery.life_years",
        Figure(Target::Plain),
        &[],
        "years by the calendar, as its maker says",
    ),
    of(
        "internal_ohm",
        "battery.internal_ohm",
        Figure(Target::Plain),
        &[],
        "ohms inside",
    ),
    of(
        "cut_off_v",
        "battery.cut_off_v",
        Figure(Target::Volts),
        &[],
        "cuts itself off at",
    ),
    of(
        "max_discharge_a",
        "battery.max_discharge_a",
        Figure(Target::Amps),
        &[],
        "gives at most",
    ),
    of(
        "max_charge_a",
        "battery.max_charge_a",
        Figure(Target::Amps),
        &[],
        "takes at most",
    ),
    of(
        "floor_soc",
        "battery.floor_soc",
        Figure(Target::Share),
        &["floor"],
        "kept to spare it",
    ),
    of(
        "owned",
        "owned",
        Flag,
        &[],
        "yes, or no where it would be bought",
    ),
    of(
        "price",
        "price",
        Figure(Target::Plain),
        &[],
        "in the site's currency",
    ),
    of(
        "weight_kg",
        "weight_kg",
        Figure(Target::Plain),
        &["kg", "weight"],
        "kilograms",
    ),
    of("note", "note", Text, &["remark", "notes"], "a remark"),
    outlet("port", "id", Text, "the id of the outlet"),
    outlet("port_label", "label", Text, "what it is called"),
    outlet(
        "port_current",
        "current",
        Word,
        "dc or ac; by its volts where left out",
    ),
    outlet("port_connector", "connector", Text, "its plug"),
    outlet(
        "port_volts",
        "voltage",
        Voltage,
        "battery, 13.2, 230 sine, 230 stepped, or 5 / 9 / 20",
    ),
    outlet(
        "port_idle_w",
        "loss.idle_w",
        Figure(Target::Watts),
        "costs to be on",
    ),
    outlet(
        "port_proportional",
        "loss.proportional",
        Figure(Target::Share),
        "lost with its load",
    ),
    outlet(
        "port_quadratic_per_w",
        "loss.quadratic_per_w",
        Figure(Target::Plain),
        "lost with the square of its load",
    ),
    outlet(
        "port_limit_a",
        "limit.continuous_a",
        Figure(Target::Amps),
        "carries for ever",
    ),
    outlet(
        "port_limit_w",
        "limit.continuous_w",
        Figure(Target::Watts),
        "carries for ever",
    ),
    outlet(
        "port_overload",
        "limit.overload",
        Overload,
        "11 A for 3 s; 12 A",
    ),
    outlet(
        "port_off_below_w",
        "auto_off.below_w",
        Figure(Target::Watts),
        "turns itself off below",
    ),
    outlet(
        "port_off_after_s",
        "auto_off.after_s",
        Figure(Target::Seconds),
        "after that long",
    ),
];

const CONVERTERS: &[Column] = &[
    of(
        "id",
        "id",
        Text,
        &[],
        "the id; made from the name where it is left out",
    ),
    of(
        "label",
        "label",
        Text,
        &["name", "converter", "what"],
        "what it is called",
    ),
    of(
        "kind",
        "kind",
        Word,
        &["type"],
        "inverter, buck, boost, buck_boost, ac_adapter, injector, trigger, charger or junction",
    ),
    of("input_current", "input.current", Word, &[], "dc or ac"),
    of(
        "input_min_v",
        "input.min_v",
        Figure(Target::Volts),
        &[],
        "works from",
    ),
    of(
        "input_max_v",
        "input.max_v",
        Figure(Target::Volts),
        &[],
        "bears at most",
    ),
    of(
        "cut_out_v",
        "input.cut_out_v",
        Figure(Target::Volts),
        &[],
        "cuts out at",
    ),
    of(
        "cut_in_v",
        "input.cut_in_v",
        Figure(Target::Volts),
        &[],
        "back in at",
    ),
    of(
        "input_max_a",
        "input.max_a",
        Figure(Target::Amps),
        &[],
        "takes at most",
    ),
    of(
        "input_power_factor",
        "input.power_factor",
        Figure(Target::Plain),
        &[],
        "0 to 1",
    ),
    of("input_connector", "input.connector", Text, &[], "its plug"),
    of(
        "idle_w",
        "loss.idle_w",
        Figure(Target::Watts),
        &["idle", "standby"],
        "costs to be on",
    ),
    of(
        "proportional",
        "loss.proportional",
        Figure(Target::Share),
        &[],
        "lost with its load",
    ),
    of(
        "quadratic_per_w",
        "loss.quadratic_per_w",
        Figure(Target::Plain),
        &[],
        "lost with the square of its load",
    ),
    of(
        "start_s",
        "start_s",
        Figure(Target::Seconds),
        &[],
        "takes to start",
    ),
    of(
        "hold_up_ms",
        "hold_up.ms",
        Figure(Target::Milliseconds),
        &[],
        "carries on without a feed for",
    ),
    of(
        "hold_up_at_w",
        "hold_up.at_w",
        Figure(Target::Watts),
        &[],
        "at that load",
    ),
    of(
        "owned",
        "owned",
        Flag,
        &[],
        "yes, or no where it would be bought",
    ),
    of(
        "price",
        "price",
        Figure(Target::Plain),
        &[],
        "in the site's currency",
    ),
    of(
        "weight_kg",
        "weight_kg",
        Figure(Target::Plain),
        &["kg", "weight"],
        "kilograms",
    ),
    of("note", "note", Text, &["remark", "notes"], "a remark"),
    outlet("output", "id", Text, "the id of the output"),
    outlet(
        "output_current",
        "current",
        Word,
        "dc or ac; by its volts where left out",
    ),
    outlet("output_connector", "connector", Text, "its plug"),
    outlet(
        "output_volts",
        "voltage",
        Voltage,
        "13.2, 230 sine, 230 stepped, or 5 / 9 / 20",
    ),
    outlet(
        "output_limit_a",
        "limit.continuous_a",
        Figure(Target::Amps),
        "carries for ever",
    ),
    outlet(
        "output_limit_w",
        "limit.continuous_w",
        Figure(Target::Watts),
        "carries for ever",
    ),
    outlet(
        "output_overload",
        "limit.overload",
        Overload,
        "11 A for 3 s; 12 A",
    ),
];

/// The columns of a table, in the order in which they are written.
pub fn columns(table: Table) -> &'static [Column] {
    match table {
        Table::Devices => DEVICES,
        Table::Sources => SOURCES,
        Table::Converters => CONVERTERS,
    }
}

impl Column {
    /// Whether a header, as [`super::sheet::plain`] makes it, is of this column.
    pub(super) fn is(&self, header: &str) -> bool {
        self.name == header || self.also.contains(&header)
    }

    /// The cell of an element or an outlet.
    pub(super) fn write(&self, of: &Value) -> String {
        let at = self
            .path
            .split('.')
            .try_fold(of, |it, key| it.get(key))
            .unwrap_or(&Value::Null);
        match self.cell {
            Cell::Text | Cell::Word => at.as_str().unwrap_or_default().to_owned(),
            Cell::Flag => at
                .as_bool()
                .map_or("", |it| if it { "yes" } else { "no" })
                .to_owned(),
            Cell::Figure(target) => cells::typed(at, target == Target::Share),
            Cell::Phase(when, key) => {
                let phase = at
                    .as_array()
                    .into_iter()
                    .flatten()
                    .find(|it| it["when"] == when);
                phase.map_or_else(String::new, |it| cells::typed(&it[key], key == "share"))
            }
            Cell::Steps(when) => cells::steps(at, when),
            Cell::Cycle => cells::cycle(at),
            Cell::AfterLoss => cells::after_loss(at),
            Cell::Overload => cells::overload(at),
            Cell::Wear => cells::wear(at),
            Cell::Voltage => cells::voltage(at),
            Cell::DayWh | Cell::Amps => String::new(),
        }
    }

    /// Puts a cell into an element or an outlet. `-` takes out what is there.
    pub(super) fn read(
        &self,
        cell: &str,
        into: &mut Value,
        decimal: DecimalMark,
    ) -> Result<(), Unread> {
        let volts = into["input"]["rated_v"]
            .as_f64()
            .or_else(|| into["input"]["rated_v"]["value"].as_f64());
        let clears = cell == "-";
        match self.cell {
            Cell::Phase(when, key) => return phase(into, when, key, cell, volts, decimal),
            Cell::DayWh => return running(into, &format!("{cell} Wh/day"), decimal),
            Cell::Amps => {
                return phase(
                    into,
                    "running",
                    "watts",
                    &format!("{cell} A"),
                    volts,
                    decimal,
                );
            }
            Cell::Steps(when) => {
                let made = if clears {
                    Vec::new()
                } else {
                    cells::read_steps(cell, when, volts, decimal)?
                };
                let phases = phases(into);
                phases.retain(|it| it["when"] != when);
                // Starts stand before the rest, stops behind it.
                let at = if when == "starting" { 0 } else { phases.len() };
                phases.splice(at..at, made);
                return Ok(());
            }
            _ => {}
        }
        let value = match self.cell {
            _ if clears => Value::Null,
            Cell::Text => json!(cell),
            Cell::Word => json!(cell.to_lowercase()),
            Cell::Flag => match cell.to_lowercase().as_str() {
                "yes" | "true" | "1" => json!(true),
                "no" | "false" | "0" => json!(false),
                _ => {
                    return Err(Unread::new(
                        format!("“{cell}” is neither yes nor no"),
                        "write yes or no",
                    ));
                }
            },
            Cell::Figure(target) => cells::read_figure(cell, target, volts, decimal)?,
            Cell::Cycle => cells::read_cycle(cell, decimal)?,
            Cell::AfterLoss => cells::read_after_loss(cell, decimal)?,
            Cell::Overload => cells::read_overload(cell, decimal)?,
            Cell::Wear => cells::read_wear(cell, decimal)?,
            Cell::Voltage => cells::read_voltage(cell, decimal)?,
            Cell::Phase(..) | Cell::Steps(_) | Cell::DayWh | Cell::Amps => Value::Null,
        };
        put(into, self.path, value);
        Ok(())
    }
}

/// Puts a value at a path, and makes the way there; null takes it out.
fn put(into: &mut Value, path: &str, value: Value) {
    let (way, last) = path.rsplit_once('.').unwrap_or(("", path));
    let mut at = into;
    for key in way.split('.').filter(|it| !it.is_empty()) {
        if value.is_null() && at.get(key).is_none() {
            return;
        }
        at = &mut at[key];
    }
    if at.is_null() {
        *at = Value::Object(Map::new());
    }
    let Some(map) = at.as_object_mut() else {
        return;
    };
    if value.is_null() {
        map.shift_remove(last);
    } else {
        map.insert(last.to_owned(), value);
    }
}

fn phases(into: &mut Value) -> &mut Vec<Value> {
    if !into["phases"].is_array() {
        into["phases"] = json!([]);
    }
    match &mut into["phases"] {
        Value::Array(list) => list,
        _ => unreachable!("it was made a list just now"),
    }
}

/// Puts running watts into a device, in any form that a field takes.
pub(super) fn running(into: &mut Value, cell: &str, decimal: DecimalMark) -> Result<(), Unread> {
    phase(into, "running", "watts", cell, None, decimal)
}

fn phase(
    into: &mut Value,
    when: &str,
    key: &str,
    cell: &str,
    volts: Option<f64>,
    decimal: DecimalMark,
) -> Result<(), Unread> {
    let target = if key == "share" {
        Target::Share
    } else {
        Target::Watts
    };
    let clears = cell == "-";
    let read = if clears {
        Value::Null
    } else {
        cells::read_figure(cell, target, volts, decimal)?
    };
    let phases = phases(into);
    if clears {
        phases.retain(|it| it["when"] != when);
        return Ok(());
    }
    match phases.iter_mut().find(|it| it["when"] == when) {
        Some(found) => found[key] = read,
        None => {
            let place = phases
                .iter()
                .position(|it| it["when"] == "stopping")
                .unwrap_or(phases.len());
            phases.insert(place, json!({"when": when, key: read}));
        }
    }
    Ok(())
}
