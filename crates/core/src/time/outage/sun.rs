//! Where the sun stands, and what it gives to a tilted panel.
//!
//! Declination by Cooper (1969), the equation of time by Spencer (1971), air mass by Kasten and
//! Young (1989), direct light through a clear sky by Meinel and Meinel (1976), below some five
//! degrees by the lesser of ASHRAE's (1985), with a tenth of it diffuse beside, an overcast sky by
//! Kasten and Czeplak (1980) at full cover, a mean day between the two, and the diffuse part on a
//! tilted plane by Liu and Jordan (1960). Good to a tenth on a clear day; clouds are worse than any
//! formula.

use super::clock::Clock;
use crate::ground::figure::Figure;
use crate::site::plan::Plan;
use jiff::civil::Date;
use serde::Serialize;

/// Light on a plane for which panels are rated, W/m².
const RATED: f64 = 1000.0;
/// Light above the air, W/m², as Meinel and Meinel take it.
const ABOVE_THE_AIR: f64 = 1353.0;

/// What a covered sky lets through of a clear one.
const COVERED: f64 = 0.25;

/// Light of a low sun, W/m², and how fast it fades: I = A·exp(−B/sin h) with the coefficients of
/// December (ASHRAE Fundamentals, 1985).
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
    /// As the mean day of the month has it, where the site says how much of a clear day's light
    /// that is; else covered.
    Usual,
}

/// How a panel stands.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Plane {
    /// Its tilt from level, °, 0 to 90.
    pub tilt_deg: f64,
    /// Where it faces, ° from north by east; towards the equator where nobody says.
    pub azimuth_deg: Option<f64>,
}

impl Plane {
    /// Tilted towards the equator.
    pub fn tilted(tilt_deg: f64) -> Self {
        Self {
            tilt_deg,
            azimuth_deg: None,
        }
    }
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
    /// use ash_pond_core::time::outage::Sun;
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

    /// Half of the day as an angle of the earth's turn, rad: 0 in the polar night, π where the sun
    /// does not set.
    fn half_day(self) -> f64 {
        (-self.latitude.tan() * self.declination.tan())
            .clamp(-1.0, 1.0)
            .acos()
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
        self.latitude.sin() * self.declination.sin()
            + self.latitude.cos() * self.declination.cos() * turn.cos()
    }

    /// Light on a plane, W/m², at `solar_h` hours by the sundial. `clear_share` is how much of a
    /// clear day's light the mean day of the month has, for the usual sky.
    ///
    /// A plane that faces elsewhere than to the equator sees the sun as by Duffie and Beckman
    /// (1.6.2).
    pub fn on_plane(self, solar_h: f64, plane: Plane, sky: Sky, clear_share: Option<f64>) -> f64 {
        if sky == Sky::Usual {
            let under = |sky| self.on_plane(solar_h, plane, sky, None);
            // On level ground a covered sky gives a quarter of a clear one.
            let clear =
                clear_share.map_or(0.0, |it| ((it - COVERED) / (1.0 - COVERED)).clamp(0.0, 1.0));
            return clear * under(Sky::Clear) + (1.0 - clear) * under(Sky::Overcast);
        }
        let tilt_deg = plane.tilt_deg;
        let height = self.height(solar_h);
        if height <= 0.0 {
            return 0.0;
        }
        let degrees = height.asin().to_degrees();
        let air = 1.0 / (height + 0.505_72 * (degrees + 6.079_95).powf(-1.6364));
        // A low sun shines through more haze than air mass alone tells: there the lesser of both
        // counts.
        let low = LOW.0 * (-LOW.1 / height).exp();
        let direct = (ABOVE_THE_AIR * 0.7_f64.powf(air.powf(0.678))).min(low.max(0.0));
        let diffuse = 0.1 * direct;
        let tilt = tilt_deg.to_radians();
        let seen = f64::midpoint(1.0, tilt.cos());
        match sky {
            Sky::Clear => {
                let turn = ((solar_h - 12.0) * 15.0).to_radians();
                // Towards the equator: south of it a panel looks north.
                let lean = if self.latitude < 0.0 {
                    self.latitude + tilt
                } else {
                    self.latitude - tilt
                };
                let facing = match plane.azimuth_deg {
                    None => {
                        lean.sin() * self.declination.sin()
                            + lean.cos() * self.declination.cos() * turn.cos()
                    }
                    Some(azimuth) => self.facing(turn, tilt, azimuth),
                };
                direct * facing.max(0.0) + diffuse * seen
            }
            Sky::Overcast | Sky::Usual => COVERED * (direct * height + diffuse) * seen,
        }
    }

    /// Cosine of the angle between the sun and what a plane looks at, that faces `azimuth` ° from
    /// north by east.
    fn facing(self, turn: f64, tilt: f64, azimuth: f64) -> f64 {
        let west = (azimuth - 180.0).to_radians();
        let (up, down) = (self.latitude, self.declination);
        down.sin() * (up.sin() * tilt.cos() - up.cos() * tilt.sin() * west.cos())
            + down.cos() * turn.cos() * (up.cos() * tilt.cos() + up.sin() * tilt.sin() * west.cos())
            + down.cos() * turn.sin() * tilt.sin() * west.sin()
    }

    /// Light on that plane over the day, Wh/m², by the trapezium rule in steps of six minutes.
    pub fn day_wh(self, tilt_deg: f64, sky: Sky) -> f64 {
        self.day_on(Plane::tilted(tilt_deg), sky, None)
    }

    /// Light on a plane over the day, Wh/m², likewise.
    pub fn day_on(self, plane: Plane, sky: Sky, clear_share: Option<f64>) -> f64 {
        (0..240)
            .map(|it| self.on_plane(f64::from(it) / 10.0, plane, sky, clear_share) / 10.0)
            .sum()
    }
}

/// Latitude (°) and what must be added to the clock to get the hours of a sundial (h), without the
/// equation of time.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Seat {
    latitude_deg: f64,
    offset_h: f64,
    /// How much of a clear day's light the mean day of each month has.
    clear_shares: Option<[f64; 12]>,
}

impl Seat {
    /// Of a site that says where it is. Without a time zone or a longitude the sun stands highest
    /// at noon by the clock.
    pub(crate) fn of(plan: &Plan, clock: &Clock) -> Option<Self> {
        let place = plan.site.place.as_ref()?;
        let latitude_deg = place.latitude_deg.as_ref().map(Figure::get)?;
        let offset_h = match (place.longitude_deg.as_ref(), clock.ahead_h) {
            (Some(longitude), Some(ahead)) => longitude.get() / 15.0 - ahead,
            _ => 0.0,
        };
        let shares: Vec<f64> = place.clear_share.iter().map(Figure::get).collect();
        Some(Self {
            latitude_deg,
            offset_h,
            clear_shares: shares.try_into().ok(),
        })
    }

    /// Share of its rated light that a panel gets `t` s after the start.
    pub(crate) fn share(self, clock: &Clock, t: f64, plane: Plane, sky: Sky) -> f64 {
        let now = clock.date(t);
        let sun = Sun::of(self.latitude_deg, now.date());
        // The clock's own changes are no matter of the sun's.
        let plain_h = clock.of_day(0.0) / 3600.0 + t / 3600.0;
        let solar_h = (plain_h + self.offset_h + sun.ahead_min() / 60.0).rem_euclid(24.0);
        let month = usize::try_from(now.month() - 1).unwrap_or(0);
        let clear_share = self.clear_shares.map(|it| it[month]);
        (sun.on_plane(solar_h, plane, sky, clear_share) / RATED).min(1.2)
    }

    /// Sunrise and sunset of a date by the clock on the wall, h; none where it does not rise or
    /// set.
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

/// Stretches without the sun, hours after the start, for shading. Where the site does not say where
/// it is, from six in the evening to six in the morning.
pub(crate) fn nights(plan: &Plan, clock: &Clock, hours: f64) -> Vec<[f64; 2]> {
    let seat = Seat::of(plan, clock);
    let mut days = Vec::new();
    for date in clock.days(hours) {
        let light = match seat {
            None => Some((6.0, 18.0)),
            Some(seat) => seat
                .day(date)
                .or_else(|| seat.is_light(date).then_some((0.0, 24.0))),
        };
        if let Some((rise, set)) = light {
            days.push([
                clock.when(date, rise) / 3600.0,
                clock.when(date, set) / 3600.0,
            ]);
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
