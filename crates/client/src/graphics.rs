//! Pictures in terminals that can show them: asked of the terminal itself, by the open protocols for it. Elsewhere half-blocks.

mod asking;

use std::io::{self, IsTerminal, Write};

use base64::Engine as _;
use base64::prelude::BASE64_STANDARD;
use icy_sixel::SixelImage;
use ratatui::crossterm::terminal::{disable_raw_mode, enable_raw_mode, window_size};
use ratatui::style::Color;

use crate::failure::Failure;
use crate::pixels::Pixels;
use yadori_words::said;

/// Characters of a picture in one piece (terminal graphics protocol of kitty: at most 4096).
const PIECE: usize = 4_096;
/// Pixels of a cell where the terminal does not tell.
const CELL: (u16, u16) = (8, 16);
/// Rows of pixels that sixels draw together.
const BAND: usize = 6;
/// Lines that a picture takes at most.
pub(crate) const LINES: u16 = 24;

/// How a terminal shows pictures.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) enum Way {
    /// The graphics protocol that began with kitty, and is open: PNG in base64.
    Kitty,
    /// Sixels (DEC STD 070).
    Sixel,
    /// Half-blocks in colors.
    Blocks,
}

/// A terminal that pictures are shown in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub(crate) struct Terminal {
    pub(crate) way: Way,
    /// Pixels of a cell.
    cell: (u16, u16),
    columns: u16,
}

impl Terminal {
    /// Asks the terminal; `None` where the output is none.
    pub(crate) fn ask() -> Option<Self> {
        if !io::stdout().is_terminal() || !io::stdin().is_terminal() {
            return None;
        }
        enable_raw_mode().ok()?;
        let heard = asking::ask();
        disable_raw_mode().ok()?;
        Self::that_says(&heard.map(|heard| heard.answers).unwrap_or_default())
    }

    /// Asks the terminal that is raw already. Gives what was typed meanwhile as well.
    pub(crate) fn ask_raw() -> (Self, Vec<u8>) {
        let heard = asking::ask().unwrap_or_default();
        let blocks = Self { way: Way::Blocks, cell: CELL, columns: 80 };
        (Self::that_says(&heard.answers).unwrap_or(blocks), heard.typed)
    }

    fn that_says(said: &str) -> Option<Self> {
        let size = window_size().ok()?;
        let of = |all: u16, cells: u16| all.checked_div(cells).filter(|one| *one > 0);
        let told = of(size.width, size.columns).zip(of(size.height, size.rows));
        Some(Self { way: way_of(said), cell: told.unwrap_or(CELL), columns: size.columns.max(1) })
    }

    /// It shows pictures in its own pixels.
    pub(crate) fn draws(&self) -> bool {
        self.way != Way::Blocks
    }

    /// Pixels of the longer side that it can show at most.
    pub(crate) fn most(&self) -> u32 {
        match self.way {
            Way::Blocks => 256,
            Way::Kitty | Way::Sixel => self.most_in((self.columns, LINES)).clamp(64, 1_200),
        }
    }

    /// Pixels of the longer side of so many columns and lines.
    pub(crate) fn most_in(&self, (columns, lines): (u16, u16)) -> u32 {
        let (wide, high) = self.cell;
        (u32::from(columns) * u32::from(wide)).max(u32::from(lines) * u32::from(high))
    }

    /// The cells that a picture of this size takes in this room: in its own shape, no larger than it is.
    pub(crate) fn cells(&self, (width, height): (usize, usize), room: (u16, u16)) -> (u16, u16) {
        let (wide, high) = (usize::from(self.cell.0), usize::from(self.cell.1));
        let most = (usize::from(room.0), usize::from(room.1));
        let (mut columns, mut lines) = (width.div_ceil(wide).max(1), height.div_ceil(high).max(1));
        if columns > most.0 {
            (columns, lines) = (most.0, (lines * most.0).div_ceil(columns));
        }
        if lines > most.1 {
            (columns, lines) = ((columns * most.1 / lines).max(1), most.1);
        }
        (u16::try_from(columns).unwrap_or(1), u16::try_from(lines).unwrap_or(1))
    }

    /// The picture in so many cells as sixels. It takes no line more: bands of six pixels that would reach into the next are
    /// left out.
    fn sixels(&self, pixels: &Pixels, (columns, lines): (u16, u16)) -> Result<String, Failure> {
        let wide = usize::from(columns) * usize::from(self.cell.0);
        let high = usize::from(lines) * usize::from(self.cell.1);
        let small = pixels.within((wide, (high / BAND * BAND).max(1)));
        let (width, height) = small.size();
        let image = SixelImage::try_from_rgba(small.rgba(), width, height);
        let sixels = image.and_then(|image| image.encode());
        sixels.map_err(|why| Failure::Connection(said!("the picture can't be shown: {why}", why = why)))
    }

    /// Puts a picture into so many cells from this column and line on, counted from 0; the cursor stays where it is.
    pub(crate) fn put(
        &self,
        pixels: &Pixels,
        (column, line): (u16, u16),
        cells: (u16, u16),
        out: &mut dyn Write,
    ) -> Result<(), Failure> {
        let drawn = match self.way {
            Way::Blocks => return Ok(()),
            Way::Sixel => self.sixels(pixels, cells)?,
            Way::Kitty => {
                let (width, height) = pixels.size();
                kitty(&pixels.rgb_bytes(), &format!("f=24,s={width},v={height},C=1"), cells)
            }
        };
        Ok(write!(out, "\x1b7\x1b[{};{}H{drawn}\x1b8", line + 1, column + 1)?)
    }

    /// Takes away pictures that do not go by being written over.
    pub(crate) fn wipe(&self, out: &mut dyn Write) -> Result<(), Failure> {
        if self.way == Way::Kitty {
            write!(out, "\x1b_Ga=d,d=A,q=2\x1b\\")?;
        }
        Ok(())
    }

    /// Shows a picture. Nothing else is written to the terminal meanwhile.
    pub(crate) fn show(&self, png: &[u8], pixels: &Pixels, out: &mut dyn Write) -> Result<(), Failure> {
        let (columns, lines) = self.cells(pixels.size(), (self.columns, LINES));
        match self.way {
            Way::Kitty => Ok(writeln!(out, "{}", kitty(png, "f=100", (columns, lines)))?),
            Way::Sixel => Ok(writeln!(out, "{}", self.sixels(pixels, (columns, lines))?)?),
            Way::Blocks => blocks(pixels, (columns.min(self.columns), lines), out),
        }
    }
}

fn way_of(said: &str) -> Way {
    if said.contains("_Gi=31;OK") {
        return Way::Kitty;
    }
    let attributes =
        said.split_once("\x1b[?").and_then(|(_, rest)| rest.split('c').next()).unwrap_or_default();
    // 4: sixel graphics.
    if attributes.split(';').skip(1).any(|one| one == "4") { Way::Sixel } else { Way::Blocks }
}

/// A picture in the graphics protocol, in pieces; `form` says what its bytes are.
fn kitty(bytes: &[u8], form: &str, (columns, lines): (u16, u16)) -> String {
    let text = BASE64_STANDARD.encode(bytes);
    let pieces: Vec<&[u8]> = text.as_bytes().chunks(PIECE).collect();
    let mut out = String::new();
    for (n, piece) in pieces.iter().enumerate() {
        let more = u8::from(n + 1 < pieces.len());
        let what = if n == 0 { format!("a=T,{form},q=2,c={columns},r={lines},") } else { String::new() };
        out.push_str(&format!("\x1b_G{what}m={more};{}\x1b\\", String::from_utf8_lossy(piece)));
    }
    out
}

fn blocks(pixels: &Pixels, room: (u16, u16), out: &mut dyn Write) -> Result<(), Failure> {
    let sequence = |ground: bool, color: Option<Color>| match color {
        Some(Color::Rgb(r, g, b)) => format!("\x1b[{};2;{r};{g};{b}m", if ground { 48 } else { 38 }),
        _ => String::new(),
    };
    for line in pixels.lines(room) {
        for cell in line.spans {
            write!(
                out,
                "{}{}{}\x1b[0m",
                sequence(false, cell.style.fg),
                sequence(true, cell.style.bg),
                cell.content
            )?;
        }
        writeln!(out)?;
    }
    Ok(())
}

#[cfg(test)]
mod tests {
    use super::*;

    fn terminal(way: Way) -> Terminal {
        Terminal { way, cell: (10, 20), columns: 80 }
    }

    #[test]
    fn what_a_terminal_can_is_read_from_its_answers() {
        assert_eq!(way_of("\x1b_Gi=31;OK\x1b\\\x1b[?62;c"), Way::Kitty);
        assert_eq!(way_of("\x1b[?62;4;22c"), Way::Sixel);
        assert_eq!(way_of("\x1b_Gi=31;EINVAL\x1b\\\x1b[?64;1;2;6c"), Way::Blocks);
        assert_eq!(way_of("\x1b[?62;c\x1b_Gi=31;OK\x1b\\\x1b[?62;c"), Way::Kitty);
        // A level of 4 is no graphics; nothing said is nothing known.
        assert_eq!(way_of("\x1b[?4c"), Way::Blocks);
        assert_eq!(way_of(""), Way::Blocks);
    }

    #[test]
    fn a_picture_keeps_its_shape_and_is_no_larger_than_it_is() {
        let cells = |size| terminal(Way::Sixel).cells(size, (80, LINES));
        assert_eq!(cells((40, 40)), (4, 2));
        assert_eq!(cells((1_600, 400)), (80, 10));
        assert_eq!(cells((480, 4_800)), (4, 24));
        assert_eq!(cells((1, 1)), (1, 1));
    }

    #[test]
    fn a_large_picture_comes_in_pieces_of_which_the_last_says_so() {
        let text = kitty(&vec![7; 10_000], "f=100", (20, 10));
        let pieces: Vec<&str> = text.split("\x1b_G").skip(1).collect();
        assert_eq!(pieces.len(), 4);
        assert!(pieces[0].starts_with("a=T,f=100,q=2,c=20,r=10,m=1;"));
        assert!(pieces[1].starts_with("m=1;") && pieces[3].starts_with("m=0;"));
        assert!(pieces.iter().all(|piece| piece.len() < PIECE + 64 && piece.ends_with("\x1b\\")));
    }
}
