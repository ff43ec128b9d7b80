//! `make programs`: copies in real programs and pastes into real programs, by keys, without Yadori and with it. Writes the
//! table of docs/programs.md to standard output, and what differs to standard error. Arguments: the numbers of the sources
//! to try, all of them if there are none.

use anyhow::Result;
use yadori_e2e::desktop::programs::{Into, PLACES, Programs, SOURCES};
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

#[expect(clippy::print_stdout, clippy::print_stderr, reason = "printing the table is what this is for")]
fn main() -> Result<()> {
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
