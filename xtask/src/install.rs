//! Installs what a fresh machine with Rust and Node does not have.

use anyhow::{Result, bail};
use xshell::{Shell, cmd};

/// Whether a program is there.
fn there(shell: &Shell, program: &str) -> bool {
    cmd!(shell, "{program} --version")
        .quiet()
        .ignore_stdout()
        .ignore_stderr()
        .run()
        .is_ok()
}

/// The front end's packages, from the lock file; again only when that has changed.
pub(crate) fn packages(shell: &Shell) -> Result<()> {
    if !there(shell, "npm") {
        bail!("npm is not here; install Node 20 or newer");
    }
    let _web = shell.push_dir("web");
    let lock = shell.read_file("package-lock.json")?;
    let stamp = "node_modules/.installed-from";
    if shell
        .read_file(stamp)
        .is_ok_and(|installed| installed == lock)
    {
        return Ok(());
    }
    println!("— installing the front end's packages");
    cmd!(shell, "npm ci --no-audit --no-fund --loglevel=error").run()?;
    shell.write_file(stamp, lock)?;
    Ok(())
}

/// Debian's browser and its driver.
pub(crate) fn browser(shell: &Shell) -> Result<()> {
    if there(shell, "chromium") && there(shell, "chromedriver") {
        return Ok(());
    }
    println!("— installing chromium and chromium-driver");
    let root = cmd!(shell, "id --user").quiet().read()? == "0";
    let sudo: &[&str] = if root {
        &[]
    } else {
        &["sudo", "--non-interactive"]
    };
    let update = cmd!(shell, "env {sudo...} apt-get update --quiet")
        .ignore_stdout()
        .run();
    let install = cmd!(
        shell,
        "env {sudo...} apt-get install --yes --quiet --no-install-recommends chromium chromium-driver"
    );
    if update
        .and_then(|()| {
            install
                .env("DEBIAN_FRONTEND", "noninteractive")
                .ignore_stdout()
                .run()
        })
        .is_err()
    {
        bail!(
            "the browser tests need Debian's chromium and chromium-driver, and this user may not install them; \
             run `apt-get install chromium chromium-driver` as root"
        );
    }
    Ok(())
}

/// The test runner. Where it cannot be built, cargo's own serves.
pub(crate) fn nextest(shell: &Shell) -> bool {
    let here = |shell: &Shell| {
        cmd!(shell, "cargo nextest --version")
            .quiet()
            .ignore_stdout()
            .ignore_stderr()
            .run()
            .is_ok()
    };
    if here(shell) {
        return true;
    }
    println!("— installing cargo-nextest");
    let built = cmd!(shell, "cargo install --locked --quiet cargo-nextest").run();
    built.is_ok() && here(shell)
}
