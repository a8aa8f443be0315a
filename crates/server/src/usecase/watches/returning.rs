//! The mains is back: what is looked at first, what starts when, what is charged first.

use super::open::Open;
use crate::bodies::watch::{Did, ReturnStep, ReturnTold};
use ash_pond_core::advice::charge::{RechargeAsk, recharge};
use ash_pond_core::ground::figure::Figure;
use ash_pond_core::ground::say::{Amount, Name};
use ash_pond_core::keeping::watch::{
    Act, Estimate, Seen, left, look_first_since, outlet_label, plugged,
};
use ash_pond_core::site::plan::outage::{MainsSpan, MainsState};
use ash_pond_core::site::plan::{Id, Outage};
use ash_pond_core::time::outage::{Starts, clocked, starts, with_drop};
use std::collections::BTreeMap;

/// The outage as it went, with the mains back at a moment, h, and what was dropped.
fn gone_by(open: &Open, seen: &Seen, back_h: f64) -> Outage {
    let mut outage = open.outage.clone();
    let hours = (back_h + 1.0).min(outage.hours.get()).max(back_h + 0.1);
    let span = |from: f64, to: f64, state| MainsSpan {
        from_h: Figure::assumed(from),
        to_h: Figure::assumed(to),
        state,
    };
    outage.hours = Figure::assumed(hours);
    outage.mains = vec![span(0.0, back_h.max(1e-3), MainsState::Out)];
    for it in in_acted(seen) {
        if let Some(found) = Id::new(&it)
            .ok()
            .and_then(|id| with_drop(open.way(), &outage, &id, 1.0))
        {
            outage = found;
        }
    }
    outage
}

/// Devices that are off.
fn in_acted(seen: &Seen) -> Vec<String> {
    let mut off: Vec<String> = Vec::new();
    for it in &seen.acted {
        match &it.act {
            Act::Drop(id) | Act::Lost(id) if !off.contains(id) => off.push(id.clone()),
            Act::Restore(id) | Act::Over(id, _) => off.retain(|it| it != id),
            _ => {}
        }
    }
    off
}

/// How everything stood when the mains came back.
pub(super) struct Return {
    back_h: f64,
    /// What was known then.
    then: Seen,
    /// The charge of each store, 0 to 1.
    charge: BTreeMap<String, f64>,
    order: Starts,
    /// Devices that must be looked at before they start, with from when on a look counts, h: from
    /// when it is known that they are off, else from the return on.
    look: Vec<(String, f64)>,
}

impl Return {
    /// The order is that of the moment of the return: what is ticked off stays in it.
    pub(super) fn of(open: &Open, estimate: &Estimate, seen: &Seen, at_h: f64) -> Self {
        let back_h = seen
            .acted
            .iter()
            .rev()
            .find(|it| it.act == Act::MainsBack)
            .map_or(at_h, |it| it.at_s / 3600.0);
        let mut then = seen.up_to(back_h * 3600.0);
        // The clock of a drill may stand meanwhile.
        let back = then.acted.iter().rposition(|it| it.act == Act::MainsBack);
        then.acted.truncate(back.unwrap_or(then.acted.len()));
        let outage = gone_by(open, &then, back_h);
        let charge: BTreeMap<String, f64> = estimate
            .sources
            .iter()
            .map(|(id, it)| (id.clone(), it.soc.p50))
            .collect();
        let order = starts(&open.plan, open.way(), &outage, &charge);
        // Of what somebody switched, or saw go off, it is known since when it is off; of all else
        // the march tells it.
        let is_said = |id: &String| {
            let says = |it: &Act| {
                matches!(it,
                Act::Drop(of) | Act::Lost(of) | Act::Restore(of) | Act::Over(of, _) if of == id)
            };
            then.acted.iter().any(|it| says(&it.act))
        };
        let unsaid = order
            .look_first
            .iter()
            .filter(|it| !is_said(it))
            .map(|it| (it.clone(), back_h));
        let late = |id: String| {
            look_first_since(&open.plan, &then, &id, back_h).map(|since_s| (id, since_s / 3600.0))
        };
        let look = unsaid
            .chain(in_acted(&then).into_iter().filter_map(late))
            .collect();
        Self {
            back_h,
            then,
            charge,
            order,
            look,
        }
    }

    /// Whether something was done with an item since the return.
    fn was(&self, open: &Open, did: Did, item: &str) -> bool {
        was_done(open, did, item, self.back_h)
    }

    /// Whether a device must be looked at before it starts, and was not.
    pub(super) fn waits(&self, open: &Open, device: &str) -> bool {
        let since = self.look.iter().find(|it| it.0 == device);
        since.is_some_and(|it| !was_done(open, Did::Checked, device, it.1))
    }
}

/// Whether something was done with an item from a moment on, h.
pub(super) fn was_done(open: &Open, did: Did, item: &str, from_h: f64) -> bool {
    open.entries.iter().any(|(row, it)| {
        let after = row.at_s / 3600.0 >= from_h - 1e-3;
        !row.undone && after && it.did == Some(did) && it.item.as_deref() == Some(item)
    })
}

/// What to do now that the mains is back: what is looked at first, what starts when, what is
/// charged first.
pub(super) fn returning(open: &Open, estimate: &Estimate, seen: &Seen, at_h: f64) -> ReturnTold {
    let at = Return::of(open, estimate, seen, at_h);
    let was = |did: Did, item: &str| at.was(open, did, item);
    let Return {
        back_h,
        then,
        charge,
        order,
        look,
    } = &at;
    let mut steps: Vec<ReturnStep> = Vec::new();
    let off = in_acted(then);
    for (id, since_h) in look {
        let harm = open
            .plan
            .device(id)
            .and_then(|it| it.deadline.as_ref()?.consequence.clone());
        let harm = harm.map_or_else(String::new, |it| format!(" ({it})"));
        steps.push(ReturnStep {
            kind: "look".into(),
            item: id.clone(),
            text: format!(
                "Look at {}: it was off for longer than it may be{harm}.",
                Name(open.plan.label(id))
            )
            .into(),
            done: was_done(open, Did::Checked, id, *since_h),
            outlet: None,
            waits: None,
        });
    }
    // What was plugged over goes back to where it is meant to hang.
    let (hung, now) = (plugged(&open.plan, open.way(), &then.acted), open.now());
    for device in &open.plan.kit.devices {
        let id = device.id.as_str();
        let Some(home) = left(open.way(), &hung, id) else {
            continue;
        };
        steps.push(ReturnStep {
            kind: "plug".into(),
            item: id.to_owned(),
            text: format!(
                "Plug {} back to {}.",
                Name(&device.label),
                Name(&outlet_label(&open.plan, &home))
            )
            .into(),
            done: left(open.way(), &now, id).is_none(),
            outlet: Some(format!("{}/{}", home.item, home.port)),
            waits: None,
        });
    }
    let mut start = |id: &str, text: String| {
        let waits = at
            .waits(open, id)
            .then(|| format!("Look at {} first.", Name(open.plan.label(id))).into());
        steps.push(ReturnStep {
            kind: "start".into(),
            item: id.to_owned(),
            text: text.into(),
            done: was(Did::Started, id),
            outlet: None,
            waits,
        });
    };
    for turn in &order.turns {
        let name = Name(open.plan.label(&turn.device));
        let when = if turn.at_s < 1.0 {
            "at once".to_owned()
        } else {
            format!("{} after the first", clocked(turn.at_s / 3600.0))
        };
        let near = turn
            .tightest
            .as_ref()
            .map_or_else(String::new, |it| format!("; {}", it.marked()));
        start(&turn.device, format!("Start {name} {when}{near}."));
    }
    for hand in order
        .hands
        .iter()
        .filter(|it| !order.turns.iter().any(|turn| turn.device == it.device))
    {
        start(&hand.device, hand.sentence.to_string());
    }
    for id in off.iter().filter(|it| {
        !order.turns.iter().any(|turn| turn.device == **it)
            && !order.hands.iter().any(|hand| hand.device == **it)
    }) {
        start(
            id,
            format!("Switch {} on again.", Name(open.plan.label(id))),
        );
    }
    let mut stores: Vec<(&String, f64)> = charge.iter().map(|it| (it.0, *it.1)).collect();
    stores.sort_by(|a, b| a.1.total_cmp(&b.1));
    for (id, soc) in stores.into_iter().filter(|it| it.1 < 0.95) {
        let ask = RechargeAsk {
            from_soc: soc,
            levels: vec![1.0],
            ..RechargeAsk::of(id)
        };
        let found = recharge(&open.plan, open.way(), Some(&open.outage), &ask).ok();
        let wired = found
            .as_ref()
            .filter(|it| !it.ways.is_empty())
            .map(|it| &it.sentence);
        let sentence = wired.or_else(|| Some(&found.as_ref()?.not_wired.first()?.sentence));
        let how = sentence.map_or_else(
            || "; nothing is known that charges it".to_owned(),
            |it| format!(": {}", it.marked().trim_end_matches('.')),
        );
        steps.push(ReturnStep {
            kind: "charge".into(),
            item: id.clone(),
            text: format!(
                "Charge {}, which is at {}{how}.",
                Name(open.plan.label(id)),
                Amount((soc * 100.0).round(), "%")
            )
            .into(),
            done: open.entries.iter().any(|(row, it)| {
                !row.undone
                    && it.did == Some(Did::Charge)
                    && it.item.as_ref() == Some(id)
                    && row.at_s / 3600.0 >= *back_h
            }),
            outlet: None,
            waits: None,
        });
    }
    ReturnTold {
        sentence: at.order.sentence,
        steps,
        turns: at.order.turns,
    }
}
