//! Runs of a session, and what their answers teach.

use wibbet_core::link::{Advice, Rung, RungStatus};
use wibbet_core::plan::Plan;
use wibbet_core::run::{Outcome, Refusal, Reply, Run, RunKind, read_reply};

use super::actor::Actor;
use super::event::SessionEvent;
use crate::device::Device as _;
use crate::ops::claim;
use crate::run::{Runner, begin_run};

impl Actor {
    /// What the answers of a run say of the permission.
    fn learn_from(&mut self, run: &Run) {
        let withheld = run.steps.iter().any(|step| {
            let said = step.answer.as_ref().map(|text| {
                let answer = wibbet_core::ask::Output { out: text.to_string(), ..Default::default() };
                read_reply(step.way, &answer)
            });
            said == Some(Reply::Refused(Refusal::SecondSwitch))
        });
        if withheld {
            let trouble = self.advise(Rung::Changes, Advice::SecondSwitch, "it refused a change");
            self.ladder.fall(trouble);
        } else if run.count(Outcome::Done) > 0 {
            self.ladder.note(Rung::Changes, RungStatus::Holds, "a change was made and read back");
        }
        self.tell_ladder();
    }

    /// Carries out a new run, or carries on with an old one. The run's number, and why it ended early.
    pub(super) async fn run(&self, what: Result<(RunKind, Plan), i64>) -> (Option<i64>, Option<String>) {
        let Some(facts) = self.device.facts() else { return (None, Some("the device is not known yet".into())) };
        let book = &self.workplace.book;
        self.stop.send_replace(false);
        let _claims = match claim(book, &facts.id, &self.device.address()) {
            Ok(claims) => claims,
            Err(error) => return (None, Some(error.to_string())),
        };
        let number = match what {
            Ok((kind, plan)) => match begin_run(book, &facts.id, kind, &plan, &self.device.capabilities()).await {
                Ok(number) => number,
                Err(error) => return (None, Some(error.to_string())),
            },
            Err(number) => number,
        };
        let events = &self.events;
        let news = move |news| events(SessionEvent::Run(news));
        let stop = self.stop.subscribe();
        let ended = Runner::carry_out(&*self.device, book, self.workplace.patience, number, stop, &news).await;
        (Some(number), ended.err().map(|error| error.to_string()))
    }

    /// Tells how a run ended, and reads the packages again: paths and kinds may have changed beside
    /// the states that were read back. False when there is no link any more.
    pub(super) async fn after_run(&mut self, (number, trouble): (Option<i64>, Option<String>)) -> bool {
        self.tell_runs().await;
        self.tell(SessionEvent::RunEnded(trouble));
        let run = match number {
            Some(number) => self.workplace.book.with(move |book| book.run(number)).await.ok().flatten(),
            None => None,
        };
        let up = self.read_packages().await;
        if let Some(run) = run.filter(|_| up) {
            self.learn_from(&run);
        }
        up
    }
}
