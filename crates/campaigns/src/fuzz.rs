//! Odd inputs by the million: plans, tables, captures, loggers' files, entries, readings and
//! requests, made from good ones by small and large changes. None may panic, take longer than a
//! second, or give what is no number.

mod change;

use crate::table::Table;
use anyhow::{Context as _, Result};
use ash_pond::app::{AppState, app};
use ash_pond_core::bench::{Holds, Sample, capture, profile, read_log};
use ash_pond_core::ground::work::{Job, within};
use ash_pond_core::network::{Charge, Moment};
use ash_pond_core::site::entry::{Around, DecimalMark, Target, read};
use ash_pond_core::site::exchange::{Table as Kit, preview, table};
use ash_pond_core::site::plan::Plan;
use ash_pond_core::telling::answer::answer;
use ash_pond_store::Store;
use axum::Router;
use axum::body::Body;
use axum::http::{Request, header};
use change::{odd_json, odd_text};
use http_body_util::BodyExt as _;
use rand::rngs::StdRng;
use rand::{RngExt as _, SeedableRng as _};
use serde_json::Value;
use std::panic::{AssertUnwindSafe, catch_unwind};
use std::time::{Duration, Instant};
use tower::ServiceExt as _;

/// Longer than this is a hang.
const HANG: Duration = Duration::from_secs(1);
/// Steps that a computation of an odd plan may take here; what is stopped by its budget has ended
/// as it must.
const STEPS: u64 = 300_000;

/// After so many a site is begun anew: what odd requests left there would only be read again and
/// again.
const FRESH: u64 = 50_000;

/// How much is tried.
#[derive(Debug, Clone, Copy)]
pub struct Fuzz {
    /// Inputs of all kinds together.
    pub inputs: u64,
    /// Threads.
    pub threads: u64,
    /// The seed of all of it: the same again gives the same inputs.
    pub seed: u64,
}

/// Kinds of inputs, with how many of each thousand they are.
const KINDS: [(&str, u64); 7] = [
    ("entries, as people type them", 550),
    ("readings, as lines of a logger", 200),
    ("captures of a switchover", 60),
    ("files of loggers, whole", 60),
    ("tables, pasted", 50),
    ("plans, read, checked and evaluated", 40),
    ("requests", 40),
];

/// What came of one kind.
#[derive(Debug, Clone, Default)]
struct Came {
    tried: u64,
    panicked: u64,
    no_numbers: u64,
    hung: u64,
    accepted: u64,
    slowest: Duration,
    first: Option<String>,
}

impl Came {
    fn join(&mut self, other: Self) {
        self.tried += other.tried;
        self.panicked += other.panicked;
        self.no_numbers += other.no_numbers;
        self.hung += other.hung;
        self.accepted += other.accepted;
        self.slowest = self.slowest.max(other.slowest);
        self.first = self.first.take().or(other.first);
    }
}

/// What an input came to.
enum End {
    /// It was refused.
    Refused,
    /// It was taken, and gave numbers.
    Taken,
    /// It was taken, and gave something that is no number, as told here with what stands around it.
    NoNumber(String),
}

/// Tries inputs, and tells what came of them, a line for each kind.
///
/// # Errors
/// Where what it begins from cannot be read, or a thread cannot be had.
pub fn run(fuzz: Fuzz) -> Result<Table> {
    // Each panic is counted and told with its input; its trace says nothing more.
    let before = std::panic::take_hook();
    std::panic::set_hook(Box::new(|_| {}));
    let all = std::thread::scope(|scope| -> Result<Vec<Vec<Came>>> {
        let threads: Vec<_> = (0..fuzz.threads)
            .map(|it| scope.spawn(move || one_thread(fuzz, it)))
            .collect();
        threads
            .into_iter()
            .map(|it| {
                it.join()
                    .map_err(|_| anyhow::anyhow!("a thread panicked"))?
            })
            .collect()
    });
    std::panic::set_hook(before);
    let mut joined = vec![Came::default(); KINDS.len()];
    for came in all? {
        for (whole, part) in joined.iter_mut().zip(came) {
            whole.join(part);
        }
    }
    let mut table = Table::default();
    for ((what, _), came) in KINDS.iter().zip(joined) {
        let lost = came.panicked + came.no_numbers + came.hung;
        let slowest = came.slowest.as_secs_f64() * 1000.0;
        let first = came
            .first
            .map_or_else(String::new, |it| format!("; the first: {it}"));
        let told = format!(
            "{} panicked, {} gave no number, {} took longer than a second; {} were accepted; the \
            slowest took {slowest:.0} ms{first}",
            came.panicked, came.no_numbers, came.hung, came.accepted
        );
        table.add(what, came.tried, lost, told);
    }
    Ok(table)
}

fn one_thread(fuzz: Fuzz, thread: u64) -> Result<Vec<Came>> {
    let mut seeds = Seeds::read()?;
    let mut chance = StdRng::seed_from_u64(fuzz.seed.wrapping_mul(1_000_003).wrapping_add(thread));
    let mut came = vec![Came::default(); KINDS.len()];
    for number in 1..=fuzz.inputs.div_ceil(fuzz.threads) {
        if number.is_multiple_of(FRESH) {
            seeds = Seeds::read()?;
        }
        let mut left = chance.random_range(0..1000);
        let kind = KINDS.iter().position(|(_, share)| {
            let here = left < *share;
            left = left.saturating_sub(*share);
            here
        });
        let kind = kind.unwrap_or_default();
        let input = seeds.odd(kind, &mut chance);
        let begun = Instant::now();
        let end = catch_unwind(AssertUnwindSafe(|| seeds.try_it(kind, &input)));
        let took = begun.elapsed();
        let it = &mut came[kind];
        it.tried += 1;
        it.slowest = it.slowest.max(took);
        let hung = took > HANG;
        it.hung += u64::from(hung);
        match end {
            Err(_) => it.panicked += 1,
            Ok(End::NoNumber(_)) => it.no_numbers += 1,
            Ok(End::Taken) => it.accepted += 1,
            Ok(End::Refused) => {}
        }
        let wrong = match &end {
            Err(_) => Some("panicked"),
            Ok(End::NoNumber(around)) => Some(around.as_str()),
            Ok(_) => hung.then_some("hung"),
        };
        if let Some(wrong) = wrong {
            it.first.get_or_insert_with(|| {
                format!("{wrong}: {}", input.shown())
                    .chars()
                    .take(20_000)
                    .collect()
            });
        }
    }
    Ok(came)
}

/// An odd input.
#[derive(Debug)]
enum Input {
    Text(String),
    Entry(String, Target),
    Json(Value),
    Asked(&'static str, String, String),
}

impl Input {
    /// It as it can be given again.
    fn shown(&self) -> String {
        match self {
            Self::Json(value) => value.to_string(),
            other => format!("{other:?}"),
        }
    }
}

/// What odd inputs are made from.
struct Seeds {
    plan: Value,
    checked: Plan,
    tables: [String; 3],
    runtime: tokio::runtime::Runtime,
    router: Router,
    _folder: tempfile::TempDir,
}

const SITE: &str = "/api/sites/hollin-lock";
const ENTRIES: [&str; 20] = [
    "6.2±0.2 m",
    "12 V 1.5 A",
    "400 mAh/h",
    "4.5 Wh/day",
    "1.2 kWh in 36 h",
    "4 x 2550 mAh",
    "2 x 60 Ah",
    "1/0",
    "12 AWG",
    "14 mΩ",
    "10 ft",
    "80 cm",
    "-4 °F",
    "35 %",
    "1,821 mAh 3.82 V",
    "07:30",
    "1.250,5",
    "12.8 V 0.55 A 230 V 0.005 A",
    "0",
    "1e3",
];
const TARGETS: [Target; 12] = [
    Target::Watts,
    Target::Volts,
    Target::Amps,
    Target::WattHours,
    Target::AmpHours,
    Target::Seconds,
    Target::Share,
    Target::Celsius,
    Target::Metres,
    Target::Area,
    Target::Ohms,
    Target::Plain,
];
const LINE: &str = "2026-01-20T18:00:05;12.55;0.49";
const LOG: &str =
    "time_s,watts\n0,5\n1,5.1\n2,19\n3,18.5\n4,5\n5,5.2\n6,5\n7,20\n8,19\n9,5\n10,5\n";
const REQUESTS: [(&str, &str, &str); 12] = [
    (
        "POST",
        "evaluate",
        r#"{"arrangements":["camera-direct"],"moment":"running","soc":{"house-bank":0.5}}"#,
    ),
    ("POST", "entry", r#"{"text":"6.2 W","target":"watts"}"#),
    (
        "POST",
        "walk",
        r#"{"arrangement":"camera-direct","soc":{"house-bank":0.6}}"#,
    ),
    (
        "POST",
        "walk/readings",
        r#"{"arrangement":"camera-direct","joint":"house-bank/studs","volts":13.1}"#,
    ),
    (
        "POST",
        "changes",
        r#"{"words":"x","changes":[{"kind":"device","id":"gate-camera","body":null}]}"#,
    ),
    (
        "POST",
        "tests",
        r#"{"protocol":"idle","of":{"kind":"converter","id":"small-inverter"},"rows":[{"values":[12.5,0.49]}]}"#,
    ),
    (
        "POST",
        "compare",
        r#"{"arrangements":["camera-direct","camera-inverter"],"hours":24}"#,
    ),
    ("POST", "import", r#"{"text":"name,watts\nlamp,5"}"#),
    (
        "PUT",
        "elements/device/lamp-x",
        r#"{"id":"lamp-x","label":"Lamp","input":{"current":"dc","rated_v":12},
            "phases":[{"when":"running","watts":5}]}"#,
    ),
    ("GET", "journal", ""),
    ("GET", "plan", ""),
    ("POST", "undo", ""),
];

impl Seeds {
    fn read() -> Result<Self> {
        // A small plan, so that thousands of it are evaluated each second.
        let text = include_str!(
            "../../core/tests/cases/evaluate-03-router-through-inverter-and-adapter-average.json"
        );
        let case: Value = serde_json::from_str(text)?;
        let plan = case["plan"].clone();
        let checked = Plan::parse(ash_pond::DEMO_PLAN).context("the demo plan does not read")?;
        let tables = [Kit::Devices, Kit::Sources, Kit::Converters].map(|it| table(&checked, it));
        let folder = tempfile::tempdir()?;
        let store = Store::open(folder.path())?;
        store.create_site(&checked)?;
        let router = app(AppState::new(store));
        let runtime = tokio::runtime::Builder::new_current_thread()
            .enable_all()
            .build()?;
        Ok(Self {
            plan,
            checked,
            tables,
            runtime,
            router,
            _folder: folder,
        })
    }

    fn odd(&self, kind: usize, chance: &mut StdRng) -> Input {
        match kind {
            0 => {
                let target = TARGETS[chance.random_range(0..TARGETS.len())];
                Input::Entry(
                    odd_text(ENTRIES[chance.random_range(0..ENTRIES.len())], chance),
                    target,
                )
            }
            1 => Input::Text(format!(
                "time;volts;amps\n{}\n{}\n",
                odd_text(LINE, chance),
                odd_text(LINE, chance)
            )),
            2 => {
                let wave = (0..200).map(|it| {
                    let at = f64::from(it) * 0.0005;
                    let dead = (40..80).contains(&it);
                    format!(
                        "{at},{:.1}",
                        if dead {
                            0.0
                        } else {
                            325.0 * (at * 314.16).sin()
                        }
                    )
                });
                Input::Text(odd_text(
                    &format!("time_s,volts\n{}\n", wave.collect::<Vec<_>>().join("\n")),
                    chance,
                ))
            }
            3 => Input::Text(odd_text(LOG, chance)),
            4 => Input::Text(odd_text(&self.tables[chance.random_range(0..3)], chance)),
            5 => Input::Json(odd_json(&self.plan, chance)),
            _ => {
                let (method, path, body) = REQUESTS[chance.random_range(0..REQUESTS.len())];
                let body = match serde_json::from_str::<Value>(body) {
                    Ok(it) if chance.random_bool(0.8) => odd_json(&it, chance).to_string(),
                    _ => odd_text(body, chance),
                };
                Input::Asked(method, path.to_owned(), body)
            }
        }
    }

    fn try_it(&self, kind: usize, input: &Input) -> End {
        match input {
            Input::Entry(text, target) => {
                let around = Around {
                    volts: Some(12.0),
                    ..Around::default()
                };
                match read(text, *target, around) {
                    Err(_) => End::Refused,
                    Ok(it) if it.value.is_finite() && it.plus_minus.is_none_or(f64::is_finite) => {
                        End::Taken
                    }
                    Ok(it) => End::NoNumber(format!("{it:?}")),
                }
            }
            Input::Text(text) if kind == 2 => {
                let Ok(log) = read_log(text) else {
                    return End::Refused;
                };
                let volts = log.of(Holds::Volts).unwrap_or_default();
                let samples: Vec<Sample> = log
                    .of(Holds::Time)
                    .unwrap_or_default()
                    .iter()
                    .zip(volts)
                    .map(|(time_s, volts)| (*time_s, *volts))
                    .collect();
                numbers(capture(&samples, None, None))
            }
            Input::Text(text) if kind == 4 => {
                let seen = preview(&self.checked, text, None, DecimalMark::Point);
                if seen.changes.is_empty() {
                    End::Refused
                } else {
                    End::Taken
                }
            }
            Input::Text(text) => match read_log(text) {
                Err(_) => End::Refused,
                // Cells may be empty, times may not.
                Ok(log) if kind == 1 => {
                    let times = log.of(Holds::Time).unwrap_or_default();
                    if times.iter().all(|it| it.is_finite()) {
                        End::Taken
                    } else {
                        End::NoNumber(format!("{times:?}"))
                    }
                }
                Ok(log) => numbers(profile(&log)),
            },
            Input::Json(plan) => {
                let Ok(plan) = Plan::from_value(plan) else {
                    return End::Refused;
                };
                let job = Job::with_steps(STEPS);
                let answered = within(&job, || {
                    let all: Vec<_> = plan.arrangements.iter().collect();
                    answer(&plan, &all, &Moment::Running, &Charge::default())
                });
                answered.map_or(End::Refused, numbers)
            }
            Input::Asked(method, path, body) => {
                let request = Request::builder()
                    .method(*method)
                    .uri(format!("{SITE}/{path}"))
                    .header(header::HOST, "127.0.0.1:8787")
                    .header(header::IF_MATCH, "*")
                    .header(header::CONTENT_TYPE, "application/json");
                let Ok(request) = request.body(Body::from(body.clone())) else {
                    return End::Refused;
                };
                self.runtime.block_on(async {
                    let Ok(response) = self.router.clone().oneshot(request).await;
                    let status = response.status();
                    let text = response
                        .into_body()
                        .collect()
                        .await
                        .map(|it| it.to_bytes())
                        .unwrap_or_default();
                    // The router answers for a handler that panicked; here it counts as what it is.
                    assert!(
                        !status.is_server_error(),
                        "{status}: {}",
                        String::from_utf8_lossy(&text)
                    );
                    if status.is_success() {
                        End::Taken
                    } else {
                        End::Refused
                    }
                })
            }
        }
    }
}

/// Whether all that is in an answer is a number, as far as it says so. What stands in quotes is
/// text: a name may well be "NaN".
fn numbers<T: std::fmt::Debug, E>(answer: Result<T, E>) -> End {
    let Ok(answer) = answer else {
        return End::Refused;
    };
    let told = unquoted(&format!("{answer:?}"));
    let Some(at) = told.find("NaN") else {
        return End::Taken;
    };
    let from = told[..at]
        .char_indices()
        .rev()
        .take(160)
        .last()
        .map_or(0, |it| it.0);
    End::NoNumber(told[from..at + 3].to_owned())
}

/// What is written for a reader of code without what stands in quotes.
fn unquoted(told: &str) -> String {
    let (mut inside, mut escaped) = (false, false);
    let kept = told.chars().filter(|it| {
        let quote = *it == '"' && !escaped;
        escaped = inside && *it == '\\' && !escaped;
        inside ^= quote;
        !inside || quote
    });
    kept.collect()
}

#[cfg(test)]
mod tests {
    use super::{End, numbers};

    #[test]
    fn only_what_is_meant_as_a_number_counts_as_none() {
        #[derive(Debug)]
        struct Told(
            &'static str,
            #[expect(dead_code, reason = "it is told")] f64,
        );
        let is_none = |it| matches!(numbers::<_, ()>(Ok(it)), End::NoNumber(_));
        assert!(is_none(Told("a lamp", f64::NAN)) && is_none(Told("\"a lamp\\", f64::NAN)));
        assert!(!is_none(Told("NaN", 1.0)) && !is_none(Told("\"NaN\" \\", 1.0)));
        assert!(matches!(numbers::<Told, ()>(Err(())), End::Refused));
        assert_eq!(Told("x", 1.0).0, "x");
    }
}
