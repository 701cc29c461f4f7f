//! Standard output and standard error.

use std::io::{IsTerminal as _, Write as _};
use std::sync::atomic::{AtomicBool, Ordering};

use jiff::tz::TimeZone;
use wibbet_types::Timestamp;

/// Writes a line. A reader that has gone away (`wibbet packages … | head`) is no reason to fail:
/// what was done to a device stays done, and the exit code tells of that.
pub(crate) fn line(text: impl std::fmt::Display) {
    let mut out = std::io::stdout().lock();
    let _ = writeln!(out, "{}", harmless(&text.to_string())).and_then(|()| out.flush());
}

/// Nothing is told but what went wrong.
static QUIET: AtomicBool = AtomicBool::new(false);

/// From now on only what went wrong is told.
pub(crate) fn be_quiet() {
    QUIET.store(true, Ordering::Relaxed);
}

/// From now on each command that goes to a device is told on standard error.
pub(crate) fn tell_each_word() {
    let to = tracing_subscriber::fmt().with_max_level(tracing_subscriber::filter::LevelFilter::DEBUG);
    let to = to.with_writer(std::io::stderr).with_ansi(false).with_target(false).with_level(false);
    // There is one for the whole program, and this is the first.
    to.init();
}

/// Tells people something on standard error. A terminal that has gone away is no reason to fail.
pub(crate) fn tell(text: impl std::fmt::Display) {
    if !QUIET.load(Ordering::Relaxed) {
        complain(text);
    }
}

/// Tells people what went wrong, on standard error.
pub(crate) fn complain(text: impl std::fmt::Display) {
    let _ = writeln!(std::io::stderr().lock(), "wibbet: {}", harmless(&text.to_string()));
}

/// Shows on a terminal how far something has got, on one line that the next one takes the place of; nothing takes it away.
pub(crate) fn progress(text: Option<&str>) {
    let mut err = std::io::stderr().lock();
    if err.is_terminal() && !QUIET.load(Ordering::Relaxed) {
        let _ = write!(err, "\r\u{1b}[K{}", text.map(harmless).unwrap_or_default()).and_then(|()| err.flush());
    }
}

/// The last gate before a terminal: texts of devices are plain long before, and should one not be, nothing in it steers.
fn harmless(text: &str) -> String {
    text.replace(|c: char| c.is_control() && c != '\n', "\u{fffd}")
}

/// The day of a moment, as the clock on the wall shows it.
pub(crate) fn day_here(time: Timestamp) -> String {
    day_and_time(time, &crate::system::time_zone()).0
}

/// Day and time of a moment in a time zone.
pub(crate) fn day_and_time(time: Timestamp, zone: &TimeZone) -> (String, String) {
    let Ok(moment) = jiff::Timestamp::from_millisecond(time.0) else { return Default::default() };
    let moment = moment.to_zoned(zone.clone());
    (moment.date().to_string(), moment.strftime("%H:%M").to_string())
}

#[cfg(test)]
mod tests {
    #[test]
    fn nothing_that_steers_a_terminal_gets_out() {
        assert_eq!(super::harmless("a\nb \u{1b}[2J\u{9b}1m\u{7}\r"), "a\nb \u{fffd}[2J\u{fffd}1m\u{fffd}\u{fffd}");
    }
}
