//! How far the link to a device has got, rung by rung.

/// One condition that must hold, bottom to top.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Rung {
    /// Something answers at the address.
    Address,
    /// It is a debugging daemon.
    Daemon,
    /// The device has authorised this computer.
    Authorised,
    /// Android has started and its package service answers.
    Service,
    /// The packages have been read.
    Survey,
}

impl Rung {
    /// Every rung, bottom to top.
    pub const ALL: [Self; 5] = [Self::Address, Self::Daemon, Self::Authorised, Self::Service, Self::Survey];

    /// What holds when the rung does.
    pub fn words(self) -> &'static str {
        match self {
            Self::Address => "the address answers",
            Self::Daemon => "a debugging daemon",
            Self::Authorised => "this computer authorised",
            Self::Service => "package service up",
            Self::Survey => "packages read",
        }
    }
}

/// Why the first missing rung does not hold.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct LinkTrouble {
    /// The word for machines: "no-answer", "not-a-daemon", "awaiting-tap", "not-authorised",
    /// "lost", "wants-tls", "wrong-device", "not-ready", "broken".
    pub name: &'static str,
    /// What was seen.
    pub seen: String,
    /// What to do next, on the device mostly.
    pub advice: String,
    /// Whether Wibbet goes on trying by itself.
    pub retrying: bool,
}

impl LinkTrouble {
    /// The name of the trouble that the device asks its owner whether to allow this computer.
    pub const AWAITING_TAP: &'static str = "awaiting-tap";
}

/// The ladder of one device.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct Ladder {
    /// How many rungs hold, from the bottom.
    pub held: usize,
    /// What is in the way of the next one; `None` while it is being tried, or when all hold.
    pub trouble: Option<LinkTrouble>,
}

impl Ladder {
    /// The first rung that does not hold.
    pub fn missing(&self) -> Option<Rung> {
        Rung::ALL.get(self.held).copied()
    }

    /// The rungs up to and with `rung` hold.
    pub fn climb(&mut self, rung: Rung) {
        self.held = Rung::ALL.iter().position(|r| *r == rung).map_or(self.held, |at| at + 1);
        self.trouble = None;
    }

    /// The rung and all above it do not hold, because of this.
    pub fn fall(&mut self, rung: Rung, trouble: LinkTrouble) {
        self.held = Rung::ALL.iter().position(|r| *r == rung).unwrap_or(0);
        self.trouble = Some(trouble);
    }

    /// Whether all that is missing is a tap on the device, which is nothing to be alarmed about.
    pub fn awaits_tap(&self) -> bool {
        self.trouble.as_ref().is_some_and(|t| t.name == LinkTrouble::AWAITING_TAP)
    }

    /// The word for machines.
    pub fn name(&self) -> &'static str {
        match (&self.trouble, self.missing()) {
            (Some(trouble), _) => trouble.name,
            (None, None) => "ready",
            (None, Some(Rung::Survey)) => "linked",
            (None, Some(_)) => "trying",
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn climbing_and_falling() {
        let mut ladder = Ladder::default();
        assert_eq!((ladder.missing(), ladder.name()), (Some(Rung::Address), "trying"));
        ladder.climb(Rung::Authorised);
        assert_eq!(ladder.missing(), Some(Rung::Service));
        let trouble = LinkTrouble { name: "lost", seen: String::new(), advice: String::new(), retrying: true };
        ladder.fall(Rung::Address, trouble);
        assert_eq!((ladder.held, ladder.name()), (0, "lost"));
        ladder.climb(Rung::Survey);
        assert_eq!((ladder.missing(), ladder.name()), (None, "ready"));
    }
}
