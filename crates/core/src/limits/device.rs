//! Whether each device keeps its voltage, and down to which charge.

use super::study::Study;
use super::verdict::Status;
use super::words;
use crate::ground::say::Sentence;
use crate::network::{Charge, Load, Reading, Solver, fed};
use crate::site::plan::{Arrangement, Device, Plan};
use serde::Serialize;

/// Whether a device keeps its voltage, and down to which charge.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct DeviceVerdict {
    /// The device.
    pub device: String,
    /// How bad it is at worst, between the given charge and the floor.
    pub status: Status,
    /// Lowest voltage at its input between the given charge and the floor, V.
    pub lowest_v: f64,
    /// The moment of the lowest voltage.
    pub lowest_at: String,
    /// Lowest charge of its source down to which it keeps its voltage at every moment, 0 to 1;
    /// none where it does so even when empty, or at no charge at all.
    pub holds_to_soc: Option<f64>,
    /// The verdict in a sentence.
    pub sentence: Sentence,
}

/// Whether each device keeps its voltage from `charge` down to the floor, in the order of the plan.
pub fn device_verdicts(
    plan: &Plan,
    arrangement: &Arrangement,
    charge: &Charge,
) -> Vec<DeviceVerdict> {
    Study::of(plan, arrangement).device_verdicts(charge)
}

impl Study<'_> {
    /// See [`device_verdicts`].
    pub(crate) fn device_verdicts(&self, charge: &Charge) -> Vec<DeviceVerdict> {
        verdicts_of(self, charge)
    }
}

fn verdicts_of(study: &Study<'_>, charge: &Charge) -> Vec<DeviceVerdict> {
    let (plan, arrangement, network) = (study.plan, study.way, study.network());
    let moments = &study.moments;
    let loads: Vec<Vec<Load>> = moments.iter().map(|it| study.loads(it)).collect();
    let mut solver = Solver::new(network);
    // The lowest and the highest voltage at some places at any moment, and at which it is lowest:
    // each moment is solved once.
    let mut spans = |charge: &Charge, nodes: &[usize]| {
        let open_v = network.open_volts(charge);
        let mut spans: Vec<(f64, f64, usize)> = vec![(f64::INFINITY, 0.0, 0); nodes.len()];
        for (index, loads) in loads.iter().enumerate() {
            solver.solve(loads, &open_v);
            for (node, span) in nodes.iter().zip(&mut spans) {
                let volts = solver.read(Reading::FarVolts(*node)).unwrap_or(0.0);
                if volts < span.0 {
                    (span.0, span.2) = (volts, index);
                }
                span.1 = span.1.max(volts);
            }
        }
        spans
    };
    let leads_to = |it: &Device| {
        network
            .feeds()
            .find(|(_, feed)| arrangement.feeds[*feed].to.item == it.id)
    };
    let devices: Vec<(&Device, usize)> = fed(plan, arrangement)
        .filter_map(|it| Some((it, leads_to(it)?.0)))
        .collect();
    let nodes: Vec<usize> = devices.iter().map(|it| it.1).collect();
    let now = spans(charge, &nodes);
    let at_floor = spans(&Charge::floor(plan), &nodes);
    let (empty, full) = (
        spans(&Charge::uniform(0.0), &nodes),
        spans(&Charge::uniform(1.0), &nodes),
    );
    let each = devices.iter().enumerate().map(|(place, (device, node))| {
        let low = device
            .input
            .min_v
            .as_ref()
            .map_or(0.0, crate::ground::figure::Figure::get);
        let high = device
            .input
            .max_v
            .as_ref()
            .map_or(f64::INFINITY, crate::ground::figure::Figure::get);
        let top = now[place].1;
        let (lowest_v, _, at) = at_floor[place];
        let (holds_empty, holds_full) = (empty[place].0 >= low, full[place].0 >= low);
        let (mut bad, mut good) = (0.0, 1.0);
        let holds_to_soc = (holds_full && !holds_empty).then(|| {
            for _ in 0..24 {
                let middle = f64::midpoint(bad, good);
                if spans(&Charge::uniform(middle), &[*node])[0].0 >= low {
                    good = middle;
                } else {
                    bad = middle;
                }
            }
            good
        });
        let status = match () {
            () if lowest_v < low || top > high => Status::Trips,
            () if lowest_v - low < 0.02 * low || high - top < 0.02 * high => Status::Tight,
            () => Status::Holds,
        };
        let lowest_at = moments[at].to_string();
        let sentence = words::device_verdict(
            (low, high),
            (lowest_v, top),
            (holds_full, holds_to_soc),
            &lowest_at,
        );
        DeviceVerdict {
            device: device.id.to_string(),
            status,
            lowest_v,
            lowest_at,
            holds_to_soc,
            sentence: sentence.into(),
        }
    });
    each.collect()
}
