//! The binary, as a person runs it.

use serde_json::Value;
use std::process::{Command, Output};

fn run(arguments: &[&str]) -> Output {
    let demo = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../demo/hollin-lock.plan.json"
    );
    let arguments = arguments
        .iter()
        .map(|it| if *it == "DEMO" { demo } else { it });
    Command::new(env!("CARGO_BIN_EXE_ash-pond"))
        .args(arguments)
        .output()
        .unwrap()
}

fn out(output: &Output) -> String {
    String::from_utf8_lossy(&output.stdout).into_owned()
}

fn err(output: &Output) -> String {
    String::from_utf8_lossy(&output.stderr).into_owned()
}

#[test]
fn help_and_version_are_told() {
    let help = out(&run(&["--help"]));
    for word in ["demo", "serve", "evaluate", "check"] {
        assert!(help.contains(word), "{help}");
        assert!(
            out(&run(&[word, "--help"])).contains("Usage: ash-pond"),
            "{word}"
        );
    }
    assert_eq!(
        out(&run(&["--version"])).trim(),
        format!("ash-pond {}", env!("CARGO_PKG_VERSION"))
    );
}

#[test]
fn evaluate_prints_one_json_object_of_the_shape_of_the_cases() {
    let output = run(&[
        "evaluate",
        "DEMO",
        "--arrangement",
        "camera-inverter",
        "--moment",
        "starting gate-camera",
        "--soc",
        "house-bank=0.5",
        "--json",
    ]);
    assert!(output.status.success(), "{}", err(&output));
    let flow: Value = serde_json::from_str(&out(&output)).unwrap();
    for key in [
        "devices",
        "converters",
        "feeds",
        "ports",
        "sources",
        "totals",
        "findings",
    ] {
        assert!(!flow[key].is_null(), "{key} is missing");
    }
    assert_eq!(flow["soc"]["house-bank"], 0.5);
    assert_eq!(flow["seconds"], 40.0);
}

#[test]
fn evaluate_prints_a_table_for_people() {
    let text = out(&run(&[
        "evaluate",
        "DEMO",
        "--arrangement",
        "camera-direct",
    ]));
    assert!(
        text.contains("Gate camera") && text.contains("drawn 6.2"),
        "{text}"
    );
}

#[test]
fn bad_input_ends_with_2_and_names_what_to_do() {
    let cases: [(&[&str], &str); 6] = [
        (
            &["evaluate", "nowhere.json", "--arrangement", "a"],
            "nowhere.json",
        ),
        (
            &["evaluate", "DEMO", "--arrangement", "a"],
            "there are camera-direct",
        ),
        (
            &[
                "evaluate",
                "DEMO",
                "--arrangement",
                "camera-direct",
                "--moment",
                "asleep",
            ],
            "--moment: is \"asleep\"",
        ),
        (
            &[
                "evaluate",
                "DEMO",
                "--arrangement",
                "camera-direct",
                "--soc",
                "house-bank",
            ],
            "SOURCE=SHARE",
        ),
        (
            &[
                "evaluate",
                "DEMO",
                "--arrangement",
                "camera-direct",
                "--soc",
                "house-bank=50",
            ],
            "between 0 and 1",
        ),
        (&["check", "DEMO", "--arrangement", "a"], "not in the plan"),
    ];
    for (arguments, words) in cases {
        let output = run(arguments);
        assert_eq!(output.status.code(), Some(2), "{arguments:?}");
        assert!(err(&output).contains(words), "{}", err(&output));
    }
}

#[test]
fn a_bad_plan_ends_with_2_and_names_the_field() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("bad.json");
    std::fs::write(
        &file,
        r#"{"format": "ash-pond/plan", "version": 1, "site": {"name": "x", "ambient_c": "warm"}}"#,
    )
    .unwrap();
    let output = run(&["check", file.to_str().unwrap()]);
    assert_eq!(output.status.code(), Some(2));
    assert!(
        err(&output).contains("site.ambient_c: is the text \"warm\"; a number is needed"),
        "{}",
        err(&output)
    );
}

#[test]
fn check_finds_what_the_demo_has_on_purpose_and_ends_with_3() {
    let output = run(&["check", "DEMO"]);
    assert_eq!(output.status.code(), Some(3));
    let text = out(&output);
    for words in [
        "for 150 s on Power station, 12 V socket while Diesel heater starts; its limit is 8 A",
        "Unproven: 190 VA for 0.6 s on Small sine inverter while Circulation pump starts",
        "Too much: Weir camera loses 24.5 % of its voltage in its lead",
        "Power station, outlet takes 9.6 W just to be on, more than the 6 W that it carries",
    ] {
        assert!(text.contains(words), "“{words}” is not in:\n{text}");
    }
    assert!(!text.contains('\u{1b}'), "colour goes to a terminal only");
    assert_eq!(
        run(&["check", "DEMO", "--arrangement", "camera-direct"])
            .status
            .code(),
        Some(0)
    );
    let json: Value = serde_json::from_str(&out(&run(&["check", "DEMO", "--json"]))).unwrap();
    let worst = &json["findings"][0];
    assert_eq!(worst["status"], "trips");
    assert!(
        worst["working"]["terms"]
            .as_array()
            .is_some_and(|it| !it.is_empty())
    );
}

#[test]
fn compare_prints_a_table_and_one_json_object() {
    let ways = "camera-direct,camera-inverter";
    let output = run(&["compare", "DEMO", "--arrangements", ways]);
    assert_eq!(output.status.code(), Some(0), "{}", err(&output));
    let text = out(&output);
    for words in [
        "Over a day: 24 h at 12 °C",
        "only for being on",
        "Straight off the bank draws 150 Wh; Through the small inverter draws 377 Wh.",
    ] {
        assert!(text.contains(words), "“{words}” is not in:\n{text}");
    }
    let storm = run(&[
        "compare",
        "DEMO",
        "--arrangements",
        "direct,mains-like,shared-out",
        "--outage",
        "winter-storm",
        "--json",
    ]);
    let json: Value = serde_json::from_str(&out(&storm)).unwrap();
    assert_eq!(json["ways"].as_array().unwrap().len(), 3);
    assert_eq!(json["hours"], 66.0);
    let refused = run(&["compare", "DEMO", "--arrangements", "camera-direct,direct"]);
    assert_eq!(refused.status.code(), Some(2));
    assert!(
        err(&refused).contains(
            "--arrangements: \"camera-direct\" and \"direct\" do not carry the same devices"
        ),
        "{}",
        err(&refused)
    );
    assert!(
        err(&run(&[
            "compare",
            "DEMO",
            "--arrangements",
            ways,
            "--outage",
            "flood"
        ]))
        .contains("there are winter-storm, works-cut")
    );
}

#[test]
fn crossings_are_told_in_sentences() {
    let ways = ["--arrangements", "camera-direct,camera-inverter"];
    let output = run(&["crossings", "DEMO", ways[0], ways[1], "--over", "hours"]);
    assert_eq!(output.status.code(), Some(0), "{}", err(&output));
    assert!(
        out(&output).starts_with(
            "They do not cross between 0 h and 24 h: Straight off the bank draws 200 Wh a day to \
            227 Wh a day less"
        ),
        "{}",
        out(&output)
    );
    let json: Value = serde_json::from_str(&out(&run(&[
        "crossings",
        "DEMO",
        ways[0],
        ways[1],
        "--over",
        "load",
        "--json",
    ])))
    .unwrap();
    assert_eq!(json["crossings"].as_array().unwrap().len(), 1);
    let unknown = run(&["crossings", "DEMO", ways[0], ways[1], "--over", "moonlight"]);
    assert_eq!(unknown.status.code(), Some(2));
    assert!(
        err(&unknown).contains("--over: \"moonlight\" is not known"),
        "{}",
        err(&unknown)
    );
    let one = run(&[
        "crossings",
        "DEMO",
        "--arrangements",
        "camera-direct",
        "--over",
        "load",
    ]);
    assert!(
        one.status.code() == Some(2) && err(&one).contains("name two"),
        "{}",
        err(&one)
    );
    let item = run(&[
        "crossings",
        "DEMO",
        ways[0],
        ways[1],
        "--over",
        "idle",
        "--item",
        "step-up",
    ]);
    assert!(
        item.status.code() == Some(2) && err(&item).contains("--item: neither arrangement"),
        "{}",
        err(&item)
    );
}

#[test]
fn the_kinds_and_the_schema_are_printed() {
    let kinds = out(&run(&["kinds"]));
    assert!(
        ash_pond_core::site::plan::Plan::parse(&kinds)
            .unwrap()
            .kit
            .devices
            .len()
            >= 25
    );
    let schema: Value = serde_json::from_str(&out(&run(&["schema"]))).unwrap();
    assert_eq!(schema["title"], "A plan of Ash Pond");
}

#[test]
fn demo_and_serve_answer_and_stop_cleanly() {
    use std::io::{BufRead, BufReader, Read, Write};
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let start = |arguments: &[&str]| {
        let mut child = Command::new(env!("CARGO_BIN_EXE_ash-pond"))
            .args(arguments)
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        let mut lines = BufReader::new(child.stdout.take().unwrap()).lines();
        let said = lines.next().unwrap().unwrap();
        (child, lines, said)
    };
    let data = data.to_str().unwrap();
    for arguments in [
        &["demo", "--data", data][..],
        &["demo", "--fresh", "--data", data],
        &["serve", "--listen", "127.0.0.1:0", "--data", data],
    ] {
        let (mut child, mut lines, said) = start(arguments);
        let address = said
            .split("http://")
            .nth(1)
            .and_then(|it| it.split('/').next())
            .unwrap()
            .to_owned();
        let mut socket = std::net::TcpStream::connect(&address).unwrap();
        write!(
            socket,
            "GET /api/sites HTTP/1.1\r\nHost: {address}\r\nConnection: close\r\n\r\n"
        )
        .unwrap();
        let mut answer = String::new();
        socket.read_to_string(&mut answer).unwrap();
        assert!(answer.contains("Hollin Lock"), "{answer}");
        // It begins with an allocator that gives back what it does not use.
        if let Ok(environment) = std::fs::read(format!("/proc/{}/environ", child.id())) {
            assert!(String::from_utf8_lossy(&environment).contains("MIMALLOC_PURGE_DELAY=0"));
        }
        // A second one on the same folder is told so.
        let second = run(&["serve", "--data", data, "--listen", "127.0.0.1:0"]);
        assert!(
            err(&second).contains("in use by another Ash Pond"),
            "{}",
            err(&second)
        );
        let kill = Command::new("kill")
            .args(["-INT", &child.id().to_string()])
            .status()
            .unwrap();
        assert!(kill.success());
        assert_eq!(lines.next().unwrap().unwrap(), "Stopped.");
        assert!(child.wait().unwrap().success());
    }
}

#[test]
fn a_site_is_exported_and_a_table_is_imported_only_after_a_yes() {
    let folder = tempfile::tempdir().unwrap();
    let data = folder.path().join("data");
    let text = |name: &str| folder.path().join(name).display().to_string();
    std::fs::write(text("plan.json"), ash_pond::DEMO_PLAN).unwrap();
    std::fs::write(
        text("rows.csv"),
        "id,running,label\nrouter,9,\n,lots,Lamp\n",
    )
    .unwrap();
    let data = data.display().to_string();
    let said = |args: &[&str]| {
        let output = std::process::Command::new(env!("CARGO_BIN_EXE_ash-pond"))
            .args(args)
            .output()
            .unwrap();
        let both = [output.stdout, output.stderr].concat();
        (output.status.code(), String::from_utf8(both).unwrap())
    };
    let (code, told) = said(&["import", &text("plan.json"), "--data", &data, "--new"]);
    assert_eq!(
        (code, told.as_str()),
        (Some(0), "Opened as the site hollin-lock.\n")
    );
    assert_eq!(
        said(&["export", "--data", &data]),
        (Some(0), ash_pond::DEMO_PLAN.to_owned())
    );
    let (code, told) = said(&["import", &text("rows.csv"), "--data", &data]);
    assert!(
        code == Some(0)
            && told.contains("Router: running")
            && told.contains("not read: row 3, running: “lots”"),
        "{told}"
    );
    assert!(told.ends_with("say --yes.\n"), "{told}");
    assert_eq!(said(&["export", "--data", &data]).1, ash_pond::DEMO_PLAN);
    assert!(
        said(&["import", &text("rows.csv"), "--data", &data, "--yes"])
            .1
            .ends_with("Done.\n")
    );
    let (_, devices) = said(&["export", "--data", &data, "--as", "devices"]);
    assert!(devices.lines().nth(1).unwrap().contains(",9,"), "{devices}");
    let (code, told) = said(&["export", "--data", &data, "--as", "spoons"]);
    assert!(
        code == Some(2) && told.contains("use one of plan, devices"),
        "{told}"
    );
    let (code, told) = said(&["export", "--data", &data, "--site", "moon"]);
    assert!(
        code == Some(2) && told.contains("there are hollin-lock"),
        "{told}"
    );
}

fn case(name: &str) -> String {
    format!(
        "{}/../core/tests/cases/bench/{name}",
        env!("CARGO_MANIFEST_DIR")
    )
}

#[test]
fn the_bench_reads_files_and_prints_tables_or_json() {
    let folder = tempfile::tempdir().unwrap();
    let points = folder.path().join("points.csv");
    let points = points.to_str().unwrap();
    std::fs::write(
        points,
        "p_out_w,p_in_w\n5,11.74\n20,27.87\n60,70.49\n120,135.63\n180,202.94\n240,271.34\n",
    )
    .unwrap();
    let fit: Value = serde_json::from_str(&out(&run(&["fit", points, "--json"]))).unwrap();
    assert!(
        (fit["idle_w"].as_f64().unwrap() - 6.620_089_668).abs() < 1e-5,
        "{fit}"
    );
    assert_eq!(fit["range_w"], serde_json::json!([5.0, 240.0]));
    assert!(
        out(&run(&["fit", points])).contains("Idle 6.6")
            && out(&run(&["fit", points])).contains(" ± ")
    );

    let capture: Value = serde_json::from_str(&out(&run(&[
        "capture",
        &case("capture-ac-switchover.csv"),
        "--nominal-v",
        "230",
        "--json",
    ])))
    .unwrap();
    assert!(
        (capture["dead_ms"].as_f64().unwrap() - 17.4).abs() < 1.0,
        "{capture}"
    );
    assert_eq!(capture["waveform_after"], "sine");
    let table = out(&run(&[
        "capture",
        &case("capture-dc-dip.csv"),
        "--minimum-v",
        "11.495",
    ]));
    assert!(
        table.contains("below the minimum") && table.contains("lowest"),
        "{table}"
    );

    let phases: Value = serde_json::from_str(&out(&run(&[
        "phases",
        &case("logger-phases.csv"),
        "--json",
    ])))
    .unwrap();
    let whens: Vec<&str> = phases["phases"]
        .as_array()
        .unwrap()
        .iter()
        .map(|it| it["when"].as_str().unwrap())
        .collect();
    assert_eq!(whens, ["starting", "running", "busy"]);
    assert!(out(&run(&["phases", &case("logger-phases.csv")])).contains("Confidence"));
}

#[test]
fn a_bad_file_of_the_bench_names_row_column_and_remedy() {
    let folder = tempfile::tempdir().unwrap();
    let file = folder.path().join("bad.csv");
    for (text, says) in [
        (
            "time_s,volts\n0,12\n0.1,many\n",
            "row 3, column 2: “many” is no number for “volts”; write a number such as 12.5",
        ),
        ("0,12\n0.1,12\n", "there is no head"),
        ("time_s,volts\n", "there are no rows"),
        ("time_s,volts\n0,12\n", "20 or more"),
        ("time_s,amps\n0,12\n", "name them time_s and volts"),
    ] {
        std::fs::write(&file, text).unwrap();
        let output = run(&["capture", file.to_str().unwrap()]);
        assert_eq!(output.status.code(), Some(2), "{text}");
        assert!(
            err(&output).contains(says),
            "{says} is not in {}",
            err(&output)
        );
    }
    std::fs::write(&file, "p_out_w,p_in_w\n10,8\n20,25\n30,36\n").unwrap();
    assert!(err(&run(&["fit", file.to_str().unwrap()])).contains("swap the columns"));
    assert_eq!(run(&["phases", "/nowhere.csv"]).status.code(), Some(2));
}

/// A running process that ends with the test.
struct Running(std::process::Child);

impl Drop for Running {
    fn drop(&mut self) {
        let _ = self.0.kill();
        let _ = self.0.wait();
    }
}

#[test]
fn a_stand_in_runs_by_itself_and_says_where() {
    use std::io::{BufRead, BufReader, Write};
    for (which, arguments) in [
        ("meter", &[][..]),
        ("battery", &["--source", "house-bank"][..]),
    ] {
        let mut command = Command::new(env!("CARGO_BIN_EXE_ash-pond"));
        command
            .args(["stand-in", which, "--listen", "127.0.0.1:0"])
            .args(arguments);
        let mut child = Running(
            command
                .stdout(std::process::Stdio::piped())
                .spawn()
                .unwrap(),
        );
        let mut said = String::new();
        BufReader::new(child.0.stdout.take().unwrap())
            .read_line(&mut said)
            .unwrap();
        let address = said
            .split_whitespace()
            .find(|it| it.starts_with("127.0.0.1:"))
            .unwrap()
            .to_owned();
        let mut stream = std::net::TcpStream::connect(&address).unwrap();
        if which == "meter" {
            stream.write_all(b"*IDN?\n").unwrap();
            let mut answer = String::new();
            BufReader::new(stream).read_line(&mut answer).unwrap();
            assert!(answer.contains("BENCH METER STAND-IN"), "{answer}");
        } else {
            // Read input register 8 of unit 1, as Modbus TCP has it.
            use std::io::Read;
            stream
                .write_all(&[0, 1, 0, 0, 0, 6, 1, 4, 0, 8, 0, 1])
                .unwrap();
            let mut answer = [0; 11];
            stream.read_exact(&mut answer).unwrap();
            assert_eq!(answer, [0, 1, 0, 0, 0, 5, 1, 4, 2, 0x41, 0x50]);
        }
    }
    let far = run(&["stand-in", "meter", "--listen", "0.0.0.0:0"]);
    assert!(
        far.status.code() == Some(2) && err(&far).contains("no loopback address"),
        "{}",
        err(&far)
    );
    let nobody = run(&[
        "stand-in",
        "battery",
        "--listen",
        "127.0.0.1:0",
        "--source",
        "nobody",
    ]);
    assert!(
        nobody.status.code() == Some(2) && err(&nobody).contains("no source \"nobody\""),
        "{}",
        err(&nobody)
    );
}

#[test]
fn an_outage_is_marched_through_and_told() {
    let ask = [
        "simulate",
        "DEMO",
        "--arrangement",
        "camera-direct",
        "--outage",
        "winter-storm",
    ];
    let told = out(&run(&ask));
    assert!(
        told.contains("Gate camera") && told.contains("House bank"),
        "{told}"
    );
    let json = out(&run(&[&ask[..], &["--series", "3600", "--json"]].concat()));
    let found: Value = serde_json::from_str(&json).unwrap();
    let hours = found["devices"]["gate-camera"]["up_h"].as_f64().unwrap();
    let series = found["sources"]["house-bank"]["series"].as_array().unwrap();
    assert!(hours > 10.0 && series.len() > 10, "{found}");
    let charge: Vec<f64> = series.iter().map(|it| it[1].as_f64().unwrap()).collect();
    assert!(
        charge[0] <= 1.0 && charge.last().unwrap() < &charge[0],
        "{charge:?}"
    );
    for (option, value, says) in [
        ("--outage", "sunshine", "not in the plan"),
        ("--arrangement", "nobody", "not in the plan"),
        ("--series", "0", "between 1 and"),
        ("--runs", "0", "between 1 and"),
    ] {
        let mut wrong: Vec<&str> = ask.to_vec();
        match wrong.iter().position(|it| *it == option) {
            Some(at) => wrong[at + 1] = value,
            None => wrong.extend([option, value]),
        }
        let output = run(&wrong);
        assert!(
            output.status.code() == Some(2) && err(&output).contains(says),
            "{}",
            err(&output)
        );
    }
}

#[test]
fn an_outage_is_marched_through_many_times_with_the_same_answer_for_a_seed() {
    let ask = [
        "simulate",
        "DEMO",
        "--arrangement",
        "direct",
        "--outage",
        "winter-storm",
        "--runs",
        "40",
        "--seed",
        "7",
    ];
    let told = out(&run(&ask));
    assert!(
        told.contains("Router lasts") && told.contains("40 runs over"),
        "{told}"
    );
    let json = || -> Value {
        serde_json::from_str(&out(&run(&[&ask[..], &["--json"]].concat()))).unwrap()
    };
    let (first, second) = (json(), json());
    assert_eq!(first["chances"], second["chances"]);
    let hours = &first["chances"]["devices"]["router"]["hours"];
    assert!(hours["p5"].as_f64().unwrap() < hours["p95"].as_f64().unwrap());
}

#[test]
fn shedding_starts_and_filling_up_are_told() {
    let way = ["--arrangement", "direct", "--outage", "winter-storm"];
    let told = out(&run(&[
        &["shed", "DEMO"],
        &way[..],
        &["--drop", "terminal"],
    ]
    .concat()));
    assert!(
        told.contains("Without Satellite terminal Router lasts") && told.contains("best order"),
        "{told}"
    );
    let below = &["--drop", "terminal", "--below", "0.4"];
    let told = out(&run(&[&["shed", "DEMO"], &way[..], below].concat()));
    assert!(
        told.contains("With Satellite terminal dropped below 40 % Router lasts"),
        "{told}"
    );
    let told = out(&run(&[
        &["starts", "DEMO"],
        &way[..],
        &["--soc", "house-bank=0.45"],
    ]
    .concat()));
    assert!(
        told.contains("in this order") && told.contains("by hand"),
        "{told}"
    );
    let told = out(&run(&[
        "recharge",
        "DEMO",
        "--arrangement",
        "direct",
        "--source",
        "station",
        "--from",
        "0.2",
    ]));
    assert!(
        told.contains("goes from 20 % to") && told.contains("100 %") && told.contains("300 W"),
        "{told}"
    );
    let ask = [
        "recharge",
        "DEMO",
        "--arrangement",
        "direct",
        "--source",
        "station",
        "--to",
        "0.8,1",
        "--json",
    ];
    let json: Value = serde_json::from_str(&out(&run(&ask))).unwrap();
    assert_eq!(
        (&json["ways"][0]["input"], &json["levels"][1]["soc"]),
        (&"station/wall".into(), &1.0.into())
    );
    assert!(
        json["levels"][0]["after_h"].as_f64() < json["levels"][1]["after_h"].as_f64(),
        "{json}"
    );
    let json: Value = serde_json::from_str(&out(&run(&["fills", "DEMO", "--json"]))).unwrap();
    let rows = json["cells"].as_array().unwrap();
    assert_eq!(rows.len(), json["froms"].as_array().unwrap().len());
    assert!(
        rows.iter()
            .all(|it| it.as_array().unwrap().len() == json["inputs"].as_array().unwrap().len())
    );
    assert!(out(&run(&["fills", "DEMO"])).contains("Into station/panel:"));
    let told = out(&run(&[
        "runs",
        "DEMO",
        "--devices",
        "router,gate-camera",
        "--ports",
        "station,house-bank/studs",
    ]));
    assert!(
        told.contains("On House bank, studs:") && told.contains("together: 2 of 2, for"),
        "{told}"
    );
    let ask = [
        "runs",
        "DEMO",
        "--devices",
        "router",
        "--ports",
        "station/socket",
        "--json",
    ];
    let json: Value = serde_json::from_str(&out(&run(&ask))).unwrap();
    assert_eq!(
        (&json["devices"][0], &json["ports"][0]["port"]),
        (&"router".into(), &"socket".into())
    );
    assert!(
        json["cells"][0][0]["arrangement"]["feeds"].is_array()
            && json["cells"][0][0]["status"].is_string(),
        "{json}"
    );
    let least = ["--arrangement", "direct", "--outage", "winter-storm"];
    let of = |what: &'static str, item: &'static str, hours: &'static str| {
        [
            "smallest", "DEMO", "--what", what, "--item", item, "--hours", hours,
        ]
    };
    let told = out(&run(
        &[&of("store", "house-bank", "12")[..], &least[..]].concat()
    ));
    assert!(
        told.contains("12 h need") && told.contains("The plan has 100 Ah"),
        "{told}"
    );
    let lead = [&of("lead", "weir-camera", "4")[..], &least[..], &["--json"]].concat();
    let json: Value = serde_json::from_str(&out(&run(&lead))).unwrap();
    assert_eq!(json["unit"], "mm²");
    assert!(json["value"].as_f64() > Some(0.5), "{json}");
    let ask = [
        "find",
        "DEMO",
        "--devices",
        "router,gate-camera",
        "--hours",
        "24",
        "--outage",
        "winter-storm",
    ];
    let told = out(&run(&ask));
    assert!(
        told.contains("for 24 h") && told.contains("Proven best") && told.contains(" → router"),
        "{told}"
    );
    let json: Value =
        serde_json::from_str(&out(&run(&[&ask[..], &["--front", "--json"]].concat()))).unwrap();
    assert_eq!(json["proven"], true);
    assert!(
        json["front"][0]["arrangement"]["feeds"].is_array()
            && json["front"][0]["hours"].is_number(),
        "{json}"
    );
    // With sizes of lead: what is bought of them is told, and what is bettered too.
    let far = [
        "find",
        "DEMO",
        "--devices",
        "router,weir-camera",
        "--hours",
        "24",
        "--outage",
        "winter-storm",
        "--front",
    ];
    let told = out(&run(&[
        &far[..],
        &[
            "--lead",
            "1.5=0",
            "--lead",
            "10=5",
            "--count",
            "steady-12=any",
        ],
    ]
    .concat()));
    assert!(
        told.contains("52 m of 10 mm² lead to buy for 260 EUR"),
        "{told}"
    );
    assert!(
        told.contains("Bettered by these:") && told.contains("another lasts"),
        "{told}"
    );
    for (wrong, says) in [
        (
            vec![
                "find",
                "DEMO",
                "--devices",
                "router",
                "--hours",
                "3",
                "--lead",
                "moon",
            ],
            "--lead: is",
        ),
        (
            vec![
                "find",
                "DEMO",
                "--devices",
                "router",
                "--hours",
                "3",
                "--lead",
                "3=1",
            ],
            "--lead: name 3 mm²",
        ),
        (
            vec![
                "find",
                "DEMO",
                "--devices",
                "router",
                "--hours",
                "3",
                "--count",
                "steady-12=some",
            ],
            "--count: is",
        ),
        (
            vec![
                "shed",
                "DEMO",
                "--arrangement",
                "direct",
                "--outage",
                "winter-storm",
                "--drop",
                "moon",
            ],
            "no device",
        ),
        (
            vec![
                "shed",
                "DEMO",
                "--arrangement",
                "direct",
                "--outage",
                "winter-storm",
                "--below",
                "40",
            ],
            "between 0 and 1",
        ),
        (
            vec!["runs", "DEMO", "--devices", "moon"],
            "--devices: names",
        ),
        (vec!["runs", "DEMO", "--ports", "moon"], "--ports: names"),
        (
            vec![
                "smallest",
                "DEMO",
                "--what",
                "moon",
                "--item",
                "house-bank",
                "--arrangement",
                "direct",
                "--hours",
                "3",
            ],
            "there are store",
        ),
        (
            vec![
                "smallest",
                "DEMO",
                "--what",
                "store",
                "--item",
                "router",
                "--arrangement",
                "direct",
                "--hours",
                "3",
            ],
            "--item: is",
        ),
        (
            vec![
                "find",
                "DEMO",
                "--devices",
                "router",
                "--hours",
                "3000",
                "--outage",
                "winter-storm",
            ],
            "--hours: is 3000",
        ),
        (
            vec![
                "find",
                "DEMO",
                "--devices",
                "router",
                "--hours",
                "3",
                "--price",
                "moon",
            ],
            "--price: is",
        ),
        (
            vec![
                "starts",
                "DEMO",
                "--arrangement",
                "direct",
                "--soc",
                "house-bank",
            ],
            "a charge from 0 to 1",
        ),
        (
            vec![
                "recharge",
                "DEMO",
                "--arrangement",
                "direct",
                "--source",
                "router",
            ],
            "no source with a battery",
        ),
        (
            vec![
                "recharge",
                "DEMO",
                "--arrangement",
                "direct",
                "--source",
                "station",
                "--from",
                "7",
            ],
            "between 0 and 1",
        ),
        (
            vec!["recharge", "DEMO", "--arrangement", "direct"],
            "--source: say which one is filled",
        ),
        (
            vec![
                "recharge",
                "DEMO",
                "--arrangement",
                "direct",
                "--source",
                "station",
                "--mode",
                "quiet",
            ],
            "station/wall=quiet",
        ),
    ] {
        let output = run(&wrong);
        assert!(
            output.status.code() == Some(2) && err(&output).contains(says),
            "{}",
            err(&output)
        );
    }
}

/// The demo plan with an outage whose stretches overlap, in a file of its own.
fn overlapping() -> tempfile::NamedTempFile {
    let demo = concat!(
        env!("CARGO_MANIFEST_DIR"),
        "/../../demo/hollin-lock.plan.json"
    );
    let mut plan: Value = serde_json::from_str(&std::fs::read_to_string(demo).unwrap()).unwrap();
    plan["outages"][0]["mains"] = serde_json::json!([{"from_h": 0, "to_h": 30, "state": "out"},
        {"from_h": 20, "to_h": 40, "state": "on"}]);
    let file = tempfile::NamedTempFile::new().unwrap();
    std::fs::write(file.path(), plan.to_string()).unwrap();
    file
}

#[test]
fn stretches_that_overlap_end_with_2_and_name_their_place() {
    let file = overlapping();
    let plan = file.path().to_str().unwrap();
    let output = run(&[
        "simulate",
        plan,
        "--arrangement",
        "direct",
        "--outage",
        "winter-storm",
    ]);
    assert_eq!(output.status.code(), Some(2), "{}", out(&output));
    assert!(err(&output).contains("mains[1].from_h"), "{}", err(&output));
}

#[test]
fn numbers_and_units_are_written_as_the_reader_asks() {
    let said = |units: &str| {
        out(&run(&[
            "--units",
            units,
            "check",
            "DEMO",
            "--arrangement",
            "direct",
        ]))
    };
    let (si, other) = (said("point,c,m,mm2,24h"), said("comma,f,ft,awg,12h"));
    assert!(si.contains('.') && si != other, "{si}");
    // The same sentences, word by word but for their amounts.
    assert_eq!(si.lines().count(), other.lines().count());
    let wrong = run(&["--units", "furlongs", "check", "DEMO"]);
    assert_eq!(wrong.status.code(), Some(2));
    assert!(
        err(&wrong).contains("--units") && err(&wrong).contains("point or comma"),
        "{}",
        err(&wrong)
    );
}

#[test]
fn copies_passphrases_and_the_way_in_from_other_machines() {
    use std::io::Write as _;
    let folder = tempfile::tempdir().unwrap();
    let at = |name: &str| folder.path().join(name).to_str().unwrap().to_owned();
    let (data, other, copy) = (at("data"), at("other"), at("copy.sqlite"));
    let store = ash_pond_store::Store::open(std::path::Path::new(&data)).unwrap();
    ash_pond::demo::fill(&store).unwrap();
    // While it is in use.
    let told = run(&["backup", "--data", &data, &copy]);
    assert!(
        told.status.success() && out(&told).contains("whole"),
        "{}",
        err(&told)
    );
    assert!(out(&run(&["status", "--data", &data])).contains("server    runs"));
    assert_eq!(
        run(&["restore", "--data", &data, &copy]).status.code(),
        Some(2),
        "it is in use"
    );
    drop(store);
    let told = run(&["restore", "--data", &other, &copy]);
    assert!(out(&told).contains("Hollin Lock"), "{}", err(&told));
    assert!(out(&run(&["status", "--data", &other])).contains("sites     Hollin Lock"));
    let told = run(&["restore", "--data", &other, "Cargo.toml"]);
    assert_eq!(told.status.code(), Some(2));
    assert!(
        out(&run(&["status", "--data", &other])).contains("Hollin Lock"),
        "nothing was changed"
    );

    // One site alone, into a file and out of it again.
    let zip = at("lock.zip");
    assert!(
        out(&run(&[
            "export", "--data", &other, "--as", "archive", "--to", &zip
        ]))
        .contains("hollin-lock")
    );
    assert!(err(&run(&["export", "--data", &other, "--as", "archive"])).contains("--to"));
    assert!(err(&run(&["export", "--data", &other, "--to", &zip])).contains("--to"));
    let told = run(&["import", "--new", "--data", &at("third"), &zip]);
    assert!(out(&told).contains("hollin-lock"), "{}", err(&told));
    let exported = |data: &str| out(&run(&["export", "--data", data]));
    assert_eq!(exported(&at("third")), exported(&other));

    let open = ["serve", "--data", &data, "--listen", "0.0.0.0:0"];
    let told = run(&open);
    assert_eq!(told.status.code(), Some(2));
    assert!(
        err(&told).contains("there is no passphrase") && err(&told).contains("ash-pond passphrase"),
        "{}",
        err(&told)
    );
    let set = |words: &str| {
        let mut child = Command::new(env!("CARGO_BIN_EXE_ash-pond"))
            .args(["passphrase", "--data", &data])
            .stdin(std::process::Stdio::piped())
            .stdout(std::process::Stdio::piped())
            .stderr(std::process::Stdio::piped())
            .spawn()
            .unwrap();
        child
            .stdin
            .take()
            .unwrap()
            .write_all(words.as_bytes())
            .unwrap();
        child.wait_with_output().unwrap()
    };
    assert!(err(&set("short\n")).contains("12 letters"));
    assert!(set("four plain words\n").status.success());
    let mut child = Command::new(env!("CARGO_BIN_EXE_ash-pond"))
        .args(open)
        .stdout(std::process::Stdio::piped())
        .spawn()
        .unwrap();
    let lines = std::io::BufRead::lines(std::io::BufReader::new(child.stdout.take().unwrap()));
    let said: Vec<String> = lines.map_while(Result::ok).take(4).collect();
    assert!(
        said[0].starts_with("Ash Pond is at https://") && said[3].contains("fingerprint"),
        "{said:?}"
    );
    let begun = std::time::Instant::now();
    nix::sys::signal::kill(
        nix::unistd::Pid::from_raw(child.id().try_into().unwrap()),
        nix::sys::signal::SIGTERM,
    )
    .unwrap();
    assert!(child.wait().unwrap().success());
    assert!(begun.elapsed() < std::time::Duration::from_secs(5));
    assert!(!std::path::Path::new(&data).join("listening").exists());
}

#[test]
fn the_manual_and_the_completions_come_from_the_command_line_itself() {
    let manual = out(&run(&["manual"]));
    assert!(
        manual.contains(".TH ash") && manual.contains("restore"),
        "{manual}"
    );
    for shell in ["bash", "zsh", "fish"] {
        assert!(
            out(&run(&["completions", shell])).contains("passphrase"),
            "{shell}"
        );
    }
}

#[test]
fn an_outage_is_told_from_what_was_read_of_it() {
    let folder = tempfile::tempdir().unwrap();
    let cases = concat!(env!("CARGO_MANIFEST_DIR"), "/../core/tests/cases/watch");
    let case: serde_json::Value = serde_json::from_str(
        &std::fs::read_to_string(format!(
            "{cases}/a-display-of-whole-per-cents-and-output-watts-01.json"
        ))
        .unwrap(),
    )
    .unwrap();
    let plan = folder.path().join("plan.json");
    std::fs::write(&plan, case["plan"].to_string()).unwrap();
    let plan = plan.to_str().unwrap();
    let readings = format!("{cases}/{}", case["readings"].as_str().unwrap());
    let asked = |more: &[&str]| {
        let mut words = vec![
            "watch",
            plan,
            "--arrangement",
            "a",
            "--outage",
            "o",
            "--replay",
            &readings,
        ];
        words.extend(more);
        run(&words)
    };
    let told = asked(&["--at", "0,3.75,10.62", "--soc", "box=0.835±0.04", "--json"]);
    let told: serde_json::Value = serde_json::from_str(&out(&told)).unwrap();
    let at = told["at"].as_array().unwrap();
    assert_eq!((at.len(), at[1]["at_h"].as_f64()), (3, Some(3.75)));
    for it in at {
        let range = &it["first_lost_h"];
        assert!(
            range["p5"].as_f64() <= range["p50"].as_f64()
                && range["p50"].as_f64() <= range["p95"].as_f64()
        );
        assert!(
            it["devices"]["pump"]["until_h"]["p50"].is_f64()
                && it["devices"]["pump"]["chance_of_outage"].is_f64()
        );
        assert!(
            it["sources"]["box"]["soc"]["p50"].is_f64()
                && it["learned"].is_array()
                && it["doubts"].is_array()
        );
    }
    assert!(
        (at[2]["first_lost_h"]["p50"].as_f64().unwrap() - 12.5).abs() < 0.5,
        "{}",
        at[2]
    );
    let words = out(&asked(&["--at", "2", "--soc", "box=83.5%+-4%"]));
    assert!(
        words.contains("the first is lost at") && words.contains("lamp off: pump lasts"),
        "{words}"
    );
    assert!(
        words.contains("next: ") && !words.contains("h: \n"),
        "{words}"
    );
    // Without a moment it is told at the last reading.
    assert!(out(&asked(&[])).starts_with("At 11.5 h: "));
    for (more, says) in [
        (vec!["--soc", "oven=0.5"], "no store of the plan"),
        (vec!["--soc", "box=1.5"], "no charge of 0 to 1"),
        (vec!["--soc", "box"], "names no source"),
        (vec!["--at", "999"], "looked at from 0 to 60 h"),
    ] {
        let refused = asked(&more);
        assert_eq!(refused.status.code(), Some(2), "{more:?}");
        assert!(err(&refused).contains(says), "{}", err(&refused));
    }
}

#[test]
fn report_writes_a_page_with_everything_inside() {
    let data = tempfile::tempdir().unwrap();
    let store = ash_pond_store::Store::open(data.path()).unwrap();
    ash_pond::demo::fill(&store).unwrap();
    drop(store);
    let (folder, file) = (
        data.path().to_str().unwrap(),
        data.path().join("report.html"),
    );
    let output = run(&[
        "report",
        "--data",
        folder,
        "--site",
        "hollin-lock",
        "--out",
        file.to_str().unwrap(),
    ]);
    assert!(output.status.success(), "{}", err(&output));
    let page = std::fs::read_to_string(&file).unwrap();
    for part in [
        "<!DOCTYPE html>",
        "When the mains goes",
        "For the keeper",
        "<svg",
        "</html>",
    ] {
        assert!(page.contains(part), "{part}");
    }
    // Nothing in it is fetched from elsewhere.
    for outside in ["src=\"http", "href=\"http", "url(http", "<script"] {
        assert!(!page.contains(outside), "{outside}");
    }
    let wrong = run(&["report", "--data", folder, "--site", "nowhere"]);
    assert_eq!(wrong.status.code(), Some(2), "{}", err(&wrong));
    let missing = run(&[
        "report",
        "--data",
        "/nowhere/at/all",
        "--site",
        "hollin-lock",
    ]);
    assert!(
        err(&missing).contains("there is no such folder"),
        "{}",
        err(&missing)
    );
}
