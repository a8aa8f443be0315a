//! Tests of the bench as they are kept: what comes of them, and where their figures go.

use ash_pond_core::bench::{
    Digest, Instrument, Protocol, Reader, Row, Subject, Target, Test, digest, fine_s, guides,
    outcome, put_back, readings, replaced, thinned, with_figures,
};
use ash_pond_core::ground::json::FieldError;
use ash_pond_core::site::plan::{Material, Plan};
use ash_pond_core::site::wire::conductor_ohms;
use serde_json::{Value, json};

pub(crate) fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

pub(crate) fn test(
    protocol: &str,
    kind: &str,
    id: &str,
    part: Option<&str>,
    rows: &[&[f64]],
) -> Test {
    Test {
        protocol: protocol.into(),
        of: Subject {
            kind: kind.into(),
            id: id.into(),
            part: part.map(Into::into),
        },
        meters: Vec::new(),
        rows: rows
            .iter()
            .map(|it| Row {
                values: it.iter().copied().map(Some).collect(),
                struck: None,
            })
            .collect(),
        file: None,
        place: None,
        counted: None,
        quit: None,
        battery_c: None,
        note: String::new(),
    }
}

#[test]
fn idle_is_volts_times_amperes_and_struck_rows_never_count() {
    let plan = demo();
    let mut idle = test(
        "idle",
        "converter",
        "small-inverter",
        None,
        &[&[12.5, 0.49], &[12.5, 0.488], &[12.5, 0.492]],
    );
    idle.meters = vec![
        Instrument {
            name: None,
            share: 0.005,
            fixed: 0.01,
            step: 0.01,
        },
        Instrument {
            name: None,
            share: 0.01,
            fixed: 0.0,
            step: 0.001,
        },
    ];
    let found = outcome(&plan, &idle).unwrap();
    let given = &found.figures[0];
    assert!(
        (given.value - 12.5 * 0.49).abs() < 1e-9,
        "{}",
        found.sentence
    );
    assert!(
        given.plus_minus > 0.06 && given.plus_minus < 0.15,
        "± {}",
        given.plus_minus
    );
    assert_eq!(
        (given.pointer.as_str(), given.now, &given.now_test),
        ("/loss/idle_w", Some(7.9), &None)
    );
    assert!(
        found.sentence.starts_with("Idle 6.1") && found.sentence.contains("a day"),
        "{}",
        found.sentence
    );
    // A slip of the finger is asked about, and when it is struck nothing of it is left.
    idle.rows.push(Row {
        values: vec![Some(12.5), Some(4.9)],
        struck: None,
    });
    let odd = outcome(&plan, &idle).unwrap();
    assert_eq!(
        odd.questions.iter().map(|it| it.row).collect::<Vec<_>>(),
        [3],
        "{:?}",
        odd.questions
    );
    idle.rows[3].struck = Some("a slip".into());
    assert_eq!(outcome(&plan, &idle).unwrap().figures, found.figures);
    // Worse meters never make it surer.
    for meter in &mut idle.meters {
        *meter = Instrument {
            name: None,
            share: meter.share * 2.0,
            fixed: meter.fixed * 2.0,
            step: meter.step * 2.0,
        };
    }
    assert!(outcome(&plan, &idle).unwrap().figures[0].plus_minus > given.plus_minus);
}

#[test]
fn efficiency_gives_the_law_and_what_is_missing_is_said() {
    let plan = demo();
    let law = |out: f64| 5.2 + 0.07 * out + 1e-4 * out * out;
    let rows: Vec<[f64; 4]> = [6.0, 22.0, 48.0, 80.0, 120.0]
        .iter()
        .map(|out| [12.6, (out + law(*out)) / 12.6, 230.0, out / 230.0])
        .collect();
    let rows: Vec<&[f64]> = rows.iter().map(<[f64; 4]>::as_slice).collect();
    let whole = test("efficiency", "converter", "small-inverter", None, &rows);
    let found = outcome(&plan, &whole).unwrap();
    let value = |index: usize| found.figures[index].value;
    assert!(
        (value(0) - 5.2).abs() < 1e-6
            && (value(1) - 0.07).abs() < 1e-8
            && (value(2) - 1e-4).abs() < 1e-10
    );
    assert_eq!(found.plot.as_ref().unwrap().points.len(), 5);
    let short = test(
        "efficiency",
        "converter",
        "small-inverter",
        None,
        &rows[..2],
    );
    let short = outcome(&plan, &short).unwrap();
    assert!(
        short.figures.is_empty() && short.sentence.contains("three or more"),
        "{}",
        short.sentence
    );
    // The plan with the figures in it is a plan, measured, and names its test.
    let body = with_figures(&plan, &whole, "efficiency-1").unwrap();
    assert_eq!(body["loss"]["idle_w"]["basis"], "measured");
    assert_eq!(body["loss"]["proportional"]["test"], "efficiency-1");
    let mut text = serde_json::to_value(&plan).unwrap();
    let list = text["kit"]["converters"].as_array_mut().unwrap();
    *list
        .iter_mut()
        .find(|it| it["id"] == "small-inverter")
        .unwrap() = body.clone();
    let after = Plan::from_value(&text).unwrap();
    assert_eq!(
        outcome(&after, &whole).unwrap().figures[0]
            .now_test
            .as_deref(),
        Some("efficiency-1")
    );
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
    let far = test(
        "far-end",
        "arrangement",
        "camera-direct",
        Some("gate-camera"),
        &[&[13.0, 13.0 - drop, 0.62]],
    );
    let found = outcome(&plan, &far).unwrap();
    assert!(
        (found.figures[0].value - 0.02).abs() < 1e-9,
        "{}",
        found.sentence
    );
    assert_eq!(found.figures[0].pointer, "/feeds/0/cable/contact_ohm");
    let none = test(
        "far-end",
        "arrangement",
        "camera-direct",
        Some("nobody"),
        &[],
    );
    assert_eq!(outcome(&plan, &none).unwrap_err().path, "of");
}

#[test]
fn files_give_phases_and_gaps() {
    let plan = demo();
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/cases/bench/");
    let read = |name: &str| std::fs::read_to_string(format!("{folder}{name}.csv")).unwrap();
    let mut log = test("profile", "device", "gate-camera", None, &[]);
    assert!(
        outcome(&plan, &log)
            .unwrap()
            .sentence
            .contains("Give a logger's file")
    );
    log.file = Some(file_of(&plan, Protocol::Profile, &read("logger-phases")).unwrap());
    let found = outcome(&plan, &log).unwrap();
    let phases = found.lists[0].value.as_array().unwrap();
    let names: Vec<&str> = phases
        .iter()
        .map(|it| it["when"].as_str().unwrap())
        .collect();
    assert_eq!(names, ["starting", "running", "busy"], "{}", found.sentence);
    assert!(
        phases.iter().all(|it| it["watts"]["basis"] == "measured"
            && it["watts"]["plus_minus"].as_f64() > Some(0.0))
    );
    assert!(
        phases[0]["seconds"]["value"].as_f64() > Some(30.0)
            && phases[2]["share"]["value"].as_f64() > Some(0.1)
    );
    // What the logger cannot know is kept, each figure names its test, and taken back it is as
    // before.
    let mut body = with_figures(&plan, &log, "profile-1").unwrap();
    assert_eq!(body["phases"][0]["label"], "self-test");
    assert_eq!(body["phases"][2]["share"]["test"], "profile-1");
    assert!(!found.plot.as_ref().unwrap().trace.is_empty());
    put_back(&mut body, &replaced(&plan, &log).unwrap());
    assert_eq!(
        body,
        serde_json::to_value(plan.device("gate-camera").unwrap()).unwrap()
    );
    let mut gap = test("switchover", "source", "station", None, &[]);
    gap.file = Some(file_of(&plan, Protocol::Switchover, &read("capture-ac-switchover")).unwrap());
    let found = outcome(&plan, &gap).unwrap();
    assert_eq!(found.figures[0].pointer, "/line/transfer_ms");
    assert!(
        (found.figures[0].value - 17.4).abs() < 1.0,
        "{}",
        found.sentence
    );
    assert_eq!(
        found
            .plot
            .unwrap()
            .marks
            .iter()
            .map(|it| it.name.as_str())
            .collect::<Vec<_>>(),
        ["disturbed", "dead"]
    );
    let none = file_of(&plan, Protocol::Switchover, "time_s,watts\n0,1\n1,2\n").unwrap_err();
    assert_eq!(
        none,
        FieldError::of(
            "file",
            "has no column of volts; say which one it is".to_owned()
        )
    );
    let unread = file_of(&plan, Protocol::Idle, "time_s,volts\n0,1\n1,2\n").unwrap_err();
    assert!(
        unread.message.contains("its readings are typed"),
        "{unread}"
    );
}

/// What a test keeps of a file, as the server reads it.
fn file_of(plan: &Plan, protocol: Protocol, text: &str) -> Result<Digest, FieldError> {
    let mut reader = Reader::default().thrifty(fine_s(protocol));
    for line in text.lines() {
        reader.line(line).unwrap();
    }
    digest(plan, protocol, &reader.end().unwrap(), "a file.csv")
}

#[test]
fn every_guide_says_all_that_a_person_needs() {
    let plan = with_extras();
    assert_eq!(guides().len(), Protocol::ALL.len());
    for guide in guides() {
        let all = [
            guide.needs.len(),
            guide.cautions.len(),
            guide.meters.len(),
            guide.steps.len(),
            guide.invalid.len(),
        ];
        assert!(all.iter().all(|it| *it > 0), "{}", guide.title);
        assert!(guide.minutes > 0 && !guide.stop.is_empty() && !guide.disconnect.is_empty());
        assert!(!guide.subjects.is_empty());
        for target in guide.subjects {
            let (kind, id, part) = example(*target);
            let empty = test(guide.protocol.word(), kind, id, part, &[]);
            let found = outcome(&plan, &empty)
                .unwrap_or_else(|why| panic!("{} of {id}: {why:?}", guide.title));
            assert!(
                found.figures.is_empty() && found.lists.is_empty() && !found.sentence.is_empty(),
                "{}",
                guide.title
            );
            let by_hand = readings(&plan, &empty).len();
            assert!(
                by_hand > 0 || guide.file.is_some(),
                "{}: by hand or from a file",
                guide.title
            );
            // A row that was not filled in counts for nothing, and panics nobody.
            let mut gap = empty.clone();
            gap.rows = vec![Row {
                values: vec![None; by_hand],
                struck: None,
            }];
            assert_eq!(
                outcome(&plan, &gap).map(|it| it.figures.len()),
                Ok(0),
                "{}",
                guide.title
            );
        }
    }
    let plan = demo();
    let unknown =
        outcome(&plan, &test("juggling", "device", "gate-camera", None, &[])).unwrap_err();
    assert_eq!(unknown.path, "protocol");
    let huge = outcome(
        &plan,
        &test("idle", "converter", "small-inverter", None, &[&[1e9, 1.0]]),
    )
    .unwrap_err();
    assert_eq!(
        huge,
        FieldError::of(
            "rows",
            "row 1 holds a number that no meter shows".to_owned()
        )
    );
    let wrong: Result<Test, _> = serde_json::from_value(
        json!({"protocol": "idle", "of": {"kind": "device", "id": "x"}, "spoons": 1}),
    );
    assert!(wrong.is_err());
}

/// The demo site with a panel and a charger on it.
fn with_extras() -> Plan {
    let mut text = serde_json::to_value(demo()).unwrap();
    let list = |text: &mut Value, at: &str, item: Value| {
        text.pointer_mut(at)
            .unwrap()
            .as_array_mut()
            .unwrap()
            .push(item);
    };
    list(
        &mut text,
        "/kit/sources",
        json!({"id": "sheet", "label": "Folding panel", "kind": "panel",
        "panel": {"open_v": 22.5}, "ports": [{"id": "out", "current": "dc",
            "voltage": {"regulated_v": 18},
        "limit": {"continuous_w": 120}}]}),
    );
    list(
        &mut text,
        "/kit/converters",
        json!({"id": "lead-charger", "label": "Lead charger, blue case", "kind": "charger",
        "input": {"current": "ac"}, "outputs": [{"id": "out", "current": "dc",
            "voltage": {"regulated_v": 14.4}}]}),
    );
    let bank = text
        .pointer_mut("/kit/sources")
        .unwrap()
        .as_array_mut()
        .unwrap();
    let cabin = bank.iter_mut().find(|it| it["id"] == "cabin-bank").unwrap();
    cabin["inputs"] = json!([{"id": "charge", "kind": "dc", "min_v": 10, "max_v": 16}]);
    list(
        &mut text,
        "/arrangements",
        json!({"id": "topping-up", "label": "Topping up", "feeds": [
        {"from": {"item": "mains", "port": "wall"}, "to": "lead-charger"},
        {"from": {"item": "lead-charger", "port": "out"}, "to": "cabin-bank/charge"}]}),
    );
    Plan::from_value(&text).unwrap()
}

fn example(of: Target) -> (&'static str, &'static str, Option<&'static str>) {
    match of {
        Target::Device => ("device", "gate-camera", None),
        Target::Source | Target::Store => ("source", "station", None),
        Target::Panel => ("source", "sheet", None),
        Target::Converter => ("converter", "small-inverter", None),
        Target::Charger => ("converter", "lead-charger", None),
        Target::Port => ("source", "station", Some("socket")),
        Target::Output => ("converter", "step-up", Some("out")),
        Target::Group => ("source", "station", Some("dc")),
        Target::Input => ("source", "station", Some("wall")),
        Target::Lead => ("arrangement", "camera-direct", Some("gate-camera")),
        Target::Arrangement => ("arrangement", "direct", None),
    }
}

fn near(found: f64, wanted: f64, tolerance: f64, what: &str) {
    assert!(
        (found - wanted).abs() <= tolerance,
        "{what}: {found} instead of {wanted} ± {tolerance}"
    );
}

/// Half-widths as displays and plug-in meters have them.
fn display(step: f64) -> Instrument {
    Instrument {
        name: None,
        share: 0.0,
        fixed: 0.0,
        step,
    }
}

#[test]
fn two_ways_are_told_apart_only_by_more_than_the_displays_may_be_off() {
    let plan = demo();
    let mut drop = test(
        "charge-drop",
        "source",
        "station",
        None,
        &[&[1.0, 100.0, 80.0, 8.0], &[2.0, 100.0, 86.0, 8.0]],
    );
    drop.meters = vec![
        Instrument::default(),
        display(1.0),
        display(1.0),
        Instrument::default(),
    ];
    let found = outcome(&plan, &drop).unwrap();
    near(
        found.told[0].value,
        0.2 * 716.0 / 8.0,
        1e-9,
        "the first way",
    );
    near(
        found.told[2].value,
        0.06 * 716.0 / 8.0,
        1e-9,
        "the difference",
    );
    // Four readings of whole per cents, each off by 1/√3: √4 of that.
    near(
        found.told[2].plus_minus.unwrap(),
        (4.0_f64 / 3.0).sqrt() / 100.0 * 716.0 / 8.0,
        1e-9,
        "its ±",
    );
    assert!(
        found.sentence.contains("the second way takes")
            && found.sentence.contains("more than the displays"),
        "{}",
        found.sentence
    );
    assert!(found.questions.is_empty() && found.figures.is_empty());
    // One per cent apart cannot be told from whole per cents, and how long it would take is said.
    drop.rows[1].values[2] = Some(81.0);
    let close = outcome(&plan, &drop).unwrap();
    assert!(
        close.sentence.contains("cannot tell") && close.sentence.contains("10 h"),
        "{}",
        close.sentence
    );
    // From another state, or for another length: asked.
    drop.rows[1].values = vec![Some(2.0), Some(60.0), Some(46.0), Some(8.0)];
    assert!(
        outcome(&plan, &drop).unwrap().questions[0]
            .sentence
            .contains("started at 60 %")
    );
    drop.rows[1].values = vec![Some(2.0), Some(100.0), Some(93.0), Some(4.0)];
    assert!(
        outcome(&plan, &drop).unwrap().questions[0]
            .sentence
            .contains("unlike lengths")
    );
    drop.rows[1].values[0] = Some(3.0);
    assert!(
        outcome(&plan, &drop)
            .unwrap_err()
            .message
            .starts_with("row 2: the way is 1 or 2")
    );
}

#[test]
fn idle_by_drop_is_what_the_display_falls_over_the_hours() {
    let plan = demo();
    let mut night = test(
        "idle-by-drop",
        "source",
        "station",
        Some("outlet"),
        &[&[100.0, 85.0, 11.0]],
    );
    night.meters = vec![display(1.0), display(1.0), display(0.05)];
    let found = outcome(&plan, &night).unwrap();
    let given = &found.figures[0];
    near(given.value, 0.15 * 716.0 / 11.0, 1e-9, "idle");
    assert_eq!(
        (given.pointer.as_str(), given.now),
        ("/ports/2/loss/idle_w", Some(9.6))
    );
    assert!(
        found.sentence.contains("of all that") && given.plus_minus > 0.5,
        "{}",
        found.sentence
    );
    night.rows[0].values[0] = Some(120.0);
    assert!(
        outcome(&plan, &night)
            .unwrap_err()
            .message
            .contains("0 to 100 %")
    );
    let none = test("idle-by-drop", "source", "mains", Some("wall"), &[]);
    assert!(
        outcome(&plan, &none)
            .unwrap_err()
            .message
            .contains("stores nothing")
    );
}

#[test]
fn capacity_is_the_area_under_the_log_brought_to_the_rated_hours() {
    let plan = demo();
    // 100 Ah of lithium iron phosphate, emptied at 10 A: volts fall in a straight line, so the
    // trapezium is exact.
    let row = |hours: f64| [hours, 13.2 - 0.3 * hours, 10.0];
    let rows: Vec<[f64; 3]> = (0..=18)
        .map(|it| row(f64::from(it) / 2.0))
        .chain([[9.3, 10.4, 10.0]])
        .collect();
    let list: Vec<&[f64]> = rows.iter().map(<[f64; 3]>::as_slice).collect();
    let found = outcome(
        &plan,
        &test("capacity", "source", "house-bank", None, &list),
    )
    .unwrap();
    near(found.told[0].value, 93.0, 1e-9, "Ah");
    near(
        found.told[1].value,
        10.0 * (9.0 * (13.2 + 10.5) / 2.0 + 0.3 * (10.5 + 10.4) / 2.0),
        1e-6,
        "Wh",
    );
    near(
        found.figures[0].value,
        93.0,
        1e-9,
        "below the rated current nothing is added",
    );
    assert!(
        found.sentence.contains("93 % of what the plan has"),
        "{}",
        found.sentence
    );
    // Not yet empty gives no figure; hours that fall are refused.
    let early = outcome(
        &plan,
        &test("capacity", "source", "house-bank", None, &list[..12]),
    )
    .unwrap();
    assert!(
        early.figures.is_empty() && early.sentence.contains("above the cut-off still"),
        "{}",
        early.sentence
    );
    let back = outcome(
        &plan,
        &test(
            "capacity",
            "source",
            "house-bank",
            None,
            &[list[1], list[0], list[2]],
        ),
    )
    .unwrap_err();
    assert_eq!(back.message, "row 2: the hours must rise");
    // Lead that is emptied in 4 of its 20 hours gives less than it is rated for (Peukert):
    // C·(5·C_measured/C)^0.1 …
    let amps = 55.0 / 4.0;
    let lead: Vec<[f64; 3]> = (0..=8)
        .map(|it| [f64::from(it) / 2.0, 12.4 - 0.2 * f64::from(it), amps])
        .collect();
    let list: Vec<&[f64]> = lead.iter().map(<[f64; 3]>::as_slice).collect();
    let found = outcome(
        &plan,
        &test("capacity", "source", "cabin-bank", None, &list),
    )
    .unwrap();
    let kind = ash_pond_core::site::chemistry::find("agm").unwrap();
    let rated = found.figures[0].value;
    near(
        rated,
        55.0 * (amps * kind.rated_hours / rated).powf(kind.peukert - 1.0),
        1e-6,
        "Peukert",
    );
    assert!(rated > 55.0);
    // A logger's file gives the same.
    let mut file = test("capacity", "source", "house-bank", None, &[]);
    let lines: Vec<String> = rows
        .iter()
        .map(|it| format!("{};{};{}", it[0] * 3600.0, it[1], it[2]))
        .collect();
    file.file = Some(
        file_of(
            &plan,
            Protocol::Capacity,
            &format!("time_s;volts;amps\n{}\n", lines.join("\n")),
        )
        .unwrap(),
    );
    near(
        outcome(&plan, &file).unwrap().figures[0].value,
        93.0,
        1e-9,
        "from a file",
    );
}

/// A store of 300 Wh with a socket that loses something and an outlet, each with a load of so many
/// watts on it.
fn boxed(battery: &Value, loss: &Value, watts: f64) -> Plan {
    Plan::from_value(&json!({
        "format": "ash-pond/plan", "version": 1, "site": {"name": "boxed", "ambient_c": 20},
        "kit": {"devices": [
            {"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12},
                "phases": [{"when": "running", "watts": watts}]},
            {"id": "kettle", "label": "Kettle", "input": {"current": "ac", "rated_v": 230},
                "phases": [{"when": "running", "watts": watts}]}],
        "sources": [{"id": "box", "label": "Box", "kind": "power_station", "battery": battery,
            "ports": [
            {"id": "socket", "label": "socket", "current": "dc", "voltage": {"regulated_v": 13.6},
                "loss": loss},
            {"id": "outlet", "label": "outlet", "current": "ac", "voltage": {"ac_v": 230},
                "loss": loss}]}]},
        "arrangements": [
            {"id": "dc", "label": "DC", "feeds": [{"from": {"item": "box", "port": "socket"},
                "to": "lamp"}]},
            {"id": "ac", "label": "AC", "feeds": [{"from": {"item": "box", "port": "outlet"},
                "to": "kettle"}]}],
        "outages": [{"id": "long", "label": "Long", "start": "2026-01-10T18:00", "hours": 400,
            "use_everything": true}],
    }))
    .unwrap()
}

/// How long the box carries its load, h: by the march of an outage.
fn carried(plan: &Plan, way: &str) -> f64 {
    let found = ash_pond_core::time::outage::simulate(
        plan,
        plan.arrangement(way).unwrap(),
        &plan.outages[0],
        None,
    );
    found
        .devices
        .values()
        .next()
        .and_then(|it| it.down_at_h)
        .expect("it ends within 400 hours")
}

#[test]
fn capacity_behind_a_port_adds_what_the_port_loses_and_says_at_least_where_something_gave_up() {
    let loss = json!({"idle_w": {"value": 1.5, "plus_minus": 0.2, "basis": "measured"},
        "proportional": {"value": 0.1, "plus_minus": 0.01}});
    let plan = boxed(&json!({"chemistry": "li_ion", "energy_wh": 60}), &loss, 6.0);
    // 26.2 Wh came out in 4.4 h: 26.2 × 1.1 + 1.5 × 4.4 = 35.42 Wh from the store.
    let mut it = test("capacity", "source", "box", None, &[&[4.4, 26.2]]);
    (it.place, it.counted) = (Some("socket".into()), Some(true));
    let found = outcome(&plan, &it).unwrap();
    let given = &found.figures[0];
    assert_eq!(
        (given.pointer.as_str(), given.now),
        ("/battery/energy_wh", Some(60.0))
    );
    near(given.value, 35.42, 1e-9, "energy");
    // Sure meters: the law alone, 0.2 × 4.4 and 0.01 × 26.2.
    near(given.plus_minus, 0.88_f64.hypot(0.262), 1e-9, "±");
    assert_eq!(
        readings(&plan, &it)
            .iter()
            .map(|it| it.unit)
            .collect::<Vec<_>>(),
        ["h", "Wh"]
    );
    assert!(
        found.sentence.contains("26.2 Wh behind socket") && found.sentence.contains("59 %"),
        "{}",
        found.sentence
    );
    // Rows in between tell the same where the load was steady, and the meter's own ± comes in with
    // the slope.
    it.rows = test("", "", "", None, &[&[0.0, 0.0], &[2.2, 13.1], &[4.4, 26.2]]).rows;
    it.meters = vec![
        Instrument::default(),
        Instrument {
            name: None,
            share: 0.02,
            fixed: 0.0,
            step: 0.0,
        },
    ];
    let wider = outcome(&plan, &it).unwrap();
    near(wider.figures[0].value, 35.42, 1e-9, "three rows");
    near(
        wider.figures[0].plus_minus,
        0.88_f64.hypot(0.262).hypot(1.1 * 0.02 * 26.2),
        1e-9,
        "with its meter",
    );
    // On alternating current it always counts; the outlet's own law is taken.
    (it.place, it.counted) = (Some("outlet".into()), None);
    near(
        outcome(&plan, &it).unwrap().figures[0].value,
        35.42,
        1e-9,
        "outlet",
    );
    // What gave up first leaves a bound and no figure.
    it.quit = Some("the lamp".into());
    let least = outcome(&plan, &it).unwrap();
    assert!(
        least.figures.is_empty() && least.sentence.starts_with("At least 34"),
        "{}",
        least.sentence
    );
    assert!(
        least
            .sentence
            .contains("the lamp gave up before the store did"),
        "{}",
        least.sentence
    );
    assert!(with_figures(&plan, &it, "t1").is_err());
    // At the terminals nothing is added.
    (it.place, it.counted, it.quit) = (Some("terminals".into()), Some(true), None);
    near(
        outcome(&plan, &it).unwrap().figures[0].value,
        26.2,
        1e-9,
        "terminals",
    );
    // What cannot be is named.
    it.place = Some("roof".into());
    let FieldError { path, message: why } = outcome(&plan, &it).unwrap_err();
    assert_eq!(path, "place");
    assert!(why.contains("terminals, socket, outlet"), "{why}");
    let mut idle = test("idle", "source", "box", Some("socket"), &[&[13.6, 0.1]]);
    idle.place = Some("socket".into());
    assert_eq!(outcome(&plan, &idle).unwrap_err().path, "place");
    (it.place, it.rows) = (
        Some("socket".into()),
        test("", "", "", None, &[&[4.4, 13.6, 0.4]]).rows,
    );
    assert!(
        outcome(&plan, &it)
            .unwrap_err()
            .message
            .starts_with("row 1 has 3 readings; where a meter counts")
    );
    it.rows = test("", "", "", None, &[&[2.2, 26.2], &[4.4, 13.1]]).rows;
    assert_eq!(
        outcome(&plan, &it).unwrap_err().message,
        "row 2: the watt-hours fall; count on from the first row"
    );
}

#[test]
fn one_pair_gives_the_efficiency_at_its_load_and_no_law() {
    let plan = demo();
    let mut pair = test(
        "efficiency",
        "converter",
        "small-inverter",
        None,
        &[&[12.5, 4.4, 230.0, 0.2]],
    );
    let meter = |share| Instrument {
        name: None,
        share,
        fixed: 0.0,
        step: 0.0,
    };
    pair.meters = vec![meter(0.005), meter(0.01), meter(0.005), meter(0.01)];
    let found = outcome(&plan, &pair).unwrap();
    assert!(found.figures.is_empty() && found.fit.is_none());
    let told = &found.told[0];
    near(told.value, 100.0 * 46.0 / 55.0, 1e-9, "efficiency");
    near(
        told.plus_minus.unwrap(),
        told.value * (2.0 * (0.005_f64.powi(2) + 0.01_f64.powi(2))).sqrt(),
        1e-9,
        "±",
    );
    assert!(
        found
            .sentence
            .starts_with("83.6 ± 1.3 % at 46 W comes out. No law yet"),
        "{}",
        found.sentence
    );
    // More out than in is asked about.
    pair.rows[0].values = vec![Some(12.5), Some(2.0), Some(230.0), Some(0.2)];
    let odd = outcome(&plan, &pair).unwrap();
    assert!(
        odd.told.is_empty() && odd.questions[0].sentence.contains("swap the columns"),
        "{:?}",
        odd.questions
    );
}

#[test]
fn runs_at_known_loads_tell_what_a_port_loses() {
    let loss = json!({"idle_w": {"value": 3, "plus_minus": 0.1}, "proportional": {"value": 0.2,
        "plus_minus": 0.1}});
    let battery = json!({"chemistry": "lfp", "energy_wh": {"value": 500, "plus_minus": 10}});
    let plan = boxed(&battery, &loss, 6.0);
    let drop = |rows: &[&[f64]]| {
        let mut it = test("idle-by-drop", "source", "box", Some("socket"), rows);
        it.meters = vec![
            Instrument {
                name: None,
                share: 0.0,
                fixed: 0.0,
                step: 1.0
            };
            2
        ];
        outcome(&plan, &it).unwrap()
    };
    // 50 W for 8 h out of 95 % of 500 Wh are 59.4 W: with 3 W of idle draw 6.4 W of 50 go with the
    // load.
    let one = drop(&[&[100.0, 5.0, 8.0, 50.0]]);
    assert_eq!(one.figures.len(), 1, "{}", one.sentence);
    let given = &one.figures[0];
    assert_eq!(given.pointer, "/ports/0/loss/proportional");
    near(
        given.value,
        (475.0 / 8.0 - 50.0 - 3.0) / 50.0,
        1e-9,
        "per watt",
    );
    near(
        one.told[0].value,
        100.0 * 50.0 * 8.0 / 475.0,
        1e-9,
        "efficiency",
    );
    // With nothing on it and with a load the two are told apart: 4 W and 0.09.
    let plan = boxed(&battery, &json!({"idle_w": 3, "proportional": 0.2}), 6.0);
    let drop = |rows: &[&[f64]]| {
        let mut it = test("idle-by-drop", "source", "box", Some("socket"), rows);
        it.meters = vec![
            Instrument {
                name: None,
                share: 0.0,
                fixed: 0.0,
                step: 1.0
            };
            2
        ];
        outcome(&plan, &it).unwrap()
    };
    let both = drop(&[&[100.0, 76.0, 30.0, 0.0], &[100.0, 6.0, 8.0, 50.0]]);
    near(both.figures[0].value, 4.0, 1e-9, "idle");
    assert_eq!(both.figures[0].pointer, "/ports/0/loss/idle_w");
    let per_watt = (470.0 / 8.0 - 50.0 - 4.0) / 50.0;
    near(both.figures[1].value, per_watt, 1e-9, "per watt");
    // More than the store can have given.
    assert!(
        drop(&[&[100.0, 80.0, 8.0, 50.0]])
            .sentence
            .contains("holds more than the plan says")
    );
}

proptest::proptest! {
    #![proptest_config(proptest::prelude::ProptestConfig {
        rng_seed: proptest::test_runner::RngSeed::Fixed(4), cases: 48, ..Default::default()
    })]

    /// What is measured behind a port and what is predicted there agree to 1 %: the march empties a
    /// store through a port, the bench is told what came out, and finds what the store holds.
    #[test]
    fn measured_behind_a_port_and_predicted_there_agree(
        idle in 0.0_f64..6.0, proportional in 0.0_f64..0.2, quadratic in 0.0_f64..1e-3,
            watts in 2.0_f64..60.0, is_cells in proptest::bool::ANY,
            is_counted in proptest::bool::ANY,
    ) {
        let battery = if is_cells {
            json!({"chemistry": "lfp", "cells": 4, "capacity_ah": 25, "internal_ohm": 0.01})
        } else {
            json!({"chemistry": "li_ion", "energy_wh": 300})
        };
        let loss = json!({"idle_w": idle, "proportional": proportional,
            "quadratic_per_w": quadratic});
        let plan = boxed(&battery, &loss, watts);
        let hours = carried(&plan, "dc");
        let rows: Vec<Vec<f64>> = if is_counted {
            vec![vec![hours, watts * hours]]
        } else {
            (0..=10).map(|it| vec![hours * f64::from(it) / 10.0, 13.6, watts / 13.6]).collect()
        };
        let mut it = test("capacity", "source", "box", None,
            &rows.iter().map(Vec::as_slice).collect::<Vec<_>>());
        (it.place, it.counted, it.battery_c) = (Some("socket".into()), Some(is_counted),
            Some(20.0));
        let found = outcome(&plan, &it).unwrap();
        let (value, truth) = (found.figures[0].value, if is_cells { 25.0 } else { 300.0 });
        proptest::prop_assert!((value / truth - 1.0).abs() < 0.01, "{value} of {truth} in {hours} \
            h");
        // Put in, the same hours are predicted.
        let mut body = serde_json::to_value(&plan).unwrap();
        body["kit"]["sources"][0] = with_figures(&plan, &it, "t1").unwrap();
        let again = carried(&Plan::from_value(&body).unwrap(), "dc");
        proptest::prop_assert!((again / hours - 1.0).abs() < 0.01, "{again} h, measured over \
            {hours} h");
    }
}

#[test]
fn what_held_is_planned_with_and_what_tripped_is_told() {
    let plan = demo();
    let rows: [&[f64]; 4] = [
        &[6.0, 60.0, 0.0],
        &[7.0, 60.0, 0.0],
        &[7.4, 90.0, 0.0],
        &[7.8, 12.0, 1.0],
    ];
    let found = outcome(
        &plan,
        &test("trip-level", "source", "station", Some("socket"), &rows),
    )
    .unwrap();
    let given = &found.figures[0];
    assert_eq!(
        (given.pointer.as_str(), given.now, given.value),
        ("/ports/0/limit/continuous_a", Some(8.0), 7.4)
    );
    near(found.told[0].value, 7.6, 1e-9, "between");
    near(
        found.told[0].plus_minus.unwrap(),
        0.4 / 3_f64.sqrt(),
        1e-9,
        "a rectangle",
    );
    // Held for ten seconds is not held.
    let short = outcome(
        &plan,
        &test(
            "trip-level",
            "source",
            "station",
            Some("socket"),
            &[&[7.0, 10.0, 0.0]],
        ),
    )
    .unwrap();
    assert!(
        short.figures.is_empty() && short.questions[0].sentence.contains("a minute"),
        "{:?}",
        short.questions
    );
    // Tripped below what it held: asked, and nothing given.
    let warm: [&[f64]; 2] = [&[7.0, 60.0, 0.0], &[6.0, 5.0, 1.0]];
    let warm = outcome(
        &plan,
        &test("trip-level", "source", "station", Some("socket"), &warm),
    )
    .unwrap();
    assert!(warm.figures.is_empty() && warm.questions[0].sentence.contains("warm"));
    // In watts where the port is rated in watts.
    let outlet = test(
        "trip-level",
        "source",
        "station",
        Some("outlet"),
        &[&[400.0, 60.0, 0.0], &[420.0, 8.0, 1.0]],
    );
    assert_eq!(readings(&plan, &outlet)[0].unit, "W");
    assert_eq!(
        outcome(&plan, &outlet).unwrap().figures[0].pointer,
        "/ports/2/limit/continuous_w"
    );
}

#[test]
fn a_surge_gives_the_overloads_of_its_port() {
    let plan = demo();
    let rows: [&[f64]; 4] = [
        &[700.0, 25.0, 0.0],
        &[900.0, 8.0, 1.0],
        &[900.0, 7.0, 1.0],
        &[1100.0, 1.5, 1.0],
    ];
    let surge = test("surge", "source", "station", Some("outlet"), &rows);
    let found = outcome(&plan, &surge).unwrap();
    let list = &found.lists[0];
    let seconds: Vec<f64> = list
        .value
        .as_array()
        .unwrap()
        .iter()
        .map(|it| it["for_s"]["value"].as_f64().unwrap())
        .collect();
    assert_eq!(
        (list.pointer.as_str(), seconds),
        ("/ports/2/limit/overload", vec![25.0, 7.0, 1.5])
    );
    assert!(
        found.sentence.contains("700 W for 25 s or longer"),
        "{}",
        found.sentence
    );
    // The plan with it in is a plan, and taken back it is what it was.
    let body = with_figures(&plan, &surge, "surge-1").unwrap();
    let mut text = serde_json::to_value(&plan).unwrap();
    let sources = text["kit"]["sources"].as_array_mut().unwrap();
    let station = sources.iter_mut().find(|it| it["id"] == "station").unwrap();
    let before = std::mem::replace(station, body.clone());
    let after = Plan::from_value(&text).unwrap();
    assert_eq!(
        outcome(&after, &surge).unwrap().lists[0]
            .now_test
            .as_deref(),
        Some("surge-1")
    );
    let mut back = body;
    put_back(&mut back, &replaced(&plan, &surge).unwrap());
    assert_eq!(back, before);
    // More for longer is less for as long at least; within the rating is no surge.
    let rows: [&[f64]; 3] = [&[500.0, 9.0, 0.0], &[700.0, 5.0, 0.0], &[900.0, 20.0, 1.0]];
    let found = outcome(
        &plan,
        &test("surge", "source", "station", Some("outlet"), &rows),
    )
    .unwrap();
    assert_eq!(found.lists[0].value[0]["for_s"]["value"], 20.0);
    assert_eq!(
        found.questions.iter().map(|it| it.row).collect::<Vec<_>>(),
        [0]
    );
}

#[test]
fn a_port_that_turns_itself_off_and_ports_that_trip_together() {
    let plan = demo();
    let rows: [&[f64]; 3] = [&[2.0, 118.0, 1.0], &[4.0, 122.0, 1.0], &[6.0, 240.0, 0.0]];
    let found = outcome(
        &plan,
        &test("auto-off", "source", "station", Some("outlet"), &rows),
    )
    .unwrap();
    near(found.figures[0].value, 5.0, 1e-9, "threshold");
    near(
        found.figures[0].plus_minus,
        2.0 / 3_f64.sqrt(),
        1e-9,
        "its ±",
    );
    near(found.figures[1].value, 7200.0, 1e-9, "delay");
    // Watched for less than the delay says nothing.
    let short: [&[f64]; 2] = [&[2.0, 120.0, 1.0], &[6.0, 60.0, 0.0]];
    let short = outcome(
        &plan,
        &test("auto-off", "source", "station", Some("outlet"), &short),
    )
    .unwrap();
    assert!(
        short.figures.is_empty() && short.questions[0].sentence.contains("60 min only"),
        "{:?}",
        short.questions
    );

    let shared = test(
        "shared-budget",
        "source",
        "station",
        Some("dc"),
        &[&[80.0, 30.0, 0.0], &[80.0, 45.0, 1.0]],
    );
    let names: Vec<String> = readings(&plan, &shared)
        .into_iter()
        .map(|it| it.name)
        .collect();
    assert_eq!(names.len(), 3, "{names:?}");
    let found = outcome(&plan, &shared).unwrap();
    assert_eq!(
        (found.figures[0].pointer.as_str(), found.figures[0].value),
        ("/groups/0/limit/continuous_w", 110.0)
    );
}

#[test]
fn a_run_shorter_than_its_settling_tells_where_it_ends() {
    let plan = demo();
    let warm = |rise: f64, tau: f64, minutes: f64| 15.0 + rise * (1.0 - (-minutes / tau).exp());
    let rows = |rise: f64, tau: f64, last: u32| -> Vec<Vec<f64>> {
        (0..=last / 3)
            .map(|it| f64::from(it) * 3.0)
            .map(|t| vec![t, warm(rise, tau, t), 15.0, 60.0])
            .collect()
    };
    let soak = |rows: &[Vec<f64>]| {
        let list: Vec<&[f64]> = rows.iter().map(Vec::as_slice).collect();
        test("heat-soak", "converter", "small-inverter", None, &list)
    };
    let found = outcome(&plan, &soak(&rows(22.0, 20.0, 30))).unwrap();
    near(found.told[0].value, 22.0, 1e-3, "final rise");
    let constant = found
        .figures
        .iter()
        .find(|it| it.pointer == "/thermal/time_constant_s")
        .unwrap();
    near(constant.value, 1200.0, 0.1, "time constant");
    // Heat goes with the loss: at full load the rise is as much higher as the loss is.
    let law = plan.converter("small-inverter").unwrap().loss.as_ref();
    let law = ash_pond_core::network::Law::of(law);
    let full = plan.converter("small-inverter").unwrap().outputs[0]
        .limit
        .as_ref()
        .unwrap()
        .continuous_w
        .as_ref()
        .unwrap()
        .get();
    let scaled = 22.0 * (law.input(full) - full) / (law.input(60.0) - 60.0);
    let given = found
        .figures
        .iter()
        .find(|it| it.pointer == "/thermal/full_load_rise_c")
        .unwrap();
    near(given.value, scaled, 1e-2, "rise at full load");
    assert!(
        found.sentence.contains("where it is mounted"),
        "{}",
        found.sentence
    );
    let flat = outcome(&plan, &soak(&rows(22.0, 5000.0, 30))).unwrap();
    assert!(
        flat.figures.is_empty() && flat.sentence.contains("straight line"),
        "{}",
        flat.sentence
    );
}

#[test]
fn charging_tells_what_is_stored_and_how_it_tapers() {
    let plan = demo();
    let rows: [&[f64]; 5] = [
        &[0.0, 20.0, 0.0],
        &[1.0, 50.0, 244.0],
        &[2.0, 80.0, 488.0],
        &[3.0, 95.0, 612.0],
        &[4.0, 100.0, 655.0],
    ];
    let found = outcome(
        &plan,
        &test("charging", "source", "station", Some("wall"), &rows),
    )
    .unwrap();
    near(
        found.figures[0].value,
        0.8 * 716.0 / 655.0,
        1e-9,
        "efficiency",
    );
    assert_eq!(found.figures[0].pointer, "/inputs/0/efficiency");
    assert!(
        found.sentence.contains("80 % after 2 h") && found.sentence.contains("100 % after 4 h"),
        "{}",
        found.sentence
    );
    assert!(
        found.sentence.contains("244 W at first") && found.sentence.contains("in the last fifth"),
        "{}",
        found.sentence
    );
    // From 80 % on it takes less; what it took before is what it takes at most.
    assert!(
        found.sentence.contains("takes less from 80 % on"),
        "{}",
        found.sentence
    );
    assert_eq!(found.figures[1].pointer, "/inputs/0/max_w");
    near(found.figures[1].value, 244.0, 1e-9, "takes at most");
    assert!(found.questions.is_empty());
    // An hour at half, and more again after it: warmth, or a load.
    let warm: [&[f64]; 6] = [
        &[0.0, 10.0, 0.0],
        &[1.0, 40.0, 244.0],
        &[2.0, 55.0, 366.0],
        &[3.0, 80.0, 610.0],
        &[4.0, 95.0, 730.0],
        &[5.0, 100.0, 770.0],
    ];
    let warm = outcome(
        &plan,
        &test("charging", "source", "station", Some("wall"), &warm),
    )
    .unwrap();
    assert_eq!(
        warm.questions.iter().map(|it| it.row).collect::<Vec<_>>(),
        [2],
        "{:?}",
        warm.questions
    );
    let lies: [&[f64]; 2] = [&[0.0, 10.0, 0.0], &[2.0, 100.0, 300.0]];
    let lies = outcome(
        &plan,
        &test("charging", "source", "station", Some("wall"), &lies),
    )
    .unwrap();
    assert!(
        lies.figures.is_empty() && lies.sentence.contains("More is stored than was drawn"),
        "{}",
        lies.sentence
    );
}

#[test]
fn none_of_ten_still_leaves_a_third() {
    let plan = demo();
    let mut eye = test(
        "switchover-by-eye",
        "arrangement",
        "camera-inverter",
        None,
        &[],
    );
    assert_eq!(
        readings(&plan, &eye)
            .iter()
            .map(|it| it.name.as_str())
            .collect::<Vec<_>>(),
        ["Gate camera"]
    );
    eye.rows = vec![
        Row {
            values: vec![Some(0.0)],
            struck: None
        };
        10
    ];
    let never = outcome(&plan, &eye).unwrap();
    // 1 − 0.025^(1/10), the exact upper end for none of ten.
    assert!(
        never.sentence.contains("never (up to 30.8 %)"),
        "{}",
        never.sentence
    );
    near(
        never.plot.unwrap().points[0].y.value * 2.0,
        100.0 * (1.0 - 0.025_f64.powf(0.1)),
        1e-6,
        "upper end",
    );
    eye.rows[3].values[0] = Some(1.0);
    // The interval of 1 in 10 as tables have it: 0.25 % to 44.5 %.
    let once = outcome(&plan, &eye).unwrap();
    assert!(
        once.sentence.contains("once (0.25 % to 44.5 %)"),
        "{}",
        once.sentence
    );
    eye.rows[4].values[0] = Some(2.0);
    assert_eq!(outcome(&plan, &eye).unwrap().questions[0].row, 4);
}

#[test]
fn panels_chargers_and_walks_are_judged() {
    let plan = with_extras();
    let sun = |cell: f64, share: f64| {
        let cold = 1.0 - 0.003 * (cell - 25.0);
        [
            22.0 * cold,
            18.0,
            5.5 * share * (1.0 - 0.004 * (cell - 25.0)),
            cell,
            1000.0 * share,
        ]
    };
    let rows = [sun(45.0, 0.9), sun(50.0, 0.8), sun(40.0, 1.0)];
    let list: Vec<&[f64]> = rows.iter().map(<[f64; 5]>::as_slice).collect();
    let found = outcome(&plan, &test("panel", "source", "sheet", None, &list)).unwrap();
    near(found.figures[0].value, 22.0, 1e-9, "open at 25 °C");
    near(found.figures[1].value, 99.0, 1e-9, "full sun");
    assert!(
        found.sentence.contains("82.5 % of its 120 W"),
        "{}",
        found.sentence
    );

    let judged = |row: [f64; 4]| {
        outcome(
            &plan,
            &test("charger", "converter", "lead-charger", None, &[&row]),
        )
        .unwrap()
    };
    let right = judged([14.5, 13.6, 0.0, 25.0]);
    let given: Vec<(&str, f64)> = right
        .figures
        .iter()
        .map(|it| (it.pointer.as_str(), it.value))
        .collect();
    assert_eq!(
        given,
        [("/outputs/0/voltage/regulated_v", 14.5), ("/float_v", 13.6)]
    );
    // What hangs on the bank and does not stand it is named: the plan with these volts in it,
    // judged.
    let high = judged([16.5, 13.6, 0.0, 25.0]);
    assert!(!high.sentence.contains("House bank"), "{}", high.sentence);
    assert!(
        high.sentence.contains("May destroy Diesel heater")
            && !right.sentence.contains("Diesel heater"),
        "{}",
        high.sentence
    );
    assert_eq!(
        right.sentence.plain().matches("is right").count(),
        2,
        "{}",
        right.sentence
    );
    assert!(
        judged([14.5, 13.6, 15.8, 25.0])
            .sentence
            .contains("equalising at 15.8 V is refused")
    );
    assert!(
        judged([15.2, 13.6, 0.0, 25.0])
            .sentence
            .contains("too high: it wears out")
    );
    // Warm lead is charged with less: what was right at 25 °C is too high at 45.
    assert!(
        judged([14.65, 13.6, 0.0, 45.0])
            .sentence
            .contains("Charging at 14.7 V is too high"),
        "{}",
        judged([14.65, 13.6, 0.0, 45.0]).sentence
    );

    let mut walk = test("walk", "arrangement", "camera-direct", None, &[]);
    let joints = readings(&plan, &walk);
    assert_eq!(joints.len(), 2, "{joints:?}");
    walk.rows = vec![Row {
        values: vec![Some(13.7), Some(13.5)],
        struck: None,
    }];
    let right = outcome(&plan, &walk).unwrap();
    assert!(
        right.sentence.starts_with("All 2 joints are right"),
        "{}",
        right.sentence
    );
    walk.rows[0].values[1] = Some(-13.1);
    let reversed = outcome(&plan, &walk).unwrap();
    assert!(
        reversed.questions.len() == 1 && reversed.sentence.starts_with("Stopped at"),
        "{}",
        reversed.sentence
    );
}

#[test]
fn thinning_loses_no_swing_and_keeps_the_order() {
    let samples = (0..100_000).map(|it| {
        let x = f64::from(it);
        (
            x,
            if it == 54_321 {
                900.0
            } else {
                (x / 50.0).sin()
            },
        )
    });
    let thin = thinned(samples, 500);
    assert!(thin.len() <= 500 && thin.windows(2).all(|it| it[0].x < it[1].x));
    assert!(thin.iter().any(|it| it.high > 899.0));
    assert!(thin.iter().all(|it| it.low >= -1.0 && it.low <= it.high));
    assert!(thinned([(f64::NAN, 1.0), (1.0, f64::NAN)].into_iter(), 10).is_empty());
    assert_eq!(thinned([(1.0, 5.0)].into_iter(), 10).len(), 1);
}

#[test]
fn a_file_of_any_length_is_held_by_its_time_and_not_by_its_rows() {
    let plan = demo();
    // 50 Hz with 20 ms missing, a sample every 2 µs: ten samples are taken together, and the gap is
    // the same.
    let wave = |t: f64| {
        if (0.2..0.22).contains(&t) {
            0.0
        } else {
            325.0 * (314.159_265 * t).sin()
        }
    };
    let read = |step: f64, rows: u32, thrifty: bool| {
        let mut reader = Reader::default();
        if thrifty {
            reader = reader.thrifty(fine_s(Protocol::Switchover));
        }
        reader.line("time_s,volts,channel").unwrap();
        for index in 0..rows {
            let t = f64::from(index) * step;
            reader
                .line(
                    &format!("{t:.7},{:.3},a", wave(t))
                        .replace(",a", if thrifty { ",a" } else { ",1" }),
                )
                .unwrap();
        }
        reader.end().unwrap()
    };
    let (fine, coarse) = (read(2e-6, 200_000, true), read(1e-4, 4000, false));
    assert_eq!(fine.rows, 200_000);
    assert!(
        fine.values[0].len() <= 22_000 && fine.values[2].is_empty(),
        "{}",
        fine.values[0].len()
    );
    let found = |log| {
        digest(&plan, Protocol::Switchover, log, "")
            .unwrap()
            .capture
            .unwrap()
    };
    near(
        found(&fine).dead_ms.unwrap(),
        found(&coarse).dead_ms.unwrap(),
        0.3,
        "dead",
    );
    // The wave itself is under a tenth of its peak for 0.32 ms on either side.
    near(found(&fine).dead_ms.unwrap(), 20.638, 0.05, "dead");
}

#[test]
fn columns_are_what_somebody_says_and_gaps_and_doubles_are_told() {
    let picks = |words: &[&str]| words.iter().map(|it| it.parse().unwrap()).collect();
    let mut reader = Reader::default()
        .picked(picks(&["other", "time:0.001", "watts"]))
        .thrifty(0.0);
    for line in [
        "who,when,what",
        "me,0,5",
        "you,1000,6",
        "me,1000,6.5",
        "me,2000,7",
    ] {
        reader.line(line).unwrap();
    }
    for at in 3..20 {
        reader
            .line(&format!(
                "me,{},8",
                at * 1000 + if at > 10 { 60_000 } else { 0 }
            ))
            .unwrap();
    }
    let log = reader.end().unwrap();
    assert_eq!((log.rows, log.doubles, log.gaps), (21, 1, 1));
    let file = digest(&demo(), Protocol::Profile, &log, "night.csv").unwrap();
    assert_eq!(
        file.remarks,
        [
            "one gap: what happened there is not known",
            "one row with the time of the row before"
        ]
    );
    assert!((file.seconds - 79.0).abs() < 1e-9 && file.name == "night.csv");
    let mut few = Reader::default().picked(picks(&["time"]));
    assert!(
        few.line("time_s,volts")
            .unwrap_err()
            .sentence
            .contains("2 columns stand in the head, and 1 are said")
    );
}

#[test]
fn a_log_of_a_week_is_held_in_a_few_hundred_thousand_rows_and_says_the_same() {
    let watts = |second: u32| match second % 3600 {
        0..60 => 0.0,
        60..100 => 11.0,
        it if it % 300 < 120 => 9.0,
        _ => 5.5,
    };
    let read = |seconds: u32, step: f64| {
        let mut reader = Reader::default().thrifty(fine_s(Protocol::Profile));
        reader.line("time_s,watts").unwrap();
        let rows = (0..)
            .map(|it| f64::from(it) * step)
            .take_while(|it| *it < f64::from(seconds));
        for at in rows {
            let whole: u32 = format!("{:.0}", at.floor()).parse().unwrap();
            reader.line(&format!("{at:.1},{}", watts(whole))).unwrap();
        }
        reader.end().unwrap()
    };
    let (long, short) = (read(60_000, 0.1), read(60_000, 1.0));
    assert_eq!(long.rows, 600_000);
    assert!(long.values[0].len() < 1 << 18, "{}", long.values[0].len());
    let found = |log| {
        digest(&demo(), Protocol::Profile, log, "")
            .unwrap()
            .profile
            .unwrap()
    };
    let told = |log| {
        found(log)
            .phases
            .iter()
            .map(|it| (it.when.to_string(), it.watts.round()))
            .collect::<Vec<_>>()
    };
    let truth =
        [("starting", 11.0), ("running", 6.0), ("busy", 9.0)].map(|it| (it.0.to_owned(), it.1));
    // A log without any noise is cut as well as one with some.
    assert_eq!(told(&short), truth);
    // What was averaged still tells what lasts: running and busy.
    let long = found(&long).phases;
    for (name, watts) in &truth[1..] {
        let level = long.iter().find(|it| it.when == *name).unwrap();
        near(level.watts, *watts, 0.6, name);
    }
}
