//! What is done to an app that stays in use: it is ended, and may do nothing while nobody looks at it.

use super::output::Output;
use super::state::State;

/// The operation that lets an app work in the background, from Android 9 on.
const IN_BACKGROUND: &str = "RUN_ANY_IN_BACKGROUND";

impl State {
    /// `am force-stop [--user N] PACKAGE`: it says nothing, whatever comes of it. Source: `ActivityManagerShellCommand`.
    pub(super) fn force_stop(&mut self, words: &[String]) -> Output {
        let (user, id) = match words {
            [option, user, id] if option == "--user" => (user.parse().unwrap_or(0), id),
            [id] => (self.scenario.in_front, id),
            _ => return Output::failed(255, "Error: Argument expected after\n"),
        };
        if self.here(id, user)
            && let Some(package) = self.packages.get_mut(id)
        {
            package.stopped.insert(user);
        }
        Output::default()
    }

    /// `pm clear --user N PACKAGE`: its data and the permissions that were given go. Source: `PackageManagerShellCommand.runClear`.
    pub(super) fn clear_data(&mut self, id: &str, user: u32) -> Output {
        match self.packages.get_mut(id) {
            Some(package) if package.users.get(&user).is_some_and(|state| state.installed) => {
                package.given.remove(&user);
                self.data_go(id, user);
                Output::ok("Success\n")
            }
            _ => Output::failed(1, "Failed\n"),
        }
    }

    /// `cmd appops set|get|query-op --user N …`. Source: `AppOpsService.Shell`.
    pub(super) fn app_ops(&mut self, words: &[String]) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        let unknown = |op: &str| Output::failed(255, format!("Error: Unknown operation string: {op}\n"));
        let old = self.scenario.android.sdk < 28;
        match words.as_slice() {
            [_, "--user", _, .., op, _] | [_, "--user", _, _, op] if old && *op == IN_BACKGROUND => unknown(op),
            ["set", "--user", user, id, IN_BACKGROUND, mode] => {
                let user = user.parse().unwrap_or(0);
                if !self.packages.get(*id).is_some_and(|package| package.users.get(&user).is_some_and(|u| u.installed))
                {
                    return Output::failed(255, format!("Error: No UID for {id} in user {user}\n"));
                }
                let key = ((*id).to_owned(), user);
                match *mode {
                    "ignore" => drop(self.quiet.insert(key)),
                    _ => drop(self.quiet.remove(&key)),
                }
                Output::default()
            }
            ["get", "--user", user, id, IN_BACKGROUND] => {
                let key = ((*id).to_owned(), user.parse().unwrap_or(0));
                Output::ok(match self.quiet.contains(&key) {
                    true => format!("{IN_BACKGROUND}: ignore\n"),
                    false => "No operations.\nDefault mode: allow\n".to_owned(),
                })
            }
            ["query-op", "--user", user, IN_BACKGROUND, "ignore"] => {
                let user: u32 = user.parse().unwrap_or(0);
                let ids: Vec<&String> = self.quiet.iter().filter(|(_, of)| *of == user).map(|(id, _)| id).collect();
                Output::ok(match ids.is_empty() {
                    true => "No operations.\n".to_owned(),
                    false => ids.into_iter().map(|id| format!("{id}\n")).collect(),
                })
            }
            _ => Output::failed(255, "AppOps service (appops) commands:\n"),
        }
    }
}
