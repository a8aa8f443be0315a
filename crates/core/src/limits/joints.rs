//! How warm the contacts of a lead get: by the volts that each of them loses.
//!
//! The hottest spot of a contact is told by its voltage alone, whatever it is made of and however
//! large it is: T² = T₀² + V²/(4·L), with L = 2.44·10⁻⁸ V²/K² (Kohlrausch's relation with the law
//! of Wiedemann and Franz; Holm, Electric Contacts, 4th edition, §§ 12 and 13). At 70 mV, 95 °C in
//! air of 20 °C, tin softens; the skin of a lug or a clamp gives way, and its resistance grows. How
//! warm the clamp as a whole becomes nobody can tell from its ohms: that is felt after an hour.

/// Lorenz's number, V²/K².
const LORENZ: f64 = 2.44e-8;
/// The voltage of a contact at which tin softens, V (Holm).
const SOFTENS_V: f64 = 0.07;
/// 0 °C, K.
const ZERO_C: f64 = 273.15;

/// What the contacts of a lead carry.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Joints {
    /// Whichever of them has what is more than sound ones have, A.
    pub(super) sure_a: f64,
    /// Where all of them share it, A.
    pub(super) most_a: f64,
}

impl Joints {
    /// Of contacts of `ohms` (above 0) together, of which sound ones have `sound_ohms`; `count` of
    /// them.
    pub(super) fn of(ohms: f64, sound_ohms: f64, count: f64) -> Self {
        let each = ohms / count;
        Self {
            sure_a: SOFTENS_V / each.max(ohms - sound_ohms),
            most_a: SOFTENS_V / each,
        }
    }
}

/// How warm the hottest spot of a contact gets in air of so many °C by the volts that it loses, °C.
///
/// ```
/// use ash_pond_core::limits::contact_spot_c;
/// assert!((contact_spot_c(20.0, 0.07) - 95.8).abs() < 0.1);
/// assert_eq!(contact_spot_c(20.0, 0.0), 20.0);
/// ```
pub fn contact_spot_c(ambient_c: f64, volts: f64) -> f64 {
    (ambient_c + ZERO_C).hypot(volts / (2.0 * LORENZ.sqrt())) - ZERO_C
}

/// The same of a contact that loses so many times the volts at which tin softens.
pub(super) fn spot_c(ambient_c: f64, times: f64) -> f64 {
    contact_spot_c(ambient_c, SOFTENS_V * times)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sound_contacts_share_and_a_bad_one_stands_alone() {
        // Four crimps of 0.5 mΩ: each may lose 70 mV, 140 A.
        let sound = Joints::of(0.002, 0.002, 4.0);
        assert!(
            (sound.sure_a - 140.0).abs() < 1e-9 && (sound.most_a - 140.0).abs() < 1e-9,
            "{sound:?}"
        );
        // 10 mΩ more: 7 A if one of them has it, 23 A if all share it.
        let bad = Joints::of(0.012, 0.002, 4.0);
        assert!(
            (bad.sure_a - 7.0).abs() < 1e-9 && (bad.most_a - 0.28 / 0.012).abs() < 1e-9,
            "{bad:?}"
        );
    }

    #[test]
    fn more_ohms_never_carry_more() {
        let mut before = (f64::INFINITY, f64::INFINITY);
        for tenth in 1..1000 {
            let it = Joints::of(f64::from(tenth) * 1e-4, 0.0251, 9.0);
            assert!(
                it.sure_a <= before.0 && it.most_a <= before.1 && it.sure_a <= it.most_a,
                "{tenth}: {it:?}"
            );
            before = (it.sure_a, it.most_a);
        }
    }
}
