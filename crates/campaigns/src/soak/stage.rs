//! Where a trial happens, and what its parts share.

use crate::client::{Client, SITE};
use crate::program::Program;
use anyhow::Result;
use rand::rngs::StdRng;
use serde_json::{Value, json};
use std::path::{Path, PathBuf};
use std::time::Duration;

/// How much of it is tried.
#[derive(Debug, Clone)]
pub struct Soak {
    /// The program under trial.
    pub program: PathBuf,
    /// Kills; where there are none, it is asked at a rate and nothing else.
    pub kills: u64,
    /// For how long it is asked at a rate.
    pub asked_for: Duration,
    /// Requests a second.
    pub rate: u64,
    /// Readings that lie there meanwhile.
    pub readings: u64,
    /// A watch is read so often, s.
    pub read_every_s: usize,
    /// The seed of whatever is left to chance.
    pub seed: u64,
}

/// Where it happens, and what it was left to.
pub(super) struct Stage<'a> {
    pub(super) soak: &'a Soak,
    pub(super) folder: tempfile::TempDir,
    pub(super) chance: StdRng,
}

impl Stage<'_> {
    pub(super) fn data(&self) -> PathBuf {
        self.folder.path().join("data")
    }

    pub(super) fn clock(&self) -> PathBuf {
        self.folder.path().join("clock")
    }

    pub(super) fn start(&self, limit_kb: Option<u64>) -> Result<(Program, Client)> {
        let program = Program::start(&self.soak.program, &self.data(), &self.clock(), limit_kb)?;
        let client = Client::new(&program.base);
        Ok((program, client))
    }
}

/// A stand-in of the demo whose readings are kept from now on.
pub(super) async fn record(client: &Client, id: &str) -> Result<()> {
    let meters = client.get("/api/meters").await?.json();
    let all = meters["meters"].as_array().cloned().unwrap_or_default();
    if let Some(it) = all.iter().find(|it| it["id"] == id) {
        let body = json!({"label": it["label"], "speaks": it["speaks"], "address": it["address"],
            "records": true});
        client
            .send(http::Method::PUT, &format!("/api/meters/{id}"), &body)
            .await?;
    }
    Ok(())
}

/// Every test of the site, page by page.
pub(super) async fn every_test(client: &Client) -> Result<Vec<Value>> {
    let mut list = Vec::new();
    let mut behind = String::new();
    loop {
        let page = client.get(&format!("{SITE}/tests{behind}")).await?.json();
        list.extend(page["tests"].as_array().cloned().unwrap_or_default());
        let Some(next) = page["next"].as_str() else {
            return Ok(list);
        };
        behind = format!("?behind={next}");
    }
}

/// The idle test that campaigns begin, keep, use and take back.
pub(super) fn idle(amps: f64) -> Value {
    json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"},
        "meters": [{"share": 0.005, "step": 0.01}, {"share": 0.01, "step": 0.001}],
        "rows": [{"values": [12.5, amps]}, {"values": [12.5, amps]}], "note": format!("{amps}")})
}

/// Sets the program's clock.
pub(super) fn set_clock(file: &Path, seconds: i64) -> Result<()> {
    let part = file.with_extension("part");
    std::fs::write(&part, seconds.to_string())?;
    Ok(std::fs::rename(part, file)?)
}
