//! How a test is carried out: what it answers, what it takes, what to look out for, and its steps.

use super::protocol::Protocol;
use super::test::{Reading, readings};
use serde::Serialize;

/// A step.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Step {
    /// What to do.
    pub words: &'static str,
    /// How long to wait, s; none where there is nothing to wait for.
    pub wait_s: Option<u32>,
}

/// A meter, and where it stands in the small drawing.
#[derive(Debug, Clone, Copy, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Meter {
    /// What it reads.
    pub name: &'static str,
    /// `in`, `out`, `near` or `far`: the side of what is tested.
    pub side: &'static str,
    /// Whether the current goes through it; else it lies across.
    pub series: bool,
}

/// A protocol.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Guide {
    /// Its word.
    pub protocol: Protocol,
    /// What it is called.
    pub title: &'static str,
    /// What it answers, and why that matters.
    pub answers: &'static str,
    /// What it is done to: device, source, converter or arrangement; and whether a part of it is named.
    pub subjects: &'static [&'static str],
    /// What it takes.
    pub needs: &'static [&'static str],
    /// Minutes of work.
    pub minutes: u32,
    /// What can hurt.
    pub cautions: &'static [&'static str],
    /// What to disconnect.
    pub disconnect: &'static str,
    /// Where the meters go.
    pub meters: &'static [Meter],
    /// The steps.
    pub steps: &'static [Step],
    /// What makes it invalid.
    pub invalid: &'static [&'static str],
    /// When to stop at once.
    pub stop: &'static str,
    /// What is read in each row; nothing where it comes from a file.
    pub readings: &'static [Reading],
    /// Columns of the file that it reads; nothing where it is read by hand.
    pub file: Option<&'static str>,
}

const fn step(words: &'static str) -> Step {
    Step { words, wait_s: None }
}
const fn wait(words: &'static str, seconds: u32) -> Step {
    Step { words, wait_s: Some(seconds) }
}
const fn meter(name: &'static str, side: &'static str, series: bool) -> Meter {
    Meter { name, side, series }
}

const BATTERY: &str = "A battery gives its whole short-circuit current: the fuse stays in, tools are insulated, the ammeter's leads never touch across the terminals.";
const MAINS: &str = "Where the output is mains: it can kill. Use a plug-in meter, open nothing, and leave wiring to a licensed electrician.";

/// The protocols that are carried out here, the commonest first.
pub fn guides() -> &'static [Guide] {
    const ALL: [Guide; 5] = [
        Guide {
            protocol: Protocol::Idle,
            title: "Idle draw",
            answers: "What a converter draws for nothing but being on. Labels leave it out, and over a day it is often more than what it feeds.",
            subjects: &["converter"],
            needs: &["a voltmeter", "an ammeter, or a clamp for direct current that resolves 10 mA"],
            minutes: 10,
            cautions: &[BATTERY, MAINS],
            disconnect: "Everything on its output, and everything else on the same store that charges or switches by itself.",
            meters: &[meter("A", "in", true), meter("V", "in", false)],
            steps: &[
                step("Switch it on with nothing on its output."),
                wait("Let it settle.", 120),
                step("Read volts and amperes at its input, and write both down as one row."),
                wait("Wait, and read again; three rows or more.", 20),
            ],
            invalid: &[
                "Something still hangs on the output.",
                "It goes to sleep by itself: wake it, and read within its delay.",
            ],
            stop: "Smoke, a smell, a whine that rises, or a case too hot to touch: switch off at once.",
            readings: readings(Protocol::Idle),
            file: None,
        },
        Guide {
            protocol: Protocol::Efficiency,
            title: "Efficiency over load, with two meters",
            answers: "What a converter loses at every load: for being on, with the load, and with its square. One figure on a label hides that small loads fare worst.",
            subjects: &["converter"],
            needs: &[
                "two voltmeters and two ammeters, or two wattmeters",
                "four loads or more, from a twentieth to most of its limit",
            ],
            minutes: 45,
            cautions: &[BATTERY, MAINS, "Loads get hot: lamps and heaters on stone, nothing near them that burns."],
            disconnect: "Everything else on its input and on its output.",
            meters: &[
                meter("A", "in", true),
                meter("V", "in", false),
                meter("A", "out", true),
                meter("V", "out", false),
            ],
            steps: &[
                step("Begin with the smallest load."),
                wait("Let it settle.", 60),
                step("Read all four within a few seconds: volts in, amperes in, volts out, amperes out."),
                step(
                    "Go on to the next larger load; at the end take the first one again, to see whether warmth has moved it.",
                ),
            ],
            invalid: &[
                "A load with a thermostat, that switches while you read.",
                "A meter that stands between the voltmeter and what is measured, on one side only.",
                "Readings of in and out taken minutes apart.",
            ],
            stop: "A limit is passed, a lead gets warm, or the voltage at the input falls under its cut-out: take the load off.",
            readings: readings(Protocol::Efficiency),
            file: None,
        },
        Guide {
            protocol: Protocol::FarEnd,
            title: "Voltage at the far end, at the busiest moment",
            answers: "What a lead really loses, and how much of it is in its contacts, which no table knows.",
            subjects: &["arrangement"],
            needs: &["a voltmeter with long leads, or two of one kind", "an ammeter or a clamp"],
            minutes: 10,
            cautions: &[BATTERY],
            disconnect: "Nothing: it is measured as it runs. What else hangs on the same lead is switched off.",
            meters: &[meter("V", "near", false), meter("A", "near", true), meter("V", "far", false)],
            steps: &[
                step("Have the device at its busiest: starting, heating, infra-red on."),
                step("Read volts at the near end, volts at the far end, and the amperes, as quickly as can be."),
                step("Do so three times; with two meters, swap them once, and see whether they agree."),
            ],
            invalid: &[
                "The load changes between the readings.",
                "Two meters that do not agree on one and the same point.",
            ],
            stop: "A plug or a splice is too hot to touch: switch off, and mend it first.",
            readings: readings(Protocol::FarEnd),
            file: None,
        },
        Guide {
            protocol: Protocol::Profile,
            title: "Start and stop profile, from a logger",
            answers: "What a device draws from switching on to switching off: its start decides what trips, its busy share how long the store lasts.",
            subjects: &["device"],
            needs: &["a logger of watts, or of volts and amperes, once a second or faster"],
            minutes: 30,
            cautions: &[BATTERY],
            disconnect: "Everything else on the same lead.",
            meters: &[meter("W", "in", true)],
            steps: &[
                step("Start the logger with the device off."),
                wait("Leave it off for half a minute, so that the log knows what off is.", 30),
                step("Switch the device on, and let it do all that it does: be busy and idle, several times."),
                step("Switch it off, let the logger run on for a minute, and give its file here."),
            ],
            invalid: &["Gaps in the middle of a start.", "A device that was warm, or already full."],
            stop: "A fuse goes: look why before it is replaced.",
            readings: &[],
            file: Some("time_s,watts"),
        },
        Guide {
            protocol: Protocol::Switchover,
            title: "Switchover, from a capture",
            answers: "How long an outlet is really dead at a switch, and what wave it gives afterwards. Whether a device rides through hangs on it.",
            subjects: &["source"],
            needs: &["a scope or a logger with a probe made for the voltage, 0.1 ms between samples or less"],
            minutes: 20,
            cautions: &[
                MAINS,
                "Clip the probe on with the power off; a probe that is not made for mains puts it on its case.",
            ],
            disconnect: "Whatever must not lose its supply during the test.",
            meters: &[meter("V", "out", false)],
            steps: &[
                step("Put an ordinary load on the outlet."),
                step("Set the scope to a fifth of a second, triggered in the middle."),
                step("Take the mains away at its plug, not at a switch in the wall."),
                step("Save the capture with its times, and give the file here. Do the return the same way."),
            ],
            invalid: &["No load on the outlet.", "A capture that begins after the switch."],
            stop: "The outlet does not come back: see to what hangs on it first.",
            readings: &[],
            file: Some("time_s,volts"),
        },
    ];
    &ALL
}
