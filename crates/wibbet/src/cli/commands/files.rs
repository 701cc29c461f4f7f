//! `wibbet pull`, `wibbet push`, `wibbet install`: files between this computer and a device, and apps out of them.

use std::path::{Path, PathBuf};

use wibbet_bench::logbook::SharedLogbook;
use wibbet_bench::ops::{
    Brought, claim, details, drop_copy, import_copy, import_kept, place_here, place_there, pull as bring, push as take,
};
use wibbet_core::device::DeviceFacts;
use wibbet_core::package::KeptCopy;
use wibbet_core::plan::{Job, Plan, plan_install};
use wibbet_core::run::{RunKind, Suspects};
use wibbet_logbook::Logbook;
use wibbet_types::{CopyId, DevicePath, UserId, bytes_words};

use super::asking::may_change;
use super::change::carry_out;
use super::copies::bound_words;
use super::look::{check_user, read};
use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, progress, tell};

fn how_far(done: u64, of: u64) {
    let words = format!("{} of {}", bytes_words(done), bytes_words(of));
    progress((done < of).then_some(words.as_str()));
}

fn told(brought: &Brought, as_json: bool) -> Exit {
    if as_json {
        json::print(&json::Brought::of(brought));
    } else {
        let sure = match brought.same {
            Some(true) => "the same on both sides by SHA-256",
            Some(false) => "NOT the same on both sides",
            None => "the device has no tool to sum it up",
        };
        line(format_args!("{}  {}  {sure}", bytes_words(brought.bytes), brought.sha256));
    }
    if brought.same == Some(false) { Exit::Partly } else { Exit::Done }
}

/// Brings a file from a device, to a name of its own or into a folder.
pub(crate) async fn pull(
    finder: &Finder<'_>,
    name: &str,
    there: DevicePath,
    here: Option<PathBuf>,
    as_json: bool,
) -> Result<Exit, Failure> {
    let own = there.as_str().rsplit('/').next().unwrap_or_default();
    let here = match here {
        Some(here) => place_here(&there, &here),
        None => PathBuf::from(own),
    };
    if here.file_name().is_none_or(|name| name == "..") || here.as_os_str().is_empty() {
        return Err(Failure::new(Exit::Usage, "name the file to bring it to"));
    }
    let device = finder.link(name).await?;
    let brought = bring(&device, &there, &here, &how_far).await.map_err(Failure::trouble)?;
    tell(format_args!("{there} is in {} now", here.display()));
    Ok(told(&brought, as_json))
}

/// Brings a file to a device.
pub(crate) async fn push(
    finder: &Finder<'_>,
    name: &str,
    here: &Path,
    there: DevicePath,
    as_json: bool,
) -> Result<Exit, Failure> {
    // A folder of the device is named with `/` behind it.
    let there = place_there(here, &there).map_err(|error| Failure::new(Exit::Usage, error.to_string()))?;
    let device = finder.link(name).await?;
    let _claims = claim(finder.workplace, &device)?;
    let brought = take(&device, here, &there, &how_far).await.map_err(Failure::trouble)?;
    tell(format_args!("{} is at {there} now", here.display()));
    Ok(told(&brought, as_json))
}

/// What an app is installed from.
pub(crate) enum From {
    /// Files of this computer.
    Files(Vec<PathBuf>),
    /// What is kept here of an app.
    Copy(CopyId),
}

impl From {
    /// Takes it in for a device.
    async fn take_in(self, book: &SharedLogbook, device: &DeviceFacts) -> Result<KeptCopy, Failure> {
        let taken = match self {
            Self::Files(files) => import_copy(book, &device.id, &files).await,
            Self::Copy(number) => {
                let of = device.clone();
                let read = move |book: &mut Logbook| Ok((book.copies(Some(&of.id))?, book.copies_offered_to(&of)?));
                let (own, offered) = book.with(read).await?;
                let Some(copy) = own.into_iter().chain(offered).find(|copy| copy.number == number) else {
                    let words = format!(
                        "there is no copy {number} of {} itself, and none that was offered to its model; wibbet copies shows \
                         all, and --offer lets one be installed on other devices of the model",
                        device.id
                    );
                    return Err(Failure::new(Exit::Nothing, words));
                };
                if !copy.installs() {
                    return Err(Failure::new(Exit::Nothing, format!("{}; nothing was sent", bound_words(&copy))));
                }
                import_kept(book, &device.id, &copy).await
            }
        };
        taken.map(|taken| taken.copy).map_err(|error| Failure::new(Exit::Usage, error.to_string()))
    }
}

/// Installs an app out of files of this computer, or out of what is kept here.
pub(crate) async fn install(
    finder: &Finder<'_>,
    name: &str,
    from: From,
    user: UserId,
    (job, how): (Option<Job>, How),
) -> Result<Exit, Failure> {
    may_change(how)?;
    let (device, inventory, _) = read(finder, name).await?;
    check_user(&inventory, user)?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let copy = from.take_in(&finder.workplace.book, &facts).await?;
    tell(format_args!("{} {} in {} files, {}", copy.id, copy.version, copy.files.len(), bytes_words(copy.size())));
    let mut plan = Plan { steps: vec![plan_install(&inventory, &copy, user)], ..Plan::default() };
    plan.terms.job = job;
    let told = details(&device).await;
    let done = carry_out(finder, &device, RunKind::Install, &plan, told, &Suspects::default(), how).await;
    // What was only looked at, or not agreed to, leaves nothing behind.
    drop_copy(&finder.workplace.book, &copy).await?;
    done
}

/// Takes a picture of the screen.
pub(crate) async fn picture(
    finder: &Finder<'_>,
    name: &str,
    file: &std::path::Path,
    as_json: bool,
) -> Result<Exit, Failure> {
    use std::io::Write as _;
    let device = finder.link(name).await?;
    let unusable = |error: std::io::Error| Failure::new(Exit::Usage, format!("{}: {error}", file.display()));
    // Whether it may be written is known before the device is asked.
    let mut to = std::fs::OpenOptions::new().write(true).create_new(true).open(file).map_err(unusable)?;
    let taken = wibbet_bench::ops::picture(&device).await;
    let written = match taken {
        Ok(Ok(bytes)) => to.write_all(&bytes).and_then(|()| to.sync_all()).map(|()| bytes.len()).map_err(unusable),
        Ok(Err(said)) => Err(Failure::trouble(format!("no picture was taken: the device says: {said}"))),
        Err(error) => Err(error.into()),
    };
    let bytes = written.inspect_err(|_| drop(std::fs::remove_file(file)))?;
    match as_json {
        true => json::print(&json::Picture { file: file.display().to_string(), bytes }),
        false => line(format_args!("{}: {}", file.display(), bytes_words(bytes as u64))),
    }
    Ok(Exit::Done)
}
