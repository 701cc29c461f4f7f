//! Settings of devices that orders set.

use serde::Serialize;
use wibbet_bench::run::{SettingBack, SettingFate, SettingHeld};
use wibbet_core::ask::NamedSetting;
use wibbet_core::run::SettingChange;
use wibbet_types::{DeviceId, UserId};

use super::run::time;

/// A setting, and what becomes or became of it.
#[derive(Serialize)]
pub(super) struct JsonSetting {
    table: &'static str,
    name: String,
    /// Whose it is; nothing for what is of the device, and where the order names somebody who is not there.
    user: Option<u32>,
    /// What it was; null where it was not set, or is not known.
    before: Option<String>,
    /// What it is to be; null where it is to be taken away.
    wanted: Option<String>,
    /// `to-set`, `already-so`, `stays`; `sent`, `done`, `not-done`.
    state: &'static str,
    words: String,
}

fn user_of(setting: &NamedSetting, user: Option<UserId>) -> Option<u32> {
    user.filter(|_| setting.is_of_a_user()).map(UserId::number)
}

impl JsonSetting {
    pub(super) fn held(one: &SettingHeld) -> Self {
        let (before, state) = match &one.fate {
            SettingFate::Goes(before) => (before.clone(), "to-set"),
            SettingFate::AlreadySo => (Some(one.wanted.clone()), "already-so"),
            SettingFate::Stays(_) => (None, "stays"),
        };
        Self {
            table: one.setting.table().name(),
            name: one.setting.name().to_owned(),
            user: user_of(&one.setting, one.user),
            before,
            wanted: Some(one.wanted.clone()),
            state,
            words: one.words(),
        }
    }

    pub(super) fn sent(change: &SettingChange) -> Self {
        Self {
            table: change.setting.table().name(),
            name: change.setting.name().to_owned(),
            user: user_of(&change.setting, Some(change.user)),
            before: change.before.clone(),
            wanted: change.wanted.clone(),
            state: change.state.name(),
            words: change.remark.clone(),
        }
    }
}

#[derive(Serialize)]
struct JsonChange {
    #[serde(flatten)]
    setting: JsonSetting,
    order: String,
    run: Option<i64>,
    at: String,
    /// Whether it put back what was set before.
    undoes: bool,
    /// When it was put back.
    back: Option<String>,
}

#[derive(Serialize)]
struct JsonBack {
    table: &'static str,
    name: String,
    user: Option<u32>,
    to: Option<String>,
    done: bool,
    why: String,
}

/// What orders have set on a device.
#[derive(Serialize)]
pub(crate) struct DeviceSettings {
    device: String,
    settings: Vec<JsonChange>,
    /// What became of putting it back; null where that was not wanted.
    put_back: Option<Vec<JsonBack>>,
}

impl DeviceSettings {
    pub(crate) fn of(device: &DeviceId, all: &[SettingChange], back: Option<&[SettingBack]>) -> Self {
        let change = |change: &SettingChange| JsonChange {
            setting: JsonSetting::sent(change),
            order: change.order.clone(),
            run: change.run.map(|run| run.number()),
            at: time(change.at),
            undoes: change.undoes,
            back: change.back.map(time),
        };
        let one = |one: &SettingBack| JsonBack {
            table: one.goal.setting.table().name(),
            name: one.goal.setting.name().to_owned(),
            user: user_of(&one.goal.setting, Some(one.goal.user)),
            to: one.goal.to.clone(),
            done: one.done,
            why: one.why.clone(),
        };
        Self {
            device: device.to_string(),
            settings: all.iter().map(change).collect(),
            put_back: back.map(|all| all.iter().map(one).collect()),
        }
    }
}
