//! `wibbet find-fault`: which of the packages that went is why something is broken, round by round.

use std::collections::BTreeSet;
use std::io::{BufRead as _, IsTerminal as _, Write as _};

use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::finder::{
    RoundPlan, begin_finder, carry_out_round, end_finder, look_whether_broken, mark_round, open_finder, plan_round,
    rely_on, suspects, take_answer_back,
};
use wibbet_bench::logbook::now;
use wibbet_bench::ops::{device_languages, read_catalog, survey};
use wibbet_bench::run::RunNews;
use wibbet_core::diagnosis::{Cause, Check, Evaluation, FaultFinder, Next};
use wibbet_core::package::{Inventory, Metrics};
use wibbet_core::run::{OfRuns, Outcome, Run};
use wibbet_types::{FinderId, PackageId, PlainText, RunId, UserId};

use super::asking::{asked, may_change};
use super::change::show_plan;
use super::interrupt::Interrupt;
use super::look::{how_far, read};
use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// What is asked for.
#[derive(Debug, Clone)]
pub(crate) struct Wanted {
    pub(crate) run: Option<RunId>,
    pub(crate) what: Option<String>,
    /// What tells it by itself.
    pub(crate) check: Option<Check>,
    pub(crate) seen: Option<Evaluation>,
    /// The last answer was wrong.
    pub(crate) again: bool,
    pub(crate) end: bool,
    /// What goes again although the start needs it.
    pub(crate) despite_start: BTreeSet<PackageId>,
    pub(crate) how: How,
}

pub(crate) async fn find_fault(finder: &Finder<'_>, name: &str, wanted: Wanted) -> Result<Exit, Failure> {
    if wanted.check.is_some() && (wanted.seen.is_some() || wanted.again || wanted.end) {
        let words = "--check goes with the beginning: what tells it by itself is remembered";
        return Err(Failure::new(Exit::Usage, words));
    }
    if wanted.how.dry_run && (wanted.end || wanted.again || wanted.seen.is_some()) {
        let words = "--dry-run shows the next round and writes nothing down: leave --seen, --again and --end out";
        return Err(Failure::new(Exit::Usage, words));
    }
    may_change(wanted.how)?;
    let workplace = finder.workplace;
    let (device, inventory, _) = read(finder, name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let open = open_finder(&workplace.book, &facts.id).await?;
    let mut search = match open {
        Some(open) => open,
        None if wanted.end || wanted.again || wanted.seen.is_some() => {
            let words = "no fault finder goes on on this device; begin one with --run NUMBER and --what";
            return Err(Failure::new(Exit::Usage, words));
        }
        None => begin(finder, &device, inventory.clone(), &wanted).await?,
    };
    if wanted.end {
        end_finder(workplace, &device, &search, None).await?;
        tell(format_args!("fault finder {} has ended; what is off and what is back stays as it is", search.number));
        return told(&search, None, &[], wanted.how);
    }
    if wanted.again {
        take_answer_back(workplace, &mut search).await?;
        tell("the last answer was taken back");
    }
    let mut there = inventory;
    if let Some(seen) = wanted.seen {
        mark_round(workplace, &device, &mut search, seen, &there).await?;
    }
    // Where an object is wanted it stands alone on standard output.
    let say = |words: &str| if wanted.how.json { tell(words) } else { line(words) };
    let mut runs = Vec::new();
    loop {
        let next = search.next();
        let back = match &next {
            Next::Try(back) => back.clone(),
            Next::Found(cause) => {
                say(&search.found_words(*cause, PackageId::to_string));
                search.in_the_end(*cause)
            }
            Next::Blurred(likeliest) => {
                say("it cannot be told for certain; the likeliest, the first one first:");
                likeliest.iter().filter_map(|n| search.suspects.get(*n)).for_each(|one| say(&format!("  {}", one.id)));
                tell("--again takes the last answer back; --end ends it");
                return told(&search, Some(&next), &runs, wanted.how);
            }
        };
        let plan = plan_round(workplace, &device, &search, &back, &there, &wanted.despite_start).await?;
        tell(words_of(&search, &next, &back));
        if wanted.how.dry_run {
            if !wanted.how.json {
                show(&plan, &device);
            }
            return told(&search, Some(&next), &runs, wanted.how);
        }
        if plan.to_send() > 0 {
            if !wanted.how.yes {
                show(&plan, &device);
                let restarts = search.check == Some(Check::Starts) && matches!(next, Next::Try(_));
                if !asked(if restarts { "Send that, and restart the device behind it?" } else { "Send that?" }) {
                    tell("nothing was sent; the same command goes on with it");
                    return told(&search, Some(&next), &runs, wanted.how);
                }
            }
            runs.extend(carried_out(finder, &device, plan.clone()).await?);
            there = survey(&device, &mut |_| {}).await?;
            let missing = search.to_try(&back, &there);
            for id in missing.put_back.iter().map(|(id, ..)| id).chain(missing.take_out.iter().map(|item| &item.id)) {
                tell(format_args!("beware: {id} is not as this round wants it; what is seen counts for what is so"));
            }
        }
        if let Next::Found(cause) = next {
            end_finder(workplace, &device, &search, Some(cause)).await?;
            return told(&search, Some(&Next::Found(cause)), &runs, wanted.how);
        }
        let by_itself = match &search.check {
            Some(check) => {
                if *check == Check::Starts && plan.to_send() == 0 && !wanted.how.yes && !asked("Restart the device?") {
                    return told(&search, Some(&next), &runs, wanted.how);
                }
                tell(format_args!("looking {}", check.words(PackageId::to_string)));
                let (_interrupt, stop) = Interrupt::listen("stopped looking");
                let seen = look_whether_broken(workplace, &device, search.whose(), check, stop).await?;
                tell(format_args!("seen: {seen}"));
                if *check == Check::Starts && seen == Evaluation::Gone {
                    // What counts is what is so behind the restart.
                    there = survey(&device, &mut |_| {}).await?;
                }
                // Then somebody has to look.
                Some(seen).filter(|seen| *seen != Evaluation::CannotTell)
            }
            None => None,
        };
        match by_itself.or_else(|| ask(wanted.how)) {
            Some(seen) => mark_round(workplace, &device, &mut search, seen, &there).await?,
            None => {
                tell(format_args!(
                    "look whether it is still broken, then: wibbet find-fault {} --seen still|gone|cannot-tell",
                    facts.id
                ));
                return told(&search, Some(&next), &runs, wanted.how);
            }
        }
    }
}

/// Begins it, with what is known of the suspects.
async fn begin(
    finder: &Finder<'_>,
    device: &AdbDevice,
    inventory: Inventory,
    wanted: &Wanted,
) -> Result<FaultFinder, Failure> {
    let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
    let whose = users.first().copied().unwrap_or(UserId::OWNER);
    let languages = device_languages(device, whose).await?;
    let (book, metrics) = (&finder.workplace.book, Metrics::default());
    let (catalog, _) = read_catalog(device, book, inventory, metrics, &languages, &users, &mut how_far).await?;
    let what = PlainText::new(wanted.what.as_deref().unwrap_or_default());
    let check = wanted.check.clone();
    let of = wanted.run.map_or(OfRuns::All, OfRuns::Run);
    let suspects = suspects(finder.workplace, device, &catalog, of).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    if wanted.how.dry_run {
        // Nobody has begun it: it is not written down.
        let (number, begun) = (FinderId::new(0), now());
        return Ok(FaultFinder {
            number,
            device: facts.id,
            begun,
            what,
            check,
            suspects,
            rounds: Vec::new(),
            ended: None,
        });
    }
    if let Some(check) = &check {
        tell(format_args!("looking {}", check.words(PackageId::to_string)));
        let user = suspects.first().map_or(UserId::OWNER, |suspect| suspect.user);
        let (_interrupt, stop) = Interrupt::listen("stopped looking");
        rely_on(finder.workplace, device, user, check, stop).await?;
    }
    let begun = begin_finder(finder.workplace, facts.id, suspects, what, check).await?;
    tell(format_args!(
        "fault finder {}: {} suspects. Each round puts some of them back and asks whether it is still broken",
        begun.number,
        begun.suspects.len()
    ));
    Ok(begun)
}

/// What a round is about.
fn words_of(search: &FaultFinder, next: &Next, back: &[bool]) -> String {
    let count = back.iter().filter(|back| **back).count();
    match next {
        Next::Found(Cause::NoneOfThem) => "all of them go again".into(),
        Next::Found(_) => format!("the other {} go again, and it stays back", search.suspects.len() - count),
        _ => format!("round {}: {count} of {} back, the others off", search.rounds.len() + 1, search.suspects.len()),
    }
}

fn show(plan: &RoundPlan, device: &AdbDevice) {
    for plan in [&plan.put_back, &plan.take_out].into_iter().filter(|plan| !plan.steps.is_empty()) {
        show_plan(plan, &device.capabilities(), &Metrics::default());
    }
}

async fn carried_out(finder: &Finder<'_>, device: &AdbDevice, plan: RoundPlan) -> Result<Vec<Run>, Failure> {
    let (interrupt, stopped) = Interrupt::listen("stopping after what is on its way");
    let news = |news| match news {
        RunNews::Found(words) | RunNews::Waiting(Some(words)) => tell(words),
        _ => {}
    };
    let (runs, trouble) = carry_out_round(finder.workplace, device, plan, &stopped, &news).await;
    drop(interrupt);
    for run in &runs {
        for step in run.steps.iter().filter(|step| step.outcome != Some(Outcome::Done)) {
            tell(format_args!("{} of {}: {}", step.way.label(), step.id, step.remark));
        }
    }
    trouble.map_or(Ok(runs), |error| Err(error.into()))
}

/// Asks whoever sits at the terminal; `None` where nobody does, or where they want to look later.
fn ask(how: How) -> Option<Evaluation> {
    if how.yes || how.json || !std::io::stdin().is_terminal() || !std::io::stderr().is_terminal() {
        return None;
    }
    loop {
        let _ = write!(std::io::stderr(), "Is it still broken? [y]es, [n]o, [c]annot tell, [q] look later: ");
        let mut answer = String::new();
        if std::io::stdin().lock().read_line(&mut answer).unwrap_or(0) == 0 {
            return None;
        }
        match answer.trim() {
            "y" => return Some(Evaluation::Still),
            "n" => return Some(Evaluation::Gone),
            "c" => return Some(Evaluation::CannotTell),
            "q" => return None,
            _ => {}
        }
    }
}

fn told(search: &FaultFinder, next: Option<&Next>, runs: &[Run], how: How) -> Result<Exit, Failure> {
    if how.json {
        json::print(&json::FaultSearch::of(search, next, runs));
    }
    Ok(Exit::Done)
}
