//! How a device is set up.

use std::net::SocketAddr;
use std::time::Duration;

use crate::line::SimNetwork;
use crate::machine::Allow;

/// How a bench device is set up.
#[derive(Debug, Clone)]
pub struct Options {
    /// Where to listen; port 0 takes a free one.
    pub listen: SocketAddr,
    /// Who taps "Allow".
    pub allow: Allow,
    /// From where everything random comes.
    pub seed: u64,
    /// How long the device is away when it restarts.
    pub restart: Duration,
    /// Where it announces itself.
    pub network: Option<SimNetwork>,
    /// It is reached through `network`, in memory, and listens at no port of this computer.
    pub in_memory: bool,
}

impl Default for Options {
    fn default() -> Self {
        Self {
            listen: SocketAddr::from(([127, 0, 0, 1], 0)),
            allow: Allow::After(Duration::from_millis(1500)),
            seed: 1,
            restart: Duration::from_secs(2),
            network: None,
            in_memory: false,
        }
    }
}
