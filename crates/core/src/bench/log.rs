//! Files of meters, loggers and scopes: rows of numbers with a head, in whatever form they come.
//!
//! Commas, semicolons, tabs, bars or blanks between cells; points or commas for decimals; units in
//! the head; comment lines; times as seconds (or ms, µs, min, h), as a clock (`17:30:05.2`) or as a
//! date with a clock. Lines go in one by one, so that a file of any length can be read without
//! being held.

use crate::ground::json::FieldError;
use crate::ground::say::Sentence;
use serde::{Deserialize, Serialize};

/// What a column holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Holds {
    /// Time, s.
    Time,
    /// Volts.
    Volts,
    /// Amperes.
    Amps,
    /// Watts.
    Watts,
    /// The charge of a store, 0 to 100.
    Percent,
    /// Power out of a converter, W.
    PowerOut,
    /// Power into a converter, W.
    PowerIn,
    /// Something else, as it stands.
    Other,
}

impl Holds {
    const WORDS: [(&'static str, Self); 8] = [
        ("time", Self::Time),
        ("volts", Self::Volts),
        ("amps", Self::Amps),
        ("watts", Self::Watts),
        ("percent", Self::Percent),
        ("power-out", Self::PowerOut),
        ("power-in", Self::PowerIn),
        ("other", Self::Other),
    ];
}

/// What somebody says that a column holds, where the head does not say it: `volts`, or `time:0.001`
/// for milliseconds.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Pick {
    /// What it holds.
    pub holds: Holds,
    /// What its numbers are multiplied by to be in s, V, A or W.
    pub scale: f64,
}

impl std::str::FromStr for Pick {
    type Err = FieldError;

    /// ```
    /// use ash_pond_core::bench::{Holds, Pick};
    /// assert_eq!("time:0.001".parse(), Ok(Pick { holds: Holds::Time, scale: 0.001 }));
    /// assert!("spoons".parse::<Pick>().is_err());
    /// ```
    fn from_str(text: &str) -> Result<Self, FieldError> {
        let no = |why: String| FieldError::of("columns", why);
        let (word, scale) = text.split_once(':').unwrap_or((text, "1"));
        let holds = Holds::WORDS.iter().find(|it| it.0 == word).map(|it| it.1);
        let holds = holds.ok_or_else(|| {
            let known: Vec<&str> = Holds::WORDS.iter().map(|it| it.0).collect();
            no(format!(
                "\"{word}\" is nothing that a column holds; use one of {}",
                known.join(", ")
            ))
        })?;
        let scale = scale
            .parse()
            .ok()
            .filter(|it: &f64| it.is_finite() && *it > 0.0);
        Ok(Self {
            holds,
            scale: scale.ok_or_else(|| {
                no(format!(
                    "\"{text}\" needs a number above 0 behind the colon"
                ))
            })?,
        })
    }
}

/// A column.
#[derive(Debug, Clone, PartialEq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Column {
    /// Its head as it stands.
    pub head: String,
    /// What it holds, guessed from its head.
    pub holds: Holds,
    /// What its numbers are multiplied by to be in s, V, A or W.
    pub scale: f64,
}

/// What is wrong with a file.
#[derive(Debug, Clone, PartialEq, Eq, Serialize)]
#[cfg_attr(feature = "schema", derive(schemars::JsonSchema))]
pub struct Wrong {
    /// The line, from 1.
    pub row: usize,
    /// The column, from 1; 0 for the whole line.
    pub column: usize,
    /// What is wrong, and what to do.
    pub sentence: Sentence,
}

impl std::fmt::Display for Wrong {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        match self.column {
            0 => write!(f, "row {}: {}", self.row, self.sentence),
            column => write!(f, "row {}, column {column}: {}", self.row, self.sentence),
        }
    }
}

/// How a file tells its times.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Times {
    /// Seconds are counted from anywhere.
    #[default]
    Counted,
    /// By a clock without a date: seconds since the first row's midnight.
    Clock,
    /// By a clock with a date: seconds since 1970, of whatever zone the clock has.
    Dated,
}

/// A file that was read.
#[derive(Debug, Clone, PartialEq, Default)]
pub struct Log {
    /// How it tells its times.
    pub times: Times,
    /// Its columns.
    pub columns: Vec<Column>,
    /// Their values, column by column; a cell that is empty is not a number.
    pub values: Vec<Vec<f64>>,
    /// Rows of numbers in the file; more than the values where close ones were taken together.
    pub rows: usize,
    /// Rows with the time of the row before.
    pub doubles: usize,
    /// Places where five ordinary steps or more are missing.
    pub gaps: usize,
}

impl Log {
    /// The values of the first column that holds something.
    pub fn of(&self, holds: Holds) -> Option<&[f64]> {
        let index = self.columns.iter().position(|it| it.holds == holds)?;
        self.values.get(index).map(Vec::as_slice)
    }
}

/// Steps by which the ordinary one is told.
const STEPS: usize = 500;
/// A thrifty reader holds no more rows than this; of longer files every two are taken together, and
/// again.
const MOST_HELD: usize = 1 << 18;
/// So many ordinary steps without a row are a gap.
const GAP: f64 = 5.0;

/// Reads a file line by line, and keeps no more of it than is asked for.
#[derive(Debug, Default)]
pub struct Reader {
    line: usize,
    mark: Option<char>,
    log: Log,
    /// Whether the time column is a clock, and the day that it has come to.
    clock: Option<f64>,
    last_clock: f64,
    picks: Option<Vec<Pick>>,
    known_only: bool,
    /// Rows nearer than this are taken together, s.
    fine_s: f64,
    /// The rows that are being taken together: sums, and how many of each column there are.
    group: Vec<(f64, u32)>,
    group_from: f64,
    row: Vec<f64>,
    steps: Vec<f64>,
    usual_step: Option<f64>,
    last_time: f64,
}

/// Reads a whole file.
///
/// # Errors
/// Names the row, the column and the remedy.
///
/// ```
/// use ash_pond_core::bench::{Holds, read_log};
/// let log = read_log("# porch\ntime (ms);U [V]\n0;12,5\n500;12,4\n").unwrap();
/// assert_eq!(log.of(Holds::Time).unwrap(), [0.0, 0.5]);
/// assert_eq!(log.of(Holds::Volts).unwrap(), [12.5, 12.4]);
/// ```
pub fn read_log(text: &str) -> Result<Log, Wrong> {
    let mut reader = Reader::default();
    for line in text.trim_start_matches('\u{feff}').lines() {
        reader.line(line)?;
    }
    reader.end()
}

fn is_comment(line: &str) -> bool {
    line.is_empty() || ["#", "//", "%", "!"].iter().any(|it| line.starts_with(it))
}

impl Reader {
    /// One that goes by what somebody says the columns hold, instead of their heads.
    #[must_use]
    pub fn picked(mut self, picks: Vec<Pick>) -> Self {
        self.picks = Some(picks);
        self
    }

    /// One that keeps only columns whose content it knows, and takes rows together that are nearer
    /// than `fine_s` seconds, each column by its mean. Of a file that is longer still it takes
    /// every two rows together, and again, so that it never holds more than 262,144.
    #[must_use]
    pub fn thrifty(mut self, fine_s: f64) -> Self {
        self.known_only = true;
        self.fine_s = fine_s;
        self
    }

    /// Takes the next line.
    ///
    /// # Errors
    /// Where a cell cannot be read.
    pub fn line(&mut self, line: &str) -> Result<(), Wrong> {
        self.line += 1;
        let line = line.trim();
        if is_comment(line) {
            return Ok(());
        }
        let Some(mark) = self.mark else {
            return self.head(line);
        };
        let mut row = std::mem::take(&mut self.row);
        row.clear();
        for (index, cell) in cells(line, mark).enumerate() {
            if index >= self.log.columns.len() {
                if cell.is_empty() {
                    continue;
                }
                return Err(self.wrong(
                    index + 1,
                    format!("“{cell}” stands beyond the last head; name its column, or remove it"),
                ));
            }
            row.push(self.value(index, cell)?);
        }
        row.resize(self.log.columns.len(), f64::NAN);
        let time = self
            .log
            .columns
            .iter()
            .position(|it| it.holds == Holds::Time);
        if let Some(time) = time.filter(|it| row[*it].is_nan()) {
            self.row = row;
            // Spreadsheets end in rows of nothing.
            if cells(line, mark).all(|it| it.is_empty()) {
                return Ok(());
            }
            return Err(self.wrong(
                time + 1,
                "has no time; give it one, or remove the row".into(),
            ));
        }
        self.take(&row);
        self.row = row;
        Ok(())
    }

    /// Takes a row: by itself, or together with those near it.
    fn take(&mut self, row: &[f64]) {
        self.log.rows += 1;
        let time = self
            .log
            .columns
            .iter()
            .position(|it| it.holds == Holds::Time)
            .map(|it| row[it]);
        if let Some(time) = time.filter(|it| it.is_finite()) {
            self.watch(time);
        }
        if self.fine_s <= 0.0 {
            for (index, value) in row.iter().enumerate() {
                self.keep(index, *value);
            }
            return;
        }
        let time = time.unwrap_or(f64::NAN);
        if !self.group.is_empty() && (time - self.group_from).abs() < self.fine_s {
            for (sum, value) in self.group.iter_mut().zip(row).filter(|it| it.1.is_finite()) {
                sum.0 += value;
                sum.1 += 1;
            }
            return;
        }
        self.let_go();
        self.group_from = time;
        self.group.extend(
            row.iter()
                .map(|it| if it.is_finite() { (*it, 1) } else { (0.0, 0) }),
        );
    }

    /// Keeps the mean of what was taken together.
    fn let_go(&mut self) {
        let group = std::mem::take(&mut self.group);
        for (index, (sum, count)) in group.iter().enumerate() {
            self.keep(
                index,
                if *count == 0 {
                    f64::NAN
                } else {
                    sum / f64::from(*count)
                },
            );
        }
        self.group = group;
        self.group.clear();
        if self.known_only && self.log.values.iter().any(|it| it.len() >= MOST_HELD) {
            self.halve();
        }
    }

    /// Takes every two rows together, and from here on as many of the file as those hold.
    fn halve(&mut self) {
        for column in &mut self.log.values {
            let pairs = column.chunks(2).map(|it| match it {
                [a, b] if a.is_finite() && b.is_finite() => f64::midpoint(*a, *b),
                [a, b] if b.is_finite() => {
                    if a.is_finite() {
                        *a
                    } else {
                        *b
                    }
                }
                it => it[0],
            });
            *column = pairs.collect();
        }
        let time = self
            .log
            .columns
            .iter()
            .position(|it| it.holds == Holds::Time)
            .map(|it| &self.log.values[it]);
        if let Some([first, .., last]) = time.map(Vec::as_slice) {
            // A hair less, so that rows that far apart by the clock are not taken for nearer.
            let apart = (last - first) / (MOST_HELD / 2 - 1) as f64;
            self.fine_s = self.fine_s.max(apart * (1.0 - 1e-6));
        }
    }

    fn keep(&mut self, index: usize, value: f64) {
        if !self.known_only || self.log.columns[index].holds != Holds::Other {
            self.log.values[index].push(value);
        }
    }

    /// Counts double times and gaps, the ordinary step being the middle one of the first few
    /// hundred.
    fn watch(&mut self, time: f64) {
        let step = time - std::mem::replace(&mut self.last_time, time);
        if self.log.rows < 2 {
            return;
        }
        if step == 0.0 {
            self.log.doubles += 1;
        }
        match self.usual_step {
            Some(usual) => self.log.gaps += usize::from(step > GAP * usual),
            None => {
                self.steps.push(step);
                if self.steps.len() >= STEPS {
                    self.settle();
                }
            }
        }
    }

    fn settle(&mut self) {
        if self.usual_step.is_some() || self.steps.is_empty() {
            return;
        }
        let mut steps = std::mem::take(&mut self.steps);
        steps.sort_by(f64::total_cmp);
        let usual = steps[steps.len() / 2];
        self.log.gaps = steps
            .iter()
            .filter(|it| usual > 0.0 && **it > GAP * usual)
            .count();
        self.usual_step = Some(if usual > 0.0 { usual } else { f64::INFINITY });
    }

    fn wrong(&self, column: usize, sentence: String) -> Wrong {
        Wrong {
            row: self.line,
            column,
            sentence: sentence.into(),
        }
    }

    /// The first line that is no comment: the head.
    fn head(&mut self, line: &str) -> Result<(), Wrong> {
        let count = |mark: char| line.matches(mark).count();
        let mark = ['\t', ';', '|', ',']
            .into_iter()
            .find(|it| count(*it) > 0)
            .unwrap_or(' ');
        let heads: Vec<&str> = cells(line, mark).collect();
        if heads.iter().all(|it| number(it).is_some() || it.is_empty()) {
            let sentence = "there is no head; write one first, such as time_s,volts, with a name \
                and a unit for each column";
            return Err(self.wrong(0, sentence.into()));
        }
        self.mark = Some(mark);
        self.log.columns = heads.iter().map(|it| column(it)).collect();
        if let Some(picks) = &self.picks {
            if picks.len() != heads.len() {
                let sentence = format!(
                    "{} columns stand in the head, and {} are said",
                    heads.len(),
                    picks.len()
                );
                return Err(self.wrong(0, sentence));
            }
            for (column, pick) in self.log.columns.iter_mut().zip(picks) {
                (column.holds, column.scale) = (pick.holds, pick.scale);
            }
        }
        self.log.values = vec![Vec::new(); heads.len()];
        Ok(())
    }

    fn value(&mut self, index: usize, cell: &str) -> Result<f64, Wrong> {
        let (holds, scale) = (self.log.columns[index].holds, self.log.columns[index].scale);
        if cell.is_empty() {
            return Ok(f64::NAN);
        }
        if self.known_only && holds == Holds::Other {
            return Ok(f64::NAN);
        }
        if let Some(value) = number(cell) {
            return Ok(value * scale);
        }
        if holds == Holds::Time
            && let Some(value) = clock(cell)
        {
            // A clock without a date begins again at midnight.
            let is_dated = cell.contains(['-', '/']);
            self.log.times = if is_dated { Times::Dated } else { Times::Clock };
            let day = self.clock.get_or_insert(0.0);
            if !is_dated && value + *day < self.last_clock - 43_200.0 {
                *day += 86_400.0;
            }
            self.last_clock = value + *day;
            return Ok(self.last_clock);
        }
        let head = self.log.columns[index].head.clone();
        let remedy = if holds == Holds::Time {
            "write seconds, 17:30:05, or 2026-01-14T17:30:05"
        } else {
            "write a number such as 12.5"
        };
        Err(self.wrong(
            index + 1,
            format!("“{cell}” is no number for “{head}”; {remedy}"),
        ))
    }

    /// Ends the file.
    ///
    /// # Errors
    /// Where there were no rows.
    pub fn end(mut self) -> Result<Log, Wrong> {
        self.settle();
        self.let_go();
        if self.log.rows == 0 {
            return Err(Wrong {
                row: self.line.max(1),
                column: 0,
                sentence: "there are no rows of numbers".into(),
            });
        }
        Ok(self.log)
    }
}

fn cells(line: &str, mark: char) -> impl Iterator<Item = &str> {
    // Blanks between cells come in any number.
    let blank = mark == ' ';
    line.split(move |it: char| {
        if blank {
            it.is_whitespace()
        } else {
            it == mark
        }
    })
    .filter(move |it| !blank || !it.is_empty())
    .map(|it| it.trim().trim_matches('"').trim())
}

/// A number with a point, or with a comma for the decimals.
fn number(cell: &str) -> Option<f64> {
    let found = cell.parse::<f64>().ok().or_else(|| {
        (cell.matches(',').count() == 1 && !cell.contains('.'))
            .then(|| cell.replace(',', ".").parse().ok())
            .flatten()
    });
    found.filter(|it: &f64| it.is_finite())
}

/// Seconds of a clock, or of a date with a clock since 1970.
fn clock(cell: &str) -> Option<f64> {
    let text = cell.trim_end_matches('Z').replace(',', ".");
    let (date, time) = match text.split_once(['T', ' ']) {
        Some((date, time)) => (Some(date), time.trim()),
        None => (None, text.as_str()),
    };
    let mut parts = time.split(':');
    let (hours, minutes) = (
        parts.next()?.parse::<f64>().ok()?,
        parts.next()?.parse::<f64>().ok()?,
    );
    let seconds = parts
        .next()
        .map_or(Some(0.0), |it| it.parse::<f64>().ok())?;
    let of_day = hours * 3600.0 + minutes * 60.0 + seconds;
    if parts.next().is_some()
        || !(0.0..=86_400.0).contains(&of_day)
        || minutes >= 60.0
        || seconds >= 61.0
    {
        return None;
    }
    let days = match date {
        None => 0,
        Some(date) => {
            let date: jiff::civil::Date = date.replace('/', "-").parse().ok()?;
            jiff::civil::date(1970, 1, 1).until(date).ok()?.get_days()
        }
    };
    Some(f64::from(days) * 86_400.0 + of_day)
}

/// What a head says: a name, and a unit behind an underscore, a slash, or in brackets.
fn column(head: &str) -> Column {
    let lower = head.trim().to_lowercase().replace('µ', "u");
    let bracketed = lower
        .split(['(', '['])
        .nth(1)
        .and_then(|it| it.split([')', ']']).next());
    let name = lower
        .split(['(', '[', '/'])
        .next()
        .unwrap_or_default()
        .trim()
        .to_owned();
    let behind = lower
        .rsplit(['_', '/', ' '])
        .next()
        .filter(|it| *it != lower.as_str());
    let unit = bracketed
        .or(behind)
        .unwrap_or(lower.as_str())
        .trim()
        .to_owned();
    let is = |words: &[&str]| {
        let parts: Vec<&str> = name.split(|it: char| !it.is_alphanumeric()).collect();
        words.iter().any(|it| parts.contains(it))
    };
    let (out, into) = (is(&["out", "output"]), is(&["in", "input"]));
    let power = |scale: f64| match (out, into) {
        (true, false) => (Holds::PowerOut, scale),
        (false, true) => (Holds::PowerIn, scale),
        _ => (Holds::Watts, scale),
    };
    let (holds, scale) = match unit.as_str() {
        "s" | "sec" | "seconds" => (Holds::Time, 1.0),
        "ms" => (Holds::Time, 1e-3),
        "us" => (Holds::Time, 1e-6),
        "min" | "minutes" => (Holds::Time, 60.0),
        "h" | "hours" => (Holds::Time, 3600.0),
        "v" | "volt" | "volts" => (Holds::Volts, 1.0),
        "mv" => (Holds::Volts, 1e-3),
        "kv" => (Holds::Volts, 1e3),
        "a" | "amp" | "amps" | "ampere" | "amperes" => (Holds::Amps, 1.0),
        "ma" => (Holds::Amps, 1e-3),
        "%" | "percent" | "soc" => (Holds::Percent, 1.0),
        "w" | "watt" | "watts" => power(1.0),
        "mw" => power(1e-3),
        "kw" => power(1e3),
        _ if is(&["time", "t", "date", "clock", "timestamp"]) => (Holds::Time, 1.0),
        _ if is(&["voltage", "u", "volts", "v", "ch1"]) => (Holds::Volts, 1.0),
        _ if is(&["current", "i", "amps"]) => (Holds::Amps, 1.0),
        _ if is(&["power", "p", "watts"]) => power(1.0),
        _ if is(&["soc", "charge", "percent"]) => (Holds::Percent, 1.0),
        _ => (Holds::Other, 1.0),
    };
    Column {
        head: head.trim().to_owned(),
        holds,
        scale,
    }
}
