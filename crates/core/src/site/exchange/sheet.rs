//! Text as rows: commas, semicolons or tabs, with or without quotes, as spreadsheets write and copy
//! it.

/// A row with the number of its line, from 1.
pub(super) struct Row {
    pub(super) line: usize,
    pub(super) cells: Vec<String>,
}

/// The rows of a text that hold anything. What parts the cells is told from the first line that
/// does.
///
/// # Errors
/// Where a quote is never closed or a row is not text.
pub(super) fn rows(text: &str) -> Result<Vec<Row>, String> {
    let text = text.trim_start_matches('\u{feff}');
    let first = text
        .lines()
        .find(|it| !it.trim().is_empty())
        .unwrap_or_default();
    let marks = [b'\t', b';', b','];
    let count = |mark: u8| first.bytes().filter(|it| *it == mark).count();
    // A tab is never part of a cell; of the others the more frequent one.
    let mark = if count(b'\t') > 0 {
        b'\t'
    } else {
        marks
            .into_iter()
            .max_by_key(|it| (count(*it), *it == b';'))
            .unwrap_or(b',')
    };
    let mut reader = csv::ReaderBuilder::new()
        .delimiter(mark)
        .has_headers(false)
        .flexible(true)
        .trim(csv::Trim::All)
        .from_reader(text.as_bytes());
    let mut rows = Vec::new();
    for record in reader.records() {
        let record = record.map_err(|error| format!("the table cannot be read: {error}"))?;
        let line = record
            .position()
            .map_or(0, |it| usize::try_from(it.line()).unwrap_or(0));
        let cells: Vec<String> = record
            .iter()
            .map(|it| super::meant(it).to_owned())
            .collect();
        if cells.iter().any(|it| !it.is_empty()) {
            rows.push(Row { line, cells });
        }
    }
    Ok(rows)
}

/// A header as a column is looked up by: "Power (W)" is `power`.
pub(super) fn plain(header: &str) -> String {
    let bare = header.split(['(', '[']).next().unwrap_or_default();
    let lower = bare.trim().to_lowercase();
    lower
        .split(|it: char| !it.is_alphanumeric())
        .filter(|it| !it.is_empty())
        .collect::<Vec<_>>()
        .join("_")
}
