//! A panel against its label: its open-circuit voltage at 25 °C, and what it would give in full
//! sun.
//!
//! Voltage is brought to 25 °C by the panel's own coefficient, power to 1000 W/m² in proportion and
//! to 25 °C by 0.4 % per kelvin, which is usual for crystalline silicon (the conditions are those
//! of IEC 60904-3).

use super::super::case::{Case, mean, odd_rows};
use super::super::guide::{Guide, Target, columns, meter, step};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot, Question, Told};
use super::super::protocol::Protocol;
use crate::ground::say::{Amount, percent};

/// Change of power per kelvin, as a share.
const PER_K: f64 = -0.004;
/// In less sun than this the numbers say little, W/m².
const DIM: f64 = 400.0;

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Panel,
        title: "Panel against its label",
        answers: "What a panel really gives, and whether its open voltage stays under what the \
            input takes on a cold morning.",
        subjects: &[Target::Panel],
        needs: &[
            "a voltmeter and an ammeter",
            "a thermometer on its back",
            "a meter for the sun, or a clear noon: about 1000 W/m² facing it",
        ],
        minutes: 20,
        cautions: &[
            "A panel in the sun is live and cannot be switched off: cover it before leads are \
            changed.",
            "Above 60 V it can hurt. Nobody works on a roof alone.",
        ],
        disconnect: "The charging input, for the open voltage.",
        meters: vec![meter("A", "in", true), meter("V", "in", false)],
        steps: vec![
            step("Turn it to face the sun. Nothing may shade even a corner of it."),
            step("Read the open voltage, with nothing connected."),
            step(
                "Connect a load or the charging input while the store is low, and read volts and \
                amperes.",
            ),
            step(
                "Read the temperature of its back and the sun: all five make one row. Three rows \
                over an hour.",
            ),
        ],
        invalid: &[
            "A full store takes less than the panel gives.",
            "Clouds between the readings.",
            "Dirt or shade on it.",
        ],
        stop: "A connector is warm or crackles: cover the panel, never pull it under load.",
        readings: columns(&[
            ("open", "V", 1),
            ("volts", "V", 1),
            ("amperes", "A", 2),
            ("its back", "°C", 0),
            ("sun", "W/m²", 0),
        ]),
        file: None,
    }
}

pub(super) fn judge(case: &Case<'_>) -> Outcome {
    let rows = case.rows(5);
    let rows: Vec<_> = rows.into_iter().filter(|it| it.1[4].value > 0.0).collect();
    if rows.is_empty() {
        return Outcome::says(
            "Read open volts, volts and amperes under load, the temperature of its back, and the \
            sun.",
        );
    }
    let coefficient = &case.element.body["panel"]["open_v_per_k"];
    let per_k = coefficient
        .as_f64()
        .or_else(|| coefficient["value"].as_f64())
        .unwrap_or(-0.003);
    // To 25 °C, with what the thermometer may be off.
    let warm = |celsius: Known, per_k: f64| Known {
        value: 1.0 + per_k * (celsius.value - 25.0),
        plus_minus: (per_k * celsius.plus_minus).abs(),
    };
    let open: Vec<(usize, Known)> = rows
        .iter()
        .map(|(row, it)| (*row, it[0].over(warm(it[3], per_k))))
        .collect();
    let power = |it: &Vec<Known>| {
        it[1]
            .times(it[2])
            .over(it[4])
            .over(warm(it[3], PER_K))
            .scaled(1000.0)
    };
    let full: Vec<(usize, Known)> = rows.iter().map(|(row, it)| (*row, power(it))).collect();
    let only = |of: &[(usize, Known)]| mean(&of.iter().map(|it| it.1).collect::<Vec<_>>());
    let (open_v, watts) = (only(&open), only(&full));
    let mut questions = odd_rows(&open, "V");
    questions.extend(odd_rows(&full, "W"));
    questions.extend(rows.iter().filter(|it| it.1[4].value < DIM).map(|it| {
        Question {
            row: it.0,
            sentence: format!(
                "{} is little sun for this: wait for a clear hour",
                Amount(it.1[4].value, "W/m²")
            )
            .into(),
        }
    }));
    let limit = &case.element.body["ports"][0]["limit"]["continuous_w"];
    let label = limit.as_f64().or_else(|| limit["value"].as_f64());
    let sentence = format!(
        "{} open at 25 °C; {} in full sun{}.",
        open_v.words("V"),
        watts.words("W"),
        label.map_or_else(String::new, |it| format!(
            ", {} of its {}",
            percent(watts.value / it),
            Amount(it, "W")
        ))
    );
    let mut figures = vec![case.given("open at 25 °C", "V", "/panel/open_v", open_v)];
    if label.is_some() {
        figures.push(case.given("in full sun", "W", "/ports/0/limit/continuous_w", watts));
    }
    let points = rows
        .iter()
        .zip(&full)
        .map(|(it, full)| (it.0, it.1[4], full.1));
    Outcome {
        figures,
        told: vec![Told::of("in full sun at 25 °C", "W", watts)],
        questions,
        plot: Some(Plot::of(("sun", "W/m²"), ("in full sun", "W")).with(points)),
        ..Outcome::says(sentence)
    }
}
