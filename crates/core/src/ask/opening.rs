//! Opening something on the device's screen.

use wibbet_types::{PackageId, PlainText, UserId, shell_quoted};

use super::request::{Output, Request};

/// Something to be opened on the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Opening {
    /// The package.
    pub id: PackageId,
    /// For whom.
    pub user: UserId,
    /// The class of its screen; `None` for the page of the settings that tells about the app.
    pub class: Option<String>,
}

impl Opening {
    /// What is asked.
    pub fn request(&self) -> Request {
        let (id, user) = (&self.id, self.user);
        let command = match &self.class {
            Some(class) => format!(
                "am start --user {user} -a android.intent.action.MAIN -c android.intent.category.LAUNCHER -n {}",
                shell_quoted(&format!("{id}/{class}"))
            ),
            None => format!("am start --user {user} -a android.settings.APPLICATION_DETAILS_SETTINGS -d package:{id}"),
        };
        Request::shell(command)
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
        let opening = |class: Option<&str>| Opening {
            id: "com.ostrel.notes".parse().unwrap(),
            user: UserId::new(10),
            class: class.map(str::to_owned),
        };
        let page = opening(None).request().command();
        assert!(page.ends_with("APPLICATION_DETAILS_SETTINGS -d package:com.ostrel.notes"), "{page}");
        // A class comes from an APK and may hold anything.
        let odd = opening(Some("com.ostrel.Main; reboot")).request().command();
        assert!(odd.ends_with("-n 'com.ostrel.notes/com.ostrel.Main; reboot'"), "{odd}");
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
