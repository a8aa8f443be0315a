//! The log by API: what was done, what is due, how batteries age; what is odd is refused in a
//! sentence and nothing is lost.

use crate::common;

use axum::body::Body;
use axum::http::{Request, StatusCode, header};
use common::{Api, SITE, api, assert_problem, demo_api};
use image::{DynamicImage, ImageFormat, RgbImage};
use serde_json::{Value, json};
use std::io::Cursor;

fn log() -> String {
    format!("{SITE}/log")
}

async fn written(api: &Api, body: Value) -> Value {
    let reply = api.post(&log(), body).await;
    assert_eq!(reply.status, StatusCode::CREATED, "{}", reply.body);
    reply.body
}

async fn words(api: &Api, query: &str) -> Vec<String> {
    let body = api.get(&format!("{SITE}/log?{query}")).await.body;
    let entries = body["entries"]
        .as_array()
        .unwrap_or_else(|| panic!("{body}"));
    entries
        .iter()
        .map(|it| it["words"].as_str().unwrap().to_owned())
        .collect()
}

fn picture() -> Vec<u8> {
    let mut bytes = Vec::new();
    let it = DynamicImage::ImageRgb8(RgbImage::from_pixel(500, 300, image::Rgb([30, 90, 140])));
    it.write_to(&mut Cursor::new(&mut bytes), ImageFormat::Png)
        .unwrap();
    bytes
}

async fn give(api: &Api, entry: i64, name: &str, bytes: Vec<u8>) -> common::Reply {
    let path = format!("{SITE}/log/{entry}/files?name={name}");
    let request = Request::builder()
        .method("POST")
        .uri(path)
        .header(header::HOST, "127.0.0.1:8787");
    let request = request.header(header::CONTENT_TYPE, "application/octet-stream");
    api.send(request.body(Body::from(bytes)).unwrap()).await
}

#[tokio::test]
async fn a_line_is_kept_found_struck_and_never_lost() {
    let api = api();
    let it = written(
        &api,
        json!({"words": "Replaced the crimp at the gate camera", "at": "2026-03-01", "by": "Ada"}),
    )
    .await;
    assert_eq!(
        (&it["kind"], &it["item"]),
        (&json!("repair"), &json!("gate-camera"))
    );
    written(
        &api,
        json!({"words": "Cabin bank at rest 12.61 V", "at": "2026-04-01T08:15"}),
    )
    .await;
    assert_eq!(
        words(&api, "words=crim").await,
        ["Replaced the crimp at the gate camera"]
    );
    assert_eq!(words(&api, "item=cabin-bank").await.len(), 1);
    assert_eq!(words(&api, "kind=repair,purchase").await.len(), 1);
    assert_eq!(
        words(&api, "from=2026-03-15&to=2026-04-01").await,
        ["Cabin bank at rest 12.61 V"]
    );
    let entry = api.get(&format!("{SITE}/log?words=rest")).await.body["entries"][0].clone();
    assert_eq!(
        (&entry["day"], &entry["time"], &entry["door"]),
        (
            &json!("2026-04-01"),
            &json!("08:15"),
            &json!("/supply#cabin-bank")
        )
    );
    let strike = format!("{SITE}/log/{}", it["id"]);
    let reply = api
        .post(&strike, json!({"why": "it was the weir camera"}))
        .await;
    assert_eq!(reply.status, StatusCode::NO_CONTENT);
    let entry = api.get(&format!("{SITE}/log?words=crimp")).await.body["entries"][0].clone();
    assert_eq!(
        (&entry["struck"], &entry["by"]),
        (&json!("it was the weir camera"), &json!("Ada"))
    );
    api.post(&strike, json!({})).await;
    assert!(
        api.get(&format!("{SITE}/log?words=crimp")).await.body["entries"][0]["struck"].is_null()
    );

    // A change of the plan stands there by itself, and what took it back.
    let lamp = api.get(&format!("{SITE}/elements/device/lamps")).await;
    let mut body = lamp.body["body"].clone();
    body["phases"][0]["watts"] = json!(4);
    let tag = lamp.headers[header::ETAG].to_str().unwrap().to_owned();
    api.ask(
        "PUT",
        &format!("{SITE}/elements/device/lamps"),
        Some(body),
        Some(&tag),
    )
    .await;
    let test = json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"}});
    assert_eq!(
        api.post(&format!("{SITE}/tests"), test).await.status,
        StatusCode::CREATED
    );
    assert_eq!(
        words(&api, "kind=test&item=small-inverter").await.len(),
        1,
        "a test is about what it measures"
    );
    assert_eq!(words(&api, "kind=change&item=lamps").await.len(), 1);
    let first = api.get(&format!("{SITE}/log?limit=1")).await.body;
    assert!(first["next"].is_string());
    let behind = first["next"].as_str().unwrap();
    assert_eq!(
        words(&api, &format!("limit=5&behind={behind}")).await.len(),
        3
    );
}

#[tokio::test]
async fn what_is_odd_is_refused_in_a_sentence() {
    let api = api();
    let refused = StatusCode::UNPROCESSABLE_ENTITY;
    for (body, told) in [
        (json!({"words": "  "}), "words is empty"),
        (
            json!({"words": "x", "at": "2999-01-01"}),
            "at is \"2999-01-01\"",
        ),
        (json!({"words": "x", "at": "2150-01-01"}), "still to come"),
        (
            json!({"words": "x", "at": "the day before"}),
            "write a time as",
        ),
        (
            json!({"words": "x", "kind": "wish"}),
            "use note, repair, purchase, check",
        ),
        (json!({"words": "x", "item": "oven"}), "nothing of that id"),
        (
            json!({"words": "x", "item": "router", "replaced": true}),
            "no battery",
        ),
        (json!({"words": "a\u{202e}b"}), "cannot be shown"),
        (json!({"words": "x".repeat(2001)}), "2000 letters"),
        (json!({"words": "x", "colour": 1}), "colour"),
    ] {
        assert_problem(&api.post(&log(), body).await, refused, "refused", told);
    }
    for (query, told) in [
        ("from=2026-02-30", "from"),
        ("from=2026-03-01&to=2026-02-01", "to lies before"),
        ("behind=x", "behind"),
    ] {
        assert_problem(
            &api.get(&format!("{SITE}/log?{query}")).await,
            refused,
            "refused",
            told,
        );
    }
    assert!(words(&api, "words=%22%20OR%20%2A%28").await.is_empty());
    assert_eq!(
        api.post(&format!("{SITE}/log/77"), json!({"why": "x"}))
            .await
            .status,
        StatusCode::NOT_FOUND
    );
    assert_eq!(
        api.get("/api/sites/nowhere/log").await.status,
        StatusCode::NOT_FOUND
    );
}

#[tokio::test]
async fn a_picture_is_seen_by_its_content_and_stands_beside_its_entry() {
    let api = api();
    let id = written(&api, json!({"words": "New plug at the router"})).await["id"]
        .as_i64()
        .unwrap();
    let reply = give(&api, id, "plug.png", picture()).await;
    assert_eq!(reply.status, StatusCode::CREATED, "{}", reply.body);
    let file = &reply.body["entries"][0]["files"][0];
    assert_eq!(
        (&file["name"], &file["kind"], &file["has_thumb"]),
        (&json!("plug.png"), &json!("image/png"), &json!(true))
    );
    let at = format!("{SITE}/log/{id}/files/{}", file["id"]);
    let request = Request::builder()
        .uri(format!("{at}/small"))
        .header(header::HOST, "127.0.0.1:8787");
    let small = api.send(request.body(Body::empty()).unwrap()).await;
    assert_eq!(small.headers[header::CONTENT_TYPE], "image/jpeg");
    assert_eq!(small.headers[header::X_CONTENT_TYPE_OPTIONS], "nosniff");
    // What it calls itself does not matter.
    let refused = StatusCode::UNPROCESSABLE_ENTITY;
    assert_problem(
        &give(&api, id, "plug.png", b"MZ\x90\0not a picture".to_vec()).await,
        refused,
        "refused",
        "by its content",
    );
    assert_problem(
        &give(&api, id, "plug.jpg", b"\xff\xd8\xff\xe0broken".to_vec()).await,
        refused,
        "refused",
        "cannot be read",
    );
    assert_problem(
        &give(&api, id, "x", Vec::new()).await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "empty",
    );
    assert_problem(
        &give(&api, id, "x", vec![b'a'; (20 << 20) + 1]).await,
        StatusCode::PAYLOAD_TOO_LARGE,
        "large",
        "20 MB",
    );
    assert_eq!(
        give(&api, id + 9, "x.txt", b"text".to_vec()).await.status,
        StatusCode::NOT_FOUND
    );
    let page = give(&api, id, "note.html", b"<script>alert(1)</script>".to_vec()).await;
    let file = page.body["entries"][0]["files"][1]["id"].clone();
    let request = Request::builder()
        .uri(format!("{SITE}/log/{id}/files/{file}/file"))
        .header(header::HOST, "127.0.0.1:8787");
    let given = api.send(request.body(Body::empty()).unwrap()).await;
    assert_eq!(
        given.headers[header::CONTENT_TYPE],
        "text/plain; charset=utf-8"
    );
    assert!(
        given.headers[header::CONTENT_DISPOSITION]
            .to_str()
            .unwrap()
            .starts_with("attachment")
    );
}

#[tokio::test]
async fn the_log_goes_out_and_in_again_to_the_same() {
    let here = api();
    for (words, at) in [
        ("=cmd, \"quoted\"\nsecond line", "2026-01-02"),
        ("-12.61 V at rest", "2026-01-03T10:00"),
        ("naïve Café", "2026-01-04"),
    ] {
        written(&here, json!({"words": words, "at": at, "by": "Ada"})).await;
    }
    let id = written(&here, json!({"words": "struck", "at": "2026-01-05"})).await["id"].clone();
    here.post(&format!("{SITE}/log/{id}"), json!({"why": "twice"}))
        .await;
    let whole = here.get(&format!("{SITE}/log/whole")).await.body;
    assert_eq!(whole["entries"].as_array().unwrap().len(), 4);
    let csv = here.raw(&format!("{SITE}/log/log.csv")).await;
    assert!(csv.contains("'=cmd") && csv.contains("'-12.61"), "{csv}");
    for text in [whole.to_string(), csv] {
        let there = api();
        let look = there
            .post(&format!("{SITE}/log/import"), json!({"text": text}))
            .await
            .body;
        assert_eq!(
            (&look["new"], &look["known"], &look["kept"]),
            (&json!(4), &json!(0), &json!(false)),
            "{look}"
        );
        assert!(words(&there, "").await.is_empty(), "looked at only");
        let kept = there
            .post(
                &format!("{SITE}/log/import"),
                json!({"text": text, "keep": true}),
            )
            .await
            .body;
        assert_eq!((&kept["new"], &kept["kept"]), (&json!(4), &json!(true)));
        assert_eq!(there.get(&format!("{SITE}/log/whole")).await.body, whole);
        let again = there
            .post(
                &format!("{SITE}/log/import"),
                json!({"text": text, "keep": true}),
            )
            .await
            .body;
        assert_eq!(
            (&again["new"], &again["known"]),
            (&json!(0), &json!(4)),
            "importing twice doubles nothing"
        );
    }
}

#[tokio::test]
async fn a_table_of_ones_own_is_read_by_its_columns() {
    let api = api();
    let text = "Date;Device;Remark;Reading\n14.03.2025;Cabin bank;resting;12.61\n3/4/2025;;new \
        fuse at the router;\n2999-01-01;;later;\n;;no day;\n";
    let look = api
        .post(&format!("{SITE}/log/import"), json!({"text": text}))
        .await
        .body;
    assert_eq!(
        look["columns"],
        json!([
            "date: when",
            "device: what it is about",
            "remark: what happened",
            "reading: a value, put to the words"
        ])
    );
    assert_eq!(look["new"], 2, "{look}");
    let refused = look["refused"].as_array().unwrap();
    assert_eq!(refused.len(), 2, "{refused:?}");
    assert!(
        refused[0]
            .as_str()
            .unwrap()
            .starts_with("row 3: at is \"2999"),
        "{refused:?}"
    );
    assert_eq!(refused[1], "row 4: at is empty; give a day");
    api.post(
        &format!("{SITE}/log/import"),
        json!({"text": text, "keep": true}),
    )
    .await;
    let entries = api
        .get(&format!("{SITE}/log?from=2025-03-14&to=2025-03-14"))
        .await
        .body["entries"]
        .clone();
    assert_eq!(
        (&entries[0]["item"], &entries[0]["words"]),
        (&json!("cabin-bank"), &json!("resting, reading 12.61"))
    );
    assert_eq!(
        words(&api, "kind=repair&item=router").await,
        ["new fuse at the router"]
    );
    let refused = StatusCode::UNPROCESSABLE_ENTITY;
    assert_problem(
        &api.post(&format!("{SITE}/log/import"), json!({"text": "a,b\n1,2\n"}))
            .await,
        refused,
        "refused",
        "no column of dates",
    );
    assert_problem(
        &api.post(
            &format!("{SITE}/log/import"),
            json!({"text": "date,b\n1,2\n"}),
        )
        .await,
        refused,
        "refused",
        "words or values",
    );
    assert_problem(
        &api.post(
            &format!("{SITE}/log/import"),
            json!({"text": "{\"format\": 1}"}),
        )
        .await,
        refused,
        "refused",
        "is no log",
    );
}

fn check<'a>(told: &'a Value, id: &str) -> &'a Value {
    told["checks"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["id"] == id)
        .unwrap_or_else(|| panic!("{id}: {told}"))
}

#[tokio::test]
async fn checks_are_done_put_off_left_out_and_made() {
    let api = demo_api();
    let due = format!("{SITE}/due");
    let told = api.get(&due).await.body;
    assert!(told["never"].as_u64().unwrap() > 1, "{told}");
    // A capacity test of the bench is the check that asks for it.
    let capacity = check(&told, "capacity/cabin-bank");
    assert_eq!(
        (&capacity["last"], &capacity["protocol"]),
        (&json!("2025-11-08"), &json!("capacity"))
    );
    let done = api
        .post(
            &due,
            json!({"check": "top-up/house-bank", "did": "done", "on": "2025-01-05", "note": "loud \
                enough", "by": "Ada"}),
        )
        .await;
    assert_eq!(done.status, StatusCode::OK, "{}", done.body);
    let alarm = check(&done.body, "top-up/house-bank");
    assert_eq!(
        (&alarm["last"], &alarm["due"]),
        (&json!("2025-01-05"), &json!("2026-01-05"))
    );
    assert!(alarm["overdue_days"].as_i64().unwrap() > 0);
    assert_eq!(
        done.body["overdue"].as_u64(),
        Some(1 + told["overdue"].as_u64().unwrap())
    );
    assert!(
        words(&api, "words=loud%20enough").await == ["Top up House bank. loud enough"],
        "it stands in the log"
    );
    let today: jiff::civil::Date = told["today"].as_str().unwrap().parse().unwrap();
    let later = today
        .checked_add(jiff::ToSpan::days(20))
        .unwrap()
        .to_string();
    let put_off = api
        .post(
            &due,
            json!({"check": "top-up/house-bank", "did": "put-off", "until": later}),
        )
        .await
        .body;
    assert_eq!(
        (
            &check(&put_off, "top-up/house-bank")["due"],
            &check(&put_off, "top-up/house-bank")["in_days"]
        ),
        (&json!(later), &json!(20))
    );
    let left = api
        .post(
            &due,
            json!({"check": "transfer/router-pack", "did": "left-out", "note": "the shop \
            is next door"}),
        )
        .await
        .body;
    assert_eq!(
        check(&left, "transfer/router-pack")["left_out"],
        "the shop is next door"
    );
    let own = json!({"title": "Look under the van", "item": "van", "every_days": 14,
        "first": "2026-01-01"});
    let made = api.post(&format!("{due}/own"), own).await;
    assert_eq!(made.status, StatusCode::CREATED, "{}", made.body);
    let mine = made.body["checks"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["rule"] == "own")
        .unwrap()
        .clone();
    assert_eq!(mine["title"], "Look under the van");
    assert!(mine["overdue_days"].as_i64().unwrap() > 0);
    // Once its entry is struck it is gone.
    let entry = mine["id"]
        .as_str()
        .unwrap()
        .trim_start_matches("own/")
        .to_owned();
    api.post(
        &format!("{SITE}/log/{entry}"),
        json!({"why": "the van is sold"}),
    )
    .await;
    assert!(
        !api.get(&due).await.body["checks"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["rule"] == "own")
    );
    let refused = StatusCode::UNPROCESSABLE_ENTITY;
    for (body, words) in [
        (
            json!({"check": "oven", "did": "done"}),
            "nothing of that id",
        ),
        (
            json!({"check": "spares", "did": "put-off"}),
            "until is left out",
        ),
        (
            json!({"check": "spares", "did": "put-off", "until": "2020-01-01"}),
            "from tomorrow",
        ),
        (json!({"check": "spares", "did": "left-out"}), "say why"),
        (
            json!({"check": "spares", "did": "done", "on": "2150-01-01"}),
            "still to come",
        ),
    ] {
        assert_problem(&api.post(&due, body).await, refused, "refused", words);
    }
    let zero = json!({"title": "x", "every_days": 0});
    assert_problem(
        &api.post(&format!("{due}/own"), zero).await,
        refused,
        "refused",
        "every_days is 0",
    );
}

#[tokio::test]
async fn the_calendar_has_ids_that_stay_and_moves_what_was_done() {
    let api = demo_api();
    let events = async || {
        let text = api.raw(&format!("{SITE}/due/calendar.ics")).await;
        let calendar: icalendar::Calendar = text.parse().unwrap();
        let found: std::collections::BTreeMap<String, String> = calendar
            .iter()
            .filter_map(icalendar::CalendarComponent::as_event)
            .map(|it| {
                let of = |name| {
                    icalendar::Component::property_value(it, name)
                        .unwrap_or_default()
                        .to_owned()
                };
                (of("UID"), of("DTSTART"))
            })
            .collect();
        found
    };
    let first = events().await;
    assert!(
        first.len() > 8 && first.contains_key("hollin-lock-smoke-alarm@ash-pond"),
        "{first:?}"
    );
    assert_eq!(
        first,
        events().await,
        "twice the same: importing it twice moves nothing"
    );
    api.post(
        &format!("{SITE}/due"),
        json!({"check": "top-up/house-bank", "did": "done", "on": "2025-01-05"}),
    )
    .await;
    let then = events().await;
    assert_eq!(
        first.keys().collect::<Vec<_>>(),
        then.keys().collect::<Vec<_>>()
    );
    assert_eq!(then["hollin-lock-top-up-house-bank@ash-pond"], "20260105");
}

#[tokio::test]
async fn the_cabin_bank_of_the_demo_ages_by_its_tests_and_begins_anew_when_it_is_replaced() {
    let api = demo_api();
    let of = async || {
        let body = api.get(&format!("{SITE}/batteries")).await.body;
        body["batteries"]
            .as_array()
            .unwrap()
            .iter()
            .find(|it| it["source"] == "cabin-bank")
            .unwrap()
            .clone()
    };
    let it = of().await;
    assert_eq!(it["points"].as_array().unwrap().len(), 3);
    assert!(
        (45.0..62.0).contains(&it["now"]["value"].as_f64().unwrap()),
        "{}",
        it["now"]
    );
    assert!(
        it["sentence"]
            .as_str()
            .unwrap()
            .starts_with("Cabin bank holds "),
        "{}",
        it["sentence"]
    );
    assert!(
        it["crossings"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["year"].is_number()),
        "{}",
        it["crossings"]
    );
    written(
        &api,
        json!({"words": "New cabin bank, same make", "item": "cabin-bank", "at": "2026-02-01",
            "replaced": true}),
    )
    .await;
    let it = of().await;
    assert_eq!(
        (
            it["points"].as_array().unwrap().len(),
            it["before"].as_array().unwrap().len()
        ),
        (0, 3)
    );
}

#[tokio::test]
async fn a_watch_stands_in_the_log_with_what_it_told_of_the_bank() {
    let api = demo_api();
    let csv = "time_s,source,volts,amps,percent\n0,house-bank,13.3,7.2,98\n\
        3600,house-bank,13.25,7.1,91\n7200,house-bank,13.2,7.2,84\n10800,house-bank,13.18,7.1,77\n";
    let past = json!({"arrangement": "direct", "outage": "winter-storm",
        "start": "2026-01-14T17:30", "csv": csv});
    let begun = api.post(&format!("{SITE}/watches/past"), past).await;
    assert_eq!(begun.status, StatusCode::CREATED, "{}", begun.body);
    let entries = api.get(&format!("{SITE}/log?kind=watch")).await.body["entries"].clone();
    let all: Vec<&str> = entries
        .as_array()
        .unwrap()
        .iter()
        .map(|it| it["words"].as_str().unwrap())
        .collect();
    assert!(
        all.iter()
            .any(|it| it.contains("was brought in: 3 h from 2026-01-14T17:30")),
        "{all:?}"
    );
    assert!(
        all.iter()
            .any(|it| it.starts_with("House bank went down by 2")),
        "{all:?}"
    );
    assert_eq!(entries[0]["day"], "2026-01-14");
}

#[tokio::test]
async fn an_item_is_told_at_a_glance() {
    let api = demo_api();
    let it = api.get(&format!("{SITE}/items/cabin-bank")).await.body;
    assert_eq!(it["label"], "Cabin bank");
    assert!(
        it["carries"][0]
            .as_str()
            .unwrap()
            .contains("out of it while everything runs"),
        "{it}"
    );
    assert!(
        it["last_test"]
            .as_str()
            .unwrap()
            .starts_with("2025-11-08: 62 ± 3 Ah"),
        "{it}"
    );
    let camera = api.get(&format!("{SITE}/items/weir-camera")).await.body;
    assert!(
        camera["findings"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it.as_str().unwrap().contains("Weir camera")),
        "{camera}"
    );
    assert!(
        camera["carries"][0].as_str().unwrap().contains("into it"),
        "{camera}"
    );
    assert_eq!(
        api.get(&format!("{SITE}/items/oven")).await.status,
        StatusCode::NOT_FOUND
    );
}

#[tokio::test]
async fn the_report_says_what_to_do_and_escapes_what_a_person_wrote() {
    let api = demo_api();
    let words =
        json!({"calls": "<b>Ada</b> & Tom: 0100 200", "words": "The key hangs in the mill."});
    assert_eq!(
        api.post(&format!("{SITE}/report"), words.clone())
            .await
            .status,
        StatusCode::NO_CONTENT
    );
    assert_eq!(api.get(&format!("{SITE}/report")).await.body, words);
    let page = api.raw(&format!("{SITE}/report.html")).await;
    assert!(
        page.contains("&lt;b&gt;Ada&lt;/b&gt; &amp; Tom"),
        "what a person wrote is text"
    );
    for part in [
        "Router lasts 10.7 h",
        "For 35 min at most: the filter dies",
        "Diesel heater does not come back by itself",
        "Measure the capacity of Cabin bank",
        "The key hangs in the mill.",
    ] {
        assert!(page.contains(part), "{part}");
    }
    assert!(!page.contains('\u{f0000}'), "every sentence is rendered");
    // One file with everything inside, where the front end with its font is built in.
    let front = api.get("/assets/none.js").await.status == StatusCode::NOT_FOUND
        && !api.raw("/").await.contains("is not built into this binary");
    assert_eq!(page.contains("src: url(data:font/woff2;base64,"), front);
    assert!(
        !page.contains("src=\"http") && !page.contains("url(http") && !page.contains("<link"),
        "nothing from elsewhere"
    );
    let feet = api.raw(&format!("{SITE}/report.html?habits=ft")).await;
    assert!(feet.contains(" ft of "), "by the reader's habits");
    let labels = api
        .raw(&format!("{SITE}/labels.html?sheet=99x57&secure=true"))
        .await;
    assert!(labels.contains("https://127.0.0.1:8787") && labels.contains("Fuse 40 A"));
    assert!(
        labels.contains("For 35 min at most: the filter dies"),
        "where its switch is"
    );
    let refused = StatusCode::UNPROCESSABLE_ENTITY;
    assert_problem(
        &api.get(&format!("{SITE}/labels.html?sheet=a3")).await,
        refused,
        "refused",
        "70x36",
    );
    assert_problem(
        &api.get(&format!("{SITE}/report.html?outage=flood")).await,
        refused,
        "refused",
        "no outage has that id",
    );
    assert_problem(
        &api.get(&format!("{SITE}/report.html?arrangement=x")).await,
        refused,
        "refused",
        "no arrangement",
    );
    assert_problem(
        &api.post(
            &format!("{SITE}/report"),
            json!({"calls": "x".repeat(2001)}),
        )
        .await,
        refused,
        "refused",
        "calls",
    );
}
