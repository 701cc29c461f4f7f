//! Opening something on the device's screen.

use wibbet_types::{PackageId, PlainText, UserId, shell_quoted};

use super::request::{Output, Request};

/// Something to be opened on the device, for one of its users.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Opening {
    /// A screen of an app, as from the home screen, by its class.
    Screen {
        /// The app.
        id: PackageId,
        /// For whom.
        user: UserId,
        /// The class of the screen.
        class: String,
    },
    /// The page of the settings that tells about an app.
    About {
        /// The app.
        id: PackageId,
        /// For whom.
        user: UserId,
    },
    /// Another page of the settings, by its action; the device's screen is woken first.
    Settings {
        /// The action.
        page: &'static str,
        /// For whom.
        user: UserId,
    },
}

impl Opening {
    /// What is asked. Sources: the documentation of `Settings`, `KeyEvent.KEYCODE_WAKEUP`.
    pub fn request(&self) -> Request {
        Request::shell(match self {
            Self::Screen { id, user, class } => format!(
                "am start --user {user} -a android.intent.action.MAIN -c android.intent.category.LAUNCHER -n {}",
                shell_quoted(&format!("{id}/{class}"))
            ),
            Self::About { id, user } => {
                format!("am start --user {user} -a android.settings.APPLICATION_DETAILS_SETTINGS -d package:{id}")
            }
            Self::Settings { page, user } => format!("input keyevent 224; am start --user {user} -a {page}"),
        })
    }

    /// What it is, in words.
    pub fn what(&self) -> String {
        match self {
            Self::Screen { id, .. } | Self::About { id, .. } => id.to_string(),
            Self::Settings { .. } => "The page of the settings".to_owned(),
        }
    }

    /// What went wrong, by the answer; `None` for success. `am` ends with 0 in any case.
    pub fn trouble(answer: &Output) -> Option<PlainText> {
        let text = answer.text();
        let trouble = text.lines().find(|l| l.contains("Error") || l.contains("Exception") || l.contains("not found"));
        trouble.map(|line| PlainText::new(line.trim()))
    }
}

/// Opens the developer options on the device, wherever its maker has put them, and wakes its screen first. Source:
/// `Settings.ACTION_APPLICATION_DEVELOPMENT_SETTINGS`, `KeyEvent.KEYCODE_WAKEUP`.
pub fn developer_options_request() -> Request {
    Request::shell("input keyevent 224; am start -a android.settings.APPLICATION_DEVELOPMENT_SETTINGS")
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_opened_and_what_the_answer_means() {
        let (id, user): (PackageId, _) = ("com.ostrel.notes".parse().unwrap(), UserId::new(10));
        let page = Opening::About { id: id.clone(), user }.request().command();
        assert!(page.ends_with("APPLICATION_DETAILS_SETTINGS -d package:com.ostrel.notes"), "{page}");
        // A class comes from an APK and may hold anything.
        let odd = Opening::Screen { id, user, class: "com.ostrel.Main; reboot".into() }.request().command();
        assert!(odd.ends_with("-n 'com.ostrel.notes/com.ostrel.Main; reboot'"), "{odd}");
        let keyboards = Opening::Settings { page: "android.settings.INPUT_METHOD_SETTINGS", user }.request().command();
        assert_eq!(keyboards, "input keyevent 224; am start --user 10 -a android.settings.INPUT_METHOD_SETTINGS");
        for (answer, trouble) in [
            ("Starting: Intent { act=android.intent.action.MAIN }\n", None),
            (
                "Starting: Intent { }\nError: Activity class does not exist.\n",
                Some("Error: Activity class does not exist."),
            ),
            ("/system/bin/sh: am: not found\n", Some("/system/bin/sh: am: not found")),
        ] {
            let answer = Output { out: answer.into(), ..Output::default() };
            assert_eq!(Opening::trouble(&answer).as_ref().map(PlainText::as_str), trouble);
        }
    }
}
