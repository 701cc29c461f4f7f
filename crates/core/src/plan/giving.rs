//! What gives a package again what people had given it.

use wibbet_types::{PackageId, UserId, shell_quoted};

use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::Given;

impl Given {
    /// What gives it again, where the shell may on this version. Sources: `PackageManagerShellCommand`, `RoleShellCommand`,
    /// `InputMethodManagerService`, `NotificationShellCmd`, `OverlayManagerShellCommand`, `DeviceIdleController`.
    pub fn request(&self, id: &PackageId, user: UserId, capabilities: &Capabilities) -> Option<Request> {
        let shell = |words: &[&str]| {
            let words: Vec<String> = words.iter().map(|word| shell_quoted(word)).collect();
            Request::change_by_shell(words.join(" "))
        };
        let number = user.to_string();
        let (number, text) = (number.as_str(), id.as_str());
        let package = |words: &[&str]| Request::change(words.iter().map(|word| (*word).to_owned()).collect());
        let ime = |command: &str, part: &str| match capabilities.chooses_keyboards_per_user() {
            true => Some(shell(&["ime", command, "--user", number, part])),
            // Without a user it is for whoever is in front.
            false => (user == UserId::OWNER).then(|| shell(&["ime", command, part])),
        };
        match self {
            Self::Permission(name) => {
                capabilities.asks_for_permissions().then(|| package(&["grant", "--user", number, text, name]))
            }
            Self::Role(name) => capabilities
                .has_roles()
                .then(|| shell(&["cmd", "role", "add-role-holder", "--user", number, name, text])),
            Self::Home(part) => Some(package(&["set-home-activity", "--user", number, part])),
            Self::Dialer => (user == UserId::OWNER).then(|| shell(&["telecom", "set-default-dialer", text])),
            Self::Keyboard(part) => ime("enable", part),
            Self::ChosenKeyboard(part) => ime("set", part),
            Self::Listener(part) => capabilities
                .has_service_shells()
                .then(|| shell(&["cmd", "notification", "allow_listener", part, number])),
            Self::Setting(name, value) => Some(shell(&["settings", "--user", number, "put", "secure", name, value])),
            Self::Overlay => {
                capabilities.has_service_shells().then(|| shell(&["cmd", "overlay", "enable", "--user", number, text]))
            }
            Self::BatteryExempt => Some(shell(&["cmd", "deviceidle", "whitelist", &format!("+{text}")])),
            // The setting is a list of several apps, and what reads the screen is switched on by a person.
            Self::Accessibility(_) => None,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    #[test]
    fn the_words_that_go_to_the_device() {
        let id = testing::id("com.x");
        let sent = |given: &Given, user: u32, sdk: u32| {
            let capabilities = testing::capabilities(sdk);
            let request = given.request(&id, UserId::new(user), &capabilities)?;
            assert!(request.changes);
            Some(request.command())
        };
        let new: Vec<Option<String>> = testing::every_given().iter().map(|given| sent(given, 10, 34)).collect();
        let expected = [
            Some("grant --user 10 com.x android.permission.CAMERA"),
            Some("cmd role add-role-holder --user 10 android.app.role.SMS com.x"),
            Some("set-home-activity --user 10 com.x/.Home"),
            None,
            Some("ime enable --user 10 com.x/.Keys"),
            Some("ime set --user 10 com.x/.Keys"),
            Some("cmd notification allow_listener 'com.x/com.x.A$B' 10"),
            Some("settings --user 10 put secure autofill_service com.x/.Fill"),
            None,
            Some("cmd overlay enable --user 10 com.x"),
            Some("cmd deviceidle whitelist +com.x"),
        ];
        assert_eq!(new, expected.map(|words| words.map(str::to_owned)));
        let old = |n: usize, user| sent(&testing::every_given()[n], user, 24);
        assert_eq!((old(1, 0), old(5, 10), old(6, 0), old(9, 0)), (None, None, None, None));
        assert_eq!(old(5, 0).as_deref(), Some("ime set com.x/.Keys"));
        assert_eq!(sent(&testing::every_given()[0], 0, 22), None, "permissions come with the app there");
    }

    proptest! {
        /// Nothing that a record or a device can hold becomes more than one word of a shell.
        #[test]
        fn nothing_is_injected(text in "(permission|role|home|keyboard|listener|setting autofill_service) .{0,40}") {
            if let Ok(given) = text.parse::<Given>()
                && let Some(request) = given.request(&testing::id("com.x"), UserId::OWNER, &testing::capabilities(34))
            {
                prop_assert!(!request.command().contains([';', '|', '&', '`', '\n', '(', '<', '>']), "{}", request.command());
            }
        }
    }
}
