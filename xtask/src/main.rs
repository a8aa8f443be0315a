//! The project's own commands. `cargo xtask --help` lists them.

mod arrows;
mod campaign;
mod clean_root;
mod dist;
mod install;
mod lines;
mod test;
mod tester;

use anyhow::Result;
use clap::{Parser, Subcommand};
use std::path::PathBuf;
use xshell::{Shell, cmd};

#[derive(Debug, Parser)]
#[command(about = "The project's own commands", max_term_width = 100)]
struct Cli {
    #[command(subcommand)]
    command: Command,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Build everything and serve the demo site
    Demo {
        /// Start the demo's data again from nothing
        #[arg(long)]
        fresh: bool,
        /// Port to listen on [default: the first free one from 8787]
        #[arg(long, value_name = "N")]
        port: Option<u16>,
    },
    /// Install what is missing, then run every check and test
    Test,
    /// Take the pictures in docs/screenshots from the demo data
    Shots,
    /// Run the benches
    Bench,
    /// Ask the API whatever its description allows, and more, with a property-based tester in an environment of its own
    ApiTest {
        /// Examples for each operation and phase
        #[arg(long, value_name = "N", default_value_t = 20)]
        examples: u32,
    },
    /// Try a server for long: kills, full disks, clocks that jump, held-up connections, large
    /// bodies, hung meters, a rate of requests
    Soak {
        /// About how long
        #[arg(long, value_name = "N", default_value_t = 10)]
        minutes: u64,
        /// Requests a second
        #[arg(long, value_name = "N", default_value_t = 1000)]
        rate: u64,
        /// What chance begins with
        #[arg(long, value_name = "N", default_value_t = 1)]
        seed: u64,
    },
    /// Try odd inputs by the million: plans, files, entries, readings, requests
    Fuzz {
        /// How many
        #[arg(long, value_name = "N", default_value_t = 10_000_000)]
        inputs: u64,
        /// What chance begins with
        #[arg(long, value_name = "N", default_value_t = 1)]
        seed: u64,
    },
    /// Make one stripped binary and a Debian package with a service unit, a manual page and shell
    /// completions, in target/dist
    Dist,
    /// Try the package where nothing else is: in a clean root, with the memory of a small board
    /// (needs root and debootstrap)
    TryPackage,
    /// Follow what files take of each other: no circle that is not known, no arrow against the layers
    Arrows {
        /// Write the list of circles as they are
        #[arg(long)]
        write: bool,
    },
    /// Make the API's description, the front end's types and the plan's schema anew
    GenApi,
}

fn main() -> Result<()> {
    let shell = Shell::new()?;
    shell.change_dir(root());
    match Cli::parse().command {
        Command::Demo { fresh, port } => demo(&shell, fresh, port),
        Command::Test => test::run(&shell),
        Command::Shots => {
            install::browser(&shell)?;
            build_web(&shell)?;
            cmd!(
                shell,
                "cargo run --package ash-pond-e2e --bin shots -- docs/screenshots"
            )
            .run()?;
            Ok(())
        }
        Command::Bench => {
            cmd!(shell, "cargo bench --workspace --benches").run()?;
            Ok(())
        }
        Command::ApiTest { examples } => tester::run(&shell, examples),
        Command::Soak {
            minutes,
            rate,
            seed,
        } => campaign::soak(&shell, minutes, rate, seed),
        Command::Fuzz { inputs, seed } => campaign::fuzz(&shell, inputs, seed),
        Command::Dist => dist::run(&shell),
        Command::TryPackage => clean_root::run(&shell),
        Command::Arrows { write } => arrows::check(&root(), write),
        Command::GenApi => {
            install::packages(&shell)?;
            generate(
                &shell,
                &["cargo", "run", "--quiet", "--package", "ash-pond", "--"],
            )
        }
    }
}

/// The folder of the workspace.
fn root() -> PathBuf {
    // Cargo says where it runs from; what was built in has another folder's path where the build was copied.
    let here = std::env::var_os("CARGO_MANIFEST_DIR")
        .map_or_else(|| env!("CARGO_MANIFEST_DIR").into(), PathBuf::from);
    here.parent().map(PathBuf::from).unwrap_or(here)
}

/// Installs the front end's packages and builds it.
fn build_web(shell: &Shell) -> Result<()> {
    install::packages(shell)?;
    let _web = shell.push_dir("web");
    println!("— building the front end");
    cmd!(shell, "npm run --silent build -- --logLevel warn").run()?;
    Ok(())
}

fn demo(shell: &Shell, fresh: bool, port: Option<u16>) -> Result<()> {
    build_web(shell)?;
    println!("— building the server (the first time takes some minutes)");
    cmd!(shell, "cargo build --release --package ash-pond").run()?;
    let port = port.map(|it| format!("--port={it}"));
    let fresh = fresh.then_some("--fresh");
    // The server takes this process's place, so that Ctrl-C reaches it and nothing else.
    use std::os::unix::process::CommandExt;
    let program = root().join("target/release/ash-pond");
    let failed = std::process::Command::new(program)
        .current_dir(root())
        .args(["demo", "--data", ".demo"])
        .args(fresh)
        .args(port)
        .exec();
    Err(failed.into())
}

/// Writes the API's description, the types made from it, and the schema of the plan file.
fn generate(shell: &Shell, program: &[&str]) -> Result<()> {
    let Some((program, before)) = program.split_first() else {
        return Ok(());
    };
    let document = cmd!(shell, "{program} {before...} openapi").read()?;
    shell.write_file("web/openapi.json", document + "\n")?;
    let schema = cmd!(shell, "{program} {before...} schema").read()?;
    shell.write_file("docs/plan.schema.json", schema + "\n")?;
    let _web = shell.push_dir("web");
    cmd!(shell, "npm run --silent gen-api").run()?;
    Ok(())
}
