//! The records that logbook, bench and screen share.

use std::collections::BTreeMap;

use wibbet_types::{CopyId, DeviceId, DevicePath, PackageId, PlainText, RunId, StepIndex, Timestamp, UserId, named};

use crate::android::Capabilities;
use crate::device::Figures;
use crate::package::{Given, PackageState, Returned, returned_words};
use crate::plan::{Change, Job, OnRefusal, SkipReason};

/// How a step ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Outcome {
    /// Done, and read back.
    Done,
    /// The device said no, and nothing changed.
    Refused,
    /// The device said yes, but the state read back is not what was aimed at.
    NoEffect,
    /// The device said yes, and nothing tells over debugging whether it is so.
    Answered,
    /// Not known: no answer, or nothing could be read back.
    Unsettled,
    /// Not sent.
    Skipped,
}

named!(Outcome { Done => "done", Refused => "refused", NoEffect => "no-effect", Answered => "answered", Unsettled => "unsettled", Skipped => "skipped" });

/// What a run is for.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum RunKind {
    /// Packages are taken out.
    TakeOut,
    /// Packages are put back.
    PutBack,
    /// An app of this computer is installed.
    Install,
    /// It is tried whether changes are permitted, on what stays as it is.
    Try,
    /// Not known: another version wrote it.
    Unknown,
}

named!(RunKind { TakeOut => "take-out", PutBack => "put-back", Install => "install", Try => "try", Unknown => "unknown" });

impl RunKind {
    /// The words for people.
    pub fn label(self) -> &'static str {
        match self {
            Self::TakeOut => "take out",
            Self::PutBack => "put back",
            Self::Install => "install",
            Self::Try => "try",
            Self::Unknown => "not known",
        }
    }
}

/// How far a run has got.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum RunState {
    /// It is being carried out, or was when its program ended.
    Open,
    /// Somebody stopped it, or the device went; it can be carried on.
    Stopped,
    /// Every step has its outcome.
    Finished,
}

named!(RunState { Open => "open", Stopped => "stopped", Finished => "finished" });

/// How far a step has got.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum StepState {
    /// Not sent yet.
    Waiting,
    /// Sent, as far as is known; written down before the sending.
    Sent,
    /// Answered, not read back yet.
    Answered,
    /// Finished: has an [`Outcome`], which may be [`Outcome::Unsettled`].
    Settled,
}

named!(StepState { Waiting => "waiting", Sent => "sent", Answered => "answered", Settled => "settled" });

/// One step of a run.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Step {
    /// Its place in the run.
    pub index: StepIndex,
    /// The package.
    pub id: PackageId,
    /// The user.
    pub user: UserId,
    /// The change.
    pub way: Change,
    /// The words that go to the device.
    pub words: String,
    /// The state before the run.
    pub before: PackageState,
    /// Of a step that puts back: the state that all steps of the run on this package and user are to lead to together.
    /// Records of old versions do not have it.
    pub target: Option<PackageState>,
    /// The APK on the device that is installed; of [`Change::InstallFactory`] only.
    pub apk: Option<DevicePath>,
    /// Of a step that takes out, the copy of the package that was kept first; of one that puts back by it, the copy that is
    /// installed.
    pub copy: Option<CopyId>,
    /// What people had given the package for the user: of a step that takes out what it had, of one that puts back what it is
    /// to have again.
    pub given: Vec<Given>,
    /// What became of giving it again; `None` before that was tried.
    pub returned: Option<Vec<Returned>>,
    /// What the start of the device loses with it, by class, as far as the plan knew: 1 its package service, 2 the system behind that,
    /// 3 that it can be used.
    pub start: Option<u8>,
    /// It has no way back, and somebody has allowed it all the same.
    pub for_good: bool,
    /// Its place in the order of all that was ever sent by this logbook's programs, whatever clocks say; 0 when it has not
    /// been sent.
    pub order: i64,
    /// How far it has got.
    pub state: StepState,
    /// What the device answered.
    pub answer: Option<PlainText>,
    /// The state read back.
    pub after: Option<PackageState>,
    /// How it ended; set when settled.
    pub outcome: Option<Outcome>,
    /// When it was settled.
    pub settled: Option<Timestamp>,
    /// What is worth knowing beyond the outcome.
    pub remark: String,
}

impl Step {
    /// Whether what the package had been given is to be given to it again, and nobody has tried.
    pub fn owes(&self) -> bool {
        !self.way.takes_out()
            && !self.given.is_empty()
            && self.returned.is_none()
            && self.outcome == Some(Outcome::Done)
    }

    /// Whether it installed an app that was to take something over from what goes, and did not.
    pub fn took_over_nothing(&self) -> bool {
        let failed = |returned: &[Returned]| returned.iter().any(|one| !one.done);
        self.way == Change::InstallCopy && self.returned.as_deref().is_some_and(failed)
    }

    /// What became of what it was given again, or took over from others, in words; `None` where that was nothing.
    pub fn returned_words(&self) -> Option<String> {
        let took_over = self.way == Change::InstallCopy && self.target.is_none();
        let word = if took_over { "taken over" } else { "given back" };
        self.returned.as_deref().filter(|all| !all.is_empty()).map(|all| returned_words(all, word))
    }

    /// Whether it installs another version over one that is there.
    pub fn updates(&self) -> bool {
        self.way == Change::InstallCopy && self.way.is_met_by(self.before)
    }

    /// Whether what it aims at is so, by what was read: done, or so already.
    pub fn is_so(&self) -> bool {
        match self.outcome {
            Some(Outcome::Done | Outcome::Answered) => true,
            Some(Outcome::Skipped) => {
                let state = self.after.unwrap_or(self.before);
                // What is not on the device at all is most likely a wrong id, not a success.
                // Whatever is no state was so already where it was not sent for that.
                let act = self.way.is_act() && state.installed && self.remark == SkipReason::AlreadySo.to_string();
                state.known && (act || self.way.is_met_by(state))
            }
            _ => false,
        }
    }

    /// Whether it has to be asked about before the run can be carried on.
    pub fn is_open_question(&self) -> bool {
        // What nothing tells anything of stays as it was judged.
        let unsettled = self.outcome == Some(Outcome::Unsettled) && self.way.may_be_sent_again();
        matches!(self.state, StepState::Sent | StepState::Answered) || unsettled
    }
}

/// One tray carried out.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Run {
    /// Its number in the logbook.
    pub number: RunId,
    /// The device.
    pub device: DeviceId,
    /// What it is for.
    pub kind: RunKind,
    /// How far it has got.
    pub state: RunState,
    /// When it was begun.
    pub begun: Timestamp,
    /// When it was last written to.
    pub touched: Timestamp,
    /// The steps, in order.
    pub steps: Vec<Step>,
    /// What is tried where a step is refused.
    pub on_refusal: OnRefusal,
    /// The name of the order that it carries out; empty where it is none's.
    pub order: String,
    /// The names that people knew its packages by, as far as they were read.
    pub names: BTreeMap<PackageId, PlainText>,
    /// What would be missed, as it was shown before it was sent; `None` where that was not worked out.
    pub missed: Option<Vec<PlainText>>,
    /// For whom and by whom.
    pub job: Job,
    /// The device in figures before the run, and after it; `None` where it was not measured.
    pub figures: [Option<Figures>; 2],
    /// What was seen of the device afterwards, in words: apps that failed, and what that is likely due to.
    pub seen_after: Vec<PlainText>,
    /// Of a run that was taken in from another bench's logbook: the name of that bench, and the run's number there.
    pub taken_in: Option<(String, RunId)>,
    /// What of its record this version does not understand, in words: another one wrote it. Such a run is shown and left
    /// alone. Its steps are those that are understood.
    pub not_understood: Vec<String>,
}

impl Run {
    /// How many steps ended so.
    pub fn count(&self, outcome: Outcome) -> usize {
        self.steps.iter().filter(|s| s.outcome == Some(outcome)).count()
    }

    /// What has changed in figures, in words; `None` where it was not measured before and after.
    pub fn figures_words(&self) -> Option<String> {
        let [Some(before), Some(after)] = &self.figures else { return None };
        Some(before.words_to(after)).filter(|words| !words.is_empty())
    }

    /// Whether all these words are found in what it is about: its device, its job, its order and its packages by id and name, in whatever case.
    pub fn is_about(&self, words: &str) -> bool {
        let ids = self.steps.iter().map(|step| step.id.as_str());
        let names = self.names.values().map(PlainText::as_str);
        let about: Vec<String> = [self.device.as_str(), self.order.as_str()]
            .into_iter()
            .chain(self.job.texts())
            .chain(ids)
            .chain(names)
            .map(str::to_lowercase)
            .collect();
        words.to_lowercase().split_whitespace().all(|word| about.iter().any(|part| part.contains(word)))
    }

    /// Whether another way has been taken in the place of a step that was not done.
    pub fn is_replaced(&self, step: &Step) -> bool {
        let failed = matches!(step.outcome, Some(Outcome::Refused | Outcome::NoEffect));
        let later = |other: &Step| other.index > step.index && (&other.id, other.user) == (&step.id, step.user);
        step.way.takes_out() && failed && self.steps.iter().any(later)
    }

    /// The steps that count: where another way was taken in the place of one that was refused, that one does.
    pub fn counting(&self) -> impl Iterator<Item = &Step> {
        self.steps.iter().filter(|step| !self.is_replaced(step))
    }

    /// Whether all that it was to do is so.
    pub fn is_whole(&self) -> bool {
        !self.steps.iter().any(Step::is_open_question) && self.counting().all(Step::is_so)
    }

    /// What is to be tried next in the place of steps that were refused, or had no effect: the last one on each package and user,
    /// with the way.
    pub fn to_replace(&self, capabilities: &Capabilities) -> Vec<(StepIndex, Change)> {
        let failed = |step: &&Step| {
            let not_done = matches!(step.outcome, Some(Outcome::Refused | Outcome::NoEffect));
            step.way.takes_out() && not_done && !self.is_replaced(step)
        };
        let next = |step: &Step| {
            // Who is not there, or has not got it, is not helped by another way.
            let here = step.after.is_some_and(|now| now.installed && !now.unreadable);
            let own = self.steps.iter().filter(|other| (&other.id, other.user) == (&step.id, step.user));
            let refused: Vec<Change> = own.map(|other| other.way).collect();
            let way = self.on_refusal.next(&refused, capabilities).filter(|_| here)?;
            Some((step.index, way))
        };
        self.steps.iter().filter(failed).filter_map(next).collect()
    }

    /// Whether a step is left to do or to find out about.
    pub fn has_open_steps(&self) -> bool {
        self.steps.iter().any(|s| s.state == StepState::Waiting || s.is_open_question() || s.owes())
    }

    /// Whether the run can be carried on: a step is open, or the last look at all of them was not
    /// taken. One of another bench is carried on there: here nobody has seen its plan.
    pub fn is_unfinished(&self) -> bool {
        self.state != RunState::Finished && self.not_understood.is_empty() && self.taken_in.is_none()
    }

    /// The steps whose aims the run as a whole has reached: of several done ones for a package and
    /// user the last.
    pub fn reached(&self) -> impl Iterator<Item = &Step> {
        let done = |s: &&Step| s.outcome == Some(Outcome::Done);
        let last: BTreeMap<_, _> = self.steps.iter().filter(done).map(|s| ((&s.id, s.user), s.index)).collect();
        last.into_values().filter_map(|index| self.steps.iter().find(|step| step.index == index))
    }
}
