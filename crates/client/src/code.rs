//! QR codes (ISO/IEC 18004) in the terminal.

use std::io::Write;

use anstyle::{AnsiColor, Color, Style};
use qrcode::QrCode;
use qrcode::render::unicode::Dense1x2;

use crate::failure::Failure;

/// Draws a text as a QR code: dark on light where the terminal has colors, whatever its own are. One that is too long for a
/// code is passed over.
pub(crate) fn write(out: &mut dyn Write, text: &str) -> Result<(), Failure> {
    let Ok(code) = QrCode::new(text.as_bytes()) else { return Ok(()) };
    let color = |color: AnsiColor| Some(Color::Ansi(color));
    let style = Style::new().fg_color(color(AnsiColor::Black)).bg_color(color(AnsiColor::BrightWhite));
    for line in code.render::<Dense1x2>().quiet_zone(true).build().lines() {
        writeln!(out, "{style}{line}{style:#}")?;
    }
    Ok(())
}
