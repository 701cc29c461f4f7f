//! Copies of packages' APKs that are kept on this computer.

use std::fmt;
use std::str::FromStr;

use super::placed::{Placed, is_file_name};
use wibbet_types::{BadId, CopyId, DeviceId, DevicePath, PackageId, PlainText, RunId, Timestamp};

/// A file of a copy.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct CopiedFile {
    /// Its name in the folder of the copy: `base.apk`, `split_config.de.apk`.
    pub name: String,
    /// Bytes.
    pub size: u64,
    /// SHA-256, as 64 hexadecimal digits.
    pub sha256: String,
    /// Where it was on the device; nowhere where it came from a file of this computer.
    pub from: Option<DevicePath>,
}

impl CopiedFile {
    /// Whether a name can be that of a file in a copy's folder: letters, digits and `._-+`, no more than 200 of them, and it does not
    /// begin with a dot.
    pub fn is_name(name: &str) -> bool {
        is_file_name(name)
    }
}

/// The record's form: `SIZE SHA256 NAME PATH`, without the path where there is none.
impl fmt::Display for CopiedFile {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {} {}", self.size, self.sha256, self.name)?;
        self.from.as_ref().map_or(Ok(()), |from| write!(f, " {from}"))
    }
}

impl FromStr for CopiedFile {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = || BadId {
            kind: "file of a copy",
            given: s.chars().take(80).collect(),
            rule: "it has a size, a sum and a name",
        };
        let mut parts = s.splitn(4, ' ');
        let mut next = || parts.next();
        let (size, sha256, name) = (next(), next(), next());
        let size = size.and_then(|size| size.parse().ok()).ok_or_else(bad)?;
        let is_sum = |sum: &&str| sum.len() == 64 && sum.bytes().all(|b| b.is_ascii_hexdigit());
        let sha256 = sha256.filter(is_sum).ok_or_else(bad)?.to_owned();
        let name = name.filter(|name| CopiedFile::is_name(name)).ok_or_else(bad)?.to_owned();
        let from = next().map(|path| path.parse().map_err(|_| bad())).transpose()?;
        Ok(Self { name, size, sha256, from })
    }
}

/// A package's APKs as they were on a device, kept on this computer.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct KeptCopy {
    /// Its number in the logbook.
    pub number: CopyId,
    /// The device that it came from, or was meant for.
    pub device: DeviceId,
    /// The run that it was made for.
    pub run: Option<RunId>,
    /// The package.
    pub id: PackageId,
    /// `versionCode`, where it was told.
    pub version_code: Option<u64>,
    /// `versionName`.
    pub version: PlainText,
    /// Who had installed it.
    pub installer: Option<PackageId>,
    /// When it was made.
    pub made: Timestamp,
    /// Its folder, below that of all copies.
    pub folder: String,
    /// Its files, the base first.
    pub files: Vec<CopiedFile>,
    /// Of a package that was removed from the system: all that lay in its folder there.
    pub placed: Vec<Placed>,
    /// Whether somebody has said that it may be installed on other devices of the model.
    pub offered: bool,
}

impl KeptCopy {
    /// The last copy of a package that was made of what was on the device. What somebody gave to be installed is not what was there.
    pub fn last_of<'a>(copies: &'a [Self], id: &PackageId) -> Option<&'a Self> {
        copies.iter().filter(|copy| copy.id == *id && copy.run.is_some()).max_by_key(|copy| copy.number)
    }

    /// Whether it can be installed: one of what lay on the partition of the system is placed there again, and nothing else.
    pub fn installs(&self) -> bool {
        self.placed.is_empty()
    }

    /// Bytes of all files.
    pub fn size(&self) -> u64 {
        self.files.iter().fold(0, |sum, file| sum.saturating_add(file.size))
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_given_to_be_installed_is_not_what_was_there() {
        let made = crate::testing::copy("a.b", &["base.apk"]);
        let given = KeptCopy { number: CopyId::new(9), run: None, ..made.clone() };
        let other = KeptCopy { number: CopyId::new(8), ..crate::testing::copy("c.d", &["base.apk"]) };
        let copies = [given, made.clone(), other];
        assert_eq!(KeptCopy::last_of(&copies, &made.id).map(|copy| copy.number), Some(made.number));
        assert_eq!(KeptCopy::last_of(&copies[..1], &made.id), None);
    }

    #[test]
    fn files_are_written_down_and_read_again() {
        let sum = "ab".repeat(32);
        for (text, name, from) in [
            (
                format!("12 {sum} base.apk /data/app/~~x==/a b/base.apk"),
                "base.apk",
                Some("/data/app/~~x==/a b/base.apk"),
            ),
            (format!("0 {sum} split_config.de.apk"), "split_config.de.apk", None),
        ] {
            let file: CopiedFile = text.parse().unwrap();
            assert_eq!((file.name.as_str(), file.from.as_ref().map(DevicePath::as_str)), (name, from));
            assert_eq!(file.to_string(), text);
        }
        for bad in [
            "",
            "x",
            &format!("1 {sum} ../x"),
            &format!("1 {sum} .x"),
            &format!("1 {} a", "z".repeat(64)),
            &format!("-1 {sum} a"),
        ] {
            assert!(bad.parse::<CopiedFile>().is_err(), "{bad}");
        }
    }
}
