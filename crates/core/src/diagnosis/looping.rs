//! Noticing that a device starts over and over, from what is seen of it anyway.

use std::collections::VecDeque;
use std::time::Duration;

use wibbet_types::PlainText;

/// So many starts within this time are a loop.
const STARTS: u32 = 3;
const WITHIN: Duration = Duration::from_secs(300);

/// A start that takes longer than this does not end: cheap devices take up to three minutes, and one behind an update up to ten.
const LONGEST_START: Duration = Duration::from_secs(600);

/// Where it is known how long a device takes, one that takes this many times as long does not end; never less than some minutes, since
/// what follows on an update is more work than usual.
const TIMES_AS_LONG: u32 = 4;
const SHORTEST_PATIENCE: Duration = Duration::from_secs(240);

/// Watches one device. `at` is the time since the watching began.
#[derive(Debug, Clone, Default)]
pub struct LoopWatch {
    /// When starts were seen.
    seen: VecDeque<Duration>,
    boot: Option<PlainText>,
    starts: Option<u32>,
    /// Since when it has been reached and has not started.
    starting_since: Option<Duration>,
    /// How long it usually takes.
    usual: Option<Duration>,
}

impl LoopWatch {
    /// It begins to be watched anew.
    #[must_use]
    pub fn anew(&self) -> Self {
        Self { usual: self.usual, ..Self::default() }
    }

    /// How long its starts take is known.
    pub fn expect(&mut self, usual: Duration) {
        self.usual = Some(usual);
    }

    /// After how long a start is not expected to end any more.
    fn patience(&self) -> Duration {
        let usual = self.usual.map(|usual| (usual * TIMES_AS_LONG).max(SHORTEST_PATIENCE));
        usual.map_or(LONGEST_START, |patience| patience.min(LONGEST_START))
    }

    /// It was looked at: which start of the kernel it is, how often the framework has started since (told from Android 10 on), and whether
    /// it has started.
    pub fn saw(&mut self, boot: Option<&PlainText>, starts: Option<u32>, started: Option<bool>, at: Duration) {
        let restarted = self.boot.is_some() && boot.is_some() && self.boot.as_ref() != boot;
        let crashed = match (self.starts, starts) {
            (Some(before), Some(now)) if !restarted => now.saturating_sub(before),
            _ => 0,
        };
        for _ in 0..(u32::from(restarted) + crashed).min(STARTS) {
            self.seen.push_back(at);
        }
        self.boot = boot.cloned().or(self.boot.take());
        self.starts = if restarted { starts } else { starts.or(self.starts) };
        match started {
            Some(true) => self.starting_since = None,
            _ => drop(self.starting_since.get_or_insert(at)),
        }
        // A start that holds ends it.
        if started == Some(true) {
            self.seen.retain(|seen| at.saturating_sub(*seen) <= WITHIN / 2);
        }
    }

    /// Its link has gone. While it has not started, and does not count its starts, that is what is seen of one.
    pub fn left(&mut self, at: Duration) {
        if self.starting_since.is_some() && self.starts.is_none() {
            self.seen.push_back(at);
        }
    }

    /// Whether it starts over and over, or does not end starting.
    pub fn is_looping(&self, at: Duration) -> bool {
        let lately = self.seen.iter().filter(|seen| at.saturating_sub(**seen) <= WITHIN).count();
        let never_ends = self.starting_since.is_some_and(|since| at.saturating_sub(since) >= self.patience());
        lately >= STARTS as usize || never_ends
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const fn at(seconds: u64) -> Duration {
        Duration::from_secs(seconds)
    }

    #[test]
    fn three_starts_within_five_minutes_are_a_loop() {
        let boots = ["one", "two", "three", "four"].map(PlainText::new);
        let mut soft = LoopWatch::default();
        for (starts, seconds, looping) in
            [(1, 0, false), (2, 14, false), (3, 27, false), (4, 40, true), (4, 400, false)]
        {
            soft.saw(Some(&boots[0]), Some(starts), Some(false), at(seconds));
            assert_eq!(soft.is_looping(at(seconds)), looping, "{starts} at {seconds}");
        }
        let mut kernel = LoopWatch::default();
        for (n, boot) in boots.iter().enumerate() {
            kernel.saw(Some(boot), Some(1), Some(false), at(n as u64 * 40));
        }
        assert!(kernel.is_looping(at(120)));
        // Restarts by hand, far apart, of one that comes up.
        let mut restarted = LoopWatch::default();
        for (n, boot) in boots.iter().enumerate() {
            restarted.saw(Some(boot), Some(1), Some(true), at(n as u64 * 200));
        }
        assert!(!restarted.is_looping(at(600)));
    }

    #[test]
    fn where_starts_are_not_counted_the_link_that_goes_tells() {
        let boot = PlainText::new("one");
        let mut old = LoopWatch::default();
        for seconds in [0, 13, 26] {
            old.saw(Some(&boot), None, Some(false), at(seconds));
            old.left(at(seconds + 12));
        }
        assert!(old.is_looping(at(40)));
        // A cable that wobbles on a device that runs.
        let mut fine = LoopWatch::default();
        for seconds in [0, 13, 26, 39] {
            fine.saw(Some(&boot), None, Some(true), at(seconds));
            fine.left(at(seconds + 5));
        }
        assert!(!fine.is_looping(at(45)));
        // One that sits at its boot picture.
        let mut sits = LoopWatch::default();
        sits.saw(Some(&boot), None, Some(false), at(0));
        assert!(!sits.is_looping(at(599)) && sits.is_looping(at(600)));
        // Of one that is known to take 70 s that is known earlier; of a quick one not within minutes; of a slow one no later.
        for (usual, patience) in [(70, 280), (20, 240), (300, 600)] {
            sits.expect(at(usual));
            assert!(!sits.is_looping(at(patience - 1)) && sits.is_looping(at(patience)), "{usual}");
        }
    }
}
