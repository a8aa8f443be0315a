//! A plan of which some elements are written anew: those are read, the others stay as they were
//! read before. The result is the same as reading the whole, refusals and their paths included, and
//! costs what was changed.

use super::{Outage, Plan};
use crate::ground::json::{FieldError, FromJson, Path, without_unseen};
use serde::Serialize;
use serde_json::{Map, Value};

/// The kind of an element: the list of the plan that it stands in. In the order in which a plan is
/// read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum ElementKind {
    /// The site's own facts; one per site, its id is `site`.
    Site,
    /// A device.
    Device,
    /// A source.
    Source,
    /// A converter.
    Converter,
    /// An arrangement.
    Arrangement,
    /// An outage.
    Outage,
}

impl ElementKind {
    /// Every kind.
    pub const ALL: [Self; 6] = [
        Self::Site,
        Self::Device,
        Self::Source,
        Self::Converter,
        Self::Arrangement,
        Self::Outage,
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        match self {
            Self::Site => "site",
            Self::Device => "device",
            Self::Source => "source",
            Self::Converter => "converter",
            Self::Arrangement => "arrangement",
            Self::Outage => "outage",
        }
    }

    /// The kind of a word.
    pub fn parse(word: &str) -> Option<Self> {
        Self::ALL.into_iter().find(|it| it.word() == word)
    }
}

/// Where an element of a rewritten list comes from.
#[derive(Debug, Clone, Copy)]
pub enum Comes<'a> {
    /// It stood at this place of the list before.
    Stays(usize),
    /// It was written now, and is judged as what is new.
    Written(&'a Value),
    /// It was kept from earlier: an outage that could be kept once is put right rather than
    /// refused.
    Kept(&'a Value),
}

impl Plan {
    /// This plan with some of its lists made anew, checked as a whole. `lists` says of a kind what
    /// its list consists of from now on; none where the list stays as it is. A site's list has one
    /// element.
    ///
    /// # Errors
    /// Names the first field that cannot be accepted, and the remedy; the same one that reading the
    /// whole plan would name.
    pub fn rewritten<'a>(
        &self,
        lists: impl Fn(ElementKind) -> Option<Vec<Comes<'a>>>,
    ) -> Result<Self, FieldError> {
        use ElementKind as Kind;
        let root = Path::Root;
        let kit = root.key("kit");
        let mut plan = self.clone();
        // There is one site, and its place in the document is no list.
        match lists(Kind::Site).as_deref() {
            None | Some([Comes::Stays(_), ..]) => {}
            Some([]) => {
                plan.site = FromJson::from_json(&Value::Object(Map::new()), &root.key("site"))?;
            }
            Some([Comes::Written(body) | Comes::Kept(body), ..]) => {
                plan.site = FromJson::from_json(&seen(body), &root.key("site"))?;
            }
        }
        rewrite(
            &mut plan.kit.devices,
            lists(Kind::Device),
            &kit.key("devices"),
            |_, _| {},
        )?;
        rewrite(
            &mut plan.kit.sources,
            lists(Kind::Source),
            &kit.key("sources"),
            |_, _| {},
        )?;
        rewrite(
            &mut plan.kit.converters,
            lists(Kind::Converter),
            &kit.key("converters"),
            |it, _| it.settle(),
        )?;
        rewrite(
            &mut plan.arrangements,
            lists(Kind::Arrangement),
            &root.key("arrangements"),
            |_, _| {},
        )?;
        rewrite(
            &mut plan.outages,
            lists(Kind::Outage),
            &root.key("outages"),
            |it: &mut Outage, new| {
                if !new {
                    it.put_right();
                }
            },
        )?;
        plan.check()?;
        Ok(plan)
    }

    /// How many elements of a kind there are.
    pub fn count(&self, kind: ElementKind) -> usize {
        match kind {
            ElementKind::Site => 1,
            ElementKind::Device => self.kit.devices.len(),
            ElementKind::Source => self.kit.sources.len(),
            ElementKind::Converter => self.kit.converters.len(),
            ElementKind::Arrangement => self.arrangements.len(),
            ElementKind::Outage => self.outages.len(),
        }
    }

    /// An element in canonical form: of a kind, at a place of its list; none where the list is
    /// shorter.
    pub fn element(&self, kind: ElementKind, place: usize) -> Option<Value> {
        fn canonical<T: Serialize>(it: Option<&T>) -> Option<Value> {
            it.and_then(|it| serde_json::to_value(it).ok())
        }
        match kind {
            ElementKind::Site => canonical(Some(&self.site).filter(|_| place == 0)),
            ElementKind::Device => canonical(self.kit.devices.get(place)),
            ElementKind::Source => canonical(self.kit.sources.get(place)),
            ElementKind::Converter => canonical(self.kit.converters.get(place)),
            ElementKind::Arrangement => canonical(self.arrangements.get(place)),
            ElementKind::Outage => canonical(self.outages.get(place)),
        }
    }
}

/// A body without what is not seen: what was kept before such characters were refused is made
/// harmless.
fn seen(body: &Value) -> Value {
    let mut body = body.clone();
    without_unseen(&mut body);
    body
}

/// Makes a list anew. `ready` gets what was read and whether it is new.
fn rewrite<T: FromJson>(
    list: &mut Vec<T>,
    comes: Option<Vec<Comes<'_>>>,
    at: &Path<'_>,
    ready: impl Fn(&mut T, bool),
) -> Result<(), FieldError> {
    let Some(comes) = comes else { return Ok(()) };
    let read = |body: &Value, place: usize, new: bool| {
        let mut it = T::from_json(&seen(body), &at.index(place))?;
        ready(&mut it, new);
        Ok(it)
    };
    let mut was: Vec<Option<T>> = std::mem::take(list).into_iter().map(Some).collect();
    list.reserve(comes.len());
    for (place, it) in comes.into_iter().enumerate() {
        match it {
            Comes::Stays(at) => list.extend(was.get_mut(at).and_then(Option::take)),
            Comes::Written(body) => list.push(read(body, place, true)?),
            Comes::Kept(body) => list.push(read(body, place, false)?),
        }
    }
    Ok(())
}
