//! Meters that answer by themselves: SCPI over TCP, and battery monitors over Modbus TCP.
//!
//! Each has a task of its own that asks it once for everybody, with a timeout, while somebody
//! looks. A connection that fails is dropped, said so, and made anew when it is asked next; what
//! was read before is in the rows, and none of it is lost. What it answers is bounded, and held
//! against what can be.

use crate::bodies::live::{Answers, LiveMeter, LiveSetting, LiveValue};
use crate::recording::Recording;
use anyhow::{Context, Result, bail};
use ash_pond_stand_ins::battery_monitor::MARK;
use ash_pond_store::MeterRow;
use ash_pond_store::readings::Sample;
use std::collections::HashMap;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
use tokio::sync::{mpsc, oneshot, watch};
use tokio::time::timeout;
use tokio_modbus::client::Context as Modbus;
use tokio_modbus::prelude::{Reader as _, Writer as _, tcp};

/// How long a meter may take.
const LONGEST: Duration = Duration::from_millis(1500);
/// Longest line of an answer, bytes.
const LONGEST_LINE: u64 = 4096;
/// From here on SCPI means an overload.
const OVERLOAD: f64 = 9e37;
/// Sides of a bench meter, by its channels.
const SIDES: [&str; 2] = ["in", "out"];

/// How often a meter is asked while somebody looks.
const EVERY: Duration = Duration::from_millis(900);
/// For so long after the last look it is asked on.
const LOOKED_AT: Duration = Duration::from_secs(10);
/// For so long an answer waits for a new reading; then what was read last is told.
const PATIENCE: Duration = Duration::from_millis(400);
/// What is read is told as it is for so long.
const FRESH: Duration = Duration::from_millis(700);
/// Letters of a strange answer that are told.
const MOST_TOLD: usize = 40;

/// The meters, each with a task of its own that asks it once for everybody who looks.
#[derive(Clone, Default)]
pub struct Live {
    tasks: Arc<Mutex<HashMap<String, Task>>>,
    /// Where readings that are to be kept go.
    pub(crate) recording: Recording,
}

/// A meter's task. It ends, and its connection with it, when this is dropped.
#[derive(Clone)]
struct Task {
    state: watch::Receiver<Option<State>>,
    commands: mpsc::Sender<Command>,
    looked_at: Arc<Mutex<Instant>>,
}

/// What a meter showed last.
#[derive(Clone)]
struct State {
    /// When it was asked, and when it answered.
    asked: Instant,
    at: Instant,
    /// Since when it is so, as ISO 8601.
    since: String,
    answers: Answers,
    shown: Shown,
    trouble: Option<String>,
}

enum Command {
    /// Somebody looks.
    Look,
    Set {
        key: String,
        value: String,
        done: oneshot::Sender<Result<()>>,
    },
}

enum Connection {
    Scpi(Box<BufReader<TcpStream>>),
    Modbus(Box<Modbus>),
}

fn locked<T>(it: &Mutex<T>) -> std::sync::MutexGuard<'_, T> {
    it.lock().unwrap_or_else(PoisonError::into_inner)
}

impl Live {
    /// What every meter shows: what was read lately, or within a short while of waiting. One that
    /// is silent holds nobody up.
    pub(crate) async fn look(&self, rows: &[MeterRow]) -> Vec<LiveMeter> {
        // A meter that was removed, or given another address, lets go of its connection.
        locked(&self.tasks).retain(|key, _| rows.iter().any(|it| key_of(it) == *key));
        futures::future::join_all(rows.iter().map(|it| self.one(it))).await
    }

    /// What one meter shows.
    pub(crate) async fn one(&self, row: &MeterRow) -> LiveMeter {
        self.shown_where(row, |it| it.at.elapsed() < FRESH).await
    }

    /// What one meter shows that is asked now: what it said before belongs to another moment, where
    /// a clock runs faster than life.
    pub(crate) async fn anew(&self, row: &MeterRow) -> LiveMeter {
        let now = Instant::now();
        self.shown_where(row, move |it| it.asked >= now).await
    }

    async fn shown_where(&self, row: &MeterRow, is_fresh: impl Fn(&State) -> bool) -> LiveMeter {
        let task = self.task(row);
        *locked(&task.looked_at) = Instant::now();
        let mut state = task.state.clone();
        let is_fresh = |it: &Option<State>| it.as_ref().is_some_and(&is_fresh);
        if !is_fresh(&state.borrow()) {
            let _ = task.commands.try_send(Command::Look);
            let _ = timeout(PATIENCE, state.wait_for(is_fresh)).await;
        }
        let last = state.borrow().clone();
        let (answers, since, (values, settings), trouble) = match last {
            Some(it) => (it.answers, Some(it.since), it.shown, it.trouble),
            None => (
                Answers::Silent,
                None,
                Shown::default(),
                Some("it has not answered yet".to_owned()),
            ),
        };
        LiveMeter {
            id: row.id.clone(),
            label: row.label.clone(),
            speaks: row.speaks.clone(),
            address: row.address.clone(),
            records: row.records,
            state: answers,
            since,
            values,
            settings,
            trouble,
        }
    }

    /// Asks the meters whose readings are kept from now on, also while nobody looks.
    pub(crate) fn attend_recorded(&self, rows: &[MeterRow]) {
        locked(&self.tasks).retain(|key, _| rows.iter().any(|it| key_of(it) == *key));
        for row in rows.iter().filter(|it| it.records) {
            // A task that has just begun waits for its first question.
            let _ = self.task(row).commands.try_send(Command::Look);
        }
    }

    /// Sets something on a stand-in; what it shows then is known once this ends.
    pub(crate) async fn set(&self, row: &MeterRow, key: &str, value: &str) -> Result<()> {
        let (done, told) = oneshot::channel();
        let command = Command::Set {
            key: key.to_owned(),
            value: value.to_owned(),
            done,
        };
        if self.task(row).commands.send(command).await.is_err() {
            bail!("it is being removed");
        }
        told.await.context("it is being removed")?
    }

    fn task(&self, row: &MeterRow) -> Task {
        let mut tasks = locked(&self.tasks);
        let begin = || {
            let (tell, state) = watch::channel(None);
            let (commands, asked) = mpsc::channel(8);
            let looked_at = Arc::new(Mutex::new(Instant::now()));
            tokio::spawn(attend(
                row.clone(),
                tell,
                asked,
                looked_at.clone(),
                self.recording.clone(),
            ));
            Task {
                state,
                commands,
                looked_at,
            }
        };
        tasks.entry(key_of(row)).or_insert_with(begin).clone()
    }
}

fn key_of(row: &MeterRow) -> String {
    format!("{} {} {} {}", row.id, row.speaks, row.address, row.records)
}

/// Asks a meter for as long as anybody may look: it alone speaks to it, so that no two questions
/// get mixed up.
async fn attend(
    row: MeterRow,
    tell: watch::Sender<Option<State>>,
    mut asked: mpsc::Receiver<Command>,
    looked_at: Arc<Mutex<Instant>>,
    recording: Recording,
) {
    let mut held: Option<Connection> = None;
    loop {
        let is_watched = row.records || locked(&looked_at).elapsed() < LOOKED_AT;
        let command = if is_watched {
            match timeout(EVERY, asked.recv()).await {
                Ok(None) => return,
                Ok(command) => command,
                Err(_) => Some(Command::Look),
            }
        } else {
            // Nobody looks: the meter is left alone, and its connection let go.
            held = None;
            match asked.recv().await {
                None => return,
                command => command,
            }
        };
        let mut answered = None;
        if let Some(Command::Set { key, value, done }) = command {
            let answer = within(&row, &mut held, async |it| set(it, &key, &value).await).await;
            answered = Some((done, answer.map_err(|it| anyhow::anyhow!(told(&it)))));
        }
        let asked_at = Instant::now();
        let found = within(&row, &mut held, async |connection| match connection {
            Connection::Scpi(stream) => scpi(stream).await,
            Connection::Modbus(context) => modbus(context).await,
        });
        let (answers, shown, trouble) = match found.await {
            Ok((shown, None)) => (Answers::Heard, shown, None),
            Ok((shown, Some(strange))) => (Answers::NotUnderstood, shown, Some(strange)),
            Err(error) if error.is::<Strange>() => {
                (Answers::NotUnderstood, Shown::default(), Some(told(&error)))
            }
            Err(error) => (Answers::Silent, Shown::default(), Some(told(&error))),
        };
        if row.records {
            recording.put(samples(&row, &shown));
        }
        tell.send_modify(|last| {
            let before = last.take().filter(|it| it.answers == answers);
            let since = before.map_or_else(crate::usecase::tests::now, |it| it.since);
            *last = Some(State {
                asked: asked_at,
                at: Instant::now(),
                since,
                answers,
                shown,
                trouble,
            });
        });
        // Whoever set something sees what it did.
        if let Some((done, answer)) = answered {
            let _ = done.send(answer);
        }
    }
}

/// What was read, to be kept.
fn samples(row: &MeterRow, (values, _): &Shown) -> Vec<Sample> {
    let at_ms = crate::clock::now().as_millisecond();
    let one = |it: &LiveValue| {
        let (meter, name, unit) = (row.id.clone(), it.name.clone(), it.unit.clone());
        Some(Sample {
            meter,
            name,
            unit,
            at_ms,
            value: it.value?,
        })
    };
    values.iter().filter_map(one).collect()
}

/// What is wrong, for a person: without what the system says of it.
fn told(error: &anyhow::Error) -> String {
    error.to_string()
}

/// An answer that cannot be what was asked for.
#[derive(Debug, thiserror::Error)]
#[error("{0}")]
struct Strange(String);

async fn set(connection: &mut Connection, key: &str, value: &str) -> Result<()> {
    match (connection, key) {
        (Connection::Scpi(stream), "load") => {
            tell(stream, &format!("POW {}", number(value)?)).await
        }
        (Connection::Scpi(stream), "converter") if is_plain(value) => {
            tell(stream, &format!("INST:SEL {value}")).await
        }
        (Connection::Modbus(context), "arrangement") => write(context, 0, number(value)?).await,
        (Connection::Modbus(context), "speed") => write(context, 1, number(value)?).await,
        (Connection::Modbus(context), "charge") => write(context, 2, number(value)? * 10.0).await,
        _ => bail!("\"{key}\" is nothing that can be set on it to \"{value}\""),
    }
}

/// Works on a meter's connection, made where there is none; it is let go of where that fails or
/// takes too long.
async fn within<T>(
    row: &MeterRow,
    held: &mut Option<Connection>,
    work: impl AsyncFnOnce(&mut Connection) -> Result<T>,
) -> Result<T> {
    let asked = async {
        if held.is_none() {
            *held = Some(connect(row).await?);
        }
        match held.as_mut() {
            Some(connection) => work(connection).await,
            None => bail!("it is not connected"),
        }
    };
    let answer = match timeout(LONGEST, asked).await {
        Ok(answer) => answer,
        Err(_) => Err(anyhow::anyhow!(
            "it does not answer within {} s; see that it is on",
            LONGEST.as_secs_f32()
        )),
    };
    if answer.is_err() {
        *held = None;
    }
    answer
}

/// The most that a meter can show, by the unit; what is beyond is no reading.
fn possible(unit: &str) -> std::ops::RangeInclusive<f64> {
    match unit {
        "V" => -2000.0..=2000.0,
        "A" => -1000.0..=1000.0,
        "%" => 0.0..=100.0,
        "°C" => -60.0..=150.0,
        _ => 0.0..=1e9,
    }
}

/// A strange answer as it can be shown: its beginning, without what is not seen.
fn quoted(answer: &str) -> String {
    let mut seen: String = answer
        .chars()
        .filter(|it| !it.is_control())
        .take(MOST_TOLD)
        .collect();
    if answer.chars().count() > MOST_TOLD {
        seen += "…";
    }
    seen
}

async fn connect(row: &MeterRow) -> Result<Connection> {
    let address: SocketAddr = row
        .address
        .parse()
        .context("its address is none; give it as 127.0.0.1:5025")?;
    let gone = || format!("nothing listens on {address}; see that it is on, and connected");
    if row.speaks == "modbus" {
        return Ok(Connection::Modbus(Box::new(
            tcp::connect(address).await.with_context(gone)?,
        )));
    }
    let stream = TcpStream::connect(address).await.with_context(gone)?;
    stream.set_nodelay(true)?;
    Ok(Connection::Scpi(Box::new(BufReader::new(stream))))
}

fn number(text: &str) -> Result<f64> {
    text.trim()
        .parse()
        .ok()
        .filter(|it: &f64| it.is_finite())
        .with_context(|| format!("\"{text}\" is no number"))
}

/// Whether a word can stand in a command as it is.
fn is_plain(text: &str) -> bool {
    !text.is_empty()
        && text.len() <= 80
        && text
            .chars()
            .all(|it| it.is_ascii_alphanumeric() || it == '-' || it == '_')
}

async fn tell(stream: &mut BufReader<TcpStream>, command: &str) -> Result<()> {
    stream
        .get_mut()
        .write_all(format!("{command}\n").as_bytes())
        .await?;
    // Whether it was taken is known from its own queue of errors.
    let error = ask(stream, "SYST:ERR?").await?;
    if error.starts_with('0') || error.starts_with("+0") {
        Ok(())
    } else {
        bail!("it refuses: {error}")
    }
}

/// Whether something came that nobody asked for: then no answer can be told from it.
fn unasked(stream: &mut BufReader<TcpStream>) -> bool {
    !stream.buffer().is_empty()
        || stream
            .get_ref()
            .try_read(&mut [0; 64])
            .is_ok_and(|it| it > 0)
}

async fn ask(stream: &mut BufReader<TcpStream>, command: &str) -> Result<String> {
    if unasked(stream) {
        bail!(Strange(
            "it sends lines that nobody asked for, so that no answer can be told from them".into()
        ));
    }
    stream
        .get_mut()
        .write_all(format!("{command}\n").as_bytes())
        .await
        .context("it went away")?;
    let mut line = Vec::new();
    let mut one = (&mut *stream).take(LONGEST_LINE);
    one.read_until(b'\n', &mut line)
        .await
        .context("it went away")?;
    match line.last() {
        Some(b'\n') => Ok(String::from_utf8_lossy(&line).trim().to_owned()),
        Some(_) if line.len() as u64 >= LONGEST_LINE => {
            bail!(Strange("it answers a line without an end".into()))
        }
        _ => bail!("it went away"),
    }
}

type Shown = (Vec<LiveValue>, Vec<LiveSetting>);

fn shown(name: &str, side: &'static str, unit: &'static str, value: Option<f64>) -> LiveValue {
    LiveValue {
        name: name.to_owned(),
        side: side.into(),
        unit: unit.into(),
        value,
    }
}

/// A value within what can be; else a word on it.
fn judged(
    name: &str,
    side: &'static str,
    unit: &'static str,
    value: f64,
    strange: &mut Option<String>,
) -> LiveValue {
    let possible = possible(unit).contains(&value);
    if !possible {
        strange.get_or_insert_with(|| {
            format!("it shows {value:.3e} {unit} for {name}, which cannot be")
        });
    }
    shown(name, side, unit, possible.then_some(value))
}

async fn scpi(stream: &mut BufReader<TcpStream>) -> Result<(Shown, Option<String>)> {
    let mut values = Vec::new();
    let mut strange = None;
    for (index, side) in SIDES.iter().enumerate() {
        for (name, command, unit) in [("volts", "MEAS:VOLT?", "V"), ("amperes", "MEAS:CURR?", "A")]
        {
            let answer = ask(stream, &format!("{command} (@{})", index + 1)).await?;
            let value: Option<f64> = answer.parse().ok().filter(|it: &f64| !it.is_nan());
            let value = value.ok_or_else(|| {
                Strange(format!(
                    "it answers \"{}\", which is no number",
                    quoted(&answer)
                ))
            })?;
            let name = format!("{name} {side}");
            values.push(if value.abs() >= OVERLOAD {
                shown(&name, side, unit, None)
            } else {
                judged(&name, side, unit, value, &mut strange)
            });
        }
    }
    let mut settings = Vec::new();
    if ask(stream, "*IDN?").await?.contains("STAND-IN") {
        let known = ask(stream, "INST:CAT?").await?;
        settings.push(LiveSetting {
            key: "converter".into(),
            label: "on the bench".into(),
            unit: String::new(),
            value: ask(stream, "INST:SEL?").await?,
            choices: known.split(',').map(str::to_owned).collect(),
        });
        let load = ask(stream, "POW?").await?;
        let load: f64 = load.parse().map_err(|_| {
            Strange(format!(
                "it answers \"{}\" for its load, which is no number",
                quoted(&load)
            ))
        })?;
        settings.push(LiveSetting {
            key: "load".into(),
            label: "load".into(),
            unit: "W".into(),
            value: load.to_string(),
            choices: Vec::new(),
        });
    }
    Ok(((values, settings), strange))
}

async fn write(context: &mut Modbus, register: u16, value: f64) -> Result<()> {
    // The whole numbers of a register, written as text and read back: no cast can go wrong.
    let word: u16 = format!("{value:.0}")
        .parse()
        .ok()
        .context("that is no number it takes")?;
    context
        .write_single_register(register, word)
        .await
        .context("it went away")?
        .context("it refuses that")
}

async fn modbus(context: &mut Modbus) -> Result<(Shown, Option<String>)> {
    let words = context
        .read_input_registers(0, 9)
        .await
        .context("it went away")?
        .context("it refuses to be read")?;
    let [
        volts,
        amps,
        charge,
        celsius,
        clock_high,
        clock_low,
        out_high,
        out_low,
        mark,
    ] = *words.as_slice()
    else {
        bail!("it answers {} registers instead of 9", words.len());
    };
    let long = |high: u16, low: u16| f64::from((u32::from(high) << 16) | u32::from(low));
    let mut strange = None;
    let mut value = |name, unit, value| judged(name, "store", unit, value, &mut strange);
    let values = vec![
        value("at its terminals", "V", f64::from(volts) / 100.0),
        value("out of it", "A", f64::from(amps.cast_signed()) / 100.0),
        value("charge", "%", f64::from(charge) / 10.0),
        value("temperature", "°C", f64::from(celsius.cast_signed()) / 10.0),
        value("its clock", "h", long(clock_high, clock_low) / 3600.0),
        value("energy out", "Wh", long(out_high, out_low) / 10.0),
    ];
    let mut settings = Vec::new();
    if mark == MARK {
        let held = context
            .read_holding_registers(0, 3)
            .await
            .context("it went away")?
            .context("it refuses that")?;
        let held = |index: usize| f64::from(held.get(index).copied().unwrap_or_default());
        for (key, label, unit, value) in [
            ("arrangement", "hangs on it", "", held(0)),
            ("speed", "its clock runs", "times", held(1)),
            ("charge", "charged to", "%", held(2) / 10.0),
        ] {
            settings.push(LiveSetting {
                key: key.into(),
                label: label.into(),
                unit: unit.into(),
                value: value.to_string(),
                choices: Vec::new(),
            });
        }
    }
    Ok(((values, settings), strange))
}
