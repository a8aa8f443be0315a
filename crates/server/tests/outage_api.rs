//! Outages by the API: told, many times with progress, shedding, starts, filling up, and what is
//! taken along.

use crate::common;

use axum::http::StatusCode;
use common::{SITE, api, assert_problem};
use serde_json::{Value, json};

fn storm(way: &str) -> Value {
    json!({"arrangement": way, "outage": "winter-storm"})
}

fn hours(told: &Value, device: &str) -> f64 {
    told["simulation"]["devices"][device]["down_at_h"]
        .as_f64()
        .unwrap_or(f64::INFINITY)
}

#[tokio::test]
async fn an_outage_is_told_and_a_drop_changes_it() {
    let api = api();
    let told = api.post(&format!("{SITE}/outage"), storm("direct")).await;
    assert_eq!(told.status, StatusCode::OK, "{}", told.body);
    let told = told.body;
    assert!(
        told["headline"]
            .as_str()
            .unwrap()
            .starts_with("Winter storm, three days: Router lasts"),
        "{told}"
    );
    let series = &told["simulation"]["series"];
    let count = series["at_h"].as_array().unwrap().len();
    assert_eq!(count, 289);
    assert!(
        series["soc"]["house-bank"].as_array().unwrap().len() == count
            && series["device_w"]["router"][0].as_f64() > Some(5.0)
    );
    assert_eq!(told["order"][0], "router");
    let without = json!({"arrangement": "direct", "outage": "winter-storm",
        "drop": [{"device": "terminal"}]});
    let without = api.post(&format!("{SITE}/outage"), without).await.body;
    assert!(hours(&without, "router") > hours(&told, "router") + 5.0);
    let at_half = json!({"arrangement": "direct", "outage": "winter-storm",
        "drop": [{"device": "terminal", "below_soc": 0.5}]});
    let at_half = api.post(&format!("{SITE}/outage"), at_half).await.body;
    assert!(
        hours(&at_half, "router") > hours(&told, "router")
            && hours(&at_half, "router") < hours(&without, "router")
    );
    let everything =
        json!({"arrangement": "direct", "outage": "winter-storm", "use_everything": true});
    let everything = api.post(&format!("{SITE}/outage"), everything).await.body;
    assert!(hours(&everything, "router") > hours(&told, "router"));
    // Looked at before it is saved: a bank of twice the size.
    let mut bank = api
        .get(&format!("{SITE}/elements/source/house-bank"))
        .await
        .body["body"]
        .clone();
    bank["battery"]["capacity_ah"] = json!(200);
    let bigger = json!({"arrangement": "direct", "outage": "winter-storm",
        "changes": [{"kind": "source", "id": "house-bank", "body": bank}]});
    assert!(
        hours(
            &api.post(&format!("{SITE}/outage"), bigger).await.body,
            "router"
        ) > 1.7 * hours(&told, "router")
    );
    for (body, path, says) in [
        (
            json!({"arrangement": "nobody", "outage": "winter-storm"}),
            "arrangement",
            "no arrangement",
        ),
        (
            json!({"arrangement": "direct", "outage": "nothing"}),
            "outage",
            "no outage",
        ),
        (
            json!({"arrangement": "direct", "outage": "winter-storm",
                "drop": [{"device": "moon"}]}),
            "drop[0].device",
            "does not feed",
        ),
        (
            json!({"arrangement": "direct", "outage": "winter-storm", "moments": 5}),
            "moments",
            "12 to 2000",
        ),
    ] {
        let refused = api.post(&format!("{SITE}/outage"), body).await;
        assert_eq!(refused.status, StatusCode::UNPROCESSABLE_ENTITY);
        assert_eq!(refused.body["path"], path);
        assert!(
            refused.body["detail"].as_str().unwrap().contains(says),
            "{}",
            refused.body
        );
    }
}

#[tokio::test]
async fn many_runs_tell_their_progress_and_are_known_the_second_time() {
    let api = api();
    let question = json!({"of": storm("direct"), "runs": 60, "seed": 4});
    let first = common::events(
        &api.streamed(&format!("{SITE}/outage/chances"), question.clone())
            .await,
    );
    let (name, done) = first.last().unwrap();
    assert_eq!(name, "done");
    assert!(
        first[..first.len() - 1]
            .iter()
            .all(|(name, it)| name == "progress" && it["of"] == 60)
    );
    assert_eq!(
        (&done["cached"], &done["chances"]["runs"]),
        (&json!(false), &json!(60))
    );
    let router = &done["chances"]["devices"]["router"]["hours"];
    assert!(
        router["p5"].as_f64() < router["p50"].as_f64()
            && router["p50"].as_f64() < router["p95"].as_f64()
    );
    assert!(
        done["owner"].as_str().unwrap().contains("of that spread"),
        "{}",
        done["owner"]
    );
    let again = common::events(
        &api.streamed(&format!("{SITE}/outage/chances"), question)
            .await,
    );
    assert_eq!(again.last().unwrap().1["cached"], true);
    assert_eq!(again.last().unwrap().1["chances"], done["chances"]);
    let refused = api
        .post(
            &format!("{SITE}/outage/chances"),
            json!({"of": storm("direct"), "runs": 0, "seed": 1}),
        )
        .await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "ask for 1 to",
    );
}

/// A reader that goes away ends its runs: nothing is computed for nobody on a battery.
#[tokio::test(flavor = "multi_thread")]
async fn the_runs_end_when_the_reader_goes_away() {
    let api = api();
    let question = |seed: u32| json!({"of": storm("direct"), "runs": 400, "seed": seed});
    common::leave_while_it_works(&api, &format!("{SITE}/outage/chances"), &question(1)).await;
    // As many runs again, begun later: by their end the first ones would be through, and be kept.
    let cached = async |seed| {
        let told = api
            .streamed(&format!("{SITE}/outage/chances"), question(seed))
            .await;
        let done = told.rsplit("data: ").next().unwrap();
        serde_json::from_str::<Value>(done.trim()).unwrap()["cached"].clone()
    };
    assert_eq!(cached(2).await, false);
    assert_eq!(cached(2).await, true, "what was heard to its end is kept");
    assert_eq!(
        cached(1).await,
        false,
        "what nobody heard to its end went on"
    );
}

#[tokio::test]
async fn a_second_identical_question_is_answered_from_what_is_kept() {
    let api = api();
    let of = storm("direct");
    for (path, question) in [
        ("outage", of.clone()),
        (
            "outage/shed",
            json!({"of": of, "together": ["lamps", "gate-camera"]}),
        ),
        ("outage/starts", json!({"of": of, "soc": {}})),
    ] {
        let (path, kept) = (format!("{SITE}/{path}"), |it: &common::Reply| {
            it.headers["cache-status"].clone()
        });
        let first = api.post(&path, question.clone()).await;
        assert_eq!(first.status, StatusCode::OK, "{}", first.body);
        assert_eq!(kept(&first), "ash-pond; fwd=miss");
        let second = api.post(&path, question).await;
        assert_eq!(
            (kept(&second).to_str().unwrap(), &second.body),
            ("ash-pond; hit", &first.body)
        );
    }
    // Nor is what to measure next, which moves every figure and marches a thousand times.
    for (method, path, body) in [("GET", "next", None), ("POST", "matters", Some(json!({})))] {
        let path = format!("{SITE}/{path}");
        let first = api.ask(method, &path, body.clone(), None).await;
        assert_eq!(
            (first.status, &first.headers["cache-status"]),
            (StatusCode::OK, &"ash-pond; fwd=miss".parse().unwrap())
        );
        let second = api.ask(method, &path, body, None).await;
        assert_eq!(
            (&second.headers["cache-status"], &second.body),
            (&"ash-pond; hit".parse().unwrap(), &first.body)
        );
    }
    // A plan that has changed meanwhile is another question.
    let found = api
        .get(&format!("{SITE}/elements/source/house-bank"))
        .await
        .body;
    let mut bank = found["body"].clone();
    bank["battery"]["capacity_ah"] = json!(50);
    let before = api
        .post(&format!("{SITE}/outage"), storm("direct"))
        .await
        .body;
    let changes = json!([{"kind": "source", "id": "house-bank", "body": bank}]);
    let other = json!({"arrangement": "direct", "outage": "winter-storm", "changes": changes});
    let after = api.post(&format!("{SITE}/outage"), other).await;
    assert_eq!(after.headers["cache-status"], "ash-pond; fwd=miss");
    assert!(hours(&after.body, "router") < hours(&before, "router"));
}

#[tokio::test]
async fn shedding_starts_and_filling_up_are_answered() {
    let api = api();
    let board = api
        .post(
            &format!("{SITE}/outage/shed"),
            json!({"of": storm("direct"), "together": ["terminal", "circulation-pump"]}),
        )
        .await
        .body;
    assert_eq!(board["keeps"], "router");
    let wins = |it: &Value| it["wins_h"].as_f64().unwrap();
    assert!(
        wins(&board["set"]) > wins(&board["each"][0]) && wins(&board["each"][0]) > 5.0,
        "{board}"
    );
    assert_eq!(board["best"].as_array().unwrap().len(), 10);
    // Dropped below a charge it wins less than now, and what the outage itself then says.
    let below = json!({"of": storm("direct"), "together": ["terminal"], "below_soc": 0.4});
    let later = api
        .post(&format!("{SITE}/outage/shed"), below.clone())
        .await
        .body;
    let dropped = json!({"arrangement": "direct", "outage": "winter-storm",
        "drop": [{"device": "terminal", "below_soc": 0.4}]});
    let marched = api.post(&format!("{SITE}/outage"), dropped).await.body;
    assert!(
        wins(&later["set"]) > 0.5 && wins(&later["set"]) < wins(&board["each"][0]),
        "{later}"
    );
    assert!((later["set"]["keeps_h"].as_f64().unwrap() - hours(&marched, "router")).abs() < 0.01);
    let refused = api
        .post(
            &format!("{SITE}/outage/shed"),
            json!({"of": storm("direct"), "below_soc": 40}),
        )
        .await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "a charge lies between 0 and 1",
    );
    let starts = api
        .post(
            &format!("{SITE}/outage/starts"),
            json!({"of": storm("direct"), "soc": {"house-bank": 0.45}}),
        )
        .await
        .body;
    assert_eq!(starts["at_once"], false, "{starts}");
    // The lamp was dropped on purpose, the pump's filter is looked at before it starts, and the
    // heater waits for a hand.
    assert!(starts["turns"].as_array().unwrap().len() == 7, "{starts}");
    assert_eq!(
        (&starts["by_hand"], &starts["look_first"]),
        (&json!(["heater"]), &json!(["circulation-pump"]))
    );
    let hands = starts["hands"].as_array().unwrap();
    assert!(
        hands.len() == 2
            && hands
                .iter()
                .all(|it| it["sentence"].as_str().unwrap().contains("started")),
        "{starts}"
    );
    assert_eq!(starts["rule"]["kind"], "stagger");
    let ask = json!({"arrangement": "direct", "outage": "winter-storm", "source": "station",
        "from_soc": 0.1});
    let told = api.post(&format!("{SITE}/outage/recharge"), ask).await.body;
    assert_eq!(told["ways"][0]["input"], "station/wall");
    let found = api.post(&format!("{SITE}/fills"), json!({})).await.body;
    assert!(
        found["inputs"]
            .as_array()
            .unwrap()
            .contains(&json!("station/panel")),
        "{found}"
    );
    let runs = api
        .post(
            &format!("{SITE}/runs"),
            json!({"devices": ["router"], "ports": ["house-bank/studs"]}),
        )
        .await
        .body;
    assert!(
        runs["sentence"].as_str().unwrap().contains("each alone"),
        "{runs}"
    );
    assert_eq!(runs["together"][0]["carries"], json!(["router"]));
    let ask = json!({"what": "store", "item": "house-bank", "arrangement": "direct",
        "outage": "winter-storm", "hours": 12});
    let least = api.post(&format!("{SITE}/smallest"), ask).await.body;
    assert!(
        least["sentence"].as_str().unwrap().starts_with("12 h need"),
        "{least}"
    );
    let ask = json!({"devices": ["router", "gate-camera"], "hours": 24, "outage": "winter-storm"});
    let found = api.post(&format!("{SITE}/find"), ask).await.body;
    assert!(
        found["sentence"].as_str().unwrap().contains("for 24 h") && found["proven"] == true,
        "{found}"
    );
    let moon = api
        .post(
            &format!("{SITE}/find"),
            json!({"devices": ["router"], "hours": 24, "shelf": "moon"}),
        )
        .await;
    assert_problem(
        &moon,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "there are owned",
    );
    let moon = api
        .post(&format!("{SITE}/runs"), json!({"devices": ["moon"]}))
        .await;
    assert_problem(
        &moon,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no device of that id",
    );
    let moon = json!({"what": "moon", "item": "house-bank", "arrangement": "direct", "hours": 12});
    let moon = api.post(&format!("{SITE}/smallest"), moon).await;
    assert_problem(
        &moon,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "there are store",
    );
    let lost = json!({"arrangement": "moon", "source": "station", "from_soc": 0.1});
    let refused = api.post(&format!("{SITE}/outage/recharge"), lost).await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "nothing here has that id",
    );
    let wrong = json!({"arrangement": "direct", "outage": "winter-storm", "source": "station",
        "from_soc": 3});
    assert_problem(
        &api.post(&format!("{SITE}/outage/recharge"), wrong).await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "between 0 and 1",
    );
    let ready = api.get("/api/outages").await.body;
    assert_eq!(ready["outages"].as_array().unwrap().len(), 4);
}

#[tokio::test]
async fn calendars_and_tables_are_taken_along() {
    let api = api();
    let query = "arrangement=direct&outage=winter-storm";
    let text = api
        .raw(&format!("{SITE}/outage/calendar.ics?{query}"))
        .await;
    let calendar: icalendar::Calendar = text.parse().unwrap();
    let events: Vec<&icalendar::Event> = calendar
        .iter()
        .filter_map(icalendar::CalendarComponent::as_event)
        .collect();
    let summary = |it: &&icalendar::Event| {
        icalendar::Component::get_summary(*it)
            .unwrap_or_default()
            .to_owned()
    };
    assert!(
        events.len() > 10
            && events
                .iter()
                .any(|it| summary(it).contains("Drop Hatchery lamp")),
        "{text}"
    );
    let start = icalendar::Component::property_value(*events.first().unwrap(), "DTSTART").unwrap();
    assert_eq!(start, "20260114T173000");
    let series = api
        .raw(&format!("{SITE}/outage/series.csv?{query}&drop=terminal"))
        .await;
    let mut rows = csv::Reader::from_reader(series.as_bytes());
    let head = rows.headers().unwrap().clone();
    let column = head.iter().position(|it| it == "terminal watts").unwrap();
    let rows: Vec<csv::StringRecord> = rows.records().map(Result::unwrap).collect();
    assert!(rows.len() == 289 && rows.iter().skip(1).all(|it| &it[column] == "0.000"));
    // With the charge at which it is dropped it has its watts until then; with everything used it
    // all goes on for longer.
    let on = async |more: &str| {
        let text = api
            .raw(&format!("{SITE}/outage/series.csv?{query}{more}"))
            .await;
        let mut rows = csv::Reader::from_reader(text.as_bytes());
        rows.records()
            .filter(|it| &it.as_ref().unwrap()[column] != "0.000")
            .count()
    };
    let (at_charge, never, everything) = (
        on("&drop=terminal&below_soc=0.4").await,
        on("").await,
        on("&use_everything=true").await,
    );
    assert!(
        0 < at_charge && at_charge < never && never < everything,
        "{at_charge} {never} {everything}"
    );
    let events = api.raw(&format!("{SITE}/outage/events.csv?{query}")).await;
    assert!(
        events
            .lines()
            .any(|it| it.contains("floor,house-bank") && it.contains("its floor")),
        "{events}"
    );
}
