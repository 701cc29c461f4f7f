//! A catch as the screen knows it.

use wibbet_bench::catch::CatchNews;
use wibbet_core::diagnosis::{CatchNeed, catch_needs};
use wibbet_core::link::{Rung, RungStatus};
use wibbet_core::run::{OfRuns, TakenOut};
use wibbet_types::RunId;

use super::device::DeviceModel;
use super::run_pane::CatchPane;

impl DeviceModel {
    /// Whether a catch is going on.
    pub(crate) fn is_catching(&self) -> bool {
        self.catch.as_ref().is_some_and(|catch| catch.ended.is_none())
    }

    /// Whether there is something to catch: not on a device that has started and answers.
    pub(crate) fn may_catch(&self) -> bool {
        let well = self.is_ready() && self.ladder.standing(Rung::Started) != RungStatus::Missing && !self.looping;
        let idle = !self.running && self.facts.is_some();
        self.is_catching() || (idle && !well && !self.out_by_record(true).1.is_empty())
    }

    /// What of the record is out: of the last run that has anything out, with its number, or of all.
    pub(crate) fn out_by_record(&self, all: bool) -> (Option<RunId>, Vec<TakenOut>) {
        self.of_runs(all).taken_out(&self.runs)
    }

    fn of_runs(&self, all: bool) -> OfRuns {
        if all { OfRuns::All } else { OfRuns::Last }
    }

    /// A catch begins.
    pub(crate) fn begin_catch(&mut self, all: bool) -> OfRuns {
        self.catch = Some(CatchPane::default());
        self.running = true;
        self.of_runs(all)
    }

    /// Takes in what becomes of it.
    pub(crate) fn take_catch(&mut self, news: CatchNews) {
        let catch = self.catch.get_or_insert_default();
        match news {
            CatchNews::Waiting(words) => catch.waits = Some(words),
            CatchNews::Begun(_) => catch.waits = None,
            CatchNews::Seen(view, at) => (catch.waits, catch.seen) = (None, Some((view, at))),
            CatchNews::Stands => catch.stands = true,
            CatchNews::Run(_) => {}
        }
    }

    /// What catch would need of it.
    pub(crate) fn catch_needs(&self) -> Vec<CatchNeed> {
        use wibbet_bench::around::Route;
        let cable = self.routes.iter().any(|route| matches!(route, Route::Cable(_) | Route::Server(_)));
        let kind = self.facts.as_ref().map_or(wibbet_core::device::DeviceKind::Phone, |facts| facts.kind);
        catch_needs(self.details.as_ref().map(|details| &details.vitals), cable, kind, self.start_took)
    }
}
