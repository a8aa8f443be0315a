//! Who may use a server that other machines reach: passphrases, sessions, guests.
//!
//! On loopback there is none of it. The passphrases are kept as argon2id in the data folder. A
//! session is a cookie that no script reads and no other site sends; it ends after [`ENDS`], at the
//! latest with the server.

use crate::error::ApiError;
use crate::tls::secret;
use anyhow::{Context, Result};
use argon2::{Argon2, PasswordHash, PasswordHasher as _, PasswordVerifier as _};
use axum::http::{HeaderMap, Method, StatusCode, header};
use serde::{Deserialize, Serialize};
use sha2::{Digest as _, Sha256};
use std::collections::HashMap;
use std::fmt::Write as _;
use std::net::IpAddr;
use std::path::{Path, PathBuf};
use std::sync::{Mutex, MutexGuard, PoisonError};
use std::time::{Duration, Instant};

/// The passphrases within the data folder.
const FILE: &str = "access.json";
/// The name of the session's cookie.
pub(crate) const COOKIE: &str = "ash-pond-session";
/// After this a session ends.
pub(crate) const ENDS: Duration = Duration::from_hours(12);
/// Sessions at once; the oldest one ends where there would be more.
const MOST_SESSIONS: usize = 64;
/// The shortest passphrase, letters.
pub const SHORTEST: usize = 12;
/// Wrong tries of one address, and of all together, within [`WINDOW`].
const MOST_TRIES: (usize, usize) = (5, 50);
const WINDOW: Duration = Duration::from_mins(10);
/// Addresses whose tries are remembered.
const MOST_ADDRESSES: usize = 1024;

/// What somebody may do.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, schemars::JsonSchema)]
#[serde(rename_all = "lowercase")]
pub enum Role {
    /// Everything.
    Owner,
    /// Look, and ask.
    Guest,
}

#[derive(Debug, Default, Clone, Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Hashes {
    owner: Option<String>,
    guest: Option<String>,
}

/// A session as it is told.
#[derive(Debug, Clone, PartialEq, Serialize, schemars::JsonSchema)]
#[schemars(rename = "SessionRow")]
pub(crate) struct Told {
    /// Its number.
    pub(crate) id: u64,
    /// What it may do.
    pub(crate) role: Role,
    /// From which address it was begun.
    pub(crate) from: String,
    /// What the browser called itself.
    pub(crate) browser: String,
    /// When it was begun, as ISO 8601.
    pub(crate) begun: String,
    /// Whether it is the one that asks.
    pub(crate) yours: bool,
}

struct Session {
    id: u64,
    role: Role,
    from: IpAddr,
    browser: String,
    begun: String,
    since: Instant,
}

/// Passphrases, sessions and tries of a server that other machines reach.
pub struct Access {
    hashes: Hashes,
    fingerprint: String,
    /// By the SHA-256 of their tokens, so that none is there to be read.
    sessions: Mutex<HashMap<[u8; 32], Session>>,
    tries: Mutex<HashMap<IpAddr, Vec<Instant>>>,
}

/// Sets a passphrase of a data folder, or takes it away.
///
/// # Errors
/// Where it is too short, or cannot be written.
pub fn set_passphrase(folder: &Path, role: Role, passphrase: Option<&str>) -> Result<()> {
    let mut hashes = read(folder)?;
    let hash = match passphrase {
        Some(it) if it.chars().count() < SHORTEST => {
            anyhow::bail!(
                "the passphrase has fewer than {SHORTEST} letters; take four words or more"
            )
        }
        Some(it) => {
            let made = Argon2::default().hash_password(it.as_bytes());
            Some(
                made.map_err(|error| anyhow::anyhow!("it cannot be kept: {error}"))?
                    .to_string(),
            )
        }
        None => None,
    };
    match role {
        Role::Owner => hashes.owner = hash,
        Role::Guest => hashes.guest = hash,
    }
    secret(
        &folder.join(FILE),
        serde_json::to_string_pretty(&hashes)?.as_bytes(),
    )
}

fn read(folder: &Path) -> Result<Hashes> {
    let path: PathBuf = folder.join(FILE);
    match std::fs::read_to_string(&path) {
        Ok(text) => serde_json::from_str(&text)
            .with_context(|| format!("{} cannot be read", path.display())),
        Err(error) if error.kind() == std::io::ErrorKind::NotFound => Ok(Hashes::default()),
        Err(error) => Err(error).with_context(|| format!("{} cannot be read", path.display())),
    }
}

/// Which passphrases a data folder has: the owner's, the guests'.
///
/// # Errors
/// Where the file cannot be read.
pub fn passphrases(folder: &Path) -> Result<(bool, bool)> {
    let hashes = read(folder)?;
    Ok((hashes.owner.is_some(), hashes.guest.is_some()))
}

fn locked<T>(it: &Mutex<T>) -> MutexGuard<'_, T> {
    it.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Access {
    /// The access of a data folder; none where it has no passphrase.
    ///
    /// # Errors
    /// Where the file cannot be read.
    pub fn of(folder: &Path, fingerprint: &str) -> Result<Option<Self>> {
        let hashes = read(folder)?;
        Ok(hashes.owner.is_some().then(|| Self {
            hashes,
            fingerprint: fingerprint.to_owned(),
            sessions: Mutex::default(),
            tries: Mutex::default(),
        }))
    }

    /// The fingerprint of the certificate that is shown to compare.
    pub(crate) fn fingerprint(&self) -> &str {
        &self.fingerprint
    }

    /// Who asks; none where there is no session, or it has ended.
    pub(crate) fn who(&self, headers: &HeaderMap) -> Option<(u64, Role)> {
        let key = token(headers).map(|it| hashed(&it))?;
        let mut sessions = locked(&self.sessions);
        sessions.retain(|_, it| it.since.elapsed() < ENDS);
        sessions.get(&key).map(|it| (it.id, it.role))
    }

    /// Begins a session, and gives the value of its cookie. It takes a while, on purpose.
    ///
    /// # Errors
    /// Where the passphrase is wrong, or it was tried too often.
    pub(crate) fn begin(
        &self,
        passphrase: &str,
        from: IpAddr,
        browser: &str,
    ) -> Result<(String, Role), ApiError> {
        self.may_try(from)?;
        let fits = |hash: &Option<String>| {
            let hash = hash.as_deref().and_then(|it| PasswordHash::new(it).ok());
            hash.is_some_and(|it| {
                Argon2::default()
                    .verify_password(passphrase.as_bytes(), &it)
                    .is_ok()
            })
        };
        let role = if fits(&self.hashes.owner) {
            Role::Owner
        } else if fits(&self.hashes.guest) {
            Role::Guest
        } else {
            return Err(ApiError::new(
                StatusCode::UNAUTHORIZED,
                "passphrase",
                "that is not the passphrase",
            ));
        };
        // What was right is no try against the limit.
        locked(&self.tries).remove(&from);
        let token = format!(
            "{:032x}{:032x}",
            rand::random::<u128>(),
            rand::random::<u128>()
        );
        let session = Session {
            id: rand::random::<u64>() >> 12,
            role,
            from,
            browser: browser
                .chars()
                .filter(|it| !it.is_control())
                .take(120)
                .collect(),
            begun: crate::usecase::tests::now(),
            since: Instant::now(),
        };
        let mut sessions = locked(&self.sessions);
        if sessions.len() >= MOST_SESSIONS
            && let Some(oldest) = sessions.iter().min_by_key(|it| it.1.since).map(|it| *it.0)
        {
            sessions.remove(&oldest);
        }
        sessions.insert(hashed(&token), session);
        Ok((token, role))
    }

    /// Counts a try before it is judged, so that many at once do not all pass.
    fn may_try(&self, from: IpAddr) -> Result<(), ApiError> {
        let mut tries = locked(&self.tries);
        tries.retain(|_, list| {
            list.retain(|it| it.elapsed() < WINDOW);
            !list.is_empty()
        });
        let all: usize = tries.values().map(Vec::len).sum();
        let own = tries.get(&from).map_or(0, Vec::len);
        if own >= MOST_TRIES.0 || all >= MOST_TRIES.1 || tries.len() >= MOST_ADDRESSES {
            let detail = "it was tried too often; wait ten minutes";
            return Err(ApiError::new(
                StatusCode::TOO_MANY_REQUESTS,
                "tries",
                detail,
            ));
        }
        tries.entry(from).or_default().push(Instant::now());
        Ok(())
    }

    /// The sessions that there are, the latest first.
    pub(crate) fn sessions(&self, yours: u64) -> Vec<Told> {
        let sessions = locked(&self.sessions);
        let mut list: Vec<(Instant, Told)> = sessions
            .values()
            .map(|it| {
                let told = Told {
                    id: it.id,
                    role: it.role,
                    from: it.from.to_string(),
                    browser: it.browser.clone(),
                    begun: it.begun.clone(),
                    yours: it.id == yours,
                };
                (it.since, told)
            })
            .collect();
        list.sort_by_key(|it| std::cmp::Reverse(it.0));
        list.into_iter().map(|it| it.1).collect()
    }

    /// Ends a session.
    pub(crate) fn end(&self, id: u64) {
        locked(&self.sessions).retain(|_, it| it.id != id);
    }
}

fn token(headers: &HeaderMap) -> Option<String> {
    let cookies = headers
        .get_all(header::COOKIE)
        .iter()
        .filter_map(|it| it.to_str().ok());
    let mut pairs = cookies
        .flat_map(|it| it.split(';'))
        .filter_map(|it| it.trim().split_once('='));
    pairs.find(|it| it.0 == COOKIE).map(|it| it.1.to_owned())
}

fn hashed(token: &str) -> [u8; 32] {
    Sha256::digest(token).into()
}

/// The cookie of a session that begins; empty to end it.
pub(crate) fn cookie(token: &str) -> String {
    let mut text = format!("{COOKIE}={token}; Path=/; HttpOnly; Secure; SameSite=Strict; Max-Age=");
    let _ = write!(
        text,
        "{}",
        if token.is_empty() { 0 } else { ENDS.as_secs() }
    );
    text
}

/// Questions that are asked with a body and change nothing, by the last part of their address: a
/// guest may ask them.
const QUESTIONS: [&str; 33] = [
    "evaluate",
    "working",
    "findings",
    "compare",
    "crossings",
    "fits",
    "stages",
    "difference",
    "decides",
    "needs",
    "entry",
    "targets",
    "supply",
    "matters",
    "capacity",
    "claim",
    "export",
    "import",
    "outage",
    "chances",
    "shed",
    "starts",
    "recharge",
    "fills",
    "runs",
    "smallest",
    "find",
    "progress",
    "wins",
    "candidates",
    "walk",
    "look",
    "preview",
];

/// Whether a guest may ask for this.
pub(crate) fn guest_may(method: &Method, path: &str) -> bool {
    let owners = [
        "/api/backup",
        "/api/backups",
        "/api/sessions",
        "/api/status",
    ];
    let looks = matches!(*method, Method::GET | Method::HEAD)
        && !owners.iter().any(|it| path.starts_with(it));
    let last = path.rsplit('/').next().unwrap_or_default();
    // An archive carries off all that is kept of a site, files of tests and readings too.
    let looks = looks && last != "archive";
    looks || (*method == Method::POST && QUESTIONS.contains(&last))
}
