//! Where two curves meet, found without a formula: every crossing, tangent and jump in a range.

/// How two curves meet.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) enum Meets {
    /// The one that was lower is the higher one afterwards.
    Crosses,
    /// They touch, and the lower one stays the lower one.
    Touches,
    /// They change places at a step, without being equal anywhere.
    Jumps,
}

/// Steps in which a range is looked through before anything is refined.
pub(super) const STEPS: usize = 96;
/// Relative width to which a meeting is found.
const FINE: f64 = 1e-13;
/// A difference of less than this share of the curves' size is none.
const NONE: f64 = 1e-9;

/// Finds where `difference` is zero between `from` and `to` (`from` below `to`); `size` is how
/// large the curves are there, and a point without a value has none. Looks at [`STEPS`] steps: what
/// happens twice within one step and leaves no trace at its ends or in its least difference is not
/// found.
pub(super) fn meetings(
    samples: &[(f64, Option<f64>)],
    size: f64,
    difference: &mut dyn FnMut(f64) -> Option<f64>,
) -> Vec<(f64, Meets)> {
    let none = NONE * size.max(f64::MIN_POSITIVE);
    let mut found: Vec<(f64, Meets)> = Vec::new();
    if samples
        .iter()
        .all(|it| it.1.is_none_or(|it| it.abs() <= none))
    {
        // They are the same throughout: they meet nowhere in particular.
        return found;
    }
    let known: Vec<(f64, f64)> = samples
        .iter()
        .filter_map(|it| Some((it.0, it.1?)))
        .collect();
    for pair in known.windows(2) {
        let ((a, fa), (b, fb)) = (pair[0], pair[1]);
        if fa.abs() > none && fb.abs() > none && (fa > 0.0) != (fb > 0.0) {
            found.extend(crossing((a, fa), (b, fb), none, difference));
        }
    }
    for three in known.windows(3) {
        let [(a, fa), (m, fm), (b, fb)] = [three[0], three[1], three[2]];
        if fm.abs() <= none {
            let crosses = fa.abs() > none && fb.abs() > none && (fa > 0.0) != (fb > 0.0);
            found.push((
                m,
                if crosses {
                    Meets::Crosses
                } else {
                    Meets::Touches
                },
            ));
        } else if (fa > 0.0) == (fm > 0.0)
            && (fb > 0.0) == (fm > 0.0)
            && fm.abs() <= fa.abs()
            && fm.abs() <= fb.abs()
        {
            // The least difference nearby may be none at all, or hide a pair of crossings.
            let (x, fx) = least(a, b, fm.signum(), difference).unwrap_or((m, fm));
            if fx.abs() <= none {
                found.push((x, Meets::Touches));
            } else if (fx > 0.0) != (fm > 0.0) {
                found.extend(crossing((a, fa), (x, fx), none, difference));
                found.extend(crossing((x, fx), (b, fb), none, difference));
            }
        }
    }
    found.sort_by(|a, b| a.0.total_cmp(&b.0));
    let apart = samples.last().map_or(0.0, |it| it.0.abs()) * 1e-9;
    found.dedup_by(|a, b| (a.0 - b.0).abs() <= apart);
    found
}

/// The crossing between two points of unlike sign, by bisection with the secant's help (Illinois).
fn crossing(
    (mut a, mut fa): (f64, f64),
    (mut b, mut fb): (f64, f64),
    none: f64,
    difference: &mut dyn FnMut(f64) -> Option<f64>,
) -> Option<(f64, Meets)> {
    for round in 0..200 {
        if (b - a).abs() <= FINE * a.abs().max(b.abs()) {
            break;
        }
        let secant = b - fb * (b - a) / (fb - fa);
        // Every third step halves, so that a step in the curve cannot hold the secant back.
        let x = if round % 3 == 2 || !(a < secant && secant < b) {
            f64::midpoint(a, b)
        } else {
            secant
        };
        let fx = difference(x)?;
        if fx == 0.0 {
            return Some((x, Meets::Crosses));
        }
        if (fx > 0.0) == (fa > 0.0) {
            (a, fa) = (x, fx);
        } else {
            (b, fb) = (x, fx);
        }
    }
    let meets = if fa.abs().min(fb.abs()) <= none {
        Meets::Crosses
    } else {
        Meets::Jumps
    };
    Some((f64::midpoint(a, b), meets))
}

/// The least of `sign · difference` between two points, by golden sections.
fn least(
    mut a: f64,
    mut b: f64,
    sign: f64,
    difference: &mut dyn FnMut(f64) -> Option<f64>,
) -> Option<(f64, f64)> {
    const GOLDEN: f64 = 0.618_033_988_749_894_9;
    let (mut x, mut y) = (b - GOLDEN * (b - a), a + GOLDEN * (b - a));
    let (mut fx, mut fy) = (sign * difference(x)?, sign * difference(y)?);
    for _ in 0..60 {
        if fx < 0.0 || fy < 0.0 {
            break;
        }
        if fx < fy {
            (b, y, fy) = (y, x, fx);
            x = b - GOLDEN * (b - a);
            fx = sign * difference(x)?;
        } else {
            (a, x, fx) = (x, y, fy);
            y = a + GOLDEN * (b - a);
            fy = sign * difference(y)?;
        }
    }
    Some(if fx < fy {
        (x, sign * fx)
    } else {
        (y, sign * fy)
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    fn meet(from: f64, to: f64, f: impl Fn(f64) -> Option<f64>) -> Vec<(f64, Meets)> {
        let at = |step: usize| from + (to - from) * step as f64 / STEPS as f64;
        let samples: Vec<_> = (0..=STEPS).map(|step| (at(step), f(at(step)))).collect();
        meetings(&samples, 1.0, &mut |x| f(x))
    }

    #[test]
    fn every_crossing_of_a_curve_is_found() {
        let found = meet(0.1, 10.0, |x| Some(x.sin()));
        let expected = [
            std::f64::consts::PI,
            2.0 * std::f64::consts::PI,
            3.0 * std::f64::consts::PI,
        ];
        assert_eq!(found.len(), 3);
        for ((x, meets), want) in found.iter().zip(expected) {
            assert!((x - want).abs() < 1e-9 && *meets == Meets::Crosses);
        }
    }

    #[test]
    fn a_tangent_is_told_from_a_crossing() {
        let found = meet(0.0, 10.0, |x| Some((x - 4.321).powi(2)));
        assert_eq!(found.len(), 1);
        assert!((found[0].0 - 4.321).abs() < 1e-3 && found[0].1 == Meets::Touches);
    }

    #[test]
    fn two_crossings_within_one_step_are_both_found() {
        let found = meet(0.0, 10.0, |x| Some((x - 5.02).powi(2) - 1e-4));
        assert_eq!(
            found.iter().filter(|it| it.1 == Meets::Crosses).count(),
            2,
            "{found:?}"
        );
        assert!((found[0].0 - 5.01).abs() < 1e-6 && (found[1].0 - 5.03).abs() < 1e-6);
    }

    #[test]
    fn a_step_is_a_jump_and_the_same_is_nothing() {
        let found = meet(0.0, 10.0, |x| Some(if x < 3.3 { -1.0 } else { 1.0 }));
        assert_eq!((found.len(), found[0].1), (1, Meets::Jumps));
        assert!((found[0].0 - 3.3).abs() < 1e-9);
        assert!(meet(0.0, 10.0, |_| Some(0.0)).is_empty());
        assert!(meet(0.0, 10.0, |_| None).is_empty());
    }
}
