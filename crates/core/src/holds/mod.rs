//! What ties a package to its device: the holds, worked out from what the very device says.

mod around;
mod graph;
mod hold;
mod judge;
mod known;
mod leans;
mod rules;

pub use around::{Around, Tie};
pub use hold::{Evidence, Hold, HoldKind, Judgement, Sure, Verdict};
pub use judge::{Judged, judge};
pub use known::{HoldSource, Known, UsedBy};
pub use leans::{Lean, Leans};
pub use rules::{RULES, Rule, What};
