//! One device as the screen knows it.

use std::collections::{BTreeMap, BTreeSet};
use std::sync::Arc;
use std::time::Duration;

use tui_input::Input;
use wibbet_bench::around::Route;
use wibbet_bench::fleet::CardId;
use wibbet_bench::ops::{Details, HandCommand, LookedBack, TakenIn, WantedPart};
use wibbet_bench::session::Evidence;
use wibbet_core::android::{Capabilities, DaemonFeatures};
use wibbet_core::ask::DeviceSetting;
use wibbet_core::catalog::{Catalog, CatalogEntry, Chosen, Column};
use wibbet_core::device::{DeviceFacts, DeviceKind};
use wibbet_core::diagnosis::UpdateBreak;
use wibbet_core::link::{Ladder, Rung, RungStatus};
use wibbet_core::package::{AppFacts, AppNames, Inventory, KeptCopy, PackageState};
use wibbet_core::plan::{Change, Job, TrayItem, Upshot};
use wibbet_core::run::{Lessons, Origin, Run, RunKind, Shelf, Suspects};
use wibbet_core::search::{Matcher, Search};
use wibbet_types::{PackageId, PlainText, RunId, StepIndex, UserId};

use super::run_pane::{CatchPane, FinderPane, Review, RunPane};
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
    /// Those of other devices of its model that somebody has offered to their like.
    pub(crate) offered: Arc<Vec<KeptCopy>>,
    /// A part of a package that is being switched.
    pub(crate) switching: Option<WantedPart>,
    /// A copy that is being kept for a step: so many bytes of so many.
    pub(crate) securing: Option<(StepIndex, u64, u64)>,
    /// The job that it is at.
    pub(crate) job: Job,
    pub(crate) pane: RunPane,
    /// A run is being carried out.
    pub(crate) running: bool,
    /// It starts over and over, or does not end starting.
    pub(crate) looping: bool,
    /// A catch of it that is going on, or has ended.
    pub(crate) catch: Option<CatchPane>,
    /// The use of the fault finder that goes on.
    pub(crate) finder: Option<FinderPane>,
    /// How long its last start took, where that was seen.
    pub(crate) start_took: Option<Duration>,
    /// How it is beside how it was.
    pub(crate) looked_back: Option<Arc<LookedBack>>,
    /// The update break that it is on.
    pub(crate) on_break: Option<Arc<UpdateBreak>>,
    /// What came of the last command that was typed for its shell.
    pub(crate) hand: Option<Result<HandCommand, String>>,
    /// What answers that are not known meant before.
    pub(crate) lessons: Arc<Lessons>,
    /// What a failure behind the last run that was sent could be due to.
    pub(super) suspects: Suspects,
    /// And has been paused.
    pub(crate) paused: bool,
    pub(crate) waiting: Option<String>,
    pub(crate) run_at: usize,
    /// How many lines of the item with the first number were scrolled past.
    pub(crate) run_passed: (usize, usize),
    pub(crate) show_words: bool,
    /// The place of the user at work among all, once somebody has chosen one.
    user_at: Option<usize>,
    pub(crate) tray: Vec<TrayItem>,
    /// Apps that are installed before anything of the tray goes, and for whom.
    pub(crate) newcomers: Vec<(UserId, Arc<TakenIn>)>,
    /// Those that were sent with a plan of which no run has come yet.
    pub(crate) newcomers_sent: Vec<(UserId, Arc<TakenIn>)>,
    pub(super) tray_history: Vec<Vec<TrayItem>>,
    pub(super) tray_undone: Vec<Vec<TrayItem>>,
    /// The tray as the logbook has it.
    pub(super) tray_kept: Vec<TrayItem>,
    /// What ties the packages, once it has been worked out.
    pub(crate) evidence: Option<Arc<Evidence>>,
    /// What the tray does to each of its users, and what that was worked out of.
    pub(super) upshots: Vec<(UserId, Upshot)>,
    pub(super) upshots_of: Option<(Vec<TrayItem>, Arc<Evidence>, Arc<Inventory>)>,
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
            offered: Arc::default(),
            switching: None,
            securing: None,
            job: Job::default(),
            pane: RunPane::Nothing,
            hand: None,
            lessons: Arc::default(),
            suspects: Suspects::default(),
            running: false,
            looping: false,
            catch: None,
            start_took: None,
            looked_back: None,
            on_break: None,
            finder: None,
            paused: false,
            waiting: None,
            run_at: 0,
            run_passed: (0, 0),
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

    /// The package under the cursor of a view.
    pub(crate) fn id_under_cursor(&self, view: View) -> Option<&PackageId> {
        match view {
            View::Packages => self.under_cursor(),
            View::Shelf => self.shelf.entries.get(self.shelf_at).map(|e| &e.id),
            View::Run => match &self.pane {
                RunPane::Review(review) => review.step_at(self.run_at).map(|s| &s.id),
                RunPane::Shown(run) => run.steps.get(self.run_at).map(|s| &s.id),
                _ => None,
            },
            View::Bench | View::Logbook => None,
        }
    }
}
