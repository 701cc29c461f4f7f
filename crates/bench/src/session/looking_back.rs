//! What has changed on the device, and update breaks, in a session.

use std::sync::Arc;

use wibbet_core::diagnosis::{BreakItem, Since};
use wibbet_types::BreakId;

use super::actor::Actor;
use super::event::SessionEvent;
use crate::ops::{begin_break, end_break, look_back, open_break};

impl Actor {
    /// Tells how the device is beside how it was.
    pub(super) async fn look_back(&self, since: Since) {
        let (Some(facts), Some(inventory)) = (self.device.facts(), self.inventory.clone()) else { return };
        match look_back(&self.workplace.book, &facts, inventory, since, false).await {
            Ok(told) => self.tell(SessionEvent::LookedBack(Arc::new(told))),
            Err(error) => self.tell(SessionEvent::Note(format!("What has changed could not be told: {error}"))),
        }
    }

    /// As that, against how it was before this session first read it; how it is is kept.
    pub(super) async fn look_back_at_first(&mut self) {
        let (Some(facts), Some(inventory)) = (self.device.facts(), self.inventory.clone()) else { return };
        let since = self.looked_since.unwrap_or_default();
        match look_back(&self.workplace.book, &facts, inventory, since, true).await {
            Ok(told) => {
                // What comes of its own runs later is held against that too.
                let first = told.before.as_ref().map(|(head, _)| Since::Look(head.number));
                self.looked_since = self.looked_since.or(first);
                self.tell(SessionEvent::LookedBack(Arc::new(told)));
            }
            Err(error) => self.tell(SessionEvent::Note(format!("How it is could not be kept: {error}"))),
        }
    }

    /// Tells of the update break that the device is on.
    pub(super) async fn tell_break(&self) {
        let Some(facts) = self.device.facts() else { return };
        if let Ok(open) = open_break(&self.workplace.book, &facts.id).await {
            self.tell(SessionEvent::Break(open.map(Arc::new)));
        }
    }

    pub(super) async fn begin_break(&self, items: Vec<BreakItem>) {
        let (Some(facts), Some(inventory)) = (self.device.facts(), self.inventory.clone()) else { return };
        if let Err(error) = begin_break(&self.workplace.book, &facts, &inventory, items).await {
            self.tell(SessionEvent::Note(format!("The update break was not begun: {error}")));
        }
        self.tell_break().await;
    }

    pub(super) async fn end_break(&self, number: BreakId) {
        if let Err(error) = end_break(&self.workplace.book, number).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_break().await;
    }
}
