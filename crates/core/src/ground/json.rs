//! Reading JSON so that every refusal names the exact field and the remedy.
//!
//! Serde's tagged and untagged forms lose the path of a field, and its maps swallow
//! duplicate keys, so the plan's types are read from a checked [`Value`] tree through
//! [`FromJson`]. Writing stays with serde. See `docs/decisions/0002-reading-json.md`.

use serde::de::{self, Deserialize, Deserializer, MapAccess, SeqAccess, Visitor};
use serde_json::{Map, Value};
use std::fmt;

/// How deeply a document may be nested before it is refused.
const DEEPEST: usize = 64;

/// Why a document was refused: where, what is wrong, and what to do about it.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error, serde::Serialize)]
#[error("{}{message}", if path.is_empty() { String::new() } else { format!("{path}: ") })]
pub struct FieldError {
    /// The path of the field, such as `kit.devices[2].phases[0].watts`; empty for the whole.
    pub path: String,
    /// What is wrong and the remedy, as a sentence without the path.
    pub message: String,
}

impl FieldError {
    /// An error at `path`.
    pub fn new(path: impl fmt::Display, message: impl Into<String>) -> Self {
        Self {
            path: path.to_string(),
            message: message.into(),
        }
    }

    /// A field of what was asked that cannot be, with what is wrong and the remedy.
    pub fn of(field: &str, why: String) -> Self {
        Self::new(field, why)
    }
}

/// A place in a document, built up while reading; cheap until it is printed.
#[derive(Debug, Clone, Copy)]
pub enum Path<'a> {
    /// The document itself.
    Root,
    /// A named field of the parent.
    Key(&'a Path<'a>, &'a str),
    /// An element of the parent list.
    Index(&'a Path<'a>, usize),
}

impl<'a> Path<'a> {
    /// The field `name` below this place.
    pub fn key(&'a self, name: &'a str) -> Path<'a> {
        Path::Key(self, name)
    }

    /// Element `index` of the list at this place.
    pub fn index(&'a self, index: usize) -> Path<'a> {
        Path::Index(self, index)
    }

    /// An error at this place.
    pub fn error(&self, message: impl Into<String>) -> FieldError {
        FieldError::new(self, message)
    }
}

impl fmt::Display for Path<'_> {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Path::Root => Ok(()),
            Path::Key(Path::Root, name) => f.write_str(name),
            Path::Key(parent, name) => write!(f, "{parent}.{name}"),
            Path::Index(parent, index) => write!(f, "{parent}[{index}]"),
        }
    }
}

/// Which figure of a document it is: of what is borrowed at the same time, no two figures are the
/// same one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct Which(usize);

impl Which {
    /// Of something that is borrowed for as long as it is compared.
    pub(crate) fn of<T>(it: &T) -> Self {
        Self(std::ptr::from_ref(it).addr())
    }
}

/// A figure that is met on a walk through what was read.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Met {
    /// Which one it is.
    pub which: Which,
    /// Its value, in its unit.
    pub value: f64,
    /// Its unit, empty for a plain number.
    pub unit: &'static str,
}

/// A figure whose value is changed where it stands.
pub trait Settable {
    /// Gives it another value, in its unit; not one outside its legal range, of which it says
    /// false.
    fn set(&mut self, raw: f64) -> bool;

    /// Takes away what nothing is reckoned with: the note behind it and the test that it came from.
    fn forget(&mut self);
}

/// A type that reads itself from JSON and says where and why it cannot.
pub trait FromJson: Sized {
    /// Reads `value`, which stands at `at`.
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError>;

    /// What stands for a field that is not there; `None` where it is required.
    fn absent() -> Option<Self> {
        None
    }

    /// Goes to each figure that is in it, with its place, in the order of the format. Most hold
    /// none.
    fn each_figure(&self, _at: &Path<'_>, _visit: &mut dyn FnMut(&Path<'_>, Met)) {}

    /// Goes to the same figures in the same order, to change them.
    fn each_figure_mut(&mut self, _visit: &mut dyn FnMut(&mut dyn Settable)) {}
}

/// An object being read: each field is taken once, and none may be left over.
pub struct Fields<'a> {
    map: &'a Map<String, Value>,
    at: &'a Path<'a>,
    known: Vec<&'static str>,
}

impl<'a> Fields<'a> {
    /// Starts reading `value` as an object.
    pub fn open(value: &'a Value, at: &'a Path<'a>) -> Result<Self, FieldError> {
        match value {
            Value::Object(map) => Ok(Self {
                map,
                at,
                known: Vec::with_capacity(16),
            }),
            other => Err(at.error(format!(
                "is {}; an object in braces is needed here",
                describe(other)
            ))),
        }
    }

    /// Takes the field `name`. `null` counts as absent.
    pub fn take<T: FromJson>(&mut self, name: &'static str) -> Result<T, FieldError> {
        self.known.push(name);
        match self.map.get(name) {
            None | Some(Value::Null) => T::absent()
                .ok_or_else(|| self.at.key(name).error("is missing; it is required here")),
            Some(value) => T::from_json(value, &self.at.key(name)),
        }
    }

    /// Whether the field `name` is there and not null.
    pub fn has(&self, name: &str) -> bool {
        self.map.get(name).is_some_and(|value| !value.is_null())
    }

    /// Refuses every field that was not taken, naming the nearest known one.
    pub fn close(self) -> Result<(), FieldError> {
        let Some(stray) = self
            .map
            .keys()
            .find(|key| !self.known.contains(&key.as_str()))
        else {
            return Ok(());
        };
        let near = self.known.iter().min_by_key(|known| distance(known, stray));
        let hint = match near {
            Some(known) if distance(known, stray) <= 3 => format!("did you mean `{known}`?"),
            _ => format!("known here: {}", self.known.join(", ")),
        };
        Err(self
            .at
            .key(stray)
            .error(format!("is not a field of the format; {hint}")))
    }
}

/// Declares how a struct is read: its fields by name, each of a type that is [`FromJson`].
macro_rules! reads {
    ($type:ident { $($field:ident $(= $default:expr)?),* $(,)? }) => {
        impl $crate::ground::json::FromJson for $type {
            fn from_json(value: &serde_json::Value, at: &$crate::ground::json::Path<'_>) -> Result<Self,
                $crate::ground::json::FieldError> {
                let mut fields = $crate::ground::json::Fields::open(value, at)?;
                let read = Self { $($field: $crate::ground::json::reads!(@field fields, $field $(,
                    $default)?)),* };
                fields.close()?;
                Ok(read)
            }

            fn each_figure(
                &self,
                at: &$crate::ground::json::Path<'_>,
                visit: &mut dyn FnMut(&$crate::ground::json::Path<'_>, $crate::ground::json::Met),
            ) {
                $($crate::ground::json::FromJson::each_figure(&self.$field, &at.key(stringify!($field)),
                    visit);)*
            }

            fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn $crate::ground::json::Settable)) {
                $($crate::ground::json::FromJson::each_figure_mut(&mut self.$field, visit);)*
            }
        }
    };
    (@field $fields:ident, $field:ident) => { $fields.take(stringify!($field))? };
    (@field $fields:ident, $field:ident, $default:expr) => {
        $fields.take::<Option<_>>(stringify!($field))?.unwrap_or_else(|| $default)
    };
}
pub(crate) use reads;

/// Declares an enum whose variants are fixed words, with reading, writing and schema.
macro_rules! words {
    ($(#[$doc:meta])* $name:ident { $($(#[$vdoc:meta])* $variant:ident = $word:literal),* $(,)? }) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize)]
        #[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
        pub enum $name { $($(#[$vdoc])* #[serde(rename = $word)] $variant),* }

        impl $name {
            /// Every variant, in the order of the format's documentation.
            pub const ALL: &'static [Self] = &[$(Self::$variant),*];

            /// The word that stands for it in the plan file.
            pub fn word(self) -> &'static str {
                match self { $(Self::$variant => $word),* }
            }
        }

        impl $crate::ground::json::FromJson for $name {
            fn from_json(value: &serde_json::Value, at: &$crate::ground::json::Path<'_>) -> Result<Self,
                $crate::ground::json::FieldError> {
                let word = value.as_str().unwrap_or_default();
                Self::ALL.iter().copied().find(|it| it.word() == word).ok_or_else(|| {
                    let known: Vec<_> = Self::ALL.iter().map(|it| it.word()).collect();
                    at.error(format!("is {value}; use one of {}", known.join(", ")))
                })
            }
        }
    };
}
pub(crate) use words;

/// Whether a character is not seen and can mislead who reads what is around it, or a program that
/// reads it later: controls other than the end of a line and a tab, and marks that turn the
/// direction of writing.
pub fn is_unseen(it: char) -> bool {
    let turns = matches!(it,
        '\u{200e}' | '\u{200f}' | '\u{061c}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}');
    turns || (it.is_control() && it != '\n' && it != '\t')
}

/// Takes what is not seen out of every text of a document.
pub fn without_unseen(value: &mut Value) {
    match value {
        Value::String(text) if text.contains(is_unseen) => text.retain(|it| !is_unseen(it)),
        Value::Array(list) => list.iter_mut().for_each(without_unseen),
        Value::Object(fields) => fields.values_mut().for_each(without_unseen),
        _ => {}
    }
}

impl FromJson for String {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        if let Some(unseen) = value
            .as_str()
            .and_then(|it| it.chars().find(|it| is_unseen(*it)))
        {
            let code = u32::from(unseen);
            return Err(at.error(format!(
                "contains a character that is not seen and misleads who reads it (U+{code:04X}); \
                leave it out"
            )));
        }
        match value.as_str() {
            Some(text) if crate::ground::say::has_mark(text) => Err(at.error(
                "contains characters of a private plane (U+F0000 to U+F0002); leave them out",
            )),
            Some(text) if text.len() <= 4000 => Ok(text.to_owned()),
            Some(_) => Err(at.error("is longer than 4000 bytes; shorten it")),
            None => Err(at.error(format!("is {}; text in quotes is needed", describe(value)))),
        }
    }
}

impl FromJson for bool {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        value
            .as_bool()
            .ok_or_else(|| at.error(format!("is {}; use true or false", describe(value))))
    }
}

impl<T: FromJson> FromJson for Option<T> {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        T::from_json(value, at).map(Some)
    }

    fn absent() -> Option<Self> {
        Some(None)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        if let Some(inner) = self {
            inner.each_figure(at, visit);
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        if let Some(inner) = self {
            inner.each_figure_mut(visit);
        }
    }
}

impl<T: FromJson> FromJson for Vec<T> {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        let Value::Array(items) = value else {
            return Err(at.error(format!(
                "is {}; a list in brackets is needed",
                describe(value)
            )));
        };
        items
            .iter()
            .enumerate()
            .map(|(index, item)| T::from_json(item, &at.index(index)))
            .collect()
    }

    fn absent() -> Option<Self> {
        Some(Vec::new())
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        for (index, item) in self.iter().enumerate() {
            item.each_figure(&at.index(index), visit);
        }
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        for item in self {
            item.each_figure_mut(visit);
        }
    }
}

/// What a value is, in words, for an error.
pub(crate) fn describe(value: &Value) -> String {
    match value {
        Value::Null => "null".into(),
        Value::Bool(flag) => flag.to_string(),
        Value::Number(number) => number.to_string(),
        Value::String(text) => format!("the text {:?}", text.chars().take(40).collect::<String>()),
        Value::Array(_) => "a list".into(),
        Value::Object(_) => "an object".into(),
    }
}

/// Edits between two words (Levenshtein), for "did you mean".
fn distance(one: &str, other: &str) -> usize {
    let other: Vec<char> = other.chars().take(40).collect();
    let mut row: Vec<usize> = (0..=other.len()).collect();
    for (i, a) in one.chars().enumerate() {
        let mut diagonal = row[0];
        row[0] = i + 1;
        for (j, b) in other.iter().enumerate() {
            let replaced = diagonal + usize::from(a != *b);
            diagonal = row[j + 1];
            row[j + 1] = replaced.min(row[j] + 1).min(diagonal + 1);
        }
    }
    row[other.len()]
}

/// Parses JSON text, refusing duplicate keys and deep nesting.
///
/// ```
/// use ash_pond_core::ground::json::parse;
/// assert!(parse(r#"{"a": 1}"#).is_ok());
/// assert!(parse(r#"{"a": 1, "a": 2}"#).unwrap_err().message.contains("twice"));
/// ```
pub fn parse(text: &str) -> Result<Value, FieldError> {
    let mut reader = serde_json::Deserializer::from_str(text);
    let strict = Strict::deserialize(&mut reader).and_then(|strict| reader.end().map(|()| strict));
    let value = strict
        .map_err(|error| FieldError::new("", format!("not readable as JSON: {error}")))?
        .0;
    if depth(&value) > DEEPEST {
        return Err(FieldError::new(
            "",
            format!("is nested more than {DEEPEST} deep; no plan is"),
        ));
    }
    Ok(value)
}

fn depth(value: &Value) -> usize {
    match value {
        Value::Array(items) => 1 + items.iter().map(depth).max().unwrap_or(0),
        Value::Object(map) => 1 + map.values().map(depth).max().unwrap_or(0),
        _ => 0,
    }
}

/// A `Value` read with duplicate keys refused.
struct Strict(Value);

impl<'de> Deserialize<'de> for Strict {
    fn deserialize<D: Deserializer<'de>>(deserializer: D) -> Result<Self, D::Error> {
        deserializer.deserialize_any(StrictVisitor).map(Strict)
    }
}

struct StrictVisitor;

impl<'de> Visitor<'de> for StrictVisitor {
    type Value = Value;

    fn expecting(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str("a JSON value")
    }
    fn visit_unit<E>(self) -> Result<Value, E> {
        Ok(Value::Null)
    }
    fn visit_bool<E>(self, flag: bool) -> Result<Value, E> {
        Ok(Value::Bool(flag))
    }
    fn visit_i64<E>(self, number: i64) -> Result<Value, E> {
        Ok(number.into())
    }
    fn visit_u64<E>(self, number: u64) -> Result<Value, E> {
        Ok(number.into())
    }
    fn visit_f64<E>(self, number: f64) -> Result<Value, E> {
        Ok(number.into())
    }
    fn visit_str<E>(self, text: &str) -> Result<Value, E> {
        Ok(Value::String(text.to_owned()))
    }
    fn visit_seq<A: SeqAccess<'de>>(self, mut items: A) -> Result<Value, A::Error> {
        let mut list = Vec::new();
        while let Some(Strict(item)) = items.next_element()? {
            list.push(item);
        }
        Ok(Value::Array(list))
    }
    fn visit_map<A: MapAccess<'de>>(self, mut entries: A) -> Result<Value, A::Error> {
        let mut map = Map::new();
        while let Some(key) = entries.next_key::<String>()? {
            let Strict(value) = entries.next_value()?;
            if map.contains_key(&key) {
                return Err(de::Error::custom(format!(
                    "the key `{key}` stands twice in one object; keep one"
                )));
            }
            map.insert(key, value);
        }
        Ok(Value::Object(map))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_path_prints_as_it_is_written_in_code() {
        let (root, kit) = (Path::Root, "kit");
        let kit = root.key(kit);
        let devices = kit.key("devices");
        let second = devices.index(2);
        assert_eq!(second.key("label").to_string(), "kit.devices[2].label");
    }

    #[test]
    fn nesting_without_end_is_refused() {
        let deep = "[".repeat(100) + &"]".repeat(100);
        assert!(parse(&deep).unwrap_err().message.contains("nested"));
        let bottomless = "[".repeat(100_000);
        assert!(parse(&bottomless).is_err());
    }

    #[test]
    fn edits_between_words_are_counted() {
        assert_eq!(distance("watts", "wats"), 1);
        assert_eq!(distance("label", "lebal"), 2);
    }
}
