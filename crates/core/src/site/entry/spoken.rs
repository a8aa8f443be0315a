//! What was typed, as numbers with their units and where they come from.

use super::target::{DecimalMark, Target};
use crate::ground::figure::Basis;

/// One word of an entry.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Token {
    Number(f64),
    Word(String),
    PlusMinus,
    Per,
    Times,
}

pub(super) fn tokens(text: &str, decimal: DecimalMark) -> Result<Vec<Token>, String> {
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
            // "54 °F": the letter says it all.
            '°' => at += 1,
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
            '\'' | '′' => {
                list.push(Token::Word("ft".into()));
                at += 1;
            }
            // "4 x 2550 mAh".
            'x' | 'X' if !next.is_some_and(char::is_alphabetic) => {
                list.push(Token::Times);
                at += 1;
            }
            _ if letter.is_alphabetic() || letter == 'Ω' => {
                let end = (at..letters.len())
                    .find(|it| !letters[*it].is_alphabetic())
                    .unwrap_or(letters.len());
                list.push(Token::Word(letters[at..end].iter().collect()));
                at = end;
            }
            other => return Err(format!("“{other}” has no meaning here")),
        }
    }
    if list.is_empty() {
        Err("nothing is written".into())
    } else {
        Ok(list)
    }
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
    // Thousands are parted where each group but the first has three digits and the first is not a
    // bare nought.
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
    let value: f64 = text
        .parse()
        .map_err(|_| format!("“{typed}” is no number"))?;
    if value.is_finite() && value.abs() <= crate::ground::quantity::LARGEST {
        Ok(value)
    } else {
        Err(format!("“{typed}” is too large"))
    }
}

/// A number with its unit and its uncertainty.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Spoken {
    pub(super) amounts: Vec<Amount>,
    pub(super) basis: Option<Basis>,
}

#[derive(Debug, Clone, PartialEq)]
pub(super) struct Amount {
    /// All of it.
    pub(super) value: f64,
    /// Of how many alike it is the sum: 4 of `4 x 2550 mAh`.
    pub(super) count: f64,
    /// Half-width, in the same unit.
    pub(super) half: Option<f64>,
    pub(super) unit: String,
    /// What it is divided by, or spread over.
    pub(super) over: Option<Box<Amount>>,
}

impl Amount {
    /// One amount by itself.
    pub(super) fn of(value: f64, unit: &str) -> Self {
        Self {
            value,
            count: 1.0,
            half: None,
            unit: unit.into(),
            over: None,
        }
    }

    /// One of several alike.
    pub(super) fn each(&self) -> Self {
        let half = self.half.map(|it| it / self.count);
        Self {
            value: self.value / self.count,
            count: 1.0,
            half,
            ..self.clone()
        }
    }

    /// Half-width over value; 0 for nothing.
    pub(super) fn relative(&self) -> Option<f64> {
        self.half.map(|half| {
            if self.value > 0.0 {
                half / self.value
            } else {
                0.0
            }
        })
    }
}

impl Spoken {
    pub(super) fn of(tokens: &[Token], target: Target) -> Result<Self, String> {
        let (mut amounts, mut basis): (Vec<Amount>, Option<Basis>) = (Vec::new(), None);
        let mut at = 0;
        let mut spread = false;
        let mut count: Option<f64> = None;
        while at < tokens.len() {
            match &tokens[at] {
                Token::Times => at += 1,
                Token::Per => {
                    spread = true;
                    at += 1;
                }
                Token::Word(word)
                    if matches!(word.as_str(), "in" | "over" | "for" | "per" | "at") =>
                {
                    spread = word != "at";
                    at += 1;
                }
                Token::Word(word) if spread => {
                    // "Wh/day": one day.
                    let over = Amount::of(1.0, &unit(word)?);
                    let last = amounts
                        .last_mut()
                        .filter(|it| it.over.is_none())
                        .ok_or("nothing stands before the /")?;
                    last.over = Some(Box::new(over));
                    spread = false;
                    at += 1;
                }
                Token::Word(word) => {
                    let said = said_basis(word)
                        .ok_or_else(|| format!("“{word}” is no unit that is known here"))?;
                    if basis.replace(said).is_some() {
                        return Err("it says twice where it comes from".into());
                    }
                    at += 1;
                }
                Token::PlusMinus => return Err("± stands before its number".into()),
                // A whole number times an amount: so many of it.
                Token::Number(value)
                    if count.is_none()
                        && *value > 0.0
                        && value.fract() == 0.0
                        && tokens.get(at + 1) == Some(&Token::Times)
                        && matches!(tokens.get(at + 2), Some(Token::Number(_))) =>
                {
                    count = Some(*value);
                    at += 2;
                }
                Token::Number(value) => {
                    let (amount, next) = amount_at(tokens, at, *value, target)?;
                    at = next;
                    let many = count.take().unwrap_or(1.0);
                    let half = amount.half.map(|it| it * many);
                    let amount = Amount {
                        value: amount.value * many,
                        count: many,
                        half,
                        ..amount
                    };
                    if spread {
                        let last = amounts
                            .last_mut()
                            .filter(|it| it.over.is_none())
                            .ok_or("nothing stands before the /")?;
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

/// The unit at a place, and the next place. A lone letter at the end says where the figure comes
/// from.
fn unit_at(tokens: &[Token], at: usize, target: Target) -> (String, usize) {
    let Some(Token::Word(word)) = tokens.get(at) else {
        return (String::new(), at);
    };
    // Of a length, m is the metre; elsewhere it says that somebody measured.
    if target == Target::Metres && word == "m" {
        return ("m".into(), at + 1);
    }
    let last = at + 1 >= tokens.len();
    match unit(word) {
        _ if word == "%" => ("%".into(), at + 1),
        Ok(unit) if !(last && said_basis(word).is_some()) => (unit, at + 1),
        _ => (String::new(), at),
    }
}

/// A number with what follows it: its unit, ± and its unit once more.
fn amount_at(
    tokens: &[Token],
    at: usize,
    value: f64,
    target: Target,
) -> Result<(Amount, usize), String> {
    let (mut unit, next) = unit_at(tokens, at + 1, target);
    if tokens.get(next) != Some(&Token::PlusMinus) {
        return Ok((Amount::of(value, &unit), next));
    }
    let Some(Token::Number(half)) = tokens.get(next + 1) else {
        return Err("± has no number behind it".into());
    };
    if *half < 0.0 {
        return Err("± is negative".into());
    }
    let (half_unit, next) = unit_at(tokens, next + 2, target);
    // A percentage of the value, unless the value is one itself.
    let share = target == Target::Share;
    let half = if half_unit == "%" && unit != "%" && !share {
        value * half / 100.0
    } else {
        *half
    };
    if unit.is_empty() && (half_unit != "%" || share) {
        unit = half_unit;
    } else if !half_unit.is_empty() && half_unit != "%" && half_unit != unit {
        return Err("± has another unit than its number".into());
    }
    Ok((
        Amount {
            half: Some(half),
            ..Amount::of(value, &unit)
        },
        next,
    ))
}

pub(super) fn said_basis(word: &str) -> Option<Basis> {
    match word {
        "m" | "measured" => Some(Basis::Measured),
        "l" | "label" => Some(Basis::Label),
        "d" | "datasheet" => Some(Basis::Datasheet),
        "a" | "assumed" => Some(Basis::Assumed),
        _ => None,
    }
}

/// A unit in the way that it is counted with here.
pub(super) fn unit(word: &str) -> Result<String, String> {
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
        "J" | "joule" | "joules" => "J",
        "kJ" => "kJ",
        "MJ" => "MJ",
        "p" | "penny" | "pence" | "ct" | "cent" | "cents" => "pence",
        "h" | "hour" | "hours" | "hr" | "hrs" => "h",
        "d" | "day" | "days" => "d",
        "min" | "mins" | "minute" | "minutes" => "min",
        "s" | "sec" | "second" | "seconds" => "s",
        "ms" => "ms",
        "ft" | "feet" | "foot" => "ft",
        "cm" => "cm",
        "mm" => "mm",
        "Ω" | "ohm" | "ohms" | "Ohm" => "Ω",
        "mΩ" | "mohm" | "mOhm" => "mΩ",
        "C" | "celsius" => "°C",
        "F" | "fahrenheit" => "°F",
        "N" | "north" => "N",
        "S" | "south" => "S",
        "E" | "east" => "E",
        "west" => "west",
        other => return Err(format!("“{other}” is no unit that is known here")),
    };
    Ok(known.into())
}
