//! `wibbet part`: switching a part of a package, as root.

use wibbet_bench::device::Device as _;
use wibbet_bench::ops::{SwitchError, WantedPart, claim, switch_part};
use wibbet_core::ask::{PartName, PartSwitch};
use wibbet_types::{PackageId, PlainText, UserId};

use super::asking::{asked, may_change};
use super::change::root;
use super::look::{check_user, read};
use crate::cli::options::How;
use crate::cli::resolve::Finder;
use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// What is to be switched, and how.
pub(crate) struct Wanted {
    pub(crate) id: PackageId,
    pub(crate) class: String,
    pub(crate) user: UserId,
    pub(crate) to: PartSwitch,
}

/// Switches it, and reads it back. That it is sent is kept in the logbook before it is.
pub(crate) async fn part(finder: &Finder<'_>, name: &str, wanted: Wanted, how: How) -> Result<Exit, Failure> {
    let Wanted { id, class, user, to } = wanted;
    let part = PartName::of(&id, &class).map_err(|error| Failure::new(Exit::Usage, error.to_string()))?;
    may_change(how)?;
    let (device, inventory, _) = read(finder, name).await?;
    root(&device, how).await?;
    check_user(&inventory, user)?;
    if !inventory.state(&id, user).installed {
        return Err(Failure::new(Exit::Nothing, format!("{id} is not installed for user {user}; nothing was sent")));
    }
    let facts = device.facts().ok_or_else(|| Failure::trouble("the device did not say what it is"))?;
    let wanted = WantedPart { id, user, part, to };
    let words = wanted.to.request(&wanted.id, &wanted.part, wanted.user).words(&device.capabilities());
    if how.dry_run || !how.yes {
        line(format_args!("to send    {words}"));
    }
    if how.dry_run {
        return Ok(Exit::Done);
    }
    if !how.yes && !asked(&format!("Send it to {} ({})?", facts.name(), facts.serial)) {
        return Err(Failure::new(Exit::Nothing, "nothing was sent"));
    }
    let _claims = claim(finder.workplace, &device)?;
    let switched =
        switch_part(&device, &finder.workplace.book, &facts.id, &wanted).await.map_err(|error| match error {
            SwitchError::Logbook(error) => Failure::from(error),
            SwitchError::Ask(error) => error.into(),
        })?;
    let (so, said) = (switched.is_so(&wanted), PlainText::new(&switched.said.text()));
    let exit = match so {
        Some(true) => Exit::Done,
        Some(false) => Exit::Nothing,
        None => Exit::Unsettled,
    };
    match how.json {
        true => json::print(&json::SwitchedPart::of(&wanted, so, &said)),
        false => {
            let read = match so {
                Some(true) => format!("read back {}", wanted.to.words()),
                Some(false) => format!("not {}", wanted.to.words()),
                None => "not told".to_owned(),
            };
            line(format_args!("{}/{} user {}: {read}", wanted.id, wanted.part, wanted.user));
            if so != Some(true) {
                tell(format_args!("the device says: {said}"));
            }
        }
    }
    Ok(exit)
}
