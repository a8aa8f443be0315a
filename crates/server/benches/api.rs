//! How long the API takes for what a person waits for in Chains: the whole of it, from the request
//! to the last byte.
#![allow(missing_docs)] // Criterion's macro makes an undocumented function.

use ash_pond::app::AppState;
use axum::Router;
use axum::body::Body;
use axum::http::{Request, StatusCode};
use criterion::{Criterion, criterion_group, criterion_main};
use http_body_util::BodyExt;
use serde_json::{Value, json};
use tower::ServiceExt;

const TWELVE: &str = include_str!("../tests/plans/twelve.plan.json");

async fn post(router: &Router, path: &str, body: &Value) -> usize {
    let request = Request::post(path)
        .header("host", "127.0.0.1:1")
        .header("content-type", "application/json");
    let request = request.body(Body::from(body.to_string())).unwrap();
    let reply = router.clone().oneshot(request).await.unwrap();
    let status = reply.status();
    let bytes = reply.into_body().collect().await.unwrap().to_bytes();
    assert!(
        status == StatusCode::OK || status == StatusCode::CREATED,
        "{path}: {status}"
    );
    bytes.len()
}

/// Twelve devices behind ten converters, each of which is switched: by the clock, or with what
/// hangs on it.
fn switched() -> Value {
    let mut plan: Value = serde_json::from_str(TWELVE).unwrap();
    plan["site"]["name"] = json!("Switched");
    let boxes = plan["kit"]["converters"].as_array_mut().unwrap();
    let one = boxes.iter().find(|it| it["id"] == "box-5").unwrap().clone();
    boxes.extend((6..10).map(|number| {
        let mut it = one.clone();
        it["id"] = json!(format!("box-{number}"));
        it
    }));
    let way = &mut plan["arrangements"][0];
    let feeds = way["feeds"].as_array_mut().unwrap();
    let to_box = feeds.iter().find(|it| it["to"] == "box-5").unwrap().clone();
    for number in 6..10 {
        let (id, device) = (format!("box-{number}"), format!("device-{}", number - 5));
        let own = feeds
            .iter_mut()
            .find(|it| it["to"] == device.as_str())
            .unwrap();
        own["from"]["item"] = json!(id);
        let mut it = to_box.clone();
        it["to"] = json!(id);
        feeds.push(it);
    }
    let switch = |number: u32| match number % 2 {
        0 => json!({"item": format!("box-{number}"), "when": "with_load", "standby_w": 0.2}),
        _ => {
            json!({"item": format!("box-{number}"), "when": "hours", "from": format!("{:02}:00",
                5 + number), "to": "22:30"})
        }
    };
    way["switching"] = (0..10).map(switch).collect();
    plan
}

fn chains(criterion: &mut Criterion) {
    let runtime = tokio::runtime::Runtime::new().unwrap();
    let folder = tempfile::tempdir().unwrap();
    let store = ash_pond_store::Store::open(folder.path()).unwrap();
    let demo = ash_pond_core::site::plan::Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    store.create_site(&demo).unwrap();
    let router = ash_pond::app::app(AppState::new(store));
    runtime.block_on(post(
        &router,
        "/api/sites",
        &serde_json::from_str(TWELVE).unwrap(),
    ));
    runtime.block_on(post(&router, "/api/sites", &switched()));
    let plan: Value = serde_json::from_str(TWELVE).unwrap();
    let mut device = plan["kit"]["devices"][3].clone();
    device["phases"][0]["watts"] = json!(12);
    let changes = json!([{"kind": "device", "id": "device-3", "body": device}]);
    let mut way = plan["arrangements"][0].clone();
    way["feeds"][4]["cable"]["area_mm2"] = json!(2.5);
    let then = json!([{"kind": "arrangement", "id": "all", "body": way}]);
    let (two, soc) = (
        json!(["camera-direct", "camera-inverter"]),
        json!({"house-bank": 0.6}),
    );
    let cases = [
        (
            "a change, twelve devices",
            "twelve/evaluate",
            json!({"arrangements": ["all"], "changes": changes, "soc": {"bank": 0.6}}),
        ),
        (
            "a change, twelve devices behind ten switches",
            "switched/evaluate",
            json!({"arrangements": ["all"], "changes": changes, "soc": {"bank": 0.6}}),
        ),
        (
            "a preview, twelve devices",
            "twelve/difference",
            json!({"arrangement": "all", "then": then}),
        ),
        (
            "a change, whole demo site",
            "hollin-lock/evaluate",
            json!({"arrangements": ["direct"], "soc": soc}),
        ),
        (
            "stages at a feed, whole demo site",
            "hollin-lock/stages",
            json!({"arrangement": "direct", "to": "step-up", "length_m": 2}),
        ),
        (
            "what decides, two chains",
            "hollin-lock/decides",
            json!({"arrangements": two, "soc": soc}),
        ),
        (
            "a crossing with its band",
            "hollin-lock/crossings",
            json!({"arrangements": two, "over": "load", "band": true}),
        ),
        (
            "a walk",
            "hollin-lock/walk",
            json!({"arrangement": "direct", "soc": soc}),
        ),
    ];
    let mut group = criterion.benchmark_group("api");
    group.sample_size(20);
    for (name, path, body) in &cases {
        let path = format!("/api/sites/{path}");
        group.bench_function(*name, |bencher| {
            bencher.iter(|| runtime.block_on(post(&router, &path, body)));
        });
    }
    group.finish();
}

criterion_group!(benches, chains);
criterion_main!(benches);
