//! Which Android a device runs.

use std::fmt;

use crate::PlainText;

/// A version of Android: the API level that decides what it can do, and the release that people
/// know it by.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct AndroidVersion {
    sdk: u32,
    release: PlainText,
}

impl AndroidVersion {
    /// A version from `ro.build.version.sdk` and `ro.build.version.release`.
    pub fn new(sdk: u32, release: &str) -> Self {
        Self { sdk, release: PlainText::new(release) }
    }

    /// The API level, e.g. 34 for Android 14. Everything that depends on the version goes by it.
    pub fn sdk(&self) -> u32 {
        self.sdk
    }

    /// The release as the device names it, e.g. "14" or "6.0.1". For people only.
    pub fn release(&self) -> &PlainText {
        &self.release
    }
}

impl fmt::Display for AndroidVersion {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        if self.release.as_str().is_empty() {
            write!(f, "Android (API {})", self.sdk)
        } else {
            write!(f, "Android {}", self.release)
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn is_shown_by_release_and_by_level_without_one() {
        assert_eq!(AndroidVersion::new(34, "14").to_string(), "Android 14");
        assert_eq!(AndroidVersion::new(23, "").to_string(), "Android (API 23)");
    }
}
