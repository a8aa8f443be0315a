//! Readings of meters that are kept as they come: asked for without a page, written together,
//! thinned out as they age.

use crate::recording::Recording;
use crate::state::AppState;
use ash_pond_store::Store;
use ash_pond_store::readings::Sample;
use std::sync::PoisonError;
use std::time::Duration;
use tokio::sync::{mpsc, oneshot};
use tokio::task::JoinHandle;
use tokio::time::{Instant, MissedTickBehavior, interval};

/// Readings are written together so often: each write waits for the disk.
const WRITTEN_EVERY: Duration = Duration::from_secs(5);
/// What is too old is thinned out so often.
const THINNED_EVERY: Duration = Duration::from_hours(1);
/// Readings that wait for a disk that takes none; the oldest go first.
const MOST_WAITING: usize = 50_000;

/// The task that keeps readings. It ends at the latest when this is dropped.
pub struct Recorder {
    task: JoinHandle<()>,
    end: Option<oneshot::Sender<()>>,
}

impl Drop for Recorder {
    fn drop(&mut self) {
        self.task.abort();
    }
}

impl Recorder {
    /// Begins to keep the readings of the meters that are to be recorded, whoever looks.
    pub fn begin(state: &AppState) -> Self {
        let (sender, taken) = mpsc::unbounded_channel();
        let recording = state.live.recording.clone();
        *recording
            .samples
            .lock()
            .unwrap_or_else(PoisonError::into_inner) = Some(sender);
        let (end, ends) = oneshot::channel();
        Self {
            task: tokio::spawn(keep(state.clone(), recording, taken, ends)),
            end: Some(end),
        }
    }

    /// Writes what was read last, and ends.
    pub async fn end(mut self) {
        if let Some(end) = self.end.take() {
            let _ = end.send(());
        }
        let _ = (&mut self.task).await;
    }
}

async fn keep(
    state: AppState,
    recording: Recording,
    mut taken: mpsc::UnboundedReceiver<Vec<Sample>>,
    mut ends: oneshot::Receiver<()>,
) {
    let mut waiting: Vec<Sample> = Vec::new();
    let mut tick = interval(WRITTEN_EVERY);
    tick.set_missed_tick_behavior(MissedTickBehavior::Delay);
    let mut thinned: Option<Instant> = None;
    loop {
        let is_last = tokio::select! {
            Some(samples) = taken.recv() => {
                waiting.extend(samples);
                let excess = waiting.len().saturating_sub(MOST_WAITING);
                drop(waiting.drain(..excess));
                continue;
            }
            _ = tick.tick() => false,
            _ = &mut ends => true,
        };
        let store = state.store.clone();
        let batch = std::mem::take(&mut waiting);
        let written = tokio::task::spawn_blocking(move || write(&store, batch)).await;
        let Ok((left, trouble)) = written else { return };
        if trouble.is_some() && recording.trouble().is_none() {
            tracing::error!(
                "readings cannot be kept: {}",
                trouble.as_deref().unwrap_or_default()
            );
        }
        recording.tell(trouble);
        waiting = left;
        if is_last {
            return;
        }
        let store = state.store.clone();
        if let Ok(Ok(rows)) = tokio::task::spawn_blocking(move || store.meters()).await {
            state.live.attend_recorded(&rows);
        }
        if thinned.is_none_or(|it| it.elapsed() > THINNED_EVERY) {
            thinned = Some(Instant::now());
            let store = state.store.clone();
            let now = crate::clock::now().as_millisecond();
            tokio::task::spawn_blocking(move || {
                if let Err(error) = store.thin_out(now) {
                    tracing::error!("old readings could not be thinned out: {error}");
                }
            });
        }
    }
}

/// Writes readings; what could not be written comes back, with why.
fn write(store: &Store, batch: Vec<Sample>) -> (Vec<Sample>, Option<String>) {
    if batch.is_empty() {
        return (batch, None);
    }
    match store.keep_samples(&batch) {
        Ok(_) => (Vec::new(), None),
        Err(error) => (
            batch,
            Some(format!("readings cannot be kept, and wait: {error}")),
        ),
    }
}
