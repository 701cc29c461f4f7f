//! `screencap -p`: a picture of the screen. It shows stripes, in a colour that the app in front has from its id.

use std::io::Write as _;

use super::state::State;

/// Pixels.
const SIZE: (u32, u32) = (90, 160);

impl State {
    pub(crate) fn screen_picture(&self) -> Vec<u8> {
        let seed = self.front.0.bytes().fold(7u32, |sum, byte| sum.wrapping_mul(31).wrapping_add(u32::from(byte)));
        let mut rows = Vec::new();
        for y in 0..SIZE.1 {
            // No filter.
            rows.push(0);
            for _ in 0..SIZE.0 {
                let light = if y / 16 % 2 == 0 { 255 } else { 160 };
                rows.extend([seed, seed >> 8, seed >> 16].map(|part| (part % 256 * light / 255) as u8));
            }
        }
        let mut packed = flate2::write::ZlibEncoder::new(Vec::new(), flate2::Compression::default());
        // Writing into memory does not fail.
        let _ = packed.write_all(&rows);
        let packed = packed.finish().unwrap_or_default();
        let mut png = b"\x89PNG\r\n\x1a\n".to_vec();
        let mut head = Vec::new();
        head.extend(SIZE.0.to_be_bytes());
        head.extend(SIZE.1.to_be_bytes());
        // Eight bits, three colours.
        head.extend([8, 2, 0, 0, 0]);
        for (kind, data) in [(b"IHDR", &head), (b"IDAT", &packed), (b"IEND", &Vec::new())] {
            let body = [&kind[..], data].concat();
            png.extend((data.len() as u32).to_be_bytes());
            png.extend(&body);
            png.extend(crc32fast::hash(&body).to_be_bytes());
        }
        png
    }
}
