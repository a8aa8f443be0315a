//! No line of code, comment or Markdown is longer than a reader's screen is wide.

use anyhow::{Result, bail};
use std::path::{Path, PathBuf};

/// The most characters of a line.
const MOST: usize = 120;
/// Where what people write lies; the files beside them are looked at too.
const FOLDERS: [&str; 6] = ["crates", "docs", "xtask", "web/src", "web/tests", ".ci"];
/// What people read as text. Data (JSON, CSV) and pictures are made or measured.
const KINDS: [&str; 8] = ["rs", "ts", "vue", "css", "md", "toml", "js", "py"];
/// Written by `cargo xtask gen-api`.
const MADE: &str = "web/src/api/types.ts";

/// Fails with every line that is too long, by its file and its number.
pub(crate) fn check(root: &Path) -> Result<()> {
    let mut files = Vec::new();
    entries(root, false, &mut files)?;
    for folder in FOLDERS {
        entries(&root.join(folder), true, &mut files)?;
    }
    files.sort();
    let mut found = Vec::new();
    for file in files.iter().filter(|it| **it != root.join(MADE)) {
        let text = std::fs::read_to_string(file)?;
        let name = file.strip_prefix(root).unwrap_or(file).display();
        found.extend(too_long(&text).map(|(line, long)| format!("{name}:{line}: {long}")));
    }
    if !found.is_empty() {
        bail!(
            "lines of more than {MOST} characters:\n{}",
            found.join("\n")
        );
    }
    Ok(())
}

/// The files of a folder that people read as text, and of the folders in it where they are `deep`.
fn entries(folder: &Path, deep: bool, into: &mut Vec<PathBuf>) -> Result<()> {
    let Ok(there) = std::fs::read_dir(folder) else {
        return Ok(());
    };
    for entry in there {
        let entry = entry?;
        let path = entry.path();
        let name = entry.file_name();
        if entry.file_type()?.is_dir() {
            if deep && name != "node_modules" && name != "target" {
                entries(&path, true, into)?;
            }
        } else if path
            .extension()
            .is_some_and(|it| KINDS.iter().any(|kind| it == *kind))
        {
            into.push(path);
        }
    }
    Ok(())
}

/// Numbers of the lines that are too long, from 1 on, and how long they are.
fn too_long(text: &str) -> impl Iterator<Item = (usize, usize)> + '_ {
    let long = text.lines().map(|line| line.chars().count());
    (1..).zip(long).filter(|(_, long)| *long > MOST)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn characters_are_counted_not_bytes_and_the_line_is_named() {
        let fits = "Ω".repeat(MOST);
        let longer = format!("{fits}.");
        let text = format!("{fits}\n{longer}\n\n{fits}\n{longer}");
        assert_eq!(
            too_long(&text).collect::<Vec<_>>(),
            [(2, MOST + 1), (5, MOST + 1)]
        );
    }

    #[test]
    fn files_are_found_in_folders_and_what_is_no_text_is_left() {
        let folder = std::env::temp_dir().join(format!("ash-pond-lines-{}", std::process::id()));
        std::fs::create_dir_all(folder.join("docs/deeper/target")).unwrap();
        let long = "x".repeat(MOST + 1);
        for name in [
            "docs/deeper/a.md",
            "docs/deeper/target/b.rs",
            "docs/c.json",
            "d.toml",
        ] {
            std::fs::write(folder.join(name), &long).unwrap();
        }
        let told = check(&folder).unwrap_err().to_string();
        std::fs::remove_dir_all(&folder).unwrap();
        assert_eq!(told.lines().skip(1).count(), 2, "{told}");
        assert!(told.contains("docs/deeper/a.md:1: 121") && told.contains("d.toml:1: 121"));
    }
}
