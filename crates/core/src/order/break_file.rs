//! An update break as an order file, so that another bench can end it.

use std::collections::{BTreeMap, BTreeSet};

use serde::{Deserialize, Serialize};
use wibbet_types::{BreakId, DeviceId, PackageId, PlainText, Timestamp, UserId};

use crate::diagnosis::{BreakItem, UpdateBreak};
use crate::package::PackageState;
use crate::plan::Change;

/// The version of the format.
const FORMAT: u32 = 1;

/// A file that is no order, or not one that is asked for.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
pub enum BadOrder {
    /// It is not TOML of the right shape; the words say at which line and column.
    #[error("the order cannot be read: {0}")]
    Shape(String),
    /// Another version of the format.
    #[error("the order is of format {0}, and this Wibbet reads format {FORMAT}")]
    Format(u32),
    /// Something in it cannot be.
    #[error("item {place} of the order cannot be used: {why}")]
    Item {
        /// Which one, from 1 on.
        place: usize,
        /// Why.
        why: String,
    },
    /// It tells of no update break.
    #[error("the order tells of no update break: it has no [break]")]
    NoBreak,
    /// What it says of the break cannot be.
    #[error("the [break] of the order cannot be used: {0}")]
    Break(String),
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct OrderFile {
    order: Head,
    #[serde(rename = "break", skip_serializing_if = "Option::is_none")]
    update_break: Option<BreakHead>,
    #[serde(default, rename = "item")]
    items: Vec<Item>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Head {
    format: u32,
    name: String,
    #[serde(default)]
    purpose: String,
}

/// What is so of a break alone.
#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct BreakHead {
    device: String,
    /// Milliseconds since 1970.
    begun: i64,
    build: String,
    /// The packages of the system that the device had.
    packages: Vec<String>,
}

#[derive(Serialize, Deserialize)]
#[serde(deny_unknown_fields)]
struct Item {
    id: String,
    way: String,
    users: Vec<u32>,
    /// The state that it comes back to.
    #[serde(default, skip_serializing_if = "String::is_empty")]
    back_to: String,
    /// What tied it when the break began.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    holds: Vec<String>,
}

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
    let items = items.into_iter().map(|((id, way, target, holds), users)| Item {
        id: id.to_string(),
        way: way.to_string(),
        users,
        back_to: target,
        holds: holds.iter().cloned().collect(),
    });
    let file = OrderFile {
        order: Head {
            format: FORMAT,
            name: format!("Update break of {}", of.device),
            purpose: "everything is back for a system update; ending the break takes this out again".into(),
        },
        update_break: Some(BreakHead {
            device: of.device.to_string(),
            begun: of.begun.0,
            build: of.build.to_string(),
            packages: of.packages.iter().map(ToString::to_string).collect(),
        }),
        items: items.collect(),
    };
    toml::to_string(&file).map_err(|error| BadOrder::Shape(error.to_string()))
}

/// A break out of a file; it has no number of its own.
///
/// # Errors
/// When it is no order, or one that tells of no break.
pub fn read_break(text: &str) -> Result<UpdateBreak, BadOrder> {
    let file: OrderFile = toml::from_str(text).map_err(|error| BadOrder::Shape(error.to_string()))?;
    if file.order.format != FORMAT {
        return Err(BadOrder::Format(file.order.format));
    }
    let head = file.update_break.ok_or(BadOrder::NoBreak)?;
    let device: DeviceId = head.device.parse().map_err(|error| BadOrder::Break(format!("{error}")))?;
    let packages = head.packages.iter().map(|id| id.parse::<PackageId>());
    let packages = packages.collect::<Result<BTreeSet<_>, _>>().map_err(|error| BadOrder::Break(error.to_string()))?;
    let mut items = Vec::new();
    for (place, item) in file.items.into_iter().enumerate() {
        let bad = |why: String| BadOrder::Item { place: place + 1, why };
        let id: PackageId = item.id.parse().map_err(|error| bad(format!("{error}")))?;
        let way: Change = item.way.parse().map_err(|error| bad(format!("{error}")))?;
        if !way.takes_out() {
            return Err(bad(format!("“{way}” takes nothing out")));
        }
        let target = match item.back_to.as_str() {
            "" => PackageState::IN_USE,
            text => text.parse().map_err(|error| bad(format!("{error}")))?,
        };
        // They are shown, and held against others.
        let plain = |hold: &String| PlainText::new(hold).into_string().replace(['\t', '\n'], " ");
        let holds: BTreeSet<String> = item.holds.iter().map(plain).collect();
        for user in item.users {
            items.push(BreakItem { id: id.clone(), user: UserId::new(user), way, target, holds: holds.clone() });
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
