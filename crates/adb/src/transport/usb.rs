//! Devices on a USB cable: finding them by the class of their interface, watching them come and go, opening them.

use std::collections::{BTreeMap, BTreeSet};
use std::fmt::Debug;
use std::future::Future;
use std::io;
use std::pin::Pin;
use std::sync::{Arc, PoisonError};
use std::time::Duration;

use futures_util::StreamExt as _;
use nusb::transfer::{Buffer, Bulk, In, Out, TransferError};
use nusb::{Endpoint, ErrorKind, Interface};
use tokio::sync::{Mutex, watch};
use tokio::task::JoinHandle;
use wibbet_types::PlainText;

use super::bulk::{BulkPipe, Transfer};

/// The debugging interface: class, subclass, protocol.
const DEBUGGING: (u8, u8, u8) = (0xff, 0x42, 0x01);
/// The interface of a bootloader that waits for another program to write to the device: the same class, another protocol.
const BOOTLOADER: (u8, u8, u8) = (0xff, 0x42, 0x03);
/// The interface for files and photos that phones offer, by which a device without debugging is known to be one.
const STILL_IMAGE: (u8, u8, u8) = (0x06, 0x01, 0x01);

/// A place on the bus: which bus, which number on it. A device that is plugged in anew has another.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub struct UsbPlace {
    /// The bus.
    pub bus: String,
    /// The number that the device has on it.
    pub number: u8,
}

impl std::fmt::Display for UsbPlace {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}-{}", self.bus, self.number)
    }
}

/// A device on the bus that has a debugging interface, or looks like a phone without one.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct UsbSeen {
    /// Where it is.
    pub place: UsbPlace,
    /// The serial number in its descriptor; empty where there is none.
    pub serial: PlainText,
    /// Maker and model in its descriptor.
    pub name: PlainText,
    /// What it offers.
    pub offers: UsbOffer,
}

/// What a device on the bus offers.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum UsbOffer {
    /// Debugging.
    Debugging,
    /// Its bootloader's interface: Android does not run.
    Bootloader,
    /// Files or photos, as phones do, and no debugging.
    Files,
}

/// Why a device on the bus cannot be opened.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum UsbTrouble {
    /// It is there no more.
    Gone,
    /// It is there, and has no debugging interface.
    NoInterface,
    /// It is in its bootloader.
    Bootloader,
    /// The system does not let this user open it.
    NoPermission {
        /// What may not be opened.
        node: String,
    },
    /// The system has no driver for its debugging interface that lets programs use it.
    NoDriver,
    /// Another program holds the interface.
    Busy,
    /// Anything else.
    Other(String),
}

/// The opening of a device, under way.
pub type UsbOpening<'a> = Pin<Box<dyn Future<Output = Result<Arc<dyn BulkPipe>, UsbTrouble>> + Send + 'a>>;

/// The reset of a device, under way.
pub type UsbReset<'a> = Pin<Box<dyn Future<Output = Result<(), UsbTrouble>> + Send + 'a>>;

/// A bus that devices are found on.
pub trait UsbBus: Debug + Send + Sync {
    /// What is on it now, and whenever that changes.
    fn seen(&self) -> watch::Receiver<Vec<UsbSeen>>;

    /// Opens the debugging interface of a device.
    fn open(&self, place: &UsbPlace) -> UsbOpening<'_>;

    /// Resets a device's connection to the bus, for one whose daemon still waits for the rest of what a former host was
    /// sending. What was open on it is open no more; it is to be opened anew.
    fn reset(&self, place: &UsbPlace) -> UsbReset<'_>;
}

/// The buses of this computer.
#[derive(Debug)]
pub struct SystemUsb {
    seen: watch::Receiver<Vec<UsbSeen>>,
    /// What has been reset since it was plugged in. Once has to be enough: other programs may be using the device.
    reset: std::sync::Mutex<BTreeSet<UsbPlace>>,
    task: JoinHandle<()>,
}

impl SystemUsb {
    /// How often the buses are looked at where the system does not say that something has changed. Reading the list
    /// costs a few milliseconds and touches no device.
    const LOOK: Duration = Duration::from_millis(700);

    /// Begins to watch.
    pub fn start() -> Self {
        let (tell, seen) = watch::channel(Vec::new());
        let task = tokio::spawn(async move {
            // Without the system's messages (no udev, no right to hear them) looking regularly is enough.
            let mut events = nusb::watch_devices().ok();
            loop {
                let now = list().await;
                tell.send_if_modified(|before| {
                    let changed = *before != now;
                    *before = now;
                    changed
                });
                if tell.is_closed() {
                    return;
                }
                let next = async {
                    match &mut events {
                        Some(events) => drop(events.next().await),
                        None => std::future::pending().await,
                    }
                };
                // An event is a reason to look at once, and then once more: a device is listed a moment before its
                // interfaces are.
                let _ = tokio::time::timeout(Self::LOOK, next).await;
            }
        });
        Self { seen, reset: std::sync::Mutex::default(), task }
    }
}

impl Drop for SystemUsb {
    fn drop(&mut self) {
        self.task.abort();
    }
}

async fn list() -> Vec<UsbSeen> {
    let Ok(devices) = nusb::list_devices().await else { return Vec::new() };
    devices.filter_map(|info| describe(&info)).collect()
}

fn describe(info: &nusb::DeviceInfo) -> Option<UsbSeen> {
    let has = |wanted| info.interfaces().any(|i| (i.class(), i.subclass(), i.protocol()) == wanted);
    let named = |name: &str| info.interfaces().any(|i| i.interface_string() == Some(name));
    let offers = match () {
        () if has(DEBUGGING) => UsbOffer::Debugging,
        () if has(BOOTLOADER) => UsbOffer::Bootloader,
        () if has(STILL_IMAGE) || named("MTP") => UsbOffer::Files,
        () => return None,
    };
    let name: Vec<&str> = [info.manufacturer_string(), info.product_string()].into_iter().flatten().collect();
    Some(UsbSeen {
        place: place(info),
        serial: PlainText::new(info.serial_number().unwrap_or("")),
        name: PlainText::new(&name.join(" ")),
        offers,
    })
}

fn place(info: &nusb::DeviceInfo) -> UsbPlace {
    UsbPlace { bus: info.bus_id().to_owned(), number: info.device_address() }
}

impl UsbBus for SystemUsb {
    fn seen(&self) -> watch::Receiver<Vec<UsbSeen>> {
        self.seen.clone()
    }

    fn open(&self, wanted: &UsbPlace) -> UsbOpening<'_> {
        let wanted = wanted.clone();
        Box::pin(async move {
            let mut devices = nusb::list_devices().await.map_err(|e| trouble(&e, &wanted))?;
            let info = devices.find(|info| place(info) == wanted).ok_or(UsbTrouble::Gone)?;
            let find = |kind| info.interfaces().find(|i| (i.class(), i.subclass(), i.protocol()) == kind);
            let number = match (find(DEBUGGING), find(BOOTLOADER)) {
                (Some(interface), _) => interface.interface_number(),
                (None, Some(_)) => return Err(UsbTrouble::Bootloader),
                (None, None) => return Err(UsbTrouble::NoInterface),
            };
            let device = info.open().await.map_err(|e| trouble(&e, &wanted))?;
            let interface = device.claim_interface(number).await.map_err(|e| trouble(&e, &wanted))?;
            let mut pipe = SystemPipe::new(&interface).map_err(UsbTrouble::Other)?;
            pipe.clear().await;
            Ok(Arc::new(pipe) as Arc<dyn BulkPipe>)
        })
    }

    fn reset(&self, wanted: &UsbPlace) -> UsbReset<'_> {
        let wanted = wanted.clone();
        Box::pin(async move {
            if !self.reset.lock().unwrap_or_else(PoisonError::into_inner).insert(wanted.clone()) {
                return Err(UsbTrouble::Other("it has been reset before".into()));
            }
            let mut devices = nusb::list_devices().await.map_err(|e| trouble(&e, &wanted))?;
            let info = devices.find(|info| place(info) == wanted).ok_or(UsbTrouble::Gone)?;
            let device = info.open().await.map_err(|e| trouble(&e, &wanted))?;
            device.reset().await.map_err(|e| trouble(&e, &wanted))
        })
    }
}

fn trouble(error: &nusb::Error, place: &UsbPlace) -> UsbTrouble {
    match error.kind() {
        // WinUSB is for one program at a time, and refuses the second one so.
        ErrorKind::PermissionDenied if cfg!(windows) => UsbTrouble::Busy,
        ErrorKind::PermissionDenied => UsbTrouble::NoPermission { node: node(place) },
        ErrorKind::Busy => UsbTrouble::Busy,
        ErrorKind::Disconnected | ErrorKind::NotFound => UsbTrouble::Gone,
        ErrorKind::Unsupported => UsbTrouble::NoDriver,
        _ => UsbTrouble::Other(error.to_string()),
    }
}

/// What the system calls the device, for messages.
fn node(place: &UsbPlace) -> String {
    if cfg!(target_os = "linux") && place.bus.chars().all(|c| c.is_ascii_digit()) {
        format!("/dev/bus/usb/{:0>3}/{:03}", place.bus, place.number)
    } else {
        format!("USB device {place}")
    }
}

struct SystemPipe {
    from: Mutex<Endpoint<Bulk, In>>,
    to: Mutex<Endpoint<Bulk, Out>>,
    packet_size: usize,
}

impl Debug for SystemPipe {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("SystemPipe").field("packet_size", &self.packet_size).finish_non_exhaustive()
    }
}

impl SystemPipe {
    fn new(interface: &Interface) -> Result<Self, String> {
        let descriptor = interface.descriptor().ok_or("the interface has no descriptor")?;
        let mut addresses = BTreeMap::new();
        for endpoint in descriptor.endpoints().filter(|e| e.transfer_type() == nusb::descriptors::TransferType::Bulk) {
            addresses.entry(endpoint.address() & 0x80 != 0).or_insert(endpoint.address());
        }
        let (Some(from), Some(to)) = (addresses.get(&true), addresses.get(&false)) else {
            return Err("the debugging interface lacks a bulk endpoint".into());
        };
        let from = interface.endpoint::<Bulk, In>(*from).map_err(|e| e.to_string())?;
        let to = interface.endpoint::<Bulk, Out>(*to).map_err(|e| e.to_string())?;
        let packet_size = from.max_packet_size();
        Ok(Self { from: Mutex::new(from), to: Mutex::new(to), packet_size })
    }

    /// A host that was killed in the middle of a transfer leaves both sides of an endpoint counting differently: what is
    /// sent next would be dropped as sent twice. Clearing the halt sets both counts back. A device that knows no such
    /// request has not lost count by that.
    async fn clear(&mut self) {
        let _ = self.from.get_mut().clear_halt().await;
        let _ = self.to.get_mut().clear_halt().await;
    }
}

impl BulkPipe for SystemPipe {
    fn packet_size(&self) -> usize {
        self.packet_size
    }

    fn read(&self, most: usize) -> Transfer<'_, Vec<u8>> {
        Box::pin(async move {
            let mut from = self.from.lock().await;
            if from.pending() == 0 {
                from.submit(Buffer::new(most));
            }
            let done = from.next_complete().await;
            match done.status {
                Ok(()) => Ok(done.buffer.into_vec()),
                Err(TransferError::Stall) => {
                    // Until that is cleared every read stalls. What was on its way is lost, and the link with it.
                    let _ = from.clear_halt().await;
                    Err(plain(TransferError::Stall))
                }
                Err(error) => Err(plain(error)),
            }
        })
    }

    fn write(&self, data: Vec<u8>) -> Transfer<'_, ()> {
        Box::pin(async move {
            let mut to = self.to.lock().await;
            while to.pending() > 0 {
                to.next_complete().await;
            }
            let length = data.len();
            to.submit(Buffer::from(data));
            let done = to.next_complete().await;
            match done.status {
                Ok(()) if done.actual_len == length => Ok(()),
                Ok(()) => Err(io::Error::new(io::ErrorKind::WriteZero, "the device took only a part of a transfer")),
                Err(TransferError::Stall) => {
                    let _ = to.clear_halt().await;
                    Err(plain(TransferError::Stall))
                }
                Err(error) => Err(plain(error)),
            }
        })
    }
}

fn plain(error: TransferError) -> io::Error {
    match error {
        TransferError::Disconnected => {
            io::Error::new(io::ErrorKind::NotConnected, "it left the bus: the cable was pulled, or it restarts")
        }
        TransferError::Stall => io::Error::other("the device stalled the transfer"),
        TransferError::Fault => io::Error::other("the cable or the controller failed"),
        TransferError::Cancelled => io::Error::other("the transfer was cancelled"),
        other => io::Error::other(other.to_string()),
    }
}
