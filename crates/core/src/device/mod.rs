//! One device as it was read at one moment.

mod facts;
mod failure;
mod figures;
mod users;
mod vitals;

pub use facts::{DeviceFacts, DeviceKind, Likeness};
pub use failure::{AppFailure, FailureKind};
pub use figures::{FigureOf, Figures};
pub use users::{Forbidden, User, UserCondition, UserKind};
pub use vitals::{Battery, Managed, Root, Space, Vitals};
