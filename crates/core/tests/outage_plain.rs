//! The march against a plain one of a second at a time.

use crate::common;

use ash_pond_core::time::outage::simulate;
use common::plain::{march, spec};
use common::{close, read};
use proptest::prelude::*;

proptest! {
    #![proptest_config(ProptestConfig { cases: 60,
        rng_seed: proptest::test_runner::RngSeed::Fixed(7), ..ProptestConfig::default() })]

    #[test]
    fn a_plain_march_of_a_second_at_a_time_agrees(spec in spec()) {
        let plan = read(&spec.plan());
        let fast = simulate(&plan, &plan.arrangements[0], &plan.outages[0], None);
        let plain = march(&spec);
        // What hangs on a hundredth of a volt may fall either way within a second; the rest must
        // agree.
        prop_assume!(plain.nearest_v > 0.004 || plain.lost_h.iter().all(Option::is_some));
        for (index, lost) in plain.lost_h.iter().enumerate() {
            let it = &fast.devices[&format!("d{index}")];
            match (lost, it.down_at_h) {
                (Some(a), Some(b)) => prop_assert!((a - b).abs() <= 0.005 * a + 3.0 / 3600.0,
                    "d{index} lost at {a} or {b}\n{spec:#?}"),
                (None, None) => {}
                (a, b) => prop_assert!(false, "d{index} lost at {a:?} or {b:?}\n{spec:#?}"),
            }
            prop_assert!((plain.up_h[index] - it.up_h).abs() <= 0.005 * it.up_h + 5.0 / 3600.0,
                "d{index} on for {} or {}", plain.up_h[index], it.up_h);
            prop_assert!((plain.wh[index] - it.wh).abs() <= 0.005 * it.wh + 0.1, "d{index} used {} \
                or {}", plain.wh[index], it.wh);
        }
        prop_assert!(close(plain.end_soc, fast.sources["bank"].end_soc,
            0.005) || (plain.end_soc - fast.sources["bank"].end_soc).abs() < 0.002,
            "ends at {} or {}", plain.end_soc, fast.sources["bank"].end_soc);
    }
}
