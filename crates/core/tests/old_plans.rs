//! A plan from before fuses had types, leads had strands and batteries had models: what flows in
//! it, and for how long, is what it was when it was saved. The figures are those that the demo told
//! then.

use ash_pond_core::advice::compare::compare;
use ash_pond_core::limits::{Code, findings};
use ash_pond_core::network::{Charge, Moment};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::answer;
use ash_pond_core::time::outage::simulate;
use serde_json::Value;

const OLD: &str = include_str!("old/hollin-lock.plan.json");

fn plan() -> Plan {
    Plan::parse(OLD).unwrap()
}

#[test]
fn an_old_plan_is_read_and_written_without_a_change() {
    assert_eq!(plan().to_text(), OLD);
}

#[test]
fn what_flows_and_how_long_it_lasts_is_what_it_was() {
    let plan = plan();
    let ways = ["camera-direct", "camera-inverter"].map(|id| plan.arrangement(id).unwrap());
    let told = answer(&plan, &ways, &Moment::Running, &Charge::uniform(0.6)).unwrap();
    assert_eq!(
        told.decides.unwrap(),
        "Through the small inverter costs 227 Wh more a day. Straight off the bank: a lead of over \
        85 m would reset Gate camera at the floor."
    );
    assert_eq!(
        told.ways[0].line,
        "Straight off the bank · 101 h to the floor from 60 % · polarity of Gate camera unverified"
    );
    let way = plan.arrangement("direct").unwrap();
    let outage = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == "winter-storm")
        .unwrap();
    let run = simulate(&plan, way, outage, None);
    let router = run.devices["router"].down_at_h.unwrap();
    assert!(
        (10.75..10.85).contains(&router),
        "{router} h, and 10.8 were told"
    );
    let found = findings(&plan, way);
    let drop = found
        .iter()
        .find(|it| it.code == Code::VoltageDrop && it.place == "weir-camera")
        .unwrap();
    assert!(
        drop.message.contains("loses 21.4 % of its voltage"),
        "{}",
        drop.message
    );
    let shared = plan.arrangement("shared-out").unwrap();
    let socket = findings(&plan, shared)
        .into_iter()
        .find(|it| it.code == Code::PortLimit)
        .unwrap();
    assert!(
        socket.message.contains("9.75 A for 150 s"),
        "{}",
        socket.message
    );
}

/// Its verdicts may be stricter, never laxer: where a rule was unsafe something is open now that
/// was not.
#[test]
fn what_was_wrong_in_it_still_is() {
    let plan = plan();
    let now: Vec<_> = plan
        .arrangements
        .iter()
        .flat_map(|it| findings(&plan, it))
        .collect();
    let trips = |code: Code, place: &str| {
        now.iter().any(|it| {
            it.code == code
                && it.place == place
                && it.status == ash_pond_core::limits::Status::Trips
        })
    };
    for (code, place) in [
        (Code::DeviceVoltage, "weir-camera"),
        (Code::VoltageDrop, "weir-camera"),
        (Code::Waveform, "circulation-pump"),
        (Code::PortLimit, "station/socket"),
    ] {
        assert!(trips(code, place), "{} of {place}", code.word());
    }
    // Every field that came since is optional: the file names none of them.
    let text: Value = serde_json::from_str(OLD).unwrap();
    for field in [
        "strand",
        "model",
        "fuse_far",
        "neutral",
        "earthed",
        "record_low_c",
    ] {
        assert!(
            !text.to_string().contains(&format!("\"{field}\"")),
            "{field}"
        );
    }
}

/// Figures of the demo as the build told them that knew neither switches nor fillings.
#[test]
fn a_plan_without_switches_and_fillings_computes_to_the_last_bit_as_before() {
    let plan = Plan::parse(include_str!("old/before-switches.plan.json")).unwrap();
    let told: Value =
        serde_json::from_str(include_str!("old/before-switches.answers.json")).unwrap();
    let holds = |what: &str, wanted: &Value, found: &Value| {
        for (key, wanted) in wanted.as_object().unwrap() {
            assert_eq!(
                found.get(key).unwrap_or(&Value::Null),
                wanted,
                "{what}: {key}"
            );
        }
    };
    let outages = told["simulate"].as_object().unwrap();
    assert_eq!(outages.len(), plan.arrangements.len() * plan.outages.len());
    for (name, wanted) in outages {
        let (way, outage) = name.split_once(' ').unwrap();
        let outage = plan
            .outages
            .iter()
            .find(|it| it.id.as_str() == outage)
            .unwrap();
        let found = serde_json::to_value(simulate(
            &plan,
            plan.arrangement(way).unwrap(),
            outage,
            None,
        ))
        .unwrap();
        holds(name, &wanted["energy"], &found["energy"]);
        for kind in ["devices", "sources"] {
            for (id, wanted) in wanted[kind].as_object().unwrap() {
                holds(&format!("{name}: {id}"), wanted, &found[kind][id]);
            }
        }
        let events = found["events"].as_array().unwrap().iter();
        let events: Vec<Value> = events
            .map(|it| serde_json::json!([it["at_h"], it["what"], it["item"]]))
            .collect();
        assert_eq!(wanted["events"], Value::Array(events), "{name}");
    }
    for (name, wanted) in told["compare"].as_object().unwrap() {
        let (ways, outage) = name.split_once(' ').unwrap();
        let ways: Vec<_> = ways
            .split(',')
            .map(|it| plan.arrangement(it).unwrap())
            .collect();
        let outage = plan.outages.iter().find(|it| it.id.as_str() == outage);
        let found =
            serde_json::to_value(compare(&plan, &ways, &Charge::full(), outage).unwrap()).unwrap();
        for (wanted, found) in wanted
            .as_array()
            .unwrap()
            .iter()
            .zip(found["ways"].as_array().unwrap())
        {
            holds(name, &wanted["usage"], &found["usage"]);
            assert_eq!(wanted["to_floor_h"], found["to_floor_h"], "{name}");
            assert_eq!(wanted["to_cut_off_h"], found["to_cut_off_h"], "{name}");
        }
    }
}
