//! Answers that were given lately: what takes a second to compute is not computed twice for the
//! same question.

use crate::error::ApiError;
use ash_pond_core::site::plan::Plan;
use ash_pond_core::time::outage::Chances;
use serde::Serialize;
use sha2::{Digest, Sha256};
use std::collections::VecDeque;
use std::sync::{Arc, Mutex};

/// Answers that are kept, and how much text they may be together: the server often runs on the
/// battery that it plans.
const KEPT: usize = 24;
const KEPT_BYTES: usize = 2 << 20;
/// A whole question: the plan as it was, and what was asked of it, as their SHA-256.
pub(crate) type Key = [u8; 32];

pub(crate) fn key(plan: &Plan, asked: &impl Serialize) -> Key {
    Sha256::digest(serde_json::to_vec(&(plan, asked)).unwrap_or_default()).into()
}

/// Answers with their questions, the last one first.
#[derive(Debug)]
pub(crate) struct Kept<T>(Mutex<VecDeque<(Key, Arc<T>)>>);

impl<T> Default for Kept<T> {
    fn default() -> Self {
        Self(Mutex::default())
    }
}

impl<T> Kept<T> {
    pub(crate) fn find(&self, key: &Key) -> Option<Arc<T>> {
        let kept = self.0.lock().ok()?;
        kept.iter()
            .find(|it| it.0 == *key)
            .map(|it| Arc::clone(&it.1))
    }

    /// Keeps an answer, and lets the oldest go where there are too many, or where they are too
    /// large together.
    pub(crate) fn keep(&self, key: Key, answer: Arc<T>, bytes: impl Fn(&T) -> usize) {
        let Ok(mut kept) = self.0.lock() else { return };
        kept.push_front((key, answer));
        let mut sum = 0;
        let room = |it: &(Key, Arc<T>)| {
            sum += bytes(&it.1);
            sum <= KEPT_BYTES
        };
        let fit = kept
            .iter()
            .take(KEPT)
            .map(room)
            .take_while(|it| *it)
            .count();
        kept.truncate(fit);
    }
}

/// Answers that were given lately.
#[derive(Debug, Clone, Default)]
pub struct Answers {
    pub(crate) chances: Arc<Kept<Chances>>,
    texts: Arc<Kept<String>>,
}

/// An answer as JSON, and whether it had been kept.
pub(crate) struct Answer {
    pub(crate) text: Arc<String>,
    pub(crate) kept: bool,
}

impl Answers {
    /// The answer to a question of a kind, made where nobody asked it lately.
    pub(crate) fn answer<T: Serialize>(
        &self,
        plan: &Plan,
        kind: &str,
        question: &impl Serialize,
        make: impl FnOnce() -> Result<T, ApiError>,
    ) -> Result<Answer, ApiError> {
        let key = key(plan, &(kind, question));
        if let Some(text) = self.texts.find(&key) {
            return Ok(Answer { text, kept: true });
        }
        let text =
            serde_json::to_string(&make()?).map_err(|error| ApiError::at("", error.to_string()))?;
        let text = Arc::new(text);
        self.texts.keep(key, Arc::clone(&text), String::len);
        Ok(Answer { text, kept: false })
    }
}
