//! What is on only at times: switches, and what is charged.

use super::parts::{Checked, each, positive};
use crate::ground::json::Path;
use crate::site::plan::{Arrangement, Cycle, Device, Plan, Switch, SwitchedWhen};

/// Rows of switches of an arrangement: more than any person means.
const MOST_SWITCHES: usize = 400;

/// What is switched must be there and in use, and in one way only.
pub(super) fn switching(plan: &Plan, arrangement: &Arrangement, at: &Path<'_>) -> Checked {
    let rows = arrangement.switching.len();
    if rows > MOST_SWITCHES {
        return Err(at.error(format!(
            "has {rows} rows; an arrangement has at most {MOST_SWITCHES}, more than anybody \
            switches"
        )));
    }
    each(&arrangement.switching, at, |switch, at| {
        let item = switch.item.as_str();
        switched(plan, arrangement, switch, at)?;
        let same = |it: &&Switch| it.item == switch.item && it.port == switch.port;
        let mixed = arrangement
            .switching
            .iter()
            .filter(same)
            .find(|it| it.when != switch.when);
        if mixed.is_some() {
            return Err(at.key("when").error(format!(
                "is \"{}\", and {item} is switched in another way too; keep its hours, or let it \
                go with its load",
                switch.when.word()
            )));
        }
        if switch.when == SwitchedWhen::WithLoad {
            if arrangement.switching.iter().filter(same).count() > 1 {
                return Err(at.key("item").error(format!(
                    "is \"{item}\", which is switched twice; keep one of the two"
                )));
            }
            return match (&switch.from, &switch.to) {
                (None, None) => Ok(()),
                (Some(_), _) => Err(at
                    .key("from")
                    .error("goes with \"hours\"; leave it out of what goes with its load")),
                (None, Some(_)) => Err(at
                    .key("to")
                    .error("goes with \"hours\"; leave it out of what goes with its load")),
            };
        }
        let needed = "is missing; hours have a beginning and an end, as \"17:30\"";
        let from = switch.from.ok_or_else(|| at.key("from").error(needed))?;
        let to = switch.to.ok_or_else(|| at.key("to").error(needed))?;
        if from == to {
            return Err(at.key("to").error(
                "is the time at which it comes on, so that it is on all day or never; leave the \
                switch out, or give another time",
            ));
        }
        Ok(())
    })
}

/// A converter that is fed, or an outlet of a source that feeds something.
fn switched(plan: &Plan, arrangement: &Arrangement, switch: &Switch, at: &Path<'_>) -> Checked {
    let item = switch.item.as_str();
    let way = &arrangement.id;
    if plan.converter(item).is_some() {
        return match &switch.port {
            Some(_) => Err(at.key("port").error(format!(
                "stands beside {item}, a converter, which is switched as a whole; \
                    leave it out"
            ))),
            None if arrangement.feed_into(item).is_none() => Err(at.key("item").error(format!(
                "is \"{item}\", which the arrangement \"{way}\" does not feed; feed it, or leave \
                the switch out"
            ))),
            None => Ok(()),
        };
    }
    let Some(source) = plan.source(item) else {
        let why = if plan.device(item).is_some() {
            format!(
                "is \"{item}\", a device; its own hours stand in its cycle. Name the converter or \
                the outlet before it"
            )
        } else {
            format!("is \"{item}\", and no converter or source has that id")
        };
        return Err(at.key("item").error(why));
    };
    let known: Vec<_> = source.ports.iter().map(|it| it.id.as_str()).collect();
    let known = known.join(", ");
    let at = at.key("port");
    let Some(port) = &switch.port else {
        return Err(at.error(format!(
            "is missing; name the outlet of {item} that is switched: {known}"
        )));
    };
    if !source.ports.iter().any(|it| it.id == *port) {
        return Err(at.error(format!("is \"{port}\"; the ports of {item} are {known}")));
    }
    if !arrangement
        .feeds
        .iter()
        .any(|it| it.from.item == switch.item && it.from.port == *port)
    {
        return Err(at.error(format!(
            "is \"{port}\", from which the arrangement \"{way}\" feeds nothing; a port without a \
            feed is off anyway"
        )));
    }
    Ok(())
}

/// What is charged must be done before its next filling.
pub(super) fn filled(device: &Device, at: &Path<'_>) -> Checked {
    if device.input.takes.is_some() && device.filling().is_none() {
        let why = "stands at a device that is not charged, and would only reset with less; leave \
            it out, or give it a cycle of kind \"charge\"";
        return Err(at.key("input").key("takes").error(why));
    }
    let Some(Cycle::Charge {
        wh,
        every_days,
        job,
        ..
    }) = &device.cycle
    else {
        return Ok(());
    };
    let at = at.key("cycle");
    positive(wh, &at.key("wh"))?;
    if let Some(job) = job {
        positive(&job.wh, &at.key("job").key("wh"))?;
    }
    if let Some(days) = every_days
        && (days.get() < 1.0 || days.get().fract() != 0.0 || days.get() > 366.0)
    {
        let why = format!(
            "is {}; give whole days, 1 to 366: 1 is every day, 2 every second one",
            days.get()
        );
        return Err(at.key("every_days").error(why));
    }
    let Some(filling) = device.filling() else {
        return Ok(());
    };
    if filling.watts <= 0.0 {
        return Err(at
            .key("wh")
            .error("can never flow, as its running phase draws nothing; give its watts"));
    }
    let most = 24.0 * f64::from(filling.every_days);
    if filling.hours > most {
        let why = format!(
            "is {}, which takes {:.1} h at {} W, longer than the {most} h until the next filling; \
            give it more watts, or \
             fill it more seldom",
            wh.get(),
            filling.hours,
            filling.watts / device.count()
        );
        return Err(at.key("wh").error(why));
    }
    Ok(())
}
