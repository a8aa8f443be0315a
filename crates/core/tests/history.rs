//! What a figure was before, by hand: where it stands, what a change changes of it, and which of
//! all that was said stands.

use ash_pond_core::bench::past::{Changed, Said, changed, stands, which};
use proptest::prelude::*;
use serde_json::{Value, json};

fn device(watts: &Value, more: &[Value]) -> Value {
    let mut phases = vec![
        json!({"when": "starting", "watts": 20, "seconds": 5}),
        json!({"when": "running", "watts": watts}),
    ];
    phases.extend_from_slice(more);
    json!({"id": "lamp", "label": "Lamp", "input": {"current": "dc", "rated_v": 12},
        "phases": phases})
}

fn said(value: f64, basis: &str) -> Said {
    let test = (basis == "measured").then_some("rows-1");
    Said::of(&json!({"value": value, "plus_minus": value / 20.0, "basis": basis, "test": test}))
        .unwrap()
}

#[test]
fn a_change_tells_the_figures_that_it_changes_and_no_others() {
    let places: Vec<String> = stands(&device(&json!(6), &[]))
        .into_iter()
        .map(|it| it.place)
        .collect();
    assert_eq!(
        places,
        [
            "input.rated_v",
            "phases[starting].watts",
            "phases[starting].seconds",
            "phases[running].watts"
        ]
    );
    let measured = json!({"value": 5.5, "basis": "measured"});
    let told = changed(&device(&json!(6), &[]), &device(&measured, &[]));
    let one = Changed {
        place: "phases[running].watts".into(),
        before: Some(json!(6)),
        after: Some(measured),
    };
    assert_eq!(told, [one]);
    // However it is written, the same is the same.
    assert!(
        changed(
            &device(&json!(6), &[]),
            &device(&json!({"value": 6.0}), &[])
        )
        .is_empty()
    );
    // A phase that is put in before the others, or taken out, changes none of theirs.
    let busy = json!({"when": "busy", "watts": 9});
    let mut before_all = device(&json!(6), &[]);
    before_all["phases"]
        .as_array_mut()
        .unwrap()
        .insert(0, busy.clone());
    assert!(changed(&device(&json!(6), &[]), &before_all).is_empty());
    assert!(changed(&device(&json!(6), &[busy]), &device(&json!(6), &[])).is_empty());
    // What is stated now and was not, and the other way round, is told.
    let mut weighed = device(&json!(6), &[]);
    weighed["weight_kg"] = json!(2);
    assert_eq!(changed(&device(&json!(6), &[]), &weighed)[0].before, None);
    assert_eq!(changed(&weighed, &device(&json!(6), &[]))[0].after, None);
}

#[test]
fn which_stands_says_why() {
    let label = said(30.0, "label");
    let measured = said(27.0, "measured");
    let told = |now: Option<&Said>, before: &[Said]| {
        which("watts", now, before, None).plain().into_owned()
    };
    assert_eq!(
        told(Some(&measured), std::slice::from_ref(&label)),
        "27.0 ± 1.4 W, measured by its test, stands in place of 30.0 ± 1.5 W, from its label: what \
        is measured comes before what is not."
    );
    assert!(
        told(Some(&label), &[said(20.0, "assumed")])
            .ends_with("what is stated comes before what is assumed.")
    );
    assert!(
        told(Some(&label), std::slice::from_ref(&measured))
            .ends_with("it was typed over what was surer.")
    );
    assert!(
        told(Some(&measured), &[said(28.0, "measured")]).ends_with("it is the later measurement.")
    );
    assert!(told(Some(&label), &[said(31.0, "label")]).ends_with("it was changed by hand."));
    assert_eq!(
        told(Some(&label), &[]),
        "30.0 ± 1.5 W, from its label, stands; nothing else was said of it."
    );
    assert_eq!(
        told(None, std::slice::from_ref(&label)),
        "Nothing is stated any more; it was 30.0 ± 1.5 W, from its label."
    );
    let late = which("watts", Some(&label), &[], Some((&measured, "3 May 2026")))
        .plain()
        .into_owned();
    assert!(
        late.ends_with("A test of 3 May 2026 says 27.0 ± 1.4 W, and is not in use."),
        "{late}"
    );
}

fn any_value() -> impl Strategy<Value = Value> {
    let leaf = prop_oneof![
        any::<bool>().prop_map(Value::from),
        any::<i32>().prop_map(Value::from),
        "[a-c]{0,3}".prop_map(Value::from)
    ];
    leaf.prop_recursive(4, 24, 4, |inner| {
        prop_oneof![
            prop::collection::vec(inner.clone(), 0..4).prop_map(Value::from),
            prop::collection::btree_map(
                prop_oneof!["value", "id", "watts", "phases", "basis"].prop_map(String::from),
                inner,
                0..4
            )
            .prop_map(|it| json!(it)),
        ]
    })
}

proptest! {
    #![proptest_config(ProptestConfig { failure_persistence: None, ..ProptestConfig::default() })]

    /// Whatever a body holds: places are there once, nothing changes of itself, and back is forth
    /// turned round.
    #[test]
    fn a_change_and_its_way_back_tell_the_same(one in any_value(), other in any_value()) {
        let places: Vec<String> = stands(&one).into_iter().map(|it| it.place).collect();
        let mut once = places.clone();
        once.sort();
        once.dedup();
        prop_assert_eq!(once.len(), places.len(), "{:?}", places);
        prop_assert!(changed(&one, &one).is_empty());
        let back: Vec<Changed> = changed(&other, &one).into_iter()
            .map(|it| Changed { place: it.place, before: it.after, after: it.before }).collect();
        prop_assert_eq!(changed(&one, &other), back);
    }
}
