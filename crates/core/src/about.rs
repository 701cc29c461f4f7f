//! What is known of a package beside its state, each part maybe not told.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, PlainText, UserId};

/// A moment as the device's own clock shows it, in seconds since the beginning of 1970 on that clock. Only differences
/// between moments of one device mean anything.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct Stamp(pub i64);

impl Stamp {
    /// Reads `2026-01-12 08:00:00`, the form in which Android's dumps print moments. What comes before 1971 stands for
    /// "never" there, and is none.
    pub fn read(text: &str) -> Option<Self> {
        let (date, time) = text.trim().split_once(' ')?;
        let numbers = |text: &str, by: char| -> Option<[i64; 3]> {
            let mut parts = text.split(by).map(|p| p.split('.').next().unwrap_or(p).parse::<i64>().ok());
            let all = [parts.next()??, parts.next()??, parts.next()??];
            parts.next().is_none().then_some(all)
        };
        let ([year, month, day], [hour, minute, second]) = (numbers(date, '-')?, numbers(time, ':')?);
        let fits = (1971..=9999).contains(&year) && (1..=12).contains(&month) && (1..=31).contains(&day);
        if !fits || !(0..24).contains(&hour) || !(0..60).contains(&minute) || !(0..=60).contains(&second) {
            return None;
        }
        // Days since 1970, counting years from March (the method of H. Hinnant's "days from civil").
        let year = if month <= 2 { year - 1 } else { year };
        let (era, of_era) = (year.div_euclid(400), year.rem_euclid(400));
        let of_year = (153 * ((month + 9) % 12) + 2) / 5 + day - 1;
        let days = era * 146_097 + of_era * 365 + of_era / 4 - of_era / 100 + of_year - 719_468;
        Some(Self(days * 86_400 + hour * 3600 + minute * 60 + second))
    }

    /// Whole days from here to `later`; 0 where that is earlier.
    pub fn days_until(self, later: Self) -> i64 {
        ((later.0 - self.0) / 86_400).max(0)
    }

    /// The date, `2026-01-12`.
    pub fn date(self) -> String {
        let days = self.0.div_euclid(86_400) + 719_468;
        let (era, of_era) = (days.div_euclid(146_097), days.rem_euclid(146_097));
        let years = (of_era - of_era / 1460 + of_era / 36_524 - of_era / 146_096) / 365;
        let of_year = of_era - (365 * years + years / 4 - years / 100);
        let shifted = (5 * of_year + 2) / 153;
        let day = of_year - (153 * shifted + 2) / 5 + 1;
        let month = if shifted < 10 { shifted + 3 } else { shifted - 9 };
        format!("{:04}-{month:02}-{day:02}", years + era * 400 + i64::from(month <= 2))
    }
}

/// What the package service tells of a package.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct About {
    /// `versionCode`.
    pub version_code: Option<u64>,
    /// `minSdk`.
    pub min_sdk: Option<u32>,
    /// `targetSdk`.
    pub target_sdk: Option<u32>,
    /// The names of its parts beside the base, such as `config.de`.
    pub splits: Vec<String>,
    /// Who installed it: `installerPackageName`.
    pub installer: Option<PackageId>,
    /// Its number among apps; with the user's in front, the Unix user it runs as.
    pub uid: Option<u32>,
    /// The name that it shares its uid under.
    pub shared_user: Option<PlainText>,
    /// When it came, for the user it came to first where that is told apart.
    pub installed: Option<Stamp>,
    /// When it was last updated.
    pub updated: Option<Stamp>,
    /// Permissions that it declares itself.
    pub declares: Vec<String>,
    /// Permissions that it asks for.
    pub requests: Vec<String>,
    /// Permissions that it has for all users.
    pub granted: BTreeSet<String>,
    /// Permissions that somebody gave it, by user.
    pub granted_to: BTreeMap<UserId, BTreeSet<String>>,
}

impl About {
    /// Whether it has a permission for a user.
    pub fn may(&self, permission: &str, user: UserId) -> bool {
        self.granted.contains(permission) || self.granted_to.get(&user).is_some_and(|g| g.contains(permission))
    }
}

/// What a permission lets an app do, in words, for those that are worth noting; `None` for the many others.
pub fn permission_words(permission: &str) -> Option<&'static str> {
    const WORDS: [(&str, &str); 32] = [
        ("ACCESS_BACKGROUND_LOCATION", "see where the device is, at any time"),
        ("ACCESS_COARSE_LOCATION", "see roughly where the device is"),
        ("ACCESS_FINE_LOCATION", "see exactly where the device is"),
        ("ACTIVITY_RECOGNITION", "count steps and see how the device is carried"),
        ("ANSWER_PHONE_CALLS", "answer calls"),
        ("BIND_ACCESSIBILITY_SERVICE", "read the screen and act on it"),
        ("BIND_DEVICE_ADMIN", "manage the device"),
        ("BIND_INPUT_METHOD", "be a keyboard"),
        ("BLUETOOTH_SCAN", "look for devices nearby"),
        ("BODY_SENSORS", "read the heart rate and the like"),
        ("CALL_PHONE", "make calls"),
        ("CAMERA", "take pictures"),
        ("GET_ACCOUNTS", "see who is signed in"),
        ("INSTALL_PACKAGES", "install apps without asking"),
        ("INTERNET", "use the network"),
        ("MANAGE_EXTERNAL_STORAGE", "read and change all files"),
        ("PACKAGE_USAGE_STATS", "see which apps are used"),
        ("POST_NOTIFICATIONS", "show notifications"),
        ("QUERY_ALL_PACKAGES", "see which apps are installed"),
        ("READ_CALENDAR", "read the calendar"),
        ("READ_CALL_LOG", "see who was called"),
        ("READ_CONTACTS", "read the contacts"),
        ("READ_EXTERNAL_STORAGE", "read files"),
        ("READ_PHONE_STATE", "see number, SIM and calls"),
        ("READ_SMS", "read messages"),
        ("RECEIVE_BOOT_COMPLETED", "start with the device"),
        ("RECORD_AUDIO", "listen"),
        ("REQUEST_INSTALL_PACKAGES", "offer apps for installation"),
        ("SEND_SMS", "send messages"),
        ("SYSTEM_ALERT_WINDOW", "draw over other apps"),
        ("WRITE_SECURE_SETTINGS", "change any setting"),
        ("WRITE_SETTINGS", "change system settings"),
    ];
    let name = permission.strip_prefix("android.permission.")?;
    WORDS.iter().find(|(own, _)| *own == name).map(|(_, words)| *words)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn moments_as_dumps_print_them() {
        for (text, seconds, date) in [
            ("1971-01-01 00:00:00", 31_536_000, "1971-01-01"),
            ("2024-02-29 23:59:59", 1_709_251_199, "2024-02-29"),
            ("2026-11-23 14:00:05.123", 1_795_442_405, "2026-11-23"),
        ] {
            let stamp = Stamp::read(text).unwrap();
            assert_eq!((stamp.0, stamp.date().as_str()), (seconds, date), "{text}");
        }
        for none in ["", "1970-01-01 01:00:00", "2026-13-01 00:00:00", "2026-11-23", "x y", "2026-1-1-1 0:0:0"] {
            assert_eq!(Stamp::read(none), None, "{none}");
        }
        let (a, b) = (Stamp(0), Stamp(86_400 * 3 - 1));
        assert_eq!((a.days_until(b), b.days_until(a)), (2, 0));
    }
}
