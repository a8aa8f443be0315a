//! The shared cases of the bench, and variants of them that must not matter.

use ash_pond_core::bench::{Holds, Log, Pair, Power, capture, fit, profile, read_log};
use serde_json::Value;

fn case(name: &str) -> (Value, Log) {
    let folder = concat!(env!("CARGO_MANIFEST_DIR"), "/cases/bench/");
    let read = |ending: &str| std::fs::read_to_string(format!("{folder}{name}{ending}")).unwrap();
    (
        serde_json::from_str(&read(".json")).unwrap(),
        read_log(&read(".csv")).unwrap(),
    )
}

fn samples(log: &Log) -> Vec<(f64, f64)> {
    log.of(Holds::Time)
        .unwrap()
        .iter()
        .copied()
        .zip(log.of(Holds::Volts).unwrap().iter().copied())
        .collect()
}

/// Noise that is the same in every run: a sum of uniform numbers, one standard deviation wide.
struct Noise(u64);
impl Noise {
    fn next(&mut self) -> f64 {
        let mut one = || {
            self.0 = self
                .0
                .wrapping_mul(6_364_136_223_846_793_005)
                .wrapping_add(1_442_695_040_888_963_407);
            f64::from((self.0 >> 33) as u32) / f64::from(1_u32 << 31)
        };
        (0..12).map(|_| one()).sum::<f64>() - 6.0
    }
}

fn near(found: f64, wanted: f64, tolerance: f64, what: &str) {
    assert!(
        (found - wanted).abs() <= tolerance,
        "{what}: {found}, and {wanted} ± {tolerance} is wanted"
    );
}

#[test]
fn the_points_give_their_law() {
    let folder = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/cases/bench/efficiency-points.json"
    );
    let case: Value = serde_json::from_str(&std::fs::read_to_string(folder).unwrap()).unwrap();
    let points: Vec<Pair> = case["points_out_in_w"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| Pair {
            out: Power::sure(it[0].as_f64().unwrap()),
            input: Power::sure(it[1].as_f64().unwrap()),
        })
        .collect();
    let found = fit(&points).unwrap();
    let wanted = |key: &str| case["expect"][key].as_f64().unwrap();
    let relative = case["tolerance"]["relative"].as_f64().unwrap();
    for (key, value) in [
        ("idle_w", found.idle_w),
        ("proportional", found.proportional),
        ("quadratic_per_w", found.quadratic_per_w),
        ("rms_w", found.rms_w),
    ] {
        near(value, wanted(key), relative * wanted(key), key);
    }
    assert_eq!(
        found.range_w.map(f64::to_bits),
        [5.0_f64, 240.0].map(f64::to_bits)
    );
}

#[test]
fn captures_are_met_and_noise_offset_clipping_and_missing_samples_do_not_matter() {
    let (case, log) = case("capture-ac-switchover");
    let nominal = case["nominal_v"].as_f64();
    let clean = samples(&log);
    let peak = 230.0 * std::f64::consts::SQRT_2;
    let mut noise = Noise(7);
    let noisy: Vec<_> = clean
        .iter()
        .map(|it| (it.0, it.1 + 0.01 * peak * noise.next()))
        .collect();
    let offset: Vec<_> = clean.iter().map(|it| (it.0, it.1 + 12.0)).collect();
    let sparse: Vec<_> = clean
        .iter()
        .enumerate()
        .filter(|(index, _)| index % 7 != 3)
        .map(|it| *it.1)
        .collect();
    let late: Vec<_> = clean
        .iter()
        .skip(77)
        .map(|it| (it.0 - 3.25, it.1))
        .collect();
    for (name, samples) in [
        ("clean", clean.clone()),
        ("noisy", noisy),
        ("offset", offset),
        ("sparse", sparse),
        ("half a cycle later", late),
    ] {
        let found = capture(&samples, nominal, None).unwrap();
        near(found.dead_ms.unwrap(), 17.4, 1.0, &format!("dead, {name}"));
        near(
            found.overshoot_percent.unwrap(),
            11.0,
            2.5,
            &format!("overshoot, {name}"),
        );
        near(
            found.frequency_hz.unwrap(),
            50.0,
            0.1,
            &format!("frequency, {name}"),
        );
        let disturbed = found.disturbed_ms.unwrap();
        assert!(
            disturbed > found.dead_ms.unwrap() - 1.0 && disturbed < 60.0,
            "{name}: disturbed for {disturbed} ms"
        );
        assert_eq!(
            (
                found.waveform_before.as_deref(),
                found.waveform_after.as_deref()
            ),
            (Some("sine"), Some("sine")),
            "{name}"
        );
    }
    // A scope that clips the tops cannot tell an overshoot, but still the gap.
    let clipped: Vec<_> = clean
        .iter()
        .map(|it| (it.0, it.1.clamp(-0.95 * peak, 0.95 * peak)))
        .collect();
    let found = capture(&clipped, nominal, None).unwrap();
    near(found.dead_ms.unwrap(), 17.4, 1.0, "dead, clipped");
    assert_eq!(found.waveform_before.as_deref(), Some("sine"));
}

#[test]
fn a_stepped_wave_is_told_from_a_sine() {
    let (case, log) = case("capture-ac-to-stepped");
    let found = capture(&samples(&log), case["nominal_v"].as_f64(), None).unwrap();
    assert_eq!(
        (
            found.waveform_before.as_deref(),
            found.waveform_after.as_deref()
        ),
        (Some("sine"), Some("stepped"))
    );
    let between = &case["expect"]["dead_ms_between"];
    let dead = found.dead_ms.unwrap();
    assert!(
        dead >= between[0].as_f64().unwrap() && dead <= between[1].as_f64().unwrap(),
        "{dead} ms"
    );
}

#[test]
fn sixty_hertz_and_a_wave_that_never_breaks_are_read_too() {
    let wave = |frequency: f64, gap: (f64, f64)| -> Vec<(f64, f64)> {
        (0..4000)
            .map(|index| {
                let time = f64::from(index) * 1e-4;
                let on = if time >= gap.0 && time < gap.1 {
                    0.0
                } else {
                    1.0
                };
                (
                    time,
                    on * 120.0
                        * std::f64::consts::SQRT_2
                        * (std::f64::consts::TAU * frequency * time + 0.4).sin(),
                )
            })
            .collect()
    };
    let found = capture(&wave(60.0, (0.15, 0.165)), None, None).unwrap();
    near(found.frequency_hz.unwrap(), 60.0, 0.05, "frequency");
    near(found.nominal_v, 120.0, 0.5, "nominal from the data");
    near(found.dead_ms.unwrap(), 15.0, 1.3, "dead");
    let whole = capture(&wave(60.0, (9.0, 9.0)), Some(120.0), None).unwrap();
    assert_eq!((whole.dead_ms, whole.disturbed_ms), (Some(0.0), Some(0.0)));
    // One that ends in the gap never comes back.
    let lost = capture(&wave(60.0, (0.2, 9.0)), Some(120.0), None).unwrap();
    assert_eq!(lost.disturbed_ms, None);
    near(lost.dead_ms.unwrap(), 200.0, 2.0, "dead to the end");
}

#[test]
fn a_dip_of_dc_is_met_with_noise_and_without() {
    let (case, log) = case("capture-dc-dip");
    let (nominal, minimum) = (case["nominal_v"].as_f64(), case["minimum_v"].as_f64());
    let clean = samples(&log);
    let found = capture(&clean, nominal, minimum).unwrap();
    assert_eq!(found.current, "dc");
    let (below, lowest) = (found.below_ms.unwrap(), found.lowest_v.unwrap());
    near(below, 6.2, 0.3, "below");
    near(lowest, 10.6, 0.1, "lowest");
    let mut noise = Noise(11);
    let noisy: Vec<_> = clean
        .iter()
        .map(|it| (it.0, it.1 + 0.01 * 12.1 * noise.next()))
        .collect();
    let found = capture(&noisy, nominal, minimum).unwrap();
    near(found.below_ms.unwrap(), 6.2, 0.5, "below, noisy");
    near(found.lowest_v.unwrap(), 10.6, 0.15, "lowest, noisy");
    assert_eq!(capture(&clean, nominal, None).unwrap().below_ms, None);
}

#[test]
fn bad_captures_say_what_is_wrong() {
    assert!(
        capture(&[(0.0, 1.0)], None, None)
            .unwrap_err()
            .message
            .contains("20 or more")
    );
    let still: Vec<_> = (0..30).map(|_| (1.0, 2.0)).collect();
    assert!(
        capture(&still, None, None)
            .unwrap_err()
            .message
            .contains("same time")
    );
    let falling: Vec<_> = (0..30).map(|it| (f64::from(-it), 2.0)).collect();
    assert!(
        capture(&falling, None, None)
            .unwrap_err()
            .message
            .contains("row 2")
    );
}

#[test]
fn the_logger_s_file_gives_its_phases() {
    let (case, log) = case("logger-phases");
    let found = profile(&log).unwrap();
    let (expect, tolerance) = (&case["expect"], &case["tolerance"]);
    let one = |when: &str| {
        found
            .phases
            .iter()
            .find(|it| it.when == when)
            .unwrap_or_else(|| panic!("no {when} in {found:?}"))
    };
    let relative = tolerance["watts_relative"].as_f64().unwrap();
    let watts = |found: f64, wanted: &Value, what: &str| {
        near(
            found,
            wanted.as_f64().unwrap(),
            relative * wanted.as_f64().unwrap(),
            what,
        );
    };
    let starting: Vec<_> = found
        .phases
        .iter()
        .filter(|it| it.when == "starting")
        .collect();
    assert_eq!(
        starting.len(),
        expect["starting"].as_array().unwrap().len(),
        "{found:?}"
    );
    watts(
        starting[0].watts,
        &expect["starting"][0]["watts"],
        "starting",
    );
    near(
        starting[0].seconds.unwrap(),
        expect["starting"][0]["seconds"].as_f64().unwrap(),
        tolerance["seconds"].as_f64().unwrap(),
        "seconds",
    );
    watts(one("running").watts, &expect["running_w"], "running");
    watts(one("busy").watts, &expect["busy_w"], "busy");
    near(
        one("busy").share.unwrap(),
        expect["busy_share"].as_f64().unwrap(),
        tolerance["share"].as_f64().unwrap(),
        "share",
    );
    assert!(
        !found.phases.iter().any(|it| it.when == "stopping"),
        "{found:?}"
    );
    assert!(
        found.confidence > 0.6 && found.confidence <= 1.0,
        "{}",
        found.confidence
    );
}

#[test]
fn a_file_in_any_form_gives_the_same_phases() {
    let (_, log) = case("logger-phases");
    let (time, volts, amps) = (
        log.of(Holds::Time).unwrap(),
        log.of(Holds::Volts).unwrap(),
        log.of(Holds::Amps).unwrap(),
    );
    let wanted = profile(&log).unwrap();
    // Watts, semicolons and commas, a clock over midnight, and comments.
    let mut text = String::from("# shed, west wall\nZeit time;Leistung power (W)\n");
    for index in 0..time.len() {
        let second = 82_000.0 + time[index];
        let of_day = second % 86_400.0;
        let (hour, minute) = ((of_day / 3600.0).floor(), (of_day % 3600.0 / 60.0).floor());
        let clock = format!("{hour:02}:{minute:02}:{:04.1}", of_day % 60.0);
        text += &format!(
            "{clock};{}\n",
            format!("{:.4}", volts[index] * amps[index]).replace('.', ",")
        );
    }
    let found = profile(&read_log(&text).unwrap()).unwrap();
    assert_eq!(found.phases.len(), wanted.phases.len());
    for (a, b) in found.phases.iter().zip(&wanted.phases) {
        assert_eq!(a.when, b.when);
        near(a.watts, b.watts, 0.01, "watts");
    }
    // Gaps and rows of one time are told, and change nothing that matters.
    let mut holes = String::from("time_s,watts\n");
    for index in (0..time.len()).filter(|it| !(2000..2060).contains(it)) {
        holes += &format!("{},{}\n", time[index], volts[index] * amps[index]);
        if index == 1000 {
            holes += &format!("{},{}\n", time[index], volts[index] * amps[index]);
        }
    }
    let found = profile(&read_log(&holes).unwrap()).unwrap();
    assert_eq!(found.remarks.len(), 2, "{:?}", found.remarks);
    let busy = |it: &ash_pond_core::bench::Profile| {
        it.phases
            .iter()
            .find(|it| it.when == "busy")
            .unwrap()
            .share
            .unwrap()
    };
    near(busy(&found), busy(&wanted), 0.02, "share");
}
