//! What is going to be done.

mod change;
mod consequence;
mod giving;
mod install;
mod instead;
mod on_refusal;
mod plan;
mod planning;
mod put_back;
mod take_out;
mod take_over;
mod terms;
mod tray;
mod upshot;

pub use change::Change;
pub use consequence::Consequence;
pub use install::plan_install;
pub use instead::Instead;
pub use on_refusal::OnRefusal;
pub use plan::{AppData, Plan, PlannedStep, Reversal, SkipReason, StartLoss};
pub use planning::{Newcomer, PlannedTray, plan_tray, upshots};
pub use put_back::{plan_by_record, plan_put_back, plan_put_back_with};
pub use take_out::{Places, plan_take_out, without_way_back};
pub use take_over::beginning_with;
pub use terms::{Job, Terms};
pub use tray::{BadTray, TrayItem, first_way, read_tray};
pub use upshot::{StartOutlook, Upshot, upshot};
