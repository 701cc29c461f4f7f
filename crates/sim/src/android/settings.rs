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
            ("system", name) => state.settings.get(&format!("system/{user}/{name}")).cloned(),
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
            // A maker's second switch keeps the shell from what apps may not write. Sources: `SettingsProvider`, `SettingsService`.
            [verb @ ("put" | "delete"), space @ ("global" | "secure"), name, ..]
                if self.scenario.second_switch_off && !name.starts_with("adb_") =>
            {
                let words = format!(
                    "java.lang.SecurityException: Permission denial: writing to settings requires:android.permission.WRITE_SECURE_SETTINGS\n\tat com.android.providers.settings.SettingsProvider.enforceWritePermission(SettingsProvider.java:2311)\n\tat {space}\n"
                );
                let before = if self.scenario.android.sdk >= 26 {
                    format!("\nException occurred while executing '{verb}':\n")
                } else {
                    "Error while accessing settings provider\n".to_owned()
                };
                (
                    Output::failed(if self.scenario.android.sdk >= 26 { 255 } else { 1 }, format!("{before}{words}")),
                    Effect::None,
                )
            }
            ["put", "system", name, value] => {
                self.settings.insert(format!("system/{user}/{name}"), (*value).to_owned());
                (Output::default(), Effect::None)
            }
            ["delete", space, name] => {
                let gone = match *space {
                    "secure" => self.selections.secure.remove(&(user, (*name).to_owned())),
                    "system" => self.settings.remove(&format!("system/{user}/{name}")),
                    _ => self.settings.remove(&format!("global/{name}")),
                };
                (Output::ok(format!("Deleted {} rows\n", usize::from(gone.is_some()))), Effect::None)
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
