//! What the rules of an outage do to a start: whom they hold back meanwhile, and which starts they
//! keep apart. And the rules that would mend one.
//!
//! The outage's march follows the same rules by time; here the moments of an arrangement are judged
//! as they are under them.

use super::finding::{Finding, Ruled};
use super::rules::{Rules, start_s, starters};
use super::survey::{Kept, Survey, survey_ruled};
use super::switched::feed_stays;
use super::verdict::Status;
use super::words::time;
use crate::ground::figure::Figure;
use crate::ground::say::{Name, Sentence, amount, listed};
use crate::network::{Moment, fed};
use crate::site::plan::outage::Rule;
use crate::site::plan::{AfterLoss, Arrangement, Device, Outage, Plan};

/// Devices that are held back at most, so that one may start.
const MOST_HELD: usize = 6;

/// The worst that a survey shows of what a finding is of.
fn shown(kept: &Kept<'_>, survey: &Survey, finding: &Finding) -> Option<(Status, f64)> {
    let same = |it: &super::gauge::Gauge| {
        it.code == finding.code && it.place == finding.place && it.unit == finding.unit
    };
    let index = kept.study.gauges.iter().position(same)?;
    survey.shown[index]
        .worst
        .as_ref()
        .map(|it| (it.verdict.status, it.value))
}

/// Tells each finding of a start how it stands in every outage of the plan whose rules make it
/// better.
pub(super) fn tell(kept: &Kept<'_>, list: &mut [Finding]) {
    let (plan, arrangement) = (kept.study.plan, kept.study.way);
    let starts = |it: &Finding| it.moment == "all-starting" || it.moment.starts_with("starting ");
    let under = |rules: &Rules<'_>| survey_ruled(kept.study, rules, Some(kept));
    for outage in &plan.outages {
        let rules = Rules::of(plan, arrangement, &outage.rules);
        if rules.is_empty()
            || !list
                .iter()
                .any(|it| it.status > Status::Tight && starts(it))
        {
            continue;
        }
        let survey = under(&rules);
        for it in list
            .iter_mut()
            .filter(|it| it.status > Status::Tight && starts(it))
        {
            let Some((status, value)) = shown(kept, &survey, it).filter(|now| now.0 < it.status)
            else {
                continue;
            };
            // Told are those rules alone that it takes, with the value under them.
            let needed = rules
                .needed(|less| shown(kept, &under(less), it).is_some_and(|now| now.0 <= status));
            let told = shown(kept, &under(&needed), it).unwrap_or((status, value));
            let sentence = sentence(plan, outage, &needed, told, it);
            it.ruled.push(Ruled {
                outage: outage.id.to_string(),
                status,
                value,
                sentence,
            });
        }
    }
}

fn sentence(
    plan: &Plan,
    outage: &Outage,
    rules: &Rules<'_>,
    (status, value): (Status, f64),
    it: &Finding,
) -> Sentence {
    let stands = match status {
        Status::Holds => "it holds",
        Status::Tight => "it is tight",
        Status::Brief => "it is carried briefly",
        _ => "it still is not well",
    };
    let only = if status <= Status::Tight {
        "Only so: with"
    } else {
        "With"
    };
    format!(
        "{only} {}, as in {}, {stands} ({}).",
        rules.told(plan),
        Name(&outage.label),
        amount(value, it.unit)
    )
    .into()
}

/// The rules that would mend a finding of a start, and how it stands under them. As few and as
/// unimportant devices as it takes are held while another starts: none that is more important than
/// what starts, none that warns, must not be switched off or would stay off, and none for longer
/// than it may be. Where starts fall together as well, they are kept apart.
pub(super) struct Wanted {
    pub(super) rules: Vec<Rule>,
    pub(super) then: Status,
    pub(super) sentence: String,
}

/// See [`Wanted`]; none where no such rules mend it.
pub(super) fn wanted(kept: &Kept<'_>, finding: &Finding) -> Option<Wanted> {
    let (plan, arrangement) = (kept.study.plan, kept.study.way);
    let bad = finding
        .also
        .iter()
        .filter(|it| it.status > Status::Tight)
        .map(|it| it.moment.as_str());
    let bad: Vec<&str> = std::iter::once(finding.moment.as_str())
        .chain(bad)
        .collect();
    let mut starting: Vec<&Device> = Vec::new();
    for moment in &bad {
        match moment.parse().ok()? {
            Moment::AllStarting => {}
            Moment::Starting(id) => {
                let device = plan.device(&id)?;
                if !starting.iter().any(|it| it.id == device.id) {
                    starting.push(device);
                }
            }
            _ => return None,
        }
    }
    let before = survey_ruled(kept.study, &Rules::default(), Some(kept));
    let trial = Trial {
        kept,
        plan,
        arrangement,
        finding,
        before,
        starting,
    };
    let apart = || {
        bad.contains(&"all-starting")
            .then(|| kept_apart(plan, arrangement))
            .flatten()
    };
    trial
        .with(None)
        .or_else(|| apart().and_then(|it| trial.with(Some(&it))))
}

/// The search for rules.
struct Trial<'a> {
    kept: &'a Kept<'a>,
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    finding: &'a Finding,
    /// Everything as it is without rules.
    before: Survey,
    /// The devices whose start is not well.
    starting: Vec<&'a Device>,
}

impl<'a> Trial<'a> {
    /// How the finding stands with some held, and all starts kept apart where that is given; none
    /// where something anywhere is worse, or the finding is not carried.
    fn judged(&self, held: &[(&Device, &Device)], apart: Option<&Rule>) -> Option<Status> {
        let rules = rules(held, apart);
        let rules = Rules::of(self.plan, self.arrangement, &rules);
        let after = survey_ruled(self.kept.study, &rules, Some(self.kept));
        let worse = self
            .before
            .shown
            .iter()
            .zip(&after.shown)
            .any(|(was, now)| now.status() > was.status());
        let then = shown(self.kept, &after, self.finding)?.0;
        (!worse && then <= Status::Tight && then < self.finding.status).then_some(then)
    }

    /// As few held as it takes.
    fn with(&self, apart: Option<&Rule>) -> Option<Wanted> {
        let mut held: Vec<(&'a Device, &'a Device)> = Vec::new();
        let mut then = self.judged(&held, apart);
        for one in &self.starting {
            let may = candidates(self.plan, self.arrangement, one, &self.starting);
            for it in may.into_iter().take(MOST_HELD) {
                if then.is_some() {
                    break;
                }
                held.push((it, one));
                then = self.judged(&held, apart);
            }
        }
        then?;
        // Whoever needs not be held is not.
        let mut index = 0;
        while index < held.len() {
            let mut less = held.clone();
            less.remove(index);
            match self.judged(&less, apart) {
                Some(status) => (held, then) = (less, Some(status)),
                None => index += 1,
            }
        }
        let (then, rules) = (then?, rules(&held, apart));
        (!rules.is_empty()).then(|| Wanted {
            sentence: told(&held, apart, then),
            rules,
            then,
        })
    }
}

fn rules(held: &[(&Device, &Device)], apart: Option<&Rule>) -> Vec<Rule> {
    let hold = |it: &(&Device, &Device)| Rule::Hold {
        device: it.0.id.clone(),
        while_starting: it.1.id.clone(),
    };
    held.iter().map(hold).chain(apart.cloned()).collect()
}

/// The rule that keeps all starts of an arrangement apart; none where fewer than two start, or
/// nobody says for how long.
fn kept_apart(plan: &Plan, arrangement: &Arrangement) -> Option<Rule> {
    let all: Vec<&Device> = starters(plan, arrangement).collect();
    let longest = all
        .iter()
        .map(|it| start_s(it))
        .collect::<Option<Vec<f64>>>()?
        .into_iter()
        .fold(0.0, f64::max);
    (all.len() > 1).then(|| Rule::Stagger {
        seconds: Figure::assumed(longest.ceil()),
        devices: all.into_iter().map(|it| it.id.clone()).collect(),
    })
}

/// Who may be held while a device starts, the least important first, then who draws most.
fn candidates<'a>(
    plan: &'a Plan,
    arrangement: &'a Arrangement,
    starts: &Device,
    starting: &[&Device],
) -> Vec<&'a Device> {
    let rank = |it: &Device| it.priority.as_ref().map_or(f64::INFINITY, Figure::get);
    let may = |it: &&Device| {
        let stays = start_s(starts)
            .zip(it.deadline.as_ref())
            .is_none_or(|(lasts, dark)| lasts / 60.0 <= dark.minutes.get());
        let other = starting.iter().all(|one| one.id != it.id);
        // What warns people is not silenced by advice.
        let warns = it
            .role
            .as_deref()
            .is_some_and(|it| it.to_lowercase().contains("alarm"));
        // What stays off until a hand switches it on again is not switched off for a minute.
        let latches = matches!(it.after_loss, Some(AfterLoss::Latches {}));
        other
            && stays
            && !warns
            && !latches
            && rank(it) >= rank(starts)
            && feed_stays(plan, it).is_none()
            && draws(it) > 0.0
    };
    let mut list: Vec<&Device> = fed(plan, arrangement).filter(may).collect();
    list.sort_by(|a, b| {
        rank(b)
            .total_cmp(&rank(a))
            .then(draws(b).total_cmp(&draws(a)))
    });
    list
}

/// What a device draws while it is busy, all of its quantity together, W.
fn draws(device: &Device) -> f64 {
    Moment::Busy
        .load_of(device)
        .power(device.input.rated_v.get())
}

fn told(held: &[(&Device, &Device)], apart: Option<&Rule>, then: Status) -> String {
    let mut said: Vec<String> = Vec::new();
    let mut done: Vec<&str> = Vec::new();
    for (_, starts) in held {
        if !done.contains(&starts.id.as_str()) {
            done.push(starts.id.as_str());
            let names: Vec<String> = held
                .iter()
                .filter(|it| it.1.id == starts.id)
                .map(|it| Name(&it.0.label).to_string())
                .collect();
            let lasts = start_s(starts)
                .map_or_else(String::new, |it| format!(", which takes {}", time(it)));
            said.push(format!(
                "hold {} while {} starts{lasts}",
                listed(&names),
                Name(&starts.label)
            ));
        }
    }
    if let Some(Rule::Stagger { seconds, .. }) = apart {
        said.push(format!("let no two start within {}", time(seconds.get())));
    }
    let then = if then == Status::Holds {
        "it holds"
    } else {
        "it is tight"
    };
    let mut all = listed(&said);
    if let Some(first) = all.get(..1) {
        all = first.to_uppercase() + &all[1..];
    }
    format!("{all}: {then} then.")
}
