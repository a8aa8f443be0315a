//! The stand-ins as a stranger's program would ask them.

use ash_pond_core::site::plan::Plan;
use ash_pond_stand_ins::battery_monitor::{MARK, Monitor};
use ash_pond_stand_ins::face::{Face, Shown};
use ash_pond_stand_ins::{battery_monitor, bench_meter, face};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncWriteExt, BufReader};
use tokio::net::{TcpListener, TcpStream};
use tokio_modbus::prelude::*;

fn demo() -> Plan {
    Plan::parse(include_str!("../../../demo/hollin-lock.plan.json")).unwrap()
}

async fn meter() -> BufReader<TcpStream> {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(bench_meter::serve(
        listener,
        bench_meter::Bench::new(demo()).unwrap(),
    ));
    BufReader::new(TcpStream::connect(address).await.unwrap())
}

async fn ask(meter: &mut BufReader<TcpStream>, command: &str) -> String {
    meter
        .get_mut()
        .write_all(format!("{command}\n").as_bytes())
        .await
        .unwrap();
    let mut line = String::new();
    meter.read_line(&mut line).await.unwrap();
    line.trim().to_owned()
}

async fn number(meter: &mut BufReader<TcpStream>, command: &str) -> f64 {
    ask(meter, command).await.parse().unwrap()
}

#[tokio::test]
async fn the_bench_meter_measures_a_label_that_is_wrong() {
    let mut meter = meter().await;
    assert!(
        ask(&mut meter, "*IDN?")
            .await
            .starts_with("ASH POND,BENCH METER STAND-IN")
    );
    let known = ask(&mut meter, "INST:CAT?").await;
    assert!(
        known.split(',').any(|it| it == "small-inverter")
            && known.split(',').any(|it| it == "step-up"),
        "{known}"
    );
    meter
        .get_mut()
        .write_all(b"INSTrument:SELect small-inverter\nPOW 0\n")
        .await
        .unwrap();
    assert_eq!(ask(&mut meter, "inst:sel?").await, "small-inverter");
    let (volts, amps) = (
        number(&mut meter, "MEAS:VOLT? (@1)").await,
        number(&mut meter, "MEASure:CURRent? (@1)").await,
    );
    // The label says 7.9 W; what is measured is 6.1.
    assert!((volts * amps - 6.1).abs() < 0.1, "{volts} V x {amps} A");
    meter.get_mut().write_all(b"POW 60\n").await.unwrap();
    tokio::time::sleep(Duration::from_millis(1500)).await;
    let out =
        number(&mut meter, "MEAS:VOLT? (@2)").await * number(&mut meter, "MEAS:CURR? (@2)").await;
    let input =
        number(&mut meter, "MEAS:VOLT? (@1)").await * number(&mut meter, "MEAS:CURR? (@1)").await;
    assert!(
        (out - 60.0).abs() < 0.8 && input > out + 6.0 && input < out + 12.0,
        "{input} W in, {out} W out"
    );
}

#[tokio::test]
async fn the_bench_meter_tells_what_it_does_not_know() {
    let mut meter = meter().await;
    assert_eq!(ask(&mut meter, "SYST:ERR?").await, "0,\"No error\"");
    for (wrong, code) in [
        ("JUGGLE 3", "-113"),
        ("POW -5", "-222"),
        ("POW lots", "-222"),
        ("INST:SEL nobody", "-224"),
    ] {
        meter
            .get_mut()
            .write_all(format!("{wrong}\n").as_bytes())
            .await
            .unwrap();
        assert!(
            ask(&mut meter, "SYST:ERR?").await.starts_with(code),
            "{wrong}"
        );
    }
    assert_eq!(ask(&mut meter, "MEAS:VOLT? (@7)").await, "9.9E37");
    // Bytes that are no text harm nobody.
    meter
        .get_mut()
        .write_all(&[0xff, 0xfe, b'\n'])
        .await
        .unwrap();
    assert!(ask(&mut meter, "SYST:ERR?").await.starts_with("-113"));
}

#[tokio::test]
async fn the_battery_monitor_runs_a_night_in_a_second() {
    let listener = TcpListener::bind("127.0.0.1:0").await.unwrap();
    let address = listener.local_addr().unwrap();
    tokio::spawn(battery_monitor::serve(
        listener,
        Monitor::new(demo(), "house-bank").unwrap(),
    ));
    let mut monitor = tcp::connect(address).await.unwrap();
    let read = monitor.read_input_registers(0, 9).await.unwrap().unwrap();
    assert_eq!((read[2], read[8]), (1000, MARK));
    assert!(
        (1290..1390).contains(&read[0]),
        "{} V",
        f64::from(read[0]) / 100.0
    );
    monitor
        .write_single_register(1, 7200)
        .await
        .unwrap()
        .unwrap();
    monitor
        .write_single_register(2, 900)
        .await
        .unwrap()
        .unwrap();
    tokio::time::sleep(Duration::from_secs(2)).await;
    let read = monitor.read_input_registers(0, 9).await.unwrap().unwrap();
    let hours = f64::from((u32::from(read[4]) << 16) + u32::from(read[5])) / 3600.0;
    let wh = f64::from((u32::from(read[6]) << 16) + u32::from(read[7])) / 10.0;
    assert!(
        (3.5..6.0).contains(&hours) && read[2] < 900 && wh > 0.0,
        "{hours} h, {} per mille, {wh} Wh",
        read[2]
    );
    // What left it and what its charge fell by are the same energy, within the step of its display.
    let nominal = f64::from(900 - read[2]) / 1000.0 * 100.0 * 13.2;
    assert!(
        (wh - nominal).abs() < 3.0,
        "{wh} Wh out, {nominal} Wh by the display"
    );
    let wrong = monitor
        .write_single_register(1, 0)
        .await
        .unwrap()
        .unwrap_err();
    assert_eq!(wrong, ExceptionCode::IllegalDataValue);
    let beyond = monitor
        .read_input_registers(60, 3)
        .await
        .unwrap()
        .unwrap_err();
    assert_eq!(beyond, ExceptionCode::IllegalDataAddress);
    let function = monitor.read_coils(0, 1).await.unwrap().unwrap_err();
    assert_eq!(function, ExceptionCode::IllegalFunction);
}

#[tokio::test]
async fn a_face_shows_over_either_protocol_what_it_is_told_to_and_nothing_once_it_is_dead() {
    let face = Face::default();
    let (bench, monitor) = (
        TcpListener::bind("127.0.0.1:0").await.unwrap(),
        TcpListener::bind("127.0.0.1:0").await.unwrap(),
    );
    let (at_bench, at_monitor) = (bench.local_addr().unwrap(), monitor.local_addr().unwrap());
    tokio::spawn(face::serve_bench(bench, face.clone()));
    tokio::spawn(face::serve(monitor, face.clone()));
    face.show(Some(Shown {
        volts: 12.84,
        amps: -3.21,
        percent: 61.5,
        celsius: 4.0,
    }));
    let mut bench = BufReader::new(TcpStream::connect(at_bench).await.unwrap());
    assert!((number(&mut bench, "MEAS:VOLT? (@1)").await - 12.84).abs() < 1e-9);
    assert!((number(&mut bench, "MEASure:CURRent?").await + 3.21).abs() < 1e-9);
    assert_eq!(ask(&mut bench, "MEAS:VOLT? (@2)").await, "9.9E37");
    assert!(!ask(&mut bench, "*IDN?").await.contains("STAND-IN"));
    let mut monitor = tcp::connect(at_monitor).await.unwrap();
    let read = monitor.read_input_registers(0, 9).await.unwrap().unwrap();
    assert_eq!(read[..3], [1284, (-321_i16).cast_unsigned(), 615]);
    assert_ne!(read[8], MARK);
    face.show(None);
    bench
        .get_mut()
        .write_all(b"MEAS:VOLT? (@1)\n")
        .await
        .unwrap();
    let mut line = String::new();
    assert_eq!(bench.read_line(&mut line).await.unwrap(), 0, "{line}");
    assert!(monitor.read_input_registers(0, 9).await.unwrap().is_err());
}

#[test]
fn what_cannot_be_monitored_is_said() {
    assert!(Monitor::new(demo(), "nobody").is_err_and(|it| it.to_string().contains("no source")));
    assert!(
        Monitor::new(demo(), "mains").is_err_and(|it| it.to_string().contains("stores nothing"))
    );
}
