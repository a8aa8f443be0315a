//! A vehicle's battery with its engine running and while it is cranked, and what an engine that
//! runs on too little suffers.

use super::code::Code;
use super::fact::{Fact, Words, said};
use super::verdict::Status;
use super::words::CHECK_POLARITY;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::{Moment, cranking_volts, engine_volts};
use crate::site::plan::{AfterLoss, Feed, Plan, Port, PortVoltage};
use crate::site::sum::Term;

/// For how long the starter holds the battery down, ms (ISO 16750-2, starting profile, without its
/// first dip).
const CRANKS_MS: f64 = 1000.0;
/// Nearer than this share below the most that an input takes is tight.
const NEAR_EDGE: f64 = 0.02;

/// What hangs on the terminals of a vehicle, at the volts of its running engine and while that is
/// cranked. `end` is what it is called, its window in V, and which kind of finding is about it.
pub(super) fn engine<'a>(
    plan: &'a Plan,
    feed: &'a Feed,
    (item, port): (&'a str, &'a Port),
    (name, low, high, code): (Name<'a>, Option<f64>, Option<f64>, Code),
) -> Vec<Fact<'a>> {
    let Some(source) = plan
        .source(item)
        .filter(|_| matches!(port.voltage, PortVoltage::Follows { .. }))
    else {
        return Vec::new();
    };
    let mut list = Vec::new();
    let from = Name(&source.label);
    if let Some((volts, most)) = engine_volts(source).zip(high) {
        let status = match () {
            () if volts > most * (1.0 + 1e-9) => Status::Trips,
            () if volts > most * (1.0 - NEAR_EDGE) => Status::Tight,
            () => Status::Holds,
        };
        let (stands, takes) = (amount(volts, "V"), amount(most, "V"));
        let message = match status {
            Status::Trips => said!(
                "May destroy {name}: {from} stands at {stands} with its engine running, and it \
                takes {takes} at most. Put a regulator between them."
            ),
            Status::Tight => {
                said!(
                    "Tight: {name} gets {stands} from {from} with its engine running; it takes \
                    {takes} at most."
                )
            }
            _ => said!(
                "Holds: {name} gets {stands} from {from} with its engine running; it takes {takes}."
            ),
        };
        let caution = (status == Status::Trips).then_some(CHECK_POLARITY);
        list.push(fact(
            feed,
            code,
            status,
            (volts, most),
            message,
            said!("{name} with the engine of {from} running"),
            caution,
            Moment::EngineRunning,
        ));
    }
    if let Some((volts, least)) = cranking_volts(source).zip(low.filter(|it| *it > 0.0)) {
        let device = plan.device(feed.to.item.as_str());
        let rides = device
            .and_then(|it| it.ride_through_ms.as_ref())
            .is_some_and(|it| it.get() >= CRANKS_MS);
        let status = match () {
            () if volts >= least * (1.0 - 1e-9) => Status::Holds,
            () if rides => Status::Brief,
            () => match device.and_then(|it| it.after_loss.as_ref()) {
                Some(AfterLoss::Resumes {} | AfterLoss::Restarts { .. }) => Status::Brief,
                Some(AfterLoss::Latches {}) => Status::Trips,
                None => Status::Unproven,
            },
        };
        let (stands, needs) = (amount(volts, "V"), amount(least, "V"));
        let message = match status {
            Status::Holds => {
                said!(
                    "Holds: {name} needs {needs}, and {from} keeps {stands} while its engine is \
                    cranked."
                )
            }
            Status::Brief if rides => said!(
                "Brief: {from} falls to {stands} for a second while its engine is cranked, under \
                the {needs} of {name}, which rides through that."
            ),
            Status::Brief => said!(
                "Brief: {from} falls to {stands} for a second while its engine is cranked; {name} \
                needs {needs}, resets, and comes back by itself."
            ),
            Status::Trips => said!(
                "Latches: {from} falls to {stands} for a second while its engine is cranked; \
                {name} needs {needs}, and stays off until someone acts. Unplug it before, or give \
                it a battery of its own."
            ),
            _ => said!(
                "Not tried: {from} falls to {stands} for a second while its engine is cranked; \
                {name} needs {needs}, and nobody stated what it does after that."
            ),
        };
        list.push(fact(
            feed,
            code,
            status,
            (volts, least),
            message,
            said!("{name} while {from} is cranked"),
            None,
            Moment::Cranking,
        ));
    }
    list
}

#[expect(clippy::too_many_arguments, reason = "the parts of one finding")]
fn fact<'a>(
    feed: &'a Feed,
    code: Code,
    status: Status,
    (value, limit): (f64, f64),
    message: Words<'a>,
    brief: Words<'a>,
    caution: Option<&'static str>,
    moment: Moment,
) -> Fact<'a> {
    Fact {
        code,
        place: feed.to.name(),
        status,
        value,
        limit,
        unit: "V",
        message,
        brief,
        rule: "volts of a vehicle with its engine running against the most, and while it is \
            cranked against the least, that the input takes",
        formula: "t1",
        terms: vec![Term::computed("volts at the terminals", value, "V")],
        caution,
        moment,
        unstated: None,
    }
}

/// A diesel set that runs on less than this share of its rating soots up.
pub(super) const LEAST_SHARE: f64 = 0.3;

/// The least that a diesel set should carry, W; none for one that burns something else or states no
/// rating.
pub(super) fn least_w(source: &crate::site::plan::Source, port: &Port) -> Option<f64> {
    let diesel = source.engine.as_ref()?.fuel == Some(crate::site::plan::source::Fuel::Diesel);
    let rated = port.limit.as_ref()?.continuous_w.as_ref().map(Figure::get);
    rated.filter(|_| diesel).map(|it| it * LEAST_SHARE)
}
