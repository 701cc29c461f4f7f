//! Paths on a device, and the one place where words are quoted for its shell.

use std::fmt;
use std::str::FromStr;

/// Why a text cannot be a path on a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct BadPath {
    given: String,
    rule: &'static str,
}

impl fmt::Display for BadPath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "“{}” cannot be a path on a device: {}", self.given, self.rule)
    }
}

impl std::error::Error for BadPath {}

/// An absolute path on a device, at most 1024 bytes (the limit of the sync service), without NUL
/// and line breaks.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct DevicePath(Box<str>);

impl DevicePath {
    /// The longest path that the sync service takes, in bytes.
    pub const LONGEST: usize = 1024;

    /// The path as text.
    pub fn as_str(&self) -> &str {
        &self.0
    }

    /// The path as one word for the device's shell.
    pub fn quoted(&self) -> String {
        shell_quoted(&self.0)
    }
}

impl FromStr for DevicePath {
    type Err = BadPath;

    fn from_str(s: &str) -> Result<Self, BadPath> {
        let bad = |rule| Err(BadPath { given: crate::PlainText::new(s).into_string(), rule });
        if !s.starts_with('/') {
            return bad("it has to begin with “/”");
        }
        if s.len() > Self::LONGEST {
            return bad("it is longer than 1024 bytes");
        }
        if s.contains(['\0', '\n', '\r']) {
            return bad("it may not hold line breaks or zero characters");
        }
        Ok(Self(s.into()))
    }
}

impl fmt::Display for DevicePath {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        fmt::Display::fmt(&crate::PlainText::new(&self.0), f)
    }
}

/// `text` as one word of a POSIX shell command. Words of harmless characters stay as they are, so
/// that commands shown to people read like commands.
pub fn shell_quoted(text: &str) -> String {
    let harmless = |b: u8| b.is_ascii_alphanumeric() || b"._-/:=,@%+".contains(&b);
    if !text.is_empty() && text.bytes().all(harmless) {
        text.to_owned()
    } else {
        format!("'{}'", text.replace('\'', r"'\''"))
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    #[test]
    fn paths() {
        assert!("/system/app/A=b/A.apk".parse::<DevicePath>().is_ok());
        for bad in ["", "system", "/a\nb", "/a\0", &format!("/{}", "x".repeat(1024))] {
            assert!(bad.parse::<DevicePath>().is_err(), "{bad:?}");
        }
    }

    #[test]
    fn quoting() {
        for (text, quoted) in [
            ("com.android.calendar", "com.android.calendar"),
            ("", "''"),
            ("a b", "'a b'"),
            ("it's", r"'it'\''s'"),
            ("$(reboot)", "'$(reboot)'"),
        ] {
            assert_eq!(shell_quoted(text), quoted);
        }
    }

    proptest! {
        /// What a shell makes of the quoted word is the word: single quotes are closed only to put
        /// an escaped quote between.
        #[test]
        fn quoted_words_read_back(text in any::<String>()) {
            let quoted = shell_quoted(&text);
            let read = if quoted.starts_with('\'') {
                quoted[1..quoted.len() - 1].replace(r"'\''", "'")
            } else {
                quoted
            };
            prop_assert_eq!(read, text);
        }
    }
}
