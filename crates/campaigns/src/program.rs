//! The program under trial: started on a folder, killed or stopped, and gone when this is dropped.

use anyhow::{Context as _, Result, bail};
use std::io::{BufRead as _, BufReader};
use std::path::{Path, PathBuf};
use std::process::{Child, Command, Stdio};
use std::time::{Duration, Instant};

/// The program, running.
pub struct Program {
    child: Child,
    /// Where it listens.
    pub base: String,
}

impl Program {
    /// Starts it on a folder with the demo's data and stand-ins; the file at `clock` moves its
    /// clock by whole seconds. Where `limit_kb` is given no file that it writes grows beyond that,
    /// as on a disk that is full.
    ///
    /// # Errors
    /// Where it does not start.
    pub fn start(program: &Path, data: &Path, clock: &Path, limit_kb: Option<u64>) -> Result<Self> {
        let mut command = match limit_kb {
            None => Command::new(program),
            Some(blocks) => {
                // A file that is too long is an error for who writes it, and no reason to end.
                let mut shell = Command::new("sh");
                let script = format!("trap '' XFSZ; ulimit -f {}; exec \"$0\" \"$@\"", blocks * 2);
                shell.args(["-c", &script]).arg(program);
                shell
            }
        };
        let mut child = command
            .args(["demo", "--port", "0", "--data"])
            .arg(data)
            .env("ASH_POND_CLOCK_SHIFT", clock)
            .env("RUST_LOG", "off")
            .stdin(Stdio::null())
            .stdout(Stdio::piped())
            .stderr(Stdio::null())
            .spawn()
            .with_context(|| format!("{} does not start", program.display()))?;
        let mut lines = BufReader::new(child.stdout.take().context("what it says")?).lines();
        let base = lines.find_map(|line| {
            let line = line.ok()?;
            let rest = line.strip_prefix("Ash Pond is at ")?;
            Some(
                rest.split_whitespace()
                    .next()?
                    .trim_end_matches('/')
                    .to_owned(),
            )
        });
        let Some(base) = base else {
            let ended = child.wait()?;
            bail!("the program ended before it listened: {ended}");
        };
        Ok(Self { child, base })
    }

    /// Kills it as a power cut would: it hears nothing of it.
    ///
    /// # Errors
    /// Where it cannot be waited for.
    pub fn kill(mut self) -> Result<()> {
        self.child.kill()?;
        self.child.wait()?;
        Ok(())
    }

    /// Asks it to stop, and tells how long it took.
    ///
    /// # Errors
    /// Where it goes on for more than ten seconds, or ends badly.
    pub fn stop(mut self) -> Result<Duration> {
        let begun = Instant::now();
        let process = nix::unistd::Pid::from_raw(i32::try_from(self.child.id())?);
        nix::sys::signal::kill(process, nix::sys::signal::Signal::SIGTERM)?;
        while begun.elapsed() < Duration::from_secs(10) {
            if let Some(ended) = self.child.try_wait()? {
                return if ended.success() {
                    Ok(begun.elapsed())
                } else {
                    bail!("it ended with {ended}")
                };
            }
            std::thread::sleep(Duration::from_millis(20));
        }
        bail!("it goes on ten seconds after it was asked to stop")
    }

    /// Its memory, MB: what stands in real memory.
    pub fn memory_mb(&self) -> f64 {
        let status = std::fs::read_to_string(format!("/proc/{}/status", self.child.id()))
            .unwrap_or_default();
        let line = status.lines().find_map(|it| it.strip_prefix("VmRSS:"));
        let kb: Option<f64> = line.and_then(|it| it.split_whitespace().next()?.parse().ok());
        kb.unwrap_or_default() / 1000.0
    }
}

impl Drop for Program {
    fn drop(&mut self) {
        let _ = self.child.kill();
        let _ = self.child.wait();
    }
}

/// The program that was built beside whatever runs this.
///
/// # Errors
/// Where none was built.
pub fn beside() -> Result<PathBuf> {
    let here = std::env::current_exe()?;
    let found = here
        .ancestors()
        .skip(1)
        .take(3)
        .map(|it| it.join("ash-pond"))
        .find(|it| it.is_file());
    found.context("no ash-pond lies beside this; build it with `cargo build --package ash-pond`")
}
