//! What a package is.

mod app;
mod inventory;
mod metrics;
mod name;
mod note;
mod package;
mod state;

pub use app::{ApkMark, AppFacts, AppNames, HomeEntry};
pub use inventory::Inventory;
pub use metrics::{Measures, Sizes, Source, Usage};
pub use name::{guessed_name, label_text};
pub use note::{Note, Scope, notes_by_package};
pub use package::{About, Package, PackageKind};
pub use state::{BadState, Condition, Enabled, PackageState};
