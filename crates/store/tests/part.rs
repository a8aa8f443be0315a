//! A site that is held in memory is changed by what was touched alone. A law holds it against the
//! same folder opened anew before each step, where everything is read: they tell the same, refuse
//! the same in the same words, and keep the same.

use ash_pond_core::site::plan::Plan;
use ash_pond_store::element::Anew;
use ash_pond_store::{Edit, Kind, Revised, Store};
use proptest::prelude::*;
use serde_json::{Value, json};

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads")
}

/// What a person, or a careless program, does next. Numbers choose among what is there.
#[derive(Debug, Clone)]
enum Act {
    /// Puts something in the place of one of the values of an element.
    Set {
        element: usize,
        place: usize,
        value: Value,
    },
    /// Puts a copy of an element under another id beside it.
    Copy {
        element: usize,
    },
    /// Takes an element away, and changes another in the same step.
    Remove {
        element: usize,
        other: usize,
        place: usize,
        value: Value,
    },
    Undo,
    Redo,
}

fn values() -> impl Strategy<Value = Value> {
    prop_oneof![
        4 => (1..40u32).prop_map(|it| json!(f64::from(it) / 2.0)),
        1 => Just(json!(-1)),
        1 => Just(json!(null)),
        1 => Just(json!("Gate\u{202e} house")),
        1 => Just(json!({"value": 3.0, "basis": "assumed"})),
        1 => Just(json!([])),
    ]
}

fn acts() -> impl Strategy<Value = Act> {
    let any = || 0..1000usize;
    prop_oneof![
        5 => (any(), any(), values()).prop_map(|(element, place, value)| Act::Set { element,
            place, value }),
        1 => any().prop_map(|element| Act::Copy { element }),
        1 => (any(), any(), any(), values()).prop_map(|(element, other, place,
            value)| Act::Remove { element, other, place, value }),
        2 => Just(Act::Undo),
        1 => Just(Act::Redo),
    ]
}

/// The places of a document that have no further ones in them, as pointers.
fn places(value: &Value, at: &str, found: &mut Vec<String>) {
    match value {
        Value::Object(map) => {
            for (key, it) in map {
                places(it, &format!("{at}/{key}"), found);
            }
        }
        Value::Array(list) => {
            for (index, it) in list.iter().enumerate() {
                places(it, &format!("{at}/{index}"), found);
            }
        }
        _ => found.push(at.to_owned()),
    }
}

fn edit(now: &Revised, element: usize, change: impl FnOnce(&mut Value)) -> Edit {
    let it = &now.elements[element % now.elements.len()];
    let mut body = it.body.clone();
    change(&mut body);
    Edit {
        kind: it.kind,
        id: it.id.clone(),
        based_on: Some(it.revision),
        body: Some(body),
    }
}

fn set(now: &Revised, element: usize, place: usize, value: &Value) -> Edit {
    edit(now, element, |body| {
        let mut found = Vec::new();
        places(body, "", &mut found);
        found.retain(|it| it != "/id");
        if let Some(it) = found
            .get(place % found.len().max(1))
            .and_then(|it| body.pointer_mut(it))
        {
            *it = value.clone();
        }
    })
}

/// The edits of an act; none where it is a step of the journal.
fn edits(now: &Revised, act: &Act) -> Option<Vec<Edit>> {
    match act {
        Act::Set {
            element,
            place,
            value,
        } => Some(vec![set(now, *element, *place, value)]),
        Act::Copy { element } => {
            let made = edit(now, *element, |body| body["id"] = json!("another"));
            // A site is there once; its id is not among its fields.
            let new = Edit {
                id: "another".into(),
                based_on: None,
                ..made
            };
            Some(if new.kind == Kind::Site {
                vec![set(now, *element, 0, &json!("Elsewhere"))]
            } else {
                vec![new]
            })
        }
        Act::Remove {
            element,
            other,
            place,
            value,
        } => {
            let it = &now.elements[element % now.elements.len()];
            let gone = Edit {
                kind: it.kind,
                id: it.id.clone(),
                based_on: None,
                body: None,
            };
            let also = set(now, *other, *place, value);
            Some(if (also.kind, &also.id) == (gone.kind, &gone.id) {
                vec![gone]
            } else {
                vec![also, gone]
            })
        }
        Act::Undo | Act::Redo => None,
    }
}

fn done(store: &Store, site: &str, act: &Act, edits: Option<&[Edit]>) -> Result<Revised, String> {
    let told = match (act, edits) {
        (Act::Undo, _) => store.undo(site).map(|it| it.site),
        (_, None) => store.redo(site).map(|it| it.site),
        (_, Some(edits)) => store.change(site, edits, "a step"),
    };
    told.map_err(|it| it.to_string())
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 24, ..ProptestConfig::default() })]

    #[test]
    fn what_was_touched_is_read_as_everything_is(acts in prop::collection::vec(acts(), 1..12)) {
        let folders = [tempfile::tempdir().unwrap(), tempfile::tempdir().unwrap()];
        let held = Store::open(folders[0].path()).unwrap();
        let site = held.create_site(&demo()).unwrap();
        Store::open(folders[1].path()).unwrap().create_site(&demo()).unwrap();
        for act in &acts {
            let now = held.plan(&site).unwrap();
            let edits = edits(&now, act);
            let one = done(&held, &site, act, edits.as_deref());
            // Opened anew it holds nothing, so that the step reads everything.
            let other = Store::open(folders[1].path()).unwrap();
            prop_assert_eq!(&one, &done(&other, &site, act, edits.as_deref()));
            if let Some(edits) = &edits {
                let changes: Vec<_> = edits.iter().map(|it| (it.kind, it.id.as_str(),
                    it.body.as_ref())).collect();
                let would = now.with(&changes, Anew::Written).map_err(|it| it.to_string());
                prop_assert_eq!(would,
                    one.as_ref().map(|it| Plan::clone(&it.plan)).map_err(Clone::clone), "looked at \
                        before");
            }
            let after = held.plan(&site).unwrap();
            prop_assert_eq!(&after, &one.unwrap_or(now));
            drop(other);
            prop_assert_eq!(&after, &Store::open(folders[1].path()).unwrap().plan(&site).unwrap());
        }
    }
}
