//! An arrangement by its islands, for who moves one figure after the other: what no feed joins with
//! a figure's own island is as it was.

use super::stretch::Stretches;
use super::using::Use;
use crate::network::{Charge, Moment, Network};
use crate::site::figures::Found;
use crate::site::plan::{Arrangement, ConverterKind, Plan};
use std::borrow::Cow;

/// An arrangement, and what each of its islands draws in a day.
pub(crate) struct Parts {
    /// The places of the feeds of each island; none where it is one, or where something starts
    /// elsewhere.
    pub(crate) islands: Vec<Vec<usize>>,
    each: Vec<Drawn>,
    all: Drawn,
    /// What all of it draws in a day, Wh.
    pub(crate) drawn_wh: f64,
    /// How long all starts at once last, s.
    starts_s: Option<f64>,
}

/// A day of an arrangement, and what it draws.
struct Drawn {
    network: Network,
    stretches: Stretches,
    wh: f64,
}

impl Drawn {
    fn of(plan: &Plan, way: &Arrangement, charge: &Charge) -> Self {
        let network = Network::build(plan, way, plan.site.ambient());
        let day = Use::day(plan, way, &network);
        let (wh, stretches) = (day.drawn_wh(charge), day.stretches);
        Self {
            network,
            stretches,
            wh,
        }
    }

    /// What is drawn more in another day of the same arrangement; nothing where that is the same.
    /// What fills a store or starts elsewhere hangs on more than is compared here.
    fn changes_wh(&self, day: &Use<'_>, charge: &Charge) -> f64 {
        let is_all = day.way.starts_on.is_empty() && !day.network.fills();
        if is_all && day.network == &self.network && day.stretches == self.stretches {
            return 0.0;
        }
        day.drawn_wh(charge) - self.wh
    }
}

/// Where a figure is felt in an arrangement.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Felt {
    Nowhere,
    /// In this island alone.
    Island(usize),
    Everywhere,
}

impl Parts {
    pub(crate) fn of(plan: &Plan, way: &Arrangement, charge: &Charge) -> Self {
        let mut islands = way.islands();
        if islands.len() < 2 || !way.starts_on.is_empty() {
            islands.clear();
        }
        let drawn = |it: &Vec<usize>| Drawn::of(plan, &way.island(it), charge);
        let all = Drawn::of(plan, way, charge);
        Self {
            each: islands.iter().map(drawn).collect(),
            islands,
            drawn_wh: all.wh,
            all,
            starts_s: Moment::AllStarting.seconds(plan, way),
        }
    }

    /// Where a figure of the plan is felt in the arrangement that this is of.
    pub(crate) fn felt(&self, plan: &Plan, way: &Arrangement, figure: &Found) -> Felt {
        if !figure.is_part_of(way) {
            return Felt::Nowhere;
        }
        let is_of = |at: usize| match figure.kind {
            "arrangement" => place_of(&figure.path) == Some(at),
            _ => [&way.feeds[at].from.item, &way.feeds[at].to.item]
                .iter()
                .any(|it| it.as_str() == figure.id),
        };
        // A charger says at what every store of its kind is charged that has none of its own, and
        // all starts at once last as long as the longest of them, each at its highest.
        let charges = plan
            .converter(&figure.id)
            .is_some_and(|it| it.kind == ConverterKind::Charger);
        let lasts = figure.kind == "device"
            && figure.path.starts_with("phases")
            && Moment::AllStarting.seconds(plan, way) != self.starts_s;
        let mut islands = self.islands.iter();
        match islands.position(|it| it.iter().any(|at| is_of(*at))) {
            Some(at) if !charges && !lasts => Felt::Island(at),
            _ => Felt::Everywhere,
        }
    }

    /// The arrangement, with a figure moved, as far as that is felt.
    pub(crate) fn part<'a>(&self, moved: &'a Arrangement, felt: Felt) -> Cow<'a, Arrangement> {
        match felt {
            Felt::Island(at) => Cow::Owned(moved.island(&self.islands[at])),
            _ => Cow::Borrowed(moved),
        }
    }

    /// What a moved figure changes in a day, Wh: the plan, that part of the arrangement in which the
    /// figure is felt, and its network, all with it moved.
    pub(crate) fn changes_wh(
        &self,
        (plan, part, network): (&Plan, &Arrangement, &Network),
        felt: Felt,
        charge: &Charge,
    ) -> f64 {
        let was = match felt {
            Felt::Nowhere => return 0.0,
            Felt::Island(at) => &self.each[at],
            Felt::Everywhere => &self.all,
        };
        was.changes_wh(&Use::day(plan, part, network), charge)
    }
}

/// Which feed a figure's path is of: `feeds[3].cable.length_m`.
fn place_of(path: &str) -> Option<usize> {
    let (at, _) = path.strip_prefix("feeds[")?.split_once(']')?;
    at.parse().ok()
}

#[cfg(test)]
mod tests {
    use super::super::usage::day;
    use super::*;
    use crate::site::figures::{Drawing, figures};

    /// What a moved figure changes where it is felt is what it changes in all of it.
    #[test]
    fn a_figure_changes_a_day_where_it_is_felt_and_nowhere_else() {
        let (mut in_islands, mut nowhere) = (0, 0);
        for text in [
            include_str!("../../../../../demo/hollin-lock.plan.json"),
            include_str!("../../../../../demo/weir-hut.plan.json"),
        ] {
            let plan = Plan::parse(text).unwrap();
            let found = figures(&serde_json::to_value(&plan).unwrap());
            let drawing = Drawing::of(plan.clone(), &found);
            let full = Charge::full();
            for way in &plan.arrangements {
                let parts = Parts::of(&plan, way, &full);
                for (place, figure) in found.iter().enumerate() {
                    let Some(moved) = drawing.moved(place, figure.value * 1.3) else {
                        continue;
                    };
                    let there = moved.arrangement(way.id.as_str()).unwrap();
                    let felt = parts.felt(&moved, way, figure);
                    let part = parts.part(there, felt);
                    let network = Network::build(&moved, &part, moved.site.ambient());
                    let change = parts.changes_wh((&moved, &part, &network), felt, &full);
                    let whole = day(&moved, there, &full).drawn_wh - parts.drawn_wh;
                    assert!(
                        (change - whole).abs() < 1e-6 * parts.drawn_wh.max(1.0),
                        "{} {} in {}: {change} and {whole}",
                        figure.id,
                        figure.path,
                        way.id
                    );
                    in_islands += usize::from(matches!(felt, Felt::Island(_)));
                    nowhere += usize::from(felt == Felt::Nowhere);
                }
            }
        }
        assert!(in_islands > 100 && nowhere > 100, "{in_islands} {nowhere}");
    }
}
