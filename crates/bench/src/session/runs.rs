//! Runs of a session, and what their answers teach.

use wibbet_core::link::{Advice, Rung, RungStatus};
use wibbet_core::run::{Outcome, Refusal, Reply, Run, read_reply};
use wibbet_types::RunId;

use super::actor::Actor;
use super::event::SessionEvent;
use crate::run::{Control, RunNews, RunStart, run_plan, try_changes};

impl Actor {
    /// What the answers of a run say of the permission.
    fn learn_from(&mut self, run: &Run) {
        let withheld = run.steps.iter().any(|step| {
            let said = step.answer.as_ref().map(|text| {
                let answer = wibbet_core::ask::Output { out: text.to_string(), ..Default::default() };
                read_reply(step.way, step.before, &answer)
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

    /// Tries whether changes are permitted, since somebody wants to know.
    pub(super) async fn try_changes(&mut self) {
        let Some(inventory) = self.inventory.clone() else { return };
        match try_changes(&self.workplace, &self.device, &inventory).await {
            Ok(run) => {
                let step = run.steps.first();
                let id = step.map_or_else(String::new, |step| step.id.to_string());
                let ends = match step.and_then(|step| step.outcome) {
                    Some(Outcome::Done) => "they are permitted, and it is as it was",
                    Some(Outcome::Refused) => "it was refused",
                    _ => step.map_or("", |step| &step.remark),
                };
                self.tell(SessionEvent::Note(format!("Tried on {id}: {ends} (run {}).", run.number)));
                self.learn_from(&run);
            }
            Err(error) => {
                self.tell(SessionEvent::Note(format!("Whether changes are permitted was not found out: {error}")))
            }
        }
        self.tell_runs().await;
    }

    /// Carries out a run. Its number, and why it ended early.
    pub(super) async fn run(&self, start: RunStart) -> (Option<RunId>, Option<String>) {
        self.stop.send_replace(Control::Go);
        let events = &self.events;
        let news = move |news| match news {
            RunNews::Found(words) => events(SessionEvent::Note(words)),
            other => events(SessionEvent::Run(other)),
        };
        let ended = run_plan(&self.workplace, &self.device, start, self.stop.subscribe(), &news).await;
        (ended.number, ended.result.err().map(|error| error.to_string()))
    }

    /// Tells how a run ended, and reads the packages again: paths and kinds may have changed beside
    /// the states that were read back. False when there is no link any more.
    pub(super) async fn after_run(&mut self, (number, trouble): (Option<RunId>, Option<String>)) -> bool {
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
