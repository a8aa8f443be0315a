//! Busy or not, by chance: an outage as it comes, where a plan has it on the whole.

use super::schedule::Habit;
use super::setting::{Run, Setting};
use crate::ground::figure::Figure;
use crate::network::{Load, phase_load};
use crate::site::plan::{Device, PhaseKind};
use rand::RngExt as _;
use rand::rngs::StdRng;

/// A device stays busy or not for about so long, s.
const SPELL_S: f64 = 600.0;
/// Spells that are drawn at most, of all devices together: over weeks each is longer.
const MOST_SPELLS: f64 = 20_000.0;

impl Setting<'_> {
    /// Lets devices be busy by spells, each with the `chance` of its id, where they draw their
    /// average all the time otherwise: on the whole for the share of the time that their busy phase
    /// has.
    pub(crate) fn busy_by_spells(&mut self, chance: impl Fn(&str) -> StdRng) {
        let long_s = SPELL_S.max(self.end * self.devices.len() as f64 / MOST_SPELLS);
        let end = self.end;
        // What is filled draws what its filling needs.
        for run in self
            .devices
            .iter_mut()
            .filter(|it| !matches!(it.habit, Habit::Charge { .. }))
        {
            run.spells = spells(run, &mut chance(run.device.id.as_str()), long_s, end);
        }
        let edges: Vec<f64> = self
            .devices
            .iter()
            .flat_map(|it| it.spells.iter().map(|it| it.0))
            .collect();
        self.has_spells = !edges.is_empty();
        self.add_edges(edges);
    }
}

impl Run<'_> {
    /// What it draws at a time, s, where it runs.
    pub(super) fn running_at(&self, t: f64) -> Load {
        let spell = self
            .spells
            .partition_point(|it| it.0 <= t + 1e-6)
            .checked_sub(1);
        spell.map_or(self.running, |it| self.spells[it].1)
    }
}

/// From when on it draws what, s in order up to the end; nothing for a device that has no busy
/// phase.
fn spells(run: &Run<'_>, chance: &mut StdRng, long_s: f64, end: f64) -> Vec<(f64, Load)> {
    let all = phases(run.device, run.drawn);
    if all.len() < 2 {
        return Vec::new();
    }
    let (mut found, mut at, mut was) = (Vec::new(), 0.0, usize::MAX);
    while at < end {
        let mut left = chance.random::<f64>();
        let now = all.iter().position(|it| {
            left -= it.0;
            left < 0.0
        });
        let now = now.unwrap_or(0);
        if now != was {
            found.push((at, all[now].1));
            was = now;
        }
        at += -long_s * (1.0 - chance.random::<f64>()).ln().max(-20.0) + 1.0;
    }
    found
}

/// What it draws in each of its states, with the share of the time: [`crate::network::average`]
/// taken apart.
fn phases(device: &Device, drawn: f64) -> Vec<(f64, Load)> {
    let load = |it| phase_load(device, it).times(device.count() * drawn);
    let busy = device
        .phases_of(PhaseKind::Busy)
        .map(|it| (it.share.as_ref().map_or(0.0, Figure::get), load(it)));
    let busy: Vec<(f64, Load)> = busy.filter(|it| it.0 > 0.0).collect();
    let running = device
        .phases_of(PhaseKind::Running)
        .next()
        .map(load)
        .unwrap_or_default();
    std::iter::once((1.0 - device.busy_share(), running))
        .chain(busy)
        .collect()
}
