//! `stand-in`: a meter that is not there, by itself or beside the demo.

use super::common::Stop;
use crate::DEMO_PLAN;
use anyhow::Context;
use ash_pond_core::site::plan::Plan;
use ash_pond_stand_ins::{battery_monitor, bench_meter};
use std::net::{Ipv4Addr, SocketAddr};
use std::path::PathBuf;
use tokio::net::TcpListener;

#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// Which meter it stands in for
    #[arg(value_enum)]
    which: Which,
    /// A plan file that it is fed by [default: the demo site]
    #[arg(long, value_name = "PLAN")]
    plan: Option<PathBuf>,
    /// The source that the battery monitor watches [default: the first that stores anything]
    #[arg(long, value_name = "ID")]
    source: Option<String>,
    /// Address to listen on [default: 127.0.0.1, port 5025 for the meter and 5020 for the battery]
    #[arg(long, value_name = "ADDR")]
    listen: Option<SocketAddr>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
enum Which {
    /// Volts and amperes at both sides of a converter, over SCPI on TCP
    Meter,
    /// Volts, amperes and charge of a store, over Modbus TCP
    Battery,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = match &args.plan {
        Some(path) => super::common::plan(path)?,
        None => Plan::parse(DEMO_PLAN).context("the demo plan does not read")?,
    };
    let port = if args.which == Which::Meter {
        5025
    } else {
        5020
    };
    let address = args
        .listen
        .unwrap_or_else(|| SocketAddr::from((Ipv4Addr::LOCALHOST, port)));
    if !address.ip().is_loopback() {
        return Err(Stop::Input(format!(
            "--listen: {address} is no loopback address; a stand-in is for this machine alone"
        )));
    }
    let refused = |error: anyhow::Error| Stop::Input(format!("{error:#}"));
    let runtime = tokio::runtime::Builder::new_current_thread()
        .enable_all()
        .build()?;
    runtime.block_on(async {
        let listener = TcpListener::bind(address).await;
        let listener = listener.with_context(|| {
            format!("{address} cannot be listened on; choose another with --listen")
        })?;
        println!(
            "The stand-in listens on {}   (Ctrl-C stops it)",
            listener.local_addr()?
        );
        let answering = async {
            match args.which {
                Which::Meter => {
                    bench_meter::serve(listener, bench_meter::Bench::new(plan).map_err(refused)?)
                        .await?;
                }
                Which::Battery => {
                    let source = args
                        .source
                        .as_deref()
                        .or_else(|| crate::demo::first_store(&plan))
                        .unwrap_or_default()
                        .to_owned();
                    let monitor = battery_monitor::Monitor::new(plan, &source).map_err(refused)?;
                    battery_monitor::serve(listener, monitor).await?;
                }
            }
            Ok(())
        };
        tokio::select! {
            ended = answering => ended,
            _ = tokio::signal::ctrl_c() => Ok(()),
        }
    })
}
