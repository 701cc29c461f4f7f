//! What has changed on a device, and its update breaks.

use std::sync::Arc;

use wibbet_bench::ops::LookedBack;
use wibbet_core::diagnosis::{BreakItem, BreakView, Since, UpdateBreak};
use wibbet_core::plan::TrayItem;
use wibbet_types::counted;

use super::device::DeviceModel;

impl DeviceModel {
    /// Takes in how it is beside how it was; what is worth saying of it, unless that was said before. `shows` is what shows more.
    pub(crate) fn take_looked_back(&mut self, told: Arc<LookedBack>, shows: &str) -> Option<String> {
        let again = |told: &LookedBack| (told.again.clone(), told.was.clone());
        let known = self.looked_back.as_ref().is_some_and(|known| again(known) == again(&told));
        let words = match (&told.was, told.again.len()) {
            _ if known || self.on_break.is_some() => None,
            (Some((was, out)), 0) => Some(format!(
                "This may be {was} behind a factory reset: {} that was out there is in use here. {shows} shows it.",
                out.len()
            )),
            (_, 0) => None,
            (_, count) => Some(format!(
                "{} that runs had taken out {} in use again. {shows} shows what has changed.",
                counted(count, "package", "packages"),
                if count == 1 { "is" } else { "are" }
            )),
        };
        self.looked_back = Some(told);
        words
    }

    /// What can be chosen again: what runs had out, or had out of what it may have been before a reset.
    pub(crate) fn back_again(&self) -> &[TrayItem] {
        match self.looked_back.as_deref() {
            Some(LookedBack { again, was: Some((_, out)), .. }) if again.is_empty() => out,
            Some(told) => &told.again,
            None => &[],
        }
    }

    /// Takes these into the tray, as far as they are not in it; how many those are.
    pub(crate) fn choose_again(&mut self, items: &[TrayItem]) -> usize {
        let new: Vec<TrayItem> =
            items.iter().filter(|item| self.chosen(&item.id, item.user).is_none()).cloned().collect();
        let count = new.len();
        self.change_tray(|tray| tray.extend(new));
        count
    }

    /// The look before the one that it is held against, or behind it.
    pub(crate) fn other_look(&self, later: bool) -> Option<Since> {
        let told = self.looked_back.as_ref()?;
        let (head, _) = told.before.as_ref()?;
        let at = told.earlier.iter().position(|look| look.number == head.number)?;
        let other = if later { at + 1 } else { at.checked_sub(1)? };
        told.earlier.get(other).map(|look| Since::Look(look.number))
    }

    /// What a break that began now would be about, and how much it would leave out.
    pub(crate) fn break_items(&self, before_too: bool) -> (Vec<BreakItem>, usize) {
        let Some(catalog) = &self.catalog else { return (Vec::new(), 0) };
        UpdateBreak::items_of(&self.shelf, &self.runs, catalog, before_too)
    }

    /// How far its break has got.
    pub(crate) fn break_view(&self) -> Option<BreakView> {
        let build = &self.facts.as_ref()?.build;
        Some(self.on_break.as_ref()?.view(self.catalog.as_ref()?, build))
    }

    /// The build of its system is another one than when its break began.
    pub(crate) fn was_updated(&self) -> bool {
        let build = self.facts.as_ref().map(|facts| &facts.build);
        self.on_break.as_ref().is_some_and(|on_break| Some(&on_break.build) != build)
    }
}
