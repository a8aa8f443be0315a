//! What every request shares.

use crate::access::Access;
use crate::copying::Asked;
use crate::events::Events;
use crate::live::Live;
use crate::usecase::answers::Answers;
use crate::usecase::watches::Watching;
use ash_pond_store::Store;
use std::sync::Arc;

/// What every request shares.
#[derive(Clone)]
pub struct AppState {
    /// The open data folder.
    pub store: Arc<Store>,
    /// The names under which other machines reach it; they are accepted as a `Host`. None on
    /// loopback.
    pub names: Arc<[String]>,
    /// Passphrases and sessions, where other machines reach it.
    pub access: Option<Arc<Access>>,
    /// Who is told of changes.
    pub events: Events,
    /// The meters that answer by themselves.
    pub live: Live,
    /// Answers that took long.
    pub answers: Answers,
    /// The watches that go on.
    pub watching: Watching,
    /// How much is asked: what can wait waits for quiet.
    pub asked: Asked,
}

impl AppState {
    /// State for a store that is asked under a loopback name.
    pub fn new(store: Store) -> Self {
        Self {
            store: Arc::new(store),
            names: Arc::default(),
            access: None,
            events: Events::default(),
            live: Live::default(),
            answers: Answers::default(),
            watching: Watching::default(),
            asked: Asked::default(),
        }
    }
}
