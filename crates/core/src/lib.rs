//! The computation of Ash Pond: plans, chains, limits, batteries and their workings.
//!
//! No IO, no clock, no interface code. A plan comes in as text, an answer goes out as a
//! value that can explain itself.
//!
//! # Layout
//! - [`quantity`], [`figure`]: numbers with units, uncertainty and basis; [`say`]: sentences as
//!   data, rendered last
//! - [`entry`]: what a person types for a figure, in the units that they have
//! - [`json`]: reading with errors that name the field; [`plan`]: the plan file
//! - [`chemistry`]: what batteries of a kind do; [`battery`]: what the full model of one adds;
//!   [`kinds`]: ready-made devices, sources and converters
//! - [`claim`]: a loss law from nothing but a label
//! - [`needs`]: what must stay on, before anything feeds it
//! - [`supply`]: what stores give, outlets cost and converters lose, before anything is fed
//! - [`wire`]: leads, their resistance and what is planned for them
//! - [`network`]: the steady state of an arrangement at one moment
//! - [`fits`]: what can feed an item and what can follow a port, with the lead, fuse and converter
//!   that it takes
//! - [`limits`]: what that state does to every limit, as findings
//! - [`day`]: a day of use, and how long a store carries it
//! - [`outage`]: an outage marched through in time
//! - [`watch`]: an outage that is happening, estimated by what is read of it
//! - [`matters`]: what to measure next; [`fields`]: the fields of a plan in words; [`history`]:
//!   what a figure was before, and which stands
//! - [`exchange`]: devices, sources and converters as tables, in and out
//! - [`compare`]: arrangements side by side, and where they cross; [`parts`]: what they are made of
//! - [`life`]: how many years a battery lasts in use
//! - [`shelf`]: what runs what, and the smallest that would do
//! - [`walk`]: each joint of an arrangement in order, and what a meter must show there
//! - [`bench`]: what can be measured, and which test gives which figure
//! - [`care`]: the site over the years: what is due and why, how its batteries age
//! - [`answer`]: what it comes to, in sentences
//! - [`working`]: the sum behind every number
//!
//! ```
//! use ash_pond_core::{network::{Charge, Moment, evaluate}, plan::Plan};
//! let plan = Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap();
//! let way = plan.arrangement("camera-direct").unwrap();
//! let flow = evaluate(&plan, way, &Moment::Running, &Charge::full()).unwrap();
//! assert!(flow.totals.drawn_w > flow.totals.delivered_w);
//! ```

pub mod answer;
pub mod battery;
pub mod bench;
pub mod care;
pub mod charge;
pub mod chemistry;
pub mod claim;
pub mod compare;
pub mod day;
mod draw;
pub mod entry;
pub mod exchange;
pub mod fields;
pub mod figure;
pub mod figures;
pub mod fits;
pub mod history;
pub mod json;
pub mod kinds;
pub mod life;
pub mod limits;
pub mod matters;
pub mod needs;
pub mod network;
pub mod outage;
pub mod parts;
pub mod plan;
pub mod quantity;
pub mod say;
#[cfg(feature = "schema")]
pub mod schema;
pub mod shelf;
pub mod supply;
pub mod walk;
pub mod watch;
pub mod wire;
pub mod work;
pub mod working;

/// The examples of `docs/findings.md`, run as tests.
#[cfg(doctest)]
#[doc = include_str!("../../../docs/findings.md")]
pub struct FindingsInTheDocs;
