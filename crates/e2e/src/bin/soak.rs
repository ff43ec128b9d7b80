//! The long form of the soak: a hundred blows, with stops of 5, 20 and 60 seconds. Ends with an error when anything that
//! was answered is not so.

use yadori_e2e::soak::{Blow, Soak};

#[expect(clippy::print_stdout, reason = "it tells how far it has come")]
fn main() {
    let rounds: usize = std::env::args().nth(1).and_then(|text| text.parse().ok()).unwrap_or(100);
    let mut soak = Soak::start();
    let kills = [Blow::KillService, Blow::KillDatabase, Blow::KillBoth];
    let stops = [5, 20, 60];
    let (mut done, mut refused, mut unknown) = (0, 0, 0);
    for n in 0..rounds {
        let blow = if n % 10 == 9 {
            Blow::StopDatabase(stops[n / 10 % stops.len()])
        } else {
            kills[n % kills.len()]
        };
        let tally = soak.round(blow);
        done += tally.done;
        refused += tally.refused;
        unknown += tally.unknown;
        println!(
            "{:3}  {blow:?}: {} done, {} refused, {} not answered",
            n + 1,
            tally.done,
            tally.refused,
            tally.unknown
        );
    }
    soak.compare_removals();
    println!(
        "{rounds} blows: {done} answered as done, all of them are; {refused} refused, none of them is; {unknown} not answered"
    );
}
