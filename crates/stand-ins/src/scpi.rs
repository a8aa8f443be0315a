//! What instruments that speak SCPI on TCP share: lines in, lines out, and headers in their long
//! and short forms.

use anyhow::Result;
use tokio::io::{AsyncBufReadExt, AsyncReadExt, AsyncWriteExt, BufReader};
use tokio::net::TcpListener;

/// What an overload reads, by SCPI.
pub(crate) const OVERLOAD: &str = "9.9E37";
/// Longest command, bytes.
const LONGEST: u64 = 1024;

/// What an instrument does with a command.
#[derive(Debug, Clone, PartialEq)]
pub(crate) enum Answer {
    /// It answers a line.
    Line(String),
    /// It answers nothing.
    Nothing,
    /// It is dead, and goes away.
    Gone,
}

/// Whether a header is a command in its long or its short form: `MEASure:VOLTage?` is `MEAS:VOLT?`
/// too.
pub(crate) fn is(header: &str, command: &str) -> bool {
    let parts = |text: &str| text.split(':').map(str::to_owned).collect::<Vec<_>>();
    let (given, wanted) = (parts(header), parts(command));
    given.len() == wanted.len()
        && given.iter().zip(&wanted).all(|(given, wanted)| {
            let short: String = wanted
                .chars()
                .filter(|it| !it.is_ascii_lowercase())
                .collect();
            *given == wanted.to_ascii_uppercase() || *given == short
        })
}

/// A command as its header, in capitals, and what follows.
pub(crate) fn parted(line: &str) -> (String, &str) {
    let (header, rest) = line
        .trim()
        .split_once(char::is_whitespace)
        .unwrap_or((line.trim(), ""));
    (header.to_ascii_uppercase(), rest.trim())
}

/// The channel of a list such as `(@1)`; the first where none is named, none where it is no list of
/// one.
pub(crate) fn channel(list: &str) -> Option<usize> {
    if list.is_empty() {
        return Some(1);
    }
    list.strip_prefix("(@")?.strip_suffix(')')?.parse().ok()
}

/// Answers on a listener for as long as it is polled.
///
/// # Errors
/// Where the listener fails.
pub(crate) async fn serve(
    listener: TcpListener,
    answer: impl Fn(&str) -> Answer + Clone + Send + Sync + 'static,
) -> Result<()> {
    loop {
        let (stream, _) = listener.accept().await?;
        let answer = answer.clone();
        tokio::spawn(async move {
            let (read, mut write) = stream.into_split();
            let mut lines = BufReader::new(read);
            loop {
                let mut line = Vec::new();
                match (&mut lines)
                    .take(LONGEST)
                    .read_until(b'\n', &mut line)
                    .await
                {
                    Ok(read) if read > 0 && line.ends_with(b"\n") => {}
                    _ => break,
                }
                let told = match answer(&String::from_utf8_lossy(&line)) {
                    Answer::Line(told) => told,
                    Answer::Nothing => continue,
                    Answer::Gone => break,
                };
                if write
                    .write_all(format!("{told}\n").as_bytes())
                    .await
                    .is_err()
                {
                    break;
                }
            }
        });
    }
}
