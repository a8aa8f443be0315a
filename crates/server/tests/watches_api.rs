//! Outages that are watched, by API: begun, read, acted in, taken back, ended, looked back at;
//! drills; what is refused.

use crate::common;

use axum::http::StatusCode;
use common::{Api, SITE, assert_problem, demo_api};
use serde_json::{Value, json};

const WATCHES: &str = "/api/sites/hollin-lock/watches";

fn asked() -> Value {
    json!({"arrangement": "direct", "outage": "winter-storm",
        "starts": {"house-bank": {"soc": 0.9, "plus_minus": 0.04}}, "by": "Ada"})
}

async fn begun(api: &Api, body: Value) -> Value {
    let answer = api.ask("POST", WATCHES, Some(body), None).await;
    assert_eq!(answer.status, StatusCode::CREATED, "{}", answer.body);
    answer.body
}

async fn enter(api: &Api, body: Value) -> common::Reply {
    api.ask("POST", &format!("{WATCHES}/1/entries"), Some(body), None)
        .await
}

#[tokio::test]
async fn a_watch_is_begun_once_read_acted_in_taken_back_and_ended() {
    let api = demo_api();
    assert_eq!(api.get(WATCHES).await.body["watches"], json!([]));
    let told = begun(&api, asked()).await;
    assert_eq!(
        (&told["number"], &told["open"], &told["kind"]),
        (&json!(1), &json!(true), &json!("outage"))
    );
    assert_eq!(told["headline"]["device"], "router");
    assert!(
        told["headline"]["text"]
            .as_str()
            .unwrap()
            .starts_with("Router until "),
        "{}",
        told["headline"]
    );
    // The mains does not come back by plan: nobody knows when it will.
    assert!(
        told["estimate"]["devices"]["router"]["until_h"]["p50"]
            .as_f64()
            .unwrap()
            > 5.0
    );
    assert_problem(
        &api.ask("POST", WATCHES, Some(asked()), None).await,
        StatusCode::CONFLICT,
        "watched",
        "already",
    );

    let read = enter(
        &api,
        json!({"reading": "88 %", "item": "house-bank", "by": "Ada"}),
    )
    .await
    .body;
    assert!(read["question"].is_null(), "{}", read["question"]);
    let entry = &read["entries"][0];
    assert_eq!(
        (&entry["words"], &entry["by"], &entry["kind"]),
        (&json!("House bank: 88 %"), &json!("Ada"), &json!("reading"))
    );
    let charge = |told: &Value| {
        told["estimate"]["sources"]["house-bank"]["soc"]["p50"]
            .as_f64()
            .unwrap()
    };
    assert!((charge(&read) - 0.88).abs() < 0.01, "{}", charge(&read));
    assert!(
        read["stores"][0]["read"]
            .as_str()
            .unwrap()
            .starts_with("read 88 % "),
        "{}",
        read["stores"][0]
    );

    // What is dropped is off, told with what it won, and can be taken back.
    let until = |told: &Value| {
        told["estimate"]["devices"]["router"]["until_h"]["p50"]
            .as_f64()
            .unwrap()
    };
    let dropped = enter(&api, json!({"did": "drop", "item": "terminal"}))
        .await
        .body;
    assert!(
        until(&dropped) > until(&read) + 1.0,
        "{} {}",
        until(&dropped),
        until(&read)
    );
    assert_eq!(dropped["devices"][2]["state"], "dropped");
    let number = &dropped["entries"][0]["number"];
    let back = format!("{WATCHES}/1/entries/{number}");
    let taken = api
        .ask("POST", &back, Some(json!({"undone": true})), None)
        .await
        .body;
    assert!(
        (until(&taken) - until(&read)).abs() < 0.3 && taken["entries"][0]["undone"] == true,
        "{taken}"
    );
    let again = api
        .ask("POST", &back, Some(json!({"undone": false})), None)
        .await
        .body;
    assert!((until(&again) - until(&dropped)).abs() < 0.3);

    // A pump that may not be off for long has its deadline.
    let pump = enter(&api, json!({"did": "drop", "item": "circulation-pump"}))
        .await
        .body;
    assert_eq!(pump["deadlines"][0]["device"], "circulation-pump");
    assert!(
        pump["deadlines"][0]["text"]
            .as_str()
            .unwrap()
            .contains("the filter dies"),
        "{}",
        pump["deadlines"]
    );
    // Charging from elsewhere, and its end.
    let charged = enter(
        &api,
        json!({"did": "charge", "item": "house-bank", "watts": 120}),
    )
    .await
    .body;
    assert!(
        until(&charged) > until(&pump) + 1.0,
        "{} {}",
        until(&charged),
        until(&pump)
    );
    enter(
        &api,
        json!({"did": "charge", "item": "house-bank", "watts": 0}),
    )
    .await;
    let noted = enter(
        &api,
        json!({"did": "note", "text": "lid of the \"tank\" open, 5 %"}),
    )
    .await
    .body;
    assert_eq!(
        noted["entries"][0]["words"],
        "lid of the \"tank\" open, 5 %"
    );

    // The return, tick by tick: what was off for long is looked at first.
    let returned = enter(&api, json!({"did": "mains_back"})).await.body;
    let steps = returned["returning"]["steps"].as_array().unwrap();
    assert!(
        steps
            .iter()
            .any(|it| it["item"] == "terminal" && it["done"] == false),
        "{steps:?}"
    );
    assert!(
        steps
            .iter()
            .any(|it| it["kind"] == "charge" && it["item"] == "house-bank"),
        "{steps:?}"
    );
    let started = enter(&api, json!({"did": "started", "item": "terminal"}))
        .await
        .body;
    let steps = started["returning"]["steps"].as_array().unwrap();
    assert!(
        steps
            .iter()
            .any(|it| it["item"] == "terminal" && it["done"] == true),
        "{steps:?}"
    );

    let ended = api
        .ask("POST", &format!("{WATCHES}/1/end"), None, None)
        .await
        .body;
    assert_eq!(ended["open"], false);
    assert_problem(
        &enter(&api, json!({"did": "mains_gone"})).await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "",
    );
    let list = api.get(WATCHES).await.body;
    assert_eq!(
        (&list["watches"][0]["open"], &list["watches"][0]["label"]),
        (&json!(false), &json!("Winter storm, three days"))
    );
    // The next one can begin.
    assert_eq!(begun(&api, asked()).await["number"], 2);
}

/// Plugged over by one of the outlets that are told, it lasts as long as was told; the return asks
/// for it to be plugged back.
#[tokio::test]
async fn a_device_is_plugged_over_as_it_was_told_and_back_after_the_return() {
    let api = demo_api();
    let told = begun(&api, asked()).await;
    let until = |told: &Value, id: &str| {
        told["estimate"]["devices"][id]["until_h"]["p50"]
            .as_f64()
            .unwrap()
    };
    let outlets = api.get(&format!("{WATCHES}/1/outlets/router")).await;
    assert_eq!(outlets.status, StatusCode::OK, "{}", outlets.body);
    let all = outlets.body["outlets"].as_array().unwrap();
    let pack = all
        .iter()
        .find(|it| it["port"] == json!({"item": "router-pack", "port": "out"}))
        .unwrap();
    assert!(
        pack["text"]
            .as_str()
            .unwrap()
            .starts_with("Router then until "),
        "{pack}"
    );
    // What hangs on the bank wins by it.
    assert!(
        all.iter()
            .any(|it| it["text"].as_str().unwrap().contains(", + ")),
        "{all:?}"
    );
    assert!(
        all.iter()
            .all(|it| it["status"] != "holds" || it["mind"] == ""),
        "{all:?}"
    );

    let over = enter(
        &api,
        json!({"did": "over", "item": "router", "outlet": "router-pack/out", "by": "Ada"}),
    )
    .await;
    assert_eq!(over.status, StatusCode::OK, "{}", over.body);
    let over = over.body;
    assert!(
        (until(&over, "router") - pack["until_h"].as_f64().unwrap()).abs() < 0.5,
        "{pack} {}",
        until(&over, "router")
    );
    assert!(until(&over, "terminal") > until(&told, "terminal"));
    assert_eq!(
        over["entries"][0]["words"], "Router plugged over to Router pack, 12 V lead",
        "{}",
        over["entries"][0]
    );
    let hangs = over["devices"][0]["until"].as_str().unwrap();
    assert!(hangs.contains(", on Router pack"), "{hangs}");
    // The pack is read as the others are.
    assert!(
        over["stores"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["id"] == "router-pack"),
        "{}",
        over["stores"]
    );
    let read = enter(&api, json!({"reading": "97 %", "item": "router-pack"})).await;
    assert!(
        read.status == StatusCode::OK && read.body["question"].is_null(),
        "{}",
        read.body
    );

    for (body, path, says) in [
        (
            json!({"did": "over", "item": "router", "outlet": "router-pack/out"}),
            "outlet",
            "hangs there already",
        ),
        (
            json!({"did": "over", "item": "router"}),
            "outlet",
            "item/port",
        ),
        (
            json!({"did": "over", "item": "phone", "outlet": "station/usb-c"}),
            "item",
            "no device",
        ),
        (
            json!({"did": "over", "item": "gate-camera", "outlet": "step-up/out"}),
            "outlet",
            "takes 10.8 to 14.5 V",
        ),
    ] {
        let answer = enter(&api, body).await;
        assert_problem(&answer, StatusCode::UNPROCESSABLE_ENTITY, "refused", "");
        assert_eq!(answer.body["path"], path, "{}", answer.body);
        assert!(
            answer.body["detail"].as_str().unwrap().contains(says),
            "{}",
            answer.body
        );
    }
    let none = api.get(&format!("{WATCHES}/1/outlets/oven")).await;
    assert_problem(
        &none,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no device",
    );

    let returned = enter(&api, json!({"did": "mains_back"})).await.body;
    let plug = |told: &Value| {
        let steps = told["returning"]["steps"].as_array().unwrap();
        steps
            .iter()
            .find(|it| it["kind"] == "plug")
            .cloned()
            .unwrap()
    };
    let step = plug(&returned);
    assert_eq!(
        (&step["item"], &step["done"], &step["outlet"]),
        (&json!("router"), &json!(false), &json!("steady-12/out"))
    );
    let back = enter(
        &api,
        json!({"did": "over", "item": "router", "outlet": step["outlet"]}),
    )
    .await
    .body;
    assert_eq!(plug(&back)["done"], true, "{}", back["returning"]);
    // Taken back, it is to be done again.
    let number = &back["entries"][0]["number"];
    let taken = api
        .ask(
            "POST",
            &format!("{WATCHES}/1/entries/{number}"),
            Some(json!({"undone": true})),
            None,
        )
        .await
        .body;
    assert_eq!(plug(&taken)["done"], false);
}

/// Whichever way a device is to run again that was off for too long: it is looked at first, after
/// it went off and not before.
#[tokio::test]
async fn what_was_off_for_too_long_is_looked_at_before_it_runs_again() {
    let api = demo_api();
    let drill = json!({"arrangement": "direct", "outage": "winter-storm",
        "drill": {"hides": "nothing", "seed": 3, "speed": 1}});
    begun(&api, drill).await;
    let clock = |body: Value| {
        api.ask(
            "POST",
            "/api/sites/hollin-lock/watches/1/clock",
            Some(body),
            None,
        )
    };
    clock(json!({"paused": true})).await;
    let step = async |minutes: f64| clock(json!({"step_s": minutes * 60.0})).await.body;
    let pump = async |did: &str| enter(&api, json!({"did": did, "item": "circulation-pump"})).await;
    let refused = async |did: &str| {
        let answer = pump(did).await;
        assert_problem(
            &answer,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            "look at it and say so",
        );
        assert_eq!(answer.body["path"], "item", "{did}: {}", answer.body);
    };
    step(10.0).await;
    assert_eq!(pump("checked").await.status, StatusCode::OK);
    pump("drop").await;
    step(20.0).await;
    assert_eq!(
        pump("restore").await.status,
        StatusCode::OK,
        "20 minutes are no harm"
    );
    pump("drop").await;
    step(36.0).await;
    refused("restore").await;
    refused("started").await;
    let over = enter(
        &api,
        json!({"did": "over", "item": "circulation-pump", "outlet": "small-inverter/out"}),
    )
    .await;
    assert_eq!(
        over.status,
        StatusCode::UNPROCESSABLE_ENTITY,
        "{}",
        over.body
    );
    let back = enter(&api, json!({"did": "mains_back"})).await.body;
    let steps = |told: &Value, kind: &str| -> Vec<Value> {
        let all = told["returning"]["steps"]
            .as_array()
            .unwrap_or_else(|| panic!("{told}"));
        all.iter()
            .filter(|it| it["item"] == "circulation-pump" && it["kind"] == kind)
            .cloned()
            .collect()
    };
    assert_eq!(
        (steps(&back, "look").len(), steps(&back, "start").len()),
        (1, 1),
        "{}",
        back["returning"]
    );
    assert!(
        !steps(&back, "start")[0]["waits"].is_null(),
        "{}",
        back["returning"]
    );
    refused("started").await;
    let looked = pump("checked").await.body;
    assert_eq!(steps(&looked, "look")[0]["done"], true);
    assert!(
        steps(&looked, "start")[0]["waits"].is_null(),
        "{}",
        looked["returning"]
    );
    assert_eq!(pump("started").await.status, StatusCode::OK);
}

/// Looked at while the mains was still out, it need not be looked at again.
#[tokio::test]
async fn a_look_before_the_return_counts_after_it() {
    let api = demo_api();
    let drill = json!({"arrangement": "direct", "outage": "winter-storm",
        "drill": {"hides": "nothing", "seed": 6, "speed": 1}});
    begun(&api, drill).await;
    let clock = |body: Value| {
        api.ask(
            "POST",
            "/api/sites/hollin-lock/watches/1/clock",
            Some(body),
            None,
        )
    };
    clock(json!({"paused": true})).await;
    enter(&api, json!({"did": "drop", "item": "circulation-pump"})).await;
    clock(json!({"step_s": 3600})).await;
    enter(&api, json!({"did": "checked", "item": "circulation-pump"})).await;
    clock(json!({"step_s": 600})).await;
    let back = enter(&api, json!({"did": "mains_back"})).await.body;
    let steps = back["returning"]["steps"].as_array().unwrap();
    let look = steps
        .iter()
        .find(|it| it["kind"] == "look")
        .unwrap_or_else(|| panic!("{}", back["returning"]));
    assert_eq!(
        (&look["item"], &look["done"]),
        (&json!("circulation-pump"), &json!(true))
    );
    let answer = enter(&api, json!({"did": "started", "item": "circulation-pump"})).await;
    assert_eq!(answer.status, StatusCode::OK, "{}", answer.body);
}

/// What is looked at first after the return is what was really off for so long: not what was
/// switched off a minute before.
#[tokio::test]
async fn what_was_off_for_a_minute_need_not_be_looked_at() {
    let api = demo_api();
    let drill = json!({"arrangement": "direct", "outage": "winter-storm",
        "drill": {"hides": "nothing", "seed": 4, "speed": 1}});
    begun(&api, drill).await;
    let clock = |body: Value| {
        api.ask(
            "POST",
            "/api/sites/hollin-lock/watches/1/clock",
            Some(body),
            None,
        )
    };
    clock(json!({"paused": true})).await;
    clock(json!({"step_s": 7200})).await;
    enter(&api, json!({"did": "drop", "item": "circulation-pump"})).await;
    clock(json!({"step_s": 60})).await;
    let back = enter(&api, json!({"did": "mains_back"})).await.body;
    let steps = back["returning"]["steps"].as_array().unwrap();
    assert!(
        !steps.iter().any(|it| it["kind"] == "look"),
        "{}",
        back["returning"]
    );
    let answer = enter(&api, json!({"did": "started", "item": "circulation-pump"})).await;
    assert_eq!(answer.status, StatusCode::OK, "{}", answer.body);
}

/// An outlet that leaves the plan under a watch: what was plugged over to it does not count any
/// more, and that is said.
#[tokio::test]
async fn what_does_not_count_any_more_is_said() {
    let api = demo_api();
    begun(&api, asked()).await;
    let over = enter(
        &api,
        json!({"did": "over", "item": "router", "outlet": "router-pack/out"}),
    )
    .await
    .body;
    assert_eq!(
        over["notes"]
            .as_array()
            .unwrap()
            .iter()
            .filter(|it| it.as_str().unwrap().contains("plugged over to"))
            .count(),
        0
    );
    let path = format!("{SITE}/elements/source/router-pack");
    let mut body = api.get(&path).await.body["body"].clone();
    body["ports"][0]["voltage"]["regulated_v"] = json!(60);
    let changed = api.ask("PUT", &path, Some(body), Some("*")).await;
    assert_eq!(changed.status, StatusCode::OK, "{}", changed.body);
    let told = api.get(&format!("{WATCHES}/1")).await.body;
    let notes = told["notes"].as_array().unwrap();
    let is_told = |it: &&Value| {
        it.as_str().unwrap().contains("was plugged over to")
            && it.as_str().unwrap().contains("does not count")
    };
    assert!(notes.iter().any(|it| is_told(&it)), "{notes:?}");
}

#[tokio::test]
async fn what_cannot_be_is_refused_with_its_field_and_what_is_strange_is_asked() {
    let api = demo_api();
    for (body, path) in [
        (
            json!({"arrangement": "none", "outage": "works-cut"}),
            "arrangement",
        ),
        (json!({"arrangement": "direct", "outage": "none"}), "outage"),
        (
            json!({"arrangement": "direct", "outage": "works-cut",
                "starts": {"oven": {"soc": 0.5}}}),
            "starts.oven",
        ),
        (
            json!({"arrangement": "direct", "outage": "works-cut",
                "starts": {"house-bank": {"soc": 5}}}),
            "starts.house-bank.soc",
        ),
        (
            json!({"arrangement": "direct", "outage": "works-cut",
                "meters": {"none": "house-bank"}}),
            "meters.none",
        ),
        (
            json!({"arrangement": "direct", "outage": "works-cut", "drill": {"seed": 1,
                "speed": 9000}}),
            "speed",
        ),
    ] {
        let answer = api.ask("POST", WATCHES, Some(body), None).await;
        assert_problem(&answer, StatusCode::UNPROCESSABLE_ENTITY, "refused", "");
        assert_eq!(answer.body["path"], path, "{}", answer.body);
    }
    begun(&api, asked()).await;
    for (body, path) in [
        (json!({"reading": "54", "item": "house-bank"}), "reading"),
        (json!({"reading": "154 %", "item": "house-bank"}), "reading"),
        (json!({"reading": "54 %", "item": "oven"}), "item"),
        (json!({"did": "drop", "item": "oven"}), "item"),
        (json!({"did": "restore", "item": "router"}), "item"),
        (json!({"did": "charge", "item": "house-bank"}), "watts"),
        (json!({"did": "mains_gone"}), "did"),
        (json!({"did": "note", "text": "  "}), "text"),
        (
            json!({"did": "drop", "item": "terminal", "at_s": 99999}),
            "at_s",
        ),
        (
            json!({"did": "drop", "item": "terminal", "at_s": -5}),
            "at_s",
        ),
    ] {
        let answer = enter(&api, body.clone()).await;
        assert_problem(&answer, StatusCode::UNPROCESSABLE_ENTITY, "refused", "");
        assert_eq!(answer.body["path"], path, "{body}: {}", answer.body);
    }
    let strange = enter(&api, json!({"reading": "231 V", "item": "house-bank"}))
        .await
        .body;
    assert!(
        strange["question"]
            .as_str()
            .unwrap()
            .contains("Is it read of another one?"),
        "{}",
        strange["question"]
    );
    assert!(strange["entries"].as_array().unwrap().is_empty());
    let sure = enter(
        &api,
        json!({"reading": "15.4 V", "item": "house-bank", "sure": true}),
    )
    .await
    .body;
    assert_eq!(sure["entries"].as_array().unwrap().len(), 1);
    let dropped = enter(&api, json!({"did": "drop", "item": "terminal"})).await;
    assert_eq!(dropped.status, StatusCode::OK);
    assert_problem(
        &enter(&api, json!({"did": "drop", "item": "terminal"})).await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "",
    );
    assert_problem(
        &api.get(&format!("{WATCHES}/7")).await,
        StatusCode::NOT_FOUND,
        "missing",
        "no ",
    );
    assert_problem(
        &api.get("/api/sites/none/watches").await,
        StatusCode::NOT_FOUND,
        "missing",
        "no ",
    );
    let clock = api
        .ask(
            "POST",
            &format!("{WATCHES}/1/clock"),
            Some(json!({"speed": 60})),
            None,
        )
        .await;
    assert_problem(&clock, StatusCode::UNPROCESSABLE_ENTITY, "refused", "");
    // The plan changed in the middle: it is counted with as it is now, and that is said.
    api.ask(
        "PUT",
        "/api/sites/hollin-lock/elements/site/site",
        Some(json!({"name": "Hollin Lock", "ambient_c": 5})),
        Some("*"),
    )
    .await;
    let told = api.get(&format!("{WATCHES}/1")).await.body;
    assert!(
        told["notes"]
            .to_string()
            .contains("The plan was changed since this began"),
        "{}",
        told["notes"]
    );
}

#[tokio::test]
async fn a_drill_passes_as_fast_as_it_is_told_and_is_looked_back_at_with_what_it_hid() {
    let api = demo_api();
    let drill = json!({"arrangement": "direct", "outage": "winter-storm",
        "drill": {"hides": "heater-trips", "seed": 3, "speed": 1}});
    let told = begun(&api, drill).await;
    assert_eq!(
        (&told["start"], &told["drill"]["hid"]),
        (&json!("2026-01-14T17:30"), &Value::Null)
    );
    let clock = |body: Value| {
        api.ask(
            "POST",
            "/api/sites/hollin-lock/watches/1/clock",
            Some(body),
            None,
        )
    };
    let stands = clock(json!({"paused": true})).await.body;
    let on = clock(json!({"step_s": 5.0 * 3600.0})).await.body;
    let passed = on["at_h"].as_f64().unwrap() - stands["at_h"].as_f64().unwrap();
    assert!((passed - 5.0).abs() < 1e-6, "{passed}");
    // Somebody in the room would have noticed.
    let noticed = on["entries"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["kind"] == "noticed");
    assert_eq!(
        noticed.unwrap_or_else(|| panic!("{on}"))["words"],
        "The fan of Diesel heater has stopped; it smells warm."
    );
    enter(&api, json!({"did": "lost", "item": "heater"})).await;
    enter(&api, json!({"did": "drop", "item": "weir-camera"})).await;
    api.ask("POST", &format!("{WATCHES}/1/end"), None, None)
        .await;
    let review = api.get(&format!("{WATCHES}/1/review")).await.body;
    assert!(review["status"].is_null(), "{review}");
    assert_eq!(review["hid"], "the heater goes off by itself");
    assert_eq!(
        review["decisions"].as_array().unwrap().len(),
        2,
        "{}",
        review["decisions"]
    );
    assert!(
        review["headline"]
            .as_str()
            .unwrap()
            .starts_with("Router was on for all of the 5 h"),
        "{}",
        review["headline"]
    );
    let best = review["decisions"][1]["best"].as_str().unwrap();
    assert!(
        best.starts_with("Satellite terminal would have won most"),
        "{best}"
    );
    assert!(
        review["decisions"][1]["text"]
            .as_str()
            .unwrap()
            .contains("It really won"),
        "{review}"
    );
    assert_eq!(review["review"]["told"].as_array().unwrap().len(), 9);
}

#[tokio::test]
async fn an_outage_of_the_past_is_brought_in_and_what_it_told_is_used() {
    let api = demo_api();
    // More is drawn than the plan says, read each half hour.
    let mut csv = "time_s,source,volts,amps,percent,action,item\n".to_owned();
    for half_hour in 0..13 {
        let percent = 95.0 - 9.4 * f64::from(half_hour) / 2.0;
        csv += &format!("{},house-bank,,9.1,{percent:.0},,\n", half_hour * 1800);
    }
    csv += "22000,,,,,lost,lamps\n";
    let body = json!({"arrangement": "direct", "outage": "winter-storm",
        "start": "2026-01-20T18:00", "csv": csv});
    let made = api
        .ask("POST", &format!("{WATCHES}/past"), Some(body), None)
        .await;
    assert_eq!(made.status, StatusCode::CREATED, "{}", made.body);
    assert_eq!(
        (&made.body["open"], &made.body["kind"]),
        (&json!(false), &json!("past"))
    );
    let review = api.get(&format!("{WATCHES}/1/review")).await.body;
    assert!(
        review["hid"].is_null() && review["noticed"] == json!([]),
        "{review}"
    );
    let usable = review["learned"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["usable"] == true);
    let it = usable.unwrap_or_else(|| panic!("{}", review["learned"]));
    let learn = |uses: bool| {
        let body = json!({"kind": it["kind"], "id": it["id"], "path": it["path"], "use": uses});
        api.ask(
            "POST",
            "/api/sites/hollin-lock/watches/1/learned",
            Some(body),
            None,
        )
    };
    let looked = learn(false).await;
    assert!(
        looked.status == StatusCode::OK && looked.body["site"].is_null(),
        "{}",
        looked.body
    );
    assert!(
        looked.body["sentence"]
            .as_str()
            .unwrap()
            .contains("Router lasts"),
        "{}",
        looked.body
    );
    let before = api.get("/api/sites/hollin-lock/plan").await.body;
    let used = learn(true).await.body;
    assert!(used["site"]["revision"].as_i64() > before["revision"].as_i64());
    assert!(
        used["site"]["plan"]
            .to_string()
            .contains("by the outage that began 2026-01-20T18:00")
    );
    // And undo takes it back.
    let undone = api
        .ask("POST", "/api/sites/hollin-lock/undo", None, None)
        .await
        .body;
    assert_eq!(undone["site"]["plan"], before["plan"]);
    // One from a logger at the bank, as it came from it.
    let logged = "date;U [V];I [A]\n2026-01-20 17:00;13,3;0\n2026-01-20 \
        18:00;13,1;-4,1\n2026-01-20 20:00;12,9;-4,2\n2026-01-20 22:00;12,8;-4\n";
    let body = json!({"arrangement": "direct", "outage": "winter-storm",
        "start": "2026-01-20T18:00", "csv": logged, "store": "house-bank"});
    let brought = api
        .ask("POST", &format!("{WATCHES}/past"), Some(body), None)
        .await;
    assert_eq!(brought.status, StatusCode::CREATED, "{}", brought.body);
    let number = brought.body["number"].as_i64().unwrap();
    let told = api.get(&format!("{WATCHES}/{number}")).await.body;
    assert!(
        (told["at_h"].as_f64().unwrap() - 4.0).abs() < 1e-9,
        "{told}"
    );
    let words: Vec<&str> = told["entries"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| it["words"].as_str().unwrap())
        .collect();
    assert!(
        words.iter().any(|it| it.contains("turned round")) && words.len() == 4,
        "{words:?}"
    );
    for (csv, says) in [
        ("time_s,source\n5,oven\n", "nothing after"),
        ("time_s,source,volts\n0,oven,12\n", "row 1, source"),
        ("", "no rows"),
        ("time_s,volts\n0,13\n60,12.9\n", "house-bank, cabin-bank"),
    ] {
        let body = json!({"arrangement": "direct", "outage": "winter-storm",
            "start": "2026-01-20T18:00", "csv": csv});
        let answer = api
            .ask("POST", &format!("{WATCHES}/past"), Some(body), None)
            .await;
        assert_problem(&answer, StatusCode::UNPROCESSABLE_ENTITY, "refused", "");
        assert!(
            answer.body["detail"].as_str().unwrap().contains(says),
            "{csv}: {}",
            answer.body
        );
    }
}

#[tokio::test]
async fn more_than_is_told_with_a_watch_is_told_in_pages() {
    let api = demo_api();
    let mut csv = "time_s,source,volts\n".to_owned();
    for minute in 0..260 {
        csv += &format!(
            "{},house-bank,{:.2}\n",
            minute * 60,
            13.2 - f64::from(minute) * 0.001
        );
    }
    let body = json!({"arrangement": "direct", "outage": "winter-storm",
        "start": "2026-01-20T18:00", "csv": csv});
    let told = api
        .ask("POST", &format!("{WATCHES}/past"), Some(body), None)
        .await
        .body;
    assert_eq!(
        (
            told["entry_count"].as_u64(),
            told["entries"].as_array().unwrap().len()
        ),
        (Some(260), 100)
    );
    let mut all = Vec::new();
    let mut before = String::new();
    loop {
        let page = api
            .get(&format!("{WATCHES}/1/entries?limit=75{before}"))
            .await
            .body;
        assert_eq!(page["count"], 260);
        all.extend(page["entries"].as_array().unwrap().clone());
        let Some(earlier) = page["earlier"].as_u64() else {
            break;
        };
        before = format!("&before={earlier}");
    }
    let numbers: Vec<i64> = all
        .iter()
        .map(|it| it["number"].as_i64().unwrap())
        .collect();
    assert_eq!(
        numbers,
        (1..=260).rev().collect::<Vec<_>>(),
        "each once, the latest first"
    );
    assert_eq!(all[..100], told["entries"].as_array().unwrap()[..]);
    assert_eq!(
        api.get(&format!("{WATCHES}/1/entries?before=100000"))
            .await
            .body["entries"]
            .as_array()
            .unwrap()
            .len(),
        100
    );
    assert_eq!(
        api.get(&format!("{WATCHES}/1/entries?before=0")).await.body["entries"],
        json!([])
    );
    let refused = api.get(&format!("{WATCHES}/1/entries?limit=0")).await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "limit",
    );
    assert_eq!(
        api.get(&format!("{WATCHES}/7/entries")).await.status,
        StatusCode::NOT_FOUND
    );
}

/// An API whose watches go on by themselves, with a battery monitor.
async fn kept() -> (Api, ash_pond::app::AppState, ash_pond::keeper::Keeper) {
    let folder = tempfile::tempdir().unwrap();
    let store = ash_pond_store::Store::open(folder.path()).unwrap();
    ash_pond::demo::fill(&store).unwrap();
    let state = ash_pond::app::AppState::new(store);
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    let plan = ash_pond_core::site::plan::Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    let monitor = ash_pond_stand_ins::battery_monitor::Monitor::new(plan, "house-bank").unwrap();
    tokio::spawn(ash_pond_stand_ins::battery_monitor::serve(
        listener, monitor,
    ));
    let keeper = ash_pond::keeper::Keeper::begin(&state);
    let api = Api {
        router: ash_pond::app::app(state.clone()),
        _folder: folder,
    };
    let body = json!({"label": "Monitor", "speaks": "modbus", "address": address});
    api.ask("PUT", "/api/meters/monitor", Some(body), Some("*"))
        .await;
    (api, state, keeper)
}

/// Asks until something is so; it comes within half a minute.
async fn until(api: &Api, path: &str, good: impl Fn(&Value) -> bool) -> Value {
    let mut last = Value::Null;
    for _ in 0..150 {
        last = api.get(path).await.body;
        if good(&last) {
            return last;
        }
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    panic!("it does not come: {last}");
}

#[tokio::test]
async fn a_meter_that_sees_the_mains_begins_a_watch_and_its_readings_come_by_themselves() {
    let (api, _state, _keeper) = kept().await;
    // There is no mains here: what stands at the battery is below any.
    let by = json!({"meter": "monitor", "value": "at its terminals", "below_v": 400.0,
        "arrangement": "direct", "outage": "works-cut"});
    for (field, wrong) in [
        ("meter", json!("none")),
        ("below_v", json!(0)),
        ("arrangement", json!("none")),
        ("outage", json!("none")),
    ] {
        let mut body = by.clone();
        body[field] = wrong;
        let answer = api
            .ask("POST", &format!("{WATCHES}/begins"), Some(body), None)
            .await;
        assert_problem(&answer, StatusCode::UNPROCESSABLE_ENTITY, "refused", field);
    }
    let chosen = api
        .ask("POST", &format!("{WATCHES}/begins"), Some(by.clone()), None)
        .await;
    assert_eq!(chosen.status, StatusCode::NO_CONTENT, "{}", chosen.body);
    assert_eq!(api.get(&format!("{WATCHES}/begins")).await.body, by);
    let list = until(&api, WATCHES, |it| {
        it["watches"].as_array().is_some_and(|it| !it.is_empty())
    })
    .await;
    assert_eq!(
        (&list["watches"][0]["open"], &list["watches"][0]["kind"]),
        (&json!(true), &json!("outage"))
    );
    // Taken away, it begins no other.
    api.ask(
        "POST",
        &format!("{WATCHES}/begins"),
        Some(Value::Null),
        None,
    )
    .await;
    assert!(api.get(&format!("{WATCHES}/begins")).await.body.is_null());
    api.ask("POST", &format!("{WATCHES}/1/end"), None, None)
        .await;
    let mut body = asked();
    body["meters"] = json!({"monitor": "house-bank"});
    assert_eq!(begun(&api, body).await["number"], 2);
    let told = until(&api, &format!("{WATCHES}/2"), |it| {
        it["stores"][0]["readings"]
            .as_array()
            .is_some_and(|it| !it.is_empty())
    })
    .await;
    assert!(
        told["stores"][0]["read"].as_str().unwrap().contains(" V"),
        "{}",
        told["stores"][0]
    );
    // They are told with the watch, and not among the meters' own.
    assert_eq!(api.get("/api/readings").await.body["series"], json!([]));
}

/// One store of a drill is read off a battery monitor, the next off a bench meter: each in its own
/// protocol.
#[tokio::test]
async fn the_meters_of_a_drill_speak_as_those_in_life() {
    let (api, _state, _keeper) = kept().await;
    let drill = json!({"arrangement": "direct", "outage": "winter-storm",
        "drill": {"hides": "nothing", "seed": 5, "speed": 60}});
    begun(&api, drill).await;
    let read = |told: &Value, id: &str| {
        let all = told["stores"].as_array().unwrap();
        all.iter()
            .find(|it| it["id"] == id)
            .unwrap_or_else(|| panic!("{told}"))["read"]
            .as_str()
            .unwrap()
            .to_owned()
    };
    let both = |told: &Value| {
        ["house-bank", "cabin-bank"]
            .iter()
            .all(|it| read(told, it).contains(" V"))
    };
    let told = until(&api, &format!("{WATCHES}/1"), both).await;
    // A bench meter counts nothing; a battery monitor does.
    assert!(
        read(&told, "house-bank").contains('%'),
        "{}",
        told["stores"]
    );
    assert!(
        !read(&told, "cabin-bank").contains('%'),
        "{}",
        told["stores"]
    );
}

#[tokio::test]
async fn hours_in_which_nobody_watched_are_told() {
    let (api, state, _keeper) = kept().await;
    begun(&api, asked()).await;
    // The server was off for a while.
    let long_ago = state.store.watch("hollin-lock", 1).unwrap().heard_ms - 600_000;
    state.store.heard("hollin-lock", 1, long_ago).unwrap();
    let told = until(&api, &format!("{WATCHES}/1"), |it| {
        it["entries"].to_string().contains("Nobody watched for")
    })
    .await;
    assert_eq!(told["entries"][0]["kind"], "gap");
}
