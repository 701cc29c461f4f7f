//! The help texts of `pm` and `cmd package`: which commands there are.

use crate::android::{Capabilities, Program};
use crate::ask::Request;

/// What the package service can be asked for that is of use here; the rest of its help is skipped.
const COMMANDS: [&str; 17] = [
    "list",
    "path",
    "uninstall",
    "install",
    "install-create",
    "install-existing",
    "clear",
    "enable",
    "disable",
    "disable-user",
    "default-state",
    "hide",
    "unhide",
    "suspend",
    "unsuspend",
    "get-install-location",
    "set-home-activity",
];

/// What is sent for the help of the package manager's program, before a device is known well enough to ask by request. Without
/// a word behind it it prints its help, on every version.
pub const HELP: &str = "pm";

/// What is asked to learn the package service's commands. Up to Android 8.1 `pm` and the service's own shell have each
/// their own.
pub fn commands_requests(capabilities: &Capabilities) -> Vec<Request> {
    match capabilities.programs(&["help".to_owned()]).as_slice() {
        [Program::Cmd] => vec![Request::look(&["help"])],
        programs => programs.iter().map(|program| Request::shell(program.help())).collect(),
    }
}

/// Reads which of these a help text names: `pm COMMAND …` on old versions, a line beginning with the command on newer
/// ones.
pub fn read_commands(help: &str) -> Vec<String> {
    let named = |command: &&str| {
        help.lines().any(|line| {
            let line = line.trim();
            let line = line.strip_prefix("usage: ").unwrap_or(line);
            line.strip_prefix("pm ").unwrap_or(line).split([' ', '[']).next() == Some(command)
        })
    };
    COMMANDS.iter().filter(|c| named(c)).map(|c| (*c).to_owned()).collect()
}
