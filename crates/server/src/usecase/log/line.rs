//! What a line is about, taken from its words.

use ash_pond_core::site::plan::Plan;

/// Words by which the kind of a line is known.
const REPAIR: [&str; 12] = [
    "repair", "replac", "fix", "mend", "crimp", "solder", "tighten", "rewir", "swap", "clean",
    "new fuse", "broke",
];
const PURCHASE: [&str; 4] = ["bought", "buy", "order", "purchas"];
const CHECK: [&str; 7] = [
    "check",
    "tested",
    "felt",
    "topped",
    "looked at",
    "inspect",
    "ran ",
];

/// The kind that a line is of, by its words.
pub(super) fn kind(words: &str) -> &'static str {
    let words = words.to_lowercase();
    let has = |list: &[&str]| {
        list.iter().any(|it| {
            words
                .split_whitespace()
                .any(|word| word.starts_with(it.trim()))
                || (it.contains(' ') && words.contains(it))
        })
    };
    if has(&PURCHASE) {
        "purchase"
    } else if has(&REPAIR) {
        "repair"
    } else if has(&CHECK) {
        "check"
    } else {
        "note"
    }
}

/// Everything of a plan that a line can be about: ids and what they are called.
fn things(plan: &Plan) -> impl Iterator<Item = (&str, &str)> {
    let kit = &plan.kit;
    let devices = kit
        .devices
        .iter()
        .map(|it| (it.id.as_str(), it.label.as_str()));
    let sources = kit
        .sources
        .iter()
        .map(|it| (it.id.as_str(), it.label.as_str()));
    let converters = kit
        .converters
        .iter()
        .map(|it| (it.id.as_str(), it.label.as_str()));
    let ways = plan
        .arrangements
        .iter()
        .map(|it| (it.id.as_str(), it.label.as_str()));
    devices.chain(sources).chain(converters).chain(ways)
}

/// Whether a plan has something of that id.
pub(super) fn is_there(plan: &Plan, id: &str) -> bool {
    things(plan).any(|it| it.0 == id) || plan.outages.iter().any(|it| it.id.as_str() == id)
}

/// What a line is about: the item whose name stands in it, of several the one with the longest
/// name; nothing where none does.
pub(super) fn item(plan: &Plan, words: &str) -> String {
    let words = format!(" {} ", plain(words));
    let named = things(plan).filter(|(id, label)| {
        [plain(label), plain(id)]
            .iter()
            .any(|it| it.chars().count() >= 3 && words.contains(&format!(" {it} ")))
    });
    named
        .max_by_key(|it| it.1.chars().count())
        .map_or_else(String::new, |it| it.0.to_owned())
}

/// Small letters, and one space for whatever is no letter or digit.
fn plain(text: &str) -> String {
    let signs: String = text
        .to_lowercase()
        .chars()
        .map(|it| if it.is_alphanumeric() { it } else { ' ' })
        .collect();
    signs.split_whitespace().collect::<Vec<_>>().join(" ")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_line_says_what_it_is_about() {
        let plan = Plan::parse(crate::demo::DEMO_PLAN).expect("it is built in");
        let of = |words: &str| (kind(words), item(&plan, words));
        assert_eq!(
            of("Replaced the crimp at the gate camera"),
            ("repair", "gate-camera".into())
        );
        assert_eq!(of("bought a spare 10 A fuse"), ("purchase", String::new()));
        assert_eq!(
            of("Cabin bank at rest 12.61 V, 14 °C"),
            ("note", "cabin-bank".into())
        );
        assert_eq!(
            of("felt the lugs of the house-bank, all cold"),
            ("check", "house-bank".into())
        );
        assert_eq!(
            of("reorder nothing"),
            ("note", String::new()),
            "a word is known by its beginning"
        );
    }
}
