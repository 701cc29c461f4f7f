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

mod apk;
mod cable;
mod command;
mod device;
mod dump;
mod fault;
mod files;
mod habits;
#[cfg(unix)]
mod inside;
mod measures;
mod packages;
mod sample;
mod scenario;
mod screen;
mod server;
mod tools;
mod wireless;

pub use cable::SimBus;
pub use device::{Allow, Options, SimDevice};
pub use fault::{BadFault, CutAt, Direction, Fault, Line};
#[cfg(unix)]
pub use inside::{Asked, Ran, SimAndroid};
pub use sample::SampleApk;
pub use scenario::{BadScenario, Flaw, ReachedBy, Scenario};
pub use screen::{OwnersAct, OwnersScreen};
pub use wireless::{PairingDialog, SimNetwork};
