//! Digits: how a number is written out.

/// How many digits behind the point a number of this ± deserves: two of the ± that count where it
/// begins with a 1, else one. Never below none.
///
/// ```
/// use ash_pond_core::ground::say::digits_of;
/// assert_eq!(digits_of(1.504), 1);
/// assert_eq!(digits_of(0.2), 1);
/// assert_eq!(digits_of(0.66), 1);
/// assert_eq!(digits_of(0.014), 3);
/// assert_eq!(digits_of(30.0), 0);
/// ```
pub fn digits_of(plus_minus: f64) -> usize {
    if plus_minus.is_nan() || plus_minus <= 0.0 || plus_minus.is_infinite() {
        return 6;
    }
    let place = plus_minus.log10().floor();
    let first = plus_minus / 10_f64.powf(place);
    let behind = if first < 1.95 { 1.0 - place } else { -place };
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "clamped to 0 to 12"
    )]
    let behind = behind.clamp(0.0, 12.0) as usize;
    behind
}

/// Three digits that count, no more than two behind the point from 0.1 up and three below; two that
/// count where that would leave none.
pub(super) fn usual(value: f64) -> usize {
    let size = value.abs();
    match size {
        _ if size >= 100.0 || size == 0.0 => 0,
        _ if size >= 10.0 => 1,
        _ if size >= 0.1 => 2,
        _ if size >= 0.001 => 3,
        _ if size >= 1e-12 => digits_of(size * 0.1).min(9),
        _ => 0,
    }
}

/// A number with so many digits behind the point; zeros at the end are left out where `trim` says
/// so, and thousands are parted. `point` and `thousands` are the marks.
pub(super) fn written(
    value: f64,
    behind: usize,
    trim: bool,
    point: char,
    thousands: char,
) -> String {
    let exact = format!("{:.behind$}", value.abs());
    let (whole, part) = exact.split_once('.').unwrap_or((&exact, ""));
    let part = if trim {
        part.trim_end_matches('0')
    } else {
        part
    };
    let is_zero = whole.chars().all(|it| it == '0') && part.chars().all(|it| it == '0');
    let mut text = String::new();
    if value < 0.0 && !is_zero {
        text.push('-');
    }
    for (index, digit) in whole.chars().enumerate() {
        if index > 0 && (whole.len() - index).is_multiple_of(3) {
            text.push(thousands);
        }
        text.push(digit);
    }
    if !part.is_empty() {
        text.push(point);
        text += part;
    }
    text
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn amounts_are_written_as_a_person_would() {
        let cases = [
            (0.0, "0"),
            (0.0996, "0.1"),
            (0.5, "0.5"),
            (9.999, "10"),
            (12.34, "12.3"),
            (99.96, "100"),
            (999.6, "1,000"),
            (1_234_567.0, "1,234,567"),
            (-0.04, "-0.04"),
            (-1500.0, "-1,500"),
            (100.0, "100"),
            (4.444_444_444, "4.44"),
            (0.000_42, "0.00042"),
            (5.33e-14, "0"),
        ];
        for (value, text) in cases {
            assert_eq!(
                written(value, usual(value), true, '.', ','),
                text,
                "{value}"
            );
        }
    }
}
