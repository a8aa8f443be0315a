//! Meters that show what somebody else says: those of a drill. A battery monitor over Modbus TCP
//! has the registers of [`crate::battery_monitor`] without the mark by which a stand-in is known; a
//! bench meter over SCPI on TCP has its first channel at a store's terminals. Whoever reads them
//! cannot tell.

use crate::scpi::{self, Answer, OVERLOAD, parted};
use anyhow::{Context, Result};
use std::future;
use std::sync::{Arc, Mutex, PoisonError};
use tokio::net::TcpListener;
use tokio_modbus::prelude::*;
use tokio_modbus::server::Service;
use tokio_modbus::server::tcp::{Server, accept_tcp_connection};

/// What it shows.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Shown {
    /// At the terminals, V; 0 or above.
    pub volts: f64,
    /// Out of it, A; below 0 while it is charged.
    pub amps: f64,
    /// Charge, 0 to 100.
    pub percent: f64,
    /// Temperature, °C.
    pub celsius: f64,
}

/// The face of a monitor: nothing where it is dead.
#[derive(Clone, Default)]
pub struct Face(Arc<Mutex<Option<Shown>>>);

impl Face {
    /// Shows something from now on, or nothing.
    pub fn show(&self, shown: Option<Shown>) {
        *self.0.lock().unwrap_or_else(PoisonError::into_inner) = shown;
    }

    /// The answer of a bench meter to a command.
    fn ask(&self, line: &str) -> Answer {
        let Some(shown) = *self.0.lock().unwrap_or_else(PoisonError::into_inner) else {
            return Answer::Gone;
        };
        let (header, rest) = parted(line);
        let is = |long: &str| scpi::is(&header, long);
        // What is not connected shows what is beyond its range.
        let at_store = |value: f64| {
            if scpi::channel(rest) == Some(1) {
                format!("{value:.4E}")
            } else {
                OVERLOAD.into()
            }
        };
        match () {
            () if is("*IDN?") => Answer::Line("METER,TWO CHANNELS,1,1.0".into()),
            () if is("SYSTem:ERRor?") => Answer::Line("0,\"No error\"".into()),
            () if is("MEASure:VOLTage?") => Answer::Line(at_store(shown.volts)),
            () if is("MEASure:CURRent?") => Answer::Line(at_store(shown.amps)),
            () => Answer::Nothing,
        }
    }

    fn register(shown: &Shown, register: u16) -> Option<u16> {
        #[expect(
            clippy::cast_possible_truncation,
            reason = "clamped to what it holds, and whole"
        )]
        let signed = |value: f64| {
            (value
                .round()
                .clamp(f64::from(i16::MIN), f64::from(i16::MAX)) as i16)
                .cast_unsigned()
        };
        #[expect(
            clippy::cast_possible_truncation,
            clippy::cast_sign_loss,
            reason = "clamped to what it holds, and whole"
        )]
        let plain = |value: f64| value.round().clamp(0.0, f64::from(u16::MAX)) as u16;
        Some(match register {
            0 => plain(shown.volts * 100.0),
            1 => signed(shown.amps * 100.0),
            2 => plain(shown.percent * 10.0),
            3 => signed(shown.celsius * 10.0),
            4..=8 => 0,
            _ => return None,
        })
    }
}

impl Service for Face {
    type Request = Request<'static>;
    type Response = Response;
    type Exception = ExceptionCode;
    type Future = future::Ready<Result<Response, ExceptionCode>>;

    fn call(&self, request: Self::Request) -> Self::Future {
        let shown = *self.0.lock().unwrap_or_else(PoisonError::into_inner);
        let Some(shown) = shown else {
            return future::ready(Err(ExceptionCode::ServerDeviceFailure));
        };
        future::ready(match request {
            Request::ReadInputRegisters(from, count) => {
                let end = from.checked_add(count).filter(|_| count <= 125);
                let words =
                    end.and_then(|end| (from..end).map(|it| Self::register(&shown, it)).collect());
                words
                    .map(Response::ReadInputRegisters)
                    .ok_or(ExceptionCode::IllegalDataAddress)
            }
            _ => Err(ExceptionCode::IllegalFunction),
        })
    }
}

/// Answers as a bench meter on a listener for as long as it is polled.
///
/// # Errors
/// Where the listener fails.
pub async fn serve_bench(listener: TcpListener, face: Face) -> Result<()> {
    scpi::serve(listener, move |line| face.ask(line)).await
}

/// Answers as a battery monitor on a listener for as long as it is polled.
///
/// # Errors
/// Where the listener fails.
pub async fn serve(listener: TcpListener, face: Face) -> Result<()> {
    let on_connected = |stream, address| {
        let face = face.clone();
        async move { accept_tcp_connection(stream, address, move |_| Ok(Some(face.clone()))) }
    };
    let on_error = |error| tracing::debug!("a monitor's connection ended: {error}");
    Server::new(listener)
        .serve(&on_connected, on_error)
        .await
        .context("the monitor cannot listen")
}
