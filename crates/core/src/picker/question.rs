//! A question before something is done from the picker: the answer that leaves everything as it is is the one that is
//! marked first.

use super::keys::Ask;

/// A question with two answers.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
pub struct Question {
    /// Which answer is marked: false leaves everything as it is.
    pub yes: bool,
}

impl Question {
    /// What a person asks for. Gives the answer, once there is one.
    pub fn ask(&mut self, ask: &Ask) -> Option<bool> {
        match ask {
            Ask::Move(_) | Ask::Page(_) | Ask::TakeOtherwise => {
                self.yes = !self.yes;
                None
            }
            Ask::First => {
                self.yes = false;
                None
            }
            Ask::Last => {
                self.yes = true;
                None
            }
            Ask::Take | Ask::TakePlain => Some(self.yes),
            // The answers stand below each other, like rows.
            Ask::TakeRow(1) | Ask::Leave | Ask::Close => Some(false),
            Ask::TakeRow(2) => Some(true),
            _ => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_is_done_unless_its_own_answer_was_chosen() {
        assert_eq!(Question::default().ask(&Ask::Take), Some(false));
        assert_eq!(Question::default().ask(&Ask::Leave), Some(false));
        let mut one = Question::default();
        for ask in [Ask::Type("y".into()), Ask::Clear, Ask::Remove, Ask::Undo, Ask::TakeRow(3)] {
            assert_eq!(one.ask(&ask), None);
            assert!(!one.yes, "{ask:?}");
        }
        assert_eq!(one.ask(&Ask::Move(1)), None);
        assert_eq!(one.ask(&Ask::Take), Some(true));
        assert_eq!(one.ask(&Ask::Leave), Some(false));
        assert_eq!(Question::default().ask(&Ask::TakeRow(2)), Some(true));
    }
}
