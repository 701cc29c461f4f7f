//! What Wibbet knows of devices and works out from it: what is installed for whom, how a package
//! is taken out and put back on each version of Android, what an answer means, and whether a step
//! has been done.
//!
//! Nothing here does input or output, looks at a clock or prints. Bytes that a device printed go in
//! through [`read`], a [`package::Inventory`] comes out; a tray becomes a [`plan::Plan`]; each step's answer and
//! the state that was read back become a [`run::Verdict`].
//!
//! The rooms, in their order; each uses only those above it:
//!
//! 1. [`android`]: Android itself, whatever the device.
//! 2. [`device`]: One device as it was read at one moment.
//! 3. [`link`]: How far the link to a device has got, and what to do about what is missing.
//! 4. [`package`]: What a package is.
//! 5. [`ask`]: What is sent to a device, as a value.
//! 6. [`read`]: Reading what a device printed: one module for each command.
//! 7. [`catalog`]: Everything known of packages, put together.
//! 8. [`search`]: Finding packages as one types.
//! 9. [`plan`]: What is going to be done.
//! 10. [`run`]: What is done, and what came of it.

pub mod android;
pub mod ask;
pub mod catalog;
pub mod device;
pub mod link;
pub mod package;
pub mod plan;
pub mod read;
pub mod run;
pub mod search;
