//! What people have given a package for one user, beyond its state: permissions, roles, choices in the settings. Android takes it
//! away when the package is uninstalled for the user, and some of it when it is disabled; most of it can be given again.

use std::fmt;
use std::str::FromStr;

use wibbet_types::BadId;

use crate::android::role_words;

/// Something that a package has been given for a user.
#[derive(Debug, Clone, PartialEq, Eq, PartialOrd, Ord, Hash)]
pub enum Given {
    /// A permission that somebody has to agree to.
    Permission(String),
    /// A role, by its name: `android.app.role.SMS`.
    Role(String),
    /// It shows the home screen: the part that does. Before there were roles.
    Home(String),
    /// It makes calls. Before there were roles.
    Dialer,
    /// A part of it is a keyboard that may be chosen.
    Keyboard(String),
    /// And that one is chosen.
    ChosenKeyboard(String),
    /// A part of it reads notifications.
    Listener(String),
    /// It is named in a secure setting that names one app or part, by the setting's name and its value.
    Setting(String, String),
    /// A part of it reads the screen and acts on it.
    Accessibility(String),
    /// It is an overlay, and on.
    Overlay,
    /// Somebody has left it out of what saves the battery. One list for the whole device, by the name of the package.
    BatteryExempt,
}

/// Secure settings that name one app, or a part of one. Source: `Settings.Secure`.
const SETTINGS: [(&str, &str); 3] = [
    ("autofill_service", "filling in forms"),
    ("nfc_payment_default_component", "paying"),
    ("tts_default_synth", "reading aloud"),
];

impl Given {
    /// The secure settings that are of interest for themselves, with what each chooses an app for.
    pub fn settings() -> impl Iterator<Item = (&'static str, &'static str)> {
        SETTINGS.into_iter()
    }

    /// Whether it stays while the package is only disabled. Sources: `PermissionManagerService`, `ManagedServices`,
    /// `OverlayManagerService`, `DeviceIdleController`; roles, keyboards and the like are chosen anew.
    pub fn outlives_disabling(&self) -> bool {
        matches!(
            self,
            Self::Permission(_) | Self::Listener(_) | Self::Accessibility(_) | Self::Overlay | Self::BatteryExempt
        )
    }

    /// What it is, for people.
    pub fn words(&self) -> String {
        match self {
            Self::Permission(name) => match crate::android::permission_words(name) {
                Some(words) => format!("may {words}"),
                None => name.strip_prefix("android.permission.").unwrap_or(name).to_owned(),
            },
            Self::Role(name) => format!("the role of {}", role_words(name)),
            Self::Home(_) => "the home screen".into(),
            Self::Dialer => "phone calls".into(),
            Self::Keyboard(_) => "a keyboard that may be chosen".into(),
            Self::ChosenKeyboard(_) => "the chosen keyboard".into(),
            Self::Listener(_) => "reading notifications".into(),
            Self::Setting(name, _) => {
                let words = SETTINGS.iter().find(|(known, _)| known == name).map_or(name.as_str(), |(_, words)| words);
                format!("chosen for {words}")
            }
            Self::Accessibility(_) => "accessibility service".into(),
            Self::Overlay => "switched on as an overlay".into(),
            Self::BatteryExempt => "left out of saving the battery".into(),
        }
    }
}

/// Whether a text can be the name of a permission, a role or a setting.
fn is_name(text: &str) -> bool {
    !text.is_empty()
        && text.len() <= 255
        && !text.starts_with('-') // No option of what it is sent with.
        && text.bytes().all(|b| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'-'))
}

/// Whether a text can name a part of a package: `PKG/CLASS`.
fn is_part(text: &str) -> bool {
    let fits = |b: u8| b.is_ascii_alphanumeric() || matches!(b, b'.' | b'_' | b'$' | b'-' | b'/');
    text.contains('/') && text.len() <= 512 && !text.starts_with('-') && text.bytes().all(fits)
}

/// The record's form: `permission android.permission.CAMERA`, `overlay`.
impl fmt::Display for Given {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self {
            Self::Permission(name) => write!(f, "permission {name}"),
            Self::Role(name) => write!(f, "role {name}"),
            Self::Home(part) => write!(f, "home {part}"),
            Self::Dialer => f.write_str("dialer"),
            Self::Keyboard(part) => write!(f, "keyboard {part}"),
            Self::ChosenKeyboard(part) => write!(f, "chosen-keyboard {part}"),
            Self::Listener(part) => write!(f, "listener {part}"),
            Self::Setting(name, value) => write!(f, "setting {name} {value}"),
            Self::Accessibility(part) => write!(f, "accessibility {part}"),
            Self::Overlay => f.write_str("overlay"),
            Self::BatteryExempt => f.write_str("battery-exempt"),
        }
    }
}

impl FromStr for Given {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        let bad = || BadId {
            kind: "thing that an app was given",
            given: s.chars().take(60).collect(),
            rule: "nothing of that form is known",
        };
        let words: Vec<&str> = s.split(' ').collect();
        Ok(match words.as_slice() {
            ["overlay"] => Self::Overlay,
            ["battery-exempt"] => Self::BatteryExempt,
            ["dialer"] => Self::Dialer,
            ["permission", name] if is_name(name) => Self::Permission((*name).into()),
            ["role", name] if is_name(name) => Self::Role((*name).into()),
            ["home", part] if is_part(part) => Self::Home((*part).into()),
            ["keyboard", part] if is_part(part) => Self::Keyboard((*part).into()),
            ["chosen-keyboard", part] if is_part(part) => Self::ChosenKeyboard((*part).into()),
            ["listener", part] if is_part(part) => Self::Listener((*part).into()),
            ["accessibility", part] if is_part(part) => Self::Accessibility((*part).into()),
            // A record that somebody else wrote does not choose which setting is written.
            ["setting", name, value]
                if SETTINGS.iter().any(|(known, _)| known == name) && (is_part(value) || is_name(value)) =>
            {
                Self::Setting((*name).into(), (*value).into())
            }
            _ => return Err(bad()),
        })
    }
}

/// What became of giving something again.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Returned {
    /// What.
    pub what: Given,
    /// It was read back.
    pub done: bool,
    /// Why not, in words; empty where it was.
    pub why: String,
}

/// The record's form: `done role android.app.role.SMS`, `not overlay: the device says …`.
impl fmt::Display for Returned {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        match self.done {
            true => write!(f, "done {}", self.what),
            false => write!(f, "not {}: {}", self.what, self.why.replace('\n', " ")),
        }
    }
}

impl FromStr for Returned {
    type Err = BadId;

    fn from_str(s: &str) -> Result<Self, BadId> {
        match s.split_once(' ') {
            Some(("done", what)) => Ok(Self { what: what.parse()?, done: true, why: String::new() }),
            Some(("not", rest)) => {
                let (what, why) = rest.split_once(": ").unwrap_or((rest, ""));
                Ok(Self { what: what.parse()?, done: false, why: why.to_owned() })
            }
            _ => s.parse().map(|what| Self { what, done: false, why: String::new() }),
        }
    }
}

/// Several things in few words: "3 permissions, the role of messages".
pub fn given_words<'a>(all: impl IntoIterator<Item = &'a Given>) -> String {
    let (mut permissions, mut others) = (Vec::new(), Vec::new());
    for given in all {
        match given {
            Given::Permission(_) => permissions.push(given),
            // The chosen keyboard is one that may be chosen.
            Given::Keyboard(_) => {}
            other => others.push(other.words()),
        }
    }
    let permissions = match permissions.len() {
        0 => None,
        1 => Some("1 permission".to_owned()),
        n => Some(format!("{n} permissions")),
    };
    permissions.into_iter().chain(others).collect::<Vec<_>>().join(", ")
}

/// What became of giving things again, in words; `word` is what that is called: "given back".
pub fn returned_words(all: &[Returned], word: &str) -> String {
    let back = given_words(all.iter().filter(|one| one.done).map(|one| &one.what));
    let not = all.iter().filter(|one| !one.done).map(|one| match one.why.as_str() {
        "" => one.what.words(),
        why => format!("{} ({why})", one.what.words()),
    });
    let not: Vec<String> = not.collect();
    let mut parts = Vec::new();
    if !back.is_empty() {
        parts.push(format!("{word}: {back}"));
    }
    if !not.is_empty() {
        parts.push(format!("not {word}: {}", not.join(", ")));
    }
    parts.join("; ")
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;

    #[test]
    fn what_is_written_is_read_again() {
        for given in testing::every_given() {
            assert_eq!(given.to_string().parse::<Given>().unwrap(), given);
            assert!(!given.words().is_empty());
            let back = Returned { what: given.clone(), done: true, why: String::new() };
            assert_eq!(back.to_string().parse::<Returned>().unwrap(), back);
            let not = Returned { what: given, done: false, why: "the device says: no: never".into() };
            assert_eq!(not.to_string().parse::<Returned>().unwrap(), not);
        }
        let of_no_form =
            ["", "overlay x", "permission a b", "permission a;reboot", "setting a b c", "listener a'b", "role "];
        let unwanted =
            ["setting adb_enabled 1", "permission --all", "keyboard -a/.B", "setting autofill_service --user"];
        for bad in of_no_form.into_iter().chain(unwanted) {
            assert!(bad.parse::<Given>().is_err(), "{bad}");
        }
    }

    #[test]
    fn many_things_in_few_words() {
        let two = [testing::every_given(), vec!["permission x.Y".parse().unwrap()]].concat();
        let words = given_words(&two);
        assert!(words.starts_with("2 permissions, the role of messages, "), "{words}");
        let back = |what: &str, done, why: &str| Returned { what: what.parse().unwrap(), done, why: why.into() };
        let told = returned_words(
            &[back("overlay", true, ""), back("role android.app.role.SMS", false, "it says no")],
            "given back",
        );
        assert_eq!(told, "given back: switched on as an overlay; not given back: the role of messages (it says no)");
        assert_eq!(returned_words(&[], "given back"), "");
    }
}
