//! Tables out and in: what is written is read again, what cannot be read is told, and nothing lands
//! by itself.

// Values that were typed come back as they were typed, to the last bit.
#![allow(clippy::float_cmp)]

use ash_pond_core::advice::needs::needs;
use ash_pond_core::site::entry::DecimalMark;
use ash_pond_core::site::exchange::{Preview, Table, columns, preview, table};
use ash_pond_core::site::plan::Plan;
use proptest::prelude::*;
use serde_json::Value;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn read(text: &str) -> Preview {
    preview(&Plan::empty("Shed"), text, None, DecimalMark::Point)
}

/// The plan after a yes.
fn landed(plan: &Plan, preview: &Preview) -> Plan {
    let mut text = serde_json::to_value(plan).unwrap();
    for change in &preview.changes {
        let at = match change.kind.as_str() {
            "device" => "/kit/devices",
            "source" => "/kit/sources",
            "converter" => "/kit/converters",
            "arrangement" => "/arrangements",
            _ => "/outages",
        };
        let list = text.pointer_mut(at).unwrap().as_array_mut().unwrap();
        match list.iter_mut().find(|it| it["id"] == change.id.as_str()) {
            Some(known) => *known = change.body.clone(),
            None => list.push(change.body.clone()),
        }
    }
    Plan::from_value(&text).unwrap()
}

/// What a device takes in a day by itself, Wh.
fn day_wh(plan: &Plan, id: &str) -> f64 {
    needs(plan)
        .devices
        .iter()
        .find(|it| it.device == id)
        .unwrap()
        .day_wh
}

#[test]
fn every_table_that_was_written_is_read_as_nothing_new() {
    let plan = demo();
    for which in Table::ALL {
        let seen = preview(&plan, &table(&plan, *which), None, DecimalMark::Point);
        assert_eq!(
            (seen.changes.len(), seen.problems.len()),
            (0, 0),
            "{which:?}: {:?} {:?}",
            seen.changed,
            seen.problems
        );
        assert!(
            seen.same > 0 && seen.headline.starts_with("Changes nothing"),
            "{}",
            seen.headline
        );
    }
}

#[test]
fn the_whole_kit_comes_back_from_its_tables_with_every_figure() {
    let plan = demo();
    let mut other = Plan::empty("Elsewhere");
    for which in Table::ALL {
        let seen = preview(
            &other,
            &table(&plan, *which),
            Some(*which),
            DecimalMark::Point,
        );
        assert_eq!(seen.problems, [], "{which:?}");
        other = landed(&other, &seen);
        // What the table has a column for is the same again.
        assert_eq!(table(&other, *which), table(&plan, *which));
    }
    let ids = |plan: &Plan| {
        plan.kit
            .devices
            .iter()
            .map(|it| it.id.to_string())
            .collect::<Vec<_>>()
    };
    assert_eq!(ids(&other), ids(&plan));
    let watts = |plan: &Plan| plan.device("router").unwrap().phases[1].watts.clone();
    assert_eq!(
        (
            watts(&other).get(),
            watts(&other).plus_minus,
            watts(&other).basis
        ),
        (
            watts(&plan).get(),
            watts(&plan).plus_minus,
            watts(&plan).basis
        )
    );
}

#[test]
fn a_plan_opens_again_to_the_same_site() {
    let plan = demo();
    let seen = preview(
        &Plan::empty(&plan.site.name),
        &plan.to_text(),
        None,
        DecimalMark::Point,
    );
    let kinds = ["device", "source", "converter", "arrangement", "outage"];
    for kind in kinds {
        assert!(seen.added.iter().any(|it| it.kind == kind), "{kind}");
    }
    assert_eq!(
        landed(
            &Plan {
                site: plan.site.clone(),
                ..Plan::empty("")
            },
            &seen
        ),
        plan
    );
    assert_eq!(
        preview(&plan, &plan.to_text(), None, DecimalMark::Point).changes,
        []
    );
}

#[test]
fn rows_pasted_from_a_spreadsheet_need_no_ids_and_no_order_of_columns() {
    let seen = read(
        "Device\tPower (W)\tVolts\tstart\tsine\nRouter\t8.5 ± 0.4 m\t12\t13 for 40 \
        s\tno\nHeater\t0.7 A\t12\t\t\n",
    );
    assert_eq!(seen.problems, []);
    let plan = landed(&Plan::empty("Shed"), &seen);
    let router = plan.device("router").unwrap();
    assert_eq!(
        (router.phases[0].watts.get(), router.phases[1].watts.get()),
        (13.0, 8.5)
    );
    assert_eq!(router.phases[1].watts.plus_minus, Some(0.4));
    let heater = &plan.device("heater").unwrap().phases[0].watts;
    assert!((heater.get() - 8.4).abs() < 1e-9 && heater.note.as_deref() == Some("0.7 A × 12 V"));
    assert_eq!(seen.added[0].row, Some(2));
}

/// 24 h, 8 h and 2.5 h a day, as people keep them in a table beside the watts.
#[test]
fn hours_a_day_are_cycles_and_watt_hours_a_day_go_with_them() {
    let seen = read(
        "Device,W,Volts,Hours\nRouter,8,12,24\nPump,20,12,8\nLamp,5,12,2.5 \
        h/day\nFan,6,12,30\nFridge,40,12,0\n",
    );
    let told: Vec<_> = seen
        .problems
        .iter()
        .map(|it| (it.row, it.message.as_str()))
        .collect();
    assert_eq!(
        told,
        [
            (Some(5), "30 hours a day are none that a day has"),
            (Some(6), "0 hours a day are none that a day has")
        ]
    );
    let plan = landed(&Plan::empty("Shed"), &seen);
    let day = |id: &str| day_wh(&plan, id);
    assert_eq!(
        plan.device("router").unwrap().cycle,
        Some(ash_pond_core::site::plan::Cycle::Continuous {})
    );
    assert!((day("pump") - 160.0).abs() < 1e-9 && (day("lamp") - 12.5).abs() < 1e-9);
    // It is written as it was read, and read as it was written.
    let text = table(&plan, Table::Devices);
    assert!(
        text.contains("8 h a day") && text.contains("2.5 h a day"),
        "{text}"
    );
    assert_eq!(preview(&plan, &text, None, DecimalMark::Point).changes, []);
}

/// A sheet with watts and watt-hours a day says the hours; with hours and watt-hours, the watts;
/// with all three, the same thing.
#[test]
fn watt_hours_a_day_are_never_counted_twice() {
    let seen = read(
        "Device,W,Hours,Wh/day,Volts\nPump,20,8,160,12\nLamp,5,,12.5,12\nRouter,8,,195,12\n\
         Fan,,4,24,12\nHeater,20,8,480,12\nKettle,5,,500,12\n",
    );
    let told: Vec<_> = seen
        .problems
        .iter()
        .map(|it| (it.row, it.column.as_deref().unwrap_or_default()))
        .collect();
    assert_eq!(told, [(Some(6), "Wh/day"), (Some(7), "Wh/day")]);
    assert!(
        seen.problems[0]
            .message
            .contains("not what 20 W make in 8 h, 160 Wh"),
        "{}",
        seen.problems[0].message
    );
    let plan = landed(&Plan::empty("Shed"), &seen);
    for (id, wh) in [
        ("pump", 160.0),
        ("lamp", 12.5),
        ("router", 192.0),
        ("fan", 24.0),
    ] {
        let found = day_wh(&plan, id);
        assert!((found - wh).abs() < 1e-9, "{id}: {found}");
    }
}

#[test]
fn three_bare_columns_are_a_name_watts_and_volts() {
    let plan = landed(
        &Plan::empty("Shed"),
        &read("Router\t8.5\t12\nCamera\t5\t24\n"),
    );
    assert_eq!(plan.device("camera").unwrap().input.rated_v.get(), 24.0);
}

#[test]
fn semicolons_and_decimal_commas_are_what_half_of_the_world_writes() {
    let text = "label;running;rated_v;wh_a_day\nRouter;8,5;12;\nLamp;;12;240\n";
    let seen = preview(&Plan::empty("Shed"), text, None, DecimalMark::Comma);
    assert_eq!(seen.problems, []);
    let plan = landed(&Plan::empty("Shed"), &seen);
    assert_eq!(plan.device("router").unwrap().phases[0].watts.get(), 8.5);
    assert_eq!(plan.device("lamp").unwrap().phases[0].watts.get(), 10.0);
}

#[test]
fn what_cannot_be_read_names_its_row_its_column_and_the_remedy_and_the_rest_lands() {
    let seen = read(
        "label,running,rated_v,colour,busy_share,min_v,max_v\nRouter,eight,12,,,,\nCamera,5,12,,,,\n\
         Lamp,4,,,,,\nPump,9,12,,140 %,,\nFan,3,12,,,15,10\n,2,12,,,,\nCamera,7,12,,,,\n",
    );
    let told: Vec<_> = seen
        .problems
        .iter()
        .map(|it| {
            (
                it.row,
                it.column.as_deref().unwrap_or_default(),
                it.message.as_str(),
            )
        })
        .collect();
    assert_eq!(
        told.iter().map(|it| (it.0, it.1)).collect::<Vec<_>>(),
        [
            (Some(1), "colour"),
            (Some(2), "running"),
            (Some(5), "busy_share"),
            (Some(7), "label"),
            (Some(4), "rated_v"),
            (Some(6), "min_v"),
        ],
        "{told:?}"
    );
    assert!(
        told[1].2.contains("“eight”") && seen.problems[1].remedy.contains("6.2±0.2 m"),
        "{:?}",
        seen.problems[1]
    );
    assert!(
        seen.problems
            .iter()
            .all(|it| !it.remedy.is_empty() && !it.message.is_empty())
    );
    assert_eq!(
        seen.changes
            .iter()
            .map(|it| it.id.as_str())
            .collect::<Vec<_>>(),
        ["camera", "camera-2"]
    );
    assert_eq!(seen.headline, "Adds 2; 6 could not be read.");
    let twice = read("id,label,running,rated_v\na,Camera,5,12\nb,Lamp,5,12\na,Camera,7,12\n");
    assert_eq!((twice.problems.len(), twice.problems[0].row), (1, Some(4)));
    assert!(
        twice.problems[0]
            .message
            .contains("\"a\" stands in the table twice"),
        "{:?}",
        twice.problems
    );
}

#[test]
fn a_table_without_known_columns_says_which_there_are() {
    let seen = read("alpha,beta,gamma,delta\n1,2,3,4\n");
    assert_eq!((seen.problems.len(), seen.problems[0].row), (1, Some(1)));
    assert!(
        seen.problems[0].remedy.contains("label"),
        "{}",
        seen.problems[0].remedy
    );
    assert!(read("").problems[0].remedy.contains("paste"));
    let broken = read("{\"format\": \"ash-pond/plan\", \"version\": 1, \"site\": {}}");
    assert_eq!(broken.problems[0].column.as_deref(), Some("site.name"));
    assert!(
        read("{").problems[0].message.contains("line 1"),
        "{:?}",
        broken.problems
    );
}

#[test]
fn an_empty_cell_changes_nothing_and_a_stroke_takes_out() {
    let plan = demo();
    let seen = preview(
        &plan,
        "id,running,min_v,polarity\nrouter,9,,-\n",
        None,
        DecimalMark::Point,
    );
    assert_eq!(seen.changed.len(), 1);
    assert!(
        seen.changed[0].words.starts_with("Router: ") && seen.changed[0].words.contains("→ 9 W"),
        "{}",
        seen.changed[0].words
    );
    let after = landed(&plan, &seen);
    let (was, now) = (
        plan.device("router").unwrap(),
        after.device("router").unwrap(),
    );
    assert_eq!(
        (now.input.min_v.clone(), now.input.polarity.as_deref()),
        (was.input.min_v.clone(), None)
    );
    assert_eq!(now.ride_through_ms, was.ride_through_ms);
}

#[test]
fn a_source_has_a_row_for_each_outlet() {
    let seen = read(
        "label,kind,chemistry,energy_wh,port,port_volts,port_idle_w,port_limit_a,port_overload\n\
         Box,power_station,lfp,512 l,socket,13.2,1.2 m,10,11 A for 3 s; 12 A\n,,,,outlet,230 \
         sine,9,,\n,,,,usb,5 / 9 / 20,,,\n",
    );
    assert_eq!(seen.problems, []);
    let plan = landed(&Plan::empty("Shed"), &seen);
    let ports = &plan.source("box").unwrap().ports;
    assert_eq!(ports.len(), 3);
    let overload = &ports[0].limit.as_ref().unwrap().overload;
    assert_eq!(
        (
            overload[0].for_s.as_ref().map(|it| it.get()),
            overload[1].for_s.is_none()
        ),
        (Some(3.0), true)
    );
    assert_eq!(ports[2].voltage.standing(None), Some(5.0));
}

#[test]
fn the_documented_header_is_the_one_that_is_read() {
    let docs = include_str!("../../../docs/exchange.md");
    for which in Table::ALL {
        for column in columns(*which) {
            assert!(
                docs.contains(&format!("`{}`", column.name)),
                "{} is not in docs/exchange.md",
                column.name
            );
        }
    }
}

proptest! {
    #[test]
    fn no_text_makes_the_import_panic_or_land_what_core_refuses(text in "[ \
        -~\\n\\t;,\"{}±äµ²]{0,400}") {
        let plan = demo();
        for which in [None, Some(Table::Devices), Some(Table::Sources), Some(Table::Converters)] {
            let seen = preview(&plan, &text, which, DecimalMark::Point);
            landed(&plan, &seen);
        }
    }

    #[test]
    fn no_row_under_a_known_header_panics(
        cells in prop::collection::vec(
            prop::collection::vec("[0-9a-zA-Z ±.,/%-]{0,12}", 0..12), 1..6),
    ) {
        let plan = demo();
        for which in Table::ALL {
            let names: Vec<_> = columns(*which).iter().map(|it| it.name).collect();
            let rows: Vec<String> = cells.iter().map(|row| row.join("\t")).collect();
            let text = format!("{}\n{}", names.join("\t"), rows.join("\n"));
            let seen = preview(&plan, &text, Some(*which), DecimalMark::Point);
            landed(&plan, &seen);
            for problem in &seen.problems {
                prop_assert!(!problem.message.is_empty() && !problem.remedy.is_empty());
            }
        }
    }

    #[test]
    fn a_device_of_any_figures_comes_back_the_same(watts in 0.01..5000.0f64, half in 0.0..10.0f64,
        share in 0.0..1.0f64, low in 1.0..11.0f64) {
        let mut text = serde_json::to_value(demo()).unwrap();
        let device = &mut text["kit"]["devices"][3];
        let digits = |raw: f64| Value::from(format!("{raw:.6}").parse::<f64>().unwrap());
        device["phases"][1]["watts"] = serde_json::json!({"value": digits(watts),
            "plus_minus": digits(half), "basis": "measured"});
        device["phases"][2]["share"] = digits(share);
        device["input"]["min_v"] = digits(low);
        let plan = Plan::from_value(&text).unwrap();
        let seen = preview(&Plan::empty("Elsewhere"), &table(&plan, Table::Devices),
            Some(Table::Devices), DecimalMark::Point);
        let other = landed(&Plan::empty("Elsewhere"), &seen);
        prop_assert_eq!(table(&other, Table::Devices), table(&plan, Table::Devices));
        let (ours, theirs) = (&plan.kit.devices[3],
            other.device(plan.kit.devices[3].id.as_str()).unwrap());
        prop_assert_eq!(ours.phases[1].watts.get(), theirs.phases[1].watts.get());
        prop_assert_eq!(ours.input.min_v.as_ref().map(|it| it.get()),
            theirs.input.min_v.as_ref().map(|it| it.get()));
    }
}
