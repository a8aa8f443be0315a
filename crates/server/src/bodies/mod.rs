//! What goes over the wire and only there: what is asked, and what is told beside the answers of
//! the computation.

pub(crate) mod backups;
pub(crate) mod bench;
pub(crate) mod live;
pub(crate) mod log;
pub(crate) mod outage;
pub(crate) mod plan;
pub(crate) mod session;
pub(crate) mod shelf;
pub(crate) mod watch;

use schemars::SchemaGenerator;

/// Puts the schemas of these bodies into a generator.
pub(crate) fn register(generator: &mut SchemaGenerator) {
    plan::schemas(generator);
    generator.subschema_for::<crate::events::Changed>();
    generator.subschema_for::<session::SessionNow>();
    generator.subschema_for::<session::SignIn>();
    generator.subschema_for::<session::Sessions>();
    generator.subschema_for::<backups::Copies>();
    generator.subschema_for::<backups::BroughtBack>();
    bench::schemas(generator);
    live::schemas(generator);
    outage::schemas(generator);
    watch::schemas(generator);
    log::schemas(generator);
    shelf::schemas(generator);
}
