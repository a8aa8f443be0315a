//! A step of the journal while it is written: everything that a person changes goes through here,
//! so that all of it can be undone. Elements of the plan, tests of the bench, readings of walks,
//! instruments and meters are its subjects.

use crate::element::{Anew, Element, Kind, put_together};
use crate::error::StoreError;
use crate::held::Revised;
use crate::rows;
use crate::sites::{element, elements, insert, revision};
use rusqlite::{Connection, OptionalExtension, params};
use serde_json::Value;
use std::collections::{BTreeSet, HashMap};
use std::sync::Arc;

/// Steps that can be undone; older ones are forgotten.
pub(crate) const MOST_STEPS: i64 = 200;

/// What an entry of the journal is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Subject {
    /// An element of the plan.
    Element(Kind),
    /// A test of the bench.
    Test,
    /// A reading of a walk.
    Reading,
    /// An instrument.
    Instrument,
    /// A meter.
    Meter,
}

impl Subject {
    fn word(self) -> &'static str {
        match self {
            Self::Element(kind) => kind.word(),
            Self::Test => "test",
            Self::Reading => "reading",
            Self::Instrument => "instrument",
            Self::Meter => "meter",
        }
    }

    /// The kind of what the log says of it.
    fn logged(self) -> &'static str {
        match self {
            Self::Element(_) | Self::Instrument | Self::Meter => "change",
            Self::Test => "test",
            Self::Reading => "walk",
        }
    }

    pub(crate) fn parse(word: &str) -> Option<Self> {
        let others = [Self::Test, Self::Reading, Self::Instrument, Self::Meter];
        Kind::parse(word)
            .map(Self::Element)
            .or_else(|| others.into_iter().find(|it| it.word() == word))
    }
}

/// A body of something with its place among those of its kind; 0 where it has none.
pub(crate) type Placed<'a> = (i64, &'a Value);

/// A step that is being written.
pub(crate) struct Step<'a> {
    pub(crate) db: &'a Connection,
    pub(crate) site: &'a str,
    /// The counter of the site once the step is done.
    pub(crate) revision: i64,
    number: i64,
    words: String,
    /// The elements of the plan that were written.
    touched: Touched,
    /// The site as it was before the step, where it is held.
    held: Option<Revised>,
    /// What the log says that it is about: of which kind, and what.
    about: Option<(Subject, String)>,
}

impl<'a> Step<'a> {
    /// Begins a step of a site; what was undone before can no longer be done again.
    pub(crate) fn begin(
        db: &'a Connection,
        site: &'a str,
        words: &str,
        held: Option<Revised>,
    ) -> Result<Self, StoreError> {
        let revision = revision(db, site)? + 1;
        let sql = "SELECT max(step) FROM journal WHERE site = ?1";
        let last: Option<i64> = db
            .prepare_cached(sql)?
            .query_row([site], |row| row.get(0))?;
        db.prepare_cached("DELETE FROM journal WHERE site = ?1 AND undone = 1")?
            .execute([site])?;
        Ok(Self {
            db,
            site,
            revision,
            number: last.unwrap_or(0) + 1,
            words: words.to_owned(),
            touched: Touched::new(),
            held,
            about: None,
        })
    }

    /// Writes what something is from now on, none to take it away, and notes what it was.
    pub(crate) fn write(
        &mut self,
        subject: Subject,
        id: &str,
        before: Option<Placed<'_>>,
        after: Option<Placed<'_>>,
    ) -> Result<(), StoreError> {
        put(self.db, self.site, self.revision, subject, id, after)?;
        if self.about.is_none() {
            let body = after.or(before).map_or(&Value::Null, |it| it.1);
            let item = match subject {
                Subject::Reading => body["arrangement"].as_str().unwrap_or_default(),
                Subject::Test => body["body"]["of"]["id"].as_str().unwrap_or(id),
                _ => id,
            };
            self.about = Some((subject, item.to_owned()));
        }
        if let Subject::Element(kind) = subject {
            self.touched.insert((kind, id.to_owned()));
        }
        self.note(subject, id, before, after)
    }

    /// Notes in the journal what something was and is.
    fn note(
        &self,
        subject: Subject,
        id: &str,
        before: Option<Placed<'_>>,
        after: Option<Placed<'_>>,
    ) -> Result<(), StoreError> {
        let sql =
            "INSERT INTO journal (site, step, words, kind, element, position_before, before, \
            position_after, after)
                   VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9)";
        self.db.prepare_cached(sql)?.execute(params![
            self.site,
            self.number,
            self.words,
            subject.word(),
            id,
            before.map(|it| it.0),
            before.map(|it| it.1.to_string()),
            after.map(|it| it.0),
            after.map(|it| it.1.to_string())
        ])?;
        Ok(())
    }

    /// What the log says of it: that somebody walked along an arrangement is one thing, however
    /// many joints were read.
    fn told(&self, subject: Subject, item: &str) -> Result<String, StoreError> {
        if subject != Subject::Reading {
            return Ok(self.words.clone());
        }
        let sql = "SELECT json_extract(body, '$.label') FROM elements WHERE site = ?1 AND kind = \
            'arrangement' AND id = ?2";
        let label: Option<Option<String>> = self
            .db
            .query_row(sql, [self.site, item], |row| row.get(0))
            .optional()?;
        Ok(format!(
            "Walked along {}",
            label.flatten().unwrap_or_else(|| item.to_owned())
        ))
    }

    /// Ends the step: the plan that results is checked, and what is too old to be undone is
    /// forgotten.
    pub(crate) fn end(self) -> Result<Revised, StoreError> {
        let after = settle(
            self.db,
            self.site,
            self.revision,
            &self.touched,
            Anew::Written,
            self.held.as_ref(),
        )?;
        if let Some((subject, item)) = &self.about {
            crate::log::note_step(
                self.db,
                self.site,
                subject.logged(),
                item,
                &self.told(*subject, item)?,
            )?;
        }
        let oldest = self.number - MOST_STEPS;
        let sql = "DELETE FROM journal WHERE site = ?1 AND step <= ?2";
        self.db
            .prepare_cached(sql)?
            .execute(params![self.site, oldest])?;
        Ok(after)
    }
}

/// Writes or takes away what an entry of the journal is about.
pub(crate) fn put(
    db: &Connection,
    site: &str,
    revision: i64,
    subject: Subject,
    id: &str,
    after: Option<Placed<'_>>,
) -> Result<(), StoreError> {
    match (subject, after) {
        (Subject::Element(kind), Some((position, body))) => {
            crate::past::note(db, site, kind, id, body)?;
            insert(
                db,
                site,
                &Element {
                    kind,
                    id: id.to_owned(),
                    position,
                    revision,
                    body: body.clone(),
                },
            )?;
        }
        (Subject::Element(kind), None) => {
            let sql = "DELETE FROM elements WHERE site = ?1 AND kind = ?2 AND id = ?3";
            db.execute(sql, params![site, kind.word(), id])?;
        }
        (Subject::Test, after) => rows::put_test(db, site, revision, id, after.map(|it| it.1))?,
        (Subject::Reading, after) => rows::put_reading(db, site, id, after.map(|it| it.1))?,
        (Subject::Instrument, after) => rows::put_instrument(db, id, after.map(|it| it.1))?,
        (Subject::Meter, after) => rows::put_meter(db, id, after.map(|it| it.1))?,
    }
    Ok(())
}

/// The elements of the plan that a step touched.
pub(crate) type Touched = BTreeSet<(Kind, String)>;

/// Checks the plan that results, writes it in canonical form, and moves the counter on. Where the
/// site is held as it was before the step, what it touched is read, and nothing else.
pub(crate) fn settle(
    db: &Connection,
    site: &str,
    next: i64,
    touched: &Touched,
    anew: Anew,
    held: Option<&Revised>,
) -> Result<Revised, StoreError> {
    let after = match held.filter(|it| it.revision == next - 1) {
        Some(held) if touched.is_empty() => Revised {
            revision: next,
            ..held.clone()
        },
        Some(held) => part(db, site, next, held, touched, anew)?,
        None => whole(db, site, next, touched, anew)?,
    };
    let sql = "UPDATE sites SET revision = ?2, name = ?3 WHERE id = ?1";
    db.prepare_cached(sql)?
        .execute(params![site, next, after.plan.site.name])?;
    Ok(after)
}

/// Reads what was touched into the site that is held.
fn part(
    db: &Connection,
    site: &str,
    next: i64,
    held: &Revised,
    touched: &Touched,
    anew: Anew,
) -> Result<Revised, StoreError> {
    let is_touched = |it: &Element| {
        touched
            .iter()
            .any(|(kind, id)| *kind == it.kind && *id == it.id)
    };
    let mut now: Vec<Arc<Element>> = held
        .elements
        .iter()
        .filter(|it| !is_touched(it))
        .cloned()
        .collect();
    for (kind, id) in touched {
        now.extend(element(db, site, *kind, id)?.map(Arc::new));
    }
    now.sort_by(|one, other| one.rank().cmp(&other.rank()));
    let kinds = touched.iter().map(|it| it.0).collect();
    let rows = now
        .iter()
        .map(|it| (it.kind, it.id.as_str(), is_touched(it).then_some(&it.body)));
    let plan = held.rewritten(&kinds, &rows.collect::<Vec<_>>(), anew)?;
    let mut places: HashMap<Kind, usize> = HashMap::new();
    for it in &mut now {
        let place = places.entry(it.kind).or_default();
        if is_touched(it) {
            let body = plan.element(it.kind, *place);
            canonical(db, site, Arc::make_mut(it), body)?;
        }
        *place += 1;
    }
    Ok(Revised {
        plan: Arc::new(plan),
        revision: next,
        elements: Arc::new(now),
    })
}

/// Reads everything.
fn whole(
    db: &Connection,
    site: &str,
    next: i64,
    touched: &Touched,
    anew: Anew,
) -> Result<Revised, StoreError> {
    let mut now = elements(db, site)?;
    let written: Vec<&str> = match anew {
        Anew::Written => touched
            .iter()
            .filter(|it| it.0 == Kind::Outage)
            .map(|it| it.1.as_str())
            .collect(),
        Anew::Kept => Vec::new(),
    };
    let plan = put_together(&now, &written)?;
    let mut places: HashMap<Kind, usize> = HashMap::new();
    for it in &mut now {
        let place = places.entry(it.kind).or_default();
        canonical(db, site, it, plan.element(it.kind, *place))?;
        *place += 1;
    }
    Ok(Revised::read(plan, next, now))
}

/// Keeps an element as the format writes it.
fn canonical(
    db: &Connection,
    site: &str,
    element: &mut Element,
    body: Option<Value>,
) -> Result<(), StoreError> {
    if let Some(body) = body.filter(|it| *it != element.body) {
        element.body = body;
        insert(db, site, element)?;
    }
    Ok(())
}
