//! A session as its owner holds it.

use std::collections::{HashSet, VecDeque};
use std::panic::AssertUnwindSafe;
use std::sync::Arc;

use futures_util::FutureExt as _;
use tokio::sync::{Notify, mpsc, watch};
use tokio::task::JoinHandle;
use tokio::time::Instant;
use wibbet_core::diagnosis::LoopWatch;
use wibbet_core::link::{Advice, Ladder, Rung};
use wibbet_core::read::ChangesPermitted;
use wibbet_types::PackageId;

use super::actor::Actor;
use super::background::BackgroundTask;
use super::command::SessionCommand;
use super::event::SessionEvent;
use crate::device::AdbDevice;
use crate::ops::Details;
use crate::run::Control;
use crate::workplace::Workplace;

/// A session with one device. It ends when this is dropped.
#[derive(Debug)]
pub struct Session {
    commands: mpsc::UnboundedSender<SessionCommand>,
    stop: Arc<watch::Sender<Control>>,
    wake: Arc<Notify>,
    awaited: watch::Sender<Arc<HashSet<PackageId>>>,
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
        Self::begin(device, workplace, false, events)
    }

    /// Starts a session with a device of which there is but hearsay: nothing is sent to it before somebody asks for it.
    pub(crate) fn offer(
        device: AdbDevice,
        workplace: Workplace,
        events: impl Fn(SessionEvent) + Send + Sync + 'static,
    ) -> Self {
        Self::begin(device, workplace, true, events)
    }

    fn begin(
        device: AdbDevice,
        workplace: Workplace,
        offered: bool,
        events: impl Fn(SessionEvent) + Send + Sync + 'static,
    ) -> Self {
        let (commands, inbox) = mpsc::unbounded_channel();
        let stop = Arc::new(watch::Sender::new(Control::Go));
        let wake = Arc::new(Notify::new());
        let (awaited, first) = watch::channel(Arc::default());
        let device = Arc::new(device);
        let mut actor = Actor {
            device: Arc::clone(&device),
            workplace,
            events: Arc::new(events),
            inbox,
            told_tray: false,
            tries: 0,
            waiting: VecDeque::new(),
            stop: Arc::clone(&stop),
            wake: Arc::clone(&wake),
            ladder: Ladder::default(),
            details: Details::default(),
            permitted: ChangesPermitted::NotTold,
            closed: offered,
            restarting: None,
            offered,
            inventory: None,
            languages: None,
            own_languages: None,
            awaited: first,
            reading: BackgroundTask::default(),
            sizing: BackgroundTask::default(),
            watching: BackgroundTask::default(),
            following: BackgroundTask::default(),
            catching: None,
            order: None,
            loops: LoopWatch::default(),
            told_loop: false,
            looked_since: None,
            begun: Instant::now(),
        };
        if offered {
            let at = actor.device.address();
            actor.fall(actor.advise(Rung::Authorised, Advice::Offered, format!("{at} is announced")));
        }
        let tell = Arc::clone(&actor.events);
        let task = tokio::spawn(async move {
            if AssertUnwindSafe(actor.live()).catch_unwind().await.is_err() {
                // A mistake in this program. What was sent is in the logbook; the other devices go on.
                let seen = "a part of Wibbet that works on this device has failed; nothing more is sent to it. Start Wibbet again, and please report it";
                let mut ladder = Ladder::default();
                ladder.fall(actor.advise(Rung::Shell, Advice::Restart, seen));
                tell(SessionEvent::Ladder(Box::new(ladder)));
                tell(SessionEvent::RunEnded(Some(seen.into())));
            }
        });
        Self { commands, stop, wake, awaited, device, task }
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

    /// Somebody looks at these packages now: their labels come first.
    pub fn look_at(&self, ids: HashSet<PackageId>) {
        self.awaited.send_replace(Arc::new(ids));
    }

    /// Pauses the run that is being carried out, or ends it, after the steps that are on their way; or has a paused one go on.
    pub fn control(&self, control: Control) {
        self.stop.send_if_modified(|now| {
            // Who wanted it to end does not get it going again by asking for something else.
            let changes = *now != Control::Stop && *now != control;
            if changes {
                *now = control;
            }
            changes
        });
    }
}

impl Drop for Session {
    fn drop(&mut self) {
        self.task.abort();
    }
}
