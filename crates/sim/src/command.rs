//! The shell: just enough of one for the commands that a debugging host sends.

use crate::device::State;
use crate::packages::Output;

/// What a command line asks for beyond text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Effect {
    None,
    Restart,
}

impl State {
    /// Runs a command line: commands parted by `;`, words with quotes, `$?`.
    pub(crate) fn shell(&mut self, line: &str) -> (Output, Effect) {
        let mut all = Output::default();
        let mut effect = Effect::None;
        for words in split_commands(line) {
            let words: Vec<String> = words.iter().map(|w| w.replace("$?", &all.code.to_string())).collect();
            let (output, asked) = self.command(&words);
            if asked == Effect::Restart {
                effect = asked;
            }
            all.merged.push_str(&output.together());
            all.out.push_str(&output.out);
            all.err.push_str(&output.err);
            all.code = output.code;
            all.hangs |= output.hangs;
            if all.hangs {
                break;
            }
        }
        (all, effect)
    }

    fn command(&mut self, words: &[String]) -> (Output, Effect) {
        let Some((program, rest)) = words.split_first() else { return (Output::default(), Effect::None) };
        let first = rest.first().map(String::as_str);
        let output = match program.as_str() {
            "echo" => Output::ok(format!("{}\n", rest.join(" "))),
            "getprop" => self.getprop(first),
            "pm" => self.package_service(rest),
            "cmd" if self.scenario.android.sdk >= 24 => match first {
                Some("package") => self.package_service(&rest[1..]),
                other => Output::failed(20, format!("cmd: Can't find service: {}\n", other.unwrap_or(""))),
            },
            "dumpsys" if first == Some("package") => self.dump_packages(rest.get(1).map(String::as_str)),
            "dumpsys" => Output::ok(format!("Can't find service: {}\n", first.unwrap_or(""))),
            "am" if first == Some("get-current-user") => Output::ok("0\n"),
            "reboot" => return (Output::default(), Effect::Restart),
            other => Output::failed(127, format!("/system/bin/sh: {other}: not found\n")),
        };
        (output, Effect::None)
    }

    fn getprop(&self, name: Option<&str>) -> Output {
        let s = &self.scenario;
        let sdk = s.android.sdk.to_string();
        let booted = if self.calls_until_ready > 0 { "" } else { "1" };
        let properties = [
            ("ro.build.version.release", s.android.release.as_str()),
            ("ro.build.version.sdk", sdk.as_str()),
            ("ro.build.version.security_patch", s.android.patch.as_str()),
            ("ro.product.manufacturer", s.maker.as_str()),
            ("ro.product.model", s.model.as_str()),
            ("ro.product.name", s.product.as_str()),
            ("ro.serialno", s.serial.as_str()),
            ("sys.boot_completed", booted),
        ];
        match name {
            Some(name) => {
                let value = properties.iter().find(|(n, _)| *n == name).map_or("", |(_, value)| value);
                Output::ok(format!("{value}\n"))
            }
            None => Output::ok(properties.iter().map(|(n, v)| format!("[{n}]: [{v}]\n")).collect::<String>()),
        }
    }
}

/// Takes a line apart into commands and words.
fn split_commands(line: &str) -> Vec<Vec<String>> {
    let mut commands = vec![Vec::new()];
    let mut word: Option<String> = None;
    let mut quote: Option<char> = None;
    let mut chars = line.chars();
    while let Some(c) = chars.next() {
        match (quote, c) {
            (Some(q), c) if c == q => quote = None,
            (Some('\''), c) => word.get_or_insert_default().push(c),
            (_, '\\') => word.get_or_insert_default().extend(chars.next()),
            (Some(_), c) => word.get_or_insert_default().push(c),
            (None, '\'' | '"') => {
                quote = Some(c);
                word.get_or_insert_default();
            }
            (None, c) if c == ';' || c.is_whitespace() => {
                if let (Some(done), Some(command)) = (word.take(), commands.last_mut()) {
                    command.push(done);
                }
                if c == ';' {
                    commands.push(Vec::new());
                }
            }
            (None, c) => word.get_or_insert_default().push(c),
        }
    }
    if let (Some(done), Some(command)) = (word, commands.last_mut()) {
        command.push(done);
    }
    commands
}
