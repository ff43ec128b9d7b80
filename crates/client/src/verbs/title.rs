//! `yadori title` and `yadori color`: names and colors on clips; `yadori bring-up`.

use std::io::Write;

use clap::{Args, ValueEnum};
use yadori_api::{BringUp as Up, Color as Word, Paint, Title as Request};

use super::{act, ids, ids_of};
use crate::connection::Connection;
use crate::failure::Failure;

/// Give a clip a title; without one, take its title away
#[derive(Debug, Args)]
pub(crate) struct Title {
    /// Which clip
    #[arg(value_name = "CLIP")]
    clip: String,
    /// One line of at most 200 characters
    #[arg(value_name = "TITLE")]
    title: Option<String>,
    /// For programs
    #[arg(long)]
    json: bool,
}

impl Title {
    pub(crate) fn run(&self, service: &Connection, out: &mut dyn Write) -> Result<(), Failure> {
        let request = Request { id: ids_of(service, &self.clip)?, title: self.title.clone() };
        act(service, out, "/title", &request, self.json)
    }
}

/// A color, or none.
#[derive(Clone, Copy, Debug, ValueEnum)]
pub(crate) enum ColorName {
    Blue,
    Green,
    Amber,
    Red,
    Violet,
    Teal,
    None,
}

impl ColorName {
    pub(crate) fn word(self) -> Option<Word> {
        Some(match self {
            Self::Blue => Word::Blue,
            Self::Green => Word::Green,
            Self::Amber => Word::Amber,
            Self::Red => Word::Red,
            Self::Violet => Word::Violet,
            Self::Teal => Word::Teal,
            Self::None => return None,
        })
    }
}

/// Give clips a color
#[derive(Debug, Args)]
pub(crate) struct Color {
    /// Which color
    #[arg(value_enum, value_name = "COLOR")]
    color: ColorName,
    /// Which clips
    #[arg(required = true, value_name = "CLIP")]
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
    #[arg(required = true, value_name = "CLIP")]
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
