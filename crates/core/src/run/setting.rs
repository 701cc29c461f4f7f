//! Settings of a device that orders have set: what was, what was wanted, and what it is now.

use wibbet_types::{DeviceId, PlainText, RunId, Timestamp, UserId, named};

use super::refusal::Refusal;
use crate::ask::NamedSetting;

/// How far setting one has got.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum SettingState {
    /// It was sent, and not read back yet.
    Sent,
    /// It was read back as wanted.
    Done,
    /// It was read back, and is not as wanted.
    NotDone,
}
named!(SettingState { Sent => "sent", Done => "done", NotDone => "not-done" });

impl SettingState {
    /// In words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Sent => "sent, not read back",
            Self::Done => "set",
            Self::NotDone => "not set",
        }
    }
}

/// A setting that was set, or put back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SettingChange {
    /// Its number in the logbook.
    pub number: i64,
    /// The device.
    pub device: DeviceId,
    /// The run that it came with, where there was one.
    pub run: Option<RunId>,
    /// The name of the order; empty where it was put back.
    pub order: String,
    /// What it is for, in the order's words; empty where that says nothing.
    pub note: String,
    /// Whose it is; the owner for what is of the device.
    pub user: UserId,
    /// Which one.
    pub setting: NamedSetting,
    /// What it was; `None` where it was never set.
    pub before: Option<String>,
    /// What it was to be; `None` where it was to be taken away.
    pub wanted: Option<String>,
    /// How far it has got.
    pub state: SettingState,
    /// What the device said where it is not so.
    pub remark: String,
    /// When it was sent.
    pub at: Timestamp,
    /// Whether it puts back what was set before.
    pub undoes: bool,
    /// When what it did was put back.
    pub back: Option<Timestamp>,
}

impl SettingChange {
    /// What a look at the device afterwards makes of it.
    pub fn settled(&self, read: &Result<Option<String>, String>) -> (SettingState, String) {
        match read {
            Ok(now) if *now == self.wanted => (SettingState::Done, String::new()),
            Ok(now) if *now == self.before => (SettingState::NotDone, "the device left it as it was".into()),
            Ok(now) => (SettingState::NotDone, format!("it is {} now", value_words(now.as_deref()))),
            Err(why) => (SettingState::Sent, format!("it could not be read back: {why}")),
        }
    }

    /// What was and what was wanted, in words.
    pub fn words(&self) -> String {
        let (from, to) = (value_words(self.before.as_deref()), value_words(self.wanted.as_deref()));
        format!("{}: {from} → {to}", self.name())
    }

    /// What people call it, where the order says that, and its own name.
    pub fn name(&self) -> String {
        match self.note.as_str() {
            "" => self.setting.to_string(),
            note => format!("{note} ({})", self.setting),
        }
    }
}

/// Why a device did not set what was asked for, out of what it says; nothing where it says nothing.
pub fn why_not_set(said: &str) -> String {
    // Source: `SettingsProvider.enforceWritePermission`.
    if said.contains("android.permission.WRITE_SECURE_SETTINGS") {
        return format!("{}; {}", Refusal::SecondSwitch.meaning(), Refusal::SecondSwitch.advice());
    }
    let lines = || said.lines().map(str::trim).filter(|line| !line.is_empty());
    let exception = lines().find_map(|line| line.split_once("Exception: ").map(|(_, words)| words));
    let words = exception.or_else(|| lines().next()).unwrap_or_default();
    if words.is_empty() { String::new() } else { format!("it says: {}", PlainText::new(words)) }
}

/// A value of a setting, in words.
pub fn value_words(value: Option<&str>) -> String {
    match value {
        None => "not set".into(),
        Some("") => "empty".into(),
        Some(value) => value.into(),
    }
}

/// A setting that can be put back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SettingGoal {
    /// Whose.
    pub user: UserId,
    /// Which one.
    pub setting: NamedSetting,
    /// What it was before an order set it; `None` where it was not set.
    pub to: Option<String>,
    /// What it is as far as is known from here.
    pub from: Option<String>,
    /// The orders that have set it, the first one first.
    pub orders: Vec<String>,
}

/// What can be put back of what was set on a device, in the order in which it was set. What was put back already, and what the device
/// never took, is no part of it.
pub fn settings_to_put_back(changes: &[SettingChange]) -> Vec<SettingGoal> {
    let mut goals: Vec<SettingGoal> = Vec::new();
    for change in changes.iter().filter(|c| !c.undoes && c.back.is_none() && c.state != SettingState::NotDone) {
        match goals.iter_mut().find(|goal| (goal.user, &goal.setting) == (change.user, &change.setting)) {
            Some(goal) => {
                goal.from.clone_from(&change.wanted);
                if !goal.orders.contains(&change.order) {
                    goal.orders.push(change.order.clone());
                }
            }
            None => goals.push(SettingGoal {
                user: change.user,
                setting: change.setting.clone(),
                to: change.before.clone(),
                from: change.wanted.clone(),
                orders: vec![change.order.clone()],
            }),
        }
    }
    goals
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::ask::SettingsTable;

    fn change(name: &str, before: Option<&str>, wanted: Option<&str>, state: SettingState) -> SettingChange {
        SettingChange {
            number: 1,
            device: "CT5-0417-2291".parse().unwrap(),
            run: None,
            order: "Crew".into(),
            note: String::new(),
            user: UserId::OWNER,
            setting: NamedSetting::new(SettingsTable::Global, name).unwrap(),
            before: before.map(str::to_owned),
            wanted: wanted.map(str::to_owned),
            state,
            remark: String::new(),
            at: Timestamp(1),
            undoes: false,
            back: None,
        }
    }

    #[test]
    fn a_look_afterwards_settles_it() {
        let sent = change("x", None, Some("1"), SettingState::Sent);
        assert_eq!(sent.settled(&Ok(Some("1".into()))).0, SettingState::Done);
        assert_eq!(sent.settled(&Ok(None)), (SettingState::NotDone, "the device left it as it was".into()));
        assert_eq!(sent.settled(&Ok(Some("2".into()))), (SettingState::NotDone, "it is 2 now".into()));
        assert_eq!(sent.settled(&Err("no".into())).0, SettingState::Sent);
        assert_eq!(sent.words(), "global x: not set → 1");
        assert_eq!(SettingChange { note: "Quick".into(), ..sent.clone() }.words(), "Quick (global x): not set → 1");
        let denied = "\nException occurred while executing 'put':\njava.lang.SecurityException: Permission denial: writing to settings requires:android.permission.WRITE_SECURE_SETTINGS\n\tat x.y(Z.java:1)";
        assert!(why_not_set(denied).contains("second switch"), "{}", why_not_set(denied));
        let other =
            "Exception occurred while executing 'put':\njava.lang.IllegalArgumentException: Invalid value: 'x'\n\tat x";
        assert_eq!(why_not_set(other), "it says: Invalid value: 'x'");
        assert_eq!((why_not_set("no\u{1b}[2J").as_str(), why_not_set(" \n")), ("it says: no␛[2J", String::new()));
    }

    #[test]
    fn what_was_set_twice_goes_back_to_what_was_before_both() {
        let mut all = vec![
            change("x", Some("0"), Some("1"), SettingState::Done),
            change("y", None, Some("1"), SettingState::NotDone),
            change("x", Some("1"), Some("2"), SettingState::Sent),
            change("z", None, Some("3"), SettingState::Done),
        ];
        all[2].order = "Pier".into();
        let goals = settings_to_put_back(&all);
        let told: Vec<_> = goals.iter().map(|g| (g.setting.name(), g.to.as_deref(), g.from.as_deref())).collect();
        assert_eq!(told, [("x", Some("0"), Some("2")), ("z", None, Some("3"))]);
        assert_eq!(goals[0].orders, ["Crew", "Pier"]);
        all.iter_mut().for_each(|change| change.back = Some(Timestamp(2)));
        assert_eq!(settings_to_put_back(&all), []);
    }
}
