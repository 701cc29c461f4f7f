//! What the bench is told and reports.

use std::collections::HashSet;

use wibbet_core::device::DeviceFacts;
use wibbet_types::{Address, PackageId};

use crate::around::Route;
use crate::ops::PairNews;
use crate::run::Control;
use crate::session::{SessionCommand, SessionEvent};

/// What names a card. It stays as long as the program runs.
pub type CardId = usize;

/// What the bench can be told.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum BenchCommand {
    /// Something for the session of a card.
    Session(CardId, SessionCommand),
    /// Somebody looks at these packages of a card: what is read of them comes first.
    LookAt(CardId, HashSet<PackageId>),
    /// Pause or stop the run of a card after the steps that are on their way, or have it go on.
    Control(CardId, Control),
    /// A device at an address.
    Add(Address),
    /// Pair with the device that offers it at an address and shows a code.
    Pair {
        /// Where it offers it.
        at: Address,
        /// The code.
        code: String,
    },
    /// Show a QR code and wait for a device to scan it; ends with [`BenchCommand::EndPairing`].
    ShowQr,
    /// Nobody waits for a device to scan the code any more.
    EndPairing,
    /// Look for the wireless debugging of the very device that the program runs on; ends with [`BenchEvent::Here`].
    FindHere,
    /// That device, where it was found. The link has to be encrypted; at another port it is the same one.
    AddHere(Address),
}

/// What the bench tells.
#[derive(Debug, Clone)]
pub enum BenchEvent {
    /// There is one card more.
    Card {
        /// Its id.
        card: CardId,
        /// What it goes by until the device has been asked: a name, a serial or an address.
        name: String,
        /// What is known of it from before.
        facts: Option<Box<DeviceFacts>>,
    },
    /// A card is gone: the device left before it was linked, or turned out to be that of another card.
    Gone(CardId),
    /// The ways to a card's device, best first.
    Routes(CardId, Vec<Route>),
    /// What a card's session tells.
    Session(CardId, SessionEvent),
    /// Devices that offer pairing now: the name that each is announced by, and where.
    Offers(Vec<(String, Address)>),
    /// How a pairing goes on.
    Pairing(PairNews),
    /// A pairing has come to its end: the name of the device's connect service, or the words that say why not, and
    /// whether only the code was wrong.
    Paired(Result<String, (String, bool)>),
    /// Where the debugging daemon of this very device is; `None` where it was not found.
    Here(Option<Address>),
    /// Something worth telling that is not in the other events.
    Note(String),
}
