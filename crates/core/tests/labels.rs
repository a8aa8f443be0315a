//! What a label says, taken for no more than it is: loss laws and sizes of stores.

// Values that were typed come back as they were typed, to the last bit.
#![allow(clippy::float_cmp)]

use ash_pond_core::ground::figure::Basis;
use ash_pond_core::site::claim::{Claim, law};
use ash_pond_core::site::entry::{Around, DecimalMark, Target, capacity, read};
use ash_pond_core::site::kinds::kinds;
use ash_pond_core::site::plan::{Battery, ConverterKind, LossLaw, Source};
use proptest::prelude::*;

fn efficiency(loss: &LossLaw, out_w: f64) -> f64 {
    let of = |it: Option<f64>| it.unwrap_or(0.0);
    let idle = of(loss.idle_w.as_ref().map(|it| it.get()));
    let k = of(loss.proportional.as_ref().map(|it| it.get()));
    let q = of(loss.quadratic_per_w.as_ref().map(|it| it.get()));
    out_w / (idle + (1.0 + k) * out_w + q * out_w * out_w)
}

#[test]
fn standby_and_efficiency_of_a_label_make_a_law_with_the_doubt_they_deserve() {
    let label = Claim {
        kind: Some(ConverterKind::Inverter),
        alternating: true,
        rated_w: Some(300.0),
        efficiency: Some(0.9),
        standby_w: Some(6.0),
    };
    let claimed = law(&label).unwrap();
    // h = 150 W, q = 6/150², k = 1/0.9 − 1 − 2·6/150.
    let (idle, k, q) = (
        claimed.loss.idle_w.clone().unwrap(),
        claimed.loss.proportional.clone().unwrap(),
        claimed.loss.quadratic_per_w.clone().unwrap(),
    );
    assert_eq!((idle.get(), idle.basis), (6.0, Basis::Label));
    assert!((idle.plus_minus.unwrap() - 1.8).abs() < 1e-9);
    assert!(
        (k.get() - (1.0 / 0.9 - 1.0 - 0.08)).abs() < 1e-9
            && (k.plus_minus.unwrap() / k.get() - 0.4).abs() < 1e-9
    );
    assert!((q.get() - 6.0 / 22500.0).abs() < 1e-12);
    assert!(
        claimed.words.contains("6 W standby by its label")
            && claimed.words.contains("best at half of its 300 W"),
        "{}",
        claimed.words
    );
    assert!(k.note.unwrap().contains("90 %"));
}

#[test]
fn what_the_label_leaves_out_is_assumed_with_more_doubt() {
    let nothing = law(&Claim {
        kind: Some(ConverterKind::Boost),
        rated_w: Some(100.0),
        ..Claim::default()
    })
    .unwrap();
    let idle = nothing.loss.idle_w.unwrap();
    assert_eq!((idle.get(), idle.basis), (0.5, Basis::Assumed));
    assert!(
        (idle.plus_minus.unwrap() - 0.3).abs() < 1e-9,
        "sixty hundredths"
    );
    assert!(nothing.words.contains("commonly 92 %"), "{}", nothing.words);
    let no_rating = law(&Claim {
        efficiency: Some(0.8),
        ..Claim::default()
    })
    .unwrap();
    assert!(no_rating.loss.idle_w.is_none() && no_rating.loss.quadratic_per_w.is_none());
    assert!((no_rating.loss.proportional.unwrap().get() - 0.25).abs() < 1e-12);
}

#[test]
fn a_standby_that_contradicts_the_efficiency_is_told() {
    let label = Claim {
        rated_w: Some(20.0),
        efficiency: Some(0.95),
        standby_w: Some(5.0),
        ..Claim::default()
    };
    let claimed = law(&label).unwrap();
    assert_eq!(claimed.loss.proportional.clone().unwrap().get(), 0.0);
    assert!(
        claimed
            .words
            .ends_with("it never reaches the efficiency of its label."),
        "{}",
        claimed.words
    );
    assert!(
        law(&Claim {
            efficiency: Some(0.0),
            ..Claim::default()
        })
        .is_err()
    );
    assert!(
        law(&Claim {
            rated_w: Some(0.0),
            ..Claim::default()
        })
        .is_err()
    );
    assert!(
        law(&Claim {
            standby_w: Some(f64::NAN),
            ..Claim::default()
        })
        .is_err()
    );
}

fn source(battery: Battery) -> Source {
    let mut source = kinds()
        .sources
        .iter()
        .find(|it| it.battery.is_some())
        .unwrap()
        .clone();
    source.battery = Some(battery);
    source
}

fn store(cells: Option<f64>, energy: Option<f64>) -> Battery {
    let any = kinds()
        .sources
        .iter()
        .find_map(|it| it.battery.clone())
        .unwrap();
    Battery {
        chemistry: "lfp".into(),
        cells: cells.map(Into::into),
        capacity_ah: cells.map(|_| 100.0.into()),
        energy_wh: energy.map(Into::into),
        ..any
    }
}

/// A phone-style pack with a 5 V outlet.
fn pack() -> Source {
    let mut pack = source(store(None, Some(74.0)));
    let text = serde_json::json!({"id": "usb", "current": "dc", "voltage": {"regulated_v": 5}});
    let path = ash_pond_core::ground::json::Path::Root;
    pack.ports = vec![ash_pond_core::ground::json::FromJson::from_json(&text, &path).unwrap()];
    pack.battery.as_mut().unwrap().chemistry = "li-ion".into();
    if ash_pond_core::site::chemistry::find("li-ion").is_none() {
        let other = ash_pond_core::site::chemistry::all()
            .iter()
            .find(|it| (3.5..3.8).contains(&it.cell_nominal_v))
            .unwrap();
        pack.battery
            .as_mut()
            .unwrap()
            .chemistry
            .clone_from(&other.id);
    }
    pack
}

#[test]
fn a_bank_counts_at_its_own_voltage() {
    let bank = source(store(Some(4.0), None));
    let read = |text: &str| capacity(text, &bank, Around::default()).unwrap();
    let plain = &read("100 ± 4 Ah l").readings[0];
    assert_eq!(
        (
            plain.capacity_ah,
            plain.plus_minus,
            plain.basis,
            plain.note.clone()
        ),
        (Some(100.0), Some(4.0), Basis::Label, None)
    );
    assert!((plain.nominal_wh - 1280.0).abs() < 1e-9);
    let energy = &read("1.28 kWh").readings[0];
    assert!((energy.capacity_ah.unwrap() - 100.0).abs() < 1e-9);
    assert_eq!(energy.note.as_deref(), Some("1,280 Wh ÷ 12.8 V = 100 Ah"));
    // 400 Ah of cells in parallel, counted at one cell.
    let cells = &read("400 Ah 3.2 V").readings[0];
    assert!(
        (cells.capacity_ah.unwrap() - 100.0).abs() < 1e-9,
        "{cells:?}"
    );
}

#[test]
fn milliampere_hours_of_a_pack_are_told_both_ways_and_not_guessed() {
    let pack = pack();
    let found = capacity("20000 mAh l", &pack, Around::default()).unwrap();
    assert!(
        found
            .question
            .as_ref()
            .unwrap()
            .contains("say nothing without their volts")
    );
    let energies: Vec<f64> = found
        .readings
        .iter()
        .map(|it| it.energy_wh.unwrap().round())
        .collect();
    assert_eq!(energies[1], 100.0, "20 Ah at the outlet's 5 V");
    assert!(
        energies[0] < 76.0 && energies[0] > 70.0,
        "20 Ah at one cell: {energies:?}"
    );
    assert!(
        found.readings[0].words.contains("of a cell") && found.readings[0].basis == Basis::Label
    );
    let told = capacity("20000 mAh 3.7 V", &pack, Around::default()).unwrap();
    assert_eq!((told.readings.len(), told.question), (1, None));
    assert!((told.readings[0].energy_wh.unwrap() - 74.0).abs() < 1e-9);
    assert_eq!(
        told.readings[0].note.as_deref(),
        Some("20 Ah × 3.7 V = 74 Wh")
    );
}

#[test]
fn what_is_no_size_is_refused_with_examples() {
    for text in [
        "",
        "large",
        "5 W",
        "0 Ah",
        "10 Ah/h",
        "10 Ah 0 V",
        "1 Ah 2 V 3 V",
        "12 V",
    ] {
        let why = capacity(text, &pack(), Around::default()).unwrap_err();
        assert!(why.message.contains("Write 100 Ah"), "{text}: {why}");
    }
}

#[test]
fn temperatures_and_places_are_read_as_people_write_them() {
    let fahrenheit = Around {
        fahrenheit: true,
        ..Around::default()
    };
    let value = |text: &str, target, around| read(text, target, around).unwrap().value;
    assert!((value("54 °F", Target::Celsius, Around::default()) - 12.222_222).abs() < 1e-5);
    assert!((value("54", Target::Celsius, fahrenheit) - 12.222_222).abs() < 1e-5);
    assert_eq!(value("12 °C", Target::Celsius, fahrenheit), 12.0);
    assert_eq!(value("-5", Target::Celsius, Around::default()), -5.0);
    assert_eq!(
        read("50 ± 9 F", Target::Celsius, Around::default())
            .unwrap()
            .plus_minus
            .map(|it| it.round()),
        Some(5.0)
    );
    assert_eq!(value("53.2 N", Target::Degrees, Around::default()), 53.2);
    assert_eq!(value("1.9 W", Target::Degrees, Around::default()), -1.9);
    assert_eq!(
        value(
            "33,9 S",
            Target::Degrees,
            Around {
                decimal: DecimalMark::Comma,
                ..Around::default()
            }
        ),
        -33.9
    );
    assert!(
        read("5 W", Target::Celsius, Around::default())
            .unwrap_err()
            .message
            .contains("54 °F")
    );
    assert!(read("-5", Target::Watts, Around::default()).is_err());
}

proptest! {
    #[test]
    fn at_half_of_its_rating_a_claimed_law_is_as_efficient_as_its_label(rated in 5.0..3000.0f64,
        stated in 0.7..0.99f64) {
        let label = Claim { kind: Some(ConverterKind::Buck), rated_w: Some(rated),
            efficiency: Some(stated), ..Claim::default() };
        let loss = law(&label).unwrap().loss;
        prop_assume!(loss.proportional.as_ref().unwrap().get() > 0.0);
        prop_assert!((efficiency(&loss, rated / 2.0) - stated).abs() < 1e-8);
        for share in [0.05, 0.2, 0.8, 1.0] {
            prop_assert!(efficiency(&loss, rated * share) <= stated + 1e-9, "nowhere is it better \
                than its label");
        }
    }

    #[test]
    fn every_reading_of_a_capacity_keeps_its_energy(ah in 0.1..500.0f64, cells in 1.0..16.0f64) {
        let bank = source(store(Some(cells.round()), None));
        let text = format!("{ah:.3} Ah");
        let one = &capacity(&text, &bank, Around::default()).unwrap().readings[0];
        let back = capacity(&format!("{:.9} Wh", one.nominal_wh), &bank,
            Around::default()).unwrap();
        prop_assert!((back.readings[0].capacity_ah.unwrap() - one.capacity_ah.unwrap()).abs() < 1e-6);
    }

    #[test]
    fn no_text_makes_a_capacity_panic(text in "\\PC{0,40}") {
        for source in [pack(), source(store(Some(4.0), None))] {
            if let Ok(found) = capacity(&text, &source, Around::default()) {
                prop_assert!(!found.readings.is_empty());
                prop_assert!(found.readings.iter().all(|it| it.nominal_wh.is_finite() && it.nominal_wh > 0.0));
            }
        }
    }
}
