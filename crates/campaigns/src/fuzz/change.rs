//! Odd things made from good ones.

use rand::RngExt as _;
use rand::rngs::StdRng;
use serde_json::{Value, json};

/// What stands where something good stood.
const ODD_WORDS: [&str; 22] = [
    "",
    " ",
    "0",
    "-1",
    "1e309",
    "-0",
    "NaN",
    "inf",
    "1e-320",
    "999999999999999999999",
    "½",
    "±",
    "\u{202e}",
    "\u{0}",
    "'",
    "\"",
    "=1+1",
    "..",
    "水",
    "\r\n",
    ",,,,",
    "-273.16",
];

/// A text with a few changes, small and large.
pub(super) fn odd_text(text: &str, chance: &mut StdRng) -> String {
    let mut letters: Vec<char> = text.chars().collect();
    for _ in 0..chance.random_range(1..5) {
        let at = chance.random_range(0..=letters.len());
        let to = (at + chance.random_range(0..6)).min(letters.len());
        match chance.random_range(0..6) {
            0 => drop(letters.drain(at..to)),
            1 => {
                let word = ODD_WORDS[chance.random_range(0..ODD_WORDS.len())];
                letters.splice(at..at, word.chars());
            }
            2 => {
                let part = letters[at..to].to_vec();
                letters.splice(at..at, part);
            }
            3 if at < letters.len() => letters[at] = char::from(chance.random_range(9..127)),
            4 if at < letters.len() => {
                let digit = chance.random_range(0..10);
                letters[at] = char::from_digit(digit, 10).unwrap_or('0');
            }
            _ => {
                let other = chance.random_range(0..=letters.len());
                let (low, high) = (at.min(other), at.max(other).min(at.min(other) + 40));
                letters[low..high].reverse();
            }
        }
    }
    letters.into_iter().collect()
}

/// A value with a few of its parts changed.
pub(super) fn odd_json(value: &Value, chance: &mut StdRng) -> Value {
    let mut odd = value.clone();
    for _ in 0..chance.random_range(1..4) {
        change(&mut odd, chance, 0);
    }
    odd
}

/// Goes down to some part of a value, and changes it there.
fn change(value: &mut Value, chance: &mut StdRng, depth: u32) {
    let goes_on = depth == 0 || chance.random_bool(0.85);
    match value {
        Value::Object(fields) if goes_on && !fields.is_empty() => {
            let at = chance.random_range(0..fields.len());
            let key = fields.keys().nth(at).cloned().unwrap_or_default();
            if chance.random_bool(0.05) {
                fields.remove(&key);
            } else if let Some(it) = fields.get_mut(&key) {
                change(it, chance, depth + 1);
            }
        }
        Value::Array(list) if goes_on && !list.is_empty() => {
            let at = chance.random_range(0..list.len());
            match chance.random_range(0..20) {
                0 => drop(list.remove(at)),
                1 => {
                    let same = list[at].clone();
                    list.push(same);
                }
                _ => change(&mut list[at], chance, depth + 1),
            }
        }
        Value::Number(number) if chance.random_bool(0.9) => {
            let was = number.as_f64().unwrap_or_default();
            let factors = [
                0.0, -1.0, 1e-3, 0.5, 0.99, 1.01, 2.0, 1e3, 1e9, 1e300, 1e-300,
            ];
            let it = was * factors[chance.random_range(0..factors.len())];
            *value = if it.is_finite() {
                json!(it)
            } else {
                json!(f64::MAX)
            };
        }
        _ => {
            let word = ODD_WORDS[chance.random_range(0..ODD_WORDS.len())];
            *value = match chance.random_range(0..5) {
                0 => Value::Null,
                1 => json!([]),
                2 => json!({}),
                3 => json!(chance.random_range(-1_000_000..1_000_000)),
                _ => json!(word),
            };
        }
    }
}
