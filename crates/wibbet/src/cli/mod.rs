//! The command line.

mod change;
mod exit;
mod finder;
mod json;
mod links;
mod look;
mod out;
mod packages;

use std::sync::Arc;
use std::time::Duration;

use clap::{Args, Parser, Subcommand};
use wibbet_bench::around::Surroundings;
use wibbet_types::{PackageId, UserId};

pub(crate) use exit::{Exit, Failure};
pub(crate) use out::{line, tell};

use crate::place::Folders;
use crate::{announced, demo, sim, tui};

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
    /// Look at no cables and no announcements: only at addresses that are named or were met before.
    #[arg(long, global = true)]
    no_search: bool,
    /// Read announcements from this file in place of the network, as `wibbet sim --announcements` writes it.
    #[arg(long, value_name = "FILE", global = true)]
    announcements: Option<std::path::PathBuf>,
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
    /// The devices at hand: on cables, on the network, named with --at, and met before at an address.
    Bench {
        /// Go on until interrupted, with a line for each change.
        #[arg(long)]
        watch: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// How far the link to a device has got, rung by rung, and what to do about the first one that is missing.
    Link {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Pairs this computer with a device for wireless debugging.
    Pair {
        /// Where the device offers pairing: HOST:PORT from its dialog with the code.
        #[arg(required_unless_present = "qr", value_parser = address)]
        address: Option<String>,
        /// The six digits that the device shows.
        #[arg(long, value_name = "CODE", required_unless_present = "qr", conflicts_with = "qr")]
        code: Option<String>,
        /// Show a QR code for the device to scan.
        #[arg(long, conflicts_with = "address")]
        qr: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Closes the link: puts back what was changed for it and switches debugging off on the device.
    Close {
        /// An id, a serial, or HOST:PORT.
        device: String,
        /// Leave debugging switched on.
        #[arg(long)]
        keep_debugging: bool,
        /// Do not link the device by itself any more. Its runs stay in the logbook.
        #[arg(long)]
        forget: bool,
        /// Do not ask before switching debugging off.
        #[arg(long)]
        yes: bool,
        /// One JSON object on standard output.
        #[arg(long)]
        json: bool,
    },
    /// Prints a udev rule that lets this user open devices on cables, and where to put it (Linux).
    UsbRule,
    /// What is installed on a device, and for whom.
    Packages {
        /// An id, a serial, or HOST:PORT.
        device: String,
        #[command(flatten)]
        wanted: packages::Wanted,
    },
    /// Takes packages out.
    Run {
        /// An id, a serial, or HOST:PORT.
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
        /// Take packages from a plain list of ids, too; `-` reads it from standard input. What of it is not on the
        /// device is told and left out.
        #[arg(long, value_name = "FILE|-")]
        from: Option<std::path::PathBuf>,
        /// Disable what the list names, in place of uninstalling it.
        #[arg(long, requires = "from")]
        from_disable: bool,
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
        /// An id, a serial, or HOST:PORT.
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
        /// An id, a serial, or HOST:PORT.
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
        Some(
            Command::Bench { json, .. }
            | Command::Link { json, .. }
            | Command::Pair { json, .. }
            | Command::Close { json, .. }
            | Command::Runs { json },
        ) => *json,
        Some(Command::Packages { wanted, .. }) => wanted.json,
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
    let Arguments { at, answer_within, allow_within, no_search, announcements, command } = arguments;
    if !at.is_empty() && matches!(command, Some(Command::Demo | Command::Sim(_))) {
        return Err(Failure::new(Exit::Usage, "--at names a real device; demo and sim have devices of their own"));
    }
    let command = match command {
        Some(Command::Demo) => return demo::run(answer_within).await,
        Some(Command::Sim(sim)) => return sim::run(sim, announcements).await,
        Some(Command::UsbRule) => return Ok(links::usb_rule()),
        other => other,
    };
    let quick = matches!(command, Some(Command::Bench { watch: false, .. })).then_some(Duration::from_secs(5));
    let folders = Folders::find().map_err(Failure::trouble)?;
    let opened = tokio::task::spawn_blocking(move || folders.open(answer_within, allow_within.or(quick)));
    let mut workplace = opened.await.map_err(Failure::trouble)?.map_err(Failure::trouble)?;
    let by_address_only = no_search && announcements.is_none();
    let looks = !matches!(command, Some(Command::Runs { .. }));
    workplace.surroundings = Arc::new(match announcements {
        Some(file) => Surroundings::simulated(None, Some(announced::read_from(file))),
        None if no_search || !looks => Surroundings::default(),
        None => Surroundings::of_this_computer(),
    });
    let finder = finder::Finder { workplace: &workplace, at: &at, no_search: by_address_only };
    match command {
        None => tui::run(workplace, at, None).await.map_err(Failure::trouble),
        Some(Command::Bench { watch: true, json }) => look::watch(&finder, json).await,
        Some(Command::Bench { json, .. }) => look::bench(&finder, json).await,
        Some(Command::Link { device, json }) => links::link(&finder, &device, json).await,
        Some(Command::Pair { address, code, json, .. }) => links::pair(&finder, address.zip(code), json).await,
        Some(Command::Close { device, keep_debugging, forget, yes, json }) => {
            let how = links::Closing { switch_off: !keep_debugging, forget, yes, json };
            links::close(&finder, &device, how).await
        }
        Some(Command::Packages { device, wanted }) => packages::packages(&finder, &device, wanted).await,
        Some(Command::Runs { json }) => look::runs(&workplace, json).await,
        Some(Command::Run { device, user, uninstall, disable, from, from_disable, keep_data, no_way_back, how }) => {
            let list = packages::list_from(from.as_deref())?;
            let wanted = change::TakeOut { user, uninstall, disable, list, from_disable, keep_data, no_way_back };
            change::take_out(&finder, &device, wanted, how).await
        }
        Some(Command::PutBack { device, ids, user, how }) => change::put_back(&finder, &device, &ids, user, how).await,
        Some(Command::CarryOn { device, run, how }) => change::carry_on(&finder, &device, run, how).await,
        Some(Command::Demo | Command::Sim(_) | Command::UsbRule) => Ok(Exit::Done),
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
