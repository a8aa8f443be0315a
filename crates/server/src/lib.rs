//! The server of Ash Pond, and its command line.
//!
//! # Layout
//! - [`app`]: the router; `routes/` (thin) call `usecase/` (what is done), both with `bodies/`
//!   (what goes over the wire); `state`: what every request shares
//! - [`error`]: the one error of the API, as problem+json
//! - [`demo`]: the demo site
//! - `embedded`: the front end, inside the binary
//! - [`copying`]: what is done to the database beside those who use it: each day's copy, in a quiet
//!   moment
//! - [`live`]: meters that answer by themselves; `recording`, [`record`]: their readings, kept as
//!   they come; [`keeper`]: watches that go on without a page
//! - `guard`: who may ask (the `Host`, the origin, the session), for how long, and the policies
//!   that go out with every answer
//! - [`access`]: passphrases, sessions and guests of a server that other machines reach; [`tls`]:
//!   its certificate
//! - `openapi`: the description of the API, made from the code
//! - [`told`]: where sentences leave, rendered by the habits of whoever asks
//! - `clock`: what time it is, which a trial of the program can move
//! - [`serve`]: listening and stopping; [`cli`]: the command line

pub mod access;
pub mod app;
mod bodies;
pub mod cli;
mod clock;
pub mod copying;
pub mod demo;
mod embedded;
pub mod error;
pub mod events;
mod guard;
pub mod keeper;
pub mod live;
mod openapi;
pub mod record;
mod recording;
mod routes;
pub mod serve;
mod state;
pub mod tls;
pub mod told;
mod usecase;

pub use demo::{DEMO_PLAN, HUT_PLAN};
