//! `make programs`: copies in real programs and pastes into real programs, by keys, without Yadori and with it. Writes the
//! table of docs/programs.md to standard output, and what differs to standard error. Arguments: the numbers of the sources
//! to try, all of them if there are none.

use std::time::Duration;

use anyhow::Result;
use yadori_e2e::desktop::programs::{From, Into, PLACES, Programs, SOURCES};
use yadori_e2e::measure::{at, millis};
use yadori_e2e::{Service, until};

/// What came of a paste: without Yadori, beside it, and after the clip was taken.
#[derive(Clone, Debug, Default)]
struct Cell {
    without: String,
    beside: String,
    taken: String,
}

fn paste(programs: &mut Programs, place: Into) -> String {
    match programs.paste(place) {
        Ok(got) => got,
        Err(why) => format!("({why})"),
    }
}

fn between(programs: &mut Programs, n: usize) {
    let text = format!("between {n}");
    programs.desktop.display.copy_text(&text);
    until("the copy between", || (programs.desktop.display.paste_text()? == text).then_some(()));
}

fn without(sources: &[usize], cells: &mut [Vec<Cell>]) -> Result<()> {
    let mut programs = Programs::start()?;
    for &n in sources {
        between(&mut programs, n);
        programs.copy(SOURCES[n].0)?;
        for (place, (into, _)) in PLACES.iter().enumerate() {
            cells[n][place].without = paste(&mut programs, *into);
        }
    }
    Ok(())
}

fn with(sources: &[usize], cells: &mut [Vec<Cell>]) -> Result<()> {
    let mut programs = Programs::start()?;
    let service = Service::on(&programs.desktop.display.name());
    for &n in sources {
        between(&mut programs, n);
        let marker = service.await_clip(&format!("between {n}"));
        programs.copy(SOURCES[n].0)?;
        let clip =
            until("the clip", || service.list(1).into_iter().find(|row| row.saved && row.id != marker.id));
        for (place, (into, _)) in PLACES.iter().enumerate() {
            cells[n][place].beside = paste(&mut programs, *into);
        }
        between(&mut programs, n + 100);
        service.await_clip(&format!("between {}", n + 100));
        service.yadori(&["take", &clip.prefix]);
        for (place, (into, _)) in PLACES.iter().enumerate() {
            cells[n][place].taken = paste(&mut programs, *into);
        }
    }
    Ok(())
}

/// In a word: nothing to paste, the same in all three, better, or which of the two differs.
fn word(cell: &Cell) -> &'static str {
    let same = |got: &str| got == cell.without;
    let gains = |got: &str| cell.without.is_empty() && !got.is_empty();
    match (same(&cell.beside), same(&cell.taken)) {
        (true, true) if cell.without.is_empty() => "–",
        (true, true) => "same",
        (true, false) if gains(&cell.taken) => "same, more after a take",
        (true, false) => "same, **differs after a take**",
        (false, _) => "**differs**",
    }
}

/// Programs whose end is measured, and what is copied in them.
const ENDS: [(Option<From>, &str); 7] = [
    (Some(From::Mousepad), "Mousepad"),
    (Some(From::Featherpad), "FeatherPad"),
    (Some(From::Writer), "LibreOffice Writer"),
    (Some(From::FirefoxText), "Firefox"),
    (Some(From::ChromiumText), "Chromium"),
    (Some(From::Files), "PCManFM"),
    (None, "KeePassXC (a password)"),
];
/// How often each is quit.
const TIMES: usize = 9;

/// How long programs take to end after something was copied in them, without Yadori and with it, turn by turn.
#[expect(clippy::print_stdout, reason = "printing the table is what this is for")]
fn ends(only: &[usize]) -> Result<()> {
    println!("| program | without | with Yadori | difference |");
    println!("| --- | --- | --- | --- |");
    for (from, name) in
        ENDS.iter().enumerate().filter(|(n, _)| only.is_empty() || only.contains(n)).map(|(_, one)| one)
    {
        let mut desktops = [Programs::start()?, Programs::start()?];
        let _service = Service::on(&desktops[1].desktop.display.name());
        let mut took = [Vec::new(), Vec::new()];
        for turn in 0..TIMES {
            for (n, programs) in desktops.iter_mut().enumerate() {
                between(programs, turn);
                match from {
                    Some(from) => programs.copy(*from)?,
                    None => drop(programs.copy_password()?),
                }
                // As long as it takes a person to quit.
                std::thread::sleep(Duration::from_millis(700));
                took[n].push(millis(programs.quit_last()?));
            }
        }
        let [mut without, mut with] = took;
        let (without, with) = (at(&mut without, 0.5), at(&mut with, 0.5));
        println!("| {name} | {without:.0} ms | {with:.0} ms | {:+.0} ms |", with - without);
    }
    Ok(())
}

#[expect(clippy::print_stdout, clippy::print_stderr, reason = "printing the table is what this is for")]
fn main() -> Result<()> {
    let arguments: Vec<String> = std::env::args().skip(1).collect();
    if arguments.first().is_some_and(|first| first == "ends") {
        return ends(&arguments[1..].iter().filter_map(|text| text.parse().ok()).collect::<Vec<usize>>());
    }
    let wanted: Vec<usize> = std::env::args().skip(1).filter_map(|text| text.parse().ok()).collect();
    let sources: Vec<usize> = if wanted.is_empty() { (0..SOURCES.len()).collect() } else { wanted };
    let mut cells = vec![vec![Cell::default(); PLACES.len()]; SOURCES.len()];
    without(&sources, &mut cells)?;
    with(&sources, &mut cells)?;
    let heads: Vec<&str> = PLACES.iter().map(|(_, name)| *name).collect();
    println!("| copied in | what | {} |", heads.join(" | "));
    println!("| --- | --- |{}", " --- |".repeat(PLACES.len()));
    for &n in &sources {
        let (_, program, what) = SOURCES[n];
        let words: Vec<&str> = cells[n].iter().map(word).collect();
        println!("| {program} | {what} | {} |", words.join(" | "));
        for (cell, (_, place)) in cells[n].iter().zip(PLACES) {
            if word(cell).contains("**") || std::env::var_os("YADORI_ALL").is_some() {
                eprintln!("{program}, {what}, into {place}:\n{cell:#?}");
            }
        }
    }
    Ok(())
}
