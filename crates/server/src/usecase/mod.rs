//! What is done: one file per use case, without HTTP.

pub(crate) mod answers;
pub(crate) mod bench;
pub(crate) mod compare;
pub(crate) mod elements;
pub(crate) mod evaluate;
pub(crate) mod files;
mod lines;
pub(crate) mod log;
pub(crate) mod outage;
pub(crate) mod paper;
pub(crate) mod past;
pub(crate) mod preview;
pub(crate) mod review;
pub(crate) mod shelf;
pub(crate) mod tests;
pub(crate) mod walks;
pub(crate) mod watches;
