//! Catch in a session: a device that starts over and over is told, and what a run took out is put back when somebody wants that.

use std::sync::Arc;

use wibbet_core::run::OfRuns;
use wibbet_types::PlainText;

use super::actor::Actor;
use super::command::SessionCommand;
use super::event::SessionEvent;
use crate::catch::{CatchNews, catch_device};
use crate::run::{Control, RunNews};

impl Actor {
    /// What is to be caught, where somebody has asked for that: before anything else is done.
    pub(super) fn take_catch(&mut self) -> Option<OfRuns> {
        let asked = self.waiting.iter().position(|command| matches!(command, SessionCommand::Catch(_)));
        if let Some(SessionCommand::Catch(wanted)) = asked.and_then(|at| self.waiting.remove(at)) {
            self.catching = Some(wanted);
        }
        self.catching.take()
    }

    /// Waits for the device and puts back what is wanted, until it stands or somebody stops it.
    pub(super) async fn catch(&mut self, wanted: OfRuns) {
        self.stop.send_replace(Control::Go);
        self.reading.stop();
        self.following.stop();
        self.watching.stop();
        let (events, workplace, device) = (Arc::clone(&self.events), self.workplace.clone(), Arc::clone(&self.device));
        let news = move |news| match news {
            CatchNews::Run(RunNews::Found(words)) => events(SessionEvent::Note(words)),
            CatchNews::Run(other) => events(SessionEvent::Run(other)),
            CatchNews::Begun(run) => {
                events(SessionEvent::Run(RunNews::Stands(Arc::clone(&run))));
                events(SessionEvent::Catch(CatchNews::Begun(run)));
            }
            other => events(SessionEvent::Catch(other)),
        };
        let stop = self.stop.subscribe();
        let mut catching = Box::pin(catch_device(&workplace, &device, wanted, stop, &news));
        // That may take hours. What takes no link is done meanwhile; the rest when it is over.
        let ended = loop {
            let command = tokio::select! {
                biased;
                ended = &mut catching => break ended,
                Some(command) = self.inbox.recv() => command,
            };
            if let Some(command) = self.write_down(command).await {
                self.waiting.push_back(command);
            }
        };
        drop(catching);
        // It begins to be watched anew.
        self.loops = self.loops.anew();
        self.tell_loop();
        self.tell_runs().await;
        let trouble = ended.result.err().map(|error| error.to_string());
        self.tell(SessionEvent::CatchEnded(ended.number, trouble.clone()));
        self.tell(SessionEvent::RunEnded(trouble));
    }

    /// Takes in what is seen of the device's starts.
    pub(super) fn watch_for_loops(&mut self) {
        let vitals = &self.details.vitals;
        let boot: Option<PlainText> = self.device.facts().and_then(|facts| facts.boot_id);
        let at = self.begun.elapsed();
        self.loops.saw(boot.as_ref(), vitals.framework_starts, vitals.started, at);
        self.tell_loop();
    }

    /// The link has gone.
    pub(super) fn link_has_gone(&mut self) {
        let at = self.begun.elapsed();
        self.loops.left(at);
        self.tell_loop();
    }

    fn tell_loop(&mut self) {
        let looping = self.loops.is_looping(self.begun.elapsed());
        if looping != self.told_loop {
            self.told_loop = looping;
            self.tell(SessionEvent::Looping(looping));
        }
    }
}
