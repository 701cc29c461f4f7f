//! What an order says.

use std::collections::BTreeSet;
use std::fmt;

use wibbet_types::{PackageId, UserId, named};

use super::scope::Scope;
use crate::ask::NamedSetting;
use crate::device::{User, UserKind};
use crate::package::{Inventory, Source};
use crate::plan::{Change, OnRefusal};
use crate::search::Search;

/// An order: what is to be done on each device that it is applied to.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Order {
    /// What people call it.
    pub name: String,
    /// What it is for.
    pub purpose: String,
    /// When and on what it was made, in words.
    pub made: String,
    /// For which devices it is.
    pub scope: Scope,
    /// For whom its items are that do not say so.
    pub users: Users,
    /// What is tried where a step is refused.
    pub on_refusal: OnRefusal,
    /// What becomes of what is tied otherwise than where the order was made.
    pub otherwise: Otherwise,
    /// Apps that are installed before anything goes.
    pub installs: Vec<OrderInstall>,
    /// What goes, and what is left alone. The first item that names a package for a user decides.
    pub items: Vec<OrderItem>,
    /// Settings of the device that are set when its packages are as they are to be.
    pub settings: Vec<OrderSetting>,
    /// What is done when all is done.
    pub end: End,
}

impl Order {
    /// The users of a device that anything of it is for.
    pub fn users_on(&self, inventory: &Inventory) -> BTreeSet<UserId> {
        let items = self.items.iter().map(|item| item.users.as_ref().unwrap_or(&self.users));
        let settings = self.settings.iter().filter_map(|one| one.users.as_ref());
        items.chain(settings).chain([&self.users]).flat_map(|users| users.on(inventory).0).collect()
    }

    /// What has to be read of a device beside its packages and their APKs, so that it can be applied.
    pub fn sources(&self) -> BTreeSet<Source> {
        let mut sources = BTreeSet::new();
        for item in &self.items {
            let lines = [item.only_if.as_deref(), item.unless.as_deref()];
            let found = match &item.what {
                What::Found(line) => Some(line.as_str()),
                What::Package(_) | What::Role(_) => None,
            };
            sources.extend(
                lines.into_iter().chain([found]).flatten().flat_map(|line| Search::read_strict(line).sources()),
            );
            // What its user uses is disabled.
            if item.way == Way::Usual {
                sources.insert(Source::Usage);
            }
        }
        sources
    }
}

/// An app that is installed.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OrderInstall {
    /// The file, or the folder or archive with all parts of the app; one that begins with no `/` lies beside the order.
    pub file: String,
    /// The SHA-256 of the file in small hexadecimal digits; empty where none is asked for.
    pub sha256: String,
}

/// A setting of the device that belongs to an order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OrderSetting {
    /// Which one.
    pub setting: NamedSetting,
    /// What it is to be.
    pub value: String,
    /// For whom, where each user has one; `None` for those that the order as a whole is for.
    pub users: Option<Users>,
    /// For people.
    pub note: String,
}

/// A line of an order.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct OrderItem {
    /// Which packages.
    pub what: What,
    /// What is done with them.
    pub way: Way,
    /// For whom; `None` for those that the order as a whole is for.
    pub users: Option<Users>,
    /// A search line that has to find it there.
    pub only_if: Option<String>,
    /// A search line that must not find it there.
    pub unless: Option<String>,
    /// What tied it where the order was made, as [`crate::holds::Judgement::names`] has it; `None` where that was not noted.
    pub holds: Option<BTreeSet<String>>,
    /// It goes whatever the start of the device loses with it.
    pub despite_start: bool,
    /// For people.
    pub note: String,
}

/// Which packages a line is about.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum What {
    /// One, by id.
    Package(PackageId),
    /// What a search line finds among those in use.
    Found(String),
    /// Whoever does something that people need, such as "browser": the active one, or the only one left.
    Role(String),
}

/// By id, by search or by role, as one reads it.
impl fmt::Display for What {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Package(id) => write!(f, "{id}"),
            Self::Found(line) => write!(f, "what “{line}” finds"),
            Self::Role(role) => write!(f, "whoever is the {role}"),
        }
    }
}

/// What is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub enum Way {
    /// Disabling where something leans on it or its user does, else uninstalling: the way that it would be marked with.
    #[default]
    Usual,
    /// This.
    By(Change),
    /// Nothing: it stays, whatever later items say.
    Leave,
}

/// What becomes of what is tied otherwise than where the order was made.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum Otherwise {
    /// It is left in.
    #[default]
    Leave,
    /// It goes.
    TakeOut,
}
named!(Otherwise { Leave => "leave", TakeOut => "take-out" });

/// For whom.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Users {
    /// Everybody on the device but those who are meant to stay unseen.
    All,
    /// These, as far as they are there.
    Some(Vec<UserChoice>),
}

impl Default for Users {
    fn default() -> Self {
        Self::Some(vec![UserChoice::Owner])
    }
}

/// A user, whatever the number is on a device.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub enum UserChoice {
    /// The first person.
    Owner,
    /// The work profile.
    Work,
    /// The one of a number.
    Number(UserId),
    /// The one of a name.
    Named(String),
}

impl fmt::Display for UserChoice {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Owner => f.write_str("owner"),
            Self::Work => f.write_str("work"),
            Self::Number(user) => write!(f, "{user}"),
            Self::Named(name) => f.write_str(name),
        }
    }
}

impl UserChoice {
    /// How a user is called in an order that is made for other devices too.
    pub fn of(user: UserId, inventory: Option<&Inventory>) -> Self {
        let known = inventory.and_then(|inventory| inventory.user(user));
        let first = inventory.map_or(user == UserId::OWNER, |inventory| inventory.is_first(user));
        match known {
            _ if first => Self::Owner,
            Some(User { kind: UserKind::Work, .. }) => Self::Work,
            _ => Self::Number(user),
        }
    }

    fn is(&self, user: &User, inventory: &Inventory) -> bool {
        match self {
            Self::Owner => inventory.is_first(user.id),
            Self::Work => user.kind == UserKind::Work,
            Self::Number(number) => user.id == *number,
            Self::Named(name) => user.name.as_str() == name,
        }
    }
}

impl Users {
    /// The users of a device that are meant, by number, and who is meant and not there.
    pub fn on(&self, inventory: &Inventory) -> (Vec<UserId>, Vec<UserChoice>) {
        match self {
            Self::All => (inventory.users_to_tell(None).map(|user| user.id).collect(), Vec::new()),
            Self::Some(choices) => {
                let mut there = BTreeSet::new();
                let mut missing = Vec::new();
                for choice in choices {
                    let meant = inventory.users.iter().filter(|user| choice.is(user, inventory)).map(|user| user.id);
                    let before = there.len();
                    let found: Vec<UserId> = meant.collect();
                    there.extend(found.iter().copied());
                    if found.is_empty() && before == there.len() {
                        missing.push(choice.clone());
                    }
                }
                (there.into_iter().collect(), missing)
            }
        }
    }
}

impl fmt::Display for Users {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::All => f.write_str("all"),
            Self::Some(choices) => {
                let all: Vec<String> = choices.iter().map(ToString::to_string).collect();
                f.write_str(&all.join(", "))
            }
        }
    }
}

/// What is done when all is done, in this order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct End {
    /// The device is measured before and after.
    pub figures: bool,
    /// It is restarted, and looked at once more.
    pub restart: bool,
    /// So many minutes it is watched for what fails.
    pub watch: Option<u32>,
    /// Debugging is switched off, and this computer forgotten as far as that can be done from here.
    pub close: bool,
}

impl End {
    /// In words, for a plan.
    pub fn words(self) -> Option<String> {
        let watch = self.watch.map(|minutes| format!("watched for {minutes} min"));
        let all: Vec<&str> = [
            self.figures.then_some("measured"),
            self.restart.then_some("restarted and looked at again"),
            watch.as_deref(),
            self.close.then_some("its link is closed"),
        ]
        .into_iter()
        .flatten()
        .collect();
        (!all.is_empty()).then(|| all.join(", "))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn users_are_found_whatever_their_number_is() {
        let users = [
            testing::user(0, "Crew", UserKind::Owner),
            testing::user(10, "Work profile", UserKind::Work),
            testing::user(11, "Pier", UserKind::Full),
            testing::user(12, "", UserKind::Private),
        ];
        let inventory = testing::inventory(&users, []);
        let numbers = |users: &Users| -> Vec<u32> { users.on(&inventory).0.iter().map(|user| user.number()).collect() };
        assert_eq!(numbers(&Users::All), [0, 10, 11], "a private space is nobody's business");
        assert_eq!(numbers(&Users::default()), [0]);
        let some = Users::Some(vec![
            UserChoice::Work,
            UserChoice::Named("Pier".into()),
            UserChoice::Named("Stern".into()),
            UserChoice::Number(UserId::new(0)),
            UserChoice::Owner,
        ]);
        assert_eq!(numbers(&some), [0, 10, 11]);
        assert_eq!(some.on(&inventory).1, [UserChoice::Named("Stern".into())]);
        for (number, called) in
            [(0, UserChoice::Owner), (10, UserChoice::Work), (11, UserChoice::Number(UserId::new(11)))]
        {
            assert_eq!(UserChoice::of(UserId::new(number), Some(&inventory)), called);
        }
        assert_eq!(UserChoice::of(UserId::OWNER, None), UserChoice::Owner);
    }
}
