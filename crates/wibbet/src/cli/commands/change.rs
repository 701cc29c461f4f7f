//! Commands that change a device.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::{Mutex, PoisonError};

use wibbet_bench::after::{BeforeRun, look_after, restart_warnings};
use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::{
    Details, TakenIn, ask_for_root, claim, device_languages, drop_copy, import_copy, look_at_all, read_catalog,
    read_sizes,
};
use wibbet_bench::run::{RunError, RunNews, RunStart, run_plan, settle_interrupted};
use wibbet_core::catalog::Catalog;
use wibbet_core::holds::HoldSource;
use wibbet_core::package::{Inventory, KeptCopy, Metrics, PackageState};
use wibbet_core::plan::{
    Change, Job, Newcomer, OnRefusal, Plan, PlannedTray, Reversal, SkipReason, Terms, TrayItem, plan_put_back_with,
    plan_tray,
};
use wibbet_core::run::{Origin, Outcome, Run, RunKind, Shelf, ShelfEntry, Suspects, recorded_gifts, recorded_state};
use wibbet_logbook::Logbook;
use wibbet_types::{PackageId, RunId, UserId, bytes_words};

use super::asking::{asked, may_change};
use super::interrupt::Interrupt;
use super::look::{check_user, how_far, read, surveyed};
use crate::cli::options::{How, WantedBack};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, progress, tell};

/// What `run` is asked for.
pub(crate) struct TakeOut {
    /// For whom; only a tray says that by itself.
    pub(crate) user: Option<UserId>,
    /// What is named, by way.
    pub(crate) named: Vec<(Change, Vec<PackageId>)>,
    /// What a file names.
    pub(crate) tray: Vec<TrayItem>,
    /// Files of apps that are installed first.
    pub(crate) install: Vec<PathBuf>,
    /// What goes for the run as a whole.
    pub(crate) terms: Terms,
    /// A plain list of ids.
    pub(crate) list: Vec<PackageId>,
    pub(crate) from_disable: bool,
    pub(crate) keep_data: bool,
    pub(crate) no_way_back: bool,
    /// What goes whatever it does to the start.
    pub(crate) despite_start: BTreeSet<PackageId>,
}

impl TakeOut {
    /// What is named by itself, by options or in a file.
    fn chosen(&self) -> Result<Vec<TrayItem>, Failure> {
        let mut tray = self.tray.clone();
        let uninstall = self.uninstall();
        for (way, ids) in &self.named {
            let Some(user) = self.user else { break };
            let way = if *way == Change::Uninstall { uninstall } else { *way };
            tray.extend(ids.iter().map(|id| TrayItem { id: id.clone(), user, way }));
        }
        let mut ways: BTreeMap<(PackageId, UserId), Change> = BTreeMap::new();
        let mut other =
            |item: &&TrayItem| ways.insert((item.id.clone(), item.user), item.way).is_some_and(|way| way != item.way);
        if let Some(both) = tray.iter().find(&mut other) {
            let words = format!("{} is named for two ways, for user {}; choose one", both.id, both.user);
            return Err(Failure::new(Exit::Usage, words));
        }
        let mut seen = BTreeSet::new();
        tray.retain(|item| seen.insert((item.id.clone(), item.user)));
        let named = |id: &PackageId| self.list.contains(id) || tray.iter().any(|item| item.id == *id);
        if let Some(other) = self.despite_start.iter().find(|id| !named(id)) {
            let words = format!("--despite-start names {other}, which is not to be taken out");
            return Err(Failure::new(Exit::Usage, words));
        }
        Ok(tray)
    }

    /// What of the plain list is there for the user and not chosen otherwise.
    fn of_list(&self, inventory: &Inventory, chosen: &[TrayItem]) -> Vec<TrayItem> {
        let Some(user) = self.user else { return Vec::new() };
        let way = if self.from_disable { Change::Disable } else { self.uninstall() };
        let there = super::packages::what_is_there(inventory, self.list.clone(), user).into_iter();
        let other = there.filter(|id| !chosen.iter().any(|item| item.user == user && item.id == *id));
        other.map(|id| TrayItem { id, user, way }).collect()
    }

    fn uninstall(&self) -> Change {
        if self.keep_data { Change::UninstallKeepData } else { Change::Uninstall }
    }
}

pub(crate) async fn take_out(finder: &Finder<'_>, name: &str, wanted: TakeOut, how: How) -> Result<Exit, Failure> {
    let no_way_back = wanted.no_way_back;
    if wanted.tray.is_empty() && wanted.named.iter().all(|(_, ids)| ids.is_empty()) && wanted.list.is_empty() {
        let words = "name at least one package, with --uninstall, --disable, --suspend, --quieten, --force-stop, --clear-cache, \
                     --clear-data, --from or --tray";
        return Err(Failure::new(Exit::Usage, words));
    }
    may_change(how)?;
    let mut tray = wanted.chosen()?;
    let (device, inventory, told) = read(finder, name).await?;
    root(&device, how).await?;
    tray.extend(wanted.of_list(&inventory, &tray));
    let users: BTreeSet<UserId> = tray.iter().map(|item| item.user).chain(wanted.user).collect();
    users.iter().try_for_each(|user| check_user(&inventory, *user))?;
    let Some(first_user) = wanted.user.or_else(|| users.first().copied()).filter(|_| !tray.is_empty()) else {
        return Err(Failure::new(Exit::Nothing, "nothing of the list is installed for the user"));
    };
    let users: Vec<UserId> = users.into_iter().collect();
    let catalog = what_ties(finder, &device, inventory, &users).await?;
    // Each is one app, whole.
    let mut taken_in: Vec<TakenIn> = Vec::new();
    for file in wanted.install {
        let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
        match import_copy(&finder.workplace.book, &facts.id, &[file]).await {
            Ok(taken) => taken_in.push(taken),
            Err(error) => {
                // Those before it are of no use without it.
                drop_all(finder, &taken_in).await?;
                return Err(Failure::new(Exit::Usage, error.to_string()));
            }
        }
    }
    let newcomers: Vec<Newcomer<'_>> = taken_in
        .iter()
        .map(|taken| Newcomer { user: first_user, copy: &taken.copy, declared: &taken.declared })
        .collect();
    let PlannedTray { mut plan, does } =
        plan_tray(&catalog, &device.capabilities(), &tray, &newcomers, no_way_back, &wanted.despite_start);
    plan.terms = Terms { names: plan.terms.names, missed: plan.terms.missed, ..wanted.terms };
    for (user, does) in does.iter().filter(|_| !how.json) {
        // Of what is sent; standard output has the plan itself, or its run.
        let whose = if users.len() > 1 { format!("user {user}: ") } else { String::new() };
        does.missed(ToString::to_string).iter().for_each(|words| tell(format_args!("beware: {whose}{words}")));
    }
    let suspects = Suspects::of(&catalog, &plan, &does);
    let done = carry_out(finder, &device, RunKind::TakeOut, &plan, told, &suspects, how).await;
    // What was only looked at, or not agreed to, leaves nothing behind.
    drop_all(finder, &taken_in).await?;
    done
}

/// What was taken in and is of no use goes.
async fn drop_all(finder: &Finder<'_>, taken_in: &[TakenIn]) -> Result<(), Failure> {
    for taken in taken_in {
        drop_copy(&finder.workplace.book, &taken.copy).await?;
    }
    Ok(())
}

/// What ties the packages for some users, worked out of what the device says now. What could not be read is told.
pub(super) async fn what_ties(
    finder: &Finder<'_>,
    device: &AdbDevice,
    inventory: Inventory,
    users: &[UserId],
) -> Result<Catalog, Failure> {
    let whose = users.first().copied().unwrap_or(UserId::OWNER);
    let languages = device_languages(device, whose).await?;
    let book = &finder.workplace.book;
    // Sizes and use have no say in what stops, and take an old device half a minute.
    let metrics = Metrics::default();
    let (catalog, trouble) = read_catalog(device, book, inventory, metrics, &languages, users, &mut how_far).await?;
    if let Some(error) = trouble {
        tell(format_args!("manifests could not be read: {error}"));
    }
    let shows_it =
        |source: &&HoldSource| matches!(source, HoldSource::Packages | HoldSource::Framework | HoldSource::Manifests);
    let unread = catalog.judged.values().flat_map(|judged| &judged.unread);
    for source in unread.filter(shows_it).collect::<BTreeSet<_>>() {
        tell(format_args!("beware: not read: {source}; what the start needs may not all be known"));
    }
    Ok(catalog)
}

/// Asks for root where that is wanted; without it nothing of what takes it is begun.
pub(crate) async fn root(device: &AdbDevice, how: How) -> Result<(), Failure> {
    if !how.root {
        return Ok(());
    }
    tell("asking the device for root; it may ask on its screen whether to allow that");
    match ask_for_root(device).await? {
        Ok(_) => Ok(()),
        Err(said) => Err(Failure::new(Exit::Nothing, format!("the device does not give root: {said}"))),
    }
}

/// Each package that is to be put back with the user for whom, and the state that leads to.
fn meant_by(
    wanted: &WantedBack,
    inventory: &Inventory,
    runs: &[Run],
    copies: &[KeptCopy],
) -> Vec<(PackageId, UserId, PackageState)> {
    if let (Some(user), false) = (wanted.user, wanted.ids.is_empty()) {
        let target = |id: &PackageId| {
            let recorded = recorded_state(runs, id, user);
            // Off as it was recorded to be: what is asked for now is to use it again.
            if recorded == inventory.state(id, user) { PackageState::IN_USE } else { recorded }
        };
        return wanted.ids.iter().map(|id| (id.clone(), user, target(id))).collect();
    }
    let meant = |entry: &ShelfEntry| {
        let by_run = match entry.origin {
            Origin::Run { number, .. } => wanted.run.is_none_or(|run| run == number),
            Origin::Before => false,
        };
        by_run && wanted.user.is_none_or(|user| user == entry.user)
    };
    let shelf = Shelf::with_copies(inventory, runs, copies).entries.into_iter().filter(meant);
    shelf.map(|entry| (entry.id, entry.user, entry.target)).collect()
}

pub(crate) async fn put_back(
    finder: &Finder<'_>,
    name: &str,
    wanted: WantedBack,
    job: Option<Job>,
    how: How,
) -> Result<Exit, Failure> {
    may_change(how)?;
    let device = finder.link(name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    root(&device, how).await?;
    let claims = claim(finder.workplace, &device)?;
    // What an interruption left open is part of what was recorded.
    settle(finder, &device, &facts.id).await?;
    let (inventory, told) = surveyed(&device).await?;
    wanted.user.map_or(Ok(()), |user| check_user(&inventory, user))?;
    let read = move |book: &mut Logbook| Ok((book.runs(Some(&facts.id))?, book.copies(Some(&facts.id))?));
    let (runs, copies) = finder.workplace.book.with(read).await?;
    // Whoever carries it out claims the device again.
    drop(claims);
    let meant = meant_by(&wanted, &inventory, &runs, &copies);
    if meant.is_empty() {
        let what = wanted.run.map_or_else(|| "by Wibbet".to_owned(), |run| format!("by run {run}"));
        return Err(Failure::new(Exit::Nothing, format!("nothing that was taken out {what} is off the device now")));
    }
    let mut plan = plan_put_back_with(&inventory, &device.capabilities(), &meant, &copies)
        .giving_back(|id, user| recorded_gifts(&runs, id, user));
    plan.terms.job = job;
    carry_out(finder, &device, RunKind::PutBack, &plan, told, &Suspects::default(), how).await
}

async fn settle(finder: &Finder<'_>, device: &AdbDevice, id: &wibbet_types::DeviceId) -> Result<(), Failure> {
    for told in settle_interrupted(&finder.workplace.book, device, id).await? {
        tell(told);
    }
    Ok(())
}

pub(crate) async fn carry_on(
    finder: &Finder<'_>,
    name: &str,
    number: Option<RunId>,
    how: How,
) -> Result<Exit, Failure> {
    may_change(how)?;
    let device = finder.link(name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    root(&device, how).await?;
    let claims = claim(finder.workplace, &device)?;
    let runs = async || {
        let serial = facts.id.clone();
        finder.workplace.book.with(move |book| book.runs(Some(&serial))).await
    };
    let meant = |runs: &[Run]| match number {
        Some(number) => runs.iter().find(|run| run.number == number).map(|run| run.number),
        None => {
            // Those of other benches are carried on there.
            let own = || runs.iter().filter(|run| run.taken_in.is_none());
            own().find(|run| run.is_unfinished()).or(own().next()).map(|run| run.number)
        }
    };
    let meant = meant(&runs().await?);
    settle(finder, &device, &facts.id).await?;
    let runs = runs().await?;
    let Some(run) = runs.iter().find(|run| Some(run.number) == meant) else {
        let what = number.map_or_else(|| "no unfinished run".to_owned(), |n| format!("no run {n}"));
        return Err(Failure::new(Exit::Nothing, format!("the logbook has {what} of {}", facts.id)));
    };
    if how.dry_run {
        return Ok(show(run, how.json));
    }
    // Whether all of it is so cannot be told of what is not understood.
    if let Some(why) = run.not_understood.first() {
        return Err(RunError::NotUnderstood { run: run.number, why: why.clone() }.into());
    }
    if let Some((bench, _)) = &run.taken_in {
        return Err(RunError::OfAnotherBench { run: run.number, bench: bench.clone() }.into());
    }
    if !run.is_unfinished() {
        // Nothing is sent; whether it is all so is read, not remembered.
        let all_so = is_all_so(&device, run).await?;
        let exit = show(run, how.json);
        let so = if all_so {
            "all that it was to do is so on the device, which was read just now"
        } else {
            "it is finished"
        };
        tell(format_args!("nothing is left to do of run {}: {so}", run.number));
        return Ok(if all_so { Exit::Done } else { exit });
    }
    if !how.yes && !asked(&format!("Carry on with run {}?", run.number)) {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    // Whoever carries it out claims the device again.
    drop(claims);
    finish(finder, &device, RunStart::Resume(run.number), &Suspects::default(), how).await
}

/// Whether everything that a run was to do is so on the device now.
async fn is_all_so(device: &AdbDevice, run: &Run) -> Result<bool, Failure> {
    let of: Vec<_> = run.steps.iter().map(|step| (step.id.clone(), step.user)).collect();
    let seen = look_at_all(device, &of, false).await?;
    let counts = run.steps.iter().zip(seen).filter(|(step, _)| !run.is_replaced(step));
    Ok(counts.into_iter().all(|(step, sight)| match sight.found.state() {
        // What is not on the device at all was uninstalled by the run, or never there.
        Some(state) => step.way.is_met_by(state) && (state.known || step.outcome == Some(Outcome::Done)),
        None => false,
    }))
}

pub(crate) async fn carry_out(
    finder: &Finder<'_>,
    device: &AdbDevice,
    kind: RunKind,
    plan: &Plan,
    told: Option<Details>,
    suspects: &Suspects,
    how: How,
) -> Result<Exit, Failure> {
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let capabilities = device.capabilities();
    if how.dry_run {
        let metrics = sizes_of(device, plan).await;
        if how.json {
            json::print(&json::Steps::planned(plan, &capabilities, facts.id.as_str(), &metrics));
        } else {
            show_plan(plan, &capabilities, &metrics);
        }
        return Ok(Exit::Done);
    }
    if plan.to_send() > 0 {
        told.iter().flat_map(|t| t.vitals.warnings()).for_each(|warning| tell(format_args!("beware: {warning}")));
    }
    if plan.to_send() > 0 {
        restart_warnings(device, how.after()).await.iter().for_each(tell);
    }
    if !how.yes && plan.to_send() > 0 {
        show_plan(plan, &capabilities, &sizes_of(device, plan).await);
        let steps = match plan.to_send() {
            1 => "1 step".to_owned(),
            n => format!("{n} steps"),
        };
        let question = format!("Send {steps} to {} ({})?", facts.name(), facts.serial);
        if !asked(&question) {
            return Err(Failure::new(Exit::Nothing, "nothing was sent"));
        }
    }
    finish(finder, device, RunStart::New(kind, plan.clone()), suspects, how).await
}

/// Carries out a run; Ctrl-C stops it after what is on its way, and a second
/// one ends the program where it is.
async fn finish(
    finder: &Finder<'_>,
    device: &AdbDevice,
    start: RunStart,
    suspects: &Suspects,
    how: How,
) -> Result<Exit, Failure> {
    if let Some(minutes) = how.watch {
        tell(format_args!("when all is done the device is watched for {minutes} min; Ctrl-C ends that"));
    }
    let before = BeforeRun::of(device, how.after(), &|words| tell(words)).await?;
    let (interrupt, stopped) = Interrupt::listen("stopping after what is on its way");
    let last = Mutex::new(None);
    let news = |news| match news {
        RunNews::Found(words) => tell(words),
        RunNews::Waiting(why) => {
            let mut last = last.lock().unwrap_or_else(PoisonError::into_inner);
            // The same trouble is told once, however often it is tried again.
            if *last != why
                && let Some(why) = &why
            {
                tell(format_args!("{why}; waiting"));
            }
            *last = why;
        }
        RunNews::Securing(index, bytes, of) => {
            let words = format!("keeping a copy for step {index}: {} of {}", bytes_words(bytes), bytes_words(of));
            progress((bytes < of).then_some(words.as_str()));
        }
        _ => {}
    };
    let workplace = finder.workplace;
    let ended = run_plan(workplace, device, start, stopped, &news).await;
    drop(interrupt);
    match ended.result {
        Ok(run) => {
            let enough = async { drop(tokio::signal::ctrl_c().await) };
            let say = |words: &str| tell(words);
            look_after(workplace, device, &run, before, suspects, &say, enough).await?;
            let number = run.number;
            // What was found out since stands in the logbook.
            let run = workplace.book.with(move |book| book.run(number)).await?.unwrap_or(run);
            Ok(show(&run, how.json))
        }
        Err(error) => {
            let mut failure = Failure::from(error);
            let Some(number) = ended.number else { return Err(failure) };
            let Ok(Some(run)) = workplace.book.with(move |book| book.run(number)).await else { return Err(failure) };
            // What was done before is told all the same.
            failure.exit = match Exit::of(&run) {
                Exit::Nothing => failure.exit,
                other => other,
            };
            if how.json {
                tell(&failure.message);
                json::print(&json::Steps::failed(&run, &failure));
                return Ok(failure.exit);
            }
            show(&run, false);
            Err(failure)
        }
    }
}

/// Shows what became of a run.
pub(super) fn show(run: &Run, as_json: bool) -> Exit {
    if as_json {
        json::print(&json::Steps::of(run));
        return Exit::of(run);
    }
    line(format_args!("run {} on {}", run.number, run.device));
    for step in &run.steps {
        let outcome = step.outcome.map_or("waiting", Outcome::name);
        let state = step.after.map_or("not read", |s| s.condition().word());
        line(format_args!("{outcome:<10} {:<20} user {:<4} {:<44} {state}", step.way.label(), step.user, step.id));
        if !step.remark.is_empty() {
            line(format_args!("           {}", step.remark));
        }
        if let Some(returned) = step.returned_words() {
            line(format_args!("           {returned}"));
        }
    }
    if let Some(figures) = run.figures_words() {
        line(figures);
    }
    for words in &run.seen_after {
        line(format_args!("seen afterwards: {words}"));
    }
    for why in &run.not_understood {
        line(format_args!("beware: another version of Wibbet wrote a part of this: {why}"));
    }
    Exit::of(run)
}

/// How large the data are that a plan gives up; nothing where it gives up none, or the device does not tell.
async fn sizes_of(device: &AdbDevice, plan: &Plan) -> Metrics {
    match plan.losing_data().next() {
        Some(_) => read_sizes(device).await.unwrap_or_default(),
        None => Metrics::default(),
    }
}

/// Shows a plan, step by step.
pub(super) fn show_plan(plan: &Plan, capabilities: &wibbet_core::android::Capabilities, metrics: &Metrics) {
    for step in &plan.steps {
        let words = step.command(capabilities);
        match step.skip {
            Some(skip) => line(format_args!("not sent   {words}\n           {skip}")),
            None => line(format_args!("to send    {words}")),
        }
        match (&step.start, step.skip) {
            (Some(start), None) => line(format_args!("           {}", start.words())),
            (Some(start), Some(SkipReason::Start(class))) => {
                if let Some(stops) = start.what_stops() {
                    line(format_args!("           what stops: {stops}"));
                }
                if class > 1 {
                    line(format_args!("           --despite-start {} sends it all the same", step.id));
                }
            }
            _ => {}
        }
        if step.secures && step.skip.is_none() {
            line(format_args!("           a copy of its APKs is kept on this computer first"));
        }
        if let (None, Reversal::Approximate(why) | Reversal::Impossible(why)) = (step.skip, step.back) {
            line(format_args!("           {why}"));
        }
        if let Some(along) = step.along_words().filter(|_| step.skip.is_none()) {
            line(format_args!("           {along}"));
        }
        if let Some(given) = step.given_words(capabilities).filter(|_| step.skip.is_none()) {
            line(format_args!("           {given}"));
        }
        if step.skip.is_none() && !step.way.takes_out() {
            step.gives_back(capabilities).0.iter().for_each(|words| line(format_args!("     then  {words}")));
        }
    }
    if plan.to_send() > 0 && plan.terms.on_refusal != OnRefusal::default() {
        line(plan.terms.on_refusal.words());
    }
    if plan.to_send() > 0 {
        let command = wibbet_core::read::write_request().command();
        line(format_args!("in the end {command}\n           so that the device has it all on its disk"));
    }
    if let Some(data) = plan.data_words(true, |id| metrics.sizes.get(id).and_then(|sizes| sizes.data)) {
        let keeps = match plan.can_keep_data() {
            true => "--keep-data or --disable keeps them, unless a step says otherwise",
            false => "nothing on this device keeps them",
        };
        line(format_args!("beware: {data}; {keeps}"));
    }
}
