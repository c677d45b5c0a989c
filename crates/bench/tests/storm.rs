//! Some hundred seeds of the storm; each failing seed prints itself.

use tinkite_bench::storm::{Tally, run};

#[test]
fn whatever_goes_wrong_every_stretch_is_burnt_once_or_was_told() {
    let mut tally = Tally::default();
    for seed in 0..400 {
        match run(seed) {
            Ok(one) => tally.add(&one),
            Err(broke) => panic!("{broke}"),
        }
    }
    // The storm must blow: sessions broke off, and were gone on with from certain places and others.
    assert!(tally.attempts > 500 && tally.certain > 30 && tally.uncertain > 30, "{tally:#?}");
    assert!(tally.faults.len() == 16 && tally.outcomes.len() > 8, "{tally:#?}");
    assert!(tally.unprovable < tally.seeds / 4, "{tally:#?}");
}

/// Seeds that have shown a fault once.
#[test]
fn seeds_that_broke_something_before_do_so_no_more() {
    for seed in [
        14, 72, 103, 115, 122, 174, 310, 409, 475, 762, 801, 871, 1241, 1530, 4207, 5548, 5791,
        10010, 11821, 23646, 24925, 28553, 76956, 83447, 501650, 549046, 555454, 1048976,
    ] {
        if let Err(broke) = run(seed) {
            panic!("{broke}");
        }
    }
}
