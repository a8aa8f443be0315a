//! One value against one limit, with time.

use crate::ground::json::words;

words!(
    /// How bad a finding is, from the best to the worst.
    Status {
        /// At most the policy's share of the continuous limit.
        Holds = "holds",
        /// Between that and the continuous limit.
        Tight = "tight",
        /// Over the continuous limit, within a timed overload for the whole of the phase.
        Brief = "brief",
        /// Covered only by an overload figure with no time, or over a time that nobody measured.
        Unproven = "unproven",
        /// Over every limit, or for too long.
        Trips = "trips",
    }
);

/// How long a value lasts.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Lasts {
    /// Without end.
    ForEver,
    /// This many seconds.
    Seconds(f64),
    /// A while that nobody stated.
    Unknown,
}

impl Lasts {
    /// The seconds, where they are known.
    pub fn seconds(self) -> Option<f64> {
        match self {
            Self::Seconds(seconds) => Some(seconds),
            Self::ForEver | Self::Unknown => None,
        }
    }
}

/// A limit: a continuous level, and levels carried for a while.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Levels {
    /// Carried for ever.
    pub continuous: f64,
    /// Carried up to a level for so many seconds, or for a time that nobody stated.
    pub overload: Vec<(f64, Option<f64>)>,
}

/// What a limit says of a value.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Verdict {
    /// How bad it is.
    pub status: Status,
    /// For how long it is carried, s, where a time limits it; 0 is: not at all.
    pub allowed_s: Option<f64>,
}

/// Judges `value` lasting `lasts` against `levels`; `tight_from` is the policy's share.
///
/// A timed overload that allows the phase wins; else an untimed one that covers the value
/// makes it unproven; else it trips. A start of unstated length that only timed overloads
/// cover is unproven too.
///
/// ```
/// use ash_pond_core::limits::{Lasts, Levels, Status, judge};
/// let socket = Levels { continuous: 8.0, overload: vec![(9.0, Some(3.0))] };
/// assert_eq!(judge(6.0, Lasts::ForEver, &socket, 0.8).status, Status::Holds);
/// let start = judge(8.5, Lasts::Seconds(150.0), &socket, 0.8);
/// assert_eq!((start.status, start.allowed_s), (Status::Trips, Some(3.0)));
/// assert_eq!(judge(9.4, Lasts::Seconds(150.0), &socket, 0.8).allowed_s, Some(0.0));
/// ```
pub fn judge(value: f64, lasts: Lasts, levels: &Levels, tight_from: f64) -> Verdict {
    // A hair of slack keeps a value that was computed to be just at its limit from tripping it.
    let within = |limit: f64| value <= limit * (1.0 + 1e-9);
    if within(levels.continuous * tight_from) {
        return Verdict {
            status: Status::Holds,
            allowed_s: None,
        };
    }
    if within(levels.continuous) {
        return Verdict {
            status: Status::Tight,
            allowed_s: None,
        };
    }
    let covering = || levels.overload.iter().filter(|(level, _)| within(*level));
    let longest = covering()
        .filter_map(|(_, seconds)| *seconds)
        .fold(0.0, f64::max);
    let untimed = covering().any(|(_, seconds)| seconds.is_none());
    match lasts {
        Lasts::Seconds(seconds) if longest >= seconds && longest > 0.0 => Verdict {
            status: Status::Brief,
            allowed_s: Some(longest),
        },
        Lasts::Unknown if longest > 0.0 => Verdict {
            status: Status::Unproven,
            allowed_s: Some(longest),
        },
        _ if untimed => Verdict {
            status: Status::Unproven,
            allowed_s: None,
        },
        _ => Verdict {
            status: Status::Trips,
            allowed_s: Some(longest),
        },
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ground::json;

    /// The shared verdicts, each met exactly.
    #[test]
    fn the_reference_verdicts_are_met() {
        let file = json::parse(include_str!("../../tests/cases/bench/verdicts.json")).unwrap();
        let number = |value: &serde_json::Value, key: &str| value[key].as_f64();
        let overload = file["overload"].as_array().unwrap().iter();
        let levels = Levels {
            continuous: number(&file, "continuous").unwrap(),
            overload: overload
                .map(|it| (number(it, "up_to").unwrap(), number(it, "for_s")))
                .collect(),
        };
        let cases = file["cases"].as_array().unwrap();
        assert!(cases.len() >= 12);
        for case in cases {
            let lasts = number(case, "seconds").map_or(Lasts::ForEver, Lasts::Seconds);
            let verdict = judge(
                number(case, "value").unwrap(),
                lasts,
                &levels,
                number(&file, "tight_from").unwrap(),
            );
            assert_eq!(
                verdict.status.word(),
                case["status"].as_str().unwrap(),
                "{case}"
            );
            assert_eq!(verdict.allowed_s, number(case, "allowed_s"), "{case}");
        }
    }

    #[test]
    fn a_start_of_unstated_length_over_a_timed_overload_is_unproven() {
        let levels = Levels {
            continuous: 10.0,
            overload: vec![(15.0, Some(3.0))],
        };
        assert_eq!(
            judge(12.0, Lasts::Unknown, &levels, 0.8).status,
            Status::Unproven
        );
        assert_eq!(
            judge(16.0, Lasts::Unknown, &levels, 0.8).status,
            Status::Trips
        );
    }

    #[test]
    fn raising_a_limit_never_makes_it_worse() {
        let lengths = [
            Lasts::ForEver,
            Lasts::Unknown,
            Lasts::Seconds(1.0),
            Lasts::Seconds(40.0),
        ];
        for lasts in lengths {
            for tenth in 1..300 {
                let value = f64::from(tenth) / 10.0;
                let mut last = Status::Trips;
                for raise in 0..40 {
                    let by = f64::from(raise) * 0.5;
                    let levels = Levels {
                        continuous: 8.0 + by,
                        overload: vec![
                            (10.0 + by, Some(30.0)),
                            (12.0 + by, Some(3.0)),
                            (14.0 + by, None),
                        ],
                    };
                    let status = judge(value, lasts, &levels, 0.8).status;
                    assert!(
                        status <= last,
                        "{value} for {lasts:?} worsened to {status:?} when raised by {by}"
                    );
                    last = status;
                }
            }
        }
    }
}
