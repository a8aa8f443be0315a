//! Outlets: what stands at them, what they bear, what they cost to be on.

use super::facts::{AtLoad, PortFacts, PortLimit};
use crate::ground::figure::Figure;
use crate::ground::say::{Sentence, amount};
use crate::limits::{Board, Carried, Code, Status, boards};
use crate::network::{Charge, Evaluation, Moment, evaluate};
use crate::site::plan::{Limit, Overload, Plan, Port, PortVoltage, Source, Waveform};
use crate::time::day::{BeingOn, being_on};

/// What every arrangement does to every limit at full charge, and what flows in it while running.
pub(super) struct Marks {
    boards: Vec<(String, Board)>,
    flows: Vec<Evaluation>,
    on: Vec<BeingOn>,
}

impl Marks {
    pub(super) fn of(plan: &Plan) -> Self {
        let charge = Charge::full();
        let of = |it: &crate::site::plan::Arrangement| {
            boards(plan, it, &charge)
                .into_iter()
                .map(|board| (it.id.to_string(), board))
                .collect::<Vec<_>>()
        };
        let boards = plan.arrangements.iter().flat_map(of).collect();
        let flows = plan
            .arrangements
            .iter()
            .filter_map(|it| evaluate(plan, it, &Moment::Running, &charge).ok());
        let on = plan
            .arrangements
            .iter()
            .flat_map(|it| being_on(plan, it, &charge))
            .collect();
        Self {
            boards,
            flows: flows.collect(),
            on,
        }
    }

    /// What a place costs for being on in each arrangement that uses it.
    pub(super) fn being_on(&self, place: &str) -> Vec<BeingOn> {
        self.on
            .iter()
            .filter(|it| it.place == place)
            .cloned()
            .collect()
    }

    /// What flows while running, by arrangement.
    pub(super) fn flows(&self) -> &[Evaluation] {
        &self.flows
    }

    /// The board of a place in a unit, from the arrangement that strains it most.
    fn worst(&self, place: &str, unit: &str) -> Option<&(String, Board)> {
        let codes = [
            Code::PortLimit,
            Code::GroupLimit,
            Code::ConverterOutputLimit,
            Code::BatteryCurrent,
        ];
        // An AC limit in watts is judged in volt-amperes.
        let is_unit = |it: &str| it == unit || (unit == "W" && it == "VA");
        let there = self
            .boards
            .iter()
            .filter(|(_, it)| it.place == place && is_unit(&it.unit) && codes.contains(&it.code));
        let most = |it: &Board| it.marks.iter().map(|mark| mark.value).fold(0.0, f64::max);
        there.max_by(|a, b| {
            a.1.status
                .cmp(&b.1.status)
                .then(most(&a.1).total_cmp(&most(&b.1)))
        })
    }

    /// The running output of a source's port in each arrangement that uses it.
    fn running_at(&self, source: &str, port: &str) -> Vec<AtLoad> {
        let at = |flow: &Evaluation| {
            let found = flow.ports.get(&format!("{source}/{port}"))?;
            Some(AtLoad {
                arrangement: flow.arrangement.clone(),
                out_w: found.watts,
                efficiency: None,
                outside: false,
            })
        };
        self.flows.iter().filter_map(at).collect()
    }
}

/// What an outlet gives, bears and costs.
pub(super) fn port(
    source: &Source,
    port: &Port,
    usable_wh: Option<f64>,
    marks: &Marks,
) -> PortFacts {
    let own = matches!(port.voltage, PortVoltage::Follows { .. });
    let idle_w = match port.loss.as_ref().and_then(|it| it.idle_w.as_ref()) {
        Some(it) => Some(it.get()),
        // Bare terminals cost nothing to be on.
        None if own || source.battery.is_none() => Some(0.0),
        None => None,
    };
    let own_place = format!("{}/{}", source.id, port.id);
    let mut limits = limits_at(marks, &own_place, port.limit.as_ref(), None);
    // What bare terminals give is what the battery bears.
    if let Some(battery) = source.battery.as_ref().filter(|_| own && limits.is_empty()) {
        let level = |it: &crate::site::plan::source::Peak| Overload {
            up_to_a: Some(it.up_to_a.clone()),
            up_to_w: None,
            for_s: it.for_s.clone(),
        };
        let bears = battery.max_discharge_a.as_ref().map(|it| Limit {
            continuous_a: Some(it.clone()),
            continuous_w: None,
            overload: battery.peak.iter().map(level).collect(),
        });
        limits.extend(limits_at(marks, source.id.as_str(), bears.as_ref(), None));
    }
    let below_w = port.auto_off.as_ref().map(|it| it.below_w.get());
    for limit in &mut limits {
        let volts = port.voltage.standing(None);
        limit.auto_off = if limit.unit == "W" {
            below_w
        } else {
            below_w.zip(volts).map(|(watts, volts)| watts / volts)
        };
    }
    if let Some(group) = source
        .groups
        .iter()
        .find(|it| Some(&it.id) == port.group.as_ref())
    {
        let place = format!("{}/{}", source.id, group.id);
        limits.extend(limits_at(
            marks,
            &place,
            Some(&group.limit),
            Some(group.id.as_str()),
        ));
    }
    let mut unknown = Vec::new();
    if idle_w.is_none() {
        unknown.push(Sentence::from("what it costs to be on".to_owned()));
    }
    if limits.is_empty() && !own {
        unknown.push(Sentence::from("its limit".to_owned()));
    }
    if limits
        .iter()
        .any(|it| it.overload.iter().any(|level| level.for_s.is_none()))
    {
        unknown.push(Sentence::from(
            "for how long it carries its peak".to_owned(),
        ));
    }
    let idle_day_wh = idle_w.map(|it| it * 24.0);
    PortFacts {
        port: port.id.to_string(),
        label: port.label.clone().unwrap_or_else(|| port.id.to_string()),
        gives: gives(port).into(),
        idle_w,
        idle_day_wh,
        share_of_store: idle_day_wh
            .zip(usable_wh)
            .map(|(idle, usable)| idle / usable),
        limits,
        auto_off_below_w: port.auto_off.as_ref().map(|it| it.below_w.get()),
        auto_off_after_s: port.auto_off.as_ref().map(|it| it.after_s.get()),
        being_on: marks.being_on(&own_place),
        running: marks.running_at(source.id.as_str(), port.id.as_str()),
        unknown,
    }
}

fn gives(port: &Port) -> String {
    match &port.voltage {
        PortVoltage::Follows { .. } => "the battery's own voltage".into(),
        PortVoltage::Regulated { regulated_v } => format!("{} DC", amount(regulated_v.get(), "V")),
        PortVoltage::Alternating { ac_v, waveform, .. } => {
            let wave = if *waveform == Some(Waveform::Stepped) {
                "a stepped wave"
            } else {
                "a sine"
            };
            format!("{} AC, {wave}", amount(ac_v.get(), "V"))
        }
        PortVoltage::Offers { offers_v } => {
            let volts: Vec<String> = offers_v
                .iter()
                .map(|it| amount(it.get(), "").to_string())
                .collect();
            format!("{} V DC, as asked", volts.join(", "))
        }
    }
}

/// The limits of a place, each as a gauge board.
pub(super) fn limits_at(
    marks: &Marks,
    place: &str,
    limit: Option<&Limit>,
    group: Option<&str>,
) -> Vec<PortLimit> {
    let Some(limit) = limit else {
        return Vec::new();
    };
    let of =
        |unit: &'static str, continuous: Option<f64>, level: &dyn Fn(&Overload) -> Option<f64>| {
            let continuous = continuous?;
            let timed = |it: &Overload| {
                Some(Carried {
                    up_to: level(it)?,
                    for_s: it.for_s.as_ref().map(Figure::get),
                })
            };
            let overload: Vec<Carried> = limit.overload.iter().filter_map(timed).collect();
            let (arrangement, board) = marks.worst(place, unit).cloned().map_or_else(
                || {
                    let board = Board {
                        code: if group.is_some() {
                            Code::GroupLimit
                        } else {
                            Code::PortLimit
                        },
                        place: place.to_owned(),
                        name: place.to_owned(),
                        unit: unit.to_owned(),
                        limit: continuous,
                        overload: overload.clone(),
                        marks: Vec::new(),
                        status: Status::Holds,
                    };
                    (None, board)
                },
                |(id, board)| (Some(id), board),
            );
            Some(PortLimit {
                unit,
                continuous,
                overload,
                group: group.map(str::to_owned),
                board,
                arrangement,
                auto_off: None,
            })
        };
    let amps = of("A", limit.continuous_a.as_ref().map(Figure::get), &|it| {
        it.up_to_a.as_ref().map(Figure::get)
    });
    let watts = of("W", limit.continuous_w.as_ref().map(Figure::get), &|it| {
        it.up_to_w.as_ref().map(Figure::get)
    });
    amps.into_iter().chain(watts).collect()
}
