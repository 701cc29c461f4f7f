//! `wibbet shelf`: what is off a device, who took it out, and where putting it back leads.

use wibbet_core::package::PackageState;
use wibbet_core::run::{Origin, Shelf, ShelfEntry};
use wibbet_logbook::Logbook;
use wibbet_types::UserId;

use super::look::{check_user, read};
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::export::json::{Device, JsonShelf};
use crate::out::{line, tell};

/// Tells what is off, of one user or of all.
pub(crate) async fn shelf(
    finder: &Finder<'_>,
    name: &str,
    user: Option<UserId>,
    as_json: bool,
) -> Result<Exit, Failure> {
    let (device, inventory, told) = read(finder, name).await?;
    user.map_or(Ok(()), |user| check_user(&inventory, user))?;
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let read = move |book: &mut Logbook| Ok((book.runs(Some(&facts.id))?, book.copies(Some(&facts.id))?));
    let (runs, copies) = finder.workplace.book.with(read).await?;
    let mut shelf = Shelf::with_copies(&inventory, &runs, &copies);
    let told_of =
        |id: UserId| inventory.users_to_tell(user).any(|own| own.id == id) && user.is_none_or(|user| user == id);
    shelf.entries.retain(|entry| told_of(entry.user));
    shelf.not_given.retain(|user, _| told_of(*user));
    if as_json {
        let shown =
            Device::of(device.facts().as_ref(), &device.address(), "ready", None).with(&device.routes(), told.as_ref());
        json::print(&JsonShelf::of(shown, &shelf));
    } else {
        shelf.entries.iter().for_each(print);
        for (user, count) in &shelf.not_given {
            tell(format_args!("user {user} was never given {count} packages; they are not on the shelf"));
        }
    }
    Ok(if shelf.entries.is_empty() { Exit::Nothing } else { Exit::Done })
}

fn print(entry: &ShelfEntry) {
    let by = match entry.origin {
        Origin::Run { number, .. } => format!("run {number}"),
        Origin::Before => "before".to_owned(),
    };
    let back = match entry.target {
        PackageState::IN_USE => "in use".to_owned(),
        other => other.condition().word().to_owned(),
    };
    let back = if entry.copy.is_some() { format!("{back}, from its copy on this computer") } else { back };
    line(format_args!(
        "{:<8} {:<52} user {:<4} {:<12} back to: {back}",
        by,
        entry.id.as_str(),
        entry.user.to_string(),
        entry.word()
    ));
}
