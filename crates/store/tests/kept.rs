//! Tests, their files, walks, instruments and meters: kept, refused when stale, undone and done
//! again; and what cannot be read.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::{Edit, Kind, MeterRow, Store, StoreError, TestStep, WalkRead};
use serde_json::{Value, json};
use std::collections::BTreeSet;
use std::os::unix::fs::PermissionsExt as _;
use tempfile::TempDir;

fn open() -> (TempDir, Store, String) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let site = store.create_site(&plan).unwrap();
    (folder, store, site)
}

fn begun(store: &Store, site: &str) -> String {
    let body = json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"}});
    store
        .begin_test(
            site,
            "idle-small-inverter",
            &body,
            "2026-03-01T10:00:00Z",
            "test begun",
        )
        .unwrap()
        .0
}

fn noted(
    store: &Store,
    site: &str,
    id: &str,
    based_on: Option<i64>,
    note: &str,
) -> Result<(), StoreError> {
    let changed =
        store.change_test::<StoreError>(site, id, based_on, "2026-03-01T11:00:00Z", |_, row| {
            let mut body = row.body.clone();
            body["note"] = json!(note);
            Ok(TestStep {
                body: Some(body),
                words: format!("note {note}"),
                ..TestStep::default()
            })
        });
    changed.map(drop)
}

fn read(joint: &str) -> WalkRead {
    let at = "2026-03-01T10:00:00Z".into();
    WalkRead {
        id: 0,
        joint: joint.into(),
        volts: 12.9,
        low_v: None,
        high_v: Some(14.4),
        shows: "expected".into(),
        at,
        walk: 0,
    }
}

/// The database of a folder, as somebody else could write it.
fn raw(folder: &TempDir) -> rusqlite::Connection {
    rusqlite::Connection::open(folder.path().join("ash-pond.sqlite")).unwrap()
}

#[test]
fn tests_and_walks_that_begin_at_once_have_ids_of_their_own() {
    let (_folder, store, site) = open();
    let ids: BTreeSet<String> = std::thread::scope(|scope| {
        let all: Vec<_> = (0..20)
            .map(|_| scope.spawn(|| begun(&store, &site)))
            .collect();
        all.into_iter().map(|it| it.join().unwrap()).collect()
    });
    assert_eq!((ids.len(), store.tests(&site).unwrap().len()), (20, 20));
    std::thread::scope(|scope| {
        for _ in 0..10 {
            scope.spawn(|| {
                store
                    .keep_walk_read::<StoreError>(&site, "direct", true, |_, _| Ok(read("a")))
                    .unwrap()
            });
        }
    });
    let walks: BTreeSet<i64> = store
        .walk_history(&site, "direct", None)
        .unwrap()
        .iter()
        .map(|it| it.walk)
        .collect();
    assert_eq!(walks, (1..=10).collect());
}

#[test]
fn the_second_of_two_windows_is_told_that_a_test_was_changed() {
    let (_folder, store, site) = open();
    let id = begun(&store, &site);
    let revision = store.test(&site, &id).unwrap().revision;
    noted(&store, &site, &id, Some(revision), "first").unwrap();
    let error = noted(&store, &site, &id, Some(revision), "second").unwrap_err();
    let StoreError::Stale {
        current,
        body: Some(body),
        ..
    } = error
    else {
        panic!("{error}")
    };
    assert_eq!(
        (body["note"].as_str(), current > revision),
        (Some("first"), true)
    );
    assert_eq!(store.test(&site, &id).unwrap().body["note"], "first");
}

#[test]
fn everything_that_is_kept_is_undone_and_done_again() {
    let (_folder, store, site) = open();
    let id = begun(&store, &site);
    noted(&store, &site, &id, None, "first").unwrap();
    let upload = store.begin_upload();
    store
        .keep_part(&site, &id, &upload.name, 0, b"time_s,volts\n")
        .unwrap();
    let name = upload.name.clone();
    let given = |_: &_, _: &_| {
        Ok(TestStep {
            upload: Some(name.clone()),
            words: "file".into(),
            ..TestStep::default()
        })
    };
    store
        .change_test::<StoreError>(&site, &id, None, "2026-03-01T12:00:00Z", given)
        .unwrap();
    drop(upload);
    let mut camera = store
        .element(&site, Kind::Device, "gate-camera")
        .unwrap()
        .body;
    camera["phases"][1]["watts"] = json!(7.5);
    let edit = Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on: None,
        body: Some(camera),
    };
    let used = |_: &_, _: &_| {
        let (edits, replaced) = (vec![edit.clone()], Some(Some(json!([["/x", 1]]))));
        Ok(TestStep {
            replaced,
            edits,
            words: "used".into(),
            ..TestStep::default()
        })
    };
    store
        .change_test::<StoreError>(&site, &id, None, "2026-03-01T13:00:00Z", used)
        .unwrap();
    store
        .keep_walk_read::<StoreError>(&site, "direct", false, |walk, so_far| {
            assert_eq!((walk, so_far.len()), (1, 0));
            Ok(read("studs"))
        })
        .unwrap();
    store
        .keep_instrument(
            Some(&site),
            "red meter",
            Some(&json!({"name": "red meter"})),
        )
        .unwrap();
    let (speaks, address) = ("scpi".into(), "127.0.0.1:5025".into());
    let meter = MeterRow {
        id: "m".into(),
        label: "M".into(),
        speaks,
        address,
        records: false,
    };
    store.keep_meter(Some(&site), &meter).unwrap();

    let state = || {
        let watts = store
            .plan(&site)
            .unwrap()
            .plan
            .device("gate-camera")
            .unwrap()
            .phases[1]
            .watts
            .get();
        let test = store.tests(&site).unwrap().pop();
        let test = test.map(|it| (it.body["note"].clone(), it.upload, it.replaced));
        let meters = store.meters().unwrap().len();
        (
            watts.to_string(),
            test,
            store.latest_walk(&site, "direct").unwrap().1,
            store.instruments().unwrap(),
            meters,
        )
    };
    let mut states = vec![state()];
    for words in [
        "meter kept: M",
        "instrument described: red meter",
        "read at a joint: studs",
        "used",
        "file",
        "note first",
        "test begun",
    ] {
        assert_eq!(store.undo(&site).unwrap().words, words);
        assert_ne!(state(), *states.last().unwrap(), "{words}");
        states.push(state());
    }
    assert!(states.last().unwrap().1.is_none() && store.test(&site, &id).is_err());
    // What no step could bring back would go; this one can be done again.
    assert_eq!(store.sweep_uploads().unwrap(), 0);
    while let Some(then) = states.pop() {
        assert_eq!(state(), then);
        if !states.is_empty() {
            store.redo(&site).unwrap();
        }
    }
    let upload = store.test(&site, &id).unwrap().upload.unwrap();
    assert_eq!(
        store.file_part(&site, &id, &upload, 0).unwrap().unwrap(),
        b"time_s,volts\n"
    );
}

#[test]
fn parts_of_a_file_that_never_came_whole_are_thrown_away() {
    let (folder, store, site) = open();
    let id = begun(&store, &site);
    let abandoned = store.begin_upload();
    store
        .keep_part(&site, &id, &abandoned.name, 0, b"half of")
        .unwrap();
    let coming = store.begin_upload();
    store
        .keep_part(&site, &id, &coming.name, 0, b"more")
        .unwrap();
    drop(abandoned);
    assert_eq!(
        store.sweep_uploads().unwrap(),
        1,
        "what is still coming is left alone"
    );
    std::mem::forget(coming);
    drop(store);
    let store = Store::open(folder.path()).unwrap();
    let left: i64 = raw(&folder)
        .query_row("SELECT count(*) FROM test_files", [], |row| row.get(0))
        .unwrap();
    assert_eq!(left, 0);
    drop(store);
}

#[test]
fn what_cannot_be_read_is_told_with_its_row_and_nothing_changes() {
    let (folder, store, site) = open();
    let mut camera = store
        .element(&site, Kind::Device, "gate-camera")
        .unwrap()
        .body;
    camera["phases"][1]["watts"] = json!(7.5);
    let edit = Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on: None,
        body: Some(camera),
    };
    store.change(&site, &[edit], "7.5 W").unwrap();
    let db = raw(&folder);
    db.execute_batch(
        "PRAGMA ignore_check_constraints = 1; UPDATE journal SET before = '{\"id\": \"gate-ca'",
    )
    .unwrap();
    let error = store.undo(&site).unwrap_err().to_string();
    assert!(
        error.contains("journal, step 1 of hollin-lock, device gate-camera"),
        "{error}"
    );
    assert!(
        store
            .plan(&site)
            .unwrap()
            .plan
            .device("gate-camera")
            .is_some(),
        "it was no deletion"
    );
    let id = begun(&store, &site);
    db.execute_batch("UPDATE tests SET body = '{'; INSERT INTO instruments VALUES ('red', '{\"')")
        .unwrap();
    let told = [
        store.test(&site, &id).unwrap_err(),
        store.tests(&site).unwrap_err(),
        store.instruments().unwrap_err(),
    ];
    for (error, row) in told.iter().zip([
        "tests, idle-small-inverter of",
        "tests, idle",
        "instruments, red",
    ]) {
        assert!(error.to_string().contains(row), "{error}");
    }
    db.execute_batch("UPDATE elements SET body = '{' WHERE id = 'gate-camera'")
        .unwrap();
    // What was read whole is held; whoever changes something is told.
    let gone = Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on: None,
        body: None,
    };
    let error = store
        .change(&site, &[gone], "gone")
        .unwrap_err()
        .to_string();
    assert!(
        error.contains("elements, device gate-camera of hollin-lock"),
        "{error}"
    );
}

#[test]
fn nobody_else_reads_the_folder() {
    let root = tempfile::tempdir().unwrap();
    let folder = root.path().join("data");
    let store = Store::open(&folder).unwrap();
    store.create_site(&Plan::empty("Here")).unwrap();
    let copy = store.daily(jiff::civil::date(2026, 3, 1)).unwrap().unwrap();
    let mode =
        |path: &std::path::Path| std::fs::metadata(path).unwrap().permissions().mode() & 0o777;
    assert_eq!(mode(&folder), 0o700);
    assert_eq!((mode(copy.parent().unwrap()), mode(&copy)), (0o700, 0o600));
    for entry in std::fs::read_dir(&folder).unwrap() {
        let path = entry.unwrap().path();
        assert!(path.is_dir() || mode(&path) == 0o600, "{}", path.display());
    }
}

#[test]
fn a_copy_is_made_while_it_is_written_and_comes_back_with_everything() {
    let (folder, store, site) = open();
    let id = begun(&store, &site);
    let to = folder.path().join("copy.sqlite");
    std::thread::scope(|scope| {
        let writing = scope.spawn(|| {
            (0..30).for_each(|it| noted(&store, &site, &id, None, &it.to_string()).unwrap());
        });
        ash_pond_store::backup::backup(folder.path(), &to).unwrap();
        writing.join().unwrap();
    });
    let copied = store.tests(&site).unwrap();
    store.backup(&to).unwrap();
    noted(&store, &site, &id, None, "later").unwrap();
    // While it is open: what stood there is kept.
    let restored = store.take_over(&to, "now").unwrap();
    assert_eq!(
        (restored.sites, store.tests(&site).unwrap()),
        (vec!["Hollin Lock".to_owned()], copied.clone())
    );
    let kept = restored.kept.unwrap();
    assert_eq!(
        store.take_over(&kept, "then").unwrap().sites,
        ["Hollin Lock"]
    );
    assert_eq!(store.tests(&site).unwrap()[0].body["note"], "later");
    // Into a folder that is in use, no; into another one, yes, and again with what stood there kept
    // beside.
    let error = ash_pond_store::backup::restore(folder.path(), &to, "x").unwrap_err();
    assert!(error.to_string().contains("in use"), "{error}");
    let other = tempfile::tempdir().unwrap();
    assert_eq!(
        ash_pond_store::backup::restore(other.path(), &to, "1")
            .unwrap()
            .kept,
        None
    );
    assert_eq!(
        Store::open(other.path()).unwrap().tests(&site).unwrap(),
        copied
    );
    let again = ash_pond_store::backup::restore(other.path(), &kept, "2").unwrap();
    assert!(again.kept.unwrap().exists());
    assert_eq!(
        Store::open(other.path()).unwrap().tests(&site).unwrap()[0].body["note"],
        "later"
    );
}

#[test]
fn a_copy_that_is_damaged_or_none_of_ours_is_refused_and_nothing_changes() {
    let (folder, store, site) = open();
    let to = folder.path().join("copy.sqlite");
    store.backup(&to).unwrap();
    let whole = std::fs::read(&to).unwrap();
    let mut damaged = whole.clone();
    damaged.truncate(whole.len() / 2);
    let strange = folder.path().join("strange.sqlite");
    let cases: [(&[u8], &str); 3] = [
        (&damaged, "damaged"),
        (b"a letter, no database", "not a database"),
        (b"", "no copy of an Ash Pond"),
    ];
    for (bytes, words) in cases {
        std::fs::write(&strange, bytes).unwrap();
        let error = store.take_over(&strange, "x").unwrap_err().to_string();
        assert!(
            error.contains(words) || error.contains("malformed"),
            "{words}: {error}"
        );
        assert_eq!(store.sites().unwrap().len(), 1);
    }
    let newer = rusqlite::Connection::open(&to).unwrap();
    newer.execute_batch("PRAGMA user_version = 99").unwrap();
    drop(newer);
    assert!(matches!(
        store.take_over(&to, "x").unwrap_err(),
        StoreError::TooNew(_)
    ));
    assert!(store.plan(&site).is_ok() && !folder.path().join("restoring.sqlite").exists());
    // And a damaged database is not opened.
    drop(store);
    std::fs::write(folder.path().join("ash-pond.sqlite"), &damaged).unwrap();
    let error = Store::open(folder.path()).err().unwrap().to_string();
    assert!(
        error.contains("damaged") || error.contains("malformed"),
        "{error}"
    );
}

#[test]
fn each_day_has_its_copy() {
    let (_folder, store, _) = open();
    let day = jiff::civil::date(2026, 3, 1);
    assert!(
        store
            .daily(day)
            .unwrap()
            .unwrap()
            .ends_with("backups/ash-pond-2026-03-01.sqlite")
    );
    assert_eq!(store.daily(day).unwrap(), None);
    let copies: Vec<Value> = store
        .copies()
        .unwrap()
        .into_iter()
        .map(|it| json!(it.name))
        .collect();
    assert_eq!(copies, [json!("ash-pond-2026-03-01.sqlite")]);
}

/// A plan that was read is held for as long as its site stands at the same change: never longer,
/// also where another database takes its place that counts the same.
#[test]
fn a_plan_is_never_that_of_before() {
    let (folder, store, site) = open();
    let label = |store: &Store| store.plan(&site).unwrap().plan.kit.devices[0].label.clone();
    let rename = |store: &Store, label: &str| {
        let id = store.plan(&site).unwrap().plan.kit.devices[0]
            .id
            .to_string();
        let mut body = store.element(&site, Kind::Device, &id).unwrap().body;
        body["label"] = json!(label);
        store
            .change(
                &site,
                &[Edit {
                    kind: Kind::Device,
                    id,
                    based_on: None,
                    body: Some(body),
                }],
                label,
            )
            .unwrap();
    };
    let first = label(&store);
    let copy = folder.path().join("copy.sqlite");
    store.backup(&copy).unwrap();
    rename(&store, "Renamed");
    assert_eq!(label(&store), "Renamed");
    store.undo(&site).unwrap();
    assert_eq!(label(&store), first);
    store.redo(&site).unwrap();
    assert_eq!(label(&store), "Renamed");
    // The copy goes on to the same number with another name.
    store.take_over(&copy, "now").unwrap();
    assert_eq!(label(&store), first);
    rename(&store, "Otherwise");
    assert_eq!(label(&store), "Otherwise");
    // Two that count the same: a change starts from the one that is there.
    let other = folder.path().join("other.sqlite");
    store.backup(&other).unwrap();
    store.take_over(&copy, "again").unwrap();
    rename(&store, "Third");
    store.take_over(&other, "back").unwrap();
    let mut body = store
        .element(&site, Kind::Device, "gate-camera")
        .unwrap()
        .body;
    body["note"] = json!("looked at");
    let edit = Edit {
        kind: Kind::Device,
        id: "gate-camera".into(),
        based_on: None,
        body: Some(body),
    };
    let told = store.change(&site, &[edit], "note").unwrap();
    assert_eq!(told.plan.kit.devices[0].label, "Otherwise");
    drop(store);
    assert_eq!(
        Store::open(folder.path()).unwrap().plan(&site).unwrap(),
        told
    );
}
