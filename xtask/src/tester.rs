//! The API asked by a property-based tester: no server error, no answer that is not described, none
//! that breaks its schema.

use anyhow::{Context, Result, bail};
use std::process::{Command, Stdio};
use std::time::Duration;
use xshell::{Shell, cmd};

/// The tester, from the registry of Python packages.
const TESTER: &str = "schemathesis==4.32.5";
/// What it holds each answer against.
const CHECKS: &str = "not_a_server_error,status_code_conformance,content_type_conformance,\
                      response_headers_conformance,response_schema_conformance";
const PORT: &str = "8899";

pub(crate) fn run(shell: &Shell, examples: u32) -> Result<()> {
    let folder = crate::root().join("target/api-tester");
    let program = folder.join("bin/schemathesis");
    if !program.exists() {
        println!("— installing the tester");
        cmd!(shell, "python3 -m venv {folder}").run()?;
        let pip = folder.join("bin/pip");
        cmd!(shell, "{pip} install --quiet {TESTER}").run()?;
    }
    crate::build_web(shell)?;
    cmd!(shell, "cargo build --release --package ash-pond").run()?;
    let data = crate::root().join("target/api-tester-data");
    let mut server = Command::new(crate::root().join("target/release/ash-pond"))
        .args(["demo", "--fresh", "--port", PORT, "--data"])
        .arg(&data)
        .stdout(Stdio::null())
        .spawn()
        .context("the server does not start")?;
    std::thread::sleep(Duration::from_secs(2));
    let address = format!("http://127.0.0.1:{PORT}/api");
    let count = examples.to_string();
    let asked = cmd!(
        shell,
        "{program} run {address}/openapi.json --url {address} --max-examples {count}
            --checks {CHECKS} --workers 2 --seed 1"
    );
    // Bodies that are files have no form of their own.
    let hooks = crate::root().join("xtask/tester_hooks.py");
    let asked = asked.env("SCHEMATHESIS_HOOKS", hooks).run();
    let goes_on = server.try_wait()?.is_none();
    server.kill()?;
    server.wait()?;
    if !goes_on {
        bail!("the server ended while it was asked");
    }
    Ok(asked?)
}
