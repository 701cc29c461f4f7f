//! `wibbet copies`: what is kept here of apps that could not be had from their device again, and whom it is offered to.

use std::path::Path;

use wibbet_core::package::KeptCopy;
use wibbet_logbook::Logbook;
use wibbet_types::{CopyId, DeviceId, bytes_words};

use crate::exit::{Exit, Failure};
use crate::export::json;
use crate::out::{line, tell};

/// Shows the copies of a device, or all; before that offers some to other devices of their models, or does so no longer.
pub(crate) fn copies(
    folder: &Path,
    of: Option<&DeviceId>,
    (offer, withdraw): (&[CopyId], &[CopyId]),
    as_json: bool,
) -> Result<Exit, Failure> {
    if let Some(both) = offer.iter().find(|number| withdraw.contains(number)) {
        return Err(Failure::new(Exit::Usage, format!("copy {both} is to be offered and withdrawn; choose one")));
    }
    // Whoever only looks may do so on a disk that cannot be written.
    let looks = offer.is_empty() && withdraw.is_empty();
    let book = if looks { Logbook::open_to_look(folder)? } else { Some(Logbook::open(folder)?) };
    let Some(book) = book else { return Ok(show(&[], as_json)) };
    let known = book.copies(None)?;
    let changes = || offer.iter().map(|number| (*number, true)).chain(withdraw.iter().map(|number| (*number, false)));
    if let Some((missing, _)) = changes().find(|(number, _)| known.iter().all(|copy| copy.number != *number)) {
        return Err(Failure::new(Exit::Nothing, format!("there is no copy {missing}; nothing was changed")));
    }
    if let Some(bound) = known.iter().find(|copy| offer.contains(&copy.number) && !copy.installs()) {
        return Err(Failure::new(Exit::Nothing, format!("{}; nothing was changed", bound_words(bound))));
    }
    for (number, offered) in changes() {
        book.offer_copy(number, offered)?;
    }
    Ok(show(&book.copies(of)?, as_json))
}

/// Why a copy of what lay on the partition of the system is not installed as an app.
pub(super) fn bound_words(copy: &KeptCopy) -> String {
    format!(
        "copy {} is of what lay on the partition of the system: put-back has it there again, on its own device",
        copy.number
    )
}

fn show(copies: &[KeptCopy], as_json: bool) -> Exit {
    if as_json {
        json::print(&json::Copies { copies: copies.iter().map(json::JsonCopy::of).collect() });
    } else {
        for copy in copies {
            let size = bytes_words(copy.size());
            let whom = if copy.offered { "offered to its model" } else { "" };
            line(format_args!(
                "copy {:<5} {:<44} {:<14} {size:>9}  of {:<22} {} {whom}",
                copy.number,
                copy.id.as_str(),
                copy.version.as_str(),
                copy.device,
                json::time(copy.made)
            ));
        }
        if copies.is_empty() {
            tell("No copies are kept here.");
        }
    }
    Exit::Done
}
