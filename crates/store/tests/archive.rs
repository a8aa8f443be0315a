//! One site whole in a file: what was put in comes out elsewhere, and what is no archive opens
//! nothing.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::readings::Sample;
use ash_pond_store::{Edit, Kind, Store, StoreError, TestStep, WalkRead};
use serde_json::json;
use std::io::{Read as _, Write as _};
use std::path::Path;
use tempfile::TempDir;

const MADE: &str = "2026-03-02T10:00:00Z";

fn open() -> (TempDir, Store) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    (folder, store)
}

/// A site with a test, its file in three parts, a walk, an instrument and readings.
fn filled() -> (TempDir, Store, String, String) {
    let (folder, store) = open();
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let site = store.create_site(&plan).unwrap();
    let body = json!({"protocol": "idle", "of": {"kind": "converter", "id": "small-inverter"},
        "note": "cold shed"});
    let (test, _) = store
        .begin_test(&site, "idle", &body, "2026-03-01T10:00:00Z", "begun")
        .unwrap();
    let upload = store.begin_upload();
    for part in 0..3 {
        store
            .keep_part(
                &site,
                &test,
                &upload.name,
                part,
                &vec![b'0' + u8::try_from(part).unwrap(); 700_000],
            )
            .unwrap();
    }
    let name = upload.name.clone();
    let step = TestStep {
        upload: Some(name),
        words: "file".into(),
        ..TestStep::default()
    };
    store
        .change_test::<StoreError>(&site, &test, None, "2026-03-01T11:00:00Z", |_, _| Ok(step))
        .unwrap();
    drop(upload);
    for volts in [12.9, 12.7] {
        store
            .keep_walk_read::<StoreError>(&site, "direct", false, |walk, _| {
                let (joint, shows, at) = (
                    "cabin-bank/posts".into(),
                    "expected".into(),
                    "2026-03-01T12:00:00Z".into(),
                );
                Ok(WalkRead {
                    id: 0,
                    joint,
                    volts,
                    low_v: Some(12.0),
                    high_v: None,
                    shows,
                    at,
                    walk,
                })
            })
            .unwrap();
    }
    let red = json!({"name": "red meter", "share": 0.005, "fixed": 0.0, "step": 0.01});
    store
        .keep_instrument(None, "red meter", Some(&red))
        .unwrap();
    store.keep_samples(&samples(0..5_000)).unwrap();
    let mut router = store.element(&site, Kind::Device, "router").unwrap().body;
    router["phases"][0]["watts"] = json!(11.25);
    let edit = Edit {
        kind: Kind::Device,
        id: "router".into(),
        based_on: None,
        body: Some(router),
    };
    store.change(&site, &[edit], "router").unwrap();
    (folder, store, site, test)
}

fn samples(seconds: std::ops::Range<i64>) -> Vec<Sample> {
    let one = |it: i64| Sample {
        meter: "monitor".into(),
        name: "volts".into(),
        unit: "V".into(),
        at_ms: 1_700_000_000_000 + it * 1000,
        value: 12.0 + f64::from(u8::try_from(it % 50).unwrap()) / 100.0,
    };
    seconds.map(one).collect()
}

fn file_of(store: &Store, site: &str, test: &str) -> Vec<u8> {
    let upload = store.test(site, test).unwrap().upload.unwrap();
    (0..)
        .map_while(|part| store.file_part(site, test, &upload, part).unwrap())
        .flatten()
        .collect()
}

#[test]
fn a_site_opens_elsewhere_with_all_that_it_had() {
    let (folder, store, site, test) = filled();
    let file = folder.path().join("lock.zip");
    let bytes = store.archive(&site, &file, MADE, true).unwrap();
    assert_eq!(bytes, std::fs::metadata(&file).unwrap().len());
    let (_elsewhere, other) = open();
    let opened = other.open_archive(&file).unwrap();
    let past = |store: &Store, site: &str| -> Vec<_> {
        let places = store.past_places(site).unwrap();
        places
            .iter()
            .flat_map(|it| store.past_of(site, it).unwrap())
            .collect()
    };
    assert_eq!(past(&store, &site).len(), 1);
    assert_eq!(past(&other, &opened), past(&store, &site));
    assert_eq!(
        other.plan(&opened).unwrap().plan,
        store.plan(&site).unwrap().plan
    );
    let (one, same) = (
        store.test(&site, &test).unwrap(),
        other.test(&opened, &test).unwrap(),
    );
    assert_eq!(
        (one.begun, one.changed, one.body, one.replaced),
        (same.begun, same.changed, same.body, same.replaced)
    );
    assert_eq!(
        file_of(&other, &opened, &test),
        file_of(&store, &site, &test)
    );
    let volts = |it: &Store, site: &str| -> Vec<u64> {
        it.latest_walk(site, "direct")
            .unwrap()
            .1
            .iter()
            .map(|it| it.volts.to_bits())
            .collect()
    };
    assert_eq!(volts(&other, &opened), volts(&store, &site));
    assert_eq!(other.instruments().unwrap(), store.instruments().unwrap());
    let (here, there) = (store.series().unwrap(), other.series().unwrap());
    assert_eq!(
        (here[0].first_ms, here[0].last_ms),
        (there[0].first_ms, there[0].last_ms)
    );
    assert_eq!(
        store.thinned(here[0].id, 0, i64::MAX, 50).unwrap(),
        other.thinned(there[0].id, 0, i64::MAX, 50).unwrap()
    );
    // It is a site like any other from now on: its parts stay when uploads are swept, and it is put
    // in an archive again.
    other.sweep_uploads().unwrap();
    assert_eq!(file_of(&other, &opened, &test).len(), 2_100_000);
    let again = folder.path().join("again.zip");
    other.archive(&opened, &again, MADE, true).unwrap();
    let text = |path: &Path, name: &str| {
        let mut zip = zip::ZipArchive::new(std::fs::File::open(path).unwrap()).unwrap();
        let mut text = String::new();
        zip.by_name(name)
            .unwrap()
            .read_to_string(&mut text)
            .unwrap();
        text
    };
    for name in [
        "plan.json",
        "archive.json",
        "walks.csv",
        "readings/1.csv",
        "readings/1-spans.csv",
    ] {
        assert_eq!(text(&file, name), text(&again, name), "{name}");
    }
}

#[test]
fn opened_where_it_is_it_stands_beside_and_readings_are_there_once() {
    let (folder, store, site, _) = filled();
    let file = folder.path().join("lock.zip");
    store.archive(&site, &file, MADE, true).unwrap();
    store.keep_samples(&samples(5_000..6_000)).unwrap();
    let opened = store.open_archive(&file).unwrap();
    assert_ne!(opened, site);
    assert_eq!(
        (store.sites().unwrap().len(), store.series().unwrap().len()),
        (2, 1)
    );
    let counted: i64 = store
        .thinned(1, 0, i64::MAX, 10)
        .unwrap()
        .iter()
        .map(|it| it.count)
        .sum();
    assert_eq!(counted, 6_000);
    let without = folder.path().join("without.zip");
    assert!(
        store.archive(&site, &without, MADE, false).unwrap()
            < std::fs::metadata(&file).unwrap().len()
    );
}

#[test]
fn what_is_no_archive_opens_nothing() {
    let (folder, store, site, _) = filled();
    let file = folder.path().join("lock.zip");
    store.archive(&site, &file, MADE, true).unwrap();
    let whole = std::fs::read(&file).unwrap();
    let bad = folder.path().join("bad.zip");
    let refused = |bytes: &[u8]| {
        std::fs::write(&bad, bytes).unwrap();
        store.open_archive(&bad).unwrap_err().to_string()
    };
    for bytes in [
        &b"PK"[..],
        b"not a zip",
        &whole[..whole.len() / 2],
        &whole[..whole.len() - 5],
        b"",
    ] {
        assert!(
            refused(bytes).contains("archive cannot be opened"),
            "{}",
            refused(bytes)
        );
    }
    // A byte that flipped in the file of the test is found by its checksum.
    let mut flipped = whole.clone();
    flipped[200] ^= 0xff;
    assert!(
        refused(&flipped).contains("archive"),
        "{}",
        refused(&flipped)
    );
    let zip = |files: &[(&str, &str)]| {
        let mut zip = zip::ZipWriter::new(std::io::Cursor::new(Vec::new()));
        for (name, text) in files {
            zip.start_file(*name, zip::write::SimpleFileOptions::default())
                .unwrap();
            zip.write_all(text.as_bytes()).unwrap();
        }
        zip.finish().unwrap().into_inner()
    };
    let index = |format: &str, version: u32, tests: &str| {
        format!(
            r#"{{"format":"{format}","version":{version},"made":"","site":"x","tests":{tests},
                "instruments":[],"series":[]}}"#
        )
    };
    let plan = store.plan(&site).unwrap().plan.to_text();
    let walks = "arrangement,walk,joint,volts,low_v,high_v,shows,at\n";
    let good = index("ash-pond/archive", 1, "[]");
    let test =
        r#"[{"id":"t","begun":"","changed":"","body":{"protocol":7},"replaced":null,"file":null}]"#;
    for (files, expected) in [
        (vec![("archive.json", index("other", 1, "[]"))], "format"),
        (
            vec![("archive.json", index("ash-pond/archive", 2, "[]"))],
            "newer",
        ),
        (vec![("archive.json", good.clone())], "plan.json"),
        (
            vec![("archive.json", good.clone()), ("plan.json", "{}".into())],
            "format",
        ),
        (
            vec![
                ("archive.json", index("ash-pond/archive", 1, test)),
                ("plan.json", plan.clone()),
            ],
            "its test \"t\"",
        ),
        (
            vec![("archive.json", good.clone()), ("plan.json", plan.clone())],
            "walks.csv",
        ),
        (
            vec![
                ("archive.json", good.clone()),
                ("plan.json", plan.clone()),
                ("walks.csv", format!("{walks}a,b,c\n")),
            ],
            "row 1 of its walks.csv",
        ),
    ] {
        let files: Vec<(&str, &str)> = files.iter().map(|it| (it.0, it.1.as_str())).collect();
        let why = refused(&zip(&files));
        assert!(why.contains(expected), "{expected}: {why}");
    }
    assert_eq!(
        store.sites().unwrap().len(),
        1,
        "none of them left anything behind"
    );
    let files = [
        ("archive.json", good.as_str()),
        ("plan.json", &plan),
        ("walks.csv", walks),
    ];
    std::fs::write(&bad, zip(&files)).unwrap();
    assert!(store.open_archive(&bad).is_ok(), "the least that opens");
}
