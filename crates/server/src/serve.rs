//! Listening, and stopping without cutting an answer off.

use crate::app::{AppState, app};
use anyhow::{Context, Result};
use std::net::{IpAddr, Ipv4Addr, SocketAddr};
use tokio::net::TcpListener;
use tokio::signal::unix::{SignalKind, signal};

/// The port that is tried first.
pub const FIRST_PORT: u16 = 8787;

/// A loopback listener on `port`, or, where none is asked for, on the first free port from [`FIRST_PORT`].
///
/// # Errors
/// Where the port that was asked for is taken, or no port is free.
pub async fn loopback(port: Option<u16>) -> Result<TcpListener> {
    let on = |port| SocketAddr::from((Ipv4Addr::LOCALHOST, port));
    if let Some(port) = port {
        let taken = || format!("port {port} cannot be listened on; choose another with --port, or leave it out");
        return TcpListener::bind(on(port)).await.with_context(taken);
    }
    for port in FIRST_PORT..FIRST_PORT + 100 {
        if let Ok(listener) = TcpListener::bind(on(port)).await {
            return Ok(listener);
        }
    }
    TcpListener::bind(on(0)).await.context("no loopback port is free")
}

/// Serves until Ctrl-C or a request to end, then finishes the answers under way.
///
/// # Errors
/// Where the listener fails.
pub async fn serve(listener: TcpListener, mut state: AppState) -> Result<()> {
    let address = listener.local_addr()?;
    let named: IpAddr = address.ip();
    state.listening = (!named.is_loopback() && !named.is_unspecified()).then_some(named);
    let events = state.events.clone();
    let stop = async move {
        asked_to_stop().await;
        events.end();
    };
    axum::serve(listener, app(state)).with_graceful_shutdown(stop).await?;
    Ok(())
}

async fn asked_to_stop() {
    let end = async {
        match signal(SignalKind::terminate()) {
            Ok(mut signal) => drop(signal.recv().await),
            Err(_) => std::future::pending().await,
        }
    };
    tokio::select! {
        _ = tokio::signal::ctrl_c() => {}
        () = end => {}
    }
}
