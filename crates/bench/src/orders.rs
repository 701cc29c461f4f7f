//! An order on a device: what it comes to there, and carrying it out.

use std::collections::{BTreeMap, BTreeSet};
use std::path::PathBuf;
use std::sync::Arc;

use tokio::sync::watch;
use wibbet_core::device::DeviceFacts;
use wibbet_core::order::{Applied, Order, OrderInstall, apply};
use wibbet_core::package::Metrics;
use wibbet_core::plan::{Job, Newcomer, Plan, PlannedTray, StartOutlook, Upshot, plan_tray};
use wibbet_core::run::{Run, RunKind, SettingChange, SettingState, Suspects};
use wibbet_logbook::LogbookError;
use wibbet_types::{PackageId, PlainText, UserId, counted};

use crate::after::{AfterError, AfterRun, BeforeRun, look_after};
use crate::device::{AdbDevice, AskError, Device as _};
use crate::ops::{
    Details, LabelNews, NoteError, SurveyError, TakenIn, details, device_languages, drop_copy, import_copy, keep_look,
    note_met, read_catalog, read_metrics, sum_of_file, survey,
};
use crate::run::{Control, RunError, RunNews, RunStart, run_plan};
use crate::run::{SettingHeld, hold_settings, set_settings};
use crate::workplace::Workplace;

/// Why an order could not be held against a device, or begun there.
#[derive(Debug, thiserror::Error)]
pub enum OrderError {
    /// The link, or what the device says.
    #[error(transparent)]
    Ask(#[from] AskError),
    /// The packages could not be read.
    #[error(transparent)]
    Survey(#[from] SurveyError),
    /// The device could not be noted.
    #[error(transparent)]
    Note(#[from] NoteError),
    /// The logbook.
    #[error(transparent)]
    Logbook(#[from] LogbookError),
    /// An app that the order installs is not to be had.
    #[error("{file}, which the order installs: {why}")]
    Install {
        /// The file as the order names it.
        file: String,
        /// What is wrong with it.
        why: String,
    },
    /// It is for other devices.
    #[error("the order is not for this device: {}", .0.join("; "))]
    OtherDevices(Vec<String>),
    /// It could not be held against the device.
    #[error("the order could not be held against the device: {0}")]
    Failed(String),
    /// Nothing of it is left to do.
    #[error("nothing of the order is left to do here")]
    NothingToDo,
}

/// An order, and how it is to be applied.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OrderWanted {
    /// The order.
    pub order: Arc<Order>,
    /// Where the files lie that it installs.
    pub folder: PathBuf,
    /// What goes however it is tied there.
    pub despite: BTreeSet<PackageId>,
    /// Whether it is applied to devices that it is not for.
    pub any_device: bool,
    /// Whether what cannot be undone goes.
    pub no_way_back: bool,
}

/// What an order comes to on a device. What was taken in for it has to be dropped, see [`PreparedOrder::drop_files`].
#[derive(Debug)]
pub struct PreparedOrder {
    /// The device.
    pub facts: DeviceFacts,
    /// How it is.
    pub details: Option<Details>,
    /// The names that people know the packages of the order by.
    pub labels: BTreeMap<PackageId, PlainText>,
    /// Each package of the order.
    pub applied: Applied,
    /// The plan for what goes.
    pub plan: Plan,
    /// What that does to each user.
    pub does: Vec<(UserId, Upshot)>,
    /// The settings of the order.
    pub settings: Vec<SettingHeld>,
    /// Why manifests could not be read, where they could not.
    pub unread: Option<String>,
    /// What may be due to what goes.
    suspects: Suspects,
    taken_in: Vec<TakenIn>,
}

impl PreparedOrder {
    /// Drops what was taken in and has not become part of a run.
    ///
    /// # Errors
    /// When the logbook cannot be written.
    pub async fn drop_files(&self, workplace: &Workplace) -> Result<(), LogbookError> {
        for taken in &self.taken_in {
            drop_copy(&workplace.book, &taken.copy).await?;
        }
        Ok(())
    }

    /// Whether there is something to send.
    ///
    /// # Errors
    /// Why there is not.
    pub fn is_to_do(&self, wanted: &OrderWanted) -> Result<(), OrderError> {
        if !wanted.any_device && !self.applied.speaks_against.is_empty() {
            return Err(OrderError::OtherDevices(self.applied.speaks_against.clone()));
        }
        let sets = self.settings.iter().any(SettingHeld::is_to_set);
        if self.plan.to_send() == 0 && !sets { Err(OrderError::NothingToDo) } else { Ok(()) }
    }
}

/// Reads a linked device, and holds an order against it. Nothing is sent that changes it.
///
/// # Errors
/// When the device cannot be read, or what the order installs is not to be had.
pub async fn prepare_order(
    workplace: &Workplace,
    device: &AdbDevice,
    wanted: &OrderWanted,
    news: &mut (dyn FnMut(LabelNews) + Send),
) -> Result<PreparedOrder, OrderError> {
    let book = &workplace.book;
    let facts = match device.facts().filter(|_| device.is_noted()) {
        Some(facts) => facts,
        None => note_met(book, device).await?,
    };
    let mut inventory = survey(device, &mut |_| {}).await?;
    let told = details(device).await;
    inventory.merge_users(told.as_ref().map_or(&[], |told| &told.users));
    keep_look(book, &facts, &inventory).await?;
    let metrics = match wanted.order.sources().is_empty() {
        true => Metrics::default(),
        false => read_metrics(device, &inventory, &mut |_| {}).await?,
    };
    let users: BTreeSet<UserId> = wanted.order.users_on(&inventory);
    let users: Vec<UserId> = users.into_iter().collect();
    let first = users.first().copied().unwrap_or(UserId::OWNER);
    let languages = device_languages(device, first).await?;
    let (catalog, unread) = read_catalog(device, book, inventory, metrics, &languages, &users, news).await?;
    let settings = hold_settings(device, &wanted.order, &catalog.inventory).await?;
    let capabilities = device.capabilities();
    // An order may have thousands of items: nothing waits for them.
    let (of, on, whose) = (wanted.clone(), catalog.clone(), facts.clone());
    let applied = tokio::task::spawn_blocking(move || apply(&of.order, &on, &whose, &capabilities, &of.despite)).await;
    let applied = applied.map_err(|why| OrderError::Failed(why.to_string()))?;
    let mut taken_in = Vec::new();
    for install in &wanted.order.installs {
        match take_in(workplace, &facts, wanted, install).await {
            Ok(taken) => taken_in.push(taken),
            Err(error) => {
                // Those before it are of no use without it.
                for taken in taken_in {
                    drop_copy(book, &taken.copy).await?;
                }
                return Err(error);
            }
        }
    }
    let newcomers: Vec<Newcomer<'_>> =
        taken_in.iter().map(|taken| Newcomer { user: first, copy: &taken.copy, declared: &taken.declared }).collect();
    let tray = applied.tray();
    let PlannedTray { mut plan, does } =
        plan_tray(&catalog, &capabilities, &tray, &newcomers, wanted.no_way_back, &applied.despite_start);
    plan.terms.on_refusal = wanted.order.on_refusal;
    plan.terms.order.clone_from(&wanted.order.name);
    let unread = unread.map(|error| error.to_string());
    let suspects = Suspects::of(&catalog, &plan, &does);
    // What was read of all packages is let go of: many devices wait side by side for their turn.
    let ids = applied.lines.iter().filter_map(|line| line.id.as_ref());
    let label = |id: &PackageId| Some((id.clone(), catalog.names.apps.get(id)?.name()?.clone()));
    let labels = ids.filter_map(label).collect();
    Ok(PreparedOrder { facts, details: told, labels, applied, plan, does, settings, unread, suspects, taken_in })
}

/// Takes in what an order installs.
async fn take_in(
    workplace: &Workplace,
    facts: &DeviceFacts,
    wanted: &OrderWanted,
    install: &OrderInstall,
) -> Result<TakenIn, OrderError> {
    let bad = |why: String| OrderError::Install { file: install.file.clone(), why };
    let other = |sum: &str| bad(format!("its SHA-256 is {sum}, and the order says {}", install.sha256));
    let path = wanted.folder.join(&install.file);
    if !install.sha256.is_empty() {
        let of = path.clone();
        let sum = tokio::task::spawn_blocking(move || sum_of_file(&of)).await.map_err(|why| bad(why.to_string()))?;
        let sum = sum.map_err(|why| bad(why.to_string()))?;
        if sum != install.sha256 {
            return Err(other(&sum));
        }
    }
    let is_apk = path.extension().is_some_and(|end| end.eq_ignore_ascii_case("apk"));
    let taken = import_copy(&workplace.book, &facts.id, &[path]).await.map_err(|why| bad(why.to_string()))?;
    // It may have been another one by the time that it was taken in.
    match taken.copy.files.as_slice() {
        [file] if is_apk && !install.sha256.is_empty() && file.sha256 != install.sha256 => {
            drop_copy(&workplace.book, &taken.copy).await?;
            Err(other(&file.sha256))
        }
        _ => Ok(taken),
    }
}

/// What of a prepared order is shown.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct HeldOrder {
    /// Each package of the order.
    pub applied: Applied,
    /// The plan for what goes.
    pub plan: Plan,
    /// What that does to each user.
    pub does: Vec<(UserId, Upshot)>,
    /// The apps that the order installs, one for each.
    pub installs: Vec<PackageId>,
    /// The settings of the order.
    pub settings: Vec<SettingHeld>,
    /// Why manifests could not be read, where they could not.
    pub unread: Option<String>,
    /// Why nothing of it is sent, where that is so.
    pub stays: Option<String>,
}

impl HeldOrder {
    /// How many steps and settings are to be sent.
    pub fn to_send(&self) -> usize {
        self.plan.to_send() + self.settings.iter().filter(|one| one.is_to_set()).count()
    }

    /// Why it is not begun without somebody who looks at it: what shows whether the device starts afterwards was not all read.
    pub fn start_is_unknown(&self) -> Option<String> {
        let unknown = self.does.iter().any(|(_, does)| does.start == StartOutlook::NotKnown);
        unknown.then(|| "whether the device starts afterwards is not known: not all was read".to_owned())
    }
}

impl PreparedOrder {
    /// What of it is shown.
    pub fn held(&self, wanted: &OrderWanted) -> HeldOrder {
        let Self { applied, plan, does, settings, unread, taken_in, .. } = self;
        HeldOrder {
            applied: applied.clone(),
            plan: plan.clone(),
            does: does.clone(),
            installs: taken_in.iter().map(|taken| taken.copy.id.clone()).collect(),
            settings: settings.clone(),
            unread: unread.clone(),
            stays: self.is_to_do(wanted).err().map(|why| why.to_string()),
        }
    }
}

/// What is heard while an order is carried out.
#[derive(Debug)]
pub enum OrderNews {
    /// Of its run.
    Run(RunNews),
    /// What is done or seen beside the run, in words.
    Said(String),
}

/// How carrying out an order ended.
#[derive(Debug)]
pub struct OrderEnded {
    /// Its run, where one was written down.
    pub run: Option<Run>,
    /// The settings that were sent, and what came of each.
    pub settings: Vec<SettingChange>,
    /// Why it could not go on, or could not be looked at behind it.
    pub trouble: Option<OrderTrouble>,
}

impl OrderEnded {
    /// Whether all that the order was to do is so, and nothing came in its way.
    pub fn is_whole(&self) -> bool {
        self.trouble.is_none() && self.run.as_ref().is_some_and(Run::is_whole)
    }
}

/// What came in the way of an order that had begun.
#[derive(Debug, thiserror::Error)]
pub enum OrderTrouble {
    /// Of its run.
    #[error(transparent)]
    Run(RunError),
    /// Behind it.
    #[error(transparent)]
    After(AfterError),
    /// Settings that are not as they are to be, in words.
    #[error("not set: {}", .0.join("; "))]
    NotSet(Vec<String>),
}

/// Carries out what was prepared: the run, and what the order wants to be looked at behind it.
pub async fn carry_out_order(
    workplace: &Workplace,
    device: &AdbDevice,
    prepared: &PreparedOrder,
    order: &Order,
    job: Option<Job>,
    stop: watch::Receiver<Control>,
    news: &(dyn Fn(OrderNews) + Send + Sync),
) -> OrderEnded {
    let say = |words: &str| news(OrderNews::Said(words.to_owned()));
    let after = AfterRun { figures: order.end.figures, restart: order.end.restart, watch: order.end.watch };
    let before = match BeforeRun::of(device, after, &say).await {
        Ok(before) => before,
        Err(error) => return OrderEnded { run: None, settings: Vec::new(), trouble: Some(OrderTrouble::After(error)) },
    };
    let mut plan = prepared.plan.clone();
    plan.terms.job = job;
    let start = RunStart::New(RunKind::TakeOut, plan);
    let heard = |of: RunNews| news(OrderNews::Run(of));
    let ended = run_plan(workplace, device, start, stop.clone(), &heard).await;
    let as_it_stands = async || match ended.number {
        Some(number) => workplace.book.with(move |book| book.run(number)).await.ok().flatten(),
        None => None,
    };
    match ended.result {
        Ok(run) => {
            let (set, not_set) = settle_settings(workplace, device, prepared, order, &run, &stop, &say).await;
            let mut stop = stop;
            let enough = async move {
                if stop.wait_for(|control| *control == Control::Stop).await.is_err() {
                    std::future::pending::<()>().await;
                }
            };
            let looked = look_after(workplace, device, &run, before, &prepared.suspects, &say, enough).await;
            let trouble = looked.err().map(OrderTrouble::After).or(not_set);
            OrderEnded { run: as_it_stands().await.or(Some(run)), settings: set, trouble }
        }
        Err(error) => {
            OrderEnded { run: as_it_stands().await, settings: Vec::new(), trouble: Some(OrderTrouble::Run(error)) }
        }
    }
}

/// Sets what the order wants to be set, where its run went to its end: what was sent, and what came in the way.
async fn settle_settings(
    workplace: &Workplace,
    device: &AdbDevice,
    prepared: &PreparedOrder,
    order: &Order,
    run: &Run,
    stop: &watch::Receiver<Control>,
    say: &(dyn Fn(&str) + Send + Sync),
) -> (Vec<SettingChange>, Option<OrderTrouble>) {
    let wanted: Vec<&SettingHeld> = prepared.settings.iter().filter(|one| one.is_to_set()).collect();
    if wanted.is_empty() {
        return (Vec::new(), None);
    }
    say(&format!("setting {}", counted(wanted.len(), "setting", "settings")));
    let enough = || *stop.borrow() == Control::Stop;
    let of = (order.name.as_str(), Some(run.number));
    match set_settings(workplace, device, of, &prepared.settings, enough).await {
        Ok(set) => {
            let mut not: Vec<String> = set
                .iter()
                .filter(|change| change.state != SettingState::Done)
                .map(|change| format!("{}: {}", change.setting, change.remark))
                .collect();
            if set.len() < wanted.len() {
                not.push(format!("{} not sent: it was stopped", wanted.len() - set.len()));
            }
            (set, (!not.is_empty()).then_some(OrderTrouble::NotSet(not)))
        }
        Err(error) => (Vec::new(), Some(OrderTrouble::Run(error))),
    }
}
