//! Sites, tables and labels by the API, and many steps back and forth.

use crate::common;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use common::{SITE, api, assert_problem};
use http_body_util::BodyExt;
use serde_json::{Value, json};
use tower::ServiceExt;

#[tokio::test]
async fn a_site_is_copied_removed_and_brought_back() {
    let api = api();
    let reply = api
        .post(&format!("{SITE}/copy"), json!({"name": " Lower Lock "}))
        .await;
    assert_eq!(
        (reply.status, &reply.body["id"]),
        (StatusCode::CREATED, &json!("lower-lock"))
    );
    let lower = api.get("/api/sites/lower-lock/plan").await.body["plan"].clone();
    assert_eq!(
        (
            &lower["site"]["name"],
            lower["kit"]["devices"].as_array().unwrap().len()
        ),
        (&json!("Lower Lock"), 12)
    );
    assert_eq!(
        api.ask("DELETE", SITE, None, None).await.status,
        StatusCode::NO_CONTENT
    );
    let sites = api.get("/api/sites").await.body;
    assert_eq!(
        (&sites["sites"][0]["id"], &sites["removed"][0]["id"]),
        (&json!("lower-lock"), &json!("hollin-lock"))
    );
    assert_problem(
        &api.get(&format!("{SITE}/plan")).await,
        StatusCode::NOT_FOUND,
        "missing",
        "no site \"hollin-lock\"",
    );
    assert_eq!(
        api.post(&format!("{SITE}/restore"), Value::Null)
            .await
            .status,
        StatusCode::NO_CONTENT
    );
    assert_eq!(
        api.get(&format!("{SITE}/plan")).await.status,
        StatusCode::OK
    );
    let reply = api.post(&format!("{SITE}/restore"), Value::Null).await;
    assert_problem(&reply, StatusCode::NOT_FOUND, "missing", "no removed site");
    let reply = api
        .post(&format!("{SITE}/copy"), json!({"name": "  "}))
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "call it something",
    );
}

#[tokio::test]
async fn an_import_is_shown_before_it_lands_and_lands_as_one_step() {
    let api = api();
    let before = api.get(&format!("{SITE}/plan")).await.body;
    let text = "id,label,running,rated_v\nrouter,,9,\n,Tide gauge,2.4,12\n,Lamp,many,12\n";
    let seen = api
        .post(&format!("{SITE}/import"), json!({"text": text}))
        .await;
    assert_eq!(
        seen.body["headline"],
        "Adds 1, changes 1; 1 could not be read."
    );
    assert_eq!(
        (
            &seen.body["problems"][0]["row"],
            &seen.body["problems"][0]["column"]
        ),
        (&json!(4), &json!("running"))
    );
    assert!(
        seen.body["problems"][0]["remedy"]
            .as_str()
            .unwrap()
            .starts_with("write 6.2")
    );
    assert_eq!(
        api.get(&format!("{SITE}/plan")).await.body,
        before,
        "nothing lands before yes"
    );
    let reply = api
        .post(
            &format!("{SITE}/changes"),
            json!({"words": "imported", "changes": seen.body["changes"]}),
        )
        .await;
    assert_eq!(reply.status, StatusCode::OK, "{}", reply.body);
    let devices = reply.body["plan"]["kit"]["devices"]
        .as_array()
        .unwrap()
        .clone();
    assert_eq!(
        (devices.len(), &devices[12]["id"]),
        (13, &json!("tide-gauge"))
    );
    let reply = api.post(&format!("{SITE}/undo"), Value::Null).await;
    assert_eq!(reply.body["site"]["plan"], before["plan"]);
    let reply = api
        .post(
            &format!("{SITE}/import"),
            json!({"text": "", "table": "spoons"}),
        )
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "use one of devices",
    );
}

#[tokio::test]
async fn what_goes_out_comes_back_in() {
    let api = api();
    let ask = |file: &str| {
        Request::builder()
            .uri(format!("{SITE}/export/{file}"))
            .header(header::HOST, "127.0.0.1:1")
    };
    for file in ["plan.json", "devices.csv", "sources.csv", "converters.csv"] {
        let response = api
            .router
            .clone()
            .oneshot(ask(file).body(Body::empty()).unwrap())
            .await
            .unwrap();
        let attached = response.headers()[header::CONTENT_DISPOSITION]
            .to_str()
            .unwrap()
            .to_owned();
        assert_eq!(
            attached,
            format!("attachment; filename=\"hollin-lock-{file}\"")
        );
        let text = String::from_utf8(
            response
                .into_body()
                .collect()
                .await
                .unwrap()
                .to_bytes()
                .to_vec(),
        )
        .unwrap();
        let seen = api
            .post(&format!("{SITE}/import"), json!({"text": text}))
            .await
            .body;
        assert_eq!(
            (&seen["changes"], &seen["problems"]),
            (&json!([]), &json!([])),
            "{file}"
        );
        if file == "plan.json" {
            let made = api
                .post("/api/sites", serde_json::from_str(&text).unwrap())
                .await;
            let id = made.body["id"].as_str().unwrap().to_owned();
            let same = api.get(&format!("/api/sites/{id}/plan")).await.body["plan"].clone();
            assert_eq!(same, api.get(&format!("{SITE}/plan")).await.body["plan"]);
        }
    }
    let reply = api.get(&format!("{SITE}/export/spoons.csv")).await;
    assert_problem(
        &reply,
        StatusCode::NOT_FOUND,
        "missing",
        "there are plan.json",
    );
}

#[tokio::test]
async fn labels_are_taken_for_what_they_are() {
    let api = api();
    let label = json!({"kind": "inverter", "alternating": true, "rated_w": 300, "efficiency": 0.9,
        "standby_w": 6});
    let claimed = api.post("/api/claim", label).await.body;
    assert_eq!(claimed["loss"]["idle_w"]["basis"], "label");
    assert!(
        claimed["words"]
            .as_str()
            .unwrap()
            .contains("6 W standby by its label")
    );
    let reply = api.post("/api/claim", json!({"kind": "spoon"})).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "use one of inverter",
    );
    let reply = api.post("/api/claim", json!({"efficiency": 90})).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "at most 100 %",
    );

    let size = |source: &str, text: &str| json!({"source": source, "text": text});
    let path = format!("{SITE}/capacity");
    let bank = api.post(&path, size("house-bank", "1.28 kWh l")).await.body;
    assert_eq!(
        (&bank["readings"][0]["capacity_ah"], &bank["question"]),
        (&json!(100.0), &Value::Null)
    );
    let station = api.post(&path, size("station", "40000 mAh")).await.body;
    assert!(station["readings"].as_array().unwrap().len() > 1 && station["question"].is_string());
    assert_problem(
        &api.post(&path, size("moon", "1 Ah")).await,
        StatusCode::NOT_FOUND,
        "missing",
        "no source \"moon\"",
    );
    let reply = api.post(&path, size("house-bank", "big")).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "Write 100 Ah",
    );

    let entry = json!({"text": "54", "target": "celsius", "fahrenheit": true});
    let celsius = api.post("/api/entry", entry).await.body["value"]
        .as_f64()
        .unwrap();
    assert!((celsius - 12.222_222).abs() < 1e-5);
}

#[tokio::test]
async fn what_to_measure_next_is_told_and_heeds_what_is_not_saved() {
    let api = api();
    let found = api.post(&format!("{SITE}/matters"), json!({})).await.body;
    let first = found["figures"][0].clone();
    assert!(
        found["headline"]
            .as_str()
            .unwrap()
            .contains(first["label"].as_str().unwrap()),
        "{}",
        found["headline"]
    );
    // The same figure measured is no guess any more.
    let (kind, id) = (
        first["kind"].as_str().unwrap(),
        first["id"].as_str().unwrap(),
    );
    let mut body = api.get(&format!("{SITE}/elements/{kind}/{id}")).await.body["body"].clone();
    let pointer = format!(
        "/{}",
        first["path"]
            .as_str()
            .unwrap()
            .replace("].", "/")
            .replace(['.', '['], "/")
    );
    *body.pointer_mut(&pointer).unwrap() =
        json!({"value": first["value"], "plus_minus": 0, "basis": "measured"});
    let now = api
        .post(
            &format!("{SITE}/matters"),
            json!({"changes": [{"kind": kind, "id": id, "body": body}]}),
        )
        .await
        .body;
    let still = now["figures"]
        .as_array()
        .unwrap()
        .iter()
        .any(|it| it["id"] == first["id"] && it["path"] == first["path"]);
    assert!(
        !still && now["unmeasured"].as_u64() == found["unmeasured"].as_u64().map(|it| it - 1),
        "{now}"
    );
}

#[tokio::test]
async fn ten_mixed_steps_are_undone_one_by_one_to_where_it_began_and_done_again() {
    let api = api();
    let plan = |body: &Value| body["plan"].clone();
    let mut states = vec![plan(&api.get(&format!("{SITE}/plan")).await.body)];
    let edit = async |kind: &str, id: &str, change: &dyn Fn(&mut Value)| {
        let path = format!("{SITE}/elements/{kind}/{id}");
        let mut body = api.get(&path).await.body["body"].clone();
        change(&mut body);
        api.ask("PUT", &path, Some(body), Some("*")).await
    };
    let set = |words: &str, changes: Value| json!({"words": words, "changes": changes});
    let change = format!("{SITE}/changes");
    let steps = [
        edit("device", "router", &|it| {
            it["phases"][1]["watts"] = json!(9);
        })
        .await,
        edit("site", "site", &|it| it["ambient_c"] = json!(-3)).await,
        edit("site", "site", &|it| it["name"] = json!("Upper Lock")).await,
        edit("source", "station", &|it| {
            it["ports"][0]["limit"]["continuous_a"] = json!(7);
        })
        .await,
        edit("converter", "step-up", &|it| {
            it["loss"]["idle_w"] = json!(1.4);
        })
        .await,
        edit("arrangement", "camera-direct", &|it| {
            it["label"] = json!("Straight");
        })
        .await,
        api.post(
            &change,
            set(
                "outage removed",
                json!([{"kind": "outage",
            "id": states[0]["outages"][0]["id"], "body": null}]),
            ),
        )
        .await,
        api.ask(
            "PUT",
            &format!("{SITE}/elements/outage/short"),
            Some(json!({"id": "short",
            "label": "Short", "start": "2026-05-01T08:00", "hours": 2})),
            Some("0"),
        )
        .await,
        api.post(
            &change,
            set(
                "two at once",
                json!([
            {"kind": "device", "id": "a", "body": {"id": "a", "label": "A",
                "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running",
                "watts": 1}]}},
            {"kind": "device", "id": "b", "body": {"id": "b", "label": "B",
                "input": {"current": "dc", "rated_v": 12}, "phases": [{"when": "running",
                "watts": 2}]}}]),
            ),
        )
        .await,
        edit("device", "a", &|it| it["priority"] = json!(1)).await,
    ];
    for reply in steps {
        assert_eq!(reply.status, StatusCode::OK, "{}", reply.body);
        states.push(plan(&reply.body));
    }
    for wanted in states.iter().rev().skip(1) {
        assert_eq!(
            &api.post(&format!("{SITE}/undo"), Value::Null).await.body["site"]["plan"],
            wanted
        );
    }
    assert_problem(
        &api.post(&format!("{SITE}/undo"), Value::Null).await,
        StatusCode::CONFLICT,
        "nothing",
        "undo",
    );
    for wanted in &states[1..] {
        assert_eq!(
            &api.post(&format!("{SITE}/redo"), Value::Null).await.body["site"]["plan"],
            wanted
        );
    }
}

#[tokio::test]
async fn what_fits_is_told_with_the_lead_and_fuse_that_it_takes() {
    let api = api();
    let path = format!("{SITE}/fits");
    let asked = json!({"arrangement": "shared-out", "from": {"item": "house-bank",
        "port": "studs"}, "length_m": 3});
    let followed = api.post(&path, asked).await;
    assert_eq!(followed.status, StatusCode::OK, "{}", followed.body);
    assert!(
        followed.body["options"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["to"] == "Big stepped inverter")
    );
    let empty = json!({"kind": "arrangement", "id": "new", "body": {"id": "new", "label": "New",
        "feeds": []}});
    let asked =
        json!({"arrangement": "new", "to": "gate-camera", "length_m": 22, "changes": [empty]});
    let found = api.post(&path, asked).await.body;
    let first = &found["options"][0];
    assert!(
        first["fits"] == json!(true) && first["feeds"][0]["cable"]["length_m"] == json!(22),
        "{first}"
    );
    for (asked, words) in [
        (
            json!({"arrangement": "new", "to": "router", "length_m": 3}),
            "no arrangement has that id",
        ),
        (
            json!({"arrangement": "camera-direct", "to": "gate-camera", "length_m": 3}),
            "is fed already",
        ),
        (
            json!({"arrangement": "camera-direct", "to": "router", "length_m": 0}),
            "above 0",
        ),
        (
            json!({"arrangement": "camera-direct", "length_m": 1}),
            "give either",
        ),
    ] {
        assert_problem(
            &api.post(&path, asked).await,
            StatusCode::UNPROCESSABLE_ENTITY,
            "refused",
            words,
        );
    }
}
