//! Whether two ends of a feed fit: connectors and polarity, which the plan gives in words, and what
//! plugs carry.

use crate::ground::figure::Figure;
use crate::ground::quantity::Ohms;
use crate::site::plan::{Arrangement, Feed, From, Plan, PortVoltage};

/// How two connectors go together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Fit {
    /// They are of one kind, or one of them is wired by hand.
    Fits,
    /// They differ: a lead or an adapter with both ends is needed.
    Differs,
    /// They are of one family but not one size, so that they seem to fit.
    LooksAlike,
}

/// Words that tell which half of a connection it is, not which kind.
const HALVES: [&str; 9] = [
    "plug", "socket", "jack", "port", "inlet", "outlet", "lead", "male", "female",
];
/// Words of ends that are wired by hand, so that any lead can be made to fit them.
const BY_HAND: [&str; 14] = [
    "pigtail",
    "studs",
    "stud",
    "lugs",
    "lug",
    "posts",
    "terminals",
    "terminal",
    "screw",
    "clamps",
    "wires",
    "fuses",
    "bare",
    "busbar",
];
/// Words of connectors whose standard settles the polarity.
/// An RJ45 alone does not: passive injectors differ in voltage and in pins.
const SETTLED: [&str; 7] = ["usb", "usb-c", "usb-a", "poe", "c13", "c7", "mains"];

/// The words of a connector, in bytes: what parts them and all that they are held against is ASCII,
/// and every finding reads them anew.
pub(super) fn words(connector: &str) -> impl Iterator<Item = &[u8]> + Clone {
    connector
        .as_bytes()
        .split(|it| matches!(it, b' ' | b',' | b'(' | b')'))
        .filter(|it| !it.is_empty())
}

fn is(word: &[u8], known: &str) -> bool {
    word.eq_ignore_ascii_case(known.as_bytes())
}

fn among(word: &[u8], list: &[&str]) -> bool {
    list.iter().any(|it| is(word, it))
}

/// How the connectors of a port and of what it feeds go together.
pub(super) fn fit(port: &str, input: &str) -> Fit {
    let by_hand = |connector: &str| words(connector).any(|it| among(it, &BY_HAND));
    if port.eq_ignore_ascii_case(input) || by_hand(port) || by_hand(input) {
        return Fit::Fits;
    }
    // A connector that is called a mere "socket" keeps its only word.
    let mere = [port, input].map(|it| words(it).all(|word| among(word, &HALVES)));
    let kinds =
        |connector, mere: bool| words(connector).filter(move |it| mere || !among(it, &HALVES));
    let (mut one, mut other) = (kinds(port, mere[0]), kinds(input, mere[1]));
    let (first, second) = (one.next(), other.next());
    let same = |a: Option<&[u8]>, b: Option<&[u8]>| match (a, b) {
        (Some(a), Some(b)) => a.eq_ignore_ascii_case(b),
        (None, None) => true,
        _ => false,
    };
    if !same(first, second) {
        return Fit::Differs;
    }
    loop {
        match (one.next(), other.next()) {
            (None, None) => return Fit::Fits,
            (a, b) if same(a, b) => {}
            _ => return Fit::LooksAlike,
        }
    }
}

/// Whether the standard of a connector settles which contact is positive.
pub(crate) fn settled(connector: Option<&str>) -> bool {
    connector.is_some_and(|it| words(it).any(|word| among(word, &SETTLED)))
}

/// What a plug carries for long, A.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Rated {
    /// What it is called.
    pub(super) called: &'static str,
    /// Whatever its make.
    pub(super) sure: f64,
    /// At the best.
    pub(super) most: f64,
}

/// A USB-C cable of which nobody knows whether it is marked.
pub(super) const USB_C: &str = "USB-C cable";

/// What a connector carries for long at a voltage, by its words; none for one that is as good as
/// its lead, or is not known. `marked` is whether a USB-C cable says that it is made for 5 A (USB
/// Type-C specification: 3 A, and 5 A by marked cables, which Power Delivery uses at 20 V). The
/// others are planning figures: a vehicle plug by its spring contacts, small barrels by what their
/// makers print, a small figure-eight by IEC 60320 (2.5 A).
pub(super) fn rated(connector: &str, volts: f64, marked: Option<bool>) -> Option<Rated> {
    let of = |called, sure, most| Some(Rated { called, sure, most });
    match words(connector).filter_map(PlugKind::of).min()? {
        PlugKind::UsbC => match marked {
            Some(true) if volts >= 20.0 - 1e-9 => of("marked USB-C cable", 5.0, 5.0),
            None if volts >= 20.0 - 1e-9 => of(USB_C, 3.0, 5.0),
            _ => of(USB_C, 3.0, 3.0),
        },
        PlugKind::Vehicle => of("vehicle plug", 8.0, 8.0),
        PlugKind::Barrel => of("barrel plug", 3.0, 5.0),
        PlugKind::FigureEight => of("figure-eight plug", 2.5, 2.5),
    }
}

/// A plug whose contacts carry less than a lead may; the first of them rules where words name more
/// than one.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum PlugKind {
    UsbC,
    Vehicle,
    Barrel,
    FigureEight,
}

impl PlugKind {
    fn of(word: &[u8]) -> Option<Self> {
        Some(match () {
            () if is(word, "usb-c") => Self::UsbC,
            () if is(word, "vehicle") => Self::Vehicle,
            () if is(word, "barrel") => Self::Barrel,
            () if is(word, "c7") || is(word, "figure-eight") => Self::FigureEight,
            () => return None,
        })
    }
}

/// A crimped end, Ω; every lead has four.
const CRIMP_OHM: f64 = 0.0005;
/// A fuse holder, Ω.
const HOLDER_OHM: f64 = 0.003;
/// The contacts of a vehicle plug or of a small barrel, Ω.
const PLUG_OHM: f64 = 0.02;
/// What a fuse loses at its rating, V (ISO 8820-3).
const FUSE_DROP_V: f64 = 0.1;

/// The plugs at the ends of a feed that have contacts of their own, as they are called.
fn plugs_of(plan: &Plan, feed: &Feed) -> Vec<&'static str> {
    let far = feed.to.item.as_str();
    let far = plan.device(far).map(|it| it.input.connector.as_deref());
    let far = far
        .or_else(|| {
            plan.converter(feed.to.item.as_str())
                .map(|it| it.input.connector.as_deref())
        })
        .flatten();
    let near = plan.port(&feed.from).and_then(|it| it.connector.as_deref());
    let plugs = [near, far].into_iter().flatten();
    plugs
        .filter_map(|it| rated(it, 12.0, None))
        .map(|it| it.called)
        .collect()
}

/// What sound contacts of a feed have together, Ω, and how many they are: four crimped ends, two at
/// each plug, and three in a fuse and its holder.
pub(super) fn sound_contacts(plan: &Plan, feed: &Feed) -> (f64, f64) {
    let plugs = plugs_of(plan, feed).len() as f64;
    let fuse = feed
        .fuse
        .as_ref()
        .map(|it| HOLDER_OHM + FUSE_DROP_V / it.rating_a.get());
    let count = 4.0 + 2.0 * plugs + if fuse.is_some() { 3.0 } else { 0.0 };
    (
        4.0 * CRIMP_OHM + PLUG_OHM * plugs + fuse.unwrap_or(0.0),
        count,
    )
}

/// What the contacts of a feed have together, Ω, where nobody measured them: its crimped ends, its
/// plugs, its fuse in its holder; half of it more or less.
pub(crate) fn assumed_contacts(plan: &Plan, feed: &Feed) -> Figure<Ohms> {
    let (plugs, ohms) = (plugs_of(plan, feed), sound_contacts(plan, feed).0);
    let mut note = String::from("four crimped ends");
    for plug in plugs {
        note += ", a ";
        note += plug;
    }
    if feed.fuse.is_some() {
        note += ", its fuse in its holder";
    }
    let round = |it: f64| (it * 1e5).round() / 1e5;
    Figure {
        plus_minus: Some(round(ohms / 2.0)),
        note: Some(note),
        ..Figure::assumed(round(ohms))
    }
}

/// What two statements of polarity say together.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Poles {
    /// Both say the same.
    Agree,
    /// They say the opposite of each other.
    Contradict,
    /// At least one is not stated, is no known word, or says nothing of the other.
    Unknown,
}

/// What a known word says: of which kind it is, and which way round.
fn known(text: &str) -> Option<(&'static str, bool)> {
    const KNOWN: [(&str, (&str, bool)); 10] = [
        ("centre-positive", ("centre", true)),
        ("center-positive", ("centre", true)),
        ("centre-negative", ("centre", false)),
        ("center-negative", ("centre", false)),
        ("female-positive", ("gender", true)),
        ("male-positive", ("gender", false)),
        ("red-positive", ("red", true)),
        ("red-negative", ("red", false)),
        ("keyed", ("keyed", true)),
        ("marked", ("marked", true)),
    ];
    let text = text.trim().as_bytes();
    let hyphened = |it: &u8| match it {
        b' ' | b'_' => b'-',
        it => it.to_ascii_lowercase(),
    };
    let found = KNOWN
        .iter()
        .find(|it| it.0.len() == text.len() && text.iter().map(hyphened).eq(it.0.bytes()));
    found.map(|it| it.1)
}

/// The same with the two conductors crossed. What is keyed or marked is neither any more.
fn crossed(text: &str) -> String {
    let turned = match known(text) {
        Some(("centre", plus)) => Some(if plus {
            "centre-negative"
        } else {
            "centre-positive"
        }),
        Some(("gender", female)) => Some(if female {
            "male-positive"
        } else {
            "female-positive"
        }),
        Some(("red", plus)) => Some(if plus { "red-negative" } else { "red-positive" }),
        _ => None,
    };
    turned.map_or_else(|| format!("{text}, crossed"), str::to_owned)
}

/// The polarity of what a port gives: its own statement, else what a junction hands on of the port
/// above it, crossed where it crosses; none where nobody states it.
pub(crate) fn polarity_at(plan: &Plan, arrangement: &Arrangement, port: &From) -> Option<String> {
    let mut at = port;
    let mut turned = false;
    for _ in 0..=arrangement.feeds.len() {
        let found = plan.port(at)?;
        if let Some(own) = &found.polarity {
            return Some(if turned { crossed(own) } else { own.clone() });
        }
        let item = at.item.as_str();
        turned ^= plan
            .converter(item)
            .is_some_and(|it| it.reverses_polarity == Some(true));
        at = &arrangement
            .feed_into(item)
            .filter(|_| matches!(found.voltage, PortVoltage::Follows { .. }))?
            .from;
    }
    None
}

/// Compares the polarity of a port with that of what it feeds. Only known words say something, and
/// only of their own kind: that a contact is red says nothing of which one is in the centre.
pub(crate) fn poles(port: Option<&str>, input: Option<&str>) -> Poles {
    match (port.and_then(known), input.and_then(known)) {
        (Some(one), Some(other)) if one == other => Poles::Agree,
        (Some(one), Some(other)) if one.0 == other.0 => Poles::Contradict,
        _ => Poles::Unknown,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn halves_of_one_kind_fit() {
        assert_eq!(fit("vehicle socket", "Vehicle plug"), Fit::Fits);
        assert_eq!(fit("mains socket", "mains plug"), Fit::Fits);
        assert_eq!(fit("USB-C", "usb-c plug"), Fit::Fits);
        assert_eq!(fit("socket", "socket"), Fit::Fits);
    }

    #[test]
    fn an_end_wired_by_hand_fits_everything() {
        assert_eq!(fit("M8 studs", "barrel 5.5/2.1"), Fit::Fits);
        assert_eq!(fit("vehicle socket", "pigtail"), Fit::Fits);
    }

    #[test]
    fn other_sizes_look_alike_and_other_kinds_differ() {
        assert_eq!(fit("barrel 5.5/2.1", "barrel 5.5/2.5"), Fit::LooksAlike);
        assert_eq!(fit("vehicle socket", "two-pin flat"), Fit::Differs);
        assert_eq!(fit("socket", "barrel 5.5/2.1"), Fit::Differs);
    }

    #[test]
    fn crossed_twice_is_as_it_was() {
        for word in [
            "centre-positive",
            "centre-negative",
            "female-positive",
            "male-positive",
            "red-positive",
        ] {
            assert_eq!(crossed(&crossed(word)), word);
            assert_eq!(
                poles(Some(word), Some(&crossed(word))),
                Poles::Contradict,
                "{word}"
            );
        }
        // What is keyed says nothing once it is crossed.
        assert_eq!(
            poles(Some(&crossed("keyed")), Some("keyed")),
            Poles::Unknown
        );
    }

    #[test]
    fn poles_agree_in_the_same_word_and_contradict_within_one_kind_only() {
        assert_eq!(
            poles(Some("centre-positive"), Some("centre-negative")),
            Poles::Contradict
        );
        assert_eq!(
            poles(Some("centre-positive"), Some("centre-positive")),
            Poles::Agree
        );
        assert_eq!(
            poles(Some("Center positive"), Some("centre-positive")),
            Poles::Agree
        );
        assert_eq!(
            poles(Some("female-positive"), Some("male-positive")),
            Poles::Contradict
        );
        assert_eq!(poles(Some("keyed"), Some("keyed")), Poles::Agree);
        for (one, other) in [
            ("female-positive", "centre-positive"),
            ("marked", "red-positive"),
            ("tip plus", "tip plus"),
        ] {
            assert_eq!(
                poles(Some(one), Some(other)),
                Poles::Unknown,
                "{one} and {other}"
            );
        }
        assert_eq!(poles(None, Some("centre-positive")), Poles::Unknown);
        assert!(settled(Some("USB-C")) && !settled(Some("barrel 5.5/2.1")) && !settled(None));
    }
}
