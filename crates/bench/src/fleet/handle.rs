//! The bench as its owner holds it.

use std::collections::{BTreeMap, HashMap, HashSet};
use std::sync::Arc;

use tokio::sync::mpsc;
use tokio::task::JoinHandle;
use wibbet_types::Address;

use super::event::{BenchCommand, BenchEvent};
use super::task::FleetTask;
use crate::workplace::Workplace;

/// All devices at hand. Ends when this is dropped.
#[derive(Debug)]
pub struct Bench {
    commands: mpsc::UnboundedSender<BenchCommand>,
    task: JoinHandle<()>,
}

impl Bench {
    /// Begins to watch. Devices at the given addresses have cards from the start, and so have those that were met
    /// before and not forgotten. `events` is called from the bench's tasks and must not block.
    pub fn start(
        workplace: Workplace,
        addresses: Vec<Address>,
        events: impl Fn(BenchEvent) + Send + Sync + 'static,
    ) -> Self {
        let (commands, inbox) = mpsc::unbounded_channel();
        let (told, heard) = mpsc::unbounded_channel();
        let floor = FleetTask {
            workplace,
            events: Arc::new(events),
            told,
            cards: BTreeMap::new(),
            last_card: 0,
            tried: HashMap::new(),
            pairing: None,
            finding: None,
            announced: HashSet::new(),
        };
        let task = tokio::spawn(floor.live(addresses, inbox, heard));
        Self { commands, task }
    }

    /// Tells the bench to do something.
    pub fn send(&self, command: BenchCommand) {
        // A bench whose task has ended is being dropped.
        let _ = self.commands.send(command);
    }
}

impl Drop for Bench {
    fn drop(&mut self) {
        self.task.abort();
    }
}
