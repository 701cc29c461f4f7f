//! The host side of Android's debugging protocol ("adb"): packets, negotiation, authorisation,
//! multiplexed streams and the services that run over them.
//!
//! The crate knows nothing of packages or of what a command means. It carries bytes, says exactly
//! how far it got, and tells apart the ways in which a device can fail to answer.
//!
//! ```no_run
//! # async fn example() -> Result<(), Box<dyn std::error::Error>> {
//! use wibbet_adb::{Encryption, Collected, KeyRing, Link, Service, SystemDialer, Timeouts};
//!
//! let keys = KeyRing::open("/tmp/keys".as_ref(), None, "me@bench")?;
//! let at = "127.0.0.1:5555".parse()?;
//! let link = Link::connect_at(&SystemDialer, &at, Encryption::WhereAsked, &keys, &Timeouts::default(), &mut |_| {}).await?;
//! let mut said = Collected::default();
//! link.call(&Service::ShellV2("getprop".into()), &Timeouts::default(), &mut said).await?;
//! println!("{}", String::from_utf8_lossy(&said.out));
//! # Ok(()) }
//! ```
//!
//! Sources: the protocol as published with the open-source system (`protocol.txt`, `SYNC.TXT`,
//! `shell_protocol`), and the observed behaviour of daemons.

mod banner;
mod budget;
mod discovery;
mod error;
mod handshake;
mod keys;
mod link;
mod mux;
pub mod pairing;
mod probe;
mod services;
mod shell;
mod sync;
mod terms;
mod timeouts;
mod tls;
mod transport;
mod wire;

pub use banner::{Banner, Feature, Features};
pub use discovery::{Announced, AnnouncedKind, Announcements, MdnsAnnouncer, SystemMdns, service_kind};
pub use error::{CallError, LinkError};
pub use handshake::Progress;
pub use keys::{HostKey, KeyError, KeyRing, PublicKey, TOKEN_LEN};
pub use link::{Encryption, Link, Stream, is_on_cable};
pub use probe::{DaemonKind, probe};
pub use services::{Channel, Collected, Service, Sink};
pub use shell::{ShellDecoder, ShellId, encode_shell};
pub use sync::{Entry, SyncClient, SyncError, SyncId, read_sync_header, sync_message};
pub use timeouts::Timeouts;
pub use transport::bulk::{BulkPipe, Transfer};
pub use transport::network::{ByteStream, Dialer, Dialling, SystemDialer};
pub use transport::server::{
    SERVER_ADDRESS, ServerDevice, ServerError, read_server_devices, server_devices, server_request,
};
pub use transport::usb::{SystemUsb, UsbBus, UsbOffer, UsbOpening, UsbPlace, UsbReset, UsbSeen, UsbTrouble};
pub use wire::{Command, Header, MAX_DATA, Packet, VERSION_MIN, VERSION_SKIP_CHECKSUM, WireError, read_packet};
