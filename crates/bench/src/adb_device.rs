//! A device over the debugging protocol.

use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

use wibbet_adb::{
    CallError, Channel, Collected, Feature, KeyRing, Limits, Link, LinkError, Progress, Service, Sink as _,
};
use wibbet_core::read::{Properties, says_not_ready};
use wibbet_core::{Abilities, Answer, Carriage, DeviceFacts, Offered, Request};
use wibbet_types::Serial;

use crate::device::{AskError, Device};
use crate::runner::Patience;

/// How far the making of a link has got.
pub type LinkStep = Progress;

/// A device at a TCP address. The link is made at the first request, and again whenever it has
/// gone; each time the device is asked for its serial, so that a request never reaches another
/// device that has taken over the address.
#[derive(Debug)]
pub struct AdbDevice {
    address: String,
    keys: Arc<KeyRing>,
    limits: Limits,
    patience: Patience,
    live: tokio::sync::Mutex<Option<Link>>,
    known: Mutex<Known>,
}

#[derive(Debug)]
struct Known {
    facts: Option<DeviceFacts>,
    abilities: Abilities,
    /// The help of the package service has been read, or is not needed.
    learned: bool,
}

impl AdbDevice {
    /// A device that has not been contacted yet.
    pub fn at(address: &str, keys: Arc<KeyRing>, limits: Limits, patience: Patience) -> Self {
        let abilities = Abilities::new(0, Offered::default());
        Self {
            address: address.to_owned(),
            keys,
            limits,
            patience,
            live: tokio::sync::Mutex::new(None),
            known: Mutex::new(Known { facts: None, abilities, learned: false }),
        }
    }

    /// The address.
    pub fn address(&self) -> &str {
        &self.address
    }

    /// What the device is, once it has been contacted.
    pub fn facts(&self) -> Option<DeviceFacts> {
        self.known().facts.clone()
    }

    fn known(&self) -> MutexGuard<'_, Known> {
        self.known.lock().unwrap_or_else(PoisonError::into_inner)
    }

    /// Makes the link if there is none, telling how far it has got, and what the device is.
    pub async fn connect(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<DeviceFacts, AskError> {
        self.link(progress).await?;
        self.facts().ok_or_else(|| AskError::Broken("the device did not say what it is".into()))
    }

    /// Waits until the link has gone. Returns at once when there is none.
    pub async fn gone(&self) -> LinkError {
        let link = self.live.lock().await.clone();
        match link {
            Some(link) => link.ended().await,
            None => LinkError::Lost { at: self.address.clone(), why: "there is no link".into() },
        }
    }

    /// Ends the link, if there is one; the next request makes it anew.
    pub async fn hang_up(&self) {
        *self.live.lock().await = None;
    }

    async fn link(&self, progress: &mut (dyn FnMut(LinkStep) + Send)) -> Result<Link, AskError> {
        let mut live = self.live.lock().await;
        let link = match live.as_ref().filter(|link| !link.is_ended()) {
            Some(link) => link.clone(),
            None => {
                *live = None;
                let made = Link::connect_tcp(&self.address, &self.keys, &self.limits, progress).await;
                let link = made.map_err(AskError::NoLink)?;
                self.meet(&link).await?;
                *live = Some(link.clone());
                link
            }
        };
        if !self.known().learned {
            let help = self.shell(&link, "pm").await.map_err(|e| self.nothing_sent(e))?;
            let text = help.text();
            let known = &mut *self.known();
            // A device that is still starting has no help to give and is asked again next time. One
            // that gives something else never will: then nothing is taken for granted.
            known.learned = known.abilities.learn_from_help(&text) || !says_not_ready(&text);
        }
        Ok(link)
    }

    /// What a failure means before the request itself has been sent.
    fn nothing_sent(&self, error: CallError) -> AskError {
        match error {
            CallError::Link(link) => AskError::NoLink(link),
            other => AskError::NoLink(LinkError::Lost { at: self.address.clone(), why: other.to_string() }),
        }
    }

    /// Asks a device that has just been linked what it is.
    async fn meet(&self, link: &Link) -> Result<(), AskError> {
        let features = &link.banner().features;
        let offered = Offered {
            abb: features.has(Feature::Abb),
            abb_exec: features.has(Feature::AbbExec),
            cmd: features.has(Feature::Cmd),
        };
        let said = self.shell(link, "getprop").await.map_err(|e| self.nothing_sent(e))?;
        let stand_in = stand_in_serial(&self.address);
        let facts = Properties::read(&said.out).facts(&stand_in).ok_or_else(|| {
            let state = &link.banner().state;
            AskError::NoLink(LinkError::Broken {
                at: self.address.clone(),
                rule: format!("it does not tell its version of Android (it is in the state “{state}”)"),
            })
        })?;
        {
            let known = self.known();
            if let Some(before) = known.facts.as_ref().filter(|before| before.serial != facts.serial) {
                return Err(AskError::OtherDevice(format!(
                    "at {} there is {} (serial {}) now, not {} (serial {}). Nothing was sent to it",
                    self.address,
                    facts.name(),
                    facts.serial,
                    before.name(),
                    before.serial
                )));
            }
        }
        let fresh = Abilities::new(facts.android.sdk(), offered);
        let mut known = self.known();
        if fresh.needs_help_text() && known.facts.is_some() {
            // The same device as before: what its help said still holds.
            known.abilities.offered = offered;
        } else {
            known.abilities = fresh;
            known.learned = !fresh.needs_help_text();
        }
        known.facts = Some(facts);
        Ok(())
    }

    async fn shell(&self, link: &Link, command: &str) -> Result<Answer, CallError> {
        let mut said = Collected::default();
        let limits = Limits { idle: self.patience.look, ..self.limits };
        let code = link.call(&shell_service(link, command), &limits, &mut said).await?;
        Ok(answer(said, code))
    }

    /// A service that was announced has been refused: it is not tried again.
    fn forget(&self, carriage: &Carriage) {
        let offered = &mut self.known().abilities.offered;
        match carriage {
            Carriage::Abb(_) => offered.abb = false,
            Carriage::AbbExec(_) => offered.abb_exec = false,
            Carriage::Shell(_) => {}
        }
    }
}

impl Device for AdbDevice {
    fn abilities(&self) -> Abilities {
        self.known().abilities
    }

    async fn ask(&self, request: &Request, out: &mut (dyn FnMut(&[u8]) + Send)) -> Result<Answer, AskError> {
        let link = self.link(&mut |_| {}).await?;
        let idle = if request.changes { self.patience.change } else { self.patience.look };
        let limits = Limits { idle, ..self.limits };
        let mut refused = None;
        for carriage in request.carriages(&self.abilities()) {
            let service = match &carriage {
                Carriage::Abb(words) => Service::Abb(words.clone()),
                Carriage::AbbExec(words) => Service::AbbExec(words.clone()),
                Carriage::Shell(command) => shell_service(&link, command),
            };
            let mut said = Collected::default();
            let mut sink = |channel: Channel, data: &[u8]| {
                if channel == Channel::Out {
                    out(data);
                }
                said.piece(channel, data);
            };
            match link.call(&service, &limits, &mut sink).await {
                Ok(code) => return Ok(answer(said, code)),
                Err(CallError::Refused { service }) => {
                    self.forget(&carriage);
                    refused = Some(format!("the device refused “{service}”"));
                }
                Err(CallError::Link(error)) => return Err(AskError::Lost(error.to_string())),
                Err(error @ CallError::Silent { .. }) => return Err(AskError::Silent(error.to_string())),
                Err(error) => return Err(AskError::Broken(error.to_string())),
            }
        }
        Err(AskError::Refused(refused.unwrap_or_else(|| "the device offers no way to ask that".into())))
    }
}

fn shell_service(link: &Link, command: &str) -> Service {
    if link.banner().features.has(Feature::ShellV2) {
        Service::ShellV2(command.to_owned())
    } else {
        Service::OldShell(command.to_owned())
    }
}

fn answer(said: Collected, code: Option<u8>) -> Answer {
    let text = |bytes: &[u8]| String::from_utf8_lossy(bytes).into_owned();
    Answer { out: text(&said.out), err: text(&said.err), code }
}

/// A serial for a device that names none: its address, which is all that tells it apart.
fn stand_in_serial(address: &str) -> Serial {
    let clean: String = address.chars().map(|c| if c.is_ascii_graphic() { c } else { '-' }).take(100).collect();
    #[expect(clippy::expect_used, reason = "a prefix and visible ASCII always make a serial")]
    format!("at-{clean}").parse().expect("visible ASCII")
}
