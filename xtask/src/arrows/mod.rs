//! The arrows between the files of the project: who takes something from whom. No circle may come
//! to those that are known, and none that was cut may stay on the list; layers take from those
//! below them alone.
//!
//! What a file takes counts as taken from where it is made, whoever hands it on (`pub use`); that a
//! room names its files (`mod`) is no arrow.

mod circles;
mod page;
mod rust;

use anyhow::{Context, Result, ensure};
use std::collections::{BTreeMap, BTreeSet};
use std::path::Path;

/// Files and from which other ones each takes something; names as they are told.
pub(crate) type Arrows = BTreeMap<String, BTreeSet<String>>;

/// The known circles: for each part of the project, the files of one circle a line.
const KNOWN: &str = "xtask/circles.txt";

/// The parts, with the folder of each.
const RUST: [(&str, &str); 5] = [
    ("core", "crates/core/src"),
    ("store", "crates/store/src"),
    ("server", "crates/server/src"),
    ("stand-ins", "crates/stand-ins/src"),
    ("campaigns", "crates/campaigns/src"),
];
const PAGE: (&str, &str) = ("page", "web/src");

/// The layers of a part, the lowest first, by how the names of their files begin: none takes from one above it.
const LAYERS: [(&str, &[&[&str]]); 3] = [
    (
        "core",
        &[
            &["ground/"],
            &["site/"],
            &["network/"],
            &["limits/"],
            &["bench/"],
            &["time/"],
            &["advice/"],
            &["keeping/"],
            &["telling/"],
        ],
    ),
    (
        "server",
        &[
            &["bodies/"],
            &["usecase/"],
            &["routes/"],
            &["app"],
            &["cli/"],
        ],
    ),
    (
        "page",
        &[
            &["format/", "api/"],
            &["composables/"],
            &["components/"],
            &["views/"],
        ],
    ),
];

/// Checks everything; tells how many files, arrows and circles there are.
///
/// # Errors
/// With each circle that is new or larger, each that is gone and still listed, and each arrow against the layers.
pub(crate) fn check(root: &Path, write: bool) -> Result<()> {
    let mut found: Vec<(String, Vec<String>)> = Vec::new();
    let mut wrong = Vec::new();
    for (part, arrows) in parts(root)? {
        let count: usize = arrows.values().map(BTreeSet::len).sum();
        let round = circles::of(&arrows);
        println!(
            "{part}: {} files, {count} arrows, {} circles",
            arrows.len(),
            round.len()
        );
        wrong.extend(against(&part, &arrows));
        found.extend(round.into_iter().map(|it| (part.clone(), it)));
    }
    let text = told(&found);
    let list = root.join(KNOWN);
    if write {
        std::fs::write(&list, &text)?;
    }
    let known =
        std::fs::read_to_string(&list).with_context(|| format!("{KNOWN} cannot be read"))?;
    wrong.extend(differing(&known, &text));
    ensure!(wrong.is_empty(), "{}", wrong.join("\n"));
    Ok(())
}

/// The arrows of each part.
fn parts(root: &Path) -> Result<Vec<(String, Arrows)>> {
    let mut parts = Vec::new();
    for (part, folder) in RUST {
        parts.push((
            part.to_owned(),
            rust::arrows(&root.join(folder)).with_context(|| folder.to_owned())?,
        ));
    }
    parts.push((PAGE.0.to_owned(), page::arrows(&root.join(PAGE.1))?));
    Ok(parts)
}

/// The list of circles as it is kept.
fn told(circles: &[(String, Vec<String>)]) -> String {
    let mut text =
        "# Circles of files that take from each other, one a line. `cargo xtask arrows` \
                    fails where one comes or grows,\n\
                    # and where one that is cut still stands here; `cargo xtask arrows --write` \
                    writes what there is.\n"
            .to_owned();
    for (part, files) in circles {
        text += &format!("{part}: {}\n", files.join(" "));
    }
    text
}

/// What differs between the circles that are known and those that are there.
fn differing(known: &str, now: &str) -> Vec<String> {
    let lines = |text: &str| -> BTreeSet<String> {
        text.lines()
            .filter(|it| !it.starts_with('#') && !it.trim().is_empty())
            .map(str::to_owned)
            .collect()
    };
    let (known, now) = (lines(known), lines(now));
    let new = now
        .difference(&known)
        .map(|it| format!("a circle that was not there: {it}"));
    let gone = known
        .difference(&now)
        .map(|it| format!("no longer a circle, take it off {KNOWN} (`--write`): {it}"));
    new.chain(gone).collect()
}

/// Arrows from a layer to one above it.
fn against(part: &str, arrows: &Arrows) -> Vec<String> {
    let Some((_, layers)) = LAYERS.iter().find(|it| it.0 == part) else {
        return Vec::new();
    };
    let layer = |file: &str| {
        layers
            .iter()
            .position(|it| it.iter().any(|it| file.starts_with(it)))
    };
    let mut wrong = Vec::new();
    for (from, to) in arrows
        .iter()
        .flat_map(|(from, to)| to.iter().map(move |to| (from, to)))
    {
        let upwards = layer(from)
            .zip(layer(to))
            .is_some_and(|(from, to)| from < to);
        if upwards {
            wrong.push(format!(
                "{part}: {from} takes from {to}, which lies above it"
            ));
        }
    }
    wrong
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn no_circle_comes_and_layers_take_from_below() {
        check(&crate::root(), false).unwrap();
    }

    #[test]
    fn a_circle_that_comes_or_goes_is_told() {
        let known = told(&[("core".to_owned(), vec!["a".to_owned(), "b".to_owned()])]);
        assert!(differing(&known, &known).is_empty());
        let now = told(&[(
            "core".to_owned(),
            vec!["a".to_owned(), "b".to_owned(), "c".to_owned()],
        )]);
        let wrong = differing(&known, &now);
        assert_eq!(wrong.len(), 2);
        assert!(
            wrong[0].contains("not there: core: a b c") && wrong[1].contains("no longer"),
            "{wrong:?}"
        );
    }

    #[test]
    fn an_arrow_upwards_is_told() {
        let arrows = Arrows::from([
            (
                "format/units.ts".to_owned(),
                BTreeSet::from(["views/Log/LogView.vue".to_owned()]),
            ),
            (
                "views/Log/LogView.vue".to_owned(),
                BTreeSet::from(["format/units.ts".to_owned()]),
            ),
        ]);
        let wrong = against("page", &arrows);
        assert_eq!(
            wrong,
            ["page: format/units.ts takes from views/Log/LogView.vue, which lies above it"]
        );
    }
}
