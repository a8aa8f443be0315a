//! Time and current: how long a fuse carries more than its rating, and how a lead warms.

use super::verdict::{Lasts, Levels, Status, Verdict};
use std::sync::LazyLock;

/// ISO 8820-3, blade fuses: at so many times the rating a fuse carries it for the first time at
/// least and for the second at most, s.
const FUSE: [(f64, f64, f64); 4] = [
    (1.35, 0.75, 600.0),
    (1.6, 0.25, 50.0),
    (2.0, 0.15, 5.0),
    (3.5, 0.04, 0.5),
];
/// Steps of the times over which the most that a fuse may take is told, as multiples of the one
/// before.
const STEP: f64 = 1.02;
/// Above so many times its rating a fuse is only known to open at once.
const FUSE_AT_ONCE: f64 = 20.0;
/// The time constant of a lead of 1.5 mm², s, and the power of its area by which it grows, so that
/// it is 180 s at 2.5 mm².
const LEAD_TAU: (f64, f64, f64) = (120.0, 1.5, 0.794);

/// The least and the most time for which a fuse carries so many times its rating, s.
///
/// `times` is current over rating, above 1. Between the points of ISO 8820-3 both are straight on
/// logarithms; below the first they are those of the first, beyond the last the heat of I²·t stays.
///
/// ```
/// use ash_pond_core::limits::fuse_times;
/// assert_eq!(fuse_times(2.0), (0.15, 5.0));
/// assert_eq!(fuse_times(1.2), (0.75, 600.0));
/// let (least, most) = fuse_times(7.0);
/// assert!((least - 0.01).abs() < 1e-9 && (most - 0.125).abs() < 1e-9);
/// ```
pub fn fuse_times(times: f64) -> (f64, f64) {
    let (first, last) = (FUSE[0], FUSE[FUSE.len() - 1]);
    if times <= first.0 {
        return (first.1, first.2);
    }
    if times >= last.0 {
        let heat = (last.0 / times).powi(2);
        return (last.1 * heat, last.2 * heat);
    }
    let pair = FUSE
        .windows(2)
        .find(|pair| times <= pair[1].0)
        .unwrap_or(&FUSE[..2]);
    let part = (times / pair[0].0).ln() / (pair[1].0 / pair[0].0).ln();
    let between = |one: f64, other: f64| one * (other / one).powf(part);
    (between(pair[0].1, pair[1].1), between(pair[0].2, pair[1].2))
}

/// A fuse as what switches off: its rating for ever, and the most time that it may take above it,
/// step by step. One value is judged by the same steps everywhere, so that what is said to open
/// opens.
pub(super) fn fuse_levels(rating: f64) -> Levels {
    let at = |(times, seconds): &(f64, f64)| (rating * times, Some(*seconds));
    Levels {
        continuous: rating,
        overload: FUSE_STEPS.iter().map(at).collect(),
    }
}

/// So many times the rating, and the most time that a fuse may take there, s.
static FUSE_STEPS: LazyLock<Vec<(f64, f64)>> = LazyLock::new(|| {
    std::iter::successors(Some(FUSE[0].0), |it| Some(it * STEP))
        .take_while(|it| *it < FUSE_AT_ONCE)
        .map(|it| (it, fuse_times(it).1))
        .collect()
});

/// Judges a current through a fuse: over its rating for the whole of a phase it holds within the
/// least time, may open or not up to the most, and opens beyond.
pub(super) fn fuse(value: f64, lasts: Lasts, rating: f64, tight_from: f64) -> Verdict {
    let within = |share: f64| value <= rating * share * (1.0 + 1e-9);
    let plain = |status| Verdict {
        status,
        allowed_s: None,
    };
    if within(tight_from) {
        return plain(Status::Holds);
    }
    if within(1.0) {
        return plain(Status::Tight);
    }
    let (least, most) = (
        fuse_times(value / rating).0,
        fuse_levels(rating).carried_s(value),
    );
    match lasts {
        Lasts::Seconds(seconds) if seconds <= least => Verdict {
            status: Status::Brief,
            allowed_s: Some(least),
        },
        Lasts::Seconds(seconds) if seconds <= most => Verdict {
            status: Status::Unproven,
            allowed_s: Some(most),
        },
        // How long it lasts decides, and nobody knows.
        Lasts::Unknown => plain(Status::Unproven),
        _ => Verdict {
            status: Status::Trips,
            allowed_s: Some(most),
        },
    }
}

/// The time constant with which a lead of so many mm² (above 0) warms, s.
pub(super) fn lead_tau(area_mm2: f64) -> f64 {
    LEAD_TAU.0 * (area_mm2 / LEAD_TAU.1).powf(LEAD_TAU.2)
}

/// For how long a lead carries `times` what is planned for it until it is as warm as that would
/// make it for good, s, where it was as warm as `before` of that current makes it: τ·ln((x² − b²) /
/// (x² − 1)). Endless up to 1.
///
/// ```
/// use ash_pond_core::limits::lead_carries_s;
/// // From cold, twice the current is carried for τ·ln(4/3).
/// assert!((lead_carries_s(2.0, 0.0, 120.0) - 34.52).abs() < 0.01);
/// assert_eq!(lead_carries_s(1.0, 0.8, 120.0), f64::INFINITY);
/// ```
pub fn lead_carries_s(times: f64, before: f64, tau_s: f64) -> f64 {
    if times <= 1.0 + 1e-9 {
        return f64::INFINITY;
    }
    let heat = times * times;
    tau_s * ((heat - before * before) / (heat - 1.0)).ln()
}

/// Judges a current in a lead: over what is planned for it, it is carried as long as it stays no
/// warmer than planned. It is taken to be as warm before as a current makes it that holds.
pub(super) fn lead(value: f64, lasts: Lasts, limit: f64, tight_from: f64, tau_s: f64) -> Verdict {
    let times = value / limit;
    let plain = |status| Verdict {
        status,
        allowed_s: None,
    };
    if times <= tight_from * (1.0 + 1e-9) {
        return plain(Status::Holds);
    }
    if times <= 1.0 + 1e-9 {
        return plain(Status::Tight);
    }
    let allowed = lead_carries_s(times, tight_from.min(1.0), tau_s);
    match lasts {
        Lasts::Seconds(seconds) if seconds <= allowed => Verdict {
            status: Status::Brief,
            allowed_s: Some(allowed),
        },
        Lasts::Unknown if times <= FOR_A_WHILE => Verdict {
            status: Status::Unproven,
            allowed_s: Some(allowed),
        },
        _ => Verdict {
            status: Status::Trips,
            allowed_s: Some(allowed),
        },
    }
}

/// What a lead carries for a time that nobody stated, as a multiple of what is planned for it (IEC
/// 60364-4-43).
const FOR_A_WHILE: f64 = 1.45;

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_fuse_holds_may_open_and_opens_by_its_band() {
        let judged = |amps: f64, seconds: f64| fuse(amps, Lasts::Seconds(seconds), 5.0, 0.8).status;
        // 12.2 A are 2.44 times 5 A: between 0.15 and 0.04 s at the least, and 5 and 0.5 s at the
        // most.
        assert_eq!(judged(12.2, 0.05), Status::Brief);
        assert_eq!(judged(12.2, 0.3), Status::Unproven);
        assert_eq!(judged(12.2, 6.0), Status::Trips);
        assert_eq!(judged(6.75, 0.7), Status::Brief);
        assert_eq!(judged(6.75, 599.0), Status::Unproven);
        assert_eq!(judged(6.75, 601.0), Status::Trips);
        assert_eq!(judged(4.0, 1e6), Status::Holds);
        assert_eq!(judged(5.0, 1e6), Status::Tight);
        assert_eq!(fuse(5.1, Lasts::ForEver, 5.0, 0.8).status, Status::Trips);
        assert_eq!(fuse(9.0, Lasts::Unknown, 5.0, 0.8).status, Status::Unproven);
        assert_eq!(
            fuse(60.0, Lasts::Unknown, 5.0, 0.8).status,
            Status::Unproven
        );
    }

    #[test]
    fn more_current_is_never_carried_longer_and_the_steps_are_never_laxer_than_the_band() {
        let levels = fuse_levels(10.0);
        let mut before = (f64::INFINITY, f64::INFINITY);
        for tenth in 101..1990 {
            let amps = f64::from(tenth) / 10.0;
            let (least, most) = fuse_times(amps / 10.0);
            let stepped = levels.carried_s(amps);
            assert!(least <= before.0 && stepped <= before.1, "{amps} A");
            assert!(
                stepped <= most * (1.0 + 1e-9) && least < most,
                "{amps} A: {stepped} s and {most} s"
            );
            before = (least, stepped);
        }
    }

    #[test]
    fn a_thicker_lead_never_gives_way_earlier() {
        // 20 A in 1.5 mm² (15 A): 120·ln((1.778 − 0.64) / 0.778) = 45.6 s.
        let allowed = lead(20.0, Lasts::Seconds(40.0), 15.0, 0.8, lead_tau(1.5));
        assert_eq!(allowed.status, Status::Brief);
        assert!(
            (allowed.allowed_s.unwrap() - 45.65).abs() < 0.05,
            "{allowed:?}"
        );
        assert_eq!(
            lead(20.0, Lasts::Seconds(50.0), 15.0, 0.8, lead_tau(1.5)).status,
            Status::Trips
        );
        assert!((lead_tau(2.5) - 180.0).abs() < 0.2);
        let mut before = 0.0;
        for (area, amps) in [
            (0.5, 3.0),
            (0.75, 6.0),
            (1.0, 10.0),
            (1.5, 15.0),
            (2.5, 20.0),
            (4.0, 27.0),
            (6.0, 34.0),
        ] {
            let carries = lead_carries_s(40.0 / amps, 0.8, lead_tau(area));
            assert!(carries >= before, "{area} mm²");
            before = carries;
        }
    }
}
