//! What is going to be done, step by step, and whether each step can be undone.

use std::collections::BTreeSet;
use std::fmt;

use wibbet_types::{DevicePath, PackageId, UserId, bytes_words, named};

use super::change::Change;
use super::terms::Terms;
use crate::android::{Capabilities, Essential};
use crate::package::{Given, KeptCopy, PackageState, given_words, system_folder};
use crate::read::{install_words, place_requests, take_away_request};

/// Whether a step can be undone on this device, known before it is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Reversal {
    /// Yes, to exactly the recorded state, the app's data included.
    Exact,
    /// Yes, but not to exactly the recorded state.
    Approximate(&'static str),
    /// Not from here, for this reason.
    Impossible(&'static str),
}

impl Reversal {
    /// The app comes back, and not what its user had in it. Special access is what Android calls so in its settings: drawing over
    /// other apps and the like, which is granted there by hand.
    pub const WITHOUT_DATA: Self = Self::Approximate("it comes back without its data, accounts and special access");

    /// As [`Reversal::WITHOUT_DATA`], from the copy that is kept on this computer.
    pub const FROM_COPY: Self = Self::Approximate(
        "it comes back from the copy that is kept on this computer, without its data, accounts and special access",
    );

    /// What was removed from the system.
    pub const FROM_SYSTEM_COPY: Self = Self::Approximate(
        "it goes for everybody when the device starts the next time, and comes back the same way: to its place, from the copy that is kept on this computer, without its data and what it was given; an update of the system may refuse to install over it, or bring it back",
    );

    /// As [`Reversal::WITHOUT_DATA`]; parts that it has switched off or on itself are as its manifest has them again.
    pub const WITHOUT_DATA_AND_PARTS: Self = Self::Approximate(
        "it comes back without its data, accounts and special access, and parts of it that are off now may be on again",
    );
}

/// What becomes of an app's data for the user when a step is done.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum AppData {
    /// They stay.
    Stay,
    /// They go with it, and do not come back.
    Go,
    /// They go when the device starts the next time.
    GoAtNextStart,
}

named!(AppData { Stay => "stay", Go => "go", GoAtNextStart => "go-at-next-start" });

/// Why a step is not sent.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum SkipReason {
    /// It is so already.
    AlreadySo,
    /// The package is not on the device.
    NotOnDevice,
    /// The user is not on the device.
    NoSuchUser,
    /// Android does not do without it, and could not be helped from here.
    Essential(Essential),
    /// The device did not tell its state, or not in a way that can be relied on.
    Unreadable,
    /// A package that is not installed cannot be disabled.
    NotInstalled,
    /// This version cannot uninstall for one user.
    NotPerUser,
    /// The shell has not got the permission to enable and disable.
    MayNotDisable,
    /// The shell of this version may not suspend.
    MayNotSuspend,
    /// This version keeps no app from working in the background.
    MayNotQuieten,
    /// This version clears no app's cache alone.
    MayNotClearCache,
    /// It is a library, which goes by itself.
    Library,
    /// Whoever manages the user has forbidden debugging for it.
    NoDebugging,
    /// Whoever manages the user has forbidden that.
    Forbidden,
    /// It is an active device administrator there, which Android does not uninstall.
    Administrator,
    /// Another app has suspended it, and only that one takes it back.
    SuspendedByOther,
    /// Its user has archived it: installing what is on the device does not bring its code back.
    Archived,
    /// It could not be undone, and that was not asked for.
    NoWayBack,
    /// The start of the device loses something with it, and that was not asked for.
    Start(u8),
    /// There is no way to put it back from here.
    NeedsApk,
    /// Leaving the state takes root.
    NeedsRoot,
    /// The way takes root, which nobody has asked for, or the device does not give.
    TakesRoot,
    /// It has no folder of its own on a partition of the system, or an update over what is there.
    NotOfTheSystem,
    /// It would go for everybody, and somebody else than the first user was named.
    ForEverybody,
}

impl fmt::Display for SkipReason {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(match self {
            Self::Essential(what @ (Essential::Android | Essential::Shell | Essential::Ground)) => {
                return write!(f, "never taken out: {}", what.words());
            }
            Self::Essential(what) => {
                return write!(
                    f,
                    "never taken out: {}, and without it Android does not start; only a factory reset would help then",
                    what.words()
                );
            }
            Self::AlreadySo => "it is so already",
            Self::NotOnDevice => "the package is not on this device; check the id",
            Self::NoSuchUser => "the user is not on this device",
            Self::Unreadable => "its state could not be read; read the packages again",
            Self::NotInstalled => "it is not installed for this user, so there is nothing to disable or suspend",
            Self::NotPerUser => "this version of Android cannot uninstall for one user; disable instead",
            Self::MayNotDisable => {
                "debugging may not enable or disable apps on this device; uninstall instead, or do it in the app's settings page"
            }
            Self::MayNotQuieten => "quietening takes Android 9 or later; disable instead, or do it in the app's settings page",
            Self::MayNotClearCache => {
                "clearing a cache alone takes Android 12 or later; the app's settings page does it too"
            }
            Self::MayNotSuspend => "suspending takes Android 9 or later; disable instead",
            Self::NoDebugging => "debugging is forbidden for this user by whoever manages it",
            Self::Forbidden => "it is forbidden for this user by whoever manages it",
            Self::Administrator => {
                "it is a device administrator, which Android does not uninstall: take that from it in the settings, read the packages again, or disable it"
            }
            Self::Library => "it is a library that apps use; it goes by itself when none does",
            Self::SuspendedByOther => "another app has suspended it, and only that one can take it back",
            Self::Archived => "its user has archived it: opening its icon on the device fetches it again",
            Self::NoWayBack => "it could not be put back from here; disable instead, or allow it explicitly",
            Self::Start(1) => {
                "never taken out: without it the package service does not come up again, and only a factory reset would help then"
            }
            Self::Start(2) => "without it the device is not expected to start",
            Self::Start(_) => "without it the device would start and could not be used",
            Self::NeedsApk => {
                "putting it back takes its APK: its code is not on the device, or this Android cannot reinstall it"
            }
            Self::NotOfTheSystem => {
                "only what has a folder of its own on a partition of the system, and no update over it, is removed from there: uninstall its update first, or the app itself"
            }
            Self::ForEverybody => "it would go for everybody on the device: mark it for the first user",
            Self::TakesRoot => "it takes root, which has not been asked for here",
            Self::NeedsRoot => "leaving this state takes root; change it on the device, in the app's settings page",
        })
    }
}

/// What the start of a device loses with a package. The order is that of weight, the weightiest first.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord)]
pub struct StartLoss {
    /// 1 the package service never comes up, 2 the system dies behind it, 3 it starts and cannot be used.
    pub class: u8,
    /// What stops, in a few words.
    pub stops: String,
}

impl StartLoss {
    /// Whether there would be no way to help from here.
    pub fn is_final(&self) -> bool {
        self.class <= 1
    }

    /// What comes of it, in words.
    pub fn words(&self) -> String {
        let comes = match self.class {
            0 | 1 => "the package service does not come up again, and only a factory reset would help",
            2 => "the device is not expected to start",
            _ => "the device starts and cannot be used",
        };
        match self.what_stops() {
            Some(stops) => format!("{comes}; what stops: {stops}"),
            None => comes.to_owned(),
        }
    }

    /// What stops beside the start itself.
    pub fn what_stops(&self) -> Option<&str> {
        Some(self.stops.as_str()).filter(|stops| *stops != "starting")
    }
}

/// One step of a plan.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct PlannedStep {
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The change.
    pub way: Change,
    /// The state as last read.
    pub before: PackageState,
    /// Of a step that puts back: the state that all steps on this package and user lead to together.
    pub target: Option<PackageState>,
    /// The APK on the device that is installed; of [`Change::InstallFactory`] only. Of [`Change::RemoveFromSystem`] the one whose
    /// folder goes.
    pub apk: Option<DevicePath>,
    /// The copy that is installed; of [`Change::InstallCopy`] only.
    pub copy: Option<KeptCopy>,
    /// A copy of its APKs is kept on this computer before it goes: it could not be had from the device again, or only in an older
    /// version.
    pub secures: bool,
    /// What people have given the package for the user: of a step that takes out what goes with it, of one that puts back what
    /// is given to it again.
    pub given: Vec<Given>,
    /// For whom it goes along without being told to: profiles with clones of the user's apps.
    pub along: Vec<UserId>,
    /// Whether it can be undone. Steps that put back are not asked for it and say [`Reversal::Exact`].
    pub back: Reversal,
    /// What becomes of the app's data for the user.
    pub data: AppData,
    /// Where they go: the way of taking out that keeps them.
    pub keeping: Option<Change>,
    /// What the start loses when it is done, as far as that is known.
    pub start: Option<StartLoss>,
    /// Why it is not sent, if it is not.
    pub skip: Option<SkipReason>,
}

impl PlannedStep {
    /// A step that is sent, leads back to just what was, and takes nothing with it.
    pub(super) fn new(id: PackageId, user: UserId, way: Change, before: PackageState) -> Self {
        Self {
            id,
            user,
            way,
            before,
            target: None,
            apk: None,
            copy: None,
            secures: false,
            given: Vec::new(),
            along: Vec::new(),
            back: Reversal::Exact,
            data: AppData::Stay,
            keeping: None,
            start: None,
            skip: None,
        }
    }

    /// What of the things that people have given the package comes back with it and what does not, in words; `None` where they
    /// gave it nothing.
    pub fn given_words(&self, capabilities: &Capabilities) -> Option<String> {
        let (_, by_hand) = self.gives_back(capabilities);
        let again = given_words(self.given.iter().filter(|given| !by_hand.contains(given)));
        let by_hand = given_words(by_hand);
        let when = match self.way {
            way if way.takes_out() => "given back when it is put back",
            // Nobody had given it anything: others go.
            Change::InstallCopy if self.target.is_none() => "takes over",
            _ => "given back with it",
        };
        match (again.as_str(), by_hand.as_str()) {
            ("", "") => None,
            (again, "") => Some(format!("{when}: {again}")),
            ("", by_hand) => Some(format!("to be given again by hand: {by_hand}")),
            (again, by_hand) => Some(format!("{when}: {again}; by hand: {by_hand}")),
        }
    }

    /// For whom it goes along without being told to, in words; `None` where there is nobody.
    pub fn along_words(&self) -> Option<String> {
        let users: Vec<String> = self.along.iter().map(ToString::to_string).collect();
        (!users.is_empty()).then(|| {
            format!(
                "Android takes it from user {} too, where its clone lives: that is noted and put back with it",
                users.join(", ")
            )
        })
    }

    /// The words that give things again behind a step that puts back, and those things for which there are none.
    pub fn gives_back(&self, capabilities: &Capabilities) -> (Vec<String>, Vec<&Given>) {
        let request = |given: &Given| given.request(&self.id, self.user, capabilities);
        let words = |given: &Given| request(given).and_then(|r| Some(r.deliveries(capabilities).first()?.words()));
        let by_hand = self.given.iter().filter(|given| request(given).is_none()).collect();
        (self.given.iter().filter_map(words).collect(), by_hand)
    }

    /// The words that go to the device.
    pub fn command(&self, capabilities: &Capabilities) -> String {
        match &self.copy {
            Some(copy) if self.way == Change::RestoreToSystem => {
                let words = place_requests(copy).into_iter().map(|(request, file)| match file {
                    Some(name) => format!("{} < {name}", request.words(capabilities)),
                    None => request.words(capabilities),
                });
                words.collect::<Vec<_>>().join("; ")
            }
            Some(copy) => install_words(capabilities, copy, self.user),
            None if self.way.is_about_the_system() => {
                let folder = self.apk.as_ref().and_then(system_folder);
                // What has none is not sent.
                let words = || self.way.request(&self.id, self.user, None).words(capabilities);
                folder.map_or_else(words, |folder| take_away_request(&folder).words(capabilities))
            }
            None => self.way.request(&self.id, self.user, self.apk.as_ref()).words(capabilities),
        }
    }
}

/// What is going to be done, in order.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Plan {
    /// The steps.
    pub steps: Vec<PlannedStep>,
    /// What goes for all of them.
    pub terms: Terms,
}

impl Plan {
    /// How many steps will be sent.
    pub fn to_send(&self) -> usize {
        self.steps.iter().filter(|s| s.skip.is_none()).count()
    }

    /// Leaves out what the start of the device would miss, unless that is wanted all the same: `despite` names the packages that go
    /// whatever it does to the start. What could never be mended from here is left out in any case. `loss` tells what the start
    /// loses, for all of the plan together.
    #[must_use]
    pub fn minding_the_start(
        mut self,
        loss: impl Fn(&PackageId, UserId) -> Option<StartLoss>,
        despite: &BTreeSet<PackageId>,
    ) -> Self {
        for step in self.steps.iter_mut().filter(|step| step.way.takes_out()) {
            step.start = loss(&step.id, step.user);
            if let (None, Some(start)) = (step.skip, &step.start)
                && (start.is_final() || !despite.contains(&step.id))
            {
                step.skip = Some(SkipReason::Start(start.class));
            }
        }
        self
    }

    /// In an order in which nothing leans on what has gone before it: `at` is the place of a package in it. What has none stays where
    /// it is.
    #[must_use]
    pub fn in_order(mut self, at: impl Fn(&PackageId, UserId) -> Option<usize>) -> Self {
        let places: Vec<usize> =
            (0..self.steps.len()).filter(|n| at(&self.steps[*n].id, self.steps[*n].user).is_some()).collect();
        let mut ordered: Vec<PlannedStep> = places.iter().map(|n| self.steps[*n].clone()).collect();
        ordered.sort_by_key(|step| at(&step.id, step.user));
        for (place, step) in places.into_iter().zip(ordered) {
            self.steps[place] = step;
        }
        self
    }

    /// The steps that are left out for the sake of the start, and could be sent all the same.
    pub fn left_for_the_start(&self) -> impl Iterator<Item = &PlannedStep> {
        self.steps.iter().filter(|step| matches!(step.skip, Some(SkipReason::Start(class)) if class > 1))
    }

    /// Whatever is put back gets again what people had given it: behind the last step on each package and user.
    #[must_use]
    pub fn giving_back(mut self, given: impl Fn(&PackageId, UserId) -> Vec<Given>) -> Self {
        let mut seen = BTreeSet::new();
        // What comes back to the system is known to Android only once that has started anew.
        let gets = |step: &&mut PlannedStep| step.skip.is_none() && step.way != Change::RestoreToSystem;
        for step in self.steps.iter_mut().rev().filter(gets) {
            if seen.insert((step.id.clone(), step.user)) {
                step.given = given(&step.id, step.user);
            }
        }
        self
    }

    /// The steps that will be sent and for which a copy is kept first.
    pub fn securing(&self) -> impl Iterator<Item = &PlannedStep> {
        self.steps.iter().filter(|step| step.skip.is_none() && step.secures)
    }

    /// The steps that will be sent and with which an app's data go.
    pub fn losing_data(&self) -> impl Iterator<Item = &PlannedStep> {
        self.steps.iter().filter(|s| s.skip.is_none() && s.data != AppData::Stay)
    }

    /// Whether any of those data can be kept by another way of taking out.
    pub fn can_keep_data(&self) -> bool {
        self.losing_data().any(|step| step.keeping.is_some())
    }

    /// Of what is sent and goes, how much comes back and how, in words: "3 come back to just what they were, 2 nearly". `None` where
    /// nothing goes, or all of it comes back to just what it was.
    pub fn back_words(&self) -> Option<String> {
        let goes: Vec<&PlannedStep> = self.steps.iter().filter(|s| s.skip.is_none() && s.way.is_a_way()).collect();
        let count = |is: fn(Reversal) -> bool| goes.iter().filter(|step| is(step.back)).count();
        let just = count(|back| back == Reversal::Exact);
        let without = count(|back| back == Reversal::WITHOUT_DATA || back == Reversal::WITHOUT_DATA_AND_PARTS);
        let copies = count(|back| back == Reversal::FROM_COPY);
        let never = count(|back| matches!(back, Reversal::Impossible(_)));
        let nearly = goes.len() - just - without - copies - never;
        let parts = [
            (just, "to just what it was", "to just what they were"),
            (without, "without its data", "without their data"),
            (copies, "from its copy, without its data", "from their copies, without their data"),
            (nearly, "nearly, as its line says", "nearly, as their lines say"),
        ];
        let mut words: Vec<String> = Vec::new();
        for (n, one, several) in parts {
            match n {
                0 => {}
                1 => words.push(format!("1 comes back {one}")),
                n => words.push(format!("{n} come back {several}")),
            }
        }
        match never {
            0 => {}
            1 => words.push("1 does not come back".into()),
            n => words.push(format!("{n} do not come back")),
        }
        (just < goes.len()).then(|| words.join("; "))
    }

    /// How much data goes for good, in words: "the data of 12 apps go for good: 3.4 GB". `None` where none do. `size` gives the
    /// bytes of an app's data, where they are known; they are those of all users of the device, `several` of them or one.
    pub fn data_words(&self, several: bool, size: impl Fn(&PackageId) -> Option<u64>) -> Option<String> {
        let apps: BTreeSet<&PackageId> = self.losing_data().map(|step| &step.id).collect();
        let known: Vec<u64> = apps.iter().filter_map(|id| size(id)).collect();
        let bytes = bytes_words(known.iter().fold(0, |sum, bytes| sum.saturating_add(*bytes)));
        let go = match apps.len() {
            0 => return None,
            1 => "the data of 1 app go for good".to_owned(),
            n => format!("the data of {n} apps go for good"),
        };
        Some(match known.len() {
            0 => format!("{go}; how much that is the device does not tell"),
            n => {
                let together = if several { ", all users together" } else { "" };
                let of_all = if n == apps.len() { String::new() } else { format!(" of {n} of them") };
                format!("{go}: {bytes}{of_all}{together}")
            }
        })
    }
}
