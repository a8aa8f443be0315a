//! The bench by the API: tests begun, kept, used and taken back.

use crate::common;

use axum::body::{Body, Bytes};
use axum::http::{Request, StatusCode, header};
use common::{SITE, api, assert_problem};
use futures::{StreamExt as _, stream};
use serde_json::{Value, json};
use tower::ServiceExt as _;

fn idle(amps: f64) -> Value {
    json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"},
        "meters": [{"share": 0.005, "step": 0.01}, {"share": 0.01, "step": 0.001}],
        "rows": [{"values": [12.5, amps]}, {"values": [12.5, amps]}, {"values": [12.4, amps]}],
            "note": "18 °C"})
}

#[tokio::test]
async fn a_test_is_kept_previewed_used_and_taken_back() {
    let api = api();
    let before = api.get(&format!("{SITE}/plan")).await.body;
    assert_eq!(
        api.get("/api/bench").await.body["guides"]
            .as_array()
            .unwrap()
            .len(),
        19
    );
    let begun = api.post(&format!("{SITE}/tests"), idle(0.49)).await;
    assert_eq!(
        (begun.status, &begun.body["id"]),
        (StatusCode::CREATED, &json!("idle-small-inverter")),
        "{}",
        begun.body
    );
    let again = api.post(&format!("{SITE}/tests"), idle(0.5)).await;
    assert_eq!(again.body["id"], "idle-small-inverter-2");
    let kept = api
        .ask(
            "PUT",
            &format!("{SITE}/tests/idle-small-inverter"),
            Some(idle(0.48)),
            Some("*"),
        )
        .await;
    assert!(
        kept.body["outcome"]["sentence"]
            .as_str()
            .unwrap()
            .starts_with("Idle 5.98"),
        "{}",
        kept.body
    );
    assert_eq!(
        (&kept.body["in_use"], &kept.body["wrong"]),
        (&json!(false), &Value::Null)
    );

    let preview = api
        .post(
            &format!("{SITE}/tests/idle-small-inverter/preview"),
            Value::Null,
        )
        .await;
    let ways = preview.body["arrangements"].as_array().unwrap();
    let camera = ways
        .iter()
        .find(|it| it["id"] == "camera-inverter")
        .unwrap();
    let day = camera["difference"]["rows"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["name"] == "a day")
        .unwrap();
    assert!(day["after"].as_f64() < day["before"].as_f64(), "{day}");
    assert!(
        !ways.iter().any(|it| it["id"] == "camera-direct"),
        "an arrangement without it does not change"
    );
    assert_eq!(
        api.get(&format!("{SITE}/plan")).await.body["plan"],
        before["plan"]
    );

    let used = api
        .post(
            &format!("{SITE}/tests/idle-small-inverter/use"),
            Value::Null,
        )
        .await;
    assert_eq!(used.status, StatusCode::OK, "{}", used.body);
    let inverter = |plan: &Value| {
        plan["kit"]["converters"]
            .as_array()
            .unwrap()
            .iter()
            .find(|it| it["id"] == "small-inverter")
            .unwrap()["loss"]["idle_w"]
            .clone()
    };
    let figure = inverter(&used.body["plan"]);
    assert_eq!(
        (&figure["basis"], &figure["test"]),
        (&json!("measured"), &json!("idle-small-inverter"))
    );
    let list = api.get(&format!("{SITE}/tests")).await.body;
    let mine = list["tests"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["id"] == "idle-small-inverter")
        .unwrap()
        .clone();
    assert_eq!(mine["in_use"], true);
    let back = api
        .post(
            &format!("{SITE}/tests/idle-small-inverter/take-back"),
            Value::Null,
        )
        .await;
    assert_eq!(back.body["plan"], before["plan"]);
    let twice = api
        .post(
            &format!("{SITE}/tests/idle-small-inverter/take-back"),
            Value::Null,
        )
        .await;
    assert_problem(
        &twice,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "not in use",
    );
    // Used and undone by the journal, it is not in use either.
    api.post(
        &format!("{SITE}/tests/idle-small-inverter/use"),
        Value::Null,
    )
    .await;
    api.post(&format!("{SITE}/undo"), Value::Null).await;
    let list = api.get(&format!("{SITE}/tests")).await.body;
    assert!(
        list["tests"]
            .as_array()
            .unwrap()
            .iter()
            .all(|it| it["in_use"] == false),
        "{list}"
    );
}

#[tokio::test]
async fn files_stay_with_their_test_and_bad_tests_name_the_field() {
    let api = api();
    let text = include_str!("../../core/tests/cases/bench/capture-ac-switchover.csv");
    let of = json!({"kind": "source", "id": "station"});
    let begun = api
        .post(
            &format!("{SITE}/tests"),
            json!({"protocol": "switchover", "of": of}),
        )
        .await;
    assert_eq!(begun.status, StatusCode::CREATED, "{}", begun.body);
    let path = format!("{SITE}/tests/switchover-station/file");
    assert_eq!(api.get(&path).await.status, StatusCode::NOT_FOUND);
    let given = api
        .text("PUT", &format!("{path}?name=scope.csv"), text)
        .await;
    assert_eq!(given.status, StatusCode::OK, "{}", given.body);
    assert!(
        given.body["outcome"]["capture"]["dead_ms"]
            .as_f64()
            .unwrap()
            > 16.0,
        "{}",
        given.body
    );
    assert_eq!(
        (&given.body["has_file"], &given.body["test"]["file"]["name"]),
        (&json!(true), &json!("scope.csv"))
    );
    assert_eq!(
        given.body["outcome"]["plot"]["marks"]
            .as_array()
            .unwrap()
            .len(),
        2
    );
    // Kept again, its file stays; and what somebody else says that it shows is not believed.
    let noted = json!({"protocol": "switchover", "of": of, "note": "40 W on it"});
    let kept = api
        .ask(
            "PUT",
            &format!("{SITE}/tests/switchover-station"),
            Some(noted),
            Some("*"),
        )
        .await;
    assert_eq!(
        kept.body["test"]["file"], given.body["test"]["file"],
        "{}",
        kept.body
    );
    let forged = json!({"protocol": "switchover", "of": of, "file": {"name": "x", "rows": 1,
        "seconds": 1, "remarks": [], "trace": []}});
    let kept = api
        .ask(
            "PUT",
            &format!("{SITE}/tests/switchover-station"),
            Some(forged),
            Some("*"),
        )
        .await;
    assert_eq!(kept.body["test"]["file"], given.body["test"]["file"]);
    assert_eq!(api.raw(&path).await, text);
    // A wrong file names the place, and the one before stays.
    let wrong = api.text("PUT", &path, "time_s,volts\n0,5\n1,lots\n").await;
    assert_problem(
        &wrong,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "row 3, column 2",
    );
    assert_eq!(api.raw(&path).await, text);
    // Columns that no head names are what somebody says.
    let bare = text.replacen("time_s,volts", "first,second", 1);
    let unsaid = api.text("PUT", &path, &bare).await;
    assert_problem(
        &unsaid,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no column of times",
    );
    let said = api
        .text("PUT", &format!("{path}?columns=time,volts"), &bare)
        .await;
    assert_eq!(
        said.body["outcome"]["capture"],
        given.body["outcome"]["capture"]
    );
    let spoons = api
        .text("PUT", &format!("{path}?columns=time,spoons"), &bare)
        .await;
    assert_problem(
        &spoons,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "nothing that a column holds",
    );
    let looked = api
        .text(
            "POST",
            "/api/bench/look",
            "# scope\ntime (ms);CH1 [V]\n0;1,5\n0,1;2\n0,2;2.",
        )
        .await;
    let columns = &looked.body["columns"];
    assert_eq!(
        (&columns[0]["holds"], &columns[0]["scale"]),
        (&json!("time"), &json!(0.001))
    );
    assert_eq!(
        (&columns[1]["head"], &columns[1]["first"]),
        (&json!("CH1 [V]"), &json!([1.5, 2.0]))
    );
    let looked = api
        .text("POST", "/api/bench/look?columns=other,volts", "a,b\n1,2\n")
        .await;
    assert_eq!(
        looked.body["columns"][1]["holds"], "volts",
        "{}",
        looked.body
    );
    for (body, says) in [
        (
            json!({"protocol": "idle", "of": {"kind": "converter", "id": "nobody"}}),
            "not there",
        ),
        (
            json!({"protocol": "juggling", "of": {"kind": "converter", "id": "small-inverter"}}),
            "no such test",
        ),
        (
            json!({"protocol": "profile", "of": {"kind": "device", "id": "router", "part": "x"}}),
            "does not have",
        ),
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
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no figure to use yet",
    );
    assert_eq!(
        api.get(&format!("{SITE}/tests/nothing/file")).await.status,
        StatusCode::NOT_FOUND
    );
}

#[tokio::test]
async fn a_long_file_comes_in_parts_and_goes_out_the_same() {
    let api = api();
    let of = json!({"kind": "device", "id": "gate-camera"});
    api.post(
        &format!("{SITE}/tests"),
        json!({"protocol": "profile", "of": of}),
    )
    .await;
    let mut text = String::from("time_s,watts\n");
    for second in 0..200_000 {
        let watts = if second % 3600 < 30 {
            0.05
        } else if second % 3600 < 70 {
            11.0
        } else {
            5.5
        };
        text += &format!("{second},{watts}\n");
    }
    assert!(text.len() > 1 << 20, "more than one part");
    let path = format!("{SITE}/tests/profile-gate-camera/file");
    let given = api.text("PUT", &path, &text).await;
    assert_eq!(
        given.body["test"]["file"]["rows"], 200_000,
        "{}",
        given.body
    );
    assert!(
        given.body["outcome"]["plot"]["trace"]
            .as_array()
            .unwrap()
            .len()
            <= 900
    );
    assert_eq!(api.raw(&path).await, text);
    let used = api
        .post(
            &format!("{SITE}/tests/profile-gate-camera/use"),
            Value::Null,
        )
        .await;
    assert_eq!(used.status, StatusCode::OK, "{}", used.body);
    let list = api.get(&format!("{SITE}/tests")).await.body;
    assert_eq!(
        (&list["tests"][0]["in_use"], &list["tests"][0]["id"]),
        (&json!(true), &json!("profile-gate-camera"))
    );
}

#[tokio::test]
async fn instruments_are_described_once_and_kept_as_they_were() {
    let api = api();
    let put = async |name: &str, body: Value| {
        api.ask(
            "PUT",
            &format!("/api/bench/instruments/{name}"),
            Some(body),
            Some("*"),
        )
        .await
    };
    let kept = put("clamp", json!({"share": 0.02, "step": 0.01})).await;
    assert_eq!(
        kept.body["instruments"],
        json!([{"name": "clamp", "share": 0.02, "fixed": 0.0, "step": 0.01}])
    );
    let mut test = idle(0.49);
    test["meters"][1] = kept.body["instruments"][0].clone();
    api.post(&format!("{SITE}/tests"), test).await;
    put("clamp", json!({"share": 0.2})).await;
    let list = api.get(&format!("{SITE}/tests")).await.body;
    assert_eq!(
        list["tests"][0]["test"]["meters"][1]["share"], 0.02,
        "a test keeps what its meter was"
    );
    assert_eq!(list["tests"][0]["readings"][1]["unit"], "A");
    let wrong = put("clamp", json!({"share": -1})).await;
    assert_problem(
        &wrong,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "0 or more",
    );
    let gone = api
        .ask("DELETE", "/api/bench/instruments/clamp", None, None)
        .await;
    assert_eq!(gone.body["instruments"], json!([]));
}

#[tokio::test]
async fn the_past_of_a_figure_tells_what_was_said_of_it_and_which_stands_and_why() {
    let api = common::demo_api();
    // Three tests of the cabin bank, of which the last stands.
    let at = format!("{SITE}/past/source/cabin-bank?path=battery.capacity_ah");
    let past = api.get(&at).await.body;
    let rows = past["rows"].as_array().unwrap().clone();
    assert_eq!(
        (rows.len(), &rows[2]["stands"], &rows[2]["test"]),
        (3, &json!(true), &json!("capacity-cabin-bank-3")),
        "{past}"
    );
    assert!(
        rows[..2]
            .iter()
            .all(|it| it["sort"] == "test" && it["stands"] == false && it["at"].is_string()),
        "{past}"
    );
    let said = past["sentence"].as_str().unwrap();
    assert!(
        said.starts_with("62 ± 3 Ah, measured by its test, stands in place of")
            && said.contains("later measurement"),
        "{said}"
    );
    assert_eq!(
        (&past["label"], &past["unit"]),
        (&json!("Cabin bank"), &json!("Ah"))
    );
    // Typed over, it says so; what it was stays.
    let mut body = api
        .get(&format!("{SITE}/elements/source/cabin-bank"))
        .await
        .body;
    let mut bank = body["body"].take();
    bank["battery"]["capacity_ah"] = json!({"value": 70, "basis": "label"});
    let path = format!("{SITE}/elements/source/cabin-bank");
    let put = api.ask("PUT", &path, Some(bank), Some("*")).await;
    assert!(put.status.is_success(), "{}", put.body);
    let past = api.get(&at).await.body;
    let said = past["sentence"].as_str().unwrap();
    assert!(
        said.starts_with(
            "70 Ah, from its label, stands in place of 62 ± 3 Ah, measured by its \
        test: it was typed over what was surer."
        ),
        "{said}"
    );
    let rows = past["rows"].as_array().unwrap();
    assert_eq!(rows.iter().filter(|it| it["stands"] == true).count(), 1);
    assert_eq!(
        (
            &rows.last().unwrap()["value"],
            &rows.last().unwrap()["sort"]
        ),
        (&json!(70.0), &json!("change"))
    );
    // Where anything has a past is told of the whole site.
    let all = api.get(&format!("{SITE}/past")).await.body;
    let has = |path: &str| {
        all["figures"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| it["id"] == "cabin-bank" && it["path"] == path)
    };
    assert!(
        has("battery.capacity_ah") && !has("battery.floor_soc"),
        "{all}"
    );
    let refused = api
        .get(&format!(
            "{SITE}/past/moon/cabin-bank?path=battery.capacity_ah"
        ))
        .await;
    assert_problem(
        &refused,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no kind",
    );
    let refused = api
        .get(&format!("{SITE}/past/source/moon?path=battery.capacity_ah"))
        .await;
    assert_eq!(refused.status, StatusCode::NOT_FOUND);
}

/// What a list names as a figure is one that can be asked for its past, by the place that the list
/// gives, and which stands is what it shows.
#[tokio::test]
async fn figures_that_lists_name_have_a_past_that_can_be_asked_for() {
    let api = common::demo_api();
    let lists = [
        api.post(&format!("{SITE}/matters"), json!({})).await.body,
        api.post(
            &format!("{SITE}/decides"),
            json!({"arrangements": ["camera-direct", "camera-inverter"]}),
        )
        .await
        .body,
    ];
    let mut asked = 0;
    for it in lists
        .iter()
        .flat_map(|it| it["figures"].as_array().unwrap())
    {
        let word = |key: &str| it[key].as_str().unwrap();
        let past = api
            .get(&format!(
                "{SITE}/past/{}/{}?path={}",
                word("kind"),
                word("id"),
                word("path")
            ))
            .await;
        assert_eq!(past.status, StatusCode::OK, "{it}: {}", past.body);
        let stands = past.body["rows"].as_array().unwrap().last().unwrap();
        assert_eq!(stands["value"].as_f64(), it["value"].as_f64(), "{it}");
        asked += 1;
    }
    assert!(asked > 5, "{asked}");
}

#[tokio::test]
async fn the_demo_s_history_shows_a_label_that_was_wrong_and_a_later_test_offers_itself() {
    let api = common::demo_api();
    let list = api.get(&format!("{SITE}/tests")).await.body;
    let find = |list: &Value, id: &str| {
        list["tests"]
            .as_array()
            .unwrap()
            .iter()
            .find(|it| it["id"] == id)
            .unwrap()
            .clone()
    };
    let used = find(&list, "capacity-cabin-bank-3");
    assert_eq!(
        (&used["in_use"], &used["offers"]),
        (&json!(true), &Value::Null),
        "{used}"
    );
    let figure = &used["outcome"]["figures"][0];
    // What is in use is what the test says, to what anybody could read.
    assert!(
        (figure["value"].as_f64().unwrap() - 62.0).abs() < 0.1,
        "{figure}"
    );
    assert!(
        (figure["plus_minus"].as_f64().unwrap() - 3.0).abs() < 0.2,
        "{figure}"
    );
    assert!(
        list["tests"]
            .as_array()
            .unwrap()
            .iter()
            .all(|it| it["wrong"].is_null()),
        "{list}"
    );
    let history = api
        .get(&format!("{SITE}/history/source/cabin-bank"))
        .await
        .body;
    let figure = &history["figures"][0];
    assert_eq!(figure["points"].as_array().unwrap().len(), 3, "{history}");
    assert!(
        figure["drift_per_year"].as_f64().unwrap() < -5.0,
        "{figure}"
    );
    assert!(
        figure["sentence"]
            .as_str()
            .unwrap()
            .starts_with("Falls by 6 ± 2 Ah a year"),
        "{figure}"
    );
    // Earlier tests offer nothing; a later one does.
    assert_eq!(find(&list, "capacity-cabin-bank")["offers"], Value::Null);
    let mut later = used["test"].clone();
    later["rows"]
        .as_array_mut()
        .unwrap()
        .iter_mut()
        .for_each(|it| it["values"][2] = json!(2.8));
    let begun = api.post(&format!("{SITE}/tests"), later).await;
    assert_eq!(begun.body["id"], "capacity-cabin-bank-4");
    let list = api.get(&format!("{SITE}/tests")).await.body;
    let offers = find(&list, "capacity-cabin-bank-4")["offers"].clone();
    assert_eq!(
        offers,
        json!({"figure": "capacity", "test": "capacity-cabin-bank-3"})
    );
    // Used, it replaces the earlier one; taken back, that one is in use again.
    api.post(
        &format!("{SITE}/tests/capacity-cabin-bank-4/use"),
        Value::Null,
    )
    .await;
    let list = api.get(&format!("{SITE}/tests")).await.body;
    assert_eq!(
        (
            &find(&list, "capacity-cabin-bank-4")["in_use"],
            &find(&list, "capacity-cabin-bank-3")["in_use"]
        ),
        (&json!(true), &json!(false))
    );
    api.post(
        &format!("{SITE}/tests/capacity-cabin-bank-4/take-back"),
        Value::Null,
    )
    .await;
    let list = api.get(&format!("{SITE}/tests")).await.body;
    assert_eq!(find(&list, "capacity-cabin-bank-3")["in_use"], true);
    // And taken back itself, the label is back.
    let back = api
        .post(
            &format!("{SITE}/tests/capacity-cabin-bank-3/take-back"),
            Value::Null,
        )
        .await;
    let sources = back.body["plan"]["kit"]["sources"].as_array().unwrap();
    let bank = sources.iter().find(|it| it["id"] == "cabin-bank").unwrap();
    assert_eq!(
        bank["battery"]["capacity_ah"],
        json!({"value": 80, "basis": "label"})
    );
}

#[tokio::test]
async fn what_to_measure_next_is_worth_its_minutes() {
    let api = api();
    let found = api.get(&format!("{SITE}/next")).await.body;
    let next = found["next"].as_array().unwrap();
    assert!(next.len() >= 4 && next[0]["share"] == 1.0, "{found}");
    let rates: Vec<f64> = next
        .iter()
        .map(|it| it["weight"].as_f64().unwrap() / it["minutes"].as_f64().unwrap())
        .collect();
    assert!(rates.windows(2).all(|it| it[0] >= it[1]), "{rates:?}");
    for it in next {
        // Each can be begun as it is told.
        let body = json!({"protocol": it["protocol"], "of": it["of"]});
        let begun = api.post(&format!("{SITE}/tests"), body).await;
        assert_eq!(begun.status, StatusCode::CREATED, "{it}: {}", begun.body);
    }
    // What was measured is not told again.
    let first = next
        .iter()
        .find(|it| it["protocol"] == "idle" && it["of"]["id"] == "small-inverter");
    assert!(first.is_some(), "{found}");
    let mut test = idle(0.49);
    test["note"] = json!("");
    let begun = api.post(&format!("{SITE}/tests"), test).await;
    api.post(
        &format!("{SITE}/tests/{}/use", begun.body["id"].as_str().unwrap()),
        Value::Null,
    )
    .await;
    let after = api.get(&format!("{SITE}/next")).await.body;
    let again = |it: &&Value| it["protocol"] == "idle" && it["of"]["id"] == "small-inverter";
    assert!(
        !after["next"]
            .as_array()
            .unwrap()
            .iter()
            .any(|it| again(&it)),
        "{after}"
    );
}

#[tokio::test]
async fn meters_are_read_and_one_that_goes_away_is_said_so() {
    let api = api();
    let plan = ash_pond_core::site::plan::Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap().to_string();
    let bench = ash_pond_stand_ins::bench_meter::Bench::new(plan.clone()).unwrap();
    let serving = tokio::spawn(ash_pond_stand_ins::bench_meter::serve(listener, bench));
    let monitor = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let battery = monitor.local_addr().unwrap().to_string();
    let watched = ash_pond_stand_ins::battery_monitor::Monitor::new(plan, "house-bank").unwrap();
    tokio::spawn(ash_pond_stand_ins::battery_monitor::serve(monitor, watched));
    let put = async |id: &str, speaks: &str, address: &str| {
        let body = json!({"label": "a stand-in", "speaks": speaks, "address": address});
        api.ask("PUT", &format!("/api/meters/{id}"), Some(body), Some("*"))
            .await
    };
    assert_eq!(
        put("bench", "scpi", &address).await.status,
        StatusCode::NO_CONTENT
    );
    put("monitor", "modbus", &battery).await;
    let set = async |id: &str, key: &str, value: &str| {
        api.post(
            &format!("/api/meters/{id}/set"),
            json!({"key": key, "value": value}),
        )
        .await
    };
    assert_eq!(
        set("bench", "converter", "small-inverter").await.status,
        StatusCode::NO_CONTENT
    );
    let shown = api.get("/api/meters").await.body;
    let value = |shown: &Value, meter: usize, name: &str| {
        shown["meters"][meter]["values"]
            .as_array()
            .unwrap()
            .iter()
            .find(|it| it["name"] == name)
            .unwrap()["value"]
            .as_f64()
            .unwrap()
    };
    assert_eq!(shown["meters"][0]["trouble"], Value::Null, "{shown}");
    let watts = value(&shown, 0, "volts in") * value(&shown, 0, "amperes in");
    assert!((watts - 6.1).abs() < 0.1, "{watts} W");
    assert!((value(&shown, 1, "charge") - 100.0).abs() < 1e-9);
    assert_eq!(
        set("monitor", "charge", "60").await.status,
        StatusCode::NO_CONTENT
    );
    assert!((value(&api.get("/api/meters").await.body, 1, "charge") - 60.0).abs() < 0.2);
    assert_problem(
        &set("bench", "load", "lots").await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "no number",
    );
    assert_problem(
        &set("bench", "load", "-3").await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "refuses",
    );
    assert_problem(
        &set("bench", "converter", "a;b").await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "nothing that can be set",
    );
    assert_eq!(
        set("nobody", "load", "3").await.status,
        StatusCode::NOT_FOUND
    );
    // It goes away: said so, the other one is read on, and once it is back it is read again.
    serving.abort();
    let _ = serving.await;
    put("gone", "scpi", "127.0.0.1:1").await;
    let shown = api.get("/api/meters").await.body;
    let gone = shown["meters"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["id"] == "gone")
        .unwrap();
    assert!(
        gone["trouble"]
            .as_str()
            .unwrap()
            .contains("nothing listens on 127.0.0.1:1"),
        "{gone}"
    );
    let other = shown["meters"]
        .as_array()
        .unwrap()
        .iter()
        .find(|it| it["id"] == "monitor")
        .unwrap();
    assert_eq!(other["trouble"], Value::Null);
    assert_problem(
        &put("far", "scpi", "192.168.1.7:5025").await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "on another machine",
    );
    assert_problem(
        &put("odd", "smoke", &address).await,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "use scpi or modbus",
    );
    assert_eq!(
        api.ask("DELETE", "/api/meters/gone", None, None)
            .await
            .status,
        StatusCode::NO_CONTENT
    );
    assert_eq!(
        api.get("/api/meters").await.body["meters"]
            .as_array()
            .unwrap()
            .len(),
        2
    );
}

/// A meter that answers every question the same, after whatever it says unasked; and what is told
/// of it then.
async fn odd_meter(greeting: &'static [u8], answer: &'static [u8]) -> Value {
    use tokio::io::{AsyncReadExt, AsyncWriteExt};
    let api = api();
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let body = json!({"label": "odd one", "speaks": "scpi",
        "address": listener.local_addr().unwrap().to_string()});
    api.ask("PUT", "/api/meters/odd", Some(body), Some("*"))
        .await;
    tokio::spawn(async move {
        loop {
            let (mut stream, _) = listener.accept().await.unwrap();
            let _ = stream.write_all(greeting).await;
            while stream.read(&mut [0; 64]).await.is_ok_and(|it| it > 0)
                && stream.write_all(answer).await.is_ok()
            {}
        }
    });
    let mut told = api.get("/api/meters").await.body["meters"][0].clone();
    for _ in 0..20 {
        if told["since"] != Value::Null {
            break;
        }
        told = api.get("/api/meters").await.body["meters"][0].clone();
    }
    told
}

#[tokio::test(flavor = "multi_thread")]
async fn a_meter_that_answers_what_cannot_be_is_not_understood() {
    const ENDLESS: &[u8] = &[b'9'; 5000];
    let cases: [(&[u8], &[u8], &str); 6] = [
        (b"", b"lots\n", "\"lots\", which is no number"),
        (b"", b"NaN\n", "which is no number"),
        (b"", b"-1e36\n", "-1.000e36 V for volts in, which cannot be"),
        (
            b"",
            b"\x1b[2Jxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxxx\n",
            "\"[2Jxxxx",
        ),
        (b"", ENDLESS, "a line without an end"),
        (b"", b"12.5\n12.6\n", "lines that nobody asked for"),
    ];
    for (greeting, answer, words) in cases {
        let told = odd_meter(greeting, answer).await;
        assert_eq!(told["state"], "not_understood", "{told}");
        let trouble = told["trouble"].as_str().unwrap();
        assert!(
            trouble.contains(words) && trouble.len() < 160 && !trouble.contains("os error"),
            "{trouble}"
        );
        let shown = told["values"].as_array().unwrap();
        assert!(shown.iter().all(|it| it["value"].is_null()), "{told}");
    }
    // An overload is no nonsense: it has no value.
    let told = odd_meter(b"", b"9.9e37\n").await;
    assert_eq!(
        (&told["state"], &told["values"][0]["value"]),
        (&json!("answers"), &Value::Null)
    );
}

#[tokio::test(flavor = "multi_thread")]
async fn a_silent_meter_holds_no_page_up_and_a_meter_comes_back() {
    let api = api();
    let silent = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let body = |address: std::net::SocketAddr| {
        json!({"label": "m", "speaks": "scpi",
        "address": address.to_string()})
    };
    api.ask(
        "PUT",
        "/api/meters/silent",
        Some(body(silent.local_addr().unwrap())),
        Some("*"),
    )
    .await;
    // Ten looks beside each other wait for it once, and shorter than it may take to answer.
    let begun = std::time::Instant::now();
    let looks = (0..10).map(|_| api.get("/api/meters"));
    let looks = futures::future::join_all(looks).await;
    assert!(begun.elapsed() < std::time::Duration::from_millis(1400));
    assert!(
        looks
            .iter()
            .all(|it| it.body["meters"][0]["state"] == "silent"),
        "{}",
        looks[0].body
    );
    // Its connection is let go of when it is removed.
    let (mut stream, _) = silent.accept().await.unwrap();
    api.ask("DELETE", "/api/meters/silent", None, None).await;
    api.get("/api/meters").await;
    let ended = async {
        while tokio::io::AsyncReadExt::read(&mut stream, &mut [0; 64])
            .await
            .is_ok_and(|it| it > 0)
        {}
    };
    tokio::time::timeout(std::time::Duration::from_secs(5), ended)
        .await
        .unwrap();

    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    drop(listener);
    api.ask("PUT", "/api/meters/back", Some(body(address)), Some("*"))
        .await;
    let gone = api.get("/api/meters").await.body["meters"][0].clone();
    assert!(
        gone["trouble"]
            .as_str()
            .unwrap()
            .contains("nothing listens"),
        "{gone}"
    );
    let listener = tokio::net::TcpListener::bind(address).await.unwrap();
    let plan = ash_pond_core::site::plan::Plan::parse(ash_pond::DEMO_PLAN).unwrap();
    let bench = ash_pond_stand_ins::bench_meter::Bench::new(plan).unwrap();
    tokio::spawn(ash_pond_stand_ins::bench_meter::serve(listener, bench));
    let mut told = Value::Null;
    for _ in 0..50 {
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
        told = api.get("/api/meters").await.body["meters"][0].clone();
        if told["state"] == "answers" {
            break;
        }
    }
    assert_eq!(
        (&told["state"], &told["trouble"]),
        (&json!("answers"), &Value::Null),
        "{told}"
    );
}

#[tokio::test]
async fn a_file_that_breaks_off_counts_for_nothing_and_the_earlier_one_stays() {
    let api = api();
    let text = include_str!("../../core/tests/cases/bench/capture-ac-switchover.csv");
    let of = json!({"kind": "source", "id": "station"});
    api.post(
        &format!("{SITE}/tests"),
        json!({"protocol": "switchover", "of": of}),
    )
    .await;
    let path = format!("{SITE}/tests/switchover-station/file");
    let given = api.text("PUT", &path, text).await;
    assert_eq!(given.status, StatusCode::OK, "{}", given.body);
    // Most of it comes, and then the connection fails; and once more it simply never goes on, until
    // nobody waits any more.
    let put = || {
        Request::builder()
            .method("PUT")
            .uri(&path)
            .header(header::HOST, "127.0.0.1:8787")
    };
    let put = || put().header(header::CONTENT_TYPE, "text/csv");
    let most = Bytes::from(text[..text.len() / 2].to_owned());
    let fails = stream::iter([Ok(most.clone()), Err(std::io::Error::other("gone"))]);
    let reply = api
        .send(put().body(Body::from_stream(fails)).unwrap())
        .await;
    assert_problem(
        &reply,
        StatusCode::UNPROCESSABLE_ENTITY,
        "refused",
        "broke off",
    );
    let hangs = stream::iter([Ok::<_, std::io::Error>(most)]).chain(stream::pending());
    let waiting = api
        .router
        .clone()
        .oneshot(put().body(Body::from_stream(hangs)).unwrap());
    assert!(
        tokio::time::timeout(std::time::Duration::from_millis(300), waiting)
            .await
            .is_err()
    );
    tokio::time::sleep(std::time::Duration::from_millis(300)).await;
    assert_eq!(api.raw(&path).await, text);
    let kept = api.get(&format!("{SITE}/tests")).await.body["tests"][0].clone();
    assert_eq!(kept["test"]["file"], given.body["test"]["file"]);
}

#[tokio::test]
async fn a_test_that_was_changed_elsewhere_is_refused_with_what_is_there() {
    let api = api();
    let begun = api.post(&format!("{SITE}/tests"), idle(0.49)).await;
    let revision = begun.body["revision"].to_string();
    let path = begun.headers[header::LOCATION].to_str().unwrap().to_owned();
    let mut first = idle(0.49);
    first["note"] = json!("first");
    assert_eq!(
        api.ask("PUT", &path, Some(first), Some(&revision))
            .await
            .status,
        StatusCode::OK
    );
    let mut second = idle(0.49);
    second["note"] = json!("second");
    let reply = api
        .ask("PUT", &path, Some(second.clone()), Some(&revision))
        .await;
    assert_eq!(
        (reply.status, &reply.body["current"]["body"]["note"]),
        (StatusCode::CONFLICT, &json!("first"))
    );
    let reply = api.ask("PUT", &path, Some(second), None).await;
    assert_problem(
        &reply,
        StatusCode::PRECONDITION_REQUIRED,
        "unsaid",
        "If-Match",
    );
    let reply = api
        .ask(
            "POST",
            &format!("{path}/use"),
            Some(json!({})),
            Some(&revision),
        )
        .await;
    assert_eq!(reply.status, StatusCode::CONFLICT);
    // Undone, it is what it was; undone again, it is not there; done again, all of it is.
    api.post(&format!("{SITE}/undo"), json!({})).await;
    assert_eq!(
        api.get(&format!("{SITE}/tests")).await.body["tests"][0]["test"]["note"],
        "18 °C"
    );
    api.post(&format!("{SITE}/undo"), json!({})).await;
    assert_eq!(
        api.get(&format!("{SITE}/tests")).await.body["tests"],
        json!([])
    );
    api.post(&format!("{SITE}/redo"), json!({})).await;
    api.post(&format!("{SITE}/redo"), json!({})).await;
    assert_eq!(
        api.get(&format!("{SITE}/tests")).await.body["tests"][0]["test"]["note"],
        "first"
    );
}
