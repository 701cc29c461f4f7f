//! What is read when there is a link.

use std::sync::Arc;
use std::time::Duration;

use wibbet_core::device::Vitals;
use wibbet_core::link::{Advice, Rung, RungStatus};
use wibbet_core::package::Metrics;
use wibbet_core::read::{ChangesPermitted, changes_request, read_changes};
use wibbet_core::run::Lessons;
use wibbet_types::UserId;

use super::actor::Actor;
use super::event::SessionEvent;
use super::reading::read_about;
use crate::device::{AskError, Device as _};
use crate::ops::{
    Details, SurveyError, SurveyPart, claim, details, device_languages, read_metrics, remembered_elsewhere, survey,
    vitals, work_out_sizes,
};
use crate::run::settle_interrupted;

impl Actor {
    /// Reads how the device is and what is installed, and finds out whether changes are permitted.
    pub(super) async fn read_all(&mut self) -> bool {
        // Before Android 7 each part of this starts a runtime of its own, so the packages come first there.
        let slow = self.device.capabilities().starts_a_runtime_for_each_command();
        if !slow {
            self.read_details().await;
        }
        if !self.read_packages().await {
            return false;
        }
        if slow {
            self.read_details().await;
        }
        self.ask_for_changes().await;
        true
    }

    /// Reads how the device is. That it cannot be read is told by what stays unknown.
    pub(super) async fn read_details(&mut self) {
        let Some(details) = details(&self.device).await else { return };
        self.take_details(details).await;
    }

    /// Reads what changes by the minute. True where Android has started, or its framework has, since the last look: then the rest
    /// may be told otherwise too.
    pub(super) async fn read_vitals(&mut self) -> bool {
        let Some(now) = vitals(&self.device).await else { return false };
        let before = &self.details.vitals;
        let started = before.started != Some(true) && now.started == Some(true);
        let crashed = match (before.framework_starts, now.framework_starts) {
            (Some(before), Some(now)) => now > before,
            _ => false,
        };
        if crashed {
            self.tell(SessionEvent::Note(
                "Android has crashed and started anew on the device; the packages are read again.".into(),
            ));
        }
        let mut details = self.details.clone();
        details.vitals.renew(now);
        self.take_details(details).await;
        started || crashed
    }

    async fn take_details(&mut self, details: Details) {
        let took = start_took(&self.details.vitals, &details.vitals);
        match details.vitals.started {
            Some(true) => self.ladder.note(Rung::Started, RungStatus::Holds, "sys.boot_completed is 1"),
            Some(false) => {
                let trouble =
                    self.advise(Rung::Started, Advice::WaitForStart, "its property sys.boot_completed is not 1 yet");
                self.ladder.fall(trouble);
            }
            None => self.ladder.note(Rung::Started, RungStatus::Unknown, "it does not report that"),
        }
        self.details = details;
        self.watch_for_loops();
        self.tell(SessionEvent::Details(Box::new(self.details.clone())));
        self.tell_ladder();
        if let Some(took) = took {
            self.note_start(took).await;
        }
    }

    /// Asks whether changes are permitted. Nothing is tried: the first change shows what cannot be asked.
    pub(super) async fn ask_for_changes(&mut self) {
        let Ok(answer) = self.device.ask(&changes_request(), &mut |_| {}).await else { return };
        let before = std::mem::replace(&mut self.permitted, read_changes(&answer));
        let (status, known) = match self.permitted {
            // A build that refuses without taking the permission: a change that was refused has shown that, and another one
            // has to show better.
            now if now != ChangesPermitted::No
                && before != ChangesPermitted::No
                && self.ladder.standing(Rung::Changes) == RungStatus::Missing =>
            {
                return;
            }
            ChangesPermitted::All => (RungStatus::Holds, "Android permits them"),
            ChangesPermitted::UninstallOnly => (RungStatus::Unknown, "uninstalling is permitted, disabling is not"),
            ChangesPermitted::No => {
                let seen = "the permission to uninstall packages is not given to the shell";
                let trouble = self.advise(Rung::Changes, Advice::SecondSwitch, seen);
                return self.fall(trouble);
            }
            ChangesPermitted::NotTold => (RungStatus::Unknown, "it does not tell; the first change will show"),
        };
        self.ladder.note(Rung::Changes, status, known);
        self.tell_ladder();
    }

    /// Reads the packages, settles what was interrupted, and tells it all.
    pub(super) async fn read_packages(&mut self) -> bool {
        let read = {
            let (device, events) = (&*self.device, &self.events);
            let mut busy = |part: SurveyPart| events(SessionEvent::Busy(Some(part.words())));
            // What labels will take is found out meanwhile.
            let (read, (), languages) = futures_util::future::join3(
                survey(device, &mut busy),
                device.get_ready_to_read(),
                device_languages(device, UserId::OWNER),
            )
            .await;
            self.own_languages = languages.ok();
            read
        };
        self.tell(SessionEvent::Busy(None));
        match read {
            Ok(mut inventory) => {
                inventory.merge_users(&self.details.users);
                // What the device can do may have become known only now.
                self.tell_facts();
                self.settle().await;
                self.ladder.climb(Rung::Service, format!("it listed {} packages", inventory.packages.len()));
                self.ladder.surveyed = true;
                let inventory = Arc::new(inventory);
                self.inventory = Some(Arc::clone(&inventory));
                // Whoever sees the packages can do something with them: that the device is ready is told before, not after what
                // the logbook has to be asked for.
                self.tell_ladder();
                self.tell(SessionEvent::Inventory(inventory));
                self.tell_runs().await;
                self.tell_start().await;
                self.look_back_at_first().await;
                self.tell_break().await;
                self.tell_notes().await;
                self.tell_job().await;
                self.tell_tray().await;
                self.tell_elsewhere().await;
                self.read_about();
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
        // Another program holds the claim; it settles its own runs. So does one whose name is not known.
        let Ok(Some(_claimed)) = claim(&self.workplace, &self.device) else { return };
        match settle_interrupted(&self.workplace.book, &*self.device, &facts.id).await {
            Ok(told) => told.into_iter().for_each(|note| self.tell(SessionEvent::Note(note))),
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    pub(super) async fn tell_runs(&self) {
        let Some(facts) = self.device.facts() else { return };
        /// So far back it is looked for what answers meant.
        const LOOKED_BACK: u32 = 300;
        let read = move |book: &mut wibbet_logbook::Logbook| {
            let of_maker = book.runs_of_maker(facts.maker.as_str(), LOOKED_BACK)?;
            let copies = (book.copies(Some(&facts.id))?, book.copies_offered_to(&facts)?);
            Ok((copies, book.runs(Some(&facts.id))?, Lessons::of(&of_maker)))
        };
        match self.workplace.book.with(read).await {
            Ok(((own, offered), runs, lessons)) => {
                self.tell(SessionEvent::Lessons(Arc::new(lessons)));
                self.tell(SessionEvent::Copies { own: Arc::new(own), offered: Arc::new(offered) });
                self.tell(SessionEvent::Runs(Arc::new(runs)));
                self.tell_finder().await;
            }
            Err(error) => self.tell(SessionEvent::Note(error.to_string())),
        }
    }

    /// Tells what became of packages on other devices like this one.
    async fn tell_elsewhere(&self) {
        let Some(facts) = self.device.facts() else { return };
        if let Ok(elsewhere) = remembered_elsewhere(&self.workplace.book, facts).await {
            self.tell(SessionEvent::Elsewhere(Arc::new(elsewhere)));
        }
    }
}

/// A start that took longer than this was one with an update behind it, or was not seen from its beginning.
const LONGEST_OF_USE: Duration = Duration::from_secs(15 * 60);

/// How long the start took that has ended between two looks, by how long the kernel has been up; `None` where none has, or Android's
/// framework alone has started anew.
fn start_took(before: &Vitals, now: &Vitals) -> Option<Duration> {
    let ended = before.started == Some(false) && now.started == Some(true);
    let first = now.framework_starts.is_none_or(|starts| starts == 1);
    now.uptime.filter(|up| ended && first && *up <= LONGEST_OF_USE)
}

impl Actor {
    /// Writes down how long a start took.
    async fn note_start(&mut self, took: Duration) {
        let Some(facts) = self.device.facts() else { return };
        if let Err(error) = self.workplace.book.with(move |book| book.set_start_took(&facts.id, took)).await {
            self.tell(SessionEvent::Note(error.to_string()));
        }
        self.tell_start().await;
    }

    /// Tells how long its last start took, and watches its next ones by that.
    async fn tell_start(&mut self) {
        let Some(facts) = self.device.facts() else { return };
        let Ok(known) = self.workplace.book.with(|book| book.devices()).await else { return };
        let took = known.into_iter().find(|known| known.facts.id == facts.id).and_then(|known| known.start_took);
        if let Some(took) = took {
            self.loops.expect(took);
        }
        self.tell(SessionEvent::StartTook(took));
    }

    /// Begins to read labels and metrics.
    pub(super) fn read_about(&mut self) {
        let Some(inventory) = self.inventory.clone() else { return };
        let (device, book) = (Arc::clone(&self.device), self.workplace.book.clone());
        let own = self.own_languages.clone().filter(|_| inventory.usual_user(None) == UserId::OWNER);
        self.reading.start(read_about(
            device,
            book,
            inventory,
            self.languages.clone().or(own),
            self.awaited.clone(),
            Arc::clone(&self.events),
        ));
    }

    /// Has the device work sizes out, and reads what is measured again.
    pub(super) fn work_out_sizes(&mut self) {
        let Some(inventory) = self.inventory.clone() else { return };
        let (device, tell) = (Arc::clone(&self.device), Arc::clone(&self.events));
        tell(SessionEvent::Note("The device works out how large its packages are; that takes up to a minute.".into()));
        self.sizing.start(async move {
            let words = match work_out_sizes(&device).await {
                Ok(Ok(_)) => {
                    let mut news = |m: &Metrics| tell(SessionEvent::Metrics(Arc::new(m.clone())));
                    let _ = read_metrics(&device, &inventory, &mut news).await;
                    "The device tells how large its packages are now.".to_owned()
                }
                Ok(Err(why)) => format!("Sizes were not worked out: {why}."),
                Err(error) => format!("Sizes were not worked out: {error}"),
            };
            tell(SessionEvent::Note(words));
        });
    }
}
