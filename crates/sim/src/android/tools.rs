//! The device's file tools, as far as they are there on its version: `dd`, `head`, `tail`.

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

    /// `gzip` came with Android 9.
    pub(crate) fn has_gzip(&self) -> bool {
        self.scenario.android.sdk >= 28 && !self.no_tools
    }

    /// What `gzip -1c` makes of it.
    pub(crate) fn pack(&mut self, output: Output) -> Output {
        self.programs += 1;
        if !self.has_gzip() {
            return Output::failed(127, "/system/bin/sh: gzip: not found\n");
        }
        self.packed += output.bytes().len() as u64;
        let mut encoder = flate2::write::GzEncoder::new(Vec::new(), flate2::Compression::fast());
        // Writing into memory does not fail.
        let _ = std::io::Write::write_all(&mut encoder, output.bytes());
        Output::raw(encoder.finish().unwrap_or_default())
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
        let from = match from.strip_prefix('+') {
            // From a place on, counted from 1.
            Some(place) => place.parse::<u64>().unwrap_or(1).saturating_sub(1),
            None => size.saturating_sub(from.parse().unwrap_or(0)),
        };
        self.range(path, from, len.parse().unwrap_or(0))
    }

    /// `head -c N FILE …` and `tail -c N FILE …`: of several files with a line in front of each that says which it is. One that is
    /// not there is not named.
    pub(crate) fn ends_of(&self, words: &[String]) -> Output {
        let [program, _, len, paths @ ..] = words else { return Output::failed(1, "head: no input\n") };
        if !self.has_toybox() {
            return Output::failed(127, format!("{program}: not found\n"));
        }
        // From a place on, counted from 1.
        if let ("tail", Some(from), [path]) = (program.as_str(), len.strip_prefix('+'), paths) {
            return self.range(path, from.parse::<u64>().unwrap_or(1).saturating_sub(1), u64::MAX);
        }
        let len = len.parse::<u64>().unwrap_or(0);
        let mut all = Vec::new();
        for path in paths {
            let Some(file) = self.files.get(path) else { continue };
            if paths.len() > 1 {
                let between = if all.is_empty() { "" } else { "\n" };
                all.extend(format!("{between}==> {path} <==\n").into_bytes());
            }
            let from = if program == "tail" { file.data.len().saturating_sub(len) } else { 0 };
            all.extend(self.range(path, from, len).raw.unwrap_or_default());
        }
        Output::raw(all)
    }

    /// `sha256sum FILE …`
    pub(crate) fn sums(&self, paths: &[String]) -> Output {
        use sha2::Digest as _;
        let mut output = Output::default();
        for path in paths {
            let Some(file) = self.files.get(path) else {
                output.err.push_str(&format!("sha256sum: {path}: No such file or directory\n"));
                output.code = 1;
                continue;
            };
            let sum = sha2::Sha256::digest(file.data.read(0, usize::MAX));
            let sum: String = sum.iter().map(|byte| format!("{byte:02x}")).collect();
            output.out.push_str(&format!("{sum}  {path}\n"));
        }
        Output { merged: output.together(), ..output }
    }
}
