//! `demo` and `serve`.

use super::Stop;
use crate::app::AppState;
use crate::serve::{loopback, serve as listen_and_serve};
use anyhow::Context;
use ash_pond_store::Store;
use std::net::SocketAddr;
use std::path::Path;
use tokio::net::TcpListener;

/// What the allocator reads when a process begins: memory is taken when it is used, and given back when it is not.
/// By itself it holds on to twice as much while the server idles.
const THRIFTY: [(&str, &str); 2] = [("MIMALLOC_ARENA_EAGER_COMMIT", "0"), ("MIMALLOC_PURGE_DELAY", "0")];

/// Begins again, as the same process, with an allocator that gives memory back. Where somebody has chosen otherwise,
/// or where that cannot be done, it goes on as it is.
fn give_memory_back() {
    #[cfg(unix)]
    {
        use std::os::unix::process::CommandExt;
        if THRIFTY.iter().any(|(name, _)| std::env::var_os(name).is_some()) {
            return;
        }
        if let Ok(program) = std::env::current_exe() {
            // Only comes back where it fails.
            let _ = std::process::Command::new(program).args(std::env::args_os().skip(1)).envs(THRIFTY).exec();
        }
    }
}

/// Serves the demo site from a folder of its own.
pub(super) fn demo(data: &Path, fresh: bool, port: Option<u16>) -> Result<(), Stop> {
    give_memory_back();
    if fresh && data.exists() {
        remove_demo(data)?;
    }
    let store = Store::open(data)?;
    if store.sites()?.is_empty() {
        crate::demo::fill(&store)?;
    }
    start(store, true, async move { loopback(port).await })
}

/// Removes a demo folder, and nothing that is not one.
fn remove_demo(data: &Path) -> Result<(), Stop> {
    // Opening tells whether another process has it open before anything is removed.
    drop(Store::open(data)?);
    for name in ["ash-pond.sqlite", "ash-pond.sqlite-wal", "ash-pond.sqlite-shm"] {
        match std::fs::remove_file(data.join(name)) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(error.into()),
            _ => {}
        }
    }
    Ok(())
}

/// Serves a data folder.
pub(super) fn serve(data: &Path, listen: SocketAddr) -> Result<(), Stop> {
    give_memory_back();
    let store = Store::open(data)?;
    if !listen.ip().is_loopback() {
        eprintln!("ash-pond: {listen} can be reached from other machines, and there is no password");
    }
    let taken = move || format!("{listen} cannot be listened on; choose another with --listen");
    start(store, false, async move { TcpListener::bind(listen).await.with_context(taken) })
}

fn start(
    store: Store,
    has_stand_ins: bool,
    listener: impl Future<Output = anyhow::Result<TcpListener>>,
) -> Result<(), Stop> {
    tracing_subscriber::fmt()
        .with_env_filter(tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into()))
        .with_writer(std::io::stderr)
        .init();
    // Two threads answer; the rest of the machine belongs to what it keeps alive.
    let runtime = tokio::runtime::Builder::new_multi_thread().worker_threads(2).enable_all().build()?;
    runtime.block_on(async {
        let listener = listener.await?;
        if has_stand_ins {
            crate::demo::stand_ins(&store).await?;
        }
        println!("Ash Pond is at http://{}/   (Ctrl-C stops it)", listener.local_addr()?);
        listen_and_serve(listener, AppState::new(store)).await?;
        println!("Stopped.");
        Ok(())
    })
}
