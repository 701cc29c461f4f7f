//! A device as the screen sees it: commands in, events out, and a link that is kept up by itself.

mod aside;
mod care;
mod runs;

use std::sync::Arc;
use std::time::Duration;

use tokio::sync::{Notify, mpsc, watch};
use tokio::task::JoinHandle;
use tokio::time::Instant;
use wibbet_adb::{KeyRing, Limits, LinkError};
use wibbet_core::android::Abilities;
use wibbet_core::device::DeviceFacts;
use wibbet_core::link::{Advice, Ladder, LinkTrouble, Rung, Standing};
use wibbet_core::package::{AppNames, Inventory, Measures, Note};
use wibbet_core::plan::Plan;
use wibbet_core::run::{Permit, PermitProbe, Run, RunKind};
use wibbet_types::{Locale, PackageId, UserId};

use crate::adb_device::{AdbDevice, LinkStep};
use crate::begin::claim;
use crate::book::{Book, now};
use crate::details::{Details, details};
use crate::device::{AskError, Device as _};
use crate::look::{Opening, follow};
use crate::route::{Route, Surroundings};
use crate::runner::{Patience, RunNews};
use crate::settle::settle_interrupted;
use crate::survey::{SurveyError, survey};
use crate::trouble::{advised, trouble_of};

use aside::Aside;
pub use care::CloseStep;

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
    /// Where devices are looked for.
    pub surroundings: Arc<Surroundings>,
}

impl Workplace {
    /// A device at an address.
    pub fn device(&self, address: &str) -> AdbDevice {
        self.device_by(vec![Route::Address(address.to_owned())])
    }

    /// A device by some ways to it.
    pub fn device_by(&self, routes: Vec<Route>) -> AdbDevice {
        AdbDevice::new(routes, Arc::clone(&self.surroundings), Arc::clone(&self.keys), self.limits, self.patience)
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
    /// Keep the device awake while it is fed, or put that back as it was.
    StayAwake(bool),
    /// Read labels in these languages; `None` for those of the device.
    Languages(Option<Vec<Locale>>),
    /// Tell what is on the device's screen, or stop telling it.
    Follow(bool),
    /// Open something on the device.
    Open(Opening),
    /// Write a note down.
    Note(Note),
    /// Put back what was changed for the link's sake, switch debugging off on the device, and let go of it.
    Close {
        /// Debugging is switched off on the device.
        switch_off: bool,
        /// The device is not linked by itself any more.
        forget: bool,
    },
}

/// What a session tells.
#[derive(Debug, Clone)]
pub enum SessionEvent {
    /// How far the link has got.
    Ladder(Box<Ladder>),
    /// What the device is.
    Facts(Box<DeviceFacts>, Abilities),
    /// How it is.
    Details(Box<Details>),
    /// What the session is at, in words; `None` when it is idle.
    Busy(Option<String>),
    /// The packages, read anew.
    Inventory(Arc<Inventory>),
    /// What APKs tell, as far as it has been read.
    Names(Arc<AppNames>),
    /// Sizes, memory and use, as far as they have been read.
    Measures(Arc<Measures>),
    /// The notes that hold for the device.
    Notes(Arc<Vec<Note>>),
    /// What is being read beside everything else, in words.
    Reading(Option<String>),
    /// What is on the device's screen now, while that is followed.
    Front(Option<(PackageId, UserId)>),
    /// The runs of the device, read from the logbook.
    Runs(Arc<Vec<Run>>),
    /// A run that is being carried out.
    Run(RunNews),
    /// A run has ended; why, if not by itself.
    RunEnded(Option<String>),
    /// The link has been closed on purpose; what was done for it.
    Closed(Vec<CloseStep>),
    /// Another device has turned up in the place of this one.
    OtherDevice(Route),
    /// Something worth telling that is not in the other events.
    Note(String),
}

/// A session with one device. It ends when this is dropped.
#[derive(Debug)]
pub struct Session {
    commands: mpsc::UnboundedSender<SessionCommand>,
    stop: Arc<watch::Sender<bool>>,
    wake: Arc<Notify>,
    device: Arc<AdbDevice>,
    task: JoinHandle<()>,
}

impl Session {
    /// Starts a session with a device. `events` is called from the session's task and must not block.
    pub fn start(
        device: AdbDevice,
        workplace: Workplace,
        events: impl Fn(SessionEvent) + Send + Sync + 'static,
    ) -> Self {
        let (commands, inbox) = mpsc::unbounded_channel();
        let stop = Arc::new(watch::Sender::new(false));
        let wake = Arc::new(Notify::new());
        let device = Arc::new(device);
        let mut actor = Actor {
            device: Arc::clone(&device),
            workplace,
            events: Arc::new(events),
            inbox,
            stop: Arc::clone(&stop),
            wake: Arc::clone(&wake),
            ladder: Ladder::default(),
            details: Details::default(),
            probe: None,
            closed: false,
            inventory: None,
            languages: None,
            reading: Aside::default(),
            following: Aside::default(),
        };
        let task = tokio::spawn(async move { actor.live().await });
        Self { commands, stop, wake, device, task }
    }

    /// The device.
    pub fn device(&self) -> &Arc<AdbDevice> {
        &self.device
    }

    /// Tells the session to do something.
    pub fn send(&self, command: SessionCommand) {
        // A session whose task has ended has told so; there is nobody left to be told.
        let _ = self.commands.send(command);
    }

    /// The ways to the device have changed, or it may have: it is tried at once.
    pub fn wake(&self) {
        self.wake.notify_one();
    }

    /// Wakes the session from elsewhere.
    pub(crate) fn waker(&self) -> Arc<Notify> {
        Arc::clone(&self.wake)
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

/// How often a rung that mends itself on the device is looked at again.
const LOOK_AGAIN: Duration = Duration::from_secs(2);
/// How many of these pass between two looks at battery and the like.
const VITALS_EVERY: u32 = 20;

struct Actor {
    device: Arc<AdbDevice>,
    workplace: Workplace,
    events: Arc<dyn Fn(SessionEvent) + Send + Sync>,
    inbox: mpsc::UnboundedReceiver<SessionCommand>,
    stop: Arc<watch::Sender<bool>>,
    wake: Arc<Notify>,
    ladder: Ladder,
    details: Details,
    probe: Option<PermitProbe>,
    /// The link was closed on purpose: it is made again only when somebody asks for it.
    closed: bool,
    inventory: Option<Arc<Inventory>>,
    languages: Option<Vec<Locale>>,
    /// Labels and measures are being read.
    reading: Aside,
    /// The device's screen is being followed.
    following: Aside,
}

impl Actor {
    fn tell(&self, event: SessionEvent) {
        (self.events)(event);
    }

    fn tell_ladder(&self) {
        self.tell(SessionEvent::Ladder(Box::new(self.ladder.clone())));
    }

    fn fall(&mut self, trouble: LinkTrouble) {
        self.ladder.fall(trouble);
        self.tell_ladder();
    }

    fn advise(&self, rung: Rung, advice: Advice, seen: impl Into<String>) -> LinkTrouble {
        advised(rung, advice, seen.into(), self.device.facts().as_ref())
    }

    /// Makes the link, reads the packages, serves commands until the link goes, and begins again.
    async fn live(&mut self) {
        loop {
            if self.closed {
                self.rest().await;
            }
            let linked = self.link().await;
            // Who wants to close the link need not wait until everything has been read.
            if linked && let Ok(command) = self.inbox.try_recv() {
                match command {
                    SessionCommand::Close { switch_off, forget } => {
                        self.close(switch_off, forget).await;
                        continue;
                    }
                    SessionCommand::Survey => {}
                    other => self.refuse(&other),
                }
            }
            if linked && self.read_all().await {
                self.serve().await;
            } else {
                self.pause().await;
            }
        }
    }

    /// Closed: nothing is done until somebody asks for the device.
    async fn rest(&mut self) {
        loop {
            match self.inbox.recv().await {
                Some(SessionCommand::Survey) => break,
                Some(SessionCommand::Note(note)) => self.write_note(note).await,
                Some(command) => self.refuse(&command),
                None => return tokio::time::sleep(Duration::from_secs(3600)).await,
            }
        }
        self.closed = false;
        self.ladder = Ladder::default();
    }

    /// Told to do something that takes a link.
    fn refuse(&self, command: &SessionCommand) {
        let nothing_sent = "there is no link to the device; nothing was sent".to_owned();
        match command {
            SessionCommand::Survey | SessionCommand::Languages(_) | SessionCommand::Follow(_) => {}
            SessionCommand::Note(_) => {}
            SessionCommand::Run(..) | SessionCommand::CarryOn(_) => {
                self.tell(SessionEvent::RunEnded(Some(nothing_sent)));
            }
            SessionCommand::StayAwake(_) | SessionCommand::Open(_) => self.tell(SessionEvent::Note(nothing_sent)),
            SessionCommand::Close { .. } => self.tell(SessionEvent::Closed(vec![CloseStep {
                what: "switch debugging off".into(),
                done: false,
                known: nothing_sent,
            }])),
        }
    }

    /// A while until the next try. A command in the meantime cannot be carried out, and is told so.
    async fn pause(&mut self) {
        // A device that does not know this computer is not bothered more than needed: a pairing from here wakes the
        // session.
        let unpaired = self.ladder.trouble.as_ref().is_some_and(|t| t.name == Advice::Pair.name());
        let until = Instant::now() + self.workplace.patience.pause * if unpaired { 12 } else { 4 };
        loop {
            let wake = Arc::clone(&self.wake);
            let command = tokio::select! {
                command = self.inbox.recv() => command,
                () = tokio::time::sleep_until(until) => return,
                () = wake.notified() => return,
            };
            match command {
                Some(SessionCommand::Survey) => return,
                Some(SessionCommand::Close { switch_off: false, forget }) => {
                    self.close(false, forget).await;
                    return;
                }
                Some(SessionCommand::Note(note)) => self.write_note(note).await,
                Some(command) => self.refuse(&command),
                // The session is being dropped; its task is ended from outside.
                None => return tokio::time::sleep(Duration::from_secs(3600)).await,
            }
        }
    }

    async fn link(&mut self) -> bool {
        let connected = {
            let (events, device) = (&self.events, Arc::clone(&self.device));
            let mut ladder = Ladder { trouble: self.ladder.trouble.clone(), ..Ladder::default() };
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
        };
        match connected {
            Ok(facts) => {
                self.ladder = Ladder { trouble: None, ..Ladder::default() };
                let by = self.device.route().map_or("", |route| route.kind());
                self.ladder.climb(Rung::Reached, format!("by {by}, {}", self.device.address()));
                self.ladder.climb(Rung::Interface, "found");
                self.ladder.climb(Rung::Free, "it could be opened");
                self.ladder.climb(Rung::Authorised, "it accepted this computer's key");
                self.ladder.climb(Rung::Shell, "it told its properties");
                self.ladder.note(Rung::Changes, Standing::Unknown, "not tried yet");
                let address = self.device.address();
                let (note, known_as) = (facts.clone(), self.device.known_as());
                let noted = move |book: &mut wibbet_logbook::Logbook| {
                    book.note_device(&note, &address, known_as.as_deref(), now())
                };
                match self.workplace.book.with(noted).await {
                    Ok(id) => self.device.set_id(id),
                    Err(error) => self.tell(SessionEvent::Note(error.to_string())),
                }
                self.tell_facts();
                self.tell_ladder();
                true
            }
            Err(AskError::NoLink(error)) => {
                self.lost(&error);
                false
            }
            Err(AskError::NotAndroid(seen)) => {
                let trouble = self.advise(Rung::Shell, Advice::StartAndroid, seen);
                self.fall(trouble);
                false
            }
            Err(other) => {
                let trouble = self.advise(Rung::Shell, Advice::WrongDevice, other.to_string());
                self.fall(trouble);
                if let (AskError::OtherDevice(_), Some(route)) = (&other, self.device.route()) {
                    self.tell(SessionEvent::OtherDevice(route));
                }
                false
            }
        }
    }

    fn tell_facts(&self) {
        if let Some(facts) = self.device.facts() {
            self.tell(SessionEvent::Facts(Box::new(facts), self.device.abilities()));
        }
    }

    fn lost(&mut self, error: &LinkError) {
        self.reading.stop();
        self.following.stop();
        self.tell(SessionEvent::Reading(None));
        let trouble = trouble_of(error, self.device.facts().as_ref());
        self.fall(trouble);
    }

    /// Reads how the device is and what is installed, and finds out whether changes are permitted.
    async fn read_all(&mut self) -> bool {
        // Before Android 7 each part of this starts a runtime of its own, so the packages come first there.
        let slow = self.device.abilities().sdk < 24;
        if !slow {
            self.read_details().await;
        }
        if !self.read_packages().await {
            return false;
        }
        if slow {
            self.read_details().await;
        }
        self.try_changes().await;
        true
    }

    /// Reads how the device is. That it cannot be read is told by what stays unknown.
    async fn read_details(&mut self) {
        let Some(details) = details(&self.device).await else { return };
        match details.vitals.started {
            Some(true) => self.ladder.note(Rung::Started, Standing::Holds, "sys.boot_completed is 1"),
            Some(false) => {
                let trouble = self.advise(Rung::Started, Advice::WaitForStart, "sys.boot_completed is not 1 yet");
                self.ladder.fall(trouble);
            }
            None => self.ladder.note(Rung::Started, Standing::Unknown, "it does not tell"),
        }
        self.details = details;
        self.tell(SessionEvent::Details(Box::new(self.details.clone())));
        self.tell_ladder();
    }

    /// Tries whether changes are permitted, in a way that changes nothing.
    async fn try_changes(&mut self) {
        let Some(probe) = &self.probe else {
            // What a refused change has shown stands until another one shows better.
            if self.ladder.standing(Rung::Changes) != Standing::Missing {
                self.ladder.note(Rung::Changes, Standing::Unknown, "the first change will show");
                self.tell_ladder();
            }
            return;
        };
        let Ok(answer) = self.device.ask(&probe.request(), &mut |_| {}).await else { return };
        let id = probe.id.clone();
        match probe.read(&answer) {
            Permit::Given => {
                self.ladder.note(
                    Rung::Changes,
                    Standing::Holds,
                    format!("{id} could be set to the state that it is in"),
                );
            }
            Permit::Withheld => {
                let seen = format!("it refused to set {id} to the state that it is in");
                let trouble = self.advise(Rung::Changes, Advice::SecondSwitch, seen);
                self.ladder.fall(trouble);
            }
            Permit::Unclear => self.ladder.note(Rung::Changes, Standing::Unknown, "the first change will show"),
        }
        self.tell_ladder();
    }

    /// Reads the packages, settles what was interrupted, and tells it all.
    async fn read_packages(&mut self) -> bool {
        let read = {
            let (device, events) = (&*self.device, &self.events);
            survey(device, &mut |part| events(SessionEvent::Busy(Some(part.words())))).await
        };
        self.tell(SessionEvent::Busy(None));
        match read {
            Ok(mut inventory) => {
                inventory.with_users(&self.details.users);
                // What the device can do may have become known only now.
                self.tell_facts();
                self.settle().await;
                self.probe = PermitProbe::choose(&inventory, &self.device.abilities());
                self.ladder.climb(Rung::Service, format!("it told of {} packages", inventory.packages.len()));
                self.ladder.surveyed = true;
                let inventory = Arc::new(inventory);
                self.inventory = Some(Arc::clone(&inventory));
                self.tell(SessionEvent::Inventory(inventory));
                self.tell_runs().await;
                self.tell_notes().await;
                self.read_about();
                self.tell_ladder();
                true
            }
            Err(SurveyError::Ask(AskError::NoLink(error) | AskError::Lost(error))) => {
                self.lost(&error);
                false
            }
            Err(error) => {
                let (rung, advice) = match &error {
                    SurveyError::NotReady => (Rung::Service, Advice::WaitForStart),
                    _ => (Rung::Service, Advice::Restart),
                };
                let trouble = self.advise(rung, advice, error.to_string());
                self.fall(trouble);
                false
            }
        }
    }

    async fn settle(&self) {
        let Some(facts) = self.device.facts() else { return };
        // Whoever holds the device is at work on it, and settles by himself.
        let Ok(_claims) = claim(&self.workplace.book, &facts.id, &self.device.address()) else { return };
        match settle_interrupted(&self.workplace.book, &*self.device, &facts.id).await {
            Ok(told) => told.into_iter().for_each(|note| self.tell(SessionEvent::Note(note))),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    async fn tell_runs(&self) {
        let Some(facts) = self.device.facts() else { return };
        match self.workplace.book.with(move |book| book.runs(Some(&facts.id))).await {
            Ok(runs) => self.tell(SessionEvent::Runs(Arc::new(runs))),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    async fn serve(&mut self) {
        let mut ticks = 0;
        let mut tick = tokio::time::interval(LOOK_AGAIN);
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        tick.reset();
        loop {
            let device = Arc::clone(&self.device);
            let command = tokio::select! {
                command = self.inbox.recv() => command,
                error = device.gone() => {
                    self.lost(&error);
                    return;
                }
                _ = tick.tick() => {
                    ticks += 1;
                    self.look_again(ticks).await;
                    continue;
                }
            };
            let goes_on = match command {
                None => return,
                Some(SessionCommand::Survey) => self.read_packages().await,
                Some(SessionCommand::Languages(languages)) => {
                    self.languages = languages;
                    self.read_about();
                    true
                }
                Some(SessionCommand::Follow(true)) => {
                    self.following.start(follow(Arc::clone(&self.device), Arc::clone(&self.events)));
                    true
                }
                Some(SessionCommand::Follow(false)) => {
                    self.following.stop();
                    true
                }
                Some(SessionCommand::Open(opening)) => {
                    self.open(opening).await;
                    true
                }
                Some(SessionCommand::Note(note)) => {
                    self.write_note(note).await;
                    true
                }
                Some(SessionCommand::Run(kind, plan)) => {
                    let ended = self.run(Ok((kind, plan))).await;
                    self.after_run(ended).await
                }
                Some(SessionCommand::CarryOn(number)) => {
                    let ended = self.run(Err(number)).await;
                    self.after_run(ended).await
                }
                Some(SessionCommand::StayAwake(on)) => {
                    self.stay_awake(on).await;
                    true
                }
                Some(SessionCommand::Close { switch_off, forget }) => {
                    self.close(switch_off, forget).await;
                    false
                }
            };
            if !goes_on {
                return;
            }
        }
    }

    /// Looks at what may have mended itself on the device, and now and then at battery and the like.
    async fn look_again(&mut self, ticks: u32) {
        if self.ladder.standing(Rung::Changes) == Standing::Missing {
            self.try_changes().await;
        }
        if self.ladder.standing(Rung::Started) == Standing::Missing || ticks.is_multiple_of(VITALS_EVERY) {
            self.read_details().await;
        }
    }
}
