//! Physical quantities as transparent newtypes, with only the products that physics has.
//!
//! A [`Quantity`] knows its unit, its legal range and the sentence that refuses a value
//! outside that range. Inside one formula the code works on bare `f64`s whose names end
//! in their unit; across functions it passes these types.
//!
//! ```
//! use ash_pond_core::ground::quantity::{Amps, Volts, Watts};
//! let power: Watts = Volts(12.0) * Amps(2.0);
//! assert_eq!(power, Watts(24.0));
//! assert_eq!(power / Volts(24.0), Amps(1.0));
//! ```

use derive_more::{Add, AddAssign, Display, Sub, Sum};
use std::ops::{Div, Mul};

/// A number with a unit, a legal range, and the words that refuse what lies outside it.
pub trait Quantity: Copy + PartialEq + PartialOrd + std::fmt::Debug {
    /// The unit as it is written behind a number, empty for a plain count or share.
    const UNIT: &'static str;
    /// What the quantity is called in an error, such as "watts".
    const NAME: &'static str;
    /// The lowest legal value.
    const LOW: f64;
    /// The highest legal value.
    const HIGH: f64;
    /// Wraps a raw number without checking it.
    fn of(raw: f64) -> Self;
    /// The raw number, in [`Quantity::UNIT`].
    fn raw(self) -> f64;

    /// Says what is wrong with a raw number, or nothing where it is legal.
    ///
    /// ```
    /// use ash_pond_core::ground::quantity::{Quantity, Share, Watts};
    /// assert_eq!(Watts::refuse(6.0), None);
    /// assert_eq!(Watts::refuse(-5.0).unwrap(), "is -5; watts cannot be negative");
    /// assert_eq!(Share::refuse(40.0).unwrap(), "is 40; a share lies between 0 and 1 (40 % is 0.4)");
    /// ```
    fn refuse(raw: f64) -> Option<String> {
        if !raw.is_finite() {
            return Some(format!("is {raw}; {} must be a finite number", Self::NAME));
        }
        if raw < Self::LOW && Self::LOW == 0.0 {
            return Some(format!("is {raw}; {} cannot be negative", Self::NAME));
        }
        (raw < Self::LOW || raw > Self::HIGH).then(|| {
            let (low, high) = (Self::LOW, Self::HIGH);
            format!(
                "is {raw}; {} must lie between {low} and {high} {}",
                Self::NAME,
                Self::UNIT
            )
            .trim_end()
            .to_owned()
        })
    }
}

/// The largest raw number that any quantity may hold; it keeps every product finite.
pub const LARGEST: f64 = 1e12;

macro_rules! quantity {
    ($(#[$doc:meta])* $name:ident, $unit:literal, $words:literal, $low:expr, $high:expr $(,
        $refuse:expr)?) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default, Add, AddAssign, Sub, Sum,
            Display)]
        #[display("{_0} {}", $unit)]
        pub struct $name(pub f64);

        impl Quantity for $name {
            const UNIT: &'static str = $unit;
            const NAME: &'static str = $words;
            const LOW: f64 = $low;
            const HIGH: f64 = $high;
            fn of(raw: f64) -> Self {
                Self(raw)
            }
            fn raw(self) -> f64 {
                self.0
            }
            $(fn refuse(raw: f64) -> Option<String> {
                let refuse: fn(f64) -> Option<String> = $refuse;
                refuse(raw)
            })?
        }
    };
}

quantity!(/// Power, W. Never negative.
    Watts, "W", "watts", 0.0, LARGEST);
quantity!(/// Voltage, V (RMS for AC). Never negative.
    Volts, "V", "volts", 0.0, LARGEST);
quantity!(/// Current, A (RMS for AC). Never negative.
    Amps, "A", "amperes", 0.0, LARGEST);
quantity!(/// Resistance, Ω. Never negative.
    Ohms, "Ω", "ohms", 0.0, LARGEST);
quantity!(/// Energy, Wh. Never negative.
    WattHours, "Wh", "watt-hours", 0.0, LARGEST);
quantity!(/// Charge, Ah. Never negative.
    AmpHours, "Ah", "ampere-hours", 0.0, LARGEST);
quantity!(/// Time, s. Never negative.
    Seconds, "s", "seconds", 0.0, LARGEST);
quantity!(/// Time, ms. Never negative.
    Milliseconds, "ms", "milliseconds", 0.0, LARGEST);
quantity!(/// Time, min. Never negative.
    Minutes, "min", "minutes", 0.0, LARGEST);
quantity!(/// Time, h. Never negative.
    Hours, "h", "hours", 0.0, LARGEST);
quantity!(/// Time, years. Never negative.
    Years, "years", "years", 0.0, LARGEST);
quantity!(/// Temperature, °C. From absolute zero to 500.
    Celsius, "°C", "a temperature", -273.15, 500.0);
quantity!(/// A difference of temperatures, K (= °C). Never negative.
    Rise, "K", "a temperature rise", 0.0, 1000.0);
quantity!(/// Length, m. Never negative.
    Metres, "m", "metres", 0.0, LARGEST);
quantity!(/// Cross-section, mm². Never negative.
    SquareMillimetres, "mm²", "an area", 0.0, LARGEST);
quantity!(/// Mass, kg. Never negative.
    Kilograms, "kg", "kilograms", 0.0, LARGEST);
quantity!(/// Volume, l. Never negative.
    Litres, "l", "litres", 0.0, LARGEST);
quantity!(/// Volume of a room, m³. Never negative.
    CubicMetres, "m³", "cubic metres", 0.0, LARGEST);
quantity!(/// Fuel burnt in an hour, l/h. Never negative.
    LitresPerHour, "l/h", "litres an hour", 0.0, LARGEST);
quantity!(/// Fuel burnt for a kilowatt-hour, l/kWh. Never negative.
    LitresPerKwh, "l/kWh", "litres a kilowatt-hour", 0.0, LARGEST);
quantity!(/// Frequency, Hz. Never negative.
    Hertz, "Hz", "hertz", 0.0, LARGEST);
quantity!(/// Money, in the site's currency. Never negative.
    Money, "", "a price", 0.0, LARGEST);
quantity!(/// A factor without a unit. Never negative.
    Factor, "", "a factor", 0.0, LARGEST);
quantity!(/// American wire gauge; 0, −1, −2, −3 stand for 1/0, 2/0, 3/0, 4/0.
    Gauge, "AWG", "a wire gauge", -3.0, 40.0);
quantity!(/// The squared part of a loss law, 1/W. Never negative.
    PerWatt, "1/W", "a loss per squared watt", 0.0, LARGEST);
quantity!(/// Latitude, degrees; north is positive. From −90 to 90.
    Latitude, "°", "a latitude", -90.0, 90.0);
quantity!(/// Longitude, degrees; east is positive. From −180 to 180.
    Longitude, "°", "a longitude", -180.0, 180.0);
quantity!(/// Tilt from level, degrees. From 0 to 90.
    Tilt, "°", "a tilt from level", 0.0, 90.0);
quantity!(/// A direction, degrees from north by east. From 0 to 360.
    Bearing, "°", "a direction from north by east", 0.0, 360.0);
quantity!(/// A relative change per kelvin, 1/K. From −0.02 to 0.02.
    PerKelvin, "1/K", "a change per kelvin", -0.02, 0.02);
quantity!(/// A share of a whole, 0 to 1.
Share, "", "a share", 0.0, 1.0, |raw| {
    let outside = !(0.0..=1.0).contains(&raw);
    outside.then(|| format!("is {raw}; a share lies between 0 and 1 (40 % is 0.4)"))
});
quantity!(/// A whole number from 0 to a million, such as a quantity or a priority.
Count, "", "a count", 0.0, 1e6, |raw| {
    let whole = (0.0..=1e6).contains(&raw) && raw.fract() == 0.0;
    (!whole).then(|| format!("is {raw}; give a whole number from 0 to 1000000"))
});

impl Mul<Amps> for Volts {
    type Output = Watts;
    /// P = V·I.
    fn mul(self, amps: Amps) -> Watts {
        Watts(self.0 * amps.0)
    }
}

impl Mul<Ohms> for Amps {
    type Output = Volts;
    /// Ohm's law, V = I·R.
    fn mul(self, ohms: Ohms) -> Volts {
        Volts(self.0 * ohms.0)
    }
}

impl Div<Volts> for Watts {
    type Output = Amps;
    /// I = P/V.
    fn div(self, volts: Volts) -> Amps {
        Amps(self.0 / volts.0)
    }
}

impl Mul<Hours> for Watts {
    type Output = WattHours;
    /// E = P·t.
    fn mul(self, hours: Hours) -> WattHours {
        WattHours(self.0 * hours.0)
    }
}

impl Mul<Hours> for Amps {
    type Output = AmpHours;
    /// Q = I·t.
    fn mul(self, hours: Hours) -> AmpHours {
        AmpHours(self.0 * hours.0)
    }
}

impl From<Seconds> for Hours {
    fn from(seconds: Seconds) -> Hours {
        Hours(seconds.0 / 3600.0)
    }
}

/// A foot, m.
pub const FOOT_M: f64 = 0.3048;

/// Cross-section of American wire gauge `n`: d = 0.127·92^((36−n)/39) mm (ASTM B258).
///
/// ```
/// use ash_pond_core::ground::quantity::gauge_area;
/// assert!((gauge_area(14.0).0 - 2.081).abs() < 1e-3);
/// ```
pub fn gauge_area(gauge: f64) -> SquareMillimetres {
    let diameter_mm = 0.127 * 92_f64.powf((36.0 - gauge) / 39.0);
    SquareMillimetres(std::f64::consts::FRAC_PI_4 * diameter_mm * diameter_mm)
}
