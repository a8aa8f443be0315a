//! The bench by the API: tests begun, kept, used and taken back.

mod common;

use axum::http::StatusCode;
use common::{SITE, api, assert_problem};
use serde_json::{Value, json};

fn idle(amps: f64) -> Value {
    json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"},
        "meters": [{"share": 0.005, "step": 0.01}, {"share": 0.01, "step": 0.001}],
        "rows": [{"values": [12.5, amps]}, {"values": [12.5, amps]}, {"values": [12.4, amps]}], "note": "18 °C"})
}

#[tokio::test]
async fn a_test_is_kept_previewed_used_and_taken_back() {
    let api = api();
    let before = api.get(&format!("{SITE}/plan")).await.body;
    assert_eq!(api.get("/api/bench").await.body["guides"].as_array().unwrap().len(), 5);
    let begun = api.post(&format!("{SITE}/tests"), idle(0.49)).await;
    assert_eq!(
        (begun.status, &begun.body["id"]),
        (StatusCode::CREATED, &json!("idle-small-inverter")),
        "{}",
        begun.body
    );
    let again = api.post(&format!("{SITE}/tests"), idle(0.5)).await;
    assert_eq!(again.body["id"], "idle-small-inverter-2");
    let kept = api.ask("PUT", &format!("{SITE}/tests/idle-small-inverter"), Some(idle(0.48)), None).await;
    assert!(kept.body["outcome"]["sentence"].as_str().unwrap().starts_with("Idle 5.98"), "{}", kept.body);
    assert_eq!((&kept.body["in_use"], &kept.body["wrong"]), (&json!(false), &Value::Null));

    let preview = api.post(&format!("{SITE}/tests/idle-small-inverter/preview"), Value::Null).await;
    let ways = preview.body["arrangements"].as_array().unwrap();
    let camera = ways.iter().find(|it| it["id"] == "camera-inverter").unwrap();
    let day = camera["difference"]["rows"].as_array().unwrap().iter().find(|it| it["name"] == "a day").unwrap();
    assert!(day["after"].as_f64() < day["before"].as_f64(), "{day}");
    assert!(!ways.iter().any(|it| it["id"] == "camera-direct"), "an arrangement without it does not change");
    assert_eq!(api.get(&format!("{SITE}/plan")).await.body, before);

    let used = api.post(&format!("{SITE}/tests/idle-small-inverter/use"), Value::Null).await;
    assert_eq!(used.status, StatusCode::OK, "{}", used.body);
    let inverter = |plan: &Value| {
        plan["kit"]["converters"].as_array().unwrap().iter().find(|it| it["id"] == "small-inverter").unwrap()["loss"]["idle_w"].clone()
    };
    let figure = inverter(&used.body["plan"]);
    assert_eq!((&figure["basis"], &figure["test"]), (&json!("measured"), &json!("idle-small-inverter")));
    let list = api.get(&format!("{SITE}/tests")).await.body;
    let mine = list["tests"].as_array().unwrap().iter().find(|it| it["id"] == "idle-small-inverter").unwrap().clone();
    assert_eq!(mine["in_use"], true);
    let back = api.post(&format!("{SITE}/tests/idle-small-inverter/take-back"), Value::Null).await;
    assert_eq!(back.body["plan"], before["plan"]);
    let twice = api.post(&format!("{SITE}/tests/idle-small-inverter/take-back"), Value::Null).await;
    assert_problem(&twice, StatusCode::UNPROCESSABLE_ENTITY, "refused", "not in use");
    // Used and undone by the journal, it is not in use either.
    api.post(&format!("{SITE}/tests/idle-small-inverter/use"), Value::Null).await;
    api.post(&format!("{SITE}/undo"), Value::Null).await;
    let list = api.get(&format!("{SITE}/tests")).await.body;
    assert!(list["tests"].as_array().unwrap().iter().all(|it| it["in_use"] == false), "{list}");
}

#[tokio::test]
async fn files_stay_with_their_test_and_bad_tests_name_the_field() {
    let api = api();
    let text = include_str!("../../core/tests/cases/bench/capture-ac-switchover.csv");
    let capture = json!({"protocol": "switchover", "of": {"kind": "source", "id": "station"}, "file": text});
    let begun = api.post(&format!("{SITE}/tests"), capture).await;
    assert_eq!(begun.status, StatusCode::CREATED, "{}", begun.body);
    let list = api.get(&format!("{SITE}/tests")).await.body;
    let told = &list["tests"][0];
    assert_eq!(told["test"]["file"].as_str().unwrap().lines().count(), 3);
    assert!(told["outcome"]["capture"]["dead_ms"].as_f64().unwrap() > 16.0, "{told}");
    // Kept again without its file, the file stays.
    let noted = json!({"protocol": "switchover", "of": {"kind": "source", "id": "station"}, "note": "40 W on it"});
    let kept = api.ask("PUT", &format!("{SITE}/tests/switchover-station"), Some(noted), None).await;
    assert!(kept.body["outcome"]["capture"]["dead_ms"].as_f64().is_some(), "{}", kept.body);
    let file = api.get(&format!("{SITE}/tests/switchover-station/file")).await;
    assert_eq!(file.status, StatusCode::OK);
    for (body, says) in [
        (json!({"protocol": "idle", "of": {"kind": "converter", "id": "nobody"}}), "not there"),
        (json!({"protocol": "juggling", "of": {"kind": "converter", "id": "small-inverter"}}), "no such test"),
        (json!({"protocol": "profile", "of": {"kind": "device", "id": "router"}, "file": "a,b\n1,x\n"}), "row 2"),
    ] {
        let reply = api.post(&format!("{SITE}/tests"), body).await;
        assert_problem(&reply, StatusCode::UNPROCESSABLE_ENTITY, "refused", says);
    }
    let empty = api
        .post(
            &format!("{SITE}/tests"),
            json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"}}),
        )
        .await;
    let path = format!("{SITE}/tests/{}/use", empty.body["id"].as_str().unwrap());
    let reply = api.post(&path, Value::Null).await;
    assert_problem(&reply, StatusCode::UNPROCESSABLE_ENTITY, "refused", "no figure to use yet");
    assert_eq!(api.get(&format!("{SITE}/tests/nothing/file")).await.status, StatusCode::NOT_FOUND);
}
