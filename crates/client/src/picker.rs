//! The picker in a terminal: keys go to the machine in core, what it wants is asked of the service beside them, and what
//! stands on the screen is drawn. Keys that were typed before it came come first.

mod draw;
mod early;
mod keys;
mod listening;
mod pictures;
mod placed;
mod service;

use std::sync::mpsc::{Receiver, Sender, channel};

use ratatui::crossterm::event::{
    DisableBracketedPaste, DisableMouseCapture, EnableBracketedPaste, EnableMouseCapture, Event,
};
use ratatui::crossterm::execute;
use ratatui::crossterm::style::Print;
use yadori_api::picker::keys::Ask;
use yadori_api::picker::machine::{Do, Picker};
use yadori_api::picker::question::Question;
use yadori_api::{Acted, Clear, ClearPlan, Detail, Edit, Kind, TypedKeys};

use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use crate::graphics::Terminal;
use crate::verbs::edit::{in_editor, saved};
use listening::{Listening, may_edit};
use pictures::{Pictures, Sizes};
use placed::Placed;
use service::{Answer, Rows};
use yadori_words::{said, word};

/// What comes to the picker.
enum Comes {
    Pressed(Event),
    Typed(TypedKeys),
    Answered(Answer),
    /// There is no terminal any more.
    Gone,
}

/// What is shown beside the machine's own.
pub(crate) struct Shown {
    terminal: Terminal,
    rows: Rows,
    pictures: Pictures,
    /// Pictures that the terminal has drawn.
    placed: Placed,
    /// The whole of the clip that is looked at.
    whole: String,
    /// It is a picture.
    large: Option<crate::pixels::Pixels>,
    /// What clean-ups make of a clip: their names, and the beginning of what becomes of it.
    tidied: Option<(Vec<String>, String)>,
    /// Rows of it that are scrolled past.
    scrolled: u16,
    message: Option<String>,
    /// A clearing that is asked about: what it would take, and the answer that is marked.
    question: Option<(Box<Clear>, Box<ClearPlan>, Question)>,
    /// It was asked for, and does not stand yet: what is pressed before it does is nobody's.
    question_comes: bool,
    /// How the batch in hand is.
    batch: Option<String>,
    by_chord: bool,
    /// Clips in the history.
    total: u64,
}

impl Shown {
    fn on(terminal: Terminal) -> Self {
        Self {
            terminal,
            rows: Rows::default(),
            pictures: Pictures::default(),
            placed: Placed::default(),
            whole: String::new(),
            large: None,
            tidied: None,
            scrolled: 0,
            message: None,
            question: None,
            question_comes: false,
            batch: None,
            by_chord: false,
            total: 0,
        }
    }
}

/// What to do next.
enum Next {
    GoOn,
    End,
    /// A clip is edited, in the person's editor and this terminal.
    Edit(String),
}

pub(crate) fn run(service: &Connection, swap: bool) -> Result<(), Failure> {
    let terminal = ratatui::try_init()?;
    // Before anybody reads keys: answers come where these come.
    let (can, typed) = Terminal::ask_raw();
    listen();
    let outcome = show(service, swap, terminal, can, &typed);
    end();
    if let Some(words) = outcome? {
        println_out(&words)?;
    }
    Ok(())
}

/// A key with Alt comes as Escape and the key, and not as a letter with another sign on it (xterm's private modes 1036 and
/// 1039, whose states are saved before; XTerm Control Sequences, "DEC Private Mode Set").
const ALT_IS_ESCAPE: &str = "\x1b[?1036;1039s\x1b[?1036;1039h";
const ALT_AS_BEFORE: &str = "\x1b[?1036;1039r";

/// The terminal is the picker's.
fn begin() -> Result<ratatui::DefaultTerminal, Failure> {
    let terminal = ratatui::try_init()?;
    listen();
    Ok(terminal)
}

fn listen() {
    let _ = execute!(std::io::stdout(), EnableMouseCapture, EnableBracketedPaste, Print(ALT_IS_ESCAPE));
}

fn end() {
    let _ = execute!(std::io::stdout(), DisableMouseCapture, DisableBracketedPaste, Print(ALT_AS_BEFORE));
    ratatui::restore();
}

fn println_out(words: &str) -> Result<(), Failure> {
    use std::io::Write;
    Ok(writeln!(std::io::stdout(), "{words}")?)
}

/// What was typed before the picker was there.
fn ask_typed(send: &Sender<Comes>, service: &Connection) {
    let (typed, service) = (send.clone(), service.clone());
    std::thread::spawn(move || {
        let found = service.post_empty("/picker").unwrap_or_default();
        let _ = typed.send(Comes::Typed(found));
    });
}

/// Shows it until it is closed. Gives what is to be said afterwards.
fn show(
    service: &Connection,
    swap: bool,
    mut terminal: ratatui::DefaultTerminal,
    can: Terminal,
    typed: &[u8],
) -> Result<Option<String>, Failure> {
    let (send, comes): (Sender<Comes>, Receiver<Comes>) = channel();
    let listening = Listening::begin(send.clone());
    ask_typed(&send, service);
    let asking = service::Asking::new(service.clone(), send, Sizes::on(&can));
    let (mut picker, first) = Picker::open(swap);
    let mut shown = Shown::on(can);
    asking.ask(first, &shown);
    asking.batch();
    // What is pressed in the terminal comes after what was typed before it was there.
    let mut early = Some(early::events(typed));
    let mut said = None;
    loop {
        let room = draw::rows_of(terminal.size()?.height);
        draw::fit(&mut picker, &shown, room);
        asking.pictures(&picker, &mut shown);
        draw_all(&mut terminal, &picker, &mut shown)?;
        let Ok(first) = comes.recv() else { return Ok(said) };
        // Everything that has come is done before it is drawn again.
        for one in std::iter::once(first).chain(std::iter::from_fn(|| comes.try_recv().ok())) {
            // Keys that may have opened an editor, and what comes of this.
            let (waits, next) = match one {
                Comes::Pressed(event) => match &mut early {
                    Some(early) => {
                        early.push(event);
                        (0, Next::GoOn)
                    }
                    None => {
                        let waits = usize::from(may_edit(&event));
                        (waits, pressed(&mut picker, &mut shown, &asking, &event))
                    }
                },
                Comes::Typed(typed) => {
                    shown.by_chord = typed.by_chord;
                    let early = early.take().unwrap_or_default();
                    let waits = early.iter().filter(|event| may_edit(event)).count();
                    let mut all = typed.asks.into_iter().chain(early.iter().filter_map(keys::pressed));
                    // What was pressed after the key that closes it, or opens an editor, is nobody's.
                    let next = all.find_map(|ask| match asked(&mut picker, &mut shown, &asking, ask) {
                        Next::GoOn => None,
                        next => Some(next),
                    });
                    (waits, next.unwrap_or(Next::GoOn))
                }
                Comes::Gone => (0, Next::End),
                Comes::Answered(answer) => (0, answered(&mut picker, &mut shown, &asking, answer, &mut said)),
            };
            let is_edit = matches!(next, Next::Edit(_));
            match next {
                Next::GoOn => {}
                Next::End => return Ok(said),
                Next::Edit(id) => {
                    end();
                    let outcome = edit(service, &id);
                    terminal = begin()?;
                    shown.placed = Placed::default();
                    let wishes = edited(&mut picker, &mut shown, outcome, &asking);
                    carry_out(wishes, &mut shown, &asking);
                }
            }
            (0..waits).for_each(|_| listening.go_on(is_edit));
        }
    }
}

/// Draws what is shown, and then the pictures that the terminal draws itself, if they are others than before.
fn draw_all(
    terminal: &mut ratatui::DefaultTerminal,
    picker: &Picker,
    shown: &mut Shown,
) -> Result<(), Failure> {
    let mut spots = Vec::new();
    let size = terminal.draw(|frame| spots = draw::draw(frame, picker, shown))?.area.as_size();
    if !shown.placed.stands(size, &spots) {
        shown.place(size, spots)?;
    }
    Ok(())
}

/// Changes a text in the person's editor. What was typed is in a file when it can't be saved. `None`: nothing was changed.
fn edit(service: &Connection, id: &str) -> Result<Option<Acted>, Failure> {
    let path = format!("/clips/{}", escaped(id));
    let whole: Detail = service.get(&path)?;
    if !matches!(whole.row.kind, Kind::Text | Kind::Link) || whole.text_cut {
        return Err(Failure::Use(said!("only texts and links up to a MiB can be edited here")));
    }
    let old = whole.text.unwrap_or_default();
    let text = in_editor(&old)?;
    if text == old {
        return Ok(None);
    }
    let changed = Edit { text, plain: true };
    service.post(&format!("{path}/edit"), &changed).map(Some).map_err(|why| saved(&changed.text, why))
}

fn edited(
    picker: &mut Picker,
    shown: &mut Shown,
    outcome: Result<Option<Acted>, Failure>,
    asking: &service::Asking,
) -> Vec<Do> {
    let (words, wishes) = match outcome {
        Ok(None) => (said!("Nothing was changed."), Vec::new()),
        Ok(Some(acted)) => {
            asking.did(&acted.id);
            (said!("Changed; the original stays in the history. ^Z takes it back."), vec![picker.changed()])
        }
        Err(why) => (service::words(&why), Vec::new()),
    };
    shown.message = Some(words);
    wishes
}

fn pressed(picker: &mut Picker, shown: &mut Shown, asking: &service::Asking, event: &Event) -> Next {
    let clicked = keys::clicked(event).and_then(|line| draw::row_at(picker, shown, line));
    match keys::pressed(event).or(clicked) {
        Some(ask) => asked(picker, shown, asking, ask),
        None => Next::GoOn,
    }
}

fn asked(picker: &mut Picker, shown: &mut Shown, asking: &service::Asking, ask: Ask) -> Next {
    if shown.question_comes {
        return Next::GoOn;
    }
    shown.message = None;
    if let Some((_, _, question)) = &mut shown.question {
        let Some(yes) = question.ask(&ask) else { return Next::GoOn };
        if let Some((wanted, ..)) = shown.question.take().filter(|_| yes) {
            shown.message = Some(said!("Clearing …"));
            asking.clear(*wanted);
        } else {
            shown.message = Some(said!("Nothing was cleared."));
        }
        return Next::GoOn;
    }
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
            Do::Edit(id) => return Next::Edit(id),
            Do::Clear { .. } => {
                shown.question_comes = true;
                asking.ask(wish, shown);
            }
            Do::Whole(_) => {
                shown.whole.clear();
                shown.large = None;
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
            shown.message = Some(said!("Removed. ^Z takes it back."));
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
        Answer::Planned { wanted, plan } => {
            shown.question_comes = false;
            if plan.clips == 0 {
                let stays = if plan.spared > 0 { word!(": favorites stay") } else { "" };
                shown.message = Some(said!("There is nothing to clear{stays}.", stays = stays));
            } else {
                shown.question = Some((wanted, plan, Question::default()));
            }
            Next::GoOn
        }
        Answer::Whole { id, text, picture } => {
            if picker.whole.as_deref() == Some(id.as_str()) {
                shown.whole = text;
                shown.large = picture;
            }
            Next::GoOn
        }
        Answer::Picture { id, pixels } => {
            shown.pictures.put(id, pixels);
            Next::GoOn
        }
        Answer::Tidied { tidy, text } => {
            shown.tidied = Some((tidy, text));
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
            shown.question_comes = false;
            shown.message = Some(why);
            Next::GoOn
        }
    }
}
