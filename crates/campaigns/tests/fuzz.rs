//! The short form of the odd inputs.

use ash_pond_campaigns::fuzz::{Fuzz, run};

#[test]
fn odd_inputs_neither_panic_nor_give_what_is_no_number() {
    let table = run(Fuzz {
        inputs: 12_000,
        threads: 2,
        seed: 20,
    })
    .unwrap();
    assert_eq!(table.lines.len(), 7);
    for line in &table.lines {
        // How long one took is for the long form: other tests run beside this one.
        assert!(
            line.told.starts_with("0 panicked, 0 gave no number"),
            "{}: {}",
            line.what,
            line.told
        );
        assert!(line.tried > 100, "{}: {}", line.what, line.tried);
        assert!(
            !line.told.contains(" 0 were accepted"),
            "{}: none is good enough to be computed with",
            line.what
        );
    }
}
