//! How long to wait for what.

use std::time::Duration;

/// How long to wait for what.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Timeouts {
    /// For the network connection.
    pub connect: Duration,
    /// For each packet of the device while the connection is made.
    pub answer: Duration,
    /// For somebody to tap "Allow" on the device.
    pub tap: Duration,
    /// For the next sign of life within a call.
    pub idle: Duration,
    /// For a packet to be taken. A device that takes none is not there any more.
    pub write: Duration,
}

impl Default for Timeouts {
    fn default() -> Self {
        Self {
            connect: Duration::from_secs(6),
            answer: Duration::from_secs(10),
            tap: Duration::from_secs(180),
            idle: Duration::from_secs(30),
            write: Duration::from_secs(15),
        }
    }
}
