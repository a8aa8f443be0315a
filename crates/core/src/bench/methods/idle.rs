//! Idle draw: volts times amperes at the input with nothing on the output, averaged.

use super::super::case::{Case, full_wh, mean, odd_rows};
use super::super::guide::{BATTERY, Guide, MAINS, Target, columns, meter, step, wait};
use super::super::meter::Known;
use super::super::outcome::{Outcome, Plot};
use super::super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::ground::say::{Amount, percent};

pub(super) fn guide() -> Guide {
    Guide {
        protocol: Protocol::Idle,
        title: "Idle draw",
        answers: "What a converter draws for nothing but being on. Labels leave it out, and over a \
            day it is often more than what it feeds.",
        subjects: &[Target::Converter, Target::Port],
        needs: &[
            "a voltmeter",
            "an ammeter, or a clamp for direct current that resolves 10 mA",
        ],
        minutes: 10,
        cautions: &[BATTERY, MAINS],
        disconnect: "Everything on its output, and everything else on the same store that charges \
            or switches by itself.",
        meters: vec![meter("A", "in", true), meter("V", "in", false)],
        steps: vec![
            step("Switch it on with nothing on its output."),
            wait("Let it settle.", 120),
            step("Read volts and amperes at its input, and write both down as one row."),
            wait("Wait, and read again; three rows or more.", 20),
        ],
        invalid: &[
            "Something still hangs on the output.",
            "It goes to sleep by itself: wake it, and read within its delay.",
        ],
        stop: "Smoke, a smell, a whine that rises, or a case too hot to touch: switch off at once.",
        readings: columns(&[("volts in", "V", 2), ("amperes in", "A", 3)]),
        file: None,
    }
}

/// What an idle draw takes of the store in a day, in words: of its own source, or of what feeds the
/// converter.
pub(super) fn share_of_store(case: &Case<'_>, watts: f64) -> String {
    let id = case.test.of.id.as_str();
    let mut feeding = case
        .plan
        .arrangements
        .iter()
        .flat_map(|it| &it.feeds)
        .filter(|it| it.to.item.as_str() == id);
    let source = case
        .plan
        .source(id)
        .or_else(|| feeding.find_map(|it| case.plan.source(it.from.item.as_str())));
    let store = source.and_then(|it| Some((it, full_wh(it.battery.as_ref()?)?.value)));
    store
        .filter(|it| it.1 > 0.0)
        .map_or_else(String::new, |(source, wh)| {
            format!(
                ", {} of all that {} holds",
                percent(watts * 24.0 / wh),
                source.label
            )
        })
}

pub(super) fn judge(case: &Case<'_>) -> Result<Outcome, FieldError> {
    let rows = case.rows(2);
    if rows.is_empty() {
        return Ok(Outcome::says(
            "Read volts and amperes at the input, with nothing on the output, three times over a \
            minute.",
        ));
    }
    let watts: Vec<(usize, Known)> = rows
        .iter()
        .map(|(place, it)| (*place, it[0].times(it[1])))
        .collect();
    let only: Vec<Known> = watts.iter().map(|it| it.1).collect();
    let found = mean(&only);
    if found.value < 0.0 {
        return Err(FieldError::of(
            "rows",
            "the power comes out below zero; turn the ammeter's leads round, or drop the sign"
                .into(),
        ));
    }
    let points = watts
        .iter()
        .enumerate()
        .map(|(n, (row, y))| (*row, Known::sure((n + 1) as f64), *y));
    let share = share_of_store(case, found.value);
    Ok(Outcome {
        sentence: format!(
            "Idle {}: {} a day{share}.",
            found.words("W"),
            Amount(found.value * 24.0, "Wh")
        )
        .into(),
        figures: vec![case.given("idle draw", "W", "/loss/idle_w", found)],
        questions: odd_rows(&watts, "W"),
        plot: Some(Plot::of(("row", ""), ("in", "W")).with(points)),
        ..Outcome::says("")
    })
}
