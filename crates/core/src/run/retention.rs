//! How long what is kept of a device stays in the logbook: a rule by days without it.

use wibbet_types::Timestamp;

/// What stands against erasing what is kept of a device.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Pending {
    /// A run of it can be carried on.
    pub unfinished: bool,
    /// It is on a break for a system update, which nothing else remembers the way out of.
    pub on_break: bool,
    /// A copy of one of its apps is offered to other devices of its model.
    pub offers: bool,
}

/// Whether what is kept of a device has been kept long enough.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Keeping {
    /// It was seen within the days.
    Stays,
    /// It is due, and stays for this.
    StaysFor(&'static str),
    /// It goes.
    Due,
}

const DAY: i64 = 24 * 60 * 60 * 1000;

/// What becomes of what is kept of a device that was last seen at `seen`, by a rule of so many days. A clock that has run ahead keeps.
pub fn keeping(seen: Timestamp, now: Timestamp, days: u32, pending: Pending) -> Keeping {
    if now.0.saturating_sub(seen.0) < i64::from(days) * DAY {
        return Keeping::Stays;
    }
    match pending {
        Pending { unfinished: true, .. } => Keeping::StaysFor("a run of it is not done"),
        Pending { on_break: true, .. } => Keeping::StaysFor("it is on a break for a system update"),
        Pending { offers: true, .. } => Keeping::StaysFor("a copy of it is offered to its like"),
        _ => Keeping::Due,
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_was_not_seen_for_long_goes_unless_something_is_open() {
        let now = Timestamp(1_000 * DAY);
        let none = Pending::default();
        for (seen, days, is) in
            [(901, 100, Keeping::Stays), (900, 100, Keeping::Due), (2_000, 1, Keeping::Stays), (0, 0, Keeping::Due)]
        {
            assert_eq!(keeping(Timestamp(seen * DAY), now, days, none), is, "{seen} {days}");
        }
        let with = |pending| keeping(Timestamp(0), now, 30, pending);
        for pending in
            [Pending { unfinished: true, ..none }, Pending { on_break: true, ..none }, Pending { offers: true, ..none }]
        {
            assert!(matches!(with(pending), Keeping::StaysFor(_)), "{pending:?}");
        }
    }
}
