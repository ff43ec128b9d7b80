//! A picture in another encoding, for programs that ask for one that its source offered as well.

use std::io::Cursor;

use image::{DynamicImage, ImageFormat, ImageReader, Limits};
use yadori_core::clip::mime::Encoding;

/// Bytes that unpacking may take.
const MOST_BYTES: u64 = 1 << 30;

/// The picture in another encoding. `None` when it can't be read, or is too large to be unpacked.
pub(crate) fn encode(picture: &[u8], encoding: Encoding) -> Option<Vec<u8>> {
    let mut reader = ImageReader::new(Cursor::new(picture)).with_guessed_format().ok()?;
    let mut limits = Limits::default();
    limits.max_alloc = Some(MOST_BYTES);
    reader.limits(limits);
    let picture = reader.decode().ok()?;
    let clear = picture.color().has_alpha();
    let (format, picture) = match encoding {
        Encoding::Png => (ImageFormat::Png, picture),
        Encoding::Bmp if clear => (ImageFormat::Bmp, DynamicImage::from(picture.into_rgba8())),
        Encoding::Bmp => (ImageFormat::Bmp, DynamicImage::from(picture.into_rgb8())),
        Encoding::Jpeg => (ImageFormat::Jpeg, DynamicImage::from(picture.into_rgb8())),
        Encoding::Tiff => (ImageFormat::Tiff, picture),
        Encoding::Webp => (ImageFormat::WebP, DynamicImage::from(picture.into_rgba8())),
        Encoding::Pnm => (ImageFormat::Pnm, DynamicImage::from(picture.into_rgb8())),
    };
    let mut out = Cursor::new(Vec::new());
    picture.write_to(&mut out, format).ok()?;
    Some(out.into_inner())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_encoding_shows_the_same_picture() {
        let picture = image::RgbImage::from_fn(40, 30, |x, y| image::Rgb([(x * 6) as u8, (y * 8) as u8, 90]));
        let mut png = Cursor::new(Vec::new());
        picture.write_to(&mut png, ImageFormat::Png).unwrap();
        for encoding in
            [Encoding::Png, Encoding::Bmp, Encoding::Tiff, Encoding::Webp, Encoding::Pnm, Encoding::Jpeg]
        {
            let made = encode(png.get_ref(), encoding).unwrap();
            let read = image::load_from_memory(&made).unwrap().into_rgb8();
            assert_eq!(read.dimensions(), (40, 30), "{encoding:?}");
            assert!(encoding == Encoding::Jpeg || read == picture, "{encoding:?}");
        }
        assert_eq!(encode(b"no picture", Encoding::Bmp), None);
    }
}
