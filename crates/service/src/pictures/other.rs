//! A picture in another encoding, or no larger than is wanted, on its way out.

use std::io::Cursor;

use image::codecs::jpeg::JpegEncoder;
use image::imageops::FilterType;
use image::{DynamicImage, ImageFormat, ImageReader, Rgba, RgbaImage};
use yadori_core::Content;

use crate::pictures::small::{SmallError, bounds};

/// The quality of JPEG, of 100.
const QUALITY: u8 = 90;

/// Encodings that a picture is handed out in.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Encoding {
    /// Every pixel as it is.
    Png,
    /// For photographs; what is transparent becomes white.
    Jpeg,
}

impl Encoding {
    /// Its MIME type.
    pub fn mime(self) -> &'static str {
        match self {
            Self::Png => "image/png",
            Self::Jpeg => "image/jpeg",
        }
    }
}

/// A picture in an encoding, its longer side at most so many pixels.
///
/// # Errors
/// It can't be read, or is too large to be.
pub fn converted(content: &Content, to: Encoding, most: Option<u32>) -> Result<Vec<u8>, SmallError> {
    let mut reader = ImageReader::new(Cursor::new(content.expose()))
        .with_guessed_format()
        .map_err(|_| SmallError::Unknown)?;
    reader.limits(bounds());
    let picture = reader.decode().map_err(|why| match why {
        image::ImageError::Limits(_) => SmallError::TooLarge,
        _ => SmallError::Damaged,
    })?;
    let picture = match most.filter(|most| picture.width().max(picture.height()) > *most) {
        Some(most) => picture.resize(most, most, FilterType::Lanczos3),
        None => picture,
    };
    let mut out = Cursor::new(Vec::new());
    let encoded = match to {
        Encoding::Png => picture.write_to(&mut out, ImageFormat::Png),
        Encoding::Jpeg => {
            on_white(&picture).write_with_encoder(JpegEncoder::new_with_quality(&mut out, QUALITY))
        }
    };
    encoded.map_err(|_| SmallError::Unmade)?;
    Ok(out.into_inner())
}

pub(super) fn on_white(picture: &DynamicImage) -> DynamicImage {
    if !picture.color().has_alpha() {
        return picture.to_rgb8().into();
    }
    let mut ground = RgbaImage::from_pixel(picture.width(), picture.height(), Rgba([255; 4]));
    image::imageops::overlay(&mut ground, &picture.to_rgba8(), 0, 0);
    DynamicImage::from(ground).to_rgb8().into()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sample() -> Content {
        let picture = RgbaImage::from_fn(300, 120, |x, _| Rgba([200, 40, 40, if x < 150 { 255 } else { 0 }]));
        let mut out = Cursor::new(Vec::new());
        picture.write_to(&mut out, ImageFormat::Png).unwrap();
        Content::new(out.into_inner())
    }

    #[test]
    fn a_picture_becomes_another_encoding_and_no_larger_than_is_wanted() {
        for (to, most, sides) in [
            (Encoding::Jpeg, None, (300, 120)),
            (Encoding::Jpeg, Some(60), (60, 24)),
            (Encoding::Png, Some(100), (100, 40)),
        ] {
            let made = converted(&sample(), to, most).unwrap();
            assert_eq!(image::guess_format(&made).unwrap().to_mime_type(), to.mime());
            let made = image::load_from_memory(&made).unwrap();
            assert_eq!((made.width(), made.height()), sides);
            let right = made.to_rgba8().get_pixel(sides.0 - 2, sides.1 / 2).0;
            let clear =
                if to == Encoding::Jpeg { right[..3].iter().all(|one| *one > 250) } else { right[3] == 0 };
            assert!(clear, "what is transparent is {right:?}");
        }
        assert_eq!(
            converted(&Content::new("no picture"), Encoding::Png, None),
            Err(SmallError::Unknown).or(Err(SmallError::Damaged))
        );
    }
}
