//! What changing from one arrangement to another costs, what it saves a year, and when it is paid
//! back.

use super::told::{Change, Compared, Pays};
use crate::ground::say::{Name, Sentence, amount};
use crate::site::parts::used_parts;
use crate::site::plan::{Arrangement, Plan};
use crate::time::day::put_back_share;

/// Days of a year.
const YEAR: f64 = 365.25;

/// The change from each arrangement to each other one that draws less, in the order asked.
pub(super) fn changes(plan: &Plan, ways: &[&Arrangement], told: &[Compared]) -> Vec<Change> {
    let mut list = Vec::new();
    for (index, one) in told.iter().enumerate() {
        for (place, other) in told.iter().enumerate().skip(index + 1) {
            let (from, to) = if one.usage.drawn_wh >= other.usage.drawn_wh {
                (index, place)
            } else {
                (place, index)
            };
            list.push(change(
                plan,
                (ways[from], &told[from]),
                (ways[to], &told[to]),
            ));
        }
    }
    list
}

fn change(plan: &Plan, from: (&Arrangement, &Compared), to: (&Arrangement, &Compared)) -> Change {
    let has = used_parts(plan, from.0);
    let bought: Vec<_> = used_parts(plan, to.0)
        .into_iter()
        .filter(|it| !it.owned && !has.iter().any(|other| other.id == it.id))
        .collect();
    let costs = bought
        .iter()
        .map(|it| it.price)
        .sum::<Option<f64>>()
        .map(|it| it + 0.0);
    // What a store gave has to be put back, with what is lost on the way in.
    let taken = |it: &Compared| {
        let each = it
            .usage
            .sources
            .iter()
            .map(|(id, wh)| wh / plan.source(id).map_or(1.0, put_back_share));
        each.sum::<f64>() * 24.0 / it.usage.hours.max(f64::MIN_POSITIVE)
    };
    let saves_wh_day = taken(from.1) - taken(to.1);
    let per_kwh = plan.site.energy_price.as_ref().map(|it| it.per_kwh.get());
    let saves_a_year = per_kwh.map(|it| it * saves_wh_day * YEAR / 1000.0);
    let (pays, pays_back_years) = match (costs, saves_a_year) {
        (_, Some(saves)) if saves <= 0.0 => (Pays::Never, None),
        (Some(costs), Some(saves)) if costs > 0.0 => (Pays::Back, Some(costs / saves)),
        (Some(_), Some(_)) => (Pays::AtOnce, Some(0.0)),
        _ => (Pays::Unknown, None),
    };
    let mut told = Change {
        from: from.1.id.clone(),
        to: to.1.id.clone(),
        buys: bought.iter().map(|it| it.id.to_owned()).collect(),
        costs,
        saves_wh_day,
        saves_a_year,
        pays,
        pays_back_years,
        sentence: Sentence::default(),
    };
    told.sentence = sentence(plan, &told).into();
    told
}

/// "From A to B: 400 Wh less to put back into the stores a day, 44 EUR a year at the site's price;
/// 90 EUR to buy, paid back after 2 years."
fn sentence(plan: &Plan, told: &Change) -> String {
    let currency = plan.currency();
    let saves = amount(told.saves_wh_day, "Wh");
    let way = format!(
        "From {} to {}",
        Name(plan.label(&told.from)),
        Name(plan.label(&told.to))
    );
    let year = told.saves_a_year.map_or_else(
        || "; state the price of energy in Site to see what that is worth".to_owned(),
        |it| format!(", {} a year at the site's price", amount(it, currency)),
    );
    let bought: Vec<String> = told
        .buys
        .iter()
        .map(|it| Name(plan.label(it)).to_string())
        .collect();
    let end = match (told.pays, told.pays_back_years, told.costs) {
        (Pays::Never, _, _) => return format!("{way}: saves nothing."),
        (Pays::AtOnce, _, _) => "; nothing has to be bought".to_owned(),
        (Pays::Back, Some(years), Some(costs)) if years < 1.0 => {
            format!(
                "; {} to buy, paid back after {} days",
                amount(costs, currency),
                amount((years * YEAR).ceil(), "")
            )
        }
        (Pays::Back, Some(years), Some(costs)) if years < 1.05 => {
            format!(
                "; {} to buy, paid back after a year",
                amount(costs, currency)
            )
        }
        (Pays::Back, Some(years), Some(costs)) => {
            format!(
                "; {} to buy, paid back after {} years",
                amount(costs, currency),
                amount(years, "")
            )
        }
        (_, _, None) => format!("; what {} costs is not stated", bought.join(" and ")),
        (_, _, Some(costs)) if costs > 0.0 => format!("; {} to buy", amount(costs, currency)),
        _ => String::new(),
    };
    format!("{way}: {saves} less to put back into the stores a day{year}{end}.")
}
