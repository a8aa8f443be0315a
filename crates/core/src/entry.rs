//! What a person types for a figure, in the units that they have.
//!
//! `6.2±0.2 m` is 6.2 W ± 0.2, measured; `12 V 1.5 A` is what a label says; `400 mAh/h`, `4.5 Wh/day` and
//! `1.2 kWh in 36 h` are averages. Each comes with the working of its conversion, which goes into the figure's note.

use crate::figure::Basis;
use crate::json::words;
use crate::limits::amount;
use crate::working::{Term, Working};
use serde::Serialize;

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
            Self::Share | Self::Plain => "",
        }
    }

    fn examples(self) -> &'static str {
        match self {
            Self::Watts => "6.2, 6.2±0.2 m, 0.7 A 12 V, 400 mAh/h, 4.5 Wh/day",
            Self::Volts => "12, 12.1±0.1 m",
            Self::Amps => "1.5, 700 mA",
            Self::WattHours => "512, 0.5 kWh",
            Self::AmpHours => "100, 2600 mAh",
            Self::Seconds => "40, 2 min",
            Self::Milliseconds => "20, 0.02 s",
            Self::Minutes => "35, 4 h",
            Self::Share => "40 %, 0.4",
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

/// A figure as it was typed.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Entry {
    /// The value, in the unit of its target.
    pub value: f64,
    /// Half-width of its 95 % interval, in the same unit, where one was typed.
    pub plus_minus: Option<f64>,
    /// Where it comes from; assumed where nothing was said.
    pub basis: Basis,
    /// The conversion in words, where there was one.
    pub note: Option<String>,
    /// The conversion as a sum, where there was one.
    pub working: Option<Working>,
    /// What is doubtful about it, where something is.
    pub question: Option<String>,
    /// What to take instead, in the same unit, where the question suggests it.
    pub instead: Option<f64>,
}

/// What is known around an entry.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Around {
    /// The voltage that goes with amperes that name none, V.
    pub volts: Option<f64>,
    /// Whether it is what a device draws while running, which a label overstates.
    pub running: bool,
    /// How numbers are written.
    pub decimal: DecimalMark,
}

/// Of what a label promises, the share that is carried while running, where nobody measured.
pub const LABEL_SHARE: f64 = 0.4;

/// Reads an entry.
///
/// # Errors
/// Says what cannot be read, with examples of what can.
///
/// ```
/// use ash_pond_core::entry::{Around, Target, read};
/// use ash_pond_core::figure::Basis;
/// let at_12 = Around { volts: Some(12.0), ..Around::default() };
/// let entry = read("6.2±0.2 m", Target::Watts, at_12).unwrap();
/// assert_eq!((entry.value, entry.plus_minus, entry.basis), (6.2, Some(0.2), Basis::Measured));
/// assert_eq!(read("240 Wh/day", Target::Watts, at_12).unwrap().value, 10.0);
/// assert_eq!(read("400 mAh/h", Target::Watts, at_12).unwrap().note.unwrap(), "0.4 A × 12 V");
/// assert_eq!(read("12 V 1.5 A", Target::Watts, at_12).unwrap().basis, Basis::Label);
/// assert!(read("six", Target::Watts, at_12).unwrap_err().contains("6.2±0.2 m"));
/// ```
pub fn read(text: &str, target: Target, around: Around) -> Result<Entry, String> {
    let tokens = tokens(text, around.decimal).map_err(|why| refuse(text, target, &why))?;
    let spoken = Spoken::of(&tokens, target).map_err(|why| refuse(text, target, &why))?;
    let sum = match target {
        Target::Watts => watts(&spoken.amounts, around),
        _ => single(&spoken.amounts, target),
    };
    let Sum { value, plus_minus, words, terms, label } = sum.map_err(|why| refuse(text, target, &why))?;
    if !value.is_finite() || value < 0.0 {
        return Err(refuse(text, target, "it comes to less than nothing"));
    }
    if target == Target::Share && value > 1.0 {
        return Err(refuse(text, target, "a share is at most 100 %"));
    }
    let basis = spoken.basis.unwrap_or(if label { Basis::Label } else { Basis::Assumed });
    let working = (!terms.is_empty()).then(|| {
        let result = Term { plus_minus, basis: Some(basis), ..Term::computed("comes to", value, target.unit()) };
        Working::of("conversion", words.clone(), terms, result)
    });
    let doubtful = target == Target::Watts && basis == Basis::Label && around.running && value > 0.0;
    let instead = doubtful.then_some(value * LABEL_SHARE);
    let question = instead.map(|it| {
        format!(
            "A label says what it may take at most. Measure what it takes while running, or assume two fifths: {}.",
            amount(it, "W")
        )
    });
    let note = working.as_ref().map(|_| words);
    Ok(Entry { value, plus_minus, basis, note, working, question, instead })
}

fn refuse(text: &str, target: Target, why: &str) -> String {
    let shown: String = text.chars().take(40).collect();
    format!("“{shown}”: {why}. Write {}", target.examples())
}

/// One word of an entry.
#[derive(Debug, Clone, PartialEq)]
enum Token {
    Number(f64),
    Word(String),
    PlusMinus,
    Per,
    Times,
}

fn tokens(text: &str, decimal: DecimalMark) -> Result<Vec<Token>, String> {
    let mut list = Vec::new();
    let letters: Vec<char> = text.chars().take(200).collect();
    let mut at = 0;
    while at < letters.len() {
        let letter = letters[at];
        let next = letters.get(at + 1).copied();
        match letter {
            _ if letter.is_whitespace() => at += 1,
            '±' => {
                list.push(Token::PlusMinus);
                at += 1;
            }
            '+' if next == Some('-') || next == Some('/') => {
                // "+-" and "+/-" are what keyboards without ± have.
                at += if next == Some('-') { 2 } else { 3 };
                list.push(Token::PlusMinus);
            }
            '/' => {
                list.push(Token::Per);
                at += 1;
            }
            '×' | '*' | '@' | '·' => {
                list.push(Token::Times);
                at += 1;
            }
            '%' => {
                list.push(Token::Word("%".into()));
                at += 1;
            }
            '0'..='9' | '.' | ',' | '-' | '−' => {
                let end = (at + 1..letters.len())
                    .find(|it| !matches!(letters[*it], '0'..='9' | '.' | ','))
                    .unwrap_or(letters.len());
                let typed: String = letters[at..end].iter().collect();
                list.push(Token::Number(number(&typed, decimal)?));
                at = end;
            }
            _ if letter.is_alphabetic() || letter == 'Ω' => {
                let end = (at..letters.len()).find(|it| !letters[*it].is_alphabetic()).unwrap_or(letters.len());
                list.push(Token::Word(letters[at..end].iter().collect()));
                at = end;
            }
            other => return Err(format!("“{other}” has no meaning here")),
        }
    }
    if list.is_empty() { Err("nothing is written".into()) } else { Ok(list) }
}

/// A number with a point or a comma for its decimals.
fn number(typed: &str, decimal: DecimalMark) -> Result<f64, String> {
    let plain = typed.replace('−', "-");
    let (mark, other) = match decimal {
        DecimalMark::Point => ('.', ','),
        DecimalMark::Comma => (',', '.'),
    };
    let groups: Vec<&str> = plain.split(other).collect();
    let first = groups[0].trim_start_matches('-');
    let rest_whole = |part: &str| part.split(mark).next().is_some_and(|it| it.len() == 3);
    // Thousands are parted where each group but the first has three digits and the first is not a bare nought.
    let grouped = groups.len() > 1
        && (1..=3).contains(&first.len())
        && first != "0"
        && !first.contains(mark)
        && groups[1..].iter().all(|it| rest_whole(it));
    let one_mark = plain.matches(other).count() == 1 && !plain.contains(mark);
    let text = match groups.len() {
        1 => plain.replace(mark, "."),
        _ if grouped => groups.concat().replace(mark, "."),
        _ if one_mark => plain.replace(other, "."),
        _ => return Err(format!("“{typed}” is no number")),
    };
    let value: f64 = text.parse().map_err(|_| format!("“{typed}” is no number"))?;
    if value.is_finite() && value.abs() <= crate::quantity::LARGEST {
        Ok(value)
    } else {
        Err(format!("“{typed}” is too large"))
    }
}

/// A number with its unit and its uncertainty.
#[derive(Debug, Clone, PartialEq)]
struct Spoken {
    amounts: Vec<Amount>,
    basis: Option<Basis>,
}

#[derive(Debug, Clone, PartialEq)]
struct Amount {
    value: f64,
    /// Half-width, in the same unit.
    half: Option<f64>,
    unit: String,
    /// What it is divided by, or spread over.
    over: Option<Box<Amount>>,
}

impl Amount {
    /// Half-width over value; 0 for nothing.
    fn relative(&self) -> Option<f64> {
        self.half.map(|half| if self.value > 0.0 { half / self.value } else { 0.0 })
    }
}

impl Spoken {
    fn of(tokens: &[Token], target: Target) -> Result<Self, String> {
        let (mut amounts, mut basis): (Vec<Amount>, Option<Basis>) = (Vec::new(), None);
        let mut at = 0;
        let mut spread = false;
        while at < tokens.len() {
            match &tokens[at] {
                Token::Times => at += 1,
                Token::Per => {
                    spread = true;
                    at += 1;
                }
                Token::Word(word) if matches!(word.as_str(), "in" | "over" | "for" | "per" | "at") => {
                    spread = word != "at";
                    at += 1;
                }
                Token::Word(word) if spread => {
                    // "Wh/day": one day.
                    let over = Amount { value: 1.0, half: None, unit: unit(word)?, over: None };
                    let last =
                        amounts.last_mut().filter(|it| it.over.is_none()).ok_or("nothing stands before the /")?;
                    last.over = Some(Box::new(over));
                    spread = false;
                    at += 1;
                }
                Token::Word(word) => {
                    let said = said_basis(word).ok_or_else(|| format!("“{word}” is no unit that is known here"))?;
                    if basis.replace(said).is_some() {
                        return Err("it says twice where it comes from".into());
                    }
                    at += 1;
                }
                Token::PlusMinus => return Err("± stands before its number".into()),
                Token::Number(value) => {
                    let (amount, next) = amount_at(tokens, at, *value, target)?;
                    at = next;
                    if spread {
                        let last =
                            amounts.last_mut().filter(|it| it.over.is_none()).ok_or("nothing stands before the /")?;
                        last.over = Some(Box::new(amount));
                        spread = false;
                    } else {
                        amounts.push(amount);
                    }
                }
            }
        }
        if spread {
            return Err("nothing stands behind the /".into());
        }
        Ok(Self { amounts, basis })
    }
}

/// The unit at a place, and the next place. A lone letter at the end says where the figure comes from.
fn unit_at(tokens: &[Token], at: usize) -> (String, usize) {
    let Some(Token::Word(word)) = tokens.get(at) else { return (String::new(), at) };
    let last = at + 1 >= tokens.len();
    match unit(word) {
        _ if word == "%" => ("%".into(), at + 1),
        Ok(unit) if !(last && said_basis(word).is_some()) => (unit, at + 1),
        _ => (String::new(), at),
    }
}

/// A number with what follows it: its unit, ± and its unit once more.
fn amount_at(tokens: &[Token], at: usize, value: f64, target: Target) -> Result<(Amount, usize), String> {
    let (mut unit, next) = unit_at(tokens, at + 1);
    if tokens.get(next) != Some(&Token::PlusMinus) {
        return Ok((Amount { value, half: None, unit, over: None }, next));
    }
    let Some(Token::Number(half)) = tokens.get(next + 1) else { return Err("± has no number behind it".into()) };
    if *half < 0.0 {
        return Err("± is negative".into());
    }
    let (half_unit, next) = unit_at(tokens, next + 2);
    // A percentage of the value, unless the value is one itself.
    let share = target == Target::Share;
    let half = if half_unit == "%" && unit != "%" && !share { value * half / 100.0 } else { *half };
    if unit.is_empty() && (half_unit != "%" || share) {
        unit = half_unit;
    } else if !half_unit.is_empty() && half_unit != "%" && half_unit != unit {
        return Err("± has another unit than its number".into());
    }
    Ok((Amount { value, half: Some(half), unit, over: None }, next))
}

fn said_basis(word: &str) -> Option<Basis> {
    match word {
        "m" | "measured" => Some(Basis::Measured),
        "l" | "label" => Some(Basis::Label),
        "d" | "datasheet" => Some(Basis::Datasheet),
        "a" | "assumed" => Some(Basis::Assumed),
        _ => None,
    }
}

/// A unit in the way that it is counted with here.
fn unit(word: &str) -> Result<String, String> {
    let known = match word {
        "W" | "w" | "watt" | "watts" => "W",
        "mW" => "mW",
        "kW" | "kw" => "kW",
        "VA" | "va" => "VA",
        "V" | "v" | "volt" | "volts" => "V",
        "mV" => "mV",
        "A" | "amp" | "amps" => "A",
        "mA" | "ma" => "mA",
        "Ah" | "ah" | "AH" => "Ah",
        "mAh" | "mah" => "mAh",
        "Wh" | "wh" | "WH" => "Wh",
        "kWh" | "kwh" | "KWh" => "kWh",
        "h" | "hour" | "hours" | "hr" | "hrs" => "h",
        "d" | "day" | "days" => "d",
        "min" | "mins" | "minute" | "minutes" => "min",
        "s" | "sec" | "second" | "seconds" => "s",
        "ms" => "ms",
        other => return Err(format!("“{other}” is no unit that is known here")),
    };
    Ok(known.into())
}

/// What an entry comes to.
struct Sum {
    value: f64,
    plus_minus: Option<f64>,
    words: String,
    terms: Vec<Term>,
    label: bool,
}

impl Sum {
    fn plain(amount: &Amount, factor: f64) -> Self {
        let value = amount.value * factor;
        Self {
            value,
            plus_minus: amount.half.map(|it| it * factor),
            words: String::new(),
            terms: Vec::new(),
            label: false,
        }
    }
}

/// Relative uncertainties of a product, in quadrature.
fn together(parts: &[&Amount]) -> Option<f64> {
    let known: Vec<f64> = parts.iter().filter_map(|it| it.relative()).collect();
    (!known.is_empty()).then(|| known.iter().map(|it| it * it).sum::<f64>().sqrt())
}

fn single(amounts: &[Amount], target: Target) -> Result<Sum, String> {
    let [one] = amounts else { return Err("one number belongs here".into()) };
    if one.over.is_some() {
        return Err("nothing is divided here".into());
    }
    let factor = match (target, one.unit.as_str()) {
        (Target::Share, "%") => 0.01,
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
    Ok(Sum::plain(one, factor))
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
    if hours > 0.0 { Ok(hours) } else { Err("the time is nought".into()) }
}

fn watts(amounts: &[Amount], around: Around) -> Result<Sum, String> {
    match amounts {
        [] => Err("no number is written".into()),
        [one] if one.over.is_some() => average(one, None, around),
        [one] => match one.unit.as_str() {
            "" | "W" => Ok(Sum::plain(one, 1.0)),
            "mW" => Ok(Sum::plain(one, 0.001)),
            "kW" => Ok(Sum::plain(one, 1000.0)),
            "A" | "mA" => {
                let volts = around.volts.ok_or("amperes need their volts: write 0.7 A 12 V")?;
                Ok(product(one, &Amount { value: volts, half: None, unit: "V".into(), over: None }, false))
            }
            "Wh" | "kWh" | "Ah" | "mAh" => {
                Err(format!("{} need their time: write 4.5 Wh/day or 120 Wh in 5 h", one.unit))
            }
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

fn amperes(amount: &Amount) -> f64 {
    if amount.unit.starts_with('m') { amount.value / 1000.0 } else { amount.value }
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
        terms: vec![term("current", a, "A", amps), term("voltage", v, "V", volts)],
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
            let energy = if one.unit == "kWh" { one.value * 1000.0 } else { one.value };
            Ok(Sum {
                value: energy / time_h,
                plus_minus: together(&[one, over]).map(|it| it * energy / time_h),
                words: format!("{} ÷ {}", amount(energy, "Wh"), amount(time_h, "h")),
                terms: vec![Term::computed("energy", energy, "Wh"), time],
                label: false,
            })
        }
        "Ah" | "mAh" => {
            let charge = amperes(one);
            let amps = Amount {
                value: charge / time_h,
                half: together(&[one, over]).map(|it| it * charge / time_h),
                unit: "A".into(),
                over: None,
            };
            let rated = || Some(Amount { value: around.volts?, half: None, unit: "V".into(), over: None });
            let volts = volts.cloned().or_else(rated).ok_or("ampere-hours need their volts: write 400 mAh/h 12 V")?;
            let sum = product(&amps, &volts, false);
            let terms =
                vec![Term::computed("charge", charge, "Ah"), time, Term::computed("voltage", amperes(&volts), "V")];
            Ok(Sum { terms, ..sum })
        }
        other => Err(format!("{other} over a time are no watts")),
    }
}
