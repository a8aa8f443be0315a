//! Voltage at the far end of a lead: its whole resistance, and what of it the contacts have.

use super::super::case::{Case, mean};
use super::super::guide::{BATTERY, Guide, Target, columns, meter, step};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot};
use super::super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::amount;
use crate::site::plan::Material;
use crate::site::wire::{area, conductor_ohms};

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::FarEnd,
        title: "Voltage at the far end, at the busiest moment",
        answers: "What a lead really loses, and how much of it is in its contacts, which no table \
            knows.",
        subjects: &[Target::Lead],
        needs: &[
            "a voltmeter with long leads, or two of one kind",
            "an ammeter or a clamp",
        ],
        minutes: 10,
        cautions: &[BATTERY],
        disconnect: "Nothing: it is measured as it runs. What else hangs on the same lead is \
            switched off.",
        meters: vec![
            meter("V", "near", false),
            meter("A", "near", true),
            meter("V", "far", false),
        ],
        steps: vec![
            step("Have the device at its busiest: starting, heating, infra-red on."),
            step(
                "Read volts at the near end, volts at the far end, and the amperes, as quickly as \
                can be.",
            ),
            step("Do so three times; with two meters, swap them once, and see whether they agree."),
        ],
        invalid: &[
            "The load changes between the readings.",
            "Two meters that do not agree on one and the same point.",
        ],
        stop: "A plug or a splice is too hot to touch: switch off, and mend it first.",
        readings: columns(&[
            ("volts at the near end", "V", 2),
            ("volts at the far end", "V", 2),
            ("amperes", "A", 2),
        ]),
        file: None,
    }
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let Some(feed) = case.plan.arrangement(&case.test.of.id).and_then(|way| {
        way.feeds
            .iter()
            .find(|it| Some(it.to.to_string()) == case.test.of.part)
    }) else {
        return Err(FieldError::of(
            "of",
            "names no lead; give an arrangement, and in part what the lead leads to".into(),
        ));
    };
    let rows = case.rows(3);
    let rows: Vec<_> = rows
        .into_iter()
        .filter(|it| it.1[2].value.abs() > 1e-6)
        .collect();
    if rows.is_empty() {
        return Ok(Outcome::says(
            "Read volts at both ends and the amperes while the device is at its busiest.",
        ));
    }
    let ohms: Vec<Known> = rows
        .iter()
        .map(|it| it.1[0].minus(it.1[1]).over(it.1[2]))
        .collect();
    let whole = mean(&ohms);
    let cable = feed.cable.as_ref();
    let metal = cable.and_then(|it| it.material).unwrap_or(Material::Copper);
    let length = cable.map_or(0.0, |it| it.length_m.get());
    let conductors = cable.and_then(area).map_or(0.0, |it| {
        conductor_ohms(metal, length, it.0, case.plan.site.ambient()).0
    });
    let contacts = Known {
        value: (whole.value - conductors).max(0.0),
        ..whole
    };
    let points = rows
        .iter()
        .map(|it| (it.0, it.1[2], it.1[0].minus(it.1[1])));
    let mut sentence = format!(
        "The lead has {}; its conductors make {}, its contacts {}.",
        whole.words("Ω"),
        amount(conductors, "Ω"),
        amount(contacts.value, "Ω")
    );
    if whole.value + whole.plus_minus < conductors {
        sentence += " It is less than its conductors alone would have: look whether it is as long \
            and as thin as stated.";
    }
    Ok(Outcome {
        sentence: sentence.into(),
        figures: vec![case.given("contacts", "Ω", "/cable/contact_ohm", contacts)],
        plot: Some(Plot::of(("through the lead", "A"), ("lost", "V")).with(points)),
        ..Outcome::says("")
    })
}
