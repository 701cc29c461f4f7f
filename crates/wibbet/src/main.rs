//! Wibbet: takes packages out of Android devices and puts them back, over the debugging protocol.

mod announced;
mod cli;
mod config;
mod demo;
mod dispatch;
mod doctor;
mod exit;
mod export;
mod fonts;
mod out;
mod papers;
mod place;
mod score;
mod signals;
mod sim;
mod start;
mod system;
mod tui;

use std::process::ExitCode;

use clap::FromArgMatches as _;

fn main() -> ExitCode {
    let arguments = match cli::Arguments::from_arg_matches(&cli::command().get_matches()) {
        Ok(arguments) => arguments,
        Err(error) => error.exit(),
    };
    wibbet_report::further_fonts_from(fonts::further);
    let runtime = match tokio::runtime::Runtime::new() {
        Ok(runtime) => runtime,
        Err(error) => {
            out::complain(format_args!("the program could not be started: {error}"));
            return exit::Exit::Trouble.into();
        }
    };
    let exit = runtime.block_on(dispatch::run(arguments));
    // A task that waits for a device is not waited for.
    runtime.shutdown_background();
    exit.into()
}
