//! What stands on a job sheet.

use std::collections::BTreeSet;

use wibbet_types::{PackageId, PlainText, RunId, Timestamp, UserId};

use super::words::SheetWords;
use crate::device::{DeviceFacts, FigureOf};
use crate::link::CloseStep;
use crate::package::KeptCopy;
use crate::plan::Change;
use crate::run::{Outcome, Run, RunKind, SettingChange, SettingState, Step};

/// What is left out of a sheet.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Without {
    /// The serial, and ids made of it.
    pub serial: bool,
    /// Figures of the device, and what was seen on it afterwards.
    pub usage: bool,
}

/// What a sheet is made of: the runs of one job, the oldest first.
#[derive(Debug, Clone, Copy)]
pub struct SheetSource<'a> {
    /// The device.
    pub facts: &'a DeviceFacts,
    /// The runs.
    pub runs: &'a [Run],
    /// The copies that are kept of the device.
    pub copies: &'a [KeptCopy],
    /// What orders have set on the device.
    pub settings: &'a [SettingChange],
    /// What became of closing the link behind the runs; `None` where it was not closed since.
    pub closed: Option<&'a [CloseStep]>,
    /// The day, as people write it.
    pub day: &'a str,
    /// Its words.
    pub words: &'a SheetWords,
    /// What is left out.
    pub without: Without,
}

/// A job sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Sheet {
    /// Over all of it.
    pub title: String,
    /// The workshop; empty for none.
    pub workshop: String,
    /// Its parts, in order.
    pub parts: Vec<SheetPart>,
}

/// A part of a sheet.
#[derive(Debug, Clone, PartialEq, Eq)]
pub enum SheetPart {
    /// What something is: names and values.
    Facts(Vec<(String, String)>),
    /// What became of packages, below a heading.
    Rows(String, Vec<SheetRow>),
    /// Sentences, below a heading.
    Lines(String, Vec<String>),
    /// Figures before and after, below a heading.
    Bars(String, Vec<Bar>),
    /// Places to sign.
    Sign(Vec<String>),
}

/// What became of a package.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct SheetRow {
    /// The name that people know it by; its id where none was read.
    pub name: String,
    /// Its id; for whom, where that has to be said.
    pub id: String,
    /// What was done.
    pub what: String,
    /// Why, or why not; empty where that goes without saying.
    pub why: String,
}

/// A figure before and after.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Bar {
    /// What it is.
    pub name: String,
    /// Before.
    pub before: u64,
    /// After.
    pub after: u64,
    /// Before and after, as people read them.
    pub words: (String, String),
}

/// Of a device's runs, the latest first, those of the same job as the first one, the oldest first: of one ticket, or else without any and of
/// one day.
pub fn runs_of_job(runs: &[Run], of: RunId, day: impl Fn(Timestamp) -> String) -> Vec<Run> {
    let Some(first) = runs.iter().find(|run| run.number == of) else { return Vec::new() };
    let is_same = |run: &&Run| match first.job.ticket.is_empty() {
        true => run.job.ticket.is_empty() && day(run.begun) == day(first.begun),
        false => run.job.ticket == first.job.ticket,
    };
    runs.iter().filter(|run| run.device == first.device).filter(is_same).rev().cloned().collect()
}

/// Of a step that stands in a list: what was done, and why.
type Wanted<'a> = dyn Fn(&Run, &Step) -> Option<(String, String)> + 'a;

/// The sheet of a job.
pub fn job_sheet(of: &SheetSource<'_>) -> Sheet {
    let words = of.words;
    let mut parts = vec![SheetPart::Facts(facts(of))];
    let several = of.runs.iter().flat_map(|run| &run.steps).map(|step| step.user).collect::<BTreeSet<_>>().len() > 1;
    // What was done to a package more than once in the same way stands there once.
    let rows = |wanted: &Wanted<'_>| -> Vec<SheetRow> {
        let mut told: Vec<SheetRow> = Vec::new();
        let all = of.runs.iter().flat_map(|run| run.steps.iter().map(move |step| (run, step)));
        let rows = all.filter_map(|(run, step)| {
            let (what, why) = wanted(run, step)?;
            let user = if several { format!(" · {} {}", words.user, step.user) } else { String::new() };
            let name = name_of(of.runs, &step.id);
            let id = if name.is_some() { step.id.to_string() } else { String::new() };
            let id = format!("{id}{user}").trim_start_matches(" · ").to_owned();
            Some(SheetRow { name: name.unwrap_or_else(|| step.id.to_string()), id, what, why })
        });
        rows.for_each(|row| {
            if !told.contains(&row) {
                told.push(row);
            }
        });
        told
    };
    let done = rows(&|run, step| {
        let counts = run.kind != RunKind::PutBack && !run.is_replaced(step);
        let what = match step.outcome {
            Some(Outcome::Done) => way_words(step.way, words),
            Some(Outcome::Answered) => &words.said_yes,
            _ => return None,
        };
        counts.then(|| (what.to_owned(), String::new()))
    });
    let back = rows(&|run, step| {
        let is_back = run.kind == RunKind::PutBack && step.outcome == Some(Outcome::Done);
        is_back.then(|| (words.returned.clone(), String::new()))
    });
    let not_done = rows(&|run, step| {
        let failed =
            !run.is_replaced(step) && step.outcome != Some(Outcome::Done) && step.outcome != Some(Outcome::Answered);
        let what = match step.outcome {
            Some(Outcome::Unsettled) | None => words.unsettled.clone(),
            _ => String::new(),
        };
        failed.then(|| (what, step.remark.clone()))
    });
    for (title, rows) in [(&words.done, done), (&words.put_back, back), (&words.not_done, not_done)] {
        if !rows.is_empty() {
            parts.push(SheetPart::Rows(title.clone(), rows));
        }
    }
    parts.extend(settings(of));
    parts.extend(otherwise(of));
    parts.extend(ways_back(of));
    if !of.without.usage {
        parts.extend(figures(of));
        let seen: Vec<String> = of.runs.iter().flat_map(|run| &run.seen_after).map(ToString::to_string).collect();
        if !seen.is_empty() {
            parts.push(SheetPart::Lines(words.seen.clone(), seen));
        }
    }
    parts.extend(closing(of));
    parts.push(SheetPart::Sign(vec![words.sign_workshop.clone(), words.sign_customer.clone()]));
    Sheet { title: words.title.clone(), workshop: words.workshop.clone(), parts }
}

fn facts(of: &SheetSource<'_>) -> Vec<(String, String)> {
    let (words, device) = (of.words, of.facts);
    let mut facts: Vec<(&String, String)> = vec![(&words.date, of.day.to_owned()), (&words.device, device.name())];
    if !of.without.serial {
        facts.push((&words.serial, device.serial.to_string()));
    }
    facts.push((&words.system, format!("{} · {}", device.android, device.build)));
    let jobs = of.runs.iter().map(|run| &run.job);
    for (word, text) in [
        (&words.technician, unique(jobs.clone().map(|job| job.technician.as_str()))),
        (&words.ticket, unique(jobs.clone().map(|job| job.ticket.as_str()))),
        (&words.customer, unique(jobs.clone().map(|job| job.customer.as_str()))),
        (&words.order, unique(of.runs.iter().map(|run| run.order.as_str()))),
        (&words.note, unique(jobs.map(|job| job.note.as_str()))),
    ] {
        if !text.is_empty() {
            facts.push((word, text));
        }
    }
    facts.into_iter().map(|(word, text)| (word.clone(), PlainText::new(&text).into_string())).collect()
}

/// Each text once, as they come.
fn unique<'a>(texts: impl Iterator<Item = &'a str>) -> String {
    let mut all: Vec<&str> = Vec::new();
    for text in texts.filter(|text| !text.is_empty()) {
        if !all.contains(&text) {
            all.push(text);
        }
    }
    all.join(", ")
}

/// The name that people know a package by, as the runs noted it.
fn name_of(runs: &[Run], id: &PackageId) -> Option<String> {
    runs.iter().rev().find_map(|run| run.names.get(id)).map(ToString::to_string)
}

fn way_words(way: Change, words: &SheetWords) -> &str {
    match way {
        Change::Uninstall | Change::RemoveFromSystem => &words.uninstalled,
        Change::UninstallKeepData => &words.uninstalled_kept_data,
        Change::Disable | Change::DisableByRoot => &words.disabled,
        Change::Suspend => &words.suspended,
        Change::Hide => &words.hidden,
        Change::InstallCopy | Change::InstallFactory => &words.installed,
        Change::ForceStop | Change::ClearCache | Change::ClearData | Change::Quieten | Change::Unquieten => {
            &words.acted
        }
        _ => &words.returned,
    }
}

/// The settings that came with these runs, and are not back.
fn settings(of: &SheetSource<'_>) -> Option<SheetPart> {
    let of_it = |change: &&SettingChange| {
        change.back.is_none() && change.run.is_some_and(|run| of.runs.iter().any(|one| one.number == run))
    };
    let line = |change: &SettingChange| match change.state {
        SettingState::Done => change.words(),
        _ => format!("{}: {} ({})", change.name(), of.words.not_set, change.remark),
    };
    let lines: Vec<String> = of.settings.iter().filter(of_it).map(line).collect();
    (!lines.is_empty()).then(|| SheetPart::Lines(of.words.settings.clone(), lines))
}

/// What has gone and is not back by the last run of the job.
fn gone(runs: &[Run]) -> Vec<(&PackageId, UserId, Change)> {
    let mut gone: Vec<(&PackageId, UserId, Change)> = Vec::new();
    for step in runs.iter().flat_map(|run| &run.steps).filter(|step| step.outcome == Some(Outcome::Done)) {
        gone.retain(|(id, user, _)| (*id, *user) != (&step.id, step.user));
        if step.way.takes_out() {
            gone.push((&step.id, step.user, step.way));
        }
    }
    gone
}

/// What works differently, by the upshots that were shown before.
fn otherwise(of: &SheetSource<'_>) -> Option<SheetPart> {
    if gone(of.runs).is_empty() {
        return None;
    }
    let mut lines: Vec<String> = Vec::new();
    for missed in of.runs.iter().flat_map(|run| run.missed.iter().flatten()).map(ToString::to_string) {
        if !lines.contains(&missed) {
            lines.push(missed);
        }
    }
    // A run of before that was noted says nothing of it.
    let noted = of.runs.iter().filter(|run| run.kind == RunKind::TakeOut).all(|run| run.missed.is_some());
    match (lines.is_empty(), noted) {
        (true, true) => lines.push(of.words.otherwise_none.clone()),
        (true, false) => return None,
        (false, _) => {}
    }
    Some(SheetPart::Lines(of.words.otherwise.clone(), lines))
}

/// What became of closing the link: debugging off, and the rest.
fn closing(of: &SheetSource<'_>) -> Option<SheetPart> {
    let words = of.words;
    let line = |step: &CloseStep| match step.done {
        true => format!("{}: {}", step.what, words.closed_done),
        false => format!("{}: {} ({})", step.what, words.closed_not, step.known),
    };
    let lines: Vec<String> = of.closed?.iter().map(line).collect();
    (!lines.is_empty()).then(|| SheetPart::Lines(words.closing.clone(), lines))
}

fn ways_back(of: &SheetSource<'_>) -> Option<SheetPart> {
    let (words, gone) = (of.words, gone(of.runs));
    let is_copied = |id: &PackageId| of.copies.iter().any(|copy| copy.id == *id && copy.run.is_some());
    // What is kept here is not on the device any more.
    let any = |ways: &[Change]| gone.iter().any(|(id, _, way)| ways.contains(way) && !is_copied(id));
    let mut lines = Vec::new();
    if any(&[Change::Uninstall]) {
        lines.push(words.back_uninstalled.clone());
    }
    if any(&[Change::UninstallKeepData]) {
        lines.push(words.back_kept_data.clone());
    }
    if any(&[Change::Disable, Change::Suspend, Change::Hide]) {
        lines.push(words.back_off.clone());
    }
    let copied: BTreeSet<&PackageId> = gone.iter().map(|(id, ..)| *id).filter(|id| is_copied(id)).collect();
    if !copied.is_empty() {
        let names: Vec<String> =
            copied.iter().map(|id| name_of(of.runs, id).unwrap_or_else(|| id.to_string())).collect();
        lines.push(format!("{} {}", words.back_copies, names.join(", ")));
    }
    if !lines.is_empty() {
        lines.push(words.back_reset.clone());
    }
    (!lines.is_empty()).then(|| SheetPart::Lines(words.back.clone(), lines))
}

/// From the first figures to the last ones.
fn figures(of: &SheetSource<'_>) -> Option<SheetPart> {
    let words = of.words;
    let before = of.runs.iter().find_map(|run| run.figures[0].as_ref())?;
    let after = of.runs.iter().rev().find_map(|run| run.figures[1].as_ref())?;
    let several = after.in_use.len() > 1;
    let bar = |(of, then, now): (FigureOf, u64, u64)| Bar {
        name: match of {
            FigureOf::InUse(user) if several => format!("{} · {} {user}", words.in_use, words.user),
            FigureOf::InUse(_) => words.in_use.clone(),
            FigureOf::Free => words.free.clone(),
            FigureOf::Memory => words.memory.clone(),
        },
        before: then,
        after: now,
        words: (of.words(then), of.words(now)),
    };
    let bars: Vec<Bar> = before.beside(after).into_iter().map(bar).collect();
    (!bars.is_empty()).then(|| SheetPart::Bars(words.figures.clone(), bars))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::device::Figures;
    use crate::testing;

    fn runs() -> Vec<Run> {
        let mut out = testing::run(7, &[]);
        out.steps = vec![
            testing::settled(0, "com.corvane.tips", Outcome::Done),
            testing::settled(1, "com.corvane.fota", Outcome::Refused),
            Step { way: Change::Disable, ..testing::settled(2, "com.corvane.weather", Outcome::Done) },
        ];
        out.steps[1].remark = "Android itself protects this package".into();
        out.names = [(testing::id("com.corvane.tips"), PlainText::new("Tips"))].into();
        out.missed = Some(vec![PlainText::new("stops: the weather on the lock screen")]);
        out.job.ticket = "P-77".into();
        let figures =
            |count, free| Some(Figures { in_use: [(UserId::OWNER, count)].into(), free: Some(free), memory: None });
        out.figures = [figures(227, 60_000_000_000), figures(225, 60_200_000_000)];
        let mut back = testing::run(8, &["com.corvane.weather"]);
        back.kind = RunKind::PutBack;
        back.steps = vec![Step { way: Change::Enable, ..testing::settled(0, "com.corvane.weather", Outcome::Done) }];
        vec![out, back]
    }

    fn sheet(runs: &[Run], without: Without) -> Sheet {
        let words = SheetWords::default();
        let facts = testing::facts();
        job_sheet(&SheetSource {
            facts: &facts,
            runs,
            copies: &[],
            settings: &[],
            closed: None,
            day: "2026-11-28",
            words: &words,
            without,
        })
    }

    #[test]
    fn what_stands_on_it() {
        let sheet = sheet(&runs(), Without::default());
        let text = format!("{sheet:?}");
        for words in [
            "Tips",
            "com.corvane.tips",
            "removed",
            "P-77",
            "CT5-0417-2291",
            "the weather on the lock screen",
            "put back",
        ] {
            assert!(text.contains(words), "{words}: {text}");
        }
        let rows = |title: &str| {
            let part = sheet.parts.iter().find_map(|part| match part {
                SheetPart::Rows(name, rows) if name == title => Some(rows.clone()),
                _ => None,
            });
            part.unwrap_or_default()
        };
        assert_eq!((rows("What was done").len(), rows("What was put back").len()), (2, 1));
        let refused = rows("What was not done");
        assert_eq!((refused.len(), refused[0].why.as_str()), (1, "Android itself protects this package"));
        let bars = sheet.parts.iter().find_map(|part| match part {
            SheetPart::Bars(_, bars) => Some(bars.clone()),
            _ => None,
        });
        assert_eq!(
            bars.map(|bars| bars.iter().map(|bar| (bar.before, bar.after)).collect::<Vec<_>>()),
            Some(vec![(227, 225), (60_000_000_000, 60_200_000_000)])
        );
        // What is back again is nothing that has to come back.
        assert!(!text.contains("What was switched off is untouched"), "{text}");
    }

    #[test]
    fn what_could_not_be_closed_is_named() {
        let (words, facts, runs) = (SheetWords::default(), testing::facts(), runs());
        let step = |what: &str, done| CloseStep { what: what.into(), done, known: "the link is still there".into() };
        let closed = [step("stay-awake back to 0", true), step("switch debugging off", false)];
        let of = SheetSource {
            facts: &facts,
            runs: &runs,
            copies: &[],
            settings: &[],
            closed: Some(&closed),
            day: "2026-11-28",
            words: &words,
            without: Without::default(),
        };
        let text = format!("{:?}", job_sheet(&of));
        for words in ["stay-awake back to 0: done", "switch debugging off: not done (the link is still there)"] {
            assert!(text.contains(words), "{words}: {text}");
        }
    }

    #[test]
    fn what_is_left_out_is_not_there() {
        let sheet = sheet(&runs(), Without { serial: true, usage: true });
        let text = format!("{sheet:?}");
        for words in ["CT5-0417-2291", "227", "Before and after"] {
            assert!(!text.contains(words), "{words}: {text}");
        }
    }

    #[test]
    fn what_was_not_noted_is_not_called_nothing() {
        let mut all = runs();
        all[0].missed = Some(Vec::new());
        assert!(format!("{:?}", sheet(&all, Without::default())).contains("Nothing was found that would be missed"));
        all[0].missed = None;
        assert!(!format!("{:?}", sheet(&all, Without::default())).contains("Nothing was found"));
    }
}
