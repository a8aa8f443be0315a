//! What changed, told to every window that listens.

use serde::Serialize;
use tokio::sync::{broadcast, watch};

/// Changes that a slow listener may be behind before it is told to read anew.
const MOST_BEHIND: usize = 64;

/// A site that changed.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, schemars::JsonSchema)]
pub struct Changed {
    /// The site.
    pub site: String,
    /// Its counter of changes now; 0 where it is removed.
    pub revision: i64,
    /// Whether it was removed.
    pub removed: bool,
    /// The number of the watch that there is something new of; none where it is the plan that
    /// changed.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub watch: Option<i64>,
    /// Whether it is the log that there is something new in, or what is due, and not the plan.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub log: bool,
}

impl Changed {
    fn of(site: &str) -> Self {
        Self {
            site: site.to_owned(),
            revision: 0,
            removed: false,
            watch: None,
            log: false,
        }
    }
}

/// Tells changes to those who listen.
#[derive(Debug, Clone)]
pub struct Events {
    changes: broadcast::Sender<Changed>,
    ended: watch::Sender<bool>,
}

impl Default for Events {
    fn default() -> Self {
        Self {
            changes: broadcast::Sender::new(MOST_BEHIND),
            ended: watch::Sender::new(false),
        }
    }
}

impl Events {
    /// Tells a change. That nobody listens is no failure.
    pub(crate) fn tell(&self, site: &str, revision: i64) {
        let _ = self.changes.send(Changed {
            revision,
            ..Changed::of(site)
        });
    }

    /// Tells that a site was removed.
    pub(crate) fn tell_removed(&self, site: &str) {
        let _ = self.changes.send(Changed {
            removed: true,
            ..Changed::of(site)
        });
    }

    /// Tells that there is something new of a watch.
    pub(crate) fn tell_watch(&self, site: &str, number: i64) {
        let _ = self.changes.send(Changed {
            watch: Some(number),
            ..Changed::of(site)
        });
    }

    /// Tells that there is something new in the log.
    pub(crate) fn tell_log(&self, site: &str) {
        let _ = self.changes.send(Changed {
            log: true,
            ..Changed::of(site)
        });
    }

    /// Tells that everything is to be read anew.
    pub(crate) fn tell_behind(&self) {
        let _ = self.changes.send(Changed::of(""));
    }

    /// Listens from now on.
    pub(crate) fn listen(&self) -> (broadcast::Receiver<Changed>, watch::Receiver<bool>) {
        (self.changes.subscribe(), self.ended.subscribe())
    }

    /// Ends every stream, so that the server can stop.
    pub fn end(&self) {
        self.ended.send_replace(true);
    }
}
