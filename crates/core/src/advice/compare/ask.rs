//! What is asked of two arrangements as a figure changes.

use crate::ground::json::words;

words!(
    /// What changes along a comparison.
    Over {
        /// Watts of one device, or of all, scaled.
        Load = "load",
        /// Hours of use a day; switched off, what is fed stays on.
        Hours = "hours",
        /// Charge of the stores, 0 to 1.
        Charge = "charge",
        /// Length of a lead, m.
        Length = "length",
        /// What a converter or a port draws for being on, W.
        Idle = "idle",
    }
);

/// What is asked.
#[derive(Debug, Clone, Copy)]
pub struct Ask<'a> {
    /// What changes.
    pub over: Over,
    /// The device whose load or hours change; all devices where left out.
    pub device: Option<&'a str>,
    /// The feed whose lead changes, by what it leads to, or the converter or `source/port` whose
    /// idle draw changes; the longest lead of each, and the largest idle draw of either, where left
    /// out.
    pub item: Option<&'a str>,
    /// From this value; chosen where left out.
    pub from: Option<f64>,
    /// To this value; chosen where left out.
    pub to: Option<f64>,
    /// Whether to tell how far the figures' ± move the curves and their crossings.
    pub band: bool,
}

impl Ask<'_> {
    /// Asks what changes, with everything else chosen, without a band.
    pub fn over(over: Over) -> Self {
        Self {
            over,
            device: None,
            item: None,
            from: None,
            to: None,
            band: false,
        }
    }
}
