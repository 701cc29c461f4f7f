//! `getprop`, and the id that Android gives an installation.

use std::collections::HashMap;

use wibbet_types::{AndroidVersion, PlainText, Serial};

use crate::device::{DeviceFacts, DeviceKind};

/// What is sent for a device's properties.
pub const PROPERTIES: &str = "getprop";

/// A device's properties.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Properties(HashMap<String, String>);

impl Properties {
    /// Reads lines like `[ro.build.version.sdk]: [34]`. A value may run over several lines.
    pub fn read(text: &str) -> Self {
        let mut properties = HashMap::new();
        let mut open: Option<(String, String)> = None;
        for line in text.lines() {
            if let Some((name, mut value)) = open.take() {
                value.push('\n');
                value.push_str(line.strip_suffix(']').unwrap_or(line));
                if line.ends_with(']') {
                    properties.insert(name, value);
                } else {
                    open = Some((name, value));
                }
                continue;
            }
            let Some((name, value)) = line.trim_start().strip_prefix('[').and_then(|l| l.split_once("]: [")) else {
                continue;
            };
            match value.strip_suffix(']') {
                Some(value) => drop(properties.insert(name.to_owned(), value.to_owned())),
                None => open = Some((name.to_owned(), value.to_owned())),
            }
        }
        Self(properties)
    }

    /// A property's value; empty where there is none.
    pub fn get(&self, name: &str) -> &str {
        self.0.get(name).map_or("", String::as_str)
    }

    /// The name that the device is sold under, for which each maker has a property of its own; the one of the shortest name is
    /// that of the whole device.
    fn market_name(&self) -> &str {
        let is_one = |name: &str| ["marketname", "market.name", "marketing_name"].iter().any(|end| name.ends_with(end));
        let named = self.0.iter().filter(|(name, value)| is_one(name) && !value.trim().is_empty());
        named.min_by_key(|(name, _)| (name.len(), name.as_str())).map_or("", |(_, value)| value.trim())
    }

    /// What the device is. `None` when its API level is missing, without which nothing can be
    /// done. A device without a serial of its own gets `stand_in`.
    pub fn facts(&self, stand_in: &Serial) -> Option<DeviceFacts> {
        let sdk: u32 = self.get("ro.build.version.sdk").trim().parse().ok()?;
        let serial = ["ro.serialno", "ro.boot.serialno"]
            .iter()
            .find_map(|name| self.get(name).trim().parse::<Serial>().ok())
            .unwrap_or_else(|| stand_in.clone());
        let text = |name| PlainText::short(self.get(name).trim());
        Some(DeviceFacts {
            id: serial.clone().into(),
            serial,
            maker: text("ro.product.manufacturer"),
            model: text("ro.product.model"),
            market: PlainText::short(self.market_name()),
            android: AndroidVersion::new(sdk, self.get("ro.build.version.release").trim()),
            patch: text("ro.build.version.security_patch"),
            kind: DeviceKind::from_characteristics(self.get("ro.build.characteristics")),
            build: text("ro.build.display.id"),
            android_id: None,
            boot_id: None,
        })
    }
}

/// What is asked to tell devices of equal serial apart, beside their properties: the id of this start of its kernel, and
/// the one that Android gives an installation. The shell may read both (`proc_random`, the settings provider).
///
/// The first user's id is asked for, whoever is in front: it is no other device then.
pub const IDENTITY: &str = "cat /proc/sys/kernel/random/boot_id; settings --user 0 get secure android_id";

/// What is sent to a device that does not say what kind it is.
pub const IS_TV: &str = "cmd package has-feature android.software.leanback; pm list features | grep leanback";

/// Whether the answer to [`IS_TV`] says that it is one: `true`, or the line of a list.
pub fn read_is_tv(text: &str) -> bool {
    text.lines().map(str::trim).any(|line| line == "true" || line == "feature:android.software.leanback")
}

/// Reads the answer to [`IDENTITY`], in which errors may be mixed: the boot id and the Android id.
pub fn read_identity(text: &str) -> (Option<PlainText>, Option<PlainText>) {
    let boot_id = text.lines().map(str::trim).find(|line| is_uuid(line)).map(PlainText::new);
    (boot_id, text.lines().rev().find_map(read_android_id))
}

/// Whether a text is a UUID in the kernel's form: 8-4-4-4-12 hex digits.
fn is_uuid(text: &str) -> bool {
    let parts: Vec<&str> = text.split('-').collect();
    parts.iter().map(|part| part.len()).eq([8, 4, 4, 4, 12])
        && parts.iter().all(|part| part.chars().all(|c| c.is_ascii_hexdigit()))
}

/// Reads an Android id: sixteen hex digits, or nothing that can be used.
fn read_android_id(text: &str) -> Option<PlainText> {
    let id = text.trim();
    (id.len() >= 8 && id.len() <= 16 && id.chars().all(|c| c.is_ascii_hexdigit())).then(|| PlainText::new(id))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn properties_and_facts() {
        let text = "[ro.build.version.sdk]: [34]\n[ro.build.version.release]: [14]\n[ro.product.manufacturer]: [Corvane]\n\
                    [ro.product.model]: [Tarn 5]\n[long.value]: [one\ntwo]\n[ro.serialno]: [CT5-1]\nrubbish\n[open]: [never closed\n";
        let properties = Properties::read(text);
        assert_eq!(properties.get("long.value"), "one\ntwo");
        let stand_in = "at-1".parse().unwrap();
        let facts = properties.facts(&stand_in).unwrap();
        assert_eq!(
            (facts.name().as_str(), facts.serial.as_str(), facts.android.sdk()),
            ("Corvane Tarn 5", "CT5-1", 34)
        );
        let market = |lines: &str| {
            let text = format!(
                "[ro.build.version.sdk]: [34]\n[ro.product.manufacturer]: [Corvane]\n[ro.product.model]: [CT5-L2]\n{lines}"
            );
            Properties::read(&text).facts(&stand_in).unwrap().name()
        };
        assert_eq!(market(""), "Corvane CT5-L2");
        assert_eq!(
            market("[ro.product.vendor.marketname]: [x]\n[ro.product.marketname]: [Corvane Tarn 5]"),
            "Corvane Tarn 5"
        );
        assert_eq!(market("[ro.config.marketing_name]: [Tarn 5]\n[ro.vendor.market.name]: [ ]"), "Corvane Tarn 5");
        assert!(Properties::read("").facts(&stand_in).is_none());
        let bare = Properties::read("[ro.build.version.sdk]: [23]\n[ro.serialno]: []").facts(&stand_in).unwrap();
        assert_eq!(bare.serial, stand_in);
    }

    #[test]
    fn a_television_says_so() {
        for (text, is) in [
            ("true\n", true),
            ("feature:android.software.leanback\r\n", true),
            ("false\n", false),
            ("Unknown command: has-feature\nfeature:android.software.leanback_only\n", false),
            ("cmd: Can't find service: package", false),
        ] {
            assert_eq!(read_is_tv(text), is, "{text}");
        }
    }

    #[test]
    fn what_tells_devices_apart() {
        let (boot, android) = ("7c1e0a52-9f6d-4b35-8d21-5e0f3a9c4471", "9f3c2b1a00e4d5c6");
        let told = |text: &str| {
            let (boot, android) = read_identity(text);
            (boot.map(|id| id.to_string()), android.map(|id| id.to_string()))
        };
        assert_eq!(told(&format!("{boot}\n{android}\n")), (Some(boot.into()), Some(android.into())));
        let denied = "cat: /proc/sys/kernel/random/boot_id: Permission denied\r\n9f3c2b1a00e4d5c6\r\n";
        assert_eq!(told(denied), (None, Some(android.into())));
        assert_eq!(told(&format!("{boot}\ncmd: Can't find service: settings\n")), (Some(boot.into()), None));
        for none in
            ["null", "", "Error: no", "9f3c2b1a00e4d5c69f3c", "7c1e0a52-9f6d-4b35-8d21", "-".repeat(36).as_str()]
        {
            assert_eq!(told(none), (None, None));
        }
    }
}
