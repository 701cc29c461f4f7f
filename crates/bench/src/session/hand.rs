//! What is done by hand.

use std::path::PathBuf;
use std::sync::Arc;

use wibbet_types::{DevicePath, PlainText, bytes_words};

use super::actor::Actor;
use super::event::SessionEvent;
use crate::device::Device as _;
use crate::logbook::now;
use crate::ops::{
    SwitchError, Switched, WantedPart, ask_for_root, hand_command, picture, place_here, place_there, pull, push,
    switch_part,
};

/// The first line that says anything.
fn first_line(text: &str) -> PlainText {
    PlainText::new(text.lines().map(str::trim).find(|line| !line.is_empty()).unwrap_or("nothing"))
}

impl Actor {
    pub(super) async fn ask_for_root(&self) {
        let asked = match self.claimed() {
            Ok(_claims) => ask_for_root(&self.device).await,
            Err(why) => return self.tell(SessionEvent::Note(format!("Root was not asked for: {why}"))),
        };
        if let Some(facts) = self.device.facts() {
            self.tell(SessionEvent::Facts(Box::new(facts), self.device.capabilities()));
        }
        self.tell(SessionEvent::Note(match asked {
            Ok(Ok(_)) => {
                "The device lets this program be root: what takes that is offered among the ways now, each marked so."
                    .into()
            }
            Ok(Err(said)) if said.as_str().is_empty() => "The device does not give root.".into(),
            Ok(Err(said)) => format!("The device does not give root: it says: {said}"),
            Err(error) => format!("Root was not asked for: {error}"),
        }));
    }

    pub(super) async fn take_picture(&self) {
        self.tell(match picture(&self.device).await {
            Ok(Ok(bytes)) => SessionEvent::Picture(bytes),
            Ok(Err(said)) => SessionEvent::Note(format!("No picture was taken: the device says: {said}")),
            Err(error) => SessionEvent::Note(format!("No picture was taken: {error}")),
        });
    }

    pub(super) async fn bring(&self, here: PathBuf, there: DevicePath, to_device: bool) {
        let events = Arc::clone(&self.events);
        let progress = move |done, of| {
            let words = format!("bringing a file: {} of {}", bytes_words(done), bytes_words(of));
            events(SessionEvent::Busy((done < of).then_some(words)));
        };
        let done = match to_device {
            true => match (self.claimed(), place_there(&here, &there)) {
                (Ok(_claims), Ok(there)) => push(&self.device, &here, &there, &progress).await,
                (Err(why), _) => return self.tell(SessionEvent::Note(format!("Nothing was brought: {why}"))),
                (_, Err(error)) => Err(error),
            },
            false => pull(&self.device, &there, &place_here(&there, &here), &progress).await,
        };
        self.tell(SessionEvent::Busy(None));
        self.tell(SessionEvent::Note(match done {
            Ok(brought) => {
                let same = match brought.same {
                    Some(true) => "the same on both sides",
                    Some(false) => "NOT the same on both sides",
                    None => "the device has no tool to sum it up",
                };
                let (here, bytes) = (brought.here.display(), bytes_words(brought.bytes));
                match to_device {
                    true => format!("{here} is at {} now: {bytes}, {same}.", brought.there),
                    false => format!("{} is in {here} now: {bytes}, {same}.", brought.there),
                }
            }
            Err(error) => format!("The file was not brought: {error}"),
        }));
    }

    pub(super) async fn switch_part(&mut self, wanted: WantedPart) {
        let switched = match self.claimed() {
            Ok(_claims) => self.switched(&wanted).await,
            Err(why) => Err(format!("Nothing was sent: {why}")),
        };
        let (id, part, words) = (&wanted.id, &wanted.part, wanted.to.words());
        let (parts, note) = match switched {
            Ok(switched) => {
                let note = match switched.is_so(&wanted) {
                    Some(true) => format!("{part} is read back {words}."),
                    Some(false) => {
                        format!("{part} is not {words}. The device says: {}", first_line(&switched.said.text()))
                    }
                    None => format!(
                        "The device does not tell of {id} now whether {part} is {words}; read the packages again."
                    ),
                };
                (switched.parts, note)
            }
            Err(why) => (None, why),
        };
        if let (Some(inventory), Some(parts)) = (&mut self.inventory, &parts) {
            Arc::make_mut(inventory).set_parts(id, wanted.user, parts.clone());
        }
        self.tell(SessionEvent::Parts(wanted, parts));
        self.tell(SessionEvent::Note(note));
    }

    async fn switched(&self, wanted: &WantedPart) -> Result<Switched, String> {
        let facts = self.device.facts().ok_or("The device has not said what it is; nothing was sent.")?;
        let switched = switch_part(&*self.device, &self.workplace.book, &facts.id, wanted).await;
        switched.map_err(|error| match error {
            SwitchError::Logbook(error) => error.to_string(),
            SwitchError::Ask(error) => format!("{} may have been switched, or not: {error}", wanted.part),
        })
    }

    pub(super) async fn hand_command(&self, command: String) {
        let claims = match self.claimed() {
            Ok(claims) => claims,
            Err(why) => return self.tell(SessionEvent::Hand(Err(format!("Nothing was sent: {why}")))),
        };
        let Some(facts) = self.device.facts() else {
            return self.tell(SessionEvent::Hand(Err("The device has not said what it is; nothing was sent.".into())));
        };
        // That it was sent is kept before it is, whatever becomes of it.
        let (id, sent) = (facts.id, command.clone());
        let noted = self.workplace.book.with(move |book| book.add_command(&id, &sent, now())).await;
        let number = match noted {
            Ok(number) => number,
            Err(error) => return self.tell(SessionEvent::Hand(Err(error.to_string()))),
        };
        let said = hand_command(&self.device, &command).await;
        let (answer, code) = match &said {
            Ok(said) => (said.answer.clone(), said.code),
            Err(error) => (PlainText::new(&format!("no answer: {error}")), None),
        };
        let noted = self.workplace.book.with(move |book| book.answer_command(number, &answer, code)).await;
        drop(claims);
        if let Err(error) = noted {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell(SessionEvent::Hand(said.map_err(|error| format!("{error}. It may have been carried out"))));
    }
}
