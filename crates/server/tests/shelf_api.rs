//! The finder as a stream, and what a purchase wins, by API.

use crate::common;

use axum::http::StatusCode;
use common::{api, assert_problem, events};
use serde_json::{Value, json};

const SITE: &str = "/api/sites/hollin-lock";

fn question() -> Value {
    json!({"devices": ["router", "terminal", "gate-camera", "weir-camera", "heater", "lamps"],
        "hours": 24, "front": true})
}

#[tokio::test(flavor = "multi_thread")]
async fn a_search_tells_how_far_it_is_and_ends_with_the_answer_that_is_told_without_a_stream() {
    let api = api();
    let told = events(
        &api.streamed(&format!("{SITE}/find/progress"), question())
            .await,
    );
    let (name, done) = told.last().unwrap();
    assert_eq!((name.as_str(), &done["proven"]), ("done", &json!(true)));
    let progress = &told[..told.len() - 1];
    assert!(
        progress
            .iter()
            .all(|(name, it)| name == "progress" && it["tried"].is_u64()),
        "{progress:?}"
    );
    for (_, it) in progress.iter().filter(|it| it.1["found"].is_object()) {
        // What was found until then stands, and does not call itself proven.
        assert_eq!(it["found"]["proven"], false);
        assert!(
            it["found"]["front"]
                .as_array()
                .is_some_and(|it| !it.is_empty()),
            "{it}"
        );
    }
    let plain = api.post(&format!("{SITE}/find"), question()).await.body;
    assert_eq!(plain["front"], done["front"]);
    let mut wrong = question();
    wrong["no_mains"] = json!(["phone"]);
    let refused = api
        .post(&format!("{SITE}/find/progress"), wrong.clone())
        .await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "none of the devices",
    );
    assert_eq!(refused.body["path"], "no_mains");
    let refused = api.post("/api/sites/moon/find/progress", question()).await;
    assert_eq!(refused.status, StatusCode::NOT_FOUND);
}

/// Nothing is looked for that nobody waits for, and what was found is known the second time.
#[tokio::test(flavor = "multi_thread")]
async fn a_search_ends_with_its_reader_and_is_kept_where_it_was_heard_to_its_end() {
    let api = api();
    // Limits that bind nothing make other questions of the same work.
    let at_most = |spend: u32| {
        let mut it = question();
        it["spend"] = json!(spend);
        it
    };
    common::leave_while_it_works(&api, &format!("{SITE}/find/progress"), &at_most(9_001)).await;
    // The same again, begun later: by its end the first one would be through, and be kept.
    let told = events(
        &api.streamed(&format!("{SITE}/find/progress"), at_most(9_002))
            .await,
    );
    assert_eq!(told.last().unwrap().0, "done");
    let kept = async |spend: u32| {
        api.post(&format!("{SITE}/find"), at_most(spend))
            .await
            .headers["cache-status"]
            .clone()
    };
    assert_eq!(
        kept(9_002).await,
        "ash-pond; hit",
        "what was heard to its end is kept"
    );
    assert_eq!(
        kept(9_001).await,
        "ash-pond; fwd=miss",
        "what nobody heard to its end went on"
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn leads_are_chosen_from_sizes_with_a_price_and_what_is_bettered_is_told() {
    let api = api();
    let mut ask = json!({"devices": ["router", "weir-camera"], "hours": 24,
        "outage": "winter-storm", "front": true,
        "leads": [{"area_mm2": 1.5, "price_m": 0}, {"area_mm2": 10, "price_m": 5}]});
    let found = api.post(&format!("{SITE}/find"), ask.clone()).await.body;
    let front = found["front"].as_array().unwrap();
    let far = front
        .iter()
        .find(|it| it["spend"] == 260.0)
        .unwrap_or_else(|| panic!("{found}"));
    assert_eq!(
        (&far["leads"], &far["buys"]),
        (&json!(["52 m of 10 mm² lead"]), &json!([]))
    );
    for it in found["bettered"].as_array().unwrap() {
        let by = &front[usize::try_from(it["by"].as_u64().unwrap()).unwrap()];
        assert!(
            by["spend"].as_f64() <= it["spend"].as_f64() && it["through"].is_array(),
            "{it}"
        );
    }
    for (leads, says) in [
        (json!([{"area_mm2": 3, "price_m": 1}]), "no standard size"),
        (json!([{"area_mm2": 4, "price_m": -1}]), "0 or more"),
        (
            json!([{"area_mm2": 4, "price_m": 1}, {"area_mm2": 4, "price_m": 2}]),
            "twice",
        ),
    ] {
        ask["leads"] = leads;
        let refused = api.post(&format!("{SITE}/find"), ask.clone()).await;
        assert_problem(&refused, StatusCode::UNPROCESSABLE_ENTITY, "refused", says);
        assert_eq!(refused.body["path"], "leads");
    }
}

#[tokio::test(flavor = "multi_thread")]
async fn what_a_purchase_wins_is_told_with_its_price() {
    let api = api();
    let ask = json!({"devices": ["router", "terminal"], "outage": "winter-storm",
        "arrangement": "direct", "shelf": "kinds",
        "prices": {"bank-lithium-24": 800}});
    let kinds = api.get("/api/kinds").await.body;
    let lithium = kinds["sources"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["label"] == "Lithium bank, 24 V")
        .unwrap();
    let mut ask = ask;
    ask["prices"] = json!({lithium["id"].as_str().unwrap(): 800});
    let told = api.post(&format!("{SITE}/wins"), ask.clone()).await.body;
    assert!(
        told["now_h"].as_f64() < told["owned"]["hours"].as_f64(),
        "{}",
        told["sentence"]
    );
    let first = &told["purchases"][0];
    assert_eq!(
        (&first["worth"], &first["label"]),
        (&json!("wins"), &json!("Lithium bank, 24 V"))
    );
    let (won, per) = (
        first["won_h"].as_f64().unwrap(),
        first["h_per_coin"].as_f64().unwrap(),
    );
    assert!((won / 800.0 - per).abs() < 1e-9 && won > 20.0, "{first}");
    ask["arrangement"] = json!("moon");
    let refused = api.post(&format!("{SITE}/wins"), ask).await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no arrangement of that id",
    );
}
