//! The clock of bench devices, and what their log of events has by it.

/// The day on which bench devices began: 2026-11-23, as days since 1970.
pub(super) const TODAY: u64 = 20_780;

/// Half past nine.
const MORNING: u64 = 9 * 3600 + 1800;

/// A moment as dumps print it.
pub(super) fn moment(seconds: u64) -> String {
    let days = seconds / 86_400;
    // Back from the number of days to a date: counted in spans of 400 years, from March on.
    let shifted = days + 719_468;
    let (era, of_era) = (shifted / 146_097, shifted % 146_097);
    let years = (of_era - of_era / 1460 + of_era / 36_524 - of_era / 146_096) / 365;
    let of_year = of_era - (365 * years + years / 4 - years / 100);
    let month = (5 * of_year + 2) / 153;
    let day = of_year - (153 * month + 2) / 5 + 1;
    let month = if month < 10 { month + 3 } else { month - 9 };
    let year = years + era * 400 + u64::from(month <= 2);
    let time = seconds % 86_400;
    format!("{year:04}-{month:02}-{day:02} {:02}:{:02}:{:02}", time / 3600, time / 60 % 60, time % 60)
}

/// What its clock says when it comes.
pub(super) fn first_clock() -> u64 {
    TODAY * 86_400 + MORNING
}

/// A line of the log of events.
#[derive(Debug, Clone)]
pub(crate) struct LoggedEvent {
    /// Seconds since 1970, by the device's clock.
    pub(super) at: u64,
    pub(super) tag: &'static str,
    pub(super) text: String,
}

/// What is in the log when it comes: an app that did not answer once.
pub(super) fn first_logged(clock: u64) -> Vec<LoggedEvent> {
    let text = "[0,2211,com.android.email,952680005,Input dispatching timed out (com.android.email/.Welcome is not responding)]";
    vec![LoggedEvent { at: clock.saturating_sub(7200), tag: "am_anr", text: text.into() }]
}
