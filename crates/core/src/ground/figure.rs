//! A figure: a value with its uncertainty and its basis.

use crate::ground::json::{
    FieldError, Fields, FromJson, Met, Path, Settable, Which, describe, words,
};
use crate::ground::quantity::Quantity;
use serde::ser::{Serialize, SerializeMap, Serializer};
use serde_json::Value;

words!(
    /// Where a figure comes from, from the least sure to the surest.
    Basis {
        /// A guess, or a bare number.
        Assumed = "assumed",
        /// Printed on the thing.
        Label = "label",
        /// From the maker's datasheet.
        Datasheet = "datasheet",
        /// Measured here.
        Measured = "measured",
    }
);

impl Basis {
    /// Half-width of the 95 % interval over the value that a figure without a ± of its own gets: 30
    /// % assumed, 20 % from a label, 10 % from a datasheet, 3 % measured. Volts are known ten times
    /// as well, lengths three and sizes of leads six.
    pub fn deserves(self, unit: &str) -> f64 {
        let share = match self {
            Self::Assumed => 0.3,
            Self::Label => 0.2,
            Self::Datasheet => 0.1,
            Self::Measured => 0.03,
        };
        match unit {
            "V" => share / 10.0,
            "m" => share / 3.0,
            "mm²" => share / 6.0,
            _ => share,
        }
    }
}

/// A value with its unit, its 95 % half-width, its basis, and where it came from.
///
/// In the plan file a bare number is a figure with the basis *assumed*:
///
/// ```
/// use ash_pond_core::{ground::figure::{Basis, Figure}, ground::json::{self, FromJson, Path}, ground::quantity::Watts};
/// let read = |text| Figure::<Watts>::from_json(&json::parse(text).unwrap(), &Path::Root);
/// assert_eq!(read("6").unwrap().basis, Basis::Assumed);
/// let measured = read(r#"{"value": 6.2, "plus_minus": 0.2, "basis": "measured"}"#).unwrap();
/// assert_eq!(measured.get(), 6.2);
/// assert_eq!(read("-5").unwrap_err().message, "is -5; watts cannot be negative");
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Figure<Q> {
    /// The value, in the unit of `Q`, inside its legal range.
    pub value: Q,
    /// Half-width of the 95 % interval, in the unit of `Q`.
    pub plus_minus: Option<f64>,
    /// Where it comes from.
    pub basis: Basis,
    /// The sum or the circumstance behind it.
    pub note: Option<String>,
    /// The bench test that it was taken from.
    pub test: Option<String>,
}

impl<Q: Quantity> Figure<Q> {
    /// A bare, assumed number. Its range is the caller's to keep.
    pub fn assumed(raw: f64) -> Self {
        Self {
            value: Q::of(raw),
            plus_minus: None,
            basis: Basis::Assumed,
            note: None,
            test: None,
        }
    }

    /// The raw number, in the unit of `Q`.
    pub fn get(&self) -> f64 {
        self.value.raw()
    }

    /// Half-width of its 95 % interval, in the unit of `Q`: its own, or what its basis deserves.
    pub fn half_width(&self) -> f64 {
        self.plus_minus
            .unwrap_or_else(|| self.basis.deserves(Q::UNIT) * self.get().abs())
    }

    fn is_bare(&self) -> bool {
        self.plus_minus.is_none()
            && self.basis == Basis::Assumed
            && self.note.is_none()
            && self.test.is_none()
    }
}

impl<Q: Quantity> From<f64> for Figure<Q> {
    fn from(raw: f64) -> Self {
        Self::assumed(raw)
    }
}

/// A raw number nearer to 0 than this is 0, in the unit of whatever it stands for.
pub const SMALLEST: f64 = 1e-15;

/// Reads a raw number and checks it against the range of `Q`.
fn number<Q: Quantity>(value: &Value, at: &Path<'_>) -> Result<f64, FieldError> {
    let raw = value.as_f64().ok_or_else(|| {
        at.error(format!(
            "is {}; a number is needed, or {{\"value\": …}}",
            describe(value)
        ))
    })?;
    let raw = legible(raw);
    match Q::refuse(raw) {
        None => Ok(raw),
        Some(refusal) => Err(at.error(refusal)),
    }
}

impl<Q: Quantity> FromJson for Figure<Q> {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        if !value.is_object() {
            return Ok(Self::assumed(number::<Q>(value, at)?));
        }
        let mut fields = Fields::open(value, at)?;
        let Raw(inner) = fields.take("value")?;
        let raw = number::<Q>(&inner, &at.key("value"))?;
        let half: Option<Raw> = fields.take("plus_minus")?;
        let plus_minus = match half {
            None => None,
            Some(Raw(half)) => Some(half_width(&half, &at.key("plus_minus"))?),
        };
        let basis = fields
            .take::<Option<Basis>>("basis")?
            .unwrap_or(Basis::Assumed);
        let figure = Self {
            value: Q::of(raw),
            plus_minus,
            basis,
            note: fields.take("note")?,
            test: fields.take("test")?,
        };
        fields.close()?;
        Ok(figure)
    }

    fn each_figure(&self, at: &Path<'_>, visit: &mut dyn FnMut(&Path<'_>, Met)) {
        visit(
            at,
            Met {
                which: Which::of(self),
                value: self.get(),
                unit: Q::UNIT,
            },
        );
    }

    fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        visit(self);
    }
}

impl<Q: Quantity> Settable for Figure<Q> {
    fn set(&mut self, raw: f64) -> bool {
        let raw = legible(raw);
        let is_legal = Q::refuse(raw).is_none();
        if is_legal {
            self.value = Q::of(raw);
        }
        is_legal
    }

    fn forget(&mut self) {
        (self.note, self.test) = (None, None);
    }
}

/// What a raw number is read as: what is smaller than anybody can mean is nothing, as divided by it
/// would be endless; adding zero turns −0 into 0, which is written the same everywhere.
fn legible(raw: f64) -> f64 {
    if raw.abs() < SMALLEST { 0.0 } else { raw + 0.0 }
}

fn half_width(value: &Value, at: &Path<'_>) -> Result<f64, FieldError> {
    match value.as_f64() {
        Some(half) if half.is_finite() && half >= 0.0 => Ok(half + 0.0),
        _ => Err(at.error(format!(
            "is {}; give the half-width of the interval as a number, 0 or more",
            describe(value)
        ))),
    }
}

/// A value taken as it is, to be read by the caller.
struct Raw(Value);

impl FromJson for Raw {
    fn from_json(value: &Value, _: &Path<'_>) -> Result<Self, FieldError> {
        Ok(Self(value.clone()))
    }
}

/// Writes a number as a person would: `12`, not `12.0`.
pub(crate) fn plain<S: Serializer>(raw: f64, serializer: S) -> Result<S::Ok, S::Error> {
    if raw.fract() == 0.0 && raw.abs() < 1e15 {
        #[expect(clippy::cast_possible_truncation, reason = "whole and below 2^53")]
        serializer.serialize_i64(raw as i64)
    } else {
        serializer.serialize_f64(raw)
    }
}

struct Plain(f64);

impl Serialize for Plain {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        plain(self.0, serializer)
    }
}

impl<Q: Quantity> Serialize for Figure<Q> {
    fn serialize<S: Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        if self.is_bare() {
            return plain(self.get(), serializer);
        }
        let mut map = serializer.serialize_map(None)?;
        map.serialize_entry("value", &Plain(self.get()))?;
        if let Some(half) = self.plus_minus {
            map.serialize_entry("plus_minus", &Plain(half))?;
        }
        if self.basis != Basis::Assumed {
            map.serialize_entry("basis", &self.basis)?;
        }
        if let Some(note) = &self.note {
            map.serialize_entry("note", note)?;
        }
        if let Some(test) = &self.test {
            map.serialize_entry("test", test)?;
        }
        map.end()
    }
}

#[cfg(feature = "schema")]
impl<Q: Quantity> schemars::JsonSchema for Figure<Q> {
    fn schema_name() -> std::borrow::Cow<'static, str> {
        format!(
            "Figure{}",
            std::any::type_name::<Q>()
                .rsplit("::")
                .next()
                .unwrap_or_default()
        )
        .into()
    }

    fn json_schema(generator: &mut schemars::SchemaGenerator) -> schemars::Schema {
        let basis = generator.subschema_for::<Basis>();
        let unit = if Q::UNIT.is_empty() {
            String::new()
        } else {
            format!(", {}", Q::UNIT)
        };
        let mut range = schemars::json_schema!({
            "type": if Q::NAME == "a count" { "integer" } else { "number" },
            "minimum": Q::LOW,
        });
        if Q::HIGH < crate::ground::quantity::LARGEST {
            range.insert("maximum".into(), Q::HIGH.into());
        }
        schemars::json_schema!({
            "description": format!("A figure{unit}: a number, or a value with its uncertainty and \
            its basis."),
            "anyOf": [
                range.clone(),
                {
                    "type": "object",
                    "properties": {
                        "value": range,
                        "plus_minus": { "type": "number", "minimum": 0, "description": "Half-width \
                        of the 95 % interval, in the unit of the value." },
                        "basis": basis,
                        "note": { "type": "string", "description": "The sum or the circumstance \
                        behind it." },
                        "test": { "type": "string", "description": "The id of the bench test that \
                        it was taken from." }
                    },
                    "required": ["value"],
                    "additionalProperties": false
                }
            ]
        })
    }
}
