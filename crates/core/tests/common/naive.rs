//! A plain solver by scanning and bisection, straight from the plan. It shares nothing
//! with the fast one and takes its time.

use ash_pond_core::network::Moment;
use ash_pond_core::site::plan::{Arrangement, Draw, Feed, Plan, PortVoltage};
use std::collections::HashMap;

/// Steps in which a voltage is scanned downwards for its highest root.
const SCAN: u32 = 40;

/// The naive solution: volts and amperes by feed, watts by source; `None` where it collapses.
pub struct Naive<'a> {
    plan: &'a Plan,
    way: &'a Arrangement,
    moment: Moment,
    pub feeds: HashMap<String, (f64, f64)>,
}

impl<'a> Naive<'a> {
    pub fn new(plan: &'a Plan, way: &'a Arrangement, moment: Moment) -> Self {
        Self {
            plan,
            way,
            moment,
            feeds: HashMap::new(),
        }
    }

    /// Terminal volts and watts drawn from a source at a charge; `None` where it collapses.
    pub fn source(&mut self, id: &str, soc: f64) -> Option<(f64, f64)> {
        let source = self.plan.source(id)?.clone();
        let battery = source.battery.as_ref()?;
        let mut beside = 0.0;
        for port in &source.ports {
            if standing(&port.voltage).is_none() || !self.leaves(id, port.id.as_str()) {
                continue;
            }
            let (_, watts) = self.out(id, port.id.as_str(), standing(&port.voltage)?)?;
            beside += law(port.loss.as_ref(), watts);
        }
        let Some(cells) = &battery.cells else {
            return Some((0.0, beside));
        };
        let chemistry = ash_pond_core::site::chemistry::find(&battery.chemistry)?;
        let open_v = chemistry.cell_v(soc) * cells.get();
        let ohms = battery.internal_ohm.as_ref().map_or(0.0, |it| it.get());
        let follows = source
            .ports
            .iter()
            .filter(|it| standing(&it.voltage).is_none());
        let follows: Vec<String> = follows.map(|it| it.id.to_string()).collect();
        let amps = |me: &mut Self, volts: f64| {
            let each = follows
                .iter()
                .map(|port| me.out(id, port, volts).map(|it| it.0))
                .sum::<Option<f64>>();
            each.map(|it| it + beside / volts)
        };
        let volts = self.highest_root(open_v, ohms, &mut |me, volts| amps(me, volts))?;
        let amps = amps(self, volts)?;
        Some((volts, volts * amps))
    }

    fn leaves(&self, item: &str, port: &str) -> bool {
        self.way
            .feeds
            .iter()
            .any(|it| it.from.item.as_str() == item && it.from.port.as_str() == port)
    }

    /// Amperes and watts out of a port whose voltage is `volts`.
    fn out(&mut self, item: &str, port: &str, volts: f64) -> Option<(f64, f64)> {
        let way = self.way;
        let mut sum = (0.0, 0.0);
        for feed in way
            .feeds
            .iter()
            .filter(|it| it.from.item.as_str() == item && it.from.port.as_str() == port)
        {
            let ohms = self.ohms(feed);
            let far = self.highest_root(volts, ohms, &mut |me, volts| {
                me.taken(feed, volts).map(|it| it.0)
            })?;
            let (amps, watts) = self.taken(feed, far)?;
            self.feeds.insert(feed.to.to_string(), (far, amps));
            sum = (sum.0 + amps, sum.1 + watts + amps * amps * ohms);
        }
        Some(sum)
    }

    /// Amperes and watts into the item at the far end of a feed at `volts`.
    fn taken(&mut self, feed: &Feed, volts: f64) -> Option<(f64, f64)> {
        let item = feed.to.item.as_str();
        if let Some(device) = self.plan.device(item) {
            let starting = self.moment == Moment::AllStarting;
            let mut watts = 0.0;
            for phase in &device.phases {
                let busy = device.busy_share();
                let weight = match phase.when.word() {
                    "starting" if starting => 1.0,
                    _ if starting => 0.0,
                    "running" => 1.0 - busy,
                    "busy" => busy,
                    _ => 0.0,
                };
                let ratio = volts / device.input.rated_v.get();
                let answer = match device.draw() {
                    Draw::Power => 1.0,
                    Draw::Current => ratio,
                    Draw::Resistance => ratio * ratio,
                };
                watts += weight * phase.watts.get() * answer;
            }
            let factor = device
                .input
                .power_factor
                .as_ref()
                .map_or(1.0, |it| it.get());
            return Some((watts / (volts * factor), watts));
        }
        let converter = self.plan.converter(item)?.clone();
        let (mut amps, mut watts) = (0.0, 0.0);
        for port in &converter.outputs {
            let out = self.out(
                item,
                port.id.as_str(),
                standing(&port.voltage).unwrap_or(volts),
            )?;
            (amps, watts) = (amps + out.0, watts + out.1);
        }
        if converter.kind.word() == "junction" {
            return Some((amps, watts));
        }
        let input = law(converter.loss.as_ref(), watts);
        let factor = converter
            .input
            .power_factor
            .as_ref()
            .map_or(1.0, |it| it.get());
        Some((input / (volts * factor), input))
    }

    fn ohms(&self, feed: &Feed) -> f64 {
        let Some(cable) = &feed.cable else { return 0.0 };
        let kelvin = self
            .plan
            .site
            .ambient_c
            .as_ref()
            .map_or(20.0, |it| it.get())
            - 20.0;
        let rho = 0.017241 * (1.0 + 0.00393 * kelvin);
        2.0 * cable.length_m.get() * rho / cable.area_mm2.as_ref().unwrap().get()
            + cable.contact_ohm.as_ref().map_or(0.0, |it| it.get())
    }

    /// The highest V in (0, `near`] with V + R·I(V) = `near`.
    fn highest_root(
        &mut self,
        near: f64,
        ohms: f64,
        amps: &mut dyn FnMut(&mut Self, f64) -> Option<f64>,
    ) -> Option<f64> {
        if ohms == 0.0 {
            return amps(self, near).map(|_| near);
        }
        let mut high = near;
        for step in 1..SCAN {
            let low = near * (1.0 - f64::from(step) / f64::from(SCAN));
            if low + ohms * amps(self, low)? < near {
                let mut low = low;
                for _ in 0..48 {
                    let middle = 0.5 * (low + high);
                    match amps(self, middle) {
                        Some(it) if middle + ohms * it < near => low = middle,
                        _ => high = middle,
                    }
                }
                return Some(0.5 * (low + high));
            }
            high = low;
        }
        None
    }
}

fn standing(voltage: &PortVoltage) -> Option<f64> {
    match voltage {
        PortVoltage::Regulated { regulated_v } => Some(regulated_v.get()),
        PortVoltage::Alternating { ac_v, .. } => Some(ac_v.get()),
        _ => None,
    }
}

fn law(loss: Option<&ash_pond_core::site::plan::LossLaw>, out: f64) -> f64 {
    let Some(loss) = loss else { return out };
    let idle = loss.idle_w.as_ref().map_or(0.0, |it| it.get());
    let proportional = loss.proportional.as_ref().map_or(0.0, |it| it.get());
    let quadratic = loss.quadratic_per_w.as_ref().map_or(0.0, |it| it.get());
    idle + (1.0 + proportional) * out + quadratic * out * out
}
