//! Battery chemistries: resting voltage, cold, rate and habits, as shipped data.

use std::sync::LazyLock;

/// One chemistry. Curves are linear between their points and flat outside.
#[derive(Debug, Clone, PartialEq)]
pub struct Chemistry {
    /// Its id in the plan file.
    pub id: String,
    /// What it is called.
    pub label: String,
    /// Its family: `lithium` or `lead`.
    pub family: String,
    /// Volts per cell at the terminals while it is charged, at 25 °C.
    pub charge_v: f64,
    /// Volts per cell while it is kept full; none where it is not to be.
    pub float_v: Option<f64>,
    /// Volts per cell while it is equalised; none where that must not be done.
    pub equalise_v: Option<f64>,
    /// The charge from which on it takes less and less, 0 to 1.
    pub taper_from: f64,
    /// How long it lasts by the calendar, years.
    pub life_years: f64,
    /// Nominal volts per cell.
    pub cell_nominal_v: f64,
    /// State of charge to resting volts per cell.
    pub ocv: Vec<(f64, f64)>,
    /// Temperature in °C to share of the rated capacity.
    pub capacity_at: Vec<(f64, f64)>,
    /// Peukert's exponent, 1 or more; applies above the rated current only.
    pub peukert: f64,
    /// Hours over which capacities of this chemistry are usually rated.
    pub rated_hours: f64,
    /// Stored over charged, 0 to 1.
    pub charge_efficiency: f64,
    /// Coldest temperature at which it may be charged, °C.
    pub charge_min_c: f64,
    /// State of charge at which it is spared by habit.
    pub floor_soc: f64,
    /// Share of its charge that it loses in a month by itself, at 20 to 25 °C.
    pub self_discharge_per_month: f64,
    /// Depth of discharge (0 to 1) to how often it bears that before it is worn out.
    pub cycles: Vec<(f64, f64)>,
    /// What a cell stands while it is filled.
    pub bears: Bears,
}

/// What a cell stands while it is filled, V at 25 °C, as is usual for the chemistry; the battery's
/// maker has the last word.
#[derive(Debug, Clone, Copy, PartialEq, serde::Deserialize)]
pub struct Bears {
    /// While it is charged, from and to.
    pub charge: (f64, f64),
    /// On float, from and to.
    pub float: (f64, f64),
    /// In an equalising step at most; none where it does not stand any.
    pub equalise: Option<f64>,
    /// What both move by for each kelvin above 25 °C, V (IEC 60896 practice).
    #[serde(default)]
    pub charge_per_k: f64,
    /// The same on float.
    #[serde(default)]
    pub float_per_k: f64,
}

impl Chemistry {
    /// Resting volts per cell at a state of charge of 0 to 1.
    pub fn cell_v(&self, soc: f64) -> f64 {
        interpolate(&self.ocv, soc)
    }

    /// State of charge, 0 to 1, at a resting voltage per cell: [`Chemistry::cell_v`] the other way
    /// round.
    pub fn soc_at(&self, cell_v: f64) -> f64 {
        let turned: Vec<(f64, f64)> = self.ocv.iter().map(|(soc, volts)| (*volts, *soc)).collect();
        interpolate(&turned, cell_v)
    }

    /// Whether it is a lead battery, whose charging voltage goes with its temperature.
    pub fn is_lead(&self) -> bool {
        self.family == "lead"
    }

    /// How much less of its full acceptance it takes at a charge of 0 to 1: all of it up to
    /// `taper_from`, a tenth when full, on a straight line between.
    pub fn taper(&self, soc: f64) -> f64 {
        let from = self.taper_from;
        if soc <= from {
            1.0
        } else {
            1.0 - 0.9 * ((soc - from) / (1.0 - from)).min(1.0)
        }
    }

    /// What is added to the charging voltage of a cell at a temperature in °C: 4 mV less for each
    /// kelvin above 25 °C for lead (IEC 61056-1 and makers' usual figure), nothing for lithium.
    pub fn charge_offset_v(&self, celsius: f64) -> f64 {
        self.bears.charge_per_k * (celsius - 25.0)
    }

    /// Share of the rated capacity at a temperature in °C.
    pub fn capacity_share(&self, celsius: f64) -> f64 {
        interpolate(&self.capacity_at, celsius)
    }
}

impl Chemistry {
    /// How often it bears a discharge of a depth of 0 to 1 before it is worn out: linear on the
    /// logarithms between the points of its curve, and on the first slope below them; endless for
    /// none.
    pub fn cycles_at(&self, depth: f64) -> f64 {
        cycles_at(&self.cycles, depth)
    }
}

/// Cycles of a depth of 0 to 1 by points of depth and cycles, two or more and the shallowest first,
/// as [`Chemistry::cycles_at`].
pub(crate) fn cycles_at(points: &[(f64, f64)], depth: f64) -> f64 {
    if depth <= 0.0 || points.len() < 2 {
        return f64::INFINITY;
    }
    let logs: Vec<(f64, f64)> = points.iter().map(|it| (it.0.ln(), it.1.ln())).collect();
    let x = depth.min(1.0).ln();
    let after = logs.partition_point(|it| it.0 < x).clamp(1, logs.len() - 1);
    let ((x0, y0), (x1, y1)) = (logs[after - 1], logs[after]);
    (y0 + (y1 - y0) * (x - x0) / (x1 - x0)).exp()
}

/// Linear between points sorted by their first part, flat outside.
///
/// ```
/// use ash_pond_core::site::chemistry::interpolate;
/// let line = [(0.0, 1.0), (1.0, 3.0)];
/// assert_eq!(interpolate(&line, 0.25), 1.5);
/// assert_eq!(interpolate(&line, 9.0), 3.0);
/// ```
pub fn interpolate(points: &[(f64, f64)], x: f64) -> f64 {
    let after = points.partition_point(|point| point.0 <= x);
    match (after.checked_sub(1).map(|i| points[i]), points.get(after)) {
        (Some((x0, y0)), Some(&(x1, y1))) => y0 + (y1 - y0) * (x - x0) / (x1 - x0),
        (Some((_, y)), None) | (None, Some(&(_, y))) => y,
        (None, None) => 0.0,
    }
}

/// Every chemistry that ships.
pub fn all() -> &'static [Chemistry] {
    &SHIPPED
}

/// The chemistry of this id.
pub fn find(id: &str) -> Option<&'static Chemistry> {
    SHIPPED.iter().find(|it| it.id == id)
}

/// What a cell of a chemistry stands, by its id; none where nobody knows it.
///
/// ```
/// use ash_pond_core::site::chemistry::bears;
/// assert_eq!(bears("lfp").unwrap().charge, (3.45, 3.65));
/// assert!(bears("agm").unwrap().equalise.is_none());
/// ```
pub fn bears(chemistry: &str) -> Option<Bears> {
    find(chemistry).map(|it| it.bears)
}

static SHIPPED: LazyLock<Vec<Chemistry>> = LazyLock::new(|| {
    let file: File = serde_json::from_str(include_str!("../../data/chemistries.json"))
        .expect("shipped data reads");
    file.chemistries
        .into_iter()
        .map(|(id, it)| Chemistry {
            id,
            label: it.label,
            family: it.family,
            charge_v: it.charge_v,
            float_v: it.float_v,
            equalise_v: it.equalise_v,
            taper_from: it.taper_from,
            life_years: it.life_years,
            cell_nominal_v: it.cell_nominal_v,
            ocv: it.ocv,
            capacity_at: it.capacity_at,
            peukert: it.peukert,
            rated_hours: it.rated_hours,
            charge_efficiency: it.charge_efficiency,
            charge_min_c: it.charge_min_c,
            floor_soc: it.floor_soc,
            self_discharge_per_month: it.self_discharge_per_month,
            cycles: it.cycles,
            bears: it.bears,
        })
        .collect()
});

#[derive(serde::Deserialize)]
struct File {
    chemistries: std::collections::BTreeMap<String, Shipped>,
}

#[derive(serde::Deserialize)]
struct Shipped {
    label: String,
    family: String,
    charge_v: f64,
    float_v: Option<f64>,
    equalise_v: Option<f64>,
    taper_from: f64,
    life_years: f64,
    cell_nominal_v: f64,
    ocv: Vec<(f64, f64)>,
    capacity_at: Vec<(f64, f64)>,
    peukert: f64,
    rated_hours: f64,
    charge_efficiency: f64,
    charge_min_c: f64,
    floor_soc: f64,
    self_discharge_per_month: f64,
    cycles: Vec<(f64, f64)>,
    bears: Bears,
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_shipped_curve_rises() {
        assert_eq!(all().len(), 4);
        for chemistry in all() {
            for curve in [&chemistry.ocv, &chemistry.capacity_at] {
                assert!(
                    curve
                        .windows(2)
                        .all(|pair| pair[0].0 < pair[1].0 && pair[0].1 <= pair[1].1),
                    "{}",
                    chemistry.id
                );
            }
        }
    }

    #[test]
    fn every_cell_is_charged_at_what_it_stands() {
        for it in all() {
            let bears = it.bears;
            assert!(
                (bears.charge.0..=bears.charge.1).contains(&it.charge_v),
                "{}",
                it.id
            );
            assert!(
                it.float_v
                    .is_none_or(|volts| (bears.float.0..=bears.float.1).contains(&volts)),
                "{}",
                it.id
            );
            assert!(
                it.equalise_v
                    .is_none_or(|volts| bears.equalise.is_some_and(|most| volts <= most)),
                "{}",
                it.id
            );
            assert_eq!(it.is_lead(), bears.charge_per_k < 0.0, "{}", it.id);
        }
    }

    #[test]
    fn a_cell_between_two_points_stands_between_them() {
        let lfp = find("lfp").unwrap();
        assert!((lfp.cell_v(0.42) - 3.292).abs() < 1e-12);
        assert!((lfp.cell_v(2.0) - 3.45).abs() < f64::EPSILON);
    }
}
