//! What a package is.

mod app;
mod copy;
mod declared;
mod elsewhere;
mod essential;
mod given;
mod inventory;
mod metrics;
mod name;
mod note;
mod package;
mod placed;
mod state;
mod ties;

pub use app::{ApkFingerprint, AppFacts, AppNames, HomeEntry};
pub use copy::{CopiedFile, KeptCopy};
pub use declared::{Declared, DeclaredPart, PartKind};
pub use elsewhere::Elsewhere;
pub use essential::Essentials;
pub use given::{Given, Returned, given_words, returned_words};
pub use inventory::Inventory;
pub use metrics::{Metrics, Sizes, Source, Usage};
pub use name::{guessed_name, label_text};
pub use note::{Note, Scope, notes_by_package};
pub use package::{Package, PackageDetails, PackageKind, SwitchedParts};
pub use placed::{Placed, PlacedKind, is_one_folder, system_folder};
pub use state::{BadState, Condition, Enabled, PackageState};
pub use ties::{Binding, ScreenLock, Ties};
