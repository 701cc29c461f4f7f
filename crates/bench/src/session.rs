//! A device as the screen sees it: commands in, events out, and a link that is kept up by itself.

use std::sync::Arc;
use std::time::Duration;

use tokio::sync::{mpsc, watch};
use tokio::task::JoinHandle;
use wibbet_adb::{KeyRing, Limits, LinkError};
use wibbet_core::{Abilities, DeviceFacts, Inventory, Ladder, LinkTrouble, Plan, Run, RunKind, Rung};

use crate::adb_device::{AdbDevice, LinkStep};
use crate::begin::{begin_run, claim};
use crate::book::{Book, now};
use crate::device::{AskError, Device as _};
use crate::runner::{Patience, RunNews, Runner};
use crate::settle::settle_interrupted;
use crate::survey::{SurveyError, survey};
use crate::trouble::trouble_of;

/// What the sessions of a program share.
#[derive(Debug, Clone)]
pub struct Workplace {
    /// The logbook.
    pub book: Book,
    /// The keys of this computer.
    pub keys: Arc<KeyRing>,
    /// How long to wait while a link is made.
    pub limits: Limits,
    /// How patient to be afterwards.
    pub patience: Patience,
}

impl Workplace {
    /// A device at an address.
    pub fn device(&self, address: &str) -> AdbDevice {
        AdbDevice::at(address, Arc::clone(&self.keys), self.limits, self.patience)
    }
}

/// What a session can be told to do. Commands are carried out one after the other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SessionCommand {
    /// Read the packages again.
    Survey,
    /// Carry out a plan.
    Run(RunKind, Plan),
    /// Carry on with a run of the logbook.
    CarryOn(i64),
}

/// What a session tells.
#[derive(Debug, Clone)]
pub enum SessionEvent {
    /// How far the link has got.
    Ladder(Ladder),
    /// What the device is.
    Facts(Box<DeviceFacts>, Abilities),
    /// What the session is at, in words; `None` when it is idle.
    Busy(Option<String>),
    /// The packages, read anew.
    Inventory(Arc<Inventory>),
    /// The runs of the device, read from the logbook.
    Runs(Arc<Vec<Run>>),
    /// A run that is being carried out.
    Run(RunNews),
    /// A run has ended; why, if not by itself.
    RunEnded(Option<String>),
    /// Something worth telling that is not in the other events.
    Note(String),
}

/// A session with one device. It ends when this is dropped.
#[derive(Debug)]
pub struct Session {
    commands: mpsc::UnboundedSender<SessionCommand>,
    stop: Arc<watch::Sender<bool>>,
    task: JoinHandle<()>,
}

impl Session {
    /// Starts a session with the device at an address. `events` is called from the session's task
    /// and must not block.
    pub fn start(address: &str, workplace: Workplace, events: impl Fn(SessionEvent) + Send + Sync + 'static) -> Self {
        let (commands, inbox) = mpsc::unbounded_channel();
        let stop = Arc::new(watch::Sender::new(false));
        let device = workplace.device(address);
        let mut actor = Actor {
            device,
            workplace,
            events: Box::new(events),
            inbox,
            stop: Arc::clone(&stop),
            ladder: Ladder::default(),
        };
        let task = tokio::spawn(async move { actor.live().await });
        Self { commands, stop, task }
    }

    /// Tells the session to do something.
    pub fn send(&self, command: SessionCommand) {
        // A session whose task has ended has told so; there is nobody left to be told.
        let _ = self.commands.send(command);
    }

    /// Ends the run that is being carried out, after the steps that are on their way.
    pub fn stop_run(&self) {
        self.stop.send_replace(true);
    }
}

impl Drop for Session {
    fn drop(&mut self) {
        self.task.abort();
    }
}

struct Actor {
    device: AdbDevice,
    workplace: Workplace,
    events: Box<dyn Fn(SessionEvent) + Send + Sync>,
    inbox: mpsc::UnboundedReceiver<SessionCommand>,
    stop: Arc<watch::Sender<bool>>,
    ladder: Ladder,
}

impl Actor {
    fn tell(&self, event: SessionEvent) {
        (self.events)(event);
    }

    fn fall(&mut self, rung: Rung, trouble: LinkTrouble) {
        self.ladder.fall(rung, trouble);
        self.tell(SessionEvent::Ladder(self.ladder.clone()));
    }

    fn climb(&mut self, rung: Rung) {
        self.ladder.climb(rung);
        self.tell(SessionEvent::Ladder(self.ladder.clone()));
    }

    /// Makes the link, reads the packages, serves commands until the link goes, and begins again.
    async fn live(&mut self) {
        loop {
            if self.link().await && self.read_packages().await {
                self.serve().await;
            } else {
                self.pause().await;
            }
        }
    }

    /// A while until the next try. A command in the meantime cannot be carried out, and is told so.
    async fn pause(&mut self) {
        let until = tokio::time::Instant::now() + self.workplace.patience.pause * 4;
        while let Ok(command) = tokio::time::timeout_at(until, self.inbox.recv()).await {
            match command {
                Some(SessionCommand::Survey) => return,
                Some(_) => {
                    self.tell(SessionEvent::RunEnded(Some("there is no link to the device; nothing was sent".into())))
                }
                // The session is being dropped; its task is ended from outside.
                None => return tokio::time::sleep(Duration::from_secs(3600)).await,
            }
        }
    }

    async fn link(&mut self) -> bool {
        let connected = {
            let (events, mut ladder) = (&self.events, Ladder { held: 0, trouble: self.ladder.trouble.clone() });
            let address = self.device.address().to_owned();
            let mut progress = |step: LinkStep| {
                match step {
                    LinkStep::Reached => ladder.climb(Rung::Address),
                    LinkStep::Speaks => ladder.climb(Rung::Daemon),
                    LinkStep::Authorised => ladder.climb(Rung::Authorised),
                    LinkStep::AwaitingTap { fingerprint } => {
                        ladder.fall(Rung::Authorised, awaiting_tap(&address, &fingerprint))
                    }
                }
                events(SessionEvent::Ladder(ladder.clone()));
            };
            self.device.connect(&mut progress).await
        };
        match connected {
            Ok(facts) => {
                self.ladder.climb(Rung::Authorised);
                self.tell(SessionEvent::Facts(Box::new(facts.clone()), self.device.abilities()));
                let address = self.device.address().to_owned();
                let noted = self.workplace.book.with(move |book| book.note_device(&facts, &address, now())).await;
                if let Err(error) = noted {
                    self.tell(SessionEvent::Note(error.to_string()));
                }
                true
            }
            Err(AskError::NoLink(error)) => {
                self.lost(&error);
                false
            }
            Err(other) => {
                let advice = "Check which device is at this address.".into();
                self.fall(
                    Rung::Authorised,
                    LinkTrouble { name: "wrong-device", seen: other.to_string(), advice, retrying: true },
                );
                false
            }
        }
    }

    fn lost(&mut self, error: &LinkError) {
        let (rung, trouble) = trouble_of(error);
        self.fall(rung, trouble);
    }

    /// Reads the packages, settles what was interrupted, and tells it all.
    async fn read_packages(&mut self) -> bool {
        let read = {
            let (device, events) = (&self.device, &self.events);
            survey(device, &mut |part| events(SessionEvent::Busy(Some(part.words())))).await
        };
        self.tell(SessionEvent::Busy(None));
        match read {
            Ok(inventory) => {
                // What the device can do may have become known only now.
                if let Some(facts) = self.device.facts() {
                    self.tell(SessionEvent::Facts(Box::new(facts), self.device.abilities()));
                }
                self.settle().await;
                self.tell(SessionEvent::Inventory(Arc::new(inventory)));
                self.tell_runs().await;
                self.climb(Rung::Survey);
                true
            }
            Err(SurveyError::Ask(AskError::NoLink(error))) => {
                self.lost(&error);
                false
            }
            Err(error) => {
                let not_ready = error == SurveyError::NotReady;
                let (name, advice) = if not_ready {
                    ("not-ready", "The device is still starting; it is tried again.")
                } else {
                    ("unreadable", "It is tried again; restarting the device may help.")
                };
                self.fall(
                    Rung::Service,
                    LinkTrouble { name, seen: error.to_string(), advice: advice.into(), retrying: true },
                );
                false
            }
        }
    }

    async fn settle(&self) {
        let Some(facts) = self.device.facts() else { return };
        // Whoever holds the device is at work on it, and settles by himself.
        let Ok(_claims) = claim(&self.workplace.book, &facts.serial, self.device.address()) else { return };
        match settle_interrupted(&self.workplace.book, &self.device, &facts.serial).await {
            Ok(told) => told.into_iter().for_each(|note| self.tell(SessionEvent::Note(note))),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    async fn tell_runs(&self) {
        let Some(facts) = self.device.facts() else { return };
        match self.workplace.book.with(move |book| book.runs(Some(&facts.serial))).await {
            Ok(runs) => self.tell(SessionEvent::Runs(Arc::new(runs))),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    async fn serve(&mut self) {
        loop {
            let command = tokio::select! {
                command = self.inbox.recv() => command,
                error = self.device.gone() => {
                    self.lost(&error);
                    return;
                }
            };
            match command {
                None => return,
                Some(SessionCommand::Survey) => {
                    if !self.read_packages().await {
                        return;
                    }
                }
                Some(SessionCommand::Run(kind, plan)) => {
                    let ended = self.run(Ok((kind, plan))).await;
                    if !self.after_run(ended).await {
                        return;
                    }
                }
                Some(SessionCommand::CarryOn(number)) => {
                    let ended = self.run(Err(number)).await;
                    if !self.after_run(ended).await {
                        return;
                    }
                }
            }
        }
    }

    /// Carries out a new run, or carries on with an old one.
    async fn run(&self, what: Result<(RunKind, Plan), i64>) -> Option<String> {
        let facts = self.device.facts()?;
        let book = &self.workplace.book;
        self.stop.send_replace(false);
        let _claims = match claim(book, &facts.serial, self.device.address()) {
            Ok(claims) => claims,
            Err(error) => return Some(error.to_string()),
        };
        let number = match what {
            Ok((kind, plan)) => match begin_run(book, &facts.serial, kind, &plan, &self.device.abilities()).await {
                Ok(number) => number,
                Err(error) => return Some(error.to_string()),
            },
            Err(number) => number,
        };
        let events = &self.events;
        let news = move |news| events(SessionEvent::Run(news));
        let stop = self.stop.subscribe();
        let ended = Runner::carry_out(&self.device, book, self.workplace.patience, number, stop, &news).await;
        ended.err().map(|error| error.to_string())
    }

    /// Tells how a run ended, and reads the packages again: paths and kinds may have changed beside
    /// the states that were read back. False when there is no link any more.
    async fn after_run(&mut self, trouble: Option<String>) -> bool {
        self.tell_runs().await;
        self.tell(SessionEvent::RunEnded(trouble));
        self.read_packages().await
    }
}

fn awaiting_tap(address: &str, fingerprint: &str) -> LinkTrouble {
    LinkTrouble {
        name: LinkTrouble::AWAITING_TAP,
        seen: format!("{address} asks on its screen whether this computer may debug it"),
        advice: format!(
            "Unlock the device, tick “Always allow” and tap “Allow”. It should show the fingerprint {fingerprint}"
        ),
        retrying: true,
    }
}
