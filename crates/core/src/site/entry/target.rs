//! What an entry is to be, and what is known around it.

use crate::ground::json::words;

words!(
    /// What an entry is to be.
    Target {
        /// Power, W.
        Watts = "watts",
        /// Voltage, V.
        Volts = "volts",
        /// Current, A.
        Amps = "amps",
        /// Energy, Wh.
        WattHours = "watt-hours",
        /// Charge, Ah.
        AmpHours = "amp-hours",
        /// Time, s.
        Seconds = "seconds",
        /// Time, ms.
        Milliseconds = "milliseconds",
        /// Time, min.
        Minutes = "minutes",
        /// A share, 0 to 1; typed as a percentage or as a share.
        Share = "share",
        /// Temperature, °C; a bare number is in the unit that is asked for around it.
        Celsius = "celsius",
        /// An angle north or east, degrees; S and W are below 0.
        Degrees = "degrees",
        /// A length, m.
        Metres = "metres",
        /// The cross-section of a conductor, mm²; typed in mm² or as a gauge.
        Area = "area",
        /// A resistance, Ω.
        Ohms = "ohms",
        /// A number without a unit.
        Plain = "plain",
    }
);

impl Target {
    /// The unit of the result.
    pub fn unit(self) -> &'static str {
        match self {
            Self::Watts => "W",
            Self::Volts => "V",
            Self::Amps => "A",
            Self::WattHours => "Wh",
            Self::AmpHours => "Ah",
            Self::Seconds => "s",
            Self::Milliseconds => "ms",
            Self::Minutes => "min",
            Self::Celsius => "°C",
            Self::Degrees => "°",
            Self::Metres => "m",
            Self::Area => "mm²",
            Self::Ohms => "Ω",
            Self::Share | Self::Plain => "",
        }
    }

    /// Whether a figure of this kind is taken to be off by its basis where it has no ± of its own.
    pub fn is_weighed(self) -> bool {
        !matches!(self, Self::Celsius | Self::Degrees | Self::Plain)
    }

    /// What can be typed for it.
    pub fn examples(self) -> &'static str {
        match self {
            Self::Watts => "6.2, 6.2±0.2 m, 0.7 A 12 V, 400 mAh/h, 4.5 Wh/day",
            Self::Volts => "12, 12.1±0.1 m",
            Self::Amps => "1.5, 700 mA",
            Self::WattHours => "15, 0.5 kWh, 1821 mAh 3.82 V, 4 x 2550 mAh 1.2 V, 54 kJ, 3 pence",
            Self::AmpHours => "100, 2600 mAh",
            Self::Seconds => "40, 2 min",
            Self::Milliseconds => "20, 0.02 s",
            Self::Minutes => "35, 4 h",
            Self::Share => "40 %, 0.4",
            Self::Celsius => "12, −5, 54 °F",
            Self::Degrees => "53.2 N, 1.9 W, −1.9",
            Self::Metres => "2.5, 80 cm, 10 ft",
            Self::Area => "2.5, 2.5 mm², 12 AWG, 1/0 AWG",
            Self::Ohms => "0.014, 14 mΩ",
            Self::Plain => "3",
        }
    }
}

/// How numbers are written.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum DecimalMark {
    /// `1.5`; a comma before three digits parts thousands, any other is a decimal mark.
    #[default]
    Point,
    /// `1,5`; a point before three digits parts thousands, any other is a decimal mark.
    Comma,
}

/// What is known around an entry.
#[expect(
    clippy::struct_excessive_bools,
    reason = "each says how one kind of bare number is read"
)]
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Around {
    /// The voltage that goes with amperes that name none, V.
    pub volts: Option<f64>,
    /// Whether it is what a device draws while running, which a label overstates.
    pub running: bool,
    /// How numbers are written.
    pub decimal: DecimalMark,
    /// Whether a temperature without a unit is in °F.
    pub fahrenheit: bool,
    /// Whether a length without a unit is in feet.
    pub feet: bool,
    /// Whether a cross-section without a unit is a gauge.
    pub gauge: bool,
    /// What a kilowatt-hour costs, for an energy that is told by its price.
    pub per_kwh: Option<f64>,
}

pub(super) fn refuse(text: &str, target: Target, why: &str) -> String {
    let shown: String = text.chars().take(40).collect();
    format!("“{shown}”: {why}. Write {}", target.examples())
}
