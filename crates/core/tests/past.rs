//! Outages of the past from the files of loggers: the same readings, in whatever form they were
//! written.

use ash_pond_core::keeping::watch::{Act, Hidden, Hides, Seen, estimate, read_past};
use ash_pond_core::site::plan::{Arrangement, Outage, Plan};
use std::collections::BTreeMap;
use std::fmt::Write as _;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

/// It begins 2026-01-14T17:30 and lasts 72 h.
fn storm(plan: &Plan) -> (&Arrangement, &Outage) {
    (
        plan.arrangement("direct").unwrap(),
        plan.outages
            .iter()
            .find(|it| it.id.as_str() == "winter-storm")
            .unwrap(),
    )
}

fn read(text: &str, store: Option<&str>) -> Result<Seen, String> {
    let plan = demo();
    let (way, outage) = storm(&plan);
    read_past(text, &plan, way, outage, store).map_err(|it| it.to_string())
}

/// Volts by their hour.
fn volts(seen: &Seen) -> Vec<(f64, f64)> {
    seen.readings
        .iter()
        .filter_map(|it| Some((it.at_s / 3600.0, it.volts?)))
        .collect()
}

#[test]
fn a_file_says_the_same_by_whatever_clock() {
    let bank = Some("house-bank");
    let counted = read("time (min);U [V]\n0;13,1\n360;12,9\n720;12,8\n", bank).unwrap();
    assert_eq!(volts(&counted), [(0.0, 13.1), (6.0, 12.9), (12.0, 12.8)]);
    // Rows before it began are left out; behind midnight the clock goes on.
    let by_clock = read(
        "clock,volts\n17:00,13.4\n17:30,13.1\n23:30,12.9\n05:30:00,12.8\n",
        bank,
    )
    .unwrap();
    assert_eq!(volts(&by_clock), volts(&counted));
    let dated = "# porch\ndate\tvoltage V\n2026-01-14 12:00\t13.4\n2026-01-14 \
        17:30\t13.1\n2026-01-14 23:30\t12.9\n2026-01-15 05:30\t12.8\n2026-02-15 05:30\t12.8\n";
    assert_eq!(volts(&read(dated, bank).unwrap()), volts(&counted));
    // One that was switched on after midnight.
    let late = read("clock,volts\n02:30,12.95\n05:30,12.8\n", bank).unwrap();
    assert_eq!(volts(&late), [(9.0, 12.95), (12.0, 12.8)]);
}

#[test]
fn a_replay_is_read_as_one_and_a_logger_alone_needs_its_store() {
    let replay = read(
        "time_s,source,volts,action,item\n0,house-bank,13.1,,\n60,,,drop,terminal\n",
        None,
    )
    .unwrap();
    assert_eq!((replay.readings.len(), replay.acted.len()), (1, 1));
    let unsaid = read("time_s,volts\n0,13.1\n60,13.0\n", None).unwrap_err();
    assert!(
        unsaid.starts_with("store: say which one") && unsaid.contains("house-bank"),
        "{unsaid}"
    );
    let oven = read("time_s,volts\n0,13.1\n60,13.0\n", Some("oven")).unwrap_err();
    assert!(oven.contains("\"oven\" is no store"), "{oven}");
}

#[test]
fn what_cannot_be_is_told_with_its_place() {
    let bank = Some("house-bank");
    for (text, says) in [
        ("volts\n13.1\n13.0\n", "no column of times"),
        (
            "time_s,weather\n0,1\n60,2\n",
            "has the columns time_s, weather",
        ),
        ("time_s,volts\n0,13.1\n600,wet\n", "row 3, column 2"),
        ("time_s,volts\n600,13.1\n0,13.0\n", "goes back in time"),
        ("time_s,percent\n0,90\n600,190\n", "190 per cent"),
        (
            "time_s,volts\n1768411800,13.1\n1768415400,13.0\n",
            "since 1970",
        ),
        (
            "date,volts\n2025-01-14 17:30,13.1\n2025-01-14 18:30,13.0\n",
            "its rows are of 2025-01-14 17:30 to 2025-01-14 18:30",
        ),
        ("time_s,volts\n0,13.1\n", "fewer than two"),
        ("", "no rows"),
        ("time_s,volts\n", "no rows"),
        ("0,1\n2,3\n", "no head"),
    ] {
        let error = read(text, bank).unwrap_err();
        assert!(error.contains(says), "{text:?}: {error}");
    }
}

/// A logger of watts at the terminals says amperes; one that counts what flows out as negative is
/// turned round, and that is noted.
#[test]
fn amperes_count_out_of_the_store_whichever_way_a_logger_counts() {
    let bank = Some("house-bank");
    let plain = read(
        "time_s,volts,amps\n0,13.1,3\n600,13.0,3.2\n1200,12.9,3.1\n",
        bank,
    )
    .unwrap();
    let turned = read(
        "time_s,volts,amps\n0,13.1,-3\n600,13.0,-3.2\n1200,12.9,-3.1\n",
        bank,
    )
    .unwrap();
    assert_eq!(plain.readings, turned.readings);
    assert!(plain.acted.is_empty());
    assert!(
        matches!(&turned.acted[0].act, Act::Note(it) if it.contains("turned round")),
        "{:?}",
        turned.acted
    );
    // Charged it rises: what is negative then flows in.
    let charged = read(
        "time_s,volts,amps\n0,13.1,-3\n600,13.3,-3.2\n1200,13.5,-3.1\n",
        bank,
    )
    .unwrap();
    assert_eq!(charged.readings[0].amps, Some(-3.0));
    let watts = read("time_s,volts,watts\n0,13,39\n600,12.5,25\n", bank).unwrap();
    assert_eq!(
        watts
            .readings
            .iter()
            .map(|it| it.amps.unwrap())
            .collect::<Vec<_>>(),
        [3.0, 2.0]
    );
}

/// A file of each second holds a bounded number of readings, each the mean of those near it, and
/// tells what its world was as the readings themselves do.
#[test]
fn the_file_of_a_world_tells_as_much_as_its_readings() {
    let plan = demo();
    let (way, outage) = storm(&plan);
    let hidden = Hidden::of(
        &plan,
        way,
        outage,
        &BTreeMap::new(),
        (Hides::MislabelledBank, 11),
        &[],
    )
    .unwrap();
    let moments: Vec<f64> = (0..=60).map(|it| f64::from(it) * 120.0).collect();
    let mut text = String::from("time;U [V];I (A);soc_%\n");
    let mut seen = Seen {
        starts: hidden.starts().clone(),
        ..Seen::default()
    };
    for reading in hidden
        .readings(&moments)
        .into_iter()
        .flatten()
        .filter(|it| it.source == "house-bank")
    {
        let (volts, amps, percent) = (
            reading.volts.unwrap(),
            reading.amps.unwrap(),
            reading.percent.unwrap(),
        );
        writeln!(text, "{};{volts};{amps};{percent}", reading.at_s).unwrap();
        seen.readings.push(reading);
    }
    let mut read = read_past(&text, &plan, way, outage, Some("house-bank")).unwrap();
    assert_eq!(read.readings, seen.readings);
    read.starts.clone_from(&seen.starts);
    let (by_file, by_hand) = (
        estimate(&plan, way, outage, &read, 2.0, 1).unwrap(),
        estimate(&plan, way, outage, &seen, 2.0, 1).unwrap(),
    );
    assert_eq!(
        by_file.devices["router"].until_h,
        by_hand.devices["router"].until_h
    );
    // Two days of each second.
    let long: String = (0..172_800).fold("time_s,volts\n".to_owned(), |mut all, second| {
        writeln!(all, "{second},{}", 13.2 - f64::from(second) / 300_000.0).unwrap();
        all
    });
    let long = read_past(&long, &plan, way, outage, Some("house-bank")).unwrap();
    assert!(
        (2000..6000).contains(&long.readings.len()),
        "{}",
        long.readings.len()
    );
}
