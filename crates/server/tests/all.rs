//! The server's tests, one binary: every file beside this one asks a part of the API or the command
//! line.

mod access_api;
mod api;
mod bench_api;
mod chains_api;
mod command_line;
mod common;
mod log_api;
mod outage_api;
mod readings_api;
mod said_api;
mod schema;
mod shelf_api;
mod site_api;
mod watches_api;
