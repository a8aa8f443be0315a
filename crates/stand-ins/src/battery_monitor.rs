//! A battery monitor over Modbus TCP. Its clock can run faster than ours, so that a night passes in
//! seconds.
//!
//! Input registers (function 4), whole numbers, the high word first:
//!
//! | register | what | unit |
//! |---|---|---|
//! | 0 | volts at the terminals | 0.01 V |
//! | 1 | amperes out of it, negative while it is charged | 0.01 A, signed |
//! | 2 | charge | 0.1 % |
//! | 3 | temperature | 0.1 °C, signed |
//! | 4, 5 | its clock since the charge was set | s |
//! | 6, 7 | energy out since then | 0.1 Wh |
//! | 8 | 16720, by which a stand-in is known | |
//!
//! Holding registers (functions 3, 6 and 16): 0, the arrangement that hangs on it, counted from 0;
//! 1, how many times as fast its clock runs (1 to 7200); 2, the charge that it is set to, 0.1 %,
//! which sets its clock and its energy to nothing.

use crate::noise::Channel;
use anyhow::{Context, Result};
use ash_pond_core::network::{Charge, Moment, evaluate};
use ash_pond_core::site::plan::Plan;
use std::future;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::Instant;
use tokio::net::TcpListener;
use tokio_modbus::prelude::*;
use tokio_modbus::server::Service;
use tokio_modbus::server::tcp::{Server, accept_tcp_connection};

/// What register 8 holds: "AP".
pub const MARK: u16 = 0x4150;
/// Longest step of its own time that is taken at once, s.
const STEP_S: f64 = 300.0;
const FASTEST: u16 = 7200;

const VOLTS: &[(f64, f64)] = &[(65.0, 0.01)];
const AMPS: &[(f64, f64)] = &[(320.0, 0.01)];

/// A store with what hangs on it.
pub struct Monitor {
    plan: Plan,
    source: String,
    arrangement: usize,
    speed: u16,
    charge: f64,
    clock_s: f64,
    out_wh: f64,
    last: Instant,
    volts: Channel,
    amps: Channel,
}

impl Monitor {
    /// A monitor on a source of a plan, which hangs in the first arrangement that draws from it.
    ///
    /// # Errors
    /// Where the source is not there, or stores nothing.
    pub fn new(plan: Plan, source: &str) -> Result<Self> {
        let found = plan
            .source(source)
            .with_context(|| format!("the plan has no source \"{source}\""))?;
        found
            .battery
            .as_ref()
            .with_context(|| format!("\"{source}\" stores nothing"))?;
        let draws = |it: &ash_pond_core::site::plan::Arrangement| {
            it.feeds.iter().any(|it| it.from.item.as_str() == source)
        };
        let arrangement = plan.arrangements.iter().position(draws).unwrap_or(0);
        Ok(Self {
            plan,
            source: source.to_owned(),
            arrangement,
            speed: 1,
            charge: 1.0,
            clock_s: 0.0,
            out_wh: 0.0,
            last: Instant::now(),
            volts: Channel::new(0.0005, VOLTS, 21),
            amps: Channel::new(0.002, AMPS, 22),
        })
    }

    /// Volts, amperes and watts out of the store now.
    fn flow(&self) -> (f64, f64, f64) {
        let none = (0.0, 0.0, 0.0);
        let Some(way) = self.plan.arrangements.get(self.arrangement) else {
            return none;
        };
        let charge = Charge::full().with(&self.source, self.charge);
        let Ok(found) = evaluate(&self.plan, way, &Moment::Running, &charge) else {
            return none;
        };
        found.sources.get(&self.source).map_or(none, |it| {
            (
                it.terminal_v.unwrap_or(0.0),
                it.amps.unwrap_or(0.0),
                it.watts + it.internal_loss_w,
            )
        })
    }

    /// Lets its own time pass.
    fn pass(&mut self) {
        let mut left = self.last.elapsed().as_secs_f64() * f64::from(self.speed);
        self.last = Instant::now();
        while left > 0.0 && self.charge > 0.0 {
            let step = left.min(STEP_S);
            left -= step;
            let (_, amps, watts) = self.flow();
            let battery = self
                .plan
                .source(&self.source)
                .and_then(|it| it.battery.as_ref());
            let hours = step / 3600.0;
            let share = battery.map_or(0.0, |it| match (&it.capacity_ah, &it.energy_wh) {
                (Some(ah), _) => amps * hours / ah.get(),
                (None, Some(wh)) => watts * hours / wh.get(),
                (None, None) => 0.0,
            });
            self.charge = (self.charge - share).max(0.0);
            self.out_wh += watts * hours;
            self.clock_s += step;
        }
    }

    /// An input register's value.
    fn input(&mut self, register: u16) -> Option<u16> {
        let (volts, amps, _) = self.flow();
        let (clock, out) = (long(self.clock_s), long(self.out_wh * 10.0));
        Some(match register {
            0 => long(self.volts.read(volts).unwrap_or(655.0) * 100.0)[1],
            1 => signed(self.amps.read(amps).unwrap_or(327.0) * 100.0),
            2 => long(self.charge * 1000.0)[1],
            3 => signed(self.plan.site.ambient().0 * 10.0),
            4 => clock[0],
            5 => clock[1],
            6 => out[0],
            7 => out[1],
            8 => MARK,
            _ => return None,
        })
    }

    fn holding(&self, register: u16) -> Option<u16> {
        Some(match register {
            0 => u16::try_from(self.arrangement).unwrap_or(u16::MAX),
            1 => self.speed,
            2 => long(self.charge * 1000.0)[1],
            _ => return None,
        })
    }

    fn set(&mut self, register: u16, value: u16) -> Result<(), ExceptionCode> {
        match register {
            0 if usize::from(value) < self.plan.arrangements.len() => {
                self.arrangement = usize::from(value);
            }
            1 if (1..=FASTEST).contains(&value) => self.speed = value,
            2 if value <= 1000 => {
                self.charge = f64::from(value) / 1000.0;
                (self.clock_s, self.out_wh) = (0.0, 0.0);
            }
            0..=2 => return Err(ExceptionCode::IllegalDataValue),
            _ => return Err(ExceptionCode::IllegalDataAddress),
        }
        Ok(())
    }

    /// The answer to a request.
    ///
    /// # Errors
    /// As Modbus has them: an address or a value that is not there, a function that is not spoken.
    pub fn ask(&mut self, request: &Request<'_>) -> Result<Response, ExceptionCode> {
        self.pass();
        let mut range =
            |from: u16, count: u16, read: &mut dyn FnMut(&mut Self, u16) -> Option<u16>| {
                let end = from
                    .checked_add(count)
                    .filter(|_| count <= 125)
                    .ok_or(ExceptionCode::IllegalDataAddress)?;
                let values = (from..end).map(|it| read(self, it));
                values
                    .collect::<Option<Vec<u16>>>()
                    .ok_or(ExceptionCode::IllegalDataAddress)
            };
        match request {
            Request::ReadInputRegisters(from, count) => Ok(Response::ReadInputRegisters(range(
                *from,
                *count,
                &mut |it, at| it.input(at),
            )?)),
            Request::ReadHoldingRegisters(from, count) => Ok(Response::ReadHoldingRegisters(
                range(*from, *count, &mut |it, at| it.holding(at))?,
            )),
            Request::WriteSingleRegister(at, value) => {
                self.set(*at, *value)?;
                Ok(Response::WriteSingleRegister(*at, *value))
            }
            Request::WriteMultipleRegisters(at, values) => {
                for (index, value) in values.iter().enumerate() {
                    self.set(
                        at.saturating_add(u16::try_from(index).unwrap_or(u16::MAX)),
                        *value,
                    )?;
                }
                Ok(Response::WriteMultipleRegisters(
                    *at,
                    u16::try_from(values.len()).unwrap_or(u16::MAX),
                ))
            }
            _ => Err(ExceptionCode::IllegalFunction),
        }
    }
}

/// A value of 0 or more as two registers, the high word first.
fn long(value: f64) -> [u16; 2] {
    #[expect(
        clippy::cast_possible_truncation,
        clippy::cast_sign_loss,
        reason = "clamped to what it holds, and whole"
    )]
    let whole = value.round().clamp(0.0, f64::from(u32::MAX)) as u32;
    let [a, b, c, d] = whole.to_be_bytes();
    [u16::from_be_bytes([a, b]), u16::from_be_bytes([c, d])]
}

/// A value with a sign as one register.
fn signed(value: f64) -> u16 {
    #[expect(
        clippy::cast_possible_truncation,
        reason = "clamped to what it holds, and whole"
    )]
    let whole = value
        .round()
        .clamp(f64::from(i16::MIN), f64::from(i16::MAX)) as i16;
    whole.cast_unsigned()
}

#[derive(Clone)]
struct Shared(Arc<Mutex<Monitor>>);

impl Service for Shared {
    type Request = Request<'static>;
    type Response = Response;
    type Exception = ExceptionCode;
    type Future = future::Ready<Result<Response, ExceptionCode>>;

    fn call(&self, request: Self::Request) -> Self::Future {
        future::ready(
            self.0
                .lock()
                .unwrap_or_else(PoisonError::into_inner)
                .ask(&request),
        )
    }
}

/// Answers on a listener for as long as it is polled.
///
/// # Errors
/// Where the listener fails.
pub async fn serve(listener: TcpListener, monitor: Monitor) -> Result<()> {
    let shared = Shared(Arc::new(Mutex::new(monitor)));
    let on_connected = |stream, address| {
        let shared = shared.clone();
        async move { accept_tcp_connection(stream, address, move |_| Ok(Some(shared.clone()))) }
    };
    let on_error = |error| tracing::debug!("a battery monitor's connection ended: {error}");
    Server::new(listener)
        .serve(&on_connected, on_error)
        .await
        .context("the battery monitor cannot listen")
}
