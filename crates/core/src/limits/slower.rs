//! What is filled more slowly than it could be, because what it hangs on divides what it gives.

use super::code::Code;
use super::fact::{Fact, Words, said};
use super::study::Study;
use super::verdict::Status;
use crate::ground::say::{Name, amount};
use crate::network::{Charge, Leaf, Moment, Solver};
use crate::site::plan::Plan;
use crate::site::sum::Term;

/// Less than this share less is not told.
const SEEN: f64 = 1e-3;

/// One verdict for each device and charging input that gets less than it wants while everything is
/// busy.
pub(super) fn slower<'a>(study: &'a Study<'_>) -> Vec<Fact<'a>> {
    let (plan, arrangement, network) = (study.plan, study.way, study.network());
    if !network.has_budgets() {
        return Vec::new();
    }
    let moment = Moment::Busy;
    let loads = moment.loads(plan, arrangement, network);
    let mut solver = Solver::new(network);
    solver.solve(&loads, &network.open_volts(&Charge::full()));
    let told = solver
        .yielding()
        .into_iter()
        .filter(|it| it.gets_w < it.wants_w * (1.0 - SEEN));
    told.map(|it| {
        let place = match it.leaf {
            Leaf::Device(device) => network.device_id(device).to_owned(),
            Leaf::Input(node) => {
                let feed = network.feeds().find(|feed| feed.0 == node).map(|it| it.1);
                feed.map_or_else(String::new, |feed| arrangement.feeds[feed].to.name())
            }
        };
        let item = place.split('/').next().unwrap_or_default();
        let name = Name(plan.label(item)).to_string();
        let (called_too, from) = (name.clone(), called(plan, &it.place));
        let (gets, wants) = (amount(it.gets_w, "W"), amount(it.wants_w, "W"));
        Fact {
            code: Code::Slower,
            place: place.clone(),
            status: Status::Tight,
            value: it.gets_w,
            limit: it.wants_w,
            unit: "W",
            message: said!(
                "Slower: {name} gets {gets} of the {wants} that it would take: {from} gives no \
                more, and divides what it gives."
            ),
            brief: said!("{called_too} fills slower, {gets} of {wants}"),
            rule: "what cannot yield first, then equal shares up to what each one wants",
            formula: "t1",
            terms: vec![Term::computed("what it gets", it.gets_w, "W")],
            caution: None,
            moment: moment.clone(),
            unstated: None,
        }
    })
    .collect()
}

/// `item/port` or `item/group` by what it is called.
fn called(plan: &Plan, place: &str) -> String {
    let (item, part) = place.split_once('/').unwrap_or((place, ""));
    let ports = plan
        .source(item)
        .map(|it| &it.ports)
        .or_else(|| plan.converter(item).map(|it| &it.outputs));
    let label = ports
        .and_then(|it| {
            it.iter()
                .find(|it| it.id.as_str() == part)?
                .label
                .as_deref()
        })
        .unwrap_or(part);
    format!("{}, {}", Name(plan.label(item)), Name(label))
}
