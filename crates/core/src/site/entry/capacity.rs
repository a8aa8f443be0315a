//! The size of a store, by whatever its label says: Ah, Wh, or the mAh of a phone-style pack.
//!
//! Ampere-hours say nothing without their volts. Where the label leaves those out, every reading
//! that makes sense is told beside the others, with its watt-hours, and a person chooses.

use super::spoken::{Amount, Spoken, tokens};
use super::sums::amperes;
use super::target::{Around, Target, refuse};
use crate::ground::figure::Basis;
use crate::ground::json::FieldError;
use crate::ground::say::{Habits, Sentence, amount, render};
use crate::site::chemistry;
use crate::site::plan::{Battery, PortVoltage, Source};
use serde::Serialize;

/// Energy as it is promised by nothing but a charge: what phone-style packs print is counted at one
/// cell.
const PACK_MAH: f64 = 1000.0;

/// What a typed capacity can mean.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Capacity {
    /// One where it is clear; several where a person must choose, the likeliest first.
    pub readings: Vec<CapacityReading>,
    /// What is doubtful, where something is.
    pub question: Option<Sentence>,
}

/// One reading of a capacity. Either `capacity_ah` or `energy_wh` is what the plan keeps.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct CapacityReading {
    /// How it is read, in words with its sum: "20 Ah × 3.7 V of a cell = 74 Wh".
    pub words: Sentence,
    /// For a store of charge, Ah.
    pub capacity_ah: Option<f64>,
    /// For a store of energy, Wh.
    pub energy_wh: Option<f64>,
    /// The energy either way, by the nominal voltage, Wh.
    pub nominal_wh: f64,
    /// Half-width of the 95 % interval, in the unit of what the plan keeps.
    pub plus_minus: Option<f64>,
    /// Where it comes from.
    pub basis: Basis,
    /// For the figure's note, where something was converted.
    pub note: Option<String>,
}

/// Reads the size of a source's store.
///
/// `100 Ah`, `1.28 kWh`, `20000 mAh`, `26 Ah 3.6 V`, each with `± …` and where it comes from.
///
/// # Errors
/// Says what cannot be read, with examples of what can.
///
/// ```
/// use ash_pond_core::{site::entry::{Around, capacity}, site::kinds};
/// let counted = |it: &&ash_pond_core::site::plan::Source| {
///     it.battery.as_ref().is_some_and(|it| it.energy_wh.is_some())
/// };
/// let pack = kinds::kinds().sources.iter().find(counted).unwrap();
/// let read = capacity("26 Ah 3.6 V l", pack, Around::default()).unwrap();
/// assert_eq!((read.readings.len(), read.readings[0].nominal_wh), (1, 93.60000000000001));
/// assert!(capacity("20000 mAh", pack, Around::default()).unwrap().readings.len() > 1);
/// assert!(capacity("large", pack, Around::default()).unwrap_err().message.contains("20000 mAh"));
/// ```
pub fn capacity(text: &str, source: &Source, around: Around) -> Result<Capacity, FieldError> {
    read(text, source, around).map_err(|why| FieldError::of("text", why))
}

fn read(text: &str, source: &Source, around: Around) -> Result<Capacity, String> {
    let refused = |why: &str| {
        let said = refuse(text, Target::AmpHours, why);
        said.split(". Write").next().unwrap_or_default().to_owned()
            + ". Write 100 Ah, 512 Wh, 20000 mAh, 26 Ah 3.6 V"
    };
    let battery = source
        .battery
        .as_ref()
        .ok_or_else(|| refused("it has no battery"))?;
    let spoken = tokens(text, around.decimal)
        .and_then(|it| Spoken::of(&it, Target::AmpHours))
        .map_err(|it| refused(&it))?;
    let basis = spoken.basis.unwrap_or(Basis::Assumed);
    let (one, at) = match &spoken.amounts[..] {
        [one] => (one, None),
        [one, volts] if volts.unit == "V" => (one, Some(volts.value)),
        [volts, one] if volts.unit == "V" => (one, Some(volts.value)),
        _ => return Err(refused("one capacity belongs here, with its volts at most")),
    };
    if one.over.is_some() {
        return Err(refused("nothing is divided here"));
    }
    if one.value <= 0.0 || at.is_some_and(|it| it <= 0.0) {
        return Err(refused("it is nothing"));
    }
    let store = Store::of(source, battery);
    match one.unit.as_str() {
        "Wh" | "kWh" => {
            let wh = if one.unit == "kWh" {
                one.value * 1000.0
            } else {
                one.value
            };
            Ok(only(store.by_energy(wh, one, basis)))
        }
        // The field of a store of energy shows Wh.
        "" if battery.energy_wh.is_some() && battery.capacity_ah.is_none() => {
            Ok(only(store.by_energy(one.value, one, basis)))
        }
        "Ah" | "mAh" | "" => {
            let ah = amperes(one);
            Ok(match at {
                Some(volts) => only(store.by_charge(ah, volts, one, basis, "")),
                None => store.bare(ah, one, basis),
            })
        }
        other => Err(refused(&format!("{other} is no size of a store"))),
    }
}

/// A store, as far as its size is concerned.
struct Store {
    /// Nominal volts of the pack; none for a store of energy.
    pack_v: Option<f64>,
    cell_v: f64,
    /// What its outlets give, V, lowest first.
    outlets: Vec<f64>,
}

impl Store {
    fn of(source: &Source, battery: &Battery) -> Self {
        let chemistry = chemistry::find(&battery.chemistry);
        let cell_v = chemistry.map_or(3.7, |it| it.cell_nominal_v);
        let mut outlets: Vec<f64> = source
            .ports
            .iter()
            .flat_map(|it| match &it.voltage {
                PortVoltage::Regulated { regulated_v } => vec![regulated_v.get()],
                PortVoltage::Offers { offers_v } => offers_v
                    .iter()
                    .map(crate::ground::figure::Figure::get)
                    .collect(),
                PortVoltage::Follows { .. } | PortVoltage::Alternating { .. } => Vec::new(),
            })
            .collect();
        outlets.sort_by(f64::total_cmp);
        outlets.dedup();
        Self {
            pack_v: battery.cells.as_ref().map(|it| it.get() * cell_v),
            cell_v,
            outlets,
        }
    }

    /// Wh as the plan keeps them: as they are, or by the pack's voltage.
    fn by_energy(&self, wh: f64, one: &Amount, basis: Basis) -> CapacityReading {
        let half = |of: f64| one.relative().map(|it| it * of);
        match self.pack_v {
            Some(volts) => {
                let words = format!(
                    "{} ÷ {} = {}",
                    amount(wh, "Wh"),
                    amount(volts, "V"),
                    amount(wh / volts, "Ah")
                );
                CapacityReading {
                    capacity_ah: Some(wh / volts),
                    energy_wh: None,
                    nominal_wh: wh,
                    plus_minus: half(wh / volts),
                    basis,
                    note: Some(render(&words, &Habits::si()).into_owned()),
                    words: words.into(),
                }
            }
            None => CapacityReading {
                words: amount(wh, "Wh").into(),
                capacity_ah: None,
                energy_wh: Some(wh),
                nominal_wh: wh,
                plus_minus: half(wh),
                basis,
                note: None,
            },
        }
    }

    /// Ah at stated volts.
    fn by_charge(
        &self,
        ah: f64,
        volts: f64,
        one: &Amount,
        basis: Basis,
        of: &str,
    ) -> CapacityReading {
        let wh = ah * volts;
        let words = format!(
            "{} × {}{of} = {}",
            amount(ah, "Ah"),
            amount(volts, "V"),
            amount(wh, "Wh")
        );
        let reading = self.by_energy(wh, one, basis);
        let converted = reading.capacity_ah.filter(|it| (it - ah).abs() > 1e-9 * ah);
        let words = match converted {
            Some(kept) => format!("{words}, {} of the pack", amount(kept, "Ah")),
            None => words,
        };
        let plain = reading.capacity_ah.is_some() && converted.is_none();
        CapacityReading {
            note: (!plain).then(|| render(&words, &Habits::si()).into_owned()),
            words: words.into(),
            ..reading
        }
    }

    /// Ah that name no volts.
    fn bare(&self, ah: f64, one: &Amount, basis: Basis) -> Capacity {
        let cell = || self.by_charge(ah, self.cell_v, one, basis, " of a cell");
        match self.pack_v {
            // What is counted in mAh and in pieces is cells: their energy is the same in a row and
            // side by side.
            _ if one.count > 1.0 && one.unit == "mAh" => only(cell()),
            Some(volts) if one.count > 1.0 => Capacity {
                readings: vec![
                    self.by_charge(ah, volts, one, basis, ", side by side"),
                    self.by_charge(ah / one.count, volts, &one.each(), basis, ", in a row"),
                ],
                question: Some(SEVERAL.into()),
            },
            // A bank's label counts at the bank's own voltage; mAh are counted at a cell.
            Some(volts) if one.unit != "mAh" || one.value < PACK_MAH => {
                only(self.by_charge(ah, volts, one, basis, ""))
            }
            Some(volts) => doubtful(vec![
                self.by_charge(ah, volts, one, basis, " of the pack"),
                cell(),
            ]),
            None => {
                let more = self
                    .outlets
                    .iter()
                    .filter(|it| (**it - self.cell_v).abs() > 0.1);
                let more = more.map(|it| self.by_charge(ah, *it, one, basis, " of an outlet"));
                doubtful(std::iter::once(cell()).chain(more).collect())
            }
        }
    }
}

const SEVERAL: &str = "Side by side their ampere-hours add up; in a row their volts do, and the \
    ampere-hours stay those of one. Choose how they are joined.";

fn only(reading: CapacityReading) -> Capacity {
    Capacity {
        readings: vec![reading],
        question: None,
    }
}

fn doubtful(readings: Vec<CapacityReading>) -> Capacity {
    if readings.len() == 1 {
        return Capacity {
            readings,
            question: None,
        };
    }
    let question = "Ampere-hours say nothing without their volts. Packs with USB outlets are \
        counted at one cell; look for Wh on the label, and choose.";
    Capacity {
        readings,
        question: Some(question.into()),
    }
}
