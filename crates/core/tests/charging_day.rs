//! A day of charging on the clock: when what comes in, and how long an engine must run each day,
//! against a march of every choice.

use crate::charging::{asked, feed, near, site};
use ash_pond_core::advice::charge::{EngineDay, RechargeAsk, Recharged, recharge};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::simulate;
use proptest::prelude::*;
use serde_json::{Value, json};

/// A hut off the grid: a bank, a lamp all day, a generator with its charger, and a panel with its
/// own where it gives something.
fn hut(lamp_w: f64, panel_w: f64, edit: &dyn Fn(&mut Value)) -> Plan {
    let mut feeds = vec![
        feed("set/out", "charger"),
        feed("charger/out", "bank/studs"),
        feed("bank/out", "lamp"),
    ];
    if panel_w > 0.0 {
        feeds.extend([
            feed("panel/out", "controller"),
            feed("controller/out", "bank/sun"),
        ]);
    }
    site(&json!(feeds), &|plan| {
        plan["kit"]["devices"] = json!([{"id": "lamp", "label": "Lamp", "input": {"current": "dc",
            "rated_v": 12},
            "phases": [{"when": "running", "watts": lamp_w}]}]);
        let sources = plan["kit"]["sources"].as_array_mut().unwrap();
        sources[1]["inputs"]
            .as_array_mut()
            .unwrap()
            .push(json!({"id": "sun", "kind": "dc", "max_a": 30}));
        sources[3]["engine"]["fuel_l"] = json!(20);
        sources[4]["ports"][0]["limit"]["continuous_w"] =
            json!({"value": panel_w, "basis": "measured"});
        plan["kit"]["converters"].as_array_mut().unwrap().push(
            json!({"id": "controller", "label": "Controller", "kind": "charger",
                "input": {"current": "dc", "min_v": 16, "max_v": 60},
                "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 14.4},
                    "limit": {"continuous_a": 20}}],
                "loss": {"proportional": 0.04}}),
        );
        plan["outages"] = json!([{"id": "o", "label": "O", "start": "2026-01-14T06:00", "hours": 72,
            "initial_soc": {"bank": 0.5}}]);
        edit(plan);
    })
}

fn told(plan: &Plan) -> Recharged {
    let ask = RechargeAsk {
        from_soc: 0.5,
        mains: false,
        ..RechargeAsk::of("bank")
    };
    recharge(plan, &plan.arrangements[0], Some(&plan.outages[0]), &ask).unwrap()
}

fn engine(plan: &Plan) -> EngineDay {
    let [engine] = &told(plan).engines[..] else {
        panic!("one engine is wired")
    };
    engine.clone()
}

/// What is left after some days, nothing where the lamp was lost on the way, with the set run from
/// a time of day for some quarters of an hour.
fn left(plan: &Plan, from_h: f64, quarters: u32, days: u32) -> f64 {
    let mut plan = plan.clone();
    let mut value = serde_json::to_value(&plan).unwrap();
    let begins = (from_h - 6.0).rem_euclid(24.0);
    let (end, long) = (24.0 * f64::from(days), f64::from(quarters) / 4.0);
    let run = |from: f64, to: f64| json!({"source": "set", "from_h": from, "to_h": to});
    let mut runs: Vec<Value> = (0..days)
        .map(|day| begins + 24.0 * f64::from(day))
        .map(|it| run(it, (it + long).min(end)))
        .collect();
    // What runs past the last day ran at the beginning of the first.
    if begins + long > 24.0 {
        runs.push(run(0.0, begins + long - 24.0));
    }
    value["outages"][0]["runs"] = json!(runs);
    value["outages"][0]["hours"] = json!(24 * days);
    if quarters == 0 {
        value["arrangements"][0]["feeds"]
            .as_array_mut()
            .unwrap()
            .retain(|it| it["to"] != "charger" && it["to"] != "bank/studs");
        value["outages"][0]["runs"] = json!([]);
    }
    plan.clone_from(&Plan::from_value(&value).unwrap());
    let run = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    if run.devices["lamp"].down_at_h.is_some() {
        0.0
    } else {
        run.sources["bank"].end_soc
    }
}

fn clock(text: &str) -> f64 {
    let (hours, minutes) = text.split_once(':').unwrap();
    hours.parse::<f64>().unwrap() + minutes.parse::<f64>().unwrap() / 60.0
}

#[test]
fn an_engine_runs_as_long_as_a_day_takes() {
    let plan = hut(20.0, 0.0, &|_| {});
    let it = engine(&plan);
    // 200 W of the set are 181.8 out of the charger; 480 Wh of a day and what the cells keep take
    // 2.7 h, told in quarters.
    assert_eq!(
        (it.from.as_deref(), it.enough),
        (Some("16:00"), true),
        "{}",
        it.sentence
    );
    near(it.minutes, 165.0, 1e-12);
    let fewest = (1..96)
        .find(|quarters| left(&plan, 16.0, *quarters, 1) >= 0.4995)
        .unwrap();
    near(it.minutes, f64::from(fewest) * 15.0, 1e-12);
    // 0.2 l an hour and half a litre for each kWh of 200 W.
    near(it.fuel_l.unwrap(), 2.75 * (0.2 + 0.5 * 0.2), 1e-2);
    assert_eq!(
        it.sentence,
        "Run Set from 16:00 for 2 h 45 min each day, with 0.83 l: Bank ends the day as full as it \
        began, at 50 %."
    );
    // What is advised holds for days.
    assert!(left(&plan, 16.0, fewest, 3) >= 0.498);
}

#[test]
fn quiet_times_are_kept_and_what_is_not_enough_is_said() {
    let quiet = hut(20.0, 0.0, &|plan| {
        plan["kit"]["sources"][3]["engine"]["quiet"] = json!([{"from": "12:00", "to": "20:00"}]);
    });
    let it = engine(&quiet);
    let from = clock(it.from.as_deref().unwrap());
    assert!(
        it.enough && (from >= 20.0 || from + it.minutes / 60.0 <= 12.0),
        "{}",
        it.sentence
    );
    let weak = engine(&hut(190.0, 0.0, &|_| {}));
    assert!(
        !weak.enough
            && weak
                .sentence
                .starts_with("However long Set runs, Bank goes from 50 % to "),
        "{}",
        weak.sentence
    );
    // While the mains fills it, nobody asks for an engine.
    let plan = hut(20.0, 0.0, &|plan| {
        plan["arrangements"][0]["feeds"][0]["from"] = json!({"item": "mains", "port": "socket"});
    });
    let there = RechargeAsk {
        from_soc: 0.5,
        ..RechargeAsk::of("bank")
    };
    let found = recharge(&plan, &plan.arrangements[0], Some(&plan.outages[0]), &there).unwrap();
    assert_eq!(found.engines, Vec::new());
}

#[test]
fn the_sun_is_told_on_the_clock_and_spares_the_engine() {
    let sunny = hut(8.0, 400.0, &|plan| {
        plan["outages"][0]["start"] = json!("2026-06-14T06:00");
    });
    let found = told(&sunny);
    let it = &found.engines[0];
    assert_eq!(
        (it.minutes, it.enough, &it.from),
        (0.0, true, &None),
        "{}",
        it.sentence
    );
    assert!(
        it.sentence
            .starts_with("Set need not run: without it Bank goes from 50 % to "),
        "{}",
        it.sentence
    );
    let sun: Vec<_> = found
        .spans
        .iter()
        .filter(|it| it.input == "bank/sun")
        .collect();
    assert!(
        sun[0].sentence.starts_with("Sunday ") && sun[0].sentence.contains(" to Sunday "),
        "{}",
        sun[0].sentence
    );
    assert!(
        sun[0].sentence.contains(": Panel → Controller, ") && sun[0].wh > 100.0,
        "{}",
        sun[0].sentence
    );
    let full = found.levels.last().unwrap();
    assert!(full.after_h.is_none() == full.at.is_none());
    // Without an outage nobody knows the date: days are counted.
    let plan = hut(0.0, 60.0, &|plan| {
        plan["arrangements"][0]["feeds"]
            .as_array_mut()
            .unwrap()
            .drain(..2);
    });
    let undated = asked(&plan, "bank", |it| it.mains = false);
    let days: Vec<String> = undated
        .spans
        .iter()
        .map(|it| it.sentence.plain().to_string())
        .collect();
    assert!(
        days[0].starts_with("08:00 to 1") && days[1].contains(" on day 2 to "),
        "{days:?}"
    );
    assert!(
        undated
            .levels
            .last()
            .unwrap()
            .at
            .as_ref()
            .is_none_or(|it| it.contains(" on day "))
    );
}

/// The demo's hut: the sun until its willows shade it, a generator that must be quiet by night, and
/// a step-up that gets hot in the van.
#[test]
fn the_hut_of_the_demo_tells_when_its_engine_runs_and_what_its_step_up_bears() {
    let text = include_str!("../../../demo/weir-hut.plan.json");
    let plan = Plan::parse(text).unwrap();
    assert_eq!(plan.to_text(), text);
    let week = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == "dull-week")
        .unwrap();
    let hut = plan.arrangement("hut").unwrap();
    let ask = RechargeAsk {
        from_soc: 0.5,
        mains: false,
        ..RechargeAsk::of("hut-bank")
    };
    let found = recharge(&plan, hut, Some(week), &ask).unwrap();
    let it = &found.engines[0];
    assert!(it.enough && it.minutes > 30.0, "{}", it.sentence);
    assert!(
        it.sentence
            .starts_with("Run Suitcase generator from 16:00 for "),
        "{}",
        it.sentence
    );
    // With that each day the week is got through, which it is not as planned.
    let mut value = serde_json::to_value(&plan).unwrap();
    let outage = value["outages"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .find(|it| it["id"] == "dull-week")
        .unwrap();
    let runs: Vec<Value> = (0..7)
        .map(|day| {
            json!({"source": "set", "from_h": 24 * day,
            "to_h": f64::from(24 * day) + it.minutes / 60.0})
        })
        .collect();
    outage["runs"] = json!(runs);
    // The can is filled up on the way.
    let sources = value["kit"]["sources"].as_array_mut().unwrap();
    sources.iter_mut().find(|it| it["id"] == "set").unwrap()["engine"]["fuel_l"] = json!(20);
    let run = Plan::from_value(&value).unwrap();
    let lost = |plan: &Plan| {
        let outage = plan
            .outages
            .iter()
            .find(|it| it.id.as_str() == "dull-week")
            .unwrap();
        let found = simulate(plan, plan.arrangement("hut").unwrap(), outage, None);
        ["gauge", "camera", "radio"].map(|id| found.devices[id].down_at_h.is_some())
    };
    assert_eq!((lost(&plan), lost(&run)), ([true; 3], [false; 3]));
    // In the van nothing hangs on the box: no engine must run for it. Its step-up gets as warm as
    // it bears.
    let van = recharge(
        &plan,
        plan.arrangement("carried-up").unwrap(),
        None,
        &RechargeAsk {
            mains: false,
            ..RechargeAsk::of("box")
        },
    );
    let van = van.unwrap();
    assert!(
        van.ways[0]
            .limits
            .iter()
            .any(|it| it.limited_by.contains("as warm as its case bears")),
        "{:?}",
        van.ways
    );
    assert!(
        van.trips
            .iter()
            .any(|it| it.contains("What fills through it is reckoned with the ")),
        "{:?}",
        van.trips
    );
}

/// A van that stands at its floor gives nothing; while its engine runs, its alternator does, and
/// its box fills.
#[test]
fn a_van_with_an_empty_battery_gives_while_its_engine_runs() {
    let chain = json!([
        feed("van/socket", "step-up"),
        feed("step-up/out", "station/dc")
    ]);
    let plan = site(&chain, &|plan| {
        plan["kit"]["sources"][2]["battery"]["floor_soc"] = json!(0.7);
        plan["outages"] = json!([{"id": "o", "label": "O", "start": "2026-03-03T08:00", "hours": 8,
            "initial_soc": {"station": 0.2, "van": 0.7}, "runs": [{"source": "van", "from_h": 3,
                "to_h": 4}]}]);
    });
    let run = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
    // 10 A of half its rating at 14 V for an hour: 140 W, of which the step-up passes (140 − 1) /
    // 1.05 on.
    near(
        run.sources["station"].charged_wh,
        (139.0 / 1.05) * 0.95 * crate::charging::lfp(),
        1e-3,
    );
    assert!((run.sources["van"].end_soc - 0.7).abs() < 1e-6);
    // So what a day takes is the engine's to bring, and not what its battery still has.
    let lit = site(
        &json!([
            feed("van/socket", "step-up"),
            feed("step-up/out", "station/dc"),
            feed("station/outlet", "lamp")
        ]),
        &|plan| {
            plan["kit"]["devices"] = json!([{"id": "lamp", "label": "Lamp",
                "input": {"current": "ac", "rated_v": 230},
            "phases": [{"when": "running", "watts": 10}]}]);
        },
    );
    let ask = RechargeAsk {
        from_soc: 0.5,
        mains: false,
        ..RechargeAsk::of("station")
    };
    let found = recharge(&lit, &lit.arrangements[0], None, &ask).unwrap();
    let it = &found.engines[0];
    // 240 Wh of a day at 132.4 W · 0.95 · the cells' share take two hours.
    assert!(
        it.enough && (105.0..=135.0).contains(&it.minutes),
        "{}",
        it.sentence
    );
    assert_eq!(it.fuel_l, None);
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn no_other_hour_needs_less_and_more_sun_never_needs_more(
        lamp in 4.0_f64..60.0, panel in 0.0_f64..300.0, more in 0.0_f64..200.0, hour in 0_u32..24,
    ) {
        let plan = hut(lamp, panel, &|_| {});
        let it = engine(&plan);
        let minutes = |it: &EngineDay| if it.enough { it.minutes } else { f64::INFINITY };
        if it.enough {
            // A quarter of an hour less, at any hour of the day that does not reach over its end,
            // is not enough.
            let quarters = (0..=96_u32).find(|n| (f64::from(*n) * 15.0 - it.minutes).abs() < 1e-9).unwrap();
            let ends = (f64::from(hour) - 6.0).rem_euclid(24.0) + f64::from(quarters) / 4.0;
            if quarters > 0 && ends <= 24.0 {
                let less = left(&plan, f64::from(hour), quarters - 1, 1);
                prop_assert!(less < 0.5 + 1e-3, "{less} from {hour}: {}", it.sentence);
            }
            let from = it.from.as_deref().map_or(16.0, clock);
            prop_assert!(left(&plan, from, quarters, 1) >= 0.5 - 1.5e-3, "{}", it.sentence);
        }
        let brighter = minutes(&engine(&hut(lamp, panel + more, &|_| {})));
        prop_assert!(brighter <= minutes(&it), "{brighter} min, {}", it.sentence);
    }

    #[test]
    fn what_comes_by_stretches_is_what_comes_in(panel in 20.0_f64..300.0, lamp in 0.0_f64..30.0) {
        let found = told(&hut(lamp, panel, &|_| {}));
        for way in &found.ways {
            let spans: Vec<_> = found.spans.iter().filter(|it| it.input == way.input).collect();
            let sum: f64 = spans.iter().map(|it| it.wh).sum();
            prop_assert!(sum <= way.input_wh * (1.0 + 1e-9), "{sum} of {}", way.input_wh);
            let ended = found.curve.last().unwrap()[0];
            if ended <= 72.0 {
                prop_assert!(sum >= way.input_wh * 0.98 - 2.0, "{sum} of {}", way.input_wh);
            }
            prop_assert!(spans.windows(2).all(|it| it[0].to_h <= it[1].from_h + 1e-6));
        }
    }
}
