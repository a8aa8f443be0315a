//! Ids, and what every plan file says of itself.

use crate::ground::json::{FieldError, FromJson, Path};
use serde::Serialize;
use serde_json::Value;

/// The word that opens every plan file.
pub const FORMAT: &str = "ash-pond/plan";
/// The version of the format that this build reads and writes.
pub const VERSION: i64 = 1;

/// The id of an item: 1 to 64 characters without spaces or slashes, and not one or two dots.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash, Serialize)]
#[serde(transparent)]
pub struct Id(String);

impl Id {
    /// A checked id.
    ///
    /// # Errors
    /// Says what an id may be made of.
    ///
    /// ```
    /// use ash_pond_core::site::plan::Id;
    /// assert!(Id::new("gate-camera").is_ok());
    /// assert!(Id::new("gate camera").unwrap_err().message.contains("without spaces"));
    /// ```
    pub fn new(text: &str) -> Result<Self, FieldError> {
        let no = |why: String| Err(FieldError::of("id", why));
        let bad = |c: char| c.is_whitespace() || c.is_control() || c == '/' || c == '"';
        if text.is_empty() || text.chars().count() > 64 || text.chars().any(bad) {
            return no(format!(
                "is {text:?}; an id has 1 to 64 characters, without spaces, slashes or quotes"
            ));
        }
        if text == "." || text == ".." {
            return no(format!(
                "is {text:?}, which means a folder in an address; give it a letter"
            ));
        }
        Ok(Self(text.to_owned()))
    }

    /// An id of the program's own, of letters.
    pub(crate) fn own(text: &'static str) -> Self {
        Self(text.to_owned())
    }

    /// The id as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }
}

impl std::fmt::Display for Id {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.0)
    }
}

impl FromJson for Id {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        Self::new(&String::from_json(value, at)?).map_err(|it| at.error(it.message))
    }
}

/// The constant `ash-pond/plan`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Format;

impl Serialize for Format {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_str(FORMAT)
    }
}

impl FromJson for Format {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        if value.as_str() == Some(FORMAT) {
            return Ok(Self);
        }
        Err(at.error(format!("is {value}; a plan file says \"{FORMAT}\" here")))
    }
}

/// The constant 1.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Version;

impl Serialize for Version {
    fn serialize<S: serde::Serializer>(&self, serializer: S) -> Result<S::Ok, S::Error> {
        serializer.serialize_i64(VERSION)
    }
}

impl FromJson for Version {
    fn from_json(value: &Value, at: &Path<'_>) -> Result<Self, FieldError> {
        match value.as_i64() {
            Some(VERSION) => Ok(Self),
            Some(newer) if newer > VERSION => Err(at.error(format!(
                "is {newer}; this build reads version {VERSION}: open it with a newer Ash Pond"
            ))),
            _ => Err(at.error(format!("is {value}; this build reads version {VERSION}"))),
        }
    }
}

#[cfg(feature = "schema")]
mod schema {
    use super::{FORMAT, Format, Id, VERSION, Version};
    use schemars::{JsonSchema, Schema, SchemaGenerator, json_schema};
    use std::borrow::Cow;

    macro_rules! inline {
        ($type:ty, $name:literal, $schema:expr) => {
            impl JsonSchema for $type {
                fn inline_schema() -> bool {
                    true
                }
                fn schema_name() -> Cow<'static, str> {
                    $name.into()
                }
                fn json_schema(_: &mut SchemaGenerator) -> Schema {
                    $schema
                }
            }
        };
    }

    inline!(
        Format,
        "Format",
        json_schema!({"type": "string", "const": FORMAT})
    );
    inline!(
        Version,
        "Version",
        json_schema!({"type": "integer", "const": VERSION})
    );
    inline!(
        Id,
        "Id",
        json_schema!({"type": "string", "minLength": 1, "maxLength": 64, "pattern": "^[^\\s/\"]+$"})
    );
}
