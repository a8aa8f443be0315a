//! Ready-made generic kinds of devices, sources and converters to start from.
//!
//! They are data in the plan format, with figures that are assumed or from labels and wide
//! uncertainties; each note says where such figures come from and what to measure first.

use crate::site::plan::{Kit, Plan};
use std::sync::LazyLock;

/// The text of the shipped kinds, a plan file.
pub const TEXT: &str = include_str!("../../data/kinds.plan.json");

static SHIPPED: LazyLock<Plan> =
    LazyLock::new(|| Plan::parse(TEXT).expect("the shipped kinds read, which a test holds"));

/// Every ready-made kind.
///
/// ```
/// use ash_pond_core::site::kinds::kinds;
/// let router = kinds().devices.iter().find(|it| it.id.as_str() == "router").unwrap();
/// assert!(router.note.as_ref().unwrap().contains("Measure first"));
/// ```
pub fn kinds() -> &'static Kit {
    &SHIPPED.kit
}
