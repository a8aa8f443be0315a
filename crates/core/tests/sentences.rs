//! Every sentence, in every habit: names come through as they are, and each amount reads back to
//! the number that it was written from, by a reader that knows nothing of how it was written.

use crate::common;

use ash_pond_core::advice::compare::compare;
use ash_pond_core::advice::needs::needs;
use ash_pond_core::advice::supply::supply;
use ash_pond_core::ground::say::{
    Amount, Area, Decimal, Habits, Length, Measured, Name, Piece, Sentence, Temperature, has_mark,
};
use ash_pond_core::limits::findings;
use ash_pond_core::network::{Charge, moments};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::answer;
use ash_pond_core::time::outage::{starts, tell};
use common::{read, site};
use proptest::prelude::*;
use serde_json::{Value, json};
use std::collections::BTreeMap;

/// Every text of an answer that has amounts or names in it.
fn sentences(value: &Value, into: &mut Vec<Sentence>) {
    match value {
        Value::String(text) if has_mark(text) => into.push(text.as_str().into()),
        Value::Array(list) => list.iter().for_each(|it| sentences(it, into)),
        Value::Object(map) => map.values().for_each(|it| sentences(it, into)),
        _ => {}
    }
}

/// All that is said of a plan.
fn said(plan: &Plan) -> Vec<Sentence> {
    let mut told: Vec<Value> = vec![json!(needs(plan)), json!(supply(plan))];
    let ways: Vec<_> = plan.arrangements.iter().collect();
    for way in &ways {
        told.push(json!(findings(plan, way)));
        for moment in moments(plan, way).iter().take(3) {
            told.extend(answer(plan, &[way], moment, &Charge::full()).map(|it| json!(it)));
        }
    }
    for pair in ways.windows(2) {
        told.extend(compare(plan, pair, &Charge::full(), plan.outages.first()).map(|it| json!(it)));
    }
    for outage in &plan.outages {
        for way in ways.iter().take(3) {
            told.push(json!(tell(plan, way, outage, 24)));
            told.push(json!(starts(plan, way, outage, &BTreeMap::new())));
        }
    }
    let mut list = Vec::new();
    sentences(&Value::Array(told), &mut list);
    list
}

/// A written number, by the decimal mark.
fn number(text: &str, habits: Habits) -> f64 {
    let (point, thousands) = if habits.decimal == Decimal::Comma {
        (',', '.')
    } else {
        ('.', ',')
    };
    let bare: String = text
        .chars()
        .filter(|it| *it != thousands)
        .map(|it| if it == point { '.' } else { it })
        .collect();
    bare.replace('−', "-")
        .parse()
        .unwrap_or_else(|_| panic!("{text} is no number"))
}

/// How far a written number may be from its own: half of its last digit.
fn half_a_digit(text: &str, habits: Habits) -> f64 {
    let point = if habits.decimal == Decimal::Comma {
        ','
    } else {
        '.'
    };
    let behind = text.split(point).nth(1).map_or(0, str::len);
    0.5 * 10_f64.powi(-i32::try_from(behind).unwrap())
}

fn reads_back(value: f64, unit: &str, plus_minus: Option<f64>, habits: Habits) {
    let text = habits.amount(value, unit, plus_minus);
    let (told, half) = text
        .split_once(" ± ")
        .map_or((text.as_str(), None), |it| (it.0, Some(it.1)));
    if let Some(gauge) = text.strip_prefix("AWG ") {
        let gauge: f64 = gauge.strip_suffix("/0").map_or_else(
            || gauge.parse().unwrap(),
            |it| 1.0 - it.parse::<f64>().unwrap(),
        );
        let area =
            std::f64::consts::FRAC_PI_4 * (0.127 * 92_f64.powf((36.0 - gauge) / 39.0)).powi(2);
        // No thinner than what was judged, and no more than a gauge thicker.
        if unit == "mm²" {
            assert!(
                area >= value * 0.998 && (area < value * 1.265 || gauge >= 40.0),
                "{value} mm² is told as {text}"
            );
        } else {
            assert!((gauge - value.round()).abs() < 1e-9);
        }
        return;
    }
    let tail = half.unwrap_or(told);
    let digits = |text: &str| text.split(' ').next().unwrap_or_default().to_owned();
    let shown = tail.trim_start_matches(&digits(tail)).trim();
    let (scale, shift, wanted) = match unit {
        "°C" if habits.temperature == Temperature::Fahrenheit => (1.8, 32.0, "°F"),
        "K" if habits.temperature == Temperature::Fahrenheit => (1.8, 0.0, "°F"),
        "m" if habits.length == Length::Feet => (1.0 / 0.3048, 0.0, "ft"),
        _ => (1.0, 0.0, unit),
    };
    assert_eq!(shown, wanted, "{value} {unit} is told as {text}");
    let found = number(&digits(told), habits);
    let want = value * scale + shift;
    let near = half_a_digit(&digits(told), habits).max(want.abs() * 1e-9) * 1.000_001;
    // Three digits that count are enough for anybody, and hundredths from a tenth up.
    let bearable = match want.abs() {
        _ if half.is_some() || wanted == "°F" => f64::INFINITY,
        it if it >= 0.1 => (it * 0.006).max(0.005_01),
        it => (it * 0.06).max(0.000_501),
    };
    assert!(
        (found - want).abs() <= near && (found - want).abs() <= bearable,
        "{value} {unit} is told as {text}"
    );
    if let (Some(half), Some(own)) = (half, plus_minus) {
        let told = number(&digits(half), habits);
        assert!(
            (told - own * scale).abs() <= half_a_digit(&digits(half), habits) * 1.000_001,
            "± {own} is told as {text}"
        );
    }
}

/// Checks a sentence in every habit.
fn comes_through(sentence: &Sentence) {
    for habits in Habits::all() {
        let text = sentence.render(&habits).into_owned();
        assert!(!has_mark(&text), "{text}");
        let mut rest = text.as_str();
        for piece in sentence.pieces() {
            let own = match piece {
                Piece::Text(it) | Piece::Name(it) => it.to_owned(),
                Piece::Amount {
                    value,
                    unit,
                    plus_minus,
                } => {
                    if value.is_finite() {
                        reads_back(value, unit, plus_minus, habits);
                    }
                    habits.amount(value, unit, plus_minus)
                }
                Piece::Clock(hours) => habits.clock(hours),
            };
            rest = rest
                .strip_prefix(own.as_str())
                .unwrap_or_else(|| panic!("“{own}” is not next in “{rest}” of “{text}”"));
        }
        assert_eq!(rest, "", "{text}");
    }
}

#[test]
fn every_sentence_of_the_demo_reads_back_in_every_habit() {
    let text = std::fs::read_to_string(concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../../demo/hollin-lock.plan.json"
    ))
    .unwrap();
    let all = said(&Plan::from_value(&serde_json::from_str(&text).unwrap()).unwrap());
    assert!(all.len() > 200, "{}", all.len());
    all.iter().for_each(comes_through);
}

#[test]
fn an_area_told_as_a_gauge_is_never_thinner() {
    let us = Habits {
        area: Area::Gauge,
        ..Habits::si()
    };
    for tenths in 1..1070 {
        reads_back(f64::from(tenths) / 10.0, "mm²", None, us);
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn every_sentence_of_generated_plans_reads_back(site in site(6), name in "[A-Za-z0-9 \
        .,%±²°-]{1,16}") {
        let mut site = site;
        for device in site["kit"]["devices"].as_array_mut().unwrap() {
            device["label"] = json!(format!("{name} {}", device["id"].as_str().unwrap()));
        }
        said(&read(&site)).iter().for_each(comes_through);
    }

    #[test]
    fn any_amount_reads_back_and_any_name_comes_through(
        value in prop_oneof![-1e6..1e6_f64, -1.0..1.0_f64, 0.0..200.0_f64],
            half in prop::option::of(1e-4..50.0_f64),
        unit in prop::sample::select(vec!["A", "V", "W", "Wh", "m", "°C", "%", "h", "Ω", "K",
            ""]), name in ".{0,20}",
    ) {
        for habits in Habits::all() {
            reads_back(value, unit, half, habits);
        }
        let sentence: Sentence = match half {
            Some(half) => format!("{} takes {}.", Name(&name), Measured(value, half, unit)),
            None => format!("{} takes {}.", Name(&name), Amount(value, unit)),
        }.into();
        comes_through(&sentence);
        let bare: String = name.chars().filter(|it| !has_mark(&it.to_string())).collect();
        prop_assert!(sentence.render(&Habits::si()).starts_with(&bare));
    }
}
