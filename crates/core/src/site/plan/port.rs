//! Ports: the outlets of sources and converters, with their limits and their own losses.

use super::device::Current;
use super::id::Id;
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, Fields, FromJson, Met, Path, Settable, reads, words};
use crate::ground::quantity::{Amps, PerWatt, Quantity, Seconds, Share, Volts, Watts};
use serde::Serialize;
use serde_json::Value;

words!(
    /// The shape of an AC outlet's wave.
    Waveform {
        /// A sine.
        Sine = "sine",
        /// A stepped wave, also called modified sine.
        Stepped = "stepped",
    }
);

words!(
    /// What a shared limit does when more is asked than it gives.
    Sharing {
        /// It switches off.
        Trips = "trips",
        /// It gives each less.
        Divides = "divides",
    }
);

words!(
    /// Whether the neutral of an outlet for alternating current is bonded to earth.
    Neutral {
        /// Neither conductor is bonded to earth.
        Floating = "floating",
        /// The neutral is bonded to earth where it is made.
        Bonded = "bonded",
        /// Nobody knows.
        Unknown = "unknown",
    }
);

/// An outlet of a source or a converter.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Port {
    /// Its id, unique within its source or converter.
    pub id: Id,
    /// What it is called; its id where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub label: Option<String>,
    /// DC or AC.
    pub current: Current,
    /// Its socket, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub connector: Option<String>,
    /// Which contact is positive, in words.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub polarity: Option<String>,
    /// What voltage stands at it.
    pub voltage: PortVoltage,
    /// What it loses on its way from the store; only for ports of a source.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub loss: Option<LossLaw>,
    /// What it can carry.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub limit: Option<Limit>,
    /// What opens it in a short circuit; not known where left out. A limit alone is none.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub protection: Option<Protection>,
    /// Of an outlet for alternating current, whether its neutral is bonded to earth; not known
    /// where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub neutral: Option<Neutral>,
    /// When it turns itself off.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub auto_off: Option<AutoOff>,
    /// The charge of its source, above its floor to 1, at which it comes back on by itself after
    /// the floor or the cut-off; it stays off until a person acts where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub restore_soc: Option<Figure<Share>>,
    /// The group whose limit it shares.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub group: Option<Id>,
}

reads!(Port {
    id,
    label,
    current,
    connector,
    polarity,
    voltage,
    loss,
    limit,
    protection,
    neutral,
    auto_off,
    restore_soc,
    group
});

/// What voltage stands at a port.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
#[serde(untagged)]
pub enum PortVoltage {
    /// The voltage of the battery, or of a junction's input.
    Follows {
        /// Always true.
        follows: bool,
    },
    /// A fixed DC voltage.
    Regulated {
        /// The voltage, V; above 0.
        regulated_v: Figure<Volts>,
    },
    /// A fixed AC voltage.
    Alternating {
        /// The voltage, V RMS; above 0.
        ac_v: Figure<Volts>,
        /// The shape of the wave; sine where left out.
        #[serde(skip_serializing_if = "Option::is_none")]
        waveform: Option<Waveform>,
        /// How far its wave is from a sine under load, total harmonic distortion, 0 to 1; not known
        /// where left out.
        #[serde(skip_serializing_if = "Option::is_none")]
        distortion: Option<Figure<Share>>,
    },
    /// One of several DC voltages, as the other side asks.
    Offers {
        /// The voltages, V; each above 0. A feed picks one by `voltage_v`, else it gets the lowest.
        offers_v: Vec<Figure<Volts>>,
    },
}

impl FromJson for PortVoltage {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let mut fields = Fields::open(value, at)?;
        let voltage = if fields.has("follows") {
            let follows: bool = fields.take("follows")?;
            if !follows {
                return Err(at
                    .key("follows")
                    .error("is false; leave it out and give regulated_v, ac_v or offers_v"));
            }
            Self::Follows { follows }
        } else if fields.has("regulated_v") {
            Self::Regulated {
                regulated_v: fields.take("regulated_v")?,
            }
        } else if fields.has("ac_v") {
            Self::Alternating {
                ac_v: fields.take("ac_v")?,
                waveform: fields.take("waveform")?,
                distortion: fields.take("distortion")?,
            }
        } else if fields.has("offers_v") {
            Self::Offers {
                offers_v: fields.take("offers_v")?,
            }
        } else {
            return Err(
                at.error("names no voltage; give one of follows, regulated_v, ac_v, offers_v")
            );
        };
        fields.close()?;
        Ok(voltage)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        match self {
            Self::Follows { .. } => {}
            Self::Regulated { regulated_v } => {
                regulated_v.each_figure(&at.key("regulated_v"), visit);
            }
            Self::Alternating {
                ac_v, distortion, ..
            } => {
                ac_v.each_figure(&at.key("ac_v"), visit);
                distortion.each_figure(&at.key("distortion"), visit);
            }
            Self::Offers { offers_v } => offers_v.each_figure(&at.key("offers_v"), visit),
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        match self {
            Self::Follows { .. } => {}
            Self::Regulated { regulated_v } => regulated_v.each_figure_mut(visit),
            Self::Alternating {
                ac_v, distortion, ..
            } => {
                ac_v.each_figure_mut(visit);
                distortion.each_figure_mut(visit);
            }
            Self::Offers { offers_v } => offers_v.each_figure_mut(visit),
        }
    }
}

impl PortVoltage {
    /// The voltage that a feed gets, V; `None` where it follows the store or the input.
    pub fn standing(&self, picked: Option<f64>) -> Option<f64> {
        match self {
            Self::Follows { .. } => None,
            Self::Regulated { regulated_v } => Some(regulated_v.get()),
            Self::Alternating { ac_v, .. } => Some(ac_v.get()),
            Self::Offers { offers_v } => Some(picked.unwrap_or_else(|| {
                offers_v
                    .iter()
                    .map(Figure::get)
                    .fold(f64::INFINITY, f64::min)
            })),
        }
    }
}

/// P_in = idle + (1 + proportional)·P_out + quadratic·P_out².
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct LossLaw {
    /// Drawn while switched on, at no load, W.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub idle_w: Option<Figure<Watts>>,
    /// Lost per watt of output, 0 to 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub proportional: Option<Figure<Share>>,
    /// Lost per squared watt of output, 1/W.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub quadratic_per_w: Option<Figure<PerWatt>>,
    /// What was measured, and the law was fitted to; outside their range the law is an
    /// extrapolation.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub points: Vec<LossPoint>,
}

reads!(LossLaw {
    idle_w,
    proportional,
    quadratic_per_w,
    points
});

/// A measured pair of a loss law.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct LossPoint {
    /// Power out, W.
    pub out_w: Figure<Watts>,
    /// Power in at that, W; not below what comes out.
    pub in_w: Figure<Watts>,
}

reads!(LossPoint { out_w, in_w });

/// What a port or a group can carry, in amperes, watts or both.
#[derive(Debug, Clone, PartialEq, Default, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Limit {
    /// For ever, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub continuous_a: Option<Figure<Amps>>,
    /// For ever, W.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub continuous_w: Option<Figure<Watts>>,
    /// For a while, or for a time that nobody stated.
    #[serde(skip_serializing_if = "Vec::is_empty", default)]
    pub overload: Vec<Overload>,
}

reads!(Limit {
    continuous_a,
    continuous_w,
    overload
});

/// A level that is carried for a while.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Overload {
    /// Up to this current, A.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub up_to_a: Option<Figure<Amps>>,
    /// Up to this power, W.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub up_to_w: Option<Figure<Watts>>,
    /// For this long, s; nobody knows where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub for_s: Option<Figure<Seconds>>,
}

reads!(Overload {
    up_to_a,
    up_to_w,
    for_s
});

words!(
    /// What opens a port in a short circuit.
    ProtectionKind {
        /// A fuse.
        Fuse = "fuse",
        /// A circuit breaker.
        Breaker = "breaker",
        /// Electronics that limit or switch off. Those of a battery protect its cells, and no lead.
        Electronic = "electronic",
        /// Nothing.
        None = "none",
    }
);

/// What opens a port in a short circuit.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Protection {
    /// Of which kind it is.
    pub kind: ProtectionKind,
    /// Its rating, A; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rating_a: Option<Figure<Amps>>,
    /// The direct voltage that it can break, V; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub rated_v_dc: Option<Figure<Volts>>,
    /// The current that it can break, A; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub breaks_a: Option<Figure<Amps>>,
}

reads!(Protection {
    kind,
    rating_a,
    rated_v_dc,
    breaks_a
});

/// When a port turns itself off.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct AutoOff {
    /// Below this output, W.
    pub below_w: Figure<Watts>,
    /// For this long on end, s.
    pub after_s: Figure<Seconds>,
}

reads!(AutoOff { below_w, after_s });

/// A limit that several ports share.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(
    feature = "schema",
    derive(schemars::JsonSchema),
    schemars(deny_unknown_fields)
)]
pub struct Group {
    /// Its id, unique within its source or converter.
    pub id: Id,
    /// What its ports carry together.
    pub limit: Limit,
    /// Whether its ports settle anew what each gives when something is plugged in, which leaves the
    /// others without for a second or two; not known where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub settles_anew: Option<bool>,
    /// Whether it trips when more is asked than it gives, or divides it among what takes what it
    /// gets; it trips where left out.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sharing: Option<Sharing>,
}

reads!(Group {
    id,
    limit,
    settles_anew,
    sharing
});

/// The raw value of an optional figure, or zero.
pub(crate) fn or_zero<Q: Quantity>(figure: Option<&Figure<Q>>) -> f64 {
    figure.map_or(0.0, Figure::get)
}
