//! What goes with the program where it is installed: completions for shells, and man pages.

use std::path::Path;

use crate::cli::command;
use crate::exit::{Exit, Failure};
use crate::out::tell;

/// Prints the script for a shell.
pub(crate) fn completions(shell: clap_complete::Shell) -> Exit {
    let mut script = Vec::new();
    clap_complete::generate(shell, &mut command(), "wibbet", &mut script);
    // A reader that has gone away is no trouble.
    let _ = std::io::Write::write_all(&mut std::io::stdout().lock(), &script);
    Exit::Done
}

/// Writes the man pages into a folder.
pub(crate) fn man(folder: &Path) -> Result<Exit, Failure> {
    let written = std::fs::create_dir_all(folder).and_then(|()| clap_mangen::generate_to(command(), folder));
    written.map_err(|why| Failure::trouble(format!("{} could not be written: {why}", folder.display())))?;
    tell(format_args!("the man pages are in {}; `man -l {0}/wibbet.1` shows the first", folder.display()));
    Ok(Exit::Done)
}
