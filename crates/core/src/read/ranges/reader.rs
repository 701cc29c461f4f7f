//! Takes apart what came for many jobs in one command. Each is followed by a mark, so that one that came short
//! does not shift what follows.

use super::find::find;
use super::job::{RangeAnswer, RangeJob};
use super::tools::{RangeTool, RangeTools};

/// Reads what came for some jobs, as it comes.
#[derive(Debug)]
pub struct RangeReader {
    jobs: Vec<RangeJob>,
    tool: RangeTool,
    at: usize,
    held: Vec<u8>,
    /// So much of what is held has been searched for a mark in vain.
    searched: usize,
}

/// What ends a command whose output is packed: by the quickest way, which makes resource tables a fifth.
const PACKED: &str = "} 2>/dev/null|gzip -1c";

/// Is called with the number of a job and what came for it.
type Each<'a> = &'a mut dyn FnMut(usize, RangeAnswer);

impl RangeReader {
    /// The mark behind a job.
    fn mark(n: usize) -> String {
        format!("\n#wbt {n}\n")
    }

    /// For these jobs, of which so many fit into a command of `longest` bytes: the command, the reader, and how many
    /// jobs it does.
    pub fn begin(jobs: &[RangeJob], tools: RangeTools, longest: usize) -> (String, Self, usize) {
        let mut command = String::from("{ ");
        let mut taken = 0;
        for (n, job) in jobs.iter().enumerate() {
            let one = format!("{};echo;echo '#wbt' {n};", job.command(tools.tool));
            if n > 0 && command.len() + one.len() + 20 > longest {
                break;
            }
            command.push_str(&one);
            taken += 1;
        }
        command.push_str(if tools.packs { PACKED } else { "} 2>/dev/null" });
        let reader = Self { jobs: jobs[..taken].to_vec(), tool: tools.tool, at: 0, held: Vec::new(), searched: 0 };
        (command, reader, taken)
    }

    /// How much comes if all is as it should be, in bytes.
    pub fn expected(&self) -> u64 {
        self.jobs.iter().map(|job| job.expected(self.tool)).fold(0, u64::saturating_add)
    }

    /// The most that can be of use of what comes, in bytes.
    pub fn most(&self) -> u64 {
        let one =
            |(n, job): (usize, &RangeJob)| job.expected(self.tool).saturating_add(Self::mark(n).len() as u64 + 1024);
        self.jobs.iter().enumerate().map(one).fold(0, u64::saturating_add)
    }

    /// Takes a piece and tells what has come: the number of the job, and the bytes of each of its files; `None` for those that
    /// could not be read.
    pub fn feed(&mut self, piece: &[u8], each: Each<'_>) {
        self.held.extend_from_slice(piece);
        let mut used = 0;
        while let Some(job) = self.jobs.get(self.at) {
            let rest = &self.held[used..];
            let mark = Self::mark(self.at);
            let len = usize::try_from(job.expected(self.tool)).unwrap_or(usize::MAX);
            // The mark is where it belongs, or the answer came short and it is somewhere before.
            let place = match rest.len() < len.saturating_add(mark.len()) {
                true => break,
                false if rest[len..].starts_with(mark.as_bytes()) => Some(len),
                false => {
                    let from = self.searched.saturating_sub(mark.len()).min(rest.len());
                    find(&rest[from..], mark.as_bytes()).map(|place| from + place)
                }
            };
            let Some(place) = place else {
                self.searched = rest.len();
                break;
            };
            let came = job.came(self.tool, &rest[..place]);
            used += place + mark.len();
            self.searched = 0;
            each(self.at, came);
            self.at += 1;
        }
        self.held.drain(..used);
    }

    /// Nothing more comes: what is left came short.
    pub fn finish(mut self, each: Each<'_>) {
        let mut rest = &self.held[..];
        while let Some(job) = self.jobs.get(self.at) {
            let mark = Self::mark(self.at);
            match find(rest, mark.as_bytes()) {
                Some(place) => {
                    each(self.at, job.came(self.tool, &rest[..place]));
                    rest = &rest[place + mark.len()..];
                }
                None => each(self.at, vec![None; job.files()]),
            }
            self.at += 1;
        }
    }
}
