//! Watches in the store: one is open at a time, entries come back in their order, nothing is
//! changed but what is taken back.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::{Store, StoreError};
use serde_json::json;

fn store() -> (tempfile::TempDir, Store, String) {
    let folder = tempfile::tempdir().unwrap();
    let store = Store::open(folder.path()).unwrap();
    let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
    let site = store.create_site(&plan).unwrap();
    (folder, store, site)
}

#[test]
fn one_watch_is_open_at_a_site_at_a_time() {
    let (_folder, store, site) = store();
    assert_eq!(
        store
            .begin_watch(&site, &json!({"a": 1}), 1000, true)
            .unwrap(),
        1
    );
    let error = store
        .begin_watch(&site, &json!({"a": 2}), 1000, true)
        .unwrap_err();
    assert!(
        matches!(&error, StoreError::Watched(_)) && error.to_string().contains("number 1"),
        "{error}"
    );
    // One of the past can be brought in beside it.
    assert_eq!(
        store
            .begin_watch(&site, &json!({"a": 3}), 1000, false)
            .unwrap(),
        2
    );
    assert_eq!(store.open_watches().unwrap().len(), 1);
    store.heard(&site, 1, 5000).unwrap();
    assert_eq!(store.watch(&site, 1).unwrap().heard_ms, 5000);
    store
        .change_watch(&site, 1, |row| Ok::<_, StoreError>((row.body, false)))
        .unwrap();
    assert!(store.open_watches().unwrap().is_empty());
    assert_eq!(store.begin_watch(&site, &json!({}), 1000, true).unwrap(), 3);
    let all: Vec<(i64, bool)> = store
        .watches(&site)
        .unwrap()
        .iter()
        .map(|it| (it.number, it.is_open))
        .collect();
    assert_eq!(all, [(3, true), (2, false), (1, false)]);
    // Nothing goes on at a site that was removed.
    store.remove_site(&site).unwrap();
    assert!(store.open_watches().unwrap().is_empty());
}

#[test]
fn entries_come_by_their_time_and_are_taken_back_one_by_one() {
    let (folder, store, site) = store();
    store.begin_watch(&site, &json!({}), 0, true).unwrap();
    assert_eq!(
        store
            .add_to_watch(
                &site,
                1,
                &[(60.0, json!({"b": 1})), (30.0, json!({"a": 1}))]
            )
            .unwrap(),
        2
    );
    assert_eq!(
        store
            .add_to_watch(&site, 1, &[(60.0, json!({"c": 1}))])
            .unwrap(),
        3
    );
    let order = |store: &Store| {
        let all = store.watch_entries(&site, 1).unwrap();
        all.iter()
            .map(|it| (it.number, it.undone))
            .collect::<Vec<_>>()
    };
    assert_eq!(order(&store), [(2, false), (1, false), (3, false)]);
    store.take_back(&site, 1, 1, true).unwrap();
    assert!(
        store.take_back(&site, 1, 9, true).is_err() && store.take_back(&site, 7, 1, true).is_err()
    );
    assert!(store.add_to_watch(&site, 7, &[(0.0, json!({}))]).is_err());
    // What is refused within the change leaves it as it was.
    let refused = store.change_watch(&site, 1, |_| {
        Err::<(serde_json::Value, bool), _>(StoreError::Watched("no".into()))
    });
    assert!(refused.is_err() && store.watch(&site, 1).unwrap().is_open);
    drop(store);
    // And after a restart it is all there.
    let store = Store::open(folder.path()).unwrap();
    assert_eq!(order(&store), [(2, false), (1, true), (3, false)]);
    store.take_back(&site, 1, 1, false).unwrap();
    assert_eq!(order(&store)[1], (1, false));
}

#[test]
fn what_was_chosen_is_found_by_its_name() {
    let (_folder, store, _site) = store();
    assert!(store.setting("watch-begins/x").unwrap().is_none());
    store
        .set_setting("watch-begins/x", Some(&json!({"meter": "m"})))
        .unwrap();
    store.set_setting("other", Some(&json!(1))).unwrap();
    assert_eq!(
        store.settings_below("watch-begins/").unwrap(),
        [("x".to_owned(), json!({"meter": "m"}))]
    );
    store.set_setting("watch-begins/x", None).unwrap();
    assert!(store.settings_below("watch-begins/").unwrap().is_empty());
}
