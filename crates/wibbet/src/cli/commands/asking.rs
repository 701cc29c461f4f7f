//! Asking whoever sits at the terminal.

use std::io::{IsTerminal as _, Write as _};

use crate::cli::options::How;
use crate::exit::{Exit, Failure};

/// Without a terminal nobody can be asked.
pub(crate) fn may_change(how: How) -> Result<(), Failure> {
    if how.dry_run { Ok(()) } else { may_ask(how.yes, "add --yes to send it, or --dry-run to see it") }
}

/// Whether it was said on the command line already, or there is somebody to ask; `else_do` says what to do where neither is so.
pub(crate) fn may_ask(yes: bool, else_do: &str) -> Result<(), Failure> {
    let somebody = std::io::stdin().is_terminal() && std::io::stderr().is_terminal();
    match yes || somebody {
        true => Ok(()),
        false => Err(Failure::new(Exit::Usage, format!("there is no terminal to ask on: {else_do}"))),
    }
}

pub(crate) fn asked(question: &str) -> bool {
    let mut answer = String::new();
    let heard = write!(std::io::stderr(), "{question} [y/N] ").and_then(|()| std::io::stdin().read_line(&mut answer));
    heard.is_ok() && matches!(answer.trim(), "y" | "Y" | "yes")
}
