//! How much of a file is read at a time.

use wibbet_apk::Stride;
use wibbet_types::DevicePath;

/// Where the framework's own texts are.
pub(super) const FRAMEWORK: &str = "/system/framework/framework-res.apk";

/// How much is read at a time. A program that the device starts for each range takes 4 to 10 ms of one of its cores, in which a
/// cable brings some hundred kilobytes and four cores start several; so a range is worth making longer.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Pace {
    /// Of the end of a short file, where it says what is in it; see [`Pace::tail_of`].
    tail: u64,
    /// In how large pieces the rest is read.
    pub(super) stride: Stride,
    /// The same for what somebody waits for: in fewer rounds.
    pub(super) hurried: Stride,
    /// Between two ranges of a file that are read as one.
    pub(super) gap: u64,
    /// What is longer than this is worth packing, in bytes: the device starts a program for that too, while the lanes share one
    /// line.
    packing: u64,
    /// The shortest range.
    pub(super) least: u64,
}

impl Default for Pace {
    fn default() -> Self {
        Self::air(false)
    }
}

impl Pace {
    /// Over a cable: some 30 MB/s; `packed` where what is sent is packed first, which makes it a fifth or less.
    pub fn cable(packed: bool) -> Self {
        let (stride, hurried) = match packed {
            true => (Stride { whole: 1280 << 10, window: 128 << 10 }, Stride { whole: 3 << 20, window: 512 << 10 }),
            false => (Stride { whole: 192 << 10, window: 48 << 10 }, Stride { whole: 512 << 10, window: 128 << 10 }),
        };
        Self { tail: 24 << 10, stride, hurried, gap: 24 << 10, packing: 96 << 10, least: 4 << 10 }
    }

    /// By air: some 5 MB/s.
    pub fn air(packed: bool) -> Self {
        let (stride, hurried) = match packed {
            true => (Stride { whole: 256 << 10, window: 48 << 10 }, Stride { whole: 1 << 20, window: 128 << 10 }),
            false => (Stride { whole: 20 << 10, window: 8 << 10 }, Stride { whole: 64 << 10, window: 24 << 10 }),
        };
        Self { tail: 8 << 10, stride, hurried, gap: 4 << 10, packing: 24 << 10, least: 1 << 10 }
    }
}

impl Pace {
    /// Of the end of a file of `size` bytes. Its list of entries takes some 100 bytes for each, and apps have the more files the
    /// longer they are; what is guessed too short takes a range more.
    pub(super) fn tail_of(&self, path: &DevicePath, size: u64) -> u64 {
        match size >> 20 {
            // Pictures in every density.
            _ if path.as_str() == FRAMEWORK => 288 << 10,
            0 => self.tail,
            1..4 => 80 << 10,
            4..16 => 112 << 10,
            _ => 184 << 10,
        }
    }

    /// Whether so many bytes are worth packing before they are sent.
    pub fn packs(&self, bytes: u64) -> bool {
        bytes > self.packing
    }
}
