//! The ways in which a link or a call can fail, told apart.

use std::time::Duration;

use thiserror::Error;
use wibbet_types::PlainText;

/// Why there is no link to a device. Each message says what was tried, on what, what came back and
/// what to do next.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum LinkError {
    /// Nothing answers at the address.
    #[error(
        "no answer at {at}: {why}. Check that debugging is switched on, that the address is right \
         and that both are on the same network"
    )]
    NoAnswer {
        /// The address.
        at: String,
        /// What the system said.
        why: String,
    },
    /// Something answers, but it does not speak the debugging protocol.
    #[error("{at} answers, but is not a debugging daemon: {why}. Check the port")]
    NotADaemon {
        /// The address.
        at: String,
        /// What came instead.
        why: String,
    },
    /// The device asks for wireless debugging's encrypted link and does not know this computer's key.
    #[error(
        "{at} does not know this computer ({why}). Pair with it first: on the device, Developer options, Wireless \
         debugging, “Pair device with pairing code”"
    )]
    NotPaired {
        /// The address.
        at: String,
        /// How it said so.
        why: String,
    },
    /// The device is on the cable and offers no debugging.
    #[error(
        "{at} offers no debugging. On the device: developer options, switch “USB debugging” on. If it is on: another \
         cable, or file transfer in place of charging only"
    )]
    NoInterface {
        /// The place on the bus.
        at: String,
    },
    /// The device on the cable is in its bootloader.
    #[error(
        "{at} is in its bootloader: Android does not run. Hold its power button until it restarts, or choose “Start” on \
         it"
    )]
    Bootloader {
        /// The place on the bus.
        at: String,
    },
    /// The system does not let this user open the device on its cable.
    #[error(
        "this user may not open {at} ({node}). `wibbet usb-rule` prints a rule for udev that permits it, and says \
         where to put it"
    )]
    NoPermission {
        /// The place on the bus.
        at: String,
        /// What may not be opened.
        node: String,
    },
    /// The system has no driver for the debugging interface that lets programs use it.
    #[error(
        "the system has no driver with which programs may use the debugging interface of {at}. `wibbet usb-rule` says how \
         it gets one"
    )]
    NoDriver {
        /// The place on the bus.
        at: String,
    },
    /// Another program holds the debugging interface.
    #[error(
        "another program on this computer holds {at}. End it (a debugging server or a development environment, \
         mostly), or start its debugging server, through which the device can be used too"
    )]
    Taken {
        /// The place on the bus.
        at: String,
    },
    /// The device asked its owner whether this computer may debug it, and nobody allowed it.
    #[error(
        "{at} has not authorised this computer ({why}). Wake and unlock the device, look for \
         “Allow USB debugging?”, tick “Always allow” and tap “Allow”"
    )]
    NotAuthorised {
        /// The address.
        at: String,
        /// How the waiting ended.
        why: String,
    },
    /// The connection was there and went.
    #[error("the connection to {at} was lost: {why}")]
    Lost {
        /// The address.
        at: String,
        /// How it ended.
        why: String,
    },
    /// The other side broke a rule of the protocol.
    #[error("{at} broke a rule of the debugging protocol: {rule}")]
    Broken {
        /// The address.
        at: String,
        /// The rule.
        rule: String,
    },
}

impl LinkError {
    pub(crate) fn lost(at: &str, why: impl ToString) -> Self {
        Self::Lost { at: at.to_owned(), why: why.to_string() }
    }
}

/// Why a call to a service did not end well.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum CallError {
    /// The link went during the call. Whether the device acted on it is unknown.
    #[error(transparent)]
    Link(#[from] LinkError),
    /// The device does not offer the service. Nothing was done.
    #[error("the device refused the service “{service}”")]
    Refused {
        /// The service.
        service: PlainText,
    },
    /// The link is up, but the service says nothing. Whether the device acted is unknown.
    #[error("no answer to “{service}” within {} s", waited.as_secs_f32())]
    Silent {
        /// The service.
        service: PlainText,
        /// How long was waited.
        waited: Duration,
    },
    /// What it was to read cannot be read here. Not all of it was written.
    #[error("what was to be sent cannot be read on this computer: {why}")]
    Input {
        /// Why not.
        why: String,
    },
    /// The service ended before its answer was whole.
    #[error("the answer to “{service}” was cut short")]
    CutShort {
        /// The service.
        service: PlainText,
    },
    /// The service goes on and on. Whether the device acted is unknown.
    #[error("the answer to “{service}” did not come to an end within {limit}")]
    Endless {
        /// The service.
        service: PlainText,
        /// What it may take at most, in words.
        limit: String,
    },
    /// The service's answer does not follow its own format.
    #[error("the answer to “{service}” could not be read: {rule}")]
    Garbled {
        /// The service.
        service: PlainText,
        /// The rule it breaks.
        rule: String,
    },
}
