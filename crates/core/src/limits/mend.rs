//! What would mend a finding, found by trying it on the real network.

use super::bound::{DROP_TIGHT, DROP_TOO_MUCH};
use super::breaking::{self, Fault};
use super::code::Code;
use super::door::Verdicts;
use super::finding::{Finding, Mend, Remedy};
use super::judging::{VerdictOf, own_time};
use super::other_ports::OtherPorts;
use super::ruled;
use super::study::Study;
use super::survey::{Kept, charge_named};
use super::verdict::Status;
use super::weakest::WeakestLink;
use crate::ground::figure::Figure;
use crate::ground::json::{FromJson, Path};
use crate::ground::say::{Name, amount};
use crate::ground::work;
use crate::network::{Moment, Reading, Solver};
use crate::site::plan::{Arrangement, Cable, Feed, FuseType, Id, Limit, Plan, Port};
use crate::site::wire::{area, areas, fuses, lead as lead_of};
use rayon::prelude::*;
use serde::Serialize;

/// What a lead and its fuse are judged by.
const LEAD: [Code; 5] = [
    Code::Collapse,
    Code::VoltageDrop,
    Code::CableAmpacity,
    Code::FuseSize,
    Code::FuseMissing,
];
/// Lengths and areas are found to this share.
const FINE: f64 = 1e-4;
/// The most other ports that are named.
const MOST_PORTS: usize = 2;

/// Every finding of an arrangement, those that are not well with what would mend them.
pub fn mended(plan: &Plan, arrangement: &Arrangement) -> Vec<Finding> {
    mended_of(&Study::of(plan, arrangement))
}

fn mended_of(study: &Study<'_>) -> Vec<Finding> {
    let kept = Kept::of(study);
    let mut list = study.findings(Some(&kept));
    let verdicts = Verdicts::from(study.plan, study.way, &list);
    ruled::tell(&kept, &mut list);
    let ports = OtherPorts::of_plan(study.plan);
    for it in list.iter_mut().take_while(|it| it.status > Status::Holds) {
        it.mends = mends(&kept, (&verdicts, &ports), it);
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
    let study = Study::of(plan, arrangement);
    Checked {
        arrangement: arrangement.id.to_string(),
        findings: mended_of(&study),
        weakest: study.weakest(),
    }
}

/// Checks several arrangements against everything, on all cores.
pub fn checked_all(plan: &Plan, arrangements: &[&Arrangement]) -> Vec<Checked> {
    let job = work::current();
    arrangements
        .par_iter()
        .map(|it| work::carried(job.as_ref(), || checked(plan, it)))
        .collect()
}

fn mends(
    kept: &Kept<'_>,
    (verdicts, ports): (&Verdicts, &OtherPorts<'_>),
    finding: &Finding,
) -> Vec<Mend> {
    let moment: Moment = finding.moment.parse().unwrap_or(Moment::Running);
    let Study { plan, way, .. } = *kept.study;
    // What happens on another arrangement is mended there.
    let place = moment.place(plan, way);
    if place.id != way.id {
        let study = Study::of(plan, place);
        let before = Verdicts::silent(plan, place);
        return mends_at(&Kept::of(&study), (&before, ports), moment, finding);
    }
    mends_at(kept, (verdicts, ports), moment, finding)
}

fn mends_at(
    kept: &Kept<'_>,
    (before, ports): (&Verdicts, &OtherPorts<'_>),
    moment: Moment,
    finding: &Finding,
) -> Vec<Mend> {
    let place = kept.study.way;
    let patient = Patient {
        plan: kept.study.plan,
        arrangement: place,
        kept,
        before,
        ports,
        finding,
        moment,
    };
    let index = place
        .feeds
        .iter()
        .position(|it| it.to.to_string() == finding.place);
    match finding.code {
        Code::VoltageDrop | Code::Collapse => index.map_or_else(Vec::new, |it| patient.lead(it)),
        Code::DeviceVoltage | Code::ConverterVoltage if finding.value < finding.limit => {
            let lead = index.map_or_else(Vec::new, |it| patient.lead(it));
            lead.into_iter().chain(patient.by_rules()).collect()
        }
        Code::DeviceVoltage | Code::ConverterVoltage if finding.status == Status::Trips => {
            index.map_or_else(Vec::new, |it| patient.ports_for(it))
        }
        Code::CableAmpacity => index
            .and_then(|it| patient.thick_enough(it))
            .into_iter()
            .collect(),
        Code::FuseSize | Code::FuseMissing => index.map_or_else(Vec::new, |it| patient.fuse(it)),
        Code::PortLimit | Code::GroupLimit | Code::ConverterOutputLimit => {
            let mut list: Vec<Mend> = patient.rating().into_iter().collect();
            list.extend(patient.by_rules());
            list.extend(patient.other_ports());
            list
        }
        Code::BatteryCurrent | Code::ConverterInputCurrent => patient
            .rating()
            .into_iter()
            .chain(patient.by_rules())
            .collect(),
        Code::Waveform | Code::CurrentKind => {
            index.map_or_else(Vec::new, |it| patient.ports_for(it))
        }
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
    /// What it shows as it is.
    kept: &'a Kept<'a>,
    /// How everything stands as it is.
    before: &'a Verdicts,
    ports: &'a OtherPorts<'a>,
    finding: &'a Finding,
    moment: Moment,
}

impl Patient<'_> {
    fn name(&self) -> Name<'_> {
        let item = self
            .finding
            .place
            .split('/')
            .next()
            .unwrap_or(&self.finding.place);
        Name(self.plan.label(item))
    }

    fn mend(&self, remedy: Remedy, value: Option<f64>, unit: &str, sentence: String) -> Mend {
        let place = self.finding.place.clone();
        let unit = unit.to_owned();
        Mend {
            remedy,
            value,
            unit,
            place,
            sentence: sentence.into(),
            then: Status::Holds,
            rules: Vec::new(),
            feed: None,
        }
    }

    /// The door: an arrangement with something done is judged whole. How the finding stands then,
    /// where nothing is worse and the finding is better and carried for good.
    fn judged(&self, plan: &Plan, trial: &Arrangement) -> Option<(Status, Verdicts)> {
        self.judged_within(plan, trial, |_| Status::Trips)
    }

    /// The same where nothing is worse than `most` of it besides.
    fn judged_within(
        &self,
        plan: &Plan,
        trial: &Arrangement,
        most: impl Fn(VerdictOf<'_>) -> Status,
    ) -> Option<(Status, Verdicts)> {
        let it = self.finding;
        let own = own_time(&it.moment);
        let is_own = |of: VerdictOf<'_>| {
            (of.code, of.place, of.unit, of.own) == (it.code, &it.place, it.unit, own)
        };
        let better = match it.status {
            Status::Holds => return None,
            Status::Tight => Status::Holds,
            _ => Status::Tight,
        };
        let after = Verdicts::no_worse((plan, trial), Some(self.kept), self.before, |of| {
            let most = most(of);
            if is_own(of) { most.min(better) } else { most }
        })?;
        let then = after.status(it);
        (then <= better).then_some((then, after))
    }

    /// A feed changed, offered where it goes through the door and its lead is `most` at worst;
    /// `says` gets how the finding stands then.
    fn with_feed(
        &self,
        index: usize,
        most: Status,
        change: impl FnOnce(&mut Feed),
        says: impl FnOnce(Status) -> Mend,
    ) -> Option<Mend> {
        let mut trial = self.arrangement.clone();
        change(&mut trial.feeds[index]);
        // A lead or a fuse that is proposed holds in all that it is proposed for; what else ails
        // that lead, and is no worse by it, has mends of its own.
        let place = trial.feeds[index].to.name();
        let (then, _) = self.judged_within(self.plan, &trial, |it| {
            if LEAD.contains(&it.code) && it.place == place {
                most.max(self.before.of_code(it.code, &place))
            } else {
                Status::Trips
            }
        })?;
        (then <= most).then(|| Mend {
            then,
            feed: Some(trial.feeds[index].clone()),
            ..says(then)
        })
    }

    /// The smallest standard area, and the longest lead, with which the worst moment is well.
    fn lead(&self, index: usize) -> Vec<Mend> {
        let feed = &self.arrangement.feeds[index];
        let Some(cable) = &feed.cable else {
            return Vec::new();
        };
        let (plan, ambient) = (self.plan, self.plan.site.ambient());
        let (length, Some(area)) = (cable.length_m.get(), area(cable)) else {
            return Vec::new();
        };
        let mut network = self.kept.study.network().clone();
        let Some(node) = network
            .feeds()
            .find(|(_, feed)| *feed == index)
            .map(|(node, _)| node)
        else {
            return Vec::new();
        };
        let loads = self.moment.loads(plan, self.arrangement, &network);
        let open_v = network.open_volts(&charge_named(plan, self.finding.charge));
        let most = if self.finding.status == Status::Trips {
            DROP_TOO_MUCH
        } else {
            DROP_TIGHT
        };
        // A look at the worst moment alone says what is worth being judged whole.
        let mut well = |length: f64, area: f64| {
            let size = Some(Figure::assumed(area));
            let trial = Cable {
                length_m: Figure::assumed(length),
                area_mm2: size,
                awg: None,
                ..cable.clone()
            };
            network.set_lead(node, lead_of(Some(&trial), ambient));
            let mut solver = Solver::new(&network);
            solver.solve(&loads, &open_v);
            let far = solver.read(Reading::FarVolts(node));
            match self.finding.code {
                Code::VoltageDrop => solver
                    .read(Reading::DropShare(node))
                    .is_some_and(|it| it <= most),
                // What stands and loses half of its voltage helps nobody.
                Code::Collapse => {
                    far.is_some()
                        && solver
                            .read(Reading::DropShare(node))
                            .is_some_and(|it| it <= DROP_TOO_MUCH)
                }
                // A hair over the edge is still tight: aim beyond it, as the judgement does.
                _ if self.finding.status == Status::Trips => {
                    far.is_some_and(|it| it >= self.finding.limit)
                }
                _ => far.is_some_and(|it| it >= self.finding.limit * 1.02),
            }
        };
        let name = self.name();
        let mut list = Vec::new();
        let thicker: Vec<f64> = areas()
            .filter(|size| *size > area.0 && well(length, *size))
            .collect();
        list.extend(thicker.into_iter().find_map(|size| {
            let says = |then| {
                let sentence = format!(
                    "{} instead of {} to {name}, at its {}: {} then.",
                    amount(size, "mm²"),
                    amount(area.0, "mm²"),
                    amount(length, "m"),
                    stands(then)
                );
                self.mend(Remedy::ThickerLead, Some(size), "mm²", sentence)
            };
            self.with_feed(index, Status::Holds, |feed| with_area(feed, size), says)
        }));
        if well(0.0, area.0) && length > 0.0 && !well(length, area.0) {
            let (mut good, mut bad) = (0.0, length);
            while bad - good > FINE * length {
                let middle = f64::midpoint(good, bad);
                if well(middle, area.0) {
                    good = middle;
                } else {
                    bad = middle;
                }
            }
            let longest = (good * 10.0).floor() / 10.0;
            let says = |then| {
                let sentence = format!(
                    "At most {} of {} to {name}: {} then.",
                    amount(longest, "m"),
                    amount(area.0, "mm²"),
                    stands(then)
                );
                self.mend(Remedy::ShorterLead, Some(longest), "m", sentence)
            };
            let shorten = |feed: &mut Feed| {
                if let Some(cable) = &mut feed.cable {
                    cable.length_m = Figure::assumed(longest);
                }
            };
            if longest > 0.0 {
                list.extend(self.with_feed(index, Status::Tight, shorten, says));
            }
        }
        list
    }

    /// The smallest standard area with which a lead, and the fuse before it, are well.
    fn thick_enough(&self, index: usize) -> Option<Mend> {
        let now = area(self.arrangement.feeds[index].cable.as_ref()?)?.0;
        areas().filter(|size| *size > now).find_map(|size| {
            let says = |then| {
                let sentence = format!(
                    "{} to {}: {} then.",
                    amount(size, "mm²"),
                    self.name(),
                    stands(then)
                );
                self.mend(Remedy::ThickerLead, Some(size), "mm²", sentence)
            };
            self.with_feed(index, Status::Holds, |feed| with_area(feed, size), says)
        })
    }

    /// The smallest standard fuse that carries what flows and that the lead outlasts; else a
    /// thicker lead for it.
    fn fuse(&self, index: usize) -> Vec<Mend> {
        let feed = &self.arrangement.feeds[index];
        let near = breaking::at_near(self.plan, self.arrangement, feed);
        let far = super::guard::at_battery(self.plan, feed)
            .map(|it| breaking::of_store(self.plan, it, 0.0));
        let fuse = fuses().find_map(|rating| {
            let says = |then| {
                let name = self.name();
                let types = [near, far]
                    .into_iter()
                    .flatten()
                    .filter_map(|it| breaking::fitting(rating, Some(it)).built);
                let sentence = format!(
                    "A fuse of {}{} for {name}: {} then, and its lead outlasts it.",
                    amount(rating, "A"),
                    of_type(types.max()),
                    stands(then)
                );
                self.mend(Remedy::Fuse, Some(rating), "A", sentence)
            };
            let change = |feed: &mut Feed| fused(feed, rating, (near, far));
            self.with_feed(index, Status::Holds, change, says)
        });
        fuse.into_iter().chain(self.thick_enough(index)).collect()
    }

    /// The smallest rating that would hold, tried as the rating of what is too weak.
    fn rating(&self) -> Option<Mend> {
        let it = self.finding;
        let wanted = it.value / self.plan.site.tight_from();
        let plan = with_rating(self.plan, it, wanted)?;
        let (then, _) = self.judged(&plan, self.arrangement)?;
        let (size, value) = (amount(wanted, it.unit), amount(it.value, it.unit));
        let briefly = it
            .seconds
            .filter(|_| it.status > Status::Tight)
            .map_or_else(String::new, |seconds| {
                format!(
                    ", or one that states {value} for {}",
                    super::words::time(seconds)
                )
            });
        let sentence = format!("A rating of {size} would hold{briefly}.");
        Some(Mend {
            then,
            ..self.mend(Remedy::HigherRating, Some(wanted), it.unit, sentence)
        })
    }

    /// Waiting, where only all starts together are too much; or others held back while one starts.
    /// What needs a rule comes with it.
    fn by_rules(&self) -> Option<Mend> {
        if self.finding.status <= Status::Tight {
            return None;
        }
        let here = self.finding.arrangement == self.arrangement.id.as_str();
        let wanted = here
            .then_some(())
            .and_then(|()| ruled::wanted(self.kept, self.finding));
        let alone =
            |it: &super::Elsewhere| it.moment == "all-starting" || it.status <= Status::Tight;
        if self.moment == Moment::AllStarting && self.finding.also.iter().all(alone) {
            let sentence = "Start one after the other: each start alone is carried.".to_owned();
            let (then, rules) =
                wanted.map_or((Status::Tight, Vec::new()), |it| (it.then, it.rules));
            let mend = self.mend(Remedy::OneAfterTheOther, None, "", sentence);
            return Some(Mend {
                then,
                rules,
                ..mend
            });
        }
        let wanted = wanted?;
        let mend = self.mend(Remedy::HeldBack, None, "", wanted.sentence);
        Some(Mend {
            then: wanted.then,
            rules: wanted.rules,
            ..mend
        })
    }

    /// Other ports for the heaviest feed of the port or group that is too weak.
    fn other_ports(&self) -> Vec<Mend> {
        if self.finding.status <= Status::Tight {
            return Vec::new();
        }
        let (item, id) = self
            .finding
            .place
            .split_once('/')
            .unwrap_or((&self.finding.place, ""));
        let leaves = |feed: &Feed| {
            let port = self.plan.port(&feed.from);
            let grouped = port
                .and_then(|it| it.group.as_ref())
                .is_some_and(|it| it.as_str() == id);
            feed.from.item.as_str() == item && (feed.from.port.as_str() == id || grouped)
        };
        let network = self.kept.study.network();
        let mut solver = Solver::new(network);
        let open_v = network.open_volts(&charge_named(self.plan, self.finding.charge));
        solver.solve(
            &self.moment.loads(self.plan, self.arrangement, network),
            &open_v,
        );
        let here = network
            .feeds()
            .filter(|(_, feed)| leaves(&self.arrangement.feeds[*feed]));
        let watts =
            here.map(|(node, feed)| (feed, solver.read(Reading::FeedWatts(node)).unwrap_or(0.0)));
        let heaviest = watts.max_by(|a, b| a.1.total_cmp(&b.1));
        heaviest.map_or_else(Vec::new, |(feed, _)| self.ports_for(feed))
    }

    /// Ports of the kit from which everything behind a feed is well, the best first.
    fn ports_for(&self, index: usize) -> Vec<Mend> {
        let ports = self.ports.of(self.arrangement, index);
        let mut found: Vec<Mend> = ports
            .into_iter()
            .filter_map(|(item, port, voltages)| {
                let tried = voltages
                    .into_iter()
                    .filter_map(|volts| self.at_port(index, (item, port), volts));
                tried.min_by_key(|it| it.then)
            })
            .collect();
        found.sort_by_key(|it| it.then);
        found.truncate(MOST_PORTS);
        found
    }

    /// A feed from another port, with everything behind it and everything else on that port judged
    /// too; where it has no fuse and does not do without one there, with the smallest standard one
    /// that does.
    fn at_port(
        &self,
        index: usize,
        (item, port): (&Id, &Port),
        volts: Option<f64>,
    ) -> Option<Mend> {
        let plugged =
            self.ports
                .plugged((self.arrangement, self.before), index, (item, port), volts)?;
        // The promise is of all of it, not of the finding alone; but of that as well.
        let then = plugged.after.status(self.finding);
        if then >= self.finding.status || then > Status::Tight {
            return None;
        }
        let (whole, to_look, fuse) = (plugged.worst.max(then), plugged.to_look, plugged.fuse);
        let port_name = Name(port.label.as_deref().unwrap_or(port.id.as_str()));
        let name = Name(self.plan.label(item.as_str()));
        let well = if whole == Status::Holds {
            "holds"
        } else {
            "is tight"
        };
        let changed = plugged.feed.clone();
        let to = Name(self.plan.label(changed.to.item.as_str()));
        let built = changed.fuse.as_ref().and_then(|it| it.built);
        let with = fuse.map_or_else(String::new, |it| {
            format!(
                " and a fuse of {}{} in its lead",
                amount(it, "A"),
                of_type(built)
            )
        });
        let look = match (to_look.meter, to_look.unstated) {
            (true, false) => "; verify polarity and plug with a meter first",
            (true, true) => {
                "; verify polarity and plug with a meter first, and look up what nobody stated of \
                it"
            }
            (false, true) => "; look up what nobody stated of it first",
            (false, false) => "",
        };
        let sentence = format!("{name}, {port_name} {well} with {to} on it{with}{look}.");
        let place = format!("{item}/{}", port.id);
        let mend = self.mend(Remedy::OtherPort, None, "", sentence);
        Some(Mend {
            place,
            then: whole,
            feed: Some(changed),
            ..mend
        })
    }

    fn more_load(&self) -> Mend {
        let more = self.finding.limit / self.plan.site.tight_from() - self.finding.value;
        let setting = "look for a setting that turns its auto-off off";
        // More load is advice only where everything carries it.
        let then = self.loaded(more);
        let sentence = match then {
            Some(_) => format!(
                "{} more on it would keep it on; or {setting}.",
                amount(more, "W")
            ),
            None => format!(
                "Nothing that could be added keeps it on without harm elsewhere: {setting}."
            ),
        };
        let value = then.map(|_| more);
        Mend {
            then: then.unwrap_or(self.finding.status),
            ..self.mend(Remedy::MoreLoad, value, "W", sentence)
        }
    }

    /// How the finding stands with a device of so many watts beside what hangs on the port; none
    /// where anything is worse.
    fn loaded(&self, watts: f64) -> Option<Status> {
        let (item, port) = self.finding.place.split_once('/')?;
        let from = crate::site::plan::From {
            item: crate::site::plan::Id::new(item).ok()?,
            port: crate::site::plan::Id::new(port).ok()?,
        };
        let found = self.plan.port(&from)?;
        let volts = found.voltage.standing(None)?;
        let (mut plan, mut trial) = (self.plan.clone(), self.arrangement.clone());
        let current = if found.current == crate::site::plan::device::Current::Ac {
            "ac"
        } else {
            "dc"
        };
        let device = serde_json::json!({"id": "more-load", "label": "More",
            "input": {"current": current, "rated_v": volts},
            "phases": [{"when": "running", "watts": watts}]});
        plan.kit
            .devices
            .push(FromJson::from_json(&device, &Path::Root).ok()?);
        let target = crate::site::plan::arrangement::Target {
            item: crate::site::plan::Id::new("more-load").ok()?,
            input: None,
        };
        trial.feeds.push(Feed::bare(from, target));
        self.judged(&plan, &trial).map(|it| it.0)
    }

    fn other_voltage(&self) -> Mend {
        let it = self.finding;
        let edge = amount(it.limit, "V");
        let sentence = if it.value > it.limit || it.margin < 0.0 && it.value >= it.limit {
            format!(
                "Stay under {edge} without a load, in the coldest hour: fewer panels in a row, or \
                a lower voltage."
            )
        } else {
            format!("Give it {edge} and more, with a step-up or another outlet.")
        };
        // Which source that would be is not said, so nothing is promised of it.
        Mend {
            then: it.status,
            ..self.mend(Remedy::OtherVoltage, Some(it.limit), "V", sentence)
        }
    }

    fn hold_up(&self) -> Mend {
        let it = self.finding;
        let more = (-it.margin).max(0.0);
        let then = self.holding(it.limit + more);
        let sentence = match then {
            Some(_) => format!(
                "{} of hold-up more would bridge it; or a source that is always in between, \
                without a gap.",
                amount(more, "ms")
            ),
            None => {
                "A source that is always in between, without a gap, would bridge it.".to_owned()
            }
        };
        let value = then.map(|_| more);
        Mend {
            then: then.unwrap_or(it.status),
            ..self.mend(Remedy::HoldUp, value, "ms", sentence)
        }
    }

    /// How the finding stands with a device that rides through so many ms; none where that does not
    /// help.
    fn holding(&self, ms: f64) -> Option<Status> {
        let mut plan = self.plan.clone();
        let device = plan
            .kit
            .devices
            .iter_mut()
            .find(|device| device.id.as_str() == self.finding.place)?;
        // A hair more than the gap itself.
        device.ride_through_ms = Some(Figure::assumed(ms * (1.0 + 1e-9)));
        self.judged(&plan, self.arrangement).map(|it| it.0)
    }
}

/// How a fuse that is offered must be built, where not any would do.
fn of_type(built: Option<FuseType>) -> String {
    built.map_or_else(String::new, |it| format!(", {},", it.called()))
}

fn stands(then: Status) -> &'static str {
    if then == Status::Holds {
        "it holds"
    } else {
        "it is tight"
    }
}

/// A fuse at each end of a feed that wants one, of the types that break what they meet there.
fn fused(feed: &mut Feed, rating: f64, (near, far): (Option<Fault>, Option<Fault>)) {
    let wants_near =
        feed.fuse.is_some() || far.is_none() || near.is_some_and(|it| it.amps.is_some());
    if wants_near {
        feed.fuse = Some(breaking::fitting(rating, near));
    }
    if far.is_some() {
        feed.fuse_far = Some(breaking::fitting(rating, far));
    }
}

fn with_area(feed: &mut Feed, area_mm2: f64) {
    if let Some(cable) = &mut feed.cable {
        cable.area_mm2 = Some(Figure::assumed(area_mm2));
        cable.awg = None;
    }
}

/// The plan with another continuous rating where a finding is.
fn with_rating(plan: &Plan, finding: &Finding, rating: f64) -> Option<Plan> {
    let mut plan = plan.clone();
    let place = finding.place.as_str();
    let rate = |limit: &mut Limit| {
        if finding.unit == "A" {
            limit.continuous_a = Some(Figure::assumed(rating));
        } else {
            limit.continuous_w = Some(Figure::assumed(rating));
        }
    };
    match finding.code {
        Code::BatteryCurrent => {
            let battery = plan
                .kit
                .sources
                .iter_mut()
                .find(|it| it.id.as_str() == place)?
                .battery
                .as_mut()?;
            battery.max_discharge_a = Some(Figure::assumed(rating));
        }
        Code::ConverterInputCurrent => {
            plan.kit
                .converters
                .iter_mut()
                .find(|it| it.id.as_str() == place)?
                .input
                .max_a = Some(Figure::assumed(rating));
        }
        _ => {
            let (item, id) = place.split_once('/')?;
            let source = plan
                .kit
                .sources
                .iter_mut()
                .find(|it| it.id.as_str() == item);
            let source = source.map(|it| (&mut it.ports, &mut it.groups));
            let (ports, groups) = match source {
                Some(it) => it,
                None => {
                    let it = plan
                        .kit
                        .converters
                        .iter_mut()
                        .find(|it| it.id.as_str() == item)?;
                    (&mut it.outputs, &mut it.groups)
                }
            };
            if finding.code == Code::GroupLimit {
                rate(&mut groups.iter_mut().find(|it| it.id.as_str() == id)?.limit);
            } else {
                rate(
                    ports
                        .iter_mut()
                        .find(|it| it.id.as_str() == id)?
                        .limit
                        .as_mut()?,
                );
            }
        }
    }
    Some(plan)
}
