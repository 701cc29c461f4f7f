//! `settings`.

use super::output::Output;
use super::shell::Effect;
use super::state::State;

impl State {
    /// `settings get|put NAMESPACE NAME [VALUE]`.
    pub(super) fn settings(&mut self, words: &[String]) -> (Output, Effect) {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let (user, words) = match words.as_slice() {
            ["--user", user, rest @ ..] => (user.parse().unwrap_or(0), rest.to_vec()),
            _ => (0, words),
        };
        let known = |state: &Self, space: &str, name: &str| match (space, name) {
            ("secure", "android_id") => state.scenario.android_id.clone(),
            // Its setting-up is over.
            ("secure", "user_setup_complete") => Some("1".into()),
            ("system", "system_locales") if state.scenario.android.sdk >= 24 => Some(state.scenario.languages.clone()),
            ("secure", name) => state.selection(user, name),
            _ => state.settings.get(&format!("{space}/{name}")).cloned(),
        };
        match words.as_slice() {
            ["get", space, name] => {
                let value = known(self, space, name).unwrap_or_else(|| "null".into());
                (Output::ok(format!("{value}\n")), Effect::None)
            }
            // Listing came with Android 7.
            ["list", "secure"] if self.scenario.android.sdk >= 24 => {
                (Output::ok(self.list_selections(user)), Effect::None)
            }
            ["put", "secure", name, value] => {
                self.select(user, name, value);
                (Output::default(), Effect::None)
            }
            ["put", "global", name, value] => {
                self.settings.insert(format!("global/{name}"), (*value).to_owned());
                let effect = match (*name, *value) {
                    ("adb_enabled", "0") => Effect::UsbDebuggingOff,
                    ("adb_wifi_enabled", "0") => Effect::WirelessDebuggingOff,
                    ("adb_wifi_enabled", "1") => Effect::WirelessDebuggingOn,
                    _ => Effect::None,
                };
                (Output::default(), effect)
            }
            _ => (Output::failed(1, "usage: settings get|put NAMESPACE KEY [VALUE]\n"), Effect::None),
        }
    }
}
