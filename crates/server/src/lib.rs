//! The server of Ash Pond, and its command line.
//!
//! # Layout
//! - [`app`]: the router; `routes/` (thin) call `usecase/` (what is done)
//! - [`error`]: the one error of the API, as problem+json
//! - `embedded`: the front end, inside the binary
//! - `guard`: who may ask (the `Host` check), and the policies that go out with every answer
//! - `openapi`: the description of the API, made from the code
//! - [`serve`]: listening and stopping; [`cli`]: the command line

pub mod app;
pub mod cli;
mod embedded;
pub mod error;
pub mod events;
mod guard;
mod openapi;
mod routes;
pub mod serve;
mod usecase;

/// The demo site's plan.
pub const DEMO_PLAN: &str = include_str!("../../../demo/hollin-lock.plan.json");
