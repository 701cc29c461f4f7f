//! Takes apart what came for many jobs in one command. Each is followed by a mark, so that one that came short
//! does not shift what follows.

use super::job::{Came, ChunkHead, RangeJob, WALK};
use super::tools::{RangeTool, RangeTools};

/// Reads what came for some jobs, as it comes.
#[derive(Debug)]
pub struct RangeReader {
    jobs: Vec<RangeJob>,
    tool: RangeTool,
    at: usize,
    held: Vec<u8>,
}

/// Is called with the number of a job and what came for it: bytes of a range, heads of a chain.
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
