//! Meters that are not there: they answer as meters do, with noise, ranges and lag, so that every
//! test of the bench can be carried out with no hardware.
//!
//! What they show is computed by the network of core from a plan of their own, in which a
//! converter's label may be wrong: that is for the bench to find out.
//!
//! # Layout
//! - [`bench_meter`]: volts and amperes at both sides of a converter, over SCPI on TCP
//! - [`battery_monitor`]: volts, amperes and charge of a store, over Modbus TCP
//! - [`face`]: a monitor that shows what a drill says, over Modbus TCP
//! - [`noise`]: what a display makes of a true value

pub mod battery_monitor;
pub mod bench_meter;
pub mod face;
pub mod noise;
mod scpi;
