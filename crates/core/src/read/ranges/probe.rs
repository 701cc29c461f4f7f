//! Which of the tools a device has, found out once.

use wibbet_types::DevicePath;

use super::job::{RangeJob, quoted};
use super::tools::{RangeTool, RangeTools};

const PROBE: &str = "wibbet-probe";

/// What finds out which tools there are: the same range in every way, from a file of `size` bytes, at least 64, that
/// begins with `PK`.
pub fn probe_command(path: &DevicePath, size: u64) -> String {
    let job = RangeJob::Range(path.clone(), size, 2, 40);
    let tries: Vec<String> = RangeTool::ALL.iter().map(|t| format!("{};echo {PROBE}", job.command(*t))).collect();
    format!("{{ {};od -An -v -tu4 -j2 -N4 {};}} 2>/dev/null", tries.join(";"), quoted(path))
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
    let first = [bytes, seek, tail].into_iter().find(|part| right(part)).copied().or(whole.filter(|part| right(part)));
    let word = first.and_then(|part| Some(u32::from_le_bytes(part.get(..4)?.try_into().ok()?).to_string()));
    let walks = word.is_some_and(|word| String::from_utf8_lossy(rest).trim() == word);
    Some(RangeTools { tool, walks })
}
