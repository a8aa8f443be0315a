//! Tests of the bench as they are kept: what comes of them, and where their figures go.

use ash_pond_core::bench::{
    Instrument, Protocol, Row, Subject, Test, guides, outcome, put_back, readings, replaced, with_figures,
};
use ash_pond_core::network::conductor_ohms;
use ash_pond_core::plan::{Material, Plan};
use serde_json::{Value, json};

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn test(protocol: &str, kind: &str, id: &str, part: Option<&str>, rows: &[&[f64]]) -> Test {
    Test {
        protocol: protocol.into(),
        of: Subject { kind: kind.into(), id: id.into(), part: part.map(Into::into) },
        meters: Vec::new(),
        rows: rows.iter().map(|it| Row { values: it.iter().copied().map(Some).collect(), struck: None }).collect(),
        file: None,
        note: String::new(),
    }
}

#[test]
fn idle_is_volts_times_amperes_and_struck_rows_never_count() {
    let plan = demo();
    let mut idle = test("idle", "converter", "small-inverter", None, &[&[12.5, 0.49], &[12.5, 0.488], &[12.5, 0.492]]);
    idle.meters =
        vec![Instrument { share: 0.005, fixed: 0.01, step: 0.01 }, Instrument { share: 0.01, fixed: 0.0, step: 0.001 }];
    let found = outcome(&plan, &idle).unwrap();
    let given = &found.figures[0];
    assert!((given.value - 12.5 * 0.49).abs() < 1e-9, "{}", found.sentence);
    assert!(given.plus_minus > 0.06 && given.plus_minus < 0.15, "± {}", given.plus_minus);
    assert_eq!((given.pointer.as_str(), given.now, &given.now_test), ("/loss/idle_w", Some(7.9), &None));
    assert!(found.sentence.starts_with("Idle 6.1") && found.sentence.contains("a day"), "{}", found.sentence);
    // A slip of the finger is asked about, and when it is struck nothing of it is left.
    idle.rows.push(Row { values: vec![Some(12.5), Some(4.9)], struck: None });
    let odd = outcome(&plan, &idle).unwrap();
    assert_eq!(odd.questions.iter().map(|it| it.row).collect::<Vec<_>>(), [3], "{:?}", odd.questions);
    idle.rows[3].struck = Some("a slip".into());
    assert_eq!(outcome(&plan, &idle).unwrap().figures, found.figures);
    // Worse meters never make it surer.
    for meter in &mut idle.meters {
        *meter = Instrument { share: meter.share * 2.0, fixed: meter.fixed * 2.0, step: meter.step * 2.0 };
    }
    assert!(outcome(&plan, &idle).unwrap().figures[0].plus_minus > given.plus_minus);
}

#[test]
fn efficiency_gives_the_law_and_what_is_missing_is_said() {
    let plan = demo();
    let law = |out: f64| 5.2 + 0.07 * out + 1e-4 * out * out;
    let rows: Vec<[f64; 4]> =
        [6.0, 22.0, 48.0, 80.0, 120.0].iter().map(|out| [12.6, (out + law(*out)) / 12.6, 230.0, out / 230.0]).collect();
    let rows: Vec<&[f64]> = rows.iter().map(<[f64; 4]>::as_slice).collect();
    let whole = test("efficiency", "converter", "small-inverter", None, &rows);
    let found = outcome(&plan, &whole).unwrap();
    let value = |index: usize| found.figures[index].value;
    assert!((value(0) - 5.2).abs() < 1e-6 && (value(1) - 0.07).abs() < 1e-8 && (value(2) - 1e-4).abs() < 1e-10);
    assert_eq!(found.points.len(), 5);
    let short = test("efficiency", "converter", "small-inverter", None, &rows[..2]);
    let short = outcome(&plan, &short).unwrap();
    assert!(short.figures.is_empty() && short.sentence.contains("three or more"), "{}", short.sentence);
    // The plan with the figures in it is a plan, measured, and names its test.
    let body = with_figures(&plan, &whole, "efficiency-1").unwrap();
    assert_eq!(body["loss"]["idle_w"]["basis"], "measured");
    assert_eq!(body["loss"]["proportional"]["test"], "efficiency-1");
    let mut text = serde_json::to_value(&plan).unwrap();
    let list = text["kit"]["converters"].as_array_mut().unwrap();
    *list.iter_mut().find(|it| it["id"] == "small-inverter").unwrap() = body.clone();
    let after = Plan::from_value(&text).unwrap();
    assert_eq!(outcome(&after, &whole).unwrap().figures[0].now_test.as_deref(), Some("efficiency-1"));
    // And taken back it is what it was.
    let before: Value = serde_json::to_value(plan.converter("small-inverter").unwrap()).unwrap();
    let mut back = body;
    put_back(&mut back, &replaced(&plan, &whole).unwrap());
    assert_eq!(back, before);
}

#[test]
fn contacts_are_what_the_conductors_leave() {
    let plan = demo();
    let conductors = conductor_ohms(Material::Copper, 22.0, 1.5, plan.site.ambient()).0;
    let drop = 0.62 * (conductors + 0.02);
    let far = test("far-end", "arrangement", "camera-direct", Some("gate-camera"), &[&[13.0, 13.0 - drop, 0.62]]);
    let found = outcome(&plan, &far).unwrap();
    assert!((found.figures[0].value - 0.02).abs() < 1e-9, "{}", found.sentence);
    assert_eq!(found.figures[0].pointer, "/feeds/0/cable/contact_ohm");
    let none = test("far-end", "arrangement", "camera-direct", Some("nobody"), &[]);
    assert_eq!(outcome(&plan, &none).unwrap_err().0, "of");
}

#[test]
fn files_give_phases_and_gaps() {
    let plan = demo();
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/tests/cases/bench/");
    let read = |name: &str| std::fs::read_to_string(format!("{folder}{name}.csv")).unwrap();
    let mut log = test("profile", "device", "gate-camera", None, &[]);
    assert!(outcome(&plan, &log).unwrap().sentence.contains("Give a logger's file"));
    log.file = Some(read("logger-phases"));
    let found = outcome(&plan, &log).unwrap();
    let names: Vec<&str> = found.figures.iter().map(|it| it.name.as_str()).collect();
    assert_eq!(names, ["starting", "running", "busy"], "{}", found.sentence);
    assert!(found.figures.iter().all(|it| it.pointer.starts_with("/phases/") && it.plus_minus > 0.0));
    let mut gap = test("switchover", "source", "station", None, &[]);
    gap.file = Some(read("capture-ac-switchover"));
    let found = outcome(&plan, &gap).unwrap();
    assert_eq!(found.figures[0].pointer, "/line/transfer_ms");
    assert!((found.figures[0].value - 17.4).abs() < 1.0, "{}", found.sentence);
    gap.file = Some("time_s,volts\n0,x\n".into());
    let (field, why) = outcome(&plan, &gap).unwrap_err();
    assert!(field == "file" && why.contains("row 2, column 2"), "{why}");
}

#[test]
fn every_guide_says_all_that_a_person_needs() {
    let plan = demo();
    for guide in guides() {
        let all = [guide.needs.len(), guide.cautions.len(), guide.meters.len(), guide.steps.len(), guide.invalid.len()];
        assert!(all.iter().all(|it| *it > 0), "{}", guide.title);
        assert!(guide.minutes > 0 && !guide.stop.is_empty() && !guide.disconnect.is_empty());
        assert_eq!(guide.readings, readings(guide.protocol));
        assert!(guide.readings.is_empty() == guide.file.is_some(), "{}: by hand or from a file", guide.title);
        let (kind, id) = [
            ("device", "gate-camera"),
            ("source", "station"),
            ("converter", "small-inverter"),
            ("arrangement", "camera-direct"),
        ]
        .into_iter()
        .find(|it| guide.subjects.contains(&it.0))
        .unwrap();
        let part = (kind == "arrangement").then_some("gate-camera");
        let empty = outcome(&plan, &test(guide.protocol.word(), kind, id, part, &[])).unwrap();
        assert!(empty.figures.is_empty() && !empty.sentence.is_empty(), "{}", guide.title);
    }
    let unknown = outcome(&plan, &test("juggling", "device", "gate-camera", None, &[])).unwrap_err();
    assert_eq!(unknown.0, "protocol");
    let later = outcome(&plan, &test(Protocol::Capacity.word(), "source", "station", None, &[])).unwrap_err();
    assert!(later.1.contains("not carried out here yet"));
    let huge = outcome(&plan, &test("idle", "converter", "small-inverter", None, &[&[1e9, 1.0]])).unwrap_err();
    assert_eq!(huge, ("rows", "row 1 holds a number that no meter shows".to_owned()));
    let wrong: Result<Test, _> =
        serde_json::from_value(json!({"protocol": "idle", "of": {"kind": "device", "id": "x"}, "spoons": 1}));
    assert!(wrong.is_err());
}
