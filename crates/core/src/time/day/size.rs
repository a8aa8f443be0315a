//! How much a store holds, in what it is counted in.

use crate::site::chemistry;
use crate::site::plan::Battery;

/// The size of a store at a temperature.
#[derive(Debug)]
pub(crate) struct Size {
    capacity_ah: Option<f64>,
    energy_wh: f64,
    rated_a: f64,
    peukert: f64,
    /// What it loses by itself in an hour, as a share of it.
    loses: f64,
}

impl Size {
    pub(crate) fn of(battery: &Battery, celsius: f64) -> Self {
        let chemistry = chemistry::find(&battery.chemistry);
        let share = chemistry.map_or(1.0, |it| it.capacity_share(celsius));
        let nominal_ah = battery
            .capacity_ah
            .as_ref()
            .map(crate::ground::figure::Figure::get);
        let habit = chemistry.map_or(20.0, |it| it.rated_hours);
        let rated_h = battery
            .rated_hours
            .as_ref()
            .map_or(habit, crate::ground::figure::Figure::get);
        Self {
            capacity_ah: nominal_ah.map(|it| it * share),
            energy_wh: battery
                .energy_wh
                .as_ref()
                .map_or(0.0, crate::ground::figure::Figure::get)
                * share,
            rated_a: nominal_ah.map_or(f64::INFINITY, |it| it / rated_h),
            peukert: chemistry.map_or(1.0, |it| it.peukert),
            loses: crate::site::battery::loses_per_hour(battery),
        }
    }

    /// Share of the store gained in an hour by `watts` (W) that reach it, at `volts` (V).
    pub(crate) fn charged_per_hour(&self, watts: f64, volts: f64) -> f64 {
        match self.capacity_ah {
            Some(capacity) if volts > 0.0 => watts / volts / capacity,
            Some(_) => 0.0,
            None => watts / self.energy_wh,
        }
    }

    /// Share of the store used in an hour, at `watts` (W) and `amps` (A) from its terminals, with
    /// what it loses by itself. `strained` is the current, A, by which it tires: the same, or the
    /// mean of one that comes in gulps.
    pub(crate) fn share_per_hour(&self, watts: f64, amps: f64, strained: f64) -> f64 {
        let used = match self.capacity_ah {
            Some(capacity) => {
                let over = strained > self.rated_a;
                let strain = if over {
                    (strained / self.rated_a).powf(self.peukert - 1.0)
                } else {
                    1.0
                };
                amps * strain / capacity
            }
            None => watts / self.energy_wh,
        };
        used + self.loses
    }
}
