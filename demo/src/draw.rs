//! Maps, sketches and notices, drawn by the demo itself: ridges, a dashed path, a hut; words on a board.

use std::io::Cursor;

use ab_glyph::{Font, FontVec, PxScale, ScaleFont};
use anyhow::{Context, Result};
use image::{ImageFormat, Rgb, RgbImage};

/// A sketch as PNG. The same seed gives the same sketch.
pub fn sketch(seed: u32, width: u32, height: u32) -> Vec<u8> {
    let mut picture = RgbImage::new(width, height);
    let sky = [222 - (seed * 7 % 20) as u8, 231, 235 - (seed * 3 % 12) as u8];
    for pixel in picture.pixels_mut() {
        *pixel = Rgb(sky);
    }
    let layers = [([143, 160, 189], 0.30, 0.26), ([104, 126, 164], 0.46, 0.20), ([73, 101, 151], 0.66, 0.13)];
    for (n, (color, base, swing)) in layers.into_iter().enumerate() {
        for x in 0..width {
            let top =
                ridge(seed + 13 * n as u32, f64::from(x) / f64::from(width), base, swing) * f64::from(height);
            for y in (top.max(0.0) as u32)..height {
                picture.put_pixel(x, y, Rgb(color));
            }
        }
    }
    // The path: dashes along the middle ridge.
    for x in width / 10..width * 9 / 10 {
        if (x / 14) % 2 == 0 {
            let along = f64::from(x) / f64::from(width);
            let y = (ridge(seed + 13, along, 0.46, 0.20) + 0.08 - 0.1 * along) * f64::from(height);
            dot(&mut picture, x, y as u32, 3, [240, 178, 58]);
        }
    }
    hut(&mut picture, width * (25 + seed % 50) / 100, height * 3 / 4, width / 26);
    let mut out = Cursor::new(Vec::new());
    let _ = picture.write_to(&mut out, ImageFormat::Png);
    out.into_inner()
}

/// The letters of notices (Debian package fonts-noto-cjk).
const LETTERS: &str = "/usr/share/fonts/opentype/noto/NotoSansCJK-Regular.ttc";
/// The edge of a notice, and the height of its letters and lines, in pixels.
const EDGE: u32 = 40;
const HEIGHT: f32 = 34.0;
const LINE: u32 = 52;

/// A notice as PNG: these lines, in dark letters on paper.
///
/// # Errors
/// Its letters are not installed.
pub fn notice(lines: &[&str]) -> Result<Vec<u8>> {
    let bytes =
        std::fs::read(LETTERS).with_context(|| format!("{LETTERS} (Debian package fonts-noto-cjk)"))?;
    let font = FontVec::try_from_vec_and_index(bytes, 0)?;
    let scaled = font.as_scaled(PxScale::from(HEIGHT));
    let width_of = |line: &str| line.chars().map(|c| scaled.h_advance(font.glyph_id(c))).sum::<f32>();
    let widest = lines.iter().map(|line| width_of(line)).fold(0.0, f32::max);
    let (width, height) = (widest as u32 + 2 * EDGE, lines.len() as u32 * LINE + 2 * EDGE);
    let (paper, ink) = ([250.0, 246.0, 236.0], [38.0, 44.0, 66.0]);
    let mut picture = RgbImage::from_pixel(width, height, Rgb(paper.map(|one| one as u8)));
    for (n, line) in lines.iter().enumerate() {
        let base = (EDGE + n as u32 * LINE) as f32 + scaled.ascent();
        let mut at = EDGE as f32;
        for letter in line.chars() {
            let glyph = font.glyph_id(letter).with_scale_and_position(HEIGHT, ab_glyph::point(at, base));
            at += scaled.h_advance(glyph.id);
            let Some(outline) = font.outline_glyph(glyph) else { continue };
            let corner = outline.px_bounds().min;
            outline.draw(|x, y, share| {
                let (x, y) = (corner.x as u32 + x, corner.y as u32 + y);
                if x < width && y < height {
                    let mixed = |n: usize| (paper[n] + (ink[n] - paper[n]) * share.min(1.0)) as u8;
                    picture.put_pixel(x, y, Rgb([mixed(0), mixed(1), mixed(2)]));
                }
            });
        }
    }
    let mut out = Cursor::new(Vec::new());
    picture.write_to(&mut out, ImageFormat::Png)?;
    Ok(out.into_inner())
}

fn ridge(seed: u32, x: f64, base: f64, swing: f64) -> f64 {
    let phase = f64::from(seed % 97);
    let tooth = |speed: f64, weight: f64| ((x * speed + phase * 0.37).fract() - 0.5).abs() * weight;
    base + swing * (tooth(1.7, 1.6) + tooth(4.3, 0.6) + tooth(11.0, 0.2) - 0.5)
}

fn dot(picture: &mut RgbImage, x: u32, y: u32, size: u32, color: [u8; 3]) {
    for dx in 0..size {
        for dy in 0..size {
            if x + dx < picture.width() && y + dy < picture.height() {
                picture.put_pixel(x + dx, y + dy, Rgb(color));
            }
        }
    }
}

fn hut(picture: &mut RgbImage, x: u32, y: u32, size: u32) {
    for row in 0..size {
        dot_row(picture, x - row.min(x), y + row / 2, 2 * row, [44, 58, 96]);
    }
    for row in 0..size / 2 {
        dot_row(picture, x - (size * 7 / 10).min(x), y + size / 2 + row, size * 14 / 10, [64, 48, 40]);
    }
    for row in 0..size / 4 {
        dot_row(picture, x - size / 8, y + size * 5 / 8 + row, size / 4, [242, 181, 68]);
    }
}

fn dot_row(picture: &mut RgbImage, x: u32, y: u32, length: u32, color: [u8; 3]) {
    for dx in 0..length {
        dot(picture, x + dx, y, 1, color);
    }
}
