//! Which devices an arrangement feeds.

use super::{Arrangement, Device, Plan};

/// The devices that an arrangement feeds, in the order of the plan.
pub fn fed<'a>(plan: &'a Plan, arrangement: &'a Arrangement) -> impl Iterator<Item = &'a Device> {
    let is_fed = |device: &&Device| {
        arrangement
            .feeds
            .iter()
            .any(|it| it.to.input.is_none() && it.to.item == device.id)
    };
    plan.kit.devices.iter().filter(is_fed)
}
