//! What a state does to every limit: gauges, verdicts, findings.
//!
//! The network computes what would flow; this judges it.
//!
//! # Layout
//! - `verdict`: one value against one limit, with time; `bound`: the other ways to judge a value
//! - `gauge`: a limit and where its value is read; `gauges`: every one of an arrangement
//! - `study`: an arrangement compiled once, from which all that follows is read
//! - `survey`: all gauges at all moments and charges, kept for who changes one thing after the other;
//!   `board`: the marks that they leave; `device`: whether each device keeps its voltage
//! - `windows`: the voltages that are taken, with their marks, and where the first is broken
//! - `fact`, `facts`: what can be told without solving: `guard`, `breaking` (fuses), `cabling`,
//!   `climate`, `earth`, `warmth`, `vehicle`, `switching_on`; `plugs`: connectors and polarity
//! - `code`, `finding`: findings, as data; `judging`: all of it as findings, worst first;
//!   `sentences`, `words`: how they are said
//! - `rules`, `ruled`: what the rules of an outage do to a start, and those that would mend one
//! - `silence`: what merely nobody stated, once for each kind
//! - `watch`: whether one state breaks anything; `weakest`: the one limit that decides each moment;
//!   `door`: what goes out as advice; `other_ports`: which ports would do; `mend`: what would mend a
//!   finding

mod board;
mod bound;
mod breaking;
mod cabling;
mod charger;
mod climate;
mod code;
mod device;
mod door;
mod earth;
mod fact;
mod facts;
mod finding;
mod gauge;
mod gauges;
mod guard;
mod heat;
mod joints;
mod judging;
mod mend;
mod other_ports;
mod plugs;
mod ruled;
mod rules;
mod sentences;
mod silence;
mod slower;
mod study;
mod survey;
mod switched;
mod switching_on;
mod trip;
mod vehicle;
mod verdict;
mod warmth;
mod watch;
mod weakest;
mod windows;
mod words;

pub use board::{Board, Carried, Mark, boards};
pub(crate) use breaking::fitted_fuse;
pub use code::{Code, Unstated};
pub use device::{DeviceVerdict, device_verdicts};
pub(crate) use door::Verdicts;
pub(crate) use facts::asks;
pub use finding::{Elsewhere, Finding, Mend, Remedy, Ruled};
pub use heat::{fuse_times, lead_carries_s};
pub use joints::contact_spot_c;
pub(crate) use judging::{Judged, findings_of, judged};
pub use judging::{all_findings, findings};
pub use mend::{Checked, checked, checked_all, mended};
pub(crate) use plugs::{Poles, assumed_contacts, polarity_at, poles, settled};
pub use sentences::is_medical;
pub use silence::{Silence, Silent, silences};
pub(crate) use study::Study;
pub(crate) use survey::Kept;
pub(crate) use switched::feed_stays;
pub(crate) use trip::{Breaker, breakers};
pub use verdict::{Lasts, Levels, Status, Verdict, judge};
pub(crate) use watch::Watch;
pub use weakest::{WeakestLink, tightest, weakest};
pub use windows::{Break, Window, first_break, windows};
pub(crate) use words::when;
