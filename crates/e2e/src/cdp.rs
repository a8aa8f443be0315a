//! Commands of the browser that WebDriver itself does not have.

use fantoccini::wd::WebDriverCompatibleCommand;
use http::Method;
use serde_json::{Value, json};
use url::{ParseError, Url};

/// A command of the browser's own protocol, sent through the driver.
#[derive(Debug)]
pub struct Cdp {
    /// Such as `Emulation.setDeviceMetricsOverride`.
    pub command: &'static str,
    /// Its parameters.
    pub params: Value,
}

impl WebDriverCompatibleCommand for Cdp {
    fn endpoint(&self, base: &Url, session: Option<&str>) -> Result<Url, ParseError> {
        base.join(&format!(
            "session/{}/goog/cdp/execute",
            session.unwrap_or_default()
        ))
    }

    fn method_and_body(&self, _: &Url) -> (Method, Option<String>) {
        (
            Method::POST,
            Some(json!({ "cmd": self.command, "params": self.params }).to_string()),
        )
    }
}

/// Takes what a log of the driver holds since it was last taken.
#[derive(Debug)]
pub struct TakeLog(pub &'static str);

impl WebDriverCompatibleCommand for TakeLog {
    fn endpoint(&self, base: &Url, session: Option<&str>) -> Result<Url, ParseError> {
        base.join(&format!("session/{}/se/log", session.unwrap_or_default()))
    }

    fn method_and_body(&self, _: &Url) -> (Method, Option<String>) {
        (Method::POST, Some(json!({ "type": self.0 }).to_string()))
    }
}
