//! Laws of days, outages, stores and needs, over generated sites.

use crate::common;

use ash_pond_core::advice::compare::compare;
use ash_pond_core::advice::needs::needs;
use ash_pond_core::advice::supply::supply;
use ash_pond_core::limits::{Status, checked, weakest};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::day::{Span, Usage, day, lasting, over};
use common::{close, read, site};
use proptest::prelude::*;
use serde_json::{Value, json};

/// Gives the devices of a generated site cycles of every kind.
fn with_cycles(mut site: Value, hours: (u32, u32), share: f64) -> Value {
    for (index, device) in site["kit"]["devices"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .enumerate()
    {
        device["cycle"] = match index % 3 {
            0 => json!({"kind": "continuous"}),
            1 => {
                json!({"kind": "hours", "from": format!("{:02}:15", hours.0),
                    "to": format!("{:02}:45", hours.1)})
            }
            _ => json!({"kind": "thermostat", "on_fraction": share, "period_s": 1800}),
        };
    }
    site
}

fn collapses(plan: &Plan) -> bool {
    checked(plan, &plan.arrangements[0])
        .findings
        .iter()
        .any(|it| it.code.word() == "collapse")
}

/// Checks that a usage is the sum of its parts.
fn adds_up(usage: &Usage) {
    let parts = usage.delivered_wh
        + usage.charging_wh
        + usage.idle_wh
        + usage.conversion_wh
        + usage.cables_wh;
    assert!(
        close(usage.drawn_wh, parts, 1e-6),
        "drawn {} and parts {parts}",
        usage.drawn_wh
    );
    let boxes: f64 = usage
        .converters
        .values()
        .chain(usage.ports.values())
        .map(|it| it.total_wh())
        .sum();
    assert!(close(boxes, usage.idle_wh + usage.conversion_wh, 1e-6));
    let sum = |map: &std::collections::BTreeMap<String, f64>| map.values().sum::<f64>();
    assert!(
        close(sum(&usage.devices), usage.delivered_wh, 1e-6)
            && close(sum(&usage.sources), usage.drawn_wh, 1e-6)
    );
    assert!(close(sum(&usage.leads), usage.cables_wh, 1e-6));
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn a_day_and_an_outage_add_up(site in site(9), from in 0_u32..24, to in 0_u32..24,
        share in 0.0..1.0_f64, start in 0_u32..24, long in 1_u32..90) {
        let mut site = with_cycles(site, (from, to), share);
        site["outages"] = json!([{"id": "o", "label": "O",
            "start": format!("2026-05-02T{start:02}:00"), "hours": long}]);
        let plan = read(&site);
        prop_assume!(!collapses(&plan));
        let (way, charge) = (&plan.arrangements[0], Charge::uniform(0.7));
        adds_up(&day(&plan, way, &charge));
        let span = Span::outage(&plan, &plan.outages[0]);
        adds_up(&over(&plan, way, &charge, &span));
        // A whole number of days is that many days, whenever it begins.
        let mut days = site.clone();
        days["outages"][0]["hours"] = json!(72);
        let days = read(&days);
        let three = over(&days, &days.arrangements[0], &charge, &Span::outage(&days,
            &days.outages[0]));
        prop_assert!(close(three.drawn_wh, 3.0 * day(&plan, way, &charge).drawn_wh, 1e-9));
    }

    /// Where nothing switches and no voltage follows a charge, the march over days is so many times
    /// the day.
    #[test]
    fn a_march_over_days_is_the_day_times_the_days(
        loads in prop::collection::vec((1.0..60.0_f64, 0_u32..24, 1_u32..23, any::<bool>()), 1..5),
        idle_w in 0.0..6.0_f64, proportional in 0.0..0.2_f64, metres in 0.5..8.0_f64,
            days in 1_u32..4, begins in 0_u32..24,
    ) {
        let devices: Vec<Value> = loads.iter().enumerate().map(|(index, (watts, from, long,
            always))| {
            let cycle = if *always { json!({"kind": "continuous"}) } else {
                json!({"kind": "hours", "from": format!("{from:02}:00"), "to": format!("{:02}:30",
                    (from + long) % 24)})
            };
            json!({"id": format!("d{index}"), "label": format!("D{index}"), "cycle": cycle,
                "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running",
                    "watts": watts}]})
        }).collect();
        let feeds: Vec<Value> = (0..loads.len()).map(|index| json!({"from": {"item": "steady",
            "port": "out"}, "to": format!("d{index}"),
            "cable": {"length_m": metres,
                "area_mm2": 2.5}})).chain([json!({"from": {"item": "pack", "port": "socket"},
                "to": "steady"})]).collect();
        let plan = read(&json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Weir"},
            "kit": {"devices": devices,
                "sources": [{"id": "pack", "label": "Pack", "kind": "battery",
                    "battery": {"chemistry": "lfp", "energy_wh": 90_000},
                    "ports": [{"id": "socket", "current": "dc", "voltage": {"regulated_v": 13},
                        "loss": {"idle_w": idle_w}}]}],
                "converters": [{"id": "steady", "label": "Steady", "kind": "buck_boost",
                    "input": {"current": "dc"},
                    "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}],
                    "loss": {"idle_w": idle_w, "proportional": proportional}}]},
            "arrangements": [{"id": "way", "label": "Way", "feeds": feeds}],
            "outages": [{"id": "o", "label": "O", "start": format!("2026-05-02T{begins:02}:00"),
                "hours": 24 * days}]}));
        prop_assume!(!collapses(&plan));
        let (way, outage) = (&plan.arrangements[0], &plan.outages[0]);
        let used = day(&plan, way, &Charge::full());
        let marched = ash_pond_core::time::outage::simulate(&plan, way, outage, None);
        prop_assume!(marched.devices.values().all(|it| it.down_at_h.is_none()));
        let (days, energy) = (f64::from(days), marched.energy);
        for (name, of_day, of_march) in [
            ("drawn", used.drawn_wh, energy.drawn_wh), ("delivered", used.delivered_wh,
                energy.delivered_wh),
            ("idle", used.idle_wh, energy.idle_wh), ("conversion", used.conversion_wh,
                energy.conversion_wh),
            ("cables", used.cables_wh, energy.cables_wh),
        ] {
            prop_assert!(close(of_day * days, of_march, 1e-6), "{name}: {} a day for {days} days, \
                and {of_march} in the march", of_day);
        }
    }

    #[test]
    fn runtime_never_rises_with_load(mut site in site(7), which in 0_usize..7, by in 1.0..1.5_f64) {
        for device in site["kit"]["devices"].as_array_mut().unwrap() {
            device["draw"] = json!("power");
        }
        let mut heavier = site.clone();
        let devices = heavier["kit"]["devices"].as_array_mut().unwrap();
        prop_assume!(!devices.is_empty());
        let index = which % devices.len();
        for phase in devices[index]["phases"].as_array_mut().unwrap() {
            phase["watts"] = json!(phase["watts"].as_f64().unwrap() * by);
        }
        let (light, heavy) = (read(&site), read(&heavier));
        prop_assume!(!collapses(&heavy));
        let hours = |plan: &Plan| lasting(plan, &plan.arrangements[0], &Charge::full());
        let (light, heavy) = (hours(&light), hours(&heavy));
        for (id, it) in &heavy {
            let never = f64::INFINITY;
            let (before, after) = (light[id].to_floor_h.unwrap_or(never),
                it.to_floor_h.unwrap_or(never));
            prop_assert!(after <= before * (1.0 + 1e-9), "{id}: {before} h became {after} h");
            let (before, after) = (light[id].to_cut_off_h.unwrap_or(never),
                it.to_cut_off_h.unwrap_or(never));
            prop_assert!(after <= before * (1.0 + 1e-6), "{id}: cut-off after {before} h became \
                {after} h");
        }
    }

    /// What a device needs by itself is what arrives at it where nothing is lost on the way.
    #[test]
    fn needs_are_what_arrives_without_a_loss(site in site(9), from in 0_u32..24, to in 0_u32..24,
        share in 0.0..1.0_f64) {
        let mut site = with_cycles(site, (from, to), share);
        let devices = site["kit"]["devices"].as_array().unwrap().clone();
        prop_assume!(!devices.is_empty());
        site["kit"]["sources"] = json!([{"id": "wall", "label": "Wall", "kind": "generator",
            "ports": [
            {"id": "ac", "current": "ac", "voltage": {"ac_v": 230}}, {"id": "dc", "current": "dc",
                "voltage": {"regulated_v": 12}}]}]);
        site["kit"]["converters"] = json!([]);
        let feed = |it: &Value| json!({"from": {"item": "wall", "port": it["input"]["current"]},
            "to": it["id"]});
        site["arrangements"][0]["feeds"] = devices.iter().map(feed).collect();
        let plan = read(&site);
        let (found, arriving) = (needs(&plan), day(&plan, &plan.arrangements[0], &Charge::full()));
        for need in &found.devices {
            prop_assert!(close(need.day_wh, arriving.devices[&need.device], 1e-9), "{}: {} and \
                {}", need.device, need.day_wh, arriving.devices[&need.device]);
        }
        prop_assert!(close(found.day_wh, arriving.delivered_wh, 1e-9));
        let sum: f64 = found.classes.iter().map(|it| it.day_wh).sum();
        prop_assert!(close(sum, found.day_wh,
            1e-9) && found.worst.watts <= found.worst.all_starting_w.max(found.worst.watts));
    }

    /// A store's sum ends where it says, never above what its curve and its label allow.
    #[test]
    fn what_a_store_gives_is_a_sum(site in site(3), floor in 0.0..1.0_f64,
        ambient in -20.0..40.0_f64) {
        let mut site = site;
        site["site"]["ambient_c"] = json!(ambient);
        for source in site["kit"]["sources"].as_array_mut().unwrap() {
            source["battery"]["floor_soc"] = json!(floor);
        }
        let found = supply(&read(&site));
        for stored in found.sources.iter().filter_map(|it| it.stored.as_ref()) {
            let steps: f64 = stored.steps.iter().map(|it| it.wh).sum();
            prop_assert!(close(stored.nominal_wh + steps, stored.usable_wh, 1e-9));
            prop_assert!(stored.usable_wh >= -1e-9 && stored.share <= 1.3);
        }
        for converter in &found.converters {
            prop_assert!(converter.curve.windows(2).all(|pair| pair[0].in_w <= pair[1].in_w),
                "more out takes more in");
            for it in &converter.carries {
                prop_assert!(it.efficiency.is_none_or(|it| (0.0..=1.0).contains(&it)));
            }
        }
    }

    /// The weakest link is as bad as the worst of what it is chosen from, and never better than a
    /// trip beside it.
    #[test]
    fn where_a_start_trips_its_weakest_link_is_used_up(site in site(8), limit in 1.0..60.0_f64) {
        let mut site = site;
        for source in site["kit"]["sources"].as_array_mut().unwrap() {
            for port in source["ports"].as_array_mut().unwrap() {
                port["limit"] = json!({"continuous_w": limit});
            }
        }
        let plan = read(&site);
        let way = &plan.arrangements[0];
        let links = weakest(&plan, way);
        for found in checked(&plan, way).findings {
            // The link of a start is looked for on the way of what starts.
            let starts = found.moment.split_once(' ').map(|it| it.1);
            let on_way = starts.is_none_or(|it| plan.is_on_way(way, &way.chain(it), &found.place));
            if on_way && found.code.word() == "port-limit" && found.status == Status::Trips {
                let link = links.iter().find(|it| it.moment == found.moment).expect("a link for \
                    the moment");
                prop_assert!(link.used.is_none_or(|it| it > 1.0 - 1e-9), "{}: {}", found.message,
                    link.sentence);
            }
        }
    }

    /// Comparing an arrangement with itself tells no winner.
    #[test]
    fn nothing_is_better_than_itself(site in site(7)) {
        let mut site = site;
        let mut twin = site["arrangements"][0].clone();
        twin["id"] = json!("twin");
        site["arrangements"].as_array_mut().unwrap().push(twin);
        let plan = read(&site);
        prop_assume!(!plan.kit.devices.is_empty());
        let ways: Vec<_> = plan.arrangements.iter().collect();
        let found = compare(&plan, &ways, &Charge::full(), None).unwrap();
        prop_assert!(found.best.iter().all(|it| it.way.is_none()), "{:?}", found.best);
    }
}
