//! The command line.

mod change;
mod exit;
mod json;
mod look;
mod out;

use std::time::Duration;

use clap::{Args, Parser, Subcommand};
use wibbet_types::{PackageId, UserId};

pub(crate) use exit::{Exit, Failure};
pub(crate) use out::{line, tell};

use crate::place::Folders;
use crate::{demo, sim, tui};

/// Takes packages out of Android devices, per user and in batches, and puts them back.
///
/// Without a command the full-screen program starts.
#[derive(Debug, Parser)]
#[command(version, after_help = EXIT_CODES)]
pub(crate) struct Arguments {
    /// A device by address; may be given several times.
    #[arg(long, value_name = "HOST:PORT", global = true, value_parser = address)]
    at: Vec<String>,
    /// Seconds to wait for a device's answer to a change [default: 60].
    #[arg(long, value_name = "SECONDS", global = true, value_parser = seconds)]
    answer_within: Option<Duration>,
    /// Seconds to wait for somebody to allow this computer on the device [default: 180; for `bench` 5].
    #[arg(long, value_name = "SECONDS", global = true, value_parser = seconds)]
    allow_within: Option<Duration>,
    #[command(subcommand)]
    command: Option<Command>,
}

const EXIT_CODES: &str = "Exit codes: 0 all done and read back; 1 nothing done; 2 usage; 3 partly done; 4 unsettled; \
5 no device; 6 not authorised; 7 another Wibbet is at work on the device; 8 other trouble.\n\
WIBBET_HOME names a folder for configuration and data in place of the system's.";

#[derive(Debug, Subcommand)]
enum Command {
    /// The full-screen program with the simulated bench devices of the demo workshop.
    Demo,
    /// Simulated bench devices standing alone, until interrupted.
    Sim(sim::SimArguments),
    /// The devices at hand: those named with --at and those met before.
    Bench {
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// What is installed on a device, and for whom.
    Packages {
        /// A serial, or HOST:PORT.
        device: String,
        /// Only this user's states.
        #[arg(long)]
        user: Option<UserId>,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Takes packages out.
    Run {
        /// A serial, or HOST:PORT.
        device: String,
        /// The user for whom.
        #[arg(long)]
        user: UserId,
        /// Packages to uninstall for the user.
        #[arg(long, value_name = "ID", num_args = 1..)]
        uninstall: Vec<PackageId>,
        /// Packages to disable for the user.
        #[arg(long, value_name = "ID", num_args = 1..)]
        disable: Vec<PackageId>,
        /// Keep the data of what is uninstalled.
        #[arg(long)]
        keep_data: bool,
        /// Send also what could not be put back from here.
        #[arg(long)]
        no_way_back: bool,
        #[command(flatten)]
        how: How,
    },
    /// Puts packages back to the state they had before Wibbet took them out.
    PutBack {
        /// A serial, or HOST:PORT.
        device: String,
        /// The packages.
        #[arg(required = true, value_name = "ID")]
        ids: Vec<PackageId>,
        /// The user for whom.
        #[arg(long)]
        user: UserId,
        #[command(flatten)]
        how: How,
    },
    /// Carries on with a run that was stopped or interrupted.
    CarryOn {
        /// A serial, or HOST:PORT.
        device: String,
        /// The run's number; the device's latest unfinished one when left out.
        run: Option<i64>,
        #[command(flatten)]
        how: How,
    },
    /// The runs in the logbook.
    Runs {
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
}

/// How a change is made.
#[derive(Debug, Clone, Copy, Args)]
struct How {
    /// Show what would be sent, and send nothing.
    #[arg(long)]
    dry_run: bool,
    /// Do not ask before sending.
    #[arg(long)]
    yes: bool,
    /// One JSON object on standard output.
    #[arg(long)]
    json: bool,
}

fn seconds(text: &str) -> Result<Duration, String> {
    let seconds: f64 = text.parse().map_err(|_| "not a number of seconds".to_owned())?;
    Duration::try_from_secs_f64(seconds).ok().filter(|d| !d.is_zero()).ok_or_else(|| "not a time to wait".to_owned())
}

/// `HOST:PORT`; an IPv6 address stands in brackets.
pub(crate) fn address(text: &str) -> Result<String, String> {
    let rule = || "an address is HOST:PORT, such as 192.0.2.7:5555 or [2001:db8::7]:5555".to_owned();
    let (host, port) = text.rsplit_once(':').ok_or_else(rule)?;
    let bare = host.strip_prefix('[').and_then(|h| h.strip_suffix(']')).unwrap_or(host);
    let bracketed = bare.len() != host.len();
    let fits = !bare.is_empty()
        && bare.chars().all(|c| c.is_ascii_alphanumeric() || ".-_:%".contains(c))
        && (bracketed || !bare.contains(':'));
    match port.parse::<u16>() {
        Ok(1..) if fits => Ok(text.to_owned()),
        _ => Err(rule()),
    }
}

/// Does what was asked for.
pub(crate) async fn run(arguments: Arguments) -> Exit {
    let json = match &arguments.command {
        Some(Command::Bench { json } | Command::Packages { json, .. } | Command::Runs { json }) => *json,
        Some(Command::Run { how, .. } | Command::PutBack { how, .. } | Command::CarryOn { how, .. }) => how.json,
        _ => false,
    };
    match done(arguments).await {
        Ok(exit) => exit,
        Err(failure) => {
            if json {
                json::print_failure(&failure);
            }
            tell(&failure.message);
            failure.exit
        }
    }
}

async fn done(arguments: Arguments) -> Result<Exit, Failure> {
    let Arguments { at, answer_within, allow_within, command } = arguments;
    if !at.is_empty() && matches!(command, Some(Command::Demo | Command::Sim(_))) {
        return Err(Failure::new(Exit::Usage, "--at names a real device; demo and sim have devices of their own"));
    }
    let command = match command {
        Some(Command::Demo) => return demo::run(answer_within).await,
        Some(Command::Sim(sim)) => return sim::run(sim).await,
        other => other,
    };
    let quick = matches!(command, Some(Command::Bench { .. })).then_some(Duration::from_secs(5));
    let folders = Folders::find().map_err(Failure::trouble)?;
    let opened = tokio::task::spawn_blocking(move || folders.open(answer_within, allow_within.or(quick)));
    let workplace = opened.await.map_err(Failure::trouble)?.map_err(Failure::trouble)?;
    let finder = look::Finder { workplace: &workplace, at: &at };
    match command {
        None => tui::run(workplace, at, false).await.map_err(Failure::trouble),
        Some(Command::Bench { json }) => look::bench(&finder, json).await,
        Some(Command::Packages { device, user, json }) => look::packages(&finder, &device, user, json).await,
        Some(Command::Runs { json }) => look::runs(&workplace, json).await,
        Some(Command::Run { device, user, uninstall, disable, keep_data, no_way_back, how }) => {
            let wanted = change::TakeOut { user, uninstall, disable, keep_data, no_way_back };
            change::take_out(&finder, &device, wanted, how).await
        }
        Some(Command::PutBack { device, ids, user, how }) => change::put_back(&finder, &device, &ids, user, how).await,
        Some(Command::CarryOn { device, run, how }) => change::carry_on(&finder, &device, run, how).await,
        Some(Command::Demo | Command::Sim(_)) => Ok(Exit::Done),
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_arguments_hold_together() {
        use clap::CommandFactory as _;
        Arguments::command().debug_assert();
    }

    #[test]
    fn addresses() {
        for good in ["127.0.0.1:5555", "tv.local:5555", "[::1]:40001", "[fe80::1%eth0]:5555"] {
            assert_eq!(address(good).unwrap(), good);
        }
        for bad in ["", "host", "host:", "host:0", "host:99999", ":5555", "::1:5555", "a b:1", "h\u{1b}:1"] {
            assert!(address(bad).is_err(), "{bad}");
        }
    }
}
