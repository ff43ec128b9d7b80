//! What a person can ask of the picker, and the keys that ask it in a terminal.

use serde::{Deserialize, Serialize};

use super::wish::View;
use crate::take::chord::{Chord, Held};

/// What a key, or a pointer, asks for.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(tag = "ask", content = "with", rename_all = "kebab-case")]
pub enum Ask {
    /// Typed into the search, at its end.
    Type(String),
    /// The search as it stands in a field that a person edits in their own way.
    Write(String),
    /// The letter before the cursor goes.
    EraseLetter,
    /// The word before the cursor goes.
    EraseWord,
    /// The search is emptied.
    EraseAll,
    /// The mark moves by so many rows.
    Move(isize),
    /// The mark moves by so many pages.
    Page(isize),
    /// The mark moves to the first row.
    First,
    /// The mark moves to the last row.
    Last,
    /// What is marked is pasted, or put on the live clipboard: what the person has chosen for this key.
    Take,
    /// The other of the two.
    TakeOtherwise,
    /// As [`Ask::Take`], as plain text.
    TakePlain,
    /// The clip in this row of the screen (from 1), as [`Ask::Take`].
    TakeRow(usize),
    /// This clip was pointed at, as [`Ask::Take`].
    TakeClip(String),
    /// This clip was pointed at, to be marked.
    MarkClip(String),
    /// The list was scrolled, so that this row stands at the top: what is marked stays on the screen.
    Scroll(usize),
    /// Clean-ups are chosen for what is marked, to be taken with them.
    Tidy,
    /// What is marked is edited.
    Edit,
    /// What is marked becomes a favorite, or is one no longer.
    Pin,
    /// What is marked goes into the batch in hand.
    Gather,
    /// What is next in the batch in hand is handed out, as [`Ask::Take`].
    HandOut,
    /// What is marked is removed.
    Remove,
    /// The act of this picker that was done last is taken back.
    Undo,
    /// What is listed is cleared, favorites excepted, once that is confirmed.
    Clear,
    /// Capture is paused, or goes on again.
    Pause,
    /// The favorites, then what is in drawers, then the history again.
    Favorites,
    /// This one of them.
    See(View),
    /// The whole of what is marked, or the list again.
    Whole,
    /// The picker stays open after a paste, or does not.
    Stay,
    /// What is open is closed: the whole of a clip, the search, the picker.
    Leave,
    /// The picker closes.
    Close,
}

/// What an ask is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(super) enum About {
    /// Which of what is listed is marked.
    Moving,
    /// What is listed.
    Listed,
    /// What is to be listed.
    Search,
    /// What is seen, by its id.
    Seen,
    /// The way out.
    Leaving,
    /// Anything else.
    Other,
}

impl Ask {
    pub(super) fn about(&self) -> About {
        match self {
            Self::Move(_) | Self::Page(_) | Self::First | Self::Last => About::Moving,
            Self::Take | Self::TakeOtherwise | Self::TakePlain | Self::TakeRow(_) => About::Listed,
            Self::Tidy | Self::Edit | Self::Pin | Self::Gather | Self::Remove | Self::Clear | Self::Whole => {
                About::Listed
            }
            Self::Type(_) | Self::Write(_) | Self::EraseLetter | Self::EraseWord | Self::EraseAll => {
                About::Search
            }
            Self::Favorites | Self::See(_) => About::Search,
            Self::TakeClip(_) | Self::MarkClip(_) | Self::Scroll(_) => About::Seen,
            Self::Leave | Self::Close => About::Leaving,
            Self::HandOut | Self::Undo | Self::Stay | Self::Pause => About::Other,
        }
    }
}

/// A key of the picker, as it is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Hint {
    /// The key.
    pub key: &'static str,
    /// What it does, in a word or two.
    pub does: &'static str,
}

const fn held(control: bool, alt: bool) -> Held {
    Held { control, shift: false, alt, super_: false }
}

/// Chords without Shift, by keysym. Letters are lower case.
fn asked(Chord { held: h, key }: Chord) -> Option<Ask> {
    let (plain, control, alt) = (held(false, false), held(true, false), held(false, true));
    let h = Held { shift: false, ..h };
    let letter = char::from_u32(key).unwrap_or('\0');
    // A browser keeps some of them with Ctrl for itself.
    let either = h == control || h == alt;
    Some(match (h, key, letter) {
        (h, 0xff08, _) if h == plain => Ask::EraseLetter,
        (h, 0xff08, _) if h == control || h == alt => Ask::EraseWord,
        (h, _, 'w') if h == control => Ask::EraseWord,
        (h, _, 'u') if h == control => Ask::EraseAll,
        (h, 0xff52, _) if h == plain => Ask::Move(-1),
        (h, 0xff54, _) if h == plain => Ask::Move(1),
        (h, 0xff55, _) if h == plain => Ask::Page(-1),
        (h, 0xff56, _) if h == plain => Ask::Page(1),
        (h, 0xff50, _) if h == plain => Ask::First,
        (h, 0xff57, _) if h == plain => Ask::Last,
        (h, 0xff0d | 0xff8d, _) if h == plain => Ask::Take,
        (h, 0xff09, _) if h == plain => Ask::TakeOtherwise,
        (h, 0xff0d | 0xff8d, _) if h == alt => Ask::TakePlain,
        (h, _, '1'..='9') if h == alt => Ask::TakeRow(usize::try_from(key - 0x30).ok()?),
        (_, _, 'p') if either => Ask::Pin,
        (_, _, 't') if either => Ask::Tidy,
        (_, _, 'e') if either => Ask::Edit,
        (_, _, 'g') if either => Ask::Gather,
        (_, _, 'n') if either => Ask::HandOut,
        (h, 0xffff, _) if h == plain => Ask::Remove,
        (_, _, 'l') if either => Ask::Clear,
        (_, _, 'b') if either => Ask::Pause,
        (_, _, 'z') if either => Ask::Undo,
        (_, _, 'f') if either => Ask::Favorites,
        (_, _, 'o') if either => Ask::Whole,
        (_, _, 's') if either => Ask::Stay,
        (h, 0xff1b, _) if h == plain => Ask::Leave,
        (h, _, 'c') if h == control => Ask::Close,
        _ => return None,
    })
}

impl Ask {
    /// What a chord asks for; `None` when it asks for nothing here.
    pub fn of(chord: Chord) -> Option<Self> {
        asked(chord)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn keys_ask_by_their_names() {
        for (chord, ask) in [
            ("Ctrl+Backspace", Ask::EraseWord),
            ("Ctrl+Shift+P", Ask::Pin),
            ("Alt+Return", Ask::TakePlain),
            ("Alt+3", Ask::TakeRow(3)),
            ("Ctrl+F", Ask::Favorites),
            ("Ctrl+Z", Ask::Undo),
            ("Alt+N", Ask::HandOut),
            ("Alt+T", Ask::Tidy),
            ("Ctrl+L", Ask::Clear),
            ("Alt+B", Ask::Pause),
        ] {
            assert_eq!(Ask::of(chord.parse().unwrap()), Some(ask), "{chord}");
        }
        let key = |key| Chord { held: Held::default(), key };
        assert_eq!(Ask::of(key(0xff0d)), Some(Ask::Take));
        assert_eq!(Ask::of(key(0xff09)), Some(Ask::TakeOtherwise));
        let shift = Held { shift: true, ..Held::default() };
        assert_eq!(Ask::of(Chord { held: shift, key: 0xff09 }), Some(Ask::TakeOtherwise));
        assert_eq!(Ask::of("Ctrl+Q".parse().unwrap()), None);
        assert_eq!(Ask::of("Super+P".parse().unwrap()), None);
    }
}
