//! What is held of the watches that go on, between those who ask and the task that keeps watch.

use crate::live::Live;
use ash_pond_core::keeping::watch::{Reading, Standing};
use ash_pond_stand_ins::face::Face;
use ash_pond_store::MeterRow;
use std::collections::{BTreeMap, HashMap};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};
use std::time::Instant;
use tokio::task::JoinHandle;

/// What was known last, so that a reading moves it at once.
pub(crate) struct Known {
    pub(crate) fingerprint: u64,
    pub(crate) at_s: f64,
    pub(crate) standing: Standing,
}

/// What an open watch of the store is; for whoever watches over all of them.
pub(crate) type Slot = Arc<std::sync::Mutex<Option<Known>>>;

/// What was heard of meters lately.
#[derive(Debug, Clone, Default)]
pub(crate) struct Heard {
    /// Readings that may not be written yet.
    pub(crate) waiting: Vec<Reading>,
    /// What is wrong with meters, by the source that they stand at.
    pub(crate) trouble: BTreeMap<String, String>,
}

#[derive(Default)]
pub(crate) struct Mem {
    pub(crate) slot: Slot,
    pub(crate) heard: Heard,
    pub(crate) told: Option<Instant>,
    pub(crate) sampled_s: f64,
    pub(crate) faces: Vec<Faced>,
}

/// A meter of a drill; it ends when this is dropped.
pub(crate) struct Faced {
    pub(crate) source: String,
    pub(crate) face: Face,
    pub(crate) row: MeterRow,
    pub(crate) task: JoinHandle<()>,
}

impl Drop for Faced {
    fn drop(&mut self) {
        self.task.abort();
    }
}

/// What is held of the watches that go on.
#[derive(Clone, Default)]
pub struct Watching {
    pub(crate) mems: Arc<Mutex<HashMap<(String, i64), Mem>>>,
    /// The meters of drills, apart from those of life.
    pub(crate) drills: Live,
    /// How often in a row a meter said that the mains is gone, or that it is there.
    pub(crate) says: Arc<Mutex<HashMap<String, (bool, u32)>>>,
}

pub(crate) fn locked<T>(it: &Mutex<T>) -> MutexGuard<'_, T> {
    it.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Watching {
    pub(crate) fn with<T>(&self, site: &str, number: i64, work: impl FnOnce(&mut Mem) -> T) -> T {
        work(
            locked(&self.mems)
                .entry((site.to_owned(), number))
                .or_default(),
        )
    }

    /// Where what is known of a watch is held.
    pub(crate) fn known(&self, site: &str, number: i64) -> Slot {
        self.with(site, number, |it| it.slot.clone())
    }

    /// What was heard of its meters lately.
    pub(crate) fn heard(&self, site: &str, number: i64) -> Option<Heard> {
        locked(&self.mems)
            .get(&(site.to_owned(), number))
            .map(|it| it.heard.clone())
    }

    /// Something was entered: windows are told at once.
    pub(crate) fn changed(&self, site: &str, number: i64) {
        self.with(site, number, |it| it.told = None);
    }
}
