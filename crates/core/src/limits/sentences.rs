//! Findings in sentences: short, with their numbers, in the words of the glossary.

use super::bound::{After, Bound, DROP_TIGHT, DROP_TOO_MUCH, Measure};
use super::code::Code;
use super::gauge::Gauge;
use super::joints::spot_c;
use super::survey::{CHARGES, Seen};
use super::verdict::{Lasts, Status, Verdict};
use super::words::{CHECK_POLARITY, MEDICAL, SHORT_CIRCUIT, When, time, verb, when};
use crate::ground::say::{Amount, Name, percent};
use crate::network::Moment;
use crate::site::plan::Plan;
use crate::site::sum::{Term, Working};
use std::borrow::Cow;
use std::fmt::{self, Arguments};

/// The sentence of a finding.
pub(super) fn message(plan: &Plan, gauge: &Gauge, seen: &Seen, moment: &Moment) -> String {
    let (name, when, status) = (Name(&gauge.name), when(plan, moment), seen.verdict.status);
    let value = Amount(seen.value, gauge.unit);
    let limit = Amount(seen.limit, gauge.unit);
    let verb = verb(status);
    let charge = CHARGES[seen.charge];
    match gauge.code {
        Code::DeviceVoltage | Code::ConverterVoltage => window(gauge, seen, when),
        Code::Collapse if status == Status::Trips => format!(
            "Collapses: the lead to {name} has no stable voltage {when} at {charge} charge; \
            shorten it, thicken it, or raise the voltage."
        ),
        Code::Collapse => {
            format!("Holds: the lead to {name} has a stable voltage at every moment.")
        }
        Code::VoltageDrop => {
            let much = match status {
                Status::Trips => "Too much",
                Status::Tight => "Much",
                _ => "Holds",
            };
            let (lost, good, most) = (
                percent(seen.value),
                percent(DROP_TIGHT),
                percent(DROP_TOO_MUCH),
            );
            format!(
                "{much}: {name} loses {lost} of its voltage in its lead {when} (planning rule: \
                {good} is good, {most} the most)."
            )
        }
        Code::IdleDraw if status == Status::Holds => {
            format!("Holds: {name} takes {value} to be on and carries {limit}.")
        }
        Code::AutoOff => auto_off(gauge, seen, when),
        Code::AlternatorShare => alternator(gauge, seen, when),
        Code::ChargeInput => charge_input(gauge, seen, when),
        Code::RideThrough => ride_through(gauge, seen),
        Code::IdleDraw => format!(
            "Costly: {name} takes {value} just to be on, more than the {limit} that it carries."
        ),
        _ => {
            let what = match gauge.code {
                Code::BatteryCurrent => "draw from",
                Code::ConverterInputCurrent => "into",
                Code::FuseSize => "through the fuse of",
                Code::CableAmpacity => "through the lead to",
                _ => "on",
            };
            let length = For(seen.lasts);
            if let Code::ConnectorRating = gauge.code {
                return contact(gauge, seen, when);
            }
            if let Code::Contacts = gauge.code {
                return joints(plan, gauge, seen, when);
            }
            if let Code::LeastLoad = gauge.code {
                return least_load(gauge, seen);
            }
            if let Code::Crest = gauge.code {
                return crest(gauge, seen, when);
            }
            let load = format_args!("{verb}: {value}{length} {what} {name} {when}");
            if let Bound::Fuse { .. } | Bound::Lead { .. } = gauge.bound {
                return slow(gauge, load, limit, seen.verdict);
            }
            match (status, seen.verdict.allowed_s) {
                (Status::Holds, _) => format!("{load}; its limit is {limit}."),
                (Status::Tight, _) => format!("{load}; close to its limit of {limit}."),
                (Status::Brief, Some(allowed)) => {
                    format!(
                        "{load}; over its {limit}, but carried for {}.",
                        time(allowed)
                    )
                }
                (Status::Unproven, Some(allowed)) => format!(
                    "{load}; it is carried for {}, and how long the start lasts is not known. Time \
                    it on the bench.",
                    time(allowed)
                ),
                (Status::Unproven, None) | (Status::Brief, None) => format!(
                    "{load}; over its {limit}, and its higher rating states no time. Try it on the \
                    bench before anything depends on it."
                ),
                (Status::Trips, Some(allowed)) if allowed > 0.0 => {
                    format!(
                        "{load}; its limit is {limit}, and it carries that only for {}.",
                        time(allowed)
                    )
                }
                (Status::Trips, _) => format!("{load}; its limit is {limit}."),
            }
        }
    }
}

/// How long something lasts, as it follows a number.
struct For(Lasts);

impl fmt::Display for For {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.0 {
            Lasts::ForEver => Ok(()),
            Lasts::Seconds(seconds) => write!(f, " for {}", time(seconds)),
            Lasts::Unknown => f.write_str(" for a time that nobody stated"),
        }
    }
}

/// What a plug carries for long.
fn contact(gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let (name, value, limit) = (
        Name(&gauge.name),
        Amount(seen.value, "A"),
        Amount(seen.limit, "A"),
    );
    let length = For(seen.lasts);
    let called = if let Bound::Contact { called, .. } = gauge.bound {
        called
    } else {
        "plug"
    };
    match (seen.verdict.status, seen.verdict.allowed_s) {
        (Status::Holds, _) => {
            format!(
                "Holds: {value}{length} through the {called} of {name} {when}; it carries {limit}."
            )
        }
        (Status::Tight, _) => {
            format!(
                "Tight: {value}{length} through the {called} of {name} {when}; close to the \
                {limit} that it carries for long."
            )
        }
        (Status::Brief, Some(allowed)) => {
            format!(
                "Brief: {value}{length} through the {called} of {name} {when}; it carries {limit} \
                for long, and that for {}.",
                time(allowed)
            )
        }
        (Status::Unproven, _) => format!(
            "Unproven: {value}{length} through the {called} of {name} {when}; any carries {limit} \
            for long, good ones more. Look what its maker says, and hold a thermometer to it after \
            an hour."
        ),
        _ => format!(
            "Too much: {value}{length} through the {called} of {name} {when}; it carries {limit} \
            for long, and its contacts may overheat. Another plug, or a higher voltage."
        ),
    }
}

/// What the contacts of a lead lose.
fn joints(plan: &Plan, gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let Bound::Joints {
        ohms,
        sound_ohms,
        sure,
        ..
    } = gauge.bound
    else {
        return String::new();
    };
    let (name, value) = (Name(&gauge.name), Amount(seen.value, "A"));
    let length = For(seen.lasts);
    let volts = seen.value * ohms;
    let lost = format!(
        "{} and {}",
        Amount(volts * 1000.0, "mV"),
        Amount(volts * seen.value, "W")
    );
    let more = ohms - sound_ohms;
    let than = if more > 0.05 * sound_ohms {
        format!(", {} more than sound ones", Amount(more * 1000.0, "mΩ"))
    } else {
        String::new()
    };
    let have = format!(
        "the contacts of the lead to {name} have {}{than}",
        Amount(ohms * 1000.0, "mΩ")
    );
    let spot = spot_c(plan.site.ambient().0, seen.value / sure);
    match seen.verdict.status {
        Status::Holds => format!("Holds: {have}, and lose {lost} at {value}{length} {when}."),
        Status::Tight => format!(
            "Tight: {have}, and lose {lost} at {value}{length} {when}. Feel them after an hour, \
            each by itself."
        ),
        Status::Brief => format!(
            "Brief: {have}, and lose {lost} at {value}{length} {when}; they carry {} for long.",
            Amount(sure, "A")
        ),
        Status::Unproven => format!(
            "Unproven: {have}, and lose {lost} at {value}{length} {when}. If one of them has that \
            alone, a spot in it gets {}, and tin softens at 95 °C. Measure across each, feel them \
            after an hour, and crimp, bolt or clean the worst.",
            Amount(spot, "°C")
        ),
        Status::Trips => format!(
            "Too much: {have}, and lose {lost} at {value}{length} {when}, more than they bear even \
            where they share it: tin softens from {} on. Clean, crimp or bolt them before it runs \
            for an hour.",
            Amount(sure, "A")
        ),
    }
}

/// The peaks that adapters take from an outlet while they run.
fn crest(gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let (name, value, limit) = (
        Name(&gauge.name),
        Amount(seen.value, "A"),
        Amount(seen.limit, "A"),
    );
    match seen.verdict.status {
        Status::Holds => {
            format!(
                "Holds: what hangs on {name} takes {value} at the peak of each wave {when}, and it \
                gives {limit}."
            )
        }
        _ => format!(
            "Peaks not tried: adapters on {name} may take {value} at the peak of each wave {when}, \
            and it gives {limit}; its wave may flatten, or it may shut down. Load them as they \
            will be, and look: the surge test on the bench."
        ),
    }
}

/// An engine that carries too little.
fn least_load(gauge: &Gauge, seen: &Seen) -> String {
    let (name, value, least) = (
        Name(&gauge.name),
        Amount(seen.value, "W"),
        Amount(seen.limit, "W"),
    );
    match seen.verdict.status {
        Status::Tight => format!(
            "Little: {name} carries {value}; under {least}, three tenths of its rating, a diesel \
            engine soots up. Charge a store beside it, run it for less long and with more on it, \
            or take a smaller one."
        ),
        _ => format!("Holds: {name} carries {value}; a diesel engine wants {least} at least."),
    }
}

/// A fuse, or what a lead is planned for.
fn slow(gauge: &Gauge, load: Arguments<'_>, limit: Amount<'_>, verdict: Verdict) -> String {
    let fuse = gauge.code == Code::FuseSize;
    let kind = if fuse {
        "it is a fuse of"
    } else {
        "it is planned for"
    };
    let is = format_args!("{kind} {limit}");
    match (verdict.status, verdict.allowed_s) {
        (Status::Holds, _) => format!("{load}; {is}."),
        (Status::Tight, _) if fuse => format!("{load}; {is}, which ages that near its rating."),
        (Status::Tight, _) => format!("{load}; close to the {limit} that it is planned for."),
        (Status::Brief, Some(allowed)) if fuse => {
            format!("{load}; {is}, which carries that for {}.", time(allowed))
        }
        (Status::Brief, Some(allowed)) => {
            format!(
                "{load}; {is} for good, and is no warmer than that after {}.",
                time(allowed)
            )
        }
        (Status::Unproven, Some(allowed)) if fuse => {
            format!(
                "{load}; {is}, and may open: at the latest it does after {}. Look at its curve, or \
                try it.",
                time(allowed)
            )
        }
        (Status::Unproven, _) if fuse => {
            format!(
                "{load}; {is}, and how long the start lasts is not known. Time it on the bench."
            )
        }
        (Status::Unproven, Some(allowed)) => format!(
            "{load}; {is} for good, and carries that for {}. How long the start lasts is not \
            known: time it, and hold a thermometer to the lead after a few.",
            time(allowed)
        ),
        (_, Some(allowed)) if fuse && allowed > 0.0 => {
            format!(
                "{load}; {is}, and it opens, after {} at the latest.",
                time(allowed)
            )
        }
        _ if fuse => format!("{load}; {is}, and it opens."),
        (_, Some(allowed)) if allowed > 0.0 => {
            format!(
                "{load}; {is}, and may overheat: it carries that for {}. Local codes rule.",
                time(allowed)
            )
        }
        _ => format!("{load}; {is}, and may overheat. Local codes rule."),
    }
}

fn auto_off(gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let (name, value, limit) = (
        Name(&gauge.name),
        Amount(seen.value, "W"),
        Amount(seen.limit, "W"),
    );
    match (seen.verdict.status, seen.verdict.allowed_s) {
        (Status::Trips, Some(after)) => format!(
            "Turns itself off: {name} gives {value} {when}, under its threshold of {limit}; after \
            {} it is off until someone acts.",
            time(after)
        ),
        (Status::Tight, _) => {
            format!(
                "Tight: {name} gives {value} {when}, just over its auto-off threshold of {limit}."
            )
        }
        _ => format!("Holds: {name} gives {value} {when}, over its auto-off threshold of {limit}."),
    }
}

fn alternator(gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let (name, value, limit) = (
        Name(&gauge.name),
        Amount(seen.value, "A"),
        Amount(seen.limit, "A"),
    );
    match seen.verdict.status {
        Status::Holds => format!(
            "Holds: {value} from {name} {when}; its share of the idling alternator is {limit}."
        ),
        Status::Tight => format!(
            "Tight: {value} from {name} {when} is too much for an idling engine; at speed {limit} \
            is its share."
        ),
        Status::Brief => format!(
            "Brief: {value} from {name} {when}, over the alternator's share of {limit}; its \
            battery lends the rest."
        ),
        Status::Unproven => format!(
            "Unproven: {value} from {name} {when}, over the alternator's share of {limit}, for a \
            time that nobody stated."
        ),
        Status::Trips => format!(
            "Too much: {value} from {name} {when}; the alternator's share is {limit}, and its \
            battery goes down."
        ),
    }
}

fn charge_input(gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let Bound::Charging { max, bands, .. } = &gauge.bound else {
        return String::new();
    };
    let (name, volts, edge) = (
        Name(&gauge.name),
        Amount(seen.value, "V"),
        Amount(seen.limit, "V"),
    );
    let band = bands.iter().rev().find(|it| it.0 <= seen.value);
    let takes = band.map_or_else(String::new, |it| {
        format!("; there it takes up to {}", Amount(it.1, "A"))
    });
    match seen.verdict.status {
        Status::Trips if *max == Some(seen.limit) => {
            format!(
                "May destroy {name}: {volts} at it {when}, more without a load; it takes {edge} at \
                most."
            )
        }
        Status::Trips => {
            format!("Does not charge: {name} gets {volts} {when} and takes nothing below {edge}.")
        }
        Status::Tight if *max == Some(seen.limit) => {
            format!("Tight: {name} gets {volts} {when}, close to its most {edge}.")
        }
        Status::Tight if bands.iter().any(|it| it.0 > seen.value) => {
            let next = bands.iter().find(|it| it.0 > seen.value);
            let more = next.map_or_else(String::new, |it| {
                format!(
                    "; from {} it would take {}",
                    Amount(it.0, "V"),
                    Amount(it.1, "A")
                )
            });
            format!("In its low band: {name} gets {volts} {when}{takes}{more}.")
        }
        Status::Tight => format!(
            "Tight: {name} gets {volts} {when}, just over the {edge} from which it charges."
        ),
        _ => format!("Holds: {name} gets {volts} {when}{takes}."),
    }
}

fn ride_through(gauge: &Gauge, seen: &Seen) -> String {
    let Bound::Gap {
        survives,
        after,
        deadline_ms,
    } = &gauge.bound
    else {
        return String::new();
    };
    let held = matches!(&gauge.measure, Measure::Gap { stages, .. } if !stages.is_empty());
    let name = Name(&gauge.name);
    let gap = if seen.value >= 1000.0 {
        time(seen.value / 1000.0)
    } else {
        Amount(seen.value, "ms")
    };
    let behind = if held {
        " behind the hold-up of what feeds it"
    } else {
        ""
    };
    if seen.value <= 0.0 {
        return format!("Holds: {name} sees no gap at the switchover{behind}.");
    }
    let then = match after {
        After::Resumes => "it goes on by itself after".to_owned(),
        After::Restarts {
            seconds: Some(seconds),
        } => format!("it restarts and is back after {}", time(*seconds)),
        After::Restarts { seconds: None } => "it restarts".to_owned(),
        After::Latches => "it stays off until someone acts".to_owned(),
        After::Unknown => "what it does after is not known; try it on the bench".to_owned(),
    };
    let survives = match survives {
        Some(most) => format!("survives {}", Amount(*most, "ms")),
        None => "nobody measured what it survives".to_owned(),
    };
    match seen.verdict.status {
        Status::Holds => {
            format!("Holds: {name} rides through the gap of {gap}{behind}; it {survives}.")
        }
        Status::Tight => format!("Tight: {name} sees a gap of {gap}{behind} and {survives}."),
        Status::Trips if deadline_ms.is_some_and(|it| seen.value > it) => {
            format!(
                "Too late: {name} is off for {gap}, longer than the {} it may be.",
                time(deadline_ms.unwrap_or(0.0) / 1000.0)
            )
        }
        // The gap is short enough, and with its restart it is not.
        Status::Trips if !matches!(after, After::Latches) => format!(
            "Too late: {name} sees a gap of {gap}{behind}, {survives}: {then}, and may be off for \
            {} only.",
            time(deadline_ms.unwrap_or(0.0) / 1000.0)
        ),
        status => format!(
            "{}: {name} sees a gap of {gap}{behind}, {survives}: {then}.",
            if status == Status::Trips {
                "Latches"
            } else if status == Status::Brief {
                "Brief"
            } else {
                "Unproven"
            }
        ),
    }
}

/// A finding in three or four words: "Weir camera resets".
pub(super) fn brief(gauge: &Gauge, seen: &Seen) -> String {
    let name = Name(&gauge.name);
    let Bound::Window { low, .. } = gauge.bound else {
        return match (gauge.code, seen.verdict.status) {
            (_, Status::Holds) => format!("{name} holds"),
            (Code::Collapse, _) => format!("lead to {name} collapses"),
            (Code::VoltageDrop, Status::Trips) => format!("lead to {name} too long"),
            (Code::VoltageDrop, _) => format!("lead to {name} tight"),
            (Code::FuseSize, status) => format!("fuse of {name} {}", status.word()),
            (Code::CableAmpacity, Status::Trips) => format!("lead to {name} too thin"),
            (Code::CableAmpacity, status) => format!("lead to {name} {}", status.word()),
            (Code::AutoOff, Status::Trips) => format!("{name} turns itself off"),
            (Code::AlternatorShare, Status::Trips) => {
                format!("too much for the alternator of {name}")
            }
            (Code::ChargeInput, Status::Trips) => format!("{name} does not charge well"),
            (Code::ChargeInput, _) => format!("{name} in its low band"),
            (Code::RideThrough, Status::Trips) => format!("{name} does not come back"),
            (Code::RideThrough, Status::Brief) => format!("{name} restarts at the switch"),
            (Code::RideThrough, status) => format!("{name} at the switch {}", status.word()),
            (Code::IdleDraw, _) => format!("{name} costs more than it carries"),
            (_, status) => format!("{name} {}", status.word()),
        };
    };
    match (seen.verdict.status, low == Some(seen.limit), gauge.code) {
        (Status::Trips, true, Code::DeviceVoltage) => format!("{name} resets"),
        (Status::Trips, true, _) => format!("{name} cuts out"),
        (Status::Trips, false, _) => format!("{name} may be destroyed"),
        (status, _, _) => format!("{name} {}", status.word()),
    }
}

fn window(gauge: &Gauge, seen: &Seen, when: When<'_>) -> String {
    let (name, volts) = (Name(&gauge.name), Amount(seen.value, "V"));
    let edge = Amount(seen.limit, "V");
    let charge = CHARGES[seen.charge];
    let Bound::Window { low, high, .. } = gauge.bound else {
        return String::new();
    };
    let below = low == Some(seen.limit);
    let device = gauge.code == Code::DeviceVoltage;
    if let (true, Some(bears), Status::Brief | Status::Unproven) =
        (below, seen.verdict.allowed_s, seen.verdict.status)
    {
        let how = if seen.verdict.status == Status::Brief {
            "Brief"
        } else {
            "Unproven"
        };
        let long = For(seen.lasts);
        return format!(
            "{how}: {name} gets {volts}{long} {when} at {charge} charge, under its {edge}, and \
            bears that for {}.",
            time(bears)
        );
    }
    match seen.verdict.status {
        Status::Trips if below && device => {
            format!("Resets: {name} gets {volts} {when} at {charge} charge and needs {edge}.")
        }
        Status::Trips if below => {
            format!(
                "Cuts out: {name} gets {volts} {when} at {charge} charge and cuts out at {edge}."
            )
        }
        Status::Trips => {
            format!(
                "May destroy {name}: {volts} at its input {when} at {charge} charge; it takes \
                {edge} at most."
            )
        }
        Status::Tight if below => format!(
            "Tight: {name} gets {volts} {when} at {charge} charge, {} over its least {edge}.",
            Amount(seen.margin, "V")
        ),
        Status::Tight => format!(
            "Tight: {name} gets {volts} {when} at {charge} charge, {} under its most {edge}.",
            Amount(seen.margin, "V")
        ),
        _ => {
            let window = match (low, high) {
                (Some(low), Some(high)) => {
                    format!("it takes {} to {}", Amount(low, ""), Amount(high, "V"))
                }
                (Some(low), None) => format!("it takes {} and more", Amount(low, "V")),
                (None, Some(high)) => format!("it takes {} at most", Amount(high, "V")),
                (None, None) => "its window is not known".into(),
            };
            format!("Holds: {name} gets at worst {volts} {when} at {charge} charge; {window}.")
        }
    }
}

/// The working of a finding.
pub(super) fn working(gauge: &Gauge, seen: &Seen, moment: &Moment, tight_from: f64) -> Working {
    let name = format!(
        "value at the moment “{moment}”, {} charge",
        CHARGES[seen.charge]
    );
    let value = Term {
        see: gauge.key(),
        ..Term::computed(name, seen.value, gauge.unit)
    };
    let limit = Term::computed("limit", seen.limit, gauge.unit);
    let margin = Term::computed("margin", seen.margin, gauge.unit);
    let words: Cow<'static, str> = match &gauge.bound {
        Bound::Levels(levels) => {
            let timed = levels
                .overload
                .iter()
                .map(|(level, seconds)| match seconds {
                    Some(seconds) => format!(
                        "up to {} for {}",
                        Amount(*level, gauge.unit),
                        time(*seconds)
                    ),
                    None => format!(
                        "up to {} for a time that nobody stated",
                        Amount(*level, gauge.unit)
                    ),
                });
            let mut words = format!(
                "holds up to {} of the continuous limit, tight up to it",
                percent(tight_from)
            );
            for level in timed {
                words += "; ";
                words += &level;
            }
            words.into()
        }
        Bound::Fuse { tight_from, .. } => format!(
            "holds up to {} of the rating, tight up to it; above it by the times of ISO 8820-3: it \
            holds for the least of them, may open up to the most, and opens beyond",
            percent(*tight_from)
        )
        .into(),
        Bound::Lead {
            tight_from, tau_s, ..
        } => format!(
            "holds up to {} of what is planned, tight up to it; above it for as long as (I/Iz)²·(1 \
            − e^(−t/τ)) and what it was warm before stay under 1, τ = {}",
            percent(*tight_from),
            Amount(*tau_s, "s")
        )
        .into(),
        Bound::Contact { sure, most, .. } => format!(
            "holds up to {} for long, at the best up to {}; above it for as long as its contacts, \
            which warm in about a minute, are no warmer than that",
            Amount(*sure, "A"),
            Amount(*most, "A")
        )
        .into(),
        Bound::Joints { sure, most, .. } => format!(
            "70 mV at one contact, where its hottest spot reaches 95 °C in air of 20 °C and tin \
            softens (T² = T₀² + V²/4L): {} where one has all that sound ones have not, {} where \
            they share it; what warms them takes about a minute",
            Amount(*sure, "A"),
            Amount(*most, "A")
        )
        .into(),
        Bound::Crest { .. } => {
            "each adapter's amperes by its peak over RMS (stated; else 1.5 where its power factor \
            is corrected, 3 where it is not, and a power factor of 0.5 where nobody stated it), \
            and √2 of what else hangs there, against √2 times the most that the outlet \
            states"
                .into()
        }
        Bound::LeastLoad { .. } => "the running output against three tenths of the rating of a \
            diesel set"
            .into(),
        Bound::Least { .. } => "the running output against the threshold below which it turns \
            itself off"
            .into(),
        Bound::Alternator { .. } => {
            "limit = the policy's share of the alternator's rating, idling, or at full speed where \
            that is told"
                .into()
        }
        Bound::Charging { .. } => {
            "volts under load against the bands, and without a load against the most that it \
            takes"
                .into()
        }
        Bound::Gap { .. } => {
            "gap = transfer time − hold-up of each stage between (ms × stated watts ÷ watts \
            carried, twice the stated at most)"
                .into()
        }
        Bound::Window { .. } => {
            "margin = distance to the nearer edge of the window; tight within 2 % of the \
            edge"
                .into()
        }
        Bound::Drop => "share of the near end's voltage that the lead takes; over 3 % tight, over \
            10 % too much"
            .into(),
        Bound::Idle { .. } => "power for being on against the power carried while running".into(),
        Bound::Stands => "a lead is stable while the power it carries grows with its \
            current"
            .into(),
    };
    // On which side of the limit it is well, as the bound itself has it.
    let formula = match () {
        () if matches!(gauge.bound, Bound::Stands) => "0",
        () if gauge.bound.above_is_well(seen.limit) => "t1 - t2",
        () => "t2 - t1",
    };
    Working::of(
        gauge.code.word(),
        words,
        formula,
        vec![value, limit],
        margin,
    )
}

/// Whether a place is a medical device, by the words of its role.
pub fn is_medical(plan: &Plan, place: &str) -> bool {
    let item = place.split('/').next().unwrap_or_default();
    let Some(role) = plan.device(item).and_then(|it| it.role.as_deref()) else {
        return false;
    };
    let role = role.to_lowercase();
    ["medical", "breathing", "oxygen", "medicine"]
        .iter()
        .any(|it| role.contains(it))
}

/// What to mind where a finding can hurt someone.
pub(super) fn caution(plan: &Plan, gauge: &Gauge, seen: &Seen) -> Option<&'static str> {
    let medical = is_medical(plan, &gauge.place);
    // What a life hangs on is told even where it holds.
    if seen.verdict.status == Status::Holds && !medical {
        return None;
    }
    let text = match gauge.code {
        _ if medical => MEDICAL,
        Code::DeviceVoltage | Code::ConverterVoltage if seen.verdict.status == Status::Trips => {
            CHECK_POLARITY
        }
        Code::Contacts => {
            "A contact that gets hot chars what holds it: off before you touch it, and nothing \
            that burns beside it."
        }
        Code::CableAmpacity if seen.verdict.status == Status::Trips => {
            "Thin leads get hot in long runs; local codes rule their size."
        }
        Code::RideThrough => {
            "Do not rely on a switchover that was never tried: pull the plug once while someone \
            watches."
        }
        Code::AlternatorShare => {
            "Run an engine outside only, with its exhaust led away and a carbon-monoxide alarm."
        }
        Code::ChargeInput if seen.verdict.status == Status::Trips => CHECK_POLARITY,
        Code::BatteryCurrent | Code::Collapse => SHORT_CIRCUIT,
        Code::VoltageDrop if seen.verdict.status == Status::Trips => {
            "Thin leads get hot in long runs; local codes rule their size."
        }
        _ => return None,
    };
    Some(text)
}
