//! Sizes, memory, processes and use, from the dumps of several services.

use std::collections::BTreeMap;

use wibbet_types::{DeviceTime, PackageId, UserId};

use super::lines::Lines;
use super::parts::{marked_request, part_of};
use super::processes::{ProcessOwners, Processes};
use crate::android::Capabilities;
use crate::ask::Request;
use crate::package::{Metrics, Sizes, Source};

/// The lists of `diskstats` are one line each.
const LONGEST_LINE: usize = 4 * 1024 * 1024;

/// Packages of which something is kept.
const MOST: usize = 100_000;

/// What is asked for a source.
fn command(source: Source, capabilities: &Capabilities) -> String {
    match source {
        Source::Clock => "date '+%Y-%m-%d %H:%M:%S %s'".into(),
        Source::Sizes => capabilities.dump("diskstats"),
        Source::Memory => capabilities.dump("meminfo"),
        Source::Running => capabilities.processes().into(),
        // Plain numbers, which no locale changes. `--checkin` would mark what it tells as taken.
        Source::Usage if capabilities.tells_use_in_numbers() => capabilities.dump("usagestats -c"),
        Source::Usage => capabilities.dump("usagestats"),
    }
}

/// What a source is called in messages.
fn title(source: Source) -> &'static str {
    match source {
        Source::Clock => "date",
        Source::Sizes => "dumpsys diskstats",
        Source::Memory => "dumpsys meminfo",
        Source::Running => "ps",
        Source::Usage => "dumpsys usagestats",
    }
}

/// The parts of an answer are named by their place among all sources.
const NAMES: [&str; 5] = ["0", "1", "2", "3", "4"];

/// What is asked: first what is there at once, then what the device has to work out.
pub fn measure_requests(capabilities: &Capabilities) -> [Request; 2] {
    let at_once = [Source::Clock, Source::Sizes, Source::Running, Source::Usage];
    [ask(&at_once, capabilities), ask(&[Source::Memory], capabilities)]
}

/// What is asked for sizes alone.
pub fn sizes_request(capabilities: &Capabilities) -> Request {
    ask(&[Source::Sizes], capabilities)
}

/// What has the device work out how large packages are, which it does by itself when it is idle on its charger; `None` where it
/// never does. Source: the job id of `DiskStatsLoggingService` ("DISK"), from Android 8 on.
pub fn sizing_request(capabilities: &Capabilities) -> Option<Request> {
    capabilities.sizes_packages().then(|| Request::shell("cmd jobscheduler run -f android 1145656139"))
}

fn ask(sources: &[Source], capabilities: &Capabilities) -> Request {
    let commands: Vec<_> = sources.iter().map(|s| (NAMES[*s as usize], command(*s, capabilities))).collect();
    marked_request(commands.iter().map(|(name, command)| (*name, command.as_str())))
}

/// Reads the answers to [`measure_requests`] as they come.
#[derive(Debug, Default)]
pub struct MeasureReader {
    owners: ProcessOwners,
    lines: Lines,
    state: State,
}

#[derive(Debug, Clone, Default)]
struct State {
    part: Option<Source>,
    metrics: Metrics,
    names: Vec<Option<PackageId>>,
    lists: BTreeMap<&'static str, Vec<u64>>,
    /// What its clock shows less the seconds since 1970.
    offset: Option<i64>,
    /// The user whose use is being told; old dumps name none.
    user: Option<UserId>,
    in_processes: bool,
    processes: Processes,
    /// The first line of a part that told nothing else.
    said: BTreeMap<Source, String>,
}

impl MeasureReader {
    /// For a device with these packages.
    pub fn new(owners: ProcessOwners) -> Self {
        Self { owners, ..Self::default() }
    }

    /// Takes a piece of an answer.
    pub fn feed(&mut self, piece: &[u8]) {
        let Self { lines, state, .. } = self;
        lines.feed(piece, LONGEST_LINE, &mut |line| state.read_line(line));
    }

    /// An answer has ended, and another may follow. What has been told so far.
    pub fn end_answer(&mut self) -> Metrics {
        let Self { lines, state, owners } = self;
        std::mem::take(lines).finish(&mut |line| state.read_line(line));
        state.part = None;
        state.clone().finish(owners)
    }
}

impl State {
    fn read_line(&mut self, line: &str) {
        if let Some(part) = part_of(line) {
            self.part = NAMES.iter().position(|name| *name == part).and_then(|n| Source::ALL.get(n).copied());
            self.in_processes = false;
            self.metrics.asked.extend(self.part);
            return;
        }
        let Some(part) = self.part else { return };
        if !line.trim().is_empty() {
            self.said.entry(part).or_insert_with(|| line.trim().chars().take(120).collect());
        }
        match part {
            Source::Clock => self.read_clock(line),
            Source::Sizes => self.read_sizes(line),
            Source::Running => self.processes.read_process(line),
            Source::Usage => self.read_use(line.trim()),
            Source::Memory => self.read_memory(line),
        }
    }

    /// Date, time and, where it knows what that is, the seconds since 1970.
    fn read_clock(&mut self, line: &str) {
        if self.metrics.now.is_some() {
            return;
        }
        let mut words = line.split_whitespace();
        let (date, time) = (words.next().unwrap_or(""), words.next().unwrap_or(""));
        self.metrics.now = DeviceTime::read(&format!("{date} {time}"));
        let seconds = words.next().and_then(|word| word.parse::<i64>().ok());
        self.offset = self.metrics.now.zip(seconds).and_then(|(now, seconds)| now.0.checked_sub(seconds));
    }

    /// A moment in milliseconds since 1970, on the device's clock; what comes before 1971 stands for "never".
    fn moment(&self, ms: &str) -> Option<DeviceTime> {
        let seconds = ms.parse::<i64>().ok()? / 1000;
        (seconds > 31_536_000).then_some(())?;
        Some(DeviceTime(seconds.checked_add(self.offset?)?))
    }

    fn read_sizes(&mut self, line: &str) {
        let list = |name: &str| {
            let body = line.trim().strip_prefix(name)?.trim();
            Some(body.trim_matches(['[', ']']).split(','))
        };
        if let Some(names) = list("Package Names:") {
            // A name that is none keeps its place.
            self.names = names.take(MOST).map(|n| n.trim().trim_matches('"').parse().ok()).collect();
        }
        for name in ["App Sizes:", "App Data Sizes:", "Cache Sizes:"] {
            if let Some(numbers) = list(name) {
                let numbers = numbers.take(MOST).map(|n| n.trim().parse().unwrap_or(0)).collect();
                self.lists.insert(name, numbers);
            }
        }
    }

    fn read_use(&mut self, line: &str) {
        if let Some(user) = line.strip_prefix("user=") {
            self.user = user.split_whitespace().next().and_then(|n| n.parse().ok());
            self.metrics.usage.entry(self.user.unwrap_or(UserId::OWNER)).or_default();
        }
        if let Some(rest) = line.strip_prefix("beginTime=") {
            let begins = rest.split(' ').next().and_then(|ms| self.moment(ms));
            if let Some(begins) = begins {
                let since = self.metrics.usage_since.entry(self.user.unwrap_or(UserId::OWNER)).or_insert(begins);
                *since = begins.min(*since);
            }
            return;
        }
        let Some(rest) = line.strip_prefix("package=") else { return };
        let Some(Ok(id)) = rest.split(' ').next().map(str::parse::<PackageId>) else { return };
        let field = |names: [&str; 2]| {
            names.iter().find_map(|name| {
                let from = rest.find(&format!(" {name}=\""))? + name.len() + 3;
                rest.get(from..)?.split('"').next()
            })
        };
        let number = |name: &str| {
            let from = rest.find(&format!(" {name}="))? + name.len() + 2;
            rest.get(from..)?.split(' ').next().filter(|n| n.bytes().all(|b| b.is_ascii_digit()) && !n.is_empty())
        };
        let told = field(["lastTimeUsed", "lastTime"]);
        let raw = number("lastTimeUsed");
        let last = told.and_then(DeviceTime::read).or_else(|| raw.and_then(|ms| self.moment(ms)));
        // Never, in words and in numbers.
        let never = told.is_some_and(|t| t.starts_with("1970-") || t.starts_with("1969-")) || raw == Some("0");
        let seconds = field(["totalTimeUsed", "totalTime"]).and_then(elapsed);
        let seconds = seconds.or_else(|| number("totalTimeUsed")?.parse::<u64>().ok().map(|ms| ms / 1000));
        let used = self.metrics.usage.entry(self.user.unwrap_or(UserId::OWNER)).or_default();
        if used.len() >= MOST && !used.contains_key(&id) {
            return;
        }
        // It stands in the days, weeks, months and years: the latest and the longest count.
        let own = used.entry(id).or_default();
        own.last = own.last.max(last);
        own.unreadable |= last.is_none() && !never && (told.is_some() || raw.is_some());
        own.seconds = own.seconds.max(seconds.unwrap_or(0));
    }

    fn read_memory(&mut self, line: &str) {
        if line.starts_with("Total ") {
            self.in_processes = line.starts_with("Total PSS by process");
            return;
        }
        if !self.in_processes {
            return;
        }
        self.processes.read_share(line);
    }

    fn finish(mut self, owners: &ProcessOwners) -> Metrics {
        let lists = ["App Sizes:", "App Data Sizes:", "Cache Sizes:"].map(|name| self.lists.get(name));
        for (n, id) in self.names.iter().enumerate() {
            let [code, data, cache] = lists.map(|list| list.and_then(|list| list.get(n)).copied());
            if let Some(id) = id.as_ref().filter(|_| code.or(data).or(cache).is_some()) {
                self.metrics.sizes.insert(id.clone(), Sizes { code, data, cache });
            }
        }
        self.processes.tell(owners, &mut self.metrics);
        for source in self.metrics.asked.clone() {
            let empty = match source {
                Source::Clock => self.metrics.now.is_none(),
                Source::Sizes => self.metrics.sizes.is_empty(),
                Source::Memory => !self.processes.has_shares(),
                Source::Running => self.processes.is_empty(),
                Source::Usage => self.metrics.usage.values().all(BTreeMap::is_empty),
            };
            if empty {
                let why = match self.said.get(&source) {
                    Some(said) => format!("“{}” reported nothing of it: {said}", title(source)),
                    None => format!("“{}” said nothing", title(source)),
                };
                self.metrics.gaps.insert(source, wibbet_types::PlainText::new(&why).into_string());
            }
        }
        self.metrics
    }
}

/// `01:23` or `1:02:03`, in seconds.
fn elapsed(text: &str) -> Option<u64> {
    text.split(':').try_fold(0u64, |sum, part| sum.checked_mul(60)?.checked_add(part.trim().parse().ok()?))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::package::Usage;
    use proptest::prelude::*;

    const NEW: &str = "wibbet-part:0\n2026-11-23 14:00:00\nwibbet-part:1\nLatency: 0ms [512B Data Write]\nApp Size: 100\n\
Package Names: [\"com.a\",\"we/ird\",\"com.b\"]\nApp Sizes: [100,7,200]\nApp Data Sizes: [10,7,20]\nCache Sizes: [1,7,2]\n\
wibbet-part:3\nUSER           PID  PPID     VSZ    RSS WCHAN            ADDR S NAME\nroot             1     0 10780 9000 0 0 S init\n\
u0_a55        2000   700 13000 90000 0 0 S com.a\nu10_a55       2001   700 13000 90000 0 0 S com.a:remote\nsystem  700 1 1 1 0 0 S system_server\n\
wibbet-part:4\nuser=0\n  Last 24 hour events (timeRange=\"x\")\n    time=\"2026-11-23 10:00:00\" type=ACTIVITY_RESUMED package=com.a\n\
  In-memory daily stats\n    packages\n      package=com.a totalTimeUsed=\"01:30\" lastTimeUsed=\"2026-11-20 10:00:00\" totalTimeVisible=\"01:30\" appLaunchCount=2\n\
  In-memory yearly stats\n    packages\n      package=com.a totalTimeUsed=\"1:00:05\" lastTimeUsed=\"2026-11-19 10:00:00\"\n      package=com.b totalTimeUsed=\"00:00\" lastTimeUsed=\"1970-01-01 01:00:00\"\nuser=10\n  In-memory daily stats\n";
    const MEMORY: &str = "wibbet-part:2\nApplications Memory Usage (in Kilobytes):\nTotal RSS by process:\n    999,999K: com.a (pid 1)\n\
Total PSS by process:\n    345,678K: com.a (pid 2000 / activities)\n      1,000K: com.a:remote (pid 2001)\n    200,000K: system (pid 700)\n\nTotal PSS by OOM adjustment:\n    500,000K: Native\n";

    fn read(text: &str) -> Metrics {
        let mut reader = reader();
        reader.feed(text.as_bytes());
        reader.end_answer()
    }

    fn reader() -> MeasureReader {
        let owners = [("android", 1000), ("com.a", 10_055), ("com.b", 10_056)];
        MeasureReader::new(crate::read::processes::tests::owners(&owners))
    }

    fn id(text: &str) -> PackageId {
        text.parse().unwrap()
    }

    #[test]
    fn a_new_phone() {
        let mut reader = reader();
        reader.feed(NEW.as_bytes());
        assert!(!reader.end_answer().tells(Source::Memory));
        reader.feed(MEMORY.as_bytes());
        let m = reader.end_answer();
        let sizes = |text: &str| m.sizes.get(&id(text)).map_or([None; 4], |s| [s.code, s.data, s.cache, s.total()]);
        assert_eq!((sizes("com.a"), sizes("com.b")), ([100, 10, 1, 111].map(Some), [200, 20, 2, 222].map(Some)));
        assert_eq!(m.sizes.len(), 2);
        assert_eq!(m.running.len(), 3);
        assert!(m.running.contains(&(id("com.a"), UserId::new(10))));
        assert_eq!(m.usage[&UserId::OWNER][&id("com.a")].seconds, 3605);
        let days = |text: &str| {
            m.usage[&UserId::OWNER].get(&id(text)).and_then(|u| u.last).map(|l| l.days_until(m.now.unwrap()))
        };
        assert_eq!((days("com.a"), days("com.b")), (Some(3), None));
        assert!(!m.usage.contains_key(&UserId::new(11)));
        assert_eq!(m.memory[&id("com.a")], 346_678 * 1024);
        assert_eq!(m.memory[&id("android")], 200_000 * 1024);
        assert!(m.gaps.is_empty(), "{:?}", m.gaps);
        assert!(Source::ALL.iter().all(|s| m.tells(*s)));
    }

    #[test]
    fn old_phones_and_what_they_do_not_tell() {
        let text = "wibbet-part:0\r\n2017-03-01 10:00:00\r\nwibbet-part:1\r\nLatency: 0ms\r\nwibbet-part:3\r\nUSER     PID   PPID  VSIZE  RSS     WCHAN    PC        NAME\r\nu0_a55    1400  200   500000 40000 ffffffff b6f S com.a\r\n\
wibbet-part:4\r\nuser=0\r\n  In-memory daily stats\r\n    packages\r\n      package=com.a totalTime=\"00:30\" lastTime=\"2017-02-20 09:00:00\"\r\n\
wibbet-part:2\r\nApplications Memory Usage (kB):\r\nTotal PSS by process:\r\n    56789 kB: com.a (pid 1400 / activities)\r\n";
        let m = read(text);
        let last = m.usage[&UserId::OWNER][&id("com.a")].last.unwrap();
        assert_eq!(last.days_until(m.now.unwrap()), 9);
        assert_eq!(m.memory[&id("com.a")], 56_789 * 1024);
        assert!(m.running.contains(&(id("com.a"), UserId::OWNER)));
        assert!(!m.tells(Source::Sizes) && m.gaps[&Source::Sizes].contains("Latency"), "{:?}", m.gaps);
        let none = read("wibbet-part:4\nCan't find service: usagestats\nwibbet-part:2\n");
        assert!(none.gaps[&Source::Usage].contains("Can't find service"));
        assert!(none.gaps[&Source::Memory].contains("said nothing"));
        assert!(!none.tells(Source::Sizes), "it was not even asked");
        // 8.1 lists no sizes of data: they are not nothing.
        let some = read("wibbet-part:1\nPackage Names: [\"com.a\"]\nApp Sizes: [5]\nCache Sizes: [7]\n");
        let sizes = some.sizes[&id("com.a")];
        assert_eq!((sizes.code, sizes.data, sizes.total()), (Some(5), None, None));
    }

    #[test]
    fn use_as_each_version_tells_it() {
        let numbers = "wibbet-part:0\n2026-11-23 14:00:00 1795438800\nwibbet-part:4\nuser=0\n  In-memory yearly stats\n    beginTime=1769904000000 endTime=1795392000000 \n\
    packages\n      package=com.a totalTimeUsed=90000 lastTimeUsed=1795179600000 totalTimeVisible=0 \n      package=com.b totalTimeUsed=0 lastTimeUsed=0 \n";
        let m = read(numbers);
        let of = |m: &Metrics, text: &str| m.usage[&UserId::OWNER][&id(text)];
        // The clock is an hour ahead of UTC.
        assert_eq!(
            of(&m, "com.a").last.map(|last| (last.date(), last.0 % 86_400)),
            Some(("2026-11-20".into(), 14 * 3600))
        );
        assert_eq!((of(&m, "com.a").seconds, of(&m, "com.b").last, of(&m, "com.b").unreadable), (90, None, false));
        assert_eq!(m.usage_since[&UserId::OWNER].date(), "2026-02-01");
        let tell = |last: &str| {
            read(&format!("wibbet-part:4\nuser=0\n      package=com.a totalTime=\"00:30\" lastTime=\"{last}\"\n"))
        };
        // The digits of a language are read; an order of days and months that nobody knows is not.
        assert!(of(&tell("۲۰۲۶-۱۱-۲۰ ۱۰:۰۰:۰۰"), "com.a").last.is_some());
        assert_eq!(of(&tell("20/11/2026, 10:00"), "com.a"), Usage { last: None, unreadable: true, seconds: 30 });
        assert_eq!(of(&tell("1970-01-01 01:00:00"), "com.a"), Usage { last: None, unreadable: false, seconds: 30 });
    }

    proptest! {
        #[test]
        fn cuts_do_not_matter(cut in 0..NEW.len()) {
            let mut reader = reader();
            reader.feed(&NEW.as_bytes()[..cut]);
            reader.feed(&NEW.as_bytes()[cut..]);
            prop_assert_eq!(reader.end_answer(), read(NEW));
        }

        #[test]
        fn any_bytes_are_read(bytes in any::<Vec<u8>>(), part in 0usize..5, text in "[a-zA-Z0-9:=\"\\[\\], \n.]{0,200}") {
            read(&format!("wibbet-part:{part}\n{text}"));
            let mut reader = MeasureReader::default();
            reader.feed(format!("wibbet-part:{part}\n").as_bytes());
            reader.feed(&bytes);
            reader.end_answer();
        }
    }
}
