//! The long form of the soak: ten minutes of mixed work, ten each at the console (by keys, pointer and touch, every act in
//! the log asked for), a form filled by chords fifty times, the picker used two hundred times in each form, then a hundred blows, with stops of 5, 20 and 60 seconds. Ends
//! with an error when anything that was answered is not so, or memory grows. Arguments: how many blows, how many minutes, and
//! (`day`, `day-x11`, `day-wayland`, `keys`, `pointer`, `touch`, `form`, `picker`) one part alone.

use std::time::Duration;

use yadori_e2e::day::{Desk, idle, spend};
use yadori_e2e::form::Form;
use yadori_e2e::journey::{By, journey};
use yadori_e2e::soak::{Blow, Soak};
use yadori_e2e::work::work;
use yadori_e2e::{Compositor, Display};

/// Mixed work: copies, takes, searches, acts.
#[expect(clippy::print_stdout, reason = "it tells how far it has come")]
fn mixed(minutes: f64) -> anyhow::Result<()> {
    let done = work(Duration::from_secs_f64(minutes * 60.0), |memory, done| {
        println!("work: {} copies made, {} announced; {memory:.1} MB", done.made, done.announced);
    })?;
    println!("{minutes} minutes of mixed work: {done:?}");
    anyhow::ensure!(done.made == done.announced, "not every copy was announced");
    anyhow::ensure!(done.most <= done.early + 10.0, "memory grew from {} to {} MB", done.early, done.most);
    Ok(())
}

/// A day of 2,000 copies and 300 takes on each kind of desktop, or on one.
#[expect(clippy::print_stdout, reason = "it tells how far it has come")]
fn days(alone: Option<&str>) -> anyhow::Result<()> {
    for name in ["X11", "Wayland"] {
        if alone.is_some_and(|alone| alone != "day" && alone != format!("day-{}", name.to_lowercase())) {
            continue;
        }
        let desk =
            if name == "X11" { Desk::X(Display::start_apart()) } else { Desk::Wayland(Compositor::start()) };
        let (day, service) = spend(desk, 2_000, 6)?;
        let idle = idle(&service, Duration::from_secs(60));
        println!("a day on {name}: {day:?}; {:.3} % of a core when nothing happens", idle * 100.0);
        anyhow::ensure!(day.late <= day.early + 10.0, "memory grew from {} to {} MB", day.early, day.late);
        anyhow::ensure!(idle < 0.001, "it takes {idle} of a core when nothing happens");
    }
    Ok(())
}

#[expect(clippy::print_stdout, reason = "it tells how far it has come")]
fn main() -> anyhow::Result<()> {
    let minutes: f64 = std::env::args().nth(2).and_then(|text| text.parse().ok()).unwrap_or(10.0);
    let alone = std::env::args().nth(3);
    if alone.is_none() {
        mixed(minutes)?;
    }
    if alone.as_deref().is_none_or(|alone| alone.starts_with("day")) {
        days(alone.as_deref())?;
    }
    let runtime = tokio::runtime::Builder::new_multi_thread().enable_all().build()?;
    let ways = [("keys", By::Keys, 101), ("pointer", By::Pointer, 102), ("touch", By::Touch, 103)];
    for (_, by, seed) in
        ways.into_iter().filter(|(name, ..)| alone.as_deref().is_none_or(|alone| alone == *name))
    {
        let time = Duration::from_secs_f64(minutes * 60.0);
        let done = runtime.block_on(journey(by, time, seed))?;
        println!("{minutes} minutes at the console, {by:?}: {done:?}; every act in the log was asked for");
    }
    if alone.as_deref().is_none_or(|alone| alone == "form") {
        runtime.block_on(async { Form::open(20).await?.fill_by_chord(20, 50).await })?;
        println!("a form of 20 fields was filled 50 times by 20 presses of a chord, every field right");
    }
    if alone.as_deref().is_none_or(|alone| alone == "picker") {
        runtime.block_on(async { Form::open(1).await?.picks_often(200).await })?;
        println!(
            "200 of 200 runs through the picker in a terminal, 15 keys a second from the chord on: every key as meant"
        );
        let runs = async {
            let (form, _profile) = Form::with_picker_page().await?;
            form.picks_often(200).await
        };
        runtime.block_on(runs)?;
        println!("200 of 200 runs through the picker's page, likewise");
    }
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
    if rounds > 0 {
        soak.compare_removals();
    }
    println!(
        "{rounds} blows: {done} answered as done, all of them are; {refused} refused, none of them is; {unknown} not answered"
    );
    Ok(())
}
