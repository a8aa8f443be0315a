//! The lead and the fuse that a feed is proposed: the smallest standard area whose drop, ampacity and fuse all hold.

use crate::figure::Figure;
use crate::limits::{Code, Finding, Status, amount, areas, findings, next_fuse, planned_amps};
use crate::network::conductor_ohms;
use crate::network::{Charge, Moment, evaluate};
use crate::plan::{Arrangement, Cable, Fuse, Material, Plan};

/// What a lead and its fuse are proposed for.
const FOR: [Code; 5] = [Code::Collapse, Code::VoltageDrop, Code::CableAmpacity, Code::FuseSize, Code::FuseMissing];
/// Drop that a planning rule calls good, as a share.
const GOOD_DROP: f64 = 0.03;
/// Fuses that are tried on one area, from the smallest that carries the busy current.
const MOST_FUSES: usize = 4;

/// Gives the feed of an index a lead of `length_m` and, off a bare battery, a fuse; tells what is proposed.
pub(super) fn proposed(plan: &Plan, way: &mut Arrangement, index: usize, length_m: f64) -> Vec<String> {
    let place = way.feeds[index].to.name();
    let needs_fuse = {
        way.feeds[index].fuse = None;
        let found = findings(plan, way);
        found.iter().any(|it| it.code == Code::FuseMissing && it.place == place && it.status > Status::Holds)
    };
    let (amps, volts) = busy(plan, way, &place);
    let ambient = plan.site.ambient();
    // The first area that the formula allows; what the network says of it decides.
    let drops = |area: f64| amps * conductor_ohms(Material::Copper, length_m, area, ambient).0 / volts.max(1e-9);
    let fits = |area: &f64| planned_amps(Material::Copper, *area) >= amps && drops(*area) <= GOOD_DROP;
    let all: Vec<f64> = areas().collect();
    let first = all.iter().position(fits).unwrap_or(all.len() - 1);
    let mut best: Option<(Status, f64, Option<f64>)> = None;
    for area in &all[first..] {
        for fuse in fuses(plan, needs_fuse, amps, *area) {
            put(way, index, length_m, *area, fuse);
            let worst = worst(&findings(plan, way), &place);
            if best.is_none_or(|it| worst < it.0) {
                best = Some((worst, *area, fuse));
            }
            if worst == Status::Holds {
                return words(length_m, *area, fuse, None);
            }
        }
    }
    let Some((status, area, fuse)) = best else { return Vec::new() };
    put(way, index, length_m, area, fuse);
    words(length_m, area, fuse, Some(status))
}

/// Current and voltage at the near end with everything busy; what runs where the busy state collapses.
fn busy(plan: &Plan, way: &Arrangement, place: &str) -> (f64, f64) {
    let at = |moment| {
        let flow = evaluate(plan, way, &moment, &Charge::full()).ok()?;
        flow.feeds.get(place).map(|it| (it.amps, it.near_v))
    };
    at(Moment::Busy).or_else(|| at(Moment::Running)).unwrap_or((0.0, 12.0))
}

fn fuses(plan: &Plan, needed: bool, amps: f64, area: f64) -> Vec<Option<f64>> {
    if !needed {
        return vec![None];
    }
    let most = planned_amps(Material::Copper, area);
    let mut rating = next_fuse(plan.site.fuse_factor() * amps);
    let mut found = Vec::new();
    while let Some(it) = rating.filter(|it| *it <= most && found.len() < MOST_FUSES) {
        found.push(Some(it));
        rating = next_fuse(it * 1.001);
    }
    found
}

fn put(way: &mut Arrangement, index: usize, length_m: f64, area: f64, fuse: Option<f64>) {
    let feed = &mut way.feeds[index];
    feed.cable = Some(Cable {
        length_m: length_m.into(),
        area_mm2: Some(area.into()),
        awg: None,
        material: None,
        contact_ohm: None,
    });
    feed.fuse = fuse.map(|it| Fuse { rating_a: Figure::from(it) });
}

fn worst(found: &[Finding], place: &str) -> Status {
    let own = found.iter().filter(|it| it.place == place && FOR.contains(&it.code));
    own.map(|it| it.status).max().unwrap_or(Status::Holds)
}

fn words(length_m: f64, area: f64, fuse: Option<f64>, status: Option<Status>) -> Vec<String> {
    let mut said = vec![format!("{} of {}", amount(length_m, "m"), amount(area, "mm²"))];
    said.extend(fuse.map(|it| format!("{} fuse", amount(it, "A"))));
    said.extend(status.map(|it| format!("no standard lead of that length does better than “{}”", it.word())));
    said
}
