//! Doing: making and keeping links, reading what is installed, carrying out runs with every result read back, and
//! settling what an interruption left open.
//!
//! The command line calls the operations one after the other ([`ops`], [`run`]); the screen has a [`fleet::Bench`], which
//! watches cables and networks, keeps a [`session::Session`] for each device, and exchanges commands and events with it.
//!
//! The rooms, in their order; each uses only those above it:
//!
//! 1. [`policy`]: how long, how often, how many at once.
//! 2. [`logbook`]: the logbook as tasks share it, and the clock.
//! 3. [`around`]: what is around: ways to devices, and where they are looked for.
//! 4. [`device`]: one device that can be asked.
//! 5. [`workplace`]: what all sessions of a program share.
//! 6. [`ops`]: one file for each operation; the command line, sessions and orders call these.
//! 7. [`run`]: carrying out runs.
//! 8. [`after`]: what is looked at behind a run.
//! 9. [`catch`]: waiting for a device that does not start any more, and putting back what a run took out.
//! 10. [`finder`]: the fault finder on a device, round by round.
//! 11. [`orders`]: an order on a device: what it comes to, and carrying it out.
//! 12. [`session`]: one device as the screen sees it.
//! 13. [`fleet`]: all devices at hand.

pub mod after;
pub mod around;
pub mod catch;
pub mod device;
pub mod finder;
pub mod fleet;
pub mod logbook;
pub mod ops;
pub mod orders;
pub mod policy;
pub mod run;
pub mod session;
pub mod workplace;
