//! What a session does beside its commands: labels and measures, what is on the device's screen, notes.

use std::future::Future;
use std::sync::Arc;

use tokio::task::JoinHandle;
use wibbet_core::package::Note;

use super::{Actor, SessionEvent};
use crate::book::now;
use crate::look::{Opening, open_on_device, read_about};

/// A task beside the session, which ends with it.
#[derive(Default)]
pub(super) struct Aside(Option<JoinHandle<()>>);

impl Aside {
    pub(super) fn start(&mut self, work: impl Future<Output = ()> + Send + 'static) {
        self.stop();
        self.0 = Some(tokio::spawn(work));
    }

    pub(super) fn stop(&mut self) {
        if let Some(task) = self.0.take() {
            task.abort();
        }
    }
}

impl Drop for Aside {
    fn drop(&mut self) {
        self.stop();
    }
}

impl Actor {
    /// Begins to read labels and measures.
    pub(super) fn read_about(&mut self) {
        let Some(inventory) = self.inventory.clone() else { return };
        let (device, book) = (Arc::clone(&self.device), self.workplace.book.clone());
        self.reading.start(read_about(device, book, inventory, self.languages.clone(), Arc::clone(&self.events)));
    }

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

    pub(super) async fn open(&self, opening: Opening) {
        let note = match open_on_device(&self.device, &opening).await {
            Ok(None) => format!("{} was opened on the device.", opening.id),
            Ok(Some(said)) => format!("{} was not opened: the device says: {said}", opening.id),
            Err(error) => format!("{} was not opened: {error}", opening.id),
        };
        self.tell(SessionEvent::Note(note));
    }
}
