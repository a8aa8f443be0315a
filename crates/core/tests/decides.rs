//! What decides between arrangements, how far the figures' ± move a crossing, and where a window is
//! first broken.

use ash_pond_core::advice::compare::{Ask, Crossings, Over, crossings, decides};
use ash_pond_core::bench::Protocol;
use ash_pond_core::limits::{Status, first_break, windows};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::day::day;
use serde_json::{Value, json};

fn demo() -> Value {
    serde_json::from_str(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

fn plan(of: &Value) -> Plan {
    Plan::from_value(of).unwrap()
}

/// The value of a path such as `loss.idle_w` or `feeds[1].cable.length_m` in an element of the
/// plan.
fn place<'a>(plan: &'a mut Value, kind: &str, id: &str, path: &str) -> &'a mut Value {
    let list = match kind {
        "arrangement" => &mut plan["arrangements"],
        kind => &mut plan["kit"][format!("{kind}s")],
    };
    let element = list
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .find(|it| it["id"] == id)
        .unwrap();
    let pointer = path.replace('[', "/").replace(']', "").replace('.', "/");
    let found = element.pointer_mut(&format!("/{pointer}")).unwrap();
    if found.is_object() {
        &mut found["value"]
    } else {
        found
    }
}

fn thriftiest(plan: &Plan, ids: &[&str], charge: &Charge) -> String {
    let drawn = |id: &&str| day(plan, plan.arrangement(id).unwrap(), charge).drawn_wh;
    (*ids
        .iter()
        .min_by(|a, b| drawn(a).total_cmp(&drawn(b)))
        .unwrap())
    .to_owned()
}

#[test]
fn a_figure_that_decides_does_so_just_where_it_says() {
    let ids = ["direct", "mains-like"];
    let charge = Charge::uniform(0.6);
    let original = demo();
    let parsed = plan(&original);
    let ways: Vec<_> = ids
        .iter()
        .map(|it| parsed.arrangement(it).unwrap())
        .collect();
    let found = decides(&parsed, &ways, &charge).unwrap();
    let winner = found.winner.clone().unwrap();
    assert_eq!(winner, thriftiest(&parsed, &ids, &charge));
    assert_eq!(found.figures.len(), 3);
    let turning: Vec<_> = found
        .figures
        .iter()
        .filter_map(|it| Some((it, it.at?)))
        .collect();
    assert!(!turning.is_empty(), "{found:?}");
    for (it, at) in turning {
        let beside = |share: f64| {
            let mut changed = original.clone();
            *place(&mut changed, it.figure.kind, &it.figure.id, &it.figure.path) =
                json!(it.figure.value + (at - it.figure.value) * share);
            thriftiest(&plan(&changed), &ids, &charge)
        };
        assert_eq!(beside(0.98), winner, "{}", it.sentence);
        assert_eq!(Some(beside(1.02)), it.then, "{}", it.sentence);
        assert!(
            (it.times.unwrap() - (at - it.figure.value).abs() / it.figure.plus_minus).abs() < 1e-9
        );
        assert_eq!(it.test, Protocol::of(it.figure.kind, &it.figure.path));
    }
    // The likeliest to be that wrong comes first, and those that change nothing come last.
    let far: Vec<f64> = found
        .figures
        .iter()
        .map(|it| it.times.unwrap_or(f64::INFINITY))
        .collect();
    assert!(far.is_sorted(), "{far:?}");
}

#[test]
fn where_no_figure_decides_it_says_so_and_names_what_moves_most() {
    let parsed = plan(&demo());
    let ways = ["camera-direct", "camera-inverter"].map(|it| parsed.arrangement(it).unwrap());
    let found = decides(&parsed, &ways, &Charge::full()).unwrap();
    assert!(
        found.sentence.ends_with("no single figure changes that."),
        "{}",
        found.sentence
    );
    assert_eq!(found.figures[0].figure.path, "loss.idle_w");
    assert_eq!(
        (found.figures[0].at, found.figures[0].test),
        (None, Some(Protocol::Idle))
    );
    assert!(
        found
            .figures
            .windows(2)
            .all(|it| it[0].moves_wh >= it[1].moves_wh)
    );
    let same = decides(&parsed, &[ways[0], ways[0]], &Charge::full()).unwrap();
    assert_eq!((same.winner, same.figures.len()), (None, 0));
    assert!(decides(&parsed, &ways[..1], &Charge::full()).is_err());
}

fn crossed(of: &Value, over: Over, band: bool) -> Crossings {
    let parsed = plan(of);
    let ways = ["camera-direct", "camera-inverter"].map(|it| parsed.arrangement(it).unwrap());
    crossings(
        &parsed,
        ways,
        &Charge::uniform(0.6),
        &Ask {
            band,
            ..Ask::over(over)
        },
    )
    .unwrap()
}

#[test]
fn the_band_is_what_moving_each_figure_by_its_own_does() {
    // Everything measured to nothing but the inverter's idle draw: the whole band is that figure's.
    fn certain(value: &mut Value) {
        match value {
            Value::Object(fields) if fields.contains_key("value") => {
                fields.insert("plus_minus".into(), json!(0));
            }
            Value::Object(fields) => fields.iter_mut().for_each(|(key, it)| {
                if it.is_number() && key.contains('_')
                    || ["watts", "share", "proportional", "power_factor"].contains(&key.as_str())
                {
                    if it.is_object() {
                        certain(it);
                    } else {
                        *it = json!({"value": it, "plus_minus": 0, "basis": "measured"});
                    }
                } else {
                    certain(it);
                }
            }),
            Value::Array(list) => list.iter_mut().for_each(certain),
            _ => {}
        }
    }
    let mut sure = demo();
    certain(&mut sure["kit"]["converters"]);
    certain(&mut sure["kit"]["devices"]);
    certain(&mut sure["arrangements"]);
    certain(&mut sure["kit"]["sources"][0]["battery"]);
    let idle = |plan: &mut Value, value: Value| {
        let list = plan["kit"]["converters"].as_array_mut().unwrap();
        let found = list
            .iter_mut()
            .find(|it| it["id"] == "small-inverter")
            .unwrap();
        found["loss"]["idle_w"] = value;
    };
    idle(
        &mut sure,
        json!({"value": 7.9, "plus_minus": 2.5, "basis": "label"}),
    );
    let base = crossed(&sure, Over::Load, true);
    let mut more = sure.clone();
    idle(&mut more, json!(10.4));
    let moved = crossed(&more, Over::Load, false);
    let at = |of: &Crossings, x: f64| {
        of.series
            .iter()
            .find(|it| (it.at - x).abs() < 1e-9)
            .unwrap()
            .drawn
    };
    assert!(base.band.len() > 8);
    for it in &base.band {
        let by = [0, 1].map(|way| Some((at(&moved, it.at)[way]? - at(&base, it.at)[way]?).abs()));
        for (way, by) in by
            .into_iter()
            .enumerate()
            .filter_map(|(way, by)| Some((way, by?)))
        {
            assert!(
                (it.plus_minus[way] - by).abs() < 1e-6 + 0.02 * by,
                "{it:?} against {by}"
            );
        }
    }
    // The crossing moves as its own ± says, to first order.
    let (here, there) = (&base.crossings[0], &moved.crossings[0]);
    let told = here.plus_minus.unwrap();
    assert!(
        (told - (there.at - here.at).abs()).abs() < 0.15 * told,
        "± {told}, moved {}",
        there.at - here.at
    );
    assert!(moved.band.is_empty() && moved.crossings[0].plus_minus.is_none());
}

#[test]
fn today_stands_on_the_axis() {
    let demo = demo();
    let load = crossed(&demo, Over::Load, false).today.unwrap();
    assert!((4.0..9.0).contains(&load), "{load} W");
    assert_eq!(crossed(&demo, Over::Charge, false).today, Some(0.6));
    assert_eq!(crossed(&demo, Over::Hours, false).today, Some(24.0));
    assert_eq!(crossed(&demo, Over::Idle, false).today, Some(7.9));
    // The longest lead of both is the camera's 22 m.
    assert_eq!(crossed(&demo, Over::Length, false).today, Some(22.0));
}

#[test]
fn above_the_first_break_every_window_is_kept_and_below_it_one_is_not() {
    let parsed = plan(&demo());
    let mut seen = 0;
    for way in &parsed.arrangements {
        let trips = |soc: f64| {
            windows(&parsed, way, &Charge::uniform(soc))
                .into_iter()
                .filter(|it| it.status == Status::Trips)
                .map(|it| it.place)
                .collect::<Vec<_>>()
        };
        let Some(found) = first_break(&parsed, way) else {
            assert!(trips(0.0).is_empty(), "{}", way.id);
            continue;
        };
        seen += 1;
        assert!(
            trips((found.soc + 1e-4).min(1.0)).is_empty() || found.soc > 0.999,
            "{}: {found:?}",
            way.id
        );
        assert!(
            trips(found.soc - 1e-4).contains(&found.place),
            "{}: {found:?}",
            way.id
        );
        assert!(found.sentence.contains(&found.name));
    }
    assert!(seen > 2);
}
