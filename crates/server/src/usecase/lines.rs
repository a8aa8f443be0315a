//! Files of loggers and scopes taken apart into lines, as they come and where they are kept.

use ash_pond_core::bench::{Digest, Log, Protocol, Reader, Test, digest, fine_s};
use ash_pond_core::site::plan::Plan;
use ash_pond_store::Store;

/// A longer line is none of a table, bytes.
const LONGEST_LINE: usize = 1 << 20;

/// What a file shows, read again from where it is kept.
pub(super) fn read_again(
    store: &Store,
    (site, id, upload): (&str, &str, &str),
    plan: &Plan,
    test: &Test,
) -> Result<Digest, String> {
    let protocol = Protocol::named(&test.protocol)
        .ok_or_else(|| format!("there is no test \"{}\"", test.protocol))?;
    let mut lines = Lines::new(Reader::default().thrifty(fine_s(protocol)));
    let mut part = 0;
    while let Some(bytes) = store
        .file_part(site, id, upload, part)
        .map_err(|it| it.to_string())?
    {
        lines.take(&bytes)?;
        part += 1;
    }
    digest(plan, protocol, &lines.end()?, "").map_err(|it| it.message)
}

/// Bytes taken apart into lines for a reader; a line may begin in one part and end in the next.
pub(super) struct Lines {
    reader: Reader,
    rest: Vec<u8>,
    is_first: bool,
}

impl Lines {
    pub(super) fn new(reader: Reader) -> Self {
        Self {
            reader,
            rest: Vec::new(),
            is_first: true,
        }
    }

    pub(super) fn take(&mut self, bytes: &[u8]) -> Result<(), String> {
        let mut from = 0;
        while let Some(at) = bytes[from..].iter().position(|it| *it == b'\n') {
            let line = &bytes[from..from + at];
            from += at + 1;
            if self.rest.is_empty() {
                Self::line(&mut self.reader, &mut self.is_first, line)?;
            } else {
                self.rest.extend_from_slice(line);
                Self::line(&mut self.reader, &mut self.is_first, &self.rest)?;
                self.rest.clear();
            }
        }
        self.rest.extend_from_slice(&bytes[from..]);
        if self.rest.len() > LONGEST_LINE {
            return Err("holds a line of more than a megabyte; it is no table".into());
        }
        Ok(())
    }

    fn line(reader: &mut Reader, is_first: &mut bool, bytes: &[u8]) -> Result<(), String> {
        let text = std::str::from_utf8(bytes)
            .map_err(|_| "is no text in UTF-8; save it as CSV in UTF-8".to_owned())?;
        let text = if std::mem::take(is_first) {
            text.trim_start_matches('\u{feff}')
        } else {
            text
        };
        reader.line(text).map_err(|wrong| wrong.to_string())
    }

    pub(super) fn end(mut self) -> Result<Log, String> {
        let rest = std::mem::take(&mut self.rest);
        Self::line(&mut self.reader, &mut self.is_first, &rest)?;
        self.reader.end().map_err(|wrong| wrong.to_string())
    }
}
