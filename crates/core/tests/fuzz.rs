//! Plans that nobody would write: parsed and checked, mutated at random from a corpus, for a
//! bounded time.
//!
//! Nothing may panic, and no number in any answer may be other than finite. `ASH_POND_FUZZ_SECONDS`
//! and `ASH_POND_FUZZ_SEED` make it go on for longer or elsewhere; what it finds goes into
//! `tests/corpus/`.

use ash_pond_core::advice::compare::{Ask, Over, compare, crossings};
use ash_pond_core::ground::json;
use ash_pond_core::limits::checked;
use ash_pond_core::network::{Charge, Moment, evaluate, moments};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::answer;
use rand::prelude::*;
use rand::rngs::StdRng;
use serde_json::{Value, json};
use std::fmt::Debug;
use std::path::Path;
use std::time::{Duration, Instant};

/// The target: whatever the text is, it is refused with words or answered with finite numbers.
fn read_and_check(text: &str) -> bool {
    let plan = match Plan::parse(text) {
        Ok(plan) => plan,
        Err(error) => {
            assert!(!error.message.is_empty());
            return false;
        }
    };
    assert_eq!(
        Plan::parse(&plan.to_text()).expect("what was written is read"),
        plan
    );
    let ways: Vec<_> = plan.arrangements.iter().take(3).collect();
    let charge = Charge::uniform(0.3);
    for way in &ways {
        for moment in moments(&plan, way).iter().take(6) {
            finite(&evaluate(&plan, way, moment, &charge).expect("a moment of the arrangement"));
        }
        finite(&checked(&plan, way));
        finite(
            &answer(&plan, &[way], &Moment::Running, &charge)
                .expect("a moment of every arrangement"),
        );
    }
    if ways.len() > 1 {
        if let Ok(found) = compare(&plan, &ways, &charge, plan.outages.first()) {
            finite(&found);
        }
        for over in Over::ALL {
            if let Ok(found) = crossings(&plan, [ways[0], ways[1]], &charge, &Ask::over(*over)) {
                finite(&found);
            }
        }
    }
    true
}

/// Whether every number in a value is finite, by how it is written for debugging: what `null` hides
/// in JSON is told there. Text in quotes is left out.
fn finite(value: &impl Debug) {
    let text = format!("{value:?}");
    let mut quoted = false;
    let mut escaped = false;
    let mut bare = String::with_capacity(text.len());
    for letter in text.chars() {
        match letter {
            '"' if !escaped => quoted = !quoted,
            _ if !quoted => bare.push(letter),
            _ => {}
        }
        escaped = letter == '\\' && !escaped;
    }
    for word in bare.split(|it: char| !(it.is_alphanumeric() || it == '-' || it == '_')) {
        assert!(
            !matches!(word, "NaN" | "inf" | "-inf"),
            "not finite: {text}"
        );
    }
}

/// Every place of a tree, as JSON pointers.
fn places(value: &Value, at: &str, found: &mut Vec<String>) {
    match value {
        Value::Object(map) => map
            .iter()
            .for_each(|(key, it)| places(it, &format!("{at}/{key}"), found)),
        Value::Array(items) => {
            items
                .iter()
                .enumerate()
                .for_each(|(index, it)| places(it, &format!("{at}/{index}"), found));
        }
        _ => {}
    }
    found.push(at.to_owned());
}

/// Changes one place of a plan: a number to another or to an extreme, a thing away, double, or to
/// one found elsewhere.
fn mutate(plan: &mut Value, random: &mut StdRng) {
    let mut found = Vec::new();
    places(plan, "", &mut found);
    let at = found.choose(random).expect("a tree has a root").clone();
    let elsewhere = plan
        .pointer(found.choose(random).expect("a place"))
        .cloned()
        .unwrap_or(Value::Null);
    let (parent, key) = at.rsplit_once('/').map_or(("", ""), |it| it);
    match random.random_range(0..10) {
        0..=4 => {
            let number = plan.pointer(&at).and_then(Value::as_f64);
            let Some(number) = number else {
                return mutate_text(plan, &at, random);
            };
            let factor = *[0.0, 1e-9, 1e-3, 0.5, 1.01, 2.0, 10.0, 1e3, 1e6, -1.0]
                .choose(random)
                .expect("a factor");
            let extreme = *[0.0, 1.0, 1e12, 1e-300, 5e-324, 24.0, 0.999_999, 1e11]
                .choose(random)
                .expect("an extreme");
            *plan.pointer_mut(&at).expect("a place") = json!(if random.random_bool(0.7) {
                number * factor
            } else {
                extreme
            });
        }
        5 => {
            if let Some(map) = plan.pointer_mut(parent).and_then(Value::as_object_mut) {
                map.remove(key);
            }
        }
        6 => {
            if let Some(items) = plan.pointer_mut(&at).and_then(Value::as_array_mut) {
                match items.choose(random).cloned() {
                    Some(item) if random.random_bool(0.5) => items.push(item),
                    _ => items.shuffle(random),
                }
            }
        }
        7 => {
            if let Some(items) = plan.pointer_mut(&at).and_then(Value::as_array_mut)
                && !items.is_empty()
            {
                items.remove(random.random_range(0..items.len()));
            }
        }
        _ => *plan.pointer_mut(&at).expect("a place") = elsewhere,
    }
}

/// Changes a word to another that the format knows, or to one that it does not.
fn mutate_text(plan: &mut Value, at: &str, random: &mut StdRng) {
    const WORDS: [&str; 20] = [
        "ac",
        "dc",
        "lfp",
        "agm",
        "power",
        "current",
        "resistance",
        "starting",
        "busy",
        "stopping",
        "stepped",
        "sine",
        "junction",
        "charger",
        "standby",
        "online",
        "latches",
        "00:00",
        "24:00",
        "ä́\u{202e}",
    ];
    if let Some(place) = plan.pointer_mut(at).filter(|it| it.is_string()) {
        *place = json!(*WORDS.choose(random).expect("a word"));
    }
}

fn corpus() -> Vec<String> {
    let here = Path::new(env!("CARGO_MANIFEST_DIR"));
    let mut texts = vec![
        std::fs::read_to_string(here.join("../../../demo/hollin-lock.plan.json"))
            .expect("the demo"),
        ash_pond_core::site::kinds::TEXT.to_owned(),
    ];
    for folder in ["corpus", "cases"] {
        let mut files: Vec<_> = std::fs::read_dir(here.join(folder))
            .expect("a folder")
            .map(|it| it.expect("an entry").path())
            .collect();
        files.sort();
        for path in files
            .iter()
            .filter(|it| it.extension().is_some_and(|it| it == "json"))
        {
            let text = std::fs::read_to_string(path).expect("a file");
            let tree: Value = serde_json::from_str(&text).expect("JSON");
            texts.push(tree.get("plan").map_or(text, ToString::to_string));
        }
    }
    texts
}

#[test]
fn every_plan_of_the_corpus_is_read_and_answered() {
    let texts = corpus();
    assert!(texts.len() > 20);
    for text in texts {
        assert!(
            read_and_check(&text),
            "refused: {:?}",
            Plan::parse(&text).err()
        );
    }
}

#[test]
fn mutated_plans_neither_panic_nor_answer_what_is_not_finite() {
    let from = |name: &str, silent: u64| {
        std::env::var(name)
            .ok()
            .and_then(|it| it.parse().ok())
            .unwrap_or(silent)
    };
    let (until, seed) = (
        Duration::from_secs(from("ASH_POND_FUZZ_SECONDS", 20)),
        from("ASH_POND_FUZZ_SEED", 1),
    );
    let mut random = StdRng::seed_from_u64(seed);
    let seeds: Vec<Value> = corpus()
        .iter()
        .map(|it| json::parse(it).expect("the corpus is JSON"))
        .collect();
    let started = Instant::now();
    let (mut tried, mut answered) = (0_u32, 0_u32);
    while started.elapsed() < until {
        let mut plan = seeds.choose(&mut random).expect("a corpus").clone();
        for _ in 0..random.random_range(1..8) {
            let before = plan.clone();
            mutate(&mut plan, &mut random);
            // What is refused goes on from the last plan that was not, three times in four.
            if Plan::from_value(&plan).is_err() && random.random_bool(0.75) {
                plan = before;
            }
        }
        let mut text = plan.to_string();
        if random.random_bool(0.1) {
            let mut bytes = text.into_bytes();
            let at = random.random_range(0..bytes.len());
            bytes[at] = random.random_range(32..127);
            text = String::from_utf8_lossy(&bytes).into_owned();
        }
        let outcome = std::panic::catch_unwind(|| read_and_check(&text));
        let was = outcome.unwrap_or_else(|panicked| {
            println!(
                "found with seed {seed} after {tried} plans; put it into tests/corpus:\n{text}"
            );
            std::panic::resume_unwind(panicked)
        });
        answered += u32::from(was);
        tried += 1;
    }
    assert!(
        answered * 4 > tried,
        "only {answered} of {tried} mutated plans were read: the mutations are too wild"
    );
}
