//! The package tried where nothing else is: installed in a clean root, run with the memory of a
//! small board, asked, stopped, removed. A person runs it, as root: it needs debootstrap and the
//! system's own package mirror.

use anyhow::{Context, Result, bail, ensure};
use std::io::{BufRead as _, BufReader, Read as _, Write as _};
use std::net::TcpStream;
use std::path::Path;
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};
use xshell::{Shell, cmd};

/// Memory that a board of 512 MB leaves to one program, bytes.
const MEMORY: &str = "400000000";
const PORT: u16 = 8898;

pub(crate) fn run(shell: &Shell) -> Result<()> {
    let dist = crate::root().join("target/dist");
    let package = packages(&dist);
    let package = if let Some(it) = package {
        it
    } else {
        crate::dist::run(shell)?;
        packages(&dist).context("no package was made")?
    };
    let clean = crate::root().join("target/clean-root");
    if !clean.join("usr/bin/dpkg").exists() {
        println!("— a clean root");
        let system = shell.read_file("/etc/os-release")?;
        let suite = system
            .lines()
            .find_map(|it| it.strip_prefix("VERSION_CODENAME="));
        let suite = suite.context("/etc/os-release names no version; this needs Debian")?;
        cmd!(shell, "debootstrap --variant=minbase {suite} {clean}")
            .quiet()
            .ignore_stdout()
            .run()?;
    }
    println!("— installed");
    std::fs::copy(&package, clean.join("tmp/ash-pond.deb"))?;
    cmd!(shell, "chroot {clean} dpkg --install /tmp/ash-pond.deb")
        .quiet()
        .run()?;
    for file in [
        "usr/bin/ash-pond",
        "usr/share/man/man1/ash-pond.1",
        "usr/lib/systemd/system/ash-pond.service",
        "usr/share/bash-completion/completions/ash-pond",
    ] {
        ensure!(clean.join(file).is_file(), "{file} was not installed");
    }
    println!(
        "{}",
        cmd!(shell, "chroot {clean} ash-pond --version")
            .quiet()
            .read()?
    );
    println!("— run by nobody, with {} MB", &MEMORY[..3]);
    cmd!(
        shell,
        "chroot {clean} install --directory --owner=nobody --mode=700 /var/lib/ash-pond-trial"
    )
    .quiet()
    .run()?;
    let mut child = Command::new("prlimit")
        .arg(format!("--data={MEMORY}"))
        .arg("chroot")
        .arg("--userspec=nobody:nogroup")
        .arg(&clean)
        .args([
            "ash-pond",
            "demo",
            "--fresh",
            "--data",
            "/var/lib/ash-pond-trial",
            "--port",
            &PORT.to_string(),
        ])
        .stdout(Stdio::piped())
        .spawn()
        .context("prlimit does not start; it is part of util-linux")?;
    let tried = tried(&mut child);
    let status =
        std::fs::read_to_string(format!("/proc/{}/status", child.id())).unwrap_or_default();
    let peak = status
        .lines()
        .find(|it| it.starts_with("VmHWM"))
        .unwrap_or("VmHWM: not known")
        .to_owned();
    let begun = Instant::now();
    let process = child.id().to_string();
    cmd!(shell, "kill -TERM {process}").quiet().run()?;
    let ended = child.wait()?;
    tried?;
    ensure!(
        ended.success() && begun.elapsed() < Duration::from_secs(6),
        "it did not stop orderly: {ended}"
    );
    println!(
        "{peak}; stopped after {:.1} s",
        begun.elapsed().as_secs_f64()
    );
    println!("— removed");
    cmd!(shell, "chroot {clean} dpkg --purge ash-pond")
        .quiet()
        .run()?;
    ensure!(
        !clean.join("usr/bin/ash-pond").exists(),
        "the program is still there"
    );
    ensure!(
        clean
            .join("var/lib/ash-pond-trial/ash-pond.sqlite")
            .is_file(),
        "the data went with it"
    );
    println!("well");
    Ok(())
}

fn packages(dist: &Path) -> Option<std::path::PathBuf> {
    let files = std::fs::read_dir(dist)
        .ok()?
        .filter_map(|it| Some(it.ok()?.path()));
    files
        .filter(|it| it.extension().is_some_and(|it| it == "deb"))
        .max()
}

/// Asks it what pages ask, the heaviest answers too.
fn tried(child: &mut Child) -> Result<()> {
    let said = child.stdout.take().context("what it says")?;
    let listens = BufReader::new(said)
        .lines()
        .map_while(Result::ok)
        .any(|it| it.starts_with("Ash Pond is at"));
    ensure!(listens, "it ended before it listened");
    let site = "/api/sites/hollin-lock";
    let storm = r#"{"arrangement":"direct","outage":"winter-storm"}"#;
    let chances = r#"{"of":{"arrangement":"direct","outage":"winter-storm"},"runs":2000,"seed":1}"#;
    for (method, path, body) in [
        ("GET", "/api/health".to_owned(), ""),
        ("GET", "/".to_owned(), ""),
        ("GET", format!("{site}/plan"), ""),
        ("GET", format!("{site}/tests"), ""),
        ("POST", format!("{site}/findings"), "{}"),
        ("POST", format!("{site}/outage"), storm),
        ("POST", format!("{site}/outage/chances"), chances),
        ("POST", format!("{site}/matters"), "{}"),
        ("GET", format!("{site}/archive"), ""),
    ] {
        let begun = Instant::now();
        let status = ask(method, &path, body)?;
        println!(
            "  {status}  {method} {path}  {} ms",
            begun.elapsed().as_millis()
        );
        ensure!(status == 200, "{path} answers {status}");
    }
    Ok(())
}

/// The status of an answer that came whole.
fn ask(method: &str, path: &str, body: &str) -> Result<u16> {
    let mut stream = TcpStream::connect(("127.0.0.1", PORT))?;
    stream.set_read_timeout(Some(Duration::from_mins(1)))?;
    let length = body.len();
    write!(
        stream,
        "{method} {path} HTTP/1.1\r\nHost: 127.0.0.1:{PORT}\r\nConnection: close\r\n\
         Content-Type: application/json\r\nContent-Length: {length}\r\n\r\n{body}"
    )?;
    let mut answer = Vec::new();
    stream.read_to_end(&mut answer)?;
    let head = String::from_utf8_lossy(&answer[..answer.len().min(64)]).into_owned();
    let Some(status) = head.split(' ').nth(1).and_then(|it| it.parse().ok()) else {
        bail!("no answer: {head}")
    };
    Ok(status)
}
