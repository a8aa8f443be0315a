//! What is installed: one binary, its manual page, completions, a service unit, in a Debian package.

use anyhow::{Context, Result};
use std::os::unix::fs::PermissionsExt as _;
use std::path::Path;
use xshell::{Shell, cmd};

/// The service: its own user, nothing but its own folder, stopped within five seconds.
const UNIT: &str = include_str!("../ash-pond.service");

pub(crate) fn run(shell: &Shell) -> Result<()> {
    crate::build_web(shell)?;
    println!("— building the binary");
    cmd!(shell, "cargo build --release --package ash-pond").run()?;
    let program = crate::root().join("target/release/ash-pond");
    let version = cmd!(shell, "{program} --version").read()?;
    let version = version
        .rsplit(' ')
        .next()
        .context("the binary says no version")?
        .to_owned();
    let architecture = cmd!(shell, "dpkg --print-architecture").read()?;
    let out = crate::root().join("target/dist");
    let tree = out.join("tree");
    shell.remove_path(&tree)?;
    let put = |at: &str, text: &[u8], mode: u32| -> Result<()> {
        let path = tree.join(at);
        shell.create_dir(path.parent().context("it has a folder")?)?;
        std::fs::write(&path, text)?;
        Ok(std::fs::set_permissions(
            &path,
            std::fs::Permissions::from_mode(mode),
        )?)
    };
    put("usr/bin/ash-pond", &std::fs::read(&program)?, 0o755)?;
    put(
        "usr/lib/systemd/system/ash-pond.service",
        UNIT.as_bytes(),
        0o644,
    )?;
    let manual = cmd!(shell, "{program} manual").read()?;
    put("usr/share/man/man1/ash-pond.1", manual.as_bytes(), 0o644)?;
    for (word, at) in [
        ("bash", "usr/share/bash-completion/completions/ash-pond"),
        ("zsh", "usr/share/zsh/vendor-completions/_ash-pond"),
        ("fish", "usr/share/fish/vendor_completions.d/ash-pond.fish"),
    ] {
        put(
            at,
            cmd!(shell, "{program} completions {word}")
                .read()?
                .as_bytes(),
            0o644,
        )?;
    }
    put(
        "usr/share/doc/ash-pond/README.md",
        &std::fs::read(crate::root().join("README.md"))?,
        0o644,
    )?;
    let kilobytes = std::fs::metadata(&program)?.len().div_ceil(1024);
    let control = format!(
        "Package: ash-pond\nVersion: {version}\nArchitecture: {architecture}\n\
         Maintainer: Ash Pond <ash-pond@localhost>\n\
         Installed-Size: {kilobytes}\nDepends: libc6\nSection: utils\nPriority: optional\n\
         Description: Keeps low-power critical devices running through outages and off the grid\n"
    );
    put("DEBIAN/control", control.as_bytes(), 0o644)?;
    for (name, text) in [
        ("postinst", AFTER_INSTALLING),
        ("prerm", BEFORE_REMOVING),
        ("postrm", AFTER_REMOVING),
    ] {
        put(&format!("DEBIAN/{name}"), text.as_bytes(), 0o755)?;
    }
    let package = out.join(format!("ash-pond_{version}_{architecture}.deb"));
    cmd!(
        shell,
        "dpkg-deb --root-owner-group --build {tree} {package}"
    )
    .run()?;
    std::fs::copy(&program, out.join("ash-pond"))?;
    told(&package);
    told(&out.join("ash-pond"));
    Ok(())
}

fn told(path: &Path) {
    let bytes = std::fs::metadata(path).map_or(0, |it| it.len());
    println!("{}  {} kB", path.display(), bytes.div_ceil(1000));
}

/// The unit makes its user and its folder by itself; where there is no systemd, nothing is started.
const AFTER_INSTALLING: &str = r#"#!/bin/sh
set -e
if [ -d /run/systemd/system ]; then
  systemctl daemon-reload
  systemctl enable --now ash-pond.service
fi
"#;
const BEFORE_REMOVING: &str = r#"#!/bin/sh
set -e
if [ -d /run/systemd/system ] && [ "$1" = remove ]; then
  systemctl disable --now ash-pond.service
fi
"#;
/// The data stay, whatever is removed: they are somebody's.
const AFTER_REMOVING: &str = r#"#!/bin/sh
set -e
if [ -d /run/systemd/system ]; then
  systemctl daemon-reload
fi
"#;
