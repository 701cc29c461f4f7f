//! Apps that fail, as the device tells of them.

use wibbet_types::{PackageId, PlainText, UserId};

/// How an app failed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum FailureKind {
    /// It crashed.
    Crash,
    /// It did not answer.
    NotResponding,
}

impl FailureKind {
    /// What it did, in words.
    pub fn words(self) -> &'static str {
        match self {
            Self::Crash => "crashed",
            Self::NotResponding => "did not respond",
        }
    }
}

/// An app that failed once.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
pub struct AppFailure {
    /// For whom.
    pub user: UserId,
    /// The process.
    pub process: PlainText,
    /// The app, where the process is named by it.
    pub package: Option<PackageId>,
    /// How.
    pub kind: FailureKind,
    /// The exception with its message, or the reason.
    pub why: PlainText,
}

impl AppFailure {
    /// Whether it is the same app that fails alike.
    pub fn is_like(&self, other: &Self) -> bool {
        (&self.process, self.user, self.kind) == (&other.process, other.user, other.kind)
    }
}
