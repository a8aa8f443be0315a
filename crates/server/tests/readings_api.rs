//! Readings that are kept as they come, and sites that go in a file and open elsewhere.

use crate::common;

use ash_pond::app::{AppState, app};
use ash_pond::record::Recorder;
use ash_pond_store::Store;
use ash_pond_store::readings::Sample;
use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use common::{Api, SITE, api, assert_problem, demo_api};
use http_body_util::BodyExt as _;
use serde_json::{Value, json};
use tower::ServiceExt as _;

/// An API, and what it shares with a recorder.
fn shared() -> (Api, AppState) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    ash_pond::demo::fill(&store).unwrap();
    let state = AppState::new(store);
    (
        Api {
            router: app(state.clone()),
            _folder: folder,
        },
        state,
    )
}

#[tokio::test]
async fn what_a_meter_shows_is_kept_while_nobody_looks_and_stops_when_it_is_told_to() {
    let (api, state) = shared();
    let (store, recorder) = (state.store.clone(), Recorder::begin(&state));
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    let plan = ash_pond_core::site::plan::Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    let watched = ash_pond_stand_ins::battery_monitor::Monitor::new(plan, "house-bank").unwrap();
    tokio::spawn(ash_pond_stand_ins::battery_monitor::serve(
        listener, watched,
    ));
    let body = |records: bool| {
        json!({"label": "Monitor", "speaks": "modbus", "address": address,
        "records": records})
    };
    api.ask("PUT", "/api/meters/monitor", Some(body(true)), Some("*"))
        .await;
    // Nobody asks what it shows: the recorder does.
    let mut rows = Vec::new();
    for _ in 0..300 {
        rows = store.series().unwrap();
        if rows.iter().any(|it| it.first_ms < it.last_ms) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    let charge = rows
        .iter()
        .find(|it| it.name == "charge")
        .unwrap_or_else(|| panic!("{rows:?}"));
    let told = api.get(&format!("/api/readings/{}", charge.id)).await.body;
    assert_eq!(
        (&told["name"], &told["unit"]),
        (&json!("charge"), &json!("%"))
    );
    assert!(
        (told["spans"][0]["mean"].as_f64().unwrap() - 100.0).abs() < 0.5,
        "{told}"
    );
    assert!(
        api.get("/api/meters").await.body["meters"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["records"] == true)
    );
    api.ask("PUT", "/api/meters/monitor", Some(body(false)), Some("*"))
        .await;
    // What was read up to its end is written; nothing comes after it.
    recorder.end().await;
    let last = store.one_series(charge.id).unwrap().last_ms;
    api.get("/api/meters").await;
    assert_eq!(store.one_series(charge.id).unwrap().last_ms, last);
    let csv = api.raw(&format!("/api/readings/{}/csv", charge.id)).await;
    assert!(csv.starts_with("time,charge (%)\n20"), "{csv}");
    assert_eq!(
        csv.lines().count() - 1,
        store.readings(charge.id, i64::MIN, u32::MAX).unwrap().len()
    );
}

#[tokio::test]
async fn readings_are_paged_and_thinned_and_what_is_asked_wrongly_is_said() {
    let (api, AppState { store, .. }) = shared();
    let at = |it: i64| 1_700_000_000_000 + it * 1000;
    let one = |it: i64| Sample {
        meter: "gone".into(),
        name: "volts".into(),
        unit: "V".into(),
        at_ms: at(it),
        value: 12.0 + f64::from(u8::try_from(it % 9).unwrap()),
    };
    store
        .keep_samples(&(0..12_000).map(one).collect::<Vec<_>>())
        .unwrap();
    let list = api.get("/api/readings").await.body;
    let id = &list["series"][0]["id"];
    assert_eq!(
        (&list["series"][0]["meter"], &list["series"][0]["last_ms"]),
        (&json!("gone"), &json!(at(11_999)))
    );
    let (mut seen, mut next) = (0, json!(0));
    while !next.is_null() {
        let page = api
            .get(&format!("/api/readings/{id}/rows?from_ms={next}&most=5000"))
            .await
            .body;
        seen += page["rows"].as_array().unwrap().len();
        next = page["next_ms"].clone();
    }
    assert_eq!(seen, 12_000);
    let plot = api.get(&format!("/api/readings/{id}?points=50")).await.body;
    let spans = plot["spans"].as_array().unwrap();
    assert!((40..=51).contains(&spans.len()), "{}", spans.len());
    assert!(
        spans
            .iter()
            .all(|it| it["low"] == 12.0 && it["high"] == 20.0)
    );
    let wrong = StatusCode::UNPROCESSABLE_ENTITY;
    assert_problem(
        &api.get(&format!("/api/readings/{id}?points=0")).await,
        wrong,
        "refused",
        "ask for 1 to 1000",
    );
    assert_problem(
        &api.get("/api/readings/99").await,
        StatusCode::NOT_FOUND,
        "missing",
        "series of readings \"99\"",
    );
    assert_problem(
        &api.get("/api/readings/99/csv").await,
        StatusCode::NOT_FOUND,
        "missing",
        "99",
    );
    let kept = async |all: i64, minutes: i64| {
        api.post(
            "/api/readings/kept",
            json!({"all_days": all, "minute_days": minutes}),
        )
        .await
    };
    assert_problem(&kept(0, 10).await, wrong, "refused", "say 1 to 36500 days");
    assert_problem(&kept(30, 10).await, wrong, "refused", "at least as long");
    assert_eq!(kept(1, 10).await.status, StatusCode::NO_CONTENT);
    let words = api.get("/api/readings").await.body["kept_words"].clone();
    assert!(
        words.as_str().unwrap().contains("1 day, the least"),
        "{words}"
    );
}

async fn archived(api: &Api, path: &str) -> Vec<u8> {
    let request = Request::builder()
        .uri(path)
        .header(header::HOST, "127.0.0.1:8787")
        .body(Body::empty())
        .unwrap();
    let response = api.router.clone().oneshot(request).await.unwrap();
    assert_eq!(
        (response.status(), &response.headers()[header::CONTENT_TYPE]),
        (StatusCode::OK, &"application/zip".parse().unwrap())
    );
    response
        .into_body()
        .collect()
        .await
        .unwrap()
        .to_bytes()
        .to_vec()
}

async fn opened(api: &Api, kind: &str, bytes: Vec<u8>) -> common::Reply {
    let request = Request::builder()
        .method("POST")
        .uri("/api/archives")
        .header(header::HOST, "127.0.0.1:8787");
    api.send(
        request
            .header(header::CONTENT_TYPE, kind)
            .body(Body::from(bytes))
            .unwrap(),
    )
    .await
}

#[tokio::test]
async fn a_site_that_opens_elsewhere_gives_the_same_answers() {
    let (here, elsewhere) = (demo_api(), api());
    let file = archived(&here, &format!("{SITE}/archive")).await;
    let reply = opened(&elsewhere, "application/zip", file.clone()).await;
    assert_eq!(reply.status, StatusCode::CREATED, "{}", reply.body);
    assert_eq!(
        reply.body["id"], "hollin-lock-2",
        "beside the one that is there"
    );
    let there = "/api/sites/hollin-lock-2";
    assert_eq!(reply.headers[header::LOCATION], format!("{there}/plan"));
    let same = |one: &Value, other: &Value| assert_eq!(one, other);
    same(
        &here.get(&format!("{SITE}/plan")).await.body["plan"],
        &elsewhere.get(&format!("{there}/plan")).await.body["plan"],
    );
    for path in ["tests", "history", "next", "needs", "supply", "findings"] {
        let (one, other) = (
            here.get(&format!("{SITE}/{path}")).await,
            elsewhere.get(&format!("{there}/{path}")).await,
        );
        assert_eq!(one.status, other.status, "{path}");
        // Revisions count the steps of a site; they stay where they were made.
        let plain = |it: &Value| {
            let mut it = it.clone();
            for test in it["tests"].as_array_mut().into_iter().flatten() {
                test.as_object_mut().unwrap().remove("revision");
            }
            if let Some(all) = it.as_object_mut() {
                all.remove("revision");
            }
            it
        };
        assert_eq!(plain(&one.body), plain(&other.body), "{path}");
    }
    let question = json!({"arrangement": "direct", "outage": "winter-storm"});
    same(
        &here
            .post(&format!("{SITE}/outage"), question.clone())
            .await
            .body,
        &elsewhere
            .post(&format!("{there}/outage"), question)
            .await
            .body,
    );
    // What is none is refused whole.
    let wrong = StatusCode::UNPROCESSABLE_ENTITY;
    assert_problem(
        &opened(&elsewhere, "application/zip", b"PK".to_vec()).await,
        wrong,
        "refused",
        "no archive",
    );
    let cut = file[..file.len() - 9].to_vec();
    assert_problem(
        &opened(&elsewhere, "application/zip", cut).await,
        wrong,
        "refused",
        "no archive",
    );
    let text = opened(&elsewhere, "text/plain", file).await;
    assert_problem(
        &text,
        StatusCode::UNSUPPORTED_MEDIA_TYPE,
        "content-type",
        "application/zip",
    );
    assert_eq!(
        elsewhere.get("/api/sites").await.body["sites"]
            .as_array()
            .unwrap()
            .len(),
        2
    );
    assert_problem(
        &here.get("/api/sites/none/archive").await,
        StatusCode::NOT_FOUND,
        "missing",
        "none",
    );
}
