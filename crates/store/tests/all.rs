//! The store's tests, one binary: every file beside this one keeps a kind of data to its word.

mod archive;
mod kept;
mod killed;
mod log;
mod old;
mod part;
mod readings;
mod store;
mod watches;
