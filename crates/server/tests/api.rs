//! Each route of the API, good and bad, asked on the router itself.

use crate::common;

use ash_pond::app::{AppState, app};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::Store;
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use common::{Api, Reply, SITE, api, assert_problem};
use http_body_util::BodyExt;
use serde_json::{Value, json};
use tower::ServiceExt;

#[tokio::test]
async fn health_is_told() {
    let reply = api().get("/api/health").await;
    assert_eq!(reply.status, StatusCode::OK);
    assert_eq!(reply.body["status"], "well");
    assert_eq!(reply.headers[header::CACHE_CONTROL], "no-store");
    assert!(
        reply.headers[header::CONTENT_SECURITY_POLICY]
            .to_str()
            .unwrap()
            .starts_with("default-src 'none'")
    );
}

#[tokio::test]
async fn the_description_holds_every_schema_that_it_refers_to() {
    let reply = api().get("/api/openapi.json").await;
    assert_eq!(reply.body["openapi"], "3.1.0");
    let text = reply.body.to_string();
    let schemas = reply.body["components"]["schemas"].as_object().unwrap();
    for name in text
        .split("#/components/schemas/")
        .skip(1)
        .map(|rest| rest.split('"').next().unwrap())
    {
        assert!(
            schemas.contains_key(name),
            "{name} is referred to, but not there"
        );
    }
    for path in [
        "/health",
        "/sites",
        "/sites/{site}/plan",
        "/sites/{site}/evaluate",
        "/sites/{site}/working",
        "/sites/{site}/undo",
    ] {
        let methods = reply.body["paths"][path]
            .as_object()
            .unwrap_or_else(|| panic!("{path} is not described"));
        for method in methods.values() {
            assert!(
                method["responses"]
                    .as_object()
                    .unwrap()
                    .values()
                    .all(|it| it["description"].is_string())
            );
        }
    }
}

#[tokio::test]
async fn what_is_not_there_is_a_problem_with_words() {
    let api = api();
    assert_problem(
        &api.get("/api/nothing").await,
        StatusCode::NOT_FOUND,
        "missing",
        "openapi.json",
    );
    assert_problem(
        &api.get("/api/sites/moon/plan").await,
        StatusCode::NOT_FOUND,
        "missing",
        "no site \"moon\"",
    );
    let reply = api.get(&format!("{SITE}/elements/planet/x")).await;
    assert_problem(
        &reply,
        StatusCode::NOT_FOUND,
        "missing",
        "no kind \"planet\"",
    );
    let reply = api.get(&format!("{SITE}/elements/device/x")).await;
    assert_problem(&reply, StatusCode::NOT_FOUND, "missing", "no device \"x\"");
}

#[tokio::test]
async fn a_foreign_host_is_refused() {
    let api = api();
    for host in ["ash-pond.example.org", "10.0.0.1:8787", ""] {
        let request = Request::builder()
            .uri("/api/health")
            .header(header::HOST, host)
            .body(Body::empty())
            .unwrap();
        let reply = api.send(request).await;
        assert_problem(&reply, StatusCode::MISDIRECTED_REQUEST, "host", "loopback");
    }
}

#[tokio::test]
async fn sites_are_made_and_listed() {
    let api = api();
    let reply = api
        .post(
            "/api/sites",
            serde_json::to_value(Plan::empty("Upper Sluice")).unwrap(),
        )
        .await;
    assert_eq!(
        (reply.status, &reply.body["id"]),
        (StatusCode::CREATED, &json!("upper-sluice"))
    );
    let names: Vec<_> = api.get("/api/sites").await.body["sites"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| it["name"].clone())
        .collect();
    assert_eq!(names, ["Hollin Lock", "Upper Sluice"]);
    let reply = api
        .post(
            "/api/sites",
            json!({"format": "ash-pond/plan", "version": 1, "site": {"name": 7}}),
        )
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "site.name is 7",
    );
}

#[tokio::test]
async fn a_plan_comes_with_the_revision_of_each_element() {
    let reply = api().get(&format!("{SITE}/plan")).await;
    assert_eq!(reply.headers[header::ETAG], "\"1\"");
    assert_eq!(reply.body["revisions"]["device"]["gate-camera"], 1);
    let plan = Plan::from_value(&reply.body["plan"]).unwrap();
    assert_eq!(plan, Plan::parse(ash_pond::DEMO_PLAN).unwrap());
}

#[tokio::test]
async fn an_element_is_written_on_its_revision_and_undone() {
    let api = api();
    let path = format!("{SITE}/elements/device/gate-camera");
    let mut camera = api.get(&path).await.body["body"].clone();
    camera["phases"][1]["watts"] = json!(7);
    let reply = api
        .ask("PUT", &path, Some(camera.clone()), Some("\"1\""))
        .await;
    assert_eq!(reply.status, StatusCode::OK, "{}", reply.body);
    assert_eq!(reply.body["revisions"]["device"]["gate-camera"], 2);

    // The same revision again is stale; the answer tells what is there now.
    camera["phases"][1]["watts"] = json!(8);
    let reply = api
        .ask("PUT", &path, Some(camera.clone()), Some("\"1\""))
        .await;
    assert_problem(&reply, StatusCode::CONFLICT, "stale", "changed elsewhere");
    assert_eq!(reply.body["current"]["revision"], 2);
    assert_eq!(reply.body["current"]["body"]["phases"][1]["watts"], 7);

    let steps = api.get(&format!("{SITE}/journal")).await.body["steps"].clone();
    assert_eq!(
        steps[0]["words"],
        "Gate camera: running 4.9 ± 0.2, measured → 7 W"
    );
    let reply = api.post(&format!("{SITE}/undo"), Value::Null).await;
    assert_eq!(
        reply.body["site"]["plan"]["kit"]["devices"][3]["phases"][1]["watts"]["value"],
        4.9
    );
    let reply = api.post(&format!("{SITE}/redo"), Value::Null).await;
    assert_eq!(
        reply.body["site"]["plan"]["kit"]["devices"][3]["phases"][1]["watts"],
        7
    );
    let reply = api.post(&format!("{SITE}/redo"), Value::Null).await;
    assert_problem(
        &reply,
        StatusCode::CONFLICT,
        "nothing",
        "nothing to do again",
    );
}

#[tokio::test]
async fn a_bad_element_is_refused_with_its_path_and_nothing_changes() {
    let api = api();
    let path = format!("{SITE}/elements/device/gate-camera");
    let before = api.get(&format!("{SITE}/plan")).await.body;
    let mut camera = api.get(&path).await.body["body"].clone();
    camera["phases"][0]["watts"] = json!(-5);
    let reply = api.ask("PUT", &path, Some(camera.clone()), Some("*")).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "kit.devices[3].phases[0].watts is -5",
    );
    camera["id"] = json!("other");
    let reply = api.ask("PUT", &path, Some(camera), Some("*")).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "the address names \"gate-camera\"",
    );
    let reply = api.ask("DELETE", &path, None, Some("1")).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no device or converter has that id",
    );
    let reply = api.ask("DELETE", &path, None, Some("one")).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "whole number",
    );
    assert_eq!(api.get(&format!("{SITE}/plan")).await.body, before);
}

#[tokio::test]
async fn an_element_is_added_and_removed() {
    let api = api();
    let path = format!("{SITE}/elements/outage/short");
    let outage = json!({"id": "short", "label": "Short", "start": "2026-05-01T08:00", "hours": 2});
    assert_eq!(
        api.ask("PUT", &path, Some(outage), Some("0")).await.status,
        StatusCode::OK
    );
    assert_eq!(api.get(&path).await.body["body"]["hours"], 2);
    assert_eq!(
        api.ask("DELETE", &path, None, Some("2")).await.status,
        StatusCode::OK
    );
    assert_eq!(api.get(&path).await.status, StatusCode::NOT_FOUND);
}

#[tokio::test]
async fn a_whole_plan_is_replaced_as_one_step() {
    let api = api();
    let path = format!("{SITE}/plan");
    let mut plan = api.get(&path).await.body["plan"].clone();
    plan["site"]["name"] = json!("Lower Lock");
    plan["outages"] = json!([]);
    let reply = api
        .ask("PUT", &path, Some(plan.clone()), Some("\"1\""))
        .await;
    assert_eq!(reply.status, StatusCode::OK, "{}", reply.body);
    assert_eq!(reply.body["plan"], plan);
    let reply = api
        .ask("PUT", &path, Some(plan.clone()), Some("\"1\""))
        .await;
    assert_problem(&reply, StatusCode::CONFLICT, "stale", "changed elsewhere");
    plan["site"] = json!({});
    let reply = api.ask("PUT", &path, Some(plan), Some("*")).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "site.name is missing",
    );
    let reply = api.post(&format!("{SITE}/undo"), Value::Null).await;
    assert_eq!(
        reply.body["site"]["plan"],
        serde_json::to_value(Plan::parse(ash_pond::DEMO_PLAN).unwrap()).unwrap()
    );
}

fn question() -> Value {
    json!({"arrangements": ["camera-direct", "camera-inverter"], "moment": "busy",
        "soc": {"house-bank": 0.5}})
}

#[tokio::test]
async fn a_question_is_answered_and_looks_at_unsaved_changes() {
    let api = api();
    let path = format!("{SITE}/evaluate");
    let saved = api.post(&path, question()).await;
    assert_eq!(saved.status, StatusCode::OK, "{}", saved.body);
    let drawn = |reply: &Reply| {
        reply.body["ways"][0]["flow"]["totals"]["drawn_w"]
            .as_f64()
            .unwrap()
    };
    let mut camera = api
        .get(&format!("{SITE}/elements/device/gate-camera"))
        .await
        .body["body"]
        .clone();
    camera["phases"][2]["watts"] = json!(16);
    let mut asked = question();
    asked["changes"] = json!([{"kind": "device", "id": "gate-camera", "body": camera}]);
    let preview = api.post(&path, asked).await;
    assert!(drawn(&preview) > drawn(&saved) + 7.0);
    // Looking at a change does not make it.
    let again = api.post(&path, question()).await;
    assert!((drawn(&again) - drawn(&saved)).abs() < 1e-12);
}

#[tokio::test]
async fn a_bad_question_names_its_field() {
    let api = api();
    let path = format!("{SITE}/evaluate");
    let cases = [
        (
            json!({"arrangements": ["moon"]}),
            "arrangements[0] is \"moon\"",
        ),
        (
            json!({"arrangements": ["camera-direct"], "moment": "sleeping"}),
            "moment is \"sleeping\"",
        ),
        (
            json!({"arrangements": ["camera-direct"], "moment": "starting heater"}),
            "does not feed",
        ),
        (
            json!({"arrangements": ["camera-direct"], "soc": {"house-bank": 50}}),
            "soc.house-bank is 50",
        ),
        (
            json!({"arrangements": ["camera-direct"], "soc": {"router": 0.5}}),
            "soc.router names no source",
        ),
        (
            json!({"arrangements": [], "sock": {}}),
            "unknown field `sock`",
        ),
        (
            json!({"arrangements": [], "changes": [{"kind": "planet", "id": "x", "body": {}}]}),
            "changes[0].kind",
        ),
        (
            json!({"arrangements": [], "changes": [{"kind": "device", "id": "router",
                "body": {"id": "router"}}]}),
            "kit.devices[0].label is missing",
        ),
    ];
    for (body, words) in cases {
        let reply = api.post(&path, body).await;
        assert_problem(&reply, StatusCode::UNPROCESSABLE_ENTITY, "refused", words);
    }
    let request = Request::builder()
        .method("POST")
        .uri(&path)
        .header(header::HOST, "localhost")
        .header(header::CONTENT_TYPE, "application/json")
        .body(Body::from("{\"a\": 1, \"a\": 2}"));
    let reply = api.send(request.unwrap()).await;
    assert_problem(&reply, StatusCode::UNPROCESSABLE_ENTITY, "refused", "twice");
}

#[tokio::test]
async fn findings_come_worst_first_with_mends_and_weakest_links() {
    let api = api();
    let path = format!("{SITE}/findings");
    let all = api.post(&path, json!({})).await;
    assert_eq!(all.status, StatusCode::OK, "{}", all.body);
    assert_eq!(all.body["arrangements"].as_array().unwrap().len(), 6);
    let asked = api
        .post(&path, json!({"arrangements": ["shared-out"]}))
        .await;
    let worst = &asked.body["arrangements"][0]["findings"][0];
    assert_eq!(
        (&worst["status"], &worst["code"], &worst["where"]),
        (
            &json!("trips"),
            &json!("port-limit"),
            &json!("station/socket")
        )
    );
    assert!(
        worst["mends"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["remedy"] == "other-port"),
        "{worst}"
    );
    let links = asked.body["arrangements"][0]["weakest"].as_array().unwrap();
    let start = links
        .iter()
        .find(|it| it["moment"] == "starting heater")
        .unwrap();
    assert!(
        start["sentence"]
            .as_str()
            .unwrap()
            .contains("9.67 A of 8 A"),
        "{start}"
    );
    // A fuse that is not saved is looked at all the same.
    let mut way = api
        .get(&format!("{SITE}/elements/arrangement/camera-direct"))
        .await
        .body["body"]
        .clone();
    way["feeds"][0].as_object_mut().unwrap().remove("fuse");
    let change = json!({"kind": "arrangement", "id": "camera-direct", "body": way});
    let preview = api
        .post(
            &path,
            json!({"arrangements": ["camera-direct"], "changes": [change]}),
        )
        .await;
    assert_eq!(
        preview.body["arrangements"][0]["findings"][0]["code"],
        "fuse-missing"
    );
    let bad = api.post(&path, json!({"arrangements": ["moon"]})).await;
    assert_problem(
        &bad,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "arrangements[0] is \"moon\"",
    );
    assert_problem(
        &api.post("/api/sites/nowhere/findings", json!({})).await,
        StatusCode::NOT_FOUND,
        "missing",
        "nowhere",
    );
}

#[tokio::test]
async fn arrangements_are_compared_over_a_day_and_over_an_outage() {
    let api = api();
    let path = format!("{SITE}/compare");
    let ways = json!(["camera-direct", "camera-inverter"]);
    let day = api
        .post(
            &path,
            json!({"arrangements": ways, "soc": {"house-bank": 0.6}}),
        )
        .await;
    assert_eq!(day.status, StatusCode::OK, "{}", day.body);
    assert_eq!(
        (&day.body["span"], &day.body["hours"]),
        (&json!("a day"), &json!(24.0))
    );
    let energy = day.body["best"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["aspect"] == "energy")
        .unwrap();
    assert_eq!(energy["way"], "camera-direct");
    let storm = api
        .post(
            &path,
            json!({"arrangements": ["direct", "mains-like"], "outage": "winter-storm"}),
        )
        .await;
    assert_eq!(
        (&storm.body["hours"], &storm.body["ambient_c"]),
        (&json!(66.0), &json!(2.0))
    );
    let cases = [
        (json!({"arrangements": ["camera-direct"]}), "two or more"),
        (
            json!({"arrangements": ["camera-direct", "direct"]}),
            "do not carry the same devices",
        ),
        (
            json!({"arrangements": ways, "outage": "flood"}),
            "outage is \"flood\"",
        ),
        (
            json!({"arrangements": ways, "soc": {"house-bank": 60}}),
            "soc.house-bank is 60",
        ),
    ];
    for (body, words) in cases {
        assert_problem(
            &api.post(&path, body).await,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            words,
        );
    }
}

#[tokio::test]
async fn crossings_come_with_their_series() {
    let api = api();
    let path = format!("{SITE}/crossings");
    let ways = json!(["camera-direct", "camera-inverter"]);
    for over in ["load", "hours", "charge", "length", "idle"] {
        let found = api
            .post(&path, json!({"arrangements": ways, "over": over}))
            .await;
        assert_eq!(found.status, StatusCode::OK, "{over}: {}", found.body);
        assert!(found.body["series"].as_array().unwrap().len() > 60);
        assert!(!found.body["sentence"].as_str().unwrap().is_empty());
    }
    let cases = [
        (
            json!({"arrangements": ways, "over": "moonlight"}),
            "over is \"moonlight\"",
        ),
        (
            json!({"arrangements": ways, "over": "load", "device": "router"}),
            "device is \"router\"",
        ),
        (
            json!({"arrangements": ways, "over": "load", "from": 9, "to": 3}),
            "to is 3",
        ),
        (
            json!({"arrangements": ["camera-direct"], "over": "load"}),
            "invalid length",
        ),
    ];
    for (body, words) in cases {
        assert_problem(
            &api.post(&path, body).await,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            words,
        );
    }
}

#[tokio::test]
async fn what_must_stay_on_is_told_and_previewed() {
    let api = api();
    let path = format!("{SITE}/needs");
    let found = api.post(&path, json!({})).await;
    assert_eq!(found.status, StatusCode::OK, "{}", found.body);
    assert_eq!(found.body["devices"].as_array().unwrap().len(), 12);
    assert!(
        found.body["headline"]
            .as_str()
            .unwrap()
            .starts_with("Twelve things must stay on: ")
    );
    let change = json!({"kind": "device", "id": "hooter", "body": null});
    // What an arrangement still feeds cannot go.
    let refused = api.post(&path, json!({"changes": [change]})).await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "hooter",
    );
}

#[tokio::test]
async fn what_there_is_to_run_it_from_is_told() {
    let api = api();
    let found = api.post(&format!("{SITE}/supply"), json!({})).await;
    assert_eq!(found.status, StatusCode::OK, "{}", found.body);
    assert!(
        found.body["headline"]
            .as_str()
            .unwrap()
            .starts_with("5 stores give"),
        "{}",
        found.body["headline"]
    );
    let station = found.body["sources"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["source"] == "station")
        .unwrap();
    assert!((station["ports"][2]["idle_day_wh"].as_f64().unwrap() - 230.4).abs() < 1e-9);
    assert_problem(
        &api.post("/api/sites/nowhere/supply", json!({})).await,
        StatusCode::NOT_FOUND,
        "missing",
        "nowhere",
    );
}

#[tokio::test]
async fn a_change_is_told_to_those_who_listen() {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    store
        .create_site(&Plan::parse(ash_pond::DEMO_PLAN).unwrap())
        .unwrap();
    let state = AppState::new(store);
    let events = state.events.clone();
    let api = Api {
        router: app(state),
        _folder: folder,
    };
    let asked = Request::builder()
        .uri("/api/events")
        .header(header::HOST, "localhost")
        .body(Body::empty())
        .unwrap();
    let listening = api.router.clone().oneshot(asked).await.unwrap();
    assert_eq!(
        listening.headers()[header::CONTENT_TYPE],
        "text/event-stream"
    );
    let mut body = listening.into_body();
    let mut camera = api
        .get(&format!("{SITE}/elements/device/gate-camera"))
        .await
        .body["body"]
        .clone();
    camera["phases"][1]["watts"] = json!(7);
    api.ask(
        "PUT",
        &format!("{SITE}/elements/device/gate-camera"),
        Some(camera),
        Some("*"),
    )
    .await;
    api.post(&format!("{SITE}/undo"), json!({})).await;
    for revision in [2, 3] {
        let frame = body.frame().await.unwrap().unwrap().into_data().unwrap();
        let text = String::from_utf8(frame.to_vec()).unwrap();
        assert!(
            text.contains("event: changed") && text.contains("hollin-lock"),
            "{text}"
        );
        assert!(text.contains(&format!("\"revision\":{revision}")), "{text}");
    }
    // A server that stops ends its streams.
    events.end();
    assert!(body.frame().await.is_none());
}

#[tokio::test]
async fn an_entry_is_read_with_its_working_or_refused_with_examples() {
    let api = api();
    let asked = json!({"text": "400 mAh/h", "target": "watts", "volts": 12});
    let read = api.post("/api/entry", asked).await;
    assert_eq!(read.status, StatusCode::OK, "{}", read.body);
    assert_eq!(
        (&read.body["note"], &read.body["basis"]),
        (&json!("0.4 A × 12 V"), &json!("assumed"))
    );
    assert!((read.body["value"].as_f64().unwrap() - 4.8).abs() < 1e-12);
    let label = api
        .post(
            "/api/entry",
            json!({"text": "12 V 1,5 A", "target": "watts", "running": true,
            "decimal_comma": true}),
        )
        .await;
    assert!(
        label.body["question"]
            .as_str()
            .unwrap()
            .contains("two fifths"),
        "{}",
        label.body
    );
    for (body, words) in [
        (json!({"text": "six", "target": "watts"}), "Write 6.2"),
        (
            json!({"text": "6", "target": "parsecs"}),
            "target is \"parsecs\"",
        ),
        (
            json!({"text": "6", "target": "watts", "volts": 0}),
            "volts must be above 0",
        ),
    ] {
        assert_problem(
            &api.post("/api/entry", body).await,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            words,
        );
    }
}

#[tokio::test]
async fn several_changes_are_one_step() {
    let api = api();
    let plan = api.get(&format!("{SITE}/plan")).await;
    let revision = |id: &str| plan.body["revisions"]["device"][id].clone();
    let device = |index: usize, priority: u32| {
        let mut it = plan.body["plan"]["kit"]["devices"][index].clone();
        it["priority"] = json!(priority);
        it
    };
    let set = json!({"words": "Air pump before Router", "changes": [
        {"kind": "device", "id": "air-pump", "revision": revision("air-pump"), "body": device(1,
            1)},
        {"kind": "device", "id": "router", "revision": revision("router"), "body": device(0, 2)}]});
    let path = format!("{SITE}/changes");
    let done = api.post(&path, set.clone()).await;
    assert_eq!(done.status, StatusCode::OK, "{}", done.body);
    assert_eq!(done.body["plan"]["kit"]["devices"][1]["priority"], 1);
    let journal = api.get(&format!("{SITE}/journal")).await;
    assert_eq!(journal.body["steps"][0]["words"], "Air pump before Router");
    // The same again is stale now, and changes nothing.
    assert_problem(
        &api.post(&path, set).await,
        StatusCode::CONFLICT,
        "stale",
        "",
    );
    let undone = api.post(&format!("{SITE}/undo"), json!({})).await;
    assert_eq!(
        undone.body["site"]["plan"]["kit"]["devices"][1]["priority"],
        2
    );
    for (body, words) in [
        (json!({"words": " ", "changes": []}), "words must say"),
        (
            json!({"words": "nothing", "changes": []}),
            "changes has 0 entries",
        ),
        (
            json!({"words": "x", "changes": [{"kind": "planet", "id": "x", "body": {}}]}),
            "changes[0].kind",
        ),
        (
            json!({"words": "x", "changes": [{"kind": "device", "id": "x", "body": {"id": "y"}}]}),
            "changes[0].body.id",
        ),
    ] {
        assert_problem(
            &api.post(&path, body).await,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            words,
        );
    }
}

#[tokio::test]
async fn the_kinds_and_the_schema_are_served() {
    let api = api();
    let kinds = api.get("/api/kinds").await;
    assert!(kinds.body["devices"].as_array().unwrap().len() >= 25);
    let schema = api.get("/api/plan.schema.json").await;
    assert_eq!(
        schema.body["$schema"],
        "https://json-schema.org/draft/2020-12/schema"
    );
    assert_eq!(schema.body, ash_pond_core::site::schema::plan());
}

#[tokio::test]
async fn every_number_of_an_answer_has_a_working_that_ends_in_figures() {
    let api = api();
    let one = |id: &str| {
        json!({"arrangements": [id], "moment": "starting gate-camera",
        "soc": {"house-bank": 0.5}})
    };
    let mut open: Vec<(String, String)> =
        ["camera-direct", "camera-inverter", "direct", "shared-out"]
            .iter()
            .flat_map(|way| {
                [
                    "totals.drawn_w",
                    "totals.delivered_w",
                    "totals.lost_w",
                    "totals.idle_w",
                    "totals.cables_w",
                    "totals.efficiency",
                    "day.drawn_wh",
                    "day.delivered_wh",
                ]
                .map(|key| ((*way).to_owned(), key.to_owned()))
            })
            .collect();
    let mut seen = std::collections::BTreeSet::new();
    let mut figures = 0;
    let mut asked = std::collections::BTreeSet::new();
    let word = |it: &Value| it.as_str().unwrap_or_default().to_owned();
    while let Some((way, key)) = open.pop() {
        if !seen.insert((way.clone(), key.clone())) {
            continue;
        }
        let reply = api
            .post(
                &format!("{SITE}/working"),
                json!({"question": one(&way), "key": key}),
            )
            .await;
        assert_eq!(reply.status, StatusCode::OK, "{way} {key}: {}", reply.body);
        for term in reply.body["terms"].as_array().unwrap() {
            assert!(term["value"].is_number(), "{way} {key}: {term}");
            figures += usize::from(term["basis"].is_string());
            // What stands in the plan says where, and what was said of it can be asked there.
            if let Some(path) = term["at"]["path"].as_str() {
                let past = format!(
                    "{SITE}/past/{}/{}?path={path}",
                    word(&term["at"]["kind"]),
                    word(&term["at"]["id"])
                );
                if asked.insert(past.clone()) {
                    let past = api.get(&past).await;
                    assert_eq!(past.status, StatusCode::OK, "{term}: {}", past.body);
                    assert_eq!(
                        past.body["rows"].as_array().unwrap().last().unwrap()["basis"],
                        term["basis"],
                        "{term}"
                    );
                }
            }
            if let Some(see) = term["see"].as_str() {
                open.push((way.clone(), see.to_owned()));
            }
        }
    }
    assert!(
        seen.len() > 150,
        "only {} workings were reached",
        seen.len()
    );
    assert!(figures > 60, "only {figures} figures of the plan were met");
    assert!(
        asked.len() > 40,
        "only {} of them say where they stand",
        asked.len()
    );
    let reply = api
        .post(
            &format!("{SITE}/working"),
            json!({"question": one("camera-direct"), "key": "feeds.moon.amps"}),
        )
        .await;
    assert_problem(&reply, StatusCode::NOT_FOUND, "missing", "feeds.moon.amps");
}

#[tokio::test]
async fn a_body_that_is_too_large_is_refused() {
    let api = api();
    let body = Body::from(vec![b' '; 9 * 1024 * 1024]);
    let request = Request::builder()
        .method("POST")
        .uri("/api/sites")
        .header(header::HOST, "localhost")
        .header(header::CONTENT_TYPE, "application/json")
        .body(body);
    assert_eq!(
        api.send(request.unwrap()).await.status,
        StatusCode::PAYLOAD_TOO_LARGE
    );
}

#[tokio::test]
async fn the_page_and_its_files_carry_their_policies() {
    let api = api();
    let page = api.get("/chains").await;
    if page.status == StatusCode::SERVICE_UNAVAILABLE {
        // Built without the front end: the page says how to build it, which is all there is to
        // check.
        return;
    }
    let policy = page.headers[header::CONTENT_SECURITY_POLICY]
        .to_str()
        .unwrap();
    assert!(
        policy.contains("script-src 'self';") && policy.contains("'nonce-"),
        "{policy}"
    );
    assert_ne!(
        policy,
        api.get("/chains").await.headers[header::CONTENT_SECURITY_POLICY]
    );
    assert_eq!(
        api.get("/no-such-file.js").await.status,
        StatusCode::NOT_FOUND
    );
    let mark = api.get("/mark.svg").await;
    let tag = mark.headers[header::ETAG].clone();
    let request = Request::builder()
        .uri("/mark.svg")
        .header(header::HOST, "localhost")
        .header(header::IF_NONE_MATCH, tag);
    assert_eq!(
        api.send(request.body(Body::empty()).unwrap()).await.status,
        StatusCode::NOT_MODIFIED
    );
}

#[tokio::test]
async fn answers_are_compressed_where_the_asker_takes_it() {
    let api = api();
    for encoding in ["br", "gzip"] {
        let request = Request::builder()
            .uri("/api/openapi.json")
            .header(header::HOST, "localhost")
            .header(header::ACCEPT_ENCODING, encoding);
        let reply = api.send(request.body(Body::empty()).unwrap()).await;
        assert_eq!(reply.headers[header::CONTENT_ENCODING], encoding);
    }
}

#[tokio::test]
async fn only_our_own_pages_change_anything_and_bodies_say_that_they_are_json() {
    let api = api();
    let undo = || {
        Request::builder()
            .method("POST")
            .uri(format!("{SITE}/undo"))
            .header(header::HOST, "localhost:8787")
    };
    let asked = async |request: axum::http::request::Builder, body: &str| {
        api.send(request.body(Body::from(body.to_owned())).unwrap())
            .await
    };
    let foreign = [
        ("origin", "http://example.org"),
        ("origin", "null"),
        ("origin", "http://localhost:9999"),
        ("origin", "localhost:8787"),
        ("sec-fetch-site", "cross-site"),
        ("sec-fetch-site", "same-site"),
    ];
    for (name, value) in foreign {
        let reply = asked(
            undo()
                .header(name, value)
                .header(header::CONTENT_TYPE, "application/json"),
            "{}",
        )
        .await;
        assert_problem(
            &reply,
            StatusCode::FORBIDDEN,
            "origin",
            "only this server's own pages",
        );
    }
    for kind in [
        "text/plain",
        "application/x-www-form-urlencoded",
        "multipart/form-data; boundary=x",
        "",
    ] {
        let reply = asked(undo().header(header::CONTENT_TYPE, kind), "{}").await;
        assert_problem(
            &reply,
            StatusCode::UNSUPPORTED_MEDIA_TYPE,
            "content-type",
            "application/json",
        );
    }
    let reply = asked(undo(), "{}").await;
    assert_problem(
        &reply,
        StatusCode::UNSUPPORTED_MEDIA_TYPE,
        "content-type",
        "says nothing",
    );
    // Our own page, and what is no browser, get as far as that there is nothing to undo.
    let ours = undo()
        .header("origin", "http://localhost:8787")
        .header("sec-fetch-site", "same-origin");
    let reply = asked(
        ours.header(header::CONTENT_TYPE, "application/json; charset=utf-8"),
        "{}",
    )
    .await;
    assert_problem(&reply, StatusCode::CONFLICT, "nothing", "nothing to undo");
    assert_problem(
        &asked(undo(), "").await,
        StatusCode::CONFLICT,
        "nothing",
        "nothing to undo",
    );
    // Reading is no change.
    let read = Request::builder()
        .uri("/api/sites")
        .header(header::HOST, "localhost")
        .header("origin", "http://example.org");
    assert_eq!(asked(read, "").await.status, StatusCode::OK);
}

#[tokio::test]
async fn the_description_can_be_read_by_generators_and_says_every_refusal() {
    let api = api();
    let document = api.get("/api/openapi.json").await.body;
    assert_eq!(document["servers"][0]["url"], "/api");
    let text = document.to_string();
    assert!(
        !text.contains("\"const\":\"running\"") && text.contains("\"enum\":[\"starting\""),
        "words are enumerations"
    );
    let named = document["components"]["schemas"]
        .as_object()
        .unwrap()
        .keys();
    let numbered: Vec<_> = named
        .filter(|it| it.ends_with(|it: char| it.is_ascii_digit()))
        .collect();
    assert!(
        numbered.is_empty(),
        "{numbered:?} have a name that another one has"
    );
    let mut ids = std::collections::BTreeSet::new();
    for (path, operations) in document["paths"].as_object().unwrap() {
        for (method, operation) in operations.as_object().unwrap() {
            assert!(
                ids.insert(operation["operationId"].as_str().unwrap().to_owned()),
                "{method} {path}"
            );
            assert!(
                operation["tags"][0].is_string() && operation["responses"]["default"].is_object(),
                "{method} {path}"
            );
            let body = &operation["requestBody"];
            assert!(
                body.is_null() || body["required"] == true,
                "{method} {path}"
            );
        }
    }
}

#[tokio::test]
async fn every_refusal_is_a_problem() {
    let api = api();
    let kind = |reply: &Reply| {
        reply.headers[header::CONTENT_TYPE]
            .to_str()
            .unwrap()
            .to_owned()
    };
    let large = Request::builder()
        .method("POST")
        .uri("/api/sites")
        .header(header::HOST, "localhost");
    let large = large
        .header(header::CONTENT_TYPE, "application/json")
        .body(Body::from(vec![b' '; 9 << 20]))
        .unwrap();
    let page = Request::builder()
        .uri("/no/such/page")
        .header(header::HOST, "localhost");
    let page = page
        .header(header::ACCEPT, "application/json")
        .body(Body::empty())
        .unwrap();
    let cases = [
        (
            api.ask("PATCH", "/api/sites", None, None).await,
            StatusCode::METHOD_NOT_ALLOWED,
            "method",
        ),
        (
            api.send(large).await,
            StatusCode::PAYLOAD_TOO_LARGE,
            "too-large",
        ),
        (api.send(page).await, StatusCode::NOT_FOUND, "missing"),
        (
            api.get(&format!("{SITE}/outage/series.csv")).await,
            StatusCode::BAD_REQUEST,
            "address",
        ),
        (
            api.ask("DELETE", "/api/sessions/x", None, None).await,
            StatusCode::BAD_REQUEST,
            "address",
        ),
    ];
    for (reply, status, code) in cases {
        assert_eq!(
            (reply.status, &reply.body["code"]),
            (status, &json!(code)),
            "{}",
            reply.body
        );
        assert!(
            kind(&reply).starts_with("application/problem+json"),
            "{}",
            kind(&reply)
        );
    }
    let refused = api.ask("PATCH", "/api/sites", None, None).await;
    assert!(
        refused.headers[header::ALLOW]
            .to_str()
            .unwrap()
            .contains("POST")
    );
}

/// What a body of a request may leave out is not required of it, and whatever refers to a schema
/// finds it.
#[tokio::test]
async fn what_has_a_default_may_be_left_out() {
    let api = api();
    let document = api.get("/api/openapi.json").await.body;
    let all = document["components"]["schemas"].as_object().unwrap();
    let named = |it: &Value| {
        it["$ref"]
            .as_str()
            .map(|it| it.rsplit('/').next().unwrap().to_owned())
    };
    let mut open: Vec<String> = Vec::new();
    for operation in document["paths"]
        .as_object()
        .unwrap()
        .values()
        .flat_map(|it| it.as_object().unwrap().values())
    {
        open.extend(named(
            &operation["requestBody"]["content"]["application/json"]["schema"],
        ));
    }
    let mut seen = std::collections::BTreeSet::new();
    while let Some(name) = open.pop() {
        if !seen.insert(name.clone()) {
            continue;
        }
        let schema = all
            .get(&name)
            .unwrap_or_else(|| panic!("{name} is not there"));
        let required: Vec<&str> = schema["required"]
            .as_array()
            .into_iter()
            .flatten()
            .filter_map(Value::as_str)
            .collect();
        for (field, of) in schema["properties"].as_object().into_iter().flatten() {
            assert!(
                of.get("default").is_none() || !required.contains(&field.as_str()),
                "{name}.{field}"
            );
        }
        let mut inside = vec![schema];
        while let Some(it) = inside.pop() {
            open.extend(named(it));
            inside.extend(it.as_array().into_iter().flatten());
            inside.extend(it.as_object().into_iter().flat_map(|it| it.values()));
        }
    }
    assert!(
        seen.contains("TestGiven") && seen.contains("PlanGiven") && seen.len() > 40,
        "{seen:?}"
    );
    // And it holds: the least of a body is taken.
    let least = json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Least"}});
    assert_eq!(
        api.post("/api/sites", least).await.status,
        StatusCode::CREATED
    );
    let of = json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"}});
    assert_eq!(
        api.post(&format!("{SITE}/tests"), of).await.status,
        StatusCode::CREATED
    );
}

#[tokio::test]
async fn tests_are_told_page_by_page() {
    let api = api();
    for _ in 0..5 {
        let of = json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"}});
        api.post(&format!("{SITE}/tests"), of).await;
    }
    let whole = api.get(&format!("{SITE}/tests")).await.body;
    assert_eq!(
        (whole["tests"].as_array().unwrap().len(), &whole["next"]),
        (5, &Value::Null)
    );
    let (mut paged, mut behind) = (Vec::new(), String::new());
    loop {
        let page = api.get(&format!("{SITE}/tests?most=2{behind}")).await.body;
        paged.extend(page["tests"].as_array().unwrap().clone());
        let Some(next) = page["next"].as_str() else {
            break;
        };
        behind = format!("&behind={next}");
    }
    assert_eq!(json!(paged), whole["tests"]);
    let wrong = api.get(&format!("{SITE}/tests?behind=nobody")).await;
    assert_problem(
        &wrong,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no such test",
    );
}

#[tokio::test]
async fn a_field_of_another_kind_in_a_body_is_named_by_its_path() {
    let api = api();
    let cases = [
        ("evaluate", json!({"arrangements": [7]}), "arrangements[0]"),
        (
            "outage",
            json!({"arrangement": "direct", "outage": 3}),
            "outage",
        ),
        (
            "changes",
            json!({"changes": [{"kind": "device", "id": 4}]}),
            "changes[0].id",
        ),
        ("log", json!({"kind": "note", "words": ["a"]}), "words"),
    ];
    for (route, body, path) in cases {
        let reply = api.post(&format!("{SITE}/{route}"), body).await;
        assert_problem(
            &reply,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            "invalid type",
        );
        assert_eq!(reply.body["path"], path, "{}", reply.body);
    }
    // What is missing has no place of its own: the sentence names it.
    let reply = api.post(&format!("{SITE}/evaluate"), json!({})).await;
    let words = "missing field `arrangements`";
    assert_problem(&reply, StatusCode::UNPROCESSABLE_ENTITY, "refused", words);
    assert!(reply.body["path"].is_null(), "{}", reply.body);
}
