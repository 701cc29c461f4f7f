//! An update break as an order file, so that another bench can end it.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{BreakId, DeviceId, PackageId, PlainText, Timestamp, UserId};

use super::file::{
    BadOrder, BreakTable, FORMAT, Head, ItemTable, OrderFile, ScopeTable, Text, UserForm, UsersForm, shown,
};
use crate::diagnosis::{BreakItem, UpdateBreak};
use crate::package::PackageState;
use crate::plan::Change;

/// A break as a file.
///
/// # Errors
/// When it cannot be written as TOML, which nothing in it can cause.
pub fn write_break(of: &UpdateBreak) -> Result<String, BadOrder> {
    // What is the same for several users stands there once.
    let mut items: BTreeMap<(&PackageId, Change, String, &BTreeSet<String>), Vec<u32>> = BTreeMap::new();
    for item in &of.items {
        items.entry((&item.id, item.way, item.target.to_string(), &item.holds)).or_default().push(item.user.number());
    }
    let items = items.into_iter().map(|((id, way, target, holds), users)| ItemTable {
        id: Some(id.to_string()),
        way: way.to_string(),
        users: Some(UsersForm::Several(users.into_iter().map(UserForm::Number).collect())),
        back_to: target,
        holds: Some(holds.iter().cloned().collect()),
        ..ItemTable::default()
    });
    let file = OrderFile {
        order: Head {
            format: FORMAT,
            name: format!("Update break of {}", of.device),
            purpose: "everything is back for a system update; ending the break takes this out again".into(),
            ..Head::default()
        },
        scope: ScopeTable::default(),
        update_break: Some(BreakTable {
            device: of.device.to_string(),
            begun: of.begun.0,
            build: of.build.to_string(),
            packages: of.packages.iter().map(ToString::to_string).collect(),
        }),
        installs: Vec::new(),
        settings: Vec::new(),
        items: items.collect(),
        end: Default::default(),
    };
    toml::to_string(&file).map_err(|error| BadOrder::Shape(error.to_string()))
}

/// A break out of a file; it has no number of its own.
///
/// # Errors
/// When it is no order, or one that tells of no break.
pub fn read_break(text: &str) -> Result<UpdateBreak, BadOrder> {
    let read = Text::read(text)?;
    let head = read.file.update_break.as_ref().ok_or(BadOrder::NoBreak)?;
    let device: DeviceId =
        head.device.parse().map_err(|error: wibbet_types::BadId| read.bad("break", None, "device", error))?;
    let packages = head.packages.iter().map(|id| id.parse::<PackageId>());
    let packages =
        packages.collect::<Result<BTreeSet<_>, _>>().map_err(|error| read.bad("break", None, "packages", error))?;
    let mut items = Vec::new();
    for (n, item) in read.file.items.iter().enumerate() {
        let bad = |field, why: &dyn std::fmt::Display| read.bad("item", Some(n), field, why);
        if item.search.is_some() || item.role.is_some() || item.only_if.is_some() || item.unless.is_some() {
            return Err(bad("id", &"an item of a break is a package, and nothing else"));
        }
        let id = item.id.as_deref().unwrap_or_default();
        let id: PackageId = id.parse().map_err(|error: wibbet_types::BadId| bad("id", &error))?;
        let way: Change = item.way.parse().map_err(|error: wibbet_types::BadId| bad("way", &error))?;
        if !way.takes_out() {
            return Err(bad("way", &format!("“{way}” takes nothing out")));
        }
        let target = match item.back_to.as_str() {
            "" => PackageState::IN_USE,
            text => text.parse().map_err(|error: crate::package::BadState| bad("back_to", &error))?,
        };
        // They are shown, and held against others.
        let holds: BTreeSet<String> = item.holds.iter().flatten().map(|hold| shown(hold)).collect();
        let Some(UsersForm::Several(users)) = &item.users else {
            return Err(bad("users", &"an item of a break names its users by number"));
        };
        for user in users {
            let UserForm::Number(user) = user else {
                return Err(bad("users", &"an item of a break names its users by number"));
            };
            let (id, holds) = (id.clone(), holds.clone());
            items.push(BreakItem { id, user: UserId::new(*user), way, target, holds });
        }
    }
    Ok(UpdateBreak {
        number: BreakId::new(0),
        device,
        begun: Timestamp(head.begun),
        build: PlainText::new(&head.build),
        items,
        packages,
        ended: None,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    fn a_break() -> UpdateBreak {
        let item = |id: &str, user, way, hold: &str| BreakItem {
            id: testing::id(id),
            user: UserId::new(user),
            way,
            target: testing::IN_USE,
            holds: [hold.to_owned()].into(),
        };
        UpdateBreak {
            number: BreakId::new(0),
            device: testing::device_id("CT5-0417-2291"),
            begun: Timestamp(1_795_000_000_000),
            build: PlainText::new("CTN5.14.0922"),
            items: vec![
                item("com.corvane.tips", 0, Change::Uninstall, "need a \"b\""),
                item("com.corvane.tips", 10, Change::Uninstall, "need a \"b\""),
                item("com.corvane.wallet", 0, Change::Disable, "role paying"),
            ],
            packages: ["com.corvane.tips", "com.corvane.wallet"].map(testing::id).into(),
            ended: None,
        }
    }

    #[test]
    fn what_is_written_is_read() {
        let text = write_break(&a_break()).unwrap();
        assert!(text.contains("users = [0, 10]") || text.contains("users = [\n"), "{text}");
        assert_eq!(read_break(&text), Ok(a_break()));
    }

    #[test]
    fn what_is_wrong_is_told_with_its_place() {
        let text = write_break(&a_break()).unwrap();
        for (from, to, says) in [
            ("format = 1", "format = 7", "format 7"),
            ("format = 1", "format = ", "line 2"),
            ("way = \"disable\"", "way = \"reinstall\"", "item 2"),
            ("id = \"com.corvane.wallet\"", "id = \"com;reboot\"", "item 2"),
            ("way = \"disable\"", "way = \"melt\"", "item 2"),
            ("[break]", "[brake]", "line"),
        ] {
            assert!(text.contains(from), "{from}: {text}");
            let error = read_break(&text.replacen(from, to, 1)).unwrap_err().to_string();
            assert!(error.contains(says), "{error}");
        }
        assert_eq!(read_break("[order]\nformat = 1\nname = \"x\"\n"), Err(BadOrder::NoBreak));
    }

    proptest! {
        #[test]
        fn any_text_is_read_or_refused(text in ".{0,200}") {
            let _ = read_break(&text);
        }
    }
}
