//! Apps of this computer's that are to be installed.

use std::path::PathBuf;

use wibbet_core::package::KeptCopy;
use wibbet_types::{CopyId, UserId};

use super::actor::Actor;
use super::event::SessionEvent;
use crate::ops::{CopyError, TakenIn, drop_copy, import_copy, import_kept};

impl Actor {
    pub(super) async fn take_app_in(&self, user: UserId, path: PathBuf) {
        let Some(facts) = self.device.facts() else {
            return self.tell(SessionEvent::Note("The device has not said what it is; nothing was taken in.".into()));
        };
        self.tell(SessionEvent::Busy(Some("reading the app".into())));
        self.taken(user, import_copy(&self.workplace.book, &facts.id, &[path]).await);
    }

    /// Takes in what is kept of another device of the model, and has been offered to its like.
    pub(super) async fn take_kept_in(&self, user: UserId, number: CopyId) {
        let Some(facts) = self.device.facts() else {
            return self.tell(SessionEvent::Note("The device has not said what it is; nothing was taken in.".into()));
        };
        self.tell(SessionEvent::Busy(Some("reading the app".into())));
        let of = facts.clone();
        let offered = self.workplace.book.with(move |book| book.copies_offered_to(&of)).await;
        match offered.map(|all| all.into_iter().find(|copy| copy.number == number)) {
            Ok(Some(copy)) => self.taken(user, import_kept(&self.workplace.book, &facts.id, &copy).await),
            Ok(None) => {
                self.tell(SessionEvent::Busy(None));
                self.tell(SessionEvent::Note("That copy is not offered to this model any more.".into()));
            }
            Err(error) => {
                self.tell(SessionEvent::Busy(None));
                self.tell(SessionEvent::Note(error.to_string()));
            }
        }
    }

    fn taken(&self, user: UserId, taken: Result<TakenIn, CopyError>) {
        self.tell(SessionEvent::Busy(None));
        self.tell(match taken {
            Ok(taken) => SessionEvent::TakenIn(user, Box::new(taken)),
            Err(error) => SessionEvent::Note(error.to_string()),
        });
    }

    /// Says whether a copy may be installed on other devices of the model.
    pub(super) async fn offer_copy(&self, number: CopyId, offered: bool) {
        match self.workplace.book.with(move |book| book.offer_copy(number, offered)).await {
            Ok(_) => self.tell_runs().await,
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    pub(super) async fn drop_copy(&self, copy: KeptCopy) {
        if let Err(error) = drop_copy(&self.workplace.book, &copy).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
    }
}
