//! Carrying out steps: sending, and reading back.

use std::path::PathBuf;
use std::sync::{Arc, PoisonError};

use futures_util::{StreamExt as _, stream};
use tokio::time::Instant;
use wibbet_core::package::{KeptCopy, PackageState};
use wibbet_core::plan::Change;
use wibbet_core::read::{ReadBack, take_away_request};
use wibbet_core::run::{
    Finding, Outcome, Proof, Refusal, Reply, Response, RunKind, Step, StepEvent, judge, judge_act, judge_update,
    proof_request, read_proof, read_reply,
};
use wibbet_types::{CopyId, PlainText, StepIndex};

use super::error::{RunError, RunNews};
use super::heard::{About, Heard, Led, about};
use super::runner::{Left, Runner};
use crate::device::{AskError, Device};
use crate::logbook::now;
use crate::ops::{Lies, Sight, checked, give_back, install, lies_there, look_at_some, place};

/// So many bytes of an answer are kept.
const MOST_KEPT: usize = 16 * 1024;

/// So many packages are given what they had at the same time.
const GIVEN_BACK_AT_ONCE: usize = 4;

impl<D: Device> Runner<'_, D> {
    /// Writes a step down as sent, sends it and writes its answer down. `None` where it was not sent: it has its outcome, or it
    /// waits for one that is an open question.
    pub(super) async fn send(&self, index: StepIndex) -> Result<Option<Heard>, Left> {
        let step = self.run().steps[index.get()].clone();
        match self.former(&step) {
            Former::Done => {}
            Former::Failed => {
                let remark = "the step before it on the same package was not done";
                return self.settle(index, Outcome::Skipped, None, remark).await.map(|()| None);
            }
            // Nobody knows yet what it would be built on: it waits, and the run can be carried on.
            Former::Open => return Ok(None),
        }
        let request = step.way.request(&step.id, step.user, step.apk.as_ref());
        let copy = match (step.way, step.copy) {
            (Change::RemoveFromSystem | Change::RestoreToSystem, None) => {
                let why = "no copy of it is kept, so it was not sent";
                return self.settle(index, Outcome::Skipped, None, why).await.map(|()| None);
            }
            (Change::InstallCopy | Change::RemoveFromSystem | Change::RestoreToSystem, Some(number)) => {
                match self.copy_to_install(number).await? {
                    Ok(copy) => Some(copy),
                    Err(why) => return self.settle(index, Outcome::Skipped, None, &why).await.map(|()| None),
                }
            }
            _ => None,
        };
        if step.way == Change::RestoreToSystem {
            // What an update of the system has put there since is not written over.
            let (outcome, remark) = match self.lies(&step).await? {
                Lies::AsKept => (Outcome::Done, "all of it lies there as it was"),
                Lies::Other if step.order == 0 => {
                    (Outcome::Skipped, "something else lies there now, such as another version: nothing was sent")
                }
                Lies::Untold => (Outcome::Skipped, "what lies there could not be read, so nothing was sent"),
                Lies::Gone | Lies::Part | Lies::Other => (Outcome::Unsettled, ""),
            };
            if outcome != Outcome::Unsettled {
                return self.settle(index, outcome, None, remark).await.map(|()| None);
            }
        }
        let mut troubled = None;
        loop {
            self.record(index, StepEvent::Sent { at: now(), order: 0 }).await?;
            let start = self.device.start();
            let asked = match &copy {
                None => self.device.ask(&request, &mut |_| {}).await,
                Some((copy, _)) if step.way == Change::RemoveFromSystem => match copy.placed.first() {
                    Some(folder) => self.device.ask(&take_away_request(&folder.path), &mut |_| {}).await,
                    None => Err(AskError::Refused("what lay in its folder is not kept".into())),
                },
                Some((copy, files)) if step.way == Change::RestoreToSystem => place(self.device, copy, files).await,
                Some((copy, files)) => install(self.device, copy, files, step.user).await,
            };
            let response = match asked {
                Ok(answer) if answer.says_service_died() => {
                    self.answered(index, &answer.text()).await?;
                    Response::ServiceDied
                }
                Ok(answer) => {
                    (self.news)(RunNews::Waiting(None));
                    let said = read_reply(step.way, step.before, &answer);
                    if said == Reply::Refused(Refusal::NotReady) {
                        self.wait(&mut troubled, RunError::Device(Refusal::NotReady.meaning().into())).await?;
                        continue;
                    }
                    self.answered(index, &answer.text()).await?;
                    Response::Replied(said)
                }
                // Nothing was sent: it is tried again when there is a link.
                Err(error @ (AskError::NoLink(_) | AskError::NotProven(_))) => {
                    self.wait(&mut troubled, RunError::Ask(error)).await?;
                    continue;
                }
                Err(error @ (AskError::OtherDevice(_) | AskError::Taken(_) | AskError::NotAndroid(_))) => {
                    return Err(Left::Failed(RunError::Ask(error)));
                }
                Err(AskError::Refused(why)) => {
                    self.answered(index, &why).await?;
                    Response::Replied(Reply::Refused(Refusal::Other))
                }
                Err(AskError::Lost(why)) => {
                    (self.news)(RunNews::Waiting(Some(why.to_string())));
                    Response::LinkLost
                }
                Err(AskError::Silent(_)) => Response::Silence,
                Err(AskError::Broken(_)) => Response::Broken,
            };
            return Ok(Some(Heard { index, response, start, at: Instant::now() }));
        }
    }

    /// Reads steps back that have been sent, in one go, and settles them.
    pub(super) async fn read_back(&self, heard: Vec<Heard>) -> Result<Vec<Led>, Left> {
        let steps: Vec<Step> = {
            let run = self.run();
            heard.iter().map(|heard| run.steps[heard.index.get()].clone()).collect()
        };
        let sights = self.look_again(&steps).await?;
        let mut led = Vec::with_capacity(heard.len());
        for ((heard, step), sight) in heard.iter().zip(&steps).zip(sights) {
            led.push(self.read_step_back(heard, step, sight).await?);
        }
        let mut owing = Vec::new();
        for led in &led {
            if let Led::Settled(index) = led {
                owing.push(self.give_back(*index));
            }
        }
        let mut given_back = stream::iter(owing).buffer_unordered(GIVEN_BACK_AT_ONCE);
        while let Some(given_back) = given_back.next().await {
            given_back?;
        }
        drop(given_back);
        led.extend(self.replace_refused().await?.into_iter().map(|(index, about)| Led::Instead(index, about)));
        Ok(led)
    }

    /// A kept copy with its files, as they were; or why it cannot be installed, in words.
    async fn copy_to_install(&self, number: CopyId) -> Result<Result<(KeptCopy, Vec<PathBuf>), String>, Left> {
        let found = self.book.with(move |book| book.copy(number)).await?;
        let Some(copy) = found else {
            return Ok(Err(format!("the logbook has no copy {number}, so nothing was sent")));
        };
        match checked(self.book.folder(), &copy) {
            Ok(files) => Ok(Ok((copy, files))),
            Err(why) => Ok(Err(format!("{why}; nothing was sent"))),
        }
    }

    /// Writes down what is tried in the place of what was refused, as was chosen before the run.
    pub(super) async fn replace_refused(&self) -> Result<Vec<(StepIndex, About)>, Left> {
        let capabilities = self.device.capabilities();
        let all = self.run().to_replace(&capabilities);
        let mut added = Vec::with_capacity(all.len());
        for (refused, way) in all {
            let (number, words) = {
                let run = self.run();
                let step = &run.steps[refused.get()];
                (run.number, way.request(&step.id, step.user, None).words(&capabilities))
            };
            let step = self.book.with(move |book| book.replace(number, refused, way, &words)).await?;
            added.push((step.index, about(RunKind::TakeOut, &step)));
            let stands = {
                let mut run = self.run();
                run.steps.push(step);
                Arc::new(run.clone())
            };
            (self.news)(RunNews::Stands(stands));
        }
        Ok(added)
    }

    async fn read_step_back(&self, heard: &Heard, step: &Step, sight: Sight) -> Result<Led, Left> {
        if sight.found.state().is_some() {
            (self.news)(RunNews::States(step.id.clone(), sight.told.clone()));
        }
        // Before the outcome is: so it is not lost to a kill in between.
        self.note_unasked(step, &sight).await?;
        let after = sight.found.state();
        let verdict = match step.updates() {
            _ if step.way.is_told_aside() => judge_act(step.way, heard.response, sight.found, self.proof(step).await?),
            true => judge_update(heard.response, sight.found),
            false => judge(step.way, heard.response, sight.found),
        };
        let tries = {
            let mut tries = self.tries.lock().unwrap_or_else(PoisonError::into_inner);
            let tries = tries.entry(step.index).or_default();
            *tries += 1;
            *tries
        };
        // The link went, and the device says that nothing was done: the change is sent again. Not so where the service ended
        // or the device started anew: the change may be why. Once is sent again what the device broke off itself.
        let went = heard.response == Response::LinkLost
            && self.device.start() == heard.start
            && verdict.outcome == Outcome::Unsettled
            && step.way.may_be_sent_again()
            && tries < self.patience.tries;
        let broken_off = heard.response == Response::Replied(Reply::Refused(Refusal::Aborted))
            && verdict.outcome == Outcome::Refused
            && tries == 1;
        if after.is_some() && (went || broken_off) {
            return Ok(Led::Again(step.index));
        }
        self.settle(step.index, verdict.outcome, after, &verdict.remark).await?;
        Ok(Led::Settled(step.index))
    }

    /// What the device says of something that no state of a package tells.
    async fn proof(&self, step: &Step) -> Result<Proof, Left> {
        match step.way {
            Change::RemoveFromSystem => return Ok(self.lies(step).await?.removed()),
            Change::RestoreToSystem => return Ok(self.lies(step).await?.restored()),
            _ => {}
        }
        let request = proof_request(step.way, &step.id, step.user, &self.device.capabilities());
        let Some(request) = request else { return Ok(Proof::Untold) };
        let mut troubled = None;
        loop {
            let why = match self.until_stopped(self.device.ask(&request, &mut |_| {})).await? {
                Ok(said) => return Ok(read_proof(step.way, step.user, &said.out)),
                Err(error) => self.or_final(error)?,
            };
            self.wait(&mut troubled, why).await?;
        }
    }

    /// What lies where a package of the system was.
    async fn lies(&self, step: &Step) -> Result<Lies, Left> {
        let Some(number) = step.copy else { return Ok(Lies::Untold) };
        let Some(copy) = self.book.with(move |book| book.copy(number)).await? else { return Ok(Lies::Untold) };
        let mut troubled = None;
        loop {
            let why = match self.until_stopped(lies_there(self.device, &copy)).await? {
                Ok(lies) => return Ok(lies),
                Err(error) => self.or_final(error)?,
            };
            self.wait(&mut troubled, why).await?;
        }
    }

    /// Gives a package that has just been put back what people had given it. What was sent before an interruption is sent again,
    /// which changes nothing.
    pub(super) async fn give_back(&self, index: StepIndex) -> Result<(), Left> {
        let step = self.run().steps[index.get()].clone();
        if !step.owes() && !step.took_over_nothing() {
            return Ok(());
        }
        let mut troubled = None;
        loop {
            // A stop does not leave what is sent unanswered.
            let why = match give_back(self.device, &step.id, step.user, &step.given).await {
                Ok(what) => return self.record(index, StepEvent::Returned { what, at: now() }).await,
                Err(error) => self.or_final(error)?,
            };
            self.wait(&mut troubled, why).await?;
        }
    }

    /// What became of earlier steps of the run on the same package, on which this one builds.
    fn former(&self, step: &Step) -> Former {
        // Of a package that goes it is the next way where the former one was refused.
        if step.way.takes_out() && self.run().kind == RunKind::TakeOut {
            return Former::Done;
        }
        let run = self.run();
        let former = run.steps.iter().take(step.index.get()).filter(|s| s.id == step.id && s.user == step.user);
        former.fold(Former::Done, |so_far, step| match step.outcome {
            Some(Outcome::Done | Outcome::Answered) => so_far,
            _ if so_far == Former::Failed => so_far,
            None | Some(Outcome::Unsettled) => Former::Open,
            Some(Outcome::Refused | Outcome::NoEffect | Outcome::Skipped) => Former::Failed,
        })
    }

    async fn answered(&self, index: StepIndex, answer: &str) -> Result<(), Left> {
        // The beginning says what became of it; whatever a device says more is not the record's to keep.
        let text = PlainText::new(&answer[..answer.floor_char_boundary(MOST_KEPT)]);
        self.record(index, StepEvent::Answered { text, at: now() }).await
    }

    /// Looks at the packages of steps, waiting for the link where it has gone.
    async fn look_again(&self, steps: &[Step]) -> Result<Vec<Sight>, Left> {
        let mut troubled = None;
        let mut found: Vec<Option<Sight>> = vec![None; steps.len()];
        let mut unclear = 0;
        loop {
            let missing: Vec<usize> = (0..steps.len()).filter(|n| found[*n].is_none()).collect();
            let of: Vec<_> = missing.iter().map(|n| (steps[*n].id.clone(), steps[*n].user)).collect();
            let why = match self.until_stopped(look_at_some(self.device, &of)).await? {
                Ok(sights) => {
                    unclear += 1;
                    let mut why = None;
                    for (n, sight) in missing.into_iter().zip(sights) {
                        match (sight.found, &sight.told) {
                            // That it says nothing at all has taken its time.
                            (Finding::Unclear(unclear_why), told)
                                if *told != ReadBack::Silent && unclear < self.patience.tries =>
                            {
                                why = Some(match told {
                                    ReadBack::Unreadable(why) => why.clone(),
                                    _ => unclear_why.to_owned(),
                                });
                            }
                            _ => found[n] = Some(sight),
                        }
                    }
                    match why {
                        None => {
                            (self.news)(RunNews::Waiting(None));
                            return Ok(found.into_iter().flatten().collect());
                        }
                        Some(why) => RunError::Device(why),
                    }
                }
                Err(other) => self.or_final(other)?,
            };
            self.wait(&mut troubled, why).await?;
        }
    }

    async fn settle(
        &self,
        index: StepIndex,
        outcome: Outcome,
        after: Option<PackageState>,
        remark: &str,
    ) -> Result<(), Left> {
        let remark = remark.to_owned();
        self.record(index, StepEvent::Settled { outcome, after, remark, at: now() }).await
    }
}

/// What became of the steps that one builds on.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Former {
    /// All of them were done, or there are none.
    Done,
    /// One was not.
    Failed,
    /// Of one it is not known.
    Open,
}
