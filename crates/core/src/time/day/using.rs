//! The use of an arrangement over a span, made ready once for everything that is asked of it.

use super::span::Span;
use super::stretch::{Stretches, stretches};
use crate::network::Network;
use crate::site::plan::{Arrangement, Plan};

/// A compiled arrangement, which its switches do not touch, with the states of its devices over a
/// span.
pub(crate) struct Use<'a> {
    pub(super) plan: &'a Plan,
    pub(super) way: &'a Arrangement,
    pub(super) network: &'a Network,
    pub(super) span: Span,
    pub(super) stretches: Stretches,
}

impl<'a> Use<'a> {
    /// Of one day; `network` is that of the arrangement at the site's temperature.
    pub(crate) fn day(plan: &'a Plan, way: &'a Arrangement, network: &'a Network) -> Self {
        Self::over(plan, way, network, Span::day(plan))
    }

    /// Of a span; `network` is that of the arrangement at the span's temperature.
    pub(crate) fn over(
        plan: &'a Plan,
        way: &'a Arrangement,
        network: &'a Network,
        span: Span,
    ) -> Self {
        Self {
            plan,
            way,
            network,
            stretches: stretches(plan, way, network, &span),
            span,
        }
    }
}
