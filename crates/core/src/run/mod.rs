//! What is done, and what came of it.

mod blame;
mod choices;
mod event;
mod finding;
mod lessons;
mod proof;
mod record;
mod recovery;
mod refusal;
mod remembered;
mod reply;
mod retention;
mod schedule;
mod setting;
mod shelf;
mod unasked;
mod verdict;

pub use blame::{Because, Sighted, Suspects};
pub use choices::{Choice, NotDone, not_done, others_who_have, refusal_of};
pub use event::StepEvent;
pub use finding::Finding;
pub use lessons::{Lesson, Lessons};
pub use proof::{Proof, judge_act, proof_request, read_proof};
pub use record::{Outcome, Run, RunKind, RunState, Step, StepState};
pub use recovery::{Since, before_sending, came_back, is_fresh, not_as_recorded, settle_open};
pub use refusal::Refusal;
pub use remembered::remembered;
pub use reply::{Reply, read_reply};
pub use retention::{Keeping, Pending, keeping};
pub use schedule::Schedule;
pub use setting::{SettingChange, SettingGoal, SettingState, settings_to_put_back, value_words, why_not_set};
pub use shelf::{OfRuns, Origin, Shelf, ShelfEntry, TakenOut, recorded_gifts, recorded_start, recorded_state};
pub use unasked::{Unasked, unasked};
pub use verdict::{Response, Verdict, judge, judge_update};
