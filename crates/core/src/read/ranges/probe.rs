//! Which of the tools a device has, found out once.

use wibbet_types::DevicePath;

use super::job::RangeJob;
use super::tools::{RangeTool, RangeTools};

const PROBE: &str = "wibbet-probe";

/// How many bytes of two files are asked for.
const FEW: u64 = 6;

/// What finds out which tools there are: the same range in every way, from a file of `size` bytes, at least 64, that
/// begins with `PK`; and the beginning and the end of it twice by one program.
pub fn probe_command(path: &DevicePath, size: u64) -> String {
    let job = RangeJob::Range(path.clone(), size, 2, 40);
    let twice = vec![(path.clone(), size); 2];
    let several = [RangeJob::Heads(twice.clone(), FEW), RangeJob::Tails(twice, FEW)];
    let tries = RangeTool::ALL.iter().map(|tool| job.command(*tool));
    let tries = tries.chain(several.iter().map(|job| job.command(RangeTool::Bytes)));
    let tries: Vec<String> = tries.map(|command| format!("{command};echo {PROBE}")).collect();
    // Packed it begins with two bytes that are always the same (RFC 1952), and can be unpacked again.
    format!("{{ {};echo {PROBE}|gzip -1c|gzip -dc;}} 2>/dev/null", tries.join(";"))
}

/// Reads the answer to [`probe_command`] for the same file: `None` where no way works.
pub fn read_probe(path: &DevicePath, size: u64, answer: &[u8]) -> Option<RangeTools> {
    let mark = format!("{PROBE}\n");
    let mut rest = answer;
    let mut parts = Vec::new();
    while let Some(at) = rest.windows(mark.len()).position(|w| w == mark.as_bytes()) {
        parts.push(&rest[..at]);
        rest = &rest[at + mark.len()..];
    }
    let (packs, parts) = match parts.as_slice() {
        [parts @ .., last] if parts.len() == 6 && last.is_empty() => (true, parts),
        parts => (false, parts),
    };
    let [bytes, seek, blocks, tail, heads, tails] = parts else { return None };
    // The version of a local header is in the fourth byte: 3, 4, and two small numbers.
    let right = |part: &[u8]| part.len() == 40 && part.starts_with(&[3, 4]);
    let tool = match () {
        () if right(bytes) => RangeTool::Bytes,
        () if right(seek) => RangeTool::Seek,
        () if blocks.get(2..42).is_some_and(right) => RangeTool::Blocks,
        () if right(tail) => RangeTool::Tail,
        () => return None,
    };
    let twice = vec![(path.clone(), size); 2];
    let both = |job: RangeJob, part: &[u8]| {
        let came = job.came(tool, part);
        part.len() as u64 == job.expected(tool) && came.iter().all(Option::is_some) && came[0] == came[1]
    };
    let several = both(RangeJob::Heads(twice.clone(), FEW), heads) && both(RangeJob::Tails(twice, FEW), tails);
    Some(RangeTools { tool, packs, several })
}
