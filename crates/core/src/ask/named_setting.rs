//! A setting of the device by its name, as an order sets it: read, set, and put back.

use std::fmt;

use wibbet_types::{PlainText, UserId, named, shell_quoted};

use super::request::{Output, Request};

/// A table of Android's settings service.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum SettingsTable {
    /// Of the device as a whole.
    Global,
    /// Of a user, what apps may read and not write.
    Secure,
    /// Of a user, what people set for themselves.
    System,
}
named!(SettingsTable { Global => "global", Secure => "secure", System => "system" });

/// The name of a setting, in its table.
#[derive(Debug, Clone, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub struct NamedSetting {
    table: SettingsTable,
    name: String,
}

/// Why a setting cannot be set by an order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, thiserror::Error)]
pub enum BadSetting {
    /// Names are made of other signs.
    #[error("a name has 1 to {LONGEST_NAME} letters, digits, and . _ - :")]
    Name,
    /// Values are what can be shown and read back.
    #[error("a value has 1 to {LONGEST_VALUE} signs that can be shown, and is not “null”")]
    Value,
    /// It is the link itself.
    #[error("it switches debugging, which `close` in [end] does")]
    Link,
    /// A device that takes itself for new locks people out.
    #[error("without it the device takes itself for one that was never set up")]
    SetUp,
}

const LONGEST_NAME: usize = 100;
const LONGEST_VALUE: usize = 500;

/// What nobody sets by its name. Source: `Settings.Global` and `Settings.Secure` of AOSP.
const KEPT: [(&str, BadSetting); 6] = [
    ("adb_enabled", BadSetting::Link),
    ("adb_wifi_enabled", BadSetting::Link),
    ("development_settings_enabled", BadSetting::Link),
    ("device_provisioned", BadSetting::SetUp),
    ("user_setup_complete", BadSetting::SetUp),
    ("tv_user_setup_complete", BadSetting::SetUp),
];

impl NamedSetting {
    /// A setting that an order may set.
    ///
    /// # Errors
    /// When the name is none, or one that nobody sets so.
    pub fn new(table: SettingsTable, name: &str) -> Result<Self, BadSetting> {
        let fits = |byte: u8| byte.is_ascii_alphanumeric() || b"._-:".contains(&byte);
        // What begins with a hyphen would be an option.
        if name.is_empty() || name.len() > LONGEST_NAME || !name.bytes().all(fits) || name.starts_with('-') {
            return Err(BadSetting::Name);
        }
        if let Some((_, why)) = KEPT.iter().find(|(kept, _)| kept.eq_ignore_ascii_case(name)) {
            return Err(*why);
        }
        Ok(Self { table, name: name.to_owned() })
    }

    /// Its table.
    pub fn table(&self) -> SettingsTable {
        self.table
    }

    /// Its name in the table.
    pub fn name(&self) -> &str {
        &self.name
    }

    /// Whether each user has one of their own.
    pub fn is_of_a_user(&self) -> bool {
        self.table != SettingsTable::Global
    }

    fn command(&self, user: UserId, verb: &str) -> String {
        let whose = if self.is_of_a_user() { format!("--user {user} ") } else { String::new() };
        format!("settings {whose}{verb} {} {}", self.table, shell_quoted(&self.name))
    }

    /// What is asked to read it.
    pub fn get(&self, user: UserId) -> Request {
        Request::shell(self.command(user, "get"))
    }

    /// What is asked to set it, or to take it away where it was never set.
    pub fn put(&self, user: UserId, value: Option<&str>) -> Request {
        Request::change_by_shell(match value {
            Some(value) => format!("{} {}", self.command(user, "put"), shell_quoted(value)),
            None => self.command(user, "delete"),
        })
    }

    /// What it is: `None` where it was never set.
    ///
    /// # Errors
    /// What the device says instead.
    pub fn read(answer: &Output) -> Result<Option<String>, String> {
        let line = answer.out.trim_end_matches(['\r', '\n']);
        let trouble = ["Exception", "Error:", "java.lang.", "usage:", "cmd: ", "/system/bin/sh:"];
        let words = || PlainText::new(&answer.text()).into_string().replace('\n', " ");
        if answer.code.is_some_and(|code| code != 0) || trouble.iter().any(|start| line.starts_with(start)) {
            return Err(if answer.text().is_empty() { "it says nothing".into() } else { words() });
        }
        // An old shell has no errors of their own: a setting that is there says something.
        match line {
            "" if !answer.err.trim().is_empty() => Err(words()),
            "null" => Ok(None),
            line if line.len() > LONGEST_VALUE * 8 => Err("what it is now is too long to be put back".into()),
            line if PlainText::new(line).as_str() != line => Err("what it is now cannot be shown".into()),
            line => Ok(Some(line.to_owned())),
        }
    }

    /// Whether a value can be set, and told from others when it is read back.
    ///
    /// # Errors
    /// [`BadSetting::Value`] where it cannot.
    pub fn is_fit(value: &str) -> Result<(), BadSetting> {
        let plain = PlainText::new(value).as_str() == value && value.trim() == value && !value.contains('\n');
        let long = (1..=LONGEST_VALUE).contains(&value.chars().count());
        if plain && long && value != "null" { Ok(()) } else { Err(BadSetting::Value) }
    }
}

/// Its table and its name, as the device's command has them.
impl fmt::Display for NamedSetting {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {}", self.table, self.name)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_is_asked_for_and_set_in_its_table() {
        let of = |table, name| NamedSetting::new(table, name).unwrap();
        let (scale, pier) = (of(SettingsTable::Global, "window_animation_scale"), UserId::new(11));
        assert_eq!(scale.get(pier).command(), "settings get global window_animation_scale");
        assert_eq!(scale.put(pier, Some("0.5")).command(), "settings put global window_animation_scale 0.5");
        let timeout = of(SettingsTable::System, "screen_off_timeout");
        assert_eq!(timeout.get(pier).command(), "settings --user 11 get system screen_off_timeout");
        assert_eq!(timeout.put(pier, None).command(), "settings --user 11 delete system screen_off_timeout");
        let name = of(SettingsTable::Secure, "bluetooth_name");
        let words = name.put(UserId::OWNER, Some("Pier 3; reboot")).command();
        assert_eq!(words, "settings --user 0 put secure bluetooth_name 'Pier 3; reboot'");
        assert!(name.put(UserId::OWNER, None).changes && !name.get(UserId::OWNER).changes);
    }

    #[test]
    fn what_nobody_sets_so_is_refused() {
        let name = |name: &str| NamedSetting::new(SettingsTable::Global, name).map(|_| ());
        for bad in ["", "a b", "a;b", "--user", "a\n", "ä", &"x".repeat(101)] {
            assert_eq!(name(bad), Err(BadSetting::Name), "{bad}");
        }
        assert_eq!(name("ADB_enabled"), Err(BadSetting::Link));
        assert_eq!(name("device_provisioned"), Err(BadSetting::SetUp));
        for bad in ["", "null", " 1", "a\nb", "a\u{202e}b", &"x".repeat(501)] {
            assert_eq!(NamedSetting::is_fit(bad), Err(BadSetting::Value), "{bad:?}");
        }
        assert_eq!(NamedSetting::is_fit("Pier 3, Häfen"), Ok(()));
    }

    #[test]
    fn what_it_is_is_told_from_what_went_wrong() {
        let said = |out: &str, err: &str, code| NamedSetting::read(&Output { out: out.into(), err: err.into(), code });
        assert_eq!(said("0.5\r\n", "", None), Ok(Some("0.5".into())));
        assert_eq!(said("null\n", "", Some(0)), Ok(None));
        assert_eq!(said("\n", "", Some(0)), Ok(Some(String::new())));
        let refused = "Exception occurred while executing 'get':\njava.lang.SecurityException: no\n";
        for bad in [
            said(refused, "", Some(255)),
            said(refused, "", None),
            said("", "Security exception", None),
            said("", "", Some(1)),
        ] {
            assert!(bad.is_err(), "{bad:?}");
        }
        assert!(said("a\u{1b}[2J\n", "", Some(0)).is_err());
        assert!(said(&"x".repeat(5000), "", Some(0)).is_err());
    }
}
