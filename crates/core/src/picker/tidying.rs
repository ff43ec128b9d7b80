//! Choosing how a clip is cleaned up on its way out of the picker.

use serde::Serialize;

use super::keys::Ask;
use super::wish::Do;
use crate::take::tidy::STEPS;

/// Letters of a search among the clean-ups.
const LONGEST: usize = 40;

/// The clean-ups for one clip: found by letters, one or several of them chosen.
#[derive(Clone, Debug, PartialEq, Eq, Serialize)]
pub struct Tidying {
    /// The clip.
    pub id: String,
    /// What is looked for among their names.
    pub find: String,
    /// Which of those that are found is marked.
    pub mark: usize,
    /// Those that are chosen, by their place among all, in the order in which they were chosen.
    pub chosen: Vec<usize>,
}

impl Tidying {
    /// The clean-ups for this clip; none is chosen yet.
    pub fn of(id: String) -> Self {
        Self { id, find: String::new(), mark: 0, chosen: Vec::new() }
    }

    /// Those that are found, by their place among all.
    pub fn found(&self) -> Vec<usize> {
        let wanted = self.find.to_lowercase();
        (0..STEPS.len()).filter(|at| STEPS[*at].0.contains(&wanted)).collect()
    }

    /// What would be done with the clip now: what is chosen, or else what is marked.
    pub fn meant(&self) -> Vec<String> {
        let marked = || self.found().get(self.mark).copied().into_iter().collect();
        let all: Vec<usize> = if self.chosen.is_empty() { marked() } else { self.chosen.clone() };
        all.into_iter().map(|at| STEPS[at].0.to_owned()).collect()
    }

    /// The question what that makes of the clip.
    pub fn preview(&self) -> Do {
        Do::Preview { id: self.id.clone(), tidy: self.meant() }
    }

    /// What a person asks for; and whether choosing goes on.
    pub(super) fn ask(&mut self, ask: &Ask, swapped: bool, stays: bool, page: usize) -> (Vec<Do>, bool) {
        let before = self.meant();
        let last = self.found().len().saturating_sub(1);
        match ask {
            Ask::Type(text) if text == " " => self.toggle(self.mark),
            Ask::Type(text) => self.look_for(&(self.find.clone() + text)),
            Ask::Write(text) => self.look_for(text),
            Ask::EraseLetter => {
                let mut find = self.find.clone();
                find.pop();
                self.look_for(&find);
            }
            Ask::EraseWord | Ask::EraseAll => self.look_for(""),
            Ask::Move(by) => self.mark = self.mark.saturating_add_signed(*by).min(last),
            Ask::Page(by) => self.mark = if *by < 0 { 0 } else { last },
            Ask::First => self.mark = 0,
            Ask::Last => self.mark = last,
            Ask::TakeRow(row) if *row > 0 && *row <= page.max(1) => self.toggle(row - 1),
            Ask::Take | Ask::TakePlain => return self.take(!swapped, stays),
            Ask::TakeOtherwise => return self.take(swapped, stays),
            Ask::Leave | Ask::Tidy => return (Vec::new(), false),
            Ask::Close => return (vec![Do::Close], false),
            _ => {}
        }
        let done = if self.meant() == before { Vec::new() } else { vec![self.preview()] };
        (done, true)
    }

    fn take(&self, paste: bool, stays: bool) -> (Vec<Do>, bool) {
        let tidy = self.meant();
        if tidy.is_empty() {
            return (Vec::new(), true);
        }
        (vec![Do::Take { id: self.id.clone(), paste, plain: false, tidy, close: !stays }], false)
    }

    fn look_for(&mut self, find: &str) {
        let find: String = find.chars().filter(|letter| !letter.is_control()).take(LONGEST).collect();
        if find != self.find {
            self.find = find;
            self.mark = 0;
        }
    }

    /// One that is found is chosen, or no longer. Its place among all is marked then: what was looked for is found.
    fn toggle(&mut self, at: usize) {
        let Some(step) = self.found().get(at).copied() else { return };
        match self.chosen.iter().position(|one| *one == step) {
            Some(place) => drop(self.chosen.remove(place)),
            None => self.chosen.push(step),
        }
        self.find.clear();
        self.mark = step;
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn ask(tidying: &mut Tidying, ask: &Ask) -> Vec<Do> {
        tidying.ask(ask, false, false, 20).0
    }

    #[test]
    fn one_is_found_by_letters_and_taken_several_are_chosen_in_order() {
        let mut one = Tidying::of("a".into());
        assert_eq!(one.preview(), Do::Preview { id: "a".into(), tidy: vec!["plain".into()] });
        let done = ask(&mut one, &Ask::Type("unl".into()));
        assert_eq!(done, [Do::Preview { id: "a".into(), tidy: vec!["unlist".into()] }]);
        ask(&mut one, &Ask::Type(" ".into()));
        assert_eq!((one.find.as_str(), STEPS[one.mark].0), ("", "unlist"));
        ask(&mut one, &Ask::Type("trim".into()));
        ask(&mut one, &Ask::Type(" ".into()));
        assert_eq!(one.meant(), ["unlist", "trim"]);
        let (done, goes_on) = one.ask(&Ask::Take, false, true, 20);
        let tidy = vec!["unlist".into(), "trim".into()];
        assert_eq!(done, [Do::Take { id: "a".into(), paste: true, plain: false, tidy, close: false }]);
        assert!(!goes_on);
    }

    #[test]
    fn nothing_is_taken_when_no_clean_up_has_that_name() {
        let mut one = Tidying::of("a".into());
        ask(&mut one, &Ask::Type("zzz".into()));
        assert_eq!(one.ask(&Ask::Take, false, false, 20), (Vec::new(), true));
    }
}
