//! What is said of a step whose outcome was found out later.

use wibbet_core::package::PackageState;

pub(crate) const SETTLED_LATER: &str = "settled afterwards by asking the device";

pub(crate) fn not_done_words(state: PackageState) -> String {
    format!("interrupted before it was done; it is {} still", state.condition().word())
}

pub(crate) fn came_back_words(state: PackageState) -> String {
    format!("it was done, and a moment later it was {} again by itself", state.condition().word())
}
