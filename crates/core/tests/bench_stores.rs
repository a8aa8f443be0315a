//! Tests of the bench that look into a store, and what a reading and a test must be of.

use crate::bench_tests::{demo, test};
use ash_pond_core::bench::{Instrument, Protocol, Target, Test, guides, outcome};
use ash_pond_core::site::plan::Plan;

/// 12.900 − 12.780 V over 10.5 − 0.5 A are 12 mΩ. One voltmeter of half a per cent is 0.6 mV off in
/// 120, its steps of a millivolt 0.8; the clamp is 1 % off: 12 mΩ · √(0.0083² + 0.01²) = 0.16 mΩ.
/// Each volt by itself would have been 65 mV off.
#[test]
fn the_resistance_inside_a_store_by_two_loads_with_the_same_two_meters() {
    let row: &[f64] = &[12.900, 0.5, 12.780, 10.5, 18.0];
    let rows: &[&[f64]] = &[row; 3];
    let mut it = test("resistance", "source", "house-bank", None, rows);
    it.meters = [
        (0.005, 0.001),
        (0.01, 0.01),
        (0.005, 0.001),
        (0.01, 0.01),
        (0.0, 1.0),
    ]
    .map(|(share, step)| Instrument {
        name: None,
        share,
        fixed: 0.0,
        step,
    })
    .to_vec();
    let found = outcome(&demo(), &it).unwrap();
    let [ohms, warm] = &found.figures[..] else {
        panic!("{:?}", found.figures)
    };
    assert_eq!(
        (ohms.pointer.as_str(), warm.pointer.as_str()),
        ("/battery/internal_ohm", "/battery/internal_ohm_at_c")
    );
    assert!(
        (ohms.value - 0.012).abs() < 1e-9 && (warm.value - 18.0).abs() < 1e-9,
        "{ohms:?}"
    );
    assert!((1.3e-4..1.9e-4).contains(&ohms.plus_minus), "{ohms:?}");
    for (wrong, says) in [
        ([12.9, 0.5, 12.8, 0.5, 18.0], "must draw more amperes"),
        (
            [12.8, 0.5, 12.9, 9.0, 18.0],
            "do not fall under the heavy load",
        ),
    ] {
        let refused = outcome(
            &demo(),
            &test("resistance", "source", "house-bank", None, &[&wrong]),
        )
        .unwrap_err();
        assert!(
            refused.message.contains(says) && refused.path == "rows",
            "{refused:?}"
        );
    }
}

/// A meter that somebody described shows its steps and nothing between: a finer reading is asked
/// about, a struck one is not.
#[test]
fn a_reading_finer_than_its_display_is_asked_about() {
    let mut it = test(
        "idle",
        "converter",
        "small-inverter",
        None,
        &[&[12.5, 0.49], &[12.46, 0.49], &[12.4, 0.48]],
    );
    let asked = |it: &Test| -> Vec<usize> {
        outcome(&demo(), it)
            .unwrap()
            .questions
            .iter()
            .map(|it| it.row)
            .collect()
    };
    let meter = |name: Option<&str>, step| Instrument {
        name: name.map(Into::into),
        share: 0.005,
        fixed: 0.0,
        step,
    };
    it.meters = vec![meter(Some("panel meter"), 0.1), meter(Some("clamp"), 0.01)];
    assert_eq!(asked(&it), [1]);
    let said = outcome(&demo(), &it).unwrap().questions[0]
        .sentence
        .plain()
        .into_owned();
    assert_eq!(
        said,
        "12.46 read on panel meter, whose display has steps of 0.1: is it that meter?"
    );
    it.rows[1].struck = Some("another meter".into());
    assert!(asked(&it).is_empty());
    // What nobody described has the steps of what is written down.
    it.rows[1].struck = None;
    it.meters = vec![meter(None, 0.1), meter(None, 0.01)];
    assert!(asked(&it).is_empty());
}

/// What a store holds by a charge hangs on an efficiency that no charge measured.
#[test]
fn a_charge_says_what_the_store_holds_where_its_efficiency_is_known_otherwise() {
    let mut value: serde_json::Value = serde_json::from_str(&demo().to_text()).unwrap();
    let sources = value["kit"]["sources"].as_array_mut().unwrap();
    let station = sources.iter_mut().find(|it| it["id"] == "station").unwrap();
    let input = station["inputs"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .find(|it| it["id"] == "wall")
        .unwrap();
    input["efficiency"] =
        serde_json::json!({"value": 0.85, "plus_minus": 0.03, "basis": "datasheet"});
    let plan = Plan::from_value(&value).unwrap();
    // 480 Wh at the wall from 20 to 100 %: 480 · 0.85 / 0.8 = 510 Wh, ± 0.03 / 0.85 of it and what
    // the display leaves open.
    let rows: &[&[f64]] = &[&[0.0, 20.0, 0.0], &[2.0, 60.0, 240.0], &[4.0, 100.0, 480.0]];
    let charge = test("charging", "source", "station", Some("wall"), rows);
    let held = outcome(&plan, &charge).unwrap().holds_wh.unwrap();
    assert!(
        (held.value - 510.0).abs() < 1e-9 && (17.0..30.0).contains(&held.plus_minus),
        "{held:?}"
    );
    input_measured(&mut value);
    let plan = Plan::from_value(&value).unwrap();
    assert_eq!(
        outcome(&plan, &charge).unwrap().holds_wh,
        None,
        "it was reckoned with what the store is said to hold"
    );
}

fn input_measured(value: &mut serde_json::Value) {
    let sources = value["kit"]["sources"].as_array_mut().unwrap();
    let station = sources.iter_mut().find(|it| it["id"] == "station").unwrap();
    let input = station["inputs"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .find(|it| it["id"] == "wall")
        .unwrap();
    input["efficiency"] =
        serde_json::json!({"value": 0.85, "basis": "measured", "test": "charging-1"});
}

/// The test that a figure is said to come from is one of such a thing: a lead's test gives no
/// figure of a battery.
#[test]
fn the_test_of_a_figure_is_a_test_of_what_the_figure_is_of() {
    let plan = demo();
    let mut tried = 0;
    let resistance = [
        ("source", "battery.internal_ohm".to_owned()),
        ("source", "battery.internal_ohm_at_c".to_owned()),
    ];
    let all = ash_pond_core::site::figures::figures_of(&plan)
        .into_iter()
        .map(|it| (it.kind, it.path))
        .chain(resistance);
    for (kind, path) in all {
        let Some(protocol) = Protocol::of(kind, &path) else {
            continue;
        };
        // How long a device or a converter bridges a gap is seen by switching over what feeds it.
        if path == "ride_through_ms" || path.contains("hold_up") {
            continue;
        }
        let guide = guides().iter().find(|it| it.protocol == protocol).unwrap();
        let of = |it: &Target| match it {
            Target::Device => kind == "device",
            Target::Converter | Target::Charger | Target::Output => kind == "converter",
            // A walk goes along everything that an arrangement is made of.
            Target::Arrangement => true,
            Target::Lead => kind == "arrangement",
            Target::Source
            | Target::Store
            | Target::Panel
            | Target::Port
            | Target::Group
            | Target::Input => kind == "source",
        };
        assert!(
            guide.subjects.iter().any(of),
            "{kind} {path}: {:?} tests {:?}",
            protocol,
            guide.subjects
        );
        tried += 1;
    }
    assert!(tried > 50, "{tried}");
}
