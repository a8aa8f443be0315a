//! Outages against the independent calculation.

use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use serde_json::Value;

fn near(found: f64, wanted: &Value, tolerance: f64, what: &str) {
    let wanted = wanted.as_f64().unwrap();
    let allowed = tolerance * wanted.abs().max(1e-6) + 1e-9;
    assert!(
        (found - wanted).abs() <= allowed,
        "{what}: {found} instead of {wanted}"
    );
}

#[test]
fn every_outage_comes_as_the_reference_says() {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/cases/");
    let mut seen = 0;
    for entry in std::fs::read_dir(folder).unwrap() {
        let path = entry.unwrap().path();
        let name = path.file_name().unwrap().to_string_lossy().into_owned();
        if !name.starts_with("simulate-") {
            continue;
        }
        seen += 1;
        let case: Value = serde_json::from_str(&std::fs::read_to_string(&path).unwrap()).unwrap();
        let plan = Plan::from_value(&case["plan"]).unwrap();
        let way = plan
            .arrangement(case["ask"]["arrangement"].as_str().unwrap())
            .unwrap();
        let outage = plan
            .outages
            .iter()
            .find(|it| it.id.as_str() == case["ask"]["outage"].as_str().unwrap())
            .unwrap();
        let found = simulate(&plan, way, outage, None);
        let tolerance = case["tolerance"]["relative"].as_f64().unwrap();
        let expect = &case["expect"];
        for (id, wanted) in expect["devices"].as_object().unwrap() {
            let it = &found.devices[id];
            assert_eq!(it.why.as_deref(), wanted["why"].as_str(), "{name}: {id}");
            match it.down_at_h {
                Some(at) => near(
                    at,
                    &wanted["down_at_h"],
                    tolerance,
                    &format!("{name}: {id} down"),
                ),
                None => assert!(wanted["down_at_h"].is_null(), "{name}: {id}"),
            }
            near(
                it.up_h,
                &wanted["up_h"],
                tolerance,
                &format!("{name}: {id} up"),
            );
            near(it.wh, &wanted["wh"], tolerance, &format!("{name}: {id} Wh"));
        }
        for (id, wanted) in expect["sources"].as_object().unwrap() {
            let it = &found.sources[id];
            if !wanted["end_soc"].is_null() {
                near(
                    it.end_soc,
                    &wanted["end_soc"],
                    tolerance,
                    &format!("{name}: {id} end"),
                );
            }
            near(
                it.drawn_wh,
                &wanted["drawn_wh"],
                tolerance,
                &format!("{name}: {id} drawn"),
            );
        }
        near(
            found.energy.delivered_wh,
            &expect["energy"]["delivered_wh"],
            tolerance,
            &name,
        );
        near(
            found.energy.drawn_wh,
            &expect["energy"]["drawn_wh"],
            tolerance,
            &name,
        );
        let events: Vec<(&str, &str)> = found
            .events
            .iter()
            .map(|it| (it.what.as_str(), it.item.as_str()))
            .collect();
        let wanted: Vec<(&str, &str)> = expect["events"]
            .as_array()
            .unwrap()
            .iter()
            .map(|it| (it["what"].as_str().unwrap(), it["item"].as_str().unwrap()))
            .collect();
        assert_eq!(events, wanted, "{name}");
        let energy = found.energy;
        let out = energy.delivered_wh
            + energy.charging_wh
            + energy.conversion_wh
            + energy.idle_wh
            + energy.cables_wh;
        assert!(
            (out - energy.drawn_wh).abs() <= 1e-6 * energy.drawn_wh,
            "{name}: {out} of {}",
            energy.drawn_wh
        );
    }
    assert_eq!(seen, 15);
}
