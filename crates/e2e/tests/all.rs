//! The browser's tests, one binary: every file beside this one drives a view.

mod address;
mod bench;
mod building;
mod chains;
mod changing;
mod engineering;
mod keeping;
mod log;
mod needs;
mod newcomer;
mod outage;
mod panels;
mod said;
mod shelf;
mod site;
mod supply;
mod switching;
mod watching;
