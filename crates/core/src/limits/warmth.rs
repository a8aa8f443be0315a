//! How warm converters get with what runs, against what their cases bear.
//!
//! The case is that of the march too: [`crate::network::Casing`].

use super::code::Code;
use super::fact::{Fact, Words, said};
use super::study::Study;
use super::verdict::Status;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::network::{Casing, Charge, Moment, Solver};
use crate::site::plan::Plan;
use crate::site::sum::Term;

const CAUTION: &str = "A case that is too hot fails, and burns what lies on it: air on all sides, \
    nothing on top, and off at once where it smells.";

/// The warmest air that a plan knows of, °C, and the outage that it is of.
fn warmest(plan: &Plan) -> (f64, Option<&str>) {
    let site = (plan.site.ambient().0, None);
    let outages = plan
        .outages
        .iter()
        .filter_map(|it| Some((it.ambient_c.as_ref()?.get(), Some(it.label.as_str()))));
    outages.fold(
        site,
        |warmest, it| if it.0 > warmest.0 { it } else { warmest },
    )
}

/// What is to be said of the converters of an arrangement whose figures tell how warm they get.
pub(super) fn heat<'a>(study: &'a Study<'_>) -> Vec<Fact<'a>> {
    let (plan, way, network) = (study.plan, study.way, study.network());
    let used = |id: &str| way.feed_into(id).is_some();
    let told = plan.kit.converters.iter().filter(|it| {
        let says = it
            .thermal
            .as_ref()
            .is_some_and(|it| it.full_load_rise_c.is_some() && it.max_case_c.is_some());
        says && it.loss.is_some() && used(it.id.as_str())
    });
    let told: Vec<_> = told.collect();
    if told.is_empty() {
        return Vec::new();
    }
    let mut solver = Solver::new(network);
    solver.solve(
        &Moment::Running.loads(plan, way, network),
        &network.open_volts(&Charge::full()),
    );
    let (air, outage) = warmest(plan);
    // What the march and the fillings reckon with then.
    let held = |id: &str, casing: Casing| match network.heat_budget(id) {
        Some(_) => {
            format!(
                " What fills through it is reckoned with the {} that keep it so.",
                amount(casing.gives_w(), "W")
            )
        }
        None => String::new(),
    };
    let mut list = Vec::new();
    for converter in told {
        let place = (0..network.len()).find(|it| {
            network
                .converter_at(*it)
                .is_some_and(|it| network.converter_id(it) == converter.id.as_str())
        });
        let (Some(node), Some(casing)) = (place, Casing::of(converter, air)) else {
            continue;
        };
        let Some(most) = converter
            .thermal
            .as_ref()
            .and_then(|it| it.max_case_c.as_ref())
            .map(Figure::get)
        else {
            continue;
        };
        let lost = casing.lost_w(solver.watts_at(node), solver.loss_at(node));
        let rise = casing.settles_at(lost);
        let case = air + rise;
        let room = most - air;
        let status = match () {
            () if case > most => Status::Trips,
            () if rise > plan.site.tight_from() * room => Status::Tight,
            () => Status::Holds,
        };
        let name = Name(&converter.label);
        let when = outage.map_or_else(String::new, |it| format!(" in “{}”", Name(it)));
        let (rises, reaches, bears) = (amount(rise, "K"), amount(case, "°C"), amount(most, "°C"));
        let message = match status {
            Status::Trips => {
                let held = held(converter.id.as_str(), casing);
                said!(
                    "Too warm: {name} gets {rises} warmer than the air with what runs, {reaches} \
                    in the {}{when}; its case bears {bears}. Give it air, a cooler place or less \
                    to do.{held}",
                    amount(air, "°C"),
                )
            }
            Status::Tight => {
                said!(
                    "Tight: {name} reaches {reaches} with what runs{when}; its case bears {bears}. \
                    Give it air."
                )
            }
            _ => said!(
                "Holds: {name} reaches {reaches} with what runs{when}; its case bears {bears}."
            ),
        };
        let full_rise = casing.settles_at(casing.full_lost_w);
        list.push(Fact {
            code: Code::Heat,
            place: converter.id.to_string(),
            status,
            value: case,
            limit: most,
            unit: "°C",
            message,
            brief: said!(
                "{name} {}",
                if status == Status::Trips {
                    "too warm"
                } else {
                    "warm"
                }
            ),
            rule: "the warmest air and the rise at full load × what is lost now over what is lost \
                at full load, less by a fan, against what the case bears",
            formula: "t1 + t2",
            terms: vec![
                Term::computed("warmest air", air, "°C"),
                Term::computed("rise now", rise, "K"),
                Term::computed("rise at full load", full_rise, "K"),
                Term::computed("lost now", lost, "W"),
                Term::computed("lost at full load", casing.full_lost_w, "W"),
            ],
            caution: (status == Status::Trips).then_some(CAUTION),
            moment: Moment::Running,
            unstated: None,
        });
    }
    list
}
