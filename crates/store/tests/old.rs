//! Every older version of the database opens, and nothing of it is lost.

use ash_pond_store::{Kind, LogAsked, Store};
use serde_json::json;
use std::path::Path;

#[test]
fn every_older_database_opens_with_all_that_it_held() {
    let folder = Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/old");
    for version in 1..=10 {
        let sql = std::fs::read_to_string(folder.join(format!("v{version}.sql"))).unwrap();
        let data = tempfile::tempdir().unwrap();
        rusqlite::Connection::open(data.path().join("ash-pond.sqlite"))
            .unwrap()
            .execute_batch(&format!("PRAGMA foreign_keys = OFF; {sql}"))
            .unwrap();
        let store = Store::open(data.path()).unwrap();
        let plan = store.plan("old-lock").unwrap().plan;
        assert_eq!(plan.site.name, "Old lock", "version {version}");
        assert!((plan.device("lamp").unwrap().phases[0].watts.get() - 6.0).abs() < 1e-9);
        if version >= 3 {
            let (walk, reads) = store.latest_walk("old-lock", "direct").unwrap();
            assert_eq!(
                (walk, reads.len(), reads[0].joint.as_str()),
                (1, 1, "bank/posts")
            );
        }
        if version >= 4 {
            let test = store.test("old-lock", "idle-bank").unwrap();
            assert_eq!(
                (&test.body["note"], test.upload.as_deref()),
                (&json!("old"), Some("kept"))
            );
            let file = store
                .file_part("old-lock", "idle-bank", "kept", 0)
                .unwrap()
                .unwrap();
            assert_eq!(file, b"time_s,volts\n0,12\n");
        }
        if version >= 5 {
            assert_eq!(store.instruments().unwrap()[0]["name"], "red meter");
            assert_eq!(store.meters().unwrap()[0].label, "Bench meter");
        }
        if version >= 7 {
            let series = store.series().unwrap();
            assert_eq!(
                (series[0].meter.as_str(), series[0].last_ms),
                ("bench", Some(1_770_000_000_000))
            );
        }
        let watches = store.watches("old-lock").unwrap();
        assert_eq!(watches.len(), usize::from(version >= 8));
        if version >= 8 {
            assert_eq!(
                store.watch_entries("old-lock", 1).unwrap()[0].body["text"],
                "old"
            );
        }
        // What there was before the log was stands in it.
        let log = store
            .log(
                "old-lock",
                &LogAsked {
                    limit: 10,
                    ..LogAsked::default()
                },
            )
            .unwrap();
        let of = |kind: &str| log.iter().filter(|it| it.entry.kind == kind).count();
        assert_eq!(
            (of("walk"), of("test")),
            (usize::from(version >= 3), usize::from(version >= 4))
        );
        let flickers = LogAsked {
            words: "flick".into(),
            limit: 10,
            ..LogAsked::default()
        };
        assert_eq!(
            store.log("old-lock", &flickers).unwrap().len(),
            usize::from(version >= 9)
        );
        // Its journal goes on.
        assert_eq!(store.undo("old-lock").unwrap().words, "lamp: 5 to 6 W");
        let lamp = store.element("old-lock", Kind::Device, "lamp").unwrap();
        assert_eq!(lamp.body["phases"][0]["watts"], json!(5));
        store.redo("old-lock").unwrap();
    }
}
