//! Files of loggers and scopes: looked at, read and kept as they come, and read again.

use super::lines::Lines;
use super::tests::{json, now, one, read};
use crate::bodies::bench::{FileAsked, Looked, LookedColumn, Tested};
use crate::error::ApiError;
use ash_pond_core::bench::{Digest, Protocol, Reader, Test, digest, fine_s};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::{Store, StoreError, TestStep};

/// Longest file that is kept with a test, bytes.
const MOST_FILE: usize = 400_000_000;
/// Lines that a file's columns are guessed by.
const LOOKED_AT: usize = 200;

/// A piece of a file that is coming.
pub(crate) enum Piece {
    /// Some of its bytes.
    Bytes(Vec<u8>),
    /// It came whole.
    End,
}

/// Keeps a file with a test as it comes, and finds in it what the test asks for. It counts once it
/// came whole: where it breaks off, or cannot be read, the test and its earlier file stay what they
/// were, and what came of it goes.
pub(crate) fn keep_file(
    store: &Store,
    (site, id): (&str, &str),
    based_on: Option<i64>,
    asked: &FileAsked,
    parts: impl Iterator<Item = Piece>,
) -> Result<Tested, ApiError> {
    let row = store.test(site, id)?;
    if let Some(yours) = based_on.filter(|it| *it != row.revision) {
        let (kind, id, current) = ("test", id.to_owned(), row.revision);
        return Err(StoreError::Stale {
            kind,
            id,
            yours,
            current,
            body: Some(row.body),
        }
        .into());
    }
    let test = read(site, &row)?;
    let plan = store.plan(site)?.plan;
    let upload = store.begin_upload();
    let kept =
        take_file(store, (site, id, &upload.name), &plan, &test, asked, parts).and_then(|found| {
            let found = json(&found)?;
            store.change_test::<ApiError>(site, id, None, &now(), |before, row| {
                let mut body = row.body.clone();
                body["file"] = found;
                let words = format!(
                    "{}: file given ({})",
                    before.plan.label(&test.of.id),
                    test.protocol
                );
                let upload = Some(upload.name.clone());
                Ok(TestStep {
                    body: Some(body),
                    upload,
                    words,
                    ..TestStep::default()
                })
            })
        });
    drop(upload);
    store.sweep_uploads()?;
    kept?;
    one(store, site, id)
}

fn take_file(
    store: &Store,
    (site, id, upload): (&str, &str, &str),
    plan: &Plan,
    test: &Test,
    asked: &FileAsked,
    parts: impl Iterator<Item = Piece>,
) -> Result<Digest, ApiError> {
    let protocol = Protocol::named(&test.protocol);
    let protocol =
        protocol.ok_or_else(|| ApiError::at("protocol", format!("is \"{}\"", test.protocol)))?;
    let reader = Reader::default().thrifty(fine_s(protocol));
    let mut lines = Lines::new(match asked.picks()? {
        Some(picks) => reader.picked(picks),
        None => reader,
    });
    let wrong = |why: String| ApiError::at("file", why);
    let mut length = 0;
    let mut is_whole = false;
    for (index, piece) in parts.enumerate() {
        let Piece::Bytes(bytes) = piece else {
            is_whole = true;
            break;
        };
        length += bytes.len();
        if length > MOST_FILE {
            return Err(wrong(format!(
                "is longer than {} MB; thin it out",
                MOST_FILE / 1_000_000
            )));
        }
        lines.take(&bytes).map_err(wrong)?;
        store.keep_part(
            site,
            id,
            upload,
            u32::try_from(index).unwrap_or(u32::MAX),
            &bytes,
        )?;
    }
    if !is_whole {
        return Err(wrong(
            "broke off on its way, and the earlier one stays; give it again".into(),
        ));
    }
    let name = asked.name.as_deref().unwrap_or_default();
    digest(plan, protocol, &lines.end().map_err(wrong)?, name).map_err(ApiError::from)
}

/// What the columns of a file seem to hold, by its begin.
pub(crate) fn look(text: &str, asked: &FileAsked) -> Result<Looked, ApiError> {
    let mut reader = Reader::default();
    if let Some(picks) = asked.picks()? {
        reader = reader.picked(picks);
    }
    // The last line may be cut off in its middle.
    let whole = text.rfind('\n').map_or(text, |it| &text[..it]);
    let mut wrong = None;
    for line in whole.trim_start_matches('\u{feff}').lines().take(LOOKED_AT) {
        if let Err(found) = reader.line(line) {
            wrong = Some(found.to_string());
            break;
        }
    }
    let log = match (reader.end(), &wrong) {
        (Ok(log), _) => log,
        (Err(_), Some(why)) => return Err(ApiError::at("file", why.clone())),
        (Err(found), None) => return Err(ApiError::at("file", found.to_string())),
    };
    let columns = log
        .columns
        .iter()
        .zip(&log.values)
        .map(|(column, values)| LookedColumn {
            head: column.head.clone(),
            holds: column.holds,
            scale: column.scale,
            first: values
                .iter()
                .take(5)
                .map(|it| it.is_finite().then_some(*it))
                .collect(),
        });
    Ok(Looked {
        columns: columns.collect(),
        wrong,
    })
}
