//! Candidates side by side and the years of a battery: by hand, carried out, and as laws.

use super::{demo, put_in, site};
use ash_pond_core::advice::compare::compare_used;
use ash_pond_core::advice::shelf::{
    Apart, Candidate, Candidates, CandidatesAsk, FindAsk, Replaced, candidates,
};
use ash_pond_core::ground::json::{FromJson, Path};
use ash_pond_core::limits::Status;
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::{Plan, Source};
use ash_pond_core::time::life::{EndedBy, life};
use ash_pond_core::time::outage::{simulate, wear};
use proptest::prelude::*;
use serde_json::{Value, json};

fn source(battery: &Value) -> Source {
    let text = json!({"id": "bank", "label": "Bank", "kind": "battery", "battery": battery,
        "ports": [], "price": 600});
    Source::from_json(&text, &Path::Root).unwrap()
}

#[test]
fn a_battery_lasts_as_many_years_as_its_cycles_or_the_calendar_leave_it() {
    let own = source(
        &json!({"chemistry": "lfp", "energy_wh": 500, "cycles": [[0.5, 4000], [1.0, 1000]]}),
    );
    // 4,000 half cycles at 7 a week of 365.25 / 7 weeks a year: one for each day.
    let used = life(&own, 0.5, 7.0, "EUR").unwrap();
    assert!(
        (used.years - 4000.0 / 365.25).abs() < 1e-9 && used.ended_by == EndedBy::Use,
        "{used:?}"
    );
    assert!((used.cost_a_year.unwrap() - 600.0 * 365.25 / 4000.0).abs() < 1e-9 && used.own_cycles);
    let said = "Bank: 50 % deep each day, which it bears about 4,000 times, and is worn out after \
        11 years; the calendar would \
        leave it 12 years: 54.8 EUR a year.";
    assert!(used.sentence.contains(said), "{}", used.sentence);
    // Once a week they outlast the 12 years that such cells have.
    let kept = life(&own, 0.5, 1.0, "EUR").unwrap();
    assert_eq!((kept.years, kept.ended_by), (12.0, EndedBy::Calendar));
    assert!((kept.cost_a_year.unwrap() - 50.0).abs() < 1e-9);
    let short = source(&json!({"chemistry": "lfp", "energy_wh": 500, "life_years": 4}));
    assert!((life(&short, 0.5, 1.0, "EUR").unwrap().years - 4.0).abs() < 1e-12);
    // What is not discharged is worn by the years alone.
    let idle = life(&own, 0.0, 7.0, "EUR").unwrap();
    assert_eq!(
        (idle.cycles, idle.by_use_years, idle.years),
        (None, None, 12.0)
    );
}

#[test]
fn an_outage_wears_a_battery_by_its_own_cycles() {
    let with = |edit: &dyn Fn(&mut Value)| {
        let plan = site(&|plan| {
            plan["arrangements"] = json!([{"id": "way", "label": "Way", "feeds": [
                {"from": {"item": "bank", "port": "studs"}, "to": "lamp"}]}]);
            plan["outages"] = json!([{"id": "night", "label": "Night",
                "start": "2026-01-10T18:00", "hours": 24}]);
            edit(plan);
        });
        let found = simulate(
            &plan,
            plan.arrangement("way").unwrap(),
            &plan.outages[0],
            Some(600.0),
        );
        wear(&plan, &found)["bank"].clone()
    };
    let habit = with(&|_| {});
    let doubled = with(&|plan| {
        plan["kit"]["sources"][0]["battery"]["cycles"] =
            json!([[0.3, 18000], [0.5, 10000], [0.8, 6000], [1.0, 4000]]);
    });
    assert!(habit.life > 0.0 && (habit.depth - doubled.depth).abs() < 1e-12);
    assert!(
        (doubled.life * 2.0 - habit.life).abs() < 1e-12,
        "{habit:?} {doubled:?}"
    );
}

#[test]
fn what_cycles_and_years_cannot_be_names_the_field() {
    let refused = |edit: &dyn Fn(&mut Value)| {
        let mut plan = serde_json::to_value(demo()).unwrap();
        edit(&mut plan["kit"]["sources"][0]["battery"]);
        Plan::from_value(&plan).unwrap_err().to_string()
    };
    let cases: [(Value, &str); 6] = [
        (
            json!([[0.5, 4000], [0.4, 5000]]),
            "cycles[1]: is no deeper than the 0.5 before it",
        ),
        (
            json!([[0.5, 4000], [0.8, 5000]]),
            "cycles[1]: bears 5000 cycles, more than the 4000",
        ),
        (json!([[1.5, 4000]]), "cycles[0]: has a depth of 1.5"),
        (json!([[0.5, 0]]), "cycles[0]: has 0 cycles"),
        (json!([[0.5]]), "cycles[0]: is no pair of numbers"),
        (json!([[0.5, "many"]]), "cycles[0]: is no pair of numbers"),
    ];
    for (cycles, why) in cases {
        let told = refused(&|battery| battery["cycles"] = cycles.clone());
        assert!(
            told.contains(&format!("kit.sources[0].battery.{why}")),
            "{told}"
        );
    }
    let told = refused(&|battery| battery["life_years"] = json!(0));
    assert!(told.contains("kit.sources[0].battery.life_years"), "{told}");
    // What is well is written as it was read.
    let mut plan = serde_json::to_value(demo()).unwrap();
    plan["kit"]["sources"][0]["battery"]["cycles"] = json!([[0.5, 4000.0], [0.8, 2500.0]]);
    plan["kit"]["sources"][0]["battery"]["life_years"] = json!(9);
    let again = serde_json::to_value(Plan::from_value(&plan).unwrap()).unwrap();
    assert_eq!(
        again["kit"]["sources"][0]["battery"]["cycles"],
        json!([[0.5, 4000.0], [0.8, 2500.0]])
    );
}

#[test]
fn a_comparison_says_how_many_years_its_stores_last() {
    let plan = site(&|plan| {
        let feed = |from: &str, port: &str, to: &str| {
            json!({"from": {"item": from, "port": port},
            "to": to})
        };
        plan["arrangements"] = json!([
            {"id": "bank", "label": "Off the bank", "feeds": [feed("bank", "studs", "lamp")]},
            {"id": "station", "label": "Off the station", "feeds": [feed("station", "socket",
                "lamp")]}]);
        plan["kit"]["sources"][1]["price"] = json!(450);
    });
    let ways: Vec<_> = plan.arrangements.iter().collect();
    let told = |uses: f64| compare_used(&plan, &ways, &Charge::full(), None, Some(uses)).unwrap();
    let (one, two) = (told(3.0), told(6.0));
    // 24 W for a day are 576 Wh: the station is used down to its floor, nine tenths deep.
    let station = &one.ways[1].lives["station"];
    assert!((station.depth - 0.9).abs() < 1e-9, "{station:?}");
    let lfp = ash_pond_core::site::chemistry::find("lfp").unwrap();
    assert!(
        (station.by_use_years.unwrap() - lfp.cycles_at(0.9) / (3.0 * 365.25 / 7.0)).abs() < 1e-9
    );
    assert!((station.cost_a_year.unwrap() - 450.0 / station.years).abs() < 1e-9);
    // The bank of 100 Ah gives them from less than half of it.
    let bank = &one.ways[0].lives["bank"];
    assert!(bank.depth > 0.4 && bank.depth < 0.5, "{bank:?}");
    // Twice as often is half as long.
    assert!(
        (two.ways[1].lives["station"].by_use_years.unwrap() * 2.0 - station.by_use_years.unwrap())
            .abs()
            < 1e-9
    );
    assert!(
        one.best
            .iter()
            .any(|it| it.aspect.word() == "years" && it.way.is_none()),
        "{:?}",
        one.best
    );
    // Nobody asked: nothing is told.
    assert!(
        compare_used(&plan, &ways, &Charge::full(), None, None)
            .unwrap()
            .ways[0]
            .lives
            .is_empty()
    );
}

/// The station for 400, the bank for 250, the inverter for 90, none of them owned.
fn shop(edit: &dyn Fn(&mut Value)) -> Plan {
    site(&|plan| {
        plan["site"]["energy_price"] = json!({"per_kwh": 0.25, "currency": "EUR"});
        for (at, price, kg) in [(0, 250, 11.0), (1, 400, 7.0)] {
            let it = &mut plan["kit"]["sources"][at];
            (it["price"], it["weight_kg"], it["owned"]) = (json!(price), json!(kg), json!(false));
        }
        plan["kit"]["sources"][1]["replaceable_battery"] = json!(false);
        for (at, price) in [(0, 90), (1, 20), (2, 10)] {
            let it = &mut plan["kit"]["converters"][at];
            (it["price"], it["weight_kg"], it["owned"]) = (json!(price), json!(0.5), json!(false));
        }
        edit(plan);
    })
}

fn asked(devices: &[&str], of: Apart) -> CandidatesAsk {
    CandidatesAsk {
        find: FindAsk::of(devices, 0.0),
        of,
        items: Vec::new(),
        uses_a_week: Some(7.0),
        years: 10.0,
    }
}

fn of<'a>(found: &'a Candidates, item: &str) -> &'a Candidate {
    found.candidates.iter().find(|it| it.item == item).unwrap()
}

#[test]
fn one_box_or_parts_as_by_hand() {
    let plan = shop(&|_| {});
    let found = candidates(
        &plan,
        &CandidatesAsk {
            find: FindAsk::of(&["pump"], 6.0),
            ..asked(&[], Apart::Store)
        },
    )
    .unwrap();
    assert!(found.proven && found.candidates.len() == 2);
    let (bank, station) = (of(&found, "bank"), of(&found, "station"));
    assert!(station.one_box && !bank.one_box);
    // In parts the pump needs the inverter: 250 and 90, 11 and half a kilogram.
    assert_eq!(
        (bank.price, bank.buy_price, bank.weight_kg),
        (Some(340.0), Some(340.0), Some(11.5))
    );
    assert_eq!((station.price, station.weight_kg), (Some(400.0), Some(7.0)));
    // 450 Wh of the station reach its outlet, which loses nothing: 60 W for 7.5 h to the floor, and
    // 400 EUR for 0.45 kWh.
    assert!(
        (station.usable_wh.unwrap() - 450.0).abs() < 0.5,
        "{station:?}"
    );
    assert!((station.price_per_usable_kwh.unwrap() - 400.0 / 0.45).abs() < 1.0);
    assert!((station.usable_wh_per_kg.unwrap() - 450.0 / 7.0).abs() < 0.1);
    // Six hours of 60 W are 360 of its 500 Wh.
    assert!(
        (station.lives[0].depth - 0.72).abs() < 0.005,
        "{:?}",
        station.lives
    );
    // The bank gives 60 W, their 8 % and 6 W for being on: 70.8 W.
    assert!(
        (bank.usable_wh.unwrap() / (0.9 * 100.0 * 13.2) - 60.0 / 70.8).abs() < 0.02,
        "{bank:?}"
    );
    // What fails takes the pump with it, and what becomes of it is told.
    let part = |it: &Candidate, id: &str| {
        it.parts
            .iter()
            .find(|part| part.item == id)
            .unwrap()
            .clone()
    };
    assert_eq!(part(bank, "bank").takes_down, ["pump"]);
    assert_eq!(
        (
            part(bank, "inverter").replaced,
            part(bank, "inverter").takes_down.len()
        ),
        (Replaced::Itself, 1)
    );
    assert_eq!(part(station, "station").replaced, Replaced::Whole);
    // Twice the bank lasts twice as long; a second station beside the first carries the one pump no
    // longer.
    assert!(
        (bank.grows.as_ref().unwrap().hours / bank.hours.unwrap() - 2.0).abs() < 0.02,
        "{:?}",
        bank.grows
    );
    assert!(
        station
            .grows
            .as_ref()
            .unwrap()
            .sentence
            .contains("wins no hours"),
        "{:?}",
        station.grows
    );
    assert!(
        found.sentence.contains("Pump lasts 7 h 30 min on Station")
            && found.sentence.contains("on Bank"),
        "{}",
        found.sentence
    );
}

#[test]
fn money_over_the_years_counts_what_is_bought_put_back_and_replaced() {
    let plan = shop(&|plan| plan["kit"]["sources"][1]["battery"]["cycles"] = json!([[0.72, 1461]]));
    let ask = CandidatesAsk {
        find: FindAsk::of(&["pump"], 6.0),
        ..asked(&[], Apart::Store)
    };
    let found = candidates(&plan, &ask).unwrap();
    let station = of(&found, "station");
    // 1,461 such days are four years: bought now, and anew after four and after eight.
    assert!(
        (station.lives[0].years - 4.0).abs() < 0.05,
        "{:?}",
        station.lives
    );
    let steps = station
        .spent
        .windows(2)
        .filter(|it| it[1].year - it[0].year < 1e-12 && it[1].spent > it[0].spent + 399.0);
    assert_eq!(steps.count(), 2, "{:?}", station.spent);
    // 360 Wh a day, put back with the 98 % that its chemistry takes, at 0.25 for 3,652.5 days.
    let energy = 0.36 / 0.98 * 0.25 * 3652.5;
    assert!(
        (station.over_years.unwrap() - 1200.0 - energy).abs() < 5.0,
        "{:?}",
        station.over_years
    );
    // Asked for longer than it lasts, it takes no more than it holds: 500 Wh down to its floor.
    let long = candidates(
        &plan,
        &CandidatesAsk {
            find: FindAsk::of(&["pump"], 24.0),
            ..ask.clone()
        },
    )
    .unwrap();
    let station = of(&long, "station");
    let bought = 400.0 * (1.0 + (10.0 / station.lives[0].years).floor());
    let energy = 0.06 * station.hours.unwrap() / 0.98 * 0.25 * 3652.5;
    assert!(
        (station.over_years.unwrap() - bought - energy).abs() < 5.0,
        "{station:?}"
    );
    // Not used by the week, it costs what it costs and the calendar wears it.
    let rare = candidates(
        &plan,
        &CandidatesAsk {
            uses_a_week: None,
            ..ask
        },
    )
    .unwrap();
    assert_eq!(of(&rare, "station").over_years, Some(400.0));
}

#[test]
fn what_a_store_does_not_run_is_named() {
    let found = candidates(&shop(&|_| {}), &asked(&["heater", "lamp"], Apart::Store)).unwrap();
    let station = of(&found, "station");
    assert!(station.hours.is_none() && station.member.is_none());
    let said = "Station: nothing on it runs Heater, not even alone.";
    assert!(station.sentence.contains(said), "{}", station.sentence);
    assert_eq!(found.candidates.last().unwrap().item, "station");
}

#[test]
fn of_two_inverters_each_is_carried_out() {
    let plan = shop(&|plan| {
        let mut big = plan["kit"]["converters"][0].clone();
        (big["id"], big["label"], big["loss"]["idle_w"]) =
            (json!("big"), json!("Big inverter"), json!(25));
        big["outputs"][0]["limit"]["continuous_w"] = json!(1500);
        plan["kit"]["converters"].as_array_mut().unwrap().push(big);
    });
    let found = candidates(&plan, &asked(&["pump"], Apart::Inverter)).unwrap();
    let (small, big) = (of(&found, "inverter"), of(&found, "big"));
    // 70.8 W against 89.8 W off the same bank.
    assert!(
        (small.hours.unwrap() / big.hours.unwrap() - 89.8 / 70.8).abs() < 0.02,
        "{small:?} {big:?}"
    );
    for (it, id) in [(small, "inverter"), (big, "big")] {
        let way = &it.member.as_ref().unwrap().arrangement;
        assert!(
            way.feeds.iter().any(|feed| feed.from.item.as_str() == id),
            "{id} is no part of {way:?}"
        );
    }
    // Both hang on one store with everything behind them: nothing else differs.
    let store = |it: &Candidate| {
        it.member.as_ref().unwrap().arrangement.feeds[0]
            .from
            .item
            .to_string()
    };
    assert_eq!(
        (store(small), store(big)),
        ("bank".to_owned(), "bank".to_owned())
    );
    // A lamp for direct current would hang straight on the bank; beside the pump it hangs behind
    // the inverter, through the adapter.
    let lamp = candidates(&plan, &asked(&["lamp", "pump"], Apart::Inverter)).unwrap();
    let way = &of(&lamp, "inverter").member.as_ref().unwrap().arrangement;
    assert!(
        way.feeds
            .iter()
            .any(|it| it.to.item.as_str() == "lamp" && it.from.item.as_str() == "adapter"),
        "{way:?}"
    );
    assert!(
        lamp.sentence.contains("On Bank, Lamp and Pump last"),
        "{}",
        lamp.sentence
    );
    // By name, and what is none of them is refused.
    let one = candidates(
        &plan,
        &CandidatesAsk {
            items: vec!["big".into()],
            ..asked(&["pump"], Apart::Inverter)
        },
    )
    .unwrap();
    assert_eq!(one.candidates.len(), 1);
}

#[test]
fn what_cannot_be_asked_of_candidates_names_its_field() {
    let plan = shop(&|_| {});
    let refused = |edit: &dyn Fn(&mut CandidatesAsk)| {
        let mut ask = asked(&["pump"], Apart::Store);
        edit(&mut ask);
        candidates(&plan, &ask).unwrap_err().path
    };
    assert_eq!(refused(&|it| it.items = vec!["inverter".into()]), "items");
    assert_eq!(refused(&|it| it.uses_a_week = Some(0.0)), "uses_a_week");
    assert_eq!(
        refused(&|it| it.uses_a_week = Some(f64::NAN)),
        "uses_a_week"
    );
    assert_eq!(refused(&|it| it.years = 0.0), "years");
    assert_eq!(refused(&|it| it.years = f64::INFINITY), "years");
    assert_eq!(refused(&|it| it.find.devices = vec![]), "devices");
    assert_eq!(
        refused(&|it| it.find.outage = Some("none".into())),
        "outage"
    );
    assert_eq!(refused(&|it| it.find.hours = 1e9), "hours");
}

#[test]
fn what_candidates_of_the_demo_say_is_what_check_and_simulate_say() {
    let plan = demo();
    for (devices, of) in [
        (vec!["router", "terminal"], Apart::Store),
        (vec!["gate-camera"], Apart::Inverter),
    ] {
        let mut ask = asked(&devices, of);
        ask.find.outage = Some("winter-storm".into());
        let found = candidates(&plan, &ask).unwrap();
        assert!(
            found.candidates.iter().any(|it| it.member.is_some()),
            "{}",
            found.sentence
        );
        for it in &found.candidates {
            let Some(member) = &it.member else { continue };
            let (status, hours) = put_in(&plan, member, "winter-storm");
            assert!(status < Status::Trips, "{}", it.sentence);
            assert!(
                (hours - it.hours.unwrap()).abs() < 1e-6,
                "{} {hours}",
                it.sentence
            );
            let all: Option<f64> = it.parts.iter().map(|it| it.price).sum();
            assert_eq!(all.map(|it| it + 0.0), it.price);
            assert!(
                it.grows
                    .as_ref()
                    .is_none_or(|more| more.hours >= hours - 1e-6)
            );
            assert!(
                it.spent
                    .windows(2)
                    .all(|it| it[1].year >= it[0].year && it[1].spent >= it[0].spent - 1e-9)
            );
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 12, ..ProptestConfig::default() })]

    /// More often, or longer at a time, never lasts longer in years, nor costs less.
    #[test]
    fn more_use_never_lasts_more_years_nor_costs_less(hours in 1.0..6.0_f64,
        longer in 1.0..3.0_f64, uses in 0.5..7.0_f64) {
        let plan = shop(&|_| {});
        let told = |hours: f64, uses: f64| {
            let find = FindAsk::of(&["lamp"], hours);
            candidates(&plan, &CandidatesAsk { find, uses_a_week: Some(uses), ..asked(&[],
                Apart::Store) }).unwrap()
        };
        let less = told(hours, uses);
        for more in [told(hours * longer, uses), told(hours, uses * longer)] {
            for it in &less.candidates {
                let other = of(&more, &it.item);
                prop_assert!(other.lives[0].years <= it.lives[0].years + 1e-9);
                prop_assert!(other.over_years.unwrap() >= it.over_years.unwrap() - 1e-6);
            }
        }
    }
}
