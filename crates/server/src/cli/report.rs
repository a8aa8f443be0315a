//! `report`: a page to print, with everything inside, for whoever minds a site.

use super::common::{HABITS, Stop, print};
use crate::bodies::log::PaperQuery;
use crate::usecase::paper;
use ash_pond_core::ground::say::Habits;
use ash_pond_store::Store;
use clap::Args as ClapArgs;
use std::path::PathBuf;

#[derive(Debug, ClapArgs)]
pub(super) struct Args {
    /// Folder of the data; its server must not run, or the page offers the same
    #[arg(long, value_name = "DIR")]
    data: PathBuf,
    /// The site, by its id
    #[arg(long, value_name = "ID")]
    site: String,
    /// The file that the page is written to; standard output where it is left out
    #[arg(long, value_name = "FILE")]
    out: Option<PathBuf>,
    /// The arrangement that it is about; the one that feeds most where it is left out
    #[arg(long, value_name = "ID")]
    arrangement: Option<String>,
    /// The outage that it is reckoned for; the longest where it is left out
    #[arg(long, value_name = "ID")]
    outage: Option<String>,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    if !args.data.is_dir() {
        return Err(Stop::Input(format!(
            "--data {}: there is no such folder",
            args.data.display()
        )));
    }
    let store = Store::open(&args.data).map_err(|error| Stop::Input(error.to_string()))?;
    let asked = PaperQuery {
        arrangement: args.arrangement.clone(),
        outage: args.outage.clone(),
        ..PaperQuery::default()
    };
    let habits = HABITS.get().copied().unwrap_or(Habits::si());
    let page = paper::report(&store, &args.site, &asked, habits)
        .map_err(|error| Stop::Input(error.told()))?;
    match &args.out {
        None => print(&page),
        Some(file) => {
            std::fs::write(file, &page)
                .map_err(|error| Stop::Input(format!("--out {}: {error}", file.display())))?;
            print(&format!(
                "{}: {} kB.\n",
                file.display(),
                page.len().div_ceil(1000)
            ))
        }
    }
}
