//! Where the sun stands, and what it gives to a tilted panel.
//!
//! Declination by Cooper (1969), the equation of time by Spencer (1971), air mass by Kasten and Young (1989), direct
//! light through a clear sky by Meinel and Meinel (1976), below some five degrees by the lesser of ASHRAE's (1985), with a tenth of it diffuse beside, an overcast sky by Kasten
//! and Czeplak (1980) at full cover, and the diffuse part on a tilted plane by Liu and Jordan (1960). Good to a tenth on
//! a clear day; clouds are worse than any formula.

use super::clock::Clock;
use crate::figure::Figure;
use crate::plan::Plan;
use jiff::civil::Date;
use serde::Serialize;

/// Light on a plane for which panels are rated, W/m².
const RATED: f64 = 1000.0;
/// Light above the air, W/m², as Meinel and Meinel take it.
const ABOVE_THE_AIR: f64 = 1353.0;

/// Light of a low sun, W/m², and how fast it fades: I = A·exp(−B/sin h) with the coefficients of December (ASHRAE
/// Fundamentals, 1985).
const LOW: (f64, f64) = (1233.0, 0.142);

/// A sky.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "snake_case")]
pub enum Sky {
    /// No clouds.
    Clear,
    /// Covered all day.
    Overcast,
}

/// The sun of one day at one latitude.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Sun {
    latitude: f64,
    declination: f64,
    /// Minutes by which a sundial is ahead of a clock.
    ahead_min: f64,
}

impl Sun {
    /// The sun over `latitude_deg` (north positive, −90 to 90) on a date.
    ///
    /// ```
    /// use ash_pond_core::outage::Sun;
    /// let midsummer = Sun::of(52.0, jiff::civil::date(2026, 6, 21));
    /// assert!((midsummer.day_h() - 16.5).abs() < 0.3);
    /// ```
    pub fn of(latitude_deg: f64, date: Date) -> Self {
        let day = f64::from(date.day_of_year());
        let turn = (360.0 * (284.0 + day) / 365.0).to_radians();
        let angle = std::f64::consts::TAU * (day - 1.0) / 365.0;
        let equation = 229.18
            * (0.000_075 + 0.001_868 * angle.cos()
                - 0.032_077 * angle.sin()
                - 0.014_615 * (2.0 * angle).cos()
                - 0.040_89 * (2.0 * angle).sin());
        Self {
            latitude: latitude_deg.to_radians(),
            declination: (23.45 * turn.sin()).to_radians(),
            ahead_min: equation,
        }
    }

    /// Half of the day as an angle of the earth's turn, rad: 0 in the polar night, π where the sun does not set.
    fn half_day(self) -> f64 {
        (-self.latitude.tan() * self.declination.tan()).clamp(-1.0, 1.0).acos()
    }

    /// From sunrise to sunset, h.
    pub fn day_h(self) -> f64 {
        self.half_day().to_degrees() * 2.0 / 15.0
    }

    /// Minutes by which a sundial is ahead of an even clock on that day.
    pub fn ahead_min(self) -> f64 {
        self.ahead_min
    }

    /// Sine of the sun's height at `solar_h` hours by the sundial.
    fn height(self, solar_h: f64) -> f64 {
        let turn = ((solar_h - 12.0) * 15.0).to_radians();
        self.latitude.sin() * self.declination.sin() + self.latitude.cos() * self.declination.cos() * turn.cos()
    }

    /// Light on a plane tilted by `tilt_deg` from level towards the equator, W/m², at `solar_h` hours by the sundial.
    pub fn on_plane(self, solar_h: f64, tilt_deg: f64, sky: Sky) -> f64 {
        let height = self.height(solar_h);
        if height <= 0.0 {
            return 0.0;
        }
        let degrees = height.asin().to_degrees();
        let air = 1.0 / (height + 0.505_72 * (degrees + 6.079_95).powf(-1.6364));
        // A low sun shines through more haze than air mass alone tells: there the lesser of both counts.
        let low = LOW.0 * (-LOW.1 / height).exp();
        let direct = (ABOVE_THE_AIR * 0.7_f64.powf(air.powf(0.678))).min(low.max(0.0));
        let diffuse = 0.1 * direct;
        let tilt = tilt_deg.to_radians();
        let seen = f64::midpoint(1.0, tilt.cos());
        match sky {
            Sky::Clear => {
                let turn = ((solar_h - 12.0) * 15.0).to_radians();
                // Towards the equator: south of it a panel looks north.
                let lean = if self.latitude < 0.0 { self.latitude + tilt } else { self.latitude - tilt };
                let facing = lean.sin() * self.declination.sin() + lean.cos() * self.declination.cos() * turn.cos();
                direct * facing.max(0.0) + diffuse * seen
            }
            Sky::Overcast => 0.25 * (direct * height + diffuse) * seen,
        }
    }

    /// Light on that plane over the day, Wh/m², by the trapezium rule in steps of six minutes.
    pub fn day_wh(self, tilt_deg: f64, sky: Sky) -> f64 {
        (0..240).map(|it| self.on_plane(f64::from(it) / 10.0, tilt_deg, sky) / 10.0).sum()
    }
}

/// Latitude (°) and what must be added to the clock to get the hours of a sundial (h), without the equation of time.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Seat {
    latitude_deg: f64,
    offset_h: f64,
}

impl Seat {
    /// Of a site that says where it is. Without a time zone or a longitude the sun stands highest at noon by the clock.
    pub(crate) fn of(plan: &Plan, clock: &Clock) -> Option<Self> {
        let place = plan.site.place.as_ref()?;
        let latitude_deg = place.latitude_deg.as_ref().map(Figure::get)?;
        let offset_h = match (place.longitude_deg.as_ref(), clock.ahead_h) {
            (Some(longitude), Some(ahead)) => longitude.get() / 15.0 - ahead,
            _ => 0.0,
        };
        Some(Self { latitude_deg, offset_h })
    }

    /// Share of its rated light that a panel gets `t` s after the start.
    pub(crate) fn share(self, clock: &Clock, t: f64, tilt_deg: f64, sky: Sky) -> f64 {
        let now = clock.date(t);
        let sun = Sun::of(self.latitude_deg, now.date());
        // The clock's own changes are no matter of the sun's.
        let plain_h = clock.of_day(0.0) / 3600.0 + t / 3600.0;
        let solar_h = (plain_h + self.offset_h + sun.ahead_min() / 60.0).rem_euclid(24.0);
        (sun.on_plane(solar_h, tilt_deg, sky) / RATED).min(1.2)
    }

    /// Sunrise and sunset of a date by the clock on the wall, h; none where it does not rise or set.
    pub(crate) fn day(self, date: Date) -> Option<(f64, f64)> {
        let sun = Sun::of(self.latitude_deg, date);
        let half = sun.day_h() / 2.0;
        let noon = 12.0 - self.offset_h - sun.ahead_min() / 60.0;
        (half > 0.0 && half < 12.0).then_some((noon - half, noon + half))
    }

    /// Whether the sun is up at noon of a date.
    pub(crate) fn is_light(self, date: Date) -> bool {
        Sun::of(self.latitude_deg, date).day_h() > 12.0
    }
}

/// Stretches without the sun, hours after the start, for shading. Where the site does not say where it is, from six in
/// the evening to six in the morning.
pub(crate) fn nights(plan: &Plan, clock: &Clock, hours: f64) -> Vec<[f64; 2]> {
    let seat = Seat::of(plan, clock);
    let mut days = Vec::new();
    for date in clock.days(hours) {
        let light = match seat {
            None => Some((6.0, 18.0)),
            Some(seat) => seat.day(date).or_else(|| seat.is_light(date).then_some((0.0, 24.0))),
        };
        if let Some((rise, set)) = light {
            days.push([clock.when(date, rise) / 3600.0, clock.when(date, set) / 3600.0]);
        }
    }
    let mut nights = Vec::new();
    let mut dark_from = 0.0;
    for [rise, set] in days {
        if rise > dark_from {
            nights.push([dark_from, rise.min(hours)]);
        }
        dark_from = set.max(dark_from);
    }
    if dark_from < hours {
        nights.push([dark_from, hours]);
    }
    nights.retain(|it| it[0] < hours && it[1] > it[0]);
    nights
}
