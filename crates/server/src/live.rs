//! Meters that answer by themselves: SCPI over TCP, and battery monitors over Modbus TCP.
//!
//! Each is asked with a timeout. A connection that fails is dropped, said so, and made anew when it is asked next; what
//! was read before is in the rows, and none of it is lost.

use crate::routes::live_bodies::{LiveMeter, LiveSetting, LiveValue};
use anyhow::{Context, Result, bail};
use ash_pond_stand_ins::battery_monitor::MARK;
use ash_pond_store::MeterRow;
use std::collections::HashMap;
use std::net::SocketAddr;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Duration;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpStream;
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

/// The connections, kept between questions.
#[derive(Clone, Default)]
pub struct Live {
    open: Arc<Mutex<HashMap<String, Slot>>>,
}

type Slot = Arc<tokio::sync::Mutex<Option<Connection>>>;

enum Connection {
    Scpi(Box<BufReader<TcpStream>>),
    Modbus(Box<Modbus>),
}

impl Live {
    fn slot(&self, row: &MeterRow) -> Slot {
        // A meter that is given another address is another connection.
        let key = format!("{} {}", row.speaks, row.address);
        self.open.lock().unwrap_or_else(PoisonError::into_inner).entry(key).or_default().clone()
    }

    /// What a meter shows now, or what is wrong with it.
    pub(crate) async fn read(&self, row: &MeterRow) -> LiveMeter {
        let found = self.with(row, async |connection| match connection {
            Connection::Scpi(stream) => scpi(stream).await,
            Connection::Modbus(context) => modbus(context).await,
        });
        let (values, settings, trouble) = match found.await {
            Ok((values, settings)) => (values, settings, None),
            Err(error) => (Vec::new(), Vec::new(), Some(format!("{error:#}"))),
        };
        LiveMeter {
            id: row.id.clone(),
            label: row.label.clone(),
            speaks: row.speaks.clone(),
            address: row.address.clone(),
            values,
            settings,
            trouble,
        }
    }

    /// Sets something on a stand-in.
    pub(crate) async fn set(&self, row: &MeterRow, key: &str, value: &str) -> Result<()> {
        self.with(row, async |connection| match (connection, key) {
            (Connection::Scpi(stream), "load") => tell(stream, &format!("POW {}", number(value)?)).await,
            (Connection::Scpi(stream), "converter") if is_plain(value) => {
                tell(stream, &format!("INST:SEL {value}")).await
            }
            (Connection::Modbus(context), "arrangement") => write(context, 0, number(value)?).await,
            (Connection::Modbus(context), "speed") => write(context, 1, number(value)?).await,
            (Connection::Modbus(context), "charge") => write(context, 2, number(value)? * 10.0).await,
            _ => bail!("\"{key}\" is nothing that can be set on it to \"{value}\""),
        })
        .await
    }

    async fn with<T>(&self, row: &MeterRow, work: impl AsyncFnOnce(&mut Connection) -> Result<T>) -> Result<T> {
        let slot = self.slot(row);
        let mut held = slot.lock().await;
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
            Err(_) => Err(anyhow::anyhow!("it does not answer within {} s; see that it is on", LONGEST.as_secs_f32())),
        };
        if answer.is_err() {
            *held = None;
        }
        answer
    }
}

async fn connect(row: &MeterRow) -> Result<Connection> {
    let address: SocketAddr = row.address.parse().context("its address is none; give it as 127.0.0.1:5025")?;
    let gone = || format!("nothing listens on {address}; see that it is on, and connected");
    if row.speaks == "modbus" {
        return Ok(Connection::Modbus(Box::new(tcp::connect(address).await.with_context(gone)?)));
    }
    let stream = TcpStream::connect(address).await.with_context(gone)?;
    stream.set_nodelay(true)?;
    Ok(Connection::Scpi(Box::new(BufReader::new(stream))))
}

fn number(text: &str) -> Result<f64> {
    text.trim().parse().ok().filter(|it: &f64| it.is_finite()).with_context(|| format!("\"{text}\" is no number"))
}

/// Whether a word can stand in a command as it is.
fn is_plain(text: &str) -> bool {
    !text.is_empty() && text.len() <= 80 && text.chars().all(|it| it.is_ascii_alphanumeric() || it == '-' || it == '_')
}

async fn tell(stream: &mut BufReader<TcpStream>, command: &str) -> Result<()> {
    stream.get_mut().write_all(format!("{command}\n").as_bytes()).await?;
    // Whether it was taken is known from its own queue of errors.
    let error = ask(stream, "SYST:ERR?").await?;
    if error.starts_with('0') || error.starts_with("+0") { Ok(()) } else { bail!("it refuses: {error}") }
}

async fn ask(stream: &mut BufReader<TcpStream>, command: &str) -> Result<String> {
    stream.get_mut().write_all(format!("{command}\n").as_bytes()).await.context("it went away")?;
    let mut line = Vec::new();
    let mut one = (&mut *stream).take(LONGEST_LINE);
    one.read_until(b'\n', &mut line).await.context("it went away")?;
    if line.is_empty() {
        bail!("it went away");
    }
    Ok(String::from_utf8_lossy(&line).trim().to_owned())
}

type Shown = (Vec<LiveValue>, Vec<LiveSetting>);

fn shown(name: &str, side: &'static str, unit: &'static str, value: Option<f64>) -> LiveValue {
    LiveValue { name: name.to_owned(), side: side.into(), unit: unit.into(), value }
}

async fn scpi(stream: &mut BufReader<TcpStream>) -> Result<Shown> {
    let mut values = Vec::new();
    for (index, side) in SIDES.iter().enumerate() {
        for (name, command, unit) in [("volts", "MEAS:VOLT?", "V"), ("amperes", "MEAS:CURR?", "A")] {
            let answer = ask(stream, &format!("{command} (@{})", index + 1)).await?;
            let value: f64 = answer.parse().with_context(|| format!("it answers \"{answer}\", which is no number"))?;
            values.push(shown(&format!("{name} {side}"), side, unit, (value.abs() < OVERLOAD).then_some(value)));
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
        let load: f64 = ask(stream, "POW?").await?.parse().unwrap_or(0.0);
        settings.push(LiveSetting {
            key: "load".into(),
            label: "load".into(),
            unit: "W".into(),
            value: load.to_string(),
            choices: Vec::new(),
        });
    }
    Ok((values, settings))
}

async fn write(context: &mut Modbus, register: u16, value: f64) -> Result<()> {
    // The whole numbers of a register, written as text and read back: no cast can go wrong.
    let word: u16 = format!("{value:.0}").parse().ok().context("that is no number it takes")?;
    context.write_single_register(register, word).await.context("it went away")?.context("it refuses that")
}

async fn modbus(context: &mut Modbus) -> Result<Shown> {
    let words = context.read_input_registers(0, 9).await.context("it went away")?.context("it refuses to be read")?;
    let [volts, amps, charge, celsius, clock_high, clock_low, out_high, out_low, mark] = *words.as_slice() else {
        bail!("it answers {} registers instead of 9", words.len());
    };
    let long = |high: u16, low: u16| f64::from((u32::from(high) << 16) | u32::from(low));
    let values = vec![
        shown("at its terminals", "store", "V", Some(f64::from(volts) / 100.0)),
        shown("out of it", "store", "A", Some(f64::from(amps.cast_signed()) / 100.0)),
        shown("charge", "store", "%", Some(f64::from(charge) / 10.0)),
        shown("temperature", "store", "°C", Some(f64::from(celsius.cast_signed()) / 10.0)),
        shown("its clock", "store", "h", Some(long(clock_high, clock_low) / 3600.0)),
        shown("energy out", "store", "Wh", Some(long(out_high, out_low) / 10.0)),
    ];
    let mut settings = Vec::new();
    if mark == MARK {
        let held = context.read_holding_registers(0, 3).await.context("it went away")?.context("it refuses that")?;
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
    Ok((values, settings))
}
