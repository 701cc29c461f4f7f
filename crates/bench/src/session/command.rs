//! What a session is told to do.

use std::path::PathBuf;
use std::sync::Arc;

use wibbet_core::ask::{Opening, RestartTo};
use wibbet_core::diagnosis::{BreakItem, Since};
use wibbet_core::package::{KeptCopy, Note};
use wibbet_core::plan::{Job, Plan, TrayItem};
use wibbet_core::run::{OfRuns, RunKind};
use wibbet_types::{BreakId, CopyId, DevicePath, Locale, PlainText, RunId, UserId};

use crate::finder::FindFault;
use crate::ops::{CopiesGo, WantedPart};
use crate::orders::OrderWanted;

/// What a session can be told to do. Commands are carried out one after the other.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SessionCommand {
    /// Read the packages again.
    Survey,
    /// Carry out a plan.
    Run(RunKind, Plan),
    /// Carry on with a run of the logbook.
    CarryOn(RunId),
    /// Wait for the device, which does not start any more, and put back what was taken out of it.
    Catch(OfRuns),
    /// Hold an order against the device, in place of the one before; nothing: it is not to be carried out after all.
    HoldOrder(Option<Arc<OrderWanted>>),
    /// Carry out the order that was held against the device, with what it does when all is done; for a job, or for the one that the device
    /// is at.
    ApplyOrder(Option<Job>),
    /// The fault finder.
    FindFault(FindFault),
    /// Hold how it is against how it was.
    LookBack(Since),
    /// Write down that an update break begins, with what is out; putting that back is a run of its own.
    BeginBreak(Vec<BreakItem>),
    /// The update break has ended.
    EndBreak(BreakId),
    /// Try whether changes are permitted, on a part of Android that stays as it is.
    TryChanges,
    /// Tell what orders have set on the device; put it back, where that is wanted.
    Settings {
        /// Whether it is put back.
        put_back: bool,
    },
    /// Keep the device awake while it is charging, or put that back as it was.
    StayAwake(bool),
    /// Read labels in these languages; `None` for those of the device.
    Languages(Option<Vec<Locale>>),
    /// Tell what is on the device's screen, or stop telling it.
    Follow(bool),
    /// Open something on the device.
    Open(Opening),
    /// Have the device work out how large packages are.
    WorkOutSizes,
    /// Open the developer options on the device.
    OpenDeveloperOptions,
    /// Restart the device, once it has written down what it holds.
    Restart(RestartTo),
    /// Ask it for root.
    AskForRoot,
    /// Take a picture of its screen.
    Picture,
    /// Bring a file to the device, or from it. A folder takes it under its own name; one of the device has `/` at its end.
    Bring {
        /// On this computer.
        here: PathBuf,
        /// On the device.
        there: DevicePath,
        /// Whether it goes to the device.
        to_device: bool,
    },
    /// Have its shell carry out a command that somebody typed.
    Shell(String),
    /// Switch a part of a package, as root.
    SwitchPart(WantedPart),
    /// Switch wireless debugging on, over whatever link there is.
    SwitchOnWireless,
    /// Write a note down.
    Note(Note),
    /// Take an app of this computer's in, to be installed for a user: an APK, a folder or an archive of its parts.
    TakeIn(UserId, PathBuf),
    /// Take in a copy that is kept of another device of the model and was offered to its like, to be installed for a user.
    TakeInKept(UserId, CopyId),
    /// Say whether a copy may be installed on other devices of the model.
    OfferCopy(CopyId, bool),
    /// What was taken in is not to be installed after all.
    DropCopy(KeptCopy),
    /// Write down what was seen of the device behind a run.
    Seen(RunId, PlainText),
    /// Keep what is chosen and has not been sent.
    KeepTray(Vec<TrayItem>),
    /// Write down of what job a run is a part; without a run, those that are begun from now on.
    Job(Option<RunId>, Job),
    /// Put back what was changed for the link's sake, switch debugging off on the device, and let go of it.
    Close(Closing),
}

/// How a link is closed.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Closing {
    /// Debugging is switched off on the device.
    pub switch_off: bool,
    /// The device is not linked by itself any more.
    pub forget: bool,
    /// What becomes of the copies of its apps.
    pub copies: CopiesGo,
}
