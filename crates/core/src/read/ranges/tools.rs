//! With what a device reads ranges of files; which of them works is tried once.

use wibbet_types::DevicePath;

use super::job::{RangeJob, quoted};

/// A way of reading a range on the device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum RangeTool {
    /// `dd` that counts bytes: toybox from about Android 10 on.
    Bytes,
    /// `dd` that moves to the place, `head` that reads from there: older toybox.
    Seek,
    /// `dd` in blocks, of which some is read too much: every Android.
    Blocks,
    /// `tail` that moves to a place before the end, `head` that reads from there: where there is no `dd`.
    Tail,
}

impl RangeTool {
    /// Best first.
    pub const ALL: [Self; 4] = [Self::Bytes, Self::Seek, Self::Blocks, Self::Tail];
    /// The length of a block, in bytes.
    pub(super) const BLOCK: u64 = 512;
}

/// What a device has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RangeTools {
    /// For ranges.
    pub tool: RangeTool,
    /// Whether chains of chunks can be followed there, which takes `od`.
    pub walks: bool,
}

const PROBE: &str = "wibbet-probe";

/// What finds out which tools there are: the same range in every way, from a file of `size` bytes, at least 64, that
/// begins with `PK`.
pub fn probe_command(path: &DevicePath, size: u64) -> String {
    let job = RangeJob::Range(path.clone(), size, 2, 40);
    let tries: Vec<String> = RangeTool::ALL.iter().map(|t| format!("{};echo {PROBE}", job.command(*t))).collect();
    format!("{{ {};od -An -v -tu4 -j0 -N4 {};}} 2>/dev/null", tries.join(";"), quoted(path))
}

/// Reads the answer to [`probe_command`]: `None` where no way works.
pub fn read_probe(answer: &[u8]) -> Option<RangeTools> {
    let mark = format!("{PROBE}\n");
    let mut rest = answer;
    let mut parts = Vec::new();
    while let Some(at) = rest.windows(mark.len()).position(|w| w == mark.as_bytes()) {
        parts.push(&rest[..at]);
        rest = &rest[at + mark.len()..];
    }
    let [bytes, seek, blocks, tail] = parts.as_slice() else { return None };
    // The version of a local header is in the fourth byte: 3, 4, and two small numbers.
    let right = |part: &[u8]| part.len() == 40 && part.starts_with(&[3, 4]);
    let whole = blocks.get(2..42);
    let tool = match () {
        () if right(bytes) => RangeTool::Bytes,
        () if right(seek) => RangeTool::Seek,
        () if whole.is_some_and(right) => RangeTool::Blocks,
        () if right(tail) => RangeTool::Tail,
        () => return None,
    };
    let walks = String::from_utf8_lossy(rest).trim() == u32::from_le_bytes(*b"PK\x03\x04").to_string();
    Some(RangeTools { tool, walks })
}
