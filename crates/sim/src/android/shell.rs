//! The shell: just enough of one for the commands that a debugging host sends.

use super::output::Output;
use super::package_service::Via;
use super::state::State;
use super::words::split_commands;

/// What a command line asks for beyond text.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) enum Effect {
    None,
    /// The device restarts; where that is orderly its services are told and write what they hold.
    Restart {
        orderly: bool,
        /// Into Android; else it stays where it is until somebody starts it.
        comes_back: bool,
    },
    /// USB debugging, with the older network link, was switched off.
    UsbDebuggingOff,
    /// Wireless debugging was.
    WirelessDebuggingOff,
    /// Wireless debugging was switched on.
    WirelessDebuggingOn,
    /// Events are told as they come, until nobody listens.
    Events,
}

impl State {
    /// The commands of a line, each by itself.
    pub(crate) fn commands_of(line: &str) -> Vec<String> {
        split_commands(bare(line)).into_iter().map(|words| words.join(" ")).collect()
    }

    /// Whether a line changes more than one package, each by a command of its own.
    pub(crate) fn changes_several(line: &str) -> bool {
        const CHANGES: [&str; 4] = [" install-existing ", " enable ", " default-state ", " unsuspend "];
        let changes = |command: &&String| CHANGES.iter().any(|words| command.contains(words));
        Self::commands_of(line).iter().filter(changes).count() > 1
    }

    /// Runs a command line: commands separated by `;`, words with quotes, `$?`.
    pub(crate) fn shell(&mut self, line: &str) -> (Output, Effect) {
        if let Some(line) = line.strip_suffix("|gzip -1c") {
            let (output, effect) = self.shell(line);
            return (self.pack(output), effect);
        }
        if let Some(output) = self.on_the_partition(line) {
            self.programs += 1;
            return (output, Effect::None);
        }
        let mut all = Output::default();
        let mut effect = Effect::None;
        let mut skipped = 0;
        for words in split_commands(bare(line)) {
            let mut words: Vec<String> = words.iter().map(|w| w.replace("$?", &all.code.to_string())).collect();
            // A place in a file is moved to, for the next command to read from.
            if words.first().is_some_and(|w| w == "(dd") {
                let number = |name: &str| words.iter().find_map(|w| w.strip_prefix(name)?.parse::<u64>().ok());
                // With nothing to read it ends before it has moved.
                skipped = match number("count=") {
                    Some(count @ 1..) => number("skip=").unwrap_or(0) + count,
                    _ => 0,
                };
                self.programs += 1;
                continue;
            }
            // What the shell does itself takes no program.
            if words.last().is_some_and(|w| w == "wibbet-probe|gzip") || words.iter().any(|w| w.contains("|gzip")) {
                self.programs += 2;
                if self.has_gzip() {
                    all.out.push_str("wibbet-probe\n");
                    all.merged.push_str("wibbet-probe\n");
                    if let Some(raw) = &mut all.raw {
                        raw.extend(b"wibbet-probe\n");
                    }
                }
                continue;
            }
            if words.first().is_some_and(|w| w != "echo") {
                self.programs += 1 + words.iter().filter(|w| *w == "|").count() as u64;
            }
            let quiet = words.last().is_some_and(|w| w == "2>/dev/null");
            let together = words.last().is_some_and(|w| w == "2>&1");
            if quiet || together {
                words.pop();
            }
            let (mut output, asked) = self.line(&words, skipped);
            if quiet || bare(line) != line {
                output.err.clear();
            }
            if together {
                output.out = output.together();
                output.err.clear();
            }
            if asked != Effect::None {
                effect = asked;
            }
            if output.raw.is_some() || all.raw.is_some() {
                let mut raw = all.raw.take().unwrap_or_else(|| all.out.as_bytes().to_vec());
                raw.extend_from_slice(output.bytes());
                all.raw = Some(raw);
            }
            all.merged.push_str(&output.together());
            all.out.push_str(&output.out);
            all.err.push_str(&output.err);
            all.code = output.code;
            all.hangs |= output.hangs;
            if all.hangs || effect == Effect::Events {
                break;
            }
        }
        (all, effect)
    }

    /// Commands joined by `|`.
    fn line(&mut self, words: &[String], skipped: u64) -> (Output, Effect) {
        if words.first().is_some_and(|w| w == "(head") && !self.no_tools {
            return (self.head_from(0, words), Effect::None);
        }
        if matches!(words, [program, option, _, path, ..] if (program == "head" || program == "tail") && option == "-c" && path.starts_with('/'))
            && !words.iter().any(|w| w == "|")
            && !self.no_tools
        {
            return (self.ends_of(words), Effect::None);
        }
        if words.first().is_some_and(|w| w == "head") && !self.no_tools {
            return (self.head_from(skipped, words), Effect::None);
        }
        if words.first().is_some_and(|w| w == "tail") && !self.no_tools {
            return (self.tail_head(words), Effect::None);
        }
        let Some(at) = words.iter().position(|w| w == "|") else { return self.command(words) };
        let (first, effect) = self.command(&words[..at]);
        let ignoring_case = words[at + 1..].iter().any(|w| w == "-i");
        let wanted = words.last().map_or("", String::as_str);
        let has = |line: &&str| match ignoring_case {
            true => line.to_lowercase().contains(&wanted.to_lowercase()),
            false => line.contains(wanted),
        };
        (Output::ok(first.out.lines().filter(has).map(|l| format!("{l}\n")).collect::<String>()), effect)
    }

    pub(crate) fn command(&mut self, words: &[String]) -> (Output, Effect) {
        let Some((program, rest)) = words.split_first() else { return (Output::default(), Effect::None) };
        // From Android 7 on the client waits for so many seconds, 10 by default; before there is neither limit nor option.
        if program == "dumpsys" && self.scenario.android.sdk >= 24 {
            let (limit, rest) = match rest {
                [option, seconds, rest @ ..] if option == "-t" => (seconds.parse().unwrap_or(10), rest),
                rest => (10, rest),
            };
            let words: Vec<String> = [program.clone()].into_iter().chain(rest.iter().cloned()).collect();
            let (output, effect) = self.within_limits(&words);
            return (self.cut_by_time(output, limit, rest), effect);
        }
        self.within_limits(words)
    }

    /// What of a dump has come when its time is over.
    fn cut_by_time(&self, mut output: Output, limit: u32, of: &[String]) -> Output {
        let takes = self.dumps_take;
        if takes <= limit {
            return output;
        }
        let service = of.first().map_or("", String::as_str);
        let mut kept = (output.out.len() as u64 * u64::from(limit) / u64::from(takes)) as usize;
        // Memory is added up before anything of it is printed.
        if service == "meminfo" {
            kept = 0;
        }
        output.out.truncate(output.out.floor_char_boundary(kept));
        let words = match self.scenario.android.sdk {
            28.. => format!("{}ms", limit * 1000),
            _ => format!("{limit}s"),
        };
        output.out.push_str(&format!("\n\n*** SERVICE '{service}' DUMP TIMEOUT ({words}) EXPIRED ***\n\n"));
        output
    }

    fn within_limits(&mut self, words: &[String]) -> (Output, Effect) {
        let Some((program, rest)) = words.split_first() else { return (Output::default(), Effect::None) };
        if let Some(text) = self.says.get(&words.join(" ")) {
            return (Output::ok(text.clone()), Effect::None);
        }
        let first = rest.first().map(String::as_str);
        let output = match program.as_str() {
            "echo" => Output::ok(format!("{}\n", rest.join(" "))),
            "getprop" => self.getprop(first),
            "service" if first == Some("check") => self.service_check(rest.get(1).map_or("", String::as_str)),
            "pm" => self.package_service(rest, Via::Pm),
            "cmd" if self.scenario.android.sdk >= 24 => match first {
                Some("package") => self.package_service(&rest[1..], Via::Cmd),
                Some("role") if self.scenario.android.sdk >= 29 => self.role(&rest[1..]),
                Some("notification") if self.scenario.android.sdk >= 26 => self.allow_listener(&rest[1..]),
                Some("overlay") if self.scenario.android.sdk >= 26 => self.overlay(&rest[1..]),
                Some("appops") => self.app_ops(&rest[1..]),
                Some("deviceidle") => self.device_idle(&rest[1..]),
                Some("jobscheduler") => self.job(&rest[1..]),
                Some("user") if rest.get(1).is_some_and(|w| w == "list") => self.list_users(),
                other => Output::failed(20, format!("cmd: Can't find service: {}\n", other.unwrap_or(""))),
            },
            "dumpsys" if first == Some("package") && rest.get(1).is_some_and(|w| w == "check-permission") => {
                self.check_permission(&rest[2..])
            }
            "dumpsys" if first == Some("package") && rest.get(1).is_some_and(|w| w == "write") => self.write_all(),
            "dumpsys" if first == Some("package") && rest.get(1).is_some_and(|w| w == "shared-users") => {
                self.dump_shared_users()
            }
            "dumpsys" if first == Some("package") && rest.get(1).is_some_and(|w| w == "--checkin") => {
                self.dump_short(rest.get(2).map(String::as_str))
            }
            "dumpsys"
                if first == Some("package")
                    && self.scenario.android.sdk >= 30
                    && rest.get(1).is_some_and(|w| w == "known-packages") =>
            {
                self.known_packages()
            }
            "dumpsys" if first == Some("adb") && self.scenario.android.sdk >= 29 => self.stored_keys(),
            "dumpsys" if first == Some("usb") => self.stored_keys(),
            "dumpsys" if first == Some("package") => self.dump_packages(rest.get(1).map(String::as_str)),
            "dumpsys" if first == Some("role") && self.scenario.android.sdk >= 29 => self.dump_roles(),
            "ime" => self.ime(rest),
            "dumpsys" => match first.unwrap_or("") {
                "diskstats" => self.diskstats(),
                "meminfo" => self.meminfo(),
                "usagestats" => self.usagestats(rest.get(1).is_some_and(|w| w == "-c")),
                "window" => self.in_front(true),
                "activity" if rest.get(1).is_some_and(|w| w == "services") => self.bound_services(),
                "activity" if rest.get(1).is_some_and(|w| w == "providers") => self.open_providers(),
                "activity" => self.in_front(false),
                "lock_settings" if self.scenario.android.sdk >= 30 => self.screen_locks(),
                other => self.dump_system(other),
            },
            "date" => self.date(rest),
            "ps" => self.ps(rest),
            // It came with the toybox of Android 8.
            "sha256sum" if !self.no_tools && self.scenario.android.sdk >= 26 => self.sums(rest),
            "dd" if self.no_tools => Output::failed(127, format!("/system/bin/sh: {program}: not found\n")),
            "dd" => self.dd(rest),
            "settings" => return self.settings(rest),
            "logcat" if rest.iter().any(|w| w == "crash") => self.crash_log(rest),
            "logcat" if rest.iter().any(|w| w == "-d") => self.logged_failures(rest),
            "logcat" => return self.logcat(rest),
            "cat" if first == Some("/proc/meminfo") => self.memory(),
            "cat" if first == Some("/proc/uptime") => {
                let (since, before) = self.booted;
                Output::ok(format!("{}.25 9000.00\n", (before + since.elapsed()).as_secs()))
            }
            "cat" if first == Some("/proc/sys/kernel/random/boot_id") => Output::ok(format!("{}\n", self.boot_id)),
            "df" => Output::ok(self.df()),
            // The program of those who make devices theirs takes a command in one word; that of the platform's own builds a user first.
            "su" if self.scenario.su && first == Some("-c") && rest.len() == 2 => {
                let was = std::mem::replace(&mut self.as_root, true);
                let (output, effect) = self.shell(&rest[1]);
                self.as_root = was;
                return (output, effect);
            }
            "id" if self.as_root => Output::ok("uid=0(root) gid=0(root) groups=0(root)\n"),
            "ls" if self.scenario.su && rest.iter().any(|f| f == "/system/xbin/su") => Output::ok("/system/xbin/su\n"),
            "id" => Output::ok("uid=2000(shell) gid=2000(shell) groups=2000(shell),1004(input),1007(log)\n"),
            "ls" => Output::failed(
                1,
                rest.iter().map(|f| format!("ls: {f}: No such file or directory\n")).collect::<String>(),
            ),
            "am" if first == Some("get-current-user") => Output::ok(format!("{}\n", self.scenario.in_front)),
            // Keys have nothing to be seen of.
            "input" => Output::default(),
            "screencap" if first == Some("-p") => Output::raw(self.screen_picture()),
            "am" if first == Some("force-stop") => self.force_stop(&rest[1..]),
            "am" if first == Some("start") => self.start_activity(rest),
            "reboot" => {
                return (Output::default(), Effect::Restart { orderly: false, comes_back: is_system(first) });
            }
            "svc" if first == Some("power") && rest.get(1).is_some_and(|w| w == "reboot") => {
                let into = rest.get(2).map(String::as_str);
                return (Output::default(), Effect::Restart { orderly: true, comes_back: is_system(into) });
            }
            other => Output::failed(127, format!("/system/bin/sh: {other}: not found\n")),
        };
        (output, Effect::None)
    }
}

/// Whether a restart leads into Android: it stays where it is otherwise, until somebody starts it by its buttons.
fn is_system(into: Option<&str>) -> bool {
    !into.is_some_and(|into| into == "recovery" || into == "bootloader")
}

/// A line without the braces that keep several commands together.
fn bare(line: &str) -> &str {
    line.strip_prefix("{ ").and_then(|l| l.strip_suffix("} 2>/dev/null")).unwrap_or(line)
}
