//! What would do the job: which port runs which device, and how small a part would still do.
//!
//! Everything that is told here was put together as an arrangement first, judged by the same
//! findings as any other and, where hours are told, marched through an outage. What fills what is
//! told by [`crate::advice::charge::fills`].
//!
//! # Layout
//! - this file: what is refused; `board`: an arrangement put together and judged; `cell`: one
//!   device on one port; `runs`: what runs what; `together`: several devices on one port; `find`:
//!   the finder; `wins`: what a single purchase wins; `candidates`: one box or parts, two stores or
//!   two inverters side by side; `smallest`: the smallest that would do

mod board;
mod candidates;
mod cell;
mod find;
mod runs;
mod smallest;
mod together;
mod wins;

pub use board::RatingUse;
pub use candidates::{
    Apart, Candidate, Candidates, CandidatesAsk, Growth, LONGEST_YEARS, PartOf, Replaced, Spent,
    candidates,
};
pub use cell::{Column, RunCell};
pub use find::{
    Added, Bettered, FindAsk, Found, LeadSize, MOST_BY_HAND, MOST_DEVICES, MOST_OF_A_KIND,
    MOST_SIZES, MOST_TRIED, Member, Progress, Shelf, can_find, find, find_watched,
};
pub use runs::{MOST_CELLS, Runs, RunsAsk, runs};
pub use smallest::{Smallest, SmallestAsk, SmallestKind, smallest};
pub use together::{LeftOut, Together};
pub use wins::{FreeChange, Purchase, Wins, WinsAsk, Worth, wins};

use crate::ground::json::FieldError;
use crate::site::plan::outage::LocalTime;
use crate::site::plan::{Id, Outage, Plan};
use std::collections::BTreeMap;

/// How long hours are looked for where no outage says so, h.
pub const LOOKED_H: f64 = 336.0;
/// When it is taken to begin where no outage says so: the equinox, in the morning.
const BEGINS: jiff::civil::DateTime = jiff::civil::date(2026, 3, 20).at(8, 0, 0, 0);

/// An outage in which nothing comes, with every store full at its beginning: what hours are looked
/// for in where no outage is named.
fn plain(hours: f64) -> Outage {
    Outage {
        id: Id::own("plain"),
        label: "Nothing comes".to_owned(),
        start: LocalTime::at(BEGINS),
        hours: crate::ground::figure::Figure::assumed(hours),
        ambient_c: None,
        initial_soc: BTreeMap::new(),
        mains: Vec::new(),
        charging: Vec::new(),
        carried: Vec::new(),
        runs: Vec::new(),
        rules: Vec::new(),
        use_everything: None,
    }
}

/// An outage of a plan, by its id.
fn outage_of<'a>(plan: &'a Plan, id: &str) -> Result<&'a Outage, FieldError> {
    let found = plan.outages.iter().find(|it| it.id.as_str() == id);
    found.ok_or_else(|| {
        FieldError::of(
            "outage",
            format!("is \"{id}\", and the plan has no outage of that id"),
        )
    })
}
