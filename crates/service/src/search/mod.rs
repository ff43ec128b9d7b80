//! Searching: on the texts as they are when a search begins, beside everything else, a few at a time, within bounds.

pub mod find;
pub mod long_texts;
pub mod sealing;
