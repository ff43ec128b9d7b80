//! What stands on the screen.

use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Wrap};
use unicode_width::UnicodeWidthStr;
use yadori_api::picker::keys::{Ask, Hint};
use yadori_api::picker::machine::{Picker, View};
use yadori_api::picker::question::Question;
use yadori_api::picker::tidying::Tidying;
use yadori_api::{ClearPlan, Kind, Row, STEPS};

use super::Shown;
use super::pictures::THUMB;
use super::placed::Spot;
use crate::pixels::Pixels;
use crate::symbols::shown as visible;
use crate::table;
use crate::when::when;
use yadori_words::{said, word};

/// Rows around the list: the field, a line under it, a line for words, two for keys.
const AROUND: u16 = 5;

/// How many rows of a list a screen of this height shows.
pub(super) fn rows_of(height: u16) -> usize {
    usize::from(height.saturating_sub(AROUND).max(1))
}

/// Lines that a row of the list takes.
fn lines_of(shown: &Shown, id: &str) -> u16 {
    if shown.pictures.get(id).is_some() { THUMB.1 } else { 1 }
}

/// Lets the machine know how many rows the screen shows from the first one on, so that what is marked is among them.
pub(super) fn fit(picker: &mut Picker, shown: &Shown, room: usize) {
    if picker.tidying.is_some() || picker.whole.is_some() || shown.question.is_some() {
        return picker.resize(room);
    }
    loop {
        let top = picker.top;
        let mut left = room;
        let rows = picker.ids.iter().skip(top).take_while(|id| {
            let lines = usize::from(lines_of(shown, id));
            let fits = lines <= left;
            left = left.saturating_sub(lines);
            fits
        });
        let fits = rows.count();
        // Below the last one there is room for more.
        let fits = if top + fits >= picker.ids.len() { fits + left } else { fits };
        picker.resize(fits.max(1));
        // It only goes down, towards what is marked.
        if picker.top == top {
            return;
        }
    }
}

/// What a click at a line of the list asks for.
pub(super) fn row_at(picker: &Picker, shown: &Shown, line: usize) -> Option<Ask> {
    if shown.question.is_some() {
        return (line < 2).then_some(Ask::TakeRow(line + 1));
    }
    if picker.whole.is_some() {
        return None;
    }
    if let Some(tidying) = &picker.tidying {
        return (line < tidying.found().len()).then_some(Ask::TakeRow(line + 1));
    }
    let mut end = 0;
    picker.ids.iter().skip(picker.top).take(picker.page).find_map(|id| {
        end += usize::from(lines_of(shown, id));
        (line < end).then(|| Ask::TakeClip(id.clone()))
    })
}

fn soft() -> Style {
    Style::new().add_modifier(Modifier::DIM)
}

/// Draws everything but the pictures that the terminal draws itself: those stand in these cells, which are kept free.
pub(super) fn draw(frame: &mut Frame<'_>, picker: &Picker, shown: &Shown) -> Vec<Spot> {
    let mut spots = Vec::new();
    let lengths = [1, 1, rows_of(frame.area().height).try_into().unwrap_or(1), 1, 2];
    let [field, rule, list, words, keys] =
        Layout::vertical(lengths.map(Constraint::Length)).areas(frame.area());
    draw_field(frame, field, picker, shown);
    frame.render_widget(Paragraph::new("─".repeat(rule.width.into())).style(soft()), rule);
    if let Some((_, plan, question)) = &shown.question {
        draw_question(frame, list, plan, *question);
    } else if let Some(tidying) = &picker.tidying {
        draw_tidying(frame, list, tidying, shown);
    } else if let (Some(id), Some(picture)) = (&picker.whole, &shown.large) {
        spots.extend(draw_picture(frame, list, shown, picture, id));
        spots.iter_mut().for_each(|spot| spot.whole = true);
    } else if picker.whole.is_some() {
        let text = visible(&shown.whole, true);
        frame
            .render_widget(Paragraph::new(text).wrap(Wrap { trim: false }).scroll((shown.scrolled, 0)), list);
    } else {
        spots = draw_list(frame, list, picker, shown);
    }
    match (&shown.message, &shown.batch) {
        (Some(message), _) => frame.render_widget(Paragraph::new(visible(message, false)), words),
        (None, Some(batch)) => {
            frame.render_widget(Paragraph::new(visible(batch, false)).style(soft()), words);
        }
        (None, None) => {}
    }
    let mut spans = Vec::new();
    let answers = [
        (word!("Enter"), word!("this answer")),
        (word!("Tab"), word!("the other one")),
        (word!("Esc"), word!("keep everything")),
    ];
    let answers = answers.map(|(key, does)| Hint { key, does }).to_vec();
    let asks = shown.question.is_some();
    for hint in if asks { answers } else { picker.hints() } {
        // Started by hand, it has nothing to paste into: both keys do the same.
        if hint.key == "Tab" && !shown.by_chord && !asks {
            continue;
        }
        let does = if hint.does == "paste" && !shown.by_chord { "clipboard" } else { hint.does };
        spans.push(Span::styled(hint.key, Style::new().add_modifier(Modifier::BOLD)));
        let does = does.replace(" ", "\u{a0}");
        spans.push(Span::styled(format!("\u{a0}{does}  "), soft()));
    }
    let hints = Paragraph::new(Line::from(spans)).wrap(Wrap { trim: true });
    frame.render_widget(hints, keys);
    shown.placed.keep_free(&spots, frame.buffer_mut());
    spots
}

/// Draws a picture, or gives where the terminal draws it.
fn draw_picture(
    frame: &mut Frame<'_>,
    area: Rect,
    shown: &Shown,
    picture: &Pixels,
    id: &str,
) -> Option<Spot> {
    let room = (area.width, area.height);
    if !shown.terminal.draws() {
        frame.render_widget(Paragraph::new(picture.lines(room)), area);
        return None;
    }
    let (width, height) = shown.terminal.cells(picture.size(), room);
    Some(Spot { area: Rect { width, height, ..area }, id: id.to_owned(), whole: false })
}

fn draw_field(frame: &mut Frame<'_>, area: Rect, picker: &Picker, shown: &Shown) {
    let place = match (&picker.tidying, picker.view) {
        (Some(_), _) => word!("Tidy"),
        (None, View::Favorites) => word!("Favorites"),
        (None, View::Drawers) => word!("Drawers"),
        (None, View::History) => word!("History"),
    };
    let typed = picker.tidying.as_ref().map_or(&picker.query, |tidying| &tidying.find);
    let count = match (picker.is_settled(), picker.query.is_empty(), picker.view) {
        _ if picker.tidying.is_some() => String::new(),
        (false, ..) => said!("looking …"),
        (true, true, View::History) => said!("{total} clips", total = shown.total),
        (true, ..) => {
            said!("{ids}{more} found", ids = picker.ids.len(), more = if picker.more { "+" } else { "" })
        }
    };
    let stays = if picker.stays { word!(" · stays open") } else { "" };
    let right = format!("{count}{stays}");
    let label = format!("{place} › ");
    let room = usize::from(area.width).saturating_sub(label.width() + right.width() + 3);
    // The end of a long search is what is being typed.
    let query = visible(typed, false);
    let mut start = 0;
    while query[start..].width() > room {
        start += query[start..].chars().next().map_or(1, char::len_utf8);
    }
    let query = &query[start..];
    let cursor = u16::try_from(label.width() + query.width()).unwrap_or(0);
    let line = if typed.is_empty() {
        let proposal = if picker.tidying.is_some() {
            word!(" type to find a clean-up")
        } else {
            word!(" type to search")
        };
        Line::from(vec![Span::raw(label), Span::styled(proposal, soft())])
    } else {
        Line::from(vec![
            Span::raw(label),
            Span::styled(query.to_owned(), Style::new().add_modifier(Modifier::BOLD)),
        ])
    };
    frame.render_widget(Paragraph::new(line), area);
    frame.render_widget(Paragraph::new(Line::from(right).right_aligned()).style(soft()), area);
    frame.set_cursor_position((area.x + cursor.min(area.width.saturating_sub(1)), area.y));
}

fn draw_list(frame: &mut Frame<'_>, area: Rect, picker: &Picker, shown: &Shown) -> Vec<Spot> {
    let mut spots = Vec::new();
    if picker.ids.is_empty() {
        let words = match (picker.is_settled(), picker.query.is_empty(), picker.view) {
            (false, ..) => "",
            (true, false, _) => word!("Nothing matches. Esc empties the search."),
            (true, true, View::Favorites) => word!("No favorites yet: ^P makes one of what is marked."),
            (true, true, View::Drawers) => {
                word!("Nothing is in a drawer yet: `yadori drawer put` puts clips there.")
            }
            (true, true, View::History) => word!("Nothing has been copied yet."),
        };
        frame.render_widget(Paragraph::new(words).style(soft()), area);
        return spots;
    }
    let zone = crate::zone::here();
    let mut y = area.y;
    for (at, id) in picker.ids.iter().enumerate().skip(picker.top).take(picker.page) {
        let height = lines_of(shown, id).min((area.y + area.height).saturating_sub(y));
        if height == 0 {
            break;
        }
        let row = Rect { y, height, ..area };
        y += height;
        let marked = at == picker.mark;
        spots.extend(draw_row(frame, row, shown, (at + 1 - picker.top, id), marked, &zone));
    }
    spots
}

fn draw_row(
    frame: &mut Frame<'_>,
    area: Rect,
    shown: &Shown,
    (on_screen, id): (usize, &str),
    marked: bool,
    zone: &jiff::tz::TimeZone,
) -> Option<Spot> {
    let line = Rect { height: 1, ..area };
    let style = if marked { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
    let Some(row) = shown.rows.get(id) else {
        frame.render_widget(Paragraph::new("  …").style(style), line);
        return None;
    };
    let picture = shown.pictures.get(id);
    let right = right_of(row, zone);
    let beside = if picture.is_some() { usize::from(THUMB.0) + 2 } else { 0 };
    let room = usize::from(area.width).saturating_sub(right.width() + 14 + beside);
    frame.render_widget(Paragraph::new("").style(style), line);
    let ends = Paragraph::new(Line::from(format!("{right} ")).right_aligned());
    frame.render_widget(ends.style(style.patch(soft())), line);
    let (sign, words) = left_of(row, on_screen, room);
    let at = u16::try_from(sign.width()).unwrap_or(0).min(area.width);
    frame.render_widget(Paragraph::new(sign).style(style), Rect { width: at, ..line });
    let mut from = area.x + at;
    let mut spot = None;
    if let Some(picture) = picture {
        let width = THUMB.0.min(area.width.saturating_sub(at));
        spot = draw_picture(frame, Rect { x: from, width, ..area }, shown, picture, id);
        from += width + 2;
    }
    let width = u16::try_from(words.width()).unwrap_or(area.width);
    let width = width.min((area.x + area.width).saturating_sub(from));
    frame.render_widget(Paragraph::new(words).style(style), Rect { x: from, width, ..line });
    spot
}

/// What a clearing would take, below its two answers.
fn draw_question(frame: &mut Frame<'_>, area: Rect, plan: &ClearPlan, question: Question) {
    let clips = table::count_of(plan.clips, "clip");
    let answer = |yes: bool, words: String| {
        let marked = question.yes == yes;
        let style = if marked { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
        Line::styled(format!(" {} {words} ", u8::from(yes) + 1), style)
    };
    let words = visible(&plan.words, false);
    let mut what = said!("This takes {words}: {bytes}.", words = words, bytes = table::size(plan.bytes));
    if plan.spared > 0 {
        what += &said!(" {favorite} among them stay.", favorite = table::count_of(plan.spared, "favorite"));
    }
    what += &said!(" ^Z takes it back for {minutes} minutes.", minutes = plan.grace_seconds.div_ceil(60));
    let mut lines = vec![
        answer(false, said!("Keep everything")),
        answer(true, said!("Clear {clips}", clips = clips)),
        Line::default(),
        Line::from(what),
        Line::default(),
    ];
    let room = usize::from(area.width).saturating_sub(3);
    let sample = plan.sample.iter().map(|row| visible(&table::cut(&table::line(row), room), false));
    lines.extend(sample.map(|words| Line::styled(format!("   {words}"), soft())));
    frame.render_widget(Paragraph::new(lines).wrap(Wrap { trim: false }), area);
}

/// The clean-ups that are found, and what those that are meant make of the clip.
fn draw_tidying(frame: &mut Frame<'_>, area: Rect, tidying: &Tidying, shown: &Shown) {
    let [list, rule, preview] =
        Layout::horizontal([Constraint::Length(16), Constraint::Length(2), Constraint::Min(10)]).areas(area);
    let found = tidying.found();
    // What is marked is on the screen.
    let height = usize::from(list.height);
    let skip = (tidying.mark + 1).saturating_sub(height);
    let line = |(at, step): (usize, &usize)| {
        let place = tidying.chosen.iter().position(|one| one == step);
        let sign = place.map_or_else(|| "  ".to_owned(), |place| format!("{} ", place + 1));
        let style =
            if at == tidying.mark { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
        Line::styled(format!(" {sign}{:<11}", STEPS[*step].0), style)
    };
    let lines: Vec<Line<'_>> = found.iter().enumerate().skip(skip).take(height).map(line).collect();
    if lines.is_empty() {
        frame.render_widget(Paragraph::new(word!("No clean-up has that name.")).style(soft()), area);
        return;
    }
    frame.render_widget(Paragraph::new(lines), list);
    let bar: Vec<Line<'_>> = (0..rule.height).map(|_| Line::from("│")).collect();
    frame.render_widget(Paragraph::new(bar).style(soft()), rule);
    if let Some((_, text)) = shown.tidied.as_ref().filter(|(tidy, _)| *tidy == tidying.meant()) {
        let text = visible(text, true);
        frame.render_widget(Paragraph::new(text).wrap(Wrap { trim: false }), preview);
    }
}

/// What stands before a row's words, and its words.
fn left_of(row: &Row, on_screen: usize, room: usize) -> (Line<'static>, Line<'static>) {
    let (sign, color) = match row.kind {
        Kind::Text => ("text ", Color::Reset),
        Kind::Link => ("link ", Color::Cyan),
        Kind::Image => ("image", Color::Green),
        Kind::Files => ("files", Color::Yellow),
    };
    let digit = if on_screen < 10 { on_screen.to_string() } else { " ".to_owned() };
    let pinned = if row.kept.is_some() { "*" } else { " " };
    let before = Line::from(vec![
        Span::styled(format!(" {digit} "), soft()),
        Span::styled(sign, Style::new().fg(color).add_modifier(Modifier::DIM)),
        Span::raw(format!(" {pinned} ")),
    ]);
    (before, Line::from(visible(&table::cut(&table::line(row), room), false)))
}

fn right_of(row: &Row, zone: &jiff::tz::TimeZone) -> String {
    let from = table::from(&row.source);
    let when = when(row.copied_at, zone);
    let from = visible(&table::cut(&from, 14), false);
    if from.is_empty() { when } else { format!("{from}  {when}") }
}
