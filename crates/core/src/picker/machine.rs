//! The picker: what stands on the screen, what a key does with it, and what is to be asked of the service.
//!
//! What is listed changes only by what the person asks for. A key that takes acts on what is marked on the screen when it
//! is pressed, and belongs to the search that stands in the field: before its answer has come, the key waits for it, and
//! whatever is pressed after that waits behind it. A pointer means what it points at.

use serde::Serialize;

use super::keys::{About, Ask, Hint};
use super::tidying::Tidying;
pub use super::wish::{Do, View, Wanted};

/// Rows that are listed first; more are asked for as the mark comes near the end.
pub const FIRST: usize = 60;
/// Rows below the mark that are to be known.
const AHEAD: usize = 30;
/// Rows that are listed at most.
pub const MOST: usize = 500;
/// Characters of a search.
const LONGEST: usize = 1_000;

/// Which clip is taken, and how.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
struct Way {
    paste: bool,
    plain: bool,
}

/// The picker.
#[derive(Clone, Debug, Default, Serialize)]
pub struct Picker {
    /// What stands in the field.
    pub query: String,
    /// Where one is.
    pub view: View,
    /// The ids of what is listed.
    pub ids: Vec<String>,
    /// Which of them is marked.
    pub mark: usize,
    /// There is more than is listed.
    pub more: bool,
    /// The clip whose whole is shown.
    pub whole: Option<String>,
    /// Clean-ups are being chosen.
    pub tidying: Option<Tidying>,
    /// The picker stays open after a paste.
    pub stays: bool,
    /// Enter only puts on the clipboard, Tab pastes.
    pub swapped: bool,
    /// The row that stands at the top of the screen.
    pub top: usize,
    /// How many rows the screen shows.
    pub page: usize,
    asked: u64,
    shown: u64,
    rows: usize,
    /// The question that was asked last begins another list.
    begins: bool,
    /// What was asked for before that list was there, and is about it; and whatever was asked for after that.
    later: Vec<Ask>,
}

impl Picker {
    /// The picker as it opens, and its first question.
    pub fn open(swapped: bool) -> (Self, Do) {
        let mut picker = Self { swapped, page: 10, rows: FIRST, ..Self::default() };
        let first = picker.list();
        picker.begins = true;
        (picker, first)
    }

    /// What is listed belongs to what stands in the field.
    pub fn is_settled(&self) -> bool {
        self.asked == self.shown
    }

    /// What is marked.
    pub fn marked(&self) -> Option<&str> {
        self.ids.get(self.mark).map(String::as_str)
    }

    fn list(&mut self) -> Do {
        self.asked += 1;
        Do::List(Wanted {
            number: self.asked,
            view: self.view,
            query: self.query.trim().to_owned(),
            rows: self.rows,
        })
    }

    /// Another search, or another place: from its first row.
    fn anew(&mut self) -> Vec<Do> {
        self.rows = FIRST;
        self.whole = None;
        self.tidying = None;
        self.later.clear();
        self.begins = true;
        vec![self.list()]
    }

    /// What a person asks for. Gives what the service is to do.
    pub fn ask(&mut self, ask: Ask) -> Vec<Do> {
        if let Some(tidying) = &mut self.tidying {
            let (done, goes_on) = tidying.ask(&ask, self.swapped, self.stays, self.page);
            if !goes_on {
                self.tidying = None;
            }
            return done;
        }
        if self.begins && self.waits(&ask) {
            if self.later.len() < LONGEST {
                self.later.push(ask);
            }
            return Vec::new();
        }
        match ask {
            Ask::Type(text) => self.type_text(&text),
            Ask::Write(text) => self.write(&text),
            Ask::EraseLetter => {
                let had = self.query.pop().is_some();
                if had { self.anew() } else { Vec::new() }
            }
            Ask::EraseWord => {
                let rest = self.query.trim_end();
                let space = rest.char_indices().rfind(|(_, letter)| letter.is_whitespace());
                self.shorten(space.map_or(0, |(at, letter)| at + letter.len_utf8()))
            }
            Ask::EraseAll => self.shorten(0),
            Ask::Move(by) => self.step(by),
            Ask::Page(by) => self.step(by * isize::try_from(self.page.max(2) - 1).unwrap_or(1)),
            Ask::First => self.step(isize::MIN / 2),
            Ask::Last => self.step(isize::MAX / 2),
            Ask::Take => self.take(self.marked(), Way { paste: !self.swapped, plain: false }),
            Ask::TakeOtherwise => self.take(self.marked(), Way { paste: self.swapped, plain: false }),
            Ask::TakePlain => self.take(self.marked(), Way { paste: !self.swapped, plain: true }),
            // What is not on the screen is not meant.
            Ask::TakeRow(row) if row == 0 || row > self.page => Vec::new(),
            Ask::TakeRow(row) => {
                let there = self.ids.get(self.top + row - 1).map(String::as_str);
                self.take(there, Way { paste: !self.swapped, plain: false })
            }
            Ask::TakeClip(id) => {
                let there = self.ids.iter().find(|one| **one == id).map(String::as_str);
                self.take(there, Way { paste: !self.swapped, plain: false })
            }
            Ask::MarkClip(id) => self.mark_clip(&id),
            Ask::Scroll(top) => self.scroll(top),
            Ask::Tidy => {
                self.tidying = self.marked().map(|id| Tidying::of(id.to_owned()));
                self.tidying.iter().map(Tidying::preview).collect()
            }
            Ask::Edit => self.of_marked(Do::Edit),
            Ask::Pin => self.of_marked(Do::Pin),
            Ask::Gather => self.of_marked(Do::Gather),
            Ask::HandOut => vec![Do::HandOut { paste: !self.swapped, close: !self.stays }],
            Ask::Remove => self.of_marked(Do::Remove),
            // Favorites and what is in drawers are cleared by nobody who does not name them.
            Ask::Clear if self.view == View::History => {
                vec![Do::Clear { query: self.query.trim().to_owned() }]
            }
            Ask::Clear => Vec::new(),
            Ask::Pause => vec![Do::Pause],
            Ask::Undo => vec![Do::Undo],
            Ask::Favorites => {
                self.view = match self.view {
                    View::History => View::Favorites,
                    View::Favorites => View::Drawers,
                    View::Drawers => View::History,
                };
                self.anew()
            }
            Ask::See(view) if view == self.view => Vec::new(),
            Ask::See(view) => {
                self.view = view;
                self.anew()
            }
            Ask::Whole if self.whole.is_some() => {
                self.whole = None;
                Vec::new()
            }
            Ask::Whole => {
                self.whole = self.marked().map(str::to_owned);
                self.whole.clone().map(Do::Whole).into_iter().collect()
            }
            Ask::Stay => {
                self.stays = !self.stays;
                Vec::new()
            }
            Ask::Leave => self.leave(),
            Ask::Close => vec![Do::Close],
        }
    }

    /// Before another list is there: what is about it waits, and everything that comes after a choice among it.
    fn waits(&self, ask: &Ask) -> bool {
        let about = ask.about();
        let chosen = self.later.iter().any(|one| one.about() != About::Moving);
        match about {
            About::Moving | About::Listed => true,
            About::Search | About::Other => chosen,
            About::Seen | About::Leaving => false,
        }
    }

    fn type_text(&mut self, text: &str) -> Vec<Do> {
        let text: String = text.chars().filter(|letter| !letter.is_control()).collect();
        if text.is_empty() || self.query.chars().count() + text.chars().count() > LONGEST {
            return Vec::new();
        }
        self.query.push_str(&text);
        self.anew()
    }

    /// The field was edited.
    fn write(&mut self, text: &str) -> Vec<Do> {
        let text: String = text.chars().filter(|letter| !letter.is_control()).take(LONGEST).collect();
        if text == self.query {
            return Vec::new();
        }
        self.query = text;
        self.anew()
    }

    fn shorten(&mut self, to: usize) -> Vec<Do> {
        if to >= self.query.len() {
            return Vec::new();
        }
        self.query.truncate(to);
        self.anew()
    }

    fn leave(&mut self) -> Vec<Do> {
        // What waits is called off.
        if self.later.iter().any(|one| one.about() != About::Moving) {
            self.later.clear();
            return Vec::new();
        }
        if self.whole.take().is_some() {
            return Vec::new();
        }
        if !self.query.is_empty() {
            return self.shorten(0);
        }
        if self.view != View::History {
            return self.ask(Ask::See(View::History));
        }
        vec![Do::Close]
    }

    fn step(&mut self, by: isize) -> Vec<Do> {
        let last = self.ids.len().saturating_sub(1);
        self.mark = self.mark.saturating_add_signed(by).min(last);
        self.whole = None;
        self.show_mark();
        let wants_more = self.more && self.rows < MOST && self.mark + AHEAD >= self.ids.len();
        if !(wants_more && self.is_settled()) {
            return Vec::new();
        }
        self.rows = (self.rows * 2).min(MOST);
        vec![self.list()]
    }

    /// The mark is on the screen.
    fn show_mark(&mut self) {
        let page = self.page.max(1);
        if self.mark < self.top {
            self.top = self.mark;
        } else if self.mark >= self.top + page {
            self.top = self.mark + 1 - page;
        }
    }

    /// A row is pointed at.
    fn mark_clip(&mut self, id: &str) -> Vec<Do> {
        let at = self.ids.iter().position(|one| one == id).filter(|_| !self.begins);
        if let Some(at) = at {
            self.mark = at;
            self.whole = None;
            self.show_mark();
        }
        Vec::new()
    }

    /// The list was scrolled.
    fn scroll(&mut self, top: usize) -> Vec<Do> {
        // Where the next list begins is not here.
        if self.begins {
            return Vec::new();
        }
        self.top = top.min(self.ids.len().saturating_sub(self.page.max(1)));
        let wanted = self.mark.clamp(self.top, self.top + self.page.max(1) - 1);
        let by = isize::try_from(wanted).unwrap_or(0) - isize::try_from(self.mark).unwrap_or(0);
        if by == 0 { Vec::new() } else { self.step(by) }
    }

    /// The screen shows so many rows.
    pub fn resize(&mut self, page: usize) {
        self.page = page.max(1);
        self.show_mark();
    }

    fn of_marked(&self, what: fn(String) -> Do) -> Vec<Do> {
        self.marked().map(|id| what(id.to_owned())).into_iter().collect()
    }

    fn take(&self, id: Option<&str>, Way { paste, plain }: Way) -> Vec<Do> {
        let Some(id) = id.map(str::to_owned) else { return Vec::new() };
        vec![Do::Take { id, paste, plain, tidy: Vec::new(), close: !self.stays }]
    }

    /// What was listed for a question: another list from its first row, or the same one with the mark where it is. Gives what
    /// waited for it asks for.
    pub fn listed(&mut self, number: u64, ids: Vec<String>, more: bool) -> Vec<Do> {
        if number != self.asked {
            return Vec::new();
        }
        // More of the same list, or another one.
        let goes_on = self.rows > FIRST && ids.starts_with(&self.ids);
        let marked = self.marked().filter(|_| self.rows > FIRST).map(str::to_owned);
        self.shown = number;
        self.ids = ids;
        self.more = more;
        if !goes_on {
            let at = marked.and_then(|id| self.ids.iter().position(|one| *one == id));
            self.mark = at.unwrap_or(0);
            self.top = 0;
            self.show_mark();
        }
        self.begins = false;
        let mut done = Vec::new();
        let mut later = std::mem::take(&mut self.later).into_iter();
        while let Some(ask) = later.next() {
            done.extend(self.ask(ask));
            if self.begins {
                self.later.extend(later);
                return done;
            }
            // What was pressed after the key that closes it is nobody's.
            if matches!(
                done.last(),
                Some(Do::Take { close: true, .. } | Do::HandOut { close: true, .. } | Do::Close)
            ) {
                return done;
            }
        }
        done
    }

    /// A question could not be answered: what is listed stays, and nothing waits for it any more.
    pub fn failed(&mut self, number: u64) {
        if number == self.asked {
            self.shown = number;
            self.begins = false;
            self.later.clear();
        }
    }

    /// A clip is listed no longer: its neighbour is marked.
    pub fn gone(&mut self, id: &str) {
        self.tidying.take_if(|tidying| tidying.id == id);
        let Some(at) = self.ids.iter().position(|one| one == id) else { return };
        self.ids.remove(at);
        if at < self.mark {
            self.mark -= 1;
        }
        self.mark = self.mark.min(self.ids.len().saturating_sub(1));
        self.whole = None;
        self.show_mark();
    }

    /// What is to be listed now, once an act of this picker has changed what there is.
    pub fn changed(&mut self) -> Do {
        self.list()
    }

    /// The keys that apply now.
    pub fn hints(&self) -> Vec<Hint> {
        let hint = |key, does| Hint { key, does };
        if self.tidying.is_some() {
            let (enter, tab) = if self.swapped { ("clipboard", "paste") } else { ("paste", "clipboard") };
            return vec![
                hint("Enter", enter),
                hint("Tab", tab),
                hint("Space", "choose several"),
                hint("Esc", "back"),
            ];
        }
        let (enter, tab) = if self.swapped { ("clipboard", "paste") } else { ("paste", "clipboard") };
        let mut all = vec![hint("Enter", enter), hint("Tab", tab)];
        if self.whole.is_none() {
            all.push(hint("Alt 1-9", "by row"));
        }
        all.extend([
            hint("Alt Enter", "plain"),
            hint("^T", "tidy"),
            hint("^E", "edit"),
            hint("^P", "pin"),
            hint("^G", "into the batch"),
            hint("^N", "next of it"),
            hint("Del", "remove"),
            hint("^Z", "undo"),
            hint("^B", "pause"),
            hint(
                "^F",
                match self.view {
                    View::History => "favorites",
                    View::Favorites => "drawers",
                    View::Drawers => "history",
                },
            ),
            hint("^O", if self.whole.is_some() { "list" } else { "whole" }),
            hint("^S", if self.stays { "close after" } else { "stay open" }),
        ]);
        if self.view == View::History {
            all.push(hint("^L", if self.query.is_empty() { "clear" } else { "clear these" }));
        }
        all.push(hint("Esc", if self.whole.is_some() || !self.query.is_empty() { "back" } else { "close" }));
        all
    }
}

#[cfg(test)]
mod tests;
