//! The packages of one device for all its users.

use std::collections::BTreeMap;
use std::sync::Arc;

use wibbet_types::{PackageId, UserId};

use super::essential::Essentials;
use super::package::{Package, SwitchedParts};
use super::state::{Condition, PackageState};
use crate::device::{User, UserKind};

/// The packages of one device for all its users. Does not change once made, but for
/// [`Inventory::set_states`] and [`Inventory::set_parts`], which take in what was read back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Inventory {
    /// The users, by number.
    pub users: Vec<User>,
    /// The packages, by id. Each is shared, so that a new state of one copies that one.
    pub packages: BTreeMap<PackageId, Arc<Package>>,
    /// What Android does not start without.
    pub essential: Essentials,
    /// What could not be read, in words. Empty when everything was.
    pub gaps: Vec<String>,
}

impl Inventory {
    /// A package's state for a user; [`PackageState::ABSENT`] for one that is not on the device.
    pub fn state(&self, id: &PackageId, user: UserId) -> PackageState {
        self.packages.get(id).map_or(PackageState::ABSENT, |p| p.state(user))
    }

    /// What a package is to a user, in a word.
    pub fn condition(&self, id: &PackageId, user: UserId) -> Condition {
        self.packages.get(id).map_or(Condition::Absent, |p| p.condition(user))
    }

    /// The user of a number.
    pub fn user(&self, id: UserId) -> Option<&User> {
        self.users.iter().find(|u| u.id == id)
    }

    /// Whether a user is the first person to have the device: not a profile, and not the system's own user.
    pub fn is_first(&self, user: UserId) -> bool {
        let kind = |user: &User| user.kind;
        match self.user(user).map(kind) {
            Some(UserKind::Owner) => true,
            Some(UserKind::Full) => self.users.iter().all(|user| user.kind != UserKind::Owner),
            _ => false,
        }
    }

    /// For whom work is done unless somebody says otherwise: the owner, and where the first user has no screen, whoever is in
    /// front.
    pub fn usual_user(&self, in_front: Option<UserId>) -> UserId {
        let headless = self.user(UserId::OWNER).is_some_and(|user| user.kind == UserKind::System);
        let person = |id: &UserId| self.user(*id).is_some_and(|user| user.kind != UserKind::System);
        match in_front.filter(|id| headless && person(id)) {
            Some(id) => id,
            None if headless => self.users.iter().map(|user| user.id).find(person).unwrap_or(UserId::OWNER),
            None => UserId::OWNER,
        }
    }

    /// The users that are written into files: without those that are meant to stay unseen, unless it is one of them that was
    /// asked for.
    pub fn users_to_tell(&self, of: Option<UserId>) -> impl Iterator<Item = &User> {
        self.users.iter().filter(move |user| user.kind != UserKind::Private || of == Some(user.id))
    }

    /// Takes in what was told of the users elsewhere.
    pub fn merge_users(&mut self, told: &[crate::device::UserCondition]) {
        for user in &mut self.users {
            if let Some(told) = told.iter().find(|t| t.id == user.id) {
                user.kind = told.kind.unwrap_or(user.kind);
                user.running = told.running.unwrap_or(user.running);
                user.unlocked = told.unlocked;
                user.forbidden = told.forbidden;
                user.admins.clone_from(&told.admins);
            }
        }
    }

    /// Takes in which parts of a package are not as its manifest says, for a user.
    pub fn set_parts(&mut self, id: &PackageId, user: UserId, parts: SwitchedParts) {
        if let Some(package) = self.packages.get_mut(id).map(Arc::make_mut) {
            match parts.off.is_empty() && parts.on.is_empty() {
                true => drop(package.about.parts.remove(&user)),
                false => drop(package.about.parts.insert(user, parts)),
            }
        }
    }

    /// Takes in the states of one package as they were read back.
    pub fn set_states(&mut self, id: &PackageId, state: impl Fn(UserId) -> PackageState) {
        if let Some(package) = self.packages.get_mut(id).map(Arc::make_mut) {
            package.states = self.users.iter().map(|user| (user.id, state(user.id))).collect();
        }
    }
}
