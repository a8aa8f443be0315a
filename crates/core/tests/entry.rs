//! What is typed for a figure: written, it is read back; whatever is typed, nothing panics.

use crate::common;

use ash_pond_core::ground::figure::Basis;
use ash_pond_core::site::entry::{Around, DecimalMark, Entry, Target, read};
use common::close;
use proptest::prelude::*;

const BASES: [(Basis, &str); 4] = [
    (Basis::Assumed, "a"),
    (Basis::Label, "l"),
    (Basis::Datasheet, "d"),
    (Basis::Measured, "m"),
];

/// A number with three digits behind the point or comma.
fn written(value: f64, decimal: DecimalMark) -> String {
    let text = format!("{value:.3}");
    if decimal == DecimalMark::Comma {
        text.replace('.', ",")
    } else {
        text
    }
}

fn thousandths(value: f64) -> f64 {
    (value * 1000.0).round() / 1000.0
}

fn decimal() -> impl Strategy<Value = DecimalMark> {
    prop::sample::select(vec![DecimalMark::Point, DecimalMark::Comma])
}

fn at_12(text: &str) -> Entry {
    read(
        text,
        Target::Watts,
        Around {
            volts: Some(12.0),
            ..Around::default()
        },
    )
    .unwrap_or_else(|why| panic!("{why}"))
}

fn refused(text: &str) -> String {
    read(text, Target::Watts, Around::default())
        .unwrap_err()
        .message
}

#[test]
fn watts_are_read_in_every_form_that_people_have() {
    let cases = [
        ("6.2", 6.2),
        ("6,2 W", 6.2),
        ("450 mW", 0.45),
        ("1.2 kW", 1200.0),
        ("0.7A 12V", 8.4),
        ("0.7 A", 8.4),
        ("700 mA 5 V", 3.5),
        ("12 V 1.5 A", 18.0),
        ("12V × 1.5A", 18.0),
        ("1.5 A @ 12 V", 18.0),
        ("400 mAh/h", 4.8),
        ("2 Ah/h 5 V", 10.0),
        ("9.6 Ah/day", 4.8),
        ("4.8 Wh/day", 0.2),
        ("0.24 kWh/24 h", 10.0),
        ("120 Wh in 5 h", 24.0),
        ("1.2 kWh over 36 h", 1200.0 / 36.0),
        ("10 Wh per 30 min", 20.0),
    ];
    for (text, watts) in cases {
        assert!(
            (at_12(text).value - watts).abs() < 1e-9,
            "{text}: {}",
            at_12(text).value
        );
    }
}

#[test]
fn uncertainty_and_basis_are_read_wherever_they_stand() {
    let entry = at_12("6.2±0.2 m");
    assert_eq!(
        (entry.plus_minus, entry.basis),
        (Some(0.2), Basis::Measured)
    );
    assert_eq!(at_12("6.2 W +- 0.2 W l").basis, Basis::Label);
    assert_eq!(at_12("6 ± 5 % d").plus_minus, Some(0.3));
    assert_eq!(at_12("6 datasheet").basis, Basis::Datasheet);
    assert_eq!(at_12("6").basis, Basis::Assumed);
    // 3 % and 4 % make 5 %.
    let both = at_12("1±0.03 A 10±0.4 V m");
    assert!((both.plus_minus.unwrap() - 0.5).abs() < 1e-12 && both.basis == Basis::Measured);
    let parts: Vec<_> = both
        .working
        .unwrap()
        .terms
        .iter()
        .map(|it| it.plus_minus)
        .collect();
    assert_eq!(parts, [Some(0.03), Some(0.4)]);
}

#[test]
fn a_labels_volts_and_amperes_are_a_label_and_questioned_as_a_running_load() {
    let running = Around {
        running: true,
        ..Around::default()
    };
    let label = read("12 V 1.5 A", Target::Watts, running).unwrap();
    assert_eq!(
        (label.basis, label.note.as_deref()),
        (Basis::Label, Some("1.5 A × 12 V"))
    );
    assert!(label.question.unwrap().contains("two fifths: 7.2 W"));
    assert_eq!(label.instead, Some(18.0 * 0.4));
    // Measured, it is not.
    assert!(
        read("12 V 1.5 A m", Target::Watts, running)
            .unwrap()
            .question
            .is_none()
    );
    assert!(
        read("0.7 A 12 V", Target::Watts, running)
            .unwrap()
            .question
            .is_none()
    );
    assert!(
        read("18 l", Target::Watts, Around::default())
            .unwrap()
            .question
            .is_none()
    );
}

#[test]
fn other_figures_have_their_units() {
    let plain = |text, target| read(text, target, Around::default()).unwrap().value;
    assert!((plain("10.8±0.1 m", Target::Volts) - 10.8).abs() < 1e-12);
    assert!((plain("2 min", Target::Seconds) - 120.0).abs() < 1e-12);
    assert!((plain("0.02 s", Target::Milliseconds) - 20.0).abs() < 1e-12);
    assert!((plain("4 h", Target::Minutes) - 240.0).abs() < 1e-12);
    assert!((plain("40 %", Target::Share) - 0.4).abs() < 1e-12);
    assert!((plain("0.4", Target::Share) - 0.4).abs() < 1e-12);
    assert!((plain("2600 mAh", Target::AmpHours) - 2.6).abs() < 1e-12);
    assert!((plain("0.5 kWh", Target::WattHours) - 500.0).abs() < 1e-12);
    let percent = read("40±5 %", Target::Share, Around::default()).unwrap();
    assert!((percent.plus_minus.unwrap() - 0.05).abs() < 1e-12);
}

#[test]
fn both_decimal_marks_are_read_and_thousands_by_choice() {
    let as_read = |text, decimal| {
        read(
            text,
            Target::Plain,
            Around {
                decimal,
                ..Around::default()
            },
        )
        .unwrap()
        .value
    };
    assert!((as_read("1,500", DecimalMark::Point) - 1500.0).abs() < 1e-9);
    assert!((as_read("1,500", DecimalMark::Comma) - 1.5).abs() < 1e-9);
    assert!((as_read("1.500,25", DecimalMark::Comma) - 1500.25).abs() < 1e-9);
    assert!((as_read("1,500.25", DecimalMark::Point) - 1500.25).abs() < 1e-9);
    assert!((as_read("0,125", DecimalMark::Point) - 0.125).abs() < 1e-9);
    assert!((as_read("6,2", DecimalMark::Point) - 6.2).abs() < 1e-9);
}

#[test]
fn what_cannot_be_read_says_why_and_what_can() {
    for (text, why) in [
        ("", "nothing is written"),
        ("six", "“six” is no unit"),
        ("6 parsecs", "“parsecs” is no unit"),
        ("0.7 A", "amperes need their volts"),
        ("40 Wh", "Wh need their time"),
        ("40 Wh/", "nothing stands behind the /"),
        ("5 Wh/0 h", "the time is nought"),
        ("-5", "less than nothing"),
        ("6 ±", "± has no number"),
        ("1 2 3", "too many numbers"),
        ("5 VA", "volt-amperes are not watts"),
        ("1.2.3", "is no number"),
        ("6 m l", "twice"),
        ("6 €", "“€” has no meaning"),
    ] {
        let said = refused(text);
        assert!(said.contains(why), "{text}: {said}");
        assert!(said.contains("4.5 Wh/day"), "{said}");
    }
    assert!(
        read("140 %", Target::Share, Around::default())
            .unwrap_err()
            .message
            .contains("at most 100 %")
    );
    assert!(
        read("3 V", Target::Seconds, Around::default())
            .unwrap_err()
            .message
            .contains("V is no unit of seconds")
    );
}

/// Only temperatures and places go below nought.
fn fits(value: f64, target: Target) -> bool {
    value.is_finite() && (value >= 0.0 || matches!(target, Target::Celsius | Target::Degrees))
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 400, failure_persistence: None,
        ..ProptestConfig::default() })]

    #[test]
    fn what_is_written_is_read_back(value in 0.0..5000.0_f64, half in 0.0..50.0_f64,
        basis in 0_usize..4, decimal in decimal(), unit in any::<bool>()) {
        let (value, half) = (thousandths(value), thousandths(half));
        let (basis, letter) = BASES[basis];
        let unit = if unit { " W" } else { "" };
        let text = format!("{}{unit} ± {}{unit} {letter}", written(value, decimal), written(half,
            decimal));
        let entry = read(&text, Target::Watts, Around { decimal, ..Around::default() }).unwrap();
        prop_assert!(close(entry.value, value, 1e-12), "{text}: {}", entry.value);
        prop_assert!(close(entry.plus_minus.unwrap(), half, 1e-9));
        prop_assert_eq!(entry.basis, basis);
    }

    /// Every form of the same power comes to it.
    #[test]
    fn every_form_comes_to_the_same_watts(watts in 0.1..200.0_f64, volts in 1.0..60.0_f64,
        hours in 0.1..100.0_f64, decimal in decimal()) {
        let (volts, hours) = (thousandths(volts), thousandths(hours));
        let amps = watts / volts;
        let w = |value: f64| if decimal == DecimalMark::Comma { format!("{value:.9}").replace('.',
            ",") } else { format!("{value:.9}") };
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
            let entry = read(&text, Target::Watts, Around { volts: Some(volts), running: true,
                decimal, ..Around::default() }).unwrap();
            prop_assert!(close(entry.value, watts, 1e-5), "{text}: {} and not {watts}",
                entry.value);
        }
    }

    #[test]
    fn nothing_that_is_typed_panics(text in "\\PC{0,60}", target in 0..Target::ALL.len()) {
        if let Ok(entry) = read(&text, Target::ALL[target], Around::default()) {
            prop_assert!(fits(entry.value, Target::ALL[target]));
            prop_assert!(entry.plus_minus.is_none_or(|it| it.is_finite() && it >= 0.0));
        }
    }

    /// Words of entries in any order: the likeliest way to trip a reader.
    #[test]
    fn no_order_of_its_words_panics(words in prop::collection::vec(prop::sample::select(vec![
        "1", "0", "2.5", ",", "1,000", "-3", "1e9", "999999999999999", "±", "+-", "/", "×", "W",
            "V", "A", "mA", "Ah", "mAh", "Wh", "kWh", "h", "day", "d", "m", "l",
        "%", "°", "F", "C", "N", "S", "in", "over", "per", "at", "min", "s"]), 0..9),
            target in 0..Target::ALL.len(), decimal in decimal()) {
        let text = words.join(" ");
        for text in [text.clone(), text.replace(' ', "")] {
            match read(&text, Target::ALL[target], Around { volts: Some(12.0), running: true,
                decimal, ..Around::default() }) {
                Ok(entry) => prop_assert!(fits(entry.value, Target::ALL[target]), "{text}"),
                Err(why) => prop_assert!(why.message.contains("Write "), "{why}"),
            }
        }
    }
}

#[test]
fn lengths_sizes_and_resistances_are_read_in_their_units() {
    let plain = Around::default();
    let feet = Around {
        feet: true,
        gauge: true,
        ..plain
    };
    let is = |text: &str, target: Target, around: Around, value: f64| {
        let found = read(text, target, around).unwrap_or_else(|why| panic!("{why}"));
        assert!(
            (found.value - value).abs() < 1e-6,
            "{text}: {}",
            found.value
        );
        found
    };
    for (text, metres) in [
        ("2.5", 2.5),
        ("2.5 m", 2.5),
        ("10 ft", 3.048),
        ("10'", 3.048),
        ("80 cm", 0.8),
        ("900 mm", 0.9),
    ] {
        assert_eq!(
            is(text, Target::Metres, plain, metres).basis,
            Basis::Assumed,
            "{text}"
        );
    }
    is("10", Target::Metres, feet, 3.048);
    is("3 m", Target::Metres, feet, 3.0);
    // Of a length, m is the metre, and who measured says so in a word.
    let taped = is("2.5 ± 0.1 m measured", Target::Metres, plain, 2.5);
    assert_eq!(
        (taped.basis, taped.plus_minus),
        (Basis::Measured, Some(0.1))
    );
    is("10 ± 0.5 ft", Target::Metres, plain, 3.048);
    is("14 mΩ", Target::Ohms, plain, 0.014);
    is("0.014", Target::Ohms, plain, 0.014);
    for text in ["2.5", "2.5 mm²", "2.5mm2", "2,5 mm²"] {
        assert_eq!(is(text, Target::Area, plain, 2.5).awg, None, "{text}");
    }
    // 12 AWG is 2.053 mm thick; 4/0 is 11.684 mm.
    for (text, gauge, mm) in [
        ("12 AWG", 12.0, 2.0525),
        ("AWG 12", 12.0, 2.0525),
        ("4/0 AWG", -3.0, 11.684),
        ("1/0", 0.0, 8.2515),
    ] {
        let found = read(text, Target::Area, plain).unwrap();
        assert_eq!(found.awg, Some(gauge), "{text}");
        let area = std::f64::consts::PI * mm * mm / 4.0;
        assert!(
            (found.value - area).abs() < 2e-3 * area,
            "{text}: {}",
            found.value
        );
    }
    assert_eq!(read("12", Target::Area, feet).unwrap().awg, Some(12.0));
    assert_eq!(read("4 mm²", Target::Area, feet).unwrap().awg, None);
    for wrong in [
        "12 AWG mm²",
        "50 AWG",
        "5/0",
        "0",
        "thick",
        "12.5 AWG",
        "-1",
        "",
        "mm²",
        "AWG",
    ] {
        let why = read(wrong, Target::Area, plain).unwrap_err();
        assert!(why.message.contains("12 AWG"), "{why}");
    }
}

#[test]
fn several_alike_are_added_up() {
    let found = at_12("3 x 5 W l");
    assert_eq!(
        (found.value, found.note.as_deref(), found.basis),
        (15.0, Some("3 × 5 W"), Basis::Label)
    );
    assert_eq!(at_12("2 × 4 ± 0.5 W").plus_minus, Some(1.0));
    // A product of volts and amperes is no count.
    assert!((at_12("12 V x 1.5 A").value - 18.0).abs() < 1e-9);
    assert!((at_12("2x6W").value - 12.0).abs() < 1e-9);
    assert!(refused("0 x 5 W").contains("6.2±0.2 m"));
}

#[test]
fn a_capacity_of_several_says_how_they_are_joined() {
    use ash_pond_core::site::entry::capacity;
    use ash_pond_core::site::kinds;
    let sources = &kinds::kinds().sources;
    let battery = |it: &&ash_pond_core::site::plan::Source, bank: bool| {
        it.battery
            .as_ref()
            .is_some_and(|it| it.capacity_ah.is_some() == bank)
    };
    let pack = sources.iter().find(|it| battery(it, false)).unwrap();
    let bank = sources.iter().find(|it| battery(it, true)).unwrap();
    // Four cells of 2550 mAh hold the same in a row and side by side.
    let cells = capacity("4 x 2550 mAh", pack, Around::default()).unwrap();
    assert_eq!(cells.readings.len(), 1);
    let cell_v = ash_pond_core::site::chemistry::find(&pack.battery.as_ref().unwrap().chemistry)
        .unwrap()
        .cell_nominal_v;
    assert!((cells.readings[0].nominal_wh - 4.0 * 2.55 * cell_v).abs() < 1e-9);
    // What the field shows is what a bare number is in.
    let wh = &capacity("700", pack, Around::default()).unwrap().readings;
    assert_eq!((wh.len(), wh[0].energy_wh), (1, Some(700.0)));
    let ah = &capacity("700", bank, Around::default()).unwrap().readings;
    assert_eq!(ah[0].capacity_ah, Some(700.0));
    let two = capacity("2 x 60 Ah", bank, Around::default()).unwrap();
    let kept: Vec<_> = two
        .readings
        .iter()
        .map(|it| it.capacity_ah.unwrap())
        .collect();
    assert_eq!(kept, [120.0, 60.0]);
    assert!(two.question.unwrap().to_string().contains("in a row"));
}

#[test]
fn energies_are_read_as_people_have_them() {
    let around = Around {
        per_kwh: Some(0.3),
        ..Around::default()
    };
    let wh =
        |text: &str| read(text, Target::WattHours, around).unwrap_or_else(|why| panic!("{why}"));
    for (text, wanted) in [
        ("15", 15.0),
        ("0.5 kWh", 500.0),
        ("1821 mAh 3.82 V", 1.821 * 3.82),
        ("3.82 V 1821 mAh", 1.821 * 3.82),
        ("4 x 2550 mAh 1.2 V", 4.0 * 2.55 * 1.2),
        ("54 kJ", 15.0),
        ("3600 J", 1.0),
        ("0.36 MJ", 100.0),
        ("3 pence", 100.0),
    ] {
        assert!(
            (wh(text).value - wanted).abs() < 1e-9 * wanted,
            "{text}: {}",
            wh(text).value
        );
    }
    // What nobody said is taken, and asked.
    let cells = wh("4 x 2550 mAh");
    assert!((cells.value - 4.0 * 2.55 * 1.2).abs() < 1e-9);
    assert!(cells.question.unwrap().plain().contains("nickel cells"));
    assert!(
        wh("1821 mAh")
            .question
            .unwrap()
            .plain()
            .contains("lithium cells")
    );
    assert!(wh("1821 mAh 3.82 V").question.is_none());
    assert_eq!(wh("1821 mAh 3.82 V").note.unwrap(), "1.82 Ah × 3.82 V");
    let dear = read("3 pence", Target::WattHours, Around::default()).unwrap_err();
    assert!(dear.message.contains("price of energy"), "{dear}");
    for text in ["12 W", "15 Wh/day", "2 A 3 V", "five"] {
        assert!(read(text, Target::WattHours, around).is_err(), "{text}");
    }
}
