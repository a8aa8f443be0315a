//! Outages: marched through once or many times, what to drop, how to come back, and what is taken
//! along.

use crate::bodies::outage::{
    ChancesQuestion, ChancesTold, FillsQuestion, OutageQuestion, RechargeQuestion, ShedQuestion,
    StartsQuestion,
};
use crate::error::ApiError;
use crate::usecase::answers::{Answer, Answers, key};
use crate::usecase::preview;
use ash_pond_core::advice::charge::{Fills, RechargeAsk, Recharged, fills, recharge};
use ash_pond_core::ground::figure::Figure;
use ash_pond_core::ground::say::Habits;
use ash_pond_core::site::exchange::harmless;
use ash_pond_core::site::plan::{Arrangement, Id, Outage, Plan};
use ash_pond_core::time::outage::{
    self, Handle, MOST_RUNS, Sky, headline, owner, shed_board, simulate, starts, tell, with_drop,
};
use ash_pond_store::Store;
use std::sync::Arc;

/// Moments in a series where nothing is said.
const MOMENTS: u32 = 288;

/// A question made ready: the plan, the arrangement's id, and the outage with what is dropped.
pub(crate) struct Ready {
    plan: Arc<Plan>,
    way: String,
    outage: Outage,
}

impl Ready {
    pub(crate) fn way(&self) -> &Arrangement {
        // It was looked up when the question was read, and the plan has not changed since.
        let found = self.plan.arrangement(&self.way);
        found.unwrap_or_else(|| &self.plan.arrangements[0])
    }
}

/// Reads a question.
pub(crate) fn ready(
    store: &Store,
    site: &str,
    question: &OutageQuestion,
) -> Result<Ready, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let Some(way) = plan.arrangement(&question.arrangement) else {
        let why = format!(
            "is \"{}\", and no arrangement has that id",
            question.arrangement
        );
        return Err(ApiError::at("arrangement", why));
    };
    let found = plan
        .outages
        .iter()
        .find(|it| it.id.as_str() == question.outage);
    let Some(outage) = found else {
        return Err(ApiError::at(
            "outage",
            format!("is \"{}\", and no outage has that id", question.outage),
        ));
    };
    let mut outage = outage.clone();
    if question.use_everything.is_some() {
        outage.use_everything = question.use_everything;
    }
    for (index, it) in question.drop.iter().enumerate() {
        let at = |field: &str| format!("drop[{index}].{field}");
        let Ok(device) = Id::new(&it.device) else {
            return Err(ApiError::at(&at("device"), "is no id"));
        };
        let below = preview::within(&at("below_soc"), it.below_soc.unwrap_or(1.0))?;
        let Some(dropped) = with_drop(way, &outage, &device, below) else {
            let why = format!("is \"{}\", which this arrangement does not feed", it.device);
            return Err(ApiError::at(&at("device"), why));
        };
        outage = dropped;
    }
    let way = question.arrangement.clone();
    Ok(Ready { plan, way, outage })
}

/// An outage, told.
pub(crate) fn told(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &OutageQuestion,
) -> Result<Answer, ApiError> {
    let moments = question.moments.unwrap_or(MOMENTS);
    if !(12..=2000).contains(&moments) {
        return Err(ApiError::at(
            "moments",
            format!("is {moments}; ask for 12 to 2000"),
        ));
    }
    let it = ready(store, site, question)?;
    answers.answer(&it.plan, "outage", question, || {
        Ok(tell(&it.plan, it.way(), &it.outage, moments))
    })
}

/// Checks a question about many runs before they begin.
pub(crate) fn ready_for_many(
    store: &Store,
    site: &str,
    question: &ChancesQuestion,
) -> Result<Ready, ApiError> {
    if !(1..=MOST_RUNS).contains(&question.runs) {
        return Err(ApiError::at(
            "runs",
            format!("is {}; ask for 1 to {MOST_RUNS}", question.runs),
        ));
    }
    ready(store, site, &question.of)
}

/// Marches many times; none where it was cancelled.
pub(crate) fn many(
    ready: &Ready,
    question: &ChancesQuestion,
    answers: &Answers,
    handle: &Handle,
) -> Option<ChancesTold> {
    let asked = OutageQuestion {
        changes: Vec::new(),
        moments: None,
        ..question.of.clone()
    };
    let key = key(&ready.plan, &(&asked, question.runs, question.seed));
    let found = answers.chances.find(&key);
    let cached = found.is_some();
    let chances = match found {
        Some(it) => it,
        None => {
            let way = ready.way();
            let chances = outage::chances(
                &ready.plan,
                way,
                &ready.outage,
                question.runs,
                question.seed,
                handle,
            )
            .map(Arc::new)?;
            answers.chances.keep(key, Arc::clone(&chances), |_| 0);
            chances
        }
    };
    let found = simulate(&ready.plan, ready.way(), &ready.outage, None);
    let headline = headline(
        &ready.plan,
        ready.way(),
        &ready.outage,
        &found,
        Some(&chances),
    );
    let keeps = first_of(ready);
    let owner = keeps.and_then(|it| owner(&ready.plan, &chances, &it));
    Some(ChancesTold {
        headline,
        owner,
        chances: Arc::unwrap_or_clone(chances),
        cached,
    })
}

/// The device that it is all for.
fn first_of(ready: &Ready) -> Option<String> {
    let devices = ready.plan.kit.devices.iter();
    let fed = devices.filter(|it| ready.way().feed_into(it.id.as_str()).is_some());
    let rank = |it: &ash_pond_core::site::plan::Device| {
        it.priority.as_ref().map_or(f64::INFINITY, Figure::get)
    };
    fed.min_by(|a, b| rank(a).total_cmp(&rank(b)))
        .map(|it| it.id.to_string())
}

/// What dropping buys.
pub(crate) fn shed(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &ShedQuestion,
) -> Result<Answer, ApiError> {
    let it = ready(store, site, &question.of)?;
    let below = question
        .below_soc
        .map(|it| preview::within("below_soc", it))
        .transpose()?;
    answers.answer(&it.plan, "shed", question, || {
        shed_board(&it.plan, it.way(), &it.outage, &question.together, below)
            .map_err(ApiError::from)
    })
}

/// In which order everything starts.
pub(crate) fn start_order(
    store: &Store,
    answers: &Answers,
    site: &str,
    question: &StartsQuestion,
) -> Result<Answer, ApiError> {
    let it = ready(store, site, &question.of)?;
    preview::charge(&it.plan, &question.soc)?;
    answers.answer(&it.plan, "starts", question, || {
        Ok(starts(&it.plan, it.way(), &it.outage, &question.soc))
    })
}

/// How a store fills up again by what is wired.
pub(crate) fn refill(
    store: &Store,
    site: &str,
    question: &RechargeQuestion,
) -> Result<Recharged, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    let missing = |field: &str, id: &str| {
        ApiError::at(field, format!("is \"{id}\", and nothing here has that id"))
    };
    let way = plan.arrangement(&question.arrangement);
    let way = way.ok_or_else(|| missing("arrangement", &question.arrangement))?;
    let outage = question.outage.as_ref().map(|id| {
        plan.outages
            .iter()
            .find(|it| it.id.as_str() == id)
            .ok_or_else(|| missing("outage", id))
    });
    let mut ask = RechargeAsk::of(&question.source);
    ask.from_soc = question.from_soc;
    if !question.levels.is_empty() {
        ask.levels.clone_from(&question.levels);
    }
    ask.modes.clone_from(&question.modes);
    ask.mains = !question.no_mains;
    ask.sky = if question.clear {
        Sky::Clear
    } else {
        Sky::Usual
    };
    ask.tilt_deg = question.tilt_deg.unwrap_or(ask.tilt_deg);
    let field = |it: &str| {
        match it {
            "from" => "from_soc",
            "to" => "levels",
            "mode" => "modes",
            "tilt" => "tilt_deg",
            other => other,
        }
        .to_owned()
    };
    recharge(&plan, way, outage.transpose()?, &ask)
        .map_err(|it| ApiError::at(&field(&it.path), it.message))
}

/// What fills what.
pub(crate) fn what_fills(
    store: &Store,
    site: &str,
    question: &FillsQuestion,
) -> Result<Fills, ApiError> {
    let plan = preview::plan(store, site, &question.changes)?;
    fills(&plan).map_err(ApiError::from)
}

/// Something to take along: what its file is called, without its ending, and its text.
pub(crate) struct Taken {
    pub(crate) stem: String,
    pub(crate) text: String,
}

/// What a file is called: by the present names of the outage and the arrangement, and by their ids
/// where a name has no letter that every file system takes.
fn stem(outage: &Outage, way: &Arrangement) -> String {
    let words = |label: &str, id: &str| {
        let letters = label
            .to_lowercase()
            .replace(|it: char| !it.is_ascii_alphanumeric(), " ");
        let words = letters.split_whitespace().collect::<Vec<_>>().join("-");
        if words.is_empty() {
            id.to_owned()
        } else {
            words
        }
    };
    format!(
        "{}-{}",
        words(&outage.label, outage.id.as_str()),
        words(&way.label, way.id.as_str())
    )
}

/// What to do when, as a calendar.
pub(crate) fn calendar(
    store: &Store,
    site: &str,
    question: &OutageQuestion,
    habits: Habits,
) -> Result<Taken, ApiError> {
    use icalendar::{Calendar, Component, Event};
    let it = ready(store, site, question)?;
    let told = tell(
        &it.plan,
        it.way(),
        &it.outage,
        question.moments.unwrap_or(MOMENTS),
    );
    let mut calendar = Calendar::new();
    calendar.name(&format!("{}: {}", it.plan.site.name, it.outage.label));
    for (index, todo) in told.todo.iter().enumerate() {
        // Local times without a zone: they mean what the clock on the wall shows.
        let stamp: String = todo
            .at
            .chars()
            .filter(|it| *it != '-' && *it != ':')
            .collect::<String>()
            + "00";
        let mut event = Event::new();
        event.uid(&format!(
            "{site}-{}-{}-{index}@ash-pond",
            question.arrangement, question.outage
        ));
        // Lines are folded here, so that sentences are rendered before.
        event.summary(&todo.what.render(&habits));
        event.add_property("DTSTART", &stamp);
        event.add_property("DURATION", "PT10M");
        event.add_property("DTSTAMP", format!("{stamp}Z"));
        event.add_property("CATEGORIES", todo.kind);
        calendar.push(event.done());
    }
    Ok(Taken {
        stem: stem(&it.outage, it.way()),
        text: calendar.to_string(),
    })
}

/// The series of an outage as a table, or its events.
pub(crate) fn table(
    store: &Store,
    site: &str,
    question: &OutageQuestion,
    events: bool,
    habits: Habits,
) -> Result<Taken, ApiError> {
    let it = ready(store, site, question)?;
    let told = tell(
        &it.plan,
        it.way(),
        &it.outage,
        question.moments.unwrap_or(MOMENTS),
    );
    let mut writer = csv::Writer::from_writer(Vec::new());
    let broken = |error: csv::Error| ApiError::at("", error.to_string());
    let found = &told.simulation;
    if events {
        writer
            .write_record(["at_h", "clock", "what", "item", "cause"])
            .map_err(broken)?;
        let clock = outage::Clock::of(&it.plan, &it.outage);
        for event in &found.events {
            let at = clock
                .date(event.at_h * 3600.0)
                .strftime("%Y-%m-%dT%H:%M:%S")
                .to_string();
            let row = [
                format!("{:.4}", event.at_h),
                at,
                event.what.clone(),
                event.item.clone(),
                // Rendered before the cell is quoted: a decimal comma would part it.
                event
                    .cause
                    .iter()
                    .map(|it| it.render(&habits))
                    .collect::<Vec<_>>()
                    .join(" < "),
            ];
            writer
                .write_record(row.iter().map(|it| harmless(it).into_owned()))
                .map_err(broken)?;
        }
    } else if let Some(series) = &found.series {
        let mut head = vec!["at_h".to_owned(), "mains".to_owned()];
        head.extend(series.soc.keys().map(|it| format!("{it} soc")));
        head.extend(series.source_w.keys().map(|it| format!("{it} watts")));
        head.extend(series.source_v.keys().map(|it| format!("{it} volts")));
        head.extend(
            series
                .charged_w
                .keys()
                .map(|it| format!("{it} charged watts")),
        );
        head.extend(series.device_w.keys().map(|it| format!("{it} watts")));
        head.extend(series.device_v.keys().map(|it| format!("{it} volts")));
        writer
            .write_record(head.iter().map(|it| harmless(it).into_owned()))
            .map_err(broken)?;
        for (index, at_h) in series.at_h.iter().enumerate() {
            let mut row = vec![
                format!("{at_h:.4}"),
                if series.mains[index] { "on" } else { "out" }.to_owned(),
            ];
            let maps = [
                (&series.soc, 5),
                (&series.source_w, 3),
                (&series.source_v, 3),
                (&series.charged_w, 3),
                (&series.device_w, 3),
                (&series.device_v, 3),
            ];
            for (map, digits) in maps {
                row.extend(
                    map.values().map(|it| {
                        format!("{:.digits$}", it.get(index).copied().unwrap_or_default())
                    }),
                );
            }
            writer.write_record(&row).map_err(broken)?;
        }
    }
    let bytes = writer
        .into_inner()
        .map_err(|error| ApiError::at("", error.to_string()))?;
    let what = if events { "-events" } else { "" };
    let stem = stem(&it.outage, it.way()) + what;
    Ok(Taken {
        stem,
        text: String::from_utf8_lossy(&bytes).into_owned(),
    })
}
