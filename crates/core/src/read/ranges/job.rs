//! Something to be read of a file on the device, as a command.

use wibbet_types::{DevicePath, shell_quoted};

use super::tools::RangeTool;

/// What came for a job.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Came {
    Bytes(Vec<u8>),
    Heads(Vec<ChunkHead>),
    Nothing,
}

/// Something to be read of a file.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum RangeJob {
    /// A range: the file and its length, where the range begins and how long it is.
    Range(DevicePath, u64, u64, u64),
    /// The heads of a chain of chunks: the file, the first chunk, where they end, and the type that is looked for. A
    /// chunk begins with a type (2 bytes), the length of its head (2), its own length (4); a type id is the ninth byte.
    Chain(DevicePath, u64, u64, u8),
}

/// The head of a chunk.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct ChunkHead {
    /// Where it begins.
    pub at: u64,
    /// Its first 68 bytes, fewer at the end of the file.
    pub head: Vec<u8>,
}

/// Follows a chain and prints the head of each chunk that has values of the type ($4), or says for which
/// configurations there are any: place, then words of four bytes. `od` prints nothing behind the end. Each chunk takes a
/// process; a table of nothing but empty chunks does not keep the device busy for ever.
pub(crate) const WALK: &str = "w(){ p=$2;s=;n=0;while [ $((p+8)) -le $3 ]&&[ $n -lt 8000 ];do n=$((n+1));set -- \"$1\" \"$2\" $3 $4 $(od -An -v -tu4 -j$p -N68 \"$1\");\
z=$6;[ \"$z\" -ge 8 ]||break;case $(($5&65535)) in 513|514)if [ $(($7&255)) -eq $4 ];then s=1;f=$1 g=$2 e=$3 t=$4;shift 4;\
echo $p $*;set -- \"$f\" $g $e $t;elif [ \"$s\" ];then break;fi;;esac;p=$((p+z));done;};";

impl RangeJob {
    pub(super) fn command(&self, tool: RangeTool) -> String {
        match self {
            Self::Chain(path, start, end, id) => format!("w {} {start} {end} {id}", quoted(path)),
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

    /// How many bytes come, where that is known, and how many of the first do not count.
    pub(super) fn expected(&self, tool: RangeTool) -> Option<(u64, u64)> {
        let Self::Range(_, size, start, len) = self else { return None };
        Some(match tool {
            RangeTool::Blocks => {
                let (first, count) = blocks(*start, *len);
                let from = first * RangeTool::BLOCK;
                ((count * RangeTool::BLOCK).min(size.saturating_sub(from)), start - from)
            }
            _ => (*len, 0),
        })
    }
}

pub(crate) fn quoted(path: &DevicePath) -> String {
    shell_quoted(path.as_str())
}

/// The first block of a range, and how many there are.
pub(crate) fn blocks(start: u64, len: u64) -> (u64, u64) {
    let first = start / RangeTool::BLOCK;
    (first, (start + len).div_ceil(RangeTool::BLOCK) - first)
}

impl RangeJob {
    pub(super) fn came(&self, tool: RangeTool, bytes: &[u8]) -> Came {
        match (self, self.expected(tool)) {
            (Self::Range(_, _, _, len), Some((whole, skip))) if bytes.len() as u64 == whole => {
                let (from, len) = (usize::try_from(skip).unwrap_or(0), usize::try_from(*len).unwrap_or(0));
                bytes.get(from..from + len).map_or(Came::Nothing, |b| Came::Bytes(b.to_vec()))
            }
            (Self::Chain(..), _) => Came::Heads(String::from_utf8_lossy(bytes).lines().filter_map(head).collect()),
            _ => Came::Nothing,
        }
    }
}

/// A line of a walk: the place, then words of four bytes.
fn head(line: &str) -> Option<ChunkHead> {
    let mut words = line.split_whitespace();
    let at = words.next()?.parse().ok()?;
    let head: Vec<u8> = words
        .take(17)
        .map(|w| w.parse::<u32>().ok())
        .collect::<Option<Vec<u32>>>()?
        .into_iter()
        .flat_map(u32::to_le_bytes)
        .collect();
    (head.len() >= 12).then_some(ChunkHead { at, head })
}
