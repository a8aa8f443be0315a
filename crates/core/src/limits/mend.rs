//! What would mend a finding, found by trying it on the real network.

use super::bound::{Bound, DROP_TIGHT, DROP_TOO_MUCH};
use super::facts::facts;
use super::finding::{Code, Finding, findings};
use super::survey::{charge_named, survey};
use super::verdict::Status;
use super::weakest::{WeakestLink, weakest};
use super::wire::{ampacity, area_for, areas, largest_fuse, next_fuse};
use super::words::amount;
use crate::figure::Figure;
use crate::json::words;
use crate::network::{Moment, Network, Reading, Solver, area, conductor_ohms, moments};
use crate::plan::{Arrangement, Feed, Material, Plan, Port, PortVoltage, SourceKind};
use crate::say::Sentence;
use rayon::prelude::*;
use serde::Serialize;

words!(
    /// A way to mend a finding.
    Remedy {
        /// A lead of a larger area.
        ThickerLead = "thicker-lead",
        /// A lead of less length.
        ShorterLead = "shorter-lead",
        /// A fuse, or another one.
        Fuse = "fuse",
        /// A port, converter or battery of a higher rating.
        HigherRating = "higher-rating",
        /// Another port of the kit.
        OtherPort = "other-port",
        /// One start after the other.
        OneAfterTheOther = "one-after-the-other",
        /// More output, so that the port stays on.
        MoreLoad = "more-load",
        /// Another voltage.
        OtherVoltage = "other-voltage",
        /// More hold-up between the source and the device.
        HoldUp = "hold-up",
    }
);

/// Something that would mend a finding.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Mend {
    /// The way.
    pub remedy: Remedy,
    /// The number that it takes, where it takes one.
    pub value: Option<f64>,
    /// The unit of that.
    pub unit: String,
    /// The place that it is about: a feed by what it leads to, or `item/port`.
    #[serde(rename = "where")]
    pub place: String,
    /// All of it in a sentence.
    pub sentence: Sentence,
}

/// Lengths and areas are found to this share.
const FINE: f64 = 1e-4;
/// The most other ports that are named.
const MOST_PORTS: usize = 2;

/// Every finding of an arrangement, those that are not well with what would mend them.
pub fn mended(plan: &Plan, arrangement: &Arrangement) -> Vec<Finding> {
    let mut list = findings(plan, arrangement);
    for it in list.iter_mut().take_while(|it| it.status > Status::Holds) {
        it.mends = mends(plan, arrangement, it);
    }
    list
}

/// Everything that the limits say of one arrangement.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Checked {
    /// The arrangement's id.
    pub arrangement: String,
    /// Every finding, worst first, with what would mend it.
    pub findings: Vec<Finding>,
    /// The weakest link of each moment.
    pub weakest: Vec<WeakestLink>,
}

/// Checks one arrangement against everything.
pub fn checked(plan: &Plan, arrangement: &Arrangement) -> Checked {
    Checked {
        arrangement: arrangement.id.to_string(),
        findings: mended(plan, arrangement),
        weakest: weakest(plan, arrangement),
    }
}

/// Checks several arrangements against everything, on all cores.
pub fn checked_all(plan: &Plan, arrangements: &[&Arrangement]) -> Vec<Checked> {
    arrangements.par_iter().map(|it| checked(plan, it)).collect()
}

fn mends(plan: &Plan, arrangement: &Arrangement, finding: &Finding) -> Vec<Mend> {
    // What happens on another arrangement is mended there.
    let moment = Moment::parse(&finding.moment).unwrap_or(Moment::Running);
    let arrangement = moment.place(plan, arrangement);
    let patient = Patient { plan, arrangement, finding, moment };
    let index = arrangement.feeds.iter().position(|it| it.to.to_string() == finding.place);
    match finding.code {
        Code::VoltageDrop | Code::Collapse => index.map_or_else(Vec::new, |it| patient.lead(it)),
        Code::DeviceVoltage | Code::ConverterVoltage if finding.value < finding.limit => {
            index.map_or_else(Vec::new, |it| patient.lead(it))
        }
        Code::CableAmpacity => index.and_then(|it| patient.thick_enough(it, finding.value)).into_iter().collect(),
        Code::FuseSize | Code::FuseMissing => index.map_or_else(Vec::new, |it| patient.fuse(it)),
        Code::PortLimit | Code::GroupLimit | Code::ConverterOutputLimit => {
            let mut list = patient.rating();
            list.extend(patient.one_after_the_other());
            list.extend(patient.other_ports());
            list
        }
        Code::BatteryCurrent | Code::ConverterInputCurrent => {
            let mut list = patient.rating();
            list.extend(patient.one_after_the_other());
            list
        }
        Code::Waveform | Code::CurrentKind => index.map_or_else(Vec::new, |it| patient.ports_for(it)),
        Code::AutoOff => vec![patient.more_load()],
        Code::ChargeInput => vec![patient.other_voltage()],
        Code::RideThrough => vec![patient.hold_up()],
        _ => Vec::new(),
    }
}

/// A finding with what it is about.
struct Patient<'a> {
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    finding: &'a Finding,
    moment: Moment,
}

impl Patient<'_> {
    fn name(&self) -> &str {
        let item = self.finding.place.split('/').next().unwrap_or(&self.finding.place);
        self.plan.label(item)
    }

    fn mend(&self, remedy: Remedy, value: Option<f64>, unit: &str, sentence: String) -> Mend {
        Mend { remedy, value, unit: unit.to_owned(), place: self.finding.place.clone(), sentence: sentence.into() }
    }

    /// The smallest standard area, and the longest lead, with which the worst moment is well.
    fn lead(&self, index: usize) -> Vec<Mend> {
        let feed = &self.arrangement.feeds[index];
        let Some(cable) = &feed.cable else { return Vec::new() };
        let (plan, ambient) = (self.plan, self.plan.site.ambient());
        let material = cable.material.unwrap_or(Material::Copper);
        let contacts = cable.contact_ohm.as_ref().map_or(0.0, Figure::get);
        let (length, Some(area)) = (cable.length_m.get(), area(cable)) else { return Vec::new() };
        let mut network = Network::build(plan, self.arrangement, ambient);
        let Some(node) = network.feeds().find(|(_, feed)| *feed == index).map(|(node, _)| node) else {
            return Vec::new();
        };
        let loads = self.moment.loads(plan, self.arrangement, &network);
        let open_v = network.open_volts(&charge_named(plan, self.finding.charge));
        let most = if self.finding.status == Status::Trips { DROP_TOO_MUCH } else { DROP_TIGHT };
        let mut well = |length: f64, area: f64| {
            network.set_ohms(node, conductor_ohms(material, length, area, ambient).0 + contacts);
            let mut solver = Solver::new(&network);
            solver.solve(&loads, &open_v);
            let far = solver.read(Reading::FarVolts(node));
            match self.finding.code {
                Code::VoltageDrop => solver.read(Reading::DropShare(node)).is_some_and(|it| it <= most),
                Code::Collapse => far.is_some(),
                // A hair over the edge is still tight: aim beyond it, as the judgement does.
                _ if self.finding.status == Status::Trips => far.is_some_and(|it| it >= self.finding.limit),
                _ => far.is_some_and(|it| it >= self.finding.limit * 1.02),
            }
        };
        let name = self.name();
        let mut list = Vec::new();
        if let Some(size) = areas().filter(|size| *size > area.0).find(|size| well(length, *size)) {
            let size_words = amount(size, "mm²");
            let sentence = format!(
                "{size_words} instead of {} to {name} would do, at its {}.",
                amount(area.0, "mm²"),
                amount(length, "m")
            );
            list.push(self.mend(Remedy::ThickerLead, Some(size), "mm²", sentence));
        }
        if well(0.0, area.0) && length > 0.0 && !well(length, area.0) {
            let (mut good, mut bad) = (0.0, length);
            while bad - good > FINE * length {
                let middle = f64::midpoint(good, bad);
                if well(middle, area.0) { good = middle } else { bad = middle }
            }
            let longest = (good * 10.0).floor() / 10.0;
            if longest > 0.0 {
                let sentence =
                    format!("At most {} of {} to {name} would do.", amount(longest, "m"), amount(area.0, "mm²"));
                list.push(self.mend(Remedy::ShorterLead, Some(longest), "m", sentence));
            }
        }
        list
    }

    /// The smallest standard area that is planned for a current.
    fn thick_enough(&self, index: usize, amps: f64) -> Option<Mend> {
        let cable = self.arrangement.feeds[index].cable.as_ref()?;
        let size = area_for(cable.material.unwrap_or(Material::Copper), amps)?;
        (size > area(cable)?.0).then(|| {
            let sentence =
                format!("{} to {} is planned for {} and more.", amount(size, "mm²"), self.name(), amount(amps, "A"));
            self.mend(Remedy::ThickerLead, Some(size), "mm²", sentence)
        })
    }

    /// The next standard fuse that carries the load and that the lead outlasts; else a lead for it.
    fn fuse(&self, index: usize) -> Vec<Mend> {
        let feed = &self.arrangement.feeds[index];
        let Some(wanted) = self.wanted_fuse(index) else { return Vec::new() };
        let carries = feed.cable.as_ref().and_then(ampacity);
        let name = self.name();
        match (next_fuse(wanted), carries) {
            (Some(rating), Some(carries)) if rating > carries => {
                let mut list = Vec::new();
                if let Some(most) = largest_fuse(carries).filter(|it| *it >= wanted / self.plan.site.fuse_factor()) {
                    let sentence =
                        format!("A fuse of {} is the largest that the lead to {name} outlasts.", amount(most, "A"));
                    list.push(self.mend(Remedy::Fuse, Some(most), "A", sentence));
                }
                list.extend(self.thick_enough(index, rating));
                list
            }
            (Some(rating), _) if feed.fuse.as_ref().is_none_or(|it| (it.rating_a.get() - rating).abs() > 1e-9) => {
                let sentence = format!("A fuse of {} carries {name}, and its lead outlasts it.", amount(rating, "A"));
                vec![self.mend(Remedy::Fuse, Some(rating), "A", sentence)]
            }
            _ => Vec::new(),
        }
    }

    /// The least rating that a fuse of a feed should have, A: the policy's factor over what lasts, and every start.
    fn wanted_fuse(&self, index: usize) -> Option<f64> {
        let network = Network::build(self.plan, self.arrangement, self.plan.site.ambient());
        let node = network.feeds().find(|(_, feed)| *feed == index)?.0;
        let open_v = network.open_volts(&charge_named(self.plan, "floor"));
        let mut solver = Solver::new(&network);
        let here = moments(self.plan, self.arrangement).into_iter();
        let here = here.filter(|it| it.place(self.plan, self.arrangement).id == self.arrangement.id);
        let wanted = here.filter_map(|moment| {
            solver.solve(&moment.loads(self.plan, self.arrangement, &network), &open_v);
            let amps = solver.read(Reading::FeedAmps(node))?;
            let lasts = matches!(moment, Moment::Running | Moment::Busy);
            Some(if lasts { amps * self.plan.site.fuse_factor() } else { amps })
        });
        wanted.reduce(f64::max)
    }

    /// The smallest rating that would hold.
    fn rating(&self) -> Vec<Mend> {
        let it = self.finding;
        let wanted = it.value / self.plan.site.tight_from();
        let (size, value) = (amount(wanted, it.unit), amount(it.value, it.unit));
        let briefly = it.seconds.filter(|_| it.status > Status::Tight).map_or_else(String::new, |seconds| {
            format!(", or one that states {value} for {}", super::words::time(seconds))
        });
        let sentence = format!("A rating of {size} would hold{briefly}.");
        vec![self.mend(Remedy::HigherRating, Some(wanted), it.unit, sentence)]
    }

    /// Waiting, where only all starts together are too much.
    fn one_after_the_other(&self) -> Option<Mend> {
        let together = self.moment == Moment::AllStarting && self.finding.status > Status::Tight;
        let alone = |it: &super::Elsewhere| it.moment == "all-starting" || it.status <= Status::Tight;
        (together && self.finding.also.iter().all(alone)).then(|| {
            let sentence = "Start one after the other: each start alone is carried.".to_owned();
            self.mend(Remedy::OneAfterTheOther, None, "", sentence)
        })
    }

    /// Other ports for the heaviest feed of the port or group that is too weak.
    fn other_ports(&self) -> Vec<Mend> {
        if self.finding.status <= Status::Tight {
            return Vec::new();
        }
        let (item, id) = self.finding.place.split_once('/').unwrap_or((&self.finding.place, ""));
        let leaves = |feed: &Feed| {
            let port = self.plan.port(&feed.from);
            let grouped = port.and_then(|it| it.group.as_ref()).is_some_and(|it| it.as_str() == id);
            feed.from.item.as_str() == item && (feed.from.port.as_str() == id || grouped)
        };
        let network = Network::build(self.plan, self.arrangement, self.plan.site.ambient());
        let mut solver = Solver::new(&network);
        let open_v = network.open_volts(&charge_named(self.plan, self.finding.charge));
        solver.solve(&self.moment.loads(self.plan, self.arrangement, &network), &open_v);
        let here = network.feeds().filter(|(_, feed)| leaves(&self.arrangement.feeds[*feed]));
        let watts = here.map(|(node, feed)| (feed, solver.read(Reading::FeedWatts(node)).unwrap_or(0.0)));
        let heaviest = watts.max_by(|a, b| a.1.total_cmp(&b.1));
        heaviest.map_or_else(Vec::new, |(feed, _)| self.ports_for(feed))
    }

    /// Ports of the kit that would carry what a feed leads to, the roomiest first.
    fn ports_for(&self, index: usize) -> Vec<Mend> {
        let feed = &self.arrangement.feeds[index];
        let to = feed.to.item.as_str();
        // The mains is what is not there in an outage.
        let sources = self.plan.kit.sources.iter().filter(|it| it.kind != SourceKind::Mains);
        let sources = sources.flat_map(|it| it.ports.iter().map(|port| (&it.id, port)));
        let in_use = self.plan.kit.converters.iter().filter(|it| self.arrangement.feed_into(it.id.as_str()).is_some());
        let converters = in_use.flat_map(|it| it.outputs.iter().map(|port| (&it.id, port)));
        let same = |item: &crate::plan::Id, port: &Port| *item == feed.from.item && port.id == feed.from.port;
        let behind = |item: &str| {
            // What hangs on the item itself cannot feed it.
            item == to
                || self.arrangement.chain(item).iter().any(|it| self.arrangement.feeds[*it].from.item.as_str() == to)
        };
        let mut found: Vec<(Status, f64, Mend)> = Vec::new();
        for (item, port) in sources.chain(converters) {
            if same(item, port) || behind(item.as_str()) {
                continue;
            }
            let voltages: Vec<Option<f64>> = match &port.voltage {
                PortVoltage::Offers { offers_v } => offers_v.iter().map(|it| Some(it.get())).collect(),
                _ => vec![None],
            };
            let tried = voltages.into_iter().filter_map(|volts| self.tried(index, item, port, volts));
            let Some((status, used)) = tried.min_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1))) else { continue };
            let port_name = port.label.as_deref().unwrap_or(port.id.as_str());
            let name = self.plan.label(item.as_str());
            let well = if status == Status::Holds { "holds" } else { "is tight" };
            let sentence = format!("{name}, {port_name} {well} with {} on it.", self.plan.label(to));
            let place = format!("{item}/{}", port.id);
            found.push((
                status,
                used,
                Mend { remedy: Remedy::OtherPort, value: None, unit: String::new(), place, sentence: sentence.into() },
            ));
        }
        found.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
        found.truncate(MOST_PORTS);
        found.into_iter().map(|it| it.2).collect()
    }

    /// How well a feed does from another port, and how much of the tightest limit on its way is used;
    /// `None` where it does not do.
    fn tried(&self, index: usize, item: &crate::plan::Id, port: &Port, volts: Option<f64>) -> Option<(Status, f64)> {
        let mut trial = self.arrangement.clone();
        let feed = &mut trial.feeds[index];
        feed.from = crate::plan::From { item: item.clone(), port: port.id.clone() };
        feed.voltage_v = volts.map(Figure::assumed);
        // The feed itself may lead to a charging input, from which no chain goes on.
        let mut chain = trial.chain(item.as_str());
        chain.insert(0, index);
        let on_way = |place: &str| self.plan.is_on_way(&trial, &chain, place);
        let kinds = facts(self.plan, &trial).into_iter().filter(|it| on_way(&it.place));
        // A plug can be changed; the kind of current and the wave cannot.
        if kinds
            .filter(|it| matches!(it.code, Code::CurrentKind | Code::Waveform | Code::Polarity))
            .any(|it| it.status == Status::Trips)
        {
            return None;
        }
        let here: Vec<Moment> =
            moments(self.plan, &trial).into_iter().filter(|it| it.place(self.plan, &trial).id == trial.id).collect();
        let survey = survey(self.plan, &trial, here);
        let (mut status, mut used) = (Status::Holds, 0.0_f64);
        for (gauge, shown) in survey.gauges.iter().zip(&survey.shown).filter(|(gauge, _)| on_way(&gauge.place)) {
            if matches!(gauge.code, Code::IdleDraw | Code::RideThrough | Code::VoltageDrop) {
                continue;
            }
            if let Some(it) = &shown.worst {
                status = status.max(it.verdict.status);
                if matches!(gauge.bound, Bound::Levels(_)) && it.limit > 0.0 {
                    used = used.max(it.value / it.limit);
                }
            }
        }
        (status <= Status::Tight).then_some((status, used))
    }

    fn more_load(&self) -> Mend {
        let more = self.finding.limit / self.plan.site.tight_from() - self.finding.value;
        let sentence = format!(
            "{} more on it would keep it on; or look for a setting that turns its auto-off off.",
            amount(more, "W")
        );
        self.mend(Remedy::MoreLoad, Some(more), "W", sentence)
    }

    fn other_voltage(&self) -> Mend {
        let it = self.finding;
        let edge = amount(it.limit, "V");
        let sentence = if it.value > it.limit || it.margin < 0.0 && it.value >= it.limit {
            format!("Stay under {edge} without a load, in the coldest hour: fewer panels in a row, or a lower voltage.")
        } else {
            format!("Give it {edge} and more, with a step-up or another outlet.")
        };
        self.mend(Remedy::OtherVoltage, Some(it.limit), "V", sentence)
    }

    fn hold_up(&self) -> Mend {
        let more = -self.finding.margin;
        let sentence = format!(
            "{} of hold-up more would bridge it; or a source that is always in between, without a gap.",
            amount(more.max(0.0), "ms")
        );
        self.mend(Remedy::HoldUp, Some(more.max(0.0)), "ms", sentence)
    }
}

/// Keeps the resistance of a lead in one place: what the trials above set is what a plan would give.
#[cfg(test)]
mod tests {
    use super::*;
    use crate::network::resistance;
    use crate::plan::Cable;

    #[test]
    fn a_trial_has_the_resistance_of_a_plan() {
        let cable = Cable {
            length_m: 7.0.into(),
            area_mm2: Some(1.5.into()),
            awg: None,
            material: None,
            contact_ohm: Some(0.01.into()),
        };
        let ambient = crate::quantity::Celsius(12.0);
        let trial = conductor_ohms(Material::Copper, 7.0, 1.5, ambient).0 + 0.01;
        assert!((trial - resistance(Some(&cable), ambient).0).abs() < 1e-15);
    }
}
