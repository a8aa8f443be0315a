//! Bodies of copies.

use schemars::JsonSchema;
use serde::Serialize;

/// A copy in the data folder.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct CopyRow {
    /// Its file name.
    pub(crate) name: String,
    /// Its length, bytes.
    pub(crate) bytes: u64,
}

/// The copies that are made by themselves.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Copies {
    /// They, the latest first.
    pub(crate) copies: Vec<CopyRow>,
    /// What is kept of them, as a sentence.
    pub(crate) kept: String,
    /// The folder in which they lie.
    pub(crate) folder: String,
}

/// What was brought back.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct BroughtBack {
    /// The names of its sites.
    pub(crate) sites: Vec<String>,
    /// The file in which what stood here before is kept.
    pub(crate) kept: Option<String>,
}
