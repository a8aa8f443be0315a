//! How long a scope's and a logger's file of five million rows take, and how much memory. Lines are
//! made as they are read, so that what is held is the reader's own.

use ash_pond_core::bench::{Protocol, Reader, digest, fine_s};
use ash_pond_core::site::plan::Plan;
use std::fmt::Write;
use std::time::Instant;

const ROWS: u32 = 5_000_000;

/// The most memory that the process ever held, MB; none where the system does not tell.
fn most_held_mb() -> Option<f64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|it| it.starts_with("VmHWM"))?;
    Some(line.split_whitespace().nth(1)?.parse::<f64>().ok()? / 1024.0)
}

fn told(name: &str, protocol: Protocol, head: &str, line: impl Fn(u32, &mut String)) {
    let plan =
        Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).expect("the demo reads");
    let before = most_held_mb();
    let started = Instant::now();
    let mut reader = Reader::default().thrifty(fine_s(protocol));
    reader.line(head).expect("a head");
    let mut text = String::new();
    for row in 0..ROWS {
        text.clear();
        line(row, &mut text);
        reader.line(&text).expect("a row");
    }
    let found = digest(&plan, protocol, &reader.end().expect("rows"), name).expect("found");
    let seconds = started.elapsed().as_secs_f64();
    let held = before
        .zip(most_held_mb())
        .map_or_else(String::new, |(before, now)| {
            format!(", {:.0} MB more held", now - before)
        });
    println!("{name}: {} rows in {seconds:.2} s{held}", found.rows);
}

fn main() {
    told(
        "a scope's capture, 1 µs apart",
        Protocol::Switchover,
        "time_s,volts",
        |row, text| {
            let at = f64::from(row) * 1e-6;
            let volts = if (2.0..2.018).contains(&at) {
                0.0
            } else {
                325.0 * (314.159_265 * at).sin()
            };
            let _ = write!(text, "{at:.6},{volts:.2}");
        },
    );
    told(
        "a logger's file, 0.1 s apart",
        Protocol::Profile,
        "time_s,watts",
        |row, text| {
            let second = row / 10;
            let watts = match second % 3600 {
                0..60 => 0.0,
                60..100 => 11.0,
                it if it % 300 < 120 => 9.0,
                _ => 5.5,
            };
            let _ = write!(text, "{:.1},{watts}", f64::from(row) / 10.0);
        },
    );
}
