//! `check`: every limit, as findings.

use super::common::{Stop, arrangement, plan, print};
use ash_pond_core::limits::{Finding, Silence, Status, checked_all, silences};
use serde_json::json;
use std::fmt::Write;
use std::io::IsTerminal;
use std::path::PathBuf;

#[derive(Debug, clap::Args)]
pub(super) struct Args {
    /// The plan file
    plan: PathBuf,
    /// Only this arrangement, by id
    #[arg(long, value_name = "ID")]
    arrangement: Option<String>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

pub(super) fn run(args: &Args) -> Result<(), Stop> {
    let plan = plan(&args.plan)?;
    let chosen = |id: &str| {
        args.arrangement
            .as_deref()
            .is_none_or(|wanted| wanted == id)
    };
    if let Some(wanted) = &args.arrangement {
        arrangement(&plan, wanted, "--arrangement")?;
    }
    let ways: Vec<_> = plan
        .arrangements
        .iter()
        .filter(|it| chosen(it.id.as_str()))
        .collect();
    let all = checked_all(&plan, &ways);
    let weakest: Vec<_> = all
        .iter()
        .map(|it| json!({"arrangement": it.arrangement, "moments": it.weakest}))
        .collect();
    let mut all: Vec<Finding> = all.into_iter().flat_map(|it| it.findings).collect();
    all.sort_by_key(|it| std::cmp::Reverse(it.status));
    let silences = silences(&plan, all.iter());
    let trips = all.iter().any(|it| it.status == Status::Trips);
    if args.json {
        let text = serde_json::to_string_pretty(
            &json!({ "findings": all, "weakest": weakest, "unstated": silences }),
        )?;
        print(&(text + "\n"))?;
    } else {
        print(&table(&plan, &all, &silences))?;
    }
    if trips { Err(Stop::Trips) } else { Ok(()) }
}

fn table(plan: &ash_pond_core::site::plan::Plan, all: &[Finding], silences: &[Silence]) -> String {
    let colour = std::io::stdout().is_terminal();
    let mut text = String::new();
    let shaded = |status: Status| {
        let word = format!("{:<9}", status.word());
        let shade = match status {
            Status::Trips => 31,
            Status::Unproven => 35,
            _ => 33,
        };
        if colour {
            format!("\u{1b}[{shade}m{word}\u{1b}[0m")
        } else {
            word
        }
    };
    // What merely nobody stated is one line for each kind, after what is wrong.
    let told = all
        .iter()
        .filter(|it| it.status > Status::Holds && it.unstated.is_none());
    let (worse, lesser): (Vec<&Finding>, Vec<&Finding>) =
        told.partition(|it| it.status >= Status::Unproven);
    let line = |text: &mut String, it: &Finding| {
        let word = shaded(it.status);
        let way = plan
            .arrangement(&it.arrangement)
            .map_or(it.arrangement.as_str(), |way| way.label.as_str());
        let _ = writeln!(text, "{word} {way}: {}", it.message);
        for ruled in &it.ruled {
            let _ = writeln!(text, "          {}", ruled.sentence);
        }
        for mend in &it.mends {
            let _ = writeln!(text, "          → {}", mend.sentence);
        }
        if let Some(caution) = &it.caution {
            let _ = writeln!(text, "          {caution}");
        }
    };
    for it in worse {
        line(&mut text, it);
    }
    for it in silences {
        let _ = writeln!(text, "{} {}", shaded(Status::Unproven), it.sentence);
    }
    for it in lesser {
        line(&mut text, it);
    }
    let count = |status: Status| all.iter().filter(|it| it.status == status).count();
    let words = [
        Status::Trips,
        Status::Unproven,
        Status::Brief,
        Status::Tight,
        Status::Holds,
    ];
    let counts: Vec<_> = words
        .into_iter()
        .map(|it| format!("{} {}", count(it), it.word()))
        .collect();
    let _ = writeln!(text, "{}", counts.join(", "));
    let _ = writeln!(
        text,
        "Estimates from the figures entered; check by measuring before anything depends on it."
    );
    text
}
