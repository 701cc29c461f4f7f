//! What is chosen on a device, and the plan that comes of it.

use std::collections::BTreeSet;
use std::sync::Arc;

use wibbet_bench::ops::TakenIn;
use wibbet_bench::session::Evidence;
use wibbet_core::device::AppFailure;
use wibbet_core::package::{Inventory, KeptCopy, PackageState};
use wibbet_core::plan::{
    Change, Newcomer, OnRefusal, Plan, PlannedTray, TrayItem, Upshot, first_way, plan_put_back_with, plan_tray, upshots,
};
use wibbet_core::run::{RunKind, Suspects, recorded_gifts};
use wibbet_types::{PackageId, PlainText, UserId};

use super::device::DeviceModel;
use super::run_pane::{Allowed, Review, RunPane};

/// The tray.
impl DeviceModel {
    /// What the tray does to a user; `None` where that has not been worked out, or nothing is chosen for them.
    pub(crate) fn upshot(&self, user: UserId) -> Option<&Upshot> {
        self.upshots.iter().find(|(own, _)| *own == user).map(|(_, upshot)| upshot)
    }

    /// Works out what the tray does, where anything of it has changed.
    pub(super) fn work_out_upshots(&mut self) {
        let (Some(evidence), Some(catalog)) = (&self.evidence, &self.catalog) else { return };
        let same = |(tray, of, inventory): &(Vec<TrayItem>, Arc<Evidence>, Arc<Inventory>)| {
            *tray == self.tray && Arc::ptr_eq(of, evidence) && Arc::ptr_eq(inventory, &catalog.inventory)
        };
        if self.upshots_of.as_ref().is_some_and(same) {
            return;
        }
        let of = (self.tray.clone(), Arc::clone(evidence), Arc::clone(&catalog.inventory));
        self.upshots = upshots(catalog, &self.tray, &newcomers(&self.newcomers));
        self.upshots_of = Some(of);
    }

    /// The way that a package is marked with at first.
    pub(crate) fn first_way(&self, id: &PackageId) -> Change {
        let entry = self.entry(id);
        first_way(entry.as_ref().and_then(|entry| entry.judgement), &self.capabilities)
    }

    /// Takes packages into the tray that are not in it yet, each with the way that suits it; how many those are.
    pub(crate) fn mark_all(&mut self, ids: &[PackageId]) -> usize {
        let user = self.user();
        let new: Vec<TrayItem> = ids
            .iter()
            .filter(|id| self.chosen(id, user).is_none())
            .map(|id| TrayItem { id: id.clone(), user, way: self.first_way(id) })
            .collect();
        let count = new.len();
        self.change_tray(|tray| tray.extend(new));
        count
    }

    /// Changes the tray so that it can be undone.
    pub(crate) fn change_tray(&mut self, change: impl FnOnce(&mut Vec<TrayItem>)) {
        let before = self.tray.clone();
        change(&mut self.tray);
        if self.tray != before {
            self.tray_history.push(before);
            self.tray_undone.clear();
            self.work_out_upshots();
        }
    }

    /// Takes in what was chosen another time, where nothing has been chosen since.
    pub(crate) fn take_tray(&mut self, tray: Vec<TrayItem>) {
        if self.tray.is_empty() && self.tray_history.is_empty() {
            self.tray_kept.clone_from(&tray);
            self.tray = tray;
            self.refresh_found();
        }
    }

    /// The tray, where it is not yet as the logbook has it; it is taken for kept then.
    pub(crate) fn tray_to_keep(&mut self) -> Option<Vec<TrayItem>> {
        if self.facts.is_none() || self.tray == self.tray_kept {
            return None;
        }
        self.tray_kept.clone_from(&self.tray);
        Some(self.tray.clone())
    }

    pub(crate) fn can_redo_tray(&self) -> bool {
        !self.tray_undone.is_empty()
    }

    /// Does again what was taken back last.
    pub(crate) fn redo_tray(&mut self) {
        if let Some(after) = self.tray_undone.pop() {
            self.tray_history.push(std::mem::replace(&mut self.tray, after));
            self.work_out_upshots();
        }
    }

    pub(crate) fn can_undo_tray(&self) -> bool {
        !self.tray_history.is_empty()
    }

    pub(crate) fn undo_tray(&mut self) {
        if let Some(before) = self.tray_history.pop() {
            self.tray_undone.push(std::mem::replace(&mut self.tray, before));
            self.work_out_upshots();
        }
    }

    /// A plan is sent: whatever fails afterwards may be due to what it takes out.
    pub(crate) fn suspect(&mut self, review: &Review) {
        let of = |catalog| Suspects::of(catalog, &review.plan, &review.does);
        self.suspects = self.catalog.as_ref().map_or_else(Suspects::default, of);
    }

    /// What failures behind a run are likely due to, in words.
    pub(crate) fn sight(&self, new: Vec<AppFailure>, before: &[AppFailure]) -> Vec<(bool, PlainText)> {
        let name = |id: &PackageId| match self.label_of(id) {
            Some(label) => format!("“{label}”"),
            None => id.to_string(),
        };
        let seen = new.into_iter().map(|failure| self.suspects.sight(failure, before));
        seen.map(|one| (!one.due_to.is_empty(), PlainText::new(&one.words(name)))).collect()
    }

    /// What is to be installed, as it was taken in; what was taken in of the same app before is not.
    pub(crate) fn take_newcomer(&mut self, user: UserId, taken: TakenIn) -> Vec<KeptCopy> {
        let same = |(own, other): &(UserId, Arc<TakenIn>)| *own == user && other.copy.id == taken.copy.id;
        let (before, rest) = std::mem::take(&mut self.newcomers).into_iter().partition(same);
        self.newcomers = rest;
        self.newcomers.push((user, Arc::new(taken)));
        self.upshots_of = None;
        self.work_out_upshots();
        let dropped: Vec<(UserId, Arc<TakenIn>)> = before;
        dropped.into_iter().map(|(_, taken)| taken.copy.clone()).collect()
    }

    /// Nothing is to be installed: what was taken in for that.
    pub(crate) fn drop_newcomers(&mut self) -> Vec<KeptCopy> {
        self.upshots_of = None;
        let dropped = std::mem::take(&mut self.newcomers);
        self.work_out_upshots();
        dropped.into_iter().map(|(_, taken)| taken.copy.clone()).collect()
    }

    /// Whether there is something to plan.
    pub(crate) fn has_something_to_do(&self) -> bool {
        !self.tray.is_empty() || !self.newcomers.is_empty()
    }

    /// Shows the plan for the tray.
    pub(crate) fn review_tray(&mut self) {
        // Where nothing goes, it is not a run that takes out.
        let kind = if self.tray.is_empty() { RunKind::Install } else { RunKind::TakeOut };
        self.review(kind, self.tray.clone(), Vec::new(), Allowed::default());
    }

    /// Shows the plan that puts these back.
    pub(crate) fn review_put_back(&mut self, wanted: Vec<(PackageId, UserId, PackageState)>) {
        self.review(RunKind::PutBack, Vec::new(), wanted, Allowed::default());
    }

    fn review(
        &mut self,
        kind: RunKind,
        items: Vec<TrayItem>,
        wanted: Vec<(PackageId, UserId, PackageState)>,
        allowed: Allowed,
    ) {
        let Some(catalog) = &self.catalog else { return };
        let PlannedTray { mut plan, does } = match kind == RunKind::PutBack {
            false => plan_tray(
                catalog,
                &self.capabilities,
                &items,
                &newcomers(&self.newcomers),
                allowed.no_way_back,
                &allowed.despite_start,
            ),
            true => {
                let plan = plan_put_back_with(&catalog.inventory, &self.capabilities, &wanted, &self.copies)
                    .giving_back(|id, user| recorded_gifts(&self.runs, id, user));
                PlannedTray { plan, does: Vec::new() }
            }
        };
        plan.terms.on_refusal = allowed.on_refusal;
        self.run_from_the_top();
        self.pane = RunPane::Review(Review { kind, plan, items, wanted, allowed, does });
    }

    /// The view of the run begins at its first line.
    pub(crate) fn run_from_the_top(&mut self) {
        (self.run_at, self.run_passed) = (0, (0, 0));
    }

    /// Chooses the next of what can be tried where a step of the plan is refused.
    pub(crate) fn next_on_refusal(&mut self) {
        let capabilities = self.capabilities;
        if let RunPane::Review(review) = &mut self.pane {
            let at = OnRefusal::ALL.iter().position(|one| *one == review.allowed.on_refusal).unwrap_or(0);
            let following = (1..=OnRefusal::ALL.len()).map(|n| OnRefusal::ALL[(at + n) % OnRefusal::ALL.len()]);
            // What this device cannot is not offered.
            let can =
                |one: &OnRefusal| (!one.disable || capabilities.disables) && (!one.suspend || capabilities.suspends());
            review.allowed.on_refusal = following.into_iter().find(can).unwrap_or_default();
            review.plan.terms.on_refusal = review.allowed.on_refusal;
        }
    }

    /// Makes the plan that is shown again, with what has no way back too.
    pub(crate) fn allow_no_way_back(&mut self) {
        if let RunPane::Review(review) = &mut self.pane {
            review.allowed.no_way_back = true;
            self.review_again(|_, _| {});
        }
    }

    /// Makes the plan that is shown again, with what it left out for the sake of the start; or with whatever that needs, where it
    /// is not known.
    pub(crate) fn allow_despite_start(&mut self) {
        let unknown = !self.start_is_known();
        if let RunPane::Review(review) = &mut self.pane {
            let left: BTreeSet<PackageId> = review.plan.left_for_the_start().map(|step| step.id.clone()).collect();
            review.allowed.despite_start.extend(left);
            review.allowed.unknown_start |= unknown;
            self.review_again(|_, _| {});
        }
    }

    /// Whether a plan that takes out waits for what the start needs to be worked out.
    pub(crate) fn awaits_the_start(&self) -> bool {
        let waits = |review: &Review| review.kind == RunKind::TakeOut && !review.allowed.unknown_start;
        !self.start_is_known() && self.reviewed().is_some_and(waits)
    }

    /// Makes the plan that is shown again, from changed items.
    pub(crate) fn review_again(&mut self, change: impl FnOnce(&mut Vec<TrayItem>, &Plan)) {
        if let RunPane::Review(review) = &self.pane {
            let Review { kind, plan, mut items, wanted, allowed, .. } = review.clone();
            change(&mut items, &plan);
            let (at, tray) = ((self.run_at, self.run_passed), items.clone());
            self.review(kind, items, wanted, allowed);
            (self.run_at, self.run_passed) = at;
            if kind == RunKind::TakeOut {
                self.change_tray(|t| *t = tray);
            }
        }
    }
}

/// What is installed before anything goes.
fn newcomers(taken_in: &[(UserId, Arc<TakenIn>)]) -> Vec<Newcomer<'_>> {
    taken_in
        .iter()
        .map(|(user, taken)| Newcomer { user: *user, copy: &taken.copy, declared: &taken.declared })
        .collect()
}
