//! What the checks share.

use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, Path};
use crate::ground::quantity::{Count, Quantity, Share};
use crate::site::plan::{Battery, Fuse, MOST_ELEMENTS};

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

pub(super) fn positive_if<Q: Quantity>(figure: Option<&Figure<Q>>, at: &Path<'_>) -> Checked {
    figure.map_or(Ok(()), |it| positive(it, at))
}

pub(super) fn ordered<Q: Quantity>(
    low: Option<&Figure<Q>>,
    high: Option<&Figure<Q>>,
    at: &Path<'_>,
    names: (&str, &str),
) -> Checked {
    let (Some(low), Some(high)) = (low, high) else {
        return Ok(());
    };
    if low.get() <= high.get() {
        return Ok(());
    }
    Err(at.key(names.0).error(format!(
        "is {}, above {} {}; swap them",
        low.get(),
        names.1,
        high.get()
    )))
}

pub(super) fn at_least_one(count: Option<&Figure<Count>>, at: &Path<'_>, why: &str) -> Checked {
    match count {
        Some(it) if it.get() < 1.0 => Err(at.error(format!("is {}; it {why}", it.get()))),
        _ => Ok(()),
    }
}

/// A charge from which something comes back lies above the floor at which it goes.
pub(super) fn above_floor(soc: &Figure<Share>, battery: &Battery, at: &Path<'_>) -> Checked {
    let floor = battery.floor();
    if soc.get() > floor {
        return Ok(());
    }
    Err(at.error(format!(
        "is {}, not above its floor of {floor}: it would go on and off; give more",
        soc.get()
    )))
}

pub(super) fn fuse(fuse: &Fuse, at: &Path<'_>) -> Checked {
    positive(&fuse.rating_a, &at.key("rating_a"))?;
    positive_if(fuse.rated_v_dc.as_ref(), &at.key("rated_v_dc"))?;
    positive_if(fuse.breaks_a.as_ref(), &at.key("breaks_a"))
}
