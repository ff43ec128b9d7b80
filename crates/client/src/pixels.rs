//! Pictures in a terminal: two pixels to a cell, the upper one as the letter's color, the lower one as its ground.

use std::io::Read;

use ratatui::style::{Color, Modifier, Style};
use ratatui::text::{Line, Span};

use crate::connection::{Connection, escaped};
use crate::failure::Failure;
use yadori_words::said;

/// Bytes of an answer.
const BYTES: u64 = 32 << 20;

/// A picture in its pixels.
#[derive(Clone, Debug, PartialEq)]
pub(crate) struct Pixels {
    width: usize,
    height: usize,
    /// Red, green and blue of each, row by row; what shines through is seen on black.
    rgb: Vec<[u8; 3]>,
}

/// Reads a clip's picture, with so many pixels on its longer side at most.
pub(crate) fn fetch(service: &Connection, id: &str, most: u32) -> Result<Pixels, Failure> {
    read(&fetch_png(service, id, most)?)
}

/// The same as it is sent: a PNG.
pub(crate) fn fetch_png(service: &Connection, id: &str, most: u32) -> Result<Vec<u8>, Failure> {
    let answer = service.download(&format!("/clips/{}/picture?most={most}", escaped(id)))?;
    let mut bytes = Vec::new();
    answer.take(BYTES).read_to_end(&mut bytes).map_err(|why| Failure::Connection(why.to_string()))?;
    Ok(bytes)
}

/// A PNG in its pixels, or why not.
pub(crate) fn read(png: &[u8]) -> Result<Pixels, Failure> {
    decoded(png).ok_or_else(|| Failure::Connection(said!("its picture came in a form that is not known")))
}

/// A PNG in its pixels.
fn decoded(bytes: &[u8]) -> Option<Pixels> {
    let mut decoder = png::Decoder::new(std::io::Cursor::new(bytes));
    decoder.set_transformations(png::Transformations::normalize_to_color8());
    let mut reader = decoder.read_info().ok()?;
    let mut raw = vec![0; reader.output_buffer_size()?];
    let frame = reader.next_frame(&mut raw).ok()?;
    let samples = frame.color_type.samples();
    let seen = |one: u8, alpha: u8| u8::try_from(u16::from(one) * u16::from(alpha) / 255).unwrap_or(u8::MAX);
    let pixel = |at: &[u8]| match *at {
        [gray] => [gray; 3],
        [gray, alpha] => [seen(gray, alpha); 3],
        [r, g, b] => [r, g, b],
        [r, g, b, alpha] => [r, g, b].map(|one| seen(one, alpha)),
        _ => [0; 3],
    };
    let rgb: Vec<[u8; 3]> = raw[..frame.buffer_size()].chunks_exact(samples).map(pixel).collect();
    let (width, height) = (usize::try_from(frame.width).ok()?, usize::try_from(frame.height).ok()?);
    (width > 0 && height > 0 && rgb.len() == width * height).then_some(Pixels { width, height, rgb })
}

impl Pixels {
    /// Width and height.
    pub(crate) fn size(&self) -> (usize, usize) {
        (self.width, self.height)
    }

    /// Red, green, blue and how opaque it is, of each pixel, row by row.
    pub(crate) fn rgba(&self) -> Vec<u8> {
        self.rgb.iter().flat_map(|[r, g, b]| [*r, *g, *b, u8::MAX]).collect()
    }

    /// Red, green and blue of each pixel, row by row.
    pub(crate) fn rgb_bytes(&self) -> Vec<u8> {
        self.rgb.concat()
    }

    /// The mean of the pixels in a part of the picture, given in shares of it.
    fn mean(&self, (x, y): (usize, usize), (across, down): (usize, usize)) -> Color {
        let span = |at: usize, of: usize, all: usize| {
            let from = at * all / of;
            from..((at + 1) * all / of).clamp(from + 1, all.max(from + 1))
        };
        let (mut sum, mut count) = ([0u64; 3], 0u64);
        for row in span(y, down, self.height) {
            for column in span(x, across, self.width) {
                let Some(pixel) = self.rgb.get(row * self.width + column) else { continue };
                for (sum, one) in sum.iter_mut().zip(pixel) {
                    *sum += u64::from(*one);
                }
                count += 1;
            }
        }
        let [r, g, b] = sum.map(|sum| u8::try_from(sum / count.max(1)).unwrap_or(u8::MAX));
        Color::Rgb(r, g, b)
    }

    /// The picture in at most so many pixels, in its own shape; not larger than it is.
    pub(crate) fn within(&self, (width, height): (usize, usize)) -> Self {
        let across = width.clamp(1, self.width).min((height * self.width / self.height).max(1));
        let down = height.clamp(1, self.height).min((across * self.height / self.width).max(1));
        let mut rgb = Vec::with_capacity(across * down);
        for y in 0..down {
            for x in 0..across {
                if let Color::Rgb(r, g, b) = self.mean((x, y), (across, down)) {
                    rgb.push([r, g, b]);
                }
            }
        }
        Self { width: across, height: down, rgb }
    }

    /// The picture in at most so many columns and lines, in its own shape.
    pub(crate) fn lines(&self, (columns, lines): (u16, u16)) -> Vec<Line<'static>> {
        // A cell is about twice as high as it is wide: two pixels in each are square.
        let (most_across, most_down) = (usize::from(columns).max(1), usize::from(lines).max(1) * 2);
        let across = most_across.min((most_down * self.width / self.height).max(1));
        let down = most_down.min((across * self.height).div_ceil(self.width).max(1));
        (0..down.div_ceil(2))
            .map(|line| {
                let cell = |x| {
                    let upper = self.mean((x, 2 * line), (across, down));
                    let style = Style::new().fg(upper).remove_modifier(Modifier::all());
                    if 2 * line + 1 < down {
                        Span::styled("▀", style.bg(self.mean((x, 2 * line + 1), (across, down))))
                    } else {
                        Span::styled("▀", style)
                    }
                };
                Line::from_iter((0..across).map(cell))
            })
            .collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn encoded(width: u32, height: u32, color: png::ColorType, data: &[u8]) -> Vec<u8> {
        let mut bytes = Vec::new();
        let mut encoder = png::Encoder::new(&mut bytes, width, height);
        encoder.set_color(color);
        encoder.set_depth(png::BitDepth::Eight);
        encoder.write_header().unwrap().write_image_data(data).unwrap();
        bytes
    }

    #[test]
    fn two_pixels_stand_in_a_cell() {
        let data = [255, 0, 0, 0, 255, 0, 0, 0, 255, 9, 9, 9];
        let picture = decoded(&encoded(2, 2, png::ColorType::Rgb, &data)).unwrap();
        let lines = picture.lines((2, 1));
        let cells: Vec<_> = lines[0].spans.iter().map(|one| (one.style.fg, one.style.bg)).collect();
        let rgb = |r, g, b| Some(Color::Rgb(r, g, b));
        assert_eq!(cells, [(rgb(255, 0, 0), rgb(0, 0, 255)), (rgb(0, 255, 0), rgb(9, 9, 9))]);
    }

    #[test]
    fn a_picture_keeps_its_shape_in_whatever_room_there_is() {
        let gray = vec![128; 60 * 20];
        let picture = decoded(&encoded(60, 20, png::ColorType::Grayscale, &gray)).unwrap();
        for (columns, lines, across, down) in [(30, 20, 30, 5), (30, 2, 12, 2), (1, 1, 1, 1)] {
            let drawn = picture.lines((columns, lines));
            assert_eq!((drawn[0].spans.len(), drawn.len()), (across, down), "{columns} × {lines}");
        }
        assert_eq!(decoded(b"no picture"), None);
    }

    #[test]
    fn what_shines_through_is_seen_on_black() {
        let picture = decoded(&encoded(1, 1, png::ColorType::Rgba, &[200, 100, 0, 0])).unwrap();
        assert_eq!(picture.rgb, [[0, 0, 0]]);
    }
}
