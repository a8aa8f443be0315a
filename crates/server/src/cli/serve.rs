//! `demo` and `serve`.

use super::common::Stop;
use crate::access::Access;
use crate::copying::{bring_in, copy_each_day};
use crate::keeper::Keeper;
use crate::record::Recorder;
use crate::serve::{asked_to_stop, loopback, until};
use crate::state::AppState;
use crate::tls::Tls;
use anyhow::Context;
use ash_pond_store::Store;
use std::io::Write as _;
use std::net::{IpAddr, SocketAddr};
use std::path::Path;
use std::sync::Arc;
use tokio::net::TcpListener;

/// What the allocator reads when a process begins: memory is taken when it is used, and given back
/// when it is not. By itself it holds on to twice as much while the server idles.
const THRIFTY: [(&str, &str); 2] = [
    ("MIMALLOC_ARENA_EAGER_COMMIT", "0"),
    ("MIMALLOC_PURGE_DELAY", "0"),
];

/// Begins again, as the same process, with an allocator that gives memory back. Where somebody has
/// chosen otherwise, or where that cannot be done, it goes on as it is.
fn give_memory_back() {
    #[cfg(unix)]
    {
        use std::os::unix::process::CommandExt;
        if THRIFTY
            .iter()
            .any(|(name, _)| std::env::var_os(name).is_some())
        {
            return;
        }
        if let Ok(program) = std::env::current_exe() {
            // Only comes back where it fails.
            let _ = std::process::Command::new(program)
                .args(std::env::args_os().skip(1))
                .envs(THRIFTY)
                .exec();
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
        crate::demo::fill_hut(&store)?;
    }
    run(store, true, None, async move { loopback(port).await })
}

/// Removes a demo folder, and nothing that is not one.
fn remove_demo(data: &Path) -> Result<(), Stop> {
    // Opening tells whether another process has it open before anything is removed.
    drop(Store::open(data)?);
    for name in [
        "ash-pond.sqlite",
        "ash-pond.sqlite-wal",
        "ash-pond.sqlite-shm",
    ] {
        match std::fs::remove_file(data.join(name)) {
            Err(error) if error.kind() != std::io::ErrorKind::NotFound => return Err(error.into()),
            _ => {}
        }
    }
    Ok(())
}

/// Serves a data folder: on loopback as it is, to other machines over TLS and by a passphrase.
pub(super) fn serve(
    data: &Path,
    listen: SocketAddr,
    names: &[String],
    certificate: Option<(&Path, &Path)>,
) -> Result<(), Stop> {
    give_memory_back();
    let store = Store::open(data)?;
    let taken = move || format!("{listen} cannot be listened on; choose another with --listen");
    let listener = async move { TcpListener::bind(listen).await.with_context(taken) };
    if listen.ip().is_loopback() {
        return start(store, None, listener);
    }
    let names = reached_as(listen.ip(), names)?;
    let tls = match certificate {
        Some((certificate, key)) => Tls::given(certificate, key),
        None => Tls::own(data, &names),
    };
    let tls = tls.map_err(|error| Stop::Input(format!("{error:#}")))?;
    let Some(access) = Access::of(data, tls.fingerprint())? else {
        return Err(Stop::Input(format!(
            "--listen {listen}: other machines reach that, and there is no passphrase; set one \
            with: ash-pond passphrase --data {}",
            data.display()
        )));
    };
    start(store, Some(Open { names, access, tls }), listener)
}

/// What a server needs that other machines reach.
struct Open {
    names: Vec<String>,
    access: Access,
    tls: Tls,
}

/// The names and addresses under which other machines reach an address that is listened on.
fn reached_as(listen: IpAddr, more: &[String]) -> Result<Vec<String>, Stop> {
    let mut names: Vec<String> = Vec::new();
    if listen.is_unspecified() {
        let all = nix::ifaddrs::getifaddrs()?.filter_map(|it| it.address);
        for address in all {
            let v4 = address.as_sockaddr_in().map(|it| IpAddr::V4(it.ip()));
            let v6 = address.as_sockaddr_in6().map(|it| IpAddr::V6(it.ip()));
            // Addresses of one link need its name beside them, which no browser takes.
            let reached = |it: &IpAddr| {
                !it.is_loopback() && !matches!(it, IpAddr::V6(it) if it.is_unicast_link_local())
            };
            names.extend(v4.or(v6).filter(reached).map(|it| it.to_string()));
        }
    } else {
        names.push(listen.to_string());
    }
    if let Ok(Ok(name)) = nix::unistd::gethostname().map(std::ffi::OsString::into_string) {
        names.push(format!("{name}.local"));
        names.push(name);
    }
    names.extend(more.iter().cloned());
    names.push("localhost".into());
    names.push("127.0.0.1".into());
    names.sort();
    names.dedup();
    Ok(names)
}

fn start(
    store: Store,
    open: Option<Open>,
    listener: impl Future<Output = anyhow::Result<TcpListener>>,
) -> Result<(), Stop> {
    run(store, false, open, listener)
}

fn run(
    store: Store,
    has_stand_ins: bool,
    open: Option<Open>,
    listener: impl Future<Output = anyhow::Result<TcpListener>>,
) -> Result<(), Stop> {
    tracing_subscriber::fmt()
        .with_env_filter(
            tracing_subscriber::EnvFilter::try_from_default_env().unwrap_or_else(|_| "warn".into()),
        )
        .with_writer(std::io::stderr)
        .init();
    // Two threads answer; the rest of the machine belongs to what it keeps alive.
    let runtime = tokio::runtime::Builder::new_multi_thread()
        .worker_threads(2)
        .enable_all()
        .build()?;
    let ended =
        runtime.block_on(async {
            let listener = listener.await?;
            if has_stand_ins {
                crate::demo::stand_ins(&store).await?;
            }
            let mut state = AppState::new(store);
            let scheme = if open.is_some() { "https" } else { "http" };
            let mut address = format!("{scheme}://{}/", listener.local_addr()?);
            let mut told = String::new();
            let tls = open.map(|Open { mut names, access, tls }| {
            // From this machine the loopback names do.
            names.retain(|it| it != "localhost" && it != "127.0.0.1");
            let port = listener.local_addr().map(|it| it.port()).unwrap_or_default();
            let at: Vec<String> = names.iter().map(|it| bracketed(it, port)).collect();
            address = at.first().cloned().unwrap_or(address.clone());
            told = format!(
                "Other machines reach it at {}\nThe first time a browser warns, as nobody else \
                vouches for the certificate that was made here.\nCompare its SHA-256 fingerprint \
                before you go on:\n  {}\n",
                at.join("  "),
                tls.fingerprint()
            );
            state.names = names.into();
            state.access = Some(Arc::new(access));
            tls
        });
            // Heard from here on: whoever reads that it listens may stop it at once.
            let stop = asked_to_stop()?;
            let listening = state.store.folder().join("listening");
            crate::tls::secret(&listening, format!("at {address}\n").as_bytes())?;
            // Whoever started it may read no further: that is no reason to stop.
            let say = |text: &str| drop(std::io::stdout().lock().write_all(text.as_bytes()));
            say(&format!(
                "Ash Pond is at {address}   (Ctrl-C stops it)\n{told}"
            ));
            let copying = tokio::spawn(copy_each_day(state.store.clone(), state.asked.clone()));
            let bringing = tokio::spawn(bring_in(state.store.clone()));
            let recorder = Recorder::begin(&state);
            let keeper = Keeper::begin(&state);
            let ended = until(listener, state, tls, stop).await;
            copying.abort();
            bringing.abort();
            drop(keeper);
            recorder.end().await;
            drop(std::fs::remove_file(&listening));
            ended?;
            say("Stopped.\n");
            Ok(())
        });
    // A computation that goes on holds nobody up: what was acknowledged is on disk.
    runtime.shutdown_timeout(std::time::Duration::from_millis(500));
    ended
}

fn bracketed(name: &str, port: u16) -> String {
    if name.contains(':') {
        format!("https://[{name}]:{port}/")
    } else {
        format!("https://{name}:{port}/")
    }
}
