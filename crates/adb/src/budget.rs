//! What one call may take.

use std::time::Duration;

use tokio::time::Instant;

use crate::error::CallError;
use crate::link::Stream;

/// So many times the wait for a piece a whole answer may take: a device that says a byte now and then comes to an end too.
const WHOLE: u32 = 10;

/// The most bytes of one answer. The longest that is asked for, the dump of all packages, has about 2 KiB for each.
const MOST_BYTES: u64 = 64 << 20;

/// The time and the bytes that an answer may yet take.
#[derive(Debug)]
pub(crate) struct CallBudget {
    idle: Duration,
    until: Instant,
    left: u64,
}

impl CallBudget {
    /// For an answer of which each piece may take so long.
    pub(crate) fn new(idle: Duration) -> Self {
        Self { idle, until: Instant::now() + idle * WHOLE, left: MOST_BYTES }
    }

    /// For a file of so many bytes, of which each piece may take so long: a slow radio brings 64 KiB in a second.
    pub(crate) fn for_file(idle: Duration, bytes: u64) -> Self {
        let slow = Duration::from_secs(bytes / (64 << 10));
        Self { idle, until: Instant::now() + idle * WHOLE + slow, left: bytes.saturating_add(MOST_BYTES) }
    }

    /// The next piece; `None` at the end.
    ///
    /// # Errors
    /// [`CallError::Endless`] when the answer has taken too much, and those of the stream.
    pub(crate) async fn read(&mut self, stream: &mut Stream) -> Result<Option<Vec<u8>>, CallError> {
        let endless = |stream: &Stream, limit: String| CallError::Endless { service: stream.name().clone(), limit };
        let left = self.until.saturating_duration_since(Instant::now());
        if left.is_zero() {
            return Err(endless(stream, format!("{} s", (self.idle * WHOLE).as_secs_f32())));
        }
        let piece = match stream.read(self.idle.min(left)).await {
            // It was the time for all of it that is over.
            Err(CallError::Silent { .. }) if left < self.idle => {
                return Err(endless(stream, format!("{} s", (self.idle * WHOLE).as_secs_f32())));
            }
            piece => piece?,
        };
        let bytes = piece.as_ref().map_or(0, Vec::len) as u64;
        self.left = match self.left.checked_sub(bytes) {
            Some(left) => left,
            None => return Err(endless(stream, format!("{} MiB", MOST_BYTES >> 20))),
        };
        Ok(piece)
    }
}
