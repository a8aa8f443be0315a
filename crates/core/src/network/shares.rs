//! What is divided among what takes what it gets, as plain data.

/// Something that yields.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Leaf {
    /// A device, by its place in [`Network::loads`].
    Device(usize),
    /// A charging input, by its feed.
    Input(usize),
}

/// What yields behind one feed that leaves a port.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Taker {
    /// The feed that leaves the port.
    pub(super) node: usize,
    pub(super) leaves: Vec<Leaf>,
}

/// What some ports give together at most, to what yields behind them.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Budget {
    /// `item/port`, or `item/group`.
    pub(super) place: String,
    pub(super) ports: Vec<usize>,
    pub(super) most_w: f64,
    pub(super) most_a: f64,
    pub(super) takers: Vec<Taker>,
}
