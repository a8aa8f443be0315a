//! What must stay on: each device by itself, before anything feeds it.

use crate::ground::figure::Basis;
use crate::ground::say::{Amount, Sentence};
use crate::limits::when;
use crate::network::{Charge, Moment};
use crate::site::plan::device::Current;
use crate::site::plan::{Arrangement, Device, PhaseKind, Plan};
use crate::time::day::{Fillings, alone_wh, fillings};
use serde::Serialize;

/// Everything that must stay on.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Needs {
    /// All of it in a sentence.
    pub headline: Sentence,
    /// The devices in the order of what matters.
    pub devices: Vec<Need>,
    /// All of them in a day, Wh.
    pub day_wh: f64,
    /// The worst moment.
    pub worst: Worst,
    /// The same by kind of current and voltage, the most energy first.
    pub classes: Vec<Class>,
}

/// One device.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Need {
    /// Its id.
    pub device: String,
    /// What it takes in a day by itself, all of its quantity, its starts counted, Wh.
    pub day_wh: f64,
    /// What it draws on average while it is on, W.
    pub running_w: f64,
    /// The most that it draws, W.
    pub highest_w: f64,
    /// The least sure basis among the watts of its phases.
    pub basis: Basis,
    /// Its phases as they follow each other.
    pub strip: Vec<Step>,
    /// Of something that is charged: how long one filling takes by itself, h.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub filling_h: Option<f64>,
    /// Of something that is charged: how often it is filled, what it costs and when it is done, in
    /// each arrangement that feeds it.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub fillings: Vec<Fillings>,
}

/// A phase on the strip of a device.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Step {
    /// Its place among the phases of the plan.
    pub phase: usize,
    /// Its kind.
    pub when: PhaseKind,
    /// What happens in it, in words.
    pub label: Option<String>,
    /// What it draws, all of the quantity, W.
    pub watts: f64,
    /// How long it lasts, s, where that is told.
    pub seconds: Option<f64>,
    /// Share of the running time, 0 to 1; of running itself what is left.
    pub share: Option<f64>,
}

/// The worst moment of all devices together.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Worst {
    /// The moment; one start at a time.
    pub moment: String,
    /// When that is, in words.
    pub when: String,
    /// What all of them draw then, W.
    pub watts: f64,
    /// What they would draw if everything started at once, W.
    pub all_starting_w: f64,
    /// What each of them draws then, in the order of what matters.
    pub devices: Vec<Draws>,
}

/// What a device draws at a moment.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Draws {
    /// The device.
    pub device: String,
    /// What all of its quantity draws, W.
    pub watts: f64,
}

/// Devices of one kind of current and voltage.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Class {
    /// AC or DC.
    pub current: Current,
    /// The voltage, V.
    pub volts: f64,
    /// How many devices.
    pub devices: usize,
    /// All of them in a day, Wh.
    pub day_wh: f64,
    /// All of them busy at once, W.
    pub busy_w: f64,
    /// What they have in the worst moment of all, W.
    pub worst_w: f64,
}

/// What the devices of a plan need. Watts are those at the voltage at which they are stated.
pub fn needs(plan: &Plan) -> Needs {
    let mut order: Vec<&Device> = plan.kit.devices.iter().collect();
    order.sort_by(|a, b| priority(a).total_cmp(&priority(b)));
    let ways: Vec<&Arrangement> = if order.iter().any(|it| it.filling().is_some()) {
        plan.arrangements.iter().collect()
    } else {
        Vec::new()
    };
    let fillings: Vec<Fillings> = ways
        .iter()
        .flat_map(|it| fillings(plan, it, &Charge::full()))
        .collect();
    let of = |it: &Device| {
        fillings
            .iter()
            .filter(|one| one.device == it.id.as_str())
            .cloned()
            .collect()
    };
    let devices: Vec<Need> = order
        .iter()
        .map(|it| Need {
            fillings: of(it),
            ..need(it)
        })
        .collect();
    let day_wh = devices.iter().map(|it| it.day_wh).sum::<f64>() + 0.0;
    let worst = worst(plan, &order);
    let classes = classes(&order, &devices, &worst);
    let headline = headline(devices.len(), day_wh, &worst);
    Needs {
        headline: headline.into(),
        devices,
        day_wh,
        worst,
        classes,
    }
}

/// The place of a device in the order of what matters; the last where it is not told.
fn priority(device: &Device) -> f64 {
    device
        .priority
        .as_ref()
        .map_or(f64::INFINITY, crate::ground::figure::Figure::get)
}

fn need(device: &Device) -> Need {
    let rated_v = device.input.rated_v.get();
    let running_w = crate::network::average(device).power(rated_v);
    Need {
        device: device.id.to_string(),
        day_wh: alone_wh(device),
        running_w,
        highest_w: device
            .phases
            .iter()
            .map(|it| it.watts.get())
            .fold(0.0, f64::max)
            * device.count(),
        basis: device
            .phases
            .iter()
            .map(|it| it.watts.basis)
            .min()
            .unwrap_or(Basis::Assumed),
        strip: strip(device),
        filling_h: device.filling().map(|it| it.hours),
        fillings: Vec::new(),
    }
}

fn strip(device: &Device) -> Vec<Step> {
    let order = [
        PhaseKind::Starting,
        PhaseKind::Running,
        PhaseKind::Busy,
        PhaseKind::Stopping,
    ];
    let of_kind = |kind: PhaseKind| {
        device
            .phases
            .iter()
            .enumerate()
            .filter(move |(_, it)| it.when == kind)
    };
    let steps = order.into_iter().flat_map(of_kind).map(|(phase, it)| Step {
        phase,
        when: it.when,
        label: it.label.clone(),
        watts: it.watts.get() * device.count(),
        seconds: it.seconds.as_ref().map(crate::ground::figure::Figure::get),
        share: match it.when {
            PhaseKind::Busy => it.share.as_ref().map(crate::ground::figure::Figure::get),
            PhaseKind::Running => Some(1.0 - device.busy_share()),
            PhaseKind::Starting | PhaseKind::Stopping => None,
        },
    });
    steps.collect()
}

fn worst(plan: &Plan, order: &[&Device]) -> Worst {
    let all = |moment: &Moment| -> f64 {
        let each = plan
            .kit
            .devices
            .iter()
            .map(|it| moment.load_of(it).power(it.input.rated_v.get()));
        each.sum::<f64>() + 0.0
    };
    // Everybody else is busy while one starts or stops: each such moment differs from that by one
    // device.
    let busy: f64 = all(&Moment::Busy);
    let one = |device: &Device, moment: Moment| {
        let own = |it: &Moment| it.load_of(device).power(device.input.rated_v.get());
        (busy - own(&Moment::Busy) + own(&moment), moment)
    };
    let having = |kind, moment: fn(String) -> Moment| {
        let has = plan
            .kit
            .devices
            .iter()
            .filter(move |it| it.highest(kind).is_some());
        has.map(move |it| one(it, moment(it.id.to_string())))
    };
    let lasting = [Moment::Running, Moment::Busy].map(|it| (all(&it), it));
    let starting = having(PhaseKind::Starting, Moment::Starting);
    let moments = lasting
        .into_iter()
        .chain(starting)
        .chain(having(PhaseKind::Stopping, Moment::Stopping));
    let worst = moments.fold((0.0, Moment::Running), |worst, it| {
        if it.0 > worst.0 { it } else { worst }
    });
    // To the last digit as it is summed.
    let worst = (all(&worst.1), worst.1);
    Worst {
        when: when(plan, &worst.1).to_string(),
        moment: worst.1.to_string(),
        watts: worst.0,
        all_starting_w: all(&Moment::AllStarting),
        devices: order
            .iter()
            .map(|it| Draws {
                device: it.id.to_string(),
                watts: worst.1.load_of(it).power(it.input.rated_v.get()),
            })
            .collect(),
    }
}

fn classes(order: &[&Device], needs: &[Need], worst: &Worst) -> Vec<Class> {
    let mut classes: Vec<Class> = Vec::new();
    for ((device, need), at_worst) in order.iter().zip(needs).zip(&worst.devices) {
        let (current, volts) = (device.input.current, device.input.rated_v.get());
        let busy_w = Moment::Busy.load_of(device).power(volts);
        match classes
            .iter_mut()
            .find(|it| it.current == current && (it.volts - volts).abs() < 1e-9)
        {
            Some(class) => {
                class.devices += 1;
                class.day_wh += need.day_wh;
                class.busy_w += busy_w;
                class.worst_w += at_worst.watts;
            }
            None => {
                let worst_w = at_worst.watts;
                classes.push(Class {
                    current,
                    volts,
                    devices: 1,
                    day_wh: need.day_wh,
                    busy_w,
                    worst_w,
                });
            }
        }
    }
    classes.sort_by(|a, b| b.day_wh.total_cmp(&a.day_wh));
    classes
}

/// "Ten things must stay on: 2.4 kWh a day, 214 W at worst, while Diesel heater starts."
fn headline(count: usize, day_wh: f64, worst: &Worst) -> String {
    const WORDS: [&str; 13] = [
        "Nothing",
        "One thing",
        "Two",
        "Three",
        "Four",
        "Five",
        "Six",
        "Seven",
        "Eight",
        "Nine",
        "Ten",
        "Eleven",
        "Twelve",
    ];
    let energy = if day_wh >= 1000.0 {
        Amount(day_wh / 1000.0, "kWh")
    } else {
        Amount(day_wh, "Wh")
    };
    let things = match count {
        0 => return "Nothing is entered that must stay on. Add the first device.".into(),
        1 => "One thing".to_owned(),
        _ => WORDS
            .get(count)
            .map_or_else(|| format!("{count} things"), |it| format!("{it} things")),
    };
    format!(
        "{things} must stay on: {energy} a day, {} at worst, {}.",
        Amount(worst.watts, "W"),
        worst.when
    )
}
