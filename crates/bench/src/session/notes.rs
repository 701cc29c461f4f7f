//! Technicians' notes, the job that they are at, and what they have chosen.

use std::sync::Arc;

use wibbet_core::package::Note;
use wibbet_core::plan::{Job, TrayItem};
use wibbet_types::RunId;

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

    /// Tells the job that the device is at.
    pub(super) async fn tell_job(&self) {
        let Some(facts) = self.device.facts() else { return };
        match self.workplace.book.with(move |book| book.job_at_hand(&facts.id)).await {
            Ok(job) => self.tell(SessionEvent::Job(job)),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    pub(super) async fn write_job(&self, run: Option<RunId>, job: Job) {
        let Some(facts) = self.device.facts() else { return };
        let written = self.workplace.book.with(move |book| match run {
            Some(run) => book.set_job(run, &job),
            None => book.set_job_at_hand(&facts.id, &job),
        });
        if let Err(error) = written.await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_job().await;
        self.tell_runs().await;
    }

    /// Tells what was chosen another time, once.
    pub(super) async fn tell_tray(&mut self) {
        let Some(facts) = self.device.facts().filter(|_| !std::mem::replace(&mut self.told_tray, true)) else { return };
        // It is a convenience: without it somebody chooses again.
        if let Ok(tray) = self.workplace.book.with(move |book| book.tray(&facts.id)).await
            && !tray.is_empty()
        {
            self.tell(SessionEvent::Tray(tray));
        }
    }

    pub(super) async fn keep_tray(&self, tray: Vec<TrayItem>) {
        let Some(facts) = self.device.facts() else { return };
        if let Err(error) = self.workplace.book.with(move |book| book.keep_tray(&facts.id, &tray)).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
    }
}
