//! Planning figures for leads: ampacity, standard areas and standard fuses.
//!
//! Planning values for single leads in free air, told as such; local codes rule.

use crate::network::area;
use crate::plan::{Cable, Material};
use crate::quantity::Celsius;

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
/// Aluminium carries this share of what copper does.
const ALUMINIUM: f64 = 0.78;
/// Ratings of fuses that can be had, A.
const FUSES: [f64; 22] = [
    1.0, 2.0, 3.0, 4.0, 5.0, 7.5, 10.0, 15.0, 20.0, 25.0, 30.0, 40.0, 50.0, 60.0, 80.0, 100.0, 125.0, 150.0, 200.0,
    250.0, 300.0, 400.0,
];

/// Current that is planned for a cross-section in mm² (above 0), A: that of the next smaller
/// standard size. Below the smallest size it falls with the area, above the largest it stays.
///
/// ```
/// use ash_pond_core::{limits::planned_amps, plan::Material};
/// assert_eq!(planned_amps(Material::Copper, 1.5), 15.0);
/// assert_eq!(planned_amps(Material::Copper, 2.4), 15.0);
/// assert_eq!(planned_amps(Material::Aluminium, 10.0), 46.0 * 0.78);
/// assert_eq!(planned_amps(Material::Copper, 0.25), 1.5);
/// ```
pub fn planned_amps(material: Material, area_mm2: f64) -> f64 {
    // A hair of slack, so that a gauge computed to be just a standard size counts as it.
    let fits = AMPACITY.iter().rev().find(|(size, _)| *size <= area_mm2 * (1.0 + 1e-9));
    let (smallest, least) = AMPACITY[0];
    let copper = fits.map_or(least * area_mm2 / smallest, |(_, amps)| *amps);
    match material {
        Material::Copper => copper,
        Material::Aluminium => copper * ALUMINIUM,
    }
}

/// The share of its planned current that a lead carries in the heat: √((70 − T)/40) above 30 °C, for insulation that
/// bears 70 °C (the law behind the correction factors of IEC 60364-5-52). Never below a twentieth.
///
/// ```
/// use ash_pond_core::{limits::in_heat, quantity::Celsius};
/// assert_eq!(in_heat(Celsius(30.0)), 1.0);
/// assert!((in_heat(Celsius(55.0)) - 0.612).abs() < 1e-3);
/// ```
pub fn in_heat(ambient: Celsius) -> f64 {
    if ambient.0 <= 30.0 { 1.0 } else { ((70.0 - ambient.0).max(0.0) / 40.0).sqrt().max(0.05) }
}

/// Planning ampacity of a cable in air of so many °C, A; `None` for one that states no area.
pub fn ampacity(cable: &Cable, ambient: Celsius) -> Option<f64> {
    let material = cable.material.unwrap_or(Material::Copper);
    area(cable).filter(|it| it.0 > 0.0).map(|it| planned_amps(material, it.0) * in_heat(ambient))
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
/// use ash_pond_core::limits::next_fuse;
/// assert_eq!(next_fuse(5.1), Some(7.5));
/// assert_eq!(next_fuse(10.0), Some(10.0));
/// assert_eq!(next_fuse(500.0), None);
/// ```
pub fn next_fuse(amps: f64) -> Option<f64> {
    FUSES.into_iter().find(|rating| *rating >= amps * (1.0 - 1e-9))
}

/// The largest standard fuse of at most `amps`, A; `None` below the smallest.
pub(super) fn largest_fuse(amps: f64) -> Option<f64> {
    FUSES.into_iter().rev().find(|rating| *rating <= amps * (1.0 + 1e-9))
}
