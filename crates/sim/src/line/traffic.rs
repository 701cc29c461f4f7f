//! How long a line takes.

use std::time::Duration;

use tokio::time::Instant;

use super::fault::{Line, Work};

/// A line with what is on its way.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Traffic {
    pub(crate) line: Line,
    /// Until then it is taken: everything that is sent has to pass one after the other.
    free: Option<Instant>,
    /// Until then each of the device's cores is at work.
    cores: [Option<Instant>; CORES],
    pub(crate) work: Work,
    /// Until then the package service is at work.
    service: Option<Instant>,
    /// How long it has been at work in all.
    pub(crate) worked: Duration,
}

/// Cores of a device: those that are quick.
const CORES: usize = 4;

impl Traffic {
    /// Has the package service work at something, behind all that it has to do already: when that is done.
    pub(crate) fn work(&mut self, takes: Duration) -> Option<Instant> {
        if takes.is_zero() {
            return None;
        }
        let now = Instant::now();
        let done = self.service.map_or(now, |free| free.max(now)) + takes;
        (self.service, self.worked) = (Some(done), self.worked + takes);
        Some(done)
    }

    /// Starts so many programs, one after the other on the core that is free first, and packs so many bytes there: when that is
    /// done.
    pub(crate) fn start(&mut self, programs: u64, packed: u64) -> Option<Instant> {
        /// What a core packs in a second.
        const PACKS: u64 = 40_000_000;
        let takes = self.line.process.saturating_mul(u32::try_from(programs).unwrap_or(u32::MAX));
        let takes = takes + Duration::from_nanos(packed * 1_000_000_000 / PACKS);
        if self.line.process.is_zero() || takes.is_zero() {
            return None;
        }
        let now = Instant::now();
        let core = self.cores.iter_mut().min_by_key(|free| free.map_or(now, |free| free.max(now)))?;
        let done = core.map_or(now, |free| free.max(now)) + takes;
        *core = Some(done);
        Some(done)
    }

    /// Sends so many bytes: when the answer comes that they have arrived.
    pub(crate) fn send(&mut self, bytes: usize) -> Option<Instant> {
        if self.line == Line::default() {
            return None;
        }
        let nanos = (bytes as u64 * 1_000_000_000).checked_div(self.line.bytes_per_second).unwrap_or(0);
        let now = Instant::now();
        let passed = self.free.map_or(now, |free| free.max(now)) + Duration::from_nanos(nanos);
        self.free = Some(passed);
        Some(passed + self.line.trip)
    }
}
