//! What all commands share: how they end, plan files and options, and numbers as their reader
//! writes them.

use ash_pond_core::ground::json::FieldError;
use ash_pond_core::ground::say::{Habits, Sentence, render};
use ash_pond_core::network::Charge;
use ash_pond_core::site::plan::{Arrangement, Plan};
use std::io::Write;
use std::path::Path;
use std::sync::OnceLock;

/// What ended a command other than well.
#[derive(Debug)]
pub(super) enum Stop {
    /// Bad input: the sentence goes to standard error, the exit code is 2.
    Input(String),
    /// Something trips: the exit code is 3.
    Trips,
    /// Something failed: the sentence goes to standard error, the exit code is 1.
    Failed(anyhow::Error),
}

impl Stop {
    /// Bad input that an option gave: options are called as the fields are.
    pub(super) fn option(wrong: &FieldError) -> Self {
        let option = wrong.path.replace('_', "-");
        Self::Input(format!("--{option}: {}", wrong.message))
    }
}

impl<E: Into<anyhow::Error>> From<E> for Stop {
    fn from(error: E) -> Self {
        Self::Failed(error.into())
    }
}

/// Reads a plan file.
pub(super) fn plan(path: &Path) -> Result<Plan, Stop> {
    let text = std::fs::read_to_string(path)
        .map_err(|error| Stop::Input(format!("{}: {error}", path.display())))?;
    Plan::parse(&text).map_err(|error| Stop::Input(format!("{}: {error}", path.display())))
}

/// The arrangement of a plan that an option names.
pub(super) fn arrangement<'a>(
    plan: &'a Plan,
    id: &str,
    option: &str,
) -> Result<&'a Arrangement, Stop> {
    plan.arrangement(id).ok_or_else(|| {
        let known: Vec<_> = plan.arrangements.iter().map(|it| it.id.as_str()).collect();
        Stop::Input(format!(
            "{option}: \"{id}\" is not in the plan; there are {}",
            known.join(", ")
        ))
    })
}

pub(super) fn charge(plan: &Plan, given: &[String]) -> Result<Charge, Stop> {
    let mut charge = Charge::full();
    for text in given {
        let refused = |why: &str| Stop::Input(format!("--soc {text}: {why}"));
        let (source, share) = text
            .split_once('=')
            .ok_or_else(|| refused("give it as SOURCE=SHARE, such as bank=0.5"))?;
        let share: f64 = share
            .parse()
            .map_err(|_| refused("the share is not a number"))?;
        if !(0.0..=1.0).contains(&share) {
            return Err(refused("the share must lie between 0 and 1 (50 % is 0.5)"));
        }
        if plan.source(source).is_none_or(|it| it.battery.is_none()) {
            return Err(refused("no source with a battery has that id"));
        }
        charge = charge.with(source, share);
    }
    Ok(charge)
}

/// How the reader of this run writes numbers and units.
pub(super) static HABITS: OnceLock<Habits> = OnceLock::new();

pub(super) fn habits() -> Habits {
    HABITS.get().copied().unwrap_or(Habits::si())
}

/// A number with its unit, as the reader writes it.
pub(super) fn amount(value: f64, unit: &str) -> String {
    habits().amount(value, unit, None)
}

/// A share as a percentage.
pub(super) fn percent(share: f64) -> String {
    amount(share * 100.0, "%")
}

/// Hours as they are said.
pub(super) fn clocked(hours: f64) -> String {
    said(&ash_pond_core::time::outage::clocked(hours))
}

/// A sentence, as the reader writes what is in it.
pub(super) fn said(sentence: &Sentence) -> String {
    sentence.render(&habits()).into_owned()
}

/// Prints to standard output, sentences by the habits of the reader; a reader that went away is no
/// failure.
pub(super) fn print(text: &str) -> Result<(), Stop> {
    match std::io::stdout()
        .lock()
        .write_all(render(text, &habits()).as_bytes())
    {
        Err(error) if error.kind() == std::io::ErrorKind::BrokenPipe => Ok(()),
        other => Ok(other?),
    }
}
