//! Small matters of wording.

/// A label inside a sentence: without its capital, unless it is an abbreviation.
pub(crate) fn inside(label: &str) -> String {
    let mut letters = label.chars();
    match (letters.next(), letters.next()) {
        (Some(first), Some(second)) if second.is_lowercase() || second == ' ' => {
            first.to_lowercase().chain(label.chars().skip(1)).collect()
        }
        _ => label.to_owned(),
    }
}
