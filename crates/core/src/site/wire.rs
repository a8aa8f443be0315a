//! Leads: what resistance they have, what is planned for them, standard areas and standard fuses.
//!
//! Planning values for single leads in free air, told as such; local codes rule.

use crate::ground::figure::Figure;
use crate::ground::quantity::{Celsius, Ohms, SquareMillimetres, gauge_area};
use crate::site::plan::{Cable, Material, Strand};

/// Cross-section of copper in mm², and the current in A that is planned for it.
const AMPACITY: [(f64, f64); 15] = [
    (0.5, 3.0),
    (0.75, 6.0),
    (1.0, 10.0),
    (1.5, 15.0),
    (2.5, 20.0),
    (4.0, 27.0),
    (6.0, 34.0),
    (10.0, 46.0),
    (16.0, 62.0),
    (25.0, 80.0),
    (35.0, 99.0),
    (50.0, 119.0),
    (70.0, 149.0),
    (95.0, 179.0),
    (120.0, 206.0),
];
/// Aluminium, also with a skin of copper, carries this share of what copper does.
const ALUMINIUM: f64 = 0.78;
/// A conductor that carries what is planned for it is warmer than the air by so many kelvins (70 °C
/// in 30 °C).
const RISE_K: f64 = 40.0;
/// What leads carry that lie together, of what one carries alone: two, three, more (after IEC
/// 60364-5-52).
const BUNDLED: [f64; 3] = [0.8, 0.7, 0.65];
/// Resistance of a metre of a pair of a data cable, there and back, Ω at 20 °C: 12.5 Ω for 100 m
/// over two pairs (IEEE 802.3).
const PAIR_OHM_PER_M: f64 = 0.25;
/// What is planned for one pair of a data cable, A: 0.6 A over two (IEEE 802.3, type 2).
const PAIR_A: f64 = 0.3;
/// The cross-section of a wire of a data cable, mm²: wire gauge 24.
pub(crate) const PAIR_MM2: f64 = 0.2;
/// Aluminium leads are used from this cross-section on, mm².
pub const ALUMINIUM_FROM_MM2: f64 = 10.0;

impl Material {
    /// Resistivity at 20 °C, Ω·mm²/m (annealed copper after IEC 60028; EC-grade aluminium;
    /// copper-clad aluminium of a tenth of copper after ASTM B566).
    pub fn resistivity(self) -> f64 {
        match self {
            Self::Copper => 0.017_241,
            Self::Aluminium => 0.028_264,
            Self::CopperClad => 0.027_43,
        }
    }

    /// Change of resistivity per kelvin from 20 °C.
    pub fn per_kelvin(self) -> f64 {
        match self {
            Self::Copper => 0.003_93,
            Self::Aluminium => 0.004_03,
            Self::CopperClad => 0.004_05,
        }
    }
}

impl Strand {
    /// How much more resistance a conductor of this kind may have than its bare cross-section says
    /// (IEC 60228, tables 1 to 3: the lay of the wires, and the tolerance on their area).
    pub fn factor(self) -> f64 {
        match self {
            Self::Solid => 1.0,
            Self::Class2 => 1.07,
            Self::Class5 => 1.15,
        }
    }
}

/// Cross-section of a cable, mm²; `None` for one of no length that states none, and for pairs of a
/// data cable.
pub fn area(cable: &Cable) -> Option<SquareMillimetres> {
    let stated = cable.area_mm2.as_ref().map(|it| it.value);
    stated.or_else(|| cable.awg.as_ref().map(|it| gauge_area(it.get())))
}

/// Resistance of both conductors, without the contacts: R = 2·L·ρ20·(1 + α(T − 20))/A.
///
/// `length_m` in m, `area_mm2` in mm² (above 0), `ambient` in °C; Ω.
pub fn conductor_ohms(material: Material, length_m: f64, area_mm2: f64, ambient: Celsius) -> Ohms {
    let rho = material.resistivity() * (1.0 + material.per_kelvin() * (ambient.0 - 20.0)).max(0.0);
    Ohms(2.0 * length_m * rho / area_mm2)
}

/// A lead as what flows through it meets it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Lead {
    /// Resistance with its contacts while it is as warm as the air, Ω.
    pub ohms: f64,
    /// By how much that grows with the square of the current, Ω/A²; 0 where how it is made up is
    /// not stated.
    pub per_square_amp: f64,
    /// The current from which on it is taken to grow no more, A: what is planned for it in 30 °C.
    pub up_to_a: f64,
}

impl Lead {
    /// Resistance at a current in A, Ω.
    pub fn at(&self, amps: f64) -> f64 {
        // Above what is planned for it a lead is judged; a start is too short to warm it through.
        if self.per_square_amp > 0.0 {
            self.ohms + self.per_square_amp * amps.min(self.up_to_a).powi(2)
        } else {
            self.ohms
        }
    }
}

/// Resistance of a metre of a cable one way, both conductors, without contacts, as warm as the air,
/// Ω; `None` for one that states no size.
pub fn per_metre(cable: &Cable, ambient: Celsius) -> Option<f64> {
    let material = cable.material.unwrap_or(Material::Copper);
    let strand = cable.strand.map_or(1.0, Strand::factor);
    if let Some(pairs) = &cable.pairs {
        let warm = (1.0 + material.per_kelvin() * (ambient.0 - 20.0)).max(0.0);
        return Some(PAIR_OHM_PER_M * warm / pairs.get().max(1.0));
    }
    area(cable).map(|it| conductor_ohms(material, 1.0, it.0, ambient).0 * strand)
}

/// Resistance of the whole lead with its contacts, Ω; 0 without a cable. What its current adds is
/// told by [`lead`].
pub fn resistance(cable: Option<&Cable>, ambient: Celsius) -> Ohms {
    let Some(cable) = cable else { return Ohms(0.0) };
    let contacts = cable.contact_ohm.as_ref().map_or(Ohms(0.0), |it| it.value);
    let material = cable.material.unwrap_or(Material::Copper);
    let length = cable.length_m.get();
    let conductors = match area(cable) {
        // One product for what states no strand, so that its last bit stays.
        Some(area) => Ohms(
            conductor_ohms(material, length, area.0, ambient).0
                * cable.strand.map_or(1.0, Strand::factor),
        ),
        None => Ohms(per_metre(cable, ambient).map_or(0.0, |it| it * length)),
    };
    contacts + conductors
}

/// A lead with what its own current adds to its resistance: its conductors are at the ambient
/// temperature and 40 K·(I/Iz)², Iz what is planned for it in 30 °C; only where how it is made up
/// is stated.
///
/// ```
/// use ash_pond_core::{site::plan::{Cable, Strand}, ground::quantity::Celsius, site::wire::lead};
/// let cable = |strand| Cable { strand, ..Cable::of(10.0, 2.5) };
/// let plain = lead(Some(&cable(None)), Celsius(20.0));
/// assert!((plain.at(20.0) - 0.137_928).abs() < 1e-9);
/// // Class 5: 15 % more, and 60 °C at the 20 A that are planned for 2.5 mm².
/// let fine = lead(Some(&cable(Some(Strand::Class5))), Celsius(20.0));
/// assert!((fine.at(0.0) - 0.137_928 * 1.15).abs() < 1e-9);
/// assert!((fine.at(20.0) - 0.137_928 * 1.15 * (1.0 + 0.003_93 * 40.0)).abs() < 1e-9);
/// ```
pub fn lead(cable: Option<&Cable>, ambient: Celsius) -> Lead {
    let ohms = resistance(cable, ambient).0;
    let plain = Lead {
        ohms,
        ..Lead::default()
    };
    let Some((cable, strand)) = cable.and_then(|it| Some((it, it.strand?))) else {
        return plain;
    };
    let Some(area) = area(cable).filter(|it| it.0 > 0.0) else {
        return plain;
    };
    let material = cable.material.unwrap_or(Material::Copper);
    let up_to_a = planned_amps(material, area.0) * bundled(cable);
    let cold = 2.0 * cable.length_m.get() * material.resistivity() * strand.factor() / area.0;
    Lead {
        ohms,
        per_square_amp: cold * material.per_kelvin() * RISE_K / (up_to_a * up_to_a),
        up_to_a,
    }
}

/// What a lead carries of what is planned for it alone, by how many lie together.
pub fn bundled(cable: &Cable) -> f64 {
    match cable.bundle.as_ref().map_or(1.0, Figure::get) {
        it if it < 2.0 => 1.0,
        it if it < 3.0 => BUNDLED[0],
        it if it < 4.0 => BUNDLED[1],
        _ => BUNDLED[2],
    }
}
/// Ratings of fuses that can be had, A.
const FUSES: [f64; 22] = [
    1.0, 2.0, 3.0, 4.0, 5.0, 7.5, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0,
    125.0, 150.0, 200.0, 250.0, 300.0, 400.0,
];

/// Current that is planned for a cross-section in mm² (above 0), A: that of the next smaller
/// standard size. Below the smallest size it falls with the area, above the largest it stays.
///
/// ```
/// use ash_pond_core::{site::plan::Material, site::wire::planned_amps};
/// assert_eq!(planned_amps(Material::Copper, 1.5), 15.0);
/// assert_eq!(planned_amps(Material::Copper, 2.4), 15.0);
/// assert_eq!(planned_amps(Material::Aluminium, 10.0), 46.0 * 0.78);
/// assert_eq!(planned_amps(Material::Copper, 0.25), 1.5);
/// ```
pub fn planned_amps(material: Material, area_mm2: f64) -> f64 {
    // A hair of slack, so that a gauge computed to be just a standard size counts as it.
    let fits = AMPACITY
        .iter()
        .rev()
        .find(|(size, _)| *size <= area_mm2 * (1.0 + 1e-9));
    let (smallest, least) = AMPACITY[0];
    let copper = fits.map_or(least * area_mm2 / smallest, |(_, amps)| *amps);
    match material {
        Material::Copper => copper,
        Material::Aluminium | Material::CopperClad => copper * ALUMINIUM,
    }
}

/// The share of its planned current that a lead carries in the heat: √((70 − T)/40) above 30 °C,
/// for insulation that bears 70 °C (the law behind the correction factors of IEC 60364-5-52). Never
/// below a twentieth.
///
/// ```
/// use ash_pond_core::{ground::quantity::Celsius, site::wire::in_heat};
/// assert_eq!(in_heat(Celsius(30.0)), 1.0);
/// assert!((in_heat(Celsius(55.0)) - 0.612).abs() < 1e-3);
/// ```
pub fn in_heat(ambient: Celsius) -> f64 {
    if ambient.0 <= 30.0 {
        1.0
    } else {
        ((70.0 - ambient.0).max(0.0) / 40.0).sqrt().max(0.05)
    }
}

/// Planning ampacity of a cable in air of so many °C, A, with what lies beside it; `None` for one
/// that states no size.
pub fn ampacity(cable: &Cable, ambient: Celsius) -> Option<f64> {
    let material = cable.material.unwrap_or(Material::Copper);
    let alone = match &cable.pairs {
        Some(pairs) => Some(PAIR_A * pairs.get()),
        None => area(cable)
            .filter(|it| it.0 > 0.0)
            .map(|it| planned_amps(material, it.0)),
    };
    alone.map(|it| it * in_heat(ambient) * bundled(cable))
}

/// The standard cross-sections, mm², rising.
pub(crate) fn areas() -> impl Iterator<Item = f64> {
    AMPACITY.iter().map(|(size, _)| *size)
}

/// The standard fuses, A, rising.
pub(crate) fn fuses() -> impl Iterator<Item = f64> {
    FUSES.into_iter()
}

/// The smallest standard fuse of at least `amps`, A; `None` beyond the largest.
///
/// ```
/// use ash_pond_core::site::wire::next_fuse;
/// assert_eq!(next_fuse(5.1), Some(7.5));
/// assert_eq!(next_fuse(10.0), Some(10.0));
/// assert_eq!(next_fuse(500.0), None);
/// ```
pub fn next_fuse(amps: f64) -> Option<f64> {
    FUSES
        .into_iter()
        .find(|rating| *rating >= amps * (1.0 - 1e-9))
}

/// The largest standard fuse of at most `amps`, A; `None` below the smallest.
pub(crate) fn largest_fuse(amps: f64) -> Option<f64> {
    FUSES
        .into_iter()
        .rev()
        .find(|rating| *rating <= amps * (1.0 + 1e-9))
}
