//! What stands on the screen.

use ratatui::Frame;
use ratatui::layout::{Constraint, Layout, Rect};
use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};
use ratatui::widgets::{Paragraph, Wrap};
use unicode_width::UnicodeWidthStr;
use yadori_api::picker::machine::{Picker, View};
use yadori_api::{Kind, Row};

use super::Shown;
use crate::symbols::shown as visible;
use crate::table;

/// Rows around the list: the field, a line under it, a line for words, two for keys.
const AROUND: u16 = 5;

/// How many rows of a list a screen of this height shows.
pub(super) fn rows_of(height: u16) -> usize {
    usize::from(height.saturating_sub(AROUND).max(1))
}

fn soft() -> Style {
    Style::new().add_modifier(Modifier::DIM)
}

pub(super) fn draw(frame: &mut Frame<'_>, picker: &Picker, shown: &Shown) {
    let lengths = [1, 1, rows_of(frame.area().height).try_into().unwrap_or(1), 1, 2];
    let [field, rule, list, words, keys] =
        Layout::vertical(lengths.map(Constraint::Length)).areas(frame.area());
    draw_field(frame, field, picker, shown);
    frame.render_widget(Paragraph::new("─".repeat(rule.width.into())).style(soft()), rule);
    if picker.whole.is_some() {
        let text = visible(&shown.whole, true);
        frame
            .render_widget(Paragraph::new(text).wrap(Wrap { trim: false }).scroll((shown.scrolled, 0)), list);
    } else {
        draw_list(frame, list, picker, shown);
    }
    match (&shown.message, &shown.batch) {
        (Some(message), _) => frame.render_widget(Paragraph::new(visible(message, false)), words),
        (None, Some(batch)) => {
            frame.render_widget(Paragraph::new(visible(batch, false)).style(soft()), words);
        }
        (None, None) => {}
    }
    let mut spans = Vec::new();
    for hint in picker.hints() {
        // Started by hand, it has nothing to paste into: both keys do the same.
        if hint.key == "Tab" && !shown.by_chord {
            continue;
        }
        let does = if hint.does == "paste" && !shown.by_chord { "clipboard" } else { hint.does };
        spans.push(Span::styled(hint.key, Style::new().add_modifier(Modifier::BOLD)));
        spans.push(Span::styled(format!(" {does}  "), soft()));
    }
    let hints = Paragraph::new(Line::from(spans)).wrap(Wrap { trim: true });
    frame.render_widget(hints, keys);
}

fn draw_field(frame: &mut Frame<'_>, area: Rect, picker: &Picker, shown: &Shown) {
    let place = if picker.view == View::Favorites { "Favorites" } else { "History" };
    let count = match (picker.is_settled(), picker.query.is_empty(), picker.view) {
        (false, ..) => "looking …".to_owned(),
        (true, true, View::History) => format!("{} clips", shown.total),
        (true, ..) => format!("{}{} found", picker.ids.len(), if picker.more { "+" } else { "" }),
    };
    let stays = if picker.stays { " · stays open" } else { "" };
    let right = format!("{count}{stays}");
    let label = format!("{place} › ");
    let room = usize::from(area.width).saturating_sub(label.width() + right.width() + 3);
    // The end of a long search is what is being typed.
    let query = visible(&picker.query, false);
    let mut start = 0;
    while query[start..].width() > room {
        start += query[start..].chars().next().map_or(1, char::len_utf8);
    }
    let query = &query[start..];
    let cursor = u16::try_from(label.width() + query.width()).unwrap_or(0);
    let line = if picker.query.is_empty() {
        Line::from(vec![Span::raw(label), Span::styled(" type to search", soft())])
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

fn draw_list(frame: &mut Frame<'_>, area: Rect, picker: &Picker, shown: &Shown) {
    if picker.ids.is_empty() {
        let words = match (picker.is_settled(), picker.query.is_empty(), picker.view) {
            (false, ..) => "",
            (true, false, _) => "Nothing matches. Esc empties the search.",
            (true, true, View::Favorites) => "No favorites yet: ^P makes one of what is marked.",
            (true, true, View::History) => "Nothing has been copied yet.",
        };
        frame.render_widget(Paragraph::new(words).style(soft()), area);
        return;
    }
    let zone = jiff::tz::TimeZone::system();
    for (at, id) in picker.ids.iter().enumerate().skip(picker.top).take(area.height.into()) {
        let y = area.y + u16::try_from(at - picker.top).unwrap_or(0);
        let line = Rect { y, height: 1, ..area };
        let style =
            if at == picker.mark { Style::new().add_modifier(Modifier::REVERSED) } else { Style::new() };
        let left = match shown.rows.get(id) {
            Some(row) => {
                let right = right_of(row, &zone);
                let room = usize::from(area.width).saturating_sub(right.width() + 14);
                frame.render_widget(Paragraph::new("").style(style), line);
                let left = left_of(row, at + 1 - picker.top, room);
                frame.render_widget(
                    Paragraph::new(Line::from(format!("{right} ")).right_aligned())
                        .style(style.patch(soft())),
                    line,
                );
                left
            }
            None => Line::from("  …"),
        };
        let width = u16::try_from(left.width()).unwrap_or(area.width).min(area.width);
        frame.render_widget(Paragraph::new(left).style(style), Rect { width, ..line });
    }
}

fn left_of(row: &Row, on_screen: usize, room: usize) -> Line<'static> {
    let (sign, color) = match row.kind {
        Kind::Text => ("text ", Color::Reset),
        Kind::Link => ("link ", Color::Cyan),
        Kind::Image => ("image", Color::Green),
        Kind::Files => ("files", Color::Yellow),
    };
    let digit = if on_screen < 10 { on_screen.to_string() } else { " ".to_owned() };
    let pinned = if row.kept.is_some() { "*" } else { " " };
    Line::from(vec![
        Span::styled(format!(" {digit} "), soft()),
        Span::styled(sign, Style::new().fg(color).add_modifier(Modifier::DIM)),
        Span::raw(format!(" {pinned} ")),
        Span::raw(visible(&table::cut(&table::line(row), room), false)),
    ])
}

fn right_of(row: &Row, zone: &jiff::tz::TimeZone) -> String {
    let from = table::from(&row.source);
    let when = table::when(row.copied_at, zone);
    let from = visible(&table::cut(&from, 14), false);
    if from.is_empty() { when } else { format!("{from}  {when}") }
}
