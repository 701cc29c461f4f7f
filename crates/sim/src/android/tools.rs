//! The device's file tools, as far as they are there on its version: `dd`, `head` from a place, `od`, and the loop that
//! follows a chain of chunks.

use super::output::Output;
use super::state::State;

/// The most that one command gives out.
const MOST: usize = 64 * 1024 * 1024;

impl State {
    /// Newer toybox has a `dd` that counts in bytes.
    fn counts_bytes(&self) -> bool {
        self.scenario.android.sdk >= 29
    }

    /// Whether there is toybox rather than the older toolbox, which has neither `od` nor `head -c`.
    fn has_toybox(&self) -> bool {
        self.scenario.android.sdk >= 24
    }

    fn range(&self, path: &str, at: u64, len: u64) -> Output {
        let len = usize::try_from(len).unwrap_or(MOST).min(MOST);
        match self.files.get(path) {
            Some(file) => Output::raw(file.data.read(at, len)),
            None => Output::failed(1, format!("{path}: No such file or directory\n")),
        }
    }

    pub(crate) fn dd(&self, words: &[String]) -> Output {
        let word = |name: &str| words.iter().find_map(|w| w.strip_prefix(name)?.strip_prefix('='));
        let number = |name: &str| word(name).and_then(|n| n.trim_end_matches('k').parse::<u64>().ok());
        let Some(path) = word("if") else { return Output::failed(1, "dd: no input\n") };
        let (skip, count) = (number("skip").unwrap_or(0), number("count").unwrap_or(u64::MAX));
        match word("iflag") {
            Some(_) if !self.counts_bytes() => Output::failed(1, "dd: bad iflag\n"),
            Some(_) => self.range(path, skip, count),
            None => {
                let block = number("bs").unwrap_or(512);
                self.range(path, skip.saturating_mul(block), count.saturating_mul(block))
            }
        }
    }

    /// `(dd bs=1 skip=N count=1 of=/dev/null;head -c N)<FILE`, of which this is the second half.
    pub(crate) fn head_from(&self, skip: u64, words: &[String]) -> Output {
        let Some((len, path)) = words.last().and_then(|w| w.split_once(")<")) else {
            return Output::failed(1, "head: no input\n");
        };
        if !self.has_toybox() {
            return Output::failed(127, "head: not found\n");
        }
        self.range(path, skip, len.parse().unwrap_or(0))
    }

    /// `tail -c N FILE | head -c N`.
    pub(crate) fn tail_head(&self, words: &[String]) -> Output {
        let [_, _, from, path, _, head, _, len] = words else {
            return Output::failed(1, "tail: Unknown option\n");
        };
        if !self.has_toybox() || head != "head" {
            return Output::failed(127, "tail: not found\n");
        }
        let size = self.files.get(path).map_or(0, |file| file.data.len());
        let from = size.saturating_sub(from.parse().unwrap_or(0));
        self.range(path, from, len.parse().unwrap_or(0))
    }

    /// `od -An -v -tu4 -jN -NN FILE`.
    pub(crate) fn od(&self, words: &[String]) -> Output {
        if !self.has_toybox() {
            return Output::failed(127, "/system/bin/sh: od: not found\n");
        }
        let number = |name: &str| words.iter().find_map(|w| w.strip_prefix(name)?.parse::<u64>().ok());
        let path = words.last().map_or("", String::as_str);
        let bytes = self.range(path, number("-j").unwrap_or(0), number("-N").unwrap_or(0)).raw.unwrap_or_default();
        Output::ok(numbers(&bytes).map(|n| format!("{n:>11}")).collect::<String>() + "\n")
    }

    /// The loop `w FILE START END TYPE` that a debugging host defines for itself.
    pub(crate) fn follow_chunks(&mut self, words: &[String]) -> Output {
        let number = |n: usize| words.get(n).and_then(|w| w.parse::<u64>().ok()).unwrap_or(0);
        let path = words.first().map_or("", String::as_str);
        let (mut at, end, wanted) = (number(1), number(2), number(3));
        let (mut out, mut seen) = (String::new(), false);
        while at + 8 <= end {
            self.programs += 1;
            let head = self.range(path, at, 68).raw.unwrap_or_default();
            let words: Vec<u32> = numbers(&head).collect();
            let [first, size, third, ..] = words[..] else { break };
            if size < 8 {
                break;
            }
            if matches!(first & 0xffff, 513 | 514) {
                if u64::from(third & 0xff) == wanted {
                    seen = true;
                    let all: Vec<String> = words.iter().map(u32::to_string).collect();
                    out.push_str(&format!("{at} {}\n", all.join(" ")));
                } else if seen {
                    break;
                }
            }
            at += u64::from(size);
        }
        Output::ok(out)
    }
}

fn numbers(bytes: &[u8]) -> impl Iterator<Item = u32> + '_ {
    bytes.chunks(4).map(|b| b.iter().rev().fold(0, |sum, byte| sum << 8 | u32::from(*byte)))
}
