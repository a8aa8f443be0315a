//! What the store keeps, refuses and takes back.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::{Edit, Kind, PastPlace, Store, StoreError};
use serde_json::{Value, json};
use tempfile::TempDir;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads")
}

fn open() -> (TempDir, Store, String) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let site = store.create_site(&demo()).unwrap();
    (folder, store, site)
}

/// An edit of the gate camera's running watts.
fn camera(store: &Store, site: &str, watts: f64, based_on: Option<i64>) -> Edit {
    let mut body = store
        .element(site, Kind::Device, "gate-camera")
        .unwrap()
        .body;
    body["phases"][1]["watts"] = json!(watts);
    Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on,
        body: Some(body),
    }
}

fn watts(store: &Store, site: &str) -> f64 {
    let plan = store.plan(site).unwrap().plan;
    plan.device("gate-camera").unwrap().phases[1].watts.get()
}

#[test]
fn a_plan_comes_back_as_it_went_in() {
    let (_folder, store, site) = open();
    assert_eq!(site, "hollin-lock");
    assert_eq!(*store.plan(&site).unwrap().plan, demo());
    assert_eq!(store.create_site(&demo()).unwrap(), "hollin-lock-2");
    assert_eq!(store.sites().unwrap().len(), 2);
}

#[test]
fn a_change_survives_closing_and_opening() {
    let (folder, store, site) = open();
    store
        .change(
            &site,
            &[camera(&store, &site, 7.5, None)],
            "gate camera: running 4.9 → 7.5 W",
        )
        .unwrap();
    drop(store);
    let store = Store::open(folder.path()).unwrap();
    assert!((watts(&store, &site) - 7.5).abs() < f64::EPSILON);
    assert_eq!(
        store.journal(&site).unwrap()[0].words,
        "gate camera: running 4.9 → 7.5 W"
    );
}

fn place(place: &str) -> PastPlace {
    PastPlace {
        kind: "device".into(),
        element: "gate-camera".into(),
        place: place.into(),
    }
}

#[test]
fn what_a_figure_was_is_kept_with_every_change_and_when_the_journal_forgets() {
    let (_folder, store, site) = open();
    let running = place("phases[running].watts");
    assert!(store.past_places(&site).unwrap().is_empty());
    let was = store
        .element(&site, Kind::Device, "gate-camera")
        .unwrap()
        .body["phases"][1]["watts"]
        .clone();
    store
        .change(&site, &[camera(&store, &site, 7.5, None)], "once")
        .unwrap();
    // Somebody is still typing: one change, from what it was to what it is.
    store
        .change(&site, &[camera(&store, &site, 7.6, None)], "twice")
        .unwrap();
    assert_eq!(
        store.past_places(&site).unwrap(),
        std::slice::from_ref(&running)
    );
    let past = store.past_of(&site, &running).unwrap();
    assert_eq!(past.len(), 1);
    assert_eq!(
        (past[0].before.as_ref(), past[0].after.as_ref()),
        (Some(&was), Some(&json!(7.6)))
    );
    assert!(past[0].at_ms > 1_700_000_000_000);
    // What is measured is a change of its own, however soon it follows.
    let mut body = store
        .element(&site, Kind::Device, "gate-camera")
        .unwrap()
        .body;
    let measured = json!({"value": 7.2, "plus_minus": 0.1, "basis": "measured", "test": "rows-1"});
    body["phases"][1]["watts"] = measured.clone();
    let edit = Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on: None,
        body: Some(body),
    };
    store.change(&site, &[edit], "measured").unwrap();
    let past = store.past_of(&site, &running).unwrap();
    assert_eq!(
        (past.len(), past[1].before.as_ref()),
        (2, Some(&json!(7.6)))
    );
    assert_eq!(past[1].after.as_ref().unwrap()["test"], "rows-1");
    // Taken back at once it is as if it had not been; the journal forgets after 200 steps, and this
    // does not.
    store.undo(&site).unwrap();
    assert_eq!(store.past_of(&site, &running).unwrap().len(), 1);
    store.redo(&site).unwrap();
    for number in 0..205 {
        let mut body = store.element(&site, Kind::Device, "router").unwrap().body;
        body["note"] = json!(format!("note {number}"));
        let edit = Edit {
            kind: Kind::Device,
            id: "router".into(),
            based_on: None,
            body: Some(body),
        };
        store.change(&site, &[edit], "a note").unwrap();
    }
    assert_eq!(store.past_of(&site, &running).unwrap().len(), 2);
    assert!(store.past_places("moon").is_err() && store.past_of("moon", &running).is_err());
}

#[test]
fn a_stale_change_is_refused_with_what_is_there_now() {
    let (_folder, store, site) = open();
    let revision = store
        .element(&site, Kind::Device, "gate-camera")
        .unwrap()
        .revision;
    store
        .change(
            &site,
            &[camera(&store, &site, 7.0, Some(revision))],
            "first",
        )
        .unwrap();
    let error = store
        .change(
            &site,
            &[camera(&store, &site, 8.0, Some(revision))],
            "second",
        )
        .unwrap_err();
    let StoreError::Stale {
        yours,
        current,
        body: Some(body),
        ..
    } = error
    else {
        panic!("{error}")
    };
    assert!(current > yours);
    assert_eq!(body["phases"][1]["watts"], json!(7));
    assert!((watts(&store, &site) - 7.0).abs() < f64::EPSILON);
}

#[test]
fn a_change_that_spoils_the_plan_is_refused_and_nothing_changes() {
    let (_folder, store, site) = open();
    let before = store.plan(&site).unwrap();
    let error = store
        .change(&site, &[camera(&store, &site, -1.0, None)], "spoil")
        .unwrap_err();
    assert_eq!(
        error.to_string(),
        "kit.devices[3].phases[1].watts: is -1; watts cannot be negative"
    );
    let gone = Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on: None,
        body: None,
    };
    let error = store
        .change(&site, &[gone], "remove what is still fed")
        .unwrap_err();
    assert!(
        error
            .to_string()
            .contains("no device or converter has that id"),
        "{error}"
    );
    assert_eq!(store.plan(&site).unwrap(), before);
    assert!(store.journal(&site).unwrap().is_empty());
}

#[test]
fn steps_are_undone_and_done_again_in_order() {
    let (_folder, store, site) = open();
    for value in [5.0, 6.0, 7.0] {
        store
            .change(
                &site,
                &[camera(&store, &site, value, None)],
                &format!("to {value}"),
            )
            .unwrap();
    }
    let new = json!({"id": "radio", "label": "Radio", "input": {"current": "dc", "rated_v": 12},
        "phases": [{"when": "running", "watts": 3}]});
    store
        .change(
            &site,
            &[Edit {
                kind: Kind::Device,
                id: "radio".into(),
                based_on: Some(0),
                body: Some(new),
            }],
            "add radio",
        )
        .unwrap();
    let all = store.plan(&site).unwrap().plan;
    assert_eq!(store.undo(&site).unwrap().words, "add radio");
    assert!(store.plan(&site).unwrap().plan.device("radio").is_none());
    for value in [6.0, 5.0, 4.9] {
        store.undo(&site).unwrap();
        assert!((watts(&store, &site) - value).abs() < 1e-12);
    }
    assert_eq!(*store.plan(&site).unwrap().plan, demo());
    assert!(matches!(
        store.undo(&site),
        Err(StoreError::Nothing("undo"))
    ));
    for _ in 0..4 {
        store.redo(&site).unwrap();
    }
    assert_eq!(store.plan(&site).unwrap().plan, all);
    assert!(matches!(
        store.redo(&site),
        Err(StoreError::Nothing("do again"))
    ));
}

#[test]
fn a_new_change_forgets_what_was_undone() {
    let (_folder, store, site) = open();
    store
        .change(&site, &[camera(&store, &site, 5.0, None)], "five")
        .unwrap();
    store.undo(&site).unwrap();
    store
        .change(&site, &[camera(&store, &site, 6.0, None)], "six")
        .unwrap();
    assert!(matches!(store.redo(&site), Err(StoreError::Nothing(_))));
    assert_eq!(
        store
            .journal(&site)
            .unwrap()
            .iter()
            .map(|it| it.words.as_str())
            .collect::<Vec<_>>(),
        ["six"]
    );
}

#[test]
fn two_hundred_steps_can_be_undone() {
    let (_folder, store, site) = open();
    for step in 0..205 {
        store
            .change(
                &site,
                &[camera(&store, &site, 5.0 + f64::from(step), None)],
                "step",
            )
            .unwrap();
    }
    let undone = std::iter::from_fn(|| store.undo(&site).ok()).count();
    assert_eq!(undone, 200);
    assert!((watts(&store, &site) - 9.0).abs() < 1e-12);
}

#[test]
fn a_body_is_kept_in_canonical_form() {
    let (_folder, store, site) = open();
    let mut edit = camera(&store, &site, 5.0, None);
    edit.body.as_mut().unwrap()["phases"][1]["watts"] = json!({"value": 5.0, "basis": "assumed"});
    let after = store
        .change(&site, &[edit], "a figure that says nothing more")
        .unwrap();
    let device = after
        .elements
        .iter()
        .find(|it| it.id == "gate-camera")
        .unwrap();
    assert_eq!(device.body["phases"][1]["watts"], json!(5));
}

#[test]
fn a_second_opening_of_the_same_folder_is_told_so() {
    let (folder, store, _) = open();
    let Err(error) = Store::open(folder.path()) else {
        panic!("the folder opened twice")
    };
    assert!(
        error.to_string().contains("in use by another Ash Pond"),
        "{error}"
    );
    drop(store);
    assert!(Store::open(folder.path()).is_ok());
}

#[test]
fn data_of_a_newer_version_are_refused_in_a_sentence() {
    let (folder, store, _) = open();
    drop(store);
    let db = rusqlite::Connection::open(folder.path().join("ash-pond.sqlite")).unwrap();
    db.pragma_update(None, "user_version", 999).unwrap();
    drop(db);
    let Err(error) = Store::open(folder.path()) else {
        panic!("a newer database opened")
    };
    assert!(error.to_string().contains("newer Ash Pond"), "{error}");
}

#[test]
fn what_is_not_there_is_named() {
    let (_folder, store, site) = open();
    assert_eq!(
        store.plan("nowhere").unwrap_err().to_string(),
        "there is no site \"nowhere\""
    );
    let error = store.element(&site, Kind::Source, "moon").unwrap_err();
    assert_eq!(error.to_string(), "there is no source \"moon\"");
    let Value::Object(_) = store.element(&site, Kind::Site, "site").unwrap().body else {
        panic!("no object")
    };
}

#[test]
fn a_site_that_was_removed_comes_back_with_its_steps() {
    let (folder, store, site) = open();
    store
        .change(
            &site,
            &[camera(&store, &site, 7.5, None)],
            "gate camera: running 4.9 → 7.5 W",
        )
        .unwrap();
    store.remove_site(&site).unwrap();
    assert_eq!(
        (
            store.sites().unwrap().len(),
            store.removed_sites().unwrap()[0].id.clone()
        ),
        (0, site.clone())
    );
    assert!(matches!(
        store.plan(&site),
        Err(StoreError::Missing { what: "site", .. })
    ));
    assert!(matches!(store.undo(&site), Err(StoreError::Missing { .. })));
    assert!(matches!(
        store.element(&site, Kind::Device, "gate-camera"),
        Err(StoreError::Missing { what: "site", .. })
    ));
    assert!(
        matches!(store.remove_site(&site), Err(StoreError::Missing { .. })),
        "it is gone already"
    );
    // Another one of the same name does not take its place.
    assert_eq!(store.create_site(&demo()).unwrap(), "hollin-lock-2");
    drop(store);
    let store = Store::open(folder.path()).unwrap();
    store.restore_site(&site).unwrap();
    assert!((watts(&store, &site) - 7.5).abs() < f64::EPSILON);
    store.undo(&site).unwrap();
    assert!((watts(&store, &site) - 4.9).abs() < f64::EPSILON);
    assert!(matches!(
        store.restore_site(&site),
        Err(StoreError::Missing {
            what: "removed site",
            ..
        })
    ));
}

#[test]
fn a_copy_goes_its_own_way() {
    let (_folder, store, site) = open();
    let copy = store.copy_site(&site, "Lower Lock").unwrap();
    assert_eq!(copy, "lower-lock");
    store
        .change(
            &copy,
            &[camera(&store, &copy, 7.5, None)],
            "gate camera: running 4.9 → 7.5 W",
        )
        .unwrap();
    assert!((watts(&store, &site) - 4.9).abs() < f64::EPSILON);
    assert_eq!(
        (
            store.journal(&site).unwrap().len(),
            store.journal(&copy).unwrap().len()
        ),
        (0, 1)
    );
    let names: Vec<_> = store
        .sites()
        .unwrap()
        .into_iter()
        .map(|it| it.name)
        .collect();
    assert_eq!(names, ["Hollin Lock", "Lower Lock"]);
    assert!(store.copy_site("moon", "Moon").is_err());
}

#[test]
fn renaming_a_site_is_a_step_like_any_other() {
    let (_folder, store, site) = open();
    let mut body = store.element(&site, Kind::Site, "site").unwrap().body;
    body["name"] = json!("Upper Lock");
    store
        .change(
            &site,
            &[Edit {
                kind: Kind::Site,
                id: "site".into(),
                based_on: None,
                body: Some(body),
            }],
            "renamed",
        )
        .unwrap();
    assert_eq!(store.sites().unwrap()[0].name, "Upper Lock");
    store.undo(&site).unwrap();
    assert_eq!(store.sites().unwrap()[0].name, "Hollin Lock");
}

#[test]
fn a_folder_of_the_first_version_is_brought_up_to_date() {
    let folder = tempfile::tempdir().unwrap();
    let db = rusqlite::Connection::open(folder.path().join("ash-pond.sqlite")).unwrap();
    db.execute_batch(include_str!("../migrations/0001.sql"))
        .unwrap();
    db.execute_batch(
        r#"INSERT INTO sites (id, name) VALUES ('shed', 'Shed');
        INSERT INTO elements VALUES ('shed', 'site', 'site', 0, 1, '{"name": "Shed"}'); PRAGMA user_version = 1;"#,
    )
    .unwrap();
    drop(db);
    let store = Store::open(folder.path()).unwrap();
    assert_eq!(store.plan("shed").unwrap().plan.site.name, "Shed");
    store.remove_site("shed").unwrap();
    assert_eq!(store.removed_sites().unwrap().len(), 1);
}

/// What a change tells is held in memory from then on; whoever opens the folder next reads it from
/// disk.
#[test]
fn what_a_change_tells_is_what_is_read_from_disk_afterwards() {
    let (folder, mut store, site) = open();
    let renamed = |store: &Store, site: &str| {
        let mut body = store.element(site, Kind::Site, "site").unwrap().body;
        body["name"] = json!("  Hollin lock, lower gate ");
        Edit {
            kind: Kind::Site,
            id: "site".into(),
            based_on: None,
            body: Some(body),
        }
    };
    // Figures as a person types them, which are kept in a form of their own.
    let radio = json!({"id": "radio", "label": "Radio", "input": {"current": "dc",
        "rated_v": 12.0}, "phases": [{"when": "running", "watts": 3.0}]});
    let night =
        json!({"id": "night", "label": "A night", "start": "2026-01-20T18:00", "hours": 8.0});
    let new = |kind: Kind, body: &Value| {
        let id = body["id"].as_str().unwrap().to_owned();
        Edit {
            kind,
            id,
            based_on: Some(0),
            body: Some(body.clone()),
        }
    };
    for step in 0..7 {
        let told = match step {
            0 => store
                .change(&site, &[camera(&store, &site, 7.0, None)], "seven")
                .unwrap(),
            1 => store
                .change(&site, &[renamed(&store, &site)], "renamed")
                .unwrap(),
            2 => store
                .change(&site, &[new(Kind::Device, &radio)], "radio")
                .unwrap(),
            3 => store
                .change(&site, &[new(Kind::Outage, &night)], "night")
                .unwrap(),
            4 => store.undo(&site).unwrap().site,
            5 => store.undo(&site).unwrap().site,
            _ => store.redo(&site).unwrap().site,
        };
        assert_eq!(
            store.plan(&site).unwrap(),
            told,
            "held in memory, step {step}"
        );
        drop(store);
        store = Store::open(folder.path()).unwrap();
        assert_eq!(
            store.plan(&site).unwrap(),
            told,
            "read from disk, step {step}"
        );
    }
}
