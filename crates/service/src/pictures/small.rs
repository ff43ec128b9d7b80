//! Making a picture small. The usual ones are unpacked line by line, and each line is added to a small one at once, so that
//! a picture of any size takes little room; the others are unpacked whole, if they are not too large for that.

use std::io::Cursor;

use image::{ImageFormat, ImageReader, Limits, RgbaImage};
use yadori_core::Content;

use crate::state::at_hand::Small;

/// Pixels a side, and in all, that are unpacked line by line.
const MOST_SIDE: u32 = 20_000;
const MOST_PIXELS: u64 = 120_000_000;
/// Bytes that unpacking a whole picture may take: 25 million pixels of four bytes.
const MOST_BYTES: u64 = 100_000_000;

/// Why a picture can't be made small.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum SmallError {
    /// Nobody knows its format.
    #[error("its format is not known")]
    Unknown,
    /// It has too many pixels.
    #[error("it is too large to be shown small")]
    TooLarge,
    /// It can't be unpacked.
    #[error("it is damaged, or its format is not known")]
    Damaged,
    /// It can't be packed again.
    #[error("it could not be made small")]
    Unmade,
}

/// Pixels of the longer side up to which a picture is always a PNG: a terminal reads no other.
const TINY: u32 = 128;

/// A picture whose longer side is at most so many pixels.
///
/// # Errors
/// It can't be read, or is too large to be.
pub fn make_small(content: &Content, most: u32) -> Result<Small, SmallError> {
    let reader = ImageReader::new(Cursor::new(content.expose()))
        .with_guessed_format()
        .map_err(|_| SmallError::Unknown)?;
    let format = reader.format();
    let lines = if format == Some(ImageFormat::Png) { by_lines(content.expose(), most)? } else { None };
    let small = match lines {
        Some(small) => image::DynamicImage::from(small),
        None => whole(reader, most)?,
    };
    let mut out = Cursor::new(Vec::new());
    // Photographs stay photographs; everything else, and what is tiny anyway, keeps its edges and its transparency.
    let (kind, encoded) = if format == Some(ImageFormat::Jpeg) && most > TINY {
        ("image/jpeg", small.to_rgb8().write_to(&mut out, ImageFormat::Jpeg))
    } else {
        ("image/png", small.to_rgba8().write_to(&mut out, ImageFormat::Png))
    };
    encoded.map_err(|_| SmallError::Unmade)?;
    Ok((kind, out.into_inner().into()))
}

/// What unpacking a whole picture may take.
pub(super) fn bounds() -> Limits {
    let mut limits = Limits::default();
    limits.max_image_width = Some(MOST_SIDE);
    limits.max_image_height = Some(MOST_SIDE);
    limits.max_alloc = Some(MOST_BYTES);
    limits
}

fn whole(
    mut reader: ImageReader<Cursor<&bytes::Bytes>>,
    most: u32,
) -> Result<image::DynamicImage, SmallError> {
    reader.limits(bounds());
    let picture = reader.decode().map_err(|why| match why {
        image::ImageError::Limits(_) => SmallError::TooLarge,
        _ => SmallError::Damaged,
    })?;
    Ok(if picture.width().max(picture.height()) > most { picture.thumbnail(most, most) } else { picture })
}

/// What has been added up for one pixel: each color times its opacity, the opacity, and how many there were.
type Sum = [u64; 5];

fn add(sum: &mut Sum, [r, g, b, a]: [u8; 4]) {
    let opacity = u64::from(a);
    for (part, color) in sum.iter_mut().zip([r, g, b]) {
        *part += u64::from(color) * opacity;
    }
    sum[3] += opacity;
    sum[4] += 1;
}

fn mean([r, g, b, opacity, count]: Sum) -> [u8; 4] {
    let part = |color: u64| u8::try_from(color.checked_div(opacity).unwrap_or(0)).unwrap_or(u8::MAX);
    let opacity = u8::try_from(opacity.checked_div(count).unwrap_or(0)).unwrap_or(u8::MAX);
    [part(r), part(g), part(b), opacity]
}

/// A PNG (W3C PNG specification) made small line by line; `None` for one whose lines do not come in their order.
fn by_lines(bytes: &[u8], most: u32) -> Result<Option<RgbaImage>, SmallError> {
    let mut decoder = png::Decoder::new(Cursor::new(bytes));
    decoder.set_transformations(png::Transformations::normalize_to_color8());
    let mut reader = decoder.read_info().map_err(|_| SmallError::Damaged)?;
    let (width, height) = reader.info().size();
    if width.max(height) > MOST_SIDE || u64::from(width) * u64::from(height) > MOST_PIXELS {
        return Err(SmallError::TooLarge);
    }
    if reader.info().interlaced || width.max(height) <= most {
        return Ok(None);
    }
    let samples = reader.output_color_type().0.samples();
    let longer = u64::from(width.max(height));
    let scaled = |side: u32| {
        u32::try_from((u64::from(side) * u64::from(most) + longer / 2) / longer).unwrap_or(most).max(1)
    };
    let (columns, lines) = (scaled(width), scaled(height));
    let of = |n: u32, from: u32, to: u32| (u64::from(n) * u64::from(to) / u64::from(from)) as usize;
    let column_of: Vec<usize> = (0..width).map(|x| of(x, width, columns)).collect();
    let mut small = RgbaImage::new(columns, lines);
    let mut sums: Vec<Sum> = vec![Sum::default(); columns as usize];
    for y in 0..height {
        let row = reader.next_row().map_err(|_| SmallError::Damaged)?.ok_or(SmallError::Damaged)?;
        for (pixel, column) in row.data().chunks_exact(samples).zip(&column_of) {
            let color = match *pixel {
                [grey] => [grey, grey, grey, u8::MAX],
                [grey, a] => [grey, grey, grey, a],
                [r, g, b] => [r, g, b, u8::MAX],
                [r, g, b, a, ..] => [r, g, b, a],
                [] => continue,
            };
            add(&mut sums[*column], color);
        }
        let line = of(y, height, lines);
        if y + 1 == height || of(y + 1, height, lines) != line {
            for (x, sum) in (0..).zip(&mut sums) {
                small.put_pixel(x, u32::try_from(line).unwrap_or(0), image::Rgba(mean(std::mem::take(sum))));
            }
        }
    }
    Ok(Some(small))
}

#[cfg(test)]
mod tests {
    use super::*;
    use image::{DynamicImage, Rgba};

    fn encoded(picture: &DynamicImage, format: ImageFormat) -> Content {
        let mut out = Cursor::new(Vec::new());
        picture.write_to(&mut out, format).unwrap();
        Content::new(out.into_inner())
    }

    fn png(width: u32, height: u32) -> Content {
        let picture = image::RgbImage::from_pixel(width, height, image::Rgb([40, 80, 120]));
        encoded(&picture.into(), ImageFormat::Png)
    }

    #[test]
    fn a_picture_is_made_small_and_keeps_its_shape() {
        let (kind, bytes) = make_small(&png(900, 300), 300).unwrap();
        assert_eq!(kind, "image/png");
        let small = image::load_from_memory(&bytes).unwrap();
        assert_eq!((small.width(), small.height()), (300, 100));
    }

    #[test]
    fn line_by_line_it_looks_as_it_does_when_made_small_whole() {
        let shade = |x: u32, y: u32| Rgba([(x / 3) as u8, (y / 2) as u8, 90, if x > 300 { 0 } else { 255 }]);
        let picture = DynamicImage::from(RgbaImage::from_fn(640, 500, shade));
        let kinds = [
            picture.clone(),
            picture.to_rgb8().into(),
            picture.to_luma8().into(),
            picture.to_luma_alpha8().into(),
            picture.to_rgb16().into(),
        ];
        for one in kinds {
            let by_lines = by_lines(encoded(&one, ImageFormat::Png).expose(), 64).unwrap().unwrap();
            let whole = one.to_rgba8();
            assert_eq!(by_lines.dimensions(), (64, 50));
            for (x, y, pixel) in by_lines.enumerate_pixels() {
                let middle = whole.get_pixel(x * 10 + 5, y * 10 + 5);
                let far = pixel.0.iter().zip(middle.0).any(|(one, other)| one.abs_diff(other) > 6);
                let hidden = pixel.0[3] == 0 && middle.0[3] == 0;
                assert!(!far || hidden || x == 30, "{x},{y}: {pixel:?} and {middle:?}");
            }
        }
    }

    #[test]
    fn a_bomb_is_refused_before_it_is_unpacked() {
        // A picture of one color, 19,999 pixels a side: a few megabytes packed, over a gigabyte unpacked.
        let mut header = png(1, 1).expose().to_vec();
        header[16..20].copy_from_slice(&19_999u32.to_be_bytes());
        header[20..24].copy_from_slice(&19_999u32.to_be_bytes());
        let mut crc = crc32(&header[12..29]).to_be_bytes().to_vec();
        header.splice(29..33, crc.drain(..));
        let why = make_small(&Content::new(header), 300).unwrap_err();
        assert_eq!(why, SmallError::TooLarge);
    }

    #[test]
    fn what_would_have_to_be_unpacked_whole_has_a_limit() {
        let picture = DynamicImage::from(image::RgbImage::new(6_000, 6_000));
        let why = make_small(&encoded(&picture, ImageFormat::Jpeg), 300).unwrap_err();
        assert_eq!(why, SmallError::TooLarge);
    }

    #[test]
    fn what_is_no_picture_says_so() {
        assert!(make_small(&Content::new("oats"), 300).is_err());
        for most in [300, 5] {
            assert!(make_small(&Content::new(png(10, 10).expose().slice(..40)), most).is_err());
        }
    }

    fn crc32(bytes: &[u8]) -> u32 {
        !bytes.iter().fold(!0u32, |crc, byte| {
            (0..8).fold(crc ^ u32::from(*byte), |crc, _| {
                if crc & 1 == 1 { (crc >> 1) ^ 0xedb8_8320 } else { crc >> 1 }
            })
        })
    }
}
