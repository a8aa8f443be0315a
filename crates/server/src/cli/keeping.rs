//! `passphrase`, `backup`, `restore` and `status`: what a data folder needs beside its server.

use super::common::{Stop, print};
use crate::access::{Role, passphrases, set_passphrase};
use anyhow::Context as _;
use ash_pond_store::backup;
use std::fmt::Write as _;
use std::io::{BufRead as _, IsTerminal as _};
use std::path::Path;

/// Sets or takes away a passphrase. It is read from standard input, twice where a person types it.
pub(super) fn passphrase(data: &Path, guest: bool, remove: bool) -> Result<(), Stop> {
    if !data.is_dir() {
        return Err(Stop::Input(format!(
            "--data {}: there is no such folder",
            data.display()
        )));
    }
    let role = if guest { Role::Guest } else { Role::Owner };
    if remove {
        set_passphrase(data, role, None)?;
        return print(
            "The passphrase is gone. A server that runs takes note of it when it is started \
            again.\n",
        );
    }
    let first = typed("Passphrase, twelve letters or more: ")?;
    if std::io::stdin().is_terminal() && typed("Once more: ")? != first {
        return Err(Stop::Input(
            "the two are not the same; nothing was changed".into(),
        ));
    }
    set_passphrase(data, role, Some(&first)).map_err(|error| Stop::Input(error.to_string()))?;
    let whose = if guest {
        "guests, who look and change nothing,"
    } else {
        "other machines"
    };
    print(&format!(
        "Kept. With it {whose} get in over `ash-pond serve --listen 0.0.0.0:8787`. A server that \
        runs takes note of it when it is started again.\n"
    ))
}

/// A line from standard input; a person's is not shown.
fn typed(prompt: &str) -> Result<String, Stop> {
    use nix::sys::termios::{LocalFlags, SetArg, tcgetattr, tcsetattr};
    let stdin = std::io::stdin();
    let mut line = String::new();
    if stdin.is_terminal() {
        eprint!("{prompt}");
        let before = tcgetattr(&stdin)?;
        let mut silent = before.clone();
        silent.local_flags.remove(LocalFlags::ECHO);
        tcsetattr(&stdin, SetArg::TCSAFLUSH, &silent)?;
        let read = stdin.lock().read_line(&mut line);
        tcsetattr(&stdin, SetArg::TCSAFLUSH, &before)?;
        eprintln!();
        read?;
    } else {
        stdin.lock().read_line(&mut line)?;
    }
    Ok(line.trim_end_matches(['\r', '\n']).to_owned())
}

/// Copies everything to a file, also while a server runs.
pub(super) fn backup(data: &Path, to: &Path) -> Result<(), Stop> {
    let bytes = backup::backup(data, to).map_err(|error| Stop::Input(error.to_string()))?;
    print(&format!(
        "{}: {} kB, whole.\n",
        to.display(),
        bytes.div_ceil(1000)
    ))
}

/// Brings a copy back.
pub(super) fn restore(data: &Path, from: &Path) -> Result<(), Stop> {
    let stamp: String = crate::usecase::tests::now()
        .chars()
        .filter(char::is_ascii_alphanumeric)
        .collect();
    let done =
        backup::restore(data, from, &stamp).map_err(|error| Stop::Input(error.to_string()))?;
    let mut told = format!("Back in {}: {}.\n", data.display(), done.sites.join(", "));
    if let Some(kept) = done.kept {
        let _ = writeln!(told, "What stood there is kept as {}.", kept.display());
    }
    print(&told)
}

/// What a data folder holds, and who listens.
pub(super) fn status(data: &Path) -> Result<(), Stop> {
    let file = data.join("ash-pond.sqlite");
    let length = std::fs::metadata(&file)
        .map_err(|error| {
            Stop::Input(format!(
                "--data {}: there is no Ash Pond in it ({error})",
                data.display()
            ))
        })?
        .len();
    let mut told = format!("Ash Pond {}\n", env!("CARGO_PKG_VERSION"));
    let _ = writeln!(
        told,
        "data      {} ({} kB)",
        data.display(),
        length.div_ceil(1000)
    );
    match ash_pond_store::Store::open(data) {
        Ok(store) => {
            let _ = writeln!(told, "server    none uses it");
            let _ = writeln!(
                told,
                "sites     {}",
                store
                    .sites()?
                    .iter()
                    .map(|it| &*it.name)
                    .collect::<Vec<_>>()
                    .join(", ")
            );
            let meters = store.meters()?;
            let named: Vec<String> = meters
                .iter()
                .map(|it| format!("{} ({} at {})", it.label, it.speaks, it.address))
                .collect();
            let _ = writeln!(
                told,
                "meters    {}",
                if named.is_empty() {
                    "none".into()
                } else {
                    named.join(", ")
                }
            );
        }
        Err(ash_pond_store::StoreError::InUse(_)) => {
            let listening = std::fs::read_to_string(data.join("listening")).unwrap_or_default();
            let _ = writeln!(told, "server    runs, {}", listening.trim());
        }
        Err(error) => return Err(Stop::Input(error.to_string())),
    }
    let copies = std::fs::read_dir(data.join("backups")).map(|it| it.filter_map(Result::ok));
    let mut copies: Vec<String> = copies
        .map(|it| {
            it.map(|it| it.file_name().to_string_lossy().into_owned())
                .collect()
        })
        .unwrap_or_default();
    copies.sort();
    let last = copies.iter().rev().find(|it| it.starts_with("ash-pond-"));
    let _ = writeln!(
        told,
        "copies    {}, the latest {}",
        copies.len(),
        last.map_or("none", String::as_str)
    );
    let (owner, guest) = passphrases(data).context("the passphrases cannot be read")?;
    let said = match (owner, guest) {
        (false, _) => "none: only this machine gets in",
        (true, false) => "the owner's",
        (true, true) => "the owner's and one for guests",
    };
    let _ = writeln!(told, "passphrase {said}");
    print(&told)
}
