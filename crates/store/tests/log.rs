//! The log: made by steps, found by words, struck and never lost, with files, through an archive.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::{Edit, Kind, LogAsked, NewEntry, Store};
use serde_json::json;

fn store() -> (tempfile::TempDir, Store, String) {
    let data = tempfile::tempdir().unwrap();
    let store = Store::open(data.path()).unwrap();
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let site = store.create_site(&plan).unwrap();
    (data, store, site)
}

fn all() -> LogAsked {
    LogAsked {
        limit: 500,
        ..LogAsked::default()
    }
}

fn found(store: &Store, site: &str, words: &str) -> Vec<String> {
    let asked = LogAsked {
        words: words.into(),
        ..all()
    };
    store
        .log(site, &asked)
        .unwrap()
        .into_iter()
        .map(|it| it.entry.words)
        .collect()
}

fn entry(at_ms: i64, kind: &str, item: &str, words: &str) -> NewEntry {
    NewEntry {
        at_ms,
        kind: kind.into(),
        item: item.into(),
        words: words.into(),
        ..NewEntry::default()
    }
}

#[test]
fn a_step_stands_in_the_log_once_however_often_it_is_made() {
    let (_data, store, site) = store();
    for watts in [9.0, 9.5, 10.0] {
        let mut router = store.element(&site, Kind::Device, "router").unwrap();
        router.body["phases"][0]["watts"] = json!(watts);
        let edit = Edit {
            kind: Kind::Device,
            id: "router".into(),
            based_on: Some(router.revision),
            body: Some(router.body),
        };
        store
            .change(&site, &[edit], "Router: running watts")
            .unwrap();
    }
    let log = store.log(&site, &all()).unwrap();
    assert_eq!(log.len(), 1, "{log:?}");
    assert_eq!(
        (
            log[0].entry.kind.as_str(),
            log[0].entry.item.as_str(),
            log[0].many
        ),
        ("change", "router", 3)
    );
    store.undo(&site).unwrap();
    assert_eq!(
        store.log(&site, &all()).unwrap()[0].entry.words,
        "taken back: Router: running watts"
    );
}

#[test]
fn it_is_found_by_words_kind_item_and_span_and_paged() {
    let (_data, store, site) = store();
    let rows: Vec<NewEntry> = (0..250)
        .map(|it| {
            let words = if it == 77 {
                "Replaced the crimp at the gate, naïvely".into()
            } else {
                format!("Note {it}")
            };
            entry(
                it * 1000,
                if it % 2 == 0 { "note" } else { "repair" },
                if it % 5 == 0 { "router" } else { "" },
                &words,
            )
        })
        .collect();
    store.add_to_log(&site, &rows).unwrap();
    assert_eq!(found(&store, &site, "crim GATE").len(), 1);
    assert_eq!(
        found(&store, &site, "naive").len(),
        1,
        "accents do not matter"
    );
    assert_eq!(
        found(&store, &site, "note 24").len(),
        11,
        "24 and 240 to 249"
    );
    // Signs of any kind are no commands of the index.
    for odd in [
        "\"",
        "crimp\" OR \"note",
        "NEAR(",
        "*",
        "words:",
        "'; DROP TABLE log_entries; --",
        "(((",
        "^",
        "-",
        "\u{0}",
    ] {
        assert!(found(&store, &site, odd).len() <= 1, "{odd}");
    }
    let of = |asked: LogAsked| store.log(&site, &asked).unwrap().len();
    assert_eq!(
        of(LogAsked {
            kinds: vec!["repair".into()],
            ..all()
        }),
        125
    );
    assert_eq!(
        of(LogAsked {
            kinds: vec!["repair".into(), "note".into()],
            item: Some("router".into()),
            ..all()
        }),
        50
    );
    assert_eq!(
        of(LogAsked {
            from_ms: Some(10_000),
            to_ms: Some(20_000),
            ..all()
        }),
        10
    );
    let mut pages = Vec::new();
    let mut after = None;
    loop {
        let page = store
            .log(
                &site,
                &LogAsked {
                    after,
                    limit: 60,
                    ..all()
                },
            )
            .unwrap();
        let Some(last) = page.last() else { break };
        after = Some((last.entry.at_ms, last.id));
        pages.extend(page.iter().map(|it| it.id));
    }
    assert_eq!(pages.len(), 250);
    pages.dedup();
    assert_eq!(pages.len(), 250, "none twice");
}

/// Rows that are written later of an earlier day stand where they belong, also among those that a
/// word finds.
#[test]
fn a_row_of_an_earlier_day_stands_in_its_place() {
    let (_data, store, site) = store();
    let days = [50_000, 10_000, 30_000, 20_000, 40_000];
    let rows: Vec<NewEntry> = days
        .iter()
        .map(|at| entry(*at, "note", "", &format!("fuse {at}")))
        .collect();
    store.add_to_log(&site, &rows).unwrap();
    let of = |words: &str| {
        let mut found = Vec::new();
        let mut after = None;
        loop {
            let asked = LogAsked {
                words: words.into(),
                after,
                limit: 2,
                ..LogAsked::default()
            };
            let page = store.log(&site, &asked).unwrap();
            let Some(last) = page.last() else {
                return found;
            };
            after = Some((last.entry.at_ms, last.id));
            found.extend(page.iter().map(|it| it.entry.at_ms));
        }
    };
    assert_eq!(of(""), [50_000, 40_000, 30_000, 20_000, 10_000]);
    assert_eq!(of("fus"), of(""));
}

#[test]
fn what_is_struck_stays_and_a_thing_told_again_is_the_same_row() {
    let (_data, store, site) = store();
    let id = store
        .add_to_log(&site, &[entry(1, "note", "", "wrong bank")])
        .unwrap()[0];
    store
        .strike(&site, id, Some("it was the other bank"))
        .unwrap();
    assert_eq!(
        store.log_entry(&site, id).unwrap().struck.as_deref(),
        Some("it was the other bank")
    );
    store.strike(&site, id, None).unwrap();
    assert_eq!(store.log_entry(&site, id).unwrap().struck, None);
    let begun = NewEntry {
        origin: "watch/3".into(),
        ..entry(5, "watch", "", "An outage is watched")
    };
    let first = store.tell_log(&site, &begun).unwrap();
    let again = store
        .tell_log(
            &site,
            &NewEntry {
                words: "An outage was watched for 5 h".into(),
                ..begun
            },
        )
        .unwrap();
    assert_eq!(first, again);
    assert_eq!(
        found(&store, &site, "watched 5"),
        ["An outage was watched for 5 h"]
    );
    assert!(
        found(&store, &site, "is watched").is_empty(),
        "the index follows"
    );
    assert!(store.strike(&site, 999, None).is_err());
    assert!(
        store
            .add_to_log("nowhere", &[entry(1, "note", "", "x")])
            .is_err()
    );
}

#[test]
fn files_come_whole_and_all_of_it_goes_through_an_archive() {
    let (data, store, site) = store();
    let id = store
        .add_to_log(
            &site,
            &[entry(
                7,
                "repair",
                "router",
                "New plug, \"red\"; 2.5 mm²\nsecond line",
            )],
        )
        .unwrap()[0];
    let bytes: Vec<u8> = (0..3_000_000_u32)
        .map(|it| u8::try_from(it % 251).unwrap())
        .collect();
    let file = store
        .add_log_file(
            &site,
            id,
            ("plug.jpg", "image/jpeg"),
            &bytes,
            Some(b"small"),
        )
        .unwrap();
    assert_eq!(store.log_file(&site, id, file).unwrap().1, bytes);
    assert!(store.log_file(&site, id + 1, file).is_err());
    store.strike(&site, id, Some("twice")).unwrap();
    let number = store
        .begin_watch(&site, &json!({"kind": "outage"}), 5, false)
        .unwrap();
    store
        .add_to_watch(&site, number, &[(60.0, json!({"text": "dark, and cold"}))])
        .unwrap();
    let to = data.path().join("site.zip");
    store
        .archive(&site, &to, "2026-11-28T12:00:00Z", true)
        .unwrap();
    let other = tempfile::tempdir().unwrap();
    let elsewhere = Store::open(other.path()).unwrap();
    let opened = elsewhere.open_archive(&to).unwrap();
    let row = elsewhere
        .log(&opened, &all())
        .unwrap()
        .into_iter()
        .find(|it| it.entry.kind == "repair")
        .unwrap();
    let before = store.log_entry(&site, id).unwrap();
    assert_eq!((&row.entry, &row.struck), (&before.entry, &before.struck));
    assert_eq!(
        elsewhere
            .log_file(&opened, row.id, row.files[0].id)
            .unwrap()
            .1,
        bytes
    );
    assert_eq!(
        elsewhere
            .log_thumb(&opened, row.id, row.files[0].id)
            .unwrap(),
        b"small"
    );
    assert_eq!(
        elsewhere.watch_entries(&opened, number).unwrap(),
        store.watch_entries(&site, number).unwrap()
    );
}
