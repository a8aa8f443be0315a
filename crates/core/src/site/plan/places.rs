//! Where each figure of a plan stands: the walk is made by what reads the plan, so that no figure
//! can be forgotten.

use super::{ElementKind, Plan};
use crate::ground::json::{FromJson, Met, Path, Settable, Which};
use serde::Serialize;
use std::collections::{BTreeMap, BTreeSet, HashMap};

/// Where a figure of a plan stands.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FigurePlace {
    /// The kind of its element.
    pub kind: &'static str,
    /// The id of its element; of the site's own facts `site`.
    pub id: String,
    /// Where it stands there, such as `phases[1].watts`.
    pub path: String,
}

/// The part of a plan in which a figure stands, by its place in the plan.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Spot {
    Device(usize),
    Source(usize),
    Converter(usize),
    /// Of an arrangement a feed.
    Feed(usize, usize),
    /// The rest of an arrangement.
    Arrangement(usize),
}

impl Plan {
    /// Goes to each figure of the plan, in the order of the format, with the kind and the id of its
    /// element and its place there.
    ///
    /// ```
    /// use ash_pond_core::site::plan::Plan;
    /// let text = r#"{"format": "ash-pond/plan", "version": 1, "site": {"name": "Cabin", "ambient_c": 18}}"#;
    /// let mut met = Vec::new();
    /// let plan = Plan::parse(text).unwrap();
    /// plan.each_figure(&mut |kind, id, at, it| met.push(format!("{} {id} {at} {}", kind.word(), it.value)));
    /// assert_eq!(met, ["site site ambient_c 18"]);
    /// ```
    pub fn each_figure(&self, visit: &mut dyn FnMut(ElementKind, &str, &Path<'_>, Met)) {
        use ElementKind as Kind;
        let root = Path::Root;
        self.site
            .each_figure(&root, &mut |at, it| visit(Kind::Site, "site", at, it));
        for it in &self.kit.devices {
            it.each_figure(&root, &mut |at, met| {
                visit(Kind::Device, it.id.as_str(), at, met);
            });
        }
        for it in &self.kit.sources {
            it.each_figure(&root, &mut |at, met| {
                visit(Kind::Source, it.id.as_str(), at, met);
            });
        }
        for it in &self.kit.converters {
            it.each_figure(&root, &mut |at, met| {
                visit(Kind::Converter, it.id.as_str(), at, met);
            });
        }
        for it in &self.arrangements {
            it.each_figure(&root, &mut |at, met| {
                visit(Kind::Arrangement, it.id.as_str(), at, met);
            });
        }
        for it in &self.outages {
            it.each_figure(&root, &mut |at, met| {
                visit(Kind::Outage, it.id.as_str(), at, met);
            });
        }
    }

    /// Goes to the same figures in the same order, to change them.
    pub(crate) fn each_figure_mut(&mut self, visit: &mut dyn FnMut(&mut dyn Settable)) {
        self.site.each_figure_mut(visit);
        self.kit.devices.each_figure_mut(visit);
        self.kit.sources.each_figure_mut(visit);
        self.kit.converters.each_figure_mut(visit);
        self.arrangements.each_figure_mut(visit);
        self.outages.each_figure_mut(visit);
    }

    /// Says of some of its figures, by kind, id and path, the number of each on the walk through
    /// all of them, and how many these are.
    pub(crate) fn numbers_of<'a>(
        &self,
        of: impl Iterator<Item = (&'a str, &'a str, &'a str)>,
    ) -> (Vec<Option<usize>>, usize) {
        let (mut numbers, mut all) = (HashMap::new(), 0);
        self.each_figure(&mut |kind, id, at, _| {
            numbers.insert((kind.word(), id.to_owned(), at.to_string()), all);
            all += 1;
        });
        let number = |(kind, id, path): (&str, &str, &str)| {
            let kind = ElementKind::parse(kind)?.word();
            numbers
                .get(&(kind, id.to_owned(), path.to_owned()))
                .copied()
        };
        (of.map(number).collect(), all)
    }

    /// In which part of the plan the figure at a path of an element stands, and its number on the
    /// walk through that part.
    pub(crate) fn spot_of(&self, kind: &str, id: &str, path: &str) -> Option<(Spot, usize)> {
        fn within<T: FromJson>(it: &T, at: &Path<'_>, path: &str) -> Option<usize> {
            let (mut number, mut found) = (0, None);
            it.each_figure(at, &mut |at, _| {
                if found.is_none() && at.to_string() == path {
                    found = Some(number);
                }
                number += 1;
            });
            found
        }
        let root = Path::Root;
        match ElementKind::parse(kind)? {
            ElementKind::Device => {
                let at = self
                    .kit
                    .devices
                    .iter()
                    .position(|it| it.id.as_str() == id)?;
                let number = within(&self.kit.devices[at], &root, path)?;
                Some((Spot::Device(at), number))
            }
            ElementKind::Source => {
                let at = self
                    .kit
                    .sources
                    .iter()
                    .position(|it| it.id.as_str() == id)?;
                let number = within(&self.kit.sources[at], &root, path)?;
                Some((Spot::Source(at), number))
            }
            ElementKind::Converter => {
                let at = self
                    .kit
                    .converters
                    .iter()
                    .position(|it| it.id.as_str() == id)?;
                let number = within(&self.kit.converters[at], &root, path)?;
                Some((Spot::Converter(at), number))
            }
            ElementKind::Arrangement => {
                let at = self
                    .arrangements
                    .iter()
                    .position(|it| it.id.as_str() == id)?;
                let way = &self.arrangements[at];
                let feeds = root.key("feeds");
                let feed = path
                    .strip_prefix("feeds[")
                    .and_then(|it| it.split_once(']')?.0.parse::<usize>().ok());
                let Some(feed) = feed else {
                    return Some((Spot::Arrangement(at), within(way, &root, path)?));
                };
                let number = within(way.feeds.get(feed)?, &feeds.index(feed), path)?;
                Some((Spot::Feed(at, feed), number))
            }
            ElementKind::Site | ElementKind::Outage => None,
        }
    }

    /// Where some of its figures stand; nothing is said of one that is none of its own.
    pub(crate) fn places(&self, of: &BTreeSet<Which>) -> BTreeMap<Which, FigurePlace> {
        let mut found = BTreeMap::new();
        if of.is_empty() {
            return found;
        }
        self.each_figure(&mut |kind, id, at, it| {
            if of.contains(&it.which) {
                let place = FigurePlace {
                    kind: kind.word(),
                    id: id.to_owned(),
                    path: at.to_string(),
                };
                found.insert(it.which, place);
            }
        });
        found
    }
}
