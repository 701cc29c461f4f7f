//! How long, how often, how many at once.

use std::time::Duration;

/// How patient to be.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct RunPolicy {
    /// With a change: it may take a slow device long.
    pub change: Duration,
    /// With the next piece of something that is read.
    pub look: Duration,
    /// With a link that has gone, or a device that is still starting.
    pub link: Duration,
    /// Between two tries.
    pub pause: Duration,
    /// How often a change is sent again when the link went before its answer.
    pub tries: u32,
    /// How many steps may be on their way together, where the device does not answer so soon that more of them would be done at
    /// once when somebody stops.
    pub window: usize,
}

impl Default for RunPolicy {
    fn default() -> Self {
        Self {
            change: Duration::from_secs(60),
            look: Duration::from_secs(30),
            link: Duration::from_secs(60),
            pause: Duration::from_millis(500),
            tries: 5,
            window: 3,
        }
    }
}
