//! What the checks share.

use crate::figure::Figure;
use crate::json::{FieldError, Path};
use crate::plan::MOST_ELEMENTS;
use crate::quantity::Quantity;

pub(super) type Checked = Result<(), FieldError>;

/// Runs a check over a list, with the path of each element.
pub(super) fn each<T>(
    list: &[T],
    at: &Path<'_>,
    mut check: impl FnMut(&T, &Path<'_>) -> Checked,
) -> Checked {
    if list.len() > MOST_ELEMENTS {
        let length = list.len();
        return Err(at.error(format!(
            "has {length} entries; a plan has at most {MOST_ELEMENTS}. Make a second site"
        )));
    }
    list.iter()
        .enumerate()
        .try_for_each(|(index, item)| check(item, &at.index(index)))
}

/// The least that something may be which others are divided by; it keeps every quotient finite.
const SMALLEST: f64 = 1e-6;

pub(super) fn positive<Q: Quantity>(figure: &Figure<Q>, at: &Path<'_>) -> Checked {
    match figure.get() {
        raw if raw >= SMALLEST => Ok(()),
        raw if raw > 0.0 => Err(at.error(format!(
            "is {raw}; {} must be {SMALLEST} at least here",
            Q::NAME
        ))),
        raw => Err(at.error(format!("is {raw}; {} must be above 0 here", Q::NAME))),
    }
}
