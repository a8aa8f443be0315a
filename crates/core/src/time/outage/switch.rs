//! The moment of the switch and of the return, in milliseconds.
//!
//! The gap at a device is its source's transfer time, shortened by the hold-up of every stage
//! between: hold-up ms × at_w over the watts that it carries, twice the stated at most. None for a
//! source that is always between (online, float).

use super::setting::{Run, Setting};
use crate::ground::figure::Figure;
use crate::network::{Reading, Solver};
use crate::site::plan::source::LineMode;

/// What a device sees at the switch or at the return.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Gap {
    /// By its place.
    pub(super) device: usize,
    /// How long the source gives nothing, ms.
    pub(super) transfer_ms: f64,
    /// How long the stages between carry it, ms.
    pub(super) held_ms: f64,
    /// What is left, ms.
    pub(super) ms: f64,
    /// Whether a person plugs it over.
    pub(super) by_hand: bool,
    /// Whether nobody said how long the transfer takes.
    pub(super) unknown: bool,
}

impl Gap {
    /// Whether nobody said enough to tell whether a device rides through it.
    pub(super) fn is_unsaid(&self, run: &Run<'_>) -> bool {
        let unsaid = run.device.ride_through_ms.is_none() && run.after.is_none();
        !self.by_hand && (self.unknown || unsaid && self.ms > 0.0)
    }

    /// Whether a device does not ride through it, as far as anybody said. A person who plugs it
    /// over is no gap of this kind, and where nobody said anything of the device nothing is made
    /// up: the answer tells that it is not known.
    pub(super) fn is_felt(&self, run: &Run<'_>) -> bool {
        let survives = run.device.ride_through_ms.as_ref().map(Figure::get);
        let unsaid = survives.is_none() && run.after.is_none();
        !self.by_hand && !self.unknown && !unsaid && self.ms > survives.unwrap_or(0.0)
    }
}

/// The gap at every device that has one, at the going of the mains or at its return; the solver
/// stands at what runs.
pub(super) fn gaps(setting: &Setting<'_>, solver: &Solver<'_>, going: bool) -> Vec<Gap> {
    let network = &setting.network;
    let mut found = Vec::new();
    for (device, run) in setting.devices.iter().enumerate() {
        let (mut at, mut held_ms, mut hand_ms) = (run.node, 0.0, None::<f64>);
        let source = loop {
            let feed = network.feeds().nth(at).map_or(0, |it| it.1);
            if let Some(minutes) = &setting.way.feeds[feed].hand_switchover_minutes {
                hand_ms = Some(hand_ms.unwrap_or(0.0).max(minutes.get() * 60_000.0));
            }
            let port = network.port_of(at);
            let Some(stage) = network.port_converter(port) else {
                break network.port_source(port);
            };
            at = setting.stages[stage].node;
            let converter = setting.plan.converter(&setting.stages[stage].id);
            if let Some(hold_up) = converter.and_then(|it| it.hold_up.as_ref()) {
                let out = solver.read(Reading::StageOut(at)).unwrap_or(0.0);
                let times = if out > 0.0 {
                    (hold_up.at_w.get() / out).min(2.0)
                } else {
                    2.0
                };
                held_ms += hold_up.ms.get() * times;
            }
        };
        let line = source.and_then(|it| setting.origins[it].source.line.as_ref());
        let automatic = line.map(|it| match it.mode {
            LineMode::Online | LineMode::Float => Some(0.0),
            LineMode::Standby | LineMode::LineInteractive => {
                let ms = if going {
                    &it.transfer_ms
                } else {
                    &it.return_ms
                };
                ms.as_ref().map(Figure::get)
            }
        });
        let hand = hand_ms.filter(|_| going);
        let Some(transfer) = hand.map(Some).or(automatic) else {
            continue;
        };
        let transfer_ms = transfer.unwrap_or(0.0);
        let ms = (transfer_ms - held_ms).max(0.0);
        found.push(Gap {
            device,
            transfer_ms,
            held_ms,
            ms,
            by_hand: hand.is_some(),
            unknown: transfer.is_none(),
        });
    }
    found
}
