//! A module for each test: its guide, and what comes of its readings.

mod auto_off;
pub(super) mod by_eye;
mod capacity;
mod charge_drop;
mod charger;
mod charging;
mod efficiency;
mod far_end;
mod heat_soak;
mod idle;
mod idle_by_drop;
mod levels;
mod panel;
mod profile;
mod resistance;
mod shared_budget;
mod surge;
mod switchover;
mod trip_level;
pub(super) mod walk;

use super::case::{Case, Test};
use super::guide::Guide;
use super::meter::Reading;
use super::outcome::Outcome;
use super::protocol::Protocol;
use crate::ground::json::FieldError;
use crate::site::plan::Plan;
use std::sync::LazyLock;

/// The protocols, the commonest first.
pub fn guides() -> &'static [Guide] {
    static ALL: LazyLock<Vec<Guide>> = LazyLock::new(all);
    &ALL
}

fn all() -> Vec<Guide> {
    vec![
        idle::guide(),
        efficiency::guide(),
        charge_drop::guide(),
        idle_by_drop::guide(),
        profile::guide(),
        far_end::guide(),
        capacity::guide(),
        resistance::guide(),
        charging::guide(),
        trip_level::guide(),
        surge::guide(),
        auto_off::guide(),
        shared_budget::guide(),
        heat_soak::guide(),
        switchover::guide(),
        by_eye::guide(),
        panel::guide(),
        charger::guide(),
        walk::guide(),
    ]
}

/// The columns that hang on what is tested; none where they are those of the guide.
pub(super) fn own_readings(protocol: Protocol, plan: &Plan, test: &Test) -> Option<Vec<Reading>> {
    let of = &test.of;
    match protocol {
        Protocol::Capacity => capacity::readings(plan, test),
        Protocol::SwitchoverByEye => Some(by_eye::readings(plan, of)),
        Protocol::Walk => Some(walk::readings(plan, of)),
        Protocol::SharedBudget => Some(shared_budget::readings(plan, of)),
        Protocol::TripLevel | Protocol::Surge => Some(levels::readings(plan, of)),
        _ => None,
    }
}

pub(super) fn judge(protocol: Protocol, case: &Case<'_>) -> Result<Outcome, FieldError> {
    match protocol {
        Protocol::Idle => idle::judge(case),
        Protocol::IdleByDrop => idle_by_drop::judge(case),
        Protocol::Efficiency => Ok(efficiency::judge(case)),
        Protocol::ChargeDrop => charge_drop::judge(case),
        Protocol::Capacity => capacity::judge(case),
        Protocol::Resistance => resistance::judge(case),
        Protocol::TripLevel => Ok(trip_level::judge(case)),
        Protocol::Surge => Ok(surge::judge(case)),
        Protocol::HeatSoak => heat_soak::judge(case),
        Protocol::Charging => charging::judge(case),
        Protocol::Switchover => Ok(switchover::judge(case)),
        Protocol::SwitchoverByEye => by_eye::judge(case),
        Protocol::FarEnd => far_end::judge(case),
        Protocol::AutoOff => Ok(auto_off::judge(case)),
        Protocol::Profile => Ok(profile::judge(case)),
        Protocol::Panel => Ok(panel::judge(case)),
        Protocol::SharedBudget => Ok(shared_budget::judge(case)),
        Protocol::Charger => charger::judge(case),
        Protocol::Walk => walk::judge(case),
    }
}
