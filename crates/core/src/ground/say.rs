//! Sentences as data: text, a person's own name, an amount with its unit and digits, a time of the
//! clock; rendered last.
//!
//! A sentence is one text in which names and amounts are marked as what they are. Whoever shows it
//! renders it by the habits of its reader ([`render`]); nothing looks for numbers in a finished
//! text, and a name comes through as it was written, whatever stands in it. The marks are
//! characters of a private plane that no plan may contain, so that nobody's text can pass for an
//! amount.
//!
//! ```
//! use ash_pond_core::ground::say::{Amount, Habits, Name, render};
//! let said = format!("{} loses {} in {}.", Name("Cam 2.5"), Amount(0.31, "V"), Amount(6.2, "m"));
//! assert_eq!(render(&said, &Habits::si()), "Cam 2.5 loses 0.31 V in 6.2 m.");
//! let abroad = Habits::parse("comma,ft").unwrap();
//! assert_eq!(render(&said, &abroad), "Cam 2.5 loses 0,31 V in 20,3 ft.");
//! ```
//!
//! # Layout
//! - this file: pieces, marks and [`Sentence`]; `habit`: how a reader writes numbers and units;
//!   `number`: digits

mod habit;
mod number;

pub use habit::{Area, Decimal, Habits, Hours, Length, Temperature};
pub use number::digits_of;

use std::borrow::Cow;
use std::fmt::{self, Write as _};

/// Before a piece that is no plain text; what kind follows as a letter.
const OPEN: char = '\u{F0000}';
/// Between the parts of a piece.
const PART: char = '\u{F0001}';
/// After a piece.
const SHUT: char = '\u{F0002}';

/// Whether a text holds a mark, which no plan may.
pub fn has_mark(text: &str) -> bool {
    text.contains([OPEN, PART, SHUT])
}

/// One piece of a sentence.
#[derive(Debug, Clone, PartialEq)]
pub enum Piece<'a> {
    /// Words as they are.
    Text(&'a str),
    /// What a person called something; never changed.
    Name(&'a str),
    /// A number with its unit.
    Amount {
        /// The value, in the unit.
        value: f64,
        /// The unit in SI, empty for a plain number.
        unit: &'a str,
        /// Half-width of its 95 % interval, in the unit, where it is told with it.
        plus_minus: Option<f64>,
    },
    /// A time of day, hours since midnight.
    Clock(f64),
}

/// A person's own name for something, as a piece of a sentence.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Name<'a>(pub &'a str);

impl fmt::Display for Name<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        const MARKS: [char; 3] = [OPEN, PART, SHUT];
        f.write_char(OPEN)?;
        f.write_char('n')?;
        // No name has marks in it but one that somebody meant to do harm with.
        for plain in self.0.split(MARKS) {
            f.write_str(plain)?;
        }
        f.write_char(SHUT)
    }
}

/// A number with its unit, as a piece of a sentence.
///
/// ```
/// use ash_pond_core::ground::say::amount;
/// assert_eq!(amount(9.4218, "A").plain(), "9.42 A");
/// assert_eq!(amount(168.3, "W").plain(), "168 W");
/// assert_eq!(amount(0.004, "W").plain(), "0.004 W");
/// assert_eq!(amount(-2.5, "").plain(), "-2.5");
/// ```
pub fn amount(value: f64, unit: &str) -> Amount<'_> {
    Amount(value, unit)
}

/// A share as a percentage: `1.6 %`, `42 %`.
pub fn percent(share: f64) -> Amount<'static> {
    Amount(share * 100.0, "%")
}

/// "from full", or "from 60 %": the charge that hours to the floor are counted from.
pub(crate) fn from_charge(soc: f64) -> String {
    if soc > 0.9995 {
        "from full".into()
    } else {
        format!("from {}", percent(soc))
    }
}

/// A number with its unit, as a piece of a sentence: three digits that count, no more than two
/// behind the point.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Amount<'a>(pub f64, pub &'a str);

impl Amount<'_> {
    /// As it is written in SI, with a decimal point: `9.42 A`.
    ///
    /// ```
    /// use ash_pond_core::ground::say::Amount;
    /// assert_eq!(Amount(9.4218, "A").plain(), "9.42 A");
    /// assert_eq!(Amount(1234.6, "Wh").plain(), "1,235 Wh");
    /// ```
    pub fn plain(&self) -> String {
        Habits::si().amount(self.0, self.1, None)
    }
}

impl fmt::Display for Amount<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self(value, unit) = self;
        write!(f, "{OPEN}a{value}{PART}{unit}{SHUT}")
    }
}

/// A number with its ± and its unit: shown to the digits that its ± deserves.
///
/// ```
/// use ash_pond_core::ground::say::{Habits, Measured, render};
/// let said = Measured(6.182_243_512, 1.504_327_309, "m").to_string();
/// assert_eq!(render(&said, &Habits::si()), "6.2 ± 1.5 m");
/// ```
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Measured<'a>(pub f64, pub f64, pub &'a str);

impl fmt::Display for Measured<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let Self(value, half, unit) = self;
        write!(f, "{OPEN}a{value}{PART}{unit}{PART}{half}{SHUT}")
    }
}

/// A time of day, hours since midnight, as a piece of a sentence.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Clock(pub f64);

impl fmt::Display for Clock {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{OPEN}t{}{SHUT}", self.0)
    }
}

/// "One, two and three"; nothing where there is none.
pub(crate) fn listed(parts: &[String]) -> String {
    match parts.split_last() {
        Some((last, [])) => last.clone(),
        Some((last, others)) => format!("{} and {last}", others.join(", ")),
        None => String::new(),
    }
}

/// The pieces of a sentence, in order. A mark that says nothing sensible is text.
pub fn pieces(said: &str) -> Vec<Piece<'_>> {
    let mut list = Vec::new();
    let mut rest = said;
    while let Some(at) = rest.find(OPEN) {
        if at > 0 {
            list.push(Piece::Text(&rest[..at]));
        }
        let inner = &rest[at + OPEN.len_utf8()..];
        let Some(end) = inner.find(SHUT) else {
            list.push(Piece::Text(&rest[at..]));
            return list;
        };
        let whole = &rest[at..at + OPEN.len_utf8() + end + SHUT.len_utf8()];
        list.push(piece(&inner[..end]).unwrap_or(Piece::Text(whole)));
        rest = &inner[end + SHUT.len_utf8()..];
    }
    if !rest.is_empty() {
        list.push(Piece::Text(rest));
    }
    list
}

fn piece(inner: &str) -> Option<Piece<'_>> {
    let kind = inner.get(..1)?;
    let rest = &inner[1..];
    match kind {
        "n" => Some(Piece::Name(rest)),
        "t" => Some(Piece::Clock(rest.parse().ok()?)),
        "a" => {
            let mut parts = rest.split(PART);
            let value = parts.next()?.parse().ok()?;
            let unit = parts.next()?;
            let plus_minus = parts.next().map(str::parse).transpose().ok()?;
            Some(Piece::Amount {
                value,
                unit,
                plus_minus,
            })
        }
        _ => None,
    }
}

/// A sentence, or any text with sentences in it, by the habits of who reads it.
pub fn render<'a>(said: &'a str, habits: &Habits) -> Cow<'a, str> {
    if !said.contains(OPEN) {
        return Cow::Borrowed(said);
    }
    let mut text = String::with_capacity(said.len());
    for piece in pieces(said) {
        match piece {
            Piece::Text(it) | Piece::Name(it) => text += it,
            Piece::Amount {
                value,
                unit,
                plus_minus,
            } => text += &habits.amount(value, unit, plus_minus),
            Piece::Clock(hours) => text += &habits.clock(hours),
        }
    }
    Cow::Owned(text)
}

/// A sentence with its pieces marked.
#[derive(Clone, PartialEq, Eq, PartialOrd, Ord, Default)]
pub struct Sentence(String);

impl Sentence {
    /// Its pieces, in order.
    pub fn pieces(&self) -> Vec<Piece<'_>> {
        pieces(&self.0)
    }

    /// By the habits of who reads it.
    pub fn render(&self, habits: &Habits) -> Cow<'_, str> {
        render(&self.0, habits)
    }

    /// In SI, with a decimal point.
    pub fn plain(&self) -> Cow<'_, str> {
        self.render(&Habits::si())
    }

    /// Whether it says something, as it is written in SI.
    pub fn contains(&self, words: &str) -> bool {
        self.plain().contains(words)
    }

    /// Whether it begins with something, as it is written in SI.
    pub fn starts_with(&self, words: &str) -> bool {
        self.plain().starts_with(words)
    }

    /// Whether it ends with something, as it is written in SI.
    pub fn ends_with(&self, words: &str) -> bool {
        self.plain().ends_with(words)
    }

    /// Whether it says nothing.
    pub fn is_empty(&self) -> bool {
        self.0.is_empty()
    }

    /// The text with its marks, to be put into another one.
    pub fn marked(&self) -> &str {
        &self.0
    }
}

impl fmt::Display for Sentence {
    /// With its marks, so that one sentence can stand in another; [`Sentence::plain`] is for
    /// reading.
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(&self.0)
    }
}

impl fmt::Debug for Sentence {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Debug::fmt(&self.plain(), f)
    }
}

impl From<String> for Sentence {
    fn from(said: String) -> Self {
        Self(said)
    }
}

impl From<&str> for Sentence {
    fn from(said: &str) -> Self {
        Self(said.to_owned())
    }
}

impl From<Cow<'_, str>> for Sentence {
    fn from(said: Cow<'_, str>) -> Self {
        Self(said.into_owned())
    }
}

impl From<Amount<'_>> for Sentence {
    fn from(amount: Amount<'_>) -> Self {
        Self(amount.to_string())
    }
}

impl std::borrow::Borrow<str> for Sentence {
    fn borrow(&self) -> &str {
        &self.0
    }
}

impl PartialEq<str> for Sentence {
    fn eq(&self, other: &str) -> bool {
        self.plain() == other
    }
}

impl PartialEq<&str> for Sentence {
    fn eq(&self, other: &&str) -> bool {
        self.plain() == *other
    }
}

impl PartialEq<String> for Sentence {
    fn eq(&self, other: &String) -> bool {
        self.plain() == other.as_str()
    }
}

impl PartialEq<Sentence> for String {
    fn eq(&self, other: &Sentence) -> bool {
        other == self
    }
}

impl PartialEq<Sentence> for &str {
    fn eq(&self, other: &Sentence) -> bool {
        other == self
    }
}

impl serde::Serialize for Sentence {
    /// With its marks: whoever writes the answer out renders it by the habits of its reader.
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(&self.0)
    }
}

impl<'de> serde::Deserialize<'de> for Sentence {
    fn deserialize<D: serde::Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        String::deserialize(deserializer).map(Self)
    }
}

#[cfg(feature = "schema")]
impl schemars::JsonSchema for Sentence {
    fn inline_schema() -> bool {
        true
    }
    fn schema_name() -> Cow<'static, str> {
        "Sentence".into()
    }
    fn json_schema(_: &mut schemars::SchemaGenerator) -> schemars::Schema {
        schemars::json_schema!({"type": "string"})
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_name_is_never_changed_and_no_text_passes_for_an_amount() {
        let name = "Cam 2.5 m, −3 °C";
        let said = format!("{} holds.", Name(name));
        for habits in Habits::all() {
            assert_eq!(render(&said, &habits), format!("{name} holds."));
        }
        let forged = format!("{} holds.", Name("a\u{F0000}a5\u{F0001}m\u{F0002}"));
        assert_eq!(pieces(&forged)[0], Piece::Name("aa5m"));
        assert_eq!(render("\u{F0000}a5", &Habits::si()), "\u{F0000}a5");
        assert_eq!(
            render("\u{F0000}x5\u{F0002}", &Habits::si()),
            "\u{F0000}x5\u{F0002}"
        );
    }

    #[test]
    fn pieces_come_in_order() {
        let said = Sentence::from(format!(
            "{}: {} at {}.",
            Name("Hut"),
            Amount(2.0, "h"),
            Clock(16.5)
        ));
        let wanted = [
            Piece::Name("Hut"),
            Piece::Text(": "),
            Piece::Amount {
                value: 2.0,
                unit: "h",
                plus_minus: None,
            },
            Piece::Text(" at "),
            Piece::Clock(16.5),
            Piece::Text("."),
        ];
        assert_eq!(said.pieces(), wanted);
        assert_eq!(said, "Hut: 2 h at 16:30.");
        assert_eq!(
            said.render(&Habits::parse("12h").unwrap()),
            "Hut: 2 h at 4:30 pm."
        );
    }
}
