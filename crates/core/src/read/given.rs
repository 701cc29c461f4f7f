//! What people have chosen among the apps of a device: `dumpsys role`, secure settings, overlays, the list of what
//! is left out of saving the battery.

use std::collections::{BTreeMap, BTreeSet};

use wibbet_types::{PackageId, UserId};

use super::parts::{marked_request, parts};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::{Given, Package};

/// Values of a setting that are kept, in bytes.
const LONGEST: usize = 16 * 1024;

/// Holders of roles and the like that are kept.
const MOST: usize = 5000;

/// What is asked, for some users; `None` on versions that tell next to nothing of it (before Android 7).
pub fn given_request(capabilities: &Capabilities, users: &[UserId]) -> Option<Request> {
    if !capabilities.lists_settings() {
        return None;
    }
    let mut all: Vec<(String, String)> = Vec::new();
    if capabilities.has_roles() {
        all.push(("role".into(), capabilities.dump("role")));
    }
    if users.contains(&UserId::OWNER) {
        all.push(("battery".into(), "cmd deviceidle whitelist".into()));
    }
    for user in users {
        all.push((format!("s{user}"), format!("settings --user {user} list secure")));
        if capabilities.has_service_shells() {
            all.push((format!("o{user}"), format!("cmd overlay list --user {user}")));
            if !capabilities.has_roles() {
                all.push((format!("h{user}"), format!("cmd shortcut get-default-launcher --user {user}")));
            }
        }
    }
    Some(marked_request(all.iter().map(|(name, command)| (name.as_str(), command.as_str()))))
}

/// What is chosen, and for whom.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Choices {
    given: BTreeMap<(PackageId, UserId), BTreeSet<Given>>,
}

/// Reads the answer to [`given_request`].
pub fn read_choices(text: &str) -> Choices {
    let mut choices = Choices::default();
    for (name, body) in parts(text) {
        let user = |prefix: char| name.strip_prefix(prefix).and_then(|user| user.parse::<UserId>().ok());
        if name == "role" {
            choices.read_roles(body);
        } else if name == "battery" {
            // `user,com.x,10123`; lines of other kinds are the system's own. What is taken off the device for the owner is taken
            // off the list, whoever else has it.
            let chosen =
                body.lines().filter_map(|line| line.trim().strip_prefix("user,")?.split(',').next()?.parse().ok());
            chosen.for_each(|id| choices.note(id, UserId::OWNER, Given::BatteryExempt));
        } else if let Some(user) = user('s') {
            choices.read_settings(body, user);
        } else if let Some(user) = user('o') {
            let on = body.lines().filter_map(|line| line.trim().strip_prefix("[x] ")?.trim().parse().ok());
            on.for_each(|id| choices.note(id, user, Given::Overlay));
        } else if let Some(user) = user('h') {
            // Launcher: ComponentInfo{com.x/com.x.Home}
            let part = body.lines().find_map(|line| line.split_once("ComponentInfo{")?.1.split('}').next());
            part.into_iter().for_each(|part| choices.note_part(part, user, Given::Home));
        }
    }
    choices
}

impl Choices {
    fn note(&mut self, id: PackageId, user: UserId, given: Given) {
        if self.given.len() < MOST {
            self.given.entry((id, user)).or_default().insert(given);
        }
    }

    /// Something that a part of a package is chosen for; what cannot be the name of one is passed over.
    fn note_part(&mut self, part: &str, user: UserId, given: impl Fn(String) -> Given) {
        let id = part.split('/').next().and_then(|id| id.parse().ok());
        let given = given(part.to_owned());
        if let (Some(id), true) = (id, given.to_string().parse::<Given>().is_ok()) {
            self.note(id, user, given);
        }
    }

    /// `user_id=0`, then for each role `name=…` and its `holders=…`.
    fn read_roles(&mut self, body: &str) {
        let (mut user, mut role) = (None, None);
        for line in body.lines().map(str::trim) {
            match line.split_once('=') {
                Some(("user_id", number)) => (user, role) = (number.parse().ok(), None),
                Some(("name", name)) => role = Some(Given::Role(name.to_owned())),
                Some(("holders", id)) => {
                    if let (Some(user), Some(role), Ok(id)) = (user, &role, id.parse())
                        && role.to_string().parse::<Given>().is_ok()
                    {
                        self.note(id, user, role.clone());
                    }
                }
                _ => {}
            }
        }
    }

    /// Lines like `default_input_method=com.x/.Keys`; of a list the parts stand between colons, and a keyboard's ways of writing
    /// behind a semicolon.
    fn read_settings(&mut self, body: &str, user: UserId) {
        for (name, value) in body.lines().filter_map(|line| line.trim().split_once('=')) {
            let value = &value[..value.floor_char_boundary(LONGEST)];
            let list = value.split(':');
            match name {
                "enabled_input_methods" => {
                    list.for_each(|part| self.note_part(part.split(';').next().unwrap_or(""), user, Given::Keyboard));
                }
                "default_input_method" => self.note_part(value, user, Given::ChosenKeyboard),
                "enabled_notification_listeners" => list.for_each(|part| self.note_part(part, user, Given::Listener)),
                "enabled_accessibility_services" => {
                    list.for_each(|part| self.note_part(part, user, Given::Accessibility))
                }
                "dialer_default_application" => self.note_part(value, user, |_| Given::Dialer),
                name if value != "null" && Given::settings().any(|(known, _)| known == name) => {
                    self.note_part(value, user, |value| Given::Setting(name.to_owned(), value));
                }
                _ => {}
            }
        }
    }

    /// What is chosen of a package for a user.
    pub fn of(&self, id: &PackageId, user: UserId) -> impl Iterator<Item = &Given> {
        self.given.get(&(id.clone(), user)).into_iter().flatten()
    }

    /// Tells a package what it was given, for all its users.
    pub fn tell(&self, package: &mut Package) {
        let users: Vec<UserId> = package.states.keys().copied().collect();
        for user in users {
            let given: Vec<Given> = self.of(&package.id, user).cloned().collect();
            if !given.is_empty() {
                package.about.chosen.insert(user, given);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::testing;
    use proptest::prelude::*;

    const TEXT: &str = "wibbet-part:role\nROLE MANAGER STATE (dumpsys role):\n{\n  user_states=[\n    {\n      user_id=0\n      version=1\n      roles=[\n        {\n          name=android.app.role.SMS\n          holders=com.messages\n        }\n        {\n          name=android.app.role.HOME\n          holders=com.home\n          holders=com.second\n        }\n      ]\n    }\n    {\n      user_id=10\n      roles=[\n        {\n          name=android.app.role.SMS\n        }\n\
wibbet-part:s0\ndefault_input_method=com.keys/.Ime\nenabled_input_methods=com.keys/.Ime;123;456:com.other/.Ime\nenabled_notification_listeners=com.watch/com.watch.L:bad;part\nautofill_service=com.fill/.F\nandroid_id=9f3c2b1a\ntts_default_synth=com.speech\nenabled_accessibility_services=null\n\
wibbet-part:o0\ncom.android.systemui\n[x] com.look.dark\n[ ] com.look.light\n--- com.look.none\nwibbet-part:h10\nLauncher: ComponentInfo{com.home/com.home.Main}\n\
wibbet-part:battery\nsystem-excidle,com.android.shell,2000\nsystem,com.home,10020\nuser,com.messages,10031\nuser,no id,1\n";

    #[test]
    fn what_is_chosen_and_for_whom() {
        let choices = read_choices(TEXT);
        let of = |id: &str, user: u32| -> Vec<String> {
            choices.of(&testing::id(id), UserId::new(user)).map(ToString::to_string).collect()
        };
        assert_eq!(of("com.messages", 0), ["role android.app.role.SMS", "battery-exempt"]);
        assert_eq!(of("com.second", 0), ["role android.app.role.HOME"]);
        assert_eq!(of("com.messages", 10), [""; 0]);
        assert_eq!(of("com.keys", 0), ["keyboard com.keys/.Ime", "chosen-keyboard com.keys/.Ime"]);
        assert_eq!(of("com.other", 0), ["keyboard com.other/.Ime"]);
        assert_eq!(of("com.watch", 0), ["listener com.watch/com.watch.L"]);
        assert_eq!(of("com.fill", 0), ["setting autofill_service com.fill/.F"]);
        assert_eq!(of("com.speech", 0), ["setting tts_default_synth com.speech"]);
        assert_eq!((of("com.look.dark", 0), of("com.look.light", 0).len()), (vec!["overlay".into()], 0));
        assert_eq!(of("com.home", 10), ["home com.home/com.home.Main"]);
        // "null" is no app.
        assert_eq!(choices.given.keys().filter(|(id, _)| ["bad", "null"].contains(&id.as_str())).count(), 0);
    }

    #[test]
    fn what_is_asked_of_each_version() {
        let asked = |sdk| given_request(&testing::capabilities(sdk), &[UserId::OWNER]).map(|r| r.command());
        assert_eq!(asked(23), None);
        let words = [
            "settings --user 0 list secure",
            "cmd overlay",
            "cmd shortcut",
            "dumpsys -t 60 role",
            "cmd deviceidle whitelist",
        ];
        for (sdk, has) in [
            (24, [true, false, false, false, true]),
            (27, [true, true, true, false, true]),
            (34, [true, true, false, true, true]),
        ] {
            let asked = asked(sdk).unwrap();
            assert_eq!(words.map(|w| asked.contains(w)), has, "{sdk}: {asked}");
        }
    }

    proptest! {
        #[test]
        fn any_text_is_read(text in any::<String>(), part in "(role|s0|o0|h0|battery)", at in 0..TEXT.len()) {
            let all = read_choices(&format!("wibbet-part:{part}\n{text}"));
            // Whatever is believed can be written down and read again.
            for given in all.given.values().flatten() {
                prop_assert_eq!(&given.to_string().parse::<Given>().unwrap(), given);
            }
            read_choices(&TEXT[..at]);
        }
    }
}
