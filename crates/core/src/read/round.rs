//! What many files want in a round, put together.

use wibbet_apk::Want;
use wibbet_types::DevicePath;

use super::pace::Pace;
use super::ranges::{RangeJob, RangeTools};

/// Ranges that begin before this place may be read with the beginnings of other files, in bytes.
const FRONT: u64 = 48 << 10;

/// A job that is on its way: for which files, and where in each its bytes begin.
pub(super) type Asked = Vec<(usize, u64)>;

/// What the files of a round want, put together into as few jobs as are worth their while.
#[derive(Debug, Default)]
pub(super) struct Round {
    pace: Pace,
    tools: RangeTools,
    /// Files whose beginnings are wanted: which one, its path and length, and up to where.
    heads: Vec<(usize, DevicePath, u64, u64)>,
    /// Files whose ends are wanted.
    tails: Vec<(usize, DevicePath, u64)>,
    ranges: Vec<(RangeJob, Asked)>,
}

/// Files of which one program reads the beginnings or the ends.
const MOST_TOGETHER: usize = 32;

impl Round {
    pub(super) fn new(pace: Pace, tools: RangeTools) -> Self {
        Self { pace, tools, ..Self::default() }
    }

    /// Takes what a file wants: its number, its path and length, and whether it is to be read by itself.
    pub(super) fn take(&mut self, file: usize, (path, size): (&DevicePath, u64), alone: bool, wants: &[Want]) {
        let mut ranges: Vec<(u64, u64)> =
            wants.iter().map(|want| (want.start, want.start.saturating_add(want.len as u64))).collect();
        ranges.sort_unstable();
        let mut merged: Vec<(u64, u64)> = Vec::new();
        for (start, end) in ranges {
            match merged.last_mut() {
                Some((_, last)) if start <= last.saturating_add(self.pace.gap) => *last = end.max(*last),
                _ => merged.push((start, end)),
            }
        }
        let tail = size.saturating_sub(self.pace.tail_of(path, size));
        for (start, end) in merged {
            let together = self.tools.several && !alone;
            if together && start >= tail {
                self.tails.push((file, path.clone(), size));
            } else if together && end <= FRONT {
                self.heads.push((file, path.clone(), size, end));
            } else {
                let end = end.max(start.saturating_add(self.pace.least)).min(size.max(end));
                let job = RangeJob::Range(path.clone(), size, start, end.saturating_sub(start));
                self.ranges.push((job, vec![(file, start)]));
            }
        }
    }

    /// The jobs, each with the files that it is for.
    pub(super) fn jobs(mut self) -> Vec<(RangeJob, Asked)> {
        let mut jobs = Vec::new();
        // Of files whose ends are as long one program reads all.
        let tail_of = |(_, path, size): &(usize, DevicePath, u64)| self.pace.tail_of(path, *size);
        self.tails.sort_by_key(tail_of);
        for alike in self.tails.chunk_by(|one, other| tail_of(one) == tail_of(other)) {
            for some in alike.chunks(MOST_TOGETHER) {
                let tail = some.first().map_or(0, tail_of);
                let asked = some.iter().map(|(file, _, size)| (*file, size.saturating_sub(tail))).collect();
                let files = some.iter().map(|(_, path, size)| (path.clone(), *size)).collect();
                jobs.push((RangeJob::Tails(files, tail), asked));
            }
        }
        // Of files whose beginnings are about as long one program reads all.
        self.heads.sort_by_key(|(.., end)| *end);
        let mut rest = &self.heads[..];
        while let Some((.., shortest)) = rest.first() {
            let most = shortest.saturating_mul(2).max(shortest.saturating_add(self.pace.gap / 4));
            let count = rest.iter().take(MOST_TOGETHER).take_while(|(.., end)| *end <= most).count();
            let (some, others) = rest.split_at(count.max(1));
            let len = some.last().map_or(0, |(.., end)| *end);
            let asked = some.iter().map(|(file, ..)| (*file, 0)).collect();
            let files = some.iter().map(|(_, path, size, _)| (path.clone(), *size)).collect();
            jobs.push((RangeJob::Heads(files, len), asked));
            rest = others;
        }
        jobs.extend(self.ranges);
        jobs
    }
}
