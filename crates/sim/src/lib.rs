//! Bench devices: simulated Android devices that speak the device side of the debugging protocol
//! on loopback, with a package service that answers as the real one of their version does, refusals
//! and quirks included.
//!
//! What a device is and holds comes from a [`Scenario`], which is data (TOML). How it misbehaves
//! comes from [`Fault`]s and from flaws in the scenario. Everything random comes from a seed.
//!
//! ```no_run
//! # async fn example() -> std::io::Result<()> {
//! use wibbet_sim::{Options, Scenario, SimDevice};
//!
//! let device = SimDevice::start(Scenario::crew_phone(), Options::default()).await?;
//! println!("{} listens at {}", device.serial(), device.address());
//! # Ok(()) }
//! ```
//!
//! The rooms, in their order; each uses only those above it:
//!
//! 1. `seed`: from where everything random comes.
//! 2. `scenario`: what a device is and holds, as data.
//! 3. `catalogue`: what made-up apps are called and how they are used, what manifests declare, what breaks without what.
//! 4. `apk`: generated APKs.
//! 5. `line`: how bytes travel, and how that goes wrong.
//! 6. `android`: the system inside: its state, and what its programs print. No bytes on a wire.
//! 7. `machine`: a device with its switches.
//! 8. `daemon`: the device side of the protocol. It is given its connections.
//! 9. `reach`: ways to the device: ports, and programs that hand their words over.
//! 10. `device`: a device as its owner holds it, and a bus in memory to plug it into.

mod android;
mod apk;
mod catalogue;
mod daemon;
mod device;
mod line;
mod machine;
mod reach;
mod scenario;
mod seed;

pub use android::PairingDialog;
pub use apk::SampleApk;
pub use catalogue::consequences::Broken;
pub use device::{Options, OwnerAction, OwnersScreen, SimBus, SimDevice};
pub use line::{BadFault, CutAt, Direction, Fault, Line, SimNetwork, Window, Work};
pub use machine::Allow;
#[cfg(unix)]
pub use reach::{Asked, Ran, SimAndroid};
pub use scenario::{
    BadScenario, BreakKind, BreakMoment, BreakRule, Flaw, ReachedBy, Scenario, ScreenLock, SimUser, TakenApart,
};
