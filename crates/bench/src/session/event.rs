//! What a session reports.

use std::collections::BTreeMap;
use std::sync::Arc;
use std::time::Duration;

use wibbet_core::android::Capabilities;
use wibbet_core::device::{AppFailure, DeviceFacts};
use wibbet_core::diagnosis::{FaultFinder, UpdateBreak};
use wibbet_core::holds::Judged;
use wibbet_core::link::{CloseStep, Ladder};
use wibbet_core::package::{AppNames, Elsewhere, Inventory, KeptCopy, Metrics, Note, SwitchedParts, Ties};
use wibbet_core::plan::{Job, TrayItem};
use wibbet_core::run::{Lessons, Run, SettingChange};
use wibbet_types::{PackageId, RunId, Timestamp, UserId};

use crate::around::Route;
use crate::catch::CatchNews;
use crate::ops::{Details, HandCommand, LookedBack, TakenIn, WantedPart};
use crate::orders::HeldOrder;
use crate::run::RunNews;
use crate::run::SettingBack;

/// What ties the packages of a device, with what the device told for that alone.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Evidence {
    /// Who is engaged in what.
    pub ties: Arc<Ties>,
    /// By user.
    pub judged: Arc<BTreeMap<UserId, Judged>>,
    /// When that was read.
    pub read: Timestamp,
}

/// What a session tells.
#[derive(Debug, Clone)]
pub enum SessionEvent {
    /// How far the link has got.
    Ladder(Box<Ladder>),
    /// What the device is.
    Facts(Box<DeviceFacts>, Capabilities),
    /// How it is.
    Details(Box<Details>),
    /// What the session is at, in words; `None` when it is idle.
    Busy(Option<String>),
    /// The packages, read anew.
    Inventory(Arc<Inventory>),
    /// What APKs tell, as far as it has been read.
    Names(Arc<AppNames>),
    /// Sizes, memory and use, as far as they have been read.
    Metrics(Arc<Metrics>),
    /// What ties packages, by user: worked out of everything that was read.
    Judged(Arc<Evidence>),
    /// What became of packages on other devices like it, as far as the logbook remembers.
    Elsewhere(Arc<BTreeMap<PackageId, Elsewhere>>),
    /// The notes that hold for the device.
    Notes(Arc<Vec<Note>>),
    /// The job that the device is at.
    Job(Job),
    /// An app of this computer's was taken in, to be installed for a user.
    TakenIn(UserId, Box<TakenIn>),
    /// What was chosen on it another time and has not been sent.
    Tray(Vec<TrayItem>),
    /// What is being read beside everything else, in words.
    Reading(Option<String>),
    /// What is on the device's screen now, while that is followed.
    Front(Option<(PackageId, UserId)>),
    /// The runs of the device, read from the logbook.
    Runs(Arc<Vec<Run>>),
    /// What answers that are not known meant before on devices of its maker.
    Lessons(Arc<Lessons>),
    /// The copies of packages that are kept on this computer.
    Copies {
        /// Its own.
        own: Arc<Vec<KeptCopy>>,
        /// Those of other devices of its model that somebody has offered to their like.
        offered: Arc<Vec<KeptCopy>>,
    },
    /// What orders have set on the device, and what became of putting it back where that was wanted; or why that is not known.
    Settings(Result<(Vec<SettingChange>, Option<Vec<SettingBack>>), String>),
    /// A part of a package has been switched, or not; and which of them are not as its manifest says now, where that was read back.
    Parts(WantedPart, Option<SwitchedParts>),
    /// A run that is being carried out.
    Run(RunNews),
    /// The device starts over and over, or does not end starting; or not any more.
    Looping(bool),
    /// What becomes of a catch, but for its run.
    Catch(CatchNews),
    /// A catch has ended: its run, if it got that far, and why it ended if not by itself.
    CatchEnded(Option<RunId>, Option<String>),
    /// What an order comes to on the device, or why that cannot be told.
    OrderHeld(Result<Arc<HeldOrder>, String>),
    /// An order is carried out: what is done or seen beside its run, in words.
    OrderSaid(String),
    /// An order has been carried out, its link closed where that belongs to it.
    OrderOver(OrderOver),
    /// The use of the fault finder that goes on on the device.
    Finder(Option<Arc<FaultFinder>>),
    /// How long its last start took, as far as that was seen.
    StartTook(Option<Duration>),
    /// How the device is beside how it was.
    LookedBack(Arc<LookedBack>),
    /// The update break that the device is on.
    Break(Option<Arc<UpdateBreak>>),
    /// Apps have failed on the device behind a run.
    Failures {
        /// The run.
        run: RunId,
        /// What has not been told yet.
        new: Vec<AppFailure>,
        /// What had failed before the run, as far back as the device's log goes.
        before: Vec<AppFailure>,
    },
    /// A picture of its screen, as PNG.
    Picture(Vec<u8>),
    /// What came of a command that somebody typed, or why it was not carried out.
    Hand(Result<HandCommand, String>),
    /// A run has ended; why, if not by itself.
    RunEnded(Option<String>),
    /// The link has been closed on purpose; what was done for it.
    Closed(Vec<CloseStep>),
    /// Another device has turned up in the place of this one.
    OtherDevice(Route),
    /// Something worth telling that is not in the other events.
    Note(String),
}

/// How carrying out an order ended.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct OrderOver {
    /// Its run, as it stands in the logbook.
    pub run: Option<Arc<Run>>,
    /// The settings that were sent, and what came of each.
    pub settings: Vec<SettingChange>,
    /// Why it ended, if not by itself.
    pub trouble: Option<String>,
    /// Whether all that it was to do is so.
    pub whole: bool,
    /// Whether the link was closed whole; nothing where that did not belong to it, or was not come to.
    pub closed: Option<bool>,
}
