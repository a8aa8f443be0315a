//! Resistance of a lead.

use crate::plan::{Cable, Material};
use crate::quantity::{Celsius, Ohms, SquareMillimetres, gauge_area};

impl Material {
    /// Resistivity at 20 °C, Ω·mm²/m (annealed copper after IEC 60028; EC-grade aluminium).
    pub fn resistivity(self) -> f64 {
        match self {
            Self::Copper => 0.017_241,
            Self::Aluminium => 0.028_264,
        }
    }

    /// Change of resistivity per kelvin from 20 °C.
    pub fn per_kelvin(self) -> f64 {
        match self {
            Self::Copper => 0.003_93,
            Self::Aluminium => 0.004_03,
        }
    }
}

/// Cross-section of a cable, mm²; `None` for one of no length that states none.
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

/// Resistance of the whole lead with its contacts, Ω; 0 without a cable.
pub fn resistance(cable: Option<&Cable>, ambient: Celsius) -> Ohms {
    let Some(cable) = cable else { return Ohms(0.0) };
    let contacts = cable.contact_ohm.as_ref().map_or(Ohms(0.0), |it| it.value);
    let material = cable.material.unwrap_or(Material::Copper);
    let conductors = area(cable).map_or(Ohms(0.0), |it| conductor_ohms(material, cable.length_m.get(), it.0, ambient));
    contacts + conductors
}
