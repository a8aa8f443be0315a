//! The short form of the long trial: a few kills, a full disk, held-up connections, and seconds of
//! mixed requests.

use ash_pond_campaigns::program::beside;
use ash_pond_campaigns::soak::{Soak, run};
use std::time::Duration;

#[tokio::test(flavor = "multi_thread", worker_threads = 2)]
async fn nothing_that_was_acknowledged_is_lost() {
    let program = beside().unwrap();
    let asked_for = Duration::from_secs(3);
    let table = run(&Soak {
        program,
        kills: 5,
        asked_for,
        rate: 60,
        readings: 50_000,
        read_every_s: 60,
        seed: 7,
    })
    .await
    .unwrap();
    assert_eq!(table.lost(), 0, "\n{table}");
    let tried = |what: &str| {
        table
            .lines
            .iter()
            .find(|it| it.what.starts_with(what))
            .map_or(0, |it| it.tried)
    };
    assert!(
        tried("killed") == 5
            && tried("readings of a watch") == 720
            && tried("disk full") > 20
            && tried("mixed requests") > 100,
        "\n{table}"
    );
}
