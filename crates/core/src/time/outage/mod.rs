//! An outage marched through in time: what goes down when, and why.
//!
//! # Layout
//! - `setting`: an arrangement and an outage made ready; `made`: how; `clock`, `schedule`, `sun`: the time of
//!   day and what follows it
//! - `busy`: devices that are busy by spells, where an outage is as it comes and not as it is on
//!   the whole
//! - `state`: what is known on the way, as plain data; `march`: its steps and its crossings;
//!   `flows`: what flows in a moment; `modes`: what devices do; `gate`: what is switched and what is
//!   charged; `heat`: how warm cases get; `gone`: what goes off, and the chain of causes
//! - `chance`: many of them over draws from the figures
//! - `switch`, `moments`: the moment of the switch and of the return
//! - `fill`: the march of a store that is filled, asked by `charge`
//! - `shed`, `starts`, `wear`: what to drop, in which order to start, and what it cost
//! - `tell`: the answer in sentences, and what to do when
//! - `result`: what came of it

mod busy;
mod chance;
mod clock;
mod fill;
mod flows;
mod gate;
mod gone;
mod heat;
mod made;
mod march;
mod modes;
mod moments;
mod ready;
mod result;
mod schedule;
mod setting;
mod shed;
mod starts;
mod state;
mod sun;
mod switch;
mod tell;
mod wear;

pub use chance::{
    Chances, ChargeBand, DeviceChance, Handle, HourRange, MOST_RUNS, SpreadShare, chances,
};
pub(crate) use chance::{matters, physical, reduced, share_lasting};
pub use clock::Clock;
pub(crate) use fill::{ByInput, Filled, Held, Hold, LONGEST_S, fill, left_after};
pub use gone::clocked;
pub use march::{Fineness, march, simulate};
pub(crate) use march::{Look, looked};
pub use moments::{AtSwitch, Fate, Switchover, switchover};
pub use ready::ready_made;
pub(crate) use result::SHED_BY_RULE;
pub use result::{
    DeviceRun, Doing, Energy, Event, Series, Simulation, SourceRun, StateSpan, SwitchRun,
};
pub use setting::Setting;
pub(crate) use setting::There;
pub use shed::{Drop, Dropped, MOST_DEVICES, ShedBoard, sets, shed_board, with_drop};
pub use starts::{HandTurn, StartTurn, Starts, starts, trips_at_return};
pub use sun::{Plane, Sky, Sun};
pub(crate) use tell::said;
pub use tell::{Both, Doable, OutageTold, Tick, headline, owner, tell, ticks_of};
pub use wear::{Wear, swings, wear};
