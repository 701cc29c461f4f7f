//! Carrying out one step.

use std::collections::BTreeMap;

use tokio::time::Instant;
use wibbet_core::package::PackageState;
use wibbet_core::read::ReadBack;
use wibbet_core::run::{Outcome, Refusal, Reply, Response, Step, StepEvent, judge, read_reply};
use wibbet_types::{PackageId, PlainText, StepIndex};

use super::error::{RunError, RunNews};
use super::runner::{Left, Runner};
use crate::device::{AskError, Device};
use crate::logbook::now;
use crate::ops::read_one;

impl<'a, D: Device> Runner<'a, D> {
    pub(super) async fn step(&self, index: StepIndex) -> Result<(), Left> {
        let step = self.run().steps[index.get()].clone();
        if self.follows_a_failure(&step) {
            return self
                .settle(index, Outcome::Skipped, None, "the step before it on the same package was not done")
                .await;
        }
        let request = step.way.request(&step.id, step.user);
        let deadline = Instant::now() + self.patience.link;
        let mut tries = 0;
        loop {
            self.record(index, StepEvent::Sent { at: now() }).await?;
            let heard = match self.device.ask(&request, &mut |_| {}).await {
                Ok(answer) => {
                    (self.news)(RunNews::Waiting(None));
                    let said = read_reply(step.way, &answer);
                    if said == Reply::Refused(Refusal::NotReady) {
                        self.wait(deadline, RunError::Device(Refusal::NotReady.meaning().into())).await?;
                        continue;
                    }
                    self.answered(index, &answer.text()).await?;
                    Response::Replied(said)
                }
                // Nothing was sent: it is tried again when there is a link.
                Err(error @ AskError::NoLink(_)) => {
                    self.wait(deadline, RunError::Ask(error)).await?;
                    continue;
                }
                Err(error @ (AskError::OtherDevice(_) | AskError::NotAndroid(_))) => {
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
            let after = self.read_back(&step.id).await?;
            match &after {
                Some(ReadBack::States(states)) => (self.news)(RunNews::States(step.id.clone(), states.clone())),
                Some(ReadBack::Gone) => (self.news)(RunNews::States(step.id.clone(), BTreeMap::new())),
                _ => {}
            }
            let after = after.and_then(|back| back.state(step.user));
            let verdict = judge(step.way, heard, after);
            tries += 1;
            // The link went, and the device says that nothing was done: the change is sent again.
            if heard == Response::LinkLost
                && verdict.outcome == Outcome::Unsettled
                && after.is_some()
                && tries < self.patience.tries
            {
                continue;
            }
            return self.settle(index, verdict.outcome, after, &verdict.remark).await;
        }
    }

    /// Whether an earlier step of the run on the same package, on which this one builds, came to
    /// nothing.
    fn follows_a_failure(&self, step: &Step) -> bool {
        let run = self.run();
        let mut former = run.steps.iter().take(step.index.get()).filter(|s| s.id == step.id && s.user == step.user);
        former.any(|s| s.outcome != Some(Outcome::Done))
    }

    async fn answered(&self, index: StepIndex, answer: &str) -> Result<(), Left> {
        self.record(index, StepEvent::Answered { text: PlainText::new(answer), at: now() }).await
    }

    /// Reads one package back, waiting for the link where it has gone. `None` when the device
    /// cannot be brought to tell.
    pub(super) async fn read_back(&self, id: &PackageId) -> Result<Option<ReadBack>, Left> {
        let deadline = Instant::now() + self.patience.link;
        let mut unreadable = 0;
        loop {
            let why = match read_one(self.device, id).await {
                Ok(told) => match told {
                    ReadBack::Unreadable(why) => {
                        unreadable += 1;
                        if unreadable == self.patience.tries {
                            return Ok(None);
                        }
                        RunError::Device(why)
                    }
                    told => {
                        (self.news)(RunNews::Waiting(None));
                        return Ok(Some(told));
                    }
                },
                Err(AskError::Silent(_)) => return Ok(None),
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
