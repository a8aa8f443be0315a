//! What is shut, and what it draws then.

/// What is shut, and what it draws then, W.
#[derive(Debug, Clone, Default)]
pub(crate) struct Standby {
    pub(crate) stages: Vec<Option<f64>>,
    pub(crate) ports: Vec<Option<f64>>,
}

impl Standby {
    pub(crate) fn none(stages: usize, ports: usize) -> Self {
        Self {
            stages: vec![None; stages],
            ports: vec![None; ports],
        }
    }

    pub(super) fn clear(&mut self) {
        self.stages.fill(None);
        self.ports.fill(None);
    }
}
