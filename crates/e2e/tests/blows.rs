//! The short form of the soak: a few blows of each kind.

use yadori_e2e::soak::{Blow, Soak};

#[test]
fn what_was_answered_is_so_after_kills_and_stops_of_service_and_database() {
    let mut soak = Soak::start();
    for blow in [
        Blow::KillDatabase,
        Blow::KillService,
        Blow::KillBoth,
        Blow::KillDatabase,
        Blow::StopDatabase(3),
        Blow::KillService,
    ] {
        let tally = soak.round(blow);
        assert!(tally.done > 0, "{blow:?}: {tally:?}");
    }
    soak.compare_removals();
}
