//! How far a device has got with starting, asked by programs that need nothing of Android's framework: they answer while it starts,
//! and while it dies over and over.

use wibbet_types::PlainText;

use super::parts::{marked_request, parts};
use crate::ask::{Output, Request};

/// The cheapest question there is: whether the package service has come up. `service` is a native program on every version.
const SERVICE: &str = "service check package";

/// What is asked. `sys.system_server.start_count` is told from Android 10 on; the counts of `RescueParty` have their names up to
/// Android 14 and from 15 on.
const QUESTIONS: [(&str, &str); 6] = [
    ("service", SERVICE),
    ("booted", "getprop sys.boot_completed"),
    ("starts", "getprop sys.system_server.start_count"),
    ("boot", "cat /proc/sys/kernel/random/boot_id"),
    ("rescue", "getprop sys.rescue_boot_count"),
    ("recovery", "getprop crashrecovery.rescue_boot_count"),
];

/// One look at a device that starts.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct StartSigns {
    /// Its package service is there.
    pub service: bool,
    /// It has started.
    pub booted: bool,
    /// How often the framework has started since the kernel did, where that is told.
    pub starts: Option<u32>,
    /// Which start of the kernel it is, where that is told.
    pub boot: Option<PlainText>,
    /// How many starts of the framework the system's own rescue counts, where that is told.
    pub rescue: Option<u32>,
}

/// What is asked for all of it.
pub fn signs_request() -> Request {
    marked_request(QUESTIONS)
}

/// What is asked while nothing but the package service is waited for.
pub fn service_request() -> Request {
    Request::shell(SERVICE)
}

/// Whether the answer to [`service_request`] says that the service is there.
pub fn says_found(said: &Output) -> bool {
    said.out.lines().any(|line| line.trim() == "Service package: found")
}

/// Reads the answer to [`signs_request`].
pub fn read_signs(text: &str) -> StartSigns {
    let mut signs = StartSigns::default();
    for (name, body) in parts(text) {
        let first = body.lines().next().unwrap_or("").trim();
        match name {
            "service" => signs.service = first == "Service package: found",
            "booted" => signs.booted = first == "1",
            "starts" => signs.starts = first.parse().ok().filter(|count| *count > 0),
            "boot" if !first.is_empty() && !first.contains(' ') => signs.boot = Some(PlainText::short(first)),
            "rescue" | "recovery" => signs.rescue = signs.rescue.or_else(|| first.parse().ok()),
            _ => {}
        }
    }
    signs
}

/// What of the log of crashes is asked for: that of this start of the kernel, and what is left of the one before.
pub fn system_crash_request() -> Request {
    marked_request([("now", "logcat -b crash -d -v brief -t 300"), ("before", "logcat -L -b crash -d -v brief -t 300")])
}

/// With what the system died last, as its log has it: the line behind `FATAL EXCEPTION IN SYSTEM PROCESS`; or with what an app died
/// last, one that is always there among them, over which the system starts anew: `Process: ID, PID: N` is behind `FATAL EXCEPTION`
/// then. `None` where it tells nothing.
pub fn read_system_crash(text: &str) -> Option<PlainText> {
    let message = |line: &str| line.split_once("): ").map(|(_, message)| message.trim().to_owned());
    let (mut system, mut app) = (None, None);
    // What came last counts, and the log of this start before that of the former one.
    for (_, body) in parts(text) {
        let (mut last_system, mut last_app) = (None, None);
        let mut dies: Option<Option<String>> = None;
        for words in body.lines().filter_map(message).filter(|words| !words.is_empty()) {
            if words.contains("FATAL EXCEPTION IN SYSTEM PROCESS") {
                dies = Some(None);
            } else if words.contains("FATAL EXCEPTION") {
                dies = Some(Some(String::new()));
            } else if let (Some(Some(process)), Some(named)) = (&mut dies, words.strip_prefix("Process: ")) {
                *process = named.split(',').next().unwrap_or("").to_owned();
            } else {
                match dies.take() {
                    Some(None) => last_system = Some(PlainText::short(&words)),
                    Some(Some(process)) if !process.is_empty() => {
                        last_app = Some(PlainText::short(&format!("{process}: {words}")));
                    }
                    _ => {}
                }
            }
        }
        (system, app) = (system.or(last_system), app.or(last_app));
    }
    system.or(app)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_signs_of_a_start() {
        let text = "wibbet-part:service\nService package: not found\nwibbet-part:booted\n\nwibbet-part:starts\n7\n\
                    wibbet-part:boot\n3f0c1d52-9d1e-4a63-8d7e-1f2a3b4c5d6e\nwibbet-part:rescue\n6\nwibbet-part:recovery\n\n";
        let signs = read_signs(text);
        assert_eq!((signs.service, signs.booted, signs.starts, signs.rescue), (false, false, Some(7), Some(6)));
        assert!(signs.boot.is_some());
        let up =
            "wibbet-part:service\r\nService package: found\r\nwibbet-part:booted\r\n1\r\nwibbet-part:recovery\r\n2\r\n";
        let up = read_signs(up);
        assert_eq!((up.service, up.booted, up.starts, up.boot, up.rescue), (true, true, None, None, Some(2)));
        assert_eq!(read_signs("no such thing"), StartSigns::default());
        let said = |out: &str| Output { out: out.into(), ..Output::default() };
        assert!(says_found(&said("Service package: found\r\n")) && !says_found(&said("Service package: not found\n")));
    }

    #[test]
    fn what_the_system_died_of() {
        let text = "wibbet-part:now\n--------- beginning of crash\n\
                    E/AndroidRuntime( 900): FATAL EXCEPTION: main\nE/AndroidRuntime( 900): java.lang.Error: an app\n\
                    E/AndroidRuntime( 1391): *** FATAL EXCEPTION IN SYSTEM PROCESS: main\n\
                    E/AndroidRuntime( 1391): java.lang.RuntimeException: first\n\
                    E/AndroidRuntime( 1391): \tat com.android.server\n\
                    E/AndroidRuntime( 1402): *** FATAL EXCEPTION IN SYSTEM PROCESS: main\n\
                    E/AndroidRuntime( 1402): java.lang.RuntimeException: There must be exactly one installer; found []\n\
                    wibbet-part:before\nlogcat: no\n";
        let found = read_system_crash(text).unwrap();
        assert_eq!(found.as_str(), "java.lang.RuntimeException: There must be exactly one installer; found []");
        let app = "wibbet-part:now\nE/AndroidRuntime( 77): FATAL EXCEPTION: main\nE/AndroidRuntime( 77): Process: com.android.phone, PID: 77\n\
                   E/AndroidRuntime( 77): java.lang.IllegalArgumentException: Unknown URL content://telephony/carriers\n";
        let found = read_system_crash(app).unwrap();
        assert_eq!(
            found.as_str(),
            "com.android.phone: java.lang.IllegalArgumentException: Unknown URL content://telephony/carriers"
        );
        assert_eq!(read_system_crash("wibbet-part:now\n--------- beginning of crash\n"), None);
        assert_eq!(read_system_crash(""), None);
    }
}
