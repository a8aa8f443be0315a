//! A process that is killed in the middle of a stream of writes loses none that it acknowledged.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::{Edit, Kind, Store, StoreError, TestStep};
use serde_json::json;
use std::io::{BufRead, BufReader};
use std::path::Path;
use std::process::{Command, Stdio};

const FOLDER: &str = "ASH_POND_TEST_KILLED_FOLDER";
const ROUNDS: u32 = 12;

/// The process that is killed: it writes rising numbers and prints each one once it is
/// acknowledged. Run as a test of its own without the folder, it has nothing to do.
#[test]
fn child_that_writes() {
    let Some(folder) = std::env::var_os(FOLDER) else {
        return;
    };
    let store = Store::open(Path::new(&folder)).unwrap();
    let site = store.sites().unwrap().first().map(|it| it.id.clone());
    let site = site.unwrap_or_else(|| store.create_site(&Plan::empty("Killed")).unwrap());
    for number in last_written(&store, &site) + 1.. {
        let ambient = store
            .plan(&site)
            .unwrap()
            .plan
            .site
            .ambient_c
            .as_ref()
            .map(|it| it.get());
        let mut body = json!({"name": "Killed", "ambient_c": ambient,
            "energy_price": {"per_kwh": number, "currency": "EUR"}});
        if ambient.is_none() {
            body.as_object_mut().unwrap().remove("ambient_c");
        }
        let edit = Edit {
            kind: Kind::Site,
            id: "site".into(),
            based_on: None,
            body: Some(body),
        };
        store
            .change(&site, &[edit], &format!("write {number}"))
            .unwrap();
        bench(&store, &site, number);
        println!("\nacknowledged {number}");
    }
}

/// A test whose figure goes into the plan and is taken back by turns, a part of a file that may
/// never end, and a reading: each is whole or not there, whenever the process is killed.
fn bench(store: &Store, site: &str, number: u32) {
    if store.tests(site).unwrap().is_empty() {
        store
            .begin_test(
                site,
                "idle",
                &json!({"protocol": "idle"}),
                "2026-03-01T10:00:00Z",
                "begun",
            )
            .unwrap();
    }
    store
        .change_test::<StoreError>(site, "idle", None, "2026-03-01T10:00:00Z", |plan, row| {
            let was = plan.plan.site.ambient_c.as_ref().map(|it| it.get());
            let in_use = row.replaced.is_some();
            assert_eq!(
                in_use,
                was.is_some(),
                "a figure is in the plan with no way back, or the other way round"
            );
            let mut body = plan
                .elements
                .iter()
                .find(|it| it.kind == Kind::Site)
                .unwrap()
                .body
                .clone();
            if in_use {
                body.as_object_mut().unwrap().remove("ambient_c");
            } else {
                body["ambient_c"] = json!(5);
            }
            let edit = Edit {
                kind: Kind::Site,
                id: "site".into(),
                based_on: None,
                body: Some(body),
            };
            let replaced = Some((!in_use).then(|| json!(number)));
            Ok(TestStep {
                replaced,
                edits: vec![edit],
                words: format!("write {number}"),
                ..TestStep::default()
            })
        })
        .unwrap();
    let upload = store.begin_upload();
    store
        .keep_part(site, "idle", &upload.name, 0, &[7; 4096])
        .unwrap();
    store
        .change_test::<StoreError>(site, "idle", None, "2026-03-01T10:00:00Z", |_, _| {
            let upload = Some(upload.name.clone());
            Ok(TestStep {
                upload,
                words: format!("write {number}"),
                ..TestStep::default()
            })
        })
        .unwrap();
}

fn last_written(store: &Store, site: &str) -> u32 {
    let price = store.plan(site).unwrap().plan.site.energy_price.clone();
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "small whole numbers"
    )]
    price.map_or(0, |it| it.per_kwh.get() as u32)
}

#[test]
fn every_acknowledged_write_is_there_after_a_kill() {
    let folder = tempfile::tempdir().unwrap();
    let mut acknowledged = 0;
    for round in 0..ROUNDS {
        let mut child = Command::new(std::env::current_exe().unwrap())
            .args([
                "--exact",
                "killed::child_that_writes",
                "--nocapture",
                "--test-threads=1",
            ])
            .env(FOLDER, folder.path())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .unwrap();
        let lines = BufReader::new(child.stdout.take().unwrap())
            .lines()
            .map_while(Result::ok);
        let wanted = acknowledged + 1 + round * 7 % 23;
        for line in lines {
            if let Some(number) = line.strip_prefix("acknowledged ") {
                acknowledged = number.parse().unwrap();
                if acknowledged >= wanted {
                    // Killed as it is: the next write is under way.
                    child.kill().unwrap();
                    break;
                }
            }
        }
        child.wait().unwrap();
        let store = Store::open(folder.path()).unwrap();
        let site = store.sites().unwrap()[0].id.clone();
        let found = last_written(&store, &site);
        // One more may have reached the disk whose acknowledgement was not read any more.
        assert!(
            found >= acknowledged,
            "round {round}: {acknowledged} was acknowledged, {found} is there"
        );
        assert!(
            store.journal(&site).unwrap()[0]
                .words
                .ends_with(&found.to_string())
        );
        acknowledged = found;
        // What was put to use has its way back, what was not has none, and a file that counts is
        // there.
        let in_use = store.plan(&site).unwrap().plan.site.ambient_c.is_some();
        if let Some(test) = store.tests(&site).unwrap().pop() {
            assert_eq!(test.replaced.is_some(), in_use);
            if let Some(upload) = test.upload {
                assert!(
                    store
                        .file_part(&site, "idle", &upload, 0)
                        .unwrap()
                        .is_some()
                );
            }
        }
    }
    assert!(acknowledged >= ROUNDS);
}
