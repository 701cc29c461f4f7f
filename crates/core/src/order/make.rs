//! Orders made of what was done on a device, or is chosen on one.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, UserId};

use super::order::{Order, OrderItem, UserChoice, Users, Way, What};
use crate::device::DeviceFacts;
use crate::diagnosis::BreakItem;
use crate::package::Inventory;
use crate::plan::Change;
use crate::run::{Outcome, Run};

/// A package that an order is made of.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Made {
    /// The package.
    pub id: PackageId,
    /// For whom.
    pub user: UserId,
    /// The way in which it went, or is to go.
    pub way: Change,
    /// What ties it, or would if it were there, as [`crate::holds::Judgement::names`] has it; `None` where that is not known.
    pub holds: Option<BTreeSet<String>>,
    /// The name that people know it by, for the note; empty where none was read.
    pub label: String,
}

impl Made {
    /// What a run has done. What would tie its packages if they were back is told by `off`, as far as they are off still; `label` gives
    /// the names that people know, where the run noted none.
    pub fn of_run(run: &Run, off: &[BreakItem], label: impl Fn(&PackageId) -> String) -> Vec<Self> {
        let done = run.steps.iter().filter(|step| step.outcome == Some(Outcome::Done) && step.way.is_a_way());
        let made = done.map(|step| Self {
            id: step.id.clone(),
            user: step.user,
            way: step.way,
            holds: off.iter().find(|item| item.id == step.id && item.user == step.user).map(|item| item.holds.clone()),
            label: run.names.get(&step.id).map_or_else(|| label(&step.id), ToString::to_string),
        });
        made.collect()
    }

    /// What is off.
    pub fn of_off(off: Vec<BreakItem>, label: impl Fn(&PackageId) -> String) -> Vec<Self> {
        let made = off.into_iter().map(|item| Self {
            label: label(&item.id),
            id: item.id,
            user: item.user,
            way: item.way,
            holds: Some(item.holds),
        });
        made.collect()
    }
}

impl Order {
    /// Notes when and on what it was made.
    pub fn made_on(&mut self, day: &str, facts: &DeviceFacts) {
        self.made = format!("{day} on {} ({}, {})", facts.name(), facts.android, facts.build);
    }

    /// An order that does to other devices what was done to this one. Users are called by what they are, as far as `inventory` tells;
    /// what is the same for several of them stands there once.
    pub fn of(name: &str, those: impl IntoIterator<Item = Made>, inventory: Option<&Inventory>) -> Self {
        let mut items: Vec<OrderItem> = Vec::new();
        for one in those {
            let user = UserChoice::of(one.user, inventory);
            let what = What::Package(one.id);
            let same = items.iter_mut().find(|item| item.what == what && item.way == Way::By(one.way));
            match same {
                Some(item) => {
                    if let Some(Users::Some(users)) = &mut item.users
                        && !users.contains(&user)
                    {
                        users.push(user);
                    }
                    item.holds = item.holds.take().zip(one.holds).map(|(mut all, own)| {
                        all.extend(own);
                        all
                    });
                }
                None => items.push(OrderItem {
                    what,
                    way: Way::By(one.way),
                    users: Some(Users::Some(vec![user])),
                    only_if: None,
                    unless: None,
                    holds: one.holds,
                    despite_start: false,
                    note: one.label,
                }),
            }
        }
        let mut order = Self { name: name.to_owned(), items, ..Self::default() };
        // What all of them say is said once.
        if let Some(first) = order.items.first().and_then(|item| item.users.clone())
            && order.items.iter().all(|item| item.users.as_ref() == Some(&first))
        {
            order.users = first;
            order.items.iter_mut().for_each(|item| item.users = None);
        }
        order
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::order::{read_order, write_order};
    use crate::testing;

    #[test]
    fn what_is_the_same_for_several_stands_there_once() {
        let users = [testing::user(0, "Crew", UserKind::Owner), testing::user(10, "Work", UserKind::Work)];
        let inventory = testing::inventory(&users, []);
        let made = |id: &str, user, way, hold: Option<&str>| Made {
            id: testing::id(id),
            user: UserId::new(user),
            way,
            holds: hold.map(|hold| [hold.to_owned()].into()),
            label: "Tips".into(),
        };
        let those = [
            made("com.a.tips", 0, Change::Uninstall, Some("need x")),
            made("com.a.wallet", 0, Change::Disable, None),
            made("com.a.tips", 10, Change::Uninstall, Some("role home")),
        ];
        let order = Order::of("Crew", those.clone(), Some(&inventory));
        assert_eq!(order.items.len(), 2);
        let both = Users::Some(vec![UserChoice::Owner, UserChoice::Work]);
        assert_eq!(order.items[0].users, Some(both));
        assert_eq!(order.items[0].holds.as_ref().map(BTreeSet::len), Some(2));
        assert_eq!(order.items[1].holds, None);
        assert_eq!(read_order(&write_order(&order)), Ok(order));
        let one = Order::of("Crew", those.into_iter().take(2), Some(&inventory));
        assert_eq!((one.users, one.items[0].users.as_ref()), (Users::default(), None));
    }
}
