//! A plain march of one second at a time over a bank and what hangs on it, written from the rules
//! by itself: it shares nothing with the fast one, and takes its time.

use proptest::prelude::*;
use serde_json::{Value, json};

/// When a device is on.
#[derive(Debug, Clone, Copy)]
pub enum Habit {
    Always,
    Hours(u32, u32),
    Thermostat(f64, f64),
    /// A filling of so many Wh from an hour of the day on, every so many days.
    Charge(f64, u32, u32),
}

/// When a converter is on.
#[derive(Debug, Clone, Copy)]
pub enum Switch {
    Always,
    WithLoad(f64),
    Hours(u32, u32, f64),
}

/// A device on a lead, perhaps behind a converter.
#[derive(Debug, Clone)]
pub struct Device {
    pub watts: f64,
    /// 0 power, 1 current, 2 resistance.
    pub draw: usize,
    pub min_v: f64,
    pub metres: f64,
    pub habit: Habit,
    pub starting: Option<(f64, f64)>,
    /// Idle watts, loss per watt, and the voltage at which it cuts out; gives 12 V.
    pub converter: Option<(f64, f64, f64)>,
    /// How its converter is switched, and what that draws while it is off.
    pub switch: Switch,
}

/// A bank, what hangs on it, and an outage.
#[derive(Debug, Clone)]
pub struct Spec {
    pub sealed_lead: bool,
    pub capacity_ah: f64,
    pub internal_ohm: f64,
    pub ambient_c: f64,
    pub soc: f64,
    pub hours: f64,
    pub everything: bool,
    pub devices: Vec<Device>,
    pub shed: Option<(usize, f64)>,
    pub charging: Option<(f64, f64, f64)>,
}

prop_compose! {
    fn device()(
        watts in 2.0..30.0_f64, draw in 0_usize..3, min_v in 9.0..11.8_f64,
            metres in 0.5..6.0_f64, habit in 0_u8..4,
        from in 0_u32..24, long in 2_u32..20, share in 0.2..0.8_f64, period in 900.0..5400.0_f64,
        starts in prop::option::of((1.2..3.0_f64, 5.0..200.0_f64)),
        converter in prop::option::of((0.3..8.0_f64, 0.02..0.2_f64, 9.5..11.8_f64)),
        switch in 0_u8..3, standby in 0.0..0.5_f64, opens in 0_u32..24, days in 1_u32..3,
    ) -> Device {
        let habit = match habit {
            0 => Habit::Always,
            1 => Habit::Hours(from, (from + long) % 24),
            2 => Habit::Thermostat(share, period.round()),
            _ => Habit::Charge((watts * f64::from(long) * 0.7).round(), from, days),
        };
        let switch = match switch {
            0 => Switch::Always,
            1 => Switch::WithLoad(standby),
            _ => Switch::Hours(opens, (opens + long) % 24, standby),
        };
        let starting = starts.map(|(times, seconds): (f64, f64)| (watts * times, seconds.round()));
        // What fills at another voltage than its own fills faster; that is not what is looked at
        // here.
        let draw = if matches!(habit, Habit::Charge(..)) { 0 } else { draw };
        Device { watts, draw, min_v, metres, habit, starting, converter, switch }
    }
}

prop_compose! {
    /// A generated outage of up to 40 hours.
    pub fn spec()(
        sealed_lead in any::<bool>(), capacity_ah in 20.0..120.0_f64,
            internal_ohm in 0.002..0.03_f64,
        ambient_c in -15.0..30.0_f64, soc in 0.4..1.0_f64, hours in 6_u32..40,
            everything in any::<bool>(),
        devices in prop::collection::vec(device(), 1..5), shed in prop::option::of((0_usize..5,
            0.3..0.9_f64)),
        charging in prop::option::of((1_u32..20, 1_u32..8, 20.0..150.0_f64)),
    ) -> Spec {
        let shed = shed.map(|(device, below): (usize, f64)| (device % devices.len(), below));
        let hours = f64::from(hours);
        // A stretch that reaches past the hours that are looked at is refused.
        let charging = charging.map(|(from, long, watts)| (f64::from(from),
            f64::from(from + long).min(hours), watts)).filter(|it| it.0 < it.1);
        Spec { sealed_lead, capacity_ah, internal_ohm, ambient_c, soc, hours, everything, devices,
            shed, charging }
    }
}

impl Spec {
    /// The same as a plan.
    pub fn plan(&self) -> Value {
        self.plan_of("bank", "d")
    }

    /// The same as a plan, with the bank and the devices called otherwise.
    pub fn plan_of(&self, bank: &str, prefix: &str) -> Value {
        let mut devices = Vec::new();
        let mut converters = Vec::new();
        let mut feeds = Vec::new();
        let mut switching = Vec::new();
        for (index, it) in self.devices.iter().enumerate() {
            let id = format!("{prefix}{index}");
            let mut phases = vec![json!({"when": "running", "watts": it.watts})];
            phases.extend(it.starting.map(
                |(watts, seconds)| json!({"when": "starting", "watts": watts, "seconds": seconds}),
            ));
            let cycle = match it.habit {
                Habit::Always => json!({"kind": "continuous"}),
                Habit::Hours(from, to) => {
                    json!({"kind": "hours", "from": format!("{from:02}:00"),
                        "to": format!("{to:02}:00")})
                }
                Habit::Thermostat(share, period) => {
                    json!({"kind": "thermostat", "on_fraction": share, "period_s": period})
                }
                Habit::Charge(wh, from, days) => {
                    json!({"kind": "charge", "wh": wh, "from": format!("{from:02}:00"),
                        "every_days": days})
                }
            };
            devices.push(
                json!({"id": id, "label": id, "phases": phases, "cycle": cycle,
                "draw": (["power", "current", "resistance"])[it.draw],
                "input": {"current": "dc", "rated_v": 12, "min_v": it.min_v}}),
            );
            let cable = json!({"length_m": it.metres, "area_mm2": 2.5});
            let from = json!({"item": bank, "port": "studs"});
            match it.converter {
                None => feeds.push(json!({"from": from, "to": id, "cable": cable})),
                Some((idle_w, proportional, cut_out_v)) => {
                    let name = format!("c{prefix}{index}");
                    converters.push(json!({"id": name, "label": name, "kind": "buck_boost",
                        "input": {"current": "dc", "cut_out_v": cut_out_v},
                        "outputs": [{"id": "out", "current": "dc", "voltage": {"regulated_v": 12}}],
                        "loss": {"idle_w": idle_w, "proportional": proportional}}));
                    feeds.push(json!({"from": from, "to": name, "cable": cable}));
                    feeds.push(json!({"from": {"item": name, "port": "out"}, "to": id}));
                    match it.switch {
                        Switch::Always => {}
                        Switch::WithLoad(watts) => {
                            switching.push(json!({"item": name, "when": "with_load",
                                "standby_w": watts}));
                        }
                        Switch::Hours(from, to, watts) => switching.push(json!({"item": name,
                            "when": "hours",
                            "from": format!("{from:02}:00"), "to": format!("{to:02}:00"),
                                "standby_w": watts})),
                    }
                }
            }
        }
        let battery = json!({"chemistry": if self.sealed_lead { "agm" } else { "lfp" },
            "cells": if self.sealed_lead { 6 } else { 4 },
            "capacity_ah": self.capacity_ah, "internal_ohm": self.internal_ohm, "cut_off_v": 10.4});
        let rules: Vec<Value> = self
            .shed
            .iter()
            .map(|(device, below)| {
                json!({"kind": "shed", "device": format!("{prefix}{device}"),
            "source": bank, "below_soc": below})
            })
            .collect();
        let charging: Vec<Value> = self
            .charging
            .iter()
            .map(|(from, to, watts)| {
                json!({"source": bank, "from_h": from,
            "to_h": to, "watts": watts})
            })
            .collect();
        json!({"format": "ash-pond/plan", "version": 1, "site": {"name": "Generated"},
            "kit": {"devices": devices, "converters": converters, "sources": [{"id": bank,
                "label": bank, "kind": "battery",
                "battery": battery, "ports": [{"id": "studs", "current": "dc",
                    "voltage": {"follows": true}}]}]},
            "arrangements": [{"id": "way", "label": "way", "feeds": feeds, "switching": switching}],
            "outages": [{"id": "cut", "label": "cut", "start": "2026-01-14T17:30",
                "hours": self.hours, "ambient_c": self.ambient_c,
                "initial_soc": {bank: self.soc}, "use_everything": self.everything,
                    "rules": rules, "charging": charging}]})
    }
}

/// What came of it: hours until each device was lost and hours that it was on, and the charge at
/// the end.
#[derive(Debug, Clone)]
pub struct Came {
    pub lost_h: Vec<Option<f64>>,
    pub up_h: Vec<f64>,
    pub wh: Vec<f64>,
    pub end_soc: f64,
    /// How near anything that never happened came to happening, in volts: what is decided by less
    /// is not compared.
    pub nearest_v: f64,
}

fn line(points: &[(f64, f64)], x: f64) -> f64 {
    let last = points.len() - 1;
    if x <= points[0].0 {
        return points[0].1;
    }
    for pair in points.windows(2) {
        if x <= pair[1].0 {
            return pair[0].1 + (pair[1].1 - pair[0].1) * (x - pair[0].0) / (pair[1].0 - pair[0].0);
        }
    }
    points[last].1
}

/// Marches second by second.
pub fn march(spec: &Spec) -> Came {
    let chemistry =
        ash_pond_core::site::chemistry::find(if spec.sealed_lead { "agm" } else { "lfp" }).unwrap();
    let cells = if spec.sealed_lead { 6.0 } else { 4.0 };
    let rho = 0.017241 * (1.0 + 0.00393 * (spec.ambient_c - 20.0));
    let capacity = spec.capacity_ah * line(&chemistry.capacity_at, spec.ambient_c);
    let rated_a = spec.capacity_ah / chemistry.rated_hours;
    let count = spec.devices.len();
    let mut came = Came {
        lost_h: vec![None; count],
        up_h: vec![0.0; count],
        wh: vec![0.0; count],
        end_soc: spec.soc,
        nearest_v: f64::INFINITY,
    };
    let (mut soc, mut bank_off) = (spec.soc, false);
    let mut gone = vec![false; count];
    let mut converter_off = vec![false; count];
    let mut was_on: Vec<Option<bool>> = vec![None; count];
    let mut started_at = vec![f64::NEG_INFINITY; count];
    let ticks = (0_u32..).take_while(|it| f64::from(*it) < spec.hours * 3600.0);
    let mut volts = vec![12.0; count];
    // What each filling still takes, and on which day it was begun; those of the day before the
    // first are going on.
    let mut left = vec![0.0; count];
    let mut begun = vec![i64::MIN; count];
    for (index, it) in spec.devices.iter().enumerate() {
        let Habit::Charge(wh, from, days) = it.habit else {
            continue;
        };
        let today = from <= 17;
        if days > 1 && !today {
            continue;
        }
        begun[index] = if today { 0 } else { -1 };
        // As long as it has been going on, second by second, while its switch let it.
        let gone = (63_000 + 86_400 - from * 3600) % 86_400;
        let open = |second: &u32| match it.switch {
            Switch::Hours(opens, to, _) if it.converter.is_some() => {
                let (opens, to, now) = (
                    f64::from(opens),
                    f64::from(to),
                    (f64::from(from) + f64::from(*second) / 3600.0 + 1e-9) % 24.0,
                );
                if opens < to {
                    opens <= now && now < to
                } else {
                    now >= opens || now < to
                }
            }
            _ => true,
        };
        left[index] = (wh - it.watts * (0..gone).filter(open).count() as f64 / 3600.0).max(0.0);
    }
    for second in ticks {
        let t = f64::from(second);
        let hours = t / 3600.0;
        let clock = (17.5 + hours) % 24.0;
        let open_v = line(&chemistry.ocv, soc) * cells;
        let mut watts = vec![0.0; count];
        let mut on = vec![false; count];
        let mut shut = vec![false; count];
        for (index, it) in spec.devices.iter().enumerate() {
            let scheduled = match it.habit {
                Habit::Always => true,
                Habit::Hours(from, to) => {
                    let (from, to) = (f64::from(from), f64::from(to));
                    let now = clock + 1e-9;
                    if from < to {
                        from <= now && now < to
                    } else {
                        now >= from || now < to
                    }
                }
                Habit::Thermostat(share, period) => t % period < share * period,
                Habit::Charge(wh, from, days) => {
                    let day =
                        (i64::from(second) + 63_000 - i64::from(from) * 3600).div_euclid(86_400);
                    let last = day.div_euclid(i64::from(days)) * i64::from(days);
                    if last > begun[index] && last >= 0 {
                        (begun[index], left[index]) = (last, wh);
                    }
                    left[index] > 1e-6
                }
            };
            let open = match it.switch {
                _ if it.converter.is_none() => true,
                Switch::Always => true,
                Switch::WithLoad(_) => scheduled && !gone[index],
                Switch::Hours(from, to, _) => {
                    let (from, to, now) = (f64::from(from), f64::from(to), clock + 1e-9);
                    if from < to {
                        from <= now && now < to
                    } else {
                        now >= from || now < to
                    }
                }
            };
            shut[index] = !open;
            on[index] = scheduled && open && !gone[index] && !converter_off[index] && !bank_off;
            if on[index] && was_on[index] == Some(false) {
                started_at[index] = t;
            }
            was_on[index] = Some(on[index]);
            let starting = it.starting.filter(|start| t - started_at[index] < start.1);
            watts[index] = if on[index] {
                starting.map_or(it.watts, |start| start.0)
            } else {
                0.0
            };
        }
        // Voltages by plain iteration: what flows at the last ones gives the next.
        let mut amps = vec![0.0; count];
        let mut terminal = open_v;
        for _ in 0..200 {
            let before = terminal;
            for (index, it) in spec.devices.iter().enumerate() {
                let ratio = volts[index] / 12.0;
                let answer = [1.0, ratio, ratio * ratio][it.draw];
                amps[index] = match it.converter {
                    Some(_) if converter_off[index] || bank_off => 0.0,
                    Some(_) if shut[index] => match it.switch {
                        Switch::Always => 0.0,
                        Switch::WithLoad(watts) | Switch::Hours(_, _, watts) => {
                            watts / volts[index]
                        }
                    },
                    // The device behind it gets an even 12 V.
                    Some((idle, share, _)) => (idle + (1.0 + share) * watts[index]) / volts[index],
                    None => watts[index] * answer / volts[index],
                };
                volts[index] = (terminal - amps[index] * 2.0 * it.metres * rho / 2.5).max(1.0);
            }
            terminal = open_v - amps.iter().sum::<f64>() * spec.internal_ohm;
            if (terminal - before).abs() < 1e-10 {
                break;
            }
        }
        // What stops, one thing at a time.
        if let Some((device, below)) = spec
            .shed
            .filter(|it| soc <= it.1 && !gone[it.0] && !bank_off)
            && !converter_off[device]
        {
            let _ = below;
            gone[device] = true;
            came.lost_h[device].get_or_insert(hours);
            continue;
        }
        let floor = if spec.everything {
            0.0
        } else {
            chemistry.floor_soc
        };
        if !bank_off && (soc <= floor || terminal <= 10.4) {
            bank_off = true;
            came.lost_h
                .iter_mut()
                .for_each(|it| _ = it.get_or_insert(hours));
            gone.fill(true);
        }
        if !bank_off {
            came.nearest_v = came.nearest_v.min((terminal - 10.4).abs());
        }
        for (index, it) in spec.devices.iter().enumerate() {
            if bank_off {
                break;
            }
            if let Some((_, _, cut_out)) = it
                .converter
                .filter(|_| !converter_off[index] && !shut[index])
            {
                if volts[index] < cut_out {
                    converter_off[index] = true;
                    came.lost_h[index].get_or_insert(hours);
                } else {
                    came.nearest_v = came.nearest_v.min(volts[index] - cut_out);
                }
            }
            let fed = if it.converter.is_some() {
                12.0
            } else {
                volts[index]
            };
            if on[index] && fed < it.min_v && !gone[index] && !converter_off[index] {
                gone[index] = true;
                came.lost_h[index].get_or_insert(hours);
            } else if on[index] && it.converter.is_none() {
                came.nearest_v = came.nearest_v.min(fed - it.min_v);
            }
        }
        let total: f64 = if bank_off { 0.0 } else { amps.iter().sum() };
        let strain = if total > rated_a {
            (total / rated_a).powf(chemistry.peukert - 1.0)
        } else {
            1.0
        };
        let mut charged = 0.0;
        if let Some((from, to, watts)) = spec.charging
            && from <= hours
            && hours < to
            && spec.ambient_c >= chemistry.charge_min_c
        {
            let from = if spec.sealed_lead { 0.8 } else { 0.95 };
            let taper = if soc <= from {
                1.0
            } else {
                1.0 - 0.9 * (soc - from) / (1.0 - from)
            };
            charged = watts * chemistry.charge_efficiency * taper
                / if bank_off { open_v } else { terminal };
        }
        for index in 0..count {
            if on[index] && !gone[index] && !converter_off[index] && !bank_off {
                came.up_h[index] += 1.0 / 3600.0;
                let ratio = volts[index] / 12.0;
                let answer = if spec.devices[index].converter.is_some() {
                    1.0
                } else {
                    [1.0, ratio, ratio * ratio][spec.devices[index].draw]
                };
                came.wh[index] += watts[index] * answer / 3600.0;
                left[index] = (left[index] - watts[index] * answer / 3600.0).max(0.0);
            }
        }
        soc = (soc + (charged - total * strain) / capacity / 3600.0).clamp(0.0, 1.0);
    }
    came.end_soc = soc;
    came
}
