//! A bench meter with four channels around a converter, and the load behind it, over SCPI on TCP
//! (IEEE 488.2 and SCPI 1999 in form: commands end with a line feed, short and long forms, channel
//! lists such as `(@1)`).
//!
//! | command | answer |
//! |---|---|
//! | `*IDN?` | maker, kind, serial number, version |
//! | `MEASure:VOLTage? (@1)` | volts at the input (1) or at the output (2); DC or RMS |
//! | `MEASure:CURRent? (@1)` | amperes there |
//! | `POWer 60`, `POWer?` | what the load behind the converter draws, W |
//! | `INSTrument:SELect small-inverter`, `INSTrument:SELect?` | the converter that is measured |
//! | `INSTrument:CATalog?` | those that there are, with commas between |
//! | `SYSTem:ERRor?` | the last error, `0,"No error"` where there is none |
//!
//! Beyond its ranges it answers `9.9E37`, as SCPI has it for an overload.

use crate::noise::Channel;
use crate::scpi::{self, Answer, OVERLOAD, parted};
use anyhow::{Context, Result};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use serde_json::{Value, json};
use std::sync::{Arc, Mutex, PoisonError};
use tokio::net::TcpListener;

/// How far the idle draw of a converter with a label is from it: 6.1 W where the label says 7.9.
const IDLE_OFF: f64 = 0.772;

const VOLTS: &[(f64, f64)] = &[(4.0, 0.001), (40.0, 0.01), (400.0, 0.1)];
const AMPS: &[(f64, f64)] = &[(4.0, 0.001), (40.0, 0.01)];

/// The bench: a store, the converter that is measured, and a load.
pub struct Bench {
    plan: Plan,
    converter: String,
    load_w: f64,
    channels: [Channel; 4],
    error: Option<&'static str>,
}

/// What flows at both sides of the converter.
struct Flow {
    volts: [f64; 2],
    amps: [f64; 2],
}

impl Bench {
    /// A bench with the converters of a plan.
    ///
    /// # Errors
    /// Where the plan has no converter with one output and a loss.
    pub fn new(plan: Plan) -> Result<Self> {
        let mut bench = Self {
            plan,
            converter: String::new(),
            load_w: 0.0,
            channels: [
                Channel::new(0.0008, VOLTS, 11),
                Channel::new(0.0015, AMPS, 12),
                Channel::new(0.0008, VOLTS, 13),
                Channel::new(0.0015, AMPS, 14),
            ],
            error: None,
        };
        bench.converter = bench
            .known()
            .into_iter()
            .next()
            .context("the plan has no converter to measure")?;
        Ok(bench)
    }

    /// The converters that can be measured.
    fn known(&self) -> Vec<String> {
        let all = self.plan.kit.converters.iter();
        let fit = all.filter(|it| it.outputs.len() == 1 && it.loss.is_some());
        fit.map(|it| it.id.to_string())
            .filter(|it| self.bench_plan(it, 0.0).is_some())
            .collect()
    }

    /// The true plan of the bench: one source, the converter as it really is, and the load.
    fn bench_plan(&self, converter: &str, load_w: f64) -> Option<Plan> {
        let found = self.plan.converter(converter)?;
        let mut body = serde_json::to_value(found).ok()?;
        let idle = body.pointer_mut("/loss/idle_w")?;
        // A figure that was measured is true; a label is not.
        if idle["basis"] == "label" {
            let told = idle["value"].as_f64()?;
            *idle = json!(told * IDLE_OFF);
        }
        let output = body["outputs"][0].clone();
        let volts = |it: &Value| it.as_f64().or_else(|| it["value"].as_f64());
        let out_v = volts(&output["voltage"]["ac_v"])
            .or_else(|| volts(&output["voltage"]["regulated_v"]))
            .or_else(|| volts(&output["voltage"]["offers_v"][0]))?;
        let is_ac = body["input"]["current"] == "ac";
        let source = if is_ac {
            json!({"id": "bench", "label": "Bench", "kind": "mains",
                "ports": [{"id": "out", "current": "ac", "voltage": {"ac_v": 230}}]})
        } else {
            json!({"id": "bench", "label": "Bench", "kind": "battery",
                "battery": {"chemistry": "lfp", "cells": 4, "capacity_ah": 100,
                    "internal_ohm": 0.01},
                "ports": [{"id": "out", "current": "dc", "voltage": {"follows": true}}]})
        };
        let plan = json!({
            "format": "ash-pond/plan", "version": 1,
            "site": {"name": "Bench", "mains": {"voltage_v": 230, "frequency_hz": 50},
                "ambient_c": 18},
            "kit": {
                "sources": [source],
                "converters": [body],
                "devices": [{"id": "load", "label": "Load",
                    "input": {"current": output["current"], "rated_v": out_v},
                    "draw": "power", "phases": [{"when": "running", "watts": load_w}]}]},
            "arrangements": [{"id": "bench", "label": "Bench", "feeds": [
                {"from": {"item": "bench", "port": "out"}, "to": converter,
                    "cable": {"length_m": 0.6, "area_mm2": 2.5}},
                {"from": {"item": converter, "port": output["id"]}, "to": "load"}]}],
            "outages": []});
        Plan::from_value(&plan).ok()
    }

    fn flow(&self) -> Option<Flow> {
        let plan = self.bench_plan(&self.converter, self.load_w)?;
        let way = plan.arrangement("bench")?;
        let found = evaluate(&plan, way, &Moment::Running, &Charge::uniform(0.7)).ok()?;
        let at = &found.converters[&self.converter];
        let load = &found.devices["load"];
        Some(Flow {
            volts: [at.input_v, load.input_v],
            amps: [at.input_a, load.amps],
        })
    }

    /// The answer to a command; none where it answers nothing.
    pub fn ask(&mut self, line: &str) -> Option<String> {
        let (header, rest) = parted(line);
        let is = |long: &str| scpi::is(&header, long);
        if is("*IDN?") {
            return Some(format!(
                "ASH POND,BENCH METER STAND-IN,1,{}",
                env!("CARGO_PKG_VERSION")
            ));
        }
        if is("SYSTem:ERRor?") {
            return Some(self.error.take().unwrap_or("0,\"No error\"").to_owned());
        }
        if is("INSTrument:CATalog?") {
            return Some(self.known().join(","));
        }
        if is("INSTrument:SELect?") {
            return Some(self.converter.clone());
        }
        if is("POWer?") {
            return Some(format!("{:.3E}", self.load_w));
        }
        if is("INSTrument:SELect") {
            match self
                .known()
                .into_iter()
                .find(|it| it == rest.trim_matches('"'))
            {
                Some(found) => {
                    self.converter = found;
                    self.channels.iter_mut().for_each(Channel::settle);
                }
                None => self.error = Some("-224,\"Illegal parameter value\""),
            }
            return None;
        }
        if is("POWer") {
            match rest
                .parse::<f64>()
                .ok()
                .filter(|it| (0.0..=3000.0).contains(it))
            {
                Some(watts) => self.load_w = watts,
                None => self.error = Some("-222,\"Data out of range\""),
            }
            return None;
        }
        let quantity = match () {
            () if is("MEASure:VOLTage?") => 0,
            () if is("MEASure:CURRent?") => 1,
            () => {
                self.error = Some("-113,\"Undefined header\"");
                return None;
            }
        };
        let side = match scpi::channel(rest) {
            Some(1) => 0,
            Some(2) => 1,
            _ => {
                self.error = Some("-222,\"Data out of range\"");
                return Some(OVERLOAD.into());
            }
        };
        let Some(flow) = self.flow() else {
            return Some(OVERLOAD.into());
        };
        let value = if quantity == 0 {
            flow.volts[side]
        } else {
            flow.amps[side]
        };
        let shown = self.channels[2 * side + quantity].read(value);
        Some(shown.map_or_else(|| OVERLOAD.into(), |it| format!("{it:.4E}")))
    }
}

/// Answers on a listener for as long as it is polled.
///
/// # Errors
/// Where the listener fails.
pub async fn serve(listener: TcpListener, bench: Bench) -> Result<()> {
    let bench = Arc::new(Mutex::new(bench));
    let ask = move |line: &str| {
        let answer = bench
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .ask(line);
        answer.map_or(Answer::Nothing, Answer::Line)
    };
    scpi::serve(listener, ask).await
}
