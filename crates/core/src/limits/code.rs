//! What findings are about, and what nobody stated.

use crate::ground::json::words;

words!(
    /// What a finding is about.
    Code {
        /// A source's port against its limit.
        PortLimit = "port-limit",
        /// Ports together against the limit that they share.
        GroupLimit = "group-limit",
        /// A converter's input current.
        ConverterInputCurrent = "converter-input-current",
        /// A converter's outlet against its limit.
        ConverterOutputLimit = "converter-output-limit",
        /// A battery's discharge current.
        BatteryCurrent = "battery-current",
        /// Voltage at a device.
        DeviceVoltage = "device-voltage",
        /// Voltage at a converter.
        ConverterVoltage = "converter-voltage",
        /// A lead without a stable state.
        Collapse = "collapse",
        /// AC into DC, or the other way round.
        CurrentKind = "current-kind",
        /// A stepped wave into what needs a sine.
        Waveform = "waveform",
        /// Polarity that contradicts, or that nobody verified.
        Polarity = "polarity",
        /// Plugs that differ.
        Connector = "connector",
        /// A lead off a bare battery or vehicle without a fuse.
        FuseMissing = "fuse-missing",
        /// The voltage and the current that a fuse must break in a short circuit.
        FuseRating = "fuse-rating",
        /// Current of a feed against its fuse, and the fuse against its lead.
        FuseSize = "fuse-size",
        /// Current of a feed against what its lead is planned for.
        CableAmpacity = "cable-ampacity",
        /// Voltage lost in a lead, by a planning rule.
        VoltageDrop = "voltage-drop",
        /// A port whose running output is below its threshold.
        AutoOff = "auto-off",
        /// Draw over the policy's share of an alternator's rating.
        AlternatorShare = "alternator-share",
        /// Voltage at a charging input, and the band that applies.
        ChargeInput = "charge-input",
        /// Charging below what the chemistry bears.
        ColdCharge = "cold-charge",
        /// The gap at a device when its source takes over.
        RideThrough = "ride-through",
        /// Power for being on, against what is carried.
        IdleDraw = "idle-draw",
        /// What the contacts of a lead lose against sound ones.
        Contacts = "contacts",
        /// What a plug carries for long.
        ConnectorRating = "connector-rating",
        /// A data cable that feeds: its length and its class.
        DataCable = "data-cable",
        /// How an outlet for alternating current is earthed.
        Earthing = "earthing",
        /// The peak of an adapter that is switched on cold.
        Inrush = "inrush",
        /// The peaks that adapters take from an outlet while they run.
        Crest = "crest",
        /// Outlets that settle anew what they give when something is plugged in.
        Settling = "settling",
        /// What fills more slowly than it could, because what it hangs on divides what it gives.
        Slower = "slower",
        /// What is switched off and must not be.
        Switched = "switched",
        /// An engine that carries too little.
        LeastLoad = "least-load",
        /// A store in the cold: what it gives, and whether it freezes.
        ColdStore = "cold-store",
        /// Gas of a store in a room.
        Hydrogen = "hydrogen",
        /// How warm a converter's case gets.
        Heat = "heat",
    }
);

words!(
    /// What nobody stated, so that a verdict is open.
    Unstated {
        /// How a fuse is built, or what it breaks.
        FuseType = "fuse-type",
        /// The size of a lead.
        LeadSize = "lead-size",
        /// What opens a port in a short circuit.
        Protection = "protection",
        /// Whether a neutral is bonded.
        Neutral = "neutral",
        /// Which loads have an earth pin.
        Earthed = "earthed",
        /// How far a wave is from a sine.
        Distortion = "distortion",
        /// The peak of an adapter that is switched on.
        Inrush = "inrush",
        /// How peaked the current of an adapter is.
        Crest = "crest",
        /// Whether outlets settle anew what they give.
        Settling = "settling",
        /// Whether a USB-C cable is marked for 5 A.
        MarkedCable = "marked-cable",
        /// The room in which a store stands.
        Room = "room",
    }
);
