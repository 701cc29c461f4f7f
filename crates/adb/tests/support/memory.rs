//! The memory of this process, for tests that measure it: they are programs of their own.

use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};
use std::time::Duration;

/// The memory that the process has now, in bytes.
pub(crate) fn resident() -> u64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap();
    let line = status.lines().find(|l| l.starts_with("VmRSS:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<u64>().unwrap() * 1024
}

/// The most memory that the process had, looked at every few milliseconds.
pub(crate) struct Peak(Arc<AtomicU64>);

impl Peak {
    pub(crate) fn watch() -> Self {
        let peak = Arc::new(AtomicU64::new(0));
        let watched = Arc::clone(&peak);
        std::thread::spawn(move || {
            loop {
                watched.fetch_max(resident(), Ordering::Relaxed);
                std::thread::sleep(Duration::from_millis(5));
            }
        });
        Self(peak)
    }

    /// From now on.
    pub(crate) fn reset(&self) {
        self.0.store(0, Ordering::Relaxed);
    }

    pub(crate) fn above(&self, idle: u64) -> u64 {
        self.0.load(Ordering::Relaxed).saturating_sub(idle)
    }
}
