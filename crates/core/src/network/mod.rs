//! The steady state of an arrangement at one moment: what would flow, unclipped by limits.
//!
//! # Layout
//! - `load`: what an item draws at a voltage
//! - `moment`: which phase each device is in
//! - `build`: an arrangement compiled into flat arrays; `solve`: its state
//! - `law`: what is lost; `shares`, `budgets`: what is divided among what takes what it gets;
//!   `casing`: how warm converters get with it
//! - `gates`: switches that are on only at times; `standby`: what they draw while they are shut
//! - `reading`: single values of it; `sums`: sums over it; `switching`: parts of it off; `result`:
//!   the state as named values; `collapse`: what a lead that breaks off would need; `filling`: the
//!   voltage of a store while it is charged

mod budgets;
mod build;
mod casing;
mod collapse;
mod filling;
mod gates;
mod law;
mod load;
mod moment;
mod reading;
mod result;
mod shares;
mod solve;
mod standby;
mod sums;
mod switching;

pub use crate::ground::quantity::gauge_area;
pub use crate::site::plan::fed;
pub(crate) use budgets::{ALTERNATOR, HEAT};
pub use build::Network;
pub(crate) use build::{Binds, Takes, on_stepped_wave};
pub(crate) use casing::Casing;
pub use collapse::Collapse;
pub(crate) use filling::{ChargingVolts, charging_volts, coldest, cranking_volts, engine_volts};
pub(crate) use gates::{Gate, Gates, Switched};
pub use law::Law;
pub use load::Load;
pub use moment::{Moment, average, moments, phase_load};
pub use reading::Reading;
pub use result::{
    ConverterFlow, DeviceFlow, Evaluation, FeedFlow, InputFlow, JunctionFlow, PortFlow, SourceFlow,
    Totals, evaluate, named_charge,
};
pub(crate) use shares::Leaf;
pub use solve::Solver;
pub(crate) use standby::Standby;
pub(crate) use switching::Behind;

use crate::site::plan::Plan;
use std::collections::BTreeMap;

/// State of charge by source, 0 to 1; sources that are not named are full.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Charge {
    by_source: BTreeMap<String, f64>,
    default: Option<f64>,
}

impl Charge {
    /// Every source full.
    pub fn full() -> Self {
        Self::default()
    }

    /// Every source at the same charge, 0 to 1 (clamped).
    pub fn uniform(soc: f64) -> Self {
        Self {
            by_source: BTreeMap::new(),
            default: Some(soc.clamp(0.0, 1.0)),
        }
    }

    /// Every source at its floor.
    pub fn floor(plan: &Plan) -> Self {
        let floors = plan
            .kit
            .sources
            .iter()
            .filter_map(|it| Some((it.id.to_string(), it.battery.as_ref()?.floor())));
        Self {
            by_source: floors.collect(),
            default: None,
        }
    }

    /// This charge with one source at another, 0 to 1 (clamped).
    #[must_use]
    pub fn with(mut self, source: &str, soc: f64) -> Self {
        self.by_source
            .insert(source.to_owned(), soc.clamp(0.0, 1.0));
        self
    }

    /// The state of charge of a source, 0 to 1.
    pub fn of(&self, source: &str) -> f64 {
        self.by_source
            .get(source)
            .copied()
            .or(self.default)
            .unwrap_or(1.0)
    }
}

impl Network {
    /// Open-circuit voltage of each source in use, V; 0 for one without cells.
    pub fn open_volts(&self, charge: &Charge) -> Vec<f64> {
        let of = |source: &build::Store| {
            source.cells.as_ref().map_or(0.0, |it| {
                it.chemistry.cell_v(charge.of(&source.id)) * it.count
            })
        };
        self.sources.iter().map(of).collect()
    }

    /// The network with every store that can be filled at its charging voltage, whatever is drawn,
    /// and the voltages of all sources, V.
    pub(crate) fn charging(&self, plan: &Plan, charge: &Charge) -> (Self, Vec<f64>) {
        let (mut network, mut volts) = (self.clone(), self.open_volts(charge));
        for (source, volts) in network.sources.iter_mut().zip(&mut volts) {
            let filled = plan
                .source(&source.id)
                .and_then(|it| charging_volts(plan, it));
            if let (Some(cells), Some(filled)) = (&mut source.cells, filled) {
                *volts = filled.volts;
                cells.internal_ohm = 0.0;
            }
        }
        (network, volts)
    }

    /// The network with every vehicle whose engine runs, or is cranked, at the volts that it has
    /// then, and the voltages of all sources, V.
    pub(crate) fn with_engines(
        &self,
        plan: &Plan,
        charge: &Charge,
        of: impl Fn(&crate::site::plan::Source) -> Option<f64>,
    ) -> (Self, Vec<f64>) {
        let (mut network, mut volts) = (self.clone(), self.open_volts(charge));
        for (source, volts) in network.sources.iter_mut().zip(&mut volts) {
            if let (Some(cells), Some(held)) =
                (&mut source.cells, plan.source(&source.id).and_then(&of))
            {
                *volts = held;
                cells.internal_ohm = 0.0;
            }
        }
        (network, volts)
    }

    /// The place of a source in [`Solver::source`], where it is in use.
    pub fn source_index(&self, id: &str) -> Option<usize> {
        self.sources.iter().position(|it| it.id == id)
    }
}
