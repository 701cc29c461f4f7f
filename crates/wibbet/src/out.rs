//! Standard output and standard error.

use std::io::{IsTerminal as _, Write as _};

/// Writes a line. A reader that has gone away (`wibbet packages … | head`) is no reason to fail:
/// what was done to a device stays done, and the exit code tells of that.
pub(crate) fn line(text: impl std::fmt::Display) {
    let mut out = std::io::stdout().lock();
    let _ = writeln!(out, "{}", harmless(&text.to_string())).and_then(|()| out.flush());
}

/// Tells people something on standard error. A terminal that has gone away is no reason to fail.
pub(crate) fn tell(text: impl std::fmt::Display) {
    let _ = writeln!(std::io::stderr().lock(), "wibbet: {}", harmless(&text.to_string()));
}

/// Shows on a terminal how far something has got, on one line that the next one takes the place of; nothing takes it away.
pub(crate) fn progress(text: Option<&str>) {
    let mut err = std::io::stderr().lock();
    if err.is_terminal() {
        let _ = write!(err, "\r\u{1b}[K{}", text.map(harmless).unwrap_or_default()).and_then(|()| err.flush());
    }
}

/// The last gate before a terminal: texts of devices are plain long before, and should one not be, nothing in it steers.
fn harmless(text: &str) -> String {
    text.replace(|c: char| c.is_control() && c != '\n', "\u{fffd}")
}

/// The day of a moment, as the clock on the wall shows it.
pub(crate) fn day_here(time: wibbet_types::Timestamp) -> String {
    let moment = jiff::Timestamp::from_millisecond(time.0);
    moment.map_or_else(|_| String::new(), |moment| moment.to_zoned(jiff::tz::TimeZone::system()).date().to_string())
}

/// Day and time of a moment, as the clock on the wall shows them.
pub(crate) fn moment_here(time: wibbet_types::Timestamp) -> String {
    let moment = jiff::Timestamp::from_millisecond(time.0);
    let here = |moment: jiff::Timestamp| moment.to_zoned(jiff::tz::TimeZone::system());
    moment.map_or_else(|_| String::new(), |moment| here(moment).strftime("%Y-%m-%d %H:%M").to_string())
}

#[cfg(test)]
mod tests {
    #[test]
    fn nothing_that_steers_a_terminal_gets_out() {
        assert_eq!(super::harmless("a\nb \u{1b}[2J\u{9b}1m\u{7}\r"), "a\nb \u{fffd}[2J\u{fffd}1m\u{fffd}\u{fffd}");
    }
}
