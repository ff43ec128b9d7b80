//! Pictures that the terminal draws itself: which stand where, so that they are drawn when that changes and never besides.

use ratatui::buffer::{Buffer, CellDiffOption};
use ratatui::layout::{Rect, Size};
use ratatui::widgets::{Clear, Widget as _};

use super::Shown;
use crate::failure::Failure;

/// A picture, and the cells that it stands in.
#[derive(Clone, Debug, PartialEq, Eq)]
pub(super) struct Spot {
    pub(super) area: Rect,
    /// Its clip.
    pub(super) id: String,
    /// It is looked at as a whole.
    pub(super) whole: bool,
}

/// What was drawn last.
#[derive(Debug, Default)]
pub(super) struct Placed {
    size: Size,
    spots: Vec<Spot>,
}

impl Placed {
    /// Keeps the cells of these pictures free: emptied before they are drawn, and left alone for as long as all of them stand.
    pub(super) fn keep_free(&self, spots: &[Spot], buffer: &mut Buffer) {
        let stands = self.stands(buffer.area.as_size(), spots);
        let how = if stands { CellDiffOption::Skip } else { CellDiffOption::AlwaysUpdate };
        for spot in spots {
            let area = spot.area.intersection(buffer.area);
            Clear.render(area, buffer);
            for place in area.positions() {
                buffer[place].set_diff_option(how);
            }
        }
    }

    pub(super) fn stands(&self, size: Size, spots: &[Spot]) -> bool {
        self.spots == spots && (self.size == size || spots.is_empty())
    }
}

impl Shown {
    /// Draws these pictures, into cells that are empty.
    pub(super) fn place(&mut self, size: Size, spots: Vec<Spot>) -> Result<(), Failure> {
        let out = &mut std::io::stdout().lock();
        self.terminal.wipe(out)?;
        for spot in &spots {
            let pixels = if spot.whole { self.large.as_ref() } else { self.pictures.get(&spot.id) };
            let Some(pixels) = pixels else { continue };
            let (at, cells) = ((spot.area.x, spot.area.y), (spot.area.width, spot.area.height));
            self.terminal.put(pixels, at, cells, out)?;
        }
        std::io::Write::flush(out)?;
        self.placed = Placed { size, spots };
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use ratatui::Terminal;
    use ratatui::backend::TestBackend;
    use ratatui::widgets::Paragraph;

    use super::*;

    /// What a terminal shows where `@` is whatever a picture drew over the text.
    fn shown(terminal: &Terminal<TestBackend>) -> String {
        terminal.backend().buffer().content().iter().map(ratatui::buffer::Cell::symbol).collect()
    }

    #[test]
    fn cells_of_a_picture_are_emptied_once_then_left_alone_and_then_written_again() {
        let mut terminal = Terminal::new(TestBackend::new(8, 1)).unwrap();
        let mut placed = Placed::default();
        let spot = |x, width| Spot { area: Rect { x, y: 0, width, height: 1 }, id: "a".into(), whole: false };
        let size = Size::new(8, 1);
        let mut draw = |terminal: &mut Terminal<TestBackend>, spots: Vec<Spot>, text: &str| {
            let frame = |frame: &mut ratatui::Frame<'_>| {
                frame.render_widget(Paragraph::new(text), frame.area());
                placed.keep_free(&spots, frame.buffer_mut());
            };
            terminal.draw(frame).unwrap();
            if !placed.stands(size, &spots) {
                // The picture is drawn past whoever draws the text.
                for spot in &spots {
                    let cells: Vec<_> = spot.area.positions().collect();
                    let ink = Buffer::with_lines(["@".repeat(8)]);
                    let content = cells.iter().map(|at| (at.x, at.y, &ink[(at.x, at.y)]));
                    ratatui::backend::Backend::draw(terminal.backend_mut(), content).unwrap();
                }
                placed = Placed { size, spots };
            }
            shown(terminal)
        };
        assert_eq!(draw(&mut terminal, vec![], "abcdefgh"), "abcdefgh");
        assert_eq!(draw(&mut terminal, vec![spot(2, 4)], "abcdefgh"), "ab@@@@gh");
        assert_eq!(draw(&mut terminal, vec![spot(2, 4)], "ABcdefgh"), "AB@@@@gh");
        // A smaller one at once: nothing stays of the larger.
        assert_eq!(draw(&mut terminal, vec![spot(2, 2)], "AB      "), "AB@@    ");
        assert_eq!(draw(&mut terminal, vec![spot(3, 2)], "AB      "), "AB @@   ");
        assert_eq!(draw(&mut terminal, vec![], "AB      "), "AB      ");
    }
}
