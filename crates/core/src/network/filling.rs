//! At which voltage the terminals of a store stand while it is filled.

use crate::ground::figure::Figure;
use crate::ground::quantity::Volts;
use crate::site::chemistry;
use crate::site::plan::source::Alternator;
use crate::site::plan::{Converter, ConverterKind, Feed, Plan, Source, SourceKind};

/// The coldest temperature that the plan knows of, °C, and the outage that it is of.
pub(crate) fn coldest(plan: &Plan) -> (f64, Option<&str>) {
    let site = (plan.site.ambient().0, None);
    let outages = plan
        .outages
        .iter()
        .filter_map(|it| Some((it.ambient_c.as_ref()?.get(), Some(it.label.as_str()))));
    outages.fold(
        site,
        |coldest, it| if it.0 < coldest.0 { it } else { coldest },
    )
}

/// The highest voltage per store at which its terminals stand while it is filled, and by what; none
/// where nothing that the plan knows of can fill it.
///
/// The charging voltage of the chemistry, or of a charger in the kit that is made for this store,
/// and for lead more in the cold; an equalising voltage where the chemistry has one.
pub(crate) fn charging_volts(plan: &Plan, source: &Source) -> Option<ChargingVolts> {
    let battery = source.battery.as_ref()?;
    let cells = battery.cells.as_ref()?.get();
    let chemistry = chemistry::find(&battery.chemistry)?;
    let into = |feed: &Feed| feed.to.item == source.id && feed.to.input.is_some();
    let fed = plan.arrangements.iter().any(|it| it.feeds.iter().any(into));
    let spans = plan
        .outages
        .iter()
        .any(|it| it.charging.iter().any(|it| it.source == source.id));
    let own = chemistry.charge_v * cells;
    // A charger for another voltage is no charger of this store.
    let fits = |volts: &f64| {
        (0.85 * chemistry.cell_nominal_v * cells..=1.45 * chemistry.cell_nominal_v * cells)
            .contains(volts)
    };
    let chargers = plan
        .kit
        .converters
        .iter()
        .filter(|it| it.kind == ConverterKind::Charger);
    let charger = chargers.filter_map(Converter::charges_at).filter(fits);
    let wired = wired(plan, source, own);
    let charger = charger.reduce(f64::max).filter(|_| wired.is_none());
    let filled = fed
        || spans
        || !source.inputs.is_empty()
        || source.alternator.is_some()
        || charger.is_some();
    if !filled {
        return None;
    }
    let celsius = coldest(plan).0;
    let more = chemistry.charge_offset_v(celsius).max(0.0) * cells;
    let equalise_v = chemistry.equalise_v.map(|it| it * cells + more);
    let equalises = chargers_of(plan, source)
        .filter_map(|it| it.equalise_v.as_ref())
        .map(Figure::get)
        .filter(fits);
    let equalise_v = equalises
        .map(|it| it + more)
        .chain(equalise_v)
        .reduce(f64::max);
    let volts = wired.unwrap_or_else(|| charger.unwrap_or(own).max(own));
    Some(ChargingVolts {
        volts: volts + more,
        equalise_v,
        celsius,
    })
}

/// The chargers that are wired into an input of a store, in any arrangement.
pub(crate) fn chargers_of<'a>(
    plan: &'a Plan,
    source: &'a Source,
) -> impl Iterator<Item = &'a Converter> {
    let into = |feed: &&Feed| feed.to.item == source.id && feed.to.input.is_some();
    let feeds = plan
        .arrangements
        .iter()
        .flat_map(|it| &it.feeds)
        .filter(into);
    feeds
        .filter_map(|it| plan.converter(it.from.item.as_str()))
        .filter(|it| it.kind == ConverterKind::Charger)
}

/// The highest volts at which what is really wired into a store fills it: a charger's own, and
/// those of its chemistry where something else fills it. None where no charger is wired into it.
fn wired(plan: &Plan, source: &Source, own: f64) -> Option<f64> {
    let chargers = chargers_of(plan, source)
        .filter_map(Converter::charges_at)
        .reduce(f64::max)?;
    let into = |feed: &&Feed| feed.to.item == source.id && feed.to.input.is_some();
    let feeds = plan
        .arrangements
        .iter()
        .flat_map(|it| &it.feeds)
        .filter(into);
    let is_charger = |feed: &Feed| {
        plan.converter(feed.from.item.as_str())
            .is_some_and(|it| it.kind == ConverterKind::Charger)
    };
    let others = feeds.filter(|it| !is_charger(it)).count() > 0
        || source.alternator.is_some()
        || plan
            .outages
            .iter()
            .any(|it| it.charging.iter().any(|it| it.source == source.id));
    Some(if others { chargers.max(own) } else { chargers })
}

/// Cells of a lead battery of 12 V.
const CELLS_OF_12_V: f64 = 6.0;
/// What an alternator of a vehicle of 12 V holds, V (ISO 16750-2: 14 V, regulated up to 14.8 in the
/// cold).
const RUNNING_V: f64 = 14.8;
/// To what a starter pulls a battery of 12 V for a second, V (ISO 16750-2, starting profile of
/// level II).
const CRANKING_V: f64 = 7.0;

/// The voltage of a vehicle's terminals with its engine running, V; none where it has no alternator
/// or no cells.
pub(crate) fn engine_volts(source: &Source) -> Option<f64> {
    vehicle(source, |it| it.running_v.as_ref(), RUNNING_V)
}

/// The voltage of a vehicle's terminals while its engine is cranked, V; none where it has no
/// alternator or no cells.
pub(crate) fn cranking_volts(source: &Source) -> Option<f64> {
    vehicle(source, |it| it.cranking_v.as_ref(), CRANKING_V)
}

fn vehicle(
    source: &Source,
    own: impl Fn(&Alternator) -> Option<&Figure<Volts>>,
    of_12_v: f64,
) -> Option<f64> {
    let (alternator, battery) = (source.alternator.as_ref()?, source.battery.as_ref()?);
    let chemistry = chemistry::find(&battery.chemistry)?;
    // A lithium pack of four cells stands for six of lead.
    let nominal = battery.cells.as_ref()?.get() * chemistry.cell_nominal_v / (2.0 * CELLS_OF_12_V);
    let usual = || of_12_v * nominal.round().max(1.0);
    (source.kind == SourceKind::Vehicle).then(|| own(alternator).map_or_else(usual, Figure::get))
}

/// At which voltages the terminals of a store stand while it is filled.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct ChargingVolts {
    /// While it is charged, V.
    pub(crate) volts: f64,
    /// While it is equalised, V.
    pub(crate) equalise_v: Option<f64>,
    /// At which temperature, °C.
    pub(crate) celsius: f64,
}
