//! What leaves the server is what is on the screen: sentences by the habits of who asks, one
//! scenario in every export, and nothing that cannot be.

use crate::common;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use common::{Api, SITE, api, assert_problem};
use serde_json::{Value, json};

const HABITS: [&str; 3] = [
    "point,c,m,mm2,24h",
    "comma,c,m,mm2,24h",
    "comma,f,ft,awg,12h",
];

/// Asks with the habits of a page, and gives the whole text of the answer.
async fn said(api: &Api, path: &str, body: Option<&Value>, habits: &str) -> Value {
    let request = Request::builder()
        .uri(path)
        .header(header::HOST, "127.0.0.1:8787")
        .header("ash-pond-habits", habits);
    let request = match body {
        None => request.body(Body::empty()),
        Some(body) => request
            .method("POST")
            .header(header::CONTENT_TYPE, "application/json")
            .body(Body::from(body.to_string())),
    };
    let reply = api.send(request.unwrap()).await;
    assert_eq!(reply.status, StatusCode::OK, "{path}: {}", reply.body);
    reply.body
}

/// Marks of amounts and names, which are for the rendering alone.
fn marks(text: &str) -> bool {
    text.chars()
        .any(|it| ('\u{f0000}'..='\u{f00ff}').contains(&it))
}

fn questions() -> Vec<(String, Option<Value>)> {
    let storm = json!({"arrangement": "shared-out", "outage": "winter-storm"});
    let post = |path: &str, body: Value| (format!("{SITE}/{path}"), Some(body));
    vec![
        post(
            "evaluate",
            json!({"arrangements": ["camera-direct", "camera-inverter"], "moment": "running"}),
        ),
        post("findings", json!({})),
        post(
            "compare",
            json!({"arrangements": ["camera-direct", "camera-inverter"]}),
        ),
        post("needs", json!({})),
        post("supply", json!({})),
        post("matters", json!({})),
        post("outage", storm.clone()),
        post("outage/shed", json!({"of": storm, "together": []})),
        post("outage/starts", json!({"of": storm})),
        (format!("{SITE}/next"), None),
        (format!("{SITE}/tests"), None),
    ]
}

#[tokio::test]
async fn no_mark_leaves_the_server_and_a_comma_is_one_for_every_sentence() {
    let api = api();
    for (path, body) in questions() {
        for habits in HABITS {
            let text = said(&api, &path, body.as_ref(), habits).await.to_string();
            assert!(!marks(&text), "{path} by {habits}: {text}");
        }
    }
    let evaluated = &questions()[0];
    let line = |found: &Value| found["ways"][0]["line"].as_str().unwrap().to_owned();
    let point = said(&api, &evaluated.0, evaluated.1.as_ref(), HABITS[0]).await;
    let comma = said(&api, &evaluated.0, evaluated.1.as_ref(), HABITS[1]).await;
    // The same sentence with the same numbers; fields are numbers and stay as they are.
    assert_eq!(point["ways"][0]["day"], comma["ways"][0]["day"]);
    assert_eq!(
        line(&point).split(' ').count(),
        line(&comma).split(' ').count()
    );
    let findings = said(
        &api,
        &format!("{SITE}/findings"),
        Some(&json!({})),
        HABITS[1],
    )
    .await
    .to_string();
    assert!(
        findings.contains("9,67 A") && !findings.contains("9.67 A for 150 s on"),
        "{findings}"
    );
    // So is one with its ±, of a drift and of a result.
    let api = common::demo_api();
    let drift = said(
        &api,
        &format!("{SITE}/history/source/cabin-bank"),
        None,
        HABITS[1],
    )
    .await
    .to_string();
    assert!(drift.contains("Falls by 6 ± 2 Ah a year"), "{drift}");
    let tests = said(&api, &format!("{SITE}/tests"), None, HABITS[1])
        .await
        .to_string();
    assert!(
        tests.contains("Idle 13,5 ± 0,5 W: 324 Wh a day") && !marks(&tests),
        "{tests}"
    );
}

#[tokio::test]
async fn one_scenario_tells_the_same_ends_in_every_export() {
    let api = api();
    for drop in [None, Some(("terminal", 0.4)), Some(("weir-camera", 1.0))] {
        for everything in [false, true] {
            let mut ask = json!({"arrangement": "direct", "outage": "winter-storm",
                "use_everything": everything});
            let mut query =
                format!("arrangement=direct&outage=winter-storm&use_everything={everything}");
            if let Some((device, below)) = drop {
                ask["drop"] = json!([{"device": device, "below_soc": below}]);
                query += &format!("&drop={device}&below_soc={below}");
            }
            let told = api.post(&format!("{SITE}/outage"), ask).await.body;
            let events = api
                .raw(&format!(
                    "{SITE}/outage/events.csv?{query}&habits=comma,c,m,mm2,24h"
                ))
                .await;
            let calendar = api
                .raw(&format!("{SITE}/outage/calendar.ics?{query}"))
                .await
                .replace("\r\n ", "");
            let calendar = calendar
                .replace("\\,", ",")
                .replace("\\;", ";")
                .replace("\\n", "\n");
            assert!(!marks(&events) && !marks(&calendar), "{query}");
            // Every event of the answer is a row of the table, with as many cells as its head,
            // whatever the decimal mark.
            let rows: Vec<csv::StringRecord> = csv::Reader::from_reader(events.as_bytes())
                .into_records()
                .collect::<Result<_, _>>()
                .unwrap();
            let known = told["simulation"]["events"].as_array().unwrap();
            assert_eq!(rows.len(), known.len(), "{query}");
            for (row, event) in rows.iter().zip(known) {
                assert!(
                    (row[0].parse::<f64>().unwrap() - event["at_h"].as_f64().unwrap()).abs() < 1e-4
                );
                assert_eq!(
                    (&row[2], &row[3]),
                    (
                        event["what"].as_str().unwrap(),
                        event["item"].as_str().unwrap()
                    )
                );
            }
            // What a person does, on paper, stands in the calendar word for word.
            for it in told["todo"].as_array().unwrap() {
                assert!(
                    calendar.contains(it["what"].as_str().unwrap()),
                    "{} is not in {calendar}",
                    it["what"]
                );
            }
            // The first device goes down when the table says so.
            let keeps = told["keeps"].as_str().unwrap();
            if let Some(down) = told["simulation"]["devices"][keeps]["down_at_h"].as_f64() {
                let headline = told["headline"].as_str().unwrap();
                let hours = headline
                    .split("lasts ")
                    .nth(1)
                    .and_then(|it| it.split(' ').next())
                    .unwrap();
                assert!(
                    (hours.parse::<f64>().unwrap() - down).abs() < 0.051 * down.max(1.0),
                    "{headline}: {down}"
                );
            }
        }
    }
}

/// What a file of the storm is called.
async fn name(api: &Api, path: &str) -> String {
    let path = format!("{SITE}/outage/{path}?arrangement=direct&outage=winter-storm");
    api.get(&path).await.headers[header::CONTENT_DISPOSITION]
        .to_str()
        .unwrap()
        .to_owned()
}

#[tokio::test]
async fn what_is_taken_along_is_called_by_the_present_names() {
    let api = api();
    assert!(
        name(&api, "calendar.ics")
            .await
            .ends_with("\"winter-storm-three-days-direct-dc.ics\"")
    );
    assert!(
        name(&api, "events.csv")
            .await
            .ends_with("\"winter-storm-three-days-direct-dc-events.csv\"")
    );
    let mut outage = api
        .get(&format!("{SITE}/elements/outage/winter-storm"))
        .await
        .body;
    outage["body"]["label"] = json!("Ice on the lines");
    let at = format!("{SITE}/elements/outage/winter-storm");
    let revision = outage["revision"].to_string();
    let reply = api
        .ask("PUT", &at, Some(outage["body"].clone()), Some(&revision))
        .await;
    assert!(reply.status.is_success(), "{}", reply.body);
    assert!(
        name(&api, "series.csv")
            .await
            .ends_with("\"ice-on-the-lines-direct-dc.csv\"")
    );
}

#[tokio::test]
async fn stretches_that_cannot_be_are_refused_before_they_are_saved() {
    let api = api();
    let at = format!("{SITE}/elements/outage/winter-storm");
    let outage = api.get(&at).await.body;
    let mut wrong = outage["body"].clone();
    wrong["mains"] = json!([{"from_h": 0, "to_h": 30, "state": "out"}, {"from_h": 20, "to_h": 40,
        "state": "on"}]);
    let reply = api
        .ask(
            "PUT",
            &at,
            Some(wrong.clone()),
            Some(&outage["revision"].to_string()),
        )
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "begin where the other ends",
    );
    assert!(
        reply.body["path"]
            .as_str()
            .unwrap()
            .ends_with("mains[1].from_h"),
        "{}",
        reply.body
    );
    // Neither looked at before it is saved.
    let ask = json!({"arrangement": "direct", "outage": "winter-storm",
        "changes": [{"kind": "outage", "id": "winter-storm", "body": wrong}]});
    let reply = api.post(&format!("{SITE}/outage"), ask).await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "begin where the other ends",
    );
    // And nothing is lost.
    assert_eq!(api.get(&at).await.body["body"], outage["body"]);
}
