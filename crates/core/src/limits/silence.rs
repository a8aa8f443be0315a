//! What merely nobody stated, as one line for each kind of it instead of one for each place.

use super::code::Unstated;
use super::finding::Finding;
use super::verdict::Status;
use crate::ground::say::{Name, Sentence, amount};
use crate::site::plan::Plan;
use serde::Serialize;
use std::fmt::Write;

/// So many names are told; the rest is a count.
const MOST_NAMES: usize = 4;

/// Something that nobody stated, everywhere where it leaves a verdict open.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Silence {
    /// What nobody stated.
    pub kind: Unstated,
    /// Where, each place once, as the findings call it.
    pub places: Vec<Silent>,
    /// It in a sentence, with where it is filled in.
    pub sentence: Sentence,
}

/// One place of which nobody stated something.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Silent {
    /// The first arrangement in which it is.
    pub arrangement: String,
    /// The item, feed or `item/port`.
    #[serde(rename = "where")]
    pub place: String,
}

/// What nobody stated in some findings, one for each kind, in the order of [`Unstated`].
pub fn silences<'a>(plan: &Plan, findings: impl Iterator<Item = &'a Finding>) -> Vec<Silence> {
    let unstated: Vec<&Finding> = findings.filter(|it| it.unstated.is_some()).collect();
    let of = |kind: &Unstated| {
        let open = || {
            unstated
                .iter()
                .filter(|it| it.unstated == Some(*kind) && it.status == Status::Unproven)
        };
        let mut places: Vec<Silent> = Vec::new();
        for it in open() {
            if !places.iter().any(|known| known.place == it.place) {
                places.push(Silent {
                    arrangement: it.arrangement.clone(),
                    place: it.place.clone(),
                });
            }
        }
        let most = open().map(|it| it.value).fold(0.0, f64::max);
        (!places.is_empty()).then(|| Silence {
            kind: *kind,
            sentence: sentence(plan, *kind, &places, most),
            places,
        })
    };
    Unstated::ALL.iter().filter_map(of).collect()
}

fn sentence(plan: &Plan, kind: Unstated, places: &[Silent], most: f64) -> Sentence {
    let mut names = String::new();
    for (index, it) in places.iter().take(MOST_NAMES).enumerate() {
        let item = it.place.split('/').next().unwrap_or(&it.place);
        let _ = write!(
            names,
            "{}{}",
            if index > 0 { ", " } else { "" },
            Name(plan.label(item))
        );
    }
    if places.len() > MOST_NAMES {
        let _ = write!(
            names,
            " and {} more",
            amount((places.len() - MOST_NAMES) as f64, "")
        );
    }
    let many = places.len() > 1;
    let said = match kind {
        Unstated::FuseType => format!(
            "how {} built, and a short circuit can give up to {}: {names}. Read it on the fuse; \
            Chains, wiring, type of fuse.",
            if many {
                "these fuses are"
            } else {
                "this fuse is"
            },
            amount(most, "A")
        ),
        Unstated::LeadSize => format!(
            "the size of {}, so that no fuse can be held against {}: {names}. Measure it; Chains, \
            wiring, size.",
            if many { "these leads" } else { "this lead" },
            if many { "them" } else { "it" }
        ),
        Unstated::Protection => {
            format!(
                "what opens a short circuit before: {names}. Supply, the outlet, a short circuit \
                is opened by."
            )
        }
        Unstated::Neutral => format!(
            "whether the neutral is bonded to earth, on which it hangs whether a residual-current \
            device does anything: {names}. Its manual or an electrician says it; Supply, the \
            outlet, neutral."
        ),
        Unstated::Earthed => format!(
            "which loads have an earth pin, and more than one hangs on a floating outlet: {names}. \
            Look at their plugs; Needs and Supply, earth pin."
        ),
        Unstated::Distortion => format!(
            "how far the wave is from a sine, for what needs one: {names}. Ask for its distortion \
            under load; Supply, the outlet, distortion."
        ),
        Unstated::Inrush => format!(
            "what {} takes for a moment when it is switched on cold, which may shut an inverter \
            down: {names}. The surge test on the bench settles it; Supply, the adapter, switched \
            on cold.",
            if many {
                "each of these adapters"
            } else {
                "this adapter"
            }
        ),
        Unstated::Crest => format!(
            "how peaked the current of adapters is that hang on an outlet with little to spare: \
            {names}. Supply, the adapter, power factor or peak over RMS; or load them as they will \
            be and look."
        ),
        Unstated::Settling => format!(
            "whether these outlets reset each other when something is plugged in: {names}. Plug \
            one in while the others run; Supply, the outlet, its shared limit."
        ),
        Unstated::MarkedCable => {
            format!(
                "whether the USB-C cable is marked for 5 A: {names}. Look at its plug; Chains, \
                wiring."
            )
        }
        Unstated::Room => format!(
            "where it stands, and it gives off hydrogen while it is charged: {names}. Supply, the \
            source, indoors and its room."
        ),
    };
    format!("Nobody stated {said}").into()
}
