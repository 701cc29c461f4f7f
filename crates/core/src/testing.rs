//! Builders of devices, packages, inventories and runs, for tests and examples of all crates (feature `testing`).
//!
//! Everything here is plain data with one thing to say; a test changes the field that it is about:
//!
//! ```
//! use wibbet_core::testing;
//! let mut run = testing::run(7, &["com.ostrel.notes"]);
//! run.steps[0].remark = "Android itself protects this package".into();
//! ```
#![allow(clippy::unwrap_used, reason = "what is given is written in the tests")]

use std::collections::BTreeMap;
use std::sync::Arc;

use wibbet_types::{AndroidVersion, CopyId, DeviceId, PackageId, PlainText, RunId, StepIndex, Timestamp, UserId};

use crate::android::{Capabilities, DaemonFeatures};
use crate::device::{DeviceFacts, DeviceKind, Forbidden, User, UserKind};
use crate::holds::{Hold, HoldKind, Sure};
use crate::package::{CopiedFile, Enabled, Essentials, Given, Inventory, KeptCopy, Package, PackageKind, PackageState};
use crate::plan::Change;
use crate::run::{Outcome, Run, RunKind, RunState, Step, StepState};

/// In use.
pub const IN_USE: PackageState = PackageState::IN_USE;

/// Uninstalled for the user; its code is still there.
pub const UNINSTALLED: PackageState = PackageState { installed: false, ..IN_USE };

/// Disabled for the user.
pub const DISABLED: PackageState = PackageState { enabled: Enabled::DisabledUser, ..IN_USE };

/// A package id.
///
/// # Panics
/// When it is none.
pub fn id(text: &str) -> PackageId {
    text.parse().unwrap()
}

/// One of each kind of thing that an app is given.
pub fn every_given() -> Vec<Given> {
    [
        "permission android.permission.CAMERA",
        "role android.app.role.SMS",
        "home com.x/.Home",
        "dialer",
        "keyboard com.x/.Keys",
        "chosen-keyboard com.x/.Keys",
        "listener com.x/com.x.A$B",
        "setting autofill_service com.x/.Fill",
        "accessibility com.x/.Talk",
        "overlay",
        "battery-exempt",
    ]
    .map(|text| text.parse().unwrap())
    .into()
}

/// A hold that nothing shows.
pub fn hold(kind: HoldKind, what: &str, stops: &str, sure: Sure) -> Hold {
    Hold::new(kind, what, stops, sure)
}

/// A device id.
///
/// # Panics
/// When it is none.
pub fn device_id(text: &str) -> DeviceId {
    text.parse().unwrap()
}

/// The crew phone as it tells of itself.
pub fn facts() -> DeviceFacts {
    DeviceFacts {
        id: device_id("CT5-0417-2291"),
        serial: "CT5-0417-2291".parse().unwrap(),
        kind: DeviceKind::Phone,
        build: "CTN5.14.0922".into(),
        android_id: None,
        boot_id: None,
        maker: "Corvane".into(),
        model: "Tarn 5".into(),
        market: PlainText::default(),
        android: AndroidVersion::new(34, "14"),
        patch: "2026-09-05".into(),
    }
}

/// What can be done on an Android of an API level with a daemon that offers everything.
pub fn capabilities(sdk: u32) -> Capabilities {
    Capabilities::new(sdk, DaemonFeatures { abb: true, abb_exec: true, cmd: true })
}

/// A user who is at work.
pub fn user(number: u32, name: &str, kind: UserKind) -> User {
    User {
        id: UserId::new(number),
        name: name.into(),
        kind,
        running: true,
        unlocked: Some(true),
        forbidden: Forbidden::default(),
        admins: Vec::new(),
    }
}

/// A package with a state for each of some users, by number.
pub fn package(text: &str, kind: PackageKind, path: &str, states: &[(u32, PackageState)]) -> Package {
    let states = states.iter().map(|(user, state)| (UserId::new(*user), *state)).collect();
    Package { path: path.parse().ok(), version: "14".into(), ..Package::bare(id(text), kind, states) }
}

/// A copy of a package, with files of 100 bytes each.
pub fn copy(text: &str, files: &[&str]) -> KeptCopy {
    let file = |name: &&str| CopiedFile {
        name: (*name).to_owned(),
        size: 100,
        sha256: "ab".repeat(32),
        from: format!("/data/app/{text}-1/{name}").parse().ok(),
    };
    KeptCopy {
        number: CopyId::new(3),
        device: facts().id,
        run: Some(RunId::new(7)),
        id: id(text),
        version_code: Some(3402),
        version: "14".into(),
        installer: "io.tidewrack.installer".parse().ok(),
        made: Timestamp(1_795_424_820_000),
        folder: "S/7/x".into(),
        files: files.iter().map(file).collect(),
        placed: Vec::new(),
        offered: false,
    }
}

/// Users and packages, with nothing missing.
pub fn inventory(users: &[User], packages: impl IntoIterator<Item = Package>) -> Inventory {
    let packages: BTreeMap<_, _> =
        packages.into_iter().map(|package| (package.id.clone(), Arc::new(package))).collect();
    Inventory { users: users.to_vec(), packages, essential: Essentials::default(), gaps: Vec::new() }
}

/// A step that uninstalls a package for the owner and has not been sent.
pub fn step(index: usize, text: &str) -> Step {
    Step {
        index: StepIndex::new(index),
        id: id(text),
        user: UserId::OWNER,
        way: Change::Uninstall,
        words: format!("package uninstall --user 0 {text}"),
        before: IN_USE,
        target: None,
        apk: None,
        copy: None,
        start: None,
        for_good: false,
        given: Vec::new(),
        returned: None,
        order: 0,
        state: StepState::Waiting,
        answer: None,
        after: None,
        outcome: None,
        settled: None,
        remark: String::new(),
    }
}

/// A step that has ended.
pub fn settled(index: usize, text: &str, outcome: Outcome) -> Step {
    Step {
        state: StepState::Settled,
        answer: Some(PlainText::new("Success")),
        after: Some(if outcome == Outcome::Done { UNINSTALLED } else { IN_USE }),
        outcome: Some(outcome),
        ..step(index, text)
    }
}

/// A run on the crew phone that takes out some packages; it is open, and nothing has been sent.
pub fn run(number: i64, ids: &[&str]) -> Run {
    // 23 November 2026, 09:07 UTC.
    let time = Timestamp(1_795_424_820_000);
    Run {
        figures: [None, None],
        seen_after: Vec::new(),
        taken_in: None,
        not_understood: Vec::new(),
        on_refusal: crate::plan::OnRefusal::default(),
        order: String::new(),
        names: Default::default(),
        missed: None,
        job: crate::plan::Job::default(),
        number: RunId::new(number),
        device: facts().id,
        kind: RunKind::TakeOut,
        state: RunState::Open,
        begun: time,
        touched: time,
        steps: ids.iter().enumerate().map(|(index, text)| step(index, text)).collect(),
    }
}

/// What a phone with Android 14 prints when it is surveyed: one package, disabled for nobody.
#[derive(Debug, Clone, Copy)]
pub struct Printed {
    /// `list users`.
    pub users: &'static str,
    /// `dumpsys package packages`.
    pub dump: &'static str,
    /// `list packages -f -u --user 0`.
    pub list: &'static str,
    /// `dumpsys package com.ostrel.notes`, once it has been disabled.
    pub dump_after: &'static str,
}

/// A phone in print.
pub const PHONE: Printed = Printed {
    users: "Users:\n\tUserInfo{0:Crew:c13} running\n",
    dump: "Packages:\n  Package [com.ostrel.notes] (7d3c1f2):\n    codePath=/product/app/Notes\n    versionName=14\n    \
           flags=[ SYSTEM HAS_CODE ALLOW_BACKUP ]\n    User 0: ceDataInode=4711 installed=true hidden=false suspended=false \
           stopped=false notLaunched=false enabled=0 instant=false virtual=false\n",
    list: "package:/product/app/Notes/Notes.apk=com.ostrel.notes\n",
    dump_after: "Packages:\n  Package [com.ostrel.notes] (7d3c1f2):\n    codePath=/product/app/Notes\n    User 0: \
                 ceDataInode=4711 installed=true hidden=false suspended=false stopped=true notLaunched=false enabled=3\n",
};
