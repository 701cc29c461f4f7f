//! Technicians' notes.

use std::sync::Arc;

use wibbet_core::package::Note;

use super::actor::Actor;
use super::event::SessionEvent;
use crate::logbook::now;

impl Actor {
    pub(super) async fn tell_notes(&self) {
        let Some(facts) = self.device.facts() else { return };
        match self.workplace.book.with(move |book| book.notes(&facts)).await {
            Ok(notes) => self.tell(SessionEvent::Notes(Arc::new(notes))),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    pub(super) async fn write_note(&self, note: Note) {
        let Some(facts) = self.device.facts() else { return };
        if let Err(error) = self.workplace.book.with(move |book| book.write_note(&facts, &note, now())).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_notes().await;
    }
}
