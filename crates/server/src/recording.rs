//! Where meters put what they read, for whoever keeps it.

use ash_pond_store::readings::Sample;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::sync::mpsc;

/// Where meters put what they read, and what is wrong with keeping it.
#[derive(Clone, Default)]
pub(crate) struct Recording {
    pub(crate) samples: Arc<Mutex<Option<mpsc::UnboundedSender<Vec<Sample>>>>>,
    pub(crate) trouble: Arc<Mutex<Option<String>>>,
}

impl Recording {
    /// Keeps readings, where anybody does.
    pub(crate) fn put(&self, samples: Vec<Sample>) {
        let sender = self.samples.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(sender) = sender.as_ref().filter(|_| !samples.is_empty()) {
            // The writer takes what comes at once and bounds what waits; it ends with the server.
            let _ = sender.send(samples);
        }
    }

    /// Why readings are not kept at the moment; none where they are.
    pub(crate) fn trouble(&self) -> Option<String> {
        self.trouble
            .lock()
            .unwrap_or_else(PoisonError::into_inner)
            .clone()
    }

    pub(crate) fn tell(&self, trouble: Option<String>) {
        *self.trouble.lock().unwrap_or_else(PoisonError::into_inner) = trouble;
    }
}
