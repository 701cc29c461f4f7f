//! One use of the fault finder, as it is kept: what is broken, the suspects, and what rounds have shown. Days may lie between rounds.

use std::fmt;
use std::str::FromStr;

use wibbet_types::{DeviceId, FinderId, PackageId, PlainText, Timestamp, UserId, named};

use super::check::Check;
use super::halving::{Cause, Evaluation, Halving, Next, Round};
use crate::catalog::Catalog;
use crate::holds::HoldKind;
use crate::package::{Condition, Inventory, PackageState};
use crate::plan::{Change, TrayItem};
use crate::run::{Run, TakenOut};

named!(Evaluation { Gone => "gone", Still => "still", CannotTell => "cannot-tell" });

/// A package that was taken out, and may be why something is broken.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Suspect {
    /// The package.
    pub id: PackageId,
    /// The user for whom it went.
    pub user: UserId,
    /// How it went.
    pub way: Change,
    /// The state before.
    pub before: PackageState,
    /// How much speaks for it against the others, from 1 on.
    pub weight: u32,
}

/// A line of the record: `WEIGHT USER WAY ID STATE`.
impl fmt::Display for Suspect {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        write!(f, "{} {} {} {} {}", self.weight, self.user, self.way, self.id, self.before)
    }
}

/// A line that is no suspect, or no round.
#[derive(Debug, Clone, PartialEq, Eq, thiserror::Error)]
#[error("“{0}” is not a line of a fault finder's record")]
pub struct BadFinderLine(String);

impl FromStr for Suspect {
    type Err = BadFinderLine;

    fn from_str(line: &str) -> Result<Self, BadFinderLine> {
        let bad = || BadFinderLine(line.chars().take(80).collect());
        let mut words = line.splitn(5, ' ');
        let mut next = || words.next().ok_or_else(bad);
        Ok(Self {
            weight: next()?.parse().map_err(|_| bad())?,
            user: next()?.parse().map_err(|_| bad())?,
            way: next()?.parse().map_err(|_| bad())?,
            id: next()?.parse().map_err(|_| bad())?,
            before: next()?.parse().map_err(|_| bad())?,
        })
    }
}

/// A line of the record: a digit for each suspect, 1 where it was back, and what was seen.
impl fmt::Display for Round {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        self.back.iter().try_for_each(|back| f.write_str(if *back { "1" } else { "0" }))?;
        write!(f, " {}", self.seen)
    }
}

impl FromStr for Round {
    type Err = BadFinderLine;

    fn from_str(line: &str) -> Result<Self, BadFinderLine> {
        let bad = || BadFinderLine(line.chars().take(80).collect());
        let (digits, seen) = line.split_once(' ').ok_or_else(bad)?;
        let back = digits.chars().map(|c| match c {
            '0' => Ok(false),
            '1' => Ok(true),
            _ => Err(bad()),
        });
        Ok(Self { back: back.collect::<Result<_, _>>()?, seen: Evaluation::from_name(seen).ok_or_else(bad)? })
    }
}

/// One use of the fault finder.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct FaultFinder {
    /// Its number in the logbook.
    pub number: FinderId,
    /// The device.
    pub device: DeviceId,
    /// When it was begun.
    pub begun: Timestamp,
    /// What is broken, in somebody's words; maybe nothing.
    pub what: PlainText,
    /// What tells by itself whether it is broken still, where something does.
    pub check: Option<Check>,
    /// The suspects.
    pub suspects: Vec<Suspect>,
    /// What was seen in each round.
    pub rounds: Vec<Round>,
    /// When it ended; `None` while it goes on.
    pub ended: Option<Timestamp>,
}

/// What has to be done on a device so that some suspects are back and the others off.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct ToTry {
    /// These come back, each to its state before.
    pub put_back: Vec<(PackageId, UserId, PackageState)>,
    /// These go again.
    pub take_out: Vec<TrayItem>,
}

impl ToTry {
    /// Whether all is as it is to be.
    pub fn is_done(&self) -> bool {
        self.put_back.is_empty() && self.take_out.is_empty()
    }
}

impl FaultFinder {
    /// The machine as the rounds have left it.
    pub fn machine(&self) -> Halving {
        let weights: Vec<f64> = self.suspects.iter().map(|suspect| f64::from(suspect.weight)).collect();
        Halving::with(&weights, self.rounds.iter().cloned())
    }

    /// For whom it is looked: the first of the suspects' users.
    pub fn whose(&self) -> UserId {
        self.suspects.first().map_or(UserId::OWNER, |suspect| suspect.user)
    }

    /// What comes next.
    pub fn next(&self) -> Next {
        self.machine().next()
    }

    /// Which suspects are back on a device now.
    pub fn back_now(&self, inventory: &Inventory) -> Vec<bool> {
        self.suspects.iter().map(|one| inventory.condition(&one.id, one.user) == Condition::InUse).collect()
    }

    /// What has to be done so that these are back and the others off.
    pub fn to_try(&self, back: &[bool], inventory: &Inventory) -> ToTry {
        let mut all = ToTry::default();
        for ((suspect, wanted), is) in self.suspects.iter().zip(back).zip(self.back_now(inventory)) {
            match (*wanted, is) {
                (true, false) => all.put_back.push((suspect.id.clone(), suspect.user, suspect.before)),
                (false, true) => {
                    all.take_out.push(TrayItem { id: suspect.id.clone(), user: suspect.user, way: suspect.way })
                }
                _ => {}
            }
        }
        all
    }

    /// How it is to be in the end: what the fault is due to back, everybody else off.
    pub fn in_the_end(&self, cause: Cause) -> Vec<bool> {
        let mut back = vec![false; self.suspects.len()];
        self.culprits(cause).iter().for_each(|place| back[*place] = true);
        back
    }

    /// The places of those that a fault is due to.
    pub fn culprits(&self, cause: Cause) -> Vec<usize> {
        match cause {
            Cause::One(one) => vec![one],
            // One of them being back is enough; which of them nobody has said, and both is sure.
            Cause::Together(one, other) | Cause::Either(one, other) => vec![one, other],
            Cause::NoneOfThem => Vec::new(),
        }
    }

    /// What it found out, in words; `name` gives packages the names that people know.
    pub fn found_words(&self, cause: Cause, name: impl Fn(&PackageId) -> String) -> String {
        let named = |place: usize| name(&self.suspects[place].id);
        match cause {
            Cause::One(one) => format!("it is due to {}", named(one)),
            Cause::Together(one, other) => {
                format!(
                    "it is due to {} and {} together: with either of them back it is gone",
                    named(one),
                    named(other)
                )
            }
            Cause::Either(one, other) => {
                format!("{} and {} both break it: both have to be back", named(one), named(other))
            }
            Cause::NoneOfThem => "none of them has anything to do with it: it is there with all of them back".into(),
        }
    }

    /// What is remembered of a culprit for devices of its model.
    pub fn story(&self) -> String {
        match self.what.as_str() {
            "" => "put back again: without it something was broken (fault finder)".into(),
            what => format!("put back again: without it “{what}” (fault finder)"),
        }
    }
}

/// The suspects of what runs took out and is off, likely ones with more weight: what the start needs, what a log named behind a run, and
/// what had holds while it was in use.
pub fn suspects_of(out: &[TakenOut], runs: &[Run], catalog: &Catalog) -> Vec<Suspect> {
    // Then it is seen what leaned on it.
    let before = catalog.as_if(out.iter().map(|one| (&one.id, one.user, one.target, one.given.as_slice())));
    let seen: Vec<&str> = runs.iter().flat_map(|run| &run.seen_after).map(PlainText::as_str).collect();
    let off = |one: &&TakenOut| catalog.inventory.condition(&one.id, one.user) != Condition::InUse;
    out.iter()
        .filter(off)
        .map(|one| {
            let judged = before.judged.get(&one.user).and_then(|judged| judged.packages.get(&one.id));
            let has = |kind| judged.is_some_and(|judged| judged.holds.iter().any(|hold| hold.kind == kind));
            let mut weight = 1;
            weight += if one.start.is_some() || has(HoldKind::Start) { 6 } else { 0 };
            weight += if has(HoldKind::Role) { 4 } else { 0 };
            weight += if has(HoldKind::Need) { 3 } else { 0 };
            weight += if seen.iter().any(|words| words.contains(one.id.as_str())) { 8 } else { 0 };
            Suspect { id: one.id.clone(), user: one.user, way: one.way, before: one.target, weight }
        })
        .collect()
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::UserKind;
    use crate::package::PackageKind;
    use crate::testing;
    use proptest::prelude::*;

    fn finder(ids: &[&str]) -> FaultFinder {
        let suspect = |text: &&str| Suspect {
            id: text.parse().unwrap(),
            user: UserId::OWNER,
            way: Change::Uninstall,
            before: PackageState::IN_USE,
            weight: 1,
        };
        FaultFinder {
            number: FinderId::new(1),
            device: "S".parse().unwrap(),
            begun: Timestamp(0),
            what: PlainText::new("nothing can be shared"),
            check: None,
            suspects: ids.iter().map(suspect).collect(),
            rounds: Vec::new(),
            ended: None,
        }
    }

    fn inventory(off: &[&str]) -> Inventory {
        let ids = ["a.one", "a.two", "a.three", "a.four"];
        let state = |text: &&str| if off.contains(text) { testing::UNINSTALLED } else { testing::IN_USE };
        let package = |text: &&str| testing::package(text, PackageKind::System, "", &[(0, state(text))]);
        testing::inventory(&[testing::user(0, "", UserKind::Owner)], ids.iter().map(package))
    }

    #[test]
    fn what_has_to_be_done_for_a_round() {
        let finder = finder(&["a.one", "a.two", "a.three", "a.four"]);
        let now = inventory(&["a.one", "a.two", "a.three"]);
        assert_eq!(finder.back_now(&now), [false, false, false, true]);
        let tried = finder.to_try(&[true, false, false, false], &now);
        let ids = |all: &[PackageId]| all.iter().map(ToString::to_string).collect::<Vec<_>>();
        let put_back: Vec<PackageId> = tried.put_back.iter().map(|(id, ..)| id.clone()).collect();
        let take_out: Vec<PackageId> = tried.take_out.iter().map(|item| item.id.clone()).collect();
        assert_eq!((ids(&put_back), ids(&take_out)), (vec!["a.one".to_owned()], vec!["a.four".to_owned()]));
        assert!(finder.to_try(&[false, false, false, true], &now).is_done());
        assert_eq!(finder.in_the_end(Cause::Together(0, 2)), [true, false, true, false]);
        let words = finder.found_words(Cause::One(1), PackageId::to_string);
        assert!(words.contains("a.two") && finder.story().contains("nothing can be shared"), "{words}");
    }

    /// Asked round by round, written down and read again in between.
    #[test]
    fn it_goes_on_from_its_record() {
        let mut finder = finder(&["a.one", "a.two", "a.three", "a.four"]);
        for _ in 0..12 {
            match finder.next() {
                Next::Try(back) => {
                    let seen = if back[2] { Evaluation::Gone } else { Evaluation::Still };
                    let line = Round { back, seen }.to_string();
                    finder.rounds.push(line.parse().unwrap());
                }
                Next::Found(cause) => {
                    assert_eq!(cause, Cause::One(2));
                    return;
                }
                Next::Blurred(_) => panic!("{:?}", finder.rounds),
            }
        }
        panic!("not found: {:?}", finder.rounds);
    }

    #[test]
    fn what_the_log_named_is_met_first() {
        let off = ["a.one", "a.two", "a.three"];
        let catalog = Catalog::new(std::sync::Arc::new(inventory(&off)));
        let taken = |text: &str, start| TakenOut {
            id: text.parse().unwrap(),
            user: UserId::OWNER,
            now: testing::UNINSTALLED,
            target: testing::IN_USE,
            way: Change::Disable,
            given: Vec::new(),
            start,
        };
        let out = [taken("a.one", None), taken("a.two", None), taken("a.three", Some(2)), taken("a.four", None)];
        let mut run = testing::run(1, &["a.one", "a.two"]);
        run.seen_after = vec![PlainText::new("Word Pier failed: it names what a.two was there for")];
        let found = suspects_of(&out, &[run], &catalog);
        let weights: Vec<(&str, u32, Change)> =
            found.iter().map(|one| (one.id.as_str(), one.weight, one.way)).collect();
        assert_eq!(weights.iter().map(|(id, ..)| *id).collect::<Vec<_>>(), off, "what is back cannot matter");
        assert!(weights[1].1 > weights[2].1 && weights[2].1 > weights[0].1, "{weights:?}");
        assert_eq!(weights[0].2, Change::Disable);
    }

    proptest! {
        #[test]
        fn any_line_is_read_or_refused(line in ".{0,60}") {
            if let Ok(suspect) = line.parse::<Suspect>() {
                prop_assert_eq!(suspect.to_string().parse::<Suspect>().ok(), Some(suspect));
            }
            if let Ok(round) = line.parse::<Round>() {
                prop_assert_eq!(round.to_string().parse::<Round>().ok(), Some(round));
            }
        }

        #[test]
        fn what_is_written_is_read(weight in 1u32..50, user in 0u32..20, back in proptest::collection::vec(any::<bool>(), 0..50)) {
            let suspect = Suspect {
                id: "com.ostrel.notes".parse().unwrap(),
                user: UserId::new(user),
                way: Change::UninstallKeepData,
                before: PackageState { hidden: true, ..PackageState::IN_USE },
                weight,
            };
            prop_assert_eq!(suspect.to_string().parse::<Suspect>(), Ok(suspect));
            let round = Round { back, seen: Evaluation::CannotTell };
            prop_assert_eq!(round.to_string().parse::<Round>(), Ok(round));
        }
    }
}
