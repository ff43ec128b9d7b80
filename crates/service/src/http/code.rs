//! QR codes (ISO/IEC 18004), drawn for the console.

use qrcode::QrCode;
use qrcode::render::svg;

/// The smallest that a code is drawn, in pixels.
const SIDE: u32 = 240;

/// A text as a QR code, drawn as SVG. `None`: it is too long for one.
pub(super) fn drawn(text: &str) -> Option<String> {
    let code = QrCode::new(text.as_bytes()).ok()?;
    Some(code.render::<svg::Color<'_>>().min_dimensions(SIDE, SIDE).quiet_zone(true).build())
}
