//! Bodies of who is let in.

use crate::access::{Role, Told};
use schemars::JsonSchema;
use serde::{Deserialize, Serialize};

/// Who asks.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct SessionNow {
    /// Whether a passphrase is asked for here.
    pub(crate) guarded: bool,
    /// What may be done; none where a passphrase is asked for and was not given.
    pub(crate) role: Option<Role>,
    /// The SHA-256 of the server's certificate, to compare with the one that the server printed and
    /// the one that the browser shows.
    pub(crate) fingerprint: Option<String>,
}

/// A passphrase.
#[derive(Debug, Serialize, Deserialize, JsonSchema)]
#[serde(deny_unknown_fields)]
pub(crate) struct SignIn {
    /// The passphrase.
    pub(crate) passphrase: String,
}

/// The sessions that there are.
#[derive(Debug, Serialize, JsonSchema)]
pub(crate) struct Sessions {
    /// They, the latest first.
    pub(crate) sessions: Vec<Told>,
    /// After so many hours a session ends.
    pub(crate) end_after_h: u64,
}
