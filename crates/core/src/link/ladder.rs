//! How far the link to a device has got: conditions that must hold, bottom to top.

use super::advice::Advice;

/// One condition that must hold, bottom to top.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Rung {
    /// The device is on the bus, or something answers at the address.
    Reached,
    /// It has a debugging interface.
    Interface,
    /// No other program holds it, and this user may open it.
    Free,
    /// The device has authorised this computer.
    Authorised,
    /// A shell answers.
    Shell,
    /// Android's package service answers.
    Service,
    /// The device permits changes over debugging.
    Changes,
    /// Android has started up fully.
    Started,
}

impl Rung {
    /// Every rung, bottom to top.
    pub const ALL: [Self; 8] = [
        Self::Reached,
        Self::Interface,
        Self::Free,
        Self::Authorised,
        Self::Shell,
        Self::Service,
        Self::Changes,
        Self::Started,
    ];

    /// What holds when the rung does.
    pub fn label(self) -> &'static str {
        match self {
            Self::Reached => "device reached",
            Self::Interface => "debugging interface",
            Self::Free => "free for Wibbet",
            Self::Authorised => "computer authorised",
            Self::Shell => "shell answers",
            Self::Service => "package service answers",
            Self::Changes => "changes permitted",
            Self::Started => "started up fully",
        }
    }

    /// The word for machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::Reached => "reached",
            Self::Interface => "interface",
            Self::Free => "free",
            Self::Authorised => "authorised",
            Self::Shell => "shell",
            Self::Service => "service",
            Self::Changes => "changes",
            Self::Started => "started",
        }
    }
}

/// Whether a rung holds.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
pub enum RungStatus {
    /// It has not been looked at, or cannot be known yet.
    #[default]
    Unknown,
    /// It holds.
    Holds,
    /// It does not.
    Missing,
}

impl RungStatus {
    /// The word for people and machines.
    pub fn name(self) -> &'static str {
        match self {
            Self::Unknown => "unknown",
            Self::Holds => "holds",
            Self::Missing => "missing",
        }
    }
}

/// A rung as it stands.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct RungState {
    /// Which one.
    pub rung: Rung,
    /// Whether it holds.
    pub standing: RungStatus,
    /// How that is known; empty where nothing is.
    pub known: String,
}

/// Why the first missing rung does not hold.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkTrouble {
    /// The rung.
    pub rung: Rung,
    /// What to do about it.
    pub advice: Advice,
    /// What was seen.
    pub seen: String,
    /// The advice in words for this very device.
    pub words: String,
}

impl LinkTrouble {
    /// A trouble whose advice is for a device that nothing is known of yet.
    pub fn new(rung: Rung, advice: Advice, seen: impl Into<String>) -> Self {
        Self::with(rung, advice, seen, advice.words(crate::device::DeviceKind::Unknown, None))
    }

    /// A trouble with advice in words of its own.
    pub fn with(rung: Rung, advice: Advice, seen: impl Into<String>, words: String) -> Self {
        Self { rung, advice, seen: seen.into(), words }
    }
}

/// The ladder of one device.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Ladder {
    /// Every rung, bottom to top.
    pub rungs: [RungState; 8],
    /// What is in the way; `None` while all goes well.
    pub trouble: Option<LinkTrouble>,
    /// The packages have been read over this link.
    pub surveyed: bool,
}

impl Default for Ladder {
    fn default() -> Self {
        let rungs = Rung::ALL.map(|rung| RungState { rung, standing: RungStatus::Unknown, known: String::new() });
        Self { rungs, trouble: None, surveyed: false }
    }
}

impl Ladder {
    /// A rung as it stands.
    pub fn standing(&self, rung: Rung) -> RungStatus {
        self.rungs[rung as usize].standing
    }

    /// Whether a rung holds.
    pub fn holds(&self, rung: Rung) -> bool {
        self.standing(rung) == RungStatus::Holds
    }

    /// The first rung that is known not to hold.
    pub fn missing(&self) -> Option<Rung> {
        self.rungs.iter().find(|r| r.standing == RungStatus::Missing).map(|r| r.rung)
    }

    /// The rung that is being tried: the first of those below "changes permitted" of which nothing is known.
    pub fn tried(&self) -> Option<Rung> {
        let unknown = self.rungs.iter().find(|r| r.standing != RungStatus::Holds && r.rung < Rung::Changes)?;
        (unknown.standing == RungStatus::Unknown).then_some(unknown.rung)
    }

    /// Whether the packages can be read and changed as far as the link is concerned.
    pub fn is_up(&self) -> bool {
        self.holds(Rung::Service)
    }

    /// What is known of one rung. The others stay as they are, but for a trouble of this very rung, which is over when
    /// it holds.
    pub fn note(&mut self, rung: Rung, standing: RungStatus, known: impl Into<String>) {
        self.rungs[rung as usize] = RungState { rung, standing, known: known.into() };
        if standing != RungStatus::Missing && self.trouble.as_ref().is_some_and(|t| t.rung == rung) {
            self.trouble = None;
        }
    }

    /// The rung holds, and so do those below it.
    pub fn climb(&mut self, rung: Rung, known: impl Into<String>) {
        let known = known.into();
        for lower in Rung::ALL.into_iter().filter(|r| *r < rung && !matches!(r, Rung::Changes)) {
            if !self.holds(lower) {
                self.note(lower, RungStatus::Holds, known.clone());
            }
        }
        self.note(rung, RungStatus::Holds, known);
        if self.trouble.as_ref().is_some_and(|t| t.rung < rung && t.rung != Rung::Changes) {
            self.trouble = None;
        }
    }

    /// The rung does not hold. Nothing is known of those above it any more, unless it is one that leaves the others as
    /// they are.
    pub fn fall(&mut self, trouble: LinkTrouble) {
        let rung = trouble.rung;
        self.rungs[rung as usize] = RungState { rung, standing: RungStatus::Missing, known: trouble.seen.clone() };
        if rung < Rung::Changes {
            // What is further down has been got past, but that a device is heard does not show that it has authorised
            // this computer.
            for lower in Rung::ALL.into_iter().filter(|r| *r < rung) {
                let missing = self.standing(lower) == RungStatus::Missing;
                if missing || (lower < Rung::Authorised && !self.holds(lower)) {
                    self.rungs[lower as usize] =
                        RungState { rung: lower, standing: RungStatus::Holds, known: "it got that far".into() };
                }
            }
            for higher in Rung::ALL.into_iter().filter(|r| *r > rung) {
                self.rungs[higher as usize] =
                    RungState { rung: higher, standing: RungStatus::Unknown, known: String::new() };
            }
            self.surveyed = false;
        }
        // What is in the way of everything else is told before what is in the way of changes.
        if rung < Rung::Changes || self.trouble.as_ref().is_none_or(|t| rung <= t.rung) {
            self.trouble = Some(trouble);
        }
    }

    /// Whether all that is missing is a tap on the device, which is nothing to be alarmed about.
    pub fn awaits_tap(&self) -> bool {
        self.trouble.as_ref().is_some_and(|t| t.advice == Advice::Allow)
    }

    /// The word for machines: a trouble's name, "ready" when work can begin, "linked" while more is being found out,
    /// "trying".
    pub fn name(&self) -> &'static str {
        match &self.trouble {
            Some(trouble) => trouble.advice.name(),
            None if self.is_up() => "ready",
            None if self.holds(Rung::Authorised) => "linked",
            None => "trying",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn trouble(rung: Rung, advice: Advice) -> LinkTrouble {
        LinkTrouble::new(rung, advice, "seen")
    }

    #[test]
    fn climbing_and_falling() {
        let mut ladder = Ladder::default();
        assert_eq!((ladder.tried(), ladder.missing(), ladder.name()), (Some(Rung::Reached), None, "trying"));
        ladder.climb(Rung::Authorised, "it said so");
        assert_eq!((ladder.tried(), ladder.name()), (Some(Rung::Shell), "linked"));
        ladder.climb(Rung::Service, "it answered");
        assert!(ladder.is_up() && ladder.tried().is_none());
        assert_eq!((ladder.name(), ladder.standing(Rung::Changes)), ("ready", RungStatus::Unknown));
        ladder.surveyed = true;
        ladder.fall(trouble(Rung::Reached, Advice::CheckCable));
        assert_eq!((ladder.missing(), ladder.name(), ladder.surveyed), (Some(Rung::Reached), "unplugged", false));
        assert_eq!(ladder.standing(Rung::Shell), RungStatus::Unknown);
    }

    proptest! {
        /// Whatever happens in whatever order: nothing holds above a rung that has fallen, and what is told is what is
        /// missing.
        #[test]
        fn any_course_of_events_leaves_a_ladder_that_makes_sense(course in proptest::collection::vec((0usize..8, 0usize..3), 0..40)) {
            let mut ladder = Ladder::default();
            for (n, what) in course {
                let rung = Rung::ALL[n];
                match what {
                    0 => ladder.climb(rung, "climbed"),
                    1 => ladder.fall(trouble(rung, Advice::Restart)),
                    _ => ladder.note(rung, RungStatus::Holds, "noted"),
                }
                match what {
                    1 => {
                        prop_assert_eq!(ladder.standing(rung), RungStatus::Missing);
                        prop_assert!(ladder.trouble.as_ref().is_some_and(|t| t.rung <= rung));
                        let above = Rung::ALL.into_iter().filter(|r| *r > rung && rung < Rung::Changes);
                        prop_assert!(above.into_iter().all(|r| ladder.standing(r) == RungStatus::Unknown));
                    }
                    _ => prop_assert!(ladder.holds(rung)),
                }
                if let Some(tried) = ladder.tried() {
                    prop_assert!(tried < Rung::Changes && ladder.standing(tried) == RungStatus::Unknown);
                }
                prop_assert_eq!(ladder.rungs.each_ref().map(|r| r.rung), Rung::ALL);
            }
        }
    }

    #[test]
    fn what_answered_has_been_reached() {
        let mut ladder = Ladder::default();
        ladder.fall(trouble(Rung::Authorised, Advice::Pair));
        let standings = ladder.rungs.each_ref().map(|r| r.standing);
        use RungStatus::{Holds, Missing, Unknown};
        assert_eq!(standings, [Holds, Holds, Holds, Missing, Unknown, Unknown, Unknown, Unknown]);
        let mut ladder = Ladder::default();
        ladder.fall(trouble(Rung::Shell, Advice::Restart));
        assert_eq!(ladder.standing(Rung::Free), Holds);
        assert_eq!(ladder.standing(Rung::Authorised), Unknown, "a broken protocol may have broken before that");
        ladder.fall(trouble(Rung::Reached, Advice::CheckCable));
        assert_eq!(ladder.standing(Rung::Free), Unknown);
    }

    #[test]
    fn the_second_switch_leaves_the_other_rungs_alone() {
        let mut ladder = Ladder::default();
        ladder.climb(Rung::Service, "it answered");
        ladder.note(Rung::Started, RungStatus::Holds, "it says so");
        ladder.fall(trouble(Rung::Changes, Advice::SecondSwitch));
        assert!(ladder.is_up() && ladder.holds(Rung::Started));
        assert_eq!((ladder.missing(), ladder.name()), (Some(Rung::Changes), "second-switch"));
        ladder.climb(Rung::Service, "still there");
        assert_eq!(ladder.name(), "second-switch", "what happens below does not mend it");
        ladder.fall(trouble(Rung::Reached, Advice::CheckNetwork));
        assert_eq!(ladder.name(), "lost", "what is lower is told first");
        ladder.fall(trouble(Rung::Interface, Advice::SwitchOnDebugging));
        assert_eq!((ladder.name(), ladder.missing()), ("debugging-off", Some(Rung::Interface)), "it got further");
        ladder.climb(Rung::Service, "again");
        ladder.note(Rung::Changes, RungStatus::Holds, "tried");
        assert_eq!((ladder.missing(), ladder.name()), (None, "ready"));
    }
}
