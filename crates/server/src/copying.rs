//! What is done to the database beside those who use it: what was written is brought in, and each
//! day is copied, in a quiet moment.

use ash_pond_store::Store;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;
use tokio::time::{Instant, sleep};

/// How long it must have been quiet before the copy of a day is begun.
const LOOK: Duration = Duration::from_secs(5);
/// Requests within a look that are no hurry yet: pages that stand open and a watch that is followed
/// ask about as many.
const FEW: u64 = 100;
/// A copy waits no longer than this for quiet: whoever is never quiet is copied beside all that
/// goes on.
const LONGEST_WAIT: Duration = Duration::from_hours(2);
/// How often a new day is looked for.
const DAY_LOOK: Duration = Duration::from_mins(30);
/// How often what was written is brought into the database.
const BRING_IN: Duration = Duration::from_millis(500);

/// Requests of the API since the server began.
#[derive(Debug, Clone, Default)]
pub struct Asked(Arc<AtomicU64>);

impl Asked {
    /// One more came.
    pub(crate) fn one_more(&self) {
        self.0.fetch_add(1, Ordering::Relaxed);
    }

    /// Comes back once little was asked for [`LOOK`], and after [`LONGEST_WAIT`] at the latest.
    async fn quiet(&self) {
        let latest = Instant::now() + LONGEST_WAIT;
        while Instant::now() < latest {
            let before = self.0.load(Ordering::Relaxed);
            sleep(LOOK).await;
            if self.0.load(Ordering::Relaxed) - before <= FEW {
                return;
            }
        }
    }
}

/// Brings what was written into the database, so that nobody who writes has to.
pub(crate) async fn bring_in(store: Arc<Store>) {
    loop {
        sleep(BRING_IN).await;
        let own = store.clone();
        if let Ok(Err(error)) = tokio::task::spawn_blocking(move || own.bring_in()).await {
            tracing::warn!("what was written was not brought into the database: {error}");
        }
    }
}

/// Makes the copy of each day, in its first quiet moment.
pub(crate) async fn copy_each_day(store: Arc<Store>, asked: Asked) {
    loop {
        asked.quiet().await;
        let own = store.clone();
        let done =
            tokio::task::spawn_blocking(move || own.daily(crate::usecase::tests::today())).await;
        if let Ok(Err(error)) = done {
            tracing::error!("the copy of the day was not made: {error}");
        }
        sleep(DAY_LOOK).await;
    }
}

#[cfg(test)]
mod tests {
    use super::{Asked, FEW, LONGEST_WAIT, LOOK};
    use std::time::Duration;
    use tokio::time::{Instant, sleep};

    /// Asks so often each second until it is dropped.
    fn busy(asked: &Asked, each_second: u64, until: Duration) -> tokio::task::JoinHandle<()> {
        let asked = asked.clone();
        tokio::spawn(async move {
            let end = Instant::now() + until;
            while Instant::now() < end {
                (0..each_second).for_each(|_| asked.one_more());
                sleep(Duration::from_secs(1)).await;
            }
        })
    }

    #[tokio::test(start_paused = true)]
    async fn a_copy_waits_for_quiet_and_not_for_ever() {
        let (asked, begun) = (Asked::default(), Instant::now());
        asked.quiet().await;
        assert_eq!(begun.elapsed(), LOOK, "nobody asks");

        let (begun, _few) = (
            Instant::now(),
            busy(&asked, FEW / LOOK.as_secs() - 2, Duration::from_mins(5)),
        );
        asked.quiet().await;
        assert_eq!(begun.elapsed(), LOOK, "few ask");

        sleep(Duration::from_mins(6)).await;
        let (begun, _many) = (Instant::now(), busy(&asked, 1000, Duration::from_mins(10)));
        asked.quiet().await;
        let waited = begun.elapsed();
        assert!(
            waited >= Duration::from_mins(10) && waited <= Duration::from_mins(10) + 2 * LOOK,
            "{waited:?}"
        );

        let (begun, _always) = (Instant::now(), busy(&asked, 1000, 2 * LONGEST_WAIT));
        asked.quiet().await;
        assert_eq!(begun.elapsed(), LONGEST_WAIT, "many ask, all day");
    }
}
