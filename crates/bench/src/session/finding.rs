//! The fault finder in a session.

use std::collections::BTreeSet;
use std::sync::Arc;

use wibbet_core::diagnosis::{Check, Evaluation, FaultFinder, Next};
use wibbet_types::{PackageId, UserId};

use super::actor::Actor;
use super::event::SessionEvent;
use crate::finder::{
    FindFault, begin_finder, carry_out_round, end_finder, look_whether_broken, mark_round, open_finder, plan_round,
    rely_on, take_answer_back,
};
use crate::ops::survey;
use crate::run::{Control, RunError, RunNews};

impl Actor {
    /// Tells of the use of the fault finder that goes on.
    pub(super) async fn tell_finder(&self) {
        let Some(facts) = self.device.facts() else { return };
        if let Ok(open) = open_finder(&self.workplace.book, &facts.id).await {
            self.tell(SessionEvent::Finder(open.map(Arc::new)));
        }
    }

    /// Does what is wanted of it. False when there is no link any more.
    pub(super) async fn find_fault(&mut self, wanted: FindFault) -> bool {
        let tries = matches!(wanted, FindFault::Try(_));
        let done = self.find_fault_now(wanted).await;
        let trouble = done.err().map(|error| error.to_string());
        self.tell_finder().await;
        if !tries {
            if let Some(trouble) = trouble {
                self.tell(SessionEvent::Note(format!("The fault finder: {trouble}")));
            }
            self.tell_notes().await;
            return true;
        }
        self.tell_runs().await;
        self.tell(SessionEvent::RunEnded(trouble));
        self.read_packages().await
    }

    async fn find_fault_now(&mut self, wanted: FindFault) -> Result<(), RunError> {
        let facts =
            self.device.facts().ok_or_else(|| RunError::NotBegun("the device did not say what it is".into()))?;
        let open = open_finder(&self.workplace.book, &facts.id).await?;
        let (mut open, wanted) = match (open, wanted) {
            (None, FindFault::Begin(suspects, what, check)) => {
                if let Some(check) = &check {
                    self.stop.send_replace(Control::Go);
                    let whose = suspects.first().map_or(UserId::OWNER, |suspect| suspect.user);
                    let (device, stop) = (&self.device, self.stop.subscribe());
                    self.looking(check, rely_on(&self.workplace, device, whose, check, stop)).await?;
                }
                return begin_finder(&self.workplace, facts.id, suspects, what, check).await.map(drop);
            }
            (Some(_), FindFault::Begin(..)) => {
                return Err(RunError::NotBegun("one goes on on this device already".into()));
            }
            (None, _) => return Err(RunError::NotBegun("none goes on on this device".into())),
            (Some(open), wanted) => (open, wanted),
        };
        let inventory =
            self.inventory.clone().ok_or_else(|| RunError::NotBegun("the packages have not been read".into()))?;
        match wanted {
            FindFault::Begin(..) => Ok(()),
            FindFault::Try(back) => {
                self.try_round(&open, &back, &inventory).await?;
                self.answer_by_itself(&mut open).await
            }
            FindFault::Seen(seen) => mark_round(&self.workplace, &self.device, &mut open, seen, &inventory).await,
            FindFault::TakeBack => take_answer_back(&self.workplace, &mut open).await,
            FindFault::End(cause) => end_finder(&self.workplace, &self.device, &open, cause).await,
        }
    }

    /// Where something tells by itself whether it is broken still, it is looked at, and that is the answer.
    async fn answer_by_itself(&self, open: &mut FaultFinder) -> Result<(), RunError> {
        let (Some(check), Next::Try(_)) = (open.check.clone(), open.next()) else { return Ok(()) };
        let (device, stop) = (&self.device, self.stop.subscribe());
        let looked = look_whether_broken(&self.workplace, device, open.whose(), &check, stop);
        let seen = self.looking(&check, looked).await?;
        // What counts is what is so.
        let now = survey(&*self.device, &mut |_| {}).await;
        let Ok(now) = now else { return Ok(()) };
        let told = match seen {
            Evaluation::Still => "it is broken still",
            Evaluation::Gone => "it is not broken now",
            Evaluation::CannotTell => "that cannot be told; look yourself",
        };
        self.tell(SessionEvent::Note(format!("Looked {}: {told}.", check.words(PackageId::to_string))));
        if seen == Evaluation::CannotTell {
            return Ok(());
        }
        mark_round(&self.workplace, &self.device, open, seen, &now).await
    }

    /// Tells what is looked at meanwhile.
    async fn looking<T>(&self, check: &Check, look: impl Future<Output = T>) -> T {
        let words = check.words(PackageId::to_string);
        self.tell(SessionEvent::Busy(Some(format!("looking {words}"))));
        let seen = look.await;
        self.tell(SessionEvent::Busy(None));
        seen
    }

    async fn try_round(
        &self,
        open: &FaultFinder,
        back: &[bool],
        inventory: &wibbet_core::package::Inventory,
    ) -> Result<(), RunError> {
        self.stop.send_replace(Control::Go);
        let plan = plan_round(&self.workplace, &self.device, open, back, inventory, &BTreeSet::new()).await?;
        let events = &self.events;
        let news = move |news| match news {
            RunNews::Found(words) => events(SessionEvent::Note(words)),
            other => events(SessionEvent::Run(other)),
        };
        let stop = self.stop.subscribe();
        let (_, trouble) = carry_out_round(&self.workplace, &self.device, plan, &stop, &news).await;
        trouble.map_or(Ok(()), Err)
    }
}
