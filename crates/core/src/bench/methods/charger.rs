//! Float and charge voltages of a charger, against what the battery's chemistry stands.
//!
//! Windows per cell as they are usual for the chemistry; the battery's maker has the last word.
//! Lead falls by 4 mV per cell and kelvin above 25 °C while charging, and by 3 mV on float (IEC
//! 60896 practice).

use super::super::case::Case;
use super::super::guide::{BATTERY, Guide, MAINS, Target, columns, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot, Question};
use super::super::protocol::Protocol;
use crate::ground::figure::Figure;
use crate::ground::json::FieldError;
use crate::ground::say::{Amount, amount};
use crate::limits::{Code, Finding, Status, findings};
use crate::network::Moment;
use crate::site::chemistry;
use crate::site::plan::{Battery, Source};

/// Of what is in danger so much is said.
const MOST_SAID: usize = 3;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Charger,
        title: "Float and charge voltages",
        answers: "Whether a charger and a battery fit: too low never fills it, too high wears it \
            out, and an equalising step harms lithium.",
        subjects: &[Target::Charger],
        needs: &[
            "a voltmeter at the battery's own terminals",
            "a thermometer",
            "some hours, for the charger to go through its steps",
        ],
        minutes: 20,
        cautions: &[
            BATTERY,
            MAINS,
            "Charging lead gives off gas that burns: air, and no spark.",
        ],
        disconnect: "Every load on the battery.",
        meters: vec![meter("V", "out", false)],
        steps: vec![
            step("Start with the battery at about half."),
            step(
                "Read the volts at its terminals when they no longer rise, while it still charges.",
            ),
            wait("Let it go over to float.", 3600),
            step(
                "Read the volts on float, the highest of an equalising step if it makes one (else \
                0), and the battery's temperature.",
            ),
        ],
        invalid: &[
            "Read at the charger instead of the battery: the lead loses some.",
            "A load that draws the voltage down.",
        ],
        stop: "The battery swells, smells, or gets warm.",
        readings: columns(&[
            ("charging", "V", 2),
            ("on float", "V", 2),
            ("equalising, 0 for none", "V", 2),
            ("battery", "°C", 0),
        ]),
        file: None,
    }
}

/// The source that the charger charges in any arrangement.
fn charged<'a>(case: &Case<'a>) -> Option<(&'a Source, &'a Battery)> {
    let feeds = case.plan.arrangements.iter().flat_map(|it| &it.feeds);
    let mut from =
        feeds.filter(|it| it.from.item.as_str() == case.test.of.id && it.to.input.is_some());
    from.find_map(|it| {
        let source = case.plan.source(it.to.item.as_str())?;
        Some((source, source.battery.as_ref()?))
    })
}

/// What hangs on the store and does not stand what was read: the plan with these volts in it,
/// judged by every finding.
fn in_danger(case: &Case<'_>, store: &Source, charge: Known, equalise: Known) -> Vec<String> {
    let mut plan = case.plan.clone();
    let Some(it) = plan
        .kit
        .converters
        .iter_mut()
        .find(|it| it.id.as_str() == case.test.of.id)
    else {
        return Vec::new();
    };
    it.charge_v = Some(Figure::assumed(charge.value));
    it.equalise_v = (equalise.value > charge.value).then(|| Figure::assumed(equalise.value));
    let is_one = |it: &Finding| {
        it.status == Status::Trips
            && it.moment == Moment::Charging.to_string()
            && matches!(it.code, Code::DeviceVoltage | Code::ConverterVoltage)
    };
    let mut said: Vec<String> = Vec::new();
    for way in &plan.arrangements {
        // What is charged elsewhere is charged by something else.
        let hangs = |it: &Finding| {
            way.chain(&it.place)
                .last()
                .is_some_and(|first| way.feeds[*first].from.item == store.id)
        };
        for it in findings(&plan, way)
            .into_iter()
            .filter(|it| is_one(it) && hangs(it))
        {
            let brief = it.message.plain().trim_end_matches('.').to_owned();
            if said.len() < MOST_SAID && !said.contains(&brief) {
                said.push(brief);
            }
        }
    }
    said
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let rows = case.rows(4);
    let Some((_, read)) = rows.last() else {
        return Ok(Outcome::says(
            "Read the volts while charging, on float and when equalising (else 0), and the \
            battery's temperature.",
        ));
    };
    let (charge, float, equalise, celsius) = (read[0], read[1], read[2], read[3].value);
    let stated = case
        .plan
        .converter(&case.test.of.id)
        .is_some_and(|it| it.charge_v.is_some());
    let place = if stated {
        "/charge_v"
    } else {
        "/outputs/0/voltage/regulated_v"
    };
    let mut figures = vec![case.given("charges at", "V", place, charge)];
    if float.value > 0.0 && float.value <= charge.value {
        figures.push(case.given("keeps full at", "V", "/float_v", float));
    }
    if equalise.value > charge.value {
        figures.push(case.given("equalises at", "V", "/equalise_v", equalise));
    }
    let plot = Plot::of(("row", ""), ("while charging", "V")).with(
        rows.iter()
            .enumerate()
            .map(|(n, it)| (it.0, Known::sure((n + 1) as f64), it.1[0])),
    );
    let Some((source, battery)) = charged(case) else {
        let sentence = format!(
            "Charges at {}, floats at {}. No arrangement says which battery it charges: connect \
            it, to have them judged.",
            Amount(charge.value, "V"),
            Amount(float.value, "V")
        );
        return Ok(Outcome {
            figures,
            plot: Some(plot),
            ..Outcome::says(sentence)
        });
    };
    let (Some(cell), Some(cells)) = (
        chemistry::bears(&battery.chemistry),
        battery.cells.as_ref().map(|it| it.get()),
    ) else {
        return Err(FieldError::of(
            "of",
            format!(
                "charges \"{}\", which does not state its cells in series; enter them first",
                source.id
            ),
        ));
    };
    let window = |of: (f64, f64), per_k: f64| {
        let shift = per_k * (celsius - 25.0);
        ((of.0 + shift) * cells, (of.1 + shift) * cells)
    };
    let verdict =
        |what: &str, read: Known, (low, high): (f64, f64), too_low: &str, too_high: &str| {
            let word = match read.value {
                it if it > high + read.plus_minus => format!("too high: {too_high}"),
                it if it < low - read.plus_minus => format!("too low: {too_low}"),
                _ => "right".into(),
            };
            format!(
                "{what} {} is {word} ({} to {})",
                amount(read.value, "V"),
                amount(low, "V"),
                amount(high, "V")
            )
        };
    let mut said = vec![
        verdict(
            "Charging at",
            charge,
            window(cell.charge, cell.charge_per_k),
            "it never gets full",
            "it wears out, and may be harmed",
        ),
        verdict(
            "float at",
            float,
            window(cell.float, cell.float_per_k),
            "it runs down while it waits",
            "it wears out while it waits",
        ),
    ];
    if equalise.value > 0.0 {
        said.push(match cell.equalise {
            None => format!(
                "equalising at {} is refused: this chemistry does not stand it, switch it off",
                amount(equalise.value, "V")
            ),
            Some(most) if equalise.value > most * cells => {
                format!(
                    "equalising at {} is too high ({} at most)",
                    amount(equalise.value, "V"),
                    amount(most * cells, "V")
                )
            }
            Some(_) => format!(
                "equalising at {} is allowed, with air and under watch",
                amount(equalise.value, "V")
            ),
        });
    }
    said.extend(in_danger(case, source, charge, equalise));
    let questions = (rows.len() > 1).then(|| Question {
        row: rows[0].0,
        sentence: "the last row counts".into(),
    });
    Ok(Outcome {
        figures,
        questions: questions.into_iter().collect(),
        plot: Some(plot),
        ..Outcome::says(format!(
            "{} for {}. The battery's maker has the last word.",
            said.join("; "),
            source.label
        ))
    })
}
