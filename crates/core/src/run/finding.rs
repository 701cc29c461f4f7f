//! What a look at the device shows of a package for a user.

use crate::package::PackageState;

/// What a look at the device shows of a package for a user.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Finding {
    /// Its state. That it is not installed was told twice, by sources that are built differently.
    State(PackageState),
    /// The user is not on the device.
    NoSuchUser,
    /// Nothing that can be relied on, for this reason.
    Unclear(&'static str),
}

impl Finding {
    /// Why nothing is known, where the device does not tell.
    pub const NOT_TOLD: Self = Self::Unclear("its state could not be read back");

    /// What is said of a step whose user has gone.
    pub(super) const NO_SUCH_USER: &'static str = "the user is not on the device";

    /// The state, where there is one.
    pub fn state(self) -> Option<PackageState> {
        match self {
            Self::State(state) => Some(state),
            Self::NoSuchUser | Self::Unclear(_) => None,
        }
    }
}
