//! What no single field can know: ids that clash or point nowhere, forests, and ranges
//! that depend on each other.

mod parts;
mod used;

use parts::{Checked, each, positive};

use super::places::Spot;
use super::port::{Group, Limit, PortVoltage};
use super::source::{SourceInput, SourceKind};
use super::{
    Arrangement, Battery, Converter, Cycle, Device, Feed, Fuse, LossLaw, Outage, PhaseKind, Plan,
    Port, Source, StartsOn,
};
use crate::chemistry;
use crate::figure::Figure;
use crate::json::{FieldError, Path};
use crate::plan::outage::Rule;
use crate::quantity::{Count, Quantity, Share};
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

fn positive_if<Q: Quantity>(figure: Option<&Figure<Q>>, at: &Path<'_>) -> Checked {
    figure.map_or(Ok(()), |it| positive(it, at))
}

fn ordered<Q: Quantity>(
    low: Option<&Figure<Q>>,
    high: Option<&Figure<Q>>,
    at: &Path<'_>,
    names: (&str, &str),
) -> Checked {
    let (Some(low), Some(high)) = (low, high) else {
        return Ok(());
    };
    if low.get() <= high.get() {
        return Ok(());
    }
    Err(at.key(names.0).error(format!(
        "is {}, above {} {}; swap them",
        low.get(),
        names.1,
        high.get()
    )))
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

fn arrangement(plan: &Plan, arrangement: &Arrangement, at: &Path<'_>) -> Checked {
    let feeds = at.key("feeds");
    let mut fed: HashMap<String, usize> = HashMap::new();
    for (index, feed) in arrangement.feeds.iter().enumerate() {
        let at = feeds.index(index);
        near_end(plan, feed, &at)?;
        far_end(plan, feed, &at)?;
        cable(feed, &at)?;
        if let Some(first) = fed.insert(feed.to.to_string(), index) {
            let first = feeds.index(first);
            return Err(at.key("to").error(format!(
                "is \"{}\", which {first} feeds already; keep one of the two",
                feed.to
            )));
        }
    }
    forest(plan, arrangement, &feeds)?;
    used::switching(plan, arrangement, &at.key("switching"))?;
    each(&arrangement.starts_on, &at.key("starts_on"), |start, at| {
        starts_on(plan, arrangement, start, at)
    })
}

/// A device starts on another arrangement: both must feed it, and it must start there itself.
fn starts_on(plan: &Plan, arrangement: &Arrangement, start: &StartsOn, at: &Path<'_>) -> Checked {
    let device = start.device.as_str();
    let not_fed = |at: Path<'_>, id: &str| {
        Err(at.error(format!(
            "is \"{device}\", a device that the arrangement \"{id}\" does not feed; feed it there"
        )))
    };
    if plan.device(device).is_none() || arrangement.feed_into(device).is_none() {
        return not_fed(at.key("device"), arrangement.id.as_str());
    }
    if arrangement
        .starts_on
        .iter()
        .filter(|it| it.device == start.device)
        .count()
        > 1
    {
        return Err(at.key("device").error(format!(
            "is \"{device}\", which starts in two ways; keep one of the two"
        )));
    }
    let id = start.arrangement.as_str();
    match plan.arrangement(id) {
        None => Err(at.key("arrangement").error(format!("is \"{id}\", and no arrangement has that \
            id"))),
        Some(_) if id == arrangement.id.as_str() => {
            Err(at.key("arrangement").error("is this arrangement itself; name the one on which it \
                starts"))
        }
        Some(other) if other.feed_into(device).is_none() => not_fed(at.key("arrangement"), id),
        Some(other) if other.start_of(device).is_some() => Err(at.key("arrangement").error(format!(
            "is \"{id}\", on which {device} starts elsewhere too; name the one on which it does \
            start"
        ))),
        Some(_) => Ok(()),
    }
}

fn near_end(plan: &Plan, feed: &Feed, at: &Path<'_>) -> Checked {
    let from = at.key("from");
    let (item, port) = (feed.from.item.as_str(), &feed.from.port);
    let ports = plan
        .source(item)
        .map(|it| &it.ports)
        .or_else(|| plan.converter(item).map(|it| &it.outputs))
        .ok_or_else(|| {
            from.key("item").error(format!(
                "is \"{item}\", and no source or converter has that id"
            ))
        })?;
    let found = ports.iter().find(|it| it.id == *port).ok_or_else(|| {
        let known: Vec<_> = ports.iter().map(|it| it.id.as_str()).collect();
        from.key("port").error(format!(
            "is \"{port}\"; the ports of {item} are {}",
            known.join(", ")
        ))
    })?;
    let Some(picked) = &feed.voltage_v else {
        return Ok(());
    };
    let at = at.key("voltage_v");
    match &found.voltage {
        PortVoltage::Offers { offers_v } => {
            let offered: Vec<_> = offers_v.iter().map(Figure::get).collect();
            if offered.iter().any(|it| (it - picked.get()).abs() < 1e-9) {
                return Ok(());
            }
            Err(at.error(format!("is {}; the port offers {offered:?}", picked.get())))
        }
        _ => Err(at.error("picks a voltage, but the port offers only one; leave it out")),
    }
}

fn far_end(plan: &Plan, feed: &Feed, at: &Path<'_>) -> Checked {
    let mode_at = at.key("mode");
    let at = at.key("to");
    let item = feed.to.item.as_str();
    if feed.to.input.is_none() && feed.mode.is_some() {
        return Err(mode_at.error(
            "sets the mode of a charging input, and this feed leads to none; leave it out",
        ));
    }
    match &feed.to.input {
        None if plan.device(item).is_some() || plan.converter(item).is_some() => Ok(()),
        None if plan.source(item).is_some() => Err(at.error(format!(
            "is \"{item}\", a source; name its charging input, as \"{item}/panel\""
        ))),
        None => Err(at.error(format!(
            "is \"{item}\", and no device or converter has that id"
        ))),
        Some(input) => {
            let source = plan
                .source(item)
                .ok_or_else(|| at.error(format!("names \"{item}\", and no source has that id")))?;
            if let Some(input) = source.inputs.iter().find(|it| it.id == *input) {
                return mode(feed, input, &mode_at);
            }
            let known: Vec<_> = source.inputs.iter().map(|it| it.id.as_str()).collect();
            Err(at.error(format!(
                "names the input \"{input}\"; the inputs of {item} are {}",
                known.join(", ")
            )))
        }
    }
}

/// A charge from which something comes back lies above the floor at which it goes.
fn above_floor(soc: &Figure<Share>, battery: &Battery, at: &Path<'_>) -> Checked {
    let floor = battery.floor();
    if soc.get() > floor {
        return Ok(());
    }
    Err(at.error(format!(
        "is {}, not above its floor of {floor}: it would go on and off; give more",
        soc.get()
    )))
}

/// The mode of a feed is one of its input's.
fn mode(feed: &Feed, input: &SourceInput, at: &Path<'_>) -> Checked {
    let Some(mode) = &feed.mode else {
        return Ok(());
    };
    if input.modes.iter().any(|it| it.id == *mode) {
        return Ok(());
    }
    let known: Vec<_> = input.modes.iter().map(|it| it.id.as_str()).collect();
    let has = if known.is_empty() {
        "has none".to_owned()
    } else {
        format!("has {}", known.join(", "))
    };
    Err(at.error(format!(
        "is set to the mode \"{mode}\"; the input \"{}\" {has}",
        input.id
    )))
}

fn cable(feed: &Feed, at: &Path<'_>) -> Checked {
    for (fuse, name) in [(&feed.fuse, "fuse"), (&feed.fuse_far, "fuse_far")] {
        if let Some(it) = fuse {
            self::fuse(it, &at.key(name))?;
        }
    }
    if feed.fuse_far.is_some() && feed.to.input.is_none() {
        let why = "stands on a lead that charges nothing; a second fuse is for a lead into a \
            battery, as \"bank/charger\"";
        return Err(at.key("fuse_far").error(why));
    }
    let Some(cable) = &feed.cable else {
        return Ok(());
    };
    let at = at.key("cable");
    positive_if(cable.area_mm2.as_ref(), &at.key("area_mm2"))?;
    at_least_one(
        cable.bundle.as_ref(),
        &at.key("bundle"),
        "counts the lead itself too; give 1 or more",
    )?;
    if let Some(pairs) = &cable.pairs {
        if !(1.0..=4.0).contains(&pairs.get()) {
            return Err(at
                .key("pairs")
                .error(format!("is {}; a data cable has 1 to 4 pairs", pairs.get())));
        }
        if cable.area_mm2.is_some() || cable.awg.is_some() {
            return Err(at
                .key("pairs")
                .error("stands beside area_mm2 or awg; give one of them"));
        }
        return Ok(());
    }
    match (&cable.area_mm2, &cable.awg) {
        (Some(_), None) | (None, Some(_)) => Ok(()),
        (Some(_), Some(_)) => Err(at
            .key("awg")
            .error("stands beside area_mm2; give one or the other")),
        (None, None) if cable.length_m.get() == 0.0 => Ok(()),
        (None, None) => Err(at.key("area_mm2").error("is missing; give area_mm2 or awg")),
    }
}

fn fuse(fuse: &Fuse, at: &Path<'_>) -> Checked {
    positive(&fuse.rating_a, &at.key("rating_a"))?;
    positive_if(fuse.rated_v_dc.as_ref(), &at.key("rated_v_dc"))?;
    positive_if(fuse.breaks_a.as_ref(), &at.key("breaks_a"))
}

fn at_least_one(count: Option<&Figure<Count>>, at: &Path<'_>, why: &str) -> Checked {
    match count {
        Some(it) if it.get() < 1.0 => Err(at.error(format!("is {}; it {why}", it.get()))),
        _ => Ok(()),
    }
}

/// Every feed must reach back to a source without coming round to itself.
///
/// A source with a fed input is a link of the chain too: a loop through it has no store to start
/// from.
fn forest(plan: &Plan, arrangement: &Arrangement, at: &Path<'_>) -> Checked {
    let feeds = &arrangement.feeds;
    let mut awaited: HashMap<&str, usize> = HashMap::new();
    let mut leaving: HashMap<&str, Vec<usize>> = HashMap::new();
    for (index, feed) in feeds.iter().enumerate() {
        *awaited.entry(feed.to.item.as_str()).or_default() += 1;
        leaving
            .entry(feed.from.item.as_str())
            .or_default()
            .push(index);
    }
    let mut settled = vec![false; feeds.len()];
    let mut open: Vec<&str> = leaving
        .keys()
        .copied()
        .filter(|item| !awaited.contains_key(item))
        .collect();
    if let Some(index) = feeds.iter().position(|it| {
        plan.converter(it.from.item.as_str()).is_some() && open.contains(&it.from.item.as_str())
    }) {
        let why = format!(
            "is \"{}\", and nothing feeds it; add a feed into it or remove this one",
            feeds[index].from.item
        );
        return Err(at.index(index).key("from").key("item").error(why));
    }
    while let Some(item) = open.pop() {
        for &index in leaving.get(item).into_iter().flatten() {
            settled[index] = true;
            let to = feeds[index].to.item.as_str();
            if let Some(left) = awaited.get_mut(to) {
                *left -= 1;
                if *left == 0 {
                    open.push(to);
                }
            }
        }
    }
    match settled.iter().position(|done| !done) {
        None => Ok(()),
        Some(index) => {
            let why = format!(
                "is \"{}\", which this chain feeds in a circle; a chain starts at a source",
                feeds[index].from.item
            );
            Err(at.index(index).key("from").key("item").error(why))
        }
    }
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
