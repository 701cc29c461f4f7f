//! Something to be asked of a device, and its output.

use wibbet_types::shell_quoted;

use super::delivery::Delivery;
use crate::android::Capabilities;

/// Something to be asked of a device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum Call {
    /// Words for the package service, such as `list users`.
    Package(Vec<String>),
    /// A shell command.
    Shell(String),
}

/// A call and how patient to be with it.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Request {
    /// What is asked.
    pub call: Call,
    /// Whether it changes the device. Such a request is never sent again without looking first.
    pub changes: bool,
    /// Whether it is carried out as root, where that is to be had; else as the shell may.
    pub root: bool,
}

impl Request {
    /// A request of the package service that only reads.
    pub fn look(words: &[&str]) -> Self {
        Self { call: Call::Package(words.iter().map(|w| (*w).to_owned()).collect()), changes: false, root: false }
    }

    /// A request of the package service that changes the device.
    pub fn change(words: Vec<String>) -> Self {
        Self { call: Call::Package(words), changes: true, root: false }
    }

    /// A shell command that changes the device.
    pub fn change_by_shell(command: String) -> Self {
        Self { call: Call::Shell(command), changes: true, root: false }
    }

    /// A shell command that only reads.
    pub fn shell(command: impl Into<String>) -> Self {
        Self { call: Call::Shell(command.into()), changes: false, root: false }
    }

    /// The same, carried out as root where that is to be had.
    #[must_use]
    pub fn by_root(self) -> Self {
        Self { root: true, ..self }
    }

    /// What is asked, in words.
    pub fn command(&self) -> String {
        match &self.call {
            Call::Shell(command) => command.clone(),
            Call::Package(words) => words.join(" "),
        }
    }

    /// The words that go to a device that can do `capabilities`.
    pub fn words(&self, capabilities: &Capabilities) -> String {
        self.deliveries(capabilities).first().map_or_else(String::new, Delivery::words)
    }

    /// The ways of bringing it to a device that can do `capabilities`, best first. The later ones are
    /// for daemons that announce a service and refuse it, and for programs that do not know the command.
    pub fn deliveries(&self, capabilities: &Capabilities) -> Vec<Delivery> {
        if let (true, Some(way)) = (self.root, capabilities.root) {
            // A program that is there on every version.
            let command = match &self.call {
                Call::Shell(command) => command.clone(),
                Call::Package(words) => {
                    format!("pm {}", words.iter().map(|w| shell_quoted(w)).collect::<Vec<_>>().join(" "))
                }
            };
            return vec![Delivery::Shell(way.command(&command))];
        }
        let words = match &self.call {
            Call::Shell(command) => return vec![Delivery::Shell(command.clone())],
            Call::Package(words) => words,
        };
        let mut ways = Vec::with_capacity(3);
        if capabilities.takes_binder_calls() {
            let mut call = vec!["package".to_owned()];
            call.extend(words.iter().cloned());
            if capabilities.offered.abb {
                ways.push(Delivery::Abb(call.clone()));
            }
            ways.push(Delivery::AbbExec(call));
        }
        let quoted = words.iter().map(|w| shell_quoted(w)).collect::<Vec<_>>().join(" ");
        let programs = capabilities.programs(words);
        ways.extend(programs.into_iter().map(|p| Delivery::Shell(format!("{} {quoted}", p.words()))));
        ways
    }
}

/// What came back.
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub struct Output {
    /// Output, and errors where the service does not keep them apart.
    pub out: String,
    /// Error output.
    pub err: String,
    /// The exit code, where there is one.
    pub code: Option<u8>,
}

impl Output {
    /// Whether the program that was called does not know the command: nothing was done, and another program may know
    /// it. The words are those of the service's own shell and of `pm` up to Android 8.1, at the beginning of the line.
    pub fn says_unknown_command(&self) -> bool {
        const WORDS: [&str; 3] = ["Unknown command: ", "Error: unknown command '", "Error: unknown list type '"];
        let first = |text: &str| text.trim_start().lines().next().map(str::trim_end).map(str::to_owned);
        [first(&self.out), first(&self.err)].into_iter().flatten().any(|line| WORDS.iter().any(|w| line.starts_with(w)))
    }

    /// Whether the service ended in the middle of the call: what was asked for may have been done. The words are those of
    /// `cmd` from Android 8 on.
    pub fn says_service_died(&self) -> bool {
        [&self.out, &self.err].into_iter().flat_map(|text| text.lines()).any(|line| {
            let line = line.trim();
            line.starts_with("cmd: Failure calling service ") || line.starts_with("Failed transaction (")
        })
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

/// Whether an answer says that Android has not started as far as its package service: the words of
/// `cmd` and `dumpsys`, and those of `pm` and `am` on old versions.
pub fn says_not_ready(text: &str) -> bool {
    const WORDS: [&str; 4] =
        ["Can't find service", "Could not access the Package Manager", "s the system running?", "Error type 2"];
    WORDS.iter().any(|words| text.contains(words))
}
