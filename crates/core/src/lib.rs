//! What Wibbet knows of devices and works out from it: what is installed for whom, how a package
//! is taken out and put back on each version of Android, what an answer means, and whether a step
//! has been done.
//!
//! Nothing here does input or output, looks at a clock or prints. Bytes that a device printed go in
//! through [`read`], an [`Inventory`] comes out; a tray becomes a [`Plan`]; each step's answer and
//! the state that was read back become a [`Verdict`].

mod ability;
mod about;
mod advice;
mod answer;
mod column;
mod id_list;
mod judge;
mod label;
mod ladder;
mod measure;
mod model;
mod note;
mod permit;
mod plan;
pub mod read;
mod record;
mod request;
mod schedule;
mod search;
mod sheet;
mod shelf;
mod state;
mod way;

pub use ability::{Abilities, Offered};
pub use about::{About, permission_words};
pub use advice::{Advice, first_steps};
pub use answer::{Refusal, Said, read_answer};
pub use column::Column;
pub use id_list::IdList;
pub use judge::{Heard, Verdict, judge};
pub use label::{ApkMark, AppFacts, AppNames, HomeEntry, guessed_name, label_text};
pub use ladder::{Ladder, LinkTrouble, Rung, RungState, Standing};
pub use measure::{Measures, Sizes, Source, Usage};
pub use model::{
    Battery, DeviceFacts, DeviceKind, Inventory, Managed, Package, PackageKind, Root, Space, User, UserKind, Vitals,
};
pub use note::{Note, Scope};
pub use permit::{Permit, PermitProbe};
pub use plan::{Back, Plan, PlannedStep, Skip, TrayItem, plan_put_back, plan_take_out};
pub use record::{Outcome, Run, RunKind, RunState, Step, StepState};
pub use request::{Answer, Call, Care, Carriage, Request};
pub use schedule::Schedule;
pub use search::{Completion, FACTS, FIELDS, Field, FieldKind, Finder, Search, Spot};
pub use sheet::{Chosen, Sheet, Sight, notes_by_package};
pub use shelf::{Origin, Shelf, ShelfEntry, recorded_state};
pub use state::{BadState, Condition, Enabled, PackageState};
pub use way::Way;
