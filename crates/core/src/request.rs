//! What is asked of a device, and what it says.

use wibbet_types::shell_quoted;

use crate::ability::Abilities;

/// Something to be asked of a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Call {
    /// Words for the package service, such as `list users`.
    Package(Vec<String>),
    /// A shell command that only reads.
    Shell(String),
}

/// A call and how patient to be with it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// What is asked.
    pub call: Call,
    /// Whether it changes the device. Such a request is never sent again without looking first.
    pub changes: bool,
}

/// A change to the device itself rather than to its packages, made when a link is kept up or closed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Care {
    /// Whether the screen stays on while the device is fed, as `stay_on_while_plugged_in` has it.
    StayAwake(u32),
    /// USB debugging off. The link goes with it.
    UsbDebuggingOff,
    /// Wireless debugging off. The link goes with it.
    WirelessDebuggingOff,
}

impl Care {
    /// On mains, on USB and on a wireless charger.
    pub const AWAKE_ALWAYS: u32 = 7;

    /// What is asked.
    pub fn request(self) -> Request {
        let command = match self {
            Self::StayAwake(when) => format!("settings put global stay_on_while_plugged_in {when}"),
            Self::UsbDebuggingOff => "settings put global adb_enabled 0".to_owned(),
            Self::WirelessDebuggingOff => "settings put global adb_wifi_enabled 0".to_owned(),
        };
        Request { call: Call::Shell(command), changes: true }
    }

    /// The words that go to the device.
    pub fn words(self) -> String {
        match self.request().call {
            Call::Shell(command) => command,
            Call::Package(words) => words.join(" "),
        }
    }

    /// What is asked to read it back; `None` where the link's going is what shows it.
    pub fn read_back(self) -> Option<Request> {
        matches!(self, Self::StayAwake(_)).then(|| Request::shell("settings get global stay_on_while_plugged_in"))
    }
}

/// One way of bringing a call to the device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Carriage {
    /// Straight to the service, with separate errors and an exit code.
    Abb(Vec<String>),
    /// Straight to the service, raw.
    AbbExec(Vec<String>),
    /// Through a shell.
    Shell(String),
}

impl Carriage {
    /// What is remembered of a program that does not know a command: the program, the command, and of `list` the kind,
    /// such as `pm list users`.
    pub fn program_and_command(&self) -> String {
        let words = self.words();
        let (kind, before) = match self {
            Self::Abb(_) | Self::AbbExec(_) => ("service ", 2),
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

impl Request {
    /// A request of the package service that only reads.
    pub fn look(words: &[&str]) -> Self {
        Self { call: Call::Package(words.iter().map(|w| (*w).to_owned()).collect()), changes: false }
    }

    /// A request of the package service that changes the device.
    pub fn change(words: Vec<String>) -> Self {
        Self { call: Call::Package(words), changes: true }
    }

    /// A shell command that only reads.
    pub fn shell(command: impl Into<String>) -> Self {
        Self { call: Call::Shell(command.into()), changes: false }
    }

    /// The ways of bringing it to a device that can do `abilities`, best first. The later ones are
    /// for daemons that announce a service and refuse it, and for programs that do not know the command.
    pub fn carriages(&self, abilities: &Abilities) -> Vec<Carriage> {
        let words = match &self.call {
            Call::Shell(command) => return vec![Carriage::Shell(command.clone())],
            Call::Package(words) => words,
        };
        let mut ways = Vec::with_capacity(3);
        if abilities.takes_binder_calls() {
            let mut call = vec!["package".to_owned()];
            call.extend(words.iter().cloned());
            if abilities.offered.abb {
                ways.push(Carriage::Abb(call.clone()));
            }
            ways.push(Carriage::AbbExec(call));
        }
        let quoted = words.iter().map(|w| shell_quoted(w)).collect::<Vec<_>>().join(" ");
        let programs = abilities.programs(words);
        ways.extend(programs.into_iter().map(|p| Carriage::Shell(format!("{} {quoted}", p.words()))));
        ways
    }
}

/// What a device said.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Answer {
    /// Output, and errors where the service does not keep them apart.
    pub out: String,
    /// Error output.
    pub err: String,
    /// The exit code, where there is one.
    pub code: Option<u8>,
}

impl Answer {
    /// Whether the program that was called does not know the command: nothing was done, and another program may know
    /// it. The words are those of the service's own shell and of `pm` up to Android 8.1, at the beginning of the line.
    pub fn says_unknown_command(&self) -> bool {
        const WORDS: [&str; 3] = ["Unknown command: ", "Error: unknown command '", "Error: unknown list type '"];
        let first = |text: &str| text.trim_start().lines().next().map(str::trim_end).map(str::to_owned);
        [first(&self.out), first(&self.err)].into_iter().flatten().any(|line| WORDS.iter().any(|w| line.starts_with(w)))
    }

    /// Output and errors together.
    pub fn text(&self) -> String {
        match (self.out.trim(), self.err.trim()) {
            (out, "") => out.to_owned(),
            ("", err) => err.to_owned(),
            (out, err) => format!("{out}\n{err}"),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn words(sdk: u32, offered: crate::Offered, request: &Request) -> Vec<String> {
        let abilities = Abilities::new(sdk, offered);
        request.carriages(&abilities).iter().map(Carriage::words).collect()
    }

    #[test]
    fn every_version_is_asked_in_its_own_way() {
        let new = crate::Offered { abb: true, abb_exec: true, cmd: true };
        let middle = crate::Offered { cmd: true, ..Default::default() };
        let list = Request::look(&["list", "users"]);
        assert_eq!(words(34, new, &list), ["package list users", "package list users", "cmd package list users"]);
        let ten = crate::Offered { abb: true, ..middle };
        assert_eq!(words(29, ten, &list), ["cmd package list users"], "abb alone frames arguments otherwise");
        assert_eq!(words(28, middle, &list), ["cmd package list users"]);
        assert_eq!(words(24, middle, &list), ["pm list users", "cmd package list users"]);
        assert_eq!(words(23, crate::Offered::default(), &list), ["pm list users"]);
        let back = Request::change(vec!["install-existing".into(), "a.b".into()]);
        assert_eq!(words(24, middle, &back), ["pm install-existing a.b", "cmd package install-existing a.b"]);
        assert_eq!(words(26, middle, &back), ["cmd package install-existing a.b", "pm install-existing a.b"]);
        let off = Request::change(vec!["disable-user".into(), "a.b".into()]);
        assert_eq!(
            words(27, middle, &off)[0],
            "pm disable-user a.b",
            "the service's own shell of 8.x has no such command"
        );
        let odd = Request::change(vec!["uninstall".into(), "a b;c".into()]);
        assert_eq!(words(23, crate::Offered::default(), &odd), ["pm uninstall 'a b;c'"]);
    }

    #[test]
    fn what_is_remembered_of_a_program() {
        let shell = |command: &str| Carriage::Shell(command.into()).program_and_command();
        assert_eq!(shell("cmd package list users"), "cmd package list users");
        assert_eq!(shell("pm list packages -f"), "pm list packages");
        assert_eq!(shell("cmd package disable-user --user 0 a.b"), "cmd package disable-user");
        assert_eq!(shell("pm disable-user --user 0 a.b"), "pm disable-user");
        assert_eq!(shell("pm"), "pm");
        let call = ["package", "path", "a.b"].map(str::to_owned).to_vec();
        assert_eq!(Carriage::AbbExec(call).program_and_command(), "service package path");
    }

    #[test]
    fn a_program_that_does_not_know_a_command() {
        let said =
            |out: &str, err: &str| Answer { out: out.into(), err: err.into(), code: None }.says_unknown_command();
        assert!(
            said("", "Unknown command: disable-user\n") && said("Unknown command: path\nUse 'cmd package help'\n", "")
        );
        assert!(said("", "Error: unknown command 'install-existing'\nusage: pm path PACKAGE\n"));
        assert!(said("Error: unknown list type 'users'\n", ""));
        assert!(!said("Failure [Unknown command: no]\n", "") && !said("package:a.b\n", "") && !said("", ""));
    }
}
