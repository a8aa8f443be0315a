//! `export` and `import`: a site of a data folder as a file, and a file into it.

use super::common::{Stop, print};
use ash_pond_core::site::entry::DecimalMark;
use ash_pond_core::site::exchange::{Preview, Table, preview, table};
use ash_pond_store::{Edit, Kind, Store};
use std::fs::File;
use std::io::Read as _;
use std::path::PathBuf;

/// What is written, and of which site.
#[derive(Debug, clap::Args)]
pub(super) struct ExportArgs {
    /// Folder of the data
    #[arg(long, value_name = "DIR")]
    data: PathBuf,
    /// Id of the site [default: the only one]
    #[arg(long, value_name = "ID")]
    site: Option<String>,
    /// plan (JSON), devices, sources or converters (CSV), or archive: the whole site with its
    /// tests, files, walks and readings (zip)
    #[arg(long = "as", value_name = "WHAT", default_value = "plan")]
    what: String,
    /// The file of an archive
    #[arg(long, value_name = "FILE")]
    to: Option<PathBuf>,
}

/// What is read, and into which site.
#[derive(Debug, clap::Args)]
pub(super) struct ImportArgs {
    /// A plan file, a CSV table, or with --new an archive of a site
    file: PathBuf,
    /// Folder of the data
    #[arg(long, value_name = "DIR")]
    data: PathBuf,
    /// Id of the site [default: the only one]
    #[arg(long, value_name = "ID", conflicts_with = "new")]
    site: Option<String>,
    /// Open a plan file or an archive as a site of its own
    #[arg(long)]
    new: bool,
    /// Read commas as decimal marks
    #[arg(long)]
    decimal_comma: bool,
    /// Change the site; without it only what would change is told
    #[arg(long)]
    yes: bool,
}

/// Writes to standard output.
pub(super) fn export(args: &ExportArgs) -> Result<(), Stop> {
    let store = Store::open(&args.data)?;
    let id = site(&store, args.site.as_deref())?;
    match (args.what.as_str(), &args.to) {
        ("archive", Some(to)) => {
            let bytes = store.archive(&id, to, &crate::usecase::tests::now(), true)?;
            return print(&format!(
                "{} holds the site {id}: {bytes} bytes.\n",
                to.display()
            ));
        }
        ("archive", None) => return Err(Stop::Input("--to: name the file of the archive".into())),
        (_, Some(_)) => {
            return Err(Stop::Input(
                "--to: only an archive is written to a file; use > FILE".into(),
            ));
        }
        _ => {}
    }
    let plan = store.plan(&id)?.plan;
    if args.what == "plan" {
        return print(&plan.to_text());
    }
    let known = Table::ALL.iter().copied().find(|it| it.word() == args.what);
    let refused = || {
        Stop::Input(format!(
            "--as: is \"{}\"; use one of plan, devices, sources, converters, archive",
            args.what
        ))
    };
    print(&table(&plan, known.ok_or_else(refused)?))
}

/// Tells what a file would change, and with `--yes` changes it.
pub(super) fn import(args: &ImportArgs) -> Result<(), Stop> {
    let unreadable = |error| Stop::Input(format!("{}: {error}", args.file.display()));
    let store = Store::open(&args.data)?;
    if args.new {
        let is_zip = File::open(&args.file).and_then(|mut it| {
            let mut begin = [0; 4];
            it.read_exact(&mut begin).map(|()| begin == *b"PK\x03\x04")
        });
        let id = if is_zip.unwrap_or(false) {
            store
                .open_archive(&args.file)
                .map_err(|error| Stop::Input(format!("{}: {error}", args.file.display())))?
        } else {
            store.create_site(&super::common::plan(&args.file)?)?
        };
        return print(&format!("Opened as the site {id}.\n"));
    }
    let text = std::fs::read_to_string(&args.file).map_err(unreadable)?;
    let site = site(&store, args.site.as_deref())?;
    let decimal = if args.decimal_comma {
        DecimalMark::Comma
    } else {
        DecimalMark::Point
    };
    let seen = preview(&store.plan(&site)?.plan, &text, None, decimal);
    print(&told(&seen))?;
    let nothing = seen.changes.is_empty();
    if nothing && !seen.problems.is_empty() {
        return Err(Stop::Input(format!(
            "{}: nothing of it can be read",
            args.file.display()
        )));
    }
    if nothing || !args.yes {
        return if nothing {
            Ok(())
        } else {
            print("Nothing is changed yet; say --yes.\n")
        };
    }
    let edits = seen.changes.into_iter().filter_map(|it| {
        let kind = Kind::parse(&it.kind)?;
        Some(Edit {
            kind,
            id: it.id,
            based_on: None,
            body: Some(it.body),
        })
    });
    let edits: Vec<Edit> = edits.collect();
    store.change(
        &site,
        &edits,
        &format!("imported: {}", seen.headline.trim_end_matches('.')),
    )?;
    print("Done.\n")
}

fn told(seen: &Preview) -> String {
    let mut text = format!("{}\n", seen.headline);
    for it in seen.added.iter().chain(&seen.changed) {
        text += &format!("  {}\n", it.words);
    }
    for it in &seen.problems {
        let row = it
            .row
            .map_or_else(String::new, |row| format!("row {row}, "));
        let column = it.column.as_deref().unwrap_or("all of it");
        text += &format!("  not read: {row}{column}: {}; {}\n", it.message, it.remedy);
    }
    text
}

/// The site that is named, or the only one.
fn site(store: &Store, named: Option<&str>) -> Result<String, Stop> {
    let known: Vec<String> = store.sites()?.into_iter().map(|it| it.id).collect();
    let refused = |why: &str| Stop::Input(format!("--site: {why}; there are {}", known.join(", ")));
    match (named, &known[..]) {
        (Some(id), _) if known.iter().any(|it| it == id) => Ok(id.to_owned()),
        (Some(id), _) => Err(refused(&format!("no site is called \"{id}\""))),
        (None, [only]) => Ok(only.clone()),
        (None, _) => Err(refused("name one")),
    }
}
