//! Whether the shell has the permissions that changes to packages take: `dumpsys package check-permission`.
//!
//! Some makers' builds take them from the shell until a second switch is on. The question changes nothing. A build may also
//! refuse in another way; then the first change shows it.

use crate::ask::{Output, Request};

/// What the shell is permitted.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum ChangesPermitted {
    /// To uninstall, and to enable and disable.
    All,
    /// To uninstall only: the shell of Android 5 and of some builds of 6.
    UninstallOnly,
    /// Neither, or not to uninstall.
    No,
    /// The device does not tell.
    NotTold,
}

/// What is asked; both in one line, an answer a line. Source: `PackageManagerService.dump`, which prints
/// `PackageManager.PERMISSION_GRANTED` (0) or `PERMISSION_DENIED` (-1).
pub fn changes_request() -> Request {
    let ask = |name: &str| format!("dumpsys package check-permission android.permission.{name} com.android.shell 0");
    Request::shell(format!("{};{}", ask("DELETE_PACKAGES"), ask("CHANGE_COMPONENT_ENABLED_STATE")))
}

/// Reads the answers.
pub fn read_changes(said: &Output) -> ChangesPermitted {
    let lines: Vec<&str> = said.out.lines().map(str::trim).filter(|line| !line.is_empty()).collect();
    match lines.as_slice() {
        ["0", "0"] => ChangesPermitted::All,
        ["0", "-1"] => ChangesPermitted::UninstallOnly,
        ["-1", "0" | "-1"] => ChangesPermitted::No,
        _ => ChangesPermitted::NotTold,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn only_plain_answers_count() {
        use ChangesPermitted::{All, No, NotTold, UninstallOnly};
        for (out, permitted) in [
            ("0\n0\n", All),
            ("0\r\n-1\r\n", UninstallOnly),
            ("-1\n-1\n", No),
            ("-1\n0\n", No),
            ("0\n", NotTold),
            ("", NotTold),
            ("0\n0\n0\n", NotTold),
            ("Unknown argument: check-permission; use -h for help\n0\n", NotTold),
        ] {
            assert_eq!(read_changes(&Output { out: out.into(), ..Output::default() }), permitted, "{out:?}");
        }
    }
}
