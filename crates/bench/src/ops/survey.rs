//! Reading what is installed.

use std::collections::BTreeMap;
use std::sync::Arc;

use thiserror::Error;
use wibbet_core::ask::{Request, says_not_ready};
use wibbet_core::device::User;
use wibbet_core::package::{Condition, Inventory};
use wibbet_core::read::{self, DumpReader, ReadBack, ShortForm};
use wibbet_types::{PackageId, UserId};

use super::essential::essentials;
use super::given::choices;
use crate::device::{AskError, Device};

/// Why a survey could not be made.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum SurveyError {
    /// The device could not be asked.
    #[error("the packages could not be read: {0}")]
    Ask(#[from] AskError),
    /// The device has not started as far as that.
    #[error("the device has not started far enough: its package service is not up yet")]
    NotReady,
    /// What it said cannot be used.
    #[error("the packages could not be read: {what}. The device said: {said}")]
    Unusable {
        /// What is missing.
        what: &'static str,
        /// The beginning of the answer.
        said: String,
    },
}

/// What a survey is at.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SurveyPart {
    /// The users.
    Users,
    /// The packages' states; so many bytes so far.
    States(u64),
    /// The list that the states are checked against.
    List,
}

impl SurveyPart {
    /// In words.
    pub fn words(self) -> String {
        match self {
            Self::Users => "reading users".into(),
            Self::States(bytes) => format!("reading packages, {} KiB", bytes / 1024),
            Self::List => "checking against the list".into(),
        }
    }
}

/// Reads users and packages.
pub async fn survey<D: Device>(
    device: &D,
    progress: &mut (dyn FnMut(SurveyPart) + Send),
) -> Result<Inventory, SurveyError> {
    progress(SurveyPart::Users);
    let (mut users, said_of_users) = users(device).await?;
    if users.is_empty() && says_not_ready(&said_of_users) {
        return Err(SurveyError::NotReady);
    }
    let dump = dump(device, &read::survey_dump(&device.capabilities()), progress).await?;
    if dump.packages.is_empty() {
        return Err(unusable("it names no packages", &dump.gaps.join("; ")));
    }
    let unnamed = users.is_empty();
    if unnamed {
        users = read::users_by_number(dump.packages.values().flat_map(|p| p.states.keys().copied()));
        if users.is_empty() {
            return Err(unusable("it names no users", &said_of_users));
        }
    }
    progress(SurveyPart::List);
    let said = device.ask(&read::survey_list(), &mut |_| {}).await?;
    let listed = read::read_package_list(&said.out);
    let mut inventory = read::inventory(users, dump, &listed);
    let kinds: Vec<_> = inventory.packages.values().map(|package| (package.id.clone(), package.kind)).collect();
    // Its states are compared before anything else is told.
    let short = device.ask(&read::short_dump_request(&device.capabilities(), None), &mut |_| {}).await?;
    device.rely_on_short_form(ShortForm::proven(&inventory, &read::read_short_dump(&short.out)));
    tell_beside(device, &mut inventory).await?;
    let essential = essentials(device, kinds.iter().map(|(id, kind)| (id, *kind))).await?;
    inventory.essential = essential.standing_on(device.ground());
    if unnamed {
        inventory.gaps.push("the device did not list its users: they are known by their numbers only".into());
    }
    if listed.is_empty() {
        inventory
            .gaps
            .push("the device's own list of packages could not be read, so nothing was checked against it".into());
    }
    Ok(inventory)
}

/// What the dump of the packages leaves out: what users that are shared may do, and what is off by its own manifest.
async fn tell_beside<D: Device>(device: &D, inventory: &mut Inventory) -> Result<(), AskError> {
    let said = device.ask(&read::shared_users_request(&device.capabilities()), &mut |_| {}).await?;
    let shared = read::read_shared_users(&said.out);
    let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
    let choices = choices(device, &users).await?;
    let mut off = Vec::new();
    for user in &inventory.users {
        let said = device.ask(&read::disabled_request(user.id), &mut |_| {}).await?;
        off.extend(read::read_installed(&said).unwrap_or_default().into_iter().map(|id| (id, user.id)));
    }
    let mut quiet = Vec::new();
    for user in inventory.users.iter().filter(|_| device.capabilities().quietens()) {
        let said = device.ask(&read::quiet_request(user.id), &mut |_| {}).await?;
        quiet.extend(read::read_quiet(&said).into_iter().map(|id| (id, user.id)));
    }
    for package in inventory.packages.values_mut().map(Arc::make_mut) {
        shared.tell(&mut package.about);
        choices.tell(package);
    }
    for (id, user) in quiet {
        if let Some(package) = inventory.packages.get_mut(&id).map(Arc::make_mut) {
            package.about.quiet.insert(user);
        }
    }
    for (id, user) in off {
        if let Some(package) = inventory.packages.get_mut(&id).map(Arc::make_mut)
            && package.state(user).condition() == Condition::InUse
        {
            package.about.off_by_manifest.insert(user);
        }
    }
    Ok(())
}

/// Reads the states of all packages, which is one request however many are of interest. A package
/// that the device did not get to is missing; it has to be asked for by itself.
pub(super) async fn states<D: Device>(device: &D) -> Result<BTreeMap<PackageId, ReadBack>, SurveyError> {
    if let Some(form) = device.short_form() {
        let said = device.ask(&read::short_dump_request(&device.capabilities(), None), &mut |_| {}).await?;
        let told = form.read_back_all(&read::read_short_dump(&said.out));
        if !told.is_empty() {
            return Ok(told);
        }
    }
    let dump = dump(device, &read::survey_dump(&device.capabilities()), &mut |_| {}).await?;
    if dump.packages.is_empty() {
        return Err(unusable("it names no packages", &dump.gaps.join("; ")));
    }
    Ok(read::read_back_all(dump))
}

/// The users, and what the device said where it named none.
pub(super) async fn users<D: Device>(device: &D) -> Result<(Vec<User>, String), AskError> {
    let mut said_instead = String::new();
    for request in read::users_requests(&device.capabilities()) {
        let said = device.ask(&request, &mut |_| {}).await?;
        let users = read::read_users(&said.out);
        if !users.is_empty() {
            return Ok((users, String::new()));
        }
        said_instead = said.text();
    }
    Ok((Vec::new(), said_instead))
}

async fn dump<D: Device>(
    device: &D,
    request: &Request,
    progress: &mut (dyn FnMut(SurveyPart) + Send),
) -> Result<read::PackageDump, SurveyError> {
    let mut reader = DumpReader::default();
    let mut bytes = 0;
    progress(SurveyPart::States(0));
    device
        .ask(request, &mut |piece| {
            reader.feed(piece);
            bytes += piece.len() as u64;
            progress(SurveyPart::States(bytes));
        })
        .await?;
    let dump = reader.finish();
    if dump.packages.is_empty() && dump.not_ready {
        return Err(SurveyError::NotReady);
    }
    Ok(dump)
}

fn unusable(what: &'static str, said: &str) -> SurveyError {
    if says_not_ready(said) {
        return SurveyError::NotReady;
    }
    let said = wibbet_types::PlainText::new(said).as_str().chars().take(200).collect();
    SurveyError::Unusable { what, said }
}
