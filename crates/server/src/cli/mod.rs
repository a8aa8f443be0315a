//! The command line: the same core without the browser.

mod bench;
mod charge;
mod check;
mod common;
mod compare;
mod crossings;
mod evaluate;
mod exchange;
mod keeping;
mod outage;
mod report;
mod serve;
mod shelf;
mod simulate;
mod stand_in;
mod watch;

use ash_pond_core::ground::say::{Habits, render};
use clap::{CommandFactory as _, Parser, Subcommand};
use common::{HABITS, Stop, habits, print};
use std::path::PathBuf;
use std::process::ExitCode;

/// Keeps low-power critical devices running through outages and off the grid.
///
/// Computes what flows from a store through converters and leads to each device, checks
/// every limit at every phase and charge, and serves the application that shows it.
#[derive(Debug, Parser)]
#[command(
    name = "ash-pond",
    version,
    propagate_version = true,
    max_term_width = 100
)]
struct Cli {
    #[command(subcommand)]
    command: Command,
    /// How numbers and units are written: point or comma, c or f, m or ft, mm2 or awg, 24h or 12h,
    /// with commas between
    #[arg(long, global = true, value_name = "WORDS", default_value = "")]
    units: String,
}

#[derive(Debug, Subcommand)]
enum Command {
    /// Serve the demo sites, Hollin Lock and Weir Hut, on a free loopback port
    Demo {
        /// Folder for the demo's data
        #[arg(long, value_name = "DIR", default_value = ".demo")]
        data: PathBuf,
        /// Start the demo's data again from nothing
        #[arg(long)]
        fresh: bool,
        /// Port to listen on [default: the first free one from 8787]
        #[arg(long, value_name = "N")]
        port: Option<u16>,
    },
    /// Serve the application from a data folder
    Serve {
        /// Folder for the data; made where it is not there
        #[arg(long, value_name = "DIR")]
        data: PathBuf,
        /// Address to listen on; one that other machines reach needs a passphrase (`ash-pond
        /// passphrase`), and speaks TLS
        #[arg(long, value_name = "ADDR", default_value = "127.0.0.1:8787")]
        listen: std::net::SocketAddr,
        /// A name under which other machines reach it, beside this machine's own name and
        /// addresses; can be given again
        #[arg(long, value_name = "NAME")]
        name: Vec<String>,
        /// A certificate of your own (PEM, its chain after it) instead of the one that is made here
        #[arg(long, value_name = "FILE", requires = "key")]
        certificate: Option<PathBuf>,
        /// The private key of that certificate (PEM)
        #[arg(long, value_name = "FILE", requires = "certificate")]
        key: Option<PathBuf>,
    },
    /// Set the passphrase with which other machines get in, read from standard input
    Passphrase {
        /// Folder of the data
        #[arg(long, value_name = "DIR")]
        data: PathBuf,
        /// The passphrase for guests, who look and change nothing
        #[arg(long)]
        guest: bool,
        /// Take it away
        #[arg(long)]
        remove: bool,
    },
    /// Copy everything of a data folder to a file, also while its server runs
    Backup {
        /// Folder of the data
        #[arg(long, value_name = "DIR")]
        data: PathBuf,
        /// The file; one that is there is replaced once the copy is whole
        file: PathBuf,
    },
    /// Bring a copy back; it is checked first, and what stood there is kept beside it
    Restore {
        /// Folder of the data
        #[arg(long, value_name = "DIR")]
        data: PathBuf,
        /// The copy
        file: PathBuf,
    },
    /// Tell what a data folder holds, its copies, and who listens
    Status {
        /// Folder of the data
        #[arg(long, value_name = "DIR")]
        data: PathBuf,
    },
    /// Compute what flows in one arrangement at one moment
    Evaluate(evaluate::Args),
    /// Check every limit of a plan at every moment, and at full, half and floor charge
    ///
    /// Ends with 0, with 3 where something trips, with 2 for bad input.
    Check(check::Args),
    /// Compare arrangements of the same devices over a day, or over an outage
    Compare(compare::Args),
    /// Find where two arrangements draw the same
    Crossings(crossings::Args),
    /// March an arrangement through an outage: what goes down when, and why
    Simulate(simulate::Args),
    /// Tell, from what meters and people saw of an outage, how long everything still has
    Watch(watch::Args),
    /// Tell what dropping devices buys the ones that matter more, and the best order
    Shed(outage::ShedArgs),
    /// Find an order and a spacing in which everything starts after a return
    Starts(outage::StartsArgs),
    /// Tell how long a store takes to fill again, from everything that can fill it
    Recharge(charge::RechargeArgs),
    /// Tell which source fills which store, straight and through each converter
    Fills(charge::FillsArgs),
    /// Tell which port runs which device, alone and together
    Runs(shelf::RunsArgs),
    /// Tell how small a store, a lead or an inverter would still do, how long a lead, how late a
    /// start
    Smallest(shelf::SmallestArgs),
    /// Find chains that run devices for so long, with what is owned and what could be bought
    Find(shelf::FindArgs),
    /// What a single purchase or change wins: hours of some devices per coin and per kilogram
    Wins(shelf::WinsArgs),
    /// One box or parts, two batteries or two inverters: candidates side by side
    Candidates(shelf::CandidatesArgs),
    /// Fit a loss law to measured points of power out and power in
    Fit(bench::FitArgs),
    /// Read a switchover from a scope's or a logger's file
    Capture(bench::CaptureArgs),
    /// Find the phases of a device in a logger's file
    Phases(bench::PhasesArgs),
    /// Stand in for a meter that is not there
    StandIn(stand_in::Args),
    /// Write a site of a data folder, or a table of its kit, to standard output
    Export(exchange::ExportArgs),
    /// Tell what a plan file or a table would change in a site, and with --yes change it
    Import(exchange::ImportArgs),
    /// Write a report to print: what is here, what to do when the mains goes, what is due, and the
    /// keeper's sheets
    Report(report::Args),
    /// Print the schema of the plan file (JSON Schema 2020-12)
    Schema,
    /// Print the ready-made kinds of devices, sources and converters, as a plan file
    Kinds,
    /// Print the completions of a shell
    Completions {
        /// The shell
        shell: clap_complete::Shell,
    },
    /// Print the manual page, in roff
    Manual,
    /// Print the description of the API (OpenAPI 3.1)
    #[command(hide = true)]
    Openapi,
}

/// Runs the command line and tells the exit code.
pub fn run() -> ExitCode {
    let cli = Cli::parse();
    match Habits::parse(&cli.units) {
        Ok(habits) => drop(HABITS.set(habits)),
        Err(why) => {
            eprintln!("ash-pond: --units: {why}");
            return ExitCode::from(2);
        }
    }
    let ended = match cli.command {
        Command::Demo { data, fresh, port } => serve::demo(&data, fresh, port),
        Command::Serve {
            data,
            listen,
            name,
            certificate,
            key,
        } => serve::serve(
            &data,
            listen,
            &name,
            certificate.as_deref().zip(key.as_deref()),
        ),
        Command::Passphrase {
            data,
            guest,
            remove,
        } => keeping::passphrase(&data, guest, remove),
        Command::Backup { data, file } => keeping::backup(&data, &file),
        Command::Restore { data, file } => keeping::restore(&data, &file),
        Command::Status { data } => keeping::status(&data),
        Command::Report(args) => report::run(&args),
        Command::Evaluate(args) => evaluate::run(&args),
        Command::Check(args) => check::run(&args),
        Command::Compare(args) => compare::run(&args),
        Command::Crossings(args) => crossings::run(&args),
        Command::Simulate(args) => simulate::run(&args),
        Command::Watch(args) => watch::run(&args),
        Command::Shed(args) => outage::shed(&args),
        Command::Starts(args) => outage::start_order(&args),
        Command::Recharge(args) => charge::refill(&args),
        Command::Fills(args) => charge::matrix(&args),
        Command::Runs(args) => shelf::matrix(&args),
        Command::Smallest(args) => shelf::least(&args),
        Command::Find(args) => shelf::finder(&args),
        Command::Wins(args) => shelf::winning(&args),
        Command::Candidates(args) => shelf::side_by_side(&args),
        Command::Fit(args) => bench::fit(&args),
        Command::Capture(args) => bench::capture(&args),
        Command::Phases(args) => bench::phases(&args),
        Command::StandIn(args) => stand_in::run(&args),
        Command::Export(args) => exchange::export(&args),
        Command::Import(args) => exchange::import(&args),
        Command::Schema => print(&ash_pond_core::site::schema::text()),
        Command::Kinds => print(ash_pond_core::site::kinds::TEXT),
        Command::Completions { shell } => {
            clap_complete::generate(
                shell,
                &mut Cli::command(),
                "ash-pond",
                &mut std::io::stdout(),
            );
            Ok(())
        }
        Command::Manual => clap_mangen::Man::new(Cli::command())
            .render(&mut std::io::stdout())
            .map_err(Stop::from),
        Command::Openapi => print(&crate::app::described()),
    };
    match ended {
        Ok(()) => ExitCode::SUCCESS,
        Err(Stop::Trips) => ExitCode::from(3),
        Err(Stop::Input(sentence)) => {
            eprintln!("ash-pond: {}", render(&sentence, &habits()));
            ExitCode::from(2)
        }
        Err(Stop::Failed(error)) => {
            eprintln!("ash-pond: {}", render(&format!("{error:#}"), &habits()));
            ExitCode::FAILURE
        }
    }
}
