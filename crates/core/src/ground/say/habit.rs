//! How a reader writes numbers, lengths, areas, temperatures and times.

use super::number::{digits_of, usual, written};
use crate::ground::json::FieldError;
use crate::ground::quantity::{FOOT_M, gauge_area};

/// The mark before decimals.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Decimal {
    /// 1,234.5
    Point,
    /// 1.234,5
    Comma,
}

/// The unit of temperatures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Temperature {
    /// °C.
    Celsius,
    /// °F.
    Fahrenheit,
}

/// The unit of lengths.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Length {
    /// m.
    Metres,
    /// ft.
    Feet,
}

/// The unit of cross-sections.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Area {
    /// mm².
    SquareMillimetres,
    /// American wire gauge.
    Gauge,
}

/// The clock on the wall.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Hours {
    /// 16:30.
    TwentyFour,
    /// 4:30 pm.
    Twelve,
}

/// How a reader writes numbers and units.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Habits {
    /// The mark before decimals.
    pub decimal: Decimal,
    /// The unit of temperatures.
    pub temperature: Temperature,
    /// The unit of lengths.
    pub length: Length,
    /// The unit of cross-sections.
    pub area: Area,
    /// The clock.
    pub hours: Hours,
}
/// Gauges that can be had, thickest first: 4/0 is −3.
const GAUGES: std::ops::RangeInclusive<i32> = -3..=40;

impl Habits {
    /// Decimal point, °C, m, mm², 24 hours.
    pub const fn si() -> Self {
        Self {
            decimal: Decimal::Point,
            temperature: Temperature::Celsius,
            length: Length::Metres,
            area: Area::SquareMillimetres,
            hours: Hours::TwentyFour,
        }
    }

    /// Reads the words that differ from SI, with commas between: `comma`, `f`, `ft`, `awg`, `12h`;
    /// also the others, `point`, `c`, `m`, `mm2`, `24h`.
    ///
    /// # Errors
    /// Names a word that is none of them.
    ///
    /// ```
    /// use ash_pond_core::ground::say::{Habits, Length};
    /// assert_eq!(Habits::parse("comma,ft").unwrap().length, Length::Feet);
    /// assert!(Habits::parse("yards").unwrap_err().message.contains("yards"));
    /// ```
    pub fn parse(text: &str) -> Result<Self, FieldError> {
        let mut habits = Self::si();
        for word in text.split(',').map(str::trim).filter(|it| !it.is_empty()) {
            match word {
                "point" => habits.decimal = Decimal::Point,
                "comma" => habits.decimal = Decimal::Comma,
                "c" => habits.temperature = Temperature::Celsius,
                "f" => habits.temperature = Temperature::Fahrenheit,
                "m" => habits.length = Length::Metres,
                "ft" => habits.length = Length::Feet,
                "mm2" => habits.area = Area::SquareMillimetres,
                "awg" => habits.area = Area::Gauge,
                "24h" => habits.hours = Hours::TwentyFour,
                "12h" => habits.hours = Hours::Twelve,
                _ => {
                    let why = format!(
                        "is \"{word}\"; use point or comma, c or f, m or ft, mm2 or awg, 24h or 12h"
                    );
                    return Err(FieldError::of("habits", why));
                }
            }
        }
        Ok(habits)
    }

    /// Every habit there is.
    pub fn all() -> impl Iterator<Item = Self> {
        (0..32_u8).map(|it| {
            let bit = |at: u8| it >> at & 1 == 1;
            Self {
                decimal: if bit(0) {
                    Decimal::Comma
                } else {
                    Decimal::Point
                },
                temperature: if bit(1) {
                    Temperature::Fahrenheit
                } else {
                    Temperature::Celsius
                },
                length: if bit(2) { Length::Feet } else { Length::Metres },
                area: if bit(3) {
                    Area::Gauge
                } else {
                    Area::SquareMillimetres
                },
                hours: if bit(4) {
                    Hours::Twelve
                } else {
                    Hours::TwentyFour
                },
            }
        })
    }

    /// A number with its unit, and with its ± where that is told: `6.2 ± 0.2 m`.
    pub fn amount(&self, value: f64, unit: &str, plus_minus: Option<f64>) -> String {
        if !value.is_finite() {
            return format!("{value} {unit}").trim_end().to_owned();
        }
        let (value, half, unit) = match unit {
            "°C" if self.temperature == Temperature::Fahrenheit => {
                (value * 1.8 + 32.0, plus_minus.map(|it| it * 1.8), "°F")
            }
            "K" if self.temperature == Temperature::Fahrenheit => {
                (value * 1.8, plus_minus.map(|it| it * 1.8), "°F")
            }
            "m" if self.length == Length::Feet => {
                (value / FOOT_M, plus_minus.map(|it| it / FOOT_M), "ft")
            }
            "mm²" if self.area == Area::Gauge && plus_minus.is_none() => {
                return gauge_at_least(value);
            }
            "AWG" => return gauge_name(value),
            _ => (value, plus_minus, unit),
        };
        let (point, thousands) = match self.decimal {
            Decimal::Point => ('.', ','),
            Decimal::Comma => (',', '.'),
        };
        let mut text = match half.filter(|it| *it > 0.0) {
            Some(half) => {
                let behind = digits_of(half);
                let value = written(value, behind, false, point, thousands);
                format!(
                    "{value} ± {}",
                    written(half, behind, false, point, thousands)
                )
            }
            None => {
                // A whole degree is what anybody reads.
                let behind = if unit == "°F" { 0 } else { usual(value) };
                written(value, behind, true, point, thousands)
            }
        };
        if !unit.is_empty() {
            text.push(' ');
            text += unit;
        }
        text
    }

    /// A time of day, hours since midnight.
    pub fn clock(&self, hours: f64) -> String {
        #[expect(clippy::cast_possible_truncation, reason = "minutes of a day")]
        let minutes = ((hours * 60.0).round() as i64).rem_euclid(24 * 60);
        let (hour, minute) = (minutes / 60, minutes % 60);
        match self.hours {
            Hours::TwentyFour => format!("{hour:02}:{minute:02}"),
            Hours::Twelve => {
                let half = if hour < 12 { "am" } else { "pm" };
                format!("{}:{minute:02} {half}", (hour + 11) % 12 + 1)
            }
        }
    }
}

/// The thinnest gauge that is at least as thick as an area in mm². What is thicker than 4/0 keeps
/// its mm².
fn gauge_at_least(area_mm2: f64) -> String {
    let thick = |gauge: &i32| gauge_area(f64::from(*gauge)).0 >= area_mm2 * (1.0 - 1e-3);
    GAUGES.rev().find(thick).map_or_else(
        || format!("{} mm²", written(area_mm2, usual(area_mm2), true, '.', ',')),
        |it| gauge_name(f64::from(it)),
    )
}

/// `AWG 12`; above 1 they are called 1/0, 2/0, 3/0 and 4/0.
fn gauge_name(gauge: f64) -> String {
    match gauge.round() {
        it if it <= 0.0 => format!("AWG {}/0", 1.0 - it),
        it => format!("AWG {it}"),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn an_area_becomes_a_gauge_that_is_at_least_as_thick() {
        let us = Habits::parse("awg").unwrap();
        // 1.5 mm² is thicker than AWG 16 (1.31) and thinner than 15 (1.65).
        assert_eq!(us.amount(1.5, "mm²", None), "AWG 15");
        assert_eq!(us.amount(35.0, "mm²", None), "AWG 1");
        assert_eq!(us.amount(95.0, "mm²", None), "AWG 4/0");
        assert_eq!(us.amount(50.0, "mm²", None), "AWG 1/0");
        assert_eq!(us.amount(120.0, "mm²", None), "120 mm²");
        for gauge in GAUGES {
            let area = gauge_area(f64::from(gauge)).0;
            assert_eq!(us.amount(area, "mm²", None), gauge_name(f64::from(gauge)));
        }
    }

    #[test]
    fn a_half_width_is_turned_with_its_value() {
        let us = Habits::parse("ft,comma").unwrap();
        assert_eq!(us.amount(6.2, "m", Some(0.2)), "20,3 ± 0,7 ft");
        let f = Habits::parse("f").unwrap();
        assert_eq!(f.amount(-4.0, "°C", None), "25 °F");
        assert_eq!(f.amount(40.0, "K", Some(5.0)), "72 ± 9 °F");
    }

    #[test]
    fn a_clock_of_twelve_hours_has_its_halves() {
        let twelve = Habits::parse("12h").unwrap();
        let said = [0.0, 0.5, 11.99, 12.0, 16.0, 23.999].map(|it| twelve.clock(it));
        assert_eq!(
            said,
            [
                "12:00 am", "12:30 am", "11:59 am", "12:00 pm", "4:00 pm", "12:00 am"
            ]
        );
    }
}
