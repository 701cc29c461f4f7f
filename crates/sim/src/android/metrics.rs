//! Clock, sizes, memory, processes and use.

use std::collections::BTreeMap;
use std::fmt::Write as _;

use super::clock::{TODAY, first_clock, moment};
use super::output::Output;
use super::state::State;
use crate::catalogue::{identity, usage};

/// Some days ago.
pub(crate) fn days_ago(days: u64) -> String {
    moment(days_ago_seconds(days))
}

fn days_ago_seconds(days: u64) -> u64 {
    (TODAY - days) * 86_400 + 8 * 3600 + days % 50 * 60
}

/// So many days back use is remembered: the current year's list began then.
const REMEMBERS: u64 = 340;

/// The beginning of a day so many days ago, in milliseconds.
fn moment_ms(days: u64) -> u64 {
    (TODAY - days) * 86_400_000
}

impl State {
    /// `date '+FORMAT'`, where `%s` are the seconds since 1970 and anything else is the date and the time. The device stands
    /// in a zone where both are the same.
    pub(crate) fn date(&self, words: &[String]) -> Output {
        let now = self.clock();
        if words.iter().any(|w| w == "+%m-%d %H:%M:%S.000") {
            return Output::ok(format!("{}.000\n", &moment(now)[5..]));
        }
        let seconds = if words.iter().any(|w| w.contains("%s")) { format!(" {now}") } else { String::new() };
        Output::ok(format!("{}{seconds}\n", moment(now)))
    }

    /// Seconds since 1970, by its own clock.
    pub(super) fn clock(&self) -> u64 {
        first_clock() + self.started.elapsed().as_secs()
    }

    /// `/proc/meminfo`, the lines of interest: what runs takes of what there is.
    pub(super) fn memory(&self) -> Output {
        let users: Vec<u32> = self.scenario.users.iter().map(|user| user.id).collect();
        let runs = |id: &str| users.iter().filter(|user| self.here(id, **user)).count() as u64;
        let taken: u64 = self.packages.keys().map(|id| usage::memory(id).unwrap_or(0) * runs(id)).sum();
        let total = 8_000_000_u64.max(taken + 900_000);
        let free = total - taken;
        let available = match self.scenario.android.sdk {
            ..23 => String::new(),
            _ => format!("MemAvailable:   {:>8} kB\n", free - 200_000),
        };
        Output::ok(format!(
            "MemTotal:       {total:>8} kB\nMemFree:        {:>8} kB\n{available}Buffers:            2048 kB\nCached:         {:>8} kB\n",
            free / 4,
            free - free / 4 - 300_000
        ))
    }

    pub(super) fn here(&self, id: &str, user: u32) -> bool {
        self.packages.get(id).is_some_and(|package| package.is_here(user))
    }

    /// Whether it is the keyboard that a user has chosen.
    pub(super) fn types(&self, id: &str, user: u32) -> bool {
        let chosen = self.selections.secure.get(&(user, "default_input_method".to_owned()));
        chosen.is_some_and(|component| component.split('/').next() == Some(id))
    }

    pub(super) fn here_for(&self, package: &super::installed::InstalledPackage, user: u32) -> bool {
        package.users.get(&user).is_some_and(|state| state.installed)
    }

    /// Bytes of a package's APKs.
    fn code_size(&self, id: &str) -> u64 {
        let Some(package) = self.packages.get(id) else { return 0 };
        let apk = package.apk();
        let folder = apk.rsplit_once('/').map_or("", |(folder, _)| folder);
        let own =
            |path: &String| **path == apk || path.strip_prefix(folder).is_some_and(|rest| rest.starts_with("/split_"));
        let from = folder.to_owned();
        let files = self.files.range(from..).take_while(|(path, _)| path.starts_with(folder));
        files.filter(|(path, _)| own(path)).map(|(_, file)| file.data.len()).sum()
    }

    /// What `dumpsys diskstats` tells; the lists came with Android 8.
    pub(crate) fn diskstats(&self) -> Output {
        let mut out =
            String::from("Latency: 1ms [512B Data Write]\nData-Free: 61250000K / 112000000K total = 54% free\n");
        let worked_out =
            self.sizes_from.is_none_or(|from| from.is_some_and(|from| from <= tokio::time::Instant::now()));
        if self.scenario.android.sdk < 26 || !worked_out {
            return Output::ok(out);
        }
        let ids: Vec<&String> = self.packages.keys().collect();
        let list = |numbers: Vec<u64>| numbers.iter().map(u64::to_string).collect::<Vec<_>>().join(",");
        let names: Vec<String> = ids.iter().map(|id| format!("\"{id}\"")).collect();
        let code = ids.iter().map(|id| self.code_size(id)).collect();
        let data: Vec<u64> = ids.iter().map(|id| usage::data_sizes(id).0).collect();
        let cache = ids.iter().map(|id| usage::data_sizes(id).1).collect();
        let _ = write!(
            out,
            "App Size: {}\nPackage Names: [{}]\nApp Sizes: [{}]\n",
            data.iter().sum::<u64>(),
            names.join(","),
            list(code),
        );
        // They came with Android 9.
        if self.scenario.android.sdk >= 28 {
            let _ = writeln!(out, "App Data Sizes: [{}]", list(data));
        }
        let _ = writeln!(out, "Cache Sizes: [{}]", list(cache));
        Output::ok(out)
    }

    /// `cmd jobscheduler run -f PACKAGE ID`: has a job done now, whatever it waits for. The one known here works out how large
    /// packages are (`DiskStatsLoggingService`).
    pub(crate) fn job(&mut self, words: &[String]) -> Output {
        let words: Vec<&str> = words.iter().map(String::as_str).collect();
        match words.as_slice() {
            ["run", "-f", "android", "1145656139"] if self.scenario.android.sdk >= 26 => {
                if self.sizes_from == Some(None) {
                    self.sizes_from = Some(Some(tokio::time::Instant::now() + std::time::Duration::from_secs(5)));
                }
                Output::ok("Running job [FORCED]\n")
            }
            ["run", .., package, id] => {
                Output::failed(255, format!("Could not find job {id} in package {package} / user 0\n"))
            }
            _ => Output::failed(255, "Unknown command\n"),
        }
    }

    /// The processes of apps: name, who it belongs to, and the memory of all that live in it, in KiB.
    pub(super) fn processes(&self) -> Vec<(String, u32, u32, u64)> {
        let mut all: BTreeMap<(String, u32, u32), u64> = BTreeMap::new();
        for (id, package) in &self.packages {
            // What only changes the look of others has no code that could run.
            let memory = usage::memory(id).filter(|_| !package.code_path().contains("/overlay/"));
            let front = |user: u32| self.front.0 == *id || self.types(id, user);
            for user in package.users.keys().filter(|user| (memory.is_some() || front(**user)) && self.here(id, **user))
            {
                // The framework's own process is the same for all users.
                let user = if package.process() == "system" { 0 } else { *user };
                let key = (package.process().to_owned(), package.uid, user);
                *all.entry(key).or_default() += memory.unwrap_or(64_000);
            }
        }
        all.into_iter().map(|((name, uid, user), kib)| (name, uid, user, kib)).collect()
    }

    pub(crate) fn meminfo(&self) -> Output {
        let sdk = self.scenario.android.sdk;
        let mut out = String::from("Applications Memory Usage (in Kilobytes):\nUptime: 93600 Realtime: 93600\n\n");
        let mut list = |title: &str, factor: u64| {
            let _ = writeln!(out, "{title}");
            for (n, (name, _, _, kib)) in self.processes().iter().enumerate() {
                let kib = kib * factor / 10;
                let _ = match sdk {
                    ..24 => writeln!(out, "   {kib:>6} kB: {name} (pid {} / activities)", 800 + n),
                    _ => writeln!(out, "    {:>3},{:03}K: {name} (pid {})", kib / 1000, kib % 1000, 800 + n),
                };
            }
            // What runs beside Android's apps is listed too.
            let _ = match sdk {
                ..24 => writeln!(out, "     9000 kB: surfaceflinger (pid 310)"),
                _ => writeln!(out, "      9,000K: surfaceflinger (pid 310)"),
            };
            out.push('\n');
        };
        if sdk >= 31 {
            list("Total RSS by process:", 17);
        }
        list("Total PSS by process:", 10);
        out.push_str("Total PSS by OOM adjustment:\n    400,000K: Native\n");
        Output::ok(out)
    }

    /// `ps`. Toolbox lists everything anyway and takes a word for a name to look for; toybox, which came with Android 8,
    /// lists everything only with `-A`, and then what `-o` names.
    pub(crate) fn ps(&self, words: &[String]) -> Output {
        let all = words.first().is_some_and(|w| w == "-A");
        let old = self.scenario.android.sdk < 26;
        let fields: Option<Vec<&str>> =
            words.iter().position(|w| w == "-o").and_then(|at| words.get(at + 1)).map(|f| f.split(',').collect());
        let mut out = String::new();
        let mut line = |owner: &str, pid: &str, parent: &str, rss: &str, name: &str| {
            let _ = match &fields {
                Some(fields) if !old => {
                    let one = |field: &&str| match *field {
                        "USER" => format!("{owner:<12}"),
                        "PID" => format!("{pid:>5}"),
                        "PPID" => format!("{parent:>5}"),
                        "RSS" => format!("{rss:>6}"),
                        _ => name.to_owned(),
                    };
                    writeln!(out, "{}", fields.iter().map(one).collect::<Vec<_>>().join(" "))
                }
                _ if pid == "PID" && old => {
                    writeln!(out, "USER     PID   PPID  VSIZE  RSS     WCHAN    PC         NAME")
                }
                _ if pid == "PID" => {
                    writeln!(out, "USER           PID  PPID     VSZ    RSS WCHAN            ADDR S NAME")
                }
                _ if old => writeln!(out, "{owner:<9} {pid:<5} {parent:<5} 900000 {rss:<6} ffffffff b6f41234 S {name}"),
                _ => writeln!(out, "{owner:<12} {pid:>5} {parent:>5} 13000000 {rss:>6} 0                   0 S {name}"),
            };
        };
        line("USER", "PID", "PPID", "RSS", "NAME");
        if old == all {
            // What is left is the shell's own.
            line("shell", "990", "400", "3000", "ps");
            return Output::ok(out);
        }
        line("root", "1", "0", "9000", if old { "/init" } else { "init" });
        line("system", "310", "1", "9000", if old { "/system/bin/surfaceflinger" } else { "surfaceflinger" });
        line("root", "400", "1", "50000", "zygote64");
        for (n, (name, uid, user, kib)) in self.processes().iter().enumerate() {
            let name = if name == "system" { "system_server" } else { name };
            let (owner, pid) = (identity::name_of(*uid, *user), (800 + n).to_string());
            line(&owner, &pid, "400", &kib.to_string(), name);
        }
        Output::ok(out)
    }

    /// Use in days, weeks, months and years; here what is latest and longest stands in the last. `raw` leaves moments and times
    /// as numbers of milliseconds, which came with Android 10.
    pub(crate) fn usagestats(&self, raw: bool) -> Output {
        let sdk = self.scenario.android.sdk;
        let raw = raw && sdk >= 29;
        let (time, last) = if sdk < 28 { ("totalTime", "lastTime") } else { ("totalTimeUsed", "lastTimeUsed") };
        let mut out = String::new();
        for user in &self.scenario.users {
            let _ = writeln!(out, "user={}", user.id);
            for (span, within, begins) in [("daily", 1, 1), ("yearly", u64::MAX, REMEMBERS)] {
                let _ = writeln!(out, "  In-memory {span} stats");
                let begins = moment_ms(begins);
                let _ = match raw {
                    true => writeln!(out, "    beginTime={begins} endTime={} ", moment_ms(0)),
                    false => writeln!(out, "    timeRange=\"{} – {}\"", self.shown(begins), self.shown(moment_ms(0))),
                };
                out.push_str("    packages\n");
                for (id, package) in &self.packages {
                    let Some((days, minutes)) = usage::usage(id).filter(|(days, _)| *days < within) else { continue };
                    // Only the first user has been at it for long.
                    if user.id != 0 && (days % 3 != 0 || !package.users.contains_key(&user.id)) {
                        continue;
                    }
                    let used = days_ago_seconds(days) * 1000;
                    let _ = match raw {
                        true => writeln!(
                            out,
                            "      package={id} {time}={} {last}={used} totalTimeVisible=0 lastTimeVisible=0 appLaunchCount={} ",
                            (minutes * 60 + days % 60) * 1000,
                            1 + minutes / 5
                        ),
                        false => writeln!(
                            out,
                            "      package={id} {time}=\"{}:{:02}:{:02}\" {last}=\"{}\" appLaunchCount={}",
                            minutes / 60,
                            minutes % 60,
                            days % 60,
                            self.shown(used),
                            1 + minutes / 5
                        ),
                    };
                }
                out.push_str("    configurations\n    events\n");
            }
        }
        Output::ok(out)
    }

    /// A moment as the service shows it: up to Android 8 by the owner's locale, then as a number of fixed form, whose digits
    /// are those of the language.
    fn shown(&self, ms: u64) -> String {
        let fixed = moment(ms / 1000);
        let (date, time) = fixed.split_once(' ').unwrap_or((&fixed, ""));
        let language = self.scenario.languages.split(['-', ',']).next().unwrap_or("en");
        if self.scenario.android.sdk < 28 {
            let mut parts = date.split('-');
            let [year, month, day] = [(); 3].map(|()| parts.next().unwrap_or(""));
            let minutes = &time[..5];
            return match language {
                "ja" | "zh" | "ko" => format!("{year}/{month}/{day} {minutes}"),
                "de" => format!("{day}.{month}.{year}, {minutes}"),
                _ => format!("{day}/{month}/{year}, {minutes}"),
            };
        }
        let zero = match language {
            "ar" => '\u{660}',
            "fa" => '\u{6f0}',
            "my" => '\u{1040}',
            "ne" => '\u{966}',
            _ => return fixed,
        };
        let digit = |c: char| c.to_digit(10).and_then(|d| char::from_u32(u32::from(zero) + d)).unwrap_or(c);
        fixed.chars().map(digit).collect()
    }
}
