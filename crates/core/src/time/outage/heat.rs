//! How warm the cases of converters get on the way: what yields behind one that is as warm as it
//! bears gets no more than keeps it so; what does not yield is told of.

use super::march::March;
use crate::ground::say::{Name, amount};

impl March<'_> {
    /// Ends the step where a case gets as warm as it bears, or has cooled again; whether one of
    /// them just did.
    pub(super) fn warms(&mut self, next: &mut f64) -> bool {
        for (index, it) in self.setting.warming.iter().enumerate() {
            let (now, lost) = (self.warmth[index], self.here.case_lost[index]);
            let left = if now.is_hot {
                it.casing.lets_go_s(now.rise_k, lost)
            } else {
                it.casing.bears_s(now.rise_k, lost)
            };
            if left <= 1e-6 {
                self.turn_hot(index, !now.is_hot);
                return true;
            }
            *next = next.min(self.t + left);
        }
        false
    }

    fn turn_hot(&mut self, index: usize, is_hot: bool) {
        let setting = self.setting;
        let it = &setting.warming[index];
        self.warmth[index].is_hot = is_hot;
        if let Some(budget) = it.budget {
            let most_w = if is_hot {
                it.casing.gives_w()
            } else {
                f64::INFINITY
            };
            self.solver.hold(budget, most_w);
            self.judge.hold(budget, most_w);
            self.cool.clear();
        }
        if !is_hot || std::mem::replace(&mut self.warmth[index].is_told, true) {
            return;
        }
        let Some(place) = setting.network.converter_at(it.node) else {
            return;
        };
        let id = setting.network.converter_id(place);
        let (name, case) = (
            Name(setting.plan.label(id)),
            amount(it.casing.bears_k + setting.ambient_c, "°C"),
        );
        let (what, cause) = if it.budget.is_some() {
            let most = amount(it.casing.gives_w(), "W");
            (
                "held by heat",
                format!(
                    "{name} is at the {case} that its case bears: it gives {most} on, and no more"
                ),
            )
        } else {
            (
                "too warm",
                format!(
                    "{name} is at the {case} that its case bears, and what hangs on it takes what \
                    it takes"
                ),
            )
        };
        self.event(what, id, vec![cause.into()]);
    }

    /// Warms and cools every case for so many seconds.
    pub(super) fn warm_for(&mut self, seconds: f64, lost: impl Fn(&Self, usize) -> f64) {
        for (index, it) in self.setting.warming.iter().enumerate() {
            self.warmth[index].rise_k =
                it.casing
                    .after(self.warmth[index].rise_k, lost(self, index), seconds);
        }
    }
}
