//! `yadori title` and `yadori color`: names and colors on clips; `yadori bring-up`.

use std::io::Write;

use clap::builder::PossibleValue;
use clap::{Args, ValueEnum};
use clap_complete::engine::ArgValueCompleter;
use yadori_api::{BringUp as Up, Color as Word, Paint, Title as Request};

use super::{act, ids, ids_of};
use crate::completing::clips;
use crate::connection::Connection;
use crate::failure::Failure;
use yadori_words::said;

/// Give a clip a title, or take it away
#[derive(Debug, Args)]
pub(crate) struct Title {
    /// Which clip
    #[arg(value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clip: String,
    /// One line of at most 200 characters
    #[arg(value_name = "TITLE", required_unless_present = "none")]
    title: Option<String>,
    /// Take its title away
    #[arg(long, conflicts_with = "title")]
    none: bool,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Title {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        if self.title.as_deref().is_some_and(|title| title.trim().is_empty()) {
            return Err(Failure::Use(said!("an empty title is none; --none takes a title away")));
        }
        let request = Request { id: ids_of(service, &self.clip)?, title: self.title.clone() };
        act(service, out, "/title", &request, self.json)
    }
}

/// A color, or none.
#[derive(Clone, Copy, Debug)]
pub(crate) struct ColorName(Option<Word>);

const COLORS: usize = Word::ALL.len();
/// Every color, then none.
const NAMES: [ColorName; COLORS + 1] = {
    let mut names = [ColorName(None); COLORS + 1];
    let mut n = 0;
    while n < COLORS {
        names[n] = ColorName(Some(Word::ALL[n]));
        n += 1;
    }
    names
};

impl ValueEnum for ColorName {
    fn value_variants<'a>() -> &'a [Self] {
        &NAMES
    }

    fn to_possible_value(&self) -> Option<PossibleValue> {
        Some(PossibleValue::new(self.0.map_or("none", Word::word)))
    }
}

impl ColorName {
    pub(crate) fn word(self) -> Option<Word> {
        self.0
    }
}

/// Give clips a color
#[derive(Debug, Args)]
pub(crate) struct Color {
    /// Which color
    #[arg(value_enum, value_name = "COLOR")]
    color: ColorName,
    /// Which clips
    #[arg(required = true, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Color {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let request = Paint { ids: ids(service, &self.clips)?, color: self.color.word() };
        act(service, out, "/color", &request, self.json)
    }
}

/// Bring old clips to the top of the history
#[derive(Debug, Args)]
pub(crate) struct BringUp {
    /// Which clips
    #[arg(required = true, value_name = "CLIP", add = ArgValueCompleter::new(clips))]
    clips: Vec<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl BringUp {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        act(service, out, "/bring-up", &Up { ids: ids(service, &self.clips)? }, self.json)
    }
}
