//! What the numbers of an entry come to.

use super::spoken::Amount;
use super::target::{Around, Target};
use crate::ground::quantity::FOOT_M;
use crate::ground::say::amount;
use crate::site::sum::Term;

/// What an entry comes to.
pub(super) struct Sum {
    pub(super) value: f64,
    pub(super) plus_minus: Option<f64>,
    pub(super) words: String,
    pub(super) terms: Vec<Term>,
    /// The formula over them.
    pub(super) formula: &'static str,
    pub(super) label: bool,
}

impl Sum {
    fn plain(one: &Amount, factor: f64, target: Target) -> Self {
        let value = one.value * factor;
        if one.count > 1.0 {
            let (each, unit) = (value / one.count, target.unit());
            return Self {
                value,
                plus_minus: one.half.map(|it| it * factor),
                words: format!("{} × {}", amount(one.count, ""), amount(each, unit)),
                terms: vec![
                    Term::computed("how many", one.count, ""),
                    Term::computed("each", each, unit),
                ],
                formula: "t1 * t2",
                label: false,
            };
        }
        Self {
            value,
            plus_minus: one.half.map(|it| it * factor),
            words: String::new(),
            terms: Vec::new(),
            formula: "",
            label: false,
        }
    }
}

/// Relative uncertainties of a product, in quadrature.
fn together(parts: &[&Amount]) -> Option<f64> {
    let known: Vec<f64> = parts.iter().filter_map(|it| it.relative()).collect();
    (!known.is_empty()).then(|| known.iter().map(|it| it * it).sum::<f64>().sqrt())
}

pub(super) fn single(amounts: &[Amount], target: Target, around: Around) -> Result<Sum, String> {
    let [one] = amounts else {
        return Err("one number belongs here".into());
    };
    if one.over.is_some() {
        return Err("nothing is divided here".into());
    }
    let unit = one.unit.as_str();
    if target == Target::Celsius && (unit == "°F" || (unit.is_empty() && around.fahrenheit)) {
        let celsius = Sum::plain(one, 5.0 / 9.0, target);
        return Ok(Sum {
            value: (one.value - 32.0) * 5.0 / 9.0,
            ..celsius
        });
    }
    let factor = match (target, unit) {
        (Target::Celsius, "°C") | (Target::Degrees, "N" | "E") => 1.0,
        (Target::Degrees, "S" | "W" | "west") => -1.0,
        (Target::Share, "%") => 0.01,
        (Target::Metres, "ft") => FOOT_M,
        (Target::Metres, "") if around.feet => FOOT_M,
        (Target::Metres, "cm") => 0.01,
        (Target::Metres, "mm") | (Target::Ohms, "mΩ") => 0.001,
        (_, "") => 1.0,
        (_, unit) if unit == target.unit() => 1.0,
        (Target::Volts, "mV") | (Target::Amps, "mA") | (Target::AmpHours, "mAh") => 0.001,
        (Target::WattHours, "kWh") => 1000.0,
        (Target::Seconds, "min") | (Target::Minutes, "h") => 60.0,
        (Target::Seconds, "h") => 3600.0,
        (Target::Seconds, "ms") => 0.001,
        (Target::Milliseconds, "s") => 1000.0,
        (Target::Milliseconds, "min") => 60_000.0,
        (Target::Minutes, "s") => 1.0 / 60.0,
        (Target::Minutes, "d") => 1440.0,
        (_, unit) => return Err(format!("{unit} is no unit of {}", target.word())),
    };
    Ok(Sum::plain(one, factor, target))
}

/// Hours of a time.
fn hours(amount: &Amount) -> Result<f64, String> {
    let factor = match amount.unit.as_str() {
        "h" => 1.0,
        "d" => 24.0,
        "min" => 1.0 / 60.0,
        "s" => 1.0 / 3600.0,
        other => return Err(format!("“{other}” is no time")),
    };
    let hours = amount.value * factor;
    if hours > 0.0 {
        Ok(hours)
    } else {
        Err("the time is nought".into())
    }
}

pub(super) fn watts(amounts: &[Amount], around: Around) -> Result<Sum, String> {
    match amounts {
        [] => Err("no number is written".into()),
        [one] if one.over.is_some() => average(one, None, around),
        [one] => match one.unit.as_str() {
            "" | "W" => Ok(Sum::plain(one, 1.0, Target::Watts)),
            "mW" => Ok(Sum::plain(one, 0.001, Target::Watts)),
            "kW" => Ok(Sum::plain(one, 1000.0, Target::Watts)),
            "A" | "mA" => {
                let volts = around
                    .volts
                    .ok_or("amperes need their volts: write 0.7 A 12 V")?;
                Ok(product(one, &Amount::of(volts, "V"), false))
            }
            "Wh" | "kWh" | "Ah" | "mAh" => Err(format!(
                "{} need their time: write 4.5 Wh/day or 120 Wh in 5 h",
                one.unit
            )),
            "VA" => Err("volt-amperes are not watts; give watts and the power factor apart".into()),
            other => Err(format!("{other} are no watts")),
        },
        [one, other] => match (one.unit.as_str(), other.unit.as_str()) {
            // Volts first is how labels are printed.
            ("V" | "mV", "A" | "mA") if other.over.is_none() => Ok(product(other, one, true)),
            ("A" | "mA", "V" | "mV") if one.over.is_none() => Ok(product(one, other, false)),
            ("V", _) if other.over.is_some() => average(other, Some(one), around),
            (_, "V") if one.over.is_some() => average(one, Some(other), around),
            _ => Err("these two do not make watts".into()),
        },
        _ => Err("there are too many numbers".into()),
    }
}

/// Volts of a nickel and of a lithium cell of which nobody says more.
const NICKEL_V: f64 = 1.2;
const LITHIUM_V: f64 = 3.7;

/// An energy: stated, by charge and voltage, in joules, or as what it costs; and what had to be
/// taken for granted.
pub(super) fn energy(amounts: &[Amount], around: Around) -> Result<(Sum, Option<String>), String> {
    let plain = |one: &Amount, factor: f64| Ok((Sum::plain(one, factor, Target::WattHours), None));
    match amounts {
        [one] if one.over.is_some() => {
            Err("a filling is an energy, and nothing is divided here".into())
        }
        [one] => match one.unit.as_str() {
            "" | "Wh" => plain(one, 1.0),
            "kWh" => plain(one, 1000.0),
            "J" => plain(one, 1.0 / 3600.0),
            "kJ" => plain(one, 1.0 / 3.6),
            "MJ" => plain(one, 1000.0 / 3.6),
            "pence" => {
                let per_kwh = around.per_kwh.filter(|it| *it > 0.0);
                let per_kwh = per_kwh.ok_or(
                    "pence need the price of energy of the site: state it there, or write Wh",
                )?;
                let wh = one.value / 100.0 / per_kwh * 1000.0;
                Ok((
                    Sum {
                        value: wh,
                        plus_minus: one.relative().map(|it| it * wh),
                        words: format!(
                            "{} ÷ {} a kWh",
                            amount(one.value / 100.0, ""),
                            amount(per_kwh, "")
                        ),
                        terms: vec![
                            Term::computed("what it costs", one.value / 100.0, ""),
                            Term::computed("price of a kWh", per_kwh, ""),
                            Term::computed("a kWh", 1000.0, "Wh"),
                        ],
                        formula: "t1 / t2 * t3",
                        label: false,
                    },
                    None,
                ))
            }
            "Ah" | "mAh" => {
                let several = one.count > 1.0;
                let (volts, kind) = if several {
                    (NICKEL_V, "nickel")
                } else {
                    (LITHIUM_V, "lithium")
                };
                let question = format!(
                    "Taken as {} a cell, as {kind} cells have. Where it says other volts, write \
                    them behind it: {}.",
                    amount(volts, "V"),
                    if several {
                        "4 x 2550 mAh 3.7 V"
                    } else {
                        "1821 mAh 3.82 V"
                    }
                );
                Ok((charge(one, &Amount::of(volts, "V")), Some(question)))
            }
            other => Err(format!("{other} is no unit of energy")),
        },
        [one, other] if one.over.is_none() && other.over.is_none() => {
            match (one.unit.as_str(), other.unit.as_str()) {
                ("Ah" | "mAh", "V" | "mV") => Ok((charge(one, other), None)),
                ("V" | "mV", "Ah" | "mAh") => Ok((charge(other, one), None)),
                _ => Err("these two do not make an energy".into()),
            }
        }
        _ => Err("these do not make an energy".into()),
    }
}

/// A charge at a voltage, of one cell or of several that are filled together.
fn charge(charge: &Amount, volts: &Amount) -> Sum {
    let (each, v) = (amperes(&charge.each()), amperes(volts));
    let value = each * v * charge.count;
    let mut terms = vec![
        Term::computed("charge", each, "Ah"),
        Term::computed("voltage", v, "V"),
    ];
    let mut words = format!("{} × {}", amount(each, "Ah"), amount(v, "V"));
    let mut formula = "t1 * t2";
    if charge.count > 1.0 {
        terms.push(Term::computed("how many", charge.count, ""));
        words = format!("{} × {words}", amount(charge.count, ""));
        formula = "t1 * t2 * t3";
    }
    Sum {
        value,
        plus_minus: together(&[charge, volts]).map(|it| it * value),
        words,
        terms,
        formula,
        label: false,
    }
}

pub(super) fn amperes(amount: &Amount) -> f64 {
    if amount.unit.starts_with('m') {
        amount.value / 1000.0
    } else {
        amount.value
    }
}

fn product(amps: &Amount, volts: &Amount, label: bool) -> Sum {
    let (a, v) = (amperes(amps), amperes(volts));
    let term = |name: &'static str, value: f64, unit, part: &Amount| Term {
        plus_minus: part.relative().map(|it| it * value),
        ..Term::computed(name, value, unit)
    };
    Sum {
        value: a * v,
        plus_minus: together(&[amps, volts]).map(|it| it * a * v),
        words: format!("{} × {}", amount(a, "A"), amount(v, "V")),
        terms: vec![
            term("current", a, "A", amps),
            term("voltage", v, "V", volts),
        ],
        formula: "t1 * t2",
        label,
    }
}

/// An energy or a charge over a time.
fn average(one: &Amount, volts: Option<&Amount>, around: Around) -> Result<Sum, String> {
    let over = one.over.as_ref().ok_or("its time is missing")?;
    let time_h = hours(over)?;
    let time = Term::computed("over", time_h, "h");
    match one.unit.as_str() {
        "Wh" | "kWh" => {
            let energy = if one.unit == "kWh" {
                one.value * 1000.0
            } else {
                one.value
            };
            Ok(Sum {
                value: energy / time_h,
                plus_minus: together(&[one, over]).map(|it| it * energy / time_h),
                words: format!("{} ÷ {}", amount(energy, "Wh"), amount(time_h, "h")),
                terms: vec![Term::computed("energy", energy, "Wh"), time],
                formula: "t1 / t2",
                label: false,
            })
        }
        "Ah" | "mAh" => {
            let charge = amperes(one);
            let half = together(&[one, over]).map(|it| it * charge / time_h);
            let amps = Amount {
                half,
                ..Amount::of(charge / time_h, "A")
            };
            let rated = || Some(Amount::of(around.volts?, "V"));
            let volts = volts
                .cloned()
                .or_else(rated)
                .ok_or("ampere-hours need their volts: write 400 mAh/h 12 V")?;
            let sum = product(&amps, &volts, false);
            let terms = vec![
                Term::computed("charge", charge, "Ah"),
                time,
                Term::computed("voltage", amperes(&volts), "V"),
            ];
            Ok(Sum {
                terms,
                formula: "t1 / t2 * t3",
                ..sum
            })
        }
        other => Err(format!("{other} over a time are no watts")),
    }
}
