//! `fit`, `capture`, `phases`: the methods of the bench on files.

use super::common::{Stop, print};
use super::common::{amount, percent};
use ash_pond_core::bench::{self, Holds, Log, Pair, Power, Protocol, Reader};
use ash_pond_core::ground::json::FieldError;
use std::fmt::Write;
use std::io::{BufRead, BufReader};
use std::path::{Path, PathBuf};

#[derive(Debug, clap::Args)]
pub(super) struct FitArgs {
    /// A CSV file with a head, such as p_out_w,p_in_w
    points: PathBuf,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

#[derive(Debug, clap::Args)]
pub(super) struct CaptureArgs {
    /// A CSV file with a head, such as time_s,volts
    file: PathBuf,
    /// Nominal voltage, V RMS for AC [default: what stands there before the disturbance]
    #[arg(long, value_name = "V")]
    nominal_v: Option<f64>,
    /// The least that a DC device needs, V
    #[arg(long, value_name = "V")]
    minimum_v: Option<f64>,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

#[derive(Debug, clap::Args)]
pub(super) struct PhasesArgs {
    /// A CSV file with a head, such as time_s,watts or time_s,volts,amps
    file: PathBuf,
    /// Print one JSON object
    #[arg(long)]
    json: bool,
}

/// Reads a file line by line, so that it is never held as text; rows nearer than `fine_s` seconds
/// are taken together.
fn log(path: &Path, fine_s: f64) -> Result<Log, Stop> {
    let refused = |what: String| Stop::Input(format!("{}: {what}", path.display()));
    let file = std::fs::File::open(path).map_err(|error| refused(error.to_string()))?;
    let mut reader = Reader::default();
    if fine_s > 0.0 {
        reader = reader.thrifty(fine_s);
    }
    let mut lines = BufReader::with_capacity(1 << 18, file);
    let mut line = String::new();
    let mut first = true;
    loop {
        line.clear();
        let read = lines.read_line(&mut line);
        if read.map_err(|error| refused(format!("is no text: {error}; save it as CSV in UTF-8")))?
            == 0
        {
            break;
        }
        let text = if std::mem::take(&mut first) {
            line.trim_start_matches('\u{feff}')
        } else {
            &line
        };
        reader
            .line(text)
            .map_err(|wrong| refused(wrong.to_string()))?;
    }
    reader.end().map_err(|wrong| refused(wrong.to_string()))
}

fn refused(path: &Path) -> impl Fn(FieldError) -> Stop {
    move |it| Stop::Input(format!("{}: {}", path.display(), it.message))
}

pub(super) fn fit(args: &FitArgs) -> Result<(), Stop> {
    let log = log(&args.points, 0.0)?;
    let wrong = refused(&args.points);
    let column = |holds: Holds, index: usize| {
        log.of(holds)
            .or_else(|| log.values.get(index).map(Vec::as_slice))
    };
    let (Some(out), Some(input)) = (column(Holds::PowerOut, 0), column(Holds::PowerIn, 1)) else {
        return Err(wrong(FieldError::new(
            "file",
            "needs two columns, p_out_w and p_in_w",
        )));
    };
    let points: Vec<Pair> = out
        .iter()
        .zip(input)
        .filter(|it| it.0.is_finite() && it.1.is_finite())
        .map(|(out, input)| Pair {
            out: Power::sure(*out),
            input: Power::sure(*input),
        })
        .collect();
    let found = bench::fit(&points).map_err(wrong)?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = format!("{}\n\n", found.sentence);
    let _ = writeln!(text, "{:>12}  {:>12}  {:>12}", "out", "in", "above the law");
    for (point, above) in points.iter().zip(&found.residuals_w) {
        let (out, input) = (amount(point.out.watts, "W"), amount(point.input.watts, "W"));
        let _ = writeln!(text, "{out:>12}  {input:>12}  {:>12}", amount(*above, "W"));
    }
    print(&text)
}

pub(super) fn capture(args: &CaptureArgs) -> Result<(), Stop> {
    let log = log(&args.file, bench::fine_s(Protocol::Switchover))?;
    let wrong = refused(&args.file);
    let (Some(time), Some(volts)) = (log.of(Holds::Time), log.of(Holds::Volts)) else {
        return Err(wrong(FieldError::new(
            "file",
            "needs a column of times and one of volts; name them time_s and volts",
        )));
    };
    for (option, value) in [
        ("--nominal-v", args.nominal_v),
        ("--minimum-v", args.minimum_v),
    ] {
        if value.is_some_and(|it| !(it > 0.0 && it.is_finite())) {
            return Err(Stop::Input(format!("{option}: must be above 0 V")));
        }
    }
    let samples: Vec<_> = time
        .iter()
        .copied()
        .zip(volts.iter().copied())
        .filter(|it| it.0.is_finite() && it.1.is_finite())
        .collect();
    let found = bench::capture(&samples, args.nominal_v, args.minimum_v).map_err(wrong)?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = String::new();
    let mut row = |name: &str, value: Option<String>| {
        if let Some(value) = value {
            let _ = writeln!(text, "{name:<26}  {value}");
        }
    };
    row("current", Some(found.current.to_uppercase()));
    row(
        "frequency",
        found.frequency_hz.map(|it| format!("{it:.2} Hz")),
    );
    row("nominal", Some(amount(found.nominal_v, "V")));
    row("dead", found.dead_ms.map(|it| amount(it, "ms")));
    row("disturbed", found.disturbed_ms.map(|it| amount(it, "ms")));
    if found.current == "ac" && found.disturbed_ms.is_none() {
        row("disturbed", Some("to the end of the capture".into()));
    }
    row(
        "overshoot",
        found.overshoot_percent.map(|it| amount(it, "%")),
    );
    row(
        "wave before",
        found.waveform_before.as_deref().map(Into::into),
    );
    row(
        "wave after",
        found.waveform_after.as_deref().map(Into::into),
    );
    row("lowest", found.lowest_v.map(|it| amount(it, "V")));
    row(
        "below the minimum",
        found.below_ms.map(|it| amount(it, "ms")),
    );
    for remark in &found.remarks {
        row("note", Some(remark.clone()));
    }
    print(&text)
}

pub(super) fn phases(args: &PhasesArgs) -> Result<(), Stop> {
    let found = bench::profile(&log(&args.file, bench::fine_s(Protocol::Profile))?)
        .map_err(refused(&args.file))?;
    if args.json {
        return print(&(serde_json::to_string_pretty(&found)? + "\n"));
    }
    let mut text = String::new();
    for phase in &found.phases {
        let long = phase.seconds.map(|it| format!("for {}", amount(it, "s")));
        let long = long.or_else(|| phase.share.map(|it| format!("{} of the time", percent(it))));
        let line = format!(
            "{:<10}  {:>8}  {}",
            phase.when,
            amount(phase.watts, "W"),
            long.unwrap_or_default()
        );
        let _ = writeln!(text, "{}", line.trim_end());
    }
    if let Some(it) = &found.cycle {
        let _ = writeln!(
            text,
            "cycle       on {} of every {}",
            percent(it.on_fraction),
            amount(it.period_s, "s")
        );
    }
    let _ = writeln!(text, "\nConfidence {}.", percent(found.confidence));
    for remark in &found.remarks {
        let _ = writeln!(text, "{remark}.");
    }
    print(&text)
}
