//! The tests of the bench by name, and the one that gives a figure of the plan.

use crate::ground::json::words;

words!(
    /// A test of the bench.
    Protocol {
        /// What a port or a converter draws for being on.
        Idle = "idle",
        /// The same, by what a store's display falls in hours.
        IdleByDrop = "idle-by-drop",
        /// Power in over power out, with two meters.
        Efficiency = "efficiency",
        /// The same device two ways, by the charge that each takes.
        ChargeDrop = "charge-drop",
        /// What a store gives down to its cut-off.
        Capacity = "capacity",
        /// What a store's volts fall by for each ampere.
        Resistance = "resistance",
        /// The level at which a port really trips, climbing in steps.
        TripLevel = "trip-level",
        /// How long a surge is carried.
        Surge = "surge",
        /// How warm a converter gets, from a run shorter than its settling.
        HeatSoak = "heat-soak",
        /// Wall to stored, with the times to 80 and to 100 %.
        Charging = "charging",
        /// The gap at a switchover, from a captured wave.
        Switchover = "switchover",
        /// Which devices reboot at a switchover, in ten tries.
        SwitchoverByEye = "switchover-by-eye",
        /// The voltage at the far end of a lead at the busiest moment.
        FarEnd = "far-end",
        /// Below what load, and after how long, a port turns itself off.
        AutoOff = "auto-off",
        /// What a device draws from start to stop, from a logger's file.
        Profile = "profile",
        /// What a panel gives against its label.
        Panel = "panel",
        /// What ports that share a limit give together.
        SharedBudget = "shared-budget",
        /// Float and charge voltages of a charger.
        Charger = "charger",
        /// Every joint of a chain: its volts, its sign, its connector.
        Walk = "walk",
    }
);

impl Protocol {
    /// The protocol of a word; none where there is no such test.
    pub fn named(word: &str) -> Option<Self> {
        Self::ALL.iter().copied().find(|it| it.word() == word)
    }

    /// What it is called in a sentence.
    pub fn label(self) -> &'static str {
        match self {
            Self::Idle => "idle draw over a minute",
            Self::IdleByDrop => "idle draw by charge drop",
            Self::Efficiency => "efficiency over load with two meters",
            Self::ChargeDrop => "charge drop, one way against the other",
            Self::Capacity => "capacity down to the cut-off",
            Self::Resistance => "resistance inside a store",
            Self::TripLevel => "trip level, climbing in steps",
            Self::Surge => "how long a surge is carried",
            Self::HeatSoak => "heat soak",
            Self::Charging => "charging from the wall",
            Self::Switchover => "switchover by capture",
            Self::SwitchoverByEye => "switchover by eye, ten tries",
            Self::FarEnd => "voltage at the far end at the busiest moment",
            Self::AutoOff => "auto-off threshold and delay",
            Self::Profile => "start and stop profile from a logger",
            Self::Panel => "panel against its label",
            Self::SharedBudget => "ports that share a budget",
            Self::Charger => "float and charge voltages",
            Self::Walk => "voltage and polarity walk",
        }
    }

    /// The test that gives a figure, by the kind of its element and its path there, such as
    /// `loss.idle_w`; none for what is read off with the eyes or a tape, such as a lead's length.
    ///
    /// ```
    /// use ash_pond_core::bench::Protocol;
    /// assert_eq!(Protocol::of("converter", "loss.idle_w"), Some(Protocol::Idle));
    /// assert_eq!(Protocol::of("device", "phases[1].watts"), Some(Protocol::Profile));
    /// assert_eq!(Protocol::of("arrangement", "feeds[0].cable.length_m"), None);
    /// ```
    pub fn of(kind: &str, path: &str) -> Option<Self> {
        let key = path.rsplit('.').next().unwrap_or(path);
        let has = |part: &str| path.split('.').any(|it| it.split('[').next() == Some(part));
        Some(match (kind, key) {
            _ if has("groups") => Self::SharedBudget,
            _ if has("auto_off") => Self::AutoOff,
            _ if has("alternator") => return None,
            (_, "for_s") => Self::Surge,
            _ if has("limit") || has("overload") || has("peak") => Self::TripLevel,
            (_, "idle_w") => Self::Idle,
            // Behind a case what a port loses with its load is told by the display, and its square
            // by nothing.
            ("source", "proportional") => Self::IdleByDrop,
            ("source", "quadratic_per_w") => return None,
            (_, "proportional" | "quadratic_per_w") => Self::Efficiency,
            ("source", "efficiency") => Self::Charging,
            _ if has("inputs") => Self::Panel,
            ("source", "capacity_ah" | "energy_wh" | "rated_hours" | "cut_off_v") => Self::Capacity,
            ("source", "transfer_ms" | "return_ms") | (_, "ride_through_ms") => Self::Switchover,
            _ if has("hold_up") => Self::Switchover,
            ("source", "internal_ohm" | "internal_ohm_at_c") => Self::Resistance,
            (_, "contact_ohm") => Self::FarEnd,
            ("arrangement", "rating_a" | "length_m" | "area_mm2" | "awg") => return None,
            ("device", _) => Self::Profile,
            ("converter", "charge_v" | "float_v" | "equalise_v") => Self::Charger,
            (_, "regulated_v" | "ac_v") => Self::Walk,
            ("converter", "full_load_rise_c" | "max_case_c") => Self::HeatSoak,
            _ => return None,
        })
    }
}
