//! Changing, comparing and walking chains by the API.

use crate::common;

use axum::http::StatusCode;
use common::{SITE, api, assert_problem};
use serde_json::{Value, json};

#[tokio::test]
async fn a_change_is_told_before_it_is_made_and_changes_nothing() {
    let api = api();
    let before = api.get(&format!("{SITE}/plan")).await.body;
    let ways = before["plan"]["arrangements"].as_array().unwrap();
    let mut direct = ways
        .iter()
        .find(|it| it["id"] == "camera-direct")
        .unwrap()
        .clone();
    direct["feeds"][0]["cable"] = json!({"length_m": 22, "area_mm2": 0.5});
    let then = json!([{"kind": "arrangement", "id": "camera-direct", "body": direct}]);
    let reply = api
        .post(
            &format!("{SITE}/difference"),
            json!({"arrangement": "camera-direct", "then": then, "soc": {"house-bank": 0.6}}),
        )
        .await;
    assert_eq!(reply.status, StatusCode::OK, "{}", reply.body);
    let volts = reply.body["rows"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["unit"] == "V")
        .unwrap()
        .clone();
    assert!(
        volts["after"].as_f64() < volts["before"].as_f64(),
        "{volts}"
    );
    assert!(
        !reply.body["broken"].as_array().unwrap().is_empty(),
        "{}",
        reply.body
    );
    assert_eq!(api.get(&format!("{SITE}/plan")).await.body, before);
    // Over a change that is not saved yet, nothing new is told.
    let reply = api
        .post(
            &format!("{SITE}/difference"),
            json!({"arrangement": "camera-direct", "then": then, "changes": then}),
        )
        .await;
    assert_eq!(reply.body["sentence"], "Nothing changes.");
    let reply = api
        .post(
            &format!("{SITE}/difference"),
            json!({"arrangement": "nobody", "then": []}),
        )
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no arrangement has that id",
    );
}

#[tokio::test]
async fn stages_and_what_decides_are_answered() {
    let api = api();
    let ask = json!({"arrangement": "camera-inverter", "to": "small-inverter", "length_m": 1.5});
    let reply = api.post(&format!("{SITE}/stages"), ask).await;
    let hows: Vec<&str> = reply.body["options"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| it["how"].as_str().unwrap())
        .collect();
    for how in ["insert-first", "insert-last", "replace", "remove", "cut"] {
        assert!(hows.contains(&how), "{hows:?}");
    }
    let reply = api
        .post(
            &format!("{SITE}/stages"),
            json!({"arrangement": "camera-inverter", "to": "small-inverter", "length_m": 0}),
        )
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "above 0",
    );
    let reply = api
        .post(
            &format!("{SITE}/decides"),
            json!({"arrangements": ["camera-direct", "camera-inverter"]}),
        )
        .await;
    assert_eq!(reply.body["winner"], "camera-direct");
    assert_eq!(reply.body["figures"][0]["test"], "idle");
    let reply = api
        .post(
            &format!("{SITE}/decides"),
            json!({"arrangements": ["camera-direct"]}),
        )
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "two or more",
    );
    let ask =
        json!({"arrangements": ["camera-direct", "camera-inverter"], "over": "load", "band": true});
    let reply = api.post(&format!("{SITE}/crossings"), ask).await;
    assert_eq!(reply.body["band"].as_array().unwrap().len(), 13);
    assert!(reply.body["crossings"][0]["plus_minus"].as_f64().unwrap() > 0.0);
}

#[tokio::test]
async fn a_walk_keeps_its_readings_with_the_time_and_begins_again() {
    let api = api();
    let walk = json!({"arrangement": "camera-direct", "soc": {"house-bank": 0.6}});
    let reply = api.post(&format!("{SITE}/walk"), walk.clone()).await;
    assert_eq!(reply.body["walk"]["next"], "house-bank/studs");
    let read = async |joint: &str, volts: Value, again: bool| {
        let ask = json!({"arrangement": "camera-direct", "soc": {"house-bank": 0.6},
            "joint": joint, "volts": volts, "again": again});
        api.post(&format!("{SITE}/walk/readings"), ask).await
    };
    let reply = read("house-bank/studs", json!(13.21), false).await;
    assert_eq!(
        (reply.status, &reply.body["walk"]["next"]),
        (StatusCode::OK, &json!("studs>gate-camera")),
        "{}",
        reply.body
    );
    let reply = read("studs>gate-camera", json!(-13.0), false).await;
    assert_eq!(reply.body["walk"]["stopped"], "studs>gate-camera");
    assert!(
        reply.body["walk"]["sentence"]
            .as_str()
            .unwrap()
            .contains("swapped")
    );
    let kept = &reply.body["history"][0];
    assert_eq!(
        (&kept["volts"], &kept["shows"], &kept["walk"]),
        (&json!(-13.0), &json!("reversed"), &json!(1))
    );
    assert!(kept["low_v"].as_f64() < kept["high_v"].as_f64());
    let at = kept["at"].as_str().unwrap();
    assert!(at.len() >= 20 && at.ends_with('Z'), "{at}");
    // A new walk begins at the first joint; the earlier readings are kept.
    let reply = read("house-bank/studs", json!(13.2), true).await;
    assert_eq!(
        (&reply.body["walk"]["stopped"], &reply.body["walk"]["next"]),
        (&Value::Null, &json!("studs>gate-camera"))
    );
    assert_eq!(
        (
            reply.body["history"].as_array().unwrap().len(),
            &reply.body["history"][0]["walk"]
        ),
        (3, &json!(2))
    );
    let reply = api.post(&format!("{SITE}/walk"), walk).await;
    assert_eq!(reply.body["history"].as_array().unwrap().len(), 3);
    let reply = read("nowhere", json!(1), false).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "the joints are",
    );
    let reply = read("house-bank/studs", json!(1e9), false).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "between",
    );
    let reply = api
        .post(&format!("{SITE}/walk"), json!({"arrangement": "nobody"}))
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no arrangement",
    );
}
