//! Making and losing the link.

use std::sync::Arc;

use tokio::time::Instant;
use wibbet_adb::LinkError;
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::{Advice, Ladder, LinkTrouble, Rung};

use super::actor::{Actor, MOST_DOUBLINGS};
use super::command::SessionCommand;
use super::event::SessionEvent;
use crate::around::Route;
use crate::device::{AskError, Device as _, LinkStep, advised, trouble_of, trouble_of_asking};
use crate::ops::{NoteError, forget_place, note_met};

impl Actor {
    pub(super) fn fall(&mut self, trouble: LinkTrouble) {
        self.ladder.fall(trouble);
        self.tell_ladder();
    }

    pub(super) fn advise(&self, rung: Rung, advice: Advice, seen: impl Into<String>) -> LinkTrouble {
        advised(rung, advice, seen.into(), self.device.facts().as_ref())
    }

    /// Makes the link. Whoever has to wait for a person at the device, for minutes perhaps, is still told what is wanted,
    /// and takes the cable when it is plugged in. Nothing that is announced begins it anew: whoever announces could have a
    /// dialog opened over and over.
    pub(super) async fn link(&mut self) -> bool {
        let connected = loop {
            let ways = self.device.routes();
            let mut connecting = Box::pin(self.connect());
            let ended = loop {
                let wake = Arc::clone(&self.wake);
                let command = tokio::select! {
                    biased;
                    connected = &mut connecting => break Some(connected),
                    Some(command) = self.inbox.recv() => command,
                    () = wake.notified() => {
                        let is_new = |way: &Route| matches!(way, Route::Cable(_)) && !ways.contains(way);
                        match self.device.routes().iter().any(is_new) {
                            true => break None,
                            false => continue,
                        }
                    }
                };
                match command {
                    SessionCommand::Close(closing) if !closing.switch_off => {
                        drop(connecting);
                        self.close(&closing).await;
                        return false;
                    }
                    SessionCommand::Catch(wanted) => {
                        drop(connecting);
                        self.catching = Some(wanted);
                        return false;
                    }
                    SessionCommand::Note(note) => self.write_note(note).await,
                    SessionCommand::Survey => {}
                    // It is done when there is a link.
                    command => self.waiting.push_back(command),
                }
            };
            if let Some(connected) = ended {
                break connected;
            }
        };
        match connected {
            Ok(facts) => {
                self.ladder = Ladder { trouble: None, ..Ladder::default() };
                let by = self.device.route().map_or("", |route| route.kind());
                self.ladder.climb(Rung::Reached, format!("by {by}, {}", self.device.address()));
                self.ladder.climb(Rung::Interface, "found");
                self.ladder.climb(Rung::Free, "it could be opened");
                self.ladder.climb(Rung::Authorised, "it accepted this computer's key");
                self.ladder.climb(Rung::Shell, "it answered with its properties");
                match note_met(&self.workplace.book, &self.device).await {
                    Ok(_) => {}
                    Err(NoteError::Ask(error)) => {
                        self.device.hang_up().await;
                        self.fall(trouble_of_asking(&error, Some(&facts)));
                        self.forget_place(&error).await;
                        return false;
                    }
                    // It can be looked at; a run tries again to note it, and is not begun where that fails.
                    Err(NoteError::Logbook(error)) => self.tell(SessionEvent::Note(error.to_string())),
                }
                self.tell_facts();
                self.tell_ladder();
                // What was taken out of a device that cannot be read is known all the same.
                self.tell_runs().await;
                if self.restarting.take().is_some() {
                    self.tell(SessionEvent::Note("it has restarted, and is linked again".into()));
                }
                true
            }
            Err(AskError::NoLink(error) | AskError::Lost(error)) => {
                self.lost(&error);
                false
            }
            Err(error) => {
                self.fall(trouble_of_asking(&error, self.device.facts().as_ref()));
                if self.forget_place(&error).await {
                    return false;
                }
                if let (AskError::OtherDevice(_), Some(route)) = (&error, self.device.route()) {
                    self.tell(SessionEvent::OtherDevice(route));
                }
                false
            }
        }
    }

    /// Where something else is now than the device that was met there, nothing more is sent before somebody wants it.
    async fn forget_place(&mut self, why: &AskError) -> bool {
        let forgotten = match forget_place(&self.workplace.book, &self.device, why).await {
            Ok(forgotten) => forgotten,
            Err(error) => {
                self.tell(SessionEvent::Note(error.to_string()));
                true
            }
        };
        // One that is starting tells what it is within minutes; whoever never does is not lent this computer's signature over
        // and over.
        let remembered = matches!(self.device.route(), Some(Route::Remembered(_)));
        let never = matches!(why, AskError::NotProven(_)) && remembered && self.tries == MOST_DOUBLINGS;
        if never {
            self.fall(self.advise(Rung::Shell, Advice::WrongDevice, why.to_string()));
        }
        if forgotten || never {
            (self.closed, self.offered) = (true, true);
        }
        forgotten || never
    }

    /// What makes the link, telling how far it has got.
    fn connect(&self) -> impl Future<Output = Result<DeviceFacts, AskError>> + Send + use<> {
        let (events, device) = (Arc::clone(&self.events), Arc::clone(&self.device));
        let mut ladder = Ladder { trouble: self.ladder.trouble.clone(), ..Ladder::default() };
        async move {
            let facts = device.facts();
            let mut progress = |step: LinkStep| {
                match step {
                    LinkStep::Reached => ladder.climb(Rung::Reached, "it answers"),
                    LinkStep::Free => ladder.climb(Rung::Free, "it could be opened"),
                    LinkStep::Speaks => ladder.climb(Rung::Free, "it speaks the debugging protocol"),
                    LinkStep::Authorised => ladder.climb(Rung::Authorised, "it accepted this computer's key"),
                    LinkStep::AwaitingTap { fingerprint } => {
                        let seen = format!(
                            "it asks on its screen whether this computer may debug it, with the fingerprint {fingerprint}"
                        );
                        ladder.fall(advised(Rung::Authorised, Advice::Allow, seen, facts.as_ref()));
                    }
                }
                events(SessionEvent::Ladder(Box::new(ladder.clone())));
            };
            device.connect(&mut progress).await
        }
    }

    pub(super) fn tell_facts(&self) {
        if let Some(facts) = self.device.facts() {
            self.tell(SessionEvent::Facts(Box::new(facts), self.device.capabilities()));
        }
    }

    pub(super) fn lost(&mut self, error: &LinkError) {
        self.reading.stop();
        self.following.stop();
        self.link_has_gone();
        self.tell(SessionEvent::Reading(None));
        let trouble = trouble_of(error, self.device.facts().as_ref());
        // A device that is back and asks, or refuses, is told as any other: a refused dialog is not opened again by itself.
        let away = trouble.rung == Rung::Reached;
        match away && self.restarting.is_some_and(|until| Instant::now() < until) {
            true => self.fall(self.advise(Rung::Reached, Advice::Restarting, trouble.seen)),
            false => self.fall(trouble),
        }
    }
}
