//! `wibbet update-break`: everything back for a system update, and out again behind it.

use std::collections::BTreeSet;
use std::path::{Path, PathBuf};

use wibbet_bench::device::{AdbDevice, Device as _};
use wibbet_bench::ops::{Details, begin_break, end_break, open_break};
use wibbet_core::catalog::Catalog;
use wibbet_core::device::DeviceFacts;
use wibbet_core::diagnosis::{BreakItem, BreakView, UpdateBreak};
use wibbet_core::order::{read_break, write_break};
use wibbet_core::package::KeptCopy;
use wibbet_core::plan::{Terms, TrayItem, plan_put_back_with};
use wibbet_core::run::{Run, RunKind, Shelf, Suspects, recorded_gifts};
use wibbet_logbook::Logbook;
use wibbet_types::{PackageId, UserId, counted};

use super::asking::may_change;
use super::change::{TakeOut, carry_out, take_out, what_ties};
use super::look::read;
use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// What is asked for.
#[derive(Debug, Clone)]
pub(crate) struct Wanted {
    pub(crate) begin: bool,
    /// With what was off before Wibbet.
    pub(crate) before_too: bool,
    /// The break is written there, too.
    pub(crate) file: Option<PathBuf>,
    pub(crate) end: bool,
    /// The break is that of this file, in place of the logbook's.
    pub(crate) from: Option<PathBuf>,
    /// Nothing goes again.
    pub(crate) leave: bool,
    /// What goes again although it has other holds than before.
    pub(crate) despite: BTreeSet<PackageId>,
    pub(crate) how: How,
}

/// What is known of the device.
pub(super) struct There {
    device: AdbDevice,
    pub(super) facts: DeviceFacts,
    /// How it is.
    told: Option<Details>,
    pub(super) catalog: Catalog,
    pub(super) runs: Vec<Run>,
    pub(super) copies: Vec<KeptCopy>,
}

pub(crate) async fn update_break(finder: &Finder<'_>, name: &str, wanted: Wanted) -> Result<Exit, Failure> {
    if wanted.begin || wanted.end {
        may_change(wanted.how)?;
    }
    if let Some(file) = wanted.file.as_ref().filter(|file| file.exists()) {
        return Err(Failure::new(Exit::Usage, format!("{} is there already", file.display())));
    }
    let from = wanted.from.as_deref().map(read_from).transpose()?;
    let there = read_there(finder, name).await?;
    if let Some(other) = from.as_ref().filter(|of| of.device != there.facts.id) {
        let words = format!("the file tells of a break of {}, and this is {}", other.device, there.facts.id);
        return Err(Failure::new(Exit::Usage, words));
    }
    let open = match from {
        Some(of) => Some(of),
        None => open_break(&finder.workplace.book, &there.facts.id).await?,
    };
    match (open, wanted.begin, wanted.end) {
        (None, false, false) => Ok(would_be(&there, &wanted)),
        (Some(open), false, false) => Ok(stands(&open, &there, &wanted)),
        (None, _, true) => {
            let words = format!("{} is on no update break; --begin begins one", there.facts.id);
            Err(Failure::new(Exit::Nothing, words))
        }
        (Some(open), _, true) => end(finder, name, open, there, &wanted).await,
        (open, true, false) => begin(finder, open, there, wanted).await,
    }
}

fn read_from(file: &Path) -> Result<UpdateBreak, Failure> {
    let text = wibbet_types::read_text(file, wibbet_core::order::LONGEST as u64)
        .map_err(|why| Failure::new(Exit::Usage, format!("{} could not be read: {why}", file.display())))?;
    read_break(&text).map_err(|why| Failure::new(Exit::Usage, format!("{}: {why}", file.display())))
}

pub(super) async fn read_there(finder: &Finder<'_>, name: &str) -> Result<There, Failure> {
    let (device, inventory, told) = read(finder, name).await?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let users: Vec<UserId> = inventory.users.iter().map(|user| user.id).collect();
    let catalog = what_ties(finder, &device, inventory, &users).await?;
    let of = facts.id.clone();
    let read = move |book: &mut Logbook| Ok((book.runs(Some(&of))?, book.copies(Some(&of))?));
    let (runs, copies) = finder.workplace.book.with(read).await?;
    Ok(There { device, facts, told, catalog, runs, copies })
}

fn items(there: &There, before_too: bool) -> (Vec<BreakItem>, usize) {
    let shelf = Shelf::with_copies(&there.catalog.inventory, &there.runs, &there.copies);
    UpdateBreak::items_of(&shelf, &there.runs, &there.catalog, before_too)
}

/// There is none: what one would be about.
fn would_be(there: &There, wanted: &Wanted) -> Exit {
    let (items, left) = items(there, wanted.before_too);
    let need = UpdateBreak::need(&items, &there.catalog);
    if wanted.how.json {
        json::print(&json::JsonBreak::would_be(&there.facts, &items, left, &need));
    } else {
        tell(need.words(PackageId::to_string));
        for item in &items {
            line(format_args!("{:<52} user {:<4} {}", item.id.as_str(), item.user.to_string(), item.way.label()));
        }
        if left > 0 {
            tell(format_args!(
                "{} more come back by root or from a copy only, or are of a private space, and are left out",
                left
            ));
        }
        if !items.is_empty() {
            tell("--begin puts all of that back and remembers it");
        }
    }
    if items.is_empty() { Exit::Nothing } else { Exit::Done }
}

/// How a break stands.
fn stands(open: &UpdateBreak, there: &There, wanted: &Wanted) -> Exit {
    let view = open.view(&there.catalog, &there.facts.build);
    if wanted.how.json {
        json::print(&json::JsonBreak::of(open, &view, &there.facts));
        return Exit::Done;
    }
    let since = json::time(open.begun);
    match view.updated {
        true => {
            tell(format_args!("on break since {since}; the system was updated: {} → {}", open.build, there.facts.build))
        }
        false => tell(format_args!("on break since {since}; the system is still build {}", open.build)),
    }
    show_view(&view);
    match (view.still_out.is_empty(), view.updated) {
        (false, _) => tell("--begin puts back what is still out"),
        (true, true) => tell("--end takes out again what can go"),
        (true, false) => tell("update the device; then --end takes out again what can go"),
    }
    Exit::Done
}

fn show_view(view: &BreakView) {
    for id in &view.new {
        line(format_args!("new          {id}"));
    }
    for (id, user, _) in &view.still_out {
        line(format_args!("still out    {:<52} user {user}", id.as_str()));
    }
    for item in &view.again {
        line(format_args!(
            "can go       {:<52} user {:<4} {}",
            item.id.as_str(),
            item.user.to_string(),
            item.way.label()
        ));
    }
    for (item, holds) in &view.held {
        line(format_args!(
            "held now     {:<52} user {:<4} {}",
            item.id.as_str(),
            item.user.to_string(),
            holds.join("; ")
        ));
    }
    for (id, user) in &view.gone {
        line(format_args!("gone         {:<52} user {user}", id.as_str()));
    }
}

async fn begin(finder: &Finder<'_>, open: Option<UpdateBreak>, there: There, wanted: Wanted) -> Result<Exit, Failure> {
    let how = wanted.how;
    let fresh = open.is_none();
    let of = match open {
        // It has begun: what is still out comes back.
        Some(open) => open,
        None => {
            let (items, left) = items(&there, wanted.before_too);
            if items.is_empty() {
                return Err(Failure::new(Exit::Nothing, "no break is needed: nothing is out on this device"));
            }
            if left > 0 {
                tell(format_args!(
                    "{} come back by root or from a copy only, or are of a private space, and are left out of the break",
                    left
                ));
            }
            if how.dry_run {
                let (number, ended) = (wibbet_types::BreakId::new(0), None);
                let (device, begun) = (there.facts.id.clone(), wibbet_bench::logbook::now());
                let (build, packages) = (there.facts.build.clone(), BTreeSet::new());
                UpdateBreak { number, device, begun, build, items, packages, ended }
            } else {
                let book = &finder.workplace.book;
                begin_break(book, &there.facts, &there.catalog.inventory, items).await?
            }
        }
    };
    let write = || match &wanted.file {
        Some(file) if !how.dry_run => {
            let text = write_break(&of).map_err(Failure::trouble)?;
            write_file(file, &text)?;
            tell(format_args!("the break stands in {} too", file.display()));
            Ok(())
        }
        _ => Ok::<_, Failure>(()),
    };
    let view = of.view(&there.catalog, &there.facts.build);
    if view.still_out.is_empty() {
        write()?;
        tell(format_args!("all of it is back; after the update: wibbet update-break {} --end", there.facts.id));
        if how.json {
            json::print(&json::JsonBreak::of(&of, &view, &there.facts));
        }
        return Ok(Exit::Done);
    }
    let plan =
        plan_put_back_with(&there.catalog.inventory, &there.device.capabilities(), &view.still_out, &there.copies)
            .giving_back(|id, user| recorded_gifts(&there.runs, id, user));
    let done = carry_out(finder, &there.device, RunKind::PutBack, &plan, there.told, &Suspects::default(), how).await;
    if fresh && matches!(&done, Err(failure) if failure.exit == Exit::Nothing) {
        // Somebody has said no to it.
        end_break(&finder.workplace.book, of.number).await?;
        return done;
    }
    // Whatever became of the run, the device is on break.
    write()?;
    let done = done?;
    if !how.dry_run {
        let id = &there.facts.id;
        tell(format_args!("{id} is on break: update its system, then: wibbet update-break {id} --end"));
    }
    Ok(done)
}

/// Writes a new file; one that is there is somebody's.
pub(super) fn write_file(file: &Path, text: &str) -> Result<(), Failure> {
    let written = std::fs::File::create_new(file).and_then(|mut file| {
        use std::io::Write as _;
        file.write_all(text.as_bytes()).and_then(|()| file.sync_all())
    });
    written.map_err(|why| Failure::trouble(format!("{} could not be written: {why}", file.display())))
}

async fn end(
    finder: &Finder<'_>,
    name: &str,
    open: UpdateBreak,
    there: There,
    wanted: &Wanted,
) -> Result<Exit, Failure> {
    let (book, how) = (&finder.workplace.book, wanted.how);
    let view = open.view(&there.catalog, &there.facts.build);
    // Standard output is the run's.
    if !view.updated {
        tell(format_args!("beware: the system is still build {}: no update has come", open.build));
    }
    for id in &view.new {
        tell(format_args!("new: {id}"));
    }
    let mut tray = view.again.clone();
    for (item, holds) in &view.held {
        match wanted.despite.contains(&item.id) {
            true => tray.push(item.clone()),
            false => tell(format_args!(
                "{} of user {} stays: it has holds that it had not: {}. --despite-holds {0} takes it out all the same",
                item.id,
                item.user,
                holds.join("; ")
            )),
        }
    }
    for (id, user) in &view.gone {
        tell(format_args!("{id} of user {user} is not on the device any more"));
    }
    for user in &view.unjudged {
        tell(format_args!("beware: what ties the packages of user {user} now could not be worked out"));
    }
    if wanted.leave || tray.is_empty() {
        if !how.dry_run {
            end_break(book, open.number).await?;
            tell("the break has ended; nothing was sent");
        }
        if how.json {
            json::print(&json::JsonBreak::of(&open, &view, &there.facts));
        }
        return Ok(Exit::Done);
    }
    let count = tray.len();
    // The run makes a link of its own, and a cable leads to one program at a time.
    there.device.hang_up().await;
    drop(there);
    let done = take_out(finder, name, again(tray), how).await?;
    if !how.dry_run && matches!(done, Exit::Done | Exit::Partly) {
        end_break(book, open.number).await?;
        tell(format_args!(
            "the break has ended: {} went again, as the run tells",
            counted(count, "package", "packages")
        ));
    }
    Ok(done)
}

fn again(tray: Vec<TrayItem>) -> TakeOut {
    TakeOut {
        user: None,
        named: Vec::new(),
        tray,
        install: Vec::new(),
        terms: Terms::default(),
        list: Vec::new(),
        from_disable: false,
        keep_data: false,
        no_way_back: false,
        despite_start: BTreeSet::new(),
    }
}
