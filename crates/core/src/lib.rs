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
//! 7. [`holds`]: What ties a package to its device.
//! 8. [`catalog`]: Everything known of packages, put together.
//! 9. [`search`]: Finding packages as one types.
//! 10. [`plan`]: What is going to be done.
//! 11. [`run`]: What is done, and what came of it.
//! 12. [`diagnosis`]: Finding out what is wrong.
//! 13. [`order`]: Order files.
//! 14. [`sheet`]: The job sheet, as far as it is words and figures.
//!
//! # A job in twenty lines
//!
//! ```
//! use wibbet_core::plan::{Change, TrayItem, plan_take_out};
//! use wibbet_core::read::{DumpReader, inventory, read_back, read_package_list, read_users};
//! use wibbet_core::run::{Finding, Outcome, Response, judge, read_reply};
//! use wibbet_core::{ask::Output, testing};
//! use wibbet_types::UserId;
//!
//! // What a phone printed becomes an inventory.
//! let phone = testing::PHONE;
//! let mut dump = DumpReader::default();
//! dump.feed(phone.dump.as_bytes());
//! let inventory = inventory(read_users(phone.users), dump.finish(), &read_package_list(phone.list));
//!
//! // A package in the tray becomes a plan, which says whether there is a way back.
//! let item = TrayItem { id: testing::id("com.ostrel.notes"), user: UserId::OWNER, way: Change::Disable };
//! let plan = plan_take_out(&inventory, &testing::capabilities(34), &[item], false);
//! let step = &plan.steps[0];
//! assert_eq!(step.command(&testing::capabilities(34)), "package disable-user --user 0 com.ostrel.notes");
//!
//! // Nothing is done before it has been read back: the answer alone is not believed.
//! let answer = Output { out: "Package com.ostrel.notes new state: disabled-user\n".into(), ..Output::default() };
//! let mut dump = DumpReader::default();
//! dump.feed(phone.dump_after.as_bytes());
//! let after = read_back(&step.id, dump.finish()).state(UserId::OWNER);
//! let reply = read_reply(step.way, step.before, &answer);
//! let verdict = judge(step.way, Response::Replied(reply), Finding::State(after));
//! assert_eq!(verdict.outcome, Outcome::Done);
//! ```

pub mod android;
pub mod ask;
pub mod catalog;
pub mod device;
pub mod diagnosis;
pub mod holds;
pub mod link;
pub mod order;
pub mod package;
pub mod plan;
pub mod read;
pub mod run;
pub mod search;
pub mod sheet;
#[cfg(any(test, feature = "testing"))]
pub mod testing;
