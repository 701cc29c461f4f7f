//! Bench devices on a cable: a bus in memory, with the framing of bulk transfers as a real bus has it.

use std::collections::VecDeque;
use std::io;
use std::sync::{Arc, Mutex, MutexGuard, PoisonError, Weak};

use tokio::io::{AsyncReadExt as _, AsyncWriteExt as _};
use tokio::sync::{Notify, mpsc, watch};
use tokio::task::JoinHandle;
use wibbet_adb::{
    BulkPipe, Header, MAX_DATA, Transfer, UsbBus, UsbOffer, UsbOpening, UsbPlace, UsbReset, UsbSeen, UsbTrouble,
};
use wibbet_types::PlainText;

use super::handle::SimDevice;
use crate::daemon::connection;
use crate::machine::{Access, Shared};

/// Bytes of a packet on the bus.
const PACKET: usize = 512;

/// A bus that bench devices are plugged into.
#[derive(Debug, Default)]
pub struct SimBus(Arc<Bus>);

#[derive(Debug, Default)]
struct Bus {
    ports: Mutex<Vec<Port>>,
    last_number: Mutex<u8>,
    seen: watch::Sender<Vec<UsbSeen>>,
}

#[derive(Debug)]
struct Port {
    place: UsbPlace,
    device: Arc<Shared>,
    /// The serial by which it goes on the bus, where that is not its own.
    alias: Option<String>,
    /// What is in its way, if anything is.
    trouble: Option<UsbTrouble>,
    pipe: Weak<Pipe>,
    stale: usize,
    /// So many bytes its daemon still waits for, of a packet that a former host began.
    begun: usize,
    /// So often it has been reset.
    resets: u32,
    task: JoinHandle<()>,
}

impl Drop for Port {
    fn drop(&mut self) {
        self.task.abort();
        if let Some(pipe) = self.pipe.upgrade() {
            pipe.unplug();
        }
    }
}

impl Bus {
    /// A device gets a new number whenever it turns up.
    fn next_place(&self) -> UsbPlace {
        let mut last = self.last_number.lock().unwrap_or_else(PoisonError::into_inner);
        *last = last.wrapping_add(1).max(2);
        UsbPlace { bus: "1".into(), number: *last }
    }

    fn ports(&self) -> MutexGuard<'_, Vec<Port>> {
        // The list is consistent wherever its holder could panic.
        self.ports.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn tell(&self, ports: &[Port]) {
        let seen = ports.iter().filter_map(|port| {
            let state = port.device.state();
            let seen = UsbSeen {
                place: port.place.clone(),
                serial: PlainText::new(port.alias.as_ref().unwrap_or(&state.scenario.serial)),
                name: PlainText::new(&format!("{} {}", state.scenario.maker, state.scenario.model)),
                offers: match &port.trouble {
                    Some(UsbTrouble::Bootloader) => UsbOffer::Bootloader,
                    _ if state.switches.usb_debugging => UsbOffer::Debugging,
                    _ => UsbOffer::Files,
                },
            };
            (!state.is_off_bus()).then_some(seen)
        });
        self.seen.send_replace(seen.collect());
    }

    /// A device was restarted, or one of its switches was switched: it leaves the bus and comes back as it is now.
    fn device_changed(&self, device: &Arc<Shared>) {
        let mut ports = self.ports();
        for port in ports.iter_mut().filter(|p| Arc::ptr_eq(&p.device, device)) {
            if let Some(pipe) = port.pipe.upgrade() {
                pipe.unplug();
            }
            port.place = self.next_place();
        }
        self.tell(&ports);
    }
}

impl SimBus {
    /// Plugs a device in. It gets a new number each time.
    pub fn plug(&self, device: &SimDevice) -> UsbPlace {
        self.plug_in(device, None)
    }

    /// Plugs a device in that goes by another serial on the bus than the one that it tells, as some makers' do.
    pub fn plug_as(&self, device: &SimDevice, alias: &str) -> UsbPlace {
        self.plug_in(device, Some(alias.to_owned()))
    }

    fn plug_in(&self, device: &SimDevice, alias: Option<String>) -> UsbPlace {
        let device = device.shared();
        let mut changes = device.cable_changes.subscribe();
        changes.mark_unchanged();
        let (bus, of) = (Arc::downgrade(&self.0), Arc::downgrade(&device));
        let task = tokio::spawn(async move {
            while changes.changed().await.is_ok() {
                let (Some(bus), Some(device)) = (bus.upgrade(), of.upgrade()) else { return };
                bus.device_changed(&device);
            }
        });
        let place = self.0.next_place();
        let mut ports = self.0.ports();
        ports.push(Port {
            place: place.clone(),
            device,
            alias,
            trouble: None,
            pipe: Weak::new(),
            stale: 0,
            begun: 0,
            resets: 0,
            task,
        });
        self.0.tell(&ports);
        place
    }

    /// Pulls a device's cable.
    pub fn unplug(&self, serial: &str) {
        let mut ports = self.0.ports();
        ports.retain(|port| port.device.state().scenario.serial != serial);
        self.0.tell(&ports);
    }

    /// Whether a device is plugged in.
    pub fn is_plugged(&self, serial: &str) -> bool {
        self.0.ports().iter().any(|p| p.device.state().scenario.serial == serial)
    }

    /// Puts something in the way of opening a device, or takes it away.
    pub fn set_trouble(&self, serial: &str, trouble: Option<UsbTrouble>) {
        let mut ports = self.0.ports();
        for port in ports.iter_mut().filter(|p| p.device.state().scenario.serial == serial) {
            port.trouble.clone_from(&trouble);
        }
        self.0.tell(&ports);
    }

    /// A former host was killed while it was sending: the device's daemon takes the next so many bytes for the rest of
    /// its packet, until the device is reset.
    pub fn leave_begun(&self, serial: &str, bytes: usize) {
        for port in self.0.ports().iter_mut().filter(|p| p.device.state().scenario.serial == serial) {
            port.begun = bytes;
        }
    }

    /// How often a host has reset a device.
    pub fn resets(&self, serial: &str) -> u32 {
        let ports = self.0.ports();
        ports.iter().filter(|p| p.device.state().scenario.serial == serial).map(|p| p.resets).sum()
    }

    /// The next host finds so many bytes in the pipe that a former one did not fetch.
    pub fn leave_stale(&self, serial: &str, bytes: usize) {
        for port in self.0.ports().iter_mut().filter(|p| p.device.state().scenario.serial == serial) {
            port.stale = bytes;
        }
    }

    /// The next read of a device stalls.
    pub fn stall(&self, serial: &str) {
        for port in self.0.ports().iter().filter(|p| p.device.state().scenario.serial == serial) {
            if let Some(pipe) = port.pipe.upgrade() {
                pipe.inside().stall = true;
                pipe.came.notify_waiters();
            }
        }
    }
}

/// The port at a place, unless something is in its way.
fn port_at<'a>(ports: &'a mut [Port], place: &UsbPlace) -> Result<&'a mut Port, UsbTrouble> {
    let port = ports.iter_mut().find(|p| p.place == *place).ok_or(UsbTrouble::Gone)?;
    match &port.trouble {
        Some(trouble) => Err(trouble.clone()),
        None => Ok(port),
    }
}

impl UsbBus for SimBus {
    fn seen(&self) -> watch::Receiver<Vec<UsbSeen>> {
        self.0.seen.subscribe()
    }

    fn open(&self, place: &UsbPlace) -> UsbOpening<'_> {
        let place = place.clone();
        Box::pin(async move {
            let mut ports = self.0.ports();
            let port = port_at(&mut ports, &place)?;
            if port.pipe.upgrade().is_some() {
                return Err(UsbTrouble::Busy);
            }
            if port.device.state().is_off_bus() {
                return Err(UsbTrouble::Gone);
            }
            if !port.device.state().switches.usb_debugging {
                return Err(UsbTrouble::NoInterface);
            }
            let pipe = Pipe::open(&port.device, std::mem::take(&mut port.stale), port.begun);
            port.pipe = Arc::downgrade(&pipe);
            Ok(pipe as Arc<dyn BulkPipe>)
        })
    }

    fn reset(&self, place: &UsbPlace) -> UsbReset<'_> {
        let place = place.clone();
        Box::pin(async move {
            let mut ports = self.0.ports();
            let port = port_at(&mut ports, &place)?;
            port.begun = 0;
            port.resets += 1;
            if let Some(pipe) = port.pipe.upgrade() {
                pipe.unplug();
            }
            Ok(())
        })
    }
}

/// What is in a pipe.
#[derive(Debug, Default)]
struct Inside {
    /// Transfers to the host; of the first, so much has been taken.
    ready: VecDeque<Vec<u8>>,
    taken: usize,
    gone: bool,
    stall: bool,
}

#[derive(Debug)]
struct Pipe {
    inside: Mutex<Inside>,
    came: Notify,
    to_device: mpsc::UnboundedSender<Vec<u8>>,
    task: Mutex<Option<JoinHandle<()>>>,
}

impl Pipe {
    fn open(device: &Arc<Shared>, stale: usize, begun: usize) -> Arc<Self> {
        let (to_device, from_host) = mpsc::unbounded_channel();
        let pipe = Arc::new(Self { inside: Mutex::default(), came: Notify::new(), to_device, task: Mutex::default() });
        if stale > 0 {
            let mut inside = pipe.inside();
            // The rest of a packet whose header is gone, and then whole ones.
            inside.ready.push_back(vec![0xa5; stale % 1000]);
            for _ in 0..stale / 1000 {
                let header = Header {
                    command: wibbet_adb::Command::Wrte,
                    arg0: 77,
                    arg1: 78,
                    length: 976,
                    checksum: 976 * 0x5a,
                };
                inside.ready.push_back(header.encode().to_vec());
                inside.ready.push_back(vec![0x5a; 976]);
            }
        }
        let weak = Arc::downgrade(&pipe);
        let task = tokio::spawn(bridge(weak, from_host, Arc::clone(device), begun));
        *pipe.task.lock().unwrap_or_else(PoisonError::into_inner) = Some(task);
        pipe
    }

    fn inside(&self) -> MutexGuard<'_, Inside> {
        self.inside.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn unplug(&self) {
        self.inside().gone = true;
        self.came.notify_waiters();
        if let Some(task) = self.task.lock().unwrap_or_else(PoisonError::into_inner).take() {
            task.abort();
        }
    }

    fn push(&self, transfer: Vec<u8>) {
        self.inside().ready.push_back(transfer);
        self.came.notify_waiters();
    }

    /// Takes what a read of `most` bytes gets now.
    fn take(&self, most: usize) -> Option<io::Result<Vec<u8>>> {
        let mut inside = self.inside();
        if inside.gone {
            return Some(Err(unplugged()));
        }
        if std::mem::take(&mut inside.stall) {
            return Some(Err(io::Error::other("the device stalled the transfer")));
        }
        let taken = inside.taken;
        let transfer = inside.ready.front()?;
        let rest = &transfer[taken..];
        let piece = rest[..rest.len().min(most)].to_vec();
        if piece.len() < rest.len() {
            inside.taken += piece.len();
            return Some(Ok(piece));
        }
        let full = !piece.is_empty() && piece.len() == most;
        inside.taken = 0;
        inside.ready.pop_front();
        if full {
            // The read ended because it was full; what ends the transfer comes behind it.
            inside.ready.push_front(Vec::new());
        }
        Some(Ok(piece))
    }
}

impl Drop for Pipe {
    fn drop(&mut self) {
        self.unplug();
    }
}

fn unplugged() -> io::Error {
    io::Error::new(io::ErrorKind::NotConnected, "it left the bus: the cable was pulled, or it restarts")
}

impl BulkPipe for Pipe {
    fn packet_size(&self) -> usize {
        PACKET
    }

    fn read(&self, most: usize) -> Transfer<'_, Vec<u8>> {
        Box::pin(async move {
            if most == 0 || !most.is_multiple_of(PACKET) {
                return Err(io::Error::new(io::ErrorKind::InvalidInput, "a read has to be of whole packets"));
            }
            loop {
                let came = self.came.notified();
                tokio::pin!(came);
                came.as_mut().enable();
                if let Some(done) = self.take(most) {
                    return done;
                }
                came.await;
            }
        })
    }

    fn write(&self, data: Vec<u8>) -> Transfer<'_, ()> {
        Box::pin(async move {
            if self.inside().gone {
                return Err(unplugged());
            }
            self.to_device.send(data).map_err(|_| unplugged())
        })
    }
}

/// The device's end: puts the host's transfers together to packets, as strictly as a device does, and cuts its own
/// packets into transfers. Each introduction of a host begins a new connection.
async fn bridge(
    pipe: Weak<Pipe>,
    mut from_host: mpsc::UnboundedReceiver<Vec<u8>>,
    device: Arc<Shared>,
    mut begun: usize,
) {
    let mut current: Option<(tokio::io::WriteHalf<tokio::io::DuplexStream>, [AbortOnDrop; 2])> = None;
    while begun > 0 {
        let Some(swallowed) = from_host.recv().await else { return };
        begun = begun.saturating_sub(swallowed.len());
    }
    while let Some(transfer) = from_host.recv().await {
        if transfer.is_empty() {
            continue;
        }
        let Some(header) = <[u8; Header::SIZE]>::try_from(transfer.as_slice())
            .ok()
            .and_then(|bytes| Header::read(&bytes, MAX_DATA).ok())
        else {
            device.state().transcript.push(format!("usb: {} bytes where a header was due", transfer.len()));
            continue;
        };
        let mut packet = transfer;
        let length = header.length as usize;
        while packet.len() < Header::SIZE + length {
            let Some(piece) = from_host.recv().await else { return };
            packet.extend_from_slice(&piece);
        }
        if length > 0 && length.is_multiple_of(PACKET) {
            match from_host.recv().await {
                Some(end) if end.is_empty() => {}
                Some(_) => device.state().transcript.push("usb: a transfer of whole packets was not ended".into()),
                None => return,
            }
        }
        if header.command == wibbet_adb::Command::Cnxn {
            let (ours, daemons) = tokio::io::duplex(1024 * 1024);
            let (mut from_daemon, to_daemon) = tokio::io::split(ours);
            let daemon = {
                let device = Arc::clone(&device);
                tokio::spawn(async move { connection(daemons, &device, Access::Cable).await })
            };
            let pipe = pipe.clone();
            let reader = tokio::spawn(async move {
                let mut header = [0; Header::SIZE];
                while from_daemon.read_exact(&mut header).await.is_ok() {
                    let Ok(head) = Header::read(&header, MAX_DATA) else { return };
                    let mut data = vec![0; head.length as usize];
                    if from_daemon.read_exact(&mut data).await.is_err() {
                        return;
                    }
                    let Some(pipe) = pipe.upgrade() else { return };
                    pipe.push(header.to_vec());
                    if !data.is_empty() {
                        pipe.push(data);
                    }
                }
            });
            current = Some((to_daemon, [AbortOnDrop(daemon), AbortOnDrop(reader)]));
        }
        if let Some((to_daemon, _)) = &mut current
            && to_daemon.write_all(&packet).await.is_err()
        {
            current = None;
        }
    }
}

struct AbortOnDrop(JoinHandle<()>);

impl Drop for AbortOnDrop {
    fn drop(&mut self) {
        self.0.abort();
    }
}
