//! Converters: everything that turns one voltage into another, or one lead into several.

use super::Id;
use super::device::{Current, Takes};
use super::port::{Group, LossLaw, Port};
use crate::figure::Figure;
use crate::json::{reads, words};
use crate::quantity::{Amps, Celsius, Factor, Kilograms, Milliseconds, Money, Rise, Seconds, Share, Volts, Watts};
use serde::Serialize;

words!(
    /// The kind of a converter.
    ConverterKind {
        /// DC to AC.
        Inverter = "inverter",
        /// DC to a lower DC.
        Buck = "buck",
        /// DC to a higher DC.
        Boost = "boost",
        /// DC to a DC that may be lower or higher.
        BuckBoost = "buck_boost",
        /// AC to DC.
        AcAdapter = "ac_adapter",
        /// Power into a data cable.
        Injector = "injector",
        /// Asks a port that offers several voltages for one.
        Trigger = "trigger",
        /// Charges a store.
        Charger = "charger",
        /// One lead into several, without a loss of its own.
        Junction = "junction",
    }
);

/// What stands between a port and a device.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Converter {
    /// Its id, unique among devices, sources and converters.
    pub id: Id,
    /// What it is called.
    pub label: String,
    /// What kind it is.
    pub kind: ConverterKind,
    /// What it must be fed with.
    pub input: ConverterInput,
    /// Its outlets.
    pub outputs: Vec<Port>,
    /// Limits that its outlets share.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub groups: Vec<Group>,
    /// What it loses, on the sum of its outputs; a junction has none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub loss: Option<LossLaw>,
    /// How long it carries its load after its feed is gone.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub hold_up: Option<HoldUp>,
    /// How long it takes to come on, s.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub start_s: Option<Figure<Seconds>>,
    /// How it warms.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub thermal: Option<Thermal>,
    /// Whether it is there already; what is not must be bought. It is where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub owned: Option<bool>,
    /// What it costs, in the site's currency.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub price: Option<Figure<Money>>,
    /// What it weighs, kg.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub weight_kg: Option<Figure<Kilograms>>,
    /// A remark.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub note: Option<String>,
}

reads!(Converter {
    id,
    label,
    kind,
    input,
    outputs,
    groups,
    loss,
    hold_up,
    start_s,
    thermal,
    owned,
    price,
    weight_kg,
    note,
});

/// What a converter must be fed with.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct ConverterInput {
    /// DC or AC.
    pub current: Current,
    /// Below this it does not work, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub min_v: Option<Figure<Volts>>,
    /// Above this it may be destroyed, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_v: Option<Figure<Volts>>,
    /// Falling to this it turns itself off, V.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cut_out_v: Option<Figure<Volts>>,
    /// Rising to this it comes on again, V; at least `cut_out_v`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cut_in_v: Option<Figure<Volts>>,
    /// For how long it bears less than `cut_out_v` before it turns itself off, s; not at all where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cut_out_delay_s: Option<Figure<Seconds>>,
    /// The peak that it takes for about a millisecond when it is switched on cold, A; 20 to 60 for adapters where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub inrush_a: Option<Figure<Amps>>,
    /// The peak over the RMS of the current that it takes from alternating current while it runs, 1 to 10; by its power
    /// factor where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crest: Option<Figure<Factor>>,
    /// Whether exposed metal of it is connected to the protective earth (class I); not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub earthed: Option<bool>,
    /// The most it may draw, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_a: Option<Figure<Amps>>,
    /// Real over apparent power, above 0 to 1; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub power_factor: Option<Figure<Share>>,
    /// Whether it asks its own outlet for no more than that gives, as triggers and negotiating adapters do; what is charged
    /// behind it fills more slowly then. It does not where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub takes: Option<Takes>,
    /// Its plug, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub connector: Option<String>,
    /// Which contact is positive, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub polarity: Option<String>,
    /// Whether a stepped wave harms it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub needs_sine: Option<bool>,
}

reads!(ConverterInput {
    current,
    min_v,
    max_v,
    cut_out_v,
    cut_in_v,
    cut_out_delay_s,
    inrush_a,
    crest,
    earthed,
    max_a,
    power_factor,
    takes,
    connector,
    polarity,
    needs_sine,
});

/// How long a converter carries its load without a feed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct HoldUp {
    /// The time, ms.
    pub ms: Figure<Milliseconds>,
    /// At this output, W; above 0.
    pub at_w: Figure<Watts>,
}

reads!(HoldUp { ms, at_w });

/// How a converter warms under load.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema), schemars(deny_unknown_fields))]
pub struct Thermal {
    /// Final rise over the air at full load, K.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub full_load_rise_c: Option<Figure<Rise>>,
    /// Time to 63 % of a change, s.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub time_constant_s: Option<Figure<Seconds>>,
    /// Hottest case allowed, °C.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_case_c: Option<Figure<Celsius>>,
}

reads!(Thermal { full_load_rise_c, time_constant_s, max_case_c });
