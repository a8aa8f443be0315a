//! Listening, and stopping without cutting an answer off.
//!
//! Whoever connects must say what is asked within [`HEADER`]; there are [`MOST_CONNECTIONS`] at
//! once, and the next one waits until one of them ends. A stop lets the answers under way end, for
//! [`LAST_WORDS`] at most.

use crate::app::app;
use crate::state::AppState;
use crate::tls::Tls;
use anyhow::{Context, Result};
use axum::body::Body;
use axum::extract::ConnectInfo;
use hyper::body::Incoming;
use hyper::server::conn::http1;
use hyper::service::service_fn;
use hyper_util::rt::{TokioIo, TokioTimer};
use hyper_util::server::graceful::{GracefulShutdown, Watcher};
use std::net::{Ipv4Addr, SocketAddr};
use std::pin::pin;
use std::sync::Arc;
use std::time::Duration;
use tokio::io::{AsyncRead, AsyncWrite};
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};
use tokio::sync::Semaphore;
use tokio::time::{sleep, timeout};
use tower::ServiceExt as _;

/// The port that is tried first.
pub const FIRST_PORT: u16 = 8787;
/// Connections at once.
pub const MOST_CONNECTIONS: usize = 512;
/// How long a request's head, and what comes before it, may take; a connection that says nothing is
/// closed then.
pub const HEADER: Duration = Duration::from_secs(10);
/// How long answers that are under way may still take once the server is asked to stop.
pub const LAST_WORDS: Duration = Duration::from_secs(4);

/// A loopback listener on `port`, or, where none is asked for, on the first free port from
/// [`FIRST_PORT`].
///
/// # Errors
/// Where the port that was asked for is taken, or no port is free.
pub async fn loopback(port: Option<u16>) -> Result<TcpListener> {
    let on = |port| SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    if let Some(port) = port {
        let taken = || {
            format!(
                "port {port} cannot be listened on; choose another with --port, or leave it out"
            )
        };
        return TcpListener::bind(on(port)).await.with_context(taken);
    }
    for port in FIRST_PORT..FIRST_PORT + 100 {
        if let Ok(listener) = TcpListener::bind(on(port)).await {
            return Ok(listener);
        }
    }
    TcpListener::bind(on(0))
        .await
        .context("no loopback port is free")
}

/// Serves until `stop` ends.
///
/// # Errors
/// Where the listener fails.
pub async fn until(
    listener: TcpListener,
    state: AppState,
    tls: Option<Tls>,
    stop: impl Future<Output = ()>,
) -> Result<()> {
    let events = state.events.clone();
    let router = app(state);
    let places = Arc::new(Semaphore::new(MOST_CONNECTIONS));
    let graceful = GracefulShutdown::new();
    let mut stop = pin!(stop);
    loop {
        let place = tokio::select! {
            () = &mut stop => break,
            place = places.clone().acquire_owned() => place?,
        };
        let (stream, peer) = tokio::select! {
            () = &mut stop => break,
            accepted = listener.accept() => match accepted {
                Ok(it) => it,
                Err(error) => {
                    // Out of file handles, or gone before it was accepted: the next one may do.
                    tracing::warn!("a connection was not accepted: {error}");
                    sleep(Duration::from_millis(50)).await;
                    continue;
                }
            },
        };
        let _ = stream.set_nodelay(true);
        let (watcher, router, tls) = (graceful.watcher(), router.clone(), tls.clone());
        tokio::spawn(async move {
            match tls {
                None => converse(stream, peer, router, watcher).await,
                Some(tls) => {
                    if let Ok(Ok(stream)) = timeout(HEADER, tls.acceptor().accept(stream)).await {
                        converse(stream, peer, router, watcher).await;
                    }
                }
            }
            drop(place);
        });
    }
    drop(listener);
    events.end();
    tokio::select! {
        () = graceful.shutdown() => {}
        () = sleep(LAST_WORDS) => tracing::warn!("answers that took too long were cut off"),
    }
    Ok(())
}

async fn converse<S>(stream: S, peer: SocketAddr, router: axum::Router, watcher: Watcher)
where
    S: AsyncRead + AsyncWrite + Unpin + Send + 'static,
{
    let service = service_fn(move |request: hyper::Request<Incoming>| {
        let mut request = request.map(Body::new);
        request.extensions_mut().insert(ConnectInfo(peer));
        router.clone().oneshot(request)
    });
    let mut builder = http1::Builder::new();
    builder
        .timer(TokioTimer::new())
        .header_read_timeout(HEADER)
        .max_headers(64);
    let connection = builder.serve_connection(TokioIo::new(stream), service);
    // That somebody goes away in the middle is nothing to speak of.
    let _ = watcher.watch(connection).await;
}

/// Ends when somebody presses Ctrl-C or asks the process to end. From the call on it is heard, also
/// before it is waited for.
///
/// # Errors
/// Where the system lets nobody listen for it.
pub fn asked_to_stop() -> Result<impl Future<Output = ()>> {
    let mut end = signal(SignalKind::terminate())?;
    let mut interrupt = signal(SignalKind::interrupt())?;
    Ok(async move {
        tokio::select! {
            _ = end.recv() => {}
            _ = interrupt.recv() => {}
        }
    })
}
