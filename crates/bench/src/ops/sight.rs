//! Looking at packages again: what they are for a user now, from sources that are built differently.
//!
//! That a package is not installed is the one thing that an uninstall aims at, and the one that a dump says by a word that is
//! easily lost or forged. So it is believed only where `list packages` agrees.

use std::collections::{BTreeMap, BTreeSet};

use futures_util::future::{join, join_all};
use futures_util::{StreamExt as _, TryStreamExt as _, stream};
use wibbet_core::package::PackageState;
use wibbet_core::read::{self, DumpReader, ReadBack};
use wibbet_core::run::Finding;
use wibbet_types::{PackageId, UserId};

use super::survey::{SurveyError, states, users};
use crate::device::{AskError, Device};

/// A package as it was read back: all that was told of it, and what is known of it for one user.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sight {
    /// For all users.
    pub told: ReadBack,
    /// For the one.
    pub found: Finding,
}

/// So many packages are rather read by themselves than by what is told of all: that takes a device as long as some four.
const FEW: usize = 3;

/// So many are asked for at the same time.
const AT_ONCE: usize = 4;

const DISAGREE: Finding = Finding::Unclear("the device says that it is not installed, and lists it as installed");
const UNCONFIRMED: Finding = Finding::Unclear(
    "the device says that it is not installed; its list of packages, which is to confirm it, cannot be read",
);

/// Reads one package back, for one user.
///
/// # Errors
/// When the device cannot be asked.
pub(crate) async fn look_at<D: Device>(device: &D, id: &PackageId, user: UserId) -> Result<Sight, AskError> {
    let told = read_one(device, id).await?;
    let state = told.state(user);
    let found = match &told {
        ReadBack::Silent | ReadBack::Unreadable(_) => Finding::NOT_TOLD,
        _ if state.installed => Finding::State(state),
        _ if state.unreadable => without_a_line(device, user).await?,
        _ => match installed(device, user, Some(id)).await? {
            Some(list) if list.contains(id) => DISAGREE,
            Some(_) => Finding::State(state),
            None => match without_a_line(device, user).await? {
                Finding::NoSuchUser => Finding::NoSuchUser,
                _ => UNCONFIRMED,
            },
        },
    };
    Ok(Sight { told, found })
}

/// Reads packages back that have just been changed, each for one user: a few by themselves, many by what is told of all.
///
/// # Errors
/// When the device cannot be asked.
pub(crate) async fn look_at_some<D: Device>(device: &D, of: &[(PackageId, UserId)]) -> Result<Vec<Sight>, AskError> {
    if of.len() > FEW && device.short_form().is_some() {
        match look_at_all(device, of, true).await {
            Ok(sights) => return Ok(sights),
            Err(SurveyError::Ask(error)) => return Err(error),
            // Then what is told of each.
            Err(_) => {}
        }
    }
    let mut looks = Vec::with_capacity(of.len());
    for (id, user) in of {
        looks.push(async move {
            match look_at(device, id, *user).await {
                Err(AskError::Silent(_)) => Ok(Sight { told: ReadBack::Silent, found: Finding::NOT_TOLD }),
                seen => seen,
            }
        });
    }
    stream::iter(looks).buffered(AT_ONCE).try_collect().await
}

/// Reads packages back, each for one user: in a few requests, however many they are. Where they are likely to be gone, what
/// confirms that is asked for at once.
///
/// # Errors
/// When the device cannot be asked, or what it said cannot be used.
pub async fn look_at_all<D: Device>(
    device: &D,
    of: &[(PackageId, UserId)],
    likely_gone: bool,
) -> Result<Vec<Sight>, SurveyError> {
    let users: BTreeSet<UserId> = of.iter().map(|(_, user)| *user).filter(|_| likely_gone).collect();
    let mut asking = Vec::new();
    for user in &users {
        asking.push(installed(device, *user, None));
    }
    let (all, early) = join(states(device), join_all(asking)).await;
    let all = all?;
    let mut early: BTreeMap<UserId, _> = users.into_iter().zip(early).collect();
    let state = |(id, user): &(PackageId, UserId)| all.get(id).map(|told| told.state(*user));
    // Whoever has it, has it. Whatever else was told has to be confirmed.
    let doubtful = of.iter().filter(|one| !state(one).is_some_and(|s| s.installed)).map(|(_, user)| *user);
    let mut lists = BTreeMap::new();
    for user in doubtful.collect::<BTreeSet<UserId>>() {
        // An empty list of everything says nothing.
        let list = match early.remove(&user) {
            Some(list) => list,
            None => installed(device, user, None).await,
        };
        let list = list?.filter(|list| !list.is_empty());
        let missing = if list.is_none() { Some(without_a_line(device, user).await?) } else { None };
        lists.insert(user, (list, missing));
    }
    let mut sights = Vec::with_capacity(of.len());
    for one in of {
        let (id, user) = one;
        let Some(told) = all.get(id).filter(|told| !told.state(*user).unreadable) else {
            // The dump did not get to it or was cut there, or it is gone.
            sights.push(match look_at(device, id, *user).await {
                Err(AskError::Silent(_)) => Sight { told: ReadBack::Silent, found: Finding::NOT_TOLD },
                seen => seen?,
            });
            continue;
        };
        let found = match (state(one).and_then(PackageState::told), lists.get(user)) {
            (Some(state), _) if state.installed => Finding::State(state),
            (_, Some((_, Some(Finding::NoSuchUser)))) => Finding::NoSuchUser,
            (Some(_), Some((Some(list), _))) if list.contains(id) => DISAGREE,
            (Some(state), Some((Some(_), _))) => Finding::State(state),
            (Some(_), _) => UNCONFIRMED,
            (None, _) => Finding::NOT_TOLD,
        };
        sights.push(Sight { told: told.clone(), found });
    }
    Ok(sights)
}

/// Whether nothing was told of a user because there is none.
async fn without_a_line<D: Device>(device: &D, user: UserId) -> Result<Finding, AskError> {
    let (users, _) = users(device).await?;
    Ok(match users.is_empty() || users.iter().any(|known| known.id == user) {
        true => Finding::NOT_TOLD,
        false => Finding::NoSuchUser,
    })
}

/// The ids of what is installed for a user, or of those that hold an id; `None` where no list came.
async fn installed<D: Device>(
    device: &D,
    user: UserId,
    id: Option<&PackageId>,
) -> Result<Option<BTreeSet<PackageId>>, AskError> {
    match device.ask(&read::installed_request(user, id), &mut |_| {}).await {
        Ok(said) => Ok(read::read_installed(&said)),
        Err(AskError::Refused(_) | AskError::Silent(_)) => Ok(None),
        Err(error) => Err(error),
    }
}

/// Reads what the package service tells of one package.
async fn read_one<D: Device>(device: &D, id: &PackageId) -> Result<ReadBack, AskError> {
    if let Some(form) = device.short_form() {
        let said = device.ask(&read::short_dump_request(&device.capabilities(), Some(id)), &mut |_| {}).await?;
        if let Some(told) = form.read_back(id, &read::read_short_dump(&said.out)) {
            return Ok(told);
        }
    }
    let mut reader = DumpReader::default();
    device.ask(&read::read_back_request(&device.capabilities(), id), &mut |piece| reader.feed(piece)).await?;
    let told = read::read_back(id, reader.finish());
    if told != ReadBack::Silent {
        return Ok(told);
    }
    let said = device.ask(&read::known_request(id), &mut |_| {}).await?;
    Ok(match read::read_installed(&said) {
        None => ReadBack::Unreadable(format!("the device reported nothing about the package: {}", said.text())),
        Some(known) if known.contains(id) => {
            ReadBack::Unreadable("the device lists the package and reports nothing else about it".into())
        }
        Some(_) => ReadBack::Gone,
    })
}
