//! Ranges of files, many of them in one command.
//!
//! Devices have different tools for it; which works is tried once. Each range is followed by a mark, so that one that
//! came short does not shift what follows.

use wibbet_types::{DevicePath, shell_quoted};

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
    const BLOCK: u64 = 512;
}

/// What a device has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RangeTools {
    /// For ranges.
    pub tool: RangeTool,
    /// Whether chains of chunks can be followed there, which takes `od`.
    pub walks: bool,
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
/// configurations there are any: place, then words of four bytes. `od` prints nothing behind the end.
const WALK: &str = "w(){ p=$2;s=;while [ $((p+8)) -le $3 ];do set -- \"$1\" \"$2\" $3 $4 $(od -An -v -tu4 -j$p -N68 \"$1\");\
z=$6;[ \"$z\" -ge 8 ]||break;case $(($5&65535)) in 513|514)if [ $(($7&255)) -eq $4 ];then s=1;f=$1 g=$2 e=$3 t=$4;shift 4;\
echo $p $*;set -- \"$f\" $g $e $t;elif [ \"$s\" ];then break;fi;;esac;p=$((p+z));done;};";

const PROBE: &str = "wibbet-probe";

impl RangeJob {
    fn command(&self, tool: RangeTool) -> String {
        match self {
            Self::Chain(path, start, end, id) => format!("w {} {start} {end} {id}", quoted(path)),
            Self::Range(path, size, start, len) => {
                let path = quoted(path);
                match tool {
                    RangeTool::Bytes => {
                        format!("dd if={path} bs=64k iflag=skip_bytes,count_bytes skip={start} count={len}")
                    }
                    RangeTool::Seek => format!("(dd bs=1 skip={start} count=0;head -c {len})<{path}"),
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
    fn expected(&self, tool: RangeTool) -> Option<(u64, u64)> {
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

fn quoted(path: &DevicePath) -> String {
    shell_quoted(path.as_str())
}

/// The first block of a range, and how many there are.
fn blocks(start: u64, len: u64) -> (u64, u64) {
    let first = start / RangeTool::BLOCK;
    (first, (start + len).div_ceil(RangeTool::BLOCK) - first)
}

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

/// Reads what came for some jobs, as it comes.
#[derive(Debug)]
pub struct RangeReader {
    jobs: Vec<RangeJob>,
    tool: RangeTool,
    at: usize,
    held: Vec<u8>,
}

/// What came for a job.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Came {
    Bytes(Vec<u8>),
    Heads(Vec<ChunkHead>),
    Nothing,
}

/// Takes the number of a job and what came for it.
type Each<'a> = &'a mut dyn FnMut(usize, Option<Vec<u8>>, Vec<ChunkHead>);

impl RangeReader {
    /// The mark behind a job.
    fn mark(n: usize) -> String {
        format!("\n#wbt {n}\n")
    }

    /// For these jobs, of which so many fit into a command of `longest` bytes: the command, the reader, and how many
    /// jobs it does.
    pub fn begin(jobs: &[RangeJob], tools: RangeTools, longest: usize) -> (String, Self, usize) {
        let walks = jobs.iter().any(|j| matches!(j, RangeJob::Chain(..)));
        let mut command = String::from("{ ");
        if walks {
            command.push_str(WALK);
        }
        let mut taken = 0;
        for (n, job) in jobs.iter().enumerate() {
            let one = format!("{};echo;echo '#wbt' {n};", job.command(tools.tool));
            if n > 0 && command.len() + one.len() + 20 > longest {
                break;
            }
            command.push_str(&one);
            taken += 1;
        }
        command.push_str("} 2>/dev/null");
        let reader = Self { jobs: jobs[..taken].to_vec(), tool: tools.tool, at: 0, held: Vec::new() };
        (command, reader, taken)
    }

    /// Takes a piece and tells what has come: the number of the job, and the bytes or the heads; neither where it could not
    /// be read.
    pub fn feed(&mut self, piece: &[u8], each: &mut dyn FnMut(usize, Option<Vec<u8>>, Vec<ChunkHead>)) {
        self.held.extend_from_slice(piece);
        let mut used = 0;
        while let Some(job) = self.jobs.get(self.at) {
            let rest = &self.held[used..];
            let mark = Self::mark(self.at);
            let expected = job.expected(self.tool).map(|(len, _)| usize::try_from(len).unwrap_or(usize::MAX));
            // The mark is where it belongs, or the range came short and it is somewhere before.
            let place = match expected {
                Some(len) if rest.len() < len.saturating_add(mark.len()) => break,
                Some(len) if rest[len..].starts_with(mark.as_bytes()) => Some(len),
                _ => find(rest, mark.as_bytes()),
            };
            let Some(place) = place else { break };
            let came = job.came(self.tool, &rest[..place]);
            used += place + mark.len();
            tell(self.at, came, each);
            self.at += 1;
        }
        self.held.drain(..used);
    }

    /// Nothing more comes: what is left came short.
    pub fn finish(mut self, each: &mut dyn FnMut(usize, Option<Vec<u8>>, Vec<ChunkHead>)) {
        let mut rest = &self.held[..];
        while let Some(job) = self.jobs.get(self.at) {
            let mark = Self::mark(self.at);
            match find(rest, mark.as_bytes()) {
                Some(place) => {
                    tell(self.at, job.came(self.tool, &rest[..place]), each);
                    rest = &rest[place + mark.len()..];
                }
                None => tell(self.at, Came::Nothing, each),
            }
            self.at += 1;
        }
    }
}

fn tell(n: usize, came: Came, each: Each<'_>) {
    match came {
        Came::Bytes(bytes) => each(n, Some(bytes), Vec::new()),
        Came::Heads(heads) => each(n, None, heads),
        Came::Nothing => each(n, None, Vec::new()),
    }
}

fn find(bytes: &[u8], mark: &[u8]) -> Option<usize> {
    bytes.windows(mark.len()).position(|w| w == mark)
}

impl RangeJob {
    fn came(&self, tool: RangeTool, bytes: &[u8]) -> Came {
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
