//! Something to be read of files on the device, as a command.

use wibbet_types::{DevicePath, shell_quoted};

use super::find::find;
use super::tools::RangeTool;

/// Something to be read of one file, or the same of several.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RangeJob {
    /// A range: the file and its length, where the range begins and how long it is.
    Range(DevicePath, u64, u64, u64),
    /// The first bytes of several files by one program: each file with its length, and how many bytes.
    Heads(Vec<(DevicePath, u64)>, u64),
    /// The last bytes of several files by one program.
    Tails(Vec<(DevicePath, u64)>, u64),
}

/// What came for a job: the bytes for each of its files, `None` where they could not be read.
pub type RangeAnswer = Vec<Option<Vec<u8>>>;

impl RangeJob {
    /// How many files it reads.
    pub fn files(&self) -> usize {
        match self {
            Self::Range(..) => 1,
            Self::Heads(files, _) | Self::Tails(files, _) => files.len(),
        }
    }

    pub(super) fn command(&self, tool: RangeTool) -> String {
        let several =
            |files: &[(DevicePath, u64)]| files.iter().map(|(path, _)| quoted(path)).collect::<Vec<_>>().join(" ");
        match self {
            Self::Heads(files, len) => format!("head -c {len} {}", several(files)),
            Self::Tails(files, len) => format!("tail -c {len} {}", several(files)),
            Self::Range(path, size, start, len) => {
                let path = quoted(path);
                match tool {
                    RangeTool::Bytes => {
                        format!("dd if={path} bs=64k iflag=skip_bytes,count_bytes skip={start} count={len}")
                    }
                    // With a count of nothing the `dd` of Android 6 to 9, which is NetBSD's, ends without having moved: it reads
                    // the byte before.
                    RangeTool::Seek if *start == 0 => format!("(head -c {len})<{path}"),
                    RangeTool::Seek => {
                        format!("(dd bs=1 skip={} count=1 of=/dev/null;head -c {len})<{path}", start - 1)
                    }
                    // Counted from the end: toybox moves there, and would read what is before a place from the start.
                    RangeTool::Tail => {
                        format!("tail -c {} {path} | head -c {len}", size.saturating_sub(*start).max(1))
                    }
                    RangeTool::Blocks => {
                        let (first, count) = blocks(*start, *len);
                        format!("dd if={path} bs={} skip={first} count={count}", RangeTool::BLOCK)
                    }
                }
            }
        }
    }

    /// How many bytes come if all is as it should be.
    pub(super) fn expected(&self, tool: RangeTool) -> u64 {
        match self {
            Self::Heads(files, len) | Self::Tails(files, len) => {
                let one = |(n, (path, size)): (usize, &(DevicePath, u64))| {
                    title(path, files.len(), n == 0).len() as u64 + (*size).min(*len)
                };
                files.iter().enumerate().map(one).sum()
            }
            Self::Range(_, size, start, len) if tool == RangeTool::Blocks => {
                let (first, count) = blocks(*start, *len);
                (count * RangeTool::BLOCK).min(size.saturating_sub(first * RangeTool::BLOCK))
            }
            Self::Range(_, _, _, len) => *len,
        }
    }

    pub(super) fn came(&self, tool: RangeTool, bytes: &[u8]) -> RangeAnswer {
        match self {
            Self::Heads(files, len) | Self::Tails(files, len) => split(files, *len, bytes),
            Self::Range(_, _, start, len) => {
                let skip = match tool {
                    RangeTool::Blocks => start % RangeTool::BLOCK,
                    _ => 0,
                };
                let (from, len) = (usize::try_from(skip).unwrap_or(0), usize::try_from(*len).unwrap_or(0));
                let whole = bytes.len() as u64 == self.expected(tool);
                vec![bytes.get(from..from.saturating_add(len)).filter(|_| whole).map(<[u8]>::to_vec)]
            }
        }
    }
}

/// What `head` and `tail` print in front of a file where they are given several (POSIX, toybox).
fn title(path: &DevicePath, files: usize, first: bool) -> String {
    match (files, first) {
        (..2, _) => String::new(),
        (_, true) => format!("==> {} <==\n", path.as_str()),
        (_, false) => format!("\n==> {} <==\n", path.as_str()),
    }
}

/// Takes apart what came of several files. One that could not be opened is not named; one that has another length than it had does
/// not shift what follows.
fn split(files: &[(DevicePath, u64)], len: u64, bytes: &[u8]) -> RangeAnswer {
    let mut found: RangeAnswer = vec![None; files.len()];
    let begins = |at: usize, n: usize| {
        let title = title(&files[n].0, files.len(), at == 0);
        bytes.get(at..).is_some_and(|rest| rest.starts_with(title.as_bytes())).then(|| at + title.len())
    };
    let (mut at, mut next) = (0, 0);
    while let Some((n, from)) = (next..files.len()).find_map(|n| Some((n, begins(at, n)?))) {
        let end = from + usize::try_from(files[n].1.min(len)).unwrap_or(usize::MAX / 2);
        let fits = end == bytes.len() || (n + 1..files.len()).any(|n| end > 0 && begins(end, n).is_some());
        if fits && end <= bytes.len() {
            found[n] = Some(bytes[from..end].to_vec());
            at = end;
        } else {
            let title = |n: usize| title(&files[n].0, files.len(), false);
            let place = |n: usize| find(&bytes[from..], title(n).as_bytes());
            match (n + 1..files.len()).filter_map(place).min() {
                Some(place) => at = from + place,
                None => break,
            }
        }
        next = n + 1;
    }
    found
}

pub(crate) fn quoted(path: &DevicePath) -> String {
    shell_quoted(path.as_str())
}

/// The first block of a range, and how many there are.
pub(crate) fn blocks(start: u64, len: u64) -> (u64, u64) {
    let first = start / RangeTool::BLOCK;
    (first, (start + len).div_ceil(RangeTool::BLOCK) - first)
}
