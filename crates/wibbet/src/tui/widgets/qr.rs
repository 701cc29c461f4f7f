//! A QR code in cells.

use qrcode::render::unicode::Dense1x2;
use qrcode::{EcLevel, QrCode};

/// The QR code in half blocks, dark on light whatever the terminal's colours are.
pub(crate) fn qr_lines(text: &str) -> Vec<String> {
    // Low correction makes the code smaller, and a screen is clean.
    let Ok(code) = QrCode::with_error_correction_level(text.as_bytes(), EcLevel::L) else { return Vec::new() };
    let drawn = code.render::<Dense1x2>().quiet_zone(true).build();
    drawn.lines().map(str::to_owned).collect()
}
