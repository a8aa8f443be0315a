//! Sizes of lead in the finder, and what lies under water: by hand, and carried out.

use super::{demo, put_in, site};
use ash_pond_core::advice::shelf::{FindAsk, LeadSize, find};
use ash_pond_core::limits::Status;
use ash_pond_core::site::plan::Plan;
use serde_json::json;

/// A pump of 26 W, 20 m from a bank of 12.8 V: 2.0 A.
fn far_pump() -> Plan {
    site(&|plan| {
        let mut pump = plan["kit"]["devices"][2].clone();
        (pump["id"], pump["label"]) = (json!("pump"), json!("Pump"));
        pump["input"] = json!({"current": "dc", "rated_v": 12, "min_v": 10, "max_v": 15});
        pump["phases"] = json!([{"when": "running", "watts": 26}]);
        plan["kit"]["devices"] = json!([pump]);
        plan["kit"]["sources"].as_array_mut().unwrap().truncate(1);
        plan["kit"]["converters"] = json!([]);
        let feeds = json!([{"from": {"item": "bank", "port": "studs"}, "to": "pump",
            "cable": {"length_m": 20, "area_mm2": 10}}]);
        plan["arrangements"] = json!([{"id": "now", "label": "Now", "feeds": feeds}]);
        plan["outages"] =
            json!([{"id": "o", "label": "O", "start": "2026-03-20T08:00", "hours": 90}]);
    })
}

/// Copper of 0.0175 Ω·mm²/m, 20 m and back: 2.0 A lose 1.8 % in 6 mm² (0.117 Ω), and 0.3 % in 35
/// mm² (0.02 Ω).
#[test]
fn a_thicker_lead_is_bought_for_the_hours_that_it_wins() {
    let plan = far_pump();
    let leads = |sizes: &[(f64, f64)]| -> Vec<LeadSize> {
        sizes
            .iter()
            .map(|(area_mm2, price_m)| LeadSize {
                area_mm2: *area_mm2,
                price_m: *price_m,
            })
            .collect()
    };
    let ask = FindAsk {
        outage: Some("o".into()),
        front: true,
        ..FindAsk::of(&["pump"], 5.0)
    };
    let with = |sizes: &[(f64, f64)]| {
        find(
            &plan,
            &FindAsk {
                leads: leads(sizes),
                ..ask.clone()
            },
        )
        .unwrap()
    };
    let found = with(&[(6.0, 1.0), (35.0, 9.0)]);
    let told: Vec<(f64, f64)> = found
        .front
        .iter()
        .map(|it| (it.spend, it.weight_kg))
        .collect();
    assert!(found.proven, "{}", found.sentence);
    // 20 m of 6 mm² for 20, 2 · 8.96 g/m/mm² · 6 mm² · 20 m = 2.15 kg; the same of 35 mm² for 180,
    // 12.5 kg.
    assert_eq!(told.len(), 2, "{told:?}");
    assert!(
        (told[0].0 - 20.0).abs() < 1e-9 && (told[0].1 - 2.1504).abs() < 1e-9,
        "{told:?}"
    );
    assert!(
        (told[1].0 - 180.0).abs() < 1e-9 && (told[1].1 - 12.544).abs() < 1e-9,
        "{told:?}"
    );
    assert!(found.front[1].buys.is_empty());
    assert_eq!(found.front[1].leads[0].plain(), "20 m of 35 mm² lead");
    assert!(
        found.front[1]
            .sentence
            .plain()
            .contains("with 20 m of 35 mm² lead to buy for 180"),
        "{}",
        found.front[1].sentence
    );
    for (at, area) in [(0, 6.0), (1, 35.0)] {
        let it = &found.front[at];
        let cable = it.arrangement.feeds[0].cable.as_ref().unwrap();
        assert_eq!(
            (cable.length_m.get(), cable.area_mm2.as_ref().unwrap().get()),
            (20.0, area)
        );
        assert!(it.arrangement.feeds[0].fuse.is_some() && it.status < Status::Trips);
        // Put into the plan it says the same.
        let (status, lost) = put_in(&plan, it, "o");
        assert!(
            status == it.status && (lost - it.hours).abs() < 1e-6,
            "{lost} {}",
            it.hours
        );
    }
    let [thin, thick] = [0, 1].map(|it| found.front[it].hours);
    assert!((1.012..1.020).contains(&(thick / thin)), "{thin} {thick}");
    assert!(found.front[1].drawn_wh_day < found.front[0].drawn_wh_day);
    // What is there already costs nothing, and of what costs nothing the thickest is taken.
    let owned = with(&[(6.0, 0.0), (35.0, 0.0)]);
    assert_eq!(owned.front.len(), 1);
    assert!(
        owned.front[0].spend == 0.0
            && owned.front[0].weight_kg == 0.0
            && owned.front[0].buys.is_empty()
    );
    assert!((owned.front[0].hours - found.front[1].hours).abs() < 1e-9);
    // A tighter limit leaves the thinner one; what is too thin carries nothing, and that is no
    // answer.
    let tight = find(
        &plan,
        &FindAsk {
            spend: Some(30.0),
            leads: leads(&[(6.0, 1.0), (35.0, 9.0)]),
            ..ask.clone()
        },
    )
    .unwrap();
    assert_eq!(
        tight.front.iter().map(|it| it.spend).collect::<Vec<_>>(),
        [20.0]
    );
    let light = find(
        &plan,
        &FindAsk {
            weight_kg: Some(2.0),
            leads: leads(&[(6.0, 1.0), (35.0, 9.0)]),
            ..ask.clone()
        },
    )
    .unwrap();
    assert!(light.front.is_empty() && light.proven, "{}", light.sentence);
    assert!(
        with(&[(0.5, 0.1)]).front.is_empty(),
        "over 20 m of 0.5 mm² (1.4 Ω) a quarter of the volts is lost"
    );
}

#[test]
fn what_is_under_water_was_carried_out_and_is_bettered_by_what_stands_above() {
    let plan = demo();
    let ask = FindAsk {
        outage: Some("winter-storm".into()),
        front: true,
        ..FindAsk::of(&["router", "terminal"], 24.0)
    };
    let found = find(&plan, &ask).unwrap();
    assert!(found.bettered.len() > 2, "{:?}", found.bettered);
    let mut last = f64::INFINITY;
    for it in &found.bettered {
        let by = &found.front[it.by];
        assert!(
            by.spend <= it.spend + 1e-9 && by.hours >= it.hours * 0.989,
            "{} {}",
            it.sentence,
            by.sentence
        );
        assert!(
            by.drawn_wh_day * 0.989 <= it.drawn_wh_day,
            "{}",
            it.sentence
        );
        assert!(it.hours <= last && !it.through.is_empty());
        assert!(it.sentence.contains(&it.through[0]), "{}", it.sentence);
        last = it.hours;
    }
}

/// However many cores there are: the same members, the same word of proof, the same under water,
/// with sizes of lead and without.
#[test]
fn the_finder_says_the_same_on_any_number_of_threads() {
    let plan = demo();
    let all = FindAsk {
        outage: Some("winter-storm".into()),
        front: true,
        ..FindAsk::of(&["router", "gate-camera"], 24.0)
    };
    let sizes = vec![
        LeadSize {
            area_mm2: 1.5,
            price_m: 0.0,
        },
        LeadSize {
            area_mm2: 6.0,
            price_m: 2.5,
        },
    ];
    for ask in [
        FindAsk {
            by_hand: 2.0,
            ..all.clone()
        },
        FindAsk {
            leads: sizes,
            ..all
        },
    ] {
        let on = |threads: usize| {
            let pool = rayon::ThreadPoolBuilder::new()
                .num_threads(threads)
                .build()
                .unwrap();
            pool.install(|| find(&plan, &ask).unwrap())
        };
        let one = on(1);
        assert!(
            one.proven && !one.front.is_empty() && !one.bettered.is_empty(),
            "{}",
            one.sentence
        );
        assert_eq!(one, on(2));
        assert_eq!(one, on(5));
    }
}
