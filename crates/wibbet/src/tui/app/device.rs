//! One device as the screen knows it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;

use tui_input::Input;
use wibbet_bench::around::Route;
use wibbet_bench::fleet::CardId;
use wibbet_bench::ops::{Details, HandCommand, TakenIn};
use wibbet_bench::session::Evidence;
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::ask::DeviceSetting;
use wibbet_core::catalog::{Catalog, CatalogEntry, Chosen, Column};
use wibbet_core::device::{AppFailure, DeviceFacts, DeviceKind};
use wibbet_core::link::{Ladder, Rung, RungStatus};
use wibbet_core::package::{AppFacts, AppNames, Inventory, KeptCopy, PackageState};
use wibbet_core::plan::{
    Change, Job, OnRefusal, Plan, PlannedStep, TrayItem, Upshot, beginning_with, first_way, plan_install,
    plan_put_back_with, plan_take_out, upshot,
};
use wibbet_core::run::{Lessons, Origin, Run, RunKind, Shelf, Suspects, recorded_gifts};
use wibbet_core::search::{Matcher, Search};
use wibbet_types::{PackageId, PlainText, RunId, StepIndex, UserId};

use super::run_pane::{Allowed, Review, RunPane};
use crate::tui::keys::View;

/// A device on the screen.
#[derive(Debug)]
pub(crate) struct DeviceModel {
    /// What the bench knows it by.
    pub(crate) card: CardId,
    /// What it goes by until it has been asked.
    address: String,
    pub(crate) routes: Vec<Route>,
    pub(crate) details: Option<Details>,
    /// Its link was closed on purpose.
    pub(crate) closed: bool,
    pub(crate) ladder: Ladder,
    pub(crate) facts: Option<DeviceFacts>,
    pub(crate) capabilities: Capabilities,
    pub(crate) busy: Option<String>,
    pub(crate) inventory: Option<Arc<Inventory>>,
    /// Everything that is known of the packages, the inventory included.
    pub(crate) catalog: Option<Catalog>,
    /// What is being read beside everything else.
    pub(crate) reading: Option<String>,
    /// The device's screen is followed.
    pub(crate) following: bool,
    /// What is on it.
    pub(crate) front: Option<(PackageId, UserId)>,
    pub(crate) runs: Arc<Vec<Run>>,
    /// The labels that have been read of it, also of what has gone since.
    labels: BTreeMap<PackageId, PlainText>,
    /// The copies of its packages that are kept here.
    pub(crate) copies: Arc<Vec<KeptCopy>>,
    /// A copy that is being kept for a step: so many bytes of so many.
    pub(crate) securing: Option<(StepIndex, u64, u64)>,
    /// The job that it is at.
    pub(crate) job: Job,
    pub(crate) pane: RunPane,
    /// A run is being carried out.
    pub(crate) running: bool,
    /// What came of the last command that was typed for its shell.
    pub(crate) hand: Option<Result<HandCommand, String>>,
    /// What answers that are not known meant before.
    pub(crate) lessons: Arc<Lessons>,
    /// What a failure behind the last run that was sent could be due to.
    suspects: Suspects,
    /// And has been paused.
    pub(crate) paused: bool,
    pub(crate) waiting: Option<String>,
    pub(crate) run_at: usize,
    pub(crate) show_words: bool,
    /// The place of the user at work among all, once somebody has chosen one.
    user_at: Option<usize>,
    pub(crate) tray: Vec<TrayItem>,
    /// Apps that are installed before anything of the tray goes, and for whom.
    pub(crate) newcomers: Vec<(UserId, Arc<TakenIn>)>,
    /// Those that were sent with a plan of which no run has come yet.
    pub(crate) newcomers_sent: Vec<(UserId, Arc<TakenIn>)>,
    tray_history: Vec<Vec<TrayItem>>,
    tray_undone: Vec<Vec<TrayItem>>,
    /// The tray as the logbook has it.
    tray_kept: Vec<TrayItem>,
    /// What ties the packages, once it has been worked out.
    pub(crate) evidence: Option<Arc<Evidence>>,
    /// What the tray does to each of its users, and what that was worked out of.
    upshots: Vec<(UserId, Upshot)>,
    upshots_of: Option<(Vec<TrayItem>, Arc<Evidence>, Arc<Inventory>)>,
    pub(crate) search: Input,
    pub(crate) searching: bool,
    /// The search line, taken apart.
    pub(crate) query: Search,
    /// Which completion of the word under the cursor is looked at.
    pub(crate) completing: usize,
    /// The column that the table is sorted by, and whether the other way round.
    pub(crate) sort: (Option<Column>, bool),
    matcher: Matcher,
    pub(crate) found: Vec<PackageId>,
    pub(crate) at: usize,
    pub(crate) shelf: Shelf,
    pub(crate) shelf_marks: BTreeSet<(PackageId, UserId)>,
    pub(crate) shelf_at: usize,
}

impl DeviceModel {
    pub(crate) fn new(card: CardId, name: &str) -> Self {
        Self {
            card,
            address: name.to_owned(),
            routes: Vec::new(),
            details: None,
            closed: false,
            ladder: Ladder::default(),
            facts: None,
            capabilities: Capabilities::new(0, DaemonFeatures::default()),
            busy: None,
            inventory: None,
            catalog: None,
            reading: None,
            following: false,
            front: None,
            runs: Arc::default(),
            labels: BTreeMap::new(),
            copies: Arc::default(),
            securing: None,
            job: Job::default(),
            pane: RunPane::Nothing,
            hand: None,
            lessons: Arc::default(),
            suspects: Suspects::default(),
            running: false,
            paused: false,
            waiting: None,
            run_at: 0,
            show_words: false,
            user_at: None,
            tray: Vec::new(),
            newcomers: Vec::new(),
            newcomers_sent: Vec::new(),
            tray_history: Vec::new(),
            tray_undone: Vec::new(),
            tray_kept: Vec::new(),
            evidence: None,
            upshots: Vec::new(),
            upshots_of: None,
            search: Input::default(),
            searching: false,
            query: Search::default(),
            completing: 0,
            sort: (None, false),
            matcher: Matcher::default(),
            found: Vec::new(),
            at: 0,
            shelf: Shelf::default(),
            shelf_marks: BTreeSet::new(),
            shelf_at: 0,
        }
    }

    /// Maker and model, or the address of a device that has not told them yet.
    pub(crate) fn name(&self) -> String {
        self.facts.as_ref().map_or_else(|| self.address.clone(), DeviceFacts::name)
    }

    /// Where it is: the best way to it that is known.
    pub(crate) fn place(&self) -> String {
        self.routes.first().map_or_else(|| "no way to it now".into(), ToString::to_string)
    }

    /// What to know before any work on it.
    pub(crate) fn warnings(&self) -> Vec<String> {
        let mut warnings = Vec::new();
        if self.ladder.standing(Rung::Changes) == RungStatus::Missing {
            warnings.push("the device does not permit changes: they are going to be refused".into());
        }
        warnings.extend(self.details.iter().flat_map(|d| d.vitals.warnings()));
        if self.facts.is_some() && self.inventory.is_some() && !self.capabilities.install_existing {
            let words = match (self.capabilities.installs_what_is_there(), self.capabilities.disables) {
                (true, _) => {
                    "what somebody installed does not come back on this Android; its own apps do, by their APKs"
                }
                (false, true) => "this Android cannot reinstall what is uninstalled: disable instead",
                (false, false) => "this Android cannot reinstall what is uninstalled",
            };
            warnings.push(words.into());
        }
        warnings
    }

    /// The user that marks are for.
    pub(crate) fn user(&self) -> UserId {
        let Some(inventory) = &self.inventory else { return UserId::OWNER };
        let chosen = self.user_at.and_then(|at| inventory.users.get(at));
        let in_front = self.details.as_ref().and_then(|details| details.vitals.current_user);
        chosen.map_or_else(|| inventory.usual_user(in_front), |user| user.id)
    }

    pub(crate) fn next_user(&mut self) {
        let now = self.user();
        let Some(inventory) = &self.inventory else { return };
        let at = inventory.users.iter().position(|user| user.id == now).unwrap_or(0);
        self.user_at = Some((at + 1) % inventory.users.len().max(1));
        self.refresh_found();
    }

    /// The user's number and name.
    pub(crate) fn user_words(&self, id: UserId) -> String {
        match self.inventory.as_ref().and_then(|i| i.user(id)) {
            Some(user) => format!("user {} {}", user.id, user.name),
            None => format!("user {id}"),
        }
    }

    /// The package under the cursor.
    pub(crate) fn under_cursor(&self) -> Option<&PackageId> {
        self.found.get(self.at)
    }

    /// The way that is chosen for a package.
    pub(crate) fn chosen(&self, id: &PackageId, user: UserId) -> Option<Change> {
        self.tray.iter().find(|item| item.id == *id && item.user == user).map(|item| item.way)
    }

    /// New facts: what is derived from inventory, runs and search is worked out again.
    pub(crate) fn refresh(&mut self) {
        if let Some(inventory) = &self.inventory {
            self.shelf = Shelf::with_copies(inventory, &self.runs, &self.copies);
            let on_shelf: BTreeSet<_> = self.shelf.entries.iter().map(|e| (e.id.clone(), e.user)).collect();
            self.shelf_marks.retain(|mark| on_shelf.contains(mark));
            self.shelf_at = self.shelf_at.min(self.shelf.entries.len().saturating_sub(1));
        }
        self.refresh_found();
    }

    /// Takes in the packages as they were read.
    pub(crate) fn take_inventory(&mut self, inventory: Arc<Inventory>) {
        match &mut self.catalog {
            Some(catalog) => catalog.inventory = Arc::clone(&inventory),
            None => self.catalog = Some(Catalog::new(Arc::clone(&inventory))),
        }
        if let Some(catalog) = &mut self.catalog {
            catalog.sdk = self.capabilities.sdk;
            catalog.kind = self.facts.as_ref().map_or(DeviceKind::Phone, |facts| facts.kind);
        }
        self.inventory = Some(inventory);
        self.refresh();
    }

    /// What is to be seen of a package by the user at work.
    pub(crate) fn entry(&self, id: &PackageId) -> Option<CatalogEntry<'_>> {
        self.catalog.as_ref()?.entry(id, self.user())
    }

    /// The label of a package, also of one that was on the device and is gone.
    pub(crate) fn label_of(&self, id: &PackageId) -> Option<String> {
        let here = self.entry(id).and_then(|entry| entry.label().map(str::to_owned));
        here.or_else(|| self.labels.get(id).map(ToString::to_string))
    }

    /// The name that people know a package by, or a guess.
    pub(crate) fn name_of(&self, id: &PackageId) -> String {
        let named = self.entry(id).map(|entry| entry.name().text.into_owned());
        named.or_else(|| self.label_of(id)).unwrap_or_else(|| id.to_string())
    }

    /// The search, or what it looks at, has changed. The cursor stays on its package if that is
    /// still found.
    pub(crate) fn refresh_found(&mut self) {
        let user = self.user();
        let before = self.under_cursor().cloned();
        self.query = Search::read(self.search.value());
        let Some(catalog) = &self.catalog else { return };
        let chosen: Chosen = self.tray.iter().filter(|i| i.user == user).map(|i| i.id.clone()).collect();
        self.found = self.query.run(catalog, user, &chosen, &mut self.matcher);
        if let (Some(column), other_way) = self.sort {
            let entry = |id: &PackageId| catalog.entry(id, user);
            self.found.sort_by(|a, b| match (entry(a), entry(b)) {
                (Some(a), Some(b)) => column.order(&a, &b, other_way),
                _ => std::cmp::Ordering::Equal,
            });
        }
        self.at = before.and_then(|id| self.found.iter().position(|f| *f == id)).unwrap_or(0);
        self.work_out_upshots();
    }

    /// Takes in what ties the packages.
    pub(crate) fn take_evidence(&mut self, evidence: Arc<Evidence>) {
        let (ties, judged) = (Arc::clone(&evidence.ties), Arc::clone(&evidence.judged));
        self.evidence = Some(evidence);
        self.learn(|catalog| (catalog.ties, catalog.judged) = (ties, judged));
        // What the start needs is known better now.
        if self.reviewed().is_some_and(|review| review.kind == RunKind::TakeOut) {
            self.review_again(|_, _| {});
        }
    }

    /// Whether it has been worked out what the start of the device needs, as far as it tells that.
    pub(crate) fn start_is_known(&self) -> bool {
        let (Some(catalog), Some(_)) = (&self.catalog, &self.evidence) else { return false };
        catalog.inventory.users.iter().all(|user| catalog.judged.contains_key(&user.id))
    }

    /// What the tray does to a user; `None` where that has not been worked out, or nothing is chosen for them.
    pub(crate) fn upshot(&self, user: UserId) -> Option<&Upshot> {
        self.upshots.iter().find(|(own, _)| *own == user).map(|(_, upshot)| upshot)
    }

    /// Works out what the tray does, where anything of it has changed.
    fn work_out_upshots(&mut self) {
        let (Some(evidence), Some(catalog)) = (&self.evidence, &self.catalog) else { return };
        let same = |(tray, of, inventory): &(Vec<TrayItem>, Arc<Evidence>, Arc<Inventory>)| {
            *tray == self.tray && Arc::ptr_eq(of, evidence) && Arc::ptr_eq(inventory, &catalog.inventory)
        };
        if self.upshots_of.as_ref().is_some_and(same) {
            return;
        }
        let of = (self.tray.clone(), Arc::clone(evidence), Arc::clone(&catalog.inventory));
        self.upshots = upshots(catalog, &self.tray, &self.newcomers);
        self.upshots_of = Some(of);
    }

    /// Something was typed into the search line: what is found best is looked at first.
    pub(crate) fn search_again(&mut self) {
        self.completing = 0;
        self.refresh_found();
        if self.query.ranks() {
            self.at = 0;
        }
    }

    /// Puts the cursor on a package. False where the search does not find it.
    pub(crate) fn go_to(&mut self, id: &PackageId) -> bool {
        let place = self.found.iter().position(|f| f == id);
        self.at = place.unwrap_or(self.at);
        place.is_some()
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
        let names = |id: &PackageId| {
            let declared =
                self.catalog.as_ref().and_then(|catalog| catalog.names.apps.get(id)).map(|app| &app.declared);
            let parts = declared.into_iter().flat_map(|declared| &declared.parts);
            parts.flat_map(|part| part.names.iter().chain([&part.class])).cloned().collect()
        };
        let goes = review.plan.steps.iter().filter(|step| step.skip.is_none() && step.way.takes_out());
        let mut suspects = Suspects::default();
        for step in goes {
            suspects.gone.entry(step.user).or_default().insert(step.id.clone(), names(&step.id));
        }
        suspects.lost = review.does.iter().map(|(user, does)| (*user, does.needs_lost.clone())).collect();
        self.suspects = suspects;
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
        let Some(inventory) = &self.inventory else { return };
        let mut plan = match kind == RunKind::PutBack {
            false => {
                let does =
                    self.catalog.as_ref().map_or_else(Vec::new, |catalog| upshots(catalog, &items, &self.newcomers));
                let loss = |id: &PackageId, user: UserId| {
                    let (_, does) = does.iter().find(|(own, _)| *own == user)?;
                    does.starts.get(id).cloned()
                };
                let place = |id: &PackageId, user: UserId| {
                    let (_, does) = does.iter().find(|(own, _)| *own == user)?;
                    does.order.iter().position(|own| own == id)
                };
                let plan = plan_take_out(inventory, &self.capabilities, &items, allowed.no_way_back)
                    .minding_the_start(loss, &allowed.despite_start)
                    .in_order(place);
                let install = |(user, taken): &(UserId, Arc<TakenIn>)| {
                    (plan_install(inventory, &taken.copy, *user), taken.declared.clone())
                };
                beginning_with(plan, self.newcomers.iter().map(install).collect(), self.capabilities.sdk)
            }
            true => plan_put_back_with(inventory, &self.capabilities, &wanted, &self.copies)
                .giving_back(|id, user| recorded_gifts(&self.runs, id, user)),
        };
        plan.terms.on_refusal = allowed.on_refusal;
        let takes_out = |step: &&PlannedStep| kind == RunKind::TakeOut && step.skip.is_none() && step.way.takes_out();
        let sent = plan.steps.iter().filter(takes_out);
        let sent: Vec<TrayItem> =
            sent.map(|step| TrayItem { id: step.id.clone(), user: step.user, way: step.way }).collect();
        let does = self.catalog.as_ref().map_or_else(Vec::new, |catalog| upshots(catalog, &sent, &self.newcomers));
        self.run_at = 0;
        self.pane = RunPane::Review(Review { kind, plan, items, wanted, allowed, does });
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
            let (at, tray) = (self.run_at, items.clone());
            self.review(kind, items, wanted, allowed);
            self.run_at = at;
            if kind == RunKind::TakeOut {
                self.change_tray(|t| *t = tray);
            }
        }
    }

    /// Whether sizes, which are those of all users together, are not those of one.
    pub(crate) fn has_several_users(&self) -> bool {
        self.inventory.as_ref().is_some_and(|inventory| inventory.users.len() > 1)
    }

    /// The plan that has not been sent.
    pub(crate) fn reviewed(&self) -> Option<&Review> {
        match &self.pane {
            RunPane::Review(review) => Some(review),
            _ => None,
        }
    }

    /// The run that is shown.
    pub(crate) fn shown_run(&self) -> Option<&Arc<Run>> {
        match &self.pane {
            RunPane::Shown(run) => Some(run),
            _ => None,
        }
    }

    /// The device's latest run that was stopped or interrupted.
    pub(crate) fn unfinished(&self) -> Option<&Run> {
        self.runs.iter().find(|run| run.is_unfinished())
    }

    /// Whether it can be asked for something now.
    pub(crate) fn is_ready(&self) -> bool {
        self.ladder.is_up() && self.ladder.surveyed
    }

    /// How many lines the run view has to move over.
    pub(crate) fn run_len(&self) -> usize {
        match &self.pane {
            RunPane::Review(review) => review.plan.steps.len(),
            RunPane::Shown(run) => run.steps.len(),
            _ => 0,
        }
    }
}

/// What a tray does to each of its users, as far as it has been worked out what ties their packages.
fn upshots(catalog: &Catalog, tray: &[TrayItem], newcomers: &[(UserId, Arc<TakenIn>)]) -> Vec<(UserId, Upshot)> {
    let users: BTreeSet<UserId> = tray.iter().map(|item| item.user).collect();
    let of = |user: UserId| {
        let (judged, known) = (catalog.judged.get(&user)?, catalog.known(user));
        let own = tray.iter().filter(|item| item.user == user);
        let items: Vec<(PackageId, Change)> = own.map(|item| (item.id.clone(), item.way)).collect();
        let new = newcomers.iter().filter(|(of, _)| *of == user).map(|(_, taken)| &taken.declared);
        Some((user, upshot(&known, judged, &items).beside(new, catalog.sdk)))
    };
    users.into_iter().filter_map(of).collect()
}

/// What can be done with it.
impl DeviceModel {
    /// What the last run took out and is still off, with the state that putting it back leads to: nothing where no run did.
    pub(crate) fn of_the_last_run(&self) -> Vec<(PackageId, UserId, PackageState)> {
        // The shelf has the latest run first, and what was off before last.
        let entries = &self.shelf.entries;
        let last = entries.first().map(|entry| entry.origin).filter(|origin| *origin != Origin::Before);
        let own = entries.iter().filter(|entry| Some(entry.origin) == last);
        own.map(|entry| (entry.id.clone(), entry.user, entry.target)).collect()
    }

    /// The run that can be carried on: the one that is shown, or else the latest unfinished one.
    pub(crate) fn to_carry_on(&self) -> Option<RunId> {
        match self.shown_run() {
            Some(run) if run.is_unfinished() => Some(run.number),
            Some(_) => None,
            None => self.unfinished().map(|run| run.number),
        }
    }

    /// Whether it is kept awake from here.
    pub(crate) fn stays_awake(&self) -> bool {
        let now = self.details.as_ref().and_then(|d| d.vitals.stays_awake);
        now == Some(DeviceSetting::awake_always(&self.capabilities))
    }

    /// Takes in what their APKs tell of its packages.
    pub(crate) fn take_names(&mut self, names: Arc<AppNames>) {
        let label = |app: &AppFacts| app.label.clone();
        self.labels.extend(names.apps.iter().filter_map(|(id, app)| Some((id.clone(), label(app)?))));
        self.learn(|catalog| catalog.names = names);
    }

    /// Something has become known of its packages.
    pub(crate) fn learn(&mut self, take: impl FnOnce(&mut Catalog)) {
        if let Some(catalog) = &mut self.catalog {
            take(catalog);
            self.refresh_found();
        }
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

    /// The package under the cursor of a view.
    pub(crate) fn id_under_cursor(&self, view: View) -> Option<&PackageId> {
        match view {
            View::Packages => self.under_cursor(),
            View::Shelf => self.shelf.entries.get(self.shelf_at).map(|e| &e.id),
            View::Run => match &self.pane {
                RunPane::Review(review) => review.plan.steps.get(self.run_at).map(|s| &s.id),
                RunPane::Shown(run) => run.steps.get(self.run_at).map(|s| &s.id),
                _ => None,
            },
            View::Bench | View::Logbook => None,
        }
    }
}
