//! The task of a session: it makes the link, reads, serves commands until the link goes, and begins again.

use std::collections::VecDeque;
use std::sync::Arc;
use std::time::Duration;

use tokio::sync::{Notify, mpsc, watch};
use tokio::time::Instant;
use wibbet_adb::{Link, LinkError};
use wibbet_core::ask::Opening;
use wibbet_core::diagnosis::{LoopWatch, Since};
use wibbet_core::link::{Advice, CloseStep, Ladder, Rung, RungStatus};
use wibbet_core::package::Inventory;
use wibbet_core::read::ChangesPermitted;
use wibbet_core::run::OfRuns;
use wibbet_types::Locale;

use super::background::BackgroundTask;
use super::command::SessionCommand;
use super::event::{OrderOver, SessionEvent};
use super::reading::follow;
use crate::device::AdbDevice;
use crate::ops::{Awaited, Details, open_developer_options, open_on_device};
use crate::orders::{OrderWanted, PreparedOrder};
use crate::run::{Control, RunStart};
use crate::workplace::Workplace;

impl Actor {
    async fn open_developer_options(&self) {
        let _claims = match self.claimed() {
            Ok(claims) => claims,
            Err(why) => return self.tell(SessionEvent::Note(format!("The developer options were not opened: {why}"))),
        };
        let note = match open_developer_options(&self.device).await {
            Ok(None) => "The developer options are open on the device.".to_owned(),
            Ok(Some(said)) => format!("The developer options were not opened: the device says: {said}"),
            Err(error) => format!("The developer options were not opened: {error}"),
        };
        self.tell(SessionEvent::Note(note));
    }

    pub(super) async fn open(&self, opening: Opening) {
        let _claims = match self.claimed() {
            Ok(claims) => claims,
            Err(why) => return self.tell(SessionEvent::Note(format!("{} was not opened: {why}", opening.what()))),
        };
        let note = match open_on_device(&self.device, &opening).await {
            Ok(None) => format!("{} was opened on the device.", opening.what()),
            Ok(Some(said)) => format!("{} was not opened: the device says: {said}", opening.what()),
            Err(error) => format!("{} was not opened: {error}", opening.what()),
        };
        self.tell(SessionEvent::Note(note));
    }
}

/// How often a rung that mends itself on the device is looked at again.
const LOOK_AGAIN: Duration = Duration::from_secs(2);

/// How many of these pass between two looks at battery and the like.
const VITALS_EVERY: u32 = 20;

/// How often the pause between two tries is doubled, for what was only ever announced or does not show what it is.
pub(super) const MOST_DOUBLINGS: u32 = 5;

pub(crate) struct Actor {
    pub(super) device: Arc<AdbDevice>,
    pub(super) workplace: Workplace,
    pub(super) events: Arc<dyn Fn(SessionEvent) + Send + Sync>,
    pub(super) inbox: mpsc::UnboundedReceiver<SessionCommand>,
    /// What was chosen another time has been told.
    pub(super) told_tray: bool,
    /// How often in a row a device that was only ever announced was tried in vain.
    pub(super) tries: u32,
    /// Commands that came while the link was made.
    pub(super) waiting: VecDeque<SessionCommand>,
    pub(super) stop: Arc<watch::Sender<Control>>,
    pub(super) wake: Arc<Notify>,
    pub(super) ladder: Ladder,
    pub(super) details: Details,
    /// What the device last said of changes that are permitted.
    pub(super) permitted: ChangesPermitted,
    /// The link was closed on purpose, or never asked for: it is made only when somebody asks for it.
    pub(super) closed: bool,
    /// Until when the device may be away, because it was told to restart.
    pub(super) restarting: Option<Instant>,
    /// There is but hearsay of the device. A better way to it is reason enough to begin.
    pub(super) offered: bool,
    pub(super) inventory: Option<Arc<Inventory>>,
    pub(super) languages: Option<Vec<Locale>>,
    /// Those that the device's first user has chosen.
    pub(super) own_languages: Option<Vec<Locale>>,
    /// Packages that somebody looks at.
    pub(super) awaited: Awaited,
    /// Labels and metrics are being read.
    pub(super) reading: BackgroundTask,
    /// The device works out sizes.
    pub(super) sizing: BackgroundTask,
    /// What fails behind a run is watched.
    pub(super) watching: BackgroundTask,
    /// The device's screen is being followed.
    pub(super) following: BackgroundTask,
    /// What is to be caught, before anything else is done.
    pub(super) catching: Option<OfRuns>,
    /// The order that was held against the device, and what it comes to.
    pub(super) order: Option<(Arc<OrderWanted>, PreparedOrder)>,
    /// What is seen of the device's starts, since the session began; and whether it has been told that they never end.
    pub(super) loops: LoopWatch,
    pub(super) told_loop: bool,
    /// The look that what has changed is told since, once that is known.
    pub(super) looked_since: Option<Since>,
    pub(super) begun: Instant,
}

impl Actor {
    pub(super) fn tell(&self, event: SessionEvent) {
        (self.events)(event);
    }

    pub(super) fn tell_ladder(&self) {
        self.tell(SessionEvent::Ladder(Box::new(self.ladder.clone())));
    }

    /// Makes the link, reads the packages, serves commands until the link goes, and begins again.
    pub(super) async fn live(&mut self) {
        self.tell_runs().await;
        loop {
            if self.closed && self.catching.is_none() {
                self.rest().await;
            }
            if let Some(wanted) = self.take_catch() {
                self.catch(wanted).await;
                continue;
            }
            let linked = self.link().await;
            let link = self.device.current().await;
            // Who wants to close the link need not wait until everything has been read.
            if self.closed {
                continue;
            }
            while linked && let Ok(command) = self.inbox.try_recv() {
                self.waiting.push_back(command);
            }
            let is_close = |command: &SessionCommand| matches!(command, SessionCommand::Close(_));
            if linked
                && let Some(at) = self.waiting.iter().position(is_close)
                && let Some(SessionCommand::Close(closing)) = self.waiting.remove(at)
            {
                self.close(&closing).await;
                continue;
            }
            if linked && self.read_all().await {
                self.serve(link).await;
            } else {
                self.catching = self.take_catch();
                for command in std::mem::take(&mut self.waiting) {
                    self.without_a_link(command).await;
                }
                if self.catching.is_none() {
                    self.pause().await;
                }
            }
        }
    }

    /// Closed: nothing is done until somebody asks for the device.
    async fn rest(&mut self) {
        loop {
            let wake = Arc::clone(&self.wake);
            let command = tokio::select! {
                command = self.inbox.recv() => command,
                () = wake.notified(), if self.offered => match self.device.is_hearsay() {
                    true => continue,
                    false => break,
                },
            };
            match command {
                Some(SessionCommand::Survey) => {
                    self.device.believe_hearsay();
                    break;
                }
                Some(SessionCommand::Catch(wanted)) => {
                    self.device.believe_hearsay();
                    self.catching = Some(wanted);
                    break;
                }
                Some(command) => self.without_a_link(command).await,
                None => return tokio::time::sleep(Duration::from_secs(3600)).await,
            }
        }
        (self.closed, self.offered) = (false, false);
        self.ladder = Ladder::default();
    }

    /// Does what takes no link, and refuses what does.
    async fn without_a_link(&self, command: SessionCommand) {
        if let Some(command) = self.write_down(command).await {
            self.refuse(&command);
        }
    }

    /// Does what only this computer is asked for; anything else is given back.
    pub(super) async fn write_down(&self, command: SessionCommand) -> Option<SessionCommand> {
        match command {
            SessionCommand::Note(note) => self.write_note(note).await,
            SessionCommand::Job(run, job) => self.write_job(run, job).await,
            SessionCommand::KeepTray(tray) => self.keep_tray(tray).await,
            SessionCommand::TakeIn(user, path) => self.take_app_in(user, path).await,
            SessionCommand::TakeInKept(user, number) => self.take_kept_in(user, number).await,
            SessionCommand::OfferCopy(number, offered) => self.offer_copy(number, offered).await,
            SessionCommand::DropCopy(copy) => self.drop_copy(copy).await,
            SessionCommand::Seen(run, words) => self.note_seen(run, words).await,
            SessionCommand::LookBack(since) => self.look_back(since).await,
            SessionCommand::BeginBreak(items) => self.begin_break(items).await,
            SessionCommand::EndBreak(number) => self.end_break(number).await,
            other => return Some(other),
        }
        None
    }

    /// Does what neither ends the link nor makes what was read out of date.
    async fn by_the_way(&mut self, command: SessionCommand) {
        let Some(command) = self.write_down(command).await else { return };
        match command {
            SessionCommand::Languages(languages) => {
                self.languages = languages;
                self.read_about();
            }
            SessionCommand::Follow(true) => {
                self.following.start(follow(Arc::clone(&self.device), Arc::clone(&self.events)));
            }
            SessionCommand::Follow(false) => self.following.stop(),
            SessionCommand::Open(opening) => self.open(opening).await,
            SessionCommand::WorkOutSizes => self.work_out_sizes(),
            SessionCommand::OpenDeveloperOptions => self.open_developer_options().await,
            SessionCommand::Restart(to) => self.restart(to).await,
            SessionCommand::AskForRoot => self.ask_for_root().await,
            SessionCommand::Picture => self.take_picture().await,
            SessionCommand::Bring { here, there, to_device } => self.bring(here, there, to_device).await,
            SessionCommand::Shell(command) => self.hand_command(command).await,
            SessionCommand::SwitchPart(wanted) => self.switch_part(wanted).await,
            SessionCommand::SwitchOnWireless => self.switch_on_wireless().await,
            SessionCommand::TryChanges => self.try_changes().await,
            SessionCommand::StayAwake(on) => self.stay_awake(on).await,
            SessionCommand::Settings { put_back } => self.settings(put_back).await,
            // These are seen to by whoever serves.
            other => self.refuse(&other),
        }
    }

    /// Told to do something that takes a link.
    pub(super) fn refuse(&self, command: &SessionCommand) {
        let nothing_sent = "there is no link to the device; nothing was sent".to_owned();
        match command {
            SessionCommand::Survey | SessionCommand::Languages(_) | SessionCommand::Follow(_) => {}
            // What takes no link is never refused.
            SessionCommand::Note(_) | SessionCommand::Job(..) | SessionCommand::KeepTray(_) => {}
            SessionCommand::TakeIn(..) | SessionCommand::TakeInKept(..) | SessionCommand::OfferCopy(..) => {}
            SessionCommand::DropCopy(_) | SessionCommand::Seen(..) | SessionCommand::LookBack(_) => {}
            SessionCommand::BeginBreak(_) | SessionCommand::EndBreak(_) => {}
            // That waits for one.
            SessionCommand::Catch(_) => {}
            SessionCommand::HoldOrder(None) => {}
            SessionCommand::HoldOrder(Some(_)) => self.tell(SessionEvent::OrderHeld(Err(nothing_sent))),
            SessionCommand::ApplyOrder(_) => {
                self.tell(SessionEvent::RunEnded(None));
                let trouble = Some(nothing_sent);
                self.tell(SessionEvent::OrderOver(OrderOver { trouble, ..OrderOver::default() }));
            }
            SessionCommand::Run(..) | SessionCommand::CarryOn(_) | SessionCommand::FindFault(_) => {
                self.tell(SessionEvent::RunEnded(Some(nothing_sent)));
            }
            SessionCommand::TryChanges
            | SessionCommand::StayAwake(_)
            | SessionCommand::Open(_)
            | SessionCommand::WorkOutSizes
            | SessionCommand::OpenDeveloperOptions
            | SessionCommand::Restart(_)
            | SessionCommand::Picture
            | SessionCommand::AskForRoot
            | SessionCommand::Bring { .. }
            | SessionCommand::Shell(_)
            | SessionCommand::SwitchOnWireless => {
                self.tell(SessionEvent::Note(nothing_sent));
            }
            SessionCommand::Settings { .. } => self.tell(SessionEvent::Settings(Err(nothing_sent))),
            SessionCommand::SwitchPart(wanted) => {
                self.tell(SessionEvent::Parts(wanted.clone(), None));
                self.tell(SessionEvent::Note(nothing_sent));
            }
            SessionCommand::Close(_) => self.tell(SessionEvent::Closed(vec![CloseStep {
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
        let unpaired = self.ladder.trouble.as_ref().is_some_and(|t| t.advice == Advice::Pair);
        let refused = self.ladder.trouble.as_ref().is_some_and(|t| t.advice == Advice::AllowAfterAll);
        // What was only ever announced, or does not show what it is, is not knocked at for ever.
        let met =
            self.device.facts().is_some() && self.ladder.trouble.as_ref().is_none_or(|t| t.advice != Advice::NotProven);
        let doubtful = !met && self.device.routes().iter().all(|r| !r.is_chosen());
        self.tries = if doubtful { (self.tries + 1).min(MOST_DOUBLINGS) } else { 0 };
        let times = if unpaired { 12 } else { 4 } << self.tries;
        let until = Instant::now() + self.workplace.patience.pause * times;
        loop {
            let wake = Arc::clone(&self.wake);
            let command = tokio::select! {
                command = self.inbox.recv() => command,
                // A dialog that was refused or left is not opened again before a person wants it, here or by the cable.
                () = tokio::time::sleep_until(until), if !refused => return,
                () = wake.notified() => return,
            };
            match command {
                Some(SessionCommand::Survey) => return,
                Some(SessionCommand::Catch(wanted)) => {
                    self.catching = Some(wanted);
                    return;
                }
                Some(SessionCommand::Close(closing)) if !closing.switch_off => {
                    self.close(&closing).await;
                    return;
                }
                Some(command) => self.without_a_link(command).await,
                // The session is being dropped; its task is ended from outside.
                None => return tokio::time::sleep(Duration::from_secs(3600)).await,
            }
        }
    }

    /// Serves commands until a link goes. What is read in the background makes another one when it needs it, and may be
    /// quicker than this; the going is told all the same, and everything read anew.
    async fn serve(&mut self, mut link: Option<Link>) {
        let mut ticks = 0;
        let mut tick = tokio::time::interval(LOOK_AGAIN);
        tick.set_missed_tick_behavior(tokio::time::MissedTickBehavior::Delay);
        tick.reset();
        loop {
            let going = async {
                match &link {
                    Some(link) => link.ended().await,
                    None => LinkError::Lost { at: self.device.address(), why: "there is no link".into() },
                }
            };
            let waiting = self.waiting.pop_front();
            let command = tokio::select! {
                biased;
                () = std::future::ready(()), if waiting.is_some() => waiting,
                command = self.inbox.recv() => command,
                error = going => {
                    self.lost(&error);
                    return;
                }
                _ = tick.tick() => {
                    ticks += 1;
                    if !self.look_again(ticks).await {
                        return;
                    }
                    continue;
                }
            };
            let goes_on = match command {
                None => return,
                Some(SessionCommand::Survey) => {
                    self.read_details().await;
                    self.read_packages().await
                }
                Some(SessionCommand::Run(kind, plan)) => {
                    let ended = self.run(RunStart::New(kind, plan)).await;
                    // A run makes the link anew by itself.
                    link = self.device.current().await;
                    self.after_run(ended).await
                }
                Some(SessionCommand::CarryOn(number)) => {
                    let ended = self.run(RunStart::Resume(number)).await;
                    link = self.device.current().await;
                    self.after_run(ended).await
                }
                Some(SessionCommand::Close(closing)) => {
                    self.close(&closing).await;
                    !self.closed
                }
                Some(SessionCommand::HoldOrder(wanted)) => self.hold_order(wanted).await,
                Some(SessionCommand::ApplyOrder(job)) => {
                    let up = self.apply_order(job).await;
                    // Its run makes the link anew by itself, and so does a restart behind it.
                    link = self.device.current().await;
                    up && !self.closed
                }
                Some(SessionCommand::FindFault(wanted)) => {
                    let up = self.find_fault(wanted).await;
                    // Its runs make the link anew by themselves.
                    link = self.device.current().await;
                    up
                }
                Some(SessionCommand::Catch(wanted)) => {
                    self.catching = Some(wanted);
                    false
                }
                Some(command) => {
                    self.by_the_way(command).await;
                    true
                }
            };
            if !goes_on {
                return;
            }
        }
    }

    /// Looks at what may have mended itself on the device, and now and then at battery and the like. False when the link has gone.
    async fn look_again(&mut self, ticks: u32) -> bool {
        if self.ladder.standing(Rung::Changes) == RungStatus::Missing {
            self.ask_for_changes().await;
        }
        let due = self.ladder.standing(Rung::Started) == RungStatus::Missing || ticks.is_multiple_of(VITALS_EVERY);
        if due && self.read_vitals().await {
            self.read_details().await;
            return self.read_packages().await;
        }
        true
    }
}
