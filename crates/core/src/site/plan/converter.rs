//! Converters: everything that turns one voltage into another, or one lead into several.

use super::device::{Current, Takes};
use super::id::Id;
use super::port::{Group, LossLaw, Port};
use crate::ground::figure::Figure;
use crate::ground::json::{reads, words};
use crate::ground::quantity::{
    Amps, Celsius, Factor, Kilograms, Milliseconds, Money, Rise, Seconds, Share, Volts, Watts,
};
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
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
    /// Of a charger or a panel controller, the voltage that it charges at, V; that of its outlet
    /// where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub charge_v: Option<Figure<Volts>>,
    /// The voltage that it keeps a full battery at, V; not above `charge_v`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub float_v: Option<Figure<Volts>>,
    /// The voltage of its equalising step, V; it makes none where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub equalise_v: Option<Figure<Volts>>,
    /// The most that it gives, A: read, and written as its outlet's `limit.continuous_a`.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_a: Option<Figure<Amps>>,
    /// Out over in, above 0 to 1: read, and written as `loss.proportional`, 1/efficiency − 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub efficiency: Option<Figure<Share>>,
    /// What a panel controller draws from the battery while no light falls on its panel, W.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub night_w: Option<Figure<Watts>>,
    /// Whether a panel controller holds its panel at the voltage of the battery instead of finding
    /// its best power; what the panel gives falls by the two voltages then.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub holds_panel: Option<bool>,
    /// Whether a junction crosses its two conductors, so that what follows has the other polarity;
    /// it does not where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub reverses_polarity: Option<bool>,
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
    charge_v,
    float_v,
    equalise_v,
    max_a,
    efficiency,
    night_w,
    holds_panel,
    reverses_polarity,
    hold_up,
    start_s,
    thermal,
    owned,
    price,
    weight_kg,
    note,
});

impl Converter {
    /// The voltage that a charger charges at, V: its own, or that of its first outlet; none for
    /// what is no charger.
    pub fn charges_at(&self) -> Option<f64> {
        let charges = self.kind == ConverterKind::Charger;
        let outlet = || {
            self.outputs
                .first()
                .and_then(|it| it.voltage.standing(None))
        };
        self.charge_v
            .as_ref()
            .map(Figure::get)
            .or_else(outlet)
            .filter(|_| charges)
    }

    /// What all of its outlets may give together for ever, W; none where one of them states no
    /// limit.
    pub fn full_w(&self) -> Option<f64> {
        let most = |it: &Port| {
            let limit = it.limit.as_ref()?;
            let by_amps = || Some(limit.continuous_a.as_ref()?.get() * it.voltage.standing(None)?);
            limit
                .continuous_w
                .as_ref()
                .map(Figure::get)
                .or_else(by_amps)
        };
        self.outputs
            .iter()
            .map(most)
            .sum::<Option<f64>>()
            .filter(|it| *it > 0.0)
    }

    /// Writes what is said in short, `max_a` and `efficiency`, where everything else looks for it:
    /// as the limit of its first outlet and as its loss.
    pub(crate) fn settle(&mut self) {
        if let (Some(amps), Some(port)) = (&self.max_a, self.outputs.first_mut())
            && port
                .limit
                .as_ref()
                .is_none_or(|it| it.continuous_a.is_none())
        {
            port.limit.get_or_insert_default().continuous_a = Some(amps.clone());
            self.max_a = None;
        }
        if let (Some(efficiency), None) = (&self.efficiency, &self.loss)
            && efficiency.get() > 0.5
        {
            let lost = |it: f64| Share(1.0 / it - 1.0);
            let (value, half) = (efficiency.get(), efficiency.plus_minus);
            let proportional = Figure {
                value: lost(value),
                plus_minus: half.map(|it| it / (value * value)),
                basis: efficiency.basis,
                note: efficiency.note.clone(),
                test: efficiency.test.clone(),
            };
            self.loss = Some(LossLaw {
                proportional: Some(proportional),
                ..LossLaw::default()
            });
            self.efficiency = None;
        }
    }
}

/// What a converter must be fed with.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
    /// For how long it bears less than `cut_out_v` before it turns itself off, s; not at all where
    /// left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub cut_out_delay_s: Option<Figure<Seconds>>,
    /// The peak that it takes for about a millisecond when it is switched on cold, A; 20 to 60 for
    /// adapters where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub inrush_a: Option<Figure<Amps>>,
    /// The peak over the RMS of the current that it takes from alternating current while it runs, 1
    /// to 10; by its power factor where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub crest: Option<Figure<Factor>>,
    /// Whether exposed metal of it is connected to the protective earth (class I); not known where
    /// left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub earthed: Option<bool>,
    /// The most it may draw, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub max_a: Option<Figure<Amps>>,
    /// Real over apparent power, above 0 to 1; 1 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub power_factor: Option<Figure<Share>>,
    /// Whether it asks its own outlet for no more than that gives, as triggers and negotiating
    /// adapters do; what is charged behind it fills more slowly then. It does not where left out.
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
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct HoldUp {
    /// The time, ms.
    pub ms: Figure<Milliseconds>,
    /// At this output, W; above 0.
    pub at_w: Figure<Watts>,
}

reads!(HoldUp { ms, at_w });

/// How a converter warms under load.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
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
    /// Whether a fan blows over it where it stands.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fan: Option<bool>,
    /// What is left of its rise with that fan, 0 to 1; 0.6 where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fan_factor: Option<Figure<Share>>,
}

reads!(Thermal {
    full_load_rise_c,
    time_constant_s,
    max_case_c,
    fan,
    fan_factor
});

/// What a fan usually leaves of a rise.
const FAN: f64 = 0.6;

impl Thermal {
    /// The rise over the air, K, where so many watts are lost of those that are lost at full load:
    /// heat goes with the loss.
    pub fn rise_at(&self, lost_w: f64, full_lost_w: f64) -> Option<f64> {
        let full = self.full_load_rise_c.as_ref()?.get();
        let fan = if self.fan == Some(true) {
            self.fan_factor.as_ref().map_or(FAN, Figure::get)
        } else {
            1.0
        };
        (full_lost_w > 0.0).then(|| full * fan * lost_w / full_lost_w)
    }
}
