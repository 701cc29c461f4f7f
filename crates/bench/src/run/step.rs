//! Carrying out one step.

use tokio::time::Instant;
use wibbet_core::package::PackageState;
use wibbet_core::read::ReadBack;
use wibbet_core::run::{Finding, Outcome, Refusal, Reply, Response, Step, StepEvent, judge, read_reply};
use wibbet_types::{PlainText, StepIndex};

use super::error::{RunError, RunNews};
use super::runner::{Left, Runner};
use crate::device::{AskError, Device};
use crate::logbook::now;
use crate::ops::{Sight, give_back, look_at};

/// So many bytes of an answer are kept.
const MOST_KEPT: usize = 16 * 1024;

impl<'a, D: Device> Runner<'a, D> {
    pub(super) async fn step(&self, index: StepIndex) -> Result<(), Left> {
        let step = self.run().steps[index.get()].clone();
        match self.former(&step) {
            Former::Done => {}
            Former::Failed => {
                let remark = "the step before it on the same package was not done";
                return self.settle(index, Outcome::Skipped, None, remark).await;
            }
            // Nobody knows yet what it would be built on: it waits, and the run can be carried on.
            Former::Open => return Ok(()),
        }
        let request = step.way.request(&step.id, step.user, step.apk.as_ref());
        let deadline = Instant::now() + self.patience.link;
        let mut tries = 0;
        loop {
            self.record(index, StepEvent::Sent { at: now(), order: 0 }).await?;
            let start = self.device.start();
            let heard = match self.device.ask(&request, &mut |_| {}).await {
                Ok(answer) if answer.says_service_died() => {
                    self.answered(index, &answer.text()).await?;
                    Response::ServiceDied
                }
                Ok(answer) => {
                    (self.news)(RunNews::Waiting(None));
                    let said = read_reply(step.way, step.before, &answer);
                    if said == Reply::Refused(Refusal::NotReady) {
                        self.wait(deadline, RunError::Device(Refusal::NotReady.meaning().into())).await?;
                        continue;
                    }
                    self.answered(index, &answer.text()).await?;
                    Response::Replied(said)
                }
                // Nothing was sent: it is tried again when there is a link.
                Err(error @ (AskError::NoLink(_) | AskError::NotProven(_))) => {
                    self.wait(deadline, RunError::Ask(error)).await?;
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
            let sight = self.read_back(&step).await?;
            if sight.found.state().is_some() {
                (self.news)(RunNews::States(step.id.clone(), sight.told.clone()));
            }
            // Before the outcome is: so it is not lost to a kill in between.
            self.note_unasked(&step, &sight).await?;
            let after = sight.found.state();
            let verdict = judge(step.way, heard, sight.found);
            tries += 1;
            // The link went, and the device says that nothing was done: the change is sent again. Not so where the service ended
            // or the device started anew: the change may be why. Once is sent again what the device broke off itself.
            let went = heard == Response::LinkLost
                && self.device.start() == start
                && verdict.outcome == Outcome::Unsettled
                && tries < self.patience.tries;
            let broken_off = heard == Response::Replied(Reply::Refused(Refusal::Aborted))
                && verdict.outcome == Outcome::Refused
                && tries == 1;
            if after.is_some() && (went || broken_off) {
                continue;
            }
            self.settle(index, verdict.outcome, after, &verdict.remark).await?;
            return self.give_back(index).await;
        }
    }

    /// Gives a package that has just been put back what people had given it. What was sent before an interruption is sent again,
    /// which changes nothing.
    pub(super) async fn give_back(&self, index: StepIndex) -> Result<(), Left> {
        let step = self.run().steps[index.get()].clone();
        if !step.owes() {
            return Ok(());
        }
        let deadline = Instant::now() + self.patience.link;
        loop {
            // A stop does not leave what is sent unanswered.
            let why = match give_back(self.device, &step.id, step.user, &step.given).await {
                Ok(what) => return self.record(index, StepEvent::Returned { what, at: now() }).await,
                Err(error) => self.or_final(error)?,
            };
            self.wait(deadline, why).await?;
        }
    }

    /// What became of earlier steps of the run on the same package, on which this one builds.
    fn former(&self, step: &Step) -> Former {
        let run = self.run();
        let former = run.steps.iter().take(step.index.get()).filter(|s| s.id == step.id && s.user == step.user);
        former.fold(Former::Done, |so_far, step| match step.outcome {
            Some(Outcome::Done) => so_far,
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

    /// Reads a step's package back, waiting for the link where it has gone.
    async fn read_back(&self, step: &Step) -> Result<Sight, Left> {
        let deadline = Instant::now() + self.patience.link;
        let mut unclear = 0;
        loop {
            let why = match self.until_stopped(look_at(self.device, &step.id, step.user)).await? {
                Ok(sight) => match (sight.found, &sight.told) {
                    (Finding::Unclear(why), told) => {
                        unclear += 1;
                        if unclear == self.patience.tries {
                            return Ok(sight);
                        }
                        RunError::Device(match told {
                            ReadBack::Unreadable(why) => why.clone(),
                            _ => why.to_owned(),
                        })
                    }
                    _ => {
                        (self.news)(RunNews::Waiting(None));
                        return Ok(sight);
                    }
                },
                Err(AskError::Silent(_)) => return Ok(Sight { told: ReadBack::Silent, found: Finding::NOT_TOLD }),
                Err(other) => self.or_final(other)?,
            };
            self.wait(deadline, why).await?;
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
