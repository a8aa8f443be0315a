//! Sources: batteries, power stations, backup units, vehicles, generators, mains.

use super::arrangement::Fuse;
use super::device::TimeOfDay;
use super::id::Id;
use super::port::{Group, Port};
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, FromJson, Path, reads, words};
use crate::ground::quantity::{
    AmpHours, Amps, Bearing, Celsius, Count, CubicMetres, Hours, Kilograms, Litres, LitresPerHour,
    LitresPerKwh, Milliseconds, Money, Ohms, PerKelvin, Seconds, Share, Tilt, Volts, WattHours,
    Watts, Years,
};
use crate::site::chemistry;
use serde::Serialize;
use serde_json::Value;

/// Cycles that a battery may be said to bear at most.
const MOST_CYCLES: f64 = 1e6;

words!(
    /// The kind of a source.
    SourceKind {
        /// A bare battery.
        Battery = "battery",
        /// A box with a battery, converters and outlets.
        PowerStation = "power_station",
        /// A box between the mains and its loads, with a battery inside.
        BackupUnit = "backup_unit",
        /// A vehicle's battery and alternator.
        Vehicle = "vehicle",
        /// A generator.
        Generator = "generator",
        /// The mains.
        Mains = "mains",
        /// A solar panel, or several that are wired together.
        Panel = "panel",
    }
);

words!(
    /// How a source with a pass-through takes over from the mains.
    LineMode {
        /// Switches over when the mains fails.
        Standby = "standby",
        /// Switches over, and corrects the voltage before.
        LineInteractive = "line-interactive",
        /// Always runs through its converters: no gap.
        Online = "online",
        /// A battery that is always connected: no gap.
        Float = "float",
    }
);

words!(
    /// How a battery is computed.
    BatteryModel {
        /// Resistance and acceptance as they are stated, at any temperature and age.
        Plain = "plain",
        /// Resistance by temperature and charge, acceptance as the chemistry takes it,
        /// self-discharge.
        Full = "full",
    }
);

words!(
    /// What an engine burns.
    Fuel {
        /// Petrol.
        Petrol = "petrol",
        /// Diesel.
        Diesel = "diesel",
        /// Gas, from a bottle or a main.
        Gas = "gas",
    }
);

words!(
    /// The kind of a charging input.
    InputKind {
        /// From the mains.
        Mains = "mains",
        /// From a DC supply or a panel.
        Dc = "dc",
    }
);

/// What devices run from.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Source {
    /// Its id, unique among devices, sources and converters.
    pub id: Id,
    /// What it is called.
    pub label: String,
    /// What kind it is.
    pub kind: SourceKind,
    /// Its store; left out for mains and generators.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub battery: Option<Battery>,
    /// Its outlets.
    pub ports: Vec<Port>,
    /// Limits that its outlets share.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub groups: Vec<Group>,
    /// How it takes over from the mains; no pass-through where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub line: Option<Line>,
    /// Where it can be charged.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub inputs: Vec<SourceInput>,
    /// The alternator of a vehicle.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub alternator: Option<Alternator>,
    /// The panel, of a source of that kind; its ports give its working voltage and its most power.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub panel: Option<Panel>,
    /// Whether it stands in a room or a cabin, where its gas gathers; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub indoors: Option<bool>,
    /// The volume of that room, m³; above 0.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub room_m3: Option<Figure<CubicMetres>>,
    /// What burns fuel in it, for generators and vehicles.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub engine: Option<Engine>,
    /// Whether it is there already; what is not must be bought. It is where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub owned: Option<bool>,
    /// What it costs, in the site's currency.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub price: Option<Figure<Money>>,
    /// What it weighs, kg.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub weight_kg: Option<Figure<Kilograms>>,
    /// Whether its battery can be replaced.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub replaceable_battery: Option<bool>,
    /// A remark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

reads!(Source {
    id,
    label,
    kind,
    battery,
    ports,
    groups,
    line,
    inputs,
    alternator,
    panel,
    indoors,
    room_m3,
    engine,
    owned,
    price,
    weight_kg,
    replaceable_battery,
    note,
});

impl Source {
    /// Whether store, converters and outlets are one box.
    pub fn is_one_box(&self) -> bool {
        matches!(self.kind, SourceKind::PowerStation | SourceKind::BackupUnit)
    }

    /// Whether it has an engine that is started and stopped: a generator, or a vehicle with an
    /// alternator.
    pub fn runs(&self) -> bool {
        self.kind == SourceKind::Generator
            || self.kind == SourceKind::Vehicle && self.alternator.is_some()
    }
}

/// A store of charge (`cells` and `capacity_ah`) or of energy (`energy_wh`, behind regulated ports
/// only).
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Battery {
    /// The chemistry's id: `lfp`, `agm`, `flooded` or `li_ion`.
    pub chemistry: String,
    /// Cells in series; 1 or more.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cells: Option<Figure<Count>>,
    /// Rated charge at the pack's voltage, Ah; above 0.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub capacity_ah: Option<Figure<AmpHours>>,
    /// Rated energy, Wh; above 0. For a store behind regulated ports.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub energy_wh: Option<Figure<WattHours>>,
    /// The hours over which the capacity is rated; the chemistry's habit where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rated_hours: Option<Figure<Hours>>,
    /// How it is computed; plain where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub model: Option<BatteryModel>,
    /// Strings of cells side by side, 1 or more; 1 where left out. The capacity is that of all of
    /// them.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub strings: Option<Figure<Count>>,
    /// The fuse that each of several strings has.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub string_fuse: Option<Fuse>,
    /// Internal resistance of the pack, Ω.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub internal_ohm: Option<Figure<Ohms>>,
    /// The temperature at which that was stated or measured, °C; 25 where left out. For the full
    /// model.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub internal_ohm_at_c: Option<Figure<Celsius>>,
    /// Terminal voltage at which it disconnects itself, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cut_off_v: Option<Figure<Volts>>,
    /// Current that it gives for ever, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_discharge_a: Option<Figure<Amps>>,
    /// Currents that it gives for a while.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub peak: Vec<Peak>,
    /// Current that it takes while charging, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_charge_a: Option<Figure<Amps>>,
    /// State of charge at which it is spared, 0 to 1; the chemistry's habit where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub floor_soc: Option<Figure<Share>>,
    /// How often it bears how deep a discharge, by its maker: the depth rises and the cycles do
    /// not. With one point its chemistry's curve is laid through it; the chemistry's own where left
    /// out.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    #[cfg_attr(feature = "schema", schemars(with = "Vec<[f64; 2]>"))]
    pub cycles: Vec<DepthCycles>,
    /// Years until it is worn out by the calendar, above 0; the chemistry's habit where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub life_years: Option<Figure<Years>>,
}

/// A depth of discharge, above 0 to 1, and how often a battery bears it, 1 or more: `[0.8, 3000]`.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
pub struct DepthCycles(pub f64, pub f64);

impl FromJson for DepthCycles {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let [depth, cycles]: [f64; 2] = serde_json::from_value(value.clone()).map_err(|_| {
            at.error("is no pair of numbers; give a depth and its cycles, as [0.8, 3000]")
        })?;
        if !(depth > 0.0 && depth <= 1.0) {
            return Err(at.error(format!(
                "has a depth of {depth}; a depth lies above 0 and at most at 1 (80 % is 0.8)"
            )));
        }
        if !(1.0..=MOST_CYCLES).contains(&cycles) {
            return Err(at.error(format!("has {cycles} cycles; give 1 to {MOST_CYCLES}")));
        }
        Ok(Self(depth, cycles))
    }
}

reads!(Battery {
    chemistry,
    cells,
    capacity_ah,
    energy_wh,
    rated_hours,
    model,
    strings,
    string_fuse,
    internal_ohm,
    internal_ohm_at_c,
    cut_off_v,
    max_discharge_a,
    peak,
    max_charge_a,
    floor_soc,
    cycles,
    life_years,
});

impl Battery {
    /// Whether it is computed with its temperature, its acceptance and its self-discharge.
    pub fn is_full_model(&self) -> bool {
        self.model == Some(BatteryModel::Full)
    }

    /// State of charge at which it is spared: the plan's, else the chemistry's habit, else 0.
    pub fn floor(&self) -> f64 {
        let habit = || chemistry::find(&self.chemistry).map_or(0.0, |it| it.floor_soc);
        self.floor_soc.as_ref().map_or_else(habit, Figure::get)
    }
}

/// A current that a battery gives for a while.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Peak {
    /// Up to this current, A.
    pub up_to_a: Figure<Amps>,
    /// For this long, s; nobody knows where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub for_s: Option<Figure<Seconds>>,
}

reads!(Peak { up_to_a, for_s });

/// How a source takes over from the mains.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Line {
    /// The way it does it.
    pub mode: LineMode,
    /// The gap when the mains fails, ms; 0 for online and float.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub transfer_ms: Option<Figure<Milliseconds>>,
    /// The gap when the mains returns, ms.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub return_ms: Option<Figure<Milliseconds>>,
}

reads!(Line {
    mode,
    transfer_ms,
    return_ms
});

/// A charging input of a source.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct SourceInput {
    /// Its id, unique within its source.
    pub id: Id,
    /// From the mains or from DC.
    pub kind: InputKind,
    /// Below this it takes nothing, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub min_v: Option<Figure<Volts>>,
    /// Above this it may be destroyed, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_v: Option<Figure<Volts>>,
    /// The most it takes, W.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_w: Option<Figure<Watts>>,
    /// The most it takes at any voltage, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_a: Option<Figure<Amps>>,
    /// Stored over taken, above 0 to 1; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub efficiency: Option<Figure<Share>>,
    /// Currents by voltage, each from its voltage up to the next.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub bands: Vec<Band>,
    /// Its socket, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub connector: Option<String>,
    /// Ways in which it can be set to take less or more, such as a quiet and a fast one. A feed
    /// says which is set; where none is, it takes `max_w`.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub modes: Vec<InputMode>,
}

reads!(SourceInput {
    id,
    kind,
    min_v,
    max_v,
    max_w,
    max_a,
    efficiency,
    bands,
    connector,
    modes
});

impl SourceInput {
    /// The most that it takes, W, where it is set to a mode; endless where nothing says so.
    pub(crate) fn most_w(&self, mode: Option<&str>) -> f64 {
        let set = mode.and_then(|it| self.modes.iter().find(|known| known.id.as_str() == it));
        let own = self.max_w.as_ref().map(Figure::get);
        set.map(|it| it.max_w.get())
            .or(own)
            .unwrap_or(f64::INFINITY)
    }
}

/// A way in which a charging input can be set.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct InputMode {
    /// Its id, unique within its input.
    pub id: Id,
    /// What it is called.
    pub label: String,
    /// The most that it takes then, W.
    pub max_w: Figure<Watts>,
}

reads!(InputMode { id, label, max_w });

/// The current that an input takes from a voltage upwards.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Band {
    /// From this voltage, V.
    pub from_v: Figure<Volts>,
    /// At most this current, A.
    pub max_a: Figure<Amps>,
    /// At most this power, W; as the input itself where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_w: Option<Figure<Watts>>,
}

reads!(Band {
    from_v,
    max_a,
    max_w
});

/// What a vehicle's alternator can give.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Alternator {
    /// With the engine idling, A.
    pub idle_a: Figure<Amps>,
    /// At full speed, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub full_a: Option<Figure<Amps>>,
    /// The voltage that it holds with the engine running, V; 14.8 in a vehicle of 12 V where left
    /// out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub running_v: Option<Figure<Volts>>,
    /// The voltage to which the starter pulls the battery for a second, V; 7 in a vehicle of 12 V
    /// where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cranking_v: Option<Figure<Volts>>,
}

reads!(Alternator {
    idle_a,
    full_a,
    running_v,
    cranking_v
});

/// What an engine burns, and when it must be quiet.
///
/// It burns `idle_l_per_h` as long as it runs and `l_per_kwh` for what is drawn from it (a straight
/// line, as makers give their figures at quarter loads).
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Engine {
    /// What it burns; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fuel: Option<Fuel>,
    /// Fuel at hand, its tank and its cans together, l.
    pub fuel_l: Figure<Litres>,
    /// Fuel burnt at no load, l/h; 0 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub idle_l_per_h: Option<Figure<LitresPerHour>>,
    /// Fuel burnt for each kilowatt-hour beside that, l/kWh.
    pub l_per_kwh: Figure<LitresPerKwh>,
    /// What a litre costs, in the site's currency.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub price_per_l: Option<Figure<Money>>,
    /// Times of day at which it must not run.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub quiet: Vec<Quiet>,
}

reads!(Engine {
    fuel,
    fuel_l,
    idle_l_per_h,
    l_per_kwh,
    price_per_l,
    quiet
});

/// A time of day at which something must not run; over midnight where `to` is the earlier.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Quiet {
    /// From this time of day.
    pub from: TimeOfDay,
    /// To this time of day.
    pub to: TimeOfDay,
}

reads!(Quiet { from, to });

/// A panel's voltage without a load, which rises in the cold.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Panel {
    /// Open-circuit voltage at 25 °C, V; above 0.
    pub open_v: Figure<Volts>,
    /// Change of that voltage per kelvin, as a share of it; -0.003 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub open_v_per_k: Option<Figure<PerKelvin>>,
    /// Panels one behind the other in a string, 1 or more; 1 where left out. The open voltage is
    /// that of one of them, the ports give what the whole field does.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub in_series: Option<Figure<Count>>,
    /// Strings of panels side by side, 1 or more; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub strings: Option<Figure<Count>>,
    /// The fuse that each of several strings has.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub string_fuse: Option<Fuse>,
    /// Its tilt from level, °, 0 to 90; what is asked, or 50, where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tilt_deg: Option<Figure<Tilt>>,
    /// Where it faces, ° from north by east, 0 to 360; towards the equator where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub azimuth_deg: Option<Figure<Bearing>>,
    /// Times of day at which something shades it: it gives nothing then.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub shade: Vec<Shade>,
}

reads!(Panel {
    open_v,
    open_v_per_k,
    in_series,
    strings,
    string_fuse,
    tilt_deg,
    azimuth_deg,
    shade
});

impl Panel {
    /// Open voltage of a whole string at 25 °C, V.
    pub fn string_open_v(&self) -> f64 {
        self.open_v.get() * self.in_series.as_ref().map_or(1.0, Figure::get)
    }
}

/// A time of day at which a panel stands in the shade; over midnight where `to` is the earlier.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Shade {
    /// From this time of day.
    pub from: TimeOfDay,
    /// To this time of day.
    pub to: TimeOfDay,
}

reads!(Shade { from, to });
