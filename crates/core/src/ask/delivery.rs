//! How a request travels to a device.

use wibbet_types::shell_quoted;

/// One way of bringing a call to the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Delivery {
    /// Straight to the service, with separate errors and an exit code.
    Abb(Vec<String>),
    /// Straight to the service, raw.
    AbbExec(Vec<String>),
    /// Through a shell.
    Shell(String),
}

impl Delivery {
    /// What is remembered of a program that does not know a command: the program, the command, and of `list` the kind,
    /// such as `pm list users`.
    pub fn program_and_command(&self) -> String {
        let words = self.words();
        let (kind, before) = match self {
            Self::Abb(_) | Self::AbbExec(_) => ("service ", 2),
            // The program that makes it root's, with the one in it.
            Self::Shell(command) if command.starts_with("su -c ") => ("", 4),
            Self::Shell(command) if command.starts_with("su 0 sh -c ") => ("", 6),
            Self::Shell(command) if command.starts_with("cmd ") => ("", 3),
            Self::Shell(_) => ("", 2),
        };
        let words: Vec<&str> = words.split(' ').collect();
        let listing = usize::from(words.get(before - 1) == Some(&"list"));
        format!("{kind}{}", words[..words.len().min(before + listing)].join(" "))
    }

    /// The words that go to the device, for people.
    pub fn words(&self) -> String {
        match self {
            Self::Abb(words) | Self::AbbExec(words) => {
                words.iter().map(|w| shell_quoted(w)).collect::<Vec<_>>().join(" ")
            }
            Self::Shell(command) => command.clone(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::android::Capabilities;
    use crate::ask::request::{Output, Request};

    fn words(sdk: u32, offered: crate::android::DaemonFeatures, request: &Request) -> Vec<String> {
        let capabilities = Capabilities::new(sdk, offered);
        request.deliveries(&capabilities).iter().map(Delivery::words).collect()
    }

    #[test]
    fn every_version_is_asked_in_its_own_way() {
        let new = crate::android::DaemonFeatures { abb: true, abb_exec: true, cmd: true };
        let middle = crate::android::DaemonFeatures { cmd: true, ..Default::default() };
        let list = Request::look(&["list", "users"]);
        assert_eq!(words(34, new, &list), ["package list users", "package list users", "cmd package list users"]);
        let ten = crate::android::DaemonFeatures { abb: true, ..middle };
        assert_eq!(words(29, ten, &list), ["cmd package list users"], "abb alone frames arguments otherwise");
        assert_eq!(words(28, middle, &list), ["cmd package list users"]);
        assert_eq!(words(24, middle, &list), ["pm list users", "cmd package list users"]);
        assert_eq!(words(23, crate::android::DaemonFeatures::default(), &list), ["pm list users"]);
        let back = Request::change(vec!["install-existing".into(), "a.b".into()]);
        assert_eq!(words(24, middle, &back), ["pm install-existing a.b", "cmd package install-existing a.b"]);
        assert_eq!(words(26, middle, &back), ["cmd package install-existing a.b", "pm install-existing a.b"]);
        let off = Request::change(vec!["disable-user".into(), "a.b".into()]);
        assert_eq!(
            words(27, middle, &off)[0],
            "pm disable-user a.b",
            "the service's own shell of 8.x has no such command"
        );
        // As root by the one program that is always there, where root was given; else as the shell may.
        let hide = Request::change(vec!["hide".into(), "a.b".into()]).by_root();
        let by = |root| {
            let capabilities = Capabilities { root, ..Capabilities::new(34, new) };
            hide.deliveries(&capabilities).iter().map(Delivery::words).collect::<Vec<_>>()
        };
        assert_eq!(by(Some(crate::android::RootWay::SuCommand)), ["su -c 'pm hide a.b'"]);
        assert_eq!(by(Some(crate::android::RootWay::SuUser)), ["su 0 sh -c 'pm hide a.b'"]);
        assert_eq!(by(Some(crate::android::RootWay::Daemon)), ["pm hide a.b"]);
        assert_eq!(by(None)[0], "package hide a.b");
        let odd = Request::change(vec!["uninstall".into(), "a b;c".into()]);
        assert_eq!(words(23, crate::android::DaemonFeatures::default(), &odd), ["pm uninstall 'a b;c'"]);
    }

    #[test]
    fn what_is_remembered_of_a_program() {
        let shell = |command: &str| Delivery::Shell(command.into()).program_and_command();
        assert_eq!(shell("cmd package list users"), "cmd package list users");
        assert_eq!(shell("pm list packages -f"), "pm list packages");
        assert_eq!(shell("cmd package disable-user --user 0 a.b"), "cmd package disable-user");
        assert_eq!(shell("pm disable-user --user 0 a.b"), "pm disable-user");
        assert_eq!(shell("pm"), "pm");
        assert_eq!(shell("su -c 'pm hide --user 0 a.b'"), "su -c 'pm hide");
        assert_eq!(shell("su 0 sh -c 'pm hide --user 0 a.b'"), "su 0 sh -c 'pm hide");
        let call = ["package", "path", "a.b"].map(str::to_owned).to_vec();
        assert_eq!(Delivery::AbbExec(call).program_and_command(), "service package path");
    }

    #[test]
    fn a_program_that_does_not_know_a_command() {
        let said =
            |out: &str, err: &str| Output { out: out.into(), err: err.into(), code: None }.says_unknown_command();
        assert!(
            said("", "Unknown command: disable-user\n") && said("Unknown command: path\nUse 'cmd package help'\n", "")
        );
        assert!(said("", "Error: unknown command 'install-existing'\nusage: pm path PACKAGE\n"));
        assert!(said("Error: unknown list type 'users'\n", ""));
        assert!(!said("Failure [Unknown command: no]\n", "") && !said("package:a.b\n", "") && !said("", ""));
    }
}
