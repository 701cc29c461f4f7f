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
}

impl Traffic {
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
