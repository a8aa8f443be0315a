//! Rules of an outage in findings: a start that holds only while others are held says so, and the
//! rules that would mend a start are carried out before they are offered.

use ash_pond_core::limits::{Code, Finding, Mend, Remedy, Status, mended};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use proptest::prelude::*;
use serde_json::{Value, json};

/// Something that runs on an outlet of 120 W: watts, those of its start with how long that takes,
/// and its priority.
fn device(id: &str, watts: f64, start: Option<(f64, f64)>, priority: u32) -> Value {
    let mut phases = vec![json!({"when": "running", "watts": watts})];
    phases.extend(
        start.map(
            |(watts, seconds)| json!({"when": "starting", "watts": watts, "seconds": seconds}),
        ),
    );
    let mut device = json!({"id": id, "label": id, "role": "other", "priority": priority,
        "draw": "power", "phases": phases,
        "input": {"current": "ac", "rated_v": 230, "min_v": 200, "max_v": 250}});
    if start.is_some() {
        // What was on when the mains went is on; so that it starts at all, it goes off and on
        // again.
        device["cycle"] = json!({"kind": "thermostat", "on_fraction": 0.5, "period_s": 1800});
    }
    device
}

fn site(devices: &[Value], rules: &Value) -> Value {
    let feeds: Vec<Value> = devices
        .iter()
        .map(|it| json!({"from": {"item": "station", "port": "outlet"}, "to": it["id"]}))
        .collect();
    json!({"format": "ash-pond/plan", "version": 1,
        "site": {"name": "Reference", "mains": {"voltage_v": 230, "frequency_hz": 50},
            "ambient_c": 15},
        "kit": {"devices": devices, "converters": [], "sources": [{"id": "station",
            "label": "station", "kind": "power_station",
            "battery": {"chemistry": "lfp", "energy_wh": 5000},
            "ports": [{"id": "outlet", "current": "ac", "voltage": {"ac_v": 230,
                "waveform": "sine"}, "limit": {"continuous_w": 120}}]}]},
        "arrangements": [{"id": "a", "label": "A", "feeds": feeds}],
        "outages": [{"id": "storm", "label": "Storm", "start": "2026-02-03T18:00", "hours": 6,
            "rules": rules}]})
}

/// What is said of the outlet's limit in watts.
fn outlet(text: &Value) -> Finding {
    let plan = Plan::from_value(text).unwrap();
    let all = mended(&plan, &plan.arrangements[0]);
    all.into_iter()
        .find(|it| it.code == Code::PortLimit && it.place == "station/outlet")
        .unwrap()
}

fn by_rule(found: &Finding) -> Option<&Mend> {
    found.mends.iter().find(|it| !it.rules.is_empty())
}

fn rules_of(found: &Finding) -> Value {
    serde_json::to_value(&by_rule(found).unwrap().rules).unwrap()
}

/// What an outlet that breaks takes with it in the outage.
fn lost(text: &Value) -> Vec<String> {
    let plan = Plan::from_value(text).unwrap();
    let found = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    found
        .devices
        .iter()
        .filter(|it| it.1.down_at_h.is_some())
        .map(|it| it.0.clone())
        .collect()
}

/// 100 W of the heater's start, 40 of the lamps and 10 of the router are 150 of 120 W; without the
/// lamps 110.
fn heater() -> [Value; 3] {
    [
        device("heater", 24.0, Some((100.0, 140.0)), 1),
        device("router", 10.0, None, 2),
        device("lamps", 40.0, None, 3),
    ]
}

#[test]
fn a_start_that_is_too_much_is_mended_by_holding_the_least_important_meanwhile() {
    let found = outlet(&site(&heater(), &json!([])));
    assert_eq!(
        (found.status, found.moment.as_str()),
        (Status::Trips, "starting heater")
    );
    assert!(found.ruled.is_empty());
    let mend = by_rule(&found).unwrap();
    assert_eq!((mend.remedy, mend.then), (Remedy::HeldBack, Status::Tight));
    assert_eq!(
        rules_of(&found),
        json!([{"kind": "hold", "device": "lamps", "while_starting": "heater"}])
    );
    assert_eq!(
        mend.sentence.plain(),
        "Hold lamps while heater starts, which takes 140 s: it is tight then."
    );
}

#[test]
fn a_start_that_holds_only_while_others_are_held_says_so_and_the_march_agrees() {
    let without = site(&heater(), &json!([]));
    assert_eq!(lost(&without), ["heater", "lamps", "router"]);
    let with = site(&heater(), &rules_of(&outlet(&without)));
    assert!(lost(&with).is_empty());
    let found = outlet(&with);
    assert_eq!(
        found.status,
        Status::Trips,
        "nobody holds the lamps outside of that outage"
    );
    let [ruled] = found.ruled.as_slice() else {
        panic!("{:?}", found.ruled)
    };
    assert_eq!(
        (ruled.outage.as_str(), ruled.status),
        ("storm", Status::Tight)
    );
    assert!((ruled.value - 110.0).abs() < 1e-6);
    assert_eq!(
        ruled.sentence.plain(),
        "Only so: with lamps held while heater starts, as in Storm, it is tight (110 VA)."
    );
}

#[test]
fn told_are_those_rules_alone_that_it_takes() {
    let rules = json!([
        {"kind": "hold", "device": "router", "while_starting": "heater"},
        {"kind": "hold", "device": "lamps", "while_starting": "heater"},
        {"kind": "stagger", "seconds": 200},
    ]);
    let found = outlet(&site(&heater(), &rules));
    let ruled = &found.ruled[0];
    assert!(
        (ruled.value - 100.0).abs() < 1e-6,
        "nothing of the two is on"
    );
    assert_eq!(
        ruled.sentence.plain(),
        "Only so: with lamps held while heater starts, as in Storm, it is tight (110 VA)."
    );
}

#[test]
fn nobody_holds_what_is_more_important_or_a_life_or_what_runs_on_while_hot() {
    let [mut heater, router, mut lamps] = heater();
    lamps["priority"] = json!(1);
    heater["priority"] = json!(2);
    assert!(
        by_rule(&outlet(&site(
            &[heater.clone(), router.clone(), lamps.clone()],
            &json!([])
        )))
        .is_none()
    );
    lamps["priority"] = json!(3);
    let text = |lamps: &Value| site(&[heater.clone(), router.clone(), lamps.clone()], &json!([]));
    assert!(by_rule(&outlet(&text(&lamps))).is_some());
    let mut breathing = lamps.clone();
    breathing["role"] = json!("medical");
    assert!(by_rule(&outlet(&text(&breathing))).is_none());
    let mut hot = lamps.clone();
    hot["phases"]
        .as_array_mut()
        .unwrap()
        .push(json!({"when": "stopping", "watts": 30, "seconds": 180}));
    assert!(by_rule(&outlet(&text(&hot))).is_none());
    let mut latching = lamps.clone();
    latching["after_loss"] = json!({"kind": "latches"});
    assert!(
        by_rule(&outlet(&text(&latching))).is_none(),
        "somebody would have to switch it on again"
    );
    let mut warns = lamps.clone();
    warns["role"] = json!("smoke alarm");
    assert!(by_rule(&outlet(&text(&warns))).is_none());
    // What may be off for two minutes is not held for 140 s.
    let mut soon = lamps.clone();
    soon["deadline"] = json!({"minutes": 2});
    assert!(by_rule(&outlet(&text(&soon))).is_none());
}

/// Each start alone is 90 + 20 of 120 W, both together are 180.
fn pumps() -> [Value; 2] {
    [
        device("mill", 20.0, Some((90.0, 5.0)), 1),
        device("well", 20.0, Some((90.0, 4.0)), 2),
    ]
}

#[test]
fn starts_that_are_too_much_together_are_kept_apart_for_as_long_as_they_take() {
    let found = outlet(&site(&pumps(), &json!([])));
    assert_eq!(
        (found.status, found.moment.as_str()),
        (Status::Trips, "all-starting")
    );
    let mend = by_rule(&found).unwrap();
    assert_eq!(mend.remedy, Remedy::OneAfterTheOther);
    assert_eq!(
        rules_of(&found),
        json!([{"kind": "stagger", "seconds": 5, "devices": ["mill", "well"]}])
    );
    assert_eq!(lost(&site(&pumps(), &json!([]))), ["mill", "well"]);
    let with = site(&pumps(), &rules_of(&found));
    assert!(lost(&with).is_empty());
    assert_eq!(outlet(&with).ruled[0].status, Status::Tight);
    // Two seconds do not keep apart what takes five.
    let short = site(
        &pumps(),
        &json!([{"kind": "stagger", "seconds": 2, "devices": ["mill", "well"]}]),
    );
    assert!(outlet(&short).ruled.is_empty());
    assert_eq!(lost(&short), ["mill", "well"]);
}

#[test]
fn both_at_once_takes_both_rules() {
    let [mill, well] = pumps();
    let text = site(&[mill, well, device("lamps", 30.0, None, 4)], &json!([]));
    let found = outlet(&text);
    // 90 + 20 + 30 of 120 W: each start alone is too much already.
    let mend = by_rule(&found).unwrap();
    assert_eq!((mend.remedy, mend.rules.len()), (Remedy::HeldBack, 3));
    assert!(
        mend.sentence
            .plain()
            .contains("Hold lamps while mill starts"),
        "{}",
        mend.sentence
    );
    assert!(
        mend.sentence
            .plain()
            .contains("let no two start within 5 s"),
        "{}",
        mend.sentence
    );
    assert!(
        lost(&site(
            &text["kit"]["devices"].as_array().unwrap().clone(),
            &rules_of(&found)
        ))
        .is_empty()
    );
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 64, failure_persistence: None,
        ..ProptestConfig::default() })]

    /// What is offered as a rule is carried out: with it in the outage nothing goes down that a
    /// start took down before.
    #[test]
    fn rules_that_are_offered_hold_in_the_march(
        kit in prop::collection::vec((2.0..45.0_f64, prop::option::of((40.0..110.0_f64,
            2.0..200.0_f64)), 1_u32..5), 2..5)
    ) {
        let devices: Vec<Value> = kit.iter().enumerate()
            .map(|(index, (watts, start, priority))| device(&format!("d{index}"), *watts, *start,
                *priority)).collect();
        let text = site(&devices, &json!([]));
        let found = outlet(&text);
        if by_rule(&found).is_some() {
            prop_assert!(found.status > Status::Tight);
            let with = site(&devices, &rules_of(&found));
            prop_assert!(lost(&with).is_empty(), "{}", by_rule(&found).unwrap().sentence);
            let after = outlet(&with);
            prop_assert_eq!(after.ruled.len(), 1);
            prop_assert!(after.ruled[0].status <= Status::Tight);
            prop_assert!(after.ruled[0].value <= found.value + 1e-9);
        }
    }
}
