//! Catch: putting back what a run took out on a device that does not start any more, in the moments in which it can be asked.
//!
//! A machine: it is told what is seen and answered, and says what is to be done next. It knows no clock; `at` is the time since the
//! catch began.

use std::time::Duration;

use wibbet_types::{PlainText, StepIndex, counted};

use crate::android::Capabilities;
use crate::read::StartSigns;

/// How long a device has to stand before it is over.
pub const STANDS_FOR: Duration = Duration::from_secs(120);

/// So many rounds in which the package service does not come up say that it never will.
const ROUNDS_IN_VAIN: u32 = 3;

/// As long as this in one round says so too.
const WAITED_IN_VAIN: Duration = Duration::from_secs(180);

/// How often a step is tried that was refused: a service that is just coming up refuses what it does later.
const TRIES: u32 = 3;

/// What is to be done next.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum CatchNext {
    /// Look at the device again, soon.
    Look,
    /// Send these steps, in this order, and have the device write down what it holds.
    Send(Vec<StepIndex>),
    /// The device stands and all has been sent: look what became of it.
    Over,
}

/// How a step was answered.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum CatchAnswer {
    /// The device says that it is done.
    Yes,
    /// It says no.
    No,
    /// The package service was not there, or went: it was not done, as far as is known.
    NotYet,
}

/// How far a step has got.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Standing {
    Waits,
    /// Sent; no answer has come.
    Sent,
    /// Answered with yes, and not known to be on the device's disk.
    Answered,
    /// On its disk, as far as it says.
    Kept,
    /// Refused so often that it is left.
    Left,
}

#[derive(Debug, Clone)]
struct Piece {
    index: StepIndex,
    /// The device has it on its disk when it says yes: installing what is there. The rest it writes when told, or seconds later.
    at_once: bool,
    standing: Standing,
    refused: u32,
}

/// A start of the framework: that of the kernel, and its number since.
type Life = (Option<PlainText>, Option<u32>);

/// The machine.
#[derive(Debug, Clone)]
pub struct Catch {
    pieces: Vec<Piece>,
    life: Option<Life>,
    view: CatchView,
    /// Since when the package service has been there without a break.
    up_since: Option<Duration>,
    /// Since when this round lasts, and whether the service was there in it.
    round_since: Duration,
    came_up: bool,
    /// Rounds in a row in which it was not.
    in_vain: u32,
    booted: bool,
    /// It has been looked at since the link went last.
    reached: bool,
}

/// What there is to be seen of a catch.
#[derive(Debug, Clone, PartialEq, Eq, Default)]
pub struct CatchView {
    /// How often the device has been seen to start.
    pub rounds: u32,
    /// How often its package service has come up, and the longest time for which it was there.
    pub windows: u32,
    /// The longest time for which it was there.
    pub longest: Duration,
    /// How many steps there are.
    pub steps: usize,
    /// How many of them have been answered with yes.
    pub back: usize,
    /// How many were refused and are left.
    pub left: usize,
    /// Whether its package service is not expected to come up any more.
    pub never_comes: bool,
    /// Since when it has stood still; `None` while it does not.
    pub stands_since: Option<Duration>,
    /// How many starts its own rescue counts.
    pub rescue: Option<u32>,
    /// With what the system died last, as its log has it.
    pub crash: Option<PlainText>,
}

impl Catch {
    /// For some steps in the order in which they are to be sent, each with whether a yes means that it is on the device's disk.
    pub fn new(steps: impl IntoIterator<Item = (StepIndex, bool)>) -> Self {
        let piece = |(index, at_once)| Piece { index, at_once, standing: Standing::Waits, refused: 0 };
        let pieces: Vec<Piece> = steps.into_iter().map(piece).collect();
        let view = CatchView { steps: pieces.len(), ..CatchView::default() };
        Self {
            pieces,
            life: None,
            view,
            up_since: None,
            round_since: Duration::ZERO,
            came_up: false,
            in_vain: 0,
            booted: false,
            reached: false,
        }
    }

    /// The device was looked at.
    pub fn saw(&mut self, signs: &StartSigns, at: Duration) {
        let life = (signs.boot.clone(), signs.starts);
        // Where it does not count its starts, one is told by the service that has gone.
        let uncounted = signs.starts.is_none() && self.up_since.is_some() && !signs.service;
        if self.life.as_ref() != Some(&life) || uncounted {
            self.begin_round(at);
            self.life = Some(life);
        }
        self.view.rescue = signs.rescue.or(self.view.rescue);
        self.booted = signs.booted;
        self.service(signs.service, at);
    }

    /// It was seen whether the package service is there, and nothing else.
    pub fn service(&mut self, up: bool, at: Duration) {
        self.reached = true;
        match (up, self.up_since) {
            (true, None) => {
                self.up_since = Some(at);
                self.view.windows += 1;
                (self.came_up, self.in_vain, self.view.never_comes) = (true, 0, false);
                self.view.stands_since.get_or_insert(at);
            }
            (true, Some(since)) => self.view.longest = self.view.longest.max(at.saturating_sub(since)),
            (false, _) => (self.up_since, self.view.stands_since) = (None, None),
        }
        let long = !self.came_up && at.saturating_sub(self.round_since) >= WAITED_IN_VAIN;
        self.view.never_comes |= long || (!self.came_up && self.in_vain >= ROUNDS_IN_VAIN);
    }

    /// The link has gone: whatever was on its way may have been done.
    pub fn lost(&mut self) {
        self.went_unanswered();
        self.reached = false;
        // Where it counts its starts, the next look tells whether it has started anew.
        if self.life.as_ref().is_none_or(|(_, starts)| starts.is_none()) {
            // Where it does not, a link that goes while the service is there is all that is seen of it.
            if self.up_since.is_some() {
                self.life = None;
            }
            (self.up_since, self.view.stands_since) = (None, None);
        }
    }

    fn begin_round(&mut self, at: Duration) {
        if self.life.is_some() && !self.came_up {
            self.in_vain += 1;
        }
        self.view.rounds += 1;
        (self.round_since, self.came_up, self.booted) = (at, false, false);
        (self.up_since, self.view.stands_since) = (None, None);
        // All of it had been done, and the device died again: something of it may not have reached its disk.
        if self.pieces.iter().all(|piece| matches!(piece.standing, Standing::Kept | Standing::Left)) {
            self.pieces.iter_mut().filter(|p| p.standing == Standing::Kept).for_each(|p| p.standing = Standing::Waits);
        }
        // What had been answered and not written is lost with the start.
        self.pieces.iter_mut().filter(|p| p.standing == Standing::Answered).for_each(|p| p.standing = Standing::Waits);
        self.count();
    }

    /// Some steps are about to be sent.
    pub fn sent(&mut self, steps: &[StepIndex]) {
        self.pieces.iter_mut().filter(|p| steps.contains(&p.index)).for_each(|p| p.standing = Standing::Sent);
    }

    /// One of them has been answered.
    pub fn answered(&mut self, step: StepIndex, answer: CatchAnswer) {
        if let Some(piece) = self.pieces.iter_mut().find(|piece| piece.index == step) {
            piece.standing = match answer {
                CatchAnswer::Yes if piece.at_once => Standing::Kept,
                CatchAnswer::Yes => Standing::Answered,
                CatchAnswer::NotYet => Standing::Waits,
                CatchAnswer::No => {
                    piece.refused += 1;
                    if piece.refused >= TRIES { Standing::Left } else { Standing::Waits }
                }
            };
        }
        self.count();
    }

    /// The device says that it has written down what it held.
    pub fn written(&mut self) {
        self.pieces.iter_mut().filter(|p| p.standing == Standing::Answered).for_each(|p| p.standing = Standing::Kept);
    }

    /// Nothing more will be heard of what was sent.
    pub fn went_unanswered(&mut self) {
        self.pieces.iter_mut().filter(|p| p.standing == Standing::Sent).for_each(|p| p.standing = Standing::Waits);
    }

    /// With what the system died, as its log has it.
    pub fn heard_of_crash(&mut self, reason: PlainText) {
        self.view.crash = Some(reason);
    }

    fn count(&mut self) {
        let many = |standing: &[Standing]| self.pieces.iter().filter(|p| standing.contains(&p.standing)).count();
        self.view.back = many(&[Standing::Answered, Standing::Kept]);
        self.view.left = many(&[Standing::Left]);
    }

    /// What is to be done next.
    pub fn next(&self, at: Duration) -> CatchNext {
        let waiting: Vec<StepIndex> =
            self.pieces.iter().filter(|p| p.standing == Standing::Waits).map(|p| p.index).collect();
        let stood = self.view.stands_since.is_some_and(|since| at.saturating_sub(since) >= STANDS_FOR);
        match (self.up_since, waiting.is_empty()) {
            _ if !self.reached => CatchNext::Look,
            (Some(_), false) => CatchNext::Send(waiting),
            (Some(_), true) if stood && self.booted => CatchNext::Over,
            _ => CatchNext::Look,
        }
    }

    /// What there is to be seen.
    pub fn view(&self) -> &CatchView {
        &self.view
    }
}

impl CatchView {
    /// Whether it shows anything that another one does not, beside seconds that have passed.
    pub fn is_news_after(&self, other: &Self) -> bool {
        let steady = |view: &Self| Self {
            longest: Duration::ZERO,
            stands_since: view.stands_since.map(|_| Duration::ZERO),
            ..view.clone()
        };
        steady(self) != steady(other)
    }

    /// What is seen, in words, the most important first; `at` is the time since the catch began.
    pub fn words(&self, capabilities: &Capabilities, at: Duration) -> Vec<String> {
        let mut words = Vec::new();
        let left = match self.left {
            0 => String::new(),
            n => format!("; {n} refused, and left on the shelf"),
        };
        words.push(format!("{} of {} answered “done”{left}", self.back, counted(self.steps, "step", "steps")));
        words.push(match (self.stands_since, self.rounds) {
            (Some(since), _) => format!(
                "its package service has been up for {} s; it counts as started after {} s without a break",
                at.saturating_sub(since).as_secs(),
                STANDS_FOR.as_secs()
            ),
            (None, 0) => "waiting for the device on every way to it".into(),
            (None, _) => "waiting for its package service".into(),
        });
        if self.rounds > 0 {
            let windows = match self.windows {
                0 => "its package service has not come up yet".to_owned(),
                n => format!(
                    "its package service came up {}, for {:.1} s at the longest",
                    times(n),
                    self.longest.as_secs_f32()
                ),
            };
            words.push(format!("seen to start {}; {windows}", times(self.rounds)));
        }
        if let Some(crash) = &self.crash {
            words.push(format!("its log says what it died of: {crash}"));
        }
        if let Some(near) = self.nearness(capabilities) {
            words.push(near);
        }
        if self.never_comes {
            words.extend(NEVER_COMES.map(str::to_owned));
        }
        words
    }

    /// How near the system's own rescue is to asking for a reset.
    fn nearness(&self, capabilities: &Capabilities) -> Option<String> {
        let asks_after = capabilities.asks_for_a_reset_after()?;
        let count = self.rescue.filter(|count| *count > 0)?;
        Some(format!(
            "the device itself counts {}. At about {asks_after}, as far as is known, it asks in its recovery for a “factory data reset”, \
             which erases everything: nobody should choose that yet; “Try again” starts it as before",
            counted(count as usize, "failed start", "failed starts")
        ))
    }
}

fn times(count: u32) -> String {
    match count {
        1 => "once".into(),
        2 => "twice".into(),
        n => format!("{n} times"),
    }
}

/// What is left to do where the package service never comes up.
const NEVER_COMES: [&str; 4] = [
    "the package service does not come up at all: nothing can be put back from here while that is so",
    "first save what can be saved: while the daemon answers, `wibbet pull` brings files of the shared storage, such as /sdcard/DCIM",
    "then: root, where the device gives it; installing its own system anew without erasing, where its maker offers that; else a factory reset in its recovery",
    "waiting goes on all the same, in case it does come up",
];

#[cfg(test)]
mod tests {
    use super::*;

    fn signs(service: bool, starts: u32) -> StartSigns {
        StartSigns { service, starts: Some(starts), ..StartSigns::default() }
    }

    const fn at(seconds: u64) -> Duration {
        Duration::from_secs(seconds)
    }

    fn steps(catch: &Catch, seconds: u64) -> Vec<usize> {
        match catch.next(at(seconds)) {
            CatchNext::Send(steps) => steps.into_iter().map(StepIndex::get).collect(),
            _ => Vec::new(),
        }
    }

    /// Three steps: two that are on the disk at once, one that is not.
    fn three() -> Catch {
        Catch::new([(0, true), (1, true), (2, false)].map(|(n, once)| (StepIndex::new(n), once)))
    }

    #[test]
    fn what_was_not_heard_of_goes_again_in_the_next_round() {
        let mut catch = three();
        assert_eq!(catch.next(at(0)), CatchNext::Look);
        catch.saw(&signs(false, 1), at(1));
        assert_eq!(catch.next(at(1)), CatchNext::Look);
        catch.service(true, at(2));
        assert_eq!(steps(&catch, 2), [0, 1, 2]);
        let all: Vec<StepIndex> = (0..3).map(StepIndex::new).collect();
        catch.sent(&all);
        assert_eq!(catch.next(at(2)), CatchNext::Look, "they are on their way");
        catch.answered(all[0], CatchAnswer::Yes);
        catch.answered(all[2], CatchAnswer::Yes);
        catch.lost();
        // The third one was not on the disk when the system died.
        catch.saw(&signs(false, 2), at(9));
        catch.service(true, at(10));
        assert_eq!(steps(&catch, 10), [1, 2]);
        catch.sent(&all[1..]);
        catch.answered(all[1], CatchAnswer::NotYet);
        catch.answered(all[2], CatchAnswer::Yes);
        catch.written();
        catch.service(true, at(11));
        assert_eq!(steps(&catch, 11), [1]);
        catch.answered(all[1], CatchAnswer::Yes);
        assert_eq!(catch.view().back, 3);
        // It stands, and has not started yet; then it has.
        assert_eq!(catch.next(at(140)), CatchNext::Look);
        catch.saw(&StartSigns { booted: true, ..signs(true, 2) }, at(141));
        assert_eq!(catch.next(at(141)), CatchNext::Over);
        assert_eq!((catch.view().rounds, catch.view().windows), (2, 2));
    }

    #[test]
    fn what_died_again_with_all_of_it_done_is_sent_again() {
        let mut catch = Catch::new([(StepIndex::new(0), true)]);
        catch.saw(&signs(true, 1), at(0));
        catch.answered(StepIndex::new(0), CatchAnswer::Yes);
        assert_eq!(catch.next(at(1)), CatchNext::Look);
        catch.saw(&signs(true, 2), at(20));
        assert_eq!(steps(&catch, 20), [0]);
        // What is refused over and over is left, and does not keep it from ending.
        for _ in 0..TRIES {
            catch.answered(StepIndex::new(0), CatchAnswer::No);
        }
        assert_eq!((catch.next(at(21)), catch.view().left), (CatchNext::Look, 1));
        catch.saw(&StartSigns { booted: true, ..signs(true, 2) }, at(140));
        assert_eq!(catch.next(at(140)), CatchNext::Over);
    }

    #[test]
    fn a_service_that_never_comes_is_told_and_waited_for() {
        let mut catch = three();
        for round in 1..=4 {
            assert!(!catch.view().never_comes, "{round}");
            catch.saw(&signs(false, round), at(u64::from(round) * 12));
        }
        assert!(catch.view().never_comes);
        catch.service(true, at(60));
        assert!(!catch.view().never_comes);
        assert_eq!(steps(&catch, 60), [0, 1, 2]);
        // One that sits at its boot picture.
        let mut sits = three();
        sits.saw(&signs(false, 1), at(0));
        sits.service(false, at(179));
        assert!(!sits.view().never_comes);
        sits.service(false, at(180));
        assert!(sits.view().never_comes);
    }

    /// Before Android 10 no count of starts is told.
    #[test]
    fn where_starts_are_not_counted_the_service_that_goes_is_a_new_one() {
        let uncounted = |service| StartSigns { service, ..StartSigns::default() };
        let mut catch = three();
        catch.saw(&uncounted(false), at(0));
        catch.saw(&uncounted(true), at(3));
        catch.saw(&uncounted(false), at(9));
        catch.saw(&uncounted(true), at(12));
        assert_eq!((catch.view().rounds, catch.view().windows), (2, 2));
        catch.lost();
        assert_eq!(catch.view().stands_since, None);
        catch.saw(&uncounted(false), at(14));
        assert_eq!(catch.view().rounds, 3);
    }

    #[test]
    fn what_is_told() {
        let mut catch = three();
        let mut seen = signs(true, 4);
        seen.rescue = Some(6);
        catch.saw(&seen, at(5));
        catch.heard_of_crash(PlainText::new("java.lang.RuntimeException: nobody"));
        let words = catch.view().words(&crate::testing::capabilities(34), at(9)).join("\n");
        for part in
            ["0 of 3 steps", "up for 4 s", "seen to start once", "died of: java.lang", "6 failed starts", "Try again"]
        {
            assert!(words.contains(part), "{part}: {words}");
        }
        assert!(!words.contains("wibbet pull"));
        let later = CatchView { longest: at(60), stands_since: Some(at(6)), ..catch.view().clone() };
        assert!(!later.is_news_after(catch.view()));
        assert!(CatchView { back: 1, ..later }.is_news_after(catch.view()));
        // A version without that rescue.
        assert!(!catch.view().words(&crate::testing::capabilities(25), at(9)).join("\n").contains("reset"));
    }
}
