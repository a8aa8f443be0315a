//! Every check and every test, in the order of what fails fastest.

use crate::{build_web, generate, install};
use anyhow::{Context, Result, bail};
use std::io::{BufRead, BufReader};
use std::process::{Command, Stdio};
use xshell::{Shell, cmd};

/// Where the property tests begin. The same run fails or passes again the same; plain `cargo nextest run` begins
/// elsewhere each time, and so does this with the variable set to another number.
const SEED: &str = "PROPTEST_RNG_SEED";
const THE_SAME_AGAIN: &str = "20261124";

/// Counts of a run of tests.
#[derive(Default)]
struct Count {
    passed: u64,
    failed: u64,
}

/// Runs everything. Ends with a plain line that says how many tests passed.
pub(crate) fn run(shell: &Shell) -> Result<()> {
    install::browser(shell)?;
    install::packages(shell)?;
    println!("— format");
    cmd!(shell, "cargo fmt --all --check").run()?;
    crate::lines::check(&crate::root())?;
    {
        let _web = shell.push_dir("web");
        cmd!(shell, "npm run --silent format")
            .ignore_stdout()
            .run()?;
        println!("— types and lints of the front end");
        cmd!(shell, "npm run --silent lint").run()?;
        cmd!(shell, "npm run --silent types").run()?;
    }
    build_web(shell)?;
    println!("— clippy");
    cmd!(
        shell,
        "cargo clippy --workspace --all-targets --quiet -- --deny warnings"
    )
    .run()?;
    // All at once: another choice of packages would have other features, and everything would be
    // built a second time. What the examples in the docs are built with is the same without xtask
    // only, which is no part of the program.
    println!("— building the program and the tests");
    let nextest = install::nextest(shell);
    if nextest {
        cmd!(
            shell,
            "cargo nextest run --workspace --exclude xtask --no-run"
        )
        .run()?;
    } else {
        cmd!(
            shell,
            "cargo test --workspace --exclude xtask --lib --bins --tests --no-run"
        )
        .run()?;
    }
    println!("— the API's types");
    drift(shell)?;
    let mut count = Count::default();
    println!("— tests of the front end");
    count.add(&[
        "npm",
        "--prefix",
        "web",
        "run",
        "--silent",
        "test",
        "--",
        "--reporter=verbose",
    ])?;
    println!("— tests");
    for packages in [
        &["--workspace", "--exclude", "xtask"][..],
        &["--package", "xtask"],
    ] {
        count.add(&tests_of(packages, nextest))?;
    }
    println!("— examples in the docs");
    count.add(&["cargo", "test", "--workspace", "--doc", "--quiet"])?;
    println!("{} passed, {} failed", count.passed, count.failed);
    if count.failed > 0 {
        bail!("{} tests failed", count.failed);
    }
    Ok(())
}

/// What runs the tests of some packages. What needed a second try is named.
fn tests_of<'a>(packages: &[&'a str], nextest: bool) -> Vec<&'a str> {
    let mut words = vec!["cargo"];
    words.extend(if nextest {
        &["nextest", "run"][..]
    } else {
        &["test"]
    });
    words.extend(packages);
    words.push("--no-fail-fast");
    words.extend(if nextest {
        &["--status-level", "fail", "--final-status-level", "flaky"][..]
    } else {
        &["--lib", "--bins", "--tests"]
    });
    words
}

/// Fails where the committed description of the API, its types or the plan's schema are not those that the code makes.
fn drift(shell: &Shell) -> Result<()> {
    let files = [
        "web/openapi.json",
        "web/src/api/types.ts",
        "docs/plan.schema.json",
    ];
    let committed = files.map(|file| shell.read_file(file).unwrap_or_default());
    let folder = std::env::var_os("CARGO_TARGET_DIR")
        .map_or_else(|| crate::root().join("target"), Into::into);
    generate(shell, &[&folder.join("debug/ash-pond").to_string_lossy()])?;
    for (file, before) in files.iter().zip(committed) {
        if shell.read_file(file)? != before {
            bail!(
                "{file} was not what the code makes; it is now. Commit it (`cargo xtask gen-api` makes it)"
            );
        }
    }
    Ok(())
}

impl Count {
    /// Runs a command, shows what it prints, and adds up the lines with which test runners close.
    fn add(&mut self, words: &[&str]) -> Result<()> {
        let mut child = Command::new(words[0])
            .args(&words[1..])
            .env("CARGO_TERM_COLOR", "never")
            .env("NO_COLOR", "1")
            .env(
                SEED,
                std::env::var(SEED).unwrap_or_else(|_| THE_SAME_AGAIN.into()),
            )
            .stdout(Stdio::piped())
            .stderr(Stdio::piped())
            .spawn()
            .with_context(|| format!("{} does not start", words[0]))?;
        let errors = child.stderr.take().context("its errors")?;
        let beside = std::thread::spawn(move || {
            let lines = BufReader::new(errors).lines().map_while(Result::ok);
            lines
                .inspect(|line| eprintln!("{line}"))
                .map(|line| closing(&line))
                .fold((0, 0), sum)
        });
        let lines = BufReader::new(child.stdout.take().context("its output")?)
            .lines()
            .map_while(Result::ok);
        let here = lines
            .inspect(|line| println!("{line}"))
            .map(|line| closing(&line))
            .fold((0, 0), sum);
        let there = beside.join().unwrap_or_default();
        let (passed, failed) = sum(here, there);
        let well = child.wait()?.success();
        self.passed += passed;
        // A run that failed without a count of its own counts as one.
        self.failed += if well { failed } else { failed.max(1) };
        Ok(())
    }
}

fn sum(one: (u64, u64), other: (u64, u64)) -> (u64, u64) {
    (one.0 + other.0, one.1 + other.1)
}

/// Passed and failed of a closing line: nextest's "Summary", cargo's "test result:", vitest's "Tests".
fn closing(line: &str) -> (u64, u64) {
    // What a failed test printed is shown indented, closing lines of its own included.
    let inner = line.starts_with(' ') && line.trim().starts_with("test result:");
    let line = line.trim();
    let closes = line.starts_with("Summary [")
        || line.starts_with("test result:")
        || line.starts_with("Tests ");
    if !closes || inner {
        return (0, 0);
    }
    let before = |word: &str| -> u64 {
        let words: Vec<&str> = line
            .split([' ', ';', ','])
            .filter(|it| !it.is_empty())
            .collect();
        let at = words.iter().position(|it| *it == word);
        at.and_then(|at| at.checked_sub(1))
            .and_then(|at| words[at].parse().ok())
            .unwrap_or(0)
    };
    (before("passed"), before("failed"))
}

#[cfg(test)]
mod tests {
    use super::closing;

    #[test]
    fn closing_lines_of_each_runner_are_counted() {
        assert_eq!(
            closing("     Summary [   1.2s] 40 tests run: 38 passed, 2 failed, 1 skipped"),
            (38, 2)
        );
        assert_eq!(
            closing("test result: ok. 13 passed; 0 failed; 0 ignored; 0 measured"),
            (13, 0)
        );
        assert_eq!(closing("      Tests  7 passed (7)"), (7, 0));
        assert_eq!(
            closing("    test result: FAILED. 0 passed; 1 failed; 0 ignored"),
            (0, 0)
        );
        assert_eq!(closing("running 3 tests"), (0, 0));
    }

    /// With one binary for each crate a file that nobody names there would never run, and nobody would miss it.
    #[test]
    fn every_file_of_tests_is_named_in_the_binary_of_its_crate() {
        let crates = std::fs::read_dir(concat!(env!("CARGO_MANIFEST_DIR"), "/../crates")).unwrap();
        let mut named = 0;
        for tests in crates.map(|it| it.unwrap().path().join("tests")) {
            let Ok(all) = std::fs::read_to_string(tests.join("all.rs")) else {
                continue;
            };
            for file in std::fs::read_dir(&tests)
                .unwrap()
                .map(|it| it.unwrap().path())
            {
                let stem = file.file_stem().unwrap().to_str().unwrap().to_owned();
                if file.extension().is_some_and(|it| it == "rs") && stem != "all" {
                    let line = format!("mod {stem};");
                    assert!(
                        all.lines().any(|it| it == line),
                        "{}/all.rs does not say {line}",
                        tests.display()
                    );
                    named += 1;
                }
            }
        }
        assert!(named > 80, "{named} files of tests were found");
    }
}
