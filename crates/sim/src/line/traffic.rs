//! How long a line takes.

use std::time::Duration;

use tokio::time::Instant;

use super::fault::Line;

/// A line with what is on its way.
#[derive(Debug, Clone, Copy, Default)]
pub(crate) struct Traffic {
    pub(crate) line: Line,
    /// Until then it is taken: everything that is sent has to pass one after the other.
    free: Option<Instant>,
    /// Until then each of the device's cores is at work.
    cores: [Option<Instant>; CORES],
}

/// Cores of a device: those that are quick.
const CORES: usize = 4;

impl Traffic {
    /// Starts so many programs, one after the other on the core that is free first: when they have run.
    pub(crate) fn start(&mut self, programs: u64) -> Option<Instant> {
        let takes = self.line.process.saturating_mul(u32::try_from(programs).unwrap_or(u32::MAX));
        if takes.is_zero() {
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
