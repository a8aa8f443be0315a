//! Work that can be stopped: a budget of steps, and a word from outside.
//!
//! Every solution of a network counts as a step, wherever it is asked for, so that no question goes
//! on for ever and none goes on for a reader who has left. What is stopped unwinds to [`within`]
//! without a message, as nothing of it is of use to anybody.
//!
//! ```
//! use ash_pond_core::ground::work::{Job, Stopped, within};
//!
//! let job = Job::with_steps(1000);
//! assert_eq!(within(&job, || 42), Ok(42));
//! job.stop();
//! assert_eq!(job.is_stopped(), true);
//! ```

use std::cell::RefCell;
use std::panic::{AssertUnwindSafe, catch_unwind, resume_unwind};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};

/// Steps that a single question may take: about a minute on a small board, and several times what
/// the largest outage of a large site takes.
pub const MOST_STEPS: u64 = 400_000_000;
/// Steps are taken from the budget in so many at once.
const BATCH: u32 = 256;

/// Work that was stopped before its end.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Stopped {
    /// From outside: its reader has gone, or waited too long.
    Told,
    /// It took more steps than it may.
    Budget,
}

/// A piece of work.
#[derive(Debug)]
pub struct Job {
    told: AtomicBool,
    left: AtomicU64,
}

impl Job {
    /// A job that may take so many steps.
    pub fn with_steps(steps: u64) -> Arc<Self> {
        Arc::new(Self {
            told: AtomicBool::new(false),
            left: AtomicU64::new(steps),
        })
    }

    /// A job of the usual budget.
    pub fn begin() -> Arc<Self> {
        Self::with_steps(MOST_STEPS)
    }

    /// Stops it at its next step.
    pub fn stop(&self) {
        self.told.store(true, Ordering::Relaxed);
    }

    /// Whether it was stopped.
    pub fn is_stopped(&self) -> bool {
        self.told.load(Ordering::Relaxed)
    }
}

/// The job of a thread, and the steps since it was last looked at.
#[derive(Default)]
struct Here {
    job: Option<Arc<Job>>,
    steps: u32,
}

thread_local! {
    static HERE: RefCell<Here> = RefCell::default();
}

/// Does work as part of a job.
///
/// # Errors
/// Where it was stopped; whatever else goes wrong in it goes on unwinding.
pub fn within<T>(job: &Arc<Job>, work: impl FnOnce() -> T) -> Result<T, Stopped> {
    let before = HERE.replace(Here {
        job: Some(job.clone()),
        steps: 0,
    });
    let done = catch_unwind(AssertUnwindSafe(work));
    HERE.replace(before);
    match done {
        Ok(done) => Ok(done),
        Err(thrown) => match thrown.downcast::<Stopped>() {
            Ok(stopped) => Err(*stopped),
            Err(other) => resume_unwind(other),
        },
    }
}

/// The job of this thread, to be carried to the threads that help it.
pub(crate) fn current() -> Option<Arc<Job>> {
    HERE.with_borrow(|it| it.job.clone())
}

/// Does a part of a job on another thread; where the job is stopped, so is whoever waits for it.
pub(crate) fn carried<T>(job: Option<&Arc<Job>>, work: impl FnOnce() -> T) -> T {
    let Some(job) = job else {
        // A thread that helps may be waiting within another job.
        let before = HERE.take();
        let done = catch_unwind(AssertUnwindSafe(work));
        HERE.replace(before);
        return done.unwrap_or_else(|it| resume_unwind(it));
    };
    within(job, work).unwrap_or_else(|stopped| resume_unwind(Box::new(stopped)))
}

/// Does two parts of the job at hand, on both cores where there are two.
pub(crate) fn both<A: Send, B: Send>(
    one: impl FnOnce() -> A + Send,
    other: impl FnOnce() -> B + Send,
) -> (A, B) {
    let job = current();
    rayon::join(
        || carried(job.as_ref(), one),
        || carried(job.as_ref(), other),
    )
}

/// Takes a step. What is stopped does not come back from it.
pub(crate) fn step() {
    let stopped = HERE.with_borrow_mut(|here| {
        here.steps += 1;
        if here.steps < BATCH {
            return None;
        }
        here.steps = 0;
        let job = here.job.as_ref()?;
        let took = job
            .left
            .fetch_update(Ordering::Relaxed, Ordering::Relaxed, |it| {
                it.checked_sub(u64::from(BATCH))
            });
        match () {
            () if job.is_stopped() => Some(Stopped::Told),
            () if took.is_err() => Some(Stopped::Budget),
            () => None,
        }
    });
    if let Some(stopped) = stopped {
        resume_unwind(Box::new(stopped));
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn steps(number: u32) -> u32 {
        for _ in 0..number {
            step();
        }
        number
    }

    #[test]
    fn a_job_ends_with_its_budget_and_when_it_is_told_and_no_other_does() {
        assert_eq!(steps(10_000), 10_000, "what is no job has no budget");
        let job = Job::with_steps(1024);
        assert_eq!(within(&job, || steps(1000)), Ok(1000));
        assert_eq!(within(&job, || steps(1000)), Err(Stopped::Budget));
        let other = Job::begin();
        assert_eq!(
            within(&other, || within(&job, || steps(1000))),
            Ok(Err(Stopped::Budget))
        );
        other.stop();
        assert_eq!(within(&other, || steps(1000)), Err(Stopped::Told));
        assert_eq!(steps(10_000), 10_000);
    }

    #[test]
    fn a_part_on_another_thread_ends_with_its_job() {
        let job = Job::with_steps(1000);
        let found = within(&job, || {
            let own = current();
            std::thread::scope(|scope| {
                let part = scope.spawn(|| carried(own.as_ref(), || steps(100_000)));
                part.join().unwrap_or_else(|it| resume_unwind(it))
            })
        });
        assert_eq!(found, Err(Stopped::Budget));
    }

    #[test]
    fn another_failure_goes_on() {
        let job = Job::begin();
        let thrown = catch_unwind(AssertUnwindSafe(|| {
            within(&job, || resume_unwind(Box::new("other")))
        }));
        assert_eq!(
            thrown
                .err()
                .and_then(|it| it.downcast::<&str>().ok())
                .as_deref(),
            Some(&"other")
        );
        assert!(current().is_none());
    }
}
