//! Settings of the device that an order sets, and putting them back.

use wibbet_core::ask::NamedSetting;
use wibbet_core::order::Order;
use wibbet_core::package::Inventory;
use wibbet_core::run::{SettingChange, SettingGoal, SettingState, settings_to_put_back, value_words, why_not_set};
use wibbet_types::{DeviceId, RunId, Timestamp, UserId};

use super::error::RunError;
use crate::device::{AdbDevice, AskError, Device};
use crate::logbook::{SharedLogbook, now};
use crate::ops::claim;
use crate::workplace::Workplace;

/// A setting of an order, as a device has it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SettingHeld {
    /// Which one of the order's, from 0 on.
    pub of: usize,
    /// Whose it is on the device; `None` where the order names a user who is not there.
    pub user: Option<UserId>,
    /// Which one.
    pub setting: NamedSetting,
    /// What the order wants.
    pub wanted: String,
    /// For people.
    pub note: String,
    /// What becomes of it.
    pub fate: SettingFate,
}

/// What becomes of a setting of an order on a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SettingFate {
    /// It is set; it is this now, or was never set.
    Goes(Option<String>),
    /// It is so already.
    AlreadySo,
    /// It stays; why.
    Stays(String),
}

impl SettingHeld {
    /// What becomes of it, in words.
    pub fn words(&self) -> String {
        match &self.fate {
            SettingFate::Goes(before) => format!("{} → {}", value_words(before.as_deref()), self.wanted),
            SettingFate::AlreadySo => format!("is {} already", self.wanted),
            SettingFate::Stays(why) => format!("stays: {why}"),
        }
    }

    /// Whether it is sent.
    pub fn is_to_set(&self) -> bool {
        matches!(self.fate, SettingFate::Goes(_))
    }

    /// The words that go to the device.
    pub fn command(&self) -> String {
        self.setting.put(self.user.unwrap_or(UserId::OWNER), Some(&self.wanted)).command()
    }
}

/// What a setting is now, or why that is not known.
async fn read<D: Device>(
    device: &D,
    setting: &NamedSetting,
    user: UserId,
) -> Result<Result<Option<String>, String>, AskError> {
    Ok(NamedSetting::read(&device.ask(&setting.get(user), &mut |_| {}).await?))
}

/// Holds the settings of an order against a device: what each is now.
///
/// # Errors
/// When the device cannot be asked.
pub async fn hold_settings<D: Device>(
    device: &D,
    order: &Order,
    inventory: &Inventory,
) -> Result<Vec<SettingHeld>, AskError> {
    let mut held = Vec::new();
    for (n, one) in order.settings.iter().enumerate() {
        let (users, missing) = match one.setting.is_of_a_user() {
            true => one.users.as_ref().unwrap_or(&order.users).on(inventory),
            false => (vec![UserId::OWNER], Vec::new()),
        };
        let of = |user, fate| SettingHeld {
            of: n,
            user,
            setting: one.setting.clone(),
            wanted: one.value.clone(),
            note: one.note.clone(),
            fate,
        };
        for user in users {
            let fate = match read(device, &one.setting, user).await? {
                Ok(Some(value)) if value == one.value => SettingFate::AlreadySo,
                Ok(value) => SettingFate::Goes(value),
                // What it was could not be put back.
                Err(why) => SettingFate::Stays(why),
            };
            held.push(of(Some(user), fate));
        }
        held.extend(missing.iter().map(|who| of(None, SettingFate::Stays(format!("there is no user “{who}”")))));
    }
    Ok(held)
}

/// Sends one, written down before, and reads it back.
async fn set<D: Device>(
    book: &SharedLogbook,
    device: &D,
    mut change: SettingChange,
) -> Result<SettingChange, RunError> {
    let noted = change.clone();
    change.number = book.with(move |book| book.begin_setting(&noted)).await?;
    let request = change.setting.put(change.user, change.wanted.as_deref());
    let said = device.ask(&request, &mut |_| {}).await.map_err(RunError::Ask)?;
    settle(book, device, change, &said.text()).await
}

/// Reads one back, and writes down what came of it.
async fn settle<D: Device>(
    book: &SharedLogbook,
    device: &D,
    mut change: SettingChange,
    said: &str,
) -> Result<SettingChange, RunError> {
    let found = read(device, &change.setting, change.user).await.map_err(RunError::Ask)?;
    let (state, mut remark) = change.settled(&found);
    let said = why_not_set(said);
    if state == SettingState::NotDone && !said.is_empty() {
        remark = format!("{remark}: {said}");
    }
    (change.state, change.remark) = (state, remark.clone());
    let number = change.number;
    book.with(move |book| book.settle_setting(number, (state, &remark), now())).await?;
    Ok(change)
}

/// What was set on a device, with what was left open read back first. The device is not changed.
///
/// # Errors
/// When the device cannot be asked, or the logbook cannot be written.
pub async fn settings_of<D: Device>(
    book: &SharedLogbook,
    device: &D,
    id: &DeviceId,
) -> Result<Vec<SettingChange>, RunError> {
    let of = id.clone();
    let mut all = book.with(move |book| book.settings(&of)).await?;
    let mut settled = false;
    for change in all.iter().filter(|change| change.state == SettingState::Sent) {
        settle(book, device, change.clone(), "").await?;
        settled = true;
    }
    if settled {
        let of = id.clone();
        all = book.with(move |book| book.settings(&of)).await?;
    }
    Ok(all)
}

/// Sets what an order wants to be set, one after the other; ends early where `enough` says so.
///
/// # Errors
/// When another program is at work on the device, it cannot be asked, or the logbook cannot be written. What was sent by then is written
/// down, and read back the next time.
pub async fn set_settings(
    workplace: &Workplace,
    device: &AdbDevice,
    (order, run): (&str, Option<RunId>),
    held: &[SettingHeld],
    enough: impl Fn() -> bool,
) -> Result<Vec<SettingChange>, RunError> {
    let Some(facts) = device.facts() else { return Ok(Vec::new()) };
    let _claimed = claim(workplace, device)?;
    settings_of(&workplace.book, device, &facts.id).await?;
    let mut done = Vec::new();
    for one in held {
        let (SettingFate::Goes(_), Some(user), false) = (&one.fate, one.user, enough()) else { continue };
        // What it is at this moment is what it goes back to, however long ago it was shown.
        let before = read(device, &one.setting, user).await.map_err(RunError::Ask)?;
        let change = SettingChange {
            run,
            order: order.to_owned(),
            note: one.note.clone(),
            ..bare(&facts.id, user, &one.setting, None, Some(one.wanted.clone()))
        };
        match before {
            Ok(before) => done.push(set(&workplace.book, device, SettingChange { before, ..change }).await?),
            Err(why) => done.push(SettingChange { state: SettingState::NotDone, remark: why, ..change }),
        }
    }
    Ok(done)
}

/// What became of putting a setting back.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SettingBack {
    /// Which one, and what it was before.
    pub goal: SettingGoal,
    /// Whether it is so now.
    pub done: bool,
    /// Why not.
    pub why: String,
}

/// Puts back what orders have set on a device, the last one first, each read back. What is neither as it was set nor as it was before has been
/// set by somebody else since, and stays.
///
/// # Errors
/// As [`set_settings`].
pub async fn put_settings_back(workplace: &Workplace, device: &AdbDevice) -> Result<Vec<SettingBack>, RunError> {
    let Some(facts) = device.facts() else { return Ok(Vec::new()) };
    let _claimed = claim(workplace, device)?;
    let mut goals = settings_to_put_back(&settings_of(&workplace.book, device, &facts.id).await?);
    goals.reverse();
    let mut all = Vec::new();
    for goal in goals {
        let (done, why) = match read(device, &goal.setting, goal.user).await.map_err(RunError::Ask)? {
            Err(why) => (false, why),
            Ok(now) if now != goal.from && now != goal.to => {
                (false, format!("somebody has set it to {} since", value_words(now.as_deref())))
            }
            // One that is so already is written down as put back, too.
            Ok(now) => {
                let change = bare(&facts.id, goal.user, &goal.setting, now, goal.to.clone());
                let change = set(&workplace.book, device, SettingChange { undoes: true, ..change }).await?;
                (change.state == SettingState::Done, change.remark)
            }
        };
        all.push(SettingBack { goal, done, why });
    }
    Ok(all)
}

fn bare(
    device: &DeviceId,
    user: UserId,
    setting: &NamedSetting,
    before: Option<String>,
    wanted: Option<String>,
) -> SettingChange {
    SettingChange {
        number: 0,
        device: device.clone(),
        run: None,
        order: String::new(),
        note: String::new(),
        user,
        setting: setting.clone(),
        before,
        wanted,
        state: SettingState::Sent,
        remark: String::new(),
        at: now(),
        undoes: false,
        back: None::<Timestamp>,
    }
}
