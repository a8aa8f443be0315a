//! What no single field can know: ids that clash or point nowhere, forests, and ranges
//! that depend on each other.

mod parts;
mod used;
mod wired;

use parts::{Checked, above_floor, at_least_one, each, fuse, ordered, positive, positive_if};
use wired::{arrangement, cable, near_end};

use super::places::Spot;
use super::port::{Group, Limit, PortVoltage};
use super::source::SourceKind;
use super::{Battery, Converter, Cycle, Device, LossLaw, Outage, PhaseKind, Plan, Port, Source};
use crate::ground::figure::Figure;
use crate::ground::json::{FieldError, Path};
use crate::ground::quantity::Quantity;
use crate::site::chemistry;
use crate::site::plan::outage::Rule;
use std::collections::HashMap;

impl Plan {
    /// Checks what no single field can know: ids, references, forests, ranges that depend on each
    /// other.
    ///
    /// # Errors
    /// Names the first field that cannot be accepted, and the remedy.
    pub fn check(&self) -> Result<(), FieldError> {
        plan(self)
    }

    /// Checks again what the figures of one part of a checked plan can make wrong.
    pub(crate) fn check_at(&self, spot: Spot) -> Result<(), FieldError> {
        let root = Path::Root;
        let (kit, ways) = (root.key("kit"), root.key("arrangements"));
        // A voltage that is picked is one that the port offers.
        let picked = |id: &str| {
            each(&self.arrangements, &ways, |way, at| {
                each(&way.feeds, &at.key("feeds"), |feed, at| {
                    if feed.voltage_v.is_some() && feed.from.item.as_str() == id {
                        near_end(self, feed, at)
                    } else {
                        Ok(())
                    }
                })
            })
        };
        match spot {
            Spot::Device(it) => device(&self.kit.devices[it], &kit.key("devices").index(it)),
            Spot::Source(it) => {
                let found = &self.kit.sources[it];
                source(found, &kit.key("sources").index(it))?;
                picked(found.id.as_str())?;
                // What comes back on comes back above the floor.
                each(&self.outages, &root.key("outages"), |it, at| {
                    outage(self, it, at)
                })
            }
            Spot::Converter(it) => {
                let found = &self.kit.converters[it];
                converter(found, &kit.key("converters").index(it))?;
                picked(found.id.as_str())
            }
            Spot::Feed(way, feed) => {
                let (found, at) = (&self.arrangements[way].feeds[feed], ways.index(way));
                let at = at.key("feeds");
                near_end(self, found, &at.index(feed))?;
                cable(found, &at.index(feed))
            }
            Spot::Arrangement(it) => arrangement(self, &self.arrangements[it], &ways.index(it)),
        }
    }
}

fn plan(plan: &Plan) -> Checked {
    let root = Path::Root;
    let site = root.key("site");
    let zone = plan
        .site
        .place
        .as_ref()
        .and_then(|it| it.time_zone.as_ref());
    if let Some(zone) = zone.filter(|it| jiff::tz::TimeZone::get(it).is_err()) {
        let why = format!(
            "is \"{zone}\", which no time zone is called; use a name such as \"Etc/UTC\", or leave \
            it out"
        );
        return Err(site.key("place").key("time_zone").error(why));
    }
    let months = plan
        .site
        .place
        .as_ref()
        .map_or(0, |it| it.clear_share.len());
    if months != 0 && months != 12 {
        let why = format!(
            "has {months} numbers; give twelve, one for each month from January on, or leave it out"
        );
        return Err(site.key("place").key("clear_share").error(why));
    }
    if let Some(mains) = &plan.site.mains {
        let at = site.key("mains");
        positive(&mains.voltage_v, &at.key("voltage_v"))?;
        positive(&mains.frequency_hz, &at.key("frequency_hz"))?;
    }
    let kit = root.key("kit");
    let mut items = Seen::default();
    each(&plan.kit.devices, &kit.key("devices"), |it, at| {
        items.add(it.id.as_str(), at).and_then(|()| device(it, at))
    })?;
    each(&plan.kit.sources, &kit.key("sources"), |it, at| {
        items.add(it.id.as_str(), at).and_then(|()| source(it, at))
    })?;
    each(&plan.kit.converters, &kit.key("converters"), |it, at| {
        items
            .add(it.id.as_str(), at)
            .and_then(|()| converter(it, at))
    })?;
    let mut ids = Seen::default();
    each(&plan.arrangements, &root.key("arrangements"), |it, at| {
        ids.add(it.id.as_str(), at)
            .and_then(|()| arrangement(plan, it, at))
    })?;
    let mut ids = Seen::default();
    each(&plan.outages, &root.key("outages"), |it, at| {
        ids.add(it.id.as_str(), at)
            .and_then(|()| outage(plan, it, at))
    })
}

/// Ids seen so far, with where.
#[derive(Default)]
struct Seen(HashMap<String, String>);

impl Seen {
    fn add(&mut self, id: &str, at: &Path<'_>) -> Checked {
        let at = at.key("id");
        match self.0.insert(id.to_owned(), at.to_string()) {
            None => Ok(()),
            Some(first) => Err(at.error(format!(
                "is \"{id}\", which {first} has already; give each its own id"
            ))),
        }
    }
}

fn device(device: &Device, at: &Path<'_>) -> Checked {
    let input = at.key("input");
    positive(&device.input.rated_v, &input.key("rated_v"))?;
    positive_if(
        device.input.power_factor.as_ref(),
        &input.key("power_factor"),
    )?;
    positive_if(
        device.input.stepped_watts_factor.as_ref(),
        &input.key("stepped_watts_factor"),
    )?;
    ordered(
        device.input.min_v.as_ref(),
        device.input.max_v.as_ref(),
        &input,
        ("min_v", "max_v"),
    )?;
    positive_if(device.quantity.as_ref(), &at.key("quantity"))?;
    let phases = at.key("phases");
    each(&device.phases, &phases, |phase, at| {
        positive_if(phase.power_factor.as_ref(), &at.key("power_factor"))?;
        positive_if(phase.at_v.as_ref(), &at.key("at_v"))?;
        if phase.when == PhaseKind::Busy && phase.share.is_none() {
            return Err(at
                .key("share")
                .error("is missing; say for what share of the time it is busy, 0 to 1"));
        }
        Ok(())
    })?;
    let running = device.phases_of(PhaseKind::Running).count();
    if running != 1 {
        return Err(phases.error(format!(
            "has {running} phases with \"when\": \"running\"; exactly one is needed"
        )));
    }
    let busy: f64 = device
        .phases_of(PhaseKind::Busy)
        .filter_map(|it| it.share.as_ref())
        .map(Figure::get)
        .sum();
    if busy > 1.0 + 1e-9 {
        return Err(phases.error(format!(
            "has busy shares that add up to {busy}; together they cannot exceed 1"
        )));
    }
    if let Some(Cycle::Thermostat { period_s, .. }) = &device.cycle {
        positive(period_s, &at.key("cycle").key("period_s"))?;
    }
    used::filled(device, at)
}

fn source(source: &Source, at: &Path<'_>) -> Checked {
    ports(&source.ports, &source.groups, at, "ports")?;
    let stored = !matches!(
        source.kind,
        SourceKind::Mains | SourceKind::Generator | SourceKind::Vehicle | SourceKind::Panel
    );
    match &source.battery {
        Some(it) => battery(it, &at.key("battery"))?,
        None if stored => {
            return Err(at
                .key("battery")
                .error("is missing; a source of this kind has one"));
        }
        None => {}
    }
    match (&source.panel, source.kind) {
        (Some(panel), SourceKind::Panel) => {
            positive(&panel.open_v, &at.key("panel").key("open_v"))?;
        }
        (None, SourceKind::Panel) => {
            return Err(at
                .key("panel")
                .error("is missing; give its open-circuit voltage as {\"open_v\": …}"));
        }
        (Some(_), _) => {
            return Err(at
                .key("panel")
                .error("stands in a source that is none; its kind is \"panel\""));
        }
        (None, _) => {}
    }
    let has_cells = source.battery.as_ref().is_some_and(|it| it.cells.is_some());
    each(&source.ports, &at.key("ports"), |port, at| {
        match port.voltage {
            PortVoltage::Follows { .. } if !has_cells => Err(at.key("voltage").error(
                "follows a store whose cells are not given; give battery.cells and \
            battery.capacity_ah, or regulated_v",
            )),
            _ => Ok(()),
        }
    })?;
    each(&source.ports, &at.key("ports"), |port, at| {
        match (&port.restore_soc, &source.battery) {
            (Some(_), None) => Err(at
                .key("restore_soc")
                .error("is of a source without a battery; leave it out")),
            (Some(soc), Some(battery)) => above_floor(soc, battery, &at.key("restore_soc")),
            (None, _) => Ok(()),
        }
    })?;
    let mut ids = Seen::default();
    each(&source.inputs, &at.key("inputs"), |input, at| {
        ids.add(input.id.as_str(), at)?;
        positive_if(input.efficiency.as_ref(), &at.key("efficiency"))?;
        let mut modes = Seen::default();
        each(&input.modes, &at.key("modes"), |mode, at| {
            modes.add(mode.id.as_str(), at)
        })?;
        ordered(
            input.min_v.as_ref(),
            input.max_v.as_ref(),
            at,
            ("min_v", "max_v"),
        )
    })?;
    if let Some(panel) = &source.panel {
        let at = at.key("panel");
        at_least_one(
            panel.in_series.as_ref(),
            &at.key("in_series"),
            "counts the panels of a string; give 1 or more",
        )?;
        each(&panel.shade, &at.key("shade"), |it, at| {
            if it.from == it.to {
                return Err(at.key("to").error(
                    "is the time at which the shade begins; give another, or leave it out",
                ));
            }
            Ok(())
        })?;
        at_least_one(
            panel.strings.as_ref(),
            &at.key("strings"),
            "counts strings side by side; give 1 or more",
        )?;
        if let Some(it) = &panel.string_fuse {
            fuse(it, &at.key("string_fuse"))?;
        }
    }
    if let Some(it) = &source.alternator {
        let at = at.key("alternator");
        positive_if(it.running_v.as_ref(), &at.key("running_v"))?;
        positive_if(it.cranking_v.as_ref(), &at.key("cranking_v"))?;
    }
    positive_if(source.room_m3.as_ref(), &at.key("room_m3"))
}

fn battery(battery: &Battery, at: &Path<'_>) -> Checked {
    if chemistry::find(&battery.chemistry).is_none() {
        let known: Vec<_> = chemistry::all().iter().map(|it| it.id.as_str()).collect();
        let known = known.join(", ");
        return Err(at
            .key("chemistry")
            .error(format!("is \"{}\"; use one of {known}", battery.chemistry)));
    }
    positive_if(battery.cells.as_ref(), &at.key("cells"))?;
    positive_if(battery.capacity_ah.as_ref(), &at.key("capacity_ah"))?;
    positive_if(battery.energy_wh.as_ref(), &at.key("energy_wh"))?;
    positive_if(battery.rated_hours.as_ref(), &at.key("rated_hours"))?;
    at_least_one(
        battery.strings.as_ref(),
        &at.key("strings"),
        "counts strings side by side; give 1 or more",
    )?;
    if let Some(it) = &battery.string_fuse {
        fuse(it, &at.key("string_fuse"))?;
    }
    positive_if(battery.life_years.as_ref(), &at.key("life_years"))?;
    for (index, pair) in battery.cycles.windows(2).enumerate() {
        let at = at.key("cycles");
        let ([before, next], at) = (pair, at.index(index + 1)) else {
            continue;
        };
        if next.0 <= before.0 {
            return Err(at.error(format!(
                "is no deeper than the {} before it; put the shallowest first",
                before.0
            )));
        }
        if next.1 > before.1 {
            let why = format!(
                "bears {} cycles, more than the {} of a shallower one; check the two",
                next.1, before.1
            );
            return Err(at.error(why));
        }
    }
    match (&battery.cells, &battery.capacity_ah, &battery.energy_wh) {
        (Some(_), Some(_), None) | (None, None, Some(_)) => Ok(()),
        (_, _, Some(_)) => Err(at
            .key("energy_wh")
            .error("stands beside cells or capacity_ah; give one or the other")),
        (Some(_), None, None) => Err(at
            .key("capacity_ah")
            .error("is missing; give the rated ampere-hours")),
        (None, Some(_), None) => Err(at
            .key("cells")
            .error("is missing; give the number of cells in series")),
        (None, None, None) => {
            Err(at.error("says no size; give cells and capacity_ah, or energy_wh"))
        }
    }
}

fn ports(ports: &[Port], groups: &[Group], at: &Path<'_>, name: &str) -> Checked {
    let mut ids = Seen::default();
    each(groups, &at.key("groups"), |it, at| {
        ids.add(it.id.as_str(), at)?;
        limit(&it.limit, &at.key("limit"))
    })?;
    let mut ids = Seen::default();
    each(ports, &at.key(name), |port, at| {
        ids.add(port.id.as_str(), at)?;
        voltage(port, at)?;
        loss(port.loss.as_ref(), at)?;
        if let Some(it) = &port.limit {
            limit(it, &at.key("limit"))?;
        }
        match &port.group {
            Some(group) if !groups.iter().any(|it| it.id == *group) => Err(at.key("group").error(
                format!("is \"{group}\", and no group has that id; add it to `groups`"),
            )),
            _ => Ok(()),
        }
    })
}

/// What was measured must be possible: nothing gives more than it takes.
fn loss(loss: Option<&LossLaw>, at: &Path<'_>) -> Checked {
    let points = loss.map_or(&[][..], |it| &it.points);
    let at = at.key("loss");
    each(points, &at.key("points"), |it, at| {
        if it.in_w.get() >= it.out_w.get() {
            return Ok(());
        }
        let why = format!(
            "is {}, less than the {} W that come out; swap the two",
            it.in_w.get(),
            it.out_w.get()
        );
        Err(at.key("in_w").error(why))
    })
}

fn voltage(port: &Port, at: &Path<'_>) -> Checked {
    use super::device::Current;
    let at_v = at.key("voltage");
    match &port.voltage {
        PortVoltage::Regulated { regulated_v } => positive(regulated_v, &at_v.key("regulated_v"))?,
        PortVoltage::Alternating { ac_v, .. } => positive(ac_v, &at_v.key("ac_v"))?,
        PortVoltage::Offers { offers_v } if offers_v.is_empty() => {
            return Err(at_v
                .key("offers_v")
                .error("is empty; give at least one voltage"));
        }
        PortVoltage::Offers { offers_v } => {
            each(offers_v, &at_v.key("offers_v"), positive)?;
        }
        PortVoltage::Follows { .. } => {}
    }
    let fits = match port.voltage {
        PortVoltage::Alternating { .. } => port.current == Current::Ac,
        PortVoltage::Regulated { .. } | PortVoltage::Offers { .. } => port.current == Current::Dc,
        PortVoltage::Follows { .. } => true,
    };
    if fits {
        Ok(())
    } else {
        Err(at
            .key("current")
            .error("does not go with the voltage; ac goes with ac_v, dc with the others"))
    }
}

fn limit(limit: &Limit, at: &Path<'_>) -> Checked {
    let overload = at.key("overload");
    each(&limit.overload, &overload, |it, at| {
        match (&it.up_to_a, &it.up_to_w) {
            (Some(_), None) if limit.continuous_a.is_some() => Ok(()),
            (None, Some(_)) if limit.continuous_w.is_some() => Ok(()),
            (Some(_), None) => {
                Err(at.error("is in amperes, but the limit has no continuous_a; give it"))
            }
            (None, Some(_)) => {
                Err(at.error("is in watts, but the limit has no continuous_w; give it"))
            }
            _ => Err(at.error("needs either up_to_a or up_to_w")),
        }
    })
}

fn converter(converter: &Converter, at: &Path<'_>) -> Checked {
    ports(&converter.outputs, &converter.groups, at, "outputs")?;
    loss(converter.loss.as_ref(), at)?;
    let (input, path) = (&converter.input, at.key("input"));
    ordered(
        input.min_v.as_ref(),
        input.max_v.as_ref(),
        &path,
        ("min_v", "max_v"),
    )?;
    positive_if(input.power_factor.as_ref(), &path.key("power_factor"))?;
    if let Some(crest) = input
        .crest
        .as_ref()
        .filter(|it| !(1.0..=10.0).contains(&it.get()))
    {
        let raw = crest.get();
        return Err(path.key("crest").error(format!(
            "is {raw}; the peak over the RMS of a current lies between 1 and 10"
        )));
    }
    charger(converter, at)?;
    if let Some(hold_up) = &converter.hold_up {
        positive(&hold_up.at_w, &at.key("hold_up").key("at_w"))?;
    }
    Ok(())
}

/// What only a charger or a panel controller has.
fn charger(converter: &Converter, at: &Path<'_>) -> Checked {
    let charges = converter.kind == super::ConverterKind::Charger;
    let said = [
        ("charge_v", converter.charge_v.is_some()),
        ("float_v", converter.float_v.is_some()),
        ("equalise_v", converter.equalise_v.is_some()),
        ("night_w", converter.night_w.is_some()),
        ("holds_panel", converter.holds_panel.is_some()),
    ];
    if let Some((field, _)) = said.iter().find(|it| it.1 && !charges) {
        return Err(at
            .key(field)
            .error("belongs to a charger; leave it out, or make its kind \"charger\""));
    }
    if converter.reverses_polarity.is_some() && converter.kind != super::ConverterKind::Junction {
        let why =
            "belongs to a junction, which only hands on; state the polarity of its outlet instead";
        return Err(at.key("reverses_polarity").error(why));
    }
    if converter.max_a.is_some() {
        return Err(at.key("max_a").error(
            "stands beside the limit of its outlet, or without an outlet; keep \
                outputs[0].limit.continuous_a",
        ));
    }
    if let Some(it) = &converter.efficiency {
        let why = if converter.loss.is_some() {
            "stands beside a loss; keep one of the two".to_owned()
        } else {
            format!(
                "is {}; an efficiency lies above 0.5 and up to 1 (92 % is 0.92)",
                it.get()
            )
        };
        return Err(at.key("efficiency").error(why));
    }
    positive_if(converter.charge_v.as_ref(), &at.key("charge_v"))?;
    positive_if(converter.float_v.as_ref(), &at.key("float_v"))?;
    positive_if(converter.equalise_v.as_ref(), &at.key("equalise_v"))?;
    ordered(
        converter.float_v.as_ref(),
        converter.charge_v.as_ref(),
        at,
        ("float_v", "charge_v"),
    )?;
    ordered(
        converter.charge_v.as_ref(),
        converter.equalise_v.as_ref(),
        at,
        ("charge_v", "equalise_v"),
    )?;
    if converter.input.current == super::device::Current::Ac {
        let of_panels = [
            ("night_w", converter.night_w.is_some()),
            ("holds_panel", converter.holds_panel == Some(true)),
        ];
        if let Some((field, _)) = of_panels.iter().find(|it| it.1) {
            let why = "belongs to a controller of panels, which takes direct current; make its \
                input dc, or leave it out";
            return Err(at.key(field).error(why));
        }
    }
    let alternating = converter
        .outputs
        .iter()
        .position(|it| it.current == super::device::Current::Ac);
    if let Some(index) = alternating.filter(|_| converter.charge_v.is_some()) {
        return Err(at
            .key("outputs")
            .index(index)
            .key("current")
            .error("is ac; a battery is charged with dc"));
    }
    Ok(())
}

fn outage(plan: &Plan, outage: &Outage, at: &Path<'_>) -> Checked {
    positive(&outage.hours, &at.key("hours"))?;
    if outage.hours.get() > 24.0 * 366.0 {
        return Err(at
            .key("hours")
            .error("is longer than a year (8784 h); look at a shorter stretch"));
    }
    let stored = |id: &str| plan.source(id).is_some_and(|it| it.battery.is_some());
    for id in outage.initial_soc.keys() {
        if !stored(id) {
            return Err(at
                .key("initial_soc")
                .key(id)
                .error("names no source with a battery"));
        }
    }
    each(&outage.mains, &at.key("mains"), |it, at| {
        span(&it.from_h, &it.to_h, at)
    })?;
    each(&outage.charging, &at.key("charging"), |it, at| {
        if !stored(it.source.as_str()) {
            return Err(at.key("source").error(format!(
                "is \"{}\", and no source with a battery has that id",
                it.source
            )));
        }
        span(&it.from_h, &it.to_h, at)
    })?;
    each(&outage.carried, &at.key("carried"), |it, at| {
        if !stored(it.source.as_str()) {
            return Err(at.key("source").error(format!(
                "is \"{}\", and no source with a battery has that id",
                it.source
            )));
        }
        span(&it.from_h, &it.to_h, at)
    })?;
    each(&outage.runs, &at.key("runs"), |it, at| {
        let runs = plan
            .source(it.source.as_str())
            .is_some_and(super::Source::runs);
        if !runs {
            let why = "and no generator and no vehicle with an alternator has that id";
            return Err(at
                .key("source")
                .error(format!("is \"{}\", {why}", it.source)));
        }
        span(&it.from_h, &it.to_h, at)
    })?;
    if let Some((list, index, field, why)) = outage.impossible() {
        return Err(at.key(list).index(index).key(field).error(why));
    }
    each(&outage.rules, &at.key("rules"), |it, at| {
        let device = |id: &super::Id, name: &str| match plan.device(id.as_str()) {
            Some(_) => Ok(()),
            None => Err(at
                .key(name)
                .error(format!("is \"{id}\", and no device has that id"))),
        };
        match it {
            Rule::Shed {
                device: shed,
                source,
                ..
            } => {
                device(shed, "device")?;
                if stored(source.as_str()) {
                    return Ok(());
                }
                Err(at.key("source").error(format!(
                    "is \"{source}\", and no source with a battery has that id"
                )))
            }
            Rule::Hold {
                device: held,
                while_starting,
            } => {
                device(held, "device")?;
                device(while_starting, "while_starting")
            }
            Rule::Stagger { devices, .. } => {
                devices.iter().try_for_each(|it| device(it, "devices"))
            }
            Rule::Restore { source, above_soc } => {
                let Some(battery) = plan
                    .source(source.as_str())
                    .and_then(|it| it.battery.as_ref())
                else {
                    let why = format!("is \"{source}\", and no source with a battery has that id");
                    return Err(at.key("source").error(why));
                };
                above_floor(above_soc, battery, &at.key("above_soc"))
            }
        }
    })
}

fn span<Q: Quantity>(from: &Figure<Q>, to: &Figure<Q>, at: &Path<'_>) -> Checked {
    if to.get() > from.get() {
        return Ok(());
    }
    Err(at.key("to_h").error(format!(
        "is {}, not after from_h {}; make it later",
        to.get(),
        from.get()
    )))
}
