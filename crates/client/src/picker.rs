//! The picker in a terminal: keys go to the machine in core, what it wants is asked of the service beside them, and what
//! stands on the screen is drawn. Keys that were typed before it came come first.

mod draw;
mod keys;
mod service;

use std::sync::mpsc::{Receiver, Sender, channel};

use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event, read,
};
use ratatui::crossterm::execute;
use yadori_api::TypedKeys;
use yadori_api::picker::keys::Ask;
use yadori_api::picker::machine::{Do, Picker};

use crate::connection::Connection;
use crate::failure::Failure;
use service::{Answer, Rows};

/// What comes to the picker.
enum Comes {
    Pressed(Event),
    Typed(TypedKeys),
    Answered(Answer),
}

/// What is shown beside the machine's own.
#[derive(Default)]
pub(crate) struct Shown {
    rows: Rows,
    /// The whole of the clip that is looked at.
    whole: String,
    /// Rows of it that are scrolled past.
    scrolled: u16,
    message: Option<String>,
    /// How the batch in hand is.
    batch: Option<String>,
    by_chord: bool,
    /// Clips in the history.
    total: u64,
}

/// What to do next.
enum Next {
    GoOn,
    End,
}

pub(crate) fn run(service: &Connection, swap: bool) -> Result<(), Failure> {
    let mut terminal = ratatui::try_init()?;
    let _ = execute!(std::io::stdout(), EnableMouseCapture, EnableBracketedPaste);
    let outcome = show(service, swap, &mut terminal);
    let _ = execute!(std::io::stdout(), DisableMouseCapture, DisableBracketedPaste);
    ratatui::restore();
    if let Some(words) = outcome? {
        println_out(&words)?;
    }
    Ok(())
}

fn println_out(words: &str) -> Result<(), Failure> {
    use std::io::Write;
    Ok(writeln!(std::io::stdout(), "{words}")?)
}

fn listen(send: &Sender<Comes>, service: &Connection) {
    let (keys, typed, service) = (send.clone(), send.clone(), service.clone());
    std::thread::spawn(move || {
        while let Ok(event) = read() {
            if keys.send(Comes::Pressed(event)).is_err() {
                return;
            }
        }
    });
    std::thread::spawn(move || {
        let found = service.post_empty("/picker").unwrap_or_default();
        let _ = typed.send(Comes::Typed(found));
    });
}

/// Shows it until it is closed. Gives what is to be said afterwards.
fn show(
    service: &Connection,
    swap: bool,
    terminal: &mut ratatui::DefaultTerminal,
) -> Result<Option<String>, Failure> {
    let (send, comes): (Sender<Comes>, Receiver<Comes>) = channel();
    listen(&send, service);
    let asking = service::Asking::new(service.clone(), send);
    let (mut picker, first) = Picker::open(swap);
    let mut shown = Shown::default();
    asking.ask(first, &shown);
    asking.batch();
    // What is pressed in the terminal comes after what was typed before it was there.
    let mut early = Some(Vec::new());
    let mut said = None;
    loop {
        picker.resize(draw::rows_of(terminal.size()?.height));
        terminal.draw(|frame| draw::draw(frame, &picker, &shown))?;
        let Ok(first) = comes.recv() else { return Ok(said) };
        // Everything that has come is done before it is drawn again.
        for one in std::iter::once(first).chain(std::iter::from_fn(|| comes.try_recv().ok())) {
            let next = match one {
                Comes::Pressed(event) => match &mut early {
                    Some(early) => {
                        early.push(event);
                        Next::GoOn
                    }
                    None => pressed(&mut picker, &mut shown, &asking, &event),
                },
                Comes::Typed(typed) => {
                    shown.by_chord = typed.by_chord;
                    let early = early.take().unwrap_or_default();
                    let typed = typed.keys.iter().filter_map(keys::typed);
                    let mut all = typed.chain(early.iter().filter_map(keys::pressed));
                    // What was pressed after the key that closes it is nobody's.
                    let ends =
                        all.any(|ask| matches!(asked(&mut picker, &mut shown, &asking, ask), Next::End));
                    if ends { Next::End } else { Next::GoOn }
                }
                Comes::Answered(answer) => answered(&mut picker, &mut shown, &asking, answer, &mut said),
            };
            if matches!(next, Next::End) {
                return Ok(said);
            }
        }
    }
}

fn pressed(picker: &mut Picker, shown: &mut Shown, asking: &service::Asking, event: &Event) -> Next {
    match keys::pressed(event) {
        Some(ask) => asked(picker, shown, asking, ask),
        None => Next::GoOn,
    }
}

fn asked(picker: &mut Picker, shown: &mut Shown, asking: &service::Asking, ask: Ask) -> Next {
    shown.message = None;
    // The whole of a clip is scrolled by the keys that move in the list.
    if picker.whole.is_some() {
        let page = i32::from(u16::try_from(picker.page).unwrap_or(1).max(2) - 1);
        let by = match ask {
            Ask::Move(by) => Some(i32::try_from(by).unwrap_or(0)),
            Ask::Page(by) => Some(page * i32::try_from(by).unwrap_or(0)),
            _ => None,
        };
        if let Some(by) = by {
            // Long lines take several.
            let lines = shown.whole.lines().count() + shown.whole.len() / 80;
            let lines = u16::try_from(lines).unwrap_or(u16::MAX);
            let to = (i32::from(shown.scrolled) + by).clamp(0, i32::from(lines.saturating_sub(1)));
            shown.scrolled = u16::try_from(to).unwrap_or(0);
            return Next::GoOn;
        }
    }
    carry_out(picker.ask(ask), shown, asking)
}

fn carry_out(wishes: Vec<Do>, shown: &mut Shown, asking: &service::Asking) -> Next {
    for wish in wishes {
        match wish {
            Do::Close => return Next::End,
            Do::Whole(_) => {
                shown.whole.clear();
                shown.scrolled = 0;
                asking.ask(wish, shown);
            }
            wish => asking.ask(wish, shown),
        }
    }
    Next::GoOn
}

fn answered(
    picker: &mut Picker,
    shown: &mut Shown,
    asking: &service::Asking,
    answer: Answer,
    said: &mut Option<String>,
) -> Next {
    match answer {
        Answer::Listed { number, rows, more, total } => {
            let ids = rows.iter().map(|row| row.id.clone()).collect();
            shown.rows.put(rows);
            shown.total = total.unwrap_or(shown.total);
            let wishes = picker.listed(number, ids, more);
            carry_out(wishes, shown, asking)
        }
        Answer::Unlisted { number, why } => {
            picker.failed(number);
            shown.message = Some(why);
            Next::GoOn
        }
        Answer::Taken { close, words } => {
            if close {
                *said = Some(words);
                return Next::End;
            }
            shown.message = Some(words);
            Next::GoOn
        }
        Answer::Removed { id } => {
            picker.gone(&id);
            shown.message = Some("Removed. ^Z takes it back.".to_owned());
            Next::GoOn
        }
        Answer::Did { words, row } => {
            shown.message = Some(words);
            if let Some(row) = row {
                shown.rows.put(vec![*row]);
                return Next::GoOn;
            }
            carry_out(vec![picker.changed()], shown, asking)
        }
        Answer::Whole { id, text } => {
            if picker.whole.as_deref() == Some(id.as_str()) {
                shown.whole = text;
            }
            Next::GoOn
        }
        Answer::Batch { words, close, next } => {
            shown.batch = next;
            if close {
                *said = Some(words);
                return Next::End;
            }
            shown.message = Some(words).filter(|words| !words.is_empty());
            Next::GoOn
        }
        Answer::Failed(why) => {
            shown.message = Some(why);
            Next::GoOn
        }
    }
}
