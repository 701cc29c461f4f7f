//! What became of an order on many devices: packages by devices.

use wibbet_core::order::{Became, OrderRecord, RecordedDevice};
use wibbet_types::Timestamp;

use crate::document::Document;
use crate::font::{is_covered, shown_as};
use crate::layout::{Heading, INSIDE, pages};
use crate::picture::{Picture, Shape, Tone};

const NAME: f32 = 220.0;
const COLUMN: f32 = 90.0;
const ROW: f32 = 17.0;
const HEAD: f32 = 50.0;
const TEXT: f32 = 9.0;
const SMALL: f32 = 7.0;

/// As many devices as have room side by side.
const ABREAST: usize = ((INSIDE - NAME) / COLUMN) as usize;

/// So many packages below one head.
const ROWS: usize = 24;

/// What became of an order. `name` says what a device is called, `day` when a run was.
pub fn fleet(
    heading: &Heading,
    record: &OrderRecord,
    name: &dyn Fn(&RecordedDevice) -> String,
    day: &dyn Fn(Timestamp) -> String,
) -> Document {
    let mut blocks = Vec::new();
    for devices in record.devices.chunks(ABREAST) {
        for packages in record.packages.chunks(ROWS) {
            let mut block = Picture::of(INSIDE, HEAD + packages.len() as f32 * ROW + 18.0);
            for (n, device) in devices.iter().enumerate() {
                head(&mut block, NAME + n as f32 * COLUMN, device, &name(device), &day(device.at));
            }
            for (n, (id, label)) in packages.iter().enumerate() {
                let y = HEAD + n as f32 * ROW;
                let wide = NAME + devices.len() as f32 * COLUMN;
                block.line((0.0, y), (wide, y), Tone::Line);
                let shown = shown_as(label.as_ref().map(wibbet_types::PlainText::as_str), id);
                block.fitted((0.0, y + 11.5), shown, TEXT, Tone::Ink, false, NAME - 8.0);
                for (n, device) in devices.iter().enumerate() {
                    let at = (NAME + n as f32 * COLUMN + 8.0, y + ROW / 2.0);
                    if let Some(became) = record.cell(id, &device.id) {
                        block.mark(at, 4.5, shape_of(became));
                    }
                }
            }
            legend(&mut block, HEAD + packages.len() as f32 * ROW + 10.0);
            blocks.push(block);
        }
    }
    pages(heading, &blocks)
}

fn head(block: &mut Picture, x: f32, device: &RecordedDevice, name: &str, day: &str) {
    let room = COLUMN - 5.0;
    if is_covered(name) {
        block.fitted((x, 10.0), name, SMALL, Tone::Ink, true, room);
    }
    block.fitted((x, 20.0), device.id.as_str(), SMALL, Tone::Aside, false, room);
    block.fitted((x, 30.0), &format!("run {}", device.run), SMALL, Tone::Aside, false, room);
    block.fitted((x, 40.0), day, SMALL, Tone::Aside, false, room);
}

fn shape_of(became: Became) -> Shape {
    match became {
        Became::So => Shape::Square,
        Became::NotSent => Shape::Dash,
        Became::Unsettled => Shape::Ring,
        Became::Refused => Shape::Triangle,
    }
}

fn legend(block: &mut Picture, y: f32) {
    let mut x = 4.0;
    for became in Became::ALL {
        let words = became.sign().1;
        block.mark((x, y), 3.5, shape_of(became));
        block.text((x + 8.0, y + SMALL * 0.36), words, SMALL, Tone::Aside);
        x += 24.0 + crate::font::width(words, SMALL, false);
    }
    block.text((x, y + SMALL * 0.36), "empty: no run of the order had it there", SMALL, Tone::Aside);
}
