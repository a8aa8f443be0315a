//! Converters: what they cost to be on, what they lose with their load, and what they must be fed
//! with.

use super::facts::{AtLoad, ConverterFacts, CurvePoint, MeasuredPoint, OutputLimit};
use super::outlets::{Marks, limits_at};
use crate::ground::figure::{Basis, Figure};
use crate::ground::say::{Sentence, amount, percent};
use crate::network::Law;
use crate::site::plan::{Converter, LossLaw, LossPoint, Port};

/// Points of a converter's curve.
const POINTS: usize = 25;

/// What a converter costs, loses and needs.
pub(super) fn converter(converter: &Converter, marks: &Marks) -> ConverterFacts {
    let loss = converter.loss.as_ref();
    let law = Law::of(loss);
    let idle_w = loss.and_then(|it| it.idle_w.as_ref()).map(Figure::get);
    let bases = loss.map(|it| {
        [
            it.idle_w.as_ref().map(|it| it.basis),
            it.proportional.as_ref().map(|it| it.basis),
            it.quadratic_per_w.as_ref().map(|it| it.basis),
        ]
    });
    let basis = bases
        .and_then(|it| it.into_iter().flatten().min())
        .unwrap_or(Basis::Assumed);
    let most_w: f64 = converter.outputs.iter().filter_map(most_of).sum();
    let up_to = if most_w > 0.0 { most_w } else { 100.0 };
    // Nearer together at the low end, where the curve bends.
    let steps = (0..POINTS).map(|it| up_to * (it as f64 / (POINTS - 1) as f64).powi(2));
    let mut unknown = Vec::new();
    if idle_w.is_none() {
        unknown.push(Sentence::from("what it costs to be on".to_owned()));
    }
    if loss.is_none_or(|it| it.proportional.is_none() && it.quadratic_per_w.is_none()) {
        unknown.push(Sentence::from("what it loses with its load".to_owned()));
    }
    let untimed = |it: &Port| {
        it.limit
            .as_ref()
            .is_some_and(|it| it.overload.iter().any(|it| it.for_s.is_none()))
    };
    if converter.outputs.iter().any(untimed) {
        unknown.push(Sentence::from(
            "for how long it carries its peak".to_owned(),
        ));
    }
    if converter
        .thermal
        .as_ref()
        .is_none_or(|it| it.full_load_rise_c.is_none() || it.time_constant_s.is_none())
    {
        unknown.push(Sentence::from("how it warms".to_owned()));
    }
    let points: Vec<MeasuredPoint> = loss
        .map_or(&[][..], |it| &it.points)
        .iter()
        .map(measured)
        .collect();
    let of = |pick: fn(f64, f64) -> f64| points.iter().map(|it| it.out_w).reduce(pick);
    let measured_w = of(f64::min)
        .zip(of(f64::max))
        .filter(|(from, to)| to > from)
        .map(|(from, to)| [from, to]);
    ConverterFacts {
        converter: converter.id.to_string(),
        idle_w,
        idle_day_wh: idle_w.map(|it| it * 24.0),
        being_on: marks.being_on(converter.id.as_str()),
        basis,
        law: law_words(loss).into(),
        window: window(converter).into(),
        thermal: thermal(converter).map(Into::into),
        limits: limits(converter, marks),
        measured_w,
        points,
        curve: steps
            .map(|out_w| CurvePoint {
                out_w,
                in_w: law.input(out_w),
            })
            .collect(),
        carries: carries(converter, marks, measured_w),
        unknown,
    }
}

/// The most that an output gives for ever, W, where it states it in watts or in amperes at a known
/// voltage.
fn most_of(port: &Port) -> Option<f64> {
    let limit = port.limit.as_ref()?;
    let by_amps = || Some(limit.continuous_a.as_ref()?.get() * port.voltage.standing(None)?);
    limit
        .continuous_w
        .as_ref()
        .map(Figure::get)
        .or_else(by_amps)
}

/// η = P_out/P_in; relative half-widths in quadrature.
fn measured(point: &LossPoint) -> MeasuredPoint {
    let (out_w, in_w) = (point.out_w.get(), point.in_w.get());
    let efficiency = if in_w > 0.0 { out_w / in_w } else { 0.0 };
    let relative = |half: Option<f64>, of: f64| half.map(|it| if of > 0.0 { it / of } else { 0.0 });
    let parts = [
        relative(point.out_w.plus_minus, out_w),
        relative(point.in_w.plus_minus, in_w),
    ];
    let known = parts.iter().any(Option::is_some);
    let together = parts.iter().flatten().map(|it| it * it).sum::<f64>().sqrt();
    MeasuredPoint {
        out_w,
        efficiency,
        plus_minus: known.then_some(together * efficiency),
    }
}

/// "0.9 W + 5.5 % of the load + 1.5 W at 100 W, with its square"
fn law_words(loss: Option<&LossLaw>) -> String {
    let Some(loss) = loss else {
        return "not known".into();
    };
    let parts = [
        loss.idle_w
            .as_ref()
            .map(|it| amount(it.get(), "W").to_string()),
        loss.proportional
            .as_ref()
            .filter(|it| it.get() > 0.0)
            .map(|it| format!("{} of the load", percent(it.get()))),
        loss.quadratic_per_w
            .as_ref()
            .filter(|it| it.get() > 0.0)
            .map(|it| format!("{} at 100 W, with its square", amount(it.get() * 1e4, "W"))),
    ];
    let said: Vec<String> = parts.into_iter().flatten().collect();
    if said.is_empty() {
        "not known".into()
    } else {
        said.join(" + ")
    }
}

/// "10 to 16 V, cuts out at 10.5 V, back in at 11.8 V"
fn window(converter: &Converter) -> String {
    let input = &converter.input;
    let (low, high) = (
        input.min_v.as_ref().map(Figure::get),
        input.max_v.as_ref().map(Figure::get),
    );
    let volts = match (low, high) {
        (Some(low), Some(high)) => Some(format!("{} to {}", amount(low, ""), amount(high, "V"))),
        (Some(low), None) => Some(format!("from {}", amount(low, "V"))),
        (None, Some(high)) => Some(format!("up to {}", amount(high, "V"))),
        (None, None) => None,
    };
    let out = input
        .cut_out_v
        .as_ref()
        .map(|it| format!("cuts out at {}", amount(it.get(), "V")));
    let back = input
        .cut_in_v
        .as_ref()
        .map(|it| format!("back in at {}", amount(it.get(), "V")));
    let most = input
        .max_a
        .as_ref()
        .map(|it| format!("at most {}", amount(it.get(), "A")));
    let said: Vec<String> = [volts, out, back, most].into_iter().flatten().collect();
    if said.is_empty() {
        "its window is not known".into()
    } else {
        said.join(", ")
    }
}

/// "38 K warmer at full load, with a time constant of 18 min; its case bears 75 °C"
fn thermal(converter: &Converter) -> Option<String> {
    let thermal = converter.thermal.as_ref()?;
    let rise = thermal
        .full_load_rise_c
        .as_ref()
        .map(|it| format!("{} warmer at full load", amount(it.get(), "K")));
    let time = thermal
        .time_constant_s
        .as_ref()
        .map(|it| format!("two thirds of it in {}", amount(it.get() / 60.0, "min")));
    let case = thermal
        .max_case_c
        .as_ref()
        .map(|it| format!("its case bears {}", amount(it.get(), "°C")));
    let said: Vec<String> = [rise, time, case].into_iter().flatten().collect();
    (!said.is_empty()).then(|| said.join(", "))
}

fn limits(converter: &Converter, marks: &Marks) -> Vec<OutputLimit> {
    let of = |port: &Port| {
        let place = format!("{}/{}", converter.id, port.id);
        let found = limits_at(marks, &place, port.limit.as_ref(), None).into_iter();
        found
            .map(|limit| OutputLimit {
                port: port.id.to_string(),
                limit,
            })
            .collect::<Vec<_>>()
    };
    converter.outputs.iter().flat_map(of).collect()
}

fn carries(converter: &Converter, marks: &Marks, measured_w: Option<[f64; 2]>) -> Vec<AtLoad> {
    let at_load = marks.flows().iter().filter_map(|flow| {
        let it = flow.converters.get(converter.id.as_str())?;
        let outside = measured_w.is_some_and(|[from, to]| !(from..=to).contains(&it.output_w));
        Some(AtLoad {
            arrangement: flow.arrangement.clone(),
            out_w: it.output_w,
            efficiency: it.efficiency,
            outside,
        })
    });
    at_load.collect()
}
