//! What is typed for a figure: written, it is read back; whatever is typed, nothing panics.

mod common;

use ash_pond_core::entry::{Around, DecimalMark, Target, read};
use ash_pond_core::figure::Basis;
use common::close;
use proptest::prelude::*;

const BASES: [(Basis, &str); 4] =
    [(Basis::Assumed, "a"), (Basis::Label, "l"), (Basis::Datasheet, "d"), (Basis::Measured, "m")];

/// A number with three digits behind the point or comma.
fn written(value: f64, decimal: DecimalMark) -> String {
    let text = format!("{value:.3}");
    if decimal == DecimalMark::Comma { text.replace('.', ",") } else { text }
}

fn thousandths(value: f64) -> f64 {
    (value * 1000.0).round() / 1000.0
}

fn decimal() -> impl Strategy<Value = DecimalMark> {
    prop::sample::select(vec![DecimalMark::Point, DecimalMark::Comma])
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None, ..ProptestConfig::default() })]

    #[test]
    fn what_is_written_is_read_back(value in 0.0..5000.0_f64, half in 0.0..50.0_f64, basis in 0_usize..4, decimal in decimal(), unit in any::<bool>()) {
        let (value, half) = (thousandths(value), thousandths(half));
        let (basis, letter) = BASES[basis];
        let unit = if unit { " W" } else { "" };
        let text = format!("{}{unit} ± {}{unit} {letter}", written(value, decimal), written(half, decimal));
        let entry = read(&text, Target::Watts, Around { decimal, ..Around::default() }).unwrap();
        prop_assert!(close(entry.value, value, 1e-12), "{text}: {}", entry.value);
        prop_assert!(close(entry.plus_minus.unwrap(), half, 1e-9));
        prop_assert_eq!(entry.basis, basis);
    }

    /// Every form of the same power comes to it.
    #[test]
    fn every_form_comes_to_the_same_watts(watts in 0.1..200.0_f64, volts in 1.0..60.0_f64, hours in 0.1..100.0_f64, decimal in decimal()) {
        let (volts, hours) = (thousandths(volts), thousandths(hours));
        let amps = watts / volts;
        let w = |value: f64| if decimal == DecimalMark::Comma { format!("{value:.9}").replace('.', ",") } else { format!("{value:.9}") };
        let forms = [
            format!("{} W", w(watts)),
            format!("{} mW", w(watts * 1000.0)),
            format!("{} A {} V", w(amps), w(volts)),
            format!("{} V {} A", w(volts), w(amps)),
            format!("{} mA × {} V", w(amps * 1000.0), w(volts)),
            format!("{} mAh/h {} V", w(amps * 1000.0), w(volts)),
            format!("{} Wh/day", w(watts * 24.0)),
            format!("{} Wh in {} h", w(watts * hours), w(hours)),
            format!("{} kWh over {} h", w(watts * hours / 1000.0), w(hours)),
            format!("{} Ah/{}h", w(amps * hours), w(hours)),
        ];
        for text in forms {
            let entry = read(&text, Target::Watts, Around { volts: Some(volts), running: true, decimal }).unwrap();
            prop_assert!(close(entry.value, watts, 1e-5), "{text}: {} and not {watts}", entry.value);
        }
    }

    #[test]
    fn nothing_that_is_typed_panics(text in "\\PC{0,60}", target in 0_usize..10) {
        if let Ok(entry) = read(&text, Target::ALL[target], Around::default()) {
            prop_assert!(entry.value.is_finite() && entry.value >= 0.0);
            prop_assert!(entry.plus_minus.is_none_or(|it| it.is_finite() && it >= 0.0));
        }
    }

    /// Words of entries in any order: the likeliest way to trip a reader.
    #[test]
    fn no_order_of_its_words_panics(words in prop::collection::vec(prop::sample::select(vec![
        "1", "0", "2.5", ",", "1,000", "-3", "1e9", "999999999999999", "±", "+-", "/", "×", "W", "V", "A", "mA", "Ah", "mAh", "Wh", "kWh", "h", "day", "d", "m", "l",
        "%", "in", "over", "per", "at", "min", "s"]), 0..9), target in 0_usize..10, decimal in decimal()) {
        let text = words.join(" ");
        for text in [text.clone(), text.replace(' ', "")] {
            match read(&text, Target::ALL[target], Around { volts: Some(12.0), running: true, decimal }) {
                Ok(entry) => prop_assert!(entry.value.is_finite() && entry.value >= 0.0, "{text}"),
                Err(why) => prop_assert!(why.contains("Write "), "{why}"),
            }
        }
    }
}
