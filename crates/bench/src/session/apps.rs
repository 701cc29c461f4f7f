//! Apps of this computer's that are to be installed.

use std::path::PathBuf;

use wibbet_core::package::KeptCopy;
use wibbet_types::UserId;

use super::actor::Actor;
use super::event::SessionEvent;
use crate::ops::{drop_copy, import_copy};

impl Actor {
    pub(super) async fn take_app_in(&self, user: UserId, path: PathBuf) {
        let Some(facts) = self.device.facts() else {
            return self.tell(SessionEvent::Note("The device has not said what it is; nothing was taken in.".into()));
        };
        self.tell(SessionEvent::Busy(Some("reading the app".into())));
        let taken = import_copy(&self.workplace.book, &facts.id, &[path]).await;
        self.tell(SessionEvent::Busy(None));
        self.tell(match taken {
            Ok(taken) => SessionEvent::TakenIn(user, Box::new(taken)),
            Err(error) => SessionEvent::Note(error.to_string()),
        });
    }

    pub(super) async fn drop_copy(&self, copy: KeptCopy) {
        if let Err(error) = drop_copy(&self.workplace.book, &copy).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
    }
}
