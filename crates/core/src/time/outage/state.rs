//! What the march knows on its way, as plain data: what is off and why, what devices do, how
//! switches stand, how warm cases are, what flows. What is done with it stands beside: `march`,
//! `modes`, `gone`, `gate`, `heat`.

use super::result::{Doing, SwitchRun};
use crate::ground::say::Sentence;
use crate::network::Standby;

/// Something that is off, and why.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Gone {
    pub(super) why: &'static str,
    /// What led to it, nearest first.
    pub(super) cause: Vec<Sentence>,
    /// Whether it comes back by itself at its cut-in.
    pub(super) comes_back: bool,
    /// Whether it went for want of charge.
    pub(super) by_charge: bool,
}

impl Gone {
    pub(super) fn new(why: &'static str, cause: Vec<Sentence>) -> Self {
        Self {
            why,
            cause,
            comes_back: false,
            by_charge: false,
        }
    }
}

/// What a device is doing.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(super) enum Mode {
    #[default]
    Off,
    /// Off because something before it is switched off.
    Shut,
    On,
    /// In the starting phase of this place until then, s.
    Starting(usize, f64),
    /// Held back by a rule.
    Held,
    /// Waiting for its turn.
    Queued,
    /// Coming back by itself, until then, s.
    Waiting(f64),
    Dark,
    Low,
    Latched,
    Inspect,
    Shed,
}

impl Mode {
    pub(super) fn is_up(self) -> bool {
        matches!(self, Self::On | Self::Starting(..))
    }

    pub(super) fn doing(self) -> Doing {
        match self {
            Self::Off => Doing::Off,
            Self::Shut => Doing::Shut,
            Self::On => Doing::On,
            Self::Starting(..) => Doing::Starting,
            Self::Held | Self::Queued => Doing::Held,
            Self::Waiting(_) => Doing::Restarting,
            Self::Dark => Doing::Down,
            Self::Low => Doing::Reset,
            Self::Latched => Doing::Latched,
            Self::Inspect => Doing::Inspect,
            Self::Shed => Doing::Shed,
        }
    }

    /// Tells one kind of doing from another, without its times.
    pub(super) fn tag(self) -> u64 {
        match self {
            Self::On => 1,
            Self::Starting(phase, _) => 2 + phase as u64,
            _ => 0,
        }
    }
}

/// A device on its way.
#[derive(Debug, Clone, Default)]
pub(super) struct Going {
    pub(super) mode: Mode,
    /// Since when it has been off although it should be on, s.
    pub(super) off_since: Option<f64>,
    pub(super) missed: bool,
    /// Whether a person plugs it over, so that nothing latches.
    pub(super) by_hand: bool,
    pub(super) resets: u32,
    /// Whether it was lost and has not been back yet.
    pub(super) lost: bool,
    /// Whether its schedule has it on, and until when that holds, s.
    pub(super) schedule: (bool, f64),
}

/// Where every switch stands, and what every filling still takes.
#[derive(Debug, Default)]
pub(super) struct Turning {
    /// Which gates are open.
    pub(super) open: Vec<bool>,
    /// Feeds below a shut gate, or below a converter that was just switched on and is starting.
    pub(super) shut: Vec<bool>,
    /// Feeds that are off for another reason.
    pub(super) dark: Vec<bool>,
    /// Converters that were just switched on and are starting.
    pub(super) waking: Vec<bool>,
    /// What is shut, and draws its standby.
    pub(super) standby: Standby,
    /// Whether anything draws one.
    pub(super) stands_by: bool,
    /// What the filling at hand of each device still takes, Wh.
    pub(super) fill: Vec<f64>,
    /// When it was begun, s.
    pub(super) begun: Vec<f64>,
    /// Since when each gate has been open, s.
    pub(super) since: Vec<f64>,
    pub(super) runs: Vec<SwitchRun>,
}

impl Turning {
    pub(super) fn of(
        gates: usize,
        nodes: usize,
        stages: usize,
        ports: usize,
        devices: usize,
    ) -> Self {
        Self {
            open: vec![true; gates],
            shut: vec![false; nodes],
            dark: vec![false; nodes],
            waking: vec![false; stages],
            standby: Standby::none(stages, ports),
            stands_by: false,
            fill: vec![0.0; devices],
            begun: vec![f64::NEG_INFINITY; devices],
            since: vec![0.0; gates],
            runs: vec![SwitchRun::default(); gates],
        }
    }
}

/// How warm a case is.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub(super) struct Warmth {
    /// Over the air, K.
    pub(super) rise_k: f64,
    /// Whether it is as warm as it bears.
    pub(super) is_hot: bool,
    /// Whether that was told once: what comes and goes with every turn of a thermostat is told no
    /// more.
    pub(super) is_told: bool,
}

/// What can end a step before its time.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Stop {
    Floor(usize),
    /// A store that is charged again, so that its ports come back on.
    Restored(usize),
    CutOff(usize),
    /// A store that is too cold to give anything.
    TooCold(usize),
    /// A converter that bears less than its cut-out for a while begins to.
    Low(usize),
    CutOut(usize),
    CutIn(usize),
    BelowMinimum(usize),
    Shed(usize),
}

/// What flows at one charge.
#[derive(Debug, Clone, Default)]
pub(super) struct Flow {
    pub(super) delivered_w: f64,
    pub(super) charging_w: f64,
    pub(super) conversion_w: f64,
    pub(super) idle_w: f64,
    pub(super) cables_w: f64,
    pub(super) internal_w: f64,
    pub(super) drawn_w: f64,
    pub(super) mains_w: f64,
    /// By device, W.
    pub(super) devices: Vec<f64>,
    /// From the terminals of each store, W.
    pub(super) stores: Vec<f64>,
    /// From the terminals of each store, A.
    pub(super) amps: Vec<f64>,
    /// Change of each store, share an hour.
    pub(super) rates: Vec<f64>,
    /// Stored in each store, W.
    pub(super) charged: Vec<f64>,
    /// Burnt by each origin, l/h.
    pub(super) burnt: Vec<f64>,
    /// Lost at each feed: for being on and with the load in the converter at its end, and in its
    /// lead, W.
    pub(super) at_feeds: Vec<[f64; 3]>,
    /// Lost in each port, for being on and with its load, W.
    pub(super) at_ports: Vec<[f64; 2]>,
    /// At each charging input in use, and taken for it from where its chain begins, W.
    pub(super) at_inputs: Vec<[f64; 2]>,
    /// Lost in each converter that gets warm, W.
    pub(super) case_lost: Vec<f64>,
}
