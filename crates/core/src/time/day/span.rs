//! The hours that are looked at.

use crate::ground::quantity::Celsius;
use crate::site::plan::{Outage, Plan};

/// Hours by the local clock, with the temperature that they have.
#[derive(Debug, Clone, PartialEq)]
pub struct Span {
    /// Stretches of time, each from and to in hours since the midnight before the start.
    out: Vec<(f64, f64)>,
    /// Temperature around cables and stores.
    pub ambient: Celsius,
}

impl Span {
    /// One day at the site's temperature.
    pub fn day(plan: &Plan) -> Self {
        Self {
            out: vec![(0.0, 24.0)],
            ambient: plan.site.ambient(),
        }
    }

    /// The hours of an outage in which the mains is out, at its temperature.
    ///
    /// The mains is out where a span says so and none says that it is on; where no span says out,
    /// it is out wherever none says that it is on.
    pub fn outage(plan: &Plan, outage: &Outage) -> Self {
        let hours = outage.hours.get();
        let mut edges = vec![0.0, hours];
        let stated = outage
            .mains
            .iter()
            .flat_map(|it| [it.from_h.get(), it.to_h.get()]);
        edges.extend(stated.filter(|it| (0.0..hours).contains(it)));
        edges.sort_by(f64::total_cmp);
        let time = outage.start.time();
        let clock = f64::from(time.hour())
            + f64::from(time.minute()) / 60.0
            + f64::from(time.second()) / 3600.0;
        let is_out = |at: f64| !outage.mains_is_on(at);
        let pairs = edges
            .windows(2)
            .filter(|it| it[1] > it[0] && is_out(f64::midpoint(it[0], it[1])));
        Self {
            out: pairs.map(|it| (clock + it[0], clock + it[1])).collect(),
            ambient: outage
                .ambient_c
                .as_ref()
                .map_or(plan.site.ambient(), |it| it.value),
        }
    }

    /// Length of all of it, h.
    pub fn hours(&self) -> f64 {
        self.out.iter().map(|it| it.1 - it.0).sum()
    }

    /// Hours of it that fall between two times of day, in hours since midnight.
    pub(super) fn between(&self, from: f64, to: f64) -> f64 {
        let before = |time: f64| {
            (time / 24.0).floor() * (to - from) + (time % 24.0 - from).clamp(0.0, to - from)
        };
        self.out.iter().map(|it| before(it.1) - before(it.0)).sum()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn hours_of_the_clock_are_counted_over_midnight_and_days() {
        let span = Span {
            out: vec![(17.5, 17.5 + 66.0)],
            ambient: Celsius(2.0),
        };
        // From half past five in the evening for 66 hours: to half past eleven on the third day
        // after.
        assert!((span.hours() - 66.0).abs() < 1e-12);
        assert!((span.between(0.0, 24.0) - 66.0).abs() < 1e-12);
        assert!((span.between(16.0, 18.0) - 4.5).abs() < 1e-12);
        assert!((span.between(7.0, 18.0) - (0.5 + 11.0 + 11.0 + 4.5)).abs() < 1e-12);
    }

    #[test]
    fn the_mains_is_out_where_it_is_said_and_not_where_it_is_said_to_be_on() {
        let plan = |mains: &str| {
            Plan::parse(&format!(
                r#"{{"format": "ash-pond/plan", "version": 1, "site": {{"name": "S"}},
                "outages": [{{"id": "o", "label": "O", "start": "2026-01-14T22:00", "hours": 10, "mains": {mains}}}]}}"#
            ))
            .unwrap()
        };
        let hours = |mains: &str| {
            let plan = plan(mains);
            Span::outage(&plan, &plan.outages[0]).hours()
        };
        assert!((hours("[]") - 10.0).abs() < 1e-12);
        assert!((hours(r#"[{"from_h": 0, "to_h": 7, "state": "out"}]"#) - 7.0).abs() < 1e-12);
        assert!((hours(r#"[{"from_h": 2, "to_h": 3, "state": "on"}]"#) - 9.0).abs() < 1e-12);
        let both = r#"[{"from_h": 0, "to_h": 6, "state": "out"}, {"from_h": 6, "to_h": 9, "state": "on"}]"#;
        assert!((hours(both) - 6.0).abs() < 1e-12);
    }
}
