//! What fills what: each source, straight and through each converter, into each charging input.
//!
//! A cell is solved on the network of its own chain, without leads, its source full. Its hours
//! follow from what the store takes as it fills; a store whose source sags while it gives takes
//! longer, which the march of [`super::recharge`] tells. What a panel fills is marched so, by day
//! and night.

use super::carry::filled;
use super::told::RechargeAsk;
use super::words::{holding, warm};
use crate::advice::fits::{bare, by_label};
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, words};
use crate::ground::say::{Name, Sentence, amount};
use crate::limits::Status;
use crate::network::{
    Binds, Casing, Charge, Moment, Network, Reading, Solver, charging_volts, coldest, engine_volts,
};
use crate::site::battery::{held_amps, held_until, takes_w, taper};
use crate::site::chemistry;
use crate::site::plan::arrangement::Target;
use crate::site::plan::device::Current;
use crate::site::plan::source::{InputKind, SourceInput};
use crate::site::plan::{
    Arrangement, Converter, ConverterKind, Feed, From, Id, Plan, Port, PortVoltage, Source,
    SourceKind, Waveform,
};
use crate::time::day::Size;
use rayon::prelude::*;
use serde::Serialize;

/// Cells that are told at most.
pub const MOST_CELLS: usize = 20_000;
/// Parts of a charge over which its hours are summed.
const PARTS: usize = 400;
/// What counts as full, 0 to 1.
const FULL: f64 = 0.999;
/// By how much a voltage may exceed the charging voltage of a store's cells.
const OVER: f64 = 1.03;
/// By how much an alternating voltage may differ from the mains'.
const OFF_MAINS: f64 = 0.15;

words!(
    /// What keeps a source from an input.
    Refusal {
        /// One is alternating, the other direct.
        Current = "current",
        /// More volts than it bears.
        TooHigh = "too-high",
        /// Fewer volts than it takes.
        TooLow = "too-low",
        /// The converter takes more than it may.
        Converter = "converter",
        /// Nothing comes.
        Nothing = "nothing",
    }
);

/// What fills what.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Fills {
    /// The charging inputs, as `source/input`.
    pub inputs: Vec<String>,
    /// What they could be filled from.
    pub froms: Vec<FillFrom>,
    /// One list for each of `froms`, with one cell for each of `inputs`; none where a source would
    /// fill itself.
    pub cells: Vec<Vec<Option<FillCell>>>,
}

/// A source's port, and the converter behind it.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FillFrom {
    /// The source.
    pub item: String,
    /// Its port.
    pub port: String,
    /// The converters that it goes through; none for a lead alone.
    pub via: Vec<String>,
    /// It in words.
    pub label: String,
}

/// One source into one input.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct FillCell {
    /// What the input takes, W; of a panel in full light.
    pub watts: f64,
    /// Its current, A.
    pub amps: f64,
    /// The voltage at it, V.
    pub volts: f64,
    /// The voltage from which its band applies, V.
    pub band: Option<f64>,
    /// The voltage that is asked for, of a port that offers several, V.
    pub class: Option<f64>,
    /// Whether it does, only just, or may not.
    pub status: Status,
    /// What keeps it from it, where something does.
    pub refusal: Option<Refusal>,
    /// Hours from a tenth to four fifths and full; none where it never gets there. A panel's are
    /// counted from eight in the morning of the equinox, as [`super::recharge`] counts them where
    /// no outage says when.
    pub after_h: HoursTo,
    /// What holds it down, or what keeps it from it.
    pub limited_by: Sentence,
}

/// Hours to two charges.
#[derive(Debug, Clone, Copy, PartialEq, Default, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct HoursTo {
    /// To four fifths.
    #[serde(rename = "0.8")]
    pub most: Option<f64>,
    /// To full.
    #[serde(rename = "1")]
    pub full: Option<f64>,
}

/// Which source into which input, by which converter: every port of every source, straight and
/// through each converter of the kit, into every charging input.
///
/// # Errors
/// Where there are more cells than [`MOST_CELLS`].
pub fn fills(plan: &Plan) -> Result<Fills, FieldError> {
    let stores = plan.kit.sources.iter().filter(|it| it.battery.is_some());
    let inputs: Vec<(&Source, &SourceInput)> = stores
        .flat_map(|it| it.inputs.iter().map(move |input| (it, input)))
        .collect();
    let starts = starts(plan);
    if inputs.len() * starts.len() > MOST_CELLS {
        return Err(FieldError::of(
            "kit",
            format!(
                "{} ways into {} inputs are more than {MOST_CELLS} cells; take some converters or \
            sources out",
                starts.len(),
                inputs.len()
            ),
        ));
    }
    let row = |start: &Start<'_>| -> Vec<Option<FillCell>> {
        inputs
            .iter()
            .map(|(source, input)| {
                (source.id != start.source.id).then(|| cell(plan, start, source, input))
            })
            .collect()
    };
    Ok(Fills {
        inputs: inputs
            .iter()
            .map(|(source, input)| format!("{}/{}", source.id, input.id))
            .collect(),
        cells: starts.par_iter().map(row).collect(),
        froms: starts.iter().map(|it| it.told(plan)).collect(),
    })
}

/// Where a chain begins: a port of a source, and the converter behind it with one of its outputs.
#[derive(Debug, Clone, Copy)]
pub(super) struct Start<'a> {
    pub(super) source: &'a Source,
    pub(super) port: &'a Port,
    pub(super) via: Option<(&'a Converter, &'a Port)>,
}

impl Start<'_> {
    fn told(&self, plan: &Plan) -> FillFrom {
        let port = self.port.label.as_deref().unwrap_or(self.port.id.as_str());
        let through = self
            .via
            .map_or_else(String::new, |it| format!(" → {}", it.0.label));
        FillFrom {
            item: self.source.id.to_string(),
            port: self.port.id.to_string(),
            via: self.via.iter().map(|it| it.0.id.to_string()).collect(),
            label: format!("{}, {port}{through}", plan.label(self.source.id.as_str())),
        }
    }

    /// The port that stands before the input.
    fn last(&self) -> (&Id, &Port) {
        self.via
            .map_or((&self.source.id, self.port), |it| (&it.0.id, it.1))
    }

    /// Whether a stepped wave comes out at its end.
    pub(super) fn is_stepped(&self) -> bool {
        matches!(
            self.last().1.voltage,
            PortVoltage::Alternating {
                waveform: Some(Waveform::Stepped),
                ..
            }
        )
    }

    /// The current that comes out at its end.
    fn current(&self) -> Current {
        self.last().1.current
    }

    /// The feeds of its chain into an input, without leads; of several voltages the one that serves
    /// the input best.
    pub(super) fn feeds(
        &self,
        plan: &Plan,
        store: &Source,
        input: &SourceInput,
    ) -> Option<Vec<Feed>> {
        let to = Target {
            item: store.id.clone(),
            input: Some(input.id.clone()),
        };
        let from = |item: &Id, port: &Port| From {
            item: item.clone(),
            port: port.id.clone(),
        };
        let mut feeds = Vec::new();
        if let Some((converter, _)) = self.via {
            feeds.push(bare(
                plan,
                &from(&self.source.id, self.port),
                converter.id.as_str(),
            )?);
        }
        let (item, port) = self.last();
        let mut end = Feed::bare(from(item, port), to);
        if let PortVoltage::Offers { offers_v } = &port.voltage {
            let bears = input.max_v.as_ref().map_or(f64::INFINITY, Figure::get);
            let fitting = offers_v.iter().filter(|it| it.get() <= bears);
            end.voltage_v = fitting
                .max_by(|a, b| a.get().total_cmp(&b.get()))
                .map(|it| it.get().into());
        }
        feeds.push(end);
        Some(feeds)
    }
}

/// Every port of every source, straight and through each converter that its label lets follow.
fn starts(plan: &Plan) -> Vec<Start<'_>> {
    let ports = plan
        .kit
        .sources
        .iter()
        .flat_map(|source| source.ports.iter().map(move |port| (source, port)));
    let mut list = Vec::new();
    for (source, port) in ports {
        list.push(Start {
            source,
            port,
            via: None,
        });
        let from = From {
            item: source.id.clone(),
            port: port.id.clone(),
        };
        for converter in plan
            .kit
            .converters
            .iter()
            .filter(|it| it.kind != ConverterKind::Junction)
        {
            let follows = by_label(plan, &from, converter.id.as_str()).is_none();
            let alike = port.current == converter.input.current;
            if follows && alike {
                list.extend(converter.outputs.iter().map(|out| Start {
                    source,
                    port,
                    via: Some((converter, out)),
                }));
            }
        }
    }
    list
}

/// Those that may stand before an input of a store, with its feeds.
pub(super) fn candidates<'a>(
    plan: &'a Plan,
    way: &Arrangement,
    store: &'a Source,
    input: &'a SourceInput,
) -> Vec<(Start<'a>, Vec<Feed>, FillCell)> {
    let unused = |it: &Start<'_>| {
        it.via
            .is_none_or(|it| way.feed_into(it.0.id.as_str()).is_none())
    };
    let all = starts(plan)
        .into_iter()
        .filter(|it| it.source.id != store.id && unused(it));
    let found = all.filter_map(|start| {
        let cell = cell(plan, &start, store, input);
        let feeds = start.feeds(plan, store, input)?;
        (cell.refusal.is_none() && cell.watts > 0.0).then_some((start, feeds, cell))
    });
    found.collect()
}

/// The lowest and the highest voltage that stands at the end of a start, V.
fn volts(plan: &Plan, start: &Start<'_>, picked: Option<f64>) -> Option<(f64, f64)> {
    if let Some((_, out)) = start.via
        && let Some(volts) = out.voltage.standing(picked)
    {
        return Some((volts, volts));
    }
    let (source, port) = (start.source, start.port);
    if source.kind == SourceKind::Panel
        && let Some(panel) = &source.panel
    {
        let per_k = panel.open_v_per_k.as_ref().map_or(-0.003, Figure::get);
        let open = panel.string_open_v() * (1.0 + per_k * (coldest(plan).0 - 25.0));
        let works = port.voltage.standing(None).unwrap_or(open);
        return Some((works, open.max(works)));
    }
    if let Some(volts) = port.voltage.standing(picked) {
        return Some((volts, volts));
    }
    if let Some(running) = engine_volts(source) {
        return Some((running, running));
    }
    let battery = source.battery.as_ref()?;
    let cells = battery.cells.as_ref()?.get();
    let rests = |soc| chemistry::find(&battery.chemistry).map_or(0.0, |it| it.cell_v(soc)) * cells;
    let charged = charging_volts(plan, source).map_or(0.0, |it| it.volts);
    Some((rests(battery.floor()), charged.max(rests(1.0))))
}

/// Why a start may not stand before an input; none where it may.
fn refused(
    plan: &Plan,
    start: &Start<'_>,
    store: &Source,
    input: &SourceInput,
    picked: Option<f64>,
) -> Option<(Refusal, String)> {
    let takes = if input.kind == InputKind::Mains {
        Current::Ac
    } else {
        Current::Dc
    };
    let word = |it: Current| if it == Current::Ac { "AC" } else { "DC" };
    if start.current() != takes {
        return Some((
            Refusal::Current,
            format!(
                "gives {}; this input takes {}",
                word(start.current()),
                word(takes)
            ),
        ));
    }
    let (low, high) = volts(plan, start, picked)?;
    if takes == Current::Ac {
        let mains = plan
            .site
            .mains
            .as_ref()
            .map_or(230.0, |it| it.voltage_v.get());
        let off = (high - mains).abs() > OFF_MAINS * mains && input.max_v.is_none();
        let kind = if high > mains {
            Refusal::TooHigh
        } else {
            Refusal::TooLow
        };
        return off.then(|| {
            (
                kind,
                format!(
                    "gives {}; the mains here has {}",
                    amount(high, "V"),
                    amount(mains, "V")
                ),
            )
        });
    }
    if let Some(most) = input
        .max_v
        .as_ref()
        .map(Figure::get)
        .filter(|it| high > *it)
    {
        let (high, most) = (amount(high, "V"), amount(most, "V"));
        return Some((
            Refusal::TooHigh,
            format!("up to {high} into an input that bears {most}: it may be destroyed"),
        ));
    }
    if let Some(least) = input
        .min_v
        .as_ref()
        .map(Figure::get)
        .filter(|it| high < *it)
    {
        return Some((
            Refusal::TooLow,
            format!(
                "{} at most; it takes nothing below {}",
                amount(high, "V"),
                amount(least, "V")
            ),
        ));
    }
    // What stands on the cells themselves must be made for their voltage.
    let battery = store
        .battery
        .as_ref()
        .filter(|it| it.cells.is_some() && input.max_v.is_none())?;
    let (chemistry, cells) = (
        chemistry::find(&battery.chemistry)?,
        battery.cells.as_ref()?.get(),
    );
    let charge_v = chemistry.charge_v * cells;
    let most = chemistry
        .equalise_v
        .map_or(charge_v, |it| it * cells)
        .max(charge_v);
    if high > most * OVER {
        let (high, charge) = (amount(high, "V"), amount(charge_v, "V"));
        return Some((
            Refusal::TooHigh,
            format!("{high} on cells that are charged at {charge}: it would destroy them"),
        ));
    }
    let full = chemistry.cell_v(1.0) * cells;
    if low < full * (2.0 - OVER) && high < full {
        let (high, charge) = (amount(high, "V"), amount(charge_v, "V"));
        return Some((
            Refusal::TooLow,
            format!("{high} never fills cells that are charged at {charge}"),
        ));
    }
    None
}

/// One cell.
fn cell(plan: &Plan, start: &Start<'_>, store: &Source, input: &SourceInput) -> FillCell {
    let nothing = |refusal, why: String| FillCell {
        watts: 0.0,
        amps: 0.0,
        volts: 0.0,
        band: None,
        class: None,
        status: Status::Trips,
        refusal: Some(refusal),
        after_h: HoursTo::default(),
        limited_by: why.into(),
    };
    let Some(feeds) = start.feeds(plan, store, input) else {
        return nothing(Refusal::Nothing, "cannot be plugged in".to_owned());
    };
    let picked = feeds
        .last()
        .and_then(|it| it.voltage_v.as_ref())
        .map(Figure::get);
    if let Some((kind, why)) = refused(plan, start, store, input, picked) {
        return nothing(kind, why);
    }
    let way = Arrangement::of_feeds(feeds);
    let network = Network::build(plan, &way, plan.site.ambient());
    let Some(node) = network
        .feeds()
        .map(|it| it.0)
        .find(|it| network.input_at(*it).is_some())
    else {
        return nothing(Refusal::Nothing, "cannot be plugged in".to_owned());
    };
    let mut solver = Solver::new(&network);
    let mut open_v = network.open_volts(&Charge::uniform(1.0));
    if let (Some(place), Some(running)) = (
        network.source_index(start.source.id.as_str()),
        engine_volts(start.source),
    ) {
        open_v[place] = running;
    }
    solver.solve(&Moment::Running.loads(plan, &way, &network), &open_v);
    let read = |it| solver.read(it).unwrap_or(0.0);
    let (volts, amps) = (read(Reading::FarVolts(node)), read(Reading::FeedAmps(node)));
    let watts = solver.watts_at(node);
    if watts <= 0.0 {
        let binds = network.binds(node, read(Reading::NearVolts(node)), volts);
        let why = match binds {
            Some(Binds::Unstated) => "the input states no limit: find out what it takes".to_owned(),
            Some(Binds::LowVolts { volts, least }) => {
                format!(
                    "{} arrive; it takes nothing below {}",
                    amount(volts, "V"),
                    amount(least, "V")
                )
            }
            _ => "nothing comes".to_owned(),
        };
        return nothing(Refusal::Nothing, why);
    }
    if let Some(why) = over_converter(start, &network, &solver) {
        return FillCell {
            watts,
            amps,
            volts,
            ..nothing(Refusal::Converter, why)
        };
    }
    let held = solver.yielding().into_iter().next();
    let limited_by = match held {
        Some(it) => {
            let part = it.place.split_once('/').map_or("", |it| it.1);
            let item = it.place.split('/').next().unwrap_or_default();
            let from = Id::new(item)
                .ok()
                .zip(Id::new(part).ok())
                .map(|(item, port)| From { item, port });
            let label = from.as_ref().and_then(|it| plan.port(it)?.label.as_deref());
            format!(
                "{}, {} gives no more",
                Name(plan.label(item)),
                Name(label.unwrap_or(part))
            )
        }
        None => match network.binds(node, volts, volts) {
            Some(Binds::Band { from_v, amps }) => {
                format!("{} from {}", amount(amps, "A"), amount(from_v, "V"))
            }
            Some(Binds::BandWatts { from_v, watts }) => {
                format!("{} from {}", amount(watts, "W"), amount(from_v, "V"))
            }
            Some(Binds::Amps(amps)) => format!("the input: {}", amount(amps, "A")),
            Some(Binds::Watts(watts)) => format!("the input: {}", amount(watts, "W")),
            Some(Binds::Panel(watts)) => {
                format!(
                    "{} in full light; its hours are those of the sun on 20 March",
                    amount(watts, "W")
                )
            }
            _ => String::new(),
        },
    };
    // What nobody tried on a charger is told with it.
    let stepped = start.is_stepped();
    let limited_by = if stepped {
        format!("{limited_by}; a stepped wave, which nobody tried on this input")
    } else {
        limited_by
    };
    let casing = start
        .via
        .and_then(|it| Casing::of(it.0, plan.site.ambient().0));
    let gets_warm = start.via.zip(casing).filter(|(_, it)| it.gives_w() < watts);
    let limited_by = match gets_warm {
        Some((via, it)) => format!(
            "{limited_by}; later {}",
            warm(plan, via.0.id.as_str(), it.gives_w())
        ),
        None => limited_by,
    };
    // A charger that holds less than its cells come to never fills them.
    let battery = store.battery.as_ref();
    let holds = start.via.and_then(|it| Some((it.0, it.0.charges_at()?)));
    let ends = |volts: f64| battery.is_some_and(|it| held_until(it, volts).is_finite());
    let limited_by = match holds.filter(|it| ends(it.1)) {
        Some((charger, volts)) => {
            let held = holding(plan, charger.id.as_str(), volts, battery);
            format!("{limited_by}; later {held}: never full")
        }
        None => limited_by,
    };
    // What the input would take by itself, where something before it gives no more: that is what
    // tapers.
    let accepts_w = match network.binds(node, volts, volts) {
        Some(Binds::Band { amps, .. } | Binds::Amps(amps)) => amps * volts,
        Some(Binds::BandWatts { watts, .. } | Binds::Watts(watts)) => watts,
        _ => watts,
    };
    let bands = input
        .bands
        .iter()
        .map(|it| it.from_v.get())
        .filter(|it| *it <= volts);
    let light = start.source.kind == SourceKind::Panel;
    FillCell {
        watts,
        amps,
        volts,
        band: bands.reduce(f64::max),
        class: picked,
        status: if stepped {
            Status::Unproven
        } else {
            Status::Holds
        },
        refusal: None,
        after_h: if light {
            by_the_sun(plan, &way, store)
        } else {
            hours_to(
                plan,
                store,
                input,
                (watts, accepts_w.max(watts)),
                start.via.map(|it| it.0),
            )
        },
        limited_by: limited_by.into(),
    }
}

/// Hours from a tenth by a panel: the march that [`super::recharge`] makes of the same chain, which
/// knows day and night.
fn by_the_sun(plan: &Plan, way: &Arrangement, store: &Source) -> HoursTo {
    let mut ask = RechargeAsk::of(store.id.as_str());
    (ask.levels, ask.mains, ask.offers) = (vec![0.8, 1.0], false, false);
    let Ok(found) = filled(plan, way, None, &ask) else {
        return HoursTo::default();
    };
    let reached = |it: usize| found.levels.get(it).and_then(|it| it.after_h);
    HoursTo {
        most: reached(0),
        full: reached(1),
    }
}

/// A converter that would draw or give more than it may, which trips and does not yield.
fn over_converter(start: &Start<'_>, network: &Network, solver: &Solver<'_>) -> Option<String> {
    let (converter, _) = start.via?;
    let most = converter.input.max_a.as_ref()?.get();
    let node = (0..network.len()).find(|it| network.converter_at(*it).is_some())?;
    let amps = solver.read(Reading::FeedAmps(node))?;
    (amps > most * (1.0 + 1e-6)).then(|| {
        format!(
            "{} would draw {} of the {} that it may",
            Name(&converter.label),
            amount(amps, "A"),
            amount(most, "A")
        )
    })
}

/// Hours from a tenth to four fifths and full, with so many watts that come to an input, which
/// would take so many by itself, and takes less of them as its store fills.
fn hours_to(
    plan: &Plan,
    store: &Source,
    input: &SourceInput,
    (watts, accepts_w): (f64, f64),
    via: Option<&Converter>,
) -> HoursTo {
    let Some(battery) = &store.battery else {
        return HoursTo::default();
    };
    let celsius = plan.site.ambient().0;
    let casing = via.and_then(|it| Casing::of(it, celsius));
    let charge_v = via.and_then(Converter::charges_at);
    let Some(chemistry) =
        chemistry::find(&battery.chemistry).filter(|it| celsius >= it.charge_min_c)
    else {
        return HoursTo::default();
    };
    let size = Size::of(battery, celsius);
    let cells = battery.cells.as_ref().map_or(1.0, Figure::get);
    let share = input.efficiency.as_ref().map_or(1.0, Figure::get);
    let (mut soc, mut hours, mut to_80, mut warmth) = (0.1, 0.0, None, (0.0, false));
    let step = (FULL - soc) / PARTS as f64;
    for _ in 0..PARTS {
        let middle = soc + step / 2.0;
        let volts = chemistry.cell_v(middle) * cells;
        let may = battery
            .max_charge_a
            .as_ref()
            .filter(|_| battery.cells.is_some())
            .map_or(f64::INFINITY, |it| it.get() * volts);
        let by_volts = charge_v.map_or(f64::INFINITY, |it| {
            held_amps(battery, middle, celsius, it) * it
        });
        let takes = takes_w(battery, middle, celsius, volts)
            .min(may)
            .min(by_volts)
            / share;
        let wanted = watts.min(accepts_w * taper(battery, middle)).min(takes);
        let rate = |at_input: f64| {
            size.charged_per_hour(at_input * share * chemistry.charge_efficiency, volts)
        };
        let Some(long) = warming(casing.as_ref(), &mut warmth, wanted, step, rate) else {
            return HoursTo {
                most: to_80,
                full: None,
            };
        };
        if to_80.is_none() && soc + step >= 0.8 {
            to_80 = Some(hours + long * ((0.8 - soc) / step));
        }
        hours += long;
        soc += step;
    }
    HoursTo {
        most: to_80,
        full: Some(hours),
    }
}

/// Hours for a step of charge with so many watts wanted at the input, which the converter before it
/// gives as long as its case bears that; `rate` is what watts at the input charge in an hour. None
/// where it never gets there.
fn warming(
    casing: Option<&Casing>,
    (rise_k, is_hot): &mut (f64, bool),
    wanted_w: f64,
    mut step: f64,
    rate: impl Fn(f64) -> f64,
) -> Option<f64> {
    let mut hours = 0.0;
    loop {
        let gets = if *is_hot {
            casing.map_or(wanted_w, |it| wanted_w.min(it.gives_w()))
        } else {
            wanted_w
        };
        let rate = rate(gets);
        if rate <= 1e-9 {
            return None;
        }
        let long = step / rate;
        let Some(casing) = casing else {
            return Some(hours + long);
        };
        let lost = casing.lost_with(gets);
        let turns_h = if *is_hot {
            casing.lets_go_s(*rise_k, lost)
        } else {
            casing.bears_s(*rise_k, lost)
        } / 3600.0;
        let here = turns_h.min(long);
        *rise_k = casing.after(*rise_k, lost, here * 3600.0);
        (hours, step) = (hours + here, step - rate * here);
        if turns_h >= long {
            return Some(hours);
        }
        *is_hot = !*is_hot;
    }
}
