//! The lead and the fuse that a feed is proposed: the smallest standard ones that hold for whatever
//! it may carry.
//!
//! A lead to a device carries what that draws at its worst moment. A lead into a converter or a
//! shared stage carries what that stage may draw by its own limit, however little hangs on it
//! today.

use crate::ground::figure::Figure;
use crate::ground::say::{Name, amount};
use crate::limits::{Code, Judged, Status, assumed_contacts, fitted_fuse, judged};
use crate::network::{Charge, Law, Network, Reading, Solver, moments};
use crate::site::plan::device::{Current, power_factor};
use crate::site::plan::{Arrangement, Cable, Converter, Material, Plan, Strand};
use crate::site::wire::{areas, fuses, in_heat, planned_amps};

/// What a lead and its fuse are proposed for.
const FOR: [Code; 6] = [
    Code::Collapse,
    Code::VoltageDrop,
    Code::CableAmpacity,
    Code::FuseSize,
    Code::FuseMissing,
    Code::FuseRating,
];
/// Charges at which currents are looked at; beside them the floor.
const CHARGES: [f64; 2] = [1.0, 0.5];

/// Of these the ones that are judged while a fuse is still missing.
const UNFUSED: [Code; 3] = [Code::Collapse, Code::VoltageDrop, Code::CableAmpacity];

/// What an end may draw decides for good where it is so many times what flows without the leads
/// behind it.
const BY_LIMIT: f64 = 1.25;

/// A lead and a fuse, or that none does.
#[derive(Debug, Clone, PartialEq)]
pub(crate) struct Proposal {
    /// What is proposed, in words.
    pub(crate) words: Vec<String>,
    /// Why no standard lead of that length is proposed.
    pub(crate) refused: Option<String>,
    /// How the voltage at its end stands with the best lead that there is.
    best_window: Status,
    /// Whether it is sized for what its end may draw by its own limit, and not for what flows.
    by_limit: bool,
}

/// Whether leads that were proposed one after the other still hold with all of them laid, sized for
/// what can be no other then.
pub(crate) fn still_hold(plan: &Plan, way: &Arrangement, given: &[(usize, Proposal)]) -> bool {
    let Some((_, others)) = given.split_last() else {
        return true;
    };
    if others
        .iter()
        .any(|it| !it.1.by_limit || it.1.refused.is_some())
    {
        return false;
    }
    let found = judged(plan, way);
    others.iter().all(|(index, it)| {
        let place = way.feeds[*index].to.name();
        worst(&found, &place) == Status::Holds && window(&found, &place) <= it.best_window
    })
}

/// Gives the feed of an index a lead of `length_m` and, where one is missing without it, a fuse;
/// tells what is proposed.
pub(crate) fn proposed(
    plan: &Plan,
    way: &mut Arrangement,
    index: usize,
    length_m: f64,
) -> Proposal {
    let place = way.feeds[index].to.name();
    way.feeds[index].fuse = None;
    // The thinnest lead asks for a fuse where any would.
    put(
        plan,
        way,
        index,
        length_m,
        areas().next().unwrap_or(0.5),
        None,
    );
    let found = judged(plan, way);
    let needs_fuse = found
        .iter()
        .any(|it| it.code == Code::FuseMissing && it.place == place && it.status > Status::Holds);
    let may = plan
        .converter(way.feeds[index].to.item.as_str())
        .and_then(|it| may_draw(plan, way, index, it));
    let flows = worst_amps(plan, way, index);
    let amps = may.unwrap_or(0.0).max(flows);
    let tight_from = plan.site.tight_from();
    let by_limit = may.is_some_and(|it| it >= flows * BY_LIMIT);
    // What no lead mends is not asked of one.
    let thickest = areas().last().unwrap_or(50.0);
    put(plan, way, index, length_m, thickest, None);
    let best_window = window(&judged(plan, way), &place);
    let mut best: Option<(Status, f64, Option<f64>)> = None;
    for area in areas() {
        let carries = planned_amps(Material::Copper, area) * in_heat(plan.site.ambient());
        if carries * tight_from < amps * (1.0 - 1e-9) {
            continue;
        }
        let wanted = plan.site.fuse_factor() * amps;
        let fuse = fuses().find(|it| *it >= wanted * (1.0 - 1e-9));
        if needs_fuse && fuse.is_none_or(|it| it > carries) {
            continue;
        }
        let fuse = fuse.filter(|_| needs_fuse);
        put(plan, way, index, length_m, area, fuse);
        let found = judged(plan, way);
        let worst = worst(&found, &place);
        if best.is_none_or(|it| worst < it.0) {
            best = Some((worst, area, fuse));
        }
        if worst == Status::Holds && window(&found, &place) <= best_window {
            let words = words(plan, way, index, (length_m, area, fuse), may);
            return Proposal {
                words,
                refused: None,
                best_window,
                by_limit,
            };
        }
    }
    let (length, name) = (
        amount(length_m, "m"),
        Name(plan.label(way.feeds[index].to.item.as_str())),
    );
    let refused = match best {
        Some((status, area, _)) => {
            format!(
                "no standard lead of {length} to {name} holds: even {} is “{}”",
                amount(area, "mm²"),
                status.word()
            )
        }
        None => format!(
            "no standard lead to {name} is planned for the {} that it may carry",
            amount(amps, "A")
        ),
    };
    let (_, area, fuse) = best.unwrap_or((Status::Trips, thickest, None));
    put(plan, way, index, length_m, area, fuse);
    Proposal {
        words: Vec::new(),
        refused: Some(refused),
        best_window,
        by_limit,
    }
}

/// Leads of some feeds in sizes of one's own: what holds is what does as well as with the thickest
/// of these everywhere.
pub(crate) struct Sizes<'a> {
    plan: &'a Plan,
    leads: Vec<Lead>,
}

/// One of these leads.
struct Lead {
    index: usize,
    length_m: f64,
    /// What it leads to.
    place: String,
    needs_fuse: bool,
    /// What its end may draw by its own limits, A; 0 where nothing is stated.
    may_a: f64,
    /// What it carries at least, A: with the thickest leads everywhere.
    least_a: f64,
    /// How it and the voltage at its end stand with the thickest leads everywhere.
    best: [Status; 2],
}

impl<'a> Sizes<'a> {
    /// Of the feeds with these indices, each with its length, m, in sizes of these areas, mm²; the
    /// one that loses most comes first. None where even the thickest carry what flows with no
    /// standard fuse.
    pub(crate) fn of(
        plan: &'a Plan,
        way: &Arrangement,
        feeds: &[(usize, f64)],
        areas: &[f64],
    ) -> Option<Self> {
        let thinnest = areas.iter().copied().reduce(f64::min)?;
        let thickest = areas.iter().copied().reduce(f64::max)?;
        let everywhere = |area: f64| {
            let mut all = way.clone();
            for (index, length_m) in feeds {
                put(plan, &mut all, *index, *length_m, area, None);
            }
            all
        };
        let (unfused, thick) = (judged(plan, &everywhere(thinnest)), everywhere(thickest));
        let lead = |(index, length_m): &(usize, f64)| {
            let place = way.feeds[*index].to.name();
            let bare = |it: &Judged| {
                it.code == Code::FuseMissing && it.place == place && it.status > Status::Holds
            };
            let may = plan.converter(way.feeds[*index].to.item.as_str());
            let may_a = may
                .and_then(|it| may_draw(plan, &thick, *index, it))
                .unwrap_or(0.0);
            Lead {
                index: *index,
                length_m: *length_m,
                needs_fuse: unfused.iter().any(bare),
                may_a,
                least_a: may_a.max(worst_amps(plan, &thick, *index)),
                best: [Status::Holds; 2],
                place,
            }
        };
        let mut leads: Vec<Lead> = feeds.iter().map(lead).collect();
        let loses = |it: &Lead| it.least_a.powi(2) * it.length_m;
        leads.sort_by(|a, b| loses(b).total_cmp(&loses(a)));
        let mut sizes = Self { plan, leads };
        let whole = sizes.fused(&thick)?;
        let found = judged(plan, &whole);
        for it in &mut sizes.leads {
            it.best = [worst(&found, &it.place), window(&found, &it.place)];
        }
        Some(sizes)
    }

    /// How many leads there are.
    pub(crate) fn len(&self) -> usize {
        self.leads.len()
    }

    /// The length of one of them, m.
    pub(crate) fn length_m(&self, at: usize) -> f64 {
        self.leads[at].length_m
    }

    /// Whether one of them may be as thin as this, by what it carries at least.
    pub(crate) fn carries(&self, at: usize, area: f64) -> bool {
        self.planned_a(area) * self.plan.site.tight_from() >= self.leads[at].least_a * (1.0 - 1e-9)
    }

    /// Gives one of them a size, without its fuse.
    pub(crate) fn put(&self, way: &mut Arrangement, at: usize, area: f64) {
        put(
            self.plan,
            way,
            self.leads[at].index,
            self.leads[at].length_m,
            area,
            None,
        );
    }

    /// The same with the fuses that all of them need; none where one of them is too thin for what
    /// it carries, or for its fuse.
    pub(crate) fn fused(&self, way: &Arrangement) -> Option<Arrangement> {
        let mut whole = way.clone();
        for it in &self.leads {
            let area = way.feeds[it.index].cable.as_ref()?.area_mm2.as_ref()?.get();
            let carries = self.planned_a(area);
            let amps = it.may_a.max(worst_amps(self.plan, way, it.index));
            if carries * self.plan.site.tight_from() < amps * (1.0 - 1e-9) {
                return None;
            }
            if it.needs_fuse {
                let wanted = self.plan.site.fuse_factor() * amps;
                let fuse = fuses()
                    .find(|it| *it >= wanted * (1.0 - 1e-9))
                    .filter(|it| *it <= carries)?;
                put(
                    self.plan,
                    &mut whole,
                    it.index,
                    it.length_m,
                    area,
                    Some(fuse),
                );
            }
        }
        Some(whole)
    }

    /// Whether the first so many of them hold as well as they can, with their fuses or still
    /// without.
    pub(crate) fn hold(&self, found: &[Judged], first: usize, fused: bool) -> bool {
        let asked: &[Code] = if fused { &FOR } else { &UNFUSED };
        self.leads[..first].iter().all(|it| {
            let [best, best_window] = it.best;
            worst_of(found, &it.place, asked) <= best && window(found, &it.place) <= best_window
        })
    }

    fn planned_a(&self, area: f64) -> f64 {
        planned_amps(Material::Copper, area) * in_heat(self.plan.site.ambient())
    }
}

/// What a converter may draw by its own limits, A: its input's, else what its outlets may give, at
/// its least voltage. None where nothing is stated.
fn may_draw(plan: &Plan, way: &Arrangement, index: usize, converter: &Converter) -> Option<f64> {
    if let Some(most) = &converter.input.max_a {
        return Some(most.get());
    }
    let outlet = |port: &crate::site::plan::Port| {
        let limit = port.limit.as_ref()?;
        let volts = port.voltage.standing(None);
        let by_amps = limit
            .continuous_a
            .as_ref()
            .zip(volts)
            .map(|(amps, volts)| amps.get() * volts);
        let watts = limit.continuous_w.as_ref().map(Figure::get);
        watts.into_iter().chain(by_amps).reduce(f64::min)
    };
    let out: f64 = converter.outputs.iter().map(outlet).sum::<Option<f64>>()?;
    let input = &converter.input;
    let least = [input.cut_out_v.as_ref(), input.min_v.as_ref()]
        .into_iter()
        .flatten()
        .map(Figure::get)
        .reduce(f64::max);
    let fixed = plan
        .port(&way.feeds[index].from)
        .and_then(|it| it.voltage.standing(None));
    let volts = fixed
        .or(least)
        .filter(|it| *it > 0.0)
        .or_else(|| near_v(plan, way, index))?;
    let factor = if input.current == Current::Ac {
        power_factor(input.power_factor.as_ref())
    } else {
        1.0
    };
    Some(Law::of(converter.loss.as_ref()).input(out) / (volts * factor))
}

fn near_v(plan: &Plan, way: &Arrangement, index: usize) -> Option<f64> {
    let network = Network::build(plan, way, plan.site.ambient());
    let node = network.feeds().find(|it| it.1 == index)?.0;
    let mut solver = Solver::new(&network);
    let loads = crate::network::Moment::Running.loads(plan, way, &network);
    solver.solve(&loads, &network.open_volts(&Charge::floor(plan)));
    solver.read(Reading::NearVolts(node)).filter(|it| *it > 0.0)
}

/// The highest current of a feed over all moments and charges with a thick lead, A.
pub(crate) fn worst_amps(plan: &Plan, way: &Arrangement, index: usize) -> f64 {
    let mut thick = way.clone();
    if let Some(cable) = &mut thick.feeds[index].cable {
        cable.length_m = Figure::assumed(0.0);
    }
    let network = Network::build(plan, &thick, plan.site.ambient());
    let Some(node) = network.feeds().find(|it| it.1 == index).map(|it| it.0) else {
        return 0.0;
    };
    let mut solver = Solver::new(&network);
    let mut worst: f64 = 0.0;
    let charges = CHARGES
        .into_iter()
        .map(Charge::uniform)
        .chain([Charge::floor(plan)]);
    let charges: Vec<Vec<f64>> = charges.map(|it| network.open_volts(&it)).collect();
    for moment in moments(plan, &thick)
        .into_iter()
        .filter(|it| it.place(plan, &thick).id == thick.id)
    {
        let loads = moment.loads(plan, &thick, &network);
        for open_v in &charges {
            solver.solve(&loads, open_v);
            worst = worst.max(solver.read(Reading::FeedAmps(node)).unwrap_or(0.0));
        }
    }
    worst
}

fn put(
    plan: &Plan,
    way: &mut Arrangement,
    index: usize,
    length_m: f64,
    area: f64,
    fuse: Option<f64>,
) {
    let feed = &mut way.feeds[index];
    // Leads that can be bent are of class 5.
    feed.cable = Some(Cable {
        strand: Some(Strand::Class5),
        ..Cable::of(length_m, area)
    });
    feed.fuse = None;
    way.feeds[index].fuse = fuse.map(|it| fitted_fuse(plan, way, index, it));
    let contacts = assumed_contacts(plan, &way.feeds[index]);
    if let Some(cable) = &mut way.feeds[index].cable {
        cable.contact_ohm = Some(contacts);
    }
}

/// How the voltage at the end of a feed stands, but while a store is charged.
fn window(found: &[Judged], place: &str) -> Status {
    let own = found
        .iter()
        .filter(|it| it.place == place && it.own != "charging");
    let volts = own.filter(|it| matches!(it.code, Code::DeviceVoltage | Code::ConverterVoltage));
    volts.map(|it| it.status).max().unwrap_or(Status::Holds)
}

fn worst(found: &[Judged], place: &str) -> Status {
    worst_of(found, place, &FOR)
}

fn worst_of(found: &[Judged], place: &str, codes: &[Code]) -> Status {
    let own = found
        .iter()
        .filter(|it| it.place == place && codes.contains(&it.code));
    own.map(|it| it.status).max().unwrap_or(Status::Holds)
}

fn words(
    plan: &Plan,
    way: &Arrangement,
    index: usize,
    (length_m, area, fuse): (f64, f64, Option<f64>),
    may: Option<f64>,
) -> Vec<String> {
    let mut said = vec![format!(
        "{} of {}",
        amount(length_m, "m"),
        amount(area, "mm²")
    )];
    let built = way.feeds[index].fuse.as_ref().and_then(|it| it.built);
    let built = built.map_or_else(String::new, |it| format!(", {}", it.called()));
    said.extend(fuse.map(|it| format!("{} fuse{built}", amount(it, "A"))));
    said.extend(may.map(|it| {
        let name = Name(plan.label(way.feeds[index].to.item.as_str()));
        format!("sized for the {} that {name} may draw", amount(it, "A"))
    }));
    said
}
